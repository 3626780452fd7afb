"""Spanning tree, as far as configurations tell: edge settings, guards, priorities, modes (IEEE
802.1Q, clause 13).

A switch whose configuration says nothing of a spanning tree is not judged by these rules.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from inkov.campus import Device, Guard, Mode, Origin, TreeMode, natural
from inkov.checks.access import by_switch
from inkov.checks.catalogue import Found, Severity, Where, finding, rule
from inkov.checks.site import EVERYTHING, Site
from inkov.edits.make import of_port
from inkov.forwarding import Resolved
from inkov.forwarding.trees.costs import DEFAULT_PRIORITY
from inkov.forwarding.trees.port_settings import taken_priority
from inkov.vlanset import bits, bits_to_text, together, union
from inkov.words import counted, listed

_FAMILY = "Spanning tree"
_STEP = 4096  # of priorities (13.26.2)


def _runs(site: Site) -> dict[str, Device]:
    """The switches that say they run a spanning tree, in one way or another."""
    marked = {r.end.device for r in site.stating("edge") if r.completed.mode is not Mode.ROUTED}
    running = {}
    for device in site.devices:
        # Off, or silent: such a switch is not judged.
        if not _is_off(device) and (
            device.tree_mode is not None or device.trees or device.name in marked
        ):
            running[device.name] = device
    return running


def _has_setting(resolved: Resolved, attribute: str) -> bool:
    fact = getattr(resolved.stated, attribute)
    return fact is not None and bool(fact.value)


def _loops(site: Site) -> Iterator[tuple[tuple[tuple[int, int], ...], int]]:
    """The loops that no spanning tree guards: the links of each, as pairs of bridge ports, and the
    VIDs that go round in it, as a mask.

    A switch with a tree on a loop gets its own messages back, and opens the loop, unless a switch
    without one keeps them off. So where it is sure which ports forward now, all loops of these
    count, else those of switches that all run no tree. Of the links that pass a VLAN between such
    switches, those are on loops that are left when ends of chains are taken away, again and again.
    """
    fabric, without = site.fabric, {d.name for d in site.devices if _is_off(d)}
    # A switch with a tree can still cut the loop: what forwards now tells.
    if without and site.now is not None and site.now.sure:
        fabric, without = site.now.first, set(fabric.campus.devices)
    ports = fabric.bridge_ports
    ways: dict[tuple[int, int], int] = {}
    for sender, crossings in fabric.crossings.items():
        # Protected ports pass nothing to each other, so they make no loop.
        if ports[sender].end.device in without and not ports[sender].view.protected:
            for crossing in crossings:
                for to, mask in crossing.same:
                    ways[sender, to] = ways.get((sender, to), 0) | mask
    both = {
        (sends, to): passed
        for (sends, to), mask in ways.items()
        # Both ways, each pair once.
        if sends < to and (passed := mask & ways.get((to, sends), 0))
    }
    by_links: dict[tuple[tuple[int, int], ...], int] = {}
    for vid in bits(union(both.values())):
        links = [pair for pair, mask in both.items() if mask >> vid & 1]
        while True:
            # A bridge with one link left ends a chain.
            degrees = Counter(ports[end].bridge for pair in links for end in pair)
            kept = [pair for pair in links if all(degrees[ports[end].bridge] > 1 for end in pair)]
            if len(kept) == len(links):
                break
            links = kept
        if links:
            by_links[tuple(links)] = by_links.get(tuple(links), 0) | 1 << vid
    yield from by_links.items()


def _is_off(device: Device) -> bool:
    return device.tree_mode is not None and device.tree_mode.value is TreeMode.OFF


@rule(
    "loop-unguarded",
    family=_FAMILY,
    severity=Severity.BREACH,
    what="links form a loop, and no switch on it runs a spanning tree",
    why=(
        "the first broadcast goes round for ever and is copied at every turn: the VLAN stands still"
        " within seconds, and with it all that the links carry"
    ),
    cure="turn the spanning tree on, or take one of the links away",
    example="two ports of gate-1 in VLAN 10 are patched together, and its spanning tree is off",
    says={
        "off": "{links} form a loop in VLAN {vids}, and no spanning tree runs on {switches}",
        "unbroken": (
            "{links} form a loop in VLAN {vids}; no spanning tree runs on {switches}, and untagged"
            " frames do not get past: nobody breaks it, if messages of others do not, either"
        ),
        "unknown": "{links} form a loop in VLAN {vids}, and {switches} states no spanning tree",
    },
    fix="turn the spanning tree on at {switches}, or take one of the links away",
)
def loop_unguarded(site: Site) -> Iterator[Found]:
    ports = site.fabric.bridge_ports
    for links, mask in _loops(site):
        ends = [(ports[sender].end, ports[to].end) for sender, to in links]
        around = sorted({end.device for pair in ends for end in pair}, key=natural)
        names = [name for name in around if _is_off(site.fabric.device(name))]
        modes = [site.fabric.device(name).tree_mode for name in names]
        yield finding(
            {
                "links": listed([f"{end} to {to}" for end, to in ends]),
                "vids": bits_to_text(mask),
                "switches": listed(names),
            },
            case="off" if names == around else "unbroken",
            where=(
                *(site.places.of(site.resolved(end), "mode") for pair in ends for end in pair),
                *(
                    site.places.switch(name, mode.origin)
                    for name, mode in zip(names, modes, strict=True)
                    if mode is not None
                ),
            ),
            severity=None if names == around else Severity.RISK,
            vlans=mask,
        )
    running = _runs(site)
    for number, _, a, b in site.links:
        device, shared = a.end.device, site.shared[number]
        # Both ends on one switch, which says nothing of a tree.
        if device != b.end.device or not shared or device in running:
            continue
        if site.fabric.device(device).tree_mode is None:
            yield finding(
                {"links": f"{a.end} to {b.end}", "vids": bits_to_text(shared), "switches": device},
                case="unknown",
                where=(site.places.of(a, "mode"), site.places.of(b, "mode")),
                severity=Severity.RISK,
                vlans=shared,
            )


@rule(
    "edge-on-link",
    family=_FAMILY,
    severity=Severity.RISK,
    what="a port towards another switch has the edge setting",
    why=(
        "an edge port forwards at once, without waiting for the tree: a loop over it stands until"
        " the tree notices"
    ),
    cure="take the edge setting off the port",
    example="core-1 port 3, a link to gate-1, is set as an edge port",
    says="{end}, a link to {far}, is set as an edge port",
    fix="take the edge setting off {end}",
)
def edge_on_link(site: Site) -> Iterator[Found]:
    for resolved in site.stating("edge"):
        end = site.fabric.end_of(*resolved.end)
        if (
            _has_setting(resolved, "edge")
            and end in site.fabric.wiring.of
            and site.resolved(end).up
        ):
            far = site.fabric.wiring.of[end][0].far(end)
            if site.resolved(far).mode is Mode.ROUTED:
                continue  # no bridge is there
            yield finding(
                {"end": resolved.end, "far": far},
                where=(
                    site.places.of(resolved, "edge"),
                    Where(far.device, far.port, None, site.resolved(far).stated.origin),
                ),
                key=(str(resolved.end),),
                edits=[of_port(resolved.end.device, resolved.stated, "edge", False)],
            )


@rule(
    "edge-missing",
    family=_FAMILY,
    severity=Severity.NOTE,
    what="host ports lack the edge setting that other host ports have, or that the plan asks for",
    why=(
        "a host waits half a minute for the network, and each one that is switched on makes the"
        " tree change for all"
    ),
    cure="set host ports as edge ports",
    example="ports 1 to 20 of gate-1 are edge ports, port 21 is not",
    says="{device} has {count} without the edge setting: {ports}",
    fix="set them as edge ports",
)
def edge_missing(site: Site) -> Iterator[Found]:
    for device, without in _lacking(site, "edge", site.plan.practice.edge):
        yield finding(
            {
                "device": device,
                "count": counted(len(without), "host port"),
                "ports": listed([r.end.port for r in without]),
            },
            where=tuple(site.places.of(r, "edge") for r in without),
            edits=[of_port(device, r.stated, "edge", True) for r in without],
        )


@rule(
    "guard-missing",
    family=_FAMILY,
    severity=Severity.NOTE,
    what=(
        "host ports lack the guard against bridges that other host ports have, or that the plan"
        " asks for"
    ),
    why="whoever plugs in a switch there takes part in the tree, and may become its root",
    cure="turn the guard on at host ports",
    example="ports 1 to 20 of gate-1 shut themselves when a bridge speaks there, port 21 does not",
    says="{device} has {count} without a guard against bridges: {ports}",
    fix="turn the guard on there",
)
def guard_missing(site: Site) -> Iterator[Found]:
    for device, ports in _lacking(site, "bpdu_guard", site.plan.practice.guard):
        # Another guard does as well.
        without = [r for r in ports if r.stated.guard is None or r.stated.guard.value is Guard.NONE]
        if without:
            yield finding(
                {
                    "device": device,
                    "count": counted(len(without), "host port"),
                    "ports": listed([r.end.port for r in without]),
                },
                where=tuple(site.places.of(r, "bpdu_guard") for r in without),
                edits=[of_port(device, r.stated, "bpdu_guard", True) for r in without],
            )


def _lacking(
    site: Site, attribute: str, asked: bool | None
) -> Iterator[tuple[str, list[Resolved]]]:
    """By switch, the host ports without a setting that other ports of the switch have (or that is
    asked for).
    """
    # Asked for by the plan: of all switches with a tree; else of those where other ports have it.
    devices = (
        set(_runs(site))
        if asked
        else {r.end.device for r in site.stating(attribute) if _has_setting(r, attribute)}
    )
    modes = (Mode.ACCESS, Mode.PRIVATE_HOST)
    lacking = [
        r
        for r in site.host_ports
        if r.end.device in devices and not _has_setting(r, attribute) and r.effective_mode in modes
    ]
    yield from by_switch(lacking).items()


Priorities = dict[str, tuple[int, Origin]]


def _priorities(site: Site) -> list[Priorities]:
    """The priority that each switch with a tree states, or the default, where VLANs are in one tree
    everywhere; those of each area, since a tree ends where layer 2 does (FM 6.7).

    Trees may share the load: one switch is the root for some VLANs, its deputy for the others.
    """
    running = {
        name: device
        for name, device in _runs(site).items()
        if device.tree_mode is not None or device.trees
    }
    by_settings: dict[tuple[object, ...], Priorities] = {}
    every = site.served_anywhere or EVERYTHING.bits
    # VLANs that are in the same trees have the same priorities.
    for mask in together(every, [t.vlans.bits for d in running.values() for t in d.trees]):
        of_area: dict[str, Priorities] = {}
        for name, device in running.items():
            mode = device.tree_mode
            kind = mode.value if mode is not None else TreeMode.RSTP
            # What is stated counts as the switch takes it.
            stated = [
                (taken_priority(kind, tree.priority), tree.priority.origin)
                for tree in device.trees
                if tree.priority is not None and tree.vlans.bits & mask
            ]
            fallback = mode.origin if mode is not None else device.origin
            lowest = min(stated, key=lambda s: s[0], default=(DEFAULT_PRIORITY, fallback))
            of_area.setdefault(site.area[name], {})[name] = lowest
        for area, priorities in of_area.items():
            key = area, *((name, value) for name, (value, _) in priorities.items())
            # The same priorities for other VLANs are one finding.
            by_settings.setdefault(key, priorities)
    return list(by_settings.values())


@rule(
    "root-left-to-chance",
    family=_FAMILY,
    severity=Severity.RISK,
    what="no switch states a priority that makes it the root of the spanning tree",
    why=(
        "the switch with the lowest address becomes root, often the oldest one in a closet: all"
        " traffic goes through it"
    ),
    cure="give the switch that is to be root the lowest priority, and its deputy the next one",
    example="core-1, gate-1 and palm-1 run a spanning tree, and none states a priority",
    says={
        "unstated": "no switch states a priority",
        "shared": "{switches} share the lowest priority",
        "chance": ": which of {count} becomes root is left to chance",
        "address": ": of {count} {root} is root, by its address",
    },
    fix="which switch is to be root? give it the lowest priority, and its deputy the next one",
)
def root_left_to_chance(site: Site) -> Iterator[Found]:
    sizes = Counter(site.area.values())
    for priorities in _priorities(site):
        if len(priorities) < 2 or 2 * len(priorities) <= sizes[site.area[min(priorities)]]:
            continue  # the tree of the switches that say nothing is not known
        lowest = min(value for value, _ in priorities.values())
        first = [name for name, (value, _) in priorities.items() if value == lowest]
        # One alone has the lowest: it is root.
        if len(first) > 1:
            root = _by_address(site, first)
            yield finding(
                {"switches": listed(first), "count": counted(len(first), "switch"), "root": root},
                case=(
                    "unstated" if lowest == DEFAULT_PRIORITY else "shared",
                    "address" if root else "chance",
                ),
                where=tuple(site.places.switch(name, priorities[name][1]) for name in first),
            )


def _by_address(site: Site, first: list[str]) -> str:
    """Of switches that share the lowest priority the one that is root of all trees that all of them
    are in; "" if that is not known.
    """
    roots = set()
    for tree in site.now.trees.trees if site.now is not None else ():
        among = {site.fabric.bridges[number].device for number in tree.world.bridges}
        # Only trees that all of them are in tell who wins.
        if set(first) <= among:
            root = site.fabric.bridges[tree.roots[0]].device
            roots.add(root if tree.root_is_sure and root in first else "")
    return roots.pop() if len(roots) == 1 else ""


@rule(
    "root-against-plan",
    family=_FAMILY,
    severity=Severity.RISK,
    what="another switch than the first that the plan names as root has the lowest priority",
    why=(
        "the tree hangs from the wrong switch: traffic takes detours, and links that should be"
        " spare carry it"
    ),
    cure="give the planned root the lowest priority",
    example="the plan says root: [core-1, core-2], and gate-1 has the lowest priority",
    says="{name} has the lowest priority, {value}, and the plan wants {wanted} as root",
    fix={
        "above": "raise the priority number of {name} to {higher}",
        "or": ", or lower that of {root} to {lower}",
    },
)
def root_against_plan(site: Site) -> Iterator[Found]:
    wanted = site.plan.practice.root
    trees = _priorities(site) if wanted else []
    leading = {min(tree, key=lambda name: tree[name][0]) for tree in trees}
    for priorities in trees:
        own = [name for name in wanted if name in priorities]
        lowest = min(value for value, _ in priorities.values())
        for name, (value, origin) in priorities.items():
            # A deputy may lead where trees share the load.
            deputy = name in own and priorities[own[0]][0] > lowest and own[0] not in leading
            wrong = name not in wanted or deputy
            # A default is nobody's choice: root-left-to-chance tells.
            if value == lowest and value < DEFAULT_PRIORITY and wrong and own:
                yield finding(
                    {
                        "name": name,
                        "value": value,
                        "wanted": listed(own),
                        "root": own[0],
                        "higher": min(_STEP * 15, (priorities[own[0]][0] // _STEP + 1) * _STEP),
                        "lower": (value - 1) // _STEP * _STEP,
                    },
                    case=("above", "or") if value else "above",
                    where=(
                        site.places.switch(name, origin),
                        Where("", None, None, site.plan.practice.origin),
                    ),
                    key=(name,),
                )


@rule(
    "tree-modes-differ",
    family=_FAMILY,
    severity=Severity.RISK,
    what="the two ends of a link run different kinds of spanning tree",
    why=(
        "they fall back to what both understand: slow, or one tree for all VLANs, or none at all"
        " towards the other"
    ),
    cure="run the same kind on both",
    example=(
        "core-1 runs one tree for each VLAN, gate-1 at the other end of the link a single fast one"
    ),
    says="{odd} runs spanning tree {odd_mode}, and {others}, linked to it, {mode}",
    fix={
        "usual": "run spanning tree {mode} on {odd} as well",
        "even": "which kind is meant? run it on all of them",
    },
)
def tree_modes_differ(site: Site) -> Iterator[Found]:
    stated = {
        device.name: device.tree_mode for device in site.devices if device.tree_mode is not None
    }
    number = Counter(fact.value for fact in stated.values())
    for odd, others in site.odd_neighbours(
        {name: str(fact.value) for name, fact in stated.items()}
    ):
        odd_mode, mode = stated[odd].value, stated[others[0]].value
        yield finding(
            {"odd": odd, "odd_mode": odd_mode, "others": listed(others), "mode": mode},
            case="usual" if number[odd_mode] < number[mode] else "even",
            where=tuple(site.places.switch(name, stated[name].origin) for name in (odd, *others)),
            key=(odd,),
        )
