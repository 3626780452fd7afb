"""Which VLANs a link needs (FM 6.4): those with something to serve on both sides of it, on every
redundant way.

A link lies on some way without repeats between two switches that serve a VLAN exactly if the block
(the part of the graph that no single switch's loss splits) it belongs to has something to serve in
two of the directions that lead out of it. So the blocks and cut vertices of the cabling are worked
out (Tarjan), once for each set of switches that a VLAN may pass: those that serve it, and those to
which it is carried already. Where these do not hang together, any switch may be passed: a VLAN that
is cut needs whatever joins it.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Hashable, Iterable, Mapping
from itertools import chain, product
from typing import NamedTuple

from inkov.forwarding.circles import Edge, blocks
from inkov.forwarding.fabric import Fabric
from inkov.forwarding.outlets import outlets
from inkov.forwarding.serve import facing_routers, served
from inkov.vlanset import VlanSet, union
from inkov.wiring import End

__all__ = ["links_on_ways", "needed", "perhaps_needed", "unneeded"]

Adjacency = Mapping[int, list[tuple[int, int]]]
"""vertex -> (other vertex, number of the link)."""


def needed(
    fabric: Fabric, wanted: Mapping[str, int] | None = None, *, perhaps: bool = False
) -> list[int]:
    """For each link, in the order of the wiring, the VIDs it needs, as a mask.

    `wanted` adds VIDs to what devices serve (the plan's word). `perhaps`: whoever is behind a trunk
    that is left at everything counts as well, and routers on links without an address.
    """
    links = _Links(fabric, _serving(fabric, wanted or {}, perhaps=perhaps))
    result = [0] * len(fabric.wiring.links)
    carries = links.carries
    for vid, terminals in _by_vid(links.serving).items():
        # Served at one place only: no link has to carry it.
        if len(terminals) < 2:
            continue
        graph = links.graph_of(carries.get(vid, set()) | terminals, terminals)
        for edge in links_on_ways(graph, terminals):
            result[links.link_of[edge]] |= 1 << vid
    return result


def perhaps_needed(fabric: Fabric, wanted: Mapping[str, int] | None, needs: list[int]) -> list[int]:
    """The same with `perhaps`, where `needs` is what is needed without: what is shared beside these
    is surplus (FM 6.4).
    """
    serving = served(fabric)
    routers = facing_routers(fabric, perhaps=True)
    hidden = any(not serving[one.bridge] >> one.vid & 1 for one in routers) or any(
        (port.view.emit | port.view.enters()) & ~serving[port.bridge]
        for port in fabric.bridge_ports
        if fabric.is_host_port(port) and not fabric.is_implied(port)
    )
    # Without any of these the answer is the same, and known.
    return needed(fabric, wanted, perhaps=True) if hidden else needs


def _serving(fabric: Fabric, wanted: Mapping[str, int], *, perhaps: bool) -> list[int]:
    """For each bridge the VIDs that have to get there, as a mask."""
    serving = list(served(fabric))
    # Whoever is behind an open trunk may need every VLAN.
    for port in fabric.bridge_ports if perhaps else ():
        if fabric.is_host_port(port) and not fabric.is_implied(port):
            serving[port.bridge] |= port.view.emit | port.view.enters()
    # So may a router, whose address is not among what was read.
    for facing in facing_routers(fabric, perhaps=True) if perhaps else ():
        serving[facing.bridge] |= 1 << facing.vid
    for device, mask in wanted.items():
        bridge = fabric.bridge_of.get((device, ""))
        # A switch without a bridge of its own (a router) has nowhere to put it.
        if bridge is not None:
            serving[bridge] |= mask
    return serving


class _Links:
    """The links that are up as edges of a graph. Its vertices are the bridges, and behind them what
    hangs on links by sub-interfaces: one more for each such end, in the VLANs of their tags.

    `serving` and `carried` have the VIDs of each vertex, as masks; `link_of` the link of each edge:
    one with sub-interfaces has several.
    """

    def __init__(self, fabric: Fabric, serving: list[int]) -> None:
        self.fabric = fabric
        self.serving = serving
        self.carried = list(serving)
        self.adjacency: dict[int, list[tuple[int, int]]] = {}
        self.link_of: list[int] = []
        self._behind = {port.number for port in outlets(fabric)}
        for number, link in enumerate(fabric.wiring.links):
            # A link that is down is on no way.
            if fabric.link_up[number]:
                for one, other in product(self._vertices(link.a), self._vertices(link.b)):
                    self._join(one, other, number)

    def _vertices(self, end: End) -> list[int]:
        """What hangs on one end of a link."""
        ports = [self.fabric.bridge_ports[n] for n in self.fabric.at[end]]
        plain = [port for port in ports if not port.outer]
        for port in plain:
            self.carried[port.bridge] |= port.view.emit
        # A VLAN ends at a routed link (FM 6.7).
        vertices = [port.bridge for port in plain if not self.fabric.bridges[port.bridge].routed]
        tagged = [port for port in ports if port.outer and not self.fabric.is_implied(port)]
        if tagged:
            vertices.append(len(self.serving))
            behind = (port for port in tagged if port.number in self._behind)
            self.serving.append(union(1 << port.outer for port in behind))
            self.carried.append(union(1 << port.outer for port in tagged))
        return vertices

    def _join(self, one: int, other: int, link: int) -> None:
        # A link from a bridge to itself leads nowhere.
        if one != other:
            self.adjacency.setdefault(one, []).append((other, len(self.link_of)))
            self.adjacency.setdefault(other, []).append((one, len(self.link_of)))
            self.link_of.append(link)

    @property
    def carries(self) -> dict[int, set[int]]:
        """VID -> the vertices with links that carry it."""
        return _by_vid(
            [mask if at in self.adjacency else 0 for at, mask in enumerate(self.carried)]
        )

    def graph_of(self, passable: set[int], terminals: set[int]) -> Adjacency:
        """The graph on which the ways of a VLAN are looked for: that of the switches which carry
        it, if it joins the terminals.
        """
        within = {
            bridge: [(far, link) for far, link in self.adjacency.get(bridge, ()) if far in passable]
            for bridge in passable
        }
        # A VLAN that is cut may need any switch in between to be whole again.
        return within if _hang_together(within, terminals) else self.adjacency


def _by_vid(masks: list[int]) -> dict[int, set[int]]:
    """For each VID the bridges whose mask holds it."""
    terminals: dict[int, set[int]] = {}
    vids: dict[int, list[int]] = {}
    for bridge, mask in enumerate(masks):
        # Many switches serve the same set.
        if mask not in vids:
            vids[mask] = list(VlanSet(mask))
        for vid in vids[mask]:
            terminals.setdefault(vid, set()).add(bridge)
    return terminals


def _hang_together(graph: Adjacency, terminals: set[int]) -> bool:
    seen = {next(iter(terminals))}
    work = list(seen)
    while work:
        for far, _ in graph.get(work.pop(), ()):
            if far not in seen:
                seen.add(far)
                work.append(far)
    return terminals <= seen


def links_on_ways(graph: Adjacency, terminals: set[int]) -> set[int]:
    """The links that lie on some way, passing no vertex twice, between two different terminals."""
    links: dict[int, Edge] = {link: (one, far) for one, near in graph.items() for far, link in near}
    numbers = list(links)
    parts: list[_Part] = []
    # Terminals at a vertex and below it, by way of the blocks so far.
    hanging: Counter[Hashable] = Counter(terminals)
    for top, edges in blocks(links.values()):
        own = [numbers[edge] for edge in edges]
        vertices = {*chain.from_iterable(links[link] for link in own)} - {top}
        weights = [hanging[vertex] for vertex in vertices]
        hanging[top] += sum(weights)
        parts.append(_Part(own, top, vertices, sum(map(bool, weights)), sum(weights)))
    needed: set[int] = set()
    whole: dict[Hashable, int] = {}  # the terminals of all that hangs together
    for part in reversed(parts):
        # Nothing is above the block that comes first now: all hangs by its top.
        total = whole.setdefault(part.top, hanging[part.top])
        whole |= dict.fromkeys(part.vertices, total)
        # Terminals in two of the directions that lead out of it: below, and above.
        if part.sides + (total > part.below) > 1:
            needed.update(part.links)
    return needed


class _Part(NamedTuple):
    """A block: below how many of its `vertices` terminals hang, and how many `below` them all."""

    links: list[int]
    top: Hashable
    vertices: set[Hashable]
    sides: int
    below: int


def unneeded(shared: int, needs: int, natives: Iterable[int]) -> int:
    """The surplus of a link: what crosses it and nobody needs, its native VLAN aside (that is there
    to be empty).
    """
    surplus = shared & ~needs
    for vid in natives:
        surplus &= ~(1 << vid)
    return surplus
