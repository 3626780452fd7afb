"""The coarsest look of a proof: which VLAN numbers can turn into which, wherever that may be.

Theory of operation. Forget where frames are, and keep only the VID that each is in. A link either
keeps a VID or turns it into another (a native VLAN that differs, a translation, a tag that is not
seen). `turns` collects all such steps of all links that are up; `spread` closes a set of VIDs under
them. Two sides are apart if nothing of what one of them sends can turn into anything that the other
hears.

What is approximated: places, the direction of links, protected ports, and whether a VID that one
link turns ever gets to that link. Each of these can only take a frame away. So the answer "apart"
is sound, and is its own proof; "may get there" is none, and the search goes on with a flood
(`leaks`).

Why it pays: nearly all VLANs of a campus are never turned into another. One pass over all links
settles all of them, and thousands of pairs of VLANs need no flood.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable
from functools import cached_property

from inkov.forwarding import Fabric
from inkov.forwarding.reach import sendings_at, views_at
from inkov.levels import Level
from inkov.proofs.leaks import audible, sent_at
from inkov.proofs.seats import Seat
from inkov.vlanset import VlanSet, union
from inkov.wiring import End

__all__ = ["VidReach", "vlan_groups"]


class VidReach:
    """What VIDs can turn into anywhere on the campus, and what hosts send and hear: no places, only
    VIDs. With `on_wire`, those in a VLAN are at all ends of their wires (`ClaimNames.on_wire`).
    """

    def __init__(
        self,
        fabric: Fabric,
        seats: list[Seat],
        level: Level,
        on_wire: Callable[[frozenset[Seat], Level], frozenset[Seat]] | None = None,
    ) -> None:
        self.fabric = fabric
        self.seats = seats
        self.level = level
        self._on_wire = on_wire

    @cached_property
    def turns(self) -> dict[int, int]:
        """VID -> the other VIDs, as a mask, that some link turns its frames into."""
        turns: dict[int, int] = {}
        for crossings in self.fabric.crossings.values():
            for crossing in crossings:
                for translation in (
                    *crossing.translations,
                    *(crossing.hidden if self.level == Level.HOSTILE else ()),
                    # Hidden tags are a trick: honest hosts play none.
                ):
                    for vid in VlanSet(translation.leaves):
                        turns[vid] = turns.get(vid, 0) | translation.arrives & ~(1 << vid)
        return turns

    @cached_property
    def _wires(self) -> dict[End, tuple[int, int]]:
        """For each end with hosts what a hostile host there sends, and hears."""
        wires: dict[End, tuple[int, int]] = {}
        for port in self.fabric.bridge_ports:
            # Where nobody can sit, nobody sends.
            if self.fabric.has_hosts(port.end):  # routed sub-interfaces on the wire count, too
                sent, heard = wires.get(port.end, (0, 0))
                for sending in sendings_at(self.fabric, [port.number], self.level):
                    sent |= sending.mask
                for view in views_at(port, self.level):
                    heard |= view.emit
                wires[port.end] = sent, heard
        return wires

    def sent(self, seats: Iterable[Seat]) -> int:
        """The VIDs that hosts in some seats can put their frames into."""
        mask, ports = 0, self.fabric.bridge_ports
        if self.level == Level.HOSTILE:
            # Hostile: what the wire takes, whatever form the seat has.
            for end in {ports[seat.port].end for seat in seats}:
                mask |= self._wires[end][0]
            return mask
        for seat in seats:
            mask |= sent_at(ports[seat.port], seat)
        return mask

    def heard(self, seats: Iterable[Seat]) -> int:
        """The VIDs that hosts in some seats can hear."""
        if self.level == Level.HOSTILE:
            return union(
                self._wires[end][1]
                for end in {self.fabric.bridge_ports[seat.port].end for seat in seats}
            )
        mask, plain = 0, self._plain
        for seat in seats:
            mask |= plain.get(seat, 0)
        return mask

    @cached_property
    def _plain(self) -> dict[Seat, int]:
        masks: dict[Seat, int] = {}
        for seat in self.seats:
            mask = union(audible(self.fabric, seat, self.level).values())
            masks[seat] = mask
        return masks

    @cached_property
    def by_vid(self) -> dict[int, tuple[int, int]]:
        """What all hosts in a VLAN send and hear together: VID -> two masks."""
        seats: dict[int, list[Seat]] = {}
        for seat in self.seats:
            seats.setdefault(seat.vid, []).append(seat)
        hosts: dict[int, Collection[Seat]] = {**seats}
        if self._on_wire is not None:
            hosts = {vid: self._on_wire(frozenset(own), self.level) for vid, own in seats.items()}
        return {vid: (self.sent(own), self.heard(own)) for vid, own in hosts.items()}

    def sent_in(self, vids: VlanSet) -> int:
        """What all hosts in some VLANs send."""
        return union(self.by_vid.get(vid, (0, 0))[0] for vid in vids)

    def heard_in(self, vids: VlanSet) -> int:
        """What all hosts in some VLANs hear."""
        return union(self.by_vid.get(vid, (0, 0))[1] for vid in vids)

    def heard_beside(self, vids: VlanSet) -> int:
        """What all other hosts hear, those in no VLAN among them."""
        return union(0 if vid in vids else heard for vid, (_, heard) in self.by_vid.items())

    def spread(self, mask: int) -> int:
        """The VIDs that frames in some VIDs can ever be in."""
        work = mask
        while work:
            low = work & -work
            work ^= low
            new = self.turns.get(low.bit_length() - 1, 0) & ~mask
            # Only VIDs that are new have to be looked at.
            mask |= new
            work |= new
        return mask


def vlan_groups(fabric: Fabric, used: Iterable[int]) -> list[VlanSet]:
    """The VLANs in use, a primary with its secondaries as one."""
    groups: dict[int, VlanSet] = {vid: VlanSet.of(vid) for vid in used}
    for device in fabric.campus.devices.values():
        for row in (device.vlans or {}).values():
            if row.secondaries is not None:
                whole = VlanSet.of(row.vid) | row.secondaries.value
                for vid in whole:
                    # Two primaries may share secondaries: one group.
                    if vid in groups:
                        whole = whole | groups[vid]
                for vid in whole:
                    if vid in groups:
                        groups[vid] = whole
    return sorted(set(groups.values()), key=lambda group: next(iter(group)))
