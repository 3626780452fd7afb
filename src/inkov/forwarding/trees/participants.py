"""Who takes part in which spanning tree: bridges, ports and wires as an election wants them (FM 7.1
to FM 7.6).

There are two worlds. Bridges with one tree for all VLANs, or with one for each instance, send their
messages untagged, whatever VLANs a port has: their wires are those of the cabling. Bridges with a
tree for each VLAN send the messages of a VLAN in it: their wires, for each VLAN, are the links that
pass it both ways. A bridge that runs no tree passes messages on as it passes frames, and joins
wires.

Where something is not stated, an assumption is made and kept as a `Doubt`, with the port that it is
about: it matters only where that is on a circle.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Hashable, Iterable, Iterator
from functools import cached_property
from typing import Any, NamedTuple

from msgspec import Struct, field

from inkov.campus import (
    Device,
    Fact,
    Guard,
    Origin,
    Tree,
    TreeMode,
    address_number,
)
from inkov.forwarding.fabric import BridgePort, Fabric
from inkov.forwarding.trees.costs import (
    DEFAULT_PORT_PRIORITY,
    DEFAULT_PRIORITY,
    assumed_cost,
    default_cost,
)
from inkov.forwarding.trees.election import TreeBridge, TreePort
from inkov.forwarding.trees.order import Identifier
from inkov.vlanset import VlanSet, bits, together, union

__all__ = [
    "Doubt",
    "Participants",
    "Taker",
    "World",
    "common_world",
    "settings_of",
    "takers",
    "vlan_worlds",
]

ALL = VlanSet.all().bits


class Assumed(NamedTuple):
    """What is assumed of somebody, and of several, in words that follow their names; whether it is
    about costs alone, which say nothing of who is root.
    """

    one: str
    several: str = ""
    of_cost: bool = False


_SILENT = Assumed(
    "does not say whether it runs a spanning tree: taken to run a rapid one (RSTP)",
    "do not say whether they run a spanning tree: taken to run a rapid one (RSTP)",
)
_ANY_KIND = Assumed(
    "does not say which kind of spanning tree it runs: taken to run a rapid one (RSTP)",
    "do not say which kind of spanning tree they run: taken to run a rapid one (RSTP)",
)
_NO_COST = Assumed(
    "states no cost and no speed: taken for one of 1 Gbit/s",
    "state no cost and no speed: taken for ones of 1 Gbit/s",
    of_cost=True,
)
_NO_REGION = Assumed(
    "states no region: taken for one of its own", "state no region: each is taken for one"
)
_PASSES_ON = Assumed(
    "runs no spanning tree, and is taken to pass on the messages of others",
    "run no spanning tree, and are taken to pass on the messages of others",
)
_SEVERAL_REGIONS = Assumed(
    "shares its wire with bridges of several regions",
    "share their wires with bridges of several regions",
)
_TWO_KINDS = Assumed(
    "is where a tree for each VLAN meets one for all: no standard says what they make of each"
    " other's messages",
    "are where trees for each VLAN meet one for all: no standard says what they make of each"
    " other's messages",
)
_TURNED = Assumed(
    "sends messages of a VLAN's tree into another VLAN, or one way only: what comes of it is not"
    " worked out",
    "send messages of a VLAN's tree into another VLAN, or one way only: what comes of it is not"
    " worked out",
)
_SAME_ADDRESS = Assumed(
    "has the bridge address of another switch", "have bridge addresses of other switches"
)


class Doubt(Struct, frozen=True):
    """What an election rests on and no file states: about a port of a bridge; `who` is it or what
    is beside it.
    """

    port: int
    who: str
    assumed: Assumed
    origin: Origin

    def says(self, others: int = 0) -> str:
        """The sentence, about this one and so many others."""
        if not others:
            return f"{self.who} {self.assumed.one}"
        return f"{self.who} and {others} more {self.assumed.several}"


class Taker(Struct):
    """A bridge, and what it says of its trees. `number` is that in the fabric."""

    number: int
    device: Device
    name: str
    mode: TreeMode
    assumed: Assumed | None = None
    """What is assumed of its mode, if it is not stated."""
    trees: list[Tree] = []
    address: int | None = None

    def __post_init__(self) -> None:
        self.trees = [tree for tree in self.device.trees if tree.bridge == self.name]
        bridge = self.device.bridges.get(self.name)
        fact = (bridge.address if bridge is not None else None) or self.device.address
        self.address = None if fact is None else address_number(fact.value)

    @property
    def region(self) -> tuple[Hashable, ...] | None:
        """What bridges of one region have in common: name, revision, and the VLANs of each
        instance (FM 7.7; 802.1Q-2018, 13.8); None for a bridge without regions.
        """
        if self.mode is not TreeMode.MSTP:
            return None
        device = self.device
        # A name that nobody stated is the bridge's address: its own.
        name = device.region.value if device.region is not None else ("own", self.number)
        revision = device.revision.value if device.revision is not None else 0
        return name, revision, frozenset(self.instances.items())

    @property
    def instances(self) -> dict[int, int]:
        """Instance -> its VLANs, as a mask. A VLAN in two instances is in the first."""
        found: dict[int, int] = {}
        taken = 0
        for tree in self.trees:
            if tree.number:
                mask = tree.vlans.bits & ~taken
                taken |= mask
                found[tree.number] = found.get(tree.number, 0) | mask
        return found


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
        found: dict[int, list[int]] = {}
        for number, port in self.ports.items():
            found.setdefault(port.wire, []).append(number)
        return found


class Participants(Struct, dict=True):
    """The bridges by number, and the bridge ports of each that could be in a tree. `known` are
    what is set for ports, by port and tree: several trees have the same.
    """

    takers: dict[int, Taker]
    fabric: Fabric
    known: dict[tuple[int, int], Any] = field(default_factory=dict)

    @cached_property
    def shared_addresses(self) -> set[int]:
        """The addresses that several bridges have."""
        counts = Counter(taker.address for taker in self.takers.values())
        return {one for one, count in counts.items() if one is not None and count > 1}

    def ports(self, modes: Iterable[TreeMode]) -> Iterator[BridgePort]:
        """Those with a link, of the bridges that run a tree of some kind."""
        fabric = self.fabric
        wanted = {number for number, taker in self.takers.items() if taker.mode in set(modes)}
        for end in {**fabric.wiring.of, **fabric.wiring.beside}:
            for number in fabric.at.get(end, ()):
                port = fabric.bridge_ports[number]
                if port.bridge in wanted and not fabric.is_implied(port):
                    yield port


COMMON = (TreeMode.STP, TreeMode.RSTP, TreeMode.MSTP)


def takers(fabric: Fabric) -> Participants:
    """The bridges that could take part in a tree: not routers' ports."""
    found: dict[int, Taker] = {}
    for number, bridge in enumerate(fabric.bridges):
        ports = [fabric.bridge_ports[port] for port in bridge.ports]
        if bridge.routed or all(fabric.is_implied(port) for port in ports):
            continue
        device = fabric.device(bridge.device)
        own = device.bridges.get(bridge.name)
        mode = (own.tree_mode if own is not None else None) or device.tree_mode
        if mode is not None:
            found[number] = Taker(number, device, bridge.name, mode.value)
            continue
        states_some = any(tree.bridge == bridge.name for tree in device.trees)
        assumed = _ANY_KIND if states_some else _SILENT
        found[number] = Taker(number, device, bridge.name, TreeMode.RSTP, assumed)
    return Participants(found, fabric)


class _Set(NamedTuple):
    """What is set for a port in a tree, and what is assumed of it."""

    identifier: Identifier
    restricted: bool
    cost: int
    by_speed: bool = False
    doubt: Doubt | None = None


class Settings:
    """What a bridge has set for one of its trees, with the defaults."""

    def __init__(self, taker: Taker, tree: Tree | None, among: Participants) -> None:
        self.taker = taker
        self.tree = tree
        self._fabric = among.fabric
        self._known = among.known

    def identifier(self) -> Identifier:
        """Of the bridge in this tree (802.1Q-2018, 13.26.2)."""
        fact = self.tree.priority if self.tree is not None else None
        return Identifier(taken_priority(self.taker.mode, fact), self.taker.address)

    def port(self, port: BridgePort, wire: int, world: World) -> TreePort:
        """A port in this tree. What is assumed of it is noted in its world."""
        key = port.number, id(self.tree)
        known = self._known.get(key)
        if known is None:
            known = self._known[key] = self._port(port)
        if known.by_speed:
            world.by_speed.add(port.number)
        if known.doubt is not None:
            world.doubts.append(known.doubt)
        return TreePort(port.bridge, wire, known.cost, known.identifier, known.restricted)

    def _port(self, port: BridgePort) -> _Set:
        stated = self._fabric.resolved(port).stated
        identifier = Identifier(
            self._of_port(lambda tree: tree.priorities, port.port, DEFAULT_PORT_PRIORITY),
            stated.number.value if stated.number is not None else _number_in(port.port),
        )
        restricted = stated.guard is not None and stated.guard.value is Guard.ROOT
        cost = self._of_port(lambda tree: tree.costs, port.port, 0)
        if cost:
            return _Set(identifier, restricted, cost)
        speed = port_speed(self.taker.device, port.end.port)
        if speed:
            return _Set(identifier, restricted, default_cost(self.taker.mode, speed), True)
        doubt = Doubt(port.number, str(port.end), _NO_COST, stated.origin)
        return _Set(identifier, restricted, assumed_cost(self.taker.mode), False, doubt)

    def _of_port(
        self, facts: Callable[[Tree], dict[str, Fact[int]]], name: str, otherwise: int
    ) -> int:
        fact = facts(self.tree).get(name) if self.tree is not None else None
        return otherwise if fact is None else fact.value


def taken_priority(mode: TreeMode, fact: Fact[int] | None) -> int:
    """The priority that counts: in all but the oldest kind a multiple of 4096, since what is below
    that is the number of the tree (802.1Q-2018, 13.26.2).
    """
    if fact is None:
        return DEFAULT_PRIORITY
    value = min(max(fact.value, 0), 65535)
    return value if mode is TreeMode.STP else value - value % 4096


def _number_in(name: str) -> int | None:
    """The number of a port whose name is nothing but a number."""
    return int(name) if name.isascii() and name.isdigit() and len(name) < 6 else None


def port_speed(device: Device, name: str) -> int:
    """The speed of a port in Mbit/s, of a bundle that of its live members; 0 if it is not known."""
    port = device.ports[name]
    if port.speed is not None:
        return port.speed.value
    members = [
        member
        for member in device.ports.values()
        if member.bundle is not None and member.bundle.value == name and member.on
    ]
    speeds = [member.speed.value for member in members if member.speed is not None]
    return sum(speeds) if speeds and len(speeds) == len(members) else 0


# --- wires ----------------------------------------------------------------------------------------


class Wires:
    """Which things are on one wire: a forest of disjoint sets."""

    def __init__(self) -> None:
        self._above: dict[Hashable, Hashable] = {}

    def of(self, thing: Hashable) -> Hashable:
        """The wire of a thing, named by one of those on it."""
        top = thing
        while (above := self._above.get(top, top)) != top:
            top = above
        while (above := self._above.get(thing, thing)) != top:
            self._above[thing] = top
            thing = above
        return top

    def join(self, one: Hashable, other: Hashable) -> None:
        self._above.setdefault(one, one)
        self._above[self.of(other)] = self.of(one)


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
        if len(alive) > 1:
            world.cabling |= {port.number: (port.bridge, number) for port in alive}
            if 0 < len(taking) < len(alive):
                world.seams += [(_seam(port, all_takers, _TWO_KINDS), ALL) for port in alive]
            for port in alive:
                if all_takers.takers[port.bridge].mode is TreeMode.PER_VLAN:
                    mask = _turned(fabric, port)
                    if mask:
                        world.seams.append((_seam(port, all_takers, _TURNED), mask))
            for port in taking:
                _doubts_of_wire(port, alive, passed_on.get(wire, ()), all_takers, world)
                taker = all_takers.takers[port.bridge]
                world.ports[port.number] = settings_of(taker, all_takers).port(port, number, world)
            number += 1
    for taker in all_takers.takers.values():
        if taker.mode in COMMON:
            region, legacy = taker.region, taker.mode is TreeMode.STP
            identifier = settings_of(taker, all_takers).identifier()
            world.bridges[taker.number] = TreeBridge(identifier, region, legacy)
    return world


def settings_of(taker: Taker, among: Participants, instance: int = 0) -> Settings:
    """What a bridge has set for its common tree, or for one of its instances."""
    tree = next((tree for tree in taker.trees if tree.number == instance), None)
    if tree is None and taker.mode is not TreeMode.MSTP:
        tree = next(iter(taker.trees), None)
    return Settings(taker, tree, among)


def _cabling(fabric: Fabric) -> Wires:
    """The wires that links make, for untagged messages and for those that a sub-interface tags
    (FM 7.2).
    """
    wires = Wires()
    for link in (*fabric.wiring.links, *fabric.wiring.shared):
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
    found = 0
    for crossing in fabric.crossings.get(port.number, ()):
        for translation in crossing.translations:
            found |= translation.leaves
        for to, mask in crossing.same:
            back = union(
                passed
                for other in fabric.crossings.get(to, ())
                for far, passed in other.same
                if far == port.number
            )
            found |= mask & ~back
    return found


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

    if taker.assumed is not None:
        doubt(taker.device.name, taker.assumed, taker.device.origin)
    if taker.mode is TreeMode.MSTP and taker.device.region is None:
        doubt(taker.device.name, _NO_REGION, taker.device.origin)
    for between in passed_on:
        doubt(between.device.name, _PASSES_ON, between.device.origin)
    if taker.address is not None and taker.address in all_takers.shared_addresses:
        doubt(taker.device.name, _SAME_ADDRESS)
    if len(ports) > 2 and len({all_takers.takers[one.bridge].region for one in ports}) > 1:
        doubt(str(port.end), _SEVERAL_REGIONS)


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
    if not runs:
        return []
    passing = _passing(fabric, ports)
    masks = [mask for _, _, mask in passing]
    masks += [tree.vlans.bits for bridge in runs for tree in all_takers.takers[bridge].trees]
    live = union(fabric.bridges[bridge].live for bridge in runs)
    served = union(masks[: len(passing)]) & live
    worlds = []
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
        (one, to, both)
        for (one, to), mask in ways.items()
        if one < to and (both := mask & ways.get((to, one), 0))
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
        if all_takers.takers[ports[number].bridge].mode is TreeMode.PER_VLAN:
            on_wire.setdefault(wires.of(number), []).append(ports[number])
    set_for: dict[int, Settings] = {}
    for number, (wire, on) in enumerate(on_wire.items()):
        for port in on:
            settings = set_for.get(port.bridge)
            if settings is None:
                settings = _vlan_settings(all_takers.takers[port.bridge], vid, all_takers)
                set_for[port.bridge] = settings
                world.bridges[port.bridge] = TreeBridge(settings.identifier())
            world.ports[port.number] = settings.port(port, number, world)
            for other in passed_on.get(wire, ()):
                doubt = Doubt(port.number, other.device.name, _PASSES_ON, other.device.origin)
                world.doubts.append(doubt)
    return world


def _vlan_settings(taker: Taker, vid: int, among: Participants) -> Settings:
    """What a bridge has set for the tree of a VLAN: what speaks of fewest VLANs counts."""
    about = [tree for tree in taker.trees if vid in tree.vlans]
    tree = min(about, key=lambda tree: len(tree.vlans), default=None)
    return Settings(taker, tree, among)
