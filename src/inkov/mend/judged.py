"""Whether two places reach each other: by the spanning trees where they are sure, else over all
links.
"""

from __future__ import annotations

from msgspec import Struct, field

from inkov.campus import Host
from inkov.forwarding import Fabric
from inkov.forwarding.ping import Part, Ping, ping
from inkov.forwarding.trees.active import are_stated, now

__all__ = ["Judged", "judged"]


class Judged(Struct):
    """Whether two places reach each other on a campus; the ping that tells, what forwards, and what
    it rests on. With spanning trees that are sure, it is about now.
    """

    works: bool
    ping: Ping
    forwards: Fabric
    by_tree: bool
    notes: list[str] = field(default_factory=list)

    @property
    def failing(self) -> Part | None:
        """The first need that is not met."""
        return next((part for part in self.ping.parts if not part.holds), None)


def judged(fabric: Fabric, one: Host, other: Host) -> Judged:
    """Whether two hosts reach each other: by the spanning trees if they are sure, else over all
    links.
    """
    over_all = ping(fabric, one, other)
    trees = now(fabric) if over_all.works and are_stated(fabric) else None
    # Trees that block nothing change nothing.
    if trees is None or not trees.blocks:
        return Judged(over_all.works, over_all, fabric, by_tree=False)
    # A guess about the tree is no answer about now.
    if not trees.sure:
        notes = [f"The spanning tree is not sure: {doubt}." for doubt in trees.doubts]
        notes = notes or ["Chance decides which links the spanning tree blocks."]
        return Judged(True, over_all, fabric, by_tree=False, notes=notes)
    in_tree = ping(trees.first, one, other)
    return Judged(in_tree.works, in_tree, trees.first, by_tree=True)
