"""The cheapest way for a VLAN from some bridges to others: the fewest edits, where links that pass
it and switches that have it cost nothing (Dijkstra, 1959).
"""

from __future__ import annotations

from collections.abc import Callable, Collection
from functools import cached_property
from heapq import heappop, heappush

from inkov.campus import natural
from inkov.edits import Edit
from inkov.forwarding import Fabric
from inkov.forwarding.outlets import passes
from inkov.mend.links import Step, definition, link_steps, steps_cost

__all__ = ["Ways"]


class Ways:
    """A campus on which ways are looked for."""

    def __init__(self, fabric: Fabric) -> None:
        self.fabric = fabric
        self._steps: dict[tuple[int, int], list[Step] | None] = {}

    @cached_property
    def _passed(self) -> list[int]:
        """What each link passes both ways, as masks."""
        links = self.fabric.wiring.links
        return [
            passes(self.fabric, number, link.a) & passes(self.fabric, number, link.b)
            for number, link in enumerate(links)
        ]

    @cached_property
    def _links_at(self) -> dict[int, list[tuple[int, int]]]:
        """Bridge -> (link, far bridge), of links between main bridges of switches."""
        fabric = self.fabric
        found: dict[int, list[tuple[int, int]]] = {}
        for number, link in enumerate(fabric.wiring.links):
            ends = [self._bridge(end.device) for end in (link.a, link.b)]
            routed = any(fabric.ports[end].mode.value == "routed" for end in (link.a, link.b))
            one, other = ends
            if one is None or other is None or one == other or routed:
                continue
            found.setdefault(one, []).append((number, other))
            found.setdefault(other, []).append((number, one))
        return found

    def _bridge(self, device: str) -> int | None:
        return self.fabric.bridge_of.get((device, ""))

    def _of_link(self, number: int, vid: int) -> list[Step] | None:
        """What it takes that a link passes a VLAN between switches that have it."""
        if self._passed[number] >> vid & 1:
            return []
        key = number, vid
        if key not in self._steps:
            self._steps[key] = link_steps(self.fabric, number, vid)
        return self._steps[key]

    def _of_bridge(self, bridge: int, vid: int) -> Step | None:
        inside = self.fabric.bridges[bridge]
        if inside.live >> vid & 1:
            return None
        return definition(self.fabric.campus, self.fabric.device(inside.device), vid)

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
        fabric = self.fabric

        def rank(bridge: int) -> tuple[list[int | str], ...]:
            return (natural(fabric.bridges[bridge].device),)  # type: ignore[return-value]

        best: dict[int, tuple[int, int, int]] = {}
        came: dict[int, tuple[int, list[Step]]] = {}
        waiting: list[tuple[tuple[int, int, int], object, int]] = []
        for bridge in sources:
            own = self._of_bridge(bridge, vid)
            best[bridge] = (len(own.edits) if own else 0, own.disturbs if own else 0, 0)
            heappush(waiting, (best[bridge], rank(bridge), bridge))
        done: set[int] = set()
        while waiting:
            cost, _, bridge = heappop(waiting)
            if bridge in done:
                continue
            done.add(bridge)
            if bridge in targets:
                return self._edits(bridge, came, vid)
            for number, far in self._links_at.get(bridge, ()):
                if far in done or not usable(number):
                    continue
                of_link, of_bridge = self._of_link(number, vid), self._of_bridge(far, vid)
                if of_link is None:
                    continue
                steps = [*of_link, *([of_bridge] if of_bridge is not None else [])]
                further = (
                    cost[0] + steps_cost(steps),
                    cost[1] + sum(step.disturbs for step in steps),
                    cost[2] + 1,
                )
                if far not in best or further < best[far]:
                    best[far] = further
                    came[far] = bridge, of_link
                    heappush(waiting, (further, rank(far), far))
        return None

    def _edits(self, bridge: int, came: dict[int, tuple[int, list[Step]]], vid: int) -> list[Edit]:
        """The edits along a way, from its beginning."""
        steps: list[Step] = []
        while True:
            own = self._of_bridge(bridge, vid)
            steps += [own] if own is not None else []
            if bridge not in came:
                break
            bridge, of_link = came[bridge]
            steps += of_link
        return [edit for step in reversed(steps) for edit in step.edits]
