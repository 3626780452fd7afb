"""From the network devices of a Linux system to a switch of ours, whichever files told of them.

A bridge that filters VLANs has general ports: PVID and membership as listed, ingress filtering on,
and no VLAN table but the membership itself. A bridge that does not filter takes no notice of tags:
all frames pass through as they are. What is in no bridge and no bond is the system's own: a routed
port.
"""

from __future__ import annotations

from msgspec import Struct, field

from inkov.campus import (
    STANDARD,
    Accept,
    Address,
    Aggregation,
    Basis,
    Bridge,
    Device,
    Fact,
    Gateway,
    Mode,
    Origin,
    Platform,
    Port,
    PortKind,
    Problem,
    Tree,
    TreeMode,
    TreeState,
)
from inkov.vlanset import VlanSet

__all__ = ["LINUX", "Member", "Netdev", "bond_mode", "build"]

LINUX = Platform(
    "Linux",
    STANDARD.unstated
    | {
        "ingress_filtering": Fact(
            True, Origin(basis=Basis.DEFAULT, says="Linux: with VLAN filtering, on arrival too")
        )
    },
)
"""What the kernel does where nothing is said: a bridge port with VLAN filtering takes the VLANs it
is a member of.
"""

_OWN_KINDS = {"", "veth", "dsa", "dummy", "bond", "team", "vlan", "bridge"}


_TUNNELS = {"vxlan", "gretap", "ip6gretap", "geneve", "l2tp", "erspan", "openvpn"}


class Member(Struct, gc=False):
    """A VLAN that a bridge port is a member of."""

    pvid: bool
    untagged: bool
    origin: Origin


class Netdev(Struct):
    """A network device: what is known of it, with origins. `kind` is "" for hardware."""

    name: str
    origin: Origin
    kind: str = ""
    enabled: Fact[bool] | None = None
    about: Fact[str] | None = None
    mtu: Fact[int] | None = None
    master: Fact[str] | None = None
    link: Fact[str] | None = None
    vid: Fact[int] | None = None
    filtering: Fact[bool] | None = None
    default_pvid: Fact[int | None] | None = None
    stp: Fact[bool] | None = None
    priority: Fact[int] | None = None
    address: Fact[str] | None = None
    root: Fact[str] | None = None
    cost: Fact[int] | None = None
    port_priority: Fact[int] | None = None
    number: Fact[int] | None = None
    tree_state: Fact[TreeState] | None = None
    isolated: Fact[bool] | None = None
    bpdu_guard: Fact[bool] | None = None
    aggregation: Fact[Aggregation] | None = None
    vrf: Fact[str] | None = None
    members: dict[int, Member] | None = None
    bonds: bool = False
    unknown: str = ""
    addresses: list[Fact[Address]] = field(default_factory=list)


_INDEPENDENT = {1, "active-backup", 5, "balance-tlb", 6, "balance-alb"}
"""Modes of a bond whose far end need not be a bundle."""


def bond_mode(mode: int | str | None) -> Aggregation:
    """How a bond comes about, by its mode (numbers as the kernel has them)."""
    # LACP is the only mode that asks the far end; some others need no bundle there.
    if mode in (4, "802.3ad"):
        return Aggregation.ACTIVE
    return Aggregation.INDEPENDENT if mode in _INDEPENDENT else Aggregation.STATIC


def build(name: str, origin: Origin, netdevs: dict[str, Netdev], problems: list[Problem]) -> Device:
    """The device. What cannot be placed becomes a problem."""
    device = Device(name, origin, LINUX, table_is_membership=True)
    builder = _Builder(device, netdevs, problems)
    # Bridges first: a port asks which bridge it is in.
    for netdev in netdevs.values():
        if netdev.kind == "bridge":
            builder.bridge(netdev)
    for netdev in netdevs.values():
        if netdev.kind not in ("bridge", "loopback"):
            builder.port(netdev)
    return device


class _Builder:
    def __init__(self, device: Device, netdevs: dict[str, Netdev], problems: list[Problem]) -> None:
        self.device = device
        self.netdevs = netdevs
        self.problems = problems
        bridges = [netdev.name for netdev in netdevs.values() if netdev.kind == "bridge"]
        # The only bridge of a system is its main one, and needs no name.
        self.named = {name: name if len(bridges) > 1 else "" for name in bridges}

    def problem(self, origin: Origin, says: str, cure: str = "") -> None:
        self.problems.append(Problem(origin, says, cure))

    def bridge(self, netdev: Netdev) -> None:
        """The bridge, its tree, and what of the system itself is in it."""
        name = self.named[netdev.name]
        bridge = Bridge(netdev.name, netdev.origin) if name else None
        if bridge is not None:
            self.device.bridges[netdev.name] = bridge
        holders: list[Device | Bridge] = [self.device]
        holders += [bridge] if bridge is not None else []
        for holder in holders:
            holder.address = holder.address or netdev.address
            if netdev.stp is not None:
                mode = TreeMode.STP if netdev.stp.value else TreeMode.OFF
                # Of several bridges the device's own mode is that of one that runs a tree.
                if holder.tree_mode is None or netdev.stp.value:
                    holder.tree_mode = Fact(mode, netdev.stp.origin)
        if netdev.priority is not None or any(
            n.cost and _in(n, netdev) for n in self.netdevs.values()
        ):
            self.device.trees.append(self._tree(netdev, name))
        # An address on a bridge is the system's own interface in the VLAN of untagged frames.
        if netdev.addresses:
            self.gateway(netdev, netdev, self._own_vid(netdev))

    def _tree(self, netdev: Netdev, name: str) -> Tree:
        tree = Tree(
            VlanSet.all(),
            netdev.origin,
            bridge=name,
            priority=netdev.priority,
            seen_root=netdev.root,
        )
        for port in self.netdevs.values():
            if _in(port, netdev):
                tree.costs |= {port.name: port.cost} if port.cost else {}
                tree.priorities |= {port.name: port.port_priority} if port.port_priority else {}
                tree.states |= {port.name: port.tree_state} if port.tree_state else {}
        return tree

    def _own_vid(self, bridge: Netdev) -> int | None:
        """The VLAN of the bridge's own untagged frames."""
        if not _filters(bridge):
            return 1
        # The bridge is a member of its own VLANs, as a port is.
        for vid, member in (bridge.members or {}).items():
            if member.pvid:
                return vid
        # With a list that has no PVID it takes no untagged frames at all.
        return None if bridge.members else _default_pvid(bridge)

    def gateway(
        self, netdev: Netdev, bridge: Netdev, vid: int | None, *, tagged: bool = False
    ) -> None:
        """The system's own interface in a VLAN of a bridge."""
        if vid is None:
            self.problem(
                netdev.origin,
                f"{netdev.name} has an address, but its bridge takes no untagged frames for it",
            )
            return
        gateway = Gateway(
            vid,
            netdev.origin,
            self.named[bridge.name],
            netdev.enabled,
            tuple(netdev.addresses),
            name=netdev.name,
            tagged=tagged and not _filters(bridge),
        )
        gateway.vrf = _vrf(netdev, self.netdevs.get(netdev.master.value) if netdev.master else None)
        self.device.gateways.append(gateway)

    def port(self, netdev: Netdev) -> None:
        """A port, a bundle, a sub-interface, or the system's own interface on a bridge."""
        master = self.netdevs.get(netdev.master.value) if netdev.master else None
        in_bridge = master is not None and master.kind == "bridge"
        # Anything in a bridge bears frames of the campus, whatever kind it is.
        if netdev.kind not in _OWN_KINDS and not in_bridge:
            return  # it bears no frames of the campus: a VPN's end, say
        is_vlan = netdev.kind == "vlan"
        below = self.netdevs.get(netdev.link.value) if netdev.link and is_vlan else None
        # A VLAN device on a bridge is the system's own interface there: a gateway.
        if below is not None and below.kind == "bridge" and netdev.vid is not None:
            self.gateway(netdev, below, netdev.vid.value, tagged=True)
            lacks = below.members is not None and netdev.vid.value not in below.members
            if _filters(below) and lacks and self.device.gateways:
                # The bridge itself is no member of that VLAN: nothing gets to its interface there.
                self.device.gateways[-1].enabled = Fact(False, below.origin)
            return
        if is_vlan and (netdev.link is None or netdev.vid is None):
            says = f"{netdev.name} is a VLAN of nothing that is known here; it is left out"
            self.problem(netdev.origin, says)
            return
        port = self.device.ports[netdev.name] = _port(netdev)
        port.unknown = netdev.unknown
        if master is not None and in_bridge:
            self._in_bridge(port, netdev, master)
        elif netdev.master is not None and (master is None or master.kind in ("bond", "team")):
            # A master that is not among the files may be a bond; a bond of one port is that port.
            port.bundle = netdev.master
            if master is None:
                says = f"{netdev.name} belongs to {netdev.master.value}, which is not there"
                self.problem(netdev.master.origin, says)
        else:
            # In no bridge and no bond: the system's own.
            routed = netdev.addresses[0].origin if netdev.addresses else netdev.origin
            port.mode = Fact(Mode.ROUTED, routed)
            port.addresses = tuple(netdev.addresses)
            port.vrf = _vrf(netdev, master)

    def _in_bridge(self, port: Port, netdev: Netdev, bridge: Netdev) -> None:
        if netdev.kind in _TUNNELS:
            # What goes into a tunnel comes out somewhere that no cable tells.
            says = f"{netdev.name} is a tunnel ({netdev.kind}): where it leads is not followed"
            self.problem(netdev.origin, says, "add its far end to a cabling table")
        if self.named[bridge.name] and netdev.master is not None:
            self.device.bridges[bridge.name].ports[port.name] = netdev.master.origin
        port.protected, port.bpdu_guard = netdev.isolated, netdev.bpdu_guard
        port.number = netdev.number
        # Whether tags count is what decides about every frame: not to know it is not to know the
        # port.
        if bridge.filtering is None and netdev.kind != "bridge":
            port.unknown = f"whether {bridge.name} filters VLANs is not told (print with -d)"
        port.unknown = port.unknown or netdev.unknown or bridge.unknown
        self._bridged(port, netdev, bridge)

    def _bridged(self, port: Port, netdev: Netdev, bridge: Netdev) -> None:
        if not _filters(bridge):
            origin = bridge.filtering.origin if bridge.filtering else bridge.origin
            port.mode = Fact(Mode.UNAWARE, origin)
            return
        # The list of members is a file of its own: without it, all is the safe assumption.
        if netdev.members is None:
            says = (
                f"the VLANs of bridge port {netdev.name} are not among the files: taken to have all"
            )
            self.problem(netdev.origin, says, "add the output of `bridge -j vlan show`")
            port.mode, port.allowed = (
                Fact(Mode.TRUNK, netdev.origin),
                Fact(VlanSet.all(), netdev.origin),
            )
            port.native_vlan = Fact(_default_pvid(bridge), netdev.origin)
            return
        # With VLAN filtering, membership says all: there is no access or trunk mode.
        origin = next((m.origin for m in netdev.members.values()), netdev.origin)
        pvids = [vid for vid, member in netdev.members.items() if member.pvid]
        untagged = VlanSet.from_vids(
            vid for vid, member in netdev.members.items() if member.untagged
        )
        port.mode = Fact(Mode.GENERAL, origin)
        port.pvid = Fact(pvids[0] if pvids else None, _origin_of(netdev.members, pvids, origin))
        port.accept = Fact(Accept.ALL if pvids else Accept.TAGGED, origin)
        port.untagged = Fact(untagged, origin)
        port.tagged = Fact(VlanSet.from_vids(netdev.members) - untagged, origin)


def _port(netdev: Netdev) -> Port:
    """The port of a network device, with what it says whatever it belongs to."""
    kinds = {"bond": PortKind.BUNDLE, "team": PortKind.BUNDLE, "vlan": PortKind.SUB}
    kind = kinds.get(netdev.kind, PortKind.PHYSICAL)
    port = Port(netdev.name, netdev.origin, kind, netdev.about, netdev.enabled)
    port.mtu, port.aggregation = netdev.mtu, netdev.aggregation
    if kind is PortKind.SUB:  # others have links, too: the two ends of a veth pair
        port.parent, port.outer = netdev.link, netdev.vid
    return port


def _vrf(netdev: Netdev, master: Netdev | None) -> Fact[str] | None:
    """The routing table a device belongs to: as stated, or its master."""
    return netdev.master if master is not None and master.kind == "vrf" else netdev.vrf


def _origin_of(members: dict[int, Member], vids: list[int], otherwise: Origin) -> Origin:
    return members[vids[0]].origin if vids else otherwise


def _in(netdev: Netdev, bridge: Netdev) -> bool:
    return netdev.master is not None and netdev.master.value == bridge.name


def _filters(bridge: Netdev) -> bool:
    return bridge.filtering is not None and bridge.filtering.value


def _default_pvid(bridge: Netdev) -> int | None:
    return 1 if bridge.default_pvid is None else bridge.default_pvid.value
