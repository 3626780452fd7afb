"""The checks: each finds one kind of mistake in the resolved campus and says where, why and what cures it."""

from inkov.checks.catalogue import CATALOGUE, Finding, Rule, Severity, Site, Where
from inkov.checks.run import audit, rules

__all__ = ["CATALOGUE", "Finding", "Rule", "Severity", "Site", "Where", "audit", "rules"]
