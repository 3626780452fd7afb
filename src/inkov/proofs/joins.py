"""Do members of a VLAN hear each other (FM 6.6)?

First by links alone: if links that pass the VLAN both ways under its number join all its bridges,
and every member sends and hears plainly, no flood is needed. Otherwise exactly, by the closure of
each group of members whose frames go the same ways.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from functools import cached_property
from itertools import permutations
from typing import Any

from inkov.forwarding import BridgePort, Fabric
from inkov.forwarding.areas import areas, by_area
from inkov.forwarding.assumptions import passed_by
from inkov.forwarding.domains import Domains, Island, breaks, islands
from inkov.forwarding.outlets import inside_only, outlets
from inkov.forwarding.reasons import why_stopped
from inkov.forwarding.serve import served
from inkov.levels import Level
from inkov.proofs.answers import Answer, Certificate, Joined, Split
from inkov.proofs.certificate import Joined as Linked
from inkov.proofs.certificate import Passing, certified, passing, spanning, way_of
from inkov.proofs.leaks import closure, find_leak, leak_steps, reached
from inkov.proofs.search import Search, silent
from inkov.proofs.seats import Seat
from inkov.vlanset import bit

__all__ = ["Joins"]

_MOST_PAIRS = 200  # of members of a join whose ways to each other are certified one by one
_SHOWN = 4  # islands of a VLAN, of which five switches each are named


class Joins:
    """Judges joins. Hosts are honest here: what one could do is no connection."""

    def __init__(self, fabric: Fabric) -> None:
        self.fabric = fabric

    @cached_property
    def _passing(self) -> Passing:
        return passing(self.fabric)

    @cached_property
    def _outlets(self) -> dict[int, list[BridgePort]]:
        """The sub-interfaces with somebody behind them, by their tags (FM 6.8)."""
        by_tag: dict[int, list[BridgePort]] = {}
        for port in outlets(self.fabric):
            by_tag.setdefault(port.outer, []).append(port)
        return by_tag

    @cached_property
    def _members(self) -> list[int]:
        """For each bridge the VIDs with members there, other than by the tags of sub-interfaces."""
        within = inside_only(self.fabric)
        return [
            0 if inside.routed else mask & ~within.get(number, 0)
            for number, (inside, mask) in enumerate(
                zip(self.fabric.bridges, served(self.fabric), strict=True)
            )
        ]

    def _places(self, vid: int, bridges: Sequence[int]) -> set[int]:
        """Where members of a VLAN on some bridges are, as `spanning` has places."""
        places = {bridge for bridge in bridges if self._members[bridge] >> vid & 1}
        for port in self._outlets.get(vid, ()):
            if port.bridge in bridges:
                # Untagged inside, it goes on under the number of its bridge.
                own = port.view.untagged & port.view.emit == bit(vid)
                places.add(port.bridge if own else Linked.behind(self.fabric, port))
        return places

    def judge(self, seats: frozenset[Seat], search: Search) -> Answer:
        """Whether some seats all hear each other. `search` notes what the answer rests on."""
        # One seat that stands for several tags would hear itself.
        seats = frozenset(own for seat in seats for own in seat.one_by_one())
        by_links = self._plainly(seats, search)
        if by_links is not None:
            return Joined(number=len(seats), certificate=by_links)
        for group in self._groups(seats):
            spread = closure(self.fabric, group, Level.HONEST)
            search.assume_about(passed_by(spread))
            own = {seat.port for seat in group}
            # A host alone in its group need not hear itself, but others on its own port.
            others = [seat for seat in seats if seat.port not in own or len(group) > 1]
            deaf = set(others) - set(reached(self.fabric, spread, others, Level.HONEST))
            if deaf:
                other = min(deaf)
                # Whom to show: at another port, if there is one.
                one = min((seat for seat in group if seat.port != other.port), default=min(group))
                sides = frozenset([one]), frozenset([other])
                answer = silent(self.fabric, *sides, search.level)
                answer.certificate = self._not_heard(one, other) or {}
                return answer
        return Joined(number=len(seats), certificate=self._each_way(seats))

    def _each_way(self, seats: frozenset[Seat]) -> Certificate:
        """The ways from each member to each other; {} if they are too many or cannot all happen."""
        pairs = [pair for pair in permutations(sorted(seats), 2) if pair[0].port != pair[1].port]
        # Too many to write down: the verdict stands, without a certificate.
        if len(pairs) > _MOST_PAIRS:
            return {}
        leaks = [find_leak(self.fabric, [seat], [other], Level.HONEST) for seat, other in pairs]
        if any(leak.way is None for leak in leaks):
            return {}
        ways = [
            {
                "from": self._named(seat),
                "to": self._named(other),
                "way": way_of(leak_steps(self.fabric, leak)),
            }
            for (seat, other), leak in zip(pairs, leaks, strict=True)
        ]
        return {"ways": ways}

    def _named(self, seat: Seat) -> list[Any]:
        """A seat as certificates name it: its port, and its tag."""
        port = self.fabric.bridge_ports[seat.port]
        return [f"{port.end.device}:{port.port}", seat.tag]

    # --- by links alone ---------------------------------------------------------------------------

    def _plainly(self, seats: frozenset[Seat], search: Search) -> Certificate | None:
        """The links that join hosts in one VLAN; None if links alone do not tell."""
        vids, ports = {seat.vid for seat in seats}, self.fabric.bridge_ports
        # Of two numbers links alone cannot tell.
        if len(vids) != 1:
            return None
        vid = min(vids)
        # Each member must send and hear its VLAN in one form; else exactly.
        for seat in seats:
            view, outer = ports[seat.port].view, ports[seat.port].outer
            both = view.emit & ~view.untagged & view.admit
            if not seat.tag:
                both = view.untagged & bit(view.pvid)
            if view.protected or outer or not both >> vid & 1:
                return None
        return self._linked(vid, {ports[seat.port].bridge for seat in seats}, search)

    def _linked(self, vid: int, bridges: Iterable[int], search: Search) -> Certificate | None:
        """The links that pass a VLAN both ways and join some bridges; None if they do not."""
        joined = spanning(self.fabric, self._passing, vid)
        tops = {joined.top(bridge) for bridge in bridges}
        # Links do not join them: the closures tell.
        if len(tops) > 1:
            return None
        there = {
            bridge.device
            for number, bridge in enumerate(self.fabric.bridges)
            if bridge.live >> vid & 1 and joined.top(number) in tops
        }
        search.assume_about(there)
        return {"edges": joined.edges}

    # --- exactly ----------------------------------------------------------------------------------

    def _groups(self, seats: frozenset[Seat]) -> list[list[Seat]]:
        """Seats whose frames go the same ways: of one VLAN on one bridge, protected or not."""
        groups: dict[tuple[int, int, int, bool], list[Seat]] = {}
        for seat in sorted(seats):
            port = self.fabric.bridge_ports[seat.port]
            key = port.bridge, seat.vid, seat.tag, port.view.protected
            groups.setdefault(key, []).append(seat)
        return list(groups.values())

    def _not_heard(self, one: Seat, target: Seat) -> Certificate | None:
        """Certifies that one seat is not heard in another; None if it is."""
        spread = closure(self.fabric, [one], Level.HONEST)
        if reached(self.fabric, spread, [target], Level.HONEST):
            return None
        closures = [certified(self.fabric, spread, frozenset([target]))]
        return {"from": self._named(one), "to": self._named(target), "closures": closures}

    # --- whole VLANs ------------------------------------------------------------------------------

    @cached_property
    def area(self) -> dict[str, str]:
        """For each device the one that its area of layer 2 is called after (FM 6.7)."""
        return areas(self.fabric)

    def wholes(self, domains: Domains) -> Iterator[tuple[int, str, list[Island]]]:
        """The VLANs with members on several switches of an area, each with the area and its
        islands.
        """
        for vid, parts in islands(self.fabric, domains):
            for area, own in by_area(self.fabric, self.area, parts).items():
                if sum(len(island.bridges) for island in own) > 1:
                    yield vid, area, own

    def whole(
        self,
        vid: int,
        parts: list[Island],
        domains: Domains,
        members: Sequence[Seat],
        search: Search,
    ) -> Joined | Split:
        """Whether the islands of a VLAN are one. `members` are its seats."""
        # One island: the whole VLAN is joined as far as links pass it.
        if len(parts) == 1:
            search.assume_about(self._passed(domains, parts))
            places = self._places(vid, parts[0].bridges)
            certificate = self._linked(vid, places, search) or {}
            number = len(parts[0].bridges)
            return Joined(number=number, switches=True, certificate=certificate)
        search.assume_about(self._passed(domains, parts))
        gaps = breaks(self.fabric, domains, vid, parts)
        shown = "; ".join(", ".join(island.devices(self.fabric)[:5]) for island in parts[:_SHOWN])
        why = why_stopped(self.fabric, gaps[0].link, vid) if gaps else None
        apart = self._parts_apart(parts, members)
        return Split(parts=len(parts), shown=shown, why=why, certificate=apart)

    def _passed(self, domains: Domains, parts: list[Island]) -> set[str]:
        """The devices that frames of some islands pass, in whatever VLAN they are there."""
        inside = self.fabric.bridges
        return {inside[bridge].device for part in parts for bridge in domains.bridges(part.domain)}

    def _parts_apart(self, parts: list[Island], members: Sequence[Seat]) -> Certificate:
        """Certifies that a host of one island is not heard in another.

        Of two islands one may hear the other, one way; so both directions are tried.
        """
        bridge_of = self.fabric.bridge_ports
        inside = [
            [seat for seat in members if bridge_of[seat.port].bridge in island.bridges]
            for island in parts
        ]
        hosts = [min(own) for own in inside if own][:_SHOWN]
        for one, other in permutations(dict.fromkeys(hosts), 2):
            certificate = self._not_heard(one, other)
            # The other direction may still be heard; one that is not is enough.
            if certificate is not None:
                return certificate
        return {}
