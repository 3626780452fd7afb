"""Edits in texts of dialects: the text as somebody would have changed it who knows the language
from its lines alone, and read back, the switch that was meant.
"""

from __future__ import annotations

from collections.abc import Callable
from ipaddress import ip_interface
from typing import Any

import pytest

from inkov.campus import Campus, Device, Fact, Gateway, Origin, Vlan
from inkov.edits import Edit, Kind, apply
from inkov.edits.make import active, gateways_in, named, of_port, row_gone
from inkov.readers.dialects import compile_dialect, read_text
from inkov.readers.dialects.rewrite import rewriter
from inkov.readers.dialects.writing import writings
from inkov.readers.rewriting import CannotWrite
from inkov.vlanset import VlanSet
from tests.readers.test_rewrite import Make

HERE = Origin("x", 1)

INDENTED = """
dialect = "bower"
recognise = ["bower {name}"]
[text]
comment = ["%"]
negation = ["sans"]
[lists]
ranges = ["to"]
[defaults]
allowed = "none"
native = "none"
[device.says]
"bower {name}" = "name = {name}"
[vlan]
opens = ["bed {vids}"]
[vlan.says]
"called {name}" = "name = {name}"
"fallow" = "state = suspended"
[port]
opens = ["gate {ports}"]
[port.says]
"for {text}" = "about = {text}"
"grows {vlan}" = "mode = access; vlan = {vlan}"
"climbs {vids}" = "mode = trunk; allowed = {vids}"
"climbs too {vids}" = "allowed + {vids}"
"shut" = "state = off"
[gateway]
opens = ["well {vid}"]
[gateway.says]
"draws {address}" = "address = {address}"
"""
BOWER = """\
bower b
% planted in May
bed 10
  called climate
bed 20
  called pumps
  fallow
gate 1 to 3
  grows 10
gate 4
  for pumps
  grows 20  % at last
gate 6
  grows climate
gate 7
  climbs 10, 20
  climbs too 90
gate 8, 9
  shut
well 10
  draws 10.10.0.1/24
"""

BRACED = """
dialect = "pergola"
recognise = ["pergola {name}"]
[text]
shape = "braced"
statement-end = ";"
[defaults]
allowed = "none"
[device.says]
"pergola {name}" = "name = {name}"
[vlan]
opens = ["vine {name}"]
[vlan.says]
"row {vid}" = "vid = {vid}"
[port]
opens = ["post {port}"]
[port.says]
"holds {vlan}" = "mode = access; vlan = {vlan}"
"bears {vids}" = "mode = trunk; allowed = {vids}"
"rotten {yes}" = "state = not {yes}"
"""
PERGOLA = """\
pergola p;
vine climate { row 10; }
vine pumps {
    row 20;
}
post a1 {
    holds climate;
    rotten no;
}
post a2 {
    bears [ 10 20 ];
}
"""

FLAT = """
dialect = "hedge"
recognise = ["hedge name {name}"]
[text]
shape = "flat"
spaces = ":="
[defaults]
mode = "general"
pvid = "none"
[device.says]
"hedge name {name}" = "name = {name}"
[vlan]
opens = ["hedge lane {vlan}"]
[vlan.says]
"number {vid}" = "vid = {vid}"
"bare {ports}" = "on ports {ports}: untagged + {vlan}; pvid = {vlan}"
"marked {ports}" = "on ports {ports}: tagged + {vlan}"
[port]
opens = ["hedge gap {port}"]
[port.says]
"shut" = "state = off"
"""
HEDGE = """\
hedge: name = h
hedge: lane: climate: number = 10
hedge: lane: climate: bare = 1-2
hedge: lane: climate: marked = 9
hedge: lane: pumps: number = 20
hedge: lane: pumps: bare = 3
hedge: gap: 3: shut
"""


def port(name: str, attribute: str, value: Any) -> Make:
    return lambda device: [of_port(device.name, device.ports[name], attribute, value)]


def row(vid: int, name: str) -> Make:
    return lambda device: [
        Edit(device.name, Kind.VLAN, str(vid), "", None, Vlan(vid, HERE, Fact(name, HERE)))
    ]


def unnamed(vid: int) -> Make:
    return lambda device: [Edit(device.name, Kind.VLAN, str(vid), "", None, Vlan(vid, HERE))]


def gateway(vid: int, address: str) -> Make:
    def make(device: Device) -> list[Edit]:
        new = Fact(ip_interface(address), HERE)
        for name, own in gateways_in(device, vid):
            return [Edit(device.name, Kind.GATEWAY, name, "addresses", own.addresses, (new,))]
        made = Gateway(vid, HERE, addresses=(new,))
        return [Edit(device.name, Kind.GATEWAY, f"VLAN {vid}", "", None, made)]

    return make


def both(*makes: Make) -> Make:
    return lambda device: [edit for make in makes for edit in make(device)]


def rewritten(dialect: str, text: str, make: Callable[[Device], list[Edit]]) -> str:
    compiled = compile_dialect("d.toml", dialect.encode())
    [device] = read_text(compiled, "x", text.encode()).part.devices
    edits = make(device)
    wanted = apply(Campus(devices={device.name: device}), edits).devices[device.name]
    return rewriter(compiled, [text])(text, wanted, edits)


@pytest.mark.parametrize(
    ("dialect", "text", "make", "old", "new"),
    [
        # A list: the line that says it last, in the same style; comments stay.
        (
            INDENTED,
            BOWER,
            port("7", "allowed", VlanSet.parse("10,20,61,90")),
            "  climbs too 90\n",
            "  climbs too 61,90\n",
        ),
        (
            INDENTED,
            BOWER,
            port("7", "allowed", VlanSet.parse("10,90")),
            "  climbs 10, 20\n",
            "  climbs 10\n",
        ),
        # Two neighbours are two, three are a range.
        *(
            (
                INDENTED,
                BOWER,
                port("7", "allowed", VlanSet.parse(f"10,20,61-{last},90")),
                "  climbs too 90\n",
                f"  climbs too {more},90\n",
            )
            for last, more in ((62, "61,62"), (63, "61 to 63"))
        ),
        (INDENTED, BOWER, port("4", "access_vlan", 10), "grows 20  % at", "grows 10  % at"),
        # A port of a block about several gets a block of its own, behind.
        (
            INDENTED,
            BOWER,
            port("2", "access_vlan", 20),
            "gate 4\n",
            "gate 2\n  grows 20\ngate 4\n",
        ),
        (INDENTED, BOWER, port("9", "enabled", True), "well", "gate 9\n  sans shut\nwell"),
        (INDENTED, BOWER, port("4", "enabled", False), "  % at last\n", "  % at last\n  shut\n"),
        # Rows: in the order of their numbers, as their neighbours are written.
        (INDENTED, BOWER, row(15, "seedlings"), "bed 20", "bed 15\n  called seedlings\nbed 20"),
        (INDENTED, BOWER, lambda d: active(d, d.vlans[20]), "  fallow\n", ""),
        # A name stands wherever the VLAN is called by it.
        (
            INDENTED,
            BOWER.replace("pumps", "water"),
            lambda d: [named(d.name, d.vlans[10], "fog")],
            "climate",
            "fog",
        ),
        (
            INDENTED,
            BOWER.replace("gate 1 to 3", "bed 61\n  called s\ngate 1 to 3"),
            gateway(61, "10.61.0.1/24"),
            "  draws 10.10.0.1/24\n",
            "  draws 10.10.0.1/24\nwell 61\n  draws 10.61.0.1/24\n",
        ),
        (INDENTED, BOWER, gateway(10, "10.10.0.9/24"), "10.10.0.1", "10.10.0.9"),
        # Braces and what ends a statement are kept.
        (
            BRACED,
            PERGOLA,
            port("a2", "allowed", VlanSet.parse("10,20,30-40")),
            "[ 10 20 ]",
            "[ 10 20 30-40 ]",
        ),
        (BRACED, PERGOLA, port("a1", "enabled", False), "rotten no;", "rotten yes;"),
        # A port that has no block gets one, opened and closed as others are.
        (
            BRACED.replace(
                "[vlan]", '"posts {ports} stand" = "on ports {ports}: state = on"\n[vlan]'
            ),
            f"{PERGOLA}posts a1,a2,a3 stand;\n",
            port("a3", "access_vlan", 10),
            "posts a1",
            "post a3 {\n    holds climate;\n}\nposts a1",
        ),
        (
            BRACED,
            PERGOLA,
            row(61, "seedlings"),
            "post a1",
            "vine seedlings {\n    row 61;\n}\npost a1",
        ),
        (BRACED, PERGOLA, lambda d: row_gone(d, 20), "vine pumps {\n    row 20;\n}\n", ""),
        # A list of VLANs that are there grows and shrinks.
        *(
            (
                INDENTED.replace("[vlan]", '"lawn {vids}" = "on vlans {vids}: is there"\n[vlan]'),
                f"{text}lawn 30 to 34\n",
                make,
                "lawn 30 to 34",
                f"lawn {becomes}",
            )
            for text, make, becomes in (
                (BOWER, lambda d: row_gone(d, 33), "30 to 32,34"),
                ("bower b\ngate 1\n  shut\n", unnamed(40), "30 to 34,40"),
            )
        ),
        # What marks the words of a path is kept; membership is said at the VLAN.
        (
            FLAT,
            HEDGE,
            port("9", "tagged", VlanSet.parse("10,20")),
            "bare = 3\n",
            "bare = 3\nhedge: lane: pumps: marked = 9\n",
        ),
        (
            FLAT,
            HEDGE,
            both(port("2", "pvid", 20), port("2", "untagged", VlanSet.of(20))),
            "bare = 1-2\nhedge: lane: climate: marked = 9\nhedge: lane: pumps: number = 20\n"
            "hedge: lane: pumps: bare = 3\n",
            "bare = 1\nhedge: lane: climate: marked = 9\nhedge: lane: pumps: number = 20\n"
            "hedge: lane: pumps: bare = 3,2\n",
        ),
        (FLAT, HEDGE, port("3", "enabled", True), "hedge: gap: 3: shut\n", ""),
        (FLAT, HEDGE, port("1", "enabled", False), "3: shut\n", "3: shut\nhedge: gap: 1: shut\n"),
        (FLAT, HEDGE, row(61, "s"), "hedge: gap", "hedge: lane: s: number = 61\nhedge: gap"),
    ],
)
def test_said_as_the_text_says_such_things(
    dialect: str, text: str, make: Make, old: str, new: str
) -> None:
    assert rewritten(dialect, text, make) == text.replace(old, new)
    windows = rewritten(dialect, text.replace("\n", "\r\n"), make)
    assert windows == text.replace(old, new).replace("\n", "\r\n")


@pytest.mark.parametrize(
    ("make", "says"),
    [
        (port("4", "edge", True), "port 4, edge: no line of the texts shows how that is written"),
        (port("4", "voice_vlan", 10), "port 4, voice_vlan: no line"),
        # VLAN 20 is what its port grows: the row could go, and would be missed.
        (lambda d: [of_port(d.name, d.ports["1"], "mtu", 9000)], "port 1, mtu: no line"),
    ],
)
def test_what_no_line_shows_is_not_made_up(make: Make, says: str) -> None:
    with pytest.raises(CannotWrite) as error:
        rewritten(INDENTED, BOWER, make)
    assert says in str(error.value)


def test_what_a_line_says_of_two_vlans_does_not_go_with_one_of_them() -> None:
    text = BOWER.replace("  fallow\n", "").replace("gate 6", "bed 10, 20\n  fallow\ngate 6")
    with pytest.raises(CannotWrite, match="vlan 20, the whole of it: no line"):
        rewritten(INDENTED, text, lambda device: row_gone(device, 20))


def test_what_can_be_written_is_found_out_by_writing() -> None:
    """A line says that a port is at the brink, and none that it is not. All else goes both ways, or
    is a value among others.
    """
    text = INDENTED.replace('"shut" =', '"brink" = "edge = yes"\n"shut" =') + SHOWN
    tried = {one.what: one.done for one in writings(compile_dialect("d.toml", text.encode()))}
    assert tried == {
        "a new VLAN": True,
        "a VLAN that goes": True,
        "the name of a VLAN": True,
        "vlan": True,
        "allowed": True,
        "state": True,
        "edge": False,
    }


def test_a_vlan_that_its_name_opens_is_tried_with_a_name() -> None:
    example = f"\n[[example]]\ntext = '''\n{PERGOLA}'''\ngives = '''\nswitch: p\n'''\n"
    compiled = compile_dialect("d.toml", (BRACED + example).encode())
    assert {one.what: one.done for one in writings(compiled)}["a new VLAN"]


SHOWN = """
[[example]]
text = '''
bower b
bed 10
  called climate
bed 20
  called pumps
bed 30
  called beds
gate 1
  grows 10
  brink
gate 2
  grows 20
  shut
gate 9
  climbs 10,20
'''
gives = '''
switch: b
'''
"""
