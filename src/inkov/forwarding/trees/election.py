"""Spanning trees elected: from bridges, their ports and the wires between them to the role of every
port (IEEE 802.1Q-2018, 13.9 to 13.11 and 13.29; 802.1D-2004, 17.6).

## Theory of operation

Bridges send each other the best *priority vector* that they know, and each keeps the best that it
heard. The process ends where nobody can better anybody's, and this end does not depend on who spoke
first; so it is worked out directly, component by component of the vector:

1. *The root.* The bridge with the lowest identifier is root of all that its messages reach. A port
   that is restricted (a root guard) takes no better root: what lies behind such ports alone has a
   root of its own.
2. *The external cost.* Between regions, and between bridges without any, each port that a message
   comes in by adds its cost. Within a region (bridges that state the same mapping of VLANs to
   instances under the same name) nothing is added. Shortest ways from the root (Dijkstra).
3. *The regional root.* Of a region's bridges that the cheapest messages come into from outside, the
   one with the lowest identifier; its region hears of the root through it. A bridge without a
   region is its own.
4. *The internal cost*: within the region, shortest ways from its regional root.
5. *Designated ports.* On every wire the port that sends the best vector, (root, external cost,
   regional root, internal cost, bridge, port), speaks for the wire.
6. *Root ports*: of the ports by which a bridge hears its vector, the one with the lowest sender,
   then the lowest port there, then the lowest own port.

Every other port is an alternate (its wire is spoken for by another bridge) or a backup (by another
port of the same one), and discards.

Ties of costs are decided by identifiers alone, and only in steps 1, 3, 5 and 6; those that are not
known are asked of an `Order`. So outcomes differ exactly where chance decides.

The trees of instances (MSTIs) are elected within regions by the same steps, without 2 and 3; on a
port that leads out of the region they follow the common tree (13.13).
"""

from __future__ import annotations

import heapq
from collections.abc import Callable, Hashable, Iterable

from msgspec import Struct

from inkov.campus import TreeRole
from inkov.forwarding.trees.order import Identifier, Order

__all__ = ["Elected", "Graph", "TreeBridge", "TreePort", "elect", "elect_instance", "least"]


class TreeBridge(Struct, frozen=True):
    """A bridge in an election: `region` is what it must share with another to be of one region,
    None for a bridge without regions; `legacy` ones send messages that know of none (STP).
    """

    identifier: Identifier
    region: Hashable = None
    legacy: bool = False


class TreePort(Struct, frozen=True):
    """A port in an election: its bridge and its wire by number, its cost and identifier.

    `restricted` ports take no better root (802.1Q-2018, 13.27.65; a root guard). `external` is the
    cost of ways between regions (13.27.25), 0 if it is the same.
    """

    bridge: int
    wire: int
    cost: int
    identifier: Identifier
    restricted: bool = False
    external: int = 0

    @property
    def between(self) -> int:
        """The cost of ways between regions."""
        return self.external or self.cost


class Elected(Struct):
    """What an election came to, by number of bridge, port or wire.

    `root` of a bridge, `cost` of its way there, (external, internal), `regional` its regional root,
    `root_port` if it is not the root itself; `designated` the port that speaks for a wire; `roles`
    of the ports.
    """

    root: dict[int, int]
    cost: dict[int, tuple[int, int]]
    regional: dict[int, int]
    root_port: dict[int, int]
    designated: dict[int, int]
    roles: dict[int, TreeRole]


def elect(bridges: dict[int, TreeBridge], ports: dict[int, TreePort], order: Order) -> Elected:
    """Elect the common tree."""
    return _Election(bridges, ports, order).run()


def elect_instance(
    bridges: dict[int, TreeBridge],
    ports: dict[int, TreePort],
    common: Elected,
    inside: set[int],
    order: Order,
) -> Elected:
    """Elect the tree of one instance within the regions: `bridges` and `ports` are those of regions
    with the instance, with its priorities and costs, `common` the common tree, `inside` the wires
    that lead out of no region.
    """
    within = {number: port for number, port in ports.items() if port.wire in inside}
    plain = {number: TreeBridge(bridge.identifier) for number, bridge in bridges.items()}
    elected = _Election(plain, within, order).run()
    # A port out of the region is in every instance as in the common tree.
    for number in ports.keys() - within.keys():
        elected.roles[number] = common.roles[number]  # the root port there is the master port
    return elected


class Graph:
    """Bridges, ports and wires of an election: the ports on each wire and of each bridge, and whose
    identifier is the lowest.
    """

    def __init__(self, bridges: dict[int, TreeBridge], ports: dict[int, TreePort]) -> None:
        self.bridges = bridges
        self.ports = ports
        self.on_wire: dict[int, list[int]] = {}
        self.of_bridge: dict[int, list[int]] = {number: [] for number in bridges}
        for number, port in ports.items():
            self.on_wire.setdefault(port.wire, []).append(number)
            self.of_bridge[port.bridge].append(number)

    def lowest_bridge(self, numbers: Iterable[int], order: Order) -> int:
        # One candidate: nothing has to be known of its identifier.
        numbers = set(numbers)
        if len(numbers) == 1:
            return next(iter(numbers))
        asked = {("bridge", number): self.bridges[number].identifier for number in sorted(numbers)}
        return min(number for _, number in order.lowest(asked))

    def lowest_port(self, numbers: Iterable[int], order: Order) -> int:
        numbers = set(numbers)
        if len(numbers) == 1:
            return next(iter(numbers))
        asked = {("port", number): self.ports[number].identifier for number in sorted(numbers)}
        return min(number for _, number in order.lowest(asked))


class _Election(Graph):
    def __init__(
        self, bridges: dict[int, TreeBridge], ports: dict[int, TreePort], order: Order
    ) -> None:
        super().__init__(bridges, ports)
        self.order = order
        self.legacy_wires = {port.wire for port in ports.values() if bridges[port.bridge].legacy}
        self.root: dict[int, int] = {}
        self.external: dict[int, int] = {}
        self.regional: dict[int, int] = {}
        self.internal: dict[int, int] = {}
        self.designated: dict[int, int] = {}
        self.root_port: dict[int, int] = {}

    def run(self) -> Elected:
        waiting = dict.fromkeys(self.bridges)
        # Bridges that no better root's messages reach have a root of their own.
        while waiting:
            root = self._lowest_bridge(waiting)
            reached = self._external_costs(root, waiting)
            self._regional_roots(root, reached)
            for number in reached:
                del waiting[number]
        self._internal_costs()
        for wire, ports in self.on_wire.items():
            self.designated[wire] = self._best_of(ports)
        for bridge in self.bridges:
            self._root_port(bridge)
        return Elected(
            self.root,
            {number: (self.external[number], self.internal[number]) for number in self.bridges},
            self.regional,
            self.root_port,
            self.designated,
            {number: self._role(number) for number in self.ports},
        )

    def _is_inside(self, sender: int, receiver: int) -> bool:
        """Whether a message from one port to another stays within a region."""
        # In one region, and nobody on the wire who knows of no regions.
        one, other = self.ports[sender], self.ports[receiver]
        region = self.bridges[one.bridge].region
        return (
            region is not None
            and region == self.bridges[other.bridge].region
            and one.wire not in self.legacy_wires
        )

    def _arcs(self, bridge: int) -> Iterable[tuple[int, int]]:
        """(sending port, receiving port) by which a bridge's messages are taken elsewhere."""
        for sender in self.of_bridge[bridge]:
            for receiver in self.on_wire[self.ports[sender].wire]:
                port = self.ports[receiver]
                # A guarded port takes no better root: messages end there.
                if port.bridge != bridge and not port.restricted:
                    yield sender, receiver

    # --- 1 and 2 ----------------------------------------------------------------------------------

    def _external_costs(self, root: int, waiting: Iterable[int]) -> list[int]:
        """The external costs of all that a root's messages reach."""
        allowed = set(waiting)
        heap, reached = [(0, root)], []
        while heap:
            cost, bridge = heapq.heappop(heap)
            # Reached before, by a way that costs no more.
            if bridge in self.external:
                continue
            self.external[bridge], self.root[bridge] = cost, root
            reached.append(bridge)
            for sender, receiver in self._arcs(bridge):
                port = self.ports[receiver]
                if port.bridge in allowed and port.bridge not in self.external:
                    # Within a region the external cost stays as it is.
                    more = 0 if self._is_inside(sender, receiver) else port.between
                    heapq.heappush(heap, (cost + more, port.bridge))
        return reached

    # --- 3 and 4 ----------------------------------------------------------------------------------

    def _regional_roots(self, root: int, reached: list[int]) -> None:
        """A bridge that hears the best from outside may be its region's root: the lowest such one
        that it hears of within the region is.
        """
        # A bridge without a region is its own regional root.
        plain = [number for number in reached if self.bridges[number].region is None]
        self.regional.update((number, number) for number in plain)
        left = {number for number in reached if self.bridges[number].region is not None}
        doors = dict.fromkeys(
            number
            for number in reached
            if number in left and (number == root or self._hears_best_outside(number))
        )
        while doors:
            # The root itself is its region's root; else the lowest of those that hear from outside.
            door = root if root in doors else self._lowest_bridge(doors)
            todo = [door]
            for bridge in todo:  # grows
                if bridge not in left:
                    continue
                left.discard(bridge)
                doors.pop(bridge, None)
                self.regional[bridge] = door
                for sender, receiver in self._arcs(bridge):
                    far = self.ports[receiver].bridge
                    same = self.external.get(far) == self.external[bridge]
                    # Only bridges at the same external cost hear of this door.
                    if same and far in left and self._is_inside(sender, receiver):
                        todo.append(far)

    def _hears_best_outside(self, bridge: int) -> bool:
        return any(
            self.root.get(self.ports[sender].bridge) == self.root[bridge]
            and self.external[self.ports[sender].bridge] + self.ports[receiver].between
            == self.external[bridge]
            for sender, receiver in self._heard(bridge)
            if not self._is_inside(sender, receiver)
        )

    def _heard(self, bridge: int) -> Iterable[tuple[int, int]]:
        """(sending port elsewhere, receiving port) of the messages that a bridge takes."""
        for receiver in self.of_bridge[bridge]:
            if not self.ports[receiver].restricted:
                for sender in self.on_wire[self.ports[receiver].wire]:
                    if self.ports[sender].bridge != bridge:
                        yield sender, receiver

    def _internal_costs(self) -> None:
        heap = [(0, door) for door in sorted(set(self.regional.values()))]
        while heap:
            cost, bridge = heapq.heappop(heap)
            # Reached before, by a shorter way.
            if bridge in self.internal:
                continue
            self.internal[bridge] = cost
            for sender, receiver in self._arcs(bridge):
                port = self.ports[receiver]
                if self.regional[port.bridge] == self.regional[bridge] and self._is_inside(
                    sender, receiver
                ):
                    heapq.heappush(heap, (cost + port.cost, port.bridge))

    # --- 5 and 6 ----------------------------------------------------------------------------------

    def _best_of(self, ports: list[int]) -> int:
        """The port that sends the best vector on a wire."""
        if len(ports) == 1:
            return ports[0]
        # Two bridges with different costs: no identifier is asked.
        if len(ports) == 2:  # nearly all wires: most are decided by the costs
            one, second = (self.ports[port].bridge for port in ports)
            if self.root[one] == self.root[second] and self.external[one] != self.external[second]:
                return ports[self.external[second] < self.external[one]]
        # The components of the vector, one after the other.
        roots = {self.root[self.ports[port].bridge] for port in ports}
        root = self._lowest_bridge(roots)
        ports = [port for port in ports if self.root[self.ports[port].bridge] == root]
        ports = least(ports, lambda port: self.external[self.ports[port].bridge])
        seen_as = {port: self._seen_as(port) for port in ports}
        lowest = self._lowest_bridge(seen_as.values())
        ports = [port for port in ports if seen_as[port] == lowest]
        ports = least(ports, lambda port: self.internal[self.ports[port].bridge])
        bridge = self._lowest_bridge({self.ports[port].bridge for port in ports})
        return self._lowest_port([port for port in ports if self.ports[port].bridge == bridge])

    def _seen_as(self, port: int) -> int:
        """The bridge that a message from a port names first: the regional root, or the bridge
        itself where somebody listens who knows of no regions (13.29.34).
        """
        held = self.ports[port]
        return held.bridge if held.wire in self.legacy_wires else self.regional[held.bridge]

    def _root_port(self, bridge: int) -> None:
        """Of the ports by which a bridge hears its own vector, that with the lowest sender."""
        # The root has no root port.
        if self.root[bridge] == bridge:
            return
        senders: dict[int, int] = {}
        for receiver in self.of_bridge[bridge]:
            sender = self.designated[self.ports[receiver].wire]
            if self.ports[sender].bridge != bridge and self._gives(sender, receiver):
                senders[receiver] = sender
        # It heard its vector from nobody: it is cut off by guards.
        if not senders:
            return
        # A bridge without regions takes the regional root for the sender (802.1Q-2018, 14.4).
        knows_regions = self.bridges[bridge].region is not None
        named = {
            receiver: self.ports[sender].bridge if knows_regions else self._seen_as(sender)
            for receiver, sender in senders.items()
        }
        lowest = self._lowest_bridge(named.values())
        receivers = [receiver for receiver in senders if named[receiver] == lowest]
        first = self._lowest_port({senders[receiver] for receiver in receivers})
        receivers = [
            receiver for receiver in receivers if self._is_same_port(senders[receiver], first)
        ]
        self.root_port[bridge] = self._lowest_port(receivers)

    def _gives(self, sender: int, receiver: int) -> bool:
        """Whether a bridge has its vector from a message from one port to another."""
        port, far = self.ports[receiver], self.ports[sender].bridge
        near = port.bridge
        # A guarded port gives no vector, nor does a bridge with another root.
        if port.restricted or self.root[far] != self.root[near]:
            return False
        if self._is_inside(sender, receiver):
            return (
                self.external[far] == self.external[near]
                and self.regional[far] == self.regional[near]
                and self.internal[far] + port.cost == self.internal[near]
            )
        by_here = self.external[far] + port.between == self.external[near]
        return by_here and self.regional[near] == near

    def _role(self, number: int) -> TreeRole:
        port = self.ports[number]
        speaker = self.designated[port.wire]
        if speaker == number:
            return TreeRole.DESIGNATED
        # It is not the wire's speaker, and leads to the root.
        if self.root_port.get(port.bridge) == number:
            return TreeRole.ROOT
        return TreeRole.BACKUP if self.ports[speaker].bridge == port.bridge else TreeRole.ALTERNATE

    def _lowest_bridge(self, numbers: Iterable[int]) -> int:
        return self.lowest_bridge(numbers, self.order)

    def _lowest_port(self, numbers: Iterable[int]) -> int:
        return self.lowest_port(numbers, self.order)

    def _is_same_port(self, one: int, other: int) -> bool:
        """Whether two ports have the same identifier: the same port, or those of two bridges that a
        bridge without regions takes for one.
        """
        if one == other:
            return True
        # Numbers of ports that are not known are never the same for sure.
        identifiers = self.ports[one].identifier, self.ports[other].identifier
        return identifiers[0] == identifiers[1] and identifiers[0].rest is not None


def least(ports: list[int], cost: Callable[[int], int]) -> list[int]:
    least = min(map(cost, ports))
    return [port for port in ports if cost(port) == least]
