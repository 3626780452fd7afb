"""Settings that ports do not state themselves: what is said of all ports, and profiles.

Theory of operation. A text is a row of steps, and later ones win. Three things come in another
order than they are written, so the steps are put into the order in which they count, and from there
on the last one wins as always:

1. what is said of all ports (`*`): it holds unless something is said of one of them;
2. what a port takes over from profiles: those that a profile takes first, then its own; of several
   profiles the one taken last wins;
3. what ports say themselves, in the order of the text; or, where the dialect says so (`wins =
   "specific"`), what is said of many ports before what is said of few.

What is taken over is replaced without a word: that is what profiles are for. A port that takes back
what it said has what it took over again.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from itertools import groupby
from typing import Any, NamedTuple

from msgspec import Struct, field
from msgspec.structs import replace

from inkov.campus import Origin
from inkov.readers.dialects.binding import Bound
from inkov.readers.dialects.lists import Wild
from inkov.readers.sheets.words import BadLine

__all__ = ["PORTS", "Ordered", "Step", "fulfilled", "is_special", "ordered"]

PORTS = ("port", "bundle", "sub")
"""The kinds of things that are ports."""
_DEEPEST = 20  # profiles that take profiles
_MOST_CLAUSES = 2_000  # of a profile, with all that it takes
_MOST_TAKEN = 300_000  # settings that ports have from profiles and patterns, in one text


class Step(Struct, frozen=True, gc=False):
    """What one line does: its clauses, and what the block around it has opened; the form that took
    it, and whether it was undone (`[text] negation`).
    """

    text: str
    origin: Origin
    kind: str
    keys: tuple[Any, ...]
    bound: tuple[Bound, ...]
    form: str = ""
    undone: bool = False


class Ordered(Struct):
    """Steps in the order in which they count: `first` is what ports do not say themselves. `faults`
    are steps that cannot be done, each with the reason.
    """

    first: list[Step] = field(default_factory=list)
    then: list[Step] = field(default_factory=list)
    faults: list[tuple[Step, BadLine]] = field(default_factory=list)


class _Profile(Struct):
    """A named set of settings: what it says, and which profiles it takes, in order."""

    says: list[tuple[Step, Bound]] = field(default_factory=list)
    takes: dict[str, Step] = field(default_factory=dict)


def ordered(steps: list[Step], specific: frozenset[str]) -> Ordered:
    """Put steps into the order in which they count. `specific` are the kinds of port of which what
    is said of few wins over what is said of many.
    """
    # Most texts have neither profiles nor patterns, and stay as they are.
    if not specific and not any(map(is_special, steps)):
        return Ordered(then=steps)
    return _Ordering(steps, specific).result


def fulfilled(in_order: Ordered, conditions: frozenset[str]) -> Ordered:
    """Steps in order, without what is said under a condition (`when`) that a port does not meet: of
    the forms in `conditions` some statement must be about it, wherever it stands.
    """
    # The order of a text does not matter for a condition: all is gone through first.
    if not conditions:
        return in_order
    stated: dict[Any, set[str]] = {}
    for step in (*in_order.first, *in_order.then):
        for bound in step.bound:
            # Only what fulfils a condition counts, and what takes everything back.
            if step.form not in conditions and bound.operator != "bare":
                continue
            for key in bound.keys if bound.on else step.keys:
                forms = stated.setdefault(key, set())
                if bound.operator == "bare":
                    forms.clear()
                if step.form in conditions:
                    (forms.discard if step.undone else forms.add)(step.form)
    first, then = (
        [kept for step in steps for kept in _met(step, stated)]
        for steps in (in_order.first, in_order.then)
    )
    return Ordered(first, then, in_order.faults)


def _met(step: Step, stated: dict[Any, set[str]]) -> Iterator[Step]:
    if all(bound.when is None for bound in step.bound):
        yield step
        return
    for bound in step.bound:
        keys = bound.keys if bound.on else step.keys
        if bound.when is not None:
            form, wanted = bound.when
            # Each port by itself meets the condition, or does not.
            keys = tuple(key for key in keys if (form in stated.get(key, ())) is wanted)
        # What no port is left for is not done; a clause without a condition always is.
        if keys or bound.when is None:
            kind = bound.on or step.kind
            yield replace(step, kind=kind, keys=keys, bound=(replace(bound, on="", keys=()),))


def is_special(step: Step) -> bool:
    """Whether a step is about profiles or about all ports, so that the order matters."""
    return (
        step.kind == "profile"
        or any(
            bound.on == "profile" or bound.attribute == "takes" or _wild(bound.keys)
            for bound in step.bound
        )
        or _wild(step.keys)
    )


def _wild(keys: Iterable[Any]) -> bool:
    return any(isinstance(key, Wild) for key in keys)


class _About(NamedTuple):
    """A clause, and what it is about."""

    kind: str
    keys: tuple[Any, ...]
    bound: Bound


class _Ordering:
    """Works out one order."""

    def __init__(self, steps: list[Step], specific: frozenset[str]) -> None:
        self.specific = specific
        self.result = Ordered()
        self.profiles: dict[str, _Profile] = {}
        self.taken: dict[str, dict[str, Step]] = {}  # port -> profiles, in order, and where
        self.made: dict[str, tuple[str, Origin]] = {}  # port -> its kind, where it is first named
        self.fitting: dict[Wild, list[str]] = {}
        self.whole: dict[str, list[tuple[Step, Bound]]] = {}
        self.left = _MOST_TAKEN
        self._find_ports(steps)
        profiles = self._names_of_profiles(steps)
        steps = [step for step in steps if self._is_known(step, profiles)]
        everywhere, own = self._split(steps)
        inherited = list(self._inherited())
        touched = {*self.taken, *(key for step in everywhere for key in step.keys)}
        there = (Bound("", "there"),)
        # Ports that only profiles and patterns touch must be there before.
        made = [
            Step("", origin, kind, (name,), there)
            for name, (kind, origin) in self.made.items()
            if name in touched
        ]
        self.result.first = [*made, *everywhere, *inherited]
        self.result.then = own

    # --- which ports there are --------------------------------------------------------------------

    def _find_ports(self, steps: list[Step]) -> None:
        for step in steps:
            for bound in step.bound:
                kind, keys = (bound.on, bound.keys) if bound.on else (step.kind, step.keys)
                for key in keys if kind in PORTS else ():
                    # A pattern names no port: it takes those that are named.
                    if not isinstance(key, Wild):
                        self.made.setdefault(key, (kind, step.origin))

    def _named(self, keys: tuple[Any, ...]) -> tuple[Any, ...]:
        """Keys with the ports that patterns fit in place of the patterns."""
        if not _wild(keys):
            return keys
        names: dict[Any, None] = {}
        for key in keys:
            if isinstance(key, Wild):
                # The same pattern comes in many lines.
                if key not in self.fitting:
                    fits = re.compile(re.escape(key.pattern).replace(r"\*", ".*")).fullmatch
                    but = set(key.but)
                    self.fitting[key] = [n for n in self.made if fits(n) and n not in but]
                names |= dict.fromkeys(self.fitting[key])
            else:
                names[key] = None
        return tuple(names)

    # --- the parts --------------------------------------------------------------------------------

    def _names_of_profiles(self, steps: list[Step]) -> set[str]:
        return {
            key
            for step in steps
            for bound in step.bound
            if (bound.on or step.kind) == "profile"
            for key in (bound.keys if bound.on else step.keys)
        }

    def _is_known(self, step: Step, profiles: set[str]) -> bool:
        """Whether a step takes profiles only that are there; else it is a fault."""
        for bound in step.bound:
            for name in bound.value or () if bound.attribute == "takes" else ():
                if name not in profiles:
                    # The whole line has no effect: it would have less than it says.
                    says = f"no profile here is called {name!r}"
                    self.result.faults.append((step, BadLine(says, "define it, or correct it")))
                    return False
        return True

    def _split(self, steps: list[Step]) -> tuple[list[Step], list[Step]]:
        """What is said of all ports, and what of single ones and of all else. Profiles and who
        takes them are kept.
        """
        everywhere: list[Step] = []
        own: list[tuple[int, Step]] = []
        for step in steps:
            about = (
                _About(b.on or step.kind, b.keys if b.on else step.keys, b) for b in step.bound
            )
            for (kind, keys), group in groupby(about, key=lambda about: (about.kind, about.keys)):
                # Clauses of one line about one thing stay together: they are done at once.
                clauses = [about.bound for about in group]
                if kind == "profile":
                    for bound in clauses:
                        self._of_profiles(step, bound, keys)
                elif kind not in PORTS:
                    # Of VLANs, trees and all else the order of the text counts.
                    own.append((0, replace(step, bound=tuple(clauses))))
                else:
                    names = self._named(keys)
                    # Of ports that there are not nothing was said: the pattern may be misread.
                    if not names and not any(key.pattern == "*" for key in keys):
                        says = f"no port here fits {', '.join(map(str, keys))}"
                        self._fault(step, says, "correct the pattern, or collect the text whole")
                        continue
                    # Each pattern times each port: a short text could ask for millions.
                    if _wild(keys) and self._is_too_much(len(names) * len(clauses), step):
                        continue
                    plain = self._without_taking(step, clauses, names)
                    settled = replace(step, kind=kind, keys=names, bound=plain)
                    if any(isinstance(key, Wild) and key.pattern == "*" for key in keys):
                        everywhere.append(settled)
                    else:
                        own.append((-len(names) if kind in self.specific else 0, settled))
        # Stable: of two that are about as many ports the later one still wins.
        if self.specific:
            own.sort(key=lambda pair: pair[0])
        return everywhere, [step for _, step in own]

    def _without_taking(
        self, step: Step, clauses: list[Bound], names: tuple[Any, ...]
    ) -> tuple[Bound, ...]:
        """Note which profiles some ports take; the other clauses about them."""
        for bound in clauses:
            for name in names if bound.attribute == "takes" else ():
                _take(self.taken.setdefault(name, {}), step, bound)
        return tuple(
            replace(bound, on="", keys=()) for bound in clauses if bound.attribute != "takes"
        )

    def _of_profiles(self, step: Step, bound: Bound, names: tuple[str, ...]) -> None:
        for name in names:
            profile = self.profiles.setdefault(name, _Profile())
            # A profile that is taken away and written anew begins empty.
            if bound.operator == "gone":
                self.profiles[name] = _Profile()
            elif bound.attribute == "takes":
                _take(profile.takes, step, bound)
            elif bound.attribute:
                profile.says.append((step, bound))

    # --- what ports take over ---------------------------------------------------------------------

    def _inherited(self) -> Iterator[Step]:
        """What ports take over. Ports that take the same at the same lines have it together."""
        alike: dict[tuple[Any, ...], list[str]] = {}
        for name, takes in self.taken.items():
            kind = self.made.get(name, ("port", None))[0]
            lines = tuple((profile, id(taking)) for profile, taking in takes.items())
            alike.setdefault((kind, lines), []).append(name)
        for (kind, _), names in alike.items():
            for profile, taking in self.taken[names[0]].items():
                clauses = self._all_of(profile, taking, ())
                # Told once, and nothing more is taken over: half of it would be as wrong.
                if self._is_too_much(len(clauses) * len(names), taking):
                    return
                for step, bound in clauses:
                    at = taking.origin.line
                    # Both lines count: where it is said, and where the port takes it.
                    origin = Origin(step.origin.file, step.origin.line, taken_at=at)
                    alone = (replace(bound, on="", keys=()),)
                    yield replace(step, origin=origin, kind=kind, keys=tuple(names), bound=alone)

    def _is_too_much(self, settings: int, step: Step) -> bool:
        """Whether a text has ports take over more than any configuration does."""
        self.left -= settings
        if self.left < 0:
            self._fault(step, f"ports take over more than {_MOST_TAKEN:,} settings in all")
        return self.left < 0

    def _fault(self, step: Step, says: str, cure: str = "take one of them out") -> None:
        # One line may fail for many ports: it is told once.
        if all(faulty is not step for faulty, _ in self.result.faults):
            self.result.faults.append((step, BadLine(says, cure)))

    def _all_of(self, name: str, taking: Step, around: tuple[str, ...]) -> list[tuple[Step, Bound]]:
        """What a profile says, after what the profiles say that it takes."""
        if name in self.whole:
            return self.whole[name]
        # Round in a circle: each would have all of the others.
        if name in around:
            self._fault(taking, f"profile {name!r} takes itself")
            return []
        if len(around) == _DEEPEST:
            self._fault(taking, f"profiles take profiles more than {_DEEPEST} deep")
            return []
        profile = self.profiles.get(name, _Profile())
        clauses: list[tuple[Step, Bound]] = []
        for other, step in profile.takes.items():
            clauses += self._all_of(other, step, (*around, name))
            if len(clauses) + len(profile.says) > _MOST_CLAUSES:
                self._fault(step, f"a profile takes over more than {_MOST_CLAUSES:,} settings")
                return []
        # What a profile says itself comes behind what it takes.
        clauses += profile.says
        if not around:  # only then is it known whole, whatever takes itself
            self.whole[name] = clauses
        return clauses


def _take(takes: dict[str, Step], step: Step, bound: Bound) -> None:
    """Change which profiles are taken: the one that is taken last comes last."""
    # Stated anew: those that were taken before are not any more.
    if bound.operator in ("=", "unset"):
        takes.clear()
    for name in bound.value or ():
        # Taken out first, so that it comes last.
        takes.pop(name, None)
        if bound.operator != "-":
            takes[name] = step
