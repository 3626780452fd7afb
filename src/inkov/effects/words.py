"""Groups and effects in words."""

from __future__ import annotations

from collections.abc import Callable

from inkov.effects.effect import Effect
from inkov.effects.groups import Group
from inkov.effects.stories import Story, vlans_of
from inkov.levels import Layer, Level
from inkov.vlanset import VlanSet

__all__ = ["group_in_words", "pair_in_words", "story_in_words"]

_SWITCHES = 3
_PORTS = 5
_LONG = 40  # characters of a list of VLANs


def group_in_words(group: Group, name_of: Callable[[int], str] = lambda vid: "") -> str:
    """Who is meant, in a few words: `clocks (12 ports)`, `VLAN 20 at stg-1:4 and stg-1:5`.

    `name_of` names a VLAN, "" for one without a name.
    """
    # A side of which nobody is left.
    if not group.count:
        return "nobody"
    what = _what(group, name_of)
    # All of a VLAN: no need to list them.
    if group.everyone:
        return f"{what} (all {group.count})" if group.count > 1 else f"{what} ({group.ports[0]})"
    # A few named hosts, by their names.
    if group.hosts and len(group.hosts) == group.count <= _PORTS:
        return f"{', '.join(group.hosts)} ({what})"
    # A few ports, by name; many by their switches.
    if len(group.ports) <= _PORTS:
        return f"{_ports(group.ports)} ({what})"
    where = ", ".join(group.switches[:_SWITCHES])
    more = len(group.switches) - _SWITCHES
    where += f" and {more} more" if more > 0 else ""
    return f"{group.count} ports of {what} on {where}"


def _ports(names: list[str]) -> str:
    """Ports, those of one switch behind its name: `stg-1:4, 5 and core-1:2`."""
    by_switch: dict[str, list[str]] = {}
    for name in names:
        switch, _, port = name.partition(":")
        by_switch.setdefault(switch, []).append(port)
    return " and ".join(f"{switch}:{', '.join(ports)}" for switch, ports in by_switch.items())


def _what(group: Group, name_of: Callable[[int], str]) -> str:
    """The VLANs, or the segment that they are."""
    vids = list(group.vlans)
    if not vids:
        return "no VLAN"
    # One VLAN by its name, and the segment if that is called otherwise.
    if len(vids) == 1:
        name = name_of(vids[0])
        within = f", {group.segments[0]}" if group.segments and group.segments[0] != name else ""
        return f"VLAN {vids[0]}{f' {name}' if name else ''}{within}"
    # All of one segment.
    if len(group.segments) == 1:
        return f"{group.segments[0]}: VLANs {_list(group.vlans)}"
    return f"VLANs {_list(group.vlans)}"


def _list(vlans: VlanSet) -> str:
    """A list of VLANs; of a long one its beginning, and how many there are."""
    text = str(vlans)
    # Short enough to be told whole.
    if len(text) <= _LONG:
        return text
    return f"{text[:_LONG].rpartition(',')[0]} and more, {len(vlans)} in all"


def pair_in_words(effect: Effect, name_of: Callable[[int], str] = lambda vid: "") -> str:
    """Who reaches whom: `A -> B`, `A <-> B`, or of one side `A among themselves`."""
    source = group_in_words(effect.sources, name_of)
    # Of one group, among themselves.
    if effect.row.within:
        text = f"{source} among themselves"
    else:
        arrow = "<->" if effect.row.both_ways else "->"
        text = f"{source} {arrow} {group_in_words(effect.targets, name_of)}"
    if effect.layer == Layer.PACKETS:
        text += ", by routers" + (", the whole of it" if effect.row.in_part else "")
    if effect.level == Level.HOSTILE:
        text += ", if hostile"
    return text


def story_in_words(story: Story, name_of: Callable[[int], str] = lambda vid: "") -> str:
    """Who reaches whom, in the first of its VLANs, and in how many more it is so."""
    text = pair_in_words(story[0], name_of)
    # One effect is its own story.
    if len(story) == 1:
        return text
    vlans = vlans_of(story)
    return f"{text}; and so in VLANs {_list(vlans)}, each by itself"
