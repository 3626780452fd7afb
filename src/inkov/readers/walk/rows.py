"""An object of a walk: its name as numbers, and its value as a number, as text or as octets."""

from __future__ import annotations

import re

from msgspec import Struct

from inkov.readers.walk.objects import Numbers, numbers_of

__all__ = [
    "HEX_KINDS",
    "HEX_LINE",
    "SEPARATORS",
    "TEXTS",
    "Note",
    "Row",
    "numbers_of_object",
    "octets",
    "whole_number",
    "words",
]

TEXTS = {"STRING", "OCTET STRING", ""}
HEX_KINDS = {"Hex-STRING", "Hex", "BITS", "Opaque"}
HEX_LINE = re.compile(r"((?:[0-9A-Fa-f]{2}(?:[ :]|\Z))*)\s*(?:\[.*\])?\s*\Z")
_PAIRS = re.compile(r"(?:[0-9A-Fa-f]{2}[ :])*[0-9A-Fa-f]{2} ?\Z")


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
        return numbers_of_object(self.spelled)


# --- names ----------------------------------------------------------------------------------------


def _octets_of(address: re.Match[str]) -> str:
    """An address in an index, `ipv4."10.0.0.1"`, as the numbers it stands for: type, length, octets
    (RFC 4001).
    """
    if address[1] == "ipv4":
        return f"1.4.{address[2]}"
    pairs = address[2].split(":")
    return f"2.{len(pairs)}." + ".".join(str(int(pair or "0", 16)) for pair in pairs)


_ADDRESS_INDEX = re.compile(r'(ipv4|ipv6)\]?[.\[]"([0-9A-Fa-f.:]{3,47})"')
SEPARATORS = re.compile(r"[.\[\]]+")


def numbers_of_object(spelled: str) -> Numbers | None:
    """The numbers of an object with its index; None if its name, or its index, is not known."""
    module, _, rest = spelled.rpartition("::")
    # An address in quotes may hold dots and colons, which separate everything else.
    if '"' in rest:
        rest = _ADDRESS_INDEX.sub(_octets_of, rest)
    parts = SEPARATORS.split(rest.strip(".[]"))
    named = next((at for at, part in enumerate(parts) if part.isdigit()), len(parts))
    base: Numbers | None = ()
    # A bare number needs no name in front of it.
    if named:
        base = numbers_of(module, parts[:named])
    index = parts[named:]
    # An index part of ten digits is the largest of 32 bits; more is no object identifier.
    if base is None or not all(part.isdecimal() and len(part) < 11 for part in index):
        return None
    return (*base, *map(int, index))


# --- values ---------------------------------------------------------------------------------------


def whole_number(row: Row, names: dict[str, int] | None = None) -> int | None:
    """The value as a number: `7`, `up(1)`, or a name that `names` knows; None if it is none."""
    # Nearly all values are plain numbers: the pattern is for the others.
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
    if row.kind in HEX_KINDS:
        raw = octets(row) or b""
        try:
            text = raw.rstrip(b"\x00").decode("utf-8")
        except UnicodeDecodeError:
            # Octets that are no text are shown as octets.
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
    if row.kind in HEX_KINDS:
        return _from_hex(inner)
    if row.kind not in TEXTS:
        return None
    # Without types the tool writes hex into quotes, a space behind each octet.
    if row.kind == "" and quoted and _PAIRS.match(inner) and inner[-1:] == " ":
        return _from_hex(inner)
    if quoted:
        text = _unquoted(value)
        # A full stop may stand for an octet that cannot be printed: which, is lost.
        return None if set(text) & set(".\n\r") else text.encode("latin-1", "replace")
    if value[:2].lower() == "0x":
        return _from_hex(value[2:])
    # Bare pairs could be a number or a name as well; a mark between them tells hex.
    sure = _PAIRS.match(value) and (" " in value or ":" in value or row.kind == "")
    return _from_hex(value) if sure or not value else None


def _from_hex(text: str) -> bytes | None:
    """The octets of lines of hex; a reading as text, in brackets at the end of a line, is left."""
    pairs = []
    for line in text.split("\n"):
        match = HEX_LINE.match(line.strip())
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
