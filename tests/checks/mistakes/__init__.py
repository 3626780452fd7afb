"""Mistakes of every kind, to be planted in clean campuses."""

from tests.checks.mistakes import (  # noqa: F401 (they enter their mistakes)
    links,
    protocols,
    routing,
    vlans,
)
from tests.checks.mistakes.ground import KINDS, Ground

__all__ = ["KINDS", "Ground"]
