"""Tables as people read them: small campuses, and the rows that have to come of them."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from inkov.checks import audit
from inkov.forwarding import resolve
from inkov.plan import read_plan
from inkov.readers import load
from inkov.render.findings import short_text
from inkov.render.terminal import Screen
from inkov.wiring import wire
from tests.cli.test_trace import BED, MOSS
from tests.conftest import Inkov
from tests.mend.test_findings import TRUNK, write

HEAD = "inkov sheet 1\nswitch: {}\n"


def rows(table: str) -> list[list[str]]:
    """The rows of the first table: its cells stand below the words of its head."""
    head, _, *lines = table.split("\n\n")[0].splitlines()
    starts = [match.start() for match in re.finditer(r"\S+(?: \S+)*", head)]
    return [
        [line[start:end].strip() for start, end in zip(starts, [*starts[1:], None], strict=True)]
        for line in lines
    ]


def test_ports_that_hear_alike_share_a_row(inkov: Inkov, tmp_path: Path) -> None:
    """Three in a row are a run, two are told as two."""
    ports = "[port 1..3]\nvlan: 10\n[port 5..6]\nvlan: 10\n[port 9]\nvlan: 10\n"
    (tmp_path / "a.sheet").write_text(HEAD.format("a") + ports)
    assert rows(inkov("hears", "a:9", ".", "-q").out)[0] == ["a", "1..3, 5, 6", "10", "no", ""]


def test_a_trace_shows_who_read_a_line_and_what_lasts(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "moss.toml").write_text(MOSS)
    (tmp_path / "north.txt").write_text(BED)
    (tmp_path / "a.sheet").write_text(HEAD.format("a") + "[port 1]\nvlan: 10\n")
    text = inkov("read", ".", "--trace", "north.txt", "-q").out
    assert text.splitlines()[0].split() == ["Line", "Text", "Read", "by", "Says"]
    assert "over 10" in text and "but allowed is replaced in line 14" in text
    assert "4 lines with something that does not last" in text
    text = inkov("read", ".", "--trace", "a.sheet", "-q").out
    assert text.splitlines()[0].split() == ["Line", "Text", "Says"]
    assert "does not last" not in text


@pytest.mark.parametrize(
    ("having", "says"),
    [
        (10, "all 10"),
        (8, "all but s8, s9"),
        (6, "all but s6, s7, s8, s9"),
        (5, "s0, s1, s2, s3, s4"),
    ],
)
def test_where_a_vlan_is_defined_is_said_by_the_shorter_list(
    inkov: Inkov, tmp_path: Path, having: int, says: str
) -> None:
    for number in range(10):
        table = "[vlans]\n20: beds\n" + ("10: ferns\n" if number < having else "")
        (tmp_path / f"s{number}.sheet").write_text(HEAD.format(f"s{number}") + table)
    told = {row[0]: row for row in rows(inkov("vlans", ".", "-q").out)}
    assert says in told["10"] and "all 10" in told["20"]


@pytest.mark.parametrize(
    ("row", "listed", "why", "line"),
    [
        ("10: ferns; suspended", "10", "VLAN 10 is suspended on b", 4),
        ("20: beds", "10", "b does not define VLAN 10", 2),
        ("10: ferns", "20", "does not hold VLAN 10", 8),
        # It takes the tag, and sends none.
        ("10: ferns", "10\nwithheld: 10", "VLAN 10 is withheld from b:8", 9),
    ],
)
def test_why_a_vlan_falls_apart(
    inkov: Inkov, tmp_path: Path, row: str, listed: str, why: str, line: int
) -> None:
    """a - b - c: nobody is in VLAN 10 on b, which lets nothing of it through."""
    trunk = "[port {}]\nmode: trunk\nallowed: {}\nnative: none\n"
    for name, far, at in (("a", "b", 8), ("c", "b", 9)):
        (tmp_path / f"{name}.sheet").write_text(
            HEAD.format(name) + f"[vlans]\n10: ferns\n[port 1]\nvlan: 10\n{trunk.format(8, 10)}"
            f"[neighbours]\n8: {far}:{at}\n"
        )
    uplinks = "".join(
        f"[port {at}]\nmode: trunk\nallowed: {listed}\nnative: none\n" for at in (8, 9)
    )
    (tmp_path / "b.sheet").write_text(
        HEAD.format("b") + f"[vlans]\n{row}\n\n{uplinks}[neighbours]\n8: a:8\n9: c:8\n"
    )
    out = inkov("vlans", ".", "-q").out
    assert "falls into 2 islands" in out
    [told] = [text for text in out.splitlines() if "cut off in VLAN 10" in text]
    assert why in told and f"b.sheet:{line})" in told


STATED = {
    "TRUNK": "mode: trunk; native: none; allowed: 10",
    "GENERAL": "mode: general; ingress filtering: on; pvid: none",
}
STEPS = """
TRUNK | TRUNK
    a leaves | its allowed list holds VLAN 10 | allowed: 10
TRUNK | TRUNK
    b arrives | VLAN 10 is in its allowed list | allowed: 10
mode: trunk; native: 10; allowed: 10; native tagged: yes | TRUNK
    a leaves | VLAN 10 is native here, and tagged all the same | native tagged: yes
mode: trunk; native: 10; allowed: 10 | mode: trunk; native: 20; allowed: 20
    b arrives | untagged frames are in VLAN 20 here, its native VLAN | native: 20
vlan: 20; voice: 10 | TRUNK
    a leaves | VLAN 10 is its voice VLAN | voice: 10
vlan: 10 | TRUNK
    b stops | b:up drops untagged frames: it has no native VLAN | native: none
vlan: 10 | mode: trunk; native: 10; allowed: 20
    b stops | b:up drops untagged frames: its native VLAN 10 is not on its allowed list | native: 10
vlan: 20 | TRUNK
    a stops | a:up (access) passes VLAN 20, not VLAN 10 | vlan: 20
vlan: 30 | TRUNK
    a stops | a:up is in VLAN 30, which a does not have | vlan: 30
mode: trunk; allowed: 20 | TRUNK
    a stops | the allowed list of a:up (20) does not hold VLAN 10 | allowed: 20
TRUNK; withheld: 10 | TRUNK
    a stops | VLAN 10 is withheld from a:up | withheld: 10
TRUNK; state: off | TRUNK
    a stops | a:up is shut | state: off
TRUNK | TRUNK; state: off
    b stops | b:up is shut | state: off
TRUNK | vlan: 20
    b stops | b:up (access) takes no frames tagged 10 | [port up]
mode: general; pvid: 20; untagged: 10 | TRUNK
    a leaves | VLAN 10 is among its untagged VLANs, so it leaves untagged | untagged: 10
mode: general; pvid: 10 | TRUNK
    a leaves | VLAN 10 is its PVID, so it leaves untagged | pvid: 10
mode: general; pvid: none; tagged: 10 | TRUNK
    a leaves | VLAN 10 is among its tagged VLANs | tagged: 10
mode: general; pvid: none; tagged: 20 | TRUNK
    a stops | a:up (general) passes VLAN 20, not VLAN 10 | tagged: 20
TRUNK | GENERAL; tagged: 10
    b arrives | VLAN 10 is in its tagged VLANs | tagged: 10
TRUNK | GENERAL; untagged: 10
    b arrives | VLAN 10 is in its untagged VLANs | untagged: 10
TRUNK | mode: general; pvid: none; tagged: 20; ingress filtering: off
    b arrives | ingress filtering is off, so any tag comes in | ingress filtering: off
TRUNK | GENERAL; tagged: 20
    b stops | b:up (general) takes no frames tagged 10: it is no member of that VLAN | tagged: 20
TRUNK | GENERAL; tagged: 10; accept: untagged
    b stops | b:up (general) takes no frames tagged 10: it accepts untagged frames only
        | accept: untagged
vlan: 10 | GENERAL
    b stops | b:up (general) drops untagged frames: it has no PVID | pvid: none
vlan: 10 | mode: general; pvid: 10; untagged: 10; accept: tagged
    b stops | b:up (general) drops untagged frames: it accepts tagged frames only | accept: tagged
vlan: 10 | mode: general; ingress filtering: on; pvid: 10; untagged: 20
    b stops | b:up (general) drops untagged frames: it is no member of VLAN 10, its PVID | pvid: 10
mode: private host; primary: 20; secondary: 10 | TRUNK
    a leaves | it hears VLAN 10, its secondary VLAN, so it leaves untagged | secondary: 10
mode: promiscuous; primary: 10; secondaries: 20 | TRUNK
    a leaves | it hears VLAN 10, its primary VLAN, so it leaves untagged | primary: 10
mode: promiscuous; primary: 20; secondaries: 10 | TRUNK
    a leaves | it hears VLAN 10, among its mapped secondary VLANs, so it leaves untagged
    | secondaries: 10
"""
"""a:up | b:up, and below: whose step, and what becomes of it | why | the line that decided it."""


@pytest.mark.parametrize("case", re.findall(r"^\S.*(?:\n .*)+", STEPS, re.MULTILINE))
def test_each_step_tells_what_decided_it(inkov: Inkov, tmp_path: Path, case: str) -> None:
    """From a:1 to b:1, both in VLAN 10: what a:up and b:up do, and the line that says so."""
    ports, _, told = case.partition("\n")
    near, far = ports.split(" | ")
    step, because, line = " ".join(told.split()).split(" | ")
    for name, up, other in (("a", near, "b"), ("b", far, "a")):
        lines = re.sub("[A-Z]{5,}", lambda word: STATED[word[0]], up).replace("; ", "\n")
        (tmp_path / f"{name}.sheet").write_text(
            f"{HEAD.format(name)}[vlans]\n10: ferns\n20: beds\n[port 1]\nvlan: 10\n"
            f"[port up]\n{lines}\n[neighbours]\nup: {other}:up\n"
        )
    steps = inkov("follow", "a:1", "b:1", ".", "-f", "json").json["steps"]
    [origin] = [
        one["origin"]
        for one in steps
        if f"{one['switch']} {one['event']}" == step
        and (one["port"], one["because"]) == ("up", because)
    ]
    lines = (tmp_path / origin["file"]).read_text().splitlines()
    decided = origin["line"] - 1
    assert lines[decided] == line and decided >= lines.index("[port up]")


def test_what_to_enter_says_what_is_added(inkov: Inkov, tmp_path: Path) -> None:
    """Both lists lack something: each is told whole, with what comes to it."""
    write(tmp_path, TRUNK.format("10,99"), TRUNK.format("20"))
    text = inkov("mend", ".", "--commands", "-q").out
    assert "port 9: allowed 10,20,99 (+20)" in text
    assert "port 9: allowed 10,20,99 (+10,99)" in text
    table = (tmp_path / "b.sheet").read_text().replace("10: climate\n", "")
    (tmp_path / "b.sheet").write_text(table)
    assert "VLAN 10 new: climate" in inkov("mend", ".", "--commands", "-q").out


def test_what_to_enter_is_told_in_the_switch_s_own_language(inkov: Inkov, tmp_path: Path) -> None:
    """The lines that go and come, below those that they stand under, and no other."""
    (tmp_path / "moss.toml").write_text(MOSS)
    (tmp_path / "north.txt").write_text(
        "moss bed north\nkeeper 7 hunter2\nsoil 10\n    called ferns\nsoil 20\n    called beds\n"
        "tuft 1\n    in 10\ntuft 2\n    in 20\ntuft 8\n    over 20\ntuft 9\n    shade\n"
    )
    (tmp_path / "a.sheet").write_text(
        HEAD.format("a") + "[vlans]\n10: ferns\n20: beds\n[port 1]\nvlan: 10\n[port 2]\nvlan: 20\n"
        "[port 8]\nmode: trunk\nallowed: 10,20\n"
    )
    (tmp_path / "cabling.csv").write_text("switch,port,far switch,far port\nnorth,8,a,8\n")
    asked = ("mend", ".", "--rule", "allowed-differs", "--commands", "-q")
    table = [row[2] for row in rows(inkov(*asked).out)[:3]]
    assert table[0].split() == ["tuft", "8"]
    assert table[1].split() == ["-", "over", "20"]
    mark, over, *vids = table[2].replace(",", " ").split()
    assert (mark, over, sorted(vids)) == ("+", "over", ["10", "20"])
    assert "hunter2" not in inkov(*asked, "-f", "json").out


ROWS = """\
dialect = "row"
files = ["*.txt"]
[text]
shape = "{shape}"
{end}
[device.says]
"moor {{name}}" = "name = {{name}}"
[group.row]
opens = ["row {{name}}"]
[port]
opens = ["berth {{ports}}"]
within = ["group.row"]
[port.says]
"lies {{vid}}" = "mode = access; vlan = {{vid}}"
[vlan]
opens = ["pool {{vid}}"]
"""
INDENTED = """\
moor north
pool 10
pool 20
row upper
  berth 1
    lies 10
  berth 2
    lies 10
row lower
  berth 3
    lies 10
"""
BRACES = """\
moor north;
pool 10;
pool 20;
row upper {
  berth 1 {
    lies 10;
  }
  berth 2 {
    lies 10;
  }
}
row lower {
  berth 3 {
    lies 10;
  }
}
"""


@pytest.mark.parametrize(("shape", "text"), [("indented", INDENTED), ("braced", BRACES)])
def test_what_to_enter_stands_below_all_its_heads(
    inkov: Inkov, tmp_path: Path, shape: str, text: str
) -> None:
    """Each head once, from the outermost on; a block that is closed before is none."""
    end = 'statement-end = ";"' if shape == "braced" else ""
    (tmp_path / "row.toml").write_text(ROWS.format(shape=shape, end=end))
    (tmp_path / "north.txt").write_text(text)
    (tmp_path / "ports.csv").write_text("switch,port,vlan\nnorth,1,20\nnorth,2,20\nnorth,3,20\n")
    told = inkov("mend", ".", "--rule", "port-against-plan", "--commands", "-f", "json").json
    step = told["steps"][0]
    end, opens = (";", " {") if shape == "braced" else ("", "")
    assert [line.split() for line in step["enter"]] == [
        line.split()
        for line in (
            *(f"row upper{opens}", f"berth 1{opens}", f"- lies 10{end}", f"+ lies 20{end}"),
            *(f"berth 2{opens}", f"- lies 10{end}", f"+ lies 20{end}"),
            *(f"row lower{opens}", f"berth 3{opens}", f"- lies 10{end}", f"+ lies 20{end}"),
        )
    ]


@pytest.mark.parametrize("number", [2, 3, 7])
def test_on_a_screen_many_of_a_kind_are_one(tmp_path: Path, number: int) -> None:
    """Ports in a VLAN that the switch does not define: up to two by themselves, of more the first
    five; the worst stands last, and the sum first and last. Another is accepted by the plan.
    """
    ports = "".join(f"[port {n}]\nvlan: {40 + n}\n" for n in range(1, number + 1))
    text = HEAD.format("a") + "[vlans]\n10: ferns\n" + ports + "[port 20]\nvlan: 1\n"
    (tmp_path / "a.sheet").write_text(text)
    plan = read_plan(
        "plan.yaml", b"accepted: [{rule: port-in-default-vlan, switch: a, because: for now}]\n"
    )
    loaded = load([str(tmp_path)])
    found = audit(resolve(loaded.campus, wire(loaded.campus)), plan, only=RULES)
    told = short_text(found, loaded.locator, Screen(100, colour=False), "the sum")
    lines = told.splitlines()
    assert lines[0] == "the sum" and "the sum" in lines[-3:]
    own = [line for line in lines if "a does not define VLAN 4" in line]
    assert len(own) == min(number, 5)
    assert (f"{number} times" in told) is (number > 2) is ("--all tells each" in told)
    assert (f"and {number - 5} more" in told) is (number > 5)
    assert "--accepted tells what the plan accepts" in told and "for now" not in told
    whole = short_text(found, loaded.locator, Screen(100, colour=False), "", accepted=True)
    assert "for now" in whole and "--accepted" not in whole


RULES = ("access-vlan-undefined", "port-in-default-vlan")


@pytest.mark.parametrize(
    ("number", "says"),
    [(1, "gateway bed"), (2, "gateway bed, fog"), (3, "gateway bed, fog and 1 more")],
)
def test_the_gateways_of_a_vlan_are_named(
    inkov: Inkov, tmp_path: Path, number: int, says: str
) -> None:
    for at, name in enumerate(["bed", "fog", "yew"][:number], 1):
        (tmp_path / f"{name}.sheet").write_text(
            HEAD.format(name) + "[vlans]\n10: ferns\n[port 1]\nvlan: 10\n[gateway 10]\n"
            f"address: 10.0.10.{at}/24\n"
        )
    out = inkov("overview", ".", "-q").out
    [line] = [line for line in out.splitlines() if "10 ferns: " in line]
    assert re.search(rf"{re.escape(says)}(,|$)", line.strip()), line


@pytest.mark.parametrize(
    ("file", "text"),
    [
        ("a.sheet", "inkov sheet 1\nswitch: a\n[port 1]\nabout: {}\n"),
        (
            "a.walk",
            ".1.3.6.1.2.1.1.5.0 = STRING: a\n.1.3.6.1.2.1.2.2.1.2.1 = STRING: 1\n"
            ".1.3.6.1.2.1.31.1.1.1.18.1 = STRING: {}\n",
        ),
        ("hosts.csv", "host,switch,port\npump,a,1\n{},a,2\n"),
        ("bed.txt", "bed 1\n grows 10\n label {}\n"),
    ],
)
def test_bytes_that_are_no_text_are_said(
    inkov: Inkov, tmp_path: Path, file: str, text: str
) -> None:
    """A name in the encoding of another time; the rest is read."""
    (tmp_path / file).write_bytes(text.format("Br\xfccke").encode("latin-1"))
    (tmp_path / "b.sheet").write_text(f"{HEAD.format('b')}[port 1]\n")
    (tmp_path / "moss.toml").write_text(
        'dialect = "moss"\nfiles = ["*.txt"]\n[port]\nopens = ["bed {ports}"]\n[port.says]\n'
        '"grows {vid}" = "mode = access; vlan = {vid}"\n"label {text}" = "about = {text}"\n'
    )
    read = inkov("read", ".")
    line = text.partition("{}")[0].count("\n") + 1
    assert f"./{file}:{line}: byte 0xfc is not UTF-8; such bytes are replaced" in read.err
    assert read.status != 0


def test_claims_about_two_ports_are_told_with_the_way(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "a.sheet").write_text(f"{HEAD.format('a')}[vlans]\n10: x\n[port 1..3]\nvlan: 10\n")
    (tmp_path / "plan.yaml").write_text(
        "claims:\n  - {not-reach: ['a:1', 'a:2'], about: pumps apart}\n  - reach: ['a:1', 'a:3']\n"
    )
    apart, reaches = "Claim: pumps apart (./plan.yaml:2", "Claim: a:1 reaches a:3 (./plan.yaml:3"
    way = inkov("follow", "a:1", "a:2", ".").out
    assert f"{apart}, layer 2, honest) is broken" in way and reaches not in way
    heard = inkov("hears", "a:1", ".").out
    assert apart in heard and f"{reaches}, layer 2, honest) holds" in heard
