"""One side of a comparison: a fabric with its seats, by names that both sides have in common."""

from __future__ import annotations

from functools import cached_property
from typing import NamedTuple

from inkov.effects.hearing import Budget, Hearing, Kinds
from inkov.effects.regions import Regions
from inkov.effects.routing import RoutedReach
from inkov.forwarding import Fabric
from inkov.forwarding.domains import Domains, domains
from inkov.forwarding.routers import Routers
from inkov.levels import Level
from inkov.plan import Plan, vlan_names
from inkov.proofs.alike import idle_classes, vids_alike
from inkov.proofs.leaks import audible, sendings_of
from inkov.proofs.seats import HostSeats, Seat, all_seats
from inkov.proofs.vid_reach import VidReach
from inkov.vlanset import union

__all__ = ["SeatName", "Side", "idle_in_both"]


class SeatName(NamedTuple):
    """A seat by the names of its switch and port, and its tags, as `proofs.seats.Seat` has them."""

    switch: str
    port: str
    tag: int
    also: int


def idle_in_both(old: tuple[Fabric, Plan], new: tuple[Fabric, Plan]) -> list[int]:
    """The VLANs that nobody uses on either side, those together of which frames go the same ways on
    both (`proofs.alike`). None are taken together where they would have to be told apart often.
    """
    both = [idle_classes(f, plan, vlan_names(plan, f.campus)) for f, plan in (old, new)]
    classes = [one & other for one in both[0] for other in both[1] if one & other]
    # Nobody is idle on both sides: nothing to take together.
    return vids_alike(classes, [old[0], new[0]]) if classes else []


class Side:
    """A fabric with its plan. `idle` are VLANs of which one seat stands for several."""

    def __init__(self, fabric: Fabric, plan: Plan, idle: list[int]) -> None:
        self.fabric = fabric
        self.plan = plan
        ports = fabric.bridge_ports
        self.seats: dict[SeatName, Seat] = {}
        for seat in all_seats(fabric, idle):
            port = ports[seat.port]
            self.seats[SeatName(port.end.device, port.port, seat.tag, seat.also)] = seat
        self.kinds = Kinds(fabric, self.seats.values())
        self._regions: dict[Level, Regions] = {}
        self._known_routers: dict[Level, Routers] = {}

    @cached_property
    def domains(self) -> Domains:
        return domains(self.fabric)

    @cached_property
    def hosts_at(self) -> dict[Level, dict[SeatName, list[str]]]:
        """The hosts of tables by the seats that they are in: honest ones in their form, hostile
        ones in any on their wire.
        """
        at: dict[Level, dict[SeatName, list[str]]] = {level: {} for level in Level}
        hosts = self.fabric.campus.hosts
        names = {seat: name for name, seat in self.seats.items()} if hosts else {}
        places = HostSeats(self.fabric, names)
        for host in hosts:
            for level, seats in zip((Level.HONEST, Level.HOSTILE), places.of(host), strict=True):
                for seat in seats:
                    at[level].setdefault(names[seat], []).append(host.name)
        return at

    def regions(self, level: Level) -> Regions:
        # Regions cost much: made once for each level.
        if level not in self._regions:
            self._regions[level] = Regions(self.fabric, self.kinds.shown, level)
        return self._regions[level]

    def hearing(self, level: Level, budget: Budget) -> Hearing:
        """Who hears what hosts of a level send."""
        return Hearing(self.regions(level), self.kinds, level, budget)

    def routed(self, level: Level, hearing: Hearing, budget: Budget) -> RoutedReach:
        """Who is reached by routers. They are honest, and so is what they send."""
        sent = (
            hearing
            if level == Level.HONEST
            else Hearing(self.regions(Level.HONEST), self.kinds, level, budget)
        )
        return RoutedReach(self._routers(level), hearing, sent)

    def _routers(self, level: Level) -> Routers:
        """The routers that are up at a level: the same at both, where nobody gets on request what
        would have one up (FM 5.2).
        """
        asked = any(port.on_request for port in self.fabric.bridge_ports)
        level = level if asked else Level.HONEST
        if level not in self._known_routers:
            self._known_routers[level] = Routers(self.fabric, self.domains, level)
        return self._known_routers[level]

    @cached_property
    def hostile_gain_nothing(self) -> bool:
        """Whether a hostile host gets nothing that an honest one does not: each takes and sends the
        frames of one form, as its port does; no link would show a tag that such frames hide; and no
        filter goes by the address that a packet says it is from.
        """
        fabric = self.fabric
        # Who asks gets more than an honest host.
        if any(port.on_request for port in fabric.bridge_ports):
            return False
        sent = 0
        for seat in self.kinds.shown:
            honest, hostile = (sendings_of(fabric, [seat], level) for level in Level)
            # It can send or hear what an honest one does not.
            if honest != hostile or audible(fabric, seat, Level.HONEST) != audible(
                fabric, seat, Level.HOSTILE
            ):
                return False
            sent |= union(sending.mask for sending in honest)
        alive = VidReach(fabric, self.kinds.shown, Level.HOSTILE).spread(sent)
        shows = any(
            crossing.lured or any(leaves & alive for _, leaves, _ in crossing.hidden)
            for crossings in fabric.crossings.values()
            for crossing in crossings
        )
        filtered = any(
            interface.filters_in or interface.filters_out
            for interface in self._routers(Level.HONEST).up
        )
        return not shows and not filtered

    def wire(self, name: SeatName) -> tuple[str, str]:
        """The switch and the port whose wire a seat is on: that under a sub-interface."""
        end = self.fabric.bridge_ports[self.seats[name].port].end
        return end.device, end.port
