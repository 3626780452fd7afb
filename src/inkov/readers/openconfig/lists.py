"""Two lists of an OpenConfig device: network instances, and neighbours that LLDP reports."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from msgspec.structs import replace

from inkov.campus import Bridge, Device, Fact, Mode, Neighbour, Origin, Port, PortKind, Vlan
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
        # A bridge of its own: the same number there is another VLAN.
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
        members: list[Port] = []
        for number, member in enumerate(
            instance.interfaces.interface if instance.interfaces else ()
        ):
            where = at(f"/network-instances/network-instance/{index}/interfaces/interface/{number}")
            config, _ = either(member, "")
            name = (config and config.interface) or member.id or ""
            sub = f"{name}.{config.subinterface}" if config and config.subinterface else ""
            # An id need not be the name of the interface; exports differ in which of the three they
            # fill.
            port = (
                device.ports.get(sub) or device.ports.get(name) or device.ports.get(member.id or "")
            )
            if port is not None and kind not in _MAIN and instance.name:
                device.bridges[instance.name].ports[port.name] = where
                members.append(port)
            elif port is not None and kind == "L3VRF" and instance.name:
                port.vrf = Fact(instance.name, where)
            elif kind == "L3VRF" and instance.name:
                # A gateway is no port: it is found by the name of its interface.
                for gateway in device.gateways:
                    if gateway.name == name:
                        gateway.vrf = Fact(instance.name, where)

        if members:
            _bridged(device.bridges[instance.name or ""], members, instance)


def _bridged(bridge: Bridge, members: list[Port], instance: shape.Instance) -> None:
    """The members of a layer-2 instance: tagged sub-interfaces are bridged, not routed. Without a
    list of VLANs, the instance has those that its ports name.
    """
    subs = [port for port in members if port.kind is PortKind.SUB]
    tags = {port.outer.value for port in subs if port.outer is not None}
    own = sorted(bridge.vlans or ())
    for port in subs:
        if port.outer is None:
            continue
        # In an instance of one VLAN, frames are in that one; else their tag says which.
        vid = own[0] if len(own) == 1 else port.outer.value
        port.mode = Fact(Mode.ACCESS, bridge.ports[port.name])
        port.access_vlan = Fact(vid, port.outer.origin)
        # Two tags and no VLAN named: whether frames pass from one to the other is not said.
        if not own and len(tags) > 1:
            port.unknown = (
                f"whether instance {bridge.name} joins its sub-interfaces' tags is not stated"
            )
    if instance.vlans is None:
        facts = [fact for port in members for fact in (port.access_vlan, port.native_vlan) if fact]
        named = {fact.value: fact.origin for fact in facts if fact.value}
        listed = [port.allowed for port in members if port.allowed is not None]
        for allowed in listed:
            named |= dict.fromkeys(allowed.value, allowed.origin)
        trunks = [port for port in members if port.mode and port.mode.value is Mode.TRUNK]
        all_of_them = len(listed) < len(trunks)  # a trunk without a list names every VLAN
        bridge.vlans = (
            None if all_of_them else {vid: Vlan(vid, named[vid]) for vid in sorted(named)}
        )


def _type(instance: shape.Instance) -> str:
    config, _ = either(instance, "")
    return ((config and config.type) or "").rpartition(":")[2]


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
            # Without both there is no port that it could be joined to.
            if state is None or not (state.system_name or state.chassis_id) or not state.port_id:
                say(pointer, f"the neighbour at port {name} has no name or no port; it is left out")
                continue
            far = state.system_name or state.chassis_id or ""
            about = state.port_description or ""
            # The chassis is kept as a further name: the far switch may be named otherwise in its
            # own file.
            known_as = (state.chassis_id or "") if state.system_name else ""
            yield Neighbour(
                device.name, name or "", far, state.port_id, at(pointer), about, known_as
            )


def either(holder: Any, path: str) -> tuple[Any, str]:
    """The `config` of a node, each leaf that it lacks from its `state`; and the pointer of what was
    taken: that of `state`, where there is nothing else.
    """
    config, state = holder.config, getattr(holder, "state", None)
    # What is configured counts; what the device runs fills the gaps.
    if state is None or config is None:
        return (
            (config, f"{path}/config")
            if config is not None or state is None
            else (
                state,
                f"{path}/state",
            )
        )
    lacking = {
        name: value
        for name in config.__struct_fields__
        if not _is_stated(getattr(config, name)) and _is_stated(value := getattr(state, name))
    }
    return (replace(config, **lacking) if lacking else config), f"{path}/config"


def _is_stated(value: Any) -> bool:
    return value is not None and value != []
