"""Elections, held against bridges that send messages until nothing changes."""

from __future__ import annotations

import random
from collections.abc import Collection
from functools import partial
from itertools import permutations
from typing import Any

from inkov.forwarding.trees.election import (
    TreeBridge,
    TreePort,
    elect,
    elect_instance,
)
from inkov.forwarding.trees.order import MOST_OUTCOMES, Identifier, Order, outcomes
from inkov.forwarding.trees.reelection import Reelection
from tests.conftest import cases
from tests.forwarding.trees.messages import settle

GRAPHS = cases("TREES", 2000)
Graph = tuple[dict[int, dict[str, Any]], dict[int, dict[str, Any]]]


def graph(rng: random.Random, most: int = 7, kinds: str = "plain") -> Graph:
    """A random graph: wires between two bridges mostly, some with three or one, some from a bridge
    to itself.
    """
    number = rng.randint(2, most)
    priorities = rng.choice([[32768], [4096, 32768], [0, 4096, 8192, 32768]])
    addresses = rng.sample(range(1, 100), number)
    bridges: dict[int, dict[str, Any]] = {
        n: {
            "id": (rng.choice(priorities), addresses[n]),
            "region": rng.choice([None, "a", "a", "b"]) if kinds == "regions" else None,
            "legacy": False,
        }
        for n in range(number)
    }
    for one in bridges.values():
        one["legacy"] = one["region"] is None and rng.random() < 0.3
    ports: dict[int, dict[str, Any]] = {}
    counts = dict.fromkeys(bridges, 0)
    for wire in range(rng.randint(number - 1, 2 * number + 1)):
        ends = rng.choices([2, 2, 2, 2, 1, 3], k=1)[0]
        on = [rng.randrange(number) for _ in range(ends)]
        regions = {bridges[one]["region"] for one in on}
        if len(on) > 2 and len(regions) > 1:
            on = on[:2]
        for bridge in on:
            counts[bridge] += 1
            ports[len(ports)] = {
                "bridge": bridge,
                "wire": wire,
                "cost": rng.choice([1, 2, 2, 4]),
                "external": rng.choice([0, 0, 1, 3]),
                "id": (rng.choice([16, 128, 128, 128]), counts[bridge]),
                "restricted": kinds != "plain" and rng.random() < 0.1,
            }
    return bridges, ports


def given(
    graph: Graph, unknown: Collection[int] = ()
) -> tuple[dict[int, TreeBridge], dict[int, TreePort]]:
    """A graph as the program has it; of some bridges the address is not known."""
    bridges, ports = graph
    return {
        n: TreeBridge(
            Identifier(one["id"][0], None if n in unknown else one["id"][1]),
            one["region"],
            one["legacy"],
        )
        for n, one in bridges.items()
    }, {
        n: TreePort(
            one["bridge"],
            one["wire"],
            one["cost"],
            Identifier(*one["id"]),
            one["restricted"],
            one["external"],
        )
        for n, one in ports.items()
    }


def ours(graph: Graph, unknown: Collection[int] = (), order: Order | None = None) -> dict[int, str]:
    elected = elect(*given(graph, unknown), order or Order())
    return {number: str(role) for number, role in elected.roles.items()}


def test_roles_are_those_that_messages_lead_to() -> None:
    seen = dict.fromkeys(("root", "designated", "alternate", "backup"), 0)
    for number in range(GRAPHS):
        kinds = ("plain", "guards", "regions")[number % 3]
        one = graph(random.Random(f"election {number}"), kinds=kinds)
        expected = settle(*one)
        assert ours(one) == expected, (number, kinds)
        for role in expected.values():
            seen[role] += 1
    assert min(seen.values()) > GRAPHS / 20, seen


def test_unknown_addresses_give_the_outcomes_that_some_addresses_give() -> None:
    several = 0
    for number in range(GRAPHS // 10):
        rng = random.Random(f"unknown {number}")
        one = graph(rng, 5, kinds=("plain", "regions")[number % 2])
        bridges, ports = one
        unknown = {n for n in bridges if rng.random() < 0.6}
        expected = set()
        known = [bridge["id"][1] for n, bridge in bridges.items() if n not in unknown]
        for places in permutations(range(len(bridges))):
            tried = {
                n: bridge | {"id": (bridge["id"][0], places[n])} for n, bridge in bridges.items()
            }
            kept = [tried[n]["id"][1] for n in bridges if n not in unknown]
            if sorted(range(len(kept)), key=kept.__getitem__) == sorted(
                range(len(known)), key=known.__getitem__
            ):
                expected.add(tuple(sorted(settle(tried, ports).items())))
        found, complete = outcomes(partial(ours, one, unknown))
        told = {tuple(sorted(roles.items())) for roles in found}
        assert told == expected if complete else told <= expected, number
        several += complete and len(expected) > 1
    assert several > GRAPHS / 40, several


def test_an_instance_follows_the_common_tree_where_it_leads_out_of_the_region() -> None:
    # Two bridges of a region, 1 and 2, each with a link out to 0; between them two links.
    plain, region = TreeBridge(Identifier(0, 1)), "gardens"
    bridges = {
        0: plain,
        1: TreeBridge(Identifier(8, 2), region),
        2: TreeBridge(Identifier(8, 3), region),
    }
    ports = {
        number: TreePort(bridge, wire, 10, Identifier(128, number))
        for number, (bridge, wire) in enumerate(
            [(0, 0), (1, 0), (0, 1), (2, 1), (1, 2), (2, 2), (1, 3), (2, 3)], 1
        )
    }
    common = elect(bridges, ports, Order())
    # 1 is the regional root: the region has one way out, by 1; the other link out discards.
    assert [str(common.roles[n]) for n in (2, 4)] == ["root", "alternate"]
    assert [str(common.roles[n]) for n in (5, 6, 7, 8)] == [
        "designated",
        "root",
        "designated",
        "alternate",
    ]
    # An instance with root 2, which likes the second of the links between them.
    inner = {1: TreeBridge(Identifier(16, 2)), 2: TreeBridge(Identifier(0, 3))}
    cheap = {
        n: TreePort(p.bridge, p.wire, 1 if p.wire == 3 else 10, p.identifier)
        for n, p in ports.items()
        if p.bridge
    }
    instance = elect_instance(inner, cheap, common, {2, 3}, Order())
    roles = {n: str(role) for n, role in instance.roles.items()}
    assert roles == {
        2: "root",
        4: "alternate",
        5: "alternate",
        6: "designated",
        7: "root",
        8: "designated",
    }


def test_many_unknown_bridges_are_left_to_chance_and_said_so() -> None:
    for number, all_told in ((MOST_OUTCOMES, True), (MOST_OUTCOMES + 1, False)):
        bridges = {n: TreeBridge(Identifier(32768, None)) for n in range(number)}
        ports = {n: TreePort(n, 0, 10, Identifier(128, 1)) for n in range(number)}
        found, complete = outcomes(partial(elect, bridges, ports))
        assert ({one.root[0] for one in found} == set(range(number))) is all_told
        assert (len(found), complete) == (MOST_OUTCOMES, all_told)


def test_an_election_after_a_loss_is_that_without_what_was_lost() -> None:
    worked_out = 0
    for number in range(GRAPHS // 2):
        rng = random.Random(f"loss {number}")
        bridges, ports = given(graph(rng))
        again = Reelection(bridges, ports, elect(bridges, ports, Order()))
        for _ in range(4):
            if rng.random() < 0.5:
                wire = rng.choice([port.wire for port in ports.values()])
                lost = {n for n, port in ports.items() if port.wire == wire}
            else:
                bridge = rng.choice(list(bridges))
                lost = {n for n, port in ports.items() if port.bridge == bridge}
            changed = again.without(lost)
            left = {n: port for n, port in ports.items() if n not in lost}
            there = {port.bridge for port in left.values()}
            fresh = elect({n: bridges[n] for n in there}, left, Order()) if left else None
            if changed is None or fresh is None:
                continue
            worked_out += 1
            roles = {n: role for n, role in again.elected.roles.items() if n in left} | changed
            assert roles == fresh.roles, (number, lost)
    assert worked_out > GRAPHS / 2, worked_out
