"""Areas of layer 2: what only routed links join is apart, and one number in two areas stands for
two VLANs (FM 6.7).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable

from inkov.campus import Mode, natural
from inkov.forwarding.domains import Island
from inkov.forwarding.fabric import Fabric
from inkov.forwarding.reach import owned_tags
from inkov.wiring import End, Link
from inkov.wiring.outside import Identity, identities

__all__ = ["areas", "by_area", "is_border"]


def areas(fabric: Fabric) -> dict[str, str]:
    """For each device the one that its area is called after: the first, in natural order.

    Devices are in one area where a link joins them that is not routed (`is_border`), whether it is
    up or not, or a neighbour at both that is not among the files. An area without any link to
    others is taken for a part of the largest one: what is not cabled in the files is not routed for
    sure.
    """
    bridged, cabled = _Groups(fabric.campus.devices), _Groups(fabric.campus.devices)
    wiring = fabric.wiring
    for link in (*wiring.links, *wiring.shared):
        cabled.join(link.a.device, link.b.device)
        # A routed link joins no VLANs: the areas meet there, and are not one.
        if not is_border(fabric, link):
            bridged.join(link.a.device, link.b.device)
    outside: dict[Identity, str] = {}
    identity = identities(wiring.outside)
    for report in wiring.outside:
        if report.near.device in fabric.campus.devices and _is_bridged(
            fabric, fabric.end_of(*report.near)
        ):
            # Two switches with one neighbour outside: what is behind it may join them.
            near = outside.setdefault(identity(report), report.near.device)
            bridged.join(near, report.near.device)
            cabled.join(near, report.near.device)
    area = {name: bridged.top(name) for name in fabric.campus.devices}
    sizes = Counter(area.values())
    together = Counter(cabled.top(name) for name in sizes)
    largest = max(sizes, key=lambda name: sizes[name], default="")
    # Areas that nothing joins to others: not cabled is not the same as routed.
    return {name: own if together[cabled.top(own)] > 1 else largest for name, own in area.items()}


def by_area(
    fabric: Fabric, area: dict[str, str], islands: Iterable[Island]
) -> dict[str, list[Island]]:
    """The islands of a VLAN number, those of one VLAN together: area -> its islands."""
    parts: dict[str, list[Island]] = {}
    for island in islands:
        parts.setdefault(area[_home(fabric, island)], []).append(island)
    return parts


def _home(fabric: Fabric, island: Island) -> str:
    """A device of an island; of one behind sub-interfaces only, one at their far ends."""
    for bridge in island.bridges:
        ports = [fabric.bridge_ports[number] for number in fabric.bridges[bridge].ports]
        # A bridge with a port of its own is where the VLAN has its number.
        if not fabric.bridges[bridge].routed and any(not port.outer for port in ports):
            return fabric.bridges[bridge].device
    fars = [
        link.far(port.end).device
        for port in (fabric.bridge_ports[n] for n in fabric.bridges[island.bridges[0]].ports)
        for link in fabric.wiring.of.get(port.end, ())
    ]
    return min(fars, key=natural, default=fabric.bridges[island.bridges[0]].device)


def is_border(fabric: Fabric, link: Link) -> bool:
    """True for a link that is routed: at both ends, or at one, if that has sub-interfaces or the
    other end no tags. A trunk that meets a routed port without any was not meant to end there.
    """
    routed = [end for end in (link.a, link.b) if not _is_bridged(fabric, end)]
    # Both routed, or none.
    if len(routed) != 1:
        return bool(routed)
    far = link.far(routed[0])
    # At one end only: a trunk that meets a plain routed port was meant to go on.
    views = [fabric.bridge_ports[number].view for number in fabric.at.get(far, ())]
    tagged = any(view.emit & ~view.untagged for view in views)
    return bool(owned_tags(fabric, routed[0])) or not tagged


def _is_bridged(fabric: Fabric, end: End) -> bool:
    """True if frames of an end get to a bridge, or would if the port was not shut."""
    numbers = fabric.at.get(end)
    if not numbers:
        # Shut or not there: what it would do if it was on.
        return fabric.ports[end].mode is not Mode.ROUTED
    return any(not fabric.bridges[fabric.bridge_ports[n].bridge].routed for n in numbers)


class _Groups:
    """Names that hang together, each group called after its first, in natural order."""

    def __init__(self, names: Iterable[str]) -> None:
        ordered = sorted(names, key=natural)
        self._rank = {name: number for number, name in enumerate(ordered)}
        self._above = {name: name for name in ordered}

    def top(self, name: str) -> str:
        while self._above[name] != name:
            # Half of the way is cut off each time, so that groups stay flat.
            self._above[name] = name = self._above[self._above[name]]
        return name

    def join(self, one: str, other: str) -> None:
        first, second = sorted((self.top(one), self.top(other)), key=self._rank.__getitem__)
        self._above[second] = first
