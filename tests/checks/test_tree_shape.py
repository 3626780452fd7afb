"""The shape of trees, from sheets to findings: what is found, and what is meant to be so."""

from __future__ import annotations

from itertools import pairwise
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import Inkov
from tests.forwarding.trees.ring import TRUNK, Ring

SLOW = TRUNK.replace("1000", "100")
ONLY = [
    f"--only={rule}"
    for rule in ("slow-link-wins", "load-not-shared", "tree-deep", "root-left-to-chance")
]


def found(inkov: Inkov, folder: Path, ring: Ring) -> list[Any]:
    (folder / "campus").mkdir()
    ring.write(folder / "campus")
    rules: list[Any] = inkov("audit", "campus", *ONLY, "-f", "json").json["findings"]
    return rules


def slow_ring(mode: str, tree: str) -> Ring:
    """The link between core-2 and fern-1 is slow, and the way to core-1 all the same."""
    ring = Ring(mode)
    ring.ports["core-2"]["2"] = ring.ports["fern-1"]["2"] = SLOW
    ring.more["fern-1"] = f"[tree {tree}]\ncost of 1: 9000000\n"
    return ring


def test_a_cost_that_sends_all_over_the_slow_link(inkov: Inkov, tmp_path: Path) -> None:
    [slow] = found(inkov, tmp_path, slow_ring("rstp", "all"))
    assert slow["says"] == (
        "fern-1 reaches the root core-1 in VLAN 1,10,20,99 by port 2, a way of 100 Mbit/s (cost"
        " 220000), and blocks port 1, a way of 1 Gbit/s (cost 9000000)"
    )
    assert [place["port"] for place in slow["where"]] == ["2", "1"]


def test_a_cost_that_sends_one_vlan_over_the_slow_link_shares_load(
    inkov: Inkov, tmp_path: Path
) -> None:
    assert found(inkov, tmp_path, slow_ring("per vlan", "20")) == []


def test_a_speed_that_is_not_known_is_not_compared(inkov: Inkov, tmp_path: Path) -> None:
    ring = slow_ring("rstp", "all")
    ring.ports["core-1"]["2"] = TRUNK.replace("\nspeed: 1000", "")
    assert found(inkov, tmp_path, ring) == []


@pytest.mark.parametrize(
    ("cores", "says"),
    [
        (((4096, 8192), (8192, 4096)), None),
        (((4096, 4096), (8192, 8192)), None),  # one root for all is meant
        # Which of two ways round the second core meant it:
        (((4096, 8192), (8192, 12288)), "core-1 has priority 4096 in VLAN 10 and 8192 in VLAN 20"),
        (((0, 0), (8192, 4096)), "core-2 has priority 4096 in VLAN 20 and 8192 in VLAN 10"),
        (((4096, 32768), (61440, 61440)), None),  # what is taken anyway is nobody's wish
    ],
)
def test_roots_that_share_the_load(
    inkov: Inkov, tmp_path: Path, cores: tuple[tuple[int, int], ...], says: str | None
) -> None:
    ring = Ring("per vlan")
    for name, (ten, twenty) in zip(("core-1", "core-2"), cores, strict=True):
        ring.trees[name] = ring.trees[name].partition("priority")[0]
        ring.more[name] = f"[tree 10]\npriority: {ten}\n[tree 20]\npriority: {twenty}\n"
    ring.trees["fern-1"] = ring.trees["fern-1"].replace("32768", "61440")
    rules = found(inkov, tmp_path, ring)
    assert [one["says"].partition(", and")[0] for one in rules] == ([says] if says else [])


def test_a_region_counts_as_one(inkov: Inkov, tmp_path: Path) -> None:
    """Nine switches in a row, the last eight of one region: two steps for the age of a message."""
    ring = Ring()
    for table in (ring.ports, ring.trees, ring.more):
        table.clear()
    ring.cables = {(f"walk-{n}", "2", f"walk-{n + 1}", "1") for n in range(1, 9)}
    for number in range(1, 10):
        tree = "mode: rstp\npriority: 4096" if number == 1 else "mode: mstp\nregion: walk"
        ring.add(f"walk-{number}", tree, {"1": TRUNK, "2": TRUNK, "9": "vlan: 10"})
    assert found(inkov, tmp_path, ring) == []


def test_the_longest_row_is_told_from_the_root_outwards(inkov: Inkov, tmp_path: Path) -> None:
    """Two arms of four and three below the root: no row from the root is long, but arm to arm."""
    ring = Ring()
    for table in (ring.ports, ring.trees, ring.more):
        table.clear()
    arms = [f"walk-{n}" for n in range(1, 9)]
    ring.cables = {(a, "2", b, "1") for a, b in pairwise(arms)}
    for name in arms:
        priority = 4096 if name == "walk-4" else 32768
        ports = {"1": TRUNK, "2": TRUNK, "9": "vlan: 10"}
        ring.add(name, f"mode: rstp\npriority: {priority}", ports)
    [deep] = found(inkov, tmp_path, ring)
    assert deep["says"].endswith(f"8 switches are in a row in the spanning tree: {', '.join(arms)}")


def test_who_is_root_by_address(inkov: Inkov, tmp_path: Path) -> None:
    ring = Ring()
    ring.trees["core-2"] = ring.trees["core-2"].replace("8192", "4096")
    [chance] = found(inkov, tmp_path, ring)
    assert chance["says"] == (
        "core-1, core-2 share the lowest priority: of 2 switches core-1 is root, by its address"
    )
