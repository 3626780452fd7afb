from __future__ import annotations

from typing import Annotated

import typer

from inkov.cli.exits import ALL_WELL, FINDINGS
from inkov.cli.options import ListingOptions, shared
from inkov.cli.session import start


@shared
def read(
    options: ListingOptions,
    unmatched: Annotated[
        bool, typer.Option("--unmatched", help="Only what was not understood, place by place.")
    ] = False,
    strict: Annotated[
        bool,
        typer.Option(
            "--strict", help="Exit with 1 if anything that may matter was not understood."
        ),
    ] = False,
) -> None:
    """What was read of each file, and what was not."""
    from inkov.render.listings import read_grid, unmatched_grid
    from inkov.render.results import listing

    session = start(options, account=True)
    loaded = session.loaded
    lines = [line for report in loaded.reports for line in report.unmatched]
    if unmatched:
        result = listing(
            "unmatched", lines, lambda: unmatched_grid(lines, loaded.locator), loaded.locator
        )
    else:
        rows = {
            "files": loaded.reports,
            "assumed": session.fabric.assumptions,
            "problems": loaded.campus.problems,
        }
        result = listing("read", rows, lambda: read_grid(loaded, session.fabric), loaded.locator)
    options.out.show(result)
    session.end(FINDINGS if strict and any(line.relevant for line in lines) else ALL_WELL)
