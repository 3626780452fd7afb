"""The spanning trees of a campus: elected for each world, cut into those that hang together, with
what is left to chance and what is assumed (FM 7.6 to FM 7.8).
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator
from typing import NamedTuple

from msgspec import Struct, field

from inkov.campus import Origin, TreeMode, natural
from inkov.forwarding.circles import blocks
from inkov.forwarding.fabric import Fabric
from inkov.forwarding.trees.doubts import Assumed, Doubt
from inkov.forwarding.trees.election import (
    Elected,
    TreeBridge,
    TreePort,
    elect,
    elect_instance,
)
from inkov.forwarding.trees.order import Order, outcomes
from inkov.forwarding.trees.participants import COMMON, Participants, takers
from inkov.forwarding.trees.port_settings import settings_of
from inkov.forwarding.trees.reelection import Reelection
from inkov.forwarding.trees.wires import Wires
from inkov.forwarding.trees.worlds import World, common_world, vlan_worlds
from inkov.vlanset import VlanSet, union

__all__ = ["Part", "Remark", "SpanningTree", "Trees", "matters", "spanning_trees"]

ALL = VlanSet.all().bits


class Remark(Struct, frozen=True):
    """A sentence about a tree, and where what it speaks of is."""

    says: str
    origin: Origin


class SpanningTree(Struct):
    """One spanning tree: that of `vlans` (a mask) on some bridges that hang together.

    `instance` is 0 but for those of regions. `outcomes` are what its election may come to, more
    than one where identifiers that are not known decide; not all if it is not `complete`. `circle`
    are the ports on circles: all others forward, whatever comes out. `doubts` are the assumptions
    that matter; `seams` is true if some of them are about trees of another kind that it meets on a
    circle.
    """

    vlans: int
    mode: TreeMode
    instance: int
    world: World
    outcomes: list[Elected]
    complete: bool
    circle: set[int] = field(default_factory=set)
    doubts: list[Remark] = field(default_factory=list)
    seams: bool = False
    masks: dict[int, int] = field(default_factory=dict)
    """Bridge -> the VLANs whose frames this tree is for there."""

    @property
    def roots(self) -> list[int]:
        """The bridges that may be root, as far as outcomes were told apart."""
        roots = dict.fromkeys(root for elected in self.outcomes for root in elected.root.values())
        return list(roots)

    @property
    def settled(self) -> bool:
        """Whether it is sure which ports forward."""
        # No circle: all forward, unless trees of another kind make one.
        if not self.circle:
            return not self.seams
        blocked = {frozenset(self.blocked(number)) for number in range(len(self.outcomes))}
        # Outcomes that block the same ports are one answer.
        return self.complete and not self.doubts and len(blocked) == 1

    @property
    def sure(self) -> bool:
        """Whether it is sure what each bridge and port is."""
        return self.complete and not self.doubts and len(self.outcomes) == 1

    @property
    def root_is_sure(self) -> bool:
        """Whether it is sure who is root, whatever the costs are."""
        others = any(not doubt.assumed.of_cost for doubt in self.world.doubts)
        return self.complete and len(self.roots) == 1 and not self.seams and not others

    def blocked(self, outcome: int) -> list[int]:
        """The ports that discard, in an outcome; of a later one than there is, in the last."""
        roles = self.outcomes[min(outcome, len(self.outcomes) - 1)].roles
        return [number for number, role in roles.items() if not role.forwards]


class Part(NamedTuple):
    """Bridges that hang together in a world, and their trees. `vlans` is 0 for those with one tree
    for all, or one for each instance.
    """

    world: World
    vlans: int
    trees: list[SpanningTree]
    circles: list[set[int]]
    """The ports on each circle, those of circles that share a wire or bridge twice together."""


class Trees(Struct):
    """All spanning trees of a campus. `disabled` are the ports that guards shut."""

    participants: Participants
    parts: list[Part]
    disabled: dict[int, Doubt]

    @property
    def trees(self) -> list[SpanningTree]:
        return [tree for part in self.parts for tree in part.trees]

    def without(self, ports: Collection[int]) -> Trees:
        """The trees where some bridge ports are lost. Only those are elected anew in which one of
        them forwards, if they have circles: all else is as before.
        """
        parts: list[Part] = []
        for part in self.parts:
            lost = part.world.ports.keys() & ports
            # Ports that are not missed leave the tree as it is.
            if not any(matters(part, number) for number in lost):
                parts.append(part)
                continue
            left = _left(part.world, lost)
            parts += [self._elected(world, part.vlans) for world in _apart(left)]
        return Trees(self.participants, parts, self.disabled)

    def discards_without(self, part: Part, lost: Collection[int]) -> dict[int, int]:
        """What ports discard by a part's trees where some ports are lost, in the first outcome:
        bridge port -> VLANs, as a mask; of those that do so otherwise than before.
        """
        tree, own = part.trees[0], part.world.ports.keys() & lost
        # One outcome: the election goes on from where it was.
        if len(part.trees) == 1 and tree.complete and len(tree.outcomes) == 1:
            changed = _reelection(part).without(own)
            if changed is not None:
                masks = {}
                for number, role in changed.items():
                    mask = tree.masks.get(part.world.ports[number].bridge, tree.vlans)
                    # A port that changes its role and forwards as before is no change.
                    if role.forwards != tree.outcomes[0].roles[number].forwards:
                        masks[number] = 0 if role.forwards else mask
                return masks
        # Elected anew as a whole.
        worlds = _apart(_left(part.world, own))
        after = _discarding(self._elected(world, part.vlans) for world in worlds)
        before = _discarding([part])
        return {
            number: after.get(number, 0)
            for number in (before.keys() | after.keys()) - own
            if before.get(number, 0) != after.get(number, 0)
        }

    def _elected(self, world: World, vlans: int) -> Part:
        trees = [_vlan_tree(world, vlans)] if vlans else _common_trees(world, self.participants)
        return Part(world, vlans, trees, _circles(world.ports))

    @property
    def outcomes(self) -> int:
        """How many outcomes there are to look at, so that each of each tree is among them."""
        return max((len(tree.outcomes) for tree in self.trees if not tree.settled), default=1)

    def discarding(self, outcome: int = 0) -> dict[int, int]:
        """Bridge port -> the VLANs that it does not forward, as a mask."""
        masks: dict[int, int] = dict.fromkeys(self.disabled, ALL)
        # Each tree speaks for its own VLANs only.
        for tree in self.trees:
            for number in tree.blocked(outcome):
                bridge = tree.world.ports[number].bridge
                masks[number] = masks.get(number, 0) | tree.masks.get(bridge, tree.vlans)
        return masks


def spanning_trees(fabric: Fabric) -> Trees:
    """Work out the spanning trees. Bridges that no wire joins with others are in none."""
    participants = takers(fabric)
    common = common_world(participants)
    parts = [
        Part(world, 0, _common_trees(world, participants), _circles(world.ports))
        for world in _apart(common)
    ]
    # Trees of single VLANs, those alike together.
    for mask, world in vlan_worlds(participants, common):
        for world_part in _apart(world):
            tree = _vlan_tree(world_part, mask)
            parts.append(Part(world_part, mask, [tree], [tree.circle] if tree.circle else []))
    _meeting(common, [tree for part in parts for tree in part.trees])
    return Trees(participants, parts, common.disabled)


def _meeting(common: World, trees: list[SpanningTree]) -> None:
    """Note in the trees where trees of two kinds meet on a circle: neither knows of it."""
    # All switches run one kind: nothing meets.
    if not common.seams:
        return
    ports = common.cabling
    numbers = list(ports)
    edges = [(("bridge", ports[n][0]), ("wire", ports[n][1])) for n in numbers]
    for _, block in blocks(edges):
        around = {numbers[at] for at in block}
        seams = [(doubt, mask) for doubt, mask in common.seams if doubt.port in around]
        # On no circle two trees that know nothing of each other do no harm.
        if len(block) < 2 or not seams:
            continue
        bridges = {ports[number][0] for number in around}
        for tree in trees:
            if tree.world.bridges.keys() & bridges:
                concerned = [doubt for doubt, mask in seams if mask & tree.vlans]
                tree.doubts = [*tree.doubts, *_in_one_sentence(concerned)]
                tree.seams = tree.seams or bool(concerned)


def _reelection(part: Part) -> Reelection:
    """The election of a part's only tree, to be tried without some ports; kept with its world."""
    # Kept with the world, which is elected once for many losses.
    known: Reelection | None = part.world.__dict__.get("reelection")
    if known is None:
        elected = part.trees[0].outcomes[0]
        known = Reelection(part.world.bridges, part.world.ports, elected)
        part.world.__dict__["reelection"] = known
    return known


def _discarding(parts: Iterable[Part]) -> dict[int, int]:
    """What ports discard by the trees of some parts, in the first outcome."""
    masks: dict[int, int] = {}
    for part in parts:
        for tree in part.trees:
            for number in tree.blocked(0):
                mask = tree.masks.get(tree.world.ports[number].bridge, tree.vlans)
                masks[number] = masks.get(number, 0) | mask
    return masks


def matters(part: Part, number: int) -> bool:
    """Whether a tree may be another one without a port: one on whose wire a port discards,
    whatever comes out, is not missed, unless more than two share the wire.
    """
    on_wire = part.world.on_wire[part.world.ports[number].wire]
    return any(
        tree.circle
        # Without a circle no port discards.
        and any(
            len(on_wire) > 2
            or all(elected.roles[other].forwards for other in on_wire if other in elected.roles)
            for elected in tree.outcomes
        )
        for tree in part.trees
        if number in tree.world.ports
    )


def _left(world: World, lost: Collection[int]) -> World:
    """A world without some ports."""
    ports = {number: port for number, port in world.ports.items() if number not in lost}
    return World(
        world.bridges,
        ports,
        [doubt for doubt in world.doubts if doubt.port in ports],
        world.disabled,
        world.by_speed - set(lost),
    )


def _vlan_tree(part: World, mask: int) -> SpanningTree:
    """The tree of some VLANs alone, on bridges that hang together."""
    elected, complete = outcomes(lambda order: elect(part.bridges, part.ports, order))
    circle = _on_circles(part.ports)
    tree = SpanningTree(mask, TreeMode.PER_VLAN, 0, part, elected, complete, circle)
    tree.masks = dict.fromkeys(part.bridges, mask)
    tree.doubts = _that_matter(part, circle)
    return tree


# --- one tree for all, and those of instances -----------------------------------------------------


class _Instance(NamedTuple):
    """An instance in a region, on bridges that hang together within it: `inside` are the wires that
    lead out of no region.
    """

    number: int
    vlans: int
    world: World
    inside: set[int]


def _common_trees(part: World, participants: Participants) -> list[SpanningTree]:
    """The common tree of bridges that hang together, and the trees of their instances. They are
    elected together: an address that is not known is the same in all of them.
    """
    # Elected together: a script of answers holds for all of them.
    instances = list(_instances(part, participants))

    def run(order: Order) -> list[Elected]:
        common = elect(part.bridges, part.ports, order)
        return [
            common,
            *(
                elect_instance(
                    instance.world.bridges, instance.world.ports, common, instance.inside, order
                )
                for instance in instances
            ),
        ]

    elections, complete = outcomes(run)
    circle = _on_circles(part.ports)
    modes = {participants.takers[number].mode for number in part.bridges}
    mode = max(modes, key=COMMON.index)
    trees = [
        SpanningTree(ALL, mode, 0, part, [elected[0] for elected in elections], complete, circle),
        *(
            SpanningTree(
                instance.vlans,
                TreeMode.MSTP,
                instance.number,
                instance.world,
                [election[at] for election in elections],
                complete,
                circle & instance.world.ports.keys(),
            )
            for at, instance in enumerate(instances, 1)
        ),
    ]
    for tree in trees:
        tree.doubts = _that_matter(tree.world, tree.circle)
        tree.masks = dict.fromkeys(tree.world.bridges, tree.vlans)
    for number in part.bridges:
        mapped = union(participants.takers[number].instances.values())
        # VLANs that an instance has are not the common tree's.
        trees[0].masks[number] = ALL & ~(mapped if participants.takers[number].region else 0)
    trees[0].vlans = union(trees[0].masks.values())
    return trees


def _instances(part: World, participants: Participants) -> Iterator[_Instance]:
    """The instances of the regions among some bridges."""
    on_wire: dict[int, list[int]] = {}
    for port in part.ports.values():
        on_wire.setdefault(port.wire, []).append(port.bridge)
    inside = {
        wire
        # A wire that leads out of a region is not inside it, nor one with somebody else on it.
        for wire, bridges in on_wire.items()
        if participants.takers[bridges[0]].region is not None
        and len({participants.takers[bridge].region for bridge in bridges}) == 1
    }
    regions = Wires()
    for port in part.ports.values():
        if port.wire in inside:
            regions.join(("wire", port.wire), port.bridge)
    clusters: dict[object, list[int]] = {}
    for number in part.bridges:
        if participants.takers[number].region is not None:
            clusters.setdefault(regions.of(number), []).append(number)
    for bridges in clusters.values():
        for number, vlans in sorted(participants.takers[bridges[0]].instances.items()):
            # An instance without VLANs has no frames.
            if vlans:
                yield _Instance(
                    number, vlans, _instance_world(part, participants, bridges, number), inside
                )


def _instance_world(
    part: World, participants: Participants, bridges: list[int], instance: int
) -> World:
    world, fabric = World(), participants.fabric
    members = set(bridges)
    settings = {
        number: settings_of(participants.takers[number], participants, instance)
        for number in bridges
    }
    for number in bridges:
        world.bridges[number] = TreeBridge(settings[number].identifier())
    for number, port in part.ports.items():
        if port.bridge in members:
            own = settings[port.bridge].port(fabric.bridge_ports[number], port.wire, world)
            world.ports[number] = own
    # What is assumed of a port in the common tree holds in this one: costs are told once.
    world.doubts = [doubt for doubt in part.doubts if doubt.port in world.ports]
    return world


# --- what hangs together, and what is sure --------------------------------------------------------


def _apart(world: World) -> list[World]:
    """The parts of a world that no wire joins. A bridge that is on no wire is in none."""
    joined = Wires()
    for port in world.ports.values():
        joined.join(("wire", port.wire), ("bridge", port.bridge))
    parts: dict[object, World] = {}
    # A bridge without a wire is in no part.
    for number, port in world.ports.items():
        part = parts.setdefault(joined.of(("wire", port.wire)), World())
        part.ports[number] = port
        part.bridges[port.bridge] = world.bridges[port.bridge]
    of_port = {number: part for part in parts.values() for number in part.ports}
    for doubt in world.doubts:
        of_port[doubt.port].doubts.append(doubt)
    for number in world.by_speed & of_port.keys():
        of_port[number].by_speed.add(number)
    return list(parts.values())


def _circles(ports: dict[int, TreePort]) -> list[set[int]]:
    """The ports on circles of bridges and wires, by block; one of each circle discards."""
    numbers = list(ports)
    edges = [(("bridge", ports[n].bridge), ("wire", ports[n].wire)) for n in numbers]
    # A block of one edge is no circle.
    return [{numbers[at] for at in block} for _, block in blocks(edges) if len(block) > 1]


def _on_circles(ports: dict[int, TreePort]) -> set[int]:
    return {number for block in _circles(ports) for number in block}


def _in_one_sentence(doubts: Iterable[Doubt]) -> list[Remark]:
    """Doubts, those alike in one sentence."""
    alike: dict[Assumed, dict[str, Doubt]] = {}
    for doubt in doubts:
        alike.setdefault(doubt.assumed, {}).setdefault(doubt.who, doubt)
    remarks = []
    for by_who in alike.values():
        first = min(by_who, key=natural)
        remarks.append(Remark(by_who[first].says(len(by_who) - 1), by_who[first].origin))
    return remarks


def _that_matter(world: World, circle: set[int]) -> list[Remark]:
    """The assumptions about ports on circles, those alike in one sentence.

    Of a default by speed there are two tables: which one holds matters if costs differ.
    """
    remarks = _in_one_sentence(doubt for doubt in world.doubts if doubt.port in circle)
    by_speed = world.by_speed & circle
    on_circle = [world.ports[number] for number in circle]
    # With one cost everywhere, either table leads to the same tree.
    if by_speed and len({(port.cost, port.between) for port in on_circle}) > 1:
        ports = "a port follows" if len(by_speed) == 1 else f"{len(by_speed)} ports follows"
        says = f"the cost of {ports} from the speed, as the standards recommend it"
        remarks.append(Remark(says, Origin()))
    return remarks
