"""The text of an SNMP walk: lines of `OBJECT.INDEX = TYPE: VALUE`, in the usual variants of its
output.

Theory of operation. Three things make such a text hard to read right.

*Names.* An object may be numeric (`.1.3.6.1...`, `iso.3.6.1...`) or named, by the deepest name that
the tool knew, with or without its module, indices in dots or brackets. `rows` makes numbers of all
of these; `objects` knows which are read.

*Octets.* A list of ports is printed in hex, or, where all its bytes happen to be printable, as
text, with or without its type. Only text in quotes is taken for octets: outside of them nobody can
tell where it begins and ends (`rows.octets`).

*Texts of others.* A neighbour's name or description may hold line ends, and then a line that looks
like an object. Where the tool prints quotes, they are followed to their end. Where it prints none,
the order tells: a walk's objects ascend, so where one below a text does not, some line there was a
part of the text (`order`). Nobody can be sure which: such a walk is refused.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from itertools import takewhile

from msgspec import Struct

from inkov.readers.walk.objects import (
    COLUMNS,
    OBJECTS,
    Column,
    Numbers,
    in_family,
    is_above_objects,
    numbers_of,
)
from inkov.readers.walk.order import Placed, doubtful
from inkov.readers.walk.rows import (
    HEX_KINDS,
    HEX_LINE,
    SEPARATORS,
    TEXTS,
    Note,
    Row,
    numbers_of_object,
)

__all__ = ["parse", "recognise"]

_OBJECT = r"(?:\"(?:[^\"\\]|\\.)*\"|[^\s=\"])*"
_LINE = re.compile(
    # Numbers, or a name with its module, may have just a space behind them; a bare name needs its
    # equals sign, unless it is one that is known.
    rf"(?:(\.?[012]\.[0-9][0-9.]*|\.?iso\.{_OBJECT}|[A-Za-z][\w-]*::{_OBJECT})\s(?:=\s?)?"
    rf"|(\.?[a-zA-Z][A-Za-z0-9-]*[.\[]{_OBJECT})\s(=\s?)?)(.*)\Z",
    re.DOTALL,
)
_TYPE = re.compile(
    r"(INTEGER|STRING|OCTET STRING|Hex-STRING|Hex|Gauge32|Unsigned32|Counter32|Counter64|"
    r"Timeticks|OID|BITS|IpAddress|Network Address|Opaque|UInteger32):\s?(.*)\Z",
    re.DOTALL,
)
_WRONG_TYPE = re.compile(r"Wrong Type \(should be [^)]*\):\s?")
_KINDS = {"INTEGER", "STRING", "Hex-STRING", "Gauge32", "Unsigned32"}
_ABSENT = re.compile(r"No Such (?:Object|Instance)\b|No more variables left")
_BROKEN = re.compile(
    r"snmp[a-z]+: |Timeout: |Error in packet|Reason: \(|Failed object: |End of MIB|"
    r"Error: OID not increasing"
)
"""What tools print where a walk does not go on."""
_LONGEST_TEXT = 255
"""Octets of a text of these modules (DisplayString, SnmpAdminString)."""
_LONGEST_OF_ALL = 65_535


_SHORTEST_COLUMN = 8  # numbers: a line without any mark is known by an object's name alone


def recognise(head: bytes) -> bool:
    """True if one of the first lines is an object with a value, and its object is one that walks
    have.
    """
    for line in head.decode("utf-8", "replace").splitlines()[:40]:
        match = _LINE.match(line.rstrip())
        if match is None:
            continue
        # A bare name is no object to be sure of: its name must be known, and a value must follow.
        numbers = None if match[1] else numbers_of_object(match[2])
        if match[1] or (numbers and (match[3] or len(numbers) > _SHORTEST_COLUMN)):
            return True
    return False


# --- statements -----------------------------------------------------------------------------------


class _Statement(Struct, gc=False):
    """A line that names an object, with the lines below it that name none, joined."""

    spelled: str
    value: str
    line: int
    at: int  # characters before it
    equals: bool = True
    more: list[str] | None = None

    def add(self, line: str) -> None:
        """Add a line below that names no object."""
        if self.more is None:
            self.more = []
        self.more.append(line)

    @property
    def style(self) -> str:
        """How the line is spelled: a tool spells the lines of one walk in one or two ways."""
        sign = "=" if self.equals else " "
        typed = _TYPE.match(self.value) is not None or self.value in ("", '""')
        if "::" in self.spelled:
            form = "::"
        else:
            form = re.sub(r"[A-Za-z][\w-]*", "a", self.spelled[:20])[:2]
        return f"{form}{sign}{':' if typed else ''}"


def _statements(text: str, *, bare: bool) -> Iterator[_Statement | Note]:
    """The objects of a text with their whole values, and what is no object."""
    held: _Statement | None = None
    quoted = False  # the value of `held` is a text in quotes that has not ended
    at = 0
    for number, line in enumerate(text.split("\n"), 1):
        at += len(line) + 1
        # Inside a text in quotes nothing is an object, whatever it looks like.
        if quoted and held is not None:
            held.add(line)
            quoted = not _ends_quote(line)
            continue
        spelled, equals, value = line.partition(" = ")
        # Nearly all lines of a numeric walk are like this:
        # The pattern costs ten times as much as this.
        if not equals or spelled[:2] != ".1" or " " in spelled:
            match = _LINE.match(line)
            known = match is not None and (
                match[1] or match[3] or numbers_of("", [match[2].strip(".").split(".")[0]])
            )
            if match is None or not known:
                broken = _BROKEN.match(line)
                # What a tool prints when it stops: no part of the value above.
                if broken:
                    if held is not None:
                        yield held
                    held = None
                    yield Note(number, f"the walk broke off: {line[:80]!r}", lost=line)
                elif held is not None:
                    # A line that names no object goes on with the value above.
                    held.add(line)
                elif line.strip():
                    yield Note(number, "", lost=line)
                continue
            spelled, value = match[1] or match[2], match[4]
            equals = " = " if line[len(spelled) :].startswith(" =") else ""
        if held is not None:
            yield held
        held = _Statement(spelled, value, number, at, bool(equals))
        # What ends with a quote on its line is whole, but for a quote alone or behind a backslash.
        quoted = (
            '"' in value
            and (value[-1] != '"' or value[-2:-1] in ("", " ", "\\"))
            and _begins_quote(held, bare=bare)
        )
    if held is not None:
        yield held
        # The quote never ended: what stands below was taken into the text, and may be objects.
        if quoted:
            says = "the text that begins here in quotes never ends"
            yield Note(held.line, says, "walk again: the file may be cut off", held.value)


def _begins_quote(statement: _Statement, *, bare: bool) -> bool:
    """True for a text that begins with a quote and does not end on its line.

    `bare`: the tool prints texts with a display hint without quotes; one that begins with a quote
    has it in the text.
    """
    kind, _, text = statement.value.partition(": ")
    text = text if kind in TEXTS else statement.value
    # A tool that prints texts bare prints a quote only if it is in the text.
    if text[:1] != '"' or (bare and not _may_be_quoted(statement.spelled)):
        return False
    return not _ends_quote(text[1:])


def _ends_quote(line: str) -> bool:
    """True if a line ends with a quote that no backslash stands before."""
    bare = line.rstrip(" \r")
    body = bare[:-1].rstrip("\\") if bare[-1:] == '"' else None
    return body is not None and (len(bare) - 1 - len(body)) % 2 == 0


def _may_be_quoted(spelled: str) -> bool:
    """True for an object whose text is quoted by any tool: there is no display hint for it, or the
    tool does not know it, since it spells it by the name of something above it.
    """
    if not _is_known_to_the_tool(spelled):
        return True
    numbers = numbers_of_object(spelled)
    column = _column_of(numbers) if numbers else None
    return column is not None and column[0].name not in _HINTED


def _is_known_to_the_tool(spelled: str) -> bool:
    """False where an object is spelled by a root, a module or a table above it."""
    name = spelled.rpartition("::")[2].strip(".")
    if name[:1].isdigit():
        return True
    # `enterprises.9.1` is spelled by what stands above the object: the tool had no module for it.
    names = [part for part in SEPARATORS.split(name) if not part.isdigit()]
    return not is_above_objects(names[-1])


_NAMES_OF_INTERFACES = ("ifName", "ifDescr", ".31.1.1.1.1.", ".2.2.1.2.")
_AFTER_NAME = re.compile(
    r'[.\[]?\d+\]?\s(?:=\s)?+(?:STRING: )?+(?:(")|(?!Hex|Wrong Type|No )[^"\s])'
)


def _prints_bare(text: str) -> bool:
    """True if the tool prints texts that have a display hint (DisplayString, SnmpAdminString)
    without quotes: then it prints all so, whatever a text begins with.

    The names of interfaces tell. They are the device's own words, and many.
    """
    bare = 0
    for name in _NAMES_OF_INTERFACES:
        at = text.find(name)
        while at >= 0:
            at += len(name)
            match = _AFTER_NAME.match(text, at)
            if match is not None:
                bare += -1 if match[1] else 1
            at = text.find(name, at)
    return bare > 0


# --- rows -----------------------------------------------------------------------------------------


def parse(text: str) -> tuple[list[Row], list[Note], Row | None]:
    """The objects of a walk, what is to be said of lines that are none, and the first object that
    may be a line of a text.
    """
    columns = _Columns()
    bare = _prints_bare(text)
    rows: list[Row] = []
    ends: list[int] = []  # where each row ends
    texts: dict[int, int] = {}  # row without quotes -> the most that its value can hold
    styles: list[str] = []
    notes: list[Note] = []
    # Objects and notes come in the order of the text.
    for statement in _statements(text, bare=bare):
        if isinstance(statement, Note):
            notes.append(statement)
            continue
        # Nothing is there, and the tool says so in the place of a value.
        if statement.value[:3] == "No " and _ABSENT.match(statement.value):
            if statement.value.startswith("No more"):
                notes += _ended(statement)
            continue
        row, taken = columns.row(statement)
        stray = "\n".join((statement.more or [])[taken:])
        if lost := stray.strip():
            above = stray[: stray.index(lost[0])].count("\n")  # blank lines
            says = f"{lost[:80]!r} belongs to no object: the walk may be cut off"
            notes.append(Note(statement.line + taken + above + 1, says, "walk again", lost))
        if row.kind in TEXTS:
            longest = _longest(row, bare=bare)
            if longest:
                texts[len(rows)] = longest
        rows.append(row)
        ends.append(statement.at)
        if bare:
            styles.append(statement.style)
    # In quotes every text ends where it ends: no order has to be asked.
    if not texts:  # every text stands in quotes
        return rows, notes, None
    placed = [
        Placed(row, at, texts.get(number, 0), styles[number] if bare else "")
        for number, (row, at) in enumerate(zip(rows, ends, strict=True))
    ]
    return rows, notes, doubtful(placed)


def _ended(statement: _Statement) -> Iterator[Note]:
    """Where an agent has no more to show. Before the objects of the agent itself, which all have,
    its view may be limited.
    """
    numbers = numbers_of_object(statement.spelled)
    # Behind these objects every agent has more: an end here is no end.
    if numbers is None or numbers < _SNMP_V2:
        says = "the agent shows nothing behind this object: the walk may be incomplete"
        yield Note(statement.line, says, "walk with a community that may see all", statement.value)


_SNMP_V2 = (1, 3, 6, 1, 6)  # objects of the agent itself, which all have


def _longest(row: Row, *, bare: bool) -> int:
    """The most characters that may follow and still be a part of the row's value."""
    if row.name and row.name not in _TEXT_OBJECTS:
        return 0
    # In quotes it ends by itself.
    if row.value[:1] == '"' and not (bare and not _may_be_quoted(row.spelled)):
        return 0
    if row.name:
        return _LONGEST_TEXT
    # A value without a letter is a number or an address, not a text.
    if row.kind == "" and not any(char.isalpha() for char in row.value):
        return 0
    numbers = row.numbers
    standard = numbers is not None and (numbers[: len(_SYSTEM)] == _SYSTEM or in_family(numbers))
    return _LONGEST_TEXT if standard else _LONGEST_OF_ALL


class _Columns:
    """Rows of one column follow one another: the object of the last one is tried first."""

    def __init__(self) -> None:
        self.column, self.name, self.length = "?", "", 1

    def row(self, statement: _Statement) -> tuple[Row, int]:
        """The row of a statement, and how many of the lines below it belong to its value."""
        spelled, text = statement.spelled, statement.value
        kind, _, value = text.partition(": ")
        # Most rows have a type that is known; the patterns are for the others.
        if kind not in _KINDS:
            text = _WRONG_TYPE.sub("", text)
            typed = _TYPE.match(text)
            kind, value = (typed[1], typed[2]) if typed else ("", text)
        rest = spelled[self.length :]
        # The next row of the same column: only the last number is new.
        if spelled.startswith(self.column) and rest.isdecimal() and len(rest) < 11:
            index: tuple[int, ...] = (int(rest),)
            name, component = self.name, 0
        else:
            name, index, component = self._object(spelled)
        taken = 0
        if statement.more:
            taken = _belonging(name, kind, value, statement.more)
            value = "\n".join([value, *statement.more[:taken]])
        row = Row(name, index, kind, value.strip(), statement.line, spelled, False, component)
        return row, taken

    def _object(self, spelled: str) -> tuple[str, tuple[int, ...], int]:
        """The name of an object, its index, and the component that this begins with."""
        numbers = numbers_of_object(spelled)
        at_column = _column_of(numbers) if numbers else None
        if at_column is None:
            return "", (), 0
        column, index = at_column
        # Only numeric spellings have a prefix that can be compared as text.
        if spelled[:1] == "." and not column.left_out and spelled[1:2].isdigit():
            self.column = f".{OBJECTS[column.name]}."
            self.name, self.length = column.name, len(self.column)
        component = index[0] if column.left_out and index else 0
        return column.name, index[column.left_out :], component


def _column_of(numbers: Numbers) -> tuple[Column, Numbers] | None:
    """The column that is read of an object, and its index."""
    for length in _LENGTHS:
        column = COLUMNS.get(numbers[:length])
        if column is not None:
            return column, numbers[length:]
    return None


_LENGTHS = sorted({len(numbers) for numbers in COLUMNS}, reverse=True)
_SET_BY_THE_DEVICE = {"ifName", "ifDescr"}
_TEXT_OBJECTS = {
    name for name in OBJECTS if name.endswith(("Alias", "Name", "Desc", "PortId", "ChassisId"))
} - _SET_BY_THE_DEVICE
_HINTED = {name for name in OBJECTS if name.endswith(("Alias", "Name", "Desc", "ifDescr"))}
_SYSTEM = (1, 3, 6, 1, 2, 1, 1)


def _belonging(name: str, kind: str, value: str, more: list[str]) -> int:
    """How many of the lines below a value belong to it; the rest was lost from somewhere."""
    text = kind in TEXTS and (value[:1] == '"' or not name or name in _TEXT_OBJECTS)
    if text or name in _SET_BY_THE_DEVICE:
        return _end_of_text(value, more)
    # Hex goes on below while lines look like hex.
    hexes = takewhile(HEX_LINE.match, more) if kind in HEX_KINDS else ()
    return sum(1 for _ in hexes)


def _end_of_text(value: str, more: list[str]) -> int:
    """How many of the lines below a text belong to it: in quotes, those to the last that ends with
    one; else all, but for a last one that is the beginning of an object.
    """
    closed = [at for at, line in enumerate([value, *more]) if _ends_quote(line)]
    # The last line that ends with a quote is the end; a quote alone is its beginning.
    if value[:1] == '"' and closed and (closed[-1] or value.rstrip() != '"'):
        return closed[-1]
    return len(more) - (1 if _CUT_OFF.match(more[-1]) else 0)


_CUT_OFF = re.compile(r"(?:\.?(?:[012]|iso)(?:\.[0-9]+){4,}\.?|[A-Z][\w-]*::[\w.]*)(?: =?)?\Z")
