"""What a certificate holds of the engine's findings: closures, and links that join bridges.
`verifier` reads them.
"""

from __future__ import annotations

from collections.abc import Collection
from typing import NamedTuple

from inkov.forwarding import BridgePort, Fabric
from inkov.forwarding.follow import Step
from inkov.forwarding.outlets import outside_name, passing_as
from inkov.forwarding.reach import Flood
from inkov.proofs.seats import Seat
from inkov.vlanset import bits_to_text

__all__ = ["Passing", "certified", "passing", "spanning", "taken", "way_of"]


def taken(fabric: Fabric) -> dict[str, dict[str, object]]:
    """What the files were taken to say of each port that is up, by the attributes of FM 2.1: to be
    held against the switch.
    """
    return {
        f"{port.end.device}:{port.port}": {
            "pvid": port.view.pvid or None,
            "admit": bits_to_text(port.view.admit),
            "emit": bits_to_text(port.view.emit),
            "untagged": bits_to_text(port.view.untagged),
            **({"protected": True} if port.view.protected else {}),
        }
        for port in fabric.bridge_ports
        if not fabric.is_implied(port)
    }


def way_of(steps: list[Step]) -> list[dict[str, object]]:
    """A witness as the verifier reads it."""
    return [
        {
            "switch": s.switch,
            "port": s.port,
            "event": s.event,
            "vlan": s.vlan if s.within is None else s.within,
        }
        for s in steps
    ]


Pair = tuple[int, int, int]


class Passing(NamedTuple):
    """Pairs of bridge ports and the VIDs, as a mask, that pass between them both ways: under one
    number in `plain`, as the tag of a sub-interface in `tagged` (FM 6.8).
    """

    plain: list[Pair]
    tagged: list[Pair]


def passing(fabric: Fabric) -> Passing:
    """What links pass both ways."""
    plain: dict[tuple[int, int], int] = {}
    tagged: dict[tuple[int, int], int] = {}
    ports = fabric.bridge_ports
    for sender, crossings in fabric.crossings.items():
        # A protected port does not pass what comes from another one: no link to join by.
        for crossing in crossings if not ports[sender].view.protected else ():
            for to, mask in crossing.same:
                plain[sender, to] = plain.get((sender, to), 0) | mask
            receivers = [to for to, _ in crossing.same] + [
                translation.to for translation in crossing.translations
            ]
            for to in receivers:
                tag = ports[sender].outer or ports[to].outer
                # With a tag outside, the link passes the VLAN by that of the sub-interface.
                if tag and passing_as(fabric, ports[sender], crossing, to) >> tag & 1:
                    tagged[sender, to] = 1 << tag
    return Passing(_both_ways(plain), _both_ways(tagged))


def _both_ways(ways: dict[tuple[int, int], int]) -> list[Pair]:
    return [
        (sender, to, mask & ways.get((to, sender), 0))
        for (sender, to), mask in sorted(ways.items())
        if sender < to
    ]


class Joined(NamedTuple):
    """Links that join the bridges of a VLAN without a cycle, each passing it both ways; and for
    each bridge another one to which it is joined, up to one that stands for all of them. What is
    behind a sub-interface by whose tag the VLAN passes is a place of its own (`behind`).
    """

    edges: list[list[str]]
    root: dict[int, int]

    def top(self, place: int) -> int:
        root = self.root
        # The first of a run of places stands for all of them.
        while root.get(place, place) != place:
            root[place] = place = root.get(root[place], root[place])
        return place

    @staticmethod
    def behind(fabric: Fabric, port: BridgePort) -> int:
        """The place behind a sub-interface, by whose tag a VLAN passes: its bridge, where the VLAN
        inside is no other than that of the tag.
        """
        inner = port.view.pvid
        if inner and outside_name(fabric, port.bridge, inner) == port.outer:
            return port.bridge
        return -1 - port.number


def spanning(fabric: Fabric, both_ways: Passing, vid: int) -> Joined:
    """Joins the bridges of a VLAN as far as links pass it both ways. A port is on one of them only:
    what comes in by it does not leave by it (FM 3.5), so that two links at one port join nothing.
    """
    ports = fabric.bridge_ports
    joined, used = Joined([], {}), set[int]()

    def place(number: int, *, by_tag: bool) -> int:
        port = ports[number]
        # By a tag, what is behind the sub-interface is joined, not its bridge.
        return Joined.behind(fabric, port) if by_tag and port.outer else port.bridge

    for pairs, by_tag in ((both_ways.plain, False), (both_ways.tagged, True)):
        for sender, to, mask in pairs:
            if mask >> vid & 1 and used.isdisjoint((sender, to)):
                one = joined.top(place(sender, by_tag=by_tag))
                other = joined.top(place(to, by_tag=by_tag))
                # Joined already: a cycle would say no more.
                if one != other:
                    joined.root[one] = other
                    used |= {sender, to}
                    joined.edges.append(
                        [f"{ports[n].end.device}:{ports[n].port}" for n in (sender, to)]
                    )
    return joined


def certified(
    fabric: Fabric, spread: Flood, targets: frozenset[Seat]
) -> dict[str, dict[str, object]]:
    """A closure as the verifier reads it: for each bridge the VIDs that can be there, and what
    comes in by one port alone, so that it does not leave by it.
    """
    aimed = {number for seat in targets for number in fabric.at[fabric.bridge_ports[seat.port].end]}
    stated: dict[str, dict[str, object]] = {}
    for number, inside in enumerate(fabric.bridges):
        present = spread.present(number)
        if not present:
            continue
        entry: dict[str, object] = {"vids": bits_to_text(present)}
        only = {}
        for port in inside.ports:
            alone = spread.alone(number, port)
            # Where no link or listener is, nothing can leave, so nothing has to be said of it.
            if alone and (port in fabric.crossings or port in aimed):
                only[fabric.bridge_ports[port].port] = bits_to_text(alone)
        if only:
            entry["only"] = only
        if spread.shielded(number):
            entry["shielded"] = bits_to_text(spread.shielded(number))
        stated[f"{inside.device}|{inside.name}"] = entry
    return stated


def links_around(
    fabric: Fabric, both_ways: Passing, vid: int, bridges: Collection[int]
) -> list[list[str]]:
    """All links that pass a VLAN both ways and hang together with some bridges, each as its two
    ports; of those at one port the first (FM 3.5).
    """
    ports, used = fabric.bridge_ports, set[int]()
    links: dict[int, list[tuple[int, int]]] = {}
    for sender, to, mask in both_ways.plain:
        # A port that is on one link is on no other: what came in by it does not leave by it.
        if mask >> vid & 1 and sender not in used and to not in used:
            used |= {sender, to}
            for number in (sender, to):
                links.setdefault(ports[number].bridge, []).append((sender, to))
    seen, work = set(bridges), list(bridges)
    pairs: set[tuple[int, int]] = set()
    while work:
        for pair in links.get(work.pop(), ()):
            pairs.add(pair)
            new = {ports[number].bridge for number in pair} - seen
            seen |= new
            work += new
    return [[f"{ports[n].end.device}:{ports[n].port}" for n in pair] for pair in sorted(pairs)]
