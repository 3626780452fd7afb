"""The top of a drawing of the campus: routers, below them the core, the links among these, and the
buses to what hangs on them.

What is told of a switch on top stands above it, since below are its lines. Links to the switch
beside it go straight across; those past another one go up, over all boxes in a *lane* of their own,
and down. Links from a router to the core turn between the two, each at a level of its own, and end
in a drop at the core.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence, Set
from itertools import pairwise
from typing import TypeAlias

from inkov.drawing.board import BOX, BUS, DROP, SLOT, TOLD_HIGHER, Board, Placed
from inkov.drawing.pen import MARGIN, text_width
from inkov.drawing.shapes import Tone

__all__ = ["Reached", "Top"]

Reached: TypeAlias = Mapping[str, Sequence[tuple[float, bool]]]
"""Switch of the top -> where its bus is left (x), and whether for something that is marked."""

_LANE = 14.0
_TURN = 5.0  # between two links that turn
_DROP_TEXTS = 54.0  # the height of what stands beside a drop
_ASIDE = 7.0  # from where another line goes down
_STEP = 250.0  # from one switch to the next
_BESIDE = 140.0  # of this between the boxes


class Top:
    """Routers and core. `buses` are those that others hang on (`above` them), the core first."""

    def __init__(self, board: Board, above: Set[str]) -> None:
        self.board = board
        self.core, self.routers = board.core, board.routers
        self.buses = [*self.core, *(name for name in self.routers if name in above)]
        # Above others: the bus goes down at the side of the page.
        self.aside = [name for name in self.buses if self.core and name not in self.core]
        self._lanes = {
            names: [
                (one, other)
                for at, one in enumerate(names)
                for other in names[at + 2 :]
                for _ in board.links(one, other)
            ]
            for names in (tuple(self.routers), tuple(self.core))
        }

    @property
    def width(self) -> float:
        """How wide the top is at least."""
        return max(
            [len(names) * self._step(names) for names in (self.routers, self.core)] + [_STEP]
        )

    def _step(self, names: Sequence[str]) -> float:
        widths = [_STEP]
        for name in names:
            wide = self._wide(name)
            # In the middle of its place, with what is told from its left on.
            told = 2 * (24 + text_width(self.board.told(name))) - wide
            widths += [wide + _BESIDE, told]
        return max(widths)

    def _wide(self, name: str) -> float:
        """How wide a box is: room for the drops that end there."""
        return max(self.board.box_width([name]), DROP * self._from_routers([name]))

    def _from_routers(self, core: Sequence[str]) -> int:
        """How many links lead from routers to some switches of the core."""
        links = self.board.links
        return sum(len(links(router, name)) for router in self.routers for name in core)

    def place(self, x: float, width: float) -> float:
        """Put routers and core on the page; the line below which they end."""
        board, y = self.board, MARGIN
        if board.look.title:
            board.pen.text(x, y + 4, board.look.title, Tone.TITLE)
            y += 24
        for names in (self.routers, self.core):
            if not names:
                continue
            y += self._above(names)
            tall, step = board.tallest(names), width / len(names)
            for number, name in enumerate(names):
                wide = self._wide(name) if names is self.core else board.box_width([name])
                placed = Placed(x + step * number + (step - wide) / 2, y, wide, tall)
                board.switch(name, placed, told_above=True)
            y += tall
            if names is self.routers and self.core:
                turns = self._from_routers(self.core) + len(self.aside)
                y += _TURN * turns + _DROP_TEXTS
        return y + 22

    def _above(self, names: Sequence[str]) -> float:
        """The room above some switches: for what is told there, and lanes."""
        return self._told(names) + _LANE * len(self._lanes[tuple(names)])

    def _told(self, names: Sequence[str]) -> float:
        told = self.board.room_to_tell(names)
        return told + TOLD_HIGHER if told else 0.0

    def draw_buses(self, levels: Mapping[str, float], reached: Reached, *, first: bool) -> None:
        """The lines across the page, at their levels, to what hangs on them. Those of the first
        line of panels come straight from a box.
        """
        pen = self.board.pen
        for number, name in enumerate(self.buses):
            # Nothing hangs on it in this line.
            if not reached.get(name):
                continue
            placed, y = self.board.at[name], levels[name]
            straight = first and name not in self.aside
            # Lines below the first are reached by the side of the page.
            down = MARGIN + BUS * number
            if straight:
                others = [x for far in reached if far != name for x, _ in reached[far]]
                down = _beside_all(placed.centre, others)
            start = [(down, placed.bottom if straight else self._turn(name)), (down, y)]
            if not straight:
                # Beside the links to the core, of a router.
                out = placed.right - 6 if name in self.aside else placed.centre
                start = [(out, placed.bottom), (out, start[0][1]), *start]
            for marked in (False, True):
                xs = [x for x, shown in reached[name] if shown or not marked]
                if xs:
                    tone = self.board.shared_tone(marked=marked)
                    pen.line(start, tone, name)
                    pen.line([(min([*xs, down]), y), (max([*xs, down]), y)], tone, name)

    def _turn(self, name: str) -> float:
        """Where a bus turns to the side of the page."""
        if name in self.aside:
            return self.board.at[name].bottom + 3 + _TURN * self.aside.index(name)
        return self.board.at[name].bottom + 4 + 3 * self.core.index(name)

    # --- links ------------------------------------------------------------------------------------

    def draw_links(self) -> None:
        """Links among the core and routers."""
        for names in (self.routers, self.core):
            for one, other in pairwise(names):
                self._straight(one, other)
            self._over_boxes(names)
        self._down()

    def _straight(self, one: str, other: str) -> None:
        """Links to the switch at the right."""
        pen, left, right = self.board.pen, self.board.at[one], self.board.at[other]
        for number, wire in enumerate(self.board.links(one, other)):
            y = left.y + BOX / 2 + SLOT * number
            pen.link([(left.right, y), (right.x, y)], wire)
            pen.across(wire, one, left.right, right.x, y)

    def _over_boxes(self, names: Sequence[str]) -> None:
        """Links past the switch beside one."""
        board = self.board
        lane = 0
        for one, other in dict.fromkeys(self._lanes[tuple(names)]):
            for wire in board.links(one, other):
                a, b = board.at[one], board.at[other]
                y = a.y - self._told(names) - 5 - _LANE * lane
                # Left of what is told, as long as there are not many.
                left, right = (placed.x + 3 + 2 * lane for placed in (a, b))
                board.pen.link([(left, a.y), (left, y), (right, y), (right, b.y)], wire)
                board.pen.beside(wire, one, left + 3, y - 3)
                lane += 1

    def _down(self) -> None:
        """Links from routers to the core."""
        board = self.board
        ends = dict.fromkeys(self.core, 0)
        turn = len(self.aside)
        for router in self.routers:
            a, begun = board.at[router], 0
            of_router = sum(len(board.links(router, name)) for name in self.core)
            for name in self.core:
                b = board.at[name]
                for wire in board.links(router, name):
                    begun += 1
                    x = a.x + (a.width - 12) * begun / (of_router + 1)
                    level = a.bottom + 3 + _TURN * turn
                    end = b.x + 12 + DROP * ends[name]
                    board.pen.link([(x, a.bottom), (x, level), (end, level), (end, b.y)], wire)
                    board.pen.along(wire, name, end + 4, b.y - self._above(self.core) - 6)
                    ends[name] += 1
                    turn += 1


def _beside_all(wanted: float, taken: Sequence[float]) -> float:
    """The place nearest to the wanted one at which no other line goes down."""
    ways = (wanted + _ASIDE * step for step in (0, 1, -1, 2, -2, 3, -3, 4, -4))
    return next((x for x in ways if all(abs(x - each) > 2 for each in taken)), wanted)
