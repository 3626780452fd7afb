"""Texts without another source: what they have that no other text has, and where two hypotheses
would read them otherwise.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from inkov.learn.hypothesis import Hypothesis
from inkov.learn.look import further
from inkov.learn.marks import new_marks
from inkov.learn.rehearsal import View, views
from inkov.learn.rows import Look
from inkov.readers.dialects import Dialect, read_text

__all__ = ["Others"]

_MOST = 30  # texts that are looked at
_MOST_COMPARED = 12  # texts that are read by several hypotheses


class Others:
    """Some texts (file, bytes), numbered from `first` on."""

    def __init__(
        self,
        texts: Sequence[tuple[str, bytes]],
        first: int,
        seen: Look,
        dialect_of: Callable[[Hypothesis], Dialect],
    ) -> None:
        self.files = [file for file, _ in texts[:_MOST]]
        self.numbered = [
            (first + n, content.decode("utf-8-sig", "replace"))
            for n, (_, content) in enumerate(texts[:_MOST])
        ]
        self._seen = seen
        self._dialect_of = dialect_of
        self._read: dict[tuple[object, ...], list[dict[str, View]]] = {}

    def differ(self, one: Hypothesis, other: Hypothesis) -> bool:
        """Whether a port of some text would do otherwise by another hypothesis. Who has no such
        texts cannot know, so then it might.
        """
        return not self.numbered or self._ports(one) != self._ports(other)

    def _ports(self, hypothesis: Hypothesis) -> list[dict[str, View]]:
        """What each port of each text does by a hypothesis."""
        effects = tuple(sorted(hypothesis.effects.items()))
        key = effects, hypothesis.defaults, tuple(self._seen.lists.ranges)
        # Marks that were added since may read it otherwise.
        if key not in self._read:
            dialect = self._dialect_of(hypothesis)
            some = self.numbered[:_MOST_COMPARED]
            parts = [read_text(dialect, "text", text.encode()).part for _, text in some]
            self._read[key] = [views(part.devices[0]) for part in parts]
        return self._read[key]

    def marks(self) -> dict[str, tuple[int, int]]:
        """The marks between numbers that no other text has, each with a place."""
        return new_marks(self._seen, self.numbered)

    def statements(self, hypothesis: Hypothesis, but: set[str]) -> list[int]:
        """Add the patterns of lines that the hypothesis leaves over; their places in
        `Look.patterns`. Lines that hold one of the words of `but` are left out.
        """
        dialect = self._dialect_of(hypothesis)
        lost, devices = {}, {}
        for number, text in self.numbered:
            reading = read_text(dialect, "text", text.encode())
            lost[number] = {line.origin.line for line in reading.ledger.unmatched}
            devices[number] = reading.part.devices[0]
        return further(self._seen, self.numbered, lost, devices, but)
