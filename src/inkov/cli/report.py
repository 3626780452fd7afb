from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING, Annotated

import typer

from inkov.cli.draw import drawn, title_of
from inkov.cli.options import PlannedOptions, shared
from inkov.cli.output import write_file
from inkov.cli.overview import roles_of, unread
from inkov.cli.prove import certificate_of
from inkov.cli.says import complain, fail
from inkov.cli.session import Session, spare, start

if TYPE_CHECKING:
    from inkov.campus import Origin
    from inkov.forwarding import Fabric
    from inkov.proofs.verdict import Verdict
    from inkov.render.grid import Grid
    from inkov.render.report import Excerpt, FileOf
    from inkov.survey.vlans import VlanRow

_MOST_ROWS = 10_000  # of a table
_LOSSES_UP_TO = 200  # switches
_MANY = 200  # switches, from which on a second process pays
_AROUND = 1  # lines before and after the one that is meant
_WIDEST = 180


@shared
def report(
    options: PlannedOptions,
    output: Annotated[str, typer.Option("--output", "-o", metavar="FILE", help="The page, .html.")],
    by: Annotated[str, typer.Option("--by", metavar="NAME", help="Who makes it.")] = "",
    claims: Annotated[
        bool, typer.Option("--claims", help="The claims alone, for an auditor.")
    ] = False,
) -> None:
    """One page to hand over, to people without a terminal."""
    from datetime import date

    from inkov import __version__
    from inkov.checks import audit as run
    from inkov.effects.aside import Aside
    from inkov.render.overview import overview_lines
    from inkov.render.report import Report, to_report
    from inkov.render.svg import to_svg
    from inkov.survey.overview import overview
    from inkov.survey.vlans import vlan_rows

    # A report is a page.
    if os.path.splitext(output)[1].lower() not in (".html", ".htm"):
        fail(f"--output {output}: a report ends in .html")
    if os.path.isdir(output):
        fail(f"--output {output}: a folder is there")
    session = start(options, digests=True, tells=True)
    spare(session.loaded, output)
    fabric, plan = session.fabric, session.plan
    # What an audit finds and what is proved is worked out beside, on a large campus.
    today, large = date.today(), len(fabric.campus.devices) >= _MANY
    audit_aside = Aside(lambda: run(fabric, plan, today=today), long=large)
    proofs_aside = Aside(lambda: _proved(session), long=large)
    rows = vlan_rows(fabric)
    seen = overview(fabric, roles_of(session), rows)
    drawing = "" if claims else to_svg(drawn(session), document=False)
    tables = [] if claims else list(_tables(session, rows))
    verdicts, digest = proofs_aside.result()
    audit = audit_aside.result()
    session.admit(audit.faults)
    missing = unread(session)
    person = f" by {by}" if by else ""
    page = Report(
        f"{title_of(session)}{': claims' if claims else ''}",
        f"Made on {date.today().isoformat()}{person}, with inkov {__version__}.",
        list(overview_lines(seen, audit, missing)),
        drawing,
        audit,
        len(fabric.campus.devices),
        verdicts,
        digest,
        tables,
        list(_files(session)),
        _sources(session),
        missing,
        claims,
    )
    write_file(output, to_report(page, _excerpts(session), session.locator), private=True)
    complain(f"{output} is written")
    session.end()


def _proved(session: Session) -> tuple[list[Verdict], str]:
    """What the claims come to, and the digest of their certificate."""
    from hashlib import sha256

    from inkov.proofs import prove
    from inkov.render.text import to_json

    verdicts = prove(session.fabric, session.plan, unread=session.unread)
    certificate = to_json(certificate_of(session, verdicts, None)).encode()
    return verdicts, sha256(certificate).hexdigest()


def _tables(session: Session, vlans: list[VlanRow]) -> Iterator[tuple[str, list[Grid]]]:
    """VLANs, ports, trunks, who reaches whom, the tree, and what losses do."""
    from inkov.forwarding.trees.active import are_stated
    from inkov.forwarding.trees.loss import Kind, all_losses
    from inkov.forwarding.trees.losses import Losses
    from inkov.forwarding.trees.spanning import spanning_trees
    from inkov.proofs.matrix import matrix
    from inkov.render.listings import ports_grid, trunks_grid, vlans_grid
    from inkov.render.proofs import matrix_grid
    from inkov.render.trees import trees_grid
    from inkov.render.withstand import losses_grid
    from inkov.survey.ports import port_rows
    from inkov.survey.trees import distinct_trees, tree_row
    from inkov.survey.trunks import trunk_rows
    from inkov.survey.withstand import loss_rows

    fabric, locator = session.fabric, session.locator
    yield "VLANs", [_limited(vlans_grid(vlans, locator))]
    wanted = session.plan.wanted(fabric.campus.devices)
    yield "Trunks", [_limited(trunks_grid(trunk_rows(fabric, None, wanted), locator))]
    # A page of more rows opens nowhere.
    if sum(len(device.ports) for device in fabric.campus.devices.values()) > _MOST_ROWS:
        yield "Ports (those that are alike together)", [_limited(_alike(fabric))]
    else:
        yield "Ports", [ports_grid(port_rows(fabric), locator)]
    small = len(fabric.campus.devices) <= _LOSSES_UP_TO
    # Trials of a large campus would take minutes.
    if small:
        from inkov.levels import Level

        yield "Who reaches whom", [matrix_grid(matrix(fabric, session.plan, Level.HONEST))]
    # Without trees there is nothing to tell of them.
    if not are_stated(fabric):
        return
    trees = spanning_trees(fabric)
    rows = [tree_row(fabric, t, v, None, seen_only=True) for v, t in distinct_trees(fabric, trees)]
    yield "Spanning trees", [_limited(trees_grid(rows, locator))]
    if small:
        losses = Losses(fabric, trees)
        loss_table, counts = loss_rows(losses, all_losses(fabric, [Kind.LINK, Kind.SWITCH]))
        yield "What each loss does", [losses_grid(loss_table, counts, [], locator)]


def _alike(fabric: Fabric) -> Grid:
    """The ports of a large campus, those of a switch that are alike in one row."""
    from inkov.render.listings import ports_grid
    from inkov.render.text import runs_in_words
    from inkov.survey.ports import alike_rows

    groups = alike_rows(fabric)
    for row, names in groups:
        row.port = runs_in_words(names, len(names))
    return ports_grid([row for row, _ in groups])


def _limited(grid: Grid) -> Grid:
    # Too long for a page: said below.
    if len(grid.rows) > _MOST_ROWS:
        grid.notes.append(f"{len(grid.rows) - _MOST_ROWS} more rows are left out here.")
        del grid.rows[_MOST_ROWS:]
    return grid


def _files(session: Session) -> Iterator[FileOf]:
    from datetime import UTC, datetime

    from inkov.render.report import FileOf

    for report in session.loaded.reports:
        try:
            changed = datetime.fromtimestamp(os.path.getmtime(report.file), UTC).date().isoformat()
        except (OSError, OverflowError, ValueError):
            # A date that no calendar has.
            changed = ""
        yield FileOf(report.file, report.format or report.remark, changed, report.digest)


def _sources(session: Session) -> str:
    """How many of the switches with two sources are the same by both."""
    from inkov.forwarding.sources import Agreement, compared

    campus = session.fabric.campus
    agrees = 0
    for second in campus.others:
        first = campus.devices.get(second.name)
        if first is not None and all(
            one.agreement is Agreement.AGREES for one in compared(first, second)
        ):
            agrees += 1
    # Nobody to compare.
    if not campus.others:
        return ""
    return (
        f"Two sources describe {len(campus.others)} of the switches;"
        f" on {agrees} of {len(campus.others)} both say the same."
    )


def _excerpts(session: Session) -> Callable[[Origin], Excerpt | None]:
    """The lines around a place, secrets left out."""
    from inkov.campus.secrets import without_secrets, words_before_secrets
    from inkov.render.report import Excerpt

    known: dict[str, tuple[list[str], frozenset[str]]] = {}

    def lines_of(file: str) -> tuple[list[str], frozenset[str]]:
        if file not in known:
            try:
                with open(file, encoding="utf-8-sig", errors="replace") as opened:
                    lines = opened.read().splitlines()
            except OSError:
                lines = []
            known[file] = lines, words_before_secrets(lines)
        return known[file]

    def excerpt(origin: Origin) -> Excerpt | None:
        number = session.locator.line(origin)
        lines, words = lines_of(origin.file) if origin.file and number else ([], frozenset[str]())
        # A place without a line, or beyond the end of the file.
        if not 0 < number <= len(lines):
            return None
        first, last = max(1, number - _AROUND), min(len(lines), number + _AROUND)
        shown = [
            (n, without_secrets(lines[n - 1], words)[:_WIDEST]) for n in range(first, last + 1)
        ]
        return Excerpt(shown, number)

    return excerpt
