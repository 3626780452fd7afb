"""Mistakes of every kind, to be planted in clean campuses."""

from tests.checks.mistakes import links, protocols, routing, vlans  # noqa: F401  (they enter their mistakes)
from tests.checks.mistakes.ground import KINDS, Ground

__all__ = ["KINDS", "Ground"]
