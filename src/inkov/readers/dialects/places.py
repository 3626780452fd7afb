"""Where in a TOML text a key or a string stands: the standard library's reader does not tell."""

from __future__ import annotations

import re

from inkov.campus import Origin, Problem

__all__ = ["Places"]


class Places:
    """Finds keys and strings in one text."""

    def __init__(self, file: str, text: str) -> None:
        self.file = file
        self.text = text

    def problem(self, keys: list[str], says: str, at: int = 0) -> Problem:
        """A problem at the last of `keys`, looked for one within the other; `at` is the offset of a
        fault in it.
        """
        start, offset_found = 0, 0
        for key in keys:
            # A key with quotes in it is written with backslashes in TOML.
            spelled = [key, key.replace("\\", "\\\\").replace('"', '\\"')]
            places = [place for text in spelled if (place := self._find(text, start)) >= 0]
            # A key that is not there leaves the place at the one around it.
            if places:
                offset_found = start = min(places)
        offset = offset_found + at
        line = self.text.count("\n", 0, offset) + 1
        begin = self.text.rfind("\n", 0, offset) + 1
        shown = self.text[begin:].split("\n", 1)[0]
        column = offset - begin + 1
        printable = "".join(c if c.isprintable() else " " for c in shown)
        return Problem(
            Origin(self.file, line),
            f"column {column}: {says}\n  {printable}\n  {' ' * (column - 1)}^",
            "",
        )

    def _find(self, text: str, start: int) -> int:
        """The first place from `start` where the text stands as a key, a table or a string of its
        own.
        """
        place = re.compile(rf"(?<![\w-]){re.escape(text)}(?![\w-])", re.MULTILINE).search(
            self.text, start
        )
        return place.start() if place else -1
