"""Switches read from texts, held against another source of the same switches: what agrees, what
does not, and what only one side has.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence

from msgspec import Struct

from inkov.campus import STANDARD, Device, Fact, Origin, Planned, Port, natural
from inkov.forwarding.sources import Agreement, Compared, compared
from inkov.wiring.names import NameFinder

__all__ = ["Evidence", "EvidenceRow", "evidence", "planned_devices"]


class EvidenceRow(Struct):
    """A port or a VLAN of a switch: what the text makes of it and what the other source says, each
    with its place. `forms` are those that took the line of the text; [] where none stated it.
    """

    switch: str
    port: str | None
    vlan: int | None
    agreement: Agreement
    text: str
    other: str
    text_at: Origin
    other_at: Origin
    forms: list[str]


class Evidence(Struct):
    """Every port and VLAN of the switches that both sides have; `missing` are switches of the texts
    that the other side does not have.
    """

    rows: list[EvidenceRow]
    switches: list[str]
    missing: list[str]

    @property
    def against(self) -> list[EvidenceRow]:
        """What does not agree."""
        return [row for row in self.rows if row.agreement is not Agreement.AGREES]

    def counts(self, switch: str, *, ports: bool) -> Counter[Agreement]:
        """How many ports, or VLANs, of a switch stand how."""
        return Counter(
            row.agreement
            for row in self.rows
            if row.switch == switch and (row.port is not None) is ports
        )


def evidence(
    texts: Sequence[Device], others: Sequence[Device], forms_at: Callable[[Origin], list[str]]
) -> Evidence:
    """Hold what texts were read as against other sources. `forms_at` gives the forms of a line."""
    names = NameFinder((source.name for source in others), domains=True)
    by_name = {source.name: source for source in others}
    held = Evidence([], [], [])
    for device in sorted(texts, key=lambda device: natural(device.name)):
        known = names.find(device.name)
        # A switch that the other side does not have is told, and not compared.
        if known is None:
            held.missing.append(device.name)
            continue
        held.switches.append(device.name)
        held.rows += [
            EvidenceRow(
                device.name,
                one.port or None,
                one.vlan or None,
                one.agreement,
                one.first,
                one.other,
                one.first_at,
                one.other_at,
                forms_at(one.first_at),
            )
            for one in sorted(compared(device, by_name[known]), key=_place)
        ]
    return held


def _place(line: Compared) -> tuple[bool, int, list[object]]:
    """VLANs first, by their numbers, then ports, as a person would order their names."""
    return bool(line.port), line.vlan, [*natural(line.port)]


def planned_devices(planned: Sequence[Planned]) -> list[Device]:
    """The switches of a port plan, as far as it tells: what each port is meant to be."""
    devices: dict[str, Device] = {}
    for row in planned:
        device = devices.setdefault(row.device, Device(row.device, row.origin, STANDARD))
        port = device.ports.setdefault(row.port, Port(row.port, row.origin))
        for attribute, value in row.values.items():
            setattr(port, attribute, Fact(value, row.origin))
    return list(devices.values())
