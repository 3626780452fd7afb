"""Tables as one HTML page that needs nothing else: no script, no file beside it."""

from __future__ import annotations

import re
from collections.abc import Iterator
from html import escape

from inkov.harmless import safe
from inkov.render.grid import Grid

__all__ = ["page_of", "table_of", "to_page"]

# What is marked has a bar and bold text, so that it does not hang on the colour alone.
_STYLE = """
body { font: 15px/1.45 system-ui, sans-serif; margin: 1.5em; color: #222; background: #fdfdfb }
table { border-collapse: collapse; margin-bottom: 1em }
th { text-align: left; border-bottom: 2px solid #888 }
thead { position: sticky; top: 0; background: #fdfdfb }
th, td { padding: .15em .8em .15em 0; vertical-align: top }
tr:nth-child(even) td { background: #f3f3ec }
td { white-space: pre-wrap; font-family: ui-monospace, monospace; font-size: 13px }
.right { text-align: right }
.marked { font-weight: bold; color: #8a1f5c; box-shadow: inset 3px 0 #8a1f5c; padding-left: .5em }
p { margin: .2em 0 } .soft { color: #555 }
"""


def to_page(grids: list[Grid]) -> str:
    """The page with some tables, their notes below each."""
    return page_of("Inkov", "".join(line for grid in grids for line in table_of(grid)))


def page_of(title: str, body: str) -> str:
    """A page with some body, which is markup already."""
    return (
        '<!DOCTYPE html>\n<html lang="en">\n<head>\n<meta charset="utf-8">\n'
        f"<title>{escape(safe(title))}</title>\n"
        f"<style>{_STYLE}</style>\n</head>\n<body>\n{body}</body>\n</html>\n"
    )


def table_of(grid: Grid, name: str = "") -> Iterator[str]:
    """The markup of a table and its notes; `name` is a class that it gets."""
    yield f"<table{_class(name)}>\n<thead><tr>"
    for column in grid.columns:
        yield f"<th{_class('right' * column.right)}>{escape(column.name)}</th>"
    yield "</tr></thead>\n<tbody>\n"
    for number, row in enumerate(grid.rows):
        yield "<tr>"
        for at, (column, cell) in enumerate(zip(grid.columns, row, strict=True)):
            names = _class("right" * column.right, "marked" * ((number, at) in grid.marks))
            text = _BREAKS.sub(r"\1<wbr>", escape(cell))
            yield f"<td{names}>{text}</td>"
        yield "</tr>\n"
    yield "</tbody>\n</table>\n"
    for note in grid.notes:
        yield f'<p class="soft">{escape(safe(note))}</p>\n'


_BREAKS = re.compile(r"([,:/])(?=[^\s;])")
"""Where a cell may be broken: after these marks, not within a name or a number."""


def _class(*names: str) -> str:
    chosen = " ".join(filter(None, names))
    return f' class="{chosen}"' if chosen else ""
