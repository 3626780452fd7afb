"""A ticket: one place does not reach another. What keeps them apart, and what would cure it.

## Theory of operation

A ping is a chain of needs (`forwarding.ping`), and the first that fails says where to look: a host
that has no gateway, a gateway that is down, a VLAN that ends on the way. For each such need there
are a few *proposals*: edits that could cure it. They are tried: the whole campus is resolved with
them, and the ping made again. It may fail later now, and proposals for that are added. Sets of
edits are tried in the order of their size, so the first that works is the smallest that proposals
lead to; edits that it can do without are left out again.

Nothing is guessed of hosts: a mask or a gateway is proposed only where an interface of a router, in
the host's own VLAN or with its subnet, says what it should be; and a port is moved to another VLAN
only where the host's address, or the other end, says that it belongs there.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Sequence
from functools import cached_property
from heapq import heappop, heappush
from ipaddress import ip_interface
from typing import Any, NamedTuple

from msgspec import Struct, field
from msgspec.structs import replace

from inkov.campus import Address, Fact, Host, Mode
from inkov.edits import Edit, apply
from inkov.edits.make import gateway_edit, host_edit, of_port
from inkov.forwarding import Fabric, resolve
from inkov.forwarding.ping import Need, Part, Ping, ping
from inkov.forwarding.stations import Interface, interfaces
from inkov.forwarding.trees.active import are_stated, now
from inkov.mend.links import definition
from inkov.mend.trial import trial
from inkov.mend.ways import Ways
from inkov.plan import Plan
from inkov.vlanset import VlanSet
from inkov.wiring import End, wire

__all__ = ["Answer", "Judged", "Ticket", "judged", "vid_of"]

_MOST_TRIALS = 40
_MOST_ALIKE = 6  # sets of edits as small as the first that does, which are tried as well
_FEW_SWITCHES = 200


class Judged(Struct):
    """Whether two places reach each other on a campus; the ping that tells, what forwards, and what
    it rests on. With spanning trees that are sure, it is about now.
    """

    works: bool
    ping: Ping
    forwards: Fabric
    by_tree: bool
    notes: list[str] = field(default_factory=list)

    @property
    def failing(self) -> Part | None:
        """The first need that is not met."""
        return next((part for part in self.ping.parts if not part.holds), None)


def judged(fabric: Fabric, one: Host, other: Host) -> Judged:
    """Whether two hosts reach each other: by the spanning trees if they are sure, else over all
    links.
    """
    over_all = ping(fabric, one, other)
    trees = now(fabric) if over_all.works and are_stated(fabric) else None
    # Trees that block nothing change nothing.
    if trees is None or not trees.blocks:
        return Judged(over_all.works, over_all, fabric, by_tree=False)
    # A guess about the tree is no answer about now.
    if not trees.sure:
        notes = [f"The spanning tree is not sure: {doubt}." for doubt in trees.doubts]
        notes = notes or ["Chance decides which links the spanning tree blocks."]
        return Judged(True, over_all, fabric, by_tree=False, notes=notes)
    in_tree = ping(trees.first, one, other)
    return Judged(in_tree.works, in_tree, trees.first, by_tree=True)


class Answer(Struct):
    """The answer to a ticket: how it is, and if it does not work the edits that cure it, as the
    campus is then (`cured`). `smallest`: fewer were tried and do not do. Without `edits` none are
    known.
    """

    before: Judged
    edits: list[Edit] = field(default_factory=list)
    cured: Fabric | None = None
    after: Judged | None = None
    smallest: bool = True


class _Tried(NamedTuple):
    """A set of edits to try: how many edits on how many switches, and the how manieth it is."""

    cost: tuple[int, int]
    number: int
    edits: tuple[Edit, ...]


class Ticket:
    """That one host does not reach another on a campus."""

    def __init__(self, fabric: Fabric, one: Host, other: Host) -> None:
        self.fabric = fabric
        self.one = one
        self.other = other

    @cached_property
    def before(self) -> Judged:
        """Whether it works."""
        return judged(self.fabric, self.one, self.other)

    def cured_by(self, cures: Iterable[Sequence[Edit]]) -> Answer:
        """The first of some cures of other things that cures it as well; of several at once that do
        the edits that are needed.
        """
        answer = Answer(self.before, smallest=False)
        every: list[Edit] = []
        for edits in cures:
            every += edits
            fabric, state = self._with(edits)
            # The first cure that does.
            if state.works:
                break
        else:
            edits = _followed_by(every, ())
            fabric, state = self._with(edits)
        # What it takes of it, and no more.
        if state.works:
            answer.edits, answer.cured, answer.after = self._thinned(list(edits), fabric, state)
        return answer

    def answer(self) -> Answer:
        """Whether it works; if not, the fewest edits that cure it, as far as proposals lead; of
        several sets on the fewest switches, and of these the one that opens least.
        """
        before, answer = self.before, Answer(self.before)
        # Nothing to cure.
        if before.works:
            return answer
        waiting = [_Tried((0, 0), 0, ())]
        seen: set[frozenset[Any]] = {frozenset()}
        trials = number = 0
        while waiting and trials < _MOST_TRIALS:
            tried = heappop(waiting)
            fabric, state = self._with(tried.edits)
            trials += 1
            # Sets come by size: none that is smaller does.
            if state.works:
                chosen = self._least_opening(tried, fabric, state, waiting)
                answer.edits, answer.cured, answer.after = self._thinned(*chosen)
                return answer
            for more in self._proposals(fabric, state):
                edits = _followed_by(tried.edits, more)
                key = frozenset(_key(edit) for edit in edits)
                # Not more than before, or tried in another order.
                if len(edits) > len(tried.edits) and key not in seen:
                    seen.add(key)
                    number += 1
                    switches = len({edit.switch for edit in edits})
                    heappush(waiting, _Tried((len(edits), switches), number, edits))
        answer.smallest = not waiting
        return answer

    def _least_opening(
        self, tried: _Tried, fabric: Fabric, state: Judged, waiting: list[_Tried]
    ) -> tuple[list[Edit], Fabric, Judged]:
        """Of a set of edits that cures it, and those waiting that are as small, the one that cuts
        nobody off and opens least. On a large campus each trial takes long: there the first.
        """
        cures = [(list(tried.edits), fabric, state)]
        alike = sorted(candidate for candidate in waiting if candidate.cost == tried.cost)
        few = len(self.fabric.campus.devices) <= _FEW_SWITCHES
        for candidate in alike[:_MOST_ALIKE] if few else ():
            then, how = self._with(candidate.edits)
            if how.works:
                cures.append((list(candidate.edits), then, how))
        # The only one of its size.
        if len(cures) == 1:
            return cures[0]
        opened = [_opened_by(self.fabric, cured) for _, cured, _ in cures]
        return cures[opened.index(min(opened))]

    def _with(self, edits: Collection[Edit]) -> tuple[Fabric, Judged]:
        """The campus with some edits, and whether it works then."""
        # Nothing changed.
        if not edits:
            return self.fabric, self.before
        campus = apply(self.fabric.campus, edits)
        fabric = resolve(campus, wire(campus))
        hosts = {host.name: host for host in campus.hosts}
        # The edits may be about a host itself; the form of its frames is what was asked.
        one, other = (
            replace(hosts.get(host.name, host), vid=host.vid) for host in (self.one, self.other)
        )
        return fabric, judged(fabric, one, other)

    def _thinned(
        self, edits: list[Edit], cured: Fabric, after: Judged
    ) -> tuple[list[Edit], Fabric, Judged]:
        """The edits without those that are not needed, and the campus with them."""
        for edit in list(edits) if len(edits) > 1 else ():
            fewer = [kept for kept in edits if kept is not edit]
            fabric, state = self._with(fewer)
            # It works without: the edit was not needed.
            if state.works:
                edits, cured, after = fewer, fabric, state
        return edits, cured, after

    # --- proposals --------------------------------------------------------------------------------

    def _proposals(self, fabric: Fabric, state: Judged) -> Iterator[list[Edit]]:
        """Edits that could cure the first need that is not met."""
        part = state.failing
        # Every need is met.
        if part is None:
            return
        for host in (part.here, part.there):
            closed = list(_opened(fabric, host))
            # Frames must get in at all, before anything else.
            if closed:
                yield closed
                return
        yield from _Proposer(fabric, state).of(part)


def _opened_by(before: Fabric, after: Fabric) -> tuple[bool, int, int]:
    """Whether it is not known what edits do besides; how many pairs of ports are apart then, and
    how many reach each other that did not.
    """
    done = trial(before, after, Plan())
    lost, gained = (
        sum(len(effect.row.sources) * len(effect.row.targets) for effect in effects)
        for effects in (done.lost, done.gained)
    )
    return bool(done.undecided), lost, gained


def _key(edit: Edit) -> tuple[Any, ...]:
    after = edit.after.value if isinstance(edit.after, Fact) else edit.after
    return *edit.place, repr(after)


def _followed_by(edits: Collection[Edit], more: Collection[Edit]) -> tuple[Edit, ...]:
    """Edits one after the other; a later one of the same attribute takes the place of an earlier
    one.
    """
    by_place = {edit.place: edit for edit in edits}
    for edit in more:
        before = by_place.get(edit.place, edit).before
        by_place[edit.place] = Edit(*edit.place, before, edit.after)
    return tuple(by_place.values())


class _Seat(NamedTuple):
    """Where a host is: the end its frames pass, its bridge, its VLAN (0: none)."""

    end: End
    bridge: int
    vid: int


def _seat(fabric: Fabric, host: Host) -> _Seat | None:
    """None if no frame of the host enters."""
    end = fabric.end_of(host.device, host.port)
    for number in fabric.at.get(end, ()):
        port = fabric.bridge_ports[number]
        # A tag of a sub-interface is another host's.
        if not port.outer:
            return _Seat(end, port.bridge, host.vid or port.view.pvid)
    return None


def vid_of(fabric: Fabric, host: Host) -> int:
    """The VLAN of a host; 0 if none of its frames enters."""
    seat = _seat(fabric, host)
    return seat.vid if seat is not None else 0


def _opened(fabric: Fabric, host: Host) -> Iterator[Edit]:
    """What it takes that frames of a host enter at all: a port that is not shut, a VLAN that its
    switch has.
    """
    end = End(host.device, host.port)
    # No such port.
    if end not in fabric.ports:
        return
    resolved = fabric.ports[end]
    # Shut: it must be up.
    if not resolved.stated.on:
        yield of_port(host.device, resolved.stated, "enabled", True)
    whole = fabric.ports[fabric.end_of(*end)]
    now = whole.completed
    # Tagged frames need the tag on the port's list.
    if host.vid and whole.mode is Mode.TRUNK and host.vid not in now.allowed:
        yield of_port(host.device, whole.stated, "allowed", now.allowed | VlanSet.of(host.vid))
    elif host.vid and whole.mode is Mode.GENERAL and host.vid not in now.tagged:
        yield of_port(host.device, whole.stated, "tagged", now.tagged | VlanSet.of(host.vid))
    intended = host.vid or whole.free.pvid
    # The port is in a VLAN that its switch does not have.
    if intended and not (whole.view.emit if host.vid else whole.view.pvid):
        step = definition(fabric.campus, fabric.device(host.device), intended)
        yield from step.edits if step is not None else ()


class _Proposer:
    def __init__(self, fabric: Fabric, state: Judged) -> None:
        self.fabric = fabric
        self.state = state
        self.ways = Ways(fabric)
        self.interfaces = interfaces(fabric)

    def of(self, part: Part) -> Iterator[list[Edit]]:
        here, there = part.here, part.there
        # The first need that fails says where to look.
        if part.need is Need.NEAR:
            yield from self._near(here, there)
        elif part.need is Need.SET or (part.need is Need.THERE and part.interface is None):
            yield from self._settings(here)
        elif part.need is Need.THERE and part.interface is not None:
            yield from self._up(part.interface, here)
        elif part.need is Need.REACHED and part.interface is not None:
            yield from self._joined(part.interface, here)
            yield from self._settings(here)
        elif part.need is Need.HEARD and part.interface is not None:
            yield from self._joined(part.interface, there)
        elif part.need is Need.ROUTED and part.interface is not None:
            yield from self._known(part.interface, there)

    # --- hosts on one subnet ---

    def _near(self, here: Host, there: Host) -> Iterator[list[Edit]]:
        one, other = _seat(self.fabric, here), _seat(self.fabric, there)
        # One of them cannot send at all.
        if one is None or other is None:
            return
        # In one VLAN: a way is missing.
        if one.vid == other.vid:
            yield from self._ways(one.bridge, other.bridge, one.vid)
            return
        homes = self._home(here), self._home(there)
        # Moved only to where the address does not say otherwise.
        if homes[1] in (one.vid, None):
            yield from self._moved(there, one.vid)
        if homes[0] in (other.vid, None):
            yield from self._moved(here, other.vid)
        if homes == (one.vid, other.vid):  # each where it belongs: they are not near
            yield from self._settings(here)
            yield from self._settings(there)

    def _home(self, host: Host) -> int | None:
        """The VLAN of a host's subnet, by the interfaces of routers; None if none has it."""
        # Without an address nothing says where it belongs.
        if host.address is None:
            return None
        vids = {
            interface.vlan
            for interface in self.interfaces
            for fact in interface.addresses
            if host.address.ip in fact.value.network and interface.vlan is not None
        }
        # Several VLANs have the subnet: which one is not known.
        return vids.pop() if len(vids) == 1 else None

    def _moved(self, host: Host, vid: int) -> Iterator[list[Edit]]:
        """A host's port in another VLAN."""
        # Tagged, or in no VLAN: the port decides nothing.
        if host.vid or not vid:
            return
        resolved = self.fabric.ports[self.fabric.end_of(host.device, host.port)]
        port = resolved.stated
        # A port for one VLAN.
        if resolved.mode is Mode.ACCESS:
            yield [of_port(host.device, port, "access_vlan", vid)]
        elif resolved.mode is Mode.GENERAL and not resolved.free.emit & ~resolved.free.untagged:
            yield [
                of_port(host.device, port, "pvid", vid),
                of_port(host.device, port, "untagged", VlanSet.of(vid)),
            ]

    # --- what a host says of itself ---

    def _settings(self, host: Host) -> Iterator[list[Edit]]:
        """Another mask or gateway for a host, as the router says that has its subnet."""
        # No address, so no mask that could be wrong.
        if host.address is None:
            return
        for interface in self._serving(host):
            for fact in interface.addresses:
                # Of another subnet, or the host's own address.
                if host.address.ip not in fact.value.network or fact.value.ip == host.address.ip:
                    continue
                edits = []
                right: Address = ip_interface(f"{host.address.ip}/{fact.value.network.prefixlen}")
                if right.network != host.address.network:
                    edits.append(host_edit(host, "address", right))
                if host.gateway != str(fact.value.ip):
                    edits.append(host_edit(host, "gateway", str(fact.value.ip)))
                yield from ([edit] for edit in edits)
                # Both may be wrong.
                if len(edits) > 1:
                    yield edits

    def _serving(self, host: Host) -> list[Interface]:
        """The interfaces in a host's own VLAN, or else those that are the only ones with its
        subnet.
        """
        seat = _seat(self.fabric, host)
        vid = seat.vid if seat is not None else 0
        own = [
            interface
            for interface in self.interfaces
            if interface.addresses and interface.serves >> vid & 1
        ]
        return [interface for interface in own if not interface.why_down] or own

    # --- gateways ---

    def _up(self, interface: Interface, host: Host) -> Iterator[list[Edit]]:
        """A gateway that is down."""
        device = self.fabric.device(interface.device)
        edits = [
            edit
            for edit in gateway_edit(device, interface.origin, "enabled", True)
            if edit.before is not None and not edit.before.value
        ]
        port = device.ports.get(interface.name)
        # A routed port that is shut.
        if port is not None and not port.on:
            edits.append(of_port(device.name, port, "enabled", True))
        # Shut: up. Else the VLAN, or a way to it, is what is missing.
        if edits:
            yield edits
        elif interface.vlan is not None:
            step = definition(self.fabric.campus, device, interface.vid)
            if step is not None:
                yield list(step.edits)
            seat = _seat(self.fabric, host)
            if seat is not None and interface.serves >> seat.vid & 1:
                yield from self._ways(interface.bridge, seat.bridge, seat.vid)

    def _joined(self, interface: Interface, host: Host) -> Iterator[list[Edit]]:
        """A gateway and a host in one VLAN."""
        seat = _seat(self.fabric, host)
        # It sends nothing.
        if seat is None:
            return
        # The gateway is on a cable, or in the host's VLAN, or the host is not.
        if interface.serves >> seat.vid & 1 and self.fabric.bridges[interface.bridge].routed:
            yield from self._to_outside(interface, seat)
        elif interface.serves >> seat.vid & 1:
            yield from self._ways(interface.bridge, seat.bridge, seat.vid)
        elif interface.vlan is not None and self._home(host) in (interface.vlan, None):
            yield from self._moved(host, interface.vlan)

    def _to_outside(self, interface: Interface, seat: _Seat) -> Iterator[list[Edit]]:
        """A way to a router that is on a cable: by a routed port, or a sub-interface with a tag."""
        fabric = self.fabric
        for number in fabric.bridges[interface.bridge].ports:
            for far in fabric.wiring.around(fabric.bridge_ports[number].end):
                bridge = fabric.bridge_of.get((far.device, ""))
                # A routed port leads to no switch.
                if bridge is None or far.device == interface.device:
                    continue
                port, edits = fabric.ports[far], list[Edit]()
                # The trunk to the router lacks the tag.
                if port.mode is Mode.TRUNK and seat.vid not in port.completed.allowed:
                    allowed = port.completed.allowed | VlanSet.of(seat.vid)
                    edits.append(of_port(far.device, port.stated, "allowed", allowed))
                way = self.ways.cheapest({bridge}, {seat.bridge}, seat.vid) or []
                if edits or way:
                    yield [*way, *edits]

    def _known(self, gateway: Interface, host: Host) -> Iterator[list[Edit]]:
        """A way from one router to one that has a host's subnet."""
        # Without an address nobody knows its subnet.
        if host.address is None:
            return
        finals = [
            interface
            for interface in self.interfaces
            if any(host.address.ip in fact.value.network for fact in interface.addresses)
        ]
        for final in finals:
            if final.why_down:
                yield from self._up(final, host)
        shared = {
            interface.vid: interface
            for interface in self.interfaces
            if interface.device == gateway.device
        }
        for final in finals:
            for interface in self.interfaces:
                near = shared.get(interface.vid)
                # Only two routers that share a VLAN can know each other by it.
                if (
                    near is None
                    or interface.device != final.device
                    or final.device == gateway.device
                ):
                    continue
                if interface.vlan is not None and near.vlan is not None:
                    yield from self._ways(near.bridge, interface.bridge, interface.vid)

    # --- ways ---

    def _ways(self, one: int, other: int, vid: int) -> Iterator[list[Edit]]:
        """What gets a VLAN from one bridge to another: over links that forward now, or any."""
        forwards = self.state.forwards

        def now_used(number: int) -> bool:
            link = forwards.wiring.links[number]
            return all(
                end not in forwards.discards or not forwards.discards[end].mask >> vid & 1
                for end in (link.a, link.b)
            )

        tries = (now_used, lambda number: True) if self.state.by_tree else (lambda number: True,)
        for usable in tries:
            edits = self.ways.cheapest({one}, {other}, vid, usable)
            # The first that does: links that forward now come first.
            if edits:
                yield edits
                return
