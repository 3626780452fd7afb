"""Judges claims: those of the plan, and without a plan that no VLAN leaks into another and none is
split.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from difflib import get_close_matches
from functools import cached_property
from typing import Any

from inkov.campus import Origin
from inkov.forwarding import Fabric
from inkov.forwarding.assumptions import Assumptions, passed_by
from inkov.forwarding.domains import Domains, domains
from inkov.forwarding.routers import Routers
from inkov.plan import Claim, Plan
from inkov.proofs.carried import judge_carried
from inkov.proofs.certificate import certified, way_of
from inkov.proofs.joins import Joins, explain_where_it_stops
from inkov.proofs.leaks import blamed, closure, find_leak, leak_steps, reached
from inkov.proofs.routed import Passage, Routing
from inkov.proofs.seats import ClaimNames, Seat, Unknown
from inkov.proofs.verdict import BROKEN, HOLDS, UNDECIDED, Verdict
from inkov.proofs.vid_reach import VidReach, vlan_groups
from inkov.vlanset import VlanSet, bits_to_text
from inkov.wiring import End

__all__ = ["Prover", "prove"]


def prove(
    fabric: Fabric,
    plan: Plan | None = None,
    *,
    level: str = "honest",
    unread: Sequence[str] = (),
    strict: bool = False,
) -> list[Verdict]:
    """The verdicts on the plan's claims, in their order; without claims, those that need no plan,
    at `level`.

    `unread` are sentences about files that were not read. With `strict`, a verdict that rests on
    one of them, on lines that were not understood, or on what an unknown neighbour does between
    ports of different VLANs, is undecided.
    """
    prover = Prover(fabric, plan or Plan())
    verdicts = prover.all(level)
    lines = len(fabric.campus.unmatched)
    missing = [
        *unread,
        *([f"{lines} line(s) that may have to do with VLANs were not understood"] if lines else []),
    ]
    for verdict in verdicts:
        verdict.assumes += missing
        unknown = [
            *missing,
            *(says for says in verdict.assumes if says in prover.assumptions.between),
        ]
        if strict and unknown and verdict.verdict != UNDECIDED:
            verdict.because = f"it would be said to be {verdict.verdict}, but {unknown[0]}"
            verdict.verdict, verdict.certificate = UNDECIDED, {}
    return verdicts


class Prover:
    def __init__(self, fabric: Fabric, plan: Plan) -> None:
        self.fabric = fabric
        self.plan = plan
        self.names = ClaimNames(fabric, plan)
        self._coarses: dict[str, VidReach] = {}

    @cached_property
    def domains(self) -> Domains:
        return domains(self.fabric)

    def all(self, level: str) -> list[Verdict]:
        """Every claim of the plan, or without any, those that need none."""
        claims = self.plan.says.claims
        if not claims:
            return [*self.no_leaks(level), *self.joins.none_split(self.domains, self.names.seats)]
        return [self.judge(claim) for claim in claims]

    def _assume(self, verdict: Verdict, passed: set[str]) -> None:
        verdict.assumes = list(
            dict.fromkeys((*verdict.assumes, *self.assumptions.on(passed, verdict.level)))
        )

    @cached_property
    def assumptions(self) -> Assumptions:
        return Assumptions(self.fabric)

    def vid_reach(self, level: str) -> VidReach:
        """What VIDs can turn into at a level; worked out once."""
        if level not in self._coarses:
            self._coarses[level] = VidReach(self.fabric, self.names.seats, level)
        return self._coarses[level]

    @cached_property
    def joins(self) -> Joins:
        return Joins(self.fabric, self._assume)

    @cached_property
    def routing(self) -> Routing:
        return Routing(self.fabric, Routers(self.fabric, self.domains), self.vid_reach)

    # --- the plan's claims ------------------------------------------------------------------------

    def judge(self, claim: Claim) -> Verdict:
        verdict = Verdict(
            claim.words, claim.kind, claim.level, claim.layer, UNDECIDED, "", claim.origin
        )
        try:
            {
                "isolate": self._isolate,
                "join": self._join,
                "reach": self._reach,
                "not-reach": self._not_reach,
                "carried-by": self._carried,
            }[claim.kind](claim, verdict)
        except Unknown:
            says, name, known = self.names.unknown(claim)[0]
            close = get_close_matches(name, known, n=2, cutoff=0.5)
            hint = f"; did you mean {' or '.join(close)}?" if close else ""
            verdict.verdict, verdict.because = UNDECIDED, says + hint
        return verdict

    def legs(self, claim: Claim) -> list[tuple[frozenset[Seat], frozenset[Seat]]]:
        """What a claim is about, as (those that send, those that hear). Raises Unknown."""
        if claim.isolate is not None and claim.from_ is None:
            members = [self.names.of(name) for name in claim.isolate]
            return [
                (own, frozenset().union(*(m for m in members if m is not own))) for own in members
            ]
        if claim.isolate is not None:
            inside = self.names.any_of(claim.isolate)
            outside = (
                self.names.any_of(claim.from_ or ())
                - self.names.any_of(claim.except_ or ())
                - inside
            )
            return [(inside, outside), (outside, inside)][: 1 if claim.one_way else 2]
        if claim.join is not None:
            seats = self.names.any_of(claim.join)
            return [(seats, seats)]
        pair = claim.reach or claim.not_reach or ()
        if not pair:
            return []
        one, other = pair
        return [(self.names.of(one), self.names.of(other))]

    def _isolate(self, claim: Claim, verdict: Verdict) -> None:
        members = (
            [(name, self.names.of(name)) for name in claim.isolate or ()]
            if claim.from_ is None
            else []
        )
        for number, (name, seats) in enumerate(members):
            for other, its in members[number + 1 :]:
                if seats & its:
                    port = self.fabric.bridge_ports[min(seats & its).port].end
                    verdict.because = f"{name} and {other} have ports in common, {port} among them"
                    return
        if claim.layer != 2 or not self._plainly_apart(claim, verdict):
            self._apart(self.legs(claim), verdict)

    def _plainly_apart(self, claim: Claim, verdict: Verdict) -> bool:
        """Judge an isolation of whole VLANs by VIDs alone; False if that does not do."""
        sides = self.names.vlan_sides(claim)
        vid_reach = self.vid_reach(verdict.level)
        masks = [
            (vid_reach.sent_in(sources), vid_reach.heard_in(targets)) for sources, targets in sides
        ]
        closures = [self._nowhere_near(sent, heard, verdict) for sent, heard in masks]
        if not closures or None in closures:
            return False
        self._holds(verdict, nobody=any(not sent or not heard for sent, heard in masks))
        verdict.certificate |= {"closures": closures}
        return True

    def _nowhere_near(self, sent: int, heard: int, verdict: Verdict) -> dict[str, Any] | None:
        """The closure if no link turns what is sent into a VID that is heard, wherever anybody is;
        else None.
        """
        everywhere = self.vid_reach(verdict.level).spread(sent)
        if everywhere & heard:
            return None
        stated_closure = {"anywhere": bits_to_text(everywhere)}
        self._assume(verdict, self._devices(stated_closure))
        return stated_closure

    def _devices(self, stated_closure: dict[str, Any]) -> set[str]:
        """The devices that frames of a closure can be on."""
        if "anywhere" not in stated_closure:
            return {name.partition("|")[0] for name in stated_closure}
        mask = VlanSet.parse(stated_closure["anywhere"]).bits
        return {inside.device for inside in self.fabric.bridges if inside.live & mask}

    def _holds(self, verdict: Verdict, *, nobody: bool = False) -> None:
        verdict.verdict = HOLDS
        verdict.because = "no frame gets from one side to the other, over any link that is up"
        verdict.because += (
            ", and no router passes packets between them" if verdict.layer == 3 else ""
        )
        if nobody:
            verdict.because = "one side has no port at all"

    def _not_reach(self, claim: Claim, verdict: Verdict) -> None:
        self._apart(self.legs(claim), verdict)

    def _apart(self, legs: list[tuple[frozenset[Seat], frozenset[Seat]]], verdict: Verdict) -> None:
        """No frame of the first side of a leg gets to the second."""
        closures: list[dict[str, Any]] = []
        for sources, targets in legs:
            vid_reach = self.vid_reach(verdict.level)
            plain = self._nowhere_near(vid_reach.sent(sources), vid_reach.heard(targets), verdict)
            if plain is not None:
                closures.append(plain)
                continue
            spread = closure(self.fabric, sources, verdict.level)
            heard = reached(self.fabric, spread, self.names.near(spread, targets), verdict.level)
            self._assume(verdict, passed_by(spread))
            if heard:
                self._leak(sources, heard, verdict)
                if verdict.verdict == BROKEN:
                    return
            closures.append(certified(self.fabric, spread, targets))
        for sources, targets in legs if verdict.layer == 3 else ():
            spread = closure(self.fabric, sources, verdict.level)
            ways = self.routing.passages(self.routing.entered(spread), targets, verdict.level)
            if ways:
                self._routed(ways, sources, targets, verdict)
                if verdict.verdict == BROKEN:
                    return
        if verdict.because:  # not settled
            return
        self._holds(verdict, nobody=any(not sources or not targets for sources, targets in legs))
        self._certify(verdict, closures, legs)

    def _certify(
        self,
        verdict: Verdict,
        closures: Sequence[dict[str, Any]],
        legs: list[tuple[frozenset[Seat], frozenset[Seat]]],
    ) -> None:
        """Where frames of each side can be; at layer 3 also where what routers send of their
        packets can be.
        """
        if verdict.layer == 3:
            routed = [
                self.routing.certified(stated_closure, targets, verdict.level)
                for stated_closure, (_, targets) in zip(closures, legs, strict=True)
            ]
            # What routers send may be anywhere that no finer look has excluded.
            everywhere = set(self.fabric.campus.devices)
            for stated_closure in routed:
                self._assume(
                    verdict, everywhere if stated_closure is None else self._devices(stated_closure)
                )
            if None in routed:
                return
            verdict.certificate |= {"routed": routed}
        verdict.certificate |= {"closures": closures}

    def _routed(
        self,
        ways: list[Passage],
        sources: frozenset[Seat],
        targets: frozenset[Seat],
        verdict: Verdict,
    ) -> None:
        """Tell of packets that routers pass from one side to the other."""
        passage = min(ways, key=lambda way: way.in_part)
        path = passage.path
        end = self.fabric.bridge_ports[passage.heard.port].end
        verdict.because = (
            f"packets are routed from {path.into.label} to {path.out.label}, and get to {end}"
        )
        verdict.because += f", in part ({path.says})" if passage.in_part else ""
        verdict.assumes += path.assumes
        routed = self.routing.steps_of(sources, passage, targets, verdict.level)
        self._assume(verdict, {step.switch for step in routed.steps})
        if not routed.simple:
            verdict.because += ", but only by ways that pass a switch twice: not settled"
            return
        verdict.verdict, verdict.witness = BROKEN, routed.steps
        verdict.certificate |= {"way": way_of(routed.steps)}
        if verdict.kind != "reach":
            verdict.blame = self.routing.blamed(sources, passage, routed, targets, verdict.level)

    def _leak(self, sources: frozenset[Seat], heard: list[Seat], verdict: Verdict) -> None:
        leak = find_leak(self.fabric, sources, heard, verdict.level)
        port = self.fabric.bridge_ports[leak.target]
        if leak.way is None:
            verdict.verdict = UNDECIDED
            verdict.because = (
                f"frames could get to {port.end}, but only by ways that pass a switch twice: not"
                " settled"
            )
            return
        verdict.verdict = BROKEN
        verdict.witness = leak_steps(self.fabric, leak)
        verdict.blame = blamed(self.fabric, sources, heard, leak, verdict.level)
        first, last = verdict.witness[0], verdict.witness[-1]
        more = f" and {len(heard) - 1} more" if len(heard) > 1 else ""
        verdict.because = (
            f"what is sent at {first.switch}:{first.port} in VLAN {first.vlan} is heard at "
            f"{last.switch}:{last.port}{more}"
        )
        verdict.certificate |= {"way": way_of(verdict.witness)}

    def _reach(self, claim: Claim, verdict: Verdict) -> None:
        [(one, other)] = self.legs(claim)
        spread = closure(self.fabric, one, verdict.level)
        heard = reached(self.fabric, spread, other, verdict.level) if one and other else []
        self._assume(verdict, passed_by(spread))
        if heard:
            self._leak(one, heard, verdict)  # the same way, but wanted
            if verdict.verdict == BROKEN:
                verdict.verdict, verdict.blame = HOLDS, []
            return
        ways = (
            self.routing.passages(self.routing.entered(spread), other, verdict.level)
            if claim.layer == 3
            else []
        )
        if ways:
            self._routed(ways, one, other, verdict)
            if verdict.verdict == BROKEN:  # the same way, but wanted
                verdict.verdict = HOLDS
                if all(way.in_part for way in ways):
                    verdict.verdict, verdict.certificate = UNDECIDED, {}
            return
        verdict.verdict = BROKEN
        explain_where_it_stops(self.fabric, one, other, verdict)
        verdict.because += "; and no router passes on its packets" if claim.layer == 3 else ""
        self._certify(verdict, [certified(self.fabric, spread, other)], [(one, other)])

    def _join(self, claim: Claim, verdict: Verdict) -> None:
        seats = self.names.any_of(claim.join or ())
        verdict.verdict = HOLDS
        verdict.because = (
            f"{len(seats)} ports hear each other"
            if len(seats) > 1
            else "no port beside another is in it"
        )
        self.joins.judge(seats, verdict)

    def _carried(self, claim: Claim, verdict: Verdict) -> None:
        if self.names.unknown(claim):
            raise Unknown
        self._assume(
            verdict, passed_by(judge_carried(self.fabric, self.names.seats, claim, verdict))
        )

    def covering(self, one: End, other: End | None) -> list[Verdict]:
        """The verdicts on the claims about what is sent at one port (and heard at another, if
        given).
        """
        found = []
        for claim in self.plan.says.claims:
            try:
                pairs = self.legs(claim)
            except Unknown:
                continue
            if any(self._at(one, a) and (other is None or self._at(other, b)) for a, b in pairs):
                found.append(self.judge(claim))
        return found

    def _at(self, end: End, seats: frozenset[Seat]) -> bool:
        return any(self.fabric.bridge_ports[seat.port].end == end for seat in seats)

    # --- without a plan ---------------------------------------------------------------------------

    def no_leaks(self, level: str) -> Iterator[Verdict]:
        """For each VLAN that anybody is in: nothing that is sent in it is heard in another.

        A private VLAN counts as one with its secondaries.
        """
        by_vid: dict[int, list[Seat]] = {}
        for seat in self.names.seats:
            by_vid.setdefault(seat.vid, []).append(seat)
        for group in vlan_groups(self.fabric, by_vid.keys() - {0}):
            claim = f"VLAN {group} leaks into no other"
            verdict = Verdict(claim, "no-leak", level, 2, UNDECIDED, "", Origin())
            verdict.certificate = {"vlans": str(group)}
            vid_reach = self.vid_reach(level)
            plain = self._nowhere_near(
                vid_reach.sent_in(group), vid_reach.heard_beside(group), verdict
            )
            if plain is not None:
                self._holds(verdict)
                verdict.certificate |= {"closures": [plain]}
            else:
                sources = frozenset(seat for vid in group for seat in by_vid.get(vid, ()))
                self._apart([(sources, frozenset(self.names.seats) - sources)], verdict)
            yield verdict
