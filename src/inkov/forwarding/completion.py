"""Stages 1 and 2, stated and completed: every attribute of a port gets a value and an origin
(FM 1.1, FM 1.2).
"""

from __future__ import annotations

from operator import attrgetter
from typing import NamedTuple

from inkov.campus import Accept, Mode, Negotiation, Platform, Port
from inkov.vlanset import VlanSet

__all__ = ["Completed", "complete"]


class Completed(NamedTuple):
    """The values that hold for a port before its far end is looked at."""

    mode: Mode
    negotiation: Negotiation
    access_vlan: int
    voice_vlan: int | None
    native_vlan: int | None
    native_tagged: bool
    allowed: VlanSet
    withheld: VlanSet
    pvid: int | None
    accept: Accept
    ingress_filtering: bool
    tagged: VlanSet
    untagged: VlanSet | None
    primary: int | None
    secondary: int | None
    secondaries: VlanSet
    protected: bool
    registration: bool


def complete(port: Port, platform: Platform) -> Completed:
    """The stated value of each attribute, or else the platform's default."""
    facts = zip(_facts(port), platform.values(Completed._fields), strict=True)
    return Completed._make([default if fact is None else fact.value for fact, default in facts])


_facts = attrgetter(*Completed._fields)
