"""Who hears a frame now: from files to the output, against bridges that settle by messages and
frames that are moved one by one past the ports that discard.
"""

from __future__ import annotations

import random
from pathlib import Path
from typing import Any

import pytest

from inkov.campus import Campus, Fact, Origin, TreeMode
from tests.conftest import Inkov, cases, copied
from tests.forwarding.trees.messages import settle
from tests.forwarding.trees.test_losses import plain_campus
from tests.simulator import Simulator

CAMPUSES = cases("TREES_NOW", 60)
Place = tuple[str, str]


class Settings:
    """What the bridges of a campus have set, at random: addresses, priorities, costs."""

    def __init__(self, rng: random.Random, campus: Campus) -> None:
        addresses = rng.sample(range(1, 200), len(campus.devices))
        self.bridges = {
            name: (rng.choice([0, 4096, 32768, 32768]), address)
            for name, address in zip(campus.devices, addresses, strict=True)
        }
        self.costs = {
            (name, port): rng.choice([2000, 20000, 20000])
            for name, device in campus.devices.items()
            for port in device.ports
        }

    def discarding(self, campus: Campus, vid: int | None) -> set[Place]:
        """The ports that discard in the tree of all VLANs, or of one: by messages."""
        names = list(campus.devices)
        bridges: dict[int, dict[str, Any]] = {
            names.index(name): {"id": identifier, "region": None, "legacy": False}
            for name, identifier in self.bridges.items()
        }
        places: list[Place] = []
        ports: dict[int, dict[str, Any]] = {}
        for wire, cable in enumerate(campus.cables):
            ends = (cable.device, cable.port), (cable.far_device, cable.far_port)
            if vid is not None and not all(
                vid in campus.devices[name].ports[port].allowed.value  # type: ignore[union-attr]
                for name, port in ends
            ):
                continue
            for name, port in ends:
                ports[len(places)] = {
                    "bridge": names.index(name),
                    "wire": wire,
                    "cost": self.costs[name, port],
                    "external": 0,
                    "id": (128, list(campus.devices[name].ports).index(port) + 1),
                    "restricted": False,
                }
                places.append((name, port))
        roles = settle(bridges, ports)
        return {places[n] for n, role in roles.items() if role in ("alternate", "backup")}

    def write(self, campus: Campus, mode: TreeMode, folder: Path) -> None:
        """The campus as switch sheets and a cabling table."""
        for old in folder.iterdir():
            old.unlink()
        for name, device in campus.devices.items():
            lines = ["inkov sheet 1", f"switch: {name}", "[vlans]"]
            lines += [f"{vid}:" for vid in device.vlans or ()]
            for number, (port, held) in enumerate(device.ports.items(), 1):
                lines += [f"[port {port}]", f"number: {number}"]
                if held.access_vlan is not None:
                    lines.append(f"vlan: {held.access_vlan.value}")
                else:
                    assert held.allowed is not None
                    lines += ["mode: trunk", "native: none", f"allowed: {held.allowed.value}"]
            priority, address = self.bridges[name]
            lines += ["[tree]", f"mode: {mode}", f"address: 02:00:00:00:00:{address:02x}"]
            lines.append(f"priority: {priority}")
            lines += [f"cost of {port}: {self.costs[name, port]}" for port in device.ports]
            (folder / f"{name}.sheet").write_text("\n".join(lines) + "\n")
        rows = [(c.device, c.port, c.far_device, c.far_port) for c in campus.cables]
        table = [("switch", "port", "far switch", "far port"), *rows]
        (folder / "cabling.csv").write_text("\n".join(map(",".join, table)) + "\n")


def heard_past(campus: Campus, discarding: set[Place], place: Place) -> set[Place]:
    """The host ports that hear a host, where some ports pass nothing."""
    shut = copied(campus)
    for name, port in discarding:
        shut.devices[name].ports[port].enabled = Fact(False, Origin())
    return {(h.device, h.port) for h in Simulator(shut).flood(place, False, set())}


@pytest.mark.parametrize("mode", [TreeMode.RSTP, TreeMode.PER_VLAN])
def test_hosts_hear_what_gets_past_the_ports_that_discard(
    inkov: Inkov, tmp_path: Path, mode: TreeMode
) -> None:
    (tmp_path / "campus").mkdir()
    cut = past = 0
    for number in range(CAMPUSES):
        rng = random.Random(f"now {mode} {number}")
        campus = plain_campus(rng)
        settings = Settings(rng, campus)
        settings.write(campus, mode, tmp_path / "campus")
        hosts = [
            (name, port)
            for name, device in campus.devices.items()
            for port in device.ports
            if port.startswith("h")
        ]
        for name, port in rng.sample(hosts, 2):
            vid = int(port[1:])
            own = None if mode is TreeMode.RSTP else vid
            discarding = settings.discarding(campus, own)
            expected = heard_past(campus, discarding, (name, port))
            found = inkov("hears", f"{name}:{port}", "campus", "-f", "json", "--now").json["heard"]
            assert {(one["switch"], one["port"]) for one in found} == expected, number
            assert all(one.get("certain", True) for one in found)
            cut += expected < heard_past(campus, set(), (name, port))
            past += bool(discarding and expected)
    assert past > CAMPUSES / 2, past
    assert mode is TreeMode.PER_VLAN or cut > CAMPUSES / 20, cut
