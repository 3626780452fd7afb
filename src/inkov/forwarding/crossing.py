"""Stage 5, the link view: what leaves one end of a link and arrives at the other (FM 3.7, FM 3.8,
FM 3.9).

Here the wire is looked at: a frame on it is untagged or wears one tag, and the far end takes it by
what it sees.
"""

from __future__ import annotations

from inkov.forwarding.fabric import BridgePort, Crossing, Fabric, Translation
from inkov.vlanset import bit
from inkov.wiring import End

__all__ = ["cross"]


def cross(fabric: Fabric) -> None:
    """Fill `fabric.crossings` and `fabric.link_up`."""
    for number, link in enumerate(fabric.wiring.links):
        up = link.a in fabric.at and link.b in fabric.at
        fabric.link_up.append(up)
        if up:
            for near, far in ((link.a, link.b), (link.b, link.a)):
                for sender in fabric.at[near]:
                    crossing = _one_way(fabric, number, fabric.bridge_ports[sender], far)
                    fabric.crossings.setdefault(sender, []).append(crossing)


def _one_way(fabric: Fabric, link: int, sender: BridgePort, far: End) -> Crossing:
    receivers = [fabric.bridge_ports[n] for n in fabric.at[far]]
    whole = next((r for r in receivers if r.outer == 0), None)
    subs = [r for r in receivers if r.outer]
    taken = sum(1 << r.outer for r in subs)  # these tags do not reach the port itself (FM 3.9)
    view = sender.view
    if sender.outer:  # whatever leaves, leaves with this tag
        tagged, untagged = 0, 0
        translations = [
            Translation(r.number, view.emit, _entry(r)) for r in subs if r.outer == sender.outer
        ]
        if whole is not None and not taken >> sender.outer & 1:
            translations.append(
                Translation(whole.number, view.emit, whole.view.admit & 1 << sender.outer)
            )
        hidden: list[Translation] = []
    else:
        tagged, untagged = view.emit & ~view.untagged, view.untagged
        translations = [Translation(r.number, tagged & 1 << r.outer, _entry(r)) for r in subs]
        hidden = [Translation(r.number, untagged, _entry(r)) for r in subs]
        if whole is not None:
            translations.append(Translation(whole.number, untagged, _entry(whole)))
            hidden.append(Translation(whole.number, untagged, whole.view.admit & ~taken))
    same = []
    if whole is not None and tagged & whole.view.admit & ~taken:
        same.append((whole.number, tagged & whole.view.admit & ~taken))
    kept = []
    for translation in translations:
        if (
            translation.leaves == translation.arrives and translation.leaves.bit_count() == 1
        ):  # the number stays: no translation
            same = _with(same, translation.to, translation.leaves)
        elif translation.leaves and translation.arrives:
            kept.append(translation)
    return Crossing(
        link, tuple(same), tuple(kept), tuple(f for f in hidden if f.leaves and f.arrives)
    )


def _entry(receiver: BridgePort) -> int:
    """Where an untagged frame goes on arrival, as a mask (FM 3.1)."""
    return bit(receiver.view.pvid)


def _with(same: list[tuple[int, int]], to: int, mask: int) -> list[tuple[int, int]]:
    if any(number == to for number, _ in same):
        return [(number, have | mask if number == to else have) for number, have in same]
    return [*same, (to, mask)]
