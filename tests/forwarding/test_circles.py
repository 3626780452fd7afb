"""Blocks, lone links and partings, against networkx."""

from __future__ import annotations

from collections.abc import Hashable

import networkx as nx
from hypothesis import given, settings
from hypothesis import strategies as st

from inkov.forwarding.circles import blocks, lone_links, partings
from tests.conftest import cases

EDGES = st.lists(st.tuples(st.integers(0, 8), st.integers(0, 8)), max_size=14)
WEIGHTS = st.dictionaries(st.integers(0, 8), st.integers(1, 9))


def graph_of(edges: list[tuple[int, int]]) -> nx.MultiGraph[int]:
    graph: nx.MultiGraph[int] = nx.MultiGraph()
    for number, (one, other) in enumerate(edges):
        graph.add_edge(one, other, number)
    return graph


@settings(max_examples=cases("GRAPHS", 300, least=100))
@given(EDGES)
def test_blocks(edges: list[tuple[int, int]]) -> None:
    """What hangs below a block comes first: all but its top are in no later block."""
    found = blocks(edges)
    numbers = [number for _, own in found for number in own]
    assert sorted(numbers) == [n for n, (one, other) in enumerate(edges) if one != other]
    plain = nx.Graph(edge for edge in edges if edge[0] != edge[1])
    parts = {frozenset(part) for part in nx.biconnected_components(plain)}
    vertices = [{vertex for number in own for vertex in edges[number]} for _, own in found]
    assert {frozenset(part) for part in vertices} == parts and len(found) == len(parts)
    for at, (top, _) in enumerate(found):
        assert top in vertices[at]
        later = set[object]().union(*vertices[at + 1 :])
        assert not (vertices[at] - {top}) & later
    graph = graph_of(edges)
    alone = {
        number
        for number, (one, other) in enumerate(edges)
        if not nx.has_path(nx.restricted_view(graph, [], [(one, other, number)]), one, other)
    }
    assert lone_links(edges) == alone


@settings(max_examples=cases("GRAPHS", 300, least=100))
@given(EDGES, WEIGHTS)
def test_partings(edges: list[tuple[int, int]], weights: dict[int, int]) -> None:
    """Each edge and vertex is taken away; the heaviest part is not told, of several any."""
    graph = graph_of(edges)
    expected: dict[tuple[int, object], set[frozenset[int]]] = {}
    for hung in nx.connected_components(graph):
        own = graph.subgraph(hung)
        for edge in own.edges(keys=True):
            expected[edge[2], None] = parts_of(nx.restricted_view(own, [], [edge]), weights)
        for vertex in hung:
            expected[-1, vertex] = parts_of(nx.restricted_view(own, [vertex], []), weights)
    apart = {loss: parts for loss, parts in expected.items() if len(parts) > 1}
    counting: dict[Hashable, int] = dict(weights.items())
    found = {(one.edge, one.vertex): one.parts for one in partings(edges, counting)}
    assert found.keys() == apart.keys()
    for loss, told in found.items():
        sets = [frozenset(part) for part in told]
        [left] = apart[loss] - set(sets)
        assert set(sets) | {left} == apart[loss] and len(sets) == len(apart[loss]) - 1
        assert weight(left, weights) == max(weight(part, weights) for part in apart[loss])


def parts_of(graph: nx.MultiGraph[int], weights: dict[int, int]) -> set[frozenset[int]]:
    """The vertices that count, of each part that has any."""
    parts = {frozenset(part & weights.keys()) for part in nx.connected_components(graph)}
    return parts - {frozenset()}


def weight(part: frozenset[int], weights: dict[int, int]) -> int:
    return sum(weights[vertex] for vertex in part)
