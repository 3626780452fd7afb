"""Edits in the text of a sheet: the text as a person would have changed it, and read back, the
switch that was meant.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

import pytest

from inkov.campus import Campus, Device
from inkov.edits import Edit, Kind, apply, difference
from inkov.edits.make import active, defined, gateway_edit, named, of_port
from inkov.readers.openconfig import from_json
from inkov.readers.openconfig.rewrite import rewrite as rewrite_openconfig
from inkov.readers.rewriting import CannotWrite
from inkov.readers.sheets.reader import read
from inkov.readers.sheets.rewrite import rewrite
from inkov.vlanset import VlanSet

HEAD = "inkov sheet 1\nswitch: a\n"
Make = Callable[[Device], list[Edit]]


def port(name: str, attribute: str, value: Any) -> Make:
    return lambda device: [of_port("a", device.ports[name], attribute, value)]


def rewritten(text: str, make: Make) -> str:
    [device] = read("a.sheet", text.encode()).part.devices
    campus = Campus(devices={"a": device})
    edits = make(device)
    tried = apply(campus, edits)
    written = rewrite(text, tried.devices["a"], edits)
    part = read("a.sheet", written.encode()).part
    assert part.problems == []
    assert difference(tried, Campus(devices={"a": part.devices[0]})) == []
    return written


@pytest.mark.parametrize(
    ("text", "make", "expected"),
    [
        # A value, with its comment, whatever is in quotes, and however lines end.
        (
            'switch: a\r\n[port 1]\r\nvlan: 10 # "x # y"\r\n',
            port("1", "access_vlan", 11),
            'switch: a\r\n[port 1]\r\nvlan: 11 # "x # y"\r\n',
        ),
        # A port leaves a section about several, with all that it says.
        (
            '[port "bed 1".."bed 3"] # beds\nvlan: 10\nedge: yes\n\n# tail',
            port("bed 2", "access_vlan", 11),
            '[port "bed 1", "bed 3"] # beds\nvlan: 10\nedge: yes\n'
            '[port "bed 2"]\nvlan: 11\nedge: yes\n\n# tail',
        ),
        # The section that has the last word is changed.
        (
            "[port 1..3]\nvlan: 10\n[port 2]\nvlan: 12\n",
            port("2", "access_vlan", 11),
            "[port 1..3]\nvlan: 10\n[port 2]\nvlan: 11\n",
        ),
        # What nothing says is added; a member that has no section gets one.
        (
            "[bundle b]\nmembers: 1,2\nmode: trunk\n\n[port 2]\n",
            lambda device: [
                of_port("a", device.ports["b"], "allowed", VlanSet.of(10, 20)),
                of_port("a", device.ports["1"], "enabled", False),
            ],
            "[bundle b]\nmembers: 1,2\nmode: trunk\nallowed: 10,20\n\n[port 2]\n"
            "\n[port 1]\nstate: off\n",
        ),
        # Rows: a new one, another name, one that is active again.
        (
            "[vlans]\n10: x  # old\n20: y; suspended\n\n[port 1]\n",
            lambda device: [
                *defined(Campus(devices={"a": device}), device, 30),
                named("a", device.vlans[10], "z"),
                *active(device, device.vlans[20]),
            ],
            "[vlans]\n10: z  # old\n20: y; active\n30:\n\n[port 1]\n",
        ),
        # What is said twice in a section is said no more.
        (
            "[port 1]\nallowed: 10\nmode: trunk\nallowed: 20\n[port 2]\nallowed: 30\n",
            lambda device: [Edit("a", Kind.PORT, "1", "allowed", device.ports["1"].allowed, None)],
            "[port 1]\nmode: trunk\n[port 2]\nallowed: 30\n",
        ),
        (
            "[port 1]\nmode: trunk\nallowed: 10\nallowed: 20\n[port 2]\nallowed: 30\n",
            lambda device: [Edit("a", Kind.PORT, "1", "allowed", device.ports["1"].allowed, None)],
            "[port 1]\nmode: trunk\n[port 2]\nallowed: 30\n",
        ),
        # What is gone has no section any more, nor the empty line before it.
        (
            "[port 1]\nmode: routed\n\n[sub 1.20]\nof: 1\ntag: 20\n\n[port 2]\nvlan: 10\n",
            lambda device: [Edit("a", Kind.PORT, "1.20", "", device.ports["1.20"], None)],
            "[port 1]\nmode: routed\n\n[port 2]\nvlan: 10\n",
        ),
        # Of two sections of one gateway the one that opens it.
        (
            "[gateway 10]\nstate: off\n[port 1]\nvlan: 10\n[gateway 20]\nstate: off\n",
            lambda device: gateway_edit(device, device.gateways[1].origin, "enabled", True),
            "[gateway 10]\nstate: off\n[port 1]\nvlan: 10\n[gateway 20]\nstate: on\n",
        ),
    ],
)
def test_a_sheet_as_a_person_would_change_it(text: str, make: Make, expected: str) -> None:
    head = "inkov sheet 1\r\n" if "\r\n" in text else HEAD
    assert rewritten(head + text, make) == head + expected


@pytest.mark.parametrize(
    ("text", "make", "says"),
    [
        (
            "[vlans]\n10-12: x\n",
            lambda device: [named("a", device.vlans[11], "y")],
            "VLAN 11 stands in a line with others",
        ),
        ("[port 1]\n", port("1", "bundle", "b"), "port 1, bundle: not written"),
        (
            "[port 1..2]\nvlan: 10\n",
            lambda device: [Edit("a", Kind.PORT, "1", "", device.ports["1"], None)],
            "1 stands in a section with others",
        ),
    ],
)
def test_what_is_not_written_is_said(text: str, make: Make, says: str) -> None:
    with pytest.raises(CannotWrite, match=says):
        rewritten(HEAD + text, make)


OPENCONFIG = {
    "openconfig-interfaces:interfaces": {
        "interface": [
            {
                "name": "9",
                "config": {"name": "9", "description": "zum B\u00e4renzwinger"},
                "openconfig-if-ethernet:ethernet": {
                    "openconfig-vlan:switched-vlan": {
                        "config": {"interface-mode": "TRUNK", "trunk-vlans": [20, "30..32"]}
                    }
                },
            }
        ]
    }
}


@pytest.mark.parametrize(
    ("indent", "escaped", "end"), [(2, False, "\n"), (4, True, ""), (None, False, "")]
)
def test_openconfig_as_it_is_laid_out(indent: int | None, escaped: bool, end: str) -> None:
    def laid_out(vlans: list[Any], **more: int) -> str:
        document = json.loads(json.dumps(OPENCONFIG))
        inner = document["openconfig-interfaces:interfaces"]["interface"][0]
        switched = inner["openconfig-if-ethernet:ethernet"]["openconfig-vlan:switched-vlan"]
        switched["config"]["trunk-vlans"] = vlans
        switched["config"] |= more
        return json.dumps(document, indent=indent, ensure_ascii=escaped) + end

    text = laid_out([20, "30..32"])
    [device] = from_json.read("a.json", text.encode(), account=False).part.devices
    port_9 = device.ports["9"]
    edit = of_port(device.name, port_9, "allowed", VlanSet.of(10, 20, 31, 32))
    assert rewrite_openconfig(text, device, [edit]) == laid_out([10, 20, "31..32"])
    native = of_port(device.name, port_9, "native_vlan", 10)  # which no member states yet
    expected = laid_out([20, "30..32"], **{"native-vlan": 10})
    assert rewrite_openconfig(text, device, [native]) == expected
    with pytest.raises(CannotWrite, match="not written into OpenConfig"):
        rewrite_openconfig(text, device, [of_port(device.name, port_9, "voice_vlan", 10)])
    with pytest.raises(CannotWrite, match="layout"):
        rewrite_openconfig(text.replace('"name": "9"', '"name" : "9"'), device, [edit])
