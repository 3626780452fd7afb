"""The statements of some texts, and the patterns that they come to."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

from msgspec import Struct, field

from inkov.campus import Device
from inkov.learn.begun import Settled
from inkov.readers.dialects.lists import Lists
from inkov.readers.dialects.shapes import ADDRESS, WORD, passages
from inkov.readers.dialects.text import Shape, Style, lines
from inkov.wiring.names import NameFinder

__all__ = [
    "ADDRESSED",
    "LIST",
    "PASSAGE",
    "PROFILE",
    "TEXT",
    "Known",
    "Look",
    "Pattern",
    "Row",
    "Slot",
    "is_numeric",
    "rows_of",
]

# What is blanked out in patterns: no text holds these characters.
LIST, TEXT, ADDRESSED = "\ue000", "\ue001", "\ue002"
PROFILE, PASSAGE = "\ue003", "\ue004"
_LONGEST = 500  # characters of a line
_DEEPEST = 8


class Slot(Struct):
    """What varies in a pattern: the words of each line, and what they are: `ports`, `vlans`, or ""
    where that is not known. `named` if VLANs are named in it, `single` if each line has one item.
    """

    words: list[tuple[str, ...]] = field(default_factory=list)
    kind: str = ""
    named: bool = False
    single: bool = True


class Pattern(Struct):
    """Statements of one wording: its tokens (LIST for a list, and so on for what varies), the
    pattern that it stands in, and its rows. `settled` is what a dialect that is begun makes of it;
    `describes`: its text is what the other source says that ports are called. `undone` are rows
    that undo it.
    """

    tokens: tuple[str, ...]
    parent: Pattern | None = None
    slots: list[Slot] = field(default_factory=list)
    opens: bool = False
    rows: list[Row] = field(default_factory=list)
    settled: Settled | None = None
    describes: bool = False
    undone: list[Row] = field(default_factory=list)

    @property
    def at(self) -> list[tuple[int, int]]:
        """For each of its lines the switch, by number, and the line."""
        return [(row.switch, row.number) for row in self.rows]

    @property
    def is_profile(self) -> bool:
        """Whether it opens a profile: settings that ports take over."""
        # A dialect that is begun says what it opens.
        if self.settled is not None:
            return self.settled.block == "profile"
        return self.opens and PROFILE in self.tokens

    @property
    def is_shared(self) -> bool:
        """Whether it is about what ports take over: in a profile, or names one."""
        return PROFILE in self.tokens or any(pattern.is_profile for pattern in self.path[:-1])

    @property
    def path(self) -> list[Pattern]:
        """The pattern, after those that it stands in."""
        return [*(self.parent.path if self.parent is not None else []), self]


class Look(Struct):
    """The style of the texts, how they write lists, and their patterns, parents before children.
    `defaults` is what a port may be where nothing is said, `groups` names of blocks that are taken.
    """

    style: Style
    lists: Lists
    patterns: list[Pattern]
    name_form: str = ""
    defaults: tuple[dict[str, Any], ...] = ()
    groups: frozenset[str] = frozenset()


class Row(Struct):
    """A statement: its switch, line, words, the row it stands in; its pattern, and its lists.
    `place` is the line it has in `rehearsal.one_by_one`, `profile` the place of the word that names
    a profile, -1 if there is none; `settled` what a dialect that is begun makes of it; `meant`
    tells whether anything may be learnt of it.
    """

    switch: int
    number: int
    place: int
    words: list[str]
    parent: Row | None
    opens: bool
    profile: int = -1
    settled: Settled | None = None
    meant: bool = True
    pattern: Pattern | None = None
    runs: list[tuple[str, ...]] = field(default_factory=list)

    def ports(self) -> Iterator[tuple[str, ...]]:
        """The lists of ports of this row, and of those that it stands in."""
        # A statement below a port is about this.
        row: Row | None = self
        while row is not None:
            for slot, run in zip(row.pattern.slots if row.pattern else (), row.runs, strict=False):
                if slot.kind == "ports":
                    yield run
            row = row.parent


class Known:
    """What another source tells of a switch: the names of its ports, and its VLANs."""

    def __init__(self, device: Device) -> None:
        described = {p.name: p.description.value for p in device.ports.values() if p.description}
        self.ports = NameFinder(device.ports, described)
        self.named = list(device.ports)
        self.described = described
        self.vids = {*(device.vlans or {}), 1}
        for port in device.ports.values():
            for fact in (port.access_vlan, port.pvid, port.native_vlan, port.voice_vlan):
                self.vids |= {fact.value} if fact is not None and fact.value else set()
        rows = (device.vlans or {}).values()
        self.names = {row.name.value: row.vid for row in rows if row.name and row.name.value}

    def has_vlan(self, vid: object) -> bool:
        return vid in self.vids


def rows_of(texts: Iterable[tuple[int, str]], style: Style) -> Iterator[Row]:
    """The statements of numbered texts, parents before what stands in them."""
    for switch, written in texts:
        text = written.replace("\r\n", "\n")
        free = passages(text.split("\n"), style.comment)
        skip_to = 0
        stack: list[tuple[int, Row]] = []
        place = 0
        for line in lines(text, style):
            # Comments, closing marks, and what a free text holds.
            if not line.meaning or line.number <= skip_to or line.text in style.close:
                continue
            place = place + 1 if style.shape is Shape.BRACED else line.number
            # What stood deeper is over.
            while stack and stack[-1][0] >= line.depth:
                stack.pop()
            parent = stack[-1][1] if stack else None
            strange = any(LIST <= char <= PASSAGE for char in line.text)
            if len(line.text) > _LONGEST or len(stack) > _DEEPEST or strange:
                continue  # no statement that anything could be learnt from
            words = WORD.findall(line.text)
            opens = line.opens
            # A text over several lines is one statement.
            if line.number - 1 in free and style.shape is not Shape.BRACED:
                begins, last = free[line.number - 1]
                skip_to, opens = last + 1, False
                words = [*text.split("\n")[line.number - 1][:begins].split(), PASSAGE]
            if not words:
                continue
            # A word that may lead any statement says nothing.
            if words[0] in style.lead and len(words) > 1:
                words = words[1:]
            row = Row(switch, line.number, place, words, parent, opens)
            stack.append((line.depth, row))
            yield row


def is_numeric(word: str) -> bool:
    """Whether a word holds a number, and is no address and no quoted text."""
    return any(c.isdigit() for c in word) and not word.startswith('"') and not ADDRESS.match(word)
