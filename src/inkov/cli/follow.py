from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any

import typer

from inkov.cli import complete
from inkov.cli.exits import ALL_WELL, FINDINGS
from inkov.cli.options import (
    LevelOption,
    ListingOptions,
    NowOption,
    SenderArgument,
    SentVlanOption,
    shared,
)
from inkov.cli.places import (
    Place,
    assumptions,
    claimed,
    one_vlan,
    sendings_from,
    two_places,
    why_nothing,
)
from inkov.cli.session import Session, start
from inkov.levels import Level

if TYPE_CHECKING:
    from inkov.forwarding.trees.ways import InTree
    from inkov.render.results import Result


@shared
def follow(
    source: SenderArgument,
    target: Annotated[
        str,
        typer.Argument(
            metavar="B", help="Where it is meant to arrive.", autocompletion=complete.first_places
        ),
    ],
    options: ListingOptions,
    level: LevelOption = Level.HONEST,
    vlan: SentVlanOption = None,
    now: NowOption = False,
) -> None:
    """The way of a frame from A to B, or where and why it stops."""
    vid = one_vlan(vlan)
    session = start(options)
    start_place, end_place = two_places(session, source, target)
    both_hosts = start_place.host is not None and end_place.host is not None
    # Two named hosts: a ping; else a frame.
    if both_hosts and vid is None and level == Level.HONEST:
        arrives, result = _ping(session, start_place, end_place, now)
    else:
        arrives, result = _frame(session, start_place, end_place, level, vid, now)
    options.out.show(result)
    session.end(ALL_WELL if arrives else FINDINGS)


def _ping(session: Session, source: Place, target: Place, now: bool) -> tuple[bool, Result]:
    """What a ping between two named hosts would do."""
    from inkov.forwarding.ping import ping
    from inkov.forwarding.stations import sent_by
    from inkov.forwarding.trees.ways import in_tree
    from inkov.render.follow import ping_grid, ping_json
    from inkov.render.proofs import with_claims

    assert source.host is not None and target.host is not None
    fabric, locator = session.fabric, session.locator
    hosts = source.host, target.host
    answered = in_tree(
        fabric,
        lambda fabric: ping(fabric, *hosts),
        lambda result: result.works,
        lambda result: [step for part in result.parts for step in part.steps],
        only=now,
    )
    sendings = [sending for host in hosts for sending in sent_by(fabric, host)]
    assumed = assumptions(session, sendings, Level.HONEST)
    claims = claimed(session, source.end, target.end)
    value = ping_json(source.label, target.label, answered.answer, assumed, locator)
    grid = ping_grid(source.label, target.label, answered.answer, assumed, locator)
    value |= _of_tree(answered)
    grid.notes += answered.notes
    return answered.arrives, with_claims(value, grid, claims, locator)


def _of_tree(answered: InTree[Any]) -> dict[str, Any]:
    """What JSON says of the spanning tree."""
    certain = {} if answered.certain else {"certain": False}
    return {
        "arrives": answered.arrives,
        **certain,
        **({"tree": answered.notes} if answered.notes else {}),
    }


def _frame(
    session: Session, source: Place, target: Place, level: Level, vid: int | None, now: bool
) -> tuple[bool, Result]:
    """The way of a frame between two ports: of an untagged one, unless a VLAN is named. A host that
    is named takes the frames of its own form.
    """
    from msgspec.structs import replace

    from inkov.forwarding.follow import follow_to, follow_to_host
    from inkov.forwarding.trees.ways import in_tree
    from inkov.render.follow import story_grid, story_json
    from inkov.render.proofs import with_claims

    fabric, locator = session.fabric, session.locator
    sendings = sendings_from(session, source, level, vid, untagged=True)
    assumed = assumptions(session, sendings, level)
    ends = source.end, target.end
    host = target.host if level == Level.HONEST else None
    at, tag = (target.end, 0) if host is None else fabric.seat_of(host)
    answered = in_tree(
        fabric,
        lambda fabric: (
            follow_to(fabric, sendings, *ends, level)
            if host is None
            else follow_to_host(fabric, sendings, source.end, at, level, tag)
        ),
        lambda story: story.arrives,
        lambda story: story.steps,
        only=now,
    )
    story = answered.answer
    # Nothing is sent: the reason stands for the way.
    if not sendings:
        why = why_nothing(session, source, vid)
        story.steps = [replace(story.steps[0], because=why.says, origin=why.origin)]
    claims = claimed(session, source.end, target.end)
    value = story_json(source.label, target.label, story, assumed, locator)
    grid = story_grid(source.label, target.label, story, assumed, locator)
    value |= _of_tree(answered)
    grid.notes += answered.notes
    return answered.arrives, with_claims(value, grid, claims, locator)
