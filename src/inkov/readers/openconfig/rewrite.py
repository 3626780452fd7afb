"""Edits made in the text of OpenConfig JSON: values that are stated get others, and VLAN tables get
rows.

The layout stays as it is: a text that is not laid out as JSON usually is (indented alike, a member
on each line) is not written, since all of it would change. Nor is what no member states yet.
"""

from __future__ import annotations

import json
from collections.abc import Sequence
from itertools import product
from typing import Any

from inkov.campus import Device, Fact, Mode, Origin, Vlan
from inkov.edits import Edit, Kind
from inkov.readers.rewriting import CannotWrite
from inkov.vlanset import VlanSet

__all__ = ["rewrite"]

_LAYOUTS: tuple[int | str | None, ...] = (2, 4, "\t", 1, 3, None)
_SET = {
    Kind.PORT: ("allowed", "access_vlan", "native_vlan", "enabled", "mtu", "mode"),
    Kind.VLAN: ("name", "active"),
}
"""What is a member of its own."""


def rewrite(text: str, device: Device, edits: Sequence[Edit]) -> str:
    """The text with some edits made. `device` is the switch as it is with them. Raises
    CannotWrite.
    """
    document = json.loads(text)
    newline = "\r\n" if "\r\n" in text else "\n"
    for indent, end, escaped in product(_LAYOUTS, ("\n", ""), (False, True)):
        if _laid_out(document, indent, end, escaped).replace("\n", newline) == text:
            for edit in edits:
                _make(document, device, edit)
            return _laid_out(document, indent, end, escaped).replace("\n", newline)
    raise CannotWrite("its layout would not stay as it is")


def _laid_out(document: Any, indent: int | str | None, end: str, escaped: bool) -> str:
    return json.dumps(document, indent=indent, ensure_ascii=escaped) + end


def _make(document: Any, device: Device, edit: Edit) -> None:
    what = f"{edit.kind} {edit.name}, {edit.attribute or 'the whole of it'}"
    if edit.kind is Kind.VLAN and edit.whole and isinstance(edit.after, Vlan):
        _add_row(document, device, edit.after)
    elif edit.attribute in _SET.get(edit.kind, ()):
        _set(document, edit, what)
    else:
        raise CannotWrite(f"{what}: not written into OpenConfig")


def _set(document: Any, edit: Edit, what: str) -> None:
    """Another value where one is stated."""
    origin = edit.before.origin if isinstance(edit.before, Fact) else Origin()
    if not origin.pointer or not isinstance(edit.after, Fact):
        raise CannotWrite(f"{what}: no member states it yet, or none would any more")
    holder, key = _at(document, origin.pointer, what)
    holder[key] = _value(edit, holder[key], what)


def _at(document: Any, pointer: str, what: str) -> tuple[Any, Any]:
    """What holds the value at a pointer (RFC 6901), and by which key."""
    words = [word.replace("~1", "/").replace("~0", "~") for word in pointer.split("/")[1:]]
    holder: Any = document
    for number, word in enumerate(words):
        key = _key(holder, word)
        if key is None:
            raise CannotWrite(f"{what}: there is no {pointer}")
        if number == len(words) - 1:
            return holder, key
        holder = holder[key]
    raise CannotWrite(f"{what}: the whole document states it")


def _key(holder: Any, word: str) -> Any:
    """What a word of a pointer means: a place in a list, or a member, whose name may have that of
    its module before it (RFC 7951, section 4). None if it means nothing.
    """
    if isinstance(holder, list):
        return int(word) if word.isdigit() and int(word) < len(holder) else None
    if not isinstance(holder, dict):
        return None
    return next((key for key in holder if key.rpartition(":")[2] == word), None)


def _value(edit: Edit, now: Any, what: str) -> Any:
    """A value as the schema has it (openconfig-vlan, openconfig-interfaces)."""
    value = edit.after.value
    if isinstance(value, VlanSet):
        return [low if low == high else f"{low}..{high}" for low, high in value.ranges()]
    if edit.attribute == "active":
        return "ACTIVE" if value else "SUSPENDED"
    if isinstance(value, Mode):
        if value not in (Mode.ACCESS, Mode.TRUNK) or now not in ("ACCESS", "TRUNK"):
            raise CannotWrite(f"{what}: {value} is no mode of OpenConfig")
        return str(value).upper()
    if value is None or type(value) is not type(now):
        raise CannotWrite(f"{what}: {value!r} is not of the kind that is stated")
    return value


def _add_row(document: Any, device: Device, row: Vlan) -> None:
    """A row beside those that are there, in the order of their numbers."""
    pointers = [one.origin.pointer for one in (device.vlans or {}).values() if one.origin.pointer]
    tables = [
        pointer.rpartition("/")[0] for pointer in pointers if pointer.rpartition("/")[2].isdigit()
    ]
    what = f"VLAN {row.vid}"
    if not tables:
        raise CannotWrite(f"{what}: no table is there")
    holder, key = _at(document, tables[0], what)
    table = holder[key]
    config: dict[str, Any] = {"vlan-id": row.vid}
    if row.name is not None:
        config["name"] = row.name.value
    at = sum(1 for one in table if int(one.get("vlan-id", 0)) < row.vid)
    table.insert(at, {"vlan-id": row.vid, "config": config})
