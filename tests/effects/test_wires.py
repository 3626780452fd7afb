"""Somebody on the wire of a link that goes, or comes, while its ports stay."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.conftest import Inkov

TRUNK = "[port 9]\nmode: trunk\nallowed: 10\n"
BUNDLE = "[port 9]\n[bundle b9]\nmembers: 9\nmode: trunk\nallowed: 10\n"
SUB = TRUNK + "[sub 9.10]\nof: 9\ntag: 10\nmode: access\nvlan: 10\n"
HOST = "host,switch,port,vlan\nlamp,a,9,10\n"


def _campus(folder: Path, uplink: str, hosts: str, *, cabled: bool, heard: str = "") -> None:
    """Two switches, cabled 9 to 9 or not; fish of VLAN 10 are at both. `heard` stands where
    the reports of a are.
    """
    folder.mkdir()
    for name in ("a", "b"):
        fish = "[port 1]\nmode: access\nvlan: 10\n"
        sheet = f"inkov sheet 1\nswitch: {name}\n[vlans]\n10: fish\n{uplink}{fish}"
        far = "b" if name == "a" else "a"
        links = f"9: {far}:9\n" if cabled else ""
        links += heard if name == "a" else ""
        neighbours = f"[neighbours]\n{links}" if links else ""
        (folder / f"{name}.sheet").write_text(sheet + neighbours)
    if hosts:
        (folder / "hosts.csv").write_text(hosts)


@pytest.mark.parametrize(
    ("uplink", "hosts", "heard", "who"),
    [
        (TRUNK, HOST, "", "lamp at a:9"),
        (BUNDLE, HOST, "", "lamp at a:9"),
        (SUB, "host,switch,port\nlamp,a,9.10\n", "", "lamp at a:9.10"),
        (TRUNK, "", "9: hut:1\n", "hut at a:9"),
        # Nobody but the switches is on it: all that changes is told port by port.
        (TRUNK, "", "", ""),
        # At a port of its own, whatever becomes of the link.
        (TRUNK, "host,switch,port\nlamp,b,1\n", "", ""),
    ],
)
def test_whose_wire_leads_elsewhere_is_told_and_refused(
    inkov: Inkov, tmp_path: Path, uplink: str, hosts: str, heard: str, who: str
) -> None:
    """The lamp on the cable between the switches hears the fish of both. Without the cable it hears
    those of a; but the ports are what they were, so no pair of ports says so. What the fish lose is
    told as ever.
    """
    far = "b:b9" if uplink == BUNDLE else "b:9"
    for side, cabled in (("joined", True), ("apart", False)):
        _campus(tmp_path / side, uplink, hosts, cabled=cabled, heard=heard)
    for old, new, leads in (("joined", "apart", "no more"), ("apart", "joined", "now")):
        compared = inkov("compare", old, new, "--fail-on", "never", "-f", "json").json
        told = [says for says in compared["undecided"] if "wire" in says]
        expected = f"what {who} gains or loses is not worked out: its wire leads to {far} {leads}"
        assert told == ([expected] if who else [])
        refused = [refusal["says"] for refusal in compared["because"]]
        assert (expected in refused) is bool(who)
        (fish,) = (
            row
            for row in compared["gained" if leads == "now" else "lost"]
            if row["level"] == "honest" and "b:1" in row["to"]["ports"]
        )
        assert "a:1" in fish["from"]["ports"] and fish["both_ways"]
        text = inkov("compare", old, new, "--fail-on", "never").out
        assert ("and not all of it is known" in text) is bool(who)
    _campus(tmp_path / "again", uplink, hosts, cabled=True, heard=heard)
    same = inkov("compare", "joined", "again", "-f", "json").json
    assert same["undecided"] == [] and same["because"] == []


def test_somebody_on_a_wire_may_be_called_otherwise_after_a_change(
    inkov: Inkov, tmp_path: Path
) -> None:
    for side, cabled, name in (("joined", True, "hut"), ("apart", False, "HUT.garden")):
        _campus(tmp_path / side, TRUNK, "", cabled=cabled, heard=f"9: {name}:1\n")
    told = inkov("compare", "joined", "apart", "-f", "json").json["undecided"]
    assert told == [
        "what HUT.garden at a:9 gains or loses is not worked out: its wire leads to b:9 no more"
    ]
