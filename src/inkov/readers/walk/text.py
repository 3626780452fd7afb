"""The text of an SNMP walk: lines of `OBJECT.INDEX = TYPE: VALUE`, in the usual variants of its
output.

Theory of operation. Three things make such a text hard to read right.

*Names.* An object may be numeric (`.1.3.6.1...`, `iso.3.6.1...`) or named, by the deepest name that
the tool knew, with or without its module, indices in dots or brackets. `_numbers` makes numbers of
all of these; `objects` knows which are read.

*Octets.* A list of ports is printed in hex, or, where all its bytes happen to be printable, as
text, with or without its type. Only text in quotes is taken for octets: outside of them nobody can
tell where it begins and ends (`octets`).

*Texts of others.* A neighbour's name or description may hold line ends, and then a line that looks
like an object. Where the tool prints quotes, they are followed to their end. Where it prints none,
the order tells: a walk's objects ascend, so what stands below a text and does not lie between it
and the next object was a part of the text (`_Order`). It is left out, and said, since nobody can be
sure.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from typing import NamedTuple

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

__all__ = ["Note", "Row", "octets", "parse", "recognise", "whole_number", "words"]

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
_TEXTS = {"STRING", "OCTET STRING", ""}
_HEX_KINDS = {"Hex-STRING", "Hex", "BITS", "Opaque"}
_HEX_LINE = re.compile(r"((?:[0-9A-Fa-f]{2}(?:[ :]|\Z))*)\s*(?:\[.*\])?\s*\Z")
_PAIRS = re.compile(r"(?:[0-9A-Fa-f]{2}[ :])*[0-9A-Fa-f]{2} ?\Z")
_ABSENT = re.compile(r"No Such (?:Object|Instance)\b|No more variables left")
_BROKEN = re.compile(
    r"snmp[a-z]+: |Timeout: |Error in packet|Reason: \(|Failed object: |End of MIB|"
    r"Error: OID not increasing"
)
"""What tools print where a walk does not go on."""
_LONGEST_TEXT = 255
"""Octets of a text of these modules (DisplayString, SnmpAdminString)."""
_LONGEST_OF_ALL = 65_535


class Note(Struct, frozen=True):
    """What is said of a place in a walk, and the lines (or objects) that were left out."""

    line: int
    says: str
    cure: str = ""
    lost: str = ""


class Row(Struct, gc=False):
    """One object: its name ("" if it is not read), its index, its type ("" if not said), its value,
    its line.

    `below_text` is true below a text that may hold line ends: the object may be a part of it.
    `component` is the number of the bridge component that the newer modules begin an index with.
    """

    name: str
    index: tuple[int, ...]
    kind: str
    value: str
    line: int
    spelled: str
    below_text: bool = False
    component: int = 0

    @property
    def numbers(self) -> Numbers | None:
        """The object's numbers, index and all; None where its name is not known."""
        return _numbers(self.spelled)


_SHORTEST_COLUMN = 8  # numbers: a line without any mark is known by an object's name alone


def recognise(head: bytes) -> bool:
    """True if one of the first lines is an object with a value, and its object is one that walks
    have.
    """
    for line in head.decode("utf-8", "replace").splitlines()[:40]:
        match = _LINE.match(line.rstrip())
        if match is None:
            continue
        numbers = None if match[1] else _numbers(match[2])
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
        if quoted and held is not None:
            held.add(line)
            quoted = not _ends_quote(line)
            continue
        spelled, equals, value = line.partition(" = ")
        # Nearly all lines of a numeric walk are like this:
        if not equals or spelled[:2] != ".1" or " " in spelled:
            match = _LINE.match(line)
            known = match is not None and (
                match[1] or match[3] or numbers_of("", [match[2].strip(".").split(".")[0]])
            )
            if match is None or not known:
                broken = _BROKEN.match(line)
                if broken:
                    if held is not None:
                        yield held
                    held = None
                    yield Note(number, f"the walk broke off: {line[:80]!r}", lost=line)
                elif held is not None:
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
        if quoted:
            says = "the text that begins here in quotes never ends"
            yield Note(held.line, says, "walk again: the file may be cut off", held.value)


def _begins_quote(statement: _Statement, *, bare: bool) -> bool:
    """True for a text that begins with a quote and does not end on its line.

    `bare`: the tool prints texts with a display hint without quotes; one that begins with a quote
    has it in the text.
    """
    kind, _, text = statement.value.partition(": ")
    text = text if kind in _TEXTS else statement.value
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
    numbers = _numbers(spelled)
    found = _column_of(numbers) if numbers else None
    return found is not None and found[0].name not in _HINTED


def _is_known_to_the_tool(spelled: str) -> bool:
    """False where an object is spelled by a root, a module or a table above it."""
    name = spelled.rpartition("::")[2].strip(".")
    if name[:1].isdigit():
        return True
    names = [part for part in _SEPARATORS.split(name) if not part.isdigit()]
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
            found = _AFTER_NAME.match(text, at)
            if found is not None:
                bare += -1 if found[1] else 1
            at = text.find(name, at)
    return bare > 0


# --- the order of objects -------------------------------------------------------------------------


_RARE = 12  # one line of so many or fewer is spelled in a way that is not the tool's own
_MOST_TEXTS = 32  # before a row that is out of order that are looked at
_MOST_UNKNOWN = 100  # rows of unknown names that are looked back over


class _Placed(NamedTuple):
    """A row, where it ends (in characters from the beginning), the most that its value can hold of
    what follows (0 for all but texts without quotes), and how it is spelled, where that matters.
    """

    row: Row
    at: int
    longest: int
    style: str = ""


class _Text(NamedTuple):
    """A text without quotes, that may go on: its place among the rows that count, its numbers (or
    those of an object before it, where its name is not known), and where it ends at the latest.
    """

    place: int
    numbers: Numbers
    end: int


class _Order:
    """Tells objects from lines of texts, by their order.

    The objects of a walk ascend. Where one does not, and a text that stands before it may still go
    on, there are two ways to understand it. The walk may go on above that text, further down: then
    all that stands between was a part of the text (`_resumes`). Of several such texts, the one is
    taken that leaves out fewest rows. Or the walk never gets above a text again: then another walk
    begins, with the row from which on the objects ascend to behind the texts' reach. A line that is
    spelled otherwise than the walk's own, within reach of a text, is no object either. All of this
    is said, since nobody can be sure.

    `kept` are the rows that count so far, `texts` those among them that may still go on, `last` the
    numbers of the last one.
    """

    def __init__(self, rows: list[_Placed]) -> None:
        self.rows = rows
        self.kept: list[Row] = []
        self.notes: list[Note] = []
        self.texts: list[_Text] = []
        self.last: Numbers = ()
        self._numbers: dict[int, Numbers | None] = {}
        counts = Counter(placed.style for placed in rows)
        self.styles = {style for style, count in counts.items() if count * _RARE > len(rows)}

    def run(self) -> None:
        """Go through all rows."""
        place, reach, end = 0, -1, 0
        while place < len(self.rows):
            row, at, longest, style = self.rows[place]
            if at <= reach and style not in self.styles:
                self._leave_out([row])  # the tool does not spell objects so
                place += 1
                continue
            if at > reach and not longest:
                self.kept.append(row)  # no text is near
                self.texts, self.last = [], ()
                place += 1
                continue
            self.last = self.last or self._last_known()
            numbers = self._of(place)
            if numbers is not None and numbers <= self.last:
                place = self._out_of_order(place, end)
                reach = max((text.end for text in self.texts), default=-1)
                end = at
                continue
            row.below_text = at <= reach and bool(self.texts)
            self.kept.append(row)
            # A name that is not known comes behind the last one that is, wherever it is.
            self.last = numbers or self.last
            if longest:
                self.texts.append(_Text(len(self.kept) - 1, self.last, at + longest))
                reach = max(reach, at + longest)
            place, end = place + 1, at
        self._unconfirmed(end)

    def _of(self, place: int) -> Numbers | None:
        """The numbers of a row, worked out once; None where its name is not known."""
        if place not in self._numbers:
            self._numbers[place] = self.rows[place].row.numbers
        return self._numbers[place]

    def _last_known(self) -> Numbers:
        """The numbers of the last row that counts and has a known name."""
        for row in self.kept[-1 : -_MOST_UNKNOWN - 1 : -1]:
            numbers = row.numbers
            if numbers is not None:
                return numbers
        return ()

    def _out_of_order(self, place: int, end: int) -> int:
        """Decide about a row that is not above the one before it, which ended at `end`. Gives back
        where to go on.
        """
        at = self.rows[place].at
        self.texts = [text for text in self.texts if at <= text.end]
        ways = [
            (len(self.kept) - text.place + on - place, text, on)
            for text in self.texts[-_MOST_TEXTS:]
            if (on := self._resumes(place, text)) is not None
        ]
        if ways:
            _, text, on = min(ways)
            between = [placed.row for placed in self.rows[place:on]]
            self._leave_out([*self.kept[text.place + 1 :], *between])
            del self.kept[text.place + 1 :]
            self.texts = [one for one in self.texts if one.place <= text.place]
            self.last = text.numbers
            return on
        on = place
        if self.texts:
            behind = self._behind(place, max(text.end for text in self.texts))
            on = len(self.rows) if behind is None else self._ascent(place, behind, ())
            self._leave_out([placed.row for placed in self.rows[place:on]])
        self._unconfirmed(end)
        self.texts, self.last = [], ()
        if on < len(self.rows):
            self.kept.append(self.rows[on].row)
            self.last = self._of(on) or ()
            if self.rows[on].longest:
                text = _Text(
                    len(self.kept) - 1, self.last, self.rows[on].at + self.rows[on].longest
                )
                self.texts.append(text)
        return on + 1

    def _resumes(self, place: int, text: _Text) -> int | None:
        """Where the walk goes on above a text, if it does."""
        behind = self._behind(place, text.end)
        if behind is None:
            # It ends within the text's reach.
            last = len(self.rows) - 1
            numbers = self._of(last)
            above = numbers is not None and numbers > text.numbers
            return self._ascent(place, last, text.numbers) if above else last + 1
        numbers = self._of(behind)
        if numbers is None or numbers <= text.numbers:
            return None
        return self._ascent(place, behind, text.numbers)

    def _behind(self, place: int, end: int) -> int | None:
        """The first row, from a place on, that a text which ends at `end` cannot hold."""
        for on in range(place, len(self.rows)):
            if self.rows[on].at > end and self._of(on) is not None:
                return on
        return None

    def _ascent(self, place: int, top: int, above: Numbers) -> int:
        """The first row, from a place on, from which the rows ascend to `top`, all above some
        numbers.
        """
        first, least = top, self._of(top) or ()
        for on in range(top - 1, place - 1, -1):
            numbers = self._of(on)
            if numbers is None:
                continue
            if not above < numbers < least:
                break
            first, least = on, numbers
        return first

    def _unconfirmed(self, end: int) -> None:
        """Where a walk ends within reach of a text, no object behind shows that the rows since the
        text are objects. Those that are not left out: rows of the text's own table with an index
        that came before. Had the text made one of these up, the real one would stand below it.
        """
        texts = [text for text in self.texts if text.end >= end]
        if not texts:
            return
        place = texts[0].place
        table = _table_of(self.kept[place])
        known = set()
        for row in reversed(self.kept[: place + 1]):
            if _table_of(row) != table:
                break
            known.add(row.index)
        after = self.kept[place + 1 :]
        sure = [not row.name or (_table_of(row) == table and row.index in known) for row in after]
        self._leave_out([row for row, kept in zip(after, sure, strict=True) if not kept])
        self.kept[place + 1 :] = [row for row, kept in zip(after, sure, strict=True) if kept]

    def _leave_out(self, rows: list[Row]) -> None:
        if rows:
            says = "out of order below a text without quotes, so it is taken for a part of it"
            cure = "walk again with texts in hex: option -Ox"
            lost = "\n".join(row.spelled for row in rows)
            self.notes.append(Note(rows[0].line, says, cure, lost))


def _table_of(row: Row) -> str:
    """The number of the table that a row's object is a column of; "" where it is not read."""
    return OBJECTS[row.name].rpartition(".")[0] if row.name else ""


# --- rows -----------------------------------------------------------------------------------------


def parse(text: str) -> tuple[list[Row], list[Note]]:
    """The objects of a walk, and what is to be said of lines that are none."""
    columns = _Columns()
    bare = _prints_bare(text)
    rows: list[Row] = []
    ends: list[int] = []  # where each row ends
    texts: dict[int, int] = {}  # row without quotes -> the most that its value can hold
    styles: list[str] = []
    notes: list[Note] = []
    for statement in _statements(text, bare=bare):
        if isinstance(statement, Note):
            notes.append(statement)
            continue
        if statement.value[:3] == "No " and _ABSENT.match(statement.value):
            if statement.value.startswith("No more"):
                notes += _ended(statement)
            continue
        row, stray = columns.row(statement)
        if stray:
            says = f"{stray.strip()[:80]!r} belongs to no object: the walk may be cut off"
            notes.append(Note(statement.line + 1, says, "walk again", stray.strip()))
        if row.kind in _TEXTS:
            longest = _longest(row, bare=bare)
            if longest:
                texts[len(rows)] = longest
        rows.append(row)
        ends.append(statement.at)
        if bare:
            styles.append(statement.style)
    if not texts:  # every text stands in quotes
        return rows, notes
    placed = [
        _Placed(row, at, texts.get(number, 0), styles[number] if bare else "")
        for number, (row, at) in enumerate(zip(rows, ends, strict=True))
    ]
    order = _Order(placed)
    order.run()
    return order.kept, sorted([*notes, *order.notes], key=lambda note: note.line)


def _ended(statement: _Statement) -> Iterator[Note]:
    """Where an agent has no more to show. Before the objects of the agent itself, which all have,
    its view may be limited.
    """
    numbers = _numbers(statement.spelled)
    if numbers is None or numbers < _SNMP_V2:
        says = "the agent shows nothing behind this object: the walk may be incomplete"
        yield Note(statement.line, says, "walk with a community that may see all", statement.value)


_SNMP_V2 = (1, 3, 6, 1, 6)  # objects of the agent itself, which all have


def _longest(row: Row, *, bare: bool) -> int:
    """The most characters that may follow and still be a part of the row's value."""
    if row.name and row.name not in _TEXT_OBJECTS:
        return 0
    if row.value[:1] == '"' and not (bare and not _may_be_quoted(row.spelled)):
        return 0
    if row.name:
        return _LONGEST_TEXT if row.name in _TEXT_OBJECTS else 0
    if row.kind == "" and not any(char.isalpha() for char in row.value):
        return 0
    numbers = row.numbers
    standard = numbers is not None and (numbers[: len(_SYSTEM)] == _SYSTEM or in_family(numbers))
    return _LONGEST_TEXT if standard else _LONGEST_OF_ALL


class _Columns:
    """Rows of one column follow one another: the object of the last one is tried first."""

    def __init__(self) -> None:
        self.column, self.name, self.length = "?", "", 1

    def row(self, statement: _Statement) -> tuple[Row, str]:
        """The row of a statement, and the lines below it that do not belong to its value."""
        spelled, text = statement.spelled, statement.value
        kind, _, value = text.partition(": ")
        if kind not in _KINDS:
            text = _WRONG_TYPE.sub("", text)
            typed = _TYPE.match(text)
            kind, value = (typed[1], typed[2]) if typed else ("", text)
        rest = spelled[self.length :]
        if spelled.startswith(self.column) and rest.isdecimal() and len(rest) < 11:
            index: tuple[int, ...] = (int(rest),)
            name, component = self.name, 0
        else:
            name, index, component = self._object(spelled)
        stray = ""
        if statement.more:
            value, stray = _with_more(name, kind, value, statement.more)
        row = Row(name, index, kind, value.strip(), statement.line, spelled, False, component)
        return row, stray

    def _object(self, spelled: str) -> tuple[str, tuple[int, ...], int]:
        """The name of an object, its index, and the component that this begins with."""
        numbers = _numbers(spelled)
        found = _column_of(numbers) if numbers else None
        if found is None:
            return "", (), 0
        column, index = found
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


def _with_more(name: str, kind: str, value: str, more: list[str]) -> tuple[str, str]:
    """A value with the lines below it that belong to it, and those that do not."""
    text = kind in _TEXTS and (value[:1] == '"' or not name or name in _TEXT_OBJECTS)
    if text or name in _SET_BY_THE_DEVICE:
        end = _end_of_text(value, more)
        return "\n".join([value, *more[:end]]), "\n".join(more[end:]).strip()
    own: list[str] = []
    for at, line in enumerate(more):
        if kind not in _HEX_KINDS or not _HEX_LINE.match(line):
            return "\n".join([value, *own]), "\n".join(more[at:]).strip()
        own.append(line)
    return "\n".join([value, *own]), ""


def _end_of_text(value: str, more: list[str]) -> int:
    """How many of the lines below a text belong to it: in quotes, those to the last that ends with
    one; else all, but for a last one that is the beginning of an object.
    """
    closed = [at for at, line in enumerate([value, *more]) if _ends_quote(line)]
    if value[:1] == '"' and closed and (closed[-1] or value.rstrip() != '"'):
        return closed[-1]
    return len(more) - (1 if _CUT_OFF.match(more[-1]) else 0)


_CUT_OFF = re.compile(r"(?:\.?(?:[012]|iso)(?:\.[0-9]+){4,}\.?|[A-Z][\w-]*::[\w.]*)(?: =?)?\Z")


def _octets_of(address: re.Match[str]) -> str:
    """An address in an index, `ipv4."10.0.0.1"`, as the numbers it stands for: type, length, octets
    (RFC 4001).
    """
    if address[1] == "ipv4":
        return f"1.4.{address[2]}"
    pairs = address[2].split(":")
    return f"2.{len(pairs)}." + ".".join(str(int(pair or "0", 16)) for pair in pairs)


_ADDRESS_INDEX = re.compile(r'(ipv4|ipv6)\]?[.\[]"([0-9A-Fa-f.:]{3,47})"')
_SEPARATORS = re.compile(r"[.\[\]]+")


def _numbers(spelled: str) -> Numbers | None:
    """The numbers of an object with its index; None if its name, or its index, is not known."""
    module, _, rest = spelled.rpartition("::")
    if '"' in rest:
        rest = _ADDRESS_INDEX.sub(_octets_of, rest)
    parts = _SEPARATORS.split(rest.strip(".[]"))
    named = next((at for at, part in enumerate(parts) if part.isdigit()), len(parts))
    base: Numbers | None = ()
    if named:
        base = numbers_of(module, parts[:named])
    index = parts[named:]
    if base is None or not all(part.isdecimal() and len(part) < 11 for part in index):
        return None
    return (*base, *map(int, index))


# --- values ---------------------------------------------------------------------------------------


def whole_number(row: Row, names: dict[str, int] | None = None) -> int | None:
    """The value as a number: `7`, `up(1)`, or a name that `names` knows; None if it is none."""
    if len(row.value) < 11 and row.value.isdigit() and row.value.isascii():
        return int(row.value)
    match = re.search(r"(?:^|\()(-?[0-9]{1,10})\)?(?:\s.*)?\Z", row.value[:200])
    return int(match[1]) if match else (names or {}).get(row.value)


_ADDRESS = re.compile(r"(?:[0-9A-Fa-f]{1,2}:){5}[0-9A-Fa-f]{1,2}\Z")


def words(row: Row) -> str:
    """The value as text, out of its quotes; octets that were written in hex are turned back if they
    are text.
    """
    value = row.value
    if _ADDRESS.match(value):  # as its display hint writes it, without leading zeros
        return ":".join(f"{int(octet, 16):02x}" for octet in value.split(":"))
    if row.kind in _HEX_KINDS:
        raw = octets(row) or b""
        try:
            text = raw.rstrip(b"\x00").decode("utf-8")
        except UnicodeDecodeError:
            text = ""
        return text if text.isprintable() and text else ":".join(f"{byte:02x}" for byte in raw)
    return _unquoted(value) if _is_quoted(value) else value


def _is_quoted(value: str) -> bool:
    return len(value) > 1 and value[0] == value[-1] == '"'


def _unquoted(value: str) -> str:
    inner = value[1:-1]
    return re.sub(r"\\(.)", r"\1", inner, flags=re.DOTALL) if "\\" in inner else inner


def octets(row: Row) -> bytes | None:
    """The value as octets, whichever way it was written; None where that is not sure.

    Outside of quotes only hex is taken for octets. A text that holds a full stop or a line end is
    not sure: some tools write these for octets that cannot be printed.
    """
    value = row.value
    quoted = _is_quoted(value)
    inner = value[1:-1] if quoted else value
    if row.kind in _HEX_KINDS:
        return _from_hex(inner)
    if row.kind not in _TEXTS:
        return None
    if row.kind == "" and quoted and _PAIRS.match(inner) and inner[-1:] == " ":
        return _from_hex(inner)  # without types, hex stands in quotes, a space behind each octet
    if quoted:
        text = _unquoted(value)
        return None if set(text) & set(".\n\r") else text.encode("latin-1", "replace")
    if value[:2].lower() == "0x":
        return _from_hex(value[2:])
    sure = _PAIRS.match(value) and (" " in value or ":" in value or row.kind == "")
    return _from_hex(value) if sure or not value else None


def _from_hex(text: str) -> bytes | None:
    """The octets of lines of hex; a reading as text, in brackets at the end of a line, is left."""
    pairs = []
    for line in text.split("\n"):
        match = _HEX_LINE.match(line.strip())
        if match is None and re.fullmatch("(?:[0-9A-Fa-f]{2})+", line.strip()):
            pairs.append(line.strip())
        elif match is None:
            return None
        else:
            pairs.append(match[1].replace(":", " "))
    try:
        return bytes.fromhex(" ".join(pairs))
    except ValueError:
        return None
