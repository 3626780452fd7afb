from __future__ import annotations

import os
from typing import TYPE_CHECKING, Annotated

import typer

from inkov.cli.exits import ALL_WELL, FINDINGS
from inkov.cli.options import ListingOptions, shared
from inkov.cli.says import fail, nearest
from inkov.cli.session import start

if TYPE_CHECKING:
    from inkov.readers import FileReport


@shared
def read(
    options: ListingOptions,
    unmatched: Annotated[
        bool, typer.Option("--unmatched", help="Only what was not understood, place by place.")
    ] = False,
    trace: Annotated[
        str | None,
        typer.Option(
            "--trace",
            metavar="FILE",
            help="Each line of this file: what took it, what it says, and what became of that.",
        ),
    ] = None,
    strict: Annotated[
        bool,
        typer.Option(
            "--strict", help="Exit with 1 if anything that may matter was not understood."
        ),
    ] = False,
) -> None:
    """What was read of each file, and what was not."""
    from inkov.readers.dialects.sanity import doubtful_ports
    from inkov.readers.trace import trace as lines_of
    from inkov.render.listings import read_grid, trace_grid, unmatched_grid
    from inkov.render.results import listing

    session = start(options, tells=True)
    loaded = session.loaded
    lines = [line for report in loaded.reports for line in report.unmatched]
    # Every line, or only those that were not understood.
    if unmatched and trace is not None:
        fail("--trace shows every line: leave --unmatched out")
    if trace is not None:
        report = _file(trace, loaded.reports)
        traced = lines_of(loaded, report)
        result = listing(
            "lines", traced, lambda: trace_grid(traced, report, loaded.dialects), loaded.locator
        )
    elif unmatched:
        result = listing(
            "unmatched", lines, lambda: unmatched_grid(lines, loaded.locator), loaded.locator
        )
    else:
        devices = loaded.campus.devices.values()
        described = [device for device in devices if device.platform.described]
        rows = {
            "files": loaded.reports,
            "assumed": session.fabric.assumptions,
            "problems": loaded.campus.problems,
            "doubts": list(doubtful_ports(described)),
        }
        result = listing("read", rows, lambda: read_grid(loaded, session.fabric), loaded.locator)
    options.out.show(result)
    # Strictly, a line that may matter is not passed over.
    session.end(FINDINGS if strict and any(line.relevant for line in lines) else ALL_WELL)


def _file(name: str, reports: list[FileReport]) -> FileReport:
    """The file that was read under a path, or under its name alone. Ends with the nearest names if
    there is none.
    """
    read = [report for report in reports if report.format]
    same = [report for report in read if os.path.realpath(report.file) == os.path.realpath(name)]
    # By its path, or else by its name alone.
    same = same or [report for report in read if os.path.basename(report.file) == name]
    # Which of them is meant?
    if len(same) > 1:
        fail(f"several files are called {name}: {', '.join(same_name.file for same_name in same)}")
    # Not among them: perhaps misspelled.
    if not same:
        names = [os.path.basename(report.file) for report in read]
        fail(f"{name} is not among the files that were read{nearest(name, names)}")
    return same[0]
