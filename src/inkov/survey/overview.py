"""A campus on one page: what it is made of, and what is odd about it. Counts and names, no
judgement; the findings are counted by whoever audits.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Hashable, Iterable

from msgspec import Struct, field

from inkov.campus import PortKind, natural
from inkov.forwarding import Fabric
from inkov.forwarding.circles import partings
from inkov.forwarding.serve import facing_routers, gateway_bits, served_by_device
from inkov.survey.roles import Role, Roles
from inkov.survey.vlans import VlanRow, vlan_rows
from inkov.vlanset import VlanSet, union

__all__ = ["Overview", "overview"]


class InRole(Struct):
    """The switches of one role; of routers and the core the VLANs that each routes."""

    role: Role
    switches: list[str]
    routes: dict[str, VlanSet]
    ports: int


class BlockRow(Struct):
    """A block: its distribution switches, the others, what they serve."""

    heads: list[str]
    access: list[str]
    vlans: VlanSet
    ports: int


class VlanSummary(Struct):
    """One VLAN: how much is in it, and where it is routed. `islands` above 1: it is split."""

    vlan: int
    name: str
    ports: int
    switches: int
    gateways: list[str]
    islands: int


class Redundancy(Struct):
    """What a single loss parts: of `links` between switches those without which switches fall
    apart (`alone`), and the switches that `hang` on such a link or on one switch each. `worst` is
    the switch whose loss parts most others, how many that are.
    """

    links: int = 0
    alone: int = 0
    hang: list[str] = field(default_factory=list)
    worst: str = ""
    parted: int = 0


class Overview(Struct):
    """The campus on one page."""

    devices: int
    host_ports: int
    roles: list[InRole]
    blocks: list[BlockRow]
    vlans: list[VlanSummary]
    redundancy: Redundancy
    empty: VlanSet
    split: VlanSet
    outside: list[str]
    alone: list[str]
    second: list[str]


def overview(fabric: Fabric, roles: Roles, rows: list[VlanRow] | None = None) -> Overview:
    """What a campus is made of. `rows` are those of all its VLANs, if they are known."""
    hosts = Counter(
        port.end.device
        for port in fabric.bridge_ports
        if fabric.has_hosts(port.end) and not fabric.is_implied(port) and not port.outer
    )
    routing = {name: VlanSet(mask) for name, mask in gateway_bits(fabric).items()}
    _add_legs(fabric, routing)
    gateways: dict[int, list[str]] = {}
    for name in _sorted(routing):
        for vid in routing[name]:
            gateways.setdefault(vid, []).append(name)
    serving = served_by_device(fabric)
    rows = vlan_rows(fabric) if rows is None else rows
    # One that is only named at ports is none of the campus: an audit finds that.
    rows = [row for row in rows if row.islands or any(at.defined is not False for at in row.at)]
    return Overview(
        len(fabric.campus.devices),
        sum(hosts.values()),
        [
            InRole(
                role,
                names,
                {name: routing[name] for name in names if name in routing},
                sum(hosts[name] for name in names),
            )
            for role in Role
            if (names := roles.named(role))
        ],
        [
            BlockRow(
                block.heads,
                block.access,
                VlanSet(union(serving.get(name, 0) for name in block.switches)),
                sum(hosts[name] for name in block.switches),
            )
            for block in roles.blocks
        ],
        [_vlan(row, gateways.get(row.vlan, [])) for row in rows],
        _redundancy(fabric, roles),
        # Defined, and nobody in it anywhere.
        VlanSet.from_vids(
            row.vlan for row in rows if not row.islands and any(at.defined for at in row.at)
        ),
        # One island in each area is as it should be: a number is another VLAN there.
        VlanSet.from_vids(row.vlan for row in rows if len(row.islands) > max(1, len(row.areas))),
        _outside(fabric),
        [name for name in _sorted(fabric.campus.devices) if name not in roles.beside],
        [device.name for device in fabric.campus.others],
    )


def _sorted(names: Iterable[str]) -> list[str]:
    return sorted(names, key=natural)


def _add_legs(fabric: Fabric, routing: dict[str, VlanSet]) -> None:
    """Routers with sub-interfaces route the VLANs of their tags; those with routed ports on
    switches the VLANs in which these are there.
    """
    legs = [
        (fabric.bridges[facing.inside].device, facing.vid)
        for facing in facing_routers(fabric)
        if facing.inside >= 0
    ]
    for device in fabric.campus.devices.values():
        for port in device.ports.values():
            # A router's sub-interface serves the VLAN of its tag, whatever it is called inside.
            if port.kind is PortKind.SUB and port.addresses and port.outer is not None:
                legs.append((device.name, port.outer.value))
    for router, vid in legs:
        routing[router] = routing.get(router, VlanSet()) | VlanSet.of(vid)


def _vlan(row: VlanRow, gateways: list[str]) -> VlanSummary:
    switches = sum(1 for at in row.at if at.ports or at.gateway)
    # An area more is no split: only islands within one are.
    parts = len(row.islands) - max(0, len(row.areas) - 1)
    return VlanSummary(
        row.vlan, row.names[0] if row.names else "", row.ports, switches, gateways, parts
    )


def _outside(fabric: Fabric) -> list[str]:
    """Neighbours that are not among the files, by their names."""
    return _sorted({report.far for report in fabric.wiring.outside})


def _redundancy(fabric: Fabric, roles: Roles) -> Redundancy:
    links = [
        link
        for number, link in enumerate(fabric.wiring.links)
        # A link that is down joins nothing, nor does one from a switch to itself.
        if fabric.link_up[number] and link.a.device != link.b.device
    ]
    edges = [(link.a.device, link.b.device) for link in links]
    weights: dict[Hashable, int] = dict.fromkeys(roles.of, 1)
    redundancy, hang = Redundancy(len(links)), dict[str, None]()
    for parting in partings(edges, weights):
        parted = [str(name) for part in parting.parts for name in part]
        # A link that parts something is the only one; a switch is told by how many it parts.
        if parting.edge >= 0:
            redundancy.alone += 1
            hang |= dict.fromkeys(parted)
        elif len(parted) > redundancy.parted:
            redundancy.worst, redundancy.parted = str(parting.vertex), len(parted)
    redundancy.hang = _sorted(hang)
    return redundancy
