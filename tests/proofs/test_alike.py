"""One seat for all VLANs that nobody uses says what their seats say one by one."""

from __future__ import annotations

import random

import pytest

from inkov.campus import Campus, Mode, Vlan
from inkov.forwarding import resolve
from inkov.levels import Level
from inkov.plan import Carried, Claim, Plan, PlanFile
from inkov.proofs import Verdict, alike, prove, seats
from inkov.proofs.prove import Prover
from inkov.vlanset import VlanSet
from inkov.wiring import wire
from tests.campuses import NOWHERE, VIDS, fact, random_campus
from tests.conftest import cases

IDLE = range(100, 120)
NAMED = [105, 106]
CAMPUSES = cases("IDLE", 200)


def opened(rng: random.Random, campus: Campus) -> Campus:
    """The same campus, with twenty more VLANs, trunks left at everything, and links that pass some
    of them or turn one into another.
    """
    for device in campus.devices.values():
        if device.vlans is not None and rng.random() < 0.8:
            device.vlans |= {vid: Vlan(vid, NOWHERE) for vid in IDLE}
        for port in device.ports.values():
            linked = port.name.startswith("u")
            if rng.random() < (0.9 if linked else 0.5):
                port.mode, port.negotiation = fact(Mode.TRUNK), None
                port.allowed = port.withheld = None
                port.native_vlan = fact(rng.choice([None, 1, 10, 110]))
                if linked and rng.random() < 0.7:
                    some = [vid for vid in (*VIDS, *IDLE) if rng.random() < 0.5]
                    port.allowed = fact(VlanSet.from_vids(some))
    return campus


def claim_of(rng: random.Random, places: list[str]) -> Claim:
    def one() -> str:
        vid = rng.choice([*VIDS, *NAMED])
        port = rng.choice(places)
        return rng.choice(
            [f"vlan {vid}", f"vlans {NAMED[0]}-{NAMED[1]}", port, f"{port} tagged {vid}"]
        )

    level = rng.choice(list(Level))
    return rng.choice(
        [
            Claim(isolate=[one()], from_=["everything"], except_=[one()], level=level),
            Claim(isolate=[one(), one()], level=level),
            Claim(not_reach=[one(), one()], level=level),
            Claim(reach=[one(), one()], level=level),
            Claim(join=[one(), one()]),
            Claim(carried_by=Carried(VlanSet.of(*NAMED), ["s0", "s1"], None), level=level),
        ]
    )


def told(verdicts: list[Verdict]) -> list[tuple[str, str, int]]:
    """What was decided of each claim, and how long the witness is."""
    return [(v.claim, v.verdict, len(v.witness)) for v in verdicts]


def test_one_seat_for_idle_vlans_changes_no_verdict(monkeypatch: pytest.MonkeyPatch) -> None:
    merged = broken = 0
    for number in range(CAMPUSES):
        rng = random.Random(number)
        campus = opened(rng, random_campus(rng, 5))
        fabric = resolve(campus, wire(campus))
        places = [f"{p.end.device}:{p.port}" for p in fabric.bridge_ports]
        stated = [Plan(PlanFile(claims=[claim_of(rng, places)])) for _ in range(4)]
        without = [(Plan(), level) for level in Level] if number % 5 == 0 else []
        for plan, level in [*((plan, Level.HONEST) for plan in stated), *without]:
            with monkeypatch.context() as whole:
                whole.setattr(alike, "_FEW", 0)
                together = told(prove(fabric, plan, level=level))
            with monkeypatch.context() as apart:
                apart.setattr(seats, "idle_classes", lambda *_: [])
                apart.setattr(alike, "_FEW", 1 << 30)
                assert told(prove(fabric, plan, level=level)) == together, (number, plan)
            broken += sum(verdict == "broken" for _, verdict, _ in together)
            merged += any(seat.also for seat in Prover(fabric, plan).names.seats)
    assert merged > 2 * CAMPUSES and broken > CAMPUSES, (merged, broken)
