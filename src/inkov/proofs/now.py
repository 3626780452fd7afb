"""Claims that frames get there, judged by what forwards now (FM 7.10).

Isolation is judged over all links in any case: what a tree blocks today it may open tomorrow. So
are claims that have to withstand losses: the trees of now are among those that they are tried in.
"""

from __future__ import annotations

from collections.abc import Sequence

from msgspec.structs import replace

from inkov.levels import Outcome
from inkov.proofs.verdict import Verdict

__all__ = ["WANTED", "prove_now"]

WANTED = {"join", "reach", "whole"}
"""The kinds of claims that say that frames get there."""


def prove_now(
    over_all: list[Verdict], by_outcome: Sequence[list[Verdict]], doubts: Sequence[str]
) -> list[Verdict]:
    """The verdicts over all links, with those about frames that get there replaced by what holds
    in each outcome of the spanning trees. `doubts` are what the trees rest on besides.
    """
    by_key = [{verdict.key: verdict for verdict in verdicts} for verdicts in by_outcome]
    combined = []
    for verdict in over_all:
        # Isolation is over all links: no tree changes it.
        if verdict.kind not in WANTED or verdict.withstands:
            combined.append(verdict)
            continue
        # A claim may be about nobody in some outcome.
        unmade = replace(verdict, verdict=Outcome.UNDECIDED, because="it is about nobody now")
        same = [verdicts.get(verdict.key, unmade) for verdicts in by_key]
        combined.append(_combined(verdict, same, doubts))
    return combined


def _combined(over_all: Verdict, by_outcome: list[Verdict], doubts: Sequence[str]) -> Verdict:
    first = by_outcome[0]
    outcomes = {verdict.verdict for verdict in by_outcome}
    if over_all.verdict == Outcome.BROKEN:
        return over_all  # what no link passes, no tree does
    # Some outcomes keep it and some do not: chance decides.
    if len(outcomes) > 1:
        worst = next(v for v in by_outcome if v.verdict != Outcome.HOLDS)
        says = f"it hangs on chance in the spanning tree; in one outcome, {worst.because}"
        return replace(worst, verdict=Outcome.UNDECIDED, because=says, certificate={})
    # All outcomes agree, and yet what decides them is a guess.
    if doubts:
        says = f"now: {first.because}; but the spanning tree is not sure: {doubts[0]}"
        return replace(first, verdict=Outcome.UNDECIDED, because=says, certificate={})
    return replace(first, because=f"now: {first.because}", certificate={})
