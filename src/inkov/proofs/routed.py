"""Above layer 2: by which routers packets of some seats get to others (FM 5), hop by hop, and what
is to blame.

Packets of a seat get to the gateways that its frames get to; routers pass them on, as far as
filters let them; and a router sends them into a VLAN as frames of its own, which a seat there may
hear.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property, reduce
from ipaddress import IPv4Network, IPv6Network
from itertools import product
from operator import or_
from typing import Any, NamedTuple

from inkov.campus import Subnet
from inkov.forwarding import Fabric
from inkov.forwarding.follow import Step, routed_by, tell
from inkov.forwarding.path import Way, find_way, to_present
from inkov.forwarding.reach import Flood, Sending, flood
from inkov.forwarding.routers import Fate, Path, Routers, networks
from inkov.forwarding.stations import Interface, reaches_station
from inkov.levels import Level
from inkov.proofs.certificate import certified
from inkov.proofs.leaks import (
    closure,
    ears,
    find_way_to,
    hearing,
    leak_steps,
    reached,
    sendings_of,
    turning,
)
from inkov.proofs.seats import Seat
from inkov.proofs.verdict import Blame, decisive
from inkov.proofs.vid_reach import VidReach
from inkov.vlanset import VlanSet, bits_to_text

__all__ = ["Passage", "Routed", "Routing"]

Seats = frozenset[Seat]
Group = tuple[str, str] | int  # a device and one of its routing tables, or a VLAN


EVERYWHERE: list[Subnet] = [IPv4Network("0.0.0.0/0"), IPv6Network("::/0")]


class Passage(NamedTuple):
    """A routed way: by which routers, and a seat that hears what the last of them sends."""

    path: Path
    hearer: Seat

    @property
    def perhaps(self) -> bool:
        """True if it is not sure that packets take it: a filter stops some, or they would have to
        go back into the VLAN they came from.
        """
        return self.path.how != Fate.PASSES or self.path.back


class Routed(NamedTuple):
    """A passage told: its steps from the host that sends to the one that hears, and the ways of
    frames among them.

    `simple` is false if one of these ways passes a switch twice.
    """

    steps: list[Step]
    ways: list[Way]
    simple: bool


class Routing:
    """The routers of a campus, and where what they send gets to."""

    def __init__(
        self, fabric: Fabric, routers: Routers, vid_reach: Callable[[Level], VidReach]
    ) -> None:
        self.fabric = fabric
        self.routers = routers
        self.vid_reach = (
            vid_reach  # what VIDs can turn into at a level: where it says no, no flood is needed
        )
        self._floods: dict[tuple[int, int], Flood] = {}
        self._outs: dict[tuple[Seats, str], list[tuple[Interface, Seat]]] = {}

    def spread_from(self, interface: Interface) -> Flood:
        """Where frames that a router sends by an interface get to."""
        hub = interface.bridge, interface.vid
        # Several gateways share a hub: one flood for all of them.
        if hub not in self._floods:
            self._floods[hub] = flood(self.fabric, [_sent(interface)], Level.HONEST)
        return self._floods[hub]

    def entered(self, spread: Flood) -> list[Interface]:
        """The interfaces that frames of a closure get to."""
        return [interface for interface in self.routers.up if reaches_station(spread, interface)]

    def _leading(self, targets: Seats, level: Level) -> list[tuple[Interface, Seat]]:
        """The interfaces by which a router gets to any of some seats, each with one that hears it;
        worked out once.
        """
        if (targets, level) not in self._outs:
            heard_in, listening = (
                self.vid_reach(level).heard(targets),
                ears(self.fabric, targets, level),
            )
            heard_by: dict[tuple[int, int], Seat | None] = {}
            for out in self.routers.up:
                # The same bridge and VLAN: heard by the same.
                hub = out.bridge, out.vid
                if hub not in heard_by:
                    # No VID of it is ever heard by the targets: no flood is needed.
                    near = self.vid_reach(Level.HONEST).spread(1 << out.vid) & heard_in
                    heard_by[hub] = (
                        hearing(self.spread_from(out), listening, level) if near else None
                    )
            leading = [(out, heard_by[out.bridge, out.vid]) for out in self.routers.up]
            self._outs[targets, level] = [(out, seat) for out, seat in leading if seat is not None]
        return self._outs[targets, level]

    def passages(self, entered: list[Interface], targets: Seats, level: Level) -> list[Passage]:
        """The routed ways from some interfaces to any of `targets`, up to one that passes whole. At
        the hostile level those who hear are hostile; routers never are.
        """
        passages: list[Passage] = []
        leading = self._leading(targets, level)
        # Ways that need not go back into their VLAN come first.
        for back, into, (out, seat) in product((False, True), entered, leading):
            ends = senders(into, level), networks(out)
            path = self.routers.path(into, [out], *ends, back=back)
            passages += [Passage(path, seat)] if path is not None else []
            # One that passes whole is the best there is.
            if path is not None and not passages[-1].perhaps:
                return passages
        return passages

    def steps_of(self, sources: Seats, passage: Passage, targets: Seats, level: Level) -> Routed:
        """A passage hop by hop."""
        into = passage.path.into
        way = find_way(
            self.fabric,
            sendings_of(self.fabric, sources, level),
            to_present(into.bridge, into.hears),
            level,
        )
        assert way is not None
        steps, ways = list(tell(self.fabric, way)), [way]
        for (came, out), then in zip(
            passage.path.hops, [*passage.path.hops[1:], None], strict=True
        ):
            says = f"{came.device} routes it from {came.name} into {out.name}"
            steps.append(routed_by(out, says))
            # Between routers the packet is a frame again.
            if then is not None:
                way = find_way(
                    self.fabric,
                    [_sent(out)],
                    to_present(then[0].bridge, then[0].hears),
                    Level.HONEST,
                )
                assert way is not None
                steps += list(tell(self.fabric, way))[1:]
                ways.append(way)
        # The last router's frame, to one that hears it.
        heard = reached(self.fabric, self.spread_from(passage.path.out), targets, level)
        leak = find_way_to(self.fabric, [_sent(passage.path.out)], heard, Level.HONEST, hears=level)
        steps += leak_steps(self.fabric, leak)[1:]
        ways += [leak.way] if leak.way is not None else []
        return Routed(steps, ways, leak.way is not None and all(way.simple for way in ways))

    def certified(
        self, stated_closure: dict[str, Any], targets: Seats, level: Level
    ) -> dict[str, Any] | None:
        """Where what routers send can be, for the verifier, given where frames of one side can be;
        None if it would not do. The verifier takes too many routers to know each other, by VIDs
        alone, and so must this.
        """
        vid_reach, routers = self.vid_reach(Level.HONEST), self.routers
        anywhere = (
            VlanSet.parse(stated_closure["anywhere"]).bits if "anywhere" in stated_closure else 0
        )
        outs: dict[tuple[int, int], int] = {}
        for into in routers.up:
            # By numbers alone it may be on every bridge.
            inside = self.fabric.bridges[into.bridge]
            there = stated_closure.get(f"{inside.device}|{inside.name}", {}) if not anywhere else {}
            vids = anywhere or VlanSet.parse(there.get("vids", "none")).bits
            # Packets that do not get to an interface are not passed on.
            for out in self._known(into) if vids & into.hears else ():
                ends = senders(into, level), networks(out)
                stopped = [
                    routers.filtered(at, bound, *ends)[0] == Fate.STOPPED
                    for at, bound in ((into, into.filters_in), (out, out.filters_out))
                ]
                # Either filter is enough to stop them.
                if not any(stopped):
                    outs[out.bridge, out.vid] = 1 << out.vid
        mask = vid_reach.spread(reduce(or_, outs.values(), 0))
        # By numbers alone the targets hear nothing of it.
        if not mask & self.vid_reach(level).heard(targets):
            return {"anywhere": bits_to_text(mask)}
        spread = flood(
            self.fabric,
            [Sending(-1, bit, bridge) for (bridge, _), bit in outs.items()],
            Level.HONEST,
        )
        # Somebody would hear it: no certificate of its absence.
        heard = hearing(spread, ears(self.fabric, targets, level), level)
        return certified(self.fabric, spread, targets) if heard is None else None

    @cached_property
    def _sharing(self) -> dict[Group, list[Interface]]:
        """The interfaces of a routing table of a device, and in a VLAN."""
        sharing: dict[Group, list[Interface]] = {}
        for interface in self.routers.up:
            sharing.setdefault((interface.device, interface.vrf), []).append(interface)
            sharing.setdefault(interface.vid, []).append(interface)
        return sharing

    def _known(self, start: Interface) -> list[Interface]:
        """Where packets that come in by an interface may leave, routers sharing a VLAN by its VIDs
        alone.
        """
        groups: set[Group] = {(start.device, start.vrf)}
        known: dict[int, Interface] = {}
        # The list grows while it is walked: tables, and the VLANs they share.
        for group in (work := list(groups)):
            for interface in self._sharing.get(group, ()):
                if id(interface) not in known:  # a name may be that of several, on several bridges
                    known[id(interface)] = interface
                    shared = VlanSet(self.vid_reach(Level.HONEST).spread(1 << interface.vid))
                    near: set[Group] = {(interface.device, interface.vrf), *shared}
                    work += near - groups
                    groups |= near
        return list(known.values())

    def blamed(
        self, sources: Seats, passage: Passage, routed: Routed, targets: Seats, level: Level
    ) -> list[Blame]:
        """The lines to blame, each tried: gateways passed, and places where frames change VLAN."""

        def still(fabric: Fabric, without: Interface | None = None) -> bool:
            # With a link that turns fewer VIDs into others, what `vid_reach` says no to stays so.
            # Without a gateway: which ways are left?
            routers = self.routers if without is None else self.routers.without(without)
            changed = Routing(fabric, routers, self.vid_reach)
            return bool(
                changed.passages(changed.entered(closure(fabric, sources, level)), targets, level)
            )

        lines = [blame for way in routed.ways for blame in turning(self.fabric, way, still)]
        for interface in dict.fromkeys(i for hop in passage.path.hops for i in hop):
            alone = not still(self.fabric, interface)
            # A router that is passed twice is tried once.
            lines.append(
                Blame(
                    interface.device,
                    interface.name,
                    f"the gateway {interface.label}",
                    interface.origin,
                    alone,
                )
            )
        return decisive(lines)


def senders(into: Interface, level: Level) -> list[Subnet]:
    """Where packets that come in by an interface may say they are from: a hostile host says what it
    likes (FM 5.8).
    """
    return networks(into) if level == Level.HONEST else EVERYWHERE


def _sent(interface: Interface) -> Sending:
    """Frames that a router sends by an interface."""
    return Sending(-1, 1 << interface.vid, interface.bridge)
