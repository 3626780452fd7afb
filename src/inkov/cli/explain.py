"""`--because SWITCH:PORT`, shared by `ports` and `trunks`."""

from __future__ import annotations

from typing import TYPE_CHECKING

from inkov.cli.places import find_place

if TYPE_CHECKING:
    from inkov.cli.common import Output, Session


def explain(session: Session, place: str, view: Output) -> None:
    """Write the chain of reasons of one port."""
    from inkov.forwarding.reasons import chain
    from inkov.render.follow import because_grid
    from inkov.render.text import plain

    end = find_place(session, place).end
    reasons = chain(session.fabric, end)
    locator = session.loaded.locator
    rows = [{"stage": r.stage, "says": r.says, "origin": plain(r.origin, locator)} for r in reasons]
    value = {"switch": end.device, "port": end.port, "because": rows}
    view.result(value, lambda: because_grid(end, reasons, locator))
    session.end()
