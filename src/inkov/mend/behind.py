"""A switch behind another one, as the plan has it (`uplinks`): the cable, both ends as trunks, and
the VLANs that have to pass.

## Theory of operation

Three steps, each on the campus with those before it. The cable is plugged in and its ports are on.
Then it is a link, and what a link needs is known (FM 6.4): the VLANs with something to serve on
both sides, or those that the plan names. Both ends become trunks for these, with the house's native
VLAN, and negotiate nothing. Last, a VLAN that the switch in front does not have is brought from
where most of it is, on every redundant way (`spread`).

A port that leads elsewhere, that a host is known at, or that the port plan has for something else
is not touched: which is right, people have to say.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator

from inkov.campus import Cable, Campus, Mode, Negotiation
from inkov.checks.site import DEFAULT_VID
from inkov.checks.uplinks import ends_of, joined_by
from inkov.edits import Edit, Kind
from inkov.edits.make import defined, of_port, usual_name
from inkov.forwarding import Fabric, Resolved
from inkov.forwarding.domains import domains
from inkov.forwarding.needed import needed
from inkov.forwarding.serve import served
from inkov.mend.goals import Uplink, VlanPlaced
from inkov.mend.links import members_of
from inkov.mend.spread import spread
from inkov.plan import Plan, placed
from inkov.vlanset import VlanSet, bits
from inkov.wiring import End

__all__ = ["as_trunks", "carried", "contradict", "plugged"]


def contradict(fabric: Fabric, uplinks: Iterable[Uplink], placing: Iterable[VlanPlaced]) -> None:
    """Two uplinks at one port cannot both be there, nor an uplink where the plan has a VLAN's port:
    neither is tried.
    """
    owner: dict[End, Uplink] = {}
    for goal in uplinks:
        ends, _ = ends_of(fabric, goal.near, goal.planned.to)
        for end in ends or ():
            known = owner.setdefault(end, goal)
            # One port cannot lead to two switches.
            if known is not goal:
                says = f"the plan has {known.words}, and {goal.words}: {end} is in both"
                goal.says, known.says = goal.says or says, known.says or says
    for vlan in placing:
        for port, by_name in placed(vlan.planned.on or (), fabric.campus.devices).ports.items():
            uplink = owner.get(fabric.end_of(*port))
            if by_name and uplink is not None:  # a pattern means the ports for hosts
                says = f"the plan has {':'.join(port)} in {vlan.words}, and {uplink.words}"
                vlan.says, uplink.says = vlan.says or says, uplink.says or says


def plugged(fabric: Fabric, goal: Uplink) -> list[Edit]:
    """The cable of an uplink, if it is not there, and its ports on."""
    ends, goal.says = ends_of(fabric, goal.near, goal.planned.to)
    # A name that means no port, or several.
    if ends is None:
        return []
    for end, far in (ends, ends[::-1]):
        goal.says = goal.says or _taken(fabric, end, far)
    members = [members_of(fabric.device(end.device), end.port) for end in ends]
    # Member by member: else some would lead nowhere.
    if not goal.says and len(members[0]) != len(members[1]):
        goal.says = f"{ends[0]} and {ends[1]} are bundles of different sizes"
    if goal.says:
        return []
    near, far = ends
    edits: list[Edit] = []
    # Not there yet: a cable for each pair of members.
    if joined_by(fabric, near, far) is None:
        for one, other in zip(*members, strict=True):
            name = f"{near.device}:{one} - {far.device}:{other}"
            cable = Cable(near.device, one, far.device, other, goal.planned.origin)
            edits.append(Edit("", Kind.CABLE, name, "", None, cable))
    for end, names in zip(ends, members, strict=True):
        ports = fabric.device(end.device).ports
        for name in dict.fromkeys([*names, end.port]):
            # What is shut carries nothing.
            if not ports[name].on:
                edits.append(of_port(end.device, ports[name], "enabled", True))
    return edits


def _taken(fabric: Fabric, end: End, far: End) -> str:
    """What a port is used for, if not for this uplink; "" if for nothing that is known."""
    device = fabric.device(end.device)
    others = [str(far_end) for far_end in fabric.wiring.around(end) if far_end != far]
    others += [
        outside.far for outside in fabric.wiring.outside if fabric.end_of(*outside.near) == end
    ]
    # It leads to another switch.
    if others:
        return f"{end} leads to {' and '.join(others)}"
    # A host or a row of the plan may name a member of a bundle.
    own = {End(end.device, name) for name in (end.port, *members_of(device, end.port))}
    # Somebody is known to be there.
    for host in fabric.campus.hosts:
        if (host.device, host.port) in own:
            return f"the host {host.name} is at {end}"
    for row in fabric.campus.planned:
        mode = row.values.get("mode")
        # The plan itself wants it as something else than a trunk.
        if (row.device, row.port) in own and mode is not None and mode.value is not Mode.TRUNK:
            return f"the port plan has {end} for something else"
    resolved = fabric.ports[end]
    # Private and routed ports are made for something else.
    if resolved.mode not in (Mode.TRUNK, Mode.ACCESS, Mode.GENERAL):
        return f"{end} is no port for a trunk: it is {resolved.mode.value}"
    return ""


def as_trunks(fabric: Fabric, plan: Plan, goal: Uplink) -> list[Edit]:
    """Both ends of an uplink as trunks for what it needs."""
    ends, _ = ends_of(fabric, goal.near, goal.planned.to)
    number = joined_by(fabric, *ends) if ends is not None else None
    # Still no link: the other end does not see it.
    if ends is None or number is None:
        goal.says = goal.says or "the cable is not seen by both ends"
        return []
    vlans = _vlans(fabric, plan, goal, number)
    # VLANs that the plan names are meant; others must be one segment.
    if goal.planned.vlans is None:
        goal.says = _called_otherwise(fabric, ends, vlans)
    if goal.says:
        return []
    near, far = fabric.ports[ends[0]], fabric.ports[ends[1]]
    native = plan.says.practice.native
    if native is None:
        # The switch in front is in use, and says what is usual there.
        native = far.native if far.mode is Mode.TRUNK else _usual_native(fabric, ends[1].device)
    edits: list[Edit] = []
    for own in (near, far):
        edits += _trunk(own, vlans, native)
        if native is not None:
            edits += defined(fabric.campus, fabric.device(own.end.device), native)
    return edits


def _called_otherwise(fabric: Fabric, ends: tuple[End, End], vlans: VlanSet) -> str:
    """A VLAN that the switch behind has under another name than the others, in words: it may be
    another segment, and would be joined with theirs.
    """
    near = ends[0].device
    others = {name: device for name, device in fabric.campus.devices.items() if name != near}
    for vid in vlans:
        row = fabric.device(near).row(vid)
        usual = usual_name(Campus(devices=others), vid)
        # Without a name on both sides nothing contradicts.
        if row is None or row.name is None or usual is None:
            continue
        own = row.name.value
        # Case aside.
        if own and own.casefold() != usual.value.casefold():
            return (
                f"VLAN {vid} is {own} on {near}, and {usual.value} elsewhere: are they one segment?"
                " then name it in `vlans` of the uplink, or else give one another number"
            )
    return ""


def _vlans(fabric: Fabric, plan: Plan, goal: Uplink, number: int) -> VlanSet:
    """The VLANs that an uplink is to let through."""
    # What the plan names is what passes.
    if goal.planned.vlans is not None:
        return goal.planned.vlans
    unused = plan.says.practice.unused
    idle = {DEFAULT_VID, unused.vlan if unused is not None else None}
    mask = needed(fabric, plan.wanted(fabric.campus.devices))[number]
    return VlanSet.from_vids(vid for vid in bits(mask) if vid not in idle)


def _usual_native(fabric: Fabric, switch: str) -> int | None:
    """The native VLAN of most links of a switch."""
    counts = Counter(
        own.native
        for end in fabric.wiring.of
        if end.device == switch and (own := fabric.ports[end]).mode is Mode.TRUNK
    )
    return min(counts, key=lambda vid: (-counts[vid], vid or 0), default=None)


def _trunk(own: Resolved, vlans: VlanSet, native: int | None) -> Iterator[Edit]:
    """A port as a trunk that lets some VLANs through, and what it lets through if it is one."""
    port, switch, now = own.stated, own.end.device, own.completed
    untagged = VlanSet.of(native) if native is not None else VlanSet()
    # A general port is a trunk by its lists.
    if own.mode is Mode.GENERAL:
        # Only what is missing.
        if vlans - untagged - now.tagged:
            yield of_port(switch, port, "tagged", now.tagged | (vlans - untagged))
        if native is not None and now.pvid != native:
            yield of_port(switch, port, "pvid", native)
        # What comes untagged has to leave so, and nothing else: it would change its VLAN on the
        # way. Without a list only the PVID does.
        if native is not None and now.untagged not in (None, untagged):
            yield of_port(switch, port, "untagged", untagged)
        return
    # A trunk already stays one.
    if own.mode is not Mode.TRUNK:
        yield of_port(switch, port, "mode", Mode.TRUNK)
    # What it asks its far end for would undo the rest.
    if now.negotiation in (Negotiation.ACTIVE, Negotiation.PASSIVE):
        yield of_port(switch, port, "negotiation", Negotiation.SILENT)
    # Nothing is taken off a list that is there.
    allowed = vlans | untagged if own.mode is not Mode.TRUNK else now.allowed | vlans | untagged
    if allowed != now.allowed:
        yield of_port(switch, port, "allowed", allowed)
    if native is not None and now.native_vlan != native:
        yield of_port(switch, port, "native_vlan", native)


def carried(fabric: Fabric, plan: Plan, goal: Uplink) -> list[Edit]:
    """What brings the VLANs of an uplink to it, from where most of each is."""
    ends, _ = ends_of(fabric, goal.near, goal.planned.to)
    number = joined_by(fabric, *ends) if ends is not None else None
    if ends is None or number is None:
        return []
    near = fabric.bridge_of[ends[0].device, ""]
    there, serving = domains(fabric), served(fabric)
    wanted = plan.wanted(fabric.campus.devices)
    edits: list[Edit] = []
    for vid in _vlans(fabric, plan, goal, number):
        parts: dict[int, set[int]] = {}
        for bridge, inside in enumerate(fabric.bridges):
            serves = (serving[bridge] | wanted.get(inside.device, 0)) >> vid & 1
            # On any other switch where somebody needs it.
            if serves and not inside.routed and bridge != near:
                parts.setdefault(there.of(bridge, vid), set()).add(bridge)
        most = max(parts, key=lambda label: (len(parts[label]), -label), default=-1)
        # Nowhere: what the plan states is to pass all the same, and takes a row at each end.
        if most < 0 and goal.planned.vlans is not None:
            for end in ends:
                edits += defined(fabric.campus, fabric.device(end.device), vid)
        # Nowhere, or there already.
        if most < 0 or most == there.of(near, vid):
            continue
        result = spread(fabric, {near, *parts[most]}, vid)
        goal.says = goal.says or result.says
        goal.smallest = goal.smallest and result.smallest
        edits += result.edits
    return edits
