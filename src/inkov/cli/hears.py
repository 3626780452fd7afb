from __future__ import annotations

from typing import Annotated

import typer

from inkov.cli.common import (
    AsOption,
    ColourOption,
    Configs,
    Format,
    FormatOption,
    LevelOption,
    Output,
    OutputOption,
    PlanOption,
    QuietOption,
    VlanOption,
    start,
)
from inkov.cli.places import assumptions, claimed, find_place, one_vlan, sendings_from
from inkov.levels import Level


def hears(
    place: Annotated[
        str, typer.Argument(metavar="A", help="Where the frame is sent: switch:port, or a host.")
    ],
    configs: Configs,
    level: LevelOption = Level.HONEST,
    vlan: VlanOption = None,
    plan: PlanOption = None,
    form: FormatOption = Format.TABLE,
    output: OutputOption = None,
    read_as: AsOption = None,
    quiet: QuietOption = False,
    no_colour: ColourOption = False,
) -> None:
    """Who hears a broadcast sent at A, in which VLAN, how tagged."""
    from inkov.forwarding.stations import hears as listeners
    from inkov.render.follow import hears_grid, hears_json
    from inkov.render.proofs import claims_json, with_claims

    wanted = one_vlan(vlan)
    session = start(configs, quiet, plan, read_as=read_as)
    sender = find_place(session, place)
    sendings = sendings_from(session, sender, level, wanted)
    heard = listeners(session.fabric, sendings, level)
    assumed = assumptions(session, sendings, level)
    view = Output(form, output, no_colour)
    result = hears_json(sender.end, sendings, level, heard)
    claims = claimed(session, sender.end, None)
    locator = session.loaded.locator
    view.result(
        {**result, **claims_json(claims, locator)},
        lambda: with_claims(hears_grid(sender.label, result, assumed), claims, locator),
    )
    session.end()
