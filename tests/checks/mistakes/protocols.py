"""Mistakes in distribution, private VLANs, spanning trees, and in the input itself."""

from __future__ import annotations

from typing import Any

from inkov.campus import (
    Device,
    Guard,
    Mode,
    Overridden,
    Private,
    Role,
    Tree,
    TreeMode,
    TreeState,
    Vlan,
)
from inkov.vlanset import VlanSet, bits, union
from inkov.wiring import End
from tests.checks.mistakes.ground import (
    PLANTED,
    SPOT,
    Ground,
    mistake,
    said,
    some,
    state,
)

# --- distribution ---------------------------------------------------------------------------------


def _follower(ground: Ground) -> Device | None:
    sharing = [
        d
        for d in ground.campus.devices.values()
        if d.distribution is not None and d.distribution.role
    ]
    device: Device | None = some(ground, [d for d in sharing if "follower" in str(d.distribution)])
    return device


def of_follower(rule: str, name: str, **settings: Any) -> None:
    def plant(ground: Ground) -> list[SPOT] | None:
        device = _follower(ground)
        if (
            device is None
            or device.distribution is None
            or "garden" not in str(device.distribution.domain)
        ):
            return None
        for attribute, value in settings.items():
            setattr(device.distribution, attribute, None if value is None else said(value))
        return [(device.name, None)]

    plant.__name__ = name
    mistake(rule)(plant)


of_follower("distribution-domains-differ", "another_domain", domain="orchard", role=Role.BYSTANDER)
of_follower("distribution-versions-differ", "another_version", version=2)
of_follower("distribution-follower-newest", "a_follower_ahead", revision=41)
of_follower("distribution-unprotected", "no_password", password=None)


@mistake("distribution-no-origin")
def nobody_is_the_origin(ground: Ground) -> list[SPOT] | None:
    device = ground.campus.devices.get("core-1")
    if (
        device is None
        or device.distribution is None
        or not device.distribution.role
        or _follower(ground) is None
    ):
        return None
    device.distribution.role = said(Role.FOLLOWER)
    return [("core-1", None)]


@mistake("distribution-origins-differ")
def two_origins(ground: Ground) -> list[SPOT] | None:
    device = next((d for n, d in ground.campus.devices.items() if n.startswith("hut")), None)
    if device is None or device.distribution is None:
        return None
    device.distribution.role = said(Role.ORIGIN)
    return [("core-1", None), (device.name, None)]


# --- private VLANs and protection -----------------------------------------------------------------


def _closet(ground: Ground) -> str | None:
    name: str | None = some(ground, [n for n in ground.campus.devices if n.startswith("closet")])
    return name


@mistake("secondary-undefined")
def a_secondary_that_is_none(ground: Ground) -> list[SPOT] | None:
    name = _closet(ground)
    if name is None:
        return None
    ground.table(name)[31].private = None
    return [(name, None)]


@mistake("secondary-unassociated")
def a_secondary_without_primary(ground: Ground) -> list[SPOT] | None:
    if "core-1" not in ground.campus.devices or 31 not in ground.table("core-1"):
        return None
    ground.table("core-1")[33] = Vlan(33, PLANTED, said("attic"), private=said(Private.COMMUNITY))
    return [("core-1", None)]


@mistake("association-differs")
def an_isolated_vlan_that_is_a_community(ground: Ground) -> list[SPOT] | None:
    name = _closet(ground)
    if name is None:
        return None
    ground.table(name)[31].private = said(Private.COMMUNITY)
    return [(name, None)]


@mistake("promiscuous-mapping-incomplete")
def a_mapping_with_a_gap(ground: Ground) -> list[SPOT] | None:
    found = [r for r in ground.site.host_ports if r.mode is Mode.PROMISCUOUS]
    if not found:
        return None
    state(ground, found[0].end, secondaries=VlanSet.of(31))
    return [found[0].end]


@mistake("private-host-mismatch")
def a_private_host_of_another_primary(ground: Ground) -> list[SPOT] | None:
    host = some(ground, [r for r in ground.site.host_ports if r.mode is Mode.PRIVATE_HOST])
    if host is None:
        return None
    state(ground, host.end, primary=20)
    return [host.end]


@mistake("private-port-incomplete")
def a_private_host_without_one_of_its_vlans(ground: Ground) -> list[SPOT] | None:
    host = some(ground, [r for r in ground.site.host_ports if r.mode is Mode.PRIVATE_HOST])
    if host is None:
        return None
    state(ground, host.end, **{ground.rng.choice(["primary", "secondary"]): None})
    return [host.end]


@mistake("trunk-lacks-secondaries")
def a_trunk_without_a_secondary(ground: Ground) -> list[SPOT] | None:
    joined = some(ground, [j for j in ground.trunk_links() if 31 in j.a.completed.allowed])
    if joined is None:
        return None
    for resolved in (joined.a, joined.b):
        state(ground, resolved.end, allowed=resolved.completed.allowed - VlanSet.of(31))
    return [joined.a.end, joined.b.end]


@mistake("protected-uplink")
def a_protected_uplink(ground: Ground) -> list[SPOT] | None:
    for joined in ground.trunk_links():
        for resolved in (joined.a, joined.b):
            if any(
                r.completed.protected
                for r in ground.site.host_ports
                if r.end.device == resolved.end.device
            ):
                state(ground, resolved.end, protected=True)
                return [resolved.end]
    return None


@mistake("protected-only-here")
def protected_ports_on_two_switches(ground: Ground) -> list[SPOT] | None:
    if "closet-2" not in ground.campus.devices:
        return None
    for port in ("11", "12"):
        state(ground, End("closet-2", port), protected=True)
    return [("closet-1", "11"), ("closet-2", "11")]


# --- spanning tree --------------------------------------------------------------------------------


@mistake("edge-missing")
def an_edge_setting_forgotten(ground: Ground) -> list[SPOT] | None:
    host = some(ground, ground.hosts(lambda r: r.stated.edge is not None and r.stated.edge.value))
    if host is None:
        return None
    state(ground, host.end, edge=None)
    return [host.end]


@mistake("guard-missing")
def a_guard_forgotten(ground: Ground) -> list[SPOT] | None:
    host = some(
        ground,
        ground.hosts(lambda r: r.stated.bpdu_guard is not None and r.stated.bpdu_guard.value),
    )
    if host is None:
        return None
    state(ground, host.end, bpdu_guard=None, guard=Guard.NONE)
    return [host.end]


@mistake("root-left-to-chance")
def no_root(ground: Ground) -> list[SPOT] | None:
    if "core-2" not in ground.campus.devices:
        return None
    for device in ground.campus.devices.values():
        device.trees = []
    return [("core-1", None)]


@mistake("root-against-plan")
def the_wrong_root(ground: Ground) -> list[SPOT] | None:
    if "core-2" not in ground.campus.devices:
        return None
    ground.campus.devices["core-2"].trees[0].priority = said(0)
    return [("core-2", None)]


@mistake("tree-modes-differ")
def another_kind_of_tree(ground: Ground) -> list[SPOT] | None:
    found = some(
        ground,
        [
            t
            for t in ground.single()
            if all(ground.campus.devices[r.end.device].tree_mode for r in t[1:])
        ],
    )
    if found is None:
        return None
    ground.campus.devices[found[2].end.device].tree_mode = said(TreeMode.PER_VLAN)
    return [(found[1].end.device, None), (found[2].end.device, None)]


@mistake("guard-shuts-link")
def a_guard_on_a_link(ground: Ground) -> list[SPOT] | None:
    found = some(
        ground,
        [
            t
            for t in ground.single()
            if all(ground.campus.devices[r.end.device].tree_mode for r in t[1:])
            and any(p.bpdu_guard for p in ground.campus.devices[t[1].end.device].ports.values())
        ],
    )
    if found is None:
        return None
    end = found[1].end
    ground.campus.devices[end.device].ports[end.port].bpdu_guard = said(True)
    return [end]


@mistake("regions-differ")
def a_region_with_another_revision(ground: Ground) -> list[SPOT] | None:
    found = some(ground, ground.single())
    devices = ground.campus.devices
    if found is None or len(devices) < 3 or any(device.bridges for device in devices.values()):
        return None
    for device in devices.values():
        device.tree_mode, device.region = said(TreeMode.MSTP), said("garden")
        device.revision = said(3)
        first = 4096 if device.name == "core-1" else 32768
        device.trees = [
            Tree(VlanSet.all(), PLANTED, priority=said(first)),
            Tree(VlanSet.of(4000), PLANTED, 1, said(first)),
        ]
    devices[found[1].end.device].revision = said(8)
    return [(found[1].end.device, None), (found[2].end.device, None)]


@mistake("tree-setting-odd")
def a_priority_between_two_steps(ground: Ground) -> list[SPOT] | None:
    found = some(ground, [device for device in ground.campus.devices.values() if device.trees])
    if found is None or found.trees[0].priority is None or found.tree_mode is None:
        return None
    if found.tree_mode.value is TreeMode.STP:
        return None  # there, any number will do
    found.trees[0].priority = said(found.trees[0].priority.value + 100)
    return [(found.name, None)]


@mistake("tree-seen-otherwise")
def the_root_seen_to_block(ground: Ground) -> list[SPOT] | None:
    devices = ground.campus.devices
    links = ground.trunk_links()
    ends = [r for joined in links for r in (joined.a, joined.b) if r.end.device == "core-1"]
    found = some(ground, ends)
    if found is None or any(device.bridges for device in devices.values()):
        return None
    for number, device in enumerate(devices.values()):
        device.tree_mode, device.address = said(TreeMode.RSTP), said(f"02:00:00:00:01:{number:02x}")
        device.trees = [Tree(VlanSet.all(), PLANTED, priority=said(32768))]
        for at, name in enumerate(device.ports, 1):
            device.trees[0].costs[name] = said(20000)
            device.ports[name].number = said(at)
    root = devices["core-1"]
    root.trees[0].priority = said(4096)
    # All ports of the root are designated, and forward.
    root.trees[0].states[found.end.port] = said(TreeState.DISCARDING)
    return [found.end]


def _with_trees(ground: Ground, mode: TreeMode) -> dict[str, Device] | None:
    """The switches, each with its address, ports with numbers, speeds and costs; core-1 is root.
    None where there is no second core, or where a switch has several bridges.
    """
    devices = ground.campus.devices
    if "core-2" not in devices or any(device.bridges for device in devices.values()):
        return None
    for number, device in enumerate(devices.values()):
        device.tree_mode, device.address = said(mode), said(f"02:00:00:00:01:{number:02x}")
        first = {"core-1": 4096, "core-2": 8192}.get(device.name, 32768)
        device.trees = [Tree(VlanSet.all(), PLANTED, priority=said(first))]
        for at, name in enumerate(device.ports, 1):
            device.trees[0].costs[name] = said(20000)
            device.ports[name].number, device.ports[name].speed = said(at), said(1000)
    return devices


def _two_uplinks(ground: Ground) -> tuple[End, End, End] | None:
    """Of a switch with a link to either core: its port to the first, that to the second, and the
    second core's port.
    """
    to: dict[str, dict[str, tuple[End, End]]] = {}
    for joined in ground.trunk_links():
        for own, far in ((joined.a.end, joined.b.end), (joined.b.end, joined.a.end)):
            to.setdefault(own.device, {})[far.device] = own, far
    found = some(ground, [ways for ways in to.values() if {"core-1", "core-2"} <= ways.keys()])
    return found and (found["core-1"][0], *found["core-2"])


@mistake("slow-link-wins")
def a_cost_from_another_table(ground: Ground) -> list[SPOT] | None:
    ends = _two_uplinks(ground)
    if ends is None or _with_trees(ground, TreeMode.RSTP) is None:
        return None
    fast, slow, far = ends
    ground.port(slow).speed = ground.port(far).speed = said(100)
    ground.campus.devices[fast.device].trees[0].costs[fast.port] = said(200000)
    return [fast, slow]


@mistake("load-not-shared")
def a_root_for_no_vlan(ground: Ground) -> list[SPOT] | None:
    devices = _with_trees(ground, TreeMode.PER_VLAN)
    vids = sorted(bits(union(ground.site.served.values())))
    if devices is None or _two_uplinks(ground) is None or len(vids) < 2:
        return None
    odd = VlanSet.of(vids[-1])
    # Meant for core-2, which states 12288 where 4096 was meant.
    devices["core-1"].trees.append(Tree(odd, PLANTED, 0, said(8192)))
    devices["core-2"].trees.append(Tree(odd, PLANTED, 0, said(12288)))
    for name in ("core-1", "core-2"):
        devices[name].trees[1].costs = devices[name].trees[0].costs
    return [("core-1", None)]


# --- input ----------------------------------------------------------------------------------------


@mistake("statement-overridden")
def a_statement_said_twice(ground: Ground) -> list[SPOT] | None:
    joined = some(ground, ground.trunk_links())
    if joined is None:
        return None
    fact = joined.a.stated.native_vlan
    ground.campus.devices[joined.a.end.device].overridden.append(
        Overridden(joined.a.end.port, "native_vlan", PLANTED, fact.origin, "98", "99")
    )
    return [joined.a.end]


@mistake("line-not-understood")
def a_line_nobody_understands(ground: Ground) -> list[SPOT] | None:
    ground.campus.unmatched.append((PLANTED, "vlan 20 something"))
    return [("", None)]
