"""Where the plan wants a VLAN: the switches and ports that its words mean on a campus.

```
place = SWITCH [ ":" PORTS ]
PORTS = item *( "," item )
item  = PORT | PORT ".." PORT          ; from one to the other by their last number
```

SWITCH and PORT are names, or patterns (`*` for any characters).
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping
from fnmatch import fnmatchcase

from msgspec import Struct, field

from inkov.campus import Device

__all__ = ["Placed", "placed"]

_LAST_NUMBER = re.compile(r"(.*?)([0-9]+)([^0-9]*)\Z", re.DOTALL)
_LONGEST = 9  # digits of a number of a port


class Placed(Struct):
    """What some places mean: `switches`; `ports` (switch, port), True where the name is written out
    and False where a pattern fits it; in `unknown`, in words, what means nothing here.
    """

    switches: dict[str, None] = field(default_factory=dict)
    ports: dict[tuple[str, str], bool] = field(default_factory=dict)
    unknown: list[str] = field(default_factory=list)

    @property
    def everywhere(self) -> dict[str, None]:
        """The switches, those of the ports as well."""
        return self.switches | dict.fromkeys(switch for switch, _ in self.ports)


def placed(places: Iterable[str], devices: Mapping[str, Device]) -> Placed:
    """What places mean on a campus."""
    belongs = Placed()
    for place in places:
        pattern, colon, ports = place.partition(":")
        fitting = _fitting(pattern, devices)
        # A word for a place that means nothing is told: else a slip would leave a VLAN out.
        if not fitting:
            belongs.unknown.append(f"no switch is called {pattern}")
        for name in fitting:
            if not colon:
                belongs.switches[name] = None
                continue
            # A list of ports is of each switch that fits.
            for item in ports.split(","):
                _of_item(belongs, devices[name], item.strip(), exact=name == pattern)
    return belongs


def _fitting(pattern: str, names: Iterable[str]) -> list[str]:
    """The names that a name or a pattern means."""
    names = list(names)
    return [pattern] if pattern in names else [n for n in names if fnmatchcase(n, pattern)]


def _of_item(places: Placed, device: Device, item: str, *, exact: bool) -> None:
    first, between, last = item.partition("..")
    if not between:
        ports = _fitting(item, device.ports)
        for port in ports:
            # Written out once, a port is meant, whatever patterns fit it as well.
            places.ports[device.name, port] = port == item or places.ports.get(
                (device.name, port), False
            )
        # Behind a pattern of switches not every one has such a port.
        if not ports and exact:
            places.unknown.append(f"{device.name} has no port {item}")
        return
    ports = list(_between(device, first, last))
    missing = [end for end in (first, last) if end not in ports]
    # Both ends must be there: a range with an end missing may be a slip.
    if missing and exact:
        places.unknown.append(f"{device.name} has no port {' and no port '.join(missing)}")
    elif not missing:
        places.ports |= {(device.name, port): True for port in ports}


def _between(device: Device, first: str, last: str) -> Iterator[str]:
    """The ports of a switch from one to another."""
    ends = _LAST_NUMBER.match(first), _LAST_NUMBER.match(last)
    # Names without a number have no order to be between.
    if ends[0] is None or ends[1] is None or max(len(end[2]) for end in ends if end) > _LONGEST:
        return
    for port in device.ports:
        match = _LAST_NUMBER.match(port)
        # Only ports of the same words: `a1..a9` does not have b5.
        if (
            match is None
            or (match[1], match[3]) != (ends[0][1], ends[0][3])
            or len(match[2]) > _LONGEST
        ):
            continue
        if int(ends[0][2]) <= int(match[2]) <= int(ends[1][2]) and ends[1][1] == match[1]:
            yield port
