"""Bundles (IEEE 802.1AX): members that differ from each other or from the bundle, and ends that do
not fit.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from typing import Any

from inkov.campus import Aggregation, Fact, natural
from inkov.checks.catalogue import Found, Severity, Where, finding, rule
from inkov.checks.links import crossing
from inkov.checks.site import Site
from inkov.forwarding import Resolved
from inkov.wiring import End, Link
from inkov.words import agree, both, listed

_FAMILY = "Links and trunks"

_ALIKE = {
    "mode": "mode",
    "access_vlan": "VLAN",
    "native_vlan": "native VLAN",
    "allowed": "allowed list",
    "speed": "speed",
    "mtu": "MTU",
    "aggregation": "way of aggregation",
    "tagged": "tagged VLANs",
    "pvid": "PVID",
}
"""What members must have in common, and with their bundle where both state it."""


def _bundles(site: Site) -> Iterator[tuple[str, Resolved, list[Resolved]]]:
    """(switch, bundle, its members) of the bundles that are up."""
    members_of: dict[End, list[Resolved]] = {}
    for resolved in site.stating("bundle"):
        if resolved.bundle:
            members_of.setdefault(End(resolved.end.device, resolved.bundle), []).append(resolved)
    for end, members in members_of.items():
        # A bundle that is down has no members that could differ.
        if site.resolved(end).up:
            yield end.device, site.resolved(end), members


_UNLIKE = "{name} {value} ({wanted} elsewhere in it)"
_UNLIKE_SILENT = "{name} {value} (the others do not)"


def _odd_members(
    bundle: Resolved, members: list[Resolved], attribute: str
) -> tuple[Fact[Any] | None, list[tuple[Resolved, Fact[Any]]]]:
    """What the members of a bundle should state of an attribute, and those that state otherwise."""
    facts = [(member, getattr(member.stated, attribute)) for member in members]
    stated = [(r, fact) for r, fact in facts if fact is not None and fact.value is not None]
    whole = getattr(bundle.stated, attribute)
    # Nobody says anything of it.
    if not stated:
        return None, []
    # A bundle's speed is the sum of its members'.
    if whole is not None and attribute != "speed":  # a bundle's speed is the sum
        return whole, [(r, fact) for r, fact in stated if fact.value != whole.value]
    # The bundle says nothing: what most members state is what was meant.
    [(value, _)] = Counter(str(fact.value) for _, fact in stated).most_common(1)
    wanted = next(fact for _, fact in stated if str(fact.value) == value)
    odd = [(r, fact) for r, fact in stated if str(fact.value) != value]
    silent = len(stated) < len(members) and attribute not in ("aggregation", "speed", "mtu")
    if not odd and silent:  # some members say nothing of it, nor does the bundle
        odd = stated
    return wanted, odd


@rule(
    "bundle-members-differ",
    family=_FAMILY,
    severity=Severity.RISK,
    what="a member of a bundle has other settings than the other members, or than the bundle",
    why=(
        "the bundle's settings count today; when the member leaves the bundle, or the switch takes"
        " it out for being different, it forwards by its own"
    ),
    cure="give all members the settings of the bundle",
    example="ports 23 and 24 of core-1 are one bundle, and port 24 alone states VLAN 10",
    says="{device}:{port}, in {bundle}, has {what}",
    fix="give all members of {end} the same settings",
)
def bundle_members_differ(site: Site) -> Iterator[Found]:
    for device, bundle, members in _bundles(site):
        odd_ones: dict[str, list[tuple[str, Where]]] = {}
        for attribute, name in _ALIKE.items():
            wanted, odd = _odd_members(bundle, members, attribute)
            for resolved, fact in odd:
                text = _UNLIKE_SILENT if fact is wanted else _UNLIKE
                shown = text.format(name=name, value=fact.value, wanted=wanted and wanted.value)
                where = Where(device, resolved.end.port, None, fact.origin)
                odd_ones.setdefault(resolved.end.port, []).append((shown, where))
        for port, what in odd_ones.items():
            yield finding(
                {
                    "device": device,
                    "port": port,
                    "bundle": bundle.end.port,
                    "what": ", ".join((text for text, _ in what)),
                    "end": bundle.end,
                },
                where=(
                    *(where for _, where in what),
                    Where(device, bundle.end.port, None, bundle.stated.origin),
                ),
                key=(device, port),
            )


@rule(
    "bundle-one-sided",
    family=_FAMILY,
    severity=Severity.FAULT,
    what="the cables of a bundle end at ports that are no bundle",
    why=(
        "one end takes the cables for one link, the other for several: frames loop or are dropped,"
        " and what comes back over the other cable looks as if the host had moved"
    ),
    cure="make a bundle of the ports at the other end, with the same way of aggregation",
    example=(
        "ports 3 and 4 of core-1 are bundle-1, ports 23 and 24 of herbarium-1 at their other ends"
        " are single ports"
    ),
    says="{near_end} is a bundle, and {fars} at its other end {are} not",
    fix="make a bundle of the ports at the other end of {near_end}",
)
def bundle_one_sided(site: Site) -> Iterator[Found]:
    done: dict[End, list[End]] = {}
    # Each link from both ends: either could be the one without a bundle.
    for _, link, a, b in site.links:
        for near, far in ((a, b), (b, a)):
            near_is_bundle = any(end != near.end for end in _ports_of(site, near.end, link))
            theirs = any(end != far.end for end in _ports_of(site, far.end, link))
            how = _aggregation(site, near)
            independent = how is not None and how.value is Aggregation.INDEPENDENT
            # Independent ports need no bundle at the other end.
            if near_is_bundle and not theirs and not independent:
                done.setdefault(near.end, []).append(far.end)
    for near_end, fars in done.items():
        near = site.resolved(near_end)
        yield finding(
            {
                "near_end": near_end,
                "fars": listed([str(far) for far in fars]),
                "are": agree(len(fars), "is", "are"),
            },
            where=(
                Where(near_end.device, near_end.port, None, near.stated.origin),
                *(
                    Where(far.device, far.port, None, site.resolved(far).stated.origin)
                    for far in fars
                ),
            ),
            vlans=near.view.emit & site.served_anywhere,
            key=(near_end,),
        )


@rule(
    "bundle-to-two",
    family=_FAMILY,
    severity=Severity.FAULT,
    what="the cables of a bundle end at two switches that are not cabled to each other",
    why=(
        "two switches answer as one only if they were made a pair, which takes a link between them;"
        " else one of the cables is dead, or frames come back by the other"
    ),
    cure="plug all cables of the bundle into one switch, or make a bundle for each",
    example="port 7 of gate-1 goes to palm-1 and port 8 to palm-2, and both are in bundle b1",
    says="the cables of {end} end at {fars}, which are not cabled to each other",
    fix="is it one bundle? plug all cables of {end} into one switch, or make a bundle for each",
)
def bundle_to_two(site: Site) -> Iterator[Found]:
    beside = {(link.a.device, link.b.device) for link in site.fabric.wiring.links}
    beside |= {(b, a) for a, b in beside}
    for end, links in site.fabric.wiring.of.items():
        # One link: all its cables go to one place.
        if len(links) < 2:
            continue
        fars = list(dict.fromkeys(link.far(end) for link in links))
        devices = {far.device for far in fars}
        cabled = any(any(one != end for one in _ports_of(site, end, link)) for link in links)
        pairs = {(name, other) for name in devices for other in devices if name != other}
        # Two switches that are cabled to each other may be a pair.
        if len(devices) > 1 and cabled and not pairs <= beside and site.resolved(end).up:
            yield finding(
                {"end": end, "fars": both(sorted(devices, key=natural))},
                where=(
                    Where(end.device, end.port, None, site.resolved(end).stated.origin),
                    *(
                        Where(far.device, far.port, None, site.resolved(far).stated.origin)
                        for far in fars
                    ),
                ),
                key=(end,),
            )


def _ports_of(site: Site, end: End, link: Link) -> list[End]:
    """The ports of a link's cables at one of its ends; both may be of one switch."""
    return [one if site.fabric.end_of(*one) == end else other for one, other in link.cables]


@rule(
    "aggregation-differs",
    family=_FAMILY,
    severity=Severity.FAULT,
    what=(
        "the two ends of a bundle do not come together: both only answer, or one uses LACP and the"
        " other no protocol"
    ),
    why=(
        "the bundle does not form, or forms at one end only: the cables are single links, blocked"
        " or looping"
    ),
    cure="let both ends use LACP, at least one of them asking",
    example="bundle-1 of core-1 only answers to LACP, and b1 of herbarium-1 as well: nobody asks",
    says={
        "passive": (
            "the bundle between {a} and {b} does not form: both only answer to LACP, and nobody"
            " asks"
        ),
        "differ": "the bundle between {a} and {b} does not form: {a} is {a_way}, {b} {b_way}",
    },
    fix="let both ends use LACP, at least one of them asking",
)
def aggregation_differs(site: Site) -> Iterator[Found]:
    for joined in site.links:
        ends = [(r, _aggregation(site, r)) for r in (joined.a, joined.b)]
        (a, how_a), (b, how_b) = ends
        # Not a bundle, or nobody says how it comes about.
        if how_a is None or how_b is None:
            continue
        passive = how_a.value is how_b.value is Aggregation.PASSIVE
        plain = {Aggregation.STATIC, Aggregation.INDEPENDENT} & {how_a.value, how_b.value}
        # Both only answer, or one has no protocol and the other has.
        if passive or (plain and how_a.value is not how_b.value):
            yield finding(
                {"a": a.end, "b": b.end, "a_way": how_a.value, "b_way": how_b.value},
                case="passive" if passive else "differ",
                where=tuple(
                    Where(r.end.device, r.end.port, None, how.origin)
                    for r, how in ((a, how_a), (b, how_b))
                ),
                vlans=crossing(site, joined),
            )


def _aggregation(site: Site, bundle: Resolved) -> Fact[Aggregation] | None:
    """How a bundle comes about: stated by itself, or by the first of its members that says so."""
    if bundle.stated.aggregation is not None:
        return bundle.stated.aggregation
    for member in site.stating("aggregation"):
        if member.end.device == bundle.end.device and member.bundle == bundle.end.port:
            return member.stated.aggregation
    return None
