"""The layout of each listing: which row of a survey becomes which cells."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from itertools import groupby

from inkov.checks import Rule
from inkov.forwarding import Fabric
from inkov.readers import FileReport, Loaded, Locator, Unread
from inkov.readers.dialects import Dialect
from inkov.readers.dialects.sanity import doubtful_ports
from inkov.readers.dialects.shapes import ShapeGroup
from inkov.readers.trace import Fate, Traced
from inkov.render.grid import Column, Grid
from inkov.render.results import Result
from inkov.render.text import brief, place, plain, runs_in_words
from inkov.survey.links import LinkRow
from inkov.survey.ports import Membership, PortRow
from inkov.survey.trunks import TAGGED, TrunkRow
from inkov.survey.vlans import VlanRow
from inkov.vlanset import VlanSet
from inkov.words import counted

__all__ = [
    "links_grid",
    "matrix_result",
    "ports_grid",
    "read_grid",
    "rules_grid",
    "shapes_grid",
    "trace_grid",
    "trunks_grid",
    "unmatched_grid",
    "vlans_grid",
]

_LISTED = 6


def read_grid(loaded: Loaded, fabric: Fabric) -> Grid:
    """One row for each file, and below it what the campus came to."""
    grid = Grid(
        [
            Column("File", whole=True, paths=True),
            Column("Format", spare=True),
            Column("Switch"),
            Column("Read", True),
            Column("No meaning", True),
            Column("Not understood", True),
            Column("Remarks"),
        ]
    )
    for report in loaded.reports:
        counts = [report.understood, report.without_meaning, report.not_understood]
        # A table that is no configuration has nothing to count.
        shown = [str(count) for count in counts] if report.format and any(counts) else ["", "", ""]
        marked = (5,) if report.not_understood else () if report.format else (6,)
        grid.add(
            report.file,
            report.format or "-",
            ", ".join(report.devices),
            *shown,
            report.remark,
            marked=marked,
        )
    campus, wiring = loaded.campus, fabric.wiring
    ports = sum(len(device.ports) for device in campus.devices.values())
    grid.notes.append(
        f"{counted(len(loaded.reports), 'file')}: {counted(len(campus.devices), 'switch')},"
        f" {counted(ports, 'port')}, {counted(len(wiring.links), 'link')},"
        f" {counted(len(wiring.outside), 'neighbour')} outside the files"
    )
    grid.notes.append(
        f"lines, values and objects: {sum(r.understood for r in loaded.reports)} understood, "
        f"{sum(r.without_meaning for r in loaded.reports)} known and without meaning here, "
        f"{sum(r.not_understood for r in loaded.reports)} not understood"
    )
    for report in loaded.reports:
        for kind, lines in (
            ("not understood", report.unmatched),
            ("without meaning here", report.ignored),
        ):
            for line in lines:
                grid.notes.append(
                    f"{place(line.origin, loaded.locator)}: {kind}: {line.text.strip()}"
                )
    described = [device for device in campus.devices.values() if device.platform.described]
    for doubt in doubtful_ports(described):
        at = place(doubt.origin, loaded.locator)
        grid.notes.append(f"doubtful: {at}: {doubt.says} ({doubt.cure})")
    # A switch named in a table, and no file of it.
    unfiled = {host.device for host in campus.hosts if host.device not in campus.devices}
    if unfiled:
        grid.notes.append(f"hosts at switches without a file: {', '.join(sorted(unfiled))}")
    for assumption in fabric.assumptions:
        at = f"{assumption.device}:{assumption.port}: " if assumption.port else ""
        grid.notes.append(f"assumed: {at}{assumption.says}")
    return grid


def unmatched_grid(lines: list[Unread], locator: Locator) -> Grid:
    """What of the files was not understood."""
    grid = Grid([Column("Said at", whole=True), Column("Not understood")])
    for line in lines:
        grid.add(place(line.origin, locator), line.text.strip())
    total = sum(line.items for line in lines)
    grid.notes.append(
        f"{'1 line or object' if total == 1 else f'{total} lines or objects'} not understood"
        if lines
        else "everything was understood"
    )
    return grid


def trace_grid(lines: list[Traced], report: FileReport, dialects: list[Dialect]) -> Grid:
    """Each line of a file, what took it and what it says."""
    dialect = next((d for d in dialects if report.format == f"dialect {d.name}"), None)
    grid = Grid([Column("Line", True), Column("Text"), Column("Read by"), Column("Says")])
    if dialect is None:
        del grid.columns[2]
    for line in lines:
        # What was said, and what of it a later line replaced.
        says = [*line.does, *(f"but {later}" for later in line.later)]
        # A line that says nothing tells why.
        if line.fate is not Fate.READ and line.text.strip():
            says = [f"({line.fate})"] if line.fate is not Fate.NOTHING else []
        cells = [str(line.number), line.text]
        if dialect is not None:
            cells.append(" + ".join(line.forms))
        marked = bool(line.later) or line.fate is Fate.NOT_UNDERSTOOD
        grid.add(*cells, "; ".join(says), marked=(len(cells),) if marked else ())
    counts = Counter(line.fate for line in lines if line.text.strip())
    told = [f"{counts[fate]} {fate}" for fate in Fate if counts[fate] and fate is not Fate.NOTHING]
    by = f" by {dialect.file}" if dialect is not None else ""
    grid.notes.append(f"{report.file}, {report.format}{by}: {', '.join(told) or 'no lines'}")
    later = sum(bool(line.later) for line in lines)
    if later:
        grid.notes.append(f"{counted(later, 'line')} with something that does not last")
    return grid


def shapes_grid(groups: list[ShapeGroup], locator: Locator) -> Grid:
    """Lines that no form of a dialect takes, by shape."""
    grid = Grid(
        [
            Column("Lines", True),
            Column("Shape"),
            Column("First of them"),
            Column("Said at", whole=True),
        ]
    )
    for group in groups:
        grid.add(str(group.count), group.shape, group.example, place(group.origin, locator))
    total = sum(group.count for group in groups)
    grid.notes.append(
        f"{counted(total, 'line')} in {counted(len(groups), 'shape')} that no form takes"
        if groups
        else "every line is taken by a form"
    )
    return grid


def vlans_grid(rows: list[VlanRow], locator: Locator) -> Grid:
    grid = Grid(
        [
            Column("VLAN", True),
            Column("Name"),
            Column("Defined on"),
            Column("Ports", True),
            Column("Remarks"),
        ]
    )
    for row in rows:
        clashes = _clashes(row)
        name = row.names[0] if row.names else "-"
        grid.add(
            str(row.vlan),
            name,
            _defined_on(row),
            str(row.ports),
            "; ".join([*clashes, *_peculiar(row)]),
            marked=(1, 4) if clashes else (),
        )
    grid.notes += _breaks(rows, locator)
    return grid


def _clashes(row: VlanRow) -> list[str]:
    """What is not as it should be about a VLAN."""
    remarks = []
    # Two names for one VLAN: perhaps two VLANs.
    for name in row.names[1:]:
        where = ", ".join(at.switch for at in row.at if at.name == name)
        remarks.append(f"{name!r} on {where}")
    undefined = [at.switch for at in row.at if at.defined is False]
    if undefined:
        remarks.append(f"used but not defined on {', '.join(undefined)}")
    suspended = [at.switch for at in row.at if not at.active]
    if suspended:
        remarks.append(f"suspended on {', '.join(suspended)}")
    # An area of its own for each is no break.
    if row.breaks:
        areas = max(len(row.areas), 1)
        within = f" in {areas} areas" if areas > 1 else ""
        remarks.append(f"falls into {len(row.islands)} islands{within}")
    return remarks


def _peculiar(row: VlanRow) -> Iterator[str]:
    """What is worth knowing about a VLAN, and all right."""
    # One number, used for several VLANs on purpose.
    if row.areas:
        shown = "; ".join(", ".join(area[:_LISTED]) for area in row.areas)
        yield f"{len(row.areas)} VLANs, apart by routed links: {shown}"
    # Defined, and nobody in it.
    if not row.ports and not any(at.gateway or at.defined is False for at in row.at):
        yield "no ports"


def _defined_on(row: VlanRow) -> str:
    """The switches that define a VLAN, told by whichever list is shorter."""
    defined = [at.switch for at in row.at if at.defined]
    total = len(row.at) + len(row.absent)
    if len(defined) == total:
        return f"all {total}"
    if len(row.absent) < len(defined) and len(row.absent) <= _LISTED:
        return f"all but {', '.join(row.absent)}"
    if len(defined) <= _LISTED:
        return ", ".join(defined) or "none"
    return f"{len(defined)} of {total}"


def _breaks(rows: list[VlanRow], locator: Locator) -> Iterator[str]:
    """Where VLANs fall apart: what cuts off the same switches at one place, of several VLANs, is
    one line.
    """
    groups: dict[tuple[str, ...], tuple[list[int], str]] = {}
    for row in rows:
        for gap in row.breaks:
            at = brief(gap.origin, locator)
            alike = re.sub(rf"\b{row.vlan}\b", "N", gap.says)
            vids, _ = groups.setdefault((*gap.island, alike, at), ([], f"{gap.says} ({at})"))
            vids.append(row.vlan)
    for (*island, _, _), (vids, says) in groups.items():
        switches = runs_in_words(island)
        yield f"{switches} cut off in VLAN {VlanSet.from_vids(vids)}: {says}"


def ports_grid(rows: list[PortRow], locator: Locator | None = None) -> Grid:
    """Ports, each with its line if there is a `locator`."""
    columns = [
        Column("Switch"),
        Column("Port", whole=True),
        Column("State"),
        Column("Mode"),
        Column("Untagged"),
        Column("Tagged"),
        Column("Behind"),
        *([Column("Said at", spare=True)] if locator is not None else []),
    ]
    grid = Grid(columns, grouped=True)
    for row in rows:
        # An empty cell is read faster than "none".
        untagged = "" if row.untagged == "none" else row.untagged
        tagged = "" if row.tagged == "none" else row.tagged
        grid.add(
            row.switch,
            row.port,
            row.state,
            row.mode,
            untagged,
            tagged,
            row.behind,
            *([brief(row.origin, locator)] if locator is not None else []),
            marked=(2,) if row.state == "off" else (),
        )
    return grid


def matrix_grid(rows: list[Membership]) -> Grid:
    """VLAN × port of one switch. The columns are that switch's ports."""
    ports = list(rows[0].ports) if rows else []
    columns = [
        Column("Switch"),
        Column("VLAN", True, True),
        *(Column(port, whole=True) for port in ports),
    ]
    grid = Grid(columns, grouped=True, in_pieces=True)
    for row in rows:
        grid.add(row.switch, str(row.vlan), *(mark or "·" for mark in row.ports.values()))
    return grid


def matrix_result(rows: list[Membership], locator: Locator) -> Result:
    """VLAN × port. Each switch has ports of its own, and so a table of its own."""

    def grids() -> list[Grid]:
        by_switch = groupby(rows, key=lambda row: row.switch)
        return [matrix_grid(list(group)) for _, group in by_switch]

    return Result(value=lambda: {"matrix": plain(rows, locator)}, grids=grids)


def links_grid(rows: list[LinkRow], locator: Locator) -> Grid:
    columns = [
        Column("One end", whole=True),
        Column("Other end", whole=True),
        Column("State"),
        Column("Seen by"),
        Column("Remarks"),
        Column("Said at", spare=True),
    ]
    grid = Grid(columns)
    for row in rows:
        places = dict.fromkeys(brief(e.origin, locator) for e in row.evidence)
        # A bundle that is up is as good as a link that is up.
        state = "bundle" if row.kind == "bundle" and row.state == "up" else row.state or row.kind
        grid.add(
            row.a,
            row.b,
            state,
            _witnesses(row),
            "; ".join(row.remarks),
            ", ".join(places),
            marked=(4,) if row.remarks else (),
        )
    return grid


def _witnesses(row: LinkRow) -> str:
    witnesses = dict.fromkeys(e.says for e in row.evidence)
    heard = [says for says in witnesses if says.startswith("heard by")]
    # Both ends heard each other: said once, over however many cables.
    if len({says.partition(" (as ")[0] for says in heard}) == 2:
        spelled = "".join(says[says.index(" (as ") :] for says in heard if " (as " in says)
        others = (says for says in witnesses if says not in heard)
        witnesses = dict.fromkeys([f"both ends{spelled}", *others])
    return ", ".join(says.removeprefix("heard by ") for says in witnesses)


def _both(a: str, b: str | None) -> str:
    """The values of both ends: one if they agree, else both."""
    # How an end tags is not compared with a number.
    if TAGGED in (a, b) and b is not None:
        return f"{a}, {b}"
    return a if b is None or a == b else f"{a} ≠ {b}"


def trunks_grid(rows: list[TrunkRow], locator: Locator) -> Grid:
    columns = [
        Column("One end", whole=True),
        Column("Other end", whole=True),
        Column("Mode"),
        Column("Native"),
        Column("Allowed"),
        Column("Live", spare=True),
        Column("Shared"),
        Column("Needed", spare=True),
        Column("Surplus"),
        Column("Missing"),
        Column("Said at", spare=True),
    ]
    grid = Grid(columns, blocks=True)
    for row in rows:
        a, b = row.a, row.b
        # Down, nothing crosses, whatever both ends say.
        shared = _crossing(row) if b and row.up else "shut" if b else ""
        names = ("mode", "native", "stated", "live")
        pairs = [(getattr(a, name), getattr(b, name) if b else None) for name in names]
        marked = {
            at for at, (one, other) in enumerate(pairs[:3], 2) if other is not None and one != other
        }
        marked |= {6} if row.translated else set()
        marked |= {9} if row.missing not in ("", "none") else set()
        stated_at = ", ".join(brief(end.origin, locator) for end in (a, b) if end)
        grid.add(
            f"{a.switch}:{a.port}",
            f"{b.switch}:{b.port}" if b else "nobody known",
            *(_both(*p) for p in pairs),
            shared,
            row.needed,
            row.surplus,
            row.missing,
            stated_at,
            marked=tuple(marked),
        )
    if any(row.translated for row in rows):
        grid.notes.append(
            "90 ↔ 40: VLAN 90 of the one end is joined with VLAN 40 of the other; "
            "→ and ←: one way only"
        )
    for row in rows:
        for end in (row.a, row.b):
            # What no file states has to be told.
            if end is not None and end.how != "stated":
                grid.notes.append(f"{end.switch}:{end.port} is {end.mode}: {end.how}")
    return grid


_WAYS = {"both": "↔", "a to b": "→", "b to a": "←"}


def _crossing(row: TrunkRow) -> str:
    parts = [row.shared]
    parts += [f"{leaves} {_WAYS[way]} {arrives}" for leaves, arrives, way in row.translated]
    # What crosses one way only is told by its way.
    if row.a_to_b != "none":
        parts.append(f"{row.a_to_b} →")
    if row.b_to_a != "none":
        parts.append(f"← {row.b_to_a}")
    return "; ".join(parts)


def rules_grid(rules: list[Rule]) -> Grid:
    columns = [
        Column("Family"),
        Column("Rule", whole=True),
        Column("Severity"),
        Column("What it finds"),
    ]
    grid = Grid(columns, grouped=True)
    for rule in rules:
        grid.add(rule.family, rule.slug, rule.severity, rule.what)
    return grid
