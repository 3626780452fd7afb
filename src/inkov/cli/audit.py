from __future__ import annotations

from enum import StrEnum
from typing import Annotated

import typer

from inkov.cli.common import (
    AsOption,
    ColourOption,
    Configs,
    Format,
    FormatOption,
    OutputOption,
    PlanOption,
    QuietOption,
    Session,
    SwitchOption,
    View,
    fail,
    nearest,
    start,
)
from inkov.cli.exits import ALL_WELL, FINDINGS


class FailOn(StrEnum):
    BREACH = "breach"
    FAULT = "fault"
    RISK = "risk"
    NOTE = "note"
    NEVER = "never"


def audit(
    configs: Configs,
    switch: SwitchOption = None,
    only: Annotated[
        list[str] | None, typer.Option("--only", metavar="RULE", help="Only this rule; can be repeated.")
    ] = None,
    fail_on: Annotated[FailOn, typer.Option("--fail-on", help="Exit with 1 from this severity on.")] = FailOn.RISK,
    plan: PlanOption = None,
    form: FormatOption = Format.TABLE,
    output: OutputOption = None,
    read_as: AsOption = None,
    quiet: QuietOption = False,
    no_colour: ColourOption = False,
) -> None:
    """All checks: what is wrong, where at both ends, and the cure."""
    from inkov.checks import CATALOGUE
    from inkov.checks import audit as run
    from inkov.render.findings import findings_grid, findings_json, findings_text
    from inkov.render.grid import to_csv, to_markdown
    from inkov.render.text import to_json

    for slug in only or ():
        if slug not in CATALOGUE:
            fail(f"no rule {slug!r}{nearest(slug, CATALOGUE)}; `inkov rules` lists them")
    session = start(configs, quiet, plan, read_as=read_as)
    name = session.switch(switch)
    findings = [f for f in run(session.fabric, only) if name is None or name in {w.switch for w in f.where}]
    view, locator = View(form, output, no_colour), session.loaded.locator
    if form is Format.JSON:
        view.write(to_json(findings_json(findings, locator)))
    elif form is Format.CSV:
        view.write(to_csv(findings_grid(findings, locator)))
    elif form is Format.MARKDOWN:
        view.write(to_markdown(findings_grid(findings, locator)))
    else:
        text = findings_text(findings, locator, view.screen, 1 if name else len(session.fabric.campus.devices))
        view.write(text + _unread(session))
    order = [str(s) for s in FailOn]
    failing = any(order.index(f.severity) <= order.index(fail_on) for f in findings) and fail_on is not FailOn.NEVER
    session.end(FINDINGS if failing else ALL_WELL)


def _unread(session: Session) -> str:
    """What the audit could not see: said below the findings, since silence would pass for a clean bill."""
    loaded = session.loaded
    missing = [report.file for report in loaded.reports if not report.format]
    lines = []
    if loaded.campus.problems:
        lines.append(f"{len(loaded.campus.problems)} problem(s) with the input; see the error output.")
    if missing:
        lines.append(f"{len(missing)} file(s) not read; `inkov read` lists them.")
    unmatched = sum(report.not_understood for report in loaded.reports)
    if unmatched:
        lines.append(f"{unmatched} line(s) or object(s) not understood; `inkov read --unmatched` lists them.")
    return "".join(f"{line}\n" for line in lines)
