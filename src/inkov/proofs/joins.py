"""Do members of a VLAN hear each other? By links that pass it both ways, or else by the closure of
each (FM 6.6).
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import cached_property
from itertools import permutations
from typing import Any

from inkov.campus import Origin
from inkov.forwarding import Fabric
from inkov.forwarding.assumptions import passed_by
from inkov.forwarding.domains import Domains, breaks, islands
from inkov.forwarding.follow import follow
from inkov.forwarding.reasons import why_stopped
from inkov.proofs.certificate import certified, passing, spanning, way_of
from inkov.proofs.leaks import closure, find_leak, leak_steps, reached, sendings_of
from inkov.proofs.seats import Seat
from inkov.proofs.verdict import BROKEN, HOLDS, Verdict

__all__ = ["Joins", "explain_where_it_stops"]

_MOST_PAIRS = 200  # of members of a join whose ways to each other are certified one by one


class Joins:
    """Judges joins. `assume` notes what a verdict rests on, given the devices that its frames
    pass.
    """

    def __init__(self, fabric: Fabric, assume: Callable[[Verdict, set[str]], None]) -> None:
        self.fabric = fabric
        self.assume = assume

    @cached_property
    def passing(self) -> list[tuple[int, int, int]]:
        return passing(self.fabric)

    def judge(self, seats: frozenset[Seat], verdict: Verdict) -> None:
        """Whether some seats all hear each other: by links that pass their VLAN both ways, or else
        exactly, group by group of seats whose frames go the same ways. Hosts are honest here: what
        one could do is no connection.
        """
        if self._plainly(seats, verdict):
            return
        for group in self._alike(seats):
            spread = closure(self.fabric, group, "honest")
            own = {seat.port for seat in group}
            self.assume(verdict, passed_by(spread))
            wanted = [s for s in seats if s.port not in own or len(group) > 1]
            deaf = set(wanted) - set(reached(self.fabric, spread, wanted, "honest"))
            if deaf:
                verdict.verdict = BROKEN
                explain_where_it_stops(
                    self.fabric, frozenset([min(group)]), frozenset([min(deaf)]), verdict
                )
                self._apart(min(group), min(deaf), verdict)
                return
        pairs = [
            (one, other)
            for one in sorted(seats)
            for other in sorted(seats)
            if one.port != other.port
        ]
        if len(pairs) <= _MOST_PAIRS:
            leaks = [find_leak(self.fabric, [one], [other], "honest") for one, other in pairs]
            if all(leak.way is not None for leak in leaks):
                verdict.certificate["ways"] = [
                    {
                        "from": self._named(one),
                        "to": self._named(other),
                        "way": way_of(leak_steps(self.fabric, leak)),
                    }
                    for (one, other), leak in zip(pairs, leaks, strict=True)
                ]

    def _named(self, seat: Seat) -> list[Any]:
        """A seat as certificates name it: its port, and its tag."""
        port = self.fabric.bridge_ports[seat.port]
        return [f"{port.end.device}:{port.port}", seat.tag]

    def _plainly(self, seats: frozenset[Seat], verdict: Verdict) -> bool:
        """Judge a join of hosts in one VLAN by links alone, without any flood; False if that does
        not do.
        """
        vids, ports = {seat.vid for seat in seats}, self.fabric.bridge_ports
        if len(vids) != 1:
            return False
        vid = min(vids)
        for seat in seats:
            view, outer = ports[seat.port].view, ports[seat.port].outer
            keeps = (view.emit & ~view.untagged if seat.tag else view.untagged) >> vid & 1
            if view.protected or outer or not keeps:
                return False
        return self._linked(vid, {ports[seat.port].bridge for seat in seats}, verdict)

    def _linked(self, vid: int, bridges: Iterable[int], verdict: Verdict) -> bool:
        """Whether links that pass a VLAN both ways join some bridges; if so, they are the
        certificate.
        """
        joined = spanning(self.fabric, self.passing, vid)
        tops = {joined.top(bridge) for bridge in bridges}
        if len(tops) > 1:
            return False
        every = enumerate(self.fabric.bridges)
        self.assume(
            verdict, {i.device for n, i in every if i.live >> vid & 1 and joined.top(n) in tops}
        )
        verdict.certificate |= {"edges": joined.edges}
        return True

    def _apart(self, one: Seat, other: Seat, verdict: Verdict) -> bool:
        """Certify that one seat is not heard in another; False if it is."""
        spread = closure(self.fabric, [one], "honest")
        if reached(self.fabric, spread, [other], "honest"):
            return False
        closures = [certified(self.fabric, spread, frozenset([other]))]
        verdict.certificate |= {
            "from": self._named(one),
            "to": self._named(other),
            "closures": closures,
        }
        return True

    def _alike(self, seats: frozenset[Seat]) -> list[list[Seat]]:
        """Seats whose frames go the same ways: of one VLAN on one bridge, protected or not."""
        found: dict[tuple[int, int, int, bool], list[Seat]] = {}
        for seat in sorted(seats):
            port = self.fabric.bridge_ports[seat.port]
            found.setdefault((port.bridge, seat.vid, seat.tag, port.view.protected), []).append(
                seat
            )
        return list(found.values())

    def none_split(self, found: Domains, seats: Sequence[Seat]) -> Iterator[Verdict]:
        """For each VLAN with members on several switches: they all talk with each other."""
        fabric = self.fabric
        by_vid: dict[int, list[Seat]] = {}
        for seat in seats:
            by_vid.setdefault(seat.vid, []).append(seat)
        for vid, split in islands(fabric, found):
            if sum(len(island.bridges) for island in split) < 2:
                continue
            verdict = Verdict(f"VLAN {vid} is not split", "whole", "honest", 2, HOLDS, "", Origin())
            verdict.certificate = {"vlans": str(vid)}
            if len(split) == 1:
                verdict.because = (
                    f"its members on {len(split[0].bridges)} switches talk with each other"
                )
                self._linked(vid, split[0].bridges, verdict)
            else:
                verdict.verdict = BROKEN
                gaps = breaks(fabric, found, vid, split)
                apart = "; ".join(", ".join(island.devices(fabric)[:5]) for island in split[:4])
                why = why_stopped(fabric, gaps[0].link, vid) if gaps else None
                verdict.because = f"it falls into {len(split)} parts: {apart}" + (
                    f": {why.says}" if why else ""
                )
                verdict.origin = why.origin if why else Origin()
                members = [
                    [
                        s
                        for s in by_vid.get(vid, ())
                        if fabric.bridge_ports[s.port].bridge in part.bridges
                    ]
                    for part in split
                ]
                hosts = [min(own) for own in members if own][:4]
                for one, other in permutations(
                    hosts, 2
                ):  # of two parts one may hear the other, one way
                    if self._apart(one, other, verdict):
                        break
            yield verdict


def explain_where_it_stops(
    fabric: Fabric, one: frozenset[Seat], other: frozenset[Seat], verdict: Verdict
) -> None:
    """Tell where what one side sends stops on its way to the other."""
    if not one or not other:
        verdict.because = "one side has no port that is on"
        return
    source, target = fabric.bridge_ports[min(one).port], fabric.bridge_ports[min(other).port]
    story = follow(
        fabric, sendings_of(fabric, [min(one)], verdict.level), source.end, target, verdict.level
    )
    verdict.witness = story.steps
    last = story.steps[-1]
    verdict.because = f"what {source.end} sends does not arrive at {target.end}: {last.because}"
