"""An effect of a change: who reaches whom that did not, or no longer does; shown, and blamed.

Each effect is a row of pairs (`groups`) that are alike. Of one of these pairs a way is told, frame
by frame: how it gets there now, or where it stops now. And the edits are named that are to blame:
undo them, and the effect is gone (`blame`).
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from itertools import islice

from msgspec import Struct, field

from inkov.campus import Origin
from inkov.edits import Edit
from inkov.effects.groups import Group, Named, Row, beyond, rows
from inkov.effects.relation import Relation
from inkov.effects.routing import Passes, passed
from inkov.effects.side import SeatName, Side
from inkov.effects.witness import lost_way, new_way
from inkov.forwarding.follow import Step
from inkov.levels import Layer, Level
from inkov.vlanset import union

__all__ = ["Effect", "effects_of"]


_LOOKED_AT = 8  # pairs, for one that frames can reach within a single tree


class Effect(Struct):
    """Pairs gained or lost. `sources` and `targets` are as they are called where the pairs are
    there: after the change for what is gained, before it for what is lost.

    `crosses`: some pair is of two that share no segment; at layer 3, and of two segments of which
    nothing was routed from one to the other before. `witness` shows one pair; `settled` is
    false where only ways are known that pass a switch twice (FM 3.10). `blame` are the edits
    without which the effect is not there; `smallest` is false if fewer might do.
    `vid_of` has the VLAN of each seat, `hosts_at` the named hosts that may be in it at the level.
    `follows`: a row by routers of seats that are new, or gone, and for which a row by frames tells
    that.
    """

    gained: bool
    level: Level
    row: Row
    sources: Group
    targets: Group
    crosses: bool
    witness: list[Step] = field(default_factory=list)
    settled: bool = True
    blame: list[Edit] = field(default_factory=list)
    smallest: bool = True
    follows: bool = False
    vid_of: dict[SeatName, int] = field(default_factory=dict)
    hosts_at: dict[SeatName, list[str]] = field(default_factory=dict)

    @property
    def layer(self) -> Layer:
        return self.row.layer

    @property
    def vids(self) -> tuple[int, int]:
        """The VLANs of both sides, as masks. Who is in none is bit 0, which no VLAN has: what is
        said of VLANs is not said of him.
        """
        one, other = (
            union(1 << self.vid_of[seat] for seat in seats)
            for seats in (self.row.sources, self.row.targets)
        )
        return one, other

    @property
    def place(self) -> Origin:
        """The line to look at first: of the first edit to blame, or else of the witness."""
        for edit in self.blame:
            for origin in (edit.where[1], edit.where[0]):
                if origin is not None:
                    return origin
        # Without an edit to blame, where the frame stops or is heard.
        return self.witness[-1].origin if self.witness else Origin()


def effects_of(relation: Relation, beside: Iterable[Effect] = ()) -> list[Effect]:
    """All effects at the level of a relation, what is gained first; each with its witness. What
    those `beside` it, of honest hosts, tell already is left out.
    """
    old, new = relation.sides
    honest = list(beside)
    effects = []
    known: SegmentReach | None = None
    for gained, differing in ((True, relation.gained()), (False, relation.lost())):
        # Who moves a border moves it for others: the plan before counts as well.
        by_plans = [Named(new if gained else old, side.plan) for side in (old, new)]
        named = by_plans[gained]
        told = [effect.row for effect in honest if effect.gained is gained]
        for row in beyond(rows(differing, relation), told):
            # Only packets need it: it costs a look at all routers.
            if row.layer == Layer.PACKETS and known is None:
                known = SegmentReach(relation, 0)
            effect = Effect(
                gained,
                relation.level,
                row,
                named.group(row.sources),
                named.group(row.targets),
                any(
                    _crosses(naming, row, known if row.layer == Layer.PACKETS else None)
                    for naming in (by_plans if old.plan is not new.plan else [named])
                ),
                vid_of={
                    name: named.side.seats[name].vid
                    for name in (*row.sources, *row.targets)
                    if name in named.side.seats
                },
                hosts_at=named.side.hosts_at[relation.level],
            )
            _show(effect, relation)
            effects.append(effect)
    _mark_what_follows(effects, relation)
    return effects


def _mark_what_follows(effects: list[Effect], relation: Relation) -> None:
    told: dict[bool, set[SeatName]] = {True: set(), False: set()}
    for effect in effects:
        # Rows by frames first, whichever order they came in.
        if effect.layer == Layer.FRAMES:
            told[effect.gained] |= {*effect.row.sources, *effect.row.targets}
    for effect in effects:
        if effect.layer == Layer.PACKETS:
            absent = relation.sides[0 if effect.gained else 1].seats
            effect.follows = any(
                # The other side does not have it, and a row by frames says so.
                all(name not in absent and name in told[effect.gained] for name in names)
                for names in (effect.row.sources, effect.row.targets)
            )


def _crosses(named: Named, row: Row, known: SegmentReach | None) -> bool:
    """Whether any pair of a row shares no segment, and nothing that is `known` already."""
    sides = [{named.segments_of(name) for name in names} for names in (row.sources, row.targets)]
    return any(
        not one & other and not (known is not None and known.reach(one, other, row.in_part))
        for one in sides[0]
        for other in sides[1]
    ) or (row.both_ways and not row.within and _crosses(named, turned(row), known))


def turned(row: Row) -> Row:
    """A row the other way round, once."""
    return Row(row.layer, row.in_part, row.targets, row.sources, False, False)


class SegmentReach:
    """Which segments reach which by routers on one side, whoever in them does."""

    def __init__(self, relation: Relation, side: int) -> None:
        named, routed = Named(relation.sides[side]), relation.routed[side]
        self._entering: dict[str, tuple[int, int]] = {}
        self._leading: dict[str, int] = {}
        for a_class, names in relation.members.items():
            # Not there on that side: it reaches nobody.
            half = a_class[side]
            if half is None:
                continue
            whole, part = routed.entering(half.sender)
            leading = routed.leading(half.routed)
            for segment in frozenset().union(*map(named.segments_of, names)):
                known = self._entering.get(segment, (0, 0))
                self._entering[segment] = known[0] | whole, known[1] | part
                self._leading[segment] = self._leading.get(segment, 0) | leading

    def reach(self, ones: frozenset[str], others: frozenset[str], whole: bool) -> bool:
        """Whether any of some segments reaches any of others; with all packets, if `whole`."""
        least = Passes.WHOLE if whole else Passes.IN_PART
        return any(
            passed(self._entering.get(one, (0, 0)), self._leading.get(other, 0)) >= least
            for one in ones
            for other in others
        )


def _show(effect: Effect, relation: Relation) -> None:
    """Tell the way of one pair of an effect: of what is gained one that can happen, if any of those
    that are looked at does.
    """
    old, new = relation.sides
    pairs = pairs_of(effect.row, new if effect.gained else old)
    # What is lost stops somewhere: one pair shows it.
    if not effect.gained:
        effect.witness = lost_way(relation, effect.layer, *next(pairs))
        return
    for source, target in islice(pairs, _LOOKED_AT):
        effect.witness, effect.settled = new_way(relation, effect.layer, source, target)
        # A way that can happen is enough.
        if effect.settled:
            return


def pairs_of(row: Row, side: Side) -> Iterator[tuple[SeatName, SeatName]]:
    """The pairs of a row, on two wires; named hosts first, and such on two switches."""
    named = side.hosts_at[Level.HONEST]

    def order(name: SeatName) -> bool:
        return name not in named

    sources, targets = sorted(row.sources, key=order), sorted(row.targets, key=order)
    for apart in (True, False):
        for source in sources:
            for target in targets:
                on_two_wires = side.wire(source) != side.wire(target)
                # First pairs on two switches, then those on one.
                if on_two_wires and (source.switch != target.switch) is apart:
                    yield source, target
