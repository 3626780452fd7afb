from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import typer

from inkov.cli import complete
from inkov.cli.exits import ALL_WELL, FINDINGS
from inkov.cli.options import ListingOptions, SentVlanOption, shared
from inkov.cli.places import Place, one_vlan, two_places
from inkov.cli.session import Session, start

if TYPE_CHECKING:
    from inkov.campus import Host
    from inkov.mend.why import Cause
    from inkov.readers.revision import Changed

_BLAMED = 3  # causes of which it is told when their line was changed


@shared
def why(
    source: Annotated[
        str,
        typer.Argument(
            metavar="A",
            help="One of the two: a host, or switch:port.",
            autocompletion=complete.first_places,
        ),
    ],
    target: Annotated[
        str,
        typer.Argument(metavar="B", help="The other one.", autocompletion=complete.first_places),
    ],
    options: ListingOptions,
    vlan: SentVlanOption = None,
    hops: Annotated[
        bool, typer.Option("--hops", help="The way in both directions as well, hop by hop.")
    ] = False,
) -> None:
    """Why A and B do not reach each other, and the smallest change."""
    from inkov.mend.why import why as answer_to
    from inkov.render.why import why_result

    vid = one_vlan(vlan)
    session = start(options, tells=True)
    places = two_places(session, source, target)
    one, other = (host_at(place, vid) for place in places)
    answer = answer_to(session.fabric, session.plan, one, other)
    labels = places[0].label, places[1].label
    since = [_last_changed(session, cause) for cause in answer.causes[:_BLAMED]]
    result = why_result(*labels, answer, session.locator, hops=hops, since=since)
    options.out.show(result)
    session.end(ALL_WELL if answer.works else FINDINGS)


def _last_changed(session: Session, cause: Cause) -> Changed | None:
    """When the line of a cause was last changed, if its file is kept in git; of what no line says,
    when the file was.
    """
    from inkov.readers.revision import last_changed

    file, line = cause.origin.file, session.locator.line(cause.origin)
    # Nothing says it: no line that could have changed.
    if not file:
        return None
    return last_changed(file, 0 if cause.absent else line)


def host_at(place: Place, vid: int | None) -> Host:
    """The host at a place; a nameless one where none was named. With a VLAN it tags its frames."""
    from msgspec.structs import replace

    from inkov.campus import Host, Origin

    host = place.host or Host(place.label, place.end.device, place.end.port, Origin())
    return host if vid is None else replace(host, vid=vid)
