"""Edits that could cure the first need of a ping that is not met (`forwarding.ping`).

Nothing is guessed of hosts: a mask or a gateway is proposed only where an interface of a router, in
the host's own VLAN or with its subnet, says what it should be; and a port is moved to another VLAN
only where the host's address, or the other end, says that it belongs there.
"""

from __future__ import annotations

from collections.abc import Iterator
from ipaddress import ip_interface
from typing import NamedTuple

from inkov.campus import Address, Host, Mode
from inkov.edits import Edit
from inkov.edits.make import gateway_edit, host_edit, of_port
from inkov.forwarding import Fabric
from inkov.forwarding.ping import Need, Part
from inkov.forwarding.stations import Interface, interfaces
from inkov.mend.judged import Judged
from inkov.mend.links import definition
from inkov.mend.ways import Ways
from inkov.vlanset import VlanSet
from inkov.wiring import End

__all__ = ["Proposer", "opened", "vid_of"]


class Seat(NamedTuple):
    """Where a host is: the end its frames pass, its bridge, its VLAN (0: none)."""

    end: End
    bridge: int
    vid: int


def seat_of(fabric: Fabric, host: Host) -> Seat | None:
    """None if no frame of the host enters."""
    end = fabric.end_of(host.device, host.port)
    for number in fabric.at.get(end, ()):
        port = fabric.bridge_ports[number]
        # A tag of a sub-interface is another host's.
        if not port.outer:
            return Seat(end, port.bridge, host.vid or port.view.pvid)
    return None


def vid_of(fabric: Fabric, host: Host) -> int:
    """The VLAN of a host; 0 if none of its frames enters."""
    seat = seat_of(fabric, host)
    return seat.vid if seat is not None else 0


def opened(fabric: Fabric, host: Host) -> Iterator[Edit]:
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


class Proposer:
    """Proposes edits for the first need of a ping that is not met."""

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
        one, other = seat_of(self.fabric, here), seat_of(self.fabric, there)
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
        seat = seat_of(self.fabric, host)
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
            seat = seat_of(self.fabric, host)
            if seat is not None and interface.serves >> seat.vid & 1:
                yield from self._ways(interface.bridge, seat.bridge, seat.vid)

    def _joined(self, interface: Interface, host: Host) -> Iterator[list[Edit]]:
        """A gateway and a host in one VLAN."""
        seat = seat_of(self.fabric, host)
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

    def _to_outside(self, interface: Interface, seat: Seat) -> Iterator[list[Edit]]:
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
