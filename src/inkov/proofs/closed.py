"""Which VLANs cannot leak for the plainest of reasons: nothing anywhere turns their frames into another VLAN's.

Nearly all VLANs of a campus are so, and need no flood: one pass over all links finds the few that something touches.
"""

from __future__ import annotations

from collections.abc import Iterable

from inkov.forwarding import Fabric
from inkov.forwarding.reach import entries_at
from inkov.proofs.seats import seats_of
from inkov.vlanset import VlanSet

__all__ = ["translations", "vlan_groups"]


def translations(fabric: Fabric, level: str) -> int:
    """The VIDs, as a mask, whose frames some link turns into another VID, some host puts into another, or some host of
    another VID hears."""
    mask = 0
    for crossings in fabric.crossings.values():
        for crossing in crossings:
            for fold in (*crossing.folds, *(crossing.hidden if level == "hostile" else ())):
                if fold.leaves != fold.arrives or fold.leaves.bit_count() > 1:
                    mask |= fold.leaves
    for port in fabric.bridge_ports:
        if not fabric.is_host_port(port):
            continue
        own = 0
        seats = seats_of(fabric, port)
        for seat in seats:
            own |= 1 << seat.vid
        view = port.view
        if view.bare & ~(1 << seats[0].vid if seats else 0):  # an untagged seat that hears several VLANs
            mask |= view.bare | own
        if level == "hostile":
            sent = 0
            for entry in entries_at(fabric, [port.number], level):
                sent |= entry.mask
            if (sent | own).bit_count() > 1:
                mask |= sent | own
            for lured in port.lured:
                mask |= lured.emit
    return mask


def vlan_groups(fabric: Fabric, used: Iterable[int]) -> list[VlanSet]:
    """The VLANs in use, a primary with its secondaries as one."""
    groups: dict[int, VlanSet] = {vid: VlanSet.of(vid) for vid in used}
    for device in fabric.campus.devices.values():
        for row in (device.vlans or {}).values():
            if row.secondaries is not None:
                whole = VlanSet.of(row.vid) | row.secondaries.value
                for vid in whole:
                    if vid in groups:
                        whole = whole | groups[vid]
                for vid in whole:
                    if vid in groups:
                        groups[vid] = whole
    return sorted(set(groups.values()), key=lambda group: next(iter(group)))
