"""The listings of one small campus, row by row as the files mean it."""

from __future__ import annotations

import csv
import io
import re
from pathlib import Path

import pytest

from tests.conftest import DEMO, Inkov
from tests.render.screens import WORSE, on_screen, styled

A = """\
inkov sheet 1
switch: a
[vlans]
10: ferns
20: beds
30: fog; suspended
40: reed
[port 1..2]
vlan: 10
[port 3]
vlan: 50
[port 4]
state: off
vlan: 20
[port 5]
mode: general
pvid: 20
untagged: 20
tagged: 10
[bundle pond]
members: 6,7
mode: trunk
allowed: 10,20,30
native: none
[port 8]
mode: trunk
allowed: 10,20,40
native: 20
[port 9]
mode: routed
address: 10.9.0.1/30
[neighbours]
6: b:6
7: b:up-7
8: c:1
4: b:77
"""
B = """\
inkov sheet 1
switch: b
[vlans]
10: ferns
20: moss
[port 1]
vlan: 10
[bundle pond]
members: 6,7
mode: trunk
allowed: 10,20
native: 10
[port 9]
vlan: 10
[port 7]
known as: up-7
[neighbours]
6: a:6
7: a:7
"""


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "a.sheet").write_text(A)
    (tmp_path / "b.sheet").write_text(B)
    (tmp_path / "cabling.csv").write_text("switch,port,far switch,far port\na,5,b,9\n")
    (tmp_path / "hosts.csv").write_text("host,switch,port\nlamp,d,1\n")
    return tmp_path


def table(text: str) -> list[list[str]]:
    return [row for row in csv.reader(io.StringIO(text)) if row][1:]


def test_ports(inkov: Inkov, folder: Path) -> None:
    told = {(row[0], row[1]): row[2:] for row in table(inkov("ports", ".", "-f", "csv", "-q").out)}
    empty = ["", "", ""]
    assert told == {
        ("a", "1"): ["on", "access", "10", "", "", "a.sheet:8"],
        ("a", "2"): ["on", "access", "10", "", "", "a.sheet:8"],
        ("a", "3"): ["on", "access", *empty, "a.sheet:10"],  # VLAN 50 is defined nowhere
        ("a", "4"): ["off", "access", *empty, "a.sheet:12"],
        ("a", "5"): ["on", "general", "20", "10", "b:9", "a.sheet:16"],
        ("a", "6"): ["member", "in pond", *empty, "a.sheet:21"],
        ("a", "7"): ["member", "in pond", *empty, "a.sheet:21"],
        ("a", "8"): ["on", "trunk", "20", "10,40", "c:1", "a.sheet:26"],
        ("a", "9"): ["on", "routed", *empty, "a.sheet:30"],
        ("a", "pond"): ["on", "trunk without native", "", "10,20", "b:pond", "a.sheet:22"],
        ("b", "1"): ["on", "access", "10", "", "", "b.sheet:6"],
        ("b", "6"): ["member", "in pond", *empty, "b.sheet:9"],
        ("b", "7"): ["member", "in pond", *empty, "b.sheet:15"],
        ("b", "9"): ["on", "access", "10", "", "a:5", "b.sheet:13"],
        ("b", "pond"): ["on", "trunk", "10", "20", "a:pond", "b.sheet:10"],
    }
    # Tags of VLAN 40 come in at a:5 as well: it does not filter.
    in_40 = table(inkov("ports", ".", "--vlan", "40", "-f", "csv", "-q").out)
    assert [row[:2] for row in in_40] == [["a", "5"], ["a", "8"]]
    of_b = table(inkov("ports", ".", "--switch", "b", "-f", "csv", "-q").out)
    assert [row[1] for row in of_b] == ["1", "6", "7", "9", "pond"]


def test_ports_by_vlans(inkov: Inkov, folder: Path) -> None:
    """U leaves untagged, T tagged. Ports that pass no VLAN have no column."""
    of_a, of_b = inkov("ports", ".", "--matrix", "-q").out.split("\n\n")
    assert [line.split() for line in of_a.splitlines() if line[:1] != "─"] == [
        ["a"],
        ["VLAN", "1", "2", "5", "8", "pond"],
        ["10", "U", "U", "T", "T", "T"],
        ["20", "·", "·", "U", "U", "T"],
        ["40", "·", "·", "·", "T", "·"],
    ]
    assert [line.split() for line in of_b.splitlines() if line[:1] != "─"] == [
        ["b"],
        ["VLAN", "1", "9", "pond"],
        ["10", "U", "U", "U"],
        ["20", "·", "·", "T"],
    ]


def test_vlans(inkov: Inkov, folder: Path) -> None:
    """Host ports that are up, in a VLAN that is active: those of links and trunks do not count."""
    told = table(inkov("vlans", ".", "-f", "csv", "-q").out)
    assert [row[:4] for row in told] == [
        ["10", "ferns", "all 2", "3"],
        ["20", "beds", "all 2", "0"],
        ["30", "fog", "a", "0"],
        ["40", "reed", "a", "0"],
        ["50", "-", "none", "0"],  # port 3 is to be in it
    ]
    remarks = {row[0]: row[4] for row in told}
    assert remarks["20"] == "'moss' on b; no ports"
    assert remarks["30"] == "suspended on a; no ports"
    assert remarks["40"] == "no ports"
    assert remarks["50"] == "used but not defined on a"
    screen = on_screen("vlans", folder, "-q", colour=True, width=120)
    marked = [text for code, text in styled(screen) if code == WORSE]
    assert marked[2:] == [
        *("beds", remarks["20"], "fog", remarks["30"], "-", remarks["50"])
    ] and marked[:2] == ["ferns", "falls into 2 islands"]


def test_links(inkov: Inkov, folder: Path) -> None:
    told = table(inkov("links", ".", "-f", "csv", "-q").out)
    assert [row[:3] for row in told] == [
        ["a:5", "b:9", "up"],
        ["a:pond", "b:pond", "bundle"],
        ["a:8", "c:1", "outside"],
        ["a:4", "", "stray"],
    ]
    by = {row[0]: row[3:] for row in told}
    assert by["a:5"][0] == "cabling table" and by["a:5"][2] == "cabling.csv:2"
    assert by["a:pond"][:2] == ["both ends (as 'up-7')", ""]
    assert by["a:pond"][2] == "a.sheet:33, b.sheet:18, a.sheet:34, b.sheet:19"
    assert by["a:8"] == ["a", "not among the files", "a.sheet:35"]
    assert "77" in by["a:4"][1] and by["a:4"][2] == "a.sheet:36"
    only_b = table(inkov("links", ".", "--switch", "b", "-f", "csv", "-q").out)
    assert [row[0] for row in only_b] == ["a:5", "a:pond"]


def test_islands_without_areas(inkov: Inkov, tmp_path: Path) -> None:
    for name in ("a", "b"):
        text = f"inkov sheet 1\nswitch: {name}\n[vlans]\n10: ferns\n[port 1]\nvlan: 10\n"
        (tmp_path / f"{name}.sheet").write_text(text)
    [[_, _, _, _, remarks, *_]] = table(inkov("vlans", ".", "-f", "csv", "-q").out)
    assert remarks == "falls into 2 islands"


def test_the_ends_of_a_link_stay_whole(tmp_path: Path) -> None:
    ends = "glasshouse-west-1:port-24", "glasshouse-east-2:port-23"
    for own, far in (ends, ends[::-1]):
        (name, port), about = own.split(":"), "a remark that is long enough to be folded"
        text = f"inkov sheet 1\nswitch: {name}\n[port {port}]\nmode: trunk\n[neighbours]\n"
        (tmp_path / f"{name}.sheet").write_text(f"{text}{port}: {far}; {about}\n")
    for width in (60, 70, 80):
        out = on_screen("links", tmp_path, "-q", width=width)
        assert all(end in out for end in ends), out


def test_what_of_a_trace_is_marked(tmp_path: Path) -> None:
    """What a later line replaced, and what was not understood."""
    (tmp_path / "a.txt").write_text("bed 1\n  in 10\n  green\n  in 20\n")
    (tmp_path / "arbour.toml").write_text(
        'dialect = "arbour"\nfiles = ["*.txt"]\n[port]\nopens = ["bed {ports}"]\n'
        '[port.says]\n"in {vid}" = "vlan = {vid}"\n'
    )
    out = on_screen("read", tmp_path, "-q", "--trace", "a.txt", colour=True, width=120)
    assert [says.split()[0] for code, says in styled(out) if code == WORSE] == ["port", "(not"]


def test_trunks(inkov: Inkov, folder: Path) -> None:
    """a:5 sends VLAN 20 untagged into VLAN 10 of b; its tag 10 is not taken by an access port."""
    out = inkov("trunks", ".", "-f", "csv", "-q").out
    head, *told = [row for row in csv.reader(io.StringIO(out)) if row]
    at = {name: number for number, name in enumerate(head)}
    told = [row for row in told if len(row) == len(head)]

    def cells(row: list[str], *names: str) -> list[str]:
        return [row[at[name]] for name in names]

    ends = [cells(row, "one end", "other end", "mode", "native", "allowed", "live") for row in told]
    assert ends == [
        ["a:5", "b:9", "general ≠ access", "20 ≠ 10", "10,20 ≠ 10", "10,20 ≠ 10"],
        ["a:pond", "b:pond", "trunk", "none ≠ 10", "10,20,30 ≠ 10,20", "10,20"],
        ["a:8", "nobody known", "trunk", "20", "10,20,40", "10,20,40"],
    ]
    # What b sends untagged, in VLAN 10, a drops: it has no native VLAN.
    assert cells(told[0], "shared", "said at") == ["none; 20 ↔ 10", "a.sheet:19, b.sheet:13"]
    assert cells(told[1], "shared", "surplus") == ["20; 10 →", "20"]
    assert cells(told[1], "needed", "missing") == ["10", "10"]
    assert cells(told[2], "shared") == [""]
    notes = inkov("trunks", ".", "-q").out
    assert "90 ↔ 40: VLAN 90 of the one end is joined with VLAN 40 of the other" in notes
    assert "b:9 is access: " in notes and "a:pond is" not in notes


def test_what_was_read(inkov: Inkov, folder: Path) -> None:
    out = inkov("read", ".", "-q").out
    assert [line.split()[:3] for line in out.splitlines()[2:6]] == [
        ["./a.sheet", "switch", "sheet"],
        ["./b.sheet", "switch", "sheet"],
        ["./cabling.csv", "cabling", "table"],
        ["./hosts.csv", "host", "table"],
    ]
    assert "4 files: 2 switches, 15 ports, 2 links, 1 neighbour outside the files" in out
    assert "hosts at switches without a file: d" in out
    lines = [path.read_text().count("\n") for path in folder.iterdir()]
    # The heads of the two tables mean nothing themselves.
    counts = f"{sum(lines) - 2} understood, 2 known and without meaning here, 0 not understood"
    assert f"lines, values and objects: {counts}" in out
    (folder / "b.sheet").write_text(B.replace("native: 10\n", "native: 10\ncolour: green\n"))
    assert "1 line or object not understood" in inkov("read", ".", "--unmatched", "-q").out


def test_the_default_vlan_is_there_without_a_row(inkov: Inkov, tmp_path: Path) -> None:
    """Ports are in VLAN 1 and 10; in VLAN 2, which has no row, none can be, though one is to."""
    (tmp_path / "a.sheet").write_text(
        "inkov sheet 1\nswitch: a\n[vlans]\n10: ferns\n[port 1]\nvlan: 1\n[port 2]\nvlan: 2\n"
        "[port 3]\nvlan: 10\n"
    )
    listed = inkov("vlans", ".", "-f", "json").json["vlans"]
    assert [(row["vlan"], row["at"][0]["defined"], row["ports"]) for row in listed] == [
        (1, True, 1),
        (2, False, 0),
        (10, True, 1),
    ]


def test_where_a_vlan_is_defined(inkov: Inkov, tmp_path: Path) -> None:
    """VLAN 20 has a gateway on a, and no row; of b no table is known."""
    head, port = "inkov sheet 1\nswitch: {}\n", "[port 1]\nvlan: 20\n"
    (tmp_path / "a.sheet").write_text(
        head.format("a") + "[vlans]\n10: ferns\n[gateway 20]\naddress: 10.0.20.1/24\n"
    )
    (tmp_path / "b.sheet").write_text(head.format("b") + port)
    listed = inkov("vlans", ".", "-f", "json").json["vlans"]
    assert {(row["vlan"], at["switch"]): at["defined"] for row in listed for at in row["at"]} == {
        (10, "a"): True,
        (20, "a"): False,
        (20, "b"): None,
    }


def test_what_is_no_configuration_has_nothing_to_count(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "a.sheet").write_text("inkov sheet 1\nswitch: a\n[port 1]\nvlan: 10\n")
    (tmp_path / "plan.yaml").write_text("segments:\n  green: 10\n")
    rows = inkov("read", ".", "-f", "csv").out.splitlines()
    assert "./a.sheet,switch sheet,a,4,0,0," in rows and "./plan.yaml,the plan,,,,," in rows


@pytest.mark.parametrize(
    ("asked", "says"),
    [
        ("vlans . --vlan 3000", "nothing is known of VLAN 3000"),
        ("vlans . --vlan 7,3000-3001 --switch b", "nothing is known of VLAN 7,3000-3001 on b"),
        ("ports . --vlan 3000", "no port passes VLAN 3000"),
        ("ports . --vlan 3000 --matrix", "no port passes VLAN 3000"),
        ("ports . --vlan 40 --switch b", "no port passes VLAN 40 on b"),
        ("trunks . --vlan 3000", "no trunk has to do with VLAN 3000"),
        ("trunks c.sheet", "no trunk"),
        ("links c.sheet", "no link is known"),
        ("links . --switch c", "no link is known on c"),
    ],
)
def test_that_nothing_is_listed_is_said(inkov: Inkov, folder: Path, asked: str, says: str) -> None:
    (folder / "c.sheet").write_text("inkov sheet 1\nswitch: c\n[port 9]\nvlan: 10\n")
    result = inkov(*asked.split(), "-q")
    assert (result.status, result.out.strip(), result.err) == (0, "", f"inkov: {says}\n")
    if "--vlan" in asked:  # of another VLAN there is something to say
        known = inkov(*re.sub("--vlan [0-9,-]+", "--vlan 10", asked).split(), "-q")
        assert known.err == "" and known.out.strip()


def test_places_are_brief_where_a_name_tells_the_file(inkov: Inkov, tmp_path: Path) -> None:
    """north/box.sheet and south/box.sheet are told apart by their folders."""
    for place in ("north/box", "south/box", "south/crate"):
        (tmp_path / place).parent.mkdir(exist_ok=True)
        (tmp_path / f"{place}.sheet").write_text(
            f"inkov sheet 1\nswitch: {place.replace('/', '-')}\n[port 1]\nvlan: 10\n"
        )
    told = table(inkov("ports", ".", "-f", "csv", "-q").out)
    assert {row[0]: row[-1] for row in told} == {
        "north-box": "./north/box.sheet:3",
        "south-box": "./south/box.sheet:3",
        "south-crate": "crate.sheet:3",
    }


def test_what_is_understood_of_each_file_is_counted(inkov: Inkov) -> None:
    rows = inkov("read", DEMO / "garden" / "aviary-1", "-f", "csv").out.splitlines()
    [name] = [row for row in rows if "/hostname," in row]
    assert name.endswith("/hostname,host name,aviary-1,1,0,0,a part of aviary-1")


def test_where_a_document_is_malformed(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "x.json").write_text('{"openconfig-interfaces:interfaces": {\n "interface": [}\n')
    says = "inkov: ./x.json:2: not JSON at column 16: invalid character ("
    assert inkov("read", ".").err.startswith(says)
