"""Claims that something arrives, made true."""

from __future__ import annotations

import random
from datetime import date
from pathlib import Path
from typing import Any

import pytest

from inkov.edits import apply
from inkov.forwarding import resolve
from inkov.mend.claims import mend_claim
from inkov.plan import Claim, Plan, PlanFile
from inkov.proofs import prove
from inkov.wiring import wire
from tests.conftest import Inkov
from tests.mend.test_smallest import CAMPUSES, broken
from tests.mend.test_why import TRUNK, VLANS

LACKS = "mode: trunk\nnative: 99\nallowed: 20,99\n"


def asked(inkov: Inkov, folder: Path, claim: str) -> Any:
    """a - b - c in a row, hosts of VLAN 10 on a and c. b has no VLAN 10, nor does c's list."""
    texts = {
        "a": f"{VLANS}[port 1]\nvlan: 10\n[port 8]\n{TRUNK}[neighbours]\n8: b:7\n",
        "b": f"{VLANS.replace('10: climate', '')}[port 7]\n{TRUNK}[port 8]\n{TRUNK}"
        "[neighbours]\n7: a:8\n8: c:7\n",
        "c": f"{VLANS}[port 1]\nvlan: 10\n[port 2]\nvlan: 20\n[port 7]\n{LACKS}"
        "[neighbours]\n7: b:8\n",
    }
    (folder / "in").mkdir()
    for name, text in texts.items():
        (folder / "in" / f"{name}.sheet").write_text(f"inkov sheet 1\nswitch: {name}\n{text}")
    (folder / "in" / "plan.yaml").write_text(f"claims:\n  - {claim}\n")
    return inkov("mend", "in", "--claim", "1", "-f", "json")


EDITS = [("b", "10", "climate"), ("c", "7", "10,20,99")]


@pytest.mark.parametrize("claim", ["join: climate", "reach: ['a:1', 'c:1']"])
def test_what_is_to_arrive_is_made_to(inkov: Inkov, tmp_path: Path, claim: str) -> None:
    found = asked(inkov, tmp_path, claim)
    assert found.status == 0, found.out
    edits = {(e["switch"], e["name"], e["after"]) for e in found.json["edits"]}
    assert edits == set(EDITS)
    assert found.json["changes"][0]["goal"]["claim"] and found.json["unmet"] == []
    written = inkov("mend", "in", "--claim", "1", "--write", "out")
    assert written.status == 0
    for name in ("b", "c"):
        (tmp_path / "in" / f"{name}.sheet").write_text(
            (tmp_path / "out" / f"{name}.sheet").read_text()
        )
    assert inkov("prove", "in").out.startswith("HOLDS")
    again = asked_again(inkov)
    assert again["edits"] == [] and again["unmet"] == []


def asked_again(inkov: Inkov) -> Any:
    result = inkov("mend", "in", "--claim", "1", "-f", "json")
    assert result.status == 0
    return result.json


@pytest.mark.parametrize(
    ("claim", "says"),
    [
        ("isolate: [climate, pumps]", "it holds"),
        ("carried-by: {vlans: 10, on: [a]}", "is not mended"),
        ("join: [climate, pumps]", "several VLANs"),
        ("reach: [climate, 'c:1']", "two hosts or ports"),
    ],
)
def test_what_is_not_mended_is_said(inkov: Inkov, tmp_path: Path, claim: str, says: str) -> None:
    found = asked(inkov, tmp_path, claim)
    assert found.json["edits"] == []
    table = inkov("mend", "in", "--claim", "1")
    assert says in table.out and found.status == table.status == (0 if says == "it holds" else 1)


def test_a_claim_that_the_plan_does_not_have(inkov: Inkov, tmp_path: Path) -> None:
    assert asked(inkov, tmp_path, "join: climate").status == 0
    result = inkov("mend", "in", "--claim", "2")
    assert result.status == 2 and "the plan has 1 claims" in result.err
    assert inkov("mend", "in", "--claim", "1", "--rule", "native-default").status == 2


def test_joins_of_random_campuses_hold_with_their_edits() -> None:
    made = 0
    for number in range(CAMPUSES):
        campus = broken(random.Random(f"claims {number}"))
        claim = Claim(join=["vlan 10"])
        plan = Plan(PlanFile(claims=[claim]))
        goal, mended = mend_claim(resolve(campus, wire(campus)), plan, claim, date(2026, 1, 1))
        if goal.edits:
            after = apply(campus, mended.edits)
            assert prove(resolve(after, wire(after)), plan)[0].verdict == "holds", number
            made += 1
    assert made > CAMPUSES / 4, made
