"""Spanning trees as tables: the trees, the ports of a switch, and a tree from its root down."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import groupby, pairwise
from typing import Any

from inkov.readers import Locator
from inkov.render.grid import Column, Grid
from inkov.render.text import brief, place, plain
from inkov.survey.trees import Branch, TreeRow

__all__ = ["branches_grid", "tree_ports_grid", "trees_grid", "trees_value"]


def trees_value(rows: list[TreeRow], locator: Locator) -> dict[str, Any]:
    """The rows as JSON has them."""
    return {"trees": [plain(row, locator) for row in rows]}


def trees_grid(rows: list[TreeRow], locator: Locator) -> Grid:
    columns = [
        Column("VLANs"),
        Column("Mode"),
        Column("Root"),
        Column("Next", spare=True),
        Column("Switches", right=True),
        Column("Discarding", right=True),
        Column("Remarks"),
    ]
    grid = Grid(columns, blocks=True)
    # Nothing to show: said.
    if not rows:
        grid.notes.append("No spanning tree is there to be shown.")
    for row in rows:
        mode = f"{row.mode}, instance {row.instance}" if row.instance else str(row.mode)
        remarks = [remark.says for remark in row.remarks]
        # Seen by devices otherwise than it should be.
        differing = sum(port.differs for port in row.ports)
        if differing:
            remarks.append(
                f"{differing} ports are seen otherwise"
                if differing > 1
                else "a port is seen otherwise"
            )
        remarks += [
            f"{root.switch} sees {root.root or root.address} as root"
            for root in row.seen_roots
            if root.differs
        ]
        # Without a circle the tree blocks nothing.
        if not row.circle:
            remarks = ["no circles: every port forwards", *remarks]
        grid.add(
            row.vlans,
            mode,
            row.root if row.root is not None else _one_of(row),
            row.next or "not known",
            str(row.switches),
            str(row.blocked),
            "; ".join(remarks[:3]) + (f"; and {len(remarks) - 3} more" if len(remarks) > 3 else ""),
            marked=(2,) if row.root is None else (),
        )
    return grid


def _one_of(row: TreeRow) -> str:
    """The switches that may be root, where chance decides."""
    # Too many to name.
    if not row.all_told or len(row.roots) > 4:
        return "left to chance"
    return f"{', '.join(row.roots[:-1])} or {row.roots[-1]}"


def tree_ports_grid(rows: list[TreeRow], locator: Locator) -> Grid:
    """The ports of the trees; the trees one after the other."""
    seen = any(
        port.seen_state is not None or port.seen_role is not None
        for row in rows
        for port in row.ports
    )
    columns = [
        Column("VLANs"),
        Column("Port", whole=True),
        Column("Role"),
        Column("State"),
        Column("Cost", right=True),
        Column("Designated", whole=True),
        *([Column("Seen")] if seen else []),
        Column("Why"),
        Column("Said at", spare=True),
    ]
    grid = Grid(columns, grouped=True)
    for row in rows:
        for port in row.ports:
            cells = [
                row.vlans,
                port.port,
                str(port.role) if port.role else " or ".join(port.roles) or "left to chance",
                str(port.state) if port.state else "left to chance",
                str(port.cost),
                f"{port.designated}:{port.designated_port}",
                *([", ".join(filter(None, (port.seen_role, port.seen_state)))] if seen else []),
                port.because,
                brief(port.origin, locator),
            ]
            grid.add(*cells, marked=(6,) if seen and port.differs else ())
    grid.notes += _differences(rows, locator)
    return grid


def _differences(rows: list[TreeRow], locator: Locator) -> Iterator[str]:
    for row in rows:
        for port in row.ports:
            # What is seen and what should be.
            if port.differs and port.seen_origin is not None:
                seen = " ".join(filter(None, (port.seen_role, port.seen_state)))
                yield (
                    f"{port.switch}:{port.port} is seen as {seen}, and should be {port.role}: a"
                    " cost or priority that no file states, a link that is down or not known, or"
                    f" a setting made since ({place(port.seen_origin, locator)})"
                )


def branches_grid(rows: list[Branch], title: str) -> Grid:
    """A tree from its root down. Switches that hang alike from one are told as one row."""
    columns = [
        Column(title),
        Column("From port"),
        Column("By port"),
        Column("Cost", right=True),
        Column("Discards at"),
    ]
    grid = Grid(columns)
    deeper = {at for at, (branch, below) in enumerate(pairwise(rows)) if below.depth > branch.depth}
    numbered = list(enumerate(rows))

    def alike(item: tuple[int, Branch]) -> tuple[object, ...]:
        at, twig = item
        plain_leaf = at not in deeper and not twig.blocked
        # A switch with others below it, or a blocked port, stands alone.
        return (twig.depth, twig.cost) if plain_leaf else (at,)

    for _, group in groupby(numbered, key=alike):
        some = [branch for _, branch in group]
        first, more = some[0], len(some) - 1
        indent = "· " * first.depth
        # A few are told one by one.
        few = more < 3
        for branch in some if few else some[:1]:
            grid.add(
                f"{indent}{branch.switch}" + (f" and {more} more" if not few else ""),
                branch.above if few else f"{first.above} to {some[-1].above}",
                branch.own if few or len({x.own for x in some}) == 1 else "several",
                str(branch.cost),
                ", ".join(branch.blocked),
            )
    return grid
