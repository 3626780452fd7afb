"""Findings as a reader meets them: in full, in groups, on a screen, and as a table."""

from __future__ import annotations

from datetime import date
from typing import Any

import pytest

from inkov.campus import Origin
from inkov.checks import Audit, Finding, Severity, Where
from inkov.checks.catalogue import Affected
from inkov.checks.run import rules
from inkov.plan.schema import Acceptance
from inkov.readers import Locator
from inkov.render.findings import (
    findings_result,
    findings_text,
    rule_text,
    short_text,
    summary,
    touched,
)
from inkov.render.results import written
from inkov.render.terminal import Screen
from tests.render.screens import styled

FILE, NOWHERE = Screen(None, colour=False), Locator({})


def place(switch: str, port: str | None, line: int, vlan: int | None = None) -> Where:
    return Where(switch, port, vlan, Origin(f"{switch or 'plan'}.sheet", line))


def finding(number: int, severity: Severity = Severity.FAULT, **more: Any) -> Finding:
    own: dict[str, Any] = {
        "rule": "allowed-differs",
        "where": (place("a", "1", 4), place("b", "10", 5, 20)),
        "assumes": (),
        "affects": Affected(0, ()),
    } | more
    return Finding(
        severity=severity, says=f"says {number}", cure="list it", id=f"id{number}", **own
    )


def text(*found: Finding, **asked: Any) -> list[str]:
    return findings_text(Audit(list(found)), NOWHERE, FILE, "the end", **asked).splitlines()


def test_a_finding_in_full() -> None:
    told = finding(
        1,
        consequences=("VLAN 30 as well",),
        assumes=tuple(f"link {n}" for n in range(6)),
        affects=Affected(7, ("lamp", "mist")),
    )
    assert text(told) == [
        "FAULT  allowed-differs  touches 7 host ports (lamp, mist)",
        "  says 1",
        "    a:1           a.sheet:4",
        "    b:10 VLAN 20  b.sheet:5",
        "  So also: VLAN 30 as well",
        "  Cure: list it",
        *(f"  Rests on: link {n}" for n in range(4)),
        "  ... and 2 more of the kind",
        "",
        "the end",
    ]
    four = finding(1, assumes=tuple(f"link {n}" for n in range(4)))
    assert not any("of the kind" in line for line in text(four))
    why = text(finding(1), finding(2), explain=True)
    assert sum(line.startswith("  Why: ") for line in why) == 1
    assert why.index("  says 1") < next(n for n, line in enumerate(why) if "Why: " in line) < 7


@pytest.mark.parametrize("number", [8, 9, 12])
def test_of_many_places_the_first_are_told(number: int) -> None:
    """Places that read alike count once."""
    where = tuple(place("a", str(at), at) for at in range(1, number + 1))
    told = text(finding(1, where=(*where, where[0])))
    assert sum(line.startswith("    a:") for line in told) == 8
    more = [line for line in told if "more place" in line]
    plural = "s" * (number > 9)
    assert more == [f"    and {number - 8} more place{plural}"] * (number > 8)


@pytest.mark.parametrize(
    ("affects", "says"),
    [
        (Affected(0, ()), ""),
        (Affected(1, ()), "1 host port"),
        (Affected(2, ("lamp",)), "2 host ports (lamp)"),
        (Affected(9, tuple("uvwxy")), "9 host ports (u, v, w, x, y)"),
        (Affected(9, tuple("uvwxyz")), "9 host ports (u, v, w, x, y and 1 more)"),
    ],
)
def test_whom_a_finding_touches(affects: Affected, says: str) -> None:
    assert touched(affects) == says


BREACH, FAULT, RISK, NOTE = Severity.BREACH, Severity.FAULT, Severity.RISK, Severity.NOTE


@pytest.mark.parametrize(
    ("found", "asked", "says"),
    [
        ([], {}, "No findings on 3 switches."),
        ([], {"partial": True}, "No findings in what was read of 3 switches."),
        ([], {"accepted": 2}, "No other findings on 3 switches. 2 accepted by the plan."),
        ([BREACH], {}, "1 breach on 3 switches."),
        ([BREACH, BREACH, NOTE], {}, "2 breaches, 1 note on 3 switches."),
        ([NOTE, FAULT, RISK, RISK], {}, "1 fault, 2 risks, 1 note on 3 switches."),
        (
            [FAULT],
            {"since": "1 is new", "accepted": 1},
            "1 fault on 3 switches. 1 accepted by the plan. 1 is new.",
        ),
    ],
)
def test_a_summary(found: list[Severity], asked: dict[str, Any], says: str) -> None:
    told = [finding(number, severity) for number, severity in enumerate(found)]
    assert summary(told, 3, **asked) == says
    assert summary([], 1) == "No findings on 1 switch."


MIXED = [
    finding(
        1, BREACH, rule="native-default", where=(place("b", "1", 4, 20), place("a", "2", 5, 10))
    ),
    finding(2, FAULT, where=(place("a", "1", 4, 20),)),
    finding(3, RISK, rule="native-default", where=(place("a10", "1", 4), place("", None, 5))),
    finding(4, NOTE, rule="vlan-unused", where=(place("", None, 7),)),
]


def groups(told: list[str]) -> list[tuple[str, list[str]]]:
    """Headings, each with what stands below."""
    found: list[tuple[str, list[str]]] = []
    for line in told:
        if line.endswith(")") and not line.startswith(" ") and "touches" not in line:
            found.append((line, []))
        elif line.startswith("  says"):
            found[-1][1].append(line.strip())
    return found


@pytest.mark.parametrize(
    ("by", "only", "expected"),
    [
        (
            "rule",
            None,
            [
                ("native-default (2)", ["says 1", "says 3"]),
                ("allowed-differs (1)", ["says 2"]),
                ("vlan-unused (1)", ["says 4"]),
            ],
        ),
        (
            "severity",
            None,
            [
                ("breach (1)", ["says 1"]),
                ("fault (1)", ["says 2"]),
                ("risk (1)", ["says 3"]),
                ("note (1)", ["says 4"]),
            ],
        ),
        (
            "switch",
            None,
            [
                ("a (2)", ["says 1", "says 2"]),
                ("a10 (1)", ["says 3"]),
                ("b (1)", ["says 1"]),
                ("no switch (1)", ["says 4"]),
            ],
        ),
        ("switch", "a", [("a (2)", ["says 1", "says 2"]), ("no switch (2)", ["says 3", "says 4"])]),
        (
            "vlan",
            None,
            [
                ("VLAN 10 (1)", ["says 1"]),
                ("VLAN 20 (2)", ["says 1", "says 2"]),
                ("no VLAN (2)", ["says 3", "says 4"]),
            ],
        ),
    ],
)
def test_findings_in_groups(
    by: str, only: str | None, expected: list[tuple[str, list[str]]]
) -> None:
    assert groups(text(*MIXED, by=by, only=only)) == expected


def test_what_the_plan_accepts() -> None:
    found = Audit(
        [],
        [
            (finding(1), Acceptance("allowed-differs", "for now")),
            (finding(2), Acceptance("allowed-differs", "it moves", until=date(2027, 3, 31))),
        ],
    )
    told = findings_text(found, NOWHERE, FILE, "the end").splitlines()
    assert told == [
        "Accepted by the plan",
        "  allowed-differs: says 1; for now",
        "  allowed-differs: says 2; it moves, until 2027-03-31",
        *("", "the end"),
    ]
    assert findings_text(Audit(), NOWHERE, FILE, "the end") == "the end\n"
    assert short_text(Audit(), NOWHERE, FILE, "the end") == "the end\n"


def test_what_is_pointed_at_is_told_in_full_where_there_is_a_line() -> None:
    """On a screen a line is enough."""
    told = finding(1, where=(Where("a", "1", None, Origin("a.json", 4, "/ports/x")),))
    assert text(told)[2] == "    a:1  a.json:4  /ports/x"
    assert "\n    a:1  a.json:4\n" in short_text(Audit([told]), NOWHERE, FILE, "")
    lost = finding(1, where=(Where("a", "1", None, Origin("", 0, "/ports/x")),))
    assert "\n    a:1  /ports/x\n" in short_text(Audit([lost]), NOWHERE, FILE, "")


def test_several_of_a_kind_on_a_screen() -> None:
    """The worst last; of a kind the number, whom all touch, and what more comes of them."""
    first = [
        finding(n, RISK, rule="vlan-unused", affects=Affected(2, ("lamp",))) for n in (3, 4, 5)
    ]
    first[0] = finding(3, RISK, rule="vlan-unused", consequences=("x", "y"), where=())
    told = short_text(
        Audit([finding(1), finding(2), *first]), NOWHERE, FILE, "the end"
    ).splitlines()
    assert told[:6] == [
        *("the end", "", "RISK  vlan-unused  3 times  touches 4 host ports"),
        *("  says 3", "  says 4  (a.sheet:4)", "  says 5  (a.sheet:4)"),
    ]
    assert told[6] == "  So also: 2 more that come of it" and told[7].startswith("  Cure: ")
    assert [line for line in told[8:] if line.startswith("  says")] == ["  says 2", "  says 1"]
    assert told[-2:] == ["the end", "--all tells each with all its places"]
    untouched = [finding(n, RISK, rule="vlan-unused") for n in (3, 4, 5)]
    head = short_text(Audit(untouched), NOWHERE, FILE, "").splitlines()[2]
    assert head == "RISK  vlan-unused  3 times"
    one = [finding(n, RISK, rule="vlan-unused") for n in (3, 4)]
    one.append(finding(5, RISK, rule="vlan-unused", affects=Affected(1, ())))
    head = short_text(Audit(one), NOWHERE, FILE, "").splitlines()[2]
    assert head == "RISK  vlan-unused  3 times  touches 1 host port"


@pytest.mark.parametrize(
    ("asked", "short"),
    [({}, True), ({"whole": True}, False), ({"by": "rule"}, False), ({"explain": True}, False)],
)
def test_what_is_short_only_on_a_screen(asked: dict[str, Any], short: bool) -> None:
    found = Audit([finding(n) for n in (1, 2, 3)])
    result = findings_result(found, NOWHERE, rules=rules(), switches=2, after="after\n", **asked)
    drawn = written(result, "table", Screen(80, colour=False))
    assert ("3 times" in drawn) is short and drawn.endswith("after\n")
    assert "3 times" not in written(result, "table", FILE)


def test_severities_have_their_colours() -> None:
    found = Audit([finding(n, severity) for n, severity in enumerate(Severity)])
    told = styled(findings_text(found, NOWHERE, Screen(80, colour=True), "the end"))
    codes = [code for code, words in told if words in {"BREACH", "FAULT", "RISK", "NOTE"}]
    assert codes == ["1;37;41", "1;31", "1;35", "1;36"]
    assert ("1", "the end") in told and ("1", "allowed-differs") in told


def test_a_rule_in_full() -> None:
    rule = next(rule for rule in rules() if rule.slug == "allowed-differs")
    lines = rule_text(rule, FILE).splitlines()
    assert lines[0] == f"{rule.severity.upper()}  allowed-differs"
    assert [line for line in lines if line in ("Finds", "Why", "Cure", "Example")] == [
        *("Finds", "Why", "Cure", "Example")
    ]
    at = lines.index("Why")
    assert lines[at + 1][2:3].isupper() and lines[at + 1].endswith(".") and lines[at + 2] == ""
    marks = [line.strip()[:1] for line in lines[lines.index("Example") + 4 :]]
    assert {"-", "+"} & set(marks)
