"""Where a VLAN number stands for one VLAN, worked out by the verifier's own code (FM 6.7)."""

from __future__ import annotations

from collections.abc import Callable

from inkov.campus import Mode, natural
from inkov.verify.frames import End, FrameModel

__all__ = ["areas_of"]


def areas_of(net: FrameModel) -> dict[str, set[str]]:
    """The switches of each area, by the one that it is called after."""
    bridged = _parts(net, lambda near, far: _goes_on(net, near, far))
    cabled = _parts(net, lambda near, far: True)
    routed = [area for area in bridged if not any(area == whole for whole in cabled)]
    order = {name: number for number, name in enumerate(sorted(net.campus.devices, key=natural))}
    largest = max(
        bridged, key=lambda area: (len(area), -min(order[n] for n in area)), default=set()
    )
    # The largest one takes in all that stands alone.
    alone = [area for area in bridged if area not in routed and area is not largest]
    areas = [set(largest).union(*alone), *(area for area in routed if area is not largest)]
    return {_called(area, largest, order): area for area in areas}


def _called(area: set[str], largest: set[str], order: dict[str, int]) -> str:
    """The first switch of an area; what is cabled to nothing gives no name."""
    return min(area & largest or area, key=order.__getitem__, default="")


def _parts(net: FrameModel, passes: Callable[[End, End], bool]) -> list[set[str]]:
    """The switches that hang together by cables that pass, or by a box that is not among the
    files.
    """
    near: dict[str, set[str]] = {name: set() for name in net.campus.devices}
    for near_end, fars in net.far.items():
        for far in fars:
            if passes(near_end, far):
                near[near_end[0]].add(far[0])
    # Who is not among the files may pass on to all that are cabled to it.
    for ends in net.boxes.values():
        known = [net.whole(end) for end in ends if end[0] in near]
        names = {end[0] for end in known if passes(end, end)}
        for name in names:
            near[name] |= names
    left, parts = set(near), []
    while left:
        part, work = set[str](), [min(left)]
        while work:
            name = work.pop()
            if name not in part:
                part.add(name)
                work += near[name]
        parts.append(part)
        left -= part
    return parts


def _goes_on(net: FrameModel, one: End, far: End) -> bool:
    """Whether a cable is not routed. A trunk that meets a routed port without sub-interfaces was
    not meant to end there.
    """
    routed = [end for end in (one, far) if not _takes_frames(net, end)]
    # Routed at both ends, or at none.
    if len(routed) != 1 or one == far:
        return not routed
    other = far if routed[0] == one else one
    views = [spot.views[0] for spot in net.spots.get(other, ())]
    subs = any(spot.outer for spot in net.spots.get(routed[0], ()))
    return not subs and any(view.emit & ~view.untagged for view in views)


def _takes_frames(net: FrameModel, end: End) -> bool:
    """Whether an end is a bridge's, up or not."""
    spots = net.spots.get(end)
    if spots:
        # Any part of it that is bridged counts.
        return any(not spot.routed for spot in spots)
    device = net.campus.devices[end[0]]
    return device.value(device.ports[end[1]], "mode") is not Mode.ROUTED
