"""Every trunk, both ends on one row: how it came about, tagging, native VLAN, and the VLANs that
cross.
"""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct

from inkov.campus import Basis, Mode, Negotiation, Origin
from inkov.forwarding import Fabric, Form, Resolved
from inkov.forwarding.needed import needed, perhaps_needed, unneeded
from inkov.forwarding.negotiation import negotiates
from inkov.forwarding.outlets import passes
from inkov.forwarding.reach import owned_tags
from inkov.vlanset import ALL_BITS, VlanSet, bits_to_text
from inkov.wiring import End

__all__ = ["TAGGED", "TrunkEnd", "TrunkRow", "trunk_rows"]

_TRUNKS = {Form.TRUNK, Form.TRUNK_NO_NATIVE, Form.TRUNK_NATIVE_TAGGED}


TAGGED = "tagged sub-interfaces"
"""The mode of a routed port that passes tagged frames to and from its sub-interfaces."""


class TrunkEnd(Struct):
    """One end. `how` tells how its mode came about; `stated` is its list and `live` what of it the
    switch has.
    """

    switch: str
    port: str
    mode: str
    how: str
    native: str
    stated: str
    live: str
    origin: Origin

    @property
    def is_about(self) -> bool:
        """Whether its lists name any VLAN."""
        return (self.stated, self.live) != ("none", "none")


class TrunkRow(Struct):
    """A trunk: `b` is None where nobody known is at the far end; `up` is false if an end is shut.

    `shared` crosses both ways under one number. `a_to_b` and `b_to_a` keep their number in that
    direction only; `translated` lists (VIDs as a has them, VIDs as b has them, way), the way being
    "both", "a to b" or "b to a". `needed` has something to serve on both sides; `surplus` crosses
    unneeded, `missing` is needed and does not cross.
    """

    a: TrunkEnd
    b: TrunkEnd | None
    up: bool
    shared: str
    a_to_b: str = "none"
    b_to_a: str = "none"
    translated: list[tuple[str, str, str]] = []
    needed: str = ""
    surplus: str = ""
    missing: str = ""


def trunk_rows(
    fabric: Fabric,
    switch: str | None = None,
    wanted: Mapping[str, int] | None = None,
    vlans: VlanSet | None = None,
) -> list[TrunkRow]:
    """The links with a tagged end, then tagged ports with nobody known behind them. With `vlans`,
    those that have to do with any of these, and of their lists these alone.
    """
    rows: list[TrunkRow] = []
    mask = ALL_BITS if vlans is None else vlans.bits
    needs = needed(fabric, wanted)
    perhaps = perhaps_needed(fabric, wanted, needs)
    for number, link in enumerate(fabric.wiring.links):
        a, b = fabric.ports[link.a], fabric.ports[link.b]
        # A link counts if either end is a trunk: the other may be the mistake.
        if not (_is_trunk(a) or _is_trunk(b)) or (
            switch and switch not in (link.a.device, link.b.device)
        ):
            continue
        there, back = _crosses(fabric, number, link.a), _crosses(fabric, number, link.b)
        both = there[0] & back[0]
        only = bits_to_text(there[0] & ~both & mask), bits_to_text(back[0] & ~both & mask)
        ways: dict[tuple[str, str], str] = dict.fromkeys(there[1], "a to b")
        for leaves, arrives in back[1]:
            ways[arrives, leaves] = "both" if (arrives, leaves) in ways else "b to a"
        # The native VLAN is there to be empty: it is no surplus.
        natives = [end.native for end in (a, b) if end.effective_mode is Mode.TRUNK and end.native]
        ends = _end(fabric, a, mask), _end(fabric, b, mask)
        # With VLANs asked for, a trunk that has to do with none of them is left out.
        if vlans is not None:
            ways = {pair: way for pair, way in ways.items() if _has_any(pair, mask)}
            about = (both | needs[number]) & mask or ways or any(end.is_about for end in ends)
            if not about:
                continue
        rows.append(
            TrunkRow(
                *ends,
                fabric.link_up[number],
                bits_to_text(both & mask),
                *only,
                [(*pair, way) for pair, way in ways.items()],
                bits_to_text(needs[number] & mask),
                bits_to_text(unneeded(both, perhaps[number], natives) & mask),
                bits_to_text(needs[number] & ~both & mask),
            )
        )
    # Trunks behind which nobody is known have no far end to compare.
    for end, resolved in fabric.ports.items():
        if _is_trunk(resolved) and end not in fabric.wiring.of and (switch in (None, end.device)):
            own = _end(fabric, resolved, mask)
            if vlans is None or own.is_about:
                rows.append(TrunkRow(own, None, True, ""))
    return rows


def _has_any(pair: tuple[str, str], mask: int) -> bool:
    """Whether a translation has to do with any of some VLANs."""
    return any(VlanSet.parse(vids).bits & mask for vids in pair)


def _is_trunk(resolved: Resolved) -> bool:
    """True for a trunk, and for a general port that sends tagged frames."""
    view = resolved.view
    # A general port is a trunk by what it does.
    return view.form in _TRUNKS or (view.form is Form.GENERAL and bool(view.emit & ~view.untagged))


def _crosses(fabric: Fabric, link: int, near: End) -> tuple[int, list[tuple[str, str]]]:
    """What crosses a link from one end: the VIDs that keep their number, and (left as, arrives as)
    of the others.
    """
    translations = []
    for sender in fabric.at.get(near, ()):
        for crossing in fabric.crossings.get(sender, ()):
            if crossing.link == link:
                port = fabric.bridge_ports[sender]
                translations += [
                    (bits_to_text(translation.leaves), bits_to_text(translation.arrives))
                    for translation in crossing.translations
                    # A sub-interface's tag is its VLAN: nothing is translated.
                    if not port.outer and not fabric.bridge_ports[translation.to].outer
                ]
    return passes(fabric, link, near), translations


def how_it_came(fabric: Fabric, resolved: Resolved) -> tuple[str, Origin]:
    """Why a port is in its mode, in a few words, and where that was said."""
    platform = fabric.device(resolved.end.device).platform
    mode = platform.fact(resolved.stated, "mode")
    negotiation = platform.fact(resolved.stated, "negotiation")
    assert mode is not None and negotiation is not None
    # The far end had a say.
    if negotiates(resolved.completed):
        return (
            f"negotiated: {resolved.completed.negotiation}, far end {resolved.remote}",
            negotiation.origin,
        )
    member = resolved.stated.tagged or resolved.stated.untagged
    if (
        resolved.mode is Mode.GENERAL and member is not None
    ):  # whatever it is called, its membership makes it so
        return "stated", member.origin
    if mode.origin.basis is Basis.STATED:
        announcing = (
            ", announcing" if resolved.completed.negotiation is Negotiation.ANNOUNCING else ""
        )
        return f"stated{announcing}", mode.origin
    return str(mode.origin.basis), mode.origin


def _end(fabric: Fabric, resolved: Resolved, mask: int) -> TrunkEnd:
    how, origin = how_it_came(fabric, resolved)
    view = resolved.view
    native = "none"
    # A trunk shows its list as it is stated, and beside it what the switch has.
    if resolved.mode is Mode.TRUNK:
        vid = resolved.completed.native_vlan
        native = (
            "none"
            if vid is None
            else f"{vid}" + (" tagged" if resolved.completed.native_tagged else "")
        )
        stated = bits_to_text(resolved.completed.allowed.bits & mask)
    else:
        native = str(view.pvid or "none")
        stated = bits_to_text(resolved.free.emit & mask)
    live, mode = bits_to_text(view.emit & mask), str(resolved.effective_mode)
    tags = owned_tags(fabric, resolved.end)
    # A routed port with sub-interfaces passes their tags, and nothing else.
    if tags and resolved.mode is Mode.ROUTED:  # what it passes are its sub-interfaces' tags
        native, stated, mode = "none", bits_to_text(tags & mask), TAGGED
        live = stated
    return TrunkEnd(
        resolved.end.device,
        resolved.end.port,
        mode,
        how,
        native,
        stated,
        live,
        origin if origin.file else resolved.stated.origin,
    )
