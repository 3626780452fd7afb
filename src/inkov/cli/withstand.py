from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import typer

from inkov.cli.options import ListingOptions, VlanOption, shared
from inkov.cli.says import complain, fail, nearest
from inkov.cli.session import start, vlan_list

if TYPE_CHECKING:
    from collections.abc import Iterator

    from inkov.cli.session import Session
    from inkov.forwarding.trees.loss import Kind, Loss


@shared
def withstand(
    options: ListingOptions,
    losses: Annotated[
        str,
        typer.Option(
            "--losses",
            metavar="KINDS",
            help="What is lost: links, switches, routers; together, as the plan has it.",
        ),
    ] = "links,switches,routers,together",
    vlan: VlanOption = None,
    pairs: Annotated[
        bool, typer.Option("--pairs", help="Every two links that fail together, as well.")
    ] = False,
) -> None:
    """Whom each single loss cuts off, and why there is no spare."""
    from inkov.forwarding.outsiders import taken_beside_trees
    from inkov.forwarding.trees.active import remarks_on
    from inkov.forwarding.trees.loss import all_losses
    from inkov.forwarding.trees.losses import Losses
    from inkov.forwarding.trees.spanning import spanning_trees
    from inkov.proofs.prove import Prover
    from inkov.proofs.withstanding import Withstanding
    from inkov.render.results import Result
    from inkov.render.withstand import losses_grid, losses_value
    from inkov.survey.withstand import at_routed_ports, loss_rows
    from inkov.words import listed

    kinds = _kinds(losses)
    wanted = vlan_list(vlan)
    session = start(options)
    fabric, locator = session.fabric, session.locator
    trees = spanning_trees(fabric)
    tried = Losses(fabric, trees, wanted.bits if wanted is not None else -1)
    claims = Withstanding(fabric, session.plan, Prover)
    asked = any(claim.kind in ("join", "reach") for claim in session.plan.says.claims)
    rows, counts = loss_rows(
        tried,
        [*all_losses(fabric, kinds, pairs=pairs), *_together(session, kinds)],
        claims.broken_by if asked else lambda _: [],
    )
    remarks = remarks_on(trees)
    if beside := taken_beside_trees(fabric):
        remarks.append(f"Rests on: {beside}.")
    # What was not tried is said.
    if claims.untried:
        remarks.append(
            f"With {claims.untried} of the losses the claims of the plan were not tried."
        )
    # Who is in no VLAN falls off none.
    if routed := at_routed_ports(fabric):
        remarks.append(
            f"What losses do to hosts at routed ports ({listed(routed)}) only the claims of the"
            " plan tell."
        )
    # Nobody there: nothing could be cut.
    if wanted is not None and not any(g.hubs for g in tried.groups if g.vlans & wanted.bits):
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

    words = {
        "links": Kind.LINK,
        "switches": Kind.SWITCH,
        "routers": Kind.ROUTER,
        "together": Kind.SHARED,
    }
    kinds = []
    for word in text.split(","):
        # A word that is none of them.
        if word.strip() not in words:
            fail(f"--losses: {word.strip()!r} is none of {', '.join(words)}{nearest(word, words)}")
        kinds.append(words[word.strip()])
    return kinds


def _together(session: Session, kinds: list[Kind]) -> Iterator[Loss]:
    """What the plan says shares a fate. Parts that are not there are told."""
    from inkov.campus import Problem
    from inkov.forwarding.trees.loss import Kind, shared_fate

    for fate in session.plan.says.together if Kind.SHARED in kinds else ():
        loss, unknown = shared_fate(session.fabric, fate.parts, fate.about)
        # A fate of nothing is a slip.
        if not fate.parts:
            session.note(Problem(fate.origin, "together: nothing is named", "name ends of links"))
        for part in unknown:
            what = "no link ends at" if ":" in part else "no switch is called"
            session.note(
                Problem(fate.origin, f"together: {what} {part!r}", "name one that is there")
            )
        # None of its parts is there: nothing is lost.
        if len(unknown) < len(fate.parts):
            yield loss
