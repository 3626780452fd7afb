"""What is told on the way to a change: who is cut off for the time being."""

from __future__ import annotations

from typing import Any

import pytest
from msgspec.structs import replace

from inkov.effects import Effect
from inkov.effects.side import SeatName
from inkov.levels import Layer
from inkov.mend.order import covers
from tests.effects.test_words import effect, group

A, B, C = (SeatName(name, "1", 0, 0) for name in "abc")


def lost(sources: list[SeatName], targets: list[SeatName], **more: Any) -> Effect:
    own: dict[str, Any] = {"both_ways": True, "gained": False} | more
    one = effect(group("a:1"), group("b:1"), **own)
    return replace(one, row=replace(one.row, sources=sources, targets=targets))


@pytest.mark.parametrize(
    ("final", "on_the_way", "covered"),
    [
        (lost([A], [B]), lost([A], [B]), True),
        (lost([A, C], [B]), lost([B], [A]), True),
        (lost([A], [B]), lost([A, C], [B]), False),
        (lost([A], [B]), lost([A], [B, C]), False),
        (lost([A], [B, C]), lost([A], [B], both_ways=False), True),
        (lost([A], [B]), lost([B], [A], both_ways=False), True),
        # One way only: the other is lost on the way alone.
        (lost([A], [B], both_ways=False), lost([A], [B]), False),
        (lost([A], [B], both_ways=False), lost([B], [A], both_ways=False), False),
        (lost([A], [B], both_ways=False), lost([A], [B], both_ways=False), True),
        (lost([A], [B]), lost([A], [B], layer=Layer.PACKETS), False),
        (
            lost([A], [B], layer=Layer.PACKETS, in_part=True),
            lost([A], [B], layer=Layer.PACKETS),
            False,
        ),
        (
            lost([A], [B], layer=Layer.PACKETS),
            lost([A], [B], layer=Layer.PACKETS, in_part=True),
            True,
        ),
    ],
)
def test_who_is_cut_off_in_the_end_is_not_told_on_the_way(
    final: Effect, on_the_way: Effect, covered: bool
) -> None:
    assert covers(final, on_the_way) is covered
