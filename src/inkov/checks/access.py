"""Access ports: members of VLANs that are not there, and ports nobody put anywhere."""

from __future__ import annotations

from collections.abc import Iterator

from inkov.campus import Mode
from inkov.checks.catalogue import Finding, Severity, Site, rule
from inkov.checks.words import counted, listed
from inkov.forwarding import Resolved

_FAMILY = "Access ports"
_DEFAULT_VID = 1  # IEEE 802.1Q, Table 9-2: the default PVID


@rule(
    "access-vlan-undefined",
    family=_FAMILY,
    severity=Severity.FAULT,
    what="an access port is in a VLAN that its switch does not define",
    why="a switch forwards only the VLANs it has: whoever is plugged in there reaches nothing",
    cure="define the VLAN on the switch, or move the port to the VLAN that was meant",
    example="palm-2 port 7 is in VLAN 24, and palm-2 has no VLAN 24",
)
def access_vlan_undefined(site: Site) -> Iterator[Finding]:
    found: dict[tuple[str, int], list[Resolved]] = {}
    for resolved in site.ports():
        table = site.fabric.device(resolved.end.device).vlans
        vid = resolved.settled.access_vlan
        if resolved.mode is Mode.ACCESS and table is not None and vid not in table and vid != _DEFAULT_VID:
            found.setdefault((resolved.end.device, vid), []).append(resolved)
    for (device, vid), ports in found.items():
        yield Finding(
            "access-vlan-undefined", Severity.FAULT,
            f"{device} does not define VLAN {vid}, but has {counted(len(ports), 'port')} in it: "
            f"{listed([p.end.port for p in ports])}",
            f"define VLAN {vid} on {device}, or move {'the port' if len(ports) == 1 else 'the ports'}",
            tuple(site.place(p, "access_vlan", vid) for p in ports),
        )  # fmt: skip


@rule(
    "port-in-default-vlan",
    family=_FAMILY,
    severity=Severity.RISK,
    what="a host port that is on is in the default VLAN",
    why="nobody decided where it belongs: whoever plugs in there meets every other port that nobody thought of",
    cure="put the port into the VLAN it serves, or shut it",
    example="pond-1 port 11 is on, and no line says which VLAN it is in",
)
def port_in_default_vlan(site: Site) -> Iterator[Finding]:
    found: dict[str, list[Resolved]] = {}
    for resolved in site.ports():
        hosts = resolved.end not in site.fabric.wiring.of
        if hosts and resolved.mode is Mode.ACCESS and resolved.settled.access_vlan == _DEFAULT_VID:
            found.setdefault(resolved.end.device, []).append(resolved)
    for device, ports in found.items():
        yield Finding(
            "port-in-default-vlan", Severity.RISK,
            f"{device} has {counted(len(ports), 'host port')} in the default VLAN {_DEFAULT_VID}: "
            f"{listed([p.end.port for p in ports])}",
            "put each into the VLAN it serves, or shut it",
            tuple(site.place(p, "access_vlan", _DEFAULT_VID) for p in ports),
            tuple(dict.fromkeys(a for p in ports for a in site.rests_on((p, "mode"), (p, "access_vlan")))),
        )  # fmt: skip
