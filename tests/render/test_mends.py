"""What mends, what it does, and what to enter, as it is told."""

from __future__ import annotations

from typing import Any

import pytest

from inkov.campus import Fact, Origin, Vlan
from inkov.edits import Edit, Kind
from inkov.effects import Comparison
from inkov.effects.comparison import ClaimChange
from inkov.effects.consequences import About, Consequence
from inkov.levels import Level, Outcome
from inkov.mend.claims import HOLDS, Claimed
from inkov.mend.findings import Mended, Unmet
from inkov.mend.goals import Goal
from inkov.mend.order import Step
from inkov.mend.staying import Stay
from inkov.readers import Locator
from inkov.render.mend import claim_result, diff_result, mend_result, plan_result, steps_result
from inkov.render.results import Result, written
from inkov.render.terminal import Screen
from inkov.vlanset import VlanSet
from inkov.wiring import End
from tests.effects.test_words import alike, effect, group
from tests.render.test_findings import finding
from tests.render.test_verdicts import verdict

FILE, NOWHERE = Screen(None, colour=False), Locator({})
AT = Origin("x/a.sheet", 7)


def fact(value: Any) -> Fact[Any]:
    return Fact(value, AT)


LIST = Edit("a", Kind.PORT, "1", "allowed", fact(VlanSet.of(10)), fact(VlanSet.of(10, 20)))
ROW = Edit("a", Kind.VLAN, "20", "", None, Vlan(20, AT, fact("beds")))
GONE = Edit("b", Kind.PORT, "port 2", "native_vlan", fact(10), None)
CABLE = Edit("", Kind.CABLE, "a:1 - b:2", "", None, object())
HOST = Edit("", Kind.HOST, "lamp", "gateway", fact("10.0.0.9"), fact("10.0.0.1"))


def mended(*edits: Edit, found: int = 0, done: Comparison | None = None, **more: Any) -> Mended:
    own: dict[str, Any] = {"reasons": [""] * len(edits)} | more
    findings = [finding(number) for number in range(found)]
    return Mended(findings, list(edits), [AT] * len(edits), effects=done, **own)


def notes(own: Mended) -> list[str]:
    return mend_result(own, NOWHERE).grids()[0].notes


def test_edits_and_what_they_are_for() -> None:
    grid = mend_result(mended(LIST, ROW, reasons=["allowed-differs", ""]), NOWHERE).grids()[0]
    assert [column.name for column in grid.columns][4:] == ["For"]
    assert grid.rows == [
        ["a:1", "allowed", "+20", "a.sheet:7", "allowed-differs"],
        ["a VLAN 20", "", "new: beds", "a.sheet:7", ""],
    ]
    assert len(mend_result(mended(LIST), NOWHERE).grids()[0].columns) == 4
    # Whose default it was is not told in a row.
    default = Fact(1, Origin(says="IEEE 802.1Q: the default PVID is 1"))
    unstated = Edit("a", Kind.PORT, "1", "pvid", None, fact(10), was=default)
    [row] = mend_result(mended(unstated), NOWHERE).grids()[0].rows
    assert row == ["a:1", "PVID", "1 by default -> 10", "a.sheet:7"]
    assert notes(mended()) == ["There is nothing to change."]
    assert notes(mended(LIST, found=1)) == ["With this edit 1 finding is gone."]
    several = mended(LIST, ROW, found=2, smallest=False)
    assert notes(several) == ["With these 2 edits 2 findings are gone. Fewer edits might do."]
    assert notes(mended(LIST)) == []


NOBODY = "Nobody is cut off, no honest host's frame gets to another segment, no claim breaks."


def done(**more: Any) -> Comparison:
    return Comparison([], {}, **more)


@pytest.mark.parametrize(
    ("own", "told"),
    [
        (done(), [NOBODY]),
        (done(effects=[alike(10)]), ["Joined: a:1 (VLAN 10) <-> b:1 (VLAN 10)", NOBODY]),
        (
            done(effects=[alike(10, gained=False), alike(20, follows=True)]),
            [
                "Apart, as is meant: a:1 (VLAN 10) <-> b:1 (VLAN 10)",
                NOBODY.replace("Nobody", "Nobody else"),
            ],
        ),
        (
            done(effects=[alike(10, gained=False, level=Level.HOSTILE)]),
            [
                "Hostile hosts reach fewer ports than before (1 row of `lost` in JSON).",
                NOBODY.replace("Nobody", "Nobody else"),
            ],
        ),
        (
            done(effects=[alike(vid, gained=False, level=Level.HOSTILE) for vid in (10, 20)]),
            [
                "Hostile hosts reach fewer ports than before (2 rows of `lost` in JSON).",
                NOBODY.replace("Nobody", "Nobody else"),
            ],
        ),
        (
            done(
                consequences=[
                    Consequence(About.SPARE, "l", VlanSet(), "has a spare", False),
                    Consequence(About.GATEWAY, "g", VlanSet(), "is up", False),
                    Consequence(About.GATEWAY, "h", VlanSet(), "is down", True),
                    Consequence(About.LINK, "k", VlanSet(), "carries more", False),
                ]
            ),
            ["Better: l has a spare", "Better: g is up", NOBODY],
        ),
        (
            done(
                claims=[
                    ClaimChange("apart", None, verdict(1, Outcome.HOLDS)),
                    ClaimChange("whole", None, verdict(1, Outcome.UNDECIDED)),
                    ClaimChange("gone", verdict(1, Outcome.HOLDS), None),
                ],
                new=[finding(1), finding(2, rule="odd-one-out")],
                worse=[finding(3)],
                undecided=["too much"],
            ),
            [
                "Holds then: apart",
                NOBODY,
                "An audit finds then: says 1 (allowed-differs).",
                "An audit finds then: says 3 (allowed-differs).",
                "Not known: too much.",
            ],
        ),
    ],
)
def test_what_edits_do(own: Comparison, told: list[str]) -> None:
    assert notes(mended(LIST, done=own)) == told


@pytest.mark.parametrize("number", [8, 9])
def test_many_rows_are_counted(number: int) -> None:
    told = notes(mended(LIST, done=done(effects=[alike(vid) for vid in range(2, 2 + number)])))
    assert sum(line.startswith("Joined: a:1") for line in told) == 8
    more = ["Joined: 1 row more, all of them in JSON"] * (number > 8)
    assert [line for line in told if " more, " in line] == more


def test_what_is_left_and_what_stays() -> None:
    unmet = [Unmet(finding(number), f"why {number}") for number in range(7)]
    unmet += [Unmet(finding(9, rule="vlan-unused"), "why 9")]
    result = mend_result(mended(unmet=unmet), NOWHERE)
    _, left = result.grids()
    assert left.rows == [
        *(["allowed-differs", f"says {number}", f"why {number}"] for number in range(5)),
        ["allowed-differs", "and 2 more", "as above; all of them in JSON"],
        ["vlan-unused", "says 9", "why 9"],
    ]
    assert left.notes == ["8 findings are left."]
    assert [one["says"] for one in result.value()["unmet"]] == [
        *(f"why {number}" for number in range(7)),
        "why 9",
    ]
    five = mend_result(mended(unmet=unmet[:5]), NOWHERE).grids()[1]
    assert len(five.rows) == 5
    assert mend_result(mended(unmet=unmet[:1]), NOWHERE).grids()[1].notes == ["1 finding is left."]
    stays = [Stay(End("a", "1"), End("b", str(n)), VlanSet.of(10), "why", AT) for n in range(23)]
    result = mend_result(mended(), NOWHERE, stays)
    told = result.grids()[1]
    assert told.rows[0] == ["VLAN 10", "a:1 to b:0", "why", "a.sheet:7"] and len(told.rows) == 20
    assert told.notes == ["3 rows more, all of them in JSON"]
    assert len(result.value()["stays"]) == 23 and result.value()["stays"][22]["b"] == "b:22"
    assert mend_result(mended(), NOWHERE, stays[:20]).grids()[1].notes == []


def test_a_claim_that_is_to_hold() -> None:
    fewer = " Fewer edits might do."
    for smallest in (True, False):
        goal = Claimed("apart", [LIST], smallest=smallest)
        result = claim_result(goal, mended(LIST), NOWHERE)
        assert result.grids()[0].notes[0] == f"The claim apart holds then.{fewer * (not smallest)}"
        value = result.value()
        assert value["changes"][0]["goal"] == {"claim": "apart"} and value["unmet"] == []
    none = claim_result(Claimed("apart", says="nobody knows"), Mended(), NOWHERE)
    assert none.grids()[0].rows == [["apart", "nobody knows"]]
    assert none.value()["unmet"] == [{"claim": "apart", "says": "nobody knows"}]
    assert none.value()["changes"] == []
    holds = claim_result(Claimed("apart", says=HOLDS), Mended(), NOWHERE)
    assert holds.value()["unmet"] == [] == holds.value()["changes"]


class Wish(Goal):
    """A goal of a plan, by its name."""

    name: str

    @property
    def words(self) -> str:
        return self.name

    @property
    def key(self) -> dict[str, str | int]:
        return {"vlan": 10, "name": self.name}


def test_a_plan_that_is_to_be_true() -> None:
    goals: list[Goal] = [
        Wish(name="one"),
        Wish(name="two", edits=[LIST]),
        Wish(name="three", edits=[LIST, GONE], smallest=False),
        Wish(name="four", edits=[LIST, ROW, HOST]),
        Wish(name="five", says="nobody knows"),
        Wish(name="six", edits=[LIST], says="not all of it"),
    ]
    unmet = [Unmet(finding(1), "why 1")]
    result = plan_result(goals, mended(LIST, unmet=unmet), NOWHERE)
    changes, missed, left = result.grids()
    assert changes.notes == [
        "one is as planned.",
        "two: 1 edit on 1 switch.",
        "three: 2 edits on 2 switches; fewer might do.",
        "four: 3 edits on 1 switch.",
    ]
    assert missed.rows == [["five", "nobody knows"], ["six", "not all of it"]]
    assert left.rows[0][2] == "why 1"
    value = result.value()
    assert [one["goal"]["name"] for one in value["changes"]] == ["two", "three", "four"]
    assert [one["says"] for one in value["unmet"]] == ["nobody knows", "not all of it", "why 1"]
    assert value["unmet"][0]["vlan"] == 10
    assert len(plan_result(goals[:1], mended(), NOWHERE).grids()) == 1


def steps(*own: Step, lines: list[list[str]] | None = None) -> Result:
    return steps_result(list(own), lines or [[] for _ in own], NOWHERE)


def test_what_to_enter() -> None:
    own = steps(
        Step("a", [LIST, ROW], 1, cuts=["lamp"]),
        Step("b", [GONE], 2),
        Step("", [CABLE], 3),
        Step("", [HOST], 3),
        Step("c", [LIST], 4),
        lines=[[], [], [], [], ["tuft 1", "  over 10,20"]],
    )
    [grid] = own.grids()
    assert grid.rows == [
        ["1", "a", "port 1: allowed 10,20 (+20)"],
        ["", "", "VLAN 20 new: beds"],
        ["", "", "(until a later step: lamp)"],
        ["2", "b", "port 2 native VLAN 10 -> not stated"],
        ["3", "cabling", "cable a:1 - b:2 new"],
        ["4", "tables", "host lamp: gateway 10.0.0.1"],
        ["5", "c", "tuft 1"],
        ["", "", "  over 10,20"],
    ]
    assert grid.notes == []
    value = own.value()["steps"]
    assert [one["switch"] for one in value] == ["a", "b", None, None, "c"]
    assert value[0]["cuts"] == ["lamp"] and value[4]["enter"] == ["tuft 1", "  over 10,20"]


def test_what_is_said_below_steps() -> None:
    def told(*own: Step) -> list[str]:
        return steps(*own).grids()[0].notes

    assert told() == ["There is nothing to change."]
    assert told(Step("a", [LIST], 1)) == ["On the way nobody is cut off who is not in the end."]
    assert told(Step("a", [LIST], 1, cuts=["lamp"])) == []
    some = Step("a", [LIST], 1, tried=False), Step("b", [LIST], 2, cuts=["lamp"])
    assert told(*some) == ["Tried after each stage, not after each step: they are too many."]


def test_changes_of_files() -> None:
    result = diff_result(["--- a\n", "+++ b\n"])
    assert written(result, "table", FILE) == "--- a\n+++ b\n"
    assert [row[0] for row in result.grids()[0].rows] == ["--- a\\n", "+++ b\\n"]


def test_rows_of_who_reaches_whom_in_json() -> None:
    own = [alike(10), alike(20, gained=False), alike(30, follows=True), effect(group("c:1"))]
    value = mend_result(mended(LIST, done=done(effects=own, undecided=["x"])), NOWHERE).value()
    assert value["gained"] == ["a:1 (VLAN 10) <-> b:1 (VLAN 10)", "c:1 (VLAN 10) among themselves"]
    assert value["lost"] == ["a:1 (VLAN 20) <-> b:1 (VLAN 20)"] and value["undecided"] == ["x"]
    assert mend_result(mended(LIST), NOWHERE).value()["gained"] == []
