"""Circles in graphs: which edges are on none, which share one, and what falls apart without an edge
or a vertex.

Tarjan, 1972: in a depth-first search, the edges below a vertex that lead back above it tell all of
this. `low` of a vertex is the least depth that edges from it or below it lead back to.
"""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Iterator, Mapping, Sequence
from itertools import accumulate
from typing import NamedTuple

from msgspec import Struct

__all__ = ["Block", "Edge", "Parting", "blocks", "lone_links", "partings"]

Edge = tuple[Hashable, Hashable]


def lone_links(edges: Iterable[Edge]) -> set[int]:
    """The numbers of the edges that are on no circle, of an undirected graph with parallel edges.

    >>> sorted(lone_links([(1, 2), (2, 3), (3, 1), (3, 4), (4, 5), (4, 5)]))
    [3]
    """
    return {block.edges[0] for block in blocks(edges) if len(block.edges) == 1}


class Block(NamedTuple):
    """Edges, by their numbers, of which a circle has any two; or one that is on none. All else that
    the search came to before hangs by `top`, a vertex of it.
    """

    top: Hashable
    edges: list[int]


def blocks(edges: Iterable[Edge]) -> list[Block]:
    """The blocks of an undirected graph with parallel edges. What hangs below a block comes before
    it. Edges from a vertex to itself are in none.

    >>> blocks([(1, 2), (2, 3), (3, 1), (3, 4), (4, 5), (4, 5)])
    [Block(top=4, edges=[4, 5]), Block(top=3, edges=[3]), Block(top=1, edges=[0, 1, 2])]
    """
    beside: dict[Hashable, list[tuple[Hashable, int]]] = {}
    for number, (one, other) in enumerate(edges):
        if one != other:
            beside.setdefault(one, []).append((other, number))
            beside.setdefault(other, []).append((one, number))
    depth: dict[Hashable, int] = {}
    low: dict[Hashable, int] = {}
    parts: list[Block] = []
    passed: list[int] = []
    for root in beside:
        if root in depth:
            continue
        depth[root] = low[root] = 0
        stack = [(root, -1, 0, iter(beside[root]))]
        while stack:
            at, came_by, begin, left = stack[-1]
            for far, number in left:
                # Not the edge that led here; a parallel one is another, and makes a circle.
                if number == came_by:
                    continue
                if far not in depth:
                    depth[far] = low[far] = depth[at] + 1
                    stack.append((far, number, len(passed), iter(beside[far])))
                    passed.append(number)
                    break
                # An edge up the tree: what hangs here has a second way up to there.
                if depth[far] < depth[at]:
                    passed.append(number)
                    low[at] = min(low[at], depth[far])
            else:
                stack.pop()
                if stack:
                    above = stack[-1][0]
                    low[above] = min(low[above], low[at])
                    # Nothing below leads back above: these edges are a block.
                    if low[at] >= depth[above]:
                        parts.append(Block(above, passed[begin:]))
                        del passed[begin:]
    return parts


class Parting(Struct, frozen=True):
    """A graph falls apart without an `edge` (by its number; -1 if it is a vertex that is lost) or
    without a `vertex`: the vertices of each part that count.
    """

    edge: int
    vertex: Hashable
    parts: list[list[Hashable]]


def partings(edges: Sequence[Edge], counting: Mapping[Hashable, int]) -> Iterator[Parting]:
    """All edges and vertices without which vertices that count (`counting`, with a weight) fall
    apart that hang together. Of the parts the heaviest is left out. Linear, but for the parts.

    >>> [(p.edge, p.vertex, p.parts) for p in partings([(1, 2), (2, 3)], {1: 5, 3: 1})]
    [(1, None, [[3]]), (0, None, [[3]]), (-1, 2, [[3]])]
    """
    beside: dict[Hashable, list[tuple[Hashable, int]]] = {}
    for number, (one, other) in enumerate(edges):
        if one != other:
            beside.setdefault(one, []).append((other, number))
            beside.setdefault(other, []).append((one, number))
    entered: set[Hashable] = set()
    for root in beside:
        if root not in entered:
            yield from _Search(beside, counting, root).partings(entered)


class _Search:
    """One connected part. `order` are the vertices that count, as they were come to: those below a
    vertex are next to each other in it.
    """

    def __init__(
        self,
        beside: dict[Hashable, list[tuple[Hashable, int]]],
        counting: Mapping[Hashable, int],
        root: Hashable,
    ) -> None:
        self.beside = beside
        self.counting = counting
        self.root = root
        self.order: list[Hashable] = []
        self.weights: list[int] = []

    def partings(self, entered: set[Hashable]) -> Iterator[Parting]:
        low = {self.root: 0}
        depth = {self.root: 0}
        begin: dict[Hashable, int] = {}
        # Below a vertex, what hangs by it alone, as ranges of the order.
        hanging: dict[Hashable, list[tuple[int, int]]] = {}
        lone: list[tuple[int, tuple[int, int]]] = []
        stack = [(self.root, -1, iter(self.beside[self.root]))]
        self._enter(self.root, begin, entered)
        while stack:
            at, came_by, left = stack[-1]
            for far, number in left:
                if number == came_by:
                    continue
                if far not in depth:
                    depth[far] = low[far] = depth[at] + 1
                    self._enter(far, begin, entered)
                    stack.append((far, number, iter(self.beside[far])))
                    break
                low[at] = min(low[at], depth[far])
            else:
                stack.pop()
                if stack:
                    above = stack[-1][0]
                    low[above] = min(low[above], low[at])
                    below = begin[at], len(self.order)
                    # No way back above, nor to the vertex above itself: only this edge joins them.
                    if low[at] > depth[above]:
                        lone.append((came_by, below))
                    # What is below hangs by the vertex above.
                    if low[at] >= depth[above]:
                        hanging.setdefault(above, []).append(below)
        self.weights = [0, *accumulate(self.counting[item] for item in self.order)]
        for number, below in lone:
            yield from self._parting(number, None, [below])
        for vertex, ranges in hanging.items():
            yield from self._parting(-1, vertex, ranges)

    def _enter(self, vertex: Hashable, begin: dict[Hashable, int], entered: set[Hashable]) -> None:
        entered.add(vertex)
        begin[vertex] = len(self.order)
        if vertex in self.counting:
            self.order.append(vertex)

    def _parting(
        self, edge: int, vertex: Hashable, ranges: list[tuple[int, int]]
    ) -> Iterator[Parting]:
        """What the parts are, if two of them count: those below, and all the rest."""
        below = [(begin, end) for begin, end in ranges if end > begin]
        own = vertex is not None and vertex in self.counting
        rest = len(self.order) - sum(end - begin for begin, end in below) - own
        if len(below) + (rest > 0) < 2:
            return
        ranked = [
            (self.weights[end] - self.weights[begin], end - begin, -begin) for begin, end in below
        ]
        weight = self.weights[-1] - sum(own_weight for own_weight, _, _ in ranked)
        weight -= self.counting[vertex] if own else 0
        heaviest = max(range(len(below)), key=ranked.__getitem__)
        # The rest is the heaviest: it is the part that is not told.
        if rest and (weight, rest) >= ranked[heaviest][:2]:
            yield Parting(edge, vertex, [self.order[begin:end] for begin, end in below])
            return
        parts = [self.order[begin:end] for at, (begin, end) in enumerate(below) if at != heaviest]
        if rest:
            inside = {item for begin, end in below for item in self.order[begin:end]}
            parts.append([i for i in self.order if i not in inside and i != vertex])
        yield Parting(edge, vertex, parts)
