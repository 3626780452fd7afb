"""Edits told as causes: what is wrong where an edit cures it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from inkov.campus import Campus, Fact, Host, Mode, Origin, PortKind
from inkov.edits import Edit, Kind
from inkov.edits.edit import in_words, places_of
from inkov.forwarding import Fabric
from inkov.forwarding.stations import interfaces
from inkov.vlanset import VlanSet
from inkov.wiring import End

__all__ = ["cause_of", "host_that_belongs", "place_of"]


def cause_of(fabric: Fabric, edit: Edit) -> str:
    """What is wrong, as a sentence without a full stop."""
    if edit.kind is Kind.PORT:
        return _OF_PORT.get(edit.attribute, _otherwise)(fabric, edit)
    if edit.kind is Kind.VLAN and edit.whole:
        return f"{edit.switch} has no VLAN {edit.name}"
    if edit.kind is Kind.VLAN and edit.attribute == "active":
        # The VLAN is there and passes nothing.
        return f"VLAN {edit.name} is suspended on {edit.switch}"
    if edit.kind is Kind.VLAN and edit.attribute == "private":
        # Kinds and lists of private VLANs.
        return f"VLAN {edit.name} of {edit.switch} is not {_value(edit.after)}"
    if edit.kind is Kind.VLAN and edit.attribute == "secondaries":
        more, _ = _sets(edit, VlanSet())
        return f"VLAN {more} is no secondary of VLAN {edit.name} on {edit.switch}"
    if edit.kind is Kind.GATEWAY:
        return f"the gateway {edit.switch} {edit.name} is shut"
    # A host asks no gateway, or one that is not there.
    if edit.kind is Kind.HOST and edit.attribute == "gateway":
        has = f"the gateway {edit.before}" if edit.before is not None else "no gateway"
        return f"{edit.name} has {has}, and its VLAN has {edit.after}"
    if edit.kind is Kind.HOST and edit.attribute == "address":
        return (
            f"{edit.name} has the mask /{edit.before.network.prefixlen}, and the router of its VLAN"
            f" has /{edit.after.network.prefixlen}"
        )
    return _otherwise(fabric, edit)


def host_that_belongs(fabric: Fabric, edit: Edit) -> Host | None:
    """The host at a port whose address is of the VLAN that an edit puts the port into."""
    # Only what says in which VLAN untagged frames are.
    if edit.kind is not Kind.PORT or edit.attribute not in ("access_vlan", "pvid", "untagged"):
        return None
    wanted = _value(edit.after)
    vids = wanted if isinstance(wanted, VlanSet) else VlanSet.of(wanted)
    networks = [
        fact.value.network
        for interface in interfaces(fabric)
        if interface.vlan is not None and interface.vlan in vids
        for fact in interface.addresses
    ]
    return next(
        (
            host
            for host in fabric.campus.hosts
            if (host.device, host.port) == (edit.switch, edit.name)
            and host.address is not None
            and any(host.address.ip in network for network in networks)
        ),
        None,
    )


def place_of(campus: Campus, edit: Edit) -> Origin:
    """The line to look at: what says it now, or the thing that does not say it."""
    # Said somewhere now, or by what would say it.
    places = places_of(edit.before) or places_of(edit.after)
    if places:
        return places[0]
    # A host is known from a table.
    if edit.kind is Kind.HOST:
        return next((h.origin for h in campus.hosts if h.name == edit.name), Origin())
    return campus.devices[edit.switch].origin if edit.switch else Origin()


def _value(value: Any) -> Any:
    return value.value if isinstance(value, Fact) else value


def _otherwise(fabric: Fabric, edit: Edit) -> str:
    at = f"{edit.switch}:{edit.name}" if edit.kind is Kind.PORT else f"{edit.switch} {edit.name}"
    words = in_words(edit.attribute)
    before = _value(edit.before)
    # Nothing is stated where something would have to be.
    if before is None:
        return f"{at} states no {words}"
    if isinstance(before, bool):
        return f"{words} is {'on' if before else 'off'} at {at}"
    return f"{at} has {words} {before}"


def _sets(edit: Edit, otherwise: VlanSet) -> tuple[VlanSet, VlanSet]:
    """What comes to a list of VLANs, and what goes."""
    before, after = _value(edit.before), _value(edit.after)
    before = otherwise if before is None else before
    return after - before, before - after


def _list(fabric: Fabric, edit: Edit) -> str:
    port = fabric.ports[End(edit.switch, edit.name)]
    more, _ = _sets(edit, port.completed.allowed)
    return f"{edit.switch}:{edit.name} does not allow VLAN {more}"


def _mapping(fabric: Fabric, edit: Edit) -> str:
    more, _ = _sets(edit, VlanSet())
    return f"{edit.switch}:{edit.name} does not map VLAN {more}"


def _withheld(fabric: Fabric, edit: Edit) -> str:
    _, less = _sets(edit, fabric.ports[End(edit.switch, edit.name)].completed.withheld)
    return f"pruning keeps VLAN {less} off {edit.switch}:{edit.name}"


def _tagged(fabric: Fabric, edit: Edit) -> str:
    more, _ = _sets(edit, fabric.ports[End(edit.switch, edit.name)].completed.tagged)
    return f"{edit.switch}:{edit.name} is no tagged member of VLAN {more}"


def _protected(fabric: Fabric, edit: Edit) -> str:
    return f"{edit.switch}:{edit.name} is protected, as are ports that have to talk with it"


def _shut(fabric: Fabric, edit: Edit) -> str:
    port = fabric.device(edit.switch).ports[edit.name]
    kind = {PortKind.BUNDLE: "the bundle "}.get(port.kind, "")
    return f"{kind}{edit.switch}:{edit.name} is shut"


def _vlan_of_port(fabric: Fabric, edit: Edit) -> str:
    port, wanted = fabric.ports[End(edit.switch, edit.name)], _value(edit.after)
    host = host_that_belongs(fabric, edit)
    belongs = f"{host.name} belongs in {wanted} by its address" if host else f"not in {wanted}"
    now = f"VLAN {port.access}" if port.access else "no VLAN"
    return f"{edit.switch}:{edit.name} is in {now}, and {belongs}"


def _mode(fabric: Fabric, edit: Edit) -> str:
    mode = fabric.ports[End(edit.switch, edit.name)].mode
    # What it is, and what it would have to be, both by the far end.
    wanted = _value(edit.after)
    what = {Mode.ACCESS: "an access port", Mode.TRUNK: "a trunk", Mode.GENERAL: "a general port"}
    return f"{edit.switch}:{edit.name} is {what.get(mode, mode)}, and its far end {what[wanted]}"


def _native(fabric: Fabric, edit: Edit) -> str:
    port = fabric.ports[End(edit.switch, edit.name)]
    far = _value(edit.after)
    return (
        f"{edit.switch}:{edit.name} has native VLAN {port.native or 'none'}, and its far end"
        f" {far or 'none'}"
    )


def _negotiation(fabric: Fabric, edit: Edit) -> str:
    return f"{edit.switch}:{edit.name} waits to be asked to be a trunk, and so does its far end"


_OF_PORT: dict[str, Callable[[Fabric, Edit], str]] = {
    "allowed": _list,
    "withheld": _withheld,
    "secondaries": _mapping,
    "tagged": _tagged,
    "enabled": _shut,
    "protected": _protected,
    "access_vlan": _vlan_of_port,
    "pvid": _vlan_of_port,
    "untagged": _vlan_of_port,
    "mode": _mode,
    "native_vlan": _native,
    "negotiation": _negotiation,
}
