"""What routers do with packets, written out again for the verifier from docs/forwarding-model.md,
section 5.
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property
from ipaddress import ip_network
from itertools import product
from typing import NamedTuple

from inkov.campus import Address, FilterEntry, Mode, Subnet
from inkov.levels import Level
from inkov.verify.frames import FrameModel, HostSeat, Hub, Spot, bits
from inkov.verify.rules import ALL
from inkov.vlanset import bit

__all__ = ["PacketModel", "Station"]

Group = tuple[str, str] | int  # a device and one of its routing tables, or a VLAN


class Station(NamedTuple):
    """A routed interface that is up (FM 5.1, FM 5.2): it sends in its VLAN, and `takes` the frames
    of that and of its secondaries, as a mask.
    """

    device: str
    name: str
    hub: Hub
    vid: int
    vrf: str
    addresses: tuple[Address, ...]
    takes: int
    filters_in: tuple[str, ...]
    filters_out: tuple[str, ...]

    @property
    def subnets(self) -> tuple[Subnet, ...]:
        return tuple(address.network for address in self.addresses)


class PacketModel(FrameModel):
    """The campus as frames and packets see it."""

    def stations(self, level: Level) -> list[Station]:
        """Those that are up, at the hostile level also on request of a host (FM 4.4, FM 4.5)."""
        if level not in self._stations_up:
            self._stations_up[level] = list(self._stations(level))
        return self._stations_up[level]

    @cached_property
    def _stations_up(self) -> dict[Level, list[Station]]:
        return {}

    def _stations(self, level: Level) -> Iterator[Station]:
        for device in self.campus.devices.values():
            for g in device.gateways:
                hub = device.name, g.bridge
                row = device.row(g.vid) if hub not in self.unaware else None
                with_it = row.secondaries.value.bits if row and row.secondaries else 0
                takes = 1 << g.vid | with_it
                up = g.on and self.live_at(device, g.bridge) >> g.vid & 1
                # A station is up if its VLAN is somewhere that leads anywhere.
                if up and any(
                    (v.emit | v.admit | bit(v.pvid)) & takes and self._leads(spot.end)
                    for spot in self.at.get(hub, ())
                    for v in (spot.views if level == Level.HOSTILE else spot.views[:1])
                ):
                    addresses = tuple(fact.value for fact in g.addresses)
                    filters = [
                        tuple(fact.value for fact in bound)
                        for bound in (g.filters_in, g.filters_out)
                    ]
                    vrf = g.vrf.value if g.vrf is not None else ""
                    name = f"VLAN {g.vid}" + (f" on {g.bridge}" if g.bridge else "")
                    yield Station(device.name, name, hub, g.vid, vrf, addresses, takes, *filters)
            for port in device.ports.values():
                hub = device.name, f"routed {port.name}"
                # A routed port with an address is a station of its own.
                if port.addresses and hub in self.at and device.value(port, "mode") is Mode.ROUTED:
                    vrf = port.vrf.value if port.vrf is not None else ""
                    addresses = tuple(fact.value for fact in port.addresses)
                    filters = [
                        tuple(fact.value for fact in bound)
                        for bound in (port.filters_in, port.filters_out)
                    ]
                    yield Station(device.name, port.name, hub, 1, vrf, addresses, 2, *filters)

    def _leads(self, end: tuple[str, str]) -> bool:
        return self.hosted(end) or any(self.spots.get(far) for far in self.far[end])

    @cached_property
    def vids_of_somebody(self) -> set[int]:
        """The VLANs that hosts, gateways or the routed ports of routers are in, or that
        sub-interfaces have the tags of.
        """
        tags = (spot.outer for end in self.far for spot in self.spots.get(end, ()))
        stations = self.stations(Level.HONEST)
        legs = (near.views[0].pvid for station in stations for near in self._facing(station))
        return {*self.by_vid, *(station.vid for station in stations), *tags, *legs} - {0}

    def served(self, vid: int) -> set[Hub]:
        """The bridges with somebody in a VLAN: a gateway, or hosts, but for trunks left at
        everything; and with routers that can get to somebody there (FM 6.3). Not those that know
        it by sub-interfaces alone (FM 6.8).
        """
        hubs = {
            station.hub
            for station in self.stations(Level.HONEST)
            # A routed port is no bridge with members.
            if station.vid == vid and not any(spot.routed for spot in self.at[station.hub])
        }
        for seat in self.by_vid.get(vid, ()):
            device = self.campus.devices[seat.spot.hub[0]]
            port = device.ports[seat.spot.name]
            if (
                # A trunk left at everything says nothing of who is there.
                self._mode(device, port) is not Mode.TRUNK
                or device.value(port, "allowed").bits != ALL
            ):
                hubs.add(seat.spot.hub)
        # Who is in a private VLAN sends into one, and hears others as well.
        for seat in self._private:
            if seat.spot.views[0].emit >> vid & 1:
                hubs.add(seat.spot.hub)
        legs = self._legs(vid)
        inhabited = bool(hubs or self.outlets(vid))
        for station, linked in legs:
            own = {address.network for address in station.addresses}
            others = (other for other, _ in legs if other is not station)
            # A router alone, or alone in its subnet, gets to nobody.
            if inhabited or any(own & {a.network for a in other.addresses} for other in others):
                hubs |= linked
        return {hub for hub in hubs if not self._is_inside(hub, vid)}

    @cached_property
    def _private(self) -> list[HostSeat]:
        """The seats at ports of private VLANs."""

        def mode(seat: HostSeat) -> Mode:
            device = self.campus.devices[seat.spot.hub[0]]
            return self._mode(device, device.ports[seat.spot.name])

        seats = (seat for own in self.by_vid.values() for seat in own)
        return [seat for seat in seats if mode(seat) in (Mode.PRIVATE_HOST, Mode.PROMISCUOUS)]

    def _legs(self, vid: int) -> list[tuple[Station, set[Hub]]]:
        """The routers whose routed port is on a cable to bridges where its untagged frames are in a
        VLAN, each with these bridges.
        """
        legs = []
        for station in self.stations(Level.HONEST):
            linked = {near.hub for near in self._facing(station) if near.views[0].pvid == vid}
            if linked:
                legs.append((station, linked))
        return legs

    def _facing(self, station: Station) -> list[Spot]:
        """The bridged ports on a cable with the routed port of a router, sub-interfaces aside."""
        ends = [spot.end for spot in self.at[station.hub] if spot.routed and not spot.outer]
        return [
            near
            for end in ends
            for far in self.far.get(end, ())
            for near in self.spots.get(far, ())
            if not near.outer and not near.routed
        ]

    def _is_inside(self, hub: Hub, vid: int) -> bool:
        """Whether VLAN 1 leaves a bridge for other switches by sub-interfaces, and only so."""
        # Only VLAN 1 has another name outside.
        if vid != 1:
            return False
        leaving = [
            spot.outer
            for spot in self.at.get(hub, ())
            if spot.end in self.far and spot.views[0].emit >> vid & 1 and not self._implied(spot)
        ]
        return bool(leaving) and all(leaving)

    def _implied(self, spot: Spot) -> bool:
        return self.campus.devices[spot.hub[0]].ports[spot.name].implied

    def outlets(self, vid: int) -> list[Spot]:
        """The sub-interfaces with a VLAN's tag on a cable, and somebody behind them (FM 6.8)."""
        spots = []
        for end in self.far:
            for spot in self.spots.get(end, ()):
                dead = not (spot.views[0].pvid or spot.views[0].emit)
                if spot.outer == vid and not dead and not self._implied(spot):
                    own = self.campus.devices[end[0]].gateways
                    gateway = any(
                        g.bridge == spot.hub[1] and spot.views[0].untagged >> g.vid & 1 for g in own
                    )
                    # A gateway, a router, or others behind it: somebody is there.
                    if spot.routed or gateway or len(self.at[spot.hub]) > 1:
                        spots.append(spot)
        return spots

    def _sharing(self, level: Level) -> dict[Group, list[Station]]:
        """The stations of a routing table of a device, and in a VLAN."""
        if level not in self._shared:
            sharing = self._shared[level] = {}
            for station in self.stations(level):
                sharing.setdefault((station.device, station.vrf), []).append(station)
                sharing.setdefault(station.vid, []).append(station)
        return self._shared[level]

    @cached_property
    def _shared(self) -> dict[Level, dict[Group, list[Station]]]:
        return {}

    def known(self, start: Station, level: Level) -> list[Station]:
        """Where packets that come in at a station may leave: by its router, and by all that it
        could know (FM 5.5).

        That two routers share a broadcast domain is taken from VIDs alone, wherever they are, so it
        is rather too many.
        """
        groups: dict[Group, None] = {(start.device, start.vrf): None}
        reached: dict[int, Station] = {}
        for group in (work := list(groups)):
            for station in self._sharing(level).get(group, ()):
                # Routers that share a VLAN know each other, as far as numbers tell.
                if id(station) not in reached:  # a name may be that of several, on several bridges
                    reached[id(station)] = station
                    shared = bits(self.spread(1 << station.vid, Level.HONEST))
                    near: list[Group] = [(station.device, station.vrf), *shared]
                    work += [key for key in near if key not in groups]
                    groups |= dict.fromkeys(near)
        return list(reached.values())

    def passed_on(
        self, there: dict[Hub, int], anywhere: int, level: Level
    ) -> list[tuple[Hub, Spot | None, int]]:
        """What routers send, as far as filters let it pass, of packets whose frames are on some
        hubs, or in some VLANs wherever: hub and VID, as a mask.
        """
        return [
            (out.hub, None, 1 << out.vid)
            for into in self.stations(level)
            if (there.get(into.hub, 0) | anywhere) & into.takes
            for out in self.known(into, level)
            if self.passes(into, out, (into, into.filters_in), level)[0]
            and self.passes(into, out, (out, out.filters_out), level)[0]
        ]

    def passes(
        self, into: Station, out: Station, bound: tuple[Station, tuple[str, ...]], level: Level
    ) -> tuple[bool, bool]:
        """Whether some packets, and whether all, from one station's subnets to another's pass the
        filters bound to a station (FM 5.7). What no entry fits passes. A hostile host sends from
        any address (FM 5.8).
        """
        station, names = bound
        senders = (
            into.subnets if level == Level.HONEST else (ip_network("0.0.0.0/0"), ip_network("::/0"))
        )
        pairs = [(a, b) for a, b in product(senders, out.subnets) if a.version == b.version]
        filters = self.campus.devices[station.device].filters
        some = every = True
        # Without addresses of one family there is nothing to filter.
        for name in names if pairs else ():
            fates = [fate(filters[name].entries if name in filters else [], a, b) for a, b in pairs]
            some = some and any(passed for passed, _ in fates)
            every = every and not any(stopped for _, stopped in fates)
        return some, every


def fate(entries: list[FilterEntry], source: Subnet, destination: Subnet) -> tuple[bool, bool]:
    """Whether some packets may pass, and whether some may be stopped: the first entry that fits a
    packet decides.
    """
    passed = stopped = False
    for entry in entries:
        ends = [
            (prefix, subnet)
            for prefix, subnet in ((entry.source, source), (entry.destination, destination))
            if prefix
        ]
        if any(
            prefix.version != subnet.version or not prefix.overlaps(subnet)
            for prefix, subnet in ends
        ):
            # It fits none of these packets.
            continue
        passed, stopped = passed or entry.accepts, stopped or not entry.accepts
        # subnet_of wants two of one family, which the line above sees to.
        whole = all(subnet.subnet_of(prefix) for prefix, subnet in ends)  # type: ignore[arg-type]
        # It fits all of them: later entries have no say.
        if whole and not entry.finer:
            return passed, stopped
    # What no entry fits passes.
    return True, stopped
