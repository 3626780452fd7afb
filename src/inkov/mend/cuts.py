"""Making a claim true that something must not arrive: the fewest edits that end every leak.

## Theory of operation

A broken claim comes with the way of a frame. Whatever cures the claim has to end this way; so edits
are proposed along it: what an audit proposes for the ports that it passes; where it crosses a link,
the VLAN is taken off the lists, or the native VLAN becomes that of the other end; where it comes in
or goes out, a host port decides by itself no more, and lets nobody register VLANs. Each proposal is
tried, and the claim judged again. If another way is left, proposals along that one are added.
Where no way is settled (FM 3.10), they are made wherever frames get into another VLAN.

Two searches use this. `smallest` tries sets of edits in the order of their size, so the first that
does is the smallest that these proposals lead to. Which of several does no harm is found out by
trying them on the whole campus; that is up to the caller. Where several mistakes break a claim,
there are too many sets: `one_by_one` ends one leak after the other, each by the fewest edits that
cut nobody off, and in the end leaves out those that are not needed.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from heapq import heappop, heappush

from inkov.campus import Mode, Negotiation
from inkov.checks import Finding, Severity, Site, audit
from inkov.edits import Edit, apply
from inkov.edits.make import of_port
from inkov.effects import Effect
from inkov.forwarding import Fabric, Resolved, resolve
from inkov.levels import Layer, Outcome
from inkov.mend.findings import together
from inkov.mend.meant import Meant
from inkov.mend.trial import trial
from inkov.plan import Claim, Plan
from inkov.proofs.prove import Prover
from inkov.proofs.seats import ClaimNames, Unknown
from inkov.proofs.verdict import Verdict
from inkov.vlanset import VlanSet, bit, bits, union
from inkov.wiring import End, wire

__all__ = ["Cuts"]

_TRIALS = 3000  # of edits, over the number of switches
_MOST_TRIALS = 300
_MOST_LEAKS = 40


class Cuts:
    """A claim that is broken, and the edits that could end its leaks."""

    def __init__(self, fabric: Fabric, plan: Plan, claim: Claim, broken: Verdict) -> None:
        self.fabric = fabric
        self.plan = plan
        self.claim = claim
        self.broken = broken
        self.joined: list[int] = [_vlans_on(broken)]
        """The VLANs of each leak that was met, as masks."""
        self.apart = _sides(fabric, plan, claim)
        """The VLANs of those that are to be apart, as masks."""
        self.sure = True
        """Whether fewer edits than those found last do not do."""
        self.left: Verdict | None = None
        """The first way that no edits end without harm."""
        self.gaps = Site(fabric, plan).breaks
        self.found: dict[End, list[Finding]] = {}
        for finding in audit(fabric, plan).findings:
            # Findings with edits only: they come with a cure.
            for where in finding.where if finding.edits else ():
                at = self.found.setdefault(End(where.switch or "", where.port or ""), [])
                if finding not in at:
                    at.append(finding)

    def meant(self, after: Callable[[], Fabric]) -> Meant:
        """What edits that end the leaks are for."""
        leaks = zip(self.joined, self.joined, strict=True)
        return Meant([*self.apart, *leaks], (), lambda: self.fabric, after)

    # --- searches ---

    def smallest(self) -> Iterator[list[Edit]]:
        """Sets of edits with which the claim holds, the smallest first."""
        waiting: list[tuple[tuple[int, int], int, list[Edit]]] = []
        number = 0
        seen: set[frozenset[str]] = set()

        def propose(on: Fabric, verdict: Verdict, before: list[Edit]) -> None:
            nonlocal number
            for proposal in self._along(on, verdict):
                edits = together(self.fabric.campus, [*before, *proposal])
                key = frozenset(repr((edit.place, edit.after)) for edit in edits)
                # The same edits may be found by several ways.
                if key not in seen:
                    seen.add(key)
                    number += 1
                    heappush(waiting, (_size(edits), number, edits))

        propose(self.fabric, self.broken, [])
        for _ in range(min(_MOST_TRIALS, _TRIALS // max(len(self.fabric.campus.devices), 1))):
            # All that is known was tried.
            if not waiting:
                return
            _, _, edits = heappop(waiting)
            tried, verdict = self._with(edits)
            # It holds: told; the search goes on for others.
            if verdict.verdict == Outcome.HOLDS:
                yield edits
            else:
                propose(tried, verdict, edits)

    def one_by_one(self) -> list[Edit]:
        """Edits that end one leak after the other, and cut nobody off; [] if none are known. Fewer
        might do.
        """
        self.sure = False
        edits: list[list[Edit]] = []
        now, verdict = self.fabric, self.broken
        for _ in range(_MOST_LEAKS):
            # Undecided is not broken: nothing more to cut.
            if verdict.verdict != Outcome.BROKEN:
                break
            self.joined.append(_vlans_on(verdict))
            for proposal in self._along(now, verdict):
                tried, then = self._with(self._flat([*edits, proposal]))
                # Another way is left, or none: and nobody was cut off.
                if _way(then) != _way(verdict) and self._is_harmless(tried):
                    edits.append(proposal)
                    now, verdict = tried, then
                    break
            else:
                # No proposal ends this leak.
                self.left = verdict
                return []
        return self._flat(self._needed(edits)) if verdict.verdict == Outcome.HOLDS else []

    def _needed(self, edits: list[list[Edit]]) -> list[list[Edit]]:
        """The proposals without those that later ones made needless."""
        for one in list(edits):
            fewer = [kept for kept in edits if kept is not one]
            tried, verdict = self._with(self._flat(fewer))
            # Without it the claim still holds, and nobody loses.
            if verdict.verdict == Outcome.HOLDS and self._is_harmless(tried):
                edits = fewer
        return edits

    def _flat(self, proposals: Iterable[list[Edit]]) -> list[Edit]:
        each = (edit for proposal in proposals for edit in proposal)
        return together(self.fabric.campus, each)

    def _with(self, edits: list[Edit]) -> tuple[Fabric, Verdict]:
        campus = apply(self.fabric.campus, edits)
        tried = resolve(campus, wire(campus))
        return tried, Prover(tried, self.plan).judge(self.claim)

    def _is_harmless(self, tried: Fabric) -> bool:
        done = trial(self.fabric, tried, self.plan)
        meant = self.meant(lambda: tried)
        # What is opened between VLANs that leak anyway ends with the next leak, or is told then.
        opens = any(
            effect.crosses and effect.layer == Layer.FRAMES and not self._leak_anyway(effect)
            for effect in done.gained
        )
        lost = any(not effect.follows and not meant.covers(effect) for effect in done.lost)
        gaps = Site(tried, self.plan).breaks
        apart = any(len(breaks) > len(self.gaps.get(vid, ())) for vid, breaks in gaps.items())
        return not (done.undecided or opens or lost or apart)

    def _leak_anyway(self, effect: Effect) -> bool:
        return any(not union(effect.vids) & ~vlans for vlans in self.joined)

    # --- proposals ---

    def _along(self, fabric: Fabric, verdict: Verdict) -> Iterator[list[Edit]]:
        """Edits that could end the way of a frame: what an audit proposes first, and then what is
        along the way, each with the fewest edits first.
        """
        cures: dict[str, list[Edit]] = {}
        others: list[list[Edit]] = []
        for end, vlan in _ends_along(fabric, verdict):
            own = fabric.ports[fabric.end_of(*end)]
            fars = fabric.wiring.around(own.end)
            for at in (own.end, *fars):
                for finding in self.found.get(at, ()):
                    cures[finding.id] = list(finding.edits)
                    self.joined += [finding.vlans] if finding.severity is Severity.BREACH else []
            # A host's end, or a link's.
            if not fars:
                others += _at_host(own)
            for far in fars:
                # A far end that is not among the files cannot be edited.
                if far in fabric.ports and vlan:
                    native = self.plan.says.practice.native
                    others += _on_link(own, fabric.ports[far], vlan, native)
        yield from sorted(cures.values(), key=_size)
        yield from sorted(others, key=_size)


def _sides(fabric: Fabric, plan: Plan, claim: Claim) -> list[tuple[int, int]]:
    """The VLANs of each two members that are to be apart, as masks."""
    names = ClaimNames(fabric, plan)

    def vlans(members: Iterable[str]) -> int:
        return union(bit(seat.vid) for seat in names.any_of(members, claim.level)) & ~1

    try:
        own = [(name, vlans([name])) for name in claim.isolate or ()]
        # "from" names the other side; without it each member is the other's.
        if claim.from_ is not None:
            others = vlans(claim.from_) & ~vlans(claim.except_ or ())
            return [(mask, others & ~mask) for _, mask in own]
        return [(mask, union(m for n, m in own if n != name) & ~mask) for name, mask in own]
    except Unknown:
        # Names that mean nothing here.
        return []


def _ends_along(fabric: Fabric, verdict: Verdict) -> Iterator[tuple[End, int | None]]:
    """The ports on the way of a frame, each with its VLAN there. Where no way is settled, the ends
    at which frames get into another VLAN.
    """
    for step in verdict.witness:
        end = End(step.switch, step.port)
        # Steps at gateways have no port of their own.
        if end in fabric.ports:
            yield end, step.vlan
    # No settled way: all places where frames change their VLAN.
    if not verdict.witness:
        for port in fabric.bridge_ports:
            for crossing in fabric.crossings.get(port.number, ()):
                for translation in crossing.translations:
                    yield port.end, min(bits(translation.leaves), default=None)


def _vlans_on(verdict: Verdict) -> int:
    return union(bit(step.vlan or 0) for step in verdict.witness) & ~1


def _way(verdict: Verdict) -> list[tuple[str, str, int | None]]:
    return [(step.switch, step.port, step.vlan) for step in verdict.witness]


def _size(edits: list[Edit]) -> tuple[int, int]:
    return len(edits), len({edit.switch for edit in edits})


def _at_host(own: Resolved) -> Iterator[list[Edit]]:
    """A host port that gives nobody what he asks for."""
    port, switch = own.stated, own.end.device
    # A host that asks would become a trunk.
    if own.completed.negotiation in (Negotiation.PASSIVE, Negotiation.ACTIVE):
        yield [of_port(switch, port, "negotiation", Negotiation.SILENT)]
    # Or register whatever it likes.
    if own.completed.registration:
        yield [of_port(switch, port, "registration", False)]


def _on_link(own: Resolved, far: Resolved, vid: int, native: int | None) -> Iterator[list[Edit]]:
    """A link that does not pass a VLAN, or whose ends have the same native VLAN: one end's, or the
    house's, in which no host is.
    """
    natives = own.native, far.native
    # The house's native VLAN at both ends.
    if native is not None and own.mode is far.mode is Mode.TRUNK and {*natives} != {native}:
        yield [
            edit for port in (own, far) if port.native != native for edit in _untagged(port, native)
        ]
    # Or that of either end at the other.
    if natives[0] != natives[1] and own.mode is far.mode is Mode.TRUNK:
        for one, other in ((own, natives[1]), (far, natives[0])):
            yield [of_port(one.end.device, one.stated, "native_vlan", other)]
    shut = [edit for port in (own, far) for edit in _without(port, vid)]
    # Or the VLAN off both lists.
    if shut:
        yield shut


def _untagged(port: Resolved, native: int) -> Iterator[Edit]:
    """A trunk with another native VLAN, which its list lets through."""
    now = port.completed.allowed
    yield of_port(port.end.device, port.stated, "native_vlan", native)
    # A native VLAN that is not let through would cut its hosts off.
    if native not in now:
        yield of_port(port.end.device, port.stated, "allowed", now | VlanSet.of(native))


def _without(port: Resolved, vid: int) -> Iterator[Edit]:
    """A port that does not pass a VLAN tagged."""
    attribute = {Mode.TRUNK: "allowed", Mode.GENERAL: "tagged"}.get(port.mode)
    now: VlanSet = getattr(port.completed, attribute) if attribute else VlanSet()
    # Untagged it does not leave by that list.
    if attribute and vid in now and vid != port.native:
        yield of_port(port.end.device, port.stated, attribute, now - VlanSet.of(vid))
