"""Stage 3, negotiated: whether a port that negotiates becomes an access or a trunk port (FM 1.3, FM
1.4, FM 1.5).

All that is known of negotiation is the table `OUTCOME`. A port that does not negotiate is what its
mode says.
"""

from __future__ import annotations

from enum import StrEnum

from inkov.campus import Mode, Negotiation
from inkov.forwarding.completion import Settled

__all__ = ["OUTCOME", "Party", "negotiates", "operational_mode", "party"]


class Party(StrEnum):
    """What a port is towards the far end's negotiation."""

    FIXED_ACCESS = "fixed access"
    PASSIVE = "passive"
    ACTIVE = "active"
    ANNOUNCING = "announcing trunk"
    SILENT = "silent trunk"
    NOBODY = "no switch there"


_A, _T = Mode.ACCESS, Mode.TRUNK
OUTCOME: dict[Party, dict[Party, Mode]] = {
    Party.PASSIVE: {
        Party.FIXED_ACCESS: _A,
        Party.PASSIVE: _A,
        Party.ACTIVE: _T,
        Party.ANNOUNCING: _T,
        Party.SILENT: _A,  # a mismatch: one end access, the other trunk
        Party.NOBODY: _A,
    },
    Party.ACTIVE: {
        Party.FIXED_ACCESS: _A,
        Party.PASSIVE: _T,
        Party.ACTIVE: _T,
        Party.ANNOUNCING: _T,
        Party.SILENT: _A,  # a mismatch, too: nobody answers
        Party.NOBODY: _A,
    },
}
"""local party -> remote party -> what the local port becomes."""

_NEGOTIATES = {Negotiation.PASSIVE: Party.PASSIVE, Negotiation.ACTIVE: Party.ACTIVE}


def negotiates(settled: Settled) -> bool:
    """True if the far end has a say in what the port is."""
    return settled.negotiation in _NEGOTIATES and (
        settled.mode is Mode.ACCESS or settled.mode is Mode.TRUNK
    )


def party(settled: Settled) -> Party:
    """What a port shows to its far end. Ports that are no plain trunks answer to no request: like
    fixed access.
    """
    if negotiates(settled):
        return _NEGOTIATES[settled.negotiation]
    if settled.mode is Mode.TRUNK:
        return Party.ANNOUNCING if settled.negotiation is Negotiation.ANNOUNCING else Party.SILENT
    return Party.FIXED_ACCESS


def operational_mode(settled: Settled, remote: Party) -> Mode:
    """What the port is once both ends have had their say."""
    return OUTCOME[party(settled)][remote] if negotiates(settled) else settled.mode
