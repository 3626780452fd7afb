"""What is shut and should not be: the last link of a switch, a gateway, a named host's port."""

from __future__ import annotations

from collections.abc import Iterator

from inkov.campus import natural
from inkov.checks.catalogue import Found, Severity, Where, finding, rule
from inkov.checks.causes import InterfaceWrong, LinkFails
from inkov.checks.gateways import place_of
from inkov.checks.site import Site
from inkov.edits.make import gateway_edit, of_port
from inkov.forwarding import Fabric, Resolved
from inkov.forwarding.reasons import decided_at
from inkov.wiring import End, Link
from inkov.words import both, listed


@rule(
    "link-shut",
    family="Links and trunks",
    severity=Severity.FAULT,
    what="all links that lead to a switch are shut",
    why="nothing behind it reaches anything, and nothing reaches it, not even to manage it",
    cure="turn the port on, at the end where it is shut",
    example="gate-1 hangs on core-1 by port 1 alone, and core-1 port 1 is shut",
    says="no link leads to {switch}: {ends} {are} shut",
    fix="turn {ends} on",
)
def link_shut(site: Site) -> Iterator[Found]:
    fabric, done = site.fabric, set[Link]()
    ways = site.shut_ways
    # One switch alone has no links to lose.
    if len(site.devices) < 2:
        return
    # Those with fewest links first: what is shut at a small switch is told there.
    for name in sorted(ways, key=lambda name: (len(ways[name]), natural(name))):
        links = [link for link in ways[name] if link not in done]
        if not links:
            continue  # told from its other end
        done.update(links)
        ends = [
            shut
            for link in links
            for end in (link.a, link.b)
            if not fabric.ports[end].up
            for shut in _to_turn_on(fabric, fabric.ports[end])
        ]
        yield finding(
            {
                "switch": name,
                "ends": both([r.end for r in ends])
                if len(ends) < 3
                else listed([str(r.end) for r in ends]),
                "are": "is" if len(ends) == 1 else "are",
            },
            where=tuple(
                Where(r.end.device, r.end.port, None, decided_at(fabric, r, "enabled"))
                for r in ends
            ),
            cause=LinkFails(links[0]),
            vlans=fabric.live[name] & site.served.get(name, 0),
            edits=[of_port(r.end.device, r.stated, "enabled", True) for r in ends],
        )


def _to_turn_on(fabric: Fabric, resolved: Resolved) -> list[Resolved]:
    """The ports to be turned on at an end that is down: of a bundle that is on, its members."""
    # The port or bundle itself is shut.
    if not resolved.stated.on:
        return [resolved]
    device, name = resolved.end
    members = [
        fabric.ports[End(device, port.name)]
        for port in fabric.device(device).ports.values()
        if port.bundle is not None and port.bundle.value == name and not port.on
    ]
    # A bundle that is on and down: its members are shut.
    return members or [resolved]


@rule(
    "gateway-shut",
    family="Gateways and hosts",
    severity=Severity.FAULT,
    what="the gateway that hosts name, or the only one in the subnet of their VLAN, is shut",
    why="the hosts reach their own subnet and nothing else",
    cure="turn the interface on, or give the hosts another gateway",
    example="core-1 has 10.20.0.1 in VLAN 20, shut, and pump-1 names it as its gateway",
    says="{label} with {value} is shut, and it is the gateway of {hosts}",
    fix="turn {label} on",
)
def gateway_shut(site: Site) -> Iterator[Found]:
    users: dict[str, list[str]] = {}
    for host in site.fabric.campus.hosts:
        if host.gateway is not None:
            users.setdefault(host.gateway, []).append(host.name)
    up = {str(f.value.ip) for i in site.interfaces if not i.why_down for f in i.addresses}
    for interface in site.interfaces:
        if interface.why_down != "it is shut":
            continue
        for fact in interface.addresses:
            address = str(fact.value.ip)
            # Somebody names it, and no other interface that is up has the address.
            if address in users and address not in up:
                yield finding(
                    {
                        "label": interface.label,
                        "value": fact.value,
                        "hosts": listed(users[address], 4),
                    },
                    where=(
                        _shut_at(site, interface.device, interface.name) or place_of(interface),
                    ),
                    cause=InterfaceWrong(interface.device, interface.name),
                    vlans=interface.serves,
                    key=(interface.device, interface.name),
                    edits=gateway_edit(
                        site.fabric.device(interface.device), interface.origin, "enabled", True
                    ),
                )


def _shut_at(site: Site, device: str, name: str) -> Where | None:
    """Where the port of an interface is shut; None for one that is no port."""
    resolved = site.fabric.ports.get(End(device, name))
    if resolved is None:
        return None
    return Where(device, name, None, decided_at(site.fabric, resolved, "enabled"))


@rule(
    "host-port-shut",
    family="Gateways and hosts",
    severity=Severity.FAULT,
    what="the port of a named host is shut",
    why="the host is cut off, or it is not there any more and the table is out of date",
    cure="turn the port on, or take the host out of the table",
    example="the table has pump-1 at gate-1 port 3, which is shut",
    says={
        "itself": "{hosts} {are} at {place}, which is shut",
        "of": "{hosts} {are} at {place}, and {shut} is shut",
    },
    fix="turn {shut} on, or take {hosts} out of the table",
)
def host_port_shut(site: Site) -> Iterator[Found]:
    fabric = site.fabric
    for place, names in site.hosts_at.items():
        # A place that does not exist is another finding.
        if place not in fabric.ports or fabric.ports[fabric.end_of(*place)].up:
            continue
        origin = next(h.origin for h in fabric.campus.hosts if h.name == names[0])
        shut = fabric.ports[fabric.end_of(*place)]
        parent = shut.stated.parent
        # The sub-interface is on: what is below it is shut.
        if shut.stated.on and parent is not None:
            shut = fabric.ports[End(place.device, parent.value)]
        at = shut.end if parent is not None else place
        yield finding(
            {
                "hosts": listed(names),
                "are": "is" if len(names) == 1 else "are",
                "place": place,
                "shut": at,
            },
            case="itself" if at == place else "of",
            where=(
                Where(*at, None, decided_at(fabric, shut, "enabled")),
                Where(*place, None, origin),
            ),
            key=(str(place), *names),
        )
