"""Mistakes of every kind, planted into campuses as a slip of the hand would: one thing changed,
nothing else.

A mistake is a function that changes the campus (or the plan) and returns the places that its
finding must name, or None where the campus gives no occasion for it. `KINDS` has those that were
imported, with the rule that must find them.
"""

from __future__ import annotations

import random
from collections import Counter
from collections.abc import Callable
from typing import Any, NamedTuple

from inkov.campus import (
    Campus,
    Fact,
    Mode,
    Origin,
    Port,
    PortKind,
    Vlan,
)
from inkov.checks import Site
from inkov.forwarding import Resolved
from inkov.vlanset import VlanSet
from inkov.wiring import End

PLANTED = Origin("planted", 1)
SPOT = tuple[str, str | None]


class Ground(NamedTuple):
    """Where a mistake is planted: the clean campus as it is seen, the copy that is changed, and the
    plan's text.
    """

    site: Site
    campus: Campus
    rng: random.Random
    plan: list[str]

    def port(self, end: End) -> Port:
        return self.campus.devices[end.device].ports[end.port]

    def table(self, device: str) -> dict[int, Vlan]:
        table = self.campus.devices[device].vlans
        assert table is not None
        return table

    def hosts(self, fits: Callable[[Resolved], bool] = lambda r: True) -> list[Resolved]:
        """Access ports with hosts, in a switch with a VLAN table, in no port plan."""
        tabled = {
            d.name
            for d in self.campus.devices.values()
            if d.vlans is not None and not d.table_is_membership
        }
        planned = {End(p.device, p.port) for p in self.campus.planned} | set(self.site.hosts_at)
        second = {device.name for device in self.campus.others}
        members = Counter((r.end.device, r.access) for r in self.site.access_hosts)
        return [
            r
            for r in self.site.access_hosts
            if r.mode is Mode.ACCESS
            and r.end.device in tabled - second
            and r.end not in planned
            and members[r.end.device, r.access] > 1
            and fits(r)
        ]

    def trunk_links(self) -> list[Any]:
        return [j for j in self.site.trunk_links if j.a.mode is j.b.mode is Mode.TRUNK]

    def single(self) -> list[Any]:
        """Trunk links that are the only way to a switch: (link, near end, the end of the switch
        behind).
        """
        found = []
        for joined in self.trunk_links():
            for near, far in ((joined.a, joined.b), (joined.b, joined.a)):
                links = [
                    k
                    for k in self.site.fabric.wiring.links
                    if far.end.device in (k.a.device, k.b.device)
                ]
                if len(links) == 1:
                    found.append((joined, near, far))
        return found

    def spare(self) -> list[End]:
        """Physical ports that are shut and in no link."""
        of = self.site.fabric.wiring.of
        return [
            r.end
            for r in self.site.every_port
            if not r.up and not r.bundle and r.end not in of and r.stated.kind is PortKind.PHYSICAL
        ]


def said(value: Any) -> Fact[Any]:
    return Fact(value, PLANTED)


def some(ground: Ground, options: list[Any]) -> Any:
    return ground.rng.choice(options) if options else None


def state(ground: Ground, end: End, **settings: Any) -> None:
    for attribute, value in settings.items():
        setattr(ground.port(end), attribute, None if value is None else said(value))


Plant = Callable[[Ground], list[SPOT] | None]


class Kind(NamedTuple):
    rule: str
    plant: Plant


KINDS: dict[str, Kind] = {}


def mistake(rule: str) -> Callable[[Plant], Plant]:
    def enter(plant: Plant) -> Plant:
        KINDS[plant.__name__] = Kind(rule, plant)
        return plant

    return enter


def of_host(rule: str, name: str, **settings: Any) -> None:
    """A setting of one host port."""

    def plant(ground: Ground) -> list[SPOT] | None:
        host = some(ground, ground.hosts(lambda r: r.completed.voice_vlan is None))
        if host is None:
            return None
        state(ground, host.end, **settings)
        return [host.end]

    plant.__name__ = name
    mistake(rule)(plant)


def of_trunk(rule: str, name: str, both: bool = False, **settings: Any) -> None:
    """A setting of one end of a trunk link, or of both."""

    def plant(ground: Ground) -> list[SPOT] | None:
        joined = some(ground, ground.trunk_links())
        if joined is None:
            return None
        for end in (joined.a.end, joined.b.end) if both else (joined.a.end,):
            state(
                ground,
                end,
                **{k: v(ground, end) if callable(v) else v for k, v in settings.items()},
            )
        return [joined.a.end, joined.b.end] if both else [joined.a.end]

    plant.__name__ = name
    mistake(rule)(plant)


def members(ground: Ground, end: End) -> VlanSet:
    """The VLANs of a trunk that hosts are in."""
    served = VlanSet(ground.site.served_anywhere) & ground.site.resolved(end).completed.allowed
    return served - VlanSet.of(1, 30, 31, 32, 90, 99)
