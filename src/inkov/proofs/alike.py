"""VLANs that need not be told apart: what a trunk that is left at everything has besides the VLANs
that somebody uses.

Theory of operation. A trunk with nobody known behind it that allows all VLANs, as many do when
nobody has touched them, has thousands of seats, one for each tag. Two thoughts keep them few:

*Seats* (`idle_classes`). A VLAN is idle if, beside links, such trunks are all that has it: no other
port, no host and no gateway is in it, and no claim tells it from others. Hosts that use idle tags
are on the same side of every claim, so one seat stands for them all. It sends and hears all of
these tags: closures are the same as those of the seats one by one, whatever links do with each tag.
Only a join must have them one by one, since what is sent with one tag is not heard with another.

*Starts* (`thinned`). Frames that start with two VIDs go the same ways if every mask of the fabric
and of the goal has both or neither of them. The search for the shortest way starts with the lowest
of each such class; any other would be found later, and be no shorter.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence

from inkov.forwarding import Fabric
from inkov.forwarding.reach import Sending
from inkov.forwarding.serve import is_left_at_everything, served
from inkov.plan import Claim, Plan
from inkov.vlanset import ALL_BITS, VlanListError, VlanSet, bit, union

__all__ = ["idle_classes", "tag_of", "thinned", "vids_alike", "vids_named"]

_FEW = 5_000  # starts that are tried one by one
_MOST_CLASSES = 300  # a campus with more is told apart VID by VID


def tag_of(name: str) -> tuple[str, int | None]:
    """A port and the tag that stands behind it in a claim, as in `gate-1:4 tagged 40`."""
    match = re.fullmatch(r"(.+:.+) tagged ([0-9]{1,4})", name)
    return (match[1], int(match[2])) if match else (name, None)


def vids_named(name: str, vlans: dict[str, VlanSet]) -> VlanSet | None:
    """The VLANs that a name in a claim means, by number or by `vlans`; None if it means something
    else.
    """
    # A name of the plan or of a switch comes before any number that it may look like.
    if name in vlans:
        return vlans[name]
    word, _, rest = name.partition(" ")
    text = rest if word.lower() in ("vlan", "vlans") and rest else name
    try:
        return VlanSet.parse(text) if text[:1].isdigit() else None
    except VlanListError:
        # "0-10" or "9999": digits, and yet no list of VLANs.
        return None


def idle_classes(fabric: Fabric, plan: Plan, vlans: dict[str, VlanSet]) -> list[int]:
    """The VLANs that nobody uses, as masks: those in one mask are named by the same claims and
    segments. `vlans` are the VLANs by their names.
    """
    if not any(is_left_at_everything(fabric, port) for port in fabric.bridge_ports):
        return []
    told_apart = [mask for claim in plan.says.claims for mask in _masks_named(claim, vlans)]
    told_apart += [segment.vlans.bits for segment in plan.says.segments.values()]
    told_apart += [vlans[v.segment].bits for v in plan.says.vlans.values() if v.segment]
    return _refined([ALL_BITS & ~_used(fabric)], told_apart)


def _used(fabric: Fabric) -> int:
    """The VLANs that something other than a trunk left at everything has, as a mask."""
    used = union(served(fabric)) | union(bit(host.vid or 0) for host in fabric.campus.hosts)
    used |= union(1 << gateway.vid for _, gateway in fabric.gateways())
    for port in fabric.bridge_ports:
        # Hosts at such a trunk are nobody known: their tags are what is idle.
        used |= 1 << port.outer
        if fabric.has_hosts(port.end) and not is_left_at_everything(fabric, port):
            used |= port.view.emit
    for resolved in fabric.ports.values():
        completed = resolved.completed
        vids = (resolved.free.pvid, completed.access_vlan, completed.pvid, completed.native_vlan)
        used |= union(bit(vid or 0) for vid in (*vids, completed.voice_vlan))
    for device in fabric.campus.devices.values():
        for row in (device.vlans or {}).values():
            if row.secondaries is not None:
                used |= 1 << row.vid | row.secondaries.value.bits
    return used


def _masks_named(claim: Claim, vlans: dict[str, VlanSet]) -> Iterator[int]:
    """The VLANs that a claim tells from others."""
    for name in claim.members:
        tag = tag_of(name)[1]
        vids = VlanSet.of(tag) if tag else vids_named(name, vlans)
        if vids is not None:
            yield vids.bits
    if claim.carried_by is not None:
        yield claim.carried_by.vlans.bits


def _refined(classes: Sequence[int], masks: Iterable[int]) -> list[int]:
    """Classes of VIDs, split until each mask has all of a class or nothing of it."""
    refined = [group for group in classes if group]
    for mask in dict.fromkeys(masks):
        # A mask that has all or nothing of each class splits none.
        if any(group & mask and group & ~mask for group in refined):
            refined = [part for group in refined for part in (group & mask, group & ~mask) if part]
            # More would gain nothing: the caller goes VID by VID.
            if len(refined) > _MOST_CLASSES:
                break
    return refined


def vids_alike(classes: Sequence[int], fabrics: Iterable[Fabric]) -> list[int]:
    """Classes of VIDs, split until frames of all VIDs of a class go the same ways in each of some
    fabrics. None, if that makes too many.
    """
    masks = [mask for fabric in fabrics for mask in sorted(_masks_of(fabric))]
    refined = _refined(classes, masks)
    return refined if len(refined) <= _MOST_CLASSES else []


def thinned(fabric: Fabric, sendings: list[Sending], goals: Iterable[int]) -> list[Sending]:
    """Sendings with one VID of each class of those that go the same ways to goals with some masks.
    The same sendings where that would be no gain.
    """
    if sum(sending.mask.bit_count() for sending in sendings) < _FEW:
        return sendings
    classes = _refined([ALL_BITS], [*goals, *_masks_of(fabric)])
    if len(classes) > _MOST_CLASSES:
        return sendings
    lowest: dict[int, int] = {}  # sent mask -> its thinned one: most trunks send the same
    for mask in {sending.mask for sending in sendings}:
        shared = [group & mask for group in classes if group & mask]
        lowest[mask] = union(group & -group for group in shared)
    return [sending._replace(mask=lowest[sending.mask]) for sending in sendings]


def _masks_of(fabric: Fabric) -> set[int]:
    """Every mask by which a frame's way can hang on its VID."""
    masks = {inside.live for inside in fabric.bridges}
    for port in fabric.bridge_ports:
        for view in (port.view, *port.on_request):
            masks |= {view.admit, view.emit, view.untagged, bit(view.pvid)}
    for crossings in fabric.crossings.values():
        for crossing in crossings:
            # By a change of VLAN a frame's number goes on as another: both count.
            masks |= {mask for _, mask in (*crossing.same, *crossing.lured)}
            for translation in (*crossing.translations, *crossing.hidden):
                masks |= {translation.leaves, translation.arrives}
    return masks
