"""Claims, matrices and losses, as they are told."""

from __future__ import annotations

import json
from typing import Any

import pytest

from inkov.campus import Origin, Problem
from inkov.forwarding.follow import Event, Step
from inkov.forwarding.trees.loss import Kind
from inkov.levels import Layer, Level, Outcome
from inkov.proofs import Verdict
from inkov.proofs.matrix import Cell, Matrix, Reach
from inkov.proofs.verdict import Blame
from inkov.readers import Locator
from inkov.render.proofs import (
    brief_matrix_grid,
    matrix_grid,
    verdicts_grid,
    verdicts_result,
    with_claims,
)
from inkov.render.results import written
from inkov.render.terminal import Screen
from inkov.render.withstand import losses_grid
from inkov.survey.withstand import Fallen, LossRow, Survived
from tests.render.screens import styled

FILE, NOWHERE = Screen(None, colour=False), Locator({})
HOLDS, BROKEN, UNDECIDED = Outcome.HOLDS, Outcome.BROKEN, Outcome.UNDECIDED


def step(port: str, event: Event, vlan: int | None, line: int, *, tagged: bool = False) -> Step:
    return Step("a", port, event, vlan, tagged, f"since {line}", Origin("a.sheet", line))


WAY = [
    step("1", Event.SENT, 10, 4),
    step("up-8", Event.LEAVES, 10, 9, tagged=True),
    step("2", Event.STOPS, None, 6),
]


def verdict(number: int, outcome: Outcome, **more: Any) -> Verdict:
    own: dict[str, Any] = {"level": Level.HONEST, "layer": Layer.FRAMES} | more
    place = Origin("plan.yaml", number)
    own["verdict"] = outcome
    return Verdict(
        f"claim {number}", own.pop("kind", "isolate"), because="as it is", origin=place, **own
    )


def text(*verdicts: Verdict, since: str = "") -> str:
    return written(verdicts_result(list(verdicts), NOWHERE, since=since), "table", FILE)


def blame(port: str, line: int, *, alone: bool) -> Blame:
    return Blame("a", port, "native here", Origin("a.sheet", line), alone)


def test_a_claim_that_is_broken_shows_the_way_and_the_lines() -> None:
    blamed = [blame("up-8", 9, alone=True), blame("2", 11, alone=True)]
    told = text(verdict(1, BROKEN, witness=WAY, blame=blamed, assumes=["a link"]))
    assert told.splitlines() == [
        "BROKEN  claim 1  layer 2, honest",
        "  as it is",
        "    a:1     sent     VLAN 10           since 4",
        "            a.sheet:4",
        "    a:up-8  leaves   VLAN 10 tagged    since 9",
        "            a.sheet:9",
        "    a:2     stops                      since 6",
        "            a.sheet:6",
        "  To blame (changing any one ends the leak):",
        "    a:up-8  a.sheet:9   native here",
        "    a:2     a.sheet:11  native here",
        "",
        "All of it rests on: a link",
        "1 claim: 0 hold, 1 broken, 0 undecided.",
    ]
    several = [blame("up-8", 9, alone=True), blame("2", 11, alone=False)]
    told = text(verdict(1, BROKEN, blame=several))
    assert "  To blame, among others (this is not the only way):\n" in told


def test_of_many_claims_what_holds_comes_last_and_short() -> None:
    few = [verdict(1, HOLDS), verdict(2, BROKEN), verdict(3, UNDECIDED), verdict(4, HOLDS)]
    assert [line for line in text(*few).splitlines() if "claim " in line] == [
        *("HOLDS  claim 1  layer 2, honest", "BROKEN  claim 2  layer 2, honest"),
        *("UNDECIDED  claim 3  layer 2, honest", "HOLDS  claim 4  layer 2, honest"),
    ]
    assert text(*few).count("as it is") == 4
    rests = verdict(5, HOLDS, assumes=["one", "two"])
    nobody = verdict(6, HOLDS, nobody=True, assumes=["one"])
    told = text(*few, rests, nobody, since="1 is new").splitlines()
    assert [line.split("  ")[1] for line in told if line[:1] in "BHU" and "claim" in line] == [
        f"claim {number}" for number in (2, 3, 1, 4, 5, 6)
    ]
    [line] = [line for line in told if "claim 5" in line]
    assert line.endswith(", rests on 2 assumptions (-f json)")
    assert told[told.index("HOLDS  claim 6  layer 2, honest") + 1 :] == [
        *("  as it is", "  Rests on: one", ""),
        "6 claims: 4 hold, 1 broken, 1 undecided. 1 is new.",
    ]
    assert sum("as it is" in line for line in told) == 3
    one = verdict(5, HOLDS, assumes=["one"])
    assert "rests on 1 assumption (-f json)" in text(*few, one, nobody)


@pytest.mark.parametrize("number", [4, 5, 7])
def test_what_claims_rest_on_is_limited(number: int) -> None:
    """What all of them rest on is said once; of each kind four are told, and the others counted."""
    common = [f"shared {at}" for at in range(number)]
    own = [f"own {at}" for at in range(number)]
    told = text(verdict(1, BROKEN, assumes=[*common, *own]), verdict(2, HOLDS, assumes=common))
    assert told.count("All of it rests on: shared") == 4 and told.count("  Rests on: own") == 4
    more = f"... and {number - 4} more; -f json lists them"
    assert told.count(more) == 2 * (number > 4) and told.count("... and") == 2 * (number > 4)


def test_verdicts_have_their_colours() -> None:
    told = [verdict(1, HOLDS), verdict(2, BROKEN, assumes=["it"]), verdict(3, UNDECIDED)]
    drawn = written(verdicts_result(told, NOWHERE), "table", Screen(100, colour=True))
    by = {words: code for code, words in styled(drawn)}
    assert [by[word] for word in ("HOLDS", "BROKEN", "UNDECIDED")] == ["1;32", "1;37;41", "1;35"]
    assert by["claim 2"] == "1" and by["Rests on: it"] == "2"
    assert by["3 claims: 1 holds, 1 broken, 1 undecided."] == "1"


def test_verdicts_in_a_table_and_for_other_systems() -> None:
    blamed = [blame("up-8", 9, alone=True), blame("2", 11, alone=True)]
    told = [
        verdict(1, BROKEN, witness=WAY, blame=blamed),
        verdict(2, UNDECIDED, kind="reach", witness=WAY),
        verdict(3, HOLDS, kind="whole", layer=Layer.PACKETS, level=Level.HOSTILE, assumes=["x"]),
    ]
    grid = verdicts_grid(told, NOWHERE)
    way = "a:1 sent 10; a:up-8 leaves 10; a:2 stops "
    assert grid.rows[0] == [
        *("broken", "claim 1", "2", "honest", "as it is", way),
        "a:up-8 a.sheet:9; a:2 a.sheet:11",
    ]
    assert grid.rows[2] == ["holds", "claim 3", "3", "hostile", "as it is", "", ""]
    result = verdicts_result(told, NOWHERE, [Problem(Origin("b.sheet"), "it is gone")])
    [run] = json.loads(written(result, "sarif", FILE))["runs"]
    assert run["invocations"][0]["executionSuccessful"] is False
    kinds = [(one["kind"], one["level"]) for one in run["results"]]
    assert kinds == [("fail", "error"), ("review", "none"), ("pass", "none")]
    for one in run["results"]:
        assert run["tool"]["driver"]["rules"][one["ruleIndex"]]["id"] == one["ruleId"]

    def lines(places: list[dict[str, Any]]) -> list[tuple[str, int]]:
        at = [place["physicalLocation"] for place in places]
        return [(p["artifactLocation"]["uri"], p["region"]["startLine"]) for p in at]

    places = [(lines(one["locations"]), lines(one["relatedLocations"])) for one in run["results"]]
    assert places == [
        ([("a.sheet", 9)], [("a.sheet", 11)]),  # where the blame is
        ([("a.sheet", 6)], []),  # where it stops
        ([("plan.yaml", 3)], []),  # the claim
    ]
    report = written(result, "junit", FILE)
    assert '<testsuites tests="4" failures="2" errors="1">' in report
    assert '<testcase name="claim 3" classname="inkov.whole"/>' in report
    assert "broken: as it is\na:1 sent VLAN 10: since 4\na:up-8 leaves VLAN 10: since 9" in report
    assert 'name="b.sheet" classname="inkov.input"' in report and 'message="it is gone"' in report


def test_claims_stand_below_a_story() -> None:
    grid, brief = verdicts_grid([], NOWHERE), verdicts_grid([], NOWHERE)
    blamed = [blame("up-8", 9, alone=True), blame("2", 11, alone=True)]
    told = [verdict(1, BROKEN, blame=blamed), verdict(2, HOLDS), verdict(3, UNDECIDED)]
    result = with_claims({"steps": []}, grid, told, NOWHERE, brief)
    notes = [
        "Claim: claim 1 (plan.yaml:1, layer 2, honest) is broken; "
        "to blame: a:up-8 (a.sheet:9), a:2 (a.sheet:11)",
        "Claim: claim 2 (plan.yaml:2, layer 2, honest) holds",
        "Claim: claim 3 (plan.yaml:3, layer 2, honest) is undecided: as it is",
    ]
    assert grid.notes[1:] == brief.notes[1:] == notes
    assert [one["claim"] for one in result.value()["claims"]] == ["claim 1", "claim 2", "claim 3"]
    assert with_claims({"steps": []}, grid, [], NOWHERE).value() == {"steps": []}


SIDES = ("10 ferns", "20 beds", "30 fog")
HOW = {
    (0, 1): (Reach.ROUTED, "core-1"),
    (0, 2): (Reach.APART, ""),
    (1, 0): (Reach.PART, "core-1"),
    (1, 2): (Reach.LEAKS, ""),
    (2, 0): (Reach.CHANCE, ""),
    (2, 1): (Reach.ROUTED, "core-1, gate-1"),
}


def matrix_of(names: tuple[str, ...] = SIDES) -> Matrix:
    cells = [Cell(names[one], names[other], *how) for (one, other), how in HOW.items()]
    return Matrix(cells, [])


def test_who_reaches_whom_in_a_matrix() -> None:
    grid = matrix_grid(matrix_of())
    assert [column.name for column in grid.columns] == ["reaches", *SIDES]
    assert grid.rows == [
        ["10 ferns", "-", "via core-1", "·"],
        ["20 beds", "part via core-1", "-", "LEAK"],
        ["30 fog", "?", "via core-1, gate-1", "-"],
    ]
    assert grid.marks == {(1, 3)}
    assert grid.notes == [
        "LEAK: one way only; via: routed there; part: a filter stops some; ·: apart; "
        "?: chance decides, in the spanning tree"
    ]
    brief = brief_matrix_grid(matrix_of())
    assert [column.name for column in brief.columns] == ["reaches", "10", "20", "30"]
    assert brief.rows == [
        ["10 ferns", "-", "A", "·"],
        ["20 beds", "A/", "-", "!"],
        ["30 fog", "?", "B", "-"],
    ]
    assert brief.marks == {(1, 3)} and brief.notes == [
        "A: routed by core-1; B: routed by core-1, gate-1; !: leaks, one way only; "
        "/: a filter stops some; ·: apart; ?: chance decides, in the spanning tree"
    ]
    none = "There are no two sides to compare: segments and hosts are named in the plan"
    assert matrix_grid(Matrix([], [])).notes[0].startswith(none)
    assert brief_matrix_grid(Matrix([], [])).notes[0].startswith(none)


@pytest.mark.parametrize("names", [("tills", "20 beds", "30 fog"), ("10 a", "10 b", "30 fog")])
def test_sides_without_numbers_of_their_own_are_counted(names: tuple[str, ...]) -> None:
    brief = brief_matrix_grid(matrix_of(names))
    assert [column.name for column in brief.columns] == ["reaches", "1", "2", "3"]
    assert [row[0] for row in brief.rows] == [f"{n} {name}" for n, name in enumerate(names, 1)]


def test_routers_get_letters_beyond_z() -> None:
    told = [Cell("10 a", str(at), Reach.ROUTED, f"gate-{at}") for at in range(20, 20 + 55)]
    told += [Cell(str(at), "10 a", Reach.SAME) for at in range(20, 20 + 55)]
    grid = brief_matrix_grid(Matrix(told, []))
    row = grid.rows[0][2:]
    assert [row[at] for at in (0, 25, 26, 27, 51, 52)] == ["A", "Z", "AA", "AB", "AZ", "BA"]
    assert grid.rows[1][1] == "="
    assert "=: one broadcast domain" in grid.notes[0]


def loss(number: int, **more: Any) -> LossRow:
    own: dict[str, Any] = {
        "vlans": {},
        "routerless": "none",
        "unrouted": "none",
        "cut": [],
        "ports": 0,
        "because": "there is no other link",
        "kind": Kind.LINK,
    }
    name = f"link {number}"
    return LossRow(loses=[name], name=name, origin=Origin("a.sheet", number), **(own | more))


def test_what_a_loss_cuts_off() -> None:
    fallen = {"20": Fallen([["b"], ["c", "d"]]), "10": Fallen([["b"]])}
    hosts = [f"h{number}" for number in range(6)]
    rows = [
        loss(1, vlans=fallen, cut=hosts, ports=6, claims=["apart", "whole"]),
        loss(2, routerless="10,30", unrouted="40", claims=["apart"]),
        *(loss(number, claims=["apart"]) for number in (3, 4, 5)),
    ]
    grid = losses_grid(rows, [Survived(Kind.LINK, 7, 2)], ["A remark."], NOWHERE)
    assert grid.rows[:2] == [
        [
            *("link 1", "6", "10,20", "b, c, d", "h0, h1, h2, h3 and 2 more"),
            *("there is no other link", "a.sheet:1"),
        ],
        [
            *("link 2", "0", "no gateway in 10,30; 40 not routed", "", ""),
            *("there is no other link", "a.sheet:2"),
        ],
    ]
    assert grid.marks == {(0, 1)}
    assert grid.notes == [
        "The claim apart breaks without link 1 or link 2 or link 3 or link 4 and 1 more.",
        "The claim whole breaks without link 1.",
        "A remark.",
        "2 of 7 links may fail without loss.",
    ]


def test_many_losses_are_told_in_lots() -> None:
    """Thirty have a row each; the others are told by kind, reason and what is cut."""
    first = [loss(number, ports=99) for number in range(30)]
    fallen = {str(vid): Fallen([["b"]]) for vid in (10, 11, 12, 13)}
    more = [
        loss(31, ports=4, vlans=fallen, because="the spare link 7 is shut"),
        loss(32, ports=9, vlans={"10": Fallen([["c"]])}, because="the spare link 8 is shut"),
        loss(33, ports=9, routerless="10"),
        loss(34, ports=9, routerless="20"),
        loss(35, ports=1, vlans={"50": Fallen([["c"]])}, kind=Kind.SWITCH),
    ]
    grid = losses_grid([*first, *more], [], [], NOWHERE)
    assert len(grid.rows) == 33
    assert grid.rows[30:] == [
        ["2 more, each a link", "4-9", "10-13", "", "", "the spare ...", ""],
        ["2 more, each a link", "9", "none", "", "", "there is no other link", ""],
        ["link 35", "1", "50", "", "", "there is no other link", ""],
    ]
    assert grid.notes == ["There is nothing to lose: no links, and no gateways."]
    five = [loss(31, vlans={str(vid): Fallen([["b"]]) for vid in (10, 20, 30, 40, 50)})] * 2
    assert losses_grid([*first, *five], [], [], NOWHERE).rows[30][2] == "5 VLANs"
