"""Two lists of an OpenConfig device: network instances, and neighbours that LLDP reports."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from inkov.campus import Bridge, Device, Fact, Neighbour, Origin, Vlan
from inkov.readers.openconfig import shape

__all__ = ["assign_interfaces", "either", "read_instances", "read_lldp"]

At = Callable[[str], Origin]
_MAIN = {"DEFAULT_INSTANCE", "L3VRF", "L2L3", ""}
"""Types of instances whose VLANs are those of the device's one bridge; each L2VSI is a bridge of
its own.
"""


def read_instances(
    device: Device,
    instances: list[shape.Instance],
    at: At,
    vlans: Callable[[dict[int, Vlan], shape.Vlans, str], None],
) -> None:
    """The VLAN tables of the network instances. Those of layer-2 instances are kept apart, each
    with its bridge.
    """
    for index, instance in enumerate(instances):
        path = f"/network-instances/network-instance/{index}"
        bridge = None
        if _type(instance) not in _MAIN:
            name = instance.name or f"instance {index + 1}"
            bridge = device.bridges.setdefault(name, Bridge(name, at(path)))
            bridge.vlans = {}
        if instance.vlans is None:
            continue
        own: dict[int, Vlan] = {}
        vlans(own, instance.vlans, f"{path}/vlans")
        if bridge is not None:
            bridge.vlans = own
        # What the device has at all; a bridge with a table of its own forwards by that.
        device.vlans = {**own, **(device.vlans or {})}


def assign_interfaces(device: Device, instances: list[shape.Instance], at: At) -> None:
    """Which ports and gateways belong to which instance: its bridge, or its routing table."""
    for index, instance in enumerate(instances):
        kind = _type(instance)
        for number, member in enumerate(
            instance.interfaces.interface if instance.interfaces else ()
        ):
            where = at(f"/network-instances/network-instance/{index}/interfaces/interface/{number}")
            name = (member.config and member.config.interface) or member.id or ""
            sub = (
                f"{name}.{member.config.subinterface}"
                if member.config and member.config.subinterface
                else ""
            )
            port = (
                device.ports.get(sub) or device.ports.get(name) or device.ports.get(member.id or "")
            )
            if port is not None and kind not in _MAIN and instance.name:
                device.bridges[instance.name].ports[port.name] = where
            elif port is not None and kind == "L3VRF" and instance.name:
                port.vrf = Fact(instance.name, where)
            elif kind == "L3VRF" and instance.name:
                for gateway in device.gateways:
                    if gateway.name == name:
                        gateway.vrf = Fact(instance.name, where)


def _type(instance: shape.Instance) -> str:
    return ((instance.config and instance.config.type) or "").rpartition(":")[2]


def read_lldp(
    device: Device, interfaces: shape.LldpInterfaces, at: At, say: Callable[[str, str], None]
) -> Iterator[Neighbour]:
    """The neighbours that the device hears."""
    for index, entry in enumerate(interfaces.interface):
        name = entry.name or (entry.config and entry.config.name)
        for number, neighbour in enumerate(
            entry.neighbors.neighbor if name and entry.neighbors else ()
        ):
            state = neighbour.state
            pointer = f"/lldp/interfaces/interface/{index}/neighbors/neighbor/{number}/state"
            if state is None or not (state.system_name or state.chassis_id) or not state.port_id:
                say(pointer, f"the neighbour at port {name} has no name or no port; it is left out")
                continue
            far = state.system_name or state.chassis_id or ""
            about = state.port_description or ""
            yield Neighbour(device.name, name or "", far, state.port_id, at(pointer), about)


def either(holder: Any, path: str) -> tuple[Any, str]:
    """The `config` of a node, or its `state` where the export brings only that; and the pointer of
    what was taken.
    """
    if holder.config is not None or getattr(holder, "state", None) is None:
        return holder.config, f"{path}/config"
    return holder.state, f"{path}/state"
