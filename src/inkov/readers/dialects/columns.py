"""Tables in columns within a text, spelled out as the statements that a dialect describes.

    Berth  Label            Water  Also          Berth 1
    -----  ---------------  -----  -----            Label  quay lamp
    1      quay lamp           10             =>    Water  10
    2                          20  30,           Berth 2
                                   40               Water  20
                                                    Also   30, 40

A line that has the names of the columns, in their order, begins a table; an empty line ends it. The
first column names what a row is about, and opens a block; each other cell that is not empty is a
statement in it. A row whose first cell is empty goes on with the cells of the row above.

Which column a word is in is told by where it stands: a column goes from the beginning of its name
to that of the next one, and a word may stand out of it by one character, as a number that is longer
than the name does. Between two cells there are two spaces, or one before a cell that stands at an
edge of its column. What is otherwise is in no column for sure: its row is not taken apart, so that
it is not understood.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import NamedTuple

from msgspec import Struct, field

__all__ = ["Spelled", "spelled_out"]

_WORD = re.compile(r"\S+")
_BESIDE = 1
_APART = 2
_RULE = re.compile(r"[-=+|:\s]+\Z")


class _Row(Struct):
    """A row: the line it begins on, and its cells by column; `unsure` has the lines of a row whose
    words are not surely in a column.
    """

    number: int
    indent: str
    cells: dict[str, list[str]] = field(default_factory=dict)
    unsure: list[tuple[int, str]] = field(default_factory=list)


class Spelled(NamedTuple):
    """A text with its tables as statements; for each line of it the line that it comes from; and
    the lines that rows begin on.
    """

    text: str
    numbers: list[int]
    rows: set[int]


def spelled_out(text: str, tables: Sequence[Sequence[str]]) -> Spelled:
    """Spell the tables of a text out. `tables` are the names of the columns of each table that it
    may hold.
    """
    writer = _Writer(tables)
    for number, line in enumerate(text.split("\n"), 1):
        writer.take(number, line)
    writer.end_row()
    return Spelled("\n".join(writer.lines), writer.numbers, writer.rows)


class _Writer:
    """Goes through the lines of a text; `starts` are the columns of the table we are in."""

    def __init__(self, tables: Sequence[Sequence[str]]) -> None:
        self.tables = [list(columns) for columns in tables]
        self.lines: list[str] = []
        self.numbers: list[int] = []
        self.rows: set[int] = set()
        self.starts: list[tuple[str, int]] = []
        self.row: _Row | None = None

    def take(self, number: int, line: str) -> None:
        starts = self._head(line)
        if starts:
            self.end_row()
            self.starts = starts
            self._write(number, "")
        elif not self.starts:
            self._write(number, line)
        elif not line.strip():
            self.end_row()
            self.starts = []
            self._write(number, line)
        elif _RULE.match(line):
            self._write(number, "")
        else:
            self._row(number, line)

    def _head(self, line: str) -> list[tuple[str, int]]:
        """The columns, each with the place where it begins, if a line names those of a table."""
        for columns in self.tables:
            # All columns in their order, and nothing else in the line: else it is a row of a table.
            starts, at = [], 0
            for name in columns:
                match = re.compile(rf"(?<!\S){re.escape(name)}(?!\S)").search(line, at)
                if match is None:
                    break
                starts.append((name, match.start()))
                at = match.end()
            else:
                named = " ".join(columns).split()
                if line.split() == named:
                    return starts
        return []

    def _row(self, number: int, line: str) -> None:
        cells = self._cells(line)
        first = self.starts[0][0]
        if cells is None:
            # Nothing before the second column: the line can only go on with the row above.
            if self.row is not None and not line[: self.starts[1][1]].strip():
                self.row.unsure.append((number, line))  # it may go on with the row above
            else:
                self.end_row()
                self._write(number, line.strip())
            return
        # A row that names nothing goes on with the one above, unless there is none.
        if first in cells or self.row is None:
            self.end_row()
            indent = line[: len(line) - len(line.lstrip())] if first in cells else ""
            self.row = _Row(number, indent)
        for name, words in cells.items():
            self.row.cells.setdefault(name, []).extend(words)

    def _cells(self, line: str) -> dict[str, list[str]] | None:
        """The words of a line by their columns; None if one is not surely in a column."""
        cells: dict[str, list[str]] = {}
        ends = [start for _, start in self.starts[1:]] + [len(line) + 1]
        before, at = -2, -1  # where the word before ended, and in which column it is
        for word in _WORD.finditer(line):
            shares = [
                min(word.end(), end) - max(word.start(), start)
                for (_, start), end in zip(self.starts, ends, strict=True)
            ]
            most = max(shares)
            # A word that hangs over both sides of a border belongs to neither column.
            if len(word[0]) - most > _BESIDE:
                return None
            column = shares.index(most)
            name, start = self.starts[column]
            # After one space a new cell must stand at an edge of its column: else it may be the
            # cell before it that goes on.
            at_edge = start == word.start() or start + len(name) == word.end()
            # One space may be within a cell: the cell before goes on, or a new one begins.
            if column != at and word.start() - before < _APART and not at_edge:
                return None
            cells.setdefault(name, []).append(word[0])
            before, at = word.end(), column
        return cells

    def end_row(self) -> None:
        """Write the row that we are in as a block and its statements."""
        row, self.row = self.row, None
        if row is None:
            return
        first = self.starts[0][0]
        if first not in row.cells or row.unsure:
            # What it is about, or a part of it, is not known: as it stands, no form takes it.
            whole = " ".join(word for words in row.cells.values() for word in words)
            self._write(row.number, f"{row.indent}{whole}")
            for number, line in row.unsure:
                self._write(number, line.strip())
            return
        self.rows.add(row.number)
        for name, _ in self.starts:
            if name in row.cells:
                # The first column opens the block; the others stand in it.
                deeper = "" if name == first else "  "
                cell = " ".join([name, *row.cells[name]])
                self._write(row.number, f"{row.indent}{deeper}{cell}")

    def _write(self, number: int, line: str) -> None:
        self.lines.append(line)
        self.numbers.append(number)
