"""Switch sheets: the round trip loses nothing, later lines win, and every fault is placed."""

from __future__ import annotations

from ipaddress import ip_interface
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkov.campus import (
    STANDARD,
    Accept,
    Aggregation,
    Bridge,
    Device,
    Distribution,
    Fact,
    Gateway,
    Guard,
    Mode,
    Negotiation,
    Neighbour,
    Origin,
    Overridden,
    Port,
    PortKind,
    Private,
    Role,
    Tree,
    TreeMode,
    TreeRole,
    TreeState,
    Vlan,
    address_text,
)
from inkov.readers.reading import Part, Reading
from inkov.readers.registry import read_bytes
from inkov.readers.sheets.reader import read as read_sheet
from inkov.readers.sheets.words import BadLine, filter_entry, whole_number
from inkov.readers.sheets.writer import names_text, write_sheet
from inkov.vlanset import VlanSet
from tests.conftest import Inkov

NOWHERE = Origin()
TEXTS = st.text(st.characters(exclude_categories=["Cs"]), max_size=12)
NAMES = st.one_of(
    st.from_regex(r"[a-z]{0,4}[0-9]{1,3}(/[0-9]{1,2})?", fullmatch=True), TEXTS.filter(bool)
)
VIDS = st.integers(1, 4094)
VID_SETS = st.sets(VIDS, max_size=5).map(VlanSet.from_vids) | st.just(VlanSet.all())
VALUES: dict[str, st.SearchStrategy[Any]] = {
    "description": TEXTS,
    "enabled": st.booleans(),
    "mode": st.sampled_from(Mode),
    "negotiation": st.sampled_from(Negotiation),
    "access_vlan": VIDS,
    "voice_vlan": VIDS | st.none(),
    "native_vlan": VIDS | st.none(),
    "native_tagged": st.booleans(),
    "allowed": VID_SETS,
    "withheld": VID_SETS,
    "pvid": VIDS | st.none(),
    "accept": st.sampled_from(Accept),
    "ingress_filtering": st.booleans(),
    "tagged": VID_SETS,
    "untagged": VID_SETS,
    "primary": VIDS,
    "secondary": VIDS,
    "secondaries": VID_SETS,
    "protected": st.booleans(),
    "registration": st.booleans(),
    "prunable": VID_SETS,
    "aggregation": st.sampled_from(Aggregation),
    "edge": st.booleans(),
    "guard": st.sampled_from(Guard),
    "bpdu_guard": st.booleans(),
    "mtu": st.integers(0, 1 << 20),
    "speed": st.integers(0, 1 << 20),
    "number": st.integers(0, 1 << 20),
    "vrf": TEXTS,
    "outer": VIDS,
    "parent": NAMES,
}
ADDRESSES = st.lists(
    st.sampled_from(["10.0.0.1/24", "10.9.8.7/31", "2001:db8::1/64"]).map(ip_interface), max_size=2
)


def fact(value: Any) -> Fact[Any]:
    return Fact(value, NOWHERE)


MACS = st.integers(0, (1 << 48) - 1).map(lambda number: address_text(f"{number:012x}"))


@st.composite
def devices(draw: st.DrawFn) -> tuple[Device, list[Neighbour]]:
    device = Device(draw(NAMES), NOWHERE, STANDARD)
    if draw(st.booleans()):
        device.vlans = {}
        for vid in draw(st.lists(VIDS, max_size=4, unique=True)):
            vlan = device.vlans[vid] = Vlan(vid, NOWHERE)
            vlan.name = draw(st.none() | TEXTS.map(fact))
            vlan.active = draw(st.none() | st.booleans().map(fact))
            vlan.private = draw(st.none() | st.sampled_from(Private).map(fact))
            if vlan.private is not None and vlan.private.value is Private.PRIMARY:
                vlan.secondaries = draw(st.none() | VID_SETS.map(fact))
    for name in draw(st.lists(NAMES, max_size=5, unique=True)):
        port = device.ports[name] = Port(name, NOWHERE, draw(st.sampled_from(PortKind)))
        for attribute in draw(st.sets(st.sampled_from(sorted(VALUES)), max_size=6)):
            setattr(port, attribute, fact(draw(VALUES[attribute])))
        port.addresses = tuple(fact(a) for a in draw(ADDRESSES))
    bundles = [p.name for p in device.ports.values() if p.kind is PortKind.BUNDLE]
    for port in device.ports.values():
        if bundles and port.kind is PortKind.PHYSICAL and draw(st.booleans()):
            port.bundle = fact(draw(st.sampled_from(bundles)))
    bridged = draw(st.permutations(list(device.ports)))
    for name in draw(st.lists(NAMES, max_size=2, unique=True)):
        device.bridges[name] = Bridge(
            name, NOWHERE, {bridged.pop(): NOWHERE for _ in range(min(2, len(bridged)))}
        )
        device.bridges[name].tree_mode = draw(st.none() | st.sampled_from(TreeMode).map(fact))
        device.bridges[name].address = draw(st.none() | MACS.map(fact))
        if draw(st.booleans()):
            device.bridges[name].vlans = {
                vid: Vlan(vid, NOWHERE) for vid in draw(st.sets(VIDS, max_size=2))
            }
    device.tree_mode = draw(st.none() | st.sampled_from(TreeMode).map(fact))
    device.address = draw(st.none() | MACS.map(fact))
    device.region = draw(st.none() | TEXTS.map(fact))
    device.revision = draw(st.none() | st.integers(0, 65535).map(fact))
    numbers = st.integers(0, 65535).map(fact)
    for vids in draw(st.lists(VID_SETS, max_size=2)):
        costs = draw(st.dictionaries(NAMES, numbers, max_size=2))
        device.trees.append(
            Tree(
                vids,
                NOWHERE,
                draw(st.integers(0, 9)),
                draw(st.none() | numbers),
                costs,
                costs,
                draw(st.sampled_from(["", *device.bridges])),
                draw(st.dictionaries(NAMES, st.sampled_from(TreeRole).map(fact), max_size=2)),
                draw(st.dictionaries(NAMES, st.sampled_from(TreeState).map(fact), max_size=2)),
                draw(st.none() | MACS.map(fact)),
                draw(st.dictionaries(NAMES, numbers, max_size=1)),
            )
        )
    trees = {(tree.vlans, tree.number, tree.bridge): tree for tree in device.trees}
    device.trees = list(trees.values())  # sections about one tree are one
    if draw(st.booleans()):
        role, flag = (
            draw(st.none() | st.sampled_from(Role).map(fact)),
            draw(st.none() | st.booleans().map(fact)),
        )
        number, text = draw(st.none() | numbers), draw(st.none() | TEXTS.map(fact))
        device.distribution = Distribution(NOWHERE, text, number, role, number, flag, flag)
    for vid in draw(st.lists(VIDS, max_size=2)):
        bridge = draw(st.sampled_from(["", *device.bridges]))
        addresses = tuple(fact(a) for a in draw(ADDRESSES))
        gateway = Gateway(
            vid, NOWHERE, bridge, draw(st.none() | st.booleans().map(fact)), addresses
        )
        gateway.vrf = draw(st.none() | TEXTS.map(fact))
        device.gateways.append(gateway)
    ends = st.tuples(NAMES, NAMES, NAMES, TEXTS)
    neighbours = [
        Neighbour(device.name, p, d, q, NOWHERE, t)
        for p, d, q, t in draw(st.lists(ends, max_size=3))
    ]
    return device, neighbours


def without_origins(value: Any) -> Any:
    """The facts alone: what must survive being written and read."""
    if isinstance(value, Fact):
        return ("fact", value.value)
    if isinstance(value, dict):
        return {key: without_origins(item) for key, item in value.items()}
    if isinstance(value, list | tuple):
        return [without_origins(item) for item in value]
    if isinstance(value, Origin):
        return None
    if hasattr(value, "__struct_fields__"):
        return {
            name: without_origins(getattr(value, name))
            for name in value.__struct_fields__
            if name != "overridden"
        }
    return value


@given(devices())
def test_round_trip(made: tuple[Device, list[Neighbour]]) -> None:
    device, neighbours = made
    text = write_sheet(device, neighbours)
    part = read_sheet("x.sheet", text.encode()).part
    problems = [one for one in part.problems if "has an address" not in one.says]  # without a use
    assert not problems, (problems, text)
    assert without_origins(part.devices[0]) == without_origins(device), text
    assert without_origins(part.neighbours) == without_origins(neighbours)
    assert write_sheet(part.devices[0], part.neighbours) == text


@pytest.mark.parametrize(
    ("form", "said", "says"),
    [
        (
            "sheet",
            "",
            "8: 1.20 has an address, but its mode is not stated: nothing is routed by it",
        ),
        (
            "sheet",
            "mode: access\n",
            "9: 1.20 has an address, but it is switched: nothing is routed",
        ),
        ("sheet", "mode: routed\n", ""),
        ("text", "", "6: 2 has an address, but its mode is not stated: nothing is routed by it"),
        ("text", "  joins nothing\n", ""),
    ],
)
def test_an_address_that_nothing_is_routed_by_is_said(
    form: str, said: str, says: str, inkov: Inkov, tmp_path: Path
) -> None:
    """A router without its interfaces would join nothing: strict claims are not decided by it."""
    if form == "sheet":
        sub = f"[sub 1.20]\nof: 1\n{said}tag: 20\naddress: 10.0.20.1/24\n"
        (tmp_path / "r.sheet").write_text(
            f"inkov sheet 1\nswitch: r\n[port 1]\nmode: routed\n{sub}[port 2]\nvlan: 10\n"
        )
    else:
        (tmp_path / "moor.toml").write_text(
            'dialect = "moor"\nfiles = ["*.txt"]\n[defaults]\nmode = "access"\n[port]\n'
            'opens = ["berth {port}"]\n[port.says]\n"in {vid}" = "vlan = {vid}"\n'
            '"known by {address}" = "address = {address}"\n"joins nothing" = "mode = routed"\n'
        )
        (tmp_path / "r.txt").write_text(
            f"berth 1\n  in 10\nberth 3\n  in 20\nberth 2\n{said}  known by 10.0.20.1/24\n"
        )
    (tmp_path / "plan.yaml").write_text(
        "segments:\n  one: {vlans: [10]}\n  two: {vlans: [20]}\nclaims:\n  - isolate: [one, two]\n"
    )
    proved = inkov("prove", ".", "--strict")
    assert (says in proved.err) and bool(says) is ("has an address" in proved.err), proved.err
    assert "HOLDS" not in proved.out
    assert ("problem with the input" in proved.out) is bool(says)


def test_names_with_and_without_numbers_are_listed() -> None:
    """Only names that are the next ones of a row make a range."""
    names = ["2", "lan", "lan1", "p1", "p2", "p3", "p5", "q6", "wan"]
    assert names_text(names) == "2, lan, lan1, p1..p3, p5, q6, wan"


def reading(text: str) -> Reading:
    return read_sheet("x.sheet", ("inkov sheet 1\nswitch: gate-1\n" + text).encode())


def read(text: str) -> Part:
    return reading(text).part


def test_later_lines_win_and_the_earlier_ones_are_remembered() -> None:
    part = read("[port 1..3]\nmode: access\nvlan: 10\n[port 2]\nvlan: 20\n")
    device = part.devices[0]
    assert [device.ports[p].access_vlan for p in "123"] == [
        Fact(10, Origin("x.sheet", 5)),
        Fact(20, Origin("x.sheet", 7)),
        Fact(10, Origin("x.sheet", 5)),
    ]
    assert device.overridden == [
        Overridden("2", "access_vlan", Origin("x.sheet", 5), Origin("x.sheet", 7), "10", "20")
    ]


def test_names_and_ranges() -> None:
    part = read('[port 1..2, a1..a3, x/09..11, "odd, name"] # four kinds\nabout: "a # b" # said\n')
    ports = part.devices[0].ports
    # Leading zeros are a part of the name, and the range keeps their width.
    assert list(ports) == ["1", "2", "a1", "a2", "a3", "x/09", "x/10", "x/11", "odd, name"]
    assert {p.description.value for p in ports.values() if p.description} == {"a # b"}
    spaced = read('[port "bed 8".."bed 10", "x 1"..2, 7]\nvlan: 5').devices[0].ports
    assert list(spaced) == ["bed 8", "bed 9", "bed 10", "x 1", "x 2", "7"]


@pytest.mark.parametrize(
    ("text", "line", "says"),
    [
        ("[port 1]\nvlan: 4095", 4, "4095 is not a VLAN number"),
        ("[port 1]\nvlan: 10-11", 4, "one VLAN number is expected"),
        ("[port 1]\nallowed: 20-10", 4, "20-10 runs backwards"),
        ("[port 1]\nmode: tunnel", 4, "'tunnel' is not one of: access, trunk, general"),
        ("[port 1]\ncolour: 10", 4, "'colour' is not a key of a port"),
        ("[port 1..]\nvlan: 10", 3, "is not a range of names"),
        ("[port 1..99999]", 3, "more than 4096"),
        ('[port "bed 1".."pot 4"]', 3, "is not a range of names"),
        ('[port "bed 1..4"]', 3, "is one name, not a range"),
        ("[port ]", 3, "a name is missing"),
        ("[ports 1]", 3, "[ports] is not a section"),
        ("[vlans of b]", 3, "'of b' may not follow 'vlans'"),
        ("[vlans in]", 3, "'in' may not follow 'vlans'"),
        ("[neighbours of b]", 3, "nothing may follow 'neighbours'"),
        ("[distribution]\ncolour: red", 4, "'colour' is not a key of the distribution"),
        ("[distribution]\npassword: moss", 4, "only says whether there is one"),
        ("[tree]\naddress: 02:00", 4, "no address of a bridge"),
        ("[port 1\nvlan: 10", 3, "not closed by ]"),
        ("just words", 3, "neither `key: value` nor [section]"),
        ("vlan: 10", 3, "not known before the first section"),
        ("switch: gate-2", 3, "named twice"),
        ("[vlans]\n10: a; loud", 4, "says nothing of a VLAN"),
        ("[vlans]\n10,5000: a", 4, "5000 is not a VLAN number"),
        ("[bundle 1]\n[port 1]", 4, "'1' is already a bundle"),
        ("[bridge a]\nports: 1\n[bridge b]\nports: 1", 6, "already in bridge a"),
        ("[gateway 10]\naddress: 10.0.0.300/24", 4, "not an address with its prefix"),
        ("[neighbours]\n1: gate-2", 4, "not a place"),
        ('[port 1]\nabout: "a', 4, "not a quoted text"),
        ("[bridge]\nports: 1", 3, "the bridge needs a name"),
        ("[bridge b]\nmode: trunk", 4, "'mode' is not a key of a bridge"),
        ("[filter]", 3, "the filter needs a name of its own"),
        ("[filter f]\n[filter f]", 4, "the filter needs a name of its own"),
        ("[gateway 10]\ncolour: red", 4, "'colour' is not a key of a gateway"),
        ("[port 1..123456789012345678901]", 3, "the numbers are too long"),
    ],
)
def test_a_fault_is_placed_and_the_rest_is_read(text: str, line: int, says: str) -> None:
    whole = reading(text + "\n[port 77]\nvlan: 7\n")
    part = whole.part
    problem = part.problems[0]
    assert (problem.origin, problem.lost) == (Origin("x.sheet", line), False)
    assert says in problem.says
    port = part.devices[0].ports["77"]
    assert port.access_vlan is not None and port.access_vlan.value == 7
    assert whole.ledger.unmatched[0].origin.line == line


def test_a_sheet_without_its_switch_is_lost() -> None:
    part = read_sheet("x.sheet", b"inkov sheet 1\n[port 1]\nvlan: 10\n").part
    assert not part.devices
    assert [p.lost for p in part.problems if "does not name its switch" in p.says] == [True]


@given(st.binary(max_size=200))
def test_no_bytes_make_it_fail(data: bytes) -> None:
    read_sheet("x.sheet", b"inkov sheet 1\nswitch: a\n[port 1]\n" + data)


@pytest.mark.parametrize(
    ("value", "accepts", "source", "destination", "finer"),
    [
        ("reject from 10.0.1.0/24 to 10.0.2.0/24", False, "10.0.1.0/24", "10.0.2.0/24", False),
        ("accept from any to 10.0.2.0/24 in part", True, None, "10.0.2.0/24", True),
        ("Reject From 2001:db8::/64 To any", False, "2001:db8::/64", None, False),
    ],
)
def test_an_entry_of_a_filter(
    value: str, accepts: bool, source: str | None, destination: str | None, finer: bool
) -> None:
    entry = filter_entry("10", value, Origin("x", 3))
    ends = [None if end is None else str(end) for end in (entry.source, entry.destination)]
    assert (entry.number, entry.accepts, *ends) == (10, accepts, source, destination)
    assert entry.finer is finer


@pytest.mark.parametrize(
    "value", ["reject", "drop from any to any", "reject from 10.0.0.5/24 to any", "accept from a"]
)
def test_what_is_no_entry_of_a_filter(value: str) -> None:
    """A prefix with host bits is a slip in a sheet: which address was meant is not known."""
    with pytest.raises(BadLine):
        filter_entry("10", value, Origin("x", 3))


@pytest.mark.parametrize(
    ("text", "number"),
    [
        *(("0", 0), ("4294967295", 4294967295), ("0000000007", 7)),
        *((text, None) for text in ("4294967296", "00000000007", "-1", "1.5", "", "٣", "1e3")),
    ],
)
def test_a_whole_number_has_32_bits(text: str, number: int | None) -> None:
    """The least, the greatest, and what is none: eleven digits, signs, other scripts."""
    if number is not None:
        assert whole_number(text) == number
    else:
        with pytest.raises(BadLine):
            whole_number(text)


def test_a_filter_is_written_as_it_was_read() -> None:
    entries = "10: reject from any to 10.50.0.0/24\n20: accept from any to any in part\n"
    text = f"inkov sheet 1\nswitch: a\n\n[filter keep]\n{entries}"
    [device] = read_bytes("a.sheet", text.encode(), account=False)[1].devices
    assert f"[filter keep]\n{entries}" in write_sheet(device)


@pytest.mark.parametrize("end", ["\n", "\r\n", "\r"])
@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16"])
def test_lines_are_counted_whatever_ends_them(
    inkov: Inkov, tmp_path: Path, end: str, encoding: str
) -> None:
    lines = ["inkov sheet 1", "switch: a", "", "[port 1]", "vlan: 10", "", "colour: grün", ""]
    (tmp_path / "a.sheet").write_bytes(end.join(lines).encode(encoding))
    [port] = inkov("ports", "a.sheet", "-f", "json").json["ports"]
    assert (port["untagged"], port["origin"]["line"]) == ("10", 4)
    assert "a.sheet:7: 'colour' is not a key of a port" in inkov("read", "a.sheet").err
