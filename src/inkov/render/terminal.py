"""Tables and findings for a terminal, or for a file without colour and without a width to keep to."""

from __future__ import annotations

import io
from collections.abc import Iterable
from itertools import groupby

from rich.box import Box
from rich.console import Console, Group, RenderableType
from rich.padding import Padding
from rich.table import Table
from rich.text import Text

from inkov.render.grid import Grid

__all__ = ["Screen", "grid_text"]

_WIDE = 100_000  # not a terminal: nothing is wrapped
_LINES = Box("    \n    \n ── \n    \n    \n    \n    \n    \n")
_HEAD, _MARK, _GROUP, _NOTE = "bold", "bold yellow", "bold cyan", "dim"
SEVERITY = {"breach": "bold white on red", "fault": "bold red", "risk": "yellow", "note": "cyan"}


class Screen:
    """How wide, and whether in colour. `width` None: as wide as the text is."""

    def __init__(self, width: int | None, colour: bool) -> None:
        self.width = width
        self.colour = colour

    def render(self, *parts: RenderableType) -> str:
        out = io.StringIO()
        console = Console(
            file=out, width=self.width or _WIDE, force_terminal=self.colour, no_color=not self.colour,
            color_system="standard" if self.colour else None, highlight=False, markup=False, emoji=False,
            legacy_windows=False,
        )  # fmt: skip
        console.print(Group(*parts), soft_wrap=False, crop=False, overflow="fold")
        return "\n".join(line.rstrip() if not self.colour else line for line in out.getvalue().split("\n"))


def grid_text(grid: Grid, screen: Screen) -> str:
    """The table, its groups under headings of their own, its notes below."""
    parts: list[RenderableType] = []
    numbered = list(enumerate(grid.rows))
    if grid.grouped:
        for name, rows in groupby(numbered, key=lambda item: item[1][0]):
            parts += [Text(name, style=_GROUP), _table(grid, list(rows), 1)]
    elif numbered:
        parts.append(_table(grid, numbered, 0))
    parts += [Text(note, style=_NOTE) for note in grid.notes]
    return screen.render(*parts)


def _table(grid: Grid, rows: Iterable[tuple[int, list[str]]], first: int) -> Table:
    table = Table(box=_LINES, pad_edge=False, header_style=_HEAD, show_edge=False, padding=(0, 1, 0, 0))
    for column in grid.columns[first:]:
        table.add_column(
            column.name, justify="right" if column.right else "left", no_wrap=column.whole, overflow="fold"
        )
    for number, row in rows:
        cells = row[first:]
        table.add_row(
            *(Text(cell, style=_MARK if (number, at + first) in grid.marks else "") for at, cell in enumerate(cells))
        )
    return table


def indented(text: str, by: int, style: str = "") -> Padding:
    """A paragraph that keeps its indentation when it is wrapped."""
    return Padding(Text(text, style=style), (0, 0, 0, by))
