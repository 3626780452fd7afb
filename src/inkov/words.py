"""The few turns of phrase that sentences share: counts, lists, and what agrees with them."""

from __future__ import annotations

import re
from collections.abc import Sequence

_SHOWN = 8


def counted(number: int, noun: str) -> str:
    """A number of things: `1 port`, `2 switches`."""
    return f"{number} {plural(number, noun)}"


def plural(number: int, noun: str) -> str:
    """The form of a noun that goes with a number of things."""
    return noun if number == 1 else f"{noun}es" if noun.endswith(("ch", "s")) else f"{noun}s"


def agree(number: int, singular: str, several: str) -> str:
    """The form of a word that goes with a number of things: `agree(len(ports), "is", "are")`."""
    return singular if number == 1 else several


def listed(names: Sequence[str], most: int = _SHOWN) -> str:
    """The names, the first few if they are many: every place stands in the finding's `where` all
    the same.
    """
    shown = ", ".join(names[:most])
    return shown if len(names) <= most else f"{shown} and {len(names) - most} more"


def both(parts: Sequence[object]) -> str:
    """`a and b`."""
    return " and ".join(map(str, parts))


_PLACE = re.compile(r"(?:\S*[/:])?([^\s/:]+):[0-9]+")


def wherever(says: str) -> str:
    """A sentence without the lines and folders of files that it names, which any change moves."""
    return _PLACE.sub(r"\1", says)
