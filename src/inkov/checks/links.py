"""Links: ends that do not fit each other, and reports about cables that do not agree."""

from __future__ import annotations

import re
from collections.abc import Iterator

from inkov.campus import Accept, Mode
from inkov.campus.secrets import without_secrets
from inkov.checks.catalogue import Found, Severity, Where, finding, rule
from inkov.checks.causes import LinkFails
from inkov.checks.negotiation import talked
from inkov.checks.site import EVERYTHING, Joined, Site
from inkov.edits import Edit
from inkov.edits.make import like_trunk
from inkov.forwarding import Resolved
from inkov.forwarding.negotiation import negotiates
from inkov.forwarding.reach import owned_tags
from inkov.vlanset import bit, bits_to_text

_FAMILY = "Links and trunks"


@rule(
    "trunk-meets-access",
    family=_FAMILY,
    severity=Severity.FAULT,
    what="one end of a link is a trunk, the other an access port",
    why=(
        "the access end takes untagged frames only: every tagged VLAN is lost, and the trunk's"
        " native VLAN is joined with the access VLAN"
    ),
    cure=(
        "make both ends trunks with the same list and native VLAN, or both access ports of the same"
        " VLAN"
    ),
    example="core-1 port 3 is a trunk, gate-1 port 1 at its other end an access port in VLAN 10",
    says={
        "meets": (
            "{trunk} is a trunk, but {access} at its other end is an access port in VLAN"
            " {access_vlan}: "
        ),
        "joined": "VLAN {native} and VLAN {access_vlan} are joined, and ",
        "one lost": "VLAN {lost} is lost",
        "lost": "VLAN {lost} are lost",
        "all lost": "all tagged VLANs are lost",
    },
    fix="make {access} a trunk like {trunk}, or {trunk} an access port",
)
def trunk_meets_access(site: Site) -> Iterator[Found]:
    for joined in site.links:
        # Ends that negotiate and do not agree: negotiation-fails tells.
        if {joined.a.effective_mode, joined.b.effective_mode} != {
            Mode.TRUNK,
            Mode.ACCESS,
        } or talked(joined):
            continue
        trunk, access = (
            (joined.a, joined.b) if joined.a.effective_mode is Mode.TRUNK else (joined.b, joined.a)
        )
        native, vid = trunk.view.pvid, access.view.pvid
        # Joined only if the trunk sends its native VLAN untagged: tagged, it is dropped.
        joins = bool(native and vid and native != vid and trunk.view.untagged)
        lost = trunk.view.emit & ~trunk.view.untagged & site.served_anywhere
        # A trunk left at everything names nothing that could be lost.
        listed_ones = trunk.allowed != EVERYTHING and lost
        loss = "all lost" if not listed_ones else "one lost" if lost.bit_count() == 1 else "lost"
        yield finding(
            {
                "trunk": trunk.end,
                "access": access.end,
                "access_vlan": vid or "?",
                "native": native,
                "lost": bits_to_text(lost),
            },
            case=("meets", "joined", loss) if joins else ("meets", loss),
            where=(
                site.places.of(trunk, "mode", trunk.view.pvid or None),
                site.places.of(access, "mode", access.view.pvid or None),
            ),
            assumes=site.places.assumed_for((trunk, "mode"), (access, "mode")),
            severity=Severity.BREACH if joins else Severity.FAULT,
            vlans=(bit(native) | bit(vid) if joins else 0) | lost,
            cause=LinkFails(joined.link),
            edits=_as_its_far_end(site, access, trunk, lost),
        )


def _as_its_far_end(site: Site, access: Resolved, trunk: Resolved, lost: int) -> list[Edit]:
    """An access port as the trunk at its other end, if its switch has a VLAN that is lost: else
    it may be the trunk that is wrong.
    """
    # A list left at everything tells nothing, and a switch without any of the VLANs may not be
    # meant to have them.
    if trunk.allowed == EVERYTHING or not lost & site.fabric.live[access.end.device]:
        return []
    now, then = ((r.completed.allowed, r.completed.native_vlan) for r in (access, trunk))
    talks = negotiates(access.completed)
    return like_trunk(access.end.device, access.stated, now, then, negotiates=talks)


@rule(
    "tagging-differs",
    family=_FAMILY,
    severity=Severity.FAULT,
    what="one end of a link sends a VLAN tagged, the other end sends it untagged",
    why=(
        "what one end sends, the other drops or puts elsewhere: the VLAN does not cross, or in one"
        " direction only"
    ),
    cure="tag the VLAN at both ends, or at neither",
    example="core-1 port 4 sends VLAN 20 tagged, and pond-1 port 24 sends it untagged",
    says="{untagged_end} sends VLAN {vids} untagged, and {tagged_end} sends it tagged",
    fix={
        "either": "tag VLAN {vids} at both ends, or at neither",
        "several": "tag VLAN {vids} at both ends",
        "access": "send VLAN {vids} untagged at both ends",
        "private": (
            "which end is right? make {untagged_end} a trunk, or send VLAN {vids} untagged at"
            " {tagged_end}"
        ),
    },
)
def tagging_differs(site: Site) -> Iterator[Found]:
    for _, _, a, b in site.links:
        # A trunk that meets an access port is another mistake, as is a routed end.
        if Mode.ROUTED in (a.mode, b.mode) or {a.effective_mode, b.effective_mode} == {
            Mode.TRUNK,
            Mode.ACCESS,
        }:
            continue
        if (
            a.completed.native_tagged != b.completed.native_tagged
            and a.mode is b.mode is Mode.TRUNK
        ):
            continue  # native-tagged-at-one-end tells
        shared = a.view.emit & b.view.emit
        differ = 0
        for near, far in ((a, b), (b, a)):
            untagged = near.view.untagged & ~far.view.untagged & shared
            arrives = bit(far.view.pvid)
            differ |= (
                untagged if not arrives or untagged & arrives else 0
            )  # else untagged-vlan-differs tells
        if differ:
            untagged_end, tagged_end = (a, b) if a.view.untagged & differ else (b, a)
            vids = bits_to_text(differ)
            yield finding(
                {"untagged_end": untagged_end.end, "vids": vids, "tagged_end": tagged_end.end},
                case=_as_they_can_tag(untagged_end, tagged_end, differ),
                where=(
                    site.places.of(untagged_end, "native_vlan"),
                    site.places.of(tagged_end, "allowed"),
                ),
                vlans=differ,
            )


def _as_they_can_tag(untagged_end: Resolved, tagged_end: Resolved, vids: int) -> str:
    """The case of the cure: an access port tags nothing but its voice VLAN, no port takes two VLANs
    untagged, nor any where it takes tagged frames only.
    """
    mode, accept = untagged_end.effective_mode, untagged_end.completed.accept
    voice = tagged_end.effective_mode is Mode.ACCESS
    # Ports of private VLANs tag by rules of their own.
    if mode not in (Mode.ACCESS, Mode.TRUNK, Mode.GENERAL) or (voice and mode is Mode.ACCESS):
        return "private"
    if mode is Mode.ACCESS:
        return "access"
    tagged_only = mode is Mode.GENERAL and accept is Accept.TAGGED
    return "several" if voice or tagged_only or vids.bit_count() > 1 else "either"


@rule(
    "trunk-to-nobody",
    family=_FAMILY,
    severity=Severity.RISK,
    what="a trunk has nobody known at its other end",
    why="whoever plugs in there is in every VLAN of its list, with whatever tags they like",
    cure=(
        "shut the port, make it an access port, or write into a cabling or host table what is there"
    ),
    example="core-1 port 12 is a trunk that allows 10,20,30, and no neighbour is heard there",
    says="{end} is a trunk that lets VLAN {carried} through, and nobody is known at its other end",
    fix="shut {end}, or write into a cabling or host table what is there",
)
def trunk_to_nobody(site: Site) -> Iterator[Found]:
    of = site.fabric.wiring.of
    for resolved in site.trunks:
        end, tagged = resolved.end, resolved.view.emit & ~resolved.view.untagged
        if resolved.mode is Mode.GENERAL and resolved.view.untagged and tagged.bit_count() == 1:
            continue  # a socket with a voice VLAN, by another name
        if tagged and end not in of and end not in site.outside and end not in site.hosts_at:
            yield finding(
                {"end": end, "carried": bits_to_text(resolved.view.emit)},
                where=(site.places.of(resolved, "mode"),),
                assumes=site.places.assumed_for((resolved, "mode")),
                about=resolved.view.emit,
            )


@rule(
    "access-port-to-switch",
    family=_FAMILY,
    severity=Severity.NOTE,
    what="a link between two switches is an access port at both ends",
    why=(
        "it carries one VLAN only, and whoever changes the port as if a host were there cuts off a"
        " switch"
    ),
    cure="make it a trunk that allows what is needed, or say in the description that it is meant",
    example="barn-1 port 9 and core-1 port 18 are cabled together, both access ports in VLAN 20",
    says="{a} and {b} are cabled together, both access ports in VLAN {vid}",
    fix="is it meant? say so in the descriptions, or make both ends trunks",
)
def access_port_to_switch(site: Site) -> Iterator[Found]:
    for joined in site.links:
        a, b = joined.a, joined.b
        if (
            a.effective_mode is b.effective_mode is Mode.ACCESS
            and a.view.pvid == b.view.pvid
            and a.end.device != b.end.device  # a loop, told as such
            and not talked(joined)
        ):
            yield finding(
                {"a": a.end, "b": b.end, "vid": a.view.pvid or "?"},
                where=(
                    site.places.of(a, "access_vlan", a.view.pvid or None),
                    site.places.of(b, "access_vlan", b.view.pvid or None),
                ),
                cause=LinkFails(joined.link),
            )


_TRUNKISH = re.compile(r"\b(trunk|uplink|downlink|interswitch)\b", re.IGNORECASE)


@rule(
    "trunk-expected",
    family=_FAMILY,
    severity=Severity.FAULT,
    what="the description of a port says that it is a trunk, and it is an access port",
    why=(
        "the other end sends tagged frames that this port drops; or the description is stale, and"
        " the next engineer errs"
    ),
    cure="make the port a trunk, or correct the description",
    example="gate-1 port 23 is described as 'uplink to core-2', and is an access port in VLAN 1",
    says="{end} is described as {about!r}, and is an access port in VLAN {vid}",
    fix="is it a trunk? make {end} one, or correct its description",
)
def trunk_expected(site: Site) -> Iterator[Found]:
    of = site.fabric.wiring.of
    names = {device.name.lower() for device in site.devices}
    for resolved, about in site.described:
        text = about.value
        # A description that leads nowhere says nothing of a trunk; a port with a known link needs
        # none.
        if (
            not (text[:3].lower() == "to " or _TRUNKISH.search(text))
            or not resolved.up
            or resolved.end in of
        ):
            continue
        words = text.lower().split()
        # What it is described as, it is.
        if resolved.effective_mode is not Mode.ACCESS:
            continue
        # "to core-1" counts if core-1 is a switch.
        if _TRUNKISH.search(about.value) or (
            words[:1] == ["to"] and words[1:2] and words[1].strip(",.;:") in names
        ):
            yield finding(
                {
                    "end": resolved.end,
                    "about": without_secrets(about.value),
                    "vid": resolved.view.pvid or "?",
                },
                where=(
                    site.places.of(resolved, "mode", resolved.view.pvid or None),
                    Where(resolved.end.device, resolved.end.port, None, about.origin),
                ),
                assumes=site.places.assumed_for((resolved, "mode")),
            )


def crossing(site: Site, joined: Joined) -> int:
    """The VLANs with anybody in them that a link passes either way, as a mask: those whom a fault
    of it touches.
    """
    return (joined.a.view.emit | joined.b.view.emit) & site.served_anywhere


# --- layer 1, where it is read --------------------------------------------------------------------


@rule(
    "mtu-differs",
    family=_FAMILY,
    severity=Severity.FAULT,
    what="the two ends of a link have different MTUs",
    why="small frames pass and large ones vanish: pings succeed, and transfers hang",
    cure="set the same MTU at both ends",
    example="core-1 port 3 has MTU 9000, and gate-1 port 1 has MTU 1500",
    says="{differences} octets",
    fix="set the same MTU at both ends",
)
def mtu_differs(site: Site) -> Iterator[Found]:
    yield from _differ(site, "mtu", "{a} has MTU {mine}, and {b} at its other end {its}")


@rule(
    "speed-differs",
    family=_FAMILY,
    severity=Severity.FAULT,
    what="the two ends of a link are set to different speeds",
    why="the link does not come up, or comes up at a speed that nobody planned",
    cure="set the same speed at both ends, or leave it to negotiation at both",
    example="core-1 port 3 is set to 10000 Mbit/s, and gate-1 port 1 to 1000",
    says="{differences} Mbit/s",
    fix="set the same speed at both ends",
)
def speed_differs(site: Site) -> Iterator[Found]:
    yield from _differ(site, "speed", "{a} has speed {mine}, and {b} at its other end {its}")


def _differ(site: Site, attribute: str, difference: str) -> Iterator[Found]:
    """The links whose ends state two values; `difference` is the piece of text for each cable."""
    stating = {resolved.end for resolved in site.stating(attribute)}
    # Most campuses state neither: nothing to compare.
    for joined in site.links if stating else ():
        parts, places = [], []
        for pair in joined.link.cables:
            # Both ends of a cable must state it.
            if stating.issuperset(pair):
                facts = [getattr(site.resolved(end).stated, attribute) for end in pair]
                if facts[0].value != facts[1].value:
                    values = {"mine": facts[0].value, "its": facts[1].value}
                    parts.append(difference.format(a=pair[0], b=pair[1], **values))
                    places += [
                        Where(*end, None, fact.origin)
                        for end, fact in zip(pair, facts, strict=True)
                    ]
        if parts:
            yield finding(
                {"differences": "; ".join(parts)},
                where=tuple(places),
                vlans=crossing(site, joined),
            )


@rule(
    "cabled-otherwise",
    family=_FAMILY,
    severity=Severity.RISK,
    what="the description of a port names another switch than the one it is cabled to",
    why=(
        "who works by the description shuts the wrong link; and if two are crossed, each carries"
        " what was meant for the other"
    ),
    cure="plug the cable where the description says, or correct the description",
    example="gate-1 port 1 is described as uplink to palm-a, and is cabled to palm-b",
    says="{end} is described as {about!r}, and is cabled to {far}",
    fix="which is right? plug {end} where its description says, or correct that",
)
def cabled_otherwise(site: Site) -> Iterator[Found]:
    names = {device.name.lower(): device.name for device in site.devices}
    fabric = site.fabric
    for resolved, about in site.described:
        end = fabric.end_of(*resolved.end) if resolved.bundle else resolved.end
        links = fabric.wiring.of.get(end, ())
        # Several links at a port: which is meant is not known.
        if len(links) != 1:
            continue
        named = {names[word] for word in _WORDS.findall(about.value.lower()) if word in names}
        far = links[0].far(end)
        own = {resolved.end.device, far.device}
        told = _LEADS.search(about.value) or about.value.lower() in names
        # One other switch is named, and it is not the one that is there.
        if told and len(named - {resolved.end.device}) == 1 and not named & {far.device}:
            yield finding(
                {"end": resolved.end, "about": about.value, "far": far},
                where=(
                    site.places.of(resolved, "description"),
                    Where(far.device, far.port, None, site.resolved(far).stated.origin),
                ),
                key=(str(resolved.end), *sorted(own | named)),
            )


_LEADS = re.compile(r"\b(to|from|uplink|downlink|link|trunk)\b", re.IGNORECASE)
_WORDS = re.compile(r"[a-z0-9][\w.-]*[\w]")


@rule(
    "trunk-meets-routed",
    family=_FAMILY,
    severity=Severity.FAULT,
    what="a trunk ends at a routed port that has no sub-interface for any of its VLANs",
    why="the routed port drops whatever is tagged: all VLANs of the trunk end there",
    cure="make the routed port a trunk, or give it sub-interfaces; or make the trunk an access one",
    example="gate-1 port 1 is a trunk for VLAN 10 and 20, and core-1 port 3 at its end is routed",
    says=(
        "{trunk} is a trunk, and {routed} at its other end is a routed port without sub-interfaces:"
        " VLAN {lost} is lost"
    ),
    fix=(
        "which end is right? make {routed} a trunk, or give it sub-interfaces; or make {trunk} an"
        " access port"
    ),
)
def trunk_meets_routed(site: Site) -> Iterator[Found]:
    for _, link, a, b in site.links:
        for trunk, routed in ((a, b), (b, a)):
            tagged = trunk.view.emit & ~trunk.view.untagged
            # Untagged frames alone may well be meant for a routed port.
            if routed.mode is not Mode.ROUTED or trunk.mode is Mode.ROUTED or not tagged:
                continue
            # Its sub-interfaces take the tags.
            if owned_tags(site.fabric, routed.end):
                continue
            yield finding(
                {"trunk": trunk.end, "routed": routed.end, "lost": bits_to_text(tagged)},
                where=(site.places.of(trunk, "mode"), site.places.of(routed, "mode")),
                cause=LinkFails(link),
                vlans=tagged & site.served_anywhere,
            )
