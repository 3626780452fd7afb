from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, NamedTuple

import typer

from inkov.cli import complete
from inkov.cli.audit import FailOn
from inkov.cli.edited import edited_files, entered, write_edited
from inkov.cli.exits import ALL_WELL, FINDINGS
from inkov.cli.options import ListingOptions, shared
from inkov.cli.says import complain, fail, nearest
from inkov.cli.session import Session, start

if TYPE_CHECKING:
    from collections.abc import Callable
    from datetime import date

    from inkov.edits import Edit
    from inkov.render.results import Result


class _How(NamedTuple):
    """How edits are told: as what changes in files, or as what to enter; and where files go."""

    diff: bool
    write: str | None
    commands: bool

    @property
    def brief(self) -> bool:
        """True if what is not mended has no place in it."""
        return self.diff or self.commands


@shared
def mend(
    options: ListingOptions,
    rule: Annotated[
        list[str] | None,
        typer.Option(
            "--rule",
            metavar="RULE",
            help="Only its findings; can be repeated.",
            autocompletion=complete.rules,
        ),
    ] = None,
    finding: Annotated[
        list[str] | None,
        typer.Option("--finding", metavar="ID", help="Only this finding; can be repeated."),
    ] = None,
    claim: Annotated[
        int | None,
        typer.Option("--claim", metavar="N", help="Make this claim of the plan true, by number."),
    ] = None,
    as_planned: Annotated[
        bool,
        typer.Option("--as-planned", help="Make true what the plan says of VLANs: on, gateways."),
    ] = False,
    fail_on: Annotated[
        FailOn,
        typer.Option("--fail-on", metavar="SEVERITY", help="The least that is to be mended."),
    ] = FailOn.NOTE,
    diff: Annotated[
        bool, typer.Option("--diff", help="What changes in the files, as a unified diff.")
    ] = False,
    write: Annotated[
        str | None,
        typer.Option("--write", metavar="DIR", help="Write the files that change to a folder."),
    ] = None,
    commands: Annotated[
        bool,
        typer.Option("--commands", help="What to enter, switch by switch, in a safe order."),
    ] = False,
) -> None:
    """The edits that mend what audit finds, all of them tried."""
    from datetime import date

    if diff and commands:
        fail("--diff and --commands are two ways to tell one thing: take one")
    how = _How(diff, write, commands)
    from inkov.checks import CATALOGUE, Severity
    from inkov.checks import audit as run
    from inkov.mend.findings import Trier, mend_findings
    from inkov.render.mend import mend_result

    for slug in rule or ():
        if slug not in CATALOGUE:
            fail(f"no rule {slug!r}{nearest(slug, CATALOGUE)}")
    if fail_on is FailOn.NEVER:
        fail("--fail-on never: then there is nothing to mend")
    session = start(options)
    today = date.today()
    if claim is not None:
        if rule or finding or as_planned:
            fail("--claim is a goal of its own: leave out --rule, --finding and --as-planned")
        _claim(session, claim, today, options, how)
        return
    if as_planned:
        if rule or finding:
            fail("--as-planned is a goal of its own: leave out --rule and --finding")
        _as_planned(session, today, options, how)
        return
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
    told = mend_result(mended, session.locator)
    trier = Trier(session.loaded.campus, session.plan, today)
    written = _tell(
        session,
        options,
        told,
        mended.edits,
        trier.harm_of,
        how,
    )
    if how.brief and mended.unmet:
        left = "1 finding is" if len(mended.unmet) == 1 else f"{len(mended.unmet)} findings are"
        complain(f"{left} left, each with the reason without --diff or --commands")
    session.end(FINDINGS if mended.unmet or not written else ALL_WELL)


def _claim(
    session: Session,
    number: int,
    today: date,
    options: ListingOptions,
    how: _How,
) -> None:
    """Make a claim of the plan true."""
    from inkov.mend.claims import HOLDS, mend_claim
    from inkov.mend.findings import Trier
    from inkov.render.mend import claim_result

    claims = session.plan.says.claims
    if not 1 <= number <= len(claims):
        fail(f"--claim {number}: the plan has {len(claims)} claims")
    goal, mended = mend_claim(session.fabric, session.plan, claims[number - 1], today)
    told = claim_result(goal, mended, session.locator)
    trier = Trier(session.loaded.campus, session.plan, today)
    written = _tell(
        session,
        options,
        told,
        mended.edits,
        lambda edits: trier.harm_of(edits, findings=False),
        how,
    )
    unmet = not goal.edits and goal.says != HOLDS
    if how.brief and not goal.edits:
        complain(f"nothing to change for {goal.claim}: {goal.says}")
    session.end(FINDINGS if unmet or not written else ALL_WELL)


def _as_planned(
    session: Session,
    today: date,
    options: ListingOptions,
    how: _How,
) -> None:
    """Make the plan true."""
    from inkov.mend.intentions import harm_of_some, mend_plan
    from inkov.render.mend import plan_result

    campus = session.loaded.campus
    goals, mended = mend_plan(campus, session.plan, today)
    if not goals:
        fail("the plan places no VLAN: say `on` or `gateways` of one")
    written = _tell(
        session,
        options,
        plan_result(goals, mended, session.locator),
        mended.edits,
        lambda edits: harm_of_some(campus, session.plan, goals, edits, today),
        how,
    )
    unmet = [goal for goal in goals if goal.says]
    if how.brief:
        for goal in unmet:
            complain(f"not met: {goal.words}: {goal.says}")
    session.end(FINDINGS if unmet or not written else ALL_WELL)


def _tell(
    session: Session,
    options: ListingOptions,
    told: Result,
    edits: list[Edit],
    harm_in: Callable[[list[Edit]], str],
    how: _How,
) -> bool:
    """Show edits, or what they change in files, and write these; whether all could be written.
    Nothing is where a part does harm without what cannot be written.
    """
    from inkov.render.mend import diff_result

    asked = how.diff or how.write is not None
    files, left = edited_files(session, edits) if asked else ([], [])
    if how.commands:
        told = _steps(session, edits)
    options.out.show(diff_result([file.diff for file in files]) if how.diff else told)
    harm = harm_in([edit for file in files for edit in file.edits]) if files and left else ""
    for says in left:
        complain(f"not written: {says}")
    if harm:
        complain(f"the files that can be written do harm without the others: {harm}")
    if how.write is not None and harm:
        complain(f"nothing is written to {how.write}: make all these edits by hand")
    elif how.write is not None:
        write_edited(session, files, how.write)
        complain(f"{len(files)} file{'s' * (len(files) != 1)} written to {how.write}")
    return not left


def _steps(session: Session, edits: list[Edit]) -> Result:
    """What to enter, in order."""
    from inkov.mend.order import in_order
    from inkov.render.mend import steps_result

    steps = in_order(session.fabric, session.plan, edits)
    return steps_result(steps, entered(session, steps), session.locator)
