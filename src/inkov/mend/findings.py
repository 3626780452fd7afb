"""Mending findings: the edits that their rules propose, together, tried on the whole campus.

## Theory of operation

A rule proposes edits where its cure leaves no choice. Those of all findings are put together: lists
of VLANs that several findings change get what each adds and lose what each takes away. Then the
campus is resolved with all of them, and compared with the one before. Edits do harm if somebody is
cut off, if frames get to a segment that they did not get to, if a claim breaks, if a gateway, a
link or a spare has less than before, or if something new is found. Who is reached by routers as
well, where a VLAN is whole again, is told.

If all together do harm, halves are tried, and halves of these: so what does the harm is found with
few trials, and left out, and the rest is mended.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import date
from typing import Any

from msgspec import Struct, field

from inkov.campus import Campus, Fact, Origin
from inkov.checks import Finding
from inkov.edits import Edit, Kind, apply
from inkov.effects import Options, compare
from inkov.effects.comparison import Comparison
from inkov.effects.words import story_in_words
from inkov.levels import Layer, Level, Outcome
from inkov.mend.causes import place_of
from inkov.plan import Plan
from inkov.vlanset import VlanSet

__all__ = ["OF_PAPER", "Mended", "Trier", "Unmet", "mend_findings", "together"]


OF_PAPER = ("sources-disagree", "odd-one-out", "switch-without-file")
"""Rules that find what has to differ until the edits are made, since another source says as it was;
hints, which another finding took in before; and neighbours that are taken for switches now, since a
port sends them more VLANs.
"""


class Unmet(Struct):
    """A finding that is not mended, and why."""

    finding: Finding
    says: str


class Mended(Struct):
    """What mends some findings: for each the edits that its rule proposes; all `edits` together, as
    they are to be made, each with its place (`places`); what they do (`effects`, from before to
    after). `unmet` are findings that are left.
    """

    findings: list[Finding] = field(default_factory=list)
    edits: list[Edit] = field(default_factory=list)
    places: list[Origin] = field(default_factory=list)
    effects: Comparison | None = None
    unmet: list[Unmet] = field(default_factory=list)


def mend_findings(campus: Campus, plan: Plan, goals: Sequence[Finding], today: date) -> Mended:
    """Mend some findings of a campus, as far as edits do it that do no harm."""
    mended = Mended()
    chosen: list[Finding] = []
    for one in goals:
        if one.edits:
            chosen.append(one)
        else:
            mended.unmet.append(Unmet(one, f"somebody has to decide: {one.cure}"))
    trier = Trier(campus, plan, today)
    harmless: list[Finding] = []
    for group in trier.apart(chosen):
        harm = trier.harm([*harmless, *group])
        if harm:
            mended.unmet += [Unmet(one, f"its edits do harm: {harm}") for one in group]
        else:
            harmless += group
    if harmless:
        edits, _ = trier.tried(harmless)
        done = trier.mended(edits, trier.compared(edits, (Level.HONEST, Level.HOSTILE)))
        mended.edits, mended.places, mended.effects = done.edits, done.places, done.effects
        assert mended.effects is not None
        left = {one.id for one in [*mended.effects.new, *mended.effects.worse]}
        gone = {one.id for one in mended.effects.gone}
        for one in harmless:
            if one.id in gone and one.id not in left:
                mended.findings.append(one)
            else:
                mended.unmet.append(Unmet(one, "its edits do not cure it all"))
    return mended


class Trier:
    """Tries edits on a campus: what they do, and whether that is harm."""

    def __init__(self, campus: Campus, plan: Plan, today: date) -> None:
        self.campus = campus
        self.plan = plan
        self.today = today
        self._known: dict[frozenset[str], tuple[list[Edit], Comparison]] = {}

    def tried(self, findings: Iterable[Finding]) -> tuple[list[Edit], Comparison]:
        """The edits of some findings, and what they do."""
        findings = list(findings)
        key = frozenset(one.id for one in findings)
        if key not in self._known:
            edits = together(edit for one in findings for edit in one.edits)
            self._known[key] = edits, self.compared(edits)
        return self._known[key]

    def compared(
        self, edits: list[Edit], levels: tuple[Level, ...] = (Level.HONEST,)
    ) -> Comparison:
        """The campus with some edits, compared with the one before."""
        after = apply(self.campus, edits)
        options = Options(levels=levels, today=self.today)
        return compare((self.campus, self.plan), (after, self.plan), options)

    def harm(self, findings: Iterable[Finding]) -> str:
        """What harm the edits of some findings do, in words; "" if none."""
        return self.harm_in(self.tried(findings)[1])

    def harm_of(self, edits: list[Edit], *, findings: bool = True) -> str:
        """What harm some edits do, as `harm_in` says it."""
        return self.harm_in(self.compared(edits), findings=findings)

    def mended(self, edits: list[Edit], done: Comparison) -> Mended:
        """Edits with their places, and what they do."""
        return Mended([], edits, [place_of(self.campus, edit) for edit in edits], done)

    def harm_in(self, done: Comparison, *, findings: bool = True) -> str:
        """The first harm that something does, in words; "" if none. Without `findings`, what an
        audit finds then is none, nor what links should carry now.
        """
        # Whom a hostile host reaches where a VLAN is whole again is told at the end: no harm.
        for effect in done.effects:
            if not effect.gained and not effect.follows:
                return f"{story_in_words([effect], done.name_of)} would be cut off"
            if effect.gained and effect.crosses and effect.layer == Layer.FRAMES:
                return f"it opens {story_in_words([effect], done.name_of)}"
        for claim in done.claims:
            if claim.after is not None and claim.after.verdict != Outcome.HOLDS:
                return f"the claim {claim.claim} would not hold"
        for one in done.consequences if findings else ():
            if one.worse:
                return " ".join(filter(None, (one.name, one.says)))
        for new in [*done.new, *done.worse] if findings else ():
            if new.rule not in OF_PAPER:
                return f"it makes another finding: {new.says} ({new.rule})"
        return ""

    def apart(self, findings: list[Finding]) -> list[list[Finding]]:
        """The findings in groups: those whose edits do no harm together in one, each whose edits do
        by itself.
        """
        if not findings or not self.harm(findings):
            return [findings] if findings else []
        if len(findings) == 1:
            return [findings]
        middle = len(findings) // 2
        groups = [*self.apart(findings[:middle]), *self.apart(findings[middle:])]
        return sorted(groups, key=len, reverse=True)


def together(edits: Iterable[Edit]) -> list[Edit]:
    """Edits of several findings as one set: of a list of VLANs that several change, all that is
    added and all that is taken away; of what else is stated the first.
    """
    found: dict[tuple[str, Kind, str, str], Edit] = {}
    for edit in edits:
        known = found.get(edit.place)
        found[edit.place] = edit if known is None else _both(known, edit)
    return list(found.values())


def _both(one: Edit, other: Edit) -> Edit:
    sets = [_set_of(one.before), _set_of(one.after), _set_of(other.before), _set_of(other.after)]
    before, first, _, second = sets
    if first is None or second is None:
        return one
    base = before if before is not None else first & second
    merged = (base | (first - base) | (second - base)) - (base - first) - (base - second)
    return Edit(*one.place, one.before, Fact(merged, one.after.origin))


def _set_of(fact: Any) -> VlanSet | None:
    value = fact.value if isinstance(fact, Fact) else None
    return value if isinstance(value, VlanSet) else None
