"""Neighbours that are not among the files and are seen at several ports (FM 4.7).

Theory of operation. Of such a neighbour nothing is known: it may be a server with two cables, or a
switch whose file is missing. It is taken for hosts, which pass nothing on. Where that decides, an
answer has to know what would be otherwise: so the campus is looked at once more as if it was a
switch like those around it, which passes on in each VLAN what its ports let through, or as a plain
box frames as they are. What is true both ways is true whatever it is.

Most of them are seen where everything hangs together anyway, by the links that are known: these
change nothing and are left out. What is left is worked out by links between each two of its ports,
which is nothing for a few ports, and far too much for hundreds.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import combinations, product
from typing import NamedTuple

from msgspec.structs import replace

from inkov.campus import Basis, Origin, natural
from inkov.forwarding.crossing import cross
from inkov.forwarding.domains import Domains
from inkov.forwarding.fabric import Assumption, BridgePort, Crossing, Fabric, Translation
from inkov.vlanset import bit, bits
from inkov.wiring import End, Link
from inkov.wiring.outside import Identity, identities

__all__ = [
    "Outsiders",
    "as_switches",
    "beside_trees",
    "passes_nothing",
    "said_beside_trees",
    "several_ports",
    "taken_beside_trees",
]

_NAMED = 3  # ports of a neighbour in a sentence
_MOST_PAIRS = 2000  # of ports of one neighbour: beyond, what it would join is not worked out


class Outsiders(NamedTuple):
    """The neighbours that may join what hangs apart: `says` is what is taken for granted of them,
    as a sentence; `fabric` is the campus as if they were switches, None if that is too much.
    """

    says: str
    fabric: Fabric | None


def passes_nothing(far: str, ends: Sequence[End]) -> str:
    """What is taken for granted of a neighbour that is seen at several ports."""
    return f"{far} is not among the files, and taken to pass nothing between {_listed(ends)}"


def _listed(ends: Sequence[End]) -> str:
    named = [str(end) for end in ends[:_NAMED]]
    # A core without its file is seen everywhere.
    if len(ends) > _NAMED + 1:
        named.append(f"{len(ends) - _NAMED} more ports")
    else:
        named += [str(end) for end in ends[_NAMED:]]
    return " and ".join(named)


def several_ports(fabric: Fabric) -> dict[str, list[End]]:
    """The neighbours that are seen at several ports that are up, with these in natural order. A
    bundle is one port.
    """
    behind: dict[Identity, set[End]] = {}
    called: dict[Identity, str] = {}
    identity = identities(fabric.wiring.outside)
    for outside in fabric.wiring.outside:
        end = fabric.wire_of(outside.near)
        if end in fabric.at:
            called.setdefault(identity(outside), outside.far)
            behind.setdefault(identity(outside), set()).add(end)
    several: dict[str, list[End]] = {}
    for own, ends in behind.items():
        if len(ends) > 1:
            # Two that have one name are told with what tells them apart.
            far = called[own] if called[own] not in several else f"{called[own]} ({own[1]})"
            several[far] = sorted(ends, key=lambda end: (natural(end.device), natural(end.port)))
    return several


def beside_trees(fabric: Fabric) -> list[Assumption]:
    """What answers that hang on spanning trees take for granted of such neighbours: one that is a
    switch may close a circle, be root, and have other ports discard (FM 7.1).
    """
    assumed = []
    for far, ends in several_ports(fabric).items():
        met = [end for end in ends if any(_takes_messages(fabric, n) for n in fabric.at[end])]
        # Where guards shut out all but one, no circle is closed.
        if len(met) > 1:
            says = (
                f"{far} is not among the files, and taken to take no part in the spanning trees at"
                f" {_listed(met)}"
            )
            origin = Origin(basis=Basis.ASSUMED, says=says)
            devices = dict.fromkeys(end.device for end in met)
            assumed += [Assumption(device, "", says, origin) for device in devices]
    return assumed


def said_beside_trees(fabric: Fabric) -> list[str]:
    """The same, a sentence for each neighbour."""
    return list(dict.fromkeys(one.says for one in beside_trees(fabric)))


def taken_beside_trees(fabric: Fabric) -> str:
    """The same in one sentence; "" if nothing is taken for granted."""
    says = said_beside_trees(fabric)
    return _with_others(says[0], len(says) - 1) if says else ""


def _with_others(says: str, others: int) -> str:
    return f"{says}, as {others} more {'is' if others == 1 else 'are'}" if others else says


def _takes_messages(fabric: Fabric, number: int) -> bool:
    """Whether a bridge port would take part in a tree with who is there."""
    port = fabric.bridge_ports[number]
    guard = fabric.resolved(port).stated.bpdu_guard
    return not fabric.bridges[port.bridge].routed and not (guard is not None and guard.value)


def as_switches(fabric: Fabric, domains: Domains) -> Outsiders | None:
    """The campus as if neighbours that are not among the files passed frames on; None if that
    would join nothing.
    """
    several = several_ports(fabric)
    joining: dict[str, list[tuple[End, End]]] = {}
    for far, ends in several.items():
        wires = [_on_the_wire(fabric, end) for end in ends]
        if _joins_something(fabric, domains, sorted({end for wire in wires for end in wire})):
            pairs = (product(one, other) for one, other in combinations(wires, 2))
            joining[far] = [pair for own in pairs for pair in own if pair[0] != pair[1]]
    if not joining:
        return None
    first, *others = joining
    says = _with_others(passes_nothing(first, several[first]), len(others))
    if any(len(pairs) > _MOST_PAIRS for pairs in joining.values()):
        return Outsiders(says, None)
    every = dict.fromkeys(pair for pairs in joining.values() for pair in pairs)
    return Outsiders(says, _with_links(fabric, [*every]))


def _on_the_wire(fabric: Fabric, end: End) -> list[End]:
    """The ends that hear what somebody at an end sends: where it has a link, those there too."""
    return [end, *(far for far in fabric.wiring.around(end) if far in fabric.at)]


def _joins_something(fabric: Fabric, domains: Domains, ends: list[End]) -> bool:
    """Whether somebody at some ports, who passes on what they let through, would join what hangs
    apart: parts of a VLAN, or VLANs that are untagged there. Where ports are protected, or tags
    mean sub-interfaces, he may.
    """
    ports = [fabric.bridge_ports[number] for end in ends for number in fabric.at[end]]
    beside = {number for port in ports for number in fabric.bridges[port.bridge].ports}
    if any(port.outer or fabric.bridges[port.bridge].routed for port in ports):
        return True
    if any(fabric.bridge_ports[number].view.protected for number in beside):
        return True
    seen: dict[int, int] = {}
    for port in ports:
        for vid in bits(port.view.emit | port.view.enters()):
            label = domains.of(port.bridge, vid)
            # The same VLAN, in another part.
            if seen.setdefault(vid, label) != label:
                return True
            # 0 stands for untagged frames.
            plain = vid == port.view.pvid or port.view.untagged >> vid & 1
            if plain and seen.setdefault(0, label) != label:
                return True
    return False


def _with_links(fabric: Fabric, pairs: list[tuple[End, End]]) -> Fabric:
    """The campus with some ports on one wire, which pass each VLAN on by its number."""
    first = len(fabric.wiring.links) + len(fabric.wiring.shared)
    links = [Link(a, b, (), ()) for a, b in pairs]
    beside = {end: list(own) for end, own in fabric.wiring.beside.items()}
    for link in links:
        for end in (link.a, link.b):
            beside.setdefault(end, []).append(link)
    # They stay outside besides: who is in one area, and what is said of them, is as before.
    wiring = replace(fabric.wiring, shared=[*fabric.wiring.shared, *links], beside=beside)
    wider = fabric.with_other(wiring=wiring)
    cross(wider)
    for sender, crossings in wider.crossings.items():
        for at, crossing in enumerate(crossings):
            if crossing.link >= first:
                link = links[crossing.link - first]
                crossings[at] = _by_number(wider, wider.bridge_ports[sender], crossing, link)
    return wider


def _by_number(fabric: Fabric, sender: BridgePort, crossing: Crossing, link: Link) -> Crossing:
    """A crossing that passes each VLAN under its number besides, tagged or not at either end. That
    of a sub-interface is its tag.
    """
    same, turned = dict(crossing.same), list(crossing.translations)
    for number in fabric.at[link.far(sender.end)]:
        port = fabric.bridge_ports[number]
        # A routed port has no VLAN of a number that anybody knows.
        if fabric.bridges[sender.bridge].routed or fabric.bridges[port.bridge].routed:
            continue
        if not sender.outer and not port.outer:
            same[number] = same.get(number, 0) | sender.view.emit & port.view.enters()
        elif not port.outer:
            taken = bit(sender.outer) & port.view.enters()
            turned.append(Translation(number, sender.view.emit, taken))
        elif not sender.outer:
            sent = bit(port.outer) & sender.view.emit
            turned.append(Translation(number, sent, port.view.enters()))
    return replace(
        crossing,
        same=tuple((to, mask) for to, mask in same.items() if mask),
        translations=tuple(each for each in turned if each.leaves and each.arrives),
    )
