"""What the texts look like: their shape, and the patterns of their statements.

Theory of operation. Nothing is known of the language but its texts, and of the switches what
another source says: which ports and VLANs they have. A *pattern* is a statement with its lists
blanked out, below the patterns of the lines that it stands in:

    bench 1 to 6            bench #
        sows 10             bench # / sows #
        marker "fog"        bench # / marker "

A list (`#`) is a row of words with numbers, or of names of VLANs, with the marks and words that
only ever stand between such. Whether it is a list of ports or of VLANs is told by the other source:
each of its items, in each line of the pattern, must be a port of that switch, or a VLAN of it.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from copy import copy
from itertools import pairwise
from typing import Any

from msgspec import Struct, field

from inkov.campus import Device
from inkov.learn.begun import PREFIX, Begun, Settled
from inkov.learn.hypothesis import DEFAULTS
from inkov.learn.toml import written_style
from inkov.readers.dialects.lists import Lists
from inkov.readers.dialects.shapes import ADDRESS, WORD, guessed_style, passages
from inkov.readers.dialects.text import Shape, Style, lines
from inkov.readers.sheets.words import BadLine
from inkov.vlanset import VlanListError
from inkov.wiring.names import NameFinder

__all__ = [
    "ADDRESSED",
    "LIST",
    "PASSAGE",
    "PROFILE",
    "TEXT",
    "Look",
    "Pattern",
    "Row",
    "Slot",
    "further",
    "is_numeric",
    "look",
    "new_marks",
    "numbers_in",
    "ports_in",
    "rows_of",
    "runs_in",
    "written_lists",
]

_IN_WORD = re.compile(r"(?<=[0-9])([^\w\s\"/:.]+|\.\.+)(?=[\w])")
# What is blanked out in patterns: no text holds these characters.
LIST, TEXT, ADDRESSED = "\ue000", "\ue001", "\ue002"
PROFILE, PASSAGE = "\ue003", "\ue004"
_SEPARATORS: tuple[str, ...] = (",", ";", "&", "and", "+")
_SURE = 0.95  # of the items of a list that are ports (or VLANs), for it to be a list of them
_MOSTLY = 0.5  # by which share of the lines one reading of a list must be ahead of the other
_LONGEST = 500  # characters of a line
_DEEPEST = 8
_MOST_NEW = 40  # patterns that only texts without another source have
_MANY = 4  # wordings of one statement: more of them are free text


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
    `describes`: its text is what the other source says that ports are called.
    """

    tokens: tuple[str, ...]
    parent: Pattern | None = None
    slots: list[Slot] = field(default_factory=list)
    opens: bool = False
    rows: list[Row] = field(default_factory=list)
    settled: Settled | None = None
    describes: bool = False

    @property
    def at(self) -> list[tuple[int, int]]:
        """For each of its lines the switch, by number, and the line."""
        return [(row.switch, row.number) for row in self.rows]

    @property
    def is_profile(self) -> bool:
        """Whether it opens a profile: settings that ports take over."""
        if self.settled is not None:
            return self.settled.block == "profile"
        return self.opens and PROFILE in self.tokens

    @property
    def is_shared(self) -> bool:
        """Whether it is about what ports take over: in a profile, or names one."""
        return PROFILE in self.tokens or any(one.is_profile for one in self.path[:-1])

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


def look(
    texts: Sequence[str],
    devices: Sequence[Device],
    begun: Begun | None = None,
    without: Sequence[frozenset[str]] = (),
    named: int = 0,
    lists: Lists | None = None,
) -> Look:
    """Look at texts, each with another source of the same switch. `begun` is a dialect of theirs;
    `without` are lines, by text, that are left out. The first `named` texts name their switch; 0
    for all of them. `lists` is how lists are written, where that is known.
    """
    states = begun.states if begun is not None else frozenset()
    style = begun.dialect.text if begun is not None and "text" in states else guessed_style(texts)
    rows = list(rows_of(enumerate(texts), style))
    known = [_Known(device) for device in devices]
    if begun is not None and "lists" in states:
        lists = copy(begun.dialect.lists)
    elif lists is None:
        kinds, names = _kinds(rows, known), _names_of_ports(rows, known)
        glue, marks = _between(rows, kinds)
        lists = _lists(glue | marks, Lists(kinds=kinds, port_names=names), rows, known)
    if begun is not None:
        settled = begun.settled(texts, written_style(style, lists))
        for row in rows:
            row.settled = settled[row.switch].get(row.number)
            meant = row.switch >= len(without) or " ".join(row.words) not in without[row.switch]
            above = row.parent is None or (row.parent.meant and row.parent.settled != PREFIX)
            row.meant = meant and above
        rows = [row for row in rows if row.meant and row.settled != PREFIX]
    patterns = _patterns(rows, lists, known)
    for pattern in patterns:
        for slot in pattern.slots:
            _classify(slot, [switch for switch, _ in pattern.at], lists, known)
    _agree(patterns)
    for pattern in patterns:
        pattern.describes = _describes(pattern, lists, known)
    name_form = _name_form(rows, devices[:named] if named else devices)
    groups = begun.groups if begun is not None else frozenset()
    defaults = (begun.defaults,) if begun is not None and begun.defaults else DEFAULTS
    return Look(style, lists, patterns, name_form, defaults, groups)


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
        row: Row | None = self
        while row is not None:
            for slot, run in zip(row.pattern.slots if row.pattern else (), row.runs, strict=False):
                if slot.kind == "ports":
                    yield run
            row = row.parent


class _Known:
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
            if not line.meaning or line.number <= skip_to or line.text in style.close:
                continue
            place = place + 1 if style.shape is Shape.BRACED else line.number
            while stack and stack[-1][0] >= line.depth:
                stack.pop()
            parent = stack[-1][1] if stack else None
            if len(line.text) > _LONGEST or len(stack) > _DEEPEST:
                continue  # no statement that anything could be learnt from
            words = WORD.findall(line.text)
            opens = line.opens
            if line.number - 1 in free and style.shape is not Shape.BRACED:
                begins, last = free[line.number - 1]
                skip_to, opens = last + 1, False
                words = [*text.split("\n")[line.number - 1][:begins].split(), PASSAGE]
            if words[0] in style.lead and len(words) > 1:
                words = words[1:]
            row = Row(switch, line.number, place, words, parent, opens)
            stack.append((line.depth, row))
            yield row


# --- how lists are written ------------------------------------------------------------------------


def is_numeric(word: str) -> bool:
    """Whether a word holds a number, and is no address and no quoted text."""
    return any(c.isdigit() for c in word) and not word.startswith('"') and not ADDRESS.match(word)


def _kinds(rows: Sequence[Row], known: Sequence[_Known]) -> list[str]:
    """The words before numbers that belong to the names of ports, where there are several of them:
    `bed 1` is another port than `vine 1`.
    """
    fits: Counter[str] = Counter()
    everywhere: Counter[str] = Counter()
    for row in rows:
        ports = known[row.switch].ports
        for word, number in pairwise(row.words):
            if word.isalpha() and number[:1].isdigit():
                everywhere[word] += 1
                first = re.match(r"[0-9]+(?:[/.:][0-9]+)*", number)
                meant = ports.find(f"{word} {first[0]}") if first is not None else None
                fits[word] += meant is not None and meant[:1].lower() == word[:1].lower()
    kinds = [word for word, n in fits.items() if n and n >= _SURE * everywhere[word]]
    return sorted(kinds) if len(kinds) > 1 else []


def _names_of_ports(rows: Sequence[Row], known: Sequence[_Known]) -> list[str]:
    """The ports without a number in their name that texts name."""
    words = {word for row in rows for word in row.words}
    bare = {name for one in known for name in one.named if not any(c.isdigit() for c in name)}
    return sorted(bare & words)


def _between(rows: Sequence[Row], kinds: Sequence[str] = ()) -> tuple[set[str], set[str]]:
    """The words that mostly stand between two words with numbers, and the marks within such."""
    inside: Counter[str] = Counter()
    everywhere: Counter[str] = Counter()
    marks: set[str] = set()
    for row in rows:
        words = row.words
        for at, word in enumerate(words):
            everywhere[word] += 1
            if 0 < at < len(words) - 1 and not is_numeric(word) and word not in kinds:
                after = words[at + 2 :][:1] if words[at + 1] in kinds else words[at + 1 :][:1]
                inside[word] += is_numeric(words[at - 1]) and any(map(is_numeric, after))
            if is_numeric(word):
                marks.update(_IN_WORD.findall(word))
                if word[-1:] in ",;":
                    marks.add(word[-1])
    return {word for word, count in inside.items() if count and count == everywhere[word]}, marks


def new_marks(seen: Look, texts: Iterable[tuple[int, str]]) -> dict[str, tuple[int, int]]:
    """The marks, and words, between numbers that no list had so far, each with the text and the
    line that has it first.
    """
    rows = list(rows_of(texts, seen.style))
    glue, marks = _between(rows)
    known = {*seen.lists.separators, *seen.lists.ranges, "-"}
    known |= {token for pattern in seen.patterns for token in pattern.tokens}
    found: dict[str, tuple[int, int]] = {}
    for row in rows:
        within = {mark for word in row.words if is_numeric(word) for mark in _IN_WORD.findall(word)}
        for mark in sorted((within & marks | glue.intersection(row.words)) - known):
            found.setdefault(mark, (row.switch, row.number))
    return dict(sorted(found.items()))


def further(
    seen: Look,
    texts: Iterable[tuple[int, str]],
    lost: dict[int, set[int]],
    devices: dict[int, Device],
    but: set[str],
) -> list[int]:
    """Add the patterns of lines that are not understood (by text) in texts without another source;
    their places in `seen.patterns`. `devices` is what is read of their other lines. Lines that hold
    one of the words of `but` are left out.
    """
    told = {switch: _Known(device) for switch, device in devices.items()}
    marks = {*seen.lists.separators, *seen.lists.ranges}
    known = {(id(one.parent) if one.parent else 0, one.tokens): one for one in seen.patterns}
    of_row: dict[int, Pattern | None] = {}
    new: list[Pattern] = []
    wordings: Counter[tuple[int, str]] = Counter()
    for row in rows_of(texts, seen.style):
        parent = of_row.get(id(row.parent)) if row.parent is not None else None
        of_row[id(row)] = None
        if (row.parent is not None and parent is None) or any(mark in but for mark in row.words):
            continue
        tokens = _tokens(row, marks, {*seen.lists.kinds, *seen.lists.port_names})
        place = id(parent) if parent is not None else 0
        pattern = known.get((place, tokens)) or known.get((place, (*tokens[:-1], PROFILE)))
        if pattern is None and not row.opens and row.number in lost.get(row.switch, ()):
            if wordings[place, tokens[0]] == _MANY:
                continue  # free text, it seems
            wordings[place, tokens[0]] += 1
            slots = [Slot() for _ in range(tokens.count(LIST))]
            pattern = known[place, tokens] = Pattern(tokens, parent, slots)
            new.append(pattern)
        if pattern is None:
            continue
        of_row[id(row)] = row.pattern = pattern
        items = {*seen.lists.kinds, *seen.lists.port_names}
        row.runs = [tuple(run) for run in runs_in(row.words, marks, items)]
        if pattern in new[-_MOST_NEW:]:
            pattern.rows.append(row)
            for slot, run in zip(pattern.slots, row.runs, strict=True):
                slot.words.append(run)
    for pattern in new[:_MOST_NEW]:
        for slot in pattern.slots:
            _classify(slot, [row.switch for row in pattern.rows], seen.lists, told)
    seen.patterns += new[:_MOST_NEW]
    _agree(seen.patterns)
    return [n for n, one in enumerate(seen.patterns) if any(one is other for other in new)]


def _lists(marks: set[str], plain: Lists, rows: Sequence[Row], known: Sequence[_Known]) -> Lists:
    """How lists are written: a mark makes a range where all that lies between its ends is there,
    and a list otherwise. `plain` has the names of ports.
    """
    kinds, names = plain.kinds, plain.port_names
    separators = [mark for mark in _SEPARATORS if mark in marks] or [","]
    ranges = []
    for mark in sorted(marks - set(separators)):
        trial = Lists([","], [mark], kinds, names)
        there = tried = 0
        for row in rows:
            for words in runs_in(row.words, {mark, ","}, {*kinds, *names}):
                text = " ".join(words)
                if mark not in (words if mark.isalnum() else text):
                    continue
                tried += 1
                own = known[row.switch]
                as_ports = _share(ports_in(trial, words), own.ports.find)
                as_vlans = _share(numbers_in(trial, words), own.has_vlan)
                there += max(as_ports, as_vlans) >= _SURE
        if tried and there >= tried * _SURE:
            ranges.append(mark)
    return Lists(separators, ranges or ["-"], kinds, names)


def written_lists(rows: Sequence[Row]) -> Lists:
    """How lists are written, by the numbers alone: where the second of two is always above the
    first, what stands between them makes a range.
    """
    glue, marks = _between(rows)
    separators = [mark for mark in _SEPARATORS if mark in glue | marks] or [","]
    ranges = []
    for mark in sorted((glue | marks) - set(_SEPARATORS)):
        ends = re.compile(rf"([0-9]+)\s*{re.escape(mark)}\s*(?:[^\s,]*[^0-9\s,])?([0-9]+)")
        found = [pair for row in rows for pair in ends.findall(" ".join(row.words))]
        upward = bool(found) and all(int(low) < int(high) for low, high in found)
        if upward and (not mark.isalnum() or _may_be_missing(mark, rows)):
            ranges.append(mark)
    return Lists(separators, ranges or ["-"])


def _may_be_missing(mark: str, rows: Sequence[Row]) -> bool:
    """Whether a word between two numbers makes a range, as in `row 1 to 4` beside `row 5`, and is
    no word of its own, as in `row 1 holds 40`.
    """
    shapes = {tuple(LIST if is_numeric(word) else word for word in row.words) for row in rows}
    for shape in shapes:
        for at, word in enumerate(shape):
            if word == mark and (*shape[:at], *shape[at + 2 :]) in shapes:
                return True
    return False


def runs_in(words: Sequence[str], marks: set[str], names: set[str]) -> Iterator[list[str]]:
    """The rows of words with numbers, or of names, and of marks between them."""
    run: list[str] = []
    for word in words:
        item = is_numeric(word) or word.strip('"') in names
        if item or (run and word in marks):
            run.append(word)
        elif run:
            yield run
            run = []
    if run:
        yield run


def ports_in(lists: Lists, words: Sequence[str]) -> list[str]:
    """The names of ports in a list; none if it is no list of ports."""
    try:
        return lists.ports(words)
    except BadLine:
        return []


def numbers_in(lists: Lists, words: Sequence[str]) -> list[int]:
    """The numbers of VLANs in a list; none if it is no list of them."""
    try:
        return list(lists.vlans(words))
    except (VlanListError, ValueError):
        return []


def _share(items: Sequence[Any], there: Callable[[Any], Any]) -> float:
    """The share of some items that are there; 0 of none."""
    found = [there(item) for item in items]
    return sum(one is not None and one is not False for one in found) / len(found) if found else 0.0


# --- patterns -------------------------------------------------------------------------------------


def _patterns(rows: Sequence[Row], lists: Lists, known: Sequence[_Known]) -> list[Pattern]:
    marks = {*lists.separators, *lists.ranges}
    names = {*lists.kinds, *lists.port_names, *(name for one in known for name in one.names)}
    _find_profiles(rows, lists, known)
    tokens = {id(row): _tokens(row, marks, names) for row in rows}
    wordings: dict[tuple[int, str], set[tuple[str, ...]]] = {}
    found: dict[tuple[int, tuple[str, ...], str | None], Pattern] = {}
    of_row: dict[int, Pattern] = {}

    def place(row: Row) -> int:
        return id(of_row[id(row.parent)]) if row.parent is not None else 0

    # Parents come before what stands in them, so that their patterns are known.
    for row in rows:
        own = tokens[id(row)]
        if row.settled is None:
            wordings.setdefault((place(row), own[0]), set()).add(own)
        key = place(row), own, row.settled.block if row.settled is not None else None
        pattern = found.get(key)
        if pattern is None:
            parent = of_row[id(row.parent)] if row.parent is not None else None
            pattern = found[key] = Pattern(own, parent, settled=row.settled)
            pattern.slots = [Slot() for _ in range(own.count(LIST))]
        pattern.opens = pattern.opens or row.opens
        of_row[id(row)] = row.pattern = pattern
        pattern.rows.append(row)
        row.runs = [tuple(run) for run in runs_in(_without_profile(row), marks, names)]
        for slot, run in zip(pattern.slots, row.runs, strict=True):
            slot.words.append(run)
    free = {
        (where, first)
        for (where, first), several in wordings.items()
        if (len(several) > _MANY or (first, TEXT) in several)
        and not any(LIST in one or ADDRESSED in one for one in several)
    }
    return _with_free_texts(list(found.values()), free)


def _without_profile(row: Row) -> list[str]:
    """The words of a statement, but for the name of a profile."""
    return [PROFILE if n == row.profile else word for n, word in enumerate(row.words)]


def _tokens(row: Row, marks: set[str], names: set[str]) -> tuple[str, ...]:
    """A statement with its lists, texts, addresses and names of profiles blanked out."""
    tokens: list[str] = []
    for word in _without_profile(row):
        if word.startswith('"') and word.strip('"') not in names:
            tokens.append(TEXT)
        elif ADDRESS.match(word):
            tokens.append(ADDRESSED)
        elif is_numeric(word) or word.strip('"') in names:
            if tokens[-1:] != [LIST]:
                tokens.append(LIST)
        elif not (word in marks and tokens[-1:] == [LIST]):
            tokens.append(word)
    return tuple(tokens)


def _find_profiles(rows: Sequence[Row], lists: Lists, known: Sequence[_Known]) -> None:
    """Find the words that name profiles: a head of the text that is about neither ports nor VLANs
    opens one if statements below ports end in the word that the head ends in, or if what stands
    below it lists ports, and VLANs besides.
    """
    names = {name for one in known for name in one.names}
    heads: dict[tuple[str, ...], list[Row]] = {}
    ending: dict[str, list[Row]] = {}
    below: dict[int, list[Row]] = {}
    for row in rows:
        *lead, word = row.words
        if row.parent is not None:
            below.setdefault(id(row.parent), []).append(row)
        if not lead or any(map(is_numeric, lead)):
            continue
        port = known[row.switch].ports.find(word) is not None
        if port or word[:1].isdigit() or word.strip('"') in names:
            continue
        if row.opens and row.parent is None:
            heads.setdefault(tuple(lead), []).append(row)
        elif row.parent is not None and not row.opens:
            ending.setdefault(word, []).append(row)
    for several in heads.values():
        own = {id(row) for row in several}
        naming = [
            row
            for word in {row.words[-1]: None for row in several}
            for row in ending.get(word, ())
            if id(row.parent) in own or any(map(is_numeric, row.parent.words if row.parent else ()))
        ]
        if naming or any(_lists_both(below.get(id(row), ()), lists, known) for row in several):
            for row in (*several, *naming):
                row.profile = len(row.words) - 1


def _lists_both(rows: Iterable[Row], lists: Lists, known: Sequence[_Known]) -> bool:
    """Whether some statements list ports of their switch, and others VLANs."""
    ports = vlans = False
    for row in rows:
        own = known[row.switch]
        vlans = vlans or any(word.strip('"') in own.names for word in row.words)
        items = {*lists.kinds, *lists.port_names}
        for run in runs_in(row.words, {*lists.separators, *lists.ranges}, items):
            as_ports = _share(ports_in(lists, run), own.ports.find) >= _SURE
            as_vlans = _share(numbers_in(lists, run), own.has_vlan) >= _SURE
            ports = ports or (as_ports and not as_vlans)
            vlans = vlans or (as_vlans and not as_ports)
    return ports and vlans


def _with_free_texts(patterns: list[Pattern], free: set[tuple[int, str]]) -> list[Pattern]:
    """Patterns of one first word that go on in ever other words are one, with a text."""
    merged: dict[tuple[int, str], Pattern] = {}
    kept = []
    for pattern in patterns:
        key = (id(pattern.parent) if pattern.parent is not None else 0), pattern.tokens[0]
        if key not in free or pattern.opens or pattern.slots or pattern.settled is not None:
            kept.append(pattern)
        elif key in merged:
            merged[key].rows += pattern.rows
        else:
            merged[key] = pattern
            pattern.tokens = (pattern.tokens[0], TEXT)
            kept.append(pattern)
    return kept


def _classify(
    slot: Slot,
    switches: list[int],
    lists: Lists,
    known: Sequence[_Known] | dict[int, _Known],
) -> None:
    """Whether a slot holds ports or VLANs."""
    ports: list[bool] = []
    vlans: list[bool] = []
    for switch, words in zip(switches, slot.words, strict=True):
        own = known[switch]
        plain = [word.strip('"') for word in words]
        named = [word for word in plain if word in own.names]
        slot.named = slot.named or bool(named)
        if named:
            vlans.append(all(w in own.names or w in lists.separators for w in plain))
            ports.append(False)
            slot.single = slot.single and len(named) == 1
            continue
        as_ports, as_vlans = ports_in(lists, words), numbers_in(lists, words)
        ports.append(_share(as_ports, own.ports.find) >= _SURE)
        vlans.append(_share(as_vlans, own.has_vlan) >= _SURE)
        slot.single = slot.single and max(len(as_ports), len(as_vlans)) == 1
    # A line or two may be of another time than the other source.
    rate = {"ports": sum(ports) / len(ports), "vlans": sum(vlans) / len(vlans)}
    best, other = sorted(rate, key=lambda kind: -rate[kind])
    clear = rate[best] >= _SURE or rate[best] - rate[other] >= _MOSTLY
    slot.kind = best if clear and rate[best] > rate[other] else ""


def _agree(patterns: Sequence[Pattern]) -> None:
    """A list that could be of ports as well as of VLANs is what it is behind the same words
    elsewhere.
    """
    kinds: dict[tuple[str, ...], str] = {}
    for pattern in patterns:
        for words, slot in zip(_before(pattern), pattern.slots, strict=True):
            if slot.kind:
                kinds.setdefault(words, slot.kind)
    for pattern in patterns:
        for words, slot in zip(_before(pattern), pattern.slots, strict=True):
            slot.kind = slot.kind or kinds.get(words, "")


def _describes(pattern: Pattern, lists: Lists, known: Sequence[_Known]) -> bool:
    """Whether a statement ends in the description that its ports have by the other source."""
    if pattern.tokens[-1] != TEXT or pattern.opens or not pattern.path[:-1]:
        return False
    agree = 0
    for row in pattern.rows:
        own = known[row.switch]
        said = " ".join(row.words[len(pattern.tokens) - 1 :]).strip('"')
        ports = [own.ports.find(port) for words in row.ports() for port in ports_in(lists, words)]
        agree += bool(ports) and all(own.described.get(port or "") == said for port in ports)
    return agree >= _MOSTLY * len(pattern.rows)


def _before(pattern: Pattern) -> list[tuple[str, ...]]:
    """For each list of a pattern the tokens up to it, with those of its heads."""
    path = tuple(token for one in pattern.path[:-1] for token in (*one.tokens, "/"))
    at = [n for n in range(len(pattern.tokens)) if pattern.tokens[n] == LIST]
    return [(*path, *pattern.tokens[: n + 1]) for n in at]


def _name_form(rows: Sequence[Row], devices: Sequence[Device]) -> str:
    """The form of the line by which every text names its switch; "" if there is none."""
    forms: Counter[str] = Counter()
    for switch, device in enumerate(devices):
        own = set()
        for row in rows:
            if row.switch == switch and row.parent is None and row.settled is None:
                plain = [word.strip('"') for word in row.words]
                names = {device.name, device.name.partition(".")[0]}
                at = next((n for n, word in enumerate(plain) if word in names), None)
                if at is not None:
                    own.add(" ".join([*row.words[:at], "{name}", *row.words[at + 1 :]]))
        forms.update(own)
    return next((form for form, n in forms.items() if n == len(devices) and " " in form), "")
