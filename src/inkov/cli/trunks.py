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
from inkov.cli.says import alone, one_of_outcomes, say_if_empty
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
    name = session.switch(switch)
    rows = trunk_rows(session.fabric, name, wanted, vids)
    locator = session.locator
    options.out.show(listing("trunks", rows, lambda: trunks_grid(rows, locator), locator))
    says = "no trunk has to do with" if vids is not None else "no trunk"
    say_if_empty(rows, says, vids, name)
    one_of_outcomes(session.now)
    session.end()
