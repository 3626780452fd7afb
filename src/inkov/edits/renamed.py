"""Switches that have another name now.

A switch that is gone and one that is new are one and the same if they are known by the same address
(a chassis ID), or if their ports say the same, and nothing else that came or went could be meant.
Names are what everything is found by, so renaming comes before comparing.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any, NamedTuple

from msgspec.structs import replace

from inkov.campus import Campus, Device
from inkov.edits.edit import same

__all__ = ["Renamed", "renamed", "renames"]

_ALIKE = 0.8  # of the ports and VLANs of both, that many must be the same
_FEWEST = 4  # ports and VLANs: a switch with fewer looks like any other


class Renamed(NamedTuple):
    """The new name of a switch; `sure` if an address tells so, and not likeness alone."""

    name: str
    sure: bool


def renames(old: Campus, new: Campus) -> dict[str, Renamed]:
    """Old name -> new name, of the switches that were renamed as far as that can be told."""
    gone = [device for name, device in old.devices.items() if name not in new.devices]
    come = [device for name, device in new.devices.items() if name not in old.devices]
    new_names: dict[str, Renamed] = {}
    for test, sure in ((_same_address, True), (_alike, False)):
        taken = {renamed.name for renamed in new_names.values()}
        pairs = [
            (device.name, other.name)
            for device in gone
            for other in come
            if device.name not in new_names and other.name not in taken and test(device, other)
        ]
        for one, other in pairs:
            meant = sum(pair[0] == one for pair in pairs), sum(pair[1] == other for pair in pairs)
            # Of two that could be meant none is.
            if meant == (1, 1):  # nobody else could be meant
                new_names[one] = Renamed(other, sure)
    return new_names


def _same_address(one: Device, other: Device) -> bool:
    # No address in common proves nothing.
    return bool(set(one.known_as) & set(other.known_as))


def _alike(one: Device, other: Device) -> bool:
    things = [{**device.ports, **_rows(device)} for device in (one, other)]
    names = {*things[0], *things[1]}
    shared = [n for n in things[0] if n in things[1] and same(things[0][n], things[1][n])]
    return len(shared) >= max(_FEWEST, _ALIKE * len(names))


def _rows(device: Device) -> dict[str, Any]:
    return {f"VLAN {vid}": row for vid, row in (device.vlans or {}).items()}


def renamed(campus: Campus, names: Mapping[str, Renamed]) -> Campus:
    """A campus with other names for some switches, wherever they are named."""
    # Nearly always nothing was renamed.
    if not names:
        return campus

    def of(name: str) -> str:
        return names[name].name if name in names else name

    def moved(things: Iterable[Any]) -> list[Any]:
        return [replace(thing, device=of(thing.device)) for thing in things]

    def both(links: Iterable[Any]) -> list[Any]:
        return [
            replace(link, device=of(link.device), far_device=of(link.far_device)) for link in links
        ]

    devices = [replace(device, name=of(name)) for name, device in campus.devices.items()]
    return replace(
        campus,
        devices={device.name: device for device in sorted(devices, key=lambda device: device.name)},
        neighbours=both(campus.neighbours),
        cables=both(campus.cables),
        hosts=moved(campus.hosts),
        planned=moved(campus.planned),
        others=[replace(other, name=of(other.name)) for other in campus.others],
    )
