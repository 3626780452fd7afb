"""Where the reading of a text is not to be trusted, though every line was understood.

A text is read by somebody's description of its language. What that gets wrong shows in what comes
out: a range of ports that became one port with a strange name, ports that are missing between
others. Each of these can also be as the switch is; so they are doubts, and no faults.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator

from inkov.campus.model import Device, Port, PortKind

__all__ = ["gaps", "odd_names", "strange_names"]

_LAST = re.compile(r"(.*?)([0-9]+)\Z", re.DOTALL)
_DIGITS = re.compile(r"[0-9]+")
_BETWEEN = r"\s*(?:-|\.\.+|~|,|;|\*|\bto\b|\bthrough\b)\s*"
_FEW = 3  # ports of a kind, before what lies between them is missed
_MOST = 100_000  # numbers of a group: a larger one is no row of ports


def gaps(device: Device) -> Iterator[list[str]]:
    """Names of ports that are missing between others: of each kind those that lie between ports
    that are there, unless most do.
    """
    groups: dict[str, dict[int, str]] = {}
    for port in _physical(device):
        named = _LAST.match(port.name)
        # Seven digits are a serial number or part of an address, not a port of a row.
        if named and len(named[2]) < 7:
            groups.setdefault(named[1], {})[int(named[2])] = named[2]
    for prefix, numbers in groups.items():
        first, last = min(numbers), max(numbers)
        missing = last - first + 1 - len(numbers)
        # If more are missing than there are, the numbers do not count ports one by one. If very
        # many are, somebody made the name up to cost memory.
        if len(numbers) < _FEW or not 0 < missing <= len(numbers) or last - first > _MOST:
            continue
        # Names with leading zeros have them in the gap as well.
        width = len(numbers[first]) if numbers[first].startswith("0") else 0
        between = (n for n in range(first, last) if n not in numbers)
        yield [f"{prefix}{number:0{width}}" for number in between]


def odd_names(device: Device) -> list[Port]:
    """Ports whose name looks like a range or a list of others: two names with a mark between."""
    shapes = Counter(_shape(port.name) for port in _physical(device))
    # Only shapes that several ports share are taken for names: a range is told by what it joins.
    usual = [re.escape(shape) for shape, count in shapes.items() if count > 1]
    if not usual:
        return []
    alternatives = "|".join(usual)
    range_ = re.compile(rf"(?:{alternatives}){_BETWEEN}(?:{alternatives}|#|\Z)")
    return [port for port in _physical(device) if range_.match(_shape(port.name))]


def strange_names(device: Device) -> list[Port]:
    """Ports named as no other one, on a device with many that are named alike."""
    shapes = Counter(_shape(port.name) for port in _physical(device))
    # Where every port has a name of its own kind, none of them is strange.
    if not shapes or max(shapes.values()) <= _FEW:
        return []
    odd = {port.name for port in odd_names(device)}
    return [
        port
        for port in _physical(device)
        if shapes[_shape(port.name)] == 1 and port.name not in odd and _DIGITS.search(port.name)
    ]


def _physical(device: Device) -> list[Port]:
    return [port for port in device.ports.values() if port.kind is PortKind.PHYSICAL]


def _shape(name: str) -> str:
    """A name with each number as one mark."""
    return _DIGITS.sub("#", name)
