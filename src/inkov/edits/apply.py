"""Applying edits to a campus."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from msgspec.structs import replace

from inkov.campus import Campus, Device
from inkov.edits.edit import Edit, Kind
from inkov.edits.things import of_campus, of_device

__all__ = ["apply"]


def apply(campus: Campus, edits: Iterable[Edit]) -> Campus:
    """The campus with some edits made. `campus` itself is left as it is; what no edit touches is
    shared with it. An edit of a thing that is not there changes nothing.
    """
    own: dict[str, list[Edit]] = {}
    for edit in edits:
        own.setdefault(edit.switch, []).append(edit)
    devices = dict(campus.devices)
    for name, of_switch in own.items():
        # Edits of tables belong to no switch.
        if name:
            device = _edited(devices.get(name), of_switch)
            # Taken away.
            if device is None:
                devices.pop(name, None)
            else:
                devices[name] = device
    result = replace(campus, devices=dict(sorted(devices.items())))
    _put(result, of_campus(), own.get("", []))
    return result


def _edited(device: Device | None, edits: list[Edit]) -> Device | None:
    """A switch with the edits made that are about it."""
    for edit in edits:
        # The switch as a whole comes first: the others are about what it is then.
        if edit.kind is Kind.SWITCH and edit.whole:
            device = edit.after
    # A switch that is not there cannot be changed.
    if device is None:
        return None
    device = replace(device)
    for edit in edits:
        if edit.kind is Kind.SWITCH and not edit.whole:
            setattr(device, edit.attribute, edit.after)
    _put(device, of_device(), [edit for edit in edits if edit.kind is not Kind.SWITCH])
    return device


def _put(holder: Any, kinds: list[Any], edits: list[Edit]) -> None:
    """Make the edits of things in what holds them."""
    for held in kinds:
        about = [edit for edit in edits if edit.kind is held.kind]
        if not about:
            continue
        things = held.listed(holder)
        for edit in about:
            # It comes, goes, or is replaced as a whole.
            if edit.whole:
                if edit.after is None:
                    things.pop(edit.name, None)
                else:
                    things[edit.name] = edit.after
            elif edit.name in things:
                # What is not there is left alone.
                things[edit.name] = replace(things[edit.name], **{edit.attribute: edit.after})
        held.put(holder, things)
