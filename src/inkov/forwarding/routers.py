"""Routers and what they know of each other, and what packet filters leave of packets between
subnets (FM 5.5, FM 5.7).

Routers that share a broadcast domain are taken to know each other's networks, whatever their
routing tables are called: a table is its device's own. A packet passes a router from the interface
it came by to another one, or back; filters bound to either may stop it. Packets are judged by
subnets: exactly where an entry takes whole subnets in; where it is finer, the answer is "in part".
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from enum import StrEnum
from typing import NamedTuple

from inkov.campus import FilterEntry, Subnet
from inkov.forwarding.domains import Domains, doubtful
from inkov.forwarding.fabric import Fabric
from inkov.forwarding.reach import Sending, flood
from inkov.forwarding.stations import Interface, interfaces
from inkov.levels import Level

__all__ = ["Fate", "Path", "Routers", "judge", "networks"]

Subnets = Sequence[Subnet]


class Fate(StrEnum):
    """What a filter leaves of packets. In part: it stops some, or it may (FM 5.7)."""

    PASSES = "passes"
    IN_PART = "in part"
    STOPPED = "stopped"


class Path(NamedTuple):
    """The routers that a packet passes: at each, the interface it came by and the one it leaves by.

    `how` is Fate.PASSES or Fate.IN_PART; `says` names the filters that stop some of it.
    """

    hops: tuple[tuple[Interface, Interface], ...]
    how: Fate
    says: str

    @property
    def into(self) -> Interface:
        return self.hops[0][0]

    @property
    def out(self) -> Interface:
        return self.hops[-1][1]

    @property
    def back(self) -> bool:
        """True if the packet leaves into the VLAN that it came from."""
        return (self.into.bridge, self.into.vid) == (self.out.bridge, self.out.vid)

    @property
    def routers(self) -> list[str]:
        return [into.device for into, _ in self.hops]

    @property
    def filters(self) -> list[tuple[Interface, Sequence[str]]]:
        """The interfaces passed, each with the filters that a packet meets there."""
        return [
            at
            for into, out in self.hops
            for at in ((into, into.filters_in), (out, out.filters_out))
        ]

    @property
    def assumes(self) -> list[str]:
        return [
            f"{one} and {other} know each other's networks"
            for one, other in zip(self.routers, self.routers[1:], strict=False)
        ]


class Routers:
    """The routed interfaces of a campus that are up, by router and by the broadcast domain they are
    in.
    """

    def __init__(
        self,
        fabric: Fabric,
        domains: Domains,
        level: Level,
        up: list[Interface] | None = None,
    ) -> None:
        self.fabric = fabric
        self.domains = domains
        self.level = level
        self.up = [i for i in interfaces(fabric, level) if not i.why_down] if up is None else up
        self._number = {interface: number for number, interface in enumerate(self.up)}
        self.of: dict[tuple[str, str], list[int]] = {}
        self.label: list[int] = []
        self.sharing: dict[int, list[int]] = {}
        for number, interface in enumerate(self.up):
            self.of.setdefault((interface.device, interface.vrf), []).append(number)
            # An interface on no bridge (shut) is in no domain.
            label = domains.of(interface.bridge, interface.vid) if interface.bridge >= 0 else -1
            self.label.append(label)
            if label >= 0:
                self.sharing.setdefault(label, []).append(number)
        self.apart = self._apart()

    def _apart(self) -> dict[int, list[int]]:
        """For the interfaces of domains whose parts may not all talk with each other: the
        interfaces that each does talk with, both ways.
        """
        doubts = doubtful(self.fabric, self.domains)
        apart: dict[int, list[int]] = {}
        for label, numbers in self.sharing.items():
            if label not in doubts:
                continue
            hears = {number: self._heard_among(number, numbers) for number in numbers}
            # All hear all: nothing has to be said of this domain.
            if any(len(heard) < len(numbers) for heard in hears.values()):
                for number, heard in hears.items():
                    apart[number] = [
                        router for router in numbers if router in heard and number in hears[router]
                    ]
        return apart

    def _heard_among(self, number: int, numbers: list[int]) -> set[int]:
        """Those of some interfaces that frames of one get to."""
        # Alone in its domain: only it hears itself.
        if len(numbers) < 2:
            return set(numbers)
        one = self.up[number]
        spread = flood(self.fabric, [Sending(-1, 1 << one.vid, one.bridge)], Level.HONEST)
        return {
            router
            for router in numbers
            if spread.present(self.up[router].bridge) >> self.up[router].vid & 1
        }

    def without(self, interface: Interface) -> Routers:
        """The same routers, one of their interfaces being away."""
        return Routers(
            self.fabric, self.domains, self.level, [i for i in self.up if i != interface]
        )

    def path(
        self,
        into: Interface,
        finals: Collection[Interface],
        sources: Subnets,
        destinations: Subnets,
        *,
        back: bool,
    ) -> Path | None:
        """The shortest way from one interface out by one of `finals`; one that filters stop in part
        if there is no other, and None where they stop all of it, or no router knows of it. `back`:
        routers may send it back into the VLAN that it came from.
        """
        wanted = {
            self._number[interface]
            for interface in finals
            # An interface whose filters stop all of it is no way out.
            if self.filtered(interface, interface.filters_out, sources, destinations)[0]
            != Fate.STOPPED
        }
        start = self._number[into]
        # Stopped where it comes in: no router further on sees it.
        if (
            not wanted
            or self.filtered(into, into.filters_in, sources, destinations)[0] == Fate.STOPPED
        ):
            return None
        # Better a way that lets all pass; one that lets some pass is still a way.
        for allowed in ((Fate.PASSES,), (Fate.PASSES, Fate.IN_PART)):
            path = self._search(start, wanted, sources, destinations, allowed, back=back)
            if path is not None:
                return path
        return None

    def _search(
        self,
        start: int,
        finals: set[int],
        sources: Subnets,
        destinations: Subnets,
        allowed: tuple[Fate, ...],
        *,
        back: bool,
    ) -> Path | None:
        came: dict[int, tuple[int, int] | None] = {start: None}
        queue, shared = [start], set()
        for here in queue:
            into = self.up[here]
            if self.filtered(into, into.filters_in, sources, destinations)[0] not in allowed:
                continue
            for number in self.of[into.device, into.vrf]:
                out = self.up[number]
                # Sent back into the VLAN it came from: only where that is asked for.
                if not back and (out.bridge, out.vid) == (into.bridge, into.vid):
                    continue
                if self.filtered(out, out.filters_out, sources, destinations)[0] not in allowed:
                    continue
                if number in finals:
                    return self._told(came, here, number, sources, destinations)
                domain = self.label[number]
                # Where a domain's parts do not all talk, only those that do are near.
                if number in self.apart:
                    near = self.apart[number]
                elif domain not in shared and domain >= 0:
                    # A domain that was passed once has told all its interfaces.
                    shared.add(domain)
                    near = self.sharing[domain]
                else:
                    near = []
                for other in near:
                    # Another interface of the same table was a step sideways.
                    if other not in came and other not in self.of[out.device, out.vrf]:
                        came[other] = here, number
                        queue.append(other)
        return None

    def _told(
        self,
        came: dict[int, tuple[int, int] | None],
        here: int,
        final: int,
        sources: Subnets,
        destinations: Subnets,
    ) -> Path:
        hops = [(here, final)]
        while (before := came[hops[0][0]]) is not None:
            hops.insert(0, before)
        pairs = tuple((self.up[into], self.up[out]) for into, out in hops)
        path = Path(pairs, Fate.PASSES, "")
        says = [
            self.filtered(interface, bound, sources, destinations)[1]
            for interface, bound in path.filters
        ]
        # A filter on the way stops some of it: the whole is "in part".
        if any(says):
            return path._replace(how=Fate.IN_PART, says="; ".join(filter(None, says)))
        return path

    def filtered(
        self, interface: Interface, bound: Sequence[str], sources: Subnets, destinations: Subnets
    ) -> tuple[Fate, str]:
        """What filters bound to an interface leave of packets between subnets, and which of them is
        to blame.
        """
        worst, says = Fate.PASSES, ""
        for name in bound:
            packet_filter = self.fabric.device(interface.device).filters.get(name)
            entries = (
                packet_filter.entries if packet_filter is not None else []
            )  # one that is not there is no filter
            results = {
                judge(entries, one, subnet)
                for one in sources
                for subnet in destinations
                # An entry of one family says nothing about packets of the other.
                if one.version == subnet.version
            }
            if results == {Fate.STOPPED}:
                return Fate.STOPPED, f"the filter {name} of {interface.label} stops it"
            if results - {Fate.PASSES}:
                worst, says = (
                    Fate.IN_PART,
                    f"the filter {name} of {interface.label} lets it pass in part",
                )
        return worst, says


def networks(interface: Interface) -> list[Subnet]:
    """The subnets of an interface."""
    return [fact.value.network for fact in interface.addresses]


def judge(entries: list[FilterEntry], source: Subnet, destination: Subnet) -> Fate:
    """What a filter does to packets from one subnet to another: the first entry that fits each
    packet decides.

    Exact where entries take whole subnets in. What no entry fits is taken to pass: assumptions lean
    towards "reaches".
    """
    some_pass = some_stop = False
    for entry in entries:
        source_fits, destination_fits = (
            _covers(entry.source, source),
            _covers(entry.destination, destination),
        )
        if source_fits is None or destination_fits is None:
            continue  # it fits no packet of these
        if source_fits and destination_fits and not entry.finer:  # it fits all that are left
            some_pass, some_stop = some_pass or entry.accepts, some_stop or not entry.accepts
            return Fate.PASSES if not some_stop else Fate.IN_PART if some_pass else Fate.STOPPED
        some_pass, some_stop = some_pass or entry.accepts, some_stop or not entry.accepts
    return Fate.IN_PART if some_stop else Fate.PASSES


def _covers(prefix: Subnet | None, subnet: Subnet) -> bool | None:
    """True if a prefix takes all of a subnet in, False if a part of it, None if nothing."""
    if prefix is None:
        return True
    # Another family of addresses.
    if prefix.version != subnet.version:
        return None
    first, last = int(subnet.network_address), int(subnet.broadcast_address)
    low, high = int(prefix.network_address), int(prefix.broadcast_address)
    # No address in common.
    if last < low or first > high:
        return None
    return low <= first and last <= high
