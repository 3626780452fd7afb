"""What a drawing is made of: boxes, lines and texts, each in a tone. Sizes are in pixels of the
drawing, y grows downwards.
"""

from __future__ import annotations

from enum import StrEnum

from msgspec import Struct, field

__all__ = ["Anchor", "Box", "Drawing", "Label", "Line", "Tone"]


class Tone(StrEnum):
    """What a shape stands for. Each has a look of its own, by more than its colour."""

    CORE = "core"
    DISTRIBUTION = "distribution"
    ACCESS = "access"
    ROUTER = "router"
    SERVER = "server"
    OUTSIDE = "outside"
    FOLDED = "folded"
    PORT_OFF = "port off"
    UP = "up"
    BUNDLE = "bundle"
    SHUT = "shut"
    DISCARDS = "discards"
    MARKED = "marked"
    FAINT = "faint"
    WRONG = "wrong"
    TEXT = "text"
    SMALL = "small"
    TITLE = "title"


class Anchor(StrEnum):
    """Which end of a text stands at its place."""

    START = "start"
    MIDDLE = "middle"
    END = "end"


class Box(Struct, frozen=True):
    """A switch. `title` is told where one points at it."""

    x: float
    y: float
    width: float
    height: float
    tone: Tone
    title: str = ""


class Line(Struct, frozen=True):
    """A line through some points."""

    points: tuple[tuple[float, float], ...]
    tone: Tone
    title: str = ""


class Label(Struct, frozen=True):
    """A text: `y` is its base line."""

    x: float
    y: float
    text: str
    tone: Tone = Tone.TEXT
    anchor: Anchor = Anchor.START
    title: str = ""


class Drawing(Struct):
    """Shapes on a page; lines lie below boxes, and texts above all."""

    title: str
    width: float = 0
    height: float = 0
    lines: list[Line] = field(default_factory=list)
    boxes: list[Box] = field(default_factory=list)
    labels: list[Label] = field(default_factory=list)
