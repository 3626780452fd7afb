"""Broadcast domains: which (bridge, VID) hubs talk with each other, for all VLANs at once (FM 6.1,
FM 6.2).

Theory of operation. A hub is a VID on a bridge. Nearly every link passes a VLAN both ways under
one number, or under one number each way: such a pair of hubs is one domain, whatever else is true.
All these pairs together are an undirected graph, and its components come out of arrays of all pairs
at once (`components`), in time that grows with the number of links and VLANs.

What is left are one-way crossings and translations without a way back. They are few. They are
followed exactly, by a flood from each component that they touch.

A component promises that all in it talk with all. Two things break that promise: protected ports,
and ports that meet several others in a VLAN, which do not hear each other since nothing turns back.
Who talks in a domain that passes such an end is worked out by floods instead. So nothing is
approximated; only the work is divided.
"""

from __future__ import annotations

from collections.abc import Iterator
from heapq import heappop, heappush
from itertools import count
from typing import NamedTuple

import numpy as np
from msgspec import Struct

from inkov.forwarding.components import Ints, components
from inkov.forwarding.contraction import contract
from inkov.forwarding.fabric import BridgePort, Fabric
from inkov.forwarding.outlets import inside_only, outlets, passing_as
from inkov.forwarding.reach import Sending, flood
from inkov.forwarding.serve import served
from inkov.levels import Level
from inkov.vlanset import VlanSet, bits, union
from inkov.wiring import Link

__all__ = ["Break", "Domains", "Island", "breaks", "domains", "doubtful", "islands"]


class Domains(Struct):
    """`label` is the domain of hub (bridge, VID), by bridge and by column; `column` finds the
    column of a VID; `doubts` is what `doubtful` found, once it was asked.
    """

    label: Ints
    column: dict[int, int]
    doubts: set[int] | None = None

    def of(self, bridge: int, vid: int) -> int:
        """The number of the hub's domain; -1 if no link or port of the campus passes this VID."""
        column = self.column.get(vid)
        return -1 if column is None else int(self.label[bridge, column])

    def bridges(self, domain: int) -> list[int]:
        """The bridges with a hub in a domain, in whatever VLAN."""
        return [int(bridge) for bridge in np.flatnonzero((self.label == domain).any(axis=1))]

    def passing(self, bridge: int, columns: Ints) -> set[int]:
        """The domains of the hubs of a bridge in some columns."""
        return {int(label) for label in np.unique(self.label[bridge, columns])}


class Island(Struct):
    """A part of a VLAN that no other part of it talks with: the hubs with something to serve in
    it, as (bridge, VID). Behind a sub-interface the VID is that of its frames there.
    """

    domain: int
    hubs: list[tuple[int, int]]

    @property
    def bridges(self) -> list[int]:
        """Its bridges, in order."""
        return sorted({bridge for bridge, _ in self.hubs})

    def devices(self, fabric: Fabric) -> list[str]:
        return sorted({fabric.bridges[b].device for b in self.bridges})


class Break(Struct):
    """Where a VLAN stops between two of its islands (FM 6.6): the first link that does not pass it
    on a way with as few of these as can be.

    `way` is the whole way, as devices.
    """

    one: Island
    other: Island
    link: Link
    way: list[str]


def domains(fabric: Fabric) -> Domains:
    """The domains of all hubs."""
    used = union(port.view.emit | port.view.enters() for port in fabric.bridge_ports)
    # A VLAN that a switch has and no port passes is a domain of its own.
    for inside, mask in zip(fabric.bridges, served(fabric), strict=True):
        used |= mask & inside.live
    contracted = contract(fabric, used)
    size = len(fabric.bridges) * contracted.width
    _, label = components(size, contracted.rows, contracted.columns)
    column = {vid: int(contracted.place[vid]) for vid in bits(used)}
    result = Domains(label.reshape(len(fabric.bridges), contracted.width), column)
    # Where frames cross one way only, whether hubs talk is worked out by floods.
    loose = {(fabric.bridge_ports[way.leaves].bridge, way.vid) for way in contracted.one_way}
    if loose:
        _join_both_ways(fabric, result, loose)
    return result


def _join_both_ways(fabric: Fabric, result: Domains, loose: set[tuple[int, int]]) -> None:
    """Join the components that reach each other by way of one-way crossings."""
    reached: dict[int, set[int]] = {}
    doubts = doubtful(fabric, result)
    for bridge, vid in sorted(loose):
        start = result.of(bridge, vid)
        # All of a component reach what one of its hubs reaches. Where they may not, what any of
        # them reaches counts: `islands` works out which do.
        if start in reached and start not in doubts:
            continue
        spread = flood(fabric, [Sending(-1, 1 << vid, bridge)], Level.HONEST)
        reached.setdefault(start, set()).update(
            result.of(other, v)
            for other in range(len(fabric.bridges))
            for v in VlanSet(spread.present(other))
        )
    # Both ways: each reaches the other. All that hang together so are one.
    pairs = [
        (start, other)
        for start, others in reached.items()
        for other in others
        if start in reached.get(other, ())
    ]
    size = int(result.label.max()) + 1
    _, group = components(size, *np.array(pairs, dtype=np.int64).reshape(-1, 2).T)
    _, first = np.unique(group, return_index=True)
    result.label, result.doubts = first[group[result.label]], None


def islands(fabric: Fabric, domains: Domains) -> Iterator[tuple[int, list[Island]]]:
    """For each VLAN with something to serve anywhere, its islands, largest first."""
    serving = served(fabric)
    doubts = doubtful(fabric, domains)
    parts: dict[int, dict[int, list[tuple[int, int]]]] = {}
    within = inside_only(fabric)
    for bridge, mask in enumerate(serving):
        # A routed port serves nobody in a VLAN.
        if not fabric.bridges[bridge].routed:
            for vid in VlanSet(mask & fabric.bridges[bridge].live & ~within.get(bridge, 0)):
                label = domains.of(bridge, vid)
                parts.setdefault(vid, {}).setdefault(label, []).append((bridge, vid))
    for port in outlets(fabric):  # whatever is behind one is in the VLAN of its tag (FM 6.8)
        hub = port.bridge, _inside(port)
        there = parts.setdefault(port.outer, {}).setdefault(domains.of(*hub), [])
        if hub not in there:
            there.append(hub)
    for vid in sorted(parts):
        split: list[Island] = []
        for domain, hubs in parts[vid].items():
            island = Island(domain, hubs)
            # Only what passes an end where not all talk with all is worked out by floods.
            split += _talking(fabric, island) if domain in doubts else [island]
        split.sort(key=lambda island: (-len(island.bridges), island.bridges, island.hubs))
        yield vid, split


def doubtful(fabric: Fabric, domains: Domains) -> set[int]:
    """The domains in which not all may talk with all. Protected ports do not hear each other. What
    came by a port does not turn back (FM 3.5), so several that are met by one do not hear each
    other: the ends of several links, or at the far end a port and its sub-interfaces.
    """
    if domains.doubts is not None:
        return domains.doubts
    found: set[int] = set()
    columns: dict[int, Ints] = {}  # of a mask: many ports have the same
    met = _met_by(fabric)
    for number in fabric.crossings:
        port = fabric.bridge_ports[number]
        passed = several = 0
        for vids in met[number].values():
            passed, several = passed | vids, several | passed & vids
        mask = passed if port.view.protected else several
        if mask not in columns:
            own = [domains.column[vid] for vid in bits(mask)]
            columns[mask] = np.array(own, dtype=np.int64)
        found |= domains.passing(port.bridge, columns[mask]) if mask else set()
    domains.doubts = found
    return found


def _met_by(fabric: Fabric) -> dict[int, dict[int, int]]:
    """For each bridge port those at the far ends of its links, each with the VIDs of frames that
    leave to it or come from it, as a mask.
    """
    met: dict[int, dict[int, int]] = {number: {} for number in fabric.crossings}

    def note(port: int, far: int, vids: int) -> None:
        met[port][far] = met[port].get(far, 0) | vids

    for sender, crossings in fabric.crossings.items():
        for crossing in crossings:
            for to, mask in crossing.same:
                note(sender, to, mask)
                note(to, sender, mask)
            for to, leaves, arrives in crossing.translations:
                note(sender, to, leaves)
                note(to, sender, arrives)
    return met


def _inside(port: BridgePort) -> int:
    """The VLAN of a sub-interface's frames in its device."""
    return port.view.pvid or (port.view.untagged & -port.view.untagged).bit_length() - 1


def _talking(fabric: Fabric, island: Island) -> Iterator[Island]:
    """An island as far as its hubs really reach each other, both ways."""
    heard = {
        (bridge, vid): flood(fabric, [Sending(-1, 1 << vid, bridge)], Level.HONEST)
        for bridge, vid in island.hubs
    }

    def reaches(one: tuple[int, int], other: tuple[int, int]) -> bool:
        return bool(heard[one].present(other[0]) >> other[1] & 1)

    left = list(island.hubs)
    while left:
        part = [left.pop(0)]
        for one in part:
            for other in [hub for hub in left if reaches(one, hub) and reaches(hub, one)]:
                part.append(other)
                left.remove(other)
        yield Island(island.domain, part)


def breaks(fabric: Fabric, domains: Domains, vid: int, split: list[Island]) -> list[Break]:
    """Where VLAN `vid` stops between its largest island and each other one (FM 6.6).

    An island with no physical way to the largest has no entry.
    """
    neighbours: dict[str, list[_Over]] = {}
    for number, link in enumerate(fabric.wiring.links if len(split) > 1 else ()):
        # A link that is shut stops everything: that is another finding.
        if fabric.link_up[number]:
            stops = not _passes(fabric, link, vid)
            neighbours.setdefault(link.a.device, []).append(_Over(link.b.device, link, stops))
            neighbours.setdefault(link.b.device, []).append(_Over(link.a.device, link, stops))
    result = []
    ways = _Plainest(neighbours, split[0].devices(fabric))
    for other in split[1:]:
        way = ways.to(other.devices(fabric))
        if way is not None:
            devices, links = way
            # On a way where every link passes the VLAN one way only, the first is told.
            stop = next((over.link for over in links if over.stops), links[0].link)
            result.append(Break(split[0], other, stop, devices))
    return result


class _Over(NamedTuple):
    """A link as a device sees it: where it leads, and whether a VLAN stops there."""

    far: str
    link: Link
    stops: bool


class _Plainest:
    """The ways from some devices with the fewest links where a VLAN stops, and of these the
    shortest (Dijkstra, 1959).
    """

    def __init__(self, neighbours: dict[str, list[_Over]], start: list[str]) -> None:
        self._came: dict[str, tuple[str, _Over] | None] = dict.fromkeys(start)
        self._rank: dict[str, int] = {}  # device -> how many are nearer
        best: dict[str, tuple[int, int]] = dict.fromkeys(start, (0, 0))
        order = count()  # of ways that are alike the first comes first
        waiting = [(0, 0, next(order), device) for device in start]
        while waiting:
            stopped, length, _, device = heappop(waiting)
            if device in self._rank:
                continue  # by a better way
            self._rank[device] = len(self._rank)
            for over in neighbours.get(device, ()):
                cost = stopped + over.stops, length + 1
                if over.far not in best or cost < best[over.far]:
                    best[over.far] = cost
                    self._came[over.far] = device, over
                    heappush(waiting, (*cost, next(order), over.far))

    def to(self, goal: list[str]) -> tuple[list[str], list[_Over]] | None:
        """The way to the nearest of some devices, beside those that it begins at: its devices, and
        its links.
        """
        there = [device for device in goal if self._came.get(device) is not None]
        if not there:
            return None
        device = min(there, key=self._rank.__getitem__)
        devices, links = [device], list[_Over]()
        while (step := self._came[device]) is not None:
            device, over = step
            devices.append(device)
            links.append(over)
        return devices[::-1], links[::-1]


def _passes(fabric: Fabric, link: Link, vid: int) -> bool:
    return all(
        any(
            passing_as(fabric, fabric.bridge_ports[sender], crossing) >> vid & 1
            for sender in fabric.at[end]
            for crossing in fabric.crossings[sender]
        )
        for end in (link.a, link.b)
    )
