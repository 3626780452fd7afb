"""Values in the lines of texts of a dialect, and others in their place, in the same style."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from inkov.campus import Device
from inkov.readers.dialects.effects import Named
from inkov.readers.dialects.file import Dialect
from inkov.readers.dialects.lists import Lists
from inkov.readers.sheets.words import BadLine
from inkov.vlanset import VlanListError, VlanSet

__all__ = ["Values", "name_of", "separator", "vids_of", "words_of"]

_MOST_SPANS = 400


class Values:
    """Finds values in lines of a dialect. VLANs that have a name on `wanted` go by it where another
    one did.
    """

    def __init__(self, dialect: Dialect, wanted: Device) -> None:
        self.dialect = dialect
        self.wanted = wanted

    def spans(self, line: str) -> list[tuple[int, int]]:
        """Rows of words of a line, the longest first."""
        ends = list(_word_pattern(self.dialect).finditer(line))
        spans = [
            (one.start(), other.end()) for number, one in enumerate(ends) for other in ends[number:]
        ]
        return sorted(spans, key=lambda span: span[0] - span[1])[:_MOST_SPANS]

    def replaced(self, line: str, old: Any, new: Any) -> Iterator[str]:
        """A line in which another value stands where the old one stood."""
        wanted = vids_of(old)
        # A value of yes or no is a word of the language, not the value itself.
        if isinstance(old, bool) and isinstance(new, bool):
            yield from [line] if old is new else self._switched(line)
            return
        for start, end in self.spans(line):
            text = line[start:end]
            if isinstance(new, (VlanSet, int)) and not isinstance(new, bool):
                # Only where the words mean just what was read.
                listed = self._listed(text, old)
                if listed is None or listed != wanted:
                    continue
                vids = new if isinstance(new, VlanSet) else VlanSet.of(new)
                if len(vids) == 1 and not text.strip('"')[:1].isdigit():
                    # It was called by name: the other one is as well, if it has one.
                    called = name_of(self.wanted, min(vids))
                    if called:
                        yield line[:start] + called + line[end:]
                if vids:
                    yield line[:start] + _list_text(text, vids, self.dialect.lists) + line[end:]
            elif text.strip('"') == str(old) and new is not None:
                quote = '"' if text.startswith('"') else ""
                yield f"{line[:start]}{quote}{new}{quote}{line[end:]}"

    def _switched(self, line: str) -> Iterator[str]:
        """A line with the opposite of its word for yes or no."""
        lists = self.dialect.lists
        for word in _word_pattern(self.dialect).finditer(line):
            for words, others in ((lists.yes, lists.no), (lists.no, lists.yes)):
                if word[0].lower() in words:
                    for other in others:
                        yield line[: word.start()] + other + line[word.end() :]

    def _listed(self, text: str, old: Any) -> VlanSet | None:
        """The VLANs of a row of words, by number, or as the name that was read."""
        if isinstance(old, Named) and text in old.items:
            return vids_of(old)
        words = words_of(text, self.dialect)
        # A word is no list of numbers, nor is half of one in brackets.
        if not (words[0][:1].isdigit() or words[0][:1] == "[") or text.count("[") != text.count(
            "]"
        ):
            return None
        try:
            return self.dialect.lists.vlans(words)
        except (BadLine, VlanListError):
            return None


def vids_of(value: Any) -> VlanSet:
    """The VLANs of a value, where it has them by number."""
    if isinstance(value, VlanSet):
        return value
    if isinstance(value, int) and not isinstance(value, bool):
        return VlanSet.of(value)
    if isinstance(value, Named):
        try:
            return VlanSet.parse(",".join(value.items))
        except VlanListError:
            return VlanSet()
    return VlanSet()


def name_of(device: Device, vid: int) -> str:
    row = device.row(vid)
    return row.name.value if row is not None and row.name is not None else ""


def _word_pattern(dialect: Dialect) -> re.Pattern[str]:
    ends = dialect.text.statement_end
    apart = re.escape(dialect.text.spaces + (ends if ends and len(ends) == 1 else "") + "{}")
    return re.compile(rf'"[^"]*"|[^\s"{apart}]+')


def words_of(text: str, dialect: Dialect) -> list[str]:
    return [word[0] for word in _word_pattern(dialect).finditer(text)] or [""]


def separator(text: str, lists: Lists) -> str:
    """What stands between the items of a list."""
    for mark in lists.separators:
        shown = f" {mark} " if mark[:1].isalnum() else mark
        if shown in text:
            return shown + " " * (not mark[:1].isalnum() and f"{mark} " in text)
    # Items without any mark: spaces alone separate them.
    if len(text.split()) > 1 and not any(mark in text for mark in lists.ranges):
        return " "
    mark = lists.separators[0] if lists.separators else ""
    return f" {mark} " if mark[:1].isalnum() else f"{mark}" or " "


def _list_text(old: str, vids: VlanSet, lists: Lists) -> str:
    """A list of VLANs; items that stay as a whole stay as they are written."""
    # Brackets stay around the list, with the spaces inside them.
    if old.startswith("[") and old.endswith("]"):
        inner = old[1:-1].strip()
        space = " " * (inner != old[1:-1])
        return f"[{space}{_list_text(inner, vids, lists)}{space}]"
    mark = separator(old, lists)
    pieces = [piece.strip() for piece in old.split(mark.strip() or None)]
    items: list[tuple[int, str]] = []
    left = vids
    for piece in pieces:
        try:
            whole = lists.vlans(piece.split())
        except (BadLine, VlanListError):
            whole = VlanSet()
        # An item stays as it is written if all of it stays.
        if whole and not whole - left:
            items.append((min(whole), piece))
            left = left - whole
    between = next((mark for mark in lists.ranges if mark in old), (lists.ranges or ["-"])[0])
    joined = f" {between} " if between[:1].isalnum() else between
    for low, high in left.ranges():
        if high == low:
            items.append((low, str(low)))
        elif high == low + 1 and lists.separators:
            # Two neighbours are written as two: some languages want three for a range.
            items += [(low, str(low)), (high, str(high))]
        else:
            items.append((low, f"{low}{joined}{high}"))
    return mark.join(text for _, text in sorted(items))
