"""Which things are on one wire: a forest of disjoint sets."""

from __future__ import annotations

from collections.abc import Hashable

__all__ = ["Wires"]


class Wires:
    """Things that are joined, two at a time; each lot is named by one of it."""

    def __init__(self) -> None:
        self._above: dict[Hashable, Hashable] = {}

    def of(self, thing: Hashable) -> Hashable:
        """What a thing is joined with, named by one of that."""
        top = thing
        # Twice over the way up: first to the top, then each step is joined to it directly.
        while (above := self._above.get(top, top)) != top:
            top = above
        while (above := self._above.get(thing, thing)) != top:
            self._above[thing] = top
            thing = above
        return top

    def join(self, one: Hashable, other: Hashable) -> None:
        self._above.setdefault(one, one)
        self._above[self.of(other)] = self.of(one)
