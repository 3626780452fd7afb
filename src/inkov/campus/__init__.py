"""The neutral model of a campus: pure data, and for every fact where it comes from.

Readers build it, every later room reads it, nothing in it decides anything. What a switch *does* with these facts is
decided in `inkov.forwarding`.
"""

from inkov.campus.model import (
    Accept,
    Address,
    Aggregation,
    Bridge,
    Cable,
    Campus,
    Device,
    Distribution,
    Fact,
    Gateway,
    Guard,
    Host,
    Mode,
    Negotiation,
    Neighbour,
    Overridden,
    Planned,
    Platform,
    Port,
    PortKind,
    Private,
    Role,
    Tree,
    TreeMode,
    Vlan,
)
from inkov.campus.order import natural
from inkov.campus.origin import Basis, Origin, Problem
from inkov.campus.platform import OPENCONFIG, STANDARD, WALK

__all__ = [
    "OPENCONFIG",
    "STANDARD",
    "WALK",
    "Accept",
    "Address",
    "Aggregation",
    "Basis",
    "Bridge",
    "Cable",
    "Campus",
    "Device",
    "Distribution",
    "Fact",
    "Gateway",
    "Guard",
    "Host",
    "Mode",
    "Negotiation",
    "Neighbour",
    "Origin",
    "Overridden",
    "Planned",
    "Platform",
    "Port",
    "PortKind",
    "Private",
    "Problem",
    "Role",
    "Tree",
    "TreeMode",
    "Vlan",
    "natural",
]
