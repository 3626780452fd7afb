"""What a text says of spanning trees: of the trees themselves, and of ports in one of them."""

from __future__ import annotations

from typing import Any

from inkov.campus import Device, Fact, Origin, Tree
from inkov.readers.dialects.binding import Bound
from inkov.readers.dialects.effects import TreeNumber
from inkov.readers.dialects.inherit import Step
from inkov.readers.dialects.names import VlanNames
from inkov.vlanset import VlanSet

__all__ = ["TreesInText"]

_OF_PORTS = {
    "tree cost": "costs",
    "tree external cost": "external_costs",
    "tree priority": "priorities",
    "tree role": "roles",
    "tree state": "states",
}
"""What is said of a port in the common tree -> the attribute of trees that holds it."""

_OF_TREE_PORTS = {"cost": "costs", "seen role": "roles", "seen state": "states"}
"""What is said of ports in a tree -> the same."""


class TreesInText:
    """The trees of a device in the making."""

    def __init__(self, device: Device, names: VlanNames) -> None:
        self._device = device
        self._names = names
        # A tree keeps the VLANs by which it was named first, whatever VLANs it gets then.
        self._by_vlans: dict[VlanSet, Tree] = {}
        self._opened: list[Tree] = []  # those that have a head of their own

    def apply(self, step: Step, bound: Bound, key: VlanSet | TreeNumber) -> None:
        """Do what one clause says of one tree."""
        tree = self._tree_of(key, step.origin)
        fact = None if bound.operator == "unset" else Fact(bound.value, step.origin)
        if bound.operator == "there":
            self._opened.append(tree)
        elif bound.operator == "gone":
            self._remove(tree)
        elif bound.attribute == "priority":
            tree.priority = fact
        elif bound.attribute == "number":
            tree.number = bound.value or 0
        elif bound.attribute == "vlans":
            self._give_vlans(tree, bound)
        elif bound.attribute == "seen root":
            tree.seen_root = fact
        elif bound.attribute in _OF_TREE_PORTS:
            facts: dict[str, Fact[Any]] = getattr(tree, _OF_TREE_PORTS[bound.attribute])
            if bound.operator == "unset":
                facts.clear()
            else:
                ports, value = bound.value
                facts |= {port: Fact(value, step.origin) for port in ports}

    def of_port(self, step: Step, bound: Bound, port: str) -> None:
        """Do what one clause says of a port in the common tree."""
        common = self._tree_of(VlanSet.all(), step.origin)
        facts: dict[str, Fact[Any]] = getattr(common, _OF_PORTS[bound.attribute])
        facts.pop(port, None)
        if bound.operator != "unset":
            facts[port] = Fact(bound.value, step.origin)

    def take_back(self, port: str) -> None:
        """Take back all that was said of a port in any tree."""
        for tree in self._device.trees:
            for attribute in _OF_PORTS.values():
                getattr(tree, attribute).pop(port, None)

    def drop_empty(self) -> None:
        """Without trees of which nothing is said any more, since a tree that is there is one that
        is run.
        """
        self._device.trees = [
            tree
            for tree in self._device.trees
            if any(tree is opened for opened in self._opened)
            or tree != Tree(tree.vlans, tree.origin, _number_alone(tree))
        ]

    def _tree_of(self, key: VlanSet | TreeNumber, origin: Origin) -> Tree:
        """The tree of some VLANs, or with a number; a new one if there is none."""
        trees = self._device.trees
        new = Tree(VlanSet.all(), origin)
        if isinstance(key, VlanSet):
            new.vlans = key
            known = self._by_vlans.get(key) or next((t for t in trees if t.vlans == key), None)
        elif key.number == 0:
            known = next((tree for tree in trees if tree.vlans == new.vlans), None)
        else:
            new.vlans, new.number = VlanSet(), key.number
            known = next((tree for tree in trees if tree.number == key.number), None)
        # The first that is said of it.
        if known is None:
            trees.append(new)
        tree = known or new
        if isinstance(key, VlanSet):
            self._by_vlans[key] = tree
        return tree

    def _remove(self, tree: Tree) -> None:
        device = self._device
        device.trees = [other for other in device.trees if other is not tree]
        self._by_vlans = {key: other for key, other in self._by_vlans.items() if other is not tree}

    def _give_vlans(self, tree: Tree, bound: Bound) -> None:
        """Give VLANs to a tree, or take them from it. The standard maps each VLAN to one tree: of
        those with a number the last one that gets it has it.
        """
        own = VlanSet() if bound.operator == "unset" else self._names.vids(bound.value)
        if bound.operator == "-":
            tree.vlans -= own
            return
        tree.vlans = tree.vlans | own if bound.operator == "+" else own
        for other in self._device.trees if tree.number else ():
            if other is not tree and other.number:
                other.vlans -= own


def _number_alone(tree: Tree) -> int:
    """The number of a tree without VLANs: it says no more than the name of one."""
    return 0 if tree.vlans else tree.number
