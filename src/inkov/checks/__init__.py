"""The checks: each finds one kind of mistake in the resolved campus and says where, why and what
cures it.
"""

from inkov.checks.catalogue import CATALOGUE, Affected, Finding, Found, Rule, Severity, Where
from inkov.checks.run import Audit, audit, rules
from inkov.checks.site import Site

__all__ = [
    "CATALOGUE",
    "Affected",
    "Audit",
    "Finding",
    "Found",
    "Rule",
    "Severity",
    "Site",
    "Where",
    "audit",
    "rules",
]
