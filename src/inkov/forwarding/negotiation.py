"""Stage 3, negotiated: whether a port that negotiates becomes an access or a trunk port (FM 1.3,
FM 1.4, FM 1.5).

All that is known of negotiation is the table `OUTCOME`. A port that does not negotiate is what its
mode says.
"""

from __future__ import annotations

from enum import StrEnum

from inkov.campus import Mode, Negotiation
from inkov.forwarding.completion import Completed

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


def negotiates(completed: Completed) -> bool:
    """True if the far end has a say in what the port is."""
    # Other modes (general, private, routed) never negotiate.
    return completed.negotiation in _NEGOTIATES and (
        completed.mode is Mode.ACCESS or completed.mode is Mode.TRUNK
    )


def party(completed: Completed) -> Party:
    """What a port shows to its far end. Ports that are no plain trunks answer to no request: like
    fixed access.
    """
    if negotiates(completed):
        return _NEGOTIATES[completed.negotiation]
    if completed.mode is Mode.TRUNK:
        return Party.ANNOUNCING if completed.negotiation is Negotiation.ANNOUNCING else Party.SILENT
    return Party.FIXED_ACCESS


def operational_mode(completed: Completed, remote: Party) -> Mode:
    """What the port is once both ends have had their say."""
    return OUTCOME[party(completed)][remote] if negotiates(completed) else completed.mode
