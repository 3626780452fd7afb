from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import typer

from inkov.cli.options import ListingOptions, VlanOption, shared
from inkov.cli.says import complain, fail, nearest
from inkov.cli.session import start, vlan_list

if TYPE_CHECKING:
    from inkov.forwarding.trees.loss import Kind


@shared
def withstand(
    options: ListingOptions,
    losses: Annotated[
        str,
        typer.Option("--losses", metavar="KINDS", help="What is lost: links, switches, routers."),
    ] = "links,switches,routers",
    vlan: VlanOption = None,
    pairs: Annotated[
        bool, typer.Option("--pairs", help="Every two links as well, and not one alone.")
    ] = False,
) -> None:
    """Whom each single loss cuts off, and why there is no spare."""
    from inkov.forwarding.trees.active import remarks_on
    from inkov.forwarding.trees.loss import all_losses
    from inkov.forwarding.trees.losses import Losses
    from inkov.forwarding.trees.spanning import spanning_trees
    from inkov.render.results import Result
    from inkov.render.withstand import losses_grid, losses_value
    from inkov.survey.withstand import loss_rows

    kinds = _kinds(losses)
    wanted = vlan_list(vlan)
    session = start(options)
    fabric, locator = session.fabric, session.locator
    trees = spanning_trees(fabric)
    tried = Losses(fabric, trees, wanted.bits if wanted is not None else -1)
    rows, counts = loss_rows(tried, all_losses(fabric, kinds, pairs=pairs))
    remarks = remarks_on(trees)
    if wanted is not None and not any(group.hubs for group in tried.groups):
        complain(f"nobody uses VLAN {wanted}: no loss cuts anybody there")
    options.out.show(
        Result(
            value=lambda: losses_value(rows, counts, remarks, locator),
            grids=lambda: [losses_grid(rows, counts, remarks, locator)],
        )
    )
    session.end()


def _kinds(text: str) -> list[Kind]:
    """The kinds of losses that --losses names."""
    from inkov.forwarding.trees.loss import Kind

    words = {"links": Kind.LINK, "switches": Kind.SWITCH, "routers": Kind.ROUTER}
    found = []
    for word in text.split(","):
        if word.strip() not in words:
            fail(f"--losses: {word.strip()!r} is none of {', '.join(words)}{nearest(word, words)}")
        found.append(words[word.strip()])
    return found
