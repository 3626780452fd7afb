"""What a port costs that states no cost: by its speed, as two standards recommend it (FM 7.4)."""

from __future__ import annotations

from inkov.campus import TreeMode

__all__ = ["DEFAULT_PORT_PRIORITY", "DEFAULT_PRIORITY", "assumed_cost", "default_cost"]

DEFAULT_PRIORITY = 32768
"""Of a bridge (IEEE 802.1Q-2018, Table 13-3)."""

DEFAULT_PORT_PRIORITY = 128
"""Of a port, in the same table."""

_SHORT = ((10_000, 2), (1_000, 4), (100, 19), (16, 62), (10, 100), (4, 250))
"""IEEE 802.1D-1998, Table 8-5: speed in Mbit/s from which on, cost."""

_LONG = 20_000_000
"""IEEE 802.1Q-2018, Table 13-4: this over the speed in Mbit/s."""


def default_cost(mode: TreeMode, speed: int) -> int:
    """The recommended cost of a port of a speed in Mbit/s, at least 1.

    >>> default_cost(TreeMode.STP, 1_000), default_cost(TreeMode.RSTP, 1_000)
    (4, 20000)
    """
    # The oldest table has few steps; below the lowest the cost stays.
    if mode is TreeMode.STP:
        return next((cost for least, cost in _SHORT if speed >= least), 250)
    return max(1, _LONG // max(speed, 1))


def assumed_cost(mode: TreeMode) -> int:
    """The cost of a port of which no speed is known either: as if it were one of 1 Gbit/s."""
    return default_cost(mode, 1_000)
