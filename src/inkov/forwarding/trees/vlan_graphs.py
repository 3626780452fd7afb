"""The graph of each VLAN: its hubs, joined by the links that pass it both ways, each edge with the
port at either end. VLANs that links turn into each other are one graph.
"""

from __future__ import annotations

from msgspec import Struct, field

from inkov.forwarding.fabric import Fabric
from inkov.forwarding.serve import served
from inkov.forwarding.stations import interfaces
from inkov.forwarding.trees.wires import Wires
from inkov.vlanset import bits

__all__ = ["Edge", "Hub", "VlanGraph", "vlan_graphs"]

Hub = tuple[int, int]
"""A bridge, by number, and a VID."""


class Edge(Struct, frozen=True):
    """One VLAN over one link: from hub to hub, by two bridge ports."""

    link: int
    one: Hub
    other: Hub
    ports: tuple[int, int]


class VlanGraph(Struct):
    """VLANs that turn into each other, mostly one alone (`vlans`, a mask): a graph of hubs. `odd`
    ones are joined by one-way crossings as well.
    """

    vlans: int
    edges: list[Edge] = field(default_factory=list)
    hubs: dict[Hub, int] = field(default_factory=dict)
    """Hubs that serve somebody -> how many host ports."""
    gateways: set[Hub] = field(default_factory=set)
    routers: set[Hub] = field(default_factory=set)
    """The insides of routed ports and sub-interfaces: they serve nobody, and ways by routers hang
    on what they fall off from.
    """
    odd: bool = False

    @property
    def counting(self) -> list[Hub]:
        """The hubs that fall apart: those that serve somebody, and those of routers."""
        return [*self.hubs, *self.routers]

    def weight(self, hub: Hub) -> int:
        """How much a hub counts among parts: gateways and routers before all, then host ports."""
        routes = hub in self.gateways or hub in self.routers
        return self.hubs.get(hub, 0) + _OF_GATEWAY * routes


_OF_GATEWAY = 1 << 32
"""More than all host ports: the part with most gateways stays."""


def vlan_graphs(fabric: Fabric) -> list[VlanGraph]:
    """The VLANs as graphs of hubs, those together that links turn into each other."""
    turned = Wires()
    one_way: set[int] = set()
    same: dict[tuple[int, int], tuple[int, int]] = {}  # (port, port) -> (link, mask)
    turns: dict[tuple[int, int, int, int], int] = {}  # (port, vid, port, vid) -> link
    for sender, crossings in fabric.crossings.items():
        for crossing in crossings:
            for to, mask in crossing.same:
                same[sender, to] = crossing.link, mask
            for translation in crossing.translations:
                for vid in bits(translation.leaves):
                    for arrives in bits(translation.arrives):
                        turns[sender, vid, translation.to, arrives] = crossing.link
    edges: list[Edge] = []
    for (sends, to), (link, mask) in same.items():
        back = same.get((to, sends), (link, 0))[1]
        # Each pair of ports is met from both ends.
        for vid in bits(mask & back) if sends < to else ():
            edges.append(_edge(fabric, link, sends, vid, to, vid))
        # What does not come back the same way makes the graph a directed one.
        one_way |= set(bits(mask & ~back))
    for (sends, vid, to, arrives), link in turns.items():
        turned.join(vid, arrives)
        # Turned there and not back.
        if (to, arrives, sends, vid) not in turns:
            one_way |= {vid, arrives}
        elif (sends, vid) < (to, arrives):
            edges.append(_edge(fabric, link, sends, vid, to, arrives))
    groups: dict[object, VlanGraph] = {}
    for edge in edges:
        group = groups.setdefault(turned.of(edge.one[1]), VlanGraph(0))
        group.edges.append(edge)
        group.vlans |= 1 << edge.one[1] | 1 << edge.other[1]
    ports = _host_ports(fabric)
    for bridge, mask in enumerate(served(fabric)):
        # Hubs that serve somebody count, even without any link.
        for vid in bits(mask) if not fabric.bridges[bridge].routed else ():
            group = groups.setdefault(turned.of(vid), VlanGraph(0))
            group.vlans |= 1 << vid
            group.hubs[bridge, vid] = ports.get((bridge, vid), 0)
    for device, gateway in fabric.gateways():
        hub = fabric.bridge_of[device.name, gateway.bridge], gateway.vid
        # A gateway that no host could use leads nowhere.
        if gateway.on and gateway.addresses and (held := groups.get(turned.of(gateway.vid))):
            held.gateways |= {hub} & held.hubs.keys()
    for interface in interfaces(fabric):
        led_to = groups.get(turned.of(interface.vid))
        inside = fabric.bridges[interface.bridge].routed
        if inside and led_to is not None and not interface.why_down:
            led_to.routers.add((interface.bridge, interface.vid))
    for vid in one_way:
        if (odd := groups.get(turned.of(vid))) is not None:
            odd.odd = True
    return list(groups.values())


def _edge(fabric: Fabric, link: int, sender: int, vid: int, to: int, arrives: int) -> Edge:
    ports = fabric.bridge_ports
    return Edge(link, (ports[sender].bridge, vid), (ports[to].bridge, arrives), (sender, to))


def _host_ports(fabric: Fabric) -> dict[Hub, int]:
    """How many host ports are in a VLAN on a bridge."""
    counts: dict[Hub, int] = {}
    for port in fabric.bridge_ports:
        if fabric.is_host_port(port) and not fabric.is_implied(port):
            view = port.view
            # A host port: untagged, and in one VLAN. A trunk behind which nobody is known counts
            # for none.
            if view.pvid and not view.emit & ~view.untagged:
                counts[port.bridge, view.pvid] = counts.get((port.bridge, view.pvid), 0) + 1
    return counts
