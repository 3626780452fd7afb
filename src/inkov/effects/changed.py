"""Which hubs of two fabrics do not behave alike.

Bridges and ports are found again by name. A hub is changed if its bridge forwards the VID in one of
the fabrics only, or one of its ports does something else with it: takes it, sends it, or leads with
it to another port.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from inkov.forwarding import BridgePort, Fabric
from inkov.vlanset import bit, union

__all__ = ["changed_hubs"]

Bridge = tuple[str, str]
Masks = dict[Any, int]


def changed_hubs(one: Fabric, other: Fabric) -> dict[Bridge, int]:
    """(Device, bridge) -> the VIDs, as a mask, whose hub there is changed."""
    found: dict[Bridge, int] = {}
    old, new = _bridges(one), _bridges(other)
    for bridge in {*old, *new}:
        mask = old.get(bridge, 0) ^ new.get(bridge, 0)
        if mask:
            found[bridge] = mask
    for bridge, differs in _changed_ports(one, other):
        found[bridge] = found.get(bridge, 0) | differs
    return found


def _changed_ports(one: Fabric, other: Fabric) -> Iterator[tuple[Bridge, int]]:
    """The bridges of ports that do something else with some VIDs, and these."""
    ports, others = _ports(one), _ports(other)
    for name in {*ports, *others}:
        mine, its = ports.get(name), others.get(name)
        if mine is not None and its is not None and _plainly_alike(one, mine, other, its):
            continue
        old, new = _does(one, mine), _does(other, its)
        if old != new:
            differs = union(old.get(key, 0) ^ new.get(key, 0) for key in {*old, *new})
            for fabric, port in ((one, mine), (other, its)):
                if port is not None:
                    inside = fabric.bridges[port.bridge]
                    yield (inside.device, inside.name), differs


def _plainly_alike(one: Fabric, mine: BridgePort, other: Fabric, its: BridgePort) -> bool:
    """Whether two ports without a link, as nearly all are, do the same: seen at a glance."""
    return (
        mine.view == its.view
        and mine.on_request == its.on_request
        and mine.end == its.end
        and one.bridges[mine.bridge].name == other.bridges[its.bridge].name
        and mine.end not in one.wiring.of
        and its.end not in other.wiring.of
    )


def _bridges(fabric: Fabric) -> dict[Bridge, int]:
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
