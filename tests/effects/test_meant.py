"""What was said beforehand, pair by pair: a row is permitted if each of its pairs is."""

from __future__ import annotations

import random
from collections.abc import Callable, Sequence
from itertools import product
from pathlib import Path

import pytest

from inkov.effects.effect import Effect
from inkov.effects.groups import Group, Row
from inkov.effects.meant import Meant
from inkov.effects.side import SeatName
from inkov.levels import Layer, Level
from inkov.plan import Plan
from inkov.plan.change import Change
from inkov.vlanset import VlanSet
from tests.conftest import Inkov, fabric_of
from tests.effects.test_consequences import switch

SHEET = "switch: {}\n[vlans]\n10: ferns\n20: beds\n[port 1..4]\nvlan: 10\n"
FABRIC = fabric_of(SHEET.format("a"), SHEET.format("b"))
VIDS = {
    SeatName(switch, port, 0, 0): 10 if port in "12" else 20 for switch in "ab" for port in "1234"
}
NOBODY = Group([], VlanSet(), False, 0, [], [], [])
SIDES: dict[str, Callable[[SeatName], bool]] = {
    "ferns": lambda name: VIDS[name] == 10,
    "20": lambda name: VIDS[name] == 20,
    "10,20": lambda name: True,
    "*": lambda name: True,
    "a": lambda name: name.switch == "a",
    "a:2": lambda name: (name.switch, name.port) == ("a", "2"),
    "?:[13]": lambda name: name.port in "13",
}
"""How a side is written, and who is on it."""


def effect(sources: list[SeatName], targets: list[SeatName], *, both_ways: bool) -> Effect:
    row = Row(Layer.FRAMES, False, sources, targets, both_ways, sources == targets)
    return Effect(True, Level.HONEST, row, NOBODY, NOBODY, True, vid_of=dict(VIDS))


def is_meant(texts: list[str], own: Effect) -> bool:
    told = FABRIC, Plan()
    return Meant(Change(gain=texts), told, told).is_meant(own)


Said = Sequence[tuple[str, str, str]]


def ways(said: Said, one: SeatName, other: SeatName, sign: str) -> set[int]:
    """The permissions with a sign that have one on the first side, the other on the second."""
    return {
        number
        for number, (first, mark, second) in enumerate(said)
        if mark == sign and SIDES[first](one) and SIDES[second](other)
    }


def permits(said: Said, one: SeatName, other: SeatName, *, both_ways: bool) -> bool:
    if ways(said, one, other, "<->") or ways(said, other, one, "<->"):
        return True
    there, back = ways(said, one, other, "->"), ways(said, other, one, "->")
    if not both_ways:
        return bool(there)
    return any(first != second for first, second in product(there, back))


def test_a_row_is_permitted_pair_by_pair() -> None:
    """Against all pairs and all permissions, one by one."""
    counts = dict.fromkeys((True, False), 0)
    rng = random.Random("meant")
    for _ in range(400):
        sources, targets = (rng.sample([*VIDS], rng.randint(1, 3)) for _ in range(2))
        both_ways = rng.random() < 0.5
        said = [
            (rng.choice([*SIDES]), rng.choice(["->", "<->"]), rng.choice([*SIDES]))
            for _ in range(rng.randint(1, 3))
        ]
        expected = all(
            permits(said, one, other, both_ways=both_ways)
            for one, other in product(sources, targets)
        )
        own = effect(sources, targets, both_ways=both_ways)
        assert is_meant([" ".join(parts) for parts in said], own) is expected, (said, own.row)
        counts[expected] += 1
    assert min(counts.values()) > 60, counts


@pytest.mark.parametrize("texts", [[], ["beds"], ["ferns -> 20"]])
def test_what_is_not_said_is_not_permitted(texts: list[str]) -> None:
    one, other = SeatName("a", "1", 0, 0), SeatName("b", "2", 0, 0)
    assert not is_meant(texts, effect([one], [other], both_ways=False))
    assert is_meant(["ferns"], effect([one], [other], both_ways=True))


@pytest.mark.parametrize(
    ("meant", "refused"),
    [
        (["lamp <-> a:1", "reed <-> a:1", "pump <-> a:2"], []),
        (["lamp <-> *", "reed <-> *"], [20]),
        (["lamp <-> *", "reed <-> *", "a:8 <-> a:2"], []),
        (["pump <-> *"], [10]),
        (["lamp <-> *", "pump <-> *"], [10]),
    ],
)
def test_a_host_is_meant_in_its_form(
    inkov: Inkov, tmp_path: Path, meant: list[str], refused: list[int]
) -> None:
    """On the trunk a:8 the lamp uses tag 10 and the pump 20; the reed is behind the sub-interface
    of a:9 that takes tag 10. All of them lose the port that was in their VLAN.
    """
    ports = "[port 8]\nmode: trunk\nnative: none\nallowed: 10,20\n[port 9]\nmode: routed\n"
    ports += "[sub 9.10]\nof: 9\ntag: 10\nvlan: 10\n"
    for side, own in (("old", {"1": 10, "2": 20}), ("new", {})):
        (tmp_path / side).mkdir()
        (tmp_path / side / "a.sheet").write_text(switch("a", own, {}, ports))
        (tmp_path / side / "hosts.csv").write_text(
            "host,switch,port,vlan\nlamp,a,8,10\npump,a,8,20\nreed,a,9,10\n"
        )
    asked = [part for text in meant for part in ("--lose", text)]
    found = inkov("compare", "old", "new", "-l", "honest", "-f", "json", "-q", *asked).json
    hosts = {row["vlan"]: row["to"]["hosts"] for row in found["lost"]}
    assert hosts == {"10": ["lamp", "reed"], "20": ["pump"]}
    because = [each["says"] for each in found["because"] if "reach" in each["says"]]
    assert len(because) == len(refused)
    assert all(f"VLAN {vid} " in says for vid, says in zip(refused, because, strict=True))
