"""Where frames can be, as a certificate states it: is that closed, and does nobody hear any of it?

A closure holds if all that is sent starts within it, and no step of the model leads out of it. That
is checked one step at a time, port by port; no search is needed, and none is trusted.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, NamedTuple

from inkov.levels import Level
from inkov.verify.frames import HostSeat, Hub, Spot
from inkov.verify.packets import PacketModel
from inkov.vlanset import VlanSet, bits, union

__all__ = [
    "ClaimEntry",
    "Closure",
    "Refused",
    "Sent",
    "Side",
    "in_order",
    "parse",
    "sent",
    "verify_apart",
    "verify_closed",
]

ClaimEntry = dict[str, Any]
Sent = tuple[Hub, Spot | None, int]
"""What somebody sends: on a bridge, by a port (None: the device itself), in the VIDs of a mask."""


class Side(NamedTuple):
    """Who is meant by names: all in the VLANs of a mask (bit 0: those in none), and some seats by
    themselves.
    """

    vids: int
    some: frozenset[HostSeat] = frozenset()

    def seats(self, net: PacketModel) -> set[HostSeat]:
        return {
            seat for vid, own in net.by_vid.items() if self.vids >> vid & 1 for seat in own
        } | self.some

    def on_wires(self, net: PacketModel, level: Level) -> Side:
        """The same hosts, at all ends of their wires (FM 4.9)."""
        elsewhere = net.elsewhere(level).items()
        own = (also for seat, also in elsewhere if self.vids >> seat.vid & 1 or seat in self.some)
        return Side(self.vids, self.some.union(*own))

    def minus(self, other: Side, net: PacketModel) -> Side:
        # Seats by themselves cannot be taken off masks.
        if self.some or other.some:
            return Side(0, frozenset(self.seats(net) - other.seats(net)))
        return Side(self.vids & ~other.vids)

    def sends(self, net: PacketModel, level: Level) -> int:
        """The VIDs that it sends in, wherever; `hears` likewise."""
        return self._mask(net.sends(level), net.sent, level)

    def hears(self, net: PacketModel, level: Level) -> int:
        return self._mask(net.hears(level), net.heard, level)

    def _mask(self, by_vid: dict[int, int], each: Any, level: Level) -> int:
        masks = [mask for vid, mask in by_vid.items() if self.vids >> vid & 1]
        masks += [mask for seat in self.some for _, mask in each(seat, level)]
        return union(masks)


class Refused(Exception):
    """The certificate is not true; the text says where."""


def parse(text: str) -> int:
    return VlanSet.parse(text).bits


class Closure:
    """Where frames can be, as stated: `switch|bridge` -> `vids`; `only`, port -> VIDs that come in
    by that port alone (they do not leave by it); `shielded`, VIDs that come in by protected ports
    alone.
    """

    def __init__(self, stated: dict[str, Any]) -> None:
        self.there: dict[Hub, int] = {}
        self.shielded: dict[Hub, int] = {}
        self.only: dict[tuple[Hub, int], str] = {}
        for name, entry in stated.items():
            device, _, bridge = name.partition("|")
            hub = device, bridge
            self.there[hub], self.shielded[hub] = (
                parse(entry["vids"]),
                parse(entry.get("shielded", "none")),
            )
            for port, vids in entry.get("only", {}).items():
                for vid in bits(parse(vids)):
                    # By two ports alone is by none alone.
                    if self.only.setdefault((hub, vid), port) != port:
                        raise Refused(
                            f"VLAN {vid} on {device} comes in by one port alone, and by two"
                        )

    def take(self, hub: Hub, spot: Spot | None, mask: int, what: str) -> None:
        """See that frames that come in somewhere are where they are said to be."""
        name, at = (spot.name, spot.key) if spot is not None else ("", hub[0])
        new = mask & ~self.there.get(hub, 0)
        # It comes in where the certificate does not have it.
        if new:
            raise Refused(
                f"{what} gets to {at} in VLAN {VlanSet(new)}, which the certificate does not have"
                " there"
            )
        for vid in bits(mask):
            # It comes in by another port than the one it is said to.
            if self.only.get((hub, vid), name) != name:
                raise Refused(
                    f"VLAN {vid} comes in by {at}, and not by port {self.only[hub, vid]} alone"
                )
        # Shielded is only what came in by protected ports alone.
        if mask & self.shielded.get(hub, 0) and not (spot is not None and spot.protected):
            raise Refused(f"{what} comes in by {at}, which is not protected")

    def leaving(self, spot: Spot) -> int:
        """What may leave by a port, whatever it sends: not what comes in by it alone, nor from
        protected to protected (FM 3.5, FM 3.6).
        """
        mask = self.there.get(spot.hub, 0) & ~(
            self.shielded.get(spot.hub, 0) if spot.protected else 0
        )
        return mask & ~sum(
            1 << vid for vid in bits(mask) if self.only.get((spot.hub, vid)) == spot.name
        )


def in_order(seats: Iterable[HostSeat]) -> list[HostSeat]:
    """Seats by their names: what is refused first, and the text, must not hang on hashes."""
    return sorted(seats, key=lambda seat: (seat.spot.key, seat.tag, seat.vid))


def sent(net: PacketModel, seats: Iterable[HostSeat], level: Level) -> list[Sent]:
    """What hosts at some seats can send, in the order of the seats' names."""
    each = in_order(seats)
    return [(spot.hub, spot, mask) for seat in each for spot, mask in net.sent(seat, level)]


def verify_closed(net: PacketModel, stated: ClaimEntry, sends: list[Sent], level: Level) -> Closure:
    """That what is sent stays in a closure. Raises Refused."""
    closure = Closure(stated)
    for hub, spot, mask in sends:
        closure.take(hub, spot, mask, "what is sent")
    for hub in closure.there:
        for spot in net.at.get(hub, ()):
            # Host ports lead to no other bridge.
            leaving = closure.leaving(spot) if spot.end in net.far else 0
            for far, _, arriving in net.over(spot, leaving, level):
                closure.take(far.hub, far, arriving, f"what leaves {spot.key}")
    return closure


def verify_apart(
    net: PacketModel,
    stated: ClaimEntry,
    sources: Side | list[Sent],
    targets: Side,
    level: Level,
    hear: Level,
) -> None:
    """That no frame of one side (or sent at some stations) is heard by the other, at the levels of
    those who send and who hear: by VIDs alone, or by where frames can be. Raises Refused.
    """
    # Told apart by numbers, wherever frames are.
    if "anywhere" in stated:  # VIDs that no link turns into others, wherever they are
        vids = parse(stated["anywhere"])
        mask = (
            sources.sends(net, level)
            if isinstance(sources, Side)
            else union(mask for _, _, mask in sources)
        )
        if mask & ~vids:
            raise Refused(f"one side sends into VLAN {VlanSet(mask & ~vids)}")
        if net.spread(vids, level) & ~vids:
            raise Refused(
                f"links turn its VLANs into VLAN {VlanSet(net.spread(vids, level) & ~vids)}"
            )
        # The other side must hear none of these numbers.
        if targets.hears(net, hear) & vids:
            raise Refused(f"the other side hears VLAN {VlanSet(targets.hears(net, hear) & vids)}")
        return
    sends = sources if isinstance(sources, list) else sent(net, sources.seats(net), level)
    closure = verify_closed(net, stated, sends, level)
    for seat in targets.seats(net):
        for spot, mask in net.heard(seat, hear):
            # What is there, leaves by that port, and in a form that the host hears.
            if spot.hub in closure.there and closure.leaving(spot) & mask:
                raise Refused(
                    f"{spot.key} is heard, in one of VLAN {VlanSet(closure.leaving(spot) & mask)}"
                )
