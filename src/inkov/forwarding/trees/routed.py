"""Who has a gateway, and whose routers know each other (FM 5.5), with and without what is lost.

## Theory of operation

Routers and broadcast domains are a graph: a routing table is joined with each domain that it has an
interface in. Hosts reach others by routers if their domains hang together in it. A loss takes
tables and routed ports away, and has domains fall apart; in what parts is known already. So the
graph is made once, and joined anew for each loss that can matter: one of a table or a domain
without which the graph falls apart, or of the only table of a domain, or one that parts a domain
where a table has an interface that leads on.

An interface may come up with a loss, and domains grow together, if the trees open what they kept
shut. Where they may do so (`Losses.safe`), what is found is tried again in what forwards then.
"""

from __future__ import annotations

from collections.abc import Collection, Hashable, Iterable, Mapping

from inkov.forwarding.circles import partings
from inkov.forwarding.domains import domains
from inkov.forwarding.fabric import Fabric
from inkov.forwarding.routers import Routers
from inkov.forwarding.trees.vlan_graphs import Hub
from inkov.forwarding.trees.wires import Wires
from inkov.levels import Level
from inkov.vlanset import bits

__all__ = ["RoutedWays", "fallen_off"]

Table = tuple[str, str]
"""A routing table: a device, and the name of the table there."""
Domain = tuple[int, ...]
"""A broadcast domain: its label in each outcome of the spanning trees."""


class RoutedWays:
    """The routed interfaces that are up, in what forwards now: `outcomes` are the fabrics of each
    outcome of the trees, `hubs` those that serve somebody.
    """

    def __init__(self, outcomes: list[Fabric], hubs: Iterable[Hub]) -> None:
        self._there = [domains(fabric) for fabric in outcomes]
        self._routers = Routers(outcomes[0], self._there[0], Level.HONEST)
        self._up = self._routers.up
        self._domain = [self._label((interface.bridge, interface.vid)) for interface in self._up]
        self._hubs = {hub: label for hub in hubs if (label := self._label(hub)) is not None}
        self._taken: dict[Domain, list[int]] = {}  # domain -> the interfaces that take its frames
        self._tables: dict[Table, list[int]] = {}
        self._at: dict[Hub, list[int]] = {}
        # An interface takes frames of every VLAN that it hears: of secondaries as well.
        for number, gateway in enumerate(self._up):
            self._tables.setdefault((gateway.device, gateway.vrf), []).append(number)
            self._at.setdefault((gateway.bridge, gateway.vid), []).append(number)
            for vid in bits(gateway.hears):
                label = self._label((gateway.bridge, vid))
                if label is not None:
                    self._taken.setdefault(label, []).append(number)
        self._that_matter()

    def _label(self, hub: Hub) -> Domain | None:
        labels = tuple(there.of(*hub) for there in self._there) if hub[0] >= 0 else (-1,)
        return labels if min(labels) >= 0 else None

    def _that_matter(self) -> None:
        """The devices without which something falls apart or is left without a gateway, and the
        routed bridges that are all there is of a domain that others need.
        """
        table_of = {number: table for table, own in self._tables.items() for number in own}
        edges: list[tuple[Hashable, Hashable]] = [
            (table_of[number], label) for label, own in self._taken.items() for number in own
        ]
        weights = dict.fromkeys((vertex for edge in edges for vertex in edge), 1)
        needed = {
            parting.vertex for parting in partings(edges, weights) if parting.vertex is not None
        }
        with_hosts = set(self._hubs.values())
        self._devices: set[str] = {table[0] for table in self._tables if table in needed}
        self._bridges: set[int] = set()
        for label, own in self._taken.items():
            # One device alone has a gateway for that domain.
            if label in with_hosts and len({self._up[number].device for number in own}) == 1:
                self._devices.add(self._up[own[0]].device)
                self._bridges.update(self._up[number].bridge for number in own)
            # A domain that holds others together.
            if label in needed:
                self._bridges.update(self._up[number].bridge for number in own)
        self._leading_on = {
            (interface.bridge, interface.vid)
            for number, interface in enumerate(self._up)
            # Tables with interfaces in several domains lead on.
            if len({self._domain[other] for other in self._tables[table_of[number]]}) > 1
        }

    def may_matter(
        self, devices: Collection[str], bridges: Collection[int], parts: Collection[Hub]
    ) -> bool:
        """Whether a loss of devices (their routing) and of routed bridges, that has some hubs fall
        off, can do anything to ways by routers.
        """
        return not (
            self._devices.isdisjoint(devices)
            and self._bridges.isdisjoint(bridges)
            and self._leading_on.isdisjoint(parts)
        )

    def together(
        self,
        devices: Collection[str] = (),
        bridges: Collection[int] = (),
        part: Mapping[Hub, int] | None = None,
    ) -> dict[Hub, Hashable]:
        """For each hub with a gateway the routers that it gets to, without what is lost: hubs with
        the same ones reach each other by routers, if no filter says otherwise. `part` has of the
        hubs that fall off the part that they are in then, from 1.
        """
        part = part or {}
        alive = {
            number
            for number, interface in enumerate(self._up)
            if interface.device not in devices and interface.bridge not in bridges
        }
        joined = Wires()
        for own in self._tables.values():
            left = [number for number in own if number in alive]
            for number in left:
                joined.join(left[0], number)
        # A domain that falls into parts is several: its number and the part.
        by_part: dict[tuple[Domain, int], int] = {}
        for label, own in self._taken.items():
            for number in own:
                if number not in alive:
                    continue
                one = self._up[number]
                at = part.get((one.bridge, one.vid), 0)
                first = by_part.setdefault((label, at), number)
                # Where not all of a domain talk, only those that do are joined.
                apart = self._routers.apart.get(number)
                if apart is None:
                    joined.join(first, number)
                for other in apart or ():
                    its = self._up[other]
                    if other in alive and part.get((its.bridge, its.vid), 0) == at:
                        joined.join(number, other)
        return {
            hub: joined.of(by_part[label, part.get(hub, 0)])
            for hub, label in self._hubs.items()
            if (label, part.get(hub, 0)) in by_part
        }


def fallen_off(
    before: Mapping[Hub, Hashable], after: Mapping[Hub, Hashable], ports: Mapping[Hub, int]
) -> tuple[set[Hub], set[Hub]]:
    """Of hubs with a gateway before, those without any after; and those whose routers no longer get
    to the routers of most others. `ports` are the hubs that may fall off, with their host ports.
    """
    # Who had a gateway, and has none.
    without = {hub for hub in before.keys() & ports.keys() if hub not in after}
    parts: dict[Hashable, dict[Hashable, list[Hub]]] = {}
    for hub in sorted(before.keys() & after.keys() & ports.keys()):
        parts.setdefault(before[hub], {}).setdefault(after[hub], []).append(hub)
    apart: set[Hub] = set()
    # The part with most hosts stays; the others fell off.
    for fallen in parts.values():
        by_size = sorted(fallen.values(), key=lambda part: (-sum(ports[hub] for hub in part), part))
        apart.update(hub for part in by_size[1:] for hub in part)
    return without, apart
