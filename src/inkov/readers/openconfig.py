"""OpenConfig configurations and state, as JSON (RFC 7951) or from XML (`openconfig_xml`).

Read are `openconfig-interfaces` (with Ethernet, aggregate, `switched-vlan`, `routed-vlan`,
sub-interfaces and their addresses), the VLAN lists of `openconfig-network-instance` and of the
older top-level `openconfig-vlan:vlans`, the host name of `openconfig-system`, and the neighbours of
`openconfig-lldp`. RFC 7951 (section 4) puts a module's name before a member where the module
changes; exports with no such prefixes, or with one on every name, are read as well.

Decoding is typed (`openconfig_shape`), in one pass over the bytes. If one value has the wrong type,
`openconfig_pieces` takes the file apart, so that one bad interface costs no other.
"""

from __future__ import annotations

import re
from ipaddress import ip_interface

import msgspec

from inkov.campus import (
    OPENCONFIG,
    Address,
    Aggregation,
    Basis,
    Device,
    Fact,
    Gateway,
    Mode,
    Origin,
    Port,
    PortKind,
    Problem,
    Vlan,
)
from inkov.readers import openconfig_shape as shape
from inkov.readers.ledger import Part, Unread, named_after
from inkov.readers.openconfig_acl import Acl, read_acl
from inkov.readers.openconfig_lists import (
    assign_interfaces,
    either,
    read_instances,
    read_lldp,
)
from inkov.readers.openconfig_pieces import Pieces
from inkov.readers.openconfig_tree import per_vlan_member, read_lacp, read_stp
from inkov.readers.openconfig_xml import Tree
from inkov.vlanset import VlanSet

__all__ = ["NotOpenConfig", "read_openconfig", "read_openconfig_xml", "recognise"]


class NotOpenConfig(ValueError):
    """The JSON holds no container that is read. `names` are its top-level member names."""

    def __init__(self, names: list[str]) -> None:
        super().__init__("no OpenConfig container that Inkov reads")
        self.names = names


_ROOT = msgspec.json.Decoder(shape.Root)
_PREFIXED_KEY = re.compile(rb'"[A-Za-z][\w.-]*:([\w.-]+)"(?=\s*:)')
_WRAPPED = re.compile(
    rb'\s*\{\s*"(?:[\w-]+:)?data"\s*:'
)  # the answer of a RESTCONF server (RFC 8040, 3.3.1)
_SPEED = re.compile(r"SPEED_([0-9]{1,5})(MB|GB)\Z")  # identities of openconfig-if-ethernet
_UNITS = {"MB": 1, "GB": 1000}


# --- reading --------------------------------------------------------------------------------------


def recognise(head: bytes) -> bool:
    """True if the file can be JSON: a text that opens a brace."""
    return head.lstrip(b"\xef\xbb\xbf \t\r\n")[:1] == b"{"


def read_openconfig(file: str, data: bytes) -> Part:
    """Read one file. NotOpenConfig if it holds none of our containers; msgspec.DecodeError if it is
    not JSON.
    """
    if data.startswith(b"\xef\xbb\xbf"):
        data = data[3:]
    base = ""
    if _WRAPPED.match(data):
        members = msgspec.json.decode(data, type=dict[str, msgspec.Raw])
        if len(members) == 1:
            base, data = "/data", bytes(next(iter(members.values())))
    reader = _Reader(file, base)
    if (
        b':config"' in data or b':interface"' in data
    ):  # a prefix on every name: no export needs it, some have it
        data = _PREFIXED_KEY.sub(rb'"\1"', data)
    try:
        root = _ROOT.decode(data)
    except msgspec.ValidationError:
        root = reader.pieces.root(msgspec.json.decode(_PREFIXED_KEY.sub(rb'"\1"', data)))
    if not reader.root(root):
        tree = msgspec.json.decode(data)
        raise NotOpenConfig(list(tree) if isinstance(tree, dict) else [])
    return reader.part


def read_openconfig_xml(file: str, tree: Tree) -> Part:
    """Read the tree of an XML document. NotOpenConfig if it holds none of our containers."""
    reader = _Reader(file, "", strict=False)
    try:
        root = msgspec.convert(tree.root, shape.Root, strict=False)
    except msgspec.ValidationError:
        root = reader.pieces.root(tree.root)
    if not reader.root(root):
        raise NotOpenConfig(list(tree.root))
    return reader.part


class _Reader:
    def __init__(self, file: str, base: str, *, strict: bool = True) -> None:
        self.file = file
        self.base = base
        self.part = Part()
        self.pieces = Pieces(self.problem, strict=strict)

    def at(self, pointer: str) -> Origin:
        return Origin(self.file, pointer=self.base + pointer)

    def problem(self, pointer: str, says: str, cure: str = "") -> None:
        self.part.problems.append(Problem(self.at(pointer), says, cure))

    # The whole file.

    def root(self, root: shape.Root) -> bool:
        """Make a device of it. False if there is nothing of one in it."""
        interfaces = root.interfaces_q or root.interfaces
        older_vlans = root.vlans_q or root.vlans
        instances = root.instances_q or root.instances
        system = root.system_q or root.system
        lldp = root.lldp_q or root.lldp
        lacp, stp = root.lacp_q or root.lacp, root.stp_q or root.stp
        found = {
            "interfaces": interfaces,
            "vlans": older_vlans,
            "network-instances": instances,
            "system": system,
            "lldp": lldp,
            "lacp": lacp,
            "stp": stp,
            "acl": root.acl_q or root.acl,
        }
        self.part.about = frozenset(
            name for name, container in found.items() if container is not None
        )
        if not self.part.about:
            return False
        config = system and (system.config or system.state)
        hostname = config.hostname if config else None
        if hostname:
            origin = self.at("/system/config/hostname")
        else:
            self.part.named = False
            hostname, origin = named_after(self.file, "the file states no hostname")
        device = Device(hostname, origin, OPENCONFIG)
        self.part.devices.append(device)
        if older_vlans is not None:
            device.vlans = {}
            self.vlans(device.vlans, older_vlans, "/vlans")
        listed = instances.network_instance if instances else []
        read_instances(device, listed, self.at, self.vlans)
        for index, interface in enumerate(interfaces.interface if interfaces else ()):
            self._interface(device, interface, f"/interfaces/interface/{index}")
        assign_interfaces(device, listed, self.at)
        if lldp is not None and lldp.interfaces is not None:
            self.part.neighbours += read_lldp(device, lldp.interfaces, self.at, self.problem)
        if lacp is not None:
            read_lacp(device, lacp, self.at)
        if stp is not None:
            per_vlan = per_vlan_member(stp)
            stp = (
                {"per-vlan" if name == per_vlan else name: held for name, held in stp.items()}
                if per_vlan
                else stp
            )
            trees = self.pieces.convert(stp, "/stp", shape.Stp)
            if trees is not None:
                read_stp(device, trees, per_vlan, self.at, self.problem)
        acl = (
            self.pieces.convert(root.acl_q or root.acl, "/acl", Acl)
            if root.acl_q or root.acl
            else None
        )
        if acl is not None:
            read_acl(device, acl, self.at, self.problem)
        return True

    def vlans(self, table: dict[int, Vlan], vlans: shape.Vlans, path: str) -> None:
        """Put the VLANs of a list into a table."""
        for index, entry in enumerate(vlans.vlan):
            pointer = f"{path}/vlan/{index}"
            config, at = either(entry, pointer)
            vid = entry.vlan_id if config is None or config.vlan_id is None else config.vlan_id
            if (
                isinstance(vid, str) and vid.isascii() and vid.isdigit()
            ):  # some write the list key as a string
                vid = int(vid)
            if vid is None or isinstance(vid, str) or not 1 <= vid <= 4094:
                if entry != shape.VlanEntry():  # an entry left out has its own problem
                    self.problem(
                        f"{pointer}/vlan-id",
                        f"{vid} is not a VLAN number (1 to 4094); the entry is left out",
                    )
                continue
            if vid in table:
                continue
            vlan = table[vid] = Vlan(vid, self.at(pointer))
            if config is not None:
                if config.name is not None:
                    vlan.name = Fact(config.name, self.at(f"{at}/name"))
                if config.status is not None:
                    vlan.active = Fact(
                        config.status.upper() != "SUSPENDED", self.at(f"{at}/status")
                    )

    def _interface(self, device: Device, entry: shape.Interface, path: str) -> None:
        config, at = either(entry, path)
        name = entry.name or (config and config.name)
        if not name:
            if entry != shape.Interface():
                self.problem(f"{path}/name", "the interface has no name; it is left out")
            return
        kind_text = (config.type or "" if config else "").rpartition(":")[2]
        ethernet = entry.ethernet or entry.ethernet_plain
        aggregation = entry.aggregation or entry.aggregation_plain
        routed = entry.routed or entry.routed_plain
        if routed is not None:
            self._gateway(device, routed, name, config, at, f"{path}/routed-vlan")
        no_port = kind_text not in ("", "ethernetCsmacd", "ieee8023adLag") or routed is not None
        if no_port and ethernet is None and aggregation is None:
            if routed is None:
                self.part.ignored.append(
                    Unread(self.at(path), f"interface {name} of type {kind_text}", 0)
                )
            return
        if name in device.ports:
            first = device.ports[name].origin.pointer
            self.problem(
                path,
                f"port {name} is named twice; this entry is left out, the one at {first} is read",
            )
            return
        kind = (
            PortKind.BUNDLE
            if kind_text == "ieee8023adLag" or aggregation is not None
            else PortKind.PHYSICAL
        )
        port = device.ports[name] = Port(name, self.at(path), kind)
        if config is not None:
            if config.description:
                port.description = Fact(config.description, self.at(f"{at}/description"))
            if config.enabled is not None:
                port.enabled = Fact(config.enabled, self.at(f"{at}/enabled"))
            if config.mtu is not None:
                port.mtu = Fact(config.mtu, self.at(f"{at}/mtu"))
        layer, holder = (
            (aggregation, "aggregation") if kind is PortKind.BUNDLE else (ethernet, "ethernet")
        )
        switched = None
        if ethernet is not None:
            member, member_at = either(ethernet, f"{path}/ethernet")
            bundle = member and (member.aggregate_id_q or member.aggregate_id)
            if bundle:
                port.bundle = Fact(bundle, self.at(f"{member_at}/aggregate-id"))
            speed = _SPEED.search(member.port_speed or "") if member else None
            if speed:
                port.speed = Fact(
                    int(speed[1]) * _UNITS[speed[2]], self.at(f"{member_at}/port-speed")
                )
        if (
            aggregation is not None
            and aggregation.config
            and aggregation.config.lag_type == "STATIC"
        ):
            port.aggregation = Fact(
                Aggregation.STATIC, self.at(f"{path}/aggregation/config/lag-type")
            )
        if layer is not None:
            switched = layer.prefixed or layer.plain
            if switched is not None:
                self._switched(port, switched, f"{path}/{holder}/switched-vlan")
        if entry.subinterfaces is not None:
            self._subinterfaces(
                device, port, entry.subinterfaces, f"{path}/subinterfaces", switched is None
            )

    def _switched(self, port: Port, switched: shape.Switched, path: str) -> None:
        config, at = either(switched, path)
        if config is None:
            return
        mode = config.interface_mode
        if mode is not None:
            pointer = self.at(f"{at}/interface-mode")
            word = mode.rpartition(":")[2].upper()
            if word in ("ACCESS", "TRUNK"):
                port.mode = Fact(Mode.ACCESS if word == "ACCESS" else Mode.TRUNK, pointer)
            else:
                self.problem(
                    pointer.pointer, f"interface-mode {mode!r} is neither ACCESS nor TRUNK"
                )
        elif config.trunk_vlans is not None:
            says = "interface-mode is not stated: taken as a trunk, since trunk-vlans is"
            port.mode = Fact(
                Mode.TRUNK,
                Origin(self.file, pointer=self.base + at, basis=Basis.ASSUMED, says=says),
            )
        if config.access_vlan is not None and self._vid(config.access_vlan, f"{at}/access-vlan"):
            port.access_vlan = Fact(config.access_vlan, self.at(f"{at}/access-vlan"))
        if config.native_vlan is not None and self._vid(config.native_vlan, f"{at}/native-vlan"):
            port.native_vlan = Fact(config.native_vlan, self.at(f"{at}/native-vlan"))
        if config.trunk_vlans is not None:
            bits = 0
            for index, item in enumerate(config.trunk_vlans):
                bits |= self._vids(item, f"{at}/trunk-vlans/{index}")
            port.allowed = Fact(VlanSet(bits), self.at(f"{at}/trunk-vlans"))

    def _vid(self, vid: int, pointer: str) -> bool:
        if 1 <= vid <= 4094:
            return True
        self.problem(pointer, f"{vid} is not a VLAN number (1 to 4094); the value is left out")
        return False

    def _vids(self, item: int | str, pointer: str) -> int:
        """The bits of one entry of trunk-vlans: a number, or a range `a..b` (openconfig-vlan-types,
        vlan-range).
        """
        if isinstance(item, str):
            low, dots, high = item.partition("..")
            if all(
                part.isascii() and part.isdigit() and len(part) < 5 for part in (low, high or "0")
            ):
                first, last = int(low), int(high) if dots and high else int(low)
                if 1 <= first <= last <= 4094 and bool(dots) == bool(high):
                    return (2 << last) - (1 << first)
        elif 1 <= item <= 4094:
            return 1 << item
        self.problem(
            pointer, f"{item!r} is not a VLAN number or a range a..b (1 to 4094); it is left out"
        )
        return 0

    def _subinterfaces(
        self, device: Device, port: Port, subs: shape.Subinterfaces, path: str, routed: bool
    ) -> None:
        for index, sub in enumerate(subs.subinterface):
            pointer = f"{path}/subinterface/{index}"
            addresses = self._addresses(sub, pointer)
            vlan = sub.prefixed or sub.plain
            tagged = vlan and (vlan.match.single_tagged if vlan.match else None)
            config = (tagged.config or tagged.state) if tagged else (vlan.config if vlan else None)
            vid = config.vlan_id if config else None
            if vid is None:
                if addresses and routed:
                    port.addresses += addresses
                    port.mode = Fact(Mode.ROUTED, addresses[0].origin)
                continue
            where = f"{pointer}/vlan" + (
                "/match/single-tagged/config/vlan-id" if tagged else "/config/vlan-id"
            )
            if not isinstance(vid, int):
                self.problem(
                    where,
                    f"{vid!r}: only a single VLAN number is read here; the sub-interface is"
                    " left out",
                )
            elif self._vid(vid, where):
                name = f"{port.name}.{sub.index}"
                origin = self.at(pointer)
                device.ports[name] = Port(
                    name,
                    origin,
                    PortKind.SUB,
                    parent=Fact(port.name, origin),
                    mode=Fact(Mode.ROUTED, origin),
                    outer=Fact(vid, self.at(where)),
                    addresses=addresses,
                )
                if sub.config is not None and sub.config.enabled is not None:
                    enabled = self.at(f"{pointer}/config/enabled")
                    device.ports[name].enabled = Fact(sub.config.enabled, enabled)

    def _gateway(
        self,
        device: Device,
        routed: shape.Routed,
        name: str,
        config: shape.InterfaceConfig | None,
        at: str,
        path: str,
    ) -> None:
        inner, inner_at = either(routed, path)
        vid: int | str | None = inner.vlan if inner else None
        if isinstance(vid, str):
            named = [
                v.vid
                for v in (device.vlans or {}).values()
                if v.name is not None and v.name.value == vid
            ]
            vid = (
                named[0]
                if len(named) == 1
                else int(vid)
                if vid.isascii() and vid.isdigit()
                else vid
            )
        if not isinstance(vid, int):
            self.problem(
                f"{inner_at}/vlan",
                f"the routed VLAN {vid!r} is not defined here; the gateway is left out",
            )
            return
        if self._vid(vid, f"{inner_at}/vlan"):
            gateway = Gateway(
                vid, self.at(path), name=name, addresses=self._addresses(routed, path)
            )
            if config is not None and config.enabled is not None:
                gateway.enabled = Fact(config.enabled, self.at(f"{at}/enabled"))
            device.gateways.append(gateway)

    def _addresses(self, holder: shape.L3, path: str) -> tuple[Fact[Address], ...]:
        found = []
        for name, family in (
            ("ipv4", holder.ipv4 or holder.ipv4_plain),
            ("ipv6", holder.ipv6 or holder.ipv6_plain),
        ):
            for index, entry in enumerate(family.addresses.address if family else ()):
                config, at = either(entry, f"{path}/{name}/addresses/address/{index}")
                if config is None:
                    continue
                try:
                    address = ip_interface(f"{config.ip or entry.ip}/{config.prefix_length}")
                    found.append(Fact(address, self.at(f"{at}/ip")))
                except ValueError:
                    self.problem(
                        at, f"{config.ip}/{config.prefix_length} is not an address; it is left out"
                    )
        return tuple(found)
