"""What losses do, held against brute force: what is lost is shut in the files' campus, all is
resolved anew, and who hangs together is compared.
"""

from __future__ import annotations

import random
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from ipaddress import ip_interface
from itertools import combinations
from typing import Any, Literal

import pytest
from msgspec.structs import replace

from inkov.campus import (
    STANDARD,
    Cable,
    Campus,
    Device,
    Fact,
    Gateway,
    Mode,
    Origin,
    Port,
    Tree,
    TreeMode,
    Vlan,
)
from inkov.forwarding import Fabric, resolve
from inkov.forwarding.domains import domains
from inkov.forwarding.serve import served
from inkov.forwarding.trees.active import now
from inkov.forwarding.trees.loss import Kind, Loss, all_losses
from inkov.forwarding.trees.losses import Cut, Losses
from inkov.forwarding.trees.spanning import spanning_trees
from inkov.levels import Layer
from inkov.plan import Claim, Plan, PlanFile
from inkov.proofs import prove
from inkov.proofs.certificate import links_around, passing
from inkov.verify import PacketModel, Refused, wires_of
from inkov.verify.certificates import verify_entry
from inkov.vlanset import VlanSet, bits
from inkov.wiring import wire
from tests.campuses import random_campus
from tests.conftest import cases

WITHSTOOD: list[Literal["links", "switches", "both", 2]] = ["links", "switches", "both", 2]
CAMPUSES = cases("LOSSES", 30, least=12)
FORGED = cases("LOSSES", 30, least=24)
Hub = tuple[str, str, int]


def with_trees(rng: random.Random, campus: Campus, mode: TreeMode) -> Campus:
    """Every bridge runs a tree of a kind, with an address and a priority of its own."""
    for number, device in enumerate(campus.devices.values()):
        origin = Origin()
        device.tree_mode = Fact(mode, origin)
        device.address = Fact(f"02:00:00:00:00:{number:02x}", origin)
        for bridge in device.bridges.values():
            bridge.address = Fact(f"02:00:00:00:01:{number:02x}", origin)
        for at, port in enumerate(device.ports.values(), 1):
            port.number = Fact(at, origin)
            port.speed = Fact(1000, origin)
        for name in ("", *device.bridges):
            tree = Tree(VlanSet.all(), origin, bridge=name)
            tree.priority = Fact(rng.choice([4096, 8192, 32768]), origin)
            device.trees.append(tree)
    return campus


def together(fabric: Fabric, hubs: list[Hub]) -> set[frozenset[Hub]]:
    """The pairs of hubs that hang together now."""
    (forwards,) = now(fabric).fabrics
    found = domains(forwards)

    def island(hub: Hub) -> object:
        bridge = fabric.bridge_of.get(hub[:2])
        label = -1 if bridge is None else found.of(bridge, hub[2])
        return label if label >= 0 else hub

    return {frozenset(pair) for pair in combinations(hubs, 2) if island(pair[0]) == island(pair[1])}


def serving(fabric: Fabric) -> list[Hub]:
    return [
        (inside.device, inside.name, vid)
        for inside, mask in zip(fabric.bridges, served(fabric), strict=True)
        for vid in bits(mask if not inside.routed else 0)
    ]


@contextmanager
def without(campus: Campus, fabric: Fabric, loss: Loss) -> Iterator[Fabric]:
    """The campus as it is resolved anew with what a loss takes away shut."""
    lost: list[Gateway | Port] = []
    for device in map(campus.devices.__getitem__, loss.devices):
        if loss.kind is Kind.ROUTER:
            lost += [*device.gateways, *(p for p in device.ports.values() if p.name[0] == "r")]
        else:
            lost += device.ports.values()
    for link in map(fabric.wiring.links.__getitem__, loss.links):
        lost += [campus.devices[end.device].ports[end.port] for end in (link.a, link.b)]
    before = [one.enabled for one in lost]
    for one in lost:
        one.enabled = Fact(False, Origin())
    yield resolve(campus, wire(campus))
    for one, enabled in zip(lost[::-1], before[::-1], strict=True):
        one.enabled = enabled


def sure_campuses(
    label: str, made: Callable[[random.Random], Campus], most: int = CAMPUSES
) -> Iterator[tuple[int, random.Random, Campus, Fabric]]:
    """Campuses whose trees chance does not decide: number, dice, campus, resolved."""
    for number in range(most):
        rng = random.Random(f"{label} {number}")
        campus = made(rng)
        fabric = resolve(campus, wire(campus))
        if spanning_trees(fabric).outcomes == 1:
            yield number, rng, campus, fabric


def apart(fabric: Fabric, cut: Cut | None, joined: set[frozenset[Hub]]) -> set[frozenset[Hub]]:
    """The pairs that hung together, and do not by what is said of a loss."""
    piece: dict[Hub, int] = {}
    for number, part in enumerate(cut.parts if cut is not None else (), 1):
        for bridge, vid in part:
            inside = fabric.bridges[bridge]
            piece[inside.device, inside.name, vid] = number
    return {pair for pair in joined if len({piece.get(hub, 0) for hub in pair}) > 1}


def plain_campus(rng: random.Random) -> Campus:
    """Switches with trunks whose ends have the same list, of four VLANs: nothing turns into another
    one. Most links pass all of them.
    """
    campus = Campus()
    count = rng.randint(3, 7)
    vids = [10, 20, 30, 40]
    for number in range(count):
        device = Device(f"s{number}", Origin(), STANDARD, {v: Vlan(v, Origin()) for v in vids})
        campus.devices[device.name] = device
        for vid in rng.sample(vids, 2):
            port = device.ports[f"h{vid}"] = Port(f"h{vid}", Origin())
            port.mode, port.access_vlan = Fact(Mode.ACCESS, Origin()), Fact(vid, Origin())
    for number in range(1, count + rng.randint(0, count)):
        one = number if number < count else rng.randrange(1, count)
        ends = [(f"s{one}", f"u{number}a"), (f"s{rng.randrange(one)}", f"u{number}b")]
        passed = vids if rng.random() < 0.8 else rng.sample(vids, 2)
        for name, port_name in ends:
            port = campus.devices[name].ports[port_name] = Port(port_name, Origin())
            port.mode = Fact(Mode.TRUNK, Origin())
            port.allowed = Fact(VlanSet.from_vids(passed), Origin())
            port.native_vlan = Fact(None, Origin())
        campus.cables.append(Cable(*ends[0], *ends[1], Origin()))
    return campus


@pytest.mark.parametrize("mode", [TreeMode.OFF, TreeMode.RSTP, TreeMode.PER_VLAN])
def test_losses_do_what_shutting_the_ports_does(mode: TreeMode) -> None:
    cutting = harmless = safe = unsafe = 0
    for number in range(CAMPUSES):
        rng = random.Random(f"losses {mode} {number}")
        campus = random_campus(rng, 6) if number % 2 else plain_campus(rng)
        campus = with_trees(rng, campus, mode)
        fabric = resolve(campus, wire(campus))
        trees = spanning_trees(fabric)
        if trees.outcomes > 1:
            continue
        hubs = serving(fabric)
        joined = together(fabric, hubs)
        losses = Losses(fabric, trees)
        safe += len(losses.safe)
        unsafe += len(losses.groups) - len(losses.safe)
        for loss in all_losses(fabric, (Kind.LINK, Kind.SWITCH), pairs=number % 5 == 0):
            cut = losses.try_loss(loss)
            left = [hub for hub in hubs if hub[0] not in loss.devices]
            with without(campus, fabric, loss) as rest:
                still = together(rest, left)
            before_it = {p for p in joined if p <= set(left)}
            assert apart(fabric, cut, before_it) == before_it - still, (number, loss.name)
            expected = before_it - still
            cutting += bool(expected)
            harmless += not expected
    assert min(cutting, harmless, safe, unsafe) > CAMPUSES / 2, (cutting, harmless, safe, unsafe)


@pytest.mark.parametrize("mode", [TreeMode.RSTP, TreeMode.PER_VLAN])
def test_claims_withstand_what_shutting_the_ports_leaves_joined(mode: TreeMode) -> None:
    outcomes = {"holds": 0, "broken": 0}
    made = sure_campuses(f"withstand {mode}", lambda rng: with_trees(rng, plain_campus(rng), mode))
    for number, rng, campus, fabric in made:
        claim = Claim(join=[f"vlan {rng.choice([10, 20])}"], withstand="links")
        plain = Plan(PlanFile(claims=[replace(claim, withstand=None)]))
        if prove(fabric, plain)[0].verdict != "holds":
            continue
        expected = "holds"
        for loss in all_losses(fabric, (Kind.LINK,)):
            with without(campus, fabric, loss) as rest:
                if prove(now(rest).first, plain)[0].verdict != "holds":
                    expected = "broken"
        found = prove(fabric, Plan(PlanFile(claims=[claim])))[0]
        assert found.verdict == expected, (number, found.because)
        outcomes[expected] += 1
    assert min(outcomes.values()) > CAMPUSES / 10, outcomes


@pytest.mark.parametrize("mode", [TreeMode.OFF, TreeMode.RSTP, TreeMode.PER_VLAN])
def test_the_verifier_takes_no_certificate_that_shutting_the_ports_contradicts(
    mode: TreeMode,
) -> None:
    """Forged, with every link that passes the VLAN, whether the claim holds or not."""
    counts = dict.fromkeys(("taken", "refused", "too strictly", "with a link less"), 0)
    label = f"certificates {mode}"
    made = sure_campuses(label, lambda rng: with_trees(rng, plain_campus(rng), mode), FORGED)
    for number, rng, campus, fabric in made:
        vid = rng.choice([10, 20])
        claim = Claim(join=[f"vlan {vid}"], withstand=rng.choice(WITHSTOOD))
        plain = Plan(PlanFile(claims=[replace(claim, withstand=None)]))
        bridges = [at for at, mask in enumerate(served(fabric)) if mask >> vid & 1]
        edges = links_around(fabric, passing(fabric), vid, bridges)
        entry = {"verdict": "holds", "kind": "join", "level": "honest", "layer": 2, "edges": edges}
        kinds = [Kind.LINK] * (claim.withstand != "switches")
        kinds += [Kind.SWITCH] * (claim.withstand in ("switches", "both"))
        holds = prove(now(fabric).first, plain)[0].verdict == "holds"
        for loss in all_losses(fabric, kinds, pairs=claim.withstand == 2) if holds else ():
            with without(campus, fabric, loss) as rest:
                holds &= prove(now(rest).first, plain)[0].verdict != "broken"
        cables, occupied = wires_of(campus)
        net = PacketModel(campus, cables, occupied)

        def takes(entry: dict[str, Any], claim: Claim = claim, net: PacketModel = net) -> bool:
            try:
                return verify_entry(net, [claim], {}, 0, {"claim": claim.words, **entry})
            except Refused:
                return False

        if takes(entry):
            assert holds, (number, claim.words)
            counts["taken"] += 1
            found = prove(fabric, Plan(PlanFile(claims=[claim])))[0]
            assert found.certificate == {"edges": edges}, (number, found.verdict, found.because)
            for left_out in edges:
                if not takes({**entry, "edges": [one for one in edges if one != left_out]}):
                    counts["with a link less"] += 1
        else:
            counts["too strictly" if holds else "refused"] += 1
    assert min(counts["taken"], counts["refused"]) > FORGED / 10, counts
    assert counts["with a link less"] > FORGED / 10, counts


def with_legs(rng: random.Random, campus: Campus) -> None:
    """Routers that are no switches, in two or three VLANs: by a routed port each on any switches,
    or by sub-interfaces of one port. Where some of the ports that they are at are protected, not
    all of the routers talk to each other.
    """
    switches = sorted(campus.devices)
    often = rng.choice([0, 0, 0.6])

    def routed(router: Device, name: str, address: str) -> Port:
        leg = router.ports[name] = Port(name, Origin())
        leg.mode = Fact(Mode.ROUTED, Origin())
        leg.addresses = (Fact(ip_interface(address), Origin()),)
        return leg

    def facing(router: Device, name: str) -> Port:
        switch = campus.devices[rng.choice(switches)]
        port = switch.ports[f"x{name}"] = Port(f"x{name}", Origin())
        port.protected = Fact(value=rng.random() < often, origin=Origin())
        campus.cables.append(Cable(router.name, name, switch.name, port.name, Origin()))
        return port

    for number in range(rng.randint(0, 4 if often else 2)):
        router = campus.devices[f"q{number}"] = Device(f"q{number}", Origin(), STANDARD)
        vids = rng.sample([10, 20, 30, 40], rng.randint(2, 3))
        on_a_stick = rng.random() < 0.4
        if on_a_stick:
            trunk = facing(router, f"r{number}")
            router.ports[f"r{number}"] = Port(f"r{number}", Origin())
            router.ports[f"r{number}"].mode = Fact(Mode.ROUTED, Origin())
            trunk.mode, trunk.native_vlan = Fact(Mode.TRUNK, Origin()), Fact(None, Origin())
            trunk.allowed = Fact(VlanSet.from_vids(vids), Origin())
        for vid in vids:
            address = f"10.0.{vid}.{200 + number}/24"
            if on_a_stick:
                sub = routed(router, f"r{number}.{vid}", address)
                sub.parent, sub.outer = Fact(f"r{number}", Origin()), Fact(vid, Origin())
            else:
                routed(router, f"r{number}{vid}", address)
                port = facing(router, f"r{number}{vid}")
                port.mode, port.access_vlan = Fact(Mode.ACCESS, Origin()), Fact(vid, Origin())


def with_routers(rng: random.Random, campus: Campus) -> Campus:
    """Some switches route VLANs, and have routed links between them, or routers in VLANs."""
    with_legs(rng, campus)
    switches = sorted(name for name in campus.devices if name[0] == "s")
    routing = rng.sample(switches, rng.randint(1, min(3, len(switches))))
    for number, name in enumerate(routing, 1):
        for vid in rng.sample([10, 20, 30, 40], rng.randint(1, 3)):
            addresses = (Fact(ip_interface(f"10.0.{vid}.{number}/24"), Origin()),)
            gateway = Gateway(vid, Origin(), addresses=addresses)
            campus.devices[name].gateways.append(gateway)
    for number, (one, other) in enumerate(combinations(routing, 2)):
        if rng.random() < 0.6:
            for at, name in enumerate((one, other), 1):
                port = campus.devices[name].ports[f"r{number}"] = Port(f"r{number}", Origin())
                port.mode = Fact(Mode.ROUTED, Origin())
                address = ip_interface(f"10.9.{number}.{at}/30")
                port.addresses = (Fact(address, Origin()),)
            campus.cables.append(Cable(one, f"r{number}", other, f"r{number}", Origin()))
    return campus


def by_routers(fabric: Fabric, pairs: list[tuple[str, str]]) -> set[tuple[str, str]]:
    """The pairs of host ports of which the first gets packets to the second by routers now."""
    if not pairs:
        return set()
    claims = [Claim(reach=list(pair), layer=Layer.PACKETS) for pair in pairs]
    verdicts = prove(now(fabric).first, Plan(PlanFile(claims=claims)))
    return {pair for pair, one in zip(pairs, verdicts, strict=True) if one.verdict == "holds"}


def test_ways_by_routers_are_lost_as_packets_are() -> None:
    kinds = dict.fromkeys(("routerless", "unrouted", "harmless"), 0)
    made = sure_campuses(
        "routers", lambda rng: with_routers(rng, with_trees(rng, plain_campus(rng), TreeMode.RSTP))
    )
    for number, rng, campus, fabric in made:
        hosts = [f"{d.name}:{p}" for d in campus.devices.values() for p in d.ports if p[0] == "h"]
        ways = [(a, b) for a in hosts for b in hosts if a.partition("h")[2] != b.partition("h")[2]]
        before = by_routers(fabric, rng.sample(ways, min(40, len(ways))))
        losses = Losses(fabric, spanning_trees(fabric))
        for loss in all_losses(fabric, tuple(Kind)):
            cut = losses.try_loss(loss) or Cut(loss)
            dead = () if loss.kind is Kind.ROUTER else loss.devices
            alive = [way for way in before if not {p.partition(":")[0] for p in way} & set(dead)]
            with without(campus, fabric, loss) as rest:
                lost = set(alive) - by_routers(rest, alive)

            def named(hubs: set[tuple[int, int]], of: Fabric = fabric) -> set[str]:
                return {f"{of.bridges[bridge].device}:h{vid}" for bridge, vid in hubs}

            off = named(cut.off)
            told = {way for way in alive if off & set(way)}
            assert lost <= told, (number, loss.name, lost - told)
            # Without a gateway nothing gets to other VLANs.
            mute = {way for way in alive if named(cut.routerless) & set(way)}
            assert mute <= lost, (number, loss.name, mute - lost)
            for kind in ("routerless", "unrouted"):
                kinds[kind] += bool(getattr(cut, kind))
            kinds["harmless"] += not off
            # Who is not routed any more loses the way to some of those who stay.
            for hub in named(cut.unrouted):
                stays = {way for way in alive if hub in way and len(set(way) & off) == 1}
                assert not stays or stays & lost, (number, loss.name, hub)
    assert min(kinds.values()) > CAMPUSES / 10, kinds
