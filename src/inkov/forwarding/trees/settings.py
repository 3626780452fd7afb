"""Settings of spanning trees that cannot be as they are stated, and what is taken instead (FM 7.4,
FM 7.7).
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from msgspec import Struct

from inkov.campus import Device, Fact, Origin, Tree, TreeMode, natural
from inkov.forwarding.trees.port_settings import taken_priority
from inkov.vlanset import bits_to_text

__all__ = ["OddSetting", "odd_settings"]

_MOST_COST = 200_000_000
_MOST_OLD_COST = 65_535
"""The ranges of 802.1Q-2018, Table 13-4, and of 802.1D-1998, Table 8-5."""


class OddSetting(Struct, frozen=True):
    """What is odd about a setting of a switch, and what is taken instead; further switches that it
    is about.
    """

    switch: str
    says: str
    taken: str
    origin: Origin
    others: tuple[tuple[str, Origin], ...] = ()


def odd_settings(devices: Iterable[Device]) -> list[OddSetting]:
    """All of them, by switch."""
    devices = sorted(devices, key=lambda device: natural(device.name))
    odd_ones = [odd for device in devices for odd in _of_device(device)]
    return [*odd_ones, *_same_addresses(devices)]


def _of_device(device: Device) -> Iterator[OddSetting]:
    mode = device.tree_mode.value if device.tree_mode is not None else TreeMode.RSTP
    old = mode is TreeMode.STP
    instances: dict[int, int] = {}
    # One tree for all VLANs: a second one with other settings is not run.
    if mode in (TreeMode.STP, TreeMode.RSTP):
        yield from _several(device, mode)
    for tree in device.trees:
        yield from _priority(device, tree, mode)
        most = _MOST_OLD_COST if old else _MOST_COST
        for port, cost in (*tree.costs.items(), *tree.external_costs.items()):
            # Out of range: what the switch makes of it is not known.
            if not 1 <= cost.value <= most:
                says = f"the cost of {port} is {cost.value}, and not from 1 to {most}"
                taken = "the cost as it is stated" if cost.value else "the cost of its speed"
                yield OddSetting(device.name, says, taken, cost.origin)
        # Only the common tree of regions has costs between these.
        if mode is not TreeMode.MSTP or tree.number:
            for port, cost in tree.external_costs.items():
                says = f"a cost between regions is stated for {port}, in a tree that has none"
                yield OddSetting(device.name, says, "the cost that is not of regions", cost.origin)
        if mode is TreeMode.MSTP and tree.number:
            twice = {
                number: mask & tree.vlans.bits
                for number, mask in instances.items()
                if number != tree.number and mask & tree.vlans.bits
            }
            for number, mask in twice.items():
                says = f"VLAN {bits_to_text(mask)} is in instance {number} and in {tree.number}"
                yield OddSetting(device.name, says, f"instance {number}", tree.origin)
            instances[tree.number] = instances.get(tree.number, 0) | tree.vlans.bits
    # A region without instances keeps no VLAN apart from the others.
    if mode is TreeMode.MSTP and device.region is not None and not instances:
        says = f"the region {device.region.value!r} is stated, and no VLANs of any instance"
        yield OddSetting(device.name, says, "all VLANs in the common tree", device.region.origin)


def _several(device: Device, mode: TreeMode) -> Iterator[OddSetting]:
    """Trees of some VLANs each, where all VLANs have one: what the others of a bridge state beside
    the first counts for nothing.
    """
    first: dict[str, Tree] = {}
    for tree in device.trees:
        taken = first.setdefault(tree.bridge, tree)
        # Stating the same for other VLANs contradicts nothing.
        if tree is not taken and _stated(tree) - _stated(taken):
            says = f"runs {mode}, one tree for all, and states another one for VLAN {tree.vlans}"
            others = ((device.name, taken.origin),)
            yield OddSetting(device.name, says, "what it states first", tree.origin, others)


def _stated(tree: Tree) -> set[tuple[str, str, int]]:
    """What is set for a tree."""
    stated = {("cost", port, fact.value) for port, fact in tree.costs.items()}
    stated |= {("external cost", port, fact.value) for port, fact in tree.external_costs.items()}
    stated |= {("priority", port, fact.value) for port, fact in tree.priorities.items()}
    if tree.priority is not None:
        stated.add(("priority", "", tree.priority.value))
    return stated


def _priority(device: Device, tree: Tree, mode: TreeMode) -> Iterator[OddSetting]:
    fact: Fact[int] | None = tree.priority
    if fact is None:
        return
    taken = taken_priority(mode, fact)
    # Some show the priority with the number of the tree in it, a VLAN or an instance.
    within = fact.value - taken
    # Nothing is within, or the tree's own number: shown so by some switches.
    if not within or within == tree.number or (len(tree.vlans) == 1 and within in tree.vlans):
        return
    limit = "65535" if mode is TreeMode.STP else "61440, in steps of 4096"
    says = f"the priority is {fact.value}, and not from 0 to {limit}"
    yield OddSetting(device.name, says, str(taken), fact.origin)


def _same_addresses(devices: list[Device]) -> Iterator[OddSetting]:
    """Bridges of several switches with one address."""
    known: dict[str, list[tuple[str, Origin]]] = {}
    for device in devices:
        own = {
            bridge.address.value: bridge.address
            for bridge in device.bridges.values()
            if bridge.address
        }
        if device.address is not None:
            own[device.address.value] = device.address
        for address, fact in own.items():
            known.setdefault(address, []).append((device.name, fact.origin))
    for address, (first, *others) in known.items():
        # Two with one address: who is lower cannot be told.
        if others:
            names = " and ".join(name for name, _ in others)
            says = f"its bridge address, {address}, is that of {names} as well"
            taken = "either as the lower one"
            yield OddSetting(first[0], says, taken, first[1], tuple(others))
