"""What a plan means: what is not said, names of VLANs, the starting plan, and the schema."""

from __future__ import annotations

from datetime import date
from ipaddress import ip_network
from pathlib import Path
from typing import Any

import jsonschema
import pytest

from inkov.levels import Layer, Level
from inkov.plan import missing_switches, read_plan
from inkov.plan.loader import vlan_names
from inkov.plan.starter import schema, starter
from tests.conftest import Inkov, campus_of

EVERYTHING = """\
vlans:
  10: climate
  20: {name: irrigation, segment: water, subnet: 10.0.20.0/24, needed: [a], routed: no}
  30:
segments:
  tills: 50,51
  water: {vlans: 21-22, about: pipes}
practice:
  native: 99
  management: 90
  negotiation: off
  reserved: 1000-1005
  names: '[a-z]+'
  root: [a, b]
  unused: {vlan: 98}
  edge: yes
  guard: on
  distribution: {carries: {1: 1-1000}, private: [3]}
accepted:
  - {rule: native-mismatch, because: the old shed, until: 2027-01-31, vlan: 10}
platforms:
  north: {files: ['n-*'], unstated: {mode: trunk}, private-vlans: no}
claims:
  - isolate: [tills, water]
  - {carried-by: {vlans: 10, over: 'a:1'}, level: hostile}
  - {not-reach: [a:1, b:1], layer: 3, about: pumps stay alone}
  - {reach: [a:1, b:1]}
  - {isolate: tills, from: everything, except: [water, a:1], one-way: yes}
  - {isolate: tills, from: water}
  - {join: [tills]}
ports: ports.csv
links: [one.csv, two.csv]
"""


def test_what_is_said_is_read_and_what_is_not_has_its_default() -> None:
    plan = read_plan("plan.yaml", EVERYTHING.encode())
    assert plan.problems == []
    says = plan.says
    climate, irrigation, unnamed = (says.vlans[vid] for vid in (10, 20, 30))
    assert (climate.name, climate.segment, climate.subnet, climate.needed) == (
        "climate",
        "",
        None,
        [],
    )
    assert climate.routed is None and unnamed.name == ""
    assert (irrigation.segment, irrigation.subnet) == ("water", ip_network("10.0.20.0/24"))
    assert irrigation.routed is False and irrigation.needed == ["a"]
    practice = says.practice
    assert practice.unused is not None and practice.unused.shut is True
    assert (practice.native, practice.management, practice.negotiation) == (99, 90, "off")
    assert (practice.edge, practice.guard, str(practice.reserved)) == (True, True, "1000-1005")
    assert str(practice.distribution.carries[1]) == "1-1000"
    [accepted] = says.accepted
    assert (accepted.until, accepted.vlan, accepted.switch) == (date(2027, 1, 31), 10, "")
    assert says.platforms["north"].private_vlans is False
    defaults = read_plan("plan.yaml", b"practice: {unused: {}}\nplatforms:\n  n: {}\n").says
    assert defaults.platforms["n"].private_vlans is True
    assert defaults.practice.edge is None and defaults.practice.unused is not None
    assert (defaults.practice.unused.vlan, defaults.practice.unused.shut) == (None, True)
    isolate, carried, apart, reach, *others = says.claims
    assert [claim.words for claim in others] == [
        "one way, isolate tills from everything but water, a:1",
        "isolate tills from water",
        "join tills",
    ]
    assert isolate.words == "isolate tills, water"
    assert (isolate.level, isolate.layer, isolate.one_way) == (Level.HONEST, Layer.FRAMES, False)
    assert (carried.kind, carried.level, carried.words) == (
        "carried-by",
        Level.HOSTILE,
        "VLAN 10 on links at a:1 only",
    )
    assert (apart.kind, apart.layer, apart.words) == (
        "not-reach",
        Layer.PACKETS,
        "pumps stay alone",
    )
    assert reach.words == "a:1 reaches b:1"
    assert (says.ports, says.links) == (["ports.csv"], ["one.csv", "two.csv"])


def test_a_name_is_all_the_vlans_that_have_it_and_a_segment_goes_first() -> None:
    """Names of the configurations, of the plan's VLANs and its segments, in this order."""
    sheet = "inkov sheet 1\nswitch: {}\n[vlans]\n10: climate\n11: climate\n20: water\n"
    campus = campus_of(sheet.format("a"), sheet.format("b").replace("11: climate", "12: climate"))
    plan = read_plan("plan.yaml", EVERYTHING.replace("10: climate", "13: climate").encode())
    names = {name: str(vids) for name, vids in vlan_names(plan, campus).items()}
    assert names == {
        "climate": "10-13",
        "irrigation": "20",
        "tills": "50-51",
        # The segment's own, and the VLAN that says it belongs to it; not the switches' VLAN 20 by
        # its name there, which is the same by chance.
        "water": "20-22",
    }


STARTED = """\
vlans:
  10: {name: climate, subnet: 10.0.10.0/24}  # also called Climate, fog
  20: {name: "on"}
  30: {}
  40: {name: "2 pumps"}
  41: {name: "2 pumps"}
  50: {name: east-gate}
  60: {subnet: 10.0.60.0/24}

segments:
  climate: 10
  "on": 20
  "2 pumps": 40,41
  east-gate: 50

claims: []
#  - isolate: [climate, "on", "2 pumps", east-gate]
#    level: hostile
#  - join: climate
#  - join: "on"
#  - join: "2 pumps"
#  - join: east-gate
"""


def test_the_starting_plan_says_what_the_configurations_say() -> None:
    sheets = (
        "inkov sheet 1\nswitch: a\n[vlans]\n1: house\n10: climate\n20: on\n30:\n40: 2 pumps\n"
        "[gateway 10]\naddress: 10.0.10.1/24\n[gateway 60]\naddress: 10.0.60.1/24\n",
        "inkov sheet 1\nswitch: b\n[vlans]\n10: climate\n41: 2 pumps\n50: east-gate\n"
        "[gateway 10]\naddress: 10.0.10.2/24\n",
        "inkov sheet 1\nswitch: c\n[vlans]\n10: fog\n[gateway 10]\naddress: 10.9.0.1/24\n",
        "inkov sheet 1\nswitch: d\n[vlans]\n10: Climate\n",
    )
    text = starter(campus_of(*sheets))
    remarks, _, started = text.partition("vlans:")
    assert remarks.count("\n") == 2 and "vlans:" + started == STARTED
    plan = read_plan(
        "plan.yaml",
        text.replace("#  -", "  -")
        .replace("#    level", "    level")
        .replace("claims: []", "claims:")
        .encode(),
    )
    assert plan.problems == [] and len(plan.says.claims) == 5
    nothing = starter(campus_of("inkov sheet 1\nswitch: a\n[vlans]\n1: house\n"))
    assert nothing.partition("vlans:")[2] == " {}\n\nsegments: {}\n\nclaims: []\n"


@pytest.mark.parametrize(("names", "told"), [("", False), ("10: ferns", False), ("20: fog", True)])
def test_one_segment_alone_is_kept_apart_from_nobody(names: str, told: bool) -> None:
    text = starter(campus_of(f"switch: a\n[vlans]\n10: ferns\n{names}\n"))
    assert ("isolate: [ferns, fog]" in text) is ("join: ferns" in text) is told


@pytest.mark.parametrize(
    ("word", "read"), [("true", "on"), ("false", "off"), ("on", "on"), ("off", "off")]
)
def test_on_and_off_may_be_written_as_true_and_false(word: str, read: str) -> None:
    plan = read_plan("plan.yaml", f"practice: {{negotiation: {word}}}\n".encode())
    assert plan.problems == [] and plan.says.practice.negotiation == read


@pytest.mark.parametrize(
    ("expected", "missing"),
    [
        ("3", []),
        ("4", ["there are 3 switches of 4"]),
        ("{number: 2}", []),
        ("{number: 3, switches: [bed-1, '7']}", ["there are 3 switches of 7"]),
        ("{number: 9, switches: ['7']}", ["there are 3 switches of 9"]),
        ("[bed-*, fog]", []),
        ("[bed-3, yew*]", ["no switch is called bed-3", "no switch is called yew*"]),
    ],
)
def test_switches_that_have_to_be_there(expected: str, missing: list[str]) -> None:
    plan = read_plan("plan.yaml", f"expected: {expected}\n".encode())
    assert plan.problems == []
    assert missing_switches(plan.says.expected, ["bed-1", "bed-2", "fog"]) == missing


def test_the_schema_takes_what_the_reader_takes() -> None:
    from ruamel.yaml import YAML

    validator = jsonschema.Draft202012Validator(schema())

    def faults(text: str) -> list[str]:
        tree = YAML(typ="safe").load(text)

        def keys(node: Any) -> Any:  # as JSON has them
            if isinstance(node, dict):
                return {str(key): keys(value) for key, value in node.items()}
            return [keys(each) for each in node] if isinstance(node, list) else node

        return [error.message for error in validator.iter_errors(keys(tree))]

    assert not faults(EVERYTHING.replace("until: 2027-01-31", "until: '2027-01-31'"))
    for word in ("true", "false", "yes", "off"):
        assert not faults(f"practice: {{unused: {{shut: {word}}}}}")
    parts = schema()["$defs"]
    assert "Origin" not in parts and "Basis" not in parts
    for unknown in (
        "vlans: {10: {x: 1}}",
        "segments: {a: {vlans: 10, x: 1}}",
        "hosts: {a: {at: 'a:1', x: 1}}",
        "practice: {x: 1}",
        "practice: {unused: {x: 1}}",
        "practice: {distribution: {x: 1}}",
        "accepted: [{rule: a, because: b, x: 1}]",
        "platforms: {a: {x: 1}}",
        "claims: [{join: a, x: 1}]",
        "claims: [{carried-by: {vlans: 10, x: 1}}]",
        "uplinks: {'a:1': {to: 'b:2', x: 1}}",
        "expected: {number: 3, x: 1}",
        "together: [{parts: [a, b], x: 1}]",
        "x: 1",
    ):
        assert faults(unknown), unknown
        problems = read_plan("plan.yaml", unknown.encode()).problems
        assert "'x' is not known here" in problems[0].says
    for wrong in (
        "practice: {edge: perhaps}",
        "practice: {native: 5000}",
        "vlans: {10: {nmae: a}}",
        "claims: [{isolate: 7}]",
        "claims: [{isolate: [a, b], level: friendly}]",
        "claims: [{isolate: [a, b], layer: 4}]",
        "hosts: {pump: {vlan: 10}}",
        "segments: {tills: {about: x}}",
        "accepted: [{rule: x}]",
    ):
        assert faults(wrong), wrong
        assert read_plan("plan.yaml", wrong.encode()).problems, wrong


@pytest.mark.parametrize(
    ("text", "line", "column", "says"),
    [
        ("vlans:\n  10: {subnet: 10.0.10.5/24}", 2, 16, "a subnet, as in 10.0.10.0/24; not"),
        ("vlans:\n  10: a\n  true: b", 3, 3, "is not a VLAN number"),
        ("practice: {unused: {shut: perhaps}}", 1, 27, "yes or no; not 'perhaps'"),
        ("accepted:\n  - {rule: a, because: b, until: soon}", 2, 34, "a day, as in"),
        ("accepted:\n  - {rule: a}", 2, 5, "`because` is missing here"),
        ("claims:\n  - {isolate: [a, b], level: friendly}", 2, 30, "is not one of: honest"),
        ("practice: {negotiation: maybe}", 1, 25, "is not one of: on, off"),
        ("claims:\n  - {isolate: a, from: b, reach: [a, b]}", 2, 1, "exactly one of"),
        ("claims:\n  - {reach: [a, b], except: c}", 2, 1, "belong to `isolate`"),
        ("claims:\n  - {isolate: [a, b], except: c}", 2, 1, "leaves members of `from` out"),
        ("claims:\n  - {isolate: [a, b], one-way: yes}", 2, 1, "or a `from`"),
        ("claims:\n  - {carried-by: {vlans: 10, on: a}, layer: 3}", 2, 1, "`layer: 3` belongs to"),
        ("vlans:\n  10: \u0007", 2, 7, "not readable as YAML"),
    ],
)
def test_more_errors_are_placed(text: str, line: int, column: int, says: str) -> None:
    problem = read_plan("plan.yaml", text.encode()).problems[0]
    first = problem.says.split("\n")[0]
    assert says in first, problem
    if says == "not readable as YAML":
        assert (problem.origin.line, first.partition(":")[0]) == (1, "column 1")
    else:
        assert (problem.origin.line, first.partition(":")[0]) == (line, f"column {column}")


@pytest.mark.parametrize(
    ("data", "line"), [(b"vlans:\n  10: a\n  20: \xff\n", 3), (b"\n\xff", 2), (b"\xff", 1)]
)
def test_what_is_not_utf_8_is_placed(inkov: Inkov, tmp_path: Path, data: bytes, line: int) -> None:
    (tmp_path / "a.sheet").write_text("inkov sheet 1\nswitch: a\n")
    (tmp_path / "plan.yaml").write_bytes(data)
    checked = inkov("plan", "check", ".", "--plan", "plan.yaml")
    says = f"plan.yaml:{line}: column 1: not UTF-8 here"
    assert checked.status and says in checked.out + checked.err
