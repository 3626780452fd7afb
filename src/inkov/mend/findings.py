"""Mending findings: the edits that their rules propose, together, tried on the whole campus.

## Theory of operation

A rule proposes edits where its cure leaves no choice. Those of all findings are put together: lists
of VLANs that several findings change get what each adds and lose what each takes away. Then the
campus is resolved with all of them, and compared with the one before. Edits do harm if somebody is
cut off, if frames get to a segment that they did not get to, if a claim breaks, if a gateway, a
link or a spare has less than before, or if something new is found. Who is reached by routers as
well, where a VLAN is whole again, is told. What a cure is for is no harm (`meant`), and is told as
well: two VLANs that were joined by a mistake are apart, a port is in another VLAN, or shut.

If all together do harm, halves are tried, and halves of these: so what does the harm is found with
few trials, and left out, and the rest is mended. Findings of the same VLANs stay in one half as
long as can be: one of two leaks cured may widen the other, and both cured do no harm.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from datetime import date
from functools import cached_property
from typing import Any, NamedTuple

from msgspec import Struct, field

from inkov.campus import Campus, Fact, Origin
from inkov.checks import Finding, audit
from inkov.edits import Edit, Kind, apply, difference
from inkov.effects import Options, compare
from inkov.effects.comparison import Comparison
from inkov.effects.words import story_in_words
from inkov.forwarding import Fabric, resolve
from inkov.levels import Layer, Level, Outcome
from inkov.mend.causes import place_of
from inkov.mend.meant import Meant
from inkov.plan import Plan
from inkov.progress import tell
from inkov.vlanset import VlanSet, bits
from inkov.wiring import wire

__all__ = ["OF_PAPER", "Mended", "Trier", "Unmet", "mend_findings", "together"]


_ROUNDS = 3  # of mending what is found only then
_MOST_LEFT_OUT = 40  # findings that are tried to be left out
_TRIALS = 2400  # of that, over the number of switches
OF_PAPER = ("sources-disagree", "odd-one-out", "switch-without-file")
"""Rules that find what has to differ until the edits are made, since another source says as it was;
hints, which another finding took in before; and neighbours that are taken for switches now, since a
port sends them more VLANs.
"""


class Unmet(Struct):
    """A finding that is not mended, and why."""

    finding: Finding
    says: str


def _no_harm(edits: list[Edit]) -> str:
    return ""


class Mended(Struct):
    """What mends some findings: for each the edits that its rule proposes; all `edits` together, as
    they are to be made, each with its place (`places`) and what it is for (`reasons`); what they do
    (`effects`, from before to after). `unmet` are findings that are left. `harm_of` tells
    the harm of a part of the edits; `smallest` is false if some of them might not be needed.
    """

    findings: list[Finding] = field(default_factory=list)
    edits: list[Edit] = field(default_factory=list)
    places: list[Origin] = field(default_factory=list)
    reasons: list[str] = field(default_factory=list)
    effects: Comparison | None = None
    unmet: list[Unmet] = field(default_factory=list)
    harm_of: Callable[[list[Edit]], str] = _no_harm
    smallest: bool = True


class _Tried(NamedTuple):
    """The edits of some findings, what they do, and the rules that each is for, by its place.

    `rounds` are the findings that were found only then, and are mended as well: those with the
    edits before them.
    """

    edits: list[Edit]
    done: Comparison
    rules: dict[tuple[str, Kind, str, str], list[str]]
    rounds: list[list[Finding]]

    @property
    def gone(self) -> set[str]:
        """The findings that are found no more, nor in another form."""
        left = {
            (finding.rule, where.switch, where.port)
            for finding in [*self.done.new, *self.done.worse]
            for where in finding.where
        }
        return {
            finding.id
            for finding in self.done.gone
            if not any((finding.rule, where.switch, where.port) in left for where in finding.where)
        }


def mend_findings(campus: Campus, plan: Plan, goals: Sequence[Finding], today: date) -> Mended:
    """Mend some findings of a campus, as far as edits do it that do no harm."""
    trier = Trier(campus, plan, today)
    harmless: list[Finding] = []
    says = {
        finding.id: f"somebody has to decide: {finding.cure}"
        for finding in goals
        if not finding.edits
    }
    for group in trier.apart([finding for finding in goals if finding.edits]):
        harm = trier.harm([*harmless, *group])
        # Harmless together with what is harmless already.
        if harm:
            says |= {finding.id: f"its edits do harm: {harm}" for finding in group}
        else:
            harmless += group
    harmless += _but_one(
        trier, harmless, [finding for finding in goals if finding.edits and finding.id in says]
    )
    # Nothing is left that could be mended.
    if not harmless:
        return Mended(unmet=[Unmet(finding, says[finding.id]) for finding in goals])
    harmless, smallest = _needed(trier, harmless)
    tried, leanest = trier.leanest(harmless)
    done = trier.compared(tried.edits, (Level.HONEST, Level.HOSTILE))
    mended = trier.mended(tried.edits, done, tried.rules)
    mended.smallest = smallest and leanest
    mended.harm_of = lambda part: trier.harm_of(part, meant=trier.meant(harmless, part))
    for finding in goals:
        # Found no more: mended; else told with its reason.
        if finding.id in tried.gone:
            mended.findings.append(finding)
        else:
            why = says.get(finding.id, "its edits do not cure it all")
            mended.unmet.append(Unmet(finding, why))
    return mended


def _but_one(trier: Trier, harmless: list[Finding], left: list[Finding]) -> list[Finding]:
    """Of findings that are left since each does harm without the others: all but the one that does
    it with them as well.
    """
    for finding in left[: trier.spare_trials] if len(left) > 2 else ():
        others = [other for other in left if other is not finding]
        # With all the others it does no harm: the one left out was it.
        if not trier.harm([*harmless, *others]):
            return others
    return []


def _needed(trier: Trier, findings: list[Finding]) -> tuple[list[Finding], bool]:
    """The findings without those that the edits of the others cure as well: what two of them say
    of one port or row, or of one VLAN, may be one edit too many. And whether all of these were
    looked at.
    """
    doubtful = _beside_others(findings)
    goals = {finding.id for finding in findings}
    for finding in doubtful[: trier.spare_trials]:
        fewer = [kept for kept in findings if kept is not finding]
        # Found no more without its own edits, with fewer of them, and nothing else is left.
        if (
            not trier.is_found(finding, trier.together(fewer))
            and len(trier.tried(fewer).edits) < len(trier.tried(findings).edits)
            and trier.tried(findings).gone & goals <= trier.tried(fewer).gone
            and not trier.harm(fewer)
        ):
            findings = fewer
    return findings, len(doubtful) <= trier.spare_trials


def _beside_others(findings: list[Finding]) -> list[Finding]:
    """The findings that share a port or a row with others, and then those that share a VLAN."""
    at: dict[tuple[str, str | int | None], list[Finding]] = {}
    of_vlan: dict[int, list[Finding]] = {}
    for finding in findings:
        # Two findings at one port, or of one VLAN.
        for where in dict.fromkeys((w.switch, w.port or w.vlan) for w in finding.where):
            at.setdefault(where, []).append(finding)
        for vid in bits(finding.vlans):
            of_vlan.setdefault(vid, []).append(finding)
    groups = [beside for beside in (*at.values(), *of_vlan.values()) if len(beside) > 1]
    return list({finding.id: finding for beside in groups for finding in beside}.values())


class Trier:
    """Tries edits on a campus: what they do, and whether that is harm."""

    def __init__(self, campus: Campus, plan: Plan, today: date) -> None:
        self.campus = campus
        self.plan = plan
        self.today = today
        self._known: dict[frozenset[str], _Tried] = {}
        self._compared = 0

    @property
    def spare_trials(self) -> int:
        """How many trials are worth while to leave something out."""
        return min(_MOST_LEFT_OUT, _TRIALS // max(len(self.campus.devices), 1))

    def together(self, findings: Iterable[Finding], campus: Campus | None = None) -> list[Edit]:
        """The edits of some findings of the campus, or of another one."""
        return together(campus or self.campus, (edit for one in findings for edit in one.edits))

    def tried(self, findings: Iterable[Finding]) -> _Tried:
        """The edits of some findings. What an audit finds then is mended as well, as far as edits
        are proposed.
        """
        findings = list(findings)
        key = frozenset(finding.id for finding in findings)
        # The same findings come up in many halves.
        if key not in self._known:
            rounds: list[list[Finding]] = []
            edits = self.together(findings)
            done = self.compared(edits)
            while len(rounds) < _ROUNDS:
                then = [later for later in done.new if later.rule not in OF_PAPER and later.edits]
                # Nothing more is found, or nothing more has a cure.
                if not then:
                    break
                rounds.append(then)
                edits = self._in_rounds(findings, rounds)
                done = self.compared(edits)
            self._known[key] = _Tried(edits, done, _rules_of(findings, rounds), rounds)
        return self._known[key]

    def _in_rounds(self, findings: list[Finding], rounds: list[list[Finding]]) -> list[Edit]:
        """The edits of findings, and with them of those that are found only then."""
        edits = self.together(findings)
        for then in rounds:
            now = apply(self.campus, edits)
            now = apply(now, self.together(then, now))
            edits = difference(self.campus, now)
        return edits

    def leanest(self, findings: list[Finding]) -> tuple[_Tried, bool]:
        """The edits of findings; of what is found only then without those that others cure as well.
        And whether all of these were looked at.
        """
        tried = self.tried(findings)
        goals = {finding.id for finding in findings}
        then = [finding for round_ in tried.rounds for finding in round_]
        for one in then[: self.spare_trials] if len(then) > 1 else ():
            rounds = [[kept for kept in round_ if kept is not one] for round_ in tried.rounds]
            edits = self._in_rounds(findings, rounds)
            # Not fewer, or it is needed.
            if len(edits) >= len(tried.edits) or self.is_found(one, edits):
                continue
            done = self.compared(edits)
            fewer = _Tried(edits, done, _rules_of(findings, rounds), rounds)
            harm = self.harm_in(done, meant=self.meant(findings, edits))
            # Fewer edits that cure as much and harm no more.
            if tried.gone & goals <= fewer.gone and not harm:
                tried = fewer
        return tried, len(then) < 2 or len(then) <= self.spare_trials

    def is_found(self, finding: Finding, edits: list[Edit]) -> bool:
        """Whether an audit finds it, or its like at one of its places, with some edits."""
        places = {(where.switch, where.port) for where in finding.where}
        return any(
            then.rule == finding.rule and places & {(w.switch, w.port) for w in then.where}
            for then in audit(self.resolved(edits), self.plan, today=self.today).findings
        )

    def compared(
        self, edits: list[Edit], levels: tuple[Level, ...] = (Level.HONEST,)
    ) -> Comparison:
        """The campus with some edits, compared with the one before."""
        self._compared += 1
        tell("sets of edits tried", self._compared)
        after = apply(self.campus, edits)
        options = Options(levels=levels, today=self.today, blame=False)
        return compare((self.campus, self.plan), (after, self.plan), options)

    def harm(self, findings: Iterable[Finding]) -> str:
        """What harm the edits of some findings do, in words; "" if none."""
        findings = list(findings)
        tried = self.tried(findings)
        return self.harm_in(tried.done, meant=self.meant(findings, tried.edits))

    def meant(self, findings: Iterable[Finding], edits: list[Edit]) -> Meant:
        """What edits that mend some findings are for."""
        return Meant.of(findings, lambda: self.fabric, lambda: self.resolved(edits))

    @cached_property
    def fabric(self) -> Fabric:
        """The campus without any edits."""
        return self.resolved([])

    def resolved(self, edits: list[Edit]) -> Fabric:
        """The campus with some edits."""
        after = apply(self.campus, edits)
        return resolve(after, wire(after))

    def harm_of(
        self, edits: list[Edit], *, findings: bool = True, meant: Meant | None = None
    ) -> str:
        """What harm some edits do, as `harm_in` says it."""
        return self.harm_in(self.compared(edits), findings=findings, meant=meant)

    def mended(
        self,
        edits: list[Edit],
        done: Comparison,
        rules: dict[tuple[str, Kind, str, str], list[str]] | None = None,
    ) -> Mended:
        """Edits with their places, the rules that they are for, and what they do."""
        places = [place_of(self.campus, edit) for edit in edits]
        reasons = [", ".join((rules or {}).get(edit.place, [])) for edit in edits]
        return Mended([], edits, places, reasons, done)

    def harm_in(
        self, done: Comparison, *, findings: bool = True, meant: Meant | None = None
    ) -> str:
        """The first harm that something does, in words; "" if none. Without `findings`, what an
        audit finds then is none, nor what links should carry now. What is `meant` is none.
        """
        # Whom a hostile host reaches where a VLAN is whole again is told at the end: no harm.
        for effect in done.effects:
            # The cure is for it.
            if meant is not None and meant.covers(effect):
                continue
            # Somebody loses what nobody meant to take.
            if not effect.gained and not effect.follows:
                return f"{story_in_words([effect], done.name_of)} would be cut off"
            # A segment gets what it must not.
            if effect.gained and effect.crosses and effect.layer == Layer.FRAMES:
                return f"it opens {story_in_words([effect], done.name_of)}"
        for claim in done.claims:
            # A claim that held.
            if claim.after is not None and claim.after.verdict != Outcome.HOLDS:
                return f"the claim {claim.claim} would not hold"
        for consequence in done.consequences if findings else ():
            # Gateways, links and spares.
            if consequence.worse:
                return " ".join(filter(None, (consequence.name, consequence.says)))
        for new in [*done.new, *done.worse] if findings else ():
            # What is found on paper only is no harm.
            if new.rule not in OF_PAPER:
                return f"it makes another finding: {new.says} ({new.rule})"
        return ""

    def apart(self, findings: list[Finding]) -> list[list[Finding]]:
        """The findings in groups: those whose edits do no harm together in one, each whose edits do
        by itself.
        """
        # No harm in all of them, or nothing to try.
        if not findings or not self.harm(findings):
            return [findings] if findings else []
        # One finding alone cannot be halved.
        if len(findings) == 1:
            return [findings]
        findings, middle = _halved(findings)
        groups = [*self.apart(findings[:middle]), *self.apart(findings[middle:])]
        return sorted(groups, key=len, reverse=True)


def _halved(findings: list[Finding]) -> tuple[list[Finding], int]:
    """The findings, those of the same VLANs together, and where to part them."""
    parts: list[tuple[int, list[Finding]]] = []
    for finding in findings:
        vlans, own = finding.vlans, [finding]
        # Findings that share a VLAN belong together.
        for other in [part for part in parts if part[0] & vlans]:
            parts.remove(other)
            vlans, own = vlans | other[0], [*other[1], *own]
        parts.append((vlans, own))
    # All hang together: parted in the middle.
    if len(parts) == 1:
        return findings, len(findings) // 2
    ends = [0]
    for _, own in parts:
        ends.append(ends[-1] + len(own))
    middle = min(ends[1:-1], key=lambda end: abs(2 * end - len(findings)))
    return [finding for _, own in parts for finding in own], middle


def _rules_of(
    findings: Iterable[Finding], rounds: Iterable[Iterable[Finding]]
) -> dict[tuple[str, Kind, str, str], list[str]]:
    """The rules that each edit is for, by its place."""
    rules: dict[tuple[str, Kind, str, str], list[str]] = {}
    for finding in (*findings, *(later for then in rounds for later in then)):
        for edit in finding.edits:
            known = rules.setdefault(edit.place, [])
            if finding.rule not in known:
                known.append(finding.rule)
    return rules


def together(campus: Campus, edits: Iterable[Edit]) -> list[Edit]:
    """Edits of a campus, proposed for several reasons, as one set: of a list of VLANs that several
    change, all that is added and all that is taken away; of what else is stated the first.
    """
    by_place: dict[tuple[str, Kind, str, str], Edit] = {}
    for edit in edits:
        known = by_place.get(edit.place)
        by_place[edit.place] = edit if known is None else _both(campus, known, edit)
    return list(by_place.values())


def _both(campus: Campus, one: Edit, other: Edit) -> Edit:
    sets = [_set_of(one.before), _set_of(one.after), _set_of(other.before), _set_of(other.after)]
    before, first, then, second = sets
    # No lists: what was said first counts.
    if first is None or second is None:
        return one
    # One follows the other, proposed for what the first has made.
    if then is not None and then == first != before:
        return Edit(*one.place, one.before, other.after)
    # Where no list is stated, its default is what both begin with.
    base = before if before is not None else _by_default(campus, one)
    base = base if base is not None else first & second
    merged = (base | (first - base) | (second - base)) - (base - first) - (base - second)
    return Edit(*one.place, one.before, Fact(merged, one.after.origin))


def _by_default(campus: Campus, edit: Edit) -> VlanSet | None:
    device = campus.devices.get(edit.switch)
    return _set_of(device.platform.unstated.get(edit.attribute)) if device is not None else None


def _set_of(fact: Any) -> VlanSet | None:
    value = fact.value if isinstance(fact, Fact) else None
    return value if isinstance(value, VlanSet) else None
