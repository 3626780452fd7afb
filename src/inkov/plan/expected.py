"""The switches that a plan expects among the files, and which of them are missing."""

from __future__ import annotations

from collections.abc import Collection
from fnmatch import fnmatchcase

from inkov.plan.schema import Expected

__all__ = ["missing_switches"]


def missing_switches(expected: Expected, present: Collection[str]) -> list[str]:
    """What is missing, each as words: a name, a pattern that none fits, or a number."""
    missing = []
    wanted = expected.number
    for entry in expected.switches:
        if entry.isdecimal() and entry not in present:
            # A number in the list of names is how many there have to be.
            wanted = max(wanted, int(entry))  # `expected: 45` is a number
        elif not any(fnmatchcase(name, entry) for name in present):
            missing.append(f"no switch is called {entry}")
    if len(present) < wanted:
        missing.append(f"there are {len(present)} switches of {wanted}")
    return missing
