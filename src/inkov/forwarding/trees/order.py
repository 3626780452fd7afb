"""Which of several identifiers is the lowest, where some are not known.

Elections compare identifiers of bridges, (priority, address), and of ports, (priority, number).
What a configuration does not state, as an address mostly, may be anything: then each of several may
be the lowest, and what comes of an election is one of several outcomes. An `Order` decides such
questions by a script, remembers what it decided, and never contradicts itself: what follows from
earlier answers is no question any more. `outcomes` runs an election once for each script.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Set
from typing import NamedTuple, TypeVar

__all__ = ["MOST_OUTCOMES", "Identifier", "Order", "outcomes"]

T = TypeVar("T")
Key = tuple[str, int]
"""What is identified: a kind, "bridge" or "port", and a number."""

MOST_OUTCOMES = 16
"""More are not told apart: the election is left to chance as a whole."""


class Identifier(NamedTuple):
    """A priority, and what decides among equal ones: an address or a number; None if that is not
    known.
    """

    priority: int
    rest: int | None


class Order:
    """Answers about identifiers, by their keys. `script` says which of those that may be the lowest
    is taken at the first question, the second, and so on; the first one after its end.
    """

    def __init__(self, script: tuple[int, ...] = ()) -> None:
        self._script = script
        self.asked: list[tuple[int, int]] = []
        """For each question that was open: the answer taken, and how many there were."""
        self._below: dict[Key, set[Key]] = {}
        self._known: dict[Key, int] = {}

    def lowest(self, identifiers: dict[Key, Identifier]) -> list[Key]:
        """Those with the lowest identifier: one, or several of which it is known to be the same."""
        # The priority decides first; only equal ones need an address.
        priority = min(identifier.priority for identifier in identifiers.values())
        rest = {
            key: identifier.rest
            for key, identifier in identifiers.items()
            if identifier.priority == priority
        }
        known = [number for number in rest.values() if number is not None]
        lowest = min(known, default=None)
        # All known, or only one that may be the lowest: no question is left.
        candidates = [key for key, number in rest.items() if number is None or number == lowest]
        if len(known) == len(rest) or len(candidates) == 1:
            return candidates
        self._known.update((key, number) for key, number in rest.items() if number is not None)
        # Before any answer nothing follows from one: the first question is the largest by far.
        possible = [
            key
            for key in candidates
            if not self._below
            or not any(self._is_below(other, key) for other in candidates if other != key)
        ]
        # Several that are known to be the same are one candidate.
        firsts = [key for key in possible if rest[key] is None]
        firsts += [key for key in possible if rest[key] is not None][:1]
        answer = self._ask(len(firsts))
        chosen = firsts[answer]
        # From now on the chosen one is below all others, in every later question.
        self._below.setdefault(chosen, set()).update(key for key in candidates if key != chosen)
        if rest[chosen] is None:
            return [chosen]
        # Those with the same known number are the lowest together.
        return [key for key in possible if rest[key] is not None]

    def _is_below(self, one: Key, other: Key) -> bool:
        """Whether earlier answers, and what is known, say that one identifier is below another."""
        todo, seen = [one], {one}
        for key in todo:  # grows
            # Already said by an earlier answer.
            below: Set[Key] = self._below.get(key, frozenset())
            if other in below:
                return True
            # Known numbers follow from each other, if they are of one kind.
            if key in self._known and self._below:
                own = self._known[key]
                below = below | {
                    higher
                    for higher, number in self._known.items()
                    if higher[0] == key[0] and number > own
                }
            if other in below:
                return True
            todo += [lower for lower in below if lower not in seen]
            seen |= below
        return False

    def _ask(self, answers: int) -> int:
        # One answer is none to choose.
        if answers == 1:
            return 0
        number = len(self.asked)
        answer = self._script[number] if number < len(self._script) else 0
        self.asked.append((answer, answers))
        return answer


def outcomes(run: Callable[[Order], T]) -> tuple[list[T], bool]:
    """What comes of an election by each order that is possible; and whether these are all. Where
    there are more than `MOST_OUTCOMES`, the first ones are given.
    """
    results: list[T] = []
    # Scripts in their order: each differs from the one before in the last answer that could.
    script: tuple[int, ...] = ()
    while len(results) < MOST_OUTCOMES:
        order = Order(script)
        results.append(run(order))
        following = _next(order.asked)
        if following is None:
            return results, True
        script = following
    return results, False


def _next(asked: Iterable[tuple[int, int]]) -> tuple[int, ...] | None:
    """The script after the one that led to these questions; None after the last one."""
    answers = list(asked)
    while answers:
        answer, number = answers.pop()
        # The last question with an answer left gets the next one; all behind it begin anew.
        if answer + 1 < number:
            return (*(taken for taken, _ in answers), answer + 1)
    return None
