"""Who has a gateway, and whose routers know each other (FM 5.5): for comparing before and after a
loss.
"""

from __future__ import annotations

from collections.abc import Collection, Hashable, Iterable, Mapping

from inkov.forwarding.domains import domains
from inkov.forwarding.fabric import Fabric
from inkov.forwarding.routers import Routers
from inkov.forwarding.stations import interfaces
from inkov.forwarding.trees.participants import Wires
from inkov.forwarding.trees.vlan_graphs import Hub
from inkov.levels import Level
from inkov.vlanset import bits

__all__ = ["fallen_off", "routed_together"]


def routed_together(
    fabric: Fabric, hubs: Iterable[Hub], gone: Collection[str] = ()
) -> dict[Hub, Hashable]:
    """For each hub that has a gateway which is up the routers that it gets to: hubs with the same
    ones reach each other by routers, if no filter says otherwise. `gone` are the devices that do
    not route.
    """
    there = domains(fabric)
    up = [
        one
        for one in interfaces(fabric, Level.HONEST)
        if not one.why_down and one.device not in gone
    ]
    routers = Routers(fabric, there, Level.HONEST, up)
    joined = Wires()
    for numbers in routers.of.values():
        for number in numbers:
            joined.join(numbers[0], number)
    for numbers in routers.sharing.values():
        for number in numbers:
            for other in routers.apart.get(number, numbers[:1]):
                joined.join(number, other)
    by_domain: dict[int, Hashable] = {}
    for number, interface in enumerate(up):
        for vid in bits(interface.hears) if interface.bridge >= 0 else ():
            by_domain.setdefault(there.of(interface.bridge, vid), joined.of(number))
    return {hub: by_domain[there.of(*hub)] for hub in hubs if there.of(*hub) in by_domain}


def fallen_off(
    before: Mapping[Hub, Hashable], after: Mapping[Hub, Hashable], ports: Mapping[Hub, int]
) -> tuple[set[Hub], set[Hub]]:
    """Of hubs with a gateway before, those without any after; and those whose routers no longer get
    to the routers of most others. `ports` are the hubs that may fall off, with their host ports.
    """
    without = {hub for hub in before.keys() & ports.keys() if hub not in after}
    parts: dict[Hashable, dict[Hashable, list[Hub]]] = {}
    for hub in sorted(before.keys() & after.keys() & ports.keys()):
        parts.setdefault(before[hub], {}).setdefault(after[hub], []).append(hub)
    apart: set[Hub] = set()
    for one in parts.values():
        by_size = sorted(one.values(), key=lambda part: (-sum(ports[hub] for hub in part), part))
        apart.update(hub for part in by_size[1:] for hub in part)
    return without, apart
