"""Excel workbooks (Office Open XML): each worksheet whose first row names the columns of a table is
read as that table.

openpyxl is an optional extra of the package. A workbook is a zip: what it unpacks to is limited
before it is opened.
"""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Iterator
from functools import partial
from itertools import chain
from typing import Any

from inkov.campus import Origin, Problem
from inkov.readers.reading import Part, Reading, Unread
from inkov.readers.tables import lacking, read_rows, table_of

__all__ = ["read", "recognise"]

_MOST_BYTES = 64 * 1024 * 1024
_MOST_ROWS = 200_000
_MOST_COLUMNS = 200
_FORMULA = re.compile(rb"<(\w+:)?f[ >]")


def recognise(head: bytes) -> bool:
    """True if the file is a zip that begins like an Office Open XML package."""
    marks = (b"[Content_Types].xml", b"_rels/", b"xl/", b"docProps/")
    return head[:4] == b"PK\x03\x04" and any(mark in head for mark in marks)


def read(file: str, data: bytes, *, account: bool) -> Reading:
    """Read one workbook."""
    try:
        from openpyxl import load_workbook
    except ImportError:
        says = "an Excel workbook, and openpyxl is not installed"
        return _refused(file, says, "pip install 'inkov[excel]', or save as CSV")
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as package:
            # What the package says of its own size; the library unpacks no more than that.
            if sum(member.file_size for member in package.infolist()) > _MOST_BYTES:
                says = f"the workbook unpacks to more than {_MOST_BYTES // 1024**2} MiB"
                return _refused(file, says, "save it as CSV")
            sheets = [name for name in package.namelist() if name.startswith("xl/worksheets/")]
            has_formulas = any(_FORMULA.search(package.read(name)) for name in sheets)
        load = partial(load_workbook, io.BytesIO(data), read_only=True, keep_links=False)
        book = load(data_only=True)
        formulas = load() if has_formulas else None
    except Exception as error:  # whatever a broken package makes of the library
        says = f"not a workbook that can be read: {type(error).__name__}"
        return _refused(file, says, "save it again, or as CSV")
    reading = Reading(detail="")
    kinds: dict[str, None] = {}
    for sheet in book.worksheets:
        try:
            asked = formulas[sheet.title] if formulas is not None else None
            kind = _worksheet(file, sheet, asked, reading)
        except Exception as error:
            # One worksheet that cannot be read does not cost the others.
            says = f"worksheet {sheet.title!r} cannot be read: {type(error).__name__}"
            reading.part.problems.append(Problem(Origin(file), says, "save it as CSV", True))
            continue
        if kind:
            kinds[kind] = None
    if kinds:
        reading.detail = f"Excel, {', '.join(kinds)}"
    return reading


def _refused(file: str, says: str, cure: str) -> Reading:
    return Reading(Part(problems=[Problem(Origin(file), says, cure, True)]), detail="")


def _worksheet(file: str, sheet: Any, formulas: Any, reading: Reading) -> str:
    """Read one worksheet; `formulas` is the same with formulas in place of their values, if it has
    any. Returns the kind of table that it holds, "" for none.
    """
    rows = _rows(file, sheet, formulas, reading)
    head = next(rows, None)
    table = table_of(head[1]) if head else None
    if head is None or table is None:
        name = f"worksheet {sheet.title!r}"
        short = lacking(head[1]) if head else None
        if head is not None and short is not None:
            # It is about ports of switches: what it says is not known, and that counts.
            says = f"{name}: no {short[0]} without a column {short[1]!r}"
            reading.ledger.unmatched.append(Unread(Origin(file, head[0]), says, ours=True))
        else:
            text = f"{name}: not a table that is read"
            reading.ledger.ignored.append(Unread(Origin(file), text, 0))
        return ""
    read_rows(file, table, chain([head], rows), reading, f"worksheet {sheet.title!r}, ")
    return table.name


def _rows(
    file: str, sheet: Any, formulas: Any, reading: Reading
) -> Iterator[tuple[int, list[str]]]:
    sheets = [sheet] if formulas is None else [sheet, formulas]
    for each in sheets:
        each.reset_dimensions()  # what the file says of its size is not believed
    rows = (each.iter_rows(max_row=_MOST_ROWS + 1, max_col=_MOST_COLUMNS) for each in sheets)
    for number, (cells, *asked) in enumerate(zip(*rows, strict=True), 1):
        if number > _MOST_ROWS:
            says = f"worksheet {sheet.title!r} goes on behind row {_MOST_ROWS}: not read"
            reading.part.problems.append(Problem(Origin(file), says, "save it as CSV", True))
            return
        # A program that writes workbooks without working them out leaves no values.
        empty = [
            formula.coordinate
            for formulas_of in asked
            for cell, formula in zip(cells, formulas_of, strict=False)
            if cell.value is None and formula.value is not None
        ]
        if empty:
            says = f"worksheet {sheet.title!r}, cell {empty[0]}: a formula without its value"
            cure = "open the workbook and save it, or save it as CSV"
            reading.part.problems.append(Problem(Origin(file, number), says, cure))
            continue
        yield number, [_text(cell.value) for cell in cells]


def _text(cell: Any) -> str:
    if cell is None:
        return ""
    # A spreadsheet has no whole numbers: 40 comes as 40.0.
    if isinstance(cell, float) and cell.is_integer():
        return str(int(cell))
    return str(cell)
