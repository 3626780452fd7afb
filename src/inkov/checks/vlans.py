"""VLAN definitions: VLANs that are missing, dead, unused, or not as planned."""

from __future__ import annotations

from collections.abc import Iterator

from inkov.campus import natural
from inkov.checks.catalogue import Found, Severity, Where, finding, rule
from inkov.checks.causes import VlanAbsent
from inkov.checks.site import DEFAULT_VID, EVERYTHING, Site
from inkov.edits import Edit
from inkov.edits.make import active, allowing, defined, of_port, row_gone
from inkov.forwarding import Resolved
from inkov.vlanset import VlanSet, bits, union
from inkov.words import both, counted, listed

_FAMILY = "VLAN definitions"


def stopped(site: Site) -> Iterator[tuple[str, int, list[str]]]:
    """The switches that a split VLAN would have to pass and that do not have it: (switch, VID,
    switches with members on its two sides).
    """
    fabric = site.fabric
    for vid, gaps in site.breaks.items():
        blamed: dict[str, list[str]] = {}
        for gap in gaps:
            ends = sorted({gap.way[0], gap.way[-1]}, key=natural)
            for device in gap.way[1:-1]:
                table = fabric.device(device).vlans
                # A switch without a table passes what its ports carry.
                if table is not None and not fabric.live[device] >> vid & 1:
                    kept = blamed.setdefault(device, [])
                    kept.extend(end for end in ends if end not in kept)
        for device in sorted(blamed, key=natural):
            yield device, vid, blamed[device]


@rule(
    "vlan-missing-in-transit",
    family=_FAMILY,
    severity=Severity.FAULT,
    what="a switch between two others with members of a VLAN does not define that VLAN",
    why=(
        "a switch forwards only the VLANs it has: it drops the frames, and the members on its two"
        " sides are cut off"
    ),
    cure="define the VLAN on the switch in between, also if it has no port of its own in it",
    example=(
        "gate-1 and fern-1 have ports in VLAN 30, and core-1, the only way between them, does not"
        " define it"
    ),
    says="VLAN {vid} has members on {ends}, but {device} between them does not define it",
    fix="define VLAN {vid} on {device}",
)
def vlan_missing_in_transit(site: Site) -> Iterator[Found]:
    for device, vid, ends in stopped(site):
        # In the table and suspended: vlan-suspended tells.
        if vid not in (site.fabric.device(device).vlans or {}):
            others = [w for name in ends for w in _member(site, name, vid)]
            yield finding(
                {"vid": vid, "ends": " and ".join(ends), "device": device},
                where=(Where(device, None, vid, site.fabric.device(device).origin), *others),
                cause=VlanAbsent(vid, device),
                vlans=1 << vid,
                key=(device, vid),
                edits=defined(site.fabric.campus, site.fabric.device(device), vid),
            )


def _member(site: Site, device: str, vid: int) -> list[Where]:
    """One port (or the gateway, or the table's row) that makes a device a member of a VLAN."""
    for resolved in site.host_ports:
        if resolved.end.device == device and resolved.view.untagged >> vid & 1:
            return [site.places.of(resolved, "access_vlan", vid)]
    row = site.fabric.device(device).row(vid)
    return [Where(device, None, vid, row.origin)] if row is not None else []


@rule(
    "vlan-on-one-way-only",
    family=_FAMILY,
    severity=Severity.RISK,
    what=(
        "a switch on one of two ways between the members of a VLAN does not define it, though the"
        " trunks on both sides of it allow it"
    ),
    why="the second way is none for this VLAN: nobody notices until the first one fails",
    cure="define the VLAN on the switch, or take it off the lists of its trunks",
    example=(
        "palm-a and palm-b both lie between core-1 and palm-1, and palm-b does not define VLAN 30"
    ),
    says=(
        "{device} does not define VLAN {vid}, which its trunks to {ends} allow: that way is no"
        " spare"
    ),
    fix="define VLAN {vid} on {device}",
)
def vlan_on_one_way_only(site: Site) -> Iterator[Found]:
    told = {(device, vid) for device, vid, _ in stopped(site)}
    lists: dict[str, list[tuple[Resolved, Resolved, int]]] = {}
    for joined in site.trunk_links:
        a, b = joined.a, joined.b
        # A list left at everything was not written for this VLAN.
        if EVERYTHING not in (a.allowed, b.allowed):
            both_allow = (a.allowed & b.allowed).bits & site.served_anywhere & ~(1 << DEFAULT_VID)
            lists.setdefault(a.end.device, []).append((a, b, both_allow))
            lists.setdefault(b.end.device, []).append((b, a, both_allow))
    for device in site.devices:
        table = site.defined(device.name)
        if table is None:
            continue
        lacks = ~(table.bits | site.put_into.get(device.name, 0))
        allowing: dict[int, list[tuple[Resolved, Resolved]]] = {}
        for near, far, both_allow in lists.get(device.name, ()):
            lacking = both_allow & lacks
            # The far switch must have the VLAN: else nobody meant the way.
            for vid in bits(lacking & site.fabric.live[far.end.device]) if lacking else ():
                allowing.setdefault(vid, []).append((near, far))
        for vid, pairs in sorted(allowing.items()):
            fars = sorted({far.end.device for _, far in pairs}, key=natural)
            native = any(vid == near.native for near, _ in pairs)
            # One neighbour is no way through; a native VLAN is allowed for its own sake.
            if len(fars) < 2 or native or (device.name, vid) in told:
                continue
            if not any(_has_two_ways(site, lists, far, device.name, vid) for far in fars):
                continue  # lists may be the same everywhere; nobody meant a way through here
            yield finding(
                {"device": device.name, "vid": vid, "ends": both([fars[0], fars[-1]])},
                where=(
                    Where(device.name, None, vid, device.origin),
                    *(site.places.of(near, "allowed", vid) for near, _ in pairs),
                ),
                cause=VlanAbsent(vid, device.name),
                vlans=1 << vid,
                key=(device.name, vid),
                edits=defined(site.fabric.campus, device, vid),
            )


def _has_two_ways(
    site: Site,
    lists: dict[str, list[tuple[Resolved, Resolved, int]]],
    switch: str,
    through: str,
    vid: int,
) -> bool:
    """True for a switch with members of a VLAN whose trunks pass it to two others: one through
    which it is to go, and one that has it.
    """
    others = {
        far.end.device for _, far, both_allow in lists.get(switch, ()) if both_allow >> vid & 1
    }
    twin = others - {through}
    return (
        bool(site.served.get(switch, 0) >> vid & 1)
        and len(others) == 2
        and all(site.fabric.live[name] >> vid & 1 for name in twin)
    )


@rule(
    "vlan-suspended",
    family=_FAMILY,
    severity=Severity.FAULT,
    what="a VLAN is suspended on a switch that has ports in it, or that it has to pass",
    why="a suspended VLAN forwards nothing: its ports look well and reach nobody",
    cure="make the VLAN active, or move its ports",
    example="VLAN 30 is suspended on palm-2, and ports 1 to 4 are in it",
    says={
        "suspended": "VLAN {vid} is suspended on {device}, which has ",
        "ports": "{count} in it: {ports}",
        "and": " and ",
        "gateway": "a gateway in it",
        "passed": "members on {ends} on its two sides",
    },
    fix="make VLAN {vid} active on {device}",
)
def vlan_suspended(site: Site) -> Iterator[Found]:
    passed = {(device, vid): ends for device, vid, ends in stopped(site)}
    for device in site.devices:
        resting = {
            v.vid: v
            for v in (device.vlans or {}).values()
            if v.active is not None and not v.active.value
        }
        if not resting:
            continue
        host_ports = [r for r in site.host_ports if r.end.device == device.name]
        gateways = {gateway.vid for gateway in device.gateways}
        for vid, row in sorted(resting.items()):
            ports = [r for r in host_ports if r.free.untagged >> vid & 1 or r.free.pvid == vid]
            ends = passed.get((device.name, vid), [])
            uses = ["ports"] if ports else []
            uses += ["gateway"] if vid in gateways else []
            uses += ["passed"] if ends and not ports else []
            if uses and row.active is not None:
                yield finding(
                    {
                        "vid": vid,
                        "device": device.name,
                        "count": counted(len(ports), "port"),
                        "ports": listed([r.end.port for r in ports]),
                        "ends": both(ends),
                    },
                    case=(
                        "suspended",
                        uses[0],
                        *(piece for use in uses[1:] for piece in ("and", use)),
                    ),
                    where=(
                        Where(device.name, None, vid, row.active.origin),
                        *(site.places.of(r, "access_vlan", vid) for r in ports),
                    ),
                    cause=VlanAbsent(vid, device.name),
                    vlans=0 if ports else 1 << vid,
                    key=(device.name, vid),
                    edits=active(device, row),
                )


def _beside(site: Site, known: set[int]) -> Iterator[tuple[int, list[Where]]]:
    """The VLANs that tables define beside `known` ones and those that the house rules name, with
    their rows.
    """
    practice = site.plan.practice
    named = {
        practice.native,
        practice.management,
        practice.unused.vlan if practice.unused is not None else None,
    }
    places: dict[int, list[Where]] = {}
    for device in site.devices:
        for vid in (
            # Where membership is the table, nothing is defined beside it.
            (device.vlans or {}).keys() - known - named if not device.table_is_membership else ()
        ):
            places.setdefault(vid, []).append(site.places.row(device.name, vid))
    yield from sorted(places.items())


def _used_by_tables(site: Site) -> Iterator[int]:
    """VLANs that are used without a port: by gateways, by private VLANs; and suspended ones, of
    which `vlan-suspended` tells if anything is in them.
    """
    for device in site.devices:
        yield from (gateway.vid for gateway in device.gateways)
        for vlan in (device.vlans or {}).values():
            suspended = vlan.active is not None and not vlan.active.value
            if suspended or vlan.private is not None or vlan.secondaries is not None:
                yield vlan.vid
            if vlan.secondaries is not None:
                yield from vlan.secondaries.value


def _used_by_ports(site: Site) -> Iterator[int]:
    """VLANs that ports name. Those of links are not used by being carried only."""
    yield from VlanSet(union(site.served.values()))
    for resolved in site.trunks:
        yield resolved.native or DEFAULT_VID
    yield from VlanSet(union(site.put_into.values()))
    for resolved in site.stating("native_vlan"):
        yield resolved.completed.native_vlan or DEFAULT_VID
    for resolved in site.stating("untagged"):
        yield from resolved.completed.untagged or ()
    for resolved in site.every_port:
        # A port that is off serves nothing, and still keeps its VLANs for the day it is on.
        completed = resolved.completed
        if not resolved.up:
            yield completed.access_vlan
            yield from filter(
                None,
                (
                    completed.voice_vlan,
                    resolved.native,
                    completed.pvid,
                    completed.primary,
                    completed.secondary,
                ),
            )


@rule(
    "vlan-unused",
    family=_FAMILY,
    severity=Severity.NOTE,
    what=(
        "a VLAN is defined and used nowhere: no port, gateway or native VLAN, and the plan does not"
        " know it"
    ),
    why="leftovers hide what matters, and the next project takes the number for free",
    cure="remove it where it is defined, or write into the plan what it is kept for",
    example="core-1 and gate-1 define VLAN 44, and no port or gateway is in it",
    says="VLAN {vid} is defined on {switches}, and nothing uses it",
    fix=(
        "remove VLAN {vid}, from the lists of trunks as well, or write into the plan what it is"
        " kept for"
    ),
)
def vlan_unused(site: Site) -> Iterator[Found]:
    used = {DEFAULT_VID, *site.plan.vlans, *_used_by_tables(site), *_used_by_ports(site)}
    for vid, wheres in _beside(site, used):
        yield finding(
            {"vid": vid, "switches": listed([w.switch for w in wheres])},
            where=tuple(wheres),
            key=(vid,),
            edits=_removed(site, vid, [w.switch for w in wheres]),
        )


def _removed(site: Site, vid: int, switches: list[str]) -> Iterator[Edit]:
    """Some switches without a VLAN, and the lists of trunks that name it."""
    for resolved in site.every_port:
        listed_ones = resolved.stated.allowed
        if listed_ones is not None and listed_ones.value != EVERYTHING:
            after = listed_ones.value - VlanSet.of(vid)
            yield from allowing(resolved.end.device, resolved.stated, listed_ones.value, after)
        tagged = resolved.stated.tagged
        if tagged is not None and vid in tagged.value:
            after = tagged.value - VlanSet.of(vid)
            yield of_port(resolved.end.device, resolved.stated, "tagged", after)
    for switch in switches:
        yield from row_gone(site.fabric.device(switch), vid)


@rule(
    "vlan-reserved",
    family=_FAMILY,
    severity=Severity.RISK,
    what="a VLAN has a number that the plan says is reserved",
    why=(
        "some equipment uses such numbers for itself: there the VLAN cannot be made, or collides"
        " with what is inside"
    ),
    cure="give the VLAN another number",
    example="the plan reserves 3900-3909, and gate-1 defines VLAN 3905",
    says="{device} defines VLAN {vid}, which is reserved ({reserved})",
    fix="which number is free? use that one",
)
def vlan_reserved(site: Site) -> Iterator[Found]:
    reserved = site.plan.practice.reserved
    for device in site.devices if reserved else ():
        for vid in device.vlans or {}:
            if reserved is not None and vid in reserved:
                yield finding(
                    {"device": device.name, "vid": vid, "reserved": reserved},
                    where=(
                        site.places.row(device.name, vid),
                        Where("", None, vid, site.plan.practice.origin),
                    ),
                )


@rule(
    "vlan-not-planned",
    family=_FAMILY,
    severity=Severity.RISK,
    what="a switch defines a VLAN that the plan does not know",
    why="either the plan is out of date, or somebody made a VLAN that nobody watches",
    cure="write the VLAN into the plan, or remove it",
    example="the plan has VLANs 10 to 60, and pond-1 defines VLAN 66",
    says="VLAN {vid} is defined on {switches}, and the plan does not know it",
    fix="is it meant? write VLAN {vid} into the plan, or remove it",
)
def vlan_not_planned(site: Site) -> Iterator[Found]:
    if not site.plan.vlans:
        return
    known = {
        DEFAULT_VID,
        *site.plan.vlans,
        *(v for s in site.plan.segments.values() for v in s.vlans),
    }
    for vid, wheres in _beside(site, known):
        yield finding(
            {"vid": vid, "switches": listed([w.switch for w in wheres])},
            where=tuple(wheres),
            key=(vid,),
        )


@rule(
    "vlan-planned-absent",
    family=_FAMILY,
    severity=Severity.RISK,
    what="the plan has a VLAN that no switch defines, or not the switch that is to have it",
    why="what is to run in it does not, or runs elsewhere",
    cure="define the VLAN where the plan wants it, or correct the plan",
    example="the plan has VLAN 80, and no switch defines it",
    says={
        "nowhere": "the plan has VLAN {vid}{named}, and no switch does",
        "here": "the plan needs VLAN {vid} on {name}, which does not define it",
    },
    fix={
        "nowhere": "is it needed yet? define VLAN {vid}, or take it out of the plan",
        "here": "define VLAN {vid} on {name}",
    },
)
def vlan_planned_absent(site: Site) -> Iterator[Found]:
    live = union(site.fabric.live.values())
    everywhere = {vid for device in site.devices for vid in device.vlans or {}}
    for vid, planned in sorted(site.plan.vlans.items()):
        in_plan = Where("", None, vid, planned.origin)
        if planned.on == []:
            continue  # it is to be nowhere; vlan-placed-otherwise tells
        # Nowhere at all: told once, not for each switch that needs it.
        if vid not in everywhere and not live >> vid & 1:
            yield finding(
                {"vid": vid, "named": f" ({planned.name})" if planned.name else ""},
                case="nowhere",
                where=(in_plan,),
                key=(vid,),
            )
            continue
        for name in planned.needed:
            table = site.defined(name) if name in site.fabric.campus.devices else None
            if table is not None and vid not in table and vid != DEFAULT_VID:
                yield finding(
                    {"vid": vid, "name": name},
                    case="here",
                    where=(Where(name, None, vid, site.fabric.device(name).origin), in_plan),
                    severity=Severity.FAULT,
                    cause=VlanAbsent(vid, name),
                    key=(name, vid),
                    edits=defined(site.fabric.campus, site.fabric.device(name), vid),
                )
