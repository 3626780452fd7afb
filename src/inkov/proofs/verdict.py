"""What a proof comes to."""

from __future__ import annotations

from typing import Any

from msgspec import Struct, field

from inkov.campus import Origin
from inkov.forwarding.follow import Step
from inkov.levels import Layer, Level, Outcome

__all__ = ["Blame", "Verdict", "decisive"]


class Blame(Struct, frozen=True):
    """A line that a leak needs: without what it says, the leak ends, if `alone`.

    If not `alone`, only this way of it ends.
    """

    switch: str
    port: str
    says: str
    origin: Origin
    alone: bool = True


def decisive(blamed: list[Blame]) -> list[Blame]:
    """The lines that end a leak each by itself; where there is none, all of them."""
    # One that ends it alone is told instead of many that do so only together.
    return list(dict.fromkeys([blame for blame in blamed if blame.alone] or blamed))


class Verdict(Struct):
    """One claim judged.

    `because` tells in words what decided it; `witness` is the way of a frame, hop by hop;
    `certificate` holds what the verifier needs: where frames can be, for an isolation that holds,
    or the way of a frame, for one that is broken. `nobody`: it holds since there is nobody that it
    could be about. `withstands`: it is claimed whatever is lost.
    """

    claim: str
    kind: str
    level: Level
    layer: Layer
    verdict: Outcome
    because: str
    origin: Origin
    witness: list[Step] = field(default_factory=list)
    blame: list[Blame] = field(default_factory=list)
    assumes: list[str] = field(default_factory=list)
    certificate: dict[str, Any] = field(default_factory=dict)
    nobody: bool = False
    withstands: bool = False

    @property
    def key(self) -> tuple[str, str, int]:
        """What is claimed: the same of two campuses, if the same is claimed of both."""
        return self.claim, str(self.level), int(self.layer)
