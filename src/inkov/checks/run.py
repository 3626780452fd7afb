"""Runs the checks: one cause, one finding; ranked, known again, tuned by the plan.

Importing the family modules here fills the catalogue, in the order practitioners work in.
"""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date

from msgspec import Struct, field
from msgspec.structs import replace

from inkov.campus import natural
from inkov.checks import (  # noqa: F401  (they enter their rules)
    access,
    allowed,
    bundles,
    distribution,
    evidence,
    gateways,
    hosts,
    links,
    names,
    native,
    negotiation,
    placed,
    port_plan,
    private,
    protected,
    shut,
    sisters,
    sources,
    statements,
    surplus,
    tree,
    tree_now,
    tree_shape,
    uplinks,
    vlans,
)
from inkov.checks.affected import Radius
from inkov.checks.catalogue import (
    CATALOGUE,
    Finding,
    Found,
    Rule,
    Severity,
    Where,
    finding,
    identity,
)
from inkov.checks.causes import Cause
from inkov.checks.site import Site
from inkov.faults import told
from inkov.forwarding import Fabric
from inkov.plan import Acceptance, Plan

__all__ = ["FAMILIES", "Audit", "audit", "rules"]

FAMILIES = (
    "VLAN definitions",
    "Access ports",
    "Links and trunks",
    "Allowed lists",
    "Native VLAN",
    "Negotiation",
    "Pruning and distribution",
    "Private VLANs and protected ports",
    "Gateways and hosts",
    "Spanning tree",
    "Input",
)


class Audit(Struct):
    """What an audit comes to: the findings, worst first, and those that the plan accepts, with its
    reasons. `faults` are those of rules that could not be run to their end.
    """

    findings: list[Finding] = field(default_factory=list)
    accepted: list[tuple[Finding, Acceptance]] = field(default_factory=list)
    faults: list[str] = field(default_factory=list)


def rules() -> list[Rule]:
    """The catalogue in the order practitioners work in."""
    return sorted(CATALOGUE.values(), key=lambda rule: FAMILIES.index(rule.family))


def audit(
    fabric: Fabric,
    plan: Plan | None = None,
    *,
    only: Iterable[str] = (),
    skip: Iterable[str] = (),
    today: date = date.min,
    site: Site | None = None,
) -> Audit:
    """All findings (of the rules `only`, if given, without those of `skip`): worst first, then in
    the catalogue's order, then by how many they touch, then by place.

    `today` decides which acceptances of the plan have expired. `site` are the views of the same
    fabric and plan, if somebody has them already.
    """
    site = site or Site(fabric, plan)
    chosen = [
        rule
        for rule in rules()
        if (not only or rule.slug in set(only)) and rule.slug not in set(skip)
    ]
    entries: list[Entry] = []
    faults: list[str] = []
    for rule in chosen:
        # A rule that fails costs its own findings, and is told.
        try:
            entries += [(rule, found) for found in rule.find(site)]
        except Exception as error:
            faults.append(told(error, f"in the rule {rule.slug}"))
    radius = Radius(site)
    findings = [
        _finding(rule, found, consequences, radius)
        for rule, found, consequences in _by_cause(entries)
    ]
    result = _accept(findings, site, {rule.slug for rule in chosen}, today, radius)
    result.faults = faults
    order = {rule.slug: number for number, rule in enumerate(rules())}

    def key(finding: Finding) -> tuple[object, ...]:
        places = tuple(
            (natural(w.switch), natural(w.port or ""), w.vlan or 0) for w in finding.where
        )
        return (
            finding.severity.rank,
            order[finding.rule],
            -finding.affects.ports,
            places,
            finding.says,
        )

    result.findings.sort(key=key)
    result.accepted.sort(key=lambda pair: key(pair[0]))
    return result


_HINTS = ("odd-one-out",)
"""Rules that tell what was probably meant: where another finding points at the same port, they are
part of it.
"""


Entry = tuple[Rule, Found]


def _by_cause(entries: list[Entry]) -> list[tuple[Rule, Found, list[Entry]]]:
    """One entry for each cause, with what comes of it.

    The first in the catalogue's order leads, and is as grave as the worst that comes of it.
    """
    hints = [entry for entry in entries if entry[0].slug in _HINTS]
    groups = _grouped([entry for entry in entries if entry[0].slug not in _HINTS])
    result = []
    for group in [*groups, *_apart(hints, groups)]:
        rule, lead = group[0]
        severities = [found.severity or rule.severity for rule, found in group]
        worst = min(severities, key=lambda severity: severity.rank)
        result.append((rule, replace(lead, severity=worst), group[1:]))
    return result


def _grouped(entries: list[Entry]) -> list[list[Entry]]:
    """What has one cause together; what states none is alone."""
    groups: dict[Cause | int, list[Entry]] = {}
    for number, entry in enumerate(entries):
        cause = entry[1].cause
        # Without a cause each is a group of its own: no number equals a cause.
        groups.setdefault(number if cause is None else cause, []).append(entry)
    return list(groups.values())


def _apart(hints: list[Entry], groups: list[list[Entry]]) -> list[list[Entry]]:
    """Add each hint to the first group that points at its port, or at the row of the VLAN that the
    port is in; returns those that fit none.
    """
    pointing: dict[tuple[str, str | int | None], list[Entry]] = {}
    for group in groups:
        for _, entry in group:
            for where in entry.where:
                pointing.setdefault((where.switch, where.port or where.vlan), group)
    alone = []
    for hint in hints:
        # At its port, or at the VLAN that its port is in.
        place = hint[1].where[0]
        near = pointing.get((place.switch, place.port)) or pointing.get((place.switch, place.vlan))
        if near is not None:
            near.append(hint)
        else:
            alone.append([hint])
    return alone


def _finding(rule: Rule, cause: Found, consequences: list[Entry], radius: Radius) -> Finding:
    return Finding(
        rule.slug,
        cause.severity or rule.severity,
        *rule.sentences(cause),
        cause.where,
        (*_not_understood(cause, radius.site), *cause.assumes),
        identity(rule.slug, cause, [identity(also.slug, found) for also, found in consequences]),
        radius.of(cause),
        tuple(f"{also.sentences(found)[0]} ({also.slug})" for also, found in consequences),
        cause.every_vlan,
        cause.edits,
    )


def _not_understood(found: Found, site: Site) -> list[str]:
    """The ports of a finding with lines of their own that were not understood: what they say may
    be what is missed.
    """
    return [
        f"{where.switch}:{where.port}: a line of this port was not understood"
        f" ({origin.file}:{origin.line})"
        for where in dict.fromkeys(found.where)
        if where.port is not None
        and (origin := site.not_understood.get((where.switch, where.port))) is not None
    ]


# --- what the plan accepts ------------------------------------------------------------------------

_STALE = "acceptance-stale"


def _accept(
    findings: list[Finding], site: Site, chosen: set[str], today: date, radius: Radius
) -> Audit:
    result = Audit()
    used: set[int] = set()
    for one in findings:
        covering = [a for a in site.plan.accepted if _covers(a, one)]
        used.update(map(id, covering))
        # An acceptance that has expired covers nothing any more.
        valid = [a for a in covering if a.until is None or a.until >= today]
        if valid:
            result.accepted.append((one, valid[0]))
        else:
            result.findings.append(one)
    for acceptance in site.plan.accepted if _STALE in chosen else ():
        expired = acceptance.until is not None and acceptance.until < today
        # Used, and still valid.
        if id(acceptance) in used and not expired:
            continue
        if acceptance.rule not in chosen:
            continue  # that rule was not asked for
        still = id(acceptance) in used
        name = _named(acceptance)
        stale = finding(
            {"name": name, "until": acceptance.until},
            case="expired" if still else "gone",
            where=(Where("", None, acceptance.vlan, acceptance.origin),),
            severity=Severity.RISK if still else None,
            key=(name,),
        )
        result.findings.append(_finding(CATALOGUE[_STALE], stale, [], radius))
    return result


def _covers(acceptance: Acceptance, finding: Finding) -> bool:
    """An acceptance that names a VLAN covers no finding that speaks of others, too."""
    return (
        acceptance.rule == finding.rule
        and (acceptance.vlan is None or finding.vlans == 1 << acceptance.vlan)
        and any(
            (not acceptance.switch or where.switch == acceptance.switch)
            and (not acceptance.port or where.port == acceptance.port)
            for where in finding.where
        )
    )


def _named(acceptance: Acceptance) -> str:
    places = [
        acceptance.switch,
        acceptance.port and f"port {acceptance.port}",
        acceptance.vlan and f"VLAN {acceptance.vlan}",
    ]
    at = " ".join(str(place) for place in places if place)
    return acceptance.rule + (f" at {at}" if at else "")
