from __future__ import annotations

import os
from typing import TYPE_CHECKING, Annotated

import typer

from inkov.cli.exits import FINDINGS, UNUSABLE
from inkov.cli.options import (
    ColourOption,
    Configs,
    ForceOption,
    Format,
    FormatOption,
    OutputOption,
)
from inkov.cli.output import Output, keep
from inkov.cli.says import fail, say, say_problems
from inkov.cli.session import check_paths

if TYPE_CHECKING:
    from inkov.campus import Problem
    from inkov.readers import FileReport
    from inkov.readers.dialects import Dialect

Files = Annotated[
    list[str], typer.Argument(metavar="DIALECT...", help="Dialect files.", show_default=False)
]


def new(configs: Configs, output: OutputOption = None, force: ForceOption = False) -> None:
    """Start a dialect from configurations: the shape of the text guessed, each kind of line as a
    form to fill in.
    """
    from inkov.readers.dialects.shapes import starter
    from inkov.readers.load import unread_texts

    check_paths(configs)
    keep(output, force=force)
    problems: list[Problem] = []
    texts = unread_texts(configs, problems)
    say_problems(problems, None)
    if not texts:
        fail(
            "every file here is read already, or is no text: name configurations that `inkov read`"
            " does not recognise"
        )
    Output(file=output).write(starter(texts))


def check(files: Files) -> None:
    """Check dialects: their forms and effects, and the examples in them."""
    from inkov.harmless import safe
    from inkov.readers.dialects import BadDialect, compile_dialect
    from inkov.readers.dialects.examples import run_examples
    from inkov.readers.load import file_bytes

    check_paths(files)
    worst = 0
    for file in files:
        problems: list[Problem] = []
        data = b"" if os.path.isdir(file) else file_bytes(file, problems, [])
        if data is None or os.path.isdir(file):
            say_problems(problems, None)
            fail(
                f"{file}: name the dialect files themselves, as in"
                f" {os.path.join(file, 'NAME.toml')}"
                if not problems
                else f"{file} was not checked"
            )
        try:
            dialect: Dialect = compile_dialect(file, data)
        except BadDialect as bad:
            say_problems(bad.problems, None)
            worst = UNUSABLE
            continue
        ran = run_examples(dialect)
        failed = [one for one in ran if one.faults]
        for one in failed:
            say(f"{file}: example {one.number} (- wanted, + read):")
            for fault in one.faults:
                say(f"  {safe(fault)}")
        held = (
            f"{len(ran) - len(failed)} of {len(ran)} examples hold"
            if ran
            else "no examples: write one, it is the proof"
        )
        say(f"{file}: dialect {safe(dialect.name)}: {dialect.forms} forms; {held}")
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
    from inkov.render.results import listing

    check_paths(configs)
    lines: list[tuple[Origin, str]] = []
    reports: list[FileReport] = []
    locator = Locator({})
    try:
        loaded = load(configs, account=True)
        locator = loaded.locator
        reports = [report for report in loaded.reports if report.format.startswith("dialect ")]
        lines += [(line.origin, line.text) for report in reports for line in report.unmatched]
    except NothingToRead:
        pass
    problems: list[Problem] = []
    texts = unread_texts(configs, problems)
    say_problems(problems, None)
    if not lines and not texts and not reports:
        fail(
            "no text here that a dialect reads, or that needs one: name configurations in a command"
            " language"
        )
    for file, text in texts:
        lines += [
            (Origin(file, number), line)
            for number, line in enumerate(text.split("\n"), 1)
            if line.strip()
        ]
    groups = group(lines)
    rows = [
        {"count": g.count, "shape": g.shape, "example": g.example, "origin": g.origin}
        for g in groups
    ]
    result = listing("unmatched", rows, lambda: shapes_grid(groups, locator), locator)
    Output(form, output, no_colour=no_colour).show(result)
    if problems or groups:
        raise typer.Exit(UNUSABLE if problems else FINDINGS)
