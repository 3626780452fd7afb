"""The ports of a switch or a VLAN, each with what it does to frames and where that was said."""

from __future__ import annotations

from msgspec import Struct

from inkov.campus import Mode, Origin, natural
from inkov.campus.secrets import without_secrets
from inkov.forwarding import Fabric, Form, Resolved
from inkov.vlanset import VlanSet, bits_to_text, union
from inkov.wiring import End

__all__ = ["Membership", "PortRow", "alike_rows", "memberships", "port_rows"]


class PortRow(Struct):
    """One port. `untagged` and `tagged` are the VLANs that leave by it; `arrives` the VLAN of
    untagged arrivals.

    `behind` names what is at the other end of the cable; `origin` is where the mode was said, or
    the port.
    """

    switch: str
    port: str
    state: str
    mode: str
    arrives: int | None
    untagged: str
    tagged: str
    behind: str
    about: str
    origin: Origin


def port_rows(
    fabric: Fabric, switch: str | None = None, vlans: VlanSet | None = None
) -> list[PortRow]:
    """The ports in natural order (of `switch`; those that any of `vlans` passes or belongs to, if
    given).
    """
    outside = {report.near: f"{report.far}:{report.far_port}" for report in fabric.wiring.outside}
    rows = []
    for resolved in fabric.ports.values():
        # The other halves of unaware ports are nobody's ports.
        if resolved.stated.implied or (switch is not None and resolved.end.device != switch):
            continue
        # Of some VLANs: what leaves by a port, and what it takes.
        if vlans is None or (resolved.view.emit | resolved.view.enters()) & vlans.bits:
            rows.append(_row(fabric, resolved, outside))
    rows.sort(key=lambda row: (natural(row.switch), natural(row.port)))
    return rows


def alike_rows(fabric: Fabric) -> list[tuple[PortRow, list[str]]]:
    """The ports in natural order, those of a switch that are alike as one: the row of the first,
    and the names of all. What leads somewhere stands alone.
    """
    outside = {report.near: f"{report.far}:{report.far_port}" for report in fabric.wiring.outside}
    groups: list[tuple[PortRow, list[str]]] = []
    for device in sorted(fabric.campus.devices.values(), key=lambda device: natural(device.name)):
        alike: dict[object, list[str]] = {}
        for name in sorted(device.ports, key=natural):
            resolved = fabric.ports[End(device.name, name)]
            view = resolved.view
            does: object = (
                *(resolved.up, resolved.mode, resolved.bundle),
                *(view.form, view.pvid, view.untagged, view.emit),
            )
            # What leads somewhere is told by itself: where to is what one looks for.
            if resolved.end in fabric.wiring.of or resolved.end in outside:
                does = name
            if not resolved.stated.implied:
                alike.setdefault(does, []).append(name)
        for names in alike.values():
            first = fabric.ports[End(device.name, names[0])]
            groups.append((_row(fabric, first, outside), names))
    return groups


def _row(fabric: Fabric, resolved: Resolved, outside: dict[End, str]) -> PortRow:
    view, end, stated = resolved.view, resolved.end, resolved.stated
    untagged, tagged = view.untagged, view.emit & ~view.untagged
    # The number that a routed port has inside shows nowhere.
    if resolved.mode is Mode.ROUTED:
        untagged = tagged = 0
    links = fabric.wiring.of.get(end, [])
    behind = ", ".join(str(link.far(end)) for link in links) or outside.get(end, "")
    state = "on" if resolved.up else "off"
    mode = str(view.form) if view.form is not Form.DOWN else str(resolved.mode)
    # A member is told by its bundle: what it states itself does not count.
    if resolved.bundle:
        state, mode = "member", f"in {resolved.bundle}"
    return PortRow(
        switch=end.device,
        port=end.port,
        state=state,
        mode=mode,
        arrives=(view.pvid or None) if resolved.mode is not Mode.ROUTED else None,
        untagged=bits_to_text(untagged),
        tagged=bits_to_text(tagged),
        behind=behind,
        about=without_secrets(stated.description.value) if stated.description else "",
        origin=stated.mode.origin if stated.mode is not None else stated.origin,
    )


class Membership(Struct):
    """One VLAN of a switch × its ports: "T" leaves tagged, "U" untagged, "" not at all."""

    switch: str
    vlan: int
    ports: dict[str, str]


def memberships(
    fabric: Fabric, switch: str | None = None, vlans: VlanSet | None = None
) -> list[Membership]:
    """VLAN × port of each switch, for the VLANs that some port passes and the ports that pass some
    VLAN.

    A VLAN that a port carries only since its list is left at everything, and that the switch has,
    counts.
    """
    rows = []
    for device in sorted(fabric.campus.devices.values(), key=lambda d: natural(d.name)):
        if switch not in (None, device.name):
            continue
        views = {}
        for port in sorted(device.ports, key=natural):
            resolved = fabric.ports[End(device.name, port)]
            # A port that passes no VLAN has no column.
            hidden = resolved.mode is Mode.ROUTED or resolved.stated.implied
            if resolved.view.emit and not hidden:
                views[port] = resolved.view
        passed = union(view.emit for view in views.values())
        for vid in VlanSet(passed if vlans is None else passed & vlans.bits):
            marks = {
                p: "" if not v.emit >> vid & 1 else "U" if v.untagged >> vid & 1 else "T"
                for p, v in views.items()
            }
            rows.append(Membership(device.name, vid, marks))
    return rows
