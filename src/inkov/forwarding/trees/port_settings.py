"""What a bridge has set for one of its trees, with the defaults (FM 7.4)."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, NamedTuple

from inkov.campus import Device, Fact, Guard, Tree, TreeMode
from inkov.forwarding.fabric import BridgePort
from inkov.forwarding.trees.costs import (
    DEFAULT_PORT_PRIORITY,
    DEFAULT_PRIORITY,
    assumed_cost,
    default_cost,
)
from inkov.forwarding.trees.doubts import NO_COST, Doubt
from inkov.forwarding.trees.election import TreePort
from inkov.forwarding.trees.order import Identifier
from inkov.forwarding.trees.participants import Participants, Taker

if TYPE_CHECKING:
    from inkov.forwarding.trees.worlds import World

__all__ = ["Settings", "port_speed", "settings_of", "taken_priority", "vlan_settings"]


class _Set(NamedTuple):
    """What is set for a port in a tree, and what is assumed of it."""

    identifier: Identifier
    restricted: bool
    cost: int
    by_speed: bool = False
    doubt: Doubt | None = None


class Settings:
    """What a bridge has set for one of its trees, with the defaults."""

    def __init__(self, taker: Taker, tree: Tree | None, among: Participants) -> None:
        self.taker = taker
        self.tree = tree
        self._fabric = among.fabric
        self._known = among.known

    def identifier(self) -> Identifier:
        """Of the bridge in this tree (802.1Q-2018, 13.26.2)."""
        fact = self.tree.priority if self.tree is not None else None
        return Identifier(taken_priority(self.taker.mode, fact), self.taker.address)

    def port(self, port: BridgePort, wire: int, world: World) -> TreePort:
        """A port in this tree. What is assumed of it is noted in its world."""
        key = port.number, id(self.tree)
        known = self._known.get(key)
        # The same settings are asked for by each tree that is elected anew.
        if known is None:
            known = self._known[key] = self._port(port)
        if known.by_speed:
            world.by_speed.add(port.number)
        if known.doubt is not None:
            world.doubts.append(known.doubt)
        external = 0
        # A cost between regions belongs to the common tree alone.
        if self.taker.mode is TreeMode.MSTP and (self.tree is None or not self.tree.number):
            external = self._of_port(lambda tree: tree.external_costs, port.port, 0)
        return TreePort(port.bridge, wire, known.cost, known.identifier, known.restricted, external)

    def _port(self, port: BridgePort) -> _Set:
        stated = self._fabric.resolved(port).stated
        identifier = Identifier(
            self._of_port(lambda tree: tree.priorities, port.port, DEFAULT_PORT_PRIORITY),
            stated.number.value if stated.number is not None else _number_in(port.port),
        )
        restricted = stated.guard is not None and stated.guard.value is Guard.ROOT
        cost = self._of_port(lambda tree: tree.costs, port.port, 0)
        # A stated cost counts; 0 is none (it stands for "by speed").
        if cost:
            return _Set(identifier, restricted, cost)
        speed = port_speed(self.taker.device, port.end.port)
        # Known by its speed, as the standards recommend.
        if speed:
            return _Set(identifier, restricted, default_cost(self.taker.mode, speed), True)
        doubt = Doubt(port.number, str(port.end), NO_COST, stated.origin)
        return _Set(identifier, restricted, assumed_cost(self.taker.mode), False, doubt)

    def _of_port(
        self, facts: Callable[[Tree], dict[str, Fact[int]]], name: str, otherwise: int
    ) -> int:
        fact = facts(self.tree).get(name) if self.tree is not None else None
        return otherwise if fact is None else fact.value


def taken_priority(mode: TreeMode, fact: Fact[int] | None) -> int:
    """The priority that counts: in all but the oldest kind a multiple of 4096, since what is below
    that is the number of the tree (802.1Q-2018, 13.26.2).
    """
    if fact is None:
        return DEFAULT_PRIORITY
    # Beyond the range a switch cuts it off: what is stated is told by a check.
    value = min(max(fact.value, 0), 65535)
    return value if mode is TreeMode.STP else value - value % 4096


def _number_in(name: str) -> int | None:
    """The number of a port whose name is nothing but a number."""
    return int(name) if name.isascii() and name.isdigit() and len(name) < 6 else None


def port_speed(device: Device, name: str) -> int:
    """The speed of a port in Mbit/s, of a bundle that of its live members; 0 if it is not known."""
    port = device.ports[name]
    if port.speed is not None:
        return port.speed.value
    members = [
        member
        for member in device.ports.values()
        if member.bundle is not None and member.bundle.value == name and member.on
    ]
    speeds = [member.speed.value for member in members if member.speed is not None]
    # A bundle with a member of unknown speed has an unknown speed.
    return sum(speeds) if speeds and len(speeds) == len(members) else 0


def settings_of(taker: Taker, among: Participants, instance: int = 0) -> Settings:
    """What a bridge has set for its common tree, or for one of its instances."""
    tree = next((tree for tree in taker.trees if tree.number == instance), None)
    # One tree for all: what a switch states for any of its trees is of this one.
    if tree is None and taker.mode is not TreeMode.MSTP:
        tree = next(iter(taker.trees), None)
    return Settings(taker, tree, among)


def vlan_settings(taker: Taker, vid: int, among: Participants) -> Settings:
    """What a bridge has set for the tree of a VLAN: what speaks of fewest VLANs counts."""
    about = [tree for tree in taker.trees if vid in tree.vlans]
    tree = min(about, key=lambda tree: len(tree.vlans), default=None)
    return Settings(taker, tree, among)
