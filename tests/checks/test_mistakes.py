"""Precision and recall: each kind of mistake, planted in clean campuses, is named at its place, and
nothing else is.

The campuses are the repaired demo (six formats) and generated ones of many sizes.
"""

from __future__ import annotations

import random
from functools import cache

import pytest

from inkov.campus import Campus
from inkov.checks import Audit, Site, audit
from inkov.forwarding import resolve
from inkov.plan import read_plan
from inkov.readers import load
from inkov.wiring import wire
from tests.checks.mistakes import KINDS, Ground
from tests.clean import PLAN, clean_campus
from tests.conftest import DEMO, cases, copied

GROUNDS = ("demo", *range(8))
CLOSETS = (1, 2, 4, 5, 7, 9, 12, 17)
ENOUGH = cases("PLANTED", len(GROUNDS), least=2)


@cache
def clean(ground: str | int) -> tuple[Campus, str]:
    if isinstance(ground, int):
        return clean_campus(ground, CLOSETS[ground]), PLAN
    campus = load([str(DEMO / "repaired")]).campus
    campus.others.clear()  # a mistake that is planted in one source only would be two
    return campus, "practice: {native: 99, management: 90}\n"


def audited(campus: Campus, text: str) -> tuple[Audit, Site]:
    plan = read_plan("plan.yaml", text.encode())
    assert plan.problems == []
    fabric = resolve(campus, wire(campus))
    return audit(fabric, plan), Site(fabric, plan)


@cache
def ground_of(ground: str | int) -> Site:
    return audited(*clean(ground))[1]


@pytest.mark.parametrize("ground", GROUNDS)
def test_clean_campuses_have_no_findings(ground: str | int) -> None:
    campus, text = clean(ground)
    assert [(f.rule, f.says) for f in audited(campus, text)[0].findings] == []


@pytest.mark.parametrize("name", KINDS)
def test_the_mistake_is_named_and_nothing_else(name: str) -> None:
    kind = KINDS[name]
    planted = 0
    for number, ground in enumerate(GROUNDS):
        if planted == ENOUGH:
            break
        campus, text = clean(ground)
        changed, plan = copied(campus), [text]
        spots = kind.plant(
            Ground(ground_of(ground), changed, random.Random(f"{name} {number}"), plan)
        )
        if spots is None:
            continue
        planted += 1
        found = audited(changed, "".join(plan))[0].findings
        mine = [f for f in found if f.rule == kind.rule]
        assert len(mine) == 1, (ground, spots, [(f.rule, f.says) for f in found])
        [finding] = mine
        places = {(w.switch, w.port) for w in finding.where}
        assert {tuple(spot) for spot in spots} <= places, (ground, spots, finding)
        strange = [f for f in found if f is not finding]
        assert strange == [], (ground, spots, [(f.rule, f.says) for f in strange])
    assert planted >= 2, f"{name} was planted {planted} times only"


def test_there_are_kinds_enough() -> None:
    assert len(KINDS) >= 40
