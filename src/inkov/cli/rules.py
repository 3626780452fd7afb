from __future__ import annotations

from typing import Annotated

import typer

from inkov.cli.common import ColourOption, Format, FormatOption, Output, OutputOption, fail, nearest


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
    from inkov.render.findings import rule_text
    from inkov.render.grid import to_csv, to_markdown
    from inkov.render.listings import rules_grid
    from inkov.render.terminal import grid_text
    from inkov.render.text import to_json

    view = Output(form, output, no_colour)
    if slug is not None and slug not in CATALOGUE:
        fail(f"no rule {slug!r}{nearest(slug, CATALOGUE)}; `inkov rules` lists them")
    chosen = catalogue() if slug is None else [CATALOGUE[slug]]
    if form is Format.JSON:
        names = ("slug", "family", "severity", "what", "why", "cure", "example")
        view.write(
            to_json({"rules": [{name: getattr(rule, name) for name in names} for rule in chosen]})
        )
    elif form is Format.CSV:
        view.write(to_csv(rules_grid(chosen)))
    elif form is Format.MARKDOWN:
        view.write(to_markdown(rules_grid(chosen)))
    elif slug is not None:
        view.write(rule_text(chosen[0], view.screen))
    else:
        view.write(grid_text(rules_grid(chosen), view.screen))
