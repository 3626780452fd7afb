"""Who is reached by routers, as sets of interfaces: those that a sender's frames get to, and those
by which routers get to an ear.

Between the two stands what routers do with packets (FM 5.5, FM 5.7): for each interface that
packets come in by, those that they leave by, whole or in part, as masks. Interfaces of one routing
table that no filter tells apart behave alike, so few ways are searched.
"""

from __future__ import annotations

from collections.abc import Hashable
from enum import IntEnum
from functools import cached_property

from inkov.campus import Subnet
from inkov.effects.hearing import Ear, Hearing, Sender
from inkov.forwarding.routers import Fate, Path, Routers, networks
from inkov.forwarding.stations import Interface
from inkov.levels import Level
from inkov.proofs.routed import senders
from inkov.vlanset import bits, union

__all__ = ["Passes", "RoutedReach", "passed"]


class Passes(IntEnum):
    """How much of the packets from one side to another gets there by routers."""

    NOTHING = 0
    IN_PART = 1
    WHOLE = 2


def passed(entering: tuple[int, int], leading: int) -> Passes:
    """How much gets out by interfaces (those it may leave by whole, and in part) that lead on."""
    whole, part = entering
    # The whole of it, a part, or nothing.
    if whole & leading:
        return Passes.WHOLE
    return Passes.IN_PART if part & leading else Passes.NOTHING


class RoutedReach:
    """Who is reached by routers on one side of a comparison.

    `hearing` is who hears hosts, `sent` who hears routers.
    """

    def __init__(self, routers: Routers, hearing: Hearing, sent: Hearing) -> None:
        self.routers = routers
        self.level: Level = hearing.level
        self.hearing = hearing
        self.sent = sent
        self._entered: dict[Sender, tuple[int, int]] = {}
        self._reached: dict[Sender, list[int]] = {}
        self._ways: dict[Hashable, Passes] = {}
        self._told_apart: dict[Hashable, Hashable] = {}

    def entering(self, sender: Sender) -> tuple[int, int]:
        """The interfaces by which packets of a sender leave routers, as masks: whole, and at least
        in part.
        """
        # Many seats send alike.
        if sender not in self._entered:
            rows = [self._rows[number] for number in self.entered(sender)]
            self._entered[sender] = union(row[0] for row in rows), union(row[1] for row in rows)
        return self._entered[sender]

    def entered(self, sender: Sender) -> list[int]:
        """The numbers of the interfaces that frames of a sender get to."""
        if sender not in self._reached:
            # Followed by a flood, or by the regions of what is sent.
            if sender.frames:
                up = enumerate(self.routers.up)
                numbers = [n for n, interface in up if self.hearing.gets_to(sender, interface)]
            else:
                mask = union(self._in_region.get(region, 0) for region in sender.regions)
                numbers = list(bits(mask))
            self._reached[sender] = numbers
        return self._reached[sender]

    @cached_property
    def _in_region(self) -> dict[int, int]:
        """Region -> the interfaces that take frames of it, as a mask."""
        masks: dict[int, int] = {}
        for number, interface in enumerate(self.routers.up):
            heard = bits(interface.hears) if interface.bridge >= 0 else ()
            for region in {self.hearing.regions.of(interface.bridge, vid) for vid in heard}:
                masks[region] = masks.get(region, 0) | 1 << number
        return masks

    def leading(self, ear: Ear | None) -> int:
        """The interfaces by which a router gets to an ear, as a mask. Of an ear of `sent`."""
        return self._leading.get(ear, 0) if ear is not None else 0

    def passes(self, sender: Sender, leading: int, least: Passes) -> bool:
        """Whether that much of a sender's packets gets out by any of some interfaces. Only the ways
        between these are looked at.
        """
        up = self.routers.up
        return any(
            self._way(up[into], up[out]) >= least
            for into in self.entered(sender)
            for out in bits(leading)
        )

    @cached_property
    def _leading(self) -> dict[Ear, int]:
        masks: dict[Ear, int] = {}
        for number, interface in enumerate(self.routers.up):
            # A routed port sends to its link only.
            if interface.bridge >= 0:
                for ear in self.sent.hearers(self.sent.router(interface)):
                    masks[ear] = masks.get(ear, 0) | 1 << number
        return masks

    @cached_property
    def _rows(self) -> list[tuple[int, int]]:
        """For each interface those by which its packets leave, as masks: whole, and in part."""
        up = self.routers.up
        islands: dict[int, int] = {}
        hubs: dict[tuple[int, int], int] = {}
        # All that share an island, and all that share a hub.
        for number, interface in enumerate(up):
            island = self._island[interface.device, interface.vrf]
            islands[island] = islands.get(island, 0) | 1 << number
            hub = interface.bridge, interface.vid
            hubs[hub] = hubs.get(hub, 0) | 1 << number
        rows = []
        for into in up:
            island = self._island[into.device, into.vrf]
            near = islands[island]
            # Without filters all of it passes, but perhaps what goes back where it came from.
            plain = 0 if island in self._filtered else near & ~hubs[into.bridge, into.vid]
            ways = [(number, self._way(into, up[number])) for number in bits(near & ~plain)]
            whole = union(1 << number for number, way in ways if way == Passes.WHOLE)
            part = union(1 << number for number, way in ways if way != Passes.NOTHING)
            rows.append((plain | whole, plain | part))
        return rows

    def _way(self, into: Interface, out: Interface) -> Passes:
        """How much gets from one interface out by another."""
        one, other = self._island[into.device, into.vrf], self._island[out.device, out.vrf]
        # They do not know of each other.
        if one != other:
            return Passes.NOTHING
        back = (into.bridge, into.vid) == (out.bridge, out.vid)
        # Nothing filters on this island.
        if one not in self._filtered and not back:
            return Passes.WHOLE
        # Back by the very interface: only perhaps.
        if into is out and not self._filtered:
            return Passes.IN_PART
        key = self._alike(into, one), self._alike(out, one), back and (into.name, out.name)
        if key not in self._ways:
            self._ways[key] = self._searched(into, out)
        return self._ways[key]

    def _searched(self, into: Interface, out: Interface) -> Passes:
        ends = senders(into, self.level), networks(out)
        plain = self.routers.path(into, [out], *ends, back=False)
        # The plain way passes all of it.
        if plain is not None and plain.how == Fate.PASSES:
            return Passes.WHOLE
        # Else by a router that sends it back to the next one; only into the VLAN it is from, it
        # may be that nobody asks for that.
        there = self.routers.path(into, [out], *ends, back=True)
        if there is not None and there.how == Fate.PASSES and not there.back:
            return Passes.WHOLE
        return Passes.NOTHING if there is None and plain is None else Passes.IN_PART

    def _alike(self, interface: Interface, island: int) -> Hashable:
        """What tells an interface from others of its routing table, for a packet."""
        key = interface.device, interface.name, island
        # Nearly all interfaces of a table are alike.
        if key not in self._told_apart:
            subnets = networks(interface)
            prefixes = self._prefixes[island]
            fits = tuple(_fits(prefix, subnet) for prefix in prefixes for subnet in subnets)
            versions = tuple(subnet.version for subnet in subnets)
            bound = interface.filters_in, interface.filters_out
            self._told_apart[key] = interface.device, interface.vrf, bound, versions, fits
        return self._told_apart[key]

    @cached_property
    def _island(self) -> dict[tuple[str, str], int]:
        """Routing table -> the number of the lowest interface of all that know each other, filters
        aside (FM 5.5).
        """
        routers = self.routers
        island: dict[tuple[str, str], int] = {}
        for table, own in routers.of.items():
            # Reached from another table already.
            if table in island:
                continue
            number, work, seen = own[0], [table], set[int]()
            island[table] = number
            for at in work:
                # Tables that share a domain know each other.
                labels = {routers.label[interface] for interface in routers.of[at]} - seen - {-1}
                seen |= labels
                for near in (near for label in sorted(labels) for near in routers.sharing[label]):
                    next_to = routers.up[near].device, routers.up[near].vrf
                    if next_to not in island:
                        island[next_to] = number
                        work.append(next_to)
        return island

    @cached_property
    def _filtered(self) -> set[int]:
        """The islands where a filter is bound to an interface, or where not all that share a domain
        talk with each other.
        """
        return {
            self._island[interface.device, interface.vrf]
            for number, interface in enumerate(self.routers.up)
            if interface.filters_in or interface.filters_out or number in self.routers.apart
        }

    @cached_property
    def _prefixes(self) -> dict[int, list[Subnet]]:
        """Island -> the prefixes that its filters tell apart."""
        prefixes: dict[int, dict[Subnet, None]] = {}
        for interface in self.routers.up:
            filters = self.routers.fabric.device(interface.device).filters
            for name in (*interface.filters_in, *interface.filters_out):
                # A filter that is named and not there lets all pass.
                for entry in filters[name].entries if name in filters else ():
                    own = prefixes.setdefault(self._island[interface.device, interface.vrf], {})
                    own.update({p: None for p in (entry.source, entry.destination) if p})
        return {island: list(prefixes.get(island, {})) for island in set(self._island.values())}

    def path(self, sender: Sender, ear: Ear) -> Path | None:
        """A routed way from a sender to an ear, the plainest; None if there is none."""
        entered = [
            interface for interface in self.routers.up if self.hearing.gets_to(sender, interface)
        ]
        leading = self.leading(ear)
        outs = [
            interface for number, interface in enumerate(self.routers.up) if leading >> number & 1
        ]
        best: Path | None = None
        for back in (False, True):
            for into in entered:
                for out in outs:
                    ends = senders(into, self.level), networks(out)
                    path = self.routers.path(into, [out], *ends, back=back)
                    # The plainest, and of those the shortest.
                    if path is not None and (best is None or _rank(path) < _rank(best)):
                        best = path
            # Ways that go back only if there is no other.
            if best is not None:
                return best
        return best


def _rank(path: Path) -> tuple[bool, int]:
    return path.how != Fate.PASSES, len(path.hops)


def _fits(prefix: Subnet, subnet: Subnet) -> tuple[bool, bool]:
    """Whether a prefix has any address of a subnet, and whether it has all."""
    # No address of one family is in the other.
    if prefix.version != subnet.version:
        return False, False
    first, last = int(subnet.network_address), int(subnet.broadcast_address)
    low, high = int(prefix.network_address), int(prefix.broadcast_address)
    return first <= high and low <= last, low <= first and last <= high
