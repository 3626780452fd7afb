from __future__ import annotations

from inkov.cli.common import (
    AsOption,
    BecauseOption,
    ColourOption,
    Configs,
    Format,
    FormatOption,
    Output,
    OutputOption,
    PlanOption,
    QuietOption,
    SwitchOption,
    start,
)
from inkov.cli.explain import explain


def trunks(
    configs: Configs,
    switch: SwitchOption = None,
    because: BecauseOption = None,
    plan: PlanOption = None,
    form: FormatOption = Format.TABLE,
    output: OutputOption = None,
    read_as: AsOption = None,
    quiet: QuietOption = False,
    no_colour: ColourOption = False,
) -> None:
    """Each trunk, both ends on one line, and what crosses it."""
    from inkov.render.listings import trunks_grid
    from inkov.survey.trunks import trunk_rows

    session = start(configs, quiet, plan, read_as=read_as)
    if because is not None:
        explain(session, because, Output(form, output, no_colour))
        return
    rows = trunk_rows(session.fabric, session.switch(switch), session.plan.needed)
    locator = session.loaded.locator
    Output(form, output, no_colour).listing(
        "trunks", rows, lambda: trunks_grid(rows, locator), session.loaded
    )
    session.end()
