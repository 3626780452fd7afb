"""Runs the checks. Importing the family modules here fills the catalogue, in the order practitioners work in."""

from __future__ import annotations

from collections.abc import Iterable

from inkov.campus import natural
from inkov.checks import access, allowed, links, native, sources, vlans  # noqa: F401  (they enter their rules)
from inkov.checks.catalogue import CATALOGUE, Finding, Rule, Site
from inkov.forwarding import Fabric

__all__ = ["audit", "rules"]

FAMILIES = ("VLAN definitions", "Access ports", "Links and trunks", "Allowed lists", "Native VLAN", "Input")


def rules() -> list[Rule]:
    """The catalogue in the order practitioners work in."""
    return sorted(CATALOGUE.values(), key=lambda rule: FAMILIES.index(rule.family))


def audit(fabric: Fabric, only: Iterable[str] | None = None) -> list[Finding]:
    """All findings (of the rules `only`, if given): worst first, then in the catalogue's order, then by place."""
    chosen = None if only is None else set(only)
    site = Site(fabric)
    found: list[Finding] = []
    order = {rule.slug: number for number, rule in enumerate(rules())}
    for rule in rules():
        if chosen is None or rule.slug in chosen:
            found.extend(rule.find(site))

    def key(finding: Finding) -> tuple[object, ...]:
        places = tuple((natural(w.switch), natural(w.port or ""), w.vlan or 0) for w in finding.where)
        return finding.severity.rank, order[finding.rule], places, finding.says

    return sorted(found, key=key)
