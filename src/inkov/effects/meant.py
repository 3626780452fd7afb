"""Whether a change does what was said beforehand, and nothing else."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from itertools import product

from inkov.edits import Edit, Kind, vids_of
from inkov.effects.effect import Effect
from inkov.effects.side import SeatName
from inkov.forwarding import Fabric
from inkov.plan import Plan, vlan_names
from inkov.plan.change import Change, Permitted, fits, permitted
from inkov.proofs.alike import vids_named
from inkov.vlanset import VlanSet
from inkov.wiring import End

__all__ = ["Meant"]


_WORDS = ("description", "name")


Told = tuple[Fabric, Plan]


class Meant:
    """What was said beforehand: what is gained by the names after the change, what is lost by those
    before it. Without a statement, every edit may be made, and no effect is permitted.
    """

    def __init__(self, change: Change | None, old: Told, new: Told) -> None:
        self.change = change
        self.fabrics = old[0], new[0]
        self.vlans = [vlan_names(plan, fabric.campus) for fabric, plan in (old, new)]
        self.hosts = [{host.name for host in fabric.campus.hosts} for fabric in self.fabrics]

    def names_nothing(self) -> list[str]:
        """The sides of permitted effects that name nobody, before or after."""
        if self.change is None:
            return []
        sides = [
            side
            for text in (*self.change.gain, *self.change.lose)
            # A text that is no permission was refused when the plan was read.
            if (permission := permitted(text)) is not None
            for side in (permission.source, permission.target)
        ]
        return [side for side in dict.fromkeys(sides) if not self._names(side)]

    def _names(self, side: str) -> bool:
        # A host's name, or everybody.
        if side in ("everything", "*") or any(side in hosts for hosts in self.hosts):
            return True
        if any(vids_named(side, vlans) is not None for vlans in self.vlans):
            return True
        switch, _, port = side.partition(":")
        return any(
            fits(end.device, [switch]) and (not port or fits(end.port, [port]))
            for fabric in self.fabrics
            for end in fabric.ports
        )

    def may_go(self, switch: str) -> bool:
        """Whether a switch may be taken away."""
        return self.change is not None and fits(switch, self.change.gone)

    def may_edit(self, edit: Edit) -> bool:
        """Whether an edit is within `only`."""
        only = self.change.only if self.change is not None else None
        # Nothing was said of what may be edited.
        if only is None:
            return True
        # It has to be at one of the switches.
        switches = self._switches_of(edit)
        if only.switches and not any(fits(switch, only.switches) for switch in switches):
            return False
        # No VLANs were named, or it is about none.
        if only.vlans is None or edit.idle or edit.attribute in _WORDS:
            return True
        touched = vids_of(edit)
        if edit.kind is Kind.PORT:  # what is stated of a VLAN that never passes it does nothing
            passed = self._vids_at(End(edit.switch, edit.name))
            touched = passed if touched is None else touched & passed
        # What says nothing of VLANs is not within some VLANs.
        return touched is not None and touched <= only.vlans

    def _switches_of(self, edit: Edit) -> list[str]:
        """The switches that an edit is about; of a host those that it is at, of a cable those at
        its ends.
        """
        if edit.kind is Kind.HOST:
            hosts = (host for fabric in self.fabrics for host in fabric.campus.hosts)
            return [host.device for host in hosts if host.name == edit.name]
        return _ends_of(edit)

    def _vids_at(self, end: End) -> VlanSet:
        """The VLANs that a port takes or sends, before and after, as far as it is up."""
        mask = 0
        for fabric in self.fabrics:
            for port in fabric.bridge_ports:
                if (port.end.device, port.port) == end:
                    mask |= port.view.emit | port.view.enters()
        return VlanSet(mask)

    def is_meant(self, effect: Effect) -> bool:
        """Whether an effect as a whole is permitted: each of its pairs, by one permission or
        another.
        """
        # Nothing was permitted.
        if self.change is None:
            return False
        texts = self.change.gain if effect.gained else self.change.lose
        # A text that is no permission was refused when the plan was read.
        permissions = list(filter(None, map(permitted, texts)))
        belong = [
            (self._belongs(one.source, effect), self._belongs(one.target, effect))
            for one in permissions
        ]

        def sides(names: Iterable[SeatName]) -> set[tuple[_Sides, ...]]:
            """Of which side of each permission seats are: once for all that are alike."""
            return {tuple((at(name), to(name)) for at, to in belong) for name in names}

        return all(
            _permits(permissions, *pair, both_ways=effect.row.both_ways)
            for pair in product(sides(effect.row.sources), sides(effect.row.targets))
        )

    def _belongs(self, side: str, effect: Effect) -> Callable[[SeatName], bool]:
        """Tells whether a seat is meant by a name."""
        # Everybody is meant.
        if side in ("everything", "*"):
            return lambda name: True
        vids = vids_named(side, self.vlans[effect.gained])
        if vids is not None:
            return lambda name: effect.vid_of.get(name, 0) in vids
        # A host in its form, wherever its wire leads: not all that is at its port.
        if side in self.hosts[effect.gained]:
            return lambda name: side in effect.hosts_at.get(name, ())
        switch, _, port = side.partition(":")
        # A switch, or one of its ports.
        return lambda name: fits(name.switch, [switch]) and (not port or fits(name.port, [port]))


_Sides = tuple[bool, bool]
"""Whether a seat is on the first side of a permission, and whether it is on the second."""


def _permits(
    permissions: Sequence[Permitted],
    source: Sequence[_Sides],
    target: Sequence[_Sides],
    *,
    both_ways: bool,
) -> bool:
    """Whether permissions let one reach another, and if `both_ways` be reached by it; each is told
    by the sides that it is on. "<->" permits either direction, "->" only its own: for both it takes
    two of these.
    """
    there, back = set[int](), set[int]()
    for number, (permission, one, other) in enumerate(
        zip(permissions, source, target, strict=True)
    ):
        forth, turned = one[0] and other[1], one[1] and other[0]
        if permission.both_ways and (forth or turned):
            return True
        there |= {number} if forth else set()
        back |= {number} if turned else set()
    return bool(there) and (not both_ways or (bool(back) and len(there | back) > 1))


def _ends_of(edit: Edit) -> list[str]:
    """The switch that an edit is of; of a thing of the tables those at its ends."""
    if edit.switch:
        return [edit.switch]
    thing = edit.after if edit.after is not None else edit.before
    # A thing of the tables: at its name, or at its ends.
    if not edit.whole:  # of a planned port, known by its name
        return [edit.name.partition(":")[0]]
    ends = [getattr(thing, name, "") for name in ("device", "far_device")]
    return [end for end in ends if end] or [edit.name]
