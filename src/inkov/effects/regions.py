"""Regions: the hubs of a fabric, divided so that nothing crosses from one region to another.

Theory of operation. Who hears whom is a relation of millions of pairs. It is never listed. Links
join hubs (a VID on a bridge) to regions: what joins two hubs, be it one way only, puts them into
one region. What starts in a region stays in it.

Nearly every region is *plain*: all its links pass frames both ways, each to one far port, and no
port with a link is protected. In a plain region all hear all. One thing is left to look at: two
protected ports of one bridge hear each other only if frames come back to the bridge, and that is so
exactly if the region has a circle (frames that a bridge gets by two ports leave by all of them,
FM 3.5; so what goes round once reaches every port of the region again).

In the other regions (a crossing one way, a port that is reported to reach several, a protected
link, a host on a link's wire) nothing is taken for granted: each place that sends is followed by a
flood of its own (`hearing`).
"""

from __future__ import annotations

import numpy as np

from inkov.forwarding import BridgePort, Fabric
from inkov.forwarding.components import components
from inkov.forwarding.contraction import contract
from inkov.forwarding.reach import sendings_at, views_at
from inkov.forwarding.serve import served
from inkov.levels import Level
from inkov.proofs.seats import Seat
from inkov.proofs.vid_reach import VidReach
from inkov.vlanset import ALL_BITS, bits, union

__all__ = ["Hub", "Regions"]

Hub = tuple[int, int]
"""A bridge and a VID."""


class Regions:
    """The regions of a fabric at a level. `seats` are of every kind that it has (`Kinds`)."""

    def __init__(self, fabric: Fabric, seats: list[Seat], level: Level) -> None:
        self.fabric = fabric
        self.level = level
        ports = fabric.bridge_ports
        self._linked = [ports[n] for end in fabric.wiring.of for n in fabric.at.get(end, ())]
        with_hosts = [ports[number] for number in {seat.port for seat in seats}]
        used = union(_passed(port, level) for port in (*self._linked, *with_hosts))
        for inside, mask in zip(fabric.bridges, served(fabric), strict=True):
            used |= mask & inside.live
        # Honest hosts send in all VIDs that are used.
        alive = _alive(fabric, seats) if level == Level.HOSTILE else ALL_BITS
        self._hubs = contract(fabric, used, level, alive)
        self._used = used
        one_way = self._hubs.one_way
        starts = [self._hubs.hub(ports[way.leaves].bridge, way.vid) for way in one_way]
        ends = [self._hubs.hub(ports[way.to].bridge, way.arrives) for way in one_way]
        rows = np.concatenate([self._hubs.rows, np.array(starts, dtype=np.int64)])
        columns = np.concatenate([self._hubs.columns, np.array(ends, dtype=np.int64)])
        size = len(fabric.bridges) * self._hubs.width
        count, self._label = components(size, rows, columns)
        self._odd = np.zeros(count, dtype=bool)
        # Whatever a frame crosses one way only makes its region odd.
        self._odd[self._label[np.array(starts, dtype=np.int64)]] = True
        for hub in self._odd_hubs():
            self._odd[self._label[hub]] = True
        hubs = np.bincount(self._label, minlength=count)
        links = np.bincount(self._label[self._hubs.rows], minlength=count)
        self._round = links >= hubs

    def of(self, bridge: int, vid: int) -> int:
        """The region of a hub; -1 for a VID that no port of the campus passes."""
        # Never passed anywhere: it is in no region.
        if not self._used >> vid & 1:
            return -1
        return int(self._label[self._hubs.hub(bridge, vid)])

    def is_plain(self, region: int) -> bool:
        """True if all in a region hear all in it."""
        return region < 0 or not self._odd[region]

    def goes_round(self, region: int) -> bool:
        """True if a (plain) region has a circle."""
        return region >= 0 and bool(self._round[region])

    def _odd_hubs(self) -> list[int]:
        """The hubs of ports that make a region one to be followed exactly."""
        fabric = self.fabric
        # A port that passes a VID to several far ports.
        odd = [
            self._hubs.hub(fabric.bridge_ports[port].bridge, vid) for port, vid in self._hubs.forked
        ]
        for port in self._linked:
            if self._is_odd(port):
                mask = _passed(port, self.level)
                odd += [self._hubs.hub(port.bridge, vid) for vid in bits(mask & self._used)]
        return odd

    def _is_odd(self, port: BridgePort) -> bool:
        crossings = self.fabric.crossings.get(port.number, ())
        # Protected, several links at one port, or somebody else on the wire.
        return port.view.protected or len(crossings) > 1 or port.end in self.fabric.wiring.attended


def _passed(port: BridgePort, level: Level) -> int:
    """The VIDs that a port takes or sends, as a mask."""
    return union(view.emit | view.enters() for view in views_at(port, level))


def _alive(fabric: Fabric, seats: list[Seat]) -> int:
    """The VIDs that frames of any host can ever be in, at the hostile level."""
    reach = VidReach(fabric, seats, Level.HOSTILE)
    ends = {fabric.bridge_ports[seat.port].end for seat in seats}
    numbers = sorted(number for end in ends for number in fabric.at[end])
    sent = union(sending.mask for sending in sendings_at(fabric, numbers, Level.HOSTILE))
    return reach.spread(sent)
