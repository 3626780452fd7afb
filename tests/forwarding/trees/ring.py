"""A ring of three switches, as sheets: core-1, core-2 and fern-1, each with a host in VLAN 10 at
port 9. core-1 has the lowest priority, then core-2; all links cost the same. So fern-1:2, towards
core-2, discards.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

from tests.conftest import Inkov

CABLES = {
    ("core-1", "1", "core-2", "1"),
    ("core-1", "2", "fern-1", "1"),
    ("core-2", "2", "fern-1", "2"),
}
PRIORITIES = {"core-1": 4096, "core-2": 8192, "fern-1": 32768}


class Ring:
    """The sheets of the ring, to be changed before they are written. `trees` are the lines below
    [tree], `more` what follows all else.
    """

    def __init__(self, mode: str = "rstp") -> None:
        self.cables = set(CABLES)
        self.ports = {name: {"1": TRUNK, "2": TRUNK, "9": "vlan: 10"} for name in PRIORITIES}
        self.trees = {
            name: f"mode: {mode}\naddress: 02:00:00:00:00:0{number}\npriority: {priority}\n"
            for number, (name, priority) in enumerate(PRIORITIES.items(), 1)
        }
        self.more = dict.fromkeys(PRIORITIES, "")

    def add(self, name: str, tree: str, ports: dict[str, str]) -> None:
        self.ports[name], self.trees[name], self.more[name] = ports, tree, ""

    def write(self, folder: Path) -> None:
        for name, ports in self.ports.items():
            text = f"inkov sheet 1\nswitch: {name}\n[vlans]\n10: ferns\n20: moss\n99: nobody\n"
            for port, lines in ports.items():
                kind = "bundle" if port.startswith("bundle") else "port"
                text += f"[{kind} {port}]\n{lines}\n"
            if self.trees[name]:
                text += f"[tree]\n{self.trees[name]}\n"
            (folder / f"{name}.sheet").write_text(text + self.more[name])
        rows = ["switch,port,far switch,far port", *map(",".join, sorted(self.cables))]
        (folder / "cabling.csv").write_text("\n".join(rows) + "\n")


TRUNK = "mode: trunk\nnative: 99\nallowed: 10,20,99\nspeed: 1000"


class Asked:
    """What the program says of a campus."""

    def __init__(self, inkov: Inkov, folder: Path, ring: Ring) -> None:
        self.inkov = inkov
        self.folder = folder / "campus"
        self.folder.mkdir()
        ring.write(self.folder)

    def trees(self, *options: str) -> list[dict[str, Any]]:
        found: list[dict[str, Any]] = self.inkov("tree", "campus", "-f", "json", *options).json[
            "trees"
        ]
        return found

    def roles(self, *options: str) -> dict[str, str]:
        (tree,) = self.trees(*options)
        return {f"{row['switch']}:{row['port']}": row["role"] for row in tree["ports"]}

    def follow(self, source: str, target: str, *options: str) -> dict[str, Any]:
        found: dict[str, Any] = self.inkov(
            "follow", source, target, "campus", "-f", "json", *options
        ).json
        return found

    def heard(self, source: str, *options: str) -> dict[str, bool]:
        """Host ports that hear -> whether that is certain."""
        found = self.inkov("hears", source, "campus", "-f", "json", "--now", *options).json
        return {
            f"{one['switch']}:{one['port']}": one.get("certain", True) for one in found["heard"]
        }
