"""What the loss of a link, a switch or a router does (FM 7.11).

A VLAN is judged by its own graph: its hubs, joined by the links that pass it both ways, each with a
port that forwards at either end. VLANs that turn into each other are one graph.

## Theory of operation

Where a tree blocks no way that a VLAN has (*safe* VLANs: on every circle of the tree either all
wires pass the VLAN, or none does), the tree joins whatever the graph joins, before a loss and
after it; and what a loss cuts is told by one depth-first search for the whole VLAN: a link whose
loss cuts is an edge on no circle, a switch a vertex without which its neighbours fall apart
(Tarjan, 1972).

Other VLANs may be cut though their graph hangs together, by what the tree blocks then. For these
each loss is tried: the trees that it touches are elected anew, and only VLANs are looked at that
pass what was lost, or a wire on which something else discards now.
"""

from __future__ import annotations

from collections import ChainMap
from collections.abc import Collection, Hashable, Mapping, Sequence
from functools import cached_property, partial
from typing import cast

from msgspec import Struct, field

from inkov.forwarding.circles import partings
from inkov.forwarding.domains import domains
from inkov.forwarding.fabric import Fabric
from inkov.forwarding.trees.active import active
from inkov.forwarding.trees.loss import Kind, Loss, ends_of
from inkov.forwarding.trees.routed import RoutedWays, fallen_off
from inkov.forwarding.trees.spanning import Part, Trees, matters
from inkov.forwarding.trees.vlan_graphs import Hub, VlanGraph, vlan_graphs
from inkov.forwarding.trees.wires import Wires
from inkov.vlanset import union

__all__ = ["Cut", "Losses"]


class Cut(Struct):
    """What a loss does. `parts` fall off: the hubs of each that serve somebody; what they fall off
    is larger, and not listed. `routerless` are hubs that are left without any gateway, and had one;
    `unrouted` those whose routers do not get to the others' routers any more. `hosts` is how many
    host ports are cut off.
    """

    loss: Loss
    parts: list[list[Hub]] = field(default_factory=list)
    routerless: set[Hub] = field(default_factory=set)
    unrouted: set[Hub] = field(default_factory=set)
    hosts: int = 0

    @property
    def off(self) -> set[Hub]:
        """All hubs that are cut off from something."""
        return {hub for part in self.parts for hub in part} | self.routerless | self.unrouted

    @property
    def pieces(self) -> dict[int, list[list[int]]]:
        """VLAN -> the bridges of each part that fell off."""
        pieces: dict[int, list[list[int]]] = {}
        for part in self.parts:
            by_vlan: dict[int, list[int]] = {}
            for bridge, vid in sorted(part):
                by_vlan.setdefault(vid, []).append(bridge)
            for vid, bridges in by_vlan.items():
                pieces.setdefault(vid, []).append(bridges)
        return dict(sorted(pieces.items()))


class _After(Struct):
    """What ports discard after a loss, in each outcome: port -> VLANs, as a mask. `changed` are the
    ports that do so otherwise, if it is known; `trees` the trees, if they were elected anew.
    """

    discarding: Sequence[Mapping[int, int]]
    trees: Trees | None
    changed: dict[int, int] | None = None


class Losses:
    """The fabric (as over all links) and its trees, to be tried by losses. `safe` are the groups
    that trees do not cut (by `id`). What a loss does is told of `vlans` (a mask) alone.
    """

    def __init__(self, fabric: Fabric, trees: Trees, vlans: int = -1) -> None:
        self.fabric = fabric
        self.trees = trees
        self.vlans = vlans
        self.groups = vlan_graphs(fabric)
        self._of_device: dict[str, list[VlanGraph]] = {}
        self._of_port: dict[int, list[VlanGraph]] = {}
        for group in self.groups:
            bridges = {hub[0] for hub in group.hubs}
            bridges |= {hub[0] for edge in group.edges for hub in (edge.one, edge.other)}
            for device in {fabric.bridges[bridge].device for bridge in bridges}:
                self._of_device.setdefault(device, []).append(group)
            for port in dict.fromkeys(port for edge in group.edges for port in edge.ports):
                self._of_port.setdefault(port, []).append(group)
        self._routers = {hub for group in self.groups for hub in group.routers}
        self.safe = {id(group) for group in self.groups if _is_safe(group, fabric, trees)}
        self._known_cuts()
        self._discarding: list[dict[int, int]] = [
            trees.discarding(number) for number in range(trees.outcomes)
        ]
        self._ports_of: dict[str, list[int]] = {}
        for inside in fabric.bridges:
            self._ports_of.setdefault(inside.device, []).extend(inside.ports)
        self._by_chance = any(
            tree.circle and (len(tree.outcomes) > 1 or not tree.complete) for tree in trees.trees
        )
        self._islands_before: dict[int, list[dict[Hub, object]]] = {}
        self._parts_of: dict[int, list[Part]] = {}
        for part in trees.parts:
            for port in part.world.ports:
                self._parts_of.setdefault(port, []).append(part)

    def try_loss(self, loss: Loss) -> Cut | None:
        """What a loss cuts; None if it may happen without loss."""
        cut = Cut(loss)
        # The routing alone is lost: the switch goes on.
        if loss.kind is Kind.ROUTER:
            self._by_routers(cut)
            return self._told(cut)
        ports = self.ports_of(loss)
        # One link or one switch: worked out for all safe VLANs at once.
        if loss.kind is Kind.LINK or loss.kind is Kind.SWITCH:
            of_safe = self._by_link if loss.kind is Kind.LINK else self._by_device
            cut.parts += of_safe.get(loss.links[0] if loss.links else loss.name, [])
            left = [group for group in self.groups if id(group) not in self.safe]
        else:
            left = self.groups
        # What trees may cut is tried.
        if left:
            after = self._after(ports)
            wanted = {id(group) for group in left}
            for group in self._touched(loss, ports, after):
                if id(group) in wanted:
                    self._cut_group(group, loss, ports, after, cut)
        self._by_routers(cut)
        # Nobody is inside a routed port.
        parts = [[hub for hub in part if hub not in self._routers] for part in cut.parts]
        cut.parts = [part for part in parts if part]
        return self._told(cut)

    def _told(self, cut: Cut) -> Cut | None:
        """What a loss cuts, as far as it is asked; None if that is nothing."""
        # Only some VLANs are asked about.
        if self.vlans != -1:
            parts = [[hub for hub in part if self.vlans >> hub[1] & 1] for part in cut.parts]
            cut.parts = [part for part in parts if part]
            cut.routerless = {hub for hub in cut.routerless if self.vlans >> hub[1] & 1}
            cut.unrouted = {hub for hub in cut.unrouted if self.vlans >> hub[1] & 1}
        # Nothing falls off: no cut.
        if not cut.off:
            return None
        self._count(cut)
        return cut

    def _known_cuts(self) -> None:
        """What each link and each switch cuts by itself, of the safe groups."""
        fabric = self.fabric
        self._by_link: dict[int | str, list[list[Hub]]] = {}
        self._by_device: dict[int | str, list[list[Hub]]] = {}
        for group in self.groups:
            if id(group) not in self.safe:
                continue
            weights: dict[Hashable, int] = {hub: group.weight(hub) + 1 for hub in group.counting}
            for parting in partings([(edge.one, edge.other) for edge in group.edges], weights):
                # An edge is a link; a vertex a hub, whose switch is lost.
                parts = cast("list[list[Hub]]", parting.parts)
                if parting.edge >= 0:
                    link = group.edges[parting.edge].link
                    self._by_link.setdefault(link, []).extend(parts)
                else:
                    bridge, _ = cast("Hub", parting.vertex)
                    name = fabric.bridges[bridge].device
                    self._by_device.setdefault(name, []).extend(parts)

    # --- what is touched --------------------------------------------------------------------------

    def ports_of(self, loss: Loss) -> set[int]:
        """The bridge ports that a loss takes away."""
        fabric = self.fabric
        ends = {end for link in loss.links for end in ends_of(fabric.wiring.links[link])}
        lost = {number for end in ends for number in fabric.at.get(end, ())}
        for device in loss.devices:
            lost.update(self._ports_of.get(device, ()))
        return lost

    def _after(self, lost: set[int]) -> _After:
        """What discards without some ports."""
        # Where chance decides, or frames turn into others, no shortcut is exact.
        if self._by_chance or any(group.odd for group in self.groups):
            trees = self.trees.without(lost)
            return _After([trees.discarding(number) for number in range(trees.outcomes)], trees)
        changed: dict[int, int] = {}
        parts = {id(part): part for port in lost for part in self._parts_of.get(port, ())}
        for part in parts.values():
            # A part that does not miss the lost ports stays as it is.
            if any(matters(part, number) for number in part.world.ports.keys() & lost):
                for port, mask in self.trees.discards_without(part, lost).items():
                    every = union(tree.masks.get(self._bridge(port), 0) for tree in part.trees)
                    before = changed.get(port, self._discarding[0].get(port, 0))
                    changed[port] = before & ~every | mask
        return _After([ChainMap(changed, self._discarding[0])], None, changed)

    def _bridge(self, port: int) -> int:
        return self.fabric.bridge_ports[port].bridge

    def _touched(self, loss: Loss, lost: set[int], after: _After) -> list[VlanGraph]:
        """The groups that pass what was lost, or a port that forwards otherwise now."""
        touched = {id(group): group for group in self.groups if group.odd}
        for port in lost:
            touched |= {id(group): group for group in self._of_port.get(port, ())}
        for device in loss.devices:
            touched |= {id(group): group for group in self._of_device.get(device, ())}
        for number, before in enumerate(self._discarding):
            now = after.discarding[min(number, len(after.discarding) - 1)]
            # Known which ports changed: only these are looked at.
            ports = before.keys() | now.keys() if after.changed is None else after.changed
            for port in ports:
                changed = before.get(port, 0) ^ now.get(port, 0)
                # A port that discards otherwise in VLANs that this group does not have changes
                # nothing for it.
                for group in self._of_port.get(port, ()) if changed else ():
                    if group.vlans & changed:
                        touched[id(group)] = group
        return list(touched.values())

    # --- what falls apart -------------------------------------------------------------------------

    def _cut_group(
        self, group: VlanGraph, loss: Loss, lost: set[int], after: _After, cut: Cut
    ) -> None:
        gone = (
            {
                number
                for number, inside in enumerate(self.fabric.bridges)
                if inside.device in loss.devices
            }
            if loss.devices
            else set()
        )
        # What hung together in every outcome before counts as together.
        before = self._before(group)
        now = self._islands(group, after, lost)
        together = _in_each(before)
        # Of outcomes after the loss the worst counts.
        outcomes = [self._fallen_apart(group, together, islands, gone) for islands in now]
        fallen: list[list[Hub]] = []
        for parts in outcomes:
            fallen = parts if len(parts) > len(fallen) else fallen
        cut.parts += fallen

    def _before(self, group: VlanGraph) -> list[dict[Hub, object]]:
        """The islands of a group without any loss, worked out once."""
        if id(group) not in self._islands_before:
            base = _After(self._discarding, self.trees)
            self._islands_before[id(group)] = self._islands(group, base, set())
        return self._islands_before[id(group)]

    def _islands(self, group: VlanGraph, after: _After, lost: set[int]) -> list[dict[Hub, object]]:
        """The island of each hub that serves somebody, or routes, in each outcome of the trees."""
        # A plain graph: who hangs together follows from its edges.
        if not group.odd:
            return [_joined(group, discarding, lost) for discarding in after.discarding]
        assert after.trees is not None
        islands: list[dict[Hub, object]] = []
        for number in range(after.trees.outcomes):
            there = domains(active(self.fabric, after.trees, number, lost=lost))
            islands.append(
                {hub: there.of(*hub) if there.of(*hub) >= 0 else hub for hub in group.counting}
            )
        return islands

    def _fallen_apart(
        self,
        group: VlanGraph,
        together: dict[Hub, object],
        islands: dict[Hub, object],
        gone: Collection[int],
    ) -> list[list[Hub]]:
        """The parts that an island falls into, but for the largest of each."""
        parts: dict[object, dict[object, list[Hub]]] = {}
        for hub in together:
            # The lost switch's own hubs fall off nothing: they are gone.
            if hub[0] not in gone:
                parts.setdefault(together[hub], {}).setdefault(islands[hub], []).append(hub)
        return [
            part
            for of_island in parts.values()
            for part in sorted(of_island.values(), key=partial(_rank, group), reverse=True)[1:]
        ]

    def island(self, loss: Loss, hub: Hub) -> set[int]:
        """The bridges that a hub hangs together with after a loss, those in between as well."""
        group = next(group for group in self.groups if hub in group.hubs)
        lost = self.ports_of(loss)
        # In a safe group the tree joins whatever the graph joins.
        discarding: Mapping[int, int] = {}
        if id(group) not in self.safe:
            discarding = self._after(lost).discarding[0]
        joined = _wires(group, discarding, lost)
        hubs = {end for edge in group.edges for end in (edge.one, edge.other)} | {hub}
        return {reached[0] for reached in hubs if joined.of(reached) == joined.of(hub)}

    # --- routers ----------------------------------------------------------------------------------

    @cached_property
    def _routed(self) -> RoutedWays:
        trees = self.trees
        outcomes = [active(self.fabric, trees, number) for number in range(trees.outcomes)]
        return RoutedWays(outcomes, (hub for group in self.groups for hub in group.hubs))

    @cached_property
    def _routed_before(self) -> dict[Hub, Hashable]:
        return self._routed.together()

    def _by_routers(self, cut: Cut) -> None:
        """What a loss does to ways by routers."""
        fabric, loss = self.fabric, cut.loss
        bridges = {
            fabric.bridge_ports[port].bridge
            for number in loss.links
            for end in ends_of(fabric.wiring.links[number])
            for port in fabric.at.get(end, ())
        }
        bridges = {number for number in bridges if fabric.bridges[number].routed}
        part = {hub: at for at, own in enumerate(cut.parts, 1) for hub in own}
        # Most losses touch no router's way.
        if not self._routed.may_matter(loss.devices, bridges, part):
            return
        dead = self._dead(loss)
        ports = {
            hub: number
            for group in self.groups
            for hub, number in group.hubs.items()
            if number and hub not in part and fabric.bridges[hub[0]].device not in dead
        }
        after = self._routed.together(loss.devices, bridges, part)
        without, apart = fallen_off(self._routed_before, after, ports)
        # What trees open after the loss may bring it back: looked at in what forwards then.
        if (without or apart) and len(self.safe) < len(self.groups):
            lost = self.ports_of(loss) if loss.kind is not Kind.ROUTER else set()
            trees = self.trees.without(lost)
            left = [active(fabric, trees, n, lost=lost) for n in range(trees.outcomes)]
            after = RoutedWays(left, ports).together(loss.devices)
            without, apart = fallen_off(self._routed_before, after, ports)
        cut.routerless, cut.unrouted = without, apart

    def _dead(self, loss: Loss) -> Collection[str]:
        """The devices that are lost as switches: their hosts are lost with them."""
        return () if loss.kind is Kind.ROUTER else loss.devices

    def _count(self, cut: Cut) -> None:
        """How many host ports are cut off: from others, or from their gateway."""
        off, dead = cut.off, self._dead(cut.loss)
        cut.hosts = sum(
            ports
            for group in self.groups
            for hub, ports in group.hubs.items()
            if hub in off and self.fabric.bridges[hub[0]].device not in dead
        )


def _is_safe(group: VlanGraph, fabric: Fabric, trees: Trees) -> bool:
    """Whether the trees join whatever the graph of a group does: each edge is a link of its own, no
    two hubs are of one switch, no port is kept out of a tree by a guard or shares its wire; and on
    each circle of a tree all wires pass the VLAN, or none.
    """
    links = [edge.link for edge in group.edges]
    bridges = {hub[0] for edge in group.edges for hub in (edge.one, edge.other)}
    devices = [fabric.bridges[bridge].device for bridge in bridges]
    # Frames that turn into others, or two hubs of a switch: its loss is more than one vertex.
    if group.odd or len(set(links)) < len(links) or len(set(devices)) < len(devices):
        return False
    # Several VLANs in one graph, or a wire that several share.
    if group.vlans & group.vlans - 1 or max(links, default=0) >= len(fabric.wiring.links):
        return False
    passing = {port for edge in group.edges for port in edge.ports}
    # A port that a guard shuts passes nothing, whatever its list says.
    if not passing.isdisjoint(trees.disabled):
        return False
    for part in trees.parts:
        # Trees of other bridges, or of other VLANs.
        if not part.world.bridges.keys() & bridges or (part.vlans and not part.vlans & group.vlans):
            continue
        world = part.world
        if any(port.restricted for port in world.ports.values()):
            return False
        if any(len(on) != 2 for on in world.on_wire.values()):
            return False
        # A circle that the VLAN passes in part may be cut where the VLAN passes.
        if not part.vlans and any(0 < len(block & passing) < len(block) for block in part.circles):
            return False
    return True


def _rank(group: VlanGraph, part: list[Hub]) -> tuple[int, int, list[int]]:
    """How parts are compared: that with most gateways stays, then the one with most host ports,
    then that with most hubs.
    """
    return sum(map(group.weight, part)), len(part), [-bridge for bridge, _ in part]


def _in_each(outcomes: list[dict[Hub, object]]) -> dict[Hub, object]:
    """Who hangs together in every outcome."""
    return {hub: tuple(outcome[hub] for outcome in outcomes) for hub in outcomes[0]}


def _joined(
    group: VlanGraph, discarding: Mapping[int, int], lost: Collection[int]
) -> dict[Hub, object]:
    """The island of each hub that serves somebody, or routes, where some ports are lost."""
    joined = _wires(group, discarding, lost)
    return {hub: joined.of(hub) for hub in group.counting}


def _wires(group: VlanGraph, discarding: Mapping[int, int], lost: Collection[int]) -> Wires:
    """What hangs together of a group, where some ports discard and others are lost."""
    joined = Wires()
    for edge in group.edges:
        one, other = edge.ports
        # What is lost joins nothing.
        if one in lost or other in lost:
            continue
        # Both ends must forward the VLAN.
        if (
            not discarding.get(one, 0) >> edge.one[1] & 1
            and not discarding.get(other, 0) >> edge.other[1] & 1
        ):
            joined.join(edge.one, edge.other)
    return joined
