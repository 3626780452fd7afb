"""One switch in three forms, and edits one by one: the lines that go and come in each form, or why
an edit is not written there; and read back, each is the switch that was meant.
"""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Callable
from ipaddress import ip_interface
from typing import Any, NamedTuple

import pytest

from inkov.campus import Campus, Device, Fact, Gateway, Mode, Origin, Vlan
from inkov.edits import Edit, Kind, apply, difference
from inkov.edits.make import gateway_edit, gateways_in, named, of_port, of_row, row_gone
from inkov.readers.openconfig import from_json, from_xml
from inkov.readers.openconfig.rewrite import rewrite as rewrite_json
from inkov.readers.openconfig.rewrite_xml import rewrite as rewrite_xml
from inkov.readers.rewriting import CannotWrite
from inkov.readers.sheets import reader as sheets
from inkov.readers.sheets.rewrite import rewrite as rewrite_sheet
from inkov.vlanset import VlanSet

SHEET = """\
inkov sheet 1
switch: a

[vlans]
10: beds
20: seeds

[gateway 10]
state: on
address: 10.10.0.1/24, fd00:10::1/64

[gateway 20]
address: 10.20.0.1/24

[port 1]
vlan: 10

[port 2]
mode: trunk
allowed: 10,20

[port 3]
address: 10.9.0.1/30
"""


def _port(name: str, config: dict[str, Any], **more: Any) -> dict[str, Any]:
    inner = {"openconfig-vlan:switched-vlan": {"config": config}}
    ethernet = {"openconfig-if-ethernet:ethernet": inner}
    return {"name": name, "config": {"name": name} | more, **ethernet}


def _addresses(*addresses: str) -> dict[str, Any]:
    """The two containers of addresses, each only with what it has."""
    families: dict[str, list[dict[str, Any]]] = {}
    for address in addresses:
        ip, _, length = address.partition("/")
        entry = {"ip": ip, "config": {"ip": ip, "prefix-length": int(length)}}
        families.setdefault("ipv6" if ":" in ip else "ipv4", []).append(entry)
    return {
        f"openconfig-if-ip:{family}": {"addresses": {"address": entries}}
        for family, entries in families.items()
    }


def _gateway(vid: int, *addresses: str, **more: Any) -> dict[str, Any]:
    name = f"vlan-{vid}"
    config = {"name": name, "type": "iana-if-type:l3ipvlan"} | more
    routed = {"config": {"vlan": vid}} | _addresses(*addresses)
    return {"name": name, "config": config, "openconfig-vlan:routed-vlan": routed}


ROUTED = {
    "name": "3",
    "config": {"name": "3"},
    "subinterfaces": {
        "subinterface": [{"index": 0, "config": {"index": 0}} | _addresses("10.9.0.1/30")]
    },
}
JSON: dict[str, Any] = {
    "openconfig-system:system": {"config": {"hostname": "a"}},
    "openconfig-interfaces:interfaces": {
        "interface": [
            _port("1", {"interface-mode": "ACCESS", "access-vlan": 10}),
            _port("2", {"interface-mode": "TRUNK", "trunk-vlans": [10, 20]}),
            ROUTED,
            _gateway(10, "10.10.0.1/24", "fd00:10::1/64", enabled=True),
            _gateway(20, "10.20.0.1/24"),
        ]
    },
    "openconfig-network-instance:network-instances": {
        "network-instance": [
            {
                "name": "default",
                "vlans": {
                    "vlan": [
                        {"vlan-id": vid, "config": {"vlan-id": vid, "name": name}}
                        for vid, name in ((10, "beds"), (20, "seeds"))
                    ]
                },
            }
        ]
    },
}


def as_xml(document: dict[str, Any]) -> str:
    """The same as elements, one on a line. The modules' names become namespaces."""
    spaces = {
        "openconfig-system": "system",
        "openconfig-interfaces": "interfaces",
        "openconfig-if-ethernet": "interfaces/ethernet",
        "openconfig-vlan": "vlan",
        "openconfig-if-ip": "interfaces/ip",
        "openconfig-network-instance": "network-instance",
    }

    def lines(key: str, value: Any, indent: str) -> list[str]:
        if isinstance(value, list):
            return [line for item in value for line in lines(key, item, indent)]
        module, _, name = key.rpartition(":")
        space = f' xmlns="http://openconfig.net/yang/{spaces[module]}"' if module else ""
        if isinstance(value, dict):
            inner = [line for each in value.items() for line in lines(*each, indent + "  ")]
            return [f"{indent}<{name}{space}>", *inner, f"{indent}</{name}>"]
        text = str(value).lower() if isinstance(value, bool) else str(value)
        return [f"{indent}<{name}>{text}</{name}>"]

    body = [line for each in document.items() for line in lines(*each, "  ")]
    return "\n".join(["<data>", *body, "</data>", ""])


Make = Callable[[Device], list[Edit]]


class Form(NamedTuple):
    """How a form is read and written, and the switch in it."""

    text: str
    read: Callable[[str], Device]
    rewrite: Callable[[str, Device, list[Edit]], str]


FORMS = {
    "sheet": Form(
        SHEET, lambda text: sheets.read("a", text.encode()).part.devices[0], rewrite_sheet
    ),
    "json": Form(
        json.dumps(JSON, indent=2) + "\n",
        lambda text: from_json.read("a", text.encode(), account=False).part.devices[0],
        rewrite_json,
    ),
    "xml": Form(
        as_xml(JSON),
        lambda text: from_xml.read("a", text.encode(), account=False).part.devices[0],
        rewrite_xml,
    ),
}


def port(name: str, attribute: str, value: Any) -> Make:
    return lambda device: [of_port("a", device.ports[name], attribute, value)]


def addresses(vid: int, *texts: str) -> Make:
    """Other addresses of a gateway."""

    def make(device: Device) -> list[Edit]:
        [(name, gateway)] = gateways_in(device, vid)
        after = tuple(Fact(ip_interface(text), gateway.origin) for text in texts)
        return [Edit("a", Kind.GATEWAY, name, "addresses", gateway.addresses, after)]

    return make


def gateway_state(vid: int, on: bool) -> Make:
    def make(device: Device) -> list[Edit]:
        [(_, gateway)] = gateways_in(device, vid)
        return gateway_edit(device, gateway.origin, "enabled", on)

    return make


def new_row(vid: int, name: str) -> Make:
    row = Vlan(vid, Origin(), Fact(name, Origin()))
    return lambda device: [Edit("a", Kind.VLAN, str(vid), "", None, row)]


def new_gateway(vid: int, address: str) -> Make:
    """A gateway that is named as the form names its gateways."""

    def make(device: Device) -> list[Edit]:
        name = device.gateways[0].name.replace("10", str(vid))
        own = (Fact(ip_interface(address), Origin()),)
        gateway = Gateway(vid, Origin(), addresses=own, name=name)
        return [Edit("a", Kind.GATEWAY, f"VLAN {vid} {name}".strip(), "", None, gateway)]

    return make


def gateway_gone(vid: int) -> Make:
    def make(device: Device) -> list[Edit]:
        [(name, gateway)] = gateways_in(device, vid)
        return [Edit("a", Kind.GATEWAY, name, "", gateway, None)]

    return make


def _of_port_3(device: Device, *texts: str) -> Edit:
    port_3 = device.ports["3"]
    after = tuple(Fact(ip_interface(text), port_3.origin) for text in texts)
    return Edit("a", Kind.PORT, "3", "addresses", port_3.addresses, after)


def unsaid(name: str, attribute: str) -> Make:
    def make(device: Device) -> list[Edit]:
        return [Edit("a", Kind.PORT, name, attribute, getattr(device.ports[name], attribute), None)]

    return make


TAKEN = "what is stated is not taken away"
NO_MEMBER = "no member states it yet"

CASES: dict[str, tuple[Make, dict[str, str]]] = {
    "another list": (
        port("2", "allowed", VlanSet.of(10, 30, 31)),
        {
            "sheet": "-allowed: 10,20 +allowed: 10,30-31",
            "json": '-20 +"30..31"',
            "xml": "-<trunk-vlans>20</trunk-vlans> +<trunk-vlans>30..31</trunk-vlans>",
        },
    ),
    "another VLAN": (
        port("1", "access_vlan", 20),
        {
            "sheet": "-vlan: 10 +vlan: 20",
            "json": '-"access-vlan": 10 +"access-vlan": 20',
            "xml": "-<access-vlan>10</access-vlan> +<access-vlan>20</access-vlan>",
        },
    ),
    "a state that nothing said": (
        port("2", "enabled", False),
        {"sheet": "+state: off", "json": '+"enabled": false', "xml": "+<enabled>false</enabled>"},
    ),
    "an MTU that nothing said": (
        port("1", "mtu", 9000),
        {"sheet": "+mtu: 9000", "json": '+"mtu": 9000', "xml": "+<mtu>9000</mtu>"},
    ),
    "a native VLAN that nothing said": (
        port("2", "native_vlan", 20),
        {
            "sheet": "+native: 20",
            "json": '+"native-vlan": 20',
            "xml": "+<native-vlan>20</native-vlan>",
        },
    ),
    "a list that nothing said": (
        port("1", "allowed", VlanSet.of(10, 12, 13)),
        {
            "sheet": "+allowed: 10,12-13",
            "json": '+"trunk-vlans": [ +10 +"12..13" +]',
            "xml": "+<trunk-vlans>10</trunk-vlans> +<trunk-vlans>12..13</trunk-vlans>",
        },
    ),
    "another mode": (
        port("2", "mode", Mode.ACCESS),
        {
            "sheet": "-mode: trunk +mode: access",
            "json": '-"interface-mode": "TRUNK" +"interface-mode": "ACCESS"',
            "xml": "-<interface-mode>TRUNK</interface-mode> "
            "+<interface-mode>ACCESS</interface-mode>",
        },
    ),
    "a mode that OpenConfig has not": (
        port("2", "mode", Mode.GENERAL),
        {
            "sheet": "-mode: trunk +mode: general",
            "json": "no mode of OpenConfig",
            "xml": "no mode of OpenConfig",
        },
    ),
    "a list no more": (
        unsaid("2", "allowed"),
        {"sheet": "-allowed: 10,20", "json": TAKEN, "xml": TAKEN},
    ),
    "another name": (
        lambda device: [named("a", device.vlans[20], "s & <p>")],  # type: ignore[index]
        {
            "sheet": "-20: seeds +20: s & <p>",
            "json": '-"name": "seeds" +"name": "s & <p>"',
            "xml": "-<name>seeds</name> +<name>s &amp; &lt;p&gt;</name>",
        },
    ),
    "a row suspended": (
        lambda device: [of_row("a", device.vlans[20], "active", False)],  # type: ignore[index]
        {"sheet": "-20: seeds +20: seeds; suspended", "json": NO_MEMBER, "xml": NO_MEMBER},
    ),
    "a row more": (
        new_row(15, "ferns"),
        {
            "sheet": "+15: ferns",
            "json": '+{ +"vlan-id": 15 +"config": { +"vlan-id": 15 +"name": "ferns" +} +}',
            "xml": "+<vlan> +<vlan-id>15</vlan-id> +<config> +<vlan-id>15</vlan-id> "
            "+<name>ferns</name> +</config> +</vlan>",
        },
    ),
    "a row less": (
        lambda device: row_gone(device, 20),
        {
            "sheet": "-20: seeds",
            "json": '-{ -"vlan-id": 20 -"config": { -"vlan-id": 20 -"name": "seeds" -} -}',
            "xml": "-<vlan> -<vlan-id>20</vlan-id> -<config> -<vlan-id>20</vlan-id> "
            "-<name>seeds</name> -</config> -</vlan>",
        },
    ),
    "a gateway off": (
        gateway_state(10, False),
        {
            "sheet": "-state: on +state: off",
            "json": '-"enabled": true +"enabled": false',
            "xml": "-<enabled>true</enabled> +<enabled>false</enabled>",
        },
    ),
    "a gateway off of which nothing was said": (
        gateway_state(20, False),
        {"sheet": "+state: off", "json": NO_MEMBER, "xml": NO_MEMBER},
    ),
    "other addresses": (
        addresses(10, "10.10.1.1/23", "fd00:10::1/64"),
        {
            "sheet": "-address: 10.10.0.1/24, fd00:10::1/64 +address: 10.10.1.1/23, fd00:10::1/64",
            "json": '-"ip": "10.10.0.1" -"ip": "10.10.0.1" -"prefix-length": 24 '
            '+"ip": "10.10.1.1" +"ip": "10.10.1.1" +"prefix-length": 23',
            "xml": "not written into OpenConfig",
        },
    ),
    "fewer addresses": (
        addresses(10, "10.10.0.1/24"),
        {
            "sheet": "-address: 10.10.0.1/24, fd00:10::1/64 +address: 10.10.0.1/24",
            "json": "another number of addresses",
            "xml": "not written into OpenConfig",
        },
    ),
    "no addresses": (
        addresses(20),
        {
            "sheet": "-address: 10.20.0.1/24",
            "json": "another number of addresses",
            "xml": "not written into OpenConfig",
        },
    ),
    "another address of a port": (
        lambda device: [_of_port_3(device, "10.9.0.5/30")],
        {
            "sheet": "-address: 10.9.0.1/30 +address: 10.9.0.5/30",
            "json": "not written into OpenConfig",
            "xml": "not written into OpenConfig",
        },
    ),
    "no address of a port": (
        lambda device: [_of_port_3(device)],
        {
            "sheet": "-address: 10.9.0.1/30",
            "json": "not written into OpenConfig",
            "xml": "not written into OpenConfig",
        },
    ),
    "a gateway more": (
        new_gateway(30, "10.30.0.1/24"),
        {
            "sheet": "+[gateway 30] +address: 10.30.0.1/24",
            "json": '+{ +"name": "vlan-30" +"config": { +"name": "vlan-30" '
            '+"type": "iana-if-type:l3ipvlan" +} +"openconfig-vlan:routed-vlan": { '
            '+"config": { +"vlan": 30 +} +"openconfig-if-ip:ipv4": { +"addresses": { '
            '+"address": [ +{ +"ip": "10.30.0.1" +"config": { +"ip": "10.30.0.1" '
            '+"prefix-length": 24 +} +} +] +} +} +} +}',
            "xml": "+<interface> +<name>vlan-30</name> +<config> +<name>vlan-30</name> "
            "+<type>iana-if-type:l3ipvlan</type> +</config> "
            '+<routed-vlan xmlns="http://openconfig.net/yang/vlan"> +<config> '
            "+<vlan>30</vlan> +</config> "
            '+<ipv4 xmlns="http://openconfig.net/yang/interfaces/ip"> +<addresses> +<address> '
            "+<ip>10.30.0.1</ip> +<config> +<ip>10.30.0.1</ip> "
            "+<prefix-length>24</prefix-length> +</config> +</address> +</addresses> +</ipv4> "
            "+</routed-vlan> +</interface>",
        },
    ),
    "a gateway less": (
        gateway_gone(20),
        {"sheet": "-[gateway 20] -address: 10.20.0.1/24", "json": "", "xml": ""},
    ),
    "a voice VLAN": (
        port("1", "voice_vlan", 20),
        {
            "sheet": "+voice: 20",
            "json": "not written into OpenConfig",
            "xml": "not written into OpenConfig",
        },
    ),
}


def _changes(before: str, after: str) -> Counter[str]:
    """The lines that go (-) and come (+). Commas of JSON and where lines stand do not count."""
    was, now = (
        Counter(line.strip().rstrip(",") for line in text.split("\n") if line.strip())
        for text in (before, after)
    )
    return Counter({f"-{line}": number for line, number in (was - now).items()}) + Counter(
        {f"+{line}": number for line, number in (now - was).items()}
    )


@pytest.mark.parametrize("form", FORMS)
@pytest.mark.parametrize("case", CASES)
def test_an_edit_in_a_form(case: str, form: str) -> None:
    make, expected = CASES[case]
    text, read, rewrite = FORMS[form]
    device = read(text)
    campus = Campus(devices={"a": device})
    edits = make(device)
    tried = apply(campus, edits)
    says = expected[form]
    if says and says[0] not in "+-":
        with pytest.raises(CannotWrite, match=says):
            rewrite(text, tried.devices["a"], edits)
        return
    written = rewrite(text, tried.devices["a"], edits)
    assert difference(tried, Campus(devices={"a": read(written)})) == []
    changed = _changes(text, written)
    if says:
        wanted: Counter[str] = Counter()
        for piece in says.replace(" +", "\n+").replace(" -", "\n-").split("\n"):
            wanted[piece] += 1
        assert changed == wanted
    else:  # a whole block goes, and nothing else
        assert changed and all(line.startswith("-") for line in changed)


ODD = [
    # (what of the XML is laid out otherwise; the edit; what is said)
    (
        "        </vlan>\n      </vlans>",
        "</vlan>\n</vlans>",
        "row",
        "does not open what another line",
    ),
    ("10</trunk-vlans>\n", "10</trunk-vlans> ", "list", "is not one element with a text"),
    ("10</trunk-vlans>", "10</trunk-vlans>\n<!-- seeds -->", "list", "do not stand line by line"),
    ("<access-vlan>10<", "<access-vlan>\n10\n<", "vlan", "is not one element with a text"),
]


@pytest.mark.parametrize(("before", "after", "what", "says"), ODD)
def test_xml_that_does_not_stand_line_by_line_is_left_alone(
    before: str, after: str, what: str, says: str
) -> None:
    """It is read all the same."""
    text, read, rewrite = FORMS["xml"]
    assert before in text
    text = text.replace(before, after)
    device = read(text)
    edits = {
        "row": row_gone(device, 20),
        "list": port("2", "allowed", VlanSet.of(10, 30))(device),
        "vlan": port("1", "access_vlan", 30)(device),
    }
    with pytest.raises(CannotWrite, match=says):
        rewrite(text, device, edits[what])
