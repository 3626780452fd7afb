from __future__ import annotations

from inkov.cli.explain import explain
from inkov.cli.options import (
    BecauseOption,
    ListingOptions,
    NowOption,
    SwitchOption,
    VlanOption,
    shared,
)
from inkov.cli.says import alone, one_of_outcomes
from inkov.cli.session import start, vlan_list


@shared
def trunks(
    options: ListingOptions,
    switch: SwitchOption = None,
    vlan: VlanOption = None,
    because: BecauseOption = None,
    now: NowOption = False,
) -> None:
    """Each trunk, both ends on one line, and what crosses it."""
    from inkov.render.listings import trunks_grid
    from inkov.render.results import listing
    from inkov.survey.trunks import trunk_rows

    # One port is asked about: lists do not apply.
    if because is not None:
        alone("--because", {"--switch": switch, "--vlan": vlan})
    vids = vlan_list(vlan)
    session = start(options, now=now)
    if because is not None:
        explain(session, because, options.out)
        return
    wanted = session.plan.wanted(session.loaded.campus.devices)
    rows = trunk_rows(session.fabric, session.switch(switch), wanted, vids)
    locator = session.locator
    options.out.show(listing("trunks", rows, lambda: trunks_grid(rows, locator), locator))
    one_of_outcomes(session.now)
    session.end()
