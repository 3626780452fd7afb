"""Members that hear each other, or do not, as a certificate states it."""

from __future__ import annotations

from itertools import product

from inkov.campus import natural
from inkov.levels import Level
from inkov.plan import Claim
from inkov.verify.closures import ClaimEntry, Refused, Side, in_order, verify_apart
from inkov.verify.frames import HostSeat, Hub, Spot
from inkov.verify.packets import PacketModel
from inkov.verify.ways import verify_way
from inkov.vlanset import bit

__all__ = ["home_vlan", "homes", "members", "verify_join", "verify_joined"]


def verify_join(net: PacketModel, seats: set[HostSeat], entry: ClaimEntry) -> None:
    """That members are joined by the links of an entry, or by ways from each to each other; or, if
    broken, that one of them does not hear another. Raises Refused.
    """
    ordered = in_order(seats)
    named = {(seat.spot.key, seat.tag): seat for seat in ordered}
    # Broken: one member does not hear another.
    if entry["verdict"] == "broken":
        one, other = (Side(0, frozenset([named[tuple(entry[end])]])) for end in ("from", "to"))
        if one == other:
            raise Refused("nobody hears what he sends himself, and is a member")
        verify_apart(net, entry["closures"][0], one, other, Level.HONEST, Level.HONEST)
    elif "ways" in entry:
        # Each pair by a way of its own.
        ways = {(*one["from"], *one["to"]): one["way"] for one in entry["ways"]}
        # Two seats of one port are no pair.
        for (a, near), (b, far) in product(named.items(), named.items()):
            if near.spot is not far.spot:
                verify_way(
                    net,
                    ways[*a, *b],
                    Side(0, frozenset([near])),
                    Side(0, frozenset([far])),
                    Claim(),
                )
    else:
        # By links that join the bridges of one VLAN.
        verify_joined(net, entry["edges"], home_vlan(seats), {seat.spot.hub for seat in seats})


def home_vlan(seats: set[HostSeat]) -> int:
    """The VLAN that all of some seats send and hear in, from every port. Raises Refused if there is
    none.
    """
    if len({seat.vid for seat in seats}) != 1:
        raise Refused("only one VLAN is joined by links that keep its number")
    for seat in in_order(seats):
        view = seat.spot.views[0]
        tagged = view.emit & ~view.untagged & view.admit
        keeps = (tagged if seat.tag else view.untagged & bit(view.pvid)) >> seat.vid & 1
        # A protected port, or one that keeps nothing as it is, joins nobody.
        if seat.spot.protected or not keeps or seat.spot.outer:
            raise Refused(
                f"a host at {seat.spot.key} may not hear its own VLAN, or not from every port,"
                " or not send in it"
            )
    return next(iter(seats)).vid


Place = Hub | Spot
"""A bridge; or what is behind a sub-interface, in the VLAN of its tag (FM 6.8)."""


def verify_joined(net: PacketModel, edges: list[list[str]], vid: int, places: set[Place]) -> None:
    """That links join the places with members of a VLAN, passing it both ways. Raises Refused."""
    root: dict[Place, Place] = {}
    # A port on two of the links would have to send back what came in by it.
    if len({name for edge in edges for name in edge}) < 2 * len(edges):
        raise Refused(
            "two links at one port join nothing: what comes in by it does not leave by it"
        )

    def top(place: Place) -> Place:
        while root.get(place, place) != place:
            place = root[place]
        return place

    for one, other in edges:
        a, b = net.by_key[one], net.by_key[other]
        # Both ways, each end by what it sends.
        for near, far in ((a, b), (b, a)):
            leaves = near.views[0].untagged if _is_by_tag(near, vid) else bit(vid)
            arrives = any(
                spot is far and (mask >> vid & 1 or (mask and _is_by_tag(far, vid)))
                for spot, _, mask in net.over(near, leaves, Level.HONEST)
            )
            if near.protected or not arrives:
                raise Refused(f"VLAN {vid} does not get from {near.key} to {far.key}")
            if net.is_unknown(near):  # FM 4.8
                raise Refused(f"nobody knows what {near.key} passes")
        ends = [_place(net, spot, vid) for spot in (a, b)]
        root[top(ends[0])] = top(ends[1])
    if len({top(place) for place in places}) != 1:
        raise Refused("the links do not join all bridges with members of the VLAN")


def _is_by_tag(spot: Spot, vid: int) -> bool:
    """Whether a VLAN passes a sub-interface by its tag, being called otherwise inside."""
    view = spot.views[0]
    return spot.outer == vid and view.untagged & view.emit != bit(vid)


def _place(net: PacketModel, spot: Spot, vid: int) -> Place:
    """Where a VLAN is that passes a port."""
    inner = spot.views[0].pvid
    apart = _is_by_tag(spot, vid) and not (inner and net.outside_name(spot.hub, inner) == vid)
    return spot if apart else spot.hub


def members(net: PacketModel, vid: int, switches: set[str]) -> set[Place]:
    """Where there is somebody in a VLAN who is at home on some switches."""
    places: set[Place] = {hub for hub in net.served(vid) if hub[0] in switches}
    outlets = (spot for spot in net.outlets(vid) if _home(net, spot.hub) in switches)
    return places.union(_place(net, spot, vid) for spot in outlets)


def homes(net: PacketModel, vid: int, switches: set[str]) -> set[Hub]:
    """The bridges with somebody in a VLAN who is at home on some switches."""
    hubs = {hub for hub in net.served(vid) if hub[0] in switches}
    return hubs | {spot.hub for spot in net.outlets(vid) if _home(net, spot.hub) in switches}


def _home(net: PacketModel, hub: Hub) -> str:
    """The switch of a bridge; of one that hangs on others by sub-interfaces alone, the first of
    these.
    """
    # A bridge with ports of its own is at home there.
    inside = net.at[hub]
    if any(not (spot.outer or spot.routed) for spot in inside):
        return hub[0]
    return min((end[0] for spot in inside for end in net.far.get(spot.end, ())), key=natural)
