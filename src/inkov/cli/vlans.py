from __future__ import annotations

from inkov.cli.options import ListingOptions, NowOption, SwitchOption, VlanOption, shared
from inkov.cli.says import one_of_outcomes, say_if_empty
from inkov.cli.session import start, vlan_list


@shared
def vlans(
    options: ListingOptions,
    switch: SwitchOption = None,
    vlan: VlanOption = None,
    now: NowOption = False,
) -> None:
    """Each VLAN: where it is defined, its names, ports and islands."""
    from inkov.render.listings import vlans_grid
    from inkov.render.results import listing
    from inkov.survey.vlans import vlan_rows

    vids = vlan_list(vlan)
    session = start(options, now=now)
    name = session.switch(switch)
    rows = vlan_rows(session.fabric, vids, name)
    locator = session.locator
    options.out.show(listing("vlans", rows, lambda: vlans_grid(rows, locator), locator))
    say_if_empty(rows, "nothing is known of" if vids is not None else "no VLAN", vids, name)
    one_of_outcomes(session.now)
    session.end()
