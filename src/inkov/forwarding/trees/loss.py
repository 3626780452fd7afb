"""What can be lost: a link (a bundle as one), a switch, the routing of a device; two links at once;
and what the plan says is lost together: a line card, a duct, the power of a room (FM 7.11).
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from enum import StrEnum
from fnmatch import fnmatchcase
from itertools import combinations

from msgspec import Struct

from inkov.campus import natural
from inkov.forwarding.fabric import Fabric
from inkov.wiring import End, Link

__all__ = ["Kind", "Loss", "all_losses", "ends_of", "ports_like", "shared_fate"]


class Kind(StrEnum):
    LINK = "link"
    SWITCH = "switch"
    ROUTER = "router"
    SHARED = "shared fate"
    PAIR = "pair of links"


class Loss(Struct, frozen=True):
    """What is lost: links by number, devices by name. `name` tells what, `loses` its places."""

    kind: Kind
    name: str
    loses: tuple[str, ...]
    links: tuple[int, ...] = ()
    devices: tuple[str, ...] = ()


def ends_of(link: Link) -> tuple[End, End]:
    return link.a, link.b


def all_losses(fabric: Fabric, kinds: Iterable[Kind], *, pairs: bool = False) -> Iterator[Loss]:
    """Every single loss of some kinds: links that are up, each bundle as one; switches with a link,
    and routers that are none; devices with gateways, which may go on as switches. With `pairs`,
    every two of the links as well.
    """
    wanted = set(kinds)
    # Links that are shut are lost already.
    links = [number for number in range(len(fabric.wiring.links)) if fabric.link_up[number]]
    if Kind.LINK in wanted:
        for number in links:
            yield _of_links(fabric, (number,), Kind.LINK)
    linked = {end.device for number in links for end in ends_of(fabric.wiring.links[number])}
    if Kind.SWITCH in wanted:
        # A switch without a link is lost by itself: nobody else notices.
        for name in sorted(linked, key=natural):
            yield Loss(Kind.SWITCH, name, (name,), devices=(name,))
    if Kind.ROUTER in wanted:
        routing = {device.name for device, gateway in fabric.gateways() if gateway.on}
        for name in sorted(routing, key=natural):
            yield Loss(Kind.ROUTER, f"the routing of {name}", (name,), devices=(name,))
    # Pairs grow with the square: only where they are asked for.
    if pairs and Kind.LINK in wanted:
        for two in combinations(links, 2):
            yield _of_links(fabric, two, Kind.PAIR)


def shared_fate(fabric: Fabric, parts: Iterable[str], about: str = "") -> tuple[Loss, list[str]]:
    """What fails together, as one loss; and the parts that fit nothing.

    A part is the end of a link, a switch, or a pattern of either. A bundle is lost with all its
    live members at one end; one that keeps a member stays.
    """
    wiring, devices = fabric.wiring, fabric.campus.devices
    switches: dict[str, None] = {}
    named: dict[End, set[str]] = {}  # end of a link -> the ports there that fail
    unknown: list[str] = []
    for part in parts:
        # With a colon it is a port, or a pattern of ports.
        if ":" in part:
            ends = list(ports_like(fabric, part))
            for end in ends:
                named.setdefault(fabric.end_of(*end), set()).add(end.port)
            known = any(fabric.end_of(*end) in wiring.of for end in ends)
        else:
            fitting = [name for name in devices if fnmatchcase(name, part)]
            # A name that is written out means that switch, even if it looks like a pattern.
            switches |= dict.fromkeys([part] if part in devices else fitting)
            known = bool(fitting)
        unknown += [] if known else [part]
    lost = [
        number
        for number, link in enumerate(wiring.links)
        if fabric.link_up[number]
        # A bundle that keeps a member stays.
        and any(end in named and _is_whole(fabric, end, named[end]) for end in ends_of(link))
    ]
    links = [wiring.links[number] for number in lost]
    places = (*switches, *(str(end) for link in links for end in ends_of(link)))
    listed = _names([*switches, *(f"{link.a} - {link.b}" for link in links)])
    name = f"{about} ({listed})" if about and listed else about or listed or "nothing"
    return Loss(Kind.SHARED, name, places, tuple(lost), tuple(switches)), unknown


def ports_like(fabric: Fabric, part: str) -> Iterator[End]:
    """The ports that a part of a shared fate names, or is a pattern of."""
    device, _, port = part.rpartition(":")
    # A port that is really called so.
    if End(device, port) in fabric.ports:
        yield End(device, port)
        return
    for end in fabric.ports:
        if fnmatchcase(end.device, device) and fnmatchcase(end.port, port):
            yield end


def _is_whole(fabric: Fabric, end: End, ports: set[str]) -> bool:
    """Whether a link ends where some ports fail: at one of them, or at a bundle of nothing else."""
    # The port itself fails, or all that the bundle consists of.
    if end.port in ports:
        return True
    members = {
        name
        for name, port in fabric.device(end.device).ports.items()
        if port.bundle is not None and port.bundle.value == end.port and port.on
    }
    return members <= ports


def _of_links(fabric: Fabric, numbers: tuple[int, ...], kind: Kind) -> Loss:
    links = [fabric.wiring.links[number] for number in numbers]
    name = _names([f"{link.a} - {link.b}" for link in links])
    return Loss(kind, name, tuple(str(end) for link in links for end in ends_of(link)), numbers)


def _names(names: list[str]) -> str:
    """`a, b and c`."""
    return " and ".join(filter(None, (", ".join(names[:-1]), *names[-1:])))
