"""Which hubs of two fabrics do not behave alike.

Bridges and ports are found again by name. A hub is changed if its bridge forwards the VID in one of
the fabrics only, or one of its ports does something else with it: takes it, sends it, or leads with
it to another port.
"""

from __future__ import annotations

from typing import Any, NamedTuple

from inkov.forwarding import BridgePort, Fabric
from inkov.vlanset import bit, union

__all__ = ["Changed", "changed"]

Masks = dict[Any, int]


class Changed(NamedTuple):
    """VIDs, as masks: `hubs` by (device, bridge), those whose hub there is changed; `ports` by
    (device, port), those with which the port does something else.
    """

    hubs: dict[tuple[str, str], int]
    ports: dict[tuple[str, str], int]


def changed(old_fabric: Fabric, new_fabric: Fabric) -> Changed:
    """What two fabrics do otherwise with frames."""
    difference = Changed({}, {})
    old, new = _bridges(old_fabric), _bridges(new_fabric)
    for bridge in {*old, *new}:
        # Forwarded on one side only.
        mask = old.get(bridge, 0) ^ new.get(bridge, 0)
        if mask:
            difference.hubs[bridge] = mask
    ports, others = _ports(old_fabric), _ports(new_fabric)
    for name in {*ports, *others}:
        before, after = ports.get(name), others.get(name)
        # Nearly all ports do what they did.
        if (
            before is not None
            and after is not None
            and _plainly_alike(old_fabric, before, new_fabric, after)
        ):
            continue
        was, now = _does(old_fabric, before), _does(new_fabric, after)
        # Different, and yet it does the same.
        if was == now:
            continue
        differs = union(was.get(key, 0) ^ now.get(key, 0) for key in {*was, *now})
        for fabric, port in ((old_fabric, before), (new_fabric, after)):
            # Each side's bridge counts: the port may have moved.
            if port is not None:
                inside = fabric.bridges[port.bridge]
                bridge = inside.device, inside.name
                difference.hubs[bridge] = difference.hubs.get(bridge, 0) | differs
                for at in ((name[0], name[1]), (port.end.device, port.end.port)):
                    difference.ports[at] = difference.ports.get(at, 0) | differs
    return difference


def _plainly_alike(
    old_fabric: Fabric, before: BridgePort, new_fabric: Fabric, after: BridgePort
) -> bool:
    """Whether two ports without a link, as nearly all are, do the same: seen at a glance."""
    return (
        before.view == after.view
        and before.on_request == after.on_request
        and before.end == after.end
        and old_fabric.bridges[before.bridge].name == new_fabric.bridges[after.bridge].name
        and before.end not in old_fabric.wiring.of
        and after.end not in new_fabric.wiring.of
    )


def _bridges(fabric: Fabric) -> dict[tuple[str, str], int]:
    return {(inside.device, inside.name): inside.live for inside in fabric.bridges}


Name = tuple[str, str, int]


def _name(port: BridgePort) -> Name:
    return port.end.device, port.port, port.outer


def _ports(fabric: Fabric) -> dict[Name, BridgePort]:
    return {_name(port): port for port in fabric.bridge_ports}


def _does(fabric: Fabric, port: BridgePort | None) -> Masks:
    """What a port does with VIDs: the masks of its views, and for each far port what crosses to
    it. A change of VIDs counts for the one that leaves; `whole` says what concerns all VIDs.
    """
    # Not there: it does nothing.
    if port is None:
        return {}
    masks: Masks = {}
    inside = fabric.bridges[port.bridge]
    every = union(view.emit | view.enters() for view in (port.view, *port.on_request))
    for number, view in enumerate((port.view, *port.on_request)):
        masks[number, "untagged on arrival"] = bit(view.pvid)
        masks[number, "admitted"] = view.admit
        masks[number, "sent"] = view.emit
        masks[number, "untagged"] = view.untagged
    whole = (
        inside.name,
        port.end.port,
        port.view.protected,
        port.view.form,
        fabric.has_hosts(port.end),
        port.end in fabric.wiring.of,
        len(fabric.crossings.get(port.number, ())),
    )
    masks["whole", whole] = every
    for crossing in fabric.crossings.get(port.number, ()):
        for kind, kept in (("same", crossing.same), ("lured", crossing.lured)):
            for to, mask in kept:
                at: Any = kind, _name(fabric.bridge_ports[to])
                masks[at] = masks.get(at, 0) | mask
        for kind, turns in (("turned", crossing.translations), ("hidden", crossing.hidden)):
            for to, leaves, arrives in turns:
                at = kind, _name(fabric.bridge_ports[to]), arrives
                masks[at] = masks.get(at, 0) | leaves
    return masks
