"""Above layer 2: which seats packets of other seats get to by way of gateways, and what filters leave of it (FM 5).

Packets of a seat get to the gateways that its frames get to. Routers of one routing table that share a broadcast domain
are taken to know each other's networks. A packet leaves a router into every VLAN of its table, and is then a frame sent
by that router. A packet filter at the VLAN interface it came by, or at the one it leaves by, may stop it: exactly where
whole subnets are accepted or rejected; where an entry is finer, the answer is "in part", and counts as reaching.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

from inkov.campus import FilterEntry, Network
from inkov.forwarding import Fabric
from inkov.forwarding.domains import Domains
from inkov.forwarding.reach import Entry, Flood, flood
from inkov.forwarding.stations import Interface, interfaces, reaches_station
from inkov.proofs.leaks import reached
from inkov.proofs.seats import Seat

__all__ = ["Passage", "Routing"]

PASSES, IN_PART, STOPPED = "passes", "in part", "stopped"


class Passage(NamedTuple):
    """A routed way: in by one interface, out by another (of the same router or one it knows), whole or in part."""

    into: Interface
    out: Interface
    heard: Seat
    in_part: bool
    says: str


class Routing:
    """The routers of a campus, and what they know of each other."""

    def __init__(self, fabric: Fabric, domains: Domains) -> None:
        self.fabric = fabric
        self.up = [i for i in interfaces(fabric) if not i.why_down]
        self.filters = {
            (device.name, gateway.vid, gateway.bridge): (gateway.filters_in, gateway.filters_out)
            for device in fabric.campus.devices.values()
            for gateway in device.gateways
        }
        sharing: dict[tuple[str, int], set[tuple[str, str]]] = {}
        for interface in self.up:
            label = domains.of(interface.bridge, interface.vid) if interface.bridge >= 0 else -1
            if label >= 0:
                sharing.setdefault((interface.vrf, label), set()).add((interface.device, interface.vrf))
        self.knows: dict[tuple[str, str], set[tuple[str, str]]] = {}
        for routers in sharing.values():
            for one in routers:
                self.knows.setdefault(one, set()).update(routers)
        self._floods: dict[tuple[int, int], Flood] = {}

    def entered(self, spread: Flood) -> list[Interface]:
        """The interfaces that frames of a closure get to."""
        return [interface for interface in self.up if reaches_station(spread, interface)]

    def known(self, router: tuple[str, str]) -> set[tuple[str, str]]:
        """A router and all those that it knows, directly or by way of others."""
        seen, work = {router}, [router]
        for one in work:
            for other in self.knows.get(one, ()):
                if other not in seen:
                    seen.add(other)
                    work.append(other)
        return seen

    def spread_from(self, interface: Interface) -> Flood:
        """Where frames that a router sends by an interface get to."""
        hub = interface.bridge, interface.vid
        if hub not in self._floods:
            self._floods[hub] = flood(self.fabric, [Entry(-1, 1 << interface.vid, interface.bridge)], "honest")
        return self._floods[hub]

    def passages(self, spread: Flood, targets: Iterable[Seat], *, every: bool = False) -> list[Passage]:
        """The routed ways from where frames of a closure get to any of `targets` (one, unless `every`)."""
        found: list[Passage] = []
        wanted = list(targets)
        entered = self.entered(spread)
        for alone in (True, False):  # first by one router, then by way of another
            for into, out in ((i, o) for i in entered for o in self.up):
                near = (into.device, into.vrf) == (out.device, out.vrf)
                if near is not alone or (out.bridge, out.vid) == (into.bridge, into.vid):
                    continue
                if not near and (out.device, out.vrf) not in self.known((into.device, into.vrf)):
                    continue
                heard = reached(self.fabric, self.spread_from(out), wanted, "honest")
                if not heard:
                    continue
                how, says = self._filtered(into, out)
                if how != STOPPED:
                    found.append(Passage(into, out, heard[0], how == IN_PART, says))
                    if not every and how == PASSES:
                        return found
        return found

    def _filtered(self, into: Interface, out: Interface) -> tuple[str, str]:
        """What the filters at both interfaces leave of packets from one subnet to the other."""
        worst, words = PASSES, []
        pairs = [(a.value.network, b.value.network) for a in into.addresses for b in out.addresses
                 if a.value.version == b.value.version]  # fmt: skip
        for interface, side in ((into, 0), (out, 1)):
            bound = self.filters.get((interface.device, interface.vid, self._bridge(interface)), ((), ()))[side]
            for fact in bound:
                found = self.fabric.device(interface.device).filters.get(fact.value)
                entries = found.entries if found is not None else []  # one that is not there is no filter
                results = {judge(entries, source, destination) for source, destination in pairs}
                if pairs and results == {STOPPED}:
                    return STOPPED, f"the filter {fact.value} of {interface.label} stops it"
                if results - {PASSES}:
                    worst = IN_PART
                    words.append(f"the filter {fact.value} of {interface.label} lets it pass in part")
        return worst, "; ".join(words)

    def _bridge(self, interface: Interface) -> str:
        return self.fabric.bridges[interface.bridge].name if interface.bridge >= 0 else ""


def judge(entries: list[FilterEntry], source: Network, destination: Network) -> str:
    """What a filter does to packets from one subnet to another: the first entry that fits each packet decides.

    Exact where entries take whole subnets in. What no entry fits is taken to pass: assumptions lean towards "reaches".
    """
    some_pass = some_stop = False
    for entry in entries:
        mine, its = _covers(entry.source, source), _covers(entry.destination, destination)
        if mine is None or its is None:
            continue  # it fits no packet of these
        if mine and its and not entry.finer:  # it fits all that are left
            some_pass, some_stop = some_pass or entry.accepts, some_stop or not entry.accepts
            return PASSES if not some_stop else IN_PART if some_pass else STOPPED
        some_pass, some_stop = some_pass or entry.accepts, some_stop or not entry.accepts
    return IN_PART if some_stop else PASSES


def _covers(said: Network | None, subnet: Network) -> bool | None:
    """True if a prefix takes all of a subnet in, False if a part of it, None if nothing."""
    if said is None:
        return True
    if said.version != subnet.version:
        return None
    first, last = int(subnet.network_address), int(subnet.broadcast_address)
    low, high = int(said.network_address), int(said.broadcast_address)
    if last < low or first > high:
        return None
    return low <= first and last <= high
