"""Devices, ports, VLAN tables, gateways, hosts and the reports about links.

Attributes of a port are `Fact`s, or None where the configuration says nothing. Readers fill these
structures; after reading, nobody changes them. Nothing here refers back to what holds it, so that
the garbage collector may leave these structures alone (`gc=False`): on a large campus there are
millions of them.
"""

from __future__ import annotations

from abc import ABC
from enum import StrEnum
from ipaddress import IPv4Interface, IPv4Network, IPv6Interface, IPv6Network
from typing import TYPE_CHECKING, Any, Generic, TypeVar

from msgspec import Struct, field

from inkov.campus.origin import Origin, Problem
from inkov.vlanset import VlanSet

T = TypeVar("T")

if TYPE_CHECKING:
    Address = IPv4Interface | IPv6Interface
    Subnet = IPv4Network | IPv6Network
else:

    class Address(ABC):  # noqa: B024 - msgspec takes no union of two foreign types
        """An IPv4 or IPv6 address with its prefix."""

    Address.register(IPv4Interface)
    Address.register(IPv6Interface)

    class Subnet(ABC):  # noqa: B024
        """A subnet, IPv4 or IPv6."""

    Subnet.register(IPv4Network)
    Subnet.register(IPv6Network)


class Fact(Struct, Generic[T], frozen=True, gc=False, array_like=True):
    """A value, and where it was said."""

    value: T
    origin: Origin


class Platform(Struct, frozen=True):
    """A platform's name and the fact that holds for each port attribute that is not stated.

    `described`: its language is read by somebody's description of it, a dialect.
    """

    name: str
    unstated: dict[str, Fact[Any]]
    described: bool = False
    _values: dict[tuple[str, ...], tuple[Any, ...]] = field(default_factory=dict)

    def fact(self, port: Port, attribute: str) -> Fact[Any] | None:
        """An attribute of a port: as stated, or else by default; None if it is neither."""
        stated: Fact[Any] | None = getattr(port, attribute)
        return self.unstated.get(attribute) if stated is None else stated

    def values(self, attributes: tuple[str, ...]) -> tuple[Any, ...]:
        """The unstated values of some attributes, None for those without; worked out once."""
        values = self._values.get(attributes)
        # Asked for each port of the campus with the same few tuples of attributes.
        if values is None:
            facts = [self.unstated.get(attribute) for attribute in attributes]
            values = self._values[attributes] = tuple(
                None if fact is None else fact.value for fact in facts
            )
        return values


class Mode(StrEnum):
    """What a port is, where it is fixed (or what it would be, where negotiation decides)."""

    ACCESS = "access"
    TRUNK = "trunk"
    GENERAL = "general"
    PRIVATE_HOST = "private host"
    PROMISCUOUS = "promiscuous"
    ROUTED = "routed"
    UNAWARE = "unaware"
    """Of a bridge that takes no notice of tags (802.1Q: VLAN-unaware)."""


class Negotiation(StrEnum):
    """Whether a port decides by itself to be a trunk. Silent and announcing ports are what their
    mode says.
    """

    SILENT = "silent"
    ANNOUNCING = "announcing"
    PASSIVE = "passive"
    ACTIVE = "active"


class Accept(StrEnum):
    """Acceptable frame types (IEEE 802.1Q, 6.9). Untagged includes priority-tagged frames."""

    ALL = "all"
    TAGGED = "tagged"
    UNTAGGED = "untagged"


class PortKind(StrEnum):
    PHYSICAL = "port"
    BUNDLE = "bundle"
    SUB = "sub-interface"


class Private(StrEnum):
    """The part a VLAN plays in a private VLAN (RFC 5517)."""

    PRIMARY = "primary"
    ISOLATED = "isolated"
    COMMUNITY = "community"


class Guard(StrEnum):
    """What a port refuses to become in the spanning tree: towards the root, or designated after
    silence.
    """

    NONE = "none"
    ROOT = "root"
    LOOP = "loop"


class TreeMode(StrEnum):
    """Which spanning tree a switch runs (IEEE 802.1D, 802.1Q clause 13)."""

    OFF = "off"
    STP = "stp"
    RSTP = "rstp"
    MSTP = "mstp"
    PER_VLAN = "per vlan"


class TreeRole(StrEnum):
    """The role of a port in a spanning tree (IEEE 802.1Q, 13.12)."""

    ROOT = "root"
    DESIGNATED = "designated"
    ALTERNATE = "alternate"
    BACKUP = "backup"
    DISABLED = "disabled"

    @property
    def forwards(self) -> bool:
        """Whether a port in this role forwards, once the tree has settled."""
        return self in (TreeRole.ROOT, TreeRole.DESIGNATED)


class TreeState(StrEnum):
    """What a port does with frames in a spanning tree (IEEE 802.1Q, 13.12)."""

    FORWARDING = "forwarding"
    DISCARDING = "discarding"


class Aggregation(StrEnum):
    """How a bundle comes about (IEEE 802.1AX): by LACP, asking or answering, without any protocol,
    or so that its ports stay independent and the far ends need no bundle.
    """

    ACTIVE = "active"
    PASSIVE = "passive"
    STATIC = "static"
    INDEPENDENT = "independent"


class Role(StrEnum):
    """The part a switch plays where VLAN definitions are distributed."""

    ORIGIN = "origin"
    FOLLOWER = "follower"
    BYSTANDER = "bystander"
    OFF = "off"


class Vlan(Struct, gc=False, array_like=True):
    """One row of a switch's VLAN table. `secondaries` belong to a primary VLAN."""

    vid: int
    origin: Origin
    name: Fact[str] | None = None
    active: Fact[bool] | None = None
    private: Fact[Private] | None = None
    secondaries: Fact[VlanSet] | None = None


class Port(Struct, gc=False, array_like=True):
    """A physical port, a bundle, or a tagged sub-interface (`parent`, `outer`) of one of these.

    Of VIDs: dynamic registration may not add those that are `forbidden` (IEEE 802.1Q, 8.8), the
    port is a member of those `in_force` now, a pruning protocol may withhold `prunable` ones.
    `mtu` is in octets, `speed` in Mbit/s; `number` is that of the port as the bridge has it (its
    port number in spanning trees). `known_as` are further names that neighbours may have
    for the port: its address, another of its names. `unknown` says what its source does not tell
    and what decides which frames pass: what is stated besides is then a guess. `reading` says how
    something was read that could be read otherwise. No file names a port that is `implied`: it
    keeps frames with one tag apart (`wiring.unaware`). The filters are those of a routed port, for
    packets that come in by it and that leave by it.
    """

    name: str
    origin: Origin
    kind: PortKind = PortKind.PHYSICAL
    description: Fact[str] | None = None
    enabled: Fact[bool] | None = None
    bundle: Fact[str] | None = None
    parent: Fact[str] | None = None
    outer: Fact[int] | None = None
    mode: Fact[Mode] | None = None
    negotiation: Fact[Negotiation] | None = None
    access_vlan: Fact[int] | None = None
    voice_vlan: Fact[int | None] | None = None
    native_vlan: Fact[int | None] | None = None
    native_tagged: Fact[bool] | None = None
    allowed: Fact[VlanSet] | None = None
    withheld: Fact[VlanSet] | None = None
    pvid: Fact[int | None] | None = None
    accept: Fact[Accept] | None = None
    ingress_filtering: Fact[bool] | None = None
    tagged: Fact[VlanSet] | None = None
    untagged: Fact[VlanSet | None] | None = None
    primary: Fact[int] | None = None
    secondary: Fact[int] | None = None
    secondaries: Fact[VlanSet] | None = None
    protected: Fact[bool] | None = None
    registration: Fact[bool] | None = None
    forbidden: Fact[VlanSet] | None = None
    in_force: Fact[VlanSet] | None = None
    prunable: Fact[VlanSet] | None = None
    aggregation: Fact[Aggregation] | None = None
    edge: Fact[bool] | None = None
    guard: Fact[Guard] | None = None
    bpdu_guard: Fact[bool] | None = None
    mtu: Fact[int] | None = None
    speed: Fact[int] | None = None
    number: Fact[int] | None = None
    addresses: tuple[Fact[Address], ...] = ()
    vrf: Fact[str] | None = None
    known_as: tuple[str, ...] = ()
    unknown: str = ""
    reading: str = ""
    implied: bool = False
    filters_in: tuple[Fact[str], ...] = ()
    filters_out: tuple[Fact[str], ...] = ()

    @property
    def on(self) -> bool:
        """False if the port is shut. One that does not say so is on."""
        return self.enabled is None or self.enabled.value


class Bridge(Struct, gc=False):
    """One bridge of a device that holds several. Ports that no bridge names belong to the device's
    main one.

    `vlans` is the bridge's own VLAN table, `tree_mode` and `address` its own spanning tree and
    bridge address; None where the device's hold for it.
    """

    name: str
    origin: Origin
    ports: dict[str, Origin] = field(default_factory=dict)
    vlans: dict[int, Vlan] | None = None
    tree_mode: Fact[TreeMode] | None = None
    address: Fact[str] | None = None


class Tree(Struct, gc=False):
    """One spanning tree: that of `vlans`, by its number where it has one (0: the only or common
    one).

    `bridge` is the one it is on, "" the main one. `costs` and `priorities` are the ports' own in
    this tree, `external_costs` those of the common tree between regions, where they are others;
    `roles` and `states` are what the source says that the ports are now, `seen_root` the address
    of the root that it says the tree has now.
    """

    vlans: VlanSet
    origin: Origin
    number: int = 0
    priority: Fact[int] | None = None
    costs: dict[str, Fact[int]] = field(default_factory=dict)
    priorities: dict[str, Fact[int]] = field(default_factory=dict)
    bridge: str = ""
    roles: dict[str, Fact[TreeRole]] = field(default_factory=dict)
    states: dict[str, Fact[TreeState]] = field(default_factory=dict)
    seen_root: Fact[str] | None = None
    external_costs: dict[str, Fact[int]] = field(default_factory=dict)


class Distribution(Struct, gc=False):
    """How a switch takes part in a protocol that spreads VLAN definitions. A password is never
    kept, only its being.
    """

    origin: Origin
    domain: Fact[str] | None = None
    version: Fact[int] | None = None
    role: Fact[Role] | None = None
    revision: Fact[int] | None = None
    password: Fact[bool] | None = None
    pruning: Fact[bool] | None = None


class FilterEntry(Struct, frozen=True, gc=False, array_like=True):
    """One entry of a packet filter: packets from `source` to `destination` (None: any) pass if
    `accepts`.

    `finer` is true if it speaks of some of them only: a protocol, ports.
    """

    number: int
    accepts: bool
    source: Subnet | None
    destination: Subnet | None
    finer: bool
    origin: Origin


class Filter(Struct, gc=False, array_like=True):
    """A packet filter: the first entry that fits a packet decides."""

    name: str
    origin: Origin
    entries: list[FilterEntry]


class Gateway(Struct, gc=False, array_like=True):
    """A routed interface of a device in a VLAN (of its bridge `bridge`; "" is the main one), by its
    own name if any.

    `filters_in` name the filters that packets pass which come from the VLAN, `filters_out` those
    for packets into it. On a bridge that takes no notice of tags, the interface is in the VLAN of
    the untagged frames, whatever its `vid`, or if it is `tagged` sends and takes those with a tag.
    """

    vid: int
    origin: Origin
    bridge: str = ""
    enabled: Fact[bool] | None = None
    addresses: tuple[Fact[Address], ...] = ()
    vrf: Fact[str] | None = None
    name: str = ""
    filters_in: tuple[Fact[str], ...] = ()
    filters_out: tuple[Fact[str], ...] = ()
    tagged: bool = False

    @property
    def on(self) -> bool:
        """False if the interface is shut."""
        return self.enabled is None or self.enabled.value


class Neighbour(Struct, frozen=True, gc=False):
    """A neighbour report (IEEE 802.1AB): `device` hears `far_device` at its port `port`.

    `far_known_as` is what the far system calls itself besides its name (its chassis ID). `far_pvid`
    and `far_vlans` are the VLANs that the far port says it has (802.1Q, annex D): the VID of its
    untagged frames (0: none), and those it names.
    """

    device: str
    port: str
    far_device: str
    far_port: str
    origin: Origin
    far_port_description: str = ""
    far_known_as: str = ""
    far_pvid: int | None = None
    far_vlans: Fact[VlanSet] | None = None


class Cable(Struct, frozen=True, gc=False):
    """A row of a cabling table."""

    device: str
    port: str
    far_device: str
    far_port: str
    origin: Origin


class Planned(Struct, frozen=True):
    """A row of a port plan: what a port should be. `values` maps attributes of `Port` to their
    intended values.
    """

    device: str
    port: str
    origin: Origin
    values: dict[str, Any]


class Host(Struct, frozen=True, gc=False):
    """A named host at a port. `vid` is set where it sends tagged frames."""

    name: str
    device: str
    port: str
    origin: Origin
    vid: int | None = None
    address: Address | None = None
    gateway: str | None = None


class Overridden(Struct, frozen=True, gc=False):
    """A fact that a later statement of the same file replaced. `port` is "" for a row of the VLAN
    table.

    `before` and `after` are the values as text (VID sets as lists).
    """

    port: str
    attribute: str
    old: Origin
    new: Origin
    before: str
    after: str

    @classmethod
    def of(cls, port: str, attribute: str, before: Fact[Any], after: Fact[Any]) -> Overridden:
        """That one fact of a port replaced another."""
        old, new = ("none" if f.value is None else str(f.value) for f in (before, after))
        return cls(port, attribute, before.origin, after.origin, old, new)


class Device(Struct):
    """A switch (or router). `vlans` is None where the source brings no VLAN table.

    `table_is_membership`: the VLANs of the device are those its ports carry, by design of the
    system. `known_as` are further names that neighbours may have for it, as its chassis ID.
    `address` is its bridge address, as `campus.address_text` writes it; `region` and `revision`
    name its region of spanning trees.
    """

    name: str
    origin: Origin
    platform: Platform
    vlans: dict[int, Vlan] | None = None
    ports: dict[str, Port] = field(default_factory=dict)
    bridges: dict[str, Bridge] = field(default_factory=dict)
    gateways: list[Gateway] = field(default_factory=list)
    tree_mode: Fact[TreeMode] | None = None
    address: Fact[str] | None = None
    region: Fact[str] | None = None
    revision: Fact[int] | None = None
    trees: list[Tree] = field(default_factory=list)
    distribution: Distribution | None = None
    filters: dict[str, Filter] = field(default_factory=dict)
    table_is_membership: bool = False
    known_as: tuple[str, ...] = ()
    overridden: list[Overridden] = field(default_factory=list)

    def row(self, vid: int) -> Vlan | None:
        """The row of a VLAN in the table, if the device has a table, and the table the VLAN."""
        return self.vlans.get(vid) if self.vlans is not None else None

    def value(self, port: Port, attribute: str) -> Any:
        """What an attribute of a port is: stated, or by default of the platform; else None."""
        fact = self.platform.fact(port, attribute)
        return None if fact is None else fact.value


class Campus(Struct):
    """All that was read. `devices` is sorted by name.

    `others` are further descriptions of devices among them, from sources of another kind: they do
    not forward, they are compared. `unmatched` are the lines that were not understood and may have
    to do with VLANs, secrets left out.
    """

    devices: dict[str, Device] = field(default_factory=dict)
    neighbours: list[Neighbour] = field(default_factory=list)
    cables: list[Cable] = field(default_factory=list)
    hosts: list[Host] = field(default_factory=list)
    planned: list[Planned] = field(default_factory=list)
    others: list[Device] = field(default_factory=list)
    problems: list[Problem] = field(default_factory=list)
    unmatched: list[tuple[Origin, str]] = field(default_factory=list)
