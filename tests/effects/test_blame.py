"""Who is to blame, and how it is shown: each set of edits undone, each way gone frame by frame."""

from __future__ import annotations

import random
from collections import Counter
from collections.abc import Iterable
from functools import partial
from itertools import combinations, islice
from pathlib import Path
from typing import cast

from inkov.campus import Campus
from inkov.edits import Edit, apply, difference
from inkov.effects.blame import Blamer, undone
from inkov.effects.effect import Effect, effects_of
from inkov.effects.effect import pairs_of as pairs_of_row
from inkov.effects.relation import Relation
from inkov.effects.side import Side, idle_in_both
from inkov.forwarding import resolve
from inkov.forwarding.follow import Event
from inkov.levels import Layer, Level
from inkov.plan import Plan
from inkov.wiring import wire
from tests.campuses import random_campus
from tests.conftest import Inkov, cases
from tests.edits.changes import changed
from tests.effects.pairs import Pairs, flooded
from tests.effects.test_relation import pairs_of, relation_of
from tests.proofs.oracle import Oracle
from tests.render.screens import on_screen
from tests.simulator import Simulator

CAMPUSES = cases("BLAMED", 200, least=100)


def test_the_smallest_set_of_edits_is_blamed() -> None:
    sure = several = 0
    for number in range(CAMPUSES * 3 // 4):
        rng = random.Random(f"blame {number}")
        old = random_campus(rng, 4)
        new = changed(rng, old, 3)
        edits = difference(old, new)
        level = (Level.HONEST, Level.HOSTILE)[number % 2]
        if not (1 if number < 15 else 3) <= len(edits) <= 6:  # of several, one or more is to blame
            continue
        relation = relation_of(old, new, level)
        fabrics = [(side.fabric, Plan()) for side in relation.sides]
        idle = idle_in_both(fabrics[0], fabrics[1])
        resolved = partial(side_of, idle=idle)
        blamer = Blamer(new, edits, relation, resolved, 10_000)
        for effect in effects_of(relation):
            if effect.layer == Layer.PACKETS:
                continue
            blamer.blame(effect)
            pairs = pairs_of([effect.row], relation.sides[effect.gained])
            if not pairs:  # of tags that are not tried here
                continue
            assert is_gone(effect, pairs, without(new, effect.blame), level), (number, effect.blame)
            if effect.smallest:
                size = len(effect.blame)
                fewer = [some for n in range(size) for some in combinations(edits, n)]
                assert not any(
                    is_gone(effect, pairs, without(new, list(some)), level) for some in fewer
                ), (number, effect.blame)
                sure += 1
                several += size > 1
    assert sure > CAMPUSES * 3 / 40 and several > 0, (sure, several)


def side_of(campus: Campus, idle: list[int]) -> Side:
    return Side(resolve(campus, wire(campus)), Plan(), idle)


def without(campus: Campus, edits: list[Edit]) -> Campus:
    return apply(campus, [undone(edit) for edit in edits])


def is_gone(effect: Effect, pairs: Pairs, campus: Campus, level: Level) -> bool:
    """Whether none of the pairs is gained, or all that were lost are there."""
    now = flooded(campus, level, pairs)
    return not now & pairs if effect.gained else pairs <= now


def test_every_effect_shows_a_way_that_frames_can_go() -> None:
    shown = stopped = 0
    for number in range(CAMPUSES):
        rng = random.Random(f"ways {number}")
        old = random_campus(rng, 5)
        new = changed(rng, old, 3)
        relation = relation_of(old, new, Level.HONEST)
        for effect in effects_of(relation):
            if effect.layer == Layer.PACKETS or not effect.witness:
                assert effect.witness or not effect.settled
                continue
            first, last = effect.witness[0], effect.witness[-1]
            seats = [*effect.row.sources, *effect.row.targets]
            ends = {(seat.switch, seat.port) for seat in seats}
            # Who is named at a sub-interface is on the wire of the port below (FM 4.1).
            ends |= {(seat.switch, seat.port.partition(".")[0]) for seat in seats}
            if not effect.gained:
                assert last.event == Event.STOPS and last.because, (number, last)
                stopped += 1
                continue
            assert (first.switch, first.port) in ends and (last.switch, last.port) in ends
            assert first.event == Event.SENT and last.event == Event.HEARD
            assert effect.settled or not any_can_happen(effect, relation), number
            passes_cables(new, effect)
            shown += 1
    assert min(shown, stopped) > CAMPUSES / 5, (shown, stopped)


def any_can_happen(effect: Effect, relation: Relation) -> bool:
    """Whether frames of any of the first pairs can get there within a single tree."""
    side = relation.sides[1]
    oracle = Oracle(side.fabric.campus, side.fabric, on_wires=False)
    return any(
        oracle.shortest({side.seats[one]}, {side.seats[other]}, Level.HONEST) is not None
        for one, other in islice(pairs_of_row(effect.row, side), 3)
    )


def passes_cables(campus: Campus, effect: Effect) -> None:
    """That a way leaves a switch by a port with a cable, and arrives at its other end."""
    cables = Simulator(campus).cables
    fabric = resolve(campus, wire(campus))
    ends = {
        (port.end.device, port.port): (port.end.device, port.end.port)
        for port in fabric.bridge_ports
    }
    for one, other in zip(effect.witness, effect.witness[1:], strict=False):
        if one.event == Event.LEAVES:
            assert other.event == Event.ARRIVES
            near, far = (ends[step.switch, step.port] for step in (one, other))
            assert far in cables[near], (near, far)
        else:
            assert one.switch == other.switch


class OfWays(Blamer):
    """For effects that are there as long as one of some ways is whole: each needs a few edits."""

    def __init__(self, number: int, ways: list[set[int]], shown: list[int]) -> None:
        self.edits, self.ways, self.of_places = cast("list[Edit]", range(number)), ways, shown

    def _gone_without(self, numbers: Iterable[int], effect: Effect) -> bool:
        return all(way & set(numbers) for way in self.ways)

    def _shown(self, numbers: list[int], effect: Effect) -> list[int]:
        return self.of_places


def test_the_fewest_edits_cut_every_way() -> None:
    """Against all sets; what is not sure to be the smallest is enough, and none is too many."""
    sizes: Counter[int] = Counter()
    for seed in range(400):
        rng = random.Random(seed)
        number = rng.randint(2, 7)
        ways = [set(rng.sample(range(number), rng.randint(1, 2))) for _ in range(rng.randint(1, 6))]
        blamer = OfWays(number, ways, rng.sample(range(number), rng.randint(0, number)))
        blamed, sure = blamer._fewest(list(range(number)), cast("Effect", None))
        assert all(way & set(blamed) for way in ways)
        for one in blamed if len(blamed) > 1 else ():
            assert not all(way & (set(blamed) - {one}) for way in ways), (seed, blamed)
        fewest = next(
            size
            for size in range(1, number + 1)
            if any(
                all(way & set(some) for way in ways) for some in combinations(range(number), size)
            )
        )
        assert not sure or len(blamed) == fewest, (seed, ways, blamed)
        sizes[len(blamed)] += sure
    assert min(sizes[size] for size in (1, 2, 3)) > 10, sizes


def test_what_a_make_does_by_default_is_to_blame(inkov: Inkov, tmp_path: Path) -> None:
    """By the plan a's make allows VLAN 10 on trunks as well now. Nothing in the text of a is
    another; a port of b, in VLAN 20, has nothing to do with it.
    """
    head = "inkov sheet 1\nswitch: {}\n[vlans]\n10: ferns\n20: beds\n[port 1]\nvlan: 10\n"
    trunk = "[port 8]\nmode: trunk\nnative: none\n{}[neighbours]\n8: {}:8\n"
    oak = "platforms:\n  oak: {{switches: [a], unstated: {{allowed: '{}'}}}}\n"
    for side, allowed, more in (("old", "20", ""), ("new", "10,20", "[port 2]\nvlan: 20\n")):
        (tmp_path / side).mkdir()
        (tmp_path / side / "a.sheet").write_text(head.format("a") + trunk.format("", "b"))
        stated = trunk.format("allowed: 10,20\n", "a")
        (tmp_path / side / "b.sheet").write_text(head.format("b") + more + stated)
        (tmp_path / side / "plan.yaml").write_text(oak.format(allowed))
    said = inkov("compare", tmp_path / "old", tmp_path / "new", "-f", "json", "-q").json
    [row] = [row for row in said["gained"] if row["vlan"] == "10" and row["level"] == "honest"]
    assert [(edit["switch"], edit["attribute"]) for edit in row["blame"]] == [("a", "platform")]
    told = on_screen("compare", tmp_path / "old", tmp_path / "new", "-q")
    assert "a: platform oak, by default allowed 20 -> 10,20" in told
    assert "a:8: allowed 20 (not stated: as of oak) -> 10,20 (not stated: as of oak)" in told
