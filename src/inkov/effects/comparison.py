"""A change as a whole: what it edits, what it does, and what of it nobody meant.

What is *refused* is all that a reviewer would have to be told: reach that is lost, reach that is
gained across segments, findings that are new or worse, claims that hold no more, a switch that is
gone, and whatever is not known. What the author of the change said beforehand (`plan.change`) is
not refused; with it, edits of anything else are.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from datetime import date
from functools import cached_property
from itertools import product

from msgspec import Struct, field

from inkov.campus import Campus, Origin
from inkov.checks import Audit, Finding, Severity, Site
from inkov.checks import audit as run_audit
from inkov.checks.baseline import Baseline, Earlier
from inkov.edits import Edit, Kind, Renamed, difference, renamed, renames
from inkov.effects.aside import Aside
from inkov.effects.blame import Blamer
from inkov.effects.changed import changed
from inkov.effects.consequences import Consequence, consequences
from inkov.effects.effect import Effect, effects_of
from inkov.effects.hearing import TooMuch
from inkov.effects.meant import Meant
from inkov.effects.relation import Relation, seats_alike
from inkov.effects.side import SeatName, Side, idle_in_both
from inkov.effects.stories import Story, stories
from inkov.effects.wires import on_other_wires
from inkov.effects.words import story_in_words
from inkov.forwarding import Fabric, resolve
from inkov.forwarding.domains import domains
from inkov.forwarding.outsiders import as_switches
from inkov.forwarding.sources import Agreement, compared
from inkov.levels import Level, Outcome
from inkov.plan import Plan
from inkov.plan.change import Change
from inkov.progress import with_progress
from inkov.proofs import Verdict, prove
from inkov.wiring import wire
from inkov.words import wherever

__all__ = ["ClaimChange", "Comparison", "Options", "Refusal", "compare"]

_MANY = 200  # switches, from which on a second process pays
_FLOODS = 400  # at the hostile level; at the honest one as many as it takes
_TRIALS_OF_SWITCHES = 3000  # how many switches may be resolved anew to find out what is to blame


class ClaimChange(Struct):
    """A claim whose verdict is another one; None where nobody made the claim."""

    claim: str
    before: Verdict | None
    after: Verdict | None


class Refusal(Struct, frozen=True, eq=False):
    """Something that nobody said would come of the change. `about`, or `story`, is where it is told
    besides, if it is. `unread`: one of the two sides was not there as a whole.
    """

    says: str
    origin: Origin = Origin()
    about: Finding | ClaimChange | Edit | None = None
    story: Story | None = None
    unread: bool = False


class Comparison(Struct, dict=True):
    """What a change does. `renamed` are switches with another name now; `undecided` says what could
    not be worked out, `assumes` what is taken for granted and would make more of the change. Of the
    `switches` on either side, those `unlike` do not forward as before. `nobody` are sides of what
    was permitted that name nobody.
    """

    edits: list[Edit]
    renamed: dict[str, Renamed]
    effects: list[Effect] = field(default_factory=list)
    consequences: list[Consequence] = field(default_factory=list)
    new: list[Finding] = field(default_factory=list)
    worse: list[Finding] = field(default_factory=list)
    gone: list[Finding] = field(default_factory=list)
    claims: list[ClaimChange] = field(default_factory=list)
    undecided: list[str] = field(default_factory=list)
    assumes: list[str] = field(default_factory=list)
    refusals: list[Refusal] = field(default_factory=list)
    faults: list[str] = field(default_factory=list)
    switches: int = 0
    unlike: list[str] = field(default_factory=list)
    nobody: list[str] = field(default_factory=list)
    vlan_names: dict[int, str] = field(default_factory=dict)

    def name_of(self, vid: int) -> str:
        """The name of a VLAN; "" if it has none."""
        return self.vlan_names.get(vid, "")

    def is_refused(self, about: object) -> bool:
        """Whether something that is told of the change is refused."""
        return any(
            refusal.about is about or any(effect is about for effect in refusal.story or ())
            for refusal in self.refusals
        )

    @cached_property
    def stories(self) -> list[Story]:
        """The effects, those that are one story together."""
        return stories(self.effects)

    @property
    def refused(self) -> bool:
        return bool(self.refusals)

    @property
    def nothing(self) -> bool:
        """True if the two are the same in all that Inkov understands."""
        return not (
            self.renamed or self.edits or self.new or self.gone or self.worse or self.claims
        )


class Options(Struct):
    """How to compare: at which levels, from which severity on findings are refused (None: never),
    what was meant, and which switches are `unchanged` since their files are. Without `blame` no
    edits are found that are to blame for an effect, which takes many trials, nor what is taken for
    granted.
    """

    levels: Sequence[Level] = (Level.HONEST, Level.HOSTILE)
    fail_on: Severity | None = Severity.RISK
    meant: Change | None = None
    unchanged: frozenset[str] = frozenset()
    today: date = date.min
    blame: bool = True


def compare(old: tuple[Campus, Plan], new: tuple[Campus, Plan], options: Options) -> Comparison:
    """What it takes and what it does to come from one campus to another."""
    names = renames(old[0], new[0])
    before, after = renamed(old[0], names), new[0]
    edits = difference(before, after, options.unchanged)
    fabrics = [resolve(campus, wire(campus)) for campus in (before, after)]
    sites = [Site(fabric, plan) for fabric, plan in zip(fabrics, (old[1], new[1]), strict=True)]
    result = Comparison(
        edits,
        names,
        switches=len(before.devices.keys() | after.devices.keys()),
        unlike=_unlike(edits, before, after),
        vlan_names=_vlan_names(before, after),
    )
    aside = Aside(lambda: _judged(sites, options), long=len(after.devices) >= _MANY)
    _effects(result, fabrics, (old[1], new[1]), after, options)
    result.consequences, *audits = aside.result()
    # Findings of the old side that are accepted are known as well.
    _findings(result, *audits)
    _claims(result, fabrics, (old[1], new[1]))
    meant = Meant(options.meant, (fabrics[0], old[1]), (fabrics[1], new[1]))
    result.nobody = meant.names_nothing()
    result.refusals = list(_refusals(result, before, after, options, meant))
    return result


def _unlike(edits: list[Edit], before: Campus, after: Campus) -> list[str]:
    """The switches that are on one side only, or that would forward otherwise, each by itself."""
    unlike = []
    for name in dict.fromkeys(edit.switch for edit in edits if edit.switch):
        one, other = before.devices.get(name), after.devices.get(name)
        # On one side only, or it forwards otherwise by itself.
        if (
            one is None
            or other is None
            or any(line.agreement is not Agreement.AGREES for line in compared(one, other))
        ):
            unlike.append(name)
    return unlike


def _vlan_names(*campuses: Campus) -> dict[int, str]:
    """VLAN -> the name that the first switch with one has for it, after the change if there is
    one.
    """
    return {
        row.vid: row.name.value
        for campus in campuses
        for device in reversed(campus.devices.values())
        for row in (device.vlans or {}).values()
        if row.name is not None
    }


# --- effects --------------------------------------------------------------------------------------


def _effects(
    result: Comparison,
    fabrics: list[Fabric],
    plans: tuple[Plan, Plan],
    campus: Campus,
    options: Options,
) -> None:
    pairs = list(zip(fabrics, plans, strict=True))
    idle = idle_in_both(*pairs)
    old, new = (Side(fabric, plan, idle) for fabric, plan in pairs)

    def resolved(tried: Campus) -> Side:
        return Side(resolve(tried, wire(tried)), plans[1], idle)

    trials = _TRIALS_OF_SWITCHES // max(len(campus.devices), 1)
    known, alike = changed(old.fabric, new.fabric), seats_alike(old, new)
    for level in _levels(options, old, new):
        floods = _FLOODS if level == Level.HOSTILE else 10**9
        honest = [effect for effect in result.effects if effect.level == Level.HONEST]
        try:
            relation = Relation(old, new, level, floods, known, alike)
            effects = effects_of(relation, beside=honest)
        except TooMuch:
            # Too many floods: said, and not taken for "nothing".
            says = (
                "what hostile hosts gain or lose is not worked out: too many places would have to"
                " be followed one by one"
            )
            result.undecided.append(says)
            continue
        blamer = Blamer(campus, result.edits, relation, resolved, trials)
        for effect in with_progress("effects explained", effects if options.blame else []):
            blamer.blame(effect)
        result.effects += effects
    result.undecided += on_other_wires(*fabrics)
    if options.blame and Level.HONEST in options.levels:
        result.assumes += _assumed(result, pairs, idle)


def _assumed(
    result: Comparison, pairs: list[tuple[Fabric, Plan]], idle: list[int]
) -> Iterator[str]:
    """What is taken for granted of neighbours that are not among the files, if the change does
    something else in case they pass frames on (FM 4.7).
    """
    outsiders = [as_switches(fabric, domains(fabric)) for fabric, _ in pairs]
    told = dict.fromkeys(each.says for each in outsiders if each is not None)
    # They join nothing that is apart, before the change or after it.
    if not told:
        return
    wider = [
        plain if each is None else each.fabric
        for each, (plain, _) in zip(outsiders, pairs, strict=True)
    ]
    sides = [
        Side(fabric, plan, idle)
        for fabric, (_, plan) in zip(wider, pairs, strict=True)
        if fabric is not None
    ]
    # Where they are seen at too many ports, what they would do is not worked out.
    if len(sides) == len(pairs):
        alike = changed(sides[0].fabric, sides[1].fabric), seats_alike(*sides)
        effects = effects_of(Relation(sides[0], sides[1], Level.HONEST, 10**9, *alike))
        honest = (effect for effect in result.effects if effect.level == Level.HONEST)
        known = {pair for effect in honest for pair in _pairs(effect)}
        if all(pair in known for effect in effects for pair in _pairs(effect)):
            return
    yield from told


def _pairs(effect: Effect) -> Iterator[tuple[bool, int, SeatName, SeatName]]:
    """Who gains or loses whom, one by one."""
    row = effect.row
    for source, target in product(row.sources, row.targets):
        yield effect.gained, row.layer, source, target
        if row.both_ways:
            yield effect.gained, row.layer, target, source


def _levels(options: Options, old: Side, new: Side) -> list[Level]:
    """The levels to look at: not the hostile one beside the honest one, where it is the same."""
    levels = list(options.levels)
    # Hostile hosts could do nothing more on either side.
    if len(levels) > 1 and old.hostile_gain_nothing and new.hostile_gain_nothing:
        levels.remove(Level.HOSTILE)
    return levels


# --- findings and claims --------------------------------------------------------------------------


def _judged(sites: list[Site], options: Options) -> tuple[list[Consequence], Audit, Audit]:
    """What is otherwise on the campus, and the audits of both sides."""
    old, new = (run_audit(site.fabric, today=options.today, site=site) for site in sites)
    return consequences(*sites), old, new


def _findings(result: Comparison, old: Audit, new: Audit) -> None:
    result.faults += [*old.faults, *new.faults]
    every = [*old.findings, *(finding for finding, _ in old.accepted)]
    baseline = Baseline(map(Earlier.of, every))
    known = {finding.id: finding for finding in every}
    for finding in new.findings:
        # New, or known and graver now.
        if not baseline.knows(finding):
            graver = known.get(finding.id)
            (result.worse if graver is not None else result.new).append(finding)
    left = Baseline(map(Earlier.of, [*new.findings, *(f for f, _ in new.accepted)]))
    for finding in old.findings:
        # Gone, and not moved or renamed.
        if left.has_lost(finding):
            result.gone.append(finding)


def _claims(result: Comparison, fabrics: list[Fabric], plans: tuple[Plan, Plan]) -> None:
    """The claims of the plans, by their words. Without claims, isolation is in the effects."""
    verdicts: list[dict[tuple[str, str, int], Verdict]] = []
    for fabric, plan in zip(fabrics, plans, strict=True):
        judged = prove(fabric, plan) if plan.says.claims else []
        verdicts.append({verdict.key: verdict for verdict in judged})
    before, after = verdicts
    for key in [*after, *(key for key in before if key not in after)]:
        was, now = before.get(key), after.get(key)
        # What nobody claims, and another verdict, is told.
        if was is None or now is None or was.verdict != now.verdict:
            result.claims.append(ClaimChange(key[0], was, now))


# --- what nobody meant ----------------------------------------------------------------------------


def _refusals(
    result: Comparison,
    before: Campus,
    after: Campus,
    options: Options,
    meant: Meant,
) -> Iterator[Refusal]:
    for old, new in result.renamed.items():
        # Likeness is a guess: whoever took a switch away has to say so.
        if not new.sure and not meant.may_go(old):
            says = (
                f"{old} is not among the files any more; {new.name}, which is new, looks like it."
                " If that is its name now, say so (gone)"
            )
            yield Refusal(says, after.devices[new.name].origin, unread=True)
    for edit in result.edits:
        if edit.kind is Kind.SWITCH and edit.whole and edit.after is None:
            # A switch that vanished is never passed over.
            if not meant.may_go(edit.switch):
                says = (
                    f"{edit.switch} is not among the files any more; if it was taken away, say so"
                    " (gone)"
                )
                yield Refusal(says, edit.where[0] or Origin(), unread=True)
        elif not meant.may_edit(edit):
            # With a change that was announced, edits beside it are refused.
            thing = " ".join(filter(None, (edit.switch, edit.kind, edit.name, edit.attribute)))
            says = f"an edit outside what was to be changed: {thing}"
            yield Refusal(says, edit.where[1] or edit.where[0] or Origin(), edit)
    for story in result.stories:
        left = [effect for effect in story if not meant.is_meant(effect)]
        # What nobody lost by it, or follows from another loss, is no news.
        if not left or (left[0].follows and not left[0].gained):
            continue
        words = story_in_words(left, result.name_of)
        # Gained within a segment is what segments are for.
        if left[0].gained and left[0].crosses:
            yield Refusal(f"reach is gained: {words}", left[0].place, story=left)
        elif not left[0].gained and left[0].level == Level.HONEST:
            # What a hostile host loses, nobody misses.
            yield Refusal(f"reach is lost: {words}", left[0].place, story=left)
    yield from _of_findings(result, options)
    yield from _of_claims(result)
    yield from _unknown(result, before, after)


def _of_findings(result: Comparison, options: Options) -> Iterator[Refusal]:
    for kind, findings in (("new", result.new), ("worse", result.worse)):
        for finding in findings:
            # By how grave it is, as asked for.
            if options.fail_on is not None and finding.severity.rank <= options.fail_on.rank:
                origin = finding.where[0].origin if finding.where else Origin()
                yield Refusal(f"a {kind} {finding.severity}: {finding.says}", origin, finding)


def _of_claims(result: Comparison) -> Iterator[Refusal]:
    for change in result.claims:
        held = change.before is None or change.before.verdict == Outcome.HOLDS
        # A claim that was dropped may have been in the way.
        if change.after is None and held:
            assert change.before is not None
            says = f"a claim is not made any more: {change.claim}"
            yield Refusal(says, change.before.origin, change)
        elif change.after is not None and change.after.verdict != Outcome.HOLDS and held:
            now = "is broken" if change.after.verdict == Outcome.BROKEN else "is undecided"
            yield Refusal(f"a claim {now}: {change.claim}", change.after.origin, change)


def _unknown(result: Comparison, before: Campus, after: Campus) -> Iterator[Refusal]:
    """What the change brings that is not understood: what it does is not known."""
    told = Counter(wherever(problem.says) for problem in before.problems)
    places: set[tuple[str, int, str]] = set()
    for problem in after.problems:
        # Known before: not of this change.
        if told[wherever(problem.says)]:
            told[wherever(problem.says)] -= 1
            continue
        places.add(_place(problem.origin))
        yield Refusal(problem.says.partition("\n")[0], problem.origin)
    known = Counter(text for _, text in before.unmatched)
    for origin, text in after.unmatched:
        # The same line was not understood before, maybe at another place.
        if known[text]:
            known[text] -= 1
        elif _place(origin) not in places:
            # A line whose problem is told is not told again.
            yield Refusal(f"a line that is new is not understood: {text}", origin)
    for says in result.undecided:
        yield Refusal(says)


def _place(origin: Origin) -> tuple[str, int, str]:
    return origin.file, origin.line, origin.pointer
