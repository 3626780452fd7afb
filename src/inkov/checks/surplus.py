"""Allowed lists that are too long: everything, VLANs that nobody needs on one side, and those that
nobody has.
"""

from __future__ import annotations

from collections.abc import Iterator

from inkov.checks.allowed import with_list
from inkov.checks.catalogue import Found, Severity, finding, rule
from inkov.checks.hosts import managed_by
from inkov.checks.site import DEFAULT_VID, EVERYTHING, Joined, Site
from inkov.forwarding.needed import unneeded
from inkov.vlanset import VlanSet, bits_to_text, union
from inkov.words import agree, both

_FAMILY = "Allowed lists"


@rule(
    "trunk-allows-everything",
    family=_FAMILY,
    severity=Severity.RISK,
    what="a trunk lets every VLAN through",
    why=(
        "each VLAN that is ever created crosses it without anybody deciding so, and its broadcasts"
        " with it"
    ),
    cure="list the VLANs that are needed on the other side",
    example="core-1 port 3 is a trunk without a list",
    says={
        "stated": "{ends} {let} every VLAN through, by its list",
        "unstated": "{ends} {let} every VLAN through, because no list is stated",
    },
    fix={
        "list": "state the list of the VLANs that are needed on the other side",
        "needed": ": {needed}",
    },
)
def trunk_allows_everything(site: Site) -> Iterator[Found]:
    for group in site.trunk_groups:
        ends = [r for r in group if r.allowed == EVERYTHING]
        if ends:
            stated = [r for r in ends if r.stated.allowed is not None]
            numbers = set(site.link_numbers.get(ends[0].end, ()))
            needs = union(site.perhaps_needs[number] for number in numbers)
            if needs & site.private:  # a primary and its secondaries go together
                needs |= site.private & union(site.shared[number] for number in numbers)
            # The native VLAN is on the list as well, or untagged frames are dropped.
            needs |= union(1 << r.native for r in group if r.native) if needs else 0
            if any(site.fabric.has_hosts(r.end) for r in ends):
                needs = 0  # whoever is there, nobody knows what they need
            yield finding(
                {
                    "ends": both([r.end for r in ends]),
                    "let": agree(len(ends), "lets", "let"),
                    "needed": bits_to_text(needs),
                },
                case=(
                    "stated" if len(stated) == len(ends) else "unstated",
                    "list",
                    *(["needed"] if needs else []),
                ),
                where=tuple(site.places.of(r, "allowed") for r in ends),
                assumes=site.places.assumed_for(*((r, "allowed") for r in ends)),
                edits=[edit for r in ends for edit in with_list(r, VlanSet(needs))]
                if needs
                else (),
            )


_SURPLUS = "VLAN {vids} crosses between {a} and {b}, and nobody on one side needs it"
_TAKE_OFF = "take VLAN {vids} off the lists of {a} and {b}"


@rule(
    "surplus-vlans",
    family=_FAMILY,
    severity=Severity.NOTE,
    what="both ends of a trunk let VLANs through that nobody needs on one side of it",
    why=(
        "broadcasts of these VLANs cross for nothing, and a leak on the far side is a leak into"
        " them"
    ),
    cure="take these VLANs off both lists",
    example=(
        "the trunk from core-1 to gate-1 allows VLAN 30, and nothing in VLAN 30 is at or behind"
        " gate-1"
    ),
    says=_SURPLUS,
    fix=_TAKE_OFF,
)
def surplus_vlans(site: Site) -> Iterator[Found]:
    for joined, surplus in _surplus(site):
        # The management VLAN has a rule of its own.
        surplus &= ~(1 << (site.plan.practice.management or 0))  # noqa: PLW2901
        if surplus:
            yield _of_surplus(site, joined, surplus)


@rule(
    "management-surplus",
    family=_FAMILY,
    severity=Severity.RISK,
    what="a trunk lets the management VLAN through to where nothing is managed",
    why="every socket behind it is one slip away from the addresses of all switches",
    cure="take the management VLAN off both lists",
    example=(
        "the plan says VLAN 90 is management, and a trunk carries it to a switch without an address"
        " in it"
    ),
    says=_SURPLUS,
    fix=_TAKE_OFF,
)
def management_surplus(site: Site) -> Iterator[Found]:
    if site.plan.practice.management is None:
        return
    management = 1 << site.plan.practice.management
    elsewhere = {n for n, i in managed_by(site).items() if not management >> i.vid & 1}
    for joined, surplus in _surplus(site):
        if elsewhere & {joined.a.end.device, joined.b.end.device}:
            continue  # management-in-user-vlan tells
        if surplus & management:
            yield _of_surplus(site, joined, management)


def _surplus(site: Site) -> Iterator[tuple[Joined, int]]:
    for joined in site.trunk_links:
        shares = [site.fabric.device(r.end.device).distribution for r in (joined.a, joined.b)]
        if any(shared is not None and shared.pruning is not None for shared in shares):
            continue  # the protocol withholds them, or pruning-off tells
        # Where hosts are on the wire as well, nobody knows what they take.
        hosts = any(site.fabric.has_hosts(r.end) for r in (joined.a, joined.b))
        if joined.a.end.device == joined.b.end.device:
            continue  # a loop, told as such
        # A list left at everything is another finding.
        if EVERYTHING not in (joined.a.allowed, joined.b.allowed) and not hosts:
            natives = [r.native for r in (joined.a, joined.b) if r.native]
            needs = site.perhaps_needs[joined.number]
            shared = site.shared[joined.number]
            # What one end lets through by dynamic registration alone goes when nobody asks for it.
            both = (joined.a.allowed & joined.b.allowed).bits
            surplus = unneeded(shared, needs, natives) & both
            # A primary and its secondaries go together: all are needed where one is, and where one
            # is let through at one end only, that is told, and the others stay for it.
            if (shared & needs | (joined.a.allowed ^ joined.b.allowed).bits) & site.private:
                surplus &= ~site.private
            if surplus:
                yield joined, surplus


def _of_surplus(site: Site, joined: Joined, surplus: int) -> Found:
    a, b = joined.a, joined.b
    return finding(
        {"vids": bits_to_text(surplus), "a": a.end, "b": b.end},
        where=(site.places.of(a, "allowed"), site.places.of(b, "allowed")),
        about=surplus,
        edits=[edit for r in (a, b) for edit in with_list(r, r.allowed - VlanSet(surplus))],
    )


@rule(
    "allowed-nowhere-defined",
    family=_FAMILY,
    severity=Severity.NOTE,
    what="a trunk allows a VLAN that neither end defines",
    why=(
        "a leftover or a slip of the finger: when somebody reuses the number, it crosses where"
        " nobody expects it"
    ),
    cure="take the VLAN off the list, or define it",
    example="core-1 port 3 and gate-1 port 1 allow VLAN 77, which neither switch has",
    says={
        "neither": "{ends} {allow} VLAN {vids}, which neither end defines",
        "alone": "{ends} {allow} VLAN {vids}, which {switch} does not define",
    },
    fix="take VLAN {vids} off the list, or define it",
)
def allowed_nowhere_defined(site: Site) -> Iterator[Found]:
    for group in site.trunk_groups:
        lists = [r for r in group if r.allowed != EVERYTHING]
        known = VlanSet.of(DEFAULT_VID)  # it is there without being defined
        for resolved in group:
            table = site.defined(resolved.end.device)
            # A switch without a table may have any VLAN.
            known = known | (table if table is not None else EVERYTHING)
            known = known | VlanSet(site.fabric.live[resolved.end.device])  # secondaries, too
            known = (
                known | VlanSet.of(resolved.native) if resolved.native else known
            )  # native-undefined tells
        stray = [(r, r.allowed - known) for r in lists if r.allowed - known]
        if stray:
            vids = stray[0][1]
            for _, more in stray[1:]:
                vids = vids | more
            yield finding(
                {
                    "ends": both([r.end for r, _ in stray]),
                    "allow": agree(len(stray), "allows", "allow"),
                    "vids": vids,
                    "switch": group[0].end.device,
                },
                case="neither" if len(group) > 1 else "alone",
                where=tuple(site.places.of(r, "allowed") for r, _ in stray),
                about=vids.bits,
                edits=[edit for r, more in stray for edit in with_list(r, r.allowed - more)],
            )
