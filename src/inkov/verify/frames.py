"""What switches do with frames, written out again for the verifier: one port at a time, from
docs/forwarding-model.md.

It shares nothing with the engine but the campus model and VID sets. Rules are cited as there
(FM 2.1); nothing here knows of certificates or claims.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from inkov.campus import Campus, Device, Host, Mode, Negotiation, Port, PortKind
from inkov.levels import Level
from inkov.verify.rules import ALL, PortRules, rules_of
from inkov.vlanset import VlanSet, bit, union

__all__ = ["End", "FrameModel", "HostSeat", "Hub", "Spot", "bits"]

End = tuple[str, str]
Hub = tuple[str, str]  # device and bridge


@dataclass(eq=False, slots=True)
class Spot:
    """A port as a bridge has it: the end its frames pass, the tag they wear there (0 for none of
    its own).
    """

    end: End
    name: str
    outer: int
    hub: Hub
    views: tuple[PortRules, ...]  # its own first, then those it can be lured into
    protected: bool
    routed: bool

    @property
    def key(self) -> str:
        return f"{self.hub[0]}:{self.name}"


@dataclass(eq=False, slots=True)
class HostSeat:
    """Where a host sits: at a port, sending and hearing untagged frames (0) or those with one tag,
    in VLAN `vid`.
    """

    spot: Spot
    tag: int
    vid: int


def bits(mask: int) -> Iterator[int]:
    return iter(VlanSet(mask & ALL))


class FrameModel:
    """The campus as frames see it. `cables` are pairs of ports, as (switch, port, far switch, far
    port); at the ports `occupied` (switch, port, name) somebody of that name is reported who is not
    among the files.
    """

    def __init__(
        self,
        campus: Campus,
        cables: Iterable[tuple[str, str, str, str]],
        occupied: Iterable[tuple[str, str, str]] = (),
    ) -> None:
        self.campus = campus
        self.boxes: dict[str, set[End]] = {}
        for switch, name, box in occupied:
            self.boxes.setdefault(box, set()).add((switch, name))
        self.far: dict[End, list[End]] = {}
        for a, p, b, q in cables:
            one, other = self.whole((a, p)), self.whole((b, q))
            for near, far in ((one, other), (other, one)):
                # The same cable may be told twice.
                if far not in self.far.setdefault(near, []):
                    self.far[near].append(far)
        self.attended = self._attended()
        self.homes = {
            (d.name, port): b.name
            for d in campus.devices.values()
            for b in d.bridges.values()
            for port in b.ports
        }
        self.unaware = {
            (d.name, self.homes.get((d.name, port.name), ""))
            for d in campus.devices.values()
            for port in d.ports.values()
            if port.implied or d.value(port, "mode") is Mode.UNAWARE
        }
        self.live = {device.name: self._live(device) for device in campus.devices.values()}
        self._sends: dict[str, dict[int, int]] = {}
        self._hears: dict[str, dict[int, int]] = {}
        self._turns: dict[str, dict[int, int]] = {}
        self._elsewhere: dict[str, dict[HostSeat, list[HostSeat]]] = {}
        self.spots: dict[End, list[Spot]] = {}
        self.at: dict[Hub, list[Spot]] = {}
        for device in campus.devices.values():
            for port in device.ports.values():
                spot = self._spot(device, port)
                if spot is not None:
                    self.spots.setdefault(spot.end, []).append(spot)
                    self.at.setdefault(spot.hub, []).append(spot)

    def _attended(self) -> set[End]:
        """FM 4.9: the ends of links on whose wire there are hosts or unknown neighbours besides."""
        boxes = {end for ends in self.boxes.values() for end in ends}
        ends = {*boxes, *((host.device, host.port) for host in self.campus.hosts)}
        with_hosts: set[End] = set()
        for device, port in ends:
            # A host in the plan may be at a port that no file has.
            if device not in self.campus.devices or port not in self.campus.devices[device].ports:
                continue
            work = [self.whole(self.below((device, port))[0])]
            while work:
                end = work.pop()
                # Only at links it matters who else is on the wire.
                if end in self.far and end not in with_hosts:
                    with_hosts.add(end)
                    work += self.far[end]
        return with_hosts

    def wire_of(self, place: End) -> list[End]:
        """The end of a port, and the far ends of its cables."""
        device = self.campus.devices.get(place[0])
        if device is None or place[1] not in device.ports:
            return []
        end = self.whole(place)
        return [end, *self.far.get(end, ())]

    def seat_of(self, host: Host) -> tuple[End, int]:
        """FM 4.1: the port of a host and its tag; of one at a sub-interface, those on its wire."""
        place, tag = self.below((host.device, host.port))
        return place, tag or host.vid or 0

    def below(self, place: End) -> tuple[End, int]:
        """FM 3.9: the port on whose wire a port is, and its tag there (0 for none)."""
        device = self.campus.devices.get(place[0])
        port = device.ports.get(place[1]) if device is not None else None
        parent = port.parent.value if port is not None and port.parent is not None else ""
        if device is None or port is None or port.outer is None or parent not in device.ports:
            return place, 0
        return (place[0], parent), port.outer.value

    def hosted(self, end: End) -> bool:
        """FM 4.6, FM 4.9: whether somebody who is no known port is at an end."""
        return end not in self.far or end in self.attended

    # --- what a port is ---------------------------------------------------------------------------

    def whole(self, end: End) -> End:
        """FM 1.7: a member of a bundle is its bundle."""
        ports = self.campus.devices[end[0]].ports
        name = ports[end[1]].bundle
        bundle = ports.get(name.value) if name is not None else None
        return (
            end
            if bundle is None or bundle.bundle is not None or bundle.name == end[1]
            else (end[0], bundle.name)
        )

    def _up(self, device: Device, port: Port) -> bool:
        """FM 1.6."""
        # Off is off, whatever it is made of.
        if not port.on:
            return False
        # A sub-interface is up with what it hangs on, and only with a tag.
        if port.kind is PortKind.SUB:
            parent = device.ports.get(port.parent.value) if port.parent else None
            return (
                parent is not None
                and parent.kind is not PortKind.SUB
                and port.outer is not None
                and self._up(device, parent)
            )
        # A bundle is up with any of its members, or before it has some.
        if port.kind is PortKind.BUNDLE:
            members = [
                p
                for p in device.ports.values()
                if p.bundle is not None and p.bundle.value == port.name
            ]
            return not members or any(member.on for member in members)
        return True

    def _live(self, device: Device) -> int:
        """FM 3.3."""
        # The table is what the switch has.
        if device.vlans is not None and not device.table_is_membership:
            return self._active(device.vlans)
        # Without a table, and without regard for tags, all pass.
        if any(name == device.name for name, _ in self.unaware):
            return ALL
        mask = 2 | sum(
            1 << gateway.vid
            for gateway in {g.vid: g for g in device.gateways}.values()
            if gateway.vid != 1
        )
        for port in device.ports.values():
            for name in (
                "access_vlan",
                "voice_vlan",
                "native_vlan",
                "pvid",
                "primary",
                "secondary",
            ):
                mask |= 1 << (device.value(port, name) or 1)
            for name in ("withheld", "tagged", "untagged", "secondaries"):
                mask |= (device.value(port, name) or VlanSet()).bits
            if device.value(port, "mode") is Mode.TRUNK:
                mask |= device.value(port, "allowed").bits
        return mask

    def live_at(self, device: Device, bridge: str) -> int:
        """The VIDs that a bridge has: by its own table, or its device's; all, if tags are none of
        its business (FM 2.11).
        """
        if (device.name, bridge) in self.unaware:
            return ALL
        table = device.bridges[bridge].vlans if bridge in device.bridges else None
        return self.live[device.name] if table is None else self._active(table)

    def _active(self, table: dict[int, Any]) -> int:
        mask = 2
        for row in table.values():
            on = row.active is None or row.active.value
            # A row that is not active takes its VLAN away.
            mask = mask | 1 << row.vid if on else mask & ~(1 << row.vid)
        return mask

    def _asks(self, device: Device, port: Port) -> Negotiation | None:
        how = device.value(port, "negotiation")
        plain = device.value(port, "mode") in (Mode.ACCESS, Mode.TRUNK)
        return how if plain and how in (Negotiation.PASSIVE, Negotiation.ACTIVE) else None

    def _mode(self, device: Device, port: Port) -> Mode:
        """FM 1.3, FM 1.4: a port that asks becomes a trunk if the other end asks, announces, or
        waits for an asker.
        """
        asking = self._asks(device, port)
        # It asks nobody: what is stated holds.
        if asking is None:
            return device.value(port, "mode")  # type: ignore[no-any-return]
        for name, far in self.far.get((device.name, port.name), ()):
            far_device = self.campus.devices[name]
            peer = far_device.ports[far]
            its = self._asks(far_device, peer)
            announces = (
                its is None
                and far_device.value(peer, "mode") is Mode.TRUNK
                and (far_device.value(peer, "negotiation") is Negotiation.ANNOUNCING)
            )
            if (
                announces
                or its is Negotiation.ACTIVE
                or (its is Negotiation.PASSIVE and asking is Negotiation.ACTIVE)
            ):
                return Mode.TRUNK
        return Mode.ACCESS

    def _registering(self, end: End) -> bool:
        """Whether a port at the other end of a cable takes part in registration."""
        for name, far in self.far.get(end, ()):
            device = self.campus.devices[name]
            if device.value(device.ports[far], "registration"):
                return True
        return False

    def _spot(self, device: Device, port: Port) -> Spot | None:
        end = (device.name, port.name)
        # Shut, or a member of a bundle: no port of its own.
        if not self._up(device, port) or self.whole(end) != end:
            return None
        mode = self._mode(device, port)
        bridge = f"routed {port.name}" if mode is Mode.ROUTED else self.homes.get(end, "")
        live = self.live_at(device, bridge)
        views = [rules_of(device, port, mode, live)]
        outer = 0
        if port.kind is PortKind.SUB:  # FM 3.9
            assert port.parent is not None and port.outer is not None
            end, outer = self.whole((device.name, port.parent.value)), port.outer.value
            twin = any(s.outer == outer for s in self.spots.get(end, ()))
            # Two sub-interfaces with one tag on a port: the first has it.
            if twin and not port.implied:
                return None
            views = [PortRules(v.pvid, 0, v.emit & v.untagged, v.untagged) for v in views]
        registers = device.value(port, "registration") and mode is not Mode.ROUTED
        joined = live & ~(port.forbidden.value.bits if port.forbidden is not None else 0)

        def registered(v: PortRules) -> PortRules:
            return PortRules(v.pvid, v.admit | joined, v.emit | joined, v.untagged)

        if registers and outer == 0 and self._registering(end):  # FM 1.11
            views = [registered(view) for view in views]
        if self.hosted(end) and self._asks(device, port) and mode is not Mode.TRUNK:  # FM 4.4
            views.append(rules_of(device, port, Mode.TRUNK, live))
        if registers:  # FM 4.5
            views += [registered(view) for view in views]
        protected = bool(device.value(port, "protected")) and mode is not Mode.ROUTED
        return Spot(
            end,
            port.name,
            outer,
            (device.name, bridge),
            tuple(views),
            protected,
            mode is Mode.ROUTED,
        )

    # --- hosts ------------------------------------------------------------------------------------

    def together(self, vid: int) -> int:
        """The VLANs that are one private VLAN with this one, by the tables of all switches, as a
        mask.
        """
        mask = bit(vid)
        rows = [
            bit(row.vid) | row.secondaries.value.bits
            for device in self.campus.devices.values()
            for row in (device.vlans or {}).values()
            if row.secondaries is not None
        ]
        while grown := union(row for row in rows if row & mask) & ~mask:
            mask |= grown
        return mask

    @cached_property
    def by_key(self) -> dict[str, Spot]:
        return {spot.key: spot for spots in self.spots.values() for spot in spots}

    @cached_property
    def by_vid(self) -> dict[int, list[HostSeat]]:
        seats: dict[int, list[HostSeat]] = {}
        for seat in self.seats:
            seats.setdefault(seat.vid, []).append(seat)
        return seats

    @cached_property
    def seats(self) -> list[HostSeat]:
        """Who sits where (FM 4.6): untagged, and with each tag that a port passes and no
        sub-interface takes.
        """
        seats: list[HostSeat] = []
        for end, spots in self.spots.items():
            owned = sum(1 << spot.outer for spot in spots if spot.outer)
            for spot in spots if self.hosted(end) else ():
                view, own = spot.views[0], []
                # Behind a routed port sits only who is named.
                if spot.routed:  # only who is known by name is there, and in no VLAN
                    named = {(self.whole(at), tag) for at, tag in self._placed}
                    seats += [HostSeat(spot, 0, 0)] if (end, spot.outer) in named else []
                    continue
                if self.is_implied(spot):
                    # A sub-interface with this tag takes its frames.
                    alone = sum(other.outer == spot.outer for other in spots) == 1
                    tags = self._tags_at(end) & {spot.outer} if alone else ()
                    seats += [HostSeat(spot, v, v) for v in tags]
                    continue
                if view.pvid or view.untagged:
                    home = view.pvid or (view.untagged & -view.untagged).bit_length() - 1
                    own.append(HostSeat(spot, 0, self.outside_name(spot.hub, home)))
                if not spot.outer:
                    passed, said = view.emit & ~view.untagged, union(map(bit, self._tags_at(end)))
                    # On a known wire nobody is taken to tag but whom the plan names.
                    if end in self.far or self._is_unaware(spot):
                        passed &= said | self._voice(spot)
                    # One that is named may hear nothing in its form, and be heard.
                    passed |= said & view.admit
                    own += [HostSeat(spot, v, v) for v in bits(passed & ~owned)]
                # Without any form of its own a host may still get in by asking.
                seats += own or (
                    [HostSeat(spot, 0, 0)] if view.pvid or view.admit or len(spot.views) > 1 else []
                )
        return seats

    @cached_property
    def _tagging(self) -> set[Hub]:
        """The bridges with sub-interfaces at cables."""
        return {s.hub for end in self.far for s in self.spots.get(end, ()) if s.outer}

    def outside_name(self, hub: Hub, vid: int) -> int:
        """FM 6.8: what others call VLAN 1 that leaves a bridge by sub-interfaces with one tag."""
        if vid != 1:
            return vid
        leaving = {
            spot.outer
            # Only what leaves by sub-interfaces has another name outside.
            for spot in (self.at[hub] if hub in self._tagging else ())
            if spot.end in self.far and spot.views[0].emit >> vid & 1 and not self.is_implied(spot)
        }
        return leaving.pop() if len(leaving) == 1 and 0 not in leaving else vid

    def is_implied(self, spot: Spot) -> bool:
        """True for the side of a port that keeps one tag apart (FM 2.11)."""
        return self.campus.devices[spot.end[0]].ports[spot.name].implied

    def is_unknown(self, spot: Spot) -> bool:
        """FM 4.8: whether the source does not tell what a port passes."""
        return bool(self.campus.devices[spot.end[0]].ports[spot.name].unknown)

    def called(self, spot: Spot) -> End:
        """What a person calls the port."""
        return spot.end if self.is_implied(spot) else (spot.end[0], spot.name)

    def _is_unaware(self, spot: Spot) -> bool:
        device = self.campus.devices[spot.end[0]]
        return device.value(device.ports[spot.name], "mode") is Mode.UNAWARE

    def _voice(self, spot: Spot) -> int:
        """The voice VLAN of an access port, as a mask."""
        device = self.campus.devices[spot.end[0]]
        port = device.ports[spot.name]
        access = self._mode(device, port) is Mode.ACCESS
        return bit(device.value(port, "voice_vlan")) if access else 0

    def _tags_at(self, end: End) -> set[int]:
        """The tags that hosts on the wire of an end are said to use."""
        return {tag for at, tag in self._placed if tag and end in self.wire_of(at)}

    @cached_property
    def _placed(self) -> list[tuple[End, int]]:
        """Where the hosts of the table are, as far as these places are there."""
        places = map(self.seat_of, self.campus.hosts)
        return [place for place in places if self.wire_of(place[0])]

    def sent(self, seat: HostSeat, level: Level) -> Iterator[tuple[Spot, int]]:
        """What a host can put on bridges, by port (FM 4.1); a hostile one by all ports on its wire
        (FM 4.2, FM 4.4).
        """
        # An honest host sends in its form only.
        if level == Level.HONEST:
            view, tag = seat.spot.views[0], seat.tag
            taken = bit(tag) if tag == seat.spot.outer else view.admit & bit(tag)
            yield seat.spot, taken if tag else bit(view.pvid)
            return
        wire = self.spots[seat.spot.end]
        owned = sum(1 << spot.outer for spot in wire if spot.outer)
        for spot in wire:
            for view in spot.views:
                yield (
                    spot,
                    (0 if spot.outer else view.admit & ~owned) | (bit(view.pvid)),
                )

    def heard(self, seat: HostSeat, level: Level) -> Iterator[tuple[Spot, int]]:
        """What a host hears: the VIDs that leave in its form by a port on its wire; a hostile one
        hears every form.
        """
        tag = seat.spot.outer or seat.tag
        for spot in self.spots[seat.spot.end]:
            for view in spot.views if level == Level.HOSTILE else spot.views[:1]:
                # A hostile host hears whatever form; a sub-interface's host its tag.
                if level == Level.HOSTILE or (spot.outer and spot.outer == tag):
                    yield spot, view.emit
                elif not spot.outer:
                    yield (
                        spot,
                        view.emit & ~view.untagged & 1 << tag if tag else view.emit & view.untagged,
                    )

    def elsewhere(self, level: Level) -> dict[HostSeat, list[HostSeat]]:
        """FM 4.9: the seats that a host has at other ends of its wire: those of its form, or if it
        is hostile, all.
        """
        if level not in self._elsewhere:
            seats: dict[tuple[End, int], list[HostSeat]] = {}
            for seat in self.seats:
                form = 0 if level == Level.HOSTILE else seat.spot.outer or seat.tag
                seats.setdefault((seat.spot.end, form), []).append(seat)
            found: dict[HostSeat, list[HostSeat]] = {}
            for (end, form), own in seats.items():
                far = [
                    seat for other in self.far.get(end, ()) for seat in seats.get((other, form), ())
                ]
                found.update(dict.fromkeys(own, far) if far else {})
            self._elsewhere[level] = found
        return self._elsewhere[level]

    @cached_property
    def lost(self) -> dict[int, list[End]]:
        """VLAN -> the ports that the files put into it, on switches that do not have it; and those
        of named hosts that are shut.
        """
        lost: dict[int, list[End]] = {}
        # Who is in a VLAN by the files, and cut off on his switch.
        for end, spots in self.spots.items():
            for spot in spots if self.hosted(end) else ():
                device = self.campus.devices[spot.end[0]]
                port = device.ports[spot.name]
                mode = self._mode(device, port)
                view = rules_of(device, port, mode, ALL)
                single = mode is Mode.GENERAL and view.emit == view.untagged == bit(view.pvid)
                member = single or mode in (Mode.ACCESS, Mode.PRIVATE_HOST)
                # Of a port that nobody knows nothing is said.
                if member and not port.unknown and view.pvid and not spot.views[0].pvid:
                    lost.setdefault(view.pvid, []).append((spot.hub[0], spot.name))
        for host in self.campus.hosts:
            known = self.campus.devices.get(host.device)
            if known is None or host.port not in known.ports:
                continue
            end = self.whole((host.device, host.port))
            port = known.ports[end[1]]
            # A named host at a port that is shut.
            if not port.unknown and self._spot(known, port) is None:
                mode = self._mode(known, port)
                home = {Mode.ACCESS: "access_vlan", Mode.GENERAL: "pvid"}.get(mode)
                vid = host.vid or (known.value(port, home) if home else None)
                if vid:
                    lost.setdefault(vid, []).append(end)
        return lost

    def sends(self, level: Level) -> dict[int, int]:
        """VLAN -> the VIDs that hosts in it send in, anywhere. `hears` likewise."""
        return self._masks(self._sends, self.sent, level)

    def hears(self, level: Level) -> dict[int, int]:
        return self._masks(self._hears, self.heard, level)

    def _masks(self, kept: dict[str, dict[int, int]], each: Any, level: Level) -> dict[int, int]:
        if level not in kept:
            masks = kept[level] = dict.fromkeys(self.by_vid, 0)
            for seat in self.seats:
                for _, mask in each(seat, level):
                    masks[seat.vid] |= mask
        return kept[level]

    # --- links ------------------------------------------------------------------------------------

    def turns(self, level: Level) -> dict[int, int]:
        """VID -> the VIDs that some link turns its frames into; worked out once."""
        if level not in self._turns:
            turns = self._turns[level] = {}
            for spot in (spot for end in self.far for spot in self.spots.get(end, ())):
                for _, left, arriving in self.over(spot, ALL, level):
                    # What a link leaves as it is turns nothing.
                    for vid in bits(left) if left != arriving else ():
                        turns[vid] = turns.get(vid, 0) | arriving
        return self._turns[level]

    def spread(self, mask: int, level: Level) -> int:
        """The VIDs that frames in some VIDs can ever be in, wherever."""
        work = mask
        while work:
            new = union(self.turns(level).get(vid, 0) for vid in bits(work))
            work = new & ~mask
            mask |= work
        return mask

    def over(self, spot: Spot, mask: int, level: Level) -> Iterator[tuple[Spot, int, int]]:
        """What leaves a port in the VIDs of `mask`, as (far port, VIDs left, VIDs arrived): the
        same ones if equal, else any of the one as any of the other.
        """
        for view in views_at(spot, level):
            yield from self._over(spot, view, mask & view.emit, level)

    def _over(
        self, spot: Spot, view: PortRules, mask: int, level: Level
    ) -> Iterator[tuple[Spot, int, int]]:
        untagged, tagged = (0, 0) if spot.outer else (mask & view.untagged, mask & ~view.untagged)
        for far in self.far.get(spot.end, ()):
            there = self.spots.get(far, ())
            untaken = ALL & ~union(1 << spot.outer for spot in there if spot.outer)
            far_views = [
                (spot_there, v) for spot_there in there for v in views_at(spot_there, level)
            ]
            # Each port at the far end, and each view that it can be lured into.
            for target, its in far_views:
                enters = bit(its.pvid)
                if target.outer:  # FM 3.9
                    left = mask if spot.outer == target.outer else tagged & 1 << target.outer
                    # FM 4.3: a tag hidden behind may show
                    left |= untagged if level == Level.HOSTILE else 0
                    # A sub-interface takes its own tag, and untagged frames are none of its.
                    if left and enters:
                        yield target, left, enters
                    continue
                if untagged and enters:  # FM 3.1
                    yield target, untagged, enters
                admit = its.admit & untaken
                if spot.outer and mask and admit >> spot.outer & 1:
                    yield target, mask, 1 << spot.outer
                if tagged & admit:  # FM 3.2
                    yield target, tagged & admit, tagged & admit
                for vid in bits(untagged) if level == Level.HOSTILE else ():  # FM 4.3
                    yield target, 1 << vid, admit & ~(1 << vid)
                    yield target, admit & 1 << vid, admit & 1 << vid


def views_at(spot: Spot, level: Level) -> tuple[PortRules, ...]:
    """Its own view, and at the hostile level those it can be lured into."""
    return spot.views if level == Level.HOSTILE else spot.views[:1]
