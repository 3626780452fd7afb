"""Spanning trees that Open vSwitch agrees on, against what the program says of the same files."""

from __future__ import annotations

import random
import shutil
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import Inkov, cases, need
from tests.forwarding.openvswitch import OpenVSwitch, installed

GRAPHS = cases("TREES_REALITY", 60)
COSTS = [2000, 20000, 20000, 200000]


@pytest.fixture(scope="module")
def switch(tmp_path_factory: pytest.TempPathFactory) -> Iterator[OpenVSwitch]:
    need(installed(), "Open vSwitch (Debian: openvswitch-switch)")
    private = OpenVSwitch(tmp_path_factory.mktemp("ovs"))
    yield private
    private.stop()


class Graph:
    """A random graph of bridges: who they are, and their wires."""

    def __init__(self, rng: random.Random, protocol: str) -> None:
        self.protocol = protocol
        self.bridges: dict[str, dict[str, Any]] = {}
        self.cables: list[tuple[str, str, str, str]] = []
        addresses = rng.sample(range(1, 250), 8)
        for number in range(rng.randint(3, 8)):
            self.bridges[f"b{number}"] = {
                "address": f"02:00:00:00:00:{addresses[number]:02x}",
                "priority": rng.choice([4096, 8192, 32768, 32768, 32768]),
                "ports": {},
            }
        names = list(self.bridges)
        for number, name in enumerate(names[1:], 1):
            self._cable(rng, name, rng.choice(names[:number]))
        for _ in range(rng.randint(1, len(names) + 2)):
            self._cable(rng, *rng.sample(names, 2))

    def _cable(self, rng: random.Random, *ends: str) -> None:
        at = []
        for end in ends:
            ports = self.bridges[end]["ports"]
            name = f"{end}p{len(ports) + 1}"
            costs = COSTS if self.protocol == "rstp" else [2, 4, 4, 19]
            priorities = [16, 128, 128, 128]
            ports[name] = (rng.choice(costs), rng.choice(priorities), len(ports) + 1)
            at += [end, name]
        self.cables.append((at[0], at[1], at[2], at[3]))

    def files(self, folder: Path) -> None:
        """The graph as switch sheets and a cabling table."""
        shutil.rmtree(folder, ignore_errors=True)
        folder.mkdir()
        for name, bridge in self.bridges.items():
            lines = ["inkov sheet 1", f"switch: {name}", "[vlans]", "1:"]
            for port, (_, _, number) in bridge["ports"].items():
                lines += [f"[port {port}]", "mode: trunk", "native: 1", f"number: {number}"]
            lines += ["[tree]", f"mode: {self.protocol}", f"address: {bridge['address']}"]
            lines += [f"priority: {bridge['priority']}"]
            for port, (cost, priority, _) in bridge["ports"].items():
                lines += [f"cost of {port}: {cost}", f"priority of {port}: {priority}"]
            (folder / f"{name}.sheet").write_text("\n".join(lines) + "\n")
        rows = [("switch", "port", "far switch", "far port"), *self.cables]
        (folder / "cabling.csv").write_text("\n".join(",".join(row) for row in rows) + "\n")

    def build(self, switch: OpenVSwitch) -> None:
        """The graph in Open vSwitch, whose bridges are joined by sockets."""
        switch.configure(*(["--if-exists", "del-br", f"b{number}"] for number in range(8)))
        at = {}
        for number, (_, one, _, other) in enumerate(self.cables):
            socket = f"unix:{switch.folder}/{self.protocol}{number}"
            at[one], at[other] = f"pstream=p{socket}", f"stream={socket}"
        commands = []
        for name, bridge in self.bridges.items():
            commands += [["add-br", name], ["set", "bridge", name, "datapath_type=dummy"]]
            settings = [
                "fail_mode=standalone",
                f"other_config:hwaddr={bridge['address']}",
                f"other_config:{self.protocol}-priority={bridge['priority']}",
            ]
            commands.append(["set", "bridge", name, *settings])
            for port, (cost, priority, number) in bridge["ports"].items():
                prefix = f"other_config:{self.protocol}"
                commands.append(["add-port", name, port])
                commands.append(["set", "interface", port, "type=dummy", f"options:{at[port]}"])
                commands.append(
                    [
                        "set",
                        "port",
                        port,
                        f"{prefix}-path-cost={cost}",
                        f"{prefix}-port-priority={priority}",
                        f"{prefix}-port-num={number}",
                    ]
                )
        for name in self.bridges:
            commands.append(["set", "bridge", name, f"{self.protocol}_enable=true"])
        switch.configure(*commands)

    @property
    def ports(self) -> set[str]:
        return {port for bridge in self.bridges.values() for port in bridge["ports"]}


@pytest.mark.parametrize("protocol", ["rstp", "stp"])
def test_open_vswitch_agrees_on_the_same_trees(
    inkov: Inkov, switch: OpenVSwitch, tmp_path: Path, protocol: str
) -> None:
    discarding = 0
    for number in range(GRAPHS):
        graph = Graph(random.Random(f"{protocol} {number}"), protocol)
        graph.build(switch)
        graph.files(tmp_path / "campus")
        (tree,) = inkov("tree", "campus", "-f", "json").json["trees"]
        assert tree["sure"], tree["remarks"]
        ours = {row["port"]: (row["role"], row["state"]) for row in tree["ports"]}
        theirs: dict[str, tuple[str, str]] = {}
        for _ in range(60):
            switch.let_time_pass(3 if protocol == "rstp" else 12)
            before, theirs = theirs, switch.roles(protocol)
            if before == theirs == agreed(ours, protocol):
                break
        assert theirs == agreed(ours, protocol), (number, tree["root"])
        assert ours.keys() == graph.ports
        discarding += sum(state == "discarding" for _, state in ours.values())
    assert discarding > GRAPHS, discarding


def agreed(ours: dict[str, tuple[str, str]], protocol: str) -> dict[str, tuple[str, str]]:
    """What Open vSwitch calls it: its older protocol has no alternate and no backup ports."""
    if protocol == "rstp":
        return ours
    words = {"alternate": "alternate", "backup": "alternate"}
    return {
        port: (words.get(role, role), "blocking" if state == "discarding" else state)
        for port, (role, state) in ours.items()
    }
