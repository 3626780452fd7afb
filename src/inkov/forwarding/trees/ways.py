"""The way that frames take in the spanning tree, beside that over all links (FM 7.9, FM 7.10)."""

from __future__ import annotations

from collections.abc import Callable
from typing import Generic, TypeVar

from msgspec import Struct

from inkov.forwarding.fabric import Fabric
from inkov.forwarding.follow import Event, Step
from inkov.forwarding.trees.active import are_stated, now

__all__ = ["InTree", "in_tree"]

T = TypeVar("T")


class InTree(Struct, Generic[T]):
    """An answer about a way, as it is to be shown: whether it arrives, and what is to be said of
    the spanning tree. `certain` is false where it hangs on what is not known of the tree.
    """

    answer: T
    arrives: bool
    notes: list[str]
    certain: bool = True


def in_tree(
    fabric: Fabric,
    answer_of: Callable[[Fabric], T],
    arrives: Callable[[T], bool],
    steps: Callable[[T], list[Step]],
    *,
    only: bool,
) -> InTree[T]:
    """The way by the ports that forward now. Without `only`, what the links as such allow counts,
    and the way that the tree has it take is shown where it arrives by that.
    """
    over_all = answer_of(fabric)
    # Over all links it does not arrive: no tree can make it.
    if not arrives(over_all):
        return InTree(over_all, False, [])
    # Nobody said anything of trees: then nobody is told of them.
    if not only and not are_stated(fabric):
        return InTree(over_all, True, [])
    forwards = now(fabric)
    # Nothing discards: the way over all links is the way now.
    if not forwards.blocks:
        return InTree(over_all, True, [])
    answers = [answer_of(fabric) for fabric in forwards.fabrics]
    arriving = [arrives(answer) for answer in answers]
    doubts = [f"The spanning tree is not sure: {doubt}." for doubt in forwards.doubts]
    certain = not doubts
    # It arrives whatever comes out.
    if all(arriving):
        notes = _detour(steps(over_all), steps(answers[0]), forwards.first)
        # The ways differ: which one is taken is left to chance.
        if any(_places(steps(told)) != _places(steps(answers[0])) for told in answers):
            notes = ["Chance decides which way it takes in the spanning tree: one is shown."]
        return InTree(answers[0], True, [*notes, *(doubts if notes else [])], certain)
    stopped = next(told for told, there in zip(answers, arriving, strict=True) if not there)
    stop = next((step for step in reversed(steps(stopped)) if step.event is Event.STOPS), None)
    where = f" stops at {stop.switch}:{stop.port}: {stop.because}" if stop is not None else " stops"
    # In some outcomes it arrives, in others it does not.
    if any(arriving):
        notes = [f"Chance decides whether it arrives now: in one outcome of the tree it{where}."]
        return InTree(stopped if only else over_all, not only, [*notes, *doubts], False)
    # Only what is now was asked.
    if only:
        return InTree(stopped, False, doubts, certain)
    notes = [f"Over all links it arrives, but not now: in the spanning tree it{where}."]
    return InTree(over_all, True, [*notes, *doubts], certain)


def _places(steps: list[Step]) -> list[tuple[str, str]]:
    return [(step.switch, step.port) for step in steps]


def _detour(over_all: list[Step], by_tree: list[Step], fabric: Fabric) -> list[str]:
    """Where the way in the tree leaves that over all links."""
    if _places(over_all) == _places(by_tree):
        return []
    for step in over_all:
        for end, discarding in fabric.discards.items():
            # The port on the direct way that discards is the reason.
            if (end.device, end.port) == (step.switch, step.port):
                return [f"The shortest way is another one: {discarding.says}."]
    return ["The shortest way is another one: the spanning tree does not take it."]
