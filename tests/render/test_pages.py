"""The overview, trees, answers to tickets and checks of dialects, line by line."""

from __future__ import annotations

from typing import Any

import pytest

from inkov.campus import Origin, TreeMode, TreeRole, TreeState
from inkov.checks import Audit
from inkov.edits import Edit, Kind
from inkov.forwarding.sources import Agreement
from inkov.forwarding.trees.spanning import Remark
from inkov.mend.apart import Apart
from inkov.mend.why import Cause, Fine, Why
from inkov.readers import FileReport, Locator
from inkov.readers.dialects.sanity import Doubt
from inkov.readers.revision import Changed
from inkov.render.evidence import evidence_result
from inkov.render.overview import overview_lines, overview_result
from inkov.render.results import written
from inkov.render.terminal import Screen
from inkov.render.trees import branches_grid, tree_ports_grid, trees_grid
from inkov.render.why import why_result
from inkov.survey.evidence import Evidence, EvidenceRow
from inkov.survey.overview import BlockRow, InRole, Overview, Redundancy, VlanSummary
from inkov.survey.roles import Role
from inkov.survey.trees import Branch, SeenRoot, TreePortRow, TreeRow
from inkov.vlanset import VlanSet
from tests.render.test_findings import finding

FILE, NOWHERE = Screen(None, colour=False), Locator({})
AT = Origin("a.sheet", 7)


# --- the overview ---------------------------------------------------------------------------------


def seen(**more: Any) -> Overview:
    own: dict[str, Any] = {
        "devices": 1,
        "host_ports": 1,
        "roles": [],
        "blocks": [],
        "vlans": [],
        "redundancy": Redundancy(),
        "empty": VlanSet(),
        "split": VlanSet(),
        "outside": [],
        "alone": [],
        "second": [],
    } | more
    return Overview(**own)


def lines(page: Overview, title: str, audit: Audit | None = None, unread: Any = ()) -> list[str]:
    """What stands under a title."""
    under, told = "", []
    for what, says in overview_lines(page, audit or Audit(), unread):
        under = what or under
        told += [says] if under == title else []
    return told


def vlan(vid: int, ports: int, *gateways: str, **more: Any) -> VlanSummary:
    own: dict[str, Any] = {"name": "", "switches": 1, "islands": 1} | more
    return VlanSummary(vlan=vid, ports=ports, gateways=list(gateways), **own)


def test_the_head_of_an_overview() -> None:
    def head(page: Overview) -> str:
        return written(overview_result(page, Audit(), [], NOWHERE), "table", FILE).split("\n")[0]

    assert head(seen()) == "1 switch, 0 VLANs, 1 host port"
    gate = InRole(Role.ROUTER, ["gate-1"], {}, 0)
    page = seen(devices=4, host_ports=30, roles=[gate], vlans=[vlan(10, 1)])
    assert head(page) == "3 switches, 1 router, 1 VLAN, 30 host ports"
    told = written(overview_result(page, Audit(), ["x|y"], NOWHERE), "markdown", FILE).splitlines()
    assert told[0] == "**3 switches, 1 router, 1 VLAN, 30 host ports**"
    assert "- **routers**: gate-1" in told and "- **odd**: x\\|y" in told


def test_roles_and_who_routes() -> None:
    core = InRole(Role.CORE, ["c1", "c2"], {"c1": VlanSet.of(10, 20), "c2": VlanSet.of(10, 20)}, 1)
    leaf = InRole(Role.ACCESS, ["a1", "a2", "a3"], {"a1": VlanSet.of(9)}, 40)
    page = seen(roles=[core, leaf])
    assert lines(page, "core") == ["2: c1, c2, 1 host port"]
    assert lines(page, "access") == ["3: a1..3, 40 host ports"]
    assert lines(page, "routed") == ["c1, c2: VLAN 10,20"]  # one VLAN alone is its management
    many = {f"c{n}": VlanSet.of(n, n + 100) for n in range(1, 9)}
    told = lines(seen(roles=[InRole(Role.CORE, [*many], many, 0)]), "routed")
    assert told[5:] == ["c6: VLAN 6,106", "and 2 more"]
    long = VlanSet.from_vids(range(100, 160, 2))
    [told_long] = lines(seen(roles=[InRole(Role.CORE, ["c"], {"c": long}, 0)]), "routed")
    assert told_long == f"c: VLAN {','.join(map(str, range(100, 120, 2)))},... (30 VLANs)"


def block(heads: int, access: int, vlans: int, ports: int = 1) -> BlockRow:
    own = VlanSet.from_vids(range(10, 10 + vlans))
    names = [f"h{n}" for n in range(heads)], [f"a{n}" for n in range(access)]
    return BlockRow(*names, own, ports)


def test_blocks() -> None:
    two = [block(1, 2, 1, 5), block(0, 2, 3), block(0, 1, 1)]
    assert lines(seen(blocks=two), "blocks") == [
        "h0 with a0, a1: VLAN 10, 5 host ports",
        "a0, a1: VLAN 10-12, 1 host port",
        "a0: by itself",
    ]
    single = [BlockRow(["x"], [], VlanSet(), 0), BlockRow([], ["y"], VlanSet(), 0)]
    assert lines(seen(blocks=single), "blocks") == ["x, y: each by itself"]
    shapes = [*[block(2, 5, 4)] * 6, *[block(1, 5, 7)] * 3, block(0, 9, 5)]
    assert lines(seen(blocks=shapes), "blocks") == [
        "6 blocks of 5 access switches, each behind 2 switches",
        "3 blocks of 5 access switches, each behind 1 switch",
        "1 block of 9 access switches",
        "4 to 7 VLANs in a block",
    ]
    assert lines(seen(blocks=[block(1, 3, 4)] * 9), "blocks")[-1] == "4 VLANs in a block"
    assert len(lines(seen(blocks=[block(1, 3, 4)] * 8), "blocks")) == 8


def test_vlans_with_most_ports_come_first() -> None:
    own = [
        vlan(10, 1, "c1", name="ferns"),
        vlan(20, 5, "bed", "fog", "yew", switches=3, islands=2),
        vlan(30, 0),
        vlan(40, 0, "c1"),
    ]
    assert lines(seen(vlans=own), "VLANs") == [
        "20: 5 ports on 3 switches, gateway bed, fog and 1 more, in 2 parts",
        "10 ferns: 1 port on 1 switch, gateway c1",
        "40: 0 ports on 1 switch, gateway c1",
    ]
    ten = [vlan(vid, 2) for vid in range(10, 20)]
    assert len(lines(seen(vlans=ten), "VLANs")) == 10
    told = lines(seen(vlans=[*ten, vlan(9, 1)]), "VLANs")
    assert told[0] == "10: 2 ports on 1 switch, no gateway"
    assert told[10:] == ["and 1 more in use; `inkov vlans` lists them"]


@pytest.mark.parametrize(
    ("own", "told"),
    [
        (Redundancy(), ["no links between switches are known"]),
        (Redundancy(1), ["each of 1 link has a spare"]),
        (
            Redundancy(3, 0, [], "c1", 1),
            [
                "each of 3 links has a spare",
                "without c1, 1 switch is cut off",
            ],
        ),
        (Redundancy(3, 1, ["a1"]), ["1 of 3 links without a spare; a1 hangs on one"]),
        (
            Redundancy(3, 2, ["a1", "b2"], "c1", 2),
            [
                "2 of 3 links without a spare; a1, b2 hang on one",
                "without c1, 2 switches are cut off",
            ],
        ),
    ],
)
def test_redundancy(own: Redundancy, told: list[str]) -> None:
    assert lines(seen(redundancy=own), "redundancy") == told


def test_what_is_odd() -> None:
    page = seen(
        devices=3,
        split=VlanSet.of(10),
        empty=VlanSet.of(30, 31),
        outside=["x1"],
        alone=["b"],
        second=["c"],
    )
    assert lines(page, "odd", unread=["one file is not read"]) == [
        "VLAN 10 is in parts that do not reach each other",
        "VLAN 30-31: defined, and nobody is in",
        "x1 is seen by neighbours, and not among the files",
        "b: no link to others is known",
        "c: described by two sources",
        "one file is not read",
    ]
    page = seen(split=VlanSet.of(10, 20), outside=["x1", "y"], alone=["b"])
    assert lines(page, "odd") == [
        "VLAN 10,20 are in parts that do not reach each other",
        "x1, y are seen by neighbours, and not among the files",
    ]


def test_the_worst_findings_of_an_overview() -> None:
    few = Audit([finding(number) for number in range(5)])
    told = lines(seen(devices=2), "findings", few)
    assert told == ["5 faults on 2 switches", *(f"FAULT: says {n}" for n in range(5))]
    told = lines(seen(), "findings", Audit([finding(number) for number in range(7)]))
    assert told[6:] == ["and 2 more; `inkov audit` tells all"]


# --- trees ----------------------------------------------------------------------------------------


def tree(**more: Any) -> TreeRow:
    own: dict[str, Any] = {
        "vlans": "10,20",
        "mode": TreeMode.RSTP,
        "instance": 0,
        "root": "c1",
        "next": "c2",
        "roots": ["c1"],
        "all_told": True,
        "switches": 3,
        "blocked": 1,
        "sure": True,
        "settled": True,
        "circle": True,
        "ports": [],
        "remarks": [],
    } | more
    return TreeRow(**own)


def in_tree(port: str, **more: Any) -> TreePortRow:
    own: dict[str, Any] = {
        "role": TreeRole.ROOT,
        "state": TreeState.FORWARDING,
        "cost": 20000,
        "designated": "c1",
        "designated_port": "7",
        "because": "it is nearest",
        "origin": AT,
    } | more
    return TreePortRow("a", port, **own)


def test_trees_in_a_table() -> None:
    remarks = [Remark(f"remark {number}", AT) for number in range(3)]
    others = {"root": None, "next": None}
    roots = [
        SeenRoot("a", "02:00:00:00:00:01", "x9", True, AT),
        SeenRoot("b", "02:00:00:00:00:02", None, True, AT),
        SeenRoot("c", "02:00:00:00:00:03", "c1", False, AT),
    ]
    grid = trees_grid(
        [
            tree(),
            tree(instance=2, circle=False, remarks=remarks),
            tree(**others, roots=["c1", "c2", "c3"], seen_roots=roots),
            tree(**others, roots=["c1", "c2"], all_told=False),
            tree(**others, roots=list("abcde")),
            tree(ports=[in_tree("1", seen_role=TreeRole.DESIGNATED)]),
            tree(ports=[in_tree(port, seen_state=TreeState.DISCARDING) for port in "12"]),
        ],
        NOWHERE,
    )
    mode = str(TreeMode.RSTP)
    assert grid.rows[0] == ["10,20", mode, "c1", "c2", "3", "1", ""]
    assert grid.rows[1][1] == f"{mode}, instance 2"
    assert grid.rows[1][6] == "no circles: every port forwards; remark 0; remark 1; and 1 more"
    assert grid.rows[2][2:4] == ["c1, c2 or c3", "not known"]
    assert grid.rows[2][6] == "a sees x9 as root; b sees 02:00:00:00:00:02 as root"
    assert [row[2] for row in grid.rows[3:5]] == ["left to chance", "left to chance"]
    assert [row[6] for row in grid.rows[5:]] == [
        "a port is seen otherwise",
        "2 ports are seen otherwise",
    ]
    assert grid.marks == {(2, 2), (3, 2), (4, 2)} and grid.notes == []
    assert trees_grid([], NOWHERE).notes == ["No spanning tree is there to be shown."]


def test_the_ports_of_a_tree() -> None:
    chance = in_tree("2", role=None, state=None, roles=[TreeRole.ROOT, TreeRole.ALTERNATE])
    plain = tree_ports_grid([tree(ports=[in_tree("1"), chance, in_tree("3", role=None)])], NOWHERE)
    assert "Seen" not in [column.name for column in plain.columns]
    assert [row[1:6] for row in plain.rows] == [
        ["1", "root", "forwarding", "20000", "c1:7"],
        ["2", "root or alternate", "left to chance", "20000", "c1:7"],
        ["3", "left to chance", "forwarding", "20000", "c1:7"],
    ]
    assert plain.rows[0][6:] == ["it is nearest", "a.sheet:7"] and plain.notes == []
    other = in_tree(
        "4", seen_role=TreeRole.ALTERNATE, seen_state=TreeState.DISCARDING, seen_origin=AT
    )
    same = in_tree("5", seen_role=TreeRole.ROOT, seen_origin=AT)
    told = tree_ports_grid([tree(ports=[in_tree("1"), other, same])], NOWHERE)
    assert [row[6] for row in told.rows] == ["", "alternate, discarding", "root"]
    assert told.marks == {(1, 6)}
    [note] = told.notes
    assert note.startswith("a:4 is seen as alternate discarding, and should be root: ")
    assert note.endswith("(a.sheet:7)")


def branch(depth: int, switch: str, above: str = "", **more: Any) -> Branch:
    own: dict[str, Any] = {"own": "up", "cost": depth * 10, "blocked": []} | more
    return Branch(depth=depth, switch=switch, above=above, **own)


def test_a_tree_from_its_root_down() -> None:
    """Four leaves that hang alike are one row, three are three; what has something below it, or a
    blocked port, stands alone.
    """
    rows = [
        branch(0, "c1"),
        branch(1, "d1", "1"),
        *(branch(2, f"a{n}", str(n)) for n in range(1, 5)),
        branch(1, "d2", "2"),
        *(branch(2, f"b{n}", str(n)) for n in range(1, 4)),
        *(branch(2, f"e{n}", str(n), own=f"up{n}", cost=50) for n in range(1, 5)),
        branch(2, "f1", "9", blocked=["7", "8"]),
    ]
    told = branches_grid(rows, "VLAN 10").rows
    assert told == [
        ["c1", "", "up", "0", ""],
        ["· d1", "1", "up", "10", ""],
        ["· · a1 and 3 more", "1 to 4", "up", "20", ""],
        ["· d2", "2", "up", "10", ""],
        *(["· · b" + n, n, "up", "20", ""] for n in "123"),
        ["· · e1 and 3 more", "1 to 4", "several", "50", ""],
        ["· · f1", "9", "up", "20", "7, 8"],
    ]


# --- tickets --------------------------------------------------------------------------------------


def answer(**more: Any) -> Why:
    return Why(**({"works": False, "now": False} | more))


def told_of(own: Why, **asked: Any) -> list[tuple[str, str, str]]:
    result = why_result("lamp", "mist", own, NOWHERE, hops=False, **asked)
    return [(row[0], row[1], row[2]) for row in result.grids()[0].rows]


def in_text(own: Why) -> list[str]:
    return written(why_result("lamp", "mist", own, NOWHERE, hops=False), "table", FILE).splitlines()


def test_a_ticket_with_a_cause() -> None:
    edit = Edit("a", Kind.VLAN, "10", "", None, None)
    one = Cause("the list leaves it out", AT, "allowed-differs", "id1")
    own = answer(
        causes=[one, Cause("no gateway", AT, absent=True)],
        change=[edit],
        ports=[f"s{n % 2}:{n}" for n in range(7)],
        fine=[Fine(f"fine {n}", AT) for n in range(9)],
        rests=["a link", "a mode"],
        otherwise=["or another VLAN"],
    )
    since = [Changed("2026-11-02", "abc123", "tidy up"), Changed("2026-11-03", "", "")]
    told = told_of(own, since=since)
    assert told[:4] == [
        (
            "Causes, each of which is enough to stop it",
            "the list leaves it out [allowed-differs id1]",
            "a.sheet:7",
        ),
        ("", "this line was changed last on 2026-11-02: tidy up (abc123)", ""),
        ("", "no gateway", "a.sheet:7"),
        ("", "its file is changed since the last commit", ""),
    ]
    assert told[4][0] == "Smallest change" and told[4][1].startswith("a VLAN 10: ")
    assert told[5:9] == [
        ("", "or another VLAN", ""),
        ("Then", "they reach each other", ""),
        ("", "it serves 7 host ports on 2 switches: s0:0, s0:2, s0:4, s0:6, s1:1 and 2 more", ""),
        ("", "nobody reaches another segment by it, and nobody is cut off", ""),
    ]
    assert told[9] == ("Looked at, and all right", "fine 0", "a.sheet:7")
    assert told[17:] == [
        ("", "and 1 more", ""),
        ("Rests on", "a link", ""),
        ("", "a mode", ""),
    ]
    assert told_of(answer(causes=[one]))[0][0] == "Cause"
    assert len(told_of(answer(causes=[one]), since=[None])) == 1


def test_a_ticket_without_a_cause() -> None:
    stops = answer(says="it stops there", origin=AT)
    assert told_of(stops) == [
        ("Stops", "it stops there", "a.sheet:7"),
        ("Change", "none is known that cures it", ""),
    ]
    apart = answer(says="it stops", apart=[Apart("the plan says so", AT), Apart("and so", AT)])
    assert told_of(apart) == [
        ("On purpose", "the plan says so", "a.sheet:7"),
        ("", "and so", "a.sheet:7"),
        ("Stops", "it stops", ""),
        ("Change", "none: they are to be apart", ""),
    ]
    found = told_of(answer(says="it stops", found=[finding(1), finding(2)]))
    assert found[2:] == [
        ("Found there", "says 1 [allowed-differs id1]", "a.sheet:4"),
        ("", "cure: list it", ""),
        ("", "says 2 [allowed-differs id2]", "a.sheet:4"),
        ("", "cure: list it", ""),
    ]


def test_what_a_change_does_besides() -> None:
    edit = [Edit("a", Kind.VLAN, "10", "", None, None)]
    cause = [Cause("the list", AT)]
    own = answer(causes=cause, change=edit, ports=["a:1"], opens=["x -> y"], loses=["z"])
    assert told_of(own)[2:] == [
        ("Then", "they reach each other", ""),
        ("", "it opens as well: x -> y", ""),
        ("", "it cuts off: z", ""),
    ]
    own = answer(causes=cause, change=edit, ports=["a:1", "a:2"], undecided="too much")
    assert told_of(own)[3:] == [
        ("", "it serves 2 host ports: a:1, a:2", ""),
        ("", "what else it does is not known: too much", ""),
    ]


def test_a_ticket_as_text() -> None:
    assert in_text(answer(works=True))[0] == "lamp and mist reach each other."
    assert in_text(answer(works=True, now=True))[0] == "lamp and mist reach each other now."
    told = in_text(answer(causes=[Cause("the list", AT)], rests=["a link"]))
    assert (
        told
        == [
            *("lamp and mist do not reach each other.", "", "Cause", "  the list  (a.sheet:7)"),
            *("Rests on", "  a link", ""),
        ][: len(told)]
    )
    value = why_result("lamp", "mist", answer(works=True), NOWHERE, hops=False).value()
    assert value["cause"] is None and value["causes"] == []
    stops = why_result("lamp", "mist", answer(says="it stops"), NOWHERE, hops=False).value()
    assert stops["cause"]["says"] == "it stops" and stops["cause"]["rule"] is None
    own = answer(causes=[Cause("the list", AT, "r", "i")])
    since = [Changed("2026-11-02", "", "")]
    value = why_result("lamp", "mist", own, NOWHERE, hops=False, since=since).value()
    assert value["cause"]["changed"] == {"day": "2026-11-02", "commit": None, "title": None}


# --- checks of dialects ---------------------------------------------------------------------------


def row(port: str | None, vlan: int | None, how: Agreement) -> EvidenceRow:
    return EvidenceRow("a", port, vlan, how, "10", "20", AT, Origin("a.json", 9), ["x", "y"])


def test_what_another_source_says() -> None:
    reports = [FileReport("a.txt", "dialect moss", 9, understood=4, without_meaning=1)]
    same, other = Agreement.AGREES, Agreement.DIFFERS
    rows = [
        *(row(str(n), None, same) for n in range(3)),
        row("7", None, other),
        row("8", None, Agreement.ONLY_FIRST),
        row(None, 10, same),
        row(None, 20, Agreement.ONLY_OTHER),
    ]
    held = Evidence(rows, ["a", "b"], ["c"])
    doubts = [Doubt(AT, "it is odd", "look at it")]
    result = evidence_result(reports, doubts, held, NOWHERE)
    doubtful, against = result.grids()
    assert doubtful.rows == [["a.sheet:7", "it is odd", "look at it"]]
    assert doubtful.notes == ["1 text: lines 4 read, 1 without meaning"]
    assert against.rows == [
        ["a port 7", "10", "20", "a.sheet:7", "a.json:9", "x + y"],
        ["a port 8", "10", "20", "a.sheet:7", "a.json:9", "x + y"],
        ["a VLAN 20", "10", "20", "a.sheet:7", "a.json:9", "x + y"],
    ]
    assert against.notes == [
        "a: 3 of 5 ports agree, 1 otherwise in the text, 1 in the text only; "
        "1 of 2 VLANs agree, 1 not in the text",
        "b: nothing to compare",
        "not in the other source: c",
    ]
    assert result.value()["not_in_other"] == ["c"] and len(result.value()["compared"]) == 7
    alone = evidence_result(
        [*reports, FileReport("b.txt", "x", 9, not_understood=2)], [], None, NOWHERE
    )
    [grid] = alone.grids()
    assert grid.notes == [
        "2 texts: lines 4 read, 1 without meaning, 2 not understood "
        "(inkov dialect unmatched lists these)",
        "nothing else is doubtful",
    ]
    assert "compared" not in alone.value()


@pytest.mark.parametrize(("against", "asked"), [(1, False), (2, True)])
def test_more_that_differs_than_agrees(against: int, asked: bool) -> None:
    rows = [row("1", None, Agreement.AGREES)]
    rows += [row(str(n), None, Agreement.DIFFERS) for n in range(2, 2 + against)]
    notes = evidence_result([], [], Evidence(rows, ["a"], []), NOWHERE).grids()[1].notes
    assert any("is the other source of the same switch" in note for note in notes) is asked
