"""Edits made in a workbook that holds a table of hosts: a cell gets another value.

openpyxl writes the workbook anew. What it does not know (pictures, macros) would be lost, and a
workbook with such parts is not written.
"""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterator, Sequence
from typing import Any

from inkov.edits import Edit, Kind
from inkov.readers.rewriting import CannotWrite
from inkov.readers.tables import columns_in, table_of

__all__ = ["rewrite_workbook"]

_KEPT = ("xl/drawings/", "xl/charts/", "xl/media/", "xl/vbaProject", "xl/pivot", "customXml/")
_COLUMNS = ("address", "gateway")


def rewrite_workbook(data: bytes, edits: Sequence[Edit]) -> tuple[bytes, list[tuple[str, str]]]:
    """The workbook with some edits of hosts made, and for each cell that changes the line that says
    so before and after. Raises CannotWrite.
    """
    from openpyxl import load_workbook

    with zipfile.ZipFile(io.BytesIO(data)) as package:
        # The library would drop these without a word when it writes the workbook anew.
        if any(name.startswith(_KEPT) for name in package.namelist()):
            raise CannotWrite("it holds more than cells, which would not stay")
    book = load_workbook(io.BytesIO(data))
    lines: list[tuple[str, str]] = []
    for edit in edits:
        what = f"host {edit.name}, {edit.attribute or 'the whole of it'}"
        if edit.kind is not Kind.HOST or edit.attribute not in _COLUMNS:
            raise CannotWrite(f"{what}: not written into a table")
        cells = [cell for sheet in book.worksheets for cell in _cells(sheet, edit)]
        # A host that stands in two rows: which one counts is not ours to decide.
        if len(cells) != 1:
            raise CannotWrite(f"{what}: {len(cells)} rows of the workbook are about it")
        name, cell = cells[0]
        before = "" if cell.value is None else str(cell.value)
        # Its value comes from elsewhere, and so should the cure.
        if before.startswith("="):
            raise CannotWrite(f"{what}: its cell holds a formula")
        cell.value = "" if edit.after is None else str(edit.after)
        lines.append((f"{name}: {before}", f"{name}: {cell.value}"))
    written = io.BytesIO()
    book.save(written)
    return written.getvalue(), lines


def _cells(sheet: Any, edit: Edit) -> Iterator[tuple[str, Any]]:
    """(name, cell) of what an edit is about in a worksheet, if that is a table of hosts."""
    rows = sheet.iter_rows()
    head = [("" if cell.value is None else str(cell.value)) for cell in next(rows, ())]
    table = table_of(head)
    if table is None or table.name != "host table":
        return
    columns = columns_in(head)
    if edit.attribute not in columns:
        return
    for row in rows:
        if str(row[columns.index("host")].value or "").strip() == edit.name:
            cell = row[columns.index(edit.attribute)]
            yield f"{sheet.title}!{cell.coordinate}", cell
