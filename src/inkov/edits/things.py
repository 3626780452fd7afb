"""The things of a campus that edits change, found by name, and how each is put back.

One table serves `difference`, which lists the things of two campuses side by side, and `apply`,
which changes them. Two things of one name (gateways of one VLAN, say) are told apart by a number
behind the name.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import cache
from typing import Any

from msgspec import Struct
from msgspec.structs import fields

from inkov.campus import Device, Gateway, Vlan
from inkov.edits.edit import Kind

__all__ = ["DEVICE_FIELDS", "Held", "attributes", "numbered", "of_campus", "of_device"]


class Held(Struct, frozen=True):
    """Where the things of a kind are: how they are listed, and how the whole of them is set."""

    kind: Kind
    listed: Callable[[Any], dict[str, Any]]
    put: Callable[[Any, dict[str, Any]], None]


DEVICE_FIELDS = (
    "platform",
    "tree_mode",
    "address",
    "region",
    "revision",
    "table_is_membership",
    "known_as",
)
"""What is said of a switch as such."""

_ABOUT_FILES = {"origin", "overridden"}


def attributes(thing: Struct) -> tuple[str, ...]:
    """The attributes of a thing that can be edited: not that by which it is found."""
    return _attributes(type(thing))


@cache
def _attributes(kind: type[Struct]) -> tuple[str, ...]:
    # Kept, as `fields` works out all annotations anew.
    keys = {Vlan: {"vid"}, Gateway: {"vid", "name"}}.get(kind, {"name"})
    return tuple(field.name for field in fields(kind) if field.name not in keys | _ABOUT_FILES)


def numbered(things: Iterable[tuple[str, Any]]) -> dict[str, Any]:
    """Things by name; the second of a name gets ` #2`."""
    by_name: dict[str, Any] = {}
    times: dict[str, int] = {}
    for name, thing in things:
        times[name] = times.get(name, 0) + 1
        # The first of a name keeps it; others are numbered.
        by_name[f"{name} #{times[name]}" if times[name] > 1 else name] = thing
    return by_name


def _by_vid(device: Device) -> dict[str, Any]:
    return {str(vid): row for vid, row in (device.vlans or {}).items()}


def _put_vlans(device: Device, rows: dict[str, Any]) -> None:
    # No table stays no table.
    if device.vlans is not None or rows:
        device.vlans = {row.vid: row for row in sorted(rows.values(), key=lambda row: row.vid)}


def _gateways(device: Device) -> dict[str, Any]:
    return numbered(
        (
            f"VLAN {g.vid}"
            + (f" on {g.bridge}" if g.bridge else "")
            + (f" {g.name}" * bool(g.name)),
            g,
        )
        for g in device.gateways
    )


def of_device() -> list[Held]:
    """The things of a switch."""
    return [
        Held(Kind.VLAN, _by_vid, _put_vlans),
        Held(Kind.PORT, lambda d: dict(d.ports), lambda d, v: setattr(d, "ports", v)),
        Held(Kind.BRIDGE, lambda d: dict(d.bridges), lambda d, v: setattr(d, "bridges", v)),
        Held(Kind.GATEWAY, _gateways, lambda d, v: setattr(d, "gateways", list(v.values()))),
        Held(
            Kind.TREE,
            lambda d: numbered((str(tree.number), tree) for tree in d.trees),
            lambda d, v: setattr(d, "trees", list(v.values())),
        ),
        Held(
            Kind.DISTRIBUTION,
            lambda d: {"": d.distribution} if d.distribution is not None else {},
            lambda d, v: setattr(d, "distribution", v.get("")),
        ),
        Held(Kind.FILTER, lambda d: dict(d.filters), lambda d, v: setattr(d, "filters", v)),
    ]


def _link(thing: Any) -> str:
    return f"{thing.device}:{thing.port} - {thing.far_device}:{thing.far_port}"


def of_campus() -> list[Held]:
    """The things that belong to no switch alone."""
    return [
        Held(
            Kind.CABLE,
            lambda c: numbered((_link(thing), thing) for thing in c.cables),
            lambda c, v: setattr(c, "cables", list(v.values())),
        ),
        Held(
            Kind.NEIGHBOUR,
            lambda c: numbered((_link(thing), thing) for thing in c.neighbours),
            lambda c, v: setattr(c, "neighbours", list(v.values())),
        ),
        Held(
            Kind.HOST,
            lambda c: numbered((thing.name, thing) for thing in c.hosts),
            lambda c, v: setattr(c, "hosts", list(v.values())),
        ),
        Held(
            Kind.PLANNED,
            lambda c: numbered((f"{thing.device}:{thing.port}", thing) for thing in c.planned),
            lambda c, v: setattr(c, "planned", list(v.values())),
        ),
        Held(
            Kind.SECOND_SOURCE,
            lambda c: numbered((thing.name, thing) for thing in c.others),
            lambda c, v: setattr(c, "others", list(v.values())),
        ),
    ]
