"""All pairs of seats that hear or reach each other, one by one: what `inkov.effects` must say."""

from __future__ import annotations

from inkov.campus import Campus
from inkov.forwarding import Fabric, resolve
from inkov.levels import Level
from inkov.proofs.leaks import closure, reached
from inkov.proofs.seats import Seat, all_seats
from inkov.wiring import wire
from tests.campuses import VIDS
from tests.proofs.oracle import Oracle
from tests.proofs.test_packets import Packets

__all__ = ["WORTH", "Name", "Pairs", "flooded", "heard", "name_of", "passed"]

Name = tuple[str, str, int]
Pairs = set[tuple[Name, Name]]
WORTH = {0, 2, *VIDS}
"""The tags that are tried: those that the campuses use, and one that nobody does."""


def heard(campus: Campus, level: Level) -> Pairs:
    """Who hears whom, by the naive simulator."""
    fabric = resolve(campus, wire(campus))
    oracle = Oracle(fabric.campus, fabric, on_wires=False)
    seats = _worth(fabric)
    pairs: Pairs = set()
    for one in seats:
        forms = oracle.forms(oracle.everywhere({one}, level), level)
        for other in seats:
            apart = _wire(fabric, one) != _wire(fabric, other)
            if apart and oracle.hears(other, forms, level):
                pairs.add((name_of(fabric, one), name_of(fabric, other)))
    return pairs


def flooded(campus: Campus, level: Level, among: Pairs | None = None) -> Pairs:
    """Who hears whom (of some pairs, if they are given), by a flood from each seat: for campuses
    that the simulator does not know, as those with a cable to a port that is not there.
    """
    fabric = resolve(campus, wire(campus))
    seats = {name_of(fabric, seat): seat for seat in _worth(fabric)}
    pairs: Pairs = set()
    for name, one in seats.items():
        others = [
            other
            for far, other in seats.items()
            if _wire(fabric, one) != _wire(fabric, other)
            and (among is None or (name, far) in among)
        ]
        if others:
            spread = closure(fabric, [one], level)
            pairs |= {(name, name_of(fabric, o)) for o in reached(fabric, spread, others, level)}
    return pairs


def passed(campus: Campus, level: Level) -> dict[tuple[Name, Name], int]:
    """Of whom packets get to whom by routers, packet by packet: 2 where all of some subnet do, 1
    where any does.
    """
    fabric = resolve(campus, wire(campus))
    packets = Packets(campus, on_wires=False)
    seats = [seat for seat in _worth(fabric) if seat.vid or not seat.tag]
    found: dict[tuple[Name, Name], int] = {}
    for one in seats:
        for other in seats:
            if _wire(fabric, one) != _wire(fabric, other):
                sides = packets.same(fabric, {one}), packets.same(fabric, {other})
                some, every, _ = packets.fates(*sides, level)
                if some:
                    found[name_of(fabric, one), name_of(fabric, other)] = 2 if every else 1
    return found


def _worth(fabric: Fabric) -> list[Seat]:
    return [seat for seat in all_seats(fabric) if seat.tag in WORTH]


def _wire(fabric: Fabric, seat: Seat) -> tuple[str, str]:
    end = fabric.bridge_ports[seat.port].end
    return end.device, end.port


def name_of(fabric: Fabric, seat: Seat) -> Name:
    """A seat by switch, port and tag."""
    port = fabric.bridge_ports[seat.port]
    return port.end.device, port.port, seat.tag
