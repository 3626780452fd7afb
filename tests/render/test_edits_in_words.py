"""What a change of a file is called: from two sheets to the rows of the comparison."""

from __future__ import annotations

import csv
import io
from pathlib import Path

import pytest

from inkov.edits import difference
from inkov.readers import load
from inkov.render.edits import change_in_words
from tests.conftest import Inkov

HEAD = "inkov sheet 1\nswitch: a\n[vlans]\n10: ferns\n20: beds\n"
FILTER = "[gateway 10]\naddress: 10.0.10.1/24\nfilter in: keep\n[filter keep]\n"


def told(inkov: Inkov, folder: Path, *asked: str) -> list[tuple[str, str]]:
    """What and how of the edits."""
    out = inkov("compare", folder / "old", folder / "new", "-f", "csv", "-q", *asked).out
    kept = [row for row in csv.DictReader(io.StringIO(out)) if row["kind"] == "edit"]
    return [(row["what"], row["how"].lstrip("'")) for row in kept]


@pytest.mark.parametrize(
    ("old", "new", "expected"),
    [
        ("[port 1]\nvlan: 10\n", "[port 1]\nvlan: 20\n", [("a:1", "access VLAN 10 -> 20")]),
        (
            "[port 1]\nmode: trunk\nallowed: 10,20\n",
            "[port 1]\nmode: trunk\nallowed: 20,30-31\n",
            [("a:1", "allowed +30-31  -10")],
        ),
        (
            "[port 1]\nmode: trunk\nallowed: 10\n",
            "[port 1]\nmode: trunk\nallowed: 10,20\n",
            [("a:1", "allowed +20")],
        ),
        (
            "[port 1]\nmtu: 1500\nguard: root\n",
            "[port 1]\nmtu: 9000\n",
            [("a:1", "guard root -> not stated"), ("a:1", "MTU 1500 -> 9000")],
        ),
        ("[port 1]\nedge: yes\n", "[port 1]\nedge: no\n", [("a:1", "edge yes -> no")]),
        ("[port 1]\npvid: 10\n", "[port 1]\npvid: none\n", [("a:1", "PVID 10 -> none")]),
        ("", "[vlans]\n30: fog\n40:\n", [("a VLAN 30", "new: fog"), ("a VLAN 40", "new")]),
        ("[vlans]\n30: fog\n", "", [("a VLAN 30", "gone: fog")]),
        (
            "[port 1]\nvlan: 10\n",
            "[port 1]\nvlan: 10\n[port 2]\nstate: off\nvlan: 20\n",
            [("a:2", "new: shut")],
        ),
        (
            "[port 1]\nvlan: 10\n",
            "[port 1]\nvlan: 10\n[port 2]\nabout: the pond\nmode: access\nvlan: 20\n"
            "voice: 10\nmtu: 1500\nedge: yes\n",
            [
                (
                    "a:2",
                    "new: description the pond, mode access, access vlan 20, voice vlan 10, "
                    "and 2 more",
                )
            ],
        ),
        (
            "[port 1]\nvlan: 10\n",
            "[port 1]\nvlan: 10\n[port 2]\nmode: access\nvlan: 20\nmtu: 1500\nedge: yes\n",
            [("a:2", "new: mode access, access vlan 20, edge yes, mtu 1500")],
        ),
        (
            "[gateway 10]\naddress: 10.0.10.1/24\n",
            "[gateway 10]\naddress: 10.0.10.2/24, fd00:10::2/64\n",
            [("a gateway VLAN 10", "addresses 10.0.10.1/24 -> 10.0.10.2/24, fd00:10::2/64")],
        ),
        (
            "[gateway 10]\naddress: 10.0.10.1/24\n",
            "[gateway 10]\n",
            [("a gateway VLAN 10", "addresses 10.0.10.1/24 -> none")],
        ),
        (
            "",
            "[gateway 10]\naddress: 10.0.10.1/24\n",
            [("a gateway VLAN 10", "new: addresses 10.0.10.1/24")],
        ),
        (
            f"{FILTER}10: accept from any to any\n",
            f"{FILTER}10: reject from 10.0.20.0/24 to any\n20: accept from any to any\n",
            [("a filter keep", "entries +(stops 10.0.20.0/24 to any)")],
        ),
        (
            f"{FILTER}10: accept from any to 10.0.20.0/24\n",
            f"{FILTER}10: accept from any to 10.0.30.0/24 in part\n",
            [
                (
                    "a filter keep",
                    "entries +(passes some of any to 10.0.30.0/24)  -(passes any to 10.0.20.0/24)",
                )
            ],
        ),
        (
            f"{FILTER}10: accept from any to 10.0.20.0/24\n20: reject from any to any\n",
            f"{FILTER}10: reject from any to any\n20: accept from any to 10.0.20.0/24\n",
            [("a filter keep", "entries in another order")],
        ),
    ],
)
def test_an_edit_in_words(
    inkov: Inkov, tmp_path: Path, old: str, new: str, expected: list[tuple[str, str]]
) -> None:
    for side, text in (("old", old), ("new", new)):
        (tmp_path / side).mkdir()
        (tmp_path / side / "a.sheet").write_text(HEAD + text)
    assert sorted(told(inkov, tmp_path)) == sorted(expected)


def test_what_holds_where_nothing_is_stated(inkov: Inkov, tmp_path: Path) -> None:
    """In full with whose default it is; in short where many stand below each other."""
    campuses = []
    for side, line in (("old", "mode: access\nvlan: 10\n"), ("new", "vlan: 10\n")):
        (tmp_path / side).mkdir()
        text = f"inkov sheet 1\nswitch: a\n[vlans]\n10: ferns\n[port 1]\n{line}"
        (tmp_path / side / "a.sheet").write_text(text)
        campuses.append(load([str(tmp_path / side)]).campus)
    [edit] = difference(campuses[0], campuses[1])
    default = "access by default", "access (not stated: as of IEEE 802.1Q)"
    for short, says in zip((True, False), default, strict=True):
        assert change_in_words(edit, short=short) == f"access -> {says}"


def test_a_switch_a_cable_and_a_host_that_come(inkov: Inkov, tmp_path: Path) -> None:
    for side in ("old", "new"):
        (tmp_path / side).mkdir()
        (tmp_path / side / "a.sheet").write_text(HEAD + "[port 1..2]\nvlan: 10\n")
    new = tmp_path / "new"
    (new / "b.sheet").write_text("inkov sheet 1\nswitch: b\n[port 1..3]\nvlan: 10\n")
    (new / "cabling.csv").write_text("switch,port,far switch,far port\na,2,b,3\n")
    (new / "hosts.csv").write_text("host,switch,port,address\nfog,a,1,10.0.10.9/24\n")
    edits = told(inkov, tmp_path)
    assert ("b", "new: 3 ports") in edits
    assert ("cable a:2 - b:3", "new") in edits
    assert any(what == "host fog" and how.startswith("new") for what, how in edits)
