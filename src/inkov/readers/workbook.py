"""Excel workbooks (Office Open XML): each worksheet whose first row names the columns of a table is
read as that table.

openpyxl is an optional extra of the package. A workbook is a zip: what it unpacks to is limited
before it is opened.
"""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterator
from typing import Any

from inkov.campus import Origin, Problem
from inkov.readers.ledger import Part, Unread
from inkov.readers.tables import read_rows, table_of

__all__ = ["is_workbook", "read_workbook"]

_MOST_BYTES = 64 * 1024 * 1024
_MOST_ROWS = 200_000


def is_workbook(head: bytes) -> bool:
    """True if the file is a zip that begins like an Office Open XML package."""
    return head[:4] == b"PK\x03\x04" and (
        b"[Content_Types].xml" in head
        or b"_rels/" in head
        or b"xl/" in head
        or b"docProps/" in head
    )


def read_workbook(file: str, data: bytes) -> tuple[Part, int, str]:
    """Read one workbook. Returns what it holds, how many rows were understood, and which tables it
    has.
    """
    part = Part()

    def refused(says: str, cure: str = "") -> tuple[Part, int, str]:
        part.problems.append(Problem(Origin(file), says, cure, True))
        return part, 0, ""

    try:
        from openpyxl import load_workbook
    except ImportError:
        return refused(
            "an Excel workbook, and openpyxl is not installed",
            "pip install 'inkov[excel]', or save as CSV",
        )
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as package:
            if sum(member.file_size for member in package.infolist()) > _MOST_BYTES:
                return refused(
                    f"the workbook unpacks to more than {_MOST_BYTES // 1024**2} MiB",
                    "save it as CSV",
                )
        book = load_workbook(io.BytesIO(data), read_only=True, data_only=True, keep_links=False)
    except Exception as error:  # whatever a broken package makes of the library
        return refused(
            f"not a workbook that can be read: {type(error).__name__}", "save it again, or as CSV"
        )
    understood = 0
    found: dict[str, None] = {}
    for sheet in book.worksheets:
        try:
            rows = _rows(sheet)
            head = next(rows, None)
            table = table_of(head[1]) if head else None
            if head is None or table is None:
                part.ignored.append(
                    Unread(Origin(file), f"worksheet {sheet.title!r}: not a table that is read", 0)
                )
                continue
            found[table.name] = None
            understood += read_rows(
                file, table, _with_first(head, rows), part, f"worksheet {sheet.title!r}, "
            )
        except Exception as error:
            says = f"worksheet {sheet.title!r} cannot be read: {type(error).__name__}"
            part.problems.append(Problem(Origin(file), says, "save it as CSV", True))
    return part, understood, ", ".join(found)


def _rows(sheet: Any) -> Iterator[tuple[int, list[str]]]:
    for number, cells in enumerate(sheet.iter_rows(values_only=True, max_row=_MOST_ROWS), 1):
        yield number, [_text(cell) for cell in cells]


def _text(cell: Any) -> str:
    if cell is None:
        return ""
    if isinstance(cell, float) and cell.is_integer():
        return str(int(cell))
    return str(cell)


def _with_first(
    first: tuple[int, list[str]], rest: Iterator[tuple[int, list[str]]]
) -> Iterator[tuple[int, list[str]]]:
    yield first
    yield from rest
