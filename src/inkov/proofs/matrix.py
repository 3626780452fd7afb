"""Who reaches whom: segments × segments, or hosts × hosts.

A cell that would be otherwise if a neighbour without a file passed frames on (FM 4.7) is not known.
What nobody knows of ports and links besides is told beside the cells.
"""

from __future__ import annotations

from enum import StrEnum

from msgspec import Struct

from inkov.forwarding import Fabric
from inkov.forwarding.outsiders import as_switches
from inkov.levels import Level
from inkov.plan import Plan
from inkov.proofs.leaks import closure, hears_any
from inkov.proofs.prove import Prover
from inkov.proofs.seats import Seat

__all__ = ["Cell", "Matrix", "Reach", "in_each_outcome", "matrix"]


class Reach(StrEnum):
    """How one side reaches the other.

    SAME: both hear each other; LEAKS: one way only; ROUTED: by routers; PART: by routers, but a
    filter stops some of it; APART: not at all; CHANCE: not so in each outcome of the trees;
    UNKNOWN: it hangs on a neighbour of which nothing is known.
    """

    SAME = "same"
    LEAKS = "leaks"
    ROUTED = "routed"
    PART = "part"
    APART = "apart"
    CHANCE = "by chance"
    UNKNOWN = "not known"


class Cell(Struct):
    """How one side reaches the other, and by which gateways (`via`) if by any."""

    one: str
    other: str
    how: Reach
    via: str = ""


class Matrix(Struct):
    """The cells, and what nobody knows that they rest on, as sentences."""

    cells: list[Cell]
    assumes: list[str]


def matrix(
    fabric: Fabric, plan: Plan, level: Level = Level.HONEST, *, hosts: bool = False
) -> Matrix:
    """Every ordered pair of segments (of VLANs in use, without a plan), or of named hosts."""
    prover = Prover(fabric, plan)
    cells = _cells(prover, level, hosts=hosts)
    everywhere = prover.assumptions.about(set(fabric.campus.devices), level)
    assumes = prover.assumptions.unsafe(everywhere, wanted=False)
    outsiders = as_switches(fabric, prover.domains)
    if outsiders is None:
        return Matrix(cells, assumes)
    otherwise: dict[tuple[str, str], Reach] = {}
    if outsiders.fabric is not None:
        wider = _cells(Prover(outsiders.fabric, plan), level, hosts=hosts)
        otherwise = {(cell.one, cell.other): cell.how for cell in wider}
    for cell in cells:
        stops = cell.how in (Reach.APART, Reach.PART)  # a leak stays one
        if stops and otherwise.get((cell.one, cell.other)) != cell.how:
            cell.how, cell.via = Reach.UNKNOWN, ""
    return Matrix(cells, list(dict.fromkeys([outsiders.says, *assumes])))


def _cells(prover: Prover, level: Level, *, hosts: bool) -> list[Cell]:
    fabric = prover.fabric
    sides = _hosts(prover) if hosts else _segments(prover)
    vid_reach, routing = prover.vid_reach(level), prover.routing(level)
    wires = {name: prover.names.on_wire(seats, level) for name, seats in sides.items()}
    spreads = {name: closure(fabric, seats, level) for name, seats in wires.items()}
    entered = {name: routing.entered(spread) for name, spread in spreads.items()}
    turned = {name: vid_reach.spread(vid_reach.sent(seats)) for name, seats in wires.items()}
    heard = {name: vid_reach.heard(seats) for name, seats in wires.items()}

    def hears(one: str, other: str) -> bool:
        # Two hosts on one wire need no switch.
        if hosts and wires[one] & wires[other]:
            return True
        # Cheap first, as in every search.
        if not turned[one] & heard[other]:  # no VID of the one side can turn into any of the other
            return False
        targets = prover.names.on_wire(sides[other] - sides[one], level)
        near = prover.names.near(spreads[one], targets)
        return hears_any(fabric, spreads[one], near, level)

    cells = []
    for one in sides:
        for other, its in wires.items():
            if one == other:
                continue
            cell = Cell(one, other, Reach.APART)
            if hears(one, other):
                # By frames: both ways, or only one.
                cell.how = Reach.SAME if hears(other, one) else Reach.LEAKS
            else:
                # Routers are asked only where frames alone do not get there.
                ways = routing.passages(entered[one], its, level)
                if ways:
                    way = min(ways, key=lambda way: way.perhaps)
                    cell.how = Reach.PART if way.perhaps else Reach.ROUTED
                    cell.via = ", ".join(way.path.routers)
            cells.append(cell)
    return cells


def in_each_outcome(outcomes: list[Matrix]) -> Matrix:
    """One matrix of those of each outcome of the spanning trees (FM 7.10)."""
    cells = [
        same[0]
        # The same in each outcome, so it is sure.
        if len({(cell.how, cell.via) for cell in same}) == 1
        else Cell(same[0].one, same[0].other, Reach.CHANCE)
        for same in zip(*(outcome.cells for outcome in outcomes), strict=True)
    ]
    assumes = dict.fromkeys(says for outcome in outcomes for says in outcome.assumes)
    return Matrix(cells, [*assumes])


def _hosts(prover: Prover) -> dict[str, frozenset[Seat]]:
    return {name: prover.names.of(name) for name in prover.names.hosts}


def _segments(prover: Prover) -> dict[str, frozenset[Seat]]:
    """The plan's segments, or else each VLAN that somebody sits in, by its name."""
    says = prover.plan.says
    named = [*says.segments, *(v.segment for v in says.vlans.values() if v.segment)]
    # With segments in the plan they are what people talk of.
    if named:
        return {name: prover.names.of(name) for name in dict.fromkeys(named)}
    # A name that means several VLANs is no name of one.
    called = {next(iter(vids)): name for name, vids in prover.names.vlans.items() if len(vids) == 1}
    sitting: dict[int, list[Seat]] = {}
    for seat in prover.names.seats:
        if not seat.also:  # of VLANs that need not be told apart nothing is said one by one
            sitting.setdefault(seat.vid, []).append(seat)
    return {
        f"{vid} {called[vid]}" if vid in called else str(vid): frozenset(sitting[vid])
        for vid in sorted(sitting)
    }
