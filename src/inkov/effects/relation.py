"""The difference of two sides in who hears and reaches whom: all pairs of seats, in classes.

A *class* is a set of seats that are alike on both sides: they send alike and hear alike before, and
so they do after. All pairs of two classes are gained, lost or left alone together, so pairs of
classes are all there is to look at; at layer 2 only those whose frames can get to a hub that
changed, at layer 3 only those whose interfaces differ in what they pass.

Pairs of seats on one wire are not looked at: they hear each other whatever switches do.
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property
from typing import NamedTuple

from inkov.effects.changed import Changed, changed
from inkov.effects.hearing import Budget, Ear, Sender
from inkov.effects.routing import Passes, RoutedReach, passed
from inkov.effects.side import SeatName, Side
from inkov.levels import Layer, Level
from inkov.proofs.leaks import audible
from inkov.vlanset import bits

__all__ = ["Class", "Differing", "Half", "Relation", "seats_alike"]


class Half(NamedTuple):
    """How the seats of a class send and hear on one side; `routed` is how they hear routers."""

    sender: Sender
    ear: Ear
    routed: Ear


Class = tuple[Half | None, Half | None]
"""Before and after; None where the seats are not there."""


class Differing(NamedTuple):
    """Pairs that differ: all seats of one class reach all of another on one side and not on the
    other, those on one wire excepted. `in_part`: at layer 3, of some packets only that is so.
    """

    layer: Layer
    sources: Class
    targets: Class
    in_part: bool = False


class Relation:
    """Two sides, as hosts of a level see them. `members` are the seats of each class. TooMuch is
    raised if more than `floods` would have to be made. `changed` is what they do otherwise with
    frames, which is `known` where it was worked out for another level, as are the seats `alike`.
    """

    def __init__(
        self,
        old: Side,
        new: Side,
        level: Level,
        floods: int,
        known: Changed | None = None,
        alike: list[list[SeatName]] | None = None,
    ) -> None:
        self.level = level
        self.changed = known or changed(old.fabric, new.fabric)
        self.sides = old, new
        budget = Budget(floods)
        self.hearing = old.hearing(level, budget), new.hearing(level, budget)
        self.routed: tuple[RoutedReach, RoutedReach] = (
            old.routed(level, self.hearing[0], budget),
            new.routed(level, self.hearing[1], budget),
        )
        self.members: dict[Class, list[SeatName]] = {}
        for names in alike or seats_alike(old, new):
            # Seats that are alike on both sides are one class from the start.
            halves = self._half(0, names[0]), self._half(1, names[0])
            self.members.setdefault(halves, []).extend(names)
        # From here on by numbers: a class takes long to compare, and there are many pairs.
        self._classes = list(self.members)
        self._by_ear: tuple[dict[Ear, list[int]], dict[Ear, list[int]]] = ({}, {})
        for number, a_class in enumerate(self._classes):
            for half, by_ear in zip(a_class, self._by_ear, strict=True):
                if half is not None:
                    by_ear.setdefault(half.ear, []).append(number)
        self._known: dict[tuple[int, int], dict[int, None]] = {}

    def _half(self, side: int, name: SeatName) -> Half | None:
        seat = self.sides[side].seats.get(name)
        # Not there on this side.
        if seat is None:
            return None
        hearing, routed = self.hearing[side], self.routed[side]
        return Half(hearing.sender(seat), hearing.ear(seat), routed.sent.ear(seat))

    def gained(self) -> list[Differing]:
        """The pairs that are there after, and were not before."""
        return [*self._heard(0, 1), *self._passed(0, 1)]

    def lost(self) -> list[Differing]:
        """The pairs that were there before, and are not any more."""
        return [*self._heard(1, 0), *self._passed(1, 0)]

    # --- layer 2 ----------------------------------------------------------------------------------

    def _heard(self, without: int, within: int) -> Iterator[Differing]:
        for number, one in enumerate(self._classes):
            # What no change can touch differs in nothing.
            if not self._is_affected(one):
                continue
            hearers = self._hearers(number, within)
            before = self._hearers(number, without) if hearers else {}
            for other in hearers:
                hearer = self._classes[other]
                # Heard on one side, and not on the other.
                if other not in before and self._have_pairs(one, hearer):
                    yield Differing(Layer.FRAMES, one, hearer)

    def _hearers(self, number: int, side: int) -> dict[int, None]:
        """The numbers of the classes that hear a class on a side, ascending."""
        half = self._classes[number][side]
        if half is None:
            return {}
        # Worked out once for each class and side.
        if (number, side) not in self._known:
            ears = self.hearing[side].hearers(half.sender)
            by_ear = self._by_ear[side]
            hearers = sorted(hearer for ear in ears for hearer in by_ear.get(ear, ()))
            self._known[number, side] = dict.fromkeys(hearers)
        return self._known[number, side]

    def _have_pairs(self, one: Class, other: Class) -> bool:
        """Whether two classes have seats on different wires."""
        wires = {self._wire(self.members[a_class][0]) for a_class in (one, other)}
        # On one wire they hear each other whatever switches do.
        return len(wires) > 1 or any(
            self._wire(name) not in wires
            for a_class in (one, other)
            for name in self.members[a_class]
        )

    def _wire(self, name: SeatName) -> tuple[str, str]:
        side = self.sides[1 if name in self.sides[1].seats else 0]
        return side.wire(name)

    def _is_affected(self, a_class: Class) -> bool:
        """Whether frames of a class can get to a hub that changed, or to a seat that only one side
        has.
        """
        halves = zip(a_class, self._regions_affected, strict=True)
        return any(half is None or half.sender.regions & regions for half, regions in halves)

    @cached_property
    def _regions_affected(self) -> tuple[set[int], set[int]]:
        affected: tuple[set[int], set[int]] = (set(), set())
        lone = self.sides[0].seats.keys() ^ self.sides[1].seats.keys()
        for side, hearing, regions in zip(self.sides, self.hearing, affected, strict=True):
            fabric = side.fabric
            masks: dict[int, int] = {}
            for bridge, mask in self.changed.hubs.items():
                number = fabric.bridge_of.get(bridge)
                # A bridge that only the other side has.
                if number is not None:
                    masks[number] = masks.get(number, 0) | mask
            # Who is on one side only hears, or is heard, in its VLANs.
            for name in lone & side.seats.keys():
                for port, mask in audible(fabric, side.seats[name], self.level).items():
                    number = fabric.bridge_ports[port].bridge
                    masks[number] = masks.get(number, 0) | mask
            for number, mask in masks.items():
                regions |= {hearing.regions.of(number, vid) for vid in bits(mask)}
            regions.discard(-1)
        return affected

    # --- layer 3 ----------------------------------------------------------------------------------

    def _passed(self, without: int, within: int) -> Iterator[Differing]:
        """Pairs of which routers pass more on one side, and frames pass on neither."""
        sources: dict[tuple[tuple[int, int], ...], list[int]] = {}
        targets: dict[tuple[int, ...], list[int]] = {}
        for number, one in enumerate(self._classes):
            entering = tuple(self._entering(one, side) for side in (0, 1))
            sources.setdefault(entering, []).append(number)
            leading = tuple(self._leading(one, side) for side in (0, 1))
            targets.setdefault(leading, []).append(number)
        for entered, some in sources.items():
            for led, others in targets.items():
                passes = [passed(*pair) for pair in zip(entered, led, strict=True)]
                # Not more than before.
                if passes[within] <= passes[without]:
                    continue
                in_part = passes[without] != Passes.NOTHING
                for number in some:
                    one = self._classes[number]
                    beside = self._hearers(number, 0).keys() | self._hearers(number, 1).keys()
                    for other in others:
                        target = self._classes[other]
                        # Whom frames reach anyway needs no router.
                        if other not in beside and self._have_pairs(one, target):
                            yield Differing(Layer.PACKETS, one, target, in_part)

    def _entering(self, a_class: Class, side: int) -> tuple[int, int]:
        half = a_class[side]
        return self.routed[side].entering(half.sender) if half is not None else (0, 0)

    def _leading(self, a_class: Class, side: int) -> int:
        half = a_class[side]
        return self.routed[side].leading(half.routed) if half is not None else 0


def seats_alike(old: Side, new: Side) -> list[list[SeatName]]:
    """The seats of both sides, those together that are of one kind on each side."""
    kinds: dict[tuple[int, int], list[SeatName]] = {}
    for name in sorted({*old.seats, *new.seats}):
        key = tuple(
            side.kinds.of[side.seats[name]] if name in side.seats else -1 for side in (old, new)
        )
        kinds.setdefault((key[0], key[1]), []).append(name)
    return list(kinds.values())
