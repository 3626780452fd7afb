"""What is asked of frames: of whom, on which layer, and what the answer is."""

from __future__ import annotations

from enum import IntEnum, StrEnum

__all__ = ["Layer", "Level", "Outcome"]


class Level(StrEnum):
    """What hosts may do: docs/forwarding-model.md, section 4."""

    HONEST = "honest"
    HOSTILE = "hostile"


class Layer(IntEnum):
    """Whether an answer is about frames alone, or about packets that routers pass on as well."""

    FRAMES = 2
    PACKETS = 3


class Outcome(StrEnum):
    """What a claim turns out to be. Undecided is said wherever something needed is not known."""

    HOLDS = "holds"
    BROKEN = "broken"
    UNDECIDED = "undecided"
