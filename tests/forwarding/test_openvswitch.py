"""The engine against a real switch implementation, for the port kinds it has: one broadcast from
every host port.
"""

from __future__ import annotations

import random
from collections.abc import Iterator
from pathlib import Path

import pytest

from inkov.campus import STANDARD, Cable, Campus, Device, Mode, Origin, Port, Vlan
from inkov.forwarding import Form, resolve
from inkov.forwarding.reach import Sending, flood
from inkov.levels import Level
from inkov.plan import Claim, Plan
from inkov.proofs.prove import Prover
from inkov.proofs.seats import Seat
from inkov.readers import load
from inkov.vlanset import VlanSet
from inkov.wiring import wire
from tests.campuses import NOWHERE, fact
from tests.conftest import cases, need
from tests.forwarding.openvswitch import OpenVSwitch, installed
from tests.written import in_files

CAMPUSES = cases("REALITY", 320)
VIDS = [10, 20, 30, 40]


@pytest.fixture(scope="module")
def switch(tmp_path_factory: pytest.TempPathFactory) -> Iterator[OpenVSwitch]:
    need(installed(), "Open vSwitch (Debian: openvswitch-switch)")
    private = OpenVSwitch(tmp_path_factory.mktemp("ovs"))
    yield private
    private.stop()


def random_port(rng: random.Random, name: str, uplink: bool) -> Port:
    port = Port(name, Origin())
    if rng.random() < (0.15 if uplink else 0.7):
        port.mode, port.access_vlan = fact(Mode.ACCESS), fact(rng.choice(VIDS))
    else:
        allowed = [vid for vid in VIDS if rng.random() < 0.75] or [10]
        port.mode, port.allowed = fact(Mode.TRUNK), fact(VlanSet.from_vids(allowed))
        port.native_vlan = fact(rng.choice([*allowed, None]))
        port.native_tagged = fact(True) if rng.random() < 0.2 else None
    port.protected = fact(True) if rng.random() < 0.2 else None
    return port


def random_tree(rng: random.Random) -> Campus:
    """A tree of up to six switches: a broadcast in it passes each switch once, as in a spanning
    tree.
    """
    campus = Campus()
    for number in range(rng.randint(1, 6)):
        table = {vid: Vlan(vid, NOWHERE) for vid in VIDS}
        device = campus.devices[f"s{number}"] = Device(f"s{number}", NOWHERE, STANDARD, table)
        for n in range(rng.randint(1, 3)):
            device.ports[f"s{number}h{n}"] = random_port(rng, f"s{number}h{n}", uplink=False)
        if number:
            far = rng.randrange(number)
            one, other = f"p{number}a", f"p{number}b"
            device.ports[one] = random_port(rng, one, uplink=True)
            campus.devices[f"s{far}"].ports[other] = random_port(rng, other, uplink=True)
            if rng.random() < 0.5:
                for attribute in ("mode", "access_vlan", "allowed", "native_vlan", "native_tagged"):
                    setattr(
                        campus.devices[f"s{far}"].ports[other],
                        attribute,
                        getattr(device.ports[one], attribute),
                    )
            campus.cables.append(Cable(f"s{number}", one, f"s{far}", other, NOWHERE))
    for device in campus.devices.values():
        if rng.random() < 0.15:
            for port in device.ports.values():
                port.mode = fact(Mode.UNAWARE)
    return campus


def set_up(campus: Campus, switch: OpenVSwitch) -> None:
    """Build the campus in Open vSwitch, in place of what was there."""
    peers = {}
    for cable in campus.cables:
        peers[cable.port], peers[cable.far_port] = cable.far_port, cable.port
    commands = [["--if-exists", "del-br", f"s{number}"] for number in range(6)]
    switch.configure(*commands)
    commands = []
    for device in campus.devices.values():
        commands.append(["add-br", device.name])
        commands.append(
            ["set", "bridge", device.name, "datapath_type=dummy", "fail_mode=standalone"]
        )
        for port in device.ports.values():
            commands.append(["add-port", device.name, port.name])
            kind = (
                ["type=patch", f"options:peer={peers[port.name]}"]
                if port.name in peers
                else ["type=dummy"]
            )
            commands.append(["set", "interface", port.name, *kind])
            commands.append(["set", "port", port.name, *columns(port)])
    switch.configure(*commands)


def columns(port: Port) -> list[str]:
    protected = [f"protected={'true' if port.protected else 'false'}"]
    if port.mode is not None and port.mode.value is Mode.ACCESS:
        assert port.access_vlan is not None
        return [*protected, "vlan_mode=access", f"tag={port.access_vlan.value}"]
    if port.mode is not None and port.mode.value is Mode.UNAWARE:
        return [*protected, "trunks=[]", "tag=[]"]  # without any VLAN setting, all frames pass
    assert port.allowed is not None and port.native_vlan is not None
    trunks = f"trunks={','.join(map(str, port.allowed.value))}"
    if port.native_vlan.value is None:
        return [*protected, trunks, "vlan_mode=trunk"]
    tagging = "native-tagged" if port.native_tagged else "native-untagged"
    return [*protected, trunks, f"vlan_mode={tagging}", f"tag={port.native_vlan.value}"]


def check(campus: Campus, switch: OpenVSwitch, seed: int, read: Campus | None = None) -> int:
    """Compare every host port's broadcasts; returns how many were compared. `read` is what the
    program made of the campus, where it was written to files.
    """
    set_up(campus, switch)
    numbers = switch.numbers()
    names = {number: name for name, number in numbers.items()}
    read = read or campus
    fabric = resolve(read, wire(read))
    compared = 0
    for port in fabric.bridge_ports:
        if not fabric.is_host_port(port) or fabric.is_implied(port):
            continue
        for tag in (None, *VIDS):
            vid = port.view.pvid if tag is None else tag if port.view.admit >> tag & 1 else 0
            start = port
            if port.view.form is Form.UNAWARE and tag == port.view.pvid:
                wire_ports = (fabric.bridge_ports[number] for number in fabric.at[port.end])
                start, vid = next(q for q in wire_ports if fabric.is_implied(q)), tag
            sendings = [Sending(start.number, 1 << vid, start.bridge)] if vid else []
            spread = flood(fabric, sendings, Level.HONEST)
            mine = {
                (q.end.port, v if tagged else None)
                for q, v, tagged in spread.heard()
                if q.end != port.end
            }
            left = {(names[n], t) for n, t in switch.trace(numbers[port.port], tag)}
            theirs = {
                (name, t) for name, t in left if name not in campus.devices
            }  # each bridge has a port of its own
            assert mine == theirs, (
                f"seed {seed}, {port.port} tag {tag}: ours {mine - theirs}, theirs {theirs - mine}"
            )
            compared += 1
    return compared


@pytest.mark.parametrize("part", range(2))
def test_agrees_with_open_vswitch(switch: OpenVSwitch, part: int, tmp_path: Path) -> None:
    """Every fourth campus is written to files first, and the program reads these."""
    seeds = range(part, CAMPUSES, 2)
    compared = 0
    for seed in seeds:
        rng = random.Random(seed)
        campus, read = random_tree(rng), None
        if seed // 2 % 4 == 0:
            modes = [
                p.mode.value for d in campus.devices.values() for p in d.ports.values() if p.mode
            ]
            forms = (
                ("sheet", "elm") if Mode.UNAWARE in modes else ("sheet", "openconfig", "xml", "elm")
            )
            in_files(rng, campus, tmp_path / "c", forms)
            read = load([str(tmp_path / "c")]).campus
            assert not read.problems, (seed, read.problems)
        compared += check(campus, switch, seed, read)
    assert compared > 5 * len(seeds)


def test_verdicts_are_what_open_vswitch_floods(switch: OpenVSwitch) -> None:
    """Claims between VLANs, and between ports: isolation holds where no broadcast of one side gets
    to the other.
    """
    seen = {"holds": 0, "broken": 0}
    for seed in range(CAMPUSES // 4):
        rng = random.Random(f"verdicts {seed}")
        campus = random_tree(rng)
        set_up(campus, switch)
        numbers = switch.numbers()
        names = {number: name for name, number in numbers.items()}
        fabric = resolve(campus, wire(campus))
        prover = Prover(fabric, Plan())
        at = {seat: fabric.bridge_ports[seat.port].port for seat in prover.names.seats}
        floods: dict[Seat, set[tuple[str, int]]] = {}
        for _ in range(6):
            pair = rng.sample(
                sorted({f"vlan {s.vid}" for s in at} | {f"{p[:2]}:{p}" for p in at.values()}), 2
            )
            claim = Claim(isolate=[pair[0]], from_=[pair[1]], one_way=True)
            [(sources, targets)] = prover.legs(claim)
            for seat in sources - floods.keys():
                left = switch.trace(numbers[at[seat]], seat.tag or None)
                floods[seat] = {(names[number], tag or 0) for number, tag in left}
            leaks = any(
                (at[t], t.tag) in floods[s] for s in sources for t in targets if at[t] != at[s]
            )
            verdict = prover.judge(claim).verdict
            # All at that port are in the VLAN that is to be apart from them.
            if not targets:
                assert verdict == "undecided", (seed, pair)
                continue
            assert verdict == ("broken" if leaks else "holds"), (seed, pair)
            seen[verdict] += 1
    assert min(seen.values()) > CAMPUSES // 10, seen


def test_the_oracle_can_say_no(switch: OpenVSwitch) -> None:
    campus = Campus()
    table = {10: Vlan(10, NOWHERE)}
    device = campus.devices["s0"] = Device("s0", NOWHERE, STANDARD, table)
    for name in ("s0h0", "s0h1"):
        device.ports[name] = Port(name, NOWHERE, mode=fact(Mode.ACCESS), access_vlan=fact(10))
    set_up(campus, switch)
    assert (
        len(switch.trace(switch.numbers()["s0h0"], None)) == 1 + 1
    )  # the other port, and the bridge's own
    device.ports["s0h1"].access_vlan = fact(
        20
    )  # now the engine is told something else than the switch
    numbers = switch.numbers()
    heard = {n for n, _ in switch.trace(numbers["s0h0"], None)}
    fabric = resolve(campus, wire(campus))
    assert (
        numbers["s0h1"] in heard
        and not list(flood(fabric, [Sending(0, 1 << 10, 0)], Level.HONEST).heard())[1:]
    )
