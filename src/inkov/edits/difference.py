"""The difference of two campuses as edits.

Things are found again by their names; a switch that was renamed is to be renamed first
(`renames`). What a file says in another place or another order is no difference. Neither is what is
about files and not about the campus: problems, lines that were not understood, statements that a
later one replaced.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator
from typing import Any

from inkov.campus import Campus, Device, Fact, Mode, Negotiation, Platform, Port, natural
from inkov.edits.edit import Edit, Kind, place_of, same
from inkov.edits.things import DEVICE_FIELDS, attributes, of_campus, of_device

__all__ = ["difference"]


def difference(old: Campus, new: Campus, unchanged: Collection[str] = ()) -> list[Edit]:
    """The edits that make `new` of `old`: by switch, then by thing, in natural order. Switches that
    are `unchanged` for sure, since their files are, are not looked at.
    """
    edits: list[Edit] = []
    for name in sorted({*old.devices, *new.devices}, key=natural):
        before, after = old.devices.get(name), new.devices.get(name)
        # On one side only: the whole switch came or went.
        if before is None or after is None:
            edits.append(Edit(name, Kind.SWITCH, name, "", before, after))
        elif before is not after and name not in unchanged:
            # The same object, or the same files: nothing to compare.
            edits += _of_switch(before, after)
    for held in of_campus():
        edits += _of_things("", held.kind, held.listed(old), held.listed(new))
    return edits


def _of_switch(old: Device, new: Device) -> Iterator[Edit]:
    for attribute in DEVICE_FIELDS:
        before, after = getattr(old, attribute), getattr(new, attribute)
        if not same(before, after):
            yield Edit(new.name, Kind.SWITCH, new.name, attribute, before, after)
    if (old.vlans is None) != (new.vlans is None):  # there was no table at all, or is none now
        yield Edit(new.name, Kind.SWITCH, new.name, "vlans", old.vlans, new.vlans)
    for held in of_device():
        # A table that comes or goes is told as that.
        if held.kind is Kind.VLAN and (old.vlans is None or new.vlans is None):
            continue
        things = held.listed(old), held.listed(new)
        if held.kind is Kind.PORT:
            yield from _of_things(new.name, held.kind, *things, (old.platform, new.platform))
        else:
            yield from _of_things(new.name, held.kind, *things)


def _of_things(
    switch: str,
    kind: Kind,
    old: dict[str, Any],
    new: dict[str, Any],
    platforms: tuple[Platform, Platform] | None = None,
) -> Iterator[Edit]:
    same_platform = platforms is None or same(platforms[0], platforms[1])
    for name in sorted({*old, *new}, key=natural):
        before, after = old.get(name), new.get(name)
        # It came or went as a whole.
        if before is None or after is None:
            yield Edit(switch, kind, name, "", before, after)
        elif kind is Kind.SECOND_SOURCE:
            # A second source is compared by what it says, not item by item.
            if not same(before, after):
                yield Edit(switch, kind, name, "", before, after)
        elif not same_platform or not same(before, after):
            # With another make the same port may mean something else.
            yield from _of_attributes(switch, kind, name, before, after, platforms)


def _of_attributes(
    switch: str,
    kind: Kind,
    name: str,
    old: Any,
    new: Any,
    platforms: tuple[Platform, Platform] | None,
) -> Iterator[Edit]:
    for attribute in attributes(new):
        before, after = getattr(old, attribute), getattr(new, attribute)
        was = becomes = None
        if platforms is not None:
            was = _default(platforms[0], old, attribute)
            becomes = _default(platforms[1], new, attribute)
        stated = not same(before, after)
        # Nothing is stated, before or after, and the two makes mean different things by that.
        silently = before is None and after is None and not same(was, becomes)
        if stated or (silently and _decides(attribute, (old, new), platforms)):
            rows = (place_of(old), place_of(new)) if stated else (None, None)
            yield Edit(switch, kind, name, attribute, before, after, was, becomes, rows)


_OF_MODE = {
    Mode.ACCESS: {"access_vlan", "voice_vlan"},
    Mode.TRUNK: {"allowed", "withheld", "native_vlan", "native_tagged"},
    Mode.GENERAL: {"pvid", "accept", "ingress_filtering", "tagged", "untagged", "withheld"},
    Mode.PRIVATE_HOST: {"primary", "secondary"},
    Mode.PROMISCUOUS: {"primary", "secondaries"},
}
"""What decides about frames in one mode, and in no other."""


def _decides(
    attribute: str, ports: tuple[Port, Port], platforms: tuple[Platform, Platform] | None
) -> bool:
    """Whether an attribute that is stated nowhere decides anything about a port, before or after:
    it is of no mode in particular, or of one that the port is in or may come to by negotiation.
    """
    of = {mode for mode, names in _OF_MODE.items() if attribute in names}
    # No mode of its own: it decides in any.
    if not of or platforms is None:
        return True
    for port, platform in zip(ports, platforms, strict=True):
        mode, negotiation = (platform.fact(port, name) for name in ("mode", "negotiation"))
        asks = negotiation is not None and negotiation.value in _ASKS
        modes = {mode.value if mode is not None else Mode.ACCESS}
        # A port that asks may become a trunk or stay an access port.
        if (modes | ({Mode.ACCESS, Mode.TRUNK} if asks else set())) & of:
            return True
    return False


_ASKS = (Negotiation.PASSIVE, Negotiation.ACTIVE)


def _default(platform: Platform, port: Port, attribute: str) -> Fact[Any] | None:
    """What holds for an attribute of a port by default, if it is not stated."""
    return platform.unstated.get(attribute) if getattr(port, attribute) is None else None
