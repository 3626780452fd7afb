from __future__ import annotations

from enum import StrEnum
from typing import TYPE_CHECKING, Annotated

import typer

from inkov.cli import complete
from inkov.cli.exits import ALL_WELL, FINDINGS
from inkov.cli.options import ReportOptions, SwitchOption, shared
from inkov.cli.says import fail, nearest
from inkov.cli.session import Session, no_rules, start
from inkov.cli.written import read_written
from inkov.words import counted, plural

if TYPE_CHECKING:
    from collections.abc import Collection

    from inkov.checks import Audit, Severity
    from inkov.checks.baseline import Baseline


class FailOn(StrEnum):
    BREACH = "breach"
    FAULT = "fault"
    RISK = "risk"
    NOTE = "note"
    NEVER = "never"


class GroupBy(StrEnum):
    RULE = "rule"
    SWITCH = "switch"
    SEVERITY = "severity"
    VLAN = "vlan"


@shared
def audit(
    options: ReportOptions,
    switch: SwitchOption = None,
    only: Annotated[
        list[str] | None,
        typer.Option(
            "--only",
            metavar="RULE",
            help="Only this rule; can be repeated.",
            autocompletion=complete.rules,
        ),
    ] = None,
    skip: Annotated[
        list[str] | None,
        typer.Option(
            "--skip",
            metavar="RULE",
            help="Without this rule; can be repeated.",
            autocompletion=complete.rules,
        ),
    ] = None,
    by: Annotated[GroupBy | None, typer.Option("--by", help="Group what is found.")] = None,
    explain: Annotated[bool, typer.Option("--explain", help="Say why it matters.")] = False,
    whole: Annotated[
        bool,
        typer.Option("--all", help="On a terminal too: each finding by itself, worst first."),
    ] = False,
    accepted: Annotated[
        bool, typer.Option("--accepted", help="On a terminal: what the plan accepts as well.")
    ] = False,
    baseline: Annotated[
        str | None,
        typer.Option(
            "--baseline", metavar="FILE", help="Only what is new since an earlier `audit -f json`."
        ),
    ] = None,
    fail_on: Annotated[
        FailOn, typer.Option("--fail-on", help="Exit with 1 from this severity on.")
    ] = FailOn.RISK,
) -> None:
    """All checks: what is wrong, where at both ends, and the cure."""
    from datetime import date

    from inkov.checks import audit as run
    from inkov.checks import rules
    from inkov.render.findings import findings_result

    _refuse_unknown([*(only or ()), *(skip or ())])
    for option, value in (("--by", by), ("--explain", explain)):
        # Groups and reasons are for people.
        if value and options.form != "table":
            fail(f"{option} is about the text for people, not about --format {options.form}")
    # Read before the work begins: it may be no baseline.
    earlier = _baseline(baseline) if baseline is not None else None
    session = start(options, tells=True)
    # A rule that the plan names and nobody knows.
    for line in no_rules(session.plan):
        fail(line)
    name = session.switch(switch)
    result = run(session.fabric, session.plan, only=only or (), skip=skip or (), today=date.today())
    session.admit(result.faults)
    # Of one switch: what has a place there.
    if name is not None:
        _keep_switch(result, name)
    chosen = [rule for rule in rules() if not only or rule.slug in only]
    chosen = [rule for rule in chosen if rule.slug not in (skip or ())]
    since = ""
    # What a baseline has is left out, and counted.
    if earlier is not None:
        since = _keep_new(result, earlier, {rule.slug for rule in chosen}, name)
    fails = _failing(fail_on)
    options.out.show(
        findings_result(
            result,
            session.locator,
            rules=chosen,
            switches=1 if name else len(session.fabric.campus.devices),
            by=by,
            only=name,
            explain=explain,
            whole=whole or bool(only),
            accepted=accepted,
            known=earlier.knows if earlier is not None else None,
            since=since,
            fails=fails,
            after=_unread(session),
            lost=session.lost,
        )
    )
    session.end(FINDINGS if any(f.severity in fails for f in result.findings) else ALL_WELL)


def _refuse_unknown(slugs: list[str]) -> None:
    """End where a rule is named that does not exist: it would find nothing."""
    from inkov.checks import CATALOGUE

    for slug in slugs:
        if slug not in CATALOGUE:
            fail(f"no rule {slug!r}{nearest(slug, CATALOGUE)}; `inkov rules` lists them")


def _failing(fail_on: FailOn) -> set[Severity]:
    """The severities that fail: from one on, the worst first."""
    from inkov.checks import Severity

    if fail_on is FailOn.NEVER:
        return set()
    worst_first = list(FailOn)
    return {Severity(each) for each in worst_first[: worst_first.index(fail_on) + 1]}


def _keep_switch(result: Audit, name: str) -> None:
    """Leave out what has no place on a switch."""
    result.findings = [f for f in result.findings if name in {w.switch for w in f.where}]
    result.accepted = [(f, a) for f, a in result.accepted if name in {w.switch for w in f.where}]


def _keep_new(result: Audit, baseline: Baseline, rules: Collection[str], switch: str | None) -> str:
    """Leave out what a baseline has, and say how much that is."""
    every = [*result.findings, *(finding for finding, _ in result.accepted)]
    gone = baseline.gone(every, rules, switch)
    new = [finding for finding in result.findings if not baseline.knows(finding)]
    old = len(result.findings) - len(new)
    result.findings = new
    return f"{old} known from the baseline, {gone} gone since"


def _baseline(path: str) -> Baseline:
    """The findings in an earlier JSON report."""
    from inkov.checks.baseline import Baseline
    from inkov.render.findings import earlier

    made_by = "inkov audit CONFIGS -f json -o FILE"
    return read_written(path, "baseline", made_by, lambda report: Baseline(earlier(report)))


def _unread(session: Session) -> str:
    """What the audit could not see: said below the findings, since silence would pass for a clean
    bill.
    """
    reports = session.loaded.reports
    missing = sum(1 for report in reports if not report.format)
    unmatched = sum(report.not_understood for report in reports)
    # What was not read is said below the findings.
    lines = []
    if missing:
        lines.append(f"{counted(missing, 'file')} not read; `inkov read` lists them.")
    if unmatched:
        lines.append(
            f"{counted(unmatched, 'line')} or {plural(unmatched, 'object')} not understood;"
            " `inkov read --unmatched` lists them."
        )
    return "".join(f"{line}\n" for line in lines)
