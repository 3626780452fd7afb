"""Tables: columns in any order, errors with row and column."""

from __future__ import annotations

import io
import zipfile
from ipaddress import ip_interface
from pathlib import Path

import pytest

from inkov.campus import Cable, Host, Mode, Origin
from inkov.readers.registry import read_bytes
from tests.conftest import Inkov


@pytest.mark.parametrize("mark", [",", ";", "\t"])
def test_columns_in_any_order(mark: str) -> None:
    rows = [
        "Far_Port,switch,PORT,far switch,note",
        "24,core-1,port-1,gate-1,blue",
        "",
        '"a,b",core-1,port-2,palm-1,',
    ]
    text = "\r\n".join(rows if mark == "," else [row.replace(",", mark) for row in rows[:3]])
    report, part = read_bytes("t.csv", text.encode("utf-8-sig"), account=False)
    assert report.format == "cabling table"
    assert part.cables[0] == Cable("core-1", "port-1", "gate-1", "24", Origin("t.csv", 2))
    if mark == ",":
        assert part.cables[1] == Cable("core-1", "port-2", "palm-1", "a,b", Origin("t.csv", 4))
    assert [line.text for line in report.ignored] == ["column 'note'"] and not part.problems


def test_hosts_and_their_errors() -> None:
    text = (
        "host,switch,port,address,gateway,vlan\n"
        "till-1,gate-1,1,10.50.0.11/24,10.50.0.1,\n"
        "phone,gate-1,2,,,40\n"
        "a,gate-1,3,10.50.0.12,,\n"
        "b,gate-1,4,10.50.0.999/24,,\n"
        "c,gate-1,5,,nowhere,\n"
        "d,gate-1,6,,,4095\n"
        "e,,7,,,\n"
    )
    report, part = read_bytes("h.csv", text.encode(), account=False)
    assert report.format == "host table" and report.understood == 2
    assert part.hosts == [
        Host(
            "till-1",
            "gate-1",
            "1",
            Origin("h.csv", 2),
            None,
            ip_interface("10.50.0.11/24"),
            "10.50.0.1",
        ),
        Host("phone", "gate-1", "2", Origin("h.csv", 3), 40),
    ]
    assert [(p.origin.line, p.says.split(":")[0]) for p in part.problems] == [
        (4, "column 'address'"),
        (5, "column 'address'"),
        (6, "column 'gateway'"),
        (7, "column 'vlan'"),
        (8, "column 'switch'"),
    ]


def test_another_table_is_nobodys() -> None:
    report, _ = read_bytes("t.csv", b"name,colour\na,b\n", account=False)
    assert report.format == "" and report.remark.startswith("not a format that is read")


def test_a_malformed_table_is_lost_from_there_on() -> None:
    data = b"switch,port,far switch,far port\na,1,b,2\na,2,b," + b"x" * 200_000 + b"\n"
    _, part = read_bytes("t.csv", data, account=False)
    assert (
        len(part.cables) == 1 and part.problems[0].lost and "field larger" in part.problems[0].says
    )


PLAN: list[list[object]] = [
    ["Switch", "Port", "Mode", "VLAN", "Allowed", "Who"],
    ["a", "1", "access", 10, None, "till"],
    ["a", "2", "trunk", None, "10,20", ""],
    ["a", "3", "acess", 10, "", ""],
]
CABLES: list[list[object]] = [["switch", "port", "far switch", "far port"], ["a", 1.0, "b", "2"]]


def test_a_workbook_is_the_tables_in_it(tmp_path: Path) -> None:
    from openpyxl import Workbook

    book = Workbook()
    assert book.active is not None
    book.active["A1"] = "notes"
    for title, rows in (("plan", PLAN), ("cables", CABLES)):
        sheet = book.create_sheet(title)
        for row in rows:
            sheet.append(row)
    book.save(tmp_path / "t.xlsx")
    data = (tmp_path / "t.xlsx").read_bytes()
    report, part = read_bytes("t.xlsx", data, account=True)
    assert report.format == "Excel, port plan, cabling table" and report.understood == 3
    assert [line.text for line in report.ignored if "worksheet 'Sheet'" in line.text] == [
        "worksheet 'Sheet': not a table that is read"
    ]
    assert (
        part.planned[0].values == {"mode": Mode.ACCESS, "access_vlan": 10}
        and part.planned[0].port == "1"
    )
    assert (part.cables[0].port, part.cables[0].origin.line) == ("1", 2)
    (problem,) = part.problems
    assert (
        problem.origin.line == 4
        and "worksheet 'plan', column 'mode': 'acess' is not one of" in problem.says
    )
    csv_text = "\n".join(";".join("" if c is None else str(c) for c in row) for row in PLAN)
    same = read_bytes("t.csv", csv_text.encode(), account=True)[1]
    assert [row.values for row in same.planned] == [row.values for row in part.planned]
    for cut in range(500, len(data), 977):  # a broken workbook is one problem
        broken = read_bytes("t.xlsx", data[:cut], account=True)[1]
        assert all(problem.lost for problem in broken.problems) and broken.problems


def test_a_worksheet_that_lacks_one_column_is_not_understood(inkov: Inkov, tmp_path: Path) -> None:
    from openpyxl import Workbook

    book = Workbook()
    assert book.active is not None
    for row in (["switch", "prot", "vlan"], ["a", 1.0, 10]):
        book.active.append(row)
    cables = book.create_sheet("cables")
    for row in CABLES:
        cables.append(row)
    book.save(tmp_path / "ports.xlsx")
    (tmp_path / "a.sheet").write_text("inkov sheet 1\nswitch: a\n[port 1]\nvlan: 10\n")
    told = inkov("read", ".", "--strict", "--unmatched")
    assert told.status == 1
    assert "ports.xlsx:1" in told.out
    assert "worksheet 'Sheet': no port plan without a column 'port'" in told.out
    (tmp_path / "ports.csv").write_text("Switch;Prot;VLAN\na;1;10\n")
    says = "inkov: ./ports.csv: no port plan without a column 'port' ("
    assert says in inkov("read", ".").err


def test_a_formula_that_was_not_worked_out_is_no_empty_cell(inkov: Inkov, tmp_path: Path) -> None:
    """Row 3 has its VLAN from a formula, of which the workbook keeps no value."""
    from openpyxl import Workbook

    book = Workbook()
    assert book.active is not None
    for row in (["switch", "port", "vlan"], ["a", 1.0, 10], ["a", 2.0, "=C2"], ["a", 3.0, 20]):
        book.active.append(row)
    book.save(tmp_path / "ports.xlsx")
    (tmp_path / "a.sheet").write_text("inkov sheet 1\nswitch: a\n[port 1..3]\nvlan: 10\n")
    told = inkov("read", ".", "--strict")
    says = "ports.xlsx:3: worksheet 'Sheet', cell C3: a formula without its value"
    assert told.status == 1 and says in told.err
    found = inkov("audit", ".", "-f", "json", "--only", "port-against-plan").json["findings"]
    assert [one["says"] for one in found] == ["a port 3 has VLAN 10, and the plan says 20"]


def test_a_workbook_that_unpacks_to_too_much_is_refused() -> None:
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as package:
        package.writestr("[Content_Types].xml", b" " * (65 * 1024 * 1024))
    (problem,) = read_bytes("t.xlsx", packed.getvalue(), account=True)[1].problems
    assert "unpacks to more than 64 MiB" in problem.says


def test_what_becomes_of_each_row_is_counted() -> None:
    """The head and unknown columns have no meaning here, empty rows are nothing, and a row that
    cannot be used is not understood.
    """
    text = "host,switch,port,vlan,seat\nfirst,a,1,1,x\n\n , ,\nlast,a,2,4094,\nnone,a,3,0,\n"
    report, part = read_bytes("h.csv", text.encode(), account=True)
    assert [(host.name, host.vid) for host in part.hosts] == [("first", 1), ("last", 4094)]
    counts = (report.understood, report.without_meaning, report.not_understood)
    assert counts == (2, 1, 1)
    assert [(line.origin.line, line.text) for line in report.ignored] == [(1, "column 'seat'")]
    assert [(line.origin.line, line.text) for line in report.unmatched] == [(6, "none,a,3,0,")]


@pytest.mark.parametrize(
    ("column", "matters"),
    [
        ("tag", True),
        ("VLAN ID", True),
        ("Tag_Number", True),
        ("untagged", True),
        ("adress", True),
        ("IP address", True),
        ("asset tag", False),
        ("vlan name", False),
        ("mac address", False),
        ("id", False),
        ("room", False),
    ],
)
def test_a_column_that_may_say_where_a_host_is_is_not_passed_over(
    inkov: Inkov, tmp_path: Path, column: str, matters: bool
) -> None:
    """A lamp on a trunk whose tag stands in a column of another name: without a tag it is
    among the frogs, so that nothing gets from it to the fish.
    """
    (tmp_path / "a.sheet").write_text(
        "inkov sheet 1\nswitch: a\n[vlans]\n10: fish\n20: frogs\n"
        "[port 1]\nmode: access\nvlan: 10\n"
        "[port 2]\nmode: trunk\nnative: 20\nallowed: 10,20\n"
    )
    (tmp_path / "hosts.csv").write_text(f"host,switch,port,{column}\nlamp,a,2,10\n")
    (tmp_path / "plan.yaml").write_text('claims:\n  - isolate: [lamp, "a:1"]\n')
    proved = inkov("prove", ".", "--strict")
    assert ("UNDECIDED" if matters else "HOLDS") in proved.out, proved.out
    read = inkov("read", ".")
    told = read.out + read.err
    name = column.lower().replace("_", " ")
    what = "not understood" if matters else "without meaning here"
    assert f"hosts.csv:1: {what}: column '{name}'" in told, told
    # What a table of cables says of VLANs is not what the switch does.
    (tmp_path / "hosts.csv").write_text(f"switch,port,far switch,far port,{column}\na,3,b,1,10\n")
    assert "everything was understood" in inkov("read", ".", "--unmatched").out


@pytest.mark.parametrize(
    ("text", "line", "says", "cables"),
    [
        # A comma without quotes moves what follows below the wrong columns.
        (
            "switch,port,far switch,far port\na,1,b,2\na,3, north,b,4\na,5,b,6,,\n",
            3,
            "column 'far port': more cells follow than there are columns (texts with marks need"
            " quotes); the row is left out",
            2,
        ),
        (
            "switch,port,far switch,far port,port\na,1,b,2,3\n",
            1,
            "column 'port' is there twice: which one counts is not known",
            0,
        ),
    ],
)
def test_rows_that_do_not_fit_their_columns(text: str, line: int, says: str, cables: int) -> None:
    report, part = read_bytes("t.csv", text.encode(), account=True)
    assert [(p.origin.line, p.says) for p in part.problems] == [(line, says)]
    assert [unread.origin.line for unread in report.unmatched] == [line]
    assert len(part.cables) == cables


def test_named_as_a_table_and_none(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_text("name,colour\na,b\n")
    named = inkov("read", "t.csv", "--as", "table=*.csv")
    assert named.status == 2
    assert "t.csv:1: the first row does not name the columns of a table" in named.out + named.err
