"""What a writer must state in another format: the defaults that only one platform has."""

from __future__ import annotations

from inkov.campus import STANDARD, Device, Fact, Origin

__all__ = ["by_the_standard"]


def by_the_standard(device: Device) -> Device:
    """The device with every default stated that IEEE 802.1Q has otherwise: it means the same
    without its platform.
    """
    unlike = [
        (attribute, fact.value)
        for attribute, fact in device.platform.unstated.items()
        if fact.value != STANDARD.unstated[attribute].value
    ]
    for port in device.ports.values():
        for attribute, value in unlike:
            # What is stated holds on any platform.
            if getattr(port, attribute) is None:
                setattr(port, attribute, Fact(value, Origin()))
    device.platform = STANDARD
    return device
