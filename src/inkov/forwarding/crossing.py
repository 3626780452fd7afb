"""Stage 5, the link view: what leaves one end of a link and arrives at the other (FM 3.7, FM 3.8,
FM 3.9).

Here the wire is looked at: a frame on it is untagged or wears one tag, and the far end takes it by
what it sees.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from msgspec.structs import replace

from inkov.forwarding.fabric import BridgePort, Crossing, Fabric, Translation
from inkov.forwarding.view import PortView
from inkov.vlanset import bit, union
from inkov.wiring import End

__all__ = ["cross"]


def cross(fabric: Fabric) -> None:
    """Fill `fabric.crossings` and `fabric.link_up`."""
    links = [*fabric.wiring.links, *fabric.wiring.shared]  # the latter by numbers beyond the links
    for number, link in enumerate(links):
        up = link.a in fabric.at and link.b in fabric.at
        if number < len(fabric.wiring.links):
            # Ports that share a wire have no link of their own to be up.
            fabric.link_up.append(up)
        # A link with a port that is shut passes nothing.
        if up:
            for near, far in ((link.a, link.b), (link.b, link.a)):
                for sender in fabric.at[near]:
                    crossing = _one_way(fabric, number, fabric.bridge_ports[sender], far)
                    fabric.crossings.setdefault(sender, []).append(crossing)


class _FarEnd(NamedTuple):
    """Who takes frames at the far end of a link: the port itself, if it is on a bridge, and its
    tagged sub-interfaces. `taken` are the tags of these, which do not reach the port (FM 3.9).
    """

    whole: BridgePort | None
    subs: list[BridgePort]
    taken: int


def _far_end(fabric: Fabric, end: End) -> _FarEnd:
    receivers = [fabric.bridge_ports[number] for number in fabric.at[end]]
    whole = next((port for port in receivers if port.outer == 0), None)
    subs = [port for port in receivers if port.outer]
    return _FarEnd(whole, subs, union(bit(port.outer) for port in subs))


def _one_way(fabric: Fabric, link: int, sender: BridgePort, far: End) -> Crossing:
    end = _far_end(fabric, far)
    same, changing, hidden = _between(sender, sender.view, end)
    lured: dict[int, int] = {}
    # At the hostile level, what passes by views that either end takes on request (FM 4.4, FM 4.5).
    for view, other in _on_request(sender, end):
        more_same, more_changing, more_hidden = _between(sender, view, other)
        # Lured crossings are kept apart from plain ones: honest frames do not take them.
        for to, mask in more_same:
            lured[to] = lured.get(to, 0) | mask
        known = {*changing, *hidden}
        hidden += [t for t in dict.fromkeys((*more_changing, *more_hidden)) if t not in known]
    plain = dict(same)
    beside = {to: mask & ~plain.get(to, 0) for to, mask in lured.items()}
    return Crossing(
        link,
        tuple(same),
        tuple(changing),
        tuple(hidden),
        tuple((to, mask) for to, mask in beside.items() if mask),
    )


def _on_request(sender: BridgePort, end: _FarEnd) -> Iterator[tuple[PortView, _FarEnd]]:
    """Every view of the sender with every one of the far end, but for the two plain ones."""
    for view in sender.on_request:
        yield view, end
    for view in (sender.view, *sender.on_request):
        for receiver in (*([end.whole] if end.whole is not None else []), *end.subs):
            for requested in receiver.on_request:
                lured = replace(receiver, view=requested)
                subs = [lured if sub is receiver else sub for sub in end.subs]
                whole = lured if end.whole is receiver else end.whole
                yield view, end._replace(whole=whole, subs=subs)


def _between(
    sender: BridgePort, view: PortView, end: _FarEnd
) -> tuple[list[tuple[int, int]], list[Translation], list[Translation]]:
    """What passes from a port with a view to a far end: under the same number, under another one,
    and with a tag hidden behind the first.
    """
    same: list[tuple[int, int]] = []
    hidden: list[Translation] = []
    # A sub-interface sends all it has with its own tag.
    if sender.outer:
        translations = list(_with_one_tag(sender.outer, view, end))
    else:
        translations = list(_as_port_sends(view, end))
        hidden = list(_behind_a_tag(view, end))
        if end.whole is not None:
            # What wears its own number, and is admitted with it, keeps it (FM 3.8).
            kept = view.emit & ~view.untagged & end.whole.view.admit & ~end.taken
            same = [(end.whole.number, kept)] if kept else []
    changing = []
    # What stays under its number is not a translation, however it came about.
    for translation in translations:
        leaves, arrives = translation.leaves, translation.arrives
        if leaves == arrives and leaves.bit_count() == 1:
            # Untagged or by a sub-interface, and in one VLAN at both ends: the number stays.
            same = _with(same, translation.to, leaves)
        elif leaves and arrives:
            changing.append(translation)
    hidden = [translation for translation in hidden if translation.leaves and translation.arrives]
    return same, changing, hidden


def _with_one_tag(outer: int, view: PortView, end: _FarEnd) -> Iterator[Translation]:
    """From a sub-interface: whatever leaves, leaves with its tag."""
    emit, tag = view.emit, bit(outer)
    for sub in end.subs:
        if sub.outer == outer:
            yield Translation(sub.number, emit, _entry(sub))
    # A tag that no sub-interface takes reaches the port below, if that is bridged.
    if end.whole is not None and not end.taken & tag:
        yield Translation(end.whole.number, emit, end.whole.view.admit & tag)


def _as_port_sends(view: PortView, end: _FarEnd) -> Iterator[Translation]:
    """From a port: a tag that a sub-interface takes leads there, what is untagged to the PVID."""
    for sub in end.subs:
        yield Translation(sub.number, view.emit & ~view.untagged & bit(sub.outer), _entry(sub))
    # Untagged frames get the PVID; what has a tag keeps it (`same`).
    if end.whole is not None:
        yield Translation(end.whole.number, view.untagged, _entry(end.whole))


def _behind_a_tag(view: PortView, end: _FarEnd) -> Iterator[Translation]:
    """The port takes off the outer tag of a frame that it sends untagged. A second one behind it,
    of the sender's choice, then decides where the frame goes (FM 4.3).
    """
    for sub in end.subs:
        yield Translation(sub.number, view.untagged, _entry(sub))
    if end.whole is not None:
        yield Translation(end.whole.number, view.untagged, end.whole.view.admit & ~end.taken)


def _entry(receiver: BridgePort) -> int:
    """Where an untagged frame goes on arrival, as a mask (FM 3.1)."""
    return bit(receiver.view.pvid)


def _with(same: list[tuple[int, int]], to: int, mask: int) -> list[tuple[int, int]]:
    # One port may be reached in both ways, tagged and untagged.
    if any(number == to for number, _ in same):
        return [(number, have | mask if number == to else have) for number, have in same]
    return [*same, (to, mask)]
