"""What a cure takes away since that is what it is for: no harm, but told.

- *The end of a leak.* Two VLANs that a mistake joined are apart. Whoever reached the other one by
  frames does so no more; nor what he got to by the routers of the other one. The latter is meant
  only where both sides have, afterwards, what their VLAN has: its gateway, if it has one anywhere.
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
from inkov.forwarding.domains import domains
from inkov.forwarding.stations import bridge_ports_at, interfaces
from inkov.levels import Layer
from inkov.vlanset import bit, union
from inkov.wiring import End

__all__ = ["Meant"]

_OF_PRIVATE_VLANS = frozenset(
    {
        *("secondary-undefined", "secondary-unassociated"),
        *("promiscuous-mapping-incomplete", "private-host-mismatch"),
    }
)
_MOVING = ("access_vlan", "pvid", "untagged", "enabled", "primary", "secondary")


class Meant:
    """What edits are for: the ends of leaks between VLANs (`joined`, a mask for each), ports that
    are `moved`, and `private` VLANs that are made whole. `after` makes the campus with them.
    """

    def __init__(
        self,
        joined: Iterable[int],
        moved: Iterable[tuple[str, str]],
        after: Callable[[], Fabric],
        private: Iterable[int] = (),
    ) -> None:
        self.joined = list(joined)
        self.moved = set(moved)
        self.private = list(private)
        self._after = after

    @classmethod
    def of(cls, findings: Iterable[Finding], after: Callable[[], Fabric]) -> Meant:
        """What the edits of some findings are for."""
        findings = list(findings)
        moved = (
            (edit.switch, edit.name)
            for one in findings
            for edit in one.edits
            if edit.kind is Kind.PORT and edit.attribute in _MOVING
        )
        breaches = (one.vlans for one in findings if one.severity is Severity.BREACH)
        private = [
            union(bit(where.vlan or 0) for where in one.where) & ~1
            for one in findings
            if one.rule in _OF_PRIVATE_VLANS
        ]
        return cls(breaches, moved, after, private)

    @cached_property
    def after(self) -> Fabric:
        """The campus with the edits."""
        return self._after()

    @cached_property
    def private_wholes(self) -> list[int]:
        """The private VLANs that are made whole, each a primary VLAN with its secondaries."""
        if not self.private:
            return []
        wholes = _private_vlans(self.after.campus)
        return [whole for whole in wholes if any(whole & vids for vids in self.private)]

    def covers(self, effect: Effect) -> bool:
        """Whether an effect is what is meant."""
        groups = effect.sources.vlans.bits, effect.targets.vlans.bits
        if any(not (groups[0] | groups[1]) & ~whole for whole in self.private_wholes):
            return True
        if effect.gained:
            return False
        seats = effect.row.sources, effect.row.targets
        if any(all((one.switch, one.port) in self.moved for one in side) for side in seats):
            return True
        for vlans in self.joined:
            if effect.layer == Layer.FRAMES:
                leaked = effect.crosses and not (groups[0] | groups[1]) & ~vlans
            else:
                # Both sides: who lost his gateway is cut off, whatever leaked at the other side.
                leaked = any(not group & ~vlans for group in groups) and all(
                    self._has_what_its_vlan_has(End(one.switch, one.port), effect.vid_of[one])
                    for side in seats
                    for one in side
                )
            if leaked:
                return True
        return False

    def _has_what_its_vlan_has(self, end: End, vid: int) -> bool:
        """Whether a seat in a VLAN reaches a gateway of it, or there is none."""
        fabric = self.after
        there = domains(fabric)

        def hub(bridge: int) -> tuple[int, int]:
            label = there.of(bridge, vid)
            return (label, -1) if label >= 0 else (-1, bridge)

        serving = [one for one in interfaces(fabric) if one.addresses and one.serves & bit(vid)]
        hubs = {hub(one.bridge) for one in serving if not one.why_down}
        # A gateway that is down by the edits is one that the VLAN has, and does not reach.
        return not serving or any(hub(port.bridge) in hubs for port in bridge_ports_at(fabric, end))


def _private_vlans(campus: Campus) -> list[int]:
    """The primary VLANs of a campus, each with all its secondaries, as masks."""
    found: dict[int, int] = {}
    for device in campus.devices.values():
        for row in (device.vlans or {}).values():
            if row.secondaries is not None:
                whole = found.get(row.vid, bit(row.vid))
                found[row.vid] = whole | row.secondaries.value.bits
    return list(found.values())
