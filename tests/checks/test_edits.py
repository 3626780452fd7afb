"""The edits that findings propose: made on the campus of a rule's example, nothing is found."""

from __future__ import annotations

from pathlib import Path

import pytest

from inkov.checks import CATALOGUE, Finding, audit
from inkov.edits import apply
from inkov.forwarding import resolve
from inkov.plan import Plan, read_plan
from inkov.readers import load
from inkov.readers.platforms import shape
from inkov.wiring import wire
from tests.checks.test_examples import write

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
