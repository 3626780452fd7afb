"""Every link with both ends on one row, the evidence for it, and what the reports leave open."""

from __future__ import annotations

from msgspec import Struct, field

from inkov.campus import Origin
from inkov.forwarding import Fabric
from inkov.wiring import Link

__all__ = ["LinkRow", "Witnessed", "link_rows"]


class Witnessed(Struct):
    """One piece of evidence: what it is, and where it stands."""

    says: str
    origin: Origin


class LinkRow(Struct):
    """A link (`b` filled), a neighbour outside the files, or a report that leads nowhere.

    `kind`: link, bundle, outside, stray. `remarks` says what is odd about it.
    """

    kind: str
    a: str
    b: str
    state: str
    evidence: list[Witnessed] = field(default_factory=list)
    remarks: list[str] = field(default_factory=list)


def link_rows(fabric: Fabric, switch: str | None = None) -> list[LinkRow]:
    """All links, then neighbours outside, then strays (those that touch `switch`, if given)."""
    wiring = fabric.wiring
    disputed = {
        link: str(conflict.near) for conflict in wiring.conflicts for link in conflict.links
    }
    rows = []
    for number, link in enumerate(wiring.links):
        # Only links that touch the switch.
        if switch is not None and switch not in (link.a.device, link.b.device):
            continue
        row = LinkRow(
            "bundle" if _bundled(link) else "link",
            str(link.a),
            str(link.b),
            "up" if fabric.link_up[number] else "shut",
        )
        for evidence in link.evidence:
            says = f"heard by {evidence.by}" if evidence.by else "cabling table"
            # Told as the report writes it, where the name differs.
            if evidence.spelled:
                says += f" (as {evidence.spelled!r})"
            row.evidence.append(Witnessed(says, evidence.origin))
        if link.one_sided:
            silent = link.b.device if link.a.device in link.seen_by else link.a.device
            row.remarks.append(f"not confirmed by {silent}")
        if link in disputed:
            row.remarks.append(f"reports disagree about {disputed[link]}")
        rows.append(row)
    for report in wiring.outside:
        if switch in (None, report.near.device):
            witness = Witnessed(f"heard by {report.near.device}", report.origin)
            far = f"{report.far}:{report.far_port}"
            rows.append(
                LinkRow("outside", str(report.near), far, "", [witness], ["not among the files"])
            )
    for stray in wiring.strays:
        if switch in (None, stray.near.device):
            rows.append(
                LinkRow(
                    "stray",
                    str(stray.near),
                    "",
                    "",
                    [Witnessed("report", stray.origin)],
                    [stray.says],
                )
            )
    return rows


def _bundled(link: Link) -> bool:
    # A bundle's end is no end of its cables.
    return any((link.a, link.b) != pair for pair in link.cables)
