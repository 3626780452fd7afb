"""Input: two sources that describe one switch, and do not agree."""

from __future__ import annotations

from collections.abc import Iterator

from inkov.campus import Campus, Device, Origin
from inkov.checks.catalogue import Found, Severity, Where, finding, rule
from inkov.checks.site import Site
from inkov.checks.words import listed
from inkov.forwarding import Fabric, Resolved, resolve
from inkov.vlanset import bits_to_text
from inkov.wiring import End, Wiring
from inkov.wiring.names import NameFinder

_FAMILY = "Input"


@rule(
    "sources-disagree",
    family=_FAMILY,
    severity=Severity.RISK,
    what="two files describe one switch, and it would not forward the same by both",
    why="one of them is not what the switch does: out of date, or a change that was never stored",
    cure="find out which is true, and collect the other again or correct the switch",
    example="the export of core-1 has port 7 in VLAN 10, the walk of core-1 has it in VLAN 20",
    says="two sources of {first} disagree: {shown}{more}",
    fix="which is true? collect the other again, or correct the switch",
)
def sources_disagree(site: Site) -> Iterator[Found]:
    for other in site.fabric.campus.others:
        first = site.fabric.campus.devices[other.name]
        differences = [*_tables(first, other), *_ports(first, other)]
        if differences:
            shown = listed(
                [
                    f"{what}: {one} by {first.origin.file}, {two} by {other.origin.file}"
                    for what, one, two, *_ in differences[:3]
                ]
            )
            more = f", and {len(differences) - 3} more" if len(differences) > 3 else ""
            yield finding(
                {"first": first.name, "shown": shown, "more": more},
                where=tuple(place for *_, places in differences for place in places),
            )


_Difference = tuple[str, str, str, tuple[Where, ...]]


def _tables(first: Device, other: Device) -> Iterator[_Difference]:
    if (
        first.vlans is None
        or other.vlans is None
        or first.table_is_membership
        or other.table_is_membership
    ):
        return
    for vid in sorted((set(first.vlans) ^ set(other.vlans)) - {1}):
        has = first.vlans.get(vid) or other.vlans[vid]
        words = ("defined", "not defined") if vid in first.vlans else ("not defined", "defined")
        yield f"VLAN {vid}", *words, (Where(first.name, None, vid, has.origin),)


def _ports(first: Device, other: Device) -> Iterator[_Difference]:
    one, two = _alone(first), _alone(other)
    names = NameFinder(
        other.ports, {p.name: p.description.value for p in other.ports.values() if p.description}
    )
    for name in first.ports:
        known = names.find(name)
        if known is None:
            continue
        near, far = one.ports[End(first.name, name)], two.ports[End(other.name, known)]
        if near.bundle or far.bundle:
            continue
        shown = _shown(near), _shown(far)
        if shown[0] != shown[1]:
            places = (
                Where(first.name, name, None, _decided_at(near)),
                Where(first.name, known, None, _decided_at(far)),
            )
            yield f"port {name}", *shown, places


def _decided_at(resolved: Resolved) -> Origin:
    port = resolved.stated
    for fact in (port.access_vlan, port.pvid, port.allowed, port.tagged, port.mode):
        if fact is not None:
            return fact.origin
    return port.origin


def _alone(device: Device) -> Fabric:
    """The device by itself: what it would do with nobody at its ports."""
    return resolve(Campus({device.name: device}), Wiring())


def _shown(resolved: Resolved) -> str:
    """What the port sends, and what untagged frames become: what two sources must agree on."""
    if not resolved.up:
        return "off"
    view = resolved.view
    parts = [f"untagged {bits_to_text(view.untagged)}"] if view.untagged else []
    parts += (
        [f"tagged {bits_to_text(view.emit & ~view.untagged)}"] if view.emit & ~view.untagged else []
    )
    if view.pvid and not view.untagged >> view.pvid & 1:
        parts.append(f"PVID {view.pvid}")
    return " and ".join(parts) or "nothing"
