"""`--because SWITCH:PORT`, shared by `ports` and `trunks`."""

from __future__ import annotations

from typing import TYPE_CHECKING

from inkov.cli.places import find_place

if TYPE_CHECKING:
    from inkov.cli.output import Output
    from inkov.cli.session import Session


def explain(session: Session, place: str, out: Output) -> None:
    """Write the chain of reasons of one port."""
    from inkov.forwarding.reasons import chain
    from inkov.render.follow import because_grid
    from inkov.render.results import Result
    from inkov.render.text import plain

    end = find_place(session, place).end
    reasons = chain(session.fabric, end)
    locator = session.locator
    rows = [
        {"stage": reason.stage, "says": reason.says, "origin": plain(reason.origin, locator)}
        for reason in reasons
    ]
    value = {"switch": end.device, "port": end.port, "because": rows}
    out.show(Result(value=lambda: value, grids=lambda: [because_grid(end, reasons, locator)]))
    session.end()
