from __future__ import annotations

from inkov.cli.common import (
    ColourOption,
    Configs,
    Format,
    FormatOption,
    OutputOption,
    PlanOption,
    QuietOption,
    View,
    start,
)


def read(
    configs: Configs,
    plan: PlanOption = None,
    form: FormatOption = Format.TABLE,
    output: OutputOption = None,
    quiet: QuietOption = False,
    no_colour: ColourOption = False,
) -> None:
    """What was read of each file, and what was not."""
    from inkov.render.listings import read_grid

    session = start(configs, quiet, plan, account=True)
    loaded = session.loaded
    rows = {"files": loaded.reports, "assumed": session.fabric.assumptions, "problems": loaded.campus.problems}
    View(form, output, no_colour).listing("read", rows, lambda: read_grid(loaded, session.fabric), loaded)
    session.end()
