"""The independent verifier: is a certificate true of these configurations?

Of a claim that holds, the certificate states where frames can be: closed, so that no step leads out
and no host of the other side hears any of it. Of one that is broken it states a way, which is
replayed frame by frame. What a step is, who sits where and who is meant by a claim is worked out by
code of the verifier's own (`frames`, `packets`), not by the engine.
"""

from __future__ import annotations

from collections.abc import Iterable
from fnmatch import fnmatchcase
from functools import reduce
from itertools import product
from operator import or_
from typing import Any, NamedTuple

from inkov.levels import Level
from inkov.plan import Claim
from inkov.verify.frames import ALL, HostSeat, Hub, Spot, bits
from inkov.verify.packets import PacketModel, Station
from inkov.vlanset import VlanSet

__all__ = ["Checked", "Refused", "check_certificate", "verify", "verify_entry"]

ClaimEntry = dict[str, Any]
Sent = tuple[Hub, Spot | None, int]
"""What somebody sends: on a bridge, by a port (None: the device itself), in the VIDs of a mask."""


class Side(NamedTuple):
    """Who is meant by names: all in the VLANs of a mask (bit 0: those in none), and some seats by
    themselves.
    """

    vids: int
    some: frozenset[HostSeat] = frozenset()

    def seats(self, net: PacketModel) -> set[HostSeat]:
        return {
            seat for vid, own in net.by_vid.items() if self.vids >> vid & 1 for seat in own
        } | self.some

    def minus(self, other: Side, net: PacketModel) -> Side:
        if self.some or other.some:
            return Side(0, frozenset(self.seats(net) - other.seats(net)))
        return Side(self.vids & ~other.vids)

    def sends(self, net: PacketModel, level: Level) -> int:
        """The VIDs that it sends in, wherever; `hears` likewise."""
        return self._mask(net.sends(level), net.sent, level)

    def hears(self, net: PacketModel, level: Level) -> int:
        return self._mask(net.hears(level), net.heard, level)

    def _mask(self, by_vid: dict[int, int], each: Any, level: Level) -> int:
        masks = [mask for vid, mask in by_vid.items() if self.vids >> vid & 1]
        masks += [mask for seat in self.some for _, mask in each(seat, level)]
        return reduce(or_, masks, 0)


class Refused(Exception):
    """The certificate is not true; the text says where."""


def parse(text: str) -> int:
    return VlanSet.parse(text).bits


# --- where frames can be --------------------------------------------------------------------------


class Closure:
    """Where frames can be, as stated: `switch|bridge` -> `vids`; `only`, port -> VIDs that come in
    by that port alone (they do not leave by it); `shielded`, VIDs that come in by protected ports
    alone.
    """

    def __init__(self, stated: dict[str, Any]) -> None:
        self.there: dict[Hub, int] = {}
        self.shielded: dict[Hub, int] = {}
        self.only: dict[tuple[Hub, int], str] = {}
        for name, entry in stated.items():
            device, _, bridge = name.partition("|")
            hub = device, bridge
            self.there[hub], self.shielded[hub] = (
                parse(entry["vids"]),
                parse(entry.get("shielded", "none")),
            )
            for port, vids in entry.get("only", {}).items():
                for vid in bits(parse(vids)):
                    if self.only.setdefault((hub, vid), port) != port:
                        raise Refused(
                            f"VLAN {vid} on {device} comes in by one port alone, and by two"
                        )

    def take(self, hub: Hub, spot: Spot | None, mask: int, what: str) -> None:
        """See that frames that come in somewhere are where they are said to be."""
        name, at = (spot.name, spot.key) if spot is not None else ("", hub[0])
        new = mask & ~self.there.get(hub, 0)
        if new:
            raise Refused(
                f"{what} gets to {at} in VLAN {VlanSet(new)}, which the certificate does not have"
                " there"
            )
        for vid in bits(mask):
            if self.only.get((hub, vid), name) != name:
                raise Refused(
                    f"VLAN {vid} comes in by {at}, and not by port {self.only[hub, vid]} alone"
                )
        if mask & self.shielded.get(hub, 0) and not (spot is not None and spot.protected):
            raise Refused(f"{what} comes in by {at}, which is not protected")

    def leaving(self, spot: Spot) -> int:
        """What may leave by a port, whatever it sends: not what comes in by it alone, nor from
        protected to protected (FM 3.5, FM 3.6).
        """
        mask = self.there.get(spot.hub, 0) & ~(
            self.shielded.get(spot.hub, 0) if spot.protected else 0
        )
        return mask & ~sum(
            1 << vid for vid in bits(mask) if self.only.get((spot.hub, vid)) == spot.name
        )


def sent(net: PacketModel, seats: Iterable[HostSeat], level: Level) -> list[Sent]:
    return [(spot.hub, spot, mask) for seat in seats for spot, mask in net.sent(seat, level)]


def verify_closed(net: PacketModel, stated: ClaimEntry, sends: list[Sent], level: Level) -> Closure:
    """That what is sent stays in a closure. Raises Refused."""
    closure = Closure(stated)
    for hub, spot, mask in sends:
        closure.take(hub, spot, mask, "what is sent")
    for hub in closure.there:
        for spot in net.at.get(hub, ()):
            leaving = closure.leaving(spot) if spot.end in net.far else 0
            for far, _, arriving in net.over(spot, leaving, level):
                closure.take(far.hub, far, arriving, f"what leaves {spot.key}")
    return closure


def verify_apart(
    net: PacketModel,
    stated: ClaimEntry,
    sources: Side | list[Sent],
    targets: Side,
    level: Level,
    hear: Level,
) -> None:
    """That no frame of one side (or sent at some stations) is heard by the other, at the levels of
    those who send and who hear: by VIDs alone, or by where frames can be. Raises Refused.
    """
    if "anywhere" in stated:  # VIDs that no link turns into others, wherever they are
        vids = parse(stated["anywhere"])
        mask = (
            sources.sends(net, level)
            if isinstance(sources, Side)
            else reduce(or_, (s[2] for s in sources), 0)
        )
        if mask & ~vids:
            raise Refused(f"one side sends into VLAN {VlanSet(mask & ~vids)}")
        if net.spread(vids, level) & ~vids:
            raise Refused(
                f"links turn its VLANs into VLAN {VlanSet(net.spread(vids, level) & ~vids)}"
            )
        if targets.hears(net, hear) & vids:
            raise Refused(f"the other side hears VLAN {VlanSet(targets.hears(net, hear) & vids)}")
        return
    sends = sources if isinstance(sources, list) else sent(net, sources.seats(net), level)
    closure = verify_closed(net, stated, sends, level)
    for seat in targets.seats(net):
        for spot, mask in net.heard(seat, hear):
            if spot.hub in closure.there and closure.leaving(spot) & mask:
                raise Refused(
                    f"{spot.key} is heard, in one of VLAN {VlanSet(closure.leaving(spot) & mask)}"
                )


# --- ways of frames -------------------------------------------------------------------------------


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
        if (name == spot.key if spot else name.startswith(f"{hub[0]}:"))
    ]
    if event != "sent" or not starts:
        raise Refused(f"no host of the claim sends in VLAN {vid} at {name}")
    hub, came = starts[0]
    passed = {hub}
    for number in range(1, len(path) - 1, 2):
        (leaves, event, left), (arrives, arrival, then) = path[number : number + 2]
        out = may_leave(net, hub, came, leaves)
        if (event, arrival, left) != ("leaves", "arrives", vid) or not out.views[0].emit >> vid & 1:
            raise Refused(f"step {number + 1} does not go on from where the frame is")
        came = next(
            (
                s
                for s, _, mask in net.over(out, 1 << vid, level)
                if s.key == arrives and mask >> then & 1
            ),
            None,
        )
        if came is None:
            raise Refused(f"VLAN {vid} does not get from {leaves} to {arrives} as VLAN {then}")
        if came.hub in passed:
            raise Refused(f"the way passes {came.hub[0]} twice")
        hub, vid = came.hub, then
        passed.add(hub)
    return hub, came, vid, steps[len(path) - 1 :] if len(path) % 2 == 0 else []


def may_leave(net: PacketModel, hub: Hub, came: Spot | None, name: str) -> Spot:
    out = net.by_key.get(name)
    if out is None or out.hub != hub:
        raise Refused(f"{name} is no port where the frame is")
    if out is came or (came is not None and out.protected and came.protected):
        raise Refused(f"the frame may not leave by {name}")
    return out


def verify_way(
    net: PacketModel, steps: list[ClaimEntry], sources: Side, targets: Side, claim: Claim
) -> None:
    """That a frame of one of `sources` can go this way, by routers if the claim is of layer 3, and
    is heard by one of `targets`. Raises Refused.
    """
    starts = (
        [n for n, step in enumerate(steps) if step["event"] == "routed"] if claim.layer == 3 else []
    )
    ways = [steps[one:end] for one, end in zip([0, *starts], [*starts, len(steps)], strict=True)]
    sends, level = sent(net, sources.seats(net), claim.level), claim.level
    passed: list[tuple[Station, Station]] = []
    for way, then in zip(ways, [*(way[0] for way in ways[1:]), None], strict=True):
        start = {**way[0], "event": "sent"} if way[0]["event"] == "routed" else way[0]
        hub, came, vid, rest = replay(net, [start, *way[1:]], sends, level)
        if then is not None:
            hops = [
                (into, out)
                for into in net.stations
                for out in net.stations
                if (into.hub, into.vid) == (hub, vid)
                and (out.device, out.vrf) == (into.device, into.vrf)
                if (out.device, out.name, out.vid) == (then["switch"], then["port"], then["vlan"])
            ]
            if not hops or rest:
                raise Refused(f"no router passes it on to {then['switch']}:{then['port']}")
            passed.append(hops[0])
            sends, level = [(hops[0][1].hub, None, 1 << then["vlan"])], Level.HONEST
    for station, bound in (
        at for into, out in passed for at in ((into, into.filters_in), (out, out.filters_out))
    ):
        if not net.passes(passed[0][0], passed[-1][1], (station, bound), claim.level)[
            claim.reach is not None
        ]:
            raise Refused(f"a filter of {station.device} {station.name} stops it")
    if not rest or rest[0]["event"] != "heard" or rest[0]["vlan"] != vid:
        raise Refused("a way ends with what is heard")
    last = may_leave(net, hub, came, f"{rest[0]['switch']}:{rest[0]['port']}")
    heard = (at for seat in targets.seats(net) for at in net.heard(seat, claim.level))
    if not any(spot is last and mask >> vid & 1 for spot, mask in heard):
        raise Refused(f"no host of the claim hears VLAN {vid} at {last.key}")


# --- joined ---------------------------------------------------------------------------------------


def verify_join(net: PacketModel, seats: set[HostSeat], entry: ClaimEntry) -> None:
    """That members are joined by the links of an entry, or by ways from each to each other; or, if
    broken, that one of them does not hear another. Raises Refused.
    """
    named = {(seat.spot.key, seat.tag): seat for seat in seats}
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
        vid = next(iter(seats)).vid
        for seat in seats:
            view = seat.spot.views[0]
            keeps = (view.emit & ~view.untagged if seat.tag else view.untagged) >> vid & 1
            if seat.spot.protected or not keeps or seat.spot.outer:
                raise Refused(
                    f"a host at {seat.spot.key} may not hear its own VLAN, or not from every port"
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
    if len({top(hub) for hub in hubs}) > 1:
        raise Refused("the links do not join all bridges with members of the VLAN")


# --- claims ---------------------------------------------------------------------------------------


def vids_of(vlans: dict[str, VlanSet], name: str) -> int | None:
    """The VLANs that a name means, by what they are called or by number; None for another thing."""
    number = name.partition(" ")[2] if name.lower().startswith(("vlan ", "vlans ")) else name
    try:
        return (
            vlans[name].bits if name in vlans else parse(number) if number[:1].isdigit() else None
        )
    except ValueError:
        return None


def meant(net: PacketModel, vlans: dict[str, VlanSet], names: Iterable[str] | None) -> Side:
    """Who is meant by names of a claim: segments or VLANs (by `vlans`), numbers, hosts, ports, or
    everything.
    """
    vids = 0
    some: set[HostSeat] = set()
    hosts = {host.name: host for host in net.campus.hosts}
    for name in names or ():
        if name == "everything":
            vids = ALL | 1
        elif (mask := vids_of(vlans, name)) is not None:
            vids |= mask
        else:
            host = hosts.get(name)
            device, port = (
                (host.device, host.port) if host is not None else name.partition(":")[::2]
            )
            there = [
                s
                for s in net.seats
                if fnmatchcase(s.spot.end[0], device) and fnmatchcase(s.spot.name, port)
            ]
            some.update(s for s in there if host is None or s.tag == (host.vid or 0))
    return Side(vids, frozenset(some))


def legs_of(net: PacketModel, claim: Claim, vlans: dict[str, VlanSet]) -> list[tuple[Side, Side]]:
    """Whose frames a claim is about, and who hears them."""

    def side(names: Iterable[str] | None) -> Side:
        return meant(net, vlans, names)

    if claim.isolate is not None and claim.from_ is None:
        return [
            (side([one]), side(name for name in claim.isolate if name != one))
            for one in claim.isolate
        ]
    if claim.isolate is not None:
        inside = side(claim.isolate)
        outside = side(claim.from_).minus(side(claim.except_), net).minus(inside, net)
        return [(inside, outside), (outside, inside)][: 1 if claim.one_way else 2]
    one, other = claim.reach or claim.not_reach or ("", "")
    return [(side([one]), side([other]))]


def verify_carried(net: PacketModel, claim: Claim, entry: ClaimEntry) -> None:
    """That frames of some VLANs are on some switches and links only, or where they are besides.
    Raises Refused.
    """
    carried = claim.carried_by
    assert carried is not None
    sends = sent(
        net, (seat for vid in carried.vlans for seat in net.by_vid.get(vid, ())), claim.level
    )
    for device in net.campus.devices.values():
        for gateway in (g for g in device.gateways if g.vid in carried.vlans):
            sends.append(
                (
                    (device.name, gateway.bridge),
                    None,
                    1 << gateway.vid & net.live_at(device, gateway.bridge),
                )
            )

    def allowed(patterns: list[str] | None, *names: str) -> bool:
        return patterns is None or any(
            fnmatchcase(name, pattern) for name in names for pattern in patterns
        )

    def over(spot: Spot) -> bool:
        """Whether what leaves a port stays on links that the VLAN may cross, each named by either
        of its ends.
        """
        return allowed(
            carried.over,
            *(f"{name}:{port}" for name, port in (spot.end, *net.far.get(spot.end, ()))),
        )

    if entry["verdict"] == "broken":
        hub, came, vid, rest = replay(net, entry["way"], sends, claim.level)
        if rest:
            out = may_leave(net, hub, came, f"{rest[0]['switch']}:{rest[0]['port']}")
            if (
                rest[0]["event"] != "leaves"
                or rest[0]["vlan"] != vid
                or not out.views[0].emit >> vid & 1
            ):
                raise Refused("a way ends where the VLAN may not be")
            if out.end in net.far and not over(out):
                return
        if allowed(carried.on, hub[0]):
            raise Refused("the way ends where the VLAN may be")
        return
    closure = verify_closed(net, entry["closures"][0], sends, claim.level)
    for hub, mask in closure.there.items():
        if mask and not allowed(carried.on, hub[0]):
            raise Refused(f"frames can be on {hub[0]}")
        for spot in net.at.get(hub, ()):
            if (
                spot.end in net.far
                and spot.views[0].emit & closure.leaving(spot)
                and not over(spot)
            ):
                raise Refused(f"frames can leave by {spot.key}")


def verify(net: PacketModel, claim: Claim, vlans: dict[str, VlanSet], entry: ClaimEntry) -> None:
    """That an entry of a certificate is true of a claim. Raises Refused."""
    verdict = entry["verdict"]
    if verdict not in ("holds", "broken"):
        raise Refused(f"no certificate for the verdict {verdict!r}")
    if claim.join is not None:
        verify_join(net, meant(net, vlans, claim.join).seats(net), entry)
    elif claim.carried_by is not None:
        verify_carried(net, claim, entry)
    elif verdict == (
        "broken" if claim.reach is None else "holds"
    ):  # a frame gets there, on one of the legs
        refused = []
        for leg in legs_of(net, claim, vlans):
            try:
                verify_way(net, entry["way"], *leg, claim)
                return
            except Refused as why:
                refused.append(why)
        raise refused[-1]
    else:  # none does
        legs = legs_of(net, claim, vlans)
        for closure, leg in zip(entry["closures"], legs, strict=True):
            verify_apart(net, closure, *leg, claim.level, claim.level)
        if claim.layer == 3:
            for closure, routed, leg in zip(entry["closures"], entry["routed"], legs, strict=True):
                if "anywhere" in closure:
                    sends = net.passed_on({}, parse(closure["anywhere"]), claim.level)
                else:
                    sends = net.passed_on(Closure(closure).there, 0, claim.level)
                verify_apart(net, routed, sends, leg[1], Level.HONEST, claim.level)


def verify_entry(
    net: PacketModel, claims: list[Claim], vlans: dict[str, VlanSet], number: int, entry: ClaimEntry
) -> bool:
    """Verify the entry of a certificate at a place; False if it brings none to verify. Raises
    Refused.
    """
    if claims:
        claim = claims[number]
    elif entry["kind"] == "no-leak":
        about, level = f"VLAN {entry['vlans']} leaks into no other", entry["level"]
        claim = Claim(
            isolate=[f"vlan {entry['vlans']}"],
            from_=["everything"],
            one_way=True,
            level=level,
            about=about,
        )
    else:
        claim = Claim(join=[f"vlan {entry['vlans']}"], about=f"VLAN {entry['vlans']} is not split")
    stated = claim.words, claim.kind if claims else entry["kind"], claim.level, claim.layer
    if (entry["claim"], entry["kind"], entry["level"], entry["layer"]) != stated:
        raise Refused("it is not the claim that the plan has at this place, or that needs none")
    if not entry.keys() & {"closures", "way", "ways", "edges"}:
        return False
    if not claims and entry["kind"] == "whole" and entry["verdict"] == "holds":
        for vid in VlanSet.parse(entry["vlans"]):
            verify_joined(net, entry["edges"], vid, net.served(vid))
    else:
        verify(net, claim, vlans if claims else {}, entry)
    return True


class Checked(NamedTuple):
    """What checking a certificate comes to.

    `refused` says of each entry that is not true why; `verified` counts the entries that are;
    `uncertified` those that claim something and bring nothing to verify.
    """

    refused: list[str]
    verified: int
    uncertified: int


def check_certificate(
    net: PacketModel, claims: list[Claim], vlans: dict[str, VlanSet], entries: list[Any]
) -> Checked:
    """Check every entry of a certificate, and that it has one for all there is to claim.

    `claims` are those of the plan, [] without one; `vlans` the VLANs by what they are called.
    """
    refused: list[str] = []
    verified = uncertified = 0
    covered = VlanSet()
    for number, entry in enumerate(entries):
        try:
            brings = verify_entry(net, claims, vlans, number, entry)
            verified += brings
            uncertified += not brings and entry["verdict"] != "undecided"
            if entry["kind"] == "no-leak":
                covered |= VlanSet.parse(entry["vlans"])
        except Refused as why:
            refused.append(f"claim {number + 1}: {why}")
        except (KeyError, TypeError, ValueError, AttributeError, IndexError):
            refused.append(f"claim {number + 1}: the entry is not well-formed")
    if not claims:
        missing = (vid for vid in sorted(net.by_vid) if vid and vid not in covered)
        refused += [f"no claim is about VLAN {vid}" for vid in missing]
    if len(claims) > len(entries):
        refused.append(f"the plan has {len(claims)} claims, the certificate {len(entries)}")
    return Checked(refused, verified, uncertified)
