"""What the naive simulator says of a claim: one seat and one frame at a time."""

from __future__ import annotations

from collections.abc import Iterable
from copy import copy
from fnmatch import fnmatchcase as fnmatch

from inkov.campus import Campus, Mode, PortKind
from inkov.forwarding import Fabric
from inkov.levels import Level
from inkov.plan import Claim
from inkov.proofs.seats import Seat, all_seats
from tests.campuses import VIDS
from tests.simulator import At, Simulator, said


class Oracle:
    """`on_wires`: a host is at all ends of its wire (FM 4.9), as claims have it; otherwise at that
    of its seat.
    """

    def __init__(self, campus: Campus, fabric: Fabric, *, on_wires: bool = True) -> None:
        self.sim = Simulator(campus)
        self.fabric = fabric
        self.on_wires = on_wires

    def _place(self, seat: Seat) -> tuple[str, str]:
        port = self.fabric.bridge_ports[seat.port]
        return port.end.device, port.end.port if self.fabric.is_implied(port) else port.port

    def starts(self, seat: Seat, level: Level) -> set[At]:
        """What the host in a seat puts on the bridge of its port."""
        sim = self.sim
        sim.hostile = level == Level.HOSTILE
        outer = self._wire(self._place(seat))[1]
        tags: set[int | None] = {None, *VIDS} if sim.hostile else {outer or seat.tag or None}
        return {at for end in self._ends(seat) for tag in tags for at in sim.arrive(end, tag)}

    def _ends(self, seat: Seat) -> set[tuple[str, str]]:
        """The ends that a host is at."""
        end = self._wire(self._place(seat))[0]
        return {end, *self.sim.cables.get(end, ())} if self.on_wires else {end}

    def _wire(self, place: tuple[str, str]) -> tuple[tuple[str, str], int]:
        """The end whose wire a port is on, and the tag it wears there (0 for none)."""
        p = self.sim.port(place)
        if p.kind is PortKind.SUB and p.parent and p.outer:
            return self.sim.forwards_as(place[0], p.parent.value), p.outer.value
        return place, 0

    def onward(self, at: At) -> set[At]:
        sim = self.sim
        found = set()
        for out, tag, _ in sim.spread(at):
            for far in sim.cables.get(self._wire(out)[0], ()):
                shown = {tag, *VIDS} if sim.hostile and tag is None else {tag}
                found |= {a for t in shown for a in sim.arrive(far, t)}
        return found

    def heard(self, at: At, targets: set[Seat], level: Level) -> bool:
        """True if a frame on a bridge leaves by the port of a target in the form that its host
        hears.
        """
        own, self.sim.hostile = self.sim.hostile, level == Level.HOSTILE
        leaving = self.sim.spread(at)
        self.sim.hostile = own
        for out, tag, _ in leaving:
            for seat in targets:
                outer = self._wire(self._place(seat))[1]
                if self._wire(out)[0] in self._ends(seat) and (
                    level == Level.HOSTILE or (tag or 0) == (outer or seat.tag)
                ):
                    return True
        return False

    def forms(self, places: Iterable[At], level: Level) -> set[tuple[tuple[str, str], int]]:
        """The ends by which frames in some places leave, each with the tag that they wear there."""
        own, self.sim.hostile = self.sim.hostile, level == Level.HOSTILE
        found = {
            (self._wire(out)[0], tag or 0) for at in places for out, tag, _ in self.sim.spread(at)
        }
        self.sim.hostile = own
        return found

    def hears(self, seat: Seat, forms: set[tuple[tuple[str, str], int]], level: Level) -> bool:
        """True if a host hears any of some forms: a hostile one any at its end."""
        ends, outer = self._ends(seat), self._wire(self._place(seat))[1]
        if level == Level.HOSTILE:
            return any(one in ends for one, _ in forms)
        return any((end, outer or seat.tag) in forms for end in ends)

    def everywhere(self, seats: Iterable[Seat], level: Level) -> set[At]:
        """Where frames of some seats can be, over all links that are up."""
        seen = {at for seat in seats for at in self.starts(seat, level)}
        work = list(seen)
        while work:
            new = self.onward(work.pop()) - seen
            seen |= new
            work.extend(new)
        return seen

    def leaks(self, sources: set[Seat], targets: set[Seat], level: Level) -> bool:
        """True if any frame of a source gets to a target."""
        return any(self.heard(at, targets, level) for at in self.everywhere(sources, level))

    def joined(self, seats: frozenset[Seat]) -> bool:
        """True if all of some seats hear each other, those at other ports than their own."""
        own, alone = set(seats), self._seat_by_seat()
        return all(
            alone.leaks({one}, {other}, Level.HONEST)
            for one in own
            for other in own
            if self._place(one) != self._place(other)
        )

    def _seat_by_seat(self) -> Oracle:
        """What `join` and `carried-by` ask: each seat by itself."""
        alone = copy(self)
        alone.on_wires = False
        return alone

    def strays(self, claim: Claim) -> bool:
        """True if any frame of the VLANs of a claim `carried-by` gets where they may not be."""
        carried, sim = claim.carried_by, self.sim
        assert carried is not None
        on, over = carried.on, carried.over
        members = (seat for seat in all_seats(self.fabric) if seat.vid in carried.vlans)
        for at in self._seat_by_seat().everywhere(members, claim.level):
            if on is not None and not any(fnmatch(at.device, pattern) for pattern in on):
                return True
            for near in (
                {self._wire(out)[0] for out, _, _ in sim.spread(at)} if over is not None else ()
            ):
                ends = [near, *sim.cables[near]] if near in sim.cables else []
                if ends and not any(
                    fnmatch(":".join(end), pattern) for end in ends for pattern in over or ()
                ):
                    return True
        return False

    def shortest(self, sources: set[Seat], targets: set[Seat], level: Level) -> int | None:
        """The fewest links by which some frame gets to a target passing no bridge twice; None if
        none does.
        """
        ways = {
            (at, frozenset([self._bridge(at)]))
            for seat in sources
            for at in self.starts(seat, level)
        }
        for length in range(len(self.fabric.bridges)):
            if any(self.heard(at, targets, level) for at in {at for at, _ in ways}):
                return length
            onward = {at: self.onward(at) for at in {at for at, _ in ways}}
            ways = {
                (to, passed | {self._bridge(to)})
                for at, passed in ways
                for to in onward[at]
                if self._bridge(to) not in passed
            }
        return None

    def _bridge(self, at: At) -> tuple[str, str]:
        place = at.device, at.port
        if said(self.sim.port(place).mode, None) is Mode.ROUTED:
            return at.device, f"routed {at.port}"
        return at.device, self.sim.bridge(place)
