"""Who of the neighbours that are not among the files is one and the same (FM 4.7)."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence

from inkov.wiring.links import Outside
from inkov.wiring.names import is_address, is_hardware

__all__ = ["Identity", "identities"]

Identity = tuple[str, str]
"""A name in small letters, and what tells two of that name apart, "" if nothing has to."""


def identities(outside: Sequence[Outside]) -> Callable[[Outside], Identity]:
    """What tells neighbours apart: their names, and of those with one name (many systems are called
    `localhost`) what they call themselves besides, if all of them do and in one way.

    Reports may leave the domain of a name out. Of two domains there are two neighbours, unless it
    is left out somewhere (FM 4.11).
    """
    names = {each.far.lower() for each in outside}
    short = {name: name if is_address(name) else name.partition(".")[0] for name in names}
    longer = Counter(short[name] for name in names if short[name] != name)
    name_of = {
        name: own if own in names or longer[own] < 2 else name for name, own in short.items()
    }
    known: dict[str, set[str]] = {}
    kinds: dict[str, set[bool]] = {}
    for each in outside:
        name = name_of[each.far.lower()]
        known.setdefault(name, set()).add(_even(each.known_as))
        kinds.setdefault(name, set()).add(is_hardware(each.known_as))

    def identity(each: Outside) -> Identity:
        name = name_of[each.far.lower()]
        # Who tells nothing, or something of another kind, may be any of the others.
        apart = "" not in known[name] and len(kinds[name]) == 1 and len(known[name]) > 1
        return name, _even(each.known_as) if apart else ""

    return identity


def _even(known_as: str) -> str:
    """What a system calls itself, however its signs are set apart."""
    return "".join(sign for sign in known_as.lower() if sign.isalnum())
