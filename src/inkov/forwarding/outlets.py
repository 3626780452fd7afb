"""Tagged sub-interfaces as the far end of their link sees them: what sits behind one is in the VLAN
of its tag (FM 6.8).

Inside, its frames may be in another VLAN, or in none (a routed interface), or be left in the
default one. Whatever is asked of a VLAN on the link goes by the tag.
"""

from __future__ import annotations

from inkov.forwarding.fabric import BridgePort, Crossing, Fabric
from inkov.vlanset import VlanSet, bit, union
from inkov.wiring import End

__all__ = ["inside_only", "outlets", "outside_name", "passing_as"]


def outlets(fabric: Fabric) -> list[BridgePort]:
    """The sub-interfaces on links with anybody behind them: a routed interface, a gateway, hosts,
    or further links.
    """
    return [
        port
        for port in fabric.bridge_ports
        if port.outer and port.end in fabric.wiring.of and not fabric.is_implied(port)
        if (port.view.pvid or port.view.untagged) and _leads_on(fabric, port)
    ]


def _leads_on(fabric: Fabric, port: BridgePort) -> bool:
    inside = fabric.bridges[port.bridge]
    # A sub-interface by itself, on a bridge with nothing else, is a mistake or a spare.
    return bool(inside.routed) or len(inside.ports) > 1 or _has_gateway(fabric, port)


def _has_gateway(fabric: Fabric, port: BridgePort) -> bool:
    inside = fabric.bridges[port.bridge]
    own = fabric.device(inside.device).gateways
    return any(g.bridge == inside.name and port.view.untagged >> g.vid & 1 for g in own)


def inside_only(fabric: Fabric) -> dict[int, int]:
    """For each bridge VLAN 1, as a mask, where its links pass it by sub-interfaces alone: what was
    left at the default has no number of its own. A VLAN that somebody named is that VLAN.
    """
    within: dict[int, int] = {}
    outside: dict[int, int] = {}
    for port in fabric.bridge_ports:
        if port.end in fabric.wiring.of and not fabric.is_implied(port):
            # An implied port is the bridge's own other half, not another device.
            kept = within if port.outer else outside
            kept[port.bridge] = kept.get(port.bridge, 0) | port.view.emit
    return {bridge: mask & ~outside.get(bridge, 0) & 1 << 1 for bridge, mask in within.items()}


def outside_name(fabric: Fabric, bridge: int, vid: int) -> int:
    """What others call a VLAN of a bridge: the tag of the sub-interfaces that alone pass it on, if
    they have one in common; else its own number.
    """
    # Worked out once for the whole campus, when it is first asked.
    if fabric.outside_names is None:
        within, tags = inside_only(fabric), dict[tuple[int, int], set[int]]()
        for port in fabric.bridge_ports:
            if port.outer and port.end in fabric.wiring.of and not fabric.is_implied(port):
                for inner in VlanSet(port.view.emit & within[port.bridge]):
                    tags.setdefault((port.bridge, inner), set()).add(port.outer)
        fabric.outside_names = {hub: min(own) for hub, own in tags.items() if len(own) == 1}
    return fabric.outside_names.get((bridge, vid), vid)


def passing_as(
    fabric: Fabric, sender: BridgePort, crossing: Crossing, only: int | None = None
) -> int:
    """The VIDs, as a mask, that one direction of a link passes from one of its bridge ports, as its
    far end, or the tag of a sub-interface there, has them; to one bridge port, if `only` is given.
    """
    passing = 0
    for to, mask in crossing.same:
        # A sub-interface on either side gives the frames its tag on the wire.
        if only in (None, to) and not _ends(fabric, sender, to):
            outer = sender.outer or fabric.bridge_ports[to].outer
            passing |= bit(outer) if outer else mask
    for to, leaves, arrives in crossing.translations:
        if only not in (None, to) or _ends(fabric, sender, to):
            continue
        outer = fabric.bridge_ports[to].outer
        # From a sub-interface into a port: what arrives with its tag.
        if sender.outer:
            passing |= bit(sender.outer) if outer else bit(sender.outer) & arrives
        else:
            # Where several turn into one, that may be one of them.
            passing |= bit(outer) & leaves if outer else leaves & arrives
    return passing


def _ends(fabric: Fabric, sender: BridgePort, to: int) -> bool:
    """Whether a VLAN ends between two bridge ports: one of them is a routed port (FM 6.7)."""
    return any(
        fabric.bridges[port.bridge].routed and not port.outer
        for port in (sender, fabric.bridge_ports[to])
    )


def passes(fabric: Fabric, link: int, near: End) -> int:
    """The VIDs, as a mask, that a link passes from one of its ends under one number."""
    return union(
        passing_as(fabric, fabric.bridge_ports[sender], crossing)
        for sender in fabric.at.get(near, ())
        for crossing in fabric.crossings.get(sender, ())
        if crossing.link == link
    )
