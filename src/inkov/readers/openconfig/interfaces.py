"""The interfaces of an OpenConfig device: ports, bundles, tagged sub-interfaces and gateways."""

from __future__ import annotations

import re
from ipaddress import ip_interface
from typing import Protocol

from inkov.campus import (
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
)
from inkov.readers.openconfig import shape
from inkov.readers.openconfig.lists import At, either
from inkov.readers.reading import Ledger, Unread
from inkov.vlanset import VlanSet, bit, union

__all__ = ["InterfaceReader"]

_SPEED = re.compile(r"SPEED_([0-9]{1,5})(MB|GB)\Z")  # identities of openconfig-if-ethernet
_UNITS = {"MB": 1, "GB": 1000}
_BUNDLE = "ieee8023adLag"
_PORT_TYPES = ("", "ethernetCsmacd", _BUNDLE)  # IANAifType, "" where it is not stated


class Say(Protocol):
    """Is told the pointer of what is wrong, what it is, and the cure."""

    def __call__(self, pointer: str, says: str, cure: str = "") -> None: ...


class InterfaceReader:
    """Reads one interface after the other into a device."""

    def __init__(self, device: Device, at: At, problem: Say, ledger: Ledger) -> None:
        self.device = device
        self.at = at
        self.problem = problem
        self.ledger = ledger

    def read(self, entry: shape.Interface, path: str) -> None:
        """Read one entry of the list: a gateway, a port or a bundle with its sub-interfaces."""
        config, at = either(entry, path)
        name = entry.name or (config and config.name)
        if not name:
            if entry != shape.Interface():  # an entry left out has its own problem
                self.problem(path, "the interface has no name; it is left out")
            return
        routed = entry.routed or entry.routed_plain
        # One entry can be both: the gateway of a VLAN and, by its other containers, a port.
        if routed is not None:
            self._gateway(routed, name, config, at, f"{path}/routed-vlan")
        kind = self._kind(entry, config, name, path)
        if kind is None:
            return
        if name in self.device.ports:
            first = self.device.ports[name].origin.pointer
            says = f"port {name} is named twice; this entry is left out, the one at {first} is read"
            self.problem(path, says)
            return
        port = self.device.ports[name] = Port(name, self.at(path), kind)
        self._general(port, config, at)
        switched = self._layer_2(port, entry, path)
        if entry.subinterfaces is not None:
            self._subinterfaces(
                port, entry.subinterfaces, f"{path}/subinterfaces", routed=not switched
            )

    def _kind(
        self, entry: shape.Interface, config: shape.InterfaceConfig | None, name: str, path: str
    ) -> PortKind | None:
        """What port an entry is; None for an interface that is no port."""
        type_ = (config.type or "" if config else "").rpartition(":")[2]
        aggregation = entry.aggregation or entry.aggregation_plain
        ethernet = entry.ethernet or entry.ethernet_plain
        routed = entry.routed or entry.routed_plain
        # A container of Ethernet or of a bundle makes a port of it, whatever its type says.
        if ethernet is None and aggregation is None:
            if routed is not None:
                return None
            if type_ not in _PORT_TYPES:
                unread = Unread(self.at(path), f"interface {name} of type {type_}", 0)
                self.ledger.ignored.append(unread)
                return None
        # Some exports leave the type out and only have the container.
        bundle = type_ == _BUNDLE or aggregation is not None
        return PortKind.BUNDLE if bundle else PortKind.PHYSICAL

    def _general(self, port: Port, config: shape.InterfaceConfig | None, at: str) -> None:
        if config is None:
            return
        if config.description:
            port.description = Fact(config.description, self.at(f"{at}/description"))
        if config.enabled is not None:
            port.enabled = Fact(config.enabled, self.at(f"{at}/enabled"))
        if config.mtu is not None:
            port.mtu = Fact(config.mtu, self.at(f"{at}/mtu"))

    # --- layer 2 ----------------------------------------------------------------------------------

    def _layer_2(self, port: Port, entry: shape.Interface, path: str) -> bool:
        """Bundle, speed and VLANs of a port. True if it states how it is switched."""
        ethernet = entry.ethernet or entry.ethernet_plain
        aggregation = entry.aggregation or entry.aggregation_plain
        # A bundle's own VLANs are in its container; those below `ethernet` would be of a member.
        if ethernet is not None:
            self._ethernet(port, ethernet, f"{path}/ethernet")
        config, at = either(aggregation, f"{path}/aggregation") if aggregation else (None, "")
        if config is not None and config.lag_type == "STATIC":
            port.aggregation = Fact(Aggregation.STATIC, self.at(f"{at}/lag-type"))
        bundle = port.kind is PortKind.BUNDLE
        layer, holder = (aggregation, "aggregation") if bundle else (ethernet, "ethernet")
        switched = layer and (layer.prefixed or layer.plain)
        if not switched:
            return False
        self._switched(port, switched, f"{path}/{holder}/switched-vlan")
        return True

    def _ethernet(self, port: Port, ethernet: shape.Switching, path: str) -> None:
        config, at = either(ethernet, path)
        if config is None:
            return
        bundle = config.aggregate_id_q or config.aggregate_id
        if bundle:
            port.bundle = Fact(bundle, self.at(f"{at}/aggregate-id"))
        speed = _SPEED.search(config.port_speed or "")
        if speed:
            port.speed = Fact(int(speed[1]) * _UNITS[speed[2]], self.at(f"{at}/port-speed"))

    def _switched(self, port: Port, switched: shape.Switched, path: str) -> None:
        config, at = either(switched, path)
        if config is None:
            return
        self._mode(port, config, at)
        if self._is_vid(config.access_vlan, f"{at}/access-vlan"):
            port.access_vlan = Fact(config.access_vlan, self.at(f"{at}/access-vlan"))
        if self._is_vid(config.native_vlan, f"{at}/native-vlan"):
            port.native_vlan = Fact(config.native_vlan, self.at(f"{at}/native-vlan"))
        if config.trunk_vlans:  # an empty leaf-list is not stated (RFC 7950, 7.7)
            items = enumerate(config.trunk_vlans)
            mask = union(self._vids(item, f"{at}/trunk-vlans/{index}") for index, item in items)
            port.allowed = Fact(VlanSet(mask), self.at(f"{at}/trunk-vlans"))
            native = port.native_vlan
            # An untagged frame would be put into a VLAN that the trunk then does not carry.
            if native is not None and native.value not in port.allowed.value:
                port.reading = (
                    f"native VLAN {native.value} is not among the trunk-vlans: untagged frames are"
                    " taken to be dropped"
                )

    def _mode(self, port: Port, config: shape.SwitchedConfig, at: str) -> None:
        if config.interface_mode is not None:
            pointer = f"{at}/interface-mode"
            word = config.interface_mode.rpartition(":")[2].lower()
            if word in (Mode.ACCESS, Mode.TRUNK):
                port.mode = Fact(Mode(word), self.at(pointer))
            else:
                says = f"interface-mode {config.interface_mode!r} is neither ACCESS nor TRUNK"
                self.problem(pointer, says)
        elif config.trunk_vlans:
            # Access is the default by the standard; a list of trunk VLANs says that it is none.
            says = "interface-mode is not stated: taken as a trunk, because trunk-vlans is"
            stated = self.at(at)
            assumed = Origin(stated.file, pointer=stated.pointer, basis=Basis.ASSUMED, says=says)
            port.mode = Fact(Mode.TRUNK, assumed)

    def _is_vid(self, vid: int | None, pointer: str) -> bool:
        """True for a VLAN number. A problem for another number, nothing for None."""
        if vid is not None and not 1 <= vid <= 4094:
            self.problem(pointer, f"{vid} is not a VLAN number (1 to 4094); the value is left out")
            return False
        return vid is not None

    def _vids(self, item: int | str, pointer: str) -> int:
        """The VIDs of one entry of trunk-vlans, as a mask.

        A number, or a range `a..b` (openconfig-vlan-types, vlan-range).
        """
        if isinstance(item, int):
            if 1 <= item <= 4094:
                return bit(item)
        else:
            low, dots, high = item.partition("..")
            if all(_is_short_number(end) for end in (low, high or "0")):
                first, last = int(low), int(high) if dots and high else int(low)
                # Both ends, or one number alone: `10..` is neither.
                if 1 <= first <= last <= 4094 and bool(dots) == bool(high):
                    return VlanSet.from_range(first, last).bits
        says = f"{item!r} is not a VLAN number or a range a..b (1 to 4094); it is left out"
        self.problem(pointer, says)
        return 0

    # --- sub-interfaces, gateways and addresses ---------------------------------------------------

    def _subinterfaces(
        self, port: Port, subs: shape.Subinterfaces, path: str, *, routed: bool
    ) -> None:
        """`routed`: the port itself is not switched, so an address without a tag is the port's, and
        with tagged sub-interfaces only these take frames.
        """
        for index, sub in enumerate(subs.subinterface):
            pointer = f"{path}/subinterface/{index}"
            addresses = self._addresses(sub, pointer)
            vid, where = _tag_of(sub, pointer)
            vlan = sub.prefixed or sub.plain
            several = vlan.match.several if vlan and vlan.match else ""
            # Which of several tags a frame has decides where it goes: all of the port is not known
            # then.
            if several:
                port.unknown = f"its sub-interface {sub.index} takes {several}: not followed"
                continue
            # Three cases: without a tag, with something that is no number, and tagged.
            if vid is None:
                # Without a tag, frames are the port's own: the address is too, if nothing switches
                # it.
                if addresses and routed:
                    port.addresses += addresses
                    port.mode = Fact(Mode.ROUTED, addresses[0].origin)
                elif addresses:
                    says = f"{port.name} is switched: the address of its sub-interface is left out"
                    self.problem(pointer, says, "state the port as switched, or as routed")
            elif not isinstance(vid, int):
                self.problem(
                    where,
                    f"{vid!r}: only a single VLAN number is read here; the sub-interface is left"
                    " out",
                )
            elif self._is_vid(vid, where):
                self._tagged_sub(port, sub, Fact(vid, self.at(where)), addresses, pointer)
                # Only tagged frames are taken: what arrives untagged goes nowhere.
                if routed and port.mode is None:
                    port.mode = Fact(Mode.ROUTED, self.at(pointer))

    def _tagged_sub(
        self,
        port: Port,
        sub: shape.Subinterface,
        tag: Fact[int],
        addresses: tuple[Fact[Address], ...],
        path: str,
    ) -> None:
        name, origin = f"{port.name}.{sub.index}", self.at(path)
        if name in self.device.ports:
            self.problem(path, f"{name} is named twice; this entry is left out")
            return
        made = self.device.ports[name] = Port(name, origin, PortKind.SUB, outer=tag)
        made.parent, made.mode = Fact(port.name, origin), Fact(Mode.ROUTED, origin)
        made.addresses = addresses
        vlan = sub.prefixed or sub.plain
        if vlan and (vlan.ingress_mapping or vlan.egress_mapping):
            made.unknown = "its tags are changed on the way (mapping): not followed"
        # A sub-interface is on unless it says otherwise, whatever its port is.
        config, at = either(sub, path)
        if config is not None and config.enabled is not None:
            made.enabled = Fact(config.enabled, self.at(f"{at}/enabled"))

    def _gateway(
        self,
        routed: shape.Routed,
        name: str,
        config: shape.InterfaceConfig | None,
        at: str,
        path: str,
    ) -> None:
        inner, inner_at = either(routed, path)
        vid = self._vlan_called(inner.vlan if inner else None)
        where = f"{inner_at}/vlan"
        # Not in the file, or the name of several: which VLAN it is in would be a guess.
        if not isinstance(vid, int):
            says = f"the routed VLAN {vid!r} is not defined here; the gateway is left out"
            self.problem(where, says)
        elif self._is_vid(vid, where):
            addresses = self._addresses(routed, path)
            gateway = Gateway(vid, self.at(path), name=name, addresses=addresses)
            if config is not None and config.enabled is not None:
                gateway.enabled = Fact(config.enabled, self.at(f"{at}/enabled"))
            self.device.gateways.append(gateway)

    def _vlan_called(self, called: int | str | None) -> int | str | None:
        """The number of a VLAN that is given by number or name; else what was given."""
        if not isinstance(called, str):
            return called
        rows = (self.device.vlans or {}).values()
        named = [row.vid for row in rows if row.name is not None and row.name.value == called]
        if len(named) == 1:
            # Names are not numbers, but some exports give the number as a text.
            return named[0]
        return int(called) if called.isascii() and called.isdigit() else called

    def _addresses(self, holder: shape.L3, path: str) -> tuple[Fact[Address], ...]:
        families = {
            "ipv4": holder.ipv4 or holder.ipv4_plain,
            "ipv6": holder.ipv6 or holder.ipv6_plain,
        }
        addresses: list[Fact[Address]] = []
        for name, family in families.items():
            for index, entry in enumerate(family.addresses.address if family else ()):
                config, at = either(entry, f"{path}/{name}/addresses/address/{index}")
                if config is None:
                    continue
                try:
                    address = ip_interface(f"{config.ip or entry.ip}/{config.prefix_length}")
                    addresses.append(Fact(address, self.at(f"{at}/ip")))
                except ValueError:
                    written = f"{config.ip}/{config.prefix_length}"
                    self.problem(at, f"{written} is not an address; it is left out")
        return tuple(addresses)


def _tag_of(sub: shape.Subinterface, pointer: str) -> tuple[int | str | None, str]:
    """The tag of a sub-interface as it is stated, and the pointer of that."""
    # The newer model matches tags; the older one has the number right below.
    vlan = sub.prefixed or sub.plain
    tagged = vlan and (vlan.match.single_tagged if vlan.match else None)
    pointer += "/vlan/match/single-tagged" if tagged else "/vlan"
    config, at = either(tagged or vlan, pointer) if vlan else (None, f"{pointer}/config")
    return (config.vlan_id if config else None), f"{at}/vlan-id"


def _is_short_number(text: str) -> bool:
    return text.isascii() and text.isdigit() and len(text) < 5
