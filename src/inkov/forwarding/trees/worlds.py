"""The worlds of spanning trees: bridges, ports and wires as an election wants them (FM 7.2, FM 7.3,
FM 7.5).

There are two. Bridges with one tree for all VLANs, or with one for each instance, send their
messages untagged, whatever VLANs a port has: their wires are those of the cabling. Bridges with a
tree for each VLAN send the messages of a VLAN in it: their wires, for each VLAN, are the links that
pass it both ways. A bridge that runs no tree passes messages on as it passes frames, and joins
wires.
"""

from __future__ import annotations

from collections.abc import Hashable, Iterable
from functools import cached_property

from msgspec import Struct, field

from inkov.campus import Origin, TreeMode
from inkov.forwarding.fabric import BridgePort, Fabric
from inkov.forwarding.trees.doubts import (
    NO_REGION,
    PASSES_ON,
    SAME_ADDRESS,
    SEVERAL_REGIONS,
    TURNED,
    TWO_KINDS,
    Assumed,
    Doubt,
)
from inkov.forwarding.trees.election import TreeBridge, TreePort
from inkov.forwarding.trees.participants import COMMON, Participants, Taker
from inkov.forwarding.trees.port_settings import Settings, settings_of, vlan_settings
from inkov.forwarding.trees.wires import Wires
from inkov.vlanset import VlanSet, bits, together, union

__all__ = ["World", "common_world", "vlan_worlds"]

ALL = VlanSet.all().bits


class World(Struct, dict=True):
    """Bridges and ports of one kind of tree, for an election.

    `disabled` ports are shut by a guard; `by_speed` are ports whose cost follows from their speed.
    `seams` are about ports where trees of two kinds meet, or those of two VLANs, each with the
    VLANs concerned; `cabling` has the bridge and the wire of each port, of whatever kind.
    """

    bridges: dict[int, TreeBridge] = field(default_factory=dict)
    ports: dict[int, TreePort] = field(default_factory=dict)
    doubts: list[Doubt] = field(default_factory=list)
    disabled: dict[int, Doubt] = field(default_factory=dict)
    by_speed: set[int] = field(default_factory=set)
    seams: list[tuple[Doubt, int]] = field(default_factory=list)
    cabling: dict[int, tuple[int, int]] = field(default_factory=dict)

    @cached_property
    def on_wire(self) -> dict[int, list[int]]:
        """Wire -> the ports on it."""
        by_wire: dict[int, list[int]] = {}
        for number, port in self.ports.items():
            by_wire.setdefault(port.wire, []).append(number)
        return by_wire


def common_world(all_takers: Participants) -> World:
    """The world of those with messages for all VLANs. Each wire has its number."""
    fabric, world = all_takers.fabric, World()
    wires = _cabling(fabric)
    passed_on = _through_bridges_without(all_takers, wires)
    on_wire: dict[Hashable, list[BridgePort]] = {}
    for port in all_takers.ports((*COMMON, TreeMode.PER_VLAN)):
        on_wire.setdefault(wires.of((port.end, port.outer)), []).append(port)
    number = 0
    for wire, ports in on_wire.items():
        alive = _without_guarded(ports, fabric, world)
        taking = [port for port in alive if all_takers.takers[port.bridge].mode in COMMON]
        # A wire with one bridge left is no cable of the tree.
        if len(alive) > 1:
            world.cabling |= {port.number: (port.bridge, number) for port in alive}
            # Bridges with one tree meet bridges with one for each VLAN.
            if 0 < len(taking) < len(alive):
                world.seams += [(_seam(port, all_takers, TWO_KINDS), ALL) for port in alive]
            for port in alive:
                if all_takers.takers[port.bridge].mode is TreeMode.PER_VLAN:
                    mask = _turned(fabric, port)
                    if mask:
                        world.seams.append((_seam(port, all_takers, TURNED), mask))
            for port in taking:
                _doubts_of_wire(port, alive, passed_on.get(wire, ()), all_takers, world)
                taker = all_takers.takers[port.bridge]
                world.ports[port.number] = settings_of(taker, all_takers).port(port, number, world)
            number += 1
    for taker in all_takers.takers.values():
        # Bridges with a tree for each VLAN have worlds of their own.
        if taker.mode in COMMON:
            region, legacy = taker.region, taker.mode is TreeMode.STP
            identifier = settings_of(taker, all_takers).identifier()
            world.bridges[taker.number] = TreeBridge(identifier, region, legacy)
    return world


def _cabling(fabric: Fabric) -> Wires:
    """The wires that links make, for untagged messages and for those that a sub-interface tags
    (FM 7.2).
    """
    wires = Wires()
    for link in (*fabric.wiring.links, *fabric.wiring.shared):
        # A link that is down is no wire.
        if link.a in fabric.at and link.b in fabric.at:
            tags = {
                fabric.bridge_ports[port].outer
                for end in (link.a, link.b)
                for port in fabric.at[end]
            }
            for outer in tags | {0}:
                wires.join((link.a, outer), (link.b, outer))
    return wires


def _through_bridges_without(all_takers: Participants, wires: Wires) -> dict[Hashable, list[Taker]]:
    """Bridges that run no tree take messages for frames of the VLAN of untagged ones, and join the
    wires of the ports that have it so (FM 7.3). Wire -> these bridges.
    """
    joined: list[tuple[Hashable, Taker]] = []
    groups: dict[tuple[int, int], list[BridgePort]] = {}
    for port in all_takers.ports((TreeMode.OFF,)):
        # Messages are untagged: they go where untagged frames go, and back untagged.
        if port.view.pvid and port.view.untagged >> port.view.pvid & 1:
            groups.setdefault((port.bridge, port.view.pvid), []).append(port)
    for (bridge, _), (first, *others) in groups.items():
        for port in others:
            wires.join((first.end, first.outer), (port.end, port.outer))
            joined.append(((port.end, port.outer), all_takers.takers[bridge]))
    passed_on: dict[Hashable, list[Taker]] = {}
    for place, taker in joined:
        known = passed_on.setdefault(wires.of(place), [])
        if taker not in known:
            known.append(taker)
    return passed_on


def _without_guarded(ports: list[BridgePort], fabric: Fabric, world: World) -> list[BridgePort]:
    """The ports of a wire without those that a guard shuts: a bridge speaks there (FM 7.5)."""
    guarded = []
    # Nobody else on the wire: no guard is triggered.
    for port in ports if len(ports) > 1 else ():
        fact = fabric.resolved(port).stated.bpdu_guard
        if fact is not None and fact.value:
            far = next(other for other in ports if other is not port)
            shut = Assumed(f"is shut by its guard against bridges: {far.end} speaks there")
            doubt = Doubt(port.number, str(port.end), shut, fact.origin)
            world.disabled[port.number] = doubt
            guarded.append(port)
    return [port for port in ports if port not in guarded]


def _seam(port: BridgePort, all_takers: Participants, assumed: Assumed) -> Doubt:
    """That trees meet on the wire of a port of which neither is about the other's frames."""
    origin = all_takers.fabric.resolved(port).stated.origin
    return Doubt(port.number, str(port.end), assumed, origin)


def _turned(fabric: Fabric, port: BridgePort) -> int:
    """The VLANs whose messages a port sends into another VLAN, or one way only, as a mask."""
    turned = 0
    for crossing in fabric.crossings.get(port.number, ()):
        for translation in crossing.translations:
            turned |= translation.leaves
        for to, mask in crossing.same:
            back = union(
                passed
                for other in fabric.crossings.get(to, ())
                for far, passed in other.same
                if far == port.number
            )
            # What passes one way and does not come back.
            turned |= mask & ~back
    return turned


def _doubts_of_wire(
    port: BridgePort,
    ports: list[BridgePort],
    passed_on: Iterable[Taker],
    all_takers: Participants,
    world: World,
) -> None:
    """What is assumed of a port on a wire: of its bridge, of bridges between, of other worlds."""
    taker = all_takers.takers[port.bridge]
    origin = all_takers.fabric.resolved(port).stated.origin

    def doubt(who: str, assumed: Assumed, place: Origin = origin) -> None:
        world.doubts.append(Doubt(port.number, who, assumed, place))

    # What is not stated of its kind.
    if taker.assumed is not None:
        doubt(taker.device.name, taker.assumed, taker.device.origin)
    if taker.mode is TreeMode.MSTP and taker.device.region is None:
        doubt(taker.device.name, NO_REGION, taker.device.origin)
    # Bridges between that run no tree are taken to pass messages on.
    for between in passed_on:
        doubt(between.device.name, PASSES_ON, between.device.origin)
    if taker.address is not None and taker.address in all_takers.shared_addresses:
        doubt(taker.device.name, SAME_ADDRESS)
    # On a shared wire with several regions, who speaks for which is not worked out.
    if len(ports) > 2 and len({all_takers.takers[port.bridge].region for port in ports}) > 1:
        doubt(str(port.end), SEVERAL_REGIONS)


# --- a tree for each VLAN -------------------------------------------------------------------------


def vlan_worlds(all_takers: Participants, common: World) -> list[tuple[int, World]]:
    """The worlds of the trees of single VLANs, those together that are the same for several: their
    VLANs, as a mask, and the world. `common` has the ports that guards have shut.
    """
    fabric = all_takers.fabric
    ports = {
        port.number: port
        for port in all_takers.ports((TreeMode.PER_VLAN, TreeMode.OFF))
        if port.number not in common.disabled
    }
    runs = {port.bridge for port in all_takers.ports((TreeMode.PER_VLAN,))}
    # No bridge runs a tree for each VLAN.
    if not runs:
        return []
    passing = _passing(fabric, ports)
    masks = [mask for _, _, mask in passing]
    masks += [tree.vlans.bits for bridge in runs for tree in all_takers.takers[bridge].trees]
    live = union(fabric.bridges[bridge].live for bridge in runs)
    served = union(masks[: len(passing)]) & live
    worlds = []
    # VLANs that pass the same links, with the same settings, have the same tree.
    for mask in together(served, masks):
        vid = next(bits(mask))
        worlds.append((mask, _vlan_world(all_takers, ports, passing, vid)))
    return worlds


Passing = list[tuple[int, int, int]]
"""(bridge port, bridge port, the VLANs that keep their number between them both ways)."""


def _passing(fabric: Fabric, ports: dict[int, BridgePort]) -> Passing:
    ways: dict[tuple[int, int], int] = {}
    for sender in ports:
        for crossing in fabric.crossings.get(sender, ()):
            for to, mask in crossing.same:
                if to in ports:
                    ways[sender, to] = ways.get((sender, to), 0) | mask
    return [
        (sends, to, both)
        for (sends, to), mask in ways.items()
        # Both ways, each pair once.
        if sends < to and (both := mask & ways.get((to, sends), 0))
    ]


def _vlan_world(
    all_takers: Participants, ports: dict[int, BridgePort], passing: Passing, vid: int
) -> World:
    """The world of the tree of a VLAN."""
    world, wires = World(), Wires()
    between: dict[int, list[int]] = {}
    linked: dict[int, None] = {}
    for one, to, mask in passing:
        if mask >> vid & 1:
            wires.join(one, to)
            linked[one] = linked[to] = None
    for number in linked:
        # A bridge without a tree joins the wires of its ports.
        if all_takers.takers[ports[number].bridge].mode is TreeMode.OFF:
            between.setdefault(ports[number].bridge, []).append(number)
    for first, *others in between.values():
        for number in others:
            wires.join(first, number)
    passed_on: dict[Hashable, list[Taker]] = {}
    for bridge, numbers in between.items():
        passed_on.setdefault(wires.of(numbers[0]), []).append(all_takers.takers[bridge])
    on_wire: dict[Hashable, list[BridgePort]] = {}
    for number in linked:
        # Only bridges that run this kind are elected.
        if all_takers.takers[ports[number].bridge].mode is TreeMode.PER_VLAN:
            on_wire.setdefault(wires.of(number), []).append(ports[number])
    set_for: dict[int, Settings] = {}
    for number, (wire, on) in enumerate(on_wire.items()):
        for port in on:
            settings = set_for.get(port.bridge)
            if settings is None:
                settings = vlan_settings(all_takers.takers[port.bridge], vid, all_takers)
                set_for[port.bridge] = settings
                world.bridges[port.bridge] = TreeBridge(settings.identifier())
            world.ports[port.number] = settings.port(port, number, world)
            for other in passed_on.get(wire, ()):
                doubt = Doubt(port.number, other.device.name, PASSES_ON, other.device.origin)
                world.doubts.append(doubt)
    return world
