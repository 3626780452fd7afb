"""Tables, as CSV (RFC 4180; comma, semicolon or tab between columns) or Excel workbooks: cabling,
hosts, port plans.

The first row names the columns, in any order and case. `_TABLES` says which columns make which
table.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Callable, Iterable, Iterator
from difflib import get_close_matches
from ipaddress import ip_address, ip_interface

from msgspec import Struct

from inkov.campus import Cable, Host, Origin, Planned, Problem
from inkov.readers.reading import Part, Reading, Unread, as_text
from inkov.readers.sheets.words import PORT_KEYS

__all__ = ["almost", "columns_of", "lacking", "read", "read_rows", "recognise", "table_of"]

Row = dict[str, str]


class _Bad(ValueError):
    def __init__(self, column: str, says: str) -> None:
        super().__init__(says)
        self.column = column


class Table(Struct, frozen=True):
    """A kind of table: the columns it needs (one of each) or may have, and what a row adds. With
    `places` a row says in which VLANs somebody is, so that a column about them must not be missed.
    """

    name: str
    needed: tuple[str, ...]
    optional: tuple[str, ...]
    add: Callable[[Part, Row, Origin], None]
    places: bool = True


def _cable(part: Part, row: Row, origin: Origin) -> None:
    part.cables.append(
        Cable(row["switch"], row["port"], row["far switch"], row["far port"], origin)
    )


def _host(part: Part, row: Row, origin: Origin) -> None:
    address, gateway, vid = row.get("address", ""), row.get("gateway", ""), row.get("vlan", "")
    if vid and not (vid.isascii() and vid.isdigit() and len(vid) < 5 and 1 <= int(vid) <= 4094):
        raise _Bad("vlan", f"{vid!r} is not a VLAN number (1 to 4094)")
    # An address without its prefix is in a subnet that nobody stated.
    if address and "/" not in address:
        raise _Bad("address", f"{address!r} lacks its prefix: write it as {address}/24")
    try:
        interface = ip_interface(address) if address else None
    except ValueError:
        raise _Bad(
            "address", f"{address!r} is not an address with its prefix, as in 10.0.0.5/24"
        ) from None
    try:
        near = str(ip_address(gateway)) if gateway else None
    except ValueError:
        raise _Bad("gateway", f"{gateway!r} is not an address") from None
    part.hosts.append(
        Host(
            row["host"],
            row["switch"],
            row["port"],
            origin,
            int(vid) if vid else None,
            interface,
            near,
        )
    )


_PLANNED = ("mode", "vlan", "voice", "native", "allowed", "state", "about", "protected", "edge")


def _planned(part: Part, row: Row, origin: Origin) -> None:
    values = {}
    for key in _PLANNED:
        if row.get(key):
            attribute, read = PORT_KEYS[key]
            try:
                values[attribute] = read(row[key])
            except ValueError as error:
                raise _Bad(key, str(error).partition("\n")[0]) from None
    part.planned.append(Planned(row["switch"], row["port"], origin, values))


_TABLES = (
    Table("cabling table", ("switch", "port", "far switch", "far port"), (), _cable, places=False),
    Table("host table", ("host", "switch", "port"), ("address", "gateway", "vlan"), _host),
    Table("port plan", ("switch", "port", "vlan"), _PLANNED, _planned),
    Table("port plan", ("switch", "port", "mode"), _PLANNED, _planned),
)


def recognise(head: bytes) -> bool:
    """True if the first row names the columns of one of our tables."""
    return _known(head.decode("utf-8-sig", "replace").splitlines()[:1]) is not None


def _known(lines: list[str]) -> tuple[Table, str] | None:
    for mark in ",;\t":
        # A row is of the first mark that makes a table of it; texts hold commas more often than
        # tabs.
        for row in csv.reader(lines, delimiter=mark):
            table = table_of(row)
            if table is not None:
                return table, mark
    return None


def almost(head: bytes) -> str:
    """What a file lacks to be one of our tables, if it is nearly one; "" for any other."""
    line = head.decode("utf-8-sig", "replace").splitlines()[:1]
    rows = (row for mark in ",;\t" for row in csv.reader(line, delimiter=mark))
    short = next(filter(None, map(lacking, rows)), None)
    return f"no {short[0]} without a column {short[1]!r}" if short is not None else ""


def columns_of(line: str) -> tuple[list[str], str] | None:
    """The columns that a first row names, and the mark between them; None if it is of no table."""
    known = _known([line])
    if known is None:
        return None
    mark = known[1]
    return columns_in(next(csv.reader([line], delimiter=mark))), mark


def columns_in(cells: Iterable[str]) -> list[str]:
    """The columns that the cells of a first row name."""
    return [_column(cell) for cell in cells]


def table_of(cells: Iterable[str]) -> Table | None:
    """The kind of table that a first row opens, if any."""
    columns = {_column(cell) for cell in cells}
    return next((table for table in _TABLES if set(table.needed) <= columns), None)


def lacking(cells: Iterable[str]) -> tuple[str, str] | None:
    """The kind of table that a first row would open but for one column, and that column: nearly
    always a slip in its name.
    """
    columns = {_column(cell) for cell in cells}
    for table in _TABLES:
        missing = [name for name in table.needed if name not in columns]
        if len(missing) == 1:
            return table.name, missing[0]
    return None


def _column(cell: str) -> str:
    return " ".join(cell.lower().replace("_", " ").split())


def read(file: str, data: bytes, *, account: bool) -> Reading:
    """Read one CSV file."""
    reading = Reading(detail="table")
    part = reading.part
    text, part.problems = as_text(file, data)
    known = _known(text.splitlines()[:1])
    if known is None:
        says = "the first row does not name the columns of a table"
        part.problems.append(Problem(Origin(file, 1), says, "", True))
        return reading
    table, mark = known
    reading.detail = table.name
    rows = csv.reader(io.StringIO(text, newline=""), delimiter=mark)
    try:
        read_rows(file, table, ((rows.line_num, cells) for cells in rows), reading)
    except csv.Error as error:
        # Rows that came before the fault may be of wrong columns as well: none counts as
        # understood.
        reading.ledger.understood = 0
        says = f"not a well-formed table: {error}"
        part.problems.append(Problem(Origin(file, rows.line_num), says, lost=True))
    return reading


def read_rows(
    file: str,
    table: Table,
    rows: Iterator[tuple[int, list[str]]],
    reading: Reading,
    place: str = "",
) -> None:
    """Read the rows of a table into `reading`, the first of them naming the columns.

    `place` goes before what is wrong with a row: the worksheet of a workbook.
    """
    part, ledger = reading.part, reading.ledger
    first, head = next(rows)
    columns = [_column(cell) for cell in head]
    ledger.passed += 1
    # A column that nobody uses is told: a slip in its name would make it silently without effect.
    for column in columns:
        if column and column not in _used_by(table):
            text = f"{place}column {column!r}"
            if _may_matter(column, table):
                ledger.unmatched.append(Unread(Origin(file, first), text, ours=True))
            else:
                ledger.ignored.append(Unread(Origin(file, first), text, 0))
    twice = {name for name in columns if name in _used_by(table) and columns.count(name) > 1}
    if twice:
        says = f"{place}column {min(twice)!r} is there twice: which one counts is not known"
        part.problems.append(Problem(Origin(file, first), says, "leave one out", True))
        ledger.unmatched.append(Unread(Origin(file, first), ",".join(head)))
        return
    for line, cells in rows:
        # Spreadsheets leave empty rows behind: no mistake, and nothing to count.
        if not any(cell.strip() for cell in cells):
            continue
        origin = Origin(file, line)
        row = {column: cell.strip() for column, cell in zip(columns, cells, strict=False)}
        try:
            if any(cell.strip() for cell in cells[len(columns) :]):
                # Its cells may stand below the wrong columns, as after a comma without quotes.
                says = "more cells follow than there are columns (texts with marks need quotes)"
                raise _Bad(columns[-1], says)
            _check_needed(table, row)
            table.add(part, row, origin)
            ledger.understood += 1
        except _Bad as bad:
            says = f"{place}column {bad.column!r}: {bad}; the row is left out"
            part.problems.append(Problem(origin, says))
            ledger.unmatched.append(Unread(origin, ",".join(cells)))


_DECIDING = {"vlan", "address", "gateway"}
"""Columns of a host table that decide whom the host hears and reaches."""

_VLAN = re.compile(r"vlans?|p?vids?|(un)?tagged")
_PERHAPS = re.compile(r"tags?|native|voice|allowed|trunks?")
_BESIDE = {"id", "number", "list", "802.1q"}
_LABELS = {"name", "description", "about", "comment", "comments", "note", "notes"}


def _may_matter(column: str, table: Table) -> bool:
    """Whether a column that is not used may say in which VLANs or subnet somebody is: `vlan id`,
    `tag`, `adress`; but not `asset tag` or `vlan name`. What a table of cables says of VLANs is
    not what a switch does.
    """
    if not table.places:
        return False
    # Nearly the name of a column that is used: a slip.
    if get_close_matches(column, _DECIDING & set(_used_by(table)), cutoff=0.8):
        return True
    words = re.findall(r"[0-9a-z.]+", column)
    if any(map(_VLAN.fullmatch, words)):
        return not _LABELS.intersection(words)
    own = [word for word in words if word not in _BESIDE]
    return bool(own) and all(map(_PERHAPS.fullmatch, own))


def _used_by(table: Table) -> tuple[str, ...]:
    return table.needed + table.optional


def _check_needed(table: Table, row: Row) -> None:
    """A row states every column that its table needs; a port plan may leave a setting open."""
    for column in table.needed:
        if not row.get(column) and not (table.name == "port plan" and column in _PLANNED):
            raise _Bad(column, "is empty")
