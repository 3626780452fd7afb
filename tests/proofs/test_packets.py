"""Verdicts at layer 3 against single packets: gateways as hosts of the naive simulator, filters
address by address.
"""

from __future__ import annotations

import random
from collections.abc import Iterator
from ipaddress import ip_address, ip_interface, ip_network
from itertools import permutations, product
from pathlib import Path
from typing import Any, NamedTuple

import pytest

from inkov.campus import (
    Campus,
    Device,
    Fact,
    Filter,
    FilterEntry,
    Gateway,
    Host,
    Mode,
    Port,
    Subnet,
)
from inkov.forwarding import Fabric, resolve
from inkov.forwarding.stations import interfaces
from inkov.levels import Layer, Level
from inkov.plan import Claim, Plan, PlanFile
from inkov.proofs import prove
from inkov.proofs.prove import Prover
from inkov.proofs.seats import Seat, all_seats
from inkov.readers import load
from inkov.verify.certificates import verify, verify_entry
from inkov.verify.closures import Refused
from inkov.vlanset import VlanSet
from inkov.wiring import wire
from tests.campuses import NOWHERE, VIDS, fact, random_campus
from tests.clean import clean_campus
from tests.conftest import cases, copied
from tests.proofs.oracle import Oracle
from tests.proofs.test_filters import fate
from tests.proofs.test_proofs import at_one_port, claim_of, entry_of, legs_of, network, nobody_at
from tests.simulator import At, said
from tests.written import GATEWAYS, in_files

CLAIMS = cases("CLAIMS", 2000, least=500) // 4


class Station(NamedTuple):
    device: str
    vrf: str
    subnet: Subnet
    filters_in: list[FilterEntry]
    filters_out: list[FilterEntry]
    seat: Seat

    @property
    def table(self) -> tuple[str, str]:
        """A routing table is its device's own."""
        return self.device, self.vrf


def V4(vid: int, low: int, less: int) -> str:
    """One of two addresses of a VLAN, with a prefix of full length, or one `less`."""
    return f"10.0.{vid}.{low}/{32 - less}"


def V6(vid: int, low: int, less: int) -> str:
    return f"fd00:0:0:{vid}::{low}/{128 - less}"


def with_gateways(rng: random.Random, campus: Campus) -> Campus:
    """Routers among the switches: gateways in some VLANs, in one of two routing tables, some with
    filters.
    """
    own = rng.choice([V4, V6])
    nets = [
        None,
        *(
            ip_network(own(vid, low, less))
            for vid in VIDS
            for low, less in ((0, 1), (0, 0), (1, 0))
        ),
        ip_network((V6 if own is V4 else V4)(10, 0, 1)),  # of the other family: fits nothing
    ]

    def pair() -> tuple[Subnet | None, Subnet | None]:
        one, other = rng.choice(nets), rng.choice(nets)
        mixed = one is not None and other is not None and one.version != other.version
        return one, None if mixed else other

    def chance(share: float) -> bool:
        return rng.random() < share

    for number, device in enumerate(campus.devices.values(), 1):
        places = [(vid, bridge) for bridge in ("", *device.bridges) for vid in VIDS]
        for vid, bridge in rng.sample(places, rng.randint(1, 5)):
            address = Fact(ip_interface(own(vid, number % 2, 1)), NOWHERE)
            gateway = Gateway(vid, NOWHERE, bridge, addresses=(address,))
            gateway.vrf = fact("guests") if rng.random() < 0.15 else None
            gateway.enabled = fact(False) if rng.random() < 0.05 else None
            gateway.tagged = rng.random() < 0.5 and (device.vlans is None or vid in device.vlans)
            for side in ("filters_in", "filters_out"):
                if rng.random() < 0.25:
                    name = f"{side} {vid}"
                    entries = [
                        FilterEntry(
                            n,
                            rng.random() < 0.4,
                            *pair(),
                            rng.random() < 0.1,
                            NOWHERE,
                        )
                        for n in range(rng.randint(0, 4))
                    ]
                    device.filters[name] = Filter(name, NOWHERE, entries)
                    setattr(gateway, side, (fact(name),))
            device.gateways.append(gateway)
    return campus


ANYBODY = {
    4: [ip_address("192.0.2.1")],
    6: [ip_address("2001:db8::1")],
}
for number, family in ((4, V4), (6, V6)):
    ANYBODY[number] += [ip_interface(family(vid, low, 0)).ip for vid in VIDS for low in (0, 1)]


def takes_no_notice(device: Device, bridge: str) -> bool:
    """True for a bridge whose ports are unaware."""
    named = {port for one in device.bridges.values() for port in one.ports}
    own = device.bridges[bridge].ports if bridge else device.ports.keys() - named
    return any(said(device.ports[port].mode, None) is Mode.UNAWARE for port in own)


def named(gateway: Gateway) -> str:
    return f"gateway {gateway.bridge} {gateway.vid}"


class Packets:
    """Who gets packets of whom: every gateway is an access port of its own here, which frames come
    to and leave by.
    """

    def __init__(self, campus: Campus, *, on_wires: bool = True) -> None:
        changed = copied(campus)
        for device in changed.devices.values():
            for g in device.gateways:
                port = device.ports[named(g)] = Port(named(g), NOWHERE)
                port.mode, port.access_vlan, port.enabled = (
                    fact(Mode.ACCESS),
                    fact(g.vid),
                    g.enabled,
                )
                row = (device.vlans or {}).get(g.vid)
                if takes_no_notice(device, g.bridge):
                    port.mode = port.mode if g.tagged else fact(Mode.UNAWARE)
                elif row is not None and row.secondaries is not None:  # it hears these, too
                    port.mode, port.primary = fact(Mode.PROMISCUOUS), fact(g.vid)
                    port.secondaries = row.secondaries
                if g.bridge:
                    device.bridges[g.bridge].ports[port.name] = NOWHERE
        self.fabric = resolve(changed, wire(changed))
        self.oracle = Oracle(changed, self.fabric, on_wires=on_wires)
        self.seats = {self._place(seat): seat for seat in all_seats(self.fabric)}
        self.stations: list[Station] = []
        for device in campus.devices.values():
            for g in device.gateways:
                bound = [
                    [entry for name in names for entry in device.filters[name.value].entries]
                    for names in (g.filters_in, g.filters_out)
                ]
                vrf, subnet = g.vrf.value if g.vrf else "", g.addresses[0].value.network
                seat = self.seats.get((device.name, named(g), 0))
                if seat is not None:
                    self.stations.append(
                        Station(device.name, vrf, subnet, bound[0], bound[1], seat)
                    )
        self.sent = [
            self.oracle.everywhere({station.seat}, Level.HONEST) for station in self.stations
        ]
        hears = [self.reached(sent, Level.HONEST) for sent in self.sent]
        self.of_router: dict[tuple[str, str], list[int]] = {}
        for number, station in enumerate(self.stations):
            self.of_router.setdefault(station.table, []).append(number)
        self.shares: list[set[int]] = [
            {b for b in hears[a] if a in hears[b] and self.stations[b].table != station.table}
            for a, station in enumerate(self.stations)
        ]

    def reached(self, sent: set[At], level: Level) -> set[int]:
        """The stations that frames get to."""
        return {
            n
            for n, station in enumerate(self.stations)
            if any(
                at.device == station.device and self.oracle.heard(at, {station.seat}, Level.HONEST)
                for at in sent
            )
        }

    def _place(self, seat: Seat) -> tuple[str, str, int]:
        port = self.fabric.bridge_ports[seat.port]
        return port.end.device, port.port, seat.tag

    def same(self, fabric: Fabric, seats: set[Seat]) -> set[Seat]:
        """The seats of the campus as it was, in this one."""
        ports = fabric.bridge_ports
        return {self.seats[ports[s.port].end.device, ports[s.port].port, s.tag] for s in seats}

    def fates(
        self, sources: set[Seat], targets: set[Seat], level: Level
    ) -> tuple[bool, bool, bool]:
        """Whether any packet gets from one to the other, and whether from some subnet to some other
        all do; or all that go back into the subnet that they are from.
        """
        into = self.reached(self.oracle.everywhere(sources, level), level)
        out = [
            n
            for n, sent in enumerate(self.sent)
            if any(self.oracle.heard(at, targets, level) for at in sent)
        ]
        some = every = back = False
        for start, final in product(into, out):
            # A hostile host says it is whoever it likes: here anybody of these subnets, or a
            # stranger.
            here, there = self.stations[start].subnet, self.stations[final].subnet
            ends = list(here) if level == Level.HONEST else ANYBODY[here.version], list(there)
            kinds = product(*ends, (False, True))
            arrive = [self.arrives(start, final, packet) for packet in kinds]
            # That hosts send what is for their own VLAN to a router is not taken for granted.
            some, every = some or any(arrive), every or (all(arrive) and start != final)
            back = back or (all(arrive) and start == final)
        return some, every, back

    def arrives(self, start: int, final: int, packet: tuple[Any, Any, bool]) -> bool:
        """Whether one packet that came in at a station leaves by another, by whichever routers."""
        seen, work = {start}, [start]
        for here in work:
            into = self.stations[here]
            if not fate(into.filters_in, *packet):
                continue
            for number in self.of_router[into.table]:
                if not fate(self.stations[number].filters_out, *packet):
                    continue
                if number == final:
                    return True
                # Those of other routers only: see `shares`.
                new = self.shares[number] - seen
                seen |= new
                work += new
        return False


def corrupted(entry: dict[str, Any]) -> Iterator[dict[str, Any]]:
    """The entry with something in it made untrue: a VLAN that routers send in left out, or a
    router.
    """
    for at, stated in enumerate(entry.get("routed", ())):
        for vid in VlanSet.parse(stated.get("anywhere", "none")):
            less = {"anywhere": str(VlanSet.parse(stated["anywhere"]) - VlanSet.of(vid))}
            yield {
                **entry,
                "routed": [less if n == at else one for n, one in enumerate(entry["routed"])],
            }
    for at, step in enumerate(entry.get("way", ())):
        if step["event"] == "routed":
            changes: list[dict[str, object]] = [
                {"port": "VLAN 4000"},
                {"vlan": 4000},
                {"switch": "nowhere"},
            ]
            if step["vlan"] != entry["way"][at - 1]["vlan"]:  # or it may go on without a router
                changes.append({})
            for change in changes:
                way = [
                    *entry["way"][:at],
                    *([{**step, **change}] if change else []),
                    *entry["way"][at + 1 :],
                ]
                yield {**entry, "way": way}


def test_what_needs_no_plan_is_verified() -> None:
    """Whether VLANs leak or are split, gateways among their members; links left out are refused."""
    verified = refused = 0
    for number in range(60):
        rng = random.Random(f"no plan {number}")
        campus = with_gateways(
            rng, clean_campus(number, 4) if number % 3 == 0 else random_campus(rng, 5)
        )
        fabric, net = resolve(campus, wire(campus)), network(campus)
        for at, v in enumerate(prove(fabric, level=rng.choice([Level.HONEST, Level.HOSTILE]))):
            entry = {
                "claim": v.claim,
                "kind": v.kind,
                "level": v.level,
                "layer": v.layer,
                **entry_of(v),
            }
            try:
                verified += verify_entry(net, [], {}, at, entry)
                if entry.get("edges") and len(net.served(int(entry["vlans"]))) > 1:
                    with pytest.raises(Refused):
                        verify_entry(net, [], {}, at, {**entry, "edges": []})
                    refused += 1
            except Refused as why:
                raise AssertionError((number, entry, str(why))) from None
    assert verified > 200 and refused > 20, (verified, refused)


def test_verdicts_at_layer_3_are_those_of_single_packets(tmp_path: Path) -> None:
    """Every other campus is written to files first, and the program reads these."""
    seen: dict[str, int] = {}
    for number in range(CLAIMS // 5):
        rng = random.Random(f"packets {number}")
        campus = meant = with_gateways(rng, random_campus(rng, 3))
        if number % 2:
            in_files(rng, meant, tmp_path / "c", GATEWAYS)
            loaded = load([str(tmp_path / "c")])
            campus = loaded.campus
            assert not campus.problems, (number, campus.problems)
        fabric = resolve(campus, wire(campus))
        packets, net = Packets(meant), network(campus)
        claims = [claim_of(rng, fabric) for _ in range(9)]
        claims = [claim for claim in claims if claim.kind in ("isolate", "reach", "not-reach")][:5]
        for claim in claims:
            claim.layer = Layer.PACKETS
        prover = Prover(fabric, Plan(PlanFile(claims=claims)))
        for claim, verdict in zip(claims, prove(fabric, prover.plan), strict=True):
            if at_one_port(verdict) or nobody_at(prover, claim):
                continue
            legs = [
                (packets.same(fabric, a), packets.same(fabric, b))
                for a, b in legs_of(prover, claim)
            ]
            frames = any(packets.oracle.leaks(*leg, claim.level) for leg in legs)
            fates = [packets.fates(*leg, claim.level) for leg in legs]
            some, every, back = (any(kind) for kind in zip(*fates, strict=True))
            about = number, claim, verdict.because, frames, fates
            kind = verdict.verdict if claim.reach is None else f"reach {verdict.verdict}"
            if kind == "holds":
                assert not frames and not some, about
            elif kind == "broken":
                assert frames or every or back or "in part" in verdict.because, about
            elif kind == "reach holds":
                assert frames or every, about
            elif kind == "reach broken":
                assert not frames and not some, about
            kind += " by router" if "routed" in verdict.because else ""
            seen[kind] = seen.get(kind, 0) + 1
            if verdict.certificate:
                try:
                    verify(net, claim, {}, entry_of(verdict))
                except Refused as refused:
                    raise AssertionError((*about, str(refused), verdict.certificate)) from None
                seen[f"{kind}, verified"] = seen.get(f"{kind}, verified", 0) + 1
                for entry in corrupted(entry_of(verdict)):
                    with pytest.raises(Refused):
                        verify(net, claim, {}, entry)
                    seen["refused"] = seen.get("refused", 0) + 1
    few = CLAIMS // 25
    assert seen["holds, verified"] > few and seen["broken by router, verified"] > few, seen
    assert (
        seen["refused"] > 5 * few
        and seen["reach holds by router, verified"] > few // 10
        and seen["reach broken"] > few // 4
    ), seen


def with_hosts(rng: random.Random, campus: Campus, fabric: Fabric) -> list[Host]:
    """Hosts at access ports, with addresses in the subnet of some VLAN, masks that fit or do not,
    and gateways that are there or not.
    """
    doors = [
        port
        for port in fabric.bridge_ports
        if fabric.is_host_port(port) and not port.outer and port.view.pvid and port.view.untagged
    ]
    gateways = [g for d in campus.devices.values() for g in d.gateways]
    hosts = []
    for number, port in enumerate(rng.sample(doors, min(len(doors), 4))):
        own = [g for g in gateways if g.vid == port.view.pvid]
        gateway = rng.choice(own if own and rng.random() < 0.9 else gateways)
        router = gateway.addresses[0].value  # its subnet has two addresses
        other = next(ip for ip in router.network if ip != router.ip)
        full = router.max_prefixlen
        mask = full - rng.choice([1, 1, 1, 1, 1, 0, 16])
        asked = str(router.ip) if rng.random() < 0.9 else None
        address = ip_interface(f"{other}/{mask}")
        end = port.end
        hosts.append(Host(f"y{number}", end.device, end.port, NOWHERE, None, address, asked))
    return hosts


def goes(packets: Packets, here: Host, there: Host, ips: dict[int, Any]) -> tuple[bool, bool]:
    """Whether a packet of some kind, and of every kind, gets from one host to another, by the
    sender's own mask and gateway.
    """
    one, other = (packets.seats.get((h.device, h.port, 0)) for h in (here, there))
    assert here.address is not None and there.address is not None
    if one is None or other is None or here.address.version != there.address.version:
        return False, False
    oracle = packets.oracle
    if there.address.ip in here.address.network:
        arrives = oracle.leaks({one}, {other}, Level.HONEST)
        return arrives, arrives
    if here.gateway is None or ip_address(here.gateway) not in here.address.network:
        return False, False
    near = packets.reached(oracle.everywhere({one}, Level.HONEST), Level.HONEST)
    starts = [n for n in near if str(ips[n]) == here.gateway]
    finals = [
        n
        for n, station in enumerate(packets.stations)
        if there.address.ip in station.subnet
        and any(oracle.heard(at, {other}, Level.HONEST) for at in packets.sent[n])
    ]
    kinds = [
        any(
            packets.arrives(start, final, (here.address.ip, there.address.ip, finer))
            for start in starts
            for final in finals
        )
        for finer in (False, True)
    ]
    return any(kinds), all(kinds)


def test_hosts_reach_each_other_as_single_packets_do() -> None:
    """A ping, there and back, by masks, gateways, routers and filters."""
    seen: dict[str, int] = {}
    for number in range(CLAIMS // 2):
        rng = random.Random(f"ping {number}")
        campus = with_gateways(rng, random_campus(rng, 3))
        campus.hosts = []
        campus.hosts = with_hosts(rng, campus, resolve(campus, wire(campus)))
        fabric = resolve(campus, wire(campus))
        packets, net = Packets(campus), network(campus)
        called = [(i.device, i.name) for i in interfaces(fabric)]
        if len(set(called)) < len(called):
            continue  # two on a bridge without VLANs: a certificate cannot tell them apart
        ips = {
            n: next(
                g.addresses[0].value.ip
                for g in campus.devices[s.device].gateways
                if named(g) == packets.fabric.bridge_ports[s.seat.port].port
            )
            for n, s in enumerate(packets.stations)
        }
        for one, other in permutations(campus.hosts, 2):
            subnets = [s.subnet for s in packets.stations]
            if any(
                sum(h.address.ip in net for net in subnets) > 1 for h in (one, other) if h.address
            ):
                continue  # of several routers in a subnet one is taken: which, is luck
            claim = Claim(reach=[one.name, other.name])
            [verdict] = prove(fabric, Plan(PlanFile(claims=[claim])))
            there, back = goes(packets, one, other, ips), goes(packets, other, one, ips)
            about = number, one, other, verdict.because, there, back
            if verdict.verdict == "holds":
                assert there[0] and back[0], about
            elif verdict.verdict == "broken":
                assert not (there[1] and back[1]), about
            kind = (
                f"{verdict.verdict}{' by router' if 'routed' in str(verdict.certificate) else ''}"
            )
            seen[kind] = seen.get(kind, 0) + 1
            if verdict.certificate:
                try:
                    verify(net, claim, {}, entry_of(verdict))
                except Refused as refused:
                    raise AssertionError((*about, str(refused), verdict.certificate)) from None
    few, by_router = CLAIMS // 25, seen.get("holds by router", 0)
    assert seen["holds"] > few and seen["broken"] > 5 * few and by_router > 3 * few // 20, seen
