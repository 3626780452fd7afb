"""How lists are written: the marks and words between numbers, and the names of ports.

Theory of operation. A word or mark that only ever stands between two numbers belongs to lists. With
another source, a mark makes a range where all that lies between its ends is there; without one,
where the second number is always above the first.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Collection, Iterable, Iterator, Sequence
from itertools import pairwise
from typing import Any

from inkov.learn.rows import LIST, Known, Look, Row, is_numeric, rows_of
from inkov.readers.dialects.lists import Lists
from inkov.readers.sheets.words import BadLine
from inkov.vlanset import VlanListError

__all__ = [
    "SURE",
    "are_apart",
    "between",
    "kinds_of",
    "lists_of",
    "new_marks",
    "numbers_in",
    "ports_in",
    "ports_without_numbers",
    "runs_in",
    "share_of",
    "written_lists",
]

_IN_WORD = re.compile(r"(?<=[0-9])([^\w\s\"/:.]+|\.\.+)(?=[\w])")
_SEPARATORS: tuple[str, ...] = (",", ";", "&", "and", "+")
SURE = 0.95
"""The share of the items of a list that are ports (or VLANs), for it to be a list of them."""


def kinds_of(rows: Sequence[Row], known: Sequence[Known]) -> list[str]:
    """The words before numbers that belong to the names of ports, where there are several of them:
    `bed 1` is another port than `vine 1`.
    """
    fits: Counter[str] = Counter()
    everywhere: Counter[str] = Counter()
    for row in rows:
        ports = known[row.switch].ports
        for word, number in pairwise(row.words):
            # A word and then a number: a port's name, perhaps.
            if word.isalpha() and number[:1].isdigit():
                everywhere[word] += 1
                first = re.match(r"[0-9]+(?:[/.:][0-9]+)*", number)
                meant = ports.find(f"{word} {first[0]}") if first is not None else None
                fits[word] += meant is not None and meant[:1].lower() == word[:1].lower()
    # One such word alone is no part of a name.
    kinds = [word for word, n in fits.items() if n and n >= SURE * everywhere[word]]
    return sorted(kinds) if len(kinds) > 1 else []


def ports_without_numbers(rows: Sequence[Row], known: Sequence[Known]) -> list[str]:
    """The ports without a number in their name that texts name."""
    words = {word for row in rows for word in row.words}
    bare = {name for switch in known for name in switch.named if not any(c.isdigit() for c in name)}
    return sorted(bare & words)


def between(rows: Sequence[Row], kinds: Sequence[str] = ()) -> tuple[set[str], set[str]]:
    """The words that mostly stand between two words with numbers, and the marks within such."""
    inside: Counter[str] = Counter()
    everywhere: Counter[str] = Counter()
    marks: set[str] = set()
    for row in rows:
        words = row.words
        for at, word in enumerate(words):
            everywhere[word] += 1
            # A word between two with numbers.
            if 0 < at < len(words) - 1 and not is_numeric(word) and word not in kinds:
                after = words[at + 2 :][:1] if words[at + 1] in kinds else words[at + 1 :][:1]
                inside[word] += is_numeric(words[at - 1]) and any(map(is_numeric, after))
            if is_numeric(word):
                marks.update(_IN_WORD.findall(word))
                # A mark at the end of a word divides what follows.
                if word[-1:] in ",;":
                    marks.add(word[-1])
    return {word for word, count in inside.items() if count and count == everywhere[word]}, marks


def new_marks(seen: Look, texts: Iterable[tuple[int, str]]) -> dict[str, tuple[int, int]]:
    """The marks, and words, between numbers that no list had so far, each with the text and the
    line that has it first.
    """
    rows = list(rows_of(texts, seen.style))
    glue, marks = between(rows)
    known = {*seen.lists.separators, *seen.lists.ranges, "-"}
    known |= {token for pattern in seen.patterns for token in pattern.tokens}
    places: dict[str, tuple[int, int]] = {}
    for row in rows:
        within = {mark for word in row.words if is_numeric(word) for mark in _IN_WORD.findall(word)}
        for mark in sorted((within & marks | glue.intersection(row.words)) - known):
            places.setdefault(mark, (row.switch, row.number))
    return dict(sorted(places.items()))


def lists_of(marks: set[str], plain: Lists, rows: Sequence[Row], known: Sequence[Known]) -> Lists:
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
                # Here the mark is not used.
                if mark not in (words if mark.isalnum() else text):
                    continue
                tried += 1
                own = known[row.switch]
                as_ports = share_of(ports_in(trial, words), own.ports.find)
                as_vlans = share_of(numbers_in(trial, words), own.has_vlan)
                there += max(as_ports, as_vlans) >= SURE
        # Only what is a range in nearly all places is one.
        if tried and there >= tried * SURE:
            ranges.append(mark)
    return Lists(separators, ranges or ["-"], kinds, names)


def written_lists(rows: Sequence[Row]) -> Lists:
    """How lists are written, by the numbers alone: where the second of two is always above the
    first, what stands between them makes a range.
    """
    glue, marks = between(rows)
    separators = [mark for mark in _SEPARATORS if mark in glue | marks] or [","]
    ranges = []
    for mark in sorted((glue | marks) - set(_SEPARATORS)):
        ends = re.compile(rf"([0-9]+)\s*{re.escape(mark)}\s*(?:[^\s,]*[^0-9\s,])?([0-9]+)")
        pairs = [pair for row in rows for pair in ends.findall(" ".join(row.words))]
        upward = bool(pairs) and all(int(low) < int(high) for low, high in pairs)
        # A word that can be missing, or a mark: a range.
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


def runs_in(
    words: Sequence[str],
    marks: set[str],
    names: Collection[str],
    called: Collection[str] = (),
) -> Iterator[list[str]]:
    """The rows of words with numbers, or of names, and of marks between them. `called` are the
    names of VLANs, see `are_apart`.
    """
    run: list[str] = []
    for before, word in pairwise(["", *words]):
        item = is_numeric(word) or word.strip('"') in names
        if run and are_apart(before, word, called):
            yield run
            run = []
        # A mark belongs to a list only behind an item.
        if item or (run and word in marks):
            run.append(word)
        elif run:
            yield run
            run = []
    if run:
        yield run


def are_apart(before: str, word: str, called: Collection[str]) -> bool:
    """Whether two words side by side are a number and the name of a VLAN, which are no list of two:
    `10 ferns` is a VLAN and what it is called.
    """
    one, other = (_is_called(text.strip('"'), called) for text in (before, word))
    return one is not other and (is_numeric(before) or one) and (is_numeric(word) or other)


def _is_called(name: str, called: Collection[str]) -> bool:
    # What is all number is one, even where a VLAN is called so.
    return name in called and not name.isdigit()


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


def share_of(items: Sequence[Any], there: Callable[[Any], Any]) -> float:
    """The share of some items that are there; 0 of none."""
    answers = [there(item) for item in items]
    return (
        sum(answer is not None and answer is not False for answer in answers) / len(answers)
        if answers
        else 0.0
    )
