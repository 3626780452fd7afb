"""Who is served in a VLAN, and in which parts it falls, against the naive simulator: random
campuses with gateways, routers and sub-interfaces, from sheets to what `vlans` says.
"""

from __future__ import annotations

import random
from collections import Counter
from collections.abc import Iterator
from ipaddress import IPv4Interface
from itertools import combinations
from pathlib import Path
from typing import Any

import networkx as nx
import pytest

from inkov.campus import Campus, Fact, Gateway, Mode
from tests.campuses import NOWHERE, VIDS, fact, random_campus
from tests.conftest import Inkov, cases
from tests.forwarding.frames import Bridge, Frames
from tests.simulator import ANY, At, Place, said
from tests.written import in_files

CAMPUSES = cases("ISLANDS", 360)
PARTS = 6
FAR = 1000  # more than all links
Hub = tuple[Bridge, int]


class Served(Frames):
    """Who is served where (FM 6.3, FM 6.8)."""

    def live_ports(self) -> Iterator[Place]:
        for device in self.campus.devices.values():
            yield from filter(self.is_live, ((device.name, name) for name in device.ports))

    def bridge_at(self, place: Place) -> Bridge:
        return place[0], self.bridge(place)

    def emits(self, place: Place) -> set[int]:
        """The VLANs that leave by a port; a sub-interface sends no second tag."""
        mode, only = self.mode(place), bool(self.tag_of(place))
        how = {vid: self.sends(place, vid, mode) for vid in (*VIDS, 4094)}
        return {vid for vid, tagged in how.items() if tagged is not None and not (only and tagged)}

    def enters(self, place: Place) -> set[int]:
        """The VLAN of untagged frames, if they get in."""
        vid = self.takes(place, None, self.mode(place))
        return set() if vid is None else {vid}

    def is_routed(self, place: Place) -> bool:
        return self.mode(place) is Mode.ROUTED

    def is_linked(self, place: Place) -> bool:
        return self.end_of(place) in self.cables

    def outlets(self) -> dict[Place, Hub]:
        """The sub-interfaces on links with anybody behind them, each with what its frames are in
        there.
        """
        found: dict[Place, Hub] = {}
        for place in self.live_ports():
            vids = sorted(self.enters(place)) or sorted(self.emits(place))
            if not self.tag_of(place) or not self.is_linked(place) or not vids:
                continue
            own = self.bridge_at(place)
            beside = [p for p in self.live_ports() if p != place and self.bridge_at(p) == own]
            gateways = self.campus.devices[place[0]].gateways
            inside = [g for g in gateways if g.bridge == own[1] and g.vid in self.emits(place)]
            if self.is_routed(place) or beside or inside:
                found[place] = own, vids[0]
        return found

    def served(self) -> set[Hub]:
        """All (bridge, VLAN) with a host port, a gateway, or a router that has somebody."""
        hubs: set[Hub] = set()
        for place in self.live_ports():
            if self.is_routed(place) or not self.is_host(place):
                continue
            port = self.port(self.end_of(place)) if self.tag_of(place) else self.port(place)
            trunk = self.mode(place) is Mode.TRUNK
            if trunk and set(said(port.allowed, ANY)) == set(ANY):
                continue
            vids = self.enters(place) | self.emits(place)
            if self.is_linked(
                place
            ):  # on the wire of a link: nobody is taken to tag but by a table
                tags = {
                    self.tag_of((host.device, host.port)) or host.vid
                    for host in self.campus.hosts
                    if self.is_near((host.device, host.port), place)
                }
                plain = {v for v in vids if self.sends(place, v, self.mode(place)) is False}
                vids = self.enters(place) | plain | (self.emits(place) & tags)
            hubs |= {(self.bridge_at(place), vid) for vid in vids}
        for device in self.campus.devices.values():
            hubs |= {((device.name, g.bridge), g.vid) for g in device.gateways if g.on}
        inhabited = {vid for _, vid in hubs} | {self.tag_of(sub) for sub in self.outlets()}
        routers = [*self.routers()]
        legs = Counter((vid, net) for vid, _, net in {leg[1:] for leg in routers})
        sure = {
            (hub, vid) for hub, vid, _, net in routers if legs[vid, net] > 1 or vid in inhabited
        }
        return hubs | sure

    def is_near(self, one: Place, other: Place) -> bool:
        """Whether somebody at a port is on the wire of another one."""
        end, there = self.end_of(other), self.end_of(one)
        return end == there or end in self.cables.get(there, ())

    def routers(self) -> Iterator[tuple[Bridge, int, Bridge, object]]:
        """Each end of a link with a routed port, that has an address, at the other end: the VLAN of
        untagged frames there; the router's inside, and its subnet.
        """
        for near in filter(self.is_live, self.cables):
            for far in self.cables[near]:
                if self.is_live(far) and self.is_routed(far) and not self.is_routed(near):
                    for vid in self.enters(near):
                        for address in self.port(far).addresses:
                            net = address.value.network
                            yield self.bridge_at(near), vid, self.bridge_at(far), net

    def at_default(self) -> set[Hub]:
        """Where links pass VLAN 1 of a bridge by sub-interfaces alone."""
        linked = [p for p in self.live_ports() if self.is_linked(p) and 1 in self.emits(p)]
        plain = {self.bridge_at(place) for place in linked if not self.tag_of(place)}
        return {(self.bridge_at(place), 1) for place in linked} - {(own, 1) for own in plain}

    def islands(self) -> dict[int, list[list[str]]]:
        """VLAN -> its islands, by their switches."""
        members: dict[int, set[Hub]] = {}
        for own, vid in self.served() - self.at_default():
            if not own[1].startswith("routed ") and self.has(self.campus.devices[own[0]], vid):
                members.setdefault(vid, set()).add((own, vid))
        for sub, hub in self.outlets().items():
            members.setdefault(self.tag_of(sub), set()).add(hub)
        talk = {hub: self.present(hub) for hubs in members.values() for hub in hubs}
        parts: dict[int, list[list[str]]] = {}
        for vid, hubs in members.items():
            graph: nx.Graph[Hub] = nx.Graph()
            graph.add_nodes_from(hubs)
            pairs = combinations(sorted(hubs), 2)
            graph.add_edges_from((a, b) for a, b in pairs if b in talk[a] and a in talk[b])
            split = nx.connected_components(graph)
            parts[vid] = sorted(sorted({own[0] for own, _ in part}) for part in split)
        return parts

    def present(self, hub: Hub) -> set[Hub]:
        """Where frames get that a switch itself sends into a VLAN."""
        own, vid = hub
        starts: set[At] = set()
        for place in self.live_ports():
            if self.bridge_at(place) == own and vid in self.emits(place):
                tagged = self.sends(place, vid, self.mode(place))
                tag = self.tag_of(place) or (vid if tagged else None)
                for far in self.cables.get(self.end_of(place), ()):
                    starts |= self.arrive(far, tag)
        return {hub, *((self.bridge_of(at), at.vid) for at in self.reached([*starts]))}

    def members(self, vid: int) -> dict[str, tuple[int, bool]]:
        """Switch -> how many host ports are in a VLAN, but for trunks, and whether a gateway is."""
        found: dict[str, tuple[int, bool]] = {}
        for device in self.campus.devices.values():
            ports = [
                place
                for place in self.live_ports()
                if place[0] == device.name and self.is_host(place) and not self.is_routed(place)
                if self.mode(place) is not Mode.TRUNK and vid in self.emits(place)
            ]
            gateway = any(g.vid == vid and g.on for g in device.gateways)
            if ports or gateway:
                found[device.name] = len(ports), gateway
        return found

    def first_stops(self, vid: int, start: list[str], goal: list[str]) -> set[frozenset[Place]]:
        """FM 6.6: the links that are the first to stop a VLAN on a way with fewest such links, and
        of several on a shortest. None where no way is cabled.
        """
        graph: nx.Graph[str] = nx.Graph()
        graph.add_nodes_from([*start, *goal])
        stops: dict[frozenset[Place], bool] = {}
        for near, far in self.links():
            stop = not (self.crosses(near, far, vid) and self.crosses(far, near, vid))
            stops[frozenset([near, far])] = stop
            cost = 1 + stop * FAR
            if graph.get_edge_data(near[0], far[0], {"cost": FAR * FAR})["cost"] > cost:
                graph.add_edge(near[0], far[0], cost=cost)
        goal = [name for name in goal if name not in start]
        lengths = nx.multi_source_dijkstra_path_length(graph, {*start}, weight="cost")
        best = min((lengths[name] for name in goal if name in lengths), default=0)
        left = nx.multi_source_dijkstra_path_length(graph, {*goal}, weight="cost") if goal else {}
        return {
            frozenset([near, far])
            for one in self.links()
            for near, far in (one, one[::-1])
            if stops[frozenset(one)] and lengths.get(near[0], FAR) < FAR and far[0] in left
            if lengths[near[0]] + 1 + FAR + left[far[0]] == best
        }

    def links(self) -> list[tuple[Place, Place]]:
        """The reported links whose ends are up."""
        ends = [
            (self.forwards_as(c.device, c.port), self.forwards_as(c.far_device, c.far_port))
            for c in self.campus.cables
        ]
        return [link for link in dict.fromkeys(ends) if all(map(self.is_up, link))]

    def crosses(self, near: Place, far: Place, vid: int) -> bool:
        """Whether a VLAN leaves one end of a link and arrives at the other as the same."""
        how = self.sends(near, vid, self.mode(near)) if not self.is_routed(near) else None
        if how is None:
            return False
        arriving = self.arrive(far, vid if how else None)
        return any(at.vid == vid and not self.is_routed(at[:2]) for at in arriving)


def with_routers(rng: random.Random, campus: Campus) -> None:
    """Gateways, some of them shut, and addresses of routed ports."""
    for device in campus.devices.values():
        for vid in VIDS[1:4] if rng.random() < 0.3 else ():
            bridge = rng.choice(["", *device.bridges])
            gateway = Gateway(vid, NOWHERE, bridge, addresses=(address(rng),))
            gateway.enabled = fact(False) if rng.random() < 0.2 else None
            device.gateways.append(gateway)
        for port in device.ports.values():
            if said(port.mode, None) is Mode.ROUTED and rng.random() < 0.7:
                port.addresses = (address(rng),)


def address(rng: random.Random) -> Fact[Any]:
    return fact(IPv4Interface(f"10.0.{rng.randint(1, 2)}.{rng.randint(1, 99)}/24"))


@pytest.mark.parametrize("part", range(PARTS))
def test_vlans_fall_into_the_islands_that_talk(part: int, inkov: Inkov, tmp_path: Path) -> None:
    for seed in range(part, CAMPUSES, PARTS):
        rng = random.Random(f"islands {seed}")
        campus = random_campus(rng, 6)
        ports = [port for device in campus.devices.values() for port in device.ports.values()]
        if any(said(port.mode, None) is Mode.UNAWARE for port in ports):
            continue
        with_routers(rng, campus)
        in_files(rng, campus, tmp_path / "c", ["sheet"])
        rows = inkov("vlans", "c", "-f", "json").json["vlans"]
        found = {row["vlan"]: sorted(row["islands"]) for row in rows if row["islands"]}
        served = Served(campus)
        meant = {vid: parts for vid, parts in served.islands().items() if vid in VIDS}
        assert {vid: parts for vid, parts in found.items() if vid in VIDS} == meant, seed
        with_subs = any(served.tag_of(sub) for sub in served.live_ports() if served.is_linked(sub))
        for row in rows:
            at = {one["switch"]: (one["ports"], one["gateway"]) for one in row["at"]}
            at = {name: both for name, both in at.items() if any(both)}
            assert row["vlan"] not in VIDS or at == served.members(row["vlan"]), (seed, row["vlan"])
            # What a sub-interface passes has two numbers, and an area its own islands.
            for gap in () if with_subs or row["areas"] else row["breaks"]:
                stops = served.first_stops(row["vlan"], row["islands"][0], gap["island"])
                link, _, why = gap["says"].partition(": ")
                ends = frozenset(tuple(end.split(":")) for end in link.split(" to "))
                stopped = why and not why.startswith("every link passes")
                assert ends in stops if stopped else not stops, (seed, gap, stops)


def test_a_port_and_its_sub_interface_are_no_wire(inkov: Inkov, tmp_path: Path) -> None:
    """FM 3.5: what a's main bridge sends to b comes by the port at which b meets a's sub-interface.
    So it does not turn back there, and gets into the other bridge by no other way.
    """
    head = "inkov sheet 1\nswitch: {}\n[vlans]\n20: beds\n[port 1]\nmode: access\nvlan: 20\n"
    trunk = "[port 9]\nmode: trunk\nnative: none\nallowed: 20\n"
    behind = (
        "[sub 9.20]\nof: 9\ntag: 20\nmode: access\nvlan: 20\n[port 2]\nmode: access\nvlan: 20\n"
    )
    (tmp_path / "a.sheet").write_text(
        f"{head.format('a')}{trunk}{behind}[bridge b2]\nports: 2, 9.20\n[neighbours]\n9: b:9\n"
    )
    (tmp_path / "b.sheet").write_text(head.format("b") + trunk)
    [row] = inkov("vlans", ".", "-f", "json").json["vlans"]
    assert sorted(row["islands"]) == [["a"], ["a", "b"]]
