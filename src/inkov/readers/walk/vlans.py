"""The VLAN tables of a walk (Q-BRIDGE-MIB, RFC 4363): definitions, names, and who is a member.

Membership is stated from the VLAN's side, as a bitmap of bridge ports (PortList): the highest bit
of the first octet is bridge port 1. One table has all members, the other those that send untagged.

There are two such pairs: what is configured (static), and what is in force now (current). A VLAN is
there if either has it, and a port is a member if either says so: what the static table alone has
may come, what the current one alone has is there. Where the two differ, this is said.
"""

from __future__ import annotations

from typing import Any

from msgspec import Struct, field

from inkov.campus import Device, Fact, Mode, Origin, Port, PortKind, Problem, Vlan
from inkov.readers.walk.bundles import ports_of
from inkov.readers.walk.rows import Row, octets, whole_number, words
from inkov.vlanset import VlanSet, bit, bits_to_text, union

__all__ = ["WalkVlans"]

_MOST_OCTETS = 8192  # of a list of ports: no bridge has as many ports


class _Membership(Struct):
    """The VIDs that a port is a member of, as a mask, and the last row that said so."""

    mask: int
    row: Row


class _Memberships(Struct):
    """The memberships of ports, by how they send, and the VLANs that they may not register.

    `unsure` are VLANs of which one list is missing, with what is missing.
    """

    tagged: dict[str, _Membership] = field(default_factory=dict)
    untagged: dict[str, _Membership] = field(default_factory=dict)
    forbidden: dict[str, _Membership] = field(default_factory=dict)
    unsure: dict[int, str] = field(default_factory=dict)

    def has(self, port: str, vid: int) -> bool:
        """True if a port is a member of a VLAN."""
        both = (kept[port].mask for kept in (self.tagged, self.untagged) if port in kept)
        # Both kinds together: a port is a member whichever way it sends.
        return any(mask & bit(vid) for mask in both)

    def add(self, kept: dict[str, _Membership], port: str, vid: int, row: Row) -> None:
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
        members = _Memberships()
        # What is in force comes first: of a VLAN that both have, how it leaves now counts.
        for kind in ("Current", "Static"):
            self._defined(kind, device, members)
        for vid, row, ports in self._rows("dot1qVlanForbiddenEgressPorts"):
            for port in ports:
                members.add(members.forbidden, port, vid, row)
        _of_bundles(device, members, self.problems, self.file)
        self._members(device, members)
        self._names(device)
        self._states(device)
        self._in_force(device)

    def _table(self, name: str) -> dict[tuple[int, ...], Row]:
        return self.tables.get(name, {})

    def at(self, row: Row) -> Origin:
        return Origin(self.file, row.line)

    def problem(self, row: Row, says: str) -> None:
        self.problems.append(Problem(self.at(row), says))

    def _rows(self, name: str) -> list[tuple[int, Row, list[str]]]:
        """(VID, row, ports) of a column of lists of ports."""
        rows = []
        for index, row in self._table(name).items():
            vid = index[-1] if index else 0
            if 1 <= vid <= 4094:
                rows.append((vid, row, self._listed(row)))
            elif name.endswith("EgressPorts"):
                # Only the lists of members tell of VLANs that are none; the others would repeat it.
                self.problem(row, f"{vid} is not a VLAN number (1 to 4094); left out")
        return rows

    def _defined(self, kind: str, device: Device, members: _Memberships) -> None:
        """The VLANs of one pair of tables, and their members."""
        untagged: dict[int, set[str]] = {}
        for vid, _, ports in self._rows(f"dot1qVlan{kind}UntaggedPorts"):
            untagged.setdefault(vid, set()).update(ports)
        some = bool(untagged)
        for vid, row, ports in self._rows(f"dot1qVlan{kind}EgressPorts"):
            device.vlans = {} if device.vlans is None else device.vlans
            device.vlans[vid] = Vlan(vid, self.at(row))
            # An empty list is no list at all in some walks: then nothing is known to be missing.
            if some and vid not in untagged and ports:
                says = f"VLAN {vid} has no list of its untagged ports: the walk may be incomplete"
                self.problem(row, says)
                members.unsure[vid] = says
            for port in ports:
                bare = port in untagged.get(vid, ())
                # What the current table said of a port stays.
                if not members.has(port, vid):
                    members.add(members.untagged if bare else members.tagged, port, vid, row)

    def _in_force(self, device: Device) -> None:
        """What each port is a member of now, where the walk has this beside what is configured."""
        current = self._rows("dot1qVlanCurrentEgressPorts")
        # Only where both are there can the two differ.
        if not current or not self._table("dot1qVlanStaticEgressPorts"):
            return
        now: dict[str, int] = {}
        for vid, _, ports in current:
            for port in ports:
                now[port] = now.get(port, 0) | bit(vid)
        last = self.at(current[-1][1])
        for name in self.base.values():
            device.ports[name].in_force = Fact(VlanSet(now.get(name, 0)), last)

    def _names(self, device: Device) -> None:
        for index, row in self._table("dot1qVlanStaticName").items():
            if index and 1 <= index[-1] <= 4094:
                device.vlans = {} if device.vlans is None else device.vlans
                vlan = device.vlans.setdefault(index[-1], Vlan(index[-1], self.at(row)))
                vlan.name = Fact(words(row), self.at(row)) if words(row) else None

    def _states(self, device: Device) -> None:
        for index, row in self._table("dot1qVlanStaticRowStatus").items():
            # A row that is not active yet defines a VLAN that does not forward.
            active = whole_number(row, {"active": 1}) == 1
            vlan = device.row(index[-1]) if index else None
            if vlan is not None and not active:
                vlan.active = Fact(False, self.at(row))

    def _members(self, device: Device, members: _Memberships) -> None:
        """Give each bridge port its memberships: with any, it is a general port."""
        for name in dict.fromkeys([*self.base.values(), *members.tagged, *members.untagged]):
            port = device.ports[name]
            tagged, untagged = members.tagged.get(name), members.untagged.get(name)
            first = tagged or untagged
            if port.mode is None and first is not None:
                port.mode = Fact(Mode.GENERAL, self.at(first.row))
            if port.mode is not None:
                port.tagged = self._stated(tagged, port.mode.origin)
                # Which way a VLAN leaves decides whether a host hears it: not to know is said.
                lost = next((vid for vid in members.unsure if vid in port.tagged.value), 0)
                if lost:
                    port.unknown = f"whether VLAN {lost} leaves untagged is not in the walk"
                port.untagged = self._stated(untagged, port.mode.origin)
            forbidden = members.forbidden.get(name)
            if forbidden is not None:
                port.forbidden = self._stated(forbidden, self.at(forbidden.row))

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
            says = f"{row.value[:40]!r} is no list of ports; left out"
            if row.kind in ("STRING", "OCTET STRING"):
                # Some walks write octets as text, with a full stop for each that cannot be printed:
                # which, is lost.
                says = (
                    f"the list of ports {row.value[:40]!r} is written as text; walk again with"
                    " octets in hex"
                )
            self.problem(row, says)
            return []
        # Most VLANs have the same few lists of ports.
        known = self._lists.get(raw)
        if known is None:
            numbers = list(ports_of(raw[:_MOST_OCTETS]))
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


def _of_bundles(device: Device, members: _Memberships, problems: list[Problem], file: str) -> None:
    """An agent may list the members of a bundle in its place: they mean the bundle."""
    of: dict[str, list[Port]] = {}
    for port in device.ports.values():
        if port.bundle is not None and port.bundle.value in device.ports:
            of.setdefault(port.bundle.value, []).append(port)
    for bundle, ports in of.items():
        own = device.ports[bundle]
        for kept in (members.tagged, members.untagged, members.forbidden):
            stated = {kept[port.name].mask for port in ports if port.name in kept}
            # A bundle that is listed itself means itself.
            if not stated or bundle in kept:
                continue
            row = next(kept[port.name].row for port in ports if port.name in kept)
            mask = union(stated)
            kept[bundle] = _Membership(mask, row)
            # Members that differ: a frame that one of them carries may come by the bundle.
            if len(stated) > 1 or any(port.name not in kept for port in ports):
                says = (
                    f"the members of {bundle} are in different VLANs: it is taken to be in all of"
                    f" them, {bits_to_text(mask)}"
                )
                problems.append(Problem(Origin(file, row.line), says))
        # A bundle without rows of its own has those of its members.
        if own.kind is PortKind.BUNDLE and own.mode is None:
            first = next((port for port in ports if port.mode is not None), None)
            for attribute in ("mode", "pvid", "accept", "ingress_filtering", "registration"):
                if first is not None:
                    setattr(own, attribute, getattr(first, attribute))
