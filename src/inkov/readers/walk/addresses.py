"""The IP addresses of a walk (IP-MIB, RFC 4293), and the interfaces that they make gateways or
routed ports.

Which VLAN a routed interface is in, the standard objects do not tell. It is taken from the number
that ends its name (`vlan-90`), and this is said; an interface of another kind that is no bridge
port is a routed port.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from ipaddress import IPv4Address, IPv6Address, ip_interface

from inkov.campus import Address, Basis, Device, Fact, Gateway, Mode, Origin, PortKind, Problem
from inkov.readers.walk.rows import Row, whole_number

__all__ = ["WalkAddresses"]

_ROUTED_VLAN = {53, 135, 136}  # propVirtual, l2vlan, l3ipvlan (IANAifType)
_NEVER_PORTS = {1, 24, 131, *_ROUTED_VLAN}  # other, softwareLoopback, tunnel
_NAMES = {
    "propVirtual": 53,
    "l2vlan": 135,
    "l3ipvlan": 136,
    "softwareLoopback": 24,
    "other": 1,
    "tunnel": 131,
    "ethernetCsmacd": 6,
}
_VID = re.compile(r"[0-9]{1,4}\Z")


class WalkAddresses:
    """Reads the address tables of a walk, and gives what they say to its device."""

    def __init__(
        self,
        tables: dict[str, dict[tuple[int, ...], Row]],
        names: dict[int, str],
        file: str,
        problems: list[Problem],
    ) -> None:
        self.tables = tables
        self.names = names
        self.file = file
        self.problems = problems

    def give(self, device: Device, bridged: set[str]) -> None:
        """Gateways and routed ports. Interfaces that are no ports at all are taken out of the
        device's ports.
        """
        by_interface: dict[int, list[Fact[Address]]] = {}
        for interface, fact in self._addresses():
            kept = by_interface.setdefault(interface, [])
            # Both tables (RFC 4293 and its older one) list the same addresses.
            if fact.value not in {address.value for address in kept}:
                kept.append(fact)
        for number, name in self.names.items():
            port = device.ports.get(name)
            if (
                port is None
                # Bridge ports and bundles are told by other tables; a type that says otherwise is
                # wrong.
                or name in bridged
                or port.bundle is not None
                or port.kind is PortKind.BUNDLE
            ):
                continue
            kind = self._type(number)
            addresses = tuple(by_interface.get(number, ()))
            if kind in _NEVER_PORTS:
                del device.ports[name]
                # Without an address it routes nothing: no gateway.
                if kind in _ROUTED_VLAN and addresses:
                    self._gateway(device, name, port.enabled, addresses)
            elif addresses:
                port.mode = Fact(Mode.ROUTED, addresses[0].origin)
                port.addresses = addresses

    def _gateway(
        self,
        device: Device,
        name: str,
        enabled: Fact[bool] | None,
        addresses: tuple[Fact[Address], ...],
    ) -> None:
        vid = _VID.search(name)
        at = addresses[0].origin
        # The standard objects do not tell the VLAN of a routed interface (see above).
        if vid is None or not 1 <= int(vid[0]) <= 4094:
            says = (
                f"{name} has an address, but its name ends in no VLAN number: its gateway is"
                " left out"
            )
            self.problems.append(Problem(at, says))
            return
        says = f"{name} is taken to be in VLAN {int(vid[0])}, because its name ends so"
        origin = Origin(self.file, at.line, basis=Basis.ASSUMED, says=says)
        device.gateways.append(
            Gateway(int(vid[0]), origin, enabled=enabled, addresses=addresses, name=name)
        )

    def _type(self, number: int) -> int:
        row = self.tables.get("ifType", {}).get((number,))
        return (whole_number(row, _NAMES) or 0) if row is not None else 0

    def _addresses(self) -> Iterator[tuple[int, Fact[Address]]]:
        """(interface, address) of both tables."""
        masks = self.tables.get("ipAdEntNetMask", {})
        for index, row in self.tables.get("ipAdEntIfIndex", {}).items():
            interface, mask = whole_number(row), masks.get(index)
            # Indexes of this table are the four octets of the address.
            if len(index) == 4 and interface is not None and mask is not None:
                yield from self._one(interface, ".".join(map(str, index)), mask.value.strip(), row)
        prefixes = self.tables.get("ipAddressPrefix", {})
        kinds = self.tables.get("ipAddressType", {})
        for index, row in self.tables.get("ipAddressIfIndex", {}).items():
            interface, prefix, address = whole_number(row), prefixes.get(index), _of_index(index)
            # The prefix is a pointer to a row whose index ends with the length.
            length = (
                re.search(r"[.](?:\"[^\"]*\"[.])?([0-9]{1,3})\s*\Z", prefix.value)
                if prefix is not None
                else None
            )
            unicast = index not in kinds or whole_number(kinds[index], {"unicast": 1}) == 1
            if (
                # A pointer to no prefix (0.0), a broadcast or an anycast address: none is the
                # interface's own.
                interface is None
                or address is None
                or length is None
                or not unicast
                or length[1] == "0"
            ):
                continue
            yield from self._one(interface, str(address), length[1], row)

    def _one(
        self, interface: int, address: str, prefix: str, row: Row
    ) -> Iterator[tuple[int, Fact[Address]]]:
        origin = Origin(self.file, row.line)
        try:
            parsed = ip_interface(f"{address}/{prefix}")
        except ValueError:
            self.problems.append(
                Problem(origin, f"{address}/{prefix[:40]} is not an address; it is left out")
            )
            return
        # Addresses that every system has, and those of one link, make no gateway.
        none = parsed.ip.is_unspecified or parsed.network.prefixlen == 0
        if not parsed.is_loopback and not parsed.is_link_local and not none:
            yield interface, Fact(parsed, origin)


def _of_index(index: tuple[int, ...]) -> IPv4Address | IPv6Address | None:
    """The address that an index of ipAddressTable spells: type, length, octets."""
    # The second number of the index says how many octets follow.
    if len(index) < 3 or index[1] != len(index) - 2 or any(octet > 255 for octet in index[2:]):
        return None
    raw = bytes(index[2:])
    return IPv4Address(raw) if len(raw) == 4 else IPv6Address(raw) if len(raw) == 16 else None
