"""Which hubs a link joins both ways, and which one way only: the graph of hubs, in bulk.

A hub is a VID on a bridge (FM 3.4). For each link and direction there is what crosses under its own
number, and what changes it. A pair of hubs whose frames cross in both directions is *joined*; one
whose frames cross in one direction is a *one-way* pair. Pairs of the first kind are many and come
as arrays, those of the second are few.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

import numpy as np

from inkov.forwarding.components import Ints
from inkov.forwarding.fabric import Crossing, Fabric, Translation
from inkov.levels import Level
from inkov.vlanset import ALL_BITS, bits

__all__ = ["Contraction", "OneWay", "contract"]


class OneWay(NamedTuple):
    """Frames leave by bridge port `leaves` in VLAN `vid` and arrive by port `to` in VLAN
    `arrives`, and none go back so.
    """

    leaves: int
    vid: int
    to: int
    arrives: int


class Contraction(NamedTuple):
    """`rows` and `columns` are hubs that are joined, pair by pair, each pair of ports and VIDs
    once. A hub's number is that of its bridge times `width`, plus the column of its VID in `place`.
    `forked` are bridge ports and VIDs that a link joins to several hubs at once.
    """

    width: int
    place: Ints
    rows: Ints
    columns: Ints
    one_way: list[OneWay]
    forked: list[tuple[int, int]]

    def hub(self, bridge: int, vid: int) -> int:
        return bridge * self.width + int(self.place[vid])


def contract(
    fabric: Fabric, used: int, level: Level = Level.HONEST, alive: int = ALL_BITS
) -> Contraction:
    """The pairs of hubs in the VIDs of `used`. Only VIDs of `alive` are taken to be sent by
    anybody: what is hidden behind others shows nowhere.
    """
    vids = np.fromiter(bits(used), dtype=np.int64)
    width = max(len(vids), 1)
    place = np.zeros(4096, dtype=np.int64)
    place[vids] = np.arange(len(vids))
    same, changed = _passing(fabric, level, alive)
    ports = fabric.bridge_ports
    known: dict[int, Ints] = {}
    rows: list[Ints] = [np.zeros(0, dtype=np.int64)]
    columns: list[Ints] = [np.zeros(0, dtype=np.int64)]
    one_way: list[OneWay] = []
    joined_by: dict[tuple[int, int], int] = {}  # (bridge port, VID) -> hubs it is joined to
    for (sender, to), mask in same.items():
        back = same.get((to, sender), 0)
        # Each pair of ports is met twice, once from either end.
        if sender < to and mask & back:
            joined = place[_vids(mask & back, known)]
            rows.append(ports[sender].bridge * width + joined)
            columns.append(ports[to].bridge * width + joined)
        # What does not come back the same way is followed exactly.
        one_way += [OneWay(sender, vid, to, vid) for vid in bits(mask & ~back)]
    for (sender, to), pairs in changed.items():
        backward = changed.get((to, sender), set())
        for vid, arrives in sorted(pairs):
            # Turned into another number, and not back into this one by the same link.
            if (arrives, vid) not in backward:
                one_way.append(OneWay(sender, vid, to, arrives))
                continue
            # A hub that one link joins to several: a domain cannot promise that all hear all.
            kept = (same.get((sender, to), 0) & same.get((to, sender), 0)) >> vid & 1
            joined_by[sender, vid] = joined_by.get((sender, vid), 0) + 1 + kept
            if sender < to:
                rows.append(np.array([ports[sender].bridge * width + place[vid]]))
                columns.append(np.array([ports[to].bridge * width + place[arrives]]))
    forked = [at for at, count in joined_by.items() if count > 1]
    return Contraction(width, place, np.concatenate(rows), np.concatenate(columns), one_way, forked)


Between = tuple[int, int]
"""Two bridge ports: by which frames leave, and by which they arrive."""


def _passing(
    fabric: Fabric, level: Level, alive: int
) -> tuple[dict[Between, int], dict[Between, set[tuple[int, int]]]]:
    """What crosses between two ports under its own number, as a mask, and what changes it, as pairs
    of VIDs.
    """
    same: dict[Between, int] = {}
    changed: dict[Between, set[tuple[int, int]]] = {}
    for sender, crossings in fabric.crossings.items():
        for crossing in crossings:
            kept, translations = _at(crossing, level)
            for to, mask in kept:
                same[sender, to] = same.get((sender, to), 0) | mask
            for to, leaves, arrives in translations:
                # What nobody sends shows nowhere, whatever it would turn into.
                if leaves & alive:
                    pairs = {(v, w) for v in bits(leaves & alive) for w in bits(arrives)}
                    changed.setdefault((sender, to), set()).update(pairs)
    for between, every in changed.items():  # where several turn into one, that may be one of them
        for vid in [vid for vid, arrives in every if vid == arrives]:
            every.discard((vid, vid))
            same[between] = same.get(between, 0) | 1 << vid
    return same, changed


def _at(
    crossing: Crossing, level: Level
) -> tuple[Iterable[tuple[int, int]], Iterable[Translation]]:
    """What a crossing passes at a level."""
    if level == Level.HOSTILE:
        return (
            (*crossing.same, *crossing.lured),
            (*crossing.translations, *crossing.hidden),
        )
    return crossing.same, crossing.translations


def _vids(mask: int, known: dict[int, Ints]) -> Ints:
    vids = known.get(mask)
    if vids is None:
        # Each mask is taken apart once: many ports have the same.
        packed = np.frombuffer(mask.to_bytes(512, "little"), dtype=np.uint8)
        vids = known[mask] = np.flatnonzero(np.unpackbits(packed, bitorder="little")).astype(
            np.int64
        )
    return vids
