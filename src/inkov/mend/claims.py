"""Making a claim true.

That something must not arrive is made true by `cuts`. The rest is about what has to arrive: a
`join`, or a `reach` between two places.

A join of members of one VLAN is made by ways: from the part with most members the cheapest way is
taken to each other one, the nearest first. Of reaching, a ticket is made. A claim that holds until
something is lost lacks a spare: what an audit proposes about its VLAN may be one. What is found is
tried on the whole campus, and must make the claim hold, and cut nobody off. What an audit finds
then besides (a spare that lacks the VLAN, say) is no reason to leave a claim broken, and is told.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from datetime import date
from functools import partial
from itertools import chain, islice

from msgspec import Struct, field

from inkov.campus import Host, Origin
from inkov.checks import Severity, audit
from inkov.edits import Edit
from inkov.edits.make import defined
from inkov.effects import Comparison
from inkov.forwarding import Fabric
from inkov.forwarding.domains import domains
from inkov.levels import Layer, Outcome
from inkov.mend.cuts import Cuts
from inkov.mend.findings import Mended, Trier, together
from inkov.mend.tickets import Ticket
from inkov.mend.ways import Ways
from inkov.plan import Claim, Plan
from inkov.proofs.prove import Prover
from inkov.proofs.seats import ClaimNames
from inkov.vlanset import union

__all__ = ["HOLDS", "Claimed", "mend_claim"]

_MOST_CUTS = 40  # that are tried on the whole campus, if it is small
_FEWEST_CUTS = 8  # on a large one
_CUTS = 1500  # over the number of switches
HOLDS = "it holds"
_NONE = "no edits that are known make it hold"


class Claimed(Struct):
    """A claim that is to be made true: the edits that do it (`smallest` if no fewer do, as far
    as is known), or in `says` why there are none.
    """

    claim: str
    edits: list[Edit] = field(default_factory=list)
    says: str = ""
    smallest: bool = True


def mend_claim(fabric: Fabric, plan: Plan, claim: Claim, today: date) -> tuple[Claimed, Mended]:
    """The edits that make a claim true, and what they do besides."""
    goal = Claimed(claim.words)
    prover = Prover(fabric, plan)
    before = prover.withstood(claim)
    # Nothing to be done.
    if before.verdict == Outcome.HOLDS:
        goal.says = HOLDS
        return goal, Mended()
    # A name that means nothing: no edit could make it true.
    if ClaimNames(fabric, plan).unknown(claim):
        goal.says = before.because
        return goal, Mended()
    # What must not arrive has to be cut; what must arrive needs ways, or spares beside them.
    cuts = Cuts(fabric, plan, claim, before) if _is_forbidding(claim) else None
    if cuts is not None:
        proposals: Iterable[list[Edit]] | str = _cutting(cuts, fabric)
    elif before.withstands and prover.judge(claim).verdict == Outcome.HOLDS:
        proposals = _sparing(fabric, plan, claim, today)
    else:
        proposals = _joining(fabric, plan, claim)
    # No edits are known, and the reason is told.
    if isinstance(proposals, str):
        goal.says = proposals
        return goal, Mended()
    trier = Trier(fabric.campus, plan, today)
    best = _best(proposals, goal, trier, cuts)
    # Proposals that do, if not harmless ones, are told with what they do.
    if best is not None:
        goal.edits, goal.says = best[0], ""
        mended = trier.mended(*best)
        mended.harm_of = lambda part: trier.harm_of(
            part, findings=False, meant=cuts.meant(partial(trier.resolved, part)) if cuts else None
        )
        return goal, mended
    # Which loss it is that nothing is known for.
    if before.withstands and before.verdict == Outcome.BROKEN and goal.says == _NONE:
        goal.says = f"{_NONE}: {before.because}"
    # What is undecided may hang on what nobody knows.
    if before.verdict == Outcome.UNDECIDED and goal.says == _NONE:
        goal.says = f"{_NONE}; it is undecided: {before.because}"
    # The leak that no edit ends is named.
    if cuts is not None and cuts.left is not None:
        goal.says = f"no harmless edit that is known ends this: {cuts.left.because}"
    return goal, Mended()


def _cutting(cuts: Cuts, fabric: Fabric) -> Iterable[list[Edit]]:
    """The sets of edits that may end all leaks: the smallest, and then leak by leak."""
    one_by_one = (edits for edits in [cuts.one_by_one()] if edits)
    return chain(islice(cuts.smallest(), _most_trials(fabric)), one_by_one)


def _most_trials(fabric: Fabric) -> int:
    """How many sets of edits are tried on the whole campus."""
    spare = _CUTS // max(len(fabric.campus.devices), 1)
    return min(_MOST_CUTS, max(_FEWEST_CUTS, spare))


def _sparing(fabric: Fabric, plan: Plan, claim: Claim, today: date) -> Iterator[list[Edit]]:
    """The sets of edits that may give a claim what it lacks when something is lost: what an audit
    proposes about the VLANs of its members, each by itself, and all of that.
    """
    members = ClaimNames(fabric, plan).any_of(claim.join or claim.reach or ())
    vids = union(1 << seat.vid for seat in members if seat.vid)
    found = audit(fabric, plan, today=today).findings
    edits = [list(finding.edits) for finding in found if finding.edits and finding.vlans & vids]
    for own in edits[: _most_trials(fabric)]:
        yield together(fabric.campus, own)
    if len(edits) > 1:
        yield together(fabric.campus, chain.from_iterable(edits))


def _best(
    proposals: Iterable[list[Edit]], goal: Claimed, trier: Trier, cuts: Cuts | None
) -> tuple[list[Edit], Comparison] | None:
    """The proposal that makes a claim hold with the least harm, and what it does; None, and why in
    the goal, if there is none.
    """
    goal.says = _NONE
    best: tuple[list[Edit], Comparison] | None = None
    for edits in proposals:
        done = trier.compared(edits)
        verdict = next((change.after for change in done.claims if change.claim == goal.claim), None)
        # It does not do, or is not sure to.
        if verdict is None or verdict.verdict != Outcome.HOLDS:
            continue
        meant = cuts.meant(partial(trier.resolved, edits)) if cuts is not None else None
        does = trier.harm_in(done, findings=False, meant=meant) or _cut_off_from(done)
        # Somebody would lose something that nobody meant.
        if does:
            goal.says = f"its edits do harm: {does}" if goal.says == _NONE else goal.says
        elif best is None or not trier.harm_in(done, meant=meant):
            # The first that does; a later one only if it does no harm at all.
            best = edits, done
            sure = cuts.sure if cuts is not None else not verdict.withstands
            goal.smallest = sure or len(edits) == 1
            if not trier.harm_in(done, meant=meant):
                break  # nothing else is found then: no other is better
    return best


def _cut_off_from(done: Comparison) -> str:
    """What is worse for the switches themselves, in words; "" if nothing is."""
    for new in done.new:
        # A fault that a cure makes is no cure.
        if new.severity.rank <= Severity.FAULT.rank:
            return f"it makes another finding: {new.says} ({new.rule})"
    return ""


def _is_forbidding(claim: Claim) -> bool:
    """Whether a claim is that something must not arrive."""
    return any(side is not None for side in (claim.isolate, claim.not_reach, claim.carried_by))


def _joining(fabric: Fabric, plan: Plan, claim: Claim) -> Iterable[list[Edit]] | str:
    """The edits by which something gets where a claim wants it; why there are none."""
    edits = _edits(fabric, plan, claim)
    return edits if isinstance(edits, str) else [edits]


def _edits(fabric: Fabric, plan: Plan, claim: Claim) -> list[Edit] | str:
    """Edits that could make a claim true; why there are none."""
    if claim.reach is not None:
        places = [_place(fabric, name) for name in claim.reach]
        one, other = places
        # Of several places it is not said which is meant.
        if one is None or other is None:
            return "what reaches must be two hosts or ports, and not VLANs"
        return Ticket(fabric, one, other).answer().edits or "no edits that are known make it hold"
    # Packets are routed: links alone do not make that.
    if claim.join is None or claim.layer is not Layer.FRAMES:
        return "no edits are known for it"
    names = ClaimNames(fabric, plan)
    seats = names.any_of(claim.join)
    vids = {seat.vid for seat in seats if seat.vid}
    # Two VLANs are not joined by a link.
    if len(vids) != 1:
        return "its members are in several VLANs: which one is meant?"
    [vid] = vids
    bridges = {fabric.bridge_ports[seat.port].bridge for seat in seats if seat.vid}
    # Ports that are put into the VLAN on switches that do not have it are members as well.
    devices = {end.device for end in names.lost.get(vid, ())}
    bridges |= {fabric.bridge_of[name, ""] for name in devices if (name, "") in fabric.bridge_of}
    rows = [
        edit
        for name in sorted(devices)
        for edit in defined(fabric.campus, fabric.device(name), vid)
    ]
    ways = _joined(fabric, bridges, vid)
    return ways if isinstance(ways, str) else together(fabric.campus, [*rows, *ways])


def _place(fabric: Fabric, name: str) -> Host | None:
    """The host that a name means, or a nameless one at a port."""
    hosts = {host.name: host for host in fabric.campus.hosts}
    # A host by name, or whoever is at a port.
    if name in hosts:
        return hosts[name]
    switch, _, port = name.partition(":")
    device = fabric.campus.devices.get(switch)
    # There is no such place.
    if device is None or port not in device.ports:
        return None
    return Host(name, switch, port, Origin())


def _joined(fabric: Fabric, bridges: set[int], vid: int) -> list[Edit] | str:
    """The edits by which a VLAN joins some bridges."""
    there = domains(fabric)
    parts: dict[object, set[int]] = {}
    for bridge in sorted(bridges):
        label = there.of(bridge, vid)
        parts.setdefault(label if label >= 0 else (bridge,), set()).add(bridge)
    ordered = sorted(parts.values(), key=lambda part: (-len(part), min(part)))
    connected, left = ordered[0], ordered[1:]
    ways, edits = Ways(fabric), list[Edit]()
    # The nearest part first, until all are one.
    while left:
        candidates = [
            (len(way), number, way)
            for number, part in enumerate(left)
            if (way := ways.cheapest(connected, part, vid)) is not None
        ]
        # A part that no way leads to.
        if not candidates:
            return f"no way for VLAN {vid} is known to all its members"
        _, number, way = min(candidates, key=lambda candidate: candidate[:2])
        edits += way
        connected = connected | left.pop(number)
    return together(fabric.campus, edits)
