"""Verdicts against the naive simulator, certificates against the independent verifier, on random
campuses.
"""

from __future__ import annotations

import random
from collections.abc import Iterable
from pathlib import Path
from typing import Any

import pytest

from inkov.campus import (
    Bridge,
    Cable,
    Campus,
    Fact,
    Mode,
    Negotiation,
    Origin,
    Port,
    PortKind,
)
from inkov.forwarding import Fabric, resolve
from inkov.levels import Level
from inkov.plan import Carried, Claim, Plan, PlanFile
from inkov.proofs import Verdict, prove
from inkov.proofs.certificate import taken
from inkov.proofs.prove import Prover
from inkov.proofs.seats import Seat
from inkov.readers import load
from inkov.verify import PacketModel, check_ports
from inkov.verify.certificates import verify
from inkov.verify.closures import Refused
from inkov.vlanset import VlanSet
from inkov.wiring import settled, wire
from inkov.wiring.outside import identities
from tests.campuses import VIDS, random_campus
from tests.clean import clean_campus
from tests.conftest import cases, copied
from tests.proofs.oracle import Oracle
from tests.written import in_files

CLAIMS = cases("CLAIMS", 2000)
PARTS = 8


def claim_of(rng: random.Random, fabric: Fabric) -> Claim:
    """A random claim: between VLANs, ports, patterns and everything, of each kind that has
    certificates.
    """
    open_ports = [
        p for p in fabric.bridge_ports if fabric.is_host_port(p) and not fabric.is_implied(p)
    ]
    ports = [f"{p.end.device}:{p.port}" for p in open_ports] or ["s0:*"]
    ports += [host.name for host in fabric.campus.hosts]

    def one() -> str:
        return rng.choice(
            [
                f"vlan {rng.choice(VIDS)}",
                f"vlan {rng.choice(VIDS)}",
                rng.choice(ports),
                f"{rng.choice([p for p in ports if ':' in p])} tagged {rng.choice(VIDS)}",
                "s0:*",
                "s*:h0",
            ]
        )

    level: Any = rng.choice([Level.HONEST, Level.HOSTILE])
    kind = rng.randrange(7)
    if kind == 6:
        vid = rng.choice(VIDS)
        near = [f"{p.end.device}:{p.port}" for p in open_ports if p.view.pvid == vid]
        return Claim(join=rng.sample(near, min(len(near), 3)) if len(near) > 1 else [one(), one()])
    if kind == 0:
        return Claim(
            isolate=[f"vlan {v}" for v in rng.sample(VIDS, rng.randint(2, 4))], level=level
        )
    if kind == 1:
        return Claim(
            isolate=[one()],
            from_=["everything"],
            except_=[one()],
            one_way=rng.random() < 0.5,
            level=level,
        )
    if kind == 2:
        return Claim(isolate=[one()], from_=[one(), one()], one_way=rng.random() < 0.3, level=level)
    if kind == 3:
        return Claim(not_reach=[one(), one()], level=level)
    if kind == 4:
        return Claim(reach=[one(), one()], level=level)
    devices = sorted(fabric.campus.devices)
    ends = sorted({f"{end.device}:*" for end in fabric.wiring.of})
    over = rng.sample(ends, rng.randint(1, len(ends))) if ends and rng.random() < 0.6 else None
    on = (
        rng.sample(devices, rng.randint(1, len(devices)))
        if over is None or rng.random() < 0.3
        else None
    )
    return Claim(carried_by=Carried(VlanSet.of(rng.choice(VIDS)), on, over), level=level)


def legs_of(prover: Prover, claim: Claim) -> list[tuple[set[Any], set[Any]]]:
    def seats(names: Iterable[str]) -> frozenset[Seat]:
        return prover.names.any_of(names, claim.level)

    if claim.isolate is not None and claim.from_ is None:
        members = [set(seats([name])) for name in claim.isolate]
        return [
            (own, {s for n, m in enumerate(members) if n != k for s in m})
            for k, own in enumerate(members)
        ]
    if claim.isolate is not None:
        inside = set(seats(claim.isolate))
        outside = set(seats(claim.from_ or ()) - seats(claim.except_ or ())) - inside
        return [(inside, outside), (outside, inside)][: 1 if claim.one_way else 2]
    if claim.carried_by is not None or claim.join is not None:
        return []
    one, other = claim.reach or claim.not_reach or ["", ""]
    return [(asked(prover, claim, one), asked(prover, claim, other))]


def asked(prover: Prover, claim: Claim, name: str) -> set[Seat]:
    """Who is meant by a name: where a port is to reach another, those who do not tag, unless a tag
    is named.
    """
    seats = prover.names.of(name, claim.level)
    one_way = claim.reach is not None or claim.not_reach is not None
    if one_way and ":" in name and " tagged " not in name and claim.level == Level.HONEST:
        return {seat for seat in seats if seat.tag == 0}
    return set(seats)


def nobody_at(prover: Prover, claim: Claim) -> bool:
    """Whether a port that a claim names has no seat."""
    lists = (claim.isolate, claim.from_, claim.except_, claim.join, claim.reach, claim.not_reach)
    return any(
        (":" in name or name in prover.names.hosts) and not asked(prover, claim, name)
        for names in lists
        for name in names or ()
    )


def network(campus: Campus) -> PacketModel:
    wiring = wire(campus)
    links = [*wiring.links, *wiring.shared]
    cables = [(a.device, a.port, b.device, b.port) for k in links for a, b in k.cables]
    identity = identities(wiring.outside)
    occupied = [(*each.near, " ".join(identity(each))) for each in wiring.outside]
    return PacketModel(settled(campus, wiring), cables, occupied)


def entry_of(verdict: Verdict) -> dict[str, Any]:
    return {"verdict": verdict.verdict, **verdict.certificate}


@pytest.mark.parametrize("part", range(PARTS))
def test_verdicts_are_those_of_the_simulator_and_certificates_are_verified(
    part: int, tmp_path: Path
) -> None:
    """Every other campus is written to files first, and the program reads these."""
    seen: dict[str, int] = {}
    for number in range(CLAIMS // PARTS // 5):
        rng = random.Random(f"{part} {number}")
        campus = meant = random_campus(rng, 7)
        if number % 2:
            in_files(rng, meant, tmp_path / "c")
            campus = load([str(tmp_path / "c")]).campus
        fabric = resolve(campus, wire(campus))
        oracle, net = Oracle(meant, fabric), network(campus)
        assert check_ports(net, taken(fabric)) == [], (part, number)
        claims = [claim_of(rng, fabric) for _ in range(5)]
        plan = Plan(PlanFile(claims=claims))
        prover = Prover(fabric, plan)
        for claim, verdict in zip(claims, prove(fabric, plan), strict=True):
            if not verdict.certificate and at_one_port(verdict):
                continue
            ends = {
                fabric.bridge_ports[seat.port].end
                for seat in (prover.names.any_of(claim.join) if claim.join else ())
            }
            if any(far in ends for end in ends for far in fabric.wiring.around(end)):
                continue  # they hear each other by the wire itself; the simulator has none
            lost = claim.join is not None and prover.names.lost_in(claim.join) is not None
            if lost:
                assert verdict.verdict == "broken", (part, number, claim)
                continue
            if nobody_at(prover, claim) or (claim.join and not prover.names.any_of(claim.join)):
                assert verdict.verdict == "undecided", (part, number, claim)
                continue
            legs, said, about = (
                legs_of(prover, claim),
                verdict.verdict,
                (part, number, claim, verdict.because),
            )
            if claim.join is not None:
                assert said == (
                    "holds" if oracle.joined(prover.names.any_of(claim.join)) else "broken"
                ), about
            else:
                leaking = [leg for leg in legs if oracle.leaks(*leg, claim.level)]
                leaks = oracle.strays(claim) if claim.carried_by else bool(leaking)
                good, bad = ("broken", "holds") if claim.reach else ("holds", "broken")
                assert said in ((bad, "undecided") if leaks else (good,)), about
                if leaking:
                    ways = [oracle.shortest(*leg, claim.level) for leg in leaking]
                    if said == "undecided":
                        assert set(ways) == {None}, about
                    else:  # two steps for a link, and those of both ends
                        assert len(verdict.certificate["way"]) in [
                            2 * way + 2 for way in ways if way is not None
                        ], about
                assert said == "undecided" or verdict.certificate, about
            if verdict.certificate:
                try:
                    verify(net, claim, {}, entry_of(verdict))
                except Refused as refused:
                    raise AssertionError((about, str(refused), verdict.certificate)) from None
            seen[verdict.verdict] = seen.get(verdict.verdict, 0) + 1
    assert min(seen["holds"], seen["broken"]) > CLAIMS // 100, seen


def at_one_port(verdict: Verdict) -> bool:
    """Whether no switch is between the sides of a claim."""
    return "in common" in verdict.because or "on one wire" in verdict.because


def corrupted(entry: dict[str, Any], rng: random.Random) -> dict[str, Any] | None:
    """The entry with one thing in it made untrue: a VLAN, a port or a switch of a closure, a step
    of a way, or a member that is none.
    """
    entry = copied(entry)
    if "from" in entry and rng.random() < 0.5:
        entry[rng.choice(["from", "to"])][rng.randrange(2)] = 4095
        return entry
    if "way" in entry:
        step = rng.choice(entry["way"])
        field = rng.choice(["switch", "port", "event", "vlan"])
        step[field] = {
            "switch": "nowhere",
            "port": "none",
            "event": "heard" if step["event"] != "heard" else "sent",
            "vlan": 4095,
        }[field]
        return entry
    filled = [c for c in entry.get("closures", ()) if c]
    if not filled:
        return None
    closure = rng.choice(filled)
    if "anywhere" in closure:
        vids = VlanSet.parse(closure["anywhere"])
        closure["anywhere"] = str(vids - VlanSet.of(rng.choice(list(vids) or [1])))
        return entry if vids else None
    name = rng.choice(sorted(closure))
    vids = VlanSet.parse(closure[name]["vids"])
    closure[name]["vids"] = str(vids - VlanSet.of(rng.choice(list(vids))))
    return entry


def test_corrupted_certificates_are_refused() -> None:
    """A state taken out of a closure, or any field of a way changed."""
    refused, accepted = dict.fromkeys(("way", "closures", "from"), 0), 0
    for number in range(60):
        rng = random.Random(f"corrupt {number}")
        campus = random_campus(rng, 6)
        fabric, net = resolve(campus, wire(campus)), network(campus)
        claims = [claim_of(rng, fabric) for _ in range(5)]
        for claim, verdict in zip(
            claims, prove(fabric, Plan(PlanFile(claims=claims))), strict=True
        ):
            entry = corrupted(entry_of(verdict), rng) if verdict.verdict != "undecided" else None
            if entry is None:
                continue
            try:
                verify(net, claim, {}, entry)
                accepted += 1
            except (Refused, KeyError):  # the command says that such an entry is not well-formed
                for member in refused.keys() & entry.keys():
                    refused[member] += 1
    assert min(refused.values()) > 10 and accepted == 0, refused


def test_corrupted_joins_are_refused() -> None:
    """Links left out, counted twice, or leading elsewhere; pairs of members left out, or with the
    way of another.
    """
    campus = clean_campus(1, 5)
    fabric, net = resolve(campus, wire(campus)), network(campus)
    claims = [
        Claim(join=["vlan 10"]),
        Claim(join=["vlan 30", "vlan 32"]),
    ]  # by links; by ways, since 30 is promiscuous
    links, pairs = prove(fabric, Plan(PlanFile(claims=claims)))
    entry, edges = entry_of(links), links.certificate["edges"]
    wrong: list[tuple[Claim, dict[str, Any]]] = [
        (claims[0], {**entry, "edges": changed})
        for changed in ([], edges[1:], [*edges, edges[0]], [[edges[0][0], edges[1][1]], *edges[1:]])
    ]
    entry, ways = entry_of(pairs), pairs.certificate["ways"]
    wrong += [
        (claims[1], {**entry, "ways": changed})
        for changed in (
            [],
            ways[1:],
            [{**ways[0], "way": ways[1]["way"]}, *ways[1:]],
            [{**ways[0], "way": []}, *ways[1:]],
        )
    ]
    for claim, verdict in zip(claims, (links, pairs), strict=True):
        assert verdict.verdict == "holds"
        verify(net, claim, {}, entry_of(verdict))
    for claim, entry in wrong:
        with pytest.raises(
            (Refused, KeyError, IndexError)
        ):  # the command calls the latter two not well-formed
            verify(net, claim, {}, entry)


def test_a_certificate_of_another_campus_is_refused() -> None:
    """Facts of the model are flipped under a certificate that held: the native VLAN of one end of a
    trunk, say.
    """
    refused = 0
    for number in range(8):
        campus = clean_campus(number, 5)
        fabric = resolve(campus, wire(campus))
        claims = [
            Claim(isolate=["vlan 10", "vlan 20", "vlan 40"]),
            Claim(isolate=["vlan 40"], from_=["everything"]),
        ]
        verdicts = prove(fabric, Plan(PlanFile(claims=claims)))
        assert [v.verdict for v in verdicts] == ["holds", "holds"]
        flipped = copied(campus)
        for port in flipped.devices["core-1"].ports.values():
            if port.native_vlan is not None and "hut" not in port.name:
                port.native_vlan = Fact(40, Origin())
        net = network(flipped)
        for claim, verdict in zip(claims, verdicts, strict=True):
            try:
                verify(net, claim, {}, entry_of(verdict))
            except Refused:
                refused += 1
    assert refused == 16


# --- each known kind of leak, planted in clean campuses -------------------------------------------

PLANTED = Origin("planted", 7)


def fact(value: Any) -> Fact[Any]:
    return Fact(value, PLANTED)


def uplink(campus: Campus, name: str) -> Port:
    """The trunk of a closet towards a core: the bundle if it has one."""
    ports = campus.devices[name].ports
    return next(p for p in ports.values() if p.mode is not None and p.mode.value is Mode.TRUNK)


def plant_native(campus: Campus) -> str:
    uplink(campus, "closet-1").native_vlan = fact(20)
    return Level.HONEST


def plant_one_way(campus: Campus) -> str:
    """Ingress filtering off at a port that sends VLAN 20 only: what comes in tagged 10 is taken."""
    port = campus.devices["closet-1"].ports["7"]
    port.mode, port.pvid, port.untagged = fact(Mode.GENERAL), fact(20), fact(VlanSet.of(20))
    port.ingress_filtering = fact(False)
    return Level.HOSTILE


def plant_hybrid(campus: Campus) -> str:
    port = campus.devices["closet-1"].ports["7"]
    port.mode, port.pvid, port.untagged = fact(Mode.GENERAL), fact(20), fact(VlanSet.of(10, 20))
    port.ingress_filtering = fact(True)
    return Level.HONEST


def plant_sub_interfaces(campus: Campus) -> str:
    """A box that bridges VLAN 10 of its uplink with the untagged frames of a port in VLAN 20."""
    device = campus.devices["hut-4"]
    sub = device.ports["21.10"] = Port(
        "21.10", PLANTED, PortKind.SUB, parent=fact("21"), outer=fact(10)
    )
    sub.mode, sub.access_vlan = fact(Mode.ACCESS), fact(20)
    device.bridges["join"] = Bridge("join", PLANTED, {"21.10": PLANTED, "1": PLANTED})
    return Level.HONEST


def plant_double_tag(campus: Campus) -> str:
    """Hosts in the native VLAN of a trunk can hide a tag behind it."""
    campus.devices["closet-1"].ports["7"].access_vlan = fact(99)
    return Level.HOSTILE


def plant_negotiation(campus: Campus) -> str:
    campus.devices["closet-1"].ports["7"].negotiation = fact(Negotiation.PASSIVE)
    return Level.HOSTILE


def plant_trunk(campus: Campus) -> str:
    port = campus.devices["closet-1"].ports["7"]
    port.mode, port.allowed, port.native_vlan = fact(Mode.TRUNK), fact(VlanSet.of(10, 20)), fact(20)
    return Level.HOSTILE


def plant_cable(campus: Campus) -> str:
    """An access port in VLAN 10 cabled to one in VLAN 20 of another switch."""
    campus.cables.append(Cable("closet-1", "2", "closet-2", "8", PLANTED))
    return Level.HONEST


def plant_private(campus: Campus) -> str:
    """A guest's port in a community that is the pumps' VLAN."""
    campus.devices["closet-1"].ports["9"].secondary = fact(20)
    return Level.HONEST


@pytest.mark.parametrize(
    ("plant", "apart"),
    [
        (plant_native, (20, 99)),
        (plant_one_way, (10, 20)),
        (plant_hybrid, (10, 20)),
        (plant_sub_interfaces, (10, 20)),
        (plant_double_tag, (99, 10)),
        (plant_negotiation, (20, 10)),
        (plant_trunk, (20, 10)),
        (plant_cable, (10, 20)),
        (plant_private, (20, 30)),
    ],
)
@pytest.mark.parametrize("closets", [5, 17, 48])
def test_a_planted_leak_is_refuted_with_the_lines_to_blame(
    plant: Any, apart: tuple[int, int], closets: int
) -> None:
    campus = clean_campus(closets, closets)
    if plant is plant_native:  # somebody sits in the native VLAN, or there is nobody to leak to
        for name in ("closet-1", "closet-2"):
            campus.devices[name].ports["12"].access_vlan = Fact(99, Origin())
    level: Any = plant(copied(campus))
    claim = Claim(isolate=[f"vlan {apart[0]}"], from_=[f"vlan {apart[1]}"], level=level)
    plan = Plan(PlanFile(claims=[claim]))
    if plant not in (plant_double_tag, plant_native):
        assert prove(resolve(campus, wire(campus)), plan)[0].verdict == "holds"
    plant(campus)
    fabric = resolve(campus, wire(campus))
    [verdict] = prove(fabric, plan)
    assert verdict.verdict == "broken", verdict.because
    assert any(b.origin.file == "planted" for b in verdict.blame) or plant is plant_cable, (
        verdict.blame
    )
    verify(network(campus), claim, {}, entry_of(verdict))


def test_a_port_in_no_vlan_is_no_way_in_unseen() -> None:
    """A host port in a VLAN that is not there, which becomes a trunk for whoever asks."""
    campus = clean_campus(1, 3)
    port = campus.devices["closet-1"].ports["7"]
    port.access_vlan, port.negotiation = fact(3000), fact(Negotiation.PASSIVE)
    claim = Claim(isolate=["vlan 20"], from_=["everything"], level=Level.HOSTILE)
    [verdict] = prove(resolve(campus, wire(campus)), Plan(PlanFile(claims=[claim])))
    assert verdict.verdict == "broken" and any(b.origin.file == "planted" for b in verdict.blame)
    verify(network(campus), claim, {}, entry_of(verdict))
