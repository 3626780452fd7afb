"""Who hears whom in one fabric, without a list of pairs.

A *sender* is what hosts that send alike have in common, an *ear* what those have in common that
hear alike. In plain regions that is the region; elsewhere an ear is a place, and a sender is
followed by a flood (`regions` tells why). `Hearing.hearers` gives the ears that hear a sender.
Whoever asks leaves out pairs of hosts at one port: these share a wire.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import NamedTuple

from inkov.effects.regions import Hub, Regions
from inkov.forwarding import BridgePort, Fabric
from inkov.forwarding.reach import Flood, Sending, flood, views_at
from inkov.forwarding.stations import Interface
from inkov.levels import Level
from inkov.proofs.leaks import audible, sendings_of
from inkov.proofs.seats import Seat
from inkov.vlanset import bits, union
from inkov.wiring import End

__all__ = ["Budget", "Ear", "Hearing", "Kinds", "Sender", "TooMuch"]


class TooMuch(Exception):
    """More places would have to be followed one by one than was allowed."""


class Budget:
    """How many floods may still be made, for several `Hearing`s together."""

    def __init__(self, floods: int) -> None:
        self.left = floods

    def spend(self) -> None:
        """Note one flood. Raises TooMuch where there were enough."""
        self.left -= 1
        if self.left < 0:
            raise TooMuch


class Sender(NamedTuple):
    """What hosts that send alike have in common.

    `regions` are those that their frames start in. `shields` are the hubs, each in a region without
    a circle, where they come in by a protected port. `frames` are there where one of the regions is
    not plain: they have to be followed.
    """

    regions: frozenset[int]
    shields: frozenset[Hub] = frozenset()
    frames: tuple[Sending, ...] = ()


class Place(NamedTuple):
    """The VIDs that are heard on a bridge; `port` is the bridge port where not every port of the
    bridge would do: a protected one, or one with a link. Else it is -1.
    """

    bridge: int
    mask: int
    port: int


class Ear(NamedTuple):
    """What hosts that hear alike have in common: the plain regions that they hear as a whole, and
    places that are to be looked at.
    """

    regions: frozenset[int]
    places: tuple[Place, ...] = ()


class Kinds:
    """Seats that send and hear alike at any level: `of` has the number of each seat's kind, `shown`
    one seat of each, `wires` the ends of these.

    Nearly all ports are alone on their wire, have no link and are not protected; such ports of one
    bridge are alike if their views are.
    """

    def __init__(self, fabric: Fabric, seats: Iterable[Seat]) -> None:
        self.of: dict[Seat, int] = {}
        self.shown: list[Seat] = []
        self.wires: list[End] = []
        known: dict[object, int] = {}
        linked, ports = fabric.wiring.of, fabric.bridge_ports
        for seat in seats:
            port = ports[seat.port]
            key: object = seat
            alone = len(fabric.at[port.end]) == 1 and port.end not in linked
            # Plain host ports of one view are alike; any other stands for itself.
            if alone and not port.view.protected:
                key = port.bridge, port.view, port.on_request, port.outer, seat.tag, seat.also
            kind = known.setdefault(key, len(self.shown))
            if kind == len(self.shown):
                self.shown.append(seat)
                self.wires.append(port.end)
            self.of[seat] = kind


class Hearing:
    """Who hears whom. What is sent is of the level of `regions`, hearers are of `level`: routers
    are never hostile, and hostile hosts hear them.
    """

    def __init__(self, regions: Regions, kinds: Kinds, level: Level, budget: Budget) -> None:
        self.regions = regions
        self.fabric: Fabric = regions.fabric
        self.kinds = kinds
        self.level = level
        self.budget = budget
        self._ears: dict[object, Ear] = {}
        self._same: dict[Ear, Ear] = {}
        self._senders: dict[object, Sender] = {}
        self._by_region: dict[int, list[Ear]] = {}
        self._placed: dict[int, list[Ear]] = {}  # by region, those with a place in it
        self._on_bridge: dict[int, list[Ear]] = {}
        self._hearers: dict[Sender, frozenset[Ear]] = {}
        self._floods: dict[tuple[Sending, ...], Flood] = {}
        self._shared: dict[int, int] = {}
        for ear in dict.fromkeys(map(self.ear, kinds.shown)):
            self._list(ear)

    # --- those that hear --------------------------------------------------------------------------

    def ear(self, seat: Seat) -> Ear:
        """What a seat hears. Of one that stands for several tags, one tag is as good as any."""
        fabric, regions = self.fabric, self.regions
        kind = self._kind(seat, self.level)
        # Seats of one kind hear the same.
        if kind not in self._ears:
            plain: set[int] = set()
            places: list[Place] = []
            for number, mask in audible(fabric, seat._replace(also=0), self.level).items():
                port = fabric.bridge_ports[number]
                numbers = {regions.of(port.bridge, vid) for vid in bits(mask)} - {-1}
                # A port that does not hear all of its bridge is a place of its own.
                if self._is_apart(port):
                    places.append(Place(port.bridge, mask, number))
                elif not all(regions.is_plain(region) for region in numbers):
                    # In a region that is not plain, who hears has to be looked at.
                    places.append(Place(port.bridge, mask, -1))
                else:
                    plain |= numbers
            ear = Ear(frozenset(plain), tuple(places))
            self._ears[kind] = self._same.setdefault(ear, ear)
        return self._ears[kind]

    def _kind(self, seat: Seat, level: Level) -> object:
        """What seats that are alike at a level have in common. Hostile hosts send and hear whatever
        their wire does: a trunk that is left at everything has thousands of them.
        """
        kind = self.kinds.of[seat]
        return self.kinds.wires[kind] if level == Level.HOSTILE else kind

    def _is_apart(self, port: BridgePort) -> bool:
        """True for a port that does not hear whatever is on its bridge."""
        return port.view.protected or port.end in self.fabric.wiring.of

    def _list(self, ear: Ear) -> None:
        for region in ear.regions:
            self._by_region.setdefault(region, []).append(ear)
        placed = {
            self.regions.of(place.bridge, vid) for place in ear.places for vid in bits(place.mask)
        }
        for region in placed:
            self._placed.setdefault(region, []).append(ear)
        for bridge in {place.bridge for place in ear.places}:
            self._on_bridge.setdefault(bridge, []).append(ear)

    def hearers(self, sender: Sender) -> frozenset[Ear]:
        """The ears that hear something of a sender. TooMuch if that would be one flood too many."""
        # Asked once for each sender.
        if sender not in self._hearers:
            # What has to be followed is followed; else the region tells.
            ears = self._of_flood(sender) if sender.frames else self._of_regions(sender)
            self._hearers[sender] = frozenset(ears)
        return self._hearers[sender]

    def _of_regions(self, sender: Sender) -> Iterator[Ear]:
        placed: dict[Ear, None] = {}  # each is looked at once, in however many regions it has ears
        for region in sender.regions:
            # All plain ears of the region hear it.
            yield from self._by_region.get(region, ())
            placed |= dict.fromkeys(self._placed.get(region, ()))
        for ear in placed:
            if any(self._hears_region(place, sender) for place in ear.places):
                yield ear

    def _hears_region(self, place: Place, sender: Sender) -> bool:
        """Whether a place hears a sender in plain regions, protected from one another or not."""
        protected = place.port >= 0 and self.fabric.bridge_ports[place.port].view.protected
        return any(
            self.regions.of(place.bridge, vid) in sender.regions
            and not (protected and (place.bridge, vid) in sender.shields)
            for vid in bits(place.mask)
        )

    def _of_flood(self, sender: Sender) -> Iterator[Ear]:
        spread = self.spread(sender)
        touched: set[int] = set()
        for bridge in spread.bridges:
            # On the bridges that frames got to.
            present = spread.present(bridge)
            touched |= {self.regions.of(bridge, vid) for vid in bits(present)}
            for ear in self._on_bridge.get(bridge, ()):
                if any(self._hears_flood(place, spread) for place in ear.places):
                    yield ear
        for region in touched:  # a plain one is full of what gets into it at all
            yield from self._by_region.get(region, ())

    def _hears_flood(self, place: Place, spread: Flood) -> bool:
        # Whatever is on the bridge is heard there.
        if place.port < 0:
            return bool(spread.present(place.bridge) & place.mask)
        port = self.fabric.bridge_ports[place.port]
        leaving = union(spread.leaving(port, view) for view in views_at(port, self.level))
        return bool(leaving & place.mask)

    # --- those that send --------------------------------------------------------------------------

    def sender(self, seat: Seat) -> Sender:
        """What a host in a seat sends."""
        kind = self._kind(seat, self.regions.level)
        if kind not in self._senders:
            sendings = sendings_of(self.fabric, [seat._replace(also=0)], self.regions.level)
            self._senders[kind] = self._sender(sendings)
        return self._senders[kind]

    def router(self, interface: Interface) -> Sender:
        """What a router sends by an interface."""
        return self._sender([Sending(-1, 1 << interface.vid, interface.bridge)])

    def _sender(self, sendings: list[Sending]) -> Sender:
        fabric, regions = self.fabric, self.regions
        starts: set[int] = set()
        shields: set[Hub] = set()
        free: set[Hub] = set()  # hubs that some of it gets to by a port that is not protected
        for number, mask, bridge, _ in sendings:
            protected = number >= 0 and fabric.bridge_ports[number].view.protected
            for vid in bits(mask & fabric.bridges[bridge].live):
                region = regions.of(bridge, vid)
                starts.add(region)
                # Not shielded, once some of it came in by another port.
                if not protected:
                    free.add((bridge, vid))
                elif not regions.goes_round(region):
                    # Where there is a circle it comes back by another port.
                    shields.add((bridge, vid))
        frames: tuple[Sending, ...] = ()
        # One region that is not plain, and all of it is followed.
        if not all(regions.is_plain(region) for region in starts):
            frames = tuple(sorted(map(self._anybody, sendings)))
            shields = set()
        return Sender(frozenset(starts - {-1}), frozenset(shields - free), frames)

    def _anybody(self, sending: Sending) -> Sending:
        """What is sent by a port, in any form, as any other port like it on the bridge would."""
        sending = sending._replace(tagged=0)
        # What a router sends is anybody's.
        if sending.port < 0:
            return sending
        port = self.fabric.bridge_ports[sending.port]
        # By a port with a link it does not come back.
        if port.end in self.fabric.wiring.of:
            return sending
        # Unprotected: as sent by any such port of the bridge.
        if not port.view.protected:
            return sending._replace(port=-1)
        return sending._replace(port=self._shared.setdefault(port.bridge, port.number))

    def spread(self, sender: Sender) -> Flood:
        """Where the frames of a sender get to that have to be followed."""
        if sender.frames not in self._floods:
            self.budget.spend()
            self._floods[sender.frames] = flood(self.fabric, sender.frames, self.regions.level)
        return self._floods[sender.frames]

    def gets_to(self, sender: Sender, interface: Interface) -> bool:
        """Whether frames of a sender get to a routed interface."""
        bridge = interface.bridge
        # A routed port hears no bridge.
        if bridge < 0:
            return False
        # Followed by a flood; else by its regions.
        if sender.frames:
            return bool(self.spread(sender).present(bridge) & interface.hears)
        return any(self.regions.of(bridge, vid) in sender.regions for vid in bits(interface.hears))
