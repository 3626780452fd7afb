"""Which edits are to blame for an effect: the smallest set without which it is not there.

Theory of operation. An edit is undone by applying its inverse to the campus after the change; the
result is resolved anew, and looked at. That is exact, and costs as much as resolving the campus
does, so little of it is done:

1. Edits that cannot matter are left out: those of what decides no frame's way (names, descriptions,
   ...), and those of switches that have, with the switches beside them, no part in what changed in
   the regions that the effect is in.
2. If one edit is left, it is to blame: the effect must come from somewhere.
3. Else sets of edits are undone, the smallest first. Where there are too many, they are halved as
   long as a half will do, and then thinned out one by one: what is left is a set of which each edit
   is needed, though there may be a smaller one (`smallest` is false).

`trials` bounds the work. When they are used up, all that may matter are named.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from itertools import combinations

from inkov.campus import Campus
from inkov.edits import Edit, Kind, apply
from inkov.effects.changed import changed_hubs
from inkov.effects.effect import Effect
from inkov.effects.hearing import Budget, TooMuch
from inkov.effects.relation import Relation
from inkov.effects.routing import Passes
from inkov.effects.side import SeatName, Side
from inkov.levels import Layer
from inkov.vlanset import bits

__all__ = ["Blamer", "undone"]

_SMALL = 3  # sets up to this size are all tried
_MOST_SETS = 40

_NO_MATTER = {
    Kind.PORT: {"description", "mtu", "speed", "guard", "bpdu_guard", "edge", "reading"},
    Kind.VLAN: {"name"},
}
"""What decides no frame's way. The tree is judged over all links (FM 3.10)."""

_NEVER = {Kind.TREE, Kind.DISTRIBUTION, Kind.PLANNED, Kind.SECOND_SOURCE}


def undone(edit: Edit) -> Edit:
    """The edit that undoes another one."""
    return Edit(
        edit.switch,
        edit.kind,
        edit.name,
        edit.attribute,
        edit.after,
        edit.before,
        edit.becomes,
        edit.was,
    )


class Blamer:
    """Finds the edits to blame for effects. `resolved` makes a side of a campus."""

    def __init__(
        self,
        campus: Campus,
        edits: Sequence[Edit],
        relation: Relation,
        resolved: Callable[[Campus], Side],
        trials: int,
    ) -> None:
        self.campus = campus
        self.edits = edits
        self.relation = relation
        self.resolved = resolved
        self.trials = trials
        self._tried: dict[frozenset[int], Side] = {}
        old, new = (side.fabric for side in relation.sides)
        self._hubs = changed_hubs(old, new)

    def blame(self, effect: Effect) -> None:
        """Fill in `blame` and `smallest` of an effect."""
        numbers = [n for n, edit in enumerate(self.edits) if self._may_matter(edit, effect)]
        effect.blame, effect.smallest = [], True
        if len(numbers) > 1:
            numbers, effect.smallest = self._fewest(numbers, effect)
        effect.blame = [self.edits[number] for number in numbers]

    # --- which may matter -------------------------------------------------------------------------

    def _may_matter(self, edit: Edit, effect: Effect) -> bool:
        if edit.kind in _NEVER or edit.attribute in _NO_MATTER.get(edit.kind, ()):
            return False
        if edit.kind is Kind.GATEWAY or edit.kind is Kind.FILTER:
            return effect.layer == Layer.PACKETS or edit.kind is Kind.GATEWAY
        if effect.layer == Layer.PACKETS or edit.kind in (Kind.CABLE, Kind.NEIGHBOUR, Kind.HOST):
            return True
        if edit.kind is Kind.PORT and not edit.whole:
            return self._port_matters(edit, effect)
        if edit.kind is Kind.VLAN:
            return edit.switch in self._switches(effect)
        return True

    def _port_matters(self, edit: Edit, effect: Effect) -> bool:
        """Whether a port, its bundle, or a port at the far end of its links does anything else with
        a VLAN of the regions of an effect.
        """
        for side in self.relation.sides:
            device = side.fabric.campus.devices.get(edit.switch)
            port = device.ports.get(edit.name) if device is not None else None
            if port is None or port.bundle is not None or port.parent is not None:
                return True
        return edit.switch in self._switches(effect)

    def _switches(self, effect: Effect) -> set[str]:
        """The switches with a hub that changed in the regions that an effect is in, and those
        beside them.
        """
        found: set[str] = set()
        for side, hearing in zip(self.relation.sides, self.relation.hearing, strict=True):
            fabric = side.fabric
            regions: set[int] = set()
            for name in (*effect.row.sources, *effect.row.targets):
                if name in side.seats:
                    seat = side.seats[name]
                    regions |= hearing.sender(seat).regions
                    regions |= hearing.ears[seat].regions
                    for place in hearing.ears[seat].places:
                        regions |= {
                            hearing.regions.of(place.bridge, vid) for vid in bits(place.mask)
                        }
            for bridge, mask in self._hubs.items():
                number = fabric.bridge_of.get(bridge)
                changed = bits(mask) if number is not None else ()
                touched = {hearing.regions.of(number or 0, vid) for vid in changed}
                if number is None or touched & regions:
                    found.add(bridge[0])
        beside = set(found)
        for side in self.relation.sides:
            for link in side.fabric.wiring.links:
                if {link.a.device, link.b.device} & found:
                    beside |= {link.a.device, link.b.device}
        return beside

    # --- the fewest -------------------------------------------------------------------------------

    def _fewest(self, numbers: list[int], effect: Effect) -> tuple[list[int], bool]:
        """The smallest set without which the effect is gone; and whether that is sure."""
        try:
            tried = 0
            for size in range(1, min(_SMALL, len(numbers)) + 1):
                for some in combinations(numbers, size):
                    tried += 1
                    if tried > _MOST_SETS:
                        return self._thinned(numbers, effect), False
                    if self._gone_without(some, effect):
                        return list(some), True
            return self._thinned(numbers, effect), len(numbers) == _SMALL + 1
        except TooMuch:
            return numbers, False

    def _thinned(self, numbers: list[int], effect: Effect) -> list[int]:
        """A set of edits of which each is needed, by halving and leaving out."""
        if not self._gone_without(numbers, effect):
            return numbers
        half = len(numbers) // 2
        while half:
            parts = [numbers[at : at + half] for at in range(0, len(numbers), half)]
            for part in parts:
                left = [number for number in numbers if number not in part]
                if left and self._gone_without(left, effect):
                    numbers = left
            half //= 2
        return numbers

    def _gone_without(self, numbers: Iterable[int], effect: Effect) -> bool:
        """Whether an effect is not there once some edits are undone."""
        side = self._without(frozenset(numbers))
        return not self._is_there(effect, side)

    def _without(self, numbers: frozenset[int]) -> Side:
        if numbers not in self._tried:
            self.trials -= 1
            if self.trials < 0:
                raise TooMuch
            inverse = [undone(self.edits[number]) for number in sorted(numbers)]
            self._tried[numbers] = self.resolved(apply(self.campus, inverse))
        return self._tried[numbers]

    def _is_there(self, effect: Effect, side: Side) -> bool:
        """Whether any pair of an effect is still gained, or still lost, on a side."""
        reaches = Reaches(side, effect)
        sources, targets = effect.row.sources, effect.row.targets
        if effect.gained:
            return reaches.any(sources, targets)
        return not reaches.all(sources, targets)


class Reaches:
    """Who reaches whom on one side, at the layer and level of an effect."""

    def __init__(self, side: Side, effect: Effect) -> None:
        budget = Budget(10_000)
        self.side = side
        self.hearing = side.hearing(effect.level, budget)
        self.routed = (
            side.routed(effect.level, self.hearing, budget)
            if effect.layer == Layer.PACKETS
            else None
        )
        self.wanted = Passes.WHOLE if effect.row.in_part else Passes.IN_PART
        self._answers: dict[object, bool] = {}

    def any(self, sources: list[SeatName], targets: list[SeatName]) -> bool:
        """Whether any of some seats reaches any of others on another wire."""
        return any(
            self._reaches(one, other)
            for one in self._apart(sources)
            for other in self._apart(targets)
            if self._on_two_wires(one, other)
        )

    def all(self, sources: list[SeatName], targets: list[SeatName]) -> bool:
        """Whether all of some seats are there and reach all others on another wire."""
        if any(name not in self.side.seats for name in (*sources, *targets)):
            return False
        return all(
            self._reaches(one, other)
            for one in self._apart(sources)
            for other in self._apart(targets)
            if self._on_two_wires(one, other)
        )

    def _apart(self, names: list[SeatName]) -> list[SeatName]:
        """Those of some seats that are there; of many that send and hear alike, two will do: of
        two, one at least is on another wire than a third.
        """
        chosen: dict[object, list[SeatName]] = {}
        for name in names:
            seat = self.side.seats.get(name)
            if seat is not None:
                routed = self.routed.sent.ears[seat] if self.routed is not None else None
                key = self.hearing.sender(seat), self.hearing.ears[seat], routed
                known = chosen.setdefault(key, [])
                wires = {self.side.wire(other) for other in known}
                if len(known) < 2 and self.side.wire(name) not in wires:
                    known.append(name)
        return [name for known in chosen.values() for name in known]

    def _on_two_wires(self, one: SeatName, other: SeatName) -> bool:
        return self.side.wire(one) != self.side.wire(other)

    def _reaches(self, one: SeatName, other: SeatName) -> bool:
        seats = self.side.seats
        sender, ear = self.hearing.sender(seats[one]), self.hearing.ears[seats[other]]
        if ear in self.hearing.hearers(sender):
            return True
        if self.routed is None:
            return False
        leading = self.routed.leading(self.routed.sent.ears[seats[other]])
        return self.routed.passes(sender, leading) >= self.wanted
