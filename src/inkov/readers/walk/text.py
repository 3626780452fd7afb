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
from collections.abc import Iterator
from typing import NamedTuple

from msgspec import Struct, field

from inkov.readers.walk.objects import COLUMNS, OBJECTS, Numbers, in_family, numbers_of

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
_ABSENT = re.compile(r"No Such (?:Object|Instance)\b")
_NO_MORE = re.compile(r"No more variables left")
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

    `below_text` is true right below a text that may hold line ends: the object may be a part of it.
    """

    name: str
    index: tuple[int, ...]
    kind: str
    value: str
    line: int
    spelled: str
    below_text: bool = False

    @property
    def numbers(self) -> Numbers | None:
        """The object's numbers, index and all; None where its name is not known."""
        return _numbers(self.spelled)


def recognise(head: bytes) -> bool:
    """True if one of the first lines is an object with a value, and its object is one that walks
    have.
    """
    for line in head.decode("utf-8", "replace").splitlines()[:40]:
        match = _LINE.match(line.rstrip())
        if match and (match[1] or (match[3] and _numbers(match[2]))):
            return True
    return False


# --- statements -----------------------------------------------------------------------------------


class _Statement(Struct, gc=False):
    """A line that names an object, with the lines below it that name none, joined."""

    spelled: str
    value: str
    line: int
    at: int  # characters before it
    more: list[str] = field(default_factory=list)


def _statements(text: str) -> Iterator[_Statement | Note]:
    """The objects of a text with their whole values, and what is no object."""
    held: _Statement | None = None
    quoted = False  # the value of `held` is a text in quotes that has not ended
    at = 0
    for number, line in enumerate(text.split("\n"), 1):
        at += len(line) + 1
        if quoted and held is not None:
            held.more.append(line)
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
                    held.more.append(line)
                elif line.strip():
                    yield Note(number, "", lost=line)
                continue
            spelled, value = match[1] or match[2], match[4]
        if held is not None:
            yield held
        held = _Statement(spelled, value, number, at)
        quoted = _begins_quote(value)
    if held is not None:
        yield held
        if quoted:
            says = "the text that begins here in quotes never ends"
            yield Note(held.line, says, "walk again: the file may be cut off", held.value)


def _begins_quote(value: str) -> bool:
    """True for a text that begins with a quote and does not end on its line."""
    kind, _, text = value.partition(": ")
    text = text if kind in _TEXTS else value
    return text[:1] == '"' and not _ends_quote(text[1:])


def _ends_quote(line: str) -> bool:
    """True if a line ends with a quote that no backslash stands before."""
    bare = line.rstrip(" \r")
    body = bare[:-1].rstrip("\\") if bare[-1:] == '"' else None
    return body is not None and (len(bare) - 1 - len(body)) % 2 == 0


# --- the order of objects -------------------------------------------------------------------------


class _Text(NamedTuple):
    """A text without quotes, that may go on: its place among the rows, its numbers, and where it
    ends at the latest.
    """

    place: int
    numbers: Numbers
    end: int


class _Order:
    """Tells objects from lines of texts, by their order.

    `rows` are those that count so far. `texts` are the texts among them that may still go on where
    the next row stands. A row that is out of order right below such a text (`above`) waits in
    `held`, with what follows it: it was a part of the text if the walk then goes on behind the
    text, or ends; another walk began if more follows than the text can hold.
    """

    def __init__(self) -> None:
        self.rows: list[Row] = []
        self.notes: list[Note] = []
        self.texts: list[_Text] = []
        self.reach = -1  # where the last of them ends
        self.held: list[tuple[Row, Numbers]] = []
        self.above = _Text(0, (), 0)
        self.last: Numbers | None = None

    def take(self, row: Row, at: int, longest: int) -> None:
        """Take the next row, which ends `at` characters from the beginning. `longest` is the most
        that a text without quotes can hold of what follows, 0 for any other value.
        """
        if at > self.reach and not self.held and not longest:
            self.rows.append(row)  # no text is near
            self.texts, self.last = [], None
            return
        numbers = row.numbers
        if numbers is None:  # of a module that is not known: nothing of it is read
            self.rows.append(row)
            return
        if self.held:
            self._wait(row, numbers, at)
        elif self.last is not None and numbers <= self.last:
            self._out_of_order(row, numbers, at)
        else:
            self._keep(row, at)
        if not self.held:
            self.last = numbers
            if longest:
                self.texts.append(_Text(len(self.rows) - 1, numbers, at + longest))
                self.reach = max(self.reach, at + longest)

    def finish(self) -> None:
        """The walk ends."""
        self._leave_out([row for row, _ in self.held])

    def _keep(self, row: Row, at: int) -> None:
        above = self.texts[-1] if self.texts else None
        row.below_text = above is not None and above.place == len(self.rows) - 1 and at <= above.end
        self.rows.append(row)

    def _out_of_order(self, row: Row, numbers: Numbers, at: int) -> None:
        self.texts = [text for text in self.texts if at <= text.end]
        before = [text for text in self.texts if text.numbers < numbers]
        if before:
            # The walk goes on behind a text: what stands between the two was a part of it.
            place = before[-1].place + 1
            self._leave_out(self.rows[place:])
            del self.rows[place:]
            self.texts = before
            self._keep(row, at)
        elif self.texts and self.texts[-1].place == len(self.rows) - 1:
            self.above = self.texts[-1]
            self.held = [(row, numbers)]
        else:  # below an object that is no text, another walk begins
            self.texts, self.reach = [], -1
            self._keep(row, at)

    def _wait(self, row: Row, numbers: Numbers, at: int) -> None:
        """Decide about the rows that are held, or hold one more."""
        ascends = numbers > self.held[-1][1]
        held = [row for row, _ in self.held]
        if numbers > self.above.numbers:  # behind the text the walk goes on
            self._leave_out(held)
            self.held = []
            self._keep(row, at)
        elif at <= self.above.end:
            if not ascends:
                self._leave_out(held)
                self.held = []
            self.held.append((row, numbers))
        else:
            if ascends:
                self.rows += held
            else:
                self._leave_out(held)
            self.held, self.texts, self.reach = [], [], -1
            self._keep(row, at)

    def _leave_out(self, rows: list[Row]) -> None:
        if rows:
            says = "out of order below a text without quotes, so it is taken for a part of it"
            cure = "walk again with texts in hex: option -Ox"
            lost = "\n".join(row.spelled for row in rows)
            self.notes.append(Note(rows[0].line, says, cure, lost))


# --- rows -----------------------------------------------------------------------------------------


def parse(text: str) -> tuple[list[Row], list[Note]]:
    """The objects of a walk, and what is to be said of lines that are none."""
    order, columns = _Order(), _Columns()
    notes: list[Note] = []
    for statement in _statements(text):
        if isinstance(statement, Note):
            notes.append(statement)
            continue
        absent = _ABSENT.match(statement.value)
        if absent or _NO_MORE.match(statement.value):
            if not absent:
                notes += _ended(statement)
            continue
        row, stray = columns.row(statement)
        if stray:
            says = f"{stray.strip()[:80]!r} belongs to no object: the walk may be cut off"
            notes.append(Note(statement.line + 1, says, "walk again", stray.strip()))
        order.take(row, statement.at, _longest(row))
    order.finish()
    return order.rows, sorted([*notes, *order.notes], key=lambda note: note.line)


def _ended(statement: _Statement) -> Iterator[Note]:
    """Where an agent has no more to show. All of them have objects behind those that are read, so
    before these its view may be limited.
    """
    numbers = _numbers(statement.spelled)
    if numbers is None or numbers < _LAST_READ:
        says = "the agent shows nothing behind this object: the walk may be incomplete"
        yield Note(statement.line, says, "walk with a community that may see all", statement.value)


_LAST_READ = max(COLUMNS)


def _longest(row: Row) -> int:
    """The most characters that may follow and still be a part of the row's value."""
    if row.kind not in _TEXTS or row.value[:1] == '"':
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
        name, index = self._object(spelled)
        stray = ""
        if statement.more:
            value, stray = _with_more(name, kind, value, statement.more)
        return Row(name, index, kind, value.strip(), statement.line, spelled), stray

    def _object(self, spelled: str) -> tuple[str, tuple[int, ...]]:
        if spelled.startswith(self.column):
            rest = spelled[self.length :]
            if rest.isdecimal() and len(rest) < 11:
                return self.name, (int(rest),)
        numbers = _numbers(spelled)
        for length in _LENGTHS if numbers else ():
            column = COLUMNS.get(numbers[:length]) if numbers else None
            if column is not None and numbers is not None:
                index = numbers[length:]
                if spelled[:1] == "." and not column.left_out and spelled[1:2].isdigit():
                    self.column = f".{OBJECTS[column.name]}."
                    self.name, self.length = column.name, len(self.column)
                return column.name, index[column.left_out :]
        return "", ()


_LENGTHS = sorted({len(numbers) for numbers in COLUMNS}, reverse=True)
_SET_BY_THE_DEVICE = {"ifName", "ifDescr"}
_TEXT_OBJECTS = {
    name for name in OBJECTS if name.endswith(("Alias", "Name", "Desc", "PortId", "ChassisId"))
} - _SET_BY_THE_DEVICE
_SYSTEM = (1, 3, 6, 1, 2, 1, 1)


def _with_more(name: str, kind: str, value: str, more: list[str]) -> tuple[str, str]:
    """A value with the lines below it that belong to it, and those that do not."""
    text = kind in _TEXTS and (value[:1] == '"' or not name or name in _TEXT_OBJECTS)
    if text or name in _SET_BY_THE_DEVICE:
        return "\n".join([value, *more]), ""
    own: list[str] = []
    for at, line in enumerate(more):
        if kind not in _HEX_KINDS or not _HEX_LINE.match(line):
            return "\n".join([value, *own]), "\n".join(more[at:]).strip()
        own.append(line)
    return "\n".join([value, *own]), ""


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
