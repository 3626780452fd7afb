from __future__ import annotations

from inkov.cli.options import ListingOptions, SwitchOption, shared
from inkov.cli.says import say_if_empty
from inkov.cli.session import start


@shared
def links(options: ListingOptions, switch: SwitchOption = None) -> None:
    """Each link, both ends on one line, and the evidence for it."""
    from inkov.render.listings import links_grid
    from inkov.render.results import listing
    from inkov.survey.links import link_rows

    session = start(options)
    name = session.switch(switch)
    rows = link_rows(session.fabric, name)
    locator = session.locator
    options.out.show(listing("links", rows, lambda: links_grid(rows, locator), locator))
    say_if_empty(rows, "no link is known", switch=name)
    session.end()
