"""Edits as they are made: of one attribute of a thing, said where it is said now."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from inkov.campus import (
    Campus,
    Device,
    Fact,
    Gateway,
    Host,
    Mode,
    Negotiation,
    Origin,
    Port,
    Vlan,
)
from inkov.edits.edit import Edit, Kind
from inkov.edits.things import of_device
from inkov.vlanset import VlanSet

__all__ = [
    "active",
    "allowing",
    "decided",
    "defined",
    "gateway_edit",
    "gateways_in",
    "host_edit",
    "like_trunk",
    "named",
    "of_port",
    "of_row",
    "row_gone",
    "usual_name",
]


def of_port(switch: str, port: Port, attribute: str, after: Any) -> Edit:
    """An edit of one attribute of a port. What is to be said there is said where it is now, or
    where the port is said.
    """
    before = getattr(port, attribute)
    origin = before.origin if before is not None else port.origin
    return Edit(switch, Kind.PORT, port.name, attribute, before, Fact(after, origin))


def allowing(switch: str, port: Port, now: VlanSet, after: VlanSet) -> list[Edit]:
    """A trunk's list as it is to be; [] if it is so."""
    return [of_port(switch, port, "allowed", after)] if now != after else []


def like_trunk(
    switch: str,
    port: Port,
    now: tuple[VlanSet, int | None],
    then: tuple[VlanSet, int | None],
    *,
    negotiates: bool = False,
) -> list[Edit]:
    """A port as a trunk with another one's list and native VLAN, each as they are `now` and
    `then`. One that `negotiates` does so no more, or it would be what it is now.
    """
    edits = [of_port(switch, port, "mode", Mode.TRUNK)]
    # Of a port that negotiates a mode alone would decide nothing.
    if negotiates:
        edits.append(of_port(switch, port, "negotiation", Negotiation.SILENT))
    # Only what is not so already.
    if now[0] != then[0]:
        edits.append(of_port(switch, port, "allowed", then[0]))
    if now[1] != then[1]:
        edits.append(of_port(switch, port, "native_vlan", then[1]))
    return edits


def decided(switch: str, port: Port, mode: Mode) -> list[Edit]:
    """A port that is what its mode says, and asks nobody."""
    edits = [of_port(switch, port, "negotiation", Negotiation.SILENT)]
    # A mode that it states already stays.
    if port.mode is None or port.mode.value is not mode:
        edits.append(of_port(switch, port, "mode", mode))
    return edits


def defined(campus: Campus, device: Device, vid: int) -> list[Edit]:
    """What makes a VLAN active on a switch: a row, or a row that is suspended no more. [] if it is
    so, or if the switch has no table.
    """
    # Without a table, or where it means members, nothing has to be defined.
    if device.vlans is None or device.table_is_membership:
        return []
    row = device.vlans.get(vid)
    # The name that others have for it comes along.
    if row is None:
        new = Vlan(vid, device.origin, usual_name(campus, vid))
        return [Edit(device.name, Kind.VLAN, str(vid), "", None, new)]
    return active(device, row)


def active(device: Device, row: Vlan) -> list[Edit]:
    """A row that is suspended no more; [] if it is not."""
    # Active unless it is said not to be.
    if row.active is None or row.active.value:
        return []
    after = Fact(True, row.active.origin)
    return [Edit(device.name, Kind.VLAN, str(row.vid), "active", row.active, after)]


def row_gone(device: Device, vid: int) -> list[Edit]:
    """A switch without the row of a VLAN; [] if it has none."""
    row = device.row(vid)
    return [Edit(device.name, Kind.VLAN, str(vid), "", row, None)] if row is not None else []


def gateways_in(device: Device, vid: int) -> list[tuple[str, Gateway]]:
    """The gateways of a switch in a VLAN, each with the name by which edits find it."""
    held = next(held for held in of_device() if held.kind is Kind.GATEWAY)
    return [(name, gateway) for name, gateway in held.listed(device).items() if gateway.vid == vid]


def of_row(switch: str, row: Vlan, attribute: str, after: Any) -> Edit:
    """An edit of one attribute of a VLAN's row."""
    before = getattr(row, attribute)
    origin = before.origin if before is not None else row.origin
    return Edit(switch, Kind.VLAN, str(row.vid), attribute, before, Fact(after, origin))


def named(switch: str, row: Vlan, name: str) -> Edit:
    """Another name for a VLAN."""
    return of_row(switch, row, "name", name)


def usual_name(campus: Campus, vid: int) -> Fact[str] | None:
    """The name that most switches have for a VLAN."""
    counts: dict[str, int] = {}
    for device in campus.devices.values():
        row = (device.vlans or {}).get(vid)
        # A name that is shared counts once for each switch.
        if row is not None and row.name is not None:
            counts[row.name.value] = counts.get(row.name.value, 0) + 1
    # Nobody has a name for it.
    if not counts:
        return None
    return Fact(min(counts, key=lambda name: (-counts[name], name)), Origin())


def host_edit(host: Host, attribute: str, after: Any) -> Edit:
    """Another address or gateway for a host."""
    return Edit("", Kind.HOST, host.name, attribute, getattr(host, attribute), after)


def gateway_edit(device: Device, origin: Origin, attribute: str, after: Any) -> list[Edit]:
    """An edit of the gateway that is said at a place; [] if there is none."""
    held = next(held for held in of_device() if held.kind is Kind.GATEWAY)
    gateways: Iterable[tuple[str, Gateway]] = held.listed(device).items()
    return [
        Edit(
            device.name,
            Kind.GATEWAY,
            name,
            attribute,
            getattr(gateway, attribute),
            Fact(after, gateway.origin),
        )
        for name, gateway in gateways
        if gateway.origin == origin
    ]
