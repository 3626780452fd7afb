"""Who takes part in which spanning tree (FM 7.1).

Where something is not stated, an assumption is made and kept as a `Doubt`, with the port that it is
about: it matters only where that is on a circle.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Hashable, Iterable, Iterator
from functools import cached_property
from typing import Any

from msgspec import Struct, field

from inkov.campus import Device, Tree, TreeMode, address_number
from inkov.forwarding.fabric import BridgePort, Fabric
from inkov.forwarding.trees.doubts import ANY_KIND, SILENT, Assumed

__all__ = ["COMMON", "Participants", "Taker", "takers"]


class Taker(Struct):
    """A bridge, and what it says of its trees. `number` is that in the fabric."""

    number: int
    device: Device
    name: str
    mode: TreeMode
    assumed: Assumed | None = None
    """What is assumed of its mode, if it is not stated."""
    trees: list[Tree] = []
    address: int | None = None

    def __post_init__(self) -> None:
        self.trees = [tree for tree in self.device.trees if tree.bridge == self.name]
        bridge = self.device.bridges.get(self.name)
        fact = (bridge.address if bridge is not None else None) or self.device.address
        self.address = None if fact is None else address_number(fact.value)

    @property
    def region(self) -> tuple[Hashable, ...] | None:
        """What bridges of one region have in common: name, revision, and the VLANs of each
        instance (FM 7.7; 802.1Q-2018, 13.8); None for a bridge without regions.
        """
        # Only this kind of tree has regions.
        if self.mode is not TreeMode.MSTP:
            return None
        device = self.device
        # A name that nobody stated is the bridge's address: its own.
        name = device.region.value if device.region is not None else ("own", self.number)
        revision = device.revision.value if device.revision is not None else 0
        return name, revision, frozenset(self.instances.items())

    @property
    def instances(self) -> dict[int, int]:
        """Instance -> its VLANs, as a mask. A VLAN in two instances is in the first."""
        by_instance: dict[int, int] = {}
        taken = 0
        for tree in self.trees:
            # Number 0 is the common tree, and no instance.
            if tree.number:
                mask = tree.vlans.bits & ~taken
                taken |= mask
                by_instance[tree.number] = by_instance.get(tree.number, 0) | mask
        return by_instance


class Participants(Struct, dict=True):
    """The bridges by number, and the bridge ports of each that could be in a tree. `known` are
    what is set for ports, by port and tree: several trees have the same.
    """

    takers: dict[int, Taker]
    fabric: Fabric
    known: dict[tuple[int, int], Any] = field(default_factory=dict)

    @cached_property
    def shared_addresses(self) -> set[int]:
        """The addresses that several bridges have."""
        counts = Counter(taker.address for taker in self.takers.values())
        return {address for address, count in counts.items() if address is not None and count > 1}

    def ports(self, modes: Iterable[TreeMode]) -> Iterator[BridgePort]:
        """Those with a link, of the bridges that run a tree of some kind."""
        fabric = self.fabric
        wanted = {number for number, taker in self.takers.items() if taker.mode in set(modes)}
        for end in {**fabric.wiring.of, **fabric.wiring.beside}:
            for number in fabric.at.get(end, ()):
                port = fabric.bridge_ports[number]
                if port.bridge in wanted and not fabric.is_implied(port):
                    yield port


COMMON = (TreeMode.STP, TreeMode.RSTP, TreeMode.MSTP)


def takers(fabric: Fabric) -> Participants:
    """The bridges that could take part in a tree: not routers' ports."""
    by_bridge: dict[int, Taker] = {}
    for number, bridge in enumerate(fabric.bridges):
        ports = [fabric.bridge_ports[port] for port in bridge.ports]
        # Routers' ports, and the other halves of unaware ones, take part in nothing.
        if bridge.routed or all(fabric.is_implied(port) for port in ports):
            continue
        device = fabric.device(bridge.device)
        own = device.bridges.get(bridge.name)
        mode = (own.tree_mode if own is not None else None) or device.tree_mode
        # Stated: nothing has to be assumed.
        if mode is not None:
            by_bridge[number] = Taker(number, device, bridge.name, mode.value)
            continue
        # It states settings of a tree, so it runs one; of which kind is not said.
        states_some = any(tree.bridge == bridge.name for tree in device.trees)
        assumed = ANY_KIND if states_some else SILENT
        by_bridge[number] = Taker(number, device, bridge.name, TreeMode.RSTP, assumed)
    return Participants(by_bridge, fabric)
