"""A comparison as text, as tables, as a comment for reviewers, and for other systems."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from rich.console import RenderableType
from rich.text import Text

from inkov.campus import Origin, Problem
from inkov.checks import Finding
from inkov.edits import Edit
from inkov.effects import Comparison, Effect, Group, Story, pair_in_words, story_in_words
from inkov.effects.comparison import ClaimChange
from inkov.effects.consequences import About, Consequence
from inkov.forwarding.follow import Step
from inkov.harmless import safe
from inkov.levels import Layer, Level, Outcome
from inkov.readers import Locator
from inkov.render.edits import (
    change_in_words,
    edit_json,
    name_of_edit,
    place_of_edit,
    what_of_edit,
)
from inkov.render.exchange import junit, location, lost_json, sarif
from inkov.render.follow import step_json
from inkov.render.grid import Column, Grid, markdown_cell
from inkov.render.results import Result
from inkov.render.terminal import SEVERITY, indented
from inkov.render.text import place, plain

__all__ = ["comparison_result"]

_BLAMED = 4  # edits of an effect
_MOST = 12  # of a kind on a screen; the rest is counted
_SECTION = "bold underline"
_GOOD, _BAD = "bold green", "bold white on red"


class _View:
    """A comparison and what is needed to tell it."""

    def __init__(self, result: Comparison, locator: Locator, names: tuple[str, str]) -> None:
        self.result = result
        self.locator = locator
        self.names = names

    def pair(self, effect: Effect) -> str:
        return safe(pair_in_words(effect, self.result.name_of))

    def at(self, origin: Origin) -> str:
        return place(origin, self.locator)

    def edit(self, edit: Edit) -> str:
        what = what_of_edit(edit)
        return safe(f"{name_of_edit(edit)}: {what}{' ' * bool(what)}{change_in_words(edit)}")


def comparison_result(
    result: Comparison,
    locator: Locator,
    names: tuple[str, str],
    lost: list[Problem],
) -> Result:
    """A comparison in every form. `names` are what the two sides are called, `lost` are files that
    could not be read.
    """
    view = _View(result, locator, names)
    return Result(
        value=lambda: comparison_json(view) | lost_json(lost),
        grids=lambda: _grids(view),
        text=lambda screen: screen.render(*_text(view, lost)),
        markdown=lambda: _comment(view, lost),
        sarif=lambda: _sarif(view, lost),
        junit=lambda: _junit(view, lost),
    )


# --- in words -------------------------------------------------------------------------------------


def headline(view: _View) -> str:
    """What it comes to, in one line that fits a chat message."""
    result = view.result
    # All the same, and everything was read.
    if result.nothing and not result.refused:
        return f"No difference on {_count(result.switches, 'switch', 'switches')}."
    switches = {edit.switch for edit in result.edits if edit.switch}
    alike = result.switches - len(result.unlike)
    parts = [
        f"{_count(len(result.edits), 'edit')} on {_count(len(switches), 'switch', 'switches')}"
    ]
    parts.append(f"{alike} of {_count(result.switches, 'switch', 'switches')} forward as before")
    gained = sum(story[0].gained for story in result.stories)
    lost = len(result.stories) - gained
    parts.append(
        f"reach gained {_times(gained)}, lost {_times(lost)}"
        if result.effects
        else "nobody reaches more or less than before"
    )
    # What did not change is left out.
    new, gone = len(result.new) + len(result.worse), len(result.gone)
    if new or gone:
        parts.append(f"findings: {new} new or worse, {gone} gone")
    if result.claims:
        parts.append(f"{_count(len(result.claims), 'claim')} with another verdict")
    return "; ".join(parts) + "."


def verdict(view: _View) -> str:
    """Whether it is refused."""
    count = len(view.result.refusals)
    return f"Refused: {_count(count, 'thing')} that nobody meant." if count else "Not refused."


def _count(number: int, singular: str, many: str = "") -> str:
    return f"{number} {singular if number == 1 else many or f'{singular}s'}"


def _times(number: int) -> str:
    return {0: "nowhere", 1: "in one place"}.get(number, f"in {number} places")


def _text(view: _View, lost: list[Problem]) -> Iterator[RenderableType]:
    """What matters stands last, where the eye ends on a terminal."""
    result = view.result
    for old, new in sorted(result.renamed.items()):
        # By likeness it is a guess, and said so.
        yield Text(safe(f"{old} is called {new.name} now{'' if new.sure else ', by its looks'}."))
    yield from _section("Edits", _edits_together(view))
    others = [[_consequence_line(consequence)] for consequence in result.consequences]
    yield from _section("On the campus as a whole", others)
    for kind, findings in (
        ("Findings gone", result.gone),
        ("Worse findings", result.worse),
        ("New findings", result.new),
    ):
        yield from _section(kind, [_finding_lines(view, finding) for finding in findings])
    yield from _section("Claims", [_claim_lines(view, change) for change in result.claims])
    shown, quiet = _stories_to_show(view)
    entries = [_story_lines(view, story) for story in shown]
    if quiet:
        by_routers = _count(quiet, "more row")
        entries.append([(f"{by_routers} by routers, of those that gain or lose it above", "dim")])
    yield from _section("Who reaches whom", entries)
    for says in result.undecided:
        yield Text(f"Not known: {safe(says)}.", style="bold magenta")
    for problem in lost:
        yield Text(f"Not read: {safe(problem.origin.file)}", style="bold magenta")
    told = [refusal for refusal in result.refusals if refusal.story is None]
    refusals = [
        [(safe(refusal.says), ""), (f"  {view.at(refusal.origin)}", "dim")] for refusal in told
    ]
    if len(told) < len(result.refusals):
        rows = _count(len(result.refusals) - len(told), "row")
        refusals.append([(f"reach: {rows} above, marked with !", "")])
    yield from _section("Refused", refusals)
    yield Text(headline(view), style="bold")
    yield Text(verdict(view), style=_BAD if result.refused else _GOOD)


def _stories_to_show(view: _View) -> tuple[list[Story], int]:
    """The stories, those that are refused first, frames before packets; and the number of those by
    routers that follow from others: between segments that were routed before.
    """
    refused = {id(effect) for refusal in view.result.refusals for effect in refusal.story or ()}
    every = view.result.stories
    shown = [
        story
        for story in every
        if any(id(effect) in refused for effect in story)
        or story[0].layer == Layer.FRAMES
        or (story[0].crosses and not story[0].follows)
    ]
    shown.sort(
        key=lambda s: (refused.isdisjoint(map(id, s)), s[0].level != Level.HONEST, s[0].layer)
    )
    return shown, len(every) - len(shown)


Lines = list[tuple[str, str]]
"""Lines with their style."""


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


def _edits_together(view: _View) -> list[Lines]:
    """The edits, those that change the same of several things of a switch together. What states
    what held already is counted.
    """
    together: dict[tuple[str, str, str], list[Edit]] = {}
    edits, entries = view.result.edits, []
    # In another kind of source the same is said in other words.
    other_kind = {e.switch for e in edits if e.attribute == "platform"} - {*view.result.unlike}
    for switch in sorted(other_kind):
        own = sum(edit.switch == switch for edit in edits)
        says = f"{_count(own, 'edit')} by another kind of source; it forwards as before"
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
        entries.append([(f"and {_count(idle, 'edit')} of what held by default already", "dim")])
    return entries


def _consequence_line(consequence: Consequence) -> tuple[str, str]:
    of_tree = f"link {consequence.name} " if consequence.name else ""
    subject = {About.ISLANDS: "", About.SPARE: f"link {consequence.name} ", About.TREE: of_tree}
    line = (
        subject.get(consequence.about, f"{consequence.about} {consequence.name} ")
        + consequence.says
    )
    return safe(line), _WORSE if consequence.worse else ""


_WORSE = "bold magenta"


def _finding_lines(view: _View, finding: Finding) -> Lines:
    at = finding.where[0].origin if finding.where else Origin()
    return [
        (safe(f"{finding.severity.upper()}  {finding.rule}: {finding.says}"), _style(finding)),
        (f"  {view.at(at)}", "dim"),
    ]


def _style(finding: Finding) -> str:
    return SEVERITY[finding.severity] if finding.severity in ("breach", "fault") else ""


def _claim_lines(view: _View, change: ClaimChange) -> Lines:
    was, now = (
        str(v.verdict) if v is not None else "not made" for v in (change.before, change.after)
    )
    told = change.after or change.before
    assert told is not None
    fine = now == Outcome.HOLDS
    lines = [(safe(f"{change.claim}: {was} -> {now}"), "" if fine else "bold")]
    # Good news needs no reason.
    if change.after is None or fine:
        return lines
    return [*lines, (safe(f"  {change.after.because}"), ""), (f"  {view.at(told.origin)}", "dim")]


def _story_lines(view: _View, story: Story) -> Lines:
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
        lines.append((f"      and {_count(more, 'more edit')}", ""))
    if not effect.smallest:
        lines.append(("      (fewer edits may do)", "dim"))
    return lines


def _way(view: _View, effect: Effect) -> Lines:
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


def _grids(view: _View) -> list[Grid]:
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
    for kind, findings in _findings(view):
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
    grid.notes += [headline(view), verdict(view)]
    return [grid]


def _findings(view: _View) -> list[tuple[str, list[Finding]]]:
    result = view.result
    return [("new", result.new), ("worse", result.worse), ("gone", result.gone)]


# --- a comment for reviewers ----------------------------------------------------------------------


def _comment(view: _View, lost: list[Problem]) -> str:
    """Markdown for the comment of a review: the verdict first, details folded."""
    result = view.result
    old, new = (_marked(safe(name)) for name in view.names)
    lines = [f"**{verdict(view)}** {_marked(headline(view))}", "", f"{old} → {new}", ""]
    for problem in lost:
        lines.append(f"- not read: {_marked(safe(problem.origin.file))}")
    for refusal in result.refusals:
        at = view.at(refusal.origin)
        lines.append(f"- {_marked(safe(refusal.says))}" + (f" (`{_code(at)}`)" if at else ""))
    lines += [""] * bool(result.refusals or lost)
    if result.effects:
        lines += ["| | Who reaches whom | To blame |", "| --- | --- | --- |"]
        for story in result.stories[:_MOST]:
            effect = story[0]
            blame = "; ".join(
                f"{view.edit(edit)} ({place_of_edit(edit, view.locator)})" for edit in effect.blame
            )
            word = "gained" if effect.gained else "lost"
            words = safe(story_in_words(story, result.name_of))
            lines.append(f"| {word} | {_marked(words)} | {_marked(blame)} |")
        if len(result.stories) > _MOST:
            lines.append(f"| | and {len(result.stories) - _MOST} more | |")
        lines.append("")
    for says in result.undecided:
        lines += [f"Not known: {_marked(safe(says))}.", ""]
    parts: list[tuple[str, list[str]]] = [
        ("Edits", [f"{view.edit(e)} ({place_of_edit(e, view.locator)})" for e in result.edits]),
        (
            "On the campus as a whole",
            [_consequence_line(consequence)[0] for consequence in result.consequences],
        ),
        *(
            (f"Findings {kind}", [f"{f.severity} {f.rule}: {f.says}" for f in findings])
            for kind, findings in _findings(view)
        ),
        ("Claims", [_claim_lines(view, change)[0][0] for change in result.claims]),
    ]
    for title, entries in parts:
        if entries:
            lines += [f"<details><summary>{title} ({len(entries)})</summary>", ""]
            lines += [f"- {_marked(safe(entry))}" for entry in entries[: 10 * _MOST]]
            # A review takes only so much.
            more = len(entries) - 10 * _MOST
            lines += [f"- and {more} more"] * (more > 0)
            lines += ["", "</details>", ""]
    return "\n".join(lines).rstrip() + "\n"


def _marked(text: str) -> str:
    """A text without marks, that calls on nobody's name either."""
    return markdown_cell(text).replace("@", "&#64;")


def _code(text: str) -> str:
    return text.replace("`", "'").replace("|", "\\|")


# --- for other systems ----------------------------------------------------------------------------


def comparison_json(view: _View) -> dict[str, Any]:
    """The fixed shape; beside it what is otherwise on the campus, and why it is refused."""
    result, locator = view.result, view.locator
    return {
        "edits": [edit_json(edit, locator) for edit in result.edits],
        "gained": [_effect_json(view, effect) for effect in result.effects if effect.gained],
        "lost": [_effect_json(view, effect) for effect in result.effects if not effect.gained],
        "findings": {
            kind: [
                {
                    "id": finding.id,
                    "rule": finding.rule,
                    "severity": str(finding.severity),
                    "says": safe(finding.says),
                    "where": [plain(where.origin, locator) for where in finding.where],
                }
                for finding in findings
            ]
            for kind, findings in _findings(view)
        },
        "claims": [
            {
                "claim": safe(change.claim),
                "before": str(change.before.verdict) if change.before is not None else None,
                "after": str(change.after.verdict) if change.after is not None else None,
            }
            for change in result.claims
        ],
        "renamed": {safe(old): safe(new.name) for old, new in result.renamed.items()},
        "switches": {
            "compared": result.switches,
            "forward_as_before": result.switches - len(result.unlike),
            "unlike": [safe(name) for name in result.unlike],
        },
        "consequences": [
            {
                "about": str(consequence.about),
                "name": safe(consequence.name) or None,
                "vlans": str(consequence.vlans),
                "says": safe(consequence.says),
                "worse": consequence.worse,
            }
            for consequence in result.consequences
        ],
        "undecided": [safe(says) for says in result.undecided],
        "refused": result.refused,
        "because": [
            {"says": safe(refusal.says), **plain(refusal.origin, locator)}
            for refusal in result.refusals
        ],
    }


def _effect_json(view: _View, effect: Effect) -> dict[str, Any]:
    vlans = effect.sources.vlans | effect.targets.vlans
    return {
        "from": _group_json(effect.sources),
        "to": _group_json(effect.targets),
        "both_ways": effect.row.both_ways,
        "vlan": str(vlans),
        "layer": int(effect.layer),
        "level": str(effect.level),
        "in_part": effect.row.in_part,
        "crosses_segments": effect.crosses,
        "settled": effect.settled,
        "witness": [step_json(step, view.locator) for step in effect.witness],
        "blame": [edit_json(edit, view.locator) for edit in effect.blame],
        "smallest": effect.smallest,
    }


def _group_json(group: Group) -> dict[str, Any]:
    """A group by its widest name, and its ports; these not where they are all that a VLAN has, and
    very many.
    """
    return {
        "segment": [safe(name) for name in group.segments] or None,
        "vlan": str(group.vlans),
        "everyone": group.everyone,
        "switch": [safe(name) for name in group.switches],
        "ports": [safe(name) for name in group.ports] if group.listed else [],
        "hosts": [safe(name) for name in group.hosts],
        "count": group.count,
    }


_RULE = {
    "id": "refused-change",
    "shortDescription": {"text": "A change does something that nobody said it would."},
}


def _sarif(view: _View, lost: list[Problem]) -> str:
    results = [
        {
            "ruleId": "refused-change",
            "level": "error",
            "message": {"text": safe(refusal.says)},
            "locations": [location(refusal.origin, view.locator, "")],
        }
        for refusal in view.result.refusals
    ]
    return sarif([_RULE], results, lost, view.locator)


def _junit(view: _View, lost: list[Problem]) -> str:
    cases: list[tuple[str, str, list[str]]] = [
        (
            safe(refusal.says),
            "inkov.compare",
            [f"{safe(refusal.says)} {view.at(refusal.origin)}".strip()],
        )
        for refusal in view.result.refusals
    ]
    if not cases:
        cases = [(headline(view), "inkov.compare", [])]
    return junit("inkov compare", cases, lost)
