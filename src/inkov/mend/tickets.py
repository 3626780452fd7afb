"""A ticket: one place does not reach another. What keeps them apart, and what would cure it.

## Theory of operation

A ping is a chain of needs (`forwarding.ping`), and the first that fails says where to look: a host
that has no gateway, a gateway that is down, a VLAN that ends on the way. For each such need there
are a few *proposals*: edits that could cure it. They are tried: the whole campus is resolved with
them, and the ping made again. It may fail later now, and proposals for that are added. Sets of
edits are tried in the order of their size, so the first that works is the smallest that proposals
lead to; edits that it can do without are left out again.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Sequence
from functools import cached_property
from heapq import heappop, heappush
from typing import Any, NamedTuple

from msgspec import Struct, field
from msgspec.structs import replace

from inkov.campus import Fact, Host
from inkov.edits import Edit, apply
from inkov.forwarding import Fabric, resolve
from inkov.mend.judged import Judged, judged
from inkov.mend.proposals import Proposer, opened
from inkov.mend.trial import trial
from inkov.plan import Plan
from inkov.wiring import wire

__all__ = ["Answer", "Ticket"]

_MOST_TRIALS = 40
_MOST_ALIKE = 6  # sets of edits as small as the first that does, which are tried as well
_FEW_SWITCHES = 200


class Answer(Struct):
    """The answer to a ticket: how it is, and if it does not work the edits that cure it, as the
    campus is then (`cured`). `smallest`: fewer were tried and do not do. Without `edits` none are
    known.
    """

    before: Judged
    edits: list[Edit] = field(default_factory=list)
    cured: Fabric | None = None
    after: Judged | None = None
    smallest: bool = True


class _Tried(NamedTuple):
    """A set of edits to try: how many edits on how many switches, and the how manieth it is."""

    cost: tuple[int, int]
    number: int
    edits: tuple[Edit, ...]


class Ticket:
    """That one host does not reach another on a campus."""

    def __init__(self, fabric: Fabric, one: Host, other: Host) -> None:
        self.fabric = fabric
        self.one = one
        self.other = other

    @cached_property
    def before(self) -> Judged:
        """Whether it works."""
        return judged(self.fabric, self.one, self.other)

    def cured_by(self, cures: Iterable[Sequence[Edit]]) -> Answer:
        """The first of some cures of other things that cures it as well; of several at once that do
        the edits that are needed.
        """
        answer = Answer(self.before, smallest=False)
        every: list[Edit] = []
        for edits in cures:
            every += edits
            fabric, state = self._with(edits)
            # The first cure that does.
            if state.works:
                break
        else:
            edits = _followed_by(every, ())
            fabric, state = self._with(edits)
        # What it takes of it, and no more.
        if state.works:
            answer.edits, answer.cured, answer.after = self._thinned(list(edits), fabric, state)
            # Without any it did not work.
            answer.smallest = len(answer.edits) == 1
        return answer

    def answer(self) -> Answer:
        """Whether it works; if not, the fewest edits that cure it, as far as proposals lead; of
        several sets on the fewest switches, and of these the one that opens least.
        """
        before, answer = self.before, Answer(self.before)
        # Nothing to cure.
        if before.works:
            return answer
        waiting = [_Tried((0, 0), 0, ())]
        seen: set[frozenset[Any]] = {frozenset()}
        trials = number = 0
        while waiting and trials < _MOST_TRIALS:
            tried = heappop(waiting)
            fabric, state = self._with(tried.edits)
            trials += 1
            # Sets come by size: none that is smaller does.
            if state.works:
                chosen = self._least_opening(tried, fabric, state, waiting)
                answer.edits, answer.cured, answer.after = self._thinned(*chosen)
                return answer
            for more in self._proposals(fabric, state):
                edits = _followed_by(tried.edits, more)
                key = frozenset(_key(edit) for edit in edits)
                # Not more than before, or tried in another order.
                if len(edits) > len(tried.edits) and key not in seen:
                    seen.add(key)
                    number += 1
                    switches = len({edit.switch for edit in edits})
                    heappush(waiting, _Tried((len(edits), switches), number, edits))
        answer.smallest = not waiting
        return answer

    def _least_opening(
        self, tried: _Tried, fabric: Fabric, state: Judged, waiting: list[_Tried]
    ) -> tuple[list[Edit], Fabric, Judged]:
        """Of a set of edits that cures it, and those waiting that are as small, the one that cuts
        nobody off and opens least. On a large campus each trial takes long: there the first.
        """
        cures = [(list(tried.edits), fabric, state)]
        alike = sorted(candidate for candidate in waiting if candidate.cost == tried.cost)
        few = len(self.fabric.campus.devices) <= _FEW_SWITCHES
        for candidate in alike[:_MOST_ALIKE] if few else ():
            then, how = self._with(candidate.edits)
            if how.works:
                cures.append((list(candidate.edits), then, how))
        # The only one of its size.
        if len(cures) == 1:
            return cures[0]
        opened = [_opened_by(self.fabric, cured) for _, cured, _ in cures]
        return cures[opened.index(min(opened))]

    def _with(self, edits: Collection[Edit]) -> tuple[Fabric, Judged]:
        """The campus with some edits, and whether it works then."""
        # Nothing changed.
        if not edits:
            return self.fabric, self.before
        campus = apply(self.fabric.campus, edits)
        fabric = resolve(campus, wire(campus))
        hosts = {host.name: host for host in campus.hosts}
        # The edits may be about a host itself; the form of its frames is what was asked.
        one, other = (
            replace(hosts.get(host.name, host), vid=host.vid) for host in (self.one, self.other)
        )
        return fabric, judged(fabric, one, other)

    def _thinned(
        self, edits: list[Edit], cured: Fabric, after: Judged
    ) -> tuple[list[Edit], Fabric, Judged]:
        """The edits without those that are not needed, and the campus with them."""
        for edit in list(edits) if len(edits) > 1 else ():
            fewer = [kept for kept in edits if kept is not edit]
            fabric, state = self._with(fewer)
            # It works without: the edit was not needed.
            if state.works:
                edits, cured, after = fewer, fabric, state
        return edits, cured, after

    # --- proposals --------------------------------------------------------------------------------

    def _proposals(self, fabric: Fabric, state: Judged) -> Iterator[list[Edit]]:
        """Edits that could cure the first need that is not met."""
        part = state.failing
        # Every need is met.
        if part is None:
            return
        for host in (part.here, part.there):
            closed = list(opened(fabric, host))
            # Frames must get in at all, before anything else.
            if closed:
                yield closed
                return
        yield from Proposer(fabric, state).of(part)


def _opened_by(before: Fabric, after: Fabric) -> tuple[bool, int, int]:
    """Whether it is not known what edits do besides; how many pairs of ports are apart then, and
    how many reach each other that did not.
    """
    done = trial(before, after, Plan())
    lost, gained = (
        sum(len(effect.row.sources) * len(effect.row.targets) for effect in effects)
        for effects in (done.lost, done.gained)
    )
    return bool(done.undecided), lost, gained


def _key(edit: Edit) -> tuple[Any, ...]:
    after = edit.after.value if isinstance(edit.after, Fact) else edit.after
    return *edit.place, repr(after)


def _followed_by(edits: Collection[Edit], more: Collection[Edit]) -> tuple[Edit, ...]:
    """Edits one after the other; a later one of the same attribute takes the place of an earlier
    one.
    """
    by_place = {edit.place: edit for edit in edits}
    for edit in more:
        before = by_place.get(edit.place, edit).before
        by_place[edit.place] = Edit(*edit.place, before, edit.after)
    return tuple(by_place.values())
