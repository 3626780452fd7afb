"""Who can hear a frame: the closure of the forwarding relation over all links that are up, whole
VID sets at a time.

The state of a bridge is, for each of its ports, the set of VIDs that frames have come in by. From
this follows exactly what each port sends (FM 3.4, FM 3.5, FM 3.6): a VID that came in by two ports
leaves by all; one that came in by a single port leaves by all but that one; what came in by
protected ports only does not leave by protected ports. Bridges are worked through until nothing new
arrives anywhere.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import NamedTuple

from inkov.forwarding.fabric import BridgePort, Fabric
from inkov.forwarding.view import Form, PortView
from inkov.levels import Level
from inkov.vlanset import bit, bits, union
from inkov.wiring import End

__all__ = ["Flood", "Level", "Sending", "flood", "sendings_at"]


class Sending(NamedTuple):
    """Frames that start at a bridge port, in the VIDs of `mask`; `port` -1: sent by the device
    itself, on `bridge`. Those in the VIDs of `tagged` wear a tag, even where untagged frames would
    get there as well.
    """

    port: int
    mask: int
    bridge: int
    tagged: int = 0


class Flood:
    """The closure from some entries.

    `came[p]` and `sent[p]` are the VIDs that arrived by and left by bridge port *p*;
    `present(bridge)` those that are on a bridge at all.
    """

    def __init__(self, fabric: Fabric, level: Level) -> None:
        self.fabric = fabric
        self.level = level
        self.came: dict[int, int] = {}
        self.sent: dict[int, int] = {}
        self._once: dict[int, int] = {}
        self._twice: dict[int, int] = {}
        self._free: dict[int, int] = {}  # the VIDs that came in by some port that is not protected

    @property
    def bridges(self) -> Iterable[int]:
        """The bridges that frames get to."""
        return self._once

    def present(self, bridge: int) -> int:
        return self._once.get(bridge, 0)

    def alone(self, bridge: int, port: int) -> int:
        """The VIDs that came in by one port and no other."""
        return self.came.get(port, 0) & ~self._twice.get(bridge, 0)

    def shielded(self, bridge: int) -> int:
        """The VIDs that came in by protected ports only."""
        return self._once.get(bridge, 0) & ~self._free.get(bridge, 0)

    def leaving(self, port: BridgePort, view: PortView) -> int:
        """The VIDs that leave by a port with this view."""
        # Among protected ports only what others brought in is passed on.
        if view.protected:
            return view.emit & self._free.get(port.bridge, 0)
        once = self._once.get(port.bridge, 0)
        # What came by this port alone does not go back by it.
        return view.emit & (once & ~self.came.get(port.number, 0) | self._twice.get(port.bridge, 0))

    def heard(self) -> Iterator[tuple[BridgePort, int, bool]]:
        """What the hosts hear: (host port, VID, tagged), by port and VID."""
        fabric = self.fabric
        for bridge in self._once:
            for number in fabric.bridges[bridge].ports:
                port = fabric.bridge_ports[number]
                if not fabric.is_host_port(port):
                    continue
                for view in views_at(port, self.level):
                    yield from _on_wire(port, view, self.leaving(port, view))

    def _arrive(self, port: int, bridge: int, mask: int, protected: bool) -> bool:
        new = mask & ~self.came.get(port, 0)
        if not new:
            return False
        self.came[port] = self.came.get(port, 0) | new
        once = self._once.get(bridge, 0)
        # A VID that came in before, by whatever port, has now come by two.
        self._twice[bridge] = self._twice.get(bridge, 0) | once & new
        self._once[bridge] = once | new
        if not protected:
            self._free[bridge] = self._free.get(bridge, 0) | new
        return True


def _on_wire(port: BridgePort, view: PortView, mask: int) -> Iterator[tuple[BridgePort, int, bool]]:
    for vid in bits(mask):
        yield port, vid, bool(port.outer) or not view.untagged >> vid & 1


def sendings_at(fabric: Fabric, numbers: Iterable[int], level: Level) -> list[Sending]:
    """All that a host at these ports may send: an honest one its own VLANs (FM 4.1), a hostile one
    any tag (FM 4.2).
    """
    sendings = []
    for number in numbers:
        port = fabric.bridge_ports[number]
        # At the hostile level a host may send in any view that the port can be brought to.
        views = views_at(port, level)
        untagged = tagged = 0
        for view in views:
            untagged |= bit(view.pvid)
            tagged |= view.admit if level == Level.HOSTILE else honest_tags(fabric, port)
        if (
            port.outer == 0
        ):  # a tag that a sub-interface owns does not reach the port itself (FM 3.9)
            tagged &= ~owned_tags(fabric, port.end)
        if untagged | tagged:
            sendings.append(Sending(number, untagged | tagged, port.bridge))
    return sendings


def views_at(port: BridgePort, level: Level) -> tuple[PortView, ...]:
    """The views a port can take: its own, and at the hostile level those it can be lured into."""
    return (port.view, *port.on_request) if level == Level.HOSTILE else (port.view,)


def honest_tags(fabric: Fabric, port: BridgePort) -> int:
    """The tags an honest host uses: its voice VLAN's, where one is set (FM 4.1)."""
    voice = port.view.form is Form.ACCESS_VOICE
    # Without a voice VLAN an honest host sends no tags.
    return port.view.admit & bit(fabric.resolved(port).completed.voice_vlan) if voice else 0


def owned_tags(fabric: Fabric, end: End) -> int:
    """The tags that sub-interfaces take off an end, as a mask."""
    return union((1 << fabric.bridge_ports[number].outer) & ~1 for number in fabric.at.get(end, ()))


def flood(fabric: Fabric, sendings: Iterable[Sending], level: Level) -> Flood:
    """The closure from `sendings` over all links that are up."""
    result = Flood(fabric, level)
    ports = fabric.bridge_ports
    dirty: dict[int, None] = {}
    for number, mask, bridge, _ in sendings:
        # The device itself is one more party on its bridge: number -1 - bridge.
        port = number if number >= 0 else -1 - bridge
        protected = number >= 0 and ports[number].view.protected
        result._arrive(port, bridge, mask & fabric.bridges[bridge].live, protected)
        # Only bridges where something new arrived are looked at again.
        dirty[bridge] = None
    hostile = level == Level.HOSTILE
    linked: dict[int, list[int]] = {}
    while dirty:
        work, dirty = dirty, {}
        for bridge in work:
            if bridge not in linked:
                linked[bridge] = [n for n in fabric.bridges[bridge].ports if n in fabric.crossings]
            for number in linked[bridge]:
                sender = ports[number]
                before = result.sent.get(number, 0)
                new = result.leaving(sender, sender.view)
                for view in sender.on_request if hostile else ():
                    new |= result.leaving(sender, view)
                new &= ~before
                # Sent before, by this port: everything behind it knows already.
                if not new:
                    continue
                result.sent[number] = before | new
                for crossing in fabric.crossings[number]:
                    kept = (*crossing.same, *crossing.lured) if hostile else crossing.same
                    arriving = [(to, new & mask) for to, mask in kept]
                    translations = (
                        crossing.translations + crossing.hidden
                        if hostile
                        else crossing.translations
                    )
                    arriving += [
                        (to, arrives) for to, leaves, arrives in translations if new & leaves
                    ]
                    for to, mask in arriving:
                        receiver = ports[to]
                        # Nothing new there: the bridge need not be looked at.
                        if mask and result._arrive(
                            to, receiver.bridge, mask, receiver.view.protected
                        ):
                            dirty[receiver.bridge] = None
    return result
