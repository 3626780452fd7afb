"""Links: ends that do not fit each other, and reports about cables that do not agree."""

from __future__ import annotations

from collections.abc import Iterator

from inkov.campus import Mode
from inkov.checks.catalogue import Finding, Severity, Site, Where, rule
from inkov.wiring import Link

_FAMILY = "Links and trunks"


@rule(
    "trunk-meets-access",
    family=_FAMILY,
    severity=Severity.FAULT,
    what="one end of a link is a trunk, the other an access port",
    why="the access end takes untagged frames only: every tagged VLAN is lost, and the trunk's native VLAN is joined "
    "with the access VLAN",
    cure="make both ends trunks with the same list and native VLAN, or both access ports of the same VLAN",
    example="core-1 port 3 is a trunk, gate-1 port 1 at its other end an access port in VLAN 10",
)
def trunk_meets_access(site: Site) -> Iterator[Finding]:
    for number, link in enumerate(site.fabric.wiring.links):
        ends = [site.resolved(link.a), site.resolved(link.b)]
        if not site.fabric.link_up[number] or {r.like for r in ends} != {Mode.TRUNK, Mode.ACCESS}:
            continue
        trunk, access = ends if ends[0].like is Mode.TRUNK else ends[::-1]
        native, vid = trunk.view.pvid, access.view.pvid
        joins = bool(native and vid and native != vid and trunk.view.bare)
        says = f"{trunk.end} is a trunk, but {access.end} at its other end is an access port in VLAN {vid or '?'}"
        if joins:
            says += f": VLAN {native} and VLAN {vid} are joined, and all other VLANs are lost"
        else:
            says += ": all tagged VLANs are lost"
        yield Finding(
            "trunk-meets-access", Severity.BREACH if joins else Severity.FAULT, says,
            f"make {access.end} a trunk like {trunk.end}, or {trunk.end} an access port",
            (site.place(trunk, "mode", native or None), site.place(access, "mode", vid or None)),
            site.rests_on((trunk, "mode"), (access, "mode")),
        )  # fmt: skip


@rule(
    "link-one-sided",
    family=_FAMILY,
    severity=Severity.NOTE,
    what="a link is reported by one end only",
    why="the other end may be another port than the report says, or may not announce itself: what is checked on this "
    "link rests on one witness",
    cure="turn on neighbour discovery at both ends, export it, or add the cable to a cabling table",
    example="core-1 hears pond-1 at port 5, but pond-1 reports no neighbour at its port 24",
)
def link_one_sided(site: Site) -> Iterator[Finding]:
    reporting = {neighbour.device for neighbour in site.fabric.campus.neighbours}
    for link in site.fabric.wiring.links:
        if not link.one_sided:
            continue
        hearing, silent = (link.a, link.b) if link.a.device in link.seen_by else (link.b, link.a)
        reason = "" if silent.device in reporting else " (its file holds no neighbour reports at all)"
        yield Finding(
            "link-one-sided", Severity.NOTE,
            f"only {hearing} reports the link to {silent}; {silent.device} does not{reason}",
            f"turn on neighbour discovery at {silent}, or add the cable to a cabling table",
            (*_evidence(link), Where(silent.device, silent.port, None, site.resolved(silent).stated.origin)),
        )  # fmt: skip


@rule(
    "links-contradict",
    family=_FAMILY,
    severity=Severity.RISK,
    what="reports join one port to different ports",
    why="at most one report is right: a stale one or a wrong cabling table hides where the cable really goes",
    cure="look at the cable, correct the table or renew the export",
    example="the cabling table takes core-1 port 5 to pond-1, but core-1 hears fern-1 there",
)
def links_contradict(site: Site) -> Iterator[Finding]:
    for conflict in site.fabric.wiring.conflicts:
        fars = [other for link in conflict.links for pair in link.cables if conflict.near in pair
                for other in pair if other != conflict.near]  # fmt: skip
        yield Finding(
            "links-contradict", Severity.RISK,
            f"{conflict.near} is reported to be cabled to {' and to '.join(map(str, fars))}",
            "look where the cable goes; correct the cabling table, or renew the export",
            tuple(where for link in conflict.links for where in _evidence(link)),
            ("each of these links is taken to be there",),
        )  # fmt: skip


def _evidence(link: Link) -> tuple[Where, ...]:
    places = []
    for evidence in link.evidence:
        end = link.b if evidence.by == link.b.device else link.a
        places.append(Where(end.device, end.port, None, evidence.origin))
    return tuple(places)
