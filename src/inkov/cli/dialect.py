from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import typer

from inkov.cli.common import (
    ColourOption,
    Configs,
    Format,
    FormatOption,
    OutputOption,
    View,
    fail,
    say_problems,
)
from inkov.cli.exits import FINDINGS, UNUSABLE

if TYPE_CHECKING:
    from inkov.readers.dialects import Dialect

Files = Annotated[list[str], typer.Argument(metavar="DIALECT...", help="Dialect files.", show_default=False)]


def new(configs: Configs, output: OutputOption = None) -> None:
    """Start a dialect from configurations: the shape of the text guessed, each kind of line as a form to fill in."""
    from inkov.readers.dialects.shapes import starter
    from inkov.readers.load import unread_texts

    texts = unread_texts(configs)
    if not texts:
        fail("no text among these files that is not read already: nothing to write a dialect for")
    View(Format.TABLE, output, True).write(starter(texts))


def check(files: Files) -> None:
    """Check dialects: their forms and effects, and the examples in them."""
    from inkov.readers.dialects import BadDialect, compile_dialect
    from inkov.readers.dialects.examples import run_examples
    from inkov.render.text import safe

    worst = 0
    for file in files:
        try:
            with open(file, "rb") as opened:
                dialect: Dialect = compile_dialect(file, opened.read())
        except OSError as error:
            fail(f"cannot read {file}: {(error.strerror or str(error)).lower()}")
        except BadDialect as bad:
            say_problems(bad.problems, None)
            worst = UNUSABLE
            continue
        ran = run_examples(dialect)
        failed = [one for one in ran if one.faults]
        for one in failed:
            typer.echo(f"{file}: example {one.number} (- wanted, + read):")
            for fault in one.faults:
                typer.echo(f"  {safe(fault)}")
        held = (
            f"{len(ran) - len(failed)} of {len(ran)} examples hold"
            if ran
            else "no examples: write one, it is the proof"
        )
        typer.echo(f"{file}: dialect {safe(dialect.name)}: {dialect.forms} forms; {held}")
        worst = max(worst, FINDINGS if failed else 0)
    if worst:
        raise typer.Exit(worst)


def unmatched(
    configs: Configs,
    form: FormatOption = Format.TABLE,
    output: OutputOption = None,
    no_colour: ColourOption = False,
) -> None:
    """Lines that no form takes, grouped by shape, most frequent first: what to write next."""
    from inkov.campus import Origin
    from inkov.readers.dialects.shapes import group
    from inkov.readers.load import NothingToRead, load, unread_texts
    from inkov.readers.locate import Locator
    from inkov.render.listings import shapes_grid
    from inkov.render.text import plain

    lines: list[tuple[Origin, str]] = []
    locator = Locator({})
    try:
        loaded = load(configs, account=True)
        locator = loaded.locator
        reports = [report for report in loaded.reports if report.format.startswith("dialect ")]
        lines += [(line.origin, line.text) for report in reports for line in report.unmatched]
    except NothingToRead:
        pass
    for file, text in unread_texts(configs):
        lines += [(Origin(file, number), line) for number, line in enumerate(text.split("\n"), 1) if line.strip()]
    groups = group(lines)
    view = View(form, output, no_colour)
    rows = [{"count": g.count, "shape": g.shape, "example": g.example, "origin": g.origin} for g in groups]
    view.result({"unmatched": plain(rows, locator)}, lambda: shapes_grid(groups, locator))
    if groups:
        raise typer.Exit(FINDINGS)
