"""The answer to a ticket: on one screen, and as values."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

from rich.console import RenderableType
from rich.text import Text

from inkov.campus import natural
from inkov.harmless import safe
from inkov.mend.why import Why
from inkov.readers import Locator
from inkov.readers.revision import Changed
from inkov.render.edits import change_in_words, edit_json, name_of_edit, what_of_edit
from inkov.render.findings import finding_json
from inkov.render.follow import ping_grid, step_json
from inkov.render.grid import Column, Grid
from inkov.render.results import Result
from inkov.render.terminal import Screen, grid_text, indented
from inkov.render.text import brief, plain

__all__ = ["why_result"]

_SHOWN = 5  # ports that are named
_FINE = 8


def why_result(
    one: str,
    other: str,
    answer: Why,
    locator: Locator,
    *,
    hops: bool,
    since: Sequence[Changed | None] = (),
) -> Result:
    """The answer in every form. With `hops`, the way frame by frame below it; `since` tells of the
    first causes when their lines were changed.
    """

    def grids() -> list[Grid]:
        grid = Grid([Column("What", whole=True), Column("Says"), Column("Said at")])
        for what, says, at in _lines(answer, locator, since):
            grid.add(what, says, at)
        return [grid, *(ways() if hops else [])]

    def ways() -> list[Grid]:
        return [ping_grid(one, other, answer.ping, [], locator)] if answer.ping is not None else []

    def text(screen: Screen) -> str:
        parts: list[RenderableType] = [Text(_verdict(one, other, answer), style="bold"), Text()]
        for what, says, at in _lines(answer, locator, since):
            # What goes on has no head of its own.
            if what:
                parts.append(Text(what, style="bold"))
            parts.append(indented(f"{says}  ({at})" if at else says, 2))
        shown = screen.render(*parts)
        return "\n".join([shown, *(grid_text(grid, screen) for grid in (ways() if hops else []))])

    return Result(value=lambda: _value(answer, locator, since), grids=grids, text=text)


def _verdict(one: str, other: str, answer: Why) -> str:
    pair = f"{safe(one)} and {safe(other)}"
    now = " now" if answer.now else ""
    return f"{pair} reach each other{now}." if answer.works else f"{pair} do not reach each other."


def _lines(
    answer: Why, locator: Locator, since: Sequence[Changed | None]
) -> Iterator[tuple[str, str, str]]:
    """What is said, part by part, with the place."""
    title = "Cause" if len(answer.causes) == 1 else "Causes, each of which is enough to stop it"
    for number, cause in enumerate(answer.causes):
        cited = f" [{cause.rule} {cause.finding}]" if cause.rule else ""
        yield "" if number else title, f"{cause.says}{cited}", brief(cause.origin, locator)
        # When it was changed, where git knows.
        changed = since[number] if number < len(since) else None
        if changed is not None:
            yield "", _changed(changed, "its file" if cause.absent else "this line"), ""
    for number, apart in enumerate(answer.apart):
        yield "" if number else "On purpose", apart.says, brief(apart.origin, locator)
    # Without a cause: what stops it.
    if not answer.works and not answer.causes:
        yield "Stops", answer.says, brief(answer.origin, locator)
        none = "none: they are to be apart" if answer.apart else "none is known that cures it"
        yield "Change", none, ""
    for number, finding in enumerate(answer.found):
        cited = f"{finding.says} [{finding.rule} {finding.id}]"
        yield "" if number else "Found there", cited, brief(finding.where[0].origin, locator)
        yield "", f"cure: {finding.cure}", ""
    head = "Smallest change" if answer.smallest else "Change (fewer edits might do)"
    for number, edit in enumerate(answer.change):
        words = " ".join(filter(None, (name_of_edit(edit), what_of_edit(edit))))
        yield "" if number else head, f"{words}: {change_in_words(edit)}", ""
    for says in answer.otherwise:
        yield "", says, ""
    # What the change does besides.
    if answer.change:
        yield "Then", "they reach each other", ""
        yield from _besides(answer)
    for number, fine in enumerate(answer.fine[:_FINE]):
        title = "" if number else "Looked at, and all right"
        yield title, fine.says, brief(fine.origin, locator)
    # The rest is counted.
    if len(answer.fine) > _FINE:
        yield "", f"and {len(answer.fine) - _FINE} more", ""
    for number, says in enumerate(answer.rests):
        yield "" if number else "Rests on", says, ""


def _changed(changed: Changed, what: str) -> str:
    # Not committed yet.
    if not changed.commit:
        return f"{what} is changed since the last commit"
    return f"{what} was changed last on {changed.day}: {safe(changed.title)} ({changed.commit})"


def _besides(answer: Why) -> Iterator[tuple[str, str, str]]:
    """Whom a change serves, and what it does besides."""
    count = len(answer.ports)
    # Others are served as well.
    if count > 1:
        names = sorted(answer.ports, key=natural)
        switches = {name.rpartition(":")[0] for name in names}
        more = f" and {count - _SHOWN} more" if count > _SHOWN else ""
        on = f" on {len(switches)} switches" if len(switches) > 1 else ""
        yield "", f"it serves {count} host ports{on}: {', '.join(names[:_SHOWN])}{more}", ""
    # Not known, nothing, or what follows.
    if answer.undecided:
        yield "", f"what else it does is not known: {answer.undecided}", ""
    elif not answer.opens and not answer.loses:
        yield "", "nobody reaches another segment by it, and nobody is cut off", ""
    for says in answer.opens:
        yield "", f"it opens as well: {says}", ""
    for says in answer.loses:
        yield "", f"it cuts off: {says}", ""


def _value(answer: Why, locator: Locator, since: Sequence[Changed | None]) -> dict[str, Any]:
    """The fixed shape; `causes` are all, of which `cause` is the first."""
    causes = [
        {
            "says": safe(cause.says),
            "where": plain(cause.origin, locator),
            "rule": cause.rule or None,
            "finding": cause.finding or None,
            "changed": _changed_json(since[number] if number < len(since) else None),
        }
        for number, cause in enumerate(answer.causes)
    ]
    stops = {"says": safe(answer.says), "where": plain(answer.origin, locator), "rule": None}
    steps = [step for part in answer.ping.parts for step in part.steps] if answer.ping else []
    return {
        "works": answer.works,
        "now": answer.now,
        "cause": None if answer.works else causes[0] if causes else stops,
        "causes": causes,
        "change": [edit_json(edit, locator) for edit in answer.change],
        "smallest": answer.smallest,
        "serves": sorted(map(safe, answer.ports), key=natural),
        "opens": [safe(says) for says in answer.opens],
        "loses": [safe(says) for says in answer.loses],
        "apart": [
            {"says": safe(apart.says), "where": plain(apart.origin, locator)}
            for apart in answer.apart
        ],
        "found": [finding_json(finding, locator) for finding in answer.found],
        "otherwise": [safe(says) for says in answer.otherwise],
        "fine": [
            {"says": safe(fine.says), "where": plain(fine.origin, locator)} for fine in answer.fine
        ],
        "rests": [safe(says) for says in answer.rests],
        "steps": [step_json(step, locator) for step in steps],
    }


def _changed_json(changed: Changed | None) -> dict[str, str | None] | None:
    """When a line was last changed; None where git does not know."""
    # Without git, or a line that it does not have.
    if changed is None:
        return None
    title = safe(changed.title) or None
    return {"day": changed.day, "commit": changed.commit or None, "title": title}
