"""What a plan may say: the types here are its schema. The loader reads them, and editors get a JSON
Schema of them.

Every part is optional. Names of members are written with hyphens in the file. `origin` is where an
entry stands; it is never written.
"""

from __future__ import annotations

from abc import ABC
from datetime import date
from ipaddress import IPv4Address, IPv6Address
from typing import TYPE_CHECKING, Annotated, ClassVar, Literal

from msgspec import Meta, Struct, field

from inkov.campus import Address, Origin, Subnet
from inkov.levels import Layer, Level
from inkov.vlanset import VlanSet

__all__ = [
    "Acceptance",
    "Carried",
    "Claim",
    "DistributionPractice",
    "PlanFile",
    "PlannedHost",
    "PlannedPlatform",
    "PlannedSegment",
    "PlannedUplink",
    "PlannedVlan",
    "Practice",
    "SharedFate",
    "UnusedPractice",
    "Vid",
]

if TYPE_CHECKING:
    HostAddress = IPv4Address | IPv6Address
else:

    class HostAddress(ABC):  # noqa: B024 - one type for msgspec, as Address is
        """An IPv4 or IPv6 address."""

    HostAddress.register(IPv4Address)
    HostAddress.register(IPv6Address)

NameList = Annotated[list[str], Meta(extra={"one": True})]
"""A list of names, or one name."""
Vid = Annotated[int, Meta(ge=1, le=4094)]
RoleName = Literal["core", "distribution", "access", "router", "server"]
Severity = Literal["breach", "fault", "risk", "note"]


class PlannedVlan(Struct, rename="kebab", forbid_unknown_fields=True):
    """A VLAN: `10: climate` is short for `10: {name: climate}`.

    `needed` names switches that must have it whatever serves it there; `routed: no` forbids a
    gateway in it. `on` has the switches and ports where it belongs (`plan.placed`; with an empty
    list it belongs nowhere), `gateways` the switches that route it, all of them, each with its
    address.
    """

    short: ClassVar[str] = "name"
    name: str = ""
    segment: str = ""
    subnet: Subnet | None = None
    needed: list[str] = field(default_factory=list)
    routed: bool | None = None
    on: NameList | None = None
    gateways: dict[str, Address] | None = None
    origin: Origin = Origin()


class PlannedSegment(Struct, rename="kebab", forbid_unknown_fields=True):
    """A segment: `tills: 50,51` is short for `tills: {vlans: 50,51}`."""

    short: ClassVar[str] = "vlans"
    vlans: VlanSet
    about: str = ""
    origin: Origin = Origin()


class PlannedHost(Struct, rename="kebab", forbid_unknown_fields=True):
    """A host at a port, as `switch:port`; `vlan` where it sends tagged frames."""

    at: str
    address: Address | None = None
    gateway: HostAddress | None = None
    vlan: Vid | None = None
    origin: Origin = Origin()


class PlannedUplink(Struct, rename="kebab", forbid_unknown_fields=True):
    """A switch behind another: `edit-9:1: edit-5:48` is short for `edit-9:1: {to: edit-5:48}`. The
    link lets `vlans` through; where they are not stated, those that have to pass.
    """

    short: ClassVar[str] = "to"
    to: str
    vlans: VlanSet | None = None
    origin: Origin = Origin()


class UnusedPractice(Struct, rename="kebab", forbid_unknown_fields=True):
    """Where unused ports belong: `vlan` is the parking VLAN; `shut: no` if they may stay on (in
    it).
    """

    vlan: Vid | None = None
    shut: bool = True
    origin: Origin = Origin()


class DistributionPractice(Struct, rename="kebab", forbid_unknown_fields=True):
    """What the protocol that spreads VLAN definitions can: the VLANs that each version carries
    (default: all), and the versions that carry private VLANs.
    """

    carries: dict[int, VlanSet] = field(default_factory=dict)
    private: list[int] = field(default_factory=list)
    origin: Origin = Origin()


class Practice(Struct, rename="kebab", forbid_unknown_fields=True):
    """House rules. What is not said is not asked for."""

    native: Vid | None = None
    management: Vid | None = None
    negotiation: Literal["on", "off"] | None = None
    reserved: VlanSet | None = None
    names: str = ""
    root: list[str] = field(default_factory=list)
    unused: UnusedPractice | None = None
    edge: bool | None = None
    guard: bool | None = None
    distribution: DistributionPractice = field(default_factory=DistributionPractice)
    origin: Origin = Origin()


class Acceptance(Struct, rename="kebab", forbid_unknown_fields=True):
    """A finding that is accepted, `because` of something and `until` a day (that day included).

    It covers the findings of `rule` that point at one place with those of `switch` and `port` that
    are given; with a `vlan`, those that speak of this one alone.
    """

    rule: str
    because: str
    switch: str = ""
    port: str = ""
    vlan: Vid | None = None
    until: date | None = None
    origin: Origin = Origin()


class PlannedPlatform(Struct, rename="kebab", forbid_unknown_fields=True):
    """A make of switch: the `files` it is known by (patterns such as `north-*.txt`) or its
    `switches`.

    `unstated` says what its unstated settings mean, by the keys of switch sheets; `private-vlans:
    no` that it cannot do private VLANs.
    """

    files: list[str] = field(default_factory=list)
    switches: list[str] = field(default_factory=list)
    unstated: dict[str, str] = field(default_factory=dict)
    private_vlans: bool = True
    origin: Origin = Origin()


class Carried(Struct, rename="kebab", forbid_unknown_fields=True):
    """A VLAN (or several) that may be on some switches only (`on`: names, or patterns), or cross
    some links only (`over`: one end of each, as `switch:port`, or patterns); or both.
    """

    vlans: VlanSet
    on: NameList | None = None
    over: NameList | None = None
    origin: Origin = Origin()

    @property
    def words(self) -> str:
        """The switches and links."""
        links = [f"links at {', '.join(self.over)}"] if self.over is not None else []
        return " and ".join([*([", ".join(self.on)] if self.on is not None else []), *links])


class Claim(Struct, rename="kebab", forbid_unknown_fields=True):
    """What must hold. Exactly one of `isolate`, `join`, `reach`, `not-reach`, `carried-by` is
    stated.

    `isolate` alone: each of its members from every other; with `from`: each of them from each of
    those; `except` leaves members of `from` out. `one-way`: only frames from `isolate` to `from`
    are forbidden. `withstand`, of `join` and `reach`: it must hold as well without any one link,
    any one switch, either (`both`), or any two links (2). Members are segments, VLANs (by name, or
    as `vlan 30,31`), hosts, ports as `switch:port` with `*`, or `everything`.
    """

    isolate: NameList | None = None
    from_: NameList | None = field(default=None, name="from")
    except_: NameList | None = field(default=None, name="except")
    one_way: bool = False
    join: NameList | None = None
    reach: NameList | None = None
    not_reach: NameList | None = None
    carried_by: Carried | None = None
    withstand: Literal["links", "switches", "both", 2] | None = None
    layer: Layer = Layer.FRAMES
    level: Level = Level.HONEST
    about: str = ""
    origin: Origin = Origin()

    @property
    def kind(self) -> str:
        """Which of the five it is; "" if none or several are stated."""
        kinds = {
            "isolate": self.isolate,
            "join": self.join,
            "reach": self.reach,
            "not-reach": self.not_reach,
            "carried-by": self.carried_by,
        }
        stated = [kind for kind, value in kinds.items() if value is not None]
        return stated[0] if len(stated) == 1 else ""

    @property
    def members(self) -> list[str]:
        """All names that it gives its members."""
        lists = (self.isolate, self.from_, self.except_, self.join, self.reach, self.not_reach)
        return [name for names in lists for name in names or ()]

    @property
    def words(self) -> str:
        """The claim as it is told: by what it is about, if that is said, or else in full."""
        # What somebody wrote about a claim says it best.
        if self.about:
            return self.about
        if self.isolate is not None and self.from_ is None:
            return f"isolate {', '.join(self.isolate)}"
        if self.isolate is not None:
            but = f" but {', '.join(self.except_)}" if self.except_ else ""
            one_way = "one way, " if self.one_way else ""
            return (
                f"{one_way}isolate {', '.join(self.isolate)} from"
                f" {', '.join(self.from_ or ())}{but}"
            )
        if self.join is not None:
            return f"join {', '.join(self.join)}{self._whatever_fails}"
        if self.carried_by is not None:
            return f"VLAN {self.carried_by.vlans} on {self.carried_by.words} only"
        a, b = self.reach or self.not_reach or ["", ""]
        verb = "reaches" if self.reach else "does not reach"
        return f"{a} {verb} {b}{self._whatever_fails}"

    @property
    def _whatever_fails(self) -> str:
        words: dict[str | int | None, str] = {
            None: "",
            "links": ", whatever link fails",
            "switches": ", whatever switch fails",
            "both": ", whatever link or switch fails",
            2: ", whatever two links fail",
        }
        return words[self.withstand]


class Expected(Struct, rename="kebab", forbid_unknown_fields=True):
    """The switches that must be among the files: names and patterns (`*` for any characters), each
    of which one at least must fit, and how many there must be.
    """

    short: ClassVar[str] = "switches"

    switches: NameList = field(default_factory=list)
    number: int = 0
    origin: Origin = Origin()


class SharedFate(Struct, rename="kebab", forbid_unknown_fields=True):
    """What fails together, and what it is `about`: one line card, one duct, the power of one room.
    `parts` are ends of links (`switch:port`, one end of each will do), switches, or patterns.
    """

    short: ClassVar[str] = "parts"
    parts: NameList
    about: str = ""
    origin: Origin = Origin()


class PlanFile(Struct, rename="kebab", forbid_unknown_fields=True):
    """The whole plan. `uplinks` has switches behind others, by the ports that lead there; `ports`
    and `links` name tables (port plans, cabling) beside it; `roles` says what switches are (names,
    patterns), where the cabling does not show it.
    """

    vlans: dict[Vid, PlannedVlan] = field(default_factory=dict)
    segments: dict[str, PlannedSegment] = field(default_factory=dict)
    hosts: dict[str, PlannedHost] = field(default_factory=dict)
    practice: Practice = field(default_factory=Practice)
    accepted: list[Acceptance] = field(default_factory=list)
    platforms: dict[str, PlannedPlatform] = field(default_factory=dict)
    expected: Expected = field(default_factory=Expected)
    together: list[SharedFate] = field(default_factory=list)
    claims: list[Claim] = field(default_factory=list)
    roles: dict[RoleName, NameList] = field(default_factory=dict)
    uplinks: dict[str, PlannedUplink] = field(default_factory=dict)
    ports: NameList = field(default_factory=list)
    links: NameList = field(default_factory=list)
    origin: Origin = Origin()
