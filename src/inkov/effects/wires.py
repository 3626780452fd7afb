"""Hosts and neighbours whose wire leads elsewhere after a change.

Pairs are compared port by port, and whoever is on the wire of a link is at both its ends (FM 4.9).
Where the link goes and its ports stay, no pair of ports differs by that, and still somebody is cut
off. Who that is, is told here; what it comes to is not worked out.
"""

from __future__ import annotations

from collections.abc import Iterator

from inkov.campus import natural
from inkov.forwarding import Fabric
from inkov.wiring import End
from inkov.words import both

__all__ = ["on_other_wires"]

Someone = tuple[str, End]
"""A host or a neighbour: its name, and the port that a table or report puts it at."""


def on_other_wires(old: Fabric, new: Fabric) -> Iterator[str]:
    """For each that is at the same port before and after, and whose wire leads to other ports as
    well, or to fewer: that it does, in words.
    """
    before, after = _wires(old), _wires(new)
    for name, place in sorted(before.keys() & after.keys(), key=_order):
        was, now = before[name, place], after[name, place]
        # A port that is shut or gone is told with those who were at it.
        gone = [end for end in was - now if new.at.get(end)]
        come = [end for end in now - was if old.at.get(end)]
        told = [
            *(f"to {end} no more" for end in sorted(gone, key=_place)),
            *(f"to {end} now" for end in sorted(come, key=_place)),
        ]
        if told:
            yield (
                f"what {name} at {place} gains or loses is not worked out:"
                f" its wire leads {both(told)}"
            )


def _wires(fabric: Fabric) -> dict[Someone, set[End]]:
    """For each host and neighbour the ports whose frames it hears."""
    someone = [(host.name, End(host.device, host.port)) for host in fabric.campus.hosts]
    someone += [(outside.far, outside.near) for outside in fabric.wiring.outside]
    return {(name, place): _wire(fabric, place) for name, place in someone if place in fabric.ports}


def _wire(fabric: Fabric, place: End) -> set[End]:
    parent = fabric.ports[place].stated.parent
    # At a sub-interface somebody is on the wire of the port under it.
    own = fabric.end_of(place.device, place.port if parent is None else parent.value)
    return {own, *(fabric.wiring.around(own) if own in fabric.wiring.attended else ())}


def _order(someone: Someone) -> tuple[object, ...]:
    return natural(someone[0]), *_place(someone[1])


def _place(end: End) -> tuple[object, ...]:
    return natural(end.device), natural(end.port)
