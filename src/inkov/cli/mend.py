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
from inkov.words import counted

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


class _Mending(NamedTuple):
    """What is to change, what tells the harm of a part of it, and whether something is not met.
    `unsaid` has no place in a diff or in commands, and is said beside these.
    """

    told: Result
    edits: list[Edit]
    harm_of: Callable[[list[Edit]], str]
    unmet: bool
    unsaid: list[str]


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
        typer.Option(
            "--as-planned", help="Make true what the plan says: VLANs (on, gateways), uplinks."
        ),
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

    from inkov.checks import CATALOGUE

    # Two forms at once could not be told apart.
    if diff and commands:
        fail("--diff and --commands are two ways to tell one thing: take one")
    how = _How(diff, write, commands)
    for slug in rule or ():
        if slug not in CATALOGUE:
            fail(f"no rule {slug!r}{nearest(slug, CATALOGUE)}")
    # Nothing would be mended.
    if fail_on is FailOn.NEVER:
        fail("--fail-on never: then there is nothing to mend")
    session = start(options, tells=True)
    today = date.today()
    # One goal at a time.
    if claim is not None:
        if rule or finding or as_planned:
            fail("--claim is a goal of its own: leave out --rule, --finding and --as-planned")
        mending = _claim(session, claim, today)
    elif as_planned:
        if rule or finding:
            fail("--as-planned is a goal of its own: leave out --rule and --finding")
        mending = _as_planned(session, today)
    else:
        mending = _findings(session, fail_on, rule, finding, today)
    written = _tell(session, options, mending, how)
    # What has no place in a diff is said beside it.
    if how.brief:
        for says in mending.unsaid:
            complain(says)
    session.end(FINDINGS if mending.unmet or not written else ALL_WELL)


def _findings(
    session: Session,
    fail_on: FailOn,
    rules: list[str] | None,
    ids: list[str] | None,
    today: date,
) -> _Mending:
    """Mend what an audit finds, or some of it."""
    from inkov.checks import Severity
    from inkov.checks import audit as run
    from inkov.mend.findings import mend_findings
    from inkov.mend.staying import CLEANING, staying
    from inkov.render.mend import mend_result

    findings = run(session.fabric, session.plan, today=today).findings
    known = {finding.id for finding in findings}
    for identity in ids or ():
        # A finding that is not there cannot be mended.
        if identity not in known:
            fail(f"no finding {identity!r}{nearest(identity, known)}")
    worst = Severity(fail_on).rank
    goals = [
        finding
        for finding in findings
        if finding.severity.rank <= worst
        and (not rules or finding.rule in rules)
        and (not ids or finding.id in ids)
    ]
    mended = mend_findings(session.loaded.campus, session.plan, goals, today)
    unsaid = []
    # What is left is counted, where it has no place.
    if mended.unmet:
        left = "1 finding is" if len(mended.unmet) == 1 else f"{len(mended.unmet)} findings are"
        unsaid = [f"{left} left, each with the reason without --diff or --commands"]
    # Who cleans up asks what may not go.
    cleans = CLEANING & set(rules or ())
    stays = list(staying(session.fabric, session.plan)) if cleans else []
    return _Mending(
        mend_result(mended, session.locator, stays),
        mended.edits,
        mended.harm_of,
        bool(mended.unmet),
        unsaid,
    )


def _claim(session: Session, number: int, today: date) -> _Mending:
    """Make a claim of the plan true."""
    from inkov.mend.claims import HOLDS, mend_claim
    from inkov.render.mend import claim_result

    claims = session.plan.says.claims
    # Claims are counted from one.
    if not 1 <= number <= len(claims):
        fail(f"--claim {number}: the plan has {len(claims)} claims")
    goal, mended = mend_claim(session.fabric, session.plan, claims[number - 1], today)
    return _Mending(
        claim_result(goal, mended, session.locator),
        mended.edits,
        mended.harm_of,
        not goal.edits and goal.says != HOLDS,
        [] if goal.edits else [f"nothing to change for {goal.claim}: {goal.says}"],
    )


def _as_planned(session: Session, today: date) -> _Mending:
    """Make the plan true."""
    from inkov.mend.intentions import mend_plan
    from inkov.render.mend import plan_result

    campus = session.loaded.campus
    goals, mended = mend_plan(campus, session.plan, today)
    # A plan that wants nothing would make an empty answer.
    if not (goals or mended.edits or mended.unmet):
        fail(
            "the plan wants nothing that is otherwise, and places nothing: say `on` or `gateways`"
            " of a VLAN, or `uplinks`"
        )
    unmet = [goal for goal in goals if goal.says]
    return _Mending(
        plan_result(goals, mended, session.locator),
        mended.edits,
        mended.harm_of,
        bool(unmet or mended.unmet),
        [
            *(f"not met: {goal.words}: {goal.says}" for goal in unmet),
            *(f"not met: {unmet.finding.says}: {unmet.says}" for unmet in mended.unmet),
        ],
    )


def _tell(session: Session, options: ListingOptions, mending: _Mending, how: _How) -> bool:
    """Show edits, or what they change in files, and write these; whether all could be written.
    Nothing is where a part does harm without what cannot be written.
    """
    from inkov.render.mend import diff_result

    # Files are read only where they are asked for.
    asked = how.diff or how.write is not None
    files, left = edited_files(session, mending.edits) if asked else ([], [])
    told = _steps(session, mending.edits) if how.commands else mending.told
    options.out.show(diff_result([file.diff for file in files]) if how.diff else told)
    some = [edit for file in files for edit in file.edits]
    # A part alone may do harm.
    harm = mending.harm_of(some) if files and left else ""
    for says in left:
        complain(f"not written: {says}")
    if harm:
        complain(f"the files that can be written do harm without the others: {harm}")
    # Rather nothing than a part that harms.
    if how.write is not None and harm:
        complain(f"nothing is written to {how.write}: make all these edits by hand")
    elif how.write is not None:
        write_edited(session, files, how.write)
        complain(f"{counted(len(files), 'file')} written to {how.write}")
    return not left


def _steps(session: Session, edits: list[Edit]) -> Result:
    """What to enter, in order."""
    from inkov.mend.order import in_order
    from inkov.render.mend import steps_result

    steps = in_order(session.fabric, session.plan, edits)
    return steps_result(steps, entered(session, steps), session.locator)
