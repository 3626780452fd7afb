"""The text of an SNMP walk: lines of `OBJECT.INDEX = TYPE: VALUE`, in the usual variants of its
output.

Objects may be numeric (`.1.3.6.1...`, `1.3.6.1...`, `iso.3.6.1...`) or named
(`Q-BRIDGE-MIB::dot1qPvid.7`, `dot1qPvid.7`), indices in brackets, types left out, enumerated values
as numbers, names or both, octet strings in hex or, where all their bytes happen to be printable, as
text. `OBJECTS` lists what is understood; `walk_device` makes a device of it.
"""

from __future__ import annotations

import re
from collections.abc import Iterator

from msgspec import Struct

__all__ = ["OBJECTS", "Row", "octets", "parse", "recognise", "whole_number", "words"]

_MIB2 = "1.3.6.1.2.1"
_BRIDGE = f"{_MIB2}.17"
_LLDP = "1.0.8802.1.1.2.1"
_LAG = "1.2.840.10006.300.43.1.2.1.1"
OBJECTS: dict[str, str] = {
    "sysName": f"{_MIB2}.1.5",  # SNMPv2-MIB, RFC 3418
    "ifDescr": f"{_MIB2}.2.2.1.2",  # IF-MIB, RFC 2863
    "ifType": f"{_MIB2}.2.2.1.3",
    "ifAdminStatus": f"{_MIB2}.2.2.1.7",
    "ipAdEntIfIndex": f"{_MIB2}.4.20.1.2",  # IP-MIB, RFC 4293: the older table
    "ipAdEntNetMask": f"{_MIB2}.4.20.1.3",
    "ipAddressIfIndex": f"{_MIB2}.4.34.1.3",  # and the newer one, for both families
    "ipAddressType": f"{_MIB2}.4.34.1.4",
    "ipAddressPrefix": f"{_MIB2}.4.34.1.5",
    "ifName": f"{_MIB2}.31.1.1.1.1",
    "ifAlias": f"{_MIB2}.31.1.1.1.18",
    "dot1dBasePortIfIndex": f"{_BRIDGE}.1.4.1.2",  # BRIDGE-MIB, RFC 4188
    "dot1qVlanCurrentEgressPorts": f"{_BRIDGE}.7.1.4.2.1.4",  # Q-BRIDGE-MIB, RFC 4363
    "dot1qVlanCurrentUntaggedPorts": f"{_BRIDGE}.7.1.4.2.1.5",
    "dot1qVlanStaticName": f"{_BRIDGE}.7.1.4.3.1.1",
    "dot1qVlanStaticEgressPorts": f"{_BRIDGE}.7.1.4.3.1.2",
    "dot1qVlanForbiddenEgressPorts": f"{_BRIDGE}.7.1.4.3.1.3",
    "dot1qVlanStaticUntaggedPorts": f"{_BRIDGE}.7.1.4.3.1.4",
    "dot1qVlanStaticRowStatus": f"{_BRIDGE}.7.1.4.3.1.5",
    "dot1qPvid": f"{_BRIDGE}.7.1.4.5.1.1",
    "dot1qPortAcceptableFrameTypes": f"{_BRIDGE}.7.1.4.5.1.2",
    "dot1qPortIngressFiltering": f"{_BRIDGE}.7.1.4.5.1.3",
    "dot1qPortGvrpStatus": f"{_BRIDGE}.7.1.4.5.1.4",
    "lldpLocPortIdSubtype": f"{_LLDP}.3.7.1.2",  # LLDP-MIB, IEEE 802.1AB
    "lldpLocPortId": f"{_LLDP}.3.7.1.3",
    "lldpRemChassisId": f"{_LLDP}.4.1.1.5",
    "lldpRemPortIdSubtype": f"{_LLDP}.4.1.1.6",
    "lldpRemPortId": f"{_LLDP}.4.1.1.7",
    "lldpRemPortDesc": f"{_LLDP}.4.1.1.8",
    "lldpRemSysName": f"{_LLDP}.4.1.1.9",
    "dot3adAggPortAttachedAggID": f"{_LAG}.13",  # IEEE8023-LAG-MIB
}
"""Object -> its number. All but sysName are columns of tables."""

_BY_NUMBER = {number: name for name, number in OBJECTS.items()}
_LENGTHS = sorted({number.count(".") + 1 for number in _BY_NUMBER}, reverse=True)
_LINE = re.compile(
    # a number or a name with its module may have just a space behind it; a bare name needs its
    # equals sign
    r"(?:(\.?1\.[0-9][0-9.]*|iso(?:\.[0-9]+)+|[A-Za-z0-9-]+::[^\s=]+)\s(?:=\s?)?"
    r"|([a-zA-Z][A-Za-z0-9]*[.\[][^\s=]*)\s=\s?)(.*)\Z"
)
_TYPE = re.compile(
    r"(INTEGER|STRING|Hex-STRING|Gauge32|Unsigned32|Counter32|Counter64|Timeticks|OID|BITS|"
    r"IpAddress|"
    r"Network Address|Opaque|UInteger32):\s?(.*)\Z",
    re.DOTALL,
)
_KINDS = {"INTEGER", "STRING", "Hex-STRING", "Gauge32", "Unsigned32"}
_HEX = re.compile(r"(?:[0-9A-Fa-f]{2}[\s:]*)+\Z")


class Row(Struct, frozen=True, gc=False):
    """One object: its name ("" if not among OBJECTS), its index, its type ("" if not said), its
    value, its line.
    """

    name: str
    index: tuple[int, ...]
    kind: str
    value: str
    line: int
    spelled: str


def recognise(head: bytes) -> bool:
    """True if one of the first lines is an object with a value, and its object is one that walks
    have.
    """
    for line in head.decode("utf-8", "replace").splitlines()[:40]:
        match = _LINE.match(line.rstrip())
        if match and (match[1] or _named(match[2])[0]):
            return True
    return False


def parse(text: str) -> Iterator[Row]:
    """The objects of a walk. A line that opens no object goes on with the value before it."""
    held, more = "", ""
    at, spelled = 0, ""
    row = _Columns().row
    for number, line in enumerate(text.replace("\r\n", "\n").split("\n"), 1):
        object_, equals, value = line.partition(" = ")
        if (
            not equals or object_[:2] != ".1" or " " in object_
        ):  # nearly all lines of a numeric walk are like this
            match = _LINE.match(line)
            if match is None:
                more += f"\n{line}"
                continue
            object_, value = match[1] or match[2], match[3]
        if at:
            yield row(spelled, held + more if more else held, at)
        held, more, at, spelled = value, "", number, object_
    if at:
        yield row(spelled, held + more, at)


class _Columns:
    """Rows of one column follow one another: the object of the last one is tried first."""

    def __init__(self) -> None:
        self.column, self.name, self.length = "?", "", 1

    def row(self, spelled: str, text: str, line: int) -> Row:
        kind, _, value = text.partition(": ")
        if kind not in _KINDS:
            typed = _TYPE.match(text)
            kind, value = (typed[1], typed[2]) if typed else ("", text)
        if spelled.startswith(self.column):
            name, rest = self.name, spelled[self.length :]
            if rest.isdecimal() and len(rest) < 10:
                return Row(name, (int(rest),), kind, value.strip(), line, spelled)
            index = _index(rest.split("."))
        elif spelled[:1] in ".1" or spelled.startswith("iso."):
            name, index = _numbered(spelled)
            if name and spelled[:1] == ".":
                self.column, self.name = f".{OBJECTS[name]}.", name
                self.length = len(self.column)
        else:
            name, index = _named(spelled)
        return Row(name, index, kind, value.strip(), line, spelled)


def _numbered(spelled: str) -> tuple[str, tuple[int, ...]]:
    number = spelled.replace("iso.", "1.", 1) if spelled.startswith("iso.") else spelled
    parts = number.strip(".").split(".")
    for length in _LENGTHS:
        name = _BY_NUMBER.get(".".join(parts[:length]))
        if name is not None:
            return name, _index(parts[length:])
    return "", ()


def _octets_of(address: re.Match[str]) -> str:
    """An address in an index, `ipv4."10.0.0.1"`, as the numbers it stands for: type, length, octets
    (RFC 4001).
    """
    if address[1] == "ipv4":
        return f"1.4.{address[2]}"
    pairs = address[2].split(":")
    return f"2.{len(pairs)}." + ".".join(str(int(pair or "0", 16)) for pair in pairs)


_ADDRESS_INDEX = re.compile(r'(ipv4|ipv6)\."([0-9A-Fa-f.:]{3,47})"')


def _named(spelled: str) -> tuple[str, tuple[int, ...]]:
    if '"' in spelled:
        spelled = _ADDRESS_INDEX.sub(_octets_of, spelled)
    name, *rest = re.split(r"[.\[\]]+", spelled.rpartition("::")[2])
    return (name, _index(rest)) if name in OBJECTS else ("", ())


def _index(parts: list[str]) -> tuple[int, ...]:
    return tuple(
        int(part) for part in parts if part.isascii() and part.isdigit() and len(part) < 11
    )


def whole_number(row: Row, names: dict[str, int] | None = None) -> int | None:
    """The value as a number: `7`, `up(1)`, or a name that `names` knows; None if it is none."""
    if len(row.value) < 11 and row.value.isdigit() and row.value.isascii():
        return int(row.value)
    match = re.search(r"(?:^|\()(-?[0-9]{1,10})\)?(?:\s.*)?\Z", row.value[:200])
    return int(match[1]) if match else (names or {}).get(row.value)


def words(row: Row) -> str:
    """The value as text, out of its quotes; octets that were written in hex are turned back if they
    are text.
    """
    value = row.value
    if row.kind == "Hex-STRING":
        raw = octets(row) or b""
        try:
            text = raw.rstrip(b"\x00").decode("utf-8")
        except UnicodeDecodeError:
            text = ""
        return text if text.isprintable() and text else ":".join(f"{byte:02x}" for byte in raw)
    if len(value) > 1 and value[0] == value[-1] == '"':
        value = value[1:-1]
        value = re.sub(r"\\(.)", r"\1", value) if "\\" in value else value
    return value


def octets(row: Row) -> bytes | None:
    """The value as octets, whichever way it was written; None if it is no octet string."""
    value = row.value
    quoted = len(value) > 1 and value[0] == value[-1] == '"'
    inner = value[1:-1] if quoted else value
    if row.kind == "Hex-STRING" or (row.kind == "" and _HEX.match(inner.strip() or "x")):
        try:
            return bytes.fromhex(inner.replace(":", " "))
        except ValueError:
            return None
    if row.kind in ("STRING", ""):
        # All bytes happened to be printable, and were written as text.
        return (re.sub(r"\\(.)", r"\1", inner) if quoted else inner).encode("latin-1", "replace")
    return None
