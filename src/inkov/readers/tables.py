"""Tables in CSV (RFC 4180; comma, semicolon or tab between columns): cabling and hosts.

The first row names the columns, in any order and case. `_TABLES` says which columns make which table.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Callable
from ipaddress import ip_address, ip_interface

from msgspec import Struct

from inkov.campus import Cable, Host, Origin, Problem
from inkov.readers.ledger import Part, Unread, as_text

__all__ = ["read_table", "recognise"]

Row = dict[str, str]


class _Bad(ValueError):
    def __init__(self, column: str, says: str) -> None:
        super().__init__(says)
        self.column = column


class _Table(Struct, frozen=True):
    name: str
    needed: tuple[str, ...]
    optional: tuple[str, ...]
    add: Callable[[Part, Row, Origin], None]


def _cable(part: Part, row: Row, origin: Origin) -> None:
    part.cables.append(Cable(row["switch"], row["port"], row["far switch"], row["far port"], origin))


def _host(part: Part, row: Row, origin: Origin) -> None:
    address, gateway, vid = row.get("address", ""), row.get("gateway", ""), row.get("vlan", "")
    if vid and not (vid.isascii() and vid.isdigit() and len(vid) < 5 and 1 <= int(vid) <= 4094):
        raise _Bad("vlan", f"{vid!r} is not a VLAN number (1 to 4094)")
    if address and "/" not in address:
        raise _Bad("address", f"{address!r} lacks its prefix: write it as {address}/24")
    try:
        interface = ip_interface(address) if address else None
    except ValueError:
        raise _Bad("address", f"{address!r} is not an address with its prefix, as in 10.0.0.5/24") from None
    try:
        near = str(ip_address(gateway)) if gateway else None
    except ValueError:
        raise _Bad("gateway", f"{gateway!r} is not an address") from None
    part.hosts.append(Host(row["host"], row["switch"], row["port"], origin, int(vid) if vid else None, interface, near))


_TABLES = (
    _Table("cabling table", ("switch", "port", "far switch", "far port"), (), _cable),
    _Table("host table", ("host", "switch", "port"), ("address", "gateway", "vlan"), _host),
)


def recognise(head: bytes) -> bool:
    """True if the first row names the columns of one of our tables."""
    return _known(head.decode("utf-8-sig", "replace").splitlines()[:1]) is not None


def _known(lines: list[str]) -> tuple[_Table, str] | None:
    for mark in ",;\t":
        for row in csv.reader(lines, delimiter=mark):
            columns = [_column(cell) for cell in row]
            for table in _TABLES:
                if set(table.needed) <= set(columns):
                    return table, mark
    return None


def _column(cell: str) -> str:
    return " ".join(cell.lower().replace("_", " ").split())


def read_table(file: str, data: bytes) -> tuple[Part, int, str]:
    """Read one table. Returns what it holds, how many rows were understood, and the kind of table."""
    part = Part()
    text, part.problems = as_text(file, data)
    known = _known(text.splitlines()[:1])
    assert known is not None
    table, mark = known
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=mark)
    columns = [_column(cell) for cell in next(reader)]
    for column in columns:
        if column and column not in table.needed + table.optional:
            part.ignored.append(Unread(Origin(file, 1), f"column {column!r}", 0))
    understood = 0
    try:
        for cells in reader:
            if not any(cell.strip() for cell in cells):
                continue
            origin = Origin(file, reader.line_num)
            row = {column: cell.strip() for column, cell in zip(columns, cells, strict=False)}
            try:
                for column in table.needed:
                    if not row.get(column):
                        raise _Bad(column, "is empty")
                table.add(part, row, origin)
                understood += 1
            except _Bad as bad:
                part.problems.append(Problem(origin, f"column {bad.column!r}: {bad}; the row is left out"))
                part.unmatched.append(Unread(origin, mark.join(cells)))
    except csv.Error as error:
        part.problems.append(Problem(Origin(file, reader.line_num), f"not a well-formed table: {error}", lost=True))
    return part, understood, table.name
