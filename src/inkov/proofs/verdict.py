"""What a proof comes to."""

from __future__ import annotations

from typing import Any

from msgspec import Struct, field

from inkov.campus import Origin
from inkov.forwarding.follow import Step

__all__ = ["BROKEN", "HOLDS", "UNDECIDED", "Blame", "Verdict", "decisive"]

HOLDS, BROKEN, UNDECIDED = "holds", "broken", "undecided"


class Blame(Struct, frozen=True):
    """A line that the leak needs: changing or removing it ends the leak, if `alone`; else only this
    way of it.
    """

    switch: str
    port: str
    says: str
    origin: Origin
    alone: bool = True


def decisive(found: list[Blame]) -> list[Blame]:
    """The lines that end a leak each by itself; where there is none, all of them."""
    return list(dict.fromkeys([blame for blame in found if blame.alone] or found))


class Verdict(Struct):
    """One claim judged.

    `because` tells in words what decided it; `witness` the way of a frame, hop by hop;
    `certificate` what the verifier needs: the closure for an isolation that holds, the frames of a
    witness for one that is broken.
    """

    claim: str
    kind: str
    level: str
    layer: int
    verdict: str
    because: str
    origin: Origin
    witness: list[Step] = field(default_factory=list)
    blame: list[Blame] = field(default_factory=list)
    assumes: list[str] = field(default_factory=list)
    certificate: dict[str, Any] = field(default_factory=dict)
