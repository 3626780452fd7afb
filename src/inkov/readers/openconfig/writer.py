"""Write a device as OpenConfig JSON (RFC 7951): what its models can say, and a list of what they
cannot.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any

from inkov.campus import (
    Accept,
    Aggregation,
    Device,
    Gateway,
    Mode,
    Negotiation,
    Neighbour,
    Port,
    PortKind,
    natural,
)
from inkov.vlanset import VlanSet

__all__ = ["gateway_interface", "write_openconfig"]

_PLAIN = {"voice_vlan": None, "native_tagged": False, "protected": False, "registration": False}
"""Port attributes without a place in the models, and the value at which nothing is lost by leaving
them out.
"""


_ASIDE = ("prunable", "edge", "guard", "bpdu_guard", "speed")
"""Port attributes that are left out without changing what the port forwards."""


def write_openconfig(device: Device, neighbours: list[Neighbour]) -> tuple[str, list[str]]:
    """The JSON of a device with the neighbours it reports, and what could not be said in it, in
    words.
    """
    lost: list[str] = []
    ports = sorted(device.ports.values(), key=lambda port: natural(port.name))
    tree: dict[str, Any] = {
        "openconfig-system:system": {"config": {"hostname": device.name}},
        "openconfig-interfaces:interfaces": {
            "interface": [
                *(
                    interface
                    for port in ports
                    if (interface := _interface(device, port, lost)) is not None
                ),
                *(gateway_interface(gateway) for gateway in device.gateways),
            ]
        },
    }
    lost += [
        f"bridge {name}: several bridges of a device are not written" for name in device.bridges
    ]
    lost += [f"filter {name}: filters are not written" for name in device.filters]
    if device.trees or device.tree_mode is not None:
        lost.append("spanning tree: it is not written")
    if device.known_as:
        lost.append(f"further names of the switch ({', '.join(device.known_as)}) are not written")
    lost += [
        f"gateway VLAN {gateway.vid}: its routing table {gateway.vrf.value} is not written"
        for gateway in device.gateways
        if gateway.vrf is not None
    ]
    if device.distribution is not None:
        lost.append("distribution of VLANs: the models have no place for it")
    bundles = [
        port for port in ports if port.kind is PortKind.BUNDLE and port.aggregation is not None
    ]
    if bundles:
        tree["openconfig-lacp:lacp"] = {"interfaces": {"interface": _lacp(bundles)}}
    if device.vlans is not None:
        tree["openconfig-network-instance:network-instances"] = {
            "network-instance": [
                {
                    "name": "default",
                    "config": {"name": "default"},
                    "vlans": {"vlan": _vlans(device, lost)},
                }
            ]
        }
    if neighbours:
        heard: dict[str, list[Neighbour]] = {}
        for neighbour in neighbours:
            heard.setdefault(neighbour.port, []).append(neighbour)
            if neighbour.far_pvid is not None or neighbour.far_vlans is not None:
                lost.append(f"{neighbour.port}: the VLANs that its neighbour names are not written")
        tree["openconfig-lldp:lldp"] = {
            "interfaces": {"interface": [_lldp(port, heard[port]) for port in heard]}
        }
    return json.dumps(tree, indent=2, ensure_ascii=False) + "\n", lost


def _interface(device: Device, port: Port, lost: list[str]) -> dict[str, Any] | None:
    if port.kind is PortKind.SUB:
        lost.append(f"{port.name}: sub-interfaces are not written")
        return None
    mode = Mode.TRUNK if _is_trunk(device, port) else device.value(port, "mode")
    switched = _switched(device, port, mode) if mode in (Mode.ACCESS, Mode.TRUNK) else {}
    lost_settings = list(_without_a_place(device, port, switched))
    if not switched or lost_settings:
        what = ", ".join(name.replace("_", " ") for name in lost_settings) or f"{mode} ports"
        lost.append(f"{port.name}: the models have no place for {what}; the port is left out")
        return None
    bundle = port.kind is PortKind.BUNDLE
    config: dict[str, Any] = {
        "name": port.name,
        "type": f"iana-if-type:{'ieee8023adLag' if bundle else 'ethernetCsmacd'}",
        "enabled": device.value(port, "enabled"),
    }
    if port.description is not None:
        config["description"] = port.description.value
    if port.mtu is not None:
        config["mtu"] = port.mtu.value
    holder = _aggregated(port, lost)
    lost += [
        f"{port.name}: {name.replace('_', ' ')} is not written"
        for name in _ASIDE
        if getattr(port, name)
    ]
    # A member carries what its bundle carries: VLANs of its own would be taken for it.
    if port.bundle is None:
        holder["openconfig-vlan:switched-vlan"] = {"config": switched}
    name = "openconfig-if-aggregate:aggregation" if bundle else "openconfig-if-ethernet:ethernet"
    return {"name": port.name, "config": config, name: holder}


def _without_a_place(device: Device, port: Port, switched: dict[str, Any]) -> Iterator[str]:
    """The settings of a port that the models have no place for, and that decide about frames."""
    # A value that is the default loses nothing by being left out.
    for name, plain in _PLAIN.items():
        if device.value(port, name) not in (plain, None):
            yield name
    if device.value(port, "negotiation") in (Negotiation.PASSIVE, Negotiation.ACTIVE):
        yield "negotiation"
    if device.value(port, "withheld"):
        yield "withheld"
    if port.unknown:
        yield "what is not known of a port"
    # An empty leaf-list would not be stated, and a trunk without one carries every VLAN.
    if switched.get("trunk-vlans") == []:
        yield "trunks without any VLAN"


def _aggregated(port: Port, lost: list[str]) -> dict[str, Any]:
    """What is said of a bundle as such, or of a port as its member."""
    kind = port.aggregation.value if port.aggregation is not None else None
    # Neither type of bundle says that its ports stay independent.
    if kind is Aggregation.INDEPENDENT:
        lost.append(f"{port.name}: that its ports stay independent is not written")
    if port.bundle is not None:
        return {"config": {"openconfig-if-aggregate:aggregate-id": port.bundle.value}}
    if port.kind is not PortKind.BUNDLE or kind is Aggregation.INDEPENDENT:
        return {}
    return {"config": {"lag-type": "STATIC" if kind is Aggregation.STATIC else "LACP"}}


def _lacp(bundles: list[Port]) -> list[dict[str, Any]]:
    return [
        {
            "name": bundle.name,
            "config": {"name": bundle.name, "lacp-mode": bundle.aggregation.value.upper()},
        }
        for bundle in bundles
        if bundle.aggregation is not None
        and bundle.aggregation.value in (Aggregation.ACTIVE, Aggregation.PASSIVE)
    ]


def _is_trunk(device: Device, port: Port) -> bool:
    """True for a general port that is a trunk by another name: it takes what it is a member of,
    untagged its PVID.
    """
    # Without ingress filtering it would take more than it is a member of.
    if device.value(port, "mode") is not Mode.GENERAL or not device.value(
        port, "ingress_filtering"
    ):
        return False
    pvid, untagged = (
        device.value(port, "pvid"),
        device.value(port, "untagged"),
    )
    accept = device.value(port, "accept")
    bare = VlanSet.of(pvid) if pvid is not None else VlanSet()
    return (bare if untagged is None else untagged) == bare and accept in (
        # What it takes must be what a trunk takes: all, or tagged frames only where it has no PVID.
        Accept.ALL,
        None if pvid else Accept.TAGGED,
    )


def _switched(device: Device, port: Port, mode: Mode) -> dict[str, Any]:
    if mode is Mode.ACCESS:
        return {
            "interface-mode": "ACCESS",
            "access-vlan": device.value(port, "access_vlan"),
        }
    config: dict[str, Any] = {"interface-mode": "TRUNK"}
    if device.value(port, "mode") is Mode.GENERAL:
        native = device.value(port, "pvid")
        # The PVID's VLAN is carried too, so a list without it would drop untagged frames.
        allowed = device.value(port, "tagged") | (VlanSet.of(native) if native else VlanSet())
    else:
        native, allowed = (
            device.value(port, "native_vlan"),
            device.value(port, "allowed"),
        )
    if native is not None:
        config["native-vlan"] = native
    # No list means all VLANs.
    if allowed != VlanSet.all():
        config["trunk-vlans"] = [
            low if low == high else f"{low}..{high}" for low, high in allowed.ranges()
        ]
    return config


def gateway_interface(gateway: Gateway, name: str = "") -> dict[str, Any]:
    """The interface of a gateway, called `vlan-` and its VLAN unless it has a name."""
    name = name or f"vlan-{gateway.vid}"
    routed: dict[str, Any] = {"config": {"vlan": gateway.vid}}
    for address in gateway.addresses:
        family = routed.setdefault(
            f"openconfig-if-ip:ipv{address.value.version}", {"addresses": {"address": []}}
        )
        ip, length = str(address.value.ip), address.value.network.prefixlen
        family["addresses"]["address"].append(
            {"ip": ip, "config": {"ip": ip, "prefix-length": length}}
        )
    config: dict[str, Any] = {"name": name, "type": "iana-if-type:l3ipvlan", "enabled": gateway.on}
    return {"name": name, "config": config, "openconfig-vlan:routed-vlan": routed}


def _vlans(device: Device, lost: list[str]) -> list[dict[str, Any]]:
    rows = []
    for vid, vlan in sorted((device.vlans or {}).items()):
        config: dict[str, Any] = {"vlan-id": vid}
        if vlan.name is not None:
            config["name"] = vlan.name.value
        if vlan.active is not None:
            config["status"] = "ACTIVE" if vlan.active.value else "SUSPENDED"
        # The VLAN itself is written; that it is isolated is not.
        if vlan.private is not None:
            lost.append(f"VLAN {vid}: the models have no place for private VLANs")
        rows.append({"vlan-id": vid, "config": config})
    return rows


def _lldp(port: str, heard: list[Neighbour]) -> dict[str, Any]:
    entries = []
    for number, neighbour in enumerate(heard, 1):
        state = {
            "id": str(number),
            "system-name": neighbour.far_device,
            "port-id": neighbour.far_port,
            "port-id-type": "INTERFACE_NAME",
        }
        # A chassis without a name is the neighbour's name already.
        if neighbour.far_known_as:
            state["chassis-id"] = neighbour.far_known_as
        if neighbour.far_port_description:
            state["port-description"] = neighbour.far_port_description
        entries.append({"id": str(number), "state": state})
    return {"name": port, "config": {"name": port}, "neighbors": {"neighbor": entries}}
