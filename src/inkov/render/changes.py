"""A comparison as text and as tables; `review` has its other forms."""

from __future__ import annotations

from collections.abc import Iterator

from rich.console import RenderableType
from rich.text import Text

from inkov.campus import Origin, Problem
from inkov.checks import Finding
from inkov.edits import Edit
from inkov.effects import Comparison, Effect, Story, story_in_words
from inkov.forwarding.follow import Step
from inkov.harmless import safe
from inkov.levels import Layer, Level
from inkov.readers import Locator
from inkov.render.compared import (
    Lines,
    View,
    claim_lines,
    consequence_line,
    findings_of,
    headline,
    verdict,
)
from inkov.render.edits import (
    change_in_words,
    name_of_edit,
    place_of_edit,
    what_of_edit,
)
from inkov.render.exchange import lost_json
from inkov.render.grid import Column, Grid
from inkov.render.results import Result
from inkov.render.review import (
    comparison_comment,
    comparison_json,
    comparison_junit,
    comparison_sarif,
)
from inkov.render.terminal import SEVERITY, indented
from inkov.words import counted

__all__ = ["comparison_result"]

_BLAMED = 4  # edits of an effect
_MOST = 12  # of a kind on a screen; the rest is counted
_SECTION = "bold underline"
_GOOD, _BAD = "bold green", "bold white on red"


def comparison_result(
    result: Comparison,
    locator: Locator,
    names: tuple[str, str],
    lost: list[Problem],
) -> Result:
    """A comparison in every form. `names` are what the two sides are called, `lost` are files that
    could not be read.
    """
    view = View(result, locator, names)
    return Result(
        value=lambda: comparison_json(view) | lost_json(lost),
        grids=lambda: _grids(view),
        text=lambda screen: screen.render(*_text(view, lost)),
        markdown=lambda: comparison_comment(view, lost),
        sarif=lambda: comparison_sarif(view, lost),
        junit=lambda: comparison_junit(view, lost),
    )


# --- in words -------------------------------------------------------------------------------------


def _text(view: View, lost: list[Problem]) -> Iterator[RenderableType]:
    """What matters stands last, where the eye ends on a terminal."""
    result = view.result
    for old, new in sorted(result.renamed.items()):
        # By likeness it is a guess, and said so.
        yield Text(safe(f"{old} is called {new.name} now{'' if new.sure else ', by its looks'}."))
    yield from _section("Edits", _edits_together(view))
    others = [[consequence_line(consequence)] for consequence in result.consequences]
    yield from _section("On the campus as a whole", others)
    for kind, findings in (
        ("Findings gone", result.gone),
        ("Worse findings", result.worse),
        ("New findings", result.new),
    ):
        yield from _section(kind, [_finding_lines(view, finding) for finding in findings])
    yield from _section("Claims", [claim_lines(view, change) for change in result.claims])
    shown, quiet = _stories_to_show(view)
    entries = [_story_lines(view, story) for story in shown]
    for follows, whose in (
        (True, "of those that gain or lose it above"),
        (False, "between segments that were routed before"),
    ):
        number = sum(story[0].follows is follows for story in quiet)
        if number:
            entries.append([(f"{counted(number, 'more row')} by routers, {whose}", "dim")])
    yield from _section("Who reaches whom", entries)
    for says in result.undecided:
        yield Text(f"Not known: {safe(says)}.", style="bold magenta")
    for says in result.assumes:
        yield Text(f"Rests on: {safe(says)}", style="dim")
    for problem in lost:
        yield Text(f"Not read: {safe(problem.origin.file)}", style="bold magenta")
    told = [refusal for refusal in result.refusals if refusal.story is None]
    refusals = [
        [(safe(refusal.says), ""), (f"  {view.at(refusal.origin)}", "dim")] for refusal in told
    ]
    if len(told) < len(result.refusals):
        rows = counted(len(result.refusals) - len(told), "row")
        refusals.append([(f"reach: {rows} above, marked with !", "")])
    yield from _section("Refused", refusals)
    yield Text(headline(view), style="bold")
    yield Text(verdict(view), style=_BAD if result.refused else _GOOD)


def _stories_to_show(view: View) -> tuple[list[Story], list[Story]]:
    """The stories, those that are refused first, frames before packets; and those by routers that
    are only counted: they follow from others, or are between segments that were routed before.
    """
    refused = {id(effect) for refusal in view.result.refusals for effect in refusal.story or ()}
    every = view.result.stories
    shown = [
        story
        for story in every
        if any(id(effect) in refused for effect in story)
        or story[0].layer == Layer.FRAMES
        or ((story[0].crosses or _within_one(story[0])) and not story[0].follows)
    ]
    shown.sort(
        key=lambda s: (refused.isdisjoint(map(id, s)), s[0].level != Level.HONEST, s[0].layer)
    )
    kept = {id(story) for story in shown}
    return shown, [story for story in every if id(story) not in kept]


def _within_one(effect: Effect) -> bool:
    """Whether all of a row are in one segment, or without segments in the same VLANs: that packets
    pass between them is not told by which segments are routed.
    """
    one, other = effect.sources, effect.targets
    # Hosts of one VLAN need a router only where frames do not get from one to the other.
    if not one.segments and not other.segments:
        return one.vlans == other.vlans
    return bool({*one.segments} & {*other.segments})


def _section(title: str, entries: list[Lines]) -> Iterator[RenderableType]:
    # Nothing of the kind: no heading.
    if not entries:
        return
    yield Text(title, style=_SECTION)
    for lines in entries[:_MOST]:
        for text, style in lines:
            if text.strip():
                yield indented(text.lstrip(), 2 + len(text) - len(text.lstrip()), style)
    if len(entries) > _MOST:
        yield indented(f"... and {len(entries) - _MOST} more; -f json has all", 2, "dim")
    yield Text()


def _edits_together(view: View) -> list[Lines]:
    """The edits, those that change the same of several things of a switch together. What states
    what held already is counted.
    """
    together: dict[tuple[str, str, str], list[Edit]] = {}
    edits, entries = view.result.edits, []
    # In another kind of source the same is said in other words.
    other_kind = {e.switch for e in edits if e.attribute == "platform"} - {*view.result.unlike}
    for switch in sorted(other_kind):
        own = sum(edit.switch == switch for edit in edits)
        says = f"{counted(own, 'edit')} by another kind of source; it forwards as before"
        entries.append([(f"{safe(switch)}: {says}", "")])
    edits = [edit for edit in edits if edit.switch not in other_kind]
    for edit in edits:
        # What held by default already is counted.
        if not edit.idle:
            key = edit.switch, f"{edit.kind} {edit.attribute}", change_in_words(edit)
            together.setdefault(key, []).append(edit)
    for same in together.values():
        first, others = same[0], len(same) - 1
        line = view.edit(first)
        # The first stands for all that change alike.
        if others:
            name = safe(name_of_edit(first))
            line = f"{name} and {others} more{line.removeprefix(name)}"
        entries.append([(line, ""), (f"  {place_of_edit(first, view.locator)}", "dim")])
    idle = sum(edit.idle for edit in edits)
    if idle:
        entries.append([(f"and {counted(idle, 'edit')} of what held by default already", "dim")])
    return entries


def _finding_lines(view: View, finding: Finding) -> Lines:
    at = finding.where[0].origin if finding.where else Origin()
    return [
        (safe(f"{finding.severity.upper()}  {finding.rule}: {finding.says}"), _style(finding)),
        (f"  {view.at(at)}", "dim"),
    ]


def _style(finding: Finding) -> str:
    return SEVERITY[finding.severity] if finding.severity in ("breach", "fault") else ""


def _story_lines(view: View, story: Story) -> Lines:
    effect = story[0]
    refused = any(map(view.result.is_refused, story))
    word = f"{'!' if refused else '-'} {'GAINED' if effect.gained else 'LOST'}"
    words = safe(story_in_words(story, view.result.name_of))
    lines: Lines = [(f"{word}  {words}", "bold" if refused else "")]
    # Only ways that a tree would cut.
    if not effect.settled:
        lines.append(("  only by ways that pass a switch twice: not settled", ""))
    lines += [(f"    {text}", style) for text, style in _way(view, effect)]
    for edit in effect.blame[:_BLAMED]:
        at = place_of_edit(edit, view.locator)
        lines.append((f"      to blame: {view.edit(edit)}  {at}", ""))
    more = len(effect.blame) - _BLAMED
    if more > 0:
        lines.append((f"      and {counted(more, 'more edit')}", ""))
    if not effect.smallest:
        lines.append(("      (fewer edits may do)", "dim"))
    return lines


def _way(view: View, effect: Effect) -> Lines:
    """The way in short: where it passes, and of what is lost, why it stops."""
    # Who is gone altogether has no way.
    if not effect.witness:
        return []
    *way, last = effect.witness
    passed = [_end(step) for step in way]
    if effect.gained:
        # Gained: where it passes; lost: where it stops.
        return [(f"as in {' > '.join(dict.fromkeys([*passed, _end(last)]))}", "dim")]
    stop = f"stops at {_end(last)}: {safe(last.because)}"
    start = f"from {' > '.join(dict.fromkeys(passed))}, " if passed else ""
    return [(f"{start}{stop}  {view.at(last.origin)}".rstrip(), "dim")]


def _end(step: Step) -> str:
    return safe(f"{step.switch}:{step.port}" if step.port else step.switch)


# --- tables ---------------------------------------------------------------------------------------


def _grids(view: View) -> list[Grid]:
    grid = Grid(
        [Column("Kind"), Column("What"), Column("How"), Column("Said at"), Column("Refused")]
    )
    refused = {id(refusal.about) for refusal in view.result.refusals}
    refused |= {id(effect) for refusal in view.result.refusals for effect in refusal.story or ()}

    def mark(about: object) -> str:
        return "yes" if id(about) in refused else ""

    for edit in view.result.edits:
        how = f"{what_of_edit(edit)} {change_in_words(edit)}".strip()
        grid.add("edit", name_of_edit(edit), how, place_of_edit(edit, view.locator), mark(edit))
    for effect in view.result.effects:
        blame = "; ".join(view.edit(edit) for edit in effect.blame)
        kind = f"reach {'gained' if effect.gained else 'lost'}"
        grid.add(kind, view.pair(effect), blame, view.at(effect.place), mark(effect))
    for consequence in view.result.consequences:
        grid.add(
            str(consequence.about),
            consequence.name,
            consequence.says,
            view.at(consequence.origin),
            "",
        )
    for kind, findings in findings_of(view):
        for finding in findings:
            at = finding.where[0].origin if finding.where else Origin()
            cells = f"finding {kind}", finding.rule, finding.says, view.at(at)
            grid.add(*cells, mark(finding))
    for change in view.result.claims:
        told = change.after or change.before
        assert told is not None
        verdicts = " -> ".join(
            str(v.verdict) if v is not None else "not made" for v in (change.before, change.after)
        )
        grid.add("claim", change.claim, verdicts, view.at(told.origin), mark(change))
    for refusal in view.result.refusals:
        # What stands in no other row.
        if refusal.about is None and refusal.story is None:
            grid.add("not known", "", refusal.says, view.at(refusal.origin), "yes")
    grid.notes += [f"Rests on: {safe(says)}" for says in view.result.assumes]
    grid.notes += [headline(view), verdict(view)]
    return [grid]
