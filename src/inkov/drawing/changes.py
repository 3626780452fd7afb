"""What a change does to links: those that are new, those that are gone, and of the others which
VLANs cross now and did not, or did and do not.
"""

from __future__ import annotations

from collections.abc import Sequence

from msgspec.structs import replace

from inkov.drawing.wires import Wire, vlans_in_short
from inkov.words import counted

__all__ = ["link_changes"]


def link_changes(old: Sequence[Wire], new: Sequence[Wire]) -> tuple[list[Wire], dict[int, str]]:
    """The links of both sides, and by their number what is said of those that change."""
    before = {_ends(wire): wire for wire in old}
    drawn, changes = list(new), dict[int, str]()
    for wire in new:
        # A link is the same if it has the same ends; its number may differ.
        was = before.pop(_ends(wire), None)
        says = _what(was, wire)
        if says:
            changes[wire.number] = says
    number = max((wire.number for wire in new), default=-1)
    # What is left was there before: drawn as it was, and as gone.
    for was in before.values():
        number += 1
        drawn.append(replace(was, number=number, up=False, wrong=[], blocked=was.blocked))
        changes[number] = "gone" + (f": {vlans_in_short(was.crossing)}" if was.crossing else "")
    return drawn, changes


def _ends(wire: Wire) -> frozenset[str]:
    return frozenset((str(wire.a), str(wire.b)))


def _what(was: Wire | None, wire: Wire) -> str:
    """What is otherwise with a link; "" if nothing is."""
    if was is None:
        return f"new: {vlans_in_short(wire.crossing)}" if wire.crossing else "new: no VLAN"
    # Up before and now: only what crosses may differ.
    if was.up != wire.up:
        return f"up now: {vlans_in_short(wire.crossing)}" if wire.up else "shut now"
    more, less = wire.crossing - was.crossing, was.crossing - wire.crossing
    changes = [f"+{vlans_in_short(more)}"] if more else []
    changes += [f"-{vlans_in_short(less)}"] if less else []
    if was.cables != wire.cables:
        changes.append(f"{counted(wire.cables, 'cable')}, not {was.cables}")
    # Nothing crosses otherwise, and still something else is wrong now.
    if not changes and was.wrong != wire.wrong:
        changes.append(f"! {wire.wrong[0]}" if wire.wrong else f"no more: {was.wrong[0]}")
    return " ".join(changes)
