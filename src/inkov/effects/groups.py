"""Groups that a person can read: who is meant by many pairs of seats, without a list of them.

Pairs of classes are put together where they have the same other side; and where both directions
differ alike, they are one row.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from functools import cached_property

from msgspec import Struct
from msgspec.structs import replace

from inkov.campus import natural
from inkov.effects.relation import Differing, Relation
from inkov.effects.side import SeatName, Side
from inkov.levels import Layer, Level
from inkov.plan import Plan
from inkov.vlanset import VlanSet

__all__ = ["Group", "Named", "Row", "beyond", "rows"]


class Row(Struct):
    """Pairs that differ alike: from all seats of `sources` to all of `targets`, and back if
    `both_ways`. `within`: the two are the same, and each reaches the others.
    """

    layer: Layer
    in_part: bool
    sources: list[SeatName]
    targets: list[SeatName]
    both_ways: bool
    within: bool


def rows(differing: Iterable[Differing], relation: Relation) -> list[Row]:
    """The rows of some pairs of classes: frames before packets."""
    classes = list(relation.members)
    number = {a_class: n for n, a_class in enumerate(classes)}
    kinds: dict[tuple[Layer, bool], dict[int, set[int]]] = {}
    for pair in differing:
        targets_of = kinds.setdefault((pair.layer, pair.in_part), {})
        targets_of.setdefault(number[pair.sources], set()).add(number[pair.targets])

    def seats(numbers: Iterable[int]) -> list[SeatName]:
        names = [name for n in numbers for name in relation.members[classes[n]]]
        return sorted(names, key=lambda name: (natural(name.switch), natural(name.port), name.tag))

    listed: list[Row] = []
    for (layer, in_part), targets_of in kinds.items():
        size = {n: len(relation.members[classes[n]]) for n in range(len(classes))}
        for ones, others, both_ways in _together(targets_of, size):
            listed.append(Row(layer, in_part, seats(ones), seats(others), both_ways, False))
        # A class that reaches itself is a row of its own.
        for own in (own for own, others in targets_of.items() if own in others):
            listed.append(Row(layer, in_part, seats([own]), seats([own]), True, True))
    return listed


def beyond(listed: Iterable[Row], told: Iterable[Row]) -> Iterator[Row]:
    """Some rows without what others tell already: who is in a row only for such pairs is left out
    of it, and a row of nothing else goes.
    """
    known = [
        (row, frozenset(sides[0]), frozenset(sides[1]))
        for row in told
        # Both ways: the other way round as well.
        for sides in ((row.sources, row.targets), (row.targets, row.sources))[: 1 + row.both_ways]
    ]
    for row in listed:
        sources, targets = set(row.sources), set(row.targets)
        for other, theirs, reached in known:
            # By other means, or only one way of two.
            if other.layer != row.layer or (row.both_ways and not other.both_ways):
                continue
            sources, targets = (
                sources - theirs if targets <= reached else sources,
                targets - reached if sources <= theirs else targets,
            )
        # Who is on both sides of a row within stays on both.
        if row.within and sources and targets:
            yield row
        elif sources and targets:
            yield replace(
                row,
                sources=[name for name in row.sources if name in sources],
                targets=[name for name in row.targets if name in targets],
            )


Numbers = tuple[int, ...]


def _together(
    targets_of: dict[int, set[int]], size: dict[int, int]
) -> Iterator[tuple[Numbers, Numbers, bool]]:
    """All pairs of different classes in few rows: each as (sources, targets, both ways).

    Classes with the same others are one (all VLANs that a new gateway joins). Of what is left, the
    smallest is told first, with all that it differs towards, and is done with: so where islands are
    joined, each is told once, as what joins the others.
    """
    towards: dict[int, set[int]] = {}
    from_: dict[int, set[int]] = {}
    for one, others in targets_of.items():
        # To itself: told as "among themselves".
        for other in others - {one}:
            towards.setdefault(one, set()).add(other)
            from_.setdefault(other, set()).add(one)
    alike: dict[tuple[frozenset[int], frozenset[int]], list[int]] = {}
    for one in sorted({*towards, *from_}):
        key = frozenset(towards.get(one, ())), frozenset(from_.get(one, ()))
        alike.setdefault(key, []).append(one)
    left = {tuple(ones): key for key, ones in alike.items()}
    done: set[int] = set()
    # The smallest first: few that join many.
    for ones in sorted(left, key=lambda ones: (sum(size[n] for n in ones), ones)):
        to, back = (set(others) - done for others in left[ones])
        # Both ways where both are lost or gained, then what is one way only.
        for others, both_ways in ((to & back, True), (to - back, False)):
            if others:
                yield ones, tuple(sorted(others)), both_ways
        # And what only comes back.
        if back - to:
            yield tuple(sorted(back - to)), ones, False
        done.update(ones)


_MANY = 100


class Group(Struct):
    """Who is meant, in terms of one side. `segments` and `vlans` are those that all are in
    together; `everyone`: nobody else is in them. `ports` are all of them by name; there are
    `count`, on `switches`.
    """

    segments: list[str]
    vlans: VlanSet
    everyone: bool
    count: int
    switches: list[str]
    ports: list[str]
    hosts: list[str]

    @property
    def listed(self) -> bool:
        """False where the ports need not be listed: the VLANs say who is meant."""
        return not self.everyone or self.count <= _MANY


class Named:
    """Names the seats of one side, by its plan or another one."""

    def __init__(self, side: Side, plan: Plan | None = None) -> None:
        self.side = side
        says = (plan or side.plan).says
        self._segments = {name: segment.vlans for name, segment in says.segments.items()}
        for vid, vlan in says.vlans.items():
            # A VLAN may be given to a segment at the segment, or at the VLAN.
            if vlan.segment:
                own = self._segments.get(vlan.segment, VlanSet())
                self._segments[vlan.segment] = own | VlanSet.of(vid)
        self._known: dict[int, frozenset[str]] = {}

    def segments_of(self, name: SeatName) -> frozenset[str]:
        """The segments that a seat is in; a VLAN in none is one of its own."""
        seat = self.side.seats.get(name)
        # Not on this side: in no segment of it.
        if seat is None:
            return frozenset()
        if seat.vid not in self._known:
            self._known[seat.vid] = frozenset(
                s for s, vlans in self._segments.items() if seat.vid in vlans
            )
        return self._known[seat.vid] or frozenset(
            [f"VLAN {seat.vid}" if seat.vid else f"{name.switch}:{name.port}"]
        )

    def group(self, names: list[SeatName]) -> Group:
        """A group of seats, those that are not on this side left out."""
        here = [name for name in names if name in self.side.seats]
        vids = VlanSet.from_vids({self.side.seats[name].vid for name in here} - {0})
        among = set(here)
        everyone = all(among.issuperset(self._of_vlan.get(vid, ())) for vid in vids) and not any(
            self.side.seats[name].vid == 0 for name in here
        )
        segments = [s for s, vlans in self._segments.items() if vids and vlans & vids]
        ports = list(dict.fromkeys(_port(name) for name in here))
        at = self.side.hosts_at[Level.HONEST]
        hosts = [host for name in here for host in at.get(name, ())]
        return Group(
            segments=segments,
            vlans=vids,
            everyone=everyone and bool(here),
            count=len(here),
            switches=list(dict.fromkeys(name.switch for name in here)),
            ports=ports,
            hosts=list(dict.fromkeys(hosts)),
        )

    @cached_property
    def _of_vlan(self) -> dict[int, list[SeatName]]:
        names: dict[int, list[SeatName]] = {}
        for name, seat in self.side.seats.items():
            names.setdefault(seat.vid, []).append(name)
        return names


def _port(name: SeatName) -> str:
    tagged = f" tagged {name.tag}" if name.tag and not name.port.endswith(f".{name.tag}") else ""
    return f"{name.switch}:{name.port}{tagged}"
