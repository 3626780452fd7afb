"""Making a claim true that something must not arrive: the fewest edits that end every leak.

## Theory of operation

A broken claim comes with the way of a frame. Whatever cures the claim has to end this way; so edits
are proposed along it: where it crosses a link, the VLAN is taken off the lists, or the native VLAN
becomes that of the other end; where it comes in or goes out, a host port decides by itself no more,
and lets nobody register VLANs. Each proposal is tried, and the claim judged again. If another way
is left, proposals along that one are added. Sets of edits are tried in the order of their size, so
the first that does is the smallest that these proposals lead to. Which of several does no harm is
found out by trying them on the whole campus; that is up to the caller.
"""

from __future__ import annotations

from collections.abc import Iterator
from heapq import heappop, heappush

from inkov.campus import Mode, Negotiation
from inkov.edits import Edit, apply
from inkov.edits.make import of_port
from inkov.forwarding import Fabric, Resolved, resolve
from inkov.levels import Outcome
from inkov.mend.findings import together
from inkov.plan import Claim, Plan
from inkov.proofs.prove import Prover
from inkov.proofs.verdict import Verdict
from inkov.vlanset import VlanSet
from inkov.wiring import End, wire

__all__ = ["cuts"]

_MOST_TRIALS = 300


def cuts(fabric: Fabric, plan: Plan, claim: Claim, broken: Verdict) -> Iterator[list[Edit]]:
    """Sets of edits with which a claim holds, the smallest first, as far as proposals lead."""
    waiting: list[tuple[int, int, list[Edit]]] = []
    number = trials = 0
    seen: set[frozenset[str]] = set()

    def propose(on: Fabric, verdict: Verdict, before: list[Edit]) -> None:
        nonlocal number
        for proposal in _along(on, verdict, plan.says.practice.native):
            edits = together([*before, *proposal])
            key = frozenset(repr((edit.place, edit.after)) for edit in edits)
            if key not in seen:
                seen.add(key)
                number += 1
                heappush(waiting, (len(edits), number, edits))

    propose(fabric, broken, [])
    while waiting and trials < _MOST_TRIALS:
        trials += 1
        _, _, edits = heappop(waiting)
        campus = apply(fabric.campus, edits)
        tried = resolve(campus, wire(campus))
        verdict = Prover(tried, plan).judge(claim)
        if verdict.verdict == Outcome.HOLDS:
            yield edits
        elif verdict.verdict == Outcome.BROKEN:
            propose(tried, verdict, edits)


def _along(fabric: Fabric, verdict: Verdict, native: int | None) -> Iterator[list[Edit]]:
    """Edits that end the way of a frame, one after the other along it. `native` is the house's
    native VLAN.
    """
    for step in verdict.witness:
        end = End(step.switch, step.port)
        if end not in fabric.ports:
            continue
        own = fabric.ports[fabric.end_of(*end)]
        fars = fabric.wiring.around(own.end)
        if not fars:
            yield from _at_host(own)
            continue
        for far in fars:
            if far in fabric.ports and step.vlan:
                yield from _on_link(own, fabric.ports[far], step.vlan, native)


def _at_host(own: Resolved) -> Iterator[list[Edit]]:
    """A host port that gives nobody what he asks for."""
    port, switch = own.stated, own.end.device
    if own.completed.negotiation in (Negotiation.PASSIVE, Negotiation.ACTIVE):
        yield [of_port(switch, port, "negotiation", Negotiation.SILENT)]
    if own.completed.registration:
        yield [of_port(switch, port, "registration", False)]


def _on_link(own: Resolved, far: Resolved, vid: int, native: int | None) -> Iterator[list[Edit]]:
    """A link that does not pass a VLAN, or whose ends have the same native VLAN: one end's, or the
    house's, in which no host is.
    """
    natives = own.native, far.native
    if native is not None and own.mode is far.mode is Mode.TRUNK and {*natives} != {native}:
        yield [
            edit for one in (own, far) if one.native != native for edit in _untagged(one, native)
        ]
    if natives[0] != natives[1] and own.mode is far.mode is Mode.TRUNK:
        for one, other in ((own, natives[1]), (far, natives[0])):
            yield [of_port(one.end.device, one.stated, "native_vlan", other)]
    shut = [edit for one in (own, far) for edit in _without(one, vid)]
    if shut:
        yield shut


def _untagged(one: Resolved, native: int) -> Iterator[Edit]:
    """A trunk with another native VLAN, which its list lets through."""
    now = one.completed.allowed
    yield of_port(one.end.device, one.stated, "native_vlan", native)
    if native not in now:
        yield of_port(one.end.device, one.stated, "allowed", now | VlanSet.of(native))


def _without(one: Resolved, vid: int) -> Iterator[Edit]:
    """A port that does not pass a VLAN tagged."""
    attribute = {Mode.TRUNK: "allowed", Mode.GENERAL: "tagged"}.get(one.mode)
    now: VlanSet = getattr(one.completed, attribute) if attribute else VlanSet()
    if attribute and vid in now and vid != one.native:
        yield of_port(one.end.device, one.stated, attribute, now - VlanSet.of(vid))
