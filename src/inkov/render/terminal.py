"""Tables and findings for a terminal, or for a file: no colour, no width to keep to."""

from __future__ import annotations

import io
import re
from collections.abc import Iterable, Iterator
from itertools import groupby, takewhile
from typing import Literal

from msgspec.structs import replace
from rich.box import Box
from rich.cells import cell_len
from rich.console import Console, Group, RenderableType
from rich.padding import Padding
from rich.segment import Segment, Segments
from rich.table import Table
from rich.text import Text

from inkov.harmless import clean, safe
from inkov.render.grid import Grid

__all__ = ["Screen", "grid_text"]

_COMMA = re.compile(r",(?=[0-9])")
_NARROW = 100
_WORD = 16  # a longer word may break where a column is squeezed
_WIDE = 100_000  # not a terminal: nothing is wrapped
_LINES = Box("    \n    \n ── \n    \n    \n    \n    \n    \n")
# Colours that can be read on a light ground as well as on a dark one.
_HEAD, _MARK, _GROUP, _NOTE = "bold", "bold magenta", "bold underline", "dim"
SEVERITY = {
    "breach": "bold white on red",
    "fault": "bold red",
    "risk": "bold magenta",
    "note": "bold cyan",
}


class Screen:
    """How wide, and whether in colour. `width` None: as wide as the text is."""

    def __init__(self, width: int | None, colour: bool) -> None:
        self.width = width
        self.colour = colour

    def render(self, *parts: RenderableType) -> str:
        plain = [_plain(part) for part in parts] if self.width is None and not self.colour else []
        # Without width and colour nothing has to be laid out.
        if plain and None not in plain:
            return "".join(f"{clean(text)}\n" for text in plain if text is not None)
        out = io.StringIO()
        console = Console(
            file=out,
            width=self.width or _WIDE,
            force_terminal=self.colour,
            no_color=not self.colour,
            color_system="standard" if self.colour else None,
            highlight=False,
            markup=False,
            emoji=False,
            legacy_windows=False,
        )
        # What was read is made harmless before the colours are added, which are none of it.
        drawn = console.render(Group(*parts), console.options.update(overflow="fold"))
        text = Segments([Segment(clean(part.text), part.style) for part in drawn])
        console.print(text, soft_wrap=False, crop=False, overflow="fold", end="")
        return "\n".join(
            line.rstrip() if not self.colour else line for line in out.getvalue().split("\n")
        )


def _plain(part: RenderableType) -> str | None:
    """A paragraph as text at once, for a file or a pipe, where nothing is wrapped; None for what is
    no paragraph. It costs a twentieth of laying it out.
    """
    left = part.left if isinstance(part, Padding) else 0
    inner = part.renderable if isinstance(part, Padding) else part
    # Tables are no paragraphs.
    if not isinstance(inner, Text):
        return None
    return "\n".join((" " * left + line).rstrip() for line in inner.plain.split("\n"))


def grid_text(grid: Grid, screen: Screen) -> str:
    """The table, its groups under headings of their own, its notes below."""
    # For a file or a pipe.
    if screen.width is None and not screen.colour:
        return _as_wide_as_it_is(grid)
    parts: list[RenderableType] = []
    grid = _in_their_folder(grid, screen.width)
    shown, widths, left_out = _fit(grid, screen.width)
    names = grid.rows
    # Not at its natural width.
    if widths != _natural(grid):
        grid = _with_gaps(grid)
    groups = (
        groupby(enumerate(grid.rows), key=lambda item: item[1][0])
        if grid.grouped
        else [("", enumerate(grid.rows))] * bool(grid.rows)
    )
    # Too narrow: nothing is left out where each row stands below its name.
    if widths is None:
        left_out = []
    for number, (name, rows) in enumerate(groups):
        # A table for each group, under its name.
        if grid.grouped:
            parts.append(Text("\n" * bool(number) + name, style=_GROUP))
        if widths is None:
            for at, row in rows:
                parts += _block(grid, at, row, names[at])
        else:
            parts += _in_pieces(grid, list(rows), shown, widths, screen)
    parts += [Text(safe(note), style=_NOTE) for note in grid.notes]
    # What was left out is said.
    if left_out:
        parts.append(Text(f"Left out at this width: {', '.join(left_out)}", style=_NOTE))
    return screen.render(*parts)


def _as_wide_as_it_is(grid: Grid) -> str:
    """The same for a file or a pipe, where nothing is squeezed or wrapped: as text at once, which
    costs a twentieth of laying it out.
    """
    shown, widths, _ = _fit(grid, None)
    assert widths is not None
    lines: list[str] = []

    def line(cells: list[str]) -> str:
        padded = []
        for at in shown:
            blank = " " * (widths[at] - cell_len(cells[at]))
            padded.append(blank + cells[at] if grid.columns[at].right else cells[at] + blank)
        return "  ".join(padded).rstrip()

    def table(rows: Iterable[list[str]]) -> None:
        lines.append(line([column.name for column in grid.columns]))
        lines.append("─" * (sum(widths[at] + 2 for at in shown) - 2))
        lines.extend(line(row) for row in rows)

    if grid.grouped:
        for name, rows in groupby(grid.rows, key=lambda row: row[0]):
            lines.extend(["", name] if lines else [name])
            table(rows)
    elif grid.rows:
        table(grid.rows)
    lines.extend(safe(note) for note in grid.notes)
    return "".join(f"{line}\n" for line in lines)


def _in_their_folder(grid: Grid, width: int | None) -> Grid:
    """A table that is too wide with its paths shortened by the folder that all are in."""
    natural = _natural(grid)
    paths = next((at for at, column in enumerate(grid.columns) if column.paths), None)
    if paths is None or width is None or _has_room(natural, list(range(len(natural))), width):
        return grid
    levels = zip(*(row[paths].split("/")[:-1] for row in grid.rows), strict=False)
    folder = "/".join(level[0] for level in takewhile(lambda level: len({*level}) == 1, levels))
    # Nothing in common, or nothing but a mark for it.
    if len(folder) < 2:
        return grid
    rows = [list(row) for row in grid.rows]
    for row in rows:
        row[paths] = row[paths].removeprefix(f"{folder}/")
    return replace(grid, rows=rows, notes=[f"All files are in {folder}", *grid.notes])


def _fit(grid: Grid, width: int | None) -> tuple[list[int], list[int] | None, list[str]]:
    """The columns to show, how wide each is (None if there is no room for a table), and those left
    out.
    """
    first = 1 if grid.grouped else 0
    shown = list(range(first, len(grid.columns)))
    natural = _natural(grid)
    left_out: list[str] = []
    # One spare column after the other goes, until it fits.
    while width is not None and not _has_room(natural, shown, width):
        spare = [at for at in shown if grid.columns[at].spare]
        # Nothing more to leave out: it is squeezed, or told in pieces.
        if not spare:
            if grid.in_pieces:
                return shown, natural, left_out
            return shown, _squeezed(_with_gaps(grid), shown, width), left_out
        shown.remove(spare[-1])
        left_out.append(grid.columns[spare[-1]].name)
    return shown, natural, left_out


def _has_room(widths: list[int], shown: list[int], width: int) -> bool:
    """Whether some columns fit beside each other, with two blanks between them."""
    return sum(widths[at] + 2 for at in shown) - 2 <= width


def _squeezed(grid: Grid, shown: list[int], width: int) -> list[int] | None:
    """How wide each column is so that all fit, the widest squeezed first; None where words would
    break by that, or where the rows are better told one by one.
    """
    if grid.blocks and width < _NARROW:
        return None
    least = [_least(grid, at) for at in range(len(grid.columns))]
    if not _has_room(least, shown, width):
        return None
    widths = _natural(grid)
    while not _has_room(widths, shown, width):
        widest = max((at for at in shown if widths[at] > least[at]), key=lambda at: widths[at])
        widths[widest] -= 1
    return widths


def _least(grid: Grid, at: int) -> int:
    """How wide a column has to be that no word of it breaks, but for long ones."""
    if grid.columns[at].whole:
        return _wide(grid, at)
    cells = [grid.columns[at].name, *(row[at] for row in grid.rows)]
    return min(max(cell_len(word) for cell in cells for word in cell.split() or [""]), _WORD)


def _with_gaps(grid: Grid) -> Grid:
    """A table whose lists of VIDs can break between numbers: not within one."""
    named = int(grid.grouped)  # the name of a group stands above it
    rows = [[*row[:named], *(_COMMA.sub(", ", cell) for cell in row[named:])] for row in grid.rows]
    return replace(grid, rows=rows)


def _in_pieces(
    grid: Grid,
    rows: list[tuple[int, list[str]]],
    shown: list[int],
    widths: list[int],
    screen: Screen,
) -> Iterator[RenderableType]:
    """A table, or the pieces of one that may be told so, an empty line between them."""
    for number, columns in enumerate(_pieces(grid, shown, screen.width)):
        # A piece stands apart from the one before.
        if number:
            yield Text()
        yield _table(grid, rows, columns, widths)


def _pieces(grid: Grid, shown: list[int], width: int | None) -> list[list[int]]:
    """The columns of a table that may be told in pieces, as many at a time as a screen is wide,
    each with the first one; of others all at once.
    """
    # Not in pieces, or there is room enough.
    if not grid.in_pieces or width is None or not shown:
        return [shown]
    first, *others = shown
    pieces: list[list[int]] = [[first]]
    room = width - _wide(grid, first)
    left = room
    for at in others:
        left -= 2 + _wide(grid, at)
        # Full: the next piece begins, with the first column again.
        if left < 0 and len(pieces[-1]) > 1:
            pieces.append([first])
            left = room - 2 - _wide(grid, at)
        pieces[-1].append(at)
    return pieces


def _natural(grid: Grid) -> list[int]:
    """How wide each column is at its widest."""
    return [_wide(grid, at) for at in range(len(grid.columns))]


def _wide(grid: Grid, at: int) -> int:
    """How wide a column is at its widest."""
    return max([cell_len(grid.columns[at].name), *(cell_len(row[at]) for row in grid.rows)])


def _table(
    grid: Grid, rows: Iterable[tuple[int, list[str]]], shown: list[int], widths: list[int]
) -> Table:
    table = Table(
        box=_LINES, pad_edge=False, header_style=_HEAD, show_edge=False, padding=(0, 1, 0, 0)
    )
    for at in shown:
        column = grid.columns[at]
        justify: Literal["left", "right"] = "right" if column.right else "left"
        table.add_column(
            column.name,
            justify=justify,
            no_wrap=column.whole,
            overflow="fold",
            min_width=widths[at],
            max_width=widths[at],
        )
    for number, row in rows:
        table.add_row(
            *(Text(row[at], style=_MARK if (number, at) in grid.marks else "") for at in shown)
        )
    return table


def _block(grid: Grid, number: int, row: list[str], own: list[str]) -> list[RenderableType]:
    """A row below its name (of a link both ends): what else it has, a line for each column. The
    name stands as it is in `own`, without gaps.
    """
    table = Table.grid(padding=(0, 2, 0, 0))
    table.add_column(style=_NOTE, no_wrap=True)
    table.add_column(overflow="fold")
    # The name of a group is told above it.
    first = int(grid.grouped)
    named = first + (2 if any(column.whole for column in grid.columns[first + 1 :][:1]) else 1)
    for at, (column, cell) in enumerate(zip(grid.columns, row, strict=True)):
        # What is empty is left out.
        if cell and at >= named:
            style = _MARK if (number, at) in grid.marks else ""
            table.add_row(column.name, Text(cell, style=style))
    return [
        Text("  ".join(own[first:named]), style=_HEAD),
        Padding(table, (0, 0, 0, 4), expand=False),
    ]


def indented(text: str, by: int, style: str = "") -> Padding:
    """A paragraph that keeps its indentation when it is wrapped."""
    return Padding(Text(text, style=style), (0, 0, 0, by), expand=False)
