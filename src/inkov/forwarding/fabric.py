"""The resolved campus: every port with all its stages, the bridges, and what crosses each link each
way.

Pure data. `resolve` builds it once; checks, proofs and tables read it.
"""

from __future__ import annotations

from typing import Any, NamedTuple

from msgspec import Struct, field
from msgspec.structs import replace

from inkov.campus import Campus, Device, Gateway, Host, Mode, Origin, Port
from inkov.forwarding.completion import Completed
from inkov.forwarding.negotiation import Party
from inkov.forwarding.view import PortView
from inkov.vlanset import VlanSet, bit
from inkov.wiring import End, Wiring
from inkov.wiring.links import below

__all__ = [
    "Assumption",
    "BridgePort",
    "BridgeState",
    "Crossing",
    "Discarding",
    "Fabric",
    "Resolved",
    "Translation",
]


class Resolved(Struct, gc=False):
    """A port with what each stage made of it.

    `stated` are the port's own facts; `completed` the values with defaults; `remote` and `mode` the
    outcome of negotiation; `free` the view before the switch's VLAN table, `view` the one within
    it. `up` is false for a port that is shut, for a bundle's member (its bundle forwards) and for a
    sub-interface of such a port.
    """

    end: End
    stated: Port
    completed: Completed
    remote: Party
    mode: Mode
    free: PortView
    view: PortView
    up: bool
    bundle: str = ""

    @property
    def known(self) -> bool:
        """False where the source does not tell which frames pass: what it does is a guess."""
        return not self.stated.unknown

    @property
    def effective_mode(self) -> Mode:
        """The mode; for a general port the one that it is by another name: walks and Linux know
        general ports only.

        A trunk sends tagged frames and takes what it sends; an access port has one VLAN, untagged.
        """
        view = self.free
        # A general port that takes other VLANs than it sends is what it is.
        if (
            self.mode is not Mode.GENERAL
            or view.admit & ~view.emit
            or view.untagged != (bit(view.pvid))
        ):
            return self.mode
        # Tagged frames make a trunk; one untagged VLAN an access port; neither is told as it is.
        return (
            Mode.TRUNK if view.emit & ~view.untagged else Mode.ACCESS if view.pvid else Mode.GENERAL
        )

    @property
    def allowed(self) -> VlanSet:
        """What a trunk lets through, by its list or (a general port) its membership."""
        return VlanSet(self.free.emit) if self.mode is Mode.GENERAL else self.completed.allowed

    @property
    def native(self) -> int | None:
        """The VLAN of a trunk's untagged frames, allowed or not."""
        return (self.free.pvid or None) if self.mode is Mode.GENERAL else self.completed.native_vlan

    @property
    def access(self) -> int:
        """The VLAN of an access port."""
        return self.free.pvid if self.mode is Mode.GENERAL else self.completed.access_vlan


class BridgePort(Struct, gc=False):
    """A port as a bridge has it: number in the fabric, number of its bridge, the end its frames
    pass, and its view.

    `outer` is 0 for the port itself; for a tagged sub-interface it is the tag its frames wear
    outside. `on_request` are the views it takes for a host there that asks to be a trunk or
    registers VLANs, if asking changes anything (FM 4.4).
    """

    number: int
    bridge: int
    end: End
    port: str
    outer: int
    view: PortView
    on_request: tuple[PortView, ...] = ()


class Translation(NamedTuple):
    """What departs with a VID in `leaves` arrives at `to` in every VID of `arrives`."""

    to: int
    leaves: int
    arrives: int


class Crossing(Struct, frozen=True, gc=False):
    """One direction of a link, from one bridge port (FM 3.8): VIDs in `same` keep their number,
    translations change it.

    `same` holds (bridge port, mask) pairs. At the hostile level there are more: `hidden`
    translations, mostly for frames with a tag hidden behind the first (FM 4.3), and in `lured` what
    keeps its number where either end is lured into passing it (FM 4.4, FM 4.5).
    """

    link: int
    same: tuple[tuple[int, int], ...]
    translations: tuple[Translation, ...]
    hidden: tuple[Translation, ...]
    lured: tuple[tuple[int, int], ...] = ()


class BridgeState(Struct):
    """A bridge of a device: the VIDs it forwards and its ports. `routed` bridges hold one routed
    port.
    """

    device: str
    name: str
    live: int
    ports: list[int] = field(default_factory=list)
    routed: str = ""


class Assumption(NamedTuple):
    """Something the answer rests on that no file states.

    `device` and `port` tell whose it is ("" for none). `sure` is true for what changes no frame's
    way: a strict verdict may rest on it. `unknown` is true for ports of which the source does not
    tell what they pass, `passes` for those of them that are taken to pass frames all the same.
    """

    device: str
    port: str
    says: str
    origin: Origin
    sure: bool = False
    unknown: bool = False
    passes: bool = False


class Discarding(NamedTuple):
    """The VIDs that a port discards, as a mask, and why (FM 7.9)."""

    mask: int
    says: str
    origin: Origin


class Fabric(Struct):
    """Everything the forwarding rooms know. Ports are found by end, bridge ports by number.

    `crossings` lists, for a bridge port, what leaves by it over each of its links; `link_up` says
    of each link whether both ends are up; `at` finds the bridge ports of an end, `bridge_of` a
    bridge by device and name; `live` has the VIDs of each device, as a mask; `serving` is what
    `serve.served` found, `outside_names` what `outlets.outside_name` did, `said_tags` what
    `serve.tags_said` did, once they were asked. `discards` are the ports that a spanning tree has
    discard, where what forwards now is asked (`trees.active`).
    """

    campus: Campus
    wiring: Wiring
    ports: dict[End, Resolved] = field(default_factory=dict)
    bridges: list[BridgeState] = field(default_factory=list)
    bridge_ports: list[BridgePort] = field(default_factory=list)
    crossings: dict[int, list[Crossing]] = field(default_factory=dict)
    link_up: list[bool] = field(default_factory=list)
    at: dict[End, list[int]] = field(default_factory=dict)
    bridge_of: dict[tuple[str, str], int] = field(default_factory=dict)
    live: dict[str, int] = field(default_factory=dict)
    assumptions: list[Assumption] = field(default_factory=list)
    serving: list[int] = field(default_factory=list)
    outside_names: dict[tuple[int, int], int] | None = None
    said_tags: dict[End, int] | None = None
    discards: dict[End, Discarding] = field(default_factory=dict)

    def with_other(self, **parts: Any) -> Fabric:
        """The fabric with some other parts, and without all that followed from them: what crosses
        links (`crossing.cross`) is still to be worked out.
        """
        found: dict[str, Any] = {"crossings": {}, "link_up": [], "serving": []}
        return replace(self, **found, outside_names=None, said_tags=None, **parts)

    def device(self, name: str) -> Device:
        return self.campus.devices[name]

    def end_of(self, device: str, port: str) -> End:
        """The end that a port forwards as: itself, or its bundle."""
        resolved = self.ports[End(device, port)]
        # A member forwards as its bundle.
        return End(device, resolved.bundle) if resolved.bundle else resolved.end

    def wire_of(self, place: End) -> End:
        """The end on whose wire a port is: its own, or that of the port below a sub-interface."""
        return self.end_of(place.device, below(self.device(place.device), place.port)[0])

    def seat_of(self, host: Host) -> tuple[End, int]:
        """The port of a host and the tag that it uses (0: none), as its wire sees them: one that a
        table has at a sub-interface is at the port below, with that one's tag (FM 4.1).
        """
        # A host at a device that is not there is told by a check.
        if host.device not in self.campus.devices:
            return End(host.device, host.port), host.vid or 0
        port, tag = below(self.device(host.device), host.port)
        return End(host.device, port), tag or host.vid or 0

    def resolved(self, port: BridgePort) -> Resolved:
        """The port behind a bridge port; for one of a sub-interface, that sub-interface."""
        return self.ports[End(port.end.device, port.port)]

    def is_implied(self, port: BridgePort) -> bool:
        """True if a bridge port is the other side of one that takes no notice of tags."""
        return bool(port.outer) and self.resolved(port).stated.implied

    def is_host_port(self, bridge_port: BridgePort) -> bool:
        """True if no known port is at the other end of the cable: whoever is there counts as a host
        (FM 4.6); or if somebody is on the wire besides (FM 4.9).
        """
        return self.has_hosts(bridge_port.end) and not self.bridges[bridge_port.bridge].routed

    def has_hosts(self, end: End) -> bool:
        """True if somebody who is no known port is taken to be on the wire of an end."""
        # Nobody known at the other end: whoever is there is a host.
        return end not in self.wiring.of or end in self.wiring.attended

    def gateways(self) -> list[tuple[Device, Gateway]]:
        return [
            (device, gateway)
            for device in self.campus.devices.values()
            for gateway in device.gateways
        ]
