"""The active topology: a fabric in which ports that a spanning tree has discard do (FM 7.9).

A port that discards a VLAN takes none of its frames and sends none; everything else is as it was.
So what is asked of links now is asked as ever, of another fabric. Where chance decides what the
trees come to, there is a fabric for each outcome, and an answer is sure that is the same in all
(FM 7.10).
"""

from __future__ import annotations

from collections.abc import Collection

from msgspec import Struct
from msgspec.structs import replace

from inkov.campus import Basis, Origin
from inkov.forwarding.crossing import cross
from inkov.forwarding.fabric import Assumption, Discarding, Fabric
from inkov.forwarding.trees.spanning import SpanningTree, Trees, spanning_trees
from inkov.forwarding.view import ALL, PortView
from inkov.wiring import End

__all__ = ["Now", "active", "now", "remarks_on"]


class Now(Struct):
    """What forwards now: a fabric for each outcome of the trees. `doubts` are sentences about what
    they rest on; without any, one of these outcomes is the one.
    """

    fabrics: list[Fabric]
    trees: Trees
    doubts: list[str]

    @property
    def blocks(self) -> bool:
        """Whether any port discards at all."""
        return any(fabric.discards for fabric in self.fabrics)


def remarks_on(trees: Trees) -> list[str]:
    """What an answer that hangs on the trees rests on, as sentences."""
    unsettled = [tree for tree in trees.trees if not tree.settled]
    says = [f"The spanning tree is not sure: {one.says}." for t in unsettled for one in t.doubts]
    if any(len(tree.outcomes) > 1 or not tree.complete for tree in unsettled):
        says.append("Chance decides which ports discard in the spanning tree: the worst counts.")
    return list(dict.fromkeys(says))


def now(fabric: Fabric) -> Now:
    """What forwards now, by the trees that are worked out."""
    trees = spanning_trees(fabric)
    unsettled = [tree for tree in trees.trees if not tree.settled]
    assumed = [one for tree in unsettled for one in _assumptions(fabric, tree)]
    fabrics = [
        active(fabric, trees, outcome, list(dict.fromkeys(assumed)))
        for outcome in range(trees.outcomes)
    ]
    doubts = [doubt.says for tree in unsettled for doubt in tree.doubts]
    if any(not tree.complete for tree in unsettled):
        doubts.append("too much is left to chance to tell the outcomes of the spanning tree apart")
    return Now(fabrics, trees, list(dict.fromkeys(doubts)))


def active(
    fabric: Fabric,
    trees: Trees,
    outcome: int = 0,
    assumed: list[Assumption] | None = None,
    lost: Collection[int] = (),
) -> Fabric:
    """The fabric as it forwards in an outcome of the trees. Bridge ports that are `lost` pass
    nothing.
    """
    ports = list(fabric.bridge_ports)
    resolved = dict(fabric.ports)
    discards: dict[End, Discarding] = {}
    for number, mask in (trees.discarding(outcome) | dict.fromkeys(lost, ALL)).items():
        port = ports[number]
        ports[number] = replace(
            port,
            view=_without(port.view, mask),
            on_request=tuple(_without(view, mask) for view in port.on_request),
        )
        own = fabric.resolved(port)
        resolved[own.end] = replace(own, view=_without(own.view, mask))
        discards[own.end] = _discarding(fabric, trees, number, mask)
    now = replace(
        fabric,
        ports=resolved,
        bridge_ports=ports,
        crossings={},
        link_up=[],
        serving=[],
        outside_names=None,
        said_tags=None,
        discards=discards,
        assumptions=[*fabric.assumptions, *(assumed or ())],
    )
    cross(now)
    return now


def _discarding(fabric: Fabric, trees: Trees, number: int, mask: int) -> Discarding:
    """Why a port discards."""
    port = fabric.bridge_ports[number]
    if number in trees.disabled:
        doubt = trees.disabled[number]
        return Discarding(mask, doubt.says(), doubt.origin)
    says = f"{port.end} discards in the spanning tree"
    return Discarding(mask, says, fabric.resolved(port).stated.origin)


def _assumptions(fabric: Fabric, tree: SpanningTree) -> list[Assumption]:
    """What an answer rests on that comes by a tree of which it is not sure which ports forward: at
    each bridge on a circle.
    """
    concerned = tree.world.ports if tree.seams else tree.circle
    devices = sorted({fabric.bridge_ports[number].end.device for number in concerned})
    says = [doubt.says for doubt in tree.doubts]
    if len(tree.outcomes) > 1 or not tree.complete:
        says.append("chance decides which ports discard in the spanning tree")
    return [
        Assumption(device, "", one, Origin(basis=Basis.ASSUMED, says=one))
        for device in devices
        for one in says
    ]


def _without(view: PortView, mask: int) -> PortView:
    """A view without some VIDs."""
    return replace(
        view,
        pvid=0 if mask >> view.pvid & 1 else view.pvid,
        admit=view.admit & ~mask,
        emit=view.emit & ~mask,
        untagged=view.untagged & ~mask,
    )
