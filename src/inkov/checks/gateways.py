"""Gateways: VLAN and subnet, addresses, and the plan (FM 5)."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from ipaddress import IPv4Network, IPv6Network

from inkov.campus import Address, Fact
from inkov.checks.catalogue import Found, Severity, Where, finding, rule
from inkov.checks.causes import Cause, InterfaceWrong, LinkFails, VlanAbsent
from inkov.checks.site import Site
from inkov.forwarding.stations import Interface
from inkov.words import listed

_FAMILY = "Gateways and hosts"
Subnet = IPv4Network | IPv6Network


def networks(interface: Interface) -> list[Subnet]:
    """The subnets of an interface."""
    return [fact.value.network for fact in interface.addresses]


def place_of(interface: Interface, fact: Fact[Address] | None = None) -> Where:
    """Where a gateway or a routed port is stated, or one of its addresses."""
    vid = interface.vlan
    # A routed port has its name as its place, a VLAN its number.
    port = None if interface.name.startswith("VLAN ") else interface.name
    return Where(interface.device, port, vid, fact.origin if fact is not None else interface.origin)


def _of_vlans(site: Site) -> list[Interface]:
    return [i for i in site.interfaces if i.name.startswith("VLAN ")]


@rule(
    "gateway-down",
    family=_FAMILY,
    severity=Severity.FAULT,
    what="a gateway is down because its VLAN is not alive on its device",
    why=(
        "an interface of a VLAN is up only while the VLAN is defined, active and has a live port"
        " there: all hosts of the subnet have lost their way out"
    ),
    cure="define the VLAN on the device, make it active, or let a link carry it there",
    example="core-1 has a gateway in VLAN 30, and no port of core-1 carries VLAN 30",
    says="the gateway of {device} in VLAN {vid} is down: {why_down}",
    fix="define VLAN {vid} on {device}, or let one of its links carry it",
)
def gateway_down(site: Site) -> Iterator[Found]:
    for interface in _of_vlans(site):
        # What somebody shut is meant to be down.
        if interface.why_down and interface.why_down != "it is shut":
            yield finding(
                {"device": interface.device, "vid": interface.vid, "why_down": interface.why_down},
                where=(place_of(interface),),
                cause=_why_down(site, interface),
                vlans=1 << interface.vid,
            )


def _why_down(site: Site, interface: Interface) -> Cause:
    """The cause: a link of the device that needs the VLAN and does not pass it, or that the device
    does not have it.
    """
    bit = 1 << interface.vid
    # A way that leads by a port that is shut: the shut port is the cause.
    if interface.device in site.shut_ways:
        return LinkFails(site.shut_ways[interface.device][0])
    # The device has the VLAN: then a link that needs it and does not pass it is to blame.
    for joined in site.links if site.fabric.live[interface.device] & bit else ():
        ends = joined.a.end.device, joined.b.end.device
        if (
            interface.device in ends
            and site.needs[joined.number] & ~site.shared[joined.number] & bit
        ):
            return LinkFails(joined.link)
    return VlanAbsent(interface.vid, interface.device)


@rule(
    "vlan-routed-against-plan",
    family=_FAMILY,
    severity=Severity.BREACH,
    what="a VLAN has a gateway, and the plan says that it is not routed",
    why="whatever routes it joins it with every other VLAN of the routing table",
    cure="remove the gateway, or correct the plan",
    example="the plan says `70: {routed: no}`, and core-1 has an address in VLAN 70",
    says="{device} has {value} in VLAN {vid}, which is not to be routed",
    fix="remove the gateway of {device} in VLAN {vid}, or correct the plan",
)
def vlan_routed_against_plan(site: Site) -> Iterator[Found]:
    for interface in _of_vlans(site):
        planned = site.plan.vlans.get(interface.vid)
        # A VLAN of which the plan says nothing may be routed.
        if (
            planned is not None
            and planned.routed is False
            and interface.addresses
            and interface.why_down != "it is shut"
        ):
            yield finding(
                {
                    "device": interface.device,
                    "value": interface.addresses[0].value,
                    "vid": interface.vid,
                },
                where=(
                    place_of(interface, interface.addresses[0]),
                    Where("", None, interface.vid, planned.origin),
                ),
                vlans=1 << interface.vid,
                key=(interface.device, str(interface.vid)),
            )


@rule(
    "gateway-subnets-differ",
    family=_FAMILY,
    severity=Severity.FAULT,
    what="two gateways of one VLAN are in different subnets",
    why=(
        "hosts of one subnet never find the gateway of the other: one of the two addresses is a"
        " slip"
    ),
    cure="put both into the subnet of the VLAN",
    example="core-1 has 10.20.0.1/24 in VLAN 20, and core-2 has 10.30.0.2/24 in VLAN 20",
    says=(
        "{odd_device} has {value} in VLAN {vid}, and {peer_device}, in the same broadcast domain,"
        " is in {usual}"
    ),
    fix="give {odd_device} an address in {usual}, or correct {peer_device}",
)
def gateway_subnets_differ(site: Site) -> Iterator[Found]:
    domains: dict[int, list[Interface]] = {}
    for interface in _of_vlans(site):
        if not interface.why_down and interface.addresses:
            domains.setdefault(site.domains.of(interface.bridge, interface.vid), []).append(
                interface
            )
    for label, group in domains.items():
        # A VLAN without a domain, or with one gateway, has nothing to differ from.
        if label < 0 or len(group) < 2:
            continue
        usual = Counter(network for i in group for network in set(networks(i))).most_common(1)[0][0]
        for odd in group:
            nets = networks(odd)
            # Another family of addresses is another subnet by right.
            if any(n.version == usual.version for n in nets) and usual not in nets:
                peer = next(i for i in group if usual in networks(i))
                yield finding(
                    {
                        "odd_device": odd.device,
                        "value": odd.addresses[0].value,
                        "vid": odd.vid,
                        "peer_device": peer.device,
                        "usual": usual,
                    },
                    where=(place_of(odd, odd.addresses[0]), place_of(peer, peer.addresses[0])),
                    vlans=1 << odd.vid,
                    key=(odd.device, str(odd.vid)),
                )


@rule(
    "gateway-against-plan",
    family=_FAMILY,
    severity=Severity.FAULT,
    what="a gateway is not in the subnet that the plan gives its VLAN, or has another mask",
    why="hosts that are set up by the plan never find it",
    cure="give the gateway an address in the planned subnet, or correct the plan",
    example="the plan has VLAN 20 in 10.20.0.0/24, and core-1 has 10.2.0.1/24 in VLAN 20",
    says="{device} has {value} in VLAN {vid}, and the plan has {subnet}",
    fix={
        "elsewhere": "give {device} an address in {subnet}, or correct the plan",
        "mask": "give {device} the address {right}, or correct the plan",
    },
)
def gateway_against_plan(site: Site) -> Iterator[Found]:
    for interface in site.interfaces:
        vid = interface.vlan
        planned = site.plan.vlans.get(vid) if vid is not None else None
        subnet = planned.subnet if planned is not None else None
        # The plan gives the VLAN no subnet.
        if planned is None or subnet is None or vid is None:
            continue
        own = [f for f in interface.addresses if f.value.version == subnet.version]
        if own and not any(fact.value.network == subnet for fact in own):
            # In the subnet with another mask: only the mask is wrong.
            inside = next((fact for fact in own if fact.value.ip in subnet), None)
            wrong = inside or own[0]
            yield finding(
                {
                    "device": interface.device,
                    "value": wrong.value,
                    "vid": vid,
                    "subnet": subnet,
                    "right": f"{wrong.value.ip}/{subnet.prefixlen}",
                },
                case="mask" if inside else "elsewhere",
                where=(place_of(interface, wrong), Where("", None, vid, planned.origin)),
                vlans=1 << vid,
                cause=InterfaceWrong(interface.device, interface.name),
                key=(interface.device, interface.name),
            )


@rule(
    "subnets-overlap",
    family=_FAMILY,
    severity=Severity.FAULT,
    what="two VLANs that are routed in one table have overlapping subnets",
    why="the router sends half of the answers into the wrong VLAN",
    cure="give one of them a subnet of its own",
    example="core-1 has 10.20.0.1/16 in VLAN 20 and 10.20.30.1/24 in VLAN 30",
    says="{label} with {value} overlaps {others}",
    fix="which of them keeps it? give the other a subnet of its own",
)
def subnets_overlap(site: Site) -> Iterator[Found]:
    known: dict[tuple[str, int], list[tuple[int, int, Interface, Fact[Address]]]] = {}
    for interface in site.interfaces:
        for fact in interface.addresses:
            network: Subnet = fact.value.network
            span = int(network.network_address), int(network.broadcast_address), interface, fact
            known.setdefault((interface.vrf, network.version), []).append(span)
    wide: dict[
        tuple[str, str], list[tuple[Interface, Fact[Address], Interface, Fact[Address]]]
    ] = {}
    for spans in known.values():
        # Sorted by their beginning: whatever overlaps begins before the widest so far has ended.
        spans.sort(key=lambda span: (span[0], -span[1], span[2].device, span[2].vid))
        open_until = spans[0]
        for span in spans[1:]:
            one, other = open_until, span
            # Two gateways of one VLAN share its subnet.
            if span[0] <= open_until[1] and not _same_domain(site, one[2], other[2]):
                wide.setdefault((one[2].name, str(one[3].value.network)), []).append(
                    (*one[2:], *other[2:])
                )
            # The one that reaches furthest is what later ones can overlap.
            if span[1] > open_until[1]:
                open_until = span
    for (name, span_of), pairs in wide.items():
        first, fact = pairs[0][:2]
        others = list(dict.fromkeys((i.name, str(f.value.network)) for _, _, i, f in pairs))
        mask = 1 << first.vid
        for _, _, near, _ in pairs:
            mask |= 1 << near.vid
        yield finding(
            {
                "label": first.label,
                "value": fact.value,
                "others": listed([f"{n} with {net}" for n, net in others]),
            },
            where=(place_of(first, fact), *(place_of(near, far) for _, _, near, far in pairs)),
            vlans=mask,
            cause=InterfaceWrong(first.device, first.name),
            key=(name, span_of),
        )


def _same_domain(site: Site, one: Interface, other: Interface) -> bool:
    """True for interfaces of one VLAN: a VLAN that is split is told as such. That of a routed port
    is the one that it is linked to.
    """
    inside_of = [
        site.faced.get(i.bridge, {(site.area[i.device], i.vid, i.name)}) for i in (one, other)
    ]
    if not inside_of[0].isdisjoint(inside_of[1]):
        return True
    labels = [site.domains.of(i.bridge, i.vid) if i.bridge >= 0 else -1 for i in (one, other)]
    return labels[0] == labels[1] >= 0


@rule(
    "address-used-twice",
    family=_FAMILY,
    severity=Severity.FAULT,
    what="two hosts or gateways have one address",
    why="which of the two answers is a matter of luck, and changes by the minute",
    cure="give one of them another address",
    example="core-1 and core-2 both have 10.20.0.1 in VLAN 20",
    says="{address} is the address of {names}",
    fix="whose is it? give the other another address",
)
def address_used_twice(site: Site) -> Iterator[Found]:
    users: dict[tuple[str, str], list[tuple[str, Where]]] = {}
    for interface in site.interfaces:
        for fact in interface.addresses:
            users.setdefault((interface.vrf, str(fact.value.ip)), []).append(
                (interface.label, place_of(interface, fact))
            )
    for host in site.fabric.campus.hosts:
        if host.address is not None:
            where = Where(host.device, host.port, host.vid, host.origin)
            users.setdefault(("", str(host.address.ip)), []).append((host.name, where))
    for (_, address), named in users.items():
        # One name with one address twice is one interface in two tables.
        if len({name for name, _ in named}) > 1:
            yield finding(
                {"address": address, "names": listed([name for name, _ in named])},
                where=tuple(where for _, where in named),
                key=(address, *sorted(name for name, _ in named)),
            )
