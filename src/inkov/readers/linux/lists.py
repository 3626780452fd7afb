"""Linux systems by the JSON of their tools: `ip -j -d link`, `ip -j -d addr`, `bridge -j vlan
show`, `bridge -j link`.

None of these says whose it is, and each holds a part: a file becomes a *piece*, and the pieces of
one system (of one folder, or of one name before the first dot: `aviary-1.link.json`,
`aviary-1.vlan.json`) are put together by `assemble`.
"""

from __future__ import annotations

import re
from ipaddress import ip_interface
from typing import Any

import msgspec
from msgspec import Struct

from inkov.campus import Fact, Neighbour, Origin, Problem, TreeState, address_text
from inkov.readers.json_errors import not_json
from inkov.readers.linux.device import Member, Netdev, bond_mode, build
from inkov.readers.linux.lldpd import neighbours_of
from inkov.readers.reading import Part, Piece, Reading, Unread, as_utf8

__all__ = ["assemble", "read", "recognise"]


_HEX = re.compile(r"0x[0-9a-fA-F]{1,4}\Z")


class SlaveData(Struct):
    cost: int | None = None
    priority: int | None = None
    isolated: bool | None = None
    guard: bool | None = None
    state: str | None = None
    no: int | str | None = None


class InfoData(Struct):
    id: int | None = None
    protocol: str | None = None
    vlan_filtering: int | None = None
    vlan_default_pvid: int | None = None
    vlan_protocol: str | None = None
    stp_state: int | None = None
    priority: int | str | None = None
    bridge_id: str | None = None
    root_id: str | None = None
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
    mcast_snooping: int | None = None
    mcast_querier: int | None = None
    vlanEnd: int | None = None  # noqa: N815 - as the tool spells it
    flags: list[str] = []


class Listed(Struct):
    """One object of any of the lists; which of its members are there tells which list it is."""

    ifname: str = ""
    link: str | None = None
    link_type: str | None = None
    link_netnsid: int | None = None
    operstate: str | None = None
    mac: str | None = None
    address: str | None = None
    ifindex: int | None = None
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


def recognise(head: bytes) -> bool:
    """True if it can be one of these lists: JSON that opens a bracket and names interfaces."""
    return head.lstrip(b"\xef\xbb\xbf \t\r\n")[:1] == b"[" and b'"ifname"' in head


def read(file: str, data: bytes, *, account: bool) -> Reading:
    """Read one list: a piece of a system, for `assemble`."""
    data, not_utf8 = as_utf8(file, data)
    try:
        raws = msgspec.json.decode(data, type=list[msgspec.Raw])
    except (msgspec.DecodeError, RecursionError) as error:
        return not_json(file, data, error)
    reading = Reading(Part(problems=not_utf8))
    entries = [_decoded(file, index, raw, reading) for index, raw in enumerate(raws)]
    kind = _kind(entries)
    # These lists say nothing of which frames go where, and are told as that.
    if kind in _PASSED:
        reading.ledger.passed = len(entries)
        reading.detail, reading.remark = f"Linux, {kind}", _PASSED[kind]
        return reading
    # Everything that matters is missing, so that a switch made of it would look isolated.
    if kind == "brief list":
        says = "a brief list tells neither bridges nor VLANs"
        cure = "print it with `ip -j -d link`"
        reading.part.problems.append(Problem(Origin(file), says, cure))
        reading.ledger.unmatched.append(Unread(Origin(file), says, len(entries), ours=True))
        reading.detail = f"Linux, {kind}"
        return reading
    reading.part.pieces.append(Piece("linux", kind, file, entries))
    reading.ledger.passed = sum("LOOPBACK" in entry.flags for entry in entries)
    named = sum(1 for entry in entries if entry.ifname)
    reading.ledger.understood = named - reading.ledger.passed
    reading.detail = f"Linux, {kind}"
    return reading


def _decoded(file: str, index: int, raw: msgspec.Raw, reading: Reading) -> Listed:
    """One entry; an empty one, which keeps the places of those after it, if it has a wrong type."""
    try:
        return msgspec.json.decode(raw, type=Listed)
    except msgspec.ValidationError as error:
        says, _, where = str(error).partition(" - at `$")
        # An empty object stands for an interface that went away while the list was printed.
        if bytes(raw).strip() != b"{}":
            inner = where.rstrip("`").replace(".", "/").replace("[", "/").replace("]", "")
            origin = Origin(file, pointer=f"/{index}{inner}")
            problem = Problem(origin, f"wrong type: {says}; the entry is left out")
            reading.part.problems.append(problem)
            reading.ledger.unmatched.append(Unread(origin, f"entry {index + 1}"))
        return Listed()


def _kind(entries: list[Listed]) -> str:
    """Which tool printed the list: the members that its entries have tell."""
    # Each list has members that no other has; the order goes from the rarest.
    if any(entry.mac is not None for entry in entries):
        return "bridge fdb"
    if any(
        span.mcast_snooping is not None or span.mcast_querier is not None
        for entry in entries
        for span in entry.vlans or ()
    ):
        return "bridge vlan global"
    if any(entry.vlans is not None for entry in entries):
        return "bridge vlan"
    if any(entry.addr_info is not None for entry in entries):
        return "ip addr"
    if any(entry.link_type is not None for entry in entries):
        return "ip link"
    if any(entry.state is not None or entry.master is not None for entry in entries):
        return "bridge link" if any(entry.state for entry in entries) else "ip link"
    return "brief list"


_PASSED = {
    "bridge fdb": "learnt addresses: without meaning here",
    "bridge vlan global": "settings of VLANs, not who is a member: without meaning here",
}
"""Lists that say nothing of which frames go where."""


# --- from the pieces to a system ------------------------------------------------------------------

_ORDER = ["ip link", "ip addr", "bridge link", "bridge vlan"]
"""Lists that say more of an interface come first; a later list adds what is still missing."""


def assemble(name: str, origin: Origin, pieces: list[Piece]) -> Part:
    """One system of its pieces."""
    part = Part()
    netdevs: dict[str, Netdev] = {}
    listed = [piece for piece in pieces if piece.kind in _ORDER]
    # What says most comes first, and of equals the order of the files' names decides.
    for piece in sorted(listed, key=lambda piece: (_ORDER.index(piece.kind), piece.file)):
        for index, entry in enumerate(piece.content):
            if entry.ifname:
                _EntryReader(piece, f"/{index}", entry, netdevs, part.problems).read()
    _masters(netdevs)
    if any(piece.kind == "bridge vlan" for piece in listed):
        for netdev in netdevs.values():  # who is not in the list is in no VLAN
            netdev.members = {} if netdev.members is None else netdev.members
    part.neighbours += _veth_pairs(name, netdevs)
    if netdevs:
        part.devices.append(build(name, origin, netdevs, part.problems))
    for piece in pieces:
        if piece.kind == "lldp":
            for heard in neighbours_of(piece.content, piece.file, part.problems):
                part.neighbours.append(Neighbour(name, *heard))
    return part


def _masters(netdevs: dict[str, Netdev]) -> None:
    """Without details, a list does not tell what an interface is; one that others name as their
    master, and that is no bond, is a bridge. Whether it filters, nobody says then.
    """
    for netdev in list(netdevs.values()):
        master = netdevs.get(netdev.master.value) if netdev.master is not None else None
        if master is not None and not master.kind:
            master.kind = "bond" if master.bonds else "bridge"


def _veth_pairs(name: str, netdevs: dict[str, Netdev]) -> list[Neighbour]:
    """The links inside a system: pairs of veth interfaces of which both ends are here."""
    return [
        Neighbour(name, netdev.name, name, netdev.link.value, netdev.link.origin)
        for netdev in netdevs.values()
        if netdev.kind == "veth" and netdev.link is not None and netdev.link.value in netdevs
    ]


class _EntryReader:
    """Adds what one entry of a list says to the network device that it is about.

    What an earlier list has said stays: of two lists with one fact the first counts.
    """

    def __init__(
        self,
        piece: Piece,
        path: str,
        entry: Listed,
        netdevs: dict[str, Netdev],
        problems: list[Problem],
    ) -> None:
        self.piece = piece
        self.path = path
        self.entry = entry
        self.problems = problems
        self.name = entry.ifname.partition("@")[0]
        self.netdev = netdevs.setdefault(self.name, Netdev(self.name, self.at()))

    def at(self, inner: str = "") -> Origin:
        return Origin(self.piece.file, pointer=f"{self.path}/{inner}" if inner else self.path)

    def fact(self, value: Any, inner: str) -> Any:
        """A fact, or None where nothing is said."""
        return None if value is None else Fact(value, self.at(inner))

    def read(self) -> None:
        if self.piece.kind == "bridge vlan":
            self._membership()
            return
        info = self.entry.linkinfo or LinkInfo()
        self._general(info)
        self._kind_data(info.info_data or InfoData())
        self._bridge_port(info.info_slave_data or SlaveData())
        self._addresses()

    def _membership(self) -> None:
        members = self.netdev.members = self.netdev.members or {}
        for index, span in enumerate(self.entry.vlans or ()):
            origin = self.at(f"vlans/{index}")
            last = span.vlanEnd or span.vlan
            # A range without an end is one VLAN.
            if not 1 <= span.vlan <= last <= 4094:
                says = f"{span.vlan}-{last} are no VLAN numbers (1 to 4094); left out"
                self.problems.append(Problem(origin, says))
                continue
            for vid in range(span.vlan, last + 1):
                untagged = "Egress Untagged" in span.flags
                members[vid] = Member("PVID" in span.flags, untagged, origin)

    def _general(self, info: LinkInfo) -> None:
        entry, netdev = self.entry, self.netdev
        if entry.link_type == "loopback" or "LOOPBACK" in entry.flags:
            netdev.kind = "loopback"
        elif info.info_kind:
            netdev.kind = info.info_kind
        # An interface that lists no flags (with `bridge link`, some) says nothing of being up.
        if entry.flags:
            netdev.enabled = netdev.enabled or self.fact("UP" in entry.flags, "flags")
        netdev.mtu = netdev.mtu or self.fact(entry.mtu, "mtu")
        netdev.about = netdev.about or self.fact(entry.ifalias, "ifalias")
        netdev.master = netdev.master or self.fact(entry.master, "master")
        netdev.bonds = netdev.bonds or "MASTER" in entry.flags
        if self.piece.kind == "ip link" and entry.link_netnsid is None:
            # What stands in another namespace may have the same name as something here.
            netdev.link = netdev.link or self.fact(entry.link, "link")

    def _kind_data(self, data: InfoData) -> None:
        """What is said by kind: a VLAN's tag, a bridge's filtering, a bond's mode."""
        netdev, inner = self.netdev, "linkinfo/info_data"
        if netdev.kind == "vlan" and data.id is not None:
            # A number that is none: the device is then a VLAN of nothing, which is told.
            netdev.vid = self.fact(data.id, f"{inner}/id") if 1 <= data.id <= 4094 else None
        # Provider tags (802.1ad) are not what the trunk carries: frames with them are not followed.
        for protocol in (data.vlan_protocol if data.vlan_filtering else None, data.protocol):
            if protocol not in (None, "802.1Q") and netdev.kind in ("bridge", "vlan"):
                netdev.unknown = f"{self.name} uses {protocol} tags, which are not followed"
        if netdev.kind == "bridge" and data.vlan_filtering is not None:
            netdev.filtering = self.fact(bool(data.vlan_filtering), f"{inner}/vlan_filtering")
            if data.vlan_default_pvid is not None:
                # No default PVID at all is spelled 0.
                netdev.default_pvid = Fact(data.vlan_default_pvid or None, self.at(inner))
            if data.stp_state is not None:
                netdev.stp = self.fact(bool(data.stp_state), f"{inner}/stp_state")
            if isinstance(data.priority, int):
                netdev.priority = self.fact(data.priority, f"{inner}/priority")
            netdev.address = self._identifier(data.bridge_id, f"{inner}/bridge_id")
            netdev.address = netdev.address or self._identifier(self.entry.address, "address")
            netdev.root = self._identifier(data.root_id, f"{inner}/root_id")
        if netdev.kind == "bond":
            mode = bond_mode(data.mode)
            netdev.aggregation = self.fact(mode, f"{inner}/mode")

    def _bridge_port(self, slave: SlaveData) -> None:
        """What `ip link` says below `info_slave_data`, `bridge link` says in the entry itself."""
        entry, netdev, fact, inner = self.entry, self.netdev, self.fact, "linkinfo/info_slave_data"
        netdev.cost = netdev.cost or fact(slave.cost, f"{inner}/cost") or fact(entry.cost, "cost")
        netdev.isolated = (
            netdev.isolated
            or fact(slave.isolated, f"{inner}/isolated")
            or fact(entry.isolated, "isolated")
        )
        netdev.bpdu_guard = (
            netdev.bpdu_guard or fact(slave.guard, f"{inner}/guard") or fact(entry.guard, "guard")
        )
        netdev.port_priority = netdev.port_priority or fact(slave.priority, f"{inner}/priority")

        state = slave.state or entry.state
        if netdev.tree_state is None and state is not None:
            seen = TreeState.FORWARDING if state == "forwarding" else TreeState.DISCARDING
            netdev.tree_state = fact(seen, f"{inner}/state" if slave.state else "state")
        number = int(slave.no, 16) if isinstance(slave.no, str) and _HEX.match(slave.no) else None
        netdev.number = netdev.number or fact(number, f"{inner}/no")

    def _identifier(self, text: str | None, pointer: str) -> Fact[str] | None:
        """The address of a bridge identifier, `8000.2:0:0:0:0:1`, or of a device by itself."""
        try:
            return Fact(address_text((text or "").rpartition(".")[2]), self.at(pointer))
        except ValueError:
            return None

    def _addresses(self) -> None:
        known = {address.value for address in self.netdev.addresses}
        for index, address in enumerate(self.entry.addr_info or ()):
            if address.scope == "link" or not address.local:
                continue
            text, origin = f"{address.local}/{address.prefixlen}", self.at(f"addr_info/{index}")
            try:
                interface = ip_interface(text)
            except ValueError:
                problem = Problem(origin, f"{text} is not an address; it is left out")
                self.problems.append(problem)
                continue
            # `ip link` and `ip addr` may list the same address.
            if interface not in known:
                self.netdev.addresses.append(Fact(interface, origin))
