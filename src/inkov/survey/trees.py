"""The spanning trees as rows: a row for each distinct tree, with its ports; and each tree from its
root down.
"""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct
from msgspec.structs import replace

from inkov.campus import Origin, Tree, TreeMode, TreeRole, TreeState, address_number, natural
from inkov.forwarding import Fabric
from inkov.forwarding.trees.election import Elected
from inkov.forwarding.trees.order import Identifier, Order
from inkov.forwarding.trees.spanning import Remark, SpanningTree, Trees
from inkov.vlanset import bits_to_text
from inkov.wiring import End

__all__ = [
    "Branch",
    "SeenRoot",
    "TreePortRow",
    "TreeRow",
    "branches",
    "cost_over",
    "distinct_trees",
    "next_root",
    "tree_row",
]


class TreePortRow(Struct):
    """A port in a tree. `role` and `state` are None where they are left to chance: then it is one
    of `roles`. `cost` is that of the way to the root by this port; `designated` the switch that
    speaks for the wire. `seen_role` and `seen_state` are what the source reports.
    """

    switch: str
    port: str
    role: TreeRole | None
    state: TreeState | None
    cost: int
    designated: str
    designated_port: str
    because: str
    origin: Origin
    roles: list[TreeRole] = []
    seen_role: TreeRole | None = None
    seen_state: TreeState | None = None
    seen_origin: Origin | None = None

    @property
    def differs(self) -> bool:
        """Whether the source reports something else."""
        return (
            self.seen_state is not None and self.state is not None and self.seen_state != self.state
        ) or (self.seen_role is not None and self.role is not None and self.seen_role != self.role)


class SeenRoot(Struct):
    """What the source of a switch says is the root now: its address, and its name where a file has
    the address. It `differs` where another root was worked out, whose address is known.
    """

    switch: str
    address: str
    root: str | None
    differs: bool
    origin: Origin


class TreeRow(Struct):
    """A tree, or several trees that are alike in all.

    `root` is None where chance decides: then it is one of `roots`, as far as these are told apart
    (`all_told`). `next` would be root if the root were lost. It is `sure` if all that is said of
    it is, `settled` if it is sure which ports forward; without a `circle` every port does.
    """

    vlans: str
    mode: TreeMode
    instance: int
    root: str | None
    next: str | None
    roots: list[str]
    all_told: bool
    switches: int
    blocked: int
    sure: bool
    settled: bool
    circle: bool
    ports: list[TreePortRow]
    remarks: list[Remark]
    seen_roots: list[SeenRoot] = []


def distinct_trees(
    fabric: Fabric, trees: Trees, switch: str | None = None, vlans: int | None = None
) -> list[tuple[int, SpanningTree]]:
    """The trees that a switch is in, and that are for some VLANs, each with its VLANs, as a mask;
    of those alike one, with the VLANs of all.
    """
    rows: dict[tuple[object, ...], tuple[int, SpanningTree]] = {}
    for tree in trees.trees:
        mask = _live(fabric, tree)
        if vlans is not None:
            mask &= vlans
        here = switch is None or any(
            fabric.bridges[number].device == switch for number in tree.world.bridges
        )
        # No VLAN of it is asked for, or the switch is not in it.
        if not mask or not here:
            continue
        key = _looks(tree)
        known = rows.get(key)
        rows[key] = (mask | (known[0] if known is not None else 0), tree)
    return sorted(
        rows.values(), key=lambda row: (row[1].mode, row[1].instance, natural(bits_to_text(row[0])))
    )


def _live(fabric: Fabric, tree: SpanningTree) -> int:
    """The VLANs of a tree that some bridge of it has."""
    alive = 0
    for number, mask in tree.masks.items():
        alive |= mask & fabric.bridges[number].live
    return alive


def _looks(tree: SpanningTree) -> tuple[object, ...]:
    """What two trees have in common that are told as one."""
    return (
        tree.mode,
        tree.instance,
        tuple(sorted(tree.world.bridges)),
        tuple(
            (tuple(sorted(elected.roles.items())), tuple(sorted(elected.cost.items())))
            for elected in tree.outcomes
        ),
        tree.complete,
        tuple(doubt.says for doubt in tree.doubts),
    )


def tree_row(
    fabric: Fabric,
    tree: SpanningTree,
    vlans: int,
    switch: str | None = None,
    *,
    seen_only: bool = False,
) -> TreeRow:
    """A tree that is for some VLANs, as a row; with the ports of a switch, or all of them, or those
    of which sources report what they are now (`seen_only`).
    """
    roots = [fabric.bridges[number].device for number in tree.roots]
    # Only a root that is the same in every outcome is told.
    sure_root = tree.roots[0] if len(tree.roots) == 1 and tree.complete else None
    following = next_root(tree, sure_root) if sure_root is not None else None
    ports = [
        _port_row(fabric, tree, number, vlans)
        for number in tree.world.ports
        if (switch is None or fabric.bridge_ports[number].end.device == switch)
        # For a comparison with what sources report, the others do not matter.
        and (not seen_only or bool(_seen(fabric, tree, number, vlans)))
    ]
    blocked = [
        number
        for number in tree.world.ports
        if all(not elected.roles[number].forwards for elected in tree.outcomes)
    ]
    return TreeRow(
        bits_to_text(vlans),
        tree.mode,
        tree.instance,
        roots[0] if sure_root is not None else None,
        fabric.bridges[following].device if following is not None else None,
        sorted(roots, key=natural),
        tree.complete,
        len(tree.world.bridges),
        len(blocked),
        tree.sure,
        tree.settled,
        bool(tree.circle) or tree.seams,
        sorted(ports, key=lambda row: (natural(row.switch), natural(row.port))),
        list(_remarks(fabric, tree)),
        list(_seen_roots(fabric, tree, switch, vlans)),
    )


def next_root(tree: SpanningTree, root: int) -> int | None:
    """The bridge that would be root without the root, if it is sure which one."""
    identifiers: dict[tuple[str, int], Identifier] = {
        ("bridge", number): bridge.identifier
        for number, bridge in tree.world.bridges.items()
        if number != root
    }
    order = Order()
    lowest = order.lowest(identifiers) if identifiers else []
    # An answer that was guessed is none.
    return lowest[0][1] if len(lowest) == 1 and not order.asked else None


def _remarks(fabric: Fabric, tree: SpanningTree) -> Iterator[Remark]:
    yield from tree.doubts
    # Without a circle nothing is left to chance that shows.
    if not tree.circle and not tree.seams:
        return
    first = fabric.resolved(fabric.bridge_ports[next(iter(tree.world.ports))]).stated.origin
    if not tree.complete:
        yield Remark("too much is left to chance to tell its outcomes apart", first)
    elif len(tree.outcomes) > 1:
        told = "the root" if len(tree.roots) > 1 else "which ports discard"
        yield Remark(f"{told} is left to chance: {len(tree.outcomes)} outcomes", first)


def _seen_roots(
    fabric: Fabric, tree: SpanningTree, switch: str | None, vlans: int
) -> Iterator[SeenRoot]:
    """What sources say of the root, those of one switch or of all in the tree."""
    sure = tree.root_is_sure
    own = {bridge.identifier.rest: number for number, bridge in tree.world.bridges.items()}
    for number in tree.world.bridges:
        inside = fabric.bridges[number]
        for one in fabric.device(inside.device).trees:
            # An instance is told by its number; other trees by their VLANs.
            same = one.number == tree.instance or tree.mode is not TreeMode.MSTP
            if one.seen_root is None or one.bridge != inside.name or not same:
                continue
            # A device may run several: what it says of other VLANs is about another tree.
            if switch not in (None, inside.device) or not _shares_vlans(one, tree, number, vlans):
                continue
            address = address_number(one.seen_root.value)
            root = own.get(address)
            # An address that nobody stated cannot be held against one that is reported.
            known = sure and tree.world.bridges[tree.roots[0]].identifier.rest is not None
            yield SeenRoot(
                inside.device,
                one.seen_root.value,
                fabric.bridges[root].device if root is not None else None,
                known and root != tree.roots[0],
                one.seen_root.origin,
            )


def _shares_vlans(stated: Tree, tree: SpanningTree, bridge: int, vlans: int) -> bool:
    """Whether what is stated of a tree is about this one: with one tree for each VLAN, by VLANs,
    and those of the trees that it stands for.
    """
    own = tree.masks.get(bridge, 0) | vlans
    return tree.mode is not TreeMode.PER_VLAN or bool(stated.vlans.bits & own)


# --- ports ----------------------------------------------------------------------------------------


def _seen(fabric: Fabric, tree: SpanningTree, number: int, vlans: int) -> list[Tree]:
    """What the source of a port reports of it in a tree: of trees for each VLAN, in each of its
    VLANs.
    """
    port = fabric.bridge_ports[number]
    return [
        stated
        for stated in fabric.device(port.end.device).trees
        # What it reports of another tree does not count here.
        if (port.port in stated.roles or port.port in stated.states)
        and (stated.number == tree.instance or tree.mode is not TreeMode.MSTP)
        and stated.bridge == fabric.bridges[port.bridge].name
        and _shares_vlans(stated, tree, port.bridge, vlans)
    ]


def _port_row(fabric: Fabric, tree: SpanningTree, number: int, vlans: int) -> TreePortRow:
    port = fabric.bridge_ports[number]
    elected = tree.outcomes[0]
    speaker = fabric.bridge_ports[elected.designated.get(tree.world.ports[number].wire, number)]
    roles = list(dict.fromkeys(elected.roles[number] for elected in tree.outcomes))
    states = {role.forwards for role in roles}
    # On no circle a port forwards whatever comes out.
    known = tree.complete or number not in tree.circle
    state = TreeState.FORWARDING if True in states else TreeState.DISCARDING
    row = TreePortRow(
        port.end.device,
        port.port,
        roles[0] if len(roles) == 1 and known else None,
        state if len(states) == 1 and known else None,
        _cost_by(tree, elected, number),
        speaker.end.device,
        speaker.port,
        _because(fabric, tree, elected, number) if len(roles) == 1 and known else _CHANCE,
        fabric.resolved(port).stated.origin,
        roles if len(roles) > 1 else [],
    )
    as_seen = [_as_seen(row, port.port, stated) for stated in _seen(fabric, tree, number, vlans)]
    # Of several VLANs the one in which it is seen otherwise is what matters.
    return next((each for each in as_seen if each.differs), as_seen[0] if as_seen else row)


def _as_seen(row: TreePortRow, port: str, stated: Tree) -> TreePortRow:
    """A row with what the source reports of its port in a tree."""
    role, state = stated.roles.get(port), stated.states.get(port)
    reported = state or role
    return replace(
        row,
        seen_role=role.value if role is not None else None,
        seen_state=state.value if state is not None else None,
        seen_origin=reported.origin if reported is not None else None,
    )


def _cost_by(tree: SpanningTree, elected: Elected, number: int) -> int:
    """The cost of the way to the root by a port, or (of one that is designated) from its bridge."""
    port = tree.world.ports[number]
    speaker = tree.world.ports.get(elected.designated.get(port.wire, number), port)
    # The port speaks for its wire: its own bridge's cost counts.
    if speaker.bridge == port.bridge:
        return sum(elected.cost[port.bridge])
    return sum(elected.cost[speaker.bridge]) + cost_over(tree, number, speaker.bridge)


def cost_over(tree: SpanningTree, number: int, speaker: int) -> int:
    """What a port adds to the cost of a way from a bridge: between regions it may be another."""
    port, bridges = tree.world.ports[number], tree.world.bridges
    region = bridges[port.bridge].region
    inside = region is not None and region == bridges[speaker].region
    return port.cost if inside else port.between


_CHANCE = "what decides is not known"


def _because(fabric: Fabric, tree: SpanningTree, elected: Elected, number: int) -> str:
    """Why a port is what it is, in an outcome."""
    port = tree.world.ports[number]
    role = elected.roles[number]
    root = elected.root[port.bridge]
    name = fabric.bridges[root].device
    speaker = elected.designated.get(port.wire, number)
    far = fabric.bridge_ports[speaker].end
    # From the clearest reason to the finest: the root first, then costs, then identifiers.
    if role is TreeRole.DESIGNATED and port.bridge == root:
        return f"{name} is the root"
    if role is TreeRole.DESIGNATED:
        return f"{_end(fabric, number).device} has the best way to {name} of all on this wire"
    if role is TreeRole.BACKUP:
        return f"{_end(fabric, speaker).port} of the same switch speaks for this wire"
    # Its wire leads out of the region, where this tree has no speaker.
    if port.wire not in elected.designated:
        return "it leads out of the region, and follows the common tree"
    cost = _cost_by(tree, elected, number)
    if role is TreeRole.ROOT:
        return f"the best way to {name}: by {far}, cost {cost}"
    if port.restricted and elected.root[tree.world.ports[speaker].bridge] != root:
        return f"its guard keeps out a better root, behind {far}"
    best = elected.root_port.get(port.bridge)
    if port.bridge == root or best is None:
        return f"{far} speaks for this wire"
    chosen = _cost_by(tree, elected, best)
    if chosen < cost:
        return f"cost {cost} to {name} by {far}; {_end(fabric, best).port} has cost {chosen}"
    other = fabric.bridge_ports[elected.designated[tree.world.ports[best].wire]].end
    # Equal costs: who comes first decides, by the switch, then by its port.
    if chosen == cost and other.device != far.device:
        return (
            f"as cheap as {_end(fabric, best).port}, and {other.device} comes before {far.device}"
        )
    if chosen == cost:
        return f"as cheap as {_end(fabric, best).port}, whose port at {far.device} comes first"
    return f"{far} speaks for this wire: it is nearer to {name}"


def _end(fabric: Fabric, number: int) -> End:
    return fabric.bridge_ports[number].end


# --- from the root down ---------------------------------------------------------------------------


class Branch(Struct):
    """A switch in a tree: how deep it hangs, the port above that it hangs from and its own, its
    cost; and its ports that discard.
    """

    depth: int
    switch: str
    above: str
    own: str
    cost: int
    blocked: list[str]


def branches(fabric: Fabric, tree: SpanningTree, outcome: int = 0) -> list[Branch]:
    """A tree from its root down, in natural order of the switches of one switch."""
    elected = tree.outcomes[outcome]
    children: dict[int, list[tuple[int, int]]] = {}
    # A bridge hangs on whoever speaks for the wire of its root port.
    for bridge, port in elected.root_port.items():
        speaker = elected.designated[tree.world.ports[port].wire]
        children.setdefault(tree.world.ports[speaker].bridge, []).append((bridge, speaker))
    blocked: dict[int, list[str]] = {}
    for number in tree.blocked(outcome):
        held = fabric.bridge_ports[number]
        blocked.setdefault(held.bridge, []).append(held.port)
    listed: list[Branch] = []
    # Where a guard parts the tree, there are several roots.
    tops = [bridge for bridge in tree.world.bridges if bridge not in elected.root_port]
    stack = [(top, 0, "", "") for top in reversed(tops)]
    while stack:
        bridge, depth, above, own = stack.pop()
        listed.append(
            Branch(
                depth,
                fabric.bridges[bridge].device,
                above,
                own,
                sum(elected.cost[bridge]),
                sorted(blocked.get(bridge, ()), key=natural),
            )
        )
        below = sorted(
            children.get(bridge, ()), key=lambda one: natural(fabric.bridges[one[0]].device)
        )
        for child, speaker in reversed(below):
            at = str(fabric.bridge_ports[speaker].port)
            root_port = fabric.bridge_ports[elected.root_port[child]].port
            stack.append((child, depth + 1, at, root_port))
    return listed
