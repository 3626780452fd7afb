"""Who is meant by the names of a claim, worked out by the verifier's own code."""

from __future__ import annotations

from collections.abc import Iterable
from fnmatch import fnmatchcase

from inkov.campus import Host
from inkov.levels import Level
from inkov.plan import Claim
from inkov.verify.closures import Side, parse
from inkov.verify.frames import HostSeat
from inkov.verify.packets import PacketModel
from inkov.vlanset import ALL_BITS, VlanSet

__all__ = ["legs_of", "meant", "pinged", "vids_of"]


def vids_of(vlans: dict[str, VlanSet], name: str) -> int | None:
    """The VLANs that a name means, by what they are called or by number; None for another thing."""
    number = name.partition(" ")[2] if name.lower().startswith(("vlan ", "vlans ")) else name
    try:
        return (
            vlans[name].bits if name in vlans else parse(number) if number[:1].isdigit() else None
        )
    except ValueError:
        return None


def meant(
    net: PacketModel,
    vlans: dict[str, VlanSet],
    names: Iterable[str] | None,
    level: Level = Level.HONEST,
) -> Side:
    """Who is meant by names of a claim: segments or VLANs (by `vlans`), numbers, hosts, ports, or
    everything.
    """
    vids = 0
    some: set[HostSeat] = set()
    hosts = {host.name: host for host in net.campus.hosts}
    for name in names or ():
        if name == "everything":
            vids = ALL_BITS | 1
        elif (mask := vids_of(vlans, name)) is not None:
            vids |= mask
        else:
            some.update(
                _at_host(net, hosts[name], level) if name in hosts else _at_ports(net, name)
            )
    return Side(vids, frozenset(some))


def _at_host(net: PacketModel, host: Host, level: Level) -> list[HostSeat]:
    """The seats of a host, in its form, on all of its wire."""
    place, tag = net.seat_of(host)
    wire = net.wire_of(place)
    own = [seat for seat in net.seats if net.called(seat.spot) in wire]
    # FM 3.9: a tag that a sub-interface takes is that one's; what comes by it has none.
    subs = [seat for seat in net.seats if tag and seat.spot.outer == tag and not seat.tag]
    behind = [s for s in subs if s.spot.end in wire and not net.is_implied(s.spot)]
    in_form = [*(seat for seat in own if seat.tag == tag), *behind]
    return own if level == Level.HOSTILE and not in_form else in_form


def _at_ports(net: PacketModel, name: str) -> list[HostSeat]:
    """The seats at ports by name, or if no port is called so, by a pattern; of those with a tag
    behind it (`gate-1:4 tagged 40`), the ones in this form.
    """
    device, port = name.partition(":")[::2]
    called = net.campus.devices.get(device)
    # A port by its very name, whatever marks that holds.
    if called is not None and port in called.ports:
        end = net.whole((device, port))
        return [seat for seat in net.seats if net.called(seat.spot) == end]
    port, tagged, tag = port.rpartition(" tagged ")
    # A tag behind the name of a port.
    if tagged and tag.isdecimal():
        return [seat for seat in _at_ports(net, f"{device}:{port}") if seat.tag == int(tag)]
    port = name.partition(":")[2]
    return [
        seat
        for seat in net.seats
        for own in [net.called(seat.spot)]
        if fnmatchcase(own[0], device) and fnmatchcase(own[1], port)
    ]


def legs_of(net: PacketModel, claim: Claim, vlans: dict[str, VlanSet]) -> list[tuple[Side, Side]]:
    """Whose frames a claim is about, and who hears them."""

    def side(names: Iterable[str] | None) -> Side:
        return meant(net, vlans, names, claim.level)

    # Each member against all the others.
    if claim.isolate is not None and claim.from_ is None:
        return [
            (side([one]), side(name for name in claim.isolate if name != one))
            for one in claim.isolate
        ]
    # One side against another, less what is excepted.
    if claim.isolate is not None:
        inside = side(claim.isolate)
        outside = side(claim.from_).minus(side(claim.except_), net).minus(inside, net)
        return [(inside, outside), (outside, inside)][: 1 if claim.one_way else 2]
    one, other = claim.reach or claim.not_reach or ("", "")
    return [(_untagged(net, vlans, one, claim.level), _untagged(net, vlans, other, claim.level))]


def _untagged(net: PacketModel, vlans: dict[str, VlanSet], name: str, level: Level) -> Side:
    """Who is meant where one place is to reach another: at ports whoever sends untagged frames,
    unless a tag is named.
    """
    side = meant(net, vlans, [name], level)
    whole = vids_of(vlans, name) is not None or name == "everything" or " tagged " in name
    named = any(host.name == name for host in net.campus.hosts)
    # Whole VLANs and named hosts say their form themselves.
    if whole or named or level == Level.HOSTILE:
        return side
    return Side(side.vids, frozenset(seat for seat in side.some if not seat.tag))


def pinged(net: PacketModel, claim: Claim) -> tuple[Host, Host] | None:
    """The honest hosts with addresses that are to reach each other, by a ping."""
    hosts = {host.name: host for host in net.campus.hosts if host.address is not None}
    names = claim.reach or []
    pair = [hosts[name] for name in names if name in hosts and claim.level == Level.HONEST]
    # Both must be hosts with addresses, or no ping is possible.
    return (pair[0], pair[1]) if len(pair) == len(names) == 2 else None
