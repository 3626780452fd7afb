from __future__ import annotations

from itertools import groupby
from typing import Annotated

import typer

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
    VlanOption,
    start,
    vlan_list,
)
from inkov.cli.explain import explain


def ports(
    configs: Configs,
    switch: SwitchOption = None,
    because: BecauseOption = None,
    vlan: VlanOption = None,
    matrix: Annotated[
        bool, typer.Option("--matrix", help="VLAN × port: T tagged, U untagged, · not at all.")
    ] = False,
    plan: PlanOption = None,
    form: FormatOption = Format.TABLE,
    output: OutputOption = None,
    read_as: AsOption = None,
    quiet: QuietOption = False,
    no_colour: ColourOption = False,
) -> None:
    """Each port: its mode, its VLANs, and what is behind it."""
    from inkov.render.grid import to_csv, to_markdown
    from inkov.render.listings import matrix_grid, ports_grid
    from inkov.render.terminal import grid_text
    from inkov.survey.ports import matrix as memberships
    from inkov.survey.ports import port_rows

    wanted = vlan_list(vlan)
    session = start(configs, quiet, plan, read_as=read_as)
    if because is not None:
        explain(session, because, Output(form, output, no_colour))
        return
    view, locator = Output(form, output, no_colour), session.loaded.locator
    name = session.switch(switch)
    if not matrix:
        rows = port_rows(session.fabric, name, wanted)
        view.listing("ports", rows, lambda: ports_grid(rows, locator), session.loaded)
    elif form is Format.JSON:
        cells = memberships(session.fabric, name, wanted)
        view.listing("matrix", cells, lambda: matrix_grid(cells), session.loaded)
    else:
        # Each switch has its own ports, so each has a table of its own.
        write = {Format.CSV: to_csv, Format.MARKDOWN: to_markdown}.get(
            form, lambda g: grid_text(g, view.screen)
        )
        members = memberships(session.fabric, name, wanted)
        grids = [
            matrix_grid(list(group))
            for _, group in groupby(members, key=lambda member: member.switch)
        ]
        view.write("\n".join(write(grid) for grid in grids))
    session.end()
