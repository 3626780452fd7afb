"""Judges claims: those of the plan, and without a plan that no VLAN leaks into another and none is
split.

Each claim is searched for (`search`, `joins`, `carried`); what a search comes to is a value
(`answers`), which becomes a verdict in one place, `Prover._verdict`.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from difflib import get_close_matches
from functools import cached_property
from itertools import combinations, product

from inkov.campus import Origin
from inkov.faults import told
from inkov.forwarding import Fabric
from inkov.forwarding.assumptions import Assumptions
from inkov.forwarding.domains import Domains, domains
from inkov.forwarding.outsiders import as_switches
from inkov.forwarding.reasons import why_dropped
from inkov.forwarding.routers import Routers
from inkov.forwarding.serve import is_left_at_everything, served
from inkov.levels import Layer, Level, Outcome
from inkov.plan import Claim, Plan, missing_switches
from inkov.proofs.answers import (
    Answer,
    Apart,
    Joined,
    Lost,
    Overlapping,
    Reaches,
    Silent,
    Split,
    Unanswered,
    Unnamed,
    outcome_of,
)
from inkov.proofs.carried import judge_carried
from inkov.proofs.joins import Joins
from inkov.proofs.now import WANTED
from inkov.proofs.routed import Routing
from inkov.proofs.search import Leg, Search
from inkov.proofs.seats import ClaimNames, Seat, Unknown
from inkov.proofs.verdict import Verdict
from inkov.proofs.vid_reach import VidReach, vlan_groups
from inkov.proofs.withstanding import Withstanding
from inkov.proofs.words import left_out, reason
from inkov.vlanset import union
from inkov.wiring import End
from inkov.words import agree, counted

__all__ = ["Prover", "prove"]


def prove(
    fabric: Fabric,
    plan: Plan | None = None,
    *,
    level: Level = Level.HONEST,
    unread: Sequence[str] = (),
    strict: bool = False,
    losses: bool = True,
) -> list[Verdict]:
    """The verdicts on the plan's claims, in their order; without claims, those that need no plan,
    at `level`.

    `unread` are sentences about files that were not read. With `strict`, a verdict that rests on
    one of them, on lines that were not understood, or on what an unknown neighbour does between
    its ports, is undecided. Without it, an alarm that rests on the latter is. Without `losses` no
    claim is tried without what it has to withstand.
    """
    prover = Prover(fabric, plan or Plan())
    verdicts = prover.all(level, losses=losses)
    missing = list(unread)
    lines, problems = len(fabric.campus.unmatched), fabric.campus.problems
    # Lines, files and switches that are missing: any of them could break it.
    if lines:
        were = agree(lines, "was", "were")
        missing.append(
            f"{counted(lines, 'line')} that may have to do with VLANs {were} not understood"
        )
    missing += missing_switches(prover.plan.says.expected, fabric.campus.devices.keys())
    if problems:
        first = problems[0]
        missing.append(
            f"{counted(len(problems), 'problem')} with the input: {first.says.splitlines()[0]}"
        )
    doubtful = _doubtful(prover, verdicts, level, losses=losses)
    for verdict in verdicts:
        doubts = [doubtful[verdict.key]] if verdict.key in doubtful else []
        for says in doubts:
            _doubt(verdict, says)
        verdict.assumes += missing
        wanted = verdict.kind in WANTED and verdict.verdict == Outcome.HOLDS
        unsafe = prover.assumptions.unsafe(verdict.assumes, wanted=wanted)
        unknown = [*missing, *unsafe, *doubts]
        # Strictly, what is not known is not proved; undecided stays so.
        if strict and unknown and verdict.verdict != Outcome.UNDECIDED:
            _leave_open(verdict, unknown[0])
    return verdicts


def _doubtful(
    prover: Prover, verdicts: list[Verdict], level: Level, *, losses: bool
) -> dict[tuple[str, str, int], str]:
    """The claims that would be judged otherwise if neighbours that are not among the files passed
    frames on (FM 4.7), each with what is taken for granted of them.
    """
    decided = [verdict.key for verdict in verdicts if _by_what_stops(verdict)]
    outsiders = as_switches(prover.fabric, prover.domains) if decided else None
    # They would join nothing.
    if outsiders is None:
        return {}
    same: set[tuple[str, str, int]] = set()
    # Where they are seen at too many ports to tell, all that hangs on frames is in doubt.
    if outsiders.fabric is not None:
        otherwise = Prover(outsiders.fabric, prover.plan, prover.names.gone).all(
            level, losses=losses
        )
        same = {verdict.key for verdict in otherwise if _by_what_stops(verdict)}
    return {key: outsiders.says for key in decided if key not in same}


def _by_what_stops(verdict: Verdict) -> bool:
    """True for a verdict that is what it is since frames do not get somewhere."""
    stops = Outcome.BROKEN if verdict.kind in WANTED else Outcome.HOLDS
    return verdict.verdict == stops and not verdict.nobody


def _doubt(verdict: Verdict, says: str) -> None:
    """What a verdict says if what is taken for granted of a neighbour decides it."""
    if verdict.kind in WANTED:
        # An alarm that somebody may know better.
        _leave_open(verdict, says)
    if says not in verdict.assumes:
        verdict.assumes.append(says)


class Prover:
    """Judges the claims of a plan. What several claims want is worked out once. `gone` are devices
    that are lost, with whoever was there.
    """

    def __init__(self, fabric: Fabric, plan: Plan, gone: Collection[str] = ()) -> None:
        self.fabric = fabric
        self.plan = plan
        self.names = ClaimNames(fabric, plan, gone)
        self._vid_reaches: dict[Level, VidReach] = {}
        self._routings: dict[Level, Routing] = {}

    @cached_property
    def domains(self) -> Domains:
        return domains(self.fabric)

    @cached_property
    def assumptions(self) -> Assumptions:
        return Assumptions(self.fabric)

    @cached_property
    def joins(self) -> Joins:
        return Joins(self.fabric)

    def routing(self, level: Level) -> Routing:
        """The routers, those up that are so at a level."""
        if level not in self._routings:
            routers = Routers(self.fabric, self.domains, level)
            self._routings[level] = Routing(self.fabric, routers, self.vid_reach)
        return self._routings[level]

    def vid_reach(self, level: Level) -> VidReach:
        """What VIDs can turn into at a level."""
        if level not in self._vid_reaches:
            names = self.names
            self._vid_reaches[level] = VidReach(self.fabric, names.seats, level, names.on_wire)
        return self._vid_reaches[level]

    def all(self, level: Level, *, losses: bool = True) -> list[Verdict]:
        """Every claim of the plan, or without any, those that need none; with `losses` also
        without what it has to withstand.
        """
        claims = self.plan.says.claims
        # Nothing is claimed, so what anybody would want: no leaks, nothing split.
        if not claims:
            return [*self.no_leaks(level), *self.none_split()]
        return [self.withstood(claim) if losses else self._judged(claim) for claim in claims]

    def withstood(self, claim: Claim) -> Verdict:
        """The verdict on a claim, also without what it has to withstand."""
        return self._withstanding.judge(claim, self._judged(claim))

    @cached_property
    def _withstanding(self) -> Withstanding:
        return Withstanding(self.fabric, self.plan, Prover)

    def _judged(self, claim: Claim) -> Verdict:
        """The verdict on a claim; undecided, and why, if it cannot be worked out."""
        try:
            return self.judge(claim)
        except Exception as error:
            # A fault in judging one claim must not cost the verdicts on others.
            return Verdict(
                claim.words,
                claim.kind,
                claim.level,
                claim.layer,
                Outcome.UNDECIDED,
                told(error, "in judging it"),
                claim.origin,
            )

    # --- the plan's claims ------------------------------------------------------------------------

    def judge(self, claim: Claim) -> Verdict:
        """The verdict on a claim."""
        search = self._search(claim.level, claim.layer)
        judged = Verdict(
            claim.words,
            claim.kind,
            claim.level,
            claim.layer,
            Outcome.UNDECIDED,
            "",
            claim.origin,
            withstands=claim.withstand is not None,
        )
        verdict = self._verdict(judged, self._answer(claim, search), search)
        pair = claim.reach or claim.not_reach
        decided = verdict.verdict != Outcome.UNDECIDED
        # Where a ping was not possible, only one way was judged.
        if pair and decided and self.names.pinged(claim) is None:
            verdict.because += "; the way back is not asked"
        if claim.join is not None and verdict.verdict == Outcome.HOLDS:
            verdict.because += left_out(self.names.shut_in(claim.join))
        return verdict

    def _answer(self, claim: Claim, search: Search) -> Answer:
        unnamed = self.names.unknown(claim)
        # A name that means nothing: never "holds".
        if unnamed:
            says, name, known = unnamed[0]
            nearest = get_close_matches(name, known, n=2, cutoff=0.5)
            return Unnamed(says=says, nearest=nearest)
        if claim.join is not None:
            end = self.names.lost_in(claim.join)
            # The files put somebody into the VLAN and he is cut off: it does not hold.
            if end is not None:
                return self._lost(end)
            if not self.names.any_of(claim.join):
                return Unnamed(says=f"nobody is in {' or '.join(_spoken(claim.join))}", nearest=[])
        seatless = self.names.seatless(claim)
        if seatless is not None:
            return Unnamed(says=seatless, nearest=[])
        if claim.isolate is not None:
            return self._at_one_wire(
                claim, self._overlapping(claim) or self._isolated(claim, search)
            )
        if claim.join is not None:
            return self.joins.judge(self.names.any_of(claim.join), search)
        if claim.carried_by is not None:
            return judge_carried(self.fabric, self.names.seats, claim, search)
        return self._at_one_wire(claim, self._reached(claim, search))

    def _reached(self, claim: Claim, search: Search) -> Answer:
        if claim.reach is None:
            return search.apart(self.legs(claim))
        [(sources, targets)] = self.legs(claim)
        pair = self.names.pinged(claim)
        # For two hosts with addresses, what counts is a ping.
        if pair is not None:
            return search.ping(*pair, sources, targets)
        return search.reach(sources, targets)

    def _at_one_wire(self, claim: Claim, answer: Answer) -> Answer:
        """An answer that nothing gets there, unless both are on one wire: what they hear of each
        other there passes no switch.
        """
        nothing_heard = isinstance(answer, Apart | Silent | Unanswered)
        overlapping = self._overlapping(claim, on_wires=True) if nothing_heard else None
        pair = claim.reach or claim.not_reach
        if overlapping is None:
            return answer
        # "everything" has a port in it, which is not told from itself.
        if pair and not self.names.hosts.keys() >= {*pair} and self._overlapping(claim):
            return answer
        # Hosts of different subnets ask a router for each other, wherever they are.
        if isinstance(answer, Unanswered) and len(self._subnets(claim)) > 1:
            answer.certificate = {}
            return answer
        return overlapping

    def _subnets(self, claim: Claim) -> set[object]:
        """The subnets of the two hosts that a claim has ping each other."""
        pinged = self.names.pinged(claim) or ()
        return {host.address.network for host in pinged if host.address is not None}

    def _lost(self, end: End) -> Lost:
        """A member that is cut off where it is, and why."""
        return Lost(end=end, why=why_dropped(self.fabric, self.fabric.ports[end], None))

    def _isolated(self, claim: Claim, search: Search) -> Answer:
        if claim.layer == Layer.FRAMES:
            # Whole VLANs can often be told apart by their numbers.
            by_vlans = search.whole_vlans_apart(self.names.vlan_sides(claim))
            if by_vlans is not None:
                return by_vlans
        return search.apart(self.legs(claim))

    def _overlapping(self, claim: Claim, *, on_wires: bool = False) -> Overlapping | None:
        """Two members that have a port in common, or `on_wires` a host: they cannot be apart."""
        level = claim.level
        names = claim.isolate or claim.reach or claim.not_reach or ()
        members = [(name, self.names.meant(claim, name)) for name in names]
        if on_wires:
            members = [(name, self.names.on_wire(seats, level)) for name, seats in members]
        pairs = list(combinations(members, 2))
        if claim.from_ is not None:
            outside = self._outside(claim, left=on_wires)
            pairs = list(product(members, outside))
        for (name, seats), (other_name, other_seats) in pairs:
            if seats & other_seats:
                port = self.fabric.bridge_ports[min(seats & other_seats).port]
                return Overlapping(members=(name, other_name), end=port.end, on_wire=on_wires)
        return None

    def _outside(self, claim: Claim, *, left: bool) -> Iterator[tuple[str, frozenset[Seat]]]:
        """Those from whom others are isolated: what is `left` of each. What both have in common
        counts as inside; otherwise those of whom nothing is left then, since that is not meant.
        """
        names, level = self.names, claim.level
        inside = names.any_of(claim.isolate or (), level)
        apart = inside | names.any_of(claim.except_ or (), level)
        for name in claim.from_ or ():
            own = names.of(name, level)
            if left:
                yield name, own - apart
            elif own <= inside and name != "everything":
                yield name, own

    def legs(self, claim: Claim) -> list[Leg]:
        """What a claim is about, as (those that send, those that hear). Raises Unknown."""
        if claim.isolate is not None and claim.from_ is None:
            # Each member against all others.
            members = [self.names.of(name, claim.level) for name in claim.isolate]
            return [
                (own, frozenset().union(*(member for member in members if member is not own)))
                for own in members
            ]
        if claim.isolate is not None:
            inside = self.names.any_of(claim.isolate, claim.level)
            excepted = self.names.any_of(claim.except_ or (), claim.level)
            outside = self.names.any_of(claim.from_ or (), claim.level) - excepted - inside
            # One way only, if the claim says so.
            return [(inside, outside), (outside, inside)][: 1 if claim.one_way else 2]
        if claim.join is not None:
            seats = self.names.any_of(claim.join)
            return [(seats, seats)]
        pair = claim.reach or claim.not_reach
        return (
            [(self.names.meant(claim, pair[0]), self.names.meant(claim, pair[1]))] if pair else []
        )

    def covering(self, source: End, target: End | None) -> list[Verdict]:
        """The verdicts on claims about what one port sends, and what another hears, if given. No
        losses are tried.
        """
        verdicts = []
        for claim in self.plan.says.claims:
            try:
                legs = self.legs(claim)
            except Unknown:
                # A claim about names that are not there covers nothing.
                continue
            if any(
                self._sits_at(source, senders)
                and (target is None or self._sits_at(target, hearers))
                for senders, hearers in legs
            ):
                verdict = self.judge(claim)
                if verdict.withstands and verdict.verdict == Outcome.HOLDS:
                    _leave_open(verdict, "losses are not tried here: `inkov prove` does")
                verdicts.append(verdict)
        return verdicts

    def _sits_at(self, end: End, seats: frozenset[Seat]) -> bool:
        return any(self.fabric.bridge_ports[seat.port].end == end for seat in seats)

    # --- without a plan ---------------------------------------------------------------------------

    @cached_property
    def _seats_in(self) -> dict[int, list[Seat]]:
        """The seats of each VLAN."""
        seats: dict[int, list[Seat]] = {}
        for seat in self.names.seats:
            seats.setdefault(seat.vid, []).append(seat)
        return seats

    def no_leaks(self, level: Level) -> Iterator[Verdict]:
        """For each VLAN that anybody is in: nothing that is sent in it is heard in another.

        A private VLAN counts as one with its secondaries. A trunk that is left at everything puts
        nobody into a VLAN that is nowhere else.
        """
        there = union(served(self.fabric))
        there |= union(1 << host.vid for host in self.fabric.campus.hosts if host.vid)
        # Somebody may be in a VLAN that has another name inside (FM 6.8).
        ports = self.fabric.bridge_ports
        there |= union(
            1 << seat.vid
            for seat in self.names.seats
            if not is_left_at_everything(self.fabric, ports[seat.port])
        )
        used = {vid for vid in self._seats_in if there >> vid & 1} - {0}
        everybody = frozenset(self.names.seats)
        vid_reach = self.vid_reach(level)
        for group in vlan_groups(self.fabric, used):
            search = self._search(level, Layer.FRAMES)
            sent, heard = vid_reach.sent_in(group), vid_reach.heard_beside(group)
            plain = search.nowhere_near(sent, heard)
            # Most VLANs: no link turns their frames into anything else.
            if plain is not None:
                answer: Answer = Apart(certificate={"closures": [plain]})
            else:
                own = (seat for vid in group for seat in self._seats_in.get(vid, ()))
                sources = frozenset(own)
                answer = search.apart([(sources, everybody - sources)])
                beyond = self.names.on_wire(sources, level) - sources
                # A host of the VLAN is in another one as well, at the other end of its wire.
                if isinstance(answer, Apart) and beyond:
                    members = f"VLAN {group}", f"VLAN {min(beyond).vid}"
                    end = ports[min(beyond).port].end
                    answer = Overlapping(members=members, end=end, on_wire=True)
            judged = _default_claim(f"VLAN {group} leaks into no other", "no-leak", level)
            judged.certificate = {"vlans": str(group)}
            yield self._verdict(judged, answer, search)

    def none_split(self) -> Iterator[Verdict]:
        """For each VLAN with members on several switches: they all talk with each other. One number
        stands for a VLAN in each area of layer 2 (FM 6.7).
        """
        joins, device_of = self.joins, self.fabric.bridge_ports
        wholes = {(vid, area): parts for vid, area, parts in joins.wholes(self.domains)}
        lost: dict[tuple[int, str], End] = {}
        for vid in self.names.lost.keys() & {*self._seats_in, *(vid for vid, _ in wholes)}:
            for end in self.names.lost[vid]:
                lost.setdefault((vid, joins.area[end.device]), end)
        several = len(set(joins.area.values())) > 1
        for vid, area in sorted(wholes.keys() | lost.keys()):
            search = self._search(Level.HONEST, Layer.FRAMES)
            members = [
                seat
                for seat in self._seats_in.get(vid, [])
                if joins.area[device_of[seat.port].end.device] == area
            ]
            # Who is cut off where he is makes it split, whatever links do.
            if (vid, area) in lost:
                answer: Answer = self._lost(lost[vid, area])
            else:
                answer = joins.whole(vid, wholes[vid, area], self.domains, members, search)
            around = f" around {area}" if several else ""
            words = f"VLAN {vid} is not split{around}"
            judged = _default_claim(words, "whole", Level.HONEST)
            judged.certificate = {"vlans": str(vid), **({"around": area} if several else {})}
            # The line that splits it is where the verdict points to.
            if isinstance(answer, Split | Lost) and answer.why is not None:
                judged.origin = answer.why.origin
            verdict = self._verdict(judged, answer, search)
            if verdict.verdict == Outcome.HOLDS:
                shut = self.names.shut.get(vid, ())
                verdict.because += left_out([e for e in shut if joins.area[e.device] == area])
            yield verdict

    # --- from answers to verdicts -----------------------------------------------------------------

    def _search(self, level: Level, layer: Layer) -> Search:
        return Search(
            self.fabric,
            self.names,
            level,
            layer,
            self.vid_reach,
            lambda: self.routing(level),
            self.assumptions,
        )

    def _verdict(self, judged: Verdict, answer: Answer, search: Search) -> Verdict:
        """Fill in a verdict: what the answer means for the claim, its words, and its evidence."""
        judged.verdict = outcome_of(answer, wanted=judged.kind in WANTED)
        judged.because = reason(answer, judged.layer)
        judged.witness, judged.blame = answer.steps, answer.blame
        judged.certificate |= answer.certificate
        judged.assumes = search.assumes
        judged.nobody = _about_nobody(answer)
        unknown = self._unknown(judged, answer)
        if unknown:
            _leave_open(judged, unknown)
        return judged

    def _unknown(self, judged: Verdict, answer: Answer) -> str:
        """What nobody knows of a port and the verdict hangs on (FM 4.8): that frames stop there, or
        that they pass; "" if there is nothing of the kind.
        """
        assumptions = self.assumptions
        if isinstance(answer, Silent | Unanswered | Split) and judged.verdict == Outcome.BROKEN:
            # "Broken" is not sure if a port that nobody knows may pass what stops.
            return next(iter(assumptions.unknown(judged.assumes)), "")
        if isinstance(answer, Reaches):
            if judged.verdict == Outcome.HOLDS:
                # "Holds" is not sure if it rests on what was guessed.
                return next(iter(assumptions.guessed(judged.assumes)), "")
            # Frames that pass a port nobody knows may not.
            for step in answer.steps:
                port = self.fabric.ports.get(End(step.switch, step.port))
                if port is not None and not port.known:
                    return f"{port.end}: {port.stated.unknown}"
        return ""


def _spoken(names: Sequence[str]) -> list[str]:
    """Names as a sentence has them: VLAN 10, not vlan 10."""
    return [name.replace("vlan", "VLAN", 1) if name.startswith("vlan") else name for name in names]


def _leave_open(verdict: Verdict, why: str) -> None:
    """Make a verdict undecided, and say what it would have been, and why it is not."""
    would_be = "it would hold" if verdict.verdict == Outcome.HOLDS else "it would be broken"
    verdict.because = f"{would_be}, but {why}"
    verdict.verdict = Outcome.UNDECIDED
    # What a claim without a plan is about stays: else nobody knows that it was asked.
    about = ("vlans", "around") if verdict.kind in ("no-leak", "whole") else ()
    verdict.certificate = {
        key: verdict.certificate[key] for key in about if key in verdict.certificate
    }


def _default_claim(words: str, kind: str, level: Level) -> Verdict:
    """A claim that needs no plan, not judged yet."""
    return Verdict(words, kind, level, Layer.FRAMES, Outcome.UNDECIDED, "", Origin())


def _about_nobody(answer: Answer) -> bool:
    """True for an answer that is what it is since there is nobody on a side."""
    if isinstance(answer, Joined):
        # A join of one port, and an isolation from nobody.
        return not answer.switches and answer.number < 2
    return isinstance(answer, Apart) and answer.nobody
