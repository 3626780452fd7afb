"""Access ports: members of VLANs that are not there, and ports nobody put anywhere."""

from __future__ import annotations

from collections.abc import Iterator

from inkov.campus import Fact, Mode
from inkov.checks.catalogue import Finding, Severity, Site, Where, rule
from inkov.checks.words import counted, listed
from inkov.forwarding import Resolved
from inkov.vlanset import VlanSet
from inkov.wiring import End
from inkov.wiring.names import Names

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
        vid = resolved.access
        if resolved.like is Mode.ACCESS and table is not None and vid not in table and vid != _DEFAULT_VID:
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
        if hosts and resolved.like is Mode.ACCESS and resolved.access == _DEFAULT_VID:
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


@rule(
    "port-against-plan",
    family=_FAMILY,
    severity=Severity.FAULT,
    what="a port is not what the port plan says",
    why="whoever is plugged in there is in another VLAN than everybody believes",
    cure="configure the port as planned, or correct the plan",
    example="the plan has gate-1 port 3 in VLAN 60, and gate-1 has it in VLAN 50",
)
def port_against_plan(site: Site) -> Iterator[Finding]:
    names: dict[str, Names] = {}
    devices = Names(site.fabric.campus.devices, domains=True)
    unknown: dict[str, Where] = {}
    for planned in site.fabric.campus.planned:
        device = devices.find(planned.device)
        if device is None:
            unknown.setdefault(planned.device, Where(planned.device, None, None, planned.origin))
            continue
        if device not in names:
            names[device] = Names(site.fabric.device(device).ports)
        port = names[device].find(planned.port)
        here = Where(device, port or planned.port, planned.values.get("access_vlan"), planned.origin)
        if port is None:
            yield Finding(
                "port-against-plan", Severity.FAULT, f"the plan has a port {planned.port} on {device}, which has none",
                "correct the plan, or complete the configuration of the switch", (here,),
            )  # fmt: skip
            continue
        resolved = site.resolved(End(device, port))
        for attribute, wanted in planned.values.items():
            found = _of_port(resolved, attribute)
            if found != wanted:
                word = attribute.replace("_", " ").replace("access vlan", "VLAN")
                yield Finding(
                    "port-against-plan", Severity.FAULT,
                    f"{device} port {port} has {word} {_word(found)}, and the plan says {_word(wanted)}",
                    f"set {word} {_word(wanted)} on port {port} of {device}, or correct the plan",
                    (site.place(resolved, attribute), here), site.rests_on((resolved, attribute)),
                )  # fmt: skip

    for name, where in unknown.items():
        yield Finding(
            "port-against-plan", Severity.NOTE, f"the port plan has a switch {name!r} that is not among the files",
            "add its configuration, or correct the plan", (where,),
        )  # fmt: skip


def _of_port(resolved: Resolved, attribute: str) -> object:
    """What a port is, once all stages are through; attributes that forward nothing as stated.

    A general port that is a member of one VLAN, untagged, is an access port by another name.
    """
    view = resolved.free
    if attribute == "mode":
        return resolved.like
    if resolved.up and attribute in ("access_vlan", "native_vlan"):
        return view.pvid or None
    if resolved.up and attribute == "allowed":
        return VlanSet(view.emit)
    if attribute == "enabled":
        return resolved.stated.enabled is None or resolved.stated.enabled.value
    if attribute in ("description", "edge"):
        fact: Fact[object] | None = getattr(resolved.stated, attribute)
        return (False if attribute == "edge" else "") if fact is None else fact.value
    return getattr(resolved.settled, attribute)


def _word(value: object) -> str:
    return {True: "on", False: "off"}[value] if isinstance(value, bool) else "none" if value is None else str(value)
