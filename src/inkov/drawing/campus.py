"""The campus in layers: core above, access below, blocks side by side, each link once.

## Theory of operation

Lines that run freely between boxes cross and hide each other from a dozen switches on. So links
run as in a building: from each core switch a *bus* goes across the page, from a bus *drops* go down
to distribution switches, and from these a *rail* goes down along the list of their switches, with a
short *stub* to each. On a stub there is room for what one compares: the ports at both ends, the
VLANs that cross. Every line belongs to one switch above, so one sees what hangs on what; two rails,
one at each side of a list, are two ways. Links that fit into none of this (between
blocks, say) are told by name at both ends.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from msgspec import Struct

from inkov.campus import natural
from inkov.drawing.panels import Panel, Row, panels
from inkov.drawing.pen import MARGIN, TEXT_WIDTH, Look, Pen, port_in_short
from inkov.drawing.shapes import Anchor, Box, Drawing, Tone
from inkov.drawing.wires import Wire
from inkov.survey.roles import Role, Roles

__all__ = ["Look", "draw_campus"]

_BOX = 26.0  # the height of a box
_SLOT = 31.0  # of a link at a row
_STUB = 138.0
_SHORT = 64.0  # a stub of a folded row
_RAIL = 9.0  # between two rails
_DROP = 64.0  # from the lowest bus to a distribution switch
_BUS = 15.0  # between two buses
_NAME = 7.2  # the width of a character of a name
_LONGEST_NAME = 22
_TONES = {role: Tone(role.value) for role in Role}


def draw_campus(
    roles: Roles, wires: Sequence[Wire], outside: Sequence[tuple[str, str, str]], look: Look
) -> Drawing:
    """A drawing of a campus. `outside` are neighbours without a file: (switch, port, name)."""
    return _Page(roles, wires, outside, look).drawn()


class _Placed(Struct):
    """Where a switch stands."""

    x: float
    y: float
    width: float
    height: float = _BOX

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


class _Page:
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
        self.drawing = self.pen.drawing
        self.panels = panels(roles, fold=look.fold)
        self.core = roles.named(Role.CORE)
        self.routers = roles.named(Role.ROUTER)
        self.at: dict[str, _Placed] = {}
        self.folded_in: dict[str, str] = {}
        for number, panel in enumerate(self.panels):
            for row in panel.rows:
                if row.folded:
                    # Rows need names, and a folded row has none: a mark that no name begins with.
                    row.name = f"\0{number} {row.says[0]}"  # the name of no switch
                    self.folded_in |= dict.fromkeys(row.folded, row.name)
        self.between: dict[tuple[str, str], list[Wire]] = {}
        for wire in wires:
            ends = [self.folded_in.get(end.device, end.device) for end in (wire.a, wire.b)]
            # Links within a folded row are not drawn.
            if ends[0] != ends[1]:
                self.between.setdefault((min(ends), max(ends)), []).append(wire)
        self.left = dict.fromkeys(self.between)
        self.outside: dict[str, list[tuple[str, str]]] = {}
        for switch, port, name in outside:
            self.outside.setdefault(switch, []).append((port, name))
        self.tags: dict[str, list[str]] = {}

    def links(self, one: str, other: str) -> list[Wire]:
        return self.between.get((min(one, other), max(one, other)), [])

    def take(self, one: str, other: str) -> list[Wire]:
        """The links between two switches, which are drawn now."""
        self.left.pop((min(one, other), max(one, other)), None)
        return self.links(one, other)

    # --- the page ---------------------------------------------------------------------------------

    def drawn(self) -> Drawing:
        self._tag_what_fits_nowhere()
        sizes = [self._size(panel) for panel in self.panels]
        lines = self._in_lines(sizes)
        width = max(
            [sum(sizes[n][0] for n in line) for line in lines] + [self._width_of_top(), 420.0]
        )
        side = _BUS * len(self.core) if len(lines) > 1 else 0.0
        # Further lines of panels need room at the side, for the buses that come down there.
        top = self._place_top(MARGIN + side, width)
        y = top
        for line in lines:
            buses = {name: y + 12 + _BUS * n for n, name in enumerate(self.core)}
            below = y + 12 + _BUS * len(self.core)
            x = MARGIN + side + (width - sum(sizes[n][0] for n in line)) / 2
            reached: dict[str, list[tuple[float, bool]]] = {name: [] for name in self.core}
            bottom = below
            # Panels side by side, as low as the highest of them.
            for number in line:
                self._panel(self.panels[number], x, below, buses, reached)
                x += sizes[number][0]
                bottom = max(bottom, below + sizes[number][1])
            self._buses(buses, reached, first=line is lines[0])
            y = bottom + 18
        self._links_of_the_top()
        self.drawing.width = width + side + 2 * MARGIN
        self.pen.legend(y)
        return self.drawing

    def _in_lines(self, sizes: Sequence[tuple[float, float]]) -> list[list[int]]:
        """The panels in lines below each other, so that the page is about as wide as a screen."""
        area = sum(width * (height + 60) for width, height in sizes)
        # About as wide as a screen, or wider where the page would become a ribbon.
        widest = max(1440.0, (area * 1.6) ** 0.5)
        lines: list[list[int]] = []
        used = widest
        for number, (width, _) in enumerate(sizes):
            # A panel that does not fit begins a line.
            if not lines or used + width > widest:
                lines.append([])
                used = 0.0
            lines[-1].append(number)
            used += width
        return lines

    def _width_of_top(self) -> float:
        return max(len(self.core), len(self.routers), 1) * 250.0

    def _place_top(self, x: float, width: float) -> float:
        """Routers and core, and below which line they end."""
        y = MARGIN
        if self.look.title:
            self.pen.text(x, y + 4, self.look.title, Tone.TITLE)
            y += 24
        for names in (self.routers, self.core):
            if not names:
                continue
            # What is told of a switch on top stands above it: below are its lines.
            y += 11 * max((len(self._below(name)) for name in names), default=0)
            step = width / len(names)
            for number, name in enumerate(names):
                wide = self._box_width([name])
                placed = _Placed(x + step * number + (step - wide) / 2, y, wide)
                self._switch(name, placed)
            y += _BOX + (62 if names is self.routers and self.core else 22)
        return y

    def _box_width(self, names: Sequence[str]) -> float:
        longest = max((len(name) for name in names), default=0)
        return max(88.0, min(longest, _LONGEST_NAME) * _NAME + 18)

    # --- panels -----------------------------------------------------------------------------------

    def _sides(self, panel: Panel) -> tuple[list[str], list[str]]:
        """The switches whose rails go down at the left and at the right of a list."""
        above = panel.heads or [
            name
            for name in (*self.core, *self.routers)
            if any(self.links(name, row.name) for row in panel.rows)
        ]
        # One rail at each side: two ways can be told apart.
        joined = [name for name in above if any(self.links(name, row.name) for row in panel.rows)]
        return joined[0::2], joined[1::2]

    def _slots(self, row: Row, panel: Panel) -> int:
        sides = self._sides(panel)
        counts = [
            sum(1 if row.folded else len(self.links(name, row.name)) for name in side)
            for side in sides
        ]
        return max(1, *counts)

    def _row_height(self, row: Row, panel: Panel) -> float:
        height = self._slots(row, panel) * _SLOT + 9 + 11 * len(self._below(row.name))
        return height + (12 if row.parent or row.folded else 0)

    def _below(self, name: str) -> list[str]:
        """What is told below a switch."""
        note = self.look.notes.get(name)
        others = self.outside.get(name, [])
        lines = [note] if note else []
        # Two are named; more would be longer than the list.
        lines += [f"{port}: {far}, without a file" for port, far in others[:2]]
        if len(others) > 2:
            lines.append(f"and {len(others) - 2} more without a file")
        tags = self.tags.get(name, [])
        return [*lines, *tags[:4], *([f"and {len(tags) - 4} more links"] if len(tags) > 4 else [])]

    def _size(self, panel: Panel) -> tuple[float, float]:
        left, right = self._sides(panel)
        width = self._list_width(panel)
        # No rail, no room for one.
        width += (_stub(panel) + _RAIL * len(left)) * bool(left)
        width += (_stub(panel) + _RAIL * len(right)) * bool(right)
        width = max(width, sum(self._head_width(name) + 40 for name in panel.heads)) + 26
        height = sum(self._row_height(row, panel) for row in panel.rows)
        if panel.heads:
            told = max(len(self._below(name)) for name in panel.heads)
            height += _DROP + _BOX + 34 + 11 * told
        else:
            height += 20
        return width, height

    def _list_width(self, panel: Panel) -> float:
        names = [text for row in panel.rows for text in row.says or [self._shown(row.name)]]
        deepest = max((row.depth for row in panel.rows), default=0)
        told = [len(text) for row in panel.rows for text in self._below(row.name)]
        own = self._box_width(names) + 22 * deepest
        return max(own, max(told, default=0) * TEXT_WIDTH + 8)

    def _head_width(self, name: str) -> float:
        drops = sum(1 for other in self.core for _ in self.links(name, other))
        return max(self._box_width([name]), 104.0 * min(drops, 4))

    def _shown(self, name: str) -> str:
        """The name of a switch as it is written."""
        return name if len(name) <= _LONGEST_NAME else f"{name[: _LONGEST_NAME - 1]}…"

    def _panel(
        self,
        panel: Panel,
        x: float,
        below: float,
        buses: Mapping[str, float],
        reached: dict[str, list[tuple[float, bool]]],
    ) -> None:
        width = self._size(panel)[0] - 26
        y = below + 8
        if panel.heads:
            y = below + _DROP
            self._heads(panel, x, y, width, buses, reached)
            told = max(len(self._below(name)) for name in panel.heads)
            y += _BOX + 26 + 11 * told
        left, right = self._sides(panel)
        stub = _stub(panel)
        at = x + (_RAIL * len(left) + stub) * bool(left)
        rails = {name: x + _RAIL * n for n, name in enumerate(left)}
        end = at + self._list_width(panel) + (stub + _RAIL * len(right)) * bool(right)
        rails |= {name: end - _RAIL * n for n, name in enumerate(right)}
        lowest: dict[tuple[str, bool], float] = {}
        for row in panel.rows:
            self._row(row, panel, at, y, rails, lowest)
            y += self._row_height(row, panel)
        # What is asked for is drawn over the rest, as far down as there is any of it.
        for (name, marked), low in sorted(lowest.items()):
            # Right of the list rails go outwards, so that none crosses the stubs of another.
            rail = rails[name]
            # From a head the rail goes down beside the list; without one it comes from a bus.
            if panel.heads:
                head = self.at[name]
                turn = below + _DROP + _BOX + 6 + 5 * list(rails).index(name)
                points = [
                    (head.centre, head.bottom),
                    (head.centre, turn),
                    (rail, turn),
                    (rail, low),
                ]
            else:
                points = [(rail, buses.get(name, below)), (rail, low)]
                reached.setdefault(name, []).append((rail, marked))
            self.pen.line(points, self._shared_tone(marked=marked), name)
        self._beside(panel)

    def _shared_tone(self, *, marked: bool) -> Tone:
        """How a rail or a bus is drawn, which several links share."""
        # Nothing is asked for: all that is up looks alike.
        if not self.look.marks:
            return Tone.UP
        return Tone.MARKED if marked else Tone.FAINT

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
        own = [self._head_width(name) for name in panel.heads]
        gap = (width - sum(own)) / max(1, len(own) - 1) if len(own) > 1 else 0.0
        for name, wide in zip(panel.heads, own, strict=True):
            placed = _Placed(x, y, wide)
            self._switch(name, placed)
            number = 0
            for beside in self.core:
                for wire in self.take(name, beside):
                    # Four drops side by side; more stand on top of them.
                    at = placed.x + 12 + 104.0 * (number % 4)
                    marked = self.pen.tone(wire) is Tone.MARKED
                    reached.setdefault(beside, []).append((at, marked))
                    self.pen.link([(at, buses[beside]), (at, y)], wire)
                    self.pen.along(wire, name, at + 4, y - 8)
                    number += 1
            x += wide + gap
        # Heads that stand side by side have their links between them.
        for one, beside in zip(panel.heads, panel.heads[1:], strict=False):
            for number, wire in enumerate(self.take(one, beside)):
                a, b = self.at[one], self.at[beside]
                height = a.middle + 7 * number
                self.pen.link([(a.right, height), (b.x, height)], wire)
                self.pen.across(wire, one, a.right, b.x, height)

    def _row(
        self,
        row: Row,
        panel: Panel,
        x: float,
        y: float,
        rails: Mapping[str, float],
        lowest: dict[tuple[str, bool], float],
    ) -> None:
        slots = self._slots(row, panel)
        height = _BOX + _SLOT * (slots - 1) + (10 if row.folded else 0)
        x += 22 * row.depth
        # Room for the link to the row above.
        y += 12 if row.parent else 0
        placed = _Placed(x, y, self._box_width(row.says or [self._shown(row.name)]), height)
        self._switch(row.name, placed, row)
        if row.parent:
            self._hanging(row, placed)
        used = {True: 0, False: 0}
        for name, rail in rails.items():
            own = self.take(name, row.name)
            if not own:
                continue
            at_left = rail < x
            # Many links of a folded row are one line with a number.
            for wire in own[:1] if row.folded else own:
                level = y + _BOX / 2 + _SLOT * used[at_left]
                used[at_left] += 1
                # The part of a rail down to what is asked for is drawn over the rest.
                for marked in (False, self.pen.tone(wire) is Tone.MARKED):
                    key = name, marked
                    lowest[key] = max(lowest.get(key, 0.0), level)
                near, far = (rail, placed.x) if at_left else (placed.right, rail)
                if row.folded:
                    self.pen.line([(near, level), (far, level)], self.pen.tone_of_many(own))
                    words = f"{len(own)} links"
                    self.pen.text((near + far) / 2, level - 3, words, Tone.SMALL, Anchor.MIDDLE)
                    continue
                self.pen.link([(near, level), (far, level)], wire)
                self.pen.across(wire, name if at_left else row.name, near, far, level)

    def _hanging(self, row: Row, placed: _Placed) -> None:
        """The links to the row above that a row hangs on."""
        over = self.at[row.parent]
        for number, wire in enumerate(self.take(row.parent, row.name)):
            at = over.x + 9 + 6 * number
            points = [(at, over.bottom), (at, placed.middle), (placed.x, placed.middle)]
            self.pen.link(points, wire)
            self.pen.beside(wire, row.parent, placed.x, placed.y - 3 - 10 * number)

    def _beside(self, panel: Panel) -> None:
        """Links between rows of one list, at its right side."""
        names = [row.name for row in panel.rows]
        number = 0
        for one_at, one in enumerate(names):
            for beside in names[one_at + 1 :]:
                # Drawn already, or no link at all.
                if (min(one, beside), max(one, beside)) not in self.left:
                    continue
                for wire in self.take(one, beside):
                    a, b = self.at[one], self.at[beside]
                    out = max(a.right, b.right) + 8 + 7 * number
                    levels = a.bottom - 4, b.y + 4
                    points = [(a.right, levels[0]), (out, levels[0]), (out, levels[1])]
                    self.pen.link([*points, (b.right, levels[1])], wire)
                    self.pen.beside(wire, one, out + 3, (levels[0] + levels[1]) / 2 + 3)
                    number += 1

    # --- links of the top -------------------------------------------------------------------------

    def _buses(
        self,
        buses: Mapping[str, float],
        reached: Mapping[str, list[tuple[float, bool]]],
        *,
        first: bool,
    ) -> None:
        """The lines across the page, from the core to what hangs on it."""
        for number, name in enumerate(self.core):
            # Nothing hangs on it in this line.
            if not reached.get(name):
                continue
            placed, y = self.at[name], buses[name]
            # Lines below the first are reached by the side of the page.
            down = placed.centre if first else MARGIN + _BUS * number
            start = [(down, placed.bottom if first else self._turn(number)), (down, y)]
            if not first:
                start.insert(0, (placed.centre, self._turn(number)))
            for marked in (False, True):
                xs = [x for x, shown in reached[name] if shown or not marked]
                if xs:
                    tone = self._shared_tone(marked=marked)
                    self.pen.line(start, tone, name)
                    self.pen.line([(min([*xs, down]), y), (max([*xs, down]), y)], tone, name)

    def _turn(self, number: int) -> float:
        """Where the bus of a core switch turns to the side, for the lines below the first."""
        return max(self.at[name].bottom for name in self.core) + 4 + 3 * number

    def _links_of_the_top(self) -> None:
        """Links among the core and routers."""
        names = [*self.routers, *self.core]
        for at, one in enumerate(names):
            for beside in names[at + 1 :]:
                for number, wire in enumerate(self.take(one, beside)):
                    a, b = self.at[one], self.at[beside]
                    # Side by side: straight; one above the other: with a bend halfway.
                    if a.y == b.y:
                        left, right = (a, b) if a.x < b.x else (b, a)
                        y = left.middle + 9 * number
                        self.pen.line(
                            [(left.right, y), (right.x, y)], self.pen.tone(wire), wire.title
                        )
                        name = one if left is a else beside
                        self.pen.across(wire, name, left.right, right.x, y)
                        continue
                    x = a.centre + 40 * number
                    points = [(x, a.bottom), (x, (a.bottom + b.y) / 2)]
                    points += [
                        (b.centre + 40 * number, points[-1][1]),
                        (b.centre + 40 * number, b.y),
                    ]
                    self.pen.link(points, wire)
                    self.pen.along(wire, beside, points[-1][0] + 4, b.y - 6)

    def _tag_what_fits_nowhere(self) -> None:
        """Links between blocks, told by name at both ends."""
        above = {*self.core, *self.routers}
        panel_of: dict[str, int] = {}
        heads: set[str] = set()
        for number, panel in enumerate(self.panels):
            panel_of |= dict.fromkeys((*panel.heads, *(r.name for r in panel.rows)), number)
            heads |= set(panel.heads)
        for one, other in sorted(self.between):
            # Among the core and routers all links are drawn.
            if one in above and other in above:
                continue
            pair = {one, other}
            if pair & above:
                # Exactly one end is above: drawn, if the other one is a head, or a row without
                # heads.
                [low] = pair - above
                headless = low in panel_of and not self.panels[panel_of[low]].heads
                router = bool(pair & set(self.routers))
                if (low in heads or headless) and not (router and low in heads):
                    continue
            elif panel_of.get(one) == panel_of.get(other) and not pair <= heads:
                # Within one panel: drawn between its rows, or between heads that stand side by
                # side.
                continue
            elif pair <= heads and panel_of[one] == panel_of[other]:
                near = self.panels[panel_of[one]].heads
                if abs(near.index(one) - near.index(other)) == 1:
                    continue
            for wire in self.take(one, other):
                for own, far in ((wire.a, wire.b), (wire.b, wire.a)):
                    name = self.folded_in.get(own.device, own.device)
                    text = f"{port_in_short(own.port)} to {far}: {self.pen.in_one(wire)}"
                    self.tags.setdefault(name, []).append(text)

    # --- shapes -----------------------------------------------------------------------------------

    def _switch(self, name: str, placed: _Placed, row: Row | None = None) -> None:
        self.at[name] = placed
        folded = row.folded if row is not None else []
        role = self.roles.of.get(name, Role.ACCESS)
        tone = Tone.FOLDED if folded else _TONES[role]
        members = self.look.members
        # What is not in the VLAN that is asked for steps back.
        if members is not None and not ({name, *folded} & members):
            tone = Tone.FAINT
        title = ", ".join(sorted(folded, key=natural)) if folded else f"{name} ({role.value})"
        self.drawing.boxes.append(Box(placed.x, placed.y, placed.width, placed.height, tone, title))
        self.pen.seen.add(tone)
        texts = row.says if row is not None and folded else [self._shown(name)]
        text_tone = Tone.SMALL if tone is Tone.FAINT else Tone.TEXT
        first = placed.middle + 4 - 7 * (len(texts) - 1)
        for number, text in enumerate(texts):
            self.pen.text(placed.centre, first + 14 * number, text, text_tone, Anchor.MIDDLE, title)
        told = self._below(name)
        for number, text in enumerate(told):
            y = placed.bottom + 10 + 11 * number
            # Below are lines: what is told stands above.
            if name in self.core or name in self.routers:  # below are lines
                y = placed.y - 5 - 11 * (len(told) - 1 - number)
            self.pen.text(placed.x + 16, y, text, Tone.SMALL)


def _stub(panel: Panel) -> float:
    """How long the stubs of a list are: short where nothing but a number stands on them."""
    return _SHORT if all(row.folded for row in panel.rows) else _STUB
