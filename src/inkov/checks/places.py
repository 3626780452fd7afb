"""Where something was decided: the line that states it, or whose default it is."""

from __future__ import annotations

from msgspec import Struct

from inkov.campus import Basis, Fact, Mode, Origin
from inkov.forwarding import Fabric, Resolved

__all__ = ["Places", "Where"]

_OF_GENERAL = {"allowed": "tagged", "native_vlan": "pvid", "access_vlan": "pvid"}
"""What decides in a general port what these decide in a trunk or an access port."""


class Where(Struct, frozen=True):
    """One place a finding points at. `origin` has the file and line (or pointer); `vlan` and `port`
    may be absent.

    `switch` is "" for a place that is of no switch: a line of the plan, say.
    """

    switch: str
    port: str | None
    vlan: int | None
    origin: Origin


class Places:
    """Finds the places that findings point at, and what these rest on."""

    def __init__(self, fabric: Fabric) -> None:
        self.fabric = fabric

    def fact(self, resolved: Resolved, attribute: str) -> Fact[object]:
        """An attribute with its origin: the line that states it, or whose default it is."""
        platform = self.fabric.device(resolved.end.device).platform
        fact = platform.fact(resolved.stated, _deciding(resolved, attribute))
        return Fact(None, resolved.stated.origin) if fact is None else fact

    def of(self, resolved: Resolved, attribute: str, vlan: int | None = None) -> Where:
        """Where an attribute of a port was decided."""
        origin = self.fact(resolved, attribute).origin
        if not origin.file:  # a default: the place to change it is the port
            origin = resolved.stated.origin
        return Where(resolved.end.device, resolved.end.port, vlan, origin)

    def row(self, device: str, vid: int) -> Where:
        """The row of a VLAN in a switch's table, or else the switch."""
        row = self.fabric.device(device).row(vid)
        return Where(device, None, vid, (row or self.fabric.device(device)).origin)

    def switch(self, device: str, origin: Origin | None = None) -> Where:
        """A switch as a whole."""
        return Where(device, None, None, origin or self.fabric.device(device).origin)

    def assumed_for(self, *facts: tuple[Resolved, str]) -> tuple[str, ...]:
        """The defaults and assumptions behind some attributes of ports, in words."""
        texts: dict[str, None] = {}
        for resolved, attribute in facts:
            name = _deciding(resolved, attribute).replace("_", " ")
            origin = self.fact(resolved, attribute).origin
            if origin.basis is not Basis.STATED:
                texts[f"{resolved.end}: {name} not stated; {origin.says}"] = None
        return tuple(texts)


def _deciding(resolved: Resolved, attribute: str) -> str:
    """The attribute that decides at a port what `attribute` decides elsewhere."""
    # A general port has other attributes that decide the same.
    general = resolved.mode is Mode.GENERAL
    return _OF_GENERAL.get(attribute, attribute) if general else attribute
