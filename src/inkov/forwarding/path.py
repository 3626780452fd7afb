"""The way of a frame, hop by hop: the shortest one, and one that can happen within a single tree
(FM 3.10).

The closure of `reach` says who can be reached over all links that are up. Within a spanning tree a
frame passes each bridge at most once. A way found here that does so is a witness; one that cannot
avoid passing a bridge twice is none.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import NamedTuple

from inkov.forwarding.fabric import BridgePort, Fabric
from inkov.forwarding.reach import Sending, views_at
from inkov.levels import Level
from inkov.vlanset import bits, union

__all__ = ["Hop", "State", "Way", "find_way", "may_leave", "onward", "to_port", "to_present"]

# of the search for a way that passes no bridge twice; beyond it the answer is "not known"
_MOST_STEPS = 200_000


class State(NamedTuple):
    """A frame on a bridge: it came in by bridge port `port` (negative: from the device itself) in
    VLAN `vid`.
    """

    bridge: int
    port: int
    vid: int


class Hop(NamedTuple):
    """One link crossed: the frame leaves by `leaves`, over link `link`, and is then `arrives`.

    `hidden`: what the far end sees is a tag that was hidden behind the one taken off here.
    """

    leaves: int
    link: int
    arrives: State
    hidden: bool


class Way(NamedTuple):
    """`start`, then the hops. `simple` is true if no bridge is passed twice; None if that was not
    settled. `tagged`: the frame is sent with a tag, even if one without would get in as well.
    """

    start: State
    hops: tuple[Hop, ...]
    simple: bool | None
    tagged: bool = False

    @property
    def end(self) -> State:
        return self.hops[-1].arrives if self.hops else self.start

    @property
    def bridges(self) -> list[int]:
        return [self.start.bridge, *(hop.arrives.bridge for hop in self.hops)]


Goal = Callable[[State], bool]


def to_port(fabric: Fabric, target: int, level: Level, vid: int | None = None) -> Goal:
    """Reached where the frame leaves by bridge port `target` (as VLAN `vid`, if given)."""
    port = fabric.bridge_ports[target]
    # What it may send on request counts as well, at the hostile level.
    emit = union(view.emit for view in views_at(port, level))
    if vid is not None:
        emit &= 1 << vid

    def reached(state: State) -> bool:
        return (
            state.bridge == port.bridge
            and bool(emit >> state.vid & 1)
            and may_leave(fabric, state, port)
        )

    return reached


def to_present(bridge: int, vids: int) -> Goal:
    """Reached where the frame is on a bridge in one of some VLANs, a mask: what a gateway there
    hears.
    """
    return lambda state: state.bridge == bridge and bool(vids >> state.vid & 1)


def find_way(fabric: Fabric, sendings: Iterable[Sending], goal: Goal, level: Level) -> Way | None:
    """The shortest way from one of `sendings` to the goal; a longer one instead, if only that
    passes no bridge twice: the shortest of these, too, unless the search for it takes too long.
    """
    sendings = list(sendings)
    way = _find_way(fabric, sendings, goal, level)
    if way is None:
        return None
    start, bit = way.start, 1 << way.start.vid
    forms = {
        bool(sending.tagged & bit)
        for sending in sendings
        if (sending.bridge, sending.port) == (start.bridge, start.port) and sending.mask & bit
    }
    return way._replace(tagged=forms == {True})


def _find_way(fabric: Fabric, sendings: list[Sending], goal: Goal, level: Level) -> Way | None:
    starts = [
        State(sending.bridge, sending.port, vid)
        for sending in sendings
        for vid in bits(sending.mask & fabric.bridges[sending.bridge].live)
    ]
    shortest = _shortest(fabric, starts, goal, level)
    # A way that passes no bridge twice already is the one wanted.
    if shortest is None or len(set(shortest.bridges)) == len(shortest.bridges):
        return shortest
    budget = _Budget(_MOST_STEPS)
    # One hop more each time: the first that is found is the shortest of its kind.
    for longest in range(len(shortest.hops), len(fabric.bridges)):
        budget.cut = False
        for start in starts:
            hops = _simple(fabric, start, goal, level, budget, longest)
            if hops is not None:
                return Way(start, hops, True)
        # Nothing was left out for its length: there is no such way, however long.
        if budget.left <= 0 or not budget.cut:
            break
    # The search came to its end: only ways that pass a bridge twice are there.
    if budget.left > 0:
        return shortest._replace(simple=False)
    # Too much to try them by length: any way without a repeat will do.
    budget = _Budget(_MOST_STEPS)
    for start in starts:
        hops = _simple(fabric, start, goal, level, budget, len(fabric.bridges))
        if hops is not None:
            return Way(start, hops, True)
    return shortest._replace(simple=False if budget.left > 0 else None)


def may_leave(fabric: Fabric, state: State, port: BridgePort) -> bool:
    """Not back by the port it came by (FM 3.5), not from protected to protected (FM 3.6)."""
    if port.number == state.port:
        return False
    return not (
        # The device itself (a negative port) is no protected port.
        port.view.protected and state.port >= 0 and fabric.bridge_ports[state.port].view.protected
    )


def onward(fabric: Fabric, state: State, level: Level) -> Iterator[Hop]:
    """Every link that a frame on a bridge crosses next, each way that it may arrive there."""
    bit = 1 << state.vid
    for number in fabric.bridges[state.bridge].ports:
        # A port without a link leads nowhere further.
        if number not in fabric.crossings:
            continue
        port = fabric.bridge_ports[number]
        emitted = port.view.emit
        for view in port.on_request if level == Level.HOSTILE else ():
            emitted |= view.emit
        if not emitted & bit or not may_leave(fabric, state, port):
            continue
        for crossing in fabric.crossings[number]:
            lured = crossing.lured if level == Level.HOSTILE else ()
            for to, mask in (*crossing.same, *lured):
                if mask & bit:
                    yield Hop(
                        number,
                        crossing.link,
                        State(fabric.bridge_ports[to].bridge, to, state.vid),
                        False,
                    )
            for translations, hidden in (
                (crossing.translations, False),
                (crossing.hidden if level == Level.HOSTILE else (), True),
            ):
                for to, leaves, arrives in translations:
                    if leaves & bit:
                        for vid in bits(arrives):
                            yield Hop(
                                number,
                                crossing.link,
                                State(fabric.bridge_ports[to].bridge, to, vid),
                                hidden,
                            )


def _shortest(fabric: Fabric, starts: list[State], goal: Goal, level: Level) -> Way | None:
    came: dict[State, Hop | None] = dict.fromkeys(starts)
    before: dict[State, State] = {}
    queue = list(came)
    for state in queue:
        if goal(state):
            hops: list[Hop] = []
            start = state
            while (hop := came[start]) is not None:
                hops.append(hop)
                start = before[start]
            return Way(start, tuple(reversed(hops)), True)
        for hop in onward(fabric, state, level):
            # Breadth first: what is found first is found by the fewest hops.
            if hop.arrives not in came:
                came[hop.arrives] = hop
                before[hop.arrives] = state
                queue.append(hop.arrives)
    return None


class _Budget:
    """The steps that a search may still take, and whether it left out ways that are too long."""

    def __init__(self, steps: int) -> None:
        self.left = steps
        self.cut = False


def _simple(
    fabric: Fabric, start: State, goal: Goal, level: Level, budget: _Budget, longest: int
) -> tuple[Hop, ...] | None:
    """A way from `start` that passes no bridge twice, of `longest` hops at most, by depth-first
    search.
    """
    if goal(start):
        return ()
    path: list[Hop] = []
    visited = {start.bridge}
    stack = [onward(fabric, start, level)]
    while stack:
        budget.left -= 1
        # Out of steps: not known whether there is one.
        if budget.left <= 0:
            return None
        hop = next(stack[-1], None)
        if hop is None:
            stack.pop()
            if path:
                visited.discard(path.pop().arrives.bridge)
            continue
        # A spanning tree passes no bridge twice.
        if hop.arrives.bridge in visited:
            continue
        if goal(hop.arrives):
            return (*path, hop)
        # Longer than is wanted now: noted, since a longer search may find it.
        if len(path) + 1 >= longest:
            budget.cut = True
            continue
        path.append(hop)
        visited.add(hop.arrives.bridge)
        stack.append(onward(fabric, hop.arrives, level))
    return None
