"""Lists of VLANs and of ports, as a dialect says that they are written.

Theory of operation. A list is first taken apart into tokens: names, separators, range marks. Only
then is it looked at what they mean. Nothing is rewritten on the way, so a mark within a quoted name
stays a part of the name. The grammar is the same for all lists::

    list = [ "[" ] item *( [ separator ] item ) [ "]" ]
    item = name [ range-mark name ]
    name = [ kind ] WORD | QUOTED                            ; a kind is a word of a port's name

What is not surely a port, or not surely a range, is refused (`BadLine`), so that its line counts as
not understood: a port that is invented, or one that is lost from the middle of a range, changes
which VLANs meet, and nobody would see it. Four things make a range sure: both its ends are numbers
or have the same words before their last number, both are of one kind, the first is not above the
last, and no other reading of the same word is a range as well.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from enum import Enum
from typing import NamedTuple

from msgspec import Struct, field

from inkov.readers.sheets.words import MOST_PORTS, BadLine, numbered
from inkov.vlanset import VlanSet

__all__ = ["Lists", "Quoted", "Wild"]

_ENDS_IN_NUMBER = re.compile(r"(.*?)([0-9]+)\Z", re.DOTALL)
_UNIT = re.compile(r"([0-9]+)(.*?[^0-9])([0-9]+)\Z", re.DOTALL)  # unit, what follows, port
_STRANGE = re.compile(r"\.\.+|[^\w/.:\- ]+")  # what names of ports do not hold, as a rule
_KIND_AND_NUMBER = re.compile(r"([A-Za-z][A-Za-z-]*)([0-9].*)\Z")
_MOST_KINDS_KNOWN = 100_000


class Quoted(str):
    """A word that stood in quotes: a name, whatever marks it holds."""

    __slots__ = ()


class Wild(NamedTuple):
    """All ports whose name fits a pattern (`*` for any row of characters), but for some."""

    pattern: str
    but: tuple[str, ...] = ()

    def __str__(self) -> str:
        return f"{self.pattern} but {', '.join(self.but)}" if self.but else self.pattern


class _Mark(Enum):
    SEPARATOR = "separator"
    TO = "to"
    BUT = "but"


class _Token(NamedTuple):
    """A name (`mark` None), or a mark of lists."""

    text: str
    mark: _Mark | None = None


class _Port(NamedTuple):
    """A port's name in its parts: the kind, "" for none, and the rest."""

    kind: str
    rest: str

    @property
    def name(self) -> str:
        """The name as it is kept: its kind written out, one space before the number."""
        return f"{self.kind} {self.rest}" if self.kind else self.rest


class Lists(Struct):
    """The marks and words of lists.

    `separators` and `ranges` stand between items and between the ends of a range. `kinds` are words
    that belong to a port's name (`kind 1/2` or `kind1/2`); they may be abbreviated. `port_names`
    are ports without any number. `wildcards` are marks that stand for any characters of a port's
    name, `every` words for all ports; what stands behind one of `but` is left out of a list of
    ports. `yes` and `no` are the language's words for these. `item_words` may stand before any
    item, and mean nothing; a range of ports may run over units of `ports_per_unit` ports. `_number`
    and `_glue` are worked out from the others.
    """

    separators: list[str] = field(default_factory=lambda: [","])
    ranges: list[str] = field(default_factory=lambda: ["-"])
    kinds: list[str] = field(default_factory=list)
    port_names: list[str] = field(default_factory=list)
    wildcards: list[str] = field(default_factory=list)
    every: list[str] = field(default_factory=list)
    but: list[str] = field(default_factory=list)
    yes: list[str] = field(default_factory=lambda: ["yes", "on"])
    no: list[str] = field(default_factory=lambda: ["no", "off"])
    item_words: list[str] = field(default_factory=list)
    ports_per_unit: int = 0
    _number: re.Pattern[str] | None = None
    _split: re.Pattern[str] | None = None
    _glue: set[str] = field(default_factory=set)
    _kinds: dict[str, str | None] = field(default_factory=dict)

    def __post_init__(self) -> None:
        marks = [mark for mark in (*self.separators, *self.ranges) if not mark[:1].isalnum()]
        self._number = re.compile(rf"[0-9\[\]{re.escape(''.join(marks))}]+\Z")
        separators = [mark for mark in self.separators if not mark[:1].isalnum()]
        longest_first = sorted([*separators, "[", "]"], key=len, reverse=True)
        self._split = re.compile("(" + "|".join(map(re.escape, longest_first)) + ")")
        self.item_words = [word.lower() for word in self.item_words]
        marks = [*self.separators, *self.ranges, *self.item_words]
        self._glue = {mark.lower() for mark in marks} | {"[", "]"}
        self.every = [word.lower() for word in self.every]
        self.but = [word.lower() for word in self.but]
        self.yes = [word.lower() for word in self.yes]
        self.no = [word.lower() for word in self.no]

    # --- how far a list goes ----------------------------------------------------------------------

    def vlans_from(self, words: Sequence[str], at: int) -> int:
        """How many words from `at` on are a list of VLAN numbers."""
        end = at
        assert self._number is not None
        while end < len(words) and (
            self._number.match(words[end]) or words[end].lower() in self._glue
        ):
            end += 1
        # A mark at the end belongs to what follows the list.
        # A list begins and ends with a number, and holds one.
        while end > at and not _has_digit(words[end - 1]) and words[end - 1] != "]":
            end -= 1
        return end - at if any(_has_digit(word) for word in words[at:end]) else 0

    def names_from(self, words: Sequence[str], at: int) -> int:
        """How many words from `at` on are a list of VLAN numbers or names: one, and more after
        separators.
        """
        end = at + 1
        # In brackets the list ends with them, whatever stands in between.
        if words[at] == "[":
            while end < len(words) and words[end - 1] != "]":
                end += 1
            return end - at
        while end < len(words):
            word = words[end]
            begins = not isinstance(word, Quoted) and (
                word[:1] in self._glue or word.lower() in self._glue
            )
            # Neither this word nor the one before is a mark: the list has ended.
            if not begins and not self._goes_on(words[end - 1]):
                break
            end += 1
        return end - at

    def port_from(self, words: Sequence[str], at: int) -> int:
        """1 or 2 words: a port's name, or its kind and its number."""
        # A kind needs its number; without one, the word is no port.
        if self._kind(words[at]) is not None and not isinstance(words[at], Quoted):
            return 2 if at + 1 < len(words) and words[at + 1][:1].isdigit() else 0
        return 1

    def ports_from(self, words: Sequence[str], at: int) -> int:
        """How many words from `at` on are a list of ports: all that are ports, marks, or kinds of
        ports.
        """
        end = at
        while end < len(words):
            word = words[end]
            item = isinstance(word, Quoted) or self._is_of_ports(word)
            # The first word is taken whatever it is: whether it is a port is decided later.
            if not item and end > at and not self._goes_on(words[end - 1]):
                break
            end += 1
        while end - at > 1 and words[end - 1].lower() in self._glue and words[end - 1] != "]":
            end -= 1
        return end - at

    def _is_of_ports(self, word: str) -> bool:
        """True for a word that can only be a part of a list of ports."""
        low = word.lower()
        known = low in self._glue or word in self.port_names or low in self.every or low in self.but
        wild = any(mark in word for mark in self.wildcards)
        return known or wild or _has_digit(word) or self._kind(word) is not None

    def _goes_on(self, word: str) -> bool:
        """True if a word is a mark of lists, or ends with one that is no word."""
        if isinstance(word, Quoted):
            return False
        # A mark that is a letter ("a") would end every word that ends with it.
        return word.lower() in self._glue or (not word[-1:].isalnum() and word[-1:] in self._glue)

    # --- tokens -----------------------------------------------------------------------------------

    def _tokens(self, words: Sequence[str]) -> Iterator[_Token]:
        """The names and marks of a list; brackets around it mean nothing."""
        separators = {mark.lower() for mark in self.separators}
        ranges = {mark.lower() for mark in self.ranges}
        assert self._split is not None
        for word in words:
            if isinstance(word, Quoted):
                yield _Token(word)
                continue
            # A word of letters and digits only holds no mark.
            for piece in self._split.split(word) if not word.isalnum() else (word,):
                if piece in ("", "[", "]") or piece.lower() in self.item_words:
                    continue
                if piece.lower() in separators:
                    yield _Token(piece, _Mark.SEPARATOR)
                elif piece.lower() in ranges:
                    yield _Token(piece, _Mark.TO)
                elif piece.lower() in self.but:
                    yield _Token(piece, _Mark.BUT)
                else:
                    yield _Token(piece)

    # --- VLANs ------------------------------------------------------------------------------------

    def vlans(self, words: Sequence[str]) -> VlanSet:
        """The VLANs of a list of numbers. VlanListError if it is none."""
        items = self.items(words)
        return VlanSet.parse(",".join(items)) if items else VlanSet()

    def items(self, words: Sequence[str]) -> list[str]:
        """The items of a list of VLAN numbers and names, a range as `LOW-HIGH`."""
        items: list[str] = []
        open_range = False
        for token in self._tokens(words):
            # A range goes on with the next name.
            if token.mark is _Mark.TO:
                open_range = True
                items.append(f"{items.pop() if items else ''}-")
            elif token.mark is None:
                text = token.text if isinstance(token.text, Quoted) else self._hyphen(token.text)
                if open_range:
                    items[-1] += text
                else:
                    items.append(text)
                open_range = False
        return items

    def _hyphen(self, word: str) -> str:
        """A range of numbers within a word, with a hyphen whatever its own mark was."""
        for mark in self.ranges:
            low, between, high = word.partition(mark)
            if between and low[-1:].isdigit() and high[:1].isdigit():
                return f"{low}-{high}"
        return word

    # --- ports ------------------------------------------------------------------------------------

    def port(self, words: Sequence[str]) -> str:
        """One port's name, as it is kept. BadLine if the words are none, or several ports."""
        for word in words:
            # A pattern is never one port, however many it would fit.
            several = word.lower() in self.every or any(mark in word for mark in self.wildcards)
            if several and not isinstance(word, Quoted):
                raise BadLine(f"one port is expected here, not {' '.join(words)!r}")
        named = self.ports(words, single=True)
        if len(named) != 1:
            raise BadLine(f"one port is expected here, not {' '.join(words)!r}")
        return named[0]

    def one_name(self, words: Sequence[str]) -> str:
        """The name of one thing that need not be a port. BadLine for what looks like several."""
        numbered = any(_has_digit(word) for word in words)
        return self.port(words) if numbered else self.spelled(" ".join(words))

    def spelled(self, name: str) -> str:
        """A name with its kind, if it has one, written out: `be1/2` as `bed 1/2`."""
        # Kind and number may be written together.
        kind, _, rest = name.partition(" ")
        if not rest:
            together = _KIND_AND_NUMBER.match(name)
            if together is None:
                return name
            kind, rest = together[1], together[2]
        own = self._kind(kind)
        self._refuse_unclear(kind)
        return _Port(own, rest.strip()).name if own is not None else name

    def selected(self, words: Sequence[str]) -> list[str | Wild]:
        """The ports of a list: those that are named, ranges written out, and patterns, for ports
        that are named elsewhere. BadLine for what is not surely a port.
        """
        tokens = list(self._tokens(words))
        cut = next((n for n, token in enumerate(tokens) if token.mark is _Mark.BUT), len(tokens))
        named = self._selected(tokens[:cut])
        # Without an exception, the list is as it stands.
        if cut == len(tokens):
            if not named:
                raise BadLine("no port is named here")
            return named
        left_out = self._selected(tokens[cut + 1 :])
        # An exception that names nothing, or everything, says something else than it seems to.
        if not named or not left_out or any(isinstance(name, Wild) for name in left_out):
            raise BadLine("a list of ports lacks what is left out, or what it is left out of")
        but = tuple(str(port) for port in left_out)
        kept = [port for port in named if port not in but]
        return [Wild(port.pattern, but) if isinstance(port, Wild) else port for port in kept]

    def _selected(self, tokens: list[_Token]) -> list[str | Wild]:
        """The same of tokens without exceptions."""
        named: list[str | Wild] = []
        plain: list[_Token] = []
        for at, token in enumerate(tokens):
            word = token.text
            wild = token.mark is None and not isinstance(word, Quoted)
            if wild and word.lower() in self.every:
                named.append(Wild("*"))
            elif wild and any(mark in word for mark in self.wildcards):
                before = tokens[at - 1] if at else None
                # The kind before a pattern belongs to it, and is no port of its own.
                kind = self._kind(before.text) if before and before.mark is None else None
                if kind is not None and plain:
                    plain.pop()
                for mark in self.wildcards:
                    word = word.replace(mark, "*")
                # Kind and pattern may be written together, as a name may.
                named.append(Wild(_Port(kind, word).name if kind else self.spelled(word)))
            else:
                plain.append(token)
        ports = self._ports(plain, single=False) if plain else []
        return [*ports, *named]

    def ports(self, words: Sequence[str], *, single: bool = False) -> list[str]:
        """The ports of a list, ranges written out. BadLine for what is not surely a port.

        `single`: only one is expected, so that a mark in a name is a part of it.
        """
        return self._ports(list(self._tokens(words)), single=single)

    def _ports(self, tokens: list[_Token], *, single: bool) -> list[str]:
        ports: list[str] = []
        kind = ""  # of the item before: `bed 1, 2` are two of one kind
        at = 0
        while at < len(tokens):
            if tokens[at].mark is _Mark.SEPARATOR:
                at += 1
                continue
            first, at = self._port_at(tokens, at, kind)
            kind = first.kind
            # What joins two tokens with a range mark is surely meant as a range.
            if at < len(tokens) and tokens[at].mark is _Mark.TO:
                last, at = self._port_at(tokens, at + 1, "")
                ports += self._between(first, last)
            elif isinstance(tokens[at - 1].text, Quoted):
                # A quoted name is one port, whatever marks it holds.
                ports.append(first.name)
            else:
                ports += self._within(first, single=single)
        return ports

    def _port_at(self, tokens: list[_Token], at: int, kind: str) -> tuple[_Port, int]:
        """The port's name at a token, and the place behind it; `kind` is of the item before."""
        if at == len(tokens) or tokens[at].mark is not None:
            raise BadLine("a range of ports lacks an end")
        word = tokens[at].text
        if isinstance(word, Quoted):
            return _Port("", word), at + 1
        own = self._kind(word)
        # Only a kind: its number is the next word.
        if own is not None and not _has_digit(word):
            following = tokens[at + 1] if at + 1 < len(tokens) else None
            if following is None or following.mark is not None:
                raise BadLine(f"{word!r} is a kind of port, without a number")
            return _Port(own, following.text), at + 2
        together = _KIND_AND_NUMBER.match(word)
        self._refuse_unclear(word if together is None else together[1])
        if together is not None and self._kind(together[1]) is not None:
            return _Port(self._kind(together[1]) or "", together[2]), at + 1
        # `bed 1, 2`: the second has the kind of the first.
        return _Port(kind if word[:1].isdigit() else "", word), at + 1

    def _refuse_unclear(self, word: str) -> None:
        """BadLine if a word is short for several kinds of port."""
        meant = [kind for kind in self.kinds if kind.lower().startswith(word.lower())]
        known = self._kind(word) is not None or word in self.port_names
        # A word that is several kinds begun means none of them.
        if not known and len(meant) > 1:
            says = f"{word!r} is short for {' and for '.join(meant)}"
            raise BadLine(says, "write the kind of the port out")

    def _within(self, port: _Port, *, single: bool) -> list[str]:
        """The ports that one word names: one, or those of a range that it holds."""
        # Without a digit it could be any word of the language.
        if not _has_digit(port.rest) and port.rest not in self.port_names:
            # Where ports have no kinds, one word at a place for one port is a port.
            if single and not self.kinds:
                return [port.name]
            raise BadLine(
                f"{port.rest!r} is not known to be a port",
                "if it is one, add it to `port-names` in [lists]",
            )
        strange = _STRANGE.search(port.rest) if port.rest not in self.port_names else None
        # A mark that no setting names: perhaps a range that would become one port.
        if strange and not single and not any(mark in port.rest for mark in self.ranges):
            raise BadLine(
                f"{port.rest!r} is not surely a port: is {strange[0]!r} a mark of ranges or lists?",
                "name the mark in `ranges` or `separators` under [lists]; or the port in"
                " `port-names`",
            )
        readings: list[list[str]] = []
        unsure = False
        for mark in self.ranges:
            for cut in _places(mark, port.rest) if not mark.isalnum() else ():
                left, right = port.rest[:cut], port.rest[cut + len(mark) :]
                if not left[-1:].isdigit() or not _has_digit(right):
                    continue  # the mark is a part of a name, as in `port-1`
                try:
                    readings.append(self._between(_Port(port.kind, left), self._bare(right)))
                except BadLine:
                    unsure = True
        if single and not readings:
            return [port.name]
        # Two ways to read it, or one that fails: not sure means not understood.
        if unsure or len(readings) > 1:
            raise BadLine(
                f"{port.rest!r} is not surely a port, and not surely a range of ports",
                "if its marks belong to the name, leave them out of `ranges` in [lists]",
            )
        return readings[0] if readings else [port.name]

    def _between(self, first: _Port, last: _Port) -> list[str]:
        """All ports from the first to the last: of one unit, or of several, where it is known how
        many ports a unit has. BadLine if it is not sure which.
        """
        low, high = _UNIT.match(first.rest), _UNIT.match(last.rest)
        over = low and high and low[1] != high[1] and low[2] == high[2] and self.ports_per_unit
        # Within a unit, or not of two units that are built alike.
        if not low or not high or not over or last.kind not in ("", first.kind):
            return _between(first, last)
        names: list[str] = []
        most = str(self.ports_per_unit)
        for unit in numbered("", low[1], high[1]):
            begins = low[3] if unit == low[1] else "1"
            ends = high[3] if unit == high[1] else most
            # A number beyond the end of a unit is a slip, or the unit is larger than stated.
            if int(begins) > int(most) or int(ends) > int(most):
                shown = f"{first.name} to {last.name}"
                raise BadLine(f"{shown}: a unit has {most} ports", "see `ports-per-unit`")
            for name in numbered(f"{unit}{low[2]}", begins, ends):
                names.append(_Port(first.kind, name).name)
            if len(names) > MOST_PORTS:
                shown = f"{first.name} to {last.name}"
                raise BadLine(f"{shown} holds more than {MOST_PORTS} names")
        return names

    def _bare(self, word: str) -> _Port:
        """The second end of a range, with its kind if it states one."""
        together = _KIND_AND_NUMBER.match(word)
        kind = self._kind(together[1]) if together is not None else None
        return _Port("", word) if together is None or kind is None else _Port(kind, together[2])

    def _kind(self, word: str) -> str | None:
        """The kind of port that a word names, written out."""
        if not self.kinds:
            return None
        if word not in self._kinds:
            low = word.lower()
            close = [kind for kind in self.kinds if kind.lower() == low]
            # Written out it is that kind, even if another one begins with it.
            close = close or [kind for kind in self.kinds if low and kind.lower().startswith(low)]
            known = close[0] if len(close) == 1 else None
            # Names made up by the hundred thousand must not fill the memory.
            if len(self._kinds) >= _MOST_KINDS_KNOWN:
                return known
            self._kinds[word] = known
        return self._kinds[word]


def _has_digit(word: str) -> bool:
    return any(char.isdigit() for char in word)


def _places(mark: str, text: str) -> Iterator[int]:
    """Where a mark stands in a text."""
    at = text.find(mark)
    while at >= 0:
        yield at
        at = text.find(mark, at + 1)


def _between(first: _Port, last: _Port) -> list[str]:
    """All ports from the first to the last, by their last number. BadLine if that is not sure."""
    low, high = _ENDS_IN_NUMBER.match(first.rest), _ENDS_IN_NUMBER.match(last.rest)
    shown = f"{first.name} to {last.name}"
    if low is None or high is None or last.kind not in ("", first.kind):
        raise BadLine(f"{shown} is not a range of ports")
    if high[1] not in ("", low[1]):
        raise BadLine(
            f"{shown} goes over more than the last number: which ports lie between is not known",
            "write one range for each unit",
        )
    return [f"{_Port(first.kind, name).name}" for name in numbered(low[1], low[2], high[2])]
