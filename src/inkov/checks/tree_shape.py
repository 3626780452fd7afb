"""The shape of spanning trees as they are worked out: how deep they are, which links they take, and
whether several trees share the load that they are meant to share (IEEE 802.1Q, clause 13; FM 7).

Trees are judged as far as it is sure who is root, or which ports forward.
"""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct

from inkov.campus import Device, Origin, TreeRole
from inkov.checks.catalogue import Found, Severity, Where, finding, rule
from inkov.checks.site import Site
from inkov.forwarding import Fabric
from inkov.forwarding.trees.costs import DEFAULT_PRIORITY
from inkov.forwarding.trees.port_settings import port_speed, taken_priority
from inkov.forwarding.trees.spanning import SpanningTree
from inkov.survey.trees import cost_over, distinct_trees, next_root
from inkov.vlanset import bits_to_text
from inkov.words import listed

_FAMILY = "Spanning tree"
_DEEPEST = 7  # bridges between any two hosts (IEEE 802.1D-1998, Table 8-2)


def _trees(site: Site) -> list[tuple[int, SpanningTree]]:
    """The distinct trees, each with its VLANs, as a mask."""
    return distinct_trees(site.fabric, site.now.trees) if site.now is not None else []


@rule(
    "tree-deep",
    family=_FAMILY,
    severity=Severity.RISK,
    what="more than seven switches are in a row in a spanning tree",
    why=(
        "the standard timers are made for seven: beyond that, messages may be too old on arrival,"
        " and a change of the tree can end in a loop"
    ),
    cure="link the far switches nearer to the root",
    example="eight switches hang one behind the other",
    says="in VLAN {vids} {count} switches are in a row in the spanning tree: {row}",
    fix="can {far} be linked nearer to the root? if not, see that the timers of the tree fit",
)
def tree_deep(site: Site) -> Iterator[Found]:
    rows: dict[tuple[int, ...], int] = {}
    for mask, tree in _trees(site):
        # Messages of instances count their steps instead, up to 20 (13.26.4).
        if tree.settled and not tree.instance:
            row = _longest_row(tree)
            if len(row) > _DEEPEST:
                rows[row] = rows.get(row, 0) | mask
    for row, mask in rows.items():
        names = [site.fabric.bridges[number].device for number in row]
        yield finding(
            {
                "vids": bits_to_text(mask),
                "count": len(row),
                "row": listed(names, len(names)),
                "far": names[-1],
            },
            where=tuple(
                site.places.switch(name, site.fabric.device(name).origin)
                for name in (names[-1], names[0])
            ),
            vlans=mask,
            key=(names[-1], names[0]),
        )


def _longest_row(tree: SpanningTree) -> tuple[int, ...]:
    """The bridges of the longest way in a tree, the one that is farthest from the root last. A
    region counts as one bridge, as it does for the age of messages (13.26.4): of each only the
    first bridge on the way is told.
    """
    elected = tree.outcomes[0]
    next_to: dict[int, list[int]] = {number: [] for number in tree.world.bridges}
    for bridge, port in elected.root_port.items():
        speaker = elected.designated[tree.world.ports[port].wire]
        above = tree.world.ports[speaker].bridge
        next_to[bridge].append(above)
        next_to[above].append(bridge)
    root = min(elected.root.values())
    # From the root to the farthest bridge, and from there again: the longest way of a tree.
    one_end = _farthest(tree, next_to, root)[-1]
    row = _farthest(tree, next_to, one_end)
    depth = {number: len(_way_to(tree, elected.root_port, number)) for number in row}
    return tuple(row if depth[row[-1]] >= depth[row[0]] else reversed(row))


def _way_to(tree: SpanningTree, root_port: dict[int, int], bridge: int) -> list[int]:
    """The bridges from one up to the root."""
    way = [bridge]
    designated = tree.outcomes[0].designated
    while way[-1] in root_port:
        wire = tree.world.ports[root_port[way[-1]]].wire
        way.append(tree.world.ports[designated[wire]].bridge)
    return way


def _farthest(tree: SpanningTree, next_to: dict[int, list[int]], start: int) -> list[int]:
    """The way from a bridge to the one that most bridges lie before, regions counted once."""
    region = {number: bridge.region for number, bridge in tree.world.bridges.items()}
    before: dict[int, int] = {start: start}
    steps = {start: 0}
    waiting = [start]
    while waiting:
        here = waiting.pop()
        for there in sorted(next_to[here]):
            if there not in before:
                # Within a region the age of messages does not grow.
                same = region[here] is not None and region[here] == region[there]
                before[there], steps[there] = here, steps[here] + (not same)
                waiting.append(there)
    end = min(steps, key=lambda number: (-steps[number], number))
    way = [end]
    while way[-1] != start:
        way.append(before[way[-1]])
    way.reverse()
    return [
        here
        for number, here in enumerate(way)
        if not number or steps[here] > steps[way[number - 1]]
    ]


# --- links of other speeds ------------------------------------------------------------------------


class _Choice(Struct, frozen=True):
    """Two ports of a bridge, one that leads to the root and one that is blocked, and how fast the
    slowest link on either way is, in Mbit/s.
    """

    taken: int
    blocked: int
    slow: int
    fast: int


@rule(
    "slow-link-wins",
    family=_FAMILY,
    severity=Severity.RISK,
    what="a switch reaches the root over a slow link, and blocks a way that is faster",
    why="all that the switch sends goes through the slow link, while the fast one is idle",
    cure="see that the costs follow the speeds: the same table of costs on all switches",
    example="gate-1 takes a link of 100 Mbit/s, of cost 19, and blocks one of 1 Gbit/s, of 20000",
    says=(
        "{switch} reaches the root {root} in VLAN {vids} by port {taken}, a way of {slow}"
        " (cost {cost}), and blocks port {blocked}, a way of {fast} (cost {other})"
    ),
    fix="which way is meant? let the costs on it be lower: on all switches from the same table",
)
def slow_link_wins(site: Site) -> Iterator[Found]:
    slow: dict[_Choice, int] = {}
    by_choice: dict[_Choice, SpanningTree] = {}
    leading: set[int] = set()  # ports that are the way to the root of some tree: load is shared
    for mask, tree in _trees(site):
        leading.update(tree.outcomes[0].root_port.values())
        for choice in _slow_choices(site.fabric, tree):
            slow[choice] = slow.get(choice, 0) | mask
            by_choice[choice] = tree
    for choice, mask in slow.items():
        # Blocked here, and the way to the root in another tree: the load is shared.
        if choice.blocked in leading:
            continue
        taken, blocked = (site.fabric.bridge_ports[n] for n in (choice.taken, choice.blocked))
        tree = by_choice[choice]
        yield finding(
            {
                "switch": taken.end.device,
                "root": site.fabric.bridges[tree.roots[0]].device,
                "vids": bits_to_text(mask),
                "taken": taken.end.port,
                "blocked": blocked.end.port,
                "slow": _speed_text(choice.slow),
                "fast": _speed_text(choice.fast),
                "cost": _cost_by(tree, choice.taken),
                "other": _cost_by(tree, choice.blocked),
            },
            where=tuple(
                Where(port.end.device, port.end.port, None, _cost_place(site.fabric, port.number))
                for port in (taken, blocked)
            ),
            assumes=tuple(doubt.says for doubt in tree.doubts),
            vlans=mask,
            key=(str(taken.end), str(blocked.end)),
        )


def _slow_choices(fabric: Fabric, tree: SpanningTree) -> Iterator[_Choice]:
    """Where the way to the root is slower than one that is blocked. Ways with a link of which the
    speed is not known are not compared.
    """
    # It is not sure who is root, or which way is taken.
    if not tree.root_is_sure or len(tree.outcomes) > 1:
        return
    elected, world = tree.outcomes[0], tree.world
    speeds: dict[int, int] = {tree.roots[0]: _NO_LIMIT}

    def by_port(number: int) -> int:
        """The slowest link on the way to the root by a port; 0 if one is not known."""
        speaker = elected.designated.get(world.ports[number].wire)
        if speaker is None:
            return 0  # the wire leads out of the region
        above = speeds.get(world.ports[speaker].bridge, 0)
        ends = [fabric.bridge_ports[at] for at in (number, speaker)]
        own = {port_speed(fabric.device(e.end.device), e.end.port) for e in ends}
        return min(above, *own) if len(own) == 1 else 0  # ends that differ: what is it then?

    for bridge in sorted(elected.cost, key=lambda number: elected.cost[number]):
        if bridge in elected.root_port:
            speeds[bridge] = by_port(elected.root_port[bridge])
    for number, role in elected.roles.items():
        taken = elected.root_port.get(world.ports[number].bridge)
        # Only a blocked way to another bridge is an alternative.
        if role is not TreeRole.ALTERNATE or taken is None:
            continue
        slow, fast = speeds[world.ports[number].bridge], by_port(number)
        # 0 is "not known": nothing to compare.
        if 0 < slow < fast:
            yield _Choice(taken, number, slow, fast)


_NO_LIMIT = 1 << 40


def _cost_by(tree: SpanningTree, number: int) -> int:
    """The cost of the way to the root by a port."""
    elected, port = tree.outcomes[0], tree.world.ports[number]
    above = tree.world.ports[elected.designated[port.wire]].bridge
    return sum(elected.cost[above]) + cost_over(tree, number, above)


def _cost_place(fabric: Fabric, number: int) -> Origin:
    """Where the cost of a port is stated, or the port itself."""
    port = fabric.bridge_ports[number]
    for tree in fabric.device(port.end.device).trees:
        if port.port in tree.costs:
            return tree.costs[port.port].origin
    return fabric.resolved(port).stated.origin


def _speed_text(speed: int) -> str:
    """A speed in Mbit/s, as people say it.

    >>> _speed_text(100), _speed_text(2500), _speed_text(40000)
    ('100 Mbit/s', '2.5 Gbit/s', '40 Gbit/s')
    """
    return f"{speed} Mbit/s" if speed < 1000 else f"{speed / 1000:g} Gbit/s"


# --- trees that are to share the load -------------------------------------------------------------


class _Priority(Struct, frozen=True):
    """A priority that a switch states for some VLANs, as a mask."""

    value: int
    vlans: int
    origin: Origin


@rule(
    "load-not-shared",
    family=_FAMILY,
    severity=Severity.RISK,
    what="a switch is to be root for some VLANs and not for others, and one is root for all",
    why="the trees are all alike: half of the links carry everything, the other half nothing",
    cure="let another switch have the lowest priority in the VLANs that are meant for it",
    example=(
        "core-1 has priority 4096 in VLAN 10 and 8192 in VLAN 20, and no switch a lower one in 20"
    ),
    says=(
        "{switch} has priority {low} in VLAN {vids} and {high} in VLAN {others}, and {root} is"
        " root in both{following}"
    ),
    fix="who is to be root in VLAN {meant}? give it a lower priority there",
)
def load_not_shared(site: Site) -> Iterator[Found]:
    trees = [(mask, tree) for mask, tree in _trees(site) if tree.root_is_sure and tree.circle]
    told: set[tuple[str, int]] = set()
    rows = [row for device in site.devices for row in _unshared(site, device, trees)]
    rows.sort(key=lambda row: row[0] != row[1])  # what the root itself states comes first
    for name, root, low, high, vids, following in rows:
        # Several switches may state the same split: told once.
        if (root, vids) in told:
            continue
        told.add((root, vids))
        meant = high if name == root else low
        yield finding(
            {
                "switch": name,
                "low": low.value,
                "high": high.value,
                "vids": bits_to_text(low.vlans & vids),
                "others": bits_to_text(high.vlans & vids),
                "root": "it" if name == root else root,
                "following": f" ({following} is next in line)" if following else "",
                "meant": bits_to_text(meant.vlans & vids),
            },
            where=(site.places.switch(name, high.origin), site.places.switch(name, low.origin)),
            vlans=meant.vlans & vids,
            key=(name,),
        )


_Unshared = tuple[str, str, _Priority, _Priority, int, str]


def _unshared(
    site: Site, device: Device, trees: list[tuple[int, SpanningTree]]
) -> Iterator[_Unshared]:
    """Two priorities of a switch that make no difference: the same switch is root with both."""
    priorities = _priorities(device)
    # One priority for all: nothing is meant to differ.
    if len(priorities) < 2:
        return
    fabric = site.fabric

    def named(bridge: int | None) -> str:
        return fabric.bridges[bridge].device if bridge is not None else ""

    leaders = [
        (mask, named(tree.roots[0]), named(next_root(tree, tree.roots[0])))
        for mask, tree in trees
        if any(fabric.bridges[number].device == device.name for number in tree.world.bridges)
    ]
    best = priorities[0]
    for worse in (priority for priority in priorities[1:] if priority.value != DEFAULT_PRIORITY):
        roots, seconds, vids = set(), set(), 0
        for mask, root, second in leaders:
            # Only trees of VLANs that one of the two priorities is for.
            if mask & (best.vlans | worse.vlans):
                roots.add(root)
                seconds.add(second)
                vids |= mask & (best.vlans | worse.vlans)
        # Both must speak of VLANs with trees, and one root lead all.
        if not (vids & best.vlans and vids & worse.vlans) or len(roots) != 1:
            continue
        root = roots.pop()
        # Only the root, or who is next in line, can have been meant.
        if device.name == root or seconds == {device.name}:
            second = seconds.pop() if len(seconds) == 1 and device.name == root else ""
            yield device.name, root, best, worse, vids, second


def _priorities(device: Device) -> list[_Priority]:
    """What a switch states, the lowest first, each with all its VLANs."""
    if device.tree_mode is None:
        return []
    priorities: dict[int, _Priority] = {}
    taken = 0
    # What speaks of fewest VLANs counts first.
    for tree in sorted(device.trees, key=lambda tree: len(tree.vlans)):
        vlans = tree.vlans.bits & ~taken
        if tree.priority is not None and not tree.bridge and vlans:
            taken |= vlans
            value = taken_priority(device.tree_mode.value, tree.priority)
            known = priorities.get(value)
            vlans |= known.vlans if known is not None else 0
            priorities[value] = _Priority(value, vlans, tree.priority.origin)
    return [priorities[value] for value in sorted(priorities)]
