"""A VLAN on some switches, joined on every redundant way, with the fewest edits.

## Theory of operation

Switches and the links between them that are up are a graph. A choice of switches gives the VLAN to
these, and to all links between them: on a spare link it would be missed one day. The choice has to
withstand what the campus withstands: if any one link or switch is lost, members that hang together
without it still do so by way of chosen switches. Among these choices one with the fewest edits is
looked for, and among those one with the fewest switches.

This is a question of survivable networks, and is asked as an integer programme. It begins without
any demand; the answer is looked at for links and switches without which members fall apart that
need not (`circles.partings`); for each part that falls off one demand is added, that one of the
links which lead out of it is chosen; and it is asked again, until nothing is wanting. So few of the
exponentially many demands are ever written down.

What a link costs is estimated by its two lists. The edits are then worked out for the links of the
answer alone; where an estimate was wrong, it is asked once more.
"""

from __future__ import annotations

from collections.abc import Collection, Hashable, Iterable, Iterator

from msgspec import Struct, field

from inkov.campus import Mode
from inkov.edits import Edit
from inkov.forwarding import Fabric
from inkov.forwarding.circles import partings
from inkov.forwarding.needed import links_on_ways
from inkov.mend.links import steps_cost
from inkov.mend.ways import Ways

__all__ = ["Spread", "spread"]

_EDIT = 1000  # what an edit weighs against a switch
_MOST_ROUNDS = 200
_MOST_NODES = 5000  # of the search for whole numbers


class Spread(Struct):
    """The edits that join a VLAN. `says` is why there are none, if there are none; `smallest`:
    fewer do not do, among ways that are not longer than they have to be.
    """

    edits: list[Edit] = field(default_factory=list)
    says: str = ""
    smallest: bool = True


class _Edge(Struct, frozen=True):
    """A link between two switches, by its number in the wiring."""

    link: int
    one: int
    other: int

    def crosses(self, part: Collection[int]) -> bool:
        return (self.one in part) != (self.other in part)

    def touches(self, switch: int) -> bool:
        return switch in (self.one, self.other)


def spread(fabric: Fabric, members: Collection[int], vid: int) -> Spread:
    """The fewest edits by which a VLAN joins some bridges and withstands what the campus does."""
    ways = Ways(fabric)
    steps = {bridge: ways.of_bridge(bridge, vid) for bridge in members}
    own = [edit for step in steps.values() if step is not None for edit in step.edits]
    # One switch alone needs no way.
    if len(members) < 2:
        return Spread(own)
    unusable: set[int] = set()
    costs: dict[int, int] = {}
    while True:
        edges = _edges(ways, members, unusable)
        lonely = _not_joined(edges, members)
        # No choice can join what no link joins.
        if lonely:
            names = [fabric.bridges[bridge].device for bridge in lonely]
            return Spread(says=f"no link that is up leads to {' and '.join(sorted(names))}")
        chosen = _Choice(ways, edges, frozenset(members), vid, costs).solve()
        wrong = False
        for edge in chosen.links:
            of_link = ways.of_link(edge.link, vid)
            # No edits make this link pass it: asked again without it.
            if of_link is None:
                unusable.add(edge.link)
                wrong = True
            elif steps_cost(of_link) != chosen.costs[edge.link]:
                # The estimate was wrong: asked again with what it costs.
                costs[edge.link] = steps_cost(of_link)
                wrong = True
        if not wrong:
            break
    edits = list(own)
    for bridge in sorted(chosen.switches - set(members)):
        step = ways.of_bridge(bridge, vid)
        edits += step.edits if step is not None else ()
    for edge in chosen.links:
        edits += [edit for step in ways.of_link(edge.link, vid) or () for edit in step.edits]
    return Spread(edits, smallest=chosen.smallest)


def _edges(ways: Ways, members: Collection[int], unusable: set[int]) -> list[_Edge]:
    """The links that lie on some way between members."""
    fabric = ways.fabric
    graph = {
        bridge: [
            (far, link) for link, far in there if fabric.link_up[link] and link not in unusable
        ]
        for bridge, there in ways.links_at.items()
    }
    on_ways = links_on_ways(graph, set(members))
    edges = {
        link: _Edge(link, min(bridge, far), max(bridge, far))
        for bridge, there in graph.items()
        for far, link in there
        if link in on_ways
    }
    return [edges[link] for link in sorted(edges)]


def _not_joined(edges: list[_Edge], members: Collection[int]) -> list[int]:
    """The members that no link joins with the first."""
    ordered = sorted(members)
    there = _part(edges, ordered[0])
    return [bridge for bridge in ordered if bridge not in there]


def _part(edges: Iterable[_Edge], start: int) -> set[int]:
    """What hangs together with a switch."""
    beside: dict[int, list[int]] = {}
    for edge in edges:
        # Both ways: a link has no direction.
        beside.setdefault(edge.one, []).append(edge.other)
        beside.setdefault(edge.other, []).append(edge.one)
    seen, work = {start}, [start]
    while work:
        for far in beside.get(work.pop(), ()):
            if far not in seen:
                seen.add(far)
                work.append(far)
    return seen


class _Choice:
    """The choice of switches and links for a VLAN."""

    def __init__(
        self,
        ways: Ways,
        edges: list[_Edge],
        members: frozenset[int],
        vid: int,
        known_costs: dict[int, int],
    ) -> None:
        self.ways = ways
        self.edges = edges
        self.members = members
        self.vid = vid
        self.costs = {
            edge.link: known_costs.get(edge.link, self._estimate(edge.link)) for edge in edges
        }
        self.switches: set[int] = set()
        self.links: list[_Edge] = []
        self.smallest = True
        # What the campus itself does not withstand: loss -> the parts it falls into.
        self._given: dict[tuple[int, int], list[set[int]]] = {}
        for loss, parts in self._partings(edges):
            self._given[loss] = parts

    def _estimate(self, link: int) -> int:
        """How many edits a link takes between switches that have the VLAN: a list at each end."""
        # It passes already.
        if self.ways.passed[link] >> self.vid & 1:
            return 0
        wiring = self.ways.fabric.wiring.links[link]
        ends = [self.ways.fabric.ports[end] for end in (wiring.a, wiring.b)]
        return sum(
            end.mode in (Mode.TRUNK, Mode.GENERAL)
            and self.vid
            not in (end.completed.allowed if end.mode is Mode.TRUNK else end.completed.tagged)
            for end in ends
        )

    def _partings(self, edges: list[_Edge]) -> Iterator[tuple[tuple[int, int], list[set[int]]]]:
        """((edge, -1) or (-1, switch), parts): losses by which members fall apart."""
        weights: dict[Hashable, int] = dict.fromkeys(self.members, 1)
        for parting in partings([(edge.one, edge.other) for edge in edges], weights):
            parts = [
                {bridge for bridge in part if isinstance(bridge, int)} for part in parting.parts
            ]
            # A switch is lost, or a link.
            if isinstance(parting.vertex, int):
                yield (-1, parting.vertex), parts
            else:
                yield (edges[parting.edge].link, -1), parts

    def solve(self) -> _Choice:
        """Ask until nothing is wanting."""
        demands: list[
            frozenset[int]
        ] = []  # of some links, by their places in `edges`, one at least
        known: set[frozenset[int]] = set()
        for _ in range(_MOST_ROUNDS):
            self._ask(demands)
            wanting = [demand for demand in self._wanting() if demand not in known]
            # Nothing is wanting any more.
            if not wanting:
                return self
            known.update(wanting)
            demands += sorted(set(wanting), key=sorted)
        # Too many rounds: all links, which surely do.
        self.switches = {end for edge in self.edges for end in (edge.one, edge.other)}
        self.links, self.smallest = self.edges, False
        return self

    def _wanting(self) -> Iterator[frozenset[int]]:
        """What the choice lacks: links of which one at least has to be chosen."""
        left = set(self.members)
        while left:
            part = _part(self.links, min(left))
            left -= part
            # Members that hang together are all there is to want.
            if not self.members <= part:
                yield self._leading_out(part, (-1, -1))
        for loss, parts in self._partings(self.links):
            for members in parts:
                kept = [edge for edge in self.links if not _is_lost(edge, loss)]
                # What falls apart on the whole campus as well cannot be asked for.
                if not self._falls_off_anyway(members, loss):
                    yield self._leading_out(_part(kept, min(members)), loss)

    def _falls_off_anyway(self, members: set[int], loss: tuple[int, int]) -> bool:
        """Whether a loss parts members from all others on the whole campus as well."""
        others = self.members - members - {loss[1]}
        parts = self._given.get(loss)
        # The whole campus withstands it.
        if parts is None:
            return False
        there = [*parts, self.members - set().union(*parts) - {loss[1]}]
        return not any(part & members and part & others for part in there)

    def _leading_out(self, part: set[int], loss: tuple[int, int]) -> frozenset[int]:
        return frozenset(
            number
            for number, edge in enumerate(self.edges)
            if edge.crosses(part) and not _is_lost(edge, loss)
        )

    def _ask(self, demands: list[frozenset[int]]) -> None:
        """Choose the cheapest switches, with all links between them, that meet the demands."""
        others = sorted({end for e in self.edges for end in (e.one, e.other)} - self.members)
        # Nothing to choose, or nothing asked of it.
        chosen = self._cheapest(others, demands) if others and demands else set()
        self.switches = chosen | self.members
        self.links = [
            edge for edge in self.edges if edge.one in self.switches and edge.other in self.switches
        ]

    def _cheapest(self, others: list[int], demands: list[frozenset[int]]) -> set[int]:
        """Those of some switches that meet the demands at the least cost, by an integer program:
        one column for each link, then one for each switch, 1 if it is chosen.
        """
        import numpy as np
        from scipy.optimize import Bounds, LinearConstraint, milp
        from scipy.sparse import csr_array

        place = {bridge: len(self.edges) + number for number, bridge in enumerate(others)}
        rows = [*self._rules(place), *((dict.fromkeys(demand, 1), 1) for demand in demands)]
        weights = self._weights(others)
        matrix = csr_array(
            (
                [value for row, _ in rows for value in row.values()],
                (
                    [number for number, (row, _) in enumerate(rows) for _ in row],
                    [column for row, _ in rows for column in row],
                ),
            ),
            shape=(len(rows), len(weights)),
        )
        least = np.array([bound for _, bound in rows], dtype=float)
        answer = milp(
            np.array(weights, dtype=float),
            integrality=np.ones(len(weights)),
            bounds=Bounds(0, 1),
            constraints=LinearConstraint(matrix, least),
            options={"node_limit": _MOST_NODES, "mip_rel_gap": 0},
        )
        self.smallest = self.smallest and answer.status == 0
        # No answer in time: all of them, which is not the smallest.
        if answer.x is None:
            return set(others)
        return {bridge for bridge in others if answer.x[place[bridge]] > 0.5}

    def _rules(self, place: dict[int, int]) -> Iterator[tuple[dict[int, int], int]]:
        """What any choice keeps to: rows of (column -> coefficient, the least that they come to).
        `place` has the column of each switch that may be chosen.
        """
        touching: dict[int, list[int]] = {}
        for number, edge in enumerate(self.edges):
            free = [place[end] for end in (edge.one, edge.other) if end in place]
            # A link is chosen exactly if both its switches are.
            for column in free:
                yield {column: 1, number: -1}, 0
            yield {number: 1, **dict.fromkeys(free, -1)}, 1 - len(free)
            for end in (edge.one, edge.other):
                touching.setdefault(end, []).append(number)
        # Nobody chooses a switch that leads nowhere.
        for bridge, column in place.items():
            yield {**dict.fromkeys(touching[bridge], 1), column: -2}, 0

    def _weights(self, others: list[int]) -> list[int]:
        """What each link, then each of some switches costs if it is chosen."""
        steps = [self.ways.of_bridge(bridge, self.vid) for bridge in others]
        weights = [self.costs[edge.link] * _EDIT for edge in self.edges]
        # One more for each switch: of two choices with as many edits, the one with fewer.
        return weights + [1 + _EDIT * (len(step.edits) if step else 0) for step in steps]


def _is_lost(edge: _Edge, loss: tuple[int, int]) -> bool:
    return edge.link == loss[0] or edge.touches(loss[1])
