"""VLAN definitions: names that clash, and switches that lack a VLAN which has to pass them."""

from __future__ import annotations

from collections.abc import Iterator

from inkov.campus import Vlan, natural
from inkov.checks.catalogue import Finding, Severity, Site, Where, rule
from inkov.forwarding.domains import breaks
from inkov.vlanset import VlanSet

_FAMILY = "VLAN definitions"


def _named(site: Site) -> Iterator[tuple[str, Vlan, str]]:
    """(switch, row of its table, name) of all VLANs with a name."""
    for device in sorted(site.fabric.campus.devices.values(), key=lambda d: natural(d.name)):
        for vlan in (device.vlans or {}).values():
            if vlan.name is not None and vlan.name.value:
                yield device.name, vlan, vlan.name.value


def _where(switch: str, vlan: Vlan) -> Where:
    return Where(switch, None, vlan.vid, vlan.name.origin if vlan.name is not None else vlan.origin)


@rule(
    "vlan-name-differs",
    family=_FAMILY,
    severity=Severity.RISK,
    what="one VLAN number has different names on different switches",
    why="people work by the name: sooner or later somebody puts a port into what the name promises, not the number",
    cure="give the VLAN one name everywhere",
    example="VLAN 20 is 'irrigation' on gate-1 and 'irigation' on palm-2",
)
def vlan_name_differs(site: Site) -> Iterator[Finding]:
    by_vid: dict[int, dict[str, list[Where]]] = {}
    for switch, vlan, name in _named(site):
        by_vid.setdefault(vlan.vid, {}).setdefault(name, []).append(_where(switch, vlan))
    for vid in sorted(by_vid):
        names = sorted(by_vid[vid].items(), key=lambda item: (-len(item[1]), natural(item[0])))
        if len(names) < 2:
            continue
        usual, places = names[0]
        others = [(name, where) for name, wheres in names[1:] for where in wheres]
        listed = ", ".join(f"{name!r} on {where.switch}" for name, where in others)
        on = places[0].switch if len(places) == 1 else f"{len(places)} switches"
        yield Finding(
            "vlan-name-differs", Severity.RISK, f"VLAN {vid} is {usual!r} on {on}, but {listed}",
            f"name VLAN {vid} {usual!r} there as well, or rename it everywhere",
            (*(where for _, where in others), places[0]),
        )  # fmt: skip


@rule(
    "name-vlan-differs",
    family=_FAMILY,
    severity=Severity.RISK,
    what="one VLAN name stands for different numbers on different switches",
    why="ports that belong together by name are in two VLANs that do not talk, or a later change joins the wrong ones",
    cure="use one number for the name, or two names",
    example="'cameras' is VLAN 60 on gate-1 and VLAN 66 on pond-1",
)
def name_vlan_differs(site: Site) -> Iterator[Finding]:
    by_name: dict[str, dict[int, list[tuple[str, Where]]]] = {}
    for switch, vlan, name in _named(site):
        by_name.setdefault(name.casefold(), {}).setdefault(vlan.vid, []).append((name, _where(switch, vlan)))
    for key in sorted(by_name, key=natural):
        vids = sorted(by_name[key].items(), key=lambda item: (-len(item[1]), item[0]))
        if len(vids) < 2:
            continue
        usual, places = vids[0]
        others = [(vid, where) for vid, named in vids[1:] for _, where in named]
        listed = ", ".join(f"VLAN {vid} on {where.switch}" for vid, where in others)
        on = places[0][1].switch if len(places) == 1 else f"{len(places)} switches"
        yield Finding(
            "name-vlan-differs", Severity.RISK, f"{places[0][0]!r} is VLAN {usual} on {on}, but {listed}",
            f"use VLAN {usual} for {places[0][0]!r} there as well, or give one of them another name",
            (*(where for _, where in others), places[0][1]),
        )  # fmt: skip


@rule(
    "vlan-missing-in-transit",
    family=_FAMILY,
    severity=Severity.FAULT,
    what="a switch between two others with members of a VLAN does not define that VLAN",
    why="a switch forwards only the VLANs it has: it drops the frames, and the members on its two sides are cut off",
    cure="define the VLAN on the switch in between, also if it has no port of its own in it",
    example="gate-1 and fern-1 have ports in VLAN 30, and core-1, the only way between them, does not define it",
)
def vlan_missing_in_transit(site: Site) -> Iterator[Finding]:
    fabric = site.fabric
    for vid, split in site.islands.items():
        blamed: dict[str, list[str]] = {}
        for gap in breaks(fabric, site.domains, vid, split) if len(split) > 1 else ():
            ends = sorted({gap.way[0], gap.way[-1]}, key=natural)
            for device in gap.way[1:-1]:
                table = fabric.device(device).vlans
                if table is not None and vid not in table and not fabric.live[device] >> vid & 1:
                    kept = blamed.setdefault(device, [])
                    kept.extend(end for end in ends if end not in kept)
        for device in sorted(blamed, key=natural):
            ends = blamed[device]
            others = [w for name in ends for w in _member(site, name, vid)]
            yield Finding(
                "vlan-missing-in-transit", Severity.FAULT,
                f"VLAN {vid} has members on {' and '.join(ends)}, but {device} between them does not define it",
                f"define VLAN {vid} on {device}",
                (Where(device, None, vid, fabric.device(device).origin), *others),
            )  # fmt: skip


def _member(site: Site, device: str, vid: int) -> list[Where]:
    """One port (or the gateway, or the table's row) that makes a device a member of a VLAN."""
    for resolved in site.ports():
        end = resolved.end
        if end.device == device and resolved.view.bare >> vid & 1 and end not in site.fabric.wiring.of:
            return [site.place(resolved, "access_vlan", vid)]
    row = (site.fabric.device(device).vlans or {}).get(vid)
    return [Where(device, None, vid, row.origin)] if row is not None else []


def defined(site: Site, device: str) -> VlanSet | None:
    """The VLANs a switch's table lists; None without a table."""
    table = site.fabric.device(device).vlans
    return None if table is None else VlanSet.from_vids(table)
