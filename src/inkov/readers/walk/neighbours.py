"""The neighbours of a walk: LLDP-MIB and LLDP-V2-MIB (IEEE 802.1AB), with what neighbours say of
their VLANs (LLDP-EXT-DOT1-MIB, IEEE 802.1Q annex D).

The older module numbers local ports by itself; `lldpLocPortId` has their names. The newer one takes
the interfaces' numbers.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from inkov.campus import Device, Fact, Neighbour, Origin, Problem
from inkov.readers.reading import Part
from inkov.readers.walk.rows import Row, whole_number, words
from inkov.vlanset import VlanSet

__all__ = ["WalkNeighbours"]

_Index = tuple[int, ...]


class _Heard(NamedTuple):
    """One row of a table of neighbours: its index, its local port, and that port's number."""

    prefix: str
    at: _Index
    number: int
    row: Row


class WalkNeighbours:
    """Reads the neighbour tables of a walk, and gives what they say to a part.

    `names` are the interfaces' by number, `base` those of bridge ports.
    """

    def __init__(
        self,
        tables: dict[str, dict[_Index, Row]],
        names: dict[int, str],
        base: dict[int, str],
        file: str,
        part: Part,
    ) -> None:
        self.tables = tables
        self.names = names
        self.base = base
        self.file = file
        self.part = part
        self._named: dict[_Index, list[tuple[int, Row]]] = {}  # VLANs by the neighbour's index
        for index, row in self._table("lldpXdot1RemVlanName").items():
            if index and 1 <= index[-1] <= 4094:
                self._named.setdefault(index[:-1], []).append((index[-1], row))

    def _table(self, name: str) -> dict[_Index, Row]:
        return self.tables.get(name, {})

    def give(self, device: Device) -> None:
        self._own_names(device)
        known: set[tuple[str, str, str, str]] = set()
        for heard in self._heard():
            report = self._report(device, heard)
            # What is heard without a name or a port cannot be joined to anything.
            if report is None:
                says = (
                    f"the neighbour at local port {heard.number} has no name or no port; it is left"
                    " out"
                )
                origin = Origin(self.file, heard.row.line)
                self.part.problems.append(Problem(origin, says))
                continue
            key = report.port, report.far_device, report.far_port, report.far_known_as
            if key not in known:  # an agent may have both modules
                known.add(key)
                self.part.neighbours.append(report)

    def _own_names(self, device: Device) -> None:
        """What the device calls itself, and its ports, where it is heard."""
        named = [
            # What a switch says of itself counts where others tell of having heard it.
            text
            for name in ("lldpLocChassisId", "lldpV2LocChassisId", "dot1dBaseBridgeAddress")
            for row in self._table(name).values()
            if (text := words(row)) and text != device.name
        ]
        device.known_as = tuple(dict.fromkeys(named))
        for table, lldp in (("lldpLocPortId", True), ("lldpV2LocPortId", False)):
            for index, row in self._table(table).items():
                near = self._near(device, index[0], lldp=lldp) if len(index) == 1 else ""
                port, text = device.ports.get(near), words(row)
                if port is not None and text and text != port.name:
                    port.known_as = tuple(dict.fromkeys((*port.known_as, text)))

    def _heard(self) -> Iterator[_Heard]:
        for index, row in sorted(self._table("lldpRemPortId").items()):
            # The index is a time, a local port and a number (IEEE 802.1AB); the newer one has an
            # address too.
            if len(index) >= 3:
                yield _Heard("lldp", index, index[1], row)
        for index, row in sorted(self._table("lldpV2RemPortId").items()):
            if len(index) >= 4:
                yield _Heard("lldpV2", index, index[1], row)

    def _near(self, device: Device, number: int, *, lldp: bool) -> str:
        """The local port of a number."""
        if not lldp:
            # The newer module has interface numbers.
            return self.names.get(number, "")
        row = self._table("lldpLocPortId").get((number,))
        named = words(row) if row is not None else ""
        # The port ID is whatever the device chose: a name, a description, an address, a number.
        if named in device.ports:
            return named
        described = self._table("lldpLocPortDesc").get((number,))
        by_text = words(described) if described is not None else ""
        if by_text in device.ports:
            return by_text
        by_another_name = [
            port.name for port in device.ports.values() if named and named in port.known_as
        ]
        # Two ports that go by one name: neither is meant for sure.
        if len(by_another_name) == 1:
            return by_another_name[0]
        return self.base.get(number) or self.names.get(number) or named

    def _report(self, device: Device, heard: _Heard) -> Neighbour | None:
        near = self._near(device, heard.number, lldp=heard.prefix == "lldp")
        name, chassis, about = (
            words(row) if (row := self._table(f"{heard.prefix}Rem{of}").get(heard.at)) else ""
            for of in ("SysName", "ChassisId", "PortDesc")
        )
        # Without a name of either kind nobody knows which switch is meant.
        if not near or not (name or chassis):
            return None
        return Neighbour(
            device.name,
            near,
            name or chassis,
            words(heard.row),
            Origin(self.file, heard.row.line),
            about,
            chassis if name else "",
            self._pvid(heard),
            self._vlans(heard),
        )

    def _pvid(self, heard: _Heard) -> int | None:
        row = self._table("lldpXdot1RemPortVlanId").get(heard.at)
        number = whole_number(row) if row is not None else None
        # 0 says that the port takes no untagged frames, as the extension has it.
        return number if number is not None and 0 <= number <= 4094 else None

    def _vlans(self, heard: _Heard) -> Fact[VlanSet] | None:
        """The VLANs that the far port names, if it names any."""
        rows = self._named.get(heard.at)
        if not rows:
            return None
        return Fact(VlanSet.from_vids(vid for vid, _ in rows), Origin(self.file, rows[0][1].line))
