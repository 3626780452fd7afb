"""The native VLAN: the VLAN of untagged frames on a link, one end against the other and against
good practice.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import NamedTuple

from inkov.campus import Accept, Mode
from inkov.checks.catalogue import Found, Severity, Where, finding, rule
from inkov.checks.causes import VlanAbsent
from inkov.checks.site import DEFAULT_VID, EVERYTHING, Site
from inkov.edits import Edit
from inkov.edits.make import allowing, defined, of_port, row_gone
from inkov.forwarding import BridgePort, Fabric, Resolved
from inkov.forwarding.outlets import outside_name
from inkov.vlanset import VlanSet, bit, bits, union
from inkov.wiring import Link
from inkov.words import agree, both, counted, listed

_FAMILY = "Native VLAN"
_DECIDES = {Mode.TRUNK: "native_vlan", Mode.ACCESS: "access_vlan", Mode.GENERAL: "pvid"}


class _Pair(NamedTuple):
    """A VLAN of end a of a link and one of end b that its frames join without a router, in both
    ways or one; by the sub-interface that gives them their tag, None for untagged frames.
    """

    at_a: int
    at_b: int
    mutual: bool
    sub: BridgePort | None


def _joined(site: Site, number: int, link: Link) -> list[_Pair]:
    """The VLANs of different numbers that a link joins. What is behind a sub-interface is in the
    VLAN of its tag, if it was left in the default one (FM 6.8).
    """
    fabric = site.fabric
    ways: dict[tuple[int, int, int], set[bool]] = {}  # by VIDs, and number of a sub-interface
    for near in (link.a, link.b):
        for sender in (fabric.bridge_ports[n] for n in fabric.at.get(near, ())):
            for crossing in fabric.crossings.get(sender.number, ()):
                for translation in crossing.translations if crossing.link == number else ():
                    to = fabric.bridge_ports[translation.to]
                    sub = next((port.number for port in (sender, to) if port.outer), -1)
                    arrives = _called(fabric, to, translation.arrives.bit_length() - 1)
                    for vid in bits(translation.leaves):
                        leaves = _called(fabric, sender, vid)
                        # The same number at both ends joins nothing.
                        if leaves != arrives:
                            pair = (leaves, arrives) if near == link.a else (arrives, leaves)
                            ways.setdefault((*pair, sub), set()).add(near == link.a)
    return [
        _Pair(a, b, len(directions) == 2, fabric.bridge_ports[sub] if sub >= 0 else None)
        for (a, b, sub), directions in sorted(ways.items())
    ]


def _called(fabric: Fabric, port: BridgePort, vid: int) -> int:
    return outside_name(fabric, port.bridge, vid) if port.outer else vid


def _mismatched(
    site: Site,
) -> Iterator[tuple[Link, Resolved, Resolved, list[_Pair]]]:
    """The links that join VLANs by untagged frames."""
    for number, link in enumerate(site.fabric.wiring.links):
        a, b = site.resolved(link.a), site.resolved(link.b)
        # A port of which nobody knows what it does joins nothing for sure.
        if not (a.known and b.known):
            continue
        if {a.effective_mode, b.effective_mode} == {Mode.TRUNK, Mode.ACCESS} or Mode.ROUTED in (
            a.mode,
            b.mode,
        ):
            continue  # trunk-meets-access tells
        joined = [pair for pair in _joined(site, number, link) if pair.sub is None]
        if joined:
            yield link, a, b, joined


def _meets_a_host_port(site: Site, resolved: Resolved) -> bool:
    """True if nothing at the other end of its link takes tags: that is the mistake, and told as
    such.
    """
    fars = [site.resolved(link.far(resolved.end)) for link in site.fabric.wiring.of[resolved.end]]
    return not any(
        far.effective_mode in (Mode.TRUNK, Mode.GENERAL)
        and far.completed.accept is not Accept.UNTAGGED
        for far in fars
    )


_JOINED = "VLAN {a_vlan} of {a} and VLAN {b_vlan} of {b} are joined"
_JOINED_ONE_WAY = f"{_JOINED}, one way only,"


@rule(
    "untagged-vlan-differs",
    family=_FAMILY,
    severity=Severity.BREACH,
    what=(
        "untagged frames, or those of a sub-interface, are in one VLAN at one end of a link and in"
        " another at the other end"
    ),
    why="the two VLANs are one network without any router or filter between them",
    cure="state the same native VLAN (or access VLAN) at both ends",
    example="the native VLAN of core-1 port 4 is 99, that of fern-1 port 24 at its other end is 1",
    says={
        "joined": "{joined} by untagged frames between {a} and {b}",
        "tagged": "{joined} by frames with tag {tag} between {a} and {b}",
        "hosts": "; hosts: {hosts}",
    },
    fix={
        "joined": "state the same VLAN for untagged frames at both ends",
        "tagged": "put {sub} into VLAN {tag}, or give it the tag of the VLAN that is meant",
    },
)
def untagged_vlan_differs(site: Site) -> Iterator[Found]:
    yield from _differing_untagged(site)
    for number, link in enumerate(site.fabric.wiring.links):
        known = site.resolved(link.a).known and site.resolved(link.b).known
        for pair in _joined(site, number, link) if known else ():
            if pair.sub is not None:
                yield _by_tag(site, link, pair, pair.sub)


def _by_tag(site: Site, link: Link, pair: _Pair, sub: BridgePort) -> Found:
    """A sub-interface whose frames are in another VLAN than its tag says."""
    hosts = _who(site, link, pair.at_a, pair.at_b)
    at_sub, far = (pair.at_a, link.b) if sub.end == link.a else (pair.at_b, link.a)
    own, other = site.fabric.resolved(sub), site.resolved(far)
    vid = pair.at_b if far == link.b else pair.at_a
    return finding(
        {
            "joined": _in_words(link, pair),
            "tag": sub.outer,
            "a": link.a,
            "b": link.b,
            "sub": own.end,
            "hosts": hosts,
        },
        case=("tagged", "hosts") if hosts else "tagged",
        where=(
            site.places.of(own, _DECIDES.get(own.mode, "mode"), at_sub),
            site.places.of(other, "allowed" if other.mode is Mode.TRUNK else "mode", vid),
        ),
        vlans=1 << pair.at_a | 1 << pair.at_b,
    )


def _in_words(link: Link, pair: _Pair) -> str:
    return (_JOINED if pair.mutual else _JOINED_ONE_WAY).format(
        a_vlan=pair.at_a, a=link.a.device, b_vlan=pair.at_b, b=link.b.device
    )


def _differing_untagged(site: Site) -> Iterator[Found]:
    for link, a, b, joined in _mismatched(site):
        pairs = [_in_words(link, pair) for pair in joined]
        hosts = _who(site, link, *joined[0][:2])
        one, other = _DECIDES.get(a.mode, "mode"), _DECIDES.get(b.mode, "mode")
        vid_a, vid_b = joined[0][:2]
        mask = union(1 << pair.at_a | 1 << pair.at_b for pair in joined)
        yield finding(
            {"joined": "; ".join(pairs), "a": link.a, "b": link.b, "hosts": hosts},
            case=("joined", "hosts") if hosts else "joined",
            where=(site.places.of(a, one, vid_a), site.places.of(b, other, vid_b)),
            assumes=site.places.assumed_for((a, one), (b, other)),
            vlans=mask,
            edits=_one_native(site, a, b),
        )


def _one_native(site: Site, a: Resolved, b: Resolved) -> list[Edit]:
    """Two trunks with the house's native VLAN, if there is one: else nobody knows which is right.
    What was native at one end, and crosses tagged from now on, stays on the lists.
    """
    house = site.plan.practice.native
    # Without a house rule nobody knows which end is right.
    if house is None or a.mode is not Mode.TRUNK or b.mode is not Mode.TRUNK:
        return []
    ends = [r for r in (a, b) if r.native != house]
    return list(_housed(site, ends, house))


def _who(site: Site, link: Link, vid_a: int, vid_b: int) -> str:
    """The named hosts that are joined, on each side."""
    sides = []
    for device, vid in ((link.a.device, vid_a), (link.b.device, vid_b)):
        bridge = site.fabric.bridge_of.get((device, ""), -1)
        label = site.domains.of(bridge, vid) if bridge >= 0 else -1
        column = site.domains.column.get(vid)
        # A VLAN that no link passes has nobody to be told.
        if label < 0 or column is None:
            continue
        switches = {
            inside.device
            for number, inside in enumerate(site.fabric.bridges)
            if site.domains.label[number, column] == label
        }
        hosts = site.hosts_in(vid, switches)
        if hosts:
            sides.append(f"{listed(hosts)} in VLAN {vid}")
    return both(list(dict.fromkeys(sides)))


@rule(
    "native-default",
    family=_FAMILY,
    severity=Severity.RISK,
    what="the native VLAN of a trunk is the default VLAN",
    why=(
        "every port that nobody assigned is in that VLAN, too: whatever is plugged in there has"
        " untagged access to the trunk, and can hide a second tag behind the first"
    ),
    cure="set aside a VLAN that no host is in, and make it the native VLAN at both ends",
    example="neither end of the trunk between core-1 and gate-1 states a native VLAN",
    says="{ends} {have} the default VLAN {vid} as native VLAN",
    fix={
        "free": "make a VLAN that no host is in the native VLAN, at both ends",
        "host": "which VLAN is whatever is plugged in there to be in, untagged? state that one",
        "house": "state native VLAN {wanted} at both ends, and allow it there",
    },
)
def native_default(site: Site) -> Iterator[Found]:
    mismatched = {end for link, *_ in _mismatched(site) for end in (link.a, link.b)}
    for group in site.trunk_groups:
        ends = [
            r
            for r in group
            if r.native == DEFAULT_VID
            and r.view.pvid
            and r.completed.accept is not Accept.UNTAGGED
            and r.end not in mismatched
        ]
        linked = any(r.end in site.fabric.wiring.of for r in ends)
        # A trunk whose far end takes no tags is mistaken as a whole: told as such.
        if ends and not (linked and all(_meets_a_host_port(site, r) for r in ends)):
            case = "host" if not linked else "house" if site.plan.practice.native else "free"
            yield finding(
                {
                    "ends": both([r.end for r in ends]),
                    "have": agree(len(ends), "has", "have"),
                    "vid": DEFAULT_VID,
                    "wanted": site.plan.practice.native,
                },
                case=case,
                where=tuple(site.places.of(r, "native_vlan", DEFAULT_VID) for r in ends),
                assumes=site.places.assumed_for(*((r, "native_vlan") for r in ends)),
                edits=_housed(site, ends, site.plan.practice.native or 0)
                if case == "house"
                else (),
            )


@rule(
    "native-undefined",
    family=_FAMILY,
    severity=Severity.RISK,
    what="the native VLAN of a trunk is not defined on its switch",
    why=(
        "untagged frames are dropped today, and land in a VLAN nobody planned on the day somebody"
        " creates the number"
    ),
    cure="define the VLAN, or state another native VLAN",
    example="gate-1 port 1 has native VLAN 99, and gate-1 has no VLAN 99",
    says="{end} has native VLAN {native}, which {device} does not define",
    fix="define VLAN {native} on {device}, or state another native VLAN",
)
def native_undefined(site: Site) -> Iterator[Found]:
    for resolved in site.trunks:
        native, table = resolved.native, site.defined(resolved.end.device)
        # VLAN 1 is there without being defined.
        if native not in (None, DEFAULT_VID) and table is not None and native not in table:
            yield finding(
                {"end": resolved.end, "native": native, "device": resolved.end.device},
                where=(site.places.of(resolved, "native_vlan", native),),
                assumes=site.places.assumed_for((resolved, "native_vlan")),
                cause=VlanAbsent(native or 0, resolved.end.device),
                edits=defined(
                    site.fabric.campus, site.fabric.device(resolved.end.device), native or 0
                ),
            )


@rule(
    "native-not-allowed",
    family=_FAMILY,
    severity=Severity.RISK,
    what="the native VLAN of a trunk is not on its allowed list",
    why="the port drops every untagged frame, though its native VLAN promises to take them",
    cure="put the native VLAN on the list, or state that the trunk has none",
    example="gate-1 port 1 has native VLAN 99 and allows 10,20",
    says="{end} has native VLAN {native}, but allows only VLAN {allowed}",
    fix="allow VLAN {native} at {end}, or state that it has no native VLAN",
)
def native_not_allowed(site: Site) -> Iterator[Found]:
    for resolved in site.trunks:
        native = resolved.native
        if native is None or native in resolved.allowed:
            continue
        if resolved.stated.native_vlan is None:
            continue  # nobody asked for one: the trunk has none
        yield finding(
            {"end": resolved.end, "native": native, "allowed": resolved.allowed},
            where=(
                site.places.of(resolved, "native_vlan", native),
                site.places.of(resolved, "allowed"),
            ),
            edits=_allowing(resolved, resolved.allowed | VlanSet.of(native)),
        )


def _allowing(resolved: Resolved, after: VlanSet) -> list[Edit]:
    return allowing(resolved.end.device, resolved.stated, resolved.completed.allowed, after)


@rule(
    "native-has-hosts",
    family=_FAMILY,
    severity=Severity.RISK,
    what="hosts are in a VLAN that is the native VLAN of trunks",
    why=(
        "a host there can hide a second tag behind the first: where the frame leaves a trunk"
        " untagged, the hidden tag counts, and the frame is in another VLAN"
    ),
    cure="set aside a VLAN that no host is in, and make it the native VLAN of all trunks",
    example="VLAN 50 is native on the trunk from core-1 to gate-1, and tills are in it",
    says="VLAN {vid} is native on {trunk_count} ({trunks}), and {count} {are} in it ({ports})",
    fix={
        "free": "make a VLAN that no host is in the native VLAN of these trunks",
        "house": "move {ports}: into which VLAN? {vid} is the house's native VLAN",
    },
)
def native_has_hosts(site: Site) -> Iterator[Found]:
    trunks: dict[int, list[Resolved]] = {}
    for resolved in site.trunks:
        tagged = resolved.view.emit & ~resolved.view.untagged
        # Only where the native VLAN leaves untagged can a hidden tag show.
        if (
            resolved.view.pvid not in (0, DEFAULT_VID)
            and resolved.view.untagged
            and tagged
            and resolved.end in site.fabric.wiring.of
            and site.in_use(resolved)
        ):
            trunks.setdefault(resolved.view.pvid, []).append(resolved)
    hosts: dict[int, list[Resolved]] = {}
    for resolved in site.host_ports:
        # A host port that is a trunk hears all VLANs: it is not in this one.
        if resolved.effective_mode is not Mode.TRUNK and resolved.view.pvid in trunks:
            hosts.setdefault(resolved.view.pvid, []).append(resolved)
    mismatched = {end for link, *_ in _mismatched(site) for end in (link.a, link.b)}
    for vid, ports in sorted(hosts.items()):
        ends = [  # others are told as such: untagged-vlan-differs, trunk-meets-access
            r for r in trunks[vid] if r.end not in mismatched and not _meets_a_host_port(site, r)
        ]
        homes = {r.end.device for r in ports}
        # The trunks of the switches where the hosts are; of others one is enough.
        near = [r for r in ends if r.end.device in homes] or ends[:1]
        if ends:
            yield finding(
                {
                    "vid": vid,
                    "trunk_count": counted(len(ends), "trunk"),
                    "trunks": listed([str(r.end) for r in ends]),
                    "count": counted(len(ports), "host port"),
                    "are": agree(len(ports), "is", "are"),
                    "ports": listed([str(r.end) for r in ports]),
                },
                case="house" if vid == site.plan.practice.native else "free",
                where=(
                    *(site.places.of(r, "access_vlan", vid) for r in ports),
                    *(site.places.of(r, "native_vlan", vid) for r in near),
                ),
                key=(vid, *(r.end for r in ports)),
                vlans=1 << vid,
            )


@rule(
    "native-against-practice",
    family=_FAMILY,
    severity=Severity.RISK,
    what="the native VLAN of a trunk is not the one that the plan's house rule names",
    why=(
        "one exception is the next mismatch: whoever connects a switch there expects the house's"
        " native VLAN"
    ),
    cure="state the house's native VLAN at both ends, and allow it there",
    example="the plan says native: 99, and the trunk from palm-1 to orchard-1 has native VLAN 98",
    says="{ends} {have} native VLAN {natives}; the house's native VLAN is {wanted}",
    fix="state native VLAN {wanted} at both ends, and allow it there",
)
def native_against_practice(site: Site) -> Iterator[Found]:
    wanted = site.plan.practice.native
    mismatched = {end for link, *_ in _mismatched(site) for end in (link.a, link.b)}
    # Without a house rule no native VLAN is wrong.
    for group in site.trunk_groups if wanted else ():
        ends = [
            r
            for r in group
            if r.native not in (None, wanted, DEFAULT_VID)
            and r.end not in mismatched
            and r.end in site.fabric.wiring.of  # access points have a native VLAN of their own
        ]
        if ends:
            yield finding(
                {
                    "ends": both([r.end for r in ends]),
                    "have": agree(len(ends), "has", "have"),
                    "natives": both(sorted({str(r.native) for r in ends})),
                    "wanted": wanted,
                },
                where=(
                    *(site.places.of(r, "native_vlan", r.native) for r in ends),
                    Where("", None, wanted, site.plan.practice.origin),
                ),
                key=tuple(str(r.end) for r in ends),
                edits=_housed(site, ends, wanted or 0),
            )


def _housed(site: Site, ends: Iterable[Resolved], wanted: int) -> Iterator[Edit]:
    """The house's native VLAN at some ends. The one before goes off their lists if nobody is in
    it, and from their switches if it was there for these ends alone.
    """
    ends = list(ends)
    for resolved in ends:
        switch, port, old = resolved.end.device, resolved.stated, resolved.native
        yield from defined(site.fabric.campus, site.fabric.device(switch), wanted)
        yield of_port(switch, port, "native_vlan", wanted)
        # It goes off the lists only if nobody is in it.
        idle = bit(old or 0) & ~site.served_anywhere
        allowed = (resolved.allowed - VlanSet(idle)) | VlanSet.of(wanted)
        yield from allowing(switch, port, resolved.allowed, allowed)
        # From the switch as well, if the plan does not know it and no other port has it.
        if idle and old not in (None, DEFAULT_VID) and old not in site.plan.vlans:
            others = (r for r in site.every_port if r.end.device == switch and r not in ends)
            if not any(_has(far_port, old) for far_port in others):
                yield from row_gone(site.fabric.device(switch), old)


def _has(resolved: Resolved, vid: int) -> bool:
    """Whether a port has a VLAN because somebody said so."""
    listed = resolved.stated.allowed
    return vid in (resolved.native, resolved.access) or (
        listed is not None and vid in listed.value and listed.value != EVERYTHING
    )


@rule(
    "native-tagged-at-one-end",
    family=_FAMILY,
    severity=Severity.FAULT,
    what="one end of a trunk tags its native VLAN, the other end sends it untagged",
    why=(
        "an end that tags its native VLAN may drop what comes untagged, and the other may drop what"
        " comes tagged: the VLAN crosses by luck, and stops with the next release"
    ),
    cure="tag the native VLAN at both ends, or at neither",
    example="core-1 port 3 tags its native VLAN 99, and gate-1 port 1 does not",
    says="{tagging} tags its native VLAN {pvid}, and {other} at its other end does not",
    fix="tag the native VLAN at both ends, or at neither",
)
def native_tagged_at_one_end(site: Site) -> Iterator[Found]:
    for _, _, a, b in site.trunk_links:
        tags = a.completed.native_tagged, b.completed.native_tagged
        # Native VLANs that differ are another finding.
        if (
            a.mode is b.mode is Mode.TRUNK
            and a.view.pvid
            and a.view.pvid == b.view.pvid
            and tags[0] != tags[1]
        ):
            tagging, other = (a, b) if tags[0] else (b, a)
            yield finding(
                {"tagging": tagging.end, "pvid": a.view.pvid, "other": other.end},
                where=(
                    site.places.of(tagging, "native_tagged", a.view.pvid),
                    site.places.of(other, "native_tagged", b.view.pvid),
                ),
                vlans=1 << a.view.pvid & site.served_anywhere,
            )
