"""What losses do, as rows: what is lost, which VLANs fall apart, who is cut off, and why there is
no spare.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from functools import partial

from msgspec import Struct

from inkov.campus import Mode, Origin, natural
from inkov.forwarding import Fabric
from inkov.forwarding.areas import is_border
from inkov.forwarding.reasons import why_stopped
from inkov.forwarding.trees.loss import Kind, Loss
from inkov.forwarding.trees.losses import Cut, Losses
from inkov.forwarding.trees.vlan_graphs import Hub
from inkov.progress import with_progress
from inkov.vlanset import bits_to_text, union
from inkov.wiring import Link

__all__ = ["LossRow", "Survived", "at_routed_ports", "loss_rows", "summary"]


class Fallen(Struct):
    """What became of a VLAN: the parts that fell off, as switches. What they fell off is larger."""

    islands: list[list[str]]


class LossRow(Struct):
    """A loss that cuts somebody off. `cut` are the hosts, or host ports, that fell off or lost
    their gateway; `ports` is how many host ports that are; `routerless` the VLANs without a
    gateway, `unrouted` those that no router takes to the others.
    """

    kind: Kind
    loses: list[str]
    name: str
    vlans: dict[str, Fallen]
    routerless: str
    unrouted: str
    cut: list[str]
    ports: int
    because: str
    origin: Origin
    claims: list[str] = []


class Survived(Struct):
    """Of a kind of loss: how many were tried, and how many may happen without loss."""

    kind: Kind
    tried: int = 0
    survived: int = 0


def loss_rows(
    losses: Losses, tried: Iterable[Loss], broken_by: Callable[[Loss], list[str]] = lambda _: []
) -> tuple[list[LossRow], list[Survived]]:
    """The losses that cut, those first that cut most off; and how many of each kind do not.
    `broken_by` gives the claims that a loss breaks.
    """
    counts: dict[Kind, Survived] = {}
    cuts: list[tuple[Cut, list[str]]] = []
    for loss in with_progress("losses tried", list(tried)):
        count = counts.setdefault(loss.kind, Survived(loss.kind))
        count.tried += 1
        cut, claims = losses.try_loss(loss), broken_by(loss)
        # A loss that cuts nobody and breaks no claim is survived.
        if cut is None and not claims:
            count.survived += 1
        else:
            cuts.append((cut or Cut(loss), claims))
    cuts.sort(key=lambda row: (-row[0].hosts, row[0].loss.kind, natural(row[0].loss.name)))
    return [_row(losses, cut, claims) for cut, claims in cuts], list(counts.values())


def at_routed_ports(fabric: Fabric) -> list[str]:
    """The hosts that are in no VLAN, and of which losses tell nothing (FM 7.11), by their names."""
    names = [
        host.name
        for host in fabric.campus.hosts
        if (at := fabric.ports.get(fabric.end_of(host.device, host.port))) is not None
        and at.mode is Mode.ROUTED
    ]
    return sorted(names, key=natural)


_WORDS = {
    Kind.LINK: ("link", "links"),
    Kind.SWITCH: ("switch", "switches"),
    Kind.ROUTER: ("router", "routers"),
    Kind.SHARED: ("shared fate", "shared fates"),
    Kind.PAIR: ("pair of links", "pairs of links"),
}


def summary(counts: Iterable[Survived]) -> str:
    """One line at the end."""
    parts = [
        f"{kept.survived} of {kept.tried} {_WORDS[kept.kind][kept.tried != 1]}" for kept in counts
    ]
    if not parts:
        return "There is nothing to lose: no links, and no gateways."
    listed = parts[0] if len(parts) == 1 else f"{', '.join(parts[:-1])} and {parts[-1]}"
    return f"{listed} may fail without loss."


def _row(losses: Losses, cut: Cut, claims: list[str]) -> LossRow:
    fabric = losses.fabric
    because, origin = _why(losses, cut)
    vlans = {
        str(vid): Fallen(
            [sorted({fabric.bridges[b].device for b in part}, key=natural) for part in parts]
        )
        for vid, parts in cut.pieces.items()
    }
    return LossRow(
        cut.loss.kind,
        list(cut.loss.loses),
        cut.loss.name,
        vlans,
        _vlans_of(cut.routerless),
        _vlans_of(cut.unrouted),
        list(_cut_off(fabric, cut)),
        cut.hosts,
        because,
        origin,
        claims,
    )


def _vlans_of(hubs: set[Hub]) -> str:
    return bits_to_text(union(1 << vid for _, vid in hubs))


def _cut_off(fabric: Fabric, cut: Cut) -> Iterator[str]:
    """The hosts that fell off by their names, the ports of those without one."""
    names: dict[tuple[str, str], list[str]] = {}
    for host in fabric.campus.hosts:
        names.setdefault((host.device, host.port), []).append(host.name)
    fallen: dict[int, int] = {}
    for bridge, vid in cut.off:
        fallen[bridge] = fallen.get(bridge, 0) | 1 << vid
    # Hosts of a lost switch are lost with it, and not cut off.
    dead = () if cut.loss.kind is Kind.ROUTER else cut.loss.devices
    for number, inside in enumerate(fabric.bridges):
        mask = fallen.get(number, 0)
        if not mask or inside.device in dead or inside.routed:
            continue
        ports = [fabric.bridge_ports[at] for at in inside.ports]
        for port in sorted(ports, key=lambda port: natural(port.end.port)):
            view = port.view
            # A host port: untagged, in one VLAN.
            plain = view.pvid and not view.emit & ~view.untagged
            if plain and mask >> view.pvid & 1 and fabric.is_host_port(port):
                place = port.end.device, port.end.port
                yield from names.get(place, [str(port.end)])


# --- why there is no spare ------------------------------------------------------------------------


def _why(losses: Losses, cut: Cut) -> tuple[str, Origin]:
    """Why nothing else does what was lost, and where that is said."""
    fabric, loss = losses.fabric, cut.loss
    places = [*loss.devices, *(place.rpartition(":")[0] for place in loss.loses)]
    origin = fabric.device(places[0]).origin
    # A link's place is its first port.
    if loss.links:
        first = fabric.wiring.links[loss.links[0]]
        origin = fabric.ports[first.a].stated.origin
    # Only ways by routers are lost.
    if not cut.parts and cut.routerless:
        return f"no other device has a gateway in VLAN {_vlans_of(cut.routerless)}", origin
    if not cut.parts:
        return "there is no other way between the routers" if cut.unrouted else "", origin
    # The largest part says best why there is no spare.
    largest = max(range(len(cut.parts)), key=lambda at: len(cut.parts[at]))
    spare = _spare(losses, cut, min(cut.parts[largest]))
    if spare is not None:
        return spare
    # Several things at once: no single spare could be named.
    if loss.kind in (Kind.SHARED, Kind.PAIR):
        return "there is no way past all of them", origin
    if loss.devices:
        return _through(losses, cut, min(cut.parts[largest])), origin
    return "there is no other link", origin


def _through(losses: Losses, cut: Cut, hub: Hub) -> str:
    """That what fell off has no way past a lost switch: several cables may all end there."""
    fabric, (lost, *_) = losses.fabric, cut.loss.devices
    own = {fabric.bridges[bridge].device for bridge in losses.island(cut.loss, hub)}
    links = [link for link in fabric.wiring.links if {link.a.device, link.b.device} & own]
    out = [link for link in links if not {link.a.device, link.b.device} <= own]
    cables = sum(map(partial(_cables, fabric), out))
    # Several cables, and one switch at the end of all: often a surprise.
    if cables > 1 and all(lost in (link.a.device, link.b.device) for link in out):
        return f"all {cables} cables lead to {lost}"
    return f"every way leads through {lost}"


def _cables(fabric: Fabric, link: Link) -> int:
    """How many cables a link has: those of a bundle, counted at the end with fewer live members."""
    members = [
        sum(
            port.bundle is not None and port.bundle.value == end.port and port.on
            for port in fabric.device(end.device).ports.values()
        )
        for end in (link.a, link.b)
    ]
    # The end with fewer live members decides how many there are.
    return max(1, min(members))


def _spare(losses: Losses, cut: Cut, hub: Hub) -> tuple[str, Origin] | None:
    """A link that could be a spare: it joins what fell off with something else, and is another one;
    and why it is none. One that lacks the VLAN is told before one that is blocked or shut.
    """
    fabric, vid = losses.fabric, hub[1]
    own = {fabric.bridges[bridge].device for bridge in losses.island(cut.loss, hub)}
    blocked = shut = None
    for number, link in enumerate(fabric.wiring.links):
        ends = {link.a.device, link.b.device}
        # Part of the loss itself, or a link that does not lead out of what fell off.
        if number in cut.loss.links or ends & set(cut.loss.devices) or len(ends & own) != 1:
            continue
        # What leads to a router's port ends there, whatever VLAN it is for.
        if is_border(fabric, link):
            continue
        # A link that lacks the VLAN can be mended by a list; the others are told if there is none.
        if not fabric.link_up[number]:
            shut = shut or (f"the spare {_named(link)} is shut", _shut_at(fabric, link))
        elif not _passes(fabric, number, vid):
            why = why_stopped(fabric, link, vid)
            return f"the spare {_named(link)} does not pass VLAN {vid}: {why.says}", why.origin
        else:
            says = f"the spanning tree blocks the spare {_named(link)}"
            blocked = blocked or (says, fabric.ports[link.a].stated.origin)
    return blocked or shut


def _named(link: Link) -> str:
    return f"{link.a} - {link.b}"


def _shut_at(fabric: Fabric, link: Link) -> Origin:
    ends = [fabric.ports[link.a], fabric.ports[link.b]]
    shut = next((end for end in ends if not end.up), ends[0])
    return shut.stated.enabled.origin if shut.stated.enabled is not None else shut.stated.origin


def _passes(fabric: Fabric, number: int, vid: int) -> bool:
    """Whether a link passes a VLAN both ways."""
    link = fabric.wiring.links[number]
    passing = 0
    for end in (link.a, link.b):
        for sender in fabric.at.get(end, ()):
            for crossing in fabric.crossings.get(sender, ()):
                # One direction is no spare.
                passing += crossing.link == number and any(m >> vid & 1 for _, m in crossing.same)
    return passing > 1
