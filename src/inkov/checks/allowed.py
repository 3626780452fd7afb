"""Allowed lists: what each end of a trunk lets through, one end against the other."""

from __future__ import annotations

from collections.abc import Iterator

from inkov.campus import Mode
from inkov.checks.catalogue import Finding, Severity, Site, rule
from inkov.checks.vlans import defined
from inkov.forwarding import Resolved
from inkov.vlanset import VlanSet
from inkov.wiring import End, Link

_FAMILY = "Allowed lists"
_ALL = VlanSet.all()


def trunk_links(site: Site) -> Iterator[tuple[Link, Resolved, Resolved]]:
    """The links that are up and have a trunk at both ends."""
    for number, link in enumerate(site.fabric.wiring.links):
        a, b = site.resolved(link.a), site.resolved(link.b)
        if site.fabric.link_up[number] and a.like is b.like is Mode.TRUNK:
            yield link, a, b


def trunk_groups(site: Site) -> Iterator[list[Resolved]]:
    """The trunk ends that are up, those of one link together."""
    done: set[End] = set()
    for resolved in site.ports():
        if resolved.like is Mode.TRUNK and resolved.end not in done:
            fars = [site.resolved(link.far(resolved.end)) for link in site.fabric.wiring.of.get(resolved.end, ())]
            group = [resolved, *(f for f in fars if f.like is Mode.TRUNK and f.up and f.end not in done)]
            done.update(r.end for r in group)
            yield group


@rule(
    "allowed-differs",
    family=_FAMILY,
    severity=Severity.FAULT,
    what="the two ends of a trunk allow different VLANs",
    why="a VLAN crosses only if both ends allow it: what one end sends, the other drops without a word",
    cure="give both ends the same list: the VLANs that are needed on both sides",
    example="core-1 port 3 allows 10,20,30 and gate-1 port 1 only 10,20, though both define VLAN 30",
)
def allowed_differs(site: Site) -> Iterator[Finding]:
    for _, a, b in trunk_links(site):
        defined_a, defined_b = defined(site, a.end.device), defined(site, b.end.device)
        differ = a.allowed ^ b.allowed
        for table in (defined_a, defined_b):
            differ = differ if table is None else differ & table
        for end in (a, b):  # the native VLAN has rules of its own
            native = end.native
            differ = differ - VlanSet.of(native) if native else differ
        if _ALL in (a.allowed, b.allowed):
            # The list left at everything is a finding of its own; here only what is in fact cut counts.
            differ = VlanSet.from_vids(v for v in differ if len(site.islands.get(v, ())) > 1)
        if not differ:
            continue
        parts = [
            f"{end.end} allows VLAN {missing} and {other.end} does not"
            for end, other in ((a, b), (b, a))
            if (missing := end.allowed & differ)
        ]
        yield Finding(
            "allowed-differs", Severity.FAULT, "; ".join(parts),
            f"allow VLAN {differ} at both ends, or at neither",
            (site.place(a, "allowed"), site.place(b, "allowed")), site.rests_on((a, "allowed"), (b, "allowed")),
        )  # fmt: skip


@rule(
    "trunk-allows-everything",
    family=_FAMILY,
    severity=Severity.RISK,
    what="a trunk lets every VLAN through",
    why="each VLAN that is ever created crosses it without anybody deciding so, and its broadcasts with it",
    cure="list the VLANs that are needed on the other side",
    example="core-1 port 3 is a trunk without a list",
)
def trunk_allows_everything(site: Site) -> Iterator[Finding]:
    for group in trunk_groups(site):
        ends = [r for r in group if r.allowed == _ALL]
        if ends:
            stated = [r for r in ends if r.stated.allowed is not None]
            how = "by its list" if len(stated) == len(ends) else "since no list is stated"
            verb = "lets" if len(ends) == 1 else "let"
            yield Finding(
                "trunk-allows-everything", Severity.RISK,
                f"{' and '.join(str(r.end) for r in ends)} {verb} every VLAN through, {how}",
                "state the list of the VLANs that are needed on the other side",
                tuple(site.place(r, "allowed") for r in ends), site.rests_on(*((r, "allowed") for r in ends)),
            )  # fmt: skip


@rule(
    "allowed-nowhere-defined",
    family=_FAMILY,
    severity=Severity.NOTE,
    what="a trunk allows a VLAN that neither end defines",
    why="a leftover or a slip of the finger: when somebody reuses the number, it crosses where nobody expects it",
    cure="take the VLAN off the list, or define it",
    example="core-1 port 3 and gate-1 port 1 allow VLAN 77, which neither switch has",
)
def allowed_nowhere_defined(site: Site) -> Iterator[Finding]:
    for group in trunk_groups(site):
        lists = [r for r in group if r.allowed != _ALL]
        tables = [defined(site, r.end.device) for r in group]
        known = VlanSet.of(1)  # it is there without being defined
        for table in tables:
            known = known | (table if table is not None else _ALL)
        for resolved in group:
            native = resolved.native
            known = known | VlanSet.of(native) if native else known  # native-undefined tells
        stray = [(r, r.allowed - known) for r in lists if r.allowed - known]
        if stray:
            vids = stray[0][1]
            for _, more in stray[1:]:
                vids = vids | more
            at = " and ".join(str(r.end) for r, _ in stray)
            verb = "allows" if len(stray) == 1 else "allow"
            neither = "neither end defines" if len(group) > 1 else f"{group[0].end.device} does not define"
            yield Finding(
                "allowed-nowhere-defined", Severity.NOTE, f"{at} {verb} VLAN {vids}, which {neither}",
                f"take VLAN {vids} off the list, or define it",
                tuple(site.place(r, "allowed") for r, _ in stray),
            )  # fmt: skip
