"""The plan: what it says, and errors with line, column and the line itself."""

from __future__ import annotations

from ipaddress import ip_interface
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkov.campus import Host, Origin
from inkov.plan import read_plan
from tests.conftest import Inkov

PLAN = """\
vlans:
  10: climate
  20: {name: irrigation, needed: [a, b]}
  30: {needed: [a]}
hosts:
  pump:
    at: a:h
    address: 10.0.20.5/24
    gateway: 10.0.20.1
  phone: {at: "b:1/2", vlan: 20, gateway: "2001:db8::1"}
claims:
  - isolate: [climate, vlan 20]
  - {isolate: pump, from: everything, except: phone, one-way: yes, level: hostile}
"""


def test_what_a_plan_says() -> None:
    plan = read_plan("plan.yaml", PLAN.encode())
    assert plan.problems == []
    first, second = plan.says.claims
    assert (first.kind, first.isolate, first.origin.line) == ("isolate", ["climate", "vlan 20"], 12)
    assert (second.from_, second.except_, second.one_way) == (["everything"], ["phone"], True)
    assert plan.needed == {"a": 1 << 20 | 1 << 30, "b": 1 << 20}
    assert plan.hosts == [
        Host(
            "pump",
            "a",
            "h",
            Origin("plan.yaml", 6),
            None,
            ip_interface("10.0.20.5/24"),
            "10.0.20.1",
        ),
        Host("phone", "b", "1/2", Origin("plan.yaml", 10), 20, None, "2001:db8::1"),
    ]


@pytest.mark.parametrize(
    ("text", "line", "column", "says"),
    [
        ("vlan:\n  10: a", 1, 1, "'vlan' is not known here; did you mean vlans?"),
        ("vlans:\n  4095: a", 2, 3, "4095 is not a VLAN number"),
        ("claims:\n  - {join: a, reach: [a, b]}", 2, 1, "exactly one of isolate, join"),
        ("claims:\n  - reach: [a]", 2, 1, "expected here: two places"),
        ("claims:\n  - {join: a, level: bold}", 2, 22, "'bold' is not one of: honest, hostile"),
        ("claims:\n  - isolate: [a]", 2, 1, "two members or more"),
        ("claims:\n  - {join: a, layer: 3}", 2, 1, "`layer: 3` belongs to"),
        ("claims:\n  - {join: a, level: hostile}", 2, 1, "is about honest hosts"),
        ("claims:\n  - carried-by: {vlans: 10}", 2, 1, "`on` (switches), `over` (links), or both"),
        ("vlans: [10]", 1, 8, "expected here: a map, not a list"),
        ("vlans:\n  10: {nmae: a}", 2, 8, "'nmae' is not known here; did you mean name"),
        ("vlans:\n  10: {needed: a}", 2, 16, "expected here: a list, not 'a'"),
        ("hosts:\n  x: {address: 10.0.0.1/24}", 2, 3, "`at` is missing here"),
        ("hosts:\n  x: {at: a1}", 2, 3, "a host needs `at: switch:port`"),
        ("hosts:\n  9: {at: a1}", 2, 1, "a host needs `at: switch:port`"),
        ("uplinks:\n  a:1: nowhere", 2, 3, "an uplink is from a port to one of another switch"),
        ("uplinks:\n  9: b:5", 2, 1, "an uplink is from a port to one of another switch"),
        ("uplinks:\n  a:1: a:2", 2, 3, "an uplink is from a port to one of another switch"),
        (
            "hosts:\n  x: {at: a:1, address: 10.0.0.1}",
            2,
            25,
            "an address with its prefix, as in 10.0.0.5/24; not",
        ),
        ("hosts:\n  x: {at: a:1, gateway: here}", 2, 25, "an address, as in"),
        ("hosts:\n  x: {at: a:1, vlan: ten}", 2, 22, "'ten' is not a VLAN number"),
        ("vlans:\n  10: [", 2, 8, "not well-formed YAML"),
        ("- a", 1, 1, "a plan is a map"),
        ("a: &a [*a, *a]\nvlans:\n  10: a\n  10: b", 1, 4, "leads back to itself"),
        ("vlans:\n  10: a\n  10: b", 3, 3, "not well-formed YAML"),
    ],
)
def test_errors_are_placed_and_shown(text: str, line: int, column: int, says: str) -> None:
    problem = read_plan("plan.yaml", text.encode()).problems[0]
    first, shown, mark = problem.says.split("\n")
    assert problem.origin.line == line and first.startswith(f"column {column}: ") and says in first
    assert mark == "  " + " " * (column - 1) + "^"
    assert shown[2:] == (text + "\n").split("\n")[line - 1]


@given(st.text(alphabet="vlans: \n\t{}[]-&*!|>'\"#,10\x00", max_size=60))
def test_no_text_makes_it_fail(text: str) -> None:
    read_plan("plan.yaml", text.encode())


def test_the_plan_in_the_folder_is_used(inkov: Inkov, tmp_path: Path) -> None:
    sheet = "inkov sheet 1\nswitch: {0}\n[vlans]\n20: x\n[port h]\nvlan: 20\n"
    sheet += "[port u]\nmode: trunk\nnative: none\nallowed: 20,30\n[neighbours]\nu: {1}:u\n"
    folder = tmp_path / "in"
    folder.mkdir()
    (folder / "a.sheet").write_text(sheet.format("a", "b"))
    (folder / "b.sheet").write_text(sheet.format("b", "a"))
    plan = (
        "vlans:\n  20: x\n  30: {needed: [a, b]}\nhosts:\n  pump: {at: 'a:h'}\n  valve: {at:"
        " 'b:h'}\n"
    )
    (folder / "plan.yaml").write_text(plan)
    assert inkov("follow", "pump", "valve", "in").status == 0
    assert [t["missing"] for t in inkov("trunks", "in", "-f", "json").json["trunks"]] == ["30"]
    (folder / "plan.yaml").write_text("vlans:\n  30: {needed: [a, c]}\n")
    assert inkov("trunks", "in").status == 0  # it may be there one day
    wrong = inkov("plan", "check", "in")
    assert (
        wrong.status == 1
        and "plan.yaml:2: the plan names a switch 'c' that is not among the files" in wrong.out
    )
    (folder / "hosts.csv").write_text("host,switch,port\npump,b,h\n")
    (folder / "plan.yaml").write_text(plan)
    twice = inkov("read", "in")
    assert (
        twice.status == 1
        and "in/plan.yaml:5: host 'pump' is named twice, first at in/hosts.csv:2" in twice.err
    )
    (folder / "hosts.csv").unlink()
    (tmp_path / "other.yaml").write_text("hosts:\n  tap: {at: 'b:h'}\nvlans:\n  99x: a\n")
    named = inkov("follow", "a:h", "tap", "in", "--plan", "other.yaml")
    assert named.status == 1 and "other.yaml:4: column 3: '99x' is not a VLAN number" in named.err
    assert inkov("trunks", "in", "--plan", "none.yaml").status == 2


def bomb(levels: int, each: int, form: str) -> str:
    """Lists, or merges, of what stands before, again and again."""
    text = "x-0: &a0 {name: a}\n" if form == "<<" else f"x-0: &a0 [{', '.join('a' * each)}]\n"
    for level in range(levels):
        inner = ", ".join([f"*a{level}"] * each)
        value = f"{{<<: [{inner}]}}" if form == "<<" else f"[{inner}]"
        text += f"x-{level + 1}: &a{level + 1} {value}\n"
    return text


@pytest.mark.parametrize(
    ("text", "says"),
    [
        (bomb(8, 9, "[]"), "6: column 6: its aliases make it too large to be a plan"),
        (bomb(25, 2, "<<"), "its aliases make it too large to be a plan"),
        ("claims: &c\n  - *c\n", "1: column 9: an alias in it leads back to itself"),
        ("vlans: &c\n  <<: *c\n", "1: column 8: an alias in it leads back to itself"),
        ("claims: " + "[" * 5000, "1: column 9: nested too deeply to be a plan"),
        ("claims: " + "{a: " * 900 + "1" + "}" * 900, "1: column 1: nested too deeply to be a"),
        ("claims:\n  " + "- " * 60 + "a\n", "2: column 103: nested too deeply to be a plan"),
        ("claims:\n  " + "? " * 40 + "a\n", "2: column 5: expected here: a word as key"),
        ("practice: {native: " + "9" * 5000 + "}\n", "1: column 20: a number of thousands of dig"),
        ('claims: !!python/name:os.system ""\n', "1: column 9: there is no tag:yaml.org,2002:pyth"),
        ("vlans: !!set {10}\n", "1: column 8: there is no tag:yaml.org,2002:set in a plan"),
        ("#" * 2**20 + "\n", "too large to be a plan: 1 MB, 1 MB are read at most"),
    ],
    ids=lambda text: text[:24],
)
def test_what_would_blow_up_is_refused_before_it_is_built(text: str, says: str) -> None:
    [problem] = read_plan("plan.yaml", text.encode()).problems
    assert says in f"{problem.origin.line}: {problem.says}"
    assert len(problem.says) < 400


def test_ordinary_yaml_is_read() -> None:
    """Anchors and merges, a part for them, tags that say what stands there anyway."""
    plan = read_plan(
        "plan.yaml",
        b"x-base: &base {name: till, segment: shops}\nx-both: &both [vlan 10, vlan 20]\n"
        b'vlans:\n  10: {<<: *base, name: tills}\n  !!int "20": *base\n'
        b"claims:\n  - isolate: *both\n  - {join: !!str 20}\n",
    )
    assert plan.problems == []
    vlans = plan.says.vlans
    assert [(v, vlans[v].name, vlans[v].segment) for v in vlans] == [
        (10, "tills", "shops"),
        (20, "till", "shops"),
    ]
    assert [c.words for c in plan.says.claims] == ["isolate vlan 10, vlan 20", "join 20"]
