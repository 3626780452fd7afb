"""What the evidence does not decide: questions, and what their answers change."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from itertools import islice
from os.path import basename

from msgspec import Struct

from inkov.learn.hypothesis import Hypothesis, bare
from inkov.learn.others import Others
from inkov.learn.rows import Look, Pattern
from inkov.learn.search import Learnt, candidates
from inkov.learn.write import Remarks, alike, form_of, holds_secret, is_name, shown, vlans_in
from inkov.words import counted

__all__ = ["Ask", "Question", "Teacher"]

_MOST_SHOWN = 3
_MOST_ASKED = 10
_MOST_READINGS = 12  # of several statements together
_MOST_OFFERED = 9  # effects of a statement that no other source tells of
_MOST_LISTED = 10  # of such statements


class Question(Struct):
    """A question, and the answers it may have, the likeliest first."""

    says: str
    answers: list[str]


Ask = Callable[[Question], int | None]
"""Answers a question by the place of an answer; None leaves it open."""


class Teacher:
    """Goes through what was learnt, and asks what is not sure. `open` are the questions that are
    left.
    """

    def __init__(
        self, seen: Look, learnt: Learnt, files: Sequence[str], others: Others, ask: Ask | None
    ) -> None:
        self.seen = seen
        self.learnt = learnt
        self.files = files
        self.others = others
        self.open: list[str] = []
        self._ask = ask
        self._asked = 0
        self._remarks = Remarks()
        self._alike = alike(seen)

    def taught(self) -> Remarks:
        """What stands beside the forms of the dialect. Answers change what was learnt."""
        unclear = self._of_marks(self.others.marks())
        own = self.learnt.hypothesis
        # Only what would be read otherwise has to be asked.
        differing = filter(partial(self.others.differ, own), self.learnt.readings)
        self._of_readings([*islice(differing, _MOST_READINGS)])
        for number in self._alike:
            pattern = self.seen.patterns[number]
            # Settled, or the switch's name, or left out already: nothing to ask.
            named = pattern.settled or is_name(pattern, self.seen.name_form)
            if named or number in self._remarks.left_out:
                continue
            # Whatever it does, nobody could write it down.
            if not pattern.opens and any(not slot.kind for slot in pattern.slots):
                says = "what are its numbers or names? They are neither all ports nor all VLANs"
                self._leave_out(number, pattern, says)
            elif number in self.learnt.unsure:
                self._without_effect(number, pattern)
            elif number in self.learnt.hypothesis.effects:
                self._with_effect(number, pattern)
        self._of_bare_ports()
        self._of_others(self.others.statements(self.learnt.hypothesis, unclear))
        return self._remarks

    def of_wrong(self, wrong: Sequence[tuple[int, str]], total: int, sourced: int) -> None:
        """Which ports do not agree, by text and name, of how many of the first texts in all."""
        # What does not agree is told first.
        if wrong:
            names = [f"{basename(self.files[at])}: port {name}" for at, name in wrong]
            more = f" and {len(names) - _MOST_SHOWN} more" if len(names) > _MOST_SHOWN else ""
            told = ", ".join(names[:_MOST_SHOWN])
            self.open.append(f"not read as the other source has it: {told}{more}")
        self._remarks.head[:0] = [
            f"Learnt from {', '.join(map(basename, self.files[:sourced]))}:"
            f" {total - len(wrong)} of {total} ports agree.",
            "`inkov dialect check` with --against shows what does not.",
        ]

    def _of_marks(self, marks: dict[str, tuple[int, int]]) -> set[str]:
        """What marks between numbers mean that stand only where there is no evidence; `marks` has a
        place of each. Those are given back that are not clear.
        """
        lists = self.seen.lists
        unclear = set()
        for mark, (switch, line) in marks.items():
            place = f"{basename(self.files[switch])}:{line}"
            says = f"what is {mark!r} between numbers ({place})?"
            chosen = self._answer(says, ["a range", "a list", "neither, a word of the statement"])
            # Nobody knows: it stands under [lists] for whoever does.
            if chosen is None:
                self.open.append(f"{says} A range, or a list? Name it under [lists]")
                unclear.add(mark)
            elif chosen < 2:
                (lists.separators if chosen else lists.ranges).append(mark)
        return unclear

    def _of_readings(self, readings: Sequence[Hypothesis]) -> None:
        """Which of several readings of statements that stand together is meant."""
        own = self.learnt.hypothesis
        numbers = sorted(
            {n for hypothesis in readings for n in self._alike if self._differs(hypothesis, n)}
        )
        # They are told apart by what is known.
        if not numbers:
            return
        forms = [f'"{form_of(self.seen.patterns[n])}"' for n in numbers]
        answers = []
        for hypothesis in (own, *readings):
            effects = [hypothesis.effects.get(n, "") for n in numbers]
            told = [
                self._told(self.seen.patterns[n], [e])[0]
                for n, e in zip(numbers, effects, strict=True)
            ]
            answers.append(", ".join(told))
        place = self._where(self.seen.patterns[numbers[0]])
        says = (
            f"what do {' and '.join(forms)} do ({place})? Nothing that is known tells these apart"
        )
        chosen = self._answer(says, answers)
        # Not known: both readings are told.
        if chosen is None:
            listed = "; or ".join(answers[:_MOST_SHOWN])
            self.open.append(f"{says}: {listed}")
            if self.others.files:
                # Some of those texts would be read otherwise: better not at all.
                for number in numbers:
                    why = f"what does it do? {listed}"
                    self._remarks.left_out |= dict.fromkeys(self._alike[number], why)
        elif chosen:
            for number in numbers:
                self._decide(number, readings[chosen - 1].effects.get(number, ""))
                self._remarks.support[number] = "by your answer"

    def _differs(self, hypothesis: Hypothesis, number: int) -> bool:
        own = self.learnt.hypothesis.effects
        return hypothesis.effects.get(number, "") != own.get(number, "")

    def _of_others(self, numbers: Sequence[int]) -> None:
        """What statements do that only texts without another source have."""
        self._alike = alike(self.seen)
        left = 0
        for number in numbers:
            pattern = self.seen.patterns[number]
            # Another pattern of the same form stands for it.
            if number not in self._alike or pattern.settled:
                continue
            # What looks like a secret is not asked about.
            effects = [""] if holds_secret(pattern) else ["", *candidates(pattern)[:_MOST_OFFERED]]
            place = f'"{shown(form_of(pattern))}" ({self._where(pattern)})'
            says = f"{place}: what does it do? No switch of the other source has it"
            chosen = self._answer(says, self._told(pattern, effects)) if effects[1:] else None
            # Nobody knows: it stays a line that is not understood.
            if chosen is None:
                why = "what does it do? No other source tells"
                self._remarks.left_out |= dict.fromkeys(self._alike[number], why)
                left += 1
                # Some are named, others counted.
                if left <= _MOST_LISTED:
                    self.open.append(says)
            elif effects[chosen]:
                self._decide(number, effects[chosen])
                self._remarks.support[number] = "by your answer"
        if left > _MOST_LISTED:
            self.open.append(
                f"{left - _MOST_LISTED} more statements that no switch of the other source has"
            )

    @staticmethod
    def _told(pattern: Pattern, effects: Sequence[str]) -> list[str]:
        """Effects as they stand in the dialect; no effect in words."""
        capture = f"{{{vlans_in(pattern)}}}"
        return [effect.replace("{V}", capture) or "nothing" for effect in effects]

    def _answer(self, says: str, answers: list[str]) -> int | None:
        """The answer to a question, if there is somebody to ask, who knows."""
        # Nobody to ask, or asked enough.
        if self._ask is None or self._asked >= _MOST_ASKED or not answers:
            return None
        self._asked += 1
        return self._ask(Question(says, answers))

    # --- statements -------------------------------------------------------------------------------

    def _leave_out(self, number: int, pattern: Pattern, says: str) -> None:
        self._remarks.left_out |= dict.fromkeys(self._alike[number], says)
        self.open.append(f'"{shown(form_of(pattern))}" ({self._where(pattern)}): {says}')

    def _without_effect(self, number: int, pattern: Pattern) -> None:
        """A statement that changes nothing that can be seen, though it could."""
        effects = ["", *self.learnt.alternatives.get(number, [])]
        says = f'"{shown(form_of(pattern))}" ({self._where(pattern)}): what does it do?'
        chosen = self._answer(says, self._told(pattern, effects))
        # Without an answer it stays open: to change nothing here is no proof.
        if chosen is None:
            says = "what does it do? Where it stands, it changes nothing that can be seen"
            self._leave_out(number, pattern, says)
        elif effects[chosen]:
            self._decide(number, effects[chosen])
            self._remarks.support[number] = "by your answer"

    def _decide(self, number: int, effect: str) -> None:
        self.learnt.hypothesis.effects |= dict.fromkeys(self._alike[number], effect)

    def _with_effect(self, number: int, pattern: Pattern) -> None:
        """A statement whose effect is known, but for others that agree as well."""
        effect = self.learnt.hypothesis.effects[number]
        others = [
            another
            for another in self.learnt.alternatives.get(number, [])
            # General ports are told only where the effect is one of them already.
            if "general" in effect or "general" not in another
        ]
        told = self._told(pattern, [effect, *others])
        support = self._support(number)
        listed = ", or ".join(f"`{another}`" for another in told[1:][:_MOST_SHOWN])
        # Asked only where the answer would change how some text is read.
        if _matters(told) and any(self._would_differ(number, another) for another in others):
            place = f'"{shown(form_of(pattern))}" ({self._where(pattern)})'
            chosen = self._answer(f"{place}: what does it do?", told)
            if chosen is not None:
                self._decide(number, [effect, *others][chosen])
                support, listed = "by your answer", ""
            else:
                self.open.append(f"{place}: `{told[0]}`, or {listed}?")
                if self.others.files:
                    # Some of those texts would be read otherwise: better not at all.
                    why = f"what does it do? {listed} agree as well"
                    self._remarks.left_out |= dict.fromkeys(self._alike[number], why)
        self._remarks.support[number] = support + (f"; as well: {listed}" if listed else "")

    def _would_differ(self, number: int, effect: str) -> bool:
        """Whether another effect of a statement would change how some text is read."""
        own = self.learnt.hypothesis
        effects = own.effects | dict.fromkeys(self._alike[number], effect)
        return self.others.differ(own, Hypothesis(effects, own.defaults))

    def _support(self, number: int) -> str:
        """What an effect rests on: its lines, and how the ports that they are about are read."""
        lines = sum(len(self.seen.patterns[alike].rows) for alike in self._alike[number])
        agree, differ = self.learnt.support.get(number, (0, 0))
        shown = f"{counted(lines, 'line')}; agrees with {counted(agree, 'port')}"
        return f"{shown}, contradicted by {differ or 'none'}"

    def _of_bare_ports(self) -> None:
        """What a port is of which nothing is said, where no port of the other source tells."""
        fitting, own = self.learnt.fitting, self.learnt.hypothesis.defaults
        hypothesis = self.learnt.hypothesis
        differing = [
            n
            for n in fitting
            if n == own or self.others.differ(hypothesis, Hypothesis(hypothesis.effects, n))
        ]
        # All that agree come to the same here.
        if len(fitting) < 2 or len(differing) < 2:
            return
        says = "what is a port of which nothing is said?"
        told = {n: _told(*bare(self.seen.defaults[n])) for n in {*fitting, own}}
        chosen = self._answer(says, [told[n] for n in fitting])
        # An answer decides; else it is said what was taken.
        if chosen is not None:
            own = self.learnt.hypothesis.defaults = fitting[chosen]
            self._remarks.head.append(
                f"A port of which nothing is said, by your answer: {told[own]}."
            )
            return
        self.open.append(
            f"{says} No port of the other source tells; it is taken to be {told[own]} ([defaults])"
        )

    def _where(self, pattern: Pattern) -> str:
        switch, line = pattern.at[0]
        return f"{basename(self.files[switch])}:{line}"


def _told(state: str, vid: str) -> str:
    """What a port is of which nothing is said, in words."""
    # Off, whatever else is said.
    if state == "off":
        return "off"
    return f"on, untagged in VLAN {vid}" if vid != "none" else "on, in no VLAN"


def _matters(effects: Sequence[str]) -> bool:
    """Whether it makes a difference elsewhere which of some effects is meant: whether a list
    replaces what was said before, adds to it, or takes from it.
    """
    changes = {effect.rpartition(";")[2].strip().split(" {")[0] for effect in effects}
    lists = [change.split() for change in changes if change[-1:] in "=+-"]
    # Lists that replace and lists that add are not the same elsewhere.
    return len({sign for name, sign in lists if name == lists[0][0]}) > 1
