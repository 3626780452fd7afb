"""Which edits are to blame for an effect: the smallest set without which it is not there.

Theory of operation. An edit is undone by applying its inverse to the campus after the change; the
result is resolved anew, and looked at. That is exact, and costs as much as resolving the campus
does, so little of it is done:

1. Edits that cannot matter are left out: those of what decides no frame's way (names, descriptions,
   ...), and those of ports that do, with the ports at the far end of their links, what they did
   before with all VLANs of the regions that the effect is in; and so with VLANs and switches. For
   packets, regions on their way count as well, and what is left is tried.
2. If one edit is left, it is to blame: the effect must come from somewhere.
3. Else edits are undone one by one, those at the places that the effect shows before others. If
   none will do alone, the edits at these places are undone together, and thinned out by halves as
   long as the effect stays away: what is left is a set of which each edit is needed. There may be a
   smaller one (`smallest` is false), unless all smaller ones are few enough to be tried.

`trials` bounds the work. When they are used up, all that may matter are named.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from functools import cached_property
from itertools import combinations
from math import comb

from inkov.campus import Campus
from inkov.edits import Edit, Kind, apply, vids_of
from inkov.effects.effect import Effect
from inkov.effects.hearing import Budget, Hearing, TooMuch
from inkov.effects.relation import Relation
from inkov.effects.routing import Passes, RoutedReach
from inkov.effects.side import SeatName, Side
from inkov.levels import Layer, Level
from inkov.vlanset import ALL_BITS, bits
from inkov.wiring import End

__all__ = ["Blamer", "undone"]

_SMALL = 3  # sets up to this size are all tried
_MOST_SETS = 40
_MOST_SINGLE = 24  # edits elsewhere that are tried one by one
_MOST_PORTS = 16

_NO_MATTER = {
    Kind.PORT: {"description", "mtu", "speed", "guard", "bpdu_guard", "edge", "number", "reading"},
    Kind.VLAN: {"name"},
    Kind.SWITCH: {"tree_mode", "address", "region", "revision", "known_as"},
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
        self._views: Views = {}
        self._known_regions: dict[tuple[int, int, int], frozenset[int]] = {}

    def blame(self, effect: Effect) -> None:
        """Fill in `blame` and `smallest` of an effect."""
        numbers = self._may_matter(effect)
        effect.blame, effect.smallest = [], True
        # With one edit left it must be that one.
        if len(numbers) > 1:
            numbers, effect.smallest = self._fewest(numbers, effect)
        effect.blame = [self.edits[number] for number in numbers]

    # --- which may matter -------------------------------------------------------------------------

    def _may_matter(self, effect: Effect) -> list[int]:
        """The numbers of the edits that may have to do with an effect."""
        decisive = [
            number
            for number, edit in enumerate(self.edits)
            if edit.kind not in _NEVER and edit.attribute not in _NO_MATTER.get(edit.kind, ())
        ]
        within = self._within(effect)
        near = [number for number in decisive if self._is_near(self.edits[number], within, effect)]
        # A make matters by its defaults: where one of these is what changed.
        silent = {self.edits[n].switch for n in near if _is_silent(self.edits[n])}
        near = [
            number
            for number in near
            # A make counts only by a default that changed.
            if self.edits[number].attribute != "platform" or self.edits[number].switch in silent
        ]
        # Nothing near: then any may be it.
        if not near or near == decisive:
            return decisive
        # Frames go no other way than the one that was looked at.
        if effect.layer == Layer.FRAMES:
            return near
        # Packets may get there by routers that are not on the way that was looked at.
        # Without what is near, is the effect gone? Then it is among it.
        try:
            return near if self._gone_without(near, effect) else decisive
        except TooMuch:
            return decisive

    def _is_near(self, edit: Edit, within: dict[str, int], effect: Effect) -> bool:
        """Whether an edit has to do with the VLANs (by switch, as masks) that an effect is in."""
        # Either end may do something else now.
        if edit.kind in (Kind.CABLE, Kind.NEIGHBOUR):
            link = edit.after or edit.before
            ends = (link.device, link.port), (link.far_device, link.far_port)
            return any(self._does_otherwise(end, within) for end in ends)
        # Who sits where may change any effect.
        if edit.kind is Kind.HOST:
            return True
        if edit.kind is Kind.PORT:
            return self._port_is_near(edit, within)
        # What routers do counts wherever the effect passes them.
        if edit.kind is Kind.GATEWAY or edit.kind is Kind.FILTER:
            return edit.switch in within
        touched = vids_of(edit)
        mask = touched.bits if touched is not None and edit.kind is Kind.VLAN else ALL_BITS
        return bool(within.get(edit.switch, 0) & mask) or (edit.whole and edit.kind is Kind.SWITCH)

    def _port_is_near(self, edit: Edit, within: dict[str, int]) -> bool:
        """Whether a port, its bundle, or a port at the far end of its links does anything else with
        these VLANs.
        """
        ends = {(edit.switch, edit.name)}
        for side in self.relation.sides:
            end = End(edit.switch, edit.name)
            # On a side where the port is not there it changes nothing.
            if end in side.fabric.ports:
                own = side.fabric.end_of(*end)
                parent = side.fabric.ports[end].stated.parent
                # A sub-interface does what its port does.
                if parent is not None:
                    own = side.fabric.end_of(edit.switch, parent.value)
                around = (own, *side.fabric.wiring.around(own))
                ends |= {(end.device, end.port) for end in around}
        return any(self._does_otherwise(end, within) for end in ends)

    def _does_otherwise(self, end: tuple[str, str], within: dict[str, int]) -> bool:
        changed = self.relation.changed.ports.get(end, 0)
        for side in self.relation.sides:
            if End(*end) in side.fabric.ports:
                own = side.fabric.end_of(*end)
                changed |= self.relation.changed.ports.get((own.device, own.port), 0)
        return bool(changed & within.get(end[0], 0))

    def _within(self, effect: Effect) -> dict[str, int]:
        """The VLANs, by switch, of the regions that an effect is in before or after."""
        masks: dict[str, int] = {}
        for number, (side, hearing) in enumerate(
            zip(self.relation.sides, self.relation.hearing, strict=True)
        ):
            names = [*effect.row.sources, *effect.row.targets]
            seats = [side.seats[name] for name in names if name in side.seats]
            ears = {hearing.ear(seat) for seat in seats}
            regions = {region for seat in seats for region in hearing.sender(seat).regions}
            for ear in ears:
                regions |= ear.regions
                for place in ear.places:
                    regions |= self._regions_at(number, place.bridge, place.mask)
            # Packets: the routers on the way, and their VLANs.
            if effect.layer == Layer.PACKETS:
                for interface in self.relation.routed[number].routers.up:
                    if interface.device in {step.switch for step in effect.witness}:
                        masks.setdefault(interface.device, 0)
                        regions.add(hearing.regions.of(interface.bridge, interface.vid))
            for region in regions:
                for device, mask in self._changed_in[number].get(region, {}).items():
                    masks[device] = masks.get(device, 0) | mask
        return masks

    def _regions_at(self, side: int, bridge: int, mask: int) -> frozenset[int]:
        """The regions of some VLANs on a bridge; worked out once."""
        key = side, bridge, mask
        if key not in self._known_regions:
            of = self.relation.hearing[side].regions.of
            self._known_regions[key] = frozenset(of(bridge, vid) for vid in bits(mask))
        return self._known_regions[key]

    @cached_property
    def _changed_in(self) -> tuple[dict[int, dict[str, int]], dict[int, dict[str, int]]]:
        """For each side: region -> switch -> the VLANs, as a mask, whose hub there is changed."""
        by_side: tuple[dict[int, dict[str, int]], dict[int, dict[str, int]]] = ({}, {})
        for side, hearing, by_region in zip(
            self.relation.sides, self.relation.hearing, by_side, strict=True
        ):
            for (device, bridge), mask in self.relation.changed.hubs.items():
                at = side.fabric.bridge_of.get((device, bridge))
                # A bridge may be on one side only.
                for vid in bits(mask) if at is not None else ():
                    masks = by_region.setdefault(hearing.regions.of(at or 0, vid), {})
                    masks[device] = masks.get(device, 0) | 1 << vid
        return by_side

    # --- the fewest -------------------------------------------------------------------------------

    def _fewest(self, numbers: list[int], effect: Effect) -> tuple[list[int], bool]:
        """The smallest set without which the effect is gone; and whether that is sure.

        Single edits are tried first, those at the places that the effect shows before others. If
        none will do alone, those places together show how many it takes at most.
        """
        shown = self._shown(numbers, effect)
        others = [number for number in numbers if number not in shown]
        best, sure = numbers, False
        try:
            for number in (*shown, *others[:_MOST_SINGLE]):
                # One edit alone: the smallest there can be.
                if self._gone_without([number], effect):
                    return [number], True
            for some in (shown, numbers, list(range(len(self.edits)))):
                # Together they do it: which of them are needed?
                if some and self._gone_without(some, effect):
                    best = self._thinned(some, effect)
                    break
            # Not all were tried: there may be a smaller set.
            if len(others) > _MOST_SINGLE:
                return best, False
            for size in range(2, min(_SMALL, len(best) - 1) + 1):
                # Too many sets to be sure.
                if comb(len(numbers), size) > _MOST_SETS:
                    return best, False
                for fewer in combinations((*shown, *others), size):
                    # The smallest sets come first.
                    if self._gone_without(fewer, effect):
                        return sorted(fewer), True
            sure = len(best) <= _SMALL + 1
        except TooMuch:
            # What was found so far stands.
            pass
        return best, sure

    def _shown(self, numbers: list[int], effect: Effect) -> list[int]:
        """Those of some edits that are at a place which the effect shows: on its way, at the ports
        of its smaller side, and at the far ends of links there.
        """
        side = min(effect.row.sources, effect.row.targets, key=len)
        places = {(step.switch, step.port) for step in effect.witness}
        places |= {(name.switch, name.port) for name in side[:_MOST_PORTS]}
        for fabric in (side.fabric for side in self.relation.sides):
            for end in [End(*place) for place in places if End(*place) in fabric.ports]:
                places |= {(far.device, far.port) for far in fabric.wiring.around(end)}
        switches = {switch for switch, _ in places}
        return [
            number
            for number in numbers
            for edit in [self.edits[number]]
            # At a place that the effect shows; tables and rows by their switch.
            if (edit.switch, edit.name) in places
            or (edit.kind is not Kind.PORT and edit.switch in switches)
        ]

    def _thinned(self, numbers: list[int], effect: Effect) -> list[int]:
        """Of edits without which an effect is gone, those of which each is needed, by halving and
        leaving out; as far as the trials go.
        """
        size = len(numbers)
        try:
            while size > 1:
                size = (size + 1) // 2
                for part in [numbers[at : at + size] for at in range(0, len(numbers), size)]:
                    left = [number for number in numbers if number not in part]
                    # It goes without these: the part is not needed.
                    if left and self._gone_without(left, effect):
                        numbers = left
        except TooMuch:
            pass
        return numbers

    def _gone_without(self, numbers: Iterable[int], effect: Effect) -> bool:
        """Whether an effect is not there once some edits are undone."""
        side = self._without(frozenset(numbers))
        return not self._is_there(effect, side)

    def _without(self, numbers: frozenset[int]) -> Side:
        # The same set is resolved once.
        if numbers not in self._tried:
            self.trials -= 1
            if self.trials < 0:
                # Trials are bounded: too many would take minutes.
                raise TooMuch
            inverse = [undone(self.edits[number]) for number in sorted(numbers)]
            self._tried[numbers] = self.resolved(apply(self.campus, inverse))
        return self._tried[numbers]

    def _is_there(self, effect: Effect, side: Side) -> bool:
        """Whether any pair of an effect is still gained, or still lost, on a side."""
        reaches = Reaches(side, effect, self._views)
        sources, targets = effect.row.sources, effect.row.targets
        # Gained: any pair that is still there; lost: any that is still missing.
        if effect.gained:
            return reaches.any(sources, targets)
        return not reaches.all(sources, targets)


def _is_silent(edit: Edit) -> bool:
    """Whether nothing is stated before or after, and only a default differs."""
    return not edit.whole and edit.before is None and edit.after is None


Views = dict[tuple[int, Level], tuple[Hearing, RoutedReach]]
"""Who hears and reaches whom on sides that were tried."""


class Reaches:
    """Who reaches whom on one side, at the layer and level of an effect."""

    def __init__(self, side: Side, effect: Effect, views: Views) -> None:
        self.side = side
        key = id(side), effect.level
        # The same side is looked at once for each level.
        if key not in views:
            budget = Budget(10_000)
            hearing = side.hearing(effect.level, budget)
            views[key] = hearing, side.routed(effect.level, hearing, budget)
        self.hearing, routed = views[key]
        self.routed = routed if effect.layer == Layer.PACKETS else None
        self.wanted = Passes.WHOLE if effect.row.in_part else Passes.IN_PART

    def any(self, sources: list[SeatName], targets: list[SeatName]) -> bool:
        """Whether any of some seats reaches any of others on another wire."""
        return any(
            self._reaches(seat, other)
            for seat in self._apart(sources)
            for other in self._apart(targets)
            if self._on_two_wires(seat, other)
        )

    def all(self, sources: list[SeatName], targets: list[SeatName]) -> bool:
        """Whether all of some seats are there and reach all others on another wire."""
        # Who is not there reaches nobody.
        if any(name not in self.side.seats for name in (*sources, *targets)):
            return False
        return all(
            self._reaches(seat, other)
            for seat in self._apart(sources)
            for other in self._apart(targets)
            if self._on_two_wires(seat, other)
        )

    def _apart(self, names: list[SeatName]) -> list[SeatName]:
        """Those of some seats that are there; of many that send and hear alike, two will do: of
        two, one at least is on another wire than a third.
        """
        chosen: dict[object, list[SeatName]] = {}
        for name in names:
            seat = self.side.seats.get(name)
            # Who is not there any more is left out here.
            if seat is not None:
                routed = self.routed.sent.ear(seat) if self.routed is not None else None
                key = self.hearing.sender(seat), self.hearing.ear(seat), routed
                known = chosen.setdefault(key, [])
                wires = {self.side.wire(known_name) for known_name in known}
                # Two of a kind are enough, if on two wires.
                if len(known) < 2 and self.side.wire(name) not in wires:
                    known.append(name)
        return [name for known in chosen.values() for name in known]

    def _on_two_wires(self, one: SeatName, other: SeatName) -> bool:
        return self.side.wire(one) != self.side.wire(other)

    def _reaches(self, one: SeatName, other: SeatName) -> bool:
        seats = self.side.seats
        sender, ear = self.hearing.sender(seats[one]), self.hearing.ear(seats[other])
        # By frames already: routers are not needed.
        if ear in self.hearing.hearers(sender):
            return True
        if self.routed is None:
            return False
        leading = self.routed.leading(self.routed.sent.ear(seats[other]))
        return self.routed.passes(sender, leading, self.wanted)
