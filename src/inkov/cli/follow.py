from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import typer

from inkov.cli.exits import ALL_WELL, FINDINGS
from inkov.cli.options import LevelOption, ListingOptions, VlanOption, shared
from inkov.cli.places import (
    Place,
    assumptions,
    claimed,
    find_place,
    one_vlan,
    sendings_from,
    why_nothing,
)
from inkov.cli.says import fail
from inkov.cli.session import Session, start
from inkov.levels import Level

if TYPE_CHECKING:
    from inkov.render.results import Result


@shared
def follow(
    source: Annotated[
        str, typer.Argument(metavar="A", help="Where the frame is sent: switch:port, or a host.")
    ],
    target: Annotated[str, typer.Argument(metavar="B", help="Where it is meant to arrive.")],
    options: ListingOptions,
    level: LevelOption = Level.HONEST,
    vlan: VlanOption = None,
) -> None:
    """The way of a frame from A to B, or where and why it stops."""
    vid = one_vlan(vlan)
    session = start(options)
    start_place, end_place = find_place(session, source), find_place(session, target)
    if start_place.end == end_place.end:
        fail(f"{source} and {target} are the same port")
    both_hosts = start_place.host is not None and end_place.host is not None
    if both_hosts and vid is None and level == Level.HONEST:
        arrives, result = _ping(session, start_place, end_place)
    else:
        arrives, result = _frame(session, start_place, end_place, level, vid)
    options.out.show(result)
    session.end(ALL_WELL if arrives else FINDINGS)


def _ping(session: Session, source: Place, target: Place) -> tuple[bool, Result]:
    """What a ping between two named hosts would do."""
    from inkov.forwarding.ping import ping
    from inkov.forwarding.stations import sent_from
    from inkov.render.follow import ping_grid, ping_json
    from inkov.render.proofs import with_claims

    assert source.host is not None and target.host is not None
    fabric, locator = session.fabric, session.locator
    result = ping(fabric, source.host, target.host)
    sendings = [
        sending
        for place, host in ((source, source.host), (target, target.host))
        for sending in sent_from(fabric, place.end, Level.HONEST, host.vid)
    ]
    assumed = assumptions(session, sendings, Level.HONEST)
    claims = claimed(session, source.end, target.end)
    value = ping_json(source.label, target.label, result, assumed, locator)
    grid = ping_grid(source.label, target.label, result, assumed, locator)
    return result.works, with_claims(value, grid, claims, locator)


def _frame(
    session: Session, source: Place, target: Place, level: Level, vid: int | None
) -> tuple[bool, Result]:
    """The way of a frame between two ports: of an untagged one, unless a VLAN is named."""
    from msgspec.structs import replace

    from inkov.forwarding.follow import follow_to
    from inkov.render.follow import story_grid, story_json
    from inkov.render.proofs import with_claims

    fabric, locator = session.fabric, session.locator
    sendings = sendings_from(session, source, level, vid, untagged=True)
    assumed = assumptions(session, sendings, level)
    story = follow_to(fabric, sendings, source.end, target.end, level)
    if not sendings:
        why = why_nothing(session, source, vid)
        story.steps = [replace(story.steps[0], because=why.says, origin=why.origin)]
    claims = claimed(session, source.end, target.end)
    value = story_json(source.label, target.label, story, assumed, locator)
    grid = story_grid(source.label, target.label, story, assumed, locator)
    return story.arrives, with_claims(value, grid, claims, locator)
