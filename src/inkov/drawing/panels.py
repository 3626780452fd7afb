"""Which switches stand together in a drawing, and below which.

The core stands on top. A block is a *panel*: its distribution switches (`heads`), and below them a
list of the others. Switches that hang on the core itself are lists of their own, with no heads. In
a list each switch is a *row*; what hangs on another row, and on no head, stands below it, moved in.
On a large campus a block is folded into one row, which says who leads it and how many there are.
"""

from __future__ import annotations

from math import ceil, sqrt

from msgspec import Struct, field

from inkov.campus import natural
from inkov.survey.roles import Block, Role, Roles

__all__ = ["Panel", "Row", "panels"]

_FEWEST = 4  # rows of a list below the core, where there are several lists
_FOLDED_FROM = 130  # switches


class Row(Struct):
    """A switch of a list. `parent` is the row that it hangs on, "" for one that hangs on a head;
    `folded` are the switches that this row stands for, which it tells in the lines `says`.
    """

    name: str
    depth: int = 0
    parent: str = ""
    folded: list[str] = field(default_factory=list)
    says: list[str] = field(default_factory=list)


class Panel(Struct):
    """Switches below their heads; without heads, below the core."""

    heads: list[str]
    rows: list[Row]


def panels(roles: Roles, *, fold: bool | None = None) -> list[Panel]:
    """The panels of a campus, in natural order, those without heads first."""
    top = {*roles.named(Role.CORE), *roles.named(Role.ROUTER)}
    folds = len(roles.of) > _FOLDED_FROM if fold is None else fold
    with_heads, loose = [], list[Row]()
    for block in roles.blocks:
        # A block without heads hangs on the core itself.
        above = set(block.heads) or top
        # Folded, a block is one row, and stands with those that hang on the core.
        if folds and len(block.switches) > 1:
            loose.append(_one(block))
            continue
        rows = _rows(roles, block.access, above)
        if block.heads:
            with_heads.append(Panel(block.heads, rows))
        else:
            loose += rows
    # A list three times as wide as a row is high: the lists side by side are about a screen.
    longest = max(_FEWEST, ceil(sqrt(3 * len(loose))))
    parts = _parts(loose, ceil(len(loose) / longest)) if loose else []
    return [*(Panel([], part) for part in parts), *with_heads]


def _one(block: Block) -> Row:
    """One row for a block."""
    names = block.heads or block.access[:1]
    shown = ", ".join(names[:2]) + (f" and {len(names) - 2} more" if len(names) > 2 else "")
    others = len(block.switches) - len(names)
    says = [shown, f"+ {others} access" if block.heads else f"+ {others} more"]
    return Row("", folded=block.switches, says=says)


def _parts(rows: list[Row], number: int) -> list[list[Row]]:
    """Rows in some parts of about one length; what hangs together stays so."""
    wanted = -(-len(rows) // number)
    parts: list[list[Row]] = [[]]
    for row in rows:
        # A part ends only where nothing hangs on its last row.
        if len(parts[-1]) >= wanted and row.depth == 0:
            parts.append([])
        parts[-1].append(row)
    return parts


def _rows(roles: Roles, names: list[str], above: set[str]) -> list[Row]:
    """The rows of a list: those that a link joins with what is above, each with what hangs on it
    behind it.
    """
    left = set(names)
    first = [name for name in names if above & set(roles.beside.get(name, ()))]
    # Nothing leads to what is above: any of them begins the list.
    first = first or names[:1]
    below: dict[str, list[str]] = {}
    work = list(first)
    left -= set(first)
    for name in work:
        for far in roles.beside.get(name, ()):
            if far in left:
                left.discard(far)
                below.setdefault(name, []).append(far)
                work.append(far)
    rows: list[Row] = []

    def put(name: str, depth: int, parent: str) -> None:
        stack = [(name, depth, parent)]
        while stack:
            own, deep, over = stack.pop()
            rows.append(Row(own, deep, over))
            stack += [(far, deep + 1, own) for far in reversed(below.get(own, []))]

    for name in sorted(first, key=natural):
        put(name, 0, "")
    # No link leads there.
    for name in sorted(left, key=natural):
        put(name, 0, "")
    return rows
