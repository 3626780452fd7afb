from __future__ import annotations

from enum import StrEnum
from typing import TYPE_CHECKING, Annotated

import typer

from inkov.cli.common import (
    AsOption,
    ColourOption,
    Configs,
    Output,
    OutputOption,
    PlanOption,
    QuietOption,
    Report,
    ReportOption,
    Session,
    SwitchOption,
    fail,
    nearest,
    start,
)
from inkov.cli.exits import ALL_WELL, FINDINGS

if TYPE_CHECKING:
    from inkov.checks import Audit, Rule, Severity


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


_Rules = Annotated[
    list[str] | None,
    typer.Option("--only", metavar="RULE", help="Only this rule; can be repeated."),
]


def audit(
    configs: Configs,
    switch: SwitchOption = None,
    only: _Rules = None,
    skip: Annotated[
        list[str] | None,
        typer.Option("--skip", metavar="RULE", help="Without this rule; can be repeated."),
    ] = None,
    by: Annotated[GroupBy | None, typer.Option("--by", help="Group what is found.")] = None,
    explain: Annotated[bool, typer.Option("--explain", help="Say why it matters.")] = False,
    baseline: Annotated[
        str | None,
        typer.Option(
            "--baseline", metavar="FILE", help="Only what is new since an earlier `audit -f json`."
        ),
    ] = None,
    fail_on: Annotated[
        FailOn, typer.Option("--fail-on", help="Exit with 1 from this severity on.")
    ] = FailOn.RISK,
    plan: PlanOption = None,
    form: ReportOption = Report.TABLE,
    output: OutputOption = None,
    read_as: AsOption = None,
    quiet: QuietOption = False,
    no_colour: ColourOption = False,
) -> None:
    """All checks: what is wrong, where at both ends, and the cure."""
    from datetime import date

    from inkov.checks import CATALOGUE, Severity, rules
    from inkov.checks import audit as run
    from inkov.render.findings import findings_text

    for slug in (*(only or ()), *(skip or ())):
        if slug not in CATALOGUE:
            fail(f"no rule {slug!r}{nearest(slug, CATALOGUE)}; `inkov rules` lists them")
    known = _baseline(baseline) if baseline is not None else None
    session = start(configs, quiet, plan, read_as=read_as)
    name = session.switch(switch)
    result = run(session.fabric, session.plan, only=only or (), skip=skip or (), today=date.today())
    if name is not None:
        result.findings = [f for f in result.findings if name in {w.switch for w in f.where}]
        result.accepted = [
            (f, a) for f, a in result.accepted if name in {w.switch for w in f.where}
        ]
    gone = old = 0
    if known is not None:
        gone = len(known - {f.id for f in result.findings} - {f.id for f, _ in result.accepted})
        old = len(result.findings)
        result.findings = [f for f in result.findings if f.id not in known]
        old -= len(result.findings)
    order = list(FailOn)
    fails = {
        s
        for s in Severity
        if fail_on is not FailOn.NEVER and order.index(FailOn(s)) <= order.index(fail_on)
    }
    switches = 1 if name else len(session.fabric.campus.devices)
    view = Output(form, output, no_colour)
    chosen = [r for r in rules() if (not only or r.slug in only) and r.slug not in (skip or ())]
    text = _written(result, session, form, chosen, fails, known)
    if not text:
        locator = session.loaded.locator
        shown = findings_text(
            result, locator, view.screen, switches, by=by, only=name, explain=explain
        )
        since = (
            f"Since the baseline: {old} known and not shown, {gone} gone.\n"
            if known is not None
            else ""
        )
        text = shown + since + _unread(session)
    view.write(text)
    session.end(FINDINGS if any(f.severity in fails for f in result.findings) else ALL_WELL)


def _written(
    result: Audit,
    session: Session,
    form: Report,
    chosen: list[Rule],
    fails: set[Severity],
    known: set[str] | None,
) -> str:
    """The result in a form for other programs; "" for the table."""
    from inkov.render.exchange import findings_junit, findings_sarif
    from inkov.render.findings import findings_grid, findings_json
    from inkov.render.grid import to_csv, to_markdown
    from inkov.render.text import to_json

    locator = session.loaded.locator
    if form is Report.JSON:
        return to_json(findings_json(result, locator))
    if form is Report.CSV:
        return to_csv(findings_grid(result, locator))
    if form is Report.MARKDOWN:
        return to_markdown(findings_grid(result, locator))
    if form is Report.SARIF:
        return findings_sarif(result, chosen, locator, known)
    if form is Report.JUNIT:
        return findings_junit(result, chosen, locator, fails)
    return ""


def _baseline(path: str) -> set[str]:
    """The ids of the findings in an earlier JSON report."""
    import msgspec

    try:
        with open(path, "rb") as file:
            report = msgspec.json.decode(file.read())
        return {
            finding["id"] for part in ("findings", "accepted") for finding in report.get(part, ())
        }
    except OSError as error:
        fail(f"cannot read the baseline {path}: {(error.strerror or str(error)).lower()}")
    except (msgspec.DecodeError, KeyError, TypeError, AttributeError, RecursionError):
        fail(f"{path} is no baseline; `inkov audit CONFIGS -f json -o FILE` makes one")


def _unread(session: Session) -> str:
    """What the audit could not see: said below the findings, since silence would pass for a clean
    bill.
    """
    loaded = session.loaded
    missing = [report.file for report in loaded.reports if not report.format]
    lines = []
    if missing:
        lines.append(f"{len(missing)} file(s) not read; `inkov read` lists them.")
    unmatched = sum(report.not_understood for report in loaded.reports)
    if unmatched:
        lines.append(
            f"{unmatched} line(s) or object(s) not understood; `inkov read --unmatched` lists them."
        )
    return "".join(f"{line}\n" for line in lines)
