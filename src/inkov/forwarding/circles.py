"""Links without a spare: whose loss alone splits a VLAN (the bridges of a graph, in its own sense).

Tarjan, 1974: an edge of a graph is on no circle exactly if no edge from below it, in a tree of a
depth-first search, leads back above it.
"""

from __future__ import annotations

from collections.abc import Hashable, Iterable

__all__ = ["Edge", "lone_links"]

Edge = tuple[Hashable, Hashable]


def lone_links(edges: Iterable[Edge]) -> set[int]:
    """The numbers of the edges that are on no circle, of an undirected graph with parallel edges.

    >>> sorted(lone_links([(1, 2), (2, 3), (3, 1), (3, 4), (4, 5), (4, 5)]))
    [3]
    """
    beside: dict[Hashable, list[tuple[Hashable, int]]] = {}
    for number, (one, other) in enumerate(edges):
        if one != other:
            beside.setdefault(one, []).append((other, number))
            beside.setdefault(other, []).append((one, number))
    depth: dict[Hashable, int] = {}
    lowest: dict[Hashable, int] = {}
    lone: set[int] = set()
    for root in beside:
        if root in depth:
            continue
        depth[root] = lowest[root] = 0
        stack = [(root, -1, iter(beside[root]))]
        while stack:
            at, came_by, left = stack[-1]
            for far, number in left:
                if number == came_by:
                    continue
                if far in depth:
                    lowest[at] = min(lowest[at], depth[far])
                    continue
                depth[far] = lowest[far] = depth[at] + 1
                stack.append((far, number, iter(beside[far])))
                break
            else:
                stack.pop()
                if stack:
                    above = stack[-1][0]
                    lowest[above] = min(lowest[above], lowest[at])
                    if lowest[at] > depth[above]:
                        lone.add(came_by)
    return lone
