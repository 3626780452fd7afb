"""What can be lost: a link (a bundle as one), a switch, the routing of a device; two links at once;
and what the plan says is lost together: a line card, a duct, the power of a room (FM 7.11).
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from enum import StrEnum
from itertools import combinations

from msgspec import Struct

from inkov.campus import natural
from inkov.forwarding.fabric import Fabric
from inkov.wiring import End, Link

__all__ = ["Kind", "Loss", "all_losses", "ends_of"]


class Kind(StrEnum):
    LINK = "link"
    SWITCH = "switch"
    ROUTER = "router"
    TOGETHER = "together"


class Loss(Struct, frozen=True):
    """What is lost: links by number, or devices by name. `name` tells what, `loses` its places."""

    kind: Kind
    name: str
    loses: tuple[str, ...]
    links: tuple[int, ...] = ()
    devices: tuple[str, ...] = ()


def ends_of(link: Link) -> tuple[End, End]:
    return link.a, link.b


def all_losses(fabric: Fabric, kinds: Iterable[Kind], *, pairs: bool = False) -> Iterator[Loss]:
    """Every single loss of some kinds: links that are up, each bundle as one; switches with a link;
    devices with gateways. With `pairs`, every two of the links as well.
    """
    wanted = set(kinds)
    links = [number for number in range(len(fabric.wiring.links)) if fabric.link_up[number]]
    if Kind.LINK in wanted:
        for number in links:
            yield _of_links(fabric, (number,), Kind.LINK)
    linked = {end.device for number in links for end in ends_of(fabric.wiring.links[number])}
    bridged = {inside.device for inside in fabric.bridges if not inside.routed and inside.ports}
    if Kind.SWITCH in wanted:
        for name in sorted(linked & bridged, key=natural):
            yield Loss(Kind.SWITCH, name, (name,), devices=(name,))
    if Kind.ROUTER in wanted:
        routing = {device.name for device, gateway in fabric.gateways() if gateway.on}
        for name in sorted(routing, key=natural):
            yield Loss(Kind.ROUTER, f"the routing of {name}", (name,), devices=(name,))
    if pairs and Kind.LINK in wanted:
        for two in combinations(links, 2):
            yield _of_links(fabric, two, Kind.TOGETHER)


def _of_links(fabric: Fabric, numbers: tuple[int, ...], kind: Kind) -> Loss:
    links = [fabric.wiring.links[number] for number in numbers]
    name = " and ".join(f"{link.a} - {link.b}" for link in links)
    return Loss(kind, name, tuple(str(end) for link in links for end in ends_of(link)), numbers)
