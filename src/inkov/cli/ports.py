from __future__ import annotations

from typing import Annotated

import typer

from inkov.cli.explain import explain
from inkov.cli.options import BecauseOption, ListingOptions, SwitchOption, VlanOption, shared
from inkov.cli.says import alone, say_if_empty
from inkov.cli.session import start, vlan_list


@shared
def ports(
    options: ListingOptions,
    switch: SwitchOption = None,
    because: BecauseOption = None,
    vlan: VlanOption = None,
    matrix: Annotated[
        bool, typer.Option("--matrix", help="VLAN × port: T tagged, U untagged, · not at all.")
    ] = False,
) -> None:
    """Each port: its mode, its VLANs, and what is behind it."""
    from inkov.render.listings import matrix_result, ports_grid
    from inkov.render.results import listing
    from inkov.survey.ports import memberships, port_rows

    # One port is asked about: lists do not apply.
    if because is not None:
        alone("--because", {"--switch": switch, "--vlan": vlan, "--matrix": matrix})
    vids = vlan_list(vlan)
    session = start(options)
    if because is not None:
        explain(session, because, options.out)
        return
    fabric, locator, name = session.fabric, session.locator, session.switch(switch)
    says = "no port passes" if vids is not None else "no port"
    # One form or the other.
    if matrix:
        members = memberships(fabric, name, vids)
        options.out.show(matrix_result(members, locator))
        say_if_empty(members, says, vids, name)
    else:
        rows = port_rows(fabric, name, vids)
        options.out.show(listing("ports", rows, lambda: ports_grid(rows, locator), locator))
        say_if_empty(rows, says, vids, name)
    session.end()
