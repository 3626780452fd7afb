"""Verdicts against the naive simulator, certificates against the independent verifier, on random campuses."""

from __future__ import annotations

import os
import random
from typing import Any

import pytest

from inkov.campus import Campus
from inkov.forwarding import Fabric, resolve
from inkov.plan import Claim, Plan, PlanFile
from inkov.proofs import Verdict, prove
from inkov.proofs.prove import Prover
from inkov.proofs.verifier import Network, Refused, verify
from inkov.wiring import wire
from tests.campuses import VIDS, random_campus
from tests.proofs.oracle import Oracle

CLAIMS = int(os.environ.get("INKOV_CLAIMS", "2000"))
PARTS = 8


def claim_of(rng: random.Random, fabric: Fabric) -> Claim:
    """A random claim: between VLANs, ports, patterns and everything, of each kind that has certificates."""
    ports = [f"{p.end.device}:{p.port}" for p in fabric.bridge_ports if fabric.is_host_port(p)] or ["s0:*"]

    def one() -> str:
        return rng.choice([f"vlan {rng.choice(VIDS)}", f"vlan {rng.choice(VIDS)}", rng.choice(ports), "s0:*", "s*:h0"])

    level: Any = rng.choice(["honest", "hostile"])
    kind = rng.randrange(5)
    if kind == 0:
        return Claim(isolate=[f"vlan {v}" for v in rng.sample(VIDS, rng.randint(2, 4))], level=level)
    if kind == 1:
        return Claim(isolate=[one()], from_=["everything"], except_=[one()], one_way=rng.random() < 0.5, level=level)
    if kind == 2:
        return Claim(isolate=[one()], from_=[one(), one()], one_way=rng.random() < 0.3, level=level)
    if kind == 3:
        return Claim(not_reach=[one(), one()], level=level)
    return Claim(reach=[one(), one()], level=level)


def legs_of(prover: Prover, claim: Claim) -> list[tuple[set[Any], set[Any]]]:
    seats = prover.names.any_of
    if claim.isolate is not None and claim.from_ is None:
        members = [set(seats([name])) for name in claim.isolate]
        return [(own, {s for n, m in enumerate(members) if n != k for s in m}) for k, own in enumerate(members)]
    if claim.isolate is not None:
        inside = set(seats(claim.isolate))
        outside = set(seats(claim.from_ or ()) - seats(claim.except_ or ())) - inside
        return [(inside, outside), (outside, inside)][: 1 if claim.one_way else 2]
    one, other = claim.reach or claim.not_reach or ["", ""]
    return [(set(seats([one])), set(seats([other])))]


def network(campus: Campus) -> Network:
    cables = [(a.device, a.port, b.device, b.port) for link in wire(campus).links for a, b in link.cables]
    return Network(campus, cables)


def entry_of(verdict: Verdict) -> dict[str, Any]:
    return {"verdict": verdict.verdict, **verdict.certificate}


@pytest.mark.parametrize("part", range(PARTS))
def test_verdicts_are_those_of_the_simulator_and_certificates_are_verified(part: int) -> None:
    seen: dict[str, int] = {}
    for number in range(CLAIMS // PARTS // 5):
        rng = random.Random(f"{part} {number}")
        campus = random_campus(rng, 7)
        fabric = resolve(campus, wire(campus))
        oracle, net = Oracle(campus, fabric), network(campus)
        claims = [claim_of(rng, fabric) for _ in range(5)]
        plan = Plan(PlanFile(claims=claims))
        prover = Prover(fabric, plan)
        for claim, verdict in zip(claims, prove(fabric, plan), strict=True):
            if not verdict.certificate.keys() - {"number"} and "in common" in verdict.because:
                continue
            legs = legs_of(prover, claim)
            leaks = any(oracle.leaks(*leg, claim.level) for leg in legs)
            wanted = (
                {True: ("holds",), False: ("broken",)}
                if claim.reach
                else {False: ("holds",), True: ("broken", "undecided")}
            )
            about = (part, number, claim, verdict.because)
            if claim.reach and leaks and verdict.verdict == "undecided":
                wanted[True] = ("undecided",)
            assert verdict.verdict in wanted[leaks], about
            if leaks and verdict.verdict == "undecided":
                assert not any(
                    oracle.can_happen(*leg, claim.level) for leg in legs if oracle.leaks(*leg, claim.level)
                ), about
            if verdict.verdict == "holds" or (verdict.verdict == "broken" and not claim.reach):
                try:
                    verify(net, claim, {}, entry_of(verdict))
                except Refused as refused:
                    raise AssertionError((about, str(refused), verdict.certificate)) from None
            seen[verdict.verdict] = seen.get(verdict.verdict, 0) + 1
    assert seen["holds"] > 20 and seen["broken"] > 20, seen
