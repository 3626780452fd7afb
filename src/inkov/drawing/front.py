"""The front of one switch: its ports as tiles, in the order of their names, each with what it is,
its VLANs, and what is behind it. Below stand the VLANs of the switch and where they are.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from msgspec import Struct

from inkov.drawing.pen import MARGIN, TEXT_WIDTH
from inkov.drawing.shapes import Anchor, Box, Drawing, Label, Tone
from inkov.drawing.wires import Wire, vlans_in_short
from inkov.survey.ports import PortRow
from inkov.vlanset import VlanSet

__all__ = ["FrontVlan", "draw_front"]

_TILE = 102.0
_HIGH = 84.0
_GAP = 2.0
_ACROSS = 12  # tiles in a row
_LETTERS = 18  # of a line in a tile
_MOST_PORTS = 14  # that are named in a line about a VLAN
_MOST_VLANS = 80  # that have a line each
_WIDE = MARGIN * 2 + _ACROSS * (_TILE + _GAP)


class FrontVlan(Struct):
    """A VLAN of a switch: the ports that send it untagged and tagged, and what else is said."""

    vid: int
    name: str
    untagged: Sequence[str]
    tagged: Sequence[str]
    says: str = ""


def draw_front(
    title: str,
    ports: Sequence[PortRow],
    wires: Sequence[Wire],
    hosts: Mapping[str, str],
    vlans: Sequence[FrontVlan],
    vid: int | None = None,
) -> Drawing:
    """The front of a switch. `wires` are its links, `hosts` has names by port; with `vid` the ports
    that have nothing to do with a VLAN are faint.
    """
    page = _Front(title, wires, hosts, vid)
    y = MARGIN + 12
    page.label(MARGIN, y, title, Tone.TITLE)
    y += 16
    # Members of bundles do nothing by themselves: they stand apart, below.
    drawn = [row for row in ports if not row.mode.startswith("in ")]
    members = [row for row in ports if row.mode.startswith("in ")]
    for group, head in ((drawn, ""), (members, "Members of bundles")):
        if group and head:
            page.label(MARGIN, y + 10, head)
            y += 18
        for number, row in enumerate(group):
            page.tile(
                row,
                MARGIN + (number % _ACROSS) * (_TILE + _GAP),
                y + (number // _ACROSS) * (_HIGH + _GAP),
            )
        # Rows of tiles, rounded up.
        y += -(-len(group) // _ACROSS) * (_HIGH + _GAP) + (10 if group else 0)
    y = page.legend(y + 8)
    y = page.vlans(vlans, y + 22)
    page.drawing.width = _WIDE
    page.drawing.height = y + MARGIN
    return page.drawing


class _Front:
    def __init__(
        self, title: str, wires: Sequence[Wire], hosts: Mapping[str, str], vid: int | None
    ) -> None:
        self.drawing = Drawing(title)
        self.wires = {end: wire for wire in wires for end in (wire.a, wire.b)}
        self.hosts = hosts
        self.vid = vid
        self.seen: dict[Tone, None] = {}

    def label(
        self, x: float, y: float, text: str, tone: Tone = Tone.TEXT, anchor: Anchor = Anchor.START
    ) -> None:
        self.drawing.labels.append(Label(x, y, text, tone, anchor))

    # --- ports ---

    def tile(self, row: PortRow, x: float, y: float) -> None:
        """A port."""
        wire = next(
            (
                w
                for end, w in self.wires.items()
                if (end.device, end.port) == (row.switch, row.port)
            ),
            None,
        )
        tone = self._tone(row)
        self.seen.setdefault(tone)
        lines = [_what(row), *_vlans(row)]
        behind = row.behind or self.hosts.get(row.port, "") or row.about
        wrong = f"! {wire.wrong[0]}" if wire is not None and wire.wrong else ""
        lines += [behind, wrong]
        told = [f"{row.switch}:{row.port}: {row.state}, {row.mode}"]
        told += [f"untagged {row.untagged}", f"tagged {row.tagged}"]
        told += [
            detail for detail in (row.behind, self.hosts.get(row.port, ""), row.about) if detail
        ]
        told += wire.wrong if wire is not None else []
        title = "; ".join(told)
        self.drawing.boxes.append(Box(x, y, _TILE, _HIGH, tone, title))
        head = Tone.SMALL if tone is Tone.FAINT else Tone.TEXT
        self.drawing.labels.append(
            Label(x + 6, y + 14, _short(row.port, _LETTERS - 2), head, title=title)
        )
        for number, text in enumerate(lines):
            small = Tone.WRONG if text and text == wrong else Tone.SMALL
            self.drawing.labels.append(
                Label(x + 6, y + 27 + 11.5 * number, _short(text, _LETTERS), small, title=title)
            )

    def _tone(self, row: PortRow) -> Tone:
        untagged, tagged = VlanSet.parse(row.untagged), VlanSet.parse(row.tagged)
        # Only what has to do with the VLAN stands out.
        if self.vid is not None and self.vid not in untagged | tagged:
            return Tone.FAINT
        if row.state == "off":
            return Tone.PORT_OFF
        if row.mode == "routed":
            return Tone.ROUTER
        # What is at the other end counts more than which VLANs there are.
        if row.behind:
            return Tone.CORE
        return Tone.DISTRIBUTION if tagged else Tone.ACCESS

    def legend(self, y: float) -> float:
        """The tones that occur; where it ends."""
        x = MARGIN
        for tone, says in _SIGNS.items():
            # Only signs that occur are explained.
            if tone in self.seen:
                self.drawing.boxes.append(Box(x, y - 9, 26, 12, tone))
                self.label(x + 32, y, says, Tone.SMALL)
                x += 32 + len(says) * TEXT_WIDTH * 0.86 + 24
        return y

    # --- VLANs ---

    def vlans(self, vlans: Sequence[FrontVlan], y: float) -> float:
        """A line for each VLAN; where they end."""
        told = [vlan for vlan in vlans if self.vid in (None, vlan.vid)]
        for vlan in told[:_MOST_VLANS]:
            self.label(MARGIN + 34, y, str(vlan.vid), Tone.TEXT, Anchor.END)
            self.label(MARGIN + 42, y, _short(vlan.name, 24))
            words = []
            for word, names in (("untagged", vlan.untagged), ("tagged", vlan.tagged)):
                if names:
                    words.append(f"{word} at {_listed(names)}")
            words += [vlan.says] if vlan.says else []
            self.label(MARGIN + 210, y, _short("; ".join(words), 175), Tone.SMALL)
            y += 15
        # Hundreds of lines would be no picture any more.
        if len(told) > _MOST_VLANS:
            self.label(MARGIN, y, f"and {len(told) - _MOST_VLANS} more VLANs", Tone.SMALL)
            y += 15
        return y


_SIGNS = {
    Tone.CORE: "to another device",
    Tone.DISTRIBUTION: "takes tags, and no other device is known there",
    Tone.ACCESS: "untagged frames only",
    Tone.ROUTER: "routed",
    Tone.PORT_OFF: "off",
    Tone.FAINT: "the rest",
}


def _what(row: PortRow) -> str:
    return "off" if row.state == "off" else row.mode


def _vlans(row: PortRow) -> list[str]:
    """The VLANs of a port, untagged and tagged ones, in two lines."""
    untagged, tagged = VlanSet.parse(row.untagged), VlanSet.parse(row.tagged)
    # What forwards nothing has no VLANs to tell.
    if row.state == "off" or row.mode == "routed" or row.mode.startswith("in "):
        return ["", ""]
    if not tagged:
        return [f"VLAN {vlans_in_short(untagged)}" if untagged else "no VLAN", ""]
    return [f"U {vlans_in_short(untagged)}" if untagged else "", f"T {vlans_in_short(tagged)}"]


def _listed(names: Sequence[str]) -> str:
    more = f" and {len(names) - _MOST_PORTS} more" if len(names) > _MOST_PORTS else ""
    return ", ".join(names[:_MOST_PORTS]) + more


def _short(text: str, most: int) -> str:
    return text if len(text) <= most else f"{text[: most - 1]}…"
