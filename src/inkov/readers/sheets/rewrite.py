"""Edits made in the text of a switch sheet. What is not edited stays as it is written: order,
comments, spaces.

A line gets another value where all ports that its section is about get it. Where only some do,
these leave the section and get one of their own, right behind, with all that the section says: so
nothing is stated twice. What nothing says yet is added to the section of the ports.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from typing import Any, NamedTuple

from inkov.campus import Device, Fact
from inkov.edits import Edit, Kind
from inkov.edits.edit import places_of
from inkov.readers.rewriting import CannotWrite, Lines
from inkov.readers.sheets.reader import key_of, without_comment
from inkov.readers.sheets.words import PORT_KEYS, BadLine, names
from inkov.readers.sheets.writer import (
    gateway_lines,
    names_text,
    port_lines,
    row_text,
    value_text,
)
from inkov.vlanset import VlanListError, VlanSet

__all__ = ["rewrite"]

_KEYS = {attribute: key for key, (attribute, _) in PORT_KEYS.items()}
_OF_PORTS = ("port", "bundle", "sub")


def rewrite(text: str, device: Device, edits: Sequence[Edit]) -> str:
    """The text with some edits made. `device` is the switch as it is with them. Raises
    CannotWrite.
    """
    sheet = _Text(text)
    alike: dict[tuple[str, str | None], list[str]] = {}  # (key, value) -> ports that get it
    # Sections are found by their lines, which other edits move: they come first, the last foremost.
    for edit in sorted(edits, key=_by_line):
        if edit.kind is Kind.PORT and edit.attribute in _KEYS:
            after = _value(edit.after)
            value = None if after is None else value_text(edit.attribute, after)
            alike.setdefault((_KEYS[edit.attribute], value), []).append(edit.name)
        elif edit.kind is Kind.VLAN and device.vlans is not None:
            sheet.set_row(device, edit)
        elif edit.kind is Kind.GATEWAY and edit.attribute in ("enabled", "addresses"):
            after = _value(edit.after)
            if edit.attribute == "enabled":
                sheet.set_in_section(_line_of(edit), "gateway", "state", "on" if after else "off")
            else:
                sheet.set_in_section(_line_of(edit), "gateway", "address", _addresses(after))
        elif edit.kind is Kind.GATEWAY and edit.whole:
            lines = gateway_lines(edit.after) if edit.after is not None else None
            sheet.set_section(edit, ("gateway",), lines)
        elif edit.kind is Kind.PORT and edit.whole:
            # Nothing stands there yet: the address is then a line of its own in the port's section.
            lines = port_lines(edit.after) if edit.after is not None else None
            sheet.set_section(edit, _OF_PORTS, lines)
        elif edit.kind is Kind.PORT and edit.attribute == "addresses":
            sheet.set_of_ports([edit.name], "address", _addresses(edit.after))
        else:
            what = edit.attribute or "the whole of it"
            raise CannotWrite(f"{edit.kind} {edit.name}, {what}: not written into a sheet")
    for (key, value), ports in alike.items():
        sheet.set_of_ports(ports, key, value)
    return sheet.text


class _Ports(NamedTuple):
    """A section about ports."""

    head: int
    end: int
    word: str
    names: tuple[str, ...]


class _Text(Lines):
    """A sheet as lines. A section is the number of its heading, and where it ends."""

    def _sections(self) -> list[tuple[int, int, str, str]]:
        """(heading, end, word, what follows the word) of each section."""
        heads = [n for n, line in enumerate(self.lines) if without_comment(line).startswith("[")]
        sections = []
        for at, head in enumerate(heads):
            end = heads[at + 1] if at + 1 < len(heads) else len(self.lines)
            word, _, rest = without_comment(self.lines[head]).strip("[]").strip().partition(" ")
            sections.append((head, end, word, rest.strip()))
        return sections

    def _last(self, head: int, end: int) -> int:
        """Behind the last line of a section that says something."""
        saying = [n for n in range(head, end) if without_comment(self.lines[n])]
        return saying[-1] + 1

    def _line_of(self, head: int, end: int, key: str) -> int | None:
        """The last line of a section that states a key."""
        last = None
        for number in range(head + 1, end):
            line = without_comment(self.lines[number])
            if line and key_of(line)[0] == key:
                last = number
        return last

    def _put(self, number: int, key: str, value: str) -> None:
        """Another value in a line; a comment behind it stays."""
        old = self.lines[number]
        bare = without_comment(old)
        comment = old[old.index(bare) + len(bare) :] if bare in old else ""
        indent = old[: len(old) - len(old.lstrip())]
        self.lines[number] = f"{indent}{key}: {value}{comment}"

    # --- ports ---

    def set_of_ports(self, ports: Collection[str], key: str, value: str | None) -> None:
        """A value that ports get; with None they state none any more."""
        stating = self._stating(key)
        places: dict[_Ports | None, list[str]] = {}
        for port in ports:
            places.setdefault(stating.get(port), []).append(port)
        # From the last section on: what comes behind a section moves none before it.
        for place in sorted(filter(None, places), reverse=True):
            self._set_in(place, places[place], key, value)
        # Ports that no section is about get one; taking a value away needs none.
        if None in places and value is not None:
            new = ["", f"[port {names_text(places[None])}]", f"{key}: {value}", ""]
            self.lines[self._last(0, len(self.lines)) :] = new

    def _set_in(self, place: _Ports, ports: list[str], key: str, value: str | None) -> None:
        head, end = place.head, place.end
        # The others of the section keep what it says.
        if len(ports) < len(place.names):
            head, end = self._alone(place, ports)
        self._state(head, end, key, value)

    def _state(self, head: int, end: int, key: str, value: str | None) -> None:
        """A key of a section with another value, or without any."""
        at = self._line_of(head, end, key)
        if at is not None and value is not None:
            self._put(at, key, value)
        elif value is not None:
            # Nothing states it: a value that is taken away is away already.
            self.lines.insert(self._last(head, end), f"{key}: {value}")
        while value is None and at is not None:
            # An earlier line of the section would count again.
            del self.lines[at]
            at, end = self._line_of(head, end - 1, key), end - 1

    def _stating(self, key: str) -> dict[str, _Ports]:
        """For each port the last section that states a key, or else the last one about it."""
        silent: dict[str, _Ports] = {}
        stating: dict[str, _Ports] = {}
        for head, end, word, rest in self._sections():
            try:
                listed = tuple(dict.fromkeys(names(rest))) if word in _OF_PORTS else ()
            except BadLine:
                continue  # told where it is read
            kind = silent if self._line_of(head, end, key) is None else stating
            kind |= dict.fromkeys(listed, _Ports(head, end, word, listed))
        return silent | stating

    def _alone(self, place: _Ports, ports: list[str]) -> tuple[int, int]:
        """Take ports out of a section about more, into one of their own behind it."""
        head, word = place.head, place.word
        last = self._last(head, place.end)
        body = [line for line in self.lines[head + 1 : last] if without_comment(line)]
        comment = self.lines[head].partition("]")[2]
        others = [name for name in place.names if name not in ports]
        taken = [name for name in place.names if name in ports]
        self.lines[head] = f"[{word} {names_text(others)}]{comment}"
        self.lines[last:last] = [f"[{word} {names_text(taken)}]", *body]
        return last, last + 1 + len(body)

    # --- rows and gateways ---

    def set_row(self, device: Device, edit: Edit) -> None:
        vid = int(edit.name)
        row = (device.vlans or {}).get(vid)
        tables = [
            section for section in self._sections() if section[2] == "vlans" and not section[3]
        ]
        # A later row replaces an earlier one, so the last one is what holds.
        for head, end, _, _ in reversed(tables):
            for number in reversed(range(head + 1, end)):
                line = without_comment(self.lines[number])
                if not line or vid not in _vids(key_of(line)[0]):
                    continue
                # Splitting a row of several would state the others anew.
                if len(_vids(key_of(line)[0])) > 1:
                    raise CannotWrite(f"VLAN {vid} stands in a line with others")
                if row is None:
                    del self.lines[number]
                else:
                    key, _, value = row_text(row).partition(":")
                    self._put(number, key, value.strip())
                return
        if row is None:
            raise CannotWrite(f"VLAN {vid} is in no table")
        if tables:
            head, end, _, _ = tables[-1]
            # A table in ascending order stays so.
            bare = {number: without_comment(self.lines[number]) for number in range(head + 1, end)}
            before = [n for n, line in bare.items() if line and _is_below(key_of(line)[0], vid)]
            self.lines.insert(max(before, default=head) + 1, row_text(row))
        else:
            at = next((section[0] for section in self._sections()), self._last(0, len(self.lines)))
            self.lines[at:at] = ["[vlans]", row_text(row), ""]

    # --- sections of one thing ---

    def _section_with(self, line: int, words: Collection[str]) -> tuple[int, int]:
        """(heading, end) of the section that a line is in."""
        for head, end, word, _ in self._sections():
            if head <= line - 1 < end and word in words:
                return head, end
        raise CannotWrite(f"line {line} is in no section of {' or '.join(words)}")

    def set_in_section(self, line: int, word: str, key: str, value: str | None) -> None:
        """A value in the section that a line is in; with None it states none any more."""
        self._state(*self._section_with(line, (word,)), key, value)

    def set_section(self, edit: Edit, words: Collection[str], lines: Iterable[str] | None) -> None:
        """A section of its own for what is new, behind the last one of its kind; for what is gone
        none any more, nor the empty line before it.
        """
        if lines is not None:
            alike = [end for end in self._sections() if end[2] in words]
            head, end = alike[-1][:2] if alike else (0, len(self.lines))
            at = self._last(head, end)
            self.lines[at:at] = ["", *lines]
            return
        head, end = self._section_with(edit.before.origin.line, words)
        rest = without_comment(self.lines[head]).strip("[]").strip().partition(" ")[2]
        # The others of the section are not gone.
        if words == _OF_PORTS and len(names(rest)) > 1:
            raise CannotWrite(f"{edit.name} stands in a section with others")
        first = head - 1 if head and not self.lines[head - 1].strip() else head
        del self.lines[first : self._last(head, end)]


def _by_line(edit: Edit) -> int:
    """Edits of sections first, the last one foremost; then what is new, then all others."""
    if edit.kind is Kind.GATEWAY or (edit.kind is Kind.PORT and edit.whole):
        return -_line_of(edit) if edit.before is not None else 0
    return 1


def _line_of(edit: Edit) -> int:
    """A line of the section of a thing."""
    for value in (edit.before, edit.after):
        for origin in places_of(value):
            return origin.line
    raise CannotWrite(f"{edit.kind} {edit.name} has no section")


def _addresses(facts: Iterable[Fact[Any]]) -> str | None:
    """Addresses as a line states them; None where there are none."""
    return ", ".join(str(fact.value) for fact in facts) or None


def _value(fact: Any) -> Any:
    return fact.value if isinstance(fact, Fact) else fact


def _is_below(key: str, vid: int) -> bool:
    """Whether all VLANs of a row come before one."""
    vids = _vids(key)
    return bool(vids) and max(vids) < vid


def _vids(key: str) -> VlanSet:
    try:
        return VlanSet.parse(key)
    except VlanListError:
        return VlanSet()
