"""A VLAN on the switches and ports where a plan has it, its gateways, or all of it gone."""

from __future__ import annotations

from collections.abc import Iterator

from inkov.campus import Address, Device, Fact, Gateway, Mode, Port, PortKind
from inkov.checks.placed import vlan_of
from inkov.edits import Edit, Kind
from inkov.edits.make import defined, gateways_in, of_port
from inkov.forwarding import Fabric
from inkov.forwarding.serve import facing_routers
from inkov.forwarding.stations import interfaces
from inkov.mend.goals import VlanPlaced, planned_name
from inkov.plan import Placed, Plan, placed
from inkov.vlanset import VlanSet
from inkov.wiring import End

__all__ = ["Placing", "at_routers", "gateways_gone", "listing", "port_without"]


class Placing:
    """Where a VLAN belongs, on a campus."""

    def __init__(self, fabric: Fabric, goal: VlanPlaced) -> None:
        self.fabric = fabric
        self.goal = goal
        self.vid = goal.vid
        self.meant: Placed = placed(goal.planned.on or (), fabric.campus.devices)
        self.legs = _legs(fabric, goal.vid)

    def rows(self) -> Iterator[Edit]:
        routing = (self.goal.planned.gateways or {}).keys() - self.legs.keys()
        for name in (*self.meant.everywhere, *sorted(routing)):
            # A plan may name switches that are not there.
            if name in self.fabric.campus.devices:
                for edit in defined(self.fabric.campus, self.fabric.device(name), self.vid):
                    yield planned_name(edit, self.goal)

    def ports(self) -> Iterator[Edit]:
        """Ports that are not in the VLAN are put into it."""
        for (switch, name), by_name in self.meant.ports.items():
            end = self.fabric.end_of(switch, name)
            resolved = self.fabric.ports[end]
            # A link carries it; nobody named by a pattern meant that.
            if end in self.fabric.wiring.of:
                if by_name:
                    self.goal.says = f"{end} leads to another switch"
                continue
            # Untagged or as the voice VLAN: it is in it.
            if self.vid in (vlan_of(resolved), resolved.completed.voice_vlan):
                continue
            port = resolved.stated
            # Moved; a port of another kind was not made for one VLAN.
            if resolved.mode is Mode.ACCESS:
                yield of_port(end.device, port, "access_vlan", self.vid)
            elif resolved.mode is Mode.GENERAL and not resolved.free.emit & ~resolved.free.untagged:
                yield of_port(end.device, port, "pvid", self.vid)
                yield of_port(end.device, port, "untagged", VlanSet.of(self.vid))
            else:
                self.goal.says = f"{end} is no port for one VLAN: it is {resolved.mode.value}"

    # --- gateways ---

    def gateways(self) -> Iterator[Edit]:
        wanted = self.goal.planned.gateways
        # The plan says nothing of gateways.
        if wanted is None:
            return
        for name, address in wanted.items():
            device = self.fabric.campus.devices.get(name)
            # A gateway of a switch that is not there.
            if device is None:
                self.goal.says = f"no switch is called {name}"
                return
            fact = Fact(address, self.goal.planned.origin)
            yield from self._gateway(device, fact)
        for device in self.fabric.campus.devices.values():
            # Gateways elsewhere are against the plan.
            if device.name not in wanted:
                yield from gateways_gone(device, self.vid)
                # What else a port of its own is for, nobody knows.
                for port in self.legs.get(device.name, ()):
                    says = (
                        f"{device.name}:{port.name} routes it: unplug it, or take its address away"
                    )
                    self.goal.says = self.goal.says or says

    def _gateway(self, device: Device, address: Fact[Address]) -> Iterator[Edit]:
        """The address of a switch in the VLAN: that of a gateway, or of a sub-interface."""
        # One is there: up, and with this address.
        for name, gateway in gateways_in(device, self.vid):
            if not gateway.on:
                state = Fact(True, gateway.origin)
                yield Edit(device.name, Kind.GATEWAY, name, "enabled", gateway.enabled, state)
            yield from _address(device.name, Kind.GATEWAY, name, gateway, address)
            return
        subs = _subs(device)
        for port in subs:
            # Or a sub-interface with the VLAN's tag.
            if port.outer is not None and port.outer.value == self.vid:
                yield from _address(device.name, Kind.PORT, port.name, port, address)
                return
        # Or a routed port that is linked to a switch in the VLAN.
        for port in self.legs.get(device.name, ()):
            yield from _address(device.name, Kind.PORT, port.name, port, address)
            return
        bridge = self.fabric.bridge_of.get((device.name, ""))
        # A switch gets a gateway, a router one more sub-interface.
        if bridge is not None and not self.fabric.bridges[bridge].routed and not subs:
            name = _gateway_name(device, self.vid)
            new = Gateway(self.vid, device.origin, addresses=(address,), name=name)
            yield Edit(device.name, Kind.GATEWAY, f"VLAN {self.vid}", "", None, new)
            return
        yield from self._sub(device, subs, address)

    def _sub(self, device: Device, subs: list[Port], address: Fact[Address]) -> Iterator[Edit]:
        """One more sub-interface of a router, named as the others are."""
        parents = {port.parent.value for port in subs if port.parent is not None}
        named_by_tag = all(
            port.outer is not None
            and port.parent is not None
            and port.name == f"{port.parent.value}.{port.outer.value}"
            for port in subs
        )
        # Where it would have to be is a guess.
        if len(parents) != 1 or not named_by_tag:
            self.goal.says = f"how is {device.name} to route VLAN {self.vid}? give it the gateway"
            return
        [parent] = parents
        name = f"{parent}.{self.vid}"
        new = Port(
            name,
            device.ports[parent].origin,
            PortKind.SUB,
            parent=Fact(parent, device.origin),
            outer=Fact(self.vid, device.origin),
            mode=Fact(Mode.ROUTED, device.origin),
            addresses=(address,),
        )
        yield Edit(device.name, Kind.PORT, name, "", None, new)


def _gateway_name(device: Device, vid: int) -> str:
    """How a switch calls its gateway in a VLAN: as its others, with the VLAN's own number."""
    for sister in device.gateways:
        # As the others are called, with its own number.
        if str(sister.vid) in sister.name:
            return sister.name.replace(str(sister.vid), str(vid))
    # In documents every interface has a name; in other files gateways go by their VLANs.
    named = any(port.origin.pointer for port in device.ports.values())
    return f"vlan-{vid}" if named and not device.gateways else ""


def _subs(device: Device) -> list[Port]:
    """The sub-interfaces of a router."""
    return [p for p in device.ports.values() if p.kind is PortKind.SUB and p.addresses]


def _legs(fabric: Fabric, vid: int) -> dict[str, list[Port]]:
    """The routed ports that are linked to switches where they are in a VLAN, by their devices."""
    legs: dict[str, list[Port]] = {}
    for facing in facing_routers(fabric):
        if facing.vid == vid and facing.inside >= 0:
            inside = fabric.bridges[facing.inside]
            own = fabric.device(inside.device).ports
            legs.setdefault(inside.device, []).extend(
                own[fabric.bridge_ports[number].port] for number in inside.ports
            )
    return legs


def _address(
    switch: str, kind: Kind, name: str, thing: Gateway | Port, address: Fact[Address]
) -> Iterator[Edit]:
    """The address that an interface is to have, instead of those of its family that it has."""
    # The address is there.
    if any(fact.value == address.value for fact in thing.addresses):
        return
    family = address.value.version
    others = tuple(fact for fact in thing.addresses if fact.value.version != family)
    yield Edit(switch, kind, name, "addresses", thing.addresses, (*others, address))


def gateways_gone(device: Device, vid: int) -> Iterator[Edit]:
    """A switch without a gateway in a VLAN."""
    for name, gateway in gateways_in(device, vid):
        yield Edit(device.name, Kind.GATEWAY, name, "", gateway, None)
    for port in _subs(device):
        if port.outer is not None and port.outer.value == vid:
            yield Edit(device.name, Kind.PORT, port.name, "", port, None)


def at_routers(fabric: Fabric, vid: int) -> Iterator[End]:
    """The ports of switches at which routers have a sub-interface in a VLAN."""
    for interface in interfaces(fabric):
        # Only routers on a cable, by the tag.
        if interface.tag != vid:
            continue
        for number in fabric.bridges[interface.bridge].ports:
            for far in fabric.wiring.around(fabric.bridge_ports[number].end):
                # The port of the switch at the other end.
                if far.device != interface.device and (far.device, "") in fabric.bridge_of:
                    yield far


def listing(fabric: Fabric, end: End, vid: int) -> Iterator[Edit]:
    """A port that passes a VLAN tagged."""
    resolved = fabric.ports[end]
    attribute = {Mode.TRUNK: "allowed", Mode.GENERAL: "tagged"}.get(resolved.mode)
    now: VlanSet = getattr(resolved.completed, attribute) if attribute else VlanSet.all()
    # What passes everything, or is no trunk, has no list to widen.
    if attribute and vid not in now:
        yield of_port(end.device, resolved.stated, attribute, now | VlanSet.of(vid))


# --- a VLAN that belongs nowhere ------------------------------------------------------------------


def port_without(fabric: Fabric, plan: Plan, end: End, vid: int) -> Iterator[Edit | End]:
    """A port without a VLAN; the port itself where nothing says where else it belongs."""
    resolved = fabric.ports[end]
    port, vlan = resolved.stated, VlanSet.of(vid)
    for attribute in ("allowed", "withheld", "tagged", "untagged", "forbidden", "prunable"):
        fact: Fact[VlanSet | None] | None = getattr(port, attribute)
        vlans = fact.value if fact is not None else None
        # "All VLANs" does not name it.
        if vlans is not None and vid in vlans and vlans != VlanSet.all():
            yield of_port(end.device, port, attribute, vlans - vlan)
    # Voice frames go nowhere then.
    if port.voice_vlan is not None and port.voice_vlan.value == vid:
        yield of_port(end.device, port, "voice_vlan", None)
    stated = {
        attribute: fact.value
        for attribute in ("access_vlan", "native_vlan", "pvid", "primary", "secondary")
        if (fact := getattr(port, attribute)) is not None
    }
    decides = {Mode.ACCESS: "access_vlan", Mode.TRUNK: "native_vlan", Mode.GENERAL: "pvid"}
    unused = plan.says.practice.unused
    for attribute, value in stated.items():
        # The port says another VLAN.
        if value != vid:
            continue
        # Hosts of an access port go where nobody is; that is what unused ports are for.
        if attribute == "access_vlan" and unused is not None and unused.vlan not in (None, vid):
            yield of_port(end.device, port, attribute, unused.vlan)
            if unused.shut and resolved.mode is Mode.ACCESS and port.on:
                yield of_port(end.device, port, "enabled", False)
        elif decides.get(resolved.mode) != attribute and attribute not in ("primary", "secondary"):
            # What decides nothing in the mode of the port goes, so that no trace is left.
            yield Edit(end.device, Kind.PORT, port.name, attribute, getattr(port, attribute), None)
        else:
            yield end
