"""The edits that findings propose: made on the campus of a rule's example, nothing is found; and
their cures, in words, say the same.
"""

from __future__ import annotations

import random
from pathlib import Path

import pytest

from inkov.checks import CATALOGUE, Finding, audit
from inkov.edits import apply, difference
from inkov.forwarding import resolve
from inkov.plan import Plan, read_plan
from inkov.readers import load
from inkov.readers.platforms import shape
from inkov.wiring import wire
from tests.checks.cures import edits_of
from tests.checks.mistakes import KINDS, Ground
from tests.checks.test_examples import write
from tests.checks.test_mistakes import clean, ground_of
from tests.conftest import copied, fabric_of, share

CURED = {
    *("allowed-differs", "needed-vlan-missing", "spare-link-lacks-vlan", "surplus-vlans"),
    *("management-surplus", "trunk-lacks-secondaries", "native-not-allowed", "native-undefined"),
    *("vlan-missing-in-transit", "vlan-on-one-way-only", "vlan-suspended"),
    *("vlan-name-differs", "vlan-name-against-plan", "edge-missing", "edge-on-link"),
    *("guard-missing", "gateway-shut", "mask-wrong", "host-gateway-wrong"),
    *("host-without-gateway", "protected-uplink", "registration-at-host-port"),
    *("native-against-practice", "vlan-unnamed", "vlan-unused"),
    *("trunk-allows-everything", "allowed-nowhere-defined", "trunk-meets-access", "link-shut"),
    *("negotiation-by-default", "negotiation-defaults-differ", "negotiation-on"),
    *("host-port-negotiates", "port-against-plan", "unused-port-open", "voice-vlan-missing"),
    *("promiscuous-mapping-incomplete", "private-host-mismatch", "private-port-incomplete"),
}
"""Rules whose cure leaves no choice in their example: their findings propose edits."""


def example(folder: Path, slug: str) -> tuple[list[Finding], list[Finding]]:
    """What is found in the wrong campus of a rule's example, and with the edits proposed."""
    loaded = load([str(write(folder, CATALOGUE[slug].shown, "-"))])
    plan = next((read_plan(path, data) for path, data in loaded.plans.items()), Plan())
    shape(loaded.campus, plan.says.platforms)
    campus = loaded.campus
    found = audit(resolve(campus, wire(campus)), plan).findings
    cured = apply(campus, [edit for one in found for edit in one.edits])
    return found, audit(resolve(cured, wire(cured)), plan).findings


@pytest.mark.parametrize("slug", sorted(CATALOGUE))
def test_the_edits_of_a_finding_cure_it(slug: str, tmp_path: Path) -> None:
    found, left = example(tmp_path / "wrong", slug)
    assert any(one.edits for one in found) is (slug in CURED), slug
    if slug in CURED:
        assert left == [], [(one.rule, one.says) for one in left]


SAYS_LESS = {
    # The row gets the name that others have; what the old native VLAN leaves behind goes as well.
    *("access-vlan-undefined", "vlan-missing-in-transit", "native-undefined", "native-default"),
    *("native-against-practice", "trunk-meets-access"),
    "vlan-name-against-plan",  # the cure asks which is right
}


@pytest.mark.parametrize("ground", share([3, "demo"], 2))
def test_a_cure_in_words_is_the_edit(ground: str | int) -> None:
    """Who does what a cure says, in one of the ways it offers, has the campus of its edits."""
    agreeing: set[str] = set()
    for name, kind in KINDS.items():
        campus, lines = copied(clean(ground)[0]), [clean(ground)[1]]
        if kind.plant(Ground(ground_of(ground), campus, random.Random(name), lines)) is None:
            continue
        plan = read_plan("plan.yaml", "".join(lines).encode())
        for finding in audit(resolve(copied(campus), wire(campus)), plan).findings:
            if not finding.edits or finding.rule in SAYS_LESS:
                continue
            ways = []
            for way in edits_of(finding):
                by_hand = copied(campus)
                way(by_hand)
                ways.append(difference(apply(campus, finding.edits), by_hand))
            assert [] in ways, (finding.rule, finding.cure, ways)
            agreeing.add(finding.rule)
    assert len(agreeing) > 15, agreeing


def proposed(rule: str, plan: str, *sheets: str) -> list[tuple[str, str, str, str]]:
    """The edits of the findings of a rule: each as switch, thing, attribute and value."""
    fabric = fabric_of(*sheets)
    found = audit(fabric, read_plan("plan.yaml", plan.encode())).findings
    return [
        (edit.switch, edit.name, edit.attribute, str(getattr(edit.after, "value", edit.after)))
        for one in found
        if one.rule == rule
        for edit in one.edits
    ]


def test_a_secondary_is_added_to_those_that_its_primary_has() -> None:
    rows = "31: guests; isolated\n32: crew; community\n"
    sheets = [
        f"switch: {name}\n[vlans]\n30: huts; primary of {own}\n{rows}[port 1]\nmode: trunk\n"
        f"[neighbours]\n1: {far}:1\n"
        for name, far, own in (("a", "b", "31"), ("b", "a", "31,32"))
    ]
    assert proposed("secondary-unassociated", "{}", *sheets) == [
        ("a", "30", "secondaries", "31-32")
    ]


def test_the_old_native_vlan_stays_where_another_port_has_it() -> None:
    """On a the link to c lists it: only b loses the row. Nobody is in it."""

    def trunk(port: str, native: int, allowed: str) -> str:
        return f"[port {port}]\nmode: trunk\nnative: {native}\nallowed: {allowed}\n"

    rows = "[vlans]\n10: ferns\n98: old\n99: nobody\n"
    own = f"{rows}[port 9]\nvlan: 10\n{trunk('1', 98, '10,98')}"
    a, b = f"switch: a\n{own}{trunk('2', 99, '10,98,99')}", f"switch: b\n{own}"
    c = f"switch: c\n[vlans]\n10: ferns\n99: nobody\n{trunk('1', 99, '10,99')}"
    ends = ("1: b:1\n2: c:1\n", "1: a:1\n", "1: a:2\n")
    cabled = [f"{text}[neighbours]\n{to}" for text, to in zip((a, b, c), ends, strict=True)]
    edits = proposed("native-against-practice", "practice: {native: 99}", *cabled)
    assert sorted(edits) == [
        ("a", "1", "allowed", "10,99"),
        ("a", "1", "native_vlan", "99"),
        ("b", "1", "allowed", "10,99"),
        ("b", "1", "native_vlan", "99"),
        ("b", "98", "", "None"),
    ]


def test_a_port_of_a_plan_gets_its_vlan_where_the_switch_lacks_it(tmp_path: Path) -> None:
    """VLAN 20, which b has, is defined on a first; VLAN 10 is there."""
    for vid, defined in ((20, True), (10, False)):
        (tmp_path / "a.sheet").write_text(
            "inkov sheet 1\nswitch: a\n[vlans]\n10: ferns\n30: mist\n[port 1]\nvlan: 30\n"
        )
        (tmp_path / "b.sheet").write_text(
            "inkov sheet 1\nswitch: b\n[vlans]\n10: ferns\n20: pumps\n[port 1..2]\nvlan: 20\n"
        )
        (tmp_path / "ports.csv").write_text(f"switch,port,vlan\na,1,{vid}\n")
        campus = load([str(tmp_path)]).campus
        found = audit(resolve(campus, wire(campus)), Plan()).findings
        [one] = [each for each in found if each.rule == "port-against-plan"]
        kinds = [(edit.kind.value, edit.name) for edit in one.edits]
        assert kinds == [*([("vlan", "20")] * defined), ("port", "1")], kinds
        assert (f"and define VLAN {vid} there" in one.cure) is defined, one.cure
