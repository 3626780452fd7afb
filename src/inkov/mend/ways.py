"""The cheapest way for a VLAN from some bridges to others: the fewest edits, where links that pass
it and switches that have it cost nothing (Dijkstra, 1959).

What a link costs takes trials, so it is looked at only once all cheaper ways are exhausted: one
that does not pass the VLAN costs at least one edit.
"""

from __future__ import annotations

from collections.abc import Callable, Collection
from functools import cached_property
from heapq import heappop, heappush
from itertools import count
from typing import NamedTuple

from inkov.edits import Edit
from inkov.forwarding import Fabric
from inkov.forwarding.outlets import passes
from inkov.mend.links import Step, definition, link_steps, steps_cost

__all__ = ["Ways"]


class Cost(NamedTuple):
    """What a way costs: edits above all, then how much they disturb, then links."""

    edits: int
    disturbs: int
    links: int

    def and_then(self, steps: list[Step]) -> Cost:
        """One link further, with some steps."""
        disturbs = self.disturbs + sum(step.disturbs for step in steps)
        return Cost(self.edits + steps_cost(steps), disturbs, self.links + 1)


class _Over(NamedTuple):
    """A link that is not looked at yet, since what it costs at least may be too much already."""

    link: int
    near: int
    cost: Cost
    of_bridge: list[Step]


class Ways:
    """A campus on which ways are looked for."""

    def __init__(self, fabric: Fabric) -> None:
        self.fabric = fabric
        self._steps: dict[tuple[int, int], list[Step] | None] = {}
        self._definitions: dict[tuple[int, int], Step | None] = {}

    @cached_property
    def passed(self) -> list[int]:
        """What each link passes both ways, as masks."""
        links = self.fabric.wiring.links
        return [
            passes(self.fabric, number, link.a) & passes(self.fabric, number, link.b)
            for number, link in enumerate(links)
        ]

    @cached_property
    def links_at(self) -> dict[int, list[tuple[int, int]]]:
        """Bridge -> (link, far bridge), of links between main bridges of switches."""
        fabric = self.fabric
        links: dict[int, list[tuple[int, int]]] = {}
        for number, link in enumerate(fabric.wiring.links):
            ends = [self._bridge(end.device) for end in (link.a, link.b)]
            routed = any(fabric.ports[end].mode.value == "routed" for end in (link.a, link.b))
            one, other = ends
            # Boxes, links within a switch, and routed ones are no ways.
            if one is None or other is None or one == other or routed:
                continue
            links.setdefault(one, []).append((number, other))
            links.setdefault(other, []).append((number, one))
        return links

    def _bridge(self, device: str) -> int | None:
        return self.fabric.bridge_of.get((device, ""))

    def _name(self, bridge: int) -> str:
        return self.fabric.bridges[bridge].device

    def of_link(self, number: int, vid: int) -> list[Step] | None:
        """What it takes that a link passes a VLAN between switches that have it."""
        # It passes: nothing to be done.
        if self.passed[number] >> vid & 1:
            return []
        key = number, vid
        if key not in self._steps:
            self._steps[key] = link_steps(self.fabric, number, vid)
        return self._steps[key]

    def of_bridge(self, bridge: int, vid: int) -> Step | None:
        """What it takes that a switch has a VLAN; None if it has it."""
        key = bridge, vid
        if key not in self._definitions:
            inside = self.fabric.bridges[bridge]
            device = self.fabric.device(inside.device)
            here = inside.live >> vid & 1
            self._definitions[key] = None if here else definition(self.fabric.campus, device, vid)
        return self._definitions[key]

    def cheapest(
        self,
        sources: Collection[int],
        targets: Collection[int],
        vid: int,
        usable: Callable[[int], bool] = lambda link: True,
    ) -> list[Edit] | None:
        """The edits by which a VLAN gets from one of some bridges to one of others, over links that
        are `usable`; None if no edits do.
        """
        best: dict[int, Cost] = {}
        came: dict[int, tuple[int, list[Step]]] = {}
        waiting: list[tuple[Cost, str, int, int, _Over | None]] = []
        order = count()  # of equal ones the first comes first

        def reach(bridge: int, cost: Cost) -> None:
            best[bridge] = cost
            heappush(waiting, (cost, self._name(bridge), next(order), bridge, None))

        for bridge in sources:
            own = self.of_bridge(bridge, vid)
            reach(bridge, Cost(len(own.edits), own.disturbs, 0) if own else Cost(0, 0, 0))
        done: set[int] = set()
        while waiting:
            cost, _, _, bridge, over = heappop(waiting)
            if over is not None:  # now it is worth while to look at the link
                of_link = self.of_link(over.link, vid)
                # No edits do, or a cheaper way was found meanwhile.
                if of_link is None or bridge in done:
                    continue
                further = over.cost.and_then([*of_link, *over.of_bridge])
                # Cheaper than what is known.
                if bridge not in best or further < best[bridge]:
                    came[bridge] = over.near, of_link
                    reach(bridge, further)
                continue
            # Reached by a cheaper way already.
            if bridge in done:
                continue
            done.add(bridge)
            if bridge in targets:
                return self._edits(bridge, came, vid)
            for number, far in self.links_at.get(bridge, ()):
                # Behind us, or a link that may not be used.
                if far in done or not usable(number):
                    continue
                own = self.of_bridge(far, vid)
                ahead = _Over(number, bridge, cost, [own] if own is not None else [])
                least = cost.and_then(ahead.of_bridge)
                # At least one edit: what exactly is looked at later.
                if not self.passed[number] >> vid & 1:
                    least = Cost(least.edits + 1, least.disturbs, least.links)
                # Only if it could be better.
                if far not in best or least < best[far]:
                    heappush(waiting, (least, self._name(far), next(order), far, ahead))
        return None

    def _edits(self, bridge: int, came: dict[int, tuple[int, list[Step]]], vid: int) -> list[Edit]:
        """The edits along a way, from its beginning."""
        steps: list[Step] = []
        while True:
            own = self.of_bridge(bridge, vid)
            steps += [own] if own is not None else []
            # The way begins here.
            if bridge not in came:
                break
            bridge, of_link = came[bridge]
            steps += of_link
        return [edit for step in reversed(steps) for edit in step.edits]
