"""A forger who may write any certificate: on random campuses, for claims that the naive simulator
says are false, none that says they hold is accepted.

The forger begins with what is true of the campus (where the frames really are, which links there
are, which ways lead somewhere) and leaves out, adds and exchanges, since what is made up from
nothing is refused at the first look. At layer 3 there are routers, and the simulator's packets say
what is false.
"""

from __future__ import annotations

import random
from collections.abc import Callable
from typing import Any

import pytest

from inkov.forwarding import Fabric, resolve
from inkov.levels import Layer, Level, Outcome
from inkov.plan import Claim, Plan, PlanFile
from inkov.proofs.certificate import certified
from inkov.proofs.leaks import closure
from inkov.proofs.prove import Prover
from inkov.verify import PacketModel, wires_of
from inkov.verify.certificates import verify_entry
from inkov.verify.closures import Refused
from inkov.vlanset import VlanSet
from inkov.wiring import settled, wire
from tests.campuses import VIDS, random_campus
from tests.conftest import cases, copied
from tests.proofs.oracle import Oracle
from tests.proofs.test_packets import Packets, with_gateways
from tests.proofs.test_proofs import claim_of, legs_of, nobody_at

FORGERIES = cases("FORGERIES", 6000)
PARTS = 4
EACH = 12  # forgeries for a false claim


class Forger:
    def __init__(self, rng: random.Random, fabric: Fabric, net: PacketModel) -> None:
        self.rng = rng
        self.fabric = fabric
        self.hubs = [f"{device}|{bridge}" for device, bridge in net.at]
        self.ports = {f"{d}|{b}": [spot.name for spot in own] for (d, b), own in net.at.items()}
        self.keys = list(net.by_key)
        self.links = [
            [spot.key, far.key]
            for end, fars in net.far.items()
            for spot in net.spots.get(end, ())
            for end_there in fars
            for far in net.spots.get(end_there, ())
        ]

    def vids(self) -> str:
        return str(VlanSet.of(*self.rng.sample(VIDS, self.rng.randint(0, 3))))

    def closures(self, prover: Prover, claim: Claim) -> list[dict[str, Any]]:
        """Where frames of each side are, less or more."""
        legs = legs_of(prover, claim) or [(set(prover.names.seats), set())]
        return [self.closure(sorted(sources), claim.level) for sources, _ in legs]

    def closure(self, sources: list[Any], level: Level) -> dict[str, Any]:
        if self.rng.random() < 0.15:
            return {"anywhere": self.vids()}
        spread = closure(self.fabric, sources, level)
        stated = copied(certified(self.fabric, spread, frozenset()))
        if "anywhere" in stated:
            return {"anywhere": self.vids()}
        for _ in range(self.rng.randint(0, 3)):
            self.change(stated)
        return stated

    def routed(self, prover: Prover, claim: Claim, closures: list[Any]) -> list[dict[str, Any]]:
        """Where what routers send of each side can be, less or more."""
        legs = legs_of(prover, claim)
        forged = []
        for stated, (_, targets) in zip(closures, legs, strict=False):
            routing = prover.routing(claim.level)
            true = routing.certified(stated, frozenset(targets), claim.level)
            if true is None or "anywhere" in true:
                whole = (true or {}).get("anywhere", self.vids())
                forged.append({"anywhere": self.rng.choice([whole, self.vids()])})
            else:
                forged.append(copied(true))
                for _ in range(self.rng.randint(0, 2)):
                    self.change(forged[-1])
        return forged

    def change(self, stated: dict[str, Any]) -> None:
        rng = self.rng
        hub = rng.choice(list(stated) if stated and rng.random() < 0.8 else self.hubs)
        entry = stated.setdefault(hub, {"vids": "none"})
        vids = VlanSet.parse(entry["vids"])
        match rng.randrange(7):
            case 0:
                del stated[hub]
            case 1:
                entry["vids"] = str(vids - VlanSet.of(rng.choice(VIDS)))
            case 2:
                entry["vids"] = str(vids | VlanSet.of(rng.choice(VIDS)))
            case 3:
                entry["shielded"] = rng.choice([entry["vids"], self.vids()])
            case 4:
                port = rng.choice(self.ports[hub])
                entry["only"] = {port: rng.choice([entry["vids"], str(rng.choice(VIDS))])}
            case 5:
                entry.pop("only", None)
                entry.pop("shielded", None)
            case 6:
                other = rng.choice(self.hubs)
                stated[other] = copied(entry)

    def way(self, claim: Claim) -> list[dict[str, Any]]:
        """A walk over links, from somewhere to somewhere."""
        rng = self.rng

        def step(key: str, event: str) -> dict[str, Any]:
            switch, _, port = key.partition(":")
            return {"switch": switch, "port": port, "event": event, "vlan": vid}

        members = [name for name in claim.members if name in self.keys] or self.keys
        vid = rng.choice(VIDS)
        steps = [step(rng.choice(members), "sent")]
        for _ in range(rng.randint(0, 3)):
            here = steps[-1]["switch"]
            onward = [link for link in self.links if link[0].startswith(f"{here}:")]
            if not onward:
                break
            near, far = rng.choice(onward)
            if claim.layer == Layer.PACKETS and rng.random() < 0.5:
                vid = rng.choice(VIDS)
                steps.append(step(f"{here}:VLAN {vid}", "routed"))
            steps.append(step(near, "leaves"))
            vid = vid if rng.random() < 0.7 else rng.choice(VIDS)
            steps.append(step(far, "arrives"))
        return [*steps, step(rng.choice(members), "heard")]

    def forged(self, prover: Prover, claim: Claim) -> dict[str, Any]:
        """The entry of a claim, with whatever might pass."""
        rng = self.rng
        forms: dict[str, Callable[[], Any]] = {
            "closures": lambda: self.closures(prover, claim),
            "edges": lambda: rng.sample(self.links, rng.randint(0, min(4, len(self.links)))),
            "way": lambda: self.way(claim),
            "ways": lambda: [
                {"from": [rng.choice(self.keys), 0], "to": [rng.choice(self.keys), 0]}
                | {"way": self.way(claim)}
                for _ in range(rng.randint(0, 6))
            ],
        }
        fitting = "edges" if claim.join else "way" if claim.reach else "closures"
        chosen = {fitting} if rng.random() < 0.8 else set(rng.sample(sorted(forms), 2))
        entry = {
            "claim": claim.words,
            "kind": claim.kind,
            "level": claim.level,
            "layer": claim.layer,
            "verdict": Outcome.HOLDS,
            **{name: forms[name]() for name in sorted(chosen)},
        }
        if claim.layer == Layer.PACKETS and "closures" in entry:
            entry["routed"] = self.routed(prover, claim, entry["closures"])
        return entry


def is_false(prover: Prover, claim: Claim, oracle: Oracle) -> bool:
    """Whether a claim about somebody does not hold, by the simulator."""
    if nobody_at(prover, claim):
        return False
    if claim.join is not None:
        seats = prover.names.any_of(claim.join)
        return bool(seats) and not oracle.joined(seats)
    if claim.carried_by is not None:
        return bool(oracle.strays(claim))
    leaks = any(oracle.leaks(*leg, claim.level) for leg in legs_of(prover, claim))
    return leaks != (claim.reach is not None)


@pytest.mark.parametrize("part", range(PARTS))
def test_no_forged_certificate_is_accepted(part: int) -> None:
    tried = number = 0
    while tried < FORGERIES // PARTS:
        rng = random.Random(f"forger {part} {number}")
        number += 1
        campus = random_campus(rng, 4)
        wiring = wire(campus)
        fabric, whole = resolve(campus, wiring), settled(campus, wiring)
        net, oracle = PacketModel(whole, *wires_of(campus)), Oracle(campus, fabric)
        forger = Forger(rng, fabric, net)
        claims = [claim_of(rng, fabric) for _ in range(6)]
        prover = Prover(fabric, Plan(PlanFile(claims=claims)))
        for claim in claims:
            if not is_false(prover, claim, oracle):
                continue
            tried += EACH
            forge(forger, net, prover, claim)


def forge(forger: Forger, net: PacketModel, prover: Prover, claim: Claim) -> None:
    """Try to have a claim accepted that is false."""
    for _ in range(EACH):
        entry = forger.forged(prover, claim)
        try:
            accepted = verify_entry(net, [claim], {}, 0, entry)
        except (Refused, KeyError, TypeError, ValueError, AttributeError, IndexError):
            continue
        assert not accepted, (claim, entry)


def test_no_forged_certificate_about_packets_is_accepted() -> None:
    tried = number = 0
    while tried < FORGERIES // 6:
        rng = random.Random(f"forger of packets {number}")
        number += 1
        campus = with_gateways(rng, random_campus(rng, 3))
        wiring = wire(campus)
        fabric, whole = resolve(campus, wiring), settled(campus, wiring)
        net, packets = PacketModel(whole, *wires_of(campus)), Packets(campus)
        forger = Forger(rng, fabric, net)
        claims = [claim_of(rng, fabric) for _ in range(9)]
        claims = [claim for claim in claims if claim.kind in ("isolate", "reach", "not-reach")]
        for claim in claims:
            claim.layer = Layer.PACKETS
        prover = Prover(fabric, Plan(PlanFile(claims=claims)))
        for claim in claims:
            if nobody_at(prover, claim):
                continue
            legs = [
                (packets.same(fabric, one), packets.same(fabric, other))
                for one, other in legs_of(prover, claim)
            ]
            get_there = any(
                packets.oracle.leaks(*leg, claim.level) or packets.fates(*leg, claim.level)[0]
                for leg in legs
            )
            if get_there != (claim.reach is not None):
                tried += EACH
                forge(forger, net, prover, claim)
