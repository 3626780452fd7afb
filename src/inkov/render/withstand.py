"""What losses do, as a table and as values."""

from __future__ import annotations

from typing import Any

from inkov.readers import Locator
from inkov.render.grid import Column, Grid
from inkov.render.text import brief, plain
from inkov.survey.withstand import LossRow, Survived, summary
from inkov.vlanset import VlanSet

__all__ = ["losses_grid", "losses_value"]

_SHOWN = 4


def losses_value(
    rows: list[LossRow], counts: list[Survived], remarks: list[str], locator: Locator
) -> dict[str, Any]:
    """The rows as JSON has them, and how many losses may happen."""
    return {
        "losses": [plain(row, locator) for row in rows],
        "survived": sum(one.survived for one in counts),
        "tried": sum(one.tried for one in counts),
        "kinds": [plain(one, locator) for one in counts],
        "remarks": remarks,
    }


def losses_grid(
    rows: list[LossRow], counts: list[Survived], remarks: list[str], locator: Locator
) -> Grid:
    columns = [
        Column("Lost"),
        Column("Ports", right=True),
        Column("VLANs apart"),
        Column("Fell off"),
        Column("Cut off"),
        Column("Why there is no spare"),
        Column("Said at", spare=True),
    ]
    grid = Grid(columns, blocks=True)
    for row in rows:
        vids = str(VlanSet.from_vids(map(int, row.vlans))) if row.vlans else ""
        gateway = f"no gateway in {row.routerless}" if row.routerless != "none" else ""
        unrouted = f"{row.unrouted} not routed" if row.unrouted != "none" else ""
        switches = dict.fromkeys(
            name for fallen in row.vlans.values() for part in fallen.islands for name in part
        )
        grid.add(
            row.name,
            str(row.ports),
            "; ".join(filter(None, (vids, gateway, unrouted))),
            _some(list(switches)),
            _some(row.cut),
            row.because,
            brief(row.origin, locator),
            marked=(1,) if row.ports else (),
        )
        grid.notes += [f"Without {row.name}: {claim}" for claim in row.claims]
    grid.notes += remarks
    grid.notes.append(summary(counts))
    return grid


def _some(names: list[str]) -> str:
    """Names, the first few of many."""
    if len(names) <= _SHOWN:
        return ", ".join(names)
    return f"{', '.join(names[:_SHOWN])} and {len(names) - _SHOWN} more"
