"""A table as data, and its three text forms. Every listing of Inkov is a `Grid`."""

from __future__ import annotations

import csv
import io

from msgspec import Struct, field
from msgspec.structs import replace

from inkov.harmless import safe

__all__ = ["Column", "Grid", "markdown_cell", "to_csv", "to_markdown"]


class Column(Struct, frozen=True):
    """`right` aligns numbers; `whole` keeps a cell on one line; `spare` may be left out of a narrow
    terminal. `paths`: its cells are paths, the common folder of which may be told once there.
    """

    name: str
    right: bool = False
    whole: bool = False
    spare: bool = False
    paths: bool = False


class Grid(Struct):
    """Rows of texts under columns. Rows with the same first cell are shown as one group where
    `grouped`.

    On a terminal too narrow for the table, with `blocks` each row is told below its name; with
    `in_pieces` as many columns at a time as fit, each time beside the first. `marks` are the
    (row, column) cells that need the eye; `notes` stand below the table.
    """

    columns: list[Column]
    rows: list[list[str]] = field(default_factory=list)
    grouped: bool = False
    blocks: bool = False
    in_pieces: bool = False
    marks: set[tuple[int, int]] = field(default_factory=set)
    notes: list[str] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.columns = [replace(column, name=safe(column.name)) for column in self.columns]

    def add(self, *cells: str, marked: tuple[int, ...] = ()) -> None:
        self.marks.update((len(self.rows), column) for column in marked)
        self.rows.append([safe(cell) for cell in cells])


def to_csv(grid: Grid) -> str:
    """RFC 4180, with the column names in lower case in the first row, and none of the notes."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    # A spreadsheet takes a cell that begins like this for a formula; what was read must stay a
    # text.
    writer.writerows(
        [f"'{cell}" if cell[:1] in "=+-@" and len(cell) > 1 else cell for cell in row]
        for row in ([column.name.lower() for column in grid.columns], *grid.rows)
    )
    return out.getvalue()


def markdown_cell(text: str) -> str:
    """A text in which Markdown sees no marks."""
    return "".join(f"\\{c}" if c in "|\\`*_<>[]" else c for c in text)


def to_markdown(grid: Grid) -> str:
    def line(cells: list[str]) -> str:
        return "| " + " | ".join(cells) + " |"

    rule = ["---:" if column.right else "---" for column in grid.columns]
    lines = [line([markdown_cell(column.name) for column in grid.columns]), line(rule)]
    lines += [line([markdown_cell(text) for text in row]) for row in grid.rows]
    lines += ["", *(markdown_cell(safe(note)) for note in grid.notes)] if grid.notes else []
    return "\n".join(lines) + "\n"
