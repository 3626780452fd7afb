"""Needed VLANs against networkx: a simple path between two terminals uses the link."""

from __future__ import annotations

import random
from itertools import combinations
from pathlib import Path
from typing import Any

import networkx as nx
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from inkov.forwarding.needed import links_on_ways, needed
from inkov.survey.trunks import trunk_rows
from inkov.vlanset import VlanSet
from tests.conftest import Inkov, cases, fabric_of


def by_block_cut_tree(edges: list[tuple[int, int]], terminals: set[int]) -> set[int]:
    """networkx: the blocks on the paths of the block-cut tree between terminals, parallel links
    sharing a block.
    """
    graph = nx.Graph(edges)
    tree: Any = nx.Graph()
    blocks = [frozenset(block) for block in nx.biconnected_components(graph)]
    for block in blocks:
        tree.add_edges_from((block, vertex) for vertex in block)
    found: set[frozenset[int]] = set()
    for one, other in combinations([t for t in terminals if t in tree], 2):
        if nx.has_path(tree, one, other):
            found |= {
                node for node in nx.shortest_path(tree, one, other) if isinstance(node, frozenset)
            }
    return {
        number for number, (a, b) in enumerate(edges) if any({a, b} <= block for block in found)
    }


@settings(max_examples=cases("GRAPHS", 400, least=100))
@given(st.randoms(use_true_random=False))
def test_fm_6_4_agrees_with_networkx(rng: random.Random) -> None:
    size = rng.randint(2, 14)
    edges = [(rng.randrange(size), rng.randrange(size)) for _ in range(rng.randint(1, 22))]
    edges = [(a, b) for a, b in edges if a != b]
    terminals = {v for v in range(size) if rng.random() < 0.35}
    graph: dict[int, list[tuple[int, int]]] = {}
    for number, (a, b) in enumerate(edges):
        graph.setdefault(a, []).append((b, number))
        graph.setdefault(b, []).append((a, number))
    assert links_on_ways(graph, terminals) == by_block_cut_tree(edges, terminals)


def test_a_long_chain_needs_no_recursion() -> None:
    chain = {n: [(m, min(n, m)) for m in (n - 1, n + 1) if 0 <= m <= 20_000] for n in range(20_001)}
    assert links_on_ways(chain, {0, 20_000}) == set(range(20_000))


VLANS = "[vlans]\n10: a\n20: b\n30: c\n99: n\n"


def trunk(port: str, allowed: str) -> str:
    return f"[port {port}]\nmode: trunk\nnative: 99\nallowed: {allowed},99\n"


def host(vid: int) -> str:
    return f"[port h{vid}]\nmode: access\nvlan: {vid}\n"


@pytest.mark.parametrize(
    ("middle", "surplus", "missing"),
    [
        (VLANS + trunk("1..2", "10,20"), ["20", "20"], ["none", "none"]),
        (VLANS + trunk("1..2", "20"), ["20", "20"], ["10", "10"]),
        (VLANS + trunk("1", "10") + trunk("2", "10,30"), ["none", "none"], ["none", "none"]),
        ("[vlans]\n20: b\n99: n\n" + trunk("1..2", "10,20"), ["20", "20"], ["10", "10"]),
    ],
)
def test_surplus_and_missing_on_a_chain(
    middle: str, surplus: list[str], missing: list[str]
) -> None:
    a = "switch: a\n" + VLANS + trunk("1", "10,20") + host(10) + "[neighbours]\n1: m:1\n"
    b = "switch: b\n" + VLANS + trunk("1", "10,20") + host(10) + host(30) + "[neighbours]\n1: m:2\n"
    rows = trunk_rows(fabric_of(a, b, "switch: m\n" + middle))
    assert [row.surplus for row in rows] == surplus and [row.missing for row in rows] == missing


@pytest.mark.parametrize(("said", "needed"), [("20", "20,99"), ("", "99")])
def test_who_is_on_the_wire_of_a_trunk_needs_his_vlan_alone(
    said: str, needed: str, inkov: Inkov, tmp_path: Path
) -> None:
    """FM 4.9: the lamp hangs at the cable between a and b, in VLAN 20, or where untagged frames
    are. What else it takes, nobody knows: nothing there is surplus.
    """
    for name, far in (("a", "b"), ("b", "a")):
        head = f"inkov sheet 1\nswitch: {name}\n{VLANS}{trunk('1', '1,20,30')}"
        (tmp_path / f"{name}.sheet").write_text(f"{head}[neighbours]\n1: {far}:1\n")
    (tmp_path / "hosts.csv").write_text(f"host,switch,port,vlan\nlamp,a,1,{said}\n")
    [row] = inkov("trunks", ".", "-f", "json").json["trunks"]
    assert (row["needed"], row["surplus"]) == (needed, "none")


@pytest.mark.parametrize(("address", "needed"), [("", "none"), ("address: 10.0.20.1/24\n", "20")])
def test_what_a_router_without_an_address_may_need_is_no_surplus(
    address: str, needed: str, inkov: Inkov, tmp_path: Path
) -> None:
    """FM 6.4: hosts of VLAN 20 on a; behind b only a router, whose address may not be among what
    was read. That b serves the VLAN after it says nothing.
    """
    sheets = {
        "a": f"{VLANS}{trunk('1', '20')}{host(20)}[neighbours]\n1: b:1\n",
        "b": f"{VLANS}21: d\n{trunk('1', '20')}[port 9]\nvlan: 20\n{host(21)}"
        "[neighbours]\n1: a:1\n9: r:1\n",
        "r": f"[port 1]\nmode: routed\n{address}",
    }
    for name, text in sheets.items():
        (tmp_path / f"{name}.sheet").write_text(f"inkov sheet 1\nswitch: {name}\n{text}")
    rows = inkov("trunks", ".", "-f", "json").json["trunks"]
    [row] = [row for row in rows if row["b"]["switch"] == "b"]
    assert (row["needed"], row["surplus"], row["missing"]) == (needed, "none", "none")


def test_redundant_ways_are_needed_and_unused_uplinks_are_not() -> None:
    ring = {"a": ("b", "c"), "b": ("a", "c"), "c": ("a", "b")}

    def sheet(name: str, allowed: str, *hosts: int) -> str:
        ports = "".join(trunk(far, allowed) for far in ring[name])
        heard = "".join(f"{far}: {far}:{name}\n" for far in ring[name])
        return f"switch: {name}\n{VLANS}{ports}{''.join(map(host, hosts))}[neighbours]\n{heard}"

    rows = trunk_rows(fabric_of(sheet("a", "10", 10), sheet("b", "10", 10), sheet("c", "10")))
    assert [row.needed for row in rows] == [
        "10",
        "10",
        "10",
    ]  # by way of c as well: it is carried there
    rows = trunk_rows(fabric_of(sheet("a", "10", 10), sheet("b", "10", 10), sheet("c", "20", 20)))
    assert [(row.needed, row.surplus, row.missing) for row in rows] == [
        ("10", "none", "none"),
        ("none", "none", "none"),
        ("none", "none", "none"),
    ]


def test_what_sub_interfaces_serve_is_needed_on_their_link() -> None:
    """10 and 20 have members elsewhere, 30 is only behind its tag, 40 only at a host."""
    a = f"switch: a\n{VLANS}40: d\n{trunk('1', '10,20,30,40')}"
    a += f"{host(10)}{host(40)}{trunk('2', '20')}[neighbours]\n1: r:1\n2: b:2\n"
    b = f"switch: b\n{VLANS}{trunk('2', '20')}{host(20)}"
    subs = "".join(
        f"[sub 1.{tag}]\nof: 1\ntag: {tag}\nmode: routed\naddress: 10.0.{tag}.1/24\n"
        for tag in (10, 20, 30)
    )
    fabric = fabric_of(a, b, f"switch: r\n[port 1]\nmode: routed\n{subs}")
    masks = {
        str(link.a): mask for link, mask in zip(fabric.wiring.links, needed(fabric), strict=True)
    }
    assert {end: str(VlanSet(mask)) for end, mask in masks.items()} == {"a:1": "10,20", "a:2": "20"}
    for vlans, links in ((None, ["a:1", "a:2"]), (VlanSet.of(30), ["a:1"]), (VlanSet.of(7), [])):
        listed = trunk_rows(fabric, vlans=vlans)
        assert [f"{row.a.switch}:{row.a.port}" for row in listed] == links
    # The router's end passes its tags, and of these no more than what is asked for.
    for asked, stated in ((None, "10,20,30"), (VlanSet.of(10, 40), "10")):
        row = trunk_rows(fabric, "r", vlans=asked)[0]
        end = next(one for one in (row.a, row.b) if one is not None and one.switch == "r")
        assert (end.native, end.stated, end.live) == ("none", stated, stated)
