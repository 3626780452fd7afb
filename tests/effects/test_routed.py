"""What a change does by routers: from two folders to who reaches whom, and where packets stop."""

from __future__ import annotations

from ipaddress import ip_network
from pathlib import Path
from typing import Any

import pytest

from inkov.effects.routing import _fits
from tests.conftest import Inkov
from tests.render.screens import on_screen

HEAD = "inkov sheet 1\nswitch: a\n[vlans]\n10: ferns\n20: beds\n30: fog\n"
PORTS = "[port 1]\nvlan: 10\n[port 2]\nvlan: 20\n"
GATEWAYS = "[gateway 10]\naddress: 10.0.10.1/24\n[gateway 20]\naddress: 10.0.20.1/24\n"
BOUND = GATEWAYS + "filter out: keep\n[filter keep]\n10: reject from 10.0.10.0/24 to any\n"
REST = "20: accept from any to any\n"


def sides(folder: Path, old: str, new: str) -> tuple[Path, Path]:
    for side, text in (("old", old), ("new", new)):
        (folder / side).mkdir()
        (folder / side / "a.sheet").write_text(HEAD + text)
    return folder / "old", folder / "new"


def by_routers(rows: list[dict[str, Any]]) -> list[tuple[str, str, bool, bool]]:
    """From which VLANs to which, both ways or not, and whether it crosses segments."""
    told = []
    for row in rows:
        if row["layer"] == 3 and row["level"] == "honest":
            ends = row["from"]["vlan"], row["to"]["vlan"]
            one, other = sorted(ends) if row["both_ways"] else ends
            told.append((one, other, row["both_ways"], row["crosses_segments"]))
    return sorted(told)


def test_a_filter_stops_packets(inkov: Inkov, tmp_path: Path) -> None:
    """From VLAN 10 into 20 and not back; it stops at the filter, and the line is named."""
    folders = sides(tmp_path, PORTS + GATEWAYS, PORTS + BOUND + REST)
    said = inkov("compare", *folders, "-f", "json", "-q").json
    assert by_routers(said["lost"]) == [("10", "20", False, False)] and said["gained"] == []
    [row] = [row for row in said["lost"] if row["layer"] == 3]
    last = row["witness"][-1]
    line = (folders[1] / "a.sheet").read_text().splitlines().index("[filter keep]") + 1
    assert (last["event"], last["origin"]["line"]) == ("stops", line) and "keep" in last["because"]
    assert {edit["kind"] for edit in row["blame"]} <= {"gateway", "filter"}


def test_of_two_filters_the_one_that_stops_all_is_named(inkov: Inkov, tmp_path: Path) -> None:
    """The first, where packets come in, stops a half of them."""
    half = "[filter half]\n10: reject from any to 10.0.20.128/25\n20: accept from any to any\n"
    two = BOUND.replace("10.1/24\n", "10.1/24\nfilter in: half\n") + REST + half
    folders = sides(tmp_path, PORTS + GATEWAYS, PORTS + two)
    said = inkov("compare", *folders, "-f", "json", "-q").json
    [row] = [row for row in said["lost"] if (row["layer"], row["from"]["vlan"]) == (3, "10")]
    assert "keep" in row["witness"][-1]["because"], row["witness"][-1]


def test_what_one_router_stops_another_passes(inkov: Inkov, tmp_path: Path) -> None:
    """a and b both route between the VLANs: a filter that stops a half at a takes nothing."""
    half = "filter out: half\n[filter half]\n10: reject from any to 10.0.20.128/25\n"
    trunk = "[port 8]\nmode: trunk\nnative: none\nallowed: 10,20\n[neighbours]\n8: {}:8\n"
    for side, more in (("old", ""), ("new", half + REST)):
        (tmp_path / side).mkdir()
        own = GATEWAYS.replace("0.1/24", "0.2/24")
        (tmp_path / side / "a.sheet").write_text(HEAD + PORTS + GATEWAYS + more + trunk.format("b"))
        head = HEAD.replace("switch: a", "switch: b")
        (tmp_path / side / "b.sheet").write_text(head + own + trunk.format("a"))
    said = inkov("compare", tmp_path / "old", tmp_path / "new", "-f", "json", "-q").json
    assert said["edits"] and not said["lost"] and not said["gained"]


def test_a_host_more_crosses_nothing_new(inkov: Inkov, tmp_path: Path) -> None:
    """VLAN 10 was routed to 20 before: another port in it reaches what the others do."""
    folders = sides(tmp_path, PORTS + GATEWAYS, PORTS + "[port 3]\nvlan: 10\n" + GATEWAYS)
    said = inkov("compare", *folders, "-f", "json", "-q").json
    assert by_routers(said["gained"]) == [("10", "20", True, False)] and said["lost"] == []
    told = on_screen("compare", *folders, "-q")
    assert "1 more row by routers, of those that gain or lose it above" in told
    assert said["refused"] is False


def test_a_gateway_more_crosses(inkov: Inkov, tmp_path: Path) -> None:
    first = GATEWAYS.split("[gateway 20]")[0]
    said = inkov(
        "compare", *sides(tmp_path, PORTS + first, PORTS + GATEWAYS), "-f", "json", "-q"
    ).json
    assert by_routers(said["gained"]) == [("10", "20", True, True)]
    assert any("reach is gained" in refusal["says"] for refusal in said["because"])


def test_a_router_joins_ports_that_are_protected_from_each_other(
    inkov: Inkov, tmp_path: Path
) -> None:
    """Frames of one do not get to the other; packets may, by the new gateway of their VLAN. With a
    plan by which two VLANs are one segment, what is routed between them is told as well.
    """
    apart = "[port 1,2]\nvlan: 10\nprotected: yes\n"
    gateway = "[gateway 10]\naddress: 10.0.10.1/24\n"
    folders = sides(tmp_path, apart, apart + gateway)
    told = on_screen("compare", *folders, "-q")
    assert "GAINED  a:1 (VLAN 10 ferns) <-> a:2 (VLAN 10 ferns), by routers" in told
    assert "more row" not in told
    # Not where its filter stops all that comes back.
    shut = f"{gateway}filter in: none\n[filter none]\n10: reject from any to any\n"
    (tmp_path / "new" / "a.sheet").write_text(HEAD + apart + shut)
    assert "by routers" not in on_screen("compare", *folders, "-q")
    (tmp_path / "plan.yaml").write_text("segments:\n  garden: {vlans: [10, 20]}\n")
    for side, text in (("old", PORTS), ("new", PORTS + GATEWAYS)):
        (tmp_path / side / "a.sheet").write_text(HEAD + text)
    told = on_screen("compare", *folders, "--plan", tmp_path / "plan.yaml", "-q")
    assert "by routers" in told and "GAINED" in told and "more row" not in told


@pytest.mark.parametrize("new", [False, True])
def test_a_third_segment_crosses_to_one_that_was_routed(
    inkov: Inkov, tmp_path: Path, new: bool
) -> None:
    """VLAN 30 is routed now, and may have got its port only now. Its filters let nothing in, and
    out only what goes to 20.
    """
    own, third = "[port 3]\nvlan: 30\n", "[gateway 30]\naddress: 10.0.30.1/24\n"
    third += "filter in: some\nfilter out: none\n[filter none]\n10: reject from any to any\n"
    third += "[filter some]\n10: reject from any to 10.0.10.0/24\n20: accept from any to any\n"
    before = PORTS + GATEWAYS if new else PORTS + own + GATEWAYS
    folders = sides(tmp_path, before, PORTS + own + GATEWAYS + third)
    said = inkov("compare", *folders, "-f", "json", "-q").json
    assert by_routers(said["gained"]) == [("30", "20", False, True)]
    # It follows from nothing that is told: a:3 hears and reaches nobody else.
    told = on_screen("compare", *folders, "-q", "--gain", "30 -> 20")
    assert "GAINED  VLAN 30 fog (a:3) -> VLAN 20 beds (a:2), by routers" in told
    assert "more row" not in told


@pytest.mark.parametrize("turned", [False, True])
def test_what_follows_from_new_ports_is_counted(inkov: Inkov, tmp_path: Path, turned: bool) -> None:
    """Two ports in VLAN 30, and its gateway: they hear each other, told; and reach the others by
    routers, which follows. The same if all of it goes.
    """
    more = "[port 5..6]\nvlan: 30\n[gateway 30]\naddress: 10.0.30.1/24\n"
    texts = PORTS + GATEWAYS, PORTS + GATEWAYS + more
    folders = sides(tmp_path, *(texts[::-1] if turned else texts))
    said = inkov("compare", *folders, "-f", "json", "-q").json
    rows = said["lost" if turned else "gained"]
    assert {(row["layer"], row["from"]["vlan"]) for row in rows} >= {(2, "30")}
    assert any(row[3] for row in by_routers(rows)) is not turned
    word = "--lose" if turned else "--gain"
    meant = [part for vid in (10, 20, 30) for part in (word, f"30 <-> {vid}")]
    told = on_screen("compare", *folders, "-q", *meant).splitlines()
    assert sum("among themselves" in line for line in told) == 1
    assert not any("by routers" in line and "<->" in line for line in told)
    assert any(line.endswith("by routers, of those that gain or lose it above") for line in told)
    assert told[-1] == "Not refused."


@pytest.mark.parametrize(
    ("meant", "refused"),
    [
        (["30 <-> 10", "30 <-> 20"], False),
        (["10 <-> 30", "everything <-> 20"], False),
        (["30 -> 10", "10 -> 30", "30 <-> 20"], False),
        (["10,20 <-> 30"], False),
        (["a:5 <-> *", "a:6 <-> *"], False),
        (["30 <-> 10"], True),
        (["30 -> 10", "30 <-> 20"], True),
        (["10 -> 30", "20 -> 30"], True),
        (["30 <-> 10", "10 <-> 20"], True),
        (["a:5 <-> *"], True),
    ],
)
def test_several_may_permit_a_row_together(
    inkov: Inkov, tmp_path: Path, meant: list[str], refused: bool
) -> None:
    """A gateway in VLAN 30: its ports reach those of 10 and 20, in one row."""
    ports = PORTS + "[port 5..6]\nvlan: 30\n" + GATEWAYS
    folders = sides(tmp_path, ports, ports + "[gateway 30]\naddress: 10.0.30.1/24\n")
    asked = [part for text in meant for part in ("--gain", text)]
    said = inkov("compare", *folders, "-f", "json", "-q", *asked).json
    assert by_routers(said["gained"]) == [("10,20", "30", True, True)]
    assert said["refused"] is refused, said["because"]


def test_a_filter_that_stops_some_takes_a_part(inkov: Inkov, tmp_path: Path) -> None:
    some = BOUND.replace("to any\n", "to any in part\n") + REST
    said = inkov(
        "compare", *sides(tmp_path, PORTS + GATEWAYS, PORTS + some), "-f", "json", "-q"
    ).json
    rows = [row for row in said["lost"] if row["layer"] == 3 and row["level"] == "honest"]
    assert [(row["from"]["vlan"], row["to"]["vlan"], row["in_part"]) for row in rows] == [
        ("10", "20", True)
    ]
    assert "the whole of it" in on_screen("compare", tmp_path / "old", tmp_path / "new", "-q")


def test_who_stops_a_part_is_to_blame(inkov: Inkov, tmp_path: Path) -> None:
    """The filter stops a part. That the router has one address more takes nothing."""
    some = BOUND.replace("to any\n", "to any in part\n").replace(
        "10.1/24\n", "10.1/24,10.0.11.1/24\n"
    )
    folders = sides(tmp_path, PORTS + GATEWAYS, PORTS + some + REST)
    said = inkov("compare", *folders, "-l", "honest", "-f", "json", "-q").json
    assert "VLAN 10" in {edit["name"] for edit in said["edits"]}
    [row] = [row for row in said["lost"] if row["in_part"]]
    assert (row["from"]["vlan"], row["to"]["vlan"]) == ("10", "20")
    assert {(edit["kind"], edit["name"]) for edit in row["blame"]} <= {
        ("gateway", "VLAN 20"),
        ("filter", "keep"),
    }


def test_a_router_in_the_middle_of_three_joins_those_beside_it(
    inkov: Inkov, tmp_path: Path
) -> None:
    """r1 has VLAN 10, r3 has VLAN 30; r2 is between them by VLAN 100, and by VLAN 200 after the
    change only.
    """
    trunk = "[port {}]\nmode: trunk\nnative: none\nallowed: {}\n"
    address = "[gateway {0}]\naddress: 10.0.{0}.{1}/24\n"
    texts = {
        "r1": "[port 1]\nvlan: 10\n" + address.format(10, 1) + address.format(100, 1),
        "r2": address.format(100, 2),
        "r3": "[port 1]\nvlan: 30\n" + address.format(30, 1) + address.format(200, 1),
    }
    texts["r1"] += trunk.format(8, 100) + "[neighbours]\n8: r2:7\n"
    texts["r2"] += trunk.format(7, 100) + trunk.format(8, 200)
    texts["r3"] += trunk.format(7, 200) + "[neighbours]\n7: r2:8\n"
    for side in ("old", "new"):
        (tmp_path / side).mkdir()
        for name, text in texts.items():
            more = address.format(200, 2) if (side, name) == ("new", "r2") else ""
            head = (
                f"inkov sheet 1\nswitch: {name}\n[vlans]\n10: ferns\n30: fog\n100: one\n200: two\n"
            )
            (tmp_path / side / f"{name}.sheet").write_text(head + more + text)
    said = inkov("compare", tmp_path / "old", tmp_path / "new", "-f", "json", "-q").json
    assert by_routers(said["gained"]) == [("10", "30", True, True)] and said["lost"] == []


@pytest.mark.parametrize("left", [False, True])
def test_where_a_packet_stops_whose_gateway_is_gone(
    inkov: Inkov, tmp_path: Path, left: bool
) -> None:
    """The router is taken away, or stays and routes no more."""
    trunk = "[port 8]\nmode: trunk\nnative: none\nallowed: 10,20\n"
    wired = trunk + "[neighbours]\n8: r:8\n"
    folders = sides(tmp_path, PORTS + wired, PORTS + (wired if left else trunk))
    router = HEAD.replace("switch: a", "switch: r") + trunk
    (folders[0] / "r.sheet").write_text(router + GATEWAYS)
    if left:
        (folders[1] / "r.sheet").write_text(router)
    said = inkov("compare", *folders, "--gone", "r", "-f", "json", "-q").json
    [row] = [row for row in said["lost"] if row["layer"] == 3 and row["level"] == "honest"]
    last = row["witness"][-1]
    assert last["switch"] == "r" and last["because"].endswith(
        "not there any more: nothing routes for it"
    )
    assert (last["event"], last["vlan"], last["tagged"]) == ("stops", None, False)
    place = (str(folders[1] / "r.sheet"), 2) if left else (None, None)
    assert (last["origin"]["file"], last["origin"]["line"]) == place


def test_which_addresses_of_a_subnet_a_prefix_has() -> None:
    """Any, and all: for all prefixes of eight addresses and what is around them."""
    prefixes = [
        ip_network(f"10.0.0.{first}/{length}")
        for length in range(27, 33)
        for first in range(0, 32, 2 ** (32 - length))
    ]
    for prefix in prefixes:
        for subnet in prefixes:
            meant = prefix.overlaps(subnet), subnet.subnet_of(prefix)  # type: ignore[arg-type]
            assert _fits(prefix, subnet) == meant, (prefix, subnet)
        assert _fits(prefix, ip_network("::a00:0/123")) == (False, False)


@pytest.mark.parametrize(
    ("gone", "line", "words"),
    [
        # Its gateway routes it, and what the router sends on is not let in at b.
        ("20,30", ("b", "allowed: 30"), "allowed list"),
        # a and b route, by VLAN 30 between them.
        ("30,20", ("a", "[gateway 10]"), "do not know of each other any more"),
    ],
)
def test_where_a_packet_stops_behind_its_gateway(
    inkov: Inkov, tmp_path: Path, gone: str, line: tuple[str, str], words: str
) -> None:
    """VLAN 10 is at a and VLAN 20 at b, behind one link; b loses one of its VLANs there."""
    lost, kept = gone.split(",")
    beside = "[port 8]\nmode: trunk\nnative: 99\nallowed: {}\n[neighbours]\n8: {}:8\n"
    routed = "[gateway 30]\naddress: 10.0.30.{}/24\n"
    for side, listed in (("old", "20,30"), ("new", kept)):
        texts = {
            "a": "[port 1]\nvlan: 10\n[gateway 10]\naddress: 10.0.10.1/24\n",
            "b": "[port 2]\nvlan: 20\n",
        }
        own = "[gateway 20]\naddress: 10.0.20.1/24\n"
        # Either a routes both, or each its own with a transit VLAN between.
        if lost == "20":
            texts["a"] += own
        else:
            texts["a"] += routed.format(1)
            texts["b"] += own + routed.format(2)
        texts["a"] += beside.format("20,30", "b")
        texts["b"] += beside.format(listed, "a")
        (tmp_path / side).mkdir()
        for name, text in texts.items():
            head = HEAD.replace("switch: a", f"switch: {name}")
            (tmp_path / side / f"{name}.sheet").write_text(head + text)
    said = inkov("compare", tmp_path / "old", tmp_path / "new", "-f", "json", "-q").json
    witnesses = [
        row["witness"]
        for row in said["lost"]
        if row["layer"] == 3 and (row["from"]["vlan"], row["to"]["vlan"]) in (("10", "20"),)
    ]
    assert witnesses
    switch, text = line
    place = (tmp_path / "new" / f"{switch}.sheet").read_text().splitlines().index(text) + 1
    for witness in witnesses:
        first, last = witness[0], witness[-1]
        assert (first["switch"], first["port"], first["event"]) == ("a", "1", "sent")
        assert (last["switch"], last["origin"]["line"]) == (switch, place)
        assert words in last["because"] and last["event"] in ("stops", "dropped")
