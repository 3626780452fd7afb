"""Two sources of one device, compared by what it would forward by each.

Two files never say the same in the same words: one leaves defaults out, another knows only what is
in force. So ports are compared by what they send and take with nobody at them, and VLANs by being
there. What only one side has counts as well: a port that a reader lost is in no list of
differences.
"""

from __future__ import annotations

from collections.abc import Iterator
from enum import StrEnum
from typing import NamedTuple

from inkov.campus import Campus, Device, Origin, PortKind
from inkov.forwarding.fabric import Fabric, Resolved
from inkov.forwarding.resolve import resolve
from inkov.vlanset import bits_to_text
from inkov.wiring import End, Wiring
from inkov.wiring.names import NameFinder

__all__ = ["Agreement", "Compared", "compared"]

_SILENT = ("off", "nothing")  # a port that only one side has, and that passes no frame there


class Agreement(StrEnum):
    """How two sources stand to each other about one thing."""

    AGREES = "agrees"
    DIFFERS = "differs"
    ONLY_FIRST = "first only"
    ONLY_OTHER = "other only"


class Compared(NamedTuple):
    """A port (`port` is its name in the first source that has it) or a VLAN (`vlan`) by two
    sources: what each says, and where.
    """

    agreement: Agreement
    port: str
    vlan: int
    first: str
    other: str
    first_at: Origin
    other_at: Origin

    @property
    def name(self) -> str:
        return f"port {self.port}" if self.port else f"VLAN {self.vlan}"


def compared(first: Device, other: Device) -> list[Compared]:
    """Every VLAN and port that two sources of one device have, or one of them."""
    return [*_tables(first, other), *_ports(first, other)]


def _tables(first: Device, other: Device) -> Iterator[Compared]:
    """The VLANs, where both sources have a table. VLAN 1 is there whatever they say."""
    # Where the table is the membership, VLANs differ as ports do: that is told of the ports.
    if (
        first.vlans is None
        or other.vlans is None
        or first.table_is_membership
        or other.table_is_membership
    ):
        return
    for vid in sorted(first.vlans.keys() | other.vlans.keys() - {1}):
        row, second_row = first.vlans.get(vid), other.vlans.get(vid)
        words = tuple("not defined" if each is None else "defined" for each in (row, second_row))
        places = tuple(
            d.origin if r is None else r.origin for d, r in ((first, row), (other, second_row))
        )
        agreement = Agreement.AGREES
        # VLAN 1 is there whether a table lists it or not.
        if vid != 1 and (row is None or second_row is None):
            agreement = Agreement.ONLY_OTHER if row is None else Agreement.ONLY_FIRST
        yield Compared(agreement, "", vid, words[0], words[1], places[0], places[1])


def _ports(first: Device, other: Device) -> Iterator[Compared]:
    """The ports, each side's under the name that the other has for it. Sub-interfaces go with
    their ports, members with their bundles.
    """
    one, two = _alone(first), _alone(other)
    described = {p.name: p.description.value for p in other.ports.values() if p.description}
    names = NameFinder(other.ports, described)
    # A port plan, for one, says nothing of bundles: its ports are what their bundles are.
    know_bundles = all(
        any(port.kind is PortKind.BUNDLE for port in device.ports.values())
        for device in (first, other)
    )
    met: set[str] = set()
    for name in first.ports:
        near = one.ports[End(first.name, name)]
        known = names.find(name)
        if known is not None:
            met.add(known)
            far = two.ports[End(other.name, known)]
            same_bundle = (near.bundle and names.find(near.bundle)) == far.bundle
            # What two members of one bundle do is compared at the bundle.
            if near.bundle and same_bundle:
                continue
            # What a member does its bundle does in its place.
            words = (
                _shown(one.ports[one.end_of(*near.end)]),
                _shown(two.ports[two.end_of(*far.end)]),
            )
            alike = words[0] == words[1] and (same_bundle or not know_bundles)
            if not alike:
                words = words[0] + _by(near), words[1] + _by(far)
            agreement = Agreement.AGREES if alike else Agreement.DIFFERS
            yield Compared(agreement, name, 0, *words, _decided_at(near), _decided_at(far))
        elif _counts(near):
            # A port that the other side does not have matters if it passes anything.
            shown, at = _shown(near), _decided_at(near)
            yield Compared(Agreement.ONLY_FIRST, name, 0, shown, "not there", at, other.origin)
    for name in other.ports:
        far = two.ports[End(other.name, name)]
        if name not in met and _counts(far):
            shown, at = _shown(far), _decided_at(far)
            yield Compared(Agreement.ONLY_OTHER, name, 0, "not there", shown, first.origin, at)


def _counts(resolved: Resolved) -> bool:
    """Whether it matters that only one side has a port: it passes frames of its own."""
    stated = resolved.stated
    alone = stated.kind is not PortKind.SUB and not resolved.bundle and not stated.implied
    return alone and _shown(resolved) not in _SILENT


def _decided_at(resolved: Resolved) -> Origin:
    port = resolved.stated
    # The line that decides most is the one to look at.
    for fact in (port.access_vlan, port.pvid, port.allowed, port.tagged, port.mode):
        if fact is not None:
            return fact.origin
    return port.origin


def _alone(device: Device) -> Fabric:
    """The device by itself: what it would do with nobody at its ports."""
    return resolve(Campus({device.name: device}), Wiring())


def _by(resolved: Resolved) -> str:
    return f" in {resolved.bundle}" if resolved.bundle else ""


def _shown(resolved: Resolved) -> str:
    """What the port sends, and what untagged frames become: what two sources must agree on."""
    if not resolved.up:
        return "off"
    view = resolved.view
    # Only what frames show: two sources never use the same words.
    parts = [f"untagged {bits_to_text(view.untagged)}"] if view.untagged else []
    parts += (
        [f"tagged {bits_to_text(view.emit & ~view.untagged)}"] if view.emit & ~view.untagged else []
    )
    if view.pvid and not view.untagged >> view.pvid & 1:
        parts.append(f"PVID {view.pvid}")
    return " and ".join(parts) or "nothing"
