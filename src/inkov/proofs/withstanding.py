"""Claims that must survive losses (`withstand`): each loss is tried (FM 7.11).

A claim is judged anew without what is lost, by the trees that are agreed on then. Members at a
lost switch are lost with it, and are not asked. A loss that cuts nobody off cannot break a claim of
frames whose members are all served, so most losses need no trial. What the plan says fails together
counts as one loss: of links, or of switches if one is among it.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from functools import cached_property
from typing import TYPE_CHECKING

from msgspec.structs import replace

from inkov.forwarding import Fabric
from inkov.forwarding.outsiders import said_beside_trees
from inkov.forwarding.trees.active import active, remarks_on
from inkov.forwarding.trees.loss import Kind, Loss, all_losses, ports_like, shared_fate
from inkov.forwarding.trees.losses import Losses
from inkov.forwarding.trees.spanning import spanning_trees
from inkov.levels import Layer, Level, Outcome
from inkov.plan import Claim, Plan
from inkov.progress import with_progress
from inkov.proofs.answers import Certificate
from inkov.proofs.certificate import links_around, passing
from inkov.proofs.seats import ClaimNames
from inkov.proofs.verdict import Verdict
from inkov.wiring.outside import identities

if TYPE_CHECKING:
    from inkov.proofs.prove import Prover

__all__ = ["Withstanding"]

MOST_FOR_PAIRS = 150
"""Of more links no certificate shows that any two may fail: the verifier tries every two."""

MOST_TRIALS = 500
"""More losses are not tried one by one: the claim is undecided."""

_KINDS: dict[str | int, tuple[Kind, ...]] = {
    "links": (Kind.LINK,),
    "switches": (Kind.SWITCH,),
    "both": (Kind.LINK, Kind.SWITCH),
    2: (Kind.LINK,),
}


class Withstanding:
    """A fabric to be tried by losses; what several claims want is worked out once."""

    def __init__(self, fabric: Fabric, plan: Plan, make: type[Prover]) -> None:
        self.fabric = fabric
        self.plan = plan
        self.untried = 0
        """How many losses `broken_by` was asked of and did not try: there were too many before."""
        self._make = make
        self._trials = 0

    @cached_property
    def losses(self) -> Losses:
        return Losses(self.fabric, spanning_trees(self.fabric))

    @cached_property
    def _beside(self) -> list[str]:
        """What losses rest on besides: neighbours that may be in a tree (FM 7.1)."""
        return said_beside_trees(self.fabric)

    @cached_property
    def _names(self) -> ClaimNames:
        return ClaimNames(self.fabric, self.plan)

    @cached_property
    def _now(self) -> list[Prover]:
        """What forwards without any loss, in each outcome of the trees."""
        trees = self.losses.trees
        return [
            self._make(active(self.fabric, trees, number), self.plan)
            for number in range(trees.outcomes)
        ]

    @cached_property
    def standing(self) -> list[Claim]:
        """The claims that something arrives, as far as they hold without any loss."""
        return [
            claim
            for claim in self.plan.says.claims
            if claim.kind in ("join", "reach")
            and all(prover.judge(claim).verdict == Outcome.HOLDS for prover in self._now)
        ]

    def broken_by(self, loss: Loss) -> list[str]:
        """The claims that hold without a loss and not with it, in words."""
        asked = []
        for claim in self.standing:
            # The members at a lost switch are not asked.
            left = _without_lost(claim, loss, self._names)
            if left is not None and not self._cannot_break(left, loss):
                asked.append((claim, left))
        if not asked:
            return []
        # Too many were tried: said, not left out in silence.
        if self._trials >= MOST_TRIALS:
            self.untried += 1
            return []
        self._trials += 1
        provers = list(self._without(loss))
        broken = []
        for claim, left in asked:
            verdicts = {prover.judge(left).verdict for prover in provers}
            # Broken in one outcome is broken.
            if verdicts != {Outcome.HOLDS}:
                perhaps = "" if Outcome.BROKEN in verdicts else " (undecided)"
                plain = replace(claim, withstand=None)
                broken.append(f"{plain.words}{perhaps}")
        return list(dict.fromkeys(broken))

    def judge(self, claim: Claim, verdict: Verdict) -> Verdict:
        """The verdict on a claim that holds without losses: whether it does with each, too."""
        # What does not hold without losses is not asked with them.
        if claim.withstand is None or verdict.verdict != Outcome.HOLDS:
            return verdict
        verdict = replace(
            verdict,
            certificate=self._certificate(claim),
            witness=[],
            assumes=[*verdict.assumes, *self._beside],
        )
        doubts = remarks_on(self.losses.trees)
        # Doubt about trees is doubt about each loss.
        if doubts:
            return _open(verdict, f"what losses do hangs on the spanning tree: {doubts[0]}")
        # What a loss cuts is told by what hangs together now: so that comes first.
        for prover in self._now:
            tried = prover.judge(claim)
            if tried.verdict != Outcome.HOLDS:
                says = f"in the spanning tree, without any loss: {tried.because}"
                return replace(verdict, verdict=tried.verdict, because=says, certificate={})
        trials = 0
        for loss in with_progress("losses tried", list(self._losses_of(claim))):
            asked = _without_lost(claim, loss, self._names)
            # Nobody is cut, so nothing can break: no trial.
            if asked is None or self._cannot_break(asked, loss):
                continue
            trials += 1
            # Rather undecided than hours of trials.
            if trials > MOST_TRIALS:
                return _open(verdict, "too many losses would have to be tried one by one")
            for prover in self._without(loss):
                tried = prover.judge(asked)
                if tried.verdict != Outcome.HOLDS:
                    says = f"without {loss.name}: {tried.because}"
                    return replace(
                        verdict,
                        verdict=tried.verdict,
                        because=says,
                        blame=tried.blame,
                        certificate={},
                    )
        says = f"{verdict.because}; so they do without any {_ANY[claim.withstand]}"
        return replace(verdict, because=says)

    def _certificate(self, claim: Claim) -> Certificate:
        """The links that join the members whatever is lost: all that pass their VLAN where they
        are. {} if links alone do not tell, or the trees may cut what links join; and where the
        verifier looks less finely: at pings, packets, and bundles of which a part fails.
        """
        names = self._names
        # The verifier has edges for frames between honest hosts only.
        if claim.layer is not Layer.FRAMES or claim.level is not Level.HONEST:
            return {}
        if names.pinged(claim) is not None or self._parts_of_bundles:
            return {}
        members = claim.join or claim.reach or []
        plain = self._make(self.fabric, self.plan).judge(Claim(join=members))
        seats = names.any_of(members)
        vids = {seat.vid for seat in seats}
        # Links alone did not tell.
        if "edges" not in plain.certificate or len(vids) != 1:
            return {}
        [of_vlan] = [group for group in self.losses.groups if group.vlans >> min(vids) & 1]
        # The trees may cut what links join.
        if id(of_vlan) not in self.losses.safe:
            return {}
        outside = self.fabric.wiring.outside
        boxes = Counter(map(identities(outside), outside))
        if any(count > 1 for count in boxes.values()):
            return {}  # who is not among the files may close a circle
        ports = self.fabric.bridge_ports
        edges = links_around(
            self.fabric, passing(self.fabric), min(vids), {ports[s.port].bridge for s in seats}
        )
        pairs_fit = claim.withstand != 2 or len(edges) <= MOST_FOR_PAIRS
        return {"edges": edges} if pairs_fit else {}

    @cached_property
    def _parts_of_bundles(self) -> bool:
        """Whether the plan says of a member of a bundle what it fails together with."""
        return any(
            self.fabric.end_of(*end) != end
            for fate in self.plan.says.together
            for part in fate.parts
            for end in ports_like(self.fabric, part)
        )

    def _losses_of(self, claim: Claim) -> Iterator[Loss]:
        """The losses that a claim is to withstand."""
        assert claim.withstand is not None
        kinds = _KINDS[claim.withstand]
        yield from all_losses(self.fabric, kinds, pairs=claim.withstand == 2)
        for fate in self.plan.says.together:
            loss, _ = shared_fate(self.fabric, fate.parts, fate.about)
            # A fate counts as what is lost in it.
            if (Kind.SWITCH if loss.devices else Kind.LINK) in kinds:
                yield loss

    def _cannot_break(self, claim: Claim, loss: Loss) -> bool:
        """Whether a loss cuts nobody, and all members of a claim of frames are told by that."""
        # Routers and pings may hang on more than who hears whom.
        if claim.join is None or claim.layer != Layer.FRAMES:
            return False
        served = {hub for group in self.losses.groups for hub in group.hubs}
        hubs = {
            (self.fabric.bridge_ports[seat.port].bridge, seat.vid)
            for seat in self._names.any_of(claim.join)
        }
        return hubs <= served and self.losses.try_loss(loss) is None

    def _without(self, loss: Loss) -> Iterator[Prover]:
        """What forwards without what is lost, in each outcome of the trees then."""
        lost = self.losses.ports_of(loss)
        trees = self.losses.trees.without(lost)
        for outcome in range(trees.outcomes):
            left = active(self.fabric, trees, outcome, lost=lost)
            yield self._make(left, self.plan, loss.devices)


_ANY: dict[str | int, str] = {
    "links": "single link",
    "switches": "single switch",
    "both": "single link or switch",
    2: "two links",
}


def _open(verdict: Verdict, says: str) -> Verdict:
    return replace(verdict, verdict=Outcome.UNDECIDED, because=says, certificate={})


def _without_lost(claim: Claim, loss: Loss, names: ClaimNames) -> Claim | None:
    """A claim without the members at switches that are lost; None if too few are left to ask."""
    # Without links only.
    if not loss.devices:
        return claim
    ports = names.fabric.bridge_ports

    def is_lost(member: str) -> bool:
        seats = names.of(member)
        return bool(seats) and all(ports[s.port].end.device in loss.devices for s in seats)

    # A ping to what is lost is not asked.
    if claim.reach is not None:
        return None if any(map(is_lost, claim.reach)) else claim
    left = [member for member in claim.join or () if not is_lost(member)]
    return replace(claim, join=left) if left else None
