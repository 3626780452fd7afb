"""The native VLAN: the VLAN of untagged frames on a link, one end against the other and against good practice."""

from __future__ import annotations

from collections.abc import Iterator

from inkov.campus import Mode
from inkov.checks.allowed import trunk_groups
from inkov.checks.catalogue import Finding, Severity, Site, rule
from inkov.forwarding import Resolved
from inkov.wiring import Link

_FAMILY = "Native VLAN"
_DEFAULT_VID = 1
_DECIDES = {Mode.TRUNK: "native_vlan", Mode.ACCESS: "access_vlan", Mode.GENERAL: "pvid"}


def _joined(site: Site, number: int, link: Link) -> list[tuple[int, int, bool]]:
    """The VLANs a link joins without a router: (VID at end a, VID at end b, both ways), untagged frames only."""
    ways: dict[tuple[int, int], set[bool]] = {}
    for near in (link.a, link.b):
        for sender in site.fabric.at.get(near, ()):
            for crossing in site.fabric.crossings.get(sender, ()):
                for fold in crossing.folds if crossing.link == number else ():
                    arrives = fold.arrives.bit_length() - 1
                    for leaves in (v for v in range(fold.leaves.bit_length()) if fold.leaves >> v & 1):
                        if leaves != arrives:
                            pair = (leaves, arrives) if near == link.a else (arrives, leaves)
                            ways.setdefault(pair, set()).add(near == link.a)
    return [(a, b, len(directions) == 2) for (a, b), directions in sorted(ways.items())]


def _mismatched(site: Site) -> Iterator[tuple[Link, Resolved, Resolved, list[tuple[int, int, bool]]]]:
    for number, link in enumerate(site.fabric.wiring.links):
        a, b = site.resolved(link.a), site.resolved(link.b)
        if {a.like, b.like} == {Mode.TRUNK, Mode.ACCESS} or Mode.ROUTED in (a.mode, b.mode):
            continue  # trunk-meets-access tells
        joined = _joined(site, number, link)
        if joined:
            yield link, a, b, joined


@rule(
    "untagged-vlan-differs",
    family=_FAMILY,
    severity=Severity.BREACH,
    what="untagged frames are in one VLAN at one end of a link and in another at the other end",
    why="the two VLANs are one network without any router or filter between them",
    cure="state the same native VLAN (or access VLAN) at both ends",
    example="the native VLAN of core-1 port 4 is 99, that of fern-1 port 24 at its other end is 1",
)
def untagged_vlan_differs(site: Site) -> Iterator[Finding]:
    for link, a, b, joined in _mismatched(site):
        parts = []
        for at_a, at_b, both in joined:
            way = "are joined" if both else "are joined, one way only,"
            parts.append(f"VLAN {at_a} of {link.a.device} and VLAN {at_b} of {link.b.device} {way}")
        one, other = _DECIDES.get(a.mode, "mode"), _DECIDES.get(b.mode, "mode")
        vid_a, vid_b = joined[0][:2]
        yield Finding(
            "untagged-vlan-differs", Severity.BREACH,
            f"{'; '.join(parts)} by untagged frames between {link.a} and {link.b}".replace(",,", ","),
            "state the same VLAN for untagged frames at both ends",
            (site.place(a, one, vid_a), site.place(b, other, vid_b)), site.rests_on((a, one), (b, other)),
        )  # fmt: skip


@rule(
    "native-default",
    family=_FAMILY,
    severity=Severity.RISK,
    what="the native VLAN of a trunk is the default VLAN",
    why="every port that nobody assigned is in that VLAN, too: whatever is plugged in there has untagged access to the "
    "trunk, and can hide a second tag behind the first",
    cure="set aside a VLAN that no host is in, and make it the native VLAN at both ends",
    example="neither end of the trunk between core-1 and gate-1 states a native VLAN",
)
def native_default(site: Site) -> Iterator[Finding]:
    told = {end for link, *_ in _mismatched(site) for end in (link.a, link.b)}
    for group in trunk_groups(site):
        ends = [r for r in group if r.native == _DEFAULT_VID and r.view.pvid and r.end not in told]
        if ends:
            verb = "has" if len(ends) == 1 else "have"
            yield Finding(
                "native-default", Severity.RISK,
                f"{' and '.join(str(r.end) for r in ends)} {verb} the default VLAN {_DEFAULT_VID} as native VLAN",
                "make a VLAN that no host is in the native VLAN, at both ends",
                tuple(site.place(r, "native_vlan", _DEFAULT_VID) for r in ends),
                site.rests_on(*((r, "native_vlan") for r in ends)),
            )  # fmt: skip


@rule(
    "native-undefined",
    family=_FAMILY,
    severity=Severity.RISK,
    what="the native VLAN of a trunk is not defined on its switch",
    why="untagged frames are dropped today, and land in a VLAN nobody planned on the day somebody creates the number",
    cure="define the VLAN, or state another native VLAN",
    example="gate-1 port 1 has native VLAN 99, and gate-1 has no VLAN 99",
)
def native_undefined(site: Site) -> Iterator[Finding]:
    for resolved in site.ports():
        native, table = resolved.native, site.fabric.device(resolved.end.device).vlans
        if resolved.like is not Mode.TRUNK or native in (None, _DEFAULT_VID) or table is None:
            continue
        if native not in table:
            yield Finding(
                    "native-undefined", Severity.RISK,
                    f"{resolved.end} has native VLAN {native}, which {resolved.end.device} does not define",
                    f"define VLAN {native} on {resolved.end.device}, or state another native VLAN",
                    (site.place(resolved, "native_vlan", native),), site.rests_on((resolved, "native_vlan")),
                )  # fmt: skip


@rule(
    "native-not-allowed",
    family=_FAMILY,
    severity=Severity.RISK,
    what="the native VLAN of a trunk is not on its allowed list",
    why="the port drops every untagged frame, though its native VLAN promises to take them",
    cure="put the native VLAN on the list, or state that the trunk has none",
    example="gate-1 port 1 has native VLAN 99 and allows 10,20",
)
def native_not_allowed(site: Site) -> Iterator[Finding]:
    for resolved in site.ports():
        native = resolved.native
        if resolved.like is not Mode.TRUNK or native is None or native in resolved.allowed:
            continue
        if resolved.stated.native_vlan is None:
            continue  # nobody asked for one: the trunk has none
        yield Finding(
            "native-not-allowed", Severity.RISK,
            f"{resolved.end} has native VLAN {native}, but allows only VLAN {resolved.allowed}",
            f"allow VLAN {native} at {resolved.end}, or state that it has no native VLAN",
            (site.place(resolved, "native_vlan", native), site.place(resolved, "allowed")),
        )  # fmt: skip
