"""Whatever a configuration, a table, a plan or a file's name says comes out as text: every command,
in every format, with hostile names in every field.
"""

from __future__ import annotations

import csv
import io
import json
import os
import random
import re
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import pytest

from tests.cli.fuzz import Ground
from tests.conftest import Inkov, Result, cases

EVIL = "=\x1b[31m\x07\x9b0m\u202e\u2066\u2028\x85\r\n<b>|`[x](y)\x00\u200f"
"""Ends of lines, colours, a bell, a turned direction, a formula, markup."""
SWITCH, PORT, HOST = f"{EVIL}s", f"{EVIL}p", f"{EVIL}h"


def interface(name: str, mode: str, **more: Any) -> dict[str, Any]:
    vlan = {"access-vlan": 10} if mode == "ACCESS" else {"trunk-vlans": [10, 20], "native-vlan": 1}
    config = {"name": name, "type": "iana-if-type:ethernetCsmacd", "enabled": True, **more}
    return {
        "name": name,
        "config": {**config, "description": f"to {EVIL}"},
        "openconfig-if-ethernet:ethernet": {
            "openconfig-vlan:switched-vlan": {"config": {"interface-mode": mode, **vlan}}
        },
    }


def device(name: str) -> dict[str, Any]:
    vlans = [
        {"vlan-id": vid, "config": {"vlan-id": vid, "name": f"{EVIL}{vid}{name}"}}
        for vid in (10, 20)
    ]
    neighbour = {"system-name": f"{EVIL}far", "port-id": f"{EVIL}q"}
    return {
        "openconfig-system:system": {"config": {"hostname": name}},
        "openconfig-interfaces:interfaces": {
            "interface": [
                interface(PORT, "TRUNK"),
                interface(f"{PORT}2", "ACCESS"),
                interface(f"{PORT}3", "ACCESS", mtu=1400),
                interface("up", "TRUNK"),
            ]
        },
        "openconfig-network-instance:network-instances": {
            "network-instance": [
                {
                    "name": EVIL,
                    "config": {"name": EVIL, "type": "DEFAULT_INSTANCE"},
                    "vlans": {"vlan": vlans},
                }
            ]
        },
        "openconfig-lldp:lldp": {
            "interfaces": {
                "interface": [
                    {
                        "name": PORT,
                        "neighbors": {"neighbor": [{"id": "1", "state": neighbour}]},
                    }
                ]
            }
        },
        "openconfig-unheard-of:strange": {EVIL: EVIL},
    }


@pytest.fixture
def hostile(tmp_path: Path) -> Path:
    folder = tmp_path / "in"
    folder.mkdir()
    names = [SWITCH, f"{SWITCH}2"]
    for number, name in enumerate(names):
        (folder / f"{number}.json").write_text(json.dumps(device(name)))
    rows = [("host", "switch", "port", "address", "gateway", "vlan")]
    rows += [(HOST, SWITCH, f"{PORT}2", "10.0.0.5/24", "10.0.0.1", "")]
    cables = [("switch", "port", "far switch", "far port"), (SWITCH, "up", f"{SWITCH}2", "up")]
    cables += [(SWITCH, f"{PORT}3", f"{EVIL}nowhere", EVIL)]
    for file, table in (("hosts.csv", rows), ("cabling.csv", cables)):
        out = io.StringIO()
        csv.writer(out).writerows(table)
        (folder / file).write_bytes(out.getvalue().encode())
    said = {name: json.dumps(name) for name in (EVIL, HOST, f"{EVIL}nobody", f"about {EVIL}")}
    (folder / "plan.yaml").write_text(
        f"vlans:\n  10: {{name: {said[EVIL]}}}\nsegments:\n  {said[EVIL]}: [10]\nclaims:\n"
        f"  - {{isolate: [{said[EVIL]}, vlan 20], about: {said[f'about {EVIL}']}}}\n"
        f"  - join: [{said[EVIL]}]\n  - reach: [{said[HOST]}, {said[f'{EVIL}nobody']}]\n"
        f"accepted:\n  - {{rule: native-default, switch: {said[EVIL]}, because: {said[EVIL]}}}\n"
    )
    mean = json.dumps("\x1b]0;x\x07\u202e\x9b<i>|`")
    (folder / "c.sheet").write_text(
        f"inkov sheet 1\nswitch: {mean}\nknown as: {mean}\n[vlans]\n10: {mean}\n20: lamps\n"
        f"[distribution]\ndomain: {mean}\nrole: follower\n[port {mean}]\nvlan: 10\n[port r]\n"
        f"mode: routed\nvrf: {mean}\naddress: 10.9.0.1/24\n[bundle b]\nmembers: {mean}\n"
        f"[gateway 20]\naddress: 10.0.20.1/24\nvrf: {mean}\nfilter in: {mean}\n"
        f"[filter {mean}]\n10: reject from any to any\n[bridge {mean}]\nports: r\n"
    )
    bad_name = os.fsencode(folder) + b"/\x1b[31m\xff\nx.txt"
    Path(os.fsdecode(bad_name)).write_bytes(b"what \x1b[31m\xff\xfe is this\n")
    return folder


def seen(result: Result) -> None:
    """That there is nothing in what was written but text."""
    for text in (result.out, result.err):
        strange = {c for c in text if not c.isprintable() and c != "\n"}
        assert not strange, (strange, text[:300])
    assert "fault of Inkov" not in result.err, result.err


FORMS = ["table", "json", "csv", "markdown", "html"]
PAGE = {
    *("html", "head", "meta", "title", "style", "body", "p"),
    *("table", "thead", "tbody", "tr", "th", "td", "wbr"),
}
COMMANDS = [
    (["read"], FORMS),
    (["read", "--unmatched"], FORMS),
    (["read", "--trace", "0.json"], FORMS),
    (["read", "--trace", "c.sheet"], FORMS),
    (["vlans"], FORMS),
    (["ports", "--switch", SWITCH], FORMS),
    (["ports", "--matrix", "--switch", SWITCH], FORMS),
    (["links"], FORMS),
    (["trunks"], FORMS),
    (["trunks", "--because", f"{SWITCH}:{PORT}"], FORMS),
    (["audit", "--fail-on", "never"], [*FORMS, "sarif", "junit"]),
    (["audit", "--by", "switch"], ["table"]),
    (["prove"], [*FORMS, "sarif", "junit"]),
    (["prove", "--matrix", "--hosts"], FORMS),
    (["hears", f"{SWITCH}:{PORT}"], FORMS),
    (["follow", HOST, f"{SWITCH}2:{PORT}2"], FORMS),
    (["plan", "check"], ["table"]),
    (["audit", "--switch", EVIL], ["table"]),
    (["hears", f"{EVIL}:{EVIL}"], ["table"]),
]


@pytest.mark.parametrize(("command", "forms"), COMMANDS, ids=lambda v: " ".join(v)[:24].strip())
def test_hostile_names_come_out_as_text(
    command: list[str], forms: list[str], hostile: Path, inkov: Inkov
) -> None:
    for form in forms:
        chosen = [] if form == "table" else ["-f", form]
        where = ["in"] if command[0] not in ("hears", "follow") else []
        result = inkov(*command, *where, *(["in"] if not where else []), *chosen)
        seen(result)
        if form in ("json", "sarif") and result.out:
            json.loads(result.out)
        if form == "junit":
            ElementTree.fromstring(result.out)
        if form == "csv":
            for row in csv.reader(io.StringIO(result.out)):
                assert not [cell for cell in row if len(cell) > 1 and cell[0] in "=+-@"], row
        if form == "markdown":
            assert not re.search(r"(?<!\\)<b>|(?<!\\)\[x", result.out), result.out[:400]
        if form == "html":
            assert set(re.findall(r"<(\w+)", result.out)) <= PAGE, result.out[:400]


def test_what_is_written_from_hostile_names_is_read_again(hostile: Path, inkov: Inkov) -> None:
    for form in ("sheet", "openconfig"):
        seen(inkov("convert", "in", form, "--to", form))
        for written in (hostile.parent / form).iterdir():
            assert written.name.isprintable()
        seen(inkov("read", form))
    seen(inkov("prove", "in", "--certificate", "c.json"))
    assert (hostile.parent / "c.json").read_text().replace("\n", "").isprintable()
    seen(inkov("verify", "c.json", "in"))
    seen(inkov("dialect", "new", "in"))
    seen(inkov("dialect", "unmatched", "in"))


def test_colours_are_ours_alone(hostile: Path) -> None:
    from inkov.render.grid import Column, Grid
    from inkov.render.terminal import Screen, grid_text, indented

    screen = Screen(80, colour=True)
    grid = Grid([Column(EVIL), Column("b")], notes=[EVIL])
    grid.add(EVIL, "\x1b[2J", marked=(1,))
    for text in (grid_text(grid, screen), screen.render(indented(EVIL, 2, "bold"))):
        left = re.sub(r"\x1b\[[0-9;]*m", "", text)
        assert "\\x1b[31m" in left
        assert not {c for c in left if not c.isprintable() and c != "\n"}


@pytest.mark.parametrize(
    "about",
    [
        *("password hunter2", "Kennwort: hunter2", "mot de passe hunter2", "contraseña=hunter2"),
        *("пароль hunter2", "密码hunter2", "pass-phrase 'hunter2 x'", "WLAN-Schlüssel hunter2"),
        *("auth $6$salt$hunter2", "psk hunter2", "ask anna, her heslo hunter2"),
    ],
)
def test_secrets_in_descriptions_and_lines_reach_no_output(
    about: str, inkov: Inkov, tmp_path: Path
) -> None:
    """In every listing, and where a line is quoted since it was not understood; names are none."""
    sheet = f"inkov sheet 1\nswitch: key-1\n[vlans]\n10: secret-room\n[port 1]\nabout: {about}\n"
    (tmp_path / "a.sheet").write_text(f"{sheet}vlan: 10\n[port 2]\n{about}\nabout: trunk {about}\n")
    (tmp_path / "ports.csv").write_text("switch,port,description\nkey-1,1,till\n")
    (tmp_path / "plan.yaml").write_text("ports: ports.csv\n")
    for command in ("read", "vlans", "ports", "links", "trunks", "audit", "prove"):
        for form in ("table", "json", "csv", "markdown"):
            ran = inkov(command, ".", "-f", form)
            assert "hunter2" not in ran.out + ran.err, (command, form)
    assert "secret-room" in inkov("vlans", ".").out and "key-1" in inkov("ports", ".").out


def test_what_is_no_configuration_is_named_for_what_it_is(inkov: Inkov, tmp_path: Path) -> None:
    sheet = "inkov sheet 1\nswitch: {}\n[vlans]\n10: pumps\n[port 1]\nvlan: 10\n"
    (tmp_path / "a.sheet").write_bytes(sheet.format("a").replace("\n", "\r").encode())
    (tmp_path / "b.sheet").write_bytes(sheet.format("b").encode("utf-16"))
    (tmp_path / "c.sheet").write_bytes(sheet.format("c").encode("utf-32"))
    (tmp_path / "d.sheet").write_bytes(sheet.format("d").encode("utf-16-le"))
    (tmp_path / "e.json").write_text("<!DOCTYPE html>\n<html><body>Login</body></html>\n")
    (tmp_path / "f.url").write_text("[InternetShortcut]\nURL=https://a/config\n")
    ran = inkov("read", ".", "-f", "json")
    files = {f["file"]: (f["devices"], f["remark"]) for f in ran.json["read"]["files"]}
    assert [files[f"./{name}.sheet"] for name in "abc"] == [([n], "") for n in "abc"]
    assert "a text in UTF-16 without a byte order mark" in files["./d.sheet"][1]
    assert "a web page" in files["./e.json"][1] and "the address of a page" in files["./f.url"][1]
    assert ran.status == 2 and ran.err.count("\n") == 3
    there = inkov("audit", "https://a/config")
    assert (there.status, there.err.count("\n")) == (2, 1) and "is an address" in there.err


def test_whatever_the_program_is_given_it_ends_by_itself(tmp_path: Path) -> None:
    ground = Ground(tmp_path)
    for number in range(cases("ATTACKS", 150)):
        ground.attack(random.Random(f"attack {number}"))
