"""Hypotheses about what statements do, and what ports are of which nothing is said."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct, field

__all__ = ["DEFAULTS", "Hypothesis", "bare"]


class Hypothesis(Struct):
    """Effects by pattern (by its place in `Look.patterns`), and the defaults, by their place."""

    effects: dict[int, str] = field(default_factory=dict)
    defaults: int = 0


_NOTHING_SAID = {
    "pvid": "none",
    "untagged": "none",
}  # of a port that is in VLANs only by their lists
DEFAULTS: tuple[dict[str, str], ...] = (
    {"mode": "access", "vlan": "1", "native": "none", "allowed": "none", **_NOTHING_SAID},
    {"mode": "access", "vlan": "1", "native": "1", "allowed": "none", **_NOTHING_SAID},
    {"mode": "access", "vlan": "1", "native": "1", "allowed": "all", **_NOTHING_SAID},
    {"mode": "access", "vlan": "1", "native": "none", "allowed": "all", **_NOTHING_SAID},
    {"mode": "access", "vlan": "1", "native": "1", "allowed": "all"},
    {"mode": "general", "vlan": "1", "native": "none", "allowed": "none", **_NOTHING_SAID},
    {"mode": "trunk", "vlan": "1", "native": "none", "allowed": "none", **_NOTHING_SAID},
    {"mode": "trunk", "vlan": "1", "native": "1", "allowed": "all", **_NOTHING_SAID},
    {"mode": "access", "vlan": "1", "native": "1", "allowed": "all", "state": "off"},
    {"mode": "access", "vlan": "1", "native": "none", "allowed": "none", "state": "off"},
)
"""What a port may be where nothing is said, the likeliest first."""


def bare(own: Mapping[str, str]) -> tuple[str, str]:
    """What a port is of which nothing is said: on or off, and the VLAN of its untagged frames."""
    shown = {
        "access": own.get("vlan", "1"),
        "trunk": own.get("native", "1") if own.get("allowed", "all") == "all" else "none",
        "general": own.get("pvid", "1"),
    }.get(own.get("mode", "access"), "1")
    return own.get("state", "on"), shown
