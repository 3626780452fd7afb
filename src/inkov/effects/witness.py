"""The way of one pair, step by step: how it gets there after a change, or where it stops."""

from __future__ import annotations

from inkov.campus import Origin
from inkov.effects.relation import Relation
from inkov.effects.side import SeatName, Side
from inkov.forwarding import Fabric
from inkov.forwarding.follow import Event, Step, follow_to, follow_to_host, follow_to_router
from inkov.forwarding.reach import Sending
from inkov.forwarding.reasons import why_dropped
from inkov.forwarding.routers import Fate, Path, networks
from inkov.forwarding.stations import Interface, interfaces
from inkov.levels import Layer, Level
from inkov.proofs.leaks import find_leak, leak_steps, sendings_of
from inkov.proofs.routed import Passage, Routing, senders
from inkov.proofs.vid_reach import VidReach
from inkov.wiring import End

__all__ = ["lost_way", "new_way"]


def new_way(
    relation: Relation, layer: Layer, source: SeatName, target: SeatName
) -> tuple[list[Step], bool]:
    """How the second of a pair is reached after the change, and whether that can happen in a single
    tree.
    """
    side = relation.sides[1]
    one, other = side.seats[source], side.seats[target]
    # By frames: the way of the leak.
    if layer == Layer.FRAMES:
        leak = find_leak(side.fabric, [one], [other], relation.level)
        return leak_steps(side.fabric, leak), leak.way is not None
    path = _path(relation, 1, source, target)
    assert path is not None
    told = _routing(side, relation).steps_of(
        frozenset([one]), Passage(path, other), frozenset([other]), relation.level
    )
    return told.steps, told.simple


def lost_way(relation: Relation, layer: Layer, source: SeatName, target: SeatName) -> list[Step]:
    """Where what one of a pair sends to the other stops after the change."""
    fabric = relation.sides[1].fabric
    for name in (source, target):
        gone = _gone(fabric, name)
        # Gone altogether: nothing has to be followed.
        if gone is not None:
            return [gone]
    if layer == Layer.PACKETS:
        return _packets_lost(relation, source, target)
    return _frames_lost(relation, source, target)


def _gone(fabric: Fabric, name: SeatName) -> Step | None:
    """That a switch or a port is not there any more."""
    if name.switch not in fabric.campus.devices:
        return _stop(name.switch, "", f"{name.switch} is not among the files any more", Origin())
    device = fabric.device(name.switch)
    # The port is gone, its switch is not.
    if End(name.switch, name.port) not in fabric.ports:
        says = f"{name.switch} has no port {name.port} any more"
        return _stop(name.switch, name.port, says, device.origin)
    return None


def _frames_lost(relation: Relation, source: SeatName, target: SeatName) -> list[Step]:
    side = relation.sides[1]
    seat = side.seats.get(source)
    sendings = sendings_of(side.fabric, [seat], relation.level) if seat is not None else []
    # Nothing gets into the switch at all.
    if not sendings:
        own = side.fabric.ports[side.fabric.end_of(source.switch, source.port)]
        why = why_dropped(side.fabric, own, source.tag or None)
        return [_stop(source.switch, source.port, why.says, why.origin)]
    start, end = (End(name.switch, name.port) for name in (source, target))
    return follow_to_host(side.fabric, sendings, start, end, relation.level, target.tag).steps


def _packets_lost(relation: Relation, source: SeatName, target: SeatName) -> list[Step]:
    """Where a packet stops after the change that routers passed before it: on its old way, at the
    first place that does not let it on.
    """
    path = _path(relation, 0, source, target)
    side = relation.sides[1]
    assert path is not None
    fabric, seat = side.fabric, side.seats.get(source)
    now = {
        (interface.device, interface.name): interface
        for interface in interfaces(fabric, relation.level)
    }
    start = End(source.switch, source.port)
    if seat is None:
        # Not even a frame can be sent.
        return _frames_lost(relation, source, target)
    into, out = (now.get((interface.device, interface.name)) for interface in (path.into, path.out))
    for was, then in ((path.into, into), (path.out, out)):
        stop = _down(fabric, was, then)
        # The gateway itself is gone or down.
        if stop is not None:
            return [stop]
    assert into is not None and out is not None
    sendings = sendings_of(fabric, [seat], relation.level)
    story = follow_to_router(fabric, sendings, start, into)
    # The packet does not get to its gateway.
    if not story.arrives:
        return story.steps
    stop = _filtered(relation, into, out, path)
    # A filter stops it.
    if stop is not None:
        return [*story.steps, stop]
    sent = relation.routed[1].sent
    frames = sent.router(out)
    # The router's own frame does not get there.
    if side.seats.get(target) is None or sent.ear(side.seats[target]) not in sent.hearers(frames):
        sendings = [Sending(-1, 1 << out.vid, out.bridge)]
        far = follow_to(
            fabric,
            sendings,
            End(out.device, out.name),
            End(target.switch, target.port),
            Level.HONEST,
            target.tag,
        )
        return [*story.steps, *far.steps]
    says = "the routers between do not know of each other any more"
    return [*story.steps, _stop(into.device, into.name, says, into.origin)]


def _down(fabric: Fabric, was: Interface, now: Interface | None) -> Step | None:
    """That a gateway is gone or down."""
    # The switch went with it.
    if now is None:
        gone = was.device not in fabric.campus.devices
        origin = Origin() if gone else fabric.device(was.device).origin
        says = f"{was.label} is not there any more: nothing routes for it"
        return _stop(was.device, was.name, says, origin)
    if now.why_down:
        return _stop(now.device, now.name, f"{now.label} is down: {now.why_down}", now.origin)
    return None


def _filtered(relation: Relation, into: Interface, out: Interface, path: Path) -> Step | None:
    """The filter that stops a packet, or some of it, if one does."""
    routers = relation.routed[1].routers
    ends = senders(into, relation.level), networks(out)
    worst: tuple[Fate, Step] | None = None
    for interface, bound in ((into, into.filters_in), (out, out.filters_out)):
        fate, says = routers.filtered(interface, bound, *ends)
        # What stops all of it is worse than what stops a part.
        if fate != Fate.PASSES and (worst is None or fate == Fate.STOPPED):
            filters = relation.sides[1].fabric.device(interface.device).filters
            origin = next((filters[n].origin for n in bound if n in filters), interface.origin)
            worst = fate, _stop(interface.device, interface.name, says, origin)
    return worst[1] if worst is not None else None


def _path(relation: Relation, side: int, source: SeatName, target: SeatName) -> Path | None:
    routed, seats = relation.routed[side], relation.sides[side].seats
    sender = relation.hearing[side].sender(seats[source])
    return routed.path(sender, routed.sent.ear(seats[target]))


def _routing(side: Side, relation: Relation) -> Routing:
    seats = list(side.seats.values())
    reaches: dict[Level, VidReach] = {}

    def vid_reach(level: Level) -> VidReach:
        if level not in reaches:
            reaches[level] = VidReach(side.fabric, seats, level)
        return reaches[level]

    return Routing(side.fabric, relation.routed[relation.sides.index(side)].routers, vid_reach)


def _stop(device: str, port: str, says: str, origin: Origin) -> Step:
    return Step(device, port, Event.STOPS, None, False, says, origin)
