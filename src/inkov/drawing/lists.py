"""The panels of a drawing of the campus: distribution switches with their drops, and below them a
list of the others, with rails at both sides and stubs from these to each switch.

Links between rows of one list run in *lanes* of their own, between the boxes and the stubs at the
right; what is said of one stands beside its lane, below the switch where it begins.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from itertools import accumulate, pairwise

from msgspec import Struct, field

from inkov.drawing.board import BOX, DROP, RAIL, SLOT, TOLD, Board, Placed
from inkov.drawing.panels import Panel, Row
from inkov.drawing.pen import text_width
from inkov.drawing.shapes import Anchor, Tone
from inkov.drawing.wires import Wire

__all__ = ["Lists"]

_STUB = 138.0
_SHORT = 64.0  # a stub of a folded row
_FALL = 64.0  # from the lowest bus to a distribution switch
_LANE = 7.0
_END = 3.0  # between two ends of lanes
_ENDS = 3  # of lanes that fit above the stubs of a row, and below them
_INDENT = 22.0  # of a row that hangs on another one
_HANGING = 12.0  # the height of what is said of a link to the row above


class _Measures(Struct):
    """What a panel needs. `left` and `right` are the switches whose rails go down at the sides of
    its list, which is `wide`. `aside` are the links between its rows, for which it has `lanes`, and
    `arriving` says how many of these end at a row. `hanging` says how many links lead to rows that
    hang on one, `hung` how many of them are drawn. `heads` and `rows` are heights.
    """

    left: Sequence[str]
    right: Sequence[str]
    stub: float
    wide: float
    aside: Mapping[str, Sequence[tuple[str, Wire]]]
    arriving: Mapping[str, int]
    hanging: Mapping[str, int]
    lanes: float
    heads: float
    rows: Sequence[float]
    width: float = 0.0
    hung: Counter[str] = field(default_factory=Counter)

    @property
    def height(self) -> float:
        return self.heads + sum(self.rows)

    def higher(self, name: str) -> tuple[float, float]:
        """How much higher a box is above and below its stubs: for ends of lanes that do not fit."""
        ends = self.arriving.get(name, 0), len(self.aside.get(name, []))
        above, below = (_END * max(0, count - _ENDS) for count in ends)
        return above, below


class Lists:
    """Draws the panels of a board."""

    def __init__(self, board: Board) -> None:
        self.board = board
        self.partners: dict[str, list[str]] = {}
        for one, other in board.between:
            self.partners.setdefault(one, []).append(other)
            self.partners.setdefault(other, []).append(one)
        self.measured = [self._measure(panel) for panel in board.panels]

    @property
    def sizes(self) -> list[tuple[float, float]]:
        """Width and height of each panel."""
        return [(measures.width, measures.height) for measures in self.measured]

    @property
    def above(self) -> set[str]:
        """The switches of the top that rails or drops come from."""
        names: set[str] = set()
        for panel, measures in zip(self.board.panels, self.measured, strict=True):
            # Drops come from the core alone, which has a bus anyway.
            names |= {*measures.left, *measures.right} if not panel.heads else set()
        return names

    # --- measures ---------------------------------------------------------------------------------

    def _measure(self, panel: Panel) -> _Measures:
        joined = self._joined(panel)
        # One rail at each side: two ways can be told apart.
        left, right = joined[0::2], joined[1::2]
        aside = self._aside(panel)
        several = [each for links in aside.values() for each in links]
        said = [
            self.board.pen.with_ports(wire, one)
            for one, links in aside.items()
            for _, wire in links
        ]
        lanes = _LANE * len(several) + text_width(said) + 10 if several else 0.0
        # Short where nothing but a number stands on the stubs.
        stub = _SHORT if all(row.folded for row in panel.rows) else _STUB
        measures = _Measures(
            left,
            right,
            stub,
            self._list_width(panel),
            aside,
            Counter(other for other, _ in several),
            Counter(row.parent for row in panel.rows for _ in self._over(row)),
            lanes,
            self._heads_height(panel, len(joined)) if panel.heads else 8.0,
            [],
        )
        measures.rows = [self._row_height(row, measures) for row in panel.rows]
        # No rail, no room for one.
        sides = [stub + RAIL * len(side) if side else 0.0 for side in (left, right)]
        heads = sum(self._head_width(name) for name in panel.heads) + sum(self._gaps(panel.heads))
        measures.width = max(sum(sides) + measures.wide + lanes, heads) + 26
        return measures

    def _joined(self, panel: Panel) -> list[str]:
        """The switches above a list that have links to its rows."""
        rows = {row.name for row in panel.rows}
        above = panel.heads or [*self.board.core, *self.board.routers]
        return [name for name in above if rows.intersection(self.partners.get(name, []))]

    def _aside(self, panel: Panel) -> dict[str, list[tuple[str, Wire]]]:
        """Links between rows of which none hangs on the other: upper row -> (lower row, link)."""
        at = {row.name: number for number, row in enumerate(panel.rows)}
        aside: dict[str, list[tuple[str, Wire]]] = {}
        for number, row in enumerate(panel.rows):
            below = [each for each in self.partners.get(row.name, []) if at.get(each, -1) > number]
            for name in sorted(below, key=at.__getitem__):
                if panel.rows[at[name]].parent != row.name:
                    links = self.board.links(row.name, name)
                    aside.setdefault(row.name, []).extend((name, wire) for wire in links)
        return aside

    def _list_width(self, panel: Panel) -> float:
        """The width of boxes with what is told below them and at their links to rows above."""
        board, widths = self.board, [0.0]
        for row in panel.rows:
            texts = row.says or [board.shown(row.name)]
            hanging = [board.pen.with_ports(wire, row.parent) for wire in self._over(row)]
            own = (
                board.box_width(texts),
                text_width(board.told(row.name)) + 24,
                text_width(hanging) + 8,
            )
            widths.append(_INDENT * row.depth + max(own))
        return max(widths)

    def _over(self, row: Row) -> list[Wire]:
        """The links to the row that a row hangs on."""
        return self.board.links(row.parent, row.name) if row.parent else []

    def _slots(self, row: Row, measures: _Measures) -> int:
        """How many links lead to a row at the side that has more of them."""
        counts = [
            sum(min(1, len(wires)) if row.folded else len(wires) for wires in side)
            for side in (
                [self.board.links(name, row.name) for name in names]
                for names in (measures.left, measures.right)
            )
        ]
        return max(1, *counts)

    def _row_height(self, row: Row, measures: _Measures) -> float:
        # Room for one line is there anyway.
        aside = len(measures.aside.get(row.name, [])) - 1
        below = TOLD * max(len(self.board.told(row.name)), aside, 0)
        over = _HANGING * len(self._over(row)) + (12 if row.folded else 0)
        return self._slots(row, measures) * SLOT + 9 + below + over + sum(measures.higher(row.name))

    def _head_width(self, name: str) -> float:
        drops = sum(len(self.board.links(name, above)) for above in self.board.core)
        return max(self.board.box_width([name]), DROP * drops)

    def _gaps(self, heads: Sequence[str]) -> list[float]:
        """The room behind each head at least: more where links or words stand in it."""
        behind = [130.0 if self.board.links(*pair) else 40.0 for pair in pairwise(heads)]
        return [
            max(gap, text_width(self.board.told(name)) + 24 - self._head_width(name))
            for name, gap in zip(heads, (*behind, 0.0), strict=False)
        ]

    def _heads_height(self, panel: Panel, rails: int) -> float:
        """From the lowest bus to the list."""
        own = self.board.tallest(panel.heads) + self.board.room_to_tell(panel.heads)
        return _FALL + own + max(26.0, 11.0 + 5 * rails)

    # --- drawing ----------------------------------------------------------------------------------

    def draw(
        self,
        number: int,
        x: float,
        below: float,
        buses: Mapping[str, float],
        reached: dict[str, list[tuple[float, bool]]],
    ) -> None:
        """A panel by its number, its left side at `x`, with what comes down from `buses`
        (name -> y); what reaches these is noted in `reached`: where, and whether it is marked.
        """
        panel, measures = self.board.panels[number], self.measured[number]
        left, right = measures.left, measures.right
        if panel.heads:
            self._heads(panel, x, below + _FALL, measures.width - 26, buses, reached)
        at = x + (RAIL * len(left) + measures.stub) * bool(left)
        rails = {name: x + RAIL * n for n, name in enumerate(left)}
        aside = at + measures.wide
        end = aside + measures.lanes + (measures.stub + RAIL * len(right)) * bool(right)
        # Right of the list rails go outwards, so that none crosses the stubs of another.
        rails |= {name: end - RAIL * n for n, name in enumerate(right)}
        lowest: dict[tuple[str, bool], float] = {}
        tops = accumulate(measures.rows, initial=below + measures.heads)
        for row, y in zip(panel.rows, tops, strict=False):
            self._row(row, measures, at, y, rails, lowest)
        # What is asked for is drawn over the rest, as far down as there is any of it.
        for (name, marked), low in sorted(lowest.items()):
            rail = rails[name]
            # From a head the rail goes down beside the list; without one it comes from a bus.
            if panel.heads:
                head = self.board.at[name]
                turn = head.bottom + 6 + 5 * list(rails).index(name)
                points = [(head.centre, head.bottom), (head.centre, turn), (rail, turn)]
            else:
                points = [(rail, buses[name])]
                reached.setdefault(name, []).append((rail, marked))
            tone = self.board.shared_tone(marked=marked)
            self.board.pen.line([*points, (rail, low)], tone, name)
        self._lanes(measures, aside + 8)

    def _heads(
        self,
        panel: Panel,
        x: float,
        y: float,
        width: float,
        buses: Mapping[str, float],
        reached: dict[str, list[tuple[float, bool]]],
    ) -> None:
        """The distribution switches of a panel, with their drops."""
        board, pen = self.board, self.board.pen
        own = [self._head_width(name) for name in panel.heads]
        gaps = self._gaps(panel.heads)
        more = (width - sum(own) - sum(gaps)) / max(1, len(own) - 1)
        tall = board.tallest(panel.heads)
        for name, wide, gap in zip(panel.heads, own, gaps, strict=True):
            board.switch(name, Placed(x, y, wide, tall))
            drops = [(above, wire) for above in board.core for wire in board.links(name, above)]
            for number, (above, wire) in enumerate(drops):
                at = x + 12 + DROP * number
                reached.setdefault(above, []).append((at, pen.tone(wire) is Tone.MARKED))
                pen.link([(at, buses[above]), (at, y)], wire)
                pen.along(wire, name, at + 4, y - 8)
            x += wide + gap + more
        # Heads that stand side by side have their links between them.
        for one, beside in pairwise(panel.heads):
            for number, wire in enumerate(board.links(one, beside)):
                a, b = board.at[one], board.at[beside]
                height = a.y + BOX / 2 + SLOT * number
                pen.link([(a.right, height), (b.x, height)], wire)
                pen.across(wire, one, a.right, b.x, height)

    def _row(
        self,
        row: Row,
        measures: _Measures,
        x: float,
        y: float,
        rails: Mapping[str, float],
        lowest: dict[tuple[str, bool], float],
    ) -> None:
        board, pen = self.board, self.board.pen
        slots, higher = self._slots(row, measures), measures.higher(row.name)
        height = BOX + SLOT * (slots - 1) + (10 if row.folded else 0) + sum(higher)
        # Beyond all boxes, what is told below them, and the lanes there is room for words again.
        beyond = x + measures.wide + measures.lanes
        x += _INDENT * row.depth
        y += _HANGING * len(self._over(row))
        placed = Placed(x, y, board.box_width(row.says or [board.shown(row.name)]), height)
        board.switch(row.name, placed, row)
        self._hanging(row, measures, placed)
        used = {True: 0, False: 0}
        for name, rail in rails.items():
            own = board.links(name, row.name)
            at_left = rail < x
            # Many links of a folded row are one line with a number.
            for wire in own[:1] if row.folded else own:
                level = y + higher[0] + BOX / 2 + SLOT * used[at_left]
                used[at_left] += 1
                # The part of a rail down to what is asked for is drawn over the rest.
                for marked in (False, pen.tone(wire) is Tone.MARKED):
                    key = name, marked
                    lowest[key] = max(lowest.get(key, 0.0), level)
                near, far = (rail, placed.x) if at_left else (placed.right, rail)
                if row.folded:
                    pen.line([(near, level), (far, level)], pen.tone_of_many(own))
                    words = f"{len(own)} links"
                    pen.text((near + far) / 2, level - 3, words, Tone.SMALL, Anchor.MIDDLE)
                    continue
                pen.link([(near, level), (far, level)], wire)
                if at_left:
                    pen.across(wire, name, near, far, level)
                else:
                    pen.across(wire, row.name, near, far, level, beyond)

    def _hanging(self, row: Row, measures: _Measures, placed: Placed) -> None:
        """The links to the row above that a row hangs on: down at its left, and into its side."""
        wires = self.board.links(row.parent, row.name) if row.parent else []
        for number, wire in enumerate(wires):
            over = self.board.at[row.parent]
            # All that hang on one row share the room at its left: the first is nearest and highest.
            measures.hung[row.parent] += 1
            part = (measures.hung[row.parent] - 0.5) / measures.hanging[row.parent]
            at = over.x + _INDENT - 3 - (_INDENT - 6) * part
            level = placed.y + placed.height * (number + 0.5) / len(wires)
            points = [(at, over.bottom), (at, level), (placed.x, level)]
            self.board.pen.link(points, wire)
            self.board.pen.beside(wire, row.parent, placed.x, placed.y - 3 - 10 * number)

    def _lanes(self, measures: _Measures, x: float) -> None:
        """Links between rows of one list, in lanes from `x` on."""
        board, arrived = self.board, Counter[str]()
        for one, links in measures.aside.items():
            for number, (other, wire) in enumerate(links):
                a, b = board.at[one], board.at[other]
                # Several begin and end apart from each other.
                start, end = a.bottom - 2.5 - _END * number, b.y + 2.5 + _END * arrived[other]
                board.pen.link([(a.right, start), (x, start), (x, end), (b.right, end)], wire)
                board.pen.beside(wire, one, x + 3, a.bottom + 10 + TOLD * number)
                arrived[other] += 1
                x += _LANE
