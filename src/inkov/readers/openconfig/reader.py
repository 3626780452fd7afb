"""From the tree of an OpenConfig export to a device: host name, VLAN tables, and the rest in order.

Read are `openconfig-interfaces` (with Ethernet, aggregate, `switched-vlan`, `routed-vlan`,
sub-interfaces and their addresses), the VLAN lists of `openconfig-network-instance` and of the
older top-level `openconfig-vlan:vlans`, the host name of `openconfig-system`, the neighbours of
`openconfig-lldp`, bundles of `openconfig-lacp`, trees of `openconfig-spanning-tree`, and packet
filters of `openconfig-acl`.

Decoding is typed (`shape`), in one pass over the bytes. If one value has the wrong type, `pieces`
takes the file apart, so that one bad interface costs no other.

A member may be written with its module's name or without; `shape` has both, as `NAME_q` and `NAME`.
"""

from __future__ import annotations

from typing import Any, NamedTuple

from inkov.campus import OPENCONFIG, Device, Fact, Origin, Problem, Vlan
from inkov.readers.openconfig import shape
from inkov.readers.openconfig.acl import Acl, read_acl
from inkov.readers.openconfig.interfaces import InterfaceReader
from inkov.readers.openconfig.lists import assign_interfaces, either, read_instances, read_lldp
from inkov.readers.openconfig.pieces import Pieces
from inkov.readers.openconfig.tree import per_vlan_member, read_lacp, read_stp
from inkov.readers.reading import Ledger, Part, named_after

__all__ = ["CONTAINERS", "Builder", "Source", "held_by"]


CONTAINERS = {
    "interfaces": ("interfaces_q", "interfaces"),
    "vlans": ("vlans_q", "vlans"),
    "network-instances": ("instances_q", "instances"),
    "system": ("system_q", "system"),
    "lldp": ("lldp_q", "lldp"),
    "lacp": ("lacp_q", "lacp"),
    "stp": ("stp_q", "stp"),
    "acl": ("acl_q", "acl"),
}
"""What a root may hold -> its two spellings in `shape.Root`; the prefixed one counts."""


class Source(NamedTuple):
    """The file that a container is in. `base` goes before every pointer; `strict` is False for
    XML.
    """

    file: str
    base: str = ""
    strict: bool = True


class Builder:
    """Makes a device of a root.

    Where its containers are in several files (`halves`), `homes` says which is in which. `called`
    is the name of a device that states none, and where that comes from.
    """

    def __init__(self, source: Source) -> None:
        self.source = source
        self.homes: dict[str, Source] = {}
        self.called = named_after(source.file, "the file states no hostname")
        self.part = Part()
        self.ledger = Ledger()
        self._told: list[str] = []  # the pointers of all problems
        self.pieces = Pieces(self.problem, strict=source.strict)

    def at(self, pointer: str) -> Origin:
        source = self._home(pointer.split("/", 2)[1]) if self.homes else self.source
        return Origin(source.file, pointer=source.base + pointer)

    def _home(self, container: str) -> Source:
        return self.homes.get(container, self.source)

    def problem(self, pointer: str, says: str, cure: str = "") -> None:
        self.part.problems.append(Problem(self.at(pointer), says, cure))
        self._told.append(pointer)

    def lost(self) -> list[str]:
        """The pointers, from the top of the document, of what was left out with a problem."""
        return [self.source.base + pointer for pointer in (*self._told, *self.pieces.lost)]

    def build(self, root: shape.Root) -> bool:
        """Make the device. False if there is nothing of one in the tree."""
        self.part.about = held_by(root)
        if not self.part.about:
            return False
        device = self._device(root.system_q or root.system)
        self.part.devices.append(device)
        # The order matters: a gateway may name its VLAN, and an instance claims what is there.
        self._vlan_tables(device, root)
        self._interfaces(device, root)
        self._neighbours(device, root)
        self._bundles_and_trees(device, root)
        self._filters(device, root)
        return True

    def _device(self, system: shape.System | None) -> Device:
        config, at = either(system, "/system") if system else (None, "")
        if config and config.hostname:
            return Device(config.hostname, self.at(f"{at}/hostname"), OPENCONFIG)
        self.part.named = False
        return Device(*self.called, OPENCONFIG)

    # --- VLANs ------------------------------------------------------------------------------------

    def _vlan_tables(self, device: Device, root: shape.Root) -> None:
        older = root.vlans_q or root.vlans
        if older is not None:
            device.vlans = {}
            self.vlans(device.vlans, older, "/vlans")
        read_instances(device, _instances(root), self.at, self.vlans)

    def vlans(self, table: dict[int, Vlan], vlans: shape.Vlans, path: str) -> None:
        """Put the VLANs of a list into a table."""
        for index, entry in enumerate(vlans.vlan):
            pointer = f"{path}/vlan/{index}"
            config, at = either(entry, pointer)
            vid = _number(
                entry.vlan_id if config is None or config.vlan_id is None else config.vlan_id
            )
            # An entry may state its number outside of `config` only.
            if not isinstance(vid, int) or not 1 <= vid <= 4094:
                if entry != shape.VlanEntry():  # an entry left out has its own problem
                    says = f"{vid} is not a VLAN number (1 to 4094); the entry is left out"
                    self.problem(f"{pointer}/vlan-id", says)
                continue
            # Which of the two counts, the file does not say: the first is kept, as a list's key is
            # unique.
            if vid in table:
                says = f"VLAN {vid} is defined twice here; this entry is left out"
                self.problem(pointer, says)
                continue
            vlan = table[vid] = Vlan(vid, self.at(pointer))
            if config is not None and config.name is not None:
                vlan.name = Fact(config.name, self.at(f"{at}/name"))
            if config is not None and config.status is not None:
                vlan.active = Fact(config.status.upper() != "SUSPENDED", self.at(f"{at}/status"))

    # --- everything else --------------------------------------------------------------------------

    def _interfaces(self, device: Device, root: shape.Root) -> None:
        interfaces = root.interfaces_q or root.interfaces
        reader = InterfaceReader(device, self.at, self.problem, self.ledger)
        for index, interface in enumerate(interfaces.interface if interfaces else ()):
            reader.read(interface, f"/interfaces/interface/{index}")
        assign_interfaces(device, _instances(root), self.at)

    def _neighbours(self, device: Device, root: shape.Root) -> None:
        lldp = root.lldp_q or root.lldp
        if lldp is not None and lldp.interfaces is not None:
            self.part.neighbours += read_lldp(device, lldp.interfaces, self.at, self.problem)

    def _bundles_and_trees(self, device: Device, root: shape.Root) -> None:
        lacp, stp = root.lacp_q or root.lacp, root.stp_q or root.stp
        if lacp is not None:
            read_lacp(device, lacp, self.at)
        if stp is not None:
            # Trees by VLAN have a name of their own in each module; the shape has one for all.
            own = per_vlan_member(stp)
            tree = {"per-vlan" if name == own else name: held for name, held in stp.items()}
            self.pieces.strict = self._home("stp").strict
            trees = self.pieces.convert(tree, "/stp", shape.Stp)
            if trees is not None:
                read_stp(device, trees, own, self.at, self.problem)

    def _filters(self, device: Device, root: shape.Root) -> None:
        stated = root.acl_q or root.acl
        self.pieces.strict = self._home("acl").strict
        acl = self.pieces.convert(stated, "/acl", Acl) if stated else None
        if acl is not None:
            self.part.bindings += read_acl(device, acl, self.at, self.problem)


def held_by(root: shape.Root) -> frozenset[str]:
    """The containers that a root holds."""
    return frozenset(
        name
        for name, spellings in CONTAINERS.items()
        if any(getattr(root, spelling) is not None for spelling in spellings)
    )


def _instances(root: shape.Root) -> list[shape.Instance]:
    instances = root.instances_q or root.instances
    return instances.network_instance if instances else []


def _number(vid: Any) -> Any:
    """A VLAN number that was written as a text, as some exports write list keys."""
    return int(vid) if isinstance(vid, str) and vid.isascii() and vid.isdigit() else vid
