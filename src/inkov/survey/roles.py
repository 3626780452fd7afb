"""What each switch is on the campus (core, distribution, access, router), and which form a block.

Nobody writes that into a configuration; it shows in the cabling:

- A *router* bridges nothing.
- The *core* is the switch nearest to all others (the least sum of distances), and those that are
  linked to at least half as many switches, half of its own among them: a pair that shares what
  hangs below. Where switches route (several VLANs, or over links), it is one of these.
- *Distribution* is what at least two switches farther from the core hang on, or one if it has no
  host ports.
- All others are *access*.
- A *block* is what hangs together once core and routers are taken away.

What the plan says (`roles`) comes first. Each part of a campus that no link joins with others has a
core of its own, if it has three switches at least.
"""

from __future__ import annotations

from collections.abc import Iterable
from enum import StrEnum
from functools import cached_property

from msgspec import Struct, field

from inkov.campus import Mode, natural
from inkov.forwarding import Fabric
from inkov.forwarding.serve import gateway_bits

__all__ = ["Block", "Role", "Roles", "roles"]

_CANDIDATES = 24  # switches that are looked at as the core: those with most neighbours
_FEWEST = 3  # switches of a part that has a core


class Role(StrEnum):
    """What a switch is on the campus. Servers are what the plan calls so."""

    CORE = "core"
    DISTRIBUTION = "distribution"
    ACCESS = "access"
    ROUTER = "router"
    SERVER = "server"


class Block(Struct):
    """Switches that hang together without the core: `heads` are its distribution switches."""

    heads: list[str]
    access: list[str]

    @property
    def switches(self) -> list[str]:
        return [*self.heads, *self.access]


class Roles(Struct, dict=True):
    """The role of each device; how many links it is away from the core; the blocks, in natural
    order; which devices have their role from the plan.
    """

    of: dict[str, Role]
    depth: dict[str, int] = field(default_factory=dict)
    beside: dict[str, list[str]] = field(default_factory=dict)
    stated: set[str] = field(default_factory=set)

    def named(self, role: Role) -> list[str]:
        """The devices of a role, in natural order."""
        return sorted((name for name, own in self.of.items() if own is role), key=natural)

    @cached_property
    def blocks(self) -> list[Block]:
        # What is left without the core and routers: the blocks.
        left = {n for n, role in self.of.items() if role not in (Role.CORE, Role.ROUTER)}
        grouped = []
        for name in sorted(left, key=natural):
            if name in left:
                part = _part(self.beside, name, left)
                left -= part
                ordered = sorted(part, key=natural)
                heads = [n for n in ordered if self.of[n] is Role.DISTRIBUTION]
                grouped.append(Block(heads, [n for n in ordered if n not in heads]))
        return grouped


def roles(fabric: Fabric, stated: dict[str, Role] | None = None) -> Roles:
    """The roles of all devices. `stated` are those that the plan has."""
    campus = fabric.campus
    bridging = {inside.device for inside in fabric.bridges if not inside.routed}
    # A device whose bridges are all routed ports bridges nothing.
    routers = {inside.device for inside in fabric.bridges if inside.routed} - bridging
    beside = _neighbours(fabric)
    result = Roles({}, beside=beside, stated=set(stated or {}) & campus.devices.keys())
    result.of = {name: Role.ROUTER if name in routers else Role.ACCESS for name in campus.devices}
    result.of |= {name: role for name, role in (stated or {}).items() if name in campus.devices}
    switches = {name for name, role in result.of.items() if role is not Role.ROUTER}
    left = set(switches)
    routing = _routing(fabric)
    for name in sorted(switches, key=natural):
        if name not in left:
            continue
        part = _part(beside, name, switches)
        left -= part
        # The plan's word first; else the cabling tells, in parts that are large enough.
        core = [n for n in part if n in result.stated and result.of[n] is Role.CORE]
        if not core and len(part) >= _FEWEST:
            core = _core(beside, part - result.stated or part, part, routing)
            result.of |= {n: Role.CORE for n in core if n not in result.stated}
        # Without a core distances are from any switch: they still tell what is farther.
        result.depth |= _depths(beside, core or [name], part)
    _find_distribution(result, fabric, switches)
    return result


def _find_distribution(result: Roles, fabric: Fabric, switches: set[str]) -> None:
    """Find the switches that others hang on."""
    hosts = {port.end.device for port in fabric.bridge_ports if fabric.has_hosts(port.end)}
    for name in switches - result.stated:
        # What at least two hang on, or one if nobody is plugged in there.
        if result.of[name] is not Role.CORE:
            farther = [
                n
                for n in result.beside.get(name, ())
                if result.depth.get(n, 0) > result.depth[name]
            ]
            below = [n for n in farther if n in switches]
            if len(below) > 1 or (below and name not in hosts):
                result.of[name] = Role.DISTRIBUTION


def _routing(fabric: Fabric) -> set[str]:
    """The devices that route several VLANs, or have several links that are routed."""
    routed: dict[str, int] = {}
    for link in fabric.wiring.links:
        for end in (link.a, link.b):
            if fabric.ports[end].mode is Mode.ROUTED:
                routed[end.device] = routed.get(end.device, 0) + 1
    gateways = gateway_bits(fabric)
    # One VLAN with an address is a switch's own management, not routing.
    return {name for name, mask in gateways.items() if mask.bit_count() > 1} | {
        name for name, number in routed.items() if number > 1
    }


def _neighbours(fabric: Fabric) -> dict[str, list[str]]:
    """Device -> the others that a link leads to."""
    near: dict[str, dict[str, None]] = {}
    for link in fabric.wiring.links:
        one, other = link.a.device, link.b.device
        if one != other:
            near.setdefault(one, {})[other] = None
            near.setdefault(other, {})[one] = None
    return {name: sorted(others, key=natural) for name, others in near.items()}


def _part(beside: dict[str, list[str]], start: str, among: set[str]) -> set[str]:
    """What hangs together with a switch among some."""
    return set(_depths(beside, [start], among))


def _depths(beside: dict[str, list[str]], starts: Iterable[str], among: set[str]) -> dict[str, int]:
    """How far the switches are, among some, from any of the starts."""
    depth = dict.fromkeys(starts, 0)
    work = list(depth)
    for name in work:
        for far in beside.get(name, ()):
            if far in among and far not in depth:
                depth[far] = depth[name] + 1
                work.append(far)
    return depth


def _core(
    beside: dict[str, list[str]], candidates: set[str], part: set[str], routing: set[str]
) -> list[str]:
    """The core of a part."""
    own = {name: {far for far in beside.get(name, ()) if far in part} for name in part}
    # Where switches route, the core is one of these; else any may be.
    able = candidates & routing or candidates
    busiest = sorted(able, key=lambda name: (-len(own[name]), natural(name)))[:_CANDIDATES]

    def far_off(name: str) -> tuple[int, object]:
        return sum(_depths(beside, [name], part).values()), natural(name)

    first = min(busiest, key=far_off)
    # A pair shares at least half of what hangs on either.
    needed = len(own[first]) / 2
    pair = [
        name
        for name in candidates
        if name != first
        and len(own[first]) >= _FEWEST
        and len(own[name]) >= needed
        # It must be linked to as many, and to the same ones.
        and len(own[name] & own[first]) >= needed
    ]
    return sorted([first, *pair], key=natural)
