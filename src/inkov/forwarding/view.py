"""Stage 4, the forwarding view: a port as IEEE Std 802.1Q sees it (6.9 ingress, 8.6 forwarding;
FM 2).

The familiar settings are short forms of six attributes. `_SHORT_FORMS` is that table; nothing else
knows what "access" or "trunk" means for a frame.
"""

from __future__ import annotations

from collections.abc import Callable
from enum import StrEnum

from msgspec import Struct

from inkov.campus import Accept, Mode
from inkov.forwarding.completion import Completed
from inkov.vlanset import VlanSet, bit

__all__ = ["ALL", "NOTHING", "Form", "PortView", "view_of"]

ALL = VlanSet.all().bits


class Form(StrEnum):
    """The row of the table that a port follows."""

    ACCESS = "access"
    ACCESS_VOICE = "access with voice"
    TRUNK = "trunk"
    TRUNK_NO_NATIVE = "trunk without native"
    TRUNK_NATIVE_TAGGED = "trunk, native tagged"
    GENERAL = "general"
    ISOLATED = "private, isolated"
    COMMUNITY = "private, community"
    PROMISCUOUS = "promiscuous"
    ROUTED = "routed"
    UNAWARE = "unaware"
    DOWN = "down"


class PortView(Struct, frozen=True, gc=False):
    """The six attributes (FM 2.1). VID sets are masks (bit v = VID v).

    `pvid`: the VID given to an untagged frame on arrival, 0 if such frames are dropped. `admit`:
    the VIDs a tagged frame may arrive with. `emit`: the VIDs that leave. `untagged`: the part of
    `emit` that leaves untagged.
    """

    form: Form
    pvid: int = 0
    admit: int = 0
    emit: int = 0
    untagged: int = 0
    protected: bool = False

    @property
    def accept(self) -> Accept | None:
        """The frame types that can come in at all; None if none can."""
        if self.pvid and self.admit:
            # Both kinds, one, or none: that is all that matters to a host.
            return Accept.ALL
        return Accept.UNTAGGED if self.pvid else Accept.TAGGED if self.admit else None

    def enters(self) -> int:
        """The VIDs in which some frame can arrive here (FM 3.1, FM 3.2)."""
        return self.admit | (bit(self.pvid))

    def within(self, live: int) -> PortView:
        """The view on a switch that has only the VIDs `live` (FM 3.3)."""
        pvid = self.pvid if live >> self.pvid & 1 else 0
        return PortView(
            self.form,
            pvid,
            self.admit & live,
            self.emit & live,
            self.untagged & live,
            self.protected,
        )


NOTHING = PortView(Form.DOWN)


def _access(s: Completed, community: bool) -> PortView:
    v, w = s.access_vlan, s.voice_vlan
    # Without a voice VLAN tagged frames are dropped.
    if w is None:
        return PortView(Form.ACCESS, v, 0, bit(v), bit(v), s.protected)
    return PortView(Form.ACCESS_VOICE, v, bit(w), bit(v) | bit(w), bit(v), s.protected)


def _trunk(s: Completed, community: bool) -> PortView:
    allowed, emit = s.allowed.bits, s.allowed.bits & ~s.withheld.bits
    native = s.native_vlan
    # A native VLAN that the list leaves out is as if there was none (FM 2.5).
    if native is None or not allowed >> native & 1:
        return PortView(Form.TRUNK_NO_NATIVE, 0, allowed, emit, 0, s.protected)
    if s.native_tagged:
        return PortView(Form.TRUNK_NATIVE_TAGGED, native, allowed, emit, 0, s.protected)
    return PortView(Form.TRUNK, native, allowed, emit, emit & bit(native), s.protected)


def _general(s: Completed, community: bool) -> PortView:
    untagged = bit(s.pvid) if s.untagged is None else s.untagged.bits
    emit = s.tagged.bits | untagged
    # Untagged only, its own VLANs, or any tag.
    admit = 0 if s.accept is Accept.UNTAGGED else emit if s.ingress_filtering else ALL
    pvid = 0 if s.accept is Accept.TAGGED else s.pvid or 0
    # Ingress filtering looks at the PVID as well (802.1Q, 8.6.2): no member of it, no untagged
    # frame comes in.
    if s.ingress_filtering and not emit >> pvid & 1:
        pvid = 0
    sent = emit & ~s.withheld.bits
    return PortView(Form.GENERAL, pvid, admit, sent, untagged & sent, s.protected)


def _private_host(s: Completed, community: bool) -> PortView:
    # A private host without both its VLANs forwards nothing.
    if not s.primary or not s.secondary:
        return PortView(Form.DOWN, protected=s.protected)
    # A community hears its own VLAN as well; an isolated host hears the primary one alone.
    if community:
        both = bit(s.primary) | bit(s.secondary)
        return PortView(Form.COMMUNITY, s.secondary, 0, both, both, s.protected)
    return PortView(Form.ISOLATED, s.secondary, 0, bit(s.primary), bit(s.primary), s.protected)


def _promiscuous(s: Completed, community: bool) -> PortView:
    if not s.primary:
        return PortView(Form.DOWN, protected=s.protected)
    both = bit(s.primary) | s.secondaries.bits
    return PortView(Form.PROMISCUOUS, s.primary, 0, both, both, s.protected)


def _routed(s: Completed, community: bool) -> PortView:
    # A routed port (or tagged sub-interface) is a bridge port alone on a bridge of its own, where
    # the router's interface is the only other party. What VID that bridge uses inside does not show
    # outside.
    return PortView(Form.ROUTED, 1, 0, 2, 2)


def _unaware(s: Completed, community: bool) -> PortView:
    # Every tag passes as it is. That with the number which untagged frames have inside is left to
    # the implied port (`wiring.unaware`), so that the two stay apart.
    own = bit(s.pvid)
    return PortView(Form.UNAWARE, s.pvid or 0, ALL & ~own, ALL, own, s.protected)


_SHORT_FORMS: dict[Mode, Callable[[Completed, bool], PortView]] = {
    Mode.ACCESS: _access,  # FM 2.2, FM 2.3
    Mode.TRUNK: _trunk,  # FM 2.4, FM 2.5, FM 2.6, FM 1.10
    Mode.GENERAL: _general,  # FM 2.7
    Mode.PRIVATE_HOST: _private_host,  # FM 2.8
    Mode.PROMISCUOUS: _promiscuous,  # FM 2.9
    Mode.ROUTED: _routed,  # FM 2.10
    Mode.UNAWARE: _unaware,  # FM 2.11
}


def view_of(completed: Completed, mode: Mode, *, community: bool) -> PortView:
    """The view of a port whose operational mode is `mode`, before the switch's own VLAN table is
    looked at.

    `community`: the port's secondary VLAN is a community, not isolated (only private host ports
    ask).
    """
    return _SHORT_FORMS[mode](completed, community)
