"""A text of a dialect as it is rewritten: its lines, and what each of them says."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, NamedTuple

from inkov.readers.dialects.binding import Bound
from inkov.readers.dialects.file import Dialect
from inkov.readers.dialects.read import Taken, read_text
from inkov.readers.dialects.text import Shape, lines

__all__ = ["Said", "Source"]


class Said(NamedTuple):
    """A clause that a line says: of what (`kind`, `keys`), and where it stands in the text."""

    line: int
    kind: str
    keys: tuple[Any, ...]
    bound: Bound


class Source:
    """A text, and what its lines say."""

    def __init__(self, dialect: Dialect, text: str) -> None:
        self.dialect = dialect
        self.lines = text.split("\n")
        taken: dict[int, Taken] = {}
        reading = read_text(dialect, "", text.encode(), taken)
        self.devices = reading.part.devices
        self.lost = len(reading.ledger.unmatched) + len(reading.part.problems)
        self.said = [
            Said(number, *((b.on, b.keys) if b.on else (step.kind, step.keys)), b)
            for number, read_line in sorted(taken.items())
            for step in read_line.steps
            for b in step.bound
        ]
        self._depths = {line.number: line.depth for line in lines(text, dialect.text)}

    def block(self, line: int) -> range:
        """The lines of the block that a line is the head of, by their numbers."""
        depth = self._depths.get(line, 0)
        # Braces may be closed on any line below.
        if self.dialect.text.shape is Shape.BRACED:
            return range(line, self._closing(line) + 1)
        following = [n for n, there in self._depths.items() if n > line and there <= depth]
        end = min(following, default=len(self.lines) + 1)
        # Empty lines at the end belong to nobody.
        while end - 1 > line and not self.lines[end - 2].strip():
            end -= 1
        return range(line, end)

    def _closing(self, line: int) -> int:
        """Where the braces that a line opens are closed again."""
        depth = 0
        for number in range(line, len(self.lines) + 1):
            depth += self.lines[number - 1].count("{") - self.lines[number - 1].count("}")
            if depth <= 0:
                return number
        return line

    def texts(self, numbers: Iterable[int]) -> list[str]:
        return [self.lines[number - 1] for number in numbers]
