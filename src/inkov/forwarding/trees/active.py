"""The active topology: a fabric in which ports that a spanning tree has discard do (FM 7.9).

A port that discards a VLAN takes none of its frames and sends none; everything else is as it was.
So what is asked of links now is asked as ever, of another fabric. Where chance decides what the
trees come to, there is a fabric for each outcome, and an answer is sure that is the same in all
(FM 7.10).
"""

from __future__ import annotations

from collections.abc import Collection
from functools import cached_property

from msgspec.structs import replace

from inkov.campus import Basis, Origin, TreeMode
from inkov.forwarding.crossing import cross
from inkov.forwarding.fabric import Assumption, Discarding, Fabric
from inkov.forwarding.outsiders import beside_trees
from inkov.forwarding.trees.spanning import SpanningTree, Trees, spanning_trees
from inkov.forwarding.view import ALL, PortView
from inkov.wiring import End

__all__ = ["Now", "active", "are_stated", "now", "remarks_on"]


class Now:
    """What forwards now: a fabric for each outcome of the trees, made when it is asked for.

    `doubts` are sentences about what they rest on; without any, one of these outcomes is the one.
    Where the outcomes cannot all be told, that is a doubt, and there is one fabric.
    """

    def __init__(self, fabric: Fabric, trees: Trees) -> None:
        self.trees = trees
        self._over_all = fabric
        # A tree that is settled needs no assumption, whatever is unknown in it.
        unsettled = [tree for tree in trees.trees if not tree.settled]
        assumed = (assumption for tree in unsettled for assumption in _assumptions(fabric, tree))
        self._assumed = list(dict.fromkeys([*assumed, *beside_trees(fabric)]))
        doubts = [doubt.says for tree in unsettled for doubt in tree.doubts]
        complete = all(tree.complete for tree in unsettled)
        # Outcomes that were not all told apart cannot stand for all.
        if not complete:
            doubts.append(
                "too much is left to chance to tell the outcomes of the spanning tree apart"
            )
        self.doubts = list(dict.fromkeys(doubts))
        self.outcomes = trees.outcomes if complete else 1

    @property
    def sure(self) -> bool:
        """Whether it is sure what forwards."""
        return self.outcomes == 1 and not self.doubts

    @property
    def blocks(self) -> bool:
        """Whether any port discards at all."""
        return any(self.trees.discarding(number) for number in range(self.outcomes))

    @cached_property
    def first(self) -> Fabric:
        """What forwards in the first outcome."""
        return active(self._over_all, self.trees, 0, self._assumed)

    @cached_property
    def fabrics(self) -> list[Fabric]:
        """What forwards in each outcome."""
        others = range(1, self.outcomes)
        more = [active(self._over_all, self.trees, number, self._assumed) for number in others]
        return [self.first, *more]


def are_stated(fabric: Fabric) -> bool:
    """Whether any switch says that it runs a spanning tree. Where none does, nothing is known of
    trees, and nobody is told of them who does not ask.
    """
    return any(
        fact is not None and fact.value is not TreeMode.OFF
        for device in fabric.campus.devices.values()
        for fact in (device.tree_mode, *(bridge.tree_mode for bridge in device.bridges.values()))
    ) or any(device.trees for device in fabric.campus.devices.values())


def remarks_on(trees: Trees) -> list[str]:
    """What an answer that hangs on the trees rests on, as sentences."""
    unsettled = [tree for tree in trees.trees if not tree.settled]
    says = [
        f"The spanning tree is not sure: {remark.says}." for t in unsettled for remark in t.doubts
    ]
    if any(len(tree.outcomes) > 1 or not tree.complete for tree in unsettled):
        says.append("Chance decides which ports discard in the spanning tree: the worst counts.")
    return list(dict.fromkeys(says))


def now(fabric: Fabric) -> Now:
    """What forwards now, by the trees that are worked out."""
    return Now(fabric, spanning_trees(fabric))


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
        # What discards sends nothing and takes nothing, also on request.
        ports[number] = replace(
            port,
            view=_without(port.view, mask),
            on_request=tuple(_without(view, mask) for view in port.on_request),
        )
        own = fabric.resolved(port)
        resolved[own.end] = replace(own, view=_without(own.view, mask))
        # Lost is more than discarding: nothing passes, whatever the tree says.
        if number in lost:
            discards[own.end] = Discarding(ALL, f"{port.end} is lost", own.stated.origin)
        else:
            discards[own.end] = _discarding(fabric, trees, number, mask)
    now = fabric.with_other(
        ports=resolved,
        bridge_ports=ports,
        discards=discards,
        assumptions=[*fabric.assumptions, *(assumed or ())],
    )
    cross(now)
    return now


def _discarding(fabric: Fabric, trees: Trees, number: int, mask: int) -> Discarding:
    """Why a port discards."""
    port = fabric.bridge_ports[number]
    # Shut by a guard, not by an election.
    if number in trees.disabled:
        doubt = trees.disabled[number]
        return Discarding(mask, doubt.says(), doubt.origin)
    says = f"{port.end} discards in the spanning tree"
    return Discarding(mask, says, fabric.resolved(port).stated.origin)


def _assumptions(fabric: Fabric, tree: SpanningTree) -> list[Assumption]:
    """What an answer rests on that comes by a tree of which it is not sure which ports forward: at
    each bridge on a circle.
    """
    # Where trees of two kinds meet, all of it is in doubt, not the circle alone.
    concerned = tree.world.ports if tree.seams else tree.circle
    devices = sorted({fabric.bridge_ports[number].end.device for number in concerned})
    says = [doubt.says for doubt in tree.doubts]
    if len(tree.outcomes) > 1 or not tree.complete:
        says.append("chance decides which ports discard in the spanning tree")
    return [
        Assumption(device, "", text, Origin(basis=Basis.ASSUMED, says=text))
        for device in devices
        for text in says
    ]


def _without(view: PortView, mask: int) -> PortView:
    """A view without some VIDs."""
    return replace(
        view,
        # Untagged frames of a VLAN that is discarded are dropped.
        pvid=0 if mask >> view.pvid & 1 else view.pvid,
        admit=view.admit & ~mask,
        emit=view.emit & ~mask,
        untagged=view.untagged & ~mask,
    )
