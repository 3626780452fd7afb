"""What mends findings: the edits by switch, what they do, and what is left."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from typing import Any

from inkov.edits import Edit, Kind
from inkov.effects import Comparison
from inkov.effects.consequences import About
from inkov.effects.words import pair_in_words
from inkov.harmless import safe
from inkov.levels import Level, Outcome
from inkov.mend.claims import HOLDS, Claimed
from inkov.mend.findings import OF_PAPER, Mended
from inkov.mend.goals import Goal
from inkov.mend.order import Step
from inkov.mend.staying import Stay
from inkov.readers import Locator
from inkov.render.edits import (
    change_in_words,
    edit_json,
    name_of_edit,
    value_in_words,
    what_of_edit,
)
from inkov.render.findings import finding_json
from inkov.render.grid import Column, Grid
from inkov.render.results import Result
from inkov.render.text import brief, plain
from inkov.words import counted

_ALIKE = 5  # findings of a rule that are left
_STAYS = 20  # rows of what stays
_SHOWN = 8  # rows of who reaches whom
__all__ = ["claim_result", "diff_result", "mend_result", "plan_result", "steps_result"]


def mend_result(mended: Mended, locator: Locator, stays: Sequence[Stay] = ()) -> Result:
    """What mends findings, in every form; and what stays, where somebody cleans up."""

    def grids() -> list[Grid]:
        left = [_left(mended)] if mended.unmet else []
        return [_changes(mended, locator), *left, *([_stays(stays, locator)] if stays else [])]

    def value() -> dict[str, Any]:
        rows = [
            {
                "a": safe(str(stay.a)),
                "b": safe(str(stay.b)),
                "vlans": str(stay.vlans),
                "says": stay.says,
                "where": plain(stay.origin, locator),
            }
            for stay in stays
        ]
        return _value(mended, locator) | ({"stays": rows} if stays else {})

    return Result(value=value, grids=grids)


def _stays(stays: Sequence[Stay], locator: Locator) -> Grid:
    columns = [Column("Stays"), Column("On the link"), Column("Why"), Column("Said at", spare=True)]
    grid = Grid(columns)
    for stay in stays[:_STAYS]:
        link = f"{stay.a} to {stay.b}"
        grid.add(f"VLAN {stay.vlans}", link, stay.says, brief(stay.origin, locator))
    # Some rows on a screen, all of them in JSON.
    if len(stays) > _STAYS:
        grid.notes.append(_rows_more(len(stays) - _STAYS))
    return grid


def _rows_more(number: int) -> str:
    return f"{counted(number, 'row')} more, all of them in JSON"


def claim_result(goal: Claimed, mended: Mended, locator: Locator) -> Result:
    """What makes a claim true, in every form."""

    def grids() -> list[Grid]:
        # Nothing to change: the reason is the answer.
        if not goal.edits:
            grid = Grid([Column("Claim"), Column("Why there is nothing to change")])
            grid.add(goal.claim, goal.says)
            return [grid]
        # The edits, and what they make true.
        grid = _changes(mended, locator)
        sure = "" if goal.smallest else " Fewer edits might do."
        grid.notes.insert(0, f"The claim {goal.claim} holds then.{sure}")
        return [grid]

    def value() -> dict[str, Any]:
        edits = [edit_json(edit, locator) for edit in goal.edits]
        changes = [{"goal": {"claim": safe(goal.claim)}, "edits": edits}] if edits else []
        left = not edits and goal.says != HOLDS
        unmet = [{"claim": safe(goal.claim), "says": safe(goal.says)}] if left else []
        return _value(mended, locator) | {"changes": changes, "unmet": unmet}

    return Result(value=value, grids=grids)


def plan_result(goals: list[Goal], mended: Mended, locator: Locator) -> Result:
    """What makes a plan true, in every form."""
    unmet = [goal for goal in goals if goal.says]

    def grids() -> list[Grid]:
        grid = Grid([Column("Not met"), Column("Why")])
        for goal in unmet:
            grid.add(goal.words, goal.says)
        changes = _changes(mended, locator)
        changes.notes[:0] = [_goal_in_words(goal) for goal in goals if not goal.says]
        left = [_left(mended)] if mended.unmet else []
        return [changes, *([grid] if unmet else []), *left]

    def value() -> dict[str, Any]:
        whole = _value(mended, locator)
        placed = [
            {
                "goal": _key(goal),
                "edits": [edit_json(edit, locator) for edit in goal.edits],
            }
            for goal in goals
            if goal.edits and not goal.says
        ]
        whole["changes"] = [*placed, *whole["changes"]]
        missed = [_key(goal) | {"says": safe(goal.says)} for goal in unmet]
        whole["unmet"] = [*missed, *whole["unmet"]]
        return whole

    return Result(value=value, grids=grids)


def _where(step: Step) -> str:
    """Where something is changed that is no switch's own."""
    return "cabling" if all(edit.kind is Kind.CABLE for edit in step.edits) else "tables"


def _key(goal: Goal) -> dict[str, Any]:
    """What finds a goal in the plan."""
    return {
        name: safe(value) if isinstance(value, str) else value for name, value in goal.key.items()
    }


def _goal_in_words(goal: Goal) -> str:
    # Nothing had to be done.
    if not goal.edits:
        return f"{goal.words} is as planned."
    switches = len({edit.switch for edit in goal.edits if edit.switch})
    on = "1 switch" if switches == 1 else f"{switches} switches"
    number = "1 edit" if len(goal.edits) == 1 else f"{len(goal.edits)} edits"
    sure = "" if goal.smallest else "; fewer might do"
    return f"{goal.words}: {number} on {on}{sure}."


def steps_result(steps: list[Step], entered: list[list[str]], locator: Locator) -> Result:
    """What to enter, step by step: the lines that change, or where these are not known, what
    changes in words.
    """

    def grids() -> list[Grid]:
        grid = Grid([Column("Step", right=True), Column("Switch"), Column("What to enter")])
        for number, (step, lines) in enumerate(zip(steps, entered, strict=True), 1):
            texts = lines or [_in_words(edit) for edit in step.edits]
            # Whom a step cuts off until a later one.
            texts = [*texts, *(f"(until a later step: {says})" for says in step.cuts)]
            for place, text in enumerate(texts):
                about = (str(number), step.switch or _where(step)) if place == 0 else ("", "")
                grid.add(*about, text)
        # Nothing to enter; too many steps to try; or nobody cut off.
        if not steps:
            grid.notes.append("There is nothing to change.")
        elif any(not step.tried for step in steps):
            grid.notes.append("Tried after each stage, not after each step: they are too many.")
        elif not any(step.cuts for step in steps):
            grid.notes.append("On the way nobody is cut off who is not in the end.")
        return [grid]

    def value() -> dict[str, Any]:
        return {
            "steps": [
                {
                    "switch": safe(step.switch) or None,
                    "edits": [edit_json(edit, locator) for edit in step.edits],
                    "enter": [safe(line) for line in lines],
                    "cuts": [safe(says) for says in step.cuts],
                    "tried": step.tried,
                }
                for step, lines in zip(steps, entered, strict=True)
            ]
        }

    return Result(value=value, grids=grids)


def _in_words(edit: Edit) -> str:
    """An edit as somebody would enter it: the thing, the attribute, and the value that it gets."""
    thing = name_of_edit(edit).removeprefix(edit.switch).lstrip(" :")
    named = edit.kind is Kind.PORT and not thing.lower().startswith("port")
    thing = f"port {thing}" if named else thing
    # A thing as a whole, or a value that goes.
    if edit.whole or edit.after is None:
        return " ".join(filter(None, (thing, what_of_edit(edit), change_in_words(edit))))
    after = value_in_words(edit.after)
    change = change_in_words(edit)
    more = f" ({change})" if change.startswith(("+", "-")) else ""
    return f"{thing}: {what_of_edit(edit)} {after}{more}"


def diff_result(diffs: list[str]) -> Result:
    """What changes in files. In a table each file is a row."""

    def grids() -> list[Grid]:
        grid = Grid([Column("Change")])
        for diff in diffs:
            grid.add(diff)
        return [grid]

    return Result(
        value=lambda: {"diffs": [safe(diff) for diff in diffs]},
        grids=grids,
        text=lambda screen: "".join(diffs),
    )


def _changes(mended: Mended, locator: Locator) -> Grid:
    for_rules = any(mended.reasons)
    columns = [Column("Change"), Column("What"), Column("Before and after"), Column("At")]
    grid = Grid([*columns, *([Column("For", whole=True, spare=True)] if for_rules else [])])
    for edit, origin, reason in zip(mended.edits, mended.places, mended.reasons, strict=True):
        grid.add(
            name_of_edit(edit),
            what_of_edit(edit),
            change_in_words(edit, short=True),
            brief(origin, locator),
            *([reason] if for_rules else []),
        )
    gone = len(mended.findings)
    # Without edits there is nothing that they do.
    if not mended.edits:
        grid.notes.append("There is nothing to change.")
        return grid
    edits = "this edit" if len(mended.edits) == 1 else f"these {len(mended.edits)} edits"
    findings = "1 finding is" if gone == 1 else f"{gone} findings are"
    # Findings that are gone with them.
    if gone:
        sure = "" if mended.smallest else " Fewer edits might do."
        grid.notes.append(f"With {edits} {findings} gone.{sure}")
    if mended.effects is not None:
        grid.notes += _what_they_do(mended.effects)
    return grid


def _what_they_do(done: Comparison) -> Iterator[str]:
    """What edits do, a sentence each. Of losses those are left that are meant: all others are
    harm, and not proposed.
    """
    effects = [effect for effect in done.effects if not effect.follows]
    # What a hostile host loses is told in one line.
    less = [e for e in effects if not e.gained and e.level == Level.HOSTILE]
    shown = [effect for effect in effects if effect not in less]
    for what, gained in (("Joined", True), ("Apart, as is meant", False)):
        rows = [pair_in_words(effect, done.name_of) for effect in shown if effect.gained is gained]
        yield from (f"{what}: {row}" for row in rows[:_SHOWN])
        if len(rows) > _SHOWN:
            yield f"{what}: {_rows_more(len(rows) - _SHOWN)}"
    if less:
        number = "1 row" if len(less) == 1 else f"{len(less)} rows"
        yield f"Hostile hosts reach fewer ports than before ({number} of `lost` in JSON)."
    # Claims that hold with the edits.
    for change in done.claims:
        if change.after is not None and change.after.verdict == Outcome.HOLDS:
            yield f"Holds then: {change.claim}"
    # Links that have a spare now, gateways that are up.
    for better in done.consequences:
        if better.about in (About.SPARE, About.GATEWAY) and not better.worse:
            yield f"Better: {' '.join(filter(None, (better.name, better.says)))}"
    nobody = "Nobody" if all(effect.gained for effect in effects) else "Nobody else"
    yield f"{nobody} is cut off, no honest host's frame gets to another segment, no claim breaks."
    for new in (finding for finding in [*done.new, *done.worse] if finding.rule not in OF_PAPER):
        yield f"An audit finds then: {new.says} ({new.rule})."
    for says in done.undecided:
        yield f"Not known: {says}."


def _left(mended: Mended) -> Grid:
    grid = Grid([Column("Not mended"), Column("Finding"), Column("Why")], blocks=True)
    counts = Counter(unmet.finding.rule for unmet in mended.unmet)
    shown: Counter[str] = Counter()
    for unmet in mended.unmet:
        rule = unmet.finding.rule
        shown[rule] += 1
        # The first of a rule, and the number of the others.
        if shown[rule] <= _ALIKE:
            grid.add(rule, unmet.finding.says, unmet.says)
        elif shown[rule] == counts[rule]:
            grid.add(rule, f"and {counts[rule] - _ALIKE} more", "as above; all of them in JSON")
    left = len(mended.unmet)
    grid.notes.append("1 finding is left." if left == 1 else f"{left} findings are left.")
    return grid


def _value(mended: Mended, locator: Locator) -> dict[str, Any]:
    """The fixed shape. `edits` are all of them together, as they are to be made."""
    done = mended.effects
    effects = [effect for effect in done.effects if not effect.follows] if done is not None else []
    name_of = done.name_of if done is not None else str
    return {
        "changes": [
            {
                "goal": finding_json(finding, locator),
                "edits": [edit_json(edit, locator) for edit in finding.edits],
            }
            for finding in mended.findings
        ],
        "edits": [edit_json(edit, locator) for edit in mended.edits],
        "unmet": [
            {"finding": finding_json(unmet.finding, locator), "says": safe(unmet.says)}
            for unmet in mended.unmet
        ],
        "gained": [safe(pair_in_words(e, name_of)) for e in effects if e.gained],
        "lost": [safe(pair_in_words(e, name_of)) for e in effects if not e.gained],
        "undecided": [safe(says) for says in done.undecided] if done is not None else [],
    }
