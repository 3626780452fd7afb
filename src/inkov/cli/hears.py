from __future__ import annotations

from typing import Annotated

import typer

from inkov.cli.common import (
    AsOption,
    ColourOption,
    Configs,
    Format,
    FormatOption,
    Level,
    LevelOption,
    OutputOption,
    PlanOption,
    QuietOption,
    View,
    VlanOption,
    start,
)
from inkov.cli.places import assumptions, claimed, entries_from, find_place, one_vlan


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
    entries = entries_from(session, sender, level.value, wanted)
    heard = listeners(session.fabric, entries, level.value)
    rests = assumptions(session, entries, level.value)
    view = View(form, output, no_colour)
    result = hears_json(sender.end, entries, level.value, heard)
    claims = claimed(session, sender.end, None)
    locator = session.loaded.locator
    view.result(
        {**result, **claims_json(claims, locator)},
        lambda: with_claims(hears_grid(sender.label, result, rests), claims, locator),
    )
    session.end()
