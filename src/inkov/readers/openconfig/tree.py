"""The spanning tree of an OpenConfig device (openconfig-spanning-tree) and its LACP
(openconfig-lacp).
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from inkov.campus import (
    Aggregation,
    Device,
    Fact,
    Guard,
    Origin,
    PortKind,
    Tree,
    TreeMode,
    TreeRole,
    TreeState,
    address_text,
)
from inkov.readers.openconfig import shape
from inkov.readers.openconfig.lists import either
from inkov.vlanset import VlanSet

__all__ = ["per_vlan_member", "read_lacp", "read_stp"]

At = Callable[[str], Origin]
Say = Callable[[str, str], None]
_MODES = {"STP": TreeMode.STP, "RSTP": TreeMode.RSTP, "MSTP": TreeMode.MSTP}
_KNOWN = {"global", "rstp", "mstp", "interfaces"}
_EDGE = {"EDGE_ENABLE": True, "EDGE_DISABLE": False}


def per_vlan_member(tree: Any) -> str:
    """The member of the `stp` container that holds a list of trees by VLAN: known by what it holds,
    not by its name.
    """
    members = tree.items() if isinstance(tree, dict) else ()
    return next(
        (
            name
            for name, held in members
            if name not in _KNOWN and isinstance(held, dict) and "vlan" in held
        ),
        "",
    )


def read_stp(device: Device, stp: shape.Stp, per_vlan: str, at: At, say: Say) -> None:
    """Mode, trees and port settings. `at` makes an origin of a pointer, `say` a problem."""
    config, where = either(stp.overall, "/stp/global") if stp.overall else (None, "")
    if config:
        _protocol(device, config.enabled_protocol, f"{where}/enabled-protocol", at, say)
    _trees(device, stp, per_vlan, at, say)
    for index, port in enumerate(stp.interfaces.interface if stp.interfaces else ()):
        _port(device, port, f"/stp/interfaces/interface/{index}", at, say)
    # Only what is on edge already: a guard on another port would shut it.
    if config and config.bpdu_guard:  # of all edge ports that do not say otherwise
        for known in device.ports.values():
            if known.edge is not None and known.edge.value and known.bpdu_guard is None:
                known.bpdu_guard = Fact(True, at(f"{where}/bpdu-guard"))


def _protocol(device: Device, names: list[str], path: str, at: At, say: Say) -> None:
    """The mode of a device: the first protocol that is known here counts."""
    for index, name in enumerate(names):
        pointer = f"{path}/{index}"
        word = name.rpartition(":")[2].upper()
        # Identities that begin so are a rapid tree for each VLAN.
        mode = TreeMode.PER_VLAN if word.startswith("RAPID_") else _MODES.get(word)
        if mode is None:
            say(pointer, f"{word!r} is not a spanning tree protocol that is known here")
        elif device.tree_mode is None:
            # Further protocols of the list are what it could run, not what it runs.
            device.tree_mode = Fact(mode, at(pointer))


def _trees(device: Device, stp: shape.Stp, per_vlan: str, at: At, say: Say) -> None:
    """The one tree of RSTP, the instances of MSTP, and the trees of single VLANs."""
    if stp.rstp is not None:
        _tree(device, Tree(VlanSet.all(), at("/stp/rstp")), stp.rstp, "/stp/rstp", at)
    config, path = either(stp.mstp, "/stp/mstp") if stp.mstp else (None, "")
    if config is not None:
        device.region = None if config.name is None else Fact(config.name, at(f"{path}/name"))
        if config.revision is not None:
            device.revision = Fact(config.revision, at(f"{path}/revision"))
    instances = stp.mstp.mst_instances if stp.mstp else None
    for index, instance in enumerate(instances.mst_instance if instances else ()):
        path = f"/stp/mstp/mst-instances/mst-instance/{index}"
        config, where = either(instance, path)
        vids = _vids(config.vlan if config else None, f"{where}/vlan", say)
        _tree(device, Tree(vids, at(path), instance.mst_id or 0), instance, path, at)
    for index, entry in enumerate(stp.per_vlan.vlan if stp.per_vlan else ()):
        path = f"/stp/{per_vlan}/vlan/{index}"
        vids = _vids(entry.vlan_id, f"{path}/vlan-id", say)
        # An entry whose number is no VLAN has its problem already.
        if vids:
            _tree(device, Tree(vids, at(path)), entry, path, at)


def _tree(device: Device, tree: Tree, entry: shape.StpTree, path: str, at: At) -> None:
    config, where = either(entry, path)
    if config is not None and config.bridge_priority is not None:
        tree.priority = Fact(config.bridge_priority, at(f"{where}/bridge-priority"))
    if entry.state is not None:
        address, root = entry.state.bridge_address, entry.state.designated_root_address
        # A device says its address once for each tree: all are the same.
        device.address = device.address or _address(address, f"{path}/state/bridge-address", at)
        tree.seen_root = _address(root, f"{path}/state/designated-root-address", at)
    # A port of a tree without a name cannot be any of ours.
    for index, port in enumerate(entry.interfaces.interface if entry.interfaces else ()):
        name = port.name or (port.config and port.config.name)
        where = f"{path}/interfaces/interface/{index}"
        if not name:
            continue
        if port.config is not None and port.config.cost is not None:
            tree.costs[name] = Fact(port.config.cost, at(f"{where}/config/cost"))
        if port.config is not None and port.config.port_priority is not None:
            priority = port.config.port_priority
            tree.priorities[name] = Fact(priority, at(f"{where}/config/port-priority"))
        if port.state is not None:
            _seen(device, tree, name, port.state, f"{where}/state", at)
    device.trees.append(tree)


def _seen(
    device: Device, tree: Tree, name: str, state: shape.TreePortConfig, where: str, at: At
) -> None:
    """What the device says that a port is now. Of settings, the state is that which counts."""
    role = (state.role or "").rpartition(":")[2].lower()
    if role in set(TreeRole):
        tree.roles[name] = Fact(TreeRole(role), at(f"{where}/role"))
    if state.port_state is not None:
        forwards = state.port_state.rpartition(":")[2].upper() == "FORWARDING"
        seen = TreeState.FORWARDING if forwards else TreeState.DISCARDING
        tree.states[name] = Fact(seen, at(f"{where}/port-state"))
    # Settings come first; the state fills in what is not set, since that is what counts then.
    if state.cost is not None and name not in tree.costs:
        tree.costs[name] = Fact(state.cost, at(f"{where}/cost"))
    if state.port_priority is not None and name not in tree.priorities:
        tree.priorities[name] = Fact(state.port_priority, at(f"{where}/port-priority"))
    port = device.ports.get(name)
    if state.port_num is not None and port is not None:
        port.number = Fact(state.port_num, at(f"{where}/port-num"))


def _address(text: str | None, pointer: str, at: At) -> Fact[str] | None:
    try:
        return Fact(address_text(text or ""), at(pointer))
    except ValueError:
        return None


def _port(device: Device, entry: shape.StpPort, path: str, at: At, say: Say) -> None:
    config, where = either(entry, path)
    name = entry.name or (config and config.name)
    if config is None or not name:
        return
    port = device.ports.get(name)
    if port is None:
        say(path, f"the spanning tree names a port {name!r} that is not among the interfaces")
        return
    if (
        config.edge_port is not None
        and (edge := _EDGE.get(config.edge_port.rpartition(":")[2])) is not None
    ):
        # A word that is neither on nor off says nothing: the port is as by default.
        port.edge = Fact(edge, at(f"{where}/edge-port"))
    if config.guard is not None and config.guard.lower() in set(Guard):
        port.guard = Fact(Guard(config.guard.lower()), at(f"{where}/guard"))
    if config.bpdu_guard is not None:
        port.bpdu_guard = Fact(config.bpdu_guard, at(f"{where}/bpdu-guard"))


def _vids(value: shape.VidItems, pointer: str, say: Say) -> VlanSet:
    # One number, a list, or nothing: exports write all three.
    items = value if isinstance(value, list) else [] if value is None else [value]
    try:
        return (
            VlanSet.parse(",".join(str(item).replace("..", "-") for item in items))
            if items
            else VlanSet()
        )
    except ValueError:
        say(pointer, f"{items!r} is not a list of VLAN numbers; it is left out")
        return VlanSet()


def read_lacp(device: Device, lacp: shape.Lacp, at: At) -> None:
    """How each bundle comes about."""
    for index, entry in enumerate(lacp.interfaces.interface if lacp.interfaces else ()):
        config, _ = either(entry, "")
        # LACP is spoken for bundles; entries of single ports say nothing of one.
        name = entry.name or (config and config.name)
        port = device.ports.get(name) if name else None
        if port is not None and port.kind is PortKind.BUNDLE:
            # ACTIVE is the default of lacp-mode (openconfig-lacp).
            passive = (
                config is not None and (config.lacp_mode or "").rpartition(":")[2] == "PASSIVE"
            )
            where = at(f"/lacp/interfaces/interface/{index}")
            port.aggregation = Fact(Aggregation.PASSIVE if passive else Aggregation.ACTIVE, where)
