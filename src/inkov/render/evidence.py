"""How a dialect reads its texts: what is doubtful, and what another source says otherwise."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence

from inkov.forwarding.sources import Agreement
from inkov.readers import FileReport, Locator
from inkov.readers.dialects.sanity import Doubt
from inkov.render.grid import Column, Grid
from inkov.render.results import Result
from inkov.render.text import brief, plain
from inkov.survey.evidence import Evidence, EvidenceRow
from inkov.words import counted

__all__ = ["evidence_result"]

_SIDES = {
    Agreement.DIFFERS: "otherwise in the text",
    Agreement.ONLY_FIRST: "in the text only",
    Agreement.ONLY_OTHER: "not in the text",
}


def evidence_result(
    reports: Sequence[FileReport],
    doubts: Sequence[Doubt],
    held: Evidence | None,
    locator: Locator,
) -> Result:
    """The result of a check: the texts that were read, what is doubtful about it, and what another
    source (`held`, if there is one) says.
    """

    def value() -> dict[str, object]:
        counts = ("understood", "without_meaning", "not_understood")
        files = [{"file": r.file, **{name: getattr(r, name) for name in counts}} for r in reports]
        shown: dict[str, object] = {"files": files, "doubts": plain(list(doubts), locator)}
        # Without another source there is nothing to compare.
        if held is not None:
            shown |= {"compared": plain(held.rows, locator), "not_in_other": held.missing}
        return shown

    def grids() -> list[Grid]:
        doubtful = _doubts_grid(reports, doubts, locator)
        return [doubtful] if held is None else [doubtful, _held_grid(held, locator)]

    return Result(value=value, grids=grids)


def _doubts_grid(reports: Sequence[FileReport], doubts: Sequence[Doubt], locator: Locator) -> Grid:
    grid = Grid([Column("Said at", whole=True), Column("Doubtful"), Column("What to do")])
    for doubt in doubts:
        grid.add(brief(doubt.origin, locator), doubt.says, doubt.cure)
    lines = Counter[str]()
    for report in reports:
        lines["read"] += report.understood
        lines["without meaning"] += report.without_meaning
        lines["not understood"] += report.not_understood
    texts = counted(len(reports), "text")
    told = ", ".join(f"{count} {what}" for what, count in lines.items() if count)
    more = " (inkov dialect unmatched lists these)" if lines["not understood"] else ""
    grid.notes.append(f"{texts}: lines {told}{more}")
    # Only this says that nothing is doubtful.
    if not doubts:
        grid.notes.append("nothing else is doubtful")
    return grid


def _held_grid(held: Evidence, locator: Locator) -> Grid:
    grid = Grid(
        [
            Column("Where", whole=True),
            Column("By the text"),
            Column("By the other source"),
            Column("Text at"),
            Column("Other at"),
            Column("Form"),
        ],
        blocks=True,
    )
    for row in held.against:
        grid.add(
            f"{row.switch} {_name(row)}",
            row.text,
            row.other,
            brief(row.text_at, locator),
            brief(row.other_at, locator),
            " + ".join(row.forms),
            marked=(1, 2),
        )
    grid.notes += _told(held)
    return grid


def _name(row: EvidenceRow) -> str:
    return f"port {row.port}" if row.port is not None else f"VLAN {row.vlan}"


def _told(held: Evidence) -> Iterator[str]:
    for switch in held.switches:
        parts = []
        for ports, noun in ((True, "port"), (False, "VLAN")):
            counts = held.counts(switch, ports=ports)
            total = sum(counts.values())
            if total:
                others = [f"{counts[kind]} {says}" for kind, says in _SIDES.items() if counts[kind]]
                agree = f"{counts[Agreement.AGREES]} of {total} {noun}s agree"
                parts.append(", ".join([agree, *others]))
        yield f"{switch}: {'; '.join(parts) or 'nothing to compare'}"
    rows = len(held.rows)
    # Most of it differs: perhaps another switch, or another day.
    if len(held.against) * 2 > rows:
        yield "more differs than agrees: is the other source of the same switch, and of now?"
    if held.missing:
        yield f"not in the other source: {', '.join(held.missing)}"
