"""Who takes part: hosts at ports, gateways on bridges, and what each may send (FM 4, FM 5)."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct
from msgspec.structs import replace

from inkov.campus import Address, Fact, Host, Mode, Origin, natural
from inkov.forwarding.fabric import BridgePort, Fabric
from inkov.forwarding.path import Way, find_way, to_port, to_present
from inkov.forwarding.reach import Flood, Sending, flood, owned_tags, sendings_at, views_at
from inkov.forwarding.serve import is_live, taken_with
from inkov.forwarding.view import Form
from inkov.levels import Level
from inkov.vlanset import bit, union
from inkov.wiring import End

__all__ = [
    "Heard",
    "Interface",
    "at_one_wire",
    "bridge_ports_at",
    "heard_in_all",
    "hears",
    "interfaces",
    "ports_on_wire",
    "reaches_station",
    "sent_by",
    "sent_from",
]


class Heard(Struct, frozen=True):
    """A host port that hears a frame. `certain` is false if no way is known that could happen in a
    single tree.
    """

    switch: str
    port: str
    vlan: int
    tagged: bool
    certain: bool = True


def heard_in_all(outcomes: list[list[Heard]]) -> list[Heard]:
    """Who hears in some outcome of the spanning trees: certain only if so in each (FM 7.10)."""
    by_hearer = {replace(listener, certain=True): True for heard in outcomes for listener in heard}
    for heard in outcomes:
        sure = {listener for listener in heard if listener.certain}
        by_hearer = {heard: certain and heard in sure for heard, certain in by_hearer.items()}
    return sorted(
        (replace(heard, certain=certain) for heard, certain in by_hearer.items()),
        key=lambda heard: (natural(heard.switch), natural(heard.port), heard.vlan, heard.tagged),
    )


class Interface(Struct, frozen=True):
    """A routed interface (FM 5.1): on bridge `bridge` in VLAN `vid`, in the routing table `vrf` of
    its device.

    `why_down` is "" for one that is up. `hears` are the VIDs of the frames it takes, as a mask: its
    own, and of a primary VLAN the secondaries (FM 5.1). `tag` is that of a sub-interface, 0 for
    others.
    """

    device: str
    name: str
    bridge: int
    vid: int
    vrf: str
    addresses: tuple[Fact[Address], ...]
    why_down: str
    origin: Origin
    hears: int
    filters_in: tuple[str, ...] = ()
    filters_out: tuple[str, ...] = ()
    tag: int = 0

    @property
    def vlan(self) -> int | None:
        """The VLAN that it serves, as others see it: of a sub-interface its tag (FM 6.8), of a
        routed port none.
        """
        return self.tag or (self.vid if self.name.startswith("VLAN ") else None)

    @property
    def serves(self) -> int:
        """The VIDs of the hosts that may have it as their gateway, as a mask."""
        return bit(self.tag) or self.hears

    @property
    def label(self) -> str:
        return f"{self.device} {self.name}"


def bridge_ports_at(fabric: Fabric, end: End) -> list[BridgePort]:
    """The bridge ports that frames of a port pass, its own first; a sub-interface has one."""
    own = fabric.end_of(end.device, end.port)
    ports = [fabric.bridge_ports[number] for number in fabric.at.get(own, ())]
    if ports:
        return sorted(ports, key=lambda port: port.outer)
    return [
        port
        for port in fabric.bridge_ports
        if port.end.device == end.device and port.port == end.port
    ]


def ports_on_wire(fabric: Fabric, end: End) -> list[BridgePort]:
    """The bridge ports that frames of somebody at a port pass: whoever is on the wire of a link is
    heard at all its ends (FM 4.9).
    """
    ports, own = bridge_ports_at(fabric, end), fabric.end_of(end.device, end.port)
    around = fabric.wiring.around(own) if own in fabric.wiring.attended else ()
    return [*ports, *(port for far in around for port in bridge_ports_at(fabric, far))]


def at_one_wire(fabric: Fabric, one: Host, other: Host) -> bool:
    """Whether two hosts talk without a switch: on one wire, in one form (FM 4.9). Those of two
    subnets ask a router for each other, wherever they are.
    """
    subnets = {host.address.network for host in (one, other) if host.address is not None}
    (place, tag), (other_place, other_tag) = fabric.seat_of(one), fabric.seat_of(other)
    if len(subnets) > 1 or not {place, other_place} <= fabric.ports.keys():
        return False
    own, far = fabric.end_of(*place), fabric.end_of(*other_place)
    return tag == other_tag and far in (own, *fabric.wiring.around(own))


def sent_from(
    fabric: Fabric, end: End, level: Level, vid: int | None = None, *, untagged: bool = False
) -> list[Sending]:
    """What a host at a port may send at a level, or of that only what is then in VLAN `vid`, or (of
    an honest host) only untagged frames; [] if nothing enters.
    """
    ports = ports_on_wire(fabric, end)
    # A host at the port itself is none at its sub-interfaces, unless a VLAN is asked for.
    if level == Level.HONEST:
        ports = [
            port for port in ports if port.outer == 0 or port.port == end.port or vid is not None
        ]
    # Only what is then in that VLAN.
    if vid is not None:
        return [sending for port in ports for sending in _sent_in(fabric, port, level, vid)]
    sendings = sendings_at(fabric, [port.number for port in ports], level)
    if untagged and level == Level.HONEST:
        # Only untagged frames: a host without tags sends no others.
        homes = [bit(fabric.bridge_ports[e.port].view.pvid) for e in sendings]
        sendings = [
            Sending(e.port, home, e.bridge) for e, home in zip(sendings, homes, strict=True) if home
        ]
    return sendings


def _sent_in(fabric: Fabric, port: BridgePort, level: Level, vid: int) -> Iterator[Sending]:
    """What enters a port in one VLAN: tagged, where the port takes it so."""
    own = bit(vid)
    # A routed port has no VLAN, and its sub-interface that of its tag (FM 6.8).
    if fabric.bridges[port.bridge].routed:
        own = bit(port.view.pvid) if port.outer == vid else 0
    views = views_at(port, level)
    tagged = own & union(view.admit for view in views)
    # A tag that a sub-interface owns does not reach the port itself (FM 3.9).
    if port.outer == 0:
        tagged &= ~owned_tags(fabric, port.end)
    entering = tagged | own & union(bit(view.pvid) for view in views)
    if entering:
        yield Sending(port.number, entering, port.bridge, tagged)


def sent_by(
    fabric: Fabric, host: Host, level: Level = Level.HONEST, *, untagged: bool = False
) -> list[Sending]:
    """The same of a host that a table has at a port, in its form. A tag that a sub-interface takes
    leads into that one's VLAN (FM 3.9).
    """
    end, tag = fabric.seat_of(host)
    taking = [port.number for port in ports_on_wire(fabric, end) if tag and port.outer == tag]
    plain = [
        sending
        for sending in sent_from(fabric, end, level, tag or None, untagged=untagged)
        if not fabric.bridge_ports[sending.port].outer
    ]
    return [*sendings_at(fabric, taking, level), *plain]


def hears(fabric: Fabric, sendings: list[Sending], level: Level) -> list[Heard]:
    """The host ports that hear frames from `sendings`, but the senders' own, in natural order."""
    senders = {sending.port for sending in sendings}
    started = union(sending.mask for sending in sendings)
    listeners: dict[Heard, None] = {}
    ways: dict[tuple[int, int], Way | None] = {}  # to each hub, for all ports there
    for port, vid, tagged in flood(fabric, sendings, level).heard():
        if port.number in senders:
            continue
        certain = True
        # It kept its number: on a tree all of the VLAN is one, so it surely gets there.
        if (
            not started >> vid & 1
        ):  # it changed its number on the way: see that this can happen within one tree
            hub = port.bridge, vid
            if hub not in ways:
                ways[hub] = find_way(fabric, sendings, to_present(port.bridge, 1 << vid), level)
            way = ways[hub]
            # The way to the hub may end by the very port that would have to send it.
            if (
                way is None
                or not way.simple
                or not to_port(fabric, port.number, level, vid)(way.end)
            ):
                way = find_way(fabric, sendings, to_port(fabric, port.number, level, vid), level)
            certain = way is not None and way.simple is True
        name = port.end.port if fabric.is_implied(port) else port.port
        listeners[Heard(port.end.device, name, vid, tagged, certain)] = None
    return sorted(listeners, key=lambda h: (natural(h.switch), natural(h.port), h.vlan, h.tagged))


def interfaces(fabric: Fabric, level: Level = Level.HONEST) -> list[Interface]:
    """Every routed interface: of VLANs, of routed ports, of their tagged sub-interfaces. At the
    hostile level one is up as well where a host can have its VLAN on request.
    """
    live = is_live(fabric, level)
    # An unaware bridge has one VLAN of untagged frames, and no private ones.
    plain = {port.bridge for port in fabric.bridge_ports if port.view.form is Form.UNAWARE}
    routed = []
    for device, gateway in fabric.gateways():
        bridge = fabric.bridge_of[device.name, gateway.bridge]
        hears = 1 << gateway.vid if bridge in plain else taken_with(device, gateway.vid)
        why = ""
        if not gateway.on:
            why = "it is shut"
        elif not fabric.bridges[bridge].live >> gateway.vid & 1:
            # The VLAN has to be there, and active.
            state = "suspended" if device.row(gateway.vid) is not None else "not defined"
            why = f"VLAN {gateway.vid} is {state} on {device.name}"
        elif not live(bridge, hears):
            # A VLAN that no live port carries has its gateway down.
            why = f"no port of {device.name} that is up carries VLAN {gateway.vid}"
        vrf = gateway.vrf.value if gateway.vrf is not None else ""
        name = f"VLAN {gateway.vid}" + (f" on {gateway.bridge}" if gateway.bridge else "")
        filters = [
            tuple(fact.value for fact in bound)
            for bound in (gateway.filters_in, gateway.filters_out)
        ]
        routed.append(
            Interface(
                device.name,
                name,
                bridge,
                gateway.vid,
                vrf,
                gateway.addresses,
                why,
                gateway.origin,
                hears,
                filters_in=filters[0],
                filters_out=filters[1],
            )
        )
    for end, resolved in fabric.ports.items():
        # A routed port without an address is a cable's end, and no interface.
        if resolved.mode is Mode.ROUTED and resolved.stated.addresses:
            port, vrf = (
                resolved.stated,
                resolved.stated.vrf.value if resolved.stated.vrf is not None else "",
            )
            number = fabric.bridge_of.get((end.device, f"routed {end.port}"), -1)
            # Shut, or a sub-interface whose port is.
            why = "" if resolved.up and number >= 0 else "it is shut"
            routed.append(
                Interface(
                    end.device,
                    end.port,
                    number,
                    1,
                    vrf,
                    port.addresses,
                    why,
                    port.origin,
                    2,
                    filters_in=tuple(fact.value for fact in port.filters_in),
                    filters_out=tuple(fact.value for fact in port.filters_out),
                    tag=port.outer.value if port.outer is not None else 0,
                )
            )
    return routed


def reaches_station(spread: Flood, interface: Interface) -> bool:
    """True if frames of a flood get to a routed interface."""
    return interface.bridge >= 0 and bool(spread.present(interface.bridge) & interface.hears)
