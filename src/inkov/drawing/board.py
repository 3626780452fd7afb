"""What all parts of a drawing of the campus work on: where each switch stands, which links are left
to draw, and what is told at a switch.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

from msgspec import Struct

from inkov.campus import natural
from inkov.drawing.panels import Row, panels
from inkov.drawing.pen import Look, Pen
from inkov.drawing.shapes import Anchor, Box, Tone
from inkov.drawing.wires import Wire
from inkov.survey.roles import Role, Roles

__all__ = ["BOX", "BUS", "DROP", "RAIL", "SLOT", "TOLD", "TOLD_HIGHER", "Board", "Placed"]

BOX = 26.0  # the height of a box
BUS = 15.0  # between two buses
RAIL = 9.0  # between two rails
DROP = 104.0  # between two drops: room for what stands beside one
SLOT = 31.0  # between links from one switch to another: room for what stands on one
TOLD = 11  # the height of a line of what is told at a switch
TOLD_HIGHER = 4  # above the links beside a switch
_NAME = 7.2  # the width of a character of a name
_LONGEST_NAME = 22
_MOST_TAGS = 4
_TONES = {role: Tone(role.value) for role in Role}


class Placed(Struct):
    """Where a switch stands."""

    x: float
    y: float
    width: float
    height: float = BOX

    @property
    def bottom(self) -> float:
        return self.y + self.height

    @property
    def right(self) -> float:
        return self.x + self.width

    @property
    def centre(self) -> float:
        return self.x + self.width / 2

    @property
    def middle(self) -> float:
        return self.y + self.height / 2


class Board:
    """A drawing in the making. `at` is where each switch stands that is drawn already; `tags` are
    lines that are told at a switch, of links that are not drawn.
    """

    def __init__(
        self,
        roles: Roles,
        wires: Sequence[Wire],
        outside: Sequence[tuple[str, str, str]],
        look: Look,
    ) -> None:
        self.roles = roles
        self.look = look
        self.pen = Pen(look)
        self.panels = panels(roles, fold=look.fold)
        self.core = roles.named(Role.CORE)
        self.routers = roles.named(Role.ROUTER)
        self.at: dict[str, Placed] = {}
        self.tags: dict[str, list[str]] = {}
        self.folded_in: dict[str, str] = {}
        for number, panel in enumerate(self.panels):
            for row in panel.rows:
                if row.folded:
                    # Rows need names, and a folded row has none: a mark that no name begins with.
                    row.name = f"\0{number} {row.says[0]}"
                    self.folded_in |= dict.fromkeys(row.folded, row.name)
        self.between: dict[tuple[str, str], list[Wire]] = {}
        for wire in wires:
            ends = [self.folded_in.get(end.device, end.device) for end in (wire.a, wire.b)]
            # Links within a folded row are not drawn.
            if ends[0] != ends[1]:
                self.between.setdefault((min(ends), max(ends)), []).append(wire)
        self._outside: dict[str, list[tuple[str, str]]] = {}
        for switch, port, name in outside:
            self._outside.setdefault(switch, []).append((port, name))

    # --- links ------------------------------------------------------------------------------------

    def links(self, one: str, other: str) -> list[Wire]:
        """The links between two switches."""
        return self.between.get((min(one, other), max(one, other)), [])

    def tallest(self, names: Sequence[str]) -> float:
        """How high switches that stand side by side are: room for the links to the next one."""
        most = max((len(self.links(a, b)) for a, b in pairwise(names)), default=1)
        return BOX + SLOT * max(0, most - 1)

    # --- switches ---------------------------------------------------------------------------------

    def told(self, name: str) -> list[str]:
        """What is told at a switch, a line each."""
        note = self.look.notes.get(name)
        others = self._outside.get(name, [])
        lines = [note] if note else []
        # Two are named; more would be longer than the list.
        lines += [f"{port}: {far}, without a file" for port, far in others[:2]]
        if len(others) > 2:
            lines.append(f"and {len(others) - 2} more without a file")
        tags = self.tags.get(name, [])
        lines += tags[:_MOST_TAGS]
        if len(tags) > _MOST_TAGS:
            lines.append(f"and {len(tags) - _MOST_TAGS} more links")
        return lines

    def room_to_tell(self, names: Sequence[str]) -> float:
        """The height of what is told at switches that stand side by side."""
        return TOLD * max((len(self.told(name)) for name in names), default=0)

    def box_width(self, texts: Sequence[str]) -> float:
        """The width of a box in which some lines stand."""
        longest = max((len(text) for text in texts), default=0)
        return max(88.0, min(longest, _LONGEST_NAME) * _NAME + 18)

    def shown(self, name: str) -> str:
        """The name of a switch as it is written."""
        return name if len(name) <= _LONGEST_NAME else f"{name[: _LONGEST_NAME - 1]}…"

    def switch(
        self, name: str, placed: Placed, row: Row | None = None, *, told_above: bool = False
    ) -> None:
        """A switch, or a row that stands for several."""
        self.at[name] = placed
        folded = row.folded if row is not None else []
        role = self.roles.of.get(name, Role.ACCESS)
        tone = Tone.FOLDED if folded else _TONES[role]
        members = self.look.members
        # What is not in the VLAN that is asked for steps back.
        if members is not None and not ({name, *folded} & members):
            tone = Tone.FAINT
        title = ", ".join(sorted(folded, key=natural)) if folded else f"{name} ({role.value})"
        pen = self.pen
        pen.drawing.boxes.append(Box(placed.x, placed.y, placed.width, placed.height, tone, title))
        pen.seen.add(tone)
        texts = row.says if row is not None and folded else [self.shown(name)]
        text_tone = Tone.SMALL if tone is Tone.FAINT else Tone.TEXT
        first = placed.middle + 4 - 7 * (len(texts) - 1)
        for number, text in enumerate(texts):
            pen.text(placed.centre, first + 14 * number, text, text_tone, Anchor.MIDDLE, title)
        told = self.told(name)
        top = placed.bottom + 10
        if told_above:
            top = placed.y - 5 - TOLD_HIGHER - TOLD * (len(told) - 1)
        for number, text in enumerate(told):
            pen.text(placed.x + 16, top + TOLD * number, text, Tone.SMALL)

    def shared_tone(self, *, marked: bool) -> Tone:
        """How a rail or a bus is drawn, which several links share."""
        # Nothing is asked for: all that is up looks alike.
        if not self.look.marks:
            return Tone.UP
        return Tone.MARKED if marked else Tone.FAINT
