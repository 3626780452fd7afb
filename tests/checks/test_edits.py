"""The edits that findings propose: made on the campus of a rule's example, nothing is found; and
their cures, in words, say the same.
"""

from __future__ import annotations

import random
from copy import deepcopy
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
    *("promiscuous-mapping-incomplete", "private-host-mismatch"),
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


@pytest.mark.parametrize("ground", ["demo", 3])
def test_a_cure_in_words_is_the_edit(ground: str | int) -> None:
    """Who does what a cure says, in one of the ways it offers, has the campus of its edits."""
    agreeing: set[str] = set()
    for name, kind in KINDS.items():
        campus, lines = deepcopy(clean(ground)[0]), [clean(ground)[1]]
        if kind.plant(Ground(ground_of(ground), campus, random.Random(name), lines)) is None:
            continue
        plan = read_plan("plan.yaml", "".join(lines).encode())
        for finding in audit(resolve(deepcopy(campus), wire(campus)), plan).findings:
            if not finding.edits or finding.rule in SAYS_LESS:
                continue
            ways = []
            for way in edits_of(finding):
                by_hand = deepcopy(campus)
                way(by_hand)
                ways.append(difference(apply(campus, finding.edits), by_hand))
            assert [] in ways, (finding.rule, finding.cure, ways)
            agreeing.add(finding.rule)
    assert len(agreeing) > 15, agreeing
