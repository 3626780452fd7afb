"""OpenConfig configurations and state as JSON (RFC 7951).

Read are `openconfig-interfaces` (with Ethernet, aggregate, `switched-vlan`, `routed-vlan`, sub-interfaces and their
addresses), the VLAN lists of `openconfig-network-instance` and of the older top-level `openconfig-vlan:vlans`, the host
name of `openconfig-system`, and the neighbours of `openconfig-lldp`. RFC 7951 (section 4) puts a module's name before a
member where the module changes; exports with no such prefixes, or with one on every name, are read as well.

Decoding is typed (the structs below), in one pass over the bytes. If one value has the wrong type, the file is taken
apart and each list entry decoded by itself, so that one bad interface costs no other.
"""

from __future__ import annotations

import re
from ipaddress import ip_interface
from typing import Any, TypeVar

import msgspec

from inkov.campus import (
    OPENCONFIG,
    Address,
    Basis,
    Device,
    Fact,
    Gateway,
    Mode,
    Neighbour,
    Origin,
    Port,
    PortKind,
    Problem,
    Vlan,
)
from inkov.readers import openconfig_shape as shape
from inkov.readers.ledger import Part, Unread
from inkov.vlanset import VlanSet

__all__ = ["NotOpenConfig", "read_openconfig", "recognise"]


class NotOpenConfig(ValueError):
    """The JSON holds none of the containers that are read. `names` are its top-level member names."""

    def __init__(self, names: list[str]) -> None:
        super().__init__("no OpenConfig container that Inkov reads")
        self.names = names


_ROOT = msgspec.json.Decoder(shape.Root)
_PREFIXED_KEY = re.compile(rb'"[A-Za-z][\w.-]*:([\w.-]+)"(?=\s*:)')
_WRAPPED = re.compile(rb'\s*\{\s*"(?:[\w-]+:)?data"\s*:')  # the answer of a RESTCONF server (RFC 8040, 3.3.1)
_S = TypeVar("_S")


# --- reading -------------------------------------------------------------------------------------------------------


def recognise(head: bytes) -> bool:
    """True if the file can be JSON: a text that opens a brace."""
    return head.lstrip(b"\xef\xbb\xbf \t\r\n")[:1] == b"{"


def read_openconfig(file: str, data: bytes) -> Part:
    """Read one file. NotOpenConfig if it holds none of our containers; msgspec.DecodeError if it is not JSON."""
    if data.startswith(b"\xef\xbb\xbf"):
        data = data[3:]
    base = ""
    if _WRAPPED.match(data):
        members = msgspec.json.decode(data, type=dict[str, msgspec.Raw])
        if len(members) == 1:
            base, data = "/data", bytes(next(iter(members.values())))
    reader = _Reader(file, base)
    if b':config"' in data or b':interface"' in data:  # a prefix on every name: no export needs it, some have it
        data = _PREFIXED_KEY.sub(rb'"\1"', data)
    try:
        root = _ROOT.decode(data)
    except msgspec.ValidationError:
        root = reader.piecewise(data)
    reader.root(root, data)
    return reader.part


class _Reader:
    def __init__(self, file: str, base: str) -> None:
        self.file = file
        self.base = base
        self.part = Part()

    def _at(self, pointer: str) -> Origin:
        return Origin(self.file, pointer=self.base + pointer)

    def _problem(self, pointer: str, says: str, cure: str = "") -> None:
        self.part.problems.append(Problem(self._at(pointer), says, cure))

    # One bad value: decode each list entry by itself.

    def piecewise(self, data: bytes) -> shape.Root:
        # Keys lose their prefixes here; the locator finds them again by their last part.
        tree = msgspec.json.decode(_PREFIXED_KEY.sub(rb'"\1"', data))
        if not isinstance(tree, dict):
            raise NotOpenConfig([])
        root = shape.Root()
        root.interfaces = shape.Interfaces(self._entries(tree, ("interfaces", "interface"), shape.Interface))
        if "vlans" in tree:
            root.vlans = shape.Vlans(self._entries(tree, ("vlans", "vlan"), shape.VlanEntry))
        if "network-instances" in tree:
            instances = _child(tree, ("network-instances", "network-instance"))
            root.instances = shape.Instances()
            for index, entry in enumerate(instances if isinstance(instances, list) else []):
                vlans = _child(entry, ("vlans",))
                path = f"/network-instances/network-instance/{index}"
                # An empty instance keeps the pointers of those after it right.
                root.instances.network_instance.append(
                    shape.Instance(
                        vlans=None
                        if vlans is None
                        else shape.Vlans(self._entries(vlans, ("vlan",), shape.VlanEntry, f"{path}/vlans"))
                    )
                )
        root.system = self._one(tree, ("system",), shape.System)
        root.lldp = shape.Lldp(
            shape.LldpInterfaces(self._entries(tree, ("lldp", "interfaces", "interface"), shape.LldpInterface))
        )
        return root

    def _entries(self, tree: Any, path: tuple[str, ...], kind: type[_S], above: str = "") -> list[_S]:
        entries = _child(tree, path)
        pointer = above + "".join(f"/{name}" for name in path)
        if entries is None:
            return []
        if not isinstance(entries, list):
            self._problem(pointer, f"a list is expected here, not {_json_type(entries)}")
            return []
        return [self._convert(entry, f"{pointer}/{i}", kind) or kind() for i, entry in enumerate(entries)]

    def _one(self, tree: Any, path: tuple[str, ...], kind: type[_S]) -> _S | None:
        value = _child(tree, path)
        return None if value is None else self._convert(value, "".join(f"/{name}" for name in path), kind)

    def _convert(self, value: Any, pointer: str, kind: type[_S]) -> _S | None:
        try:
            return msgspec.convert(value, kind)
        except msgspec.ValidationError as error:
            says, _, where = str(error).partition(" - at `$")
            inner = re.sub(r"\[(\d+)\]", r"/\1", where.rstrip("`")).replace(".", "/")
            named = f" of {value['name']!r}" if isinstance(value, dict) and isinstance(value.get("name"), str) else ""
            self._problem(
                pointer + inner,
                f"wrong type: {says[:1].lower()}{says[1:]}; the entry{named} is left out",
                "correct the value in the export",
            )
            return None

    # The whole file.

    def root(self, root: shape.Root, data: bytes) -> None:
        interfaces = root.interfaces_q or root.interfaces
        older_vlans = root.vlans_q or root.vlans
        instances = root.instances_q or root.instances
        system = root.system_q or root.system
        lldp = root.lldp_q or root.lldp
        found = {"interfaces": interfaces, "vlans": older_vlans, "network-instances": instances, "system": system,
                 "lldp": lldp}  # fmt: skip
        self.part.about = frozenset(name for name, container in found.items() if container is not None)
        if not self.part.about:
            tree = msgspec.json.decode(data)
            raise NotOpenConfig(list(tree) if isinstance(tree, dict) else [])
        config = system and (system.config or system.state)
        hostname = config.hostname if config else None
        if hostname:
            origin = self._at("/system/config/hostname")
        else:
            self.part.named = False
            hostname = _stem(self.file)
            origin = Origin(
                self.file, basis=Basis.ASSUMED, says=f"the file states no hostname: named {hostname!r} after the file"
            )
        device = Device(hostname, origin, OPENCONFIG)
        self.part.devices.append(device)
        if older_vlans is not None:
            self._vlans(device, older_vlans, "/vlans")
        for index, instance in enumerate(instances.network_instance if instances else ()):
            if instance.vlans is not None:
                self._vlans(device, instance.vlans, f"/network-instances/network-instance/{index}/vlans")
        for index, interface in enumerate(interfaces.interface if interfaces else ()):
            self._interface(device, interface, f"/interfaces/interface/{index}")
        if lldp is not None and lldp.interfaces is not None:
            self._lldp(device, lldp.interfaces)

    def _vlans(self, device: Device, vlans: shape.Vlans, path: str) -> None:
        table = device.vlans = {} if device.vlans is None else device.vlans
        for index, entry in enumerate(vlans.vlan):
            pointer = f"{path}/vlan/{index}"
            config, at = _either(entry, pointer)
            vid = entry.vlan_id if config is None or config.vlan_id is None else config.vlan_id
            if isinstance(vid, str) and vid.isascii() and vid.isdigit():  # some write the list key as a string
                vid = int(vid)
            if vid is None or isinstance(vid, str) or not 1 <= vid <= 4094:
                if entry != shape.VlanEntry():  # an entry left out has its own problem
                    self._problem(
                        f"{pointer}/vlan-id", f"{vid} is not a VLAN number (1 to 4094); the entry is left out"
                    )
                continue
            if vid in table:
                continue  # the same VLAN listed by a second network instance
            vlan = table[vid] = Vlan(vid, self._at(pointer))
            if config is not None:
                if config.name is not None:
                    vlan.name = Fact(config.name, self._at(f"{at}/name"))
                if config.status is not None:
                    vlan.active = Fact(config.status.upper() != "SUSPENDED", self._at(f"{at}/status"))

    def _interface(self, device: Device, entry: shape.Interface, path: str) -> None:
        config, at = _either(entry, path)
        name = entry.name or (config and config.name)
        if not name:
            if entry != shape.Interface():
                self._problem(f"{path}/name", "the interface has no name; it is left out")
            return
        kind_text = (config.type or "" if config else "").rpartition(":")[2]
        ethernet = entry.ethernet or entry.ethernet_plain
        aggregation = entry.aggregation or entry.aggregation_plain
        routed = entry.routed or entry.routed_plain
        if routed is not None:
            self._gateway(device, routed, config, at, f"{path}/routed-vlan")
        no_port = kind_text not in ("", "ethernetCsmacd", "ieee8023adLag") or routed is not None
        if no_port and ethernet is None and aggregation is None:
            if routed is None:
                self.part.ignored.append(Unread(self._at(path), f"interface {name} of type {kind_text}", 0))
            return
        if name in device.ports:
            first = device.ports[name].origin.pointer
            self._problem(path, f"port {name} is named twice; this entry is left out, the one at {first} is read")
            return
        kind = PortKind.BUNDLE if kind_text == "ieee8023adLag" or aggregation is not None else PortKind.PHYSICAL
        port = device.ports[name] = Port(name, self._at(path), kind)
        if config is not None:
            if config.description:
                port.description = Fact(config.description, self._at(f"{at}/description"))
            if config.enabled is not None:
                port.enabled = Fact(config.enabled, self._at(f"{at}/enabled"))
        layer, holder = (aggregation, "aggregation") if kind is PortKind.BUNDLE else (ethernet, "ethernet")
        switched = None
        if ethernet is not None:
            member, member_at = _either(ethernet, f"{path}/ethernet")
            bundle = member and (member.aggregate_id_q or member.aggregate_id)
            if bundle:
                port.bundle = Fact(bundle, self._at(f"{member_at}/aggregate-id"))
        if layer is not None:
            switched = layer.prefixed or layer.plain
            if switched is not None:
                self._switched(port, switched, f"{path}/{holder}/switched-vlan")
        if entry.subinterfaces is not None:
            self._subinterfaces(device, port, entry.subinterfaces, f"{path}/subinterfaces", switched is None)

    def _switched(self, port: Port, switched: shape.Switched, path: str) -> None:
        config, at = _either(switched, path)
        if config is None:
            return
        mode = config.interface_mode
        if mode is not None:
            pointer = self._at(f"{at}/interface-mode")
            word = mode.rpartition(":")[2].upper()
            if word in ("ACCESS", "TRUNK"):
                port.mode = Fact(Mode.ACCESS if word == "ACCESS" else Mode.TRUNK, pointer)
            else:
                self._problem(pointer.pointer, f"interface-mode {mode!r} is neither ACCESS nor TRUNK")
        elif config.trunk_vlans is not None:
            says = "interface-mode is not stated: taken as a trunk, since trunk-vlans is"
            port.mode = Fact(Mode.TRUNK, Origin(self.file, pointer=self.base + at, basis=Basis.ASSUMED, says=says))
        if config.access_vlan is not None and self._vid(config.access_vlan, f"{at}/access-vlan"):
            port.access_vlan = Fact(config.access_vlan, self._at(f"{at}/access-vlan"))
        if config.native_vlan is not None and self._vid(config.native_vlan, f"{at}/native-vlan"):
            port.native_vlan = Fact(config.native_vlan, self._at(f"{at}/native-vlan"))
        if config.trunk_vlans is not None:
            bits = 0
            for index, item in enumerate(config.trunk_vlans):
                bits |= self._vids(item, f"{at}/trunk-vlans/{index}")
            port.allowed = Fact(VlanSet(bits), self._at(f"{at}/trunk-vlans"))

    def _vid(self, vid: int, pointer: str) -> bool:
        if 1 <= vid <= 4094:
            return True
        self._problem(pointer, f"{vid} is not a VLAN number (1 to 4094); the value is left out")
        return False

    def _vids(self, item: int | str, pointer: str) -> int:
        """The bits of one entry of trunk-vlans: a number, or a range `a..b` (openconfig-vlan-types, vlan-range)."""
        if isinstance(item, str):
            low, dots, high = item.partition("..")
            if all(part.isascii() and part.isdigit() and len(part) < 5 for part in (low, high or "0")):
                first, last = int(low), int(high) if dots and high else int(low)
                if 1 <= first <= last <= 4094 and bool(dots) == bool(high):
                    return (2 << last) - (1 << first)
        elif 1 <= item <= 4094:
            return 1 << item
        self._problem(pointer, f"{item!r} is not a VLAN number or a range a..b (1 to 4094); it is left out")
        return 0

    def _subinterfaces(self, device: Device, port: Port, subs: shape.Subinterfaces, path: str, routed: bool) -> None:
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
            where = f"{pointer}/vlan" + ("/match/single-tagged/config/vlan-id" if tagged else "/config/vlan-id")
            if not isinstance(vid, int):
                self._problem(where, f"{vid!r}: only a single VLAN number is read here; the sub-interface is left out")
            elif self._vid(vid, where):
                name = f"{port.name}.{sub.index}"
                origin = self._at(pointer)
                device.ports[name] = Port(
                    name, origin, PortKind.SUB, parent=Fact(port.name, origin), mode=Fact(Mode.ROUTED, origin),
                    outer=Fact(vid, self._at(where)), addresses=addresses,
                )  # fmt: skip
                if sub.config is not None and sub.config.enabled is not None:
                    enabled = self._at(f"{pointer}/config/enabled")
                    device.ports[name].enabled = Fact(sub.config.enabled, enabled)

    def _gateway(
        self, device: Device, routed: shape.Routed, config: shape.InterfaceConfig | None, at: str, path: str
    ) -> None:
        inner, inner_at = _either(routed, path)
        vid: int | str | None = inner.vlan if inner else None
        if isinstance(vid, str):
            named = [v.vid for v in (device.vlans or {}).values() if v.name is not None and v.name.value == vid]
            vid = named[0] if len(named) == 1 else int(vid) if vid.isascii() and vid.isdigit() else vid
        if not isinstance(vid, int):
            self._problem(f"{inner_at}/vlan", f"the routed VLAN {vid!r} is not defined here; the gateway is left out")
            return
        if self._vid(vid, f"{inner_at}/vlan"):
            gateway = Gateway(vid, self._at(path), addresses=self._addresses(routed, path))
            if config is not None and config.enabled is not None:
                gateway.enabled = Fact(config.enabled, self._at(f"{at}/enabled"))
            device.gateways.append(gateway)

    def _addresses(self, holder: shape.L3, path: str) -> tuple[Fact[Address], ...]:
        found = []
        for name, family in (("ipv4", holder.ipv4 or holder.ipv4_plain), ("ipv6", holder.ipv6 or holder.ipv6_plain)):
            for index, entry in enumerate(family.addresses.address if family else ()):
                config, at = _either(entry, f"{path}/{name}/addresses/address/{index}")
                if config is None:
                    continue
                try:
                    address = ip_interface(f"{config.ip or entry.ip}/{config.prefix_length}")
                    found.append(Fact(address, self._at(f"{at}/ip")))
                except ValueError:
                    self._problem(at, f"{config.ip}/{config.prefix_length} is not an address; it is left out")
        return tuple(found)

    def _lldp(self, device: Device, interfaces: shape.LldpInterfaces) -> None:
        for index, entry in enumerate(interfaces.interface):
            name = entry.name or (entry.config and entry.config.name)
            for number, neighbour in enumerate(entry.neighbors.neighbor if name and entry.neighbors else ()):
                state = neighbour.state
                pointer = f"/lldp/interfaces/interface/{index}/neighbors/neighbor/{number}/state"
                if state is None or not (state.system_name or state.chassis_id) or not state.port_id:
                    self._problem(pointer, f"the neighbour at port {name} has no name or no port; it is left out")
                    continue
                self.part.neighbours.append(
                    Neighbour(
                        device.name,
                        name or "",
                        state.system_name or state.chassis_id or "",
                        state.port_id,
                        self._at(pointer),
                        state.port_description or "",
                    )
                )


def _either(holder: Any, path: str) -> tuple[Any, str]:
    """The `config` of a node, or its `state` where the export brings only that; and the pointer of what was taken."""
    if holder.config is not None or getattr(holder, "state", None) is None:
        return holder.config, f"{path}/config"
    return holder.state, f"{path}/state"


def _child(tree: Any, path: tuple[str, ...]) -> Any:
    for name in path:
        if not isinstance(tree, dict):
            return None
        tree = tree.get(name)
    return tree


def _json_type(value: Any) -> str:
    return {dict: "an object", list: "a list", str: "a text", bool: "true or false"}.get(type(value), "a number")


def _stem(file: str) -> str:
    name = file.replace("\\", "/").rpartition("/")[2]
    return name.rpartition(".")[0] or name
