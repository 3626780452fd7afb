"""The evidence for links: reports about cables that do not agree, ports and switches that reports
name and nobody describes, and what neighbours say of their VLANs.
"""

from __future__ import annotations

from collections.abc import Iterator

from inkov.campus import Mode, Origin
from inkov.checks.catalogue import Found, Severity, Where, finding, rule
from inkov.checks.site import EVERYTHING, Site
from inkov.forwarding import Resolved
from inkov.forwarding.assumptions import BY_ADDRESS, nameless
from inkov.plan import missing_switches
from inkov.vlanset import bit, bits_to_text
from inkov.wiring import Link
from inkov.wiring.links import Claim
from inkov.words import counted, listed

_FAMILY = "Links and trunks"


@rule(
    "link-one-sided",
    family=_FAMILY,
    severity=Severity.NOTE,
    what="a link is reported by one end only",
    why=(
        "the other end may be another port than the report says, or may not announce itself: what"
        " is checked on this link rests on one witness"
    ),
    cure="turn on neighbour discovery at both ends, export it, or add the cable to a cabling table",
    example="core-1 hears pond-1 at port 5, but pond-1 reports no neighbour at its port 24",
    says={
        "one-sided": "only {hearing} reports the link to {silent}; {device} does not",
        "no reports": " (its file holds no neighbour reports at all)",
    },
    fix=("is neighbour discovery off at {silent}? turn it on, or add the cable to a cabling table"),
)
def link_one_sided(site: Site) -> Iterator[Found]:
    reporting = {neighbour.device for neighbour in site.fabric.campus.neighbours}
    disputed = {link for conflict in site.fabric.wiring.conflicts for link in conflict.links}
    for link in site.fabric.wiring.links:
        # Where reports contradict each other, links-contradict tells.
        if not link.one_sided or link in disputed:
            continue
        hearing, silent = (link.a, link.b) if link.a.device in link.seen_by else (link.b, link.a)
        yield finding(
            {"hearing": hearing, "silent": silent, "device": silent.device},
            case=("one-sided", *(["no reports"] if silent.device not in reporting else [])),
            where=(
                *_evidence(link),
                Where(silent.device, silent.port, None, site.resolved(silent).stated.origin),
            ),
        )


@rule(
    "links-contradict",
    family=_FAMILY,
    severity=Severity.RISK,
    what="reports join one port to different ports",
    why=(
        "at most one report is right: a stale one or a wrong cabling table hides where the cable"
        " really goes"
    ),
    cure="look at the cable, correct the table or renew the export",
    example="the cabling table takes core-1 port 5 to pond-1, but core-1 hears fern-1 there",
    says="{near} is reported to be cabled to {fars}",
    fix="where does the cable go? correct the cabling table, or renew the export",
)
def links_contradict(site: Site) -> Iterator[Found]:
    for conflict in site.fabric.wiring.conflicts:
        fars = [
            other
            for link in conflict.links
            for pair in link.cables
            if conflict.near in pair
            for other in pair
            if other != conflict.near
        ]
        yield finding(
            {"near": conflict.near, "fars": " and to ".join(map(str, fars))},
            where=tuple(where for link in conflict.links for where in _evidence(link)),
            assumes=("each of these links is taken to be there",),
            key=(str(conflict.near),),
        )


@rule(
    "cable-unconfirmed",
    family=_FAMILY,
    severity=Severity.NOTE,
    what=(
        "the cabling table has a cable that neither switch hears, though both report other"
        " neighbours"
    ),
    why="the table may be old: the cable may have moved, or never been there",
    cure="look at the cable; correct the table, or find out why the ports are silent",
    example=(
        "the table takes gate-1 port 20 to pond-1 port 20; both hear neighbours, but not each other"
        " there"
    ),
    says="the cabling table joins {a} and {b}, and neither hears the other there",
    fix="is the cable there? correct the table, or find out why the ports are silent",
)
def cable_unconfirmed(site: Site) -> Iterator[Found]:
    reporting = {neighbour.device for neighbour in site.fabric.campus.neighbours}
    disputed = {link for conflict in site.fabric.wiring.conflicts for link in conflict.links}
    for _, link, a, b in site.links:
        # Both hear neighbours, and not each other: silence would mean nothing otherwise.
        if not link.seen_by and {a.end.device, b.end.device} <= reporting and link not in disputed:
            yield finding(
                {"a": a.end, "b": b.end},
                where=_evidence(link),
            )


@rule(
    "neighbour-unknown-port",
    family=_FAMILY,
    severity=Severity.NOTE,
    what="a report names a port that the switch does not have, or a neighbour by its address only",
    why="a link that leads nowhere is not checked at all",
    cure="correct the table, or renew the export of the switch",
    example="core-1 hears pond-1 at its port 99, and pond-1 has no port 99",
    says="a report about {near} leads nowhere: {says}",
    fix="which is right? correct the table, or renew the export of the switch",
)
def neighbour_unknown_port(site: Site) -> Iterator[Found]:
    for stray in site.fabric.wiring.strays:
        # A switch without a file is told once, not at each of its ports.
        if stray.near.device not in site.fabric.campus.devices:
            continue  # switch-without-file tells
        yield finding(
            {"near": stray.near, "says": stray.says},
            where=(Where(stray.near.device, stray.near.port, None, stray.origin),),
            key=(str(stray.near), stray.says),
        )
    for outside in site.fabric.wiring.outside:
        # An address and no name, at a trunk: perhaps one of the switches.
        if outside.near.device in site.fabric.campus.devices and nameless(site.fabric, outside):
            says = BY_ADDRESS.format(outside.far)
            yield finding(
                {"near": outside.near, "says": says},
                where=(Where(*outside.near, None, outside.origin),),
                key=(str(outside.near), says),
            )


def _evidence(link: Link) -> tuple[Where, ...]:
    places = []
    for evidence in link.evidence:
        end = link.b if evidence.by == link.b.device else link.a
        places.append(Where(end.device, end.port, None, evidence.origin))
    return tuple(places)


# --- what neighbours say of their VLANs -----------------------------------------------------------


@rule(
    "neighbour-untagged-differs",
    family=_FAMILY,
    severity=Severity.RISK,
    what="a neighbour announces another VLAN for its untagged frames than the port has",
    why=(
        "where it has ports in that VLAN, as a switch does, the two VLANs are one network without"
        " any router or filter between them"
    ),
    cure="state the same native VLAN (or access VLAN) at both ends",
    example=(
        "gate-1 port 24 has native VLAN 99, and the switch behind it, which has no file here,"
        " announces port VLAN 1"
    ),
    says=(
        "untagged frames are in VLAN {vid} at {near}, and {far} announces VLAN {far_vid} for them"
    ),
    fix="which VLAN is meant? state it for untagged frames at {near} and at {far}",
)
def neighbour_untagged_differs(site: Site) -> Iterator[Found]:
    for claim, near in _claims(site):
        far_vid, vid = claim.report.far_pvid, near.view.pvid
        sends = near.view.untagged
        # Untagged frames of both must meet: a side without any has nothing to differ.
        if not far_vid or not vid or not sends or far_vid == vid or _told_by_file(site, claim):
            continue
        yield finding(
            {"vid": vid, "near": near.end, "far": _far(claim), "far_vid": far_vid},
            where=(
                site.places.of(
                    near, "native_vlan" if near.mode is Mode.TRUNK else "access_vlan", vid
                ),
                Where(near.end.device, near.end.port, far_vid, claim.report.origin),
            ),
            vlans=bit(vid) | bit(far_vid),
        )


@rule(
    "neighbour-lacks-vlan",
    family=_FAMILY,
    severity=Severity.RISK,
    what="a neighbour announces which VLANs its port has, and some that the port sends are missing",
    why="frames in them are lost on the way, and nothing at this end shows it",
    cure="let the far end take these VLANs, or take them out of the list of the port",
    example=(
        "gate-1 port 24 sends VLAN 10,20, and the switch behind it, which has no file here,"
        " announces VLAN 10 only"
    ),
    says="{near} sends VLAN {lost} tagged, and {far} announces VLAN {there} only",
    fix="is it needed there? let {far} take VLAN {lost}, or take it out of the list of {near}",
)
def neighbour_lacks_vlan(site: Site) -> Iterator[Found]:
    for claim, near in _claims(site):
        named = claim.report.far_vlans
        # A port that allows everything was not told what to send.
        if named is None or _told_by_file(site, claim) or near.allowed == EVERYTHING:
            continue
        lost = near.view.emit & ~near.view.untagged & ~named.value.bits & site.served_anywhere
        if lost:
            yield finding(
                {
                    "near": near.end,
                    "lost": bits_to_text(lost),
                    "far": _far(claim),
                    "there": named.value,
                },
                where=(
                    site.places.of(near, "allowed"),
                    Where(near.end.device, near.end.port, None, named.origin),
                ),
                vlans=lost,
            )


def _claims(site: Site) -> Iterator[tuple[Claim, Resolved]]:
    """What neighbours say of their VLANs, with the ports that hear it; those that count."""
    for claim in site.fabric.wiring.claims:
        near = site.resolved(site.fabric.end_of(*claim.near))
        # A port that is down, or of which nothing is known, hears nothing that counts.
        if near.up and near.known and near.mode is not Mode.ROUTED:
            yield claim, near


def _told_by_file(site: Site, claim: Claim) -> bool:
    """True if the far end is described by a file that is known to tell: other rules judge it."""
    if claim.far is None:
        return False
    far = site.resolved(site.fabric.end_of(*claim.far))
    return far.known


def _far(claim: Claim) -> str:
    return f"{claim.report.far_device}:{claim.report.far_port}"


# --- switches without a file ----------------------------------------------------------------------


@rule(
    "switch-without-file",
    family=_FAMILY,
    severity=Severity.NOTE,
    what="a table or a neighbour names a switch, and no file describes it",
    why="what it passes between its ports is not known, and nothing here is checked against it",
    cure="add its configuration to the files, or correct the name",
    example="the cabling table takes core-1 port 9 to heath-2, and there is no file of heath-2",
    says="{switch} is named at {count}, and no file describes it",
    fix="is it one of yours? add the configuration of {switch} to the files, or correct the name",
)
def switch_without_file(site: Site) -> Iterator[Found]:
    for name, places in sorted(site.unfiled.items()):
        yield finding(
            {"switch": name, "count": counted(len(places), "place")},
            where=tuple(places),
            key=(name,),
        )


@rule(
    "switch-missing",
    family="Input",
    severity=Severity.FAULT,
    what="a switch that the plan expects is not among the files",
    why="what it does is in no table, check or proof, and nothing else would tell that it is gone",
    cure="collect its configuration, or take it out of the plan",
    example="the plan expects edit-1 to edit-30, and the file of edit-7 is empty",
    says="the plan expects more than the files hold: {missing}",
    fix="is it still there? collect the configuration, or take it out of `expected` in the plan",
)
def switch_missing(site: Site) -> Iterator[Found]:
    expected = site.plan.expected
    for missing in missing_switches(expected, site.fabric.campus.devices.keys()):
        yield finding(
            {"missing": missing},
            where=(Where("", None, None, expected.origin),),
            key=(missing,),
        )


@rule(
    "ports-unknown",
    family="Input",
    severity=Severity.RISK,
    what="a source does not tell what decides which VLANs a port passes",
    why="what is behind such a port may be in any VLAN: no answer that gets there is certain",
    cure="collect the configuration again, with all its parts",
    example="the walk of gate-1 holds no VLAN table, so nobody knows what its ports are in",
    says="{count} of {device} {ports}: {why}",
    fix="collect the configuration of {device} again, with all its parts",
)
def ports_unknown(site: Site) -> Iterator[Found]:
    unknown: dict[tuple[str, str], list[Resolved]] = {}
    for resolved in site.every_port:
        if not resolved.known:
            unknown.setdefault((resolved.end.device, resolved.stated.unknown), []).append(resolved)
    for (device, why), ports in unknown.items():
        names = [r.end.port for r in ports]
        yield finding(
            {
                "count": counted(len(ports), "port"),
                "device": device,
                "ports": f"({listed(names, 4)})",
                "why": why,
            },
            where=tuple(_unknown_at(r) for r in ports),
            key=(device, why, *names),
        )


def _unknown_at(resolved: Resolved) -> Where:
    origin: Origin = resolved.stated.origin
    return Where(resolved.end.device, resolved.end.port, None, origin)


@rule(
    "membership-not-in-force",
    family="VLAN definitions",
    severity=Severity.RISK,
    what="what a switch says it does at a port now is not what it is configured to do",
    why=(
        "a change that was stored and never came into force, or was made and never stored: at the"
        " next start the port changes its VLANs"
    ),
    cure="let the switch take over its configuration, or store what is in force",
    example="gate-1 port 3 is configured in VLAN 20, and is a member of VLAN 10 only",
    says={
        "lost": "{end} is configured in VLAN {lost}, and is no member of it now",
        "more": "{end} is a member of VLAN {more} now, and not configured in it",
        "both": "{end} is configured in VLAN {lost}, and is a member of VLAN {more} now",
    },
    fix=(
        "which is meant? let {device} take over its configuration at {port}, or store what is in"
        " force"
    ),
)
def membership_not_in_force(site: Site) -> Iterator[Found]:
    for resolved in site.ports:
        now = resolved.stated.in_force
        # A port without a link is a member of nothing at some agents.
        if now is None or not now.value:
            continue  # a port without a link is a member of nothing at some agents
        configured = resolved.view.emit
        lost = configured & ~now.value.bits
        # What was registered is in force, and was never configured.
        registered = resolved.completed.registration
        more = 0 if registered else now.value.bits & ~configured
        if not lost and not more:
            continue
        yield finding(
            {
                "end": resolved.end,
                "device": resolved.end.device,
                "port": resolved.end.port,
                "lost": bits_to_text(lost),
                "more": bits_to_text(more),
            },
            case="both" if lost and more else "lost" if lost else "more",
            where=(
                site.places.of(resolved, "allowed"),
                Where(resolved.end.device, resolved.end.port, None, now.origin),
            ),
            vlans=lost | more,
        )
