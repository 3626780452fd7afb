"""What is written reads back to the same forwarding: sheets for every kind of port, OpenConfig for
what it can say.
"""

from __future__ import annotations

import csv
import random
import shutil
from pathlib import Path

import pytest

from inkov.campus import Campus, Mode, PortKind
from inkov.levels import Level
from inkov.readers import load
from inkov.readers.defaults import by_the_standard
from inkov.readers.openconfig.writer import write_openconfig
from inkov.readers.sheets.writer import write_sheet
from tests.campuses import Listeners, listeners, random_campus
from tests.conftest import DEMO, Inkov, cases, run_inkov, share
from tests.readers.test_yang import validate, yang

__all__ = ["yang"]


def frames(campus: Campus) -> list[Listeners]:
    return [listeners(campus, level) for level in (Level.HONEST, Level.HOSTILE)]


def reread(folder: Path, campus: Campus, files: dict[str, str]) -> Campus:
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir()
    for name, text in files.items():
        (folder / name).write_text(text)
    with (folder / "cabling.csv").open("w", newline="") as file:
        rows = [(c.device, c.port, c.far_device, c.far_port) for c in campus.cables]
        csv.writer(file).writerows([("switch", "port", "far switch", "far port"), *rows])
    found = load([str(folder)]).campus
    assert not found.problems, found.problems
    gone = [h for h in campus.hosts if h.port not in campus.devices[h.device].ports]
    campus.hosts[:] = found.hosts = [host for host in campus.hosts if host not in gone]
    return found


CAMPUSES = cases("CONVERTED", 120)


def test_sheets_keep_the_forwarding_of_any_campus(tmp_path: Path) -> None:
    for seed in range(CAMPUSES // 2):
        campus = random_campus(random.Random(seed), 5)
        files = {f"{name}.sheet": write_sheet(device) for name, device in campus.devices.items()}
        assert frames(reread(tmp_path / "in", campus, files)) == frames(campus), seed


def test_openconfig_keeps_the_forwarding_of_what_it_can_say(tmp_path: Path) -> None:
    written = 0
    for seed in range(CAMPUSES):
        campus = random_campus(random.Random(seed), 5)
        for device in campus.devices.values():
            device.bridges.clear()
            for port in list(device.ports.values()):
                if port.kind is PortKind.SUB:
                    del device.ports[port.name]
                    continue
                mode = port.mode.value if port.mode else Mode.ACCESS
                port.mode = port.mode if mode in (Mode.ACCESS, Mode.TRUNK) else None
                port.voice_vlan = port.native_tagged = port.withheld = port.protected = (
                    port.registration
                ) = None
                port.negotiation = None
                if port.allowed is not None and not port.allowed.value:
                    port.allowed = None  # no model can say this
            for vlan in (device.vlans or {}).values():
                vlan.private = None
        files = {}
        for name, device in campus.devices.items():
            files[f"{name}.json"], lost = write_openconfig(device, [])
            assert lost == []
            written += 1
        assert frames(reread(tmp_path / "in", campus, files)) == frames(campus), seed
    assert written > CAMPUSES * 5 / 3


def test_what_openconfig_cannot_say_is_said() -> None:
    lost = [
        what
        for seed in range(30)
        for device in random_campus(random.Random(seed), 4).devices.values()
        for what in write_openconfig(device, [])[1]
    ]
    text = "\n".join(lost)
    words = (
        "negotiation, voice vlan, withheld, protected, registration, general ports, promiscuous"
        " ports, "
    )
    words += "private host ports, sub-interfaces, several bridges, private VLANs"
    for word in words.split(", "):
        assert word in text, word


def test_defaults_of_another_platform_are_stated() -> None:
    campus = load([str(DEMO / "garden" / "core-1.json")]).campus
    device = by_the_standard(campus.devices["core-1"])
    assert "native: none" in write_sheet(device)


LOST = {
    "sheet": {
        "port-against-plan",
        "sources-disagree",
        "ports-not-described",
        "acceptance-stale",
        "ranges-overlap",
        "list-replaced",
    }
}
"""Rules about what is not written: plans, second sources, what was overridden; and what a format
has no place for.
"""
LOST["openconfig"] = LOST["sheet"] | {
    "host-port-negotiates",
    "surplus-vlans",
    "edge-missing",
    "guard-missing",
    "distribution-no-origin",
    "distribution-unprotected",
}


@pytest.mark.parametrize("to", ["sheet", "openconfig"])
def test_the_converted_demo_is_the_same_campus(inkov: Inkov, to: str) -> None:
    result = inkov("convert", DEMO / "garden", "out", "--to", to)
    assert result.out.startswith("15 files written to out\n") and result.err == ""
    # What does not forward frames is all that is lost.
    lost = [line.rpartition(": ")[2] for line in result.out.splitlines()[1:]]
    assert set(lost) <= {
        "it is not written",
        "edge is not written",
        "bpdu guard is not written",
        "the models have no place for it",
        "filters are not written",
        "the models have no place for negotiation; the port is left out",
        "the models have no place for trunks without any VLAN; the port is left out",
    }
    assert (result.status, bool(lost)) == ((1, True) if to == "openconfig" else (0, False))
    for command in (
        ["audit"],
        ["hears", "core-1:port-13"],
        ["hears", "till-1"],
        ["follow", "freezer-1", "alarm-server"],
    ):
        before = run_inkov(*command, "garden", "-f", "json", cwd=DEMO).json
        after = inkov(*command, "out", "-f", "json").json
        if command == ["audit"]:
            said = [
                {(f["rule"], f["says"]) for f in part["findings"] if f["rule"] not in LOST[to]}
                for part in (before, after)
            ]
            assert said[0] == said[1]
        else:
            assert after.get("heard", after["from"]) == before.get("heard", before["from"])
            assert after.get("arrives") == before.get("arrives")
    again = inkov("convert", DEMO / "garden", "out", "--to", to)
    assert again.status == 2 and "--force" in again.err
    assert inkov("convert", DEMO / "garden", "out", "--to", to, "--force").status == result.status


def test_what_is_written_as_openconfig_is_valid(inkov: Inkov, tmp_path: Path, yang: Path) -> None:
    inkov("convert", DEMO / "garden", "out", "--to", "openconfig")
    files = sorted((tmp_path / "out").glob("*.json"))
    assert len(files) == 13
    for file in share(files):
        assert validate(file, yang, tmp_path) == ""


def test_no_name_leads_out_of_the_folder(inkov: Inkov, tmp_path: Path) -> None:
    for number, name in enumerate(("../../evil", "a/b", "A_b", "..")):
        (tmp_path / f"{number}.sheet").write_text(
            f'inkov sheet 1\nswitch: "{name}"\n[port 1]\nvlan: 10\n'
        )
    assert inkov("convert", *sorted(tmp_path.glob("*.sheet")), "deep/out").status == 0
    assert sorted(p.name for p in (tmp_path / "deep" / "out").iterdir()) == [
        "A_b.sheet",
        "_.._evil.sheet",
        "a_b-2.sheet",
        "switch.sheet",
    ]


def test_what_a_neighbour_tells_is_written_again(inkov: Inkov, tmp_path: Path) -> None:
    heard = (
        '[neighbours]\n1: core:1; known as "core-old"; pvid 10; vlans 10,20; "to the ferns"\n'
        "2: moss:4; pvid none\n3: reed:5\n"
    )
    (tmp_path / "in").mkdir()
    (tmp_path / "in" / "fern.sheet").write_text(
        f"inkov sheet 1\nswitch: fern\n[vlans]\n10: mist\n[port 1..3]\nvlan: 10\n{heard}"
    )
    assert inkov("convert", "in", "out", "--to", "sheet").status == 0
    [written] = (tmp_path / "out").iterdir()
    assert heard in written.read_text()


def test_what_openconfig_has_no_place_for(inkov: Inkov, tmp_path: Path) -> None:
    """Each thing is said; a port whose frames it would change is left out."""
    (tmp_path / "in").mkdir()
    (tmp_path / "in" / "fern.sheet").write_text(
        "inkov sheet 1\nswitch: fern\nknown as: fern-old, fern-new\n[vlans]\n10: mist\n"
        "[port 1]\nvlan: 10\nedge: yes\nspeed: 1000\n"
        "[port 2]\nmode: trunk\nnegotiation: active\n"
        "[port 3]\nmode: trunk\nallowed: 10\nwithheld: 10\n"
        "[port 4]\nvlan: 10\nvoice: 10\nprotected: yes\n"
        "[port 5]\nmode: trunk\nallowed: none\n[port 6]\nmode: routed\n"
        "[sub 6.10]\nof: 6\ntag: 10\n[port 7]\nunknown: whether it is on\n[port 8]\nvlan: 10\n"
        "[gateway 10]\naddress: 10.0.0.1/24\nvrf: beds\n[distribution]\nrole: off\n"
        "[tree]\nmode: rstp\n[filter slow]\n10: accept from any to any\n[bridge pond]\nports: 8\n"
        "[neighbours]\n1: core:1; pvid 10\n"
    )
    result = inkov("convert", "in", "out", "--to", "openconfig")
    assert result.status == 1
    left_out = {
        "2": "negotiation",
        "3": "withheld",
        "4": "voice vlan, protected",
        "5": "trunks without any VLAN",
        "6": "routed ports",
        "7": "what is not known of a port",
    }
    says = [
        f"{n}: the models have no place for {w}; the port is left out" for n, w in left_out.items()
    ]
    says += [
        "1: edge is not written",
        "1: speed is not written",
        "6.10: sub-interfaces are not written",
        "bridge pond: several bridges of a device are not written",
        "filter slow: filters are not written",
        "spanning tree: it is not written",
        "further names of the switch (fern-old, fern-new) are not written",
        "gateway VLAN 10: its routing table beds is not written",
        "distribution of VLANs: the models have no place for it",
        "1: the VLANs that its neighbour names are not written",
    ]
    lines = result.out.splitlines()[1:]
    for one in says:
        assert [line for line in lines if line.endswith(f"fern: {one}")], (one, lines)
    assert len(lines) == len(says)
