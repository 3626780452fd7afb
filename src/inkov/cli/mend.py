from __future__ import annotations

from typing import Annotated

import typer

from inkov.cli.audit import FailOn
from inkov.cli.edited import edited_files, write_edited
from inkov.cli.exits import ALL_WELL, FINDINGS
from inkov.cli.options import ListingOptions, shared
from inkov.cli.says import complain, fail, nearest
from inkov.cli.session import start


@shared
def mend(
    options: ListingOptions,
    rule: Annotated[
        list[str] | None,
        typer.Option("--rule", metavar="RULE", help="Only its findings; can be repeated."),
    ] = None,
    finding: Annotated[
        list[str] | None,
        typer.Option("--finding", metavar="ID", help="Only this finding; can be repeated."),
    ] = None,
    fail_on: Annotated[
        FailOn,
        typer.Option("--fail-on", metavar="SEVERITY", help="The least that is to be mended."),
    ] = FailOn.NOTE,
    diff: Annotated[
        bool, typer.Option("--diff", help="What changes in switch sheets, as a unified diff.")
    ] = False,
    write: Annotated[
        str | None,
        typer.Option("--write", metavar="DIR", help="Write the sheets that change to a folder."),
    ] = None,
) -> None:
    """The edits that mend what audit finds, all of them tried."""
    from datetime import date

    from inkov.checks import CATALOGUE, Severity
    from inkov.checks import audit as run
    from inkov.mend.findings import mend_findings
    from inkov.render.mend import diff_result, mend_result

    for slug in rule or ():
        if slug not in CATALOGUE:
            fail(f"no rule {slug!r}{nearest(slug, CATALOGUE)}")
    if fail_on is FailOn.NEVER:
        fail("--fail-on never: then there is nothing to mend")
    session = start(options)
    today = date.today()
    found = run(session.fabric, session.plan, today=today).findings
    known = {one.id for one in found}
    for identity in finding or ():
        if identity not in known:
            fail(f"no finding {identity!r}{nearest(identity, known)}")
    worst = Severity(fail_on).rank
    goals = [
        one
        for one in found
        if one.severity.rank <= worst
        and (not rule or one.rule in rule)
        and (not finding or one.id in finding)
    ]
    mended = mend_findings(session.loaded.campus, session.plan, goals, today)
    files, left = edited_files(session, mended.edits) if diff or write is not None else ([], [])
    if diff:
        options.out.show(diff_result([file.diff for file in files]))
    else:
        options.out.show(mend_result(mended, session.locator))
    if write is not None:
        write_edited(session, files, write)
        complain(f"{len(files)} files written to {write}")
    for says in left:
        complain(f"not written: {says}")
    if left:
        session.end(FINDINGS)
    session.end(FINDINGS if mended.unmet else ALL_WELL)
