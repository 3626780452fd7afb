"""The independent verifier: is a certificate true of these configurations?

It shares nothing with the engine but the campus model and VID sets: what a port does to a frame, who sits where and who
is meant by a claim is written out again from docs/forwarding-model.md, one port at a time. Of a claim that holds, the
certificate states where frames can be: closed, so that no step leads out and no host of the other side hears any of it.
Of one that is broken it states a way, which is replayed frame by frame.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from fnmatch import fnmatchcase
from functools import cached_property
from typing import Any, NamedTuple

from inkov.campus import Accept, Campus, Device, Mode, Negotiation, Port, PortKind, Private
from inkov.vlanset import VlanSet

__all__ = ["Network", "Refused", "verify", "verify_entry"]

ALL = VlanSet.all().bits
End = tuple[str, str]
Hub = tuple[str, str]  # device and bridge


class Refused(Exception):
    """The certificate is not true; the text says where."""


class View(NamedTuple):
    """FM 2.1, VID sets as masks."""

    pvid: int = 0
    admit: int = 0
    emit: int = 0
    bare: int = 0


class Spot(NamedTuple):
    """A port as a bridge has it: the end its frames pass, the tag they wear there (0 for none of its own)."""

    end: End
    name: str
    outer: int
    hub: Hub
    views: tuple[View, ...]  # its own first, then those it can be lured into
    protected: bool
    routed: bool


class Seat(NamedTuple):
    spot: Spot
    tag: int
    vid: int


def bits(mask: int) -> Iterator[int]:
    return iter(VlanSet(mask & ALL))


class Network:
    """The campus as frames see it. `cables` are pairs of ports, as (switch, port, far switch, far port)."""

    def __init__(self, campus: Campus, cables: Iterable[tuple[str, str, str, str]]) -> None:
        self.campus = campus
        self.far: dict[End, list[End]] = {}
        for a, p, b, q in cables:
            one, other = self.whole((a, p)), self.whole((b, q))
            for near, far in ((one, other), (other, one)):
                if far not in self.far.setdefault(near, []):
                    self.far[near].append(far)
        self.live = {device.name: self._live(device) for device in campus.devices.values()}
        self.homes = {
            (d.name, port): b.name for d in campus.devices.values() for b in d.bridges.values() for port in b.ports
        }
        self._turns: dict[str, dict[int, int]] = {}
        self._heard_by_vid: dict[str, dict[int, int]] = {}
        self._heard: dict[tuple[Seat, str], int] = {}
        self.spots: dict[End, list[Spot]] = {}
        self.at: dict[Hub, list[Spot]] = {}
        for device in campus.devices.values():
            for port in device.ports.values():
                spot = self._spot(device, port)
                if spot is not None:
                    self.spots.setdefault(spot.end, []).append(spot)
                    self.at.setdefault(spot.hub, []).append(spot)

    # --- what a port is ----------------------------------------------------------------------------------------

    def value(self, device: Device, port: Port, attribute: str) -> Any:
        """FM 1.1, FM 1.2: what is stated, or else the platform's default."""
        fact = getattr(port, attribute) or device.platform.unstated.get(attribute)
        return None if fact is None else fact.value

    def whole(self, end: End) -> End:
        """FM 1.7: a member of a bundle is its bundle."""
        ports = self.campus.devices[end[0]].ports
        name = ports[end[1]].bundle
        bundle = ports.get(name.value) if name is not None else None
        return end if bundle is None or bundle.bundle is not None or bundle.name == end[1] else (end[0], bundle.name)

    def _up(self, device: Device, port: Port) -> bool:
        """FM 1.6."""
        if port.enabled is not None and not port.enabled.value:
            return False
        if port.kind is PortKind.SUB:
            parent = device.ports.get(port.parent.value) if port.parent else None
            return (
                parent is not None
                and parent.kind is not PortKind.SUB
                and port.outer is not None
                and self._up(device, parent)
            )
        if port.kind is PortKind.BUNDLE:
            members = [p for p in device.ports.values() if p.bundle is not None and p.bundle.value == port.name]
            return not members or any(p.enabled is None or p.enabled.value for p in members)
        return True

    def _live(self, device: Device) -> int:
        """FM 3.3."""
        if device.vlans is not None and not device.table_is_membership:
            return self._active(device.vlans)
        mask = 2 | sum(1 << gateway.vid for gateway in {g.vid: g for g in device.gateways}.values() if gateway.vid != 1)
        for port in device.ports.values():
            for name in ("access_vlan", "voice_vlan", "native_vlan", "pvid", "primary", "secondary"):
                mask |= 1 << (self.value(device, port, name) or 1)
            for name in ("withheld", "tagged", "untagged", "secondaries"):
                mask |= (self.value(device, port, name) or VlanSet()).bits
            if self.value(device, port, "mode") is Mode.TRUNK:
                mask |= self.value(device, port, "allowed").bits
        return mask

    def _active(self, table: dict[int, Any]) -> int:
        mask = 2
        for row in table.values():
            on = row.active is None or row.active.value
            mask = mask | 1 << row.vid if on else mask & ~(1 << row.vid)
        return mask

    def _asks(self, device: Device, port: Port) -> Negotiation | None:
        how = self.value(device, port, "negotiation")
        plain = self.value(device, port, "mode") in (Mode.ACCESS, Mode.TRUNK)
        return how if plain and how in (Negotiation.PASSIVE, Negotiation.ACTIVE) else None

    def _mode(self, device: Device, port: Port) -> Mode:
        """FM 1.3, FM 1.4: a port that asks becomes a trunk if the other end asks, announces, or waits for an asker."""
        mine = self._asks(device, port)
        if mine is None:
            return self.value(device, port, "mode")  # type: ignore[no-any-return]
        for name, far in self.far.get((device.name, port.name), ()):
            other = self.campus.devices[name]
            peer = other.ports[far]
            its = self._asks(other, peer)
            announces = its is None and self.value(other, peer, "mode") is Mode.TRUNK and (
                self.value(other, peer, "negotiation") is Negotiation.ANNOUNCING)  # fmt: skip
            if announces or its is Negotiation.ACTIVE or (its is Negotiation.PASSIVE and mine is Negotiation.ACTIVE):
                return Mode.TRUNK
        return Mode.ACCESS

    def _view(self, device: Device, port: Port, mode: Mode, live: int) -> View:
        """FM 2.2 to FM 2.10, within the VIDs that the bridge has."""

        def get(name: str) -> Any:
            return self.value(device, port, name)

        def one(vid: int | None) -> int:
            return 1 << vid if vid else 0

        pvid = admit = emit = bare = 0
        if mode is Mode.ROUTED:
            return View(1, 0, 2, 2)
        if mode is Mode.ACCESS:
            pvid, admit = get("access_vlan"), one(get("voice_vlan"))
            bare = one(pvid)
            emit = bare | admit
        elif mode is Mode.TRUNK:
            admit = get("allowed").bits
            emit = admit & ~get("withheld").bits
            native = get("native_vlan")
            if native and admit >> native & 1:
                pvid, bare = native, 0 if get("native_tagged") else emit & one(native)
        elif mode is Mode.GENERAL:
            listed = get("untagged")
            bare = one(get("pvid")) if listed is None else listed.bits
            member = get("tagged").bits | bare
            accept, filtering = get("accept"), get("ingress_filtering")
            admit = 0 if accept is Accept.UNTAGGED else member if filtering else ALL
            pvid = 0 if accept is Accept.TAGGED else get("pvid") or 0
            pvid = 0 if filtering and not member >> pvid & 1 else pvid
            emit = member & ~get("withheld").bits
            bare &= emit
        elif mode is Mode.PRIVATE_HOST and get("primary") and get("secondary"):
            pvid = get("secondary")
            row = (device.vlans or {}).get(pvid)
            isolated = row is not None and row.private is not None and row.private.value is Private.ISOLATED
            emit = bare = one(get("primary")) | (0 if isolated else one(pvid))
        elif mode is Mode.PROMISCUOUS and get("primary"):
            pvid = get("primary")
            emit = bare = one(pvid) | get("secondaries").bits
        return View(pvid if live >> pvid & 1 else 0, admit & live, emit & live, bare & live)

    def _spot(self, device: Device, port: Port) -> Spot | None:
        end = (device.name, port.name)
        if not self._up(device, port) or self.whole(end) != end:
            return None
        mode = self._mode(device, port)
        bridge = f"routed {port.name}" if mode is Mode.ROUTED else self.homes.get(end, "")
        table = device.bridges[bridge].vlans if bridge in device.bridges else None
        live = self.live[device.name] if table is None else self._active(table)
        views = [self._view(device, port, mode, live)]
        outer = 0
        if port.kind is PortKind.SUB:  # FM 3.9
            assert port.parent is not None and port.outer is not None
            end, outer = self.whole((device.name, port.parent.value)), port.outer.value
            if any(s.outer == outer for s in self.spots.get(end, ())):
                return None
            views = [View(v.pvid, 0, v.emit & v.bare, v.bare) for v in views]
        if end not in self.far:  # FM 4.4, FM 4.5
            if self._asks(device, port) and mode is not Mode.TRUNK:
                views.append(self._view(device, port, Mode.TRUNK, live))
            if self.value(device, port, "registration") and mode is not Mode.ROUTED:
                views += [View(v.pvid, live, live, v.bare) for v in views]
        protected = bool(self.value(device, port, "protected")) and mode is not Mode.ROUTED
        return Spot(end, port.name, outer, (device.name, bridge), tuple(views), protected, mode is Mode.ROUTED)

    # --- hosts ---------------------------------------------------------------------------------------------------

    @cached_property
    def by_key(self) -> dict[str, Spot]:
        return {key(spot): spot for found in self.spots.values() for spot in found}

    @cached_property
    def by_vid(self) -> dict[int, list[Seat]]:
        found: dict[int, list[Seat]] = {}
        for seat in self.seats:
            found.setdefault(seat.vid, []).append(seat)
        return found

    @cached_property
    def seats(self) -> list[Seat]:
        """Who sits where (FM 4.6): untagged, and with each tag that a port passes and no sub-interface takes."""
        found = []
        for end, spots in self.spots.items():
            owned = sum(1 << spot.outer for spot in spots if spot.outer)
            for spot in spots if end not in self.far else ():
                view, own = spot.views[0], []
                if spot.routed:
                    continue
                if view.pvid or view.bare:
                    own.append(Seat(spot, 0, view.pvid or (view.bare & -view.bare).bit_length() - 1))
                if not spot.outer:
                    own += [Seat(spot, v, v) for v in bits(view.admit & view.emit & ~view.bare & ~owned)]
                enters = view.pvid or view.admit or len(spot.views) > 1
                found += own or ([Seat(spot, 0, 0)] if enters else [])
        return found

    def sent(self, seats: Iterable[Seat], level: str) -> dict[Spot, int]:
        """What hosts can put on bridges, by port (FM 4.1); a hostile one by every port on its wire (FM 4.2, FM 4.4)."""
        found: dict[Spot, int] = {}
        for seat in seats:
            if level == "honest":
                vid = seat.tag or seat.spot.views[0].pvid
                found[seat.spot] = found.get(seat.spot, 0) | (1 << vid if vid else 0)
                continue
            wire = self.spots[seat.spot.end]
            owned = sum(1 << spot.outer for spot in wire if spot.outer)
            for spot in wire:
                for view in spot.views:
                    mask = (0 if spot.outer else view.admit & ~owned) | (1 << view.pvid if view.pvid else 0)
                    found[spot] = found.get(spot, 0) | mask
        return found

    def hears(self, seat: Seat, out: Spot, vid: int, level: str) -> bool:
        """Whether a host hears what leaves a port of its wire in a VLAN: an honest one in its form only."""
        if out.end != seat.spot.end:
            return False
        for view in out.views if level == "hostile" else out.views[:1]:
            if view.emit >> vid & 1:
                worn = out.outer or (0 if view.bare >> vid & 1 else vid)
                if level == "hostile" or worn == (seat.spot.outer or seat.tag):
                    return True
        return False

    def turns(self, level: str) -> dict[int, int]:
        """VID -> the VIDs that some link turns its frames into; worked out once."""
        if level not in self._turns:
            found = self._turns[level] = {}
            for spot in (spot for end in self.far for spot in self.spots.get(end, ())):
                for _, left, arriving in self.over(spot, ALL, level):
                    for vid in bits(left) if left != -1 else ():
                        found[vid] = found.get(vid, 0) | arriving
        return self._turns[level]

    def heard_by_vid(self, level: str) -> dict[int, int]:
        """VID -> the VIDs that hosts in it can hear."""
        if level not in self._heard_by_vid:
            found = self._heard_by_vid[level] = {}
            for seat in self.seats:
                found[seat.vid] = found.get(seat.vid, 0) | self.heard(seat, level)
        return self._heard_by_vid[level]

    def heard(self, seat: Seat, level: str) -> int:
        """The VIDs that a host can hear, as a mask; worked out once."""
        if (seat, level) not in self._heard:
            mask = 0
            for spot in self.spots[seat.spot.end]:
                emitted = 0
                for view in spot.views:
                    emitted |= view.emit
                mask |= sum(1 << vid for vid in bits(emitted) if self.hears(seat, spot, vid, level))
            self._heard[seat, level] = mask
        return self._heard[seat, level]

    # --- links ---------------------------------------------------------------------------------------------------

    def over(self, spot: Spot, mask: int, level: str) -> Iterator[tuple[Spot, int, int]]:
        """What leaves a port in the VIDs of `mask` arrives as: (far port, VIDs left as, VIDs arrived as)."""
        view = spot.views[0]
        mask &= view.emit
        for far in self.far.get(spot.end, ()):
            spots = self.spots.get(far, [])
            owned = {s.outer: s for s in spots if s.outer}
            whole = next((s for s in spots if not s.outer), None)
            if spot.outer:
                yield from self._tagged(owned, whole, spot.outer, mask)
                continue
            for tag in owned:
                if (mask & ~view.bare) >> tag & 1:
                    yield from self._tagged(owned, whole, tag, 1 << tag)
            taken = sum(1 << tag for tag in owned)
            if whole is not None and mask & ~view.bare & ~taken & whole.views[0].admit:
                yield whole, -1, mask & ~view.bare & ~taken & whole.views[0].admit
            bare = mask & view.bare
            if bare and whole is not None:
                if whole.views[0].pvid:
                    yield whole, bare, 1 << whole.views[0].pvid
                if level == "hostile":  # FM 4.3: a tag hidden behind may show
                    yield whole, bare, whole.views[0].admit & ~taken
            if bare and level == "hostile":
                for sub in owned.values():
                    if sub.views[0].pvid:
                        yield sub, bare, 1 << sub.views[0].pvid

    def _tagged(
        self, owned: dict[int, Spot], whole: Spot | None, tag: int, mask: int
    ) -> Iterator[tuple[Spot, int, int]]:
        if tag in owned:
            if owned[tag].views[0].pvid and mask:
                yield owned[tag], mask, 1 << owned[tag].views[0].pvid
        elif whole is not None and whole.views[0].admit >> tag & 1 and mask:
            yield whole, mask, 1 << tag


# --- certificates --------------------------------------------------------------------------------------------------


def key(spot: Spot) -> str:
    return f"{spot.hub[0]}:{spot.name}"


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
