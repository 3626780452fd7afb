"""Members that hear each other, or do not, as a certificate states it."""

from __future__ import annotations

from itertools import product

from inkov.levels import Level
from inkov.plan import Claim
from inkov.verify.closures import ClaimEntry, Refused, Side, in_order, verify_apart
from inkov.verify.frames import HostSeat, Hub
from inkov.verify.packets import PacketModel
from inkov.verify.ways import verify_way
from inkov.vlanset import bit

__all__ = ["verify_join", "verify_joined"]


def verify_join(net: PacketModel, seats: set[HostSeat], entry: ClaimEntry) -> None:
    """That members are joined by the links of an entry, or by ways from each to each other; or, if
    broken, that one of them does not hear another. Raises Refused.
    """
    ordered = in_order(seats)
    named = {(seat.spot.key, seat.tag): seat for seat in ordered}
    if entry["verdict"] == "broken":
        one, other = (Side(0, frozenset([named[tuple(entry[end])]])) for end in ("from", "to"))
        verify_apart(net, entry["closures"][0], one, other, Level.HONEST, Level.HONEST)
    elif "ways" in entry:
        ways = {(*one["from"], *one["to"]): one["way"] for one in entry["ways"]}
        for (a, near), (b, far) in product(named.items(), named.items()):
            if near.spot is not far.spot:
                verify_way(
                    net,
                    ways[*a, *b],
                    Side(0, frozenset([near])),
                    Side(0, frozenset([far])),
                    Claim(),
                )
    elif len(seats) > 1:
        if len({seat.vid for seat in seats}) != 1:
            raise Refused("only one VLAN is joined by links that keep its number")
        vid = ordered[0].vid
        for seat in ordered:
            view = seat.spot.views[0]
            tagged = view.emit & ~view.untagged & view.admit
            keeps = (tagged if seat.tag else view.untagged & bit(view.pvid)) >> vid & 1
            if seat.spot.protected or not keeps or seat.spot.outer:
                raise Refused(
                    f"a host at {seat.spot.key} may not hear its own VLAN, or not from every port,"
                    " or not send in it"
                )
        verify_joined(net, entry["edges"], vid, {seat.spot.hub for seat in seats})


def verify_joined(net: PacketModel, edges: list[list[str]], vid: int, hubs: set[Hub]) -> None:
    """That links join the bridges with members of a VLAN, passing it both ways. Raises Refused."""
    root: dict[Hub, Hub] = {}
    if len({name for edge in edges for name in edge}) < 2 * len(edges):
        raise Refused(
            "two links at one port join nothing: what comes in by it does not leave by it"
        )

    def top(hub: Hub) -> Hub:
        while root.get(hub, hub) != hub:
            hub = root[hub]
        return hub

    for one, other in edges:
        a, b = net.by_key[one], net.by_key[other]
        for near, far in ((a, b), (b, a)):
            arrives = any(
                spot is far and mask >> vid & 1
                for spot, _, mask in net.over(near, 1 << vid, Level.HONEST)
            )
            if near.protected or not arrives:
                raise Refused(f"VLAN {vid} does not get from {near.key} to {far.key}")
        root[top(a.hub)] = top(b.hub)
    if len({top(hub) for hub in hubs}) != 1:
        raise Refused("the links do not join all bridges with members of the VLAN")
