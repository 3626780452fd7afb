"""Edits made in OpenConfig as XML: line by line, so that all else stays as it is written.

Exports have an element with a text on one line, and a container from one line to another. Where a
document is written otherwise, that is said.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any
from xml.sax.saxutils import escape

from inkov.campus import Device, Fact, Gateway, PortKind, Vlan
from inkov.edits import Edit, Kind
from inkov.readers.openconfig.rewrite import LEAVES, SET, list_of, value_of
from inkov.readers.openconfig.xml import BadXml, parse_xml
from inkov.readers.rewriting import CannotWrite

__all__ = ["rewrite"]

_LEAF = re.compile(r"(\s*)<([\w:.-]+)((?:\s[^<>]*)?)>([^<>]*)</\2>(\s*)\Z")
_OPEN = re.compile(r"(\s*)<([\w:.-]+)(?:\s[^<>]*)?>\s*\Z")
_ROW = {"vlan", "vlan-id", "config", "name"}
_GATEWAY = {
    *("interface", "name", "config", "type", "enabled", "routed-vlan", "vlan"),
    *("ipv4", "ipv6", "addresses", "address", "ip", "prefix-length"),
}


def rewrite(text: str, device: Device, edits: Sequence[Edit]) -> str:
    """The text with some edits made. `device` is the switch as it is with them. Raises
    CannotWrite.
    """
    document = _Document(text)
    # Lines are known by their numbers in the text as it was: each is changed in its place.
    for edit in edits:
        what = f"{edit.kind} {edit.name}, {edit.attribute or 'the whole of it'}"
        if edit.whole and isinstance(edit.after, Vlan):
            document.add_row(device, edit.after, what)
        elif edit.whole and isinstance(edit.after, Gateway):
            document.add_gateway(device, edit.after, what)
        elif edit.whole and isinstance(edit.before, (Vlan, Gateway)):
            document.take_away(edit.before.origin.pointer, what)
        elif edit.attribute in SET.get(edit.kind, ()):
            document.state(device, edit, what)
        else:
            raise CannotWrite(f"{what}: not written into OpenConfig")
    return document.text


class _Document:
    """A document as lines; what stands at a line is changed, or put behind it."""

    def __init__(self, text: str) -> None:
        self.newline = "\r\n" if "\r\n" in text else "\n"
        lines = text.replace("\r\n", "\n").split("\n")
        self.lines: list[str | None] = list(lines)  # None: gone
        self.behind: dict[int, list[str]] = {}
        try:
            self.at = parse_xml(text.encode()).lines
        except BadXml as bad:
            raise CannotWrite(str(bad)) from None

    @property
    def text(self) -> str:
        written = []
        for number, line in enumerate(self.lines, 1):
            written += [line] if line is not None else []
            written += self.behind.get(number, [])
        return self.newline.join(written)

    def _line(self, pointer: str, what: str) -> int:
        if pointer not in self.at:
            raise CannotWrite(f"{what}: there is no {pointer}")
        return self.at[pointer]

    def _leaf(self, number: int, what: str) -> re.Match[str]:
        leaf = _LEAF.match(self.lines[number - 1] or "")
        if leaf is None:
            raise CannotWrite(f"{what}: line {number} is not one element with a text")
        return leaf

    def _block(self, number: int, what: str) -> range:
        """The lines from an element that opens on one to where it ends."""
        opened = _OPEN.match(self.lines[number - 1] or "")
        if opened is not None:
            end = f"{opened[1]}</{opened[2]}>"
            # The first end tag at the same indent: elements of the same name inside stand further
            # in.
            for last in range(number, len(self.lines) + 1):
                if (self.lines[last - 1] or "").rstrip() == end:
                    return range(number, last + 1)
        raise CannotWrite(f"{what}: line {number} does not open what another line closes")

    # --- values ---

    def state(self, device: Device, edit: Edit, what: str) -> None:
        """Another value where one is stated, or a member more."""
        pointer = edit.before.origin.pointer if isinstance(edit.before, Fact) else ""
        if not isinstance(edit.after, Fact):
            raise CannotWrite(f"{what}: what is stated is not taken away")
        if not pointer:
            self._add_member(device, edit, what)
        elif edit.attribute == "allowed":
            self._set_list(pointer, edit, what)
        else:
            number = self._line(pointer, what)
            leaf = self._leaf(number, what)
            now: Any = {"true": True, "false": False}.get(leaf[4].strip(), leaf[4].strip())
            # A leaf is text; the kind of value that it holds is told by how it looks.
            now = int(now) if isinstance(now, str) and now.isdigit() else now
            self.lines[number - 1] = _filled(leaf, value_of(edit, now, what))

    def _set_list(self, pointer: str, edit: Edit, what: str) -> None:
        places: list[int] = []
        while f"{pointer}/{len(places)}" in self.at:
            places.append(self.at[f"{pointer}/{len(places)}"])
        leaves = [self._leaf(number, what) for number in places]
        # Between items that stand apart something else stands, whose place would change.
        if not places or places != list(range(places[0], places[0] + len(places))):
            raise CannotWrite(f"{what}: its items do not stand line by line")
        new = [
            _filled(leaves[0], item)
            for item in list_of(edit.after.value, [leaf[4].strip() for leaf in leaves])
        ]
        for number in places:
            self.lines[number - 1] = None
        self.behind.setdefault(places[-1], []).extend(new)

    def _add_member(self, device: Device, edit: Edit, what: str) -> None:
        leaf = LEAVES.get(edit.attribute) if edit.kind is Kind.PORT else None
        if leaf is None:
            raise CannotWrite(f"{what}: no member states it yet")
        port = device.ports[edit.name]
        kind = "aggregation" if port.kind is PortKind.BUNDLE else "ethernet"
        way = "config" if leaf in ("enabled", "mtu") else f"{kind}/switched-vlan/config"
        number = self._line(f"{port.origin.pointer}/{way}", what)
        inner = re.match(r"\s*", self.lines[number] or "")
        # As the first line inside is indented, so are those that are added.
        indent = inner[0] if inner is not None else ""
        value = edit.after.value
        items = list_of(value, []) if edit.attribute == "allowed" else [value]
        added = [f"{indent}<{leaf}>{_text(item)}</{leaf}>" for item in items]
        self.behind.setdefault(self._block(number, what)[-2], []).extend(added)

    # --- rows and gateways ---

    def take_away(self, pointer: str, what: str) -> None:
        """The element that holds a place in a list, with all that is in it."""
        # The place in the list is the entry; deeper pointers are parts of it.
        while pointer and not pointer.rpartition("/")[2].isdigit():
            pointer = pointer.rpartition("/")[0]
        for number in self._block(self._line(pointer, what), what):
            self.lines[number - 1] = None

    def add_row(self, device: Device, row: Vlan, what: str) -> None:
        """A row, as the one before it is written."""
        rows = [
            known
            for known in (device.vlans or {}).values()
            if known.vid != row.vid and known.origin.pointer in self.at
        ]
        if not rows:
            raise CannotWrite(f"{what}: no table is there")
        # Behind the row with the next lower number, or before the first: tables are ascending.
        below = [known for known in rows if known.vid < row.vid]
        beside = max(below, key=lambda row: row.vid) if below else rows[0]
        block = self._block(self._line(beside.origin.pointer, what), what)
        values = {"vlan-id": row.vid, "name": row.name.value if row.name is not None else None}
        copied = self._copied(block, _ROW, values, what)
        self.behind.setdefault(block[-1] if below else block[0] - 1, []).extend(copied)

    def add_gateway(self, device: Device, gateway: Gateway, what: str) -> None:
        """A gateway, as the last one is written."""
        others = [
            known
            for known in device.gateways
            if known.vid != gateway.vid
            and known.origin.pointer in self.at
            and len(known.addresses) == 1
        ]
        if not others or len(gateway.addresses) != 1:
            raise CannotWrite(f"{what}: no gateway shows how that is written")
        pointer = others[-1].origin.pointer.rpartition("/")[0]
        block = self._block(self._line(pointer, what), what)
        address = gateway.addresses[0].value
        values = {
            "name": gateway.name,
            "vlan": gateway.vid,
            "ip": address.ip,
            "prefix-length": address.network.prefixlen,
            "enabled": None if gateway.enabled is None else gateway.enabled.value,
        }
        self.behind.setdefault(block[-1], []).extend(self._copied(block, _GATEWAY, values, what))

    def _copied(self, block: range, kept: set[str], values: dict[str, Any], what: str) -> list[str]:
        """The lines of a block for something else: elements that are kept, with other texts. One
        with the value None is left out.
        """
        copied = []
        for number in block:
            line = self.lines[number - 1] or ""
            named = re.match(r"\s*</?([\w:.-]+)", line)
            name = named[1].rpartition(":")[2] if named is not None else ""
            leaf = _LEAF.match(line)
            if name not in kept:
                # An element that belongs to the other thing alone: one leaf is left out, a block is
                # not known.
                if leaf is None:
                    raise CannotWrite(f"{what}: line {number} is not as in others")
                continue
            if leaf is None or name not in values:
                copied.append(line)
            elif values[name] is not None:
                copied.append(_filled(leaf, values[name]))
        return copied


def _filled(leaf: re.Match[str], value: Any) -> str:
    """An element with another text."""
    return f"{leaf[1]}<{leaf[2]}{leaf[3]}>{_text(value)}</{leaf[2]}>{leaf[5]}"


def _text(value: Any) -> str:
    return str(value).lower() if isinstance(value, bool) else escape(str(value))
