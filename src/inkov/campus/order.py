"""The one order in which names are shown: numbers within them by value, so that port 2 stands
before port 10.
"""

from __future__ import annotations

import re
from functools import lru_cache

_DIGITS = re.compile(r"([0-9]+)")


@lru_cache(maxsize=1 << 17)
def natural(name: str) -> tuple[tuple[str, int, str], ...]:
    """A sort key. Names that differ only in leading zeros still have different keys."""
    pieces = _DIGITS.split(name)
    numbers = [*pieces[1::2], ""]
    # `int` of more digits is refused; their text decides then, which is last in the key.
    return tuple(
        (text, int(digits[:18]) if digits else -1, digits)
        for text, digits in zip(pieces[::2], numbers, strict=True)
    )
