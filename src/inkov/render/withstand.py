"""What losses do, as a table and as values."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from inkov.readers import Locator
from inkov.render.grid import Column, Grid
from inkov.render.text import brief, plain
from inkov.survey.withstand import LossRow, Survived, summary
from inkov.vlanset import VlanSet

__all__ = ["losses_grid", "losses_value"]

_SHOWN = 4
_ROWS = 30
"""Losses that have a row of their own: those that cut most off. The others are told in lots."""

_REASONS = (
    "the spare",
    "the spanning tree blocks",
    "every way leads through",
    "there is no other",
    "no other device",
    "there is no way past",
    "all",
)
"""How the reasons why there is no spare begin: what follows are names."""


def losses_value(
    rows: list[LossRow], counts: list[Survived], remarks: list[str], locator: Locator
) -> dict[str, Any]:
    """The rows as JSON has them, and how many losses may happen."""
    return {
        "losses": [plain(row, locator) for row in rows],
        "survived": sum(kept.survived for kept in counts),
        "tried": sum(kept.tried for kept in counts),
        "kinds": [plain(kept, locator) for kept in counts],
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
    for row in rows[:_ROWS]:
        # What is apart, what has no gateway, what is not routed.
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
    # All others, in lots.
    for lot in _alike(rows[_ROWS:]):
        grid.add(*lot, "")
    breaking: dict[str, list[str]] = {}
    for row in rows:
        for claim in row.claims:
            breaking.setdefault(claim, []).append(row.name)
    for claim, names in breaking.items():
        grid.notes.append(f"The claim {claim} breaks without {_some(names, ' or ')}.")
    grid.notes += remarks
    grid.notes.append(summary(counts))
    return grid


def _alike(rows: list[LossRow]) -> Iterator[tuple[str, ...]]:
    """Losses that are told together: of one kind, for one reason, and with a VLAN or gateway as
    well or not. What each of them cuts is in the JSON.
    """
    lots: dict[tuple[object, ...], list[LossRow]] = {}
    for row in rows:
        reason = next((says for says in _REASONS if row.because.startswith(says)), row.because)
        key = row.kind, reason, bool(row.vlans), row.routerless != "none", row.unrouted != "none"
        lots.setdefault(key, []).append(row)
    for lot in lots.values():
        ports = sorted(row.ports for row in lot)
        vids = VlanSet.from_vids({int(vid) for row in lot for vid in row.vlans})
        reasons = list(dict.fromkeys(row.because for row in lot))
        begins = next((says for says in _REASONS if reasons[0].startswith(says)), reasons[0])
        # One alone goes by its name.
        several = len(lot) > 1
        yield (
            f"{len(lot)} more, each a {lot[0].kind}" if several else lot[0].name,
            str(ports[0]) if ports[0] == ports[-1] else f"{ports[0]}-{ports[-1]}",
            str(vids) if len(vids) <= _SHOWN else f"{len(vids)} VLANs",
            "",
            "",
            reasons[0] if len(reasons) == 1 else f"{begins} ...",
        )


def _some(names: list[str], between: str = ", ") -> str:
    """Names, the first few of many."""
    # Few enough to name all.
    if len(names) <= _SHOWN:
        return between.join(names)
    return f"{between.join(names[:_SHOWN])} and {len(names) - _SHOWN} more"
