"""What a certificate holds of the engine's findings: closures, and links that join bridges.
`verifier` reads them.
"""

from __future__ import annotations

from typing import NamedTuple

from inkov.forwarding import Fabric
from inkov.forwarding.follow import Step
from inkov.forwarding.reach import Flood
from inkov.proofs.seats import Seat
from inkov.vlanset import bits_to_text

__all__ = ["certified", "passing", "spanning", "way_of"]


def way_of(steps: list[Step]) -> list[dict[str, object]]:
    """A witness as the verifier reads it."""
    return [{"switch": s.switch, "port": s.port, "event": s.event, "vlan": s.vlan} for s in steps]


def passing(fabric: Fabric) -> list[tuple[int, int, int]]:
    """Pairs of bridge ports and the VIDs, as a mask, that pass between them both ways under one
    number.
    """
    ways: dict[tuple[int, int], int] = {}
    for sender, crossings in fabric.crossings.items():
        for crossing in crossings if not fabric.bridge_ports[sender].view.protected else ():
            for to, mask in crossing.same:
                ways[sender, to] = ways.get((sender, to), 0) | mask
    return [
        (one, to, mask & ways.get((to, one), 0))
        for (one, to), mask in sorted(ways.items())
        if one < to
    ]


class Joined(NamedTuple):
    """Links that join the bridges of a VLAN without a cycle, each passing it both ways under its
    number; and for each bridge another one to which it is joined, up to one that stands for all of
    them.
    """

    edges: list[list[str]]
    root: list[int]

    def top(self, bridge: int) -> int:
        root = self.root
        while root[bridge] != bridge:
            root[bridge] = root[root[bridge]]
            bridge = root[bridge]
        return bridge


def spanning(fabric: Fabric, both_ways: list[tuple[int, int, int]], vid: int) -> Joined:
    """Joins the bridges of a VLAN as far as links pass it both ways. A port is on one of them only:
    what comes in by it does not leave by it (FM 3.5), so that two links at one port join nothing.
    """
    ports = fabric.bridge_ports
    joined, used = Joined([], list(range(len(fabric.bridges)))), set[int]()
    for sender, to, mask in both_ways:
        if mask >> vid & 1 and used.isdisjoint((sender, to)):
            one, other = joined.top(ports[sender].bridge), joined.top(ports[to].bridge)
            if one != other:
                joined.root[one] = other
                used |= {sender, to}
                joined.edges.append(
                    [f"{ports[n].end.device}:{ports[n].port}" for n in (sender, to)]
                )
    return joined


def certified(
    fabric: Fabric, spread: Flood, targets: frozenset[Seat]
) -> dict[str, dict[str, object]]:
    """A closure as the verifier reads it: for each bridge the VIDs that can be there, and what
    comes in by one port alone, so that it does not leave by it.
    """
    aimed = {number for seat in targets for number in fabric.at[fabric.bridge_ports[seat.port].end]}
    stated: dict[str, dict[str, object]] = {}
    for number, inside in enumerate(fabric.bridges):
        present = spread.present(number)
        if not present:
            continue
        entry: dict[str, object] = {"vids": bits_to_text(present)}
        only = {}
        for port in inside.ports:
            alone = spread.alone(number, port)
            if alone and (port in fabric.crossings or port in aimed):
                only[fabric.bridge_ports[port].port] = bits_to_text(alone)
        if only:
            entry["only"] = only
        if spread.shielded(number):
            entry["shielded"] = bits_to_text(spread.shielded(number))
        stated[f"{inside.device}|{inside.name}"] = entry
    return stated
