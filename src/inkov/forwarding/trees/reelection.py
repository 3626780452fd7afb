"""An election again, where some ports are lost, from what it came to with them (FM 7.11)."""

from __future__ import annotations

import heapq
from collections.abc import Collection, Iterable

from inkov.campus import TreeRole
from inkov.forwarding.trees.election import Elected, Graph, TreeBridge, TreePort, least
from inkov.forwarding.trees.order import Order

__all__ = ["Reelection"]


class Reelection(Graph):
    """The same election where some ports are lost, worked out from what it came to with them.

    Only bridges whose way to the root leads by a port that is lost get a new way: those below it in
    the tree. All others keep theirs, since a loss makes no way cheaper. So the work is that of the
    bridges below, and of the wires that they are on. Regions and guards are not looked at.
    """

    def __init__(
        self, bridges: dict[int, TreeBridge], ports: dict[int, TreePort], elected: Elected
    ) -> None:
        super().__init__(bridges, ports)
        self.elected = elected
        # Regions and guards make ways depend on more than costs.
        self.possible = not any(
            bridge.region is not None for bridge in bridges.values()
        ) and not any(port.restricted for port in ports.values())
        self.children: dict[int, list[int]] = {}
        for bridge, own in elected.root_port.items():
            speaker = elected.designated[ports[own].wire]
            self.children.setdefault(ports[speaker].bridge, []).append(bridge)

    def without(self, lost: Collection[int]) -> dict[int, TreeRole] | None:
        """The roles of ports that get another one; None if it has to be elected as a whole: the
        root is lost, something falls apart, or what is not known decides.
        """
        if not self.possible:
            return None
        ports, elected = self.ports, self.elected
        # A bridge with all its ports lost is lost itself.
        gone = {
            bridge
            for bridge in {ports[number].bridge for number in lost}
            if all(number in lost for number in self.of_bridge[bridge])
        }
        # The root is lost: everything is elected anew.
        if gone & set(elected.root.values()):
            return None
        below = self._below(lost, gone)
        cost = self._costs(below, lost)
        # Something falls apart: the rest elects a root of its own.
        if cost is None:
            return None
        wires = {ports[number].wire for number in lost}
        wires |= {ports[number].wire for bridge in below for number in self.of_bridge[bridge]}
        order = Order()
        speakers = self._speakers(wires, lost, cost, order)
        root_ports = self._root_ports(below, lost, cost, speakers, order)
        # An identifier that nobody knows would decide: there are several outcomes.
        if order.asked:
            return None
        changed: dict[int, TreeRole] = {}
        for wire in wires:
            for number in self.on_wire[wire]:
                if number not in lost:
                    role = self._role(number, speakers[wire], root_ports)
                    # Only ports with another role are told.
                    if role is not elected.roles[number]:
                        changed[number] = role
        return changed

    def _below(self, lost: Collection[int], gone: set[int]) -> set[int]:
        """The bridges whose way to the root leads by a lost port."""
        ports, elected = self.ports, self.elected
        below = [bridge for bridge in gone for bridge in self.children.get(bridge, ())]
        for number in lost:
            for near in self.on_wire[ports[number].wire]:
                bridge = ports[near].bridge
                own = elected.root_port.get(bridge)
                by_lost = own in lost or elected.designated[ports[number].wire] in lost
                # Its root port is lost, or the port that spoke to it.
                if own == near and by_lost:
                    below.append(bridge)
        seen = set(below)
        for bridge in below:  # grows
            more = [child for child in self.children.get(bridge, ()) if child not in seen]
            seen.update(more)
            below += more
        return seen - gone

    def _costs(self, below: set[int], lost: Collection[int]) -> dict[int, int] | None:
        """The costs of those below; None if one of them has no way left."""
        heap: list[tuple[int, int]] = []
        for bridge in below:
            for near, far in self._heard(bridge, lost):
                # From bridges that keep their way, into those that lost theirs.
                if self.ports[far].bridge not in below:
                    known = self.elected.cost[self.ports[far].bridge][0]
                    heapq.heappush(heap, (known + self.ports[near].between, bridge))
        cost: dict[int, int] = {}
        while heap:
            own, bridge = heapq.heappop(heap)
            # Reached before, by a way that costs no more.
            if bridge in cost:
                continue
            cost[bridge] = own
            for _, far in self._heard(bridge, lost):
                beyond = self.ports[far].bridge
                if beyond in below and beyond not in cost:
                    # What it sends by `near` comes in by `far`.
                    heapq.heappush(heap, (own + self.ports[far].between, beyond))
        return cost if len(cost) == len(below) else None

    def _heard(self, bridge: int, lost: Collection[int]) -> Iterable[tuple[int, int]]:
        """(own port, port of another bridge on its wire), the lost ones left out."""
        for near in self.of_bridge[bridge]:
            if near not in lost:
                for far in self.on_wire[self.ports[near].wire]:
                    if far not in lost and self.ports[far].bridge != bridge:
                        yield near, far

    def _cost_of(self, bridge: int, cost: dict[int, int]) -> int:
        known = cost.get(bridge)
        return self.elected.cost[bridge][0] if known is None else known

    def _speakers(
        self, wires: set[int], lost: Collection[int], cost: dict[int, int], order: Order
    ) -> dict[int, int]:
        """The port that speaks for each wire now; of one without any port left, the first."""
        speakers = {}
        for wire in wires:
            left = [number for number in self.on_wire[wire] if number not in lost]
            # Nobody is left on the wire: whoever speaks there speaks to nobody.
            if not left:
                speakers[wire] = self.on_wire[wire][0]
                continue
            near = least(left, lambda number: self._cost_of(self.ports[number].bridge, cost))
            bridge = self.lowest_bridge({self.ports[number].bridge for number in near}, order)
            own = [number for number in near if self.ports[number].bridge == bridge]
            speakers[wire] = self.lowest_port(own, order)
        return speakers

    def _root_ports(
        self,
        below: set[int],
        lost: Collection[int],
        cost: dict[int, int],
        speakers: dict[int, int],
        order: Order,
    ) -> dict[int, int]:
        root_ports = {}
        for bridge in below:
            senders = {
                near: speaker
                for near in self.of_bridge[bridge]
                if near not in lost
                for speaker in [speakers[self.ports[near].wire]]
                if self.ports[speaker].bridge != bridge
                and self._cost_of(self.ports[speaker].bridge, cost) + self.ports[near].between
                == cost[bridge]
            }
            lowest = self.lowest_bridge({self.ports[far].bridge for far in senders.values()}, order)
            receivers = [near for near in senders if self.ports[senders[near]].bridge == lowest]
            first = self.lowest_port({senders[near] for near in receivers}, order)
            receivers = [near for near in receivers if senders[near] == first]
            root_ports[bridge] = self.lowest_port(receivers, order)
        return root_ports

    def _role(self, number: int, speaker: int, root_ports: dict[int, int]) -> TreeRole:
        bridge = self.ports[number].bridge
        if speaker == number:
            return TreeRole.DESIGNATED
        # Bridges that kept their way keep their root port.
        if root_ports.get(bridge, self.elected.root_port.get(bridge)) == number:
            return TreeRole.ROOT
        same = self.ports[speaker].bridge == bridge
        return TreeRole.BACKUP if same else TreeRole.ALTERNATE
