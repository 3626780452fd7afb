"""Mistakes at links and trunks."""

from __future__ import annotations

from typing import Any

from inkov.campus import (
    Aggregation,
    Cable,
    Host,
    Mode,
    Negotiation,
    Neighbour,
    Overridden,
    PortKind,
    Vlan,
)
from inkov.vlanset import VlanSet
from tests.checks.mistakes.ground import (
    PLANTED,
    SPOT,
    Ground,
    members,
    mistake,
    of_trunk,
    said,
    some,
    state,
)

# --- links ----------------------------------------------------------------------------------------

of_trunk(
    "trunk-meets-access",
    "a_trunk_made_an_access_port",
    mode=Mode.ACCESS,
    access_vlan=lambda g, e: min(members(g, e)),
)
of_trunk(
    "negotiation-fails",
    "both_ends_wait",
    both=True,
    mode=None,
    negotiation=Negotiation.PASSIVE,
    access_vlan=lambda g, e: 99,
)
of_trunk(
    "negotiation-fails",
    "one_end_asks_a_silent_trunk",
    mode=None,
    negotiation=Negotiation.ACTIVE,
    access_vlan=lambda g, e: 99,
)
of_trunk(
    "access-port-to-switch",
    "two_ends_in_one_vlan",
    both=True,
    mode=Mode.ACCESS,
    access_vlan=99,
)
of_trunk("native-tagged-at-one-end", "a_native_vlan_tagged", native_tagged=True)
of_trunk("trunk-allows-everything", "a_list_left_out", allowed=VlanSet.all())
of_trunk(
    "native-default",
    "a_default_native_vlan",
    both=True,
    native_vlan=1,
    allowed=lambda g, e: g.site.resolved(e).completed.allowed - VlanSet.of(99) | VlanSet.of(1),
)
of_trunk(
    "untagged-vlan-differs", "another_native_vlan", native_vlan=lambda g, e: min(members(g, e))
)
of_trunk(
    "allowed-nowhere-defined",
    "a_number_too_many",
    allowed=lambda g, e: g.site.resolved(e).completed.allowed | VlanSet.of(783),
)
of_trunk(
    "native-not-allowed",
    "a_native_vlan_off_the_list",
    allowed=lambda g, e: g.site.resolved(e).completed.allowed - VlanSet.of(99),
)
of_trunk(
    "negotiation-on",
    "both_ends_negotiate",
    both=True,
    mode=None,
    negotiation=Negotiation.ACTIVE,
    access_vlan=lambda g, e: 99,
)


@mistake("edge-on-link")
def an_edge_setting_on_a_link(ground: Ground) -> list[SPOT] | None:
    joined = some(
        ground,
        [
            j
            for j in ground.trunk_links()
            if j.a.stated.kind is PortKind.PHYSICAL
            and any(r.stated.edge for r in ground.site.host_ports if r.end.device == j.a.end.device)
        ],
    )
    if joined is None:
        return None
    state(ground, joined.a.end, edge=True)
    return [joined.a.end]


@mistake("allowed-differs")
def a_vlan_off_one_list(ground: Ground) -> list[SPOT] | None:
    joined = some(ground, ground.trunk_links())
    if joined is None:
        return None
    gone = min(members(ground, joined.a.end))
    state(ground, joined.a.end, allowed=joined.a.completed.allowed - VlanSet.of(gone))
    return [joined.a.end, joined.b.end]


@mistake("list-replaced")
def a_list_that_replaced_the_first(ground: Ground) -> list[SPOT] | None:
    found = some(ground, ground.single())
    if found is None:
        return None
    far = found[2]
    before = far.stated.allowed
    after = before.value - VlanSet.of(min(members(ground, far.end)))
    ground.campus.devices[far.end.device].overridden.append(
        Overridden(far.end.port, "allowed", before.origin, PLANTED, str(before.value), str(after))
    )
    state(ground, far.end, allowed=after)
    return [far.end]


@mistake("needed-vlan-missing")
def a_vlan_off_both_lists(ground: Ground) -> list[SPOT] | None:
    found = some(ground, ground.single())
    if found is None:
        return None
    joined, _, far = found
    gone = VlanSet.of(
        min(
            VlanSet(ground.site.served[far.end.device] & ground.site.needs[joined.number])
            - VlanSet.of(30, 31, 32, 90)
        )
    )
    for resolved in (joined.a, joined.b):
        state(ground, resolved.end, allowed=resolved.completed.allowed - gone)
    return [joined.a.end, joined.b.end]


@mistake("spare-link-lacks-vlan")
def a_vlan_off_both_lists_of_a_spare_link(ground: Ground) -> list[SPOT] | None:
    joined = some(
        ground,
        [
            j
            for j in ground.trunk_links()
            if j.link.b.device == "core-2" and j.a.end.device != "core-1"
        ],
    )
    if joined is None:
        return None
    gone = VlanSet.of(min(members(ground, joined.a.end)))
    for resolved in (joined.a, joined.b):
        state(ground, resolved.end, allowed=resolved.completed.allowed - gone)
    return [joined.a.end, joined.b.end]


@mistake("surplus-vlans")
def a_vlan_that_nobody_needs_there(ground: Ground) -> list[SPOT] | None:
    found = some(ground, ground.single())
    if found is None:
        return None
    joined, near, far = found
    known = [
        v
        for v in ground.table(near.end.device)
        if v not in far.completed.allowed
        and v not in (1, 30, 31, 32)
        and ground.site.served_anywhere >> v & 1
    ]
    if not known or ground.campus.devices[far.end.device].vlans is None:
        return None
    ground.table(far.end.device)[known[0]] = Vlan(
        known[0], PLANTED, ground.table(near.end.device)[known[0]].name
    )
    for resolved in (joined.a, joined.b):
        state(ground, resolved.end, allowed=resolved.completed.allowed | VlanSet.of(known[0]))
    return [joined.a.end, joined.b.end]


@mistake("native-undefined")
def a_native_vlan_not_defined(ground: Ground) -> list[SPOT] | None:
    found = some(
        ground,
        [t for t in ground.single() if 99 in (ground.campus.devices[t[2].end.device].vlans or {})],
    )
    if found is None:
        return None
    del ground.table(found[2].end.device)[99]
    return [found[2].end]


@mistake("native-has-hosts")
def a_host_in_the_native_vlan(ground: Ground) -> list[SPOT] | None:
    host = some(ground, ground.hosts(lambda r: 99 in ground.table(r.end.device)))
    if host is None:
        return None
    state(ground, host.end, access_vlan=99, voice_vlan=None)
    return [host.end]


@mistake("native-against-practice")
def another_native_vlan_than_the_house_has(ground: Ground) -> list[SPOT] | None:
    joined = some(ground, ground.trunk_links())
    if joined is None or "native: 99" not in ground.plan[0]:
        return None
    for resolved in (joined.a, joined.b):
        ground.table(resolved.end.device)[98] = Vlan(98, PLANTED, said("quiet"))
        state(
            ground,
            resolved.end,
            native_vlan=98,
            allowed=resolved.completed.allowed - VlanSet.of(99) | VlanSet.of(98),
        )
    return [joined.a.end, joined.b.end]


@mistake("trunk-to-nobody")
def a_trunk_to_nobody(ground: Ground) -> list[SPOT] | None:
    end = some(ground, ground.spare())
    known = (
        [v for v in (10, 20, 40) if v in (ground.campus.devices[end.device].vlans or {})]
        if end
        else []
    )
    if not known:
        return None
    state(ground, end, enabled=True, mode=Mode.TRUNK, description="x", allowed=VlanSet.of(known[0]))
    ground.port(end).native_vlan = said(None)
    return [end]


@mistake("trunk-expected")
def a_port_described_as_a_trunk(ground: Ground) -> list[SPOT] | None:
    host = some(ground, ground.hosts())
    if host is None:
        return None
    state(ground, host.end, description="uplink to the old house")
    return [host.end]


@mistake("link-one-sided")
def an_end_that_does_not_report(ground: Ground) -> list[SPOT] | None:
    link = some(
        ground,
        [k for k in ground.site.fabric.wiring.links if len(k.cables) == 1 and len(k.seen_by) == 2],
    )
    if link is None:
        return None
    ends = {(link.a.device, link.a.port), (link.b.device, link.b.port)}
    ground.campus.cables[:] = [
        c
        for c in ground.campus.cables
        if (c.device, c.port) not in ends and (c.far_device, c.far_port) not in ends
    ]
    ground.campus.neighbours[:] = [
        n
        for n in ground.campus.neighbours
        if n.device != link.b.device or n.origin not in {e.origin for e in link.evidence}
    ]
    return [link.a, link.b]


@mistake("links-contradict")
def a_cable_that_is_said_to_go_elsewhere(ground: Ground) -> list[SPOT] | None:
    link = some(ground, [k for k in ground.site.fabric.wiring.links if len(k.cables) == 1])
    end = (
        some(ground, [e for e in ground.spare() if e.device not in (link.a.device, link.b.device)])
        if link
        else None
    )
    if end is None:
        return None
    ground.campus.cables.append(Cable(link.a.device, link.a.port, end.device, end.port, PLANTED))
    return [link.a]


@mistake("cable-unconfirmed")
def a_cable_that_nobody_hears(ground: Ground) -> list[SPOT] | None:
    reporting = {n.device for n in ground.campus.neighbours}
    found = some(
        ground,
        [
            j
            for j in ground.trunk_links()
            if len(j.link.cables) == 1
            and j.link.seen_by
            and {j.a.end.device, j.b.end.device} <= reporting
            and all(
                sum(n.device == r.end.device for n in ground.campus.neighbours) > 1
                for r in (j.a, j.b)
            )
        ],
    )
    if found is None:
        return None
    origins = {e.origin for e in found.link.evidence if e.by}
    ground.campus.neighbours[:] = [n for n in ground.campus.neighbours if n.origin not in origins]
    if not any(e.by == "" for e in found.link.evidence):
        ground.campus.cables.append(
            Cable(
                found.a.end.device, found.a.end.port, found.b.end.device, found.b.end.port, PLANTED
            )
        )
    return [found.a.end]


@mistake("neighbour-unknown-port")
def a_neighbour_at_a_port_that_is_not_there(ground: Ground) -> list[SPOT] | None:
    one, other = ground.rng.sample(sorted(ground.campus.devices), 2)
    end = some(ground, [e for e in ground.spare() if e.device == one])
    if end is None:
        return None
    ground.campus.neighbours.append(Neighbour(one, end.port, other, "nowhere", PLANTED))
    return [end]


@mistake("neighbour-untagged-differs")
def a_neighbour_that_announces_another_vlan(ground: Ground) -> list[SPOT] | None:
    reporting = {neighbour.device for neighbour in ground.campus.neighbours}
    plain = ground.hosts(lambda r: r.completed.voice_vlan is None)
    host = some(ground, [r for r in plain if r.end.device in reporting])
    if host is None:
        return None
    other = 20 if host.access != 20 else 10
    report = Neighbour(host.end.device, host.end.port, "heath-2", "7", PLANTED, far_pvid=other)
    ground.campus.neighbours.append(report)
    return [host.end]


@mistake("membership-not-in-force")
def a_port_whose_change_was_never_stored(ground: Ground) -> list[SPOT] | None:
    host = some(ground, ground.hosts(lambda r: r.completed.voice_vlan is None))
    if host is None:
        return None
    state(ground, host.end, in_force=VlanSet.of(20 if host.access != 20 else 10))
    return [host.end]


@mistake("ports-unknown")
def a_port_that_its_source_does_not_tell_of(ground: Ground) -> list[SPOT] | None:
    host = some(ground, ground.hosts())
    if host is None:
        return None
    ground.port(host.end).unknown = "its PVID is missing"
    return [host.end]


@mistake("switch-without-file")
def a_host_at_a_switch_that_nobody_describes(ground: Ground) -> list[SPOT] | None:
    ground.campus.hosts.append(Host("pump-77", "heath-2", "4", PLANTED))
    return [("", None)]


@mistake("switch-missing")
def a_switch_that_the_plan_expects_and_nobody_collected(ground: Ground) -> list[SPOT] | None:
    ground.plan.append("expected: [heath-77]")
    return [("", None)]


@mistake("mtu-differs")
def another_mtu(ground: Ground) -> list[SPOT] | None:
    link = some(ground, ground.site.fabric.wiring.links)
    one, other = link.cables[0]
    state(ground, one, mtu=1400)
    state(ground, other, mtu=9000)
    for pair in link.cables[1:]:
        for end, value in zip(pair, (1400, 9000), strict=True):
            state(ground, end, mtu=value)
    return [one, other]


@mistake("speed-differs")
def another_speed(ground: Ground) -> list[SPOT] | None:
    link = some(ground, [k for k in ground.site.fabric.wiring.links if len(k.cables) == 1])
    one, other = link.cables[0]
    state(ground, one, speed=1000)
    state(ground, other, speed=10000)
    return [one, other]


def _bundled(ground: Ground) -> Any:
    return some(
        ground,
        [
            j
            for j in ground.trunk_links()
            if len(j.link.cables) > 1 and all(r.stated.kind is PortKind.BUNDLE for r in (j.a, j.b))
        ],
    )


@mistake("bundle-members-differ")
def a_member_with_settings_of_its_own(ground: Ground) -> list[SPOT] | None:
    joined = _bundled(ground)
    if joined is None:
        return None
    end = joined.link.cables[0][0]
    state(ground, end, mode=Mode.ACCESS, access_vlan=20)
    return [end]


@mistake("bundle-one-sided")
def a_bundle_at_one_end_only(ground: Ground) -> list[SPOT] | None:
    joined = _bundled(ground)
    if joined is None:
        return None
    for _, end in joined.link.cables:
        state(
            ground,
            end,
            bundle=None,
            aggregation=None,
            mode=Mode.TRUNK,
            negotiation=Negotiation.SILENT,
            native_vlan=joined.b.completed.native_vlan,
            allowed=joined.b.completed.allowed,
        )
    del ground.campus.devices[joined.b.end.device].ports[joined.b.end.port]
    return [joined.a.end]


@mistake("aggregation-differs")
def a_bundle_without_a_protocol_at_one_end(ground: Ground) -> list[SPOT] | None:
    joined = _bundled(ground)
    if joined is None or not ground.port(joined.link.cables[0][0]).aggregation:
        return None
    for _, end in joined.link.cables:
        state(ground, end, aggregation=Aggregation.STATIC)
    return [joined.a.end, joined.b.end]


@mistake("uplink-against-plan")
def an_uplink_that_is_elsewhere(ground: Ground) -> list[SPOT] | None:
    link = some(ground, ground.trunk_links())
    host = some(ground, ground.hosts())
    if link is None or host is None or host.end.device in (link.a.end.device, link.b.end.device):
        return None
    ground.plan.append(f"uplinks: {{'{link.a.end}': '{host.end}'}}\n")
    return [link.a.end, host.end]
