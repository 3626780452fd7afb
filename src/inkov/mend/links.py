"""The edits by which one link passes one VLAN, both ways under its number.

## Theory of operation

Whether a link passes a VLAN hangs on its two ends and nothing else. So the two switches and the
link are a campus of their own, and edits are tried there: by the same rules as everything, without
a second model of modes, negotiation and lists. What could matter at an end is a handful of *steps*
(a list that lacks the VLAN, a native VLAN that differs, a port that is shut, ...); subsets of them
are tried, those with the fewest edits first. What is found is therefore smallest among these steps.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations
from typing import NamedTuple

from inkov.campus import Cable, Campus, Device, Mode, Negotiation, Origin
from inkov.edits import Edit, apply
from inkov.edits.make import defined, like_trunk, of_port
from inkov.forwarding import Fabric, Resolved, resolve
from inkov.forwarding.outlets import passes
from inkov.vlanset import VlanSet
from inkov.wiring import End, Link, wire

__all__ = ["Step", "definition", "link_steps", "members_of", "steps_cost"]

_MOST_AT_ONCE = 4  # steps that are tried together
_MOST_TRIALS = 400


class Step(NamedTuple):
    """Edits that belong together, and how much they disturb: of two ways with as many edits the one
    that disturbs less is taken.
    """

    edits: tuple[Edit, ...]
    disturbs: int


def definition(campus: Campus, device: Device, vid: int) -> Step | None:
    """What makes a VLAN active on a switch; None if it is so, or if the switch has no table."""
    edits = defined(campus, device, vid)
    return Step(tuple(edits), 1 if edits[0].whole else 2) if edits else None


def link_steps(fabric: Fabric, number: int, vid: int) -> list[Step] | None:
    """The fewest steps by which a link passes a VLAN between switches that have it; None if these
    steps do not do.
    """
    link = fabric.wiring.links[number]
    # A link from a switch to itself brings nothing.
    if link.a.device == link.b.device:
        return None
    small = _small(fabric.campus, link)
    defined = [definition(small, device, vid) for device in small.devices.values()]
    small = apply(small, [edit for step in defined if step is not None for edit in step.edits])
    # Once both have the VLAN, the link passes it.
    if _is_passed(small, vid):
        return []
    pool = [
        *_at_end(fabric, link.a, link.b, vid),
        *_at_end(fabric, link.b, link.a, vid),
    ]
    pool.sort(key=lambda step: (len(step.edits), step.disturbs))
    trials = 0
    best: tuple[int, int, list[Step]] | None = None
    for size in range(1, min(len(pool), _MOST_AT_ONCE) + 1):
        for steps in combinations(pool, size):
            cost = steps_cost(steps)
            disturbs = sum(step.disturbs for step in steps)
            # Dearer than what is known.
            if best is not None and (cost, disturbs) >= best[:2]:
                continue
            places = [edit.place for step in steps for edit in step.edits]
            if len(set(places)) < len(places):
                continue  # two steps for one thing contradict each other
            trials += 1
            # Enough was tried: the best so far stands.
            if trials > _MOST_TRIALS:
                break
            if _is_passed(apply(small, [e for step in steps for e in step.edits]), vid):
                best = cost, disturbs, list(steps)
        # Larger sets cannot be cheaper.
        if best is not None and best[0] <= size:
            break
    return best[2] if best is not None else None


def steps_cost(steps: tuple[Step, ...] | list[Step]) -> int:
    """How many edits steps take."""
    return sum(len(step.edits) for step in steps)


def _small(campus: Campus, link: Link) -> Campus:
    """The two switches of a link, and the link."""
    devices = {name: campus.devices[name] for name in sorted({link.a.device, link.b.device})}
    cables = [
        Cable(link.a.device, one, link.b.device, other, Origin())
        for one, other in zip(
            members_of(devices[link.a.device], link.a.port),
            members_of(devices[link.b.device], link.b.port),
            strict=False,
        )
    ]
    return Campus(devices=devices, cables=cables)


def members_of(device: Device, port: str) -> list[str]:
    """The members of a bundle, or the port itself."""
    members = [
        name
        for name, member in device.ports.items()
        if member.bundle is not None and member.bundle.value == port
    ]
    return members or [port]


def _is_passed(small: Campus, vid: int) -> bool:
    """Whether the one link of two switches is up, and both its ends pass a VLAN."""
    fabric = resolve(small, wire(small))
    return any(
        fabric.link_up[number]
        and (passes(fabric, number, link.a) & passes(fabric, number, link.b)) >> vid & 1
        for number, link in enumerate(fabric.wiring.links)
    )


# --- what could matter at an end ------------------------------------------------------------------


def _at_end(fabric: Fabric, end: End, far: End, vid: int) -> Iterator[Step]:
    own, other = fabric.ports[end], fabric.ports[far]
    device = fabric.device(end.device)
    for name in dict.fromkeys([*members_of(device, end.port), end.port]):
        # A member that is shut takes the bundle down.
        if not device.ports[name].on:
            yield Step((of_port(device.name, device.ports[name], "enabled", True),), 6)
    # Ports of private VLANs, routed and unaware ones are changed by people.
    if own.mode in _OF_MODE:
        yield from _OF_MODE[own.mode](own, other, vid)


def _trunk(own: Resolved, other: Resolved, vid: int) -> Iterator[Step]:
    port, switch = own.stated, own.end.device
    now = own.completed
    # The list lacks it.
    if vid not in now.allowed:
        yield Step((of_port(switch, port, "allowed", now.allowed | VlanSet.of(vid)),), 1)
    # Pruned off.
    if vid in now.withheld:
        yield Step((of_port(switch, port, "withheld", now.withheld - VlanSet.of(vid)),), 2)
    theirs = other.native if other.mode in (Mode.TRUNK, Mode.GENERAL) else other.access
    # Untagged here, tagged there: the native VLANs have to agree.
    if theirs != now.native_vlan and vid in (theirs, now.native_vlan):
        yield Step((of_port(switch, port, "native_vlan", theirs),), 4)


def _access(own: Resolved, other: Resolved, vid: int) -> Iterator[Step]:
    port, switch = own.stated, own.end.device
    # The port is in another VLAN.
    if own.access != vid:
        yield Step((of_port(switch, port, "access_vlan", vid),), 5)
    # Both wait: one has to ask.
    if own.completed.negotiation is Negotiation.PASSIVE:
        yield Step((of_port(switch, port, "negotiation", Negotiation.ACTIVE),), 3)
    if other.mode is Mode.TRUNK:
        # A trunk as the far end is one: what it passes, and untagged what it has untagged.
        now, theirs = own.completed, other.completed
        then = theirs.allowed | VlanSet.of(vid), theirs.native_vlan
        yield Step(tuple(like_trunk(switch, port, (now.allowed, now.native_vlan), then)), 5)


def _general(own: Resolved, other: Resolved, vid: int) -> Iterator[Step]:
    port, switch = own.stated, own.end.device
    now = own.completed
    # As with trunks: list, pruning, and what is untagged.
    if vid not in now.tagged:
        yield Step((of_port(switch, port, "tagged", now.tagged | VlanSet.of(vid)),), 1)
    if vid in now.withheld:
        yield Step((of_port(switch, port, "withheld", now.withheld - VlanSet.of(vid)),), 2)
    if other.native == vid and now.pvid != vid:
        yield Step((of_port(switch, port, "pvid", vid),), 4)


_OF_MODE = {Mode.TRUNK: _trunk, Mode.ACCESS: _access, Mode.GENERAL: _general}
