"""Neighbours as `lldpcli` writes them: `-f json` (names as keys, no list for one entry), `-f json0`
(all lists).
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import msgspec

from inkov.campus import Fact, Origin, Problem
from inkov.readers.json_errors import not_json
from inkov.readers.reading import Ledger, Part, Piece, Reading, Unread, as_utf8
from inkov.vlanset import VlanSet

__all__ = ["neighbours_of", "read", "recognise"]

Heard = tuple[str, str, str, Origin, str, str, int | None, Fact[VlanSet] | None]
"""(port, the neighbour's name, its port, where it is said, its port's description, its chassis ID,
the VID of its untagged frames, the VLANs it names)
"""


def recognise(head: bytes) -> bool:
    """True if the first member of the JSON is `lldp`, without a module, and holds interfaces as
    this tool has them.
    """
    text = head.lstrip(b"\xef\xbb\xbf \t\r\n{")
    return text[:6] == b'"lldp"' and b'"interface"' in head and b'"interfaces"' not in head


def read(file: str, data: bytes, *, account: bool) -> Reading:
    """Read one file: a piece of the system that heard these neighbours."""
    data, not_utf8 = as_utf8(file, data)
    try:
        tree = msgspec.json.decode(data)
        problems: list[Problem] = []
        count = sum(1 for _ in neighbours_of(tree, file, problems))
    except (msgspec.DecodeError, RecursionError) as error:
        return not_json(file, data, error)
    # The problems are said when the pieces are put together; here they only count.
    unmatched = [Unread(problem.origin, problem.says) for problem in problems]
    part = Part(pieces=[Piece("linux", "lldp", file, tree)], problems=not_utf8)
    return Reading(part, Ledger(understood=count, unmatched=unmatched))


def neighbours_of(tree: Any, file: str, problems: list[Problem]) -> Iterator[Heard]:
    """The neighbours of a decoded file, in either form."""
    for holder, path in _each(_child(tree, "lldp"), "/lldp"):
        for entry, pointer in _each(_child(holder, "interface"), f"{path}/interface"):
            # An empty list of interfaces is printed as an empty text by some versions.
            if not isinstance(entry, dict):
                continue
            named = isinstance(entry.get("name"), str)
            rows = (
                [(entry["name"], entry, pointer)]
                # In the one form the name is a member, in the other it is the key.
                if named
                else [
                    (name, row, f"{where}")
                    for name, value in entry.items()
                    if isinstance(value, dict | list)
                    for row, where in _each(value, f"{pointer}/{_escape(name)}")
                ]
            )
            for name, row, where in rows:
                if _child(row, "status") is not None and _child(row, "via") is None:
                    continue  # one of the system's own interfaces, not a neighbour
                heard = _neighbour(name, row, Origin(file, pointer=where))
                if heard is None:
                    says = f"the neighbour at port {name} has no name or no port; it is left out"
                    problems.append(Problem(Origin(file, pointer=where), says))
                else:
                    yield heard


def _neighbour(name: str, row: Any, origin: Origin) -> Heard | None:
    chassis, port = _first(_child(row, "chassis")), _first(_child(row, "port"))
    far = _text(_child(chassis, "name"))
    # In the form with names as keys, the chassis has its name as key too.
    if not far and isinstance(chassis, dict) and "id" not in chassis and chassis:
        far = next(iter(chassis))  # the name is the key
        chassis = chassis[far]
    chassis_id = _text(_child(chassis, "id"))
    # A neighbour without a name goes by its chassis; it is not known by that a second time.
    known_as, far = chassis_id if far else "", far or chassis_id
    far_port, about = _text(_child(port, "id")), _text(_child(port, "descr"))
    # A port may be told by its description alone.
    if not far or not (far_port or about):
        return None
    pvid, vlans = _vlans(row, origin)
    return name, far, far_port or about, origin, about, known_as, pvid, vlans


def _vlans(row: Any, origin: Origin) -> tuple[int | None, Fact[VlanSet] | None]:
    """The VLAN of the far port's untagged frames, and those it names."""
    pvid: int | None = None
    named: list[int] = []
    for entry, _ in _each(_child(row, "vlan"), ""):
        text = _child(entry, "vlan-id")
        # Numbers come as numbers or as texts.
        vid = int(text) if isinstance(text, str | int) and str(text).isdecimal() else 0
        if not 1 <= vid <= 4094:
            continue
        if _child(entry, "pvid") in (True, "yes"):
            pvid = vid
        # A VLAN without a name is one that the far port only mentions as its PVID.
        if _text(_child(entry, "value")) or isinstance(_child(entry, "value"), str):
            named.append(vid)
    return pvid, Fact(VlanSet.from_vids(named), origin) if named else None


def _each(value: Any, pointer: str) -> Iterator[tuple[Any, str]]:
    """The items of a list with their pointers, or the one thing that stands for a list of one."""
    if isinstance(value, list):
        for index, item in enumerate(value):
            yield item, f"{pointer}/{index}"
    elif value is not None:
        yield value, pointer


def _child(value: Any, name: str) -> Any:
    return value.get(name) if isinstance(value, dict) else None


def _first(value: Any) -> Any:
    return (value[0] if value else None) if isinstance(value, list) else value


def _text(value: Any) -> str:
    """A text: as it is, or as `value` of an object, or of the first of a list."""
    value = _first(value)
    value = _child(value, "value") if isinstance(value, dict) else value
    return value if isinstance(value, str) else ""


def _escape(name: str) -> str:
    return name.replace("~", "~0").replace("/", "~1")
