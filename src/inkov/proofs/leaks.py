"""Does any frame of these seats get to those?

Theory of operation. Two questions with two answers that do not always agree (FM 3.10):

*The closure* floods all that the seats send over all links that are up, whole sets of VIDs at a
time (`forwarding.reach`). It has every place where a frame can be, and more: it may join the halves
of two ways that no single frame can go, since a way that passes a bridge twice is one that a
spanning tree would cut. What the closure does not reach is apart, whatever the tree looks like.

*A way* is one frame's journey, port by port, that passes no bridge twice. It can happen, and is
shown as the witness.

Where the closure reaches a seat and no such way is found, nothing is proved either way: the leak
has no way, and whoever asked says so instead of "holds".
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import NamedTuple

from msgspec.structs import replace

from inkov.forwarding import BridgePort, Fabric
from inkov.forwarding.follow import Step, heard_at, tell
from inkov.forwarding.negotiation import negotiates
from inkov.forwarding.path import Goal, State, Way, find_way, may_leave
from inkov.forwarding.reach import Flood, Sending, flood, sendings_at, views_at
from inkov.forwarding.reasons import decided_at, why_arrives, why_leaves
from inkov.levels import Level
from inkov.proofs.alike import thinned
from inkov.proofs.seats import Seat
from inkov.proofs.verdict import Blame, decisive
from inkov.vlanset import bit, union
from inkov.wiring import End

__all__ = [
    "Leak",
    "audible",
    "blamed",
    "closure",
    "ears",
    "find_leak",
    "find_way_to",
    "hearing",
    "leak_steps",
    "reached",
    "sendings_of",
    "turning",
]


class Leak(NamedTuple):
    """A way to a bridge port where a target hears it; None where only ways are known that cannot
    happen.
    """

    target: int
    way: Way | None


def sendings_of(fabric: Fabric, seats: Iterable[Seat], level: Level) -> list[Sending]:
    """What the hosts in some seats may send: an honest one in its form, a hostile one anything its
    port takes.
    """
    masks: dict[int, int] = {}
    plain: dict[int, int] = {}  # of that, what is sent without a tag
    for seat in seats:
        # A wire may have several seats: what they send is one sending.
        mask = sent_at(fabric.bridge_ports[seat.port], seat)
        masks[seat.port] = masks.get(seat.port, 0) | mask
        if not seat.tag:
            plain[seat.port] = mask
    if (
        level == Level.HOSTILE
    ):  # whoever is on the wire sends to the port and to all sub-interfaces on it
        numbers = {n for port in masks for n in fabric.at[fabric.bridge_ports[port].end]}
        return sendings_at(fabric, sorted(numbers), level)
    return [
        Sending(p, mask, fabric.bridge_ports[p].bridge, mask & ~plain.get(p, 0))
        for p, mask in sorted(masks.items())
        if mask
    ]


def sent_at(port: BridgePort, seat: Seat) -> int:
    """What an honest host in a seat gets into, as a mask: the VLAN of its form, if the port takes
    that form.
    """
    # A host without a tag is in the VLAN of its port.
    if not seat.tag:
        return bit(port.view.pvid)
    return bit(seat.tag) if port.outer == seat.tag else port.view.admit & seat.tags


def closure(fabric: Fabric, seats: Iterable[Seat], level: Level) -> Flood:
    """Where frames of some seats can be."""
    return flood(fabric, sendings_of(fabric, seats, level), level)


def audible(fabric: Fabric, seat: Seat, level: Level) -> dict[int, int]:
    """What a host hears: bridge port -> the VIDs that leave by it in its form. A hostile one hears
    every form.
    """
    own = fabric.bridge_ports[seat.port]
    heard = {}
    for number in fabric.at[own.end]:
        port, mask = fabric.bridge_ports[number], 0
        for view in views_at(port, level):
            # A port under a tag of its own hears all that leaves with that tag.
            if level == Level.HOSTILE or (port.outer and number == own.number):
                mask |= view.emit
            elif (
                not port.outer
            ):  # a host with a sub-interface's tag hears what the port under it sends with that tag
                tags = bit(own.outer) or seat.tags
                mask |= view.emit & ~view.untagged & tags if tags else view.untagged
        if mask:
            heard[number] = mask
    return heard


def reached(fabric: Fabric, spread: Flood, targets: Iterable[Seat], level: Level) -> list[Seat]:
    """The seats among `targets` that hear something of a closure."""
    return sorted(set(_hearing(spread, ears(fabric, targets, level), level)))


def hears_any(fabric: Fabric, spread: Flood, targets: Iterable[Seat], level: Level) -> bool:
    """Whether any of some seats hears something of a closure."""
    return any(True for _ in _hearing(spread, ears(fabric, targets, level), level))


Ears = dict[int, list[tuple[BridgePort, int, list[Seat]]]]


def ears(fabric: Fabric, targets: Iterable[Seat], level: Level) -> Ears:
    """Who hears what, by bridge: the VIDs that leave by a port in the form of some seats."""
    listening: Ears = {}
    for seats in _hearing_alike(fabric, targets, level):
        for number, mask in audible(fabric, seats[0], level).items():
            port = fabric.bridge_ports[number]
            listening.setdefault(port.bridge, []).append((port, mask, seats))
    return listening


def _hearing_alike(fabric: Fabric, seats: Iterable[Seat], level: Level) -> Iterable[list[Seat]]:
    """Seats that hear the same, together. Hostile hosts hear every form, so all on a wire do: a
    trunk left at everything has thousands of seats.
    """
    if level != Level.HOSTILE:
        return ([seat] for seat in seats)
    by_end: dict[End, list[Seat]] = {}
    for seat in seats:
        by_end.setdefault(fabric.bridge_ports[seat.port].end, []).append(seat)
    return by_end.values()


def hearing(spread: Flood, listening: Ears, level: Level) -> Seat | None:
    """The first seat that hears something of a closure, if any does."""
    return min(_hearing(spread, listening, level), default=None)


def _hearing(spread: Flood, listening: Ears, level: Level) -> Iterator[Seat]:
    for bridge, ports in listening.items():
        present = spread.present(bridge)
        # A bridge that frames never get to says nothing.
        for port, mask, seats in ports if present else ():
            # Cheap masks first: what leaves is worked out only where they meet.
            if mask & present:
                leaving = union(spread.leaving(port, view) for view in views_at(port, level))
                if leaving & mask:
                    yield from seats


def find_leak(fabric: Fabric, sources: Iterable[Seat], targets: list[Seat], level: Level) -> Leak:
    """The shortest way from `sources` to any of `targets`, all of which the closure reaches, that
    can happen.
    """
    return find_way_to(fabric, sendings_of(fabric, sources, level), targets, level)


def find_way_to(
    fabric: Fabric,
    sendings: list[Sending],
    targets: list[Seat],
    level: Level,
    hears: Level | None = None,
) -> Leak:
    """The same from what is sent; those who hear may be of another level, `hears`."""
    by_bridge: dict[int, list[tuple[int, int]]] = {}
    for seats in _hearing_alike(fabric, targets, hears or level):
        for number, mask in audible(fabric, seats[0], hears or level).items():
            by_bridge.setdefault(fabric.bridge_ports[number].bridge, []).append((number, mask))

    def heard_by(state: State) -> int | None:
        for number, mask in by_bridge.get(state.bridge, ()):
            # Not back out of the port that it came in by.
            if mask >> state.vid & 1 and may_leave(fabric, state, fabric.bridge_ports[number]):
                return number
        return None

    goal: Goal = lambda state: heard_by(state) is not None  # noqa: E731
    goals = {mask for heard in by_bridge.values() for _, mask in heard}
    way = find_way(fabric, thinned(fabric, sendings, goals), goal, level)
    if way is None:
        return Leak(targets[0].port, None)
    target = heard_by(way.end)
    assert target is not None
    # A way that passes a bridge twice is no witness (FM 3.10).
    return Leak(target, way if way.simple else None)


def leak_steps(fabric: Fabric, leak: Leak) -> list[Step]:
    """A leak as steps, the last being heard at the target."""
    if leak.way is None:
        return []
    target = fabric.bridge_ports[leak.target]
    return [*tell(fabric, leak.way), heard_at(fabric, target, leak.way.end.vid)]


def blamed(
    fabric: Fabric, sources: frozenset[Seat], targets: list[Seat], leak: Leak, level: Level
) -> list[Blame]:
    """The lines to blame for a leak, each tried: is the leak gone without what it says?

    First the hops over which a frame changes its VLAN, and ports that can be lured; where no single
    one of them is needed, the ports at the two ends; where none of these is, all that this way
    changes its VLAN by.
    """
    if leak.way is None:
        return []

    def still(changed: Fabric) -> bool:
        return _still(changed, sources, targets, level)

    lines = [*_on_request(fabric, sources, targets, leak, level), *turning(fabric, leak.way, still)]
    # No single change of VLAN is needed: then who is in it.
    if not any(blame.alone for blame in lines):
        lines += _members(fabric, sources, targets, leak, level)
    return decisive(lines)


def turning(fabric: Fabric, way: Way, still: Callable[[Fabric], bool]) -> list[Blame]:
    """The two ends of each hop where a frame changes its VLAN; `still` tells if what is blamed is
    there without it.
    """
    blame, state = [], way.start
    for hop in way.hops:
        # Within one VLAN a hop turns nothing.
        if hop.arrives.vid != state.vid:
            crossings = dict(fabric.crossings)
            crossings[hop.leaves] = [
                # The one link as if it changed nothing; others at the port as they are.
                replace(c, translations=(), hidden=()) if c.link == hop.link else c
                for c in crossings[hop.leaves]
            ]
            alone = not still(replace(fabric, crossings=crossings))
            near, far = (
                fabric.resolved(fabric.bridge_ports[number])
                for number in (hop.leaves, hop.arrives.port)
            )
            leaves = why_leaves(fabric, near, state.vid, tagged=False)
            blame.append(
                Blame(
                    near.end.device,
                    near.end.port,
                    f"VLAN {state.vid} leaves untagged: {leaves.says}",
                    leaves.origin,
                    alone,
                )
            )
            arrives = why_arrives(fabric, far, hop.arrives.vid, hop.hidden)
            blame.append(
                Blame(
                    far.end.device,
                    far.end.port,
                    f"and arrives in VLAN {hop.arrives.vid}: {arrives.says}",
                    arrives.origin,
                    alone,
                )
            )
        state = hop.arrives
    return blame


def _on_request(
    fabric: Fabric, sources: frozenset[Seat], targets: list[Seat], leak: Leak, level: Level
) -> list[Blame]:
    """The ports at the ends of a way that are only part of it since a host there asks to be a
    trunk, or registers.
    """
    blame: list[Blame] = []
    assert leak.way is not None
    for number, vid in ((leak.way.start.port, leak.way.start.vid), (leak.target, leak.way.end.vid)):
        port = fabric.bridge_ports[number] if number >= 0 else None
        # A gateway asks for nothing; nor does what passes anyhow.
        if port is None or not port.on_request or (port.view.enters() | port.view.emit) >> vid & 1:
            continue
        ports = list(fabric.bridge_ports)
        ports[number] = replace(port, on_request=())
        alone = not _still(replace(fabric, bridge_ports=ports), sources, targets, level)
        resolved = fabric.resolved(fabric.bridge_ports[number])
        attribute = "negotiation" if negotiates(resolved.completed) else "registration"
        says = (
            f"a host that asks gets VLAN {vid} here: {attribute} is"
            f" {getattr(resolved.completed, attribute)}"
        )
        blame.append(
            Blame(port.end.device, port.port, says, decided_at(fabric, resolved, attribute), alone)
        )
    return blame


def _members(
    fabric: Fabric, sources: frozenset[Seat], targets: list[Seat], leak: Leak, level: Level
) -> list[Blame]:
    """What makes the two ends of a way members of the VLANs that they send and hear in."""
    assert leak.way is not None
    start, vid = leak.way.start, leak.way.end.vid
    blame = []
    # What a gateway sends is in its VLAN whoever is there.
    if start.port >= 0:
        one = fabric.resolved(fabric.bridge_ports[start.port])
        why = why_arrives(fabric, one, start.vid, leak.way.tagged or one.view.pvid != start.vid)
        alone = not _still(
            fabric, frozenset(s for s in sources if s.port != start.port), targets, level
        )
        blame.append(Blame(one.end.device, one.end.port, why.says, why.origin, alone))
    other = fabric.resolved(fabric.bridge_ports[leak.target])
    # Each of them hears it: without one the others do.
    alone = all(seat.port == leak.target for seat in targets)
    why = why_leaves(fabric, other, vid, not other.view.untagged >> vid & 1)
    blame.append(Blame(other.end.device, other.end.port, why.says, why.origin, alone))
    # It hears one VLAN and sends into another: both lines made it so.
    if other.view.pvid and other.view.pvid != vid:
        why = why_arrives(fabric, other, other.view.pvid, False)
        blame.append(Blame(other.end.device, other.end.port, why.says, why.origin, alone))
    return blame


def _still(fabric: Fabric, sources: frozenset[Seat], targets: list[Seat], level: Level) -> bool:
    """True if any of the targets hears something of the sources in a fabric."""
    return hears_any(fabric, closure(fabric, sources, level), targets, level)
