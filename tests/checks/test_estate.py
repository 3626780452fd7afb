"""A campus of real size: nothing is found; with one mistake in it, its cause stands first."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from tests.checks.estate import COMMON, DATA, NATIVE, Estate, estate, vids
from tests.conftest import Inkov, share

Plant = Callable[[Estate], int]
"""Plants a mistake, and gives back its line."""


def line(switch: str, old: str, new: str, port: str = "") -> Plant:
    """One line of a sheet is another, or away."""
    return lambda e: e.change(switch, old, new, port=port)


def lines(*changes: tuple[str, ...]) -> Plant:
    """Several; the first one's number counts."""

    def plant(e: Estate) -> int:
        return next(iter([e.change(*change[:3], port=(*change, "")[3]) for change in changes]))

    return plant


def allowed(switch: str, port: str, without: str) -> tuple[str, str, str, str]:
    """A VLAN taken off the list of a trunk of an access switch of a block."""
    block = switch.partition("-")[0]
    whole = vids(DATA[block], *COMMON, NATIVE)
    less = ",".join(vid for vid in whole.split(",") if vid != without)
    return switch, f"allowed: {whole}", f"allowed: {less}", port


TICKETS: list[tuple[str, Plant, str, str, str | None]] = [
    # what somebody did; how; the rule that comes first; the switch, and the port it points at
    (
        "a VLAN not defined",
        line("palm-1", "110: palm-desks\n", ""),
        "access-vlan-undefined",
        "palm-1",
        "1",
    ),
    (
        "the voice VLAN not defined",
        line("fern-2", "50: voice\n", ""),
        "voice-vlan-undefined",
        "fern-2",
        "1",
    ),
    (
        "one uplink lacks a VLAN",
        lines(allowed("rose-1", "23", "130")),
        "allowed-differs",
        "rose-1",
        "23",
    ),
    (
        "both uplinks lack a VLAN",
        lines(allowed("rose-1", "23", "130"), allowed("rose-1", "24", "130")),
        "allowed-differs",
        "rose-1",
        "23",
    ),
    (
        "another native VLAN",
        line("pond-2", "native: 99", "native: 60", "23"),
        "untagged-vlan-differs",
        "pond-2",
        "23",
    ),
    (
        "a host in another VLAN",
        line("moss-3", "[port 13]", "[port 5]\nvlan: 60\n[port 13]"),
        "host-outside-subnet",
        "moss-3",
        "5",
    ),
    (
        "a socket in the management VLAN",
        line("kiln-2", "[port 13]", "[port 7]\nvlan: 90\n[port 13]"),
        "host-in-management-vlan",
        "kiln-2",
        "7",
    ),
    (
        "a socket in another VLAN than its sisters",
        line("kiln-2", "[port 13]", "[port 7]\nvlan: 61\n[port 13]"),
        "odd-one-out",
        "kiln-2",
        "7",
    ),
    (
        "an uplink that is an access port",
        line("herb-1", "mode: trunk", "mode: access\nvlan: 160", "24"),
        "trunk-meets-access",
        "herb-1",
        "24",
    ),
    (
        "the only uplinks shut",
        lines(
            ("fern-4", "mode: trunk", "state: off\nmode: trunk", "23"),
            ("fern-4", "mode: trunk", "state: off\nmode: trunk", "24"),
        ),
        "link-shut",
        "fern-4",
        "23",
    ),
    (
        "a router's sub-interface shut",
        line("router-1", "tag: 110\n", "tag: 110\nstate: off\n"),
        "gateway-shut",
        "router-1",
        "lan.110",
    ),
    (
        "the link to a router lacks a VLAN",
        line("core-1", "allowed: 50,70,90,110,", "allowed: 50,70,90,", "r"),
        "needed-vlan-missing",
        "core-1",
        "r",
    ),
    (
        "a gateway that is none",
        line("hosts.csv", "10.110.0.11/24,10.110.0.254", "10.110.0.11/24,10.110.0.1"),
        "host-gateway-wrong",
        "palm-1",
        "5",
    ),
    (
        "a mask too wide",
        line("hosts.csv", "10.110.0.11/24", "10.110.0.11/16"),
        "mask-wrong",
        "palm-1",
        "5",
    ),
    (
        "a mask too narrow",
        line("hosts.csv", "10.110.0.11/24", "10.110.0.11/25"),
        "mask-wrong",
        "palm-1",
        "5",
    ),
    (
        "a router's mask too narrow",
        line("router-1", "10.110.0.254/24", "10.110.0.254/25"),
        "gateway-against-plan",
        "router-1",
        "lan.110",
    ),
    (
        "another name",
        line("moss-2", "150: moss-desks", "150: mos-desks"),
        "vlan-name-against-plan",
        "moss-2",
        None,
    ),
    (
        "both distribution switches lack a VLAN",
        lines(("palm-a", "110: palm-desks\n", ""), ("palm-b", "110: palm-desks\n", "")),
        "vlan-missing-in-transit",
        "palm-a",
        None,
    ),
    (
        "one distribution switch lacks a VLAN",
        line("palm-b", "110: palm-desks\n", ""),
        "vlan-on-one-way-only",
        "palm-b",
        None,
    ),
    (
        "a closet becomes root",
        line("rose-1", "priority: 32768", "priority: 0"),
        "root-against-plan",
        "rose-1",
        None,
    ),
    (
        "another kind of tree",
        line("pond-b", "mode: rstp", "mode: per vlan"),
        "tree-modes-differ",
        "pond-b",
        None,
    ),
    (
        "edge on an uplink",
        line("palm-1", "native: 99", "native: 99\nedge: yes", "23"),
        "edge-on-link",
        "palm-1",
        "23",
    ),
    (
        "no guard at a socket",
        line("palm-3", "bpdu guard: on\n", "", "13"),
        "guard-missing",
        "palm-3",
        "13",
    ),
    (
        "uplinks crossed",
        lines(
            ("fern-1", "23: fern-a:1\n24: fern-b:1", "24: fern-a:1\n23: fern-b:1"),
            ("fern-a", "fern-1:23", "fern-1:24"),
            ("fern-b", "fern-1:24", "fern-1:23"),
        ),
        "cabled-otherwise",
        "fern-1",
        "23",
    ),
    (
        "an unused port on",
        line("kiln-4", "[port 23]", "[port 19]\nstate: on\n[port 23]"),
        "unused-port-open",
        "kiln-4",
        "19",
    ),
    (
        "a trunk left at everything",
        line("kiln-1", "allowed: 50,60,61,90,99,170\n", "", "23"),
        "trunk-allows-everything",
        "kiln-1",
        "23",
    ),
    (
        "a router in another subnet",
        line("router-1", "10.110.0.254/24", "10.111.0.254/24"),
        "gateway-against-plan",
        "router-1",
        "lan.110",
    ),
    (
        "an address twice",
        line("hosts.csv", "10.70.0.12/24", "10.70.0.11/24"),
        "address-used-twice",
        "server-1",
        "1",
    ),
    (
        "a telephone without its VLAN",
        line("herb-3", "voice: 50\n", "", "13"),
        "voice-vlan-missing",
        "herb-3",
        "13",
    ),
    (
        "management in a user VLAN",
        lines(
            ("herb-3", "[gateway 90]", "[gateway 160]"),
            ("herb-3", "address: 10.90.0.", "address: 10.160.0."),
        ),
        "management-in-user-vlan",
        "herb-3",
        None,
    ),
    (
        "MTU at one end",
        lines(
            ("core-2", "native: 99", "native: 99\nmtu: 9000", "a3"),
            ("rose-a", "native: 99", "native: 99\nmtu: 1500", "24"),
        ),
        "mtu-differs",
        "core-2",
        "a3",
    ),
    (
        "a VLAN suspended",
        lines(
            ("moss-a", "150: moss-desks", "150: moss-desks; suspended"),
            ("moss-b", "150: moss-desks", "150: moss-desks; suspended"),
        ),
        "vlan-suspended",
        "moss-a",
        None,
    ),
    (
        "a protected uplink",
        lines(
            ("pond-3", "native: 99", "native: 99\nprotected: yes", "24"),
            ("pond-3", "edge: yes", "edge: yes\nprotected: yes", "1..12"),
        ),
        "protected-uplink",
        "pond-3",
        "24",
    ),
    (
        "a host's port shut",
        line("palm-1", "[port 13]", "[port 5]\nstate: off\n[port 13]"),
        "host-port-shut",
        "palm-1",
        "5",
    ),
    (
        "a host at a switch that is none",
        line("hosts.csv", "desk-palm-1,palm-1,5", "desk-palm-1,plam-1,5"),
        "switch-without-file",
        "",
        None,
    ),
    (
        "two sockets patched, and no tree",
        lines(
            ("rose-2", "mode: rstp", "mode: off"),
            ("rose-2", "[neighbours]\n", "[neighbours]\n3: rose-2:4\n"),
        ),
        "loop-unguarded",
        "rose-2",
        "3",
    ),
    (
        "no path for the tree on a switch",
        line("core-1", "priority: 4096", "priority: 32768"),
        "root-against-plan",
        "core-2",
        None,
    ),
]


def test_nothing_is_found_where_nothing_is_wrong(inkov: Inkov, tmp_path: Path) -> None:
    estate().write(tmp_path)
    assert inkov("audit", ".").out == "No findings on 47 switches.\n"
    assert inkov("prove", ".", "--strict", "--certificate", "../c.json").status == 0
    assert inkov("verify", "../c.json", ".").out == "4 of 4 claims verified.\n"


@pytest.mark.parametrize(
    ("plant", "rule", "switch", "port"),
    [ticket[1:] for ticket in share(TICKETS)],
    ids=[ticket[0] for ticket in share(TICKETS)],
)
def test_the_cause_of_a_ticket_stands_first(
    inkov: Inkov, tmp_path: Path, plant: Plant, rule: str, switch: str, port: str | None
) -> None:
    files = estate()
    plant(files)
    files.write(tmp_path)
    first, *_ = inkov("audit", ".", "-f", "json").json["findings"]
    assert first["rule"] == rule, first["says"]
    assert (switch, port) in [(w["switch"] or "", w["port"]) for w in first["where"]]
