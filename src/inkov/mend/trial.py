"""What edits do on the whole campus besides what they are made for: whom they let reach whom, and
whom they cut off.
"""

from __future__ import annotations

from msgspec import Struct, field

from inkov.effects.effect import Effect, effects_of
from inkov.effects.hearing import TooMuch
from inkov.effects.relation import Relation
from inkov.effects.side import Side, idle_in_both
from inkov.forwarding import Fabric
from inkov.levels import Level
from inkov.plan import Plan
from inkov.vlanset import union
from inkov.wiring import End

__all__ = ["Trial", "trial"]

_FLOODS = 4000


class Trial(Struct):
    """Effects of edits, over all links. `undecided` says why they are not known, if so."""

    gained: list[Effect] = field(default_factory=list)
    lost: list[Effect] = field(default_factory=list)
    undecided: str = ""

    def crossing(self, meant: int) -> list[Effect]:
        """Those by which somebody reaches another segment, or another VLAN, that he did not reach
        before; but for what is between VLANs of a mask, which is meant.
        """
        return [effect for effect in self.gained if effect.crosses and union(effect.vids) & ~meant]

    def serves(self, end: End) -> list[str]:
        """The ports that reach a port with the edits, and did not before."""
        ports: dict[str, None] = {}
        for effect in self.gained:
            row = effect.row
            sides = [(row.sources, row.targets)]
            sides += [(row.targets, row.sources)] if row.both_ways or row.within else []
            for near, far in sides:
                # The port is on this side of the row.
                if any((seat.switch, seat.port) == end for seat in far):
                    ports |= dict.fromkeys(f"{seat.switch}:{seat.port}" for seat in near)
        ports.pop(str(end), None)
        return list(ports)


def trial(before: Fabric, after: Fabric, plan: Plan) -> Trial:
    """What is otherwise between two fabrics, for honest hosts."""
    pairs = (before, plan), (after, plan)
    idle = idle_in_both(*pairs)
    old, new = (Side(fabric, plan, idle) for fabric, plan in pairs)
    try:
        effects = effects_of(Relation(old, new, Level.HONEST, _FLOODS))
    except TooMuch:
        return Trial(undecided="too many places would have to be followed one by one")
    return Trial(
        [effect for effect in effects if effect.gained],
        [effect for effect in effects if not effect.gained],
    )
