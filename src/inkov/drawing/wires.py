"""The links of a campus as they are drawn: their ends, how they stand, which VLANs cross, and what
is wrong with them.
"""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct, field

from inkov.forwarding import Fabric
from inkov.forwarding.needed import needed
from inkov.forwarding.outlets import passes
from inkov.forwarding.trees.active import Now
from inkov.vlanset import VlanSet
from inkov.wiring import End

__all__ = ["Wire", "vlans_in_short", "wires"]

_LONGEST = 17


class Wire(Struct):
    """A link between two devices. `crossing` are the VLANs that cross it both ways; `wrong` says in
    a few words what is not as it should be; `cables` is how many there are in it; `discards` is the
    end at which the spanning tree discards, for the VLANs `blocked`.
    """

    number: int
    a: End
    b: End
    up: bool
    cables: int
    crossing: VlanSet
    wrong: list[str] = field(default_factory=list)
    discards: End | None = None
    blocked: VlanSet = VlanSet()

    def end_at(self, device: str) -> End:
        return self.a if self.a.device == device else self.b

    def far_from(self, device: str) -> End:
        return self.b if self.a.device == device else self.a

    @property
    def title(self) -> str:
        """All there is to say of it."""
        state = "" if self.up else ", shut"
        return f"{self.a} to {self.b}{state}: VLAN {self.crossing}" + "".join(
            f"; {says}" for says in self.wrong
        )


def wires(
    fabric: Fabric, wanted: Mapping[str, int] | None = None, trees: Now | None = None
) -> list[Wire]:
    """The links between two devices. `wanted` has the VLANs that the plan wants on devices; with
    `trees` that have one outcome, what they discard now.
    """
    needs = needed(fabric, wanted)
    drawn = []
    for number, link in enumerate(fabric.wiring.links):
        # A cable of a switch to itself has no place between two.
        if link.a.device == link.b.device:
            continue
        there, back = passes(fabric, number, link.a), passes(fabric, number, link.b)
        wire = Wire(
            number,
            link.a,
            link.b,
            fabric.link_up[number],
            max(1, len(link.cables)),
            VlanSet(there & back),
        )
        # What is down is told as that: all else follows from it.
        if wire.up:
            _say_wrong(wire, fabric, there, back, needs[number])
        # Several outcomes: no single end discards for sure.
        if trees is not None and trees.outcomes == 1 and trees.blocks:
            _say_discarding(wire, trees.first)
        drawn.append(wire)
    return drawn


def _say_wrong(wire: Wire, fabric: Fabric, there: int, back: int, needs: int) -> None:
    one, other = (fabric.ports[end] for end in (wire.a, wire.b))
    # What crosses one way only.
    if there ^ back:
        wire.wrong.append(f"one way: {vlans_in_short(VlanSet(there ^ back))}")
    pvids = one.view.pvid, other.view.pvid
    # Only if both have a VLAN for untagged frames: else they are dropped, and nothing meets.
    if one.up and other.up and all(pvids) and pvids[0] != pvids[1]:
        wire.wrong.append(f"untagged {pvids[0]} meets {pvids[1]}")
    missing = needs & ~(there & back)
    if missing:
        wire.wrong.append(f"lacks {vlans_in_short(VlanSet(missing))}")
    if fabric.wiring.links[wire.number].one_sided:
        wire.wrong.append("seen by one end")


def _say_discarding(wire: Wire, forwards: Fabric) -> None:
    for end in (wire.a, wire.b):
        view = forwards.discards.get(end)
        blocked = VlanSet(view.mask & wire.crossing.bits) if view is not None else VlanSet()
        # A port discards for VLANs that do not cross anyway.
        if blocked:
            wire.discards, wire.blocked = end, blocked


def vlans_in_short(vlans: VlanSet) -> str:
    """A set of VLANs in a few characters: the first, and how many there are."""
    text = str(vlans).replace("-", "–")
    if len(text) <= _LONGEST:
        return text
    # Cut at a comma: half a number would be another VLAN.
    head = text[: _LONGEST - 6].rpartition(",")[0]
    return f"{head or text[:8]},… ({len(vlans)})"
