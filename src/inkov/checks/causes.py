"""Causes: findings that have one cause are told as one.

Theory of operation. Checks do not know of each other. A VLAN that one switch lacks shows as a VLAN
missing in transit, as a gateway that is down and as an access port in an unknown VLAN; each is
found by its own rule. What they have in common is the cause, and each rule states it as a value of
one of the types below. `run` puts findings with equal causes together: the first in the catalogue's
order leads, and the others become what comes of it.

A cause names things of the campus, never words. So two rules that mean the same cause agree without
knowing of each other, and a change of a sentence changes no grouping.
"""

from __future__ import annotations

from msgspec import Struct

from inkov.wiring import Link

__all__ = [
    "Cause",
    "InterfaceWrong",
    "LinkFails",
    "RangeOverridden",
    "SecondaryAlone",
    "VersionDiffers",
    "VlanAbsent",
]


class VlanAbsent(Struct, frozen=True):
    """A switch does not have a VLAN, or has it suspended."""

    vid: int
    switch: str


class SecondaryAlone(Struct, frozen=True):
    """A secondary VLAN has no primary on a switch."""

    vid: int
    switch: str


class LinkFails(Struct, frozen=True):
    """A link does not pass what it should."""

    link: Link


class VersionDiffers(Struct, frozen=True):
    """A switch runs another version of the distribution than the rest of its domain."""

    switch: str


class InterfaceWrong(Struct, frozen=True):
    """A routed interface has a wrong address or mask, or is shut."""

    switch: str
    name: str


class RangeOverridden(Struct, frozen=True):
    """A later statement for a range of ports of a switch took them from an earlier one."""

    switch: str
    ports: tuple[str, ...]


Cause = VlanAbsent | SecondaryAlone | VersionDiffers | LinkFails | InterfaceWrong | RangeOverridden
