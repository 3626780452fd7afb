"""How links are drawn and what is written on them: the pen that a drawing is made with."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from msgspec import Struct, field

from inkov.drawing.shapes import Anchor, Box, Drawing, Label, Line, Tone
from inkov.drawing.wires import Wire, vlans_in_short

__all__ = ["MARGIN", "TEXT_WIDTH", "Look", "Pen", "port_in_short", "text_width"]

MARGIN = 24.0
TEXT_WIDTH = 5.6  # of a character of a label
_LONGEST_PORT = 10


class Look(Struct):
    """What a drawing is to show besides the links: `title`; of `vlan` alone where it crosses, and
    what is said of each switch (`notes`); the links of a way (`way`, by number, with its place on
    the way); or what a change does to links (`changes`, by number). `members` are those that are
    not faint; `says` are sentences below, `rests` about what it rests on; `signs` are other words
    for what tones mean.
    """

    title: str = ""
    vlan: int | None = None
    notes: Mapping[str, str] = field(default_factory=dict)
    members: frozenset[str] | None = None
    way: Mapping[int, int] = field(default_factory=dict)
    changes: Mapping[int, str] | None = None
    says: Sequence[str] = ()
    rests: Sequence[str] = ()
    signs: Mapping[Tone, str] = field(default_factory=dict)
    fold: bool | None = None

    @property
    def marks(self) -> bool:
        """Whether some links are marked, and the rest is faint."""
        return self.vlan is not None or bool(self.way) or self.changes is not None


class Pen:
    """Puts shapes on a drawing, in the tones of what is asked for."""

    def __init__(self, look: Look) -> None:
        self.look = look
        self.drawing = Drawing(look.title)
        self.seen: set[Tone] = set()

    def tone(self, wire: Wire) -> Tone:
        """How a link is drawn: what is asked for first, then how it stands."""
        # What is asked for decides first; only without a question the state does.
        if self.look.changes is not None:
            changes = wire.number in self.look.changes
            return Tone.FAINT if not changes else Tone.MARKED if wire.up else Tone.SHUT
        if self.look.way:
            return Tone.MARKED if wire.number in self.look.way else Tone.FAINT
        if self.look.vlan is not None:
            # A link that does not pass the VLAN steps back, also one that is shut.
            if self.look.vlan not in wire.crossing or not wire.up:
                return Tone.FAINT
            return Tone.DISCARDS if self.look.vlan in wire.blocked else Tone.MARKED
        if not wire.up:
            return Tone.SHUT
        if wire.blocked:
            return Tone.DISCARDS
        if wire.wrong:
            return Tone.WRONG
        return Tone.BUNDLE if wire.cables > 1 else Tone.UP

    def tone_of_many(self, wires: Sequence[Wire]) -> Tone:
        """How several links are drawn as one line: as the worst of them."""
        tones = {self.tone(wire) for wire in wires}
        for tone in (Tone.MARKED, Tone.WRONG, Tone.DISCARDS, Tone.SHUT, Tone.BUNDLE, Tone.UP):
            if tone in tones:
                return tone
        return Tone.FAINT

    def label_tone(self, wire: Wire) -> Tone:
        """How what is said of a link is written."""
        return Tone.WRONG if wire.wrong and self.tone(wire) is not Tone.FAINT else Tone.SMALL

    def said(self, wire: Wire) -> list[tuple[str, Tone]]:
        """What is written on a link, from the line away: VLANs, and what is wrong or blocked."""
        if self.look.changes is not None:
            says = self.look.changes.get(wire.number)
            return [(says, Tone.SMALL)] if says else []
        # A change says what there is to say.
        if not wire.up:
            return [("shut", Tone.SMALL)]
        if self.look.vlan is not None and not self.look.way:
            if self.look.vlan not in wire.crossing:
                return []
            discards = self.look.vlan in wire.blocked
            return [(f"VLAN {self.look.vlan}{' discards' * discards}", Tone.SMALL)]
        cables = f" ×{wire.cables}" if wire.cables > 1 else ""
        place = f"({self.look.way[wire.number]}) " if wire.number in self.look.way else ""
        vlans = vlans_in_short(wire.crossing) if wire.crossing else "no VLAN"
        said = [(f"{place}{vlans}{cables}", Tone.SMALL)]
        # What steps back says nothing: its words would hide those that count.
        if self.tone(wire) is Tone.FAINT:
            return []
        # What is wrong is told before what is blocked: there is room for one.
        if wire.wrong:
            said.append((f"! {wire.wrong[0]}", Tone.WRONG))
        elif wire.blocked:
            of = "" if wire.blocked == wire.crossing else f" {vlans_in_short(wire.blocked)}"
            said.append((f"discards{of}", Tone.SMALL))
        return said

    def in_one(self, wire: Wire) -> str:
        """What is written on a link, in one line."""
        return ", ".join(text for text, _ in self.said(wire))

    def line(self, points: Sequence[tuple[float, float]], tone: Tone, title: str = "") -> None:
        """A line through some points."""
        self.seen.add(tone)
        self.drawing.lines.append(Line(tuple(points), tone, title))

    def link(self, points: Sequence[tuple[float, float]], wire: Wire) -> None:
        """A line that is a link."""
        self.line(points, self.tone(wire), wire.title)

    def with_ports(self, wire: Wire, name: str) -> str:
        """All that is said of a link in one line, the port of a switch first."""
        ports = [port_in_short(end.port) for end in (wire.end_at(name), wire.far_from(name))]
        return ": ".join(filter(None, (" – ".join(ports), self.in_one(wire))))

    def beside(self, wire: Wire, name: str, x: float, y: float) -> None:
        """What `with_ports` says."""
        says = self.with_ports(wire, name)
        self.text(x, y, says, self.label_tone(wire), title=wire.title)

    def text(
        self,
        x: float,
        y: float,
        text: str,
        tone: Tone = Tone.TEXT,
        anchor: Anchor = Anchor.START,
        title: str = "",
    ) -> None:
        if text:
            self.drawing.labels.append(Label(x, y, text, tone, anchor, title))

    def legend(self, y: float) -> None:
        """The signs that occur, and what they mean."""
        x = MARGIN
        for tone, usual in _SIGNS.items():
            if tone not in self.seen:
                continue
            says = self.look.signs.get(tone, usual)
            wide = 34 + len(says) * TEXT_WIDTH + 18
            # The next line of the legend, where this one is full.
            if x + wide > self.drawing.width - MARGIN:
                x, y = MARGIN, y + 18
            if tone in _BOXES:
                self.drawing.boxes.append(Box(x, y - 9, 26, 12, tone))
            else:
                self.drawing.lines.append(Line(((x, y - 3), (x + 26, y - 3)), tone))
            self.text(x + 32, y, says, Tone.SMALL)
            x += wide
        for says in (*self.look.says, *(f"Rests on: {doubt}" for doubt in self.look.rests)):
            y += 16
            self.text(MARGIN, y, says, Tone.SMALL)
        self.drawing.height = y + MARGIN

    def along(self, wire: Wire, name: str, x: float, y: float) -> None:
        """What is said beside a drop: the far port, the VLANs, the own port."""
        texts = [(port_in_short(wire.end_at(name).port), Tone.SMALL), *self.said(wire)]
        # From the line away: own port, what crosses, far port.
        texts.append((port_in_short(wire.far_from(name).port), Tone.SMALL))
        for number, (text, tone) in enumerate(texts):
            self.text(x, y - 12 * number, text, tone, title=wire.title)

    def across(
        self, wire: Wire, name: str, start: float, end: float, y: float, beyond: float | None = None
    ) -> None:
        """What is said at a line from left to right: the port at each end, the VLANs between, or
        between `beyond` and the end.
        """
        near, far = wire.end_at(name).port, wire.far_from(name).port
        self.text(start + 3, y + 9, port_in_short(near), Tone.SMALL)
        self.text(end - 3, y + 9, port_in_short(far), Tone.SMALL, Anchor.END)
        middle = ((start if beyond is None else beyond) + end) / 2
        for number, (text, tone) in enumerate(self.said(wire)):
            self.text(middle, y - 3 - 10 * number, text, tone, Anchor.MIDDLE, wire.title)


_BOXES = {Tone.CORE, Tone.DISTRIBUTION, Tone.ACCESS, Tone.ROUTER, Tone.SERVER, Tone.FOLDED}
_SIGNS = {
    Tone.ROUTER: "router",
    Tone.CORE: "core",
    Tone.DISTRIBUTION: "distribution",
    Tone.ACCESS: "access",
    Tone.SERVER: "server",
    Tone.FOLDED: "several switches",
    Tone.BUNDLE: "several cables in one",
    Tone.DISCARDS: "the spanning tree discards",
    Tone.SHUT: "shut",
    Tone.WRONG: "something is wrong: ! says what",
    Tone.MARKED: "what is asked for",
    Tone.FAINT: "the rest",
}


def port_in_short(name: str) -> str:
    """The name of a port, or the end of a long one."""
    return name if len(name) <= _LONGEST_PORT else f"…{name[1 - _LONGEST_PORT :]}"


def text_width(texts: Sequence[str]) -> float:
    """How wide the longest of some texts is."""
    return max((len(text) for text in texts), default=0) * TEXT_WIDTH
