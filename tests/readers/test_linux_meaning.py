"""What lists and units of Linux systems come to, with a case of everything: expectations are
written from what the kernel and systemd-networkd do.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from inkov.campus import Campus
from inkov.readers import load
from inkov.readers.registry import read_bytes
from inkov.readers.sheets.writer import write_sheet
from tests.readers.test_linux import link, units, write


def blocks(campus: Campus) -> dict[str, list[str]]:
    """The sheet of the only switch: the head of each block -> its lines, sorted."""
    (device,) = campus.devices.values()
    return blocks_of(write_sheet(device).split("\n", 2)[2])


def blocks_of(sheet: str) -> dict[str, list[str]]:
    each = [block.split("\n") for block in sheet.strip().split("\n\n")]
    return {head: sorted(lines) for head, *lines in each}


def own(local: str, length: int, scope: str = "global") -> dict[str, Any]:
    return {"family": "inet", "local": local, "prefixlen": length, "scope": scope}


SLAVE = {"info_slave_kind": "bridge"}
LINKS = [
    {"ifname": "lo", "flags": ["LOOPBACK", "UP"], "link_type": "loopback"},
    link(
        "br0",
        "bridge",
        info_data={
            "vlan_filtering": 1,
            "vlan_default_pvid": 0,
            "stp_state": 0,
            "priority": 4096,
            "vlan_protocol": "802.1ad",
        },
    ),
    link(
        "br1", "bridge", info_data={"vlan_filtering": 0, "stp_state": 1, "vlan_protocol": "802.1ad"}
    ),
    link("p1", master="br0", **SLAVE, info_slave_data={"cost": 7, "priority": 40, "guard": True}),
    link("p2", master="br0", **SLAVE, ifalias="to the owls"),
    link("p3", master="br0", **SLAVE),
    link("p4", master="br1", **SLAVE, down=True),
    link("p5"),
    link("p6", mtu=9000),
    link("vx7", "vxlan", master="br1", **SLAVE),
    link("wg0", "wireguard"),
    link("bond1", "bond", info_data={"mode": "balance-rr"}),
    link("bond2", "bond", master="br0", info_data={"mode": 4}, info_slave_kind="bridge"),
    link("e1", master="bond1"),
    link("e2", master="bond2"),
    link("e3", master="gone"),
    link("green", "vrf"),
    link("v30", "vlan", link="br0", master="green", info_data={"id": 30, "protocol": "802.1Q"}),
    link("v40@p5", "vlan", link="p5", info_data={"id": 40, "protocol": "802.1Q"}),
    link("v50", "vlan", info_data={"id": 50, "protocol": "802.1Q"}),
    link("v60", "vlan", link="p5", info_data={"id": 60, "protocol": "802.1ad"}),
    link("v95", "vlan", link="p5", info_data={"id": 4095, "protocol": "802.1Q"}),
    link("va@vb", "veth", link="vb"),
    link("vb@va", "veth", link="va", master="green"),
]
ADDRESSES = [
    {"ifname": "br0", "addr_info": [own("10.0.20.1", 24)]},
    {"ifname": "br1", "addr_info": [own("10.0.1.1", 24)]},
    {"ifname": "v30", "addr_info": [own("10.0.30.1", 24), own("169.254.0.1", 16, "link")]},
    {"ifname": "v40", "addr_info": [own("10.0.40.1", 24)]},
    {
        "ifname": "p6",
        "addr_info": [own("10.6.0.1", 30), own("10.6.0.300", 30), own("10.6.1.1", 30)],
    },
    {"ifname": "vb", "addr_info": [own("10.7.0.1", 30)]},
    {"ifname": "lo", "addr_info": [own("127.0.0.1", 8, "host")]},
]
BRIDGE_LINKS = [
    {"ifname": "p1", "flags": [], "state": "forwarding", "cost": 99, "isolated": False},
    {
        "ifname": "p2",
        "flags": [],
        "state": "forwarding",
        "cost": 9,
        "isolated": True,
        "guard": True,
    },
]
PVID, BARE = "PVID", "Egress Untagged"
VLANS = [
    {
        "ifname": "p1",
        "vlans": [{"vlan": 1, "flags": [BARE]}, {"vlan": 4094, "flags": [PVID, BARE]}],
    },
    {"ifname": "p2", "vlans": [{"vlan": 20, "vlanEnd": 22}, {"vlan": 30, "flags": [PVID]}]},
    {"ifname": "p3", "vlans": [{"vlan": 20}, {"vlan": 0}, {"vlan": 7, "vlanEnd": 5}]},
    {"ifname": "bond2", "vlans": []},
    {"ifname": "br0", "vlans": [{"vlan": 20, "flags": [PVID, BARE]}, {"vlan": 30}]},
]
RUNNING = """
[port p1]
state: on
mode: general
pvid: 4094
accept: all
tagged: none
untagged: 1,4094
protected: no
bpdu guard: on
mtu: 1500

[port p2]
about: to the owls
state: on
mode: general
pvid: 30
accept: all
tagged: 20-22,30
untagged: none
protected: yes
bpdu guard: on
mtu: 1500

[port p3]
state: on
mode: general
pvid: none
accept: tagged
tagged: 20
untagged: none
mtu: 1500

[port p4]
state: off
mode: unaware
mtu: 1500

[port p5]
state: on
mode: routed
mtu: 1500

[port p6]
state: on
mode: routed
mtu: 9000
address: 10.6.0.1/30, 10.6.1.1/30

[port vx7]
state: on
mode: unaware
mtu: 1500

[bundle bond1]
members: e1
state: on
mode: routed
mtu: 1500
aggregation: static

[bundle bond2]
members: e2
state: on
mode: general
pvid: none
accept: tagged
tagged: none
untagged: none
mtu: 1500
aggregation: active

[port e1]
state: on
mtu: 1500

[port e2]
state: on
mtu: 1500

[port e3]
state: on
mtu: 1500

[sub v40]
of: p5
state: on
mode: routed
tag: 40
mtu: 1500
address: 10.0.40.1/24

[sub v60]
of: p5
state: on
mode: routed
tag: 60
mtu: 1500

[port va]
state: on
mode: routed
mtu: 1500

[port vb]
state: on
mode: routed
vrf: green
mtu: 1500
address: 10.7.0.1/30

[bridge br0]
ports: p1, p2, p3, bond2

[bridge br1]
ports: p4, vx7

[gateway 20 in br0]
state: on
address: 10.0.20.1/24

[gateway 1 in br1]
state: on
address: 10.0.1.1/24

[gateway 30 in br0]
state: on
vrf: green
address: 10.0.30.1/24

[tree]
mode: stp

[tree in br0]
mode: off

[tree in br1]
mode: stp

[tree all in br0]
priority: 4096
cost of p1: 7
cost of p2: 9
number: 0
priority of p1: 40
state of p1: forwarding
state of p2: forwarding
"""


def test_the_lists_of_a_running_system(tmp_path: Path) -> None:
    lists = {"link": LINKS, "addr": ADDRESSES, "bridge": BRIDGE_LINKS, "vlan": VLANS}
    write(tmp_path / "aviary-9", **lists)
    campus = load([str(tmp_path)]).campus
    got, meant = blocks(campus), blocks_of(RUNNING)
    got.pop("[vlans]", None)
    # Tags of 802.1ad are not followed: of these ports nobody knows what they pass.
    unknown = {head for head, said in got.items() if any("802.1ad" in line for line in said)}
    assert unknown == {"[port p1]", "[port p2]", "[port p3]", "[bundle bond2]", "[sub v60]"}
    plain = {head: [x for x in said if "802.1ad" not in x] for head, said in got.items()}
    assert plain == meant
    cables = {(n.device, n.port, n.far_device, n.far_port) for n in campus.neighbours}
    assert cables == {("aviary-9", "va", "aviary-9", "vb"), ("aviary-9", "vb", "aviary-9", "va")}
    at = {(p.origin.file.rpartition("/")[2], p.origin.pointer, p.says) for p in campus.problems}
    assert at == {
        ("link.json", "/9", "vx7 is a tunnel (vxlan): where it leads is not followed"),
        ("link.json", "/15/master", "e3 belongs to gone, which is not there"),
        ("link.json", "/19", "v50 is a VLAN of nothing that is known here; it is left out"),
        ("link.json", "/21", "v95 is a VLAN of nothing that is known here; it is left out"),
        ("addr.json", "/4/addr_info/1", "10.6.0.300/30 is not an address; it is left out"),
        ("vlan.json", "/2/vlans/1", "0-0 are no VLAN numbers (1 to 4094); left out"),
        ("vlan.json", "/2/vlans/2", "7-5 are no VLAN numbers (1 to 4094); left out"),
    }


UNITS = """
== 10-br0.netdev
[NetDev]
Name=br0
Kind=bridge
Description=the owls
MTUBytes=1400
[Bridge]
VLANFiltering=yes
DefaultPVID=5
STP=no
Priority=12288
== 11-bond1.netdev
; two lines to the mead \\
[NetDev]
Name=bond1
Kind=bond
[Bond]
Mode=balance-rr
== 12-vlan.netdev
[NetDev]
Name=v30
Kind=vlan
[VLAN]
Id=30
== 20-p1.network
[Match]
Name=p1
[Network]
Bridge=br0
Description=fog
[Link]
MTUBytes=9000
[Bridge]
Cost=7
Priority=40
== 21-p2.network
[Match]
Name=p2
[Network]
Bridge=br0
[Link]
ActivationPolicy=always-down
[BridgeVLAN]
PVID=no
[BridgeVLAN]
VLAN=20-22
EgressUntagged=21
== 22-p3.network
[Match]
Name=p3
[Network]
Bridge=br0
[BridgeVLAN]
PVID=30
EgressUntagged=30-31
== 23-p4.network
[Match]
Name=p4
[Network]
Bridge=\\
br0
[BridgeVLAN]
PVID=1
PVID=4094
== 24-rest.network
[Match]
Name=!p[0-9]* br0 bond1 e? v30 q
[Network]
Bond=bond1
== 25-e.network
[Match]
Name=e1 e2
[Network]
Bond=bond1
== 26-br0.network
[Match]
Name=br0
[Network]
VLAN=v30
[BridgeVLAN]
VLAN=30
== 27-v30.network
[Match]
Name=v3?
[Network]
VRF=green
[Address]
Address=10.0.30.1/24
[Address]
Address=2001:db8::1/64
== 29-z.network
[Match]
Name=z9
[Network]
Bridge=br0
== 28-q.network
[Match]
Name=q
[Network]
Address=10.8.0.1/30
"""
STORED = """
[port p1]
about: fog
mode: general
pvid: 5
accept: all
tagged: none
untagged: 5
mtu: 9000

[port p2]
state: off
mode: general
pvid: none
accept: tagged
tagged: 20,22
untagged: 5,21

[port p3]
mode: general
pvid: 30
accept: all
tagged: none
untagged: 5,30-31

[port p4]
mode: general
pvid: 4094
accept: all
tagged: 1,4094
untagged: 5

[bundle bond1]
members: e1, e2, z9
mode: routed
aggregation: static

[port e1]

[port e2]

[port z9]

[port q]
mode: routed
address: 10.8.0.1/30

[gateway 30]
vrf: green
address: 10.0.30.1/24, 2001:db8::1/64

[tree]
mode: off

[tree all]
priority: 12288
cost of p1: 7
number: 0
priority of p1: 40
"""


def test_the_units_of_a_system(tmp_path: Path) -> None:
    units(tmp_path / "owls" / "etc" / "systemd" / "network", UNITS)
    campus = load([str(tmp_path)]).campus
    assert campus.problems == []
    got = blocks(campus)
    got.pop("[vlans]", None)
    assert got == blocks_of(STORED)


def test_what_a_unit_has_that_is_not_read() -> None:
    text = """\
# tags of another kind
[NetDev]
Name=br0
Kind=bridge
[Bridge]
VLANProtocol=802.1ad
VLANFiltering=yes
AgeingTimeSec=300
[BridgeVLAN]
Frob=1
[BridgeMDB]
MulticastGroupAddress=224.0.1.1
"""
    report, part = read_bytes("owls.netdev", text.encode(), account=True)
    assert not part.problems
    assert [(line.origin.line, line.text) for line in report.unmatched] == [
        (6, "[Bridge] VLANProtocol=802.1ad"),
        (10, "[BridgeVLAN] Frob=1"),
    ]
    # Understood: three known sections and three settings; the rest: a comment, a setting that does
    # not matter, and a section that is not known with what is in it.
    assert (report.understood, report.without_meaning, report.not_understood) == (6, 4, 2)


def test_a_last_line_that_goes_on_is_not_lost() -> None:
    report, part = read_bytes("p1.network", b"[Match]\nName=p1 \\", account=True)
    assert report.understood == 2 and not part.problems


def test_a_filter_of_interfaces_by_more_than_names_is_not_understood() -> None:
    text = "[Match]\nName=p1\nType=ether\nMACAddress=02:00:00:00:00:01\n[Network]\nBridge=br0\n"
    report, _ = read_bytes("p1.network", text.encode(), account=True)
    assert [line.text for line in report.unmatched] == ["[Match] MACAddress=02:00:00:00:00:01"]


def test_settings_that_are_none_are_left_out_with_their_line(tmp_path: Path) -> None:
    text = """
== 1-br0.netdev
[NetDev]
Name=br0
Kind=bridge
[Bridge]
VLANFiltering=maybe
DefaultPVID=0
Priority=high
== 2-br0.network
[Match]
Name=br0
"""
    units(tmp_path / "owls", text)
    campus = load([str(tmp_path)]).campus
    assert [(p.origin.line, p.says) for p in campus.problems] == [
        (5, "VLANFiltering=maybe is not understood; it is left out"),
        (6, "DefaultPVID=0 is not understood; it is left out"),
        (7, "Priority=high is not understood; it is left out"),
        (0, "owls has no ports: its configuration may be incomplete"),
    ]


def system_of(tmp_path: Path, **lists: Any) -> dict[str, list[str]]:
    """The sections of the system that some lists tell of."""
    write(tmp_path / "owls", **lists)
    return blocks(load([str(tmp_path)]).campus)


FILTERING = link("br0", "bridge", info_data={"vlan_filtering": 1, "vlan_default_pvid": 1})


def test_a_port_that_the_list_of_vlans_leaves_out_has_none(tmp_path: Path) -> None:
    links = [FILTERING, link("p1", master="br0", **SLAVE), link("p2", master="br0", **SLAVE)]
    vlans = [{"ifname": "p1", "vlans": [{"vlan": 10, "flags": [PVID, BARE]}]}]
    got = system_of(tmp_path, link=links, vlan=vlans)
    assert {"pvid: 10", "untagged: 10"} <= set(got["[port p1]"])
    assert {"pvid: none", "tagged: none", "untagged: none"} <= set(got["[port p2]"])


def test_the_membership_of_the_bridge_itself_decides_for_its_gateways(tmp_path: Path) -> None:
    links = [
        FILTERING,
        link("p1", master="br0", **SLAVE),
        link("v10", "vlan", link="br0", info_data={"id": 10}),
        link("v20", "vlan", link="br0", info_data={"id": 20}),
    ]
    addresses = [{"ifname": f"v{vid}", "addr_info": [own(f"10.0.{vid}.1", 24)]} for vid in (10, 20)]
    vlans = [{"ifname": name, "vlans": [{"vlan": 10}]} for name in ("br0", "p1")]
    got = system_of(tmp_path, link=links, addr=addresses, vlan=vlans)
    assert "state: off" not in got["[gateway 10]"] and "state: off" in got["[gateway 20]"]


def test_an_address_where_no_untagged_frames_are_taken_is_no_gateway(tmp_path: Path) -> None:
    """The bridge itself is a member of VLAN 10, tagged: what it sends untagged goes nowhere."""
    links = [FILTERING, link("p1", master="br0", **SLAVE)]
    vlans = [{"ifname": name, "vlans": [{"vlan": 10}]} for name in ("br0", "p1")]
    addresses = [{"ifname": "br0", "addr_info": [own("10.0.10.1", 24)]}]
    write(tmp_path / "owls", link=links, vlan=vlans, addr=addresses)
    campus = load([str(tmp_path)]).campus
    assert campus.devices["owls"].gateways == []
    [problem] = campus.problems
    assert problem.says == "br0 has an address, but its bridge takes no untagged frames for it"


def test_a_list_without_details_tells_the_bridge_and_not_whether_it_filters(
    tmp_path: Path,
) -> None:
    plain = [
        {"ifname": "br0", "link_type": "ether", "flags": ["UP"]},
        {"ifname": "p1", "link_type": "ether", "flags": ["UP"], "master": "br0"},
        {"ifname": "bond1", "link_type": "ether", "flags": ["UP", "MASTER"]},
        {"ifname": "e1", "link_type": "ether", "flags": ["UP", "SLAVE"], "master": "bond1"},
    ]
    got = system_of(tmp_path, link=plain)
    assert "[port br0]" not in got
    assert any("unknown: whether br0 filters" in line for line in got["[port p1]"])
    assert "members: e1" in got["[bundle bond1]"]


def test_the_far_end_of_a_veth_is_taken_within_one_namespace(tmp_path: Path) -> None:
    links = [link("va@vb", "veth", link="vb"), link("vb@va", "veth", link="va")]
    write(tmp_path / "owls", link=links)
    assert len(load([str(tmp_path)]).campus.neighbours) == 2
    write(tmp_path / "owls", link=[{**entry, "link_netnsid": 0} for entry in links])
    assert load([str(tmp_path)]).campus.neighbours == []


@pytest.mark.parametrize(
    ("entries", "detail", "lost"),
    [
        ([{"mac": "02:00:00:00:00:01", "ifname": "p1", "vlan": 9, "state": ""}], "fdb", 0),
        ([{"ifname": "br0", "vlans": [{"vlan": 9, "mcast_snooping": 1}]}], "vlan global", 0),
        ([{"ifname": "p1", "operstate": "UP", "flags": ["UP"]}], "brief list", 1),
    ],
)
def test_other_lists_are_what_they_are(
    entries: list[dict[str, Any]], detail: str, lost: int
) -> None:
    report, part = read_bytes("x.json", json.dumps(entries).encode(), account=True)
    assert detail in report.format and report.not_understood == lost
    assert not part.devices and not part.pieces and len(part.problems) == lost


@pytest.mark.parametrize(
    ("mode", "way"),
    [(0, "static"), (1, "independent"), (4, "active"), ("balance-alb", "independent")],
)
def test_the_mode_of_a_bond_tells_whether_its_far_end_must_be_a_bundle(
    tmp_path: Path, mode: int | str, way: str
) -> None:
    links = [link("bond1", "bond", info_data={"mode": mode}), link("e1", master="bond1")]
    assert f"aggregation: {way}" in system_of(tmp_path, link=links)["[bundle bond1]"]


def test_drop_ins_of_units_count(tmp_path: Path) -> None:
    text = """
== br0.netdev
[NetDev]
Name=br0
Kind=bridge
[Bridge]
VLANFiltering=yes
DefaultPVID=none
== p1.network
[Match]
Name=p1
[Network]
Bridge=br0
[BridgeVLAN]
VLAN=10
== p1.network.d/more.conf
[BridgeVLAN]
VLAN=20
PVID=20
EgressUntagged=20
== p9.network.d/lost.conf
[Network]
Bridge=br0
"""
    units(tmp_path / "owls", text)
    campus = load([str(tmp_path)]).campus
    port = blocks(campus)["[port p1]"]
    assert {"pvid: 20", "tagged: 10", "untagged: 20"} <= set(port), port
    assert [p.says for p in campus.problems] == [
        "there is no unit p9.network that this would add to"
    ]
    pvid = campus.devices["owls"].ports["p1"].pvid
    assert pvid is not None and pvid.origin.file.endswith("p1.network.d/more.conf")


@pytest.mark.parametrize(
    ("word", "filters"),
    [
        *((word, True) for word in ("yes", "true", "1", "on", "Yes")),
        *((word, False) for word in ("no", "false", "0", "off")),
    ],
)
def test_each_word_for_yes_and_no_in_units(tmp_path: Path, word: str, filters: bool) -> None:
    text = f"""
== 1-br0.netdev
[NetDev]
Name=br0
Kind=bridge
[Bridge]
VLANFiltering={word}
== 2-p1.network
[Match]
Name=p1
[Network]
Bridge=br0
"""
    units(tmp_path / "owls", text)
    campus = load([str(tmp_path)]).campus
    assert campus.problems == []
    mode = "general" if filters else "unaware"
    assert f"mode: {mode}" in blocks(campus)["[port p1]"]


@pytest.mark.parametrize(("mode", "way", "line"), [("", "static", 3), ("802.3ad", "active", 5)])
def test_where_a_unit_says_how_a_bond_is_formed(
    tmp_path: Path, mode: str, way: str, line: int
) -> None:
    """By its mode; without one, since it is a bond."""
    more = f"[Bond]\nMode={mode}\n" if mode else ""
    units(tmp_path / "owls", f"== 1-b.netdev\n[NetDev]\nName=b\nKind=bond\n{more}")
    said = load([str(tmp_path)]).campus.devices["owls"].ports["b"].aggregation
    assert said is not None and (said.value.value, said.origin.line) == (way, line)


@pytest.mark.parametrize(
    ("netdev", "link", "address", "problems"),
    [
        ("MACAddress=02:00:00:00:00:0a", "", "02:00:00:00:00:0a", []),
        ("MACAddress=none", "", None, []),
        # What the network says is set when the bridge is brought up, and stays.
        ("MACAddress=02:00:00:00:00:0a", "MACAddress=02-00-00-00-00-0B", "02:00:00:00:00:0b", []),
        ("MACAddress=02:00", "", None, ["MACAddress=02:00 is not understood; it is left out"]),
    ],
)
def test_the_address_that_units_give_a_bridge(
    tmp_path: Path, netdev: str, link: str, address: str | None, problems: list[str]
) -> None:
    text = f"""
== 1-br0.netdev
[NetDev]
Name=br0
Kind=bridge
{netdev}
[Bridge]
VLANFiltering=yes
STP=yes
== 2-br0.network
[Match]
Name=br0
[Link]
{link}
== 3-p1.network
[Match]
Name=p1
[Network]
Bridge=br0
"""
    units(tmp_path / "owls", text)
    campus = load([str(tmp_path)]).campus
    found = campus.devices["owls"].address
    assert (found.value if found is not None else None) == address
    assert [problem.says for problem in campus.problems] == problems
