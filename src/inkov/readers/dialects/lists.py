"""Lists of VLANs and of ports, as a dialect says that they are written."""

from __future__ import annotations

import re

from msgspec import Struct, field

from inkov.readers.sheets.words import BadLine, names
from inkov.vlanset import VlanSet

__all__ = ["Lists"]

_SAFE_NAME = re.compile(r'[^\s,:;#"\[\]]+\Z')
_TO = "\x1f"  # stands for a range word while a list is taken apart


class Lists(Struct):
    """The marks and words of lists.

    `separators` and `ranges` stand between items and between the ends of a range. `kinds` are words
    that belong to a port's name (`kind 1/2` or `kind1/2`); they may be abbreviated. `numbers` and
    `marks` are worked out from these.
    """

    separators: list[str] = field(default_factory=lambda: [","])
    ranges: list[str] = field(default_factory=lambda: ["-"])
    kinds: list[str] = field(default_factory=list)
    _number: re.Pattern[str] | None = None
    _glue: set[str] = field(default_factory=set)
    _kinds: dict[str, str | None] = field(default_factory=dict)

    def __post_init__(self) -> None:
        marks = "".join(mark for mark in (*self.separators, *self.ranges) if not mark[:1].isalnum())
        self._number = re.compile(rf"[0-9\[\]{re.escape(marks)}]+\Z")
        self._glue = {mark.lower() for mark in (*self.separators, *self.ranges)} | {"[", "]"}

    # --- how far a list goes ---

    def vlans_from(self, words: list[str], at: int) -> int:
        """How many words from `at` on are a list of VLAN numbers."""
        end = at
        assert self._number is not None
        while end < len(words) and (
            self._number.match(words[end]) or words[end].lower() in self._glue
        ):
            end += 1
        # A list begins and ends with a number, and holds one.
        while end > at and not any(c.isdigit() for c in words[end - 1]) and words[end - 1] != "]":
            end -= 1
        return end - at if any(c.isdigit() for word in words[at:end] for c in word) else 0

    def names_from(self, words: list[str], at: int) -> int:
        """How many words from `at` on are a list of VLAN numbers or names: one, and more after
        separators.
        """
        end = at + 1
        if words[at] == "[":
            while end < len(words) and words[end - 1] != "]":
                end += 1
            return end - at
        while end < len(words):
            begins = words[end][:1] in self._glue or words[end].lower() in self._glue
            if not begins and not self._goes_on(words[end - 1]):
                break
            end += 1
        return end - at

    def _goes_on(self, word: str) -> bool:
        """True if a word is a mark of lists, or ends with one that is no word."""
        return word.lower() in self._glue or (not word[-1:].isalnum() and word[-1:] in self._glue)

    def port_from(self, words: list[str], at: int) -> int:
        """1 or 2 words: a port's name, or its kind and its number."""
        if self._kind(words[at]) is not None:
            return 2 if at + 1 < len(words) and words[at + 1][:1].isdigit() else 0
        return 1

    def ports_from(self, words: list[str], at: int) -> int:
        """How many words from `at` on are a list of ports: all that are ports, marks, or kinds of
        ports.
        """
        end = at
        while end < len(words):
            word = words[end]
            item = (
                any(c.isdigit() for c in word)
                or word.lower() in self._glue
                or self._kind(word) is not None
            )
            if not item and end > at and not self._goes_on(words[end - 1]):
                break
            end += 1
        while end - at > 1 and words[end - 1].lower() in self._glue and words[end - 1] != "]":
            end -= 1
        return end - at

    # --- what it holds ---

    def vlans(self, text: str) -> VlanSet:
        """The VLANs of a list of numbers. VlanListError or BadLine if it is none."""
        return VlanSet.parse(self._plain(text)) if text else VlanSet()

    def items(self, text: str) -> list[str]:
        """The items of a list of names."""
        return [item for item in re.split(r"[,\s]+", self._plain(text)) if item]

    def port(self, text: str) -> str:
        """A port's name as it is kept: its kind written out, one space before the number."""
        kind, _, rest = text.partition(" ")
        if not rest:
            found = re.match(r"([A-Za-z][A-Za-z-]*)([0-9].*)\Z", text)
            if found is None or self._kind(found[1]) is None:
                return text
            kind, rest = found[1], found[2]
        full = self._kind(kind)
        return f"{full} {rest.strip()}" if full is not None else text

    def ports(self, text: str) -> list[str]:
        """The ports of a list, ranges written out. BadLine if a range makes no sense."""
        found: list[str] = []
        kind = ""
        for item in self._plain(text, ports=True).split(","):
            words = item.split()
            pending = ""
            for word in words:
                if self._kind(word) is not None and not any(c.isdigit() for c in word):
                    pending = self._kind(word) or ""
                    continue
                own = self.port(word)
                if own != word:  # the kind stands in the same word
                    kind, _, word = own.partition(" ")
                elif pending:
                    kind = pending
                elif not word[:1].isdigit():
                    kind = ""
                pending = ""
                found += [f"{kind} {name}" if kind else name for name in self._range(word)]
        return found

    def _range(self, word: str) -> list[str]:
        for mark in (_TO, *self.ranges):
            if mark.isalnum() or mark not in word:
                continue
            first, _, last = word.rpartition(mark)
            low, high = re.search(r"[0-9]+\Z", first), re.search(r"[0-9]+\Z", last)
            # The mark may be part of a name: a range goes from a number to a number, on the same
            # stem.
            if low and high and last[: high.start()] in ("", first[: low.start()]):
                if not _SAFE_NAME.match(first):
                    raise BadLine(f"{word!r} is not a range of ports")
                return names(f"{first}..{last}")
        return [word]

    def _plain(self, text: str, *, ports: bool = False) -> str:
        """The list with commas and hyphens, whatever its own marks were."""
        for mark in self.separators:
            if mark != ",":
                text = (
                    re.sub(rf"(?<!\w){re.escape(mark)}(?!\w)", ",", text, flags=re.IGNORECASE)
                    if (mark.isalnum())
                    else text.replace(mark, ",")
                )
        text = text.replace("[", " ").replace("]", " ")
        hyphen = _TO if ports else "-"
        for mark in self.ranges:
            if mark.isalnum():
                text = re.sub(rf"\s+{re.escape(mark)}\s+", hyphen, text, flags=re.IGNORECASE)
            elif ports:
                text = re.sub(rf"\s+{re.escape(mark)}\s+", mark, text)
            else:
                text = text.replace(mark, "-")
        if not ports:
            text = re.sub(r"\s*-\s*", "-", text)
            text = re.sub(r"(?<=[0-9])\s+(?=[0-9])", ",", text)
        return re.sub(r",(?:\s*,)+", ",", text).strip().strip(",")

    def _kind(self, word: str) -> str | None:
        """The kind of port that a word names, written out."""
        if not self.kinds:
            return None
        if word not in self._kinds:
            low = word.lower()
            close = [kind for kind in self.kinds if kind.lower() == low]
            close = close or [kind for kind in self.kinds if low and kind.lower().startswith(low)]
            if len(self._kinds) < 100_000:
                self._kinds[word] = close[0] if len(close) == 1 else None
            else:
                return close[0] if len(close) == 1 else None
        return self._kinds[word]
