"""Verdicts as text, as a table, and for other systems; certificates as JSON."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from typing import Any

from rich.console import RenderableType
from rich.text import Text

from inkov.campus import Origin, Problem
from inkov.harmless import safe
from inkov.levels import Outcome
from inkov.proofs import Verdict
from inkov.proofs.matrix import Matrix, Reach
from inkov.readers import Locator
from inkov.render.exchange import junit, location, lost_json, sarif
from inkov.render.follow import step_json
from inkov.render.grid import Column, Grid
from inkov.render.results import Result
from inkov.render.terminal import Screen, grid_text, indented
from inkov.render.text import place, plain
from inkov.words import agree, counted

__all__ = [
    "assumed_by_all",
    "brief_matrix_grid",
    "matrix_grid",
    "verdicts_result",
    "verdicts_summary",
    "with_claims",
]

_STYLE = {
    Outcome.HOLDS: "bold green",
    Outcome.BROKEN: "bold white on red",
    Outcome.UNDECIDED: "bold magenta",
}
_SHOWN = 4


def verdicts_summary(verdicts: list[Verdict]) -> str:
    """One line that says how it stands."""
    counts = Counter(verdict.verdict for verdict in verdicts)
    hold = f"{counts[Outcome.HOLDS]} {agree(counts[Outcome.HOLDS], 'holds', 'hold')}"
    parts = [hold, f"{counts[Outcome.BROKEN]} broken", f"{counts[Outcome.UNDECIDED]} undecided"]
    return f"{counted(len(verdicts), 'claim')}: {', '.join(parts)}."


def verdicts_text(
    verdicts: list[Verdict], locator: Locator, screen: Screen, since: str = ""
) -> str:
    """Each claim with its verdict; where it is broken, the frame's way, and the lines to blame.

    Of many claims, those that hold come last and on one line each: what is wrong is to be seen.
    """
    many = len(verdicts) > _SHOWN
    common = assumed_by_all(verdicts)
    parts: list[RenderableType] = []
    for verdict in sorted(verdicts, key=lambda v: many and v.verdict == Outcome.HOLDS):
        own = [text for text in verdict.assumes if text not in common]
        head = Text()
        head.append(verdict.verdict.upper(), style=_STYLE[verdict.verdict])
        head.append(f"  {safe(verdict.claim)}", style="bold")
        head.append(f"  layer {verdict.layer}, {verdict.level}", style="dim")
        parts.append(head)
        # Its reason is in the other formats; but that nobody is concerned must be seen.
        if many and verdict.verdict == Outcome.HOLDS and not verdict.nobody:
            # What holds for somebody, among many: one line is enough.
            if own:
                says = f", rests on {counted(len(own), 'assumption')} (-f json)"
                head.append(says, style="dim")
            continue
        parts.append(indented(safe(verdict.because), 2))
        parts += [*_witness(verdict, locator), *_blame(verdict, locator)]
        parts += [indented(f"Rests on: {safe(text)}", 2, "dim") for text in own[:_SHOWN]]
        if len(own) > _SHOWN:
            parts.append(indented(_more(own), 2, "dim"))
        parts.append(Text())
    # What all of it rests on is said once.
    for text in common[:_SHOWN]:
        parts.append(Text(f"All of it rests on: {safe(text)}", style=_STYLE[Outcome.UNDECIDED]))
    if len(common) > _SHOWN:
        parts.append(Text(_more(common), style="dim"))
    end = verdicts_summary(verdicts) + (f" {since[:1].upper()}{since[1:]}." if since else "")
    parts.append(Text(end, style="bold"))
    return screen.render(*parts)


def assumed_by_all(verdicts: list[Verdict]) -> list[str]:
    """What all verdicts rest on: said once, below them."""
    # No verdicts rest on nothing.
    if not verdicts:
        return []
    first, *others = verdicts
    return [text for text in first.assumes if all(text in v.assumes for v in others)]


def _more(texts: list[str]) -> str:
    return f"... and {len(texts) - _SHOWN} more; -f json lists them"


def _witness(verdict: Verdict, locator: Locator) -> Iterator[RenderableType]:
    """The way of a frame, two lines a step: what happens there, and where that was said."""
    names = [f"{step.switch}:{step.port}" for step in verdict.witness]
    width = max(map(len, names), default=0)
    for name, step in zip(names, verdict.witness, strict=True):
        tagged = " tagged" if step.tagged else ""
        tag = "" if step.vlan is None else f"VLAN {step.vlan}{tagged}"
        line = f"{name:<{width}}  {step.event:<7}  {tag:<16}  {step.because}"
        yield indented(safe(line), 4)
        yield indented(f"{'':<{width}}  {place(step.origin, locator)}", 4, "dim")


def _blame(verdict: Verdict, locator: Locator) -> Iterator[RenderableType]:
    """The lines to blame, in columns."""
    # Nobody to blame.
    if not verdict.blame:
        return
    # One change is enough, or only all of them together.
    if all(blame.alone for blame in verdict.blame):
        yield indented("To blame (changing any one ends the leak):", 2)
    else:
        yield indented("To blame, among others (this is not the only way):", 2)
    rows = [(f"{b.switch}:{b.port}", place(b.origin, locator), b.says) for b in verdict.blame]
    end_width, at_width = (max(len(row[column]) for row in rows) for column in (0, 1))
    for end, at, says in rows:
        yield indented(safe(f"{end:<{end_width}}  {at:<{at_width}}  {says}"), 4)


def _origin(origin: Origin, locator: Locator) -> dict[str, Any]:
    return {"file": origin.file or None, "line": locator.line(origin) or None}


def verdicts_result(
    verdicts: list[Verdict], locator: Locator, lost: Sequence[Problem] = (), since: str = ""
) -> Result:
    """Verdicts in every form. `lost` are files that could not be read; `since` counts those of a
    baseline.
    """
    return Result(
        value=lambda: verdicts_json(verdicts, locator) | lost_json(lost),
        grids=lambda: [verdicts_grid(verdicts, locator)],
        text=lambda screen: verdicts_text(verdicts, locator, screen, since),
        sarif=lambda: verdicts_sarif(verdicts, locator, lost),
        junit=lambda: verdicts_junit(verdicts, lost),
    )


def with_claims(
    value: dict[str, Any],
    grid: Grid,
    verdicts: list[Verdict],
    locator: Locator,
    brief: Grid | None = None,
) -> Result:
    """A story of frames with what the plan claims of it, if anything, and the lines to blame.
    `brief` is a shorter table for the screen.
    """
    grids = [grid, *([brief] if brief is not None else [])]
    for v in verdicts:
        blame = ", ".join(f"{b.switch}:{b.port} ({place(b.origin, locator)})" for b in v.blame)
        to_blame = f"; to blame: {blame}" if blame else ""
        at = place(v.origin, locator)
        claim = f"Claim: {v.claim} ({at}, layer {v.layer}, {v.level})"
        why = f": {v.because}" if v.verdict == Outcome.UNDECIDED else ""
        # Said below each form of the table.
        for table in grids:
            table.notes.append(safe(f"{claim} {_IS[v.verdict]}{why}{to_blame}"))
    claims = verdicts_json(verdicts, locator) if verdicts else {}
    return Result(
        value=lambda: {**value, **claims},
        grids=lambda: [grid],
        text=lambda screen: grid_text(grids[-1], screen),
    )


_IS = {Outcome.HOLDS: "holds", Outcome.BROKEN: "is broken", Outcome.UNDECIDED: "is undecided"}
_CELL = {
    Reach.SAME: "same",
    Reach.LEAKS: "LEAK",
    Reach.ROUTED: "via",
    Reach.PART: "part via",
    Reach.APART: "·",
    Reach.CHANCE: "?",
    Reach.UNKNOWN: "not known",
}
_SIGNS = {
    Reach.SAME: "same: one broadcast domain",
    Reach.LEAKS: "LEAK: one way only",
    Reach.ROUTED: "via: routed there",
    Reach.PART: "part: a filter stops some",
    Reach.APART: "·: apart",
    Reach.CHANCE: "?: chance decides, in the spanning tree",
    Reach.UNKNOWN: "not known: a neighbour without a file may pass it",
}


_BRIEF = {
    Reach.SAME: "=",
    Reach.LEAKS: "!",
    Reach.ROUTED: "",
    Reach.PART: "/",
    Reach.APART: "·",
    Reach.CHANCE: "?",
    Reach.UNKNOWN: "*",
}
_BRIEF_SIGNS = {
    Reach.SAME: "=: one broadcast domain",
    Reach.LEAKS: "!: leaks, one way only",
    Reach.PART: "/: a filter stops some",
    Reach.APART: "·: apart",
    Reach.CHANCE: "?: chance decides, in the spanning tree",
    Reach.UNKNOWN: "*: not known, a neighbour without a file may pass it",
}


def matrix_result(matrix: Matrix, locator: Locator) -> Result:
    """Who reaches whom in every form, and what nobody knows that this rests on."""

    def text(screen: Screen) -> str:
        # Elsewhere nothing has to fit, and names are easier to find than letters.
        grid = matrix_grid(matrix) if screen.width is None else brief_matrix_grid(matrix)
        return grid_text(grid, screen)

    def value() -> dict[str, Any]:
        assumes = [safe(says) for says in matrix.assumes]
        return {"reach": plain(matrix.cells, locator), "assumes": assumes}

    return Result(value=value, grids=lambda: [matrix_grid(matrix)], text=text)


def brief_matrix_grid(matrix: Matrix) -> Grid:
    """The same for a screen: numbers as heads, routers by letter, the letters below."""
    cells = matrix.cells
    names = list(dict.fromkeys(cell.one for cell in cells))
    # No two sides: the long form says why.
    if not cells:
        return matrix_grid(matrix)
    by_pair = {(cell.one, cell.other): cell for cell in cells}
    heads = [_number_of(name) for name in names]
    # Numbers as heads only if each has one, and no two the same.
    numbered = all(heads) and len(set(heads)) == len(heads)
    heads = heads if numbered else [str(number) for number in range(1, len(names) + 1)]
    letters: dict[str, str] = {}
    columns = [Column("reaches", whole=True), *(Column(head, whole=True) for head in heads)]
    grid = Grid(columns, in_pieces=True)
    for one, head in zip(names, heads, strict=True):
        row, marked = [one if numbered else f"{head} {one}"], []
        for at, other in enumerate(names, 1):
            cell = by_pair.get((one, other))
            # A letter for each row of routers.
            via = letters.setdefault(cell.via, _letter(len(letters))) if cell and cell.via else ""
            row.append("-" if cell is None else f"{via}{_BRIEF[cell.how]}")
            # Leaks and shared domains need the eye.
            marked += [at] if cell is not None and cell.how in (Reach.SAME, Reach.LEAKS) else []
        grid.add(*row, marked=tuple(marked))
    there = {cell.how for cell in cells}
    legend = [f"{letter}: routed by {via}" for via, letter in letters.items()]
    legend += [says for how, says in _BRIEF_SIGNS.items() if how in there]
    grid.notes += ["; ".join(legend), *_assumed(matrix)]
    return grid


def _assumed(matrix: Matrix) -> Iterator[str]:
    """What a matrix rests on that may be otherwise, below it."""
    yield from (f"Rests on: {safe(says)}" for says in matrix.assumes[:_SHOWN])
    if len(matrix.assumes) > _SHOWN:
        yield _more(matrix.assumes)


def _number_of(name: str) -> str:
    """The VLAN number that a name begins with; "" if it begins with none."""
    first = name.partition(" ")[0]
    return first if first.isdigit() else ""


def _letter(number: int) -> str:
    """A, B, ..., Z, AA, AB, ..."""
    # After Z come two letters.
    return (_letter(number // 26 - 1) if number >= 26 else "") + chr(65 + number % 26)


def matrix_grid(matrix: Matrix) -> Grid:
    """Rows reach columns."""
    cells = matrix.cells
    names = list(dict.fromkeys(cell.one for cell in cells))
    by_pair = {(cell.one, cell.other): cell for cell in cells}
    grid = Grid([Column("reaches", whole=True), *(Column(name) for name in names)])
    for one in names:
        row, marked = [one], []
        for at, other in enumerate(names, 1):
            cell = by_pair.get((one, other))
            row.append("-" if cell is None else f"{_CELL[cell.how]} {cell.via}".strip())
            marked += [at] if cell is not None and cell.how in (Reach.SAME, Reach.LEAKS) else []
        grid.add(*row, marked=tuple(marked))
    # Nobody to compare.
    if not cells:
        grid.notes.append(
            "There are no two sides to compare: segments and hosts are named in the plan, hosts in"
            " a table."
        )
        return grid
    there = {cell.how for cell in cells}
    grid.notes.append("; ".join(says for how, says in _SIGNS.items() if how in there))
    grid.notes += _assumed(matrix)
    return grid


def verdicts_json(verdicts: list[Verdict], locator: Locator) -> dict[str, Any]:
    """The fixed shape, with reasons and the lines to blame."""
    return {
        "claims": [
            {
                "claim": safe(v.claim),
                "kind": v.kind,
                "level": v.level,
                "layer": v.layer,
                "verdict": v.verdict,
                "because": safe(v.because),
                **_origin(v.origin, locator),
                "witness": [step_json(step, locator) for step in v.witness],
                "blame": [
                    {
                        "switch": safe(b.switch),
                        "port": safe(b.port),
                        "says": safe(b.says),
                        "alone": b.alone,
                        **_origin(b.origin, locator),
                    }
                    for b in v.blame
                ],
                "assumes": [safe(text) for text in v.assumes],
            }
            for v in verdicts
        ]
    }


def verdicts_grid(verdicts: list[Verdict], locator: Locator) -> Grid:
    grid = Grid(
        [
            Column(name)
            for name in ("Verdict", "Claim", "Layer", "Level", "Because", "Way", "To blame")
        ]
    )
    for v in verdicts:
        way = "; ".join(
            f"{s.switch}:{s.port} {s.event} {s.vlan if s.vlan is not None else ''}"
            for s in v.witness
        )
        blame = "; ".join(f"{b.switch}:{b.port} {place(b.origin, locator)}" for b in v.blame)
        grid.add(v.verdict, v.claim, str(v.layer), v.level, v.because, way, blame)
    grid.notes.append(verdicts_summary(verdicts))
    return grid


def verdicts_junit(verdicts: list[Verdict], lost: Sequence[Problem]) -> str:
    """Each claim as a test case; one that does not hold fails."""
    return junit(
        "inkov prove",
        [
            (
                v.claim,
                f"inkov.{v.kind}",
                (
                    []
                    if v.verdict == Outcome.HOLDS
                    else [
                        f"{v.verdict}: {v.because}",
                        *(
                            f"{s.switch}:{s.port} {s.event} VLAN {s.vlan}: {s.because}"
                            for s in v.witness
                        ),
                    ]
                ),
            )
            for v in verdicts
        ],
        lost,
    )


_KINDS = {
    "isolate": "Members that must be apart are not.",
    "not-reach": "A host reaches another that it must not reach.",
    "reach": "A host does not reach another.",
    "join": "Members that belong together are split.",
    "carried-by": "A VLAN appears where it must not.",
    "no-leak": "A VLAN leaks into another.",
    "whole": "A VLAN is split.",
}


def verdicts_sarif(verdicts: list[Verdict], locator: Locator, lost: Sequence[Problem] = ()) -> str:
    """The claims as results: those that hold pass, broken ones fail at the lines to blame."""
    kinds = list(_KINDS)
    rules = [
        {"id": kind, "shortDescription": {"text": text}, "defaultConfiguration": {"level": "error"}}
        for kind, text in _KINDS.items()
    ]
    results = []
    # A result stands where the blame is, or where it stops, or at the claim.
    for v in verdicts:
        blamed = [location(b.origin, locator, f"{b.switch}:{b.port}") for b in v.blame]
        stops = [location(v.witness[-1].origin, locator, v.witness[-1].switch)] if v.witness else []
        own = [location(v.origin, locator, "")] if v.origin.file else []
        broken = v.verdict == Outcome.BROKEN
        kind = {Outcome.HOLDS: "pass", Outcome.BROKEN: "fail", Outcome.UNDECIDED: "review"}[
            v.verdict
        ]
        results.append(
            {
                "ruleId": v.kind,
                "ruleIndex": kinds.index(v.kind),
                "kind": kind,
                "level": "error" if broken else "none",
                "message": {"text": safe(f"{v.claim}: {v.verdict}, {v.because}")},
                "locations": (blamed or stops or own)[:1],
                "relatedLocations": blamed[1:],
                "properties": {
                    "layer": v.layer,
                    "level": v.level,
                    "assumes": [safe(text) for text in v.assumes],
                },
            }
        )
    return sarif(rules, results, lost, locator)
