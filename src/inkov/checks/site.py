"""What a check may look at: fabric, plan, and what several checks want worked out once."""

from __future__ import annotations

from collections import Counter
from functools import cached_property
from operator import attrgetter
from typing import Literal, NamedTuple

from inkov.campus import Device, Fact, Mode, Origin, Port, natural
from inkov.checks.places import Places, Where
from inkov.checks.tree_cuts import TreeCut, cut_by_tree, losses_that_cut, missed
from inkov.forwarding import Fabric, Resolved
from inkov.forwarding.areas import areas, by_area
from inkov.forwarding.assumptions import nameless
from inkov.forwarding.domains import Break, Domains, Island, breaks, domains, islands
from inkov.forwarding.needed import needed, perhaps_needed
from inkov.forwarding.outlets import inside_only, outside_name, passing_as
from inkov.forwarding.serve import facing_routers, served_by_device
from inkov.forwarding.stations import Interface, interfaces
from inkov.forwarding.trees.active import Now, are_stated, now
from inkov.forwarding.trees.losses import Cut, Losses
from inkov.plan import Plan, PlanFile
from inkov.vlanset import VlanSet, bits, union
from inkov.wiring import End, Link

__all__ = ["DEFAULT_VID", "EVERYTHING", "Joined", "Site"]

DEFAULT_VID = 1
"""IEEE 802.1Q, Table 9-2: the default PVID."""
EVERYTHING = VlanSet.all()

_RARE = (
    "voice_vlan",
    "negotiation",
    "edge",
    "guard",
    "bpdu_guard",
    "mtu",
    "speed",
    "protected",
    "registration",
    "prunable",
    "aggregation",
    "native_vlan",
    "untagged",
    "bundle",
    "primary",
    "secondaries",
    "native_tagged",
)


class Joined(NamedTuple):
    """A link that is up: its number in the wiring, and both ends resolved."""

    number: int
    link: Link
    a: Resolved
    b: Resolved


class Site:
    """The resolved campus and what is intended."""

    def __init__(self, fabric: Fabric, plan: Plan | None = None) -> None:
        self.fabric = fabric
        self.places = Places(fabric)
        self.plan: PlanFile = (plan or Plan()).says
        self.wanted = (plan or Plan()).wanted(fabric.campus.devices)
        self.planned_switches = (plan or Plan()).switches

    @cached_property
    def devices(self) -> list[Device]:
        """The switches in natural order."""
        return sorted(self.fabric.campus.devices.values(), key=lambda device: natural(device.name))

    @cached_property
    def domains(self) -> Domains:
        return domains(self.fabric)

    @cached_property
    def now(self) -> Now | None:
        """What forwards now, by the spanning trees; None where no switch says anything of one."""
        # A guard against bridges says that trees are there, even if none is stated.
        told = are_stated(self.fabric) or self.stating("bpdu_guard")
        return now(self.fabric) if told else None

    @cached_property
    def cut_by_tree(self) -> dict[int, TreeCut]:
        """Link -> what is cut now since the tree takes it."""
        return cut_by_tree(self.fabric, self.domains, self.now, self.shared)

    @cached_property
    def _losses(self) -> tuple[Losses, list[Cut]] | None:
        return losses_that_cut(self.fabric, self.now)

    def missed(self, link: Link, vlans: int) -> Cut | Literal[False] | None:
        """Of single losses the one that cuts most off that a link would save if it passed some
        VLANs; False if it would save nobody, None where that is not sure.
        """
        # It is not sure what forwards, so nothing is known of losses.
        if self._losses is None:
            return None
        return missed(*self._losses, link, vlans) or False

    @cached_property
    def area(self) -> dict[str, str]:
        """For each device the one that its area of layer 2 is called after (FM 6.7)."""
        return areas(self.fabric)

    @cached_property
    def faced(self) -> dict[int, set[tuple[str, int, str]]]:
        """For the inside of each routed port that is linked to switches: their area, the VID that
        it is in there, and what a gateway in that VLAN is called.
        """
        known: dict[int, set[tuple[str, int, str]]] = {}
        for facing in facing_routers(self.fabric):
            area = self.area[self.fabric.bridges[facing.bridge].device]
            vlan = area, facing.vid, f"VLAN {facing.vid}"
            known.setdefault(facing.inside, set()).add(vlan)
        return known

    def vlans_of(self, interface: Interface) -> set[int]:
        """The VLANs that a routed interface is in, as switches have them; none of a routed port
        that is linked to none.
        """
        own = {interface.vlan} if interface.vlan is not None else set()
        return own or {vid for _, vid, _ in self.faced.get(interface.bridge, ())}

    @cached_property
    def _parts(self) -> dict[int, list[list[Island]]]:
        """For each VLAN number the islands of each VLAN that has it: one in each area."""
        return {
            vid: list(by_area(self.fabric, self.area, split).values())
            for vid, split in islands(self.fabric, self.domains)
        }

    @cached_property
    def island_counts(self) -> dict[int, int]:
        """VLAN -> in how many islands it is, of all VLANs that have the number together."""
        return {vid: sum(map(len, parts)) for vid, parts in self._parts.items()}

    @cached_property
    def split(self) -> int:
        """The VIDs that stand for a VLAN in several islands, as a mask."""
        return union(
            1 << vid for vid, parts in self._parts.items() if any(len(part) > 1 for part in parts)
        )

    @cached_property
    def breaks(self) -> dict[int, list[Break]]:
        """For each VLAN in several islands, where it stops between the largest and each other one
        (FM 6.6).
        """
        gaps: dict[int, list[Break]] = {}
        for vid, parts in self._parts.items():
            for split in parts:
                # Parts that may go on where nothing is known are perhaps one.
                if len(split) > 1 and sum(self._goes_on(vid, island) for island in split) < 2:
                    gaps.setdefault(vid, []).extend(breaks(self.fabric, self.domains, vid, split))
        return gaps

    def _goes_on(self, vid: int, island: Island) -> bool:
        """True if an island may go on where nothing is known."""
        return any(
            inside.device in self.beside_unknown and self.domains.of(number, vid) == island.domain
            for number, inside in enumerate(self.fabric.bridges)
        )

    @cached_property
    def served(self) -> dict[str, int]:
        return served_by_device(self.fabric)

    @cached_property
    def served_anywhere(self) -> int:
        """The VIDs with a host port or a gateway on any switch, as a mask."""
        return union(self.served.values())

    @cached_property
    def needs(self) -> list[int]:
        """For each link the VIDs it needs, as a mask (FM 6.4)."""
        return needed(self.fabric, self.wanted)

    @cached_property
    def private(self) -> int:
        """The VIDs that some switch has as a primary or a secondary VLAN, as a mask: they belong
        together.
        """
        rows = [row for device in self.devices for row in (device.vlans or {}).values()]
        return union(
            1 << row.vid | (row.secondaries.value.bits if row.secondaries is not None else 0)
            for row in rows
            if row.private is not None or row.secondaries is not None
        )

    @cached_property
    def perhaps_needs(self) -> list[int]:
        """The same, where a trunk that is left at everything may have anybody behind it, and a
        routed port an address that was not read.
        """
        return perhaps_needed(self.fabric, self.wanted, self.needs)

    @cached_property
    def every_port(self) -> list[Resolved]:
        """All ports in natural order, also those that are shut or in a bundle."""
        rank = {device.name: number for number, device in enumerate(self.devices)}
        return sorted(
            (r for r in self.fabric.ports.values() if not r.stated.implied),
            key=lambda r: (rank[r.end.device], natural(r.end.port)),
        )

    @cached_property
    def ports(self) -> list[Resolved]:
        """Every port that is up and forwards by itself, in natural order; not those whose source
        does not tell what they do.
        """
        return [resolved for resolved in self.every_port if resolved.up and resolved.known]

    @cached_property
    def host_ports(self) -> list[Resolved]:
        """Those of them with nobody known at the far end: whoever is there counts as a host
        (FM 4.6).
        """
        fabric, of = self.fabric, self.fabric.wiring.of
        subs = {
            End(port.end.device, port.port)
            for port in fabric.bridge_ports
            if port.outer and port.end in of  # what is behind a link is not theirs
        }
        return [
            r
            for r in self.ports
            if r.end not in of and r.mode is not Mode.ROUTED and r.end not in subs
        ]

    @cached_property
    def default_inside(self) -> set[End]:
        """The ends of bridges whose VLAN 1 is a name inside, and another one outside (FM 6.8)."""
        fabric = self.fabric
        inside = {bridge for bridge, vids in inside_only(fabric).items() if vids >> DEFAULT_VID & 1}
        return {
            End(port.end.device, port.port)
            for bridge in inside
            for port in (fabric.bridge_ports[number] for number in fabric.bridges[bridge].ports)
            if outside_name(fabric, bridge, DEFAULT_VID) != DEFAULT_VID
        }

    @cached_property
    def described(self) -> list[tuple[Resolved, Fact[str]]]:
        """The ports with a description."""
        return [(r, about) for r in self.every_port if (about := r.stated.description) is not None]

    @cached_property
    def _by_mode(self) -> dict[Mode, list[Resolved]]:
        by_mode: dict[Mode, list[Resolved]] = {mode: [] for mode in Mode}
        for resolved in self.ports:
            by_mode[resolved.effective_mode].append(resolved)
        return by_mode

    @cached_property
    def access_ports(self) -> list[Resolved]:
        return self._by_mode[Mode.ACCESS]

    @cached_property
    def access_hosts(self) -> list[Resolved]:
        """The access ports with nobody known at the far end."""
        of = self.fabric.wiring.of
        return [r for r in self.access_ports if r.end not in of]

    @cached_property
    def general_ports(self) -> list[Resolved]:
        return self._by_mode[Mode.GENERAL]

    @cached_property
    def put_into(self) -> dict[str, int]:
        """The VIDs, as a mask, that the access ports of each switch put somebody into, whether it
        has them or not; also where another switch is at the other end.
        """
        masks: dict[str, int] = {}
        for resolved in self.access_ports:
            name = resolved.end.device
            masks[name] = masks.get(name, 0) | 1 << resolved.access
        for resolved in self.stating("voice_vlan"):
            if resolved.up and resolved.completed.voice_vlan:
                name = resolved.end.device
                masks[name] = masks.get(name, 0) | 1 << resolved.completed.voice_vlan
        return masks

    @cached_property
    def trunks(self) -> list[Resolved]:
        return self._by_mode[Mode.TRUNK]

    @cached_property
    def links(self) -> list[Joined]:
        """The links that are up, with both ends known."""
        wiring = self.fabric.wiring
        return [
            Joined(number, link, self.resolved(link.a), self.resolved(link.b))
            for number, link in enumerate(wiring.links)
            if self.fabric.link_up[number] and not self._unknown_end(link)
        ]

    def _unknown_end(self, link: Link) -> bool:
        return not (self.resolved(link.a).known and self.resolved(link.b).known)

    @cached_property
    def beside_unknown(self) -> set[str]:
        """The devices with ports whose source does not tell what they do, and those linked to such
        ports: what seems to end there may go on.
        """
        fabric = self.fabric
        ends = [
            end
            for resolved in fabric.ports.values()
            if not resolved.known
            for end in (
                resolved.end,
                *(link.far(resolved.end) for link in fabric.wiring.of.get(resolved.end, ())),
            )
        ]
        return {end.device for end in ends}

    @cached_property
    def shut_ways(self) -> dict[str, list[Link]]:
        """For each switch that no link leads to any more: its links that are shut."""
        up: set[str] = set()
        down: dict[str, list[Link]] = {}
        for number, link in enumerate(self.fabric.wiring.links):
            # A cable from a switch to itself leads nowhere.
            for end in (link.a, link.b) if link.a.device != link.b.device else ():
                if self.fabric.link_up[number]:
                    up.add(end.device)
                else:
                    down.setdefault(end.device, []).append(link)
        return {name: links for name, links in down.items() if name not in up}

    @cached_property
    def trunk_links(self) -> list[Joined]:
        """Those of them with a trunk at both ends."""
        return [
            joined
            for joined in self.links
            if joined.a.effective_mode is joined.b.effective_mode is Mode.TRUNK
        ]

    @cached_property
    def interfaces(self) -> list[Interface]:
        """Every routed interface (FM 5.1), by device and VLAN."""
        return sorted(
            interfaces(self.fabric), key=lambda i: (natural(i.device), i.vid, natural(i.name))
        )

    @cached_property
    def interfaces_in(self) -> dict[int, list[Interface]]:
        """The routed interfaces by the broadcast domains they hear: their own, and those of the
        secondaries of a primary VLAN.
        """
        by_domain: dict[int, list[Interface]] = {}
        for interface in self.interfaces:
            heard = bits(interface.hears) if interface.bridge >= 0 else ()
            labels = (self.domains.of(interface.bridge, vid) for vid in heard)
            for label in dict.fromkeys(labels):
                # A VLAN that nothing passes is in no domain.
                if label >= 0:
                    by_domain.setdefault(label, []).append(interface)
        return by_domain

    @cached_property
    def trunk_groups(self) -> list[list[Resolved]]:
        """The trunk ends that are up, those of one link together."""
        done: set[End] = set()
        groups = []
        for resolved in self.trunks:
            if resolved.end not in done:
                fars = [
                    self.resolved(link.far(resolved.end))
                    for link in self.fabric.wiring.of.get(resolved.end, ())
                ]
                group = [
                    resolved,
                    *(
                        f
                        for f in fars
                        if f.effective_mode is Mode.TRUNK and f.up and f.end not in done
                    ),
                ]
                done.update(r.end for r in group)
                groups.append(group)
        return groups

    @cached_property
    def shared(self) -> list[int]:
        """For each link the VIDs that cross it both ways under one number, as a mask; at a
        sub-interface its tag counts (FM 6.8).
        """
        ways: list[dict[End, int]] = [{} for _ in self.fabric.wiring.links]
        for sender, crossings in self.fabric.crossings.items():
            port = self.fabric.bridge_ports[sender]
            for crossing in crossings:
                # Shared wires have numbers beyond the links: they are no link's.
                if crossing.link < len(ways):
                    way = ways[crossing.link]
                    passing = passing_as(self.fabric, port, crossing)
                    way[port.end] = way.get(port.end, 0) | passing
        links = self.fabric.wiring.links
        return [
            way.get(link.a, 0) & way.get(link.b, 0) for way, link in zip(ways, links, strict=True)
        ]

    @cached_property
    def link_numbers(self) -> dict[End, list[int]]:
        """The numbers of the links at an end."""
        numbers: dict[End, list[int]] = {}
        for number, link in enumerate(self.fabric.wiring.links):
            for end in dict.fromkeys((link.a, link.b)):
                numbers.setdefault(end, []).append(number)
        return numbers

    def odd_neighbours(self, decided_at: dict[str, str]) -> list[tuple[str, list[str]]]:
        """Of linked switches that say different things: the one whose word fewer say, with the
        neighbours that say another, those of one other word together.
        """
        count = Counter(decided_at.values())
        neighbours: dict[tuple[str, str], list[str]] = {}
        for _, link, _, _ in self.links:
            a, b = link.a.device, link.b.device
            if a in decided_at and b in decided_at and decided_at[a] != decided_at[b]:
                # The word that fewer say is the odd one; of two that are said as often, the second.
                odd, other = (a, b) if count[decided_at[a]] < count[decided_at[b]] else (b, a)
                kept = neighbours.setdefault((odd, decided_at[other]), [])
                kept += [other] if other not in kept else []
        return [(odd, others) for (odd, _), others in neighbours.items()]

    def in_use(self, resolved: Resolved) -> bool:
        """False for a port whose links all end at ports that are shut."""
        numbers = self.link_numbers.get(resolved.end)
        return numbers is None or any(self.fabric.link_up[number] for number in numbers)

    @cached_property
    def _stating(self) -> dict[str, list[Resolved]]:
        stating: dict[str, list[Resolved]] = {name: [] for name in _RARE}
        facts = attrgetter(*_RARE)
        nothing = (None,) * len(_RARE)
        for resolved in self.every_port:
            stated = facts(resolved.stated)
            # Most ports state none of these.
            if stated != nothing:
                for name, fact in zip(_RARE, stated, strict=True):
                    if fact is not None:
                        stating[name].append(resolved)
        return stating

    def stating(self, attribute: str) -> list[Resolved]:
        """The ports, up or not, whose configuration states an attribute that few ports state."""
        return self._stating[attribute]

    @cached_property
    def outside(self) -> set[End]:
        """The ports at which something is heard that is not among the files."""
        return {self.fabric.end_of(*report.near) for report in self.fabric.wiring.outside}

    @cached_property
    def hosts_at(self) -> dict[End, list[str]]:
        """The named hosts at a port."""
        hosts: dict[End, list[str]] = {}
        for host in self.fabric.campus.hosts:
            hosts.setdefault(End(host.device, host.port), []).append(host.name)
        return hosts

    @cached_property
    def unfiled(self) -> dict[str, list[Where]]:
        """The switches that tables and neighbours name and no file describes, each with the places
        that name it. A neighbour counts where a port sends it several VLANs: others are hosts.
        """
        wiring, campus = self.fabric.wiring, self.fabric.campus
        places: dict[str, list[Where]] = {}
        for name, origin in self.planned_switches:
            if name not in campus.devices:
                places.setdefault(name, []).append(Where("", None, None, origin))
        for host in campus.hosts:
            if host.device not in campus.devices:
                places.setdefault(host.device, []).append(Where("", None, None, host.origin))
        for stray in wiring.strays:
            if stray.near.device not in campus.devices:
                places.setdefault(stray.near.device, []).append(Where("", None, None, stray.origin))
        cabled = {cable.origin for cable in campus.cables}
        for outside in wiring.outside:
            near = self.resolved(self.fabric.end_of(*outside.near))
            tagged = near.view.emit & ~near.view.untagged
            if nameless(self.fabric, outside):
                continue  # it may well be among them
            # From a cabling table it is a switch; a neighbour is one if it gets several VLANs.
            if outside.origin in cabled or tagged.bit_count() > 1:
                where = Where(*outside.near, None, outside.origin)
                places.setdefault(outside.far, []).append(where)
        return places

    @cached_property
    def not_understood(self) -> dict[tuple[str, str], Origin]:
        """The ports with a line among their own that was not understood: (switch, port) -> the
        first one. Lines of a port are those between the first and the last that say something of
        it, and the one below.
        """
        by_file: dict[str, list[Origin]] = {}
        for origin, _ in self.fabric.campus.unmatched:
            # Places in JSON have no lines that could be between others.
            if origin.line and not origin.pointer:
                by_file.setdefault(origin.file, []).append(origin)
        places: dict[tuple[str, str], Origin] = {}
        for resolved in self.every_port if by_file else ():
            port = resolved.stated
            lines = by_file.get(port.origin.file, ())
            if not lines:
                continue
            stated = (getattr(port, name) for name in port.__struct_fields__)
            last = max(
                fact.origin.line
                for fact in (port, *stated)
                if isinstance(fact, Fact | Port) and fact.origin.file == port.origin.file
            )
            # The line below may go on with what the port says.
            inside = [o for o in lines if port.origin.line < o.line <= last + 1]
            if inside:
                places[resolved.end.device, resolved.end.port] = inside[0]
        return places

    def hosts_in(self, vid: int, switches: set[str]) -> list[str]:
        """The named hosts at ports of some switches that are members of a VLAN."""
        return [
            name
            for end, names in self.hosts_at.items()
            if end.device in switches
            and end in self.fabric.ports
            and self.fabric.ports[end].view.emit >> vid & 1
            for name in names
        ]

    def defined(self, device: str) -> VlanSet | None:
        """The VLANs a switch's table lists; None without a table."""
        return self._defined[device]

    @cached_property
    def _defined(self) -> dict[str, VlanSet | None]:
        return {
            d.name: None if d.vlans is None else VlanSet.from_vids(d.vlans) for d in self.devices
        }

    def resolved(self, end: End) -> Resolved:
        return self.fabric.ports[end]
