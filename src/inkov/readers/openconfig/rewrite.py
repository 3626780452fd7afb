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

from inkov.campus import Device, Fact, Gateway, Mode, Origin, PortKind, Vlan
from inkov.edits import Edit, Kind
from inkov.readers.openconfig.writer import gateway_interface
from inkov.readers.rewriting import CannotWrite
from inkov.vlanset import VlanSet

__all__ = ["LEAVES", "SET", "list_of", "rewrite", "value_of"]

_LAYOUTS: tuple[int | str | None, ...] = (2, 4, "\t", 1, 3, None)
SET = {
    Kind.PORT: ("allowed", "access_vlan", "native_vlan", "enabled", "mtu", "mode"),
    Kind.VLAN: ("name", "active"),
    Kind.GATEWAY: ("enabled",),
}
"""What is a member of its own."""


def rewrite(text: str, device: Device, edits: Sequence[Edit]) -> str:
    """The text with some edits made. `device` is the switch as it is with them. Raises
    CannotWrite.
    """
    document = json.loads(text)
    newline = "\r\n" if "\r\n" in text else "\n"
    # The layout is found by trying: what gives the same text is how it was written.
    for indent, end, escaped in product(_LAYOUTS, ("\n", ""), (False, True)):
        if _laid_out(document, indent, end, escaped).replace("\n", newline) == text:
            for edit in sorted(edits, key=_order):
                _make(document, device, edit)
            return _laid_out(document, indent, end, escaped).replace("\n", newline)
    raise CannotWrite("its layout would not stay as it is")


def _laid_out(document: Any, indent: int | str | None, end: str, escaped: bool) -> str:
    return json.dumps(document, indent=indent, ensure_ascii=escaped) + end


def _order(edit: Edit) -> tuple[int, list[int]]:
    """Pointers count places in lists. So what moves none comes first, then what is taken away, the
    last places foremost, and what is put in comes last.
    """
    if not edit.whole:
        return 0, []
    if edit.before is None:
        return 2, []
    places = [int(word) for word in edit.before.origin.pointer.split("/") if word.isdigit()]
    return 1, [-place for place in places]


def _make(document: Any, device: Device, edit: Edit) -> None:
    what = f"{edit.kind} {edit.name}, {edit.attribute or 'the whole of it'}"
    # Rows and gateways are whole entries; all else is one value of an entry.
    if edit.whole and isinstance(edit.after, Vlan):
        _add_row(document, device, edit.after)
    elif edit.whole and isinstance(edit.after, Gateway):
        _add_gateway(document, device, edit.after)
    elif edit.whole and isinstance(edit.before, (Vlan, Gateway)):
        _take_away(document, edit.before.origin.pointer, what)
    elif edit.kind is Kind.GATEWAY and edit.attribute == "addresses":
        _set_addresses(document, edit, what)
    elif edit.attribute in SET.get(edit.kind, ()):
        _set(document, device, edit, what)
    else:
        raise CannotWrite(f"{what}: not written into OpenConfig")


LEAVES = {
    "allowed": "trunk-vlans",
    "access_vlan": "access-vlan",
    "native_vlan": "native-vlan",
    "enabled": "enabled",
    "mtu": "mtu",
}
"""The members of a port that can be added, by attribute."""


def _set(document: Any, device: Device, edit: Edit, what: str) -> None:
    """Another value where one is stated, or a member more."""
    origin = edit.before.origin if isinstance(edit.before, Fact) else Origin()
    if not isinstance(edit.after, Fact):
        raise CannotWrite(f"{what}: what is stated is not taken away")
    # Nothing states it yet: there is no value to replace.
    if not origin.pointer:
        _add_member(document, device, edit, what)
        return
    holder, key = _at(document, origin.pointer, what)
    holder[key] = value_of(edit, holder[key], what)


def _add_member(document: Any, device: Device, edit: Edit, what: str) -> None:
    """A member that states what none does yet, among those of its container."""
    leaf = LEAVES.get(edit.attribute) if edit.kind is Kind.PORT else None
    if leaf is None:
        raise CannotWrite(f"{what}: no member states it yet")
    port = device.ports[edit.name]
    holder: Any = document
    way = ["config"]
    # What belongs to the interface itself stands one level higher than its VLANs.
    if leaf not in ("enabled", "mtu"):
        kind = "aggregation" if port.kind is PortKind.BUNDLE else "ethernet"
        way = [kind, "switched-vlan", "config"]
    for word in [*port.origin.pointer.split("/")[1:], *way]:
        key = _key(holder, word)
        if key is None:
            raise CannotWrite(f"{what}: there is no {word} that could hold it")
        holder = holder[key]
    # Members with prefixes beside one without would be mixed: some readers then miss one of them.
    if any(":" in key for key in holder):
        raise CannotWrite(f"{what}: its members are named with their modules")
    holder[leaf] = value_of(edit, _NEW[leaf], what)


_NEW: dict[str, Any] = {
    "trunk-vlans": [],
    "access-vlan": 1,
    "native-vlan": 1,
    "enabled": True,
    "mtu": 1,
}
"""A value of the kind that a member has."""


def _set_addresses(document: Any, edit: Edit, what: str) -> None:
    """Another address in the place of the one of its family, each in an entry of its own."""
    before = {fact.value.version: fact for fact in edit.before}
    after = {fact.value.version: fact for fact in edit.after}
    # Which of two addresses of a family becomes which is not said.
    if before.keys() != after.keys() or len(edit.before) != len(before):
        raise CannotWrite(f"{what}: another number of addresses")
    for version, fact in after.items():
        if fact.value == before[version].value:
            continue
        pointer = before[version].origin.pointer.rpartition("/config/")[0]
        holder, key = _at(document, pointer, what)
        entry = holder[key]
        config = entry[_key(entry, "config")]
        # The address is the key of its entry as well: both must be the same.
        for there in (entry, config):
            if (name := _key(there, "ip")) is not None:
                there[name] = str(fact.value.ip)
        config[_key(config, "prefix-length")] = fact.value.network.prefixlen


def _take_away(document: Any, pointer: str, what: str) -> None:
    """An entry of a list less: the one that holds a place, and speaks of nothing else."""
    words = pointer.split("/")
    # The fact may stand deep inside its entry; the entry is what goes.
    while words and not words[-1].isdigit():
        words.pop()
    holder, key = _at(document, "/".join(words), what)
    del holder[key]


def _add_gateway(document: Any, device: Device, gateway: Gateway) -> None:
    """An interface more, behind the others."""
    what = f"gateway VLAN {gateway.vid}"
    pointers = [port.origin.pointer for port in device.ports.values() if port.origin.pointer]
    if not pointers:
        raise CannotWrite(f"{what}: no interface is there")
    holder, key = _at(document, pointers[0].rpartition("/")[0], what)
    interface = gateway_interface(gateway, gateway.name)
    if gateway.enabled is None:
        del interface["config"]["enabled"]  # nothing said so
    holder[key].append(interface)


def _at(document: Any, pointer: str, what: str) -> tuple[Any, Any]:
    """What holds the value at a pointer (RFC 6901), and by which key."""
    words = [word.replace("~1", "/").replace("~0", "~") for word in pointer.split("/")[1:]]
    holder: Any = document
    for number, word in enumerate(words):
        key = _key(holder, word)
        if key is None:
            # Told with the whole pointer: the document has changed under it, or is no OpenConfig.
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


def value_of(edit: Edit, now: Any, what: str) -> Any:
    """A value as the schema has it (openconfig-vlan, openconfig-interfaces)."""
    value = edit.after.value
    if isinstance(value, VlanSet):
        return list_of(value, now if isinstance(now, list) else [])
    # The state of a VLAN is a word in the schema.
    if edit.attribute == "active":
        return "ACTIVE" if value else "SUSPENDED"
    if isinstance(value, Mode):
        # A mode that the schema does not have, or a place that holds something else.
        if value not in (Mode.ACCESS, Mode.TRUNK) or now not in ("ACCESS", "TRUNK"):
            raise CannotWrite(f"{what}: {value} is no mode of OpenConfig")
        return str(value).upper()
    # A text in the place of a number would be an export that no device takes.
    if value is None or type(value) is not type(now):
        raise CannotWrite(f"{what}: {value!r} is not of the kind that is stated")
    return value


def list_of(vlans: VlanSet, now: list[Any]) -> list[Any]:
    """A list of VLANs; items that stay as a whole stay as they are written."""
    items: list[tuple[int, Any]] = []  # with the first number of each
    left = vlans
    for item in now:
        first, _, last = str(item).partition("..")
        if not first.isdigit() or not (last or first).isdigit():
            continue  # it means nothing, and was told where it was read
        whole = VlanSet.from_vids(range(int(first), int(last or first) + 1))
        stays = whole & left
        left = left - whole
        items += [(int(first), item)] if stays == whole else _ranges(stays)
    return [item for _, item in sorted([*items, *_ranges(left)], key=lambda pair: pair[0])]


def _ranges(vlans: VlanSet) -> list[tuple[int, Any]]:
    return [(low, low if low == high else f"{low}..{high}") for low, high in vlans.ranges()]


def _add_row(document: Any, device: Device, row: Vlan) -> None:
    """A row beside those that are there, in the order of their numbers."""
    pointers = [row.origin.pointer for row in (device.vlans or {}).values() if row.origin.pointer]
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
    at = sum(1 for entry in table if int(entry.get("vlan-id", 0)) < row.vid)
    table.insert(at, {"vlan-id": row.vid, "config": config})
