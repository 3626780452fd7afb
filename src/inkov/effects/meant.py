"""Whether a change does what was said beforehand, and nothing else."""

from __future__ import annotations

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
        self.hosts = [
            {host.name: (host.device, host.port) for host in fabric.campus.hosts}
            for fabric in self.fabrics
        ]

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
        if only.switches and not any(fits(switch, only.switches) for switch in switches_of(edit)):
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

    def _vids_at(self, end: End) -> VlanSet:
        """The VLANs that a port takes or sends, before and after, as far as it is up."""
        mask = 0
        for fabric in self.fabrics:
            for port in fabric.bridge_ports:
                if (port.end.device, port.port) == end:
                    mask |= port.view.emit | port.view.enters()
        return VlanSet(mask)

    def is_meant(self, effect: Effect) -> bool:
        """Whether an effect as a whole is permitted."""
        # Nothing was permitted.
        if self.change is None:
            return False
        texts = self.change.gain if effect.gained else self.change.lose
        return any(
            self._covers(permission, effect)
            for text in texts
            if (permission := permitted(text)) is not None
        )

    def _covers(self, permission: Permitted, effect: Effect) -> bool:
        sources, targets = effect.row.sources, effect.row.targets
        there = self._all_in(sources, permission.source, effect) and self._all_in(
            targets, permission.target, effect
        )
        back = self._all_in(targets, permission.source, effect) and self._all_in(
            sources, permission.target, effect
        )
        # "<->" permits either direction; "->" only its own.
        if permission.both_ways:
            return there or back
        return not effect.row.both_ways and there

    def _all_in(self, names: list[SeatName], side: str, effect: Effect) -> bool:
        """Whether all of some seats are meant by a name."""
        # Everybody is meant.
        if side in ("everything", "*"):
            return True
        hosts = self.hosts[effect.gained]
        vids = vids_named(side, self.vlans[effect.gained])
        if vids is not None:
            return all(effect.vid_of.get(name, 0) in vids for name in names)
        if side in hosts:
            return all((name.switch, name.port) == hosts[side] for name in names)
        switch, _, port = side.partition(":")
        # A switch, or one of its ports.
        return all(
            fits(name.switch, [switch]) and (not port or fits(name.port, [port])) for name in names
        )


def switches_of(edit: Edit) -> list[str]:
    """The switches that an edit is about; of a cable those at its ends."""
    if edit.switch:
        return [edit.switch]
    thing = edit.after if edit.after is not None else edit.before
    # A thing of the tables: at its name, or at its ends.
    if not edit.whole:  # of a host or a planned port, known by its name
        return [edit.name.partition(":")[0]]
    ends = [getattr(thing, name, "") for name in ("device", "far_device")]
    return [end for end in ends if end] or [edit.name]
