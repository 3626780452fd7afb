"""A result, and the one table of formats that results are written in.

A command makes a `Result`: what it has to show, in each form that it has. `written` picks the form
that a format needs. A format that a result has no form for is an error, never another format.

To add a format, write a function from a `Result` to text and enter it in `FORMATS`; the command
line offers it from there on (`cli.options.Format` names the formats for the help).
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from msgspec import Struct

from inkov.harmless import clean
from inkov.readers import Locator
from inkov.render.grid import Grid, to_csv, to_markdown
from inkov.render.page import to_page
from inkov.render.terminal import Screen, grid_text
from inkov.render.text import plain, to_json

__all__ = ["FORMATS", "NoSuchForm", "Result", "formats_of", "listing", "written"]


class Result(Struct, kw_only=True):
    """What a command has to show. Each form is made only when it is asked for.

    `value` gives plain values for JSON; `grids` the tables, nearly always one; `text` the form for
    people, where that is no table, `markdown` that for reviewers; `sarif` and `junit` those for
    other systems.
    """

    value: Callable[[], Any]
    grids: Callable[[], list[Grid]]
    text: Callable[[Screen], str] | None = None
    markdown: Callable[[], str] | None = None
    sarif: Callable[[], str] | None = None
    junit: Callable[[], str] | None = None


def listing(key: str, rows: Any, grid: Callable[[], Grid], locator: Locator) -> Result:
    """The result of a listing: its rows under `key` in JSON, and as one table."""
    return Result(value=lambda: {key: plain(rows, locator)}, grids=lambda: [grid()])


class NoSuchForm(ValueError):
    """A result has no form for a format. `known` are the formats that it has."""

    def __init__(self, known: list[str]) -> None:
        super().__init__(f"this is written as {', '.join(known[:-1])} or {known[-1]}")
        self.known = known


Writer = Callable[[Result, Screen], str]


def _table(result: Result, screen: Screen) -> str:
    # Forms of their own come before tables.
    if result.text is not None:
        return result.text(screen)
    return "\n".join(grid_text(grid, screen) for grid in result.grids())


def _json(result: Result, screen: Screen) -> str:
    return to_json(result.value())


def _csv(result: Result, screen: Screen) -> str:
    return "\n".join(to_csv(grid) for grid in result.grids())


def _markdown(result: Result, screen: Screen) -> str:
    if result.markdown is not None:
        return result.markdown()
    return "\n".join(to_markdown(grid) for grid in result.grids())


def _html(result: Result, screen: Screen) -> str:
    return to_page(result.grids())


def _sarif(result: Result, screen: Screen) -> str:
    assert result.sarif is not None
    return result.sarif()


def _junit(result: Result, screen: Screen) -> str:
    assert result.junit is not None
    return result.junit()


FORMATS: dict[str, Writer] = {
    "table": _table,
    "json": _json,
    "csv": _csv,
    "markdown": _markdown,
    "html": _html,
    "sarif": _sarif,
    "junit": _junit,
}


def formats_of(result: Result) -> list[str]:
    """The formats that a result can be written in."""
    missing = {
        # What only some results have.
        name
        for name, form in (("sarif", result.sarif), ("junit", result.junit))
        if form is None
    }
    return [name for name in FORMATS if name not in missing]


def written(result: Result, form: str, screen: Screen) -> str:
    """The text of a result in a format. NoSuchForm if it has none in that.

    Nothing that was read is in it as anything but text; `Screen` sees to that where it has colours.
    """
    known = formats_of(result)
    # Never another format than the one asked for.
    if form not in known:
        raise NoSuchForm(known)
    text = FORMATS[form](result, screen)
    # Colours are ours; what was read is clean already then.
    return text if screen.colour else clean(text)
