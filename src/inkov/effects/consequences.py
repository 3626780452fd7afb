"""What else a change does to the campus as a whole: gateways, islands, links, their spares, and the
spanning trees.

Each is told once for all VLANs that share it. Of islands, links and spares all links count, as if
no tree blocked any.
"""

from __future__ import annotations

from collections.abc import Hashable, Iterator
from enum import StrEnum

from msgspec import Struct

from inkov.campus import Mode, Origin, natural
from inkov.checks import Site
from inkov.checks.site import Joined
from inkov.forwarding.circles import lone_links, partings
from inkov.forwarding.outlets import passes
from inkov.forwarding.trees.active import Now
from inkov.forwarding.trees.spanning import Trees
from inkov.forwarding.trees.wires import Wires
from inkov.vlanset import VlanSet, bits, union
from inkov.wiring import End
from inkov.words import counted, plural

__all__ = ["About", "Consequence", "consequences"]


class About(StrEnum):
    """What a consequence is about."""

    GATEWAY = "gateway"
    ISLANDS = "islands"
    LINK = "link"
    SPARE = "spare"
    SWITCH = "switch"
    TREE = "tree"


class Consequence(Struct, frozen=True):
    """`says` is a sentence without its subject, which `name` is, if there is one. `worse` is true
    for what is less than before: a gateway that is down, a VLAN in more islands,
    a link that lacks a needed VLAN, a way without a spare.
    """

    about: About
    name: str
    vlans: VlanSet
    says: str
    worse: bool
    origin: Origin = Origin()


def consequences(old: Site, new: Site) -> list[Consequence]:
    """What is otherwise on the campus after a change."""
    return [
        *_gateways(old, new),
        *_islands(old, new),
        *_links(old, new),
        *_spares(old, new),
        *_roots(old, new),
        *_blocked(old, new),
    ]


def _about(about: About, name: str, mask: int, says: str, worse: bool) -> Consequence:
    """A consequence for some VLANs, which stand where the sentence has `{}`."""
    vlans = VlanSet(mask)
    words = f"{plural(len(vlans), 'VLAN')} {vlans}" if vlans else "no VLAN"
    return Consequence(about, name, vlans, says.format(words), worse)


def _gateways(old: Site, new: Site) -> Iterator[Consequence]:
    before, after = (
        {(i.device, i.name): i for i in site.interfaces if i.addresses} for site in (old, new)
    )
    for key in sorted({*before, *after}, key=lambda key: (natural(key[0]), natural(key[1]))):
        was, now = before.get(key), after.get(key)
        name = " ".join(key)
        # It came, up or down.
        if was is None and now is not None:
            says = f"is new, and down: {now.why_down}" if now.why_down else "is new, and up"
            yield _gateway(name, now.serves, says, bool(now.why_down), now.origin)
        elif was is not None and now is None:
            # It went: worse, if it was up.
            yield _gateway(name, was.serves, "is gone", not was.why_down, was.origin)
        elif was is not None and now is not None and bool(was.why_down) != bool(now.why_down):
            # There on both sides: up or down now.
            says = f"is down: {now.why_down}" if now.why_down else "is up"
            yield _gateway(name, now.serves, says, bool(now.why_down), now.origin)


def _gateway(name: str, serves: int, says: str, worse: bool, origin: Origin) -> Consequence:
    return Consequence(About.GATEWAY, name, VlanSet(serves), says, worse, origin)


def _islands(old: Site, new: Site) -> Iterator[Consequence]:
    before, after = old.island_counts, new.island_counts
    turned: dict[tuple[int, int], list[int]] = {}
    for vid in sorted({*before, *after}):
        counts = before.get(vid, 0), after.get(vid, 0)
        # As many islands as before is no news.
        if counts[0] != counts[1]:
            turned.setdefault(counts, []).append(vid)
    for (was, now), vids in sorted(turned.items()):
        # Nobody was in it before.
        if not was:
            says = "used now, and not before" + (f": in {now} islands" if now > 1 else "")
        elif not now:
            # Nobody is in it now.
            says = "not used any more"
        else:
            says = f"in {counted(now, 'island')} instead of {was}"
        mask = VlanSet.from_vids(vids).bits
        yield _about(About.ISLANDS, "", mask, f"{{}}: {says}", now > max(was, 1))


Link = tuple[str, str]
"""A link by its two ends."""


def _order(link: Link) -> list[object]:
    return [natural(part) for part in link]


def _links(old: Site, new: Site) -> Iterator[Consequence]:
    before, after = _crossing(old), _crossing(new)
    for key in sorted({*before, *after}, key=_order):
        was, now = before.get(key), after.get(key)
        name = " - ".join(key)
        # A link came or went, with all it carried.
        if was is None or now is None:
            says = "is new, and carries {}" if was is None else "is there no more; it carried {}"
            carried = now or was
            assert carried is not None
            yield _about(About.LINK, name, carried[0], says, False)
            continue
        for mask, says, worse in (
            (now[0] & ~was[0] & now[2], "carries {} now", False),
            (now[0] & ~was[0] & ~now[2], "carries {} now, which nobody needs there", False),
            (was[0] & ~now[0] & ~now[1], "carries {} no more, and need not", False),
            (was[0] & ~now[0] & now[1], "carries {} no more, and should", True),
            (now[1] & ~was[1] & ~was[0], "should carry {} now, and does not", True),
        ):
            # Nothing of that kind.
            if mask:
                yield _about(About.LINK, name, mask, says, worse)


def _crossing(site: Site) -> dict[Link, tuple[int, int, int]]:
    """For each link that is up what crosses it both ways, what it needs and lacks, and what it
    needs, as masks.
    """
    masks = {}
    for joined in site.links:
        # A routed end passes no VLANs.
        if Mode.ROUTED not in (joined.a.mode, joined.b.mode):
            both = _both_ways(site, joined)
            needs = site.needs[joined.number]
            masks[_named(joined)] = both, needs & ~both, needs
    return masks


def _both_ways(site: Site, joined: Joined) -> int:
    ends = joined.link.a, joined.link.b
    there, back = (passes(site.fabric, joined.number, end) for end in ends)
    return there & back


def _named(joined: Joined) -> Link:
    return str(joined.link.a), str(joined.link.b)


_NOTHING = (0, 0, 0)


def _spares(old: Site, new: Site) -> Iterator[Consequence]:
    """The links that are the last way of a VLAN now, where there was another one before."""
    crossing = [_crossing(site) for site in (old, new)]
    turned = union(
        crossing[0].get(link, _NOTHING)[0] ^ crossing[1].get(link, _NOTHING)[0]
        for link in {*crossing[0], *crossing[1]}
    )
    sides = [_Carried(site) for site in (old, new)]
    lone = [side.lone(turned) for side in sides]
    needs = {_named(joined): new.needs[joined.number] for joined in new.links}
    for name, mask in sorted(lone[1].items(), key=lambda item: _order(item[0])):
        spared = crossing[0].get(name, _NOTHING)[0] & ~lone[0].get(name, 0)
        lost = mask & spared & needs.get(name, 0)
        # It was not the only way before, and somebody needs it.
        if lost:
            says = "is the only way left of {}: there was a spare"
            yield _about(About.SPARE, " - ".join(name), lost, says, True)
    between = [side.in_between(turned) for side in sides]
    for switch, parts in sorted(between[1].items(), key=lambda item: natural(item[0])):
        before = between[0].get(switch, {})
        spared = union(
            1 << vid
            for vid, own in parts.items()
            # What fell off without it before had no way past it.
            if not all(part in before.get(vid, ()) for part in own)
            and _had_way_past(sides[0], sides[1], vid, switch, own)
        )
        if spared:
            says = "is the only way left between members of {}: there was one past it"
            yield _about(About.SWITCH, switch, spared, says, True)


Parts = list[set[Hashable]]
"""What falls off without something: sets of switches."""


class _Carried:
    """The links of one side with the VLANs that cross them both ways, as masks."""

    def __init__(self, site: Site) -> None:
        self.served = site.served
        self.links = [
            (joined, joined.link.a.device, joined.link.b.device, _both_ways(site, joined))
            for joined in site.links
        ]

    def members(self, vid: int) -> set[str]:
        """The switches that serve a VLAN."""
        return {name for name, mask in self.served.items() if mask >> vid & 1}

    def in_between(self, vids: int) -> dict[str, dict[int, Parts]]:
        """The switches whose loss alone splits what others serve of some VLANs: what falls off
        then, by VLAN.
        """
        by_switch: dict[str, dict[int, Parts]] = {}
        for vid in bits(vids):
            own = [(one, other) for _, one, other, both in self.links if both >> vid & 1]
            for parting in partings(own, dict.fromkeys(self.members(vid), 1)):
                # Switches only: links are told as spares.
                if parting.edge < 0:
                    parts = list(map(set, parting.parts))
                    by_switch.setdefault(str(parting.vertex), {})[vid] = parts
        return by_switch

    def lone(self, vids: int) -> dict[Link, int]:
        """The links whose loss alone splits some of these VLANs, and which of them."""
        masks: dict[Link, int] = {}
        for vid in bits(vids):
            # Only links that pass it.
            own = [link for link in self.links if link[3] >> vid & 1]
            for number in lone_links((one, other) for _, one, other, _ in own):
                name = _named(own[number][0])
                masks[name] = masks.get(name, 0) | 1 << vid
        return masks

    def joined(self, vid: int, without: str = "") -> Wires:
        """What hangs together by links that a VLAN crosses, without a switch."""
        wires = Wires()
        for _, one, other, both in self.links:
            if both >> vid & 1 and without not in (one, other):
                wires.join(one, other)
        return wires


def _had_way_past(old: _Carried, new: _Carried, vid: int, switch: str, parts: Parts) -> bool:
    """Whether two that only a switch joins now hung together past it. Without the switch `parts`
    fall off, each for itself, from the rest of what hangs together.
    """
    now, past = new.joined(vid), old.joined(vid, without=switch)
    members = new.members(vid) - {switch}
    rest: set[Hashable] = {name for name in members if now.of(name) == now.of(switch)}
    part_of: dict[Hashable, int] = {}
    for number, part in enumerate([*parts, rest.difference(*parts)]):
        for name in part & old.members(vid):
            # Somebody of another part was there as well.
            if part_of.setdefault(past.of(name), number) != number:
                return True
    return False


def _roots(old: Site, new: Site) -> Iterator[Consequence]:
    """The roots of spanning trees, where some switch says that it runs one."""
    # Without a spanning tree there is no root.
    if old.now is None or new.now is None:
        return
    before, after = _root_of(old, old.now.trees), _root_of(new, new.now.trees)
    turned: dict[tuple[str, str], int] = {}
    for vid in before.keys() & after.keys():
        # A VLAN that is on one side only has no other root.
        if before[vid] != after[vid]:
            key = before[vid], after[vid]
            turned[key] = turned.get(key, 0) | 1 << vid
    for (was, now), mask in sorted(turned.items()):
        says = f"{{}}: the root of the spanning tree is {now}, it was {was}"
        yield _about(About.TREE, "", mask, says, False)


def _root_of(site: Site, trees: Trees) -> dict[int, str]:
    """VLAN -> the roots of its trees, one for each part of the campus that hangs together."""
    root_names: dict[int, list[str]] = {}
    for tree in trees.trees:
        names = sorted({site.fabric.bridges[number].device for number in tree.roots}, key=natural)
        # A root is named where it is sure.
        told = tree.complete and len(names) < 5
        root = " or ".join(names) if told else "left to chance"
        live = union(mask & site.fabric.bridges[number].live for number, mask in tree.masks.items())
        for vid in bits(live & site.served_anywhere):
            root_names.setdefault(vid, []).append(root)
    return {vid: ", ".join(sorted(set(roots))) for vid, roots in root_names.items()}


def _blocked(old: Site, new: Site) -> Iterator[Consequence]:
    """The links that a spanning tree blocks on one side only, of those that are there on both."""
    # Without a tree nothing is blocked.
    if old.now is None or new.now is None:
        return
    before, after = _blocking(old, old.now), _blocking(new, new.now)
    for key in sorted(before.keys() & after.keys(), key=_order):
        for mask, says in (
            (after[key] & ~before[key], "is blocked by the spanning tree for {} now"),
            (before[key] & ~after[key], "is not blocked by the spanning tree for {} any more"),
        ):
            if mask:
                yield _about(About.TREE, " - ".join(key), mask, says, False)


def _blocking(site: Site, now: Now) -> dict[Link, int]:
    """For each link the VLANs of hosts that it passes but for an end that discards them, in the
    first outcome.
    """
    discards: dict[End, int] = {}
    for number, mask in now.trees.discarding(0).items():
        end = site.fabric.bridge_ports[number].end
        discards[end] = discards.get(end, 0) | mask
    return {
        _named(joined): union(discards.get(end, 0) for end in (joined.link.a, joined.link.b))
        & site.served_anywhere
        & site.shared[joined.number]
        for joined in site.links
    }
