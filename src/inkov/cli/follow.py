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
    fail,
    start,
)
from inkov.cli.exits import ALL_WELL, FINDINGS
from inkov.cli.places import assumptions, claimed, find_place, one_vlan, sendings_from
from inkov.levels import Level


def follow(
    source: Annotated[
        str, typer.Argument(metavar="A", help="Where the frame is sent: switch:port, or a host.")
    ],
    target: Annotated[str, typer.Argument(metavar="B", help="Where it is meant to arrive.")],
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
    """The way of a frame from A to B, or where and why it stops."""
    from inkov.forwarding.follow import follow as run
    from inkov.forwarding.ping import ping
    from inkov.forwarding.stations import bridge_ports_at, sent_from
    from inkov.render.follow import ping_grid, ping_json, story_grid, story_json
    from inkov.render.proofs import claims_json, with_claims

    wanted = one_vlan(vlan)
    session = start(configs, quiet, plan, read_as=read_as)
    fabric, locator = session.fabric, session.loaded.locator
    one, other = find_place(session, source), find_place(session, target)
    if one.end == other.end:
        fail(f"{source} and {target} are the same port")
    view = Output(form, output, no_colour)
    if one.host is not None and other.host is not None and wanted is None and level is Level.HONEST:
        result = ping(fabric, one.host, other.host)
        sent = [
            sent_from(fabric, place.end, Level.HONEST, place.host.vid)
            for place in (one, other)
            if place.host
        ]
        assumed = assumptions(
            session, [entry for sendings in sent for entry in sendings], Level.HONEST
        )
        claims = claimed(session, one.end, other.end)
        plain = {
            **ping_json(one.label, other.label, result, assumed, locator),
            **claims_json(claims, locator),
        }
        view.result(
            plain,
            lambda: with_claims(
                ping_grid(one.label, other.label, result, assumed, locator), claims, locator
            ),
        )
        session.end(ALL_WELL if result.works else FINDINGS)
        return
    sendings = sendings_from(session, one, level, wanted)
    assumed = assumptions(session, sendings, level)
    ports = bridge_ports_at(fabric, other.end)
    if not ports:
        fail(f"{other.label} is shut: nothing is heard there")
    stories = [run(fabric, sendings, one.end, port, level) for port in ports]
    story = next((story for story in stories if story.arrives), stories[0])
    claims = claimed(session, one.end, other.end)
    plain = {
        **story_json(one.label, other.label, story, assumed, locator),
        **claims_json(claims, locator),
    }
    view.result(
        plain,
        lambda: with_claims(
            story_grid(one.label, other.label, story, assumed, locator), claims, locator
        ),
    )
    session.end(ALL_WELL if story.arrives else FINDINGS)
