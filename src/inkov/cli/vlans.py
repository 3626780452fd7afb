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
    VlanOption,
    start,
    vlan_list,
)


def vlans(
    configs: Configs,
    switch: SwitchOption = None,
    vlan: VlanOption = None,
    plan: PlanOption = None,
    form: FormatOption = Format.TABLE,
    output: OutputOption = None,
    read_as: AsOption = None,
    quiet: QuietOption = False,
    no_colour: ColourOption = False,
) -> None:
    """Each VLAN: where it is defined, its names, ports and islands."""
    from inkov.render.listings import vlans_grid
    from inkov.survey.vlans import vlan_rows

    wanted = vlan_list(vlan)
    session = start(configs, quiet, plan, read_as=read_as)
    rows = vlan_rows(session.fabric, wanted, session.switch(switch))
    Output(form, output, no_colour).listing(
        "vlans", rows, lambda: vlans_grid(rows, session.loaded.locator), session.loaded
    )
    session.end()
