"""What is wrong, told from the edit that cures it; and where to look."""

from __future__ import annotations

from collections.abc import Callable
from ipaddress import ip_interface
from typing import Any

import pytest

from inkov.campus import Cable, Device, Fact, Host, Mode, Origin, Vlan
from inkov.campus.model import Private
from inkov.edits import Edit, Kind
from inkov.edits.make import gateway_edit, of_port, of_row, row_gone
from inkov.mend.causes import cause_of, place_of
from inkov.vlanset import VlanSet
from tests.conftest import fabric_of

FABRIC = fabric_of(
    "switch: a\n[vlans]\n10: ferns\n20: beds; suspended\n[port 1]\nvlan: 10\n[port 2]\nvlan: 20\n"
    "[port 3]\nmode: trunk\nallowed: 10\nwithheld: 20\n[port 4]\nmode: general\ntagged: 10\n"
    "[port 5]\nstate: off\n[bundle up]\nmembers: 6\nstate: off\n"
    "[gateway 20]\naddress: 10.0.20.1/24\nstate: off\n[port 7]\nmtu: 1500\nedge: yes\n"
)
A = FABRIC.campus.devices["a"]
LAMP = Host("lamp", "a", "1", Origin("hosts.csv", 2), address=ip_interface("10.0.20.7/25"))
FABRIC.campus.hosts.append(LAMP)
Make = Callable[[Device], Edit]


def port(name: str, attribute: str, value: Any) -> Make:
    return lambda device: of_port("a", device.ports[name], attribute, value)


def row(attribute: str, value: Any) -> Make:
    return lambda device: of_row("a", (device.vlans or {})[20], attribute, value)


def host(attribute: str, before: Any, after: Any) -> Make:
    return lambda device: Edit("", Kind.HOST, "lamp", attribute, before, after)


@pytest.mark.parametrize(
    ("make", "says", "line"),
    [
        (port("3", "allowed", VlanSet.of(10, 20, 30)), "a:3 does not allow VLAN 20,30", 12),
        (port("3", "withheld", VlanSet()), "pruning keeps VLAN 20 off a:3", 13),
        (
            port("4", "tagged", VlanSet.of(10, 20)),
            "a:4 is no tagged member of VLAN 20",
            16,
        ),
        (port("5", "enabled", True), "a:5 is shut", 18),
        (port("up", "enabled", True), "the bundle a:up is shut", 21),
        (port("2", "access_vlan", 10), "a:2 is in VLAN 20, and not in 10", 9),
        (
            port("1", "access_vlan", 20),
            "a:1 is in VLAN 10, and lamp belongs in 20 by its address",
            7,
        ),
        (port("1", "mode", Mode.TRUNK), "a:1 is an access port, and its far end a trunk", 6),
        (port("3", "mode", Mode.GENERAL), "a:3 is a trunk, and its far end a general port", 11),
        (port("1", "mtu", 9000), "a:1 states no MTU", 6),
        (port("7", "mtu", 9000), "a:7 has MTU 1500", 26),
        (port("7", "edge", False), "edge is on at a:7", 27),
        (lambda device: row_gone(device, 20)[0], "a has no VLAN 20", 5),
        (row("active", True), "VLAN 20 is suspended on a", 5),
        (row("private", Private.ISOLATED), "VLAN 20 of a is not isolated", 5),
        (row("secondaries", VlanSet.of(30)), "VLAN 30 is no secondary of VLAN 20 on a", 5),
        (
            lambda device: gateway_edit(device, device.gateways[0].origin, "enabled", True)[0],
            "the gateway a VLAN 20 is shut",
            24,
        ),
        (
            host("gateway", None, "10.0.20.1"),
            "lamp has no gateway, and its VLAN has 10.0.20.1",
            2,
        ),
        (
            host("gateway", "10.0.20.9", "10.0.20.1"),
            "lamp has the gateway 10.0.20.9, and its VLAN has 10.0.20.1",
            2,
        ),
        (
            host("address", LAMP.address, ip_interface("10.0.20.7/24")),
            "lamp has the mask /25, and the router of its VLAN has /24",
            2,
        ),
    ],
)
def test_what_is_wrong_and_where(make: Make, says: str, line: int) -> None:
    edit = make(A)
    assert cause_of(FABRIC, edit) == says
    at = place_of(FABRIC.campus, edit)
    assert (at.file, at.line) == ("hosts.csv" if edit.kind is Kind.HOST else "s0.sheet", line)


def test_where_nothing_says_it_the_switch_is_told() -> None:
    new = Edit("a", Kind.VLAN, "30", "", None, Vlan(30, Origin(), Fact("fog", Origin())))
    assert place_of(FABRIC.campus, new).line in (0, A.origin.line)
    bare = Edit("a", Kind.SWITCH, "a", "tree_mode", None, None)
    assert place_of(FABRIC.campus, bare) == A.origin
    cable = Cable("a", "1", "b", "2", Origin("plan.yaml", 9))
    assert place_of(FABRIC.campus, Edit("", Kind.CABLE, "x", "", None, cable)).line == 9
    assert place_of(FABRIC.campus, Edit("", Kind.CABLE, "x", "", None, None)) == Origin()
