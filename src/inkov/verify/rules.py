"""What a port does by its mode, written out again for the verifier (FM 2.1 to FM 2.11): which VIDs
it takes, and which it sends, tagged or not.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

from inkov.campus import Accept, Device, Mode, Port, Private
from inkov.vlanset import VlanSet, bit

__all__ = ["ALL", "PortRules", "rules_of"]

ALL = VlanSet.all().bits


class PortRules(NamedTuple):
    """FM 2.1, VID sets as masks."""

    pvid: int = 0
    admit: int = 0
    emit: int = 0
    untagged: int = 0


class _Stated(NamedTuple):
    """A port, and what holds of it, stated or by default."""

    device: Device
    port: Port

    def get(self, name: str) -> Any:
        return self.device.value(self.port, name)


def rules_of(device: Device, port: Port, mode: Mode, live: int) -> PortRules:
    """The rules of a port in a mode, within the VIDs that its bridge has (`live`)."""
    # FM 2.10: a routed port is a bridge of its own, in VLAN 1 by our numbering.
    if mode is Mode.ROUTED:
        return PortRules(1, 0, 2, 2)
    rules = _OF_MODE[mode](_Stated(device, port)) if mode in _OF_MODE else PortRules()
    pvid = rules.pvid if live >> rules.pvid & 1 else 0
    return PortRules(pvid, rules.admit & live, rules.emit & live, rules.untagged & live)


def _access(stated: _Stated) -> PortRules:
    """FM 2.2, FM 2.3: its own VLAN untagged, the voice VLAN with its tag."""
    pvid, voice = stated.get("access_vlan"), bit(stated.get("voice_vlan"))
    return PortRules(pvid, voice, bit(pvid) | voice, bit(pvid))


def _trunk(stated: _Stated) -> PortRules:
    """FM 2.4 to FM 2.6: what is allowed, with tags; untagged the native VLAN, if it is in that."""
    admit = stated.get("allowed").bits
    emit = admit & ~stated.get("withheld").bits
    native = stated.get("native_vlan")
    if not native or not admit >> native & 1:
        return PortRules(0, admit, emit, 0)
    return PortRules(native, admit, emit, 0 if stated.get("native_tagged") else emit & bit(native))


def _general(stated: _Stated) -> PortRules:
    """FM 2.7: members by lists, and rules of their own on what may enter."""
    listed = stated.get("untagged")
    untagged = bit(stated.get("pvid")) if listed is None else listed.bits
    member = stated.get("tagged").bits | untagged
    accept, filtering = stated.get("accept"), stated.get("ingress_filtering")
    admit = 0 if accept is Accept.UNTAGGED else member if filtering else ALL
    pvid = 0 if accept is Accept.TAGGED else stated.get("pvid") or 0
    # With filtering untagged frames of a VLAN that the port is not in are dropped.
    if filtering and not member >> pvid & 1:
        pvid = 0
    emit = member & ~stated.get("withheld").bits
    return PortRules(pvid, admit, emit, untagged & emit)


def _unaware(stated: _Stated) -> PortRules:
    """FM 2.11: all frames as they are; the tag of its own number is another port's."""
    pvid = stated.get("pvid")
    return PortRules(pvid, ALL & ~bit(pvid), ALL, bit(pvid))


def _private_host(stated: _Stated) -> PortRules:
    """FM 2.8: it sends in the secondary VLAN, and hears the primary; its likes as well, unless it
    is isolated.
    """
    primary, secondary = stated.get("primary"), stated.get("secondary")
    if not primary or not secondary:
        return PortRules()
    row = stated.device.row(secondary)
    kind = row.private.value if row is not None and row.private is not None else None
    heard = bit(primary) | (0 if kind is Private.ISOLATED else bit(secondary))
    return PortRules(secondary, 0, heard, heard)


def _promiscuous(stated: _Stated) -> PortRules:
    """FM 2.9: it sends in the primary VLAN, and hears all secondaries."""
    primary = stated.get("primary")
    if not primary:
        return PortRules()
    heard = bit(primary) | stated.get("secondaries").bits
    return PortRules(primary, 0, heard, heard)


_OF_MODE: dict[Mode, Callable[[_Stated], PortRules]] = {
    Mode.ACCESS: _access,
    Mode.TRUNK: _trunk,
    Mode.GENERAL: _general,
    Mode.UNAWARE: _unaware,
    Mode.PRIVATE_HOST: _private_host,
    Mode.PROMISCUOUS: _promiscuous,
}
