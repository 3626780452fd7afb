"""Why a port does what it does: each value with the line, the default or the assumption behind it,
in plain sentences.

The sentences are made from what `resolve` decided and from the facts it decided on; nothing is
decided here.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from inkov.campus import Accept, Basis, Fact, Mode, Origin
from inkov.forwarding.completion import Completed
from inkov.forwarding.fabric import Fabric, Resolved
from inkov.forwarding.negotiation import negotiates
from inkov.forwarding.reach import owned_tags
from inkov.forwarding.view import ALL, Form
from inkov.vlanset import VlanSet, bit, bits_to_text
from inkov.wiring import End, Link

__all__ = [
    "NAMES",
    "Reason",
    "chain",
    "decided_at",
    "why_arrives",
    "why_dropped",
    "why_leaves",
    "why_not_leaves",
    "why_stopped",
]


class Reason(NamedTuple):
    """One link of the chain: the stage it belongs to, what holds there, and where that was said."""

    stage: str
    says: str
    origin: Origin


class Sentence(NamedTuple):
    """A sentence, and where the thing it rests on was said."""

    says: str
    origin: Origin


_ASKED: dict[Mode, tuple[str, ...]] = {
    Mode.ACCESS: ("access_vlan", "voice_vlan"),
    Mode.TRUNK: ("allowed", "native_vlan", "native_tagged", "withheld"),
    Mode.GENERAL: ("pvid", "accept", "ingress_filtering", "tagged", "untagged"),
    Mode.PRIVATE_HOST: ("primary", "secondary"),
    Mode.PROMISCUOUS: ("primary", "secondaries"),
    Mode.ROUTED: (),
    Mode.UNAWARE: ("mode",),
}
"""The attributes that decide in each mode."""

NAMES = {
    "enabled": "state",
    "mode": "mode",
    "access_vlan": "access VLAN",
    "voice_vlan": "voice VLAN",
    "native_vlan": "native VLAN",
    "native_tagged": "native VLAN tagged",
    "allowed": "allowed list",
    "withheld": "withheld VLANs",
    "pvid": "PVID",
    "accept": "acceptable frame types",
    "ingress_filtering": "ingress filtering",
    "tagged": "tagged VLANs",
    "untagged": "untagged VLANs",
    "primary": "primary VLAN",
    "secondary": "secondary VLAN",
    "secondaries": "mapped secondary VLANs",
}


def _fact(fabric: Fabric, resolved: Resolved, attribute: str) -> Fact[object]:
    fact = fabric.device(resolved.end.device).platform.fact(resolved.stated, attribute)
    # A fact that nobody states still has the port as its place.
    return fact if fact is not None else Fact(None, resolved.stated.origin)


def decided_at(fabric: Fabric, resolved: Resolved, attribute: str) -> Origin:
    """Where an attribute was decided; for a default, the port's place and the default's words."""
    origin = _fact(fabric, resolved, attribute).origin
    if origin.file:
        # A default stands nowhere: the port's own line is where to state it.
        return origin
    own = resolved.stated.origin
    return Origin(own.file, own.line, own.pointer, origin.basis, origin.says)


def _whose(origin: Origin) -> str:
    if origin.basis is Basis.STATED:
        return f" (taken over in line {origin.taken_at})" if origin.taken_at else ""
    return f" ({origin.basis}: {origin.says})"


def _shown(value: object) -> str:
    if value is None:
        return "none"
    if isinstance(value, bool):
        return "yes" if value else "no"
    return str(value)


# --- one frame at one port ------------------------------------------------------------------------


def why_arrives(fabric: Fabric, resolved: Resolved, vid: int, tagged: bool) -> Sentence:
    """Why a frame that arrives at a port is then in VLAN `vid`."""
    if resolved.mode is Mode.UNAWARE:
        return _unaware(fabric, resolved, vid, tagged)
    if not tagged:
        names = {
            Mode.ACCESS: "access_vlan",
            Mode.TRUNK: "native_vlan",
            Mode.GENERAL: "pvid",
            Mode.PRIVATE_HOST: "secondary",
            Mode.PROMISCUOUS: "primary",
        }
        # A routed port has no VLAN that untagged frames could be in.
        if resolved.mode is Mode.ROUTED:
            return Sentence(
                "the routed port takes untagged frames", decided_at(fabric, resolved, "mode")
            )
        attribute = names[resolved.mode]
        origin = decided_at(fabric, resolved, attribute)
        return Sentence(
            f"untagged frames are in VLAN {vid} here, its {NAMES[attribute]}{_whose(origin)}",
            origin,
        )
    attribute = {Mode.ACCESS: "voice_vlan", Mode.TRUNK: "allowed", Mode.GENERAL: "tagged"}.get(
        resolved.mode, "mode"
    )
    # Without ingress filtering the list does not decide about arrivals.
    if resolved.mode is Mode.GENERAL and not resolved.completed.ingress_filtering:
        attribute = "ingress_filtering"
        origin = decided_at(fabric, resolved, attribute)
        return Sentence(f"ingress filtering is off, so any tag comes in{_whose(origin)}", origin)
    # Not among the tagged ones: it is in because it leaves untagged.
    if resolved.mode is Mode.GENERAL and vid not in resolved.completed.tagged:
        attribute = "untagged"
    origin = decided_at(fabric, resolved, attribute)
    return Sentence(
        f"VLAN {vid} is in its {NAMES.get(attribute, attribute)}{_whose(origin)}", origin
    )


def _unaware(fabric: Fabric, resolved: Resolved, vid: int, tagged: bool) -> Sentence:
    """What a bridge does that takes no notice of tags."""
    form = f"the tag {vid}" if tagged else "untagged frames"
    says = f"the bridge takes no notice of tags: {form} {'stays' if tagged else 'stay'} so"
    return Sentence(says, decided_at(fabric, resolved, "mode"))


def why_leaves(fabric: Fabric, resolved: Resolved, vid: int, tagged: bool) -> Sentence:
    """Why a frame of VLAN `vid` leaves by a port, and why with or without a tag."""
    if resolved.mode is Mode.UNAWARE:
        return _unaware(fabric, resolved, vid, tagged)
    completed = resolved.completed
    attribute, says = "mode", f"VLAN {vid} leaves here"
    if resolved.mode is Mode.ACCESS:
        attribute = "voice_vlan" if tagged else "access_vlan"
        says = f"VLAN {vid} is its {NAMES[attribute]}"
    elif resolved.mode is Mode.TRUNK:
        # The native VLAN is told apart: whether it is tagged is a setting of its own.
        if vid == completed.native_vlan:
            attribute = "native_tagged" if tagged else "native_vlan"
            says = f"VLAN {vid} is native here" + (", and tagged all the same" if tagged else "")
        else:
            attribute, says = "allowed", f"its allowed list holds VLAN {vid}"
    elif resolved.mode is Mode.GENERAL:
        attribute = "tagged" if tagged else "untagged" if completed.untagged is not None else "pvid"
        says = (
            f"VLAN {vid} is among its {NAMES[attribute]}"
            if attribute != "pvid"
            else f"VLAN {vid} is its PVID"
        )
    elif resolved.mode is Mode.PRIVATE_HOST:
        attribute = "primary" if vid == completed.primary else "secondary"
        says = f"it hears VLAN {vid}, its {NAMES[attribute]}"
    elif resolved.mode is Mode.PROMISCUOUS:
        attribute = "primary" if vid == completed.primary else "secondaries"
        among = "" if attribute == "primary" else "among "
        says = f"it hears VLAN {vid}, {among}its {NAMES[attribute]}"
    origin = decided_at(fabric, resolved, attribute)
    return Sentence(says + _whose(origin), origin)


def why_not_leaves(fabric: Fabric, resolved: Resolved, vid: int) -> Sentence:
    """Why a frame of VLAN `vid`, on the bridge, does not leave by a port."""
    completed, end = resolved.completed, resolved.end
    # What is shut says no more than that.
    if not resolved.up:
        return Sentence(f"{end} is shut", decided_at(fabric, resolved, "enabled"))
    # A spanning tree comes before lists: they would let it pass.
    if _discards(fabric, end, vid):
        return _why_discards(fabric, end)
    if resolved.mode is Mode.TRUNK:
        if vid not in completed.allowed:
            origin = decided_at(fabric, resolved, "allowed")
            return Sentence(
                f"the allowed list of {end} ({completed.allowed}) does not hold VLAN {vid}", origin
            )
        if vid in completed.withheld:
            return Sentence(
                f"VLAN {vid} is withheld from {end}", decided_at(fabric, resolved, "withheld")
            )
    # The port names a VLAN that the switch does not have.
    if not resolved.view.emit and resolved.free.emit:
        says = (
            f"{end} is in VLAN {bits_to_text(resolved.free.emit)}, which {end.device} does not have"
        )
        return Sentence(says, decided_at(fabric, resolved, _ASKED[resolved.mode][0]))
    attribute = {
        Mode.ACCESS: "access_vlan",
        Mode.GENERAL: "tagged",
        Mode.PRIVATE_HOST: "primary",
        Mode.PROMISCUOUS: "secondaries",
    }.get(resolved.mode, "mode")
    passed = bits_to_text(resolved.view.emit)
    origin = decided_at(fabric, resolved, attribute)
    return Sentence(
        f"{end} ({resolved.view.form}) passes VLAN {passed}, not VLAN {vid}{_whose(origin)}", origin
    )


def _discards(fabric: Fabric, end: End, vid: int) -> bool:
    """Whether a spanning tree has a port discard a VLAN (FM 7.9)."""
    return end in fabric.discards and bool(fabric.discards[end].mask >> vid & 1)


def _why_discards(fabric: Fabric, end: End) -> Sentence:
    return Sentence(fabric.discards[end].says, fabric.discards[end].origin)


def why_dropped(fabric: Fabric, resolved: Resolved, tag: int | None) -> Sentence:
    """Why a port drops a frame that arrives with a tag (None: without one)."""
    completed, end, device = resolved.completed, resolved.end, fabric.device(resolved.end.device)
    if not resolved.up:
        return Sentence(f"{end} is shut", decided_at(fabric, resolved, "enabled"))
    wanted = tag if tag is not None else resolved.free.pvid
    if _discards(fabric, end, wanted):
        return _why_discards(fabric, end)
    # The port would take it, and the switch does not have the VLAN.
    if (
        wanted
        and resolved.free.enters() >> wanted & 1
        and not fabric.live[end.device] >> wanted & 1
    ):
        row = device.row(wanted)
        if row is not None and row.active is not None:
            return Sentence(f"VLAN {wanted} is suspended on {end.device}", row.active.origin)
        return Sentence(f"{end.device} does not define VLAN {wanted}", device.origin)
    attribute, because = "mode", ""
    if resolved.mode is Mode.TRUNK and tag is None:
        # Two reasons: no native VLAN at all, or one that the list leaves out.
        native = completed.native_vlan
        attribute, because = "native_vlan", ": it has no native VLAN"
        if native:
            because = f": its native VLAN {native} is not on its allowed list"
    elif resolved.mode is Mode.TRUNK:
        origin = decided_at(fabric, resolved, "allowed")
        return Sentence(
            f"the allowed list of {end} ({completed.allowed}) does not hold VLAN {tag}", origin
        )
    elif resolved.mode is Mode.GENERAL:
        attribute, because = _why_general(completed, tag)
    what = "drops untagged frames" if tag is None else f"takes no frames tagged {tag}"
    form = f" ({resolved.view.form})" if resolved.mode is not Mode.TRUNK else ""
    return Sentence(f"{end}{form} {what}{because}", decided_at(fabric, resolved, attribute))


def _why_general(completed: Completed, tag: int | None) -> tuple[str, str]:
    """The attribute by which a general port drops a frame, and why (FM 2.7)."""
    others = Accept.TAGGED if tag is None else Accept.UNTAGGED
    # Which frames it takes at all comes first.
    if completed.accept is others:
        return "accept", f": it accepts {others} frames only"
    if tag is not None:
        return "tagged", ": it is no member of that VLAN"
    # With ingress filtering a PVID of which it is no member brings nothing in.
    return "pvid", (
        f": it is no member of VLAN {completed.pvid}, its PVID"
        if completed.pvid
        else ": it has no PVID"
    )


def why_stopped(fabric: Fabric, link: Link, vid: int) -> Sentence:
    """Why VLAN `vid` does not cross a link both ways unchanged: the first end that stops it."""
    ends = [fabric.ports[link.a], fabric.ports[link.b]]
    for resolved in ends:
        device = resolved.end.device
        # Missing in the table is the deepest reason: named first, whatever the lists say.
        if resolved.up and not fabric.live[device] >> vid & 1 and resolved.free.emit >> vid & 1:
            row = fabric.device(device).row(vid)
            if row is not None and row.active is not None:
                return Sentence(f"VLAN {vid} is suspended on {device}", row.active.origin)
            return Sentence(f"{device} does not define VLAN {vid}", fabric.device(device).origin)
    # From each end: the first that does not pass it is the place.
    for near, far in (ends, ends[::-1]):
        # A sub-interface with this tag passes it, whatever the port itself does.
        by_tag = owned_tags(fabric, near.end) >> vid & 1
        if near.up and near.mode is Mode.ROUTED and not by_tag:
            return Sentence(f"{near.end} is routed: the VLAN ends there", near.stated.origin)
        if not by_tag and not near.view.emit >> vid & 1:
            return why_not_leaves(fabric, near, vid)
        tagged = by_tag or not near.view.untagged >> vid & 1
        if tagged and owned_tags(fabric, far.end) >> vid & 1:
            continue
        if tagged and not far.view.admit >> vid & 1:
            return why_dropped(fabric, far, vid)
        # It leaves untagged and gets another number: translated, not stopped.
        if not tagged and far.view.pvid != vid:
            if not far.view.pvid:
                return why_dropped(fabric, far, None)
            why = why_arrives(fabric, far, far.view.pvid, False)
            return Sentence(
                f"VLAN {vid} leaves {near.end} untagged, and at {far.end} {why.says}", why.origin
            )
    says = (
        f"every link passes VLAN {vid}; protected ports on the way, or a port with two links, keep"
        " the parts apart"
    )
    return Sentence(says, ends[0].stated.origin)


# --- the whole chain of one port ------------------------------------------------------------------


def chain(fabric: Fabric, end: End) -> list[Reason]:
    """Everything decided about one port, stage by stage."""
    resolved = fabric.ports[end]
    return [
        *_stated(resolved),
        *_completed(fabric, resolved),
        *_negotiated(fabric, resolved),
        *_view(fabric, resolved),
        *_links(fabric, resolved),
    ]


def _stated(resolved: Resolved) -> Iterator[Reason]:
    port = resolved.stated
    attributes = ("enabled", "mode", "negotiation", *NAMES, "protected", "registration", "bundle")
    for attribute in dict.fromkeys(attributes):
        fact = getattr(port, attribute)
        # Only what a file states; the rest is told where it is completed.
        if fact is not None and fact.origin.basis is Basis.STATED:
            value = (
                ("on" if fact.value else "off") if attribute == "enabled" else _shown(fact.value)
            )
            name = NAMES.get(attribute, attribute.replace("_", " "))
            yield Reason("stated", f"{name}: {value}", fact.origin)


def _completed(fabric: Fabric, resolved: Resolved) -> Iterator[Reason]:
    for attribute in ("mode", "negotiation", *_ASKED[resolved.mode]):
        fact = _fact(fabric, resolved, attribute)
        # A default that says nothing (no voice VLAN) is not worth a line.
        if fact.origin.basis is not Basis.STATED and (
            attribute in ("mode",) or fact.value not in (None, False)
        ):
            if isinstance(fact.value, VlanSet) and not fact.value:
                continue
            name = NAMES.get(attribute, attribute)
            origin = decided_at(fabric, resolved, attribute)
            yield Reason(
                "completed",
                f"{name}: {_shown(fact.value)}, {fact.origin.basis}: {fact.origin.says}",
                origin,
            )


def _negotiated(fabric: Fabric, resolved: Resolved) -> Iterator[Reason]:
    end = resolved.end
    # A member does nothing by itself.
    if resolved.bundle:
        assert resolved.stated.bundle is not None
        says = (
            f"{end} is a member of {resolved.bundle}, which forwards in its place; its own settings"
            " do not count"
        )
        yield Reason("negotiated", says, resolved.stated.bundle.origin)
        return
    if negotiates(resolved.completed):
        links = fabric.wiring.of.get(end, [])
        far = f"{links[0].far(end)} is {resolved.remote}" if links else "no switch is known there"
        becomes = f"{end} is {resolved.completed.negotiation}, {far}: it becomes {resolved.mode}"
        yield Reason("negotiated", becomes, decided_at(fabric, resolved, "negotiation"))
    else:
        yield Reason(
            "negotiated",
            f"it does not negotiate: it is {resolved.mode}",
            decided_at(fabric, resolved, "mode"),
        )


def _view(fabric: Fabric, resolved: Resolved) -> Iterator[Reason]:
    stage, view, free = "forwarding view", resolved.view, resolved.free
    # What a member does is told at its bundle.
    if resolved.bundle:
        return
    if not resolved.up:
        yield Reason(
            stage, "it is shut: it forwards nothing", decided_at(fabric, resolved, "enabled")
        )
        return
    if view.form is Form.ROUTED:
        yield Reason(
            stage,
            "it is routed: no VLAN of the switch passes it",
            decided_at(fabric, resolved, "mode"),
        )
        return
    if view.pvid:
        yield Reason(stage, *why_arrives(fabric, resolved, view.pvid, False))
    else:
        yield Reason(stage, *why_dropped(fabric, resolved, None))
    named = free.emit | free.enters()
    if resolved.mode is not Mode.TRUNK:
        # What it admits need not be named, and the VLAN of untagged frames is told above.
        named = free.emit & ~bit(free.pvid)
    lost = named & ~view.emit & ~view.enters()
    passed = {
        "tagged frames may arrive: VLAN": view.admit,
        "leaves tagged: VLAN": view.emit & ~view.untagged,
        "leaves untagged: VLAN": view.untagged,
    }
    for name, mask in passed.items():
        if mask:
            attribute = _ASKED[resolved.mode][0]
            yield Reason(
                stage, f"{name} {bits_to_text(mask)}", decided_at(fabric, resolved, attribute)
            )
    # A trunk that is left at everything names nothing.
    everything = resolved.mode is Mode.TRUNK and resolved.completed.allowed.bits == ALL
    if lost and not everything:
        says = (
            f"{resolved.end.device} does not have VLAN {bits_to_text(lost)}: named here, and not"
            " passed"
        )
        yield Reason(stage, says, fabric.device(resolved.end.device).origin)


def _links(fabric: Fabric, resolved: Resolved) -> Iterator[Reason]:
    if resolved.bundle:
        return
    end = resolved.end
    for link in fabric.wiring.of.get(end, ()):
        far = fabric.ports[link.far(end)]
        # One end that is shut is enough.
        if not resolved.up or not far.up:
            shut = resolved if not resolved.up else far
            says = f"nothing crosses to {far.end}: {shut.end} is shut"
            yield Reason("link view", says, decided_at(fabric, shut, "enabled"))
            continue
        yield from _crossing(fabric, resolved, far)
    if end not in fabric.wiring.of:
        yield Reason(
            "link view",
            "no switch is known at the other end: whoever is there counts as a host",
            resolved.stated.origin,
        )


def _crossing(fabric: Fabric, near: Resolved, far: Resolved) -> Iterator[Reason]:
    sent, taken = near.view.emit & ~near.view.untagged, far.view.admit
    if sent & taken:
        says = f"crosses tagged to {far.end}: VLAN {bits_to_text(sent & taken)}"
        yield Reason("link view", says, near.stated.origin)
    for vid in VlanSet(near.view.untagged):
        if far.view.pvid:
            why = why_arrives(fabric, far, far.view.pvid, False)
            says = (
                f"VLAN {vid} leaves untagged and arrives at {far.end} as VLAN {far.view.pvid}:"
                f" {why.says}"
            )
        else:
            why = why_dropped(fabric, far, None)
            says = f"VLAN {vid} leaves untagged and is dropped: {why.says}"
        yield Reason("link view", says, why.origin)
    lost: dict[Sentence, int] = {}
    for vid in VlanSet(sent & ~taken):
        why = why_dropped(fabric, far, vid)
        # The same reason for many VLANs is one line: the number is put aside.
        words = why.says.replace(f"VLAN {vid}", "it").replace(f"tagged {vid}", "so tagged")
        lost[Sentence(words, why.origin)] = lost.get(Sentence(words, why.origin), 0) | 1 << vid
    for why, mask in lost.items():
        yield Reason(
            "link view",
            f"does not cross to {far.end}: VLAN {bits_to_text(mask)}; {why.says}",
            why.origin,
        )
    withheld = (
        near.completed.withheld.bits & near.completed.allowed.bits if near.mode is Mode.TRUNK else 0
    )
    # Allowed and not sent: it looks like a fault and is none.
    if withheld:
        says = f"withheld, so allowed and not sent: VLAN {bits_to_text(withheld)}"
        yield Reason("pruned", says, decided_at(fabric, near, "withheld"))
