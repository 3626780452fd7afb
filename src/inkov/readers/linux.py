"""Linux systems by the JSON of their tools: `ip -j -d link`, `ip -j -d addr`, `bridge -j vlan
show`, `bridge -j link`.

None of these says whose it is, and each holds a part: a file becomes a *piece*, and the pieces of
one system (of one folder, or of one name before the first dot: `aviary-1.link.json`,
`aviary-1.vlan.json`) are put together by `assemble`.
"""

from __future__ import annotations

from ipaddress import ip_interface
from typing import Any

import msgspec
from msgspec import Struct

from inkov.campus import Aggregation, Fact, Neighbour, Origin, Problem
from inkov.readers.ledger import Part, Piece, Unread
from inkov.readers.linux_device import Member, Netdev, build
from inkov.readers.lldpd import neighbours_of

__all__ = ["assemble", "is_list", "read_list"]


class SlaveData(Struct):
    cost: int | None = None
    priority: int | None = None
    isolated: bool | None = None
    guard: bool | None = None


class InfoData(Struct):
    id: int | None = None
    protocol: str | None = None
    vlan_filtering: int | None = None
    vlan_default_pvid: int | None = None
    vlan_protocol: str | None = None
    stp_state: int | None = None
    priority: int | str | None = None
    mode: int | str | None = None


class LinkInfo(Struct):
    info_kind: str = ""
    info_data: InfoData | None = None
    info_slave_data: SlaveData | None = None


class AddressInfo(Struct):
    family: str = ""
    local: str = ""
    prefixlen: int = 0
    scope: str = ""


class VlanRange(Struct):
    vlan: int = 0
    vlanEnd: int | None = None  # noqa: N815 - as the tool spells it
    flags: list[str] = []


class Entry(Struct):
    """One object of any of the lists; which of its members are there tells which list it is."""

    ifname: str = ""
    link: str | None = None
    link_type: str | None = None
    flags: list[str] = []
    mtu: int | None = None
    master: str | None = None
    ifalias: str | None = None
    linkinfo: LinkInfo | None = None
    addr_info: list[AddressInfo] | None = None
    vlans: list[VlanRange] | None = None
    state: str | None = None
    cost: int | None = None
    priority: int | None = None
    isolated: bool | None = None
    guard: bool | None = None


def is_list(head: bytes) -> bool:
    """True if it can be one of these lists: JSON that opens a bracket and names interfaces."""
    return head.lstrip(b"\xef\xbb\xbf \t\r\n")[:1] == b"[" and b'"ifname"' in head


def read_list(file: str, data: bytes) -> tuple[Part, int, str]:
    """Read one list: a part with one piece, how many entries it holds, and which list it is.

    msgspec.DecodeError if it is not JSON of this shape.
    """
    entries: list[Entry] = []
    problems: list[Problem] = []
    unmatched: list[Unread] = []
    for index, raw in enumerate(
        msgspec.json.decode(data.removeprefix(b"\xef\xbb\xbf"), type=list[msgspec.Raw])
    ):
        try:
            entries.append(msgspec.json.decode(raw, type=Entry))
        except msgspec.ValidationError as error:
            entries.append(Entry())  # keeps the places of those after it
            says, _, where = str(error).partition(" - at `$")
            if bytes(raw).strip() != b"{}":
                pointer = f"/{index}" + where.rstrip("`").replace(".", "/").replace(
                    "[", "/"
                ).replace("]", "")
                problems.append(
                    Problem(
                        Origin(file, pointer=pointer), f"wrong type: {says}; the entry is left out"
                    )
                )
                unmatched.append(Unread(Origin(file, pointer=pointer), f"entry {index + 1}"))
    if any(entry.vlans is not None for entry in entries):
        kind = "bridge vlan"
    elif any(entry.addr_info is not None for entry in entries):
        kind = "ip addr"
    elif any(entry.link_type is not None for entry in entries):
        kind = "ip link"
    else:
        kind = "bridge link"
    part = Part(
        problems=problems, unmatched=unmatched, pieces=[Piece("linux", kind, file, entries)]
    )
    part.passed = sum("LOOPBACK" in entry.flags for entry in entries)
    return part, sum(1 for entry in entries if entry.ifname) - part.passed, kind


_ORDER = ["ip link", "ip addr", "bridge link", "bridge vlan"]


def assemble(name: str, origin: Origin, pieces: list[Piece]) -> Part:
    """One system of its pieces."""
    part = Part()
    netdevs: dict[str, Netdev] = {}
    for piece in sorted(
        (p for p in pieces if p.kind in _ORDER), key=lambda p: (_ORDER.index(p.kind), p.file)
    ):
        for index, entry in enumerate(piece.content):
            if entry.ifname:
                _add(netdevs, entry, piece, f"/{index}", part.problems)
    for netdev in netdevs.values():
        if (
            netdev.kind == "veth" and netdev.link is not None and netdev.link.value in netdevs
        ):  # both ends are here
            part.neighbours.append(
                Neighbour(name, netdev.name, name, netdev.link.value, netdev.link.origin)
            )
    if netdevs:
        part.devices.append(build(name, origin, netdevs, part.problems))
    for piece in pieces:
        if piece.kind == "lldp":
            part.neighbours += [
                Neighbour(name, port, far, far_port, at, about)
                for port, far, far_port, at, about in neighbours_of(
                    piece.content, piece.file, part.problems
                )
            ]
    return part


def _add(
    netdevs: dict[str, Netdev], entry: Entry, piece: Piece, path: str, problems: list[Problem]
) -> None:
    def fact(value: Any, pointer: str) -> Any:
        return (
            None if value is None else Fact(value, Origin(piece.file, pointer=f"{path}/{pointer}"))
        )

    name = entry.ifname.partition("@")[0]
    if piece.kind == "bridge vlan":
        netdev = netdevs.setdefault(name, Netdev(name, Origin(piece.file, pointer=path)))
        netdev.members = netdev.members or {}
        for index, span in enumerate(entry.vlans or ()):
            origin = Origin(piece.file, pointer=f"{path}/vlans/{index}")
            last = span.vlanEnd or span.vlan
            if not 1 <= span.vlan <= last <= 4094:
                problems.append(
                    Problem(origin, f"{span.vlan}-{last} are no VLAN numbers (1 to 4094); left out")
                )
                continue
            for vid in range(span.vlan, last + 1):
                netdev.members[vid] = Member(
                    "PVID" in span.flags, "Egress Untagged" in span.flags, origin
                )
        return
    netdev = netdevs.setdefault(name, Netdev(name, Origin(piece.file, pointer=path)))
    info = entry.linkinfo or LinkInfo()
    data, slave = info.info_data or InfoData(), info.info_slave_data or SlaveData()
    if entry.link_type == "loopback" or "LOOPBACK" in entry.flags:
        netdev.kind = "loopback"
    elif info.info_kind:
        netdev.kind = info.info_kind
    if entry.flags:
        netdev.enabled = netdev.enabled or fact("UP" in entry.flags, "flags")
    netdev.mtu = netdev.mtu or fact(entry.mtu, "mtu")
    netdev.about = netdev.about or fact(entry.ifalias, "ifalias")
    netdev.master = netdev.master or fact(entry.master, "master")
    netdev.link = netdev.link or fact(entry.link, "link")
    inner, outer = "linkinfo/info_data", "linkinfo/info_slave_data"
    if netdev.kind == "vlan" and data.id is not None:
        netdev.vid = fact(data.id, f"{inner}/id") if 1 <= data.id <= 4094 else None
    for protocol in (data.vlan_protocol if data.vlan_filtering else None, data.protocol):
        if protocol not in (None, "802.1Q") and netdev.kind in ("bridge", "vlan"):
            says = f"{name} uses {protocol} tags: these are read as if they were those of 802.1Q"
            problems.append(Problem(Origin(piece.file, pointer=f"{path}/{inner}"), says))
    if netdev.kind == "bridge" and data.vlan_filtering is not None:
        netdev.filtering = fact(bool(data.vlan_filtering), f"{inner}/vlan_filtering")
        netdev.default_pvid = Fact(
            data.vlan_default_pvid or None, Origin(piece.file, pointer=f"{path}/{inner}")
        )
        if data.stp_state is not None:
            netdev.stp = fact(bool(data.stp_state), f"{inner}/stp_state")
        netdev.priority = (
            fact(data.priority, f"{inner}/priority") if isinstance(data.priority, int) else None
        )
    if netdev.kind == "bond":
        lacp = data.mode in (4, "802.3ad")
        netdev.aggregation = fact(
            Aggregation.ACTIVE if lacp else Aggregation.STATIC, f"{inner}/mode"
        )
    netdev.cost = netdev.cost or fact(slave.cost, f"{outer}/cost") or fact(entry.cost, "cost")
    netdev.isolated = (
        netdev.isolated
        or fact(slave.isolated, f"{outer}/isolated")
        or fact(entry.isolated, "isolated")
    )
    netdev.bpdu_guard = (
        netdev.bpdu_guard or fact(slave.guard, f"{outer}/guard") or fact(entry.guard, "guard")
    )
    netdev.port_priority = netdev.port_priority or fact(slave.priority, f"{outer}/priority")
    known = {address.value for address in netdev.addresses}
    for index, address in enumerate(entry.addr_info or ()):
        if address.scope == "link" or not address.local:
            continue
        try:
            found = ip_interface(f"{address.local}/{address.prefixlen}")
        except ValueError:
            origin = Origin(piece.file, pointer=f"{path}/addr_info/{index}")
            problems.append(
                Problem(
                    origin, f"{address.local}/{address.prefixlen} is not an address; it is left out"
                )
            )
            continue
        if found not in known:
            netdev.addresses.append(fact(found, f"addr_info/{index}"))
