"""The independent verifier: is a certificate true of these configurations?

Of a claim that holds, the certificate states where frames can be: closed, so that no step leads out and no host of the
other side hears any of it. Of one that is broken it states a way, which is replayed frame by frame. What a step is, who
sits where and who is meant by a claim is worked out by code of the verifier's own (`network`), not by the engine.
"""

from __future__ import annotations

from fnmatch import fnmatchcase
from typing import Any

from inkov.proofs.network import ALL, End, Hub, Network, Seat, Spot, bits, key
from inkov.vlanset import VlanSet

__all__ = ["Network", "Refused", "verify", "verify_entry"]


class Refused(Exception):
    """The certificate is not true; the text says where."""


# --- certificates --------------------------------------------------------------------------------------------------


def verify_closed(net: Network, closure: dict[str, Any], sources: list[Seat], targets: list[Seat], level: str) -> None:
    """That frames of `sources` stay in a closure, and that no seat of `targets` hears any of it. Raises Refused.

    A closure maps `switch|bridge` to `vids`, the VIDs that can be there; `only`, port -> VIDs that come in by that port
    alone (they do not leave by it); and `shielded`, VIDs that come in by protected ports alone.
    """
    if "anywhere" in closure:
        heard = 0
        for seat in targets:
            heard |= net.heard(seat, level)
        verify_anywhere(net, VlanSet.parse(closure["anywhere"]).bits, sources, heard, level)
        return
    there: dict[Hub, int] = {}
    only: dict[tuple[Hub, int], str] = {}
    shielded: dict[Hub, int] = {}
    for name, entry in closure.items():
        device, _, bridge = name.partition("|")
        hub = device, bridge
        there[hub] = VlanSet.parse(entry["vids"]).bits
        shielded[hub] = VlanSet.parse(entry.get("shielded", "none")).bits
        for port, vids in entry.get("only", {}).items():
            for vid in VlanSet.parse(vids):
                if (hub, vid) in only:
                    raise Refused(f"VLAN {vid} on {device} comes in by one port alone, and by two")
                only[hub, vid] = port

    def arrives(spot: Spot, mask: int, how: str) -> None:
        if mask & ~there.get(spot.hub, 0):
            vids = VlanSet(mask & ~there.get(spot.hub, 0))
            raise Refused(f"{how} gets to {key(spot)} in VLAN {vids}, which the certificate does not have there")
        for vid in bits(mask):
            if only.get((spot.hub, vid), spot.name) != spot.name:
                raise Refused(f"VLAN {vid} comes in by {key(spot)}, and not by port {only[spot.hub, vid]} alone")
        if mask & shielded.get(spot.hub, 0) and not spot.protected:
            raise Refused(f"{how} comes in by {key(spot)}, which is not protected")

    for spot, mask in net.sent(sources, level).items():
        arrives(spot, mask, "what a host sends")
    aimed: dict[End, list[Seat]] = {}
    for seat in targets:
        aimed.setdefault(seat.spot.end, []).append(seat)
    for hub, mask in there.items():
        for spot in net.at.get(hub, ()):
            leaving = mask & ~sum(1 << v for v in bits(mask) if only.get((hub, v)) == spot.name)
            leaving &= ~shielded[hub] if spot.protected else -1
            for far, _, arriving in net.over(spot, leaving, level):
                arrives(far, arriving, f"what leaves {key(spot)}")
            for seat in aimed.get(spot.end, ()):
                if any(net.hears(seat, spot, vid, level) for vid in bits(leaving)):
                    raise Refused(f"{key(spot)} is heard, in one of VLAN {VlanSet(leaving & ALL)}")


def verify_anywhere(net: Network, vids: int, sources: list[Seat], heard: int, level: str) -> None:
    """That frames of `sources` are in some VIDs only, wherever they are, and that none of these is in `heard`."""
    for spot, mask in net.sent(sources, level).items():
        if mask & ~vids:
            raise Refused(f"a host at {key(spot)} sends into VLAN {VlanSet(mask & ~vids)}")
    for vid in bits(vids):
        if net.turns(level).get(vid, 0) & ~vids:
            raise Refused(f"a link turns VLAN {vid} into VLAN {VlanSet(net.turns(level)[vid] & ~vids)}")
    if heard & vids:
        raise Refused(f"the other side hears VLAN {VlanSet(heard & vids)}")


def verify_way(net: Network, steps: list[dict[str, Any]], sources: list[Seat], targets: list[Seat], level: str) -> None:
    """That a frame of one of `sources` can go this way, passing no bridge twice, and is heard in one of `targets`."""
    try:
        path = [(net.by_key[f"{step['switch']}:{step['port']}"], step["event"], int(step["vlan"])) for step in steps]
    except (KeyError, TypeError, ValueError):
        raise Refused("a step is at no port, or in no VLAN") from None
    if len(path) < 2 or len(path) % 2 or path[0][1] != "sent" or path[-1][1] != "heard":
        raise Refused("a way begins with what is sent and ends with what is heard")
    here, _, vid = path[0]
    if not net.sent(sources, level).get(here, 0) >> vid & 1:
        raise Refused(f"no host of the claim sends in VLAN {vid} at {key(here)}")
    passed, came = [here.hub], here
    for number in range(1, len(path) - 1, 2):
        (out, event, as_vid), (far, arrival, then) = path[number : number + 2]
        if (event, arrival) != ("leaves", "arrives") or as_vid != vid or out.hub != came.hub:
            raise Refused(f"step {number + 1} does not go on from where the frame is")
        _leaves(out, came, vid)
        if not any(spot == far and arriving >> then & 1 for spot, left, arriving in net.over(out, 1 << vid, level)
                   if left != -1 or then == vid):  # fmt: skip
            raise Refused(f"VLAN {vid} does not get from {key(out)} to {key(far)} as VLAN {then}")
        if far.hub in passed:
            raise Refused(f"the way passes {far.hub[0]} twice")
        passed.append(far.hub)
        came, vid = far, then
    last, _, heard = path[-1]
    if last.hub != came.hub or heard != vid or not any(net.hears(seat, last, vid, level) for seat in targets):
        raise Refused(f"no host of the claim hears VLAN {vid} at {key(last)}")
    _leaves(last, came, None)


def _leaves(out: Spot, came: Spot, vid: int | None) -> None:
    if out == came or (out.protected and came.protected):
        raise Refused(f"the frame may not leave by {key(out)}")
    if vid is not None and not out.views[0].emit >> vid & 1:
        raise Refused(f"{key(out)} does not send VLAN {vid}")


def verify_joined(net: Network, edges: list[list[str]], seats: list[Seat], vids: int) -> None:
    """That hosts of one VLAN hear each other: links join their bridges, passing the VLAN both ways. Raises Refused."""
    root: dict[Hub, Hub] = {}

    def top(hub: Hub) -> Hub:
        while root.get(hub, hub) != hub:
            hub = root[hub]
        return hub

    if vids.bit_count() != 1:
        raise Refused("only one VLAN is joined by links that keep its number")
    for one, other in edges:
        a, b = net.by_key[one], net.by_key[other]
        for near, far in ((a, b), (b, a)):
            over = net.over(near, vids, "honest")
            if near.protected or not any(spot == far and arriving & vids for spot, _, arriving in over):
                raise Refused(f"VLAN {VlanSet(vids)} does not get from {key(near)} to {key(far)}")
        root[top(a.hub)] = top(b.hub)
    for seat in seats:
        view = seat.spot.views[0]
        keeps = view.bare & vids if not seat.tag else view.emit & ~view.bare & vids
        if seat.spot.protected or not keeps or seat.spot.outer:
            raise Refused(f"a host at {key(seat.spot)} may not hear its own VLAN, or not from every port")
    if len({top(seat.spot.hub) for seat in seats}) > 1:
        raise Refused("the links do not join all bridges with hosts of the VLAN")


# --- claims --------------------------------------------------------------------------------------------------------


def vids_of(vlans: dict[str, VlanSet], name: str) -> VlanSet | None:
    """The VLANs that a name means, by what they are called or by number; None for another thing."""
    number = name.partition(" ")[2] if name.lower().startswith(("vlan ", "vlans ")) else name
    try:
        return vlans.get(name) or (VlanSet.parse(number) if number[:1].isdigit() else None)
    except ValueError:
        return None


def meant(net: Network, seats: list[Seat], vlans: dict[str, VlanSet], name: str) -> set[Seat]:
    """The seats that a name of a claim means: a segment or VLAN (by `vlans`), numbers, a host, ports, or everything."""
    if name == "everything":
        return set(seats)
    vids = vids_of(vlans, name)
    if vids is not None:
        return {seat for seat in seats if seat.vid in vids}
    host = next((host for host in net.campus.hosts if host.name == name), None)
    device, port = (host.device, host.port) if host is not None else name.partition(":")[::2]
    found = {s for s in seats if fnmatchcase(s.spot.end[0], device) and fnmatchcase(s.spot.name, port)}
    return {s for s in found if s.tag == (host.vid or 0)} if host is not None else found


def vlan_sides(claim: Any, vlans: dict[str, VlanSet]) -> list[tuple[int, int]]:
    """The sides of an isolation of whole VLANs, as masks of VIDs; [] for any other."""

    def mask(names: Any) -> int:
        found = 0
        for name in names or ():
            vids = VlanSet.all() if name == "everything" else vids_of(vlans, name)
            if vids is None:
                raise LookupError(name)
            found |= vids.bits
        return found

    try:
        inside, outside = mask(claim.isolate), mask(claim.from_) & ~mask(claim.except_) & ~mask(claim.isolate)
        if claim.from_ is None:
            members = claim.isolate
            return [(mask([one]), mask([name for name in members if name != one])) for one in members]
    except LookupError:
        return []
    return [(inside, outside), (outside, inside)][: 1 if claim.one_way else 2]


def verify(net: Network, claim: Any, vlans: dict[str, VlanSet], entry: dict[str, Any]) -> None:
    """That an entry of a certificate is true of a claim of the plan. Raises Refused."""
    seats, level, verdict = net.seats, claim.level, entry["verdict"]

    def every(names: Any) -> set[Seat]:
        return {seat for name in names or () for seat in meant(net, seats, vlans, name)}

    legs: list[tuple[set[Seat], set[Seat]]] = []
    if claim.isolate is not None and verdict == "holds" and all("anywhere" in one for one in entry["closures"]):
        sides = vlan_sides(claim, vlans) if 0 not in net.by_vid else []
        for closure, (sends, hears) in zip(entry["closures"], sides, strict=bool(sides)):
            sent = [seat for vid in bits(sends) for seat in net.by_vid.get(vid, ())]
            heard = 0
            for vid, mask in net.heard_by_vid(level).items():
                heard |= mask if hears >> vid & 1 else 0
            verify_anywhere(net, VlanSet.parse(closure["anywhere"]).bits, sent, heard, level)
        if sides:
            return
    if claim.isolate is not None and claim.from_ is None:
        members = [every([name]) for name in claim.isolate]
        legs = [(own, set().union(*members[:n], *members[n + 1 :])) for n, own in enumerate(members)]
    elif claim.isolate is not None:
        outside = every(claim.from_) - every(claim.except_) - every(claim.isolate)
        legs = [(every(claim.isolate), outside), (outside, every(claim.isolate))][: 1 if claim.one_way else 2]
    elif claim.reach is not None or claim.not_reach is not None:
        one, other = claim.reach or claim.not_reach
        legs = [(every([one]), every([other]))]
    elif claim.join is not None:
        verify_join(net, every(claim.join), entry)
        return
    elif claim.carried_by is not None and verdict == "holds":
        legs = [({seat for seat in seats if seat.vid in claim.carried_by.vlans}, set())]
        for name in entry["closures"][0]:
            if not any(fnmatchcase(name.partition("|")[0], pattern) for pattern in claim.carried_by.on):
                raise Refused(f"frames can be on {name}")
        for device in net.campus.devices.values():
            for gateway in (g for g in device.gateways if g.vid in claim.carried_by.vlans):
                stated = entry["closures"][0].get(f"{device.name}|{gateway.bridge}", {"vids": "none"})
                alone = [VlanSet.parse(vids) for vids in stated.get("only", {}).values()]
                live = net.live[device.name] >> gateway.vid & 1
                if live and (gateway.vid not in VlanSet.parse(stated["vids"]) or any(gateway.vid in v for v in alone)):
                    raise Refused(f"the gateway of {device.name} in VLAN {gateway.vid} is not in the closure")
    else:
        raise Refused(f"a claim of this kind has no certificate: {claim.kind}")
    if verdict not in ("holds", "broken"):
        raise Refused(f"no certificate for the verdict {verdict!r}")
    if verdict == ("holds" if claim.reach is not None else "broken"):  # a frame gets there
        refused = None
        for sources, targets in legs:
            try:
                verify_way(net, entry["way"], list(sources), list(targets), level)
                return
            except Refused as one:
                refused = one
        raise refused or Refused("no side of the claim has a port")
    for closure, (sources, targets) in zip(entry["closures"], legs, strict=True):  # none does
        verify_closed(net, closure, list(sources), list(targets), level)


def verify_join(net: Network, seats: set[Seat], entry: dict[str, Any]) -> None:
    """That members are joined by the links of an entry; or, if broken, that one of them does not hear another."""
    if entry["verdict"] == "holds":
        if len(seats) > 1:
            verify_joined(net, entry["edges"], list(seats), sum({1 << seat.vid for seat in seats}))
        return
    one, other = ([s for s in seats if key(s.spot) == entry[side]] for side in ("from", "to"))
    if not one or not other or entry["verdict"] != "broken":
        raise Refused("the ports that are said to be apart are no members")
    verify_closed(net, entry["closures"][0], one, other, "honest")


def verify_entry(
    net: Network, claims: list[Any], vlans: dict[str, VlanSet], number: int, entry: dict[str, Any]
) -> bool:
    """Verify the entry of a certificate at a place; False if it brings none to verify. Raises Refused."""
    if claims:
        claim = claims[number]
        stated = (claim.kind, claim.level, claim.layer)
        if (entry["kind"], entry["level"], entry["layer"]) != stated:
            raise Refused("it is not the claim that the plan has at this place")
        if not entry.keys() & {"closures", "way", "edges"}:
            return False
        verify(net, claim, vlans, entry)
        return True
    if entry["kind"] not in ("no-leak", "whole"):
        raise Refused(f"a claim of the kind {entry['kind']!r} needs a plan")
    vids = VlanSet.parse(entry["vlans"]).bits
    if entry["kind"] == "whole" and entry.keys() & {"edges", "closures"}:
        verify_join(net, {seat for vid in bits(vids) for seat in net.by_vid.get(vid, ())}, entry)
        return True
    if entry["verdict"] == "undecided" or entry["kind"] == "whole":
        return False
    inside = [seat for vid in bits(vids) for seat in net.by_vid.get(vid, ())]
    if entry["verdict"] == "holds" and "anywhere" in entry["closures"][0]:
        heard = 0
        for vid, mask in net.heard_by_vid(entry["level"]).items():
            heard |= 0 if vids >> vid & 1 else mask
        verify_anywhere(net, VlanSet.parse(entry["closures"][0]["anywhere"]).bits, inside, heard, entry["level"])
        return True
    outside = [seat for seat in net.seats if not vids >> seat.vid & 1]
    if entry["verdict"] == "broken":
        verify_way(net, entry["way"], inside, outside, entry["level"])
    else:
        [closure] = entry["closures"]
        verify_closed(net, closure, inside, outside, entry["level"])
    return True
