"""What is assumed of bridges and ports where no file says it, in words (FM 7.1 to FM 7.4)."""

from __future__ import annotations

from typing import NamedTuple

from msgspec import Struct

from inkov.campus import Origin

__all__ = [
    "ANY_KIND",
    "NO_COST",
    "NO_REGION",
    "PASSES_ON",
    "SAME_ADDRESS",
    "SEVERAL_REGIONS",
    "SILENT",
    "TURNED",
    "TWO_KINDS",
    "Assumed",
    "Doubt",
]


class Assumed(NamedTuple):
    """What is assumed of somebody, and of several, in words that follow their names; whether it is
    about costs alone, which say nothing of who is root.
    """

    one: str
    several: str = ""
    of_cost: bool = False


SILENT = Assumed(
    "does not say whether it runs a spanning tree: taken to run a rapid one (RSTP)",
    "do not say whether they run a spanning tree: taken to run a rapid one (RSTP)",
)
ANY_KIND = Assumed(
    "does not say which kind of spanning tree it runs: taken to run a rapid one (RSTP)",
    "do not say which kind of spanning tree they run: taken to run a rapid one (RSTP)",
)
NO_COST = Assumed(
    "states no cost and no speed: taken for one of 1 Gbit/s",
    "state no cost and no speed: taken for ones of 1 Gbit/s",
    of_cost=True,
)
NO_REGION = Assumed(
    "states no region: taken for one of its own", "state no region: each is taken for one"
)
PASSES_ON = Assumed(
    "runs no spanning tree, and is taken to pass on the messages of others",
    "run no spanning tree, and are taken to pass on the messages of others",
)
SEVERAL_REGIONS = Assumed(
    "shares its wire with bridges of several regions",
    "share their wires with bridges of several regions",
)
TWO_KINDS = Assumed(
    "is where a tree for each VLAN meets one for all: no standard says what they make of each"
    " other's messages",
    "are where trees for each VLAN meet one for all: no standard says what they make of each"
    " other's messages",
)
TURNED = Assumed(
    "sends messages of a VLAN's tree into another VLAN, or one way only: what comes of it is not"
    " worked out",
    "send messages of a VLAN's tree into another VLAN, or one way only: what comes of it is not"
    " worked out",
)
SAME_ADDRESS = Assumed(
    "has the bridge address of another switch", "have bridge addresses of other switches"
)


class Doubt(Struct, frozen=True):
    """What an election rests on and no file states: about a port of a bridge; `who` is it or what
    is beside it.
    """

    port: int
    who: str
    assumed: Assumed
    origin: Origin

    def says(self, others: int = 0) -> str:
        """The sentence, about this one and so many others."""
        # One alone is told by its name; several by the first and how many more.
        if not others:
            return f"{self.who} {self.assumed.one}"
        return f"{self.who} and {others} more {self.assumed.several}"
