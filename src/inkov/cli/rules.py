from __future__ import annotations

from typing import Annotated

import typer

from inkov.cli.options import ColourOption, Format, FormatOption, OutputOption
from inkov.cli.output import Output
from inkov.cli.says import fail, nearest


def rules(
    slug: Annotated[
        str | None, typer.Argument(metavar="[RULE]", help="Explain this rule.", show_default=False)
    ] = None,
    form: FormatOption = Format.TABLE,
    output: OutputOption = None,
    no_colour: ColourOption = False,
) -> None:
    """The checks, or one of them with its reason and example."""
    from inkov.checks import CATALOGUE
    from inkov.checks import rules as catalogue
    from inkov.render.findings import rule_result, rules_result

    # A rule that does not exist explains nothing.
    if slug is not None and slug not in CATALOGUE:
        fail(f"no rule {slug!r}{nearest(slug, CATALOGUE)}; `inkov rules` lists them")
    result = rules_result(catalogue()) if slug is None else rule_result(CATALOGUE[slug])
    Output(form, output, no_colour=no_colour).show(result)
