"""From the file to the last frame: random campuses are written in every format, read back by the
program, and only then held against the naive simulator, which knows what was meant.
"""

from __future__ import annotations

import random
from pathlib import Path
from typing import Any

import pytest

from inkov.campus import Campus, Mode
from inkov.forwarding import resolve
from inkov.levels import Level
from inkov.readers import load
from inkov.wiring import wire
from tests.campuses import VIDS, random_campus
from tests.conftest import Inkov, cases
from tests.forwarding.heard import engine_hears
from tests.simulator import UNTAGGED, Simulator
from tests.written import in_files

CAMPUSES = cases("FILES", 240)
PARTS = 8
TAGS = {*VIDS, 4094}
KNOWN = {*TAGS, UNTAGGED}


def written(rng: random.Random, folder: Path) -> Campus:
    """A random campus, as files in a folder."""
    campus = random_campus(rng, 6)
    in_files(rng, campus, folder)
    return campus


def disagreements(read: Campus, meant: Campus) -> list[str]:
    """Every port and level for which what was read does not do what was meant, in words."""
    fabric, simulator = resolve(read, wire(read)), Simulator(meant)
    found = []
    seen = set()
    for port in fabric.bridge_ports:
        place = (port.end.device, port.port)
        seen.add(place)
        if fabric.bridges[port.bridge].routed or fabric.is_implied(port):
            continue
        for level in (Level.HONEST, Level.HOSTILE):
            engine = engine_hears(fabric, port, level, TAGS)
            naive = simulator.flood(place, level == Level.HOSTILE, TAGS)
            naive = {heard for heard in naive if heard.vid in KNOWN}
            if engine != naive:
                more, less = sorted(engine - naive)[:3], sorted(naive - engine)[:3]
                found.append(f"{place} {level}: read only {more}, meant only {less}")
    lost = {
        (device.name, name)
        for device in meant.devices.values()
        for name in device.ports
        if simulator.is_up((device.name, name))
    } - seen
    return [*found, *(f"{place} is lost" for place in sorted(lost))]


@pytest.mark.parametrize("part", range(PARTS))
def test_what_is_read_does_what_was_meant(part: int, tmp_path: Path) -> None:
    for seed in range(part, CAMPUSES, PARTS):
        meant = written(random.Random(f"files {seed}"), tmp_path / "c")
        loaded = load([str(tmp_path / "c")], account=True)
        assert not loaded.campus.problems, (seed, loaded.campus.problems)
        unread = [(r.file, line.text) for r in loaded.reports for line in r.unmatched]
        assert not unread, (seed, unread)
        assert sorted(loaded.campus.devices) == sorted(meant.devices), seed
        assert disagreements(loaded.campus, meant) == [], seed


def test_the_program_says_what_the_simulator_hears(inkov: Inkov, tmp_path: Path) -> None:
    """The same by the program's own output, for a port of each of some campuses."""
    for seed in range(12):
        rng = random.Random(f"program {seed}")
        meant = written(rng, tmp_path / "c")
        simulator = Simulator(meant)
        places = [
            (device.name, port)
            for device in meant.devices.values()
            for port in device.ports
            if simulator.is_up((device.name, port)) and simulator.bridge((device.name, port)) == ""
        ]
        if not places:
            continue
        device, port = rng.choice(sorted(places))

        def number_of(place: dict[str, Any], meant: Campus = meant) -> int:
            mode = meant.devices[place["switch"]].ports[place["port"]].mode
            plain = mode is not None and mode.value is Mode.UNAWARE and not place["tagged"]
            return UNTAGGED if plain else place["vlan"]

        answer = inkov("hears", f"{device}:{port}", "c", "-f", "json")
        heard = {
            (place["switch"], place["port"], number_of(place), place["tagged"])
            # Where a port takes no frame at all, the program says so and answers nothing.
            for place in (answer.json["heard"] if answer.out else ())
            if place["vlan"] in KNOWN
        }
        meant_heard = simulator.flood((device, port), False, TAGS)
        assert heard == {tuple(h) for h in meant_heard if h.vid in KNOWN}, (seed, device, port)


def test_fm_3_9_a_frame_leaves_a_sub_interface_with_its_tag(inkov: Inkov, tmp_path: Path) -> None:
    """VLAN 30 within r is VLAN 20 at a: the tag of the sub-interface."""
    head = "inkov sheet 1\nswitch: {}\n"
    trunk = "mode: trunk\nnative: none\nallowed: {}\n"
    (tmp_path / "a.sheet").write_text(
        f"{head.format('a')}[port 2]\nmode: access\nvlan: 20\n[port 8]\n{trunk.format(20)}"
        "[neighbours]\n8: r:1\n"
    )
    (tmp_path / "r.sheet").write_text(
        f"{head.format('r')}[port 1]\n{trunk.format('none')}[sub 1.20]\nof: 1\ntag: 20\n"
        "mode: access\nvlan: 30\n[port 3]\nmode: access\nvlan: 30\n"
    )
    steps = inkov("follow", "r:3", "a:2", ".", "-f", "json").json["steps"]
    told = [(s["switch"], s["port"], s["event"], s["vlan"], s["tagged"]) for s in steps]
    assert told == [
        ("r", "3", "sent", 30, False),
        ("r", "1.20", "leaves", 30, True),
        ("a", "8", "arrives", 20, True),
        ("a", "2", "heard", 20, False),
    ]
    assert steps[1]["because"] == "the sub-interface sends it, tagged 20"


def test_where_several_vlans_turn_into_one_that_may_be_one_of_them(
    inkov: Inkov, tmp_path: Path
) -> None:
    """a sends VLANs 10 and 20 untagged, and b takes what is untagged into 10: VLAN 10 hangs
    together, and from 20 frames get into it one way.
    """
    head = "inkov sheet 1\nswitch: {}\n[vlans]\n10: ferns\n20: beds\n"
    access = "[port {}]\nmode: access\nvlan: {}\n"
    wide = "[port 8]\nmode: general\npvid: 10\nuntagged: 10,20\n[neighbours]\n8: b:8\n"
    a = head.format("a") + access.format(1, 10) + access.format(2, 20) + wide
    b = head.format("b") + access.format(1, 10) + access.format(8, 10)
    (tmp_path / "a.sheet").write_text(a)
    (tmp_path / "b.sheet").write_text(b)
    rows = {row["vlan"]: row for row in inkov("vlans", ".", "-f", "json").json["vlans"]}
    assert rows[10]["islands"] == [["a", "b"]]
    for ends, arrives in (
        ("a:1 b:1", True),
        ("b:1 a:1", True),
        ("a:2 b:1", True),
        ("b:1 a:2", False),
    ):
        assert inkov("follow", *ends.split(), ".", "-f", "json").json["arrives"] is arrives, ends


@pytest.mark.parametrize(
    ("vlan", "target", "arrives", "because"),
    [
        ("", "lamp", False, "it leaves there tagged 10, and the host takes untagged frames"),
        ("10", "lamp", True, "its allowed list holds VLAN 10"),
        ("20", "lamp", False, "it leaves there tagged 10, and the host takes frames with tag 20"),
        ("", "a:6", True, "its allowed list holds VLAN 10"),
        ("", "a:5", False, "a:5 (access) passes VLAN 20, not VLAN 10"),
    ],
)
def test_a_host_takes_frames_in_its_own_form(
    vlan: str, target: str, arrives: bool, because: str, inkov: Inkov, tmp_path: Path
) -> None:
    """FM 5.6: the lamp is at a trunk. A port by its name takes whatever is sent there; four other
    ports hear what a:1 sends (three of VLAN 10, and the trunk). The claim says the same, and it is
    broken for sure, though the switch has its name from its file.
    """
    (tmp_path / "a.sheet").write_text(
        "inkov sheet 1\nswitch: a\n[vlans]\n10: ferns\n20: beds\n[port 1..4]\nmode: access\n"
        "vlan: 10\n[port 5]\nmode: access\nvlan: 20\n[port 6]\nmode: trunk\nnative: 20\n"
        "allowed: 10,20\n"
    )
    (tmp_path / "hosts.csv").write_text(f"host,switch,port,vlan\nlamp,a,6,{vlan}\n")
    (tmp_path / "plan.yaml").write_text(f"claims:\n  - reach: [a:1, {target}]\n")
    told = inkov("follow", "a:1", target, ".", "-f", "json").json
    assert told["arrives"] is arrives and told["steps"][-1]["because"].startswith(because)
    assert arrives or told["instead"] == "heard instead by 4 host ports, in VLAN 10"
    [claim] = inkov("prove", ".", "-f", "json").json["claims"]
    # At a port, a claim is about who takes untagged frames.
    assert claim["verdict"] == ("holds" if arrives and target == "lamp" else "broken")


def test_what_is_broken_stays_so_if_a_switch_is_named_after_its_file(
    inkov: Inkov, tmp_path: Path
) -> None:
    (tmp_path / "m.toml").write_text(
        'dialect = "m"\nfiles = ["*.txt"]\n[vlan]\nopens = ["bed {vid}"]\n[port]\n'
        'opens = ["pot {ports}"]\n[port.says]\n"grows {vid}" = "mode = access; vlan = {vid}"\n'
    )
    (tmp_path / "a.txt").write_text("bed 10\nbed 20\npot 1\n  grows 10\npot 2\n  grows 20\n")
    (tmp_path / "plan.yaml").write_text("claims:\n  - reach: [a:1, a:2]\n")
    assert "BROKEN" in inkov("prove", ".", "--strict").out
