"""Components of graphs, held against sets that are joined edge by edge."""

from __future__ import annotations

import random
from itertools import pairwise

import numpy as np
import pytest

from inkov.forwarding.components import components

FEW = 12


def by_sets(size: int, edges: list[tuple[int, int]]) -> list[int]:
    """The number of each vertex's component, in the order of their first vertices."""
    within = [{vertex} for vertex in range(size)]
    for one, other in edges:
        joined = within[one] | within[other]
        for vertex in joined:
            within[vertex] = joined
    firsts = sorted({min(each) for each in within})
    return [firsts.index(min(each)) for each in within]


def labels(size: int, edges: list[tuple[int, int]]) -> list[int]:
    ends = np.array(edges, dtype=np.int64).reshape(-1, 2)
    number, label = components(size, ends[:, 0], ends[:, 1])
    assert number == len(set(label.tolist()))
    return list(label)


def test_what_edges_join_is_one() -> None:
    rng = random.Random("components")
    for _ in range(2000):
        size = rng.randint(1, FEW)
        edges = [
            (rng.randrange(size), rng.randrange(size)) for _ in range(rng.randint(0, 2 * size))
        ]
        assert labels(size, edges) == by_sets(size, edges), (size, edges)


@pytest.mark.parametrize("shape", ["path", "mixed path", "zigzag", "star", "comb", "halves"])
def test_long_ways_end(shape: str) -> None:
    """Each of these is one component, and one more vertex stands alone."""
    size = 5000
    order = list(range(size))
    if shape == "mixed path":
        random.Random(shape).shuffle(order)
    elif shape == "zigzag":
        order = [n for pair in zip(range(size), reversed(range(size)), strict=True) for n in pair]
        order = order[:size]
    edges = list(pairwise(order))
    if shape == "star":
        edges = [(size - 1, n) for n in range(size - 1)]
    elif shape == "comb":
        edges = [(size - 1 - n // 2, n) for n in range(size - 1)] + edges[size // 2 - 1 :]
    elif shape == "halves":
        edges = [(n, n - n // 2 - 1) for n in range(1, size)]
    assert labels(size + 1, edges) == [*[0] * size, 1]
