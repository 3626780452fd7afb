"""Hosts: their address and gateway against their VLAN; and where switches are managed (FM 5)."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from ipaddress import ip_address, ip_interface

from inkov.campus import Host
from inkov.checks.access import by_switch
from inkov.checks.catalogue import Found, Severity, Where, finding, rule
from inkov.checks.causes import Cause, InterfaceWrong
from inkov.checks.gateways import Subnet, networks, place_of
from inkov.checks.site import Site
from inkov.edits.make import host_edit
from inkov.forwarding.stations import Interface
from inkov.wiring import End
from inkov.words import counted, listed

_FAMILY = "Gateways and hosts"
_USERS = 4  # sockets of other VLANs for each in the management VLAN: a switch for users


def _home(site: Site, host: Host) -> tuple[int, int, list[Interface]] | None:
    """The VLAN of a host on its switch, the domain, and the routed interfaces in it; None where it
    cannot be said.
    """
    resolved = site.fabric.ports.get(End(host.device, host.port))
    # A port that is shut or not there: another rule tells.
    if resolved is None or not resolved.up:
        return None
    vid = host.vid or resolved.view.pvid
    numbers = site.fabric.at.get(resolved.end, ())
    # Routed, or untagged frames dropped: the host is in no VLAN.
    if not vid or not numbers:
        return None
    label = site.domains.of(site.fabric.bridge_ports[numbers[0]].bridge, vid)
    return vid, label, site.interfaces_in.get(label, [])


def _at(site: Site, host: Host, vid: int) -> tuple[Where, Where]:
    resolved = site.resolved(End(host.device, host.port))
    return Where(host.device, host.port, vid, host.origin), site.places.of(
        resolved, "access_vlan", vid
    )


@rule(
    "mask-wrong",
    family=_FAMILY,
    severity=Severity.FAULT,
    what="a host or a gateway has another mask than the rest of its subnet",
    why=(
        "with one that is too wide it looks for far hosts next to it, and with one that is too"
        " narrow it sends what is near to the router: some are reached, others are not"
    ),
    cure="give it the mask of the subnet",
    example="pump-1 has 10.20.0.31/16, and core-1 has 10.20.0.1/24 in its VLAN",
    says={
        "host": "{name} at {place} has {address}, and the subnet of its VLAN {vid} is {subnet}",
        "gateway": "{name} has {address} in VLAN {vid}, and its hosts are in {subnet}",
    },
    fix="give {name} the address {right}",
)
def mask_wrong(site: Site) -> Iterator[Found]:
    for (vid, _), (hosts, near) in _homes(site).items():
        own = list(dict.fromkeys(network for i in near for network in networks(i)))
        planned = site.plan.vlans.get(vid)
        if planned is not None and planned.subnet is not None:
            own = [planned.subnet]  # gateway-against-plan tells of gateways
        else:
            wrong = _odd_gateway(hosts, near)
            # Most hosts agree, and the gateway does not: the mistake is there, and told once.
            if wrong is not None:
                odd, meant = wrong
                fact = next(f for f in odd.addresses if f.value.ip in meant)
                yield finding(
                    {
                        "name": odd.label,
                        "address": fact.value,
                        "vid": vid,
                        "subnet": meant,
                        "right": f"{fact.value.ip}/{meant.prefixlen}",
                    },
                    case="gateway",
                    where=(place_of(odd, fact),),
                    cause=InterfaceWrong(odd.device, odd.name),
                    vlans=1 << vid,
                    key=(odd.device, odd.name),
                )
                continue
        # Where no host agrees with the only gateway, nobody knows which of them is wrong.
        agree = any(host.address and host.address.network in own for host in hosts)
        lonely = len(near) == 1 and not agree
        doubt = InterfaceWrong(near[0].device, near[0].name) if lonely else None
        for host in hosts:
            assert host.address is not None
            around = [subnet for subnet in own if host.address.ip in subnet]
            # In one of its subnets by the address, and by no mask.
            if around and host.address.network not in around:
                yield finding(
                    {
                        "name": host.name,
                        "place": f"{host.device}:{host.port}",
                        "address": host.address,
                        "vid": vid,
                        "subnet": around[0],
                        "right": f"{host.address.ip}/{around[0].prefixlen}",
                    },
                    case="host",
                    where=_at(site, host, vid),
                    cause=doubt,
                    key=(host.name,),
                    edits=[
                        host_edit(
                            host,
                            "address",
                            ip_interface(f"{host.address.ip}/{around[0].prefixlen}"),
                        )
                    ],
                )


@rule(
    "host-outside-subnet",
    family=_FAMILY,
    severity=Severity.FAULT,
    what="a host has an address outside the subnet of its VLAN",
    why=(
        "it cannot reach its gateway or its neighbours: it is in the wrong VLAN, or has the wrong"
        " address"
    ),
    cure=(
        "put the host's port into the VLAN of its subnet, or give it an address of the VLAN it"
        " is in"
    ),
    example="pump-1 has 10.20.0.31/24, and its port is in VLAN 30, which is 10.30.0.0/24",
    says="{host} at {device}:{port} has {address}, and its VLAN {vid} is {subnets}",
    fix={
        "vlan": "put {device} port {port} into VLAN {meant} ({network}), or change the address",
        "address": "give {host} an address in {subnets}: nobody routes {network} here",
    },
)
def host_outside_subnet(site: Site) -> Iterator[Found]:
    routed = {n: i.vlan for i in site.interfaces for n in networks(i)}
    routed |= {p.subnet: v for v, p in site.plan.vlans.items() if p.subnet is not None}
    for (vid, _), (hosts, near) in _homes(site).items():
        odd = _odd_gateway(hosts, near)
        planned = site.plan.vlans.get(vid)
        for host in hosts:
            assert host.address is not None
            subnets = [n for i in near for n in networks(i) if n.version == host.address.version]
            # No router states a subnet: the plan may.
            if not subnets and planned is not None and planned.subnet is not None:
                subnets = [planned.subnet]
            # Nobody says which subnet it is: then nothing is outside of it.
            if not subnets or any(host.address.ip in subnet for subnet in subnets):
                continue
            meant = routed.get(host.address.network)
            yield finding(
                {
                    "host": host.name,
                    "device": host.device,
                    "port": host.port,
                    "meant": meant,
                    "address": host.address,
                    "vid": vid,
                    "subnets": listed([str(s) for s in dict.fromkeys(subnets)]),
                    "network": host.address.network,
                },
                case="vlan" if meant else "address",
                where=_at(site, host, vid),
                cause=_of_the_router(site, host, vid, near, odd),
                key=(host.name,),
            )


def _of_the_router(
    site: Site,
    host: Host,
    vid: int,
    near: list[Interface],
    odd: tuple[Interface, Subnet] | None,
) -> Cause | None:
    """The interface that is wrong, where the host is in the subnet that the plan has, or, without
    one, in that of most hosts there.
    """
    planned = site.plan.vlans.get(vid)
    subnet = planned.subnet if planned is not None else None
    if subnet is None and odd is not None and host.address is not None:
        return InterfaceWrong(odd[0].device, odd[0].name) if host.address.ip in odd[1] else None
    # The host is as planned: so whoever differs from the plan is wrong.
    if subnet is None or host.address is None or host.address.ip not in subnet:
        return None
    wrong = [i for i in near if subnet not in networks(i)]
    return InterfaceWrong(wrong[0].device, wrong[0].name) if wrong else None


def _homes(site: Site) -> dict[tuple[int, int], tuple[list[Host], list[Interface]]]:
    """(VLAN, domain) -> the hosts with an address there, and the interfaces of routers."""
    homes: dict[tuple[int, int], tuple[list[Host], list[Interface]]] = {}
    for host in site.fabric.campus.hosts:
        home = _home(site, host) if host.address is not None else None
        if home is not None:
            vid, label, near = home
            homes.setdefault((vid, label), ([], near))[0].append(host)
    return homes


def _odd_gateway(hosts: list[Host], near: list[Interface]) -> tuple[Interface, Subnet] | None:
    """The only gateway of a VLAN, if two hosts or more agree on another subnet around it, and that
    subnet.
    """
    subnets = Counter(host.address.network for host in hosts if host.address is not None)
    # Several gateways would outvote the hosts.
    if len(near) != 1 or not subnets:
        return None
    meant, number = subnets.most_common(1)[0]
    inside = any(fact.value.ip in meant for fact in near[0].addresses)
    # More than half, two at least; and the gateway's own address fits into their subnet.
    if number > 1 and 2 * number > len(hosts) and meant not in networks(near[0]) and inside:
        return near[0], meant
    return None


@rule(
    "host-gateway-wrong",
    family=_FAMILY,
    severity=Severity.FAULT,
    what="a host's gateway does not exist, or is not in the host's VLAN",
    why="the host reaches its own subnet and nothing else",
    cure="set the gateway of the host to the address that a router has in its VLAN",
    example="till-1 has gateway 10.50.0.254, and core-1 has 10.50.0.1 in VLAN 50",
    says={
        "gateway": "{host} at {place} has gateway {gateway}, which ",
        "elsewhere": "is {owner}, not in the host's VLAN {vid}",
        "outside": "is not in its subnet {subnet}",
        "nobody": "nobody has; in VLAN {vid} there is {right}",
    },
    fix={
        "known": "set the gateway of {host} to {right}",
        "unknown": (
            "which is right? put {switch} port {port} into the VLAN of its gateway, or correct that"
        ),
    },
)
def host_gateway_wrong(site: Site) -> Iterator[Found]:
    owners = {str(f.value.ip): i for i in site.interfaces for f in i.addresses}
    for host in site.fabric.campus.hosts:
        home = _home(site, host) if host.gateway else None
        if home is None or host.gateway is None:
            continue
        vid, _, near = home
        here = [str(f.value.ip) for i in near for f in i.addresses]
        # A router of the VLAN has it.
        if host.gateway in here:
            continue
        owner = owners.get(host.gateway)
        right = [
            ip
            for i in near
            for f in i.addresses
            if host.address is None or f.value.ip in host.address.network
            for ip in [str(f.value.ip)]
        ]
        outside = host.address is not None and ip_address(host.gateway) not in host.address.network
        # Somebody has the address: in another VLAN, or it is told why it cannot be reached here.
        if owner is not None:
            if owner.serves >> vid & 1:
                continue  # the VLAN is split, or the interface is down: told as such
            case = "elsewhere"
        elif outside:
            case = "outside"
        elif right:
            case = "nobody"
        else:
            continue  # who routes this subnet is not among the files
        yield finding(
            {
                "host": host.name,
                "place": f"{host.device}:{host.port}",
                "switch": host.device,
                "port": host.port,
                "gateway": host.gateway,
                "owner": owner and owner.label,
                "subnet": host.address and host.address.network,
                "vid": vid,
                "right": listed(right),
            },
            case=("gateway", case, "known" if right else "unknown"),
            where=_at(site, host, vid),
            key=(host.name,),
            edits=[host_edit(host, "gateway", right[0])] if len(right) == 1 else (),
        )


@rule(
    "host-without-gateway",
    family=_FAMILY,
    severity=Severity.NOTE,
    what="a host has no gateway, though its VLAN has one and other hosts state theirs",
    why="it reaches its own subnet only; a ping from elsewhere is heard and not answered",
    cure="set its gateway, or leave it so if it is meant",
    example="camera-7 has 10.60.0.17/24 and no gateway, and core-1 has 10.60.0.1 in its VLAN",
    says="{host} at {device}:{port} states no gateway; in VLAN {vid} there is {ways}",
    fix="set the gateway of {host} to {ways}",
)
def host_without_gateway(site: Site) -> Iterator[Found]:
    hosts = site.fabric.campus.hosts
    # Where no host states a gateway, the table has no column for it.
    for host in hosts if any(h.gateway for h in hosts) else ():
        home = _home(site, host) if host.address is not None and not host.gateway else None
        if home is None or host.address is None:
            continue
        vid, _, near = home
        ways = [
            str(f.value.ip) for i in near for f in i.addresses if f.value.ip in host.address.network
        ]
        # A host that is the gateway itself needs none.
        if ways and str(host.address.ip) not in ways:
            yield finding(
                {
                    "host": host.name,
                    "device": host.device,
                    "port": host.port,
                    "vid": vid,
                    "ways": listed(ways),
                },
                where=_at(site, host, vid),
                key=(host.name,),
                edits=[host_edit(host, "gateway", ways[0])] if len(ways) == 1 else (),
            )


@rule(
    "management-in-user-vlan",
    family=_FAMILY,
    severity=Severity.RISK,
    what="the only address of a switch is not in the management VLAN",
    why=(
        "the switch can be managed from wherever that VLAN has sockets, and not from where it"
        " should"
    ),
    cure="give the switch an address in the management VLAN instead",
    example="all switches have their address in VLAN 90, pond-2 has it in VLAN 40",
    says="{name} has its only address, {value}, in VLAN {vid}, not in VLAN {wanted}, {why}",
    fix={
        "known": "give {name} an address in VLAN {wanted} ({subnet}) instead",
        "unknown": "give {name} an address in VLAN {wanted} instead: in which subnet?",
    },
)
def management_in_user_vlan(site: Site) -> Iterator[Found]:
    single = managed_by(site)
    wanted, why = site.plan.practice.management, "the plan's management VLAN"
    if wanted is None:
        usual = Counter(i.vid for i in single.values()).most_common(1)
        # Without a plan a clear majority must show which VLAN is meant.
        if not usual or usual[0][1] < 4 or usual[0][1] * 4 < len(single) * 3:
            return
        wanted, why = usual[0][0], f"where {usual[0][1]} switches have theirs"
    version = {n: i.addresses[0].value.version for n, i in single.items()}
    for name, interface in single.items():
        if interface.vid != wanted:
            there = (n for i in site.interfaces if i.vlan == wanted for n in networks(i))
            subnet = next((n for n in there if n.version == version[name]), None)
            yield finding(
                {
                    "name": name,
                    "value": interface.addresses[0].value,
                    "vid": interface.vid,
                    "wanted": wanted,
                    "why": why,
                    "subnet": subnet,
                },
                case="known" if subnet else "unknown",
                where=(place_of(interface, interface.addresses[0]),),
                key=(name,),
            )


def managed_by(site: Site) -> dict[str, Interface]:
    """The switches with one address, in a VLAN: by what each is managed."""
    by_device: dict[str, list[Interface]] = {}
    for interface in site.interfaces:
        if interface.addresses:
            by_device.setdefault(interface.device, []).append(interface)
    return {
        name: own[0]
        for name, own in by_device.items()
        if len(own) == 1 and own[0].name.startswith("VLAN ")
    }


@rule(
    "host-in-management-vlan",
    family=_FAMILY,
    severity=Severity.RISK,
    what="a socket is in the management VLAN, and nothing says that it is meant",
    why="whoever plugs in there talks with every switch of the campus",
    cure=(
        "move the port to the VLAN that was meant; or name the host there in the plan, or the port"
        " in a claim"
    ),
    example="gate-1 port 7 is in VLAN 90, where the switches have their addresses",
    says="{device} has {count} in VLAN {vid}, the management VLAN: {ports}",
    fix="which VLAN is meant? move {ports} there, or name the host there in the plan",
)
def host_in_management_vlan(site: Site) -> Iterator[Found]:
    wanted = site.plan.practice.management
    if wanted is None:
        # Without a plan nobody said which VLAN is for management.
        return
    named = {name for claim in site.plan.claims for name in claim.members}
    odd = [
        r
        # Named in the plan or in a claim, or with a neighbour: somebody thought of it.
        for r in site.access_hosts
        if r.access == wanted
        and r.end not in site.hosts_at
        and r.end not in site.outside
        and str(r.end) not in named
    ]
    others = Counter(r.end.device for r in site.access_hosts if r.access != wanted)
    for device, ports in by_switch(odd).items():
        if others[device] < _USERS * len(ports):
            continue  # it is there for management
        yield finding(
            {
                "device": device,
                "count": counted(len(ports), "socket"),
                "vid": wanted,
                "ports": listed([p.end.port for p in ports]),
            },
            where=tuple(site.places.of(p, "access_vlan", wanted) for p in ports),
        )
