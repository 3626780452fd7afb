"""What the statements do: the effects that agree with all the evidence, by reading the texts.

Theory of operation. A hypothesis gives each pattern an effect, and the platform its defaults; it is
written as a dialect, the texts are read by it (by their `rehearsal`, which comes to the same), and
each port is held against the other source: is it on, what does it send untagged, what tagged, in
what VLAN do untagged frames arrive. That is its error. The search begins with statements that do
nothing, and takes whichever single change lowers the error most, until none does. Simple effects
come first, so of several that agree alike the simplest is taken; the others are kept as
alternatives.

The search can stop at a hypothesis that a change of two things at once would better. Then ports are
left that do not agree, and these are told: what was learnt is never taken to be more than it is.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from itertools import combinations, product
from typing import Any

from msgspec import Struct, field

from inkov.campus import Device
from inkov.learn.hypothesis import Hypothesis, bare
from inkov.learn.rehearsal import Rehearsal, errors_of
from inkov.learn.rows import ADDRESSED, PROFILE, TEXT, Look, Pattern
from inkov.learn.write import holds_secret
from inkov.readers.dialects import Dialect

__all__ = ["Learnt", "candidates", "learn_effects"]

_PLAIN = ("state = off", "state = on", "mode = trunk", "native = none", "allowed = all")
_WITH_VLANS = (
    "mode = access; vlan = {V}",
    "vlan = {V}",
    "mode = trunk; allowed = {V}",
    "allowed = {V}",
    "native = {V}",
    "mode = trunk; allowed + {V}",
    "allowed + {V}",
    "allowed - {V}",
    "mode = trunk; native = {V}",
    "voice = {V}",
    "mode = general; tagged + {V}",
    "mode = general; untagged + {V}; pvid = {V}",
    "mode = general; untagged + {V}",
    "pvid = {V}",
    "mode = trunk; allowed = all but {V}",
    "allowed = all but {V}",
)
_TRUNKS = "mode = trunk; allowed = {V}"
_MEMBERS = "mode = general; tagged + {V}"
_TAKING = ("takes + {name}", "takes = {name}")
_TAKEN = "on ports {ports}: takes + {name}"
_TELLING = ("state = off", "mode = trunk")  # effects that change what a port passes, by themselves
_OF_ONE = ("vlan", "native", "voice", "pvid")  # attributes that are one VLAN
_USUAL = (
    "mode = access; vlan = {V}",
    "mode = trunk; allowed = {V}",
    "mode = trunk; allowed + {V}",
    "native = {V}",
    "voice = {V}",
)  # what statements with VLANs mean as a rule
_IN_PAIRS = frozenset(
    {
        "state = off",
        "state = on",
        *_USUAL,
        "allowed - {V}",
        "mode = general; tagged + {V}",
        "mode = general; untagged + {V}; pvid = {V}",
        *_TAKING,
        _TAKEN,
    }
)  # of which two at once are tried
_MOST_TOGETHER = 4
_MOST_READINGS = 1_000
_MOST_STEPS = 40
_MOST_PATTERNS = 120  # whose effects are looked for, the most frequent ones
_MOST_TRIED = 700  # hypotheses
_MOST_PLAINER = 3  # patterns of general ports for which others are tried
_MOST_PAIRED = 6  # patterns of which two at once are tried
_NOTHING = 1e-9  # an error that is none


class Learnt(Struct):
    """The best hypothesis, the error that is left, the ports that do not agree, the other effects
    of each pattern that agree as well; and the patterns without an effect of which the evidence
    does not say that they have none. `fitting` are defaults that agree as well, one of each kind:
    if they are several, the evidence does not say what a port is of which nothing is said.
    `readings` are other hypotheses, of several statements that stand together, that agree as well;
    `support` tells of how many ports that a pattern is about the reading agrees, and of how many
    not.
    """

    hypothesis: Hypothesis
    error: float
    wrong: list[tuple[int, str]]
    alternatives: dict[int, list[str]]
    unsure: set[int]
    fitting: list[int] = field(default_factory=list)
    readings: list[Hypothesis] = field(default_factory=list)
    support: dict[int, tuple[int, int]] = field(default_factory=dict)


def candidates(pattern: Pattern) -> list[str]:
    """The effects that a statement may have on ports, the simplest first; none where no port is in
    reach.
    """
    kinds = [slot.kind for head in pattern.path for slot in head.slots]
    own = [slot.kind for slot in pattern.slots]
    in_profile = any(head.is_profile for head in pattern.path[:-1])
    # Who opens a block, or stands near no port, has no effect on ports.
    if pattern.opens or pattern.settled or ("ports" not in kinds and not in_profile):
        return []
    # It names a profile.
    if PROFILE in pattern.tokens:
        return list(_TAKING)
    if in_profile and own == ["ports"]:
        return [_TAKEN]
    # Without VLANs it can only say plain things.
    if "vlans" not in kinds:
        others = [kind for kind in own if kind != "ports"]
        return (
            [] if others or TEXT in pattern.tokens or ADDRESSED in pattern.tokens else list(_PLAIN)
        )
    # One VLAN where only one was ever seen.
    single = all(
        slot.single for head in pattern.path for slot in head.slots if slot.kind == "vlans"
    )
    return [effect for effect in _WITH_VLANS if single or not _is_of_one(effect)]


def is_membership(pattern: Pattern) -> bool:
    """Whether a statement lists the ports of a VLAN: whoever says so means members, and a port may
    be one of several VLANs, tagged in some and untagged in another.
    """
    kinds = [slot.kind for head in pattern.path for slot in head.slots]
    return "ports" in kinds and "vlans" in kinds[: kinds.index("ports")]


def _is_of_one(effect: str) -> bool:
    return any(f"{name} = {{V}}" in effect for name in _OF_ONE)


def learn_effects(
    look: Look,
    texts: Sequence[bytes],
    devices: Sequence[Device],
    groups: dict[int, list[int]],
    dialect_of: Callable[[Hypothesis], Dialect],
) -> Learnt:
    """The hypothesis that agrees best with the evidence. `groups` are the patterns that have one
    effect, by the first of them.
    """
    options = {
        first: shared
        for first, alike in groups.items()
        # The VLAN comes before the ports.
        if (shared := _common([candidates(look.patterns[number]) for number in alike]))
        and not holds_secret(look.patterns[first])
    }
    frequent = sorted(options, key=lambda n: -len(look.patterns[n].at))
    unsure = {number for first in frequent[_MOST_PATTERNS:] for number in groups[first]}
    options = {n: options[n] for n in options if n not in unsure}
    rehearsal = Rehearsal(look, texts, devices, options, groups, dialect_of)
    search = _Search(rehearsal, options)
    best, least = search.best()
    # What follows looks at each pattern once: that it always may.
    search.left = None
    fitting = [
        n for n in range(len(look.defaults)) if search.error(Hypothesis(best.effects, n)) <= least
    ]
    best = Hypothesis(best.effects, min([*fitting, best.defaults]))
    # What is told rests on the texts as they are read.
    read = errors_of(dialect_of(best), texts, devices)
    wrong = [(switch, name) for switch, name, error in read if error]
    alternatives: dict[int, list[str]] = {}
    # Ports that do not agree make doubtful whatever is about them.
    doubtful = {n for n in options if rehearsal.touches(n, set(wrong))}
    for first, effects in options.items():
        chosen = best.effects.get(first, "")
        alike = [
            effect
            for effect in effects
            # Effects that agree as well.
            if effect != chosen
            and search.error(search.changed(best, first, effect)) <= least + _NOTHING
        ]
        # With an effect: what else it might be. Without one: whether it may have any.
        if chosen:
            alternatives |= dict.fromkeys(groups[first], alike)
        elif first in doubtful or any(_would_matter(effect) for effect in alike):
            unsure.update(groups[first])
            alternatives |= dict.fromkeys(groups[first], alike)
    in_order = reversed([best.defaults, *fitting])
    kinds = {bare(look.defaults[n]): n for n in in_order}
    readings = list(search.readings(best, least)) if not wrong else []
    support = rehearsal.support(set(wrong))
    fits = sorted(kinds.values())
    return Learnt(best, least, wrong, alternatives, unsure, fits, readings, support)


def _common(several: Sequence[list[str]]) -> list[str]:
    """The effects that all of some patterns may have."""
    return [effect for effect in several[0] if all(effect in effects for effects in several[1:])]


def _would_matter(effect: str) -> bool:
    """Whether it would change what a port passes."""
    return "{V}" in effect or "takes" in effect or effect in _TELLING


class _Search:
    """Looks for the hypothesis with the lowest error. `left` bounds how many are tried."""

    def __init__(self, rehearsal: Rehearsal, options: dict[int, list[str]]) -> None:
        self.rehearsal = rehearsal
        self.patterns = rehearsal.look.patterns
        self.options = options
        self.left: int | None = _MOST_TRIED
        self._known: dict[tuple[Any, ...], float] = {}

    def error(self, hypothesis: Hypothesis) -> float:
        """The error of all ports; infinite once enough has been tried."""
        key = tuple(sorted(hypothesis.effects.items())), hypothesis.defaults
        if key not in self._known:
            # Enough was tried: nothing more is looked at.
            if self.left is not None and len(self._known) >= self.left:
                return float("inf")
            self._known[key] = sum(error for _, _, error in self.rehearsal.errors(hypothesis))
        return self._known[key]

    def changed(self, hypothesis: Hypothesis, number: int, effect: str) -> Hypothesis:
        """A hypothesis with another effect of a pattern, and of those that go with it."""
        effects = dict(hypothesis.effects)
        for alike in self.rehearsal.groups[number]:
            effects[alike] = effect
            # No effect is none, not an empty one.
            if not effect:
                del effects[alike]
        return Hypothesis(effects, hypothesis.defaults)

    def best(self) -> tuple[Hypothesis, float]:
        """The best hypothesis that is found, and its error."""
        # What ports take over counts only once they take it, so that comes first.
        start = Hypothesis()
        for number, effects in self.options.items():
            # What ports take over, taken: else the settings would seem to do nothing.
            if "takes" in effects[0]:
                start = self.changed(start, number, effects[0])
        best, least = self._climbed(start)
        # From other sides: lists are those of trunks; or ports are members of VLANs by lists.
        for times, usual in enumerate((_TRUNKS, _MEMBERS), 2):
            # All agrees: no other side is needed.
            if least <= _NOTHING:
                break
            self.left = times * _MOST_TRIED
            lists = start
            for number, effects in self.options.items():
                several = any(not slot.single for slot in self.patterns[number].slots)
                if usual in effects and (several or usual == _MEMBERS):
                    lists = self.changed(lists, number, usual)
            climbed, error = self._climbed(lists)
            # Only what is really better; of those alike the first.
            if error < least - _NOTHING:
                best, least = climbed, error
        best = self._plainer(self._bare(best, least), least)
        return self._bare(best, least), least

    def _bare(self, hypothesis: Hypothesis, least: float) -> Hypothesis:
        """The same hypothesis without the effects that nothing rests on: on the way they helped,
        where another thing was wrong. The rarest statements go first.
        """
        rows = {
            n: sum(len(self.patterns[k].rows) for k in self.rehearsal.groups[n])
            for n in self.options
        }
        for number in sorted(self.options, key=lambda n: rows[n]):
            if number in hypothesis.effects:
                without = self.changed(hypothesis, number, "")
                # It agrees without: so it rests on nothing.
                if self.error(without) <= least + _NOTHING:
                    hypothesis = without
        return hypothesis

    def readings(self, best: Hypothesis, least: float) -> Iterator[Hypothesis]:
        """Other hypotheses that agree as well, in which several statements about the same ports
        have other effects together, though none of them alone could.
        """
        tried = 0
        for together in self._together():
            # One may do what another seemed to do, and that nothing; or each something else.
            usual = [
                ["", *(e for e in _USUAL if e in self.options[n]), best.effects.get(n, "")]
                for n in together
            ]
            for effects in product(*(dict.fromkeys(several) for several in usual)):
                changes = {
                    number: effect
                    for number, effect in zip(together, effects, strict=True)
                    if effect != best.effects.get(number, "")
                }
                tried += 1
                # Single changes are looked at elsewhere.
                if len(changes) < 2 or tried > _MOST_READINGS:
                    continue
                changed = best
                for number, effect in changes.items():
                    changed = self.changed(changed, number, effect)
                # Not if one of them alone would do.
                if self.error(changed) <= least + _NOTHING and not any(
                    self.error(self.changed(best, number, effect)) <= least + _NOTHING
                    for number, effect in changes.items()
                    if number in best.effects
                ):
                    yield changed

    def _together(self) -> list[tuple[int, ...]]:
        """The patterns with VLANs that are about one port, for each port; a few of them."""
        groups: dict[tuple[int, ...], None] = {}
        for switch in self.rehearsal.switches:
            for port in switch.ports.values():
                own = [n for n in port.patterns if any("{V}" in e for e in self.options[n])]
                # A few that are about one port together.
                if 1 < len(own) <= _MOST_TOGETHER:
                    groups[tuple(own)] = None
        return list(groups)

    def _climbed(self, start: Hypothesis) -> tuple[Hypothesis, float]:
        """The hypothesis that single changes, and pairs of them, lead to."""
        best, least = start, self.error(start)
        for _ in range(_MOST_STEPS):
            # Only what is about ports that do not agree yet can help.
            at = {(switch, name) for switch, name, e in self.rehearsal.errors(best) if e}
            near = {
                n: effects for n, effects in self.options.items() if self.rehearsal.touches(n, at)
            }
            better = self._lowest(self._changes(best, near), least) if at else None
            # Single changes first; pairs only where none helps.
            better = better or (self._lowest(self._pairs(best, near), least) if at else None)
            if better is None:
                break
            best, least = better
        return best, least

    def _changes(
        self, hypothesis: Hypothesis, options: dict[int, list[str]]
    ) -> Iterator[Hypothesis]:
        """All hypotheses that differ in one thing, the simplest first."""
        for number, effects in options.items():
            for effect in (*effects, ""):
                if hypothesis.effects.get(number, "") != effect:
                    yield self.changed(hypothesis, number, effect)
        for number in range(len(self.rehearsal.look.defaults)):
            # Other defaults are a change as well.
            if number != hypothesis.defaults:
                yield Hypothesis(hypothesis.effects, number)

    def _pairs(self, hypothesis: Hypothesis, options: dict[int, list[str]]) -> Iterator[Hypothesis]:
        """All hypotheses that differ in the effects of two patterns."""
        likely = {n: [e for e in effects if e in _IN_PAIRS] for n, effects in options.items()}
        for one, other in combinations(list(options)[:_MOST_PAIRED], 2):
            for effect in likely[one]:
                changed = self.changed(hypothesis, one, effect)
                for other_effect in likely[other]:
                    yield self.changed(changed, other, other_effect)

    def _plainer(self, hypothesis: Hypothesis, least: float) -> Hypothesis:
        """The same hypothesis with trunks and access ports for general ports, where it agrees as
        well: whoever writes lists of trunks means trunks.
        """
        options = {n: e for n, e in self.options.items() if not is_membership(self.patterns[n])}
        effects = hypothesis.effects.items()
        general = [n for n, effect in effects if "general" in effect and n in options]
        # General ports nowhere, or in too many places to try all.
        if not 0 < len(general) <= _MOST_PLAINER:
            return hypothesis
        plain = [[e for e in options[n] if "general" not in e and "pvid" not in e] for n in general]
        for chosen in product(*plain):
            plainer = hypothesis
            for number, effect in zip(general, chosen, strict=True):
                plainer = self.changed(plainer, number, effect)
            # Agrees as well, and is plainer.
            if self.error(plainer) <= least + _NOTHING:
                return plainer
        return hypothesis

    def _lowest(
        self, hypotheses: Iterable[Hypothesis], least: float
    ) -> tuple[Hypothesis, float] | None:
        """The first of the hypotheses with the lowest error, if that is below `least`."""
        best: tuple[Hypothesis, float] | None = None
        for hypothesis in hypotheses:
            wrong = self.error(hypothesis)
            # The first of those that are alike.
            if wrong < (least if best is None else best[1]) - _NOTHING:
                best = hypothesis, wrong
        return best
