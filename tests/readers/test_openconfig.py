"""OpenConfig JSON: prefixes or none, one bad value costs one entry, and every fact leads to its
line.
"""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkov.campus import Campus, Mode, Origin, PortKind
from inkov.forwarding import resolve
from inkov.readers import load
from inkov.readers.locate import Locator
from inkov.readers.reading import FileReport, Part
from inkov.readers.registry import read_bytes
from inkov.readers.sheets.writer import write_sheet
from inkov.vlanset import VlanSet
from inkov.wiring import End, wire
from tests.campuses import listeners
from tests.conftest import DEMO, Inkov
from tests.readers.test_sheet import without_origins

CORE = (DEMO / "garden" / "core-1.json").read_bytes()


def reported(data: Any) -> tuple[FileReport, Part]:
    raw = data if isinstance(data, bytes) else json.dumps(data, indent=1).encode()
    return read_bytes("x.json", raw, account=True)


def read(data: Any) -> Part:
    return reported(data)[1]


def switch(*interfaces: Any, **more: Any) -> dict[str, Any]:
    return {
        "openconfig-system:system": {"config": {"hostname": "core-1"}},
        "openconfig-interfaces:interfaces": {"interface": list(interfaces)},
        **more,
    }


def port(name: str, **vlan: Any) -> dict[str, Any]:
    return {
        "name": name,
        "openconfig-if-ethernet:ethernet": {"openconfig-vlan:switched-vlan": {"config": vlan}},
    }


def test_what_has_no_meaning_here_is_counted_as_that() -> None:
    """Leaf by leaf; what might be about VLANs is not understood instead."""
    plain = switch({"name": "1", "config": {"name": "1"}})
    more = switch(
        {"name": "1", "config": {"name": "1", "loopback-mode": "NONE", "hold-time": {"up": 1}}}
    )
    doubtful = switch({"name": "1", "config": {"name": "1", "vlan-of-mine": 7}})
    counts = [
        (report.understood, report.without_meaning, report.not_understood)
        for report, _ in map(reported, (plain, more, doubtful))
    ]
    members = {"vlan": [{"vlan-id": 10, "members": {"member": [{"state": {"interface": "1"}}]}}]}
    report, _ = reported(switch(**{"openconfig-vlan:vlans": members}))
    assert (report.without_meaning, report.not_understood) == (1, 0)
    understood, without, unread = counts[0]
    assert counts[1:] == [(understood, without + 2, unread), (understood, without, unread + 1)]


def test_nothing_holds_over_what_was_not_understood(inkov: Inkov, tmp_path: Path) -> None:
    """A word of a module that nobody here knows, at a port: no strict proof holds, and no audit
    finds nothing. Both name its line.
    """
    vlan: dict[str, Any] = {"interface-mode": "ACCESS", "access-vlan": 10}
    rows = {"vlan": [{"vlan-id": 10, "config": {"vlan-id": 10}}]}
    texts = [
        json.dumps(switch(port("1", **config), **{"openconfig-vlan:vlans": rows}), indent=1)
        for config in (vlan, {**vlan, "own:also-in": 20})
    ]
    (tmp_path / "a.json").write_text(texts[0])
    assert "undecided" not in inkov("prove", ".", "--strict", "-f", "json").out
    (tmp_path / "a.json").write_text(texts[1])
    line = 1 + next(n for n, row in enumerate(texts[1].splitlines()) if "also-in" in row)
    strict = inkov("prove", ".", "--strict", "-f", "json").json["claims"]
    assert strict and {one["verdict"] for one in strict} == {"undecided"}
    [one] = [
        finding
        for finding in inkov("audit", ".", "-f", "json").json["findings"]
        if finding["rule"] == "line-not-understood"
    ]
    assert [(where["file"], where["line"]) for where in one["where"]] == [("./a.json", line)]
    assert "dialect" not in one["cure"]


@pytest.mark.parametrize("vlan", ["vlan", "openconfig-vlan:vlan"])
@pytest.mark.parametrize("state", [{}, {"vlan-id": 7}])
def test_a_sub_interface_of_which_only_the_state_is_there(vlan: str, state: dict[str, Any]) -> None:
    """Its tag and that it is shut; what is configured counts before that."""
    sub = {"index": 1, "state": {"enabled": False}, vlan: {"state": {"vlan-id": 30}}}
    if state:
        sub = {"index": 1, "config": {"enabled": True}, vlan: {"config": state, "state": {}}}
    address = {"ip": "10.0.30.1", "config": {"ip": "10.0.30.1", "prefix-length": 24}}
    sub["ipv4"] = {"addresses": {"address": [address]}}
    report, part = reported(switch({"name": "1", "subinterfaces": {"subinterface": [sub]}}))
    [made] = [each for each in part.devices[0].ports.values() if each.kind is PortKind.SUB]
    assert (made.outer and made.outer.value) == (7 if state else 30)
    assert made.enabled is not None and made.enabled.value is bool(state)
    assert (report.not_understood, report.without_meaning) == (0, 0)


def as_state(node: Any) -> Any:
    """A document as a device reports it: without what is configured."""
    if isinstance(node, list):
        return [as_state(each) for each in node]
    if not isinstance(node, dict):
        return node
    reported_alone = "config" in node and "state" not in node
    return {
        "state" if key == "config" and reported_alone else key: as_state(value)
        for key, value in node.items()
    }


MSTP = {
    "global": {"config": {"enabled-protocol": ["MSTP"], "bpdu-guard": True}},
    "mstp": {
        "config": {"name": "beds", "revision": 3},
        "mst-instances": {
            "mst-instance": [
                {"mst-id": 2, "config": {"mst-id": 2, "vlan": [10], "bridge-priority": 4096}}
            ]
        },
    },
    "interfaces": {"interface": [{"name": "port-1", "config": {"edge-port": "EDGE_ENABLE"}}]},
}


@pytest.mark.parametrize("name", ["core-1", "fern-1", "palm-1", "pond-1"])
def test_what_is_only_reported_counts_as_if_it_were_configured(name: str) -> None:
    data = json.loads((DEMO / "garden" / f"{name}.json").read_bytes())
    data["openconfig-spanning-tree:stp"] = MSTP
    static = {
        "name": "b9",
        "openconfig-if-aggregate:aggregation": {"config": {"lag-type": "STATIC"}},
    }
    data["openconfig-interfaces:interfaces"]["interface"].append(static)
    (report, part), (other, same) = reported(data), reported(as_state(data))
    [device] = part.devices
    assert device.tree_mode and device.region and len(device.trees) == 1
    assert without_origins(same) == without_origins(part)
    counts = other.understood, other.without_meaning, other.not_understood
    assert counts == (report.understood, 0, 0) and not other.unmatched


@pytest.mark.parametrize("holder", ["config", "state"])
def test_an_instance_has_its_ports_by_what_is_configured_or_reported(holder: str) -> None:
    """Ports 1 and 2 are both in VLAN 10, and 1 is on a bridge of its own."""
    kind = {"name": "east", "type": "openconfig-network-instance-types:L2VSI"}
    member = {"id": "first", holder: {"interface": "1"}}
    east = {"name": "east", holder: kind, "interfaces": {"interface": [member]}}
    vlan = {"interface-mode": "ACCESS", "access-vlan": 10}
    instances = {"openconfig-network-instance:network-instances": {"network-instance": [east]}}
    report, part = reported(switch(port("1", **vlan), port("2", **vlan), **instances))
    assert [*part.devices[0].bridges["east"].ports] == ["1"]
    assert (report.not_understood, report.without_meaning) == (0, 0)


def test_reads_what_is_stated() -> None:
    device = read(CORE).devices[0]
    assert device.name == "core-1"
    assert device.vlans is not None and list(device.vlans) == [10, 20, 30, 40, 50, 60, 70, 90, 99]
    trunk, access, spare = device.ports["port-1"], device.ports["port-7"], device.ports["port-15"]
    assert trunk.mode and trunk.mode.value is Mode.TRUNK and trunk.access_vlan is None
    assert trunk.allowed and str(trunk.allowed.value) == "40,50,60,77,90,99"
    assert (
        access.mode
        and access.mode.value is Mode.ACCESS
        and access.access_vlan
        and access.access_vlan.value == 10
    )
    assert spare.enabled and spare.enabled.value is False
    assert (
        device.ports["bundle-1"].kind is PortKind.BUNDLE
        and device.ports["bundle-1"].allowed is None
    )
    member = device.ports["port-3"].bundle
    assert member and member.value == "bundle-1"


@pytest.mark.parametrize("everywhere", [False, True])
def test_prefixes_may_be_missing_or_on_every_name(everywhere: bool) -> None:
    def rename(tree: Any) -> Any:
        if isinstance(tree, dict):
            plain = {key.rpartition(":")[2]: rename(value) for key, value in tree.items()}
            return (
                {f"openconfig-interfaces:{k}": v for k, v in plain.items()} if everywhere else plain
            )
        return [rename(item) for item in tree] if isinstance(tree, list) else tree

    other = read(rename(json.loads(CORE)))
    usual = read(CORE)
    assert not other.problems
    assert without_origins(other.devices) == without_origins(usual.devices)
    assert without_origins(other.neighbours) == without_origins(usual.neighbours)


def test_an_answer_of_restconf_is_unwrapped() -> None:
    wrapped = b'{ "ietf-restconf:data" :\n' + CORE + b"}"
    (report, part), locator = reported(wrapped), Locator({"x.json": wrapped})
    assert without_origins(part.devices) == without_origins(read(CORE).devices)
    assert not report.unmatched
    native = part.devices[0].ports["port-6"].native_vlan
    assert native and b'"native-vlan": 90' in wrapped.split(b"\n")[locator.line(native.origin) - 1]
    assert locator.pointer(native.origin).startswith(
        "/ietf-restconf:data/openconfig-interfaces:interfaces/"
    )


def test_the_older_vlan_list_and_state_only_exports() -> None:
    tree = switch(
        {
            "name": "1",
            "state": {"enabled": False},
            "ethernet": {"switched-vlan": {"state": {"access-vlan": 7}}},
        },
        vlans={
            "vlan": [
                {"vlan-id": 7, "state": {"vlan-id": 7, "name": "ponds", "status": "SUSPENDED"}}
            ]
        },
    )
    device = read(tree).devices[0]
    assert device.vlans and without_origins(device.vlans[7])["name"] == ("fact", "ponds")
    assert device.vlans[7].active and device.vlans[7].active.value is False
    assert device.ports["1"].access_vlan and device.ports["1"].access_vlan.value == 7
    assert device.ports["1"].enabled and device.ports["1"].enabled.value is False


@pytest.mark.parametrize(
    ("item", "vids"),
    [(10, "10"), ("10..20", "10-20"), ("7", "7"), ("4094..4094", "4094")],
)
def test_trunk_vlans(item: Any, vids: str) -> None:
    part = read(switch(port("1", **{"interface-mode": "TRUNK", "trunk-vlans": [item, 3000]})))
    allowed = part.devices[0].ports["1"].allowed
    assert allowed and allowed.value == VlanSet.parse(vids + ",3000") and not part.problems


@pytest.mark.parametrize(
    "item", [0, 4095, -1, "20..10", "1..", "..5", "1..2..3", "a", "", "٣", "99999999999..3"]
)
def test_a_bad_vlan_range_costs_itself_only(item: Any) -> None:
    part = read(switch(port("1", **{"interface-mode": "TRUNK", "trunk-vlans": [5, item]})))
    allowed = part.devices[0].ports["1"].allowed
    assert allowed and set(allowed.value) == {5}
    [problem] = part.problems
    assert problem.origin.pointer.endswith("/trunk-vlans/1")


@pytest.mark.parametrize(
    ("vlan", "says"),
    [
        ({"access-vlan": 0}, "0 is not a VLAN number"),
        ({"access-vlan": 4095}, "4095 is not a VLAN number"),
        (
            {"access-vlan": "ten"},
            "wrong type: expected `int | null`, got `str`; the entry of 'bad' is left out",
        ),
        ({"trunk-vlans": "1..5"}, "wrong type: expected `array | null`"),
        ({"interface-mode": "BOTH"}, "'BOTH' is neither ACCESS nor TRUNK"),
    ],
)
def test_one_bad_value_costs_no_other_port(vlan: dict[str, Any], says: str) -> None:
    part = read(switch(port("good", **{"access-vlan": 10}), port("bad", **vlan), port("also-good")))
    [problem] = part.problems
    assert says in problem.says and problem.origin.pointer.startswith("/interfaces/interface/1")
    ports = part.devices[0].ports
    assert {"good", "also-good"} <= set(ports)
    assert ports["good"].access_vlan and ports["good"].access_vlan.value == 10
    assert ports["good"].origin.pointer == "/interfaces/interface/0"
    assert ports["also-good"].origin.pointer == "/interfaces/interface/2"


@pytest.mark.parametrize("form", ["json", "restconf", "xml"])
def test_what_is_left_out_is_not_understood(form: str, inkov: Inkov, tmp_path: Path) -> None:
    """Of five ports one has a list where one value should be, and is lost with its four; one is
    there twice: its two are not read the second time; one has a VLAN that is none. The other 2 + 1
    + 3 values are read, and what the switch is called.
    """
    wrong = port("2", **{"access-vlan": [10, 20], "interface-mode": "ACCESS"})
    other = port("1", **{"access-vlan": 20})
    tree: Any = switch(
        port("1", **{"access-vlan": 10}),
        wrong,
        other,
        port("3", **{"access-vlan": 9000}),
        port("4", **{"access-vlan": 10, "interface-mode": "ACCESS"}),
    )
    if form == "xml":
        (tmp_path / "a.xml").write_text(f"<data>{to_xml(tree)}</data>")
    else:
        whole = {"ietf-restconf:data": tree} if form == "restconf" else tree
        (tmp_path / "a.json").write_text(json.dumps(whole, indent=1))
    read = inkov("read", ".", "--unmatched", "-f", "json").json
    lost = {one["text"].split("/interface/")[1] for one in read["unmatched"]}
    place = "3/ethernet/switched-vlan/config/access-vlan (1 value)"
    assert lost == {"1 (4 values)", "2 (2 values)", place}
    read = inkov("read", ".").out
    assert "7 understood, 0 known and without meaning here, 7 not understood" in read, read
    assert "everything was understood" not in inkov("read", ".", "--unmatched").out


def test_a_port_named_twice_and_a_mode_not_stated() -> None:
    part = read(
        switch(
            port("1", **{"access-vlan": 10}),
            port("1", **{"access-vlan": 20}),
            port("2", **{"trunk-vlans": [5]}),
        )
    )
    assert [p.says.split(";")[0] for p in part.problems] == ["port 1 is named twice"]
    ports = part.devices[0].ports
    assert ports["1"].access_vlan and ports["1"].access_vlan.value == 10
    assert (
        ports["2"].mode
        and ports["2"].mode.value is Mode.TRUNK
        and ports["2"].mode.origin.basis == "assumed"
    )


@pytest.mark.parametrize(
    ("data", "line", "says"),
    [
        (CORE[:700], CORE[:700].count(b"\n") + 1, "ends in the middle"),
        (CORE.replace(b'"hostname"', b"hostname", 1), 4, "not JSON at column 7"),
        (b'{"a": \n\n nul}', 3, "not JSON"),
        (b'{"a":' + b"[" * 100_000, 0, "nested too deeply"),
        (b"{" + b"\xff" * 4 + b"}", 1, "not JSON"),
    ],
)
def test_what_is_not_json_is_placed(data: bytes, line: int, says: str) -> None:
    report, part = read_bytes("x.json", data, account=False)
    [problem] = part.problems
    assert problem.lost and says in problem.says and problem.origin.line == line
    assert not report.format


def test_json_of_something_else_says_what_it_holds() -> None:
    report, part = read_bytes("x.json", b'{"colour": 1, "size": 2}', account=False)
    assert "it holds: colour, size" in report.remark and not part.devices


def test_every_fact_leads_to_its_line() -> None:
    part = read(CORE)
    locator = Locator({"x.json": CORE})
    lines = CORE.decode().split("\n")
    checked = 0
    for device_port in part.devices[0].ports.values():
        for attribute, name in (
            ("mode", "interface-mode"),
            ("allowed", "trunk-vlans"),
            ("access_vlan", "access-vlan"),
            ("bundle", "aggregate-id"),
            ("description", "description"),
        ):
            found = getattr(device_port, attribute)
            if found is not None:
                text = lines[locator.line(found.origin) - 1]
                assert re.search(rf'"(?:[\w-]+:)?{name}":', text), (found.origin, text)
                tree = json.loads(CORE)
                for step in locator.pointer(found.origin).split("/")[
                    1:
                ]:  # RFC 6901, as the file spells it
                    tree = tree[int(step) if isinstance(tree, list) else step]
                assert (
                    attribute == "allowed"
                    or str(getattr(found.value, "value", found.value)).upper() == str(tree).upper()
                )
                checked += 1
    assert checked > 40
    assert locator.line(Origin("x.json", pointer="/nothing/here")) == 1


TREES = st.recursive(
    st.none() | st.booleans() | st.integers() | st.text(max_size=5),
    lambda inner: (
        st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=5), inner, max_size=4)
    ),
    max_leaves=12,
)


@given(
    st.dictionaries(
        st.text(max_size=4).filter(lambda k: ":" not in k and "/" not in k), TREES, min_size=1
    ),
    st.sampled_from([None, 0, 3]),
)
def test_the_locator_finds_every_member_of_any_json(
    tree: dict[str, Any], indent: int | None
) -> None:
    text = json.dumps(tree, indent=indent)
    locator = Locator({"x": text.encode()})
    for key in tree:
        line = text.split("\n")[locator.line(Origin("x", pointer=f"/{key}")) - 1]
        assert json.dumps(key) + ":" in line


@pytest.mark.parametrize(
    ("text", "line"),
    [('{\n "x": 1,\n "m:x": 2\n}\n', 3), ('{\n "m:x": 2,\n "x": 1\n}\n', 2)],
)
def test_of_two_spellings_the_one_with_a_prefix_is_told(text: str, line: int) -> None:
    """It is the one that the reader takes."""
    assert Locator({"x.json": text.encode()}).line(Origin("x.json", pointer="/x")) == line


@pytest.mark.parametrize(("values", "told"), [((10, 20), True), ((10, 10), False)])
def test_a_member_in_two_spellings_with_two_values_is_not_understood(
    inkov: Inkov, tmp_path: Path, values: tuple[int, int], told: bool
) -> None:
    """In one object. Where two ports have it in two spellings, each is said once."""
    vlan = dict(zip(("access-vlan", "openconfig-vlan:access-vlan"), values, strict=True))
    configs = [{"interface-mode": "ACCESS"} | vlan, {"openconfig-vlan:interface-mode": "ACCESS"}]
    ports = [
        {
            "name": str(number),
            "config": {"name": str(number)},
            "openconfig-if-ethernet:ethernet": {
                "openconfig-vlan:switched-vlan": {"config": config}
            },
        }
        for number, config in enumerate(configs)
    ]
    (tmp_path / "x.json").write_text(
        json.dumps({"openconfig-interfaces:interfaces": {"interface": ports}}, indent=0)
    )
    result = inkov("read", ".", "--unmatched", "--strict")
    says = "access-vlan: stated twice, which one counts is not known"
    assert result.status == int(told) and (says in result.out) is told, result.out


@pytest.mark.parametrize(
    ("members", "told"),
    [
        ('"access-vlan": 10,\n"access-vlan" : 20', ["access-vlan"]),
        ('"access-vlan": 10,\n"access-vlan": 20,\n"access-vlan": 20', ["access-vlan"] * 2),
        ('"access-vlan": 10,\n"access-vlan": 10', []),
        ('"access-vlan": 10,\n"about": "a \\": b"', []),  # no member, though it looks like one
        ('"access-vlan": 10,\n"colour": 1,\n"colour": 2', []),  # which nothing is read from
    ],
)
def test_a_name_that_an_object_has_twice_is_not_understood(
    inkov: Inkov, tmp_path: Path, members: str, told: list[str]
) -> None:
    (tmp_path / "x.json").write_text(
        '{"openconfig-interfaces:interfaces": {"interface": [{"name": "1", "config": {"name": "1"},'
        '"openconfig-if-ethernet:ethernet": {"openconfig-vlan:switched-vlan": {"config": {'
        f'"interface-mode": "ACCESS",\n{members}\n}}}}}}}}]}}}}'
    )
    result = inkov("read", ".", "--unmatched", "--strict")
    assert re.findall(r"([\w-]+): stated twice", result.out) == told, result.out
    assert result.status == 1 or not told


def test_of_a_key_given_twice_the_surroundings_are_told() -> None:
    """The last one counts; which of the two a pointer means is not looked for."""
    text = '{\n "x": {\n  "a": 1,\n  "b": 2,\n  "a": 3\n }\n}\n'
    locator = Locator({"x.json": text.encode()})
    assert locator.line(Origin("x.json", pointer="/x/a")) == 2


@given(st.data())
def test_no_mutation_of_a_real_file_makes_it_fail(data: st.DataObject) -> None:
    at = data.draw(st.integers(0, len(CORE) - 1))
    patch = data.draw(
        st.sampled_from(
            [b"", b"{", b"]", b'"', b"null", b"-1", b"[]", b"{}", b"\xff", b",", b"4095"]
        )
    )
    cut = data.draw(st.integers(0, 30))
    read_bytes("x.json", CORE[:at] + patch + CORE[at + cut :], account=True)


@pytest.mark.parametrize(
    "file", sorted(DEMO.glob("*/*.json")), ids=lambda f: f"{f.parent.name}/{f.name}"
)
def test_the_demo_is_understood_whole(file: Path) -> None:
    report, part = read_bytes(str(file), file.read_bytes(), account=True)
    assert not part.problems and not report.unmatched and report.understood > 50


def to_xml(tree: Any, name: str = "") -> str:
    """JSON as the XML that NETCONF would return; one element a line."""
    if isinstance(tree, list):
        return "".join(to_xml(item, name) for item in tree)
    inner = (
        "".join(to_xml(value, key) for key, value in tree.items())
        if isinstance(tree, dict)
        else None
    )
    text = str(tree).lower() if isinstance(tree, bool) else escape(str(tree))
    module, _, plain = name.rpartition(":")
    space = (
        f' xmlns="http://openconfig.net/yang/{module.removeprefix("openconfig-")}"'
        if module
        else ""
    )
    return (
        f"<{plain}{space}>{text if inner is None else chr(10) + inner}</{plain}>\n"
        if name
        else inner or ""
    )


@pytest.mark.parametrize("name", sorted(path.name for path in (DEMO / "garden").glob("*.json")))
def test_xml_says_the_same_as_json(name: str) -> None:
    data = (DEMO / "garden" / name).read_bytes()
    envelope = (
        '<?xml version="1.0"?>\n<rpc-reply xmlns="urn:ietf:params:xml:ns:netconf:base:1.0"><data>\n'
    )
    text = envelope + to_xml(json.loads(data)) + "</data></rpc-reply>"
    report, part = read_bytes("x.xml", text.encode(), account=True)
    wanted_report, wanted = read_bytes("x.json", data, account=True)
    assert not part.problems and report.format == "OpenConfig XML"
    assert without_origins(part.devices) == without_origins(wanted.devices)
    assert without_origins(part.neighbours) == without_origins(wanted.neighbours)
    assert (report.understood, report.not_understood) == (
        wanted_report.understood,
        wanted_report.not_understood,
    )
    locator, lines = Locator({"x.xml": text.encode()}), text.split("\n")
    for port in part.devices[0].ports.values():
        for fact in (port.mode, port.access_vlan, port.allowed):
            if fact is not None:
                value = "TRUNK|ACCESS" if fact is port.mode else "vlan"
                assert re.search(value, lines[locator.line(fact.origin) - 1]), fact


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("<a><b></a>", "not well-formed XML: mismatched tag"),
        ("<a>" * 200, "nested deeper than 100 elements"),
        ("<a>" * 1_000_000, "nested deeper"),
        ('<!DOCTYPE a [<!ENTITY x "y">]><a>&x;</a>', "refused"),
        ('<!DOCTYPE a SYSTEM "file:///etc/passwd"><a/>', "refused"),
        ("<interfaces><interface><name>1</name>", "not well-formed XML"),
    ],
)
def test_bad_xml_is_one_problem(text: str, says: str) -> None:
    _, part = read_bytes("x.xml", text.encode(), account=True)
    (problem,) = part.problems
    assert says in problem.says and problem.lost and not part.devices


def test_a_wrong_value_in_xml_costs_one_entry() -> None:
    entry = (
        "<interface><name>{0}</name><config><name>{0}</name><mtu>{1}</mtu></config>"
        "<ethernet/></interface>"
    )
    text = f"<interfaces>{entry.format('a', 'large')}\n{entry.format('b', '1500')}</interfaces>"
    _, part = read_bytes("x.xml", text.encode(), account=True)
    assert (
        list(part.devices[0].ports) == ["b"]
        and "the entry of 'a' is left out" in part.problems[0].says
    )


def test_aggregation_and_spanning_tree() -> None:
    bundle = {
        "name": "b1",
        "config": {"type": "iana-if-type:ieee8023adLag"},
        "aggregation": {"config": {}},
    }
    static = {"name": "b2", "aggregation": {"config": {"lag-type": "STATIC"}}}
    lacp = {
        "interfaces": {
            "interface": [{"name": "b1", "config": {"name": "b1", "lacp-mode": "PASSIVE"}}]
        }
    }
    ports = {
        "interface": [{"name": "p1", "config": {"name": "p1", "cost": 200, "port-priority": 64}}]
    }
    stp: dict[str, Any] = {
        "global": {
            "config": {
                "enabled-protocol": ["openconfig-spanning-tree-types:MSTP"],
                "bpdu-guard": True,
            }
        },
        "mstp": {
            "mst-instances": {
                "mst-instance": [
                    {
                        "mst-id": 2,
                        "config": {"mst-id": 2, "vlan": [10, "20..22"], "bridge-priority": 4096},
                        "interfaces": ports,
                    }
                ]
            }
        },
        "interfaces": {
            "interface": [
                {
                    "name": "p1",
                    "config": {
                        "edge-port": "openconfig-spanning-tree-types:EDGE_ENABLE",
                        "guard": "ROOT",
                    },
                }
            ]
        },
    }
    more = {"openconfig-lacp:lacp": lacp, "openconfig-spanning-tree:stp": stp}
    report, part = reported(switch(port("p1"), bundle, static, **more))
    device = part.devices[0]
    assert not part.problems and not report.unmatched
    modes = [device.ports[name].aggregation for name in ("b1", "b2")]
    assert [mode and mode.value for mode in modes] == ["passive", "static"]
    assert device.tree_mode and device.tree_mode.value == "mstp"
    (tree,) = device.trees
    assert (str(tree.vlans), tree.number) == ("10,20-22", 2)
    assert tree.priority and tree.priority.value == 4096
    assert tree.costs["p1"].value == 200 and tree.priorities["p1"].value == 64
    stp["rapid-trees"] = {
        "vlan": [{"vlan-id": 30, "config": {"vlan-id": 30, "bridge-priority": 8192}}]
    }
    stp["global"]["config"]["enabled-protocol"] = ["RAPID_TREES"]
    other = read(switch(port("p1"), **more)).devices[0]
    assert (
        other.tree_mode
        and other.tree_mode.value == "per vlan"
        and str(other.trees[1].vlans) == "30"
    )
    stp["mstp"] = {"mst-instances": 7}
    assert [p.says[:20] for p in read(switch(port("p1"), **more)).problems] == [
        "wrong type: expected"
    ]
    edge = device.ports["p1"]
    assert (
        edge.edge and edge.edge.value and edge.bpdu_guard and edge.bpdu_guard.value and edge.guard
    )
    assert edge.guard.origin.pointer == "/stp/interfaces/interface/0/config/guard"


def test_what_a_document_has_wrong_is_left_out_and_said() -> None:
    """Rows that are none or stand twice, an interface without a name, a neighbour without a port;
    the rest counts.
    """
    rows = [{"vlan-id": 10}, {"vlan-id": 5000}, {"config": {"name": "x"}}]
    rows += [{"vlan-id": 10, "config": {"vlan-id": 10, "name": "again"}}, {"vlan-id": 20}]
    heard = [
        {"state": {"system-name": "fern-1", "port-id": "7", "chassis-id": "02:00:00:00:00:01"}},
        {"state": {"system-name": "fern-1"}},
        {"state": {"port-id": "7"}},
        {"state": {"chassis-id": "02:00:00:00:00:02", "port-id": "8", "port-description": "x"}},
        {"config": {}},
    ]
    lldp = {
        "interfaces": {
            "interface": [
                {"name": "1", "neighbors": {"neighbor": heard}},
                {"neighbors": {"neighbor": heard}},
            ]
        }
    }
    instances = {"network-instance": [{"name": "default", "vlans": {"vlan": rows}}]}
    data = switch(
        *(port("1"), {"config": {"enabled": True}}),
        **{
            "openconfig-network-instance:network-instances": instances,
            "openconfig-lldp:lldp": lldp,
        },
    )
    part = read(data)
    assert [*(part.devices[0].vlans or {})] == [10, 20] and [*part.devices[0].ports] == ["1"]
    assert (part.devices[0].vlans or {})[10].name is None
    table = "/network-instances/network-instance/0/vlans/vlan"
    lost = "the neighbour at port 1 has no name or no port; it is left out"
    of_heard = "/lldp/interfaces/interface/0/neighbors/neighbor"
    assert {(one.says, one.origin.pointer) for one in part.problems} == {
        (
            "5000 is not a VLAN number (1 to 4094); the entry is left out",
            f"{table}/1/vlan-id",
        ),
        (
            "None is not a VLAN number (1 to 4094); the entry is left out",
            f"{table}/2/vlan-id",
        ),
        ("VLAN 10 is defined twice here; this entry is left out", f"{table}/3"),
        ("the interface has no name; it is left out", "/interfaces/interface/1"),
        *((lost, f"{of_heard}/{number}/state") for number in (1, 2, 4)),
    }
    assert [(one.far_device, one.far_port, one.far_known_as) for one in part.neighbours] == [
        ("fern-1", "7", "02:00:00:00:00:01"),
        ("02:00:00:00:00:02", "8", ""),
    ]


def test_what_a_device_says_of_its_trees_now() -> None:
    """Roles and states as they are; of settings those that are configured, else those that count.
    A port without a name is none of ours; a word that is unknown says nothing.
    """
    kinds = "openconfig-spanning-tree-types"
    ports = [
        {
            "name": "p1",
            "config": {"name": "p1", "cost": 200},
            "state": {
                "cost": 20000,
                "port-priority": 64,
                "port-num": 7,
                "role": f"{kinds}:ROOT",
                "port-state": f"{kinds}:FORWARDING",
            },
        },
        {"name": "p2", "state": {"role": "ALTERNATE", "port-state": "BLOCKING", "cost": 5}},
        {"name": "p3", "state": {"role": "BACKUP", "port-state": "LEARNING"}},
        {"name": "p9", "state": {"role": "SOMETHING", "port-num": 4}},
        {"state": {"role": "DESIGNATED"}},
    ]
    stp: dict[str, Any] = {
        "global": {"config": {"enabled-protocol": ["RSTP", "MSTP"]}},
        "rstp": {
            "config": {"bridge-priority": 4096},
            "state": {
                "bridge-address": "02:00:00:00:00:01",
                "designated-root-address": "02:00:00:00:00:09",
            },
            "interfaces": {"interface": ports},
        },
        "interfaces": {
            "interface": [
                {"name": "p1", "config": {"edge-port": "EDGE_DISABLE", "bpdu-guard": False}},
                {"name": "p2", "config": {"edge-port": "EDGE_PERHAPS", "guard": "LOOP"}},
                {"name": "p7", "config": {"guard": "ROOT"}},
                {"config": {"guard": "ROOT"}},
            ]
        },
    }
    part = read(switch(port("p1"), port("p2"), port("p3"), **{"openconfig-spanning-tree:stp": stp}))
    [device], [tree] = part.devices, part.devices[0].trees
    assert device.tree_mode and device.tree_mode.value == "rstp"
    assert device.address and device.address.value == "02:00:00:00:00:01"
    assert tree.seen_root and tree.seen_root.value == "02:00:00:00:00:09"
    values = {
        name: {port: fact.value for port, fact in facts.items()}
        for name, facts in (
            *(("roles", tree.roles), ("states", tree.states)),
            *(("costs", tree.costs), ("priorities", tree.priorities)),
        )
    }
    assert values == {
        "roles": {"p1": "root", "p2": "alternate", "p3": "backup"},
        "states": {"p1": "forwarding", "p2": "discarding", "p3": "discarding"},
        "costs": {"p1": 200, "p2": 5},
        "priorities": {"p1": 64},
    }
    where = "/stp/rstp/interfaces/interface"
    assert tree.costs["p1"].origin.pointer == f"{where}/0/config/cost"
    assert tree.costs["p2"].origin.pointer == f"{where}/1/state/cost"
    assert tree.states["p1"].origin.pointer == f"{where}/0/state/port-state"
    own = device.ports["p1"]
    assert own.number and own.number.value == 7 and device.ports["p2"].number is None
    assert own.edge and own.edge.value is False and own.bpdu_guard and not own.bpdu_guard.value
    assert device.ports["p2"].edge is None and device.ports["p2"].guard
    assert [problem.says for problem in part.problems] == [
        "the spanning tree names a port 'p7' that is not among the interfaces"
    ]


def test_which_numbers_are_vlans() -> None:
    """1 and 4094 are the least and the greatest; others are left out and said."""
    rows = [{"vlan-id": vid, "config": {"vlan-id": vid}} for vid in (0, 1, 4094, 4095)]
    part = read(switch(**{"openconfig-vlan:vlans": {"vlan": rows}}))
    assert list(part.devices[0].vlans or {}) == [1, 4094]
    assert [problem.says.split()[0] for problem in part.problems] == ["0", "4095"]


@pytest.mark.parametrize(
    ("member", "ports"),
    [
        ({"id": "1"}, ["1"]),
        ({"id": "x", "config": {"interface": "1"}}, ["1"]),
        ({"id": "1", "config": {"interface": "1", "subinterface": 7}}, ["1.7"]),
        ({"id": "1.7", "config": {"interface": "1"}}, ["1"]),
        ({"id": "1.7"}, ["1.7"]),
    ],
)
def test_what_a_member_of_an_instance_names(member: dict[str, Any], ports: list[str]) -> None:
    """By what is configured first: a sub-interface, an interface; else by its id."""
    sub = {"index": 7, "openconfig-vlan:vlan": {"config": {"vlan-id": 7}}}
    own = {"name": "1", "subinterfaces": {"subinterface": [{"index": 0}, sub]}}
    pond = {
        "name": "pond",
        "config": {"name": "pond", "type": "openconfig-network-instance-types:L2VSI"},
        "interfaces": {"interface": [member]},
    }
    part = read(
        switch(
            own, **{"openconfig-network-instance:network-instances": {"network-instance": [pond]}}
        )
    )
    assert list(part.devices[0].bridges["pond"].ports) == ports


def test_vlans_of_an_instance_that_are_none_are_said() -> None:
    def instances(*vlans: Any) -> dict[str, Any]:
        listed = [
            {"mst-id": number, "config": {"mst-id": number, "vlan": each}}
            for number, each in enumerate(vlans, 1)
        ]
        stp = {"mstp": {"mst-instances": {"mst-instance": listed}}}
        return {"openconfig-spanning-tree:stp": stp}

    part = read(switch(port("p1"), **instances(10, ["20..22", 30], [])))
    assert [str(tree.vlans) for tree in part.devices[0].trees] == ["10", "20-22,30", "none"]
    assert part.problems == []
    part = read(switch(port("p1"), **instances(["ferns"])))
    assert "['ferns'] is not a list of VLAN numbers" in part.problems[0].says


def test_network_instances_are_kept_apart() -> None:
    def instance(name: str, kind: str, members: list[str], *vids: int) -> dict[str, Any]:
        return {
            "name": name,
            "config": {"name": name, "type": f"openconfig-network-instance-types:{kind}"},
            "interfaces": {
                "interface": [{"id": m, "config": {"id": m, "interface": m}} for m in members]
            },
            "vlans": {"vlan": [{"vlan-id": vid, "config": {"vlan-id": vid}} for vid in vids]},
        }

    access = [
        port(name, **{"interface-mode": "ACCESS", "access-vlan": 10})
        for name in ("a1", "a2", "b1", "m1", "c1")
    ]
    routed = {
        "name": "well",
        "config": {"type": "iana-if-type:l3ipvlan"},
        "routed-vlan": {"config": {"vlan": 10}},
    }
    instances = {
        "network-instance": [
            instance("main", "DEFAULT_INSTANCE", [], 10),
            instance("a", "L2VSI", ["a1", "a2"], 10),
            instance("b", "L2VSI", ["b1"], 10),
            instance("c", "L2VSI", ["c1"], 30),
            instance("green", "L3VRF", ["well"]),
        ]
    }
    more = {"openconfig-network-instance:network-instances": instances}
    part = read(switch(*access, routed, **more))
    device = part.devices[0]
    campus = Campus(devices={device.name: device})
    heard = listeners(campus)
    assert heard["core-1:a1"] == {("core-1:a2", 10, False)} and not heard["core-1:m1"]
    assert (
        not heard["core-1:c1"]
        and device.gateways[0].vrf
        and device.gateways[0].vrf.value == "green"
    )
    fabric = resolve(campus, wire(campus))
    assert not fabric.ports[End("core-1", "c1")].view.emit  # its own table does not have VLAN 10


def test_ports_of_a_routing_table_of_their_own() -> None:
    """A member is named by its interface, and its sub-interface by number."""
    members = [
        {"id": "x", "config": {"id": "x", "interface": "p1", "subinterface": 10}},
        {"id": "p2", "config": {"id": "p2", "interface": "p2", "subinterface": 0}},
    ]
    green = {
        "name": "green",
        "config": {"name": "green", "type": "openconfig-network-instance-types:L3VRF"},
        "interfaces": {"interface": members},
    }
    part = read(
        switch(
            routed_port(
                "p1",
                sub(10, vlan=single(10), **address("10.0.10.1", 24)),
                sub(20, vlan=single(20), **address("10.0.20.1", 24)),
            ),
            routed_port("p2", sub(0, **address("10.0.2.1", 24))),
            routed_port("p3", sub(0, **address("10.0.3.1", 24))),
            **{"openconfig-network-instance:network-instances": {"network-instance": [green]}},
        )
    )
    tables = {name: port.vrf and port.vrf.value for name, port in part.devices[0].ports.items()}
    assert tables == {"p1": None, "p1.10": "green", "p1.20": None, "p2": "green", "p3": None}


def address(ip: str, length: int) -> dict[str, Any]:
    inner = {"ip": ip, "config": {"ip": ip, "prefix-length": length}}
    return {"openconfig-if-ip:ipv4": {"addresses": {"address": [inner]}}}


def sub(index: int, *, vlan: Any = None, enabled: bool | None = None, **more: Any) -> Any:
    config = {"index": index} | ({} if enabled is None else {"enabled": enabled})
    entry = {"index": index, "config": config, **more}
    return entry if vlan is None else {**entry, "openconfig-vlan:vlan": vlan}


def single(vid: Any) -> dict[str, Any]:
    return {"match": {"single-tagged": {"config": {"vlan-id": vid}}}}


def routed_port(name: str, *subs: Any, **more: Any) -> dict[str, Any]:
    return {**port(name, **more), "subinterfaces": {"subinterface": list(subs)}}


def test_sub_interfaces_gateways_and_routed_ports() -> None:
    plain = {
        "name": "port-1",
        "subinterfaces": {"subinterface": [sub(0, **address("10.0.0.1", 30))]},
    }
    entries = [
        plain | {"openconfig-if-ethernet:ethernet": {"config": {"port-speed": "SPEED_10GB"}}},
        routed_port(
            "port-2",
            sub(0),
            sub(10, vlan=single(1), enabled=False, **address("10.0.10.1", 24)),
            sub(20, vlan={"config": {"vlan-id": 4094}}, **address("10.0.20.1", 24)),
            sub(30, vlan=single("10..20"), **address("10.0.30.1", 24)),
            sub(40, vlan=single(4095), **address("10.0.40.1", 24)),
            sub(50, vlan=single(0), **address("10.0.50.1", 24)),
        ),
        # A switched port keeps its mode: what is untagged of it goes into its VLAN.
        routed_port(
            "port-3",
            sub(0, vlan=single(60)),
            sub(0, vlan=single(61), **address("10.3.0.1", 24)),
            sub(1, **address("10.3.1.1", 24)),
            **{"interface-mode": "ACCESS", "access-vlan": 1},
        ),
        {
            "name": "west",
            "config": {"type": "iana-if-type:ieee8023adLag", "mtu": 9000},
            "openconfig-if-aggregate:aggregation": {"config": {"lag-type": "STATIC"}},
        },
        {
            "name": "irb-70",
            "config": {"type": "iana-if-type:l3ipvlan", "enabled": False},
            "openconfig-vlan:routed-vlan": {"config": {"vlan": 70}, **address("10.0.70.1", 24)},
        },
        {
            "name": "irb-80",
            "openconfig-vlan:routed-vlan": {"config": {"vlan": "80"}, **address("10.0.80.1", 24)},
        },
        {"name": "irb-90", "openconfig-vlan:routed-vlan": {"config": {"vlan": "ferns"}}},
        {"name": "lo", "config": {"type": "softwareLoopback"}},
        port("port-4") | {"config": {"enabled": False, "description": "spare"}},
        {
            "name": "port-5",
            "openconfig-if-ethernet:ethernet": {"config": {"port-speed": "SPEED_100MB"}},
        },
    ]
    part = read(switch(*entries))
    (device,) = part.devices
    sheet = write_sheet(device).split("\n", 3)[3]

    def by_block(blocks: list[str]) -> dict[str, list[str]]:
        return {head: sorted(rest) for head, *rest in (block.split("\n") for block in blocks)}

    assert by_block(sheet.strip().split("\n\n")) == by_block(
        [
            "[port port-1]\nmode: routed\nspeed: 10000\naddress: 10.0.0.1/30",
            "[port port-2]",
            "[sub port-2.10]\nof: port-2\nstate: off\nmode: routed\ntag: 1\naddress: 10.0.10.1/24",
            "[sub port-2.20]\nof: port-2\nmode: routed\ntag: 4094\naddress: 10.0.20.1/24",
            "[port port-3]\nmode: access\nvlan: 1",
            "[sub port-3.0]\nof: port-3\nmode: routed\ntag: 60",
            "[bundle west]\naggregation: static\nmtu: 9000",
            "[port port-4]\nabout: spare\nstate: off",
            "[port port-5]\nspeed: 100",
            "[gateway 70]\nstate: off\naddress: 10.0.70.1/24",
            "[gateway 80]\naddress: 10.0.80.1/24",
        ]
    )
    path = "/interfaces/interface"
    tag = "vlan/match/single-tagged/config/vlan-id"
    assert [(p.origin.pointer, p.says) for p in part.problems] == [
        (
            f"{path}/1/subinterfaces/subinterface/3/{tag}",
            "'10..20': only a single VLAN number is read here; the sub-interface is left out",
        ),
        (
            f"{path}/1/subinterfaces/subinterface/4/{tag}",
            "4095 is not a VLAN number (1 to 4094); the value is left out",
        ),
        (
            f"{path}/1/subinterfaces/subinterface/5/{tag}",
            "0 is not a VLAN number (1 to 4094); the value is left out",
        ),
        (
            f"{path}/2/subinterfaces/subinterface/1",
            "port-3.0 is named twice; this entry is left out",
        ),
        (
            f"{path}/2/subinterfaces/subinterface/2",
            "port-3 is switched: the address of its sub-interface is left out",
        ),
        (
            f"{path}/6/routed-vlan/config/vlan",
            "the routed VLAN 'ferns' is not defined here; the gateway is left out",
        ),
    ]
    gateways = {gateway.name: gateway.vid for gateway in device.gateways}
    assert gateways == {"irb-70": 70, "irb-80": 80}


@pytest.mark.parametrize(
    ("ip", "length", "kept"),
    [("10.0.0.300", 24, False), ("10.0.0.1", 33, False), ("10.0.0.1", 32, True)],
)
def test_an_address_that_is_none_costs_only_itself(ip: str, length: int, *, kept: bool) -> None:
    entry = routed_port("port-1", sub(0, **address(ip, length)), sub(1, **address("10.9.9.9", 24)))
    del entry["openconfig-if-ethernet:ethernet"]["openconfig-vlan:switched-vlan"]
    part = read(switch(entry))
    addresses = [str(fact.value) for fact in part.devices[0].ports["port-1"].addresses]
    assert addresses == ([f"{ip}/{length}"] if kept else []) + ["10.9.9.9/24"]
    assert len(part.problems) == (not kept)


def test_what_is_of_the_wrong_kind_is_said_with_its_place() -> None:
    stp = {"global": {"config": {"enabled-protocol": ["oc-stp-types:ROUND", "oc-stp-types:MSTP"]}}}
    part = read(
        switch(
            **{
                "openconfig-spanning-tree:stp": stp,
                "openconfig-vlan:vlans": {"vlan": {"vlan-id": 10}},
            }
        )
    )
    assert [(p.origin.pointer, p.says) for p in part.problems] == [
        ("/vlans/vlan", "a list is expected here, not an object"),
        (
            "/stp/global/config/enabled-protocol/0",
            "'ROUND' is not a spanning tree protocol that is known here",
        ),
    ]
    mode = part.devices[0].tree_mode
    assert mode is not None and mode.origin.pointer == "/stp/global/config/enabled-protocol/1"


def _ethernet(name: str, **switched: Any) -> dict[str, Any]:
    holder = {"openconfig-vlan:switched-vlan": switched} if switched else {}
    config = {"name": name, "type": "iana-if-type:ethernetCsmacd"}
    return {"name": name, "config": config, "openconfig-if-ethernet:ethernet": holder}


def _with_subs(name: str, *subs: tuple[int, dict[str, Any]]) -> dict[str, Any]:
    listed = [
        {"index": index, "config": {"index": index}, "openconfig-vlan:vlan": vlan}
        for index, vlan in subs
    ]
    return {**_ethernet(name), "subinterfaces": {"subinterface": listed}}


def _tag(vid: int, **more: Any) -> dict[str, Any]:
    return {"match": {"single-tagged": {"config": {"vlan-id": vid}}}, **more}


def test_what_interfaces_and_instances_mean(inkov: Inkov, tmp_path: Path) -> None:
    """Tagged sub-interfaces of a layer-2 instance are bridged, their parents routed; what is tagged
    otherwise is not known; leaves come from `state` one by one; an empty list is none.
    """
    mapping = {"ingress-mapping": {"config": {"vlan-stack-action": "SWAP", "vlan-id": 40}}}
    several = {"match": {"single-tagged-list": {"config": {"vlan-ids": [10, 20]}}}}
    interfaces = [
        _with_subs("e1", (10, _tag(10)), (20, _tag(20))),
        _with_subs("e2", (10, _tag(10))),
        _with_subs("e3", (5, several)),
        _with_subs("e4", (7, _tag(30, **mapping))),
        _ethernet("e5", config={"interface-mode": "TRUNK", "trunk-vlans": []}),
        _ethernet("e6", config={"interface-mode": "TRUNK", "native-vlan": 99, "trunk-vlans": [10]}),
        _ethernet(
            "e7",
            config={"interface-mode": "ACCESS"},
            state={"interface-mode": "TRUNK", "access-vlan": 77},
        ),
    ]
    members = [
        {"id": f"{e}.10", "config": {"interface": e, "subinterface": 10}} for e in ("e1", "e2")
    ]
    instance = {
        "name": "green",
        "config": {"name": "green", "type": "openconfig-network-instance-types:L2VSI"},
        "interfaces": {"interface": members},
    }
    tree = {
        "openconfig-system:system": {"config": {"hostname": "a"}},
        "openconfig-interfaces:interfaces": {"interface": interfaces},
        "openconfig-network-instance:network-instances": {"network-instance": [instance]},
        "openconfig-vlan:vlans": {"vlan": [{"vlan-id": vid} for vid in (10, 30, 77, 99)]},
    }
    (tmp_path / "a.json").write_text(json.dumps(tree))
    inkov("convert", "a.json", "out", "--to", "sheet")
    sections = (
        (tmp_path / "out" / "a.sheet").read_text().replace("native: none\n", "").split("\n\n")
    )
    said = {head: rest for head, _, rest in (section.partition("\n") for section in sections)}
    assert said["[port e1]"] == said["[port e2]"] == "mode: routed"
    assert said["[sub e1.10]"] == "mode: access\nvlan: 10\nof: e1\ntag: 10"
    assert said["[sub e1.20]"] == "mode: routed\nof: e1\ntag: 20"
    assert said["[bridge green]"] == "ports: e1.10, e2.10"
    assert said["[vlans in green]"] == "10:\n"
    assert "unknown: its sub-interface 5 takes single-tagged-list" in said["[port e3]"]
    assert "unknown: its tags are changed on the way" in said["[sub e4.7]"]
    assert said["[port e5]"] == "mode: trunk"  # all VLANs, since no list is stated
    assert "reading: " in said["[port e6]"] and "allowed: 10" in said["[port e6]"]
    assert said["[port e7]"] == "mode: access\nvlan: 77"
    assert inkov("read", "a.json", "--strict").status == 1
    heard = inkov("hears", "a:e1.10", "a.json", "-f", "json").json["heard"]
    assert [place["port"] for place in heard] == ["e2.10"]
    strict = inkov("prove", "a.json", "--strict", "-f", "json").json["claims"]
    assert {verdict["verdict"] for verdict in strict} == {"undecided"}


def test_an_instance_without_vlans_has_those_of_its_ports(inkov: Inkov, tmp_path: Path) -> None:
    """Whether it joins what wears two tags is not stated: no proof that frames pass rests on it."""
    instances = [
        {
            "name": name,
            "config": {"name": name, "type": "openconfig-network-instance-types:L2VSI"},
            "interfaces": {
                "interface": [
                    {"id": each, "config": {"interface": port, "subinterface": int(sub or 0)}}
                    for each in ports
                    for port, _, sub in [each.partition(".")]
                ]
            },
        }
        for name, ports in (("green", ["e1", "e2"]), ("grey", ["e3.10", "e4.10", "e4.20"]))
    ]
    trunk = {"interface-mode": "TRUNK", "native-vlan": 99, "trunk-vlans": ["20..22"]}
    tree = {
        "openconfig-system:system": {"config": {"hostname": "a"}},
        "openconfig-interfaces:interfaces": {
            "interface": [
                _ethernet("e1", config=trunk),
                _ethernet("e2", config={"interface-mode": "ACCESS", "access-vlan": 10}),
                _with_subs("e3", (10, _tag(10))),
                _with_subs("e4", (10, _tag(10)), (20, _tag(20))),
            ]
        },
        "openconfig-network-instance:network-instances": {"network-instance": instances},
    }
    (tmp_path / "a.json").write_text(json.dumps(tree))
    inkov("convert", "a.json", "out", "--to", "sheet")
    sections = (tmp_path / "out" / "a.sheet").read_text().split("\n\n")
    said = {head: rest for head, _, rest in (section.partition("\n") for section in sections)}
    assert said["[vlans in green]"].split() == ["10:", "20:", "21:", "22:", "99:"]
    assert all(
        "unknown: whether instance grey joins its sub-interfaces' tags" in said[f"[sub {name}]"]
        for name in ("e3.10", "e4.10", "e4.20")
    )
    claims = "claims:\n  - reach: ['a:e3.10', 'a:e4.10']\n  - not-reach: ['a:e3.10', 'a:e4.20']\n"
    (tmp_path / "plan.yaml").write_text(claims)
    judged = inkov("prove", "a.json", "--plan", "plan.yaml", "--strict", "-f", "json").json
    assert [one["verdict"] for one in judged["claims"]] == ["undecided", "undecided"]


@pytest.mark.parametrize("form", ["json", "xml", "wrapped"])
def test_a_device_in_a_file_for_each_container(inkov: Inkov, tmp_path: Path, form: str) -> None:
    """Containers speak of each other's things: one file for each says what one file with all does,
    under the names of neighbours as well, and every fact is in the file that states it.
    """
    instance = {
        "name": "green",
        "config": {"name": "green", "type": "openconfig-network-instance-types:L2VSI"},
        "interfaces": {"interface": [{"id": "p1", "config": {"interface": "p1"}}]},
        "vlans": {"vlan": [{"vlan-id": 10, "config": {"vlan-id": 10, "name": "bees"}}]},
    }
    heard = {"system-name": "other", "port-id": "7", "chassis-id": "02:00:00:00:00:09"}
    containers: dict[str, Any] = {
        "openconfig-system:system": {"config": {"hostname": "core-1"}},
        "openconfig-interfaces:interfaces": {
            "interface": [
                port("p1", **{"interface-mode": "ACCESS", "access-vlan": 10}),
                port("p2", **{"interface-mode": "ACCESS", "access-vlan": 10}),
                {"name": "b1", "aggregation": {"config": {"lag-type": "LACP"}}},
                {"name": "well", "routed-vlan": {"config": {"vlan": "bees"}}},
            ]
        },
        "openconfig-network-instance:network-instances": {"network-instance": [instance]},
        "openconfig-lldp:lldp": {
            "interfaces": {
                "interface": [
                    {"name": "p2", "neighbors": {"neighbor": [{"id": "1", "state": heard}]}}
                ]
            }
        },
        "openconfig-lacp:lacp": {
            "interfaces": {"interface": [{"name": "b1", "config": {"lacp-mode": "PASSIVE"}}]}
        },
        "openconfig-spanning-tree:stp": {
            "global": {"config": {"enabled-protocol": ["RSTP"]}},
            "rstp": {"config": {"bridge-priority": 4096}},
            "interfaces": {"interface": [{"name": "p1", "config": {"edge-port": "EDGE_ENABLE"}}]},
        },
    }

    def written(tree: dict[str, Any]) -> str:
        if form == "xml":
            return f"<data>\n{to_xml(tree)}</data>"
        return json.dumps({"ietf-restconf:data": tree} if form == "wrapped" else tree, indent=1)

    ending = "xml" if form == "xml" else "json"
    for folder in ("whole", "halves"):
        (tmp_path / folder).mkdir()
    (tmp_path / "whole" / f"all.{ending}").write_text(written(containers))
    for name, held in containers.items():
        plain = name.rpartition(":")[2]
        (tmp_path / "halves" / f"{plain}.{ending}").write_text(written({name: held}))
    whole, halves = (load([str(tmp_path / folder)]) for folder in ("whole", "halves"))
    assert not whole.campus.problems and not halves.campus.problems, halves.campus.problems
    device = halves.campus.devices["core-1"]
    assert without_origins(device) == without_origins(whole.campus.devices["core-1"])
    assert without_origins(halves.campus.neighbours) == without_origins(whole.campus.neighbours)
    assert halves.campus.neighbours[0].far_known_as == "02:00:00:00:00:09"
    assert [*device.bridges["green"].ports] == ["p1"] and device.gateways[0].vid == 10
    edge, mode = device.ports["p1"].edge, device.tree_mode
    assert edge and edge.value and mode and mode.value == "rstp"
    assert Path(edge.origin.file).name == f"stp.{ending}" and halves.locator.line(edge.origin) > 1
    # And to the output: the two ports are in bridges of their own, so neither hears the other.
    for folder in ("whole", "halves"):
        said = inkov("hears", "core-1:p1", folder, "-f", "json").json
        assert said["heard"] == [], folder
    # A folder without a host name gives its own, to neighbours as well.
    (tmp_path / "halves" / f"system.{ending}").unlink()
    nameless = load([str(tmp_path / "halves")]).campus
    assert [*nameless.devices] == ["halves"] and nameless.neighbours[0].device == "halves"


def test_a_half_that_is_not_utf_8_is_said(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "bed").mkdir()
    halves = {
        "interfaces": {"openconfig-interfaces:interfaces": {"interface": [_ethernet("e1")]}},
        "vlans": {"openconfig-vlan:vlans": {"vlan": [{"vlan-id": 10}]}},
    }
    halves["interfaces"]["openconfig-interfaces:interfaces"]["interface"][0]["config"] |= {
        "description": "to the BED"
    }
    for name, tree in halves.items():
        text = json.dumps(tree).encode().replace(b"BED", "Büsche".encode("latin-1"))
        (tmp_path / "bed" / f"{name}.json").write_bytes(text)
    told = inkov("read", "bed", "--strict")
    assert "interfaces.json:1: byte 0xfc is not UTF-8" in told.err and told.status == 1
    assert [
        (one["switch"], one["port"]) for one in inkov("ports", "bed", "-f", "json").json["ports"]
    ] == [("bed", "e1")]
