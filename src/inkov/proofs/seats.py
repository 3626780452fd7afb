"""Seats: where hosts sit, and who is meant by the names in claims.

A seat is a host port and a form: untagged frames, or frames with one tag. A host in a seat sends
and hears in its form. An access port has one seat, with a voice VLAN two; a trunk with nobody known
behind it has one for each VLAN it passes; those of VLANs that need not be told apart are one seat
(`alike`).
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Sequence
from fnmatch import fnmatchcase
from functools import cached_property
from typing import NamedTuple

from inkov.campus import Host, Mode
from inkov.forwarding import BridgePort, Fabric, Form
from inkov.forwarding.outlets import outside_name
from inkov.forwarding.reach import Flood, honest_tags, owned_tags
from inkov.forwarding.serve import is_left_at_everything, tags_said
from inkov.levels import Level
from inkov.plan import Claim, Plan, vlan_names
from inkov.proofs.alike import idle_classes, tag_of, vids_named
from inkov.vlanset import VlanSet, bit, bits, union
from inkov.wiring import End

__all__ = ["ClaimNames", "HostSeats", "Seat", "Unknown", "all_seats"]


class Seat(NamedTuple):
    """`port` is the number of a bridge port; `tag` 0 for untagged frames; `vid` the VLAN of its
    frames, 0 for none. `also` has more tags, as a mask, where one seat stands for those of several
    VLANs: `tag` and `vid` are the lowest of them.
    """

    port: int
    tag: int
    vid: int
    also: int = 0

    @property
    def tags(self) -> int:
        """All tags of the seat, as a mask; nothing for untagged frames."""
        return bit(self.tag) | self.also

    def one_by_one(self) -> Iterator[Seat]:
        """A seat for each tag that this one stands for."""
        if not self.also:
            yield self
        for tag in bits(self.tags) if self.also else ():
            yield Seat(self.port, tag, tag)


class Unknown(Exception):
    """A name in a claim that means nothing here."""


def seats_of(fabric: Fabric, port: BridgePort, idle: Sequence[int] = ()) -> list[Seat]:
    """The seats at a host port. A tag that a sub-interface takes is that one's (FM 3.9). `idle` are
    the VLANs of which one seat stands for several (`alike.idle_classes`).
    """
    view = port.view
    if fabric.is_implied(port):
        # A tag that only the plan's hosts use: somebody must be said to be there.
        there = tags_said(fabric).get(port.end, 0) >> port.outer & 1
        subs = (fabric.bridge_ports[n] for n in fabric.at[port.end] if n != port.number)
        taken = any(sub.outer == port.outer for sub in subs)
        return [Seat(port.number, port.outer, port.outer)] if there and not taken else []
    seats = []
    vid = view.pvid or (view.untagged & -view.untagged).bit_length() - 1
    # Who hears one VLAN untagged is in it, even if what he sends is dropped.
    if view.pvid or view.untagged:
        seats.append(Seat(port.number, 0, outside_name(fabric, port.bridge, vid)))
    # A sub-interface takes its own tag only.
    if not port.outer:
        # One that only hears a tag is there as well; what it sends is dropped.
        tagged, said = view.emit & ~view.untagged, tags_said(fabric).get(port.end, 0)
        if view.form is Form.UNAWARE or port.end in fabric.wiring.of:
            # Nobody is taken to tag there but whom the plan says so of.
            tagged &= said | honest_tags(fabric, port)
        # Who is said to tag frames that are taken, and gets none back with that tag.
        tagged |= said & view.admit
        tagged &= ~owned_tags(fabric, port.end) if tagged else 0
        # Thousands of tags that nobody uses are one seat each class.
        if idle and is_left_at_everything(fabric, port):
            for together in idle:
                seats += _one_for(port.number, tagged & together)
            tagged &= ~union(idle)
        seats += [Seat(port.number, tag, tag) for tag in bits(tagged)]
    if not seats and (
        view.enters() or port.on_request
    ):  # in no VLAN, and yet a hostile host gets in there
        seats.append(Seat(port.number, 0, 0))
    return seats


def _one_for(port: int, tags: int) -> list[Seat]:
    """The seat that stands for some tags, if there are any."""
    lowest = (tags & -tags).bit_length() - 1
    return [Seat(port, lowest, lowest, tags & ~(1 << lowest))] if tags else []


def wire_of(fabric: Fabric, place: End) -> list[End]:
    """The end of a port, and those that a known link joins it to: whoever sits at a port with a
    link is on the wire of all of these (FM 4.9). A bundle stands for its members.
    """
    # A place that is not there has no wire.
    if place not in fabric.ports:
        return []
    end = fabric.end_of(place.device, place.port)
    return [end, *dict.fromkeys(fabric.wiring.around(end))]


def all_seats(fabric: Fabric, idle: Sequence[int] = ()) -> list[Seat]:
    """Every seat of the campus; at routed ports those of named hosts, which are in no VLAN. `idle`
    as in `seats_of`.
    """
    return [*_at_bridges(fabric, idle), *_at_routed(fabric)]


def _at_routed(fabric: Fabric) -> list[Seat]:
    placed = map(fabric.seat_of, fabric.campus.hosts)
    named = {(fabric.end_of(*place), tag) for place, tag in placed if place in fabric.ports}
    return [
        Seat(port.number, 0, 0)
        for port in fabric.bridge_ports
        if fabric.bridges[port.bridge].routed and (port.end, port.outer) in named
    ]


def _at_bridges(fabric: Fabric, idle: Sequence[int]) -> list[Seat]:
    return [
        seat
        for port in fabric.bridge_ports
        if fabric.is_host_port(port)
        for seat in seats_of(fabric, port, idle)
    ]


class HostSeats:
    """Where the hosts of a table sit, of some seats."""

    def __init__(self, fabric: Fabric, seats: Iterable[Seat]) -> None:
        self.fabric = fabric
        self._at: dict[End, list[Seat]] = {}
        self._behind: dict[tuple[End, int], list[Seat]] = {}
        for seat in seats:
            port = fabric.bridge_ports[seat.port]
            # The implied port of an unaware bridge is that port, as its host sees it.
            implied = fabric.is_implied(port)
            place = port.end if implied else End(port.end.device, port.port)
            self._at.setdefault(place, []).append(seat)
            if port.outer and not implied:
                self._behind.setdefault((port.end, port.outer), []).append(seat)

    def of(self, host: Host) -> tuple[list[Seat], list[Seat]]:
        """The seats of a host, in its form, on all of its wire; and all seats that are there."""
        place, tag = self.fabric.seat_of(host)
        wire = wire_of(self.fabric, place)
        there = [seat for end in wire for seat in self._at.get(end, ())]
        # A tag that a sub-interface takes leads there, without it (FM 3.9).
        behind = [seat for end in wire for seat in self._behind.get((end, tag), ())]
        own = [seat for seat in there if seat.tag == tag]
        return [*own, *behind], [*there, *behind]


class ClaimNames:
    """Finds the seats that a name means: a segment, a VLAN, a host, ports by a pattern, or
    everything. Whoever was at one of the devices that are `gone` is not missed.
    """

    def __init__(self, fabric: Fabric, plan: Plan, gone: Collection[str] = ()) -> None:
        self.fabric = fabric
        self.gone = gone
        self.vlans = vlan_names(plan, fabric.campus)
        self.seats = all_seats(fabric, idle_classes(fabric, plan, self.vlans))
        self.hosts = {host.name: host for host in fabric.campus.hosts}
        self._planned = [name for name, _ in plan.switches]  # which may not be there yet
        self._found: dict[tuple[str, Level], frozenset[Seat]] = {}
        self._others: dict[Level, dict[Seat, frozenset[Seat]]] = {}

    def known(self) -> list[str]:
        """Every name there is, for the nearest to a wrong one."""
        ports = dict.fromkeys(
            f"{end.device}:{end.port}"
            for end, resolved in self.fabric.ports.items()
            if not resolved.stated.implied
        )
        return [*self.vlans, *self.hosts, "everything", *ports]

    def vids(self, name: str) -> VlanSet | None:
        """The VLANs that a name means; None if it means something else."""
        return vids_named(name, self.vlans)

    def vlan_sides(self, claim: Claim) -> list[tuple[VlanSet, VlanSet]]:
        """The sides of an isolation as (VLANs that send, VLANs that hear), if whole VLANs are all
        it names; else [].
        """
        named = [*(claim.isolate or ()), *(claim.from_ or ()), *(claim.except_ or ())]
        # A name of a host or port, or a seat in no VLAN: numbers alone do not tell.
        sets = {name: VlanSet.all() if name == "everything" else self.vids(name) for name in named}
        if any(vids is None for vids in sets.values()) or any(seat.vid == 0 for seat in self.seats):
            return []

        def together(names: Iterable[str]) -> VlanSet:
            mask = union((sets[name] or VlanSet()).bits for name in names)
            return VlanSet(mask)

        inside = together(claim.isolate or ())
        # Each member against all others.
        if claim.from_ is None:
            members = claim.isolate or []
            return [(sets[m] or VlanSet(), together(n for n in members if n != m)) for m in members]
        outside = together(claim.from_) - together(claim.except_ or ()) - inside
        return [(inside, outside), (outside, inside)][: 1 if claim.one_way else 2]

    def of(self, name: str, level: Level = Level.HONEST) -> frozenset[Seat]:
        """The seats that a name means. A hostile host sits in every form of its port, whatever tag
        a table gives it. Raises Unknown.
        """
        key = name, level
        if key not in self._found:
            self._found[key] = self._of(name, level)
        return self._found[key]

    def meant(self, claim: Claim, name: str) -> frozenset[Seat]:
        """The seats that a name means in a claim: `reach` and `not-reach` between ports are about
        untagged frames, unless a tag is named. Raises Unknown.
        """
        seats = self.of(name, claim.level)
        asked = claim.reach is not None or claim.not_reach is not None
        plain = name != "everything" and self.vids(name) is None and name not in self.hosts
        # A named tag, or a VLAN, says the form itself.
        if asked and plain and claim.level == Level.HONEST and tag_of(name)[1] is None:
            return frozenset(seat for seat in seats if not seat.tag)
        return seats

    @cached_property
    def lost(self) -> dict[int, list[End]]:
        """VLAN -> the ports with nobody known behind that the files put into it, on switches that
        do not have it, and those that are shut with a named host: whoever is there is cut off.
        """
        lost: dict[int, list[End]] = {}
        fabric = self.fabric
        for port in fabric.bridge_ports:
            resolved = fabric.resolved(port)
            vid, mode = resolved.free.pvid, resolved.effective_mode
            # Others have no VLAN that they must be in; what is not known proves nothing.
            if mode not in (Mode.ACCESS, Mode.PRIVATE_HOST) or not resolved.known:
                continue
            missed = fabric.is_host_port(port) and resolved.end.device not in self.gone
            # The files put it there, and the switch does not.
            if vid and not port.view.pvid and missed:
                lost.setdefault(vid, []).append(resolved.end)
        for host in fabric.campus.hosts:
            place = End(host.device, host.port)
            # A host at a place that is not there is told elsewhere.
            if place not in fabric.ports or host.device in self.gone:
                continue
            own = fabric.ports[fabric.end_of(*place)]
            completed = own.completed
            homes = {Mode.ACCESS: completed.access_vlan, Mode.GENERAL: completed.pvid}
            home = host.vid or homes.get(own.mode)
            # A port that is shut cuts off whoever is known to be there.
            if home and not own.up and own.known:
                lost.setdefault(home, []).append(own.end)
        return lost

    @cached_property
    def shut(self) -> dict[int, list[End]]:
        """VLAN -> the ports for hosts that the files put into it, and that are shut."""
        shut: dict[int, list[End]] = {}
        for end, resolved in self.fabric.ports.items():
            # With a link it is no port for hosts.
            idle = not resolved.stated.on and end not in self.fabric.wiring.of
            if idle and not resolved.bundle and resolved.mode is Mode.ACCESS and resolved.known:
                shut.setdefault(resolved.completed.access_vlan or 0, []).append(end)
        return shut

    def shut_in(self, names: Iterable[str]) -> list[End]:
        """The ports that are shut in the VLANs that some names mean."""
        masks = (vids.bits for name in names if (vids := self.vids(name)) is not None)
        vids = VlanSet(union(masks)) if self.shut else VlanSet()
        return [end for vid, ends in self.shut.items() if vid in vids for end in ends]

    def lost_in(self, names: Iterable[str]) -> End | None:
        """A port that is cut off from a VLAN that some names mean."""
        for name in names:
            vids = self.vids(name)
            # "All VLANs" would be lost with any port.
            for vid in vids if vids is not None and vids != VlanSet.all() else ():
                if vid in self.lost:
                    return self.lost[vid][0]
            # A host, or a port: is it cut off?
            if vids is None and name != "everything":
                end = self._cut_off(name)
                if end is not None:
                    return end
        return None

    def _cut_off(self, name: str) -> End | None:
        """The port that a host or a name means, if it is shut, or cut off from its VLAN."""
        host = self.hosts.get(name)
        device, _, port = name.partition(":")
        place = End(host.device, host.port) if host is not None else End(device, port)
        # It has a seat, so it is not.
        if place not in self.fabric.ports or self.of(name):
            return None
        return self.fabric.end_of(*place)

    def pinged(self, claim: Claim) -> tuple[Host, Host] | None:
        """The hosts of a claim that two honest hosts with addresses reach each other: that is so
        if a ping between them works.
        """
        if claim.reach is None or claim.level != Level.HONEST:
            return None
        one, other = (self.hosts.get(name) for name in claim.reach)
        # Without both addresses nobody can ping.
        if one is None or other is None or one.address is None or other.address is None:
            return None
        return one, other

    def seatless(self, claim: Claim) -> str | None:
        """A host or port that a claim names and that has no seat: what to say of it; None if
        there is none.
        """
        for name in claim.members:
            # Names that mean somebody are not missing.
            if name == "everything" or self.vids(name) is not None or self.meant(claim, name):
                continue
            if name in self.hosts:
                host = self.hosts[name]
                place = End(host.device, host.port)
                tag = f" with tag {host.vid}" if host.vid else ""
                # Why nobody is there, as near as can be told.
                if place not in self.fabric.ports:
                    return f"{name} is at {place}, which is not there"
                up = self.fabric.ports[self.fabric.end_of(*place)].up
                why = f"takes no frames of it{tag}" if up else "is shut"
                return f"{name} sits at {place}, and that port {why}"
            # It is there, only not untagged.
            if self.of(name, claim.level):
                tags = sorted({seat.tag for seat in self.of(name, claim.level)})
                return (
                    f"{name} takes no untagged frames; name a tag, as in '{name} tagged {tags[0]}'"
                )
            return f"nobody sits at {name}: no such port is up, or it takes no frames"
        return None

    def near(self, spread: Flood, seats: frozenset[Seat]) -> frozenset[Seat]:
        """Those of some seats that have a port on their wire where frames of a closure are."""
        return frozenset(
            s for bridge in spread.bridges for s in self._on.get(bridge, ()) if s in seats
        )

    @cached_property
    def _on(self) -> dict[int, list[Seat]]:
        """The seats with a port on their wire on each bridge."""
        seats: dict[int, list[Seat]] = {}
        ports = self.fabric.bridge_ports
        for seat in self.seats:
            for bridge in {ports[number].bridge for number in self.fabric.at[ports[seat.port].end]}:
                seats.setdefault(bridge, []).append(seat)
        return seats

    def on_wire(self, seats: frozenset[Seat], level: Level) -> frozenset[Seat]:
        """All seats of those who sit in some: whoever is on a wire with several ends is at each of
        them, in his form, and if hostile in any (FM 4.9).
        """
        every = self._elsewhere(level)
        return seats.union(*{every[seat] for seat in seats if seat in every}) if every else seats

    def _elsewhere(self, level: Level) -> dict[Seat, frozenset[Seat]]:
        """Seat -> those of the same host at other ends of its wire."""
        if level not in self._others:
            ports = self.fabric.bridge_ports
            ends: dict[End, dict[int, list[Seat]]] = {}
            for seat in self.seats:
                forms = ends.setdefault(ports[seat.port].end, {})
                for tag in self._forms(seat, level):
                    forms.setdefault(tag, []).append(seat)
            others = self._others[level] = {}
            for end, forms in ends.items():
                far = [ends[other] for other in self.fabric.wiring.around(end) if other in ends]
                # Most ends have a cable with nobody else on it, or none.
                for tag, own in forms.items() if far else ():
                    also = frozenset(seat for other in far for seat in other.get(tag, ()))
                    for seat in own:
                        # One set for all of an end: a hostile host has thousands of seats.
                        others[seat] = others[seat] | also if seat in others else also
        return self._others[level]

    def _forms(self, seat: Seat, level: Level) -> Iterable[int]:
        """The tags that a host wears on its wire, 0 for none; hostile hosts are all of one form."""
        tags = bit(self.fabric.bridge_ports[seat.port].outer) or seat.tags
        return bits(tags) if tags and level == Level.HONEST else (0,)

    def _of(self, name: str, level: Level) -> frozenset[Seat]:
        if name == "everything":
            return frozenset(self.seats)
        vids = self.vids(name)
        if vids is not None:
            return frozenset(seat for seat in self.seats if seat.vid in vids)
        if name in self.hosts:
            return self._of_host(self.hosts[name], level)
        whole, tag = tag_of(name)
        # A port may be called so itself: then it is no tag.
        if tag is not None and End(*name.split(":", 1)) not in self.fabric.ports:
            return frozenset(seat for seat in self.of(whole, level) if seat.tag == tag)
        if ":" in name:
            device, _, port = name.partition(":")
            if End(device, port) in self.fabric.ports:  # a bundle stands for its members
                port = self.fabric.end_of(device, port).port
            seats = frozenset(self._at(device, port))
            # A pattern that fits a port with nobody is known, and empty.
            if seats or any(
                self._fits(end.device, end.port, device, port) for end in self.fabric.ports
            ):
                return seats
        raise Unknown(name)

    def _of_host(self, host: Host, level: Level) -> frozenset[Seat]:
        """The seats of a host, in its form, on all of its wire."""
        own, there = self._host_seats.of(host)
        # Whoever is hostile uses any form, also where his own is not taken.
        return frozenset(there if level == Level.HOSTILE and not own else own)

    @cached_property
    def _host_seats(self) -> HostSeats:
        return HostSeats(self.fabric, self.seats)

    def unknown(self, claim: Claim) -> list[tuple[str, str, list[str]]]:
        """The names in a claim that mean nothing: what to say of each, the name, and those that
        would.
        """
        unknown = []
        for name in claim.members:
            # A plan may be written before its switches are there.
            try:
                self.of(name)
            except Unknown:
                unknown.append((f"nothing is called {name!r}", name, self.known()))
        carried = claim.carried_by
        if carried is not None:
            ends = [str(end) for link in self.fabric.wiring.links for end in (link.a, link.b)]
            devices = [*self.fabric.campus.devices, *self._planned]
            for says, patterns, known in (
                ("no switch is called", carried.on, devices),
                ("no link ends at", carried.over, ends),
            ):
                for pattern in patterns or ():
                    if not any(fnmatchcase(name, pattern) for name in known):
                        unknown.append((f"{says} {pattern!r}", pattern, known))
        return unknown

    def any_of(self, names: Iterable[str], level: Level = Level.HONEST) -> frozenset[Seat]:
        return frozenset().union(*(self.of(name, level) for name in names))

    def _at(self, device: str, port: str) -> list[Seat]:
        fabric = self.fabric

        def fits(own: BridgePort) -> bool:
            name = own.end.port if fabric.is_implied(own) else own.port
            return self._fits(own.end.device, name, device, port)

        return [s for s in self.seats if fits(fabric.bridge_ports[s.port])]

    def _fits(self, device: str, port: str, wanted: str, wanted_port: str) -> bool:
        """A name that is one is no pattern, whatever marks it holds."""
        if End(wanted, wanted_port) in self.fabric.ports:
            return (device, port) == (wanted, wanted_port)
        return fnmatchcase(device, wanted) and fnmatchcase(port, wanted_port)
