"""Cures, read as a person reads them: from the sentence to the change of the campus.

Each reading takes what its sentence names: places are written `switch:port`, VLANs as lists. What
it does not name are the places of the finding. A cure that leaves a choice has a way for each
alternative that can be carried out without asking anybody.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator
from copy import copy
from ipaddress import ip_interface, ip_network
from typing import Any

from msgspec.structs import replace

from inkov.campus import (
    Aggregation,
    Cable,
    Campus,
    Gateway,
    Mode,
    Negotiation,
    Neighbour,
    Port,
    PortKind,
    Private,
    Role,
    TreeMode,
    Vlan,
)
from inkov.checks import Finding
from inkov.vlanset import VlanSet
from inkov.wiring import End, wire
from tests.campuses import NOWHERE, fact

Edit = Callable[[Campus], None]
Reading = Callable[[re.Match[str], Finding], list[Edit]]
READINGS: list[tuple[re.Pattern[str], Reading]] = []

SETTINGS = (
    *("mode", "access_vlan", "voice_vlan", "native_vlan", "native_tagged", "allowed"),
    *("tagged", "untagged", "pvid", "accept", "ingress_filtering"),
)
FRESH = 3800
"""A VLAN that no host is in, for those who are to choose one."""


def edits_of(finding: Finding) -> list[Edit]:
    """The ways to do what a cure says; none where it asks for something that only people know."""
    for pattern, reading in READINGS:
        if found := pattern.match(finding.cure):
            return reading(found, finding)
    return []


def reads(pattern: str) -> Callable[[Reading], Reading]:
    def enter(reading: Reading) -> Reading:
        READINGS.append((re.compile(pattern), reading))
        return reading

    return enter


# --- places, and what is done to them -------------------------------------------------------------


def ports_of(finding: Finding) -> list[End]:
    places = (End(w.switch, w.port) for w in finding.where if w.switch and w.port is not None)
    return list(dict.fromkeys(places))


def place(text: str) -> End:
    switch, _, port = text.rstrip(",;").partition(":")
    return End(switch, port)


def places(text: str) -> list[End]:
    return [place(name) for name in re.findall(r"\S+:[^\s:]+", text)]


def port_at(campus: Campus, end: End) -> Port:
    return campus.devices[end.device].ports[end.port]


def far_end(campus: Campus, end: End) -> End | None:
    links = wire(campus).of.get(end, [])
    return None if not links else links[0].b if links[0].a == end else links[0].a


def at_both_ends(campus: Campus, ends: Iterable[End]) -> list[End]:
    """These ends of links, and those at the other sides."""
    both = [far for end in ends for far in (end, far_end(campus, end)) if far is not None]
    return list(dict.fromkeys(both))


def settled(ends: Iterable[End], **attributes: Any) -> Edit:
    def edit(campus: Campus) -> None:
        for end in ends:
            for name, value in attributes.items():
                setattr(port_at(campus, end), name, fact(value))

    return edit


def like(ends: Iterable[End], peer: End, attributes: Iterable[str] = SETTINGS) -> Edit:
    def edit(campus: Campus) -> None:
        for end in ends:
            for name in attributes:
                setattr(port_at(campus, end), name, getattr(port_at(campus, peer), name))

    return edit


def listed(campus: Campus, end: End, change: Callable[[VlanSet], VlanSet]) -> None:
    """Change the list of a trunk, or the membership of a general port."""
    device, port = campus.devices[end.device], port_at(campus, end)
    if device.value(port, "mode") is Mode.GENERAL:
        old = port.tagged.value if port.tagged is not None else VlanSet()
        port.tagged = fact(change(old))
        if port.untagged is not None and port.untagged.value is not None:
            port.untagged = fact(port.untagged.value & change(port.untagged.value))
    else:
        old = port.allowed.value if port.allowed is not None else VlanSet.all()
        port.allowed = fact(change(old))


def lists(ends: Iterable[End], change: Callable[[VlanSet], VlanSet]) -> Edit:
    def edit(campus: Campus) -> None:
        for end in ends:
            listed(campus, end, change)

    return edit


def allow(ends: Iterable[End], vids: VlanSet) -> Edit:
    return lists(ends, lambda old: old | vids)


def forbid(ends: Iterable[End], vids: VlanSet) -> Edit:
    return lists(ends, lambda old: old - vids)


def all_of(steps: list[Edit]) -> Edit:
    def edit(campus: Campus) -> None:
        for step in steps:
            step(campus)

    return edit


def define(switch: str, vids: VlanSet, **row: Any) -> Edit:
    def edit(campus: Campus) -> None:
        table = campus.devices[switch].vlans
        assert table is not None
        for vid in vids:
            vlan = table.setdefault(vid, Vlan(vid, NOWHERE))
            for name, value in row.items():
                setattr(vlan, name, fact(value))

    return edit


def switches_of(finding: Finding) -> list[str]:
    return list(dict.fromkeys(w.switch for w in finding.where if w.switch))


def gateways_of(campus: Campus, finding: Finding, switch: str) -> Iterator[Gateway]:
    """The gateways of a switch in the VLANs that a finding speaks of."""
    vids = {w.vlan for w in finding.where if w.switch == switch}
    yield from (g for g in campus.devices[switch].gateways if g.vid in vids)


# --- VLANs and lists ------------------------------------------------------------------------------


@reads(r"take VLAN (\S+) off the lists? of ")
def _off(found: re.Match[str], finding: Finding) -> list[Edit]:
    return [forbid(places(finding.cure), VlanSet.parse(found[1]))]


@reads(r"take VLAN (\S+) off the list, or define it")
def _off_all(found: re.Match[str], finding: Finding) -> list[Edit]:
    return [forbid(ports_of(finding), VlanSet.parse(found[1]))]


@reads(r"(?:allow|take) .*VLAN")
def _allow(found: re.Match[str], finding: Finding) -> list[Edit]:
    steps = [
        allow(places(names), VlanSet.parse(many))
        for many, names in re.findall(
            r"VLAN (\S+) at (\S+:\S+?(?: and at \S+:\S+?)*)(?=[,;]| and V|$)", finding.cure
        )
    ]
    steps += [
        forbid([place(name)], VlanSet.parse(many))
        for many, name in re.findall(r"take VLAN (\S+) off the list of (\S+)", finding.cure)
    ]
    return [all_of(steps)]


@reads(r"define VLAN (\d+) on ([^\s,]+)(?: as (isolated|community))?(?:,|$)")
def _define(found: re.Match[str], finding: Finding) -> list[Edit]:
    row = {"private": Private(found[3])} if found[3] else {}
    return [define(found[2], VlanSet.parse(found[1]), **row)]


@reads(r"make VLAN (\d+) active on (\S+)")
def _activate(found: re.Match[str], finding: Finding) -> list[Edit]:
    return [define(found[2], VlanSet.parse(found[1]), active=True)]


@reads(r"remove VLAN (\d+), ")
def _remove(found: re.Match[str], finding: Finding) -> list[Edit]:
    vid = int(found[1])

    def edit(campus: Campus) -> None:
        for switch in switches_of(finding):
            (campus.devices[switch].vlans or {}).pop(vid, None)
        for device in campus.devices.values():
            for port in device.ports.values():
                if port.allowed is not None and port.allowed.value != VlanSet.all():
                    port.allowed = fact(port.allowed.value - VlanSet.of(vid))

    return [edit]


@reads(r"name (?:it|VLAN \d+) '(.*)' there as well")
def _name(found: re.Match[str], finding: Finding) -> list[Edit]:
    def edit(campus: Campus) -> None:
        for where in finding.where:
            row = campus.devices[where.switch].row(where.vlan or 0) if where.switch else None
            if row is not None:
                row.name = fact(found[1])

    return [edit]


@reads(r"state (?:the|one) list (?:of the VLANs that are needed on the other side|at \S+?): (\S+)")
def _state_list(found: re.Match[str], finding: Finding) -> list[Edit]:
    whole = VlanSet.parse(found[1].rstrip(","))

    def edit(campus: Campus) -> None:
        lists(places(finding.cure) or ports_of(finding), lambda old: whole)(campus)
        for device in campus.devices.values():
            ends = [End(device.name, change.port) for change in device.overridden]
            stated = set(places(finding.cure))
            kept = [c for c, end in zip(device.overridden, ends, strict=True) if end not in stated]
            device.overridden = kept

    return [edit]


# --- ports of hosts -------------------------------------------------------------------------------


@reads(r"(?:shut (?:them|it|\S+:\S+)$|shut \S+:\S+, or)")
def _shut(found: re.Match[str], finding: Finding) -> list[Edit]:
    return [settled(places(finding.cure) or ports_of(finding), enabled=False)]


@reads(r"put (?:them|it) into VLAN (\d+)$")
def _park(found: re.Match[str], finding: Finding) -> list[Edit]:
    return [settled(ports_of(finding), access_vlan=int(found[1]))]


@reads(r"state voice VLAN (\d+) on port (.*) of (\S+)")
def _voice(found: re.Match[str], finding: Finding) -> list[Edit]:
    return [settled(ports_of(finding), voice_vlan=int(found[1]))]


@reads(r"set VLAN (\d+) on port (\S+) of ([^\s,]+)( and define VLAN \d+ there)?")
def _as_planned(found: re.Match[str], finding: Finding) -> list[Edit]:
    vid, switch = int(found[1]), found[3]
    put = settled([End(switch, found[2])], access_vlan=vid)
    return [all_of([define(switch, VlanSet.of(vid)), put]) if found[4] else put]


@reads(r"set (\S+:\S+) like (\S+:\S+),")
def _like_its_sister(found: re.Match[str], finding: Finding) -> list[Edit]:
    return [like([place(found[1])], place(found[2]))]


@reads(r"make (?:it|them|\S+) (?:a )?fixed access ports?")
def _fixed_access(found: re.Match[str], finding: Finding) -> list[Edit]:
    ends = ports_of(finding)
    return [settled(ends, mode=Mode.ACCESS, negotiation=Negotiation.SILENT)]


@reads(r"turn dynamic registration off")
def _no_registration(found: re.Match[str], finding: Finding) -> list[Edit]:
    return [settled(ports_of(finding), registration=False)]


@reads(r"take the protection off (\S+)")
def _unprotect(found: re.Match[str], finding: Finding) -> list[Edit]:
    return [settled(places(finding.cure) or ports_of(finding)[:1], protected=False)]


@reads(r"turn (\S+:\S+(?:(?:,| and) \S+:\S+)*) on(?:$|, or)")
def _turn_on(found: re.Match[str], finding: Finding) -> list[Edit]:
    return [settled(places(found[1]), enabled=True)]


# --- ends of links --------------------------------------------------------------------------------


@reads(r"make (\S+) a trunk like (\S+), or")
def _both_trunks_or_both_access(found: re.Match[str], finding: Finding) -> list[Edit]:
    access, trunk = place(found[1]), place(found[2])
    return [
        like([access], trunk),
        like([trunk], access),
    ]


@reads(r"make (?:both ends|\S+ and \S+) fixed trunks")
def _fixed_trunks(found: re.Match[str], finding: Finding) -> list[Edit]:
    def edit(campus: Campus) -> None:
        ends = at_both_ends(campus, ports_of(finding))
        settled(ends, mode=Mode.TRUNK, negotiation=Negotiation.SILENT)(campus)
        if "with the same list" in finding.cure:
            stated = [port_at(campus, end).allowed for end in ends]
            known = [one.value for one in stated if one is not None]
            natives = [port_at(campus, end).native_vlan for end in ends]
            native = next((one for one in natives if one is not None), None)
            named = re.search(r"VLAN (\S+), which crosses now", finding.cure)
            kept = VlanSet.parse(named[1]) if named else VlanSet()
            whole = known[0] if known else VlanSet.all()
            for end in ends:
                port_at(campus, end).allowed = fact(whole | kept)
                port_at(campus, end).native_vlan = native

    return [edit]


@reads(r"state the same VLAN for untagged frames at both ends$")
def _one_untagged(found: re.Match[str], finding: Finding) -> list[Edit]:
    def taken_from(which: int) -> Edit:
        def edit(campus: Campus) -> None:
            ends = ports_of(finding)
            ports = [port_at(campus, end) for end in ends]
            devices = [campus.devices[end.device] for end in ends]
            names = {Mode.ACCESS: "access_vlan", Mode.TRUNK: "native_vlan", Mode.GENERAL: "pvid"}
            attributes = [names[d.value(p, "mode")] for d, p in zip(devices, ports, strict=True)]
            vid = devices[which].value(ports[which], attributes[which])
            other = 1 - which
            setattr(ports[other], attributes[other], fact(vid))
            if attributes[other] == "pvid":
                ports[other].untagged = fact(VlanSet.of(vid))

        return edit

    return [taken_from(0), taken_from(1)] if len(ports_of(finding)) == 2 else []


@reads(r"tag the native VLAN at both ends, or at neither")
def _native_tagged(found: re.Match[str], finding: Finding) -> list[Edit]:
    ends = ports_of(finding)
    return [settled(ends, native_tagged=True), settled(ends, native_tagged=False)]


@reads(r"tag VLAN (\S+) at both ends(, or at neither)?")
def _tagged(found: re.Match[str], finding: Finding) -> list[Edit]:
    vids = VlanSet.parse(found[1])

    def both(campus: Campus) -> None:
        for end in ports_of(finding):
            device, port = campus.devices[end.device], port_at(campus, end)
            if device.value(port, "mode") is not Mode.GENERAL:
                if device.value(port, "native_vlan") in vids:
                    port.native_tagged = fact(True)
                continue
            if port.untagged is not None and port.untagged.value is not None:
                port.untagged = fact(port.untagged.value - vids)
            if device.value(port, "pvid") in vids:
                port.pvid = fact(None)
            port.tagged = fact((port.tagged.value if port.tagged else VlanSet()) | vids)

    return [both, *([_untagged_at_both(vids, finding)] if found[2] else [])]


@reads(r"send VLAN (\S+) untagged at both ends")
def _untagged(found: re.Match[str], finding: Finding) -> list[Edit]:
    return [_untagged_at_both(VlanSet.parse(found[1]), finding)]


def _untagged_at_both(vids: VlanSet, finding: Finding) -> Edit:
    [vid] = vids

    def edit(campus: Campus) -> None:
        for end in ports_of(finding):
            device, port = campus.devices[end.device], port_at(campus, end)
            if device.value(port, "mode") is Mode.GENERAL:
                port.tagged = fact((port.tagged.value if port.tagged else VlanSet()) - vids)
                port.untagged, port.pvid = fact(vids), fact(vid)
            else:
                port.native_vlan, port.native_tagged = fact(vid), fact(False)

    return edit


def native(ends: Iterable[End], vid: int) -> Edit:
    """Another native VLAN: what was untagged is tagged from now on."""

    def edit(campus: Campus) -> None:
        for end in at_both_ends(campus, [e for e in ends if far_end(campus, e)]):
            device, port = campus.devices[end.device], port_at(campus, end)
            if device.vlans is not None:
                device.vlans.setdefault(vid, Vlan(vid, NOWHERE))
            if device.value(port, "mode") is Mode.GENERAL:
                pvid = device.value(port, "pvid")
                old = VlanSet.of(pvid) if pvid else VlanSet()
                old |= device.value(port, "untagged") or VlanSet()
                tagged = device.value(port, "tagged") or VlanSet()
                port.tagged = fact((tagged | old) - VlanSet.of(vid))
                port.untagged, port.pvid = fact(VlanSet.of(vid)), fact(vid)
            else:
                settled([end], native_vlan=vid)(campus)
                allow([end], VlanSet.of(vid))(campus)

    return edit


@reads(r"make a VLAN that no host is in the native VLAN")
def _fresh_native(found: re.Match[str], finding: Finding) -> list[Edit]:
    return [native(ports_of(finding), FRESH)]


@reads(r"state native VLAN (\d+) at both ends")
def _wanted_native(found: re.Match[str], finding: Finding) -> list[Edit]:
    return [native(ports_of(finding), int(found[1]))]


@reads(r"set the same (MTU|speed) at both ends")
def _same(found: re.Match[str], finding: Finding) -> list[Edit]:
    ends = ports_of(finding)
    return [like([a], b, [found[1].lower()]) for a, b in (ends, ends[::-1])]


# --- bundles --------------------------------------------------------------------------------------


@reads(r"give all members of (\S+) the same settings")
def _members_alike(found: re.Match[str], finding: Finding) -> list[Edit]:
    def edit(campus: Campus) -> None:
        bundle = place(found[1])
        for name, port in campus.devices[bundle.device].ports.items():
            if port.bundle is not None and port.bundle.value == bundle.port:
                like([End(bundle.device, name)], bundle)(campus)

    return [edit]


@reads(r"make a bundle of the ports at the other end of (\S+)")
def _bundle(found: re.Match[str], finding: Finding) -> list[Edit]:
    def edit(campus: Campus) -> None:
        near = place(found[1])
        members = [
            End(near.device, name)
            for name, port in campus.devices[near.device].ports.items()
            if port.bundle is not None and port.bundle.value == near.port
        ]
        reports: list[Neighbour | Cable] = [*campus.neighbours, *campus.cables]
        fars = [End(r.far_device, r.far_port) for r in reports if End(r.device, r.port) in members]
        fars += [End(r.device, r.port) for r in reports if End(r.far_device, r.far_port) in members]
        fars = [end for end in dict.fromkeys(fars) if end.device in campus.devices]
        device = campus.devices[fars[0].device]
        bundle = copy(port_at(campus, fars[0]))
        bundle.name, bundle.kind = "bundle-new", PortKind.BUNDLE
        bundle.aggregation = port_at(campus, near).aggregation
        device.ports[bundle.name] = bundle
        settled(fars, bundle=bundle.name)(campus)

    return [edit]


@reads(r"let both ends use LACP")
def _lacp(found: re.Match[str], finding: Finding) -> list[Edit]:
    return [settled(ports_of(finding), aggregation=Aggregation.ACTIVE)]


# --- private VLANs --------------------------------------------------------------------------------


@reads(r"map VLAN (\S+) at (\S+)")
def _map(found: re.Match[str], finding: Finding) -> list[Edit]:
    def edit(campus: Campus) -> None:
        port = port_at(campus, place(found[2]))
        own = port.secondaries.value if port.secondaries is not None else VlanSet()
        port.secondaries = fact(own | VlanSet.parse(found[1]))

    return [edit]


@reads(r"state at (\S+) the primary that VLAN \d+ belongs to: (\d+)$")
def _primary(found: re.Match[str], finding: Finding) -> list[Edit]:
    return [settled([place(found[1])], primary=int(found[2]))]


@reads(r"associate VLAN (\d+) with its primary (\d+) on (\S+)")
def _associate(found: re.Match[str], finding: Finding) -> list[Edit]:
    def edit(campus: Campus) -> None:
        row = campus.devices[found[3]].row(int(found[2]))
        assert row is not None
        old = row.secondaries.value if row.secondaries is not None else VlanSet()
        row.secondaries = fact(old | VlanSet.parse(found[1]))

    return [edit]


# --- gateways and hosts ---------------------------------------------------------------------------


@reads(r"turn (\S+) (\S.*) on$")
def _interface_on(found: re.Match[str], finding: Finding) -> list[Edit]:
    def edit(campus: Campus) -> None:
        port = campus.devices[found[1]].ports.get(found[2])
        if port is not None:
            port.enabled = fact(True)
        for gateway in gateways_of(campus, finding, found[1]):
            gateway.enabled = fact(True)

    return [edit]


@reads(r"remove the gateway of (\S+) in VLAN (\d+)")
def _no_gateway(found: re.Match[str], finding: Finding) -> list[Edit]:
    def edit(campus: Campus) -> None:
        device = campus.devices[found[1]]
        device.gateways = [g for g in device.gateways if g.vid != int(found[2])]

    return [edit]


def free_in(campus: Campus, subnet: str) -> Any:
    """An address of a subnet that nobody has."""
    gateways = (g for device in campus.devices.values() for g in device.gateways)
    taken = {f.value.ip for gateway in gateways for f in gateway.addresses}
    taken |= {host.address.ip for host in campus.hosts if host.address is not None}
    network = ip_network(subnet)
    free = next(a for a in reversed(list(network.hosts())) if a not in taken)
    return ip_interface(f"{free}/{network.prefixlen}")


@reads(r"give (\S+) an address in (?:VLAN (\d+) \()?([0-9a-f.:]+/\d+)")
def _address_in(found: re.Match[str], finding: Finding) -> list[Edit]:
    def edit(campus: Campus) -> None:
        address = free_in(campus, found[3])
        for number, host in enumerate(campus.hosts):
            if host.name == found[1]:
                campus.hosts[number] = replace(host, address=address)
        for gateway in gateways_of(campus, finding, found[1]) if found[1] in campus.devices else ():
            gateway.addresses = (fact(address),)
            gateway.vid = int(found[2] or gateway.vid)

    return [edit]


@reads(r"give (\S+) the address (\S+?)(?:,|$)")
def _address(found: re.Match[str], finding: Finding) -> list[Edit]:
    def edit(campus: Campus) -> None:
        address = ip_interface(found[2])
        campus.hosts = [
            replace(h, address=address) if h.name == found[1] else h for h in campus.hosts
        ]
        for switch in switches_of(finding) if found[1] in campus.devices else ():
            for gateway in gateways_of(campus, finding, switch):
                if any(f.value.ip == address.ip for f in gateway.addresses):
                    gateway.addresses = (fact(address),)

    return [edit]


@reads(r"set the gateway of (\S+) to ([^\s,]+)")
def _host_gateway(found: re.Match[str], finding: Finding) -> list[Edit]:
    def edit(campus: Campus) -> None:
        campus.hosts = [
            replace(h, gateway=found[2]) if h.name == found[1] else h for h in campus.hosts
        ]

    return [edit]


@reads(r"put (\S+) port (\S+) into VLAN (\d+) ")
def _into_the_vlan(found: re.Match[str], finding: Finding) -> list[Edit]:
    return [settled([End(found[1], found[2])], access_vlan=int(found[3]))]


# --- the spanning tree, distribution, statements --------------------------------------------------


@reads(r"take the edge setting off (\S+)")
def _no_edge(found: re.Match[str], finding: Finding) -> list[Edit]:
    return [settled(places(finding.cure), edge=False)]


@reads(r"set (?:it|them) as (?:an )?edge ports?")
def _edge(found: re.Match[str], finding: Finding) -> list[Edit]:
    return [settled(ports_of(finding), edge=True)]


@reads(r"turn the guard on there")
def _guard(found: re.Match[str], finding: Finding) -> list[Edit]:
    return [settled(ports_of(finding), bpdu_guard=True)]


@reads(r"turn the spanning tree on at (.*), or")
def _tree_on(found: re.Match[str], finding: Finding) -> list[Edit]:
    def edit(campus: Campus) -> None:
        for name in re.findall(r"[^\s,]+", found[1].replace(" and ", " ")):
            campus.devices[name].tree_mode = fact(TreeMode.RSTP)

    return [edit]


@reads(r"run spanning tree (.*) on (\S+) as well")
def _same_tree(found: re.Match[str], finding: Finding) -> list[Edit]:
    def edit(campus: Campus) -> None:
        campus.devices[found[2]].tree_mode = fact(TreeMode(found[1]))

    return [edit]


@reads(r"raise the priority number of (\S+) to (\d+)(?:, or lower that of (\S+) to (\d+))?")
def _priority(found: re.Match[str], finding: Finding) -> list[Edit]:
    def at(name: str, value: int) -> Edit:
        def edit(campus: Campus) -> None:
            for tree in campus.devices[name].trees:
                tree.priority = fact(value)

        return edit

    second = [at(found[3], int(found[4]))] if found[3] else []
    return [at(found[1], int(found[2])), *second]


@reads(r"state the same version on all|set the same password on all|turn pruning on")
def _distribution(found: re.Match[str], finding: Finding) -> list[Edit]:
    def edit(campus: Campus) -> None:
        for name in switches_of(finding):
            shared = campus.devices[name].distribution
            assert shared is not None
            if "version" in found[0]:
                shared.version = fact(3)
            elif "password" in found[0]:
                shared.password = fact(True)
            else:
                shared.pruning = fact(True)

    return [edit]


@reads(r"make (\S+) a bystander|set the revision of (\S+) back")
def _follower(found: re.Match[str], finding: Finding) -> list[Edit]:
    def edit(campus: Campus) -> None:
        shared = campus.devices[found[1] or found[2]].distribution
        assert shared is not None
        if found[1]:
            shared.role = fact(Role.BYSTANDER)
        else:
            shared.revision = fact(0)

    return [edit]


@reads(r"let (\S+) prune VLAN (\S+) instead")
def _prune(found: re.Match[str], finding: Finding) -> list[Edit]:
    return [settled([place(found[1])], prunable=VlanSet.parse(found[2]))]


@reads(r"remove the statement that does not count")
def _not_twice(found: re.Match[str], finding: Finding) -> list[Edit]:
    def edit(campus: Campus) -> None:
        origins = {w.origin for w in finding.where}
        for device in campus.devices.values():
            device.overridden = [c for c in device.overridden if c.old not in origins]

    return [edit]
