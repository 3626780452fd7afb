"""From a JSON pointer to the line it stands on.

Readers keep only the pointer of a JSON fact; most are never shown. For those that are, the file is
opened up level by level along the pointer: `msgspec.Raw` gives each member's bytes at decoding
speed, and since members stand in the order they were decoded in, their places follow from their
lengths.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Mapping

import msgspec

from inkov.campus import Origin
from inkov.readers.openconfig import from_xml
from inkov.readers.openconfig.xml import parse_xml

__all__ = ["Locator"]

_OBJECT = msgspec.json.Decoder(dict[str, msgspec.Raw])
_LIST = msgspec.json.Decoder(list[msgspec.Raw])
_MEMBER = re.compile(rb'[\s,{]*("(?:[^"\\]|\\.)*")\s*:\s*', re.DOTALL)


class Locator:
    """Looks up lines in the files that were read. `files` maps a path, as in `Origin.file`, to its
    bytes.
    """

    def __init__(self, files: Mapping[str, bytes]) -> None:
        self._files = files
        self._names = Counter(file.rpartition("/")[2] for file in files)
        # (file, pointer) -> (offset of the value, its length, the pointer as written in the file,
        # offset of its name)
        self._xml: dict[str, dict[str, int]] = {}
        self._known: dict[tuple[str, str], tuple[int, int, str, int]] = {}

    def beside(self, other: Locator) -> Locator:
        """A locator for the files of both."""
        return Locator({**self._files, **other._files})

    def line(self, origin: Origin) -> int:
        """The line (from 1) of an origin; 0 if it has none."""
        # Text formats have the line already; what has no file has no line.
        if origin.line or not origin.file or not origin.pointer:
            return origin.line
        if from_xml.recognise(self._files.get(origin.file, b"")[:100]):
            return self._xml_line(origin)
        place = self._find(origin.file, origin.pointer)
        return self._files[origin.file].count(b"\n", 0, place[3]) + 1 if place else 0

    def _xml_line(self, origin: Origin) -> int:
        """The line of the element that a pointer leads to, or of the nearest one around it."""
        if origin.file not in self._xml:
            self._xml[origin.file] = parse_xml(self._files[origin.file]).lines
        lines, pointer = self._xml[origin.file], origin.pointer
        # An element that is missing is looked for around: where it would have to stand.
        while pointer and pointer not in lines:
            pointer = pointer.rpartition("/")[0]
        return lines.get(pointer, 0)

    def pointer(self, origin: Origin) -> str:
        """The pointer of an origin as the file spells it, module prefixes included; "" for text
        formats.
        """
        if not origin.pointer:
            return ""
        place = self._find(origin.file, origin.pointer)
        return place[2] if place else origin.pointer

    def unique_name(self, file: str) -> bool:
        """True if no other file that was read has the same name in another folder."""
        return self._names[file.rpartition("/")[2]] < 2

    def _find(self, file: str, pointer: str) -> tuple[int, int, str, int] | None:
        known = self._known.get((file, pointer))
        if known is not None:
            return known
        data = self._files.get(file)
        if data is None:
            return None
        if from_xml.recognise(data[:100]):
            return None
        # The root; a byte order mark is no part of it.
        if not pointer:
            start = 3 if data.startswith(b"\xef\xbb\xbf") else 0
            return self._remember(file, "", (start, len(data) - start, "", 0))
        above, _, _ = pointer.rpartition("/")
        parent = self._find(file, above)
        if parent is not None:
            try:
                self._open(file, data, above, parent)
            except (msgspec.DecodeError, UnicodeDecodeError):  # no container, or no text
                # The pointer leads into a plain value: that is the nearest there is.
                return parent
        # The nearest thing that is there: where a value is missing, its surroundings are what a
        # reader must look at.
        return self._known.get((file, pointer), parent)

    def _remember(
        self, file: str, pointer: str, place: tuple[int, int, str, int]
    ) -> tuple[int, int, str, int]:
        self._known[file, pointer] = place
        return place

    def _open(self, file: str, data: bytes, above: str, parent: tuple[int, int, str, int]) -> None:
        start, length, spelled, _ = parent
        inside = data[start : start + length]
        # Members of a list have no names: each is looked for behind the one before.
        if inside.lstrip()[:1] == b"[":
            at = inside.index(b"[") + 1
            for index, raw in enumerate(_LIST.decode(inside)):
                value = bytes(raw).strip()
                at = inside.index(value, at)
                place = (start + at, len(value), f"{spelled}/{index}", start + at)
                self._remember(file, f"{above}/{index}", place)
                at += len(value)
            return
        at = 0
        for key, raw in _OBJECT.decode(inside).items():
            match = _MEMBER.match(inside, at)
            value = bytes(raw).strip()
            if match is None or not inside.startswith(value, match.end()):
                return  # a key given twice: what stands before it has been found
            place = (
                start + match.end(),
                len(value),
                f"{spelled}/{_escape(key)}",
                start + match.start(1),
            )
            plain = f"{above}/{key.rpartition(':')[2]}"
            # The reader prefers the spelling with a prefix, too.
            if (file, plain) not in self._known or ":" in key:
                self._remember(file, plain, place)
            at = match.end() + len(value)


def _escape(key: str) -> str:
    return key.replace("~", "~0").replace("/", "~1")
