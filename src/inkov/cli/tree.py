from __future__ import annotations

from typing import Annotated

import typer

from inkov.cli.options import Format, ListingOptions, SwitchOption, VlanOption, shared
from inkov.cli.says import complain
from inkov.cli.session import start, vlan_list


@shared
def tree(
    options: ListingOptions,
    switch: SwitchOption = None,
    vlan: VlanOption = None,
    down: Annotated[bool, typer.Option("--down", help="Each tree, from its root down.")] = False,
) -> None:
    """The spanning trees: root, the role of each port, and why."""
    from inkov.forwarding.outsiders import taken_beside_trees
    from inkov.forwarding.trees.settings import odd_settings
    from inkov.forwarding.trees.spanning import spanning_trees
    from inkov.render.grid import Grid
    from inkov.render.results import Result
    from inkov.render.trees import branches_grid, tree_ports_grid, trees_grid, trees_value
    from inkov.survey.trees import branches, distinct_trees, tree_row

    session = start(options)
    fabric, locator = session.fabric, session.locator
    name = session.switch(switch)
    wanted = vlan_list(vlan)
    trees = spanning_trees(fabric)
    distinct = distinct_trees(fabric, trees, name, wanted.bits if wanted is not None else None)
    # A table of trees alone needs but the ports that are seen otherwise.
    brief = name is None and options.form is not Format.JSON
    rows = [
        tree_row(fabric, spanning, vlans, name, seen_only=brief) for vlans, spanning in distinct
    ]

    def grids() -> list[Grid]:
        shown = [trees_grid(rows, locator)]
        if name is not None and rows:
            shown.append(tree_ports_grid(rows, locator))
        if down:
            titles = [f"VLANs {row.vlans}" for row in rows]
            shown += [
                branches_grid(branches(fabric, spanning), title)
                for (_, spanning), title in zip(distinct, titles, strict=True)
            ]
        return shown

    options.out.show(Result(value=lambda: trees_value(rows, locator), grids=grids))
    # An empty table needs a reason.
    if not rows and (wanted is not None or name is not None):
        about = f" of {name}" if name is not None else ""
        complain(f"no spanning tree{about}" + (f" is for VLAN {wanted}" if wanted else ""))
    for odd in odd_settings(fabric.campus.devices.values()):
        at = f"{odd.origin.file}:{locator.line(odd.origin)}"
        complain(f"{at}: {odd.switch}: {odd.says}; taken: {odd.taken}")
    if beside := taken_beside_trees(fabric):
        complain(f"rests on: {beside}")
    session.end()
