"""Which VLANs an edit is about."""

from __future__ import annotations

from inkov.edits.edit import Edit, Kind
from inkov.vlanset import VlanSet

__all__ = ["vids_of"]


def vids_of(edit: Edit) -> VlanSet | None:
    """The VLANs that an edit is about: those that a set of VLANs has on one side only, the numbers
    that are stated on either. None where it is not about VLANs.
    """
    # A row is about its own VLAN.
    if edit.kind is Kind.VLAN:
        return VlanSet.of(int(edit.name))
    # A gateway's VLAN may be another one now.
    if edit.kind is Kind.GATEWAY:
        vids = {value.vid for value in (edit.before, edit.after) if hasattr(value, "vid")}
        return VlanSet.from_vids(vids) if vids else VlanSet.of(int(edit.name.split()[1]))
    sides = [
        getattr(edit.before, "value", getattr(edit.was, "value", None)),
        getattr(edit.after, "value", getattr(edit.becomes, "value", None)),
    ]
    # Lists differ in what only one of them has.
    if all(side is None or isinstance(side, VlanSet) for side in sides):
        before, after = (side if side is not None else VlanSet() for side in sides)
        return before ^ after
    # Numbers: both, what was and what is.
    if edit.attribute in _VIDS and all(side is None or isinstance(side, int) for side in sides):
        return VlanSet.from_vids(side for side in sides if side)
    return None


_VIDS = {"access_vlan", "voice_vlan", "native_vlan", "pvid", "primary", "secondary"}
