"""Mistakes in VLAN definitions and at access ports."""

from __future__ import annotations

from typing import Any

from inkov.campus import (
    Accept,
    Fact,
    Mode,
    Negotiation,
    Overridden,
    Planned,
    Vlan,
)
from inkov.forwarding import Resolved
from inkov.vlanset import VlanSet
from inkov.wiring import End
from tests.checks.mistakes.ground import (
    PLANTED,
    SPOT,
    Ground,
    mistake,
    of_host,
    said,
    some,
    state,
)

# --- VLAN definitions -----------------------------------------------------------------------------


@mistake("vlan-name-differs")
def a_name_with_a_slip(ground: Ground) -> list[SPOT] | None:
    names: dict[int, list[tuple[str, Vlan]]] = {}
    for device in ground.campus.devices.values():
        for vlan in (device.vlans or {}).values():
            if vlan.name is not None:
                names.setdefault(vlan.vid, []).append((device.name, vlan))
    name, row = some(ground, [pair for rows in names.values() if len(rows) > 2 for pair in rows])
    row.name = said(row.name.value[:-1] + "#")
    return [(name, None)]


@mistake("name-vlan-differs")
def a_name_on_another_number(ground: Ground) -> list[SPOT] | None:
    host = some(ground, ground.hosts())
    if host is None:
        return None
    row = ground.table(host.end.device)[host.access]
    ground.table(host.end.device)[777] = Vlan(
        777, PLANTED, said(row.name.value if row.name else "x")
    )
    state(ground, host.end, access_vlan=777, voice_vlan=None)
    return [(host.end.device, None)]


@mistake("vlan-by-side-effect")
def a_vlan_made_by_a_port(ground: Ground) -> list[SPOT] | None:
    host = some(ground, ground.hosts())
    if host is None:
        return None
    ground.table(host.end.device)[778] = Vlan(778, PLANTED)
    state(ground, host.end, access_vlan=778, voice_vlan=None)
    return [host.end]


@mistake("vlan-unnamed")
def a_name_forgotten(ground: Ground) -> list[SPOT] | None:
    host = some(ground, ground.hosts(lambda r: r.access != 1))
    if host is None:
        return None
    ground.table(host.end.device)[host.access].name = None
    return [(host.end.device, None)]


@mistake("vlan-suspended")
def a_vlan_suspended(ground: Ground) -> list[SPOT] | None:
    host = some(ground, ground.hosts())
    if host is None:
        return None
    ground.table(host.end.device)[host.access].active = said(False)
    return [(host.end.device, None), host.end]


@mistake("vlan-unused")
def a_leftover(ground: Ground) -> list[SPOT] | None:
    name = some(ground, [d.name for d in ground.campus.devices.values() if d.vlans is not None])
    ground.table(name)[779] = Vlan(779, PLANTED, said("leftover"))
    return [(name, None)]


@mistake("vlan-reserved")
def a_reserved_number(ground: Ground) -> list[SPOT] | None:
    host = some(ground, ground.hosts())
    if host is None or "reserved" not in ground.plan[0]:
        return None
    ground.table(host.end.device)[3905] = Vlan(3905, PLANTED, said("tills"))
    state(ground, host.end, access_vlan=3905, voice_vlan=None)
    return [(host.end.device, None)]


def _vlans(ground: Ground) -> dict[int, str]:
    found: dict[int, str] = {}
    for device in ground.campus.devices.values():
        for vid, vlan in (device.vlans or {}).items():
            found[vid] = vlan.name.value if vlan.name is not None else f"v{vid}"
    return found


def _plan_vlans(ground: Ground, vlans: dict[int, str]) -> None:
    ground.plan.append("vlans:\n" + "".join(f"  {vid}: {name}\n" for vid, name in vlans.items()))


@mistake("vlan-not-planned")
def a_vlan_that_the_plan_lacks(ground: Ground) -> list[SPOT] | None:
    vlans = _vlans(ground)
    gone = some(ground, [vid for vid in vlans if vid not in (1, 90, 99)])
    del vlans[gone]
    _plan_vlans(ground, vlans)
    return [(d.name, None) for d in ground.campus.devices.values() if gone in (d.vlans or {})]


@mistake("vlan-planned-absent")
def a_vlan_that_only_the_plan_has(ground: Ground) -> list[SPOT] | None:
    _plan_vlans(ground, {**_vlans(ground), 780: "dream"})
    return [("", None)]


@mistake("vlan-placed-otherwise")
def a_vlan_that_the_plan_has_at_a_port(ground: Ground) -> list[SPOT] | None:
    host = some(ground, ground.hosts())
    if host is None:
        return None
    end = host.end
    others = [vid for vid in ground.table(end.device) if vid not in (1, host.access)]
    voice = host.completed.voice_vlan
    vid = some(ground, [vid for vid in others if vid != voice])
    if vid is None:
        return None
    vlans = _vlans(ground)
    vlans[vid] = f"{{name: {vlans[vid]}, on: ['{end.device}:{end.port}']}}"
    _plan_vlans(ground, vlans)
    return [(end.device, end.port)]


@mistake("vlan-name-against-plan")
def a_name_that_the_plan_has_otherwise(ground: Ground) -> list[SPOT] | None:
    vlans = _vlans(ground)
    wrong = some(ground, [vid for vid, name in vlans.items() if name != f"v{vid}"])
    _plan_vlans(ground, {**vlans, wrong: "otherwise"})
    return [
        (d.name, None)
        for d in ground.campus.devices.values()
        if wrong in (d.vlans or {}) and (d.vlans or {})[wrong].name
    ]


@mistake("vlan-missing-in-transit")
def a_vlan_missing_on_the_way(ground: Ground) -> list[SPOT] | None:
    for joined, near, far in ground.rng.sample(ground.single(), len(ground.single())):
        name = near.end.device
        local = {r.access for r in ground.site.access_hosts if r.end.device == name}
        gateways = {g.vid for g in ground.campus.devices[name].gateways}
        serves = VlanSet(ground.site.served[far.end.device] & ground.site.needs[joined.number])
        free = [v for v in serves if v not in local | gateways and v in ground.table(name)]
        if free:
            del ground.table(name)[free[0]]
            return [(name, None)]
    return None


# --- access ports ---------------------------------------------------------------------------------

of_host("access-vlan-undefined", "an_access_vlan_that_is_not_there", access_vlan=781)
of_host("registration-at-host-port", "registration_at_a_host", registration=True)
of_host("host-port-negotiates", "a_host_port_that_waits", negotiation=Negotiation.PASSIVE)
of_host("host-port-negotiates", "a_host_port_that_asks", negotiation=Negotiation.ACTIVE)


@mistake("port-in-default-vlan")
def a_port_left_in_the_default(ground: Ground) -> list[SPOT] | None:
    host = some(
        ground,
        ground.hosts(lambda r: ground.campus.devices[r.end.device].platform.name == "IEEE 802.1Q"),
    )
    if host is None:
        return None
    state(ground, host.end, access_vlan=None, voice_vlan=None)
    return [host.end]


@mistake("access-vlan-undefined")
def a_vlan_taken_away_under_its_ports(ground: Ground) -> list[SPOT] | None:
    host = some(ground, [h for h in ground.hosts() if len(_home(ground, h)) == 1])
    if host is None:
        return None
    del ground.table(host.end.device)[host.access]
    return [host.end]


def _home(ground: Ground, host: Resolved) -> list[Any]:
    return [
        k for k in ground.site.fabric.wiring.links if host.end.device in (k.a.device, k.b.device)
    ]


@mistake("untagged-in-several")
def a_membership_left_behind(ground: Ground) -> list[SPOT] | None:
    host = some(ground, ground.hosts(lambda r: r.completed.voice_vlan is None))
    other = (
        some(
            ground,
            [
                v
                for v in ground.table(host.end.device)
                if v not in (1, 30, 31, 32, 90, 99, host.access)
            ],
        )
        if host
        else None
    )
    if other is None:
        return None
    state(
        ground,
        host.end,
        mode=Mode.GENERAL,
        pvid=host.access,
        untagged=VlanSet.of(host.access, other),
        accept=Accept.UNTAGGED,
        ingress_filtering=True,
    )
    return [host.end]


@mistake("voice-vlan-missing")
def a_voice_vlan_forgotten(ground: Ground) -> list[SPOT] | None:
    host = some(
        ground,
        ground.hosts(
            lambda r: r.completed.voice_vlan is not None and r.end.port in ("2", "3", "4", "5")
        ),
    )
    if host is None:
        return None
    state(ground, host.end, voice_vlan=None)
    return [host.end]


@mistake("voice-vlan-undefined")
def a_voice_vlan_that_is_not_there(ground: Ground) -> list[SPOT] | None:
    host = some(ground, ground.hosts(lambda r: r.completed.voice_vlan is not None))
    if host is None:
        return None
    state(ground, host.end, voice_vlan=782)
    return [host.end]


@mistake("voice-vlan-is-data")
def a_voice_vlan_that_is_the_data_vlan(ground: Ground) -> list[SPOT] | None:
    host = some(ground, ground.hosts(lambda r: r.completed.voice_vlan is not None))
    if host is None:
        return None
    state(ground, host.end, voice_vlan=host.access)
    return [host.end]


@mistake("odd-one-out")
def a_port_unlike_its_sisters(ground: Ground) -> list[SPOT] | None:
    sisters = [n for n in ground.campus.devices if n.startswith("closet")]
    if len(sisters) < 4:
        return None
    end = End(some(ground, sisters), "8")
    state(ground, end, access_vlan=40)
    return [end]


@mistake("unused-port-open")
def a_spare_port_left_open(ground: Ground) -> list[SPOT] | None:
    host = some(ground, ground.hosts())
    if host is None:
        return None
    state(ground, host.end, description="spare")
    return [host.end]


@mistake("port-against-plan")
def a_port_that_the_plan_has_elsewhere(ground: Ground) -> list[SPOT] | None:
    host = some(ground, ground.hosts())
    if host is None:
        return None
    ground.campus.planned.append(
        Planned(host.end.device, host.end.port, PLANTED, {"access_vlan": host.access + 1})
    )
    return [host.end]


@mistake("ranges-overlap")
def two_ranges_that_overlap(ground: Ground) -> list[SPOT] | None:
    for host in ground.rng.sample(ground.hosts(), len(ground.hosts())):
        device = ground.campus.devices[host.end.device]
        mine = [
            r for r in ground.hosts() if r.end.device == device.name and r.access != host.access
        ]
        if mine and host.completed.voice_vlan is None:
            later = Fact(mine[0].access, PLANTED)
            before = ground.port(host.end).access_vlan
            if before is None:
                continue
            ground.port(mine[0].end).access_vlan = later
            ground.port(host.end).access_vlan = later
            device.overridden.append(
                Overridden(
                    host.end.port,
                    "access_vlan",
                    before.origin,
                    PLANTED,
                    str(before.value),
                    str(later.value),
                )
            )
            return [host.end]
    return None
