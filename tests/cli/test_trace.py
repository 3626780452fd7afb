"""`inkov read --trace`: beside each line of a file what took it, what it says, and what lasts."""

from __future__ import annotations

import random
from pathlib import Path
from typing import Any

import pytest

from inkov.readers.sheets.writer import write_sheet
from tests.campuses import random_campus
from tests.conftest import Inkov
from tests.proofs.test_packets import with_gateways

MOSS = """\
dialect = "moss"
recognise = ["moss bed {name}"]
[lists]
ranges = ["to"]
[text]
comment = ["%"]
negation = ["never"]
[device]
ignored = ["rain {text}"]
[device.says]
"moss bed {name}" = "name = {name}"
"keeper {secret}" = ""
[vlan]
opens = ["soil {vids}"]
[vlan.says]
"called {name}" = "name = {name}"
[port]
opens = ["tuft {ports}"]
[port.says]
"in {vlan}" = "mode = access; vlan = {vlan}"
"over {vids}" = "mode = trunk; allowed = {vids}"
"over more {vids}" = "allowed + {vids}"
"over all but {vlans}" = "mode = trunk; allowed = all but {vlans}"
"shade" = "state = off"
"""
BED = """\
moss bed north
% planted late
keeper 7 hunter2
soil 10, 20
soil 30
    called ferns
tuft 1 to 4
    in 10
tuft 4
    in ferns
tuft 8
    over 10
    over more 20
    over 30
    glow brightly
rain now
tuft 9
    shade
    never shade
    over all but ferns
"""


@pytest.fixture
def lines(inkov: Inkov, tmp_path: Path) -> dict[int, dict[str, Any]]:
    (tmp_path / "moss.toml").write_text(MOSS)
    (tmp_path / "north.txt").write_text(BED)
    traced = inkov("read", ".", "--trace", "north.txt", "-f", "json").json["lines"]
    return {line["number"]: line for line in traced}


def test_each_line_of_a_text_tells_its_form_and_what_it_says(
    lines: dict[int, dict[str, Any]],
) -> None:
    def row(number: int) -> tuple[str, list[str], list[str]]:
        line = lines[number]
        return line["fate"], line["forms"], line["does"]

    assert [line["text"] for line in lines.values()] == [
        "keeper ..." if "hunter2" in text else text for text in BED.splitlines()
    ]
    assert row(1) == ("read", ["moss bed {name}"], ["device: name = north"])
    assert row(2) == ("no meaning", [], [])
    assert row(3) == ("no meaning", ["keeper {secret}"], [])
    assert row(4) == ("read", ["soil {vids}"], ["VLANs 10,20 are there"])
    assert row(6) == ("read", ["called {name}"], ["VLAN 30: name = ferns"])
    assert row(8) == ("read", ["in {vlan}"], ["4 ports (1 ... 4): mode = access, vlan = 10"])
    assert row(13) == ("read", ["over more {vids}"], ["port 8: allowed + 20"])
    assert row(15) == ("not understood", [], [])
    assert row(16) == ("no meaning", ["rain {text}"], [])
    assert row(19) == ("read", ["shade"], ["port 9: state unset"])
    assert row(20)[2] == ["port 9: mode = trunk, allowed = all but ferns"]
    places = {
        form: at
        for line in lines.values()
        for form, at in zip(line["forms"], line["form_lines"], strict=True)
    }
    assert all(form in MOSS.splitlines()[at - 1] for form, at in places.items()), places


def test_what_does_not_last_is_said_with_the_line_that_replaced_it(
    lines: dict[int, dict[str, Any]],
) -> None:
    """Port 4 is put into another VLAN, the second list of port 8 replaces what the first and the
    addition to it said, and what shut port 9 is taken back. All else lasts.
    """
    assert {number: line["later"] for number, line in lines.items() if line["later"]} == {
        8: ["vlan of port 4 is replaced in line 10"],
        12: ["allowed is replaced in line 14"],
        13: ["allowed is replaced in line 14"],
        18: ["state of port 9 is taken back later"],
    }


def test_the_trace_of_other_formats_comes_from_the_campus(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "a.sheet").write_text(
        "inkov sheet 1\nswitch: a\n[port 1]\nvlan: 10\nstate: off\nwhat: ever\n[neighbours]\n"
        "1: b:2\n"
    )
    (tmp_path / "hosts.csv").write_text("host,switch,port\nx,a,1\n")
    traced = inkov("read", ".", "--trace", "a.sheet", "-f", "csv", "-q").out.splitlines()
    assert traced == [
        "line,text,says",
        "1,inkov sheet 1,",
        "2,switch: a,switch a",
        "3,[port 1],port 1 is there",
        "4,vlan: 10,port 1: vlan = 10",
        "5,state: off,port 1: state = off",
        "6,what: ever,(not understood)",
        "7,[neighbours],",
        "8,1: b:2,link from a:1 to b:2",
    ]
    of_hosts = inkov("read", ".", "--trace", "hosts.csv", "-f", "csv", "-q").out.splitlines()
    assert of_hosts[-1] == '2,"x,a,1",host x at a:1'
    (tmp_path / "ports.csv").write_text(
        "switch,port,vlan,allowed,state,edge\na,1,20,none,off,yes\n"
    )
    of_plan = inkov("read", ".", "--trace", "ports.csv", "-f", "csv", "-q").out.splitlines()
    says = "planned for a:1: vlan = 20, allowed = none, state = off, edge = yes"
    assert of_plan[-1] == f'2,"a,1,20,none,off,yes","{says}"'


EVERYTHING = """\
inkov sheet 1
switch: a               | switch a
[vlans]
10: ferns               | VLAN 10 is there; VLAN 10: name = ferns
30: beds; suspended     | VLAN 30 is there; VLAN 30: name = beds; VLAN 30: active = no
[port 1]                | port 1 is there
mode: routed            | port 1: mode = routed
address: 10.0.0.1/24    | port 1: address = 10.0.0.1/24
filter in: door         | port 1: filter in = door
[sub 1.5]               | sub-interface 1.5 is there
of: 1                   | sub-interface 1.5: of = 1
tag: 5                  | sub-interface 1.5: tag = 5
[gateway 10]            | gateway 10 is there
state: off              | gateway 10: state = off
address: 10.0.10.1/24   | gateway 10: address = 10.0.10.1/24
vrf: green              | gateway 10: vrf = green
filter out: door        | gateway 10: filter out = door
[filter door]           | filter door is there
10: reject from 10.0.10.0/24 to any      | filter door rejects 10.0.10.0/24 to any
20: accept from any to 10.0.0.0/24 in part | filter door accepts any to 10.0.0.0/24 in part
[tree]
mode: mstp              | switch: tree mode = mstp
region: north           | switch: region = north
[tree 10]               | tree 10 is there
priority: 4096          | tree 10: priority = 4096
cost of 1: 20           | tree 10, port 1: cost = 20
external cost of 1: 30  | tree 10, port 1: external cost = 30
priority of 1: 16       | tree 10, port 1: priority = 16
role of 1: root         | tree 10, port 1: role = root
state of 1: forwarding  | tree 10, port 1: state = forwarding
[bundle b]              | bundle b is there
members: 2              | port 2 is there; port 2: bundle = b
[bridge x]              | bridge x is there
ports: 2                | bridge x: port 2
[vlans in x]
40: moss                | VLAN 40 in x is there; VLAN 40 in x: name = moss
[gateway 40 in x]       | gateway 40 in x is there
[distribution]          | distribution is there
domain: garden          | distribution: domain = garden
role: origin            | distribution: role = origin
password: set           | distribution: password = yes
"""


def test_every_kind_of_thing_is_told_on_its_line(inkov: Inkov, tmp_path: Path) -> None:
    rows = [line.partition("|") for line in EVERYTHING.splitlines()]
    (tmp_path / "a.sheet").write_text("".join(f"{text}\n" for text, _, _ in rows))
    traced = inkov("read", ".", "--trace", "a.sheet", "-f", "json").json["lines"]
    told = [(line["text"], line["does"]) for line in traced]
    assert told == [
        (text.rstrip().replace(": set", ": ..."), says.strip().split("; ") if says else [])
        for text, _, says in rows
    ]


def test_no_line_that_says_something_is_left_out(inkov: Inkov, tmp_path: Path) -> None:
    """Of random switches, written as sheets: each line with a value shows what it is taken for."""
    silent = ("inkov sheet 1", "known as:", "unknown:", "reading:", "tagged: yes")
    lines = 0
    for number in range(12):
        rng = random.Random(f"trace {number}")
        campus = with_gateways(rng, random_campus(rng, 2))
        [device, *_] = campus.devices.values()
        (tmp_path / "s.sheet").write_text(write_sheet(device))
        for line in inkov("read", ".", "--trace", "s.sheet", "-f", "json").json["lines"]:
            text = line["text"]
            if ": " in text and not text.startswith(("[", "#", *silent)):
                assert line["does"] and line["fate"] == "read", line
                lines += 1
    assert lines > 100, lines


def test_a_file_that_was_not_read_is_named(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "north.sheet").write_text("inkov sheet 1\nswitch: a\n[port 1]\nvlan: 10\n")
    for wrong, says in (
        (
            "noth.sheet",
            "noth.sheet is not among the files that were read; did you mean north.sheet",
        ),
        ("/", "/ is not among the files"),
    ):
        result = inkov("read", ".", "--trace", wrong)
        assert (result.status, result.out) == (2, "") and says in result.err, result.err
    both = inkov("read", ".", "--trace", "north.sheet", "--unmatched")
    assert both.status == 2 and "leave --unmatched out" in both.err
