"""All pairs of seats that hear each other, one frame at a time: what `inkov.effects` must say."""

from __future__ import annotations

from inkov.campus import Campus
from inkov.forwarding import Fabric, resolve
from inkov.levels import Level
from inkov.plan import Plan
from inkov.proofs.leaks import closure, hears_any
from inkov.proofs.seats import all_seats
from inkov.wiring import wire
from tests.campuses import VIDS
from tests.proofs.oracle import Oracle

Name = tuple[str, str, int]
Pairs = set[tuple[Name, Name]]
WORTH = {0, 2, *VIDS}
"""The tags that are tried: those that the campuses use, and one that nobody does."""


def heard_by_frames(campus: Campus, level: Level) -> Pairs:
    """By the naive simulator."""
    fabric = resolve(campus, wire(campus))
    oracle = Oracle(fabric.campus, fabric)
    seats = [seat for seat in all_seats(fabric) if seat.tag in WORTH]
    pairs: Pairs = set()
    for one in seats:
        work = oracle.starts(one, level)
        seen = set(work)
        while work:
            new = set().union(*(oracle.onward(at) for at in work)) - seen
            seen |= new
            work = new
        for other in seats:
            if wire_of(fabric, one.port) != wire_of(fabric, other.port):
                if any(oracle.heard(at, {other}, level) for at in seen):
                    pairs.add((name_of(fabric, one), name_of(fabric, other)))
    return pairs


def heard_by_floods(campus: Campus, level: Level) -> Pairs:
    """By the engine, pair by pair: faster, for many campuses."""
    fabric = resolve(campus, wire(campus))
    seats = [seat for seat in all_seats(fabric) if seat.tag in WORTH]
    pairs: Pairs = set()
    for one in seats:
        spread = closure(fabric, [one], level)
        for other in seats:
            if wire_of(fabric, one.port) != wire_of(fabric, other.port):
                if hears_any(fabric, spread, [other], level):
                    pairs.add((name_of(fabric, one), name_of(fabric, other)))
    return pairs


def wire_of(fabric: Fabric, port: int) -> tuple[str, str]:
    end = fabric.bridge_ports[port].end
    return end.device, end.port


def name_of(fabric: Fabric, seat: object) -> Name:
    port = fabric.bridge_ports[seat.port]  # type: ignore[attr-defined]
    return port.end.device, port.port, seat.tag  # type: ignore[attr-defined]
