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

__all__ = ["Trial", "trial"]

_FLOODS = 4000


class Trial(Struct):
    """Effects of edits, over all links. `crossing` are those by which somebody reaches another
    segment, or another VLAN, that he did not reach before. `ports` are the host ports on the
    smaller side of what is gained: those that the edits serve.
    """

    gained: list[Effect] = field(default_factory=list)
    lost: list[Effect] = field(default_factory=list)
    undecided: str = ""

    @property
    def crossing(self) -> list[Effect]:
        return [effect for effect in self.gained if effect.crosses]

    @property
    def ports(self) -> list[str]:
        found: dict[str, None] = {}
        for effect in self.gained:
            fewer = min(effect.sources, effect.targets, key=lambda group: group.count)
            found |= dict.fromkeys(fewer.ports)
        return list(found)


def trial(before: Fabric, after: Fabric, plan: Plan) -> Trial:
    """What is otherwise between two fabrics, for honest hosts."""
    pairs = (before, plan), (after, plan)
    idle = idle_in_both(*pairs)
    old, new = (Side(fabric, plan, idle) for fabric, plan in pairs)
    try:
        found = effects_of(Relation(old, new, Level.HONEST, _FLOODS))
    except TooMuch:
        return Trial(undecided="too many places would have to be followed one by one")
    return Trial(
        [effect for effect in found if effect.gained],
        [effect for effect in found if not effect.gained],
    )
