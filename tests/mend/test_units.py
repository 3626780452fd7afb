"""Edits in units of networkd and in workbooks: the files as a person would have changed them, and
the campus that was meant.
"""

from __future__ import annotations

from pathlib import Path

import openpyxl
import pytest

from tests.conftest import Inkov

BRIDGE = "[NetDev]\nName=br0\nKind=bridge\n\n[Bridge]\nVLANFiltering=yes\nDefaultPVID=none\n"
PORT = (
    "[Match]\nName={}\n\n[Network]\nBridge=br0\n\n[BridgeVLAN]\nPVID={vid}\nEgressUntagged={vid}\n"
)
UPLINK = """[Match]
Name=eth0

[Network]
Bridge=br0

# what the uplink carries
[BridgeVLAN]
VLAN={}

[BridgeVLAN]
PVID=99
EgressUntagged=99
"""
CORE = """inkov sheet 1
switch: core
[vlans]
10: climate
11: beds
20: pumps
99: nobody
[port 1]
mode: trunk
native: 99
allowed: {}
[port 2]
vlan: 10
[port 3]
vlan: 20
[neighbours]
1: store:eth0
"""


def campus(folder: Path, listed: str, allowed: str, newline: str = "\n") -> dict[str, str]:
    """A server with a bridge behind a core, with VLANs 10 and 20 on both."""
    units = folder / "in" / "store" / "etc" / "systemd" / "network"
    units.mkdir(parents=True)
    (folder / "in" / "store" / "etc" / "hostname").write_text("store\n")
    texts = {
        "10-br.netdev": BRIDGE,
        "20-up.network": UPLINK.format(listed),
        "30-a.network": PORT.format("eth1", vid=10),
        "31-b.network": PORT.format("eth2", vid=20),
    }
    for name, text in texts.items():
        (units / name).write_bytes(text.replace("\n", newline).encode())
    (folder / "in" / "core.sheet").write_text(CORE.format(allowed))
    return texts


@pytest.mark.parametrize("newline", ["\n", "\r\n"])
@pytest.mark.parametrize(
    ("listed", "allowed", "old", "new"),
    [
        # VLAN 20 comes in a section of its own; 11, which nobody needs, leaves its range.
        (
            "10-11",
            "10,20,99",
            "VLAN=10-11\n\n[BridgeVLAN]\nPVID=99\nEgressUntagged=99\n",
            "VLAN=10\n\n[BridgeVLAN]\nPVID=99\nEgressUntagged=99\n\n[BridgeVLAN]\nVLAN=20\n",
        ),
        # A range that falls apart goes on in a section of its own.
        (
            "10-20",
            "10,20,99",
            "VLAN=10-20\n\n[BridgeVLAN]\nPVID=99\nEgressUntagged=99\n",
            "VLAN=10\n\n[BridgeVLAN]\nPVID=99\nEgressUntagged=99\n\n[BridgeVLAN]\nVLAN=12-20\n",
        ),
    ],
)
def test_units_are_written(
    inkov: Inkov, tmp_path: Path, listed: str, allowed: str, old: str, new: str, newline: str
) -> None:
    before = campus(tmp_path, listed, allowed, newline)
    assert inkov("mend", "in", "--rule", "allowed-differs", "--write", "out").status == 0
    written = [path for path in (tmp_path / "out").rglob("*") if path.is_file()]
    # It lies as it lay below what was read, and is all that changes.
    unit = Path("store") / "etc" / "systemd" / "network" / "20-up.network"
    assert written == [tmp_path / "out" / unit]
    expected = before["20-up.network"].replace(old, new).replace("\n", newline)
    assert written[0].read_bytes().decode() == expected
    (tmp_path / "in" / unit).write_bytes(written[0].read_bytes())
    assert "allowed-differs" not in inkov("audit", "in").out


def test_a_port_moves_in_its_unit(inkov: Inkov, tmp_path: Path) -> None:
    texts = campus(tmp_path, "10-20", "10,20,99")
    units = tmp_path / "in" / "store" / "etc" / "systemd" / "network"
    (units / "32-c.network").write_text(PORT.format("eth3", vid=20))  # VLAN 20 is needed still
    (tmp_path / "in" / "ports.csv").write_text("switch,port,vlan\nstore,eth2,10\n")
    assert inkov("mend", "in", "--rule", "port-against-plan", "--write", "out").status == 0
    [unit] = (tmp_path / "out").rglob("*.network")
    # What it was a member of goes with its section, what it becomes gets one.
    assert unit.name == "31-b.network" and "20" not in unit.read_text()
    (tmp_path / "in" / unit.relative_to(tmp_path / "out")).write_text(unit.read_text())
    assert "port-against-plan" not in inkov("audit", "in").out
    assert texts["31-b.network"].split("\n\n[BridgeVLAN]")[0] in unit.read_text()


def test_a_unit_for_several_interfaces_is_not_changed_for_one(inkov: Inkov, tmp_path: Path) -> None:
    campus(tmp_path, "10-20", "10,20,99")
    units = tmp_path / "in" / "store" / "etc" / "systemd" / "network"
    (units / "31-b.network").write_text(PORT.format("eth2 eth3", vid=20))
    (tmp_path / "in" / "ports.csv").write_text("switch,port,vlan\nstore,eth2,10\n")
    result = inkov("mend", "in", "--rule", "port-against-plan", "--write", "out")
    assert result.status == 1 and "31-b.network is for 2 interfaces" in result.err
    assert not (tmp_path / "out").exists()


def test_a_cell_of_a_workbook_is_written(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "in").mkdir()
    sheet = CORE.format("10,20,99").replace("[neighbours]\n1: store:eth0\n", "")
    (tmp_path / "in" / "core.sheet").write_text(sheet + "[gateway 10]\naddress: 10.10.0.1/24\n")
    book = openpyxl.Workbook()
    book.active.title = "plugs"
    book.active.append(["Host", "Switch", "Port", "Address", "Gateway", "Room"])
    book.active.append(["mist", "core", "2", "10.10.0.5/24", "10.10.0.9", "fern house"])
    book.create_sheet("notes").append(["asked by the water office"])
    book.save(tmp_path / "in" / "hosts.xlsx")
    rule = ("--rule", "host-gateway-wrong")
    diff = inkov("mend", "in", *rule, "--diff").out
    assert "-plugs!E2: 10.10.0.9\n+plugs!E2: 10.10.0.1\n" in diff
    assert inkov("mend", "in", *rule, "--write", "out").status == 0
    written = openpyxl.load_workbook(tmp_path / "out" / "hosts.xlsx")
    rows = [[cell.value for cell in row] for row in written["plugs"].iter_rows()]
    assert rows[1] == ["mist", "core", "2", "10.10.0.5/24", "10.10.0.1", "fern house"]
    assert written["notes"]["A1"].value == "asked by the water office"
