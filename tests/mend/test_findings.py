"""Findings mended: of a clean campus one thing is changed; once it is mended the campus is clean,
and everybody hears whom he heard.
"""

from __future__ import annotations

import random
from datetime import date
from pathlib import Path

import pytest

from inkov.checks import audit
from inkov.edits import apply
from inkov.edits.make import of_port
from inkov.forwarding import resolve
from inkov.mend.findings import Trier, mend_findings, together
from inkov.mend.meant import Meant
from inkov.plan import Plan, read_plan
from inkov.readers import load
from inkov.vlanset import VlanSet
from inkov.wiring import End, wire
from tests.checks.mistakes import KINDS, Ground
from tests.checks.test_cures import reach_of
from tests.checks.test_mistakes import clean, ground_of
from tests.conftest import Inkov, campus_of, cases, copied

TODAY = date(2026, 1, 1)


@pytest.mark.parametrize("ground", (1, "demo", 3, 5)[: cases("GROUNDS", 8)])
def test_a_planted_mistake_is_mended_and_nothing_else(ground: str | int) -> None:
    mended_kinds: set[str] = set()
    for name, kind in KINDS.items():
        campus, text = clean(ground)
        changed, lines = copied(campus), [text]
        site = ground_of(ground)
        if kind.plant(Ground(site, changed, random.Random(f"mend {name}"), lines)) is None:
            continue
        plan = read_plan("plan.yaml", "".join(lines).encode())
        goals = audit(resolve(changed, wire(changed)), plan, today=TODAY).findings
        mended = mend_findings(changed, plan, goals, TODAY)
        if not any(one.edits for one in goals):
            assert [unmet.finding for unmet in mended.unmet] == goals and not mended.edits, name
            continue
        assert mended.unmet == [], (name, [unmet.says for unmet in mended.unmet])
        cured = apply(changed, mended.edits)
        fabric = resolve(cured, wire(cured))
        assert audit(fabric, plan, today=TODAY).findings == [], name
        # What a cure shuts, as it says, is heard by nobody any more.
        shut = {End(e.switch, e.name) for e in mended.edits if e.attribute == "enabled"}
        shut = {end for end in shut if not fabric.ports[end].up}
        assert len(shut) == (name == "a_spare_port_left_open"), name
        was = reach_of(resolve(campus, wire(campus)))
        heard = {end: {one for one in ends if one[:2] not in shut} for end, ends in was.items()}
        assert reach_of(fabric) == {e: h for e, h in heard.items() if e not in shut}, name
        mended_kinds.add(kind.rule)
    assert len(mended_kinds) >= 8, mended_kinds


TRUNK = "mode: trunk\nnative: 99\nallowed: {}\n"
VLANS = "[vlans]\n10: climate\n20: pumps\n99: nobody\n"


def write(folder: Path, near: str, far: str, plan: str = "") -> None:
    hosts = "[port 1]\nvlan: 10\n[port 2]\nvlan: 20\n"
    for name, trunk, other in (("a", near, "b"), ("b", far, "a")):
        more = f"[neighbours]\n9: {other}:9\n"
        text = f"inkov sheet 1\nswitch: {name}\n{VLANS}{hosts}[port 9]\n{trunk}{more}"
        (folder / f"{name}.sheet").write_text(text)
    if plan:
        (folder / "plan.yaml").write_text(plan)


def test_what_several_findings_change_is_put_together(inkov: Inkov, tmp_path: Path) -> None:
    """b lacks VLAN 10 and its native VLAN, a lacks 20: three findings, one list on each side."""
    write(tmp_path, TRUNK.format("10,99"), TRUNK.format("20"))
    found = inkov("mend", ".", "-f", "json")
    assert found.status == 0, found.out
    assert [(e["switch"], e["name"], e["after"]) for e in found.json["edits"]] == [
        ("a", "9", "10,20,99"),
        ("b", "9", "10,20,99"),
    ]
    assert found.json["lost"] == [] and len(found.json["changes"]) == 2
    assert "findings are gone" in inkov("mend", ".").out


def test_lists_that_are_stated_nowhere_begin_with_everything(inkov: Inkov, tmp_path: Path) -> None:
    """No list at either end, and b has another native VLAN than the house: b needs 10, 20 and 99
    there, and its old native VLAN no more.
    """
    write(tmp_path, "mode: trunk\nnative: 99\n", "mode: trunk\n", "practice: {native: 99}\n")
    found = inkov("mend", ".", "-f", "json")
    assert found.status == 0 and found.json["unmet"] == [], found.out
    edits = {(e["switch"], e["attribute"]): e["after"] for e in found.json["edits"]}
    of_a = edits.pop(("a", "allowed"))
    assert edits == {("b", "native_vlan"): 99, ("b", "allowed"): "10,20,99"}
    assert VlanSet.of(10, 20, 99) <= VlanSet.parse(str(of_a)) <= VlanSet.of(1, 10, 20, 99)


ALL = VlanSet.parse("1-4094")


@pytest.mark.parametrize(
    ("port", "first", "second", "follows", "wanted"),
    [
        ("1", ALL - VlanSet.of(1), VlanSet.of(10, 20), False, VlanSet.of(10, 20)),
        ("1", ALL - VlanSet.of(1), ALL - VlanSet.of(2), False, ALL - VlanSet.of(1, 2)),
        ("2", VlanSet.of(10, 20, 30), VlanSet.of(10), False, VlanSet.of(10, 30)),
        ("2", VlanSet.of(10, 20, 30), VlanSet.of(10, 20), True, VlanSet.of(10, 20)),
        ("1", VlanSet.of(10, 20), VlanSet.of(10, 20, 30), True, VlanSet.of(10, 20, 30)),
    ],
)
def test_two_edits_of_one_list(
    port: str, first: VlanSet, second: VlanSet, follows: bool, wanted: VlanSet
) -> None:
    """Port 1 has no list, and so all VLANs; port 2 has 10 and 20. An edit that `follows` begins
    with what the first has made.
    """
    campus = campus_of("switch: a\n[port 1]\nmode: trunk\n[port 2]\nmode: trunk\nallowed: 10,20\n")
    edits = [of_port("a", campus.devices["a"].ports[port], "allowed", first)]
    on = apply(campus, edits) if follows else campus
    edits.append(of_port("a", on.devices["a"].ports[port], "allowed", second))
    [edit] = together(campus, edits)
    assert edit.after.value == wanted and edit.before is edits[0].before


def test_edits_that_break_a_claim_are_left_out(inkov: Inkov, tmp_path: Path) -> None:
    """The list lacks VLAN 20, and the plan wants it to: what else is wrong is mended."""
    claim = "claims:\n  - not-reach: ['a:2', 'b:2']\n"
    write(tmp_path, TRUNK.format("10,20,99"), TRUNK.format("10"), claim)
    found = inkov("mend", ".", "-f", "json")
    assert [(e["switch"], e["name"], e["after"]) for e in found.json["edits"]] == [
        ("b", "9", "10,99")
    ]
    [unmet] = found.json["unmet"]
    assert found.status == 1 and unmet["finding"]["rule"] == "allowed-differs"
    assert unmet["says"].startswith("its edits do harm: the claim a:2 does not reach b:2")


@pytest.mark.parametrize("vid", [10, 20])
def test_findings_of_one_vlan_are_tried_together(inkov: Inkov, tmp_path: Path, vid: int) -> None:
    """Two links lack VLAN 10 or 20, and one lacks 20, which the plan wants it to: the two are
    mended.
    """
    lacking = "20,99" if vid == 10 else "10,99"
    hosts = "[port 1]\nvlan: 10\n[port 2]\nvlan: 20\n"
    hub = "".join(f"[port {n}]\n{TRUNK.format('10,20,99')}" for n in (7, 8, 9))
    (tmp_path / "a.sheet").write_text(
        f"inkov sheet 1\nswitch: a\n{VLANS}{hosts}{hub}[neighbours]\n7: b:1\n8: c:1\n9: d:1\n"
    )
    for name, end, listed in (("b", "7", lacking), ("c", "8", lacking), ("d", "9", "10,99")):
        own = hosts.replace("[port 2]", "[port 3]").replace("[port 1]", "[port 2]")
        (tmp_path / f"{name}.sheet").write_text(
            f"inkov sheet 1\nswitch: {name}\n{VLANS}{own}[port 1]\n{TRUNK.format(listed)}"
            f"[neighbours]\n1: a:{end}\n"
        )
    (tmp_path / "plan.yaml").write_text("claims: [{not-reach: ['a:2', 'd:3']}]\n")
    found = inkov("mend", ".", "--rule", "allowed-differs", "-f", "json").json
    assert {(e["switch"], e["name"], e["after"]) for e in found["edits"]} == {
        ("b", "1", "10,20,99"),
        ("c", "1", "10,20,99"),
    }
    [unmet] = found["unmet"]
    assert {place["switch"] for place in unmet["finding"]["where"]} >= {"d"}


def test_what_somebody_has_to_decide_is_left(inkov: Inkov, tmp_path: Path) -> None:
    write(tmp_path, TRUNK.format("10,20,99"), TRUNK.format("10,20,99"))
    sheet = tmp_path / "a.sheet"
    sheet.write_text(sheet.read_text().replace("[port 1]\nvlan: 10", "[port 1]\nvlan: 55"))
    asked = ("mend", ".", "--rule", "access-vlan-undefined")
    found = inkov(*asked, "-f", "json")
    assert found.json["edits"] == [] and found.status == 1
    assert found.json["unmet"][0]["says"].startswith("somebody has to decide")
    assert "There is nothing to change." in inkov(*asked).out


LEFT_AS_ACCESS = """inkov sheet 1
switch: b
[vlans]
10: climate
20: pumps
99: nobody
[port 1]
vlan: 10
[port 2]
vlan: 20
[port 9]
vlan: 30
[neighbours]
9: a:9
"""


def test_what_one_end_allows_alone_goes_where_nobody_needs_it(inkov: Inkov, tmp_path: Path) -> None:
    """VLAN 20 has ports on a alone: it goes off a's list, and b needs none."""
    write(tmp_path, TRUNK.format("10,20,99"), TRUNK.format("10,99"))
    sheet = tmp_path / "b.sheet"
    sheet.write_text(sheet.read_text().replace("[port 2]\nvlan: 20\n", ""))
    found = inkov("mend", ".", "--rule", "allowed-differs", "-f", "json")
    assert [(e["switch"], e["name"], e["after"]) for e in found.json["edits"]] == [
        ("a", "9", "10,99")
    ]


def test_what_another_cure_makes_needless_is_left_out(inkov: Inkov, tmp_path: Path) -> None:
    """Port 9 of b is in VLAN 30, which b does not have, and a has a trunk there: once that is a
    trunk, b needs no VLAN 30.
    """
    write(tmp_path, TRUNK.format("10,20,99"), "")
    (tmp_path / "b.sheet").write_text(LEFT_AS_ACCESS)
    text = (tmp_path / "a.sheet").read_text()
    more = text.replace("99: nobody\n", "30: ferns\n99: nobody\n")
    (tmp_path / "a.sheet").write_text(more.replace("[port 9]", "[port 3]\nvlan: 30\n[port 9]"))
    found = inkov("mend", ".", "-f", "json")
    assert found.status == 0, found.out
    assert [(e["switch"], e["name"], e["attribute"], e["after"]) for e in found.json["edits"]] == [
        ("b", "9", "mode", "trunk"),
        ("b", "9", "allowed", "10,20,99"),
        ("b", "9", "native_vlan", 99),
    ]


def test_what_a_cure_is_for_is_told_and_no_harm(inkov: Inkov, tmp_path: Path) -> None:
    """Untagged frames are in VLAN 10 at one end, in 20 at the other. With the house's native VLAN
    the two are apart, and each is whole.
    """
    trunk = "mode: trunk\nnative: {}\nallowed: 10,20,99\n"
    write(tmp_path, trunk.format(10), trunk.format(20), "practice: {native: 99}\n")
    found = inkov("mend", ".", "-f", "json")
    assert found.status == 0, found.out
    ends = {(e["switch"], e["name"], e["attribute"], e["after"]) for e in found.json["edits"]}
    assert ends == {("a", "9", "native_vlan", 99), ("b", "9", "native_vlan", 99)}
    assert len(found.json["lost"]) == 1 and "VLAN 10" in found.json["lost"][0]
    table = inkov("mend", ".").out
    assert "Apart, as is meant: " in table and "Nobody else is cut off" in table
    assert "untagged-vlan-differs" in table


@pytest.mark.parametrize(
    ("options", "says"),
    [
        (["--rule", "allowed-difers"], "did you mean allowed-differs"),
        (["--finding", "0"], "no finding '0'"),
        (["--fail-on", "never"], "nothing to mend"),
    ],
)
def test_goals_that_are_none(inkov: Inkov, tmp_path: Path, options: list[str], says: str) -> None:
    write(tmp_path, TRUNK.format("10,20,99"), TRUNK.format("10,20,99"))
    result = inkov("mend", ".", *options)
    assert result.status == 2 and says in result.err


def test_who_cleans_up_is_told_what_has_to_stay(inkov: Inkov, tmp_path: Path) -> None:
    """a - b - c in a triangle with VLAN 10 at a and b, d behind c with VLAN 20 at a and d. On c
    nobody is in either: 10 passes it as the spare of a - b, 20 as the one way to d. VLAN 30 is
    nobody's: it goes.
    """
    links = {"a": {8: "b:9", 9: "c:8"}, "b": {9: "a:8", 8: "c:9"}, "d": {9: "c:7"}}
    links["c"] = {8: "a:9", 9: "b:8", 7: "d:9"}
    hosts = {"a": "[port 1]\nvlan: 10\n[port 2]\nvlan: 20\n", "b": "[port 1]\nvlan: 10\n", "c": ""}
    hosts["d"] = "[port 1]\nvlan: 20\n"
    vlans = VLANS + "30: beds\n"
    allowed = {"a9": "10,20", "c8": "10,20", "c7": "20,30", "d9": "20,30"}
    for name, ends in links.items():
        text = f"inkov sheet 1\nswitch: {name}\n{vlans}{hosts[name]}"
        for port in ends:
            listed = allowed.get(f"{name}{port}", "10")
            text += f"[port {port}]\nmode: trunk\nnative: none\nallowed: {listed}\n"
        text += "[neighbours]\n" + "".join(f"{port}: {far}\n" for port, far in ends.items())
        (tmp_path / f"{name}.sheet").write_text(text)
    found = inkov("mend", ".", "--rule", "surplus-vlans", "-f", "json").json
    edits = {(e["switch"], e["name"], e["after"]) for e in found["edits"]}
    assert {edit for edit in edits if edit[0] in "cd"} >= {("c", "7", "20"), ("d", "9", "20")}
    stays = {(one["a"], one["b"], one["vlans"]): one["says"] for one in found["stays"]}
    assert "only way" in stays["c:7", "d:9", "20"]
    assert "spare" in stays["b:8", "c:9", "10"] and "spare" in stays["a:9", "c:8", "10"]
    assert "only way" in stays["a:9", "c:8", "20"] and len(stays) == 4
    assert "stays" not in inkov("mend", ".", "--rule", "edge-missing", "-f", "json").json
    assert "VLAN 10  b:8 to c:9" in inkov("mend", ".", "--rule", "surplus-vlans").out


def test_a_leak_is_no_excuse_for_a_gateway_that_is_lost(tmp_path: Path) -> None:
    """VLANs 10 and 20 leak. An edit that takes VLAN 30 off an uplink cuts its one host off from its
    gateway, and so from VLAN 10: that is harm, whatever leaked.
    """
    vlans = VLANS + "30: beds\n"
    trunk = "[port 9]\nmode: trunk\nnative: 99\nallowed: 10,20,30,99\n"
    gateways = "[gateway 10]\naddress: 10.0.10.1/24\n[gateway 30]\naddress: 10.0.30.1/24\n"
    hosts = "[port 1]\nvlan: 10\n[port 3]\nvlan: 30\n"
    for name, own, far in (("a", "[port 1]\nvlan: 10\n", "b"), ("b", hosts, "a")):
        text = f"{vlans}{own}{trunk}[neighbours]\n9: {far}:9\n{gateways if name == 'a' else ''}"
        (tmp_path / f"{name}.sheet").write_text(f"inkov sheet 1\nswitch: {name}\n{text}")
    campus = load([str(tmp_path)]).campus
    port = campus.devices["b"].ports["9"]
    edits = [of_port("b", port, "allowed", VlanSet.of(10, 20, 99))]
    trier = Trier(campus, Plan(), TODAY)
    leak = 1 << 10 | 1 << 20
    meant = Meant([(leak, leak)], (), lambda: trier.fabric, lambda: trier.resolved(edits))
    assert "cut off" in trier.harm_of(edits, findings=False, meant=meant)


def test_a_leak_is_no_excuse_for_a_transit_that_is_lost(tmp_path: Path) -> None:
    """a routes VLAN 10 and b routes 20, by way of VLAN 99 between them; 10 leaks into 30. Without
    VLAN 99 on the link both keep their gateways, and reach each other no more: that is harm. With
    VLAN 30 off the link nobody loses anything but the leak.
    """
    vlans = VLANS + "30: beds\n"
    trunk = "[port 9]\nmode: trunk\nnative: 10\nallowed: 10,30,99\n"
    far_end = "[port 9]\nmode: trunk\nnative: 30\nallowed: 10,30,99\n"
    for name, own, link, far, route in (
        ("a", "[port 1]\nvlan: 10\n", trunk, "b", "[gateway 10]\naddress: 10.0.10.1/24\n"),
        ("b", "[port 2]\nvlan: 20\n", far_end, "a", "[gateway 20]\naddress: 10.0.20.1/24\n"),
    ):
        transit = f"[gateway 99]\naddress: 10.0.99.{'ab'.index(name) + 1}/24\n"
        text = f"{vlans}{own}{link}[neighbours]\n9: {far}:9\n{route}{transit}"
        (tmp_path / f"{name}.sheet").write_text(f"inkov sheet 1\nswitch: {name}\n{text}")
    campus = load([str(tmp_path)]).campus
    trier = Trier(campus, Plan(), TODAY)

    def harm(of_a: VlanSet) -> str:
        edits = [of_port("a", campus.devices["a"].ports["9"], "allowed", of_a)]
        leak = 1 << 10 | 1 << 30
        meant = Meant([(leak, leak)], (), lambda: trier.fabric, lambda: trier.resolved(edits))
        return trier.harm_of(edits, findings=False, meant=meant)

    assert "cut off" in harm(VlanSet.of(10, 30))
    assert harm(VlanSet.of(10, 99)) == ""
