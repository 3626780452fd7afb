"""What stands together in a drawing, in what tones, and with which words."""

from __future__ import annotations

import itertools
from collections.abc import Mapping
from typing import Any

import pytest
from msgspec.structs import replace

from inkov.campus import Origin
from inkov.drawing.changes import link_changes
from inkov.drawing.front import FrontVlan, draw_front
from inkov.drawing.panels import panels
from inkov.drawing.pen import Look, Pen, port_in_short
from inkov.drawing.shapes import Drawing, Tone
from inkov.drawing.top import _beside_all
from inkov.drawing.wires import Wire, vlans_in_short
from inkov.survey.ports import PortRow
from inkov.survey.roles import Role, Roles
from inkov.vlanset import VlanSet
from inkov.wiring import End

# --- which switches stand together ----------------------------------------------------------------


def roles(of: Mapping[str, Role], *links: str) -> Roles:
    beside: dict[str, list[str]] = {}
    for link in links:
        one, other = link.split("-")
        beside.setdefault(one, []).append(other)
        beside.setdefault(other, []).append(one)
    return Roles(dict(of), beside=beside)


def listed(own: Roles, *, fold: bool = False) -> list[tuple[list[str], list[tuple[Any, ...]]]]:
    """Each panel as its heads, and its rows as (name, depth, parent)."""
    return [
        (panel.heads, [(row.name, row.depth, row.parent) for row in panel.rows])
        for panel in panels(own, fold=fold)
    ]


def campus() -> Roles:
    """core c; d1 and d2 with a1, a2 (a3 behind a2, a4 behind a3), b1; e1 on the core with e2."""
    of = {
        "c": Role.CORE,
        "d1": Role.DISTRIBUTION,
        "d2": Role.DISTRIBUTION,
        **dict.fromkeys(("a1", "a2", "a3", "a4", "e1", "e2", "x"), Role.ACCESS),
    }
    links = ("c-d1", "c-d2", "d1-a1", "d2-a1", "d1-a2", "a2-a3", "a3-a4", "c-e1", "e1-e2")
    return roles(of, *links)


def test_what_hangs_on_what() -> None:
    """A block below its heads, the chain moved in; on the core what has no head."""
    loose, block = listed(campus())
    assert loose == ([], [("e1", 0, ""), ("e2", 1, "e1"), ("x", 0, "")])
    assert block == (
        ["d1", "d2"],
        [("a1", 0, ""), ("a2", 0, ""), ("a3", 1, "a2"), ("a4", 2, "a3")],
    )


def test_what_no_link_leads_to_stands_last() -> None:
    of = dict.fromkeys(("p1", "p2", "p3"), Role.ACCESS)
    assert listed(roles(of, "p2-p3")) == [([], [("p1", 0, ""), ("p2", 0, ""), ("p3", 1, "p2")])]


@pytest.mark.parametrize(
    ("heads", "access", "says"),
    [
        (1, 3, ["d0", "+ 3 access"]),
        (2, 3, ["d0, d1", "+ 3 access"]),
        (3, 2, ["d0, d1 and 1 more", "+ 2 access"]),
        (0, 3, ["a0", "+ 2 more"]),
    ],
)
def test_a_block_in_one_row(heads: int, access: int, says: list[str]) -> None:
    of = {f"d{n}": Role.DISTRIBUTION for n in range(heads)}
    of |= {f"a{n}": Role.ACCESS for n in range(access)}
    names = [*of]
    own = roles(of, *(f"{one}-{other}" for one, other in itertools.pairwise(names)))
    [panel] = panels(own, fold=True)
    [row] = panel.rows
    assert row.says == says and sorted(row.folded) == sorted(names) and panel.heads == []
    assert all(not row.folded for panel in panels(own, fold=False) for row in panel.rows)


def test_from_how_many_switches_on_blocks_are_folded() -> None:
    for number, folded in ((130, False), (131, True)):
        of = {f"a{n}": Role.ACCESS for n in range(number)}
        own = roles(of, "a0-a1")
        rows = [row for panel in panels(own) for row in panel.rows]
        assert any(row.folded for row in rows) is folded, number


def test_a_long_list_stands_in_parts() -> None:
    """48 on the core: lists of twelve, as long as three times the square root asks; a part ends
    where nothing hangs on its last row.
    """
    of = {"c": Role.CORE} | {f"a{n:02}": Role.ACCESS for n in range(48)}
    own = roles(of, *(f"c-a{n:02}" for n in range(48)))
    assert [len(rows) for _, rows in listed(own)] == [12, 12, 12, 12]
    chain = [*(f"c-a{n:02}" for n in range(48) if n != 12), "a11-a12"]
    assert next(len(rows) for _, rows in listed(roles(of, *chain))) == 13
    few = {"c": Role.CORE} | {f"a{n}": Role.ACCESS for n in range(4)}
    assert [len(rows) for _, rows in listed(roles(few, *(f"c-a{n}" for n in range(4))))] == [4]


# --- how links are drawn --------------------------------------------------------------------------


def wire(**more: Any) -> Wire:
    own: dict[str, Any] = {
        "number": 1,
        "a": End("a", "1"),
        "b": End("b", "2"),
        "up": True,
        "cables": 1,
        "crossing": VlanSet.of(10, 20),
    } | more
    return Wire(**own)


SHUT, PLAIN, BUNDLE = wire(up=False), wire(), wire(cables=2)
WRONG, BLOCKED = wire(wrong=["one side only", "x"]), wire(blocked=VlanSet.of(10))
ALL = wire(blocked=VlanSet.of(10, 20))
NONE = wire(crossing=VlanSet())


@pytest.mark.parametrize(
    ("look", "own", "tone", "said"),
    [
        (Look(), PLAIN, Tone.UP, ["10,20"]),
        (Look(), NONE, Tone.UP, ["no VLAN"]),
        (Look(), BUNDLE, Tone.BUNDLE, ["10,20 ×2"]),
        (Look(), SHUT, Tone.SHUT, ["shut"]),
        (Look(), WRONG, Tone.WRONG, ["10,20", "! one side only"]),
        (Look(), BLOCKED, Tone.DISCARDS, ["10,20", "discards 10"]),
        (Look(), ALL, Tone.DISCARDS, ["10,20", "discards"]),
        (Look(vlan=10), PLAIN, Tone.MARKED, ["VLAN 10"]),
        (Look(vlan=30), PLAIN, Tone.FAINT, []),
        (Look(vlan=10), SHUT, Tone.FAINT, ["shut"]),
        (Look(vlan=10), BLOCKED, Tone.DISCARDS, ["VLAN 10 discards"]),
        (Look(vlan=20), BLOCKED, Tone.MARKED, ["VLAN 20"]),
        (Look(way={1: 3}), PLAIN, Tone.MARKED, ["(3) 10,20"]),
        (Look(way={2: 1}), PLAIN, Tone.FAINT, []),
        (Look(changes={1: "+30"}), PLAIN, Tone.MARKED, ["+30"]),
        (Look(changes={1: "gone"}), SHUT, Tone.SHUT, ["gone"]),
        (Look(changes={}), PLAIN, Tone.FAINT, []),
    ],
)
def test_how_a_link_is_drawn(look: Look, own: Wire, tone: Tone, said: list[str]) -> None:
    pen = Pen(look)
    assert pen.tone(own) is tone
    assert [text for text, _ in pen.said(own)] == said
    assert pen.in_one(own) == ", ".join(said)
    marks = look.vlan is not None or look.way or look.changes is not None
    assert look.marks is bool(marks)


@pytest.mark.parametrize(
    ("several", "tone"),
    [
        ([PLAIN, BUNDLE, SHUT, BLOCKED, WRONG], Tone.WRONG),
        ([PLAIN, BUNDLE, SHUT, BLOCKED], Tone.DISCARDS),
        ([PLAIN, BUNDLE, SHUT], Tone.SHUT),
        ([PLAIN, BUNDLE], Tone.BUNDLE),
        ([PLAIN], Tone.UP),
        ([], Tone.FAINT),
    ],
)
def test_several_links_are_drawn_as_the_worst(several: list[Wire], tone: Tone) -> None:
    assert Pen(Look()).tone_of_many(several) is tone


def texts(drawing: Drawing) -> list[str]:
    return [label.text for label in drawing.labels]


def test_what_is_said_beside_a_link() -> None:
    pen = Pen(Look())
    pen.beside(WRONG, "a", 0, 0)
    pen.beside(PLAIN, "b", 0, 0)
    assert texts(pen.drawing) == ["1 – 2: 10,20, ! one side only", "2 – 1: 10,20"]
    assert [label.tone for label in pen.drawing.labels] == [Tone.WRONG, Tone.SMALL]
    pen = Pen(Look())
    pen.along(WRONG, "b", 5, 100)
    assert texts(pen.drawing) == ["2", "10,20", "! one side only", "1"]
    assert [label.y for label in pen.drawing.labels] == [100, 88, 76, 64]
    pen = Pen(Look(way={9: 1}))
    pen.beside(WRONG, "a", 0, 0)
    assert texts(pen.drawing) == ["1 – 2"] and pen.drawing.labels[0].tone is Tone.SMALL


def test_a_legend_tells_what_occurs() -> None:
    pen = Pen(Look(says=["A sentence."], rests=["a link"], signs={Tone.SHUT: "gone"}))
    pen.drawing.width = 400
    pen.link([(0, 0), (1, 1)], SHUT)
    pen.link([(0, 0), (1, 1)], BLOCKED)
    lines = len(pen.drawing.lines)
    pen.legend(100)
    assert texts(pen.drawing) == [
        *("the spanning tree discards", "gone", "A sentence.", "Rests on: a link")
    ]
    assert len(pen.drawing.lines) - lines == 2 and pen.drawing.boxes == []
    assert pen.drawing.labels[2].y == 116 and pen.drawing.height == 132 + 24


@pytest.mark.parametrize(
    ("name", "short"), [("0123456789", "0123456789"), ("bed-0123456789", "…123456789")]
)
def test_a_port_in_short(name: str, short: str) -> None:
    assert port_in_short(name) == short and len(port_in_short(name)) <= 10


def test_vlans_in_short() -> None:
    assert vlans_in_short(VlanSet.of(10, 11, 12, 20)) == "10–12,20"
    assert vlans_in_short(VlanSet.of(10, 50, 200, 300, 400)) == "10,50,200,300,400"  # 17 characters
    assert vlans_in_short(VlanSet.of(100, 200, 300, 400, 50)).endswith(",… (5)")
    many = VlanSet.from_vids(range(100, 160, 2))
    head, count = vlans_in_short(many).split(",… ")
    assert count == "(30)" and set(head.split(",")) <= {str(vid) for vid in many} and head


# --- what a change does to links ------------------------------------------------------------------


@pytest.mark.parametrize(
    ("was", "now", "says"),
    [
        (PLAIN, PLAIN, None),
        (PLAIN, wire(number=7), None),
        (PLAIN, wire(a=End("b", "2"), b=End("a", "1")), None),
        (None, PLAIN, "new: 10,20"),
        (None, NONE, "new: no VLAN"),
        (PLAIN, None, "gone: 10,20"),
        (NONE, None, "gone"),
        (PLAIN, SHUT, "shut now"),
        (SHUT, PLAIN, "up now: 10,20"),
        (PLAIN, wire(crossing=VlanSet.of(10, 30)), "+30 -20"),
        (PLAIN, wire(crossing=VlanSet.of(10)), "-20"),
        (PLAIN, BUNDLE, "2 cables, not 1"),
        (BUNDLE, PLAIN, "1 cable, not 2"),
        (PLAIN, wire(cables=2, crossing=VlanSet.of(10)), "-20 2 cables, not 1"),
        (PLAIN, WRONG, "! one side only"),
        (WRONG, PLAIN, "no more: one side only"),
        (WRONG, wire(wrong=["y"], crossing=VlanSet.of(10)), "-20"),
    ],
)
def test_what_a_change_does_to_a_link(was: Wire | None, now: Wire | None, says: str | None) -> None:
    other = wire(number=4, a=End("c", "1"))
    drawn, changes = link_changes(
        [other, *([was] if was else [])], [other, *([now] if now else [])]
    )
    number = now.number if now is not None else 5
    assert changes == ({number: says} if says is not None else {})
    assert len(drawn) == 2 and len({one.number for one in drawn}) == 2
    if now is None:
        assert was is not None
        assert drawn[1] == replace(was, number=5, up=False, wrong=[])


# --- the front of a switch ------------------------------------------------------------------------


def port(name: str, **more: Any) -> PortRow:
    own: dict[str, Any] = {
        "state": "on",
        "mode": "access",
        "arrives": 10,
        "untagged": "10",
        "tagged": "none",
        "behind": "",
        "about": "",
        "origin": Origin(),
    } | more
    return PortRow(switch="a", port=name, **own)


TRUNK = {"mode": "trunk", "untagged": "none", "tagged": "10,20"}


@pytest.mark.parametrize(
    ("own", "tone", "lines"),
    [
        (port("1"), Tone.ACCESS, ["1", "access", "VLAN 10", "", "", ""]),
        (port("1", untagged="none"), Tone.ACCESS, ["1", "access", "no VLAN", "", "", ""]),
        (port("1", **TRUNK), Tone.DISTRIBUTION, ["1", "trunk", "", "T 10,20", "", ""]),
        (
            port("1", **{**TRUNK, "untagged": "30"}, behind="b:2"),
            *(Tone.CORE, ["1", "trunk", "U 30", "T 10,20", "b:2", ""]),
        ),
        (
            port("1", state="off", about="the pond"),
            Tone.PORT_OFF,
            ["1", "off", "", "", "the pond", ""],
        ),
        (port("1", mode="routed"), Tone.ROUTER, ["1", "routed", "", "", "", ""]),
        (port("7", about="x"), Tone.ACCESS, ["7", "access", "VLAN 10", "", "lamp", ""]),
        (
            port("2", **TRUNK, behind="b:2"),
            *(Tone.CORE, ["2", "trunk", "", "T 10,20", "b:2", "! one side only"]),
        ),
    ],
)
def test_a_port_on_the_front(own: PortRow, tone: Tone, lines: list[str]) -> None:
    wired = replace(WRONG, a=End("a", "2"), b=End("b", "2"))
    drawing = draw_front("t", [own], [wired], {"7": "lamp"}, [])
    tile, sign = drawing.boxes
    assert tile.tone is sign.tone is tone
    assert texts(drawing)[1:7] == lines
    assert [label.tone for label in drawing.labels[1:7] if label.text.startswith("!")] == [
        Tone.WRONG
    ] * (own.port == "2")
    assert tile.title.startswith(f"a:{own.port}: {own.state}, {own.mode}; untagged {own.untagged}")
    assert ("one side only; x" in tile.title) is (own.port == "2")
    assert ("; lamp; x" in tile.title) is (own.port == "7")


def test_the_front_in_rows() -> None:
    """Members stand apart below their heading; ports from left to right, then the next row."""
    rows = [port(str(number)) for number in range(1, 40)]
    rows += [port(str(number), mode="in pond") for number in range(40, 42)]
    drawing = draw_front("front of a", rows, [], {}, [])
    tiles = drawing.boxes[:41]
    across = len({box.x for box in tiles})
    assert [(box.x, box.y) for box in tiles[:39]] == [
        (tiles[n % across].x, tiles[n - n % across].y) for n in range(39)
    ]
    assert len({box.y for box in tiles[:39]}) == -(-39 // across)
    [head] = [label for label in drawing.labels if label.text == "Members of bundles"]
    assert max(box.y + box.height for box in tiles[:39]) < head.y < tiles[39].y == tiles[40].y
    assert texts(drawing)[0] == "front of a" and drawing.width > tiles[across - 1].x
    assert "Members of bundles" not in texts(draw_front("t", rows[:3], [], {}, []))


def test_one_vlan_on_the_front() -> None:
    rows = [port("1"), port("2", untagged="20"), port("3", **TRUNK)]
    vlans = [
        FrontVlan(10, "ferns", ["1"], ["3"], "gateway 10.0.10.1"),
        FrontVlan(20, "beds", ["2"], []),
    ]
    whole = texts(draw_front("t", rows, [], {}, vlans))
    assert whole[-6:] == [
        *("10", "ferns", "untagged at 1; tagged at 3; gateway 10.0.10.1"),
        *("20", "beds", "untagged at 2"),
    ]
    drawing = draw_front("t", rows, [], {}, vlans, 20)
    assert [box.tone for box in drawing.boxes[:3]] == [Tone.FAINT, Tone.ACCESS, Tone.DISTRIBUTION]
    assert texts(drawing)[-3:] == ["20", "beds", "untagged at 2"]
    heads = [label.tone for label in drawing.labels if label.text in ("1", "2", "3")]
    assert heads == [Tone.SMALL, Tone.TEXT, Tone.TEXT]


def test_a_line_goes_down_beside_others() -> None:
    assert _beside_all(100, []) == _beside_all(100, [97, 103]) == 100
    assert _beside_all(100, [101, 108, 300]) == 93
