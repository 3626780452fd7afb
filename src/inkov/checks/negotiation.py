"""Negotiation: ports that decide by themselves whether they are trunks, and what comes of it
(FM 1.3 to 1.5).
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from inkov.campus import Basis, Mode, Negotiation
from inkov.checks.catalogue import Found, Severity, finding, rule
from inkov.checks.causes import LinkFails
from inkov.checks.site import Joined, Site
from inkov.edits import Edit
from inkov.edits.make import decided
from inkov.forwarding import Resolved
from inkov.forwarding.negotiation import negotiates
from inkov.vlanset import bit, bits_to_text
from inkov.words import agree, both, counted, listed

_FAMILY = "Negotiation"


def talked(joined: Joined) -> list[Resolved]:
    """The ends of a link that would be trunks if the far end let them, and are access ports."""
    ends = [r for r in (joined.a, joined.b) if negotiates(r.completed)]
    # Both became trunks: all is well.
    if joined.a.mode is Mode.TRUNK and joined.b.mode is Mode.TRUNK:
        return []
    # Two that negotiate and did not agree, or one that a fixed trunk does not answer.
    if len(ends) == 2 or (ends and Mode.TRUNK in (joined.a.mode, joined.b.mode)):
        return [r for r in ends if r.mode is Mode.ACCESS]
    return []


def _by_default(site: Site, resolved: Resolved) -> bool:
    return site.places.fact(resolved, "negotiation").origin.basis is not Basis.STATED


@rule(
    "negotiation-fails",
    family=_FAMILY,
    severity=Severity.FAULT,
    what="negotiation makes a link an access link at one end or both, where a trunk is meant",
    why=(
        "both ends wait to be asked, or one asks and nobody answers: all tagged VLANs are lost, and"
        " where the other end is a trunk its native VLAN is joined with the access VLAN"
    ),
    cure="fix both ends as trunks, without negotiation",
    example="core-1 port 3 and gate-1 port 1 both wait to be asked: neither becomes a trunk",
    says={
        "both wait": "{a} and {b} both wait to be asked: neither becomes a trunk",
        "no answer": (
            "{end} is {way} and {trunk} a trunk that does not answer: {end} becomes an access port"
            " in VLAN {access_vlan}"
        ),
        "joined": ", and VLAN {native} and VLAN {access_vlan} are joined",
        "default": " (by the default of {platforms})",
    },
    fix={
        "trunks": "make {a} and {b} fixed trunks with the same list and native VLAN",
        "keep": ", and VLAN {kept}, which crosses now, on the list",
    },
)
def negotiation_fails(site: Site) -> Iterator[Found]:
    for joined in site.links:
        failed = talked(joined)
        if not failed:
            continue
        a, b = joined.a, joined.b
        lost = site.needs[joined.number] | ((a.view.emit | b.view.emit) & site.served_anywhere)
        trunk = next((r for r in (a, b) if r.mode is Mode.TRUNK), None)
        case, joins = ["both wait" if trunk is None else "no answer"], 0
        # What crosses untagged now must still cross when both are trunks.
        crosses = a.view.emit & bit(b.view.pvid) | b.view.emit & bit(a.view.pvid)
        kept = crosses & ~(a.completed.allowed & b.completed.allowed).bits
        words: dict[str, object] = {"a": a.end, "b": b.end, "kept": bits_to_text(kept)}
        if trunk is not None:
            link = failed[0]
            native, vid = trunk.view.pvid, link.view.pvid
            words |= {"end": link.end, "way": link.completed.negotiation, "trunk": trunk.end}
            words |= {"native": native, "access_vlan": vid or "?"}
            # An end that is no trunk joins its VLAN with the native one.
            if native and vid and native != vid and trunk.view.untagged:
                joins = 1 << native | 1 << vid
                case.append("joined")
        by_default = {_platform(site, r) for r in failed if _by_default(site, r)}
        if by_default:
            words["platforms"] = listed(sorted(by_default))
            case.append("default")
        yield finding(
            words,
            case=(*case, "trunks", *(["keep"] if kept else [])),
            where=(site.places.of(a, "negotiation"), site.places.of(b, "negotiation")),
            assumes=site.places.assumed_for(*((r, "negotiation") for r in failed)),
            severity=Severity.BREACH if joins else Severity.FAULT,
            vlans=joins | lost,
            cause=LinkFails(joined.link),
        )


@rule(
    "negotiation-defaults-differ",
    family=_FAMILY,
    severity=Severity.RISK,
    what="neither end of a link states how it negotiates, and the platforms' defaults differ",
    why=(
        "when one of the two is replaced by another make, the link may fall back to an access link"
        " by itself"
    ),
    cure="state at both ends that the port is a trunk and does not negotiate",
    example="core-1 asks by default, gate-1 waits by default: today they agree on a trunk",
    says=(
        "neither {a} nor {b} states how it negotiates: the default of {a_platform} is {a_way}, that"
        " of {b_platform} is {b_way}"
    ),
    fix="make both ends fixed trunks, without negotiation",
)
def negotiation_defaults_differ(site: Site) -> Iterator[Found]:
    for a, b in _resting(site):
        # Where one end alone rests on a default, negotiation-by-default tells.
        if (
            a is not None
            and b is not None
            and a.completed.negotiation is not b.completed.negotiation
        ):
            yield finding(
                {
                    "a": a.end,
                    "b": b.end,
                    "a_platform": _platform(site, a),
                    "a_way": a.completed.negotiation,
                    "b_platform": _platform(site, b),
                    "b_way": b.completed.negotiation,
                },
                where=(site.places.of(a, "negotiation"), site.places.of(b, "negotiation")),
                assumes=site.places.assumed_for((a, "negotiation"), (b, "negotiation")),
                edits=_fixed((a, b)),
            )


@rule(
    "negotiation-by-default",
    family=_FAMILY,
    severity=Severity.RISK,
    what="a link is a trunk or not by a default of negotiation that nobody stated",
    why="another release or another make has another default, and the link changes with it",
    cure="state at both ends that the port is a trunk and does not negotiate",
    example=(
        "gate-1 port 1 states nothing, and became a trunk because core-1 asked and gate-1's make"
        " answers by default"
    ),
    says="{ends} became {what} by negotiation, {negotiation} by the default of {whose}",
    fix="make both ends fixed trunks, without negotiation",
)
def negotiation_by_default(site: Site) -> Iterator[Found]:
    for a, b in _resting(site):
        ends = [r for r in (a, b) if r is not None]
        # Alike by default: one finding for both; different ones are told above.
        if len(ends) == 1 or ends[0].completed.negotiation is ends[1].completed.negotiation:
            whose = listed(sorted({_platform(site, r) for r in ends}))
            yield finding(
                {
                    "ends": both([r.end for r in ends]),
                    "what": "trunks" if len(ends) > 1 else ends[0].mode,
                    "negotiation": ends[0].completed.negotiation,
                    "whose": whose,
                },
                where=tuple(site.places.of(r, "negotiation") for r in ends),
                assumes=site.places.assumed_for(*((r, "negotiation") for r in ends)),
                edits=_fixed(ends),
            )


def _fixed(ends: Iterable[Resolved]) -> list[Edit]:
    """Ports that stay what they negotiated, and negotiate no more."""
    return [edit for r in ends for edit in decided(r.end.device, r.stated, r.effective_mode)]


def _resting(site: Site) -> Iterator[tuple[Resolved | None, Resolved | None]]:
    """The links that negotiated well, with the ends whose way to do so is a default (None for
    others).
    """
    for joined in site.links:
        if not talked(joined):
            ends = [
                r if negotiates(r.completed) and _by_default(site, r) else None
                for r in (joined.a, joined.b)
            ]
            if any(ends):
                yield ends[0], ends[1]


@rule(
    "negotiation-on",
    family=_FAMILY,
    severity=Severity.NOTE,
    what="the ends of a link negotiate whether it is a trunk",
    why=(
        "the link is what it is as long as both ends agree; a new switch, a reset or a guest at the"
        " cable changes it"
    ),
    cure="make both ends fixed trunks that do not negotiate",
    example="core-1 port 3 asks to be a trunk, and gate-1 port 1 agrees",
    says={
        "on": "{ends} {negotiate} whether to be a trunk",
        "house": "; the house rule is that no port does",
    },
    fix={
        "trunk": "make both ends fixed trunks, without negotiation",
        "access": "make {ends} a fixed access port, without negotiation",
    },
)
def negotiation_on(site: Site) -> Iterator[Found]:
    against = site.plan.practice.negotiation == "off"
    for joined in site.links:
        ends = [
            r for r in (joined.a, joined.b) if negotiates(r.completed) and not _by_default(site, r)
        ]
        rest = [r for r in (joined.a, joined.b) if negotiates(r.completed) and _by_default(site, r)]
        # Neither end rests on a default, and they agreed.
        if ends and not rest and not talked(joined):
            trunks = {joined.a.effective_mode, joined.b.effective_mode} == {Mode.TRUNK}
            yield finding(
                {
                    "ends": both([r.end for r in ends]),
                    "negotiate": agree(len(ends), "negotiates", "negotiate"),
                },
                case=("on", *(["house"] if against else []), "trunk" if trunks else "access"),
                where=tuple(site.places.of(r, "negotiation") for r in ends),
                severity=Severity.RISK if against else None,
                edits=_fixed(ends),
            )


@rule(
    "host-port-negotiates",
    family=_FAMILY,
    severity=Severity.RISK,
    what="a host port would become a trunk for anyone who asks",
    why="whoever is plugged in there only has to ask to be in every VLAN of the switch",
    cure="make the port a fixed access port that does not negotiate",
    example=(
        "gate-1 ports 1 to 8 are access ports, and passive: they answer a request to be a trunk"
    ),
    says={
        "asks": "{count} of {device} would become {trunks} for anyone who asks ({how}): {ports}",
        "opens": "; open then: VLAN {vids}",
        "opens nothing": "; open then: no VLAN yet, as the list is empty",
    },
    fix="make them fixed access ports, without negotiation",
)
def host_port_negotiates(site: Site) -> Iterator[Found]:
    negotiating: dict[tuple[str, Negotiation], list[Resolved]] = {}
    for resolved in site.host_ports:
        if resolved.completed.negotiation in (
            Negotiation.PASSIVE,
            Negotiation.ACTIVE,
        ) and negotiates(resolved.completed):
            negotiating.setdefault(
                (resolved.end.device, resolved.completed.negotiation), []
            ).append(resolved)
    for (device, how), ports in negotiating.items():
        opened = 0
        # What a host gets by asking, on every bridge of the port.
        for resolved in ports:
            for number in site.fabric.at.get(resolved.end, ()):
                for view in site.fabric.bridge_ports[number].on_request:
                    opened |= view.emit
        yield finding(
            {
                "count": counted(len(ports), "host port"),
                "device": device,
                "trunks": agree(len(ports), "a trunk", "trunks"),
                "how": how,
                "ports": listed([r.end.port for r in ports]),
                "vids": bits_to_text(opened),
            },
            case=("asks", "opens" if opened else "opens nothing"),
            where=tuple(site.places.of(r, "negotiation") for r in ports),
            assumes=tuple(
                dict.fromkeys(a for r in ports for a in site.places.assumed_for((r, "negotiation")))
            ),
            key=(device, how, *(r.end.port for r in ports)),
            about=opened,
            edits=_fixed(ports),
        )


def _platform(site: Site, resolved: Resolved) -> str:
    return site.fabric.device(resolved.end.device).platform.name
