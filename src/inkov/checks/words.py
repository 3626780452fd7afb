"""The few turns of phrase that findings share."""

from __future__ import annotations

from collections.abc import Sequence

_SHOWN = 8


def counted(number: int, noun: str) -> str:
    plural = "es" if noun.endswith(("ch", "s")) else "s"
    return f"{number} {noun}{'' if number == 1 else plural}"


def listed(names: Sequence[str]) -> str:
    """The names, the first few if they are many: every place stands in the finding's `where` all
    the same.
    """
    shown = ", ".join(names[:_SHOWN])
    return shown if len(names) <= _SHOWN else f"{shown} and {len(names) - _SHOWN} more"


def both(parts: Sequence[object]) -> str:
    """`a and b`."""
    return " and ".join(map(str, parts))
