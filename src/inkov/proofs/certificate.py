"""What a certificate holds of the engine's findings: closures, and links that join bridges. `verifier` reads them."""

from __future__ import annotations

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
    """Pairs of bridge ports and the VIDs, as a mask, that pass between them both ways under one number."""
    ways: dict[tuple[int, int], int] = {}
    for sender, crossings in fabric.crossings.items():
        for crossing in crossings if not fabric.bridge_ports[sender].view.protected else ():
            for to, mask in crossing.same:
                ways[sender, to] = ways.get((sender, to), 0) | mask
    return [(one, to, mask & ways.get((to, one), 0)) for (one, to), mask in sorted(ways.items()) if one < to]


def spanning(fabric: Fabric, both_ways: list[tuple[int, int, int]], vid: int) -> list[list[str]]:
    """Links that join the bridges of a VLAN without a cycle, each passing it both ways under its number."""
    ports, root = fabric.bridge_ports, list(range(len(fabric.bridges)))

    def top(bridge: int) -> int:
        while root[bridge] != bridge:
            root[bridge] = root[root[bridge]]
            bridge = root[bridge]
        return bridge

    edges = []
    for sender, to, mask in both_ways:
        if mask >> vid & 1:
            one, other = top(ports[sender].bridge), top(ports[to].bridge)
            if one != other:
                root[one] = other
                edges.append([f"{ports[n].end.device}:{ports[n].port}" for n in (sender, to)])
    return edges


def certified(fabric: Fabric, spread: Flood, targets: frozenset[Seat]) -> dict[str, dict[str, object]]:
    """A closure as the verifier reads it: for each bridge the VIDs that can be there, and what comes in by one port
    alone, so that it does not leave by it."""
    aimed = {number for seat in targets for number in fabric.at[fabric.bridge_ports[seat.port].end]}
    found: dict[str, dict[str, object]] = {}
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
        found[f"{inside.device}|{inside.name}"] = entry
    return found
