"""Which VLANs have something to serve on which switch: the ground for "needed" and "missing"
(FM 6.3).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator
from typing import NamedTuple

from inkov.campus import Device, Mode, Subnet
from inkov.forwarding.fabric import BridgePort, Fabric
from inkov.forwarding.outlets import outlets
from inkov.forwarding.view import ALL, Form
from inkov.levels import Level
from inkov.vlanset import bit, bits, union
from inkov.wiring import End

__all__ = [
    "facing_routers",
    "gateway_bits",
    "is_left_at_everything",
    "is_live",
    "member_ports",
    "served",
    "served_by_device",
    "tags_said",
    "taken_with",
]

_TRUNKS = {Form.TRUNK, Form.TRUNK_NO_NATIVE, Form.TRUNK_NATIVE_TAGGED}


def served(fabric: Fabric) -> list[int]:
    """For each bridge the VIDs with a host port, a voice VLAN or a gateway there, as a mask; or
    with a router that is linked to it by a routed port, and has somebody to get to.

    A trunk with nobody known behind it serves the VLANs of its list if that list names any: one
    that is left at everything tells nothing about what is behind it.
    """
    # Worked out once for a fabric: nearly every question needs it.
    if fabric.serving:
        return fabric.serving
    bits = fabric.serving = [0] * len(fabric.bridges)
    tags = tags_said(fabric)
    for port in fabric.bridge_ports:
        view = port.view
        if not fabric.is_host_port(port):
            continue
        if is_left_at_everything(fabric, port):
            continue
        if view.form is Form.UNAWARE or port.end in fabric.wiring.attended:
            # Nobody is taken to tag there but whom the plan or a table says so of.
            bits[port.bridge] |= view.untagged | bit(view.pvid) | view.emit & tags.get(port.end, 0)
        elif not fabric.is_implied(port):
            # A private host sends into a VLAN that it does not hear: that one has to get to who
            # does.
            bits[port.bridge] |= view.emit | (bit(view.pvid))
    for device, gateway in fabric.gateways():
        # A gateway that is shut serves nobody.
        if gateway.on:
            bits[fabric.bridge_of[device.name, gateway.bridge]] |= 1 << gateway.vid
    inhabited = union(bits) | union(1 << port.outer for port in outlets(fabric))
    routers = list(facing_routers(fabric))
    legs = {(one.inside, one.vid, network) for one in routers for network in one.networks}
    sharing = Counter((vid, network) for _, vid, network in legs)
    for one in routers:
        # One that is alone in the VLAN, or in its subnet there, has nobody to get to.
        if inhabited >> one.vid & 1 or any(sharing[one.vid, net] > 1 for net in one.networks):
            bits[one.bridge] |= 1 << one.vid
    return bits


class Facing(NamedTuple):
    """A bridge to which a router is linked by a routed port, the VID in which the router's untagged
    frames are there, the bridge that is the inside of the routed port, and its subnets.
    """

    bridge: int
    vid: int
    inside: int
    networks: frozenset[Subnet]


def facing_routers(fabric: Fabric, *, perhaps: bool = False) -> Iterator[Facing]:
    """Where routed ports with an address are on a wire with switches (FM 6.3). What hangs there by
    their sub-interfaces is in `outlets`. `perhaps`: those without an address as well, which may
    only not have been read.
    """
    for port in fabric.bridge_ports:
        # The other end of a routed link is a router itself; sub-interfaces are in `outlets`.
        if port.outer or fabric.bridges[port.bridge].routed or not port.view.pvid:
            continue
        for far in fabric.wiring.around(port.end):
            router = fabric.ports[far]
            # A port without an address of its own routes nothing that is untagged.
            if not router.up or router.mode is not Mode.ROUTED:
                continue
            if router.stated.addresses or perhaps:
                inside = fabric.bridge_of.get((far.device, f"routed {far.port}"), -1)
                networks = frozenset(fact.value.network for fact in router.stated.addresses)
                yield Facing(port.bridge, port.view.pvid, inside, networks)


def is_left_at_everything(fabric: Fabric, port: BridgePort) -> bool:
    """True for a trunk that allows all VLANs: it tells nothing about who is behind it."""
    return port.view.form in _TRUNKS and fabric.ports[port.end].completed.allowed.bits == ALL


def tags_said(fabric: Fabric) -> dict[End, int]:
    """The tags that hosts are said to use, as a mask, by the ends on their wire (FM 4.9)."""
    if fabric.said_tags is None:
        tags = fabric.said_tags = {}
        for host in fabric.campus.hosts:
            place, tag = fabric.seat_of(host)
            # A host at a place that is not there is told by a check.
            if tag and place in fabric.ports:
                end = fabric.end_of(*place)
                for near in {end, *fabric.wiring.around(end)}:
                    tags[near] = tags.get(near, 0) | bit(tag)
    return fabric.said_tags


def served_by_device(fabric: Fabric) -> dict[str, int]:
    """The same, for each device all its bridges together."""
    bits = dict.fromkeys(fabric.campus.devices, 0)
    for inside, mask in zip(fabric.bridges, served(fabric), strict=True):
        # A routed port serves in no VLAN of the switch.
        if not inside.routed:
            bits[inside.device] |= mask
    return bits


def gateway_bits(fabric: Fabric) -> dict[str, int]:
    """For each device with gateways the VIDs they are in."""
    bits: dict[str, int] = {}
    for device, gateway in fabric.gateways():
        if gateway.on:
            bits[device.name] = bits.get(device.name, 0) | 1 << gateway.vid
    return bits


def member_ports(fabric: Fabric) -> dict[tuple[str, int], int]:
    """How many host ports are members of a VLAN on a device, trunks with nobody behind them left
    out.
    """
    counts: dict[tuple[str, int], int] = {}
    for port in fabric.bridge_ports:
        # Whoever is behind an open trunk is not counted: it could be anybody.
        hidden = port.view.form in _TRUNKS or fabric.is_implied(port)
        if fabric.is_host_port(port) and not hidden:
            # At an unaware port hosts are in one VLAN; all tags pass besides.
            unaware = port.view.form is Form.UNAWARE
            for vid in bits(port.view.untagged if unaware else port.view.emit):
                key = port.end.device, vid
                counts[key] = counts.get(key, 0) + 1
    return counts


def taken_with(device: Device, vid: int) -> int:
    """The VIDs, as a mask, whose frames a routed interface in a VLAN takes: those of a primary
    VLAN's secondaries as well (FM 5.1).
    """
    row = device.row(vid)
    others = row.secondaries.value.bits if row is not None and row.secondaries is not None else 0
    return 1 << vid | others


def is_live(fabric: Fabric, level: Level) -> Callable[[int, int], bool]:
    """Tells of a bridge and VIDs, a mask, whether a live port carries any of them: a host port that
    is up, or a link that is (FM 5.2); at the hostile level also what a host port gives on request
    (FM 4.4, FM 4.5).
    """
    carried = [0] * len(fabric.bridges)
    for port in fabric.bridge_ports:
        # A port in the middle of nothing carries nothing.
        if fabric.has_hosts(port.end) or port.number in fabric.crossings:
            mask = port.view.emit | port.view.enters()
            for view in port.on_request if level == Level.HOSTILE else ():
                mask |= view.emit | view.enters()
            carried[port.bridge] |= mask
    return lambda bridge, vids: bool(carried[bridge] & vids)
