"""The bundles of a walk (IEEE8023-LAG-MIB, ifStackTable): which ports are members of which."""

from __future__ import annotations

from collections.abc import Iterator

from inkov.campus import Device, Fact, Origin, PortKind, Problem
from inkov.readers.walk.rows import Row, octets, whole_number

__all__ = ["give_bundles", "ports_of"]

_Tables = dict[str, dict[tuple[int, ...], Row]]


def ports_of(octets_: bytes) -> Iterator[int]:
    """The numbers in a bitmap of ports (RFC 4363, PortList)."""
    for place, octet in enumerate(octets_):
        for offset in range(8) if octet else ():
            if octet << offset & 0x80:
                yield place * 8 + offset + 1


def give_bundles(
    tables: _Tables,
    names: dict[int, str],
    base: dict[int, str],
    file: str,
    problems: list[Problem],
    device: Device,
) -> None:
    """Put members into their bundles. `names` are the interfaces' by number, `base` those of
    bridge ports.

    Where the member says which bundle it is attached to, this counts; else which it selected, what
    the bundle lists, and what is stacked upon what.
    """
    known = {name for name, port in device.ports.items() if port.kind is PortKind.BUNDLE}
    for member, bundle, row in _members(tables, names, base, known):
        # A port that aggregates nothing is attached to itself, or to 0.
        if member == bundle or member not in names or bundle == 0:
            continue
        if bundle not in names:
            says = f"the aggregated link {bundle} is not among the interfaces"
            problems.append(Problem(Origin(file, row.line), says))
            continue
        port = device.ports[names[member]]
        # The surest table came first: what it said stays.
        if port.bundle is None:
            port.bundle = Fact(names[bundle], Origin(file, row.line))
            device.ports[names[bundle]].kind = PortKind.BUNDLE


def _members(
    tables: _Tables, names: dict[int, str], base: dict[int, str], bundles: set[str]
) -> Iterator[tuple[int, int, Row]]:
    """(member, bundle, the row that says so), by interface numbers, the surest first."""
    for column in ("dot3adAggPortAttachedAggID", "dot3adAggPortSelectedAggID"):
        for index, row in tables.get(column, {}).items():
            # Other indexes are not of this column: a walk can be torn.
            if len(index) == 1:
                yield index[0], whole_number(row) or 0, row
    by_name = {name: number for number, name in names.items()}
    for index, row in tables.get("dot3adAggPortListPorts", {}).items():
        for number in ports_of(octets(row) or b"") if len(index) == 1 else ():
            # Agents number the ports of this list as interfaces or as bridge ports.
            yield (by_name[base[number]] if number in base else number), index[0], row
    for index, row in tables.get("ifStackStatus", {}).items():
        # Interfaces are stacked for many reasons; only what is stacked upon a bundle is a member.
        if len(index) == 2 and names.get(index[0]) in bundles and index[1]:
            yield index[1], index[0], row
