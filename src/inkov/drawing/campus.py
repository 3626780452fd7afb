"""The campus in layers: core above, access below, blocks side by side, each link once.

## Theory of operation

Lines that run freely between boxes cross and hide each other from a dozen switches on. So links
run as in a building: from each core switch a *bus* goes across the page, from a bus *drops* go down
to distribution switches, and from these a *rail* goes down along the list of their switches, with a
short *stub* to each. On a stub there is room for what one compares: the ports at both ends, the
VLANs that cross. Every line belongs to one switch above, so one sees what hangs on what; two rails,
one at each side of a list, are two ways. Links that fit into none of this (between
blocks, say) are told by name at both ends. No line runs through a box, and no text over another.

The top of the page is drawn by `top`, what stands below it by `lists`, both on one `board`.
"""

from __future__ import annotations

from collections.abc import Sequence

from inkov.drawing.board import BUS, Board
from inkov.drawing.lists import Lists
from inkov.drawing.pen import MARGIN, Look, port_in_short
from inkov.drawing.shapes import Drawing
from inkov.drawing.top import Top
from inkov.drawing.wires import Wire
from inkov.survey.roles import Roles

__all__ = ["Look", "draw_campus"]

_NARROWEST = 420.0
_SCREEN = 1440.0


def draw_campus(
    roles: Roles, wires: Sequence[Wire], outside: Sequence[tuple[str, str, str]], look: Look
) -> Drawing:
    """A drawing of a campus. `outside` are neighbours without a file: (switch, port, name)."""
    board = Board(roles, wires, outside, look)
    # What is told at a switch needs room, so this comes before all measures.
    _tag_what_fits_nowhere(board)
    lists = Lists(board)
    top, sizes = Top(board, lists.above), lists.sizes
    lines = _in_lines(sizes)
    width = max([sum(sizes[n][0] for n in line) for line in lines] + [top.width, _NARROWEST])
    # Buses that come down at the side of the page need room there.
    side = BUS * len(top.buses) if len(lines) > 1 or top.aside else 0.0
    y = top.place(MARGIN + side, width)
    for number, line in enumerate(lines):
        buses = {name: y + 12 + BUS * n for n, name in enumerate(top.buses)}
        below = y + 12 + BUS * len(top.buses)
        x = MARGIN + side + (width - sum(sizes[n][0] for n in line)) / 2
        reached: dict[str, list[tuple[float, bool]]] = {}
        # Panels side by side, as low as the highest of them.
        for n in line:
            lists.draw(n, x, below, buses, reached)
            x += sizes[n][0]
        top.draw_buses(buses, reached, first=number == 0)
        y = below + max(sizes[n][1] for n in line) + 18
    top.draw_links()
    drawing = board.pen.drawing
    drawing.width = width + side + 2 * MARGIN
    board.pen.legend(y)
    return drawing


def _in_lines(sizes: Sequence[tuple[float, float]]) -> list[list[int]]:
    """The panels in lines below each other."""
    area = sum(width * (height + 60) for width, height in sizes)
    # About as wide as a screen, or wider where the page would become a ribbon.
    widest = max(_SCREEN, (area * 1.6) ** 0.5)
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


def _tag_what_fits_nowhere(board: Board) -> None:
    """Links between blocks, told by name at both ends."""
    above = {*board.core, *board.routers}
    panel_of: dict[str, int] = {}
    heads: set[str] = set()
    for number, panel in enumerate(board.panels):
        panel_of |= dict.fromkeys((*panel.heads, *(r.name for r in panel.rows)), number)
        heads |= set(panel.heads)
    for one, other in sorted(board.between):
        # Among the core and routers all links are drawn.
        if one in above and other in above:
            continue
        pair = {one, other}
        if pair & above:
            # Exactly one end is above: drawn, if the other one is a head, or a row without
            # heads.
            [low] = pair - above
            headless = low in panel_of and not board.panels[panel_of[low]].heads
            router = bool(pair & set(board.routers))
            if (low in heads or headless) and not (router and low in heads):
                continue
        elif panel_of.get(one) == panel_of.get(other) and not pair <= heads:
            # Within one panel: drawn between its rows, or between heads that stand side by
            # side.
            continue
        elif pair <= heads and panel_of[one] == panel_of[other]:
            near = board.panels[panel_of[one]].heads
            if abs(near.index(one) - near.index(other)) == 1:
                continue
        for wire in board.links(one, other):
            for own, far in ((wire.a, wire.b), (wire.b, wire.a)):
                name = board.folded_in.get(own.device, own.device)
                text = f"{port_in_short(own.port)} to {far}: {board.pen.in_one(wire)}"
                board.tags.setdefault(name, []).append(text)
