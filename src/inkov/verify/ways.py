"""Ways of frames, as a certificate states them: can a frame go there, step by step?"""

from __future__ import annotations

from ipaddress import ip_address

from inkov.campus import Host
from inkov.levels import Layer, Level
from inkov.plan import Claim
from inkov.verify.closures import ClaimEntry, Refused, Sent, Side, sent
from inkov.verify.frames import Hub, Spot, views_at
from inkov.verify.packets import PacketModel, Station
from inkov.vlanset import bit

__all__ = ["may_leave", "replay", "verify_ping", "verify_way"]


def replay(
    net: PacketModel, steps: list[ClaimEntry], sends: list[Sent], level: Level
) -> tuple[Hub, Spot | None, int, list[ClaimEntry]]:
    """That a frame that is sent can go this way, passing no bridge twice. Raises Refused.

    Returns where it then is, by which port it came there, in which VLAN, and the step that is left,
    if any.
    """
    path = [
        (f"{step['switch']}:{step['port']}", step["event"], int(step["vlan"])) for step in steps
    ]
    name, event, vid = path[0]
    here = [(hub, spot) for hub, spot, mask in sends if mask >> vid & 1]
    starts = [
        (hub, spot)
        for hub, spot in here
        # At a port, or at the device itself.
        if (name == spot.key if spot else name.startswith(f"{hub[0]}:"))
    ]
    # The first step is what somebody of the claim sends.
    if event != "sent" or not starts:
        raise Refused(f"no host of the claim sends in VLAN {vid} at {name}")
    # Several could send it: any of them will do.
    hub, came = starts[0]
    _see_that_it_is_known(net, came)
    passed = {hub}
    for number in range(1, len(path) - 1, 2):
        (leaves, event, left), (arrives, arrival, then) = path[number : number + 2]
        out = may_leave(net, hub, came, leaves)
        emits = any(view.emit >> vid & 1 for view in views_at(out, level))
        # It must go on from where the frame is.
        if (event, arrival, left) != ("leaves", "arrives", vid) or not emits:
            raise Refused(f"step {number + 1} does not go on from where the frame is")
        came = next(
            (
                s
                for s, _, mask in net.over(out, 1 << vid, level)
                if s.key == arrives and mask >> then & 1
            ),
            None,
        )
        # No link takes it there in that VLAN.
        if came is None:
            raise Refused(f"VLAN {vid} does not get from {leaves} to {arrives} as VLAN {then}")
        _see_that_it_is_known(net, came)
        # Passing a bridge twice is what a tree would cut.
        if came.hub in passed:
            raise Refused(f"the way passes {came.hub[0]} twice")
        hub, vid = came.hub, then
        passed.add(hub)
    return hub, came, vid, steps[len(path) - 1 :] if len(path) % 2 == 0 else []


def may_leave(net: PacketModel, hub: Hub, came: Spot | None, name: str) -> Spot:
    out = net.by_key.get(name)
    if out is None or out.hub != hub:
        raise Refused(f"{name} is no port where the frame is")
    # Not back by the port it came in by, nor from protected to protected.
    if out is came or (came is not None and out.protected and came.protected):
        raise Refused(f"the frame may not leave by {name}")
    _see_that_it_is_known(net, out)
    return out


def _see_that_it_is_known(net: PacketModel, spot: Spot | None) -> None:
    """FM 4.8: what a port passes that nobody knows is a guess. Raises Refused."""
    if spot is not None and net.is_unknown(spot):
        raise Refused(f"nobody knows what {spot.key} passes")


Hop = tuple[Station, Station]
"""The station a packet comes in by at a router, and the one it leaves by."""


def verify_way(
    net: PacketModel,
    steps: list[ClaimEntry],
    sources: Side,
    targets: Side,
    claim: Claim,
    *,
    ping: Host | None = None,
) -> list[Hop]:
    """That a frame of one of `sources` can go this way and is heard by one of `targets`.

    For a claim of layer 3, and for a ping by a host, the way may lead over routers, beginning with
    the gateway of that host: gives back which. Raises Refused.
    """
    sends, level = sent(net, sources.seats(net), claim.level), claim.level
    hops: list[Hop] = []
    ways = _between_routers(steps, routed=ping is not None or claim.layer == Layer.PACKETS)
    for number, way in enumerate(ways):
        # A router sends a frame of its own: to replay it, its first step is one that is sent.
        # A router sends anew: its step begins a way of its own.
        start = {**way[0], "event": "sent"} if number else way[0]
        hub, came, vid, rest = replay(net, [start, *way[1:]], sends, level)
        if number + 1 < len(ways):
            into_next = ways[number + 1][0]
            # The frame must be where the router takes it.
            if rest:
                raise Refused(f"no router passes it on to {_end(into_next)}")
            # A ping asks the gateway of the host first.
            asked = ping.gateway if ping is not None and not hops else None
            hops.append(_hop(net, hub, vid, into_next, claim.level, asked))
            sends, level = [(hops[-1][1].hub, None, bit(into_next["vlan"]))], Level.HONEST
    _check_filters(net, hops, claim)
    # The way must end with what somebody hears.
    if not rest or rest[0]["event"] != "heard" or rest[0]["vlan"] != vid:
        raise Refused("a way ends with what is heard")
    last = may_leave(net, hub, came, _end(rest[0]))
    heard = (at for seat in targets.seats(net) for at in net.heard(seat, claim.level))
    # And that somebody must be one of the claim's.
    if not any(spot is last and mask >> vid & 1 for spot, mask in heard):
        raise Refused(f"no host of the claim hears VLAN {vid} at {last.key}")
    return hops


def verify_ping(
    net: PacketModel,
    entry: ClaimEntry,
    one: Host,
    other: Host,
    sides: tuple[Side, Side],
    claim: Claim,
) -> None:
    """That a packet between two hosts with addresses can go a way, and the answer one back, each as
    the host that sends it would send it (FM 5.3, FM 5.4). Raises Refused.
    """
    here, there = sides
    for steps, sender, far, ends in (
        (entry["way"], one, other, (here, there)),
        (entry["back"], other, one, (there, here)),
    ):
        assert sender.address is not None and far.address is not None
        own, gateway = sender.address.network, ip_address(sender.gateway or 0)
        near = far.address.ip in own
        # What is near is asked for without a router.
        if near and any(step["event"] == "routed" for step in steps):
            raise Refused(f"{sender.name} asks no router for {far.name}, which is near")
        # Far and without a gateway of its own: it sends nothing.
        hops = (
            []
            if not near and gateway not in own
            else verify_way(net, steps, *ends, claim, ping=sender)
        )
        known = hops and any(far.address.ip in subnet for subnet in hops[-1][1].subnets)
        # The last router must know where the other is.
        if not near and not known:
            raise Refused(f"{sender.name} does not send that way for {far.name}")


def _end(step: ClaimEntry) -> str:
    return f"{step['switch']}:{step['port']}"


def _between_routers(steps: list[ClaimEntry], *, routed: bool) -> list[list[ClaimEntry]]:
    """The ways of single frames that a way consists of: each router sends a new one."""
    cuts = [number for number, step in enumerate(steps) if step["event"] == "routed" and routed]
    begins, ends = [0, *cuts], [*cuts, len(steps)]
    return [steps[begin:end] for begin, end in zip(begins, ends, strict=True)]


def _hop(
    net: PacketModel, hub: Hub, vid: int, into_next: ClaimEntry, level: Level, asked: str | None
) -> Hop:
    """The router that takes what is on a hub and sends it on as a step says; by the interface with
    the address `asked`, if one is.
    """
    wanted = into_next["switch"], into_next["port"], into_next["vlan"]
    for into in net.stations(level):
        # Another bridge, or frames that it does not take.
        if into.hub != hub or not into.takes >> vid & 1:
            continue
        # A ping asks one gateway, by its address.
        if asked is not None and all(str(own.ip) != asked for own in into.addresses):
            continue
        for out in net.stations(level):
            same_router = (out.device, out.vrf) == (into.device, into.vrf)
            # Out by one of the same router.
            if same_router and (out.device, out.name, out.vid) == wanted:
                return into, out
    raise Refused(f"no router passes it on to {_end(into_next)}")


def _check_filters(net: PacketModel, hops: list[Hop], claim: Claim) -> None:
    """That filters on the way let some packets pass; all of them, if the claim is that they do."""
    every = claim.reach is not None
    for into, out in hops:
        for station, bound in ((into, into.filters_in), (out, out.filters_out)):
            passes = net.passes(hops[0][0], hops[-1][1], (station, bound), claim.level)
            # Some of it for a claim that it stays apart, all of it for one that it arrives.
            if not passes[every]:
                raise Refused(f"a filter of {station.device} {station.name} stops it")
