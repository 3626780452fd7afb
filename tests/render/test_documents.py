"""Reports, pages, drawings and stories of frames: what stands in them, and what is left out."""

from __future__ import annotations

import re
from html import unescape
from typing import Any

import pytest

from inkov.campus import Origin
from inkov.checks import Audit
from inkov.checks.catalogue import Affected
from inkov.drawing import Drawing, Tone
from inkov.drawing.shapes import Line
from inkov.forwarding.follow import Event, Step, Story
from inkov.forwarding.reach import Sending
from inkov.forwarding.stations import Heard
from inkov.levels import Layer, Level, Outcome
from inkov.plan.schema import Acceptance
from inkov.readers import Locator
from inkov.render.exchange import location
from inkov.render.follow import hears_grid, hears_json, step_json, story_grid, story_json
from inkov.render.grid import Column, Grid
from inkov.render.page import table_of
from inkov.render.report import Excerpt, FileOf, Report, to_report
from inkov.render.svg import to_svg
from inkov.wiring import End
from tests.render.test_findings import finding, place
from tests.render.test_verdicts import WAY, blame, verdict

NOWHERE = Locator({})


# --- the report -----------------------------------------------------------------------------------


def report(**more: Any) -> Report:
    own: dict[str, Any] = {
        "title": "Beds & ponds",
        "made": "Made today.",
        "overview": [("core", "c<1>")],
        "drawing": "<svg/>",
        "audit": Audit(),
        "switches": 2,
        "verdicts": [],
        "sources": "",
        "certificate": "",
        "tables": [],
        "files": [],
    } | more
    return Report(**own)


def excerpt(origin: Origin) -> Excerpt | None:
    if origin.file == "plan.sheet":
        return None
    lines = [(origin.line + by, f"line {origin.line + by}") for by in (-1, 0, 1)]
    return Excerpt(lines, origin.line)


def page(own: Report) -> str:
    return to_report(own, excerpt, NOWHERE)


def section(own: Report, name: str) -> list[str]:
    """The lines of a section as a reader sees them."""
    [inner] = re.findall(rf'<section id="{name}"[^>]*>\n(.*?)</section>', page(own), re.DOTALL)
    text = unescape(re.sub(r"<[^>]*>", "", inner))
    return [line.rstrip() for line in text.split("\n") if line.strip()]


def parts(own: Report) -> list[str]:
    return re.findall(r'<section id="([^"]*)"', page(own))


def test_the_parts_of_a_report() -> None:
    tables = [("VLANs", [Grid([Column("VLAN")])]), ("Ports", [Grid([Column("Port")])])]
    whole = ["overview", "drawing", "findings", "claims", "table-0", "table-1", "files"]
    assert parts(report(tables=tables)) == whole
    assert parts(report(drawing="")) == ["overview", "findings", "claims", "files"]
    assert parts(report(tables=tables, only_claims=True)) == ["claims", "files"]
    text = page(report(tables=tables))
    assert "<h1>Beds &amp; ponds</h1>" in text and "<dd>c&lt;1&gt;</dd>" in text
    assert '<section id="table-0" class="wide">' in text and '<section id="claims">' in text
    assert re.findall(r'<a href="#([^"]*)">', text) == whole


def test_findings_in_a_report() -> None:
    told = finding(
        1,
        where=tuple(place("a", "1", line) for line in (4, 4, 9, 12)),
        consequences=("VLAN 30 too",),
        assumes=tuple(f"link {n}" for n in range(8)),
        affects=Affected(2, ("lamp",)),
    )
    own = report(
        audit=Audit([told], [(finding(2), Acceptance("x", "for now"))]), unread=["one is not read"]
    )
    assert section(own, "findings") == [
        "Findings",
        "1 fault on 2 switches. 1 accepted by the plan.",
        "one is not read.",
        "FAULTsays 1",
        "allowed-differs, touches 2 host ports (lamp)",
        "Cure: list it",
        "So also: VLAN 30 too",
        *(f"Rests on: link {n}" for n in range(6)),
        *("a.sheet:4", "    3  line 3", "    4  line 4", "    5  line 5"),
        *("a.sheet:9", "    8  line 8", "    9  line 9", "   10  line 10"),
        "and 1 more place",
        *("Accepted by the plan", "says 2: for now"),
    ]
    assert "<b>    4  line 4</b>" in page(own) and "<b>    3" not in page(own)
    bare = finding(3, where=(place("", None, 2), place("a", "1", 4), place("b", "1", 4)))
    lines = section(report(audit=Audit([bare])), "findings")
    assert [line for line in lines if ".sheet" in line] == ["a.sheet:4", "b.sheet:4"]
    assert "more place" not in " ".join(lines) and "touches" not in " ".join(lines)


def test_claims_in_a_report() -> None:
    broken = verdict(
        1,
        Outcome.BROKEN,
        witness=[*WAY, Step("a", "3", Event.STOPS, None, False, "no", Origin())],
        blame=[blame("up-8", 9, alone=True)],
        assumes=["shared", "own"],
    )
    packets = {"layer": Layer.PACKETS, "level": Level.HOSTILE}
    holds = verdict(2, Outcome.HOLDS, assumes=["shared"], **packets)
    own = report(verdicts=[broken, holds], certificate="abc", sources="Two sources.")
    told = section(own, "claims")
    assert told[:11] == [
        *("Claims", "2 claims: 1 holds, 1 broken, 0 undecided.", "Two sources."),
        *("BROKENclaim 1", "This does not hold; about frames, for hosts that keep the rules"),
        "as it is",
        "a:1  sent  VLAN 10  since 4  (a.sheet:4)",
        "a:up-8  leaves  VLAN 10 tagged  since 9  (a.sheet:9)",
        "a:2  stops    since 6  (a.sheet:6)",
        "a:3  stops    no",
        "To blame: a:up-8 (a.sheet:9): native here",
    ]
    assert told[11:18] == [
        *("It takes for granted:", "own"),
        *("HOLDSclaim 2", "This holds; about frames and what routers pass on, whatever hosts send"),
        *("as it is", "What all of it takes for granted", "shared"),
    ]
    assert told[18] == "How to check this" and "SHA-256 abc. " in told[19]
    assert section(report(), "claims") == ["Claims", "The plan makes no claims."]
    short = section(report(verdicts=[verdict(3, Outcome.UNDECIDED)]), "claims")
    assert short[2:] == [
        "UNDECIDEDclaim 3",
        "This could not be decided; about frames, for hosts that keep the rules",
        "as it is",
    ]


@pytest.mark.parametrize(("rows", "filtered"), [(11, False), (12, True)])
def test_long_tables_can_be_filtered(rows: int, filtered: bool) -> None:
    grid = Grid([Column("Port")])
    for number in range(rows):
        grid.add(str(number))
    assert ('<table class="long">' in page(report(tables=[("Ports", [grid])]))) is filtered


def test_the_files_of_a_report() -> None:
    own = report(files=[FileOf("a<b>.txt", "switch sheet", "2026-11-02", "0123")])
    assert section(own, "files")[1:] == [
        *("FileWhat it isChangedSHA-256", "a<b>.txtswitch sheet2026-11-020123")
    ]


def test_a_table_as_markup() -> None:
    grid = Grid([Column("Bed"), Column("Plants", right=True)])
    grid.add("a,b", "<12>", marked=(1,))
    grid.add("c", "7")
    grid.notes.append("a & b")
    assert "".join(table_of(grid, "long")) == (
        '<table class="long">\n<thead><tr><th>Bed</th><th class="right">Plants</th></tr></thead>\n'
        '<tbody>\n<tr><td>a,<wbr>b</td><td class="right marked">&lt;12&gt;</td></tr>\n'
        '<tr><td>c</td><td class="right">7</td></tr>\n</tbody>\n</table>\n'
        '<p class="soft">a &amp; b</p>\n'
    )
    assert "".join(table_of(grid)).startswith("<table>\n")


@pytest.mark.parametrize(
    ("file", "uri"),
    [
        ("./a b.sheet", "a%20b.sheet"),
        ("x/a.sheet", "x/a.sheet"),
        ("/x/a.sheet", "file:///x/a.sheet"),
        ("x\\a.sheet", "x/a.sheet"),
    ],
)
def test_a_place_for_other_systems(file: str, uri: str) -> None:
    told = location(Origin(file, 7), NOWHERE, "a:1")
    assert told == {
        "physicalLocation": {"artifactLocation": {"uri": uri}, "region": {"startLine": 7}},
        "logicalLocations": [{"fullyQualifiedName": "a:1", "kind": "member"}],
    }
    assert location(Origin(file), NOWHERE, "") == {
        "physicalLocation": {"artifactLocation": {"uri": uri}}
    }
    assert location(Origin(), NOWHERE, "") == {}


def test_dashes_stand_in_the_drawing() -> None:
    drawing = Drawing("t", 100, 50)
    drawing.lines += [Line(((0, 0), (10, 5.25)), Tone.UP), Line(((0, 0), (1, 1)), Tone.SHUT, "s<")]
    up, shut = re.findall(r"<polyline[^\n]*", to_svg(drawing))
    assert 'points="0,0 10,5.2"' in up and "dasharray" not in up and "<title>" not in up
    assert 'stroke-dasharray="1.5 3"' in shut and "<title>s&lt;</title>" in shut
    assert to_svg(drawing).startswith("<?xml") and 'width="100" height="50"' in to_svg(drawing)
    within = to_svg(drawing, document=False)
    assert within.startswith("<svg") and 'viewBox="0 0 100 50" role' in within


# --- stories of frames ----------------------------------------------------------------------------


def heard(port: str, vlan: int = 10, *, tagged: bool = False, certain: bool = True) -> Heard:
    return Heard("b", port, vlan, tagged, certain)


def test_who_hears() -> None:
    ports = [heard("1"), heard("2"), heard("3"), heard("9", tagged=True), heard("9", certain=False)]
    sendings = [Sending(0, 1 << 10, 0)]
    value = hears_json(End("a", "1"), sendings, Level.HONEST, ports)
    assert value["from"] == {"switch": "a", "port": "1", "vlan": 10} and value["sent_in"] == "10"
    assert value["heard"][0] == {"switch": "b", "port": "1", "vlan": 10, "tagged": False}
    assert [one.get("certain") for one in value["heard"]] == [None, None, None, None, False]
    grid = hears_grid("a:1", value, [], brief=False)
    assert [row[:4] for row in grid.rows] == [
        *(["b", port, "10", "no"] for port in "123"),
        *(["b", "9", "10", "yes"], ["b", "9", "10", "no"]),
    ]
    assert grid.rows[4][4].startswith("not settled: ") and grid.rows[0][4] == ""
    assert grid.notes == ["Sent at a:1 in VLAN 10, honest: heard at 4 host ports"]
    brief = hears_grid("a:1", value, [f"link {n}" for n in range(7)], brief=True)
    assert [row[:2] for row in brief.rows] == [["b", "1..3"], ["b", "9"], ["b", "9"]]
    assert brief.notes[1:] == [
        *(f"Rests on: link {n}" for n in range(6)),
        "... and 1 more; --format json lists them",
    ]
    six = hears_grid("a:1", value, [f"link {n}" for n in range(6)])
    assert len(six.notes) == 7
    several = hears_json(End("a", "1"), [Sending(0, 3 << 10, 0)], Level.HOSTILE, [heard("1")])
    assert several["from"]["vlan"] is None and several["sent_in"] == "10-11"
    [note] = hears_grid("a:1", several, []).notes
    assert note == "Sent at a:1 in VLAN 10-11, hostile: heard at 1 host port"


@pytest.mark.parametrize(("line", "at"), [(7, "a.sheet:7"), (None, "a.sheet")])
def test_why_nobody_hears(line: int | None, at: str) -> None:
    value = {"heard": [], "because": "it is shut", "origin": {"file": "a.sheet", "line": line}}
    assert hears_grid("a:1", value, []).notes == [f"Nobody hears it: it is shut ({at})"]


def test_a_story_in_a_table() -> None:
    arrives = story_grid("lamp", "mist", Story(True, WAY), ["a link"], NOWHERE)
    assert arrives.rows == [
        ["a", "1", "sent", "10", "untagged", "since 4", "a.sheet:4"],
        ["a", "up-8", "leaves", "10", "tagged", "since 9", "a.sheet:9"],
        ["a", "2", "stops", "-", "", "since 6", "a.sheet:6"],
    ]
    assert arrives.marks == {(2, 2)}
    assert arrives.notes == ["A frame from lamp arrives at mist.", "Rests on: a link"]
    for simple in (False, None):
        notes = story_grid("lamp", "mist", Story(True, WAY, simple), [], NOWHERE).notes
        assert notes[1].startswith("Not settled: ")
    lost = Story(False, WAY, instead={20: 1, 30: 2})
    assert story_grid("lamp", "mist", lost, [], NOWHERE).notes == [
        "A frame from lamp does not arrive at mist: heard instead by 3 host ports, in VLAN 20,30."
    ]
    one = story_grid("lamp", "mist", Story(False, WAY, instead={20: 1}), [], NOWHERE).notes[0]
    assert one.endswith("heard instead by 1 host port, in VLAN 20.")
    none = story_json("lamp", "mist", Story(False, WAY), ["x"], NOWHERE)
    assert none["instead"] == "no host port hears it" and none["assumes"] == ["x"]
    assert "certain" not in none and "instead" not in story_json(
        "a", "b", Story(True, []), [], NOWHERE
    )
    assert story_json("a", "b", Story(True, [], None), [], NOWHERE)["certain"] is False
    assert step_json(WAY[1], NOWHERE) == {
        "switch": "a",
        "port": "up-8",
        "event": "leaves",
        "vlan": 10,
        "tagged": True,
        "because": "since 9",
        "origin": {"file": "a.sheet", "line": 9},
    }
