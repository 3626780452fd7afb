"""Claims made true: that something arrives, and that something does not."""

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
    if "d:1" in claim:  # no link leads there
        texts["d"] = f"{VLANS}[port 1]\nvlan: 10\n"
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
        ("carried-by: {vlans: 10, on: [a]}", "no harmless edit that is known ends this"),
        ("join: [climate, pumps]", "several VLANs"),
        ("reach: [climate, 'c:1']", "two hosts or ports"),
        ("join: [climate, nowhere]", "nothing is called 'nowhere'"),
        ("reach: ['a:1', climat]", "did you mean climate?"),
        ("join: ['a:1', 'd:1']", "no way for VLAN 10 is known to all its members"),
        ("reach: ['a:1', 'd:1']", "no edits that are known make it hold"),
    ],
)
def test_what_is_not_mended_is_said(inkov: Inkov, tmp_path: Path, claim: str, says: str) -> None:
    found = asked(inkov, tmp_path, claim)
    assert found.json["edits"] == []
    table = inkov("mend", "in", "--claim", "1")
    assert says in table.out and found.status == table.status == (0 if says == "it holds" else 1)


CROSSED = """[vlans]
10: climate
20: tills
99: nobody
[port 1]
vlan: 10
[port 2]
vlan: 20
"""


ASKS = "negotiation: passive"


@pytest.mark.parametrize(
    ("claim", "house", "edits", "asks"),
    [
        # One end sends VLAN 10 untagged, the other takes it for VLAN 20: one end is to be as the
        # other.
        ("isolate: [climate, tills]", "", {("a", "9", "native_vlan", 20)}, ASKS),
        # All others are VLAN 20; VLAN 1 has nobody.
        (
            "{isolate: climate, from: everything, except: ['b:5']}",
            "",
            {("a", "9", "native_vlan", 20)},
            ASKS,
        ),
        # A hostile host hides a tag behind the native VLAN, and asks port 5 for a trunk: the house
        # has a native VLAN for that, and the port decides no more by itself.
        (
            "{isolate: [climate, tills], level: hostile}",
            "practice: {native: 99}\n",
            {
                ("a", "9", "native_vlan", 99),
                ("b", "9", "native_vlan", 99),
                ("b", "5", "negotiation", "silent"),
            },
            ASKS,
        ),
        # Or it registers VLAN 20 there; that no finding tells it does not matter.
        (
            "{isolate: [climate, tills], level: hostile}",
            "practice: {native: 99}\naccepted:\n"
            "  - {rule: registration-at-host-port, switch: b, port: '5', because: asked for}\n",
            {
                ("a", "9", "native_vlan", 99),
                ("b", "9", "native_vlan", 99),
                ("b", "5", "registration", False),
            },
            "registration: on",
        ),
        # VLAN 99 may cross the link, and has nobody on either side.
        ("carried-by: {vlans: 10, on: [a]}", "", set(), ASKS),
    ],
)
def test_what_is_not_to_arrive_is_stopped(
    inkov: Inkov, tmp_path: Path, claim: str, house: str, edits: set[Any], asks: str
) -> None:
    (tmp_path / "in").mkdir()
    trunk = "[port 9]\nmode: trunk\nnative: {}\nallowed: 10,20,99\n[neighbours]\n9: {}:9\n"
    host = f"[port 5]\nvlan: 10\n{asks}\n"
    for name, text in (("a", trunk.format(10, "b")), ("b", host + trunk.format(20, "a"))):
        sheet = f"inkov sheet 1\nswitch: {name}\n{CROSSED}{text}"
        (tmp_path / "in" / f"{name}.sheet").write_text(sheet)
    (tmp_path / "in" / "plan.yaml").write_text(f"{house}claims:\n  - {claim}\n")
    assert "BROKEN" in inkov("prove", "in").out
    found = inkov("mend", "in", "--claim", "1", "-f", "json")
    made = {(e["switch"], e["name"], e["attribute"], e["after"]) for e in found.json["edits"]}
    assert made == edits, found.json
    if edits:
        assert inkov("mend", "in", "--claim", "1", "--write", "out").status == 0
        for file in (tmp_path / "out").iterdir():
            (tmp_path / "in" / file.name).write_text(file.read_text())
        assert inkov("prove", "in").out.startswith("HOLDS")


def test_a_claim_that_many_mistakes_break_is_mended_as_a_whole(
    inkov: Inkov, tmp_path: Path
) -> None:
    """Five closets hang on a core, each link with another native VLAN at each end: too many sets of
    edits to try. The house's native VLAN at all ten ends, and nothing else, ends every leak.
    """
    (tmp_path / "in").mkdir()
    trunk = "[port {}]\nmode: trunk\nnative: {}\nallowed: 10,20,99\n"
    uplinks = "".join(trunk.format(10 + n, 10) for n in range(5))
    sheets = {"core": uplinks + "[neighbours]\n"}
    sheets["core"] += "".join(f"{10 + n}: closet-{n}:9\n" for n in range(5))
    for n in range(5):
        sheets[f"closet-{n}"] = trunk.format(9, 20) + f"[neighbours]\n9: core:{10 + n}\n"
    for name, text in sheets.items():
        (tmp_path / "in" / f"{name}.sheet").write_text(
            f"inkov sheet 1\nswitch: {name}\n{CROSSED}{text}"
        )
    (tmp_path / "in" / "plan.yaml").write_text(
        "practice: {native: 99}\nclaims:\n  - {isolate: [climate, tills], level: hostile}\n"
    )
    found = inkov("mend", "in", "--claim", "1", "-f", "json")
    made = {(e["switch"], e["name"], e["attribute"], e["after"]) for e in found.json["edits"]}
    ends = [("core", str(10 + n)) for n in range(5)] + [(f"closet-{n}", "9") for n in range(5)]
    assert made == {(*end, "native_vlan", 99) for end in ends}
    table = inkov("mend", "in", "--claim", "1").out
    assert "Fewer edits might do." in table and "Nobody else is cut off" in table


def test_a_leak_that_only_people_can_end_is_named(inkov: Inkov, tmp_path: Path) -> None:
    """The native VLANs are cured easily; a port that hears both segments is somebody's to decide,
    whatever is plugged in there.
    """
    (tmp_path / "in").mkdir()
    both = "[port 3]\nmode: general\npvid: 10\nuntagged: 10\ntagged: 20\n"
    (tmp_path / "in" / "a.sheet").write_text(f"inkov sheet 1\nswitch: a\n{CROSSED}{both}")
    (tmp_path / "in" / "plan.yaml").write_text(
        "claims:\n  - {isolate: [climate, tills], level: hostile}\n"
    )
    found = inkov("mend", "in", "--claim", "1", "-f", "json")
    [unmet] = found.json["unmet"]
    assert found.status == 1 and found.json["edits"] == []
    assert "ends this" in unmet["says"] and "a:3" in unmet["says"]


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


def test_the_native_vlan_of_the_house_is_let_through_as_well(inkov: Inkov, tmp_path: Path) -> None:
    """VLAN 10 is native at one end and 20 at the other; with 99 at both, lists have to hold it."""
    for name, far, native in (("a", "b", 10), ("b", "a", 20)):
        hosts = "[port 1]\nvlan: 10\n[port 2]\nvlan: 20\n"
        trunk = f"[port 8]\nmode: trunk\nnative: {native}\nallowed: 10,20\n"
        text = f"inkov sheet 1\nswitch: {name}\n{VLANS}{hosts}{trunk}[neighbours]\n8: {far}:8\n"
        (tmp_path / f"{name}.sheet").write_text(text)
    plan = "practice: {native: 99}\nclaims:\n  - isolate: [10, 20]\n"
    (tmp_path / "plan.yaml").write_text(plan)
    edits = inkov("mend", ".", "--claim", "1", "-f", "json").json["edits"]
    assert {(e["switch"], e["name"], e["attribute"], e["after"]) for e in edits} == {
        (name, "8", *after)
        for name in "ab"
        for after in (("native_vlan", 99), ("allowed", "10,20,99"))
    }
