"""Who reaches whom: segments × segments, or hosts × hosts."""

from __future__ import annotations

from msgspec import Struct

from inkov.forwarding import Fabric
from inkov.plan import Plan
from inkov.proofs.leaks import closure, reached
from inkov.proofs.prove import Prover
from inkov.proofs.seats import Seat

__all__ = ["Cell", "matrix"]


class Cell(Struct):
    """How one side reaches the other.

    `same`: both hear each other; `leaks`: one way only; `routed`: by the gateways that `via` names;
    `part`: so, but a filter stops some of it; `apart`.
    """

    one: str
    other: str
    how: str
    via: str = ""


def matrix(fabric: Fabric, plan: Plan, level: str = "honest", *, hosts: bool = False) -> list[Cell]:
    """Every ordered pair of segments (of VLANs in use, without a plan), or of named hosts."""
    prover = Prover(fabric, plan)
    sides = _hosts(prover) if hosts else _segments(prover)
    vid_reach, routing = prover.vid_reach(level), prover.routing
    spreads = {name: closure(fabric, seats, level) for name, seats in sides.items()}
    entered = {name: routing.entered(spread) for name, spread in spreads.items()}
    turned = {name: vid_reach.spread(vid_reach.sent(seats)) for name, seats in sides.items()}
    heard = {name: vid_reach.heard(seats) for name, seats in sides.items()}

    def hears(one: str, other: str) -> bool:
        if not turned[one] & heard[other]:  # no VID of the one side can turn into any of the other
            return False
        near = prover.names.near(spreads[one], sides[other] - sides[one])
        return bool(reached(fabric, spreads[one], near, level))

    cells = []
    for one in sides:
        for other, its in sides.items():
            if one == other:
                continue
            cell = Cell(one, other, "apart")
            if hears(one, other):
                cell.how = "same" if hears(other, one) else "leaks"
            else:
                ways = routing.passages(entered[one], its, level)
                if ways:
                    way = min(ways, key=lambda way: way.in_part)
                    cell.how = "part" if way.in_part else "routed"
                    cell.via = ", ".join(way.path.routers)
            cells.append(cell)
    return cells


def _hosts(prover: Prover) -> dict[str, frozenset[Seat]]:
    return {name: prover.names.of(name) for name in prover.names.hosts}


def _segments(prover: Prover) -> dict[str, frozenset[Seat]]:
    """The plan's segments, or else each VLAN that somebody sits in, by its name."""
    says = prover.plan.says
    named = [*says.segments, *(v.segment for v in says.vlans.values() if v.segment)]
    if named:
        return {name: prover.names.of(name) for name in dict.fromkeys(named)}
    called = {next(iter(vids)): name for name, vids in prover.names.vlans.items() if len(vids) == 1}
    found: dict[str, frozenset[Seat]] = {}
    for vid in sorted({seat.vid for seat in prover.names.seats}):
        name = f"{vid} {called[vid]}" if vid in called else str(vid)
        found[name] = frozenset(seat for seat in prover.names.seats if seat.vid == vid)
    return found
