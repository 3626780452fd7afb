"""The independent verifier: is a certificate true of these configurations?

Of a claim that holds, the certificate states where frames can be: closed, so that no step leads out
and no host of the other side hears any of it. Of one that is broken it states a way, which is
replayed frame by frame. What a step is, who sits where and who is meant by a claim is worked out by
code of the verifier's own (`frames`, `packets`), not by the engine.
"""

from __future__ import annotations

from collections.abc import Sequence
from fnmatch import fnmatchcase
from typing import Any, NamedTuple

from inkov.levels import Layer, Level, Outcome
from inkov.plan import Claim, SharedFate
from inkov.plan.schema import Carried
from inkov.verify.areas import areas_of
from inkov.verify.closures import (
    ClaimEntry,
    Closure,
    Refused,
    Sent,
    Side,
    in_order,
    parse,
    sent,
    verify_apart,
    verify_closed,
)
from inkov.verify.frames import HostSeat, Spot, views_at
from inkov.verify.joins import homes, members, verify_join, verify_joined
from inkov.verify.losses import verify_withstanding
from inkov.verify.members import legs_of, meant, pinged, vids_of
from inkov.verify.packets import PacketModel
from inkov.verify.ways import may_leave, replay, verify_ping, verify_way
from inkov.vlanset import VlanSet, bit, bits, union

__all__ = ["Checked", "check_certificate", "check_ports", "verify", "verify_entry"]


class _Places:
    """Where the VLANs of a claim may be."""

    def __init__(self, net: PacketModel, carried: Carried) -> None:
        self.net = net
        self.carried = carried

    def on(self, switch: str) -> bool:
        return _fits(self.carried.on, switch)

    def over(self, spot: Spot) -> bool:
        """Whether what leaves a port stays on links that it may cross. Either end names a link."""
        ends = (spot.end, *self.net.far.get(spot.end, ()))
        return _fits(self.carried.over, *(f"{name}:{port}" for name, port in ends))


def _fits(patterns: list[str] | None, *names: str) -> bool:
    """Whether one of the patterns fits one of the names. No patterns: nothing is asked."""
    return patterns is None or any(
        fnmatchcase(name, pattern) for name in names for pattern in patterns
    )


def verify_carried(net: PacketModel, claim: Claim, entry: ClaimEntry) -> None:
    """That frames of some VLANs are on some switches and links only, or where they are besides.

    Raises Refused.
    """
    carried = claim.carried_by
    assert carried is not None
    places = _Places(net, carried)
    sends = _sent_in(net, carried.vlans, claim.level)
    if entry["verdict"] == "broken":
        _verify_escape(net, entry, sends, places, claim.level)
        return
    closure = verify_closed(net, entry["closures"][0], sends, claim.level)
    for hub, mask in closure.there.items():
        # A closure that a claim allows has nothing beyond its switches.
        if mask and not places.on(hub[0]):
            raise Refused(f"frames can be on {hub[0]}")
        for spot in net.at.get(hub, ()):
            emitted = union(view.emit for view in views_at(spot, claim.level))
            leaves = spot.end in net.far and emitted & closure.leaving(spot)
            # Only by a link can it leave the switch; host ports are its own.
            if leaves and not places.over(spot):
                raise Refused(f"frames can leave by {spot.key}")


def _sent_in(net: PacketModel, vlans: VlanSet, level: Level) -> list[Sent]:
    """What all hosts and gateways in some VLANs send."""
    seats = (seat for vid in vlans for seat in net.by_vid.get(vid, ()))
    sends = sent(net, seats, level)
    for device in net.campus.devices.values():
        for gateway in device.gateways:
            if gateway.vid in vlans:
                live = net.live_at(device, gateway.bridge)
                hub = device.name, gateway.bridge
                sends.append((hub, None, bit(gateway.vid) & live))
    return sends


def _verify_escape(
    net: PacketModel, entry: ClaimEntry, sends: list[Sent], places: _Places, level: Level
) -> None:
    """That a way leads to where the VLAN may not be: a switch, or out over a link."""
    hub, came, vid, rest = replay(net, entry["way"], sends, level)
    if rest:
        # The way may end by leaving over a link that it may not cross.
        step = rest[0]
        out = may_leave(net, hub, came, f"{step['switch']}:{step['port']}")
        sent_out = any(view.emit >> vid & 1 for view in views_at(out, level))
        if step["event"] != "leaves" or step["vlan"] != vid or not sent_out:
            raise Refused("a way ends where the VLAN may not be")
        # Out over a forbidden link: that is the escape.
        if out.end in net.far and not places.over(out):
            return
    if places.on(hub[0]):
        raise Refused("the way ends where the VLAN may be")


def verify(net: PacketModel, claim: Claim, vlans: dict[str, VlanSet], entry: ClaimEntry) -> None:
    """That an entry of a certificate is true of a claim. Raises Refused."""
    _see_that_names_mean_somebody(net, claim, vlans)
    holds = entry["verdict"] == "holds"
    if claim.join is not None:
        if holds:
            # A member that is cut off hears nobody, whatever links do.
            _none_cut_off(net, vlans, claim.join, set(net.campus.devices))
        verify_join(net, meant(net, vlans, claim.join).seats(net), entry)
    elif claim.carried_by is not None:
        verify_carried(net, claim, entry)
    elif holds == (claim.reach is not None):  # a frame gets there, on one of the legs
        _verify_arrival(net, claim, vlans, entry)
    else:  # none does
        _verify_silence(net, claim, vlans, entry)


def _verify_arrival(
    net: PacketModel, claim: Claim, vlans: dict[str, VlanSet], entry: ClaimEntry
) -> None:
    pair = pinged(net, claim)
    if pair is not None:
        verify_ping(net, entry, *pair, legs_of(net, claim, vlans)[0], claim)
        return
    refused = []
    for leg in _on_wires(net, claim, vlans):
        try:
            verify_way(net, entry["way"], *leg, claim)
            return
        except Refused as why:
            # One leg is enough: the reason of the last one is given.
            refused.append(why)
    raise refused[-1]


def _on_wires(net: PacketModel, claim: Claim, vlans: dict[str, VlanSet]) -> list[tuple[Side, Side]]:
    """The legs of a claim, each side at all ends of its wires."""
    return [
        (one.on_wires(net, claim.level), other.on_wires(net, claim.level))
        for one, other in legs_of(net, claim, vlans)
    ]


def _verify_silence(
    net: PacketModel, claim: Claim, vlans: dict[str, VlanSet], entry: ClaimEntry
) -> None:
    legs = _on_wires(net, claim, vlans)
    if claim.isolate is not None and claim.from_ is None:
        # A seat in two members of an isolation would hear itself.
        _see_that_none_is_in_two(net, claim, vlans)
    elif claim.isolate is not None:
        _see_that_all_outside_is(net, claim, vlans)
    else:
        _see_that_both_are_not_at_one_wire(net, claim, vlans)
    for closure, leg in zip(entry["closures"], legs, strict=True):
        verify_apart(net, closure, *leg, claim.level, claim.level)
    if claim.layer == Layer.PACKETS:
        for closure, routed, leg in zip(entry["closures"], entry["routed"], legs, strict=True):
            # By numbers alone: from any bridge a router may take it.
            if "anywhere" in closure:
                sends = net.passed_on({}, parse(closure["anywhere"]), claim.level)
            else:
                sends = net.passed_on(Closure(closure).there, 0, claim.level)
            verify_apart(net, routed, sends, leg[1], Level.HONEST, claim.level)


def _see_that_names_mean_somebody(
    net: PacketModel, claim: Claim, vlans: dict[str, VlanSet]
) -> None:
    """That each name of a claim is a VLAN, or somebody's who sits somewhere: of nobody everything
    is true. Raises Refused.
    """
    for name in claim.members:
        vlan = name == "everything" or vids_of(vlans, name) is not None
        # Of nobody everything is true: never verified.
        if not vlan and not meant(net, vlans, [name], claim.level).some:
            raise Refused(f"nobody is meant by {name}, or nobody sits there")
    if claim.join is not None and not meant(net, vlans, claim.join).seats(net):
        raise Refused("nobody is in what is joined")


def _see_that_none_is_in_two(net: PacketModel, claim: Claim, vlans: dict[str, VlanSet]) -> None:
    """That no seat is in two members of an isolation: it hears itself. Raises Refused."""
    taken: dict[HostSeat, str] = {}
    for name in claim.isolate or ():
        member = meant(net, vlans, [name], claim.level).on_wires(net, claim.level)
        for seat in in_order(member.seats(net)):
            # The same host on both sides: no isolation.
            if seat in taken:
                raise Refused(f"{seat.spot.key} is in {taken[seat]} and in {name}")
            taken[seat] = name


def _see_that_all_outside_is(net: PacketModel, claim: Claim, vlans: dict[str, VlanSet]) -> None:
    """That of each name that others are isolated from somebody is outside, and on no wire with
    those inside. Raises Refused.
    """
    inside = meant(net, vlans, claim.isolate, claim.level)
    own, wires = inside.seats(net), inside.on_wires(net, claim.level).seats(net)
    excepted = meant(net, vlans, claim.except_, claim.level).seats(net)
    for name in claim.from_ or ():
        others = meant(net, vlans, [name], claim.level).seats(net)
        if others and others <= own and name != "everything":
            raise Refused(f"all of {name} is among those that are to be apart from it")
        if wires & (others - own - excepted):
            raise Refused(f"{name} is on one wire with those that are to be apart from it")


def _see_that_both_are_not_at_one_wire(
    net: PacketModel, claim: Claim, vlans: dict[str, VlanSet]
) -> None:
    """That two who are not to reach each other have no wire in common; a port within `everything`
    is not told from itself. Raises Refused.
    """
    hosts = {host.name for host in net.campus.hosts}
    [(one, other)] = legs_of(net, claim, vlans)
    same = one.seats(net) & other.seats(net) and not hosts.issuperset(claim.members)
    sides = (side.on_wires(net, claim.level).seats(net) for side in (one, other))
    if set.intersection(*sides) and not same:
        raise Refused("both are on one wire: what they hear of each other there passes no switch")


def _none_cut_off(
    net: PacketModel, vlans: dict[str, VlanSet], names: list[str], switches: set[str]
) -> None:
    """That no port of some switches is put into a VLAN that its switch lacks. Raises Refused."""
    for name in names:
        side = meant(net, vlans, [name])
        # Of "everything" nobody can be cut off.
        for vid in sorted(net.lost) if name != "everything" else ():
            for switch, port in net.lost[vid] if side.vids >> vid & 1 else ():
                if switch in switches:
                    raise Refused(
                        f"{switch}:{port} is put into VLAN {vid}, and cut off where it is"
                    )


def verify_entry(
    net: PacketModel,
    claims: list[Claim],
    vlans: dict[str, VlanSet],
    number: int,
    entry: ClaimEntry,
    together: Sequence[SharedFate] = (),
) -> bool:
    """Verify the entry of a certificate at a place; False if it brings none to verify. Raises
    Refused.
    """
    # Words come from a file: what is not known is refused, not guessed.
    if entry["verdict"] not in list(Outcome) or entry["level"] not in list(Level):
        raise Refused("there is no such verdict, or no such level")
    # The claims are those of the plan, not those that the entry says it is about.
    if claims:
        claim = claims[number]
    elif entry["kind"] == "no-leak":
        claim = _no_leak(net, entry)
    elif entry["kind"] == "whole":
        claim = _whole(entry)
    else:
        raise Refused("without a plan, a VLAN leaks into no other, or is not split")
    stated = claim.words, claim.kind if claims else entry["kind"], claim.level, claim.layer
    if (entry["claim"], entry["kind"], entry["level"], entry["layer"]) != stated:
        raise Refused("it is not the claim that the plan has at this place, or that needs none")
    # Without any of these there is nothing to verify.
    brings = bool(entry.keys() & {"closures", "way", "ways", "edges"})
    if entry["verdict"] == Outcome.UNDECIDED:
        # Undecided with a certificate would count as neither.
        if brings:
            raise Refused("what is undecided has no certificate")
        return False
    if not brings:
        return False
    if claims and claim.withstand is not None and entry["verdict"] == Outcome.HOLDS:
        _see_that_names_mean_somebody(net, claim, vlans)
        _none_cut_off(net, vlans, claim.join or [], set(net.campus.devices))
        verify_withstanding(net, claim, vlans, entry, together)
    elif not claims and entry["kind"] == "whole" and entry["verdict"] == Outcome.HOLDS:
        names = areas_of(net)[entry["around"]] if "around" in entry else set(net.campus.devices)
        _none_cut_off(net, {}, [f"vlan {entry['vlans']}"], names)
        [vid] = VlanSet.parse(entry["vlans"])
        verify_joined(net, entry["edges"], vid, members(net, vid, names))
    else:
        verify(net, claim, vlans if claims else {}, entry)
    return True


def _no_leak(net: PacketModel, entry: ClaimEntry) -> Claim:
    """The claim that a VLAN, or a primary VLAN with its secondaries, leaks into no other. Raises
    Refused.
    """
    vlans = VlanSet.parse(entry["vlans"])
    # A group must be one VLAN, or a primary with its secondaries: others would hide a leak between
    # them.
    if not vlans or vlans.bits & ~net.together(next(iter(vlans))):
        raise Refused(f"VLAN {vlans} is no VLAN, and no primary with its secondaries")
    return Claim(
        isolate=[f"vlan {vlans}"],
        from_=["everything"],
        one_way=True,
        level=Level(entry["level"]),
        about=f"VLAN {vlans} leaks into no other",
    )


def _whole(entry: ClaimEntry) -> Claim:
    vlans = VlanSet.parse(entry["vlans"])
    if len(vlans) != 1:
        raise Refused("one VLAN at a time is not split")
    around = f" around {entry['around']}" if "around" in entry else ""
    return Claim(join=[f"vlan {vlans}"], about=f"VLAN {vlans} is not split{around}")


class Checked(NamedTuple):
    """What checking a certificate comes to: `verified` is the number of its claims that hold, and
    whose entries are true.

    `refused` says of each entry that is not true why, and what is missing; `left` of each other
    claim what keeps it from being verified: that it is broken, truly; undecided; or without a
    certificate.
    """

    refused: list[str]
    left: list[str]
    verified: int


def check_certificate(
    net: PacketModel,
    claims: list[Claim],
    vlans: dict[str, VlanSet],
    entries: list[Any],
    level: Level = Level.HONEST,
    together: Sequence[SharedFate] = (),
) -> Checked:
    """Check every entry of a certificate, and that it has one for all there is to claim.

    `claims` are those of the plan, [] without one; `vlans` the VLANs by what they are called;
    `level` the level at which VLANs may leak into no other, without a plan; `together` what the
    plan says fails together.
    """
    refused: list[str] = []
    left: list[str] = []
    counted = entries[: len(claims)] if claims else entries
    for number, entry in enumerate(counted):
        try:
            brings = verify_entry(net, claims, vlans, number, entry, together)
            nobody = _about_nobody(net, claims[number], vlans) if claims else ""
            # Only what holds, of somebody, and with a certificate, counts as verified.
            if entry["verdict"] != Outcome.HOLDS or not brings or nobody:
                left.append(_why_not(entry, number, nobody, brings=brings))
        except Refused as why:
            refused.append(f"claim {number + 1}: {why}")
        except (KeyError, TypeError, ValueError, AttributeError, IndexError):
            # An entry is data from a file: whatever is wrong with it is refused.
            refused.append(f"claim {number + 1}: the entry is not well-formed")
    verified = len(counted) - len(refused) - len(left)
    if not claims:
        # Without a plan there must be an entry for each VLAN.
        refused += _missing(net, entries, level)
    # What the plan has and the certificate does not is missing.
    if claims and len(claims) != len(entries):
        refused.append(f"the plan has {len(claims)} claims, the certificate {len(entries)}")
    return Checked(refused, left, verified)


def _about_nobody(net: PacketModel, claim: Claim, vlans: dict[str, VlanSet]) -> str:
    """A name in a claim that stands for VLANs with nobody in them: of nobody everything holds."""
    names = (name for name in claim.members if name not in (claim.except_ or ()))
    empty = (name for name in names if not meant(net, vlans, [name], claim.level).seats(net))
    return next(empty, "")


def _why_not(entry: ClaimEntry, number: int, nobody: str, *, brings: bool) -> str:
    """Why a claim is not verified to hold, though its entry is not refused."""
    name = f"claim {number + 1} ({entry['claim']})"
    if entry["verdict"] == Outcome.UNDECIDED:
        return f"{name} is undecided"
    if not brings:
        return f"{name} is without a certificate"
    if entry["verdict"] == Outcome.BROKEN:
        return f"{name} is broken, and the certificate of that is true"
    return f"{name} is true of nobody: no port is in {nobody}"


def _missing(net: PacketModel, entries: list[Any], level: Level) -> list[str]:
    """What a certificate without a plan must have an entry for, and has not: that no VLAN that
    anybody sits in leaks, and that none is split that is on several bridges of an area.
    """
    covered = 0
    wholes: set[tuple[int, str]] = set()
    for entry in entries:
        try:
            vids = parse(entry["vlans"])
            # An entry for hostile hosts covers honest ones.
            if entry["kind"] == "no-leak" and entry["level"] in (level, Level.HOSTILE):
                covered |= vids
            elif entry["kind"] == "whole":
                wholes.update((vid, entry.get("around", "")) for vid in bits(vids))
        except (KeyError, TypeError, ValueError, AttributeError):
            continue  # refused as it is
    hostile = ", with hosts that are hostile" if level == Level.HOSTILE else ""
    lines = [
        f"no claim is about VLAN {vid}{hostile}"
        for vid in sorted(net.by_vid)
        # A VLAN that nobody is in needs no entry.
        if vid and not covered >> vid & 1 and net.served(vid)
    ]
    areas = areas_of(net)
    for name, switches in areas.items():
        around = name if len(areas) > 1 else ""
        for vid in sorted(net.vids_of_somebody):
            # On one bridge it cannot be split.
            if (vid, around) not in wholes and len(homes(net, vid, switches)) > 1:
                lines.append(
                    f"no claim is that VLAN {vid} is not split{around and ' around '}{around}"
                )
    return lines


_TOLD = 5  # ports that are taken for something else


def check_ports(net: PacketModel, taken: dict[str, Any]) -> list[str]:
    """The ports that a certificate takes for something else than the files say (FM 2.1), each as a
    sentence.

    Files are read once, for engine and verifier alike. So the certificate states what they were
    taken to say, in the standard's terms: a person can hold that against the switch.
    """
    own = {}
    for spot in net.by_key.values():
        # What keeps a tag apart is no port that a person could look at.
        if not net.campus.devices[spot.hub[0]].ports[spot.name].implied:
            view = spot.views[0]
            own[spot.key] = {
                "pvid": view.pvid or None,
                "admit": str(VlanSet(view.admit)),
                "emit": str(VlanSet(view.emit)),
                "untagged": str(VlanSet(view.untagged)),
                **({"protected": True} if spot.protected else {}),
            }
    differing = sorted(key for key in own.keys() | taken.keys() if own.get(key) != taken.get(key))
    more = [f"and {len(differing) - _TOLD} more ports"] if len(differing) > _TOLD else []
    return [
        f"port {key} is not what the certificate takes it for" for key in differing[:_TOLD]
    ] + more
