"""What a port's attribute is once its platform's defaults are in: what a writer must state in
another format.
"""

from __future__ import annotations

from typing import Any

from inkov.campus import STANDARD, Device, Fact, Origin, Port

__all__ = ["by_the_standard", "value_or_default"]


def value_or_default(device: Device, port: Port, attribute: str) -> Any:
    """The stated value, or else the platform's default; None where there is neither."""
    fact: Fact[Any] | None = getattr(port, attribute)
    fact = device.platform.unstated.get(attribute) if fact is None else fact
    return None if fact is None else fact.value


def by_the_standard(device: Device) -> Device:
    """The device with every default stated that IEEE 802.1Q has otherwise: it means the same
    without its platform.
    """
    other = [
        (attribute, fact.value)
        for attribute, fact in device.platform.unstated.items()
        if fact.value != STANDARD.unstated[attribute].value
    ]
    for port in device.ports.values():
        for attribute, value in other:
            if getattr(port, attribute) is None:
                setattr(port, attribute, Fact(value, Origin()))
    device.platform = STANDARD
    return device
