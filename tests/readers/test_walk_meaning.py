"""What a walk means, one paragraph at a time: both VLAN tables, newer modules, what is forbidden or
unknown, bundles listed by their members, neighbours by every name, and walks that broke off.

The expectations are written from the standards' words, before anything is read.
"""

from __future__ import annotations

from pathlib import Path
from textwrap import dedent

import pytest

from inkov.campus import TreeMode
from inkov.readers.reading import FileReport, Part
from inkov.readers.registry import read_bytes
from inkov.readers.sheets.writer import write_sheet
from tests.conftest import Inkov

THREE = """
sysName.0 = STRING: "moor-1"
ifName.1 = STRING: "p1"
ifName.2 = STRING: "p2"
ifName.3 = STRING: "p3"
dot1dBasePortIfIndex.1 = INTEGER: 1
dot1dBasePortIfIndex.2 = INTEGER: 2
dot1dBasePortIfIndex.3 = INTEGER: 3
"""


def reported(text: str) -> tuple[FileReport, Part]:
    return read_bytes("moor.walk", dedent(text).encode(), account=True)


def ports_of(text: str) -> dict[str, str]:
    """Port -> what its section of a sheet says, in one line. No problem may be said."""
    report, part = reported(text)
    assert not part.problems and not report.unmatched, (part.problems, report.unmatched)
    return sections(part)


def sections(part: Part) -> dict[str, str]:
    """The same, but for the numbers of the ports, which have a test of their own."""
    found = {}
    for section in write_sheet(part.devices[0]).split("\n\n"):
        head, *lines = section.strip().split("\n")
        if head.startswith(("[port ", "[bundle ")):
            found[head[1:-1]] = "; ".join(x for x in lines if not x.startswith("number: "))
    return found


def test_a_vlan_is_there_if_either_table_has_it() -> None:
    """Static: 10 at p1 (untagged) and p2, 20 at p2. Current: 10 at p1 and p3, both untagged."""
    text = (
        THREE
        + """
    dot1qVlanCurrentEgressPorts.0.10 = Hex-STRING: A0
    dot1qVlanCurrentUntaggedPorts.0.10 = Hex-STRING: A0
    dot1qVlanCurrentEgressPorts.0.30 = Hex-STRING: 20
    dot1qVlanCurrentUntaggedPorts.0.30 = Hex-STRING: 00
    dot1qVlanStaticEgressPorts.10 = Hex-STRING: C0
    dot1qVlanStaticUntaggedPorts.10 = Hex-STRING: 80
    dot1qVlanStaticEgressPorts.20 = Hex-STRING: 40
    dot1qVlanStaticUntaggedPorts.20 = Hex-STRING: 00
    """.replace("    ", "")
    )
    assert ports_of(text) == {
        "port p1": "mode: general; tagged: none; untagged: 10; in force: 10",
        "port p2": "mode: general; tagged: 10,20; untagged: none; in force: none",
        "port p3": "mode: general; tagged: 30; untagged: 10; in force: 10,30",
    }
    assert sorted(reported(text)[1].devices[0].vlans or {}) == [10, 20, 30]


def test_forbidden_ports_and_the_switch_of_registration() -> None:
    text = (
        THREE
        + """
    dot1qGvrpStatus.0 = INTEGER: STATUS
    dot1qVlanStaticEgressPorts.10 = Hex-STRING: E0
    dot1qVlanForbiddenEgressPorts.10 = Hex-STRING: 00
    dot1qVlanForbiddenEgressPorts.20 = Hex-STRING: 60
    dot1qVlanStaticUntaggedPorts.10 = Hex-STRING: E0
    dot1qPortGvrpStatus.1 = INTEGER: enabled(1)
    dot1qPortGvrpStatus.2 = INTEGER: enabled(1)
    dot1qPortGvrpStatus.3 = INTEGER: disabled(2)
    """.replace("    ", "")
    )
    members = "mode: general; tagged: none; untagged: 10; registration: "
    on, off = (ports_of(text.replace("STATUS", status)) for status in ("enabled(1)", "2"))
    assert on == {
        "port p1": members + "on",
        "port p2": members + "on; forbidden: 20",
        "port p3": members + "off; forbidden: 20",
    }
    assert all("registration: off" in port for port in off.values())


def test_the_newer_modules_say_the_same() -> None:
    """IEEE8021-Q-BRIDGE-MIB, with the number of a bridge component before each index."""
    old = (
        THREE
        + """
    dot1qVlanStaticName.10 = STRING: "climate"
    dot1qVlanStaticEgressPorts.10 = Hex-STRING: C0
    dot1qVlanStaticUntaggedPorts.10 = Hex-STRING: 40
    dot1qPvid.1 = Gauge32: 1
    dot1qPvid.2 = Gauge32: 10
    dot1qPvid.3 = Gauge32: 1
    dot1qPortAcceptableFrameTypes.1 = INTEGER: 2
    dot1qPortAcceptableFrameTypes.2 = INTEGER: 1
    dot1qPortAcceptableFrameTypes.3 = INTEGER: 3
    """.replace("    ", "")
    )
    new = old
    for name, number in (
        ("dot1dBasePortIfIndex", "2.1.1.4.1.3.7"),
        ("dot1qVlanStaticName", "4.1.4.3.1.3.7"),
        ("dot1qVlanStaticEgressPorts", "4.1.4.3.1.4.7"),
        ("dot1qVlanStaticUntaggedPorts", "4.1.4.3.1.6.7"),
        ("dot1qPvid", "4.1.4.5.1.1.7"),
        ("dot1qPortAcceptableFrameTypes", "4.1.4.5.1.2.7"),
    ):
        new = new.replace(f"{name}.", f".1.3.111.2.802.1.1.{number}.")
    assert ports_of(new) == ports_of(old)
    assert "accept: untagged" in ports_of(old)["port p3"]
    other = new + ".1.3.111.2.802.1.1.4.1.4.5.1.1.8.1 = Gauge32: 66\n"
    report, part = reported(other)
    assert [p.says for p in part.problems] == ["bridge component 8 is not read, only component 7"]
    assert report.unmatched and sections(part) == ports_of(old)


def test_members_that_are_listed_in_the_place_of_their_bundle() -> None:
    text = (
        THREE
        + """
    ifName.9 = STRING: "west"
    ifType.9 = INTEGER: ieee8023adLag(161)
    dot1qVlanStaticEgressPorts.10 = Hex-STRING: E0
    dot1qVlanStaticUntaggedPorts.10 = Hex-STRING: 20
    dot1qPvid.1 = Gauge32: 1
    dot1qPvid.2 = Gauge32: 1
    dot1qPvid.3 = Gauge32: 10
    HOW
    """.replace("    ", "")
    )
    for how in (
        "dot3adAggPortListPorts.9 = Hex-STRING: C0",
        "dot3adAggPortSelectedAggID.1 = INTEGER: 9\ndot3adAggPortSelectedAggID.2 = INTEGER: 9",
        "ifStackStatus.9.1 = INTEGER: active(1)\nifStackStatus.9.2 = INTEGER: 1",
    ):
        bundle = ports_of(text.replace("HOW", how))["bundle west"]
        assert bundle == "members: p1, p2; mode: general; pvid: 1; tagged: 10; untagged: none"


def test_neighbours_by_every_name_and_the_vlans_they_announce() -> None:
    text = (
        THREE
        + """
    lldpV2RemChassisId.0.2.1.5 = Hex-STRING: 02 00 00 00 00 AA
    lldpV2RemPortId.0.2.1.5 = STRING: "port-7"
    lldpV2RemSysName.0.2.1.5 = STRING: "core-1"
    lldpLocPortId.11 = Hex-STRING: 02 00 00 00 00 01
    lldpLocChassisId.0 = STRING: 2:0:0:0:0:9
    lldpRemChassisId.0.11.1 = Hex-STRING: 02 00 00 00 00 BB
    lldpRemPortId.0.11.1 = STRING: "port-8"
    lldpXdot1RemPortVlanId.0.11.1 = INTEGER: 20
    lldpXdot1RemVlanName.0.11.1.20 = STRING: "pumps"
    lldpXdot1RemVlanName.0.11.1.30 = STRING: "ferns"
    ifPhysAddress.1 = STRING: 2:0:0:0:0:1
    ifPhysAddress.2 = Hex-STRING: 02 00 00 00 00 02
    dot1qPvid.1 = Gauge32: 10
    dot1qPvid.2 = Gauge32: 10
    dot1qPvid.3 = Gauge32: 10
    """.replace("    ", "")
    )
    report, part = reported(text)
    assert not part.problems and not report.unmatched
    assert part.devices[0].known_as == ("02:00:00:00:00:09",)
    assert part.devices[0].ports["p2"].known_as == ("02:00:00:00:00:02",)
    by_chassis, by_name = part.neighbours
    assert (by_chassis.port, by_chassis.far_device) == ("p1", "02:00:00:00:00:bb")
    assert by_chassis.far_vlans is not None
    assert by_chassis.far_pvid == 20 and str(by_chassis.far_vlans.value) == "20,30"
    assert (by_name.port, by_name.far_device, by_name.far_port) == ("p2", "core-1", "port-7")
    assert by_name.far_known_as == "02:00:00:00:00:aa"


@pytest.mark.parametrize(
    ("number", "pvid"), [(0, 0), (1, 1), (4094, 4094), (4095, None), (-1, None)]
)
def test_which_vlan_a_neighbour_has_untagged(number: int, pvid: int | None) -> None:
    """0 says that it has none; a number that is no VLAN says nothing."""
    text = f"""{THREE}
    lldpRemChassisId.0.1.1 = Hex-STRING: 02 00 00 00 00 BB
    lldpRemPortId.0.1.1 = STRING: "port-8"
    lldpXdot1RemPortVlanId.0.1.1 = INTEGER: {number}
    """.replace("    ", "")
    [heard] = reported(text)[1].neighbours
    assert heard.far_pvid == pvid


@pytest.mark.parametrize(
    ("octets", "address"),
    [("02 00 00 00 00 AA", "02:00:00:00:00:aa"), ("00 00 00 00 00 00", None), ("02 00", None)],
)
def test_the_address_of_a_bridge(octets: str, address: str | None) -> None:
    """Zeros are what an agent tells that has none: two such bridges would be one."""
    part = reported(f"{THREE}dot1dBaseBridgeAddress.0 = Hex-STRING: {octets}\n")[1]
    own = part.devices[0].address
    assert (own and own.value) == address


def test_a_list_of_ports_goes_on_below(inkov: Inkov, tmp_path: Path) -> None:
    """Port 129 is the first bit of the 17th octet, which stands on the next line; what comes below
    that is an object again.
    """
    ports = "".join(
        f'ifName.{n} = STRING: "p{n}"\ndot1dBasePortIfIndex.{n} = INTEGER: {n}\n' for n in (1, 129)
    )
    text = (
        f'sysName.0 = STRING: "moor-1"\n{ports}'
        f"dot1qVlanStaticEgressPorts.10 = Hex-STRING: {'00 ' * 16}\n80 \n"
        "dot1qPvid.1 = Gauge32: 1\ndot1qPvid.129 = Gauge32: 10\n"
        "dot1qVlanStaticUntaggedPorts.10 = Hex-STRING: 00\n"
    )
    said = ports_of(text)
    assert said["port p129"] == "mode: general; pvid: 10; tagged: 10; untagged: none"
    assert said["port p1"] == "mode: general; pvid: 1; tagged: none; untagged: none"


def test_a_link_is_found_by_chassis_and_address(inkov: Inkov, tmp_path: Path) -> None:
    """Each hears the other by addresses only; neither address is a name in any file."""
    for own, far in ((1, 2), (2, 1)):
        (tmp_path / f"moor-{own}.walk").write_text(
            dedent(f"""\
            sysName.0 = STRING: "moor-{own}"
            ifName.1 = STRING: "p1"
            ifPhysAddress.1 = Hex-STRING: 02 00 00 00 0{own} 01
            dot1dBasePortIfIndex.1 = INTEGER: 1
            dot1dBaseBridgeAddress.0 = Hex-STRING: 02 00 00 00 0{own} 00
            dot1qPvid.1 = Gauge32: 10
            lldpRemChassisId.0.1.1 = Hex-STRING: 02 00 00 00 0{far} 00
            lldpRemPortId.0.1.1 = Hex-STRING: 02 00 00 00 0{far} 01
            """)
        )
    shown = inkov("links", ".").out
    assert "moor-1:p1  moor-2:p1  up     both" in shown, shown


def test_a_walk_that_is_cut_off_in_a_number_says_so(inkov: Inkov, tmp_path: Path) -> None:
    pvids = "".join(f".1.3.6.1.2.1.17.7.1.4.5.1.1.{n} = Gauge32: 120\n" for n in (1, 2, 3))
    whole = f"{THREE.strip()}\n{pvids}"
    for cut, strict in ((0, 0), (1, 1), (2, 1)):
        (tmp_path / "u.walk").write_text(whole[: len(whole) - cut])
        answer = inkov("read", ".", "--strict")
        assert ("ends in the middle of a line" in answer.err) is bool(cut), cut
        assert (answer.status != 0) is bool(strict), (cut, answer.err)


def test_without_vlan_tables_the_ports_are_unknown(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "u.walk").write_text(THREE.strip().replace("moor-1", "u") + "\n")
    for name, port in (("a", "p1"), ("b", "p2")):
        (tmp_path / f"{name}.sheet").write_text(
            f"inkov sheet 1\nswitch: {name}\n[vlans]\n10: ferns\n20: pumps\n[port 1]\nvlan: 10\n"
            "[port 2]\nvlan: 20\n[port 9]\nmode: trunk\nallowed: 10,20\n"
            f"[neighbours]\n9: u:{port}\n"
        )
    says = "the walk has no VLAN table: which VLANs the port is in is not known"
    assert says in inkov("read", ".").out
    audit = inkov("audit", ".", "-f", "json").json["findings"]
    assert {finding["rule"] for finding in audit} == {"ports-unknown", "link-one-sided"}
    plain = {v["claim"]: v["verdict"] for v in inkov("prove", ".", "-f", "json").json["claims"]}
    assert plain == {
        "VLAN 1 leaks into no other": "holds",  # whoever is at its third port
        "VLAN 10 leaks into no other": "holds",
        "VLAN 20 leaks into no other": "holds",
        "VLAN 10 is not split": "undecided",
        "VLAN 20 is not split": "undecided",
    }
    strict = inkov("prove", ".", "--strict", "-f", "json").json["claims"]
    assert {verdict["verdict"] for verdict in strict} == {"undecided"}
    # It passes tags as they are, if it is what it seems. From an access port in VLAN 10 to one in
    # VLAN 20 there is a way then: no proof that they are apart, and no alarm either.
    for name, vlan in (("a", 10), ("b", 20)):
        sheet = tmp_path / f"{name}.sheet"
        trunk = "mode: trunk\nallowed: 10,20"
        sheet.write_text(sheet.read_text().replace(trunk, f"mode: access\nvlan: {vlan}"))
    verdicts = {v["claim"]: v for v in inkov("prove", ".", "-f", "json").json["claims"]}
    leak = verdicts["VLAN 10 leaks into no other"]
    assert leak["verdict"] == "undecided" and says in leak["because"]
    assert inkov("hears", "a:1", ".", "-f", "json").json["heard"] != []
    assert not {f["rule"] for f in inkov("audit", ".", "-f", "json").json["findings"]} - {
        "ports-unknown",
        "link-one-sided",
    }


@pytest.mark.parametrize(
    ("more", "says"),
    [
        ("Timeout: No Response from moor-1", "the walk broke off: 'Timeout: No Response"),
        ("Error in packet.\nReason: (genError)", "the walk broke off: 'Error in packet.'"),
        ("snmpbulkwalk: Timeout", "the walk broke off"),
        (
            "dot1qPvid.3 = No more variables left in this MIB View",
            "the agent shows nothing behind this object",
        ),
        ("dot1qPvid.1 = Gauge32: 10\ndot1qPvid.3 = Gauge32: 10", "dot1qPvid has no row for p2: "),
        ("dot1qPvid.2 = Gauge32: 10", "dot1qPvid has no row for p1 and 1 more ports: "),
        (
            "dot1qVlanStaticEgressPorts.10 = Hex-STRING: 80\n"
            "dot1qVlanStaticUntaggedPorts.20 = Hex-STRING: 80",
            "VLAN 10 has no list of its untagged ports",
        ),
        ("dot1qPvid.1 = INTEGER: 1\nbye", "'bye' belongs to no object"),
        ('ifAlias.1 = STRING: "to the shed"\nbye', "'bye' belongs to no object"),
        (
            "dot3adAggPortAttachedAggID.1 = INTEGER: 9",
            "the aggregated link 9 is not among the interfaces",
        ),
        (
            "dot1qVlanStaticEgressPorts.10 = Hex-STRING: 80 00\n00 \nbye",
            "'bye' belongs to no object",
        ),
        ('ifAlias.1 = STRING: "never', "the text that begins here in quotes never ends"),
        ('dot1qVlanStaticEgressPorts.10 = STRING: "A.B"', "is written as text"),
        ("dot1qVlanStaticEgressPorts.10 = STRING: AB", "is written as text"),
        ('dot1qVlanStaticEgressPorts.10 = STRING: "A\nB"', "is written as text"),
    ],
)
def test_a_walk_that_lost_something_is_incomplete(
    more: str, says: str, inkov: Inkov, tmp_path: Path
) -> None:
    text = THREE + 'dot1qVlanStaticName.10 = STRING: "climate"\n' + more + "\n"
    (tmp_path / "moor.walk").write_text(text)
    read = inkov("read", ".")
    assert says in read.err and read.status == 1
    assert inkov("read", ".", "--strict").status == 1
    strict = inkov("prove", ".", "--strict", "-f", "json").json["claims"]
    assert {verdict["verdict"] for verdict in strict} <= {"undecided"}


def test_members_in_different_vlans_put_their_bundle_into_all_of_them() -> None:
    """The lists have the members alone; which of them a frame comes by is nobody's choice."""
    text = THREE + (
        'ifName.5 = STRING: "west"\nifType.5 = INTEGER: ieee8023adLag(161)\n'
        "dot3adAggPortAttachedAggID.1 = INTEGER: 5\ndot3adAggPortAttachedAggID.2 = INTEGER: 5\n"
        "dot1qVlanStaticEgressPorts.10 = Hex-STRING: 80\n"
        "dot1qVlanStaticUntaggedPorts.10 = Hex-STRING: 00\n"
        "dot1qVlanStaticEgressPorts.20 = Hex-STRING: 60\n"
        "dot1qVlanStaticUntaggedPorts.20 = Hex-STRING: 00\n"
    )
    _, part = reported(text)
    [problem] = part.problems
    assert "the members of west are in different VLANs" in problem.says and "10,20" in problem.says
    tagged = {
        name: str(port.tagged.value)
        for name, port in part.devices[0].ports.items()
        if port.tagged is not None
    }
    assert (tagged["west"], tagged["p3"]) == ("10,20", "20")


def test_a_neighbour_is_heard_at_the_port_that_is_described() -> None:
    """What the system calls the port in LLDP is an address of it, and its description the name."""
    text = THREE + (
        'lldpLocPortId.7 = STRING: "02:00:00:00:00:07"\nlldpLocPortDesc.7 = STRING: "p2"\n'
        'lldpRemPortId.0.7.1 = STRING: "port-8"\nlldpRemSysName.0.7.1 = STRING: "core-1"\n'
    )
    heard = [(n.port, n.far_device, n.far_port) for n in reported(text)[1].neighbours]
    assert heard == [("p2", "core-1", "port-8")]


def test_of_a_port_without_its_row_nothing_is_taken_for_known() -> None:
    """p1 and p3 tell their PVID; p2 would have one as well."""
    _, part = reported(THREE + "dot1qPvid.1 = Gauge32: 10\ndot1qPvid.3 = Gauge32: 10\n")
    ports = part.devices[0].ports
    assert {name: port.unknown for name, port in ports.items()} == {
        "p1": "",
        "p2": "dot1qPvid is missing in the walk",
        "p3": "",
    }


def test_quotes_of_the_only_name_are_quotes() -> None:
    [device] = reported('sysName.0 = STRING: "moor-1"\nifName.1 = STRING: "p1"\n')[1].devices
    assert (device.name, list(device.ports)) == ("moor-1", ["p1"])


def test_a_text_that_begins_with_the_end_of_a_line_goes_on_below() -> None:
    sections_of = ports_of(THREE + 'ifAlias.1 = STRING: "\nby the pond"\nifAlias.2 = STRING: "x"\n')
    assert "by the pond" in sections_of["port p1"] and "about: x" in sections_of["port p2"]


@pytest.mark.parametrize("name", ['"p2"', "p2", '"p2\nby the pond"', "p2\nby the pond"])
def test_a_walk_that_is_cut_off_in_a_name(inkov: Inkov, tmp_path: Path, name: str) -> None:
    """The beginning of an object's name is no part of the text above it: it is said."""
    walk = tmp_path / "beds-1.walk"
    walk.write_text(
        ".1.3.6.1.2.1.1.5.0 = STRING: beds-1\n"
        + "".join(f".1.3.6.1.2.1.2.2.1.1.{n} = INTEGER: {n}\n" for n in range(1, 12))
        + f".1.3.6.1.2.1.2.2.1.2.2 = STRING: {name}\n"
        ".1.3.6.1.2.1.2.2.1.2"
    )
    read = inkov("read", walk, "--strict")
    assert read.status == 1
    line = 14 + name.count("\n")
    assert f"beds-1.walk:{line}: not understood: .1.3.6.1.2.1.2.2.1.2" in read.out
    assert f"beds-1.walk:{line}: '.1.3.6.1.2.1.2.2.1.2' belongs to no object" in read.err
    assert "the walk may be cut off (walk again)" in read.err


def test_the_end_of_all_that_an_agent_has_is_no_fault() -> None:
    text = THREE + "dot1qPvid.1 = INTEGER: 1\ndot1qPvid.2 = INTEGER: 1\ndot1qPvid.3 = INTEGER: 1\n"
    end = ".1.3.6.1.6.3.16.1.5.2.1.6 = No more variables left in this MIB View\n"
    absent = "dot1qGvrpStatus.0 = No Such Object available on this agent at this OID\n"
    assert ports_of(text + absent + end) == ports_of(text)


@pytest.mark.parametrize(
    "value",
    [
        "Hex-STRING: A0 41",
        "Hex-STRING: A0 41 \n",
        "Hex-STRING: A0 \n41 ",
        "Hex: A0 41",
        "Hex-STRING: A0:41",
        "0xA041",
        "OCTET STRING: 0xa041",
        "A0:41",
        "A0 41",
        '"A0 41 "',
        "Wrong Type (should be OCTET STRING): Hex-STRING: A0 41",
        "Hex-STRING: A0 41                                         [.A]",
    ],
)
def test_octets_in_every_spelling(value: str) -> None:
    """A0 41 are ports 1, 3, 10 and 16; there are three here."""
    text = THREE + f"dot1qVlanStaticEgressPorts.10 = {value}\n"
    _, part = reported(text)
    assert [p.says.partition(",")[0] for p in part.problems] == ["the list names bridge port 10"]
    assert {n for n, says in sections(part).items() if "tagged: 10" in says} == {
        "port p1",
        "port p3",
    }


def test_utf_16_and_the_tree(inkov: Inkov, tmp_path: Path) -> None:
    text = THREE + "dot1qPvid.1 = INTEGER: 1\ndot1qPvid.2 = INTEGER: 1\ndot1qPvid.3 = INTEGER: 1\n"
    text += "dot1dStpPriority.0 = INTEGER: 4096\ndot1dStpPortPathCost.2 = INTEGER: 65535\n"
    text += "dot1dStpPortPriority.3 = INTEGER: 64\ndot1dStpPortPathCost32.2 = INTEGER: 200000\n"
    (tmp_path / "moor.walk").write_bytes(text.encode("utf-16"))
    assert len(inkov("ports", "moor.walk", "-f", "json").json["ports"]) == 3
    (tree,) = reported(text)[1].devices[0].trees
    assert tree.priority is not None and tree.priority.value == 4096
    assert {name: fact.value for name, fact in tree.costs.items()} == {"p2": 200000}
    assert {name: fact.value for name, fact in tree.priorities.items()} == {"p3": 64}


def test_the_tree_as_it_is_now() -> None:
    text = THREE + "".join(
        f"dot1dStp{line}\n"
        for line in (
            "Version.0 = INTEGER: rstp(2)",
            "Priority.0 = INTEGER: 8192",
            # Priority 4096, address 02:00:00:00:00:09.
            "DesignatedRoot.0 = Hex-STRING: 10 00 02 00 00 00 00 09",
            "RootPort.0 = INTEGER: 2",
            "PortState.1 = INTEGER: blocking(2)",
            "PortState.2 = INTEGER: forwarding(5)",
            "PortState.3 = INTEGER: 1",
            "PortAdminEdgePort.3 = INTEGER: true(1)",
        )
    )
    text += "dot1dBaseBridgeAddress.0 = STRING: 2:0:0:0:0:1\n"
    report, part = reported(text)
    assert not report.unmatched
    (device,) = part.devices
    (tree,) = device.trees
    assert device.tree_mode is not None and device.tree_mode.value is TreeMode.RSTP
    assert device.address is not None and device.address.value == "02:00:00:00:00:01"
    assert tree.seen_root is not None and tree.seen_root.value == "02:00:00:00:00:09"
    assert {name: str(fact.value) for name, fact in tree.roles.items()} == {"p2": "root"}
    assert {name: str(fact.value) for name, fact in tree.states.items()} == {
        "p1": "discarding",
        "p2": "forwarding",
        "p3": "discarding",
    }
    numbers = {name: port.number and port.number.value for name, port in device.ports.items()}
    assert numbers == {"p1": 1, "p2": 2, "p3": 3}
    assert [name for name, port in device.ports.items() if port.edge and port.edge.value] == ["p3"]


SYSTEM_GROUP = """\
SNMPv2-MIB::sysDescr.0 = STRING: a switch{more}
SNMPv2-MIB::sysObjectID.0 = OID: SNMPv2-SMI::zeroDotZero
SNMPv2-MIB::sysName.0 = STRING: beds-1
SNMPv2-MIB::sysLocation.0 = STRING: shed
"""


@pytest.mark.parametrize(
    ("more", "line"),
    [
        ("\nversion 7 of the software", 0),
        ("\nSNMPv2-MIB::sysName.0 = STRING: core-9", 3),  # the next object is a step back
        ("\nIF-MIB::ifAdminStatus.1 = INTEGER: down(2)", 3),
        ("\n.1.3.6.1.2.1.1.1.1 = STRING: spelled otherwise", 2),
    ],
)
def test_a_walk_in_which_a_text_may_be_an_object_is_refused(
    inkov: Inkov, tmp_path: Path, more: str, line: int
) -> None:
    """Texts without quotes: nobody can tell which of its lines the switch itself wrote."""
    ports = "".join(f"IF-MIB::ifName.{n} = STRING: port-{n}\n" for n in range(1, 20))
    (tmp_path / "beds-1.walk").write_text(SYSTEM_GROUP.format(more=more) + ports)
    read = inkov("read", tmp_path / "beds-1.walk", "--strict")
    if not line:
        assert read.status == 0 and "beds-1" in read.out
        return
    assert read.status == 2
    assert f"beds-1.walk:{line}: here may be a line of a text above" in read.err
    assert "option -Ox" in read.err and "core-9" not in read.out + read.err
