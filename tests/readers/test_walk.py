"""SNMP walks: every variant of the text gives one device, and a real snmpwalk of a real agent is
read.
"""

from __future__ import annotations

import re
import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkov.campus import Accept, Device, Neighbour
from inkov.forwarding import resolve
from inkov.forwarding.reach import flood, sendings_at
from inkov.levels import Level
from inkov.readers.reading import FileReport, Part
from inkov.readers.registry import read_bytes
from inkov.readers.sheets.writer import write_sheet
from inkov.readers.walk.objects import OBJECTS
from inkov.wiring import wire
from tests.conftest import Inkov
from tests.readers.agent import running
from tests.readers.test_sheet import without_origins

# A small switch of the garden: ports p1 to p4 are bridge ports 1 to 4, of interfaces 101 to 104.
MIB: dict[str, dict[str, tuple[str, str]]] = {
    "sysName": {"0": ("string", "fern-2")},
    "ifName": {
        **{f"10{n}": ("string", f"p{n}") for n in range(1, 5)},
        "110": ("string", "vlan-10"),
        "111": ("string", "back-yard"),
        "112": ("string", "loop"),
    },
    "ifType": {
        **{f"10{n}": ("integer", "6") for n in range(1, 5)},
        "110": ("integer", "136"),
        "111": ("integer", "6"),
        "112": ("integer", "24"),
    },
    "ipAdEntIfIndex": {"10.10.0.4": ("integer", "110"), "127.0.0.1": ("integer", "112")},
    "ipAdEntNetMask": {
        "10.10.0.4": ("ipaddress", "255.255.255.0"),
        "127.0.0.1": ("ipaddress", "255.0.0.0"),
    },
    "ipAddressIfIndex": {"1.4.10.10.0.4": ("integer", "110"), "1.4.10.11.0.1": ("integer", "111")},
    "ipAddressPrefix": {
        "1.4.10.10.0.4": ("objectid", ".1.3.6.1.2.1.4.32.1.5.110.1.4.10.10.0.0.24"),
        "1.4.10.11.0.1": ("objectid", ".1.3.6.1.2.1.4.32.1.5.111.1.4.10.11.0.0.25"),
    },
    "ifAlias": {"101": ("string", "to core-1"), "102": ("string", 'a "mist" controller')},
    "ifAdminStatus": {**{f"10{n}": ("integer", "1") for n in (1, 2, 3)}, "104": ("integer", "2")},
    "dot1dBasePortIfIndex": {str(n): ("integer", f"10{n}") for n in range(1, 5)},
    "dot1qVlanStaticName": {"10": ("string", "climate"), "20": ("string", "irrigation")},
    "dot1qVlanStaticEgressPorts": {"10": ("octets", "C0"), "20": ("octets", "B0")},
    "dot1qVlanStaticUntaggedPorts": {"10": ("octets", "40"), "20": ("octets", "30")},
    "dot1qVlanStaticRowStatus": {"10": ("integer", "1"), "20": ("integer", "1")},
    "dot1qPvid": {
        "1": ("gauge", "1"),
        "2": ("gauge", "10"),
        "3": ("gauge", "20"),
        "4": ("gauge", "20"),
    },
    "dot1qPortAcceptableFrameTypes": {
        str(n): ("integer", "2" if n == 1 else "1") for n in range(1, 5)
    },
    "dot1qPortIngressFiltering": {str(n): ("integer", "1" if n < 3 else "2") for n in range(1, 5)},
    "lldpLocPortId": {"1": ("string", "p1")},
    "lldpRemPortId": {"0.1.1": ("string", "port-7")},
    "lldpRemSysName": {"0.1.1": ("string", "core-1")},
}
NAMED = {
    "dot1qPortIngressFiltering": {"1": "true", "2": "false"},
    "ifAdminStatus": {"1": "up", "2": "down"},
    "dot1qPortAcceptableFrameTypes": {"1": "admitAll", "2": "admitOnlyVlanTagged"},
}


def written(style: str) -> str:
    """The switch as a walk in one of the usual styles of output."""
    lines = []
    # In the order of the objects' numbers, as a walk has them.
    for name in sorted(MIB, key=lambda name: [int(part) for part in OBJECTS[name].split(".")]):
        for index, (kind, value) in MIB[name].items():
            spelled = {
                "numeric": f".{OBJECTS[name]}.{index}",
                "iso": f"iso{OBJECTS[name][1:]}.{index}",
            }.get(style, "")
            spelled = spelled or (
                f"SOME-MIB::{name}.{index}" if style == "named" else f"{name}[{index}]"
            )
            word = NAMED.get(name, {}).get(value, value)
            text = {
                "integer": (
                    f"INTEGER: {word}({value})"
                    if style == "named" and word != value
                    else f"INTEGER: {value}"
                ),
                "gauge": f"Gauge32: {value}",
                "ipaddress": f"IpAddress: {value}",
                "objectid": f"OID: {value}",
                "string": (
                    "STRING: "
                    + (
                        value
                        if style == "named" and not name.endswith("Id")  # these have no hint
                        else chr(34) + value.replace(chr(34), chr(92) + chr(34)) + chr(34)
                    )
                ),
                "octets": f"Hex-STRING: {value} 00 \n00 00 ",
            }[kind]
            if style == "quiet":
                text = {
                    "integer": word,
                    "gauge": value,
                    "ipaddress": value,
                    "objectid": value,
                    "octets": f'"{value} "',
                }.get(kind, text.removeprefix("STRING: "))
            lines.append(f"{spelled} = {text}")
    return "\n".join(lines) + "\n"


def reported(text: str, file: str = "x.walk") -> tuple[FileReport, Part]:
    report, part = read_bytes(file, text.encode(), account=True)
    assert report.format == "SNMP walk"
    return report, part


def read(text: str, file: str = "x.walk") -> Part:
    return reported(text, file)[1]


@pytest.mark.parametrize("style", ["numeric", "iso", "named", "quiet"])
def test_every_style_gives_one_switch(style: str) -> None:
    report, part = reported(written(style))
    assert not part.problems and not report.unmatched
    check(part.devices[0])
    assert without_origins(part.neighbours) == without_origins(
        [Neighbour("fern-2", "p1", "core-1", "port-7", part.neighbours[0].origin)]
    )


def check(device: Device) -> None:
    """The switch above, as the model has it, and what it does to frames."""
    assert device.name == "fern-2" and list(device.ports) == ["p1", "p2", "p3", "p4", "back-yard"]
    (gateway,) = device.gateways
    assert (
        gateway.vid == 10
        and str(gateway.addresses[0].value) == "10.10.0.4/24"
        and gateway.origin.says
    )
    (address,) = device.ports["back-yard"].addresses
    assert str(address.value) == "10.11.0.1/25"
    uplink, shut = device.ports["p1"], device.ports["p4"]
    assert (
        uplink.tagged
        and str(uplink.tagged.value) == "10,20"
        and uplink.untagged
        and not uplink.untagged.value
    )
    assert uplink.accept and uplink.accept.value is Accept.TAGGED and uplink.ingress_filtering
    assert uplink.ingress_filtering.value is True and shut.enabled and shut.enabled.value is False
    alias = device.ports["p2"].description
    assert alias and alias.value == 'a "mist" controller'
    from inkov.campus import Campus

    campus = Campus({device.name: device})
    fabric = resolve(campus, wire(campus))
    heard = {}
    for port in fabric.bridge_ports:
        spread = flood(
            fabric, sendings_at(fabric, [port.number], Level.HONEST), Level.HONEST
        ).heard()
        heard[port.port] = {
            (q.port, vid, tagged) for q, vid, tagged in spread if q.number != port.number
        }
    assert heard == {
        "p1": set(),
        "p2": {("p1", 10, True)},
        "p3": {("p1", 20, True)},
        "back-yard": set(),
    }


def test_where_the_facts_stand() -> None:
    text = written("numeric")
    device = read(text).devices[0]
    lines = text.split("\n")
    pvid = device.ports["p2"].pvid
    assert pvid and lines[pvid.origin.line - 1] == f".{OBJECTS['dot1qPvid']}.2 = Gauge32: 10"


@pytest.mark.parametrize(
    ("line", "says"),
    [
        (
            ".{dot1dBasePortIfIndex}.9 = INTEGER: 999",
            "bridge port 9 leads to interface 999, which is not there",
        ),
        (".{dot1qPvid}.77 = Gauge32: 10", "dot1qPvid: no port 77; left out"),
        (".{dot1qPvid}.2 = Gauge32: 5000", "comes twice, with two values: that of line"),
        (".{dot1qPortGvrpStatus}.2 = INTEGER: 3", "'3' is no value of it"),
        (
            ".{dot1qVlanStaticEgressPorts}.30 = Hex-STRING: 00 FF ",
            "names bridge port 9, which leads to no interface",
        ),
        (".{dot1qVlanStaticEgressPorts}.30 = Hex-STRING: C ", "is no list of ports"),
        (".{dot1qVlanStaticEgressPorts}.4095 = Hex-STRING: C0 ", "4095 is not a VLAN number"),
        ('.{ifName}.105 = STRING: "p1"', "port p1 is named twice"),
        (
            '.{lldpRemPortId}.0.9.1 = STRING: "x"',
            "the neighbour at local port 9 has no name or no port",
        ),
    ],
)
def test_what_does_not_fit_is_said_and_the_rest_read(line: str, says: str) -> None:
    part = read(written("numeric") + line.format(**OBJECTS) + "\n")
    assert says in " ".join(problem.says for problem in part.problems)
    assert all(
        problem.origin.line == written("numeric").count("\n") + 1 for problem in part.problems
    )
    assert "p3" in part.devices[0].ports


def test_unknown_objects_are_counted_and_vlan_ones_stand_out() -> None:
    report, _ = reported(
        written("named")
        + "Q-BRIDGE-MIB::dot1qTpFdbPort.10.1.2.3.4.5.6 = INTEGER: 3\nIF-MIB::ifMtu.1 = INTEGER:"
        " 1500\nQ-BRIDGE-MIB::dot1qForwardUnregisteredStaticPorts.10 = Hex-STRING: 00\n"
    )
    assert [line.text for line in report.unmatched] == [
        "dot1qForwardUnregisteredStaticPorts (1 object)",  # long names are no hashes
    ]
    assert [line.text for line in report.ignored] == [
        "dot1qTpFdbPort (1 object)",
        "ifMtu (1 object)",
    ]


def test_current_tables_serve_where_static_ones_are_missing() -> None:
    text = re.sub(
        r"dot1qVlanStatic(Egress|Untagged)Ports\[", r"dot1qVlanCurrent\1Ports[0.", written("quiet")
    )
    check(read(text).devices[0])


@given(
    st.integers(0, 5000),
    st.sampled_from(["", "=", "Hex-STRING: ", "\n", ".1.3.6", "\x00", "(", '"', "9" * 30]),
    st.integers(0, 40),
)
def test_no_mutation_makes_it_fail(at: int, patch: str, cut: int) -> None:
    text = written("numeric")
    at %= len(text)
    read_bytes("x.walk", (text[:at] + patch + text[at + cut :]).encode(), account=True)


# --- a real agent ---------------------------------------------------------------------------------

KINDS = {"gauge": "gauge", "octets": "octet"}


@pytest.fixture(scope="module")
def agent(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """A real SNMP agent on a loopback port, serving the tables of the switch above."""
    rows = {
        f"{OBJECTS[name]}.{index}": (KINDS.get(kind, kind), value)
        for name, table in MIB.items()
        for index, (kind, value) in table.items()
    }
    roots = sorted({".".join(OBJECTS[name].split(".")[:-1]) for name in MIB})
    with running(tmp_path_factory.mktemp("snmp"), roots) as started:
        started.serve(rows)
        yield started.address


@pytest.mark.parametrize(
    "options", [["-On"], ["-Oqn"], ["-OQn"], ["-Oxn"], ["-Oan"], []], ids=" ".join
)
def test_a_real_walk_of_a_real_agent(
    agent: str, options: list[str], inkov: Inkov, tmp_path: Path
) -> None:
    text = ""
    for tree in (
        "1.3.6.1.2.1.1.5",
        "1.3.6.1.2.1.2",
        "1.3.6.1.2.1.4",
        "1.3.6.1.2.1.31",
        "1.3.6.1.2.1.17",
        "1.0.8802",
    ):
        command = [
            "snmpwalk",
            "-v2c",
            "-c",
            "garden",
            "-t",
            "2",
            "-r",
            "10",
            "-m",
            "",
            *options,
            agent,
            tree,
        ]
        text += subprocess.run(
            command, capture_output=True, text=True, check=True, timeout=60
        ).stdout
    part = read(text)
    if "-Oan" in options:  # octets as text: what is lost is said, and not guessed
        assert {p.says.partition(" '")[0] for p in part.problems} == {"the list of ports"}
        return
    check(part.devices[0])
    (tmp_path / "fern-2.walk").write_text(text)
    assert inkov("ports", "fern-2.walk").status == 0


# --- one switch with a case of everything ---------------------------------------------------------

MEAD = """\
sysName.0 = STRING: mead-3
ifName.1 = STRING: p1
ifName.2 = STRING: p2
ifName.3 = STRING: p3
ifName.4 = STRING: p4
ifName.5 = STRING: west
ifName.6 = STRING: east
ifName.7 = STRING: idle
ifDescr.8 = STRING: shed
ifName.20 = STRING: vlan-1
ifName.21 = STRING: vlan-4094
ifName.22 = STRING: yard
ifName.23 = STRING: vlan-30
ifName.24 = STRING: lo
ifName.25 = STRING: vlan-4095
ifName.26 = STRING: v6
ifType.5 = INTEGER: ieee8023adLag(161)
ifType.20 = INTEGER: l3ipvlan(136)
ifType.21 = INTEGER: l2vlan(135)
ifType.22 = INTEGER: propVirtual(53)
ifType.23 = INTEGER: l3ipvlan(136)
ifType.24 = INTEGER: softwareLoopback(24)
ifType.25 = INTEGER: l3ipvlan(136)
ifAdminStatus.1 = INTEGER: up(1)
ifAdminStatus.2 = INTEGER: testing(3)
ifAdminStatus.7 = INTEGER: down(2)
ifAdminStatus.21 = INTEGER: down(2)
dot1dBasePortIfIndex.1 = INTEGER: 1
dot1dBasePortIfIndex.2 = INTEGER: 2
dot1dBasePortIfIndex.9 = INTEGER: 5
dot1dBasePortIfIndex.16 = INTEGER: 6
dot1dBasePortIfIndex.17 = INTEGER: 8
dot1qPvid.1 = Gauge32: 1
dot1qPvid.2 = Gauge32: 1
dot1qPvid.9 = Gauge32: 40
dot1qPvid.16 = Gauge32: 4094
dot1qPvid.17 = Gauge32: 1
dot1qPortGvrpStatus.1 = INTEGER: enabled(1)
dot1qPortGvrpStatus.2 = INTEGER: disabled(2)
dot1qPortGvrpStatus.9 = INTEGER: disabled(2)
dot1qPortGvrpStatus.16 = INTEGER: 2
dot1qPortGvrpStatus.17 = INTEGER: 2
dot1qVlanStaticEgressPorts.1 = Hex-STRING: C0 80
dot1qVlanStaticUntaggedPorts.1 = Hex-STRING: 40 00
dot1qVlanStaticEgressPorts.40 = Hex-STRING: 00 80
dot1qVlanStaticUntaggedPorts.40 = Hex-STRING: 00 00
dot1qVlanStaticEgressPorts.4094 = Hex-STRING: 80 01
dot1qVlanStaticUntaggedPorts.4094 = Hex-STRING: 00 01
dot1qVlanStaticName.1 = STRING: house
dot1qVlanStaticName.40 = ""
dot1qVlanStaticName.50 = STRING: orchids
dot1qVlanStaticRowStatus.1 = INTEGER: active(1)
dot1qVlanStaticRowStatus.40 = INTEGER: notInService(2)
dot1qVlanStaticRowStatus.60 = INTEGER: notReady(3)
dot3adAggPortAttachedAggID.3 = INTEGER: 5
dot3adAggPortAttachedAggID.4 = INTEGER: 6
dot3adAggPortAttachedAggID.1 = INTEGER: 0
dot3adAggPortAttachedAggID.5 = INTEGER: 5
ipAdEntIfIndex.10.0.1.1 = INTEGER: 20
ipAdEntNetMask.10.0.1.1 = IpAddress: 255.255.255.128
ipAdEntIfIndex.10.0.1.9 = INTEGER: 21
ipAdEntNetMask.10.0.1.9 = IpAddress: 255.255.255.0
ipAdEntIfIndex.10.0.2.2 = INTEGER: 21
ipAdEntIfIndex.127.0.0.1 = INTEGER: 24
ipAdEntNetMask.127.0.0.1 = IpAddress: 255.0.0.0
ipAddressIfIndex.1.4.10.0.1.1 = INTEGER: 20
ipAddressPrefix.1.4.10.0.1.1 = OID: .1.3.6.1.2.1.4.32.1.5.20.1.4.10.0.1.0.25
ipAddressIfIndex.1.4.10.0.1.2 = INTEGER: 20
ipAddressPrefix.1.4.10.0.1.2 = OID: .1.3.6.1.2.1.4.32.1.5.20.1.4.10.0.1.0.25
ipAddressType.1.4.10.0.1.2 = INTEGER: unicast(1)
ipAddressIfIndex.1.4.10.0.1.127 = INTEGER: 20
ipAddressPrefix.1.4.10.0.1.127 = OID: .1.3.6.1.2.1.4.32.1.5.20.1.4.10.0.1.0.25
ipAddressType.1.4.10.0.1.127 = INTEGER: broadcast(3)
ipAddressIfIndex.1.4.10.0.1.3 = INTEGER: 20
ipAddressPrefix.1.4.10.0.1.3 = OID: .0.0
ipAddressIfIndex.1.3.10.0.9.1 = INTEGER: 20
ipAddressPrefix.1.3.10.0.9.1 = OID: .1.3.6.1.2.1.4.32.1.5.20.1.4.10.0.9.0.25
ipAddressIfIndex.2.16.32.1.13.184.0.0.0.0.0.0.0.0.0.0.0.1 = INTEGER: 26
ipAddressPrefix.2.16.32.1.13.184.0.0.0.0.0.0.0.0.0.0.0.1 = OID: .1.3.6.1.2.1.4.32.1.5.26.2.16.0.64
ipAddressIfIndex.2.16.254.128.0.0.0.0.0.0.0.0.0.0.0.0.0.1 = INTEGER: 26
ipAddressPrefix.2.16.254.128.0.0.0.0.0.0.0.0.0.0.0.0.0.1 = OID: .1.3.6.1.2.1.4.32.1.5.26.2.16.0.64
ipAdEntIfIndex.10.0.3.1 = INTEGER: 22
ipAdEntNetMask.10.0.3.1 = IpAddress: 255.255.255.0
ipAdEntIfIndex.10.0.4.1 = INTEGER: 25
ipAdEntNetMask.10.0.4.1 = IpAddress: 255.255.255.0
ipAdEntIfIndex.10.0.5.1 = INTEGER: 26
ipAdEntNetMask.10.0.5.1 = IpAddress: 255.0.255.0
lldpLocPortId.1 = STRING: p1
lldpLocPortId.77 = STRING: unheard
lldpRemPortId.0.1.1 = STRING: port-7
lldpRemSysName.0.1.1 = STRING: core-1
lldpRemPortDesc.0.1.1 = STRING: to the mead
lldpRemPortId.0.16.1 = STRING: port-8
lldpRemChassisId.0.16.1 = STRING: core-2
lldpRemPortId.0.7.1 = STRING: port-9
lldpRemSysName.0.7.1 = STRING: core-3
"""
MEAD = re.sub(r"STRING: (\w.*)", r'STRING: "\1"', MEAD.replace("Hex-STRING", "HEX")).replace(
    "HEX", "Hex-STRING"
)
MEAD_SHEET = """\
[vlans]
1: house
40: ; suspended
4094:
50: orchids

[port p1]
state: on
mode: general
pvid: 1
tagged: 1,4094
untagged: none
registration: on
number: 1

[port p2]
state: on
mode: general
pvid: 1
tagged: none
untagged: 1
registration: off
number: 2

[port p3]

[port p4]

[bundle west]
members: p3
mode: general
pvid: 40
tagged: 1,40
untagged: none
registration: off
number: 9

[bundle east]
members: p4
mode: general
pvid: 4094
tagged: none
untagged: 4094
registration: off
number: 16

[port idle]
state: off

[port shed]
mode: general
pvid: 1
tagged: none
untagged: none
registration: off
number: 17

[port v6]
mode: routed
address: 2001:db8::1/64

[gateway 1]
address: 10.0.1.1/25, 10.0.1.2/25

[gateway 4094]
state: off
address: 10.0.1.9/24
"""


WORDS = re.sub(r"INTEGER: ([a-z]\w*)\(\d+\)", r"INTEGER: \1", MEAD, flags=re.IGNORECASE)


@pytest.mark.parametrize("walk", [MEAD, WORDS], ids=["numbers", "words alone"])
def test_a_walk_with_a_case_of_everything(walk: str) -> None:
    report, part = reported(walk)
    (device,) = part.devices
    sheet = write_sheet(device).split("\n", 3)[3]
    assert sorted(sheet.strip().split("\n\n")) == sorted(MEAD_SHEET.strip().split("\n\n"))
    assert {gateway.vid: gateway.name for gateway in device.gateways} == {
        1: "vlan-1",
        4094: "vlan-4094",
    }
    assert [gateway.origin.says for gateway in device.gateways] == [
        "vlan-1 is taken to be in VLAN 1, because its name ends so",
        "vlan-4094 is taken to be in VLAN 4094, because its name ends so",
    ]
    lines = MEAD.split("\n")
    assert sorted((lines[p.origin.line - 1].partition(" ")[0], p.says) for p in part.problems) == [
        (
            "ipAdEntIfIndex.10.0.3.1",
            "yard has an address, but its name ends in no VLAN number: its gateway is left out",
        ),
        (
            "ipAdEntIfIndex.10.0.4.1",
            "vlan-4095 has an address, but its name ends in no VLAN number: its gateway is left"
            " out",
        ),
        ("ipAdEntIfIndex.10.0.5.1", "10.0.5.1/255.0.255.0 is not an address; it is left out"),
    ]
    heard = [(n.port, n.far_device, n.far_port, n.far_port_description) for n in part.neighbours]
    assert heard == [
        ("p1", "core-1", "port-7", "to the mead"),
        ("idle", "core-3", "port-9", ""),
        ("east", "core-2", "port-8", ""),
    ]
    assert not report.unmatched


def test_without_the_map_of_bridge_ports_interfaces_stand_in_and_this_is_said() -> None:
    text = "ifName.3 = STRING: p3\ndot1qPvid.3 = Gauge32: 7\n"
    report, part = reported(text, "mead-4.walk")
    (device,) = part.devices
    assert device.name == "mead-4" and device.ports["p3"].pvid is not None
    assert [(line.origin.line, line.text) for line in report.unmatched] == [
        (
            2,
            "no dot1dBasePortIfIndex in the walk: bridge ports are taken to have their interfaces'"
            " numbers",
        )
    ]


def test_the_many_ways_to_write_values_and_indices() -> None:
    text = """\
sysName.0 = Hex-STRING: 6D 65 61 64 2D 35 00
lldpRemChassisId.0.3.1 = STRING: "core-1"
lldpRemPortId.0.3.1 = Hex-STRING: 02 00 00 00 00 FF
dot3adAggPortAttachedAggID.4 = INTEGER: 26
ifDescr.4 = STRING: port four
ifType.26 = ieee8023adLag
ifAdminStatus.1 = INTEGER: down
ifAdminStatus.3 = INTEGER: 2 (down)
.1.3.6.1.2.1.2.2.1.10.4 = Counter32: 7
ipAddressIfIndex.ipv4."10.3.0.1" = INTEGER: 4
ipAddressIfIndex.ipv6."20:01:0d:b8:00:00:00:00:00:00:00:00:00:00:00:09" = INTEGER: 27
ipAddressPrefix.ipv4."10.3.0.1" = OID: IP-MIB::ipAddressPrefixOrigin.4.ipv4."10.3.0.0".24
ipAddressPrefix.ipv6."20:01:0d:b8:00:00:00:00:00:00:00:00:00:00:00:09" = OID: x.27.ipv6."20".64
.1.3.6.1.2.1.17.7.1.3.1.1.3.10.0.1 = INTEGER: 3
.1.3.6.1.2.1.17.7.1.3.1.1.3.10.0.2 = INTEGER: 3
ifName.1 = STRING: "p \\"one\\""
ifName.2 = STRING: ""
ifName.3 = Hex-STRING: 70 33
ifName.4 = STRING: p4
ifName.26 = STRING: west
ifName.27 = STRING: v6
ifAlias.3 = STRING: goes on
below
"""
    report, part = reported(text)
    assert [p.says for p in part.problems] == []
    (device,) = part.devices
    assert device.name == "mead-5" and [*device.ports] == ['p "one"', "p3", "p4", "west", "v6"]
    assert device.ports["p3"].description is not None
    assert device.ports["p3"].description.value == "goes on\nbelow"
    off = {name for name, port in device.ports.items() if port.enabled and not port.enabled.value}
    assert off == {'p "one"', "p3"}
    west = device.ports["p4"].bundle
    assert west is not None and west.value == "west" and device.ports["west"].kind == "bundle"
    assert device.ports["p4"].addresses == ()  # a member of a bundle is no routed port
    assert [str(fact.value) for fact in device.ports["v6"].addresses] == ["2001:db8::9/64"]
    assert [(n.port, n.far_port) for n in part.neighbours] == [("p3", "02:00:00:00:00:ff")]
    assert [line.text for line in report.unmatched] == ["dot1qStatic.1 (2 objects)"]
    assert [line.text for line in report.ignored] == ["ifEntry.10 (1 object)"]


@pytest.mark.parametrize("end", ["Timeout: no answer from fern-2\n", "\nbye\n\n"])
def test_a_walk_that_is_cut_off_is_said(inkov: Inkov, tmp_path: Path, end: str) -> None:
    text = written("numeric") + ".1.3.6.1.2.1.2.2.1.7.103 = INTEGER: 1\n"
    report, part = reported(text + end)
    line = (text + end).rstrip().count("\n") + 1
    assert [p.origin.line for p in part.problems] == [line]
    says = "the walk broke off" if "Timeout" in end else "belongs to no object: the walk may be cut"
    assert says in part.problems[0].says
    assert [unread.text for unread in report.unmatched] == [end.strip()]
    (tmp_path / "x.walk").write_text(text + end)
    assert inkov("read", "x.walk", "--strict").status == 1
    assert not reported(text + "\n\n")[1].problems
