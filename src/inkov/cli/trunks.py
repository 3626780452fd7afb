from __future__ import annotations

from inkov.cli.explain import explain
from inkov.cli.options import BecauseOption, ListingOptions, SwitchOption, shared
from inkov.cli.says import alone
from inkov.cli.session import start


@shared
def trunks(
    options: ListingOptions, switch: SwitchOption = None, because: BecauseOption = None
) -> None:
    """Each trunk, both ends on one line, and what crosses it."""
    from inkov.render.listings import trunks_grid
    from inkov.render.results import listing
    from inkov.survey.trunks import trunk_rows

    if because is not None:
        alone("--because", {"--switch": switch})
    session = start(options)
    if because is not None:
        explain(session, because, options.out)
        return
    rows = trunk_rows(session.fabric, session.switch(switch), session.plan.needed)
    locator = session.locator
    options.out.show(listing("trunks", rows, lambda: trunks_grid(rows, locator), locator))
    session.end()
