"""VLAN × switch: where each VLAN is defined, under which name, with how many members."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct, field

from inkov.campus import Device, Mode, Origin, natural
from inkov.forwarding import Fabric
from inkov.forwarding.areas import areas, by_area
from inkov.forwarding.domains import Domains, Island, breaks, domains, islands
from inkov.forwarding.outlets import outlets
from inkov.forwarding.reasons import why_stopped
from inkov.forwarding.serve import gateway_bits, member_ports, served_by_device
from inkov.vlanset import ALL_BITS, VlanSet, bit, bits, union

__all__ = ["VlanAt", "VlanBreak", "VlanRow", "vlan_rows"]


class VlanAt(Struct):
    """One VLAN on one switch. `ports` counts host ports that are members; `defined` is None without
    a VLAN table.
    """

    switch: str
    defined: bool | None
    name: str | None = None
    active: bool = True
    ports: int = 0
    gateway: bool = False


class VlanBreak(Struct):
    """Why one island of a VLAN does not talk with the largest: where the shortest way between them
    stops it.
    """

    island: list[str]
    says: str
    origin: Origin


class VlanRow(Struct):
    """One VLAN. `at` lists the switches that define it, have members of it, or name it at a port;
    `absent` those that do none of these.

    `islands` are the switches with something to serve in it, in parts that talk with each other,
    largest part first. `areas` are those of layer 2 that it is in, where there are several, each by
    its switches: the number stands for another VLAN in each (FM 6.7).
    """

    vlan: int
    names: list[str] = field(default_factory=list)
    at: list[VlanAt] = field(default_factory=list)
    absent: list[str] = field(default_factory=list)
    ports: int = 0
    islands: list[list[str]] = field(default_factory=list)
    breaks: list[VlanBreak] = field(default_factory=list)
    areas: list[list[str]] = field(default_factory=list)


def vlan_rows(
    fabric: Fabric, vlans: VlanSet | None = None, switch: str | None = None
) -> list[VlanRow]:
    """The rows of all VLANs that are defined, have members, or are named at a port anywhere (of
    `vlans`, on `switch`, if given).
    """
    members, gateways, serving = (
        member_ports(fabric),
        gateway_bits(fabric),
        served_by_device(fabric),
    )
    lacking = _named_and_lacking(fabric)
    devices = [d for d in fabric.campus.devices.values() if switch is None or d.name == switch]
    devices.sort(key=lambda device: natural(device.name))
    mask = union(serving[device.name] | lacking.get(device.name, 0) for device in devices)
    mask |= union(bit(vid) for device in devices for vid in device.vlans or {})
    # What is behind a sub-interface is in the VLAN of its tag (FM 6.8).
    names = {device.name for device in devices}
    mask |= union(bit(port.outer) for port in outlets(fabric) if port.end.device in names)
    # Defined on some switch, though nobody is in it.
    if vlans is not None:
        mask &= vlans.bits
    connected = domains(fabric)
    parts = dict(islands(fabric, connected))
    area = areas(fabric)
    at = _places(devices, members, gateways, lacking)
    rows = []
    for vid in VlanSet(mask):
        row = VlanRow(vid, at=at.get(vid, []))
        there = {place.switch for place in row.at}
        row.absent = [device.name for device in devices if device.name not in there]
        row.ports = sum(place.ports for place in row.at)
        named = [at.name for at in row.at if at.name]
        row.names = sorted(set(named), key=lambda name: (-named.count(name), natural(name)))
        for own in by_area(fabric, area, parts.get(vid, [])).values():
            row.islands += [island.devices(fabric) for island in own]
            row.areas.append(sorted({d for island in own for d in island.devices(fabric)}))
            # One island needs no break.
            if len(own) > 1:
                row.breaks += _breaks(fabric, connected, vid, own)
        # One area is the normal case, and not told.
        row.areas = row.areas if len(row.areas) > 1 else []
        rows.append(row)
    return rows


def _named_and_lacking(fabric: Fabric) -> dict[str, int]:
    """Switch -> the VIDs that its ports are to be in, and that it does not have, as a mask: not
    those of a trunk, whose list may hold every VLAN.
    """
    lacking: dict[str, int] = {}
    for end, port in fabric.ports.items():
        if port.up and port.mode in (Mode.ACCESS, Mode.GENERAL):
            named = (port.free.emit | bit(port.free.pvid)) & ~(port.view.emit | port.view.enters())
            lacking[end.device] = lacking.get(end.device, 0) | named & ALL_BITS
    return lacking


def _places(
    devices: list[Device],
    members: dict[tuple[str, int], int],
    gateways: dict[str, int],
    lacking: dict[str, int],
) -> dict[int, list[VlanAt]]:
    """VLAN -> the switches that define it, have members of it or a gateway in it, or name it."""
    with_members: dict[str, int] = {}
    for (name, vid), ports in members.items():
        # A VLAN that only runs through a switch is not told of it.
        if ports:
            with_members[name] = with_members.get(name, 0) | bit(vid)
    places: dict[int, list[VlanAt]] = {}
    for device in devices:
        own = gateways.get(device.name, 0)
        there = own | with_members.get(device.name, 0) | lacking.get(device.name, 0)
        there |= union(bit(vid) for vid in device.vlans or ())
        for vid in bits(there):
            ports = members.get((device.name, vid), 0)
            places.setdefault(vid, []).append(_at(device, vid, ports, bool(own >> vid & 1)))
    return places


def _at(device: Device, vid: int, ports: int, gateway: bool) -> VlanAt:
    """A VLAN on a switch that defines it or has members of it."""
    vlan = device.row(vid)
    if device.table_is_membership:  # what is carried is the table
        defined: bool | None = True
    elif device.vlans is None:  # no table is known: nobody can say
        defined = None
    else:
        defined = vlan is not None or vid == 1  # the default PVID is there without being listed
    at = VlanAt(device.name, defined, ports=ports, gateway=gateway)
    if vlan is not None:
        at.name = vlan.name.value if vlan.name is not None else None
        at.active = vlan.active is None or vlan.active.value
    return at


def _breaks(
    fabric: Fabric, connected: Domains, vid: int, split: list[Island]
) -> Iterator[VlanBreak]:
    gaps = {tuple(gap.other.hubs): gap for gap in breaks(fabric, connected, vid, split)}
    for island in split[1:]:
        devices = island.devices(fabric)
        gap = gaps.get(tuple(island.hubs))
        # No way that is up at all: no link could be blamed.
        if gap is None:
            says = "no cable that is up leads there"
            yield VlanBreak(devices, says, fabric.device(devices[0]).origin)
        else:
            says, origin = why_stopped(fabric, gap.link, vid)
            yield VlanBreak(devices, f"{gap.link.a} to {gap.link.b}: {says}", origin)
