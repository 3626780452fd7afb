"""What a cure takes away since that is what it is for: no harm, but told.

- *The end of a leak.* Two VLANs that a mistake joined are apart. Whoever reached the other one by
  frames does so no more; nor does a third VLAN that another leak keeps joined with one of the two;
  nor who got on by the routers of the other one. The latter is meant
  only where both sides have, afterwards, what their VLAN has: its gateway, if it has one anywhere;
  and where these gateways know each other no less than they did without the leak.
- *A private VLAN made whole.* Its primary VLAN and its secondaries hear each other as their kinds
  have it (RFC 5517): who is in an isolated VLAN is heard by its promiscuous ports, and no more by
  his likes.
- *A port elsewhere.* A port that the plan has in another VLAN, or that nobody is to use, does not
  reach whom it reached.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import cached_property

from inkov.campus import Campus
from inkov.checks import Finding, Severity
from inkov.edits import Kind
from inkov.effects import Effect
from inkov.forwarding import Fabric
from inkov.forwarding.domains import Domains, domains
from inkov.forwarding.reach import Sending, flood
from inkov.forwarding.stations import Interface, bridge_ports_at, interfaces
from inkov.levels import Layer, Level
from inkov.vlanset import bit, bits, union
from inkov.wiring import End

__all__ = ["Meant"]

_OF_PRIVATE_VLANS = frozenset(
    {
        *("secondary-undefined", "secondary-unassociated"),
        *("promiscuous-mapping-incomplete", "private-host-mismatch"),
        "private-port-incomplete",
    }
)
Table = tuple[str, str]  # a device, and one of its routing tables
_MOVING = ("access_vlan", "pvid", "untagged", "enabled", "primary", "secondary")


class Meant:
    """What edits are for: the ends of leaks (`apart`: the VLANs, as masks, of two sides that are to
    be apart; of a leak its VLANs twice), ports that are `moved`, and `private` VLANs that are made
    whole. `before` and `after` make the campus without them and with them.
    """

    def __init__(
        self,
        apart: Iterable[tuple[int, int]],
        moved: Iterable[tuple[str, str]],
        before: Callable[[], Fabric],
        after: Callable[[], Fabric],
        private: Iterable[int] = (),
    ) -> None:
        # A side without VLANs is apart from anything.
        self.apart = [(a, b) for a, b in apart if a and b]
        self.moved = set(moved)
        self.private = list(private)
        self._before = before
        self._after = after

    @classmethod
    def of(
        cls,
        findings: Iterable[Finding],
        before: Callable[[], Fabric],
        after: Callable[[], Fabric],
    ) -> Meant:
        """What the edits of some findings are for."""
        findings = list(findings)
        moved = (
            (edit.switch, edit.name)
            for finding in findings
            for edit in finding.edits
            if edit.kind is Kind.PORT and edit.attribute in _MOVING
        )
        leaks = [finding.vlans for finding in findings if finding.severity is Severity.BREACH]
        private = [
            union(bit(where.vlan or 0) for where in finding.where) & ~1
            for finding in findings
            if finding.rule in _OF_PRIVATE_VLANS
        ]
        return cls(zip(leaks, leaks, strict=True), moved, before, after, private)

    @cached_property
    def after(self) -> _Connected:
        """Who is one with whom with the edits."""
        return _Connected(self._after())

    @cached_property
    def before(self) -> _Connected:
        """The same without the edits. For routers VLANs of different numbers count as apart, though
        they leak.
        """
        return _Connected(self._before())

    @cached_property
    def private_wholes(self) -> list[int]:
        """The private VLANs that are made whole, each a primary VLAN with its secondaries."""
        # Most cures are about no private VLAN.
        if not self.private:
            return []
        wholes = _private_vlans(self.after.fabric.campus)
        return [whole for whole in wholes if any(whole & vids for vids in self.private)]

    def covers(self, effect: Effect) -> bool:
        """Whether an effect is what is meant."""
        groups = effect.vids
        # Between members of a private VLAN both gain and loss are as their kinds have it.
        if any(not (groups[0] | groups[1]) & ~whole for whole in self.private_wholes):
            return True
        # Otherwise what is gained is never what a cure is for.
        if effect.gained:
            return False
        seats = effect.row.sources, effect.row.targets
        # All of a side is moved elsewhere.
        if any(all((seat.switch, seat.port) in self.moved for seat in side) for side in seats):
            return True
        # Frames: between the two sides, or by a leak that ends with it.
        if effect.layer == Layer.FRAMES:
            ways = *self.apart, *((b, a) for a, b in self.apart)
            return effect.crosses and (
                any(not groups[0] & ~a and not groups[1] & ~b for a, b in ways)
                or self._ends_with_a_leak(effect)
            )
        # Packets: only where a side was one of a leak.
        leaked = any(not group & ~(a | b) for group in groups for a, b in self.apart)
        return leaked and self._routed_no_less(effect)

    def _ends_with_a_leak(self, effect: Effect) -> bool:
        """Whether two sides are apart since those are that are to be: each side is still one with
        VLANs of one of these, by another leak, and so cannot be one with the other. Who sends may
        do so one way only.
        """
        sides = [
            {(End(seat.switch, seat.port), effect.vid_of[seat]) for seat in side}
            for side in (effect.row.sources, effect.row.targets)
        ]
        hears = [self.after.numbers_at(*seat) for seat in sides[1]]
        for a, b in (*self.apart, *((b, a) for a, b in self.apart)):
            # Whoever hears has to be one with the other side.
            if all(numbers & b for numbers in hears):
                sends = [self.after.numbers_sent(*seat) for seat in sides[0]]
                # Nothing of what is sent may still get there.
                if all(numbers & a for numbers in sends) and not union(sends) & union(hears):
                    return True
        return False

    def _routed_no_less(self, effect: Effect) -> bool:
        """Whether routers do for both sides what they did for their own VLANs before."""
        tables: list[set[Table]] = []
        for side in (effect.row.sources, effect.row.targets):
            tables.append(set())
            for seat in side:
                end, vid = End(seat.switch, seat.port), effect.vid_of[seat]
                own = self.after.near(end, vid)
                # Both sides: who lost his gateway is cut off, whatever leaked at the other side. A
                # gateway that is down by the edits is one that the VLAN has, and does not reach.
                if not own and self.after.of_vlan(vid):
                    return False
                tables[-1].update(own)
        return all(
            self.after.knows(one, table) or not self.before.knows(one, table)
            for one in tables[0]
            for table in tables[1]
        )


class _Connected:
    """Who is one with whom on a campus: VLANs that leak, and routing tables (FM 5.5)."""

    def __init__(self, fabric: Fabric) -> None:
        self.fabric = fabric
        self.all = interfaces(fabric)
        self._domains: Domains = domains(fabric)
        self._sent: dict[tuple[int, int], int] = {}

    def of_vlan(self, vid: int) -> list[Interface]:
        """The gateways of a VLAN, also those that are down."""
        return [
            interface
            for interface in self.all
            if interface.addresses and interface.serves & bit(vid)
        ]

    def near(self, end: End, vid: int) -> set[Table]:
        """The routing tables of the gateways that are in the domain of a port in a VLAN."""
        own = {self._domain(port.bridge, vid) for port in bridge_ports_at(self.fabric, end)}
        return {
            (interface.device, interface.vrf)
            for interface in self.of_vlan(vid)
            # A secondary VLAN gets to the gateway by its own number, a tag by that inside.
            if not interface.why_down
            and own & {self._domain(interface.bridge, v) for v in (vid, interface.vid)}
        }

    def numbers_at(self, end: End, vid: int) -> int:
        """The VLANs, as a mask, that are one with a VLAN at a port: its own, and what leaks."""
        numbers = bit(vid)
        for port in bridge_ports_at(self.fabric, end):
            numbers |= self._numbers.get(self._domain(port.bridge, vid), 0)
        return numbers

    def numbers_sent(self, end: End, vid: int) -> int:
        """The VLANs, as a mask, that frames get into which are sent at a port in a VLAN."""
        hubs = {(port.bridge, vid) for port in bridge_ports_at(self.fabric, end)}
        return self.numbers_at(end, vid) | union(self._sent_into(hub) for hub in hubs)

    def _sent_into(self, hub: tuple[int, int]) -> int:
        """The same for what is sent on a bridge."""
        if hub not in self._sent:
            bridge, vid = hub
            spread = flood(self.fabric, [Sending(-1, bit(vid), bridge)], Level.HONEST)
            labels = {
                self._domain(reached, there)
                for reached in spread.bridges
                for there in bits(spread.present(reached))
            }
            self._sent[hub] = union(self._numbers.get(label, 0) for label in labels)
        return self._sent[hub]

    @cached_property
    def _numbers(self) -> dict[int, int]:
        """Domain -> the VLANs that are in it, as a mask."""
        masks: dict[int, int] = {}
        for vid, column in self._domains.column.items():
            for bridge, label in enumerate(self._domains.label[:, column]):
                # A VLAN that the bridge does not have is in none.
                if self.fabric.bridges[bridge].live >> vid & 1:
                    masks[int(label)] = masks.get(int(label), 0) | bit(vid)
        return masks

    def knows(self, one: Table, other: Table) -> bool:
        """Whether two routing tables know each other's networks."""
        return self._group_of.get(one, one) == self._group_of.get(other, other)

    def _domain(self, bridge: int, vid: int) -> int:
        """The domain of a VLAN on a bridge, a number below 0 if it is there alone."""
        label = self._domains.of(bridge, vid)
        return label if label >= 0 else -1 - bridge

    @cached_property
    def _group_of(self) -> dict[Table, Table]:
        """Routing table -> the first of those that hang together with it by VLANs that they share.

        In a domain that leaks, interfaces of one number share a VLAN; those without a number (of
        routed ports) share one with all, which may be too many, and is never too few.
        """
        up = [
            interface for interface in self.all if not interface.why_down and interface.bridge >= 0
        ]
        domain = {interface: self._domain(interface.bridge, interface.vid) for interface in up}
        unnumbered = {domain[interface] for interface in up if interface.vlan is None}
        in_hub: dict[tuple[int, int], list[Table]] = {}
        hubs_of: dict[Table, list[tuple[int, int]]] = {}
        for interface in up:
            number = 0 if domain[interface] in unnumbered else interface.vlan or 0
            hub, table = (domain[interface], number), (interface.device, interface.vrf)
            in_hub.setdefault(hub, []).append(table)
            hubs_of.setdefault(table, []).append(hub)
        group: dict[Table, Table] = {}
        for first in hubs_of:
            # In a group already, with another table.
            work = [] if first in group else [first]
            while work:
                table = work.pop()
                if table not in group:
                    group[table] = first
                    work += [near for hub in hubs_of[table] for near in in_hub[hub]]
        return group


def _private_vlans(campus: Campus) -> list[int]:
    """The primary VLANs of a campus, each with all its secondaries, as masks."""
    wholes: dict[int, int] = {}
    for device in campus.devices.values():
        for row in (device.vlans or {}).values():
            # Several switches may state other secondaries of one primary.
            if row.secondaries is not None:
                whole = wholes.get(row.vid, bit(row.vid))
                wholes[row.vid] = whole | row.secondaries.value.bits
    return list(wholes.values())
