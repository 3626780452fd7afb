"""Hosts and neighbours whose wire leads elsewhere after a change.

Pairs are compared port by port, and whoever is on the wire of a link is at both its ends (FM 4.9).
Where the link goes and its ports stay, no pair of ports differs by that, and still somebody is cut
off. Who that is, is told here; what it comes to is not worked out.
"""

from __future__ import annotations

from collections.abc import Iterator

from inkov.campus import natural
from inkov.forwarding import Fabric
from inkov.proofs.seats import wire_of
from inkov.wiring import End
from inkov.words import both

__all__ = ["on_other_wires"]


def on_other_wires(old: Fabric, new: Fabric) -> Iterator[str]:
    """For each port with somebody before and after, and whose wire leads to other ports as well, or
    to fewer: that it does, in words.
    """
    before, after = _occupied(old), _occupied(new)
    # Whoever it was called before: reports spell names as they like.
    for place in sorted(before.keys() & after.keys(), key=_order):
        was, now = _wire(old, place), _wire(new, place)
        # A port that is shut or gone is told with those who were at it.
        gone = [end for end in was - now if new.at.get(end)]
        come = [end for end in now - was if old.at.get(end)]
        told = [
            *(f"to {end} no more" for end in sorted(gone, key=_order)),
            *(f"to {end} now" for end in sorted(come, key=_order)),
        ]
        if told:
            who = ", ".join(after[place])
            yield (
                f"what {who} at {place} gains or loses is not worked out:"
                f" its wire leads {both(told)}"
            )


def _occupied(fabric: Fabric) -> dict[End, list[str]]:
    """The ports that tables and reports put somebody at, with the names."""
    names: dict[End, list[str]] = {}
    for host in fabric.campus.hosts:
        names.setdefault(End(host.device, host.port), []).append(host.name)
    for outside in fabric.wiring.outside:
        names.setdefault(outside.near, []).append(outside.far)
    return {
        place: sorted(dict.fromkeys(own), key=natural)
        for place, own in names.items()
        if place in fabric.ports
    }


def _wire(fabric: Fabric, place: End) -> set[End]:
    parent = fabric.ports[place].stated.parent
    # At a sub-interface somebody is on the wire of the port under it.
    return set(wire_of(fabric, place if parent is None else End(place.device, parent.value)))


def _order(end: End) -> tuple[object, ...]:
    return natural(end.device), natural(end.port)
