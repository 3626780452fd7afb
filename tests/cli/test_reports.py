"""Findings for people and for other systems: grouped, tuned by the plan, compared with before, as
SARIF and JUnit.
"""

from __future__ import annotations

import csv
import io
import re
from pathlib import Path
from xml.etree import ElementTree

import jsonschema
import pytest

from inkov.checks import CATALOGUE
from tests.cli.sarif import LOG
from tests.conftest import DEMO, Inkov, run_inkov
from tests.render.screens import on_screen

NASTY = (
    'inkov sheet 1\nswitch: "a\\u001b[31m<b>&"\n[vlans]\n10: "x\\u0007|y"\n11: "x\\u0007|y"\n[port'
    ' "p 1"]\n'
)
NASTY += (
    'about: "uplink, password: tulip \\u202e"\nvlan: 10\n[port 2]\nvlan: 11\n[port 3]\nstate: on\n'
)


def garden(*options: str) -> str:
    return run_inkov("audit", "garden", *options, cwd=DEMO).out


def test_sarif_has_the_standard_s_shape() -> None:
    report = run_inkov("audit", "garden", "-f", "sarif", cwd=DEMO)
    jsonschema.validate(report.json, LOG)
    [run] = report.json["runs"]
    rules = run["tool"]["driver"]["rules"]
    assert [rule["id"] for rule in rules] == rules_in_order()
    counts = run_inkov("audit", "garden", "-f", "json", cwd=DEMO).json["counts"]
    levels = [result["level"] for result in run["results"]]
    assert (
        levels.count("error") == counts["breach"] + counts["fault"]
        and levels.count("note") == counts["note"]
    )
    for result in run["results"]:
        assert rules[result["ruleIndex"]]["id"] == result["ruleId"]
        place = result["locations"][0]["physicalLocation"]
        assert (DEMO / place["artifactLocation"]["uri"]).is_file() and place["region"][
            "startLine"
        ] > 0


def rules_in_order() -> list[str]:
    return [rule["slug"] for rule in run_inkov("rules", "-f", "json").json["rules"]]


def test_junit_has_a_case_for_each_rule() -> None:
    suite = ElementTree.fromstring(garden("-f", "junit", "--fail-on", "fault"))[0]
    failed = {case.get("name") for case in suite if case.find("failure") is not None}
    assert len(suite) == len(CATALOGUE) == int(suite.get("tests", 0)) and len(failed) == int(
        suite.get("failures", 0)
    )
    assert "mtu-differs" in failed and "native-default" not in failed


@pytest.mark.parametrize("form", ["table", "json", "csv", "markdown", "sarif", "junit"])
def test_nothing_read_gets_through_as_code(inkov: Inkov, tmp_path: Path, form: str) -> None:
    """Control characters, markup and secrets of a configuration, in every form."""
    (tmp_path / "n.sheet").write_text(NASTY)
    out = inkov("audit", "n.sheet", "-f", form, "-q").out
    assert "tulip" not in out and "trunk-expected" in out
    assert all(c.isprintable() or c == "\n" for c in out), form
    assert not any(escape in out for escape in ("\\u001b", "\\u0007", "\\u202e")), form
    if form == "junit":
        ElementTree.fromstring(out)
    if form == "sarif":
        import json

        jsonschema.validate(json.loads(out), LOG)
    if form == "csv":
        assert len({len(row) for row in csv.reader(io.StringIO(out))}) == 1


@pytest.mark.parametrize("by", ["rule", "switch", "severity", "vlan"])
def test_findings_are_grouped(by: str) -> None:
    plain, grouped = garden(), garden("--by", by)
    heading = {
        "rule": "mtu-differs (1)",
        "switch": "herbarium-1 (",
        "severity": "fault (9)",
        "vlan": "VLAN 70 (",
    }[by]
    assert f"\n{heading}" in f"\n{grouped}" and plain.splitlines()[-1] == grouped.splitlines()[-1]
    for line in {
        line for line in plain.splitlines() if line.startswith("  ") and not line.startswith("   ")
    }:
        assert line in grouped
    assert len(plain.splitlines()[-1]) < 140  # it fits a chat message


def test_explained_and_chosen() -> None:
    only = garden(
        "--only", "mtu-differs", "--only", "vlan-unused", "--skip", "vlan-unused", "--explain"
    )
    assert only.startswith("FAULT  mtu-differs") and only.endswith("1 fault on 13 switches.\n")
    assert f"  Why: {CATALOGUE['mtu-differs'].why}." in only
    wrong = run_inkov("audit", "garden", "--skip", "mtu-difers", cwd=DEMO)
    assert wrong.status == 2 and "did you mean mtu-differs" in wrong.err


def test_only_what_is_new_since(inkov: Inkov, tmp_path: Path) -> None:
    sheet = "inkov sheet 1\nswitch: a\n[vlans]\n10: x\n20: y\n[port 1]\nvlan: 10\n"
    (tmp_path / "a.sheet").write_text(sheet)
    assert inkov("audit", ".", "-f", "json", "-o", "../before.json").status == 0
    (tmp_path / "a.sheet").write_text("# a line more\n" + sheet + "[port 2]\nvlan: 30\n")
    after = inkov("audit", ".", "--baseline", "../before.json")
    assert (
        after.status == 1
        and "access-vlan-undefined" in after.out
        and "vlan-unused" not in after.out
    )
    assert after.out.endswith("1 fault on 1 switch. 1 known from the baseline, 0 gone since.\n")
    (tmp_path / "a.sheet").write_text(sheet.replace("20: y\n", ""))
    assert inkov("audit", ".", "--baseline", "../before.json").out.endswith(
        "No other findings on 1 switch. 0 known from the baseline, 1 gone since.\n"
    )
    # What was not asked for is not gone.
    assert inkov("audit", ".", "--baseline", "../before.json", "--skip", "vlan-unused").out == (
        "No other findings on 1 switch. 0 known from the baseline, 0 gone since.\n"
    )
    for text, says in (
        ("{", "is no baseline"),
        ('{"findings": [1]}', "is no baseline"),
        ('{"findings": {}, "accepted": {}}', "is no baseline"),
        ('{"claims": []}', "is no baseline"),
        (None, "cannot read the baseline none.json: no such file or directory"),
    ):
        if text is not None:
            (tmp_path / "bad.json").write_text(text)
        result = inkov("audit", ".", "--baseline", "bad.json" if text else "none.json")
        assert result.status == 2 and says in result.err


def test_what_the_plan_accepts(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "a.sheet").write_text(
        "inkov sheet 1\nswitch: a\n[vlans]\n10: x\n[port 1]\nvlan: 10\n[port 2..3]\nvlan: 30\n"
    )
    plan = (
        "accepted:\n  - {rule: access-vlan-undefined, switch: a, because: being moved, until: %s}\n"
    )
    (tmp_path / "plan.yaml").write_text(plan % "2999-12-31")
    fine = inkov("audit", ".")
    assert fine.status == 0 and "being moved, until 2999-12-31" in fine.out
    assert fine.out.endswith("No other findings on 1 switch. 1 accepted by the plan.\n")
    [result] = inkov("audit", ".", "-f", "sarif").json["runs"][0]["results"]
    assert result["suppressions"][0]["justification"].startswith("being moved")
    (tmp_path / "plan.yaml").write_text(plan % "2020-01-31")
    expired = inkov("audit", ".", "-f", "json").json
    assert [(f["rule"], f["severity"]) for f in expired["findings"]] == [
        ("access-vlan-undefined", "fault"),
        ("acceptance-stale", "risk"),
    ]
    (tmp_path / "plan.yaml").write_text((plan % "2999-12-31").replace("switch: a", "port: '9'"))
    stale = inkov("audit", ".", "-f", "json").json["findings"]
    assert stale[1]["says"] == "access-vlan-undefined at port 9 is accepted, and not found any more"
    (tmp_path / "plan.yaml").write_text("accepted:\n  - {rule: acces-vlan-undefined, because: x}\n")
    for command in (["audit", "."], ["plan", "check", "."]):
        wrong = inkov(*command)
        says = (
            "plan.yaml:2: the plan accepts 'acces-vlan-undefined', which is no rule; did you mean"
        )
        assert wrong.status and f"{says} access-vlan-undefined" in wrong.out + wrong.err


LINK = """\
inkov sheet 1
switch: {name}
[vlans]
10: pumps
20: tills
30: guests
[port 1]
mode: trunk
native: none
allowed: {allowed}
[port 2]
vlan: 10
[port 3]
vlan: 20
[port 4]
vlan: 30
[neighbours]
1: {far}:1
"""


def test_what_grows_at_a_known_place_is_new(inkov: Inkov, tmp_path: Path) -> None:
    """One VLAN more that a link loses is another outage; one that is mended is none."""

    def lose(lost: str) -> None:
        allowed = ",".join(vid for vid in ("10", "20", "30") if vid not in lost.split())
        (tmp_path / "a.sheet").write_text(LINK.format(name="a", far="b", allowed="10,20,30"))
        (tmp_path / "b.sheet").write_text(LINK.format(name="b", far="a", allowed=allowed))

    lose("20")
    assert inkov("audit", ".", "-f", "json", "-o", "../known.json").status == 1
    same = inkov("audit", ".", "--baseline", "../known.json")
    assert (same.status, same.out.splitlines()[-1]) == (
        0,
        "No other findings on 2 switches. 1 known from the baseline, 0 gone since.",
    )
    lose("20 30")
    more = inkov("audit", ".", "--baseline", "../known.json")
    assert more.status == 1 and "VLAN 20,30" in more.out
    (tmp_path / "plan.yaml").write_text(
        "accepted:\n  - {rule: allowed-differs, switch: b, vlan: 20, because: being moved}\n"
    )
    assert "VLAN 20,30" in inkov("audit", ".").out
    lose("20")
    assert "1 accepted by the plan" in inkov("audit", ".").out
    (tmp_path / "plan.yaml").unlink()
    lose("20 30")
    assert inkov("audit", ".", "-f", "json", "-o", "../known.json").status == 1
    lose("20")
    part = inkov("audit", ".", "--baseline", "../known.json")
    assert part.status == 0 and part.out.endswith("1 known from the baseline, 0 gone since.\n")


def test_proofs_have_a_baseline_too(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "a.sheet").write_text(LINK.format(name="a", far="b", allowed="10,20,30"))
    (tmp_path / "b.sheet").write_text(LINK.format(name="b", far="a", allowed="10,30"))
    assert inkov("prove", ".", "-f", "json", "-o", "../known.json").status == 1
    known = inkov("prove", ".", "--baseline", "../known.json")
    assert known.status == 0 and "BROKEN" not in known.out
    assert known.out.endswith("1 known from the baseline, 0 of it not judged any more.\n")
    sheet = LINK.format(name="b", far="a", allowed="10,30").replace("30: guests\n", "")
    (tmp_path / "b.sheet").write_text(sheet)
    more = inkov("prove", ".", "--baseline", "../known.json")
    assert more.status == 1 and "BROKEN  VLAN 30 is not split" in more.out
    assert "VLAN 20 is not split" not in more.out
    (tmp_path / "bad.json").write_text('{"findings": []}')
    assert "is no baseline" in inkov("prove", ".", "--baseline", "bad.json").err


def test_the_blast_radius_counts_ports_and_names_hosts() -> None:
    findings = run_inkov("audit", "garden", "-f", "json", cwd=DEMO).json["findings"]
    radius = {f["rule"]: f["affects"] for f in findings}
    assert radius["vlan-missing-in-transit"] == {"ports": 6, "hosts": ["alarm-server", "freezer-1"]}
    assert radius["ranges-overlap"] == {"ports": 1, "hosts": []}


def test_rules_read_well() -> None:
    text = run_inkov("rules", "allowed-differs").out
    assert "- allowed: 10,99\n" in text and "+ allowed: 10,20,99\n" in text
    assert max(map(len, run_inkov("rules").out.splitlines())) < 200


def test_on_a_terminal_the_worst_stands_last(tmp_path: Path) -> None:
    """Findings of a kind are one; what is accepted is counted. In a pipe, and with --all, each is
    told by itself, the worst first.
    """
    text = "inkov sheet 1\nswitch: a\n[vlans]\n10: climate\n"
    text += "".join(f"[port {n}]\nvlan: {60 + n}\n" for n in range(1, 9))
    text += "[port 11]\nvlan: 10\nabout: spare\n[port 12]\nvlan: 10\n"
    (tmp_path / "a.sheet").write_text(text)
    (tmp_path / "plan.yaml").write_text(
        "accepted:\n  - {rule: access-vlan-undefined, switch: a, port: '8', because: moving}\n"
    )

    def shown(*options: str) -> list[str]:
        coloured = on_screen("audit", tmp_path, *options, width=80, colour=True)
        assert "\x1b[" in coloured
        lines = re.sub(r"\x1b\[[0-9;]*m", "", coloured).rstrip().split("\n")
        assert max(map(len, lines)) <= 80
        return [line.rstrip() for line in lines]

    lines = shown()
    heads = [line for line in lines if re.match("(FAULT|RISK|NOTE)  ", line)]
    assert heads[-1] == "FAULT  access-vlan-undefined  7 times  touches 7 host ports"
    assert heads[0].startswith("NOTE" if any(h.startswith("NOTE") for h in heads) else "RISK")
    says = [line for line in lines if "does not define VLAN" in line]
    assert len(says) == 5 and "  and 2 more" in lines
    assert lines[0] == lines[-2] and "1 accepted by the plan." in lines[0]
    assert "--accepted tells what the plan accepts" in lines[-1]
    assert any("moving" in line for line in shown("--accepted"))
    each = shown("--all")
    assert sum("does not define VLAN" in line for line in each) == 8  # the accepted one as well
    assert re.match("FAULT  access-vlan-undefined", each[0])
