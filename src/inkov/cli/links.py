from __future__ import annotations

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
    SwitchOption,
    start,
)


def links(
    configs: Configs,
    switch: SwitchOption = None,
    plan: PlanOption = None,
    form: FormatOption = Format.TABLE,
    output: OutputOption = None,
    read_as: AsOption = None,
    quiet: QuietOption = False,
    no_colour: ColourOption = False,
) -> None:
    """Each link, both ends on one line, and the evidence for it."""
    from inkov.render.listings import links_grid
    from inkov.survey.links import link_rows

    session = start(configs, quiet, plan, read_as=read_as)
    rows = link_rows(session.fabric, session.switch(switch))
    locator = session.loaded.locator
    Output(form, output, no_colour).listing(
        "links", rows, lambda: links_grid(rows, locator), session.loaded
    )
    session.end()
