"""Ports with an address that their mode leaves without a use (FM 2.10)."""

from __future__ import annotations

from collections.abc import Iterator

from inkov.campus import Device, Mode, Problem

__all__ = ["without_use"]


def without_use(device: Device) -> Iterator[Problem]:
    """A problem for each port that has an address and does not route by what is stated or is the
    default: what the router there joins would be missing from every answer, without a word.
    """
    for port in device.ports.values():
        # Nearly all ports have no address.
        mode = device.platform.fact(port, "mode") if port.addresses else None
        if port.addresses and (mode is None or mode.value is not Mode.ROUTED):
            how = "its mode is not stated" if port.mode is None else "it is switched"
            says = f"{port.name} has an address, but {how}: nothing is routed by it"
            cure = "state the port as routed, or the address at a gateway"
            yield Problem(port.addresses[0].origin, says, cure)
