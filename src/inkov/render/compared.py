"""A comparison, and what all forms of it share: its headline, and how its parts are told."""

from __future__ import annotations

from inkov.campus import Origin
from inkov.checks import Finding
from inkov.edits import Edit, Kind
from inkov.effects import Comparison, Effect, pair_in_words
from inkov.effects.comparison import ClaimChange
from inkov.effects.consequences import About, Consequence
from inkov.harmless import safe
from inkov.levels import Outcome
from inkov.readers import Locator
from inkov.render.edits import change_in_words, name_of_edit, what_of_edit
from inkov.render.text import place
from inkov.words import agree, counted

__all__ = [
    "Lines",
    "View",
    "claim_lines",
    "consequence_line",
    "findings_of",
    "headline",
    "verdict",
]

_SEAT = ("device", "port", "vid")
"""What of a host says where it is."""

Lines = list[tuple[str, str]]
"""Lines with their style."""


_WORSE = "bold magenta"


class View:
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


def headline(view: View) -> str:
    """What it comes to, in one line that fits a chat message."""
    result = view.result
    # All the same, and everything was read.
    if result.nothing and not result.refused:
        return f"No difference on {counted(result.switches, 'switch')}."
    switches = {edit.switch for edit in result.edits if edit.switch}
    alike = result.switches - len(result.unlike)
    # Edits of links, hosts and the plan are of no switch.
    on = f" on {counted(len(switches), 'switch')}" if switches else ""
    parts = [f"{counted(len(result.edits), 'edit')}{on}"]
    forward = agree(result.switches, "forwards", "forward")
    parts.append(f"{alike} of {counted(result.switches, 'switch')} {forward} as before")
    gained = sum(story[0].gained for story in result.stories)
    lost = len(result.stories) - gained
    # Where something is not worked out, nobody can say that nothing is gained or lost.
    if result.effects or result.undecided:
        open_ = ", and not all of it is known" if result.undecided else ""
        parts.append(f"reach gained {_times(gained)}, lost {_times(lost)}{open_}")
    else:
        parts.append("nobody reaches more or less than before")
    # Reach is told port by port: who is at another one now has what that one has.
    moved = {
        edit.name for edit in result.edits if edit.kind is Kind.HOST and edit.attribute in _SEAT
    }
    if moved:
        parts.append(f"{counted(len(moved), 'host')} elsewhere")
    # What did not change is left out.
    new, gone = len(result.new) + len(result.worse), len(result.gone)
    if new or gone:
        parts.append(f"findings: {new} new or worse, {gone} gone")
    if result.claims:
        parts.append(f"{counted(len(result.claims), 'claim')} with another verdict")
    return "; ".join(parts) + "."


def verdict(view: View) -> str:
    """Whether it is refused."""
    number = len(view.result.refusals)
    return f"Refused: {counted(number, 'thing')} that nobody meant." if number else "Not refused."


def _times(number: int) -> str:
    return {0: "nowhere", 1: "in one place"}.get(number, f"in {number} places")


def consequence_line(consequence: Consequence) -> tuple[str, str]:
    of_tree = f"link {consequence.name} " if consequence.name else ""
    subject = {About.ISLANDS: "", About.SPARE: f"link {consequence.name} ", About.TREE: of_tree}
    line = (
        subject.get(consequence.about, f"{consequence.about} {consequence.name} ")
        + consequence.says
    )
    return safe(line), _WORSE if consequence.worse else ""


def claim_lines(view: View, change: ClaimChange) -> Lines:
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


def findings_of(view: View) -> list[tuple[str, list[Finding]]]:
    result = view.result
    return [("new", result.new), ("worse", result.worse), ("gone", result.gone)]
