"""Members of a VLAN that hear each other whatever is lost (FM 7.11), by links that a certificate
states.

Two things are checked. First, that the links join the members without each thing that may be lost:
a link, a switch, two links, what the plan says fails together. Second, that the spanning trees take
links enough, whichever they agree on. A tree joins all bridges of its graph; and where each *block*
of that graph, links of which any two are on a circle, passes the VLAN on all its links or on none,
the part of the tree in the blocks that pass it joins whatever they join. A loss leaves only parts
of blocks. That is so as well with a tree for each VLAN, whose graph is the links that pass it.

So nothing is elected here. What is more than that (a VLAN on some links of a circle, guards, trees
of two kinds, shared wires, sub-interfaces) is refused, though the claim may hold.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator
from fnmatch import fnmatchcase
from itertools import combinations
from typing import NamedTuple

from inkov.campus import Guard, TreeMode
from inkov.levels import Layer, Level
from inkov.plan import Claim, SharedFate
from inkov.verify.closures import ClaimEntry, Refused
from inkov.verify.frames import Hub, Spot
from inkov.verify.joins import home_vlan, verify_joined
from inkov.verify.members import legs_of, meant, pinged
from inkov.verify.packets import PacketModel
from inkov.vlanset import VlanSet, bit

__all__ = ["verify_withstanding"]

_MOST_FOR_PAIRS = 150  # links of which every two are tried


class Lost(NamedTuple):
    """What is lost: links, by their place in the certificate; switches."""

    links: frozenset[int] = frozenset()
    switches: frozenset[str] = frozenset()


def verify_withstanding(
    net: PacketModel,
    claim: Claim,
    vlans: dict[str, VlanSet],
    entry: ClaimEntry,
    together: Iterable[SharedFate],
) -> None:
    """That the members of a `join` or `reach` hear each other without each thing that the claim
    says may be lost. Raises Refused.
    """
    # A ping hangs on routers, which have losses of their own.
    if claim.layer is not Layer.FRAMES or pinged(net, claim) is not None:
        raise Refused("packets hang on routers as well: losses are not checked for them")
    if claim.level is not Level.HONEST:
        raise Refused("losses are checked for honest hosts only")
    names = claim.join or claim.reach or []
    sides = [meant(net, vlans, [name]) for name in names]
    if claim.reach is not None:
        sides = list(legs_of(net, claim, vlans)[0])
    seats = {name: side.seats(net) for name, side in zip(names, sides, strict=True)}
    every = set().union(*seats.values())
    vid = home_vlan(every)
    edges = entry["edges"]
    # More links would take too long to try two by two.
    if claim.withstand == 2 and len(edges) > _MOST_FOR_PAIRS:
        raise Refused(f"{len(edges)} links are too many to try every two")
    verify_joined(net, edges, vid, {seat.spot.hub for seat in every})
    _see_that_trees_join(net, vid, {seat.spot.hub for seat in every})
    ends = [(net.by_key[one], net.by_key[other]) for one, other in edges]
    for lost in _losses(claim, ends, net, together):
        left = {
            name: {seat.spot.hub for seat in own if seat.spot.hub[0] not in lost.switches}
            for name, own in seats.items()
        }
        # Who is lost with a switch is not missed at it.
        if claim.reach is not None and not all(left.values()):
            continue  # one of the two is lost with its switch, and not asked
        if not _joined(ends, lost, set().union(*left.values())):
            raise Refused(f"the links do not join the members without {_named(ends, lost)}")


def _named(ends: list[tuple[Spot, Spot]], lost: Lost) -> str:
    links = [f"{ends[link][0].key} - {ends[link][1].key}" for link in sorted(lost.links)]
    return " and ".join([*sorted(lost.switches), *links])


def _losses(
    claim: Claim,
    ends: list[tuple[Spot, Spot]],
    net: PacketModel,
    together: Iterable[SharedFate],
) -> Iterator[Lost]:
    """All that a claim says may be lost. What is no link of the certificate is not missed."""
    of_links = claim.withstand != "switches"
    of_switches = claim.withstand in ("switches", "both")
    if claim.withstand == 2:
        yield from (Lost(frozenset(two)) for two in combinations(range(len(ends)), 2))
    if of_links:
        yield from (Lost(frozenset([number])) for number in range(len(ends)))
    if of_switches:
        switches = {spot.hub[0] for pair in ends for spot in pair}
        yield from (Lost(switches=frozenset([name])) for name in sorted(switches))
    for fate in together:
        lost = _shared(fate, ends, net)
        # A fate with switches counts where switches may be lost.
        if of_switches if lost.switches else of_links:
            yield lost


def _shared(fate: SharedFate, ends: list[tuple[Spot, Spot]], net: PacketModel) -> Lost:
    """What fails together. A bundle counts as lost with any of its members."""
    fitting = {
        net.whole((device.name, port))
        for device in net.campus.devices.values()
        for port in device.ports
        for part in fate.parts
        if part == f"{device.name}:{port}"
        or (
            ":" in part
            and fnmatchcase(device.name, part.rpartition(":")[0])
            and fnmatchcase(port, part.rpartition(":")[2])
        )
    }
    links = {
        number for number, pair in enumerate(ends) if any(spot.end in fitting for spot in pair)
    }
    switches = {
        name
        for name in net.campus.devices
        for part in fate.parts
        if ":" not in part and (part == name or fnmatchcase(name, part))
    }
    return Lost(frozenset(links), frozenset(switches))


def _joined(ends: list[tuple[Spot, Spot]], lost: Lost, hubs: set[Hub]) -> bool:
    """Whether the links that are left join some bridges."""
    next_to: dict[Hub, list[Hub]] = {}
    for number, (one, other) in enumerate(ends):
        gone = {one.hub[0], other.hub[0]} & lost.switches
        # With a switch its links are gone.
        if number not in lost.links and not gone:
            next_to.setdefault(one.hub, []).append(other.hub)
            next_to.setdefault(other.hub, []).append(one.hub)
    return not hubs or hubs <= _reached(next_to, next(iter(hubs)))


def _reached(next_to: dict[Hub, list[Hub]], start: Hub) -> set[Hub]:
    reached, work = {start}, [start]
    while work:
        for hub in next_to.get(work.pop(), ()):
            if hub not in reached:
                reached.add(hub)
                work.append(hub)
    return reached


# --- the spanning trees ---------------------------------------------------------------------------


class _Wire(NamedTuple):
    """A cable between two bridges."""

    one: Spot
    other: Spot


def _see_that_trees_join(net: PacketModel, vid: int, hubs: Collection[Hub]) -> None:
    """That the trees join whatever the links that pass a VLAN join, around some bridges. Raises
    Refused.
    """
    wires = list(_wires_around(net, hubs))
    around = {spot.hub for wire in wires for spot in wire} | set(hubs)
    modes = {_mode(net, hub) for hub in around}
    # No tree anywhere, and no circle: all links forward.
    if modes == {TreeMode.OFF}:
        return
    _see_that_no_box_joins(net, around)
    # Trees of two kinds may split the VLAN in ways of their own.
    if (TreeMode.PER_VLAN in modes and len(modes) > 1) or modes & {TreeMode.OFF, None}:
        raise Refused("it is not known that all switches around run one kind of spanning tree")
    _see_that_no_guard_shuts(net, wires)
    turns = net.turns(Level.HONEST)
    # Turned into another VLAN, it is in two graphs.
    if turns.get(vid) or any(mask >> vid & 1 for mask in turns.values()):
        raise Refused(f"a link turns VLAN {vid} into another one, or another one into it")
    # A tree of the VLAN itself takes the links that pass it.
    if modes != {TreeMode.PER_VLAN}:
        _see_that_circles_pass_it(net, wires, vid)


def _see_that_no_box_joins(net: PacketModel, around: set[Hub]) -> None:
    """That nobody who is not among the files is at two of some bridges: he may close a circle that
    nobody sees. Raises Refused.
    """
    for box, ends in sorted(net.boxes.items()):
        at = {spot for end in ends for spot in net.spots.get(net.whole(end), ())}
        if sum(spot.hub in around for spot in at) > 1:
            raise Refused(f"{box}, which is not among the files, may close a circle")


def _see_that_no_guard_shuts(net: PacketModel, wires: list[_Wire]) -> None:
    """That no guard may shut a port that the tree takes. Raises Refused."""
    for spot in (spot for wire in wires for spot in wire):
        device = net.campus.devices[spot.end[0]]
        port = device.ports[spot.end[1]]
        root_guard = port.guard is not None and port.guard.value is Guard.ROOT
        if root_guard or device.value(port, "bpdu_guard"):
            raise Refused(f"a guard at {spot.key} may keep it out of the spanning tree")


def _see_that_circles_pass_it(net: PacketModel, wires: list[_Wire], vid: int) -> None:
    """That circles pass a VLAN on all their links, or on none. Raises Refused."""
    passing = [_passes(net, wire, vid) for wire in wires]
    for block in _blocks([(wire.one.hub, wire.other.hub) for wire in wires]):
        # A circle that passes the VLAN in part: the tree may take the other part.
        if len({passing[number] for number in block}) > 1:
            cable = wires[next(number for number in sorted(block) if not passing[number])]
            near, far = sorted(spot.key for spot in cable)
            raise Refused(
                f"{near} - {far} does not pass VLAN {vid}, and other links of a circle do: the"
                " spanning tree may take it"
            )


def _mode(net: PacketModel, hub: Hub) -> TreeMode | None:
    device = net.campus.devices[hub[0]]
    bridge = device.bridges.get(hub[1])
    own = bridge.tree_mode if bridge is not None else None
    fact = own or device.tree_mode
    return fact.value if fact is not None else None


def _wires_around(net: PacketModel, hubs: Collection[Hub]) -> Iterator[_Wire]:
    """The cables between bridges that hang together with some, whatever passes them. Raises Refused
    where they are no plain cables between two bridges.
    """
    seen: set[Hub] = set(hubs)
    work = sorted(seen)
    told: set[frozenset[tuple[str, str]]] = set()
    while work:
        for spot in net.at.get(work.pop(), ()):
            for end in net.far.get(spot.end, ()):
                there = net.spots.get(end, [])
                # No bridge is there, so no link of the graph.
                if spot.routed or not there or all(spot.routed for spot in there):
                    continue  # no bridge is there, or it is shut
                # A wire with several is no plain link.
                if len(net.far[spot.end]) > 1 or len(net.far[end]) > 1:
                    raise Refused(f"{spot.key} is on a wire with several others")
                # A sub-interface is in several graphs at once.
                if len(there) > 1 or len(net.spots[spot.end]) > 1 or spot.outer or there[0].outer:
                    raise Refused(f"{spot.key} is a sub-interface, or opposite to one")
                pair = frozenset((spot.end, end))
                if pair not in told:
                    told.add(pair)
                    yield _Wire(spot, there[0])
                if there[0].hub not in seen:
                    seen.add(there[0].hub)
                    work.append(there[0].hub)


def _passes(net: PacketModel, wire: _Wire, vid: int) -> bool:
    """Whether a cable passes a VLAN both ways under its number."""
    return all(
        not near.protected
        and any(
            spot is far and mask == bit(vid)
            for spot, _, mask in net.over(near, bit(vid), Level.HONEST)
        )
        for near, far in (wire, wire[::-1])
    )


def _blocks(edges: list[tuple[Hub, Hub]]) -> list[set[int]]:
    """The edges of a graph, those together of which any two are on a circle.

    Each edge outside of a spanning forest closes one circle with it; edges are in one block if such
    circles lead from one to the other (the components of the graph's matroid).
    """
    next_to: dict[Hub, list[tuple[Hub, int]]] = {}
    for number, (one, other) in enumerate(edges):
        next_to.setdefault(one, []).append((other, number))
        next_to.setdefault(other, []).append((one, number))
    above: dict[Hub, tuple[Hub, int]] = {}  # the next bridge towards the root, by which edge
    depth: dict[Hub, int] = {}
    for start in next_to:
        if start in depth:
            continue
        depth[start] = 0
        work = [start]
        for hub in work:  # grows
            for far, number in next_to[hub]:
                if far not in depth:
                    depth[far], above[far] = depth[hub] + 1, (hub, number)
                    work.append(far)
    in_forest = {number for _, number in above.values()}
    same = list(range(len(edges)))

    def top(number: int) -> int:
        while same[number] != number:
            same[number] = number = same[same[number]]
        return number

    for number, ends in enumerate(edges):
        one, other = ends
        # An edge outside the forest closes a circle: all on it are of one block.
        while number not in in_forest and one != other:
            lower = one if depth[one] >= depth[other] else other
            up, passed = above[lower]
            same[top(passed)] = top(number)
            one, other = (up, other) if lower == one else (one, up)
    blocks: dict[int, set[int]] = {}
    for number in range(len(edges)):
        blocks.setdefault(top(number), set()).add(number)
    return list(blocks.values())
