"""That two places are kept apart on purpose: by a private VLAN, by protected ports, or since the
plan claims it. What is meant needs no cure, and a change that joins them is for somebody to decide.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import permutations

from msgspec import Struct

from inkov.campus import Host, Mode, Origin, Private
from inkov.forwarding import Fabric, Resolved
from inkov.levels import Layer
from inkov.plan import Claim, Plan
from inkov.proofs.seats import ClaimNames, Seat, Unknown
from inkov.wiring import End

__all__ = ["Apart", "kept_apart"]


class Apart(Struct, frozen=True):
    """Why two places are to be apart, and where that is said."""

    says: str
    origin: Origin


def kept_apart(fabric: Fabric, plan: Plan, one: Host, other: Host) -> Iterator[Apart]:
    """All that is said to keep two places apart."""
    near, far = (fabric.ports[fabric.end_of(host.device, host.port)] for host in (one, other))
    yield from _private(fabric, near, far)
    if near.completed.protected and far.completed.protected and _beside(near, far):
        says = f"{near.end} and {far.end} are protected ports, which do not hear each other"
        yield Apart(says, near.stated.origin)
    yield from _claimed(fabric, plan, one, other)


def _beside(near: Resolved, far: Resolved) -> bool:
    return near.end.device == far.end.device and near.end != far.end


def _private(fabric: Fabric, near: Resolved, far: Resolved) -> Iterator[Apart]:
    """Two hosts of one private VLAN that are in an isolated VLAN, or in two communities (RFC
    5517).
    """
    # Only hosts of private VLANs.
    if near.mode is not Mode.PRIVATE_HOST or far.mode is not Mode.PRIVATE_HOST:
        return
    primaries = {r.completed.primary for r in (near, far)}
    secondaries = [r.completed.secondary for r in (near, far)]
    # Two private VLANs are two segments anyway.
    if len(primaries) > 1 or None in secondaries:
        return
    kinds = [
        row.private.value
        for r, vid in zip((near, far), secondaries, strict=True)
        if (row := fabric.device(r.end.device).row(vid or 0)) is not None
        and row.private is not None
    ]
    whole = f"of the private VLAN {primaries.pop()}"
    # Two communities, or one isolated VLAN.
    if secondaries[0] != secondaries[1]:
        says = f"they are in two VLANs {whole}, {secondaries[0]} and {secondaries[1]}"
    elif Private.ISOLATED in kinds:
        says = f"they are in VLAN {secondaries[0]} {whole}, which is isolated: each is alone there"
    else:
        return
    yield Apart(says, near.stated.origin)


def _claimed(fabric: Fabric, plan: Plan, one: Host, other: Host) -> Iterator[Apart]:
    """Claims of the plan that the two do not reach each other."""
    # That no frames arrive is no answer to a ping, which may go by a router. Who has no address is
    # asked about frames alone.
    by_frames = one.address is None or other.address is None
    claims = [
        claim
        for claim in plan.says.claims
        if (claim.isolate or claim.not_reach) and (claim.layer is Layer.PACKETS or by_frames)
    ]
    # Nobody claims that they are apart.
    if not claims:
        return
    names = ClaimNames(fabric, plan)
    for claim in claims:
        try:
            if any(_between(names, claim, a, b) for a, b in permutations((one, other))):
                yield Apart(f"the plan claims: {claim.words}", claim.origin)
        except Unknown:
            continue  # a name that means nothing is told by `prove`


def _between(names: ClaimNames, claim: Claim, one: Host, other: Host) -> bool:
    """Whether a claim keeps frames or packets of one host from the other."""
    at_one, at_other = (End(host.device, host.port) for host in (one, other))

    def inside(name: str, end: End, host: Host) -> bool:
        return any(_sits(seat, names, end, host) for seat in names.of(name))

    # Straight from the one to the other.
    if claim.not_reach is not None:
        return inside(claim.not_reach[0], at_one, one) and inside(
            claim.not_reach[1], at_other, other
        )
    members = claim.isolate or []
    own = [name for name in members if inside(name, at_one, one)]
    # The one is no member: the claim is not about them.
    if not own:
        return False
    # Each member apart from all others.
    if claim.from_ is None:
        return any(name not in own and inside(name, at_other, other) for name in members)
    spared = any(inside(name, at_other, other) for name in claim.except_ or ())
    within = any(inside(name, at_other, other) for name in members)
    named = any(inside(name, at_other, other) for name in claim.from_)
    return named and not spared and not within


def _sits(seat: Seat, names: ClaimNames, end: End, host: Host) -> bool:
    """Whether a seat is where a host is."""
    own = names.fabric.bridge_ports[seat.port].end
    return own == names.fabric.end_of(*end) and (host.vid or 0) in (0, seat.vid)
