"""Edits made in a table of hosts: one cell gets another value, all else stays as it is written."""

from __future__ import annotations

import csv
import re
from collections.abc import Sequence

from inkov.campus import Origin
from inkov.edits import Edit, Kind
from inkov.readers.rewriting import CannotWrite
from inkov.readers.tables import columns_of

__all__ = ["rewrite_hosts"]

_COLUMNS = ("address", "gateway")


def rewrite_hosts(text: str, edits: Sequence[tuple[Edit, Origin]]) -> str:
    """The text of a host table with some edits made, each of the host in a line. Raises
    CannotWrite.
    """
    lines = text.split("\n")
    known = columns_of(lines[0].rstrip("\r"))
    if known is None:
        raise CannotWrite("its first row names no columns")
    columns, mark = known
    for edit, origin in edits:
        what = f"host {edit.name}, {edit.attribute or 'the whole of it'}"
        if edit.kind is not Kind.HOST or edit.attribute not in _COLUMNS:
            raise CannotWrite(f"{what}: not written into a table")
        if edit.attribute not in columns:
            raise CannotWrite(f"{what}: the table has no column for it")
        at = columns.index(edit.attribute)
        line = lines[origin.line - 1]
        ending = "\r" if line.endswith("\r") else ""
        value = "" if edit.after is None else str(edit.after)
        lines[origin.line - 1] = _with_cell(line.rstrip("\r"), mark, at, value, what) + ending
    return "\n".join(lines)


def _with_cell(line: str, mark: str, at: int, value: str, what: str) -> str:
    """A line with another value in a cell; cells that the row lacks at its end are added."""
    quoted = rf'[ ]*"(?:[^"]|"")*"[ ]*|[^{re.escape(mark)}]*'
    cells = re.findall(rf"({quoted})(?:{re.escape(mark)}|\Z)", line)
    # An empty match behind the last cell is no cell, unless the line ends with a mark.
    if line and not line.endswith(mark):
        cells = cells[:-1] if cells[-1] == "" else cells
    # The cells as cut here must be those that a reader of the table sees.
    if next(csv.reader([line], delimiter=mark), []) != next(
        csv.reader([mark.join(cells)], delimiter=mark), []
    ):
        raise CannotWrite(f"{what}: its row is written in a way that would not stay")
    cells += [""] * (at + 1 - len(cells))
    now = cells[at]
    inner = now.strip()
    quote = '"' if inner.startswith('"') else ""
    cells[at] = now.replace(inner, f"{quote}{value}{quote}") if inner else f"{quote}{value}{quote}"
    return mark.join(cells)
