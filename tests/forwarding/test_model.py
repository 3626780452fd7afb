"""The rules of docs/forwarding-model.md by example, one test or more for each number."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import pytest

from inkov.campus import Host, Origin
from inkov.forwarding import Fabric, Form, PortView, path
from inkov.forwarding.assumptions import Assumptions
from inkov.forwarding.domains import domains, islands
from inkov.forwarding.follow import Story, follow
from inkov.forwarding.negotiation import OUTCOME, Party
from inkov.forwarding.path import Way, find_way, to_port
from inkov.forwarding.ping import Ping, ping
from inkov.forwarding.reach import flood
from inkov.forwarding.reasons import chain
from inkov.forwarding.serve import served_by_device
from inkov.forwarding.stations import bridge_ports_at, hears, interfaces, sent_from
from inkov.levels import Level
from inkov.survey.vlans import vlan_rows
from inkov.vlanset import VlanSet
from inkov.wiring import End
from tests.conftest import Inkov, fabric_of

ROOT = Path(__file__).parents[2]
VLANS = "[vlans]\n10: a\n20: b\n30: p; primary of 31,32\n31: i; isolated\n32: c; community\n99: n\n"


def port(name: str, *lines: str) -> str:
    return "\n".join([f"[port {name}]", *lines]) + "\n"


def access(name: str, vid: int, *more: str) -> str:
    return port(name, "mode: access", f"vlan: {vid}", *more)


def trunk(name: str, allowed: str = "10,20,30,31,32,99", native: str = "99", *more: str) -> str:
    return port(name, "mode: trunk", f"allowed: {allowed}", f"native: {native}", *more)


def joined(*ends: str) -> str:
    return "[neighbours]\n" + "".join(f"{end}\n" for end in ends)


def one(text: str) -> Fabric:
    return fabric_of("switch: s\n" + VLANS + text)


def two(a: str, b: str) -> Fabric:
    """Two switches, cabled from port u of one to port u of the other."""
    return fabric_of(
        f"switch: a\n{VLANS}{a}{joined('u: b:u')}", f"switch: b\n{VLANS}{b}{joined('u: a:u')}"
    )


def view(fabric: Fabric, name: str, device: str = "s") -> PortView:
    return fabric.ports[End(device, name)].view


def vids(mask: int) -> str:
    return str(VlanSet(mask))


def heard(
    fabric: Fabric, place: str, level: Level = Level.HONEST, vid: int | None = None
) -> set[tuple[str, int, bool]]:
    device, name = place.split(":")
    sendings = sent_from(fabric, End(device, name), level, vid)
    return {(f"{h.switch}:{h.port}", h.vlan, h.tagged) for h in hears(fabric, sendings, level)}


# --- 1 --------------------------------------------------------------------------------------------


def test_fm_1_1_the_later_statement_holds() -> None:
    fabric = one(access("1", 10) + "[port 1]\nvlan: 20\n")
    assert view(fabric, "1").pvid == 20
    assert [change.port for change in fabric.device("s").overridden] == ["1"]


def test_fm_1_2_defaults_and_whose() -> None:
    fabric = one(port("1", "mode: trunk"))
    assert (vids(view(fabric, "1").admit), view(fabric, "1").pvid) == ("1,10,20,30-32,99", 1)
    assert (
        fabric.device("s").platform.unstated["native_vlan"].origin.says
        == "IEEE 802.1Q: the default PVID is 1"
    )


@pytest.mark.parametrize("local", ["passive", "active"])
@pytest.mark.parametrize(
    ("remote", "party"),
    [
        (["mode: access"], Party.FIXED_ACCESS),
        (["negotiation: passive"], Party.PASSIVE),
        (["negotiation: active"], Party.ACTIVE),
        (["mode: trunk", "negotiation: announcing"], Party.ANNOUNCING),
        (["mode: trunk"], Party.SILENT),
    ],
)
def test_fm_1_3_negotiation(local: str, remote: list[str], party: Party) -> None:
    fabric = two(port("u", f"negotiation: {local}"), port("u", *remote))
    near = fabric.ports[End("a", "u")]
    assert near.remote is party and near.mode is OUTCOME[Party(local)][party]
    expected = {
        "passive": "access access trunk trunk access",
        "active": "access trunk trunk trunk access",
    }[local]
    assert str(near.mode) == expected.split()[list(Party).index(party)]


def test_fm_1_4_fixed_ports_and_nobody() -> None:
    fabric = one(
        port("1", "negotiation: active") + port("2", "mode: general", "negotiation: active")
    )
    assert [str(fabric.ports[End("s", p)].mode) for p in "12"] == ["access", "general"]
    fabric = two(port("u", "negotiation: active"), port("u", "mode: promiscuous", "primary: 30"))
    assert str(fabric.ports[End("a", "u")].mode) == "access"


def test_fm_1_4_where_reports_disagree_the_trunk_counts() -> None:
    def near(local: str) -> str:
        a = f"switch: a\n{VLANS}{port('u', f'negotiation: {local}')}{joined('u: b:u')}"
        b = f"switch: b\n{VLANS}{port('u', 'negotiation: passive')}"
        c = f"switch: c\n{VLANS}{port('u', 'mode: access')}{joined('u: a:u')}"
        return str(fabric_of(a, b, c).ports[End("a", "u")].mode)

    assert (near("active"), near("passive")) == ("trunk", "access")


def test_fm_1_5_a_mismatch_joins_native_and_access() -> None:
    fabric = two(access("u", 10) + access("h", 10), trunk("u") + access("h", 99) + access("x", 10))
    assert heard(fabric, "a:h") == {("b:h", 99, False)}
    assert heard(fabric, "b:x") == set()


def test_fm_1_6_what_is_shut() -> None:
    shut = access("u", 10, "state: off") + access("h", 10)
    fabric = two(shut, access("u", 10) + access("h", 10))
    assert heard(fabric, "a:h") == set() and heard(fabric, "b:h") == set()
    bundle = "[bundle u]\nmode: trunk\nnative: none\nmembers: 1, 2\n" + port("1", "state: off")
    assert view(one(bundle), "u").form is Form.TRUNK_NO_NATIVE
    assert view(one(bundle + port("2", "state: off")), "u").form is Form.DOWN
    sub = port("1", "state: off") + "[sub 1.10]\nof: 1\ntag: 10\nvlan: 10\n"
    assert view(one(sub), "1.10").form is Form.DOWN


def test_fm_1_7_a_bundle_forwards_for_its_members() -> None:
    bundle = (
        "[bundle u]\nmembers: m1, m2\nmode: trunk\nallowed: 10\nnative: none\n"
        + access("m1", 20)
        + access("h", 10)
    )
    a = f"switch: a\n{VLANS}{bundle}{joined('m1: b:m1', 'm2: b:m2')}"
    fabric = fabric_of(a, a.replace("switch: a", "switch: b").replace("b:m", "a:m"))
    assert heard(fabric, "a:h") == {("b:h", 10, False)}
    ring = "[bundle x]\nmembers: y\nvlan: 10\n[bundle y]\nmembers: x\nvlan: 10\n"
    assert {a.port for a in one(ring).assumptions} == {"x", "y"}


def test_fm_1_8_bridges_keep_apart() -> None:
    fabric = one(access("1", 10) + access("2", 10) + access("3", 10) + "[bridge x]\nports: 1, 2\n")
    assert heard(fabric, "s:1") == {("s:2", 10, False)}


SUBS = (
    "[sub 1.10]\nof: 1\ntag: 10\nvlan: 20\n[sub 1.20]\nof: 1\ntag: 20\nvlan: 20\n[bridge x]\nports:"
    " 1.10, 1.20, 2\n"
)


def test_fm_1_9_sub_interfaces() -> None:
    fabric = one(port("1", "state: on") + access("2", 20) + SUBS)
    assert heard(fabric, "s:2") == {("s:1.10", 20, True), ("s:1.20", 20, True)}
    double = one(port("1") + SUBS + "[sub again]\nof: 1\ntag: 10\nvlan: 20\n")
    assert any("second sub-interface with tag 10" in a.says for a in double.assumptions)
    missing = one("[sub 7.10]\nof: 7\ntag: 10\n")
    assert any("without an existing port" in a.says for a in missing.assumptions)
    tagged = one(port("1") + "[sub 1.10]\nof: 1\ntag: 10\nmode: trunk\n")
    assert any("two tags" in a.says for a in tagged.assumptions)


def test_fm_1_10_withheld_vlans_are_taken_but_not_sent() -> None:
    fabric = two(
        trunk("u", "10,99", "99", "withheld: 10") + access("h", 10), trunk("u") + access("h", 10)
    )
    assert heard(fabric, "a:h") == set() and heard(fabric, "b:h") == {("a:h", 10, False)}


# --- 2 --------------------------------------------------------------------------------------------


def test_fm_2_1_accept_follows_from_the_other_attributes() -> None:
    assert [PortView(Form.GENERAL, *p).accept for p in ((1, 2), (1, 0), (0, 2), (0, 0))] == [
        "all",
        "untagged",
        "tagged",
        None,
    ]


@pytest.mark.parametrize(
    ("lines", "form", "expected"),
    [
        pytest.param(
            ["mode: access", "vlan: 10"], Form.ACCESS, (10, "none", "10", "10"), id="fm_2_2_access"
        ),
        pytest.param(
            ["vlan: 10", "voice: 20"],
            Form.ACCESS_VOICE,
            (10, "20", "10,20", "10"),
            id="fm_2_3_voice",
        ),
        pytest.param(
            ["mode: trunk", "allowed: 10,99", "native: 99"],
            Form.TRUNK,
            (99, "10,99", "10,99", "99"),
            id="fm_2_4",
        ),
        pytest.param(
            ["mode: trunk", "allowed: 10", "native: 99"],
            Form.TRUNK_NO_NATIVE,
            (0, "10", "10", "none"),
            id="fm_2_5",
        ),
        pytest.param(
            ["mode: trunk", "allowed: 10", "native: none"],
            Form.TRUNK_NO_NATIVE,
            (0, "10", "10", "none"),
            id="no native",
        ),
        pytest.param(
            ["mode: trunk", "allowed: 10,99", "native: 99", "native tagged: yes"],
            Form.TRUNK_NATIVE_TAGGED,
            (99, "10,99", "10,99", "none"),
            id="fm_2_6",
        ),
        pytest.param(
            ["mode: general", "pvid: 10", "tagged: 20", "ingress filtering: on"],
            Form.GENERAL,
            (10, "10,20", "10,20", "10"),
            id="fm_2_7",
        ),
        pytest.param(
            ["mode: general", "pvid: 10", "tagged: 20"],
            Form.GENERAL,
            (10, "1,10,20,30-32,99", "10,20", "10"),
            id="filtering off",
        ),
        pytest.param(
            ["mode: general", "pvid: 10", "untagged: 20", "ingress filtering: on"],
            Form.GENERAL,
            (0, "20", "20", "20"),
            id="no member of its PVID",
        ),
        pytest.param(
            ["mode: general", "pvid: 10", "tagged: 20", "accept: tagged", "ingress filtering: on"],
            Form.GENERAL,
            (0, "10,20", "10,20", "10"),
            id="tagged only",
        ),
        pytest.param(
            ["mode: general", "pvid: 10", "tagged: 20", "accept: tagged"],
            Form.GENERAL,
            (0, "1,10,20,30-32,99", "10,20", "10"),
            id="tagged only, filtering off",
        ),
        pytest.param(
            ["mode: general", "pvid: none", "tagged: 20"],
            Form.GENERAL,
            (0, "1,10,20,30-32,99", "20", "none"),
            id="no PVID, filtering off",
        ),
        pytest.param(
            ["mode: general", "pvid: 10", "tagged: 20", "accept: untagged"],
            Form.GENERAL,
            (10, "none", "10,20", "10"),
            id="untagged only",
        ),
        pytest.param(
            ["mode: private host", "primary: 30", "secondary: 31"],
            Form.ISOLATED,
            (31, "none", "30", "30"),
            id="fm_2_8_isolated",
        ),
        pytest.param(
            ["mode: private host", "primary: 30", "secondary: 32"],
            Form.COMMUNITY,
            (32, "none", "30,32", "30,32"),
            id="fm_2_8_community",
        ),
        pytest.param(
            ["mode: promiscuous", "primary: 30", "secondaries: 31,32"],
            Form.PROMISCUOUS,
            (30, "none", "30-32", "30-32"),
            id="fm_2_9",
        ),
    ],
)
def test_fm_2_2_to_fm_2_9_short_forms(
    lines: list[str], form: Form, expected: tuple[Any, ...]
) -> None:
    found = view(one(port("1", *lines)), "1")
    assert found.form is form
    assert (found.pvid, vids(found.admit), vids(found.emit), vids(found.untagged)) == expected


def test_fm_2_8_private_vlans_among_hosts() -> None:
    hosts = "".join(
        port(p, "mode: private host", "primary: 30", f"secondary: {s}")
        for p, s in [("i1", 31), ("i2", 31), ("c1", 32), ("c2", 32)]
    )
    fabric = one(hosts + port("gw", "mode: promiscuous", "primary: 30", "secondaries: 31,32"))
    names = {
        place: {where.removeprefix("s:") for where, *_ in heard(fabric, f"s:{place}")}
        for place in ("i1", "c1", "gw")
    }
    assert names == {"i1": {"gw"}, "c1": {"c2", "gw"}, "gw": {"i1", "i2", "c1", "c2"}}
    unsaid = one(port("1", "mode: private host", "primary: 30", "secondary: 20"))
    assert (
        view(unsaid, "1").form is Form.COMMUNITY
        and "taken as a community" in unsaid.assumptions[0].says
    )


def test_fm_2_10_a_routed_port_passes_no_vlan() -> None:
    fabric = two(
        port("u", "mode: routed", "address: 10.0.0.1/24") + access("h", 1),
        access("u", 1) + access("h", 1),
    )
    assert heard(fabric, "b:h") == set() and heard(fabric, "a:h") == set()


def test_fm_2_11_a_bridge_that_takes_no_notice_of_tags() -> None:
    """A plain bridge between an access port in VLAN 10, a trunk with native VLAN 10 that tags it,
    and hosts: untagged frames and those with tag 10 are two things there.
    """
    plain = "".join(port(name, "mode: unaware") for name in ("u", "v", "h"))
    box = f"switch: b\n{plain}{joined('u: a:u', 'v: c:v')}"
    far = trunk("v", "10,20", "10", "native tagged: yes") + access("x", 10) + access("y", 20)
    fabric = fabric_of(
        f"switch: a\n{VLANS}{access('u', 10)}{access('h', 10)}{joined('u: b:u')}",
        box,
        f"switch: c\n{VLANS}{far}{joined('v: b:v')}",
    )
    assert view(fabric, "h", "b").form is Form.UNAWARE
    # Untagged: VLAN 10 of both switches, since the trunk takes untagged frames into it.
    assert heard(fabric, "a:h") == {("b:h", 10, False), ("c:x", 10, False)}
    # Tagged 10 from the trunk: as it is to the host, and not into the access port.
    assert heard(fabric, "c:x") == {("b:h", 10, True)}
    assert heard(fabric, "c:y") == {("b:h", 20, True)}
    assert heard(fabric, "b:h", vid=20) == {("c:y", 20, False)}
    # Of hosts behind two such bridges in a row, and one gateway.
    row = fabric_of(
        f"switch: a\n{VLANS}{access('u', 20)}[gateway 20]\n{joined('u: b:u')}",
        f"switch: b\n{plain}{joined('u: a:u', 'v: c:u')}[gateway 1]\n[gateway 30]\ntagged: yes\n",
        f"switch: c\n{plain}{joined('u: b:v')}",
    )
    assert heard(row, "c:h") == {("b:h", 20, False), ("c:v", 20, False)}
    assert {(i.device, i.vid, i.why_down) for i in interfaces(row)} == {
        ("a", 20, ""),
        ("b", 20, ""),
        ("b", 30, ""),
    }


# --- 3 --------------------------------------------------------------------------------------------


def test_fm_3_1_and_fm_3_2_arrival() -> None:
    fabric = one(
        trunk("1", "10,20", "20") + access("2", 10) + access("3", 20) + trunk("4", "10", "none")
    )
    assert heard(fabric, "s:1") == {("s:3", 20, False)}
    assert heard(fabric, "s:1", vid=10) == {("s:2", 10, False), ("s:4", 10, True)}
    assert (
        sent_from(fabric, End("s", "1"), Level.HONEST, 30)
        == []
        == sent_from(fabric, End("s", "4"), Level.HONEST)
    )


def test_fm_3_3_only_vlans_the_switch_has() -> None:
    fabric = one(access("1", 40) + access("2", 40) + access("3", 1) + access("4", 1))
    assert heard(fabric, "s:1") == set() and heard(fabric, "s:3") == {("s:4", 1, False)}
    suspended = fabric_of(
        "switch: s\n[vlans]\n10: a; suspended\n1: d; suspended\n"
        + access("1..2", 10)
        + access("3..4", 1)
    )
    assert heard(suspended, "s:1") == set() == heard(suspended, "s:3")
    without = fabric_of("switch: s\n" + access("1..2", 40))
    assert (
        heard(without, "s:1") == {("s:2", 40, False)}
        and "brings no VLAN table" in without.assumptions[0].says
    )
    # What an access port lists has no meaning there; what a trunk lists, has.
    named = fabric_of("switch: s\n" + access("1", 30, "allowed: 40") + trunk("2", "10,20", "none"))
    assert vids(named.live["s"]) == "1,10,20,30"


def test_fm_3_4_and_fm_3_7_hub_and_departure() -> None:
    fabric = one(
        access("1", 10) + access("2", 10) + access("3", 20) + trunk("4") + trunk("5", "10", "10")
    )
    assert heard(fabric, "s:1") == {("s:2", 10, False), ("s:4", 10, True), ("s:5", 10, False)}


def test_fm_3_5_no_turning_back() -> None:
    # The native VLANs differ: 10 of a arrives as 20 of b. It does not come back to a as 20, though
    # b's trunk sends 20.
    fabric = two(
        trunk("u", "10,20", "10") + access("h", 10) + access("x", 20),
        trunk("u", "10,20", "20") + access("y", 20),
    )
    assert heard(fabric, "a:h") == {("b:y", 20, False)}
    # Reached by a second port as well, the hub sends by both.
    both = fabric_of(
        f"switch: a\n{VLANS}"
        f"{trunk('u', '10,20', '10')}{trunk('v', '10,20')}{access('h', 10)}{access('x', 20)}"
        f"{joined('u: b:u', 'v: b:v')}",
        f"switch: b\n{VLANS}"
        f"{trunk('u', '10,20', '20')}{trunk('v', '10,20')}{joined('u: a:u', 'v: a:v')}",
    )
    assert ("a:x", 20, False) in heard(both, "a:h")


def test_fm_3_6_protected_ports() -> None:
    fabric = one(access("1..2", 10, "protected: yes") + access("3", 10))
    assert heard(fabric, "s:1") == {("s:3", 10, False)}
    assert heard(fabric, "s:3") == {("s:1", 10, False), ("s:2", 10, False)}


def test_fm_3_8_each_direction_by_itself() -> None:
    general = port("u", "mode: general", "pvid: 10", "untagged: 20", "tagged: 99")
    fabric = two(general + access("h", 20) + access("x", 10), access("u", 10) + access("y", 10))
    assert heard(fabric, "a:h") == {("b:y", 10, False)}  # 20 leaves untagged, arrives as 10
    assert heard(fabric, "b:y") == {("a:x", 10, False)}  # and the answer arrives as 10, elsewhere


def test_fm_3_9_tags_of_sub_interfaces() -> None:
    box = (
        f"switch: b\n{VLANS}"
        f"{port('u', 'mode: trunk', 'native: none')}{access('m', 10)}{access('h', 20)}"
        "[sub u.10]\nof: u\ntag: 10\nvlan: 20\n[bridge x]\nports: u.10, h\n"
    )
    fabric = fabric_of(
        f"switch: a\n{VLANS}{trunk('u')}{access('h', 10)}{joined('u: b:u')}", box + joined("u: a:u")
    )
    assert heard(fabric, "a:h") == {
        ("b:h", 20, False)
    }  # not b:m: tag 10 belongs to the sub-interface
    assert heard(fabric, "b:h") == {("a:h", 10, False)}


def test_fm_3_10_a_way_that_passes_a_switch_twice_is_no_witness() -> None:
    # From VLAN 10 to VLAN 20 of the same switch, there and back over two links to b.
    fabric = fabric_of(
        f"switch: a\n{VLANS}"
        f"{trunk('u', '10,20', '10')}{trunk('v', '10,20')}{access('h', 10)}{access('x', 20)}"
        f"{joined('u: b:u', 'v: b:v')}",
        f"switch: b\n{VLANS}{trunk('u', '10,20', '20')}{trunk('v', '10,20')}{access('y', 20)}"
        f"{joined('u: a:u', 'v: a:v')}",
    )
    sendings = sent_from(fabric, End("a", "h"), Level.HONEST)
    certain = {(h.switch, h.port): h.certain for h in hears(fabric, sendings, Level.HONEST)}
    assert certain == {("a", "x"): False, ("b", "y"): True}
    way = find_way(
        fabric,
        sendings,
        to_port(fabric, bridge_ports_at(fabric, End("a", "x"))[0].number, Level.HONEST),
        Level.HONEST,
    )
    assert way is not None and way.simple is False and len(way.hops) == 2


def longer_way() -> Fabric:
    """b lets nothing from its protected port 1, towards a, to its protected port 2, towards c. The
    shortest way is by d, which gives it back by another port: four links. One that passes no switch
    twice is longer: by e, f and g.
    """
    protected = "protected: yes"
    return fabric_of(
        f"switch: a\n{VLANS}{access('h', 10)}{trunk('u')}{joined('u: b:1')}",
        f"switch: b\n{VLANS}"
        f"{trunk('1', '10,99', '99', protected)}{trunk('2', '10,99', '99', protected)}"
        f"{trunk('3..5')}{joined('2: c:1', '3: d:1', '4: d:2', '5: e:1')}",
        f"switch: c\n{VLANS}{trunk('1..2')}{access('x', 10)}{joined('2: g:2')}",
        f"switch: d\n{VLANS}{trunk('1..2')}",
        f"switch: e\n{VLANS}{trunk('1..2')}{joined('2: f:1')}",
        f"switch: f\n{VLANS}{trunk('1..2')}{joined('2: g:1')}",
        f"switch: g\n{VLANS}{trunk('1..2')}",
    )


def way_to(fabric: Fabric, one: tuple[str, str], other: tuple[str, str]) -> Way | None:
    target = bridge_ports_at(fabric, End(*other))[0]
    sendings = sent_from(fabric, End(*one), Level.HONEST)
    return find_way(fabric, sendings, to_port(fabric, target.number, Level.HONEST), Level.HONEST)


def test_fm_3_10_a_longer_way_is_taken_if_only_it_passes_no_switch_twice() -> None:
    fabric = longer_way()
    way = way_to(fabric, ("a", "h"), ("c", "x"))
    assert (
        way is not None
        and way.simple
        and [fabric.bridges[b].device for b in way.bridges] == [*"abefgc"]
    )


def test_fm_3_10_what_could_not_be_settled_in_time_is_said(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """With few steps it is not known whether a way without a repeat is there; with enough it is.
    Between two bridges alone none is: that is known, or not known, and never claimed.
    """
    there = longer_way()
    none = fabric_of(
        f"switch: a\n{VLANS}{trunk('u', '10,20', '10')}{trunk('v', '10,20')}"
        f"{access('h', 10)}{access('x', 20)}{joined('u: b:u', 'v: b:v')}",
        f"switch: b\n{VLANS}{trunk('u', '10,20', '20')}{trunk('v', '10,20')}"
        f"{joined('u: a:u', 'v: a:v')}",
    )
    told: dict[str, list[bool | None]] = {"there": [], "none": []}
    for steps in (1, 2, 3, 5, 8, 13, 21, 34, 55, 89, 1000):
        monkeypatch.setattr(path, "_MOST_STEPS", steps)
        for name, fabric, ends in (
            ("there", there, (("a", "h"), ("c", "x"))),
            ("none", none, (("a", "h"), ("a", "x"))),
        ):
            way = way_to(fabric, *ends)
            assert way is not None
            told[name].append(way.simple)
            assert (len(set(way.bridges)) == len(way.bridges)) is (way.simple is True)
    assert told["there"][0] is None and told["there"][-1] is True
    assert told["none"][-1] is False
    assert False not in told["there"] and True not in told["none"]


# --- 4 --------------------------------------------------------------------------------------------


def test_fm_4_1_and_fm_4_2_honest_and_hostile() -> None:
    fabric = one(
        access("1", 10, "voice: 20")
        + access("2", 10)
        + access("3", 20)
        + trunk("4", "10,31", "none")
        + access("5", 31)
    )
    assert {where for where, *_ in heard(fabric, "s:1")} == {"s:2", "s:3", "s:4"}
    assert heard(fabric, "s:4", Level.HOSTILE) >= {("s:5", 31, False)}
    assert sent_from(fabric, End("s", "4"), Level.HONEST) == []


def test_fm_4_3_a_hidden_tag_shows_where_the_first_is_taken_off() -> None:
    fabric = two(
        trunk("u", "10,20", "10") + access("h", 10), trunk("u", "10,20", "10") + access("x", 20)
    )
    assert heard(fabric, "a:h") == set()
    assert heard(fabric, "a:h", Level.HOSTILE) == {("b:x", 20, False)}
    assert (
        heard(two(trunk("u") + access("h", 10), trunk("u") + access("x", 20)), "a:h", Level.HOSTILE)
        == set()
    )


def test_fm_4_4_negotiation_abused() -> None:
    fabric = one(
        access("1", 10, "negotiation: passive", "allowed: 10,20", "native: 10") + access("2", 20)
    )
    assert heard(fabric, "s:1") == set() and heard(fabric, "s:1", Level.HOSTILE) == {
        ("s:2", 20, False)
    }
    assert heard(fabric, "s:2") == set() and heard(fabric, "s:2", Level.HOSTILE) == {
        ("s:1", 20, True)
    }


def test_fm_4_5_registration_abused() -> None:
    fabric = one(access("1", 10, "registration: on") + access("2", 20))
    assert heard(fabric, "s:1") == set()
    assert heard(fabric, "s:1", Level.HOSTILE) == {("s:2", 20, False)} and (
        "s:1",
        20,
        True,
    ) in heard(fabric, "s:2", Level.HOSTILE)


def test_fm_4_5_what_is_forbidden_is_not_registered() -> None:
    text = access("1", 10, "registration: on\nforbidden: 20") + access("2", 20) + access("3", 30)
    assert heard(one(text), "s:1", Level.HOSTILE) == {("s:3", 30, False)}


def test_fm_4_8_an_answer_that_gets_to_an_unknown_port_says_so() -> None:
    lines = "unknown: its VLANs are not told"
    fabric = two(access("1", 10) + trunk("u", "10", "none"), trunk("u", "none", "none", lines))
    assert heard(fabric, "a:1") == set()
    assert Assumptions(fabric).about({"a"}, Level.HONEST)[0] == "b:u: its VLANs are not told"
    known = two(access("1", 10) + trunk("u", "10", "none"), trunk("u", "none", "none"))
    assert not any("not told" in says for says in Assumptions(known).about({"a"}, Level.HONEST))


def test_fm_4_6_a_trunk_to_nobody_is_a_host_port() -> None:
    fabric = one(access("1", 10) + trunk("2", "10", "none"))
    assert heard(fabric, "s:1") == {("s:2", 10, True)}


# --- 5 --------------------------------------------------------------------------------------------

GATEWAYS = "[gateway 10]\naddress: 10.0.10.1/24\n[gateway 20]\naddress: 10.0.20.1/24\n"


def host(
    name: str, device: str, where: str, address: str | None = None, gateway: str | None = None
) -> Host:
    from ipaddress import ip_interface

    return Host(
        name,
        device,
        where,
        Origin("hosts.csv", 2),
        None,
        ip_interface(address) if address else None,
        gateway,
    )


def routed(more_a: str = "", more_b: str = "") -> Fabric:
    return two(
        trunk("u") + access("h", 10) + access("k", 20) + GATEWAYS + more_a,
        trunk("u") + access("h", 20) + more_b,
    )


A10 = host("a10", "a", "h", "10.0.10.5/24", "10.0.10.1")
B20 = host("b20", "b", "h", "10.0.20.5/24", "10.0.20.1")


def test_fm_5_1_and_fm_5_2_routed_interfaces_up_and_down() -> None:
    fabric = two(
        trunk("u", "10,99")
        + access("1", 20, "state: off")
        + port("r", "mode: routed", "address: 10.9.0.1/30")
        + GATEWAYS
        + "[gateway 31]\nstate: off\naddress: 10.0.31.1/24\n[gateway 77]\naddress: 10.0.77.1/24\n",
        trunk("u"),
    )
    assert {i.name: i.why_down for i in interfaces(fabric)} == {
        "VLAN 10": "",
        "r": "",
        "VLAN 31": "it is shut",
        "VLAN 20": "no port of a that is up carries VLAN 20",
        "VLAN 77": "VLAN 77 is not defined on a",
    }


def verdict(result: Ping) -> str:
    return "works" if result.works else next(part.says for part in result.parts if not part.holds)


def test_fm_5_3_and_fm_5_6_near_hosts() -> None:
    near = host("b10", "b", "x", "10.0.10.6/24")
    assert verdict(ping(routed(more_b=access("x", 10)), A10, near)) == "works"
    assert "do not arrive" in verdict(ping(routed(more_b=access("x", 31)), A10, near))
    narrow = host("b10", "b", "x", "10.0.10.6/31", None)  # thinks that a10 is far
    assert (
        verdict(ping(routed(more_b=access("x", 10)), A10, narrow))
        == "a10 is in another subnet, and b10 has no gateway"
    )
    tagged = routed(more_b=trunk("x", "10", "none"))
    assert "arrive tagged 10, which it does not hear" in verdict(ping(tagged, A10, near))


@pytest.mark.parametrize(
    ("one_host", "says"),
    [
        (A10, "works"),
        (host("x", "a", "h", "10.0.10.5/24"), "b20 is in another subnet, and x has no gateway"),
        (
            host("x", "a", "h", "10.0.10.5/24", "10.0.20.1"),
            "the gateway 10.0.20.1 of x is not in its subnet 10.0.10.0/24",
        ),
        (
            host("x", "a", "h", "10.0.10.5/24", "10.0.10.9"),
            "no device among the files has the address 10.0.10.9",
        ),
        (host("x", "a", "k", "10.0.10.5/24", "10.0.10.1"), "frames of x do not get to a VLAN 10"),
    ],
)
def test_fm_5_4_gateways(one_host: Host, says: str) -> None:
    assert verdict(ping(routed(), one_host, B20)) == says


def test_fm_5_4_a_gateway_that_is_down() -> None:
    down = routed().campus.devices["a"].gateways[0]
    assert down.enabled is None
    assert "is down: it is shut" in verdict(
        ping(
            routed("[gateway 10]\nstate: off\naddress: 10.0.10.7/24\n"),
            host("x", "a", "h", "10.0.10.5/24", "10.0.10.7"),
            B20,
        )
    )


def test_fm_5_5_routers_that_share_a_vlan() -> None:
    far = "[gateway 99]\naddress: 10.0.99.2/24\n[gateway 31]\naddress: 10.0.31.1/24\n" + access(
        "z", 31
    )
    target = host("b31", "b", "z", "10.0.31.5/24", "10.0.31.1")
    result = ping(routed("[gateway 99]\naddress: 10.0.99.1/24\n", far), A10, target)
    assert result.works and result.assumes == [
        "a and b know each other's networks",
        "b and a know each other's networks",
    ]
    assert "no router that a knows" in verdict(ping(routed("", far), A10, target))
    other_table = far.replace("[gateway 99]", "[gateway 99]\nvrf: guests").replace(
        "[gateway 31]", "[gateway 31]\nvrf: guests"
    )
    # What the far router calls its table is its own affair; a's two tables are apart.
    assert ping(routed("[gateway 99]\naddress: 10.0.99.1/24\n", other_table), A10, target).works
    apart = "[gateway 99]\nvrf: guests\naddress: 10.0.99.1/24\n"
    assert "no router that a knows" in verdict(ping(routed(apart, far), A10, target))


def test_fm_5_1_the_gateway_of_a_primary_vlan_hears_its_secondaries() -> None:
    def isolated(table: str) -> Fabric:
        private = port("i", "mode: private host", "primary: 30", "secondary: 31")
        gateways = "[gateway 30]\naddress: 10.0.30.1/24\n[gateway 20]\naddress: 10.0.20.1/24\n"
        near = trunk("u") + private + gateways
        return fabric_of(
            f"switch: a\n{VLANS.replace('primary of 31,32', table)}{near}{joined('u: b:u')}",
            f"switch: b\n{VLANS}{trunk('u')}{access('h', 20)}{joined('u: a:u')}",
        )

    one, other = host("a31", "a", "i", "10.0.30.5/24", "10.0.30.1"), B20
    assert verdict(ping(isolated("primary of 31,32"), one, other)) == "works"
    assert "do not get to a VLAN 30" in verdict(ping(isolated("primary of 32"), one, other))


@pytest.mark.parametrize(
    ("lines", "says"),
    [
        ("10: reject from any to 10.0.20.0/24\n", "the filter keep of a VLAN 10 stops it"),
        ("10: accept from 10.0.10.5/32 to any\n20: reject from any to any\n", "works"),
        ("10: reject from 10.0.10.6/32 to any\n", "works"),
        ("10: reject from any to any in part\n", "works"),
    ],
)
def test_fm_5_7_filters(lines: str, says: str) -> None:
    bound = GATEWAYS.replace("address: 10.0.10.1/24\n", "address: 10.0.10.1/24\nfilter in: keep\n")
    near = trunk("u") + access("h", 10) + access("k", 20) + bound + "[filter keep]\n" + lines
    assert verdict(ping(two(near, trunk("u") + access("h", 20)), A10, B20)) == says


# --- 6 --------------------------------------------------------------------------------------------


def domain_of(fabric: Fabric, device: str, vid: int) -> int:
    return domains(fabric).of(fabric.bridge_of[device, ""], vid)


def test_fm_6_1_domains() -> None:
    fabric = two(trunk("u", "10,20", "10"), trunk("u", "10,20", "20"))
    assert domain_of(fabric, "a", 10) == domain_of(fabric, "b", 20)
    assert domain_of(fabric, "a", 20) != domain_of(fabric, "b", 20)
    assert domain_of(two(trunk("u"), trunk("u")), "a", 20) == domain_of(
        two(trunk("u"), trunk("u")), "b", 20
    )


def test_fm_6_1_a_gateway_alone_is_a_domain() -> None:
    """VLAN 10 has a gateway on each, and no port anywhere passes it."""
    gateway = "[gateway 10]\naddress: 10.0.10.1/24\n"
    fabric = two(trunk("u", "20") + gateway, trunk("u", "20") + gateway)
    assert domain_of(fabric, "a", 10) != domain_of(fabric, "b", 10)
    assert [len(parts) for vid, parts in islands(fabric, domains(fabric)) if vid == 10] == [2]


def test_fm_6_2_one_way_crossings_that_make_a_round() -> None:
    ring = [("a", "b"), ("b", "c"), ("c", "a")]

    def sheet(name: str) -> str:
        out, back = next(y for x, y in ring if x == name), next(x for x, y in ring if y == name)
        sends = trunk("o", "10,99")
        takes = trunk("i", "10,99", "99", "withheld: 10")
        return f"switch: {name}\n{VLANS}{sends}{takes}{joined(f'o: {out}:i', f'i: {back}:o')}"

    fabric = fabric_of(*map(sheet, "abc"))
    assert domain_of(fabric, "a", 10) == domain_of(fabric, "b", 10) == domain_of(fabric, "c", 10)
    one_way = two(trunk("u", "10,99", "99", "withheld: 10"), trunk("u", "10,99"))
    assert domain_of(one_way, "a", 10) != domain_of(one_way, "b", 10)


def test_fm_6_3_what_is_served() -> None:
    fabric = one(
        access("1", 10, "voice: 20")
        + trunk("2", "31", "none")
        + port("3", "mode: trunk")
        + "[gateway 99]\n"
    )
    assert vids(served_by_device(fabric)["s"]) == "10,20,31,99"


@pytest.mark.parametrize(
    ("router", "near", "other", "serves"),
    [
        ("address: 10.0.0.1/24", "vlan: 10", "address: 10.0.0.2/24", 10),
        ("address: 10.0.0.1/24", "mode: trunk\nnative: 10", "address: 10.0.0.2/24", 10),
        # Nobody in its subnet; or whoever takes no untagged frames, is off, or has no address.
        ("address: 10.0.0.1/24", "vlan: 10", "address: 10.0.5.2/24", 0),
        ("address: 10.0.0.1/24", "vlan: 10", "", 0),
        ("address: 10.0.0.1/24", "mode: trunk\nnative: none", "address: 10.0.0.2/24", 0),
        ("address: 10.0.0.1/24\nstate: off", "vlan: 10", "address: 10.0.0.2/24", 0),
        ("", "vlan: 10", "address: 10.0.0.2/24", 0),
    ],
)
def test_fm_6_3_a_router_is_served_where_its_routed_port_is_linked(
    router: str, near: str, other: str, serves: int
) -> None:
    """Two routers, each at a switch of its own; nobody else is in the VLAN."""
    legs = {"r": router, "q": other}
    fabric = fabric_of(
        *(
            f"switch: {name}\n[vlans]\n10: ways\n[port 1]\n{line}\n"
            for name, line in (("s", near), ("t", "vlan: 10"))
        ),
        *(
            f"switch: {name}\n[port u]\nmode: routed\n{lines}\n[neighbours]\nu: {far}:1\n"
            for (name, lines), far in zip(legs.items(), "st", strict=True)
        ),
    )
    masks = served_by_device(fabric)
    assert (masks["s"], masks["t"]) == (1 << serves & ~1, 1 << serves & ~1)


def story(fabric: Fabric, source: str, target: str) -> Story:
    start, goal = (End(*place.split(":")) for place in (source, target))
    return follow(
        fabric,
        sent_from(fabric, start, Level.HONEST),
        start,
        bridge_ports_at(fabric, goal)[0],
        Level.HONEST,
    )


def test_fm_6_5_where_it_stops() -> None:
    cases = [
        (
            two(trunk("u") + access("h", 10), trunk("u", "20,99") + access("x", 10)),
            "b:u",
            "does not hold VLAN 10",
        ),
        (
            two(trunk("u", "20,99") + access("h", 10), trunk("u") + access("x", 10)),
            "a:u",
            "does not hold VLAN 10",
        ),
        (
            two(trunk("u") + access("h", 10), trunk("u") + access("x", 20)),
            "b:x",
            "passes VLAN 20, not VLAN 10",
        ),
        (
            two(
                trunk("u", "10", "10") + access("h", 10), trunk("u", "10", "none") + access("x", 10)
            ),
            "b:u",
            "has no native",
        ),
        (
            two(
                trunk("u", "10,99", "99", "withheld: 10") + access("h", 10),
                trunk("u") + access("x", 10),
            ),
            "a:u",
            "withheld",
        ),
        (
            two(
                trunk("u", "10", "99", "state: off") + access("h", 10), trunk("u") + access("x", 10)
            ),
            "a:u",
            "a:u is shut",
        ),
    ]
    for fabric, where, says in cases:
        found = story(fabric, "a:h", "b:x")
        last = found.steps[-1]
        assert not found.arrives and last.event == "stops"
        assert (f"{last.switch}:{last.port}", says in last.because) == (where, True), last
    leak = two(
        trunk("u", "10,20", "10") + access("h", 10), trunk("u", "10,20", "20") + access("x", 20)
    )
    events = [
        (s.switch, s.port, s.event, s.vlan, s.tagged) for s in story(leak, "a:h", "b:x").steps
    ]
    assert events == [
        ("a", "h", "sent", 10, False),
        ("a", "u", "leaves", 10, False),
        ("b", "u", "arrives", 20, False),
        ("b", "x", "heard", 20, False),
    ]


def test_fm_6_6_islands() -> None:
    fabric = two(
        trunk("u", "20,99") + access("h", 10), trunk("u") + access("h", 10) + access("k", 20)
    )
    parts = dict(islands(fabric, domains(fabric)))
    assert {vid: [island.devices(fabric) for island in split] for vid, split in parts.items()} == {
        10: [["a"], ["b"]],
        20: [["b"]],
    }


def test_fm_6_6_the_break_is_where_a_vlan_stops() -> None:
    """From a to m there is a link that passes VLAN 10, and one beside it that does not. To b there
    is only one, that does not: it is to blame, whatever stands first.
    """
    links = joined("u: m:u", "v: m:v")
    fabric = fabric_of(
        f"switch: a\n{VLANS}{trunk('u', '20')}{trunk('v', '10')}{access('h', 10)}{links}",
        f"switch: m\n{VLANS}{trunk('u', '20')}{trunk('v', '10')}{trunk('w', '20')}"
        + joined("u: a:u", "v: a:v", "w: b:w"),
        f"switch: b\n{VLANS}{trunk('w', '20')}{access('h', 10)}{joined('w: m:w')}",
    )
    [row] = [row for row in vlan_rows(fabric) if row.vlan == 10]
    assert [gap.island for gap in row.breaks] == [["b"]]
    assert row.breaks[0].says.startswith(("m:w to b:w:", "b:w to m:w:"))


def test_fm_4_9_one_wire() -> None:
    # By the reports m:u leads to a:u and to b:u: all three are on one wire, and a and b hear each
    # other without m, which does not send back what came by the port.
    ends = [
        f"switch: {n}\n{VLANS}{trunk('u')}{access('h', 10)}{joined('u: m:u')}" for n in ("a", "b")
    ]
    fabric = fabric_of(*ends, "switch: m\n" + VLANS + trunk("u", "20"))
    assert heard(fabric, "a:h") == {("b:h", 10, False)}
    assert [island.devices(fabric) for island in dict(islands(fabric, domains(fabric)))[10]] == [
        ["a", "b"]
    ]
    # Somebody besides is on the wire of a link: a host of a table, a neighbour without a file.
    more = "[neighbours]\nu: b:u\nu: lamp-7:eth0\n"
    beside = fabric_of(
        f"switch: a\n{VLANS}{trunk('u', '10', '10')}{access('h', 10)}{more}",
        f"switch: b\n{VLANS}{trunk('u', '10', '10')}{joined('u: a:u')}",
    )
    assert heard(beside, "a:h") == {("a:u", 10, False)}


def test_fm_4_10_a_link_that_cannot_be_placed(inkov: Inkov, tmp_path: Path) -> None:
    sheet = f"inkov sheet 1\n[vlans]\n10: a\n20: b\n{access('1', 10)}{access('2', 20)}"
    (tmp_path / "a.sheet").write_text(
        sheet.replace("[vlans]", "switch: a\n[vlans]", 1)
        + trunk("9", "10,20", "none")
        + joined("9: b:nobody-knows")
    )
    (tmp_path / "b.sheet").write_text(sheet.replace("[vlans]", "switch: b\n[vlans]", 1))
    verdicts = inkov("prove", ".", "--strict", "-f", "json").json["claims"]
    leaks = [v for v in verdicts if v["kind"] == "no-leak"]
    assert {v["verdict"] for v in leaks} == {"undecided"}
    assert all("b has no port 'nobody-knows'" in v["because"] for v in leaks)
    assert "nobody-knows" in inkov("audit", ".").out


def test_fm_5_9_a_box_that_may_route(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "a.sheet").write_text(
        f"inkov sheet 1\nswitch: a\n[vlans]\n10: a\n20: b\n{access('1', 10)}{access('2', 20)}"
        + trunk("9", "10,20", "none", "negotiation: silent")
    )
    (tmp_path / "plan.yaml").write_text("claims:\n  - isolate: [vlan 10, vlan 20]\n    layer: 3\n")
    [plain] = inkov("prove", ".", "-f", "json").json["claims"]
    says = "what is at a:9, which is not among the files, may route between its VLANs"
    assert plain["verdict"] == "holds" and says in plain["assumes"]
    [strict] = inkov("prove", ".", "--strict", "-f", "json").json["claims"]
    assert strict["verdict"] == "undecided" and says in strict["because"]
    # With the tag of one side only it routes nothing to the other.
    text = (tmp_path / "a.sheet").read_text()
    for own in (10, 20):
        (tmp_path / "a.sheet").write_text(text.replace("allowed: 10,20", f"allowed: {own}"))
        [one_side] = inkov("prove", ".", "--strict", "-f", "json").json["claims"]
        assert says not in one_side["assumes"] and says not in one_side["because"], own
    (tmp_path / "a.sheet").write_text(text)
    # A host that a table names there is that host.
    (tmp_path / "hosts.csv").write_text("host,switch,port,vlan\nlamp-1,a,9,10\n")
    [known] = inkov("prove", ".", "--strict", "-f", "json").json["claims"]
    assert says not in known["because"]


def test_fm_1_11_registration_between_two_switches() -> None:
    def pair(of_b: str, *, level: Level) -> set[tuple[str, int, bool]]:
        plain = trunk("u", "10", "10", "registration: on")
        fabric = two(plain + access("h", 20), trunk("u", "10", "10", of_b) + access("h", 20))
        return heard(fabric, "a:h", level=level)

    both, alone = "registration: on", "registration: off"
    assert pair(both, level=Level.HONEST) == {("b:h", 20, False)}
    assert pair(alone, level=Level.HONEST) == set()
    assert pair(f"{both}\nforbidden: 20", level=Level.HONEST) == set()
    # Somebody hostile further on may have a VLAN registered; b takes no part, and lets none in.
    assert pair(alone, level=Level.HOSTILE) == set()


def test_fm_6_6_islands_behind_protected_ports() -> None:
    ends = [
        f"switch: {n}\n{VLANS}{trunk('u')}{access('h', 10)}{joined(f'u: m:{n}')}"
        for n in ("a", "b")
    ]
    middle = (
        "switch: m\n"
        + VLANS
        + "".join(trunk(n, "10,99", "99", "protected: yes") for n in ("a", "b"))
    )
    fabric = fabric_of(*ends, middle + joined("a: a:u", "b: b:u"))
    assert heard(fabric, "a:h") == set()
    [(vid, split)] = islands(fabric, domains(fabric))
    assert (vid, [island.devices(fabric) for island in split]) == (10, [["a"], ["b"]])
    [row] = [row for row in vlan_rows(fabric) if row.vlan == 10]
    assert "protected ports on the way" in row.breaks[0].says


# --- the page itself ------------------------------------------------------------------------------


def test_every_rule_is_cited_in_the_code_and_has_a_test() -> None:
    numbers = re.findall(
        r"\*\*FM (\d+\.\d+)\*\*", (ROOT / "docs" / "forwarding-model.md").read_text()
    )
    assert len(numbers) > 40 and len(set(numbers)) == len(numbers)
    code = "".join(path.read_text() for path in (ROOT / "src").rglob("*.py"))
    cited = set(re.findall(r"FM (\d+\.\d+)", code))
    tests = "".join(path.read_text() for path in (ROOT / "tests").rglob("*.py"))
    tested = {n.replace("_", ".") for n in re.findall(r"fm_(\d+_\d+)", tests)}
    assert [n for n in numbers if n not in cited] == []
    assert [n for n in numbers if n not in tested] == []
    assert cited <= {*numbers, *{n.split(".")[0] for n in numbers}}


def test_a_flood_without_entries_is_empty() -> None:
    assert list(flood(one(access("1", 10)), [], Level.HONEST).heard()) == []


def test_a_way_is_certain_by_its_own_vlan() -> None:
    """From VLAN 20 to 10 only round by the other switch, back to where it came from: no tree lets
    that through for sure, though the port that hears it has 20 as well.
    """
    a = (
        access("h", 20)
        + trunk("t", "10,20", "none")
        + trunk("u", "20", "20")
        + trunk("v", "10", "none")
    )
    b = trunk("u", "10", "10") + trunk("v", "10", "none")
    fabric = fabric_of(
        f"switch: a\n{VLANS}{a}{joined('u: b:u', 'v: b:v')}",
        f"switch: b\n{VLANS}{b}{joined('u: a:u', 'v: a:v')}",
    )
    heard = hears(fabric, sent_from(fabric, End("a", "h"), Level.HONEST), Level.HONEST)
    assert [(one.port, one.vlan, one.certain) for one in heard] == [
        ("t", 10, False),
        ("t", 20, True),
    ]


@pytest.mark.parametrize(
    ("line", "told"),
    [
        ("about: x", ["mode", "negotiation", "access VLAN"]),
        ("mode: access", ["negotiation", "access VLAN"]),
        ("mode: trunk", ["negotiation", "allowed list", "native VLAN"]),
        ("mode: general", ["negotiation", "PVID", "acceptable frame types"]),
        ("mode: routed", ["negotiation"]),
    ],
)
def test_what_nobody_states_is_told_with_a_value_only(line: str, told: list[str]) -> None:
    """No voice VLAN, nothing withheld, no tagged VLANs: that is not worth a line."""
    fabric = one(port("1", line))
    reasons = [reason for reason in chain(fabric, End("s", "1")) if reason.stage == "completed"]
    assert [reason.says.partition(":")[0] for reason in reasons] == told


def test_what_a_port_names_and_its_switch_lacks_is_told() -> None:
    """77 untagged in, 78 untagged out, 79 tagged: each is named, none is there."""
    lines = ("mode: general", "pvid: 77", "untagged: 78", "tagged: 10,79")
    says = [reason.says for reason in chain(one(port("1", *lines)), End("s", "1"))]
    assert [text for text in says if "does not" in text] == [
        "it does not negotiate: it is general",
        "s does not define VLAN 77",
        "s does not have VLAN 78-79: named here, and not passed",
    ]
    assert "leaves tagged: VLAN 10" in says
    for line, lacks in (("mode: trunk", False), ("vlan: 77", False), ("voice: 78", True)):
        reasons = chain(one(port("1", line)), End("s", "1"))
        assert any("does not have" in reason.says for reason in reasons) is lacks, line
