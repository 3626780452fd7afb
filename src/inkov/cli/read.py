from __future__ import annotations

from typing import Annotated

import typer

from inkov.cli.common import (
    AsOption,
    ColourOption,
    Configs,
    Format,
    FormatOption,
    Output,
    OutputOption,
    PlanOption,
    QuietOption,
    start,
)
from inkov.cli.exits import ALL_WELL, FINDINGS


def read(
    configs: Configs,
    unmatched: Annotated[
        bool, typer.Option("--unmatched", help="Only what was not understood, place by place.")
    ] = False,
    strict: Annotated[
        bool,
        typer.Option(
            "--strict", help="Exit with 1 if anything that may matter was not understood."
        ),
    ] = False,
    plan: PlanOption = None,
    form: FormatOption = Format.TABLE,
    output: OutputOption = None,
    read_as: AsOption = None,
    quiet: QuietOption = False,
    no_colour: ColourOption = False,
) -> None:
    """What was read of each file, and what was not."""
    from inkov.render.listings import read_grid, unmatched_grid

    session = start(configs, quiet, plan, read_as=read_as, account=True)
    loaded = session.loaded
    view = Output(form, output, no_colour)
    lines = [line for report in loaded.reports for line in report.unmatched]
    if unmatched:
        view.listing("unmatched", lines, lambda: unmatched_grid(lines, loaded.locator), loaded)
    else:
        rows = {
            "files": loaded.reports,
            "assumed": session.fabric.assumptions,
            "problems": loaded.campus.problems,
        }
        view.listing("read", rows, lambda: read_grid(loaded, session.fabric), loaded)
    session.end(FINDINGS if strict and any(line.relevant for line in lines) else ALL_WELL)
