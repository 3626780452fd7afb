"""Effects that are one story: the same in many VLANs, by the same edits.

A list that is restated cuts twenty VLANs off, each for itself. That is twenty rows, since nobody in
one of these VLANs reaches anybody in another; and one thing to be told.
"""

from __future__ import annotations

from collections.abc import Hashable, Iterable

from inkov.effects.effect import Effect
from inkov.levels import Layer
from inkov.vlanset import VlanSet

__all__ = ["Story", "stories"]

Story = list[Effect]
"""Effects that are told as one; the first stands for them."""


def stories(effects: Iterable[Effect]) -> list[Story]:
    """The effects, those that are one story together, in the order of the first of each."""
    together: dict[Hashable, Story] = {}
    for number, effect in enumerate(effects):
        key = _kind(effect)
        # One that stands for itself is under its own number.
        together.setdefault(number if key is None else key, []).append(effect)
    return list(together.values())


def _kind(effect: Effect) -> Hashable:
    """What the effects of a story have in common; None for one that stands for itself: it has no
    VLAN of its own, or joins several.
    """
    one, other = effect.sources.vlans, effect.targets.vlans
    frames = effect.layer == Layer.FRAMES
    lone = len(one) == 1 and (one == other if frames else True)
    turned = not frames and not lone and len(other) == 1
    # Of several VLANs, or nobody to blame: a story of its own.
    if not (lone or turned) or not effect.blame:
        return None
    row, fewer = effect.row, min(effect.sources, effect.targets, key=lambda group: group.count)
    flags = effect.gained, effect.level, effect.layer, row.in_part, row.both_ways, row.within
    return (
        flags,
        turned,
        effect.crosses,
        effect.follows,
        effect.settled,
        tuple(map(id, effect.blame)),
        tuple(fewer.switches),
    )


def vlans_of(story: Story) -> VlanSet:
    """The VLANs of a story of several effects, one of each."""
    vlans = VlanSet()
    for effect in story:
        one, other = effect.sources.vlans, effect.targets.vlans
        # The side that has one VLAN says which.
        vlans = vlans | (one if len(one) == 1 else other)
    return vlans
