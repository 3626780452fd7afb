"""The VLAN tables of a walk (Q-BRIDGE-MIB, RFC 4363): definitions, names, and who is a member.

Membership is stated from the VLAN's side, as a bitmap of bridge ports (PortList): the highest bit
of the first octet is bridge port 1. One table has all members, the other those that send untagged.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from msgspec import Struct, field

from inkov.campus import Device, Fact, Mode, Origin, Problem, Vlan
from inkov.readers.walk.text import Row, octets, whole_number, words
from inkov.vlanset import VlanSet, bit

__all__ = ["WalkVlans"]

_MOST_OCTETS = 8192  # of a list of ports: no bridge has as many ports


class _Membership(Struct):
    """The VIDs that a port is a member of, as a mask, and the last row that said so."""

    mask: int
    row: Row


class _Memberships(Struct):
    """The memberships of ports, by how they send."""

    tagged: dict[str, _Membership] = field(default_factory=dict)
    untagged: dict[str, _Membership] = field(default_factory=dict)

    def add(self, port: str, vid: int, row: Row, *, untagged: bool) -> None:
        kept = self.untagged if untagged else self.tagged
        before = kept[port].mask if port in kept else 0
        kept[port] = _Membership(before | bit(vid), row)


class WalkVlans:
    """Reads the VLAN tables of a walk, and gives what they say to its device.

    `base` maps bridge ports to the names of ports.
    """

    def __init__(
        self,
        tables: dict[str, dict[tuple[int, ...], Row]],
        base: dict[int, str],
        file: str,
        problems: list[Problem],
    ) -> None:
        self.tables = tables
        self.base = base
        self.file = file
        self.problems = problems
        self._lists: dict[bytes, list[str]] = {}  # ports by their bitmap
        self._sets: dict[int, VlanSet] = {}  # the same few sets come at most ports

    def give(self, device: Device) -> None:
        self._members(device, self._defined(device))
        self._names(device)
        self._states(device)

    def _table(self, name: str) -> dict[tuple[int, ...], Row]:
        return self.tables.get(name, {})

    def at(self, row: Row) -> Origin:
        return Origin(self.file, row.line)

    def problem(self, row: Row, says: str) -> None:
        self.problems.append(Problem(self.at(row), says))

    def _defined(self, device: Device) -> _Memberships:
        """The VLANs of the static tables, or else of the current ones, and their members."""
        kind = "Static" if self._table("dot1qVlanStaticEgressPorts") else "Current"
        untagged: dict[int, set[str]] = {}
        for index, row in self._table(f"dot1qVlan{kind}UntaggedPorts").items():
            untagged.setdefault(index[-1] if index else 0, set()).update(self._listed(row))
        members = _Memberships()
        for index, row in self._table(f"dot1qVlan{kind}EgressPorts").items():
            vid = index[-1] if index else 0
            if not 1 <= vid <= 4094:
                self.problem(row, f"{vid} is not a VLAN number (1 to 4094); left out")
                continue
            device.vlans = {} if device.vlans is None else device.vlans
            device.vlans[vid] = Vlan(vid, self.at(row))
            for port in self._listed(row):
                members.add(port, vid, row, untagged=port in untagged.get(vid, ()))
        return members

    def _names(self, device: Device) -> None:
        for index, row in self._table("dot1qVlanStaticName").items():
            if index and 1 <= index[-1] <= 4094:
                device.vlans = {} if device.vlans is None else device.vlans
                vlan = device.vlans.setdefault(index[-1], Vlan(index[-1], self.at(row)))
                vlan.name = Fact(words(row), self.at(row)) if words(row) else None

    def _states(self, device: Device) -> None:
        for index, row in self._table("dot1qVlanStaticRowStatus").items():
            active = whole_number(row, {"active": 1}) == 1
            vlan = device.row(index[-1]) if index else None
            if vlan is not None and not active:
                vlan.active = Fact(False, self.at(row))

    def _members(self, device: Device, members: _Memberships) -> None:
        """Give each bridge port its memberships: with any, it is a general port."""
        for name in self.base.values():
            port = device.ports[name]
            tagged, untagged = members.tagged.get(name), members.untagged.get(name)
            first = tagged or untagged
            if port.mode is None and first is not None:
                port.mode = Fact(Mode.GENERAL, self.at(first.row))
            if port.mode is not None:
                port.tagged = self._stated(tagged, port.mode.origin)
                port.untagged = self._stated(untagged, port.mode.origin)

    def _stated(self, membership: _Membership | None, otherwise: Origin) -> Fact[Any]:
        """A membership as a fact. Where a port is in no list, this is stated by all of them."""
        mask = membership.mask if membership is not None else 0
        vids = self._sets.get(mask)
        if vids is None:
            vids = self._sets[mask] = VlanSet(mask)
        return Fact(vids, self.at(membership.row) if membership is not None else otherwise)

    def _listed(self, row: Row) -> list[str]:
        """The names of the ports in a bitmap."""
        raw = octets(row)
        if raw is None:
            self.problem(row, f"{row.value[:40]!r} is no list of ports; left out")
            return []
        if row.kind == "STRING" and b"." in raw:
            # Some walks write octets as text, with a full stop for each that cannot be printed:
            # which, is lost.
            self.problem(
                row,
                f"the list of ports {row.value[:40]!r} is written as text; walk again with octets"
                " in hex",
            )
            return []
        known = self._lists.get(raw)
        if known is None:
            numbers = list(_bridge_ports(raw[:_MOST_OCTETS]))
            lost = [number for number in numbers if number not in self.base]
            if lost:
                self.problem(
                    row,
                    f"the list names bridge port {lost[0]}, which leads to no interface; left out",
                )
            known = self._lists[raw] = [
                self.base[number] for number in numbers if number in self.base
            ]
        return known


def _bridge_ports(octets_: bytes) -> Iterator[int]:
    """The numbers of the bridge ports in a bitmap (RFC 4363, PortList)."""
    for place, octet in enumerate(octets_):
        for offset in range(8) if octet else ():
            if octet << offset & 0x80:
                yield place * 8 + offset + 1
