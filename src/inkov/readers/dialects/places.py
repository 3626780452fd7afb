"""Where in a TOML text a key or a string stands: the standard library's reader does not tell."""

from __future__ import annotations

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
        offset = self._offset(keys) + at
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

    def line(self, keys: list[str]) -> int:
        """The line of the last of `keys`, looked for one within the other."""
        return self.text.count("\n", 0, self._offset(keys)) + 1

    def _offset(self, keys: list[str]) -> int:
        start, found = 0, 0
        for key in keys:
            # A key with quotes in it is written with backslashes in TOML.
            spelled = {key, key.replace("\\", "\\\\").replace('"', '\\"')}
            places = [place for text in spelled if (place := self._find(text, start)) >= 0]
            # A key that is not there leaves the place at the one around it.
            if places:
                found = start = min(places)
        return found

    def _find(self, text: str, start: int) -> int:
        """The first place from `start` where the text stands as a key, a table or a string of its
        own: no word goes on before or behind it. -1 if there is none.
        """
        place = self.text.find(text, start)
        while place >= 0:
            end = place + len(text)
            around = self.text[max(place - 1, 0) : place] + self.text[end : end + 1]
            if not any(c.isalnum() or c in "_-" for c in around):
                break
            place = self.text.find(text, place + 1)
        return place
