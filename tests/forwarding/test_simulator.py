"""The engine against the naive frame simulator: who hears what, in which VLAN, tagged or not, at
both levels.
"""

from __future__ import annotations

import random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from inkov.campus import Campus
from inkov.forwarding import resolve
from inkov.levels import Level
from inkov.wiring import wire
from tests.campuses import VIDS, random_campus
from tests.conftest import cases
from tests.forwarding.heard import engine_hears
from tests.simulator import Simulator

CAMPUSES = cases("CAMPUSES", 2400)


def disagreements(campus: Campus) -> list[str]:
    """Every port and level for which the two differ, in words."""
    fabric = resolve(campus, wire(campus))
    simulator = Simulator(campus)
    found = []
    for port in fabric.bridge_ports:
        if fabric.bridges[port.bridge].routed or fabric.is_implied(port):
            continue
        for level in (Level.HONEST, Level.HOSTILE):
            # A trunk left at everything on a switch without a table passes VIDs nobody uses: one
            # stands for all.
            vids = {*VIDS, 4094}
            engine = engine_hears(fabric, port, level, vids)
            naive = simulator.flood((port.end.device, port.port), level == Level.HOSTILE, vids)
            if engine != naive:
                found.append(
                    f"{port.end.device}:{port.port} {level}: engine only {sorted(engine - naive)}, "
                    f"simulator only {sorted(naive - engine)}"
                )
    return found


@settings(max_examples=CAMPUSES // 12)
@given(st.randoms(use_true_random=False))
def test_agrees_with_the_simulator_and_shrinks_if_not(rng: random.Random) -> None:
    assert disagreements(random_campus(rng, 12)) == []


@pytest.mark.parametrize("part", range(8))
def test_agrees_with_the_simulator_on_many_campuses(part: int) -> None:
    for seed in range(part, CAMPUSES, 8):
        assert disagreements(random_campus(random.Random(seed), 1 + seed % 12)) == [], (
            f"seed {seed}"
        )
