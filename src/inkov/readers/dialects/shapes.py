"""What a text looks like to somebody who is about to write a dialect for it: lines grouped by
shape, and a first guess.

The shape of a line is the line with numbers and names blanked out: `bench 12` and `bench 14` are
one shape. A word is a name if it is quoted, holds a digit, or stands where lines of otherwise one
shape differ.
"""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Iterable
from itertools import pairwise

from msgspec import Struct

from inkov.campus import Origin
from inkov.campus.secrets import without_secrets, words_before_secrets
from inkov.readers.dialects.text import Shape, Style

__all__ = ["ADDRESS", "WORD", "ShapeGroup", "group", "guessed_style", "passages"]

_MOST_DIFFERENT = 3  # words at one place, each rarely seen: more are names
_FREQUENT = 3
_MANY_SECONDS = 5  # words behind a word that begins every statement
WORD = re.compile(r'"[^"]*"|\S+')
_VIDS = re.compile(r"[0-9]{1,4}(?:[-,][0-9]{1,4})+,?\Z")
ADDRESS = re.compile(
    r"[0-9]{1,3}(?:\.[0-9]{1,3}){3}(?:/[0-9]+)?\Z|(?=.*:.*:)[0-9A-Fa-f:.]+(?:/[0-9]+)?\Z"
)


class ShapeGroup(Struct, frozen=True):
    """Lines of one shape: how many, the shape, the first of them, and where it stands."""

    count: int
    shape: str
    example: str
    origin: Origin


def group(
    lines: Iterable[tuple[Origin, str]], secret_words: frozenset[str] = frozenset()
) -> list[ShapeGroup]:
    """The lines by shape, most frequent first. `secret_words` are known already."""
    # Names are blanked where lines of otherwise one shape differ.
    rows = [(origin, text, [_blank(word) for word in WORD.findall(text)]) for origin, text in lines]
    _names(rows)
    secret_words |= words_before_secrets(text for _, text, _ in rows)
    by_shape: dict[str, list[tuple[Origin, str]]] = defaultdict(list)
    for origin, text, words in rows:
        by_shape[" ".join(words)].append((origin, text))
    groups = [
        ShapeGroup(len(at), shape, without_secrets(at[0][1].strip(), secret_words), at[0][0])
        for shape, at in by_shape.items()
    ]
    return sorted(groups, key=lambda listed: (-listed.count, listed.shape))


def _blank(word: str) -> str:
    """The type of capture that a word looks like, or the word."""
    if word.startswith('"'):
        return "{text}"
    if _VIDS.match(word):
        return "{vids}"
    if word.isdigit():
        return "{number}"
    if ADDRESS.match(word):
        return "{address}"
    if any(c.isdigit() for c in word):
        return "{word}"
    return word


def _names(rows: list[tuple[Origin, str, list[str]]]) -> None:
    """Blank out words that differ where all words before them are the same."""
    for place in range(max((len(words) for *_, words in rows), default=0)):
        after: dict[tuple[str, ...], Counter[str]] = defaultdict(Counter)
        for *_, words in rows:
            if len(words) > place:
                after[tuple(words[:place])][words[place]] += 1
        for *_, words in rows:
            # The first word tells what a line is; it is never a name.
            if place == 0 or len(words) <= place or words[place].startswith("{"):
                continue
            counts = after[tuple(words[:place])]
            plain = [word for word in counts if not word.startswith("{")]
            # Many different words in one place, most of them seen once or twice, are names.
            if len(plain) > _MOST_DIFFERENT and counts[words[place]] < _FREQUENT:
                words[place:] = ["{text}"] if len(words) > place + 1 else ["{word}"]


# --- how texts are written ------------------------------------------------------------------------


def _depth(text: str) -> int:
    return len(text) - len(text.lstrip())


_BRACE = re.compile(r"(?:^|\s)\{(?:\s|$)")  # one that opens a block, on its line or over several


def _shape(lines: list[str]) -> str:
    braces = sum(_BRACE.search(line) is not None for line in lines)
    # Braces in one line of twenty: more than a stray mark, less than all.
    if braces and braces * 20 > len(lines):
        return "braced"
    indented = sum(line[:1].isspace() for line in lines)
    return "indented" if indented * 20 > len(lines) else "flat"


def _comment(lines: list[str]) -> str:
    """The mark, not a letter or digit, that most lines without anything else of a statement begin
    with.
    """
    marks: Counter[str] = Counter()
    for line in lines:
        mark = re.match(r"\s*([^\w\s{}\"'\[(/.-]{1,2}|//|--)(?=\s|\Z|\w)", line)
        if mark:
            marks[mark[1]] += 1
    return marks.most_common(1)[0][0] if marks else ""


def _negation(lines: list[str]) -> str:
    """The word before what elsewhere is a statement of its own."""
    bare = [line.strip().rstrip(";{").split() for line in lines]
    firsts = {words[0] for words in bare if words and not any(c.isdigit() for c in words[0])}
    pairs = Counter(
        words[0] for words in bare if len(words) > 1 and words[1] in firsts and words[0].isalpha()
    )
    followers: dict[str, set[str]] = defaultdict(set)
    for words in bare:
        if len(words) > 1 and words[1] in firsts:
            followers[words[0]].add(words[1])
    # A word that precedes one statement only is part of it.
    likely = [(count, word) for word, count in pairs.items() if len(followers[word]) > 1]
    return max(likely)[1] if likely else ""


def _lead(lines: list[str]) -> list[str]:
    """The word that begins nearly every statement, whatever follows, and so means nothing."""
    words = [line.split() for line in lines]
    firsts = Counter(row[0] for row in words if len(row) > 1)
    [(word, count)] = firsts.most_common(1) or [("", 0)]
    seconds = {row[1] for row in words if row[0] == word and len(row) > 1}
    # It must stand before many different words: else it is a word of the statement.
    return [word] if count >= 0.95 * len(lines) and len(seconds) >= _MANY_SECONDS else []


def _closing(lines: list[str]) -> list[str]:
    """The words that stand where a block ends, and nowhere else: alone on their line, after lines
    that stand deeper.
    """
    alone: Counter[str] = Counter()
    after: Counter[str] = Counter()
    for before, line in pairwise(lines):
        word = line.strip()
        if len(word.split()) == 1 and not any(c.isdigit() for c in word):
            alone[word] += 1
            # Deeper lines before it, each time: what ends a block.
            after[word] += _depth(line) < _depth(before)
    return sorted(word for word, count in after.items() if count == alone[word] > 1)


_PASSAGE = re.compile(r"(?:^|\s)([!^~@|%&*#$+])(?=\S)[^\n]*\Z")
_LONGEST_PASSAGE = 60  # lines


def passages(lines: list[str], comment: Iterable[str]) -> dict[int, tuple[int, int]]:
    """The passages of free text over several lines, each between two of one mark: place of the
    first line -> where the mark stands in it, and the place of the last line.
    """
    ranges: dict[int, tuple[int, int]] = {}
    end = -1
    for number, line in enumerate(lines):
        begins = _PASSAGE.search(line) if number > end else None
        # A mark that begins comments, or comes twice on the line, opens no passage.
        if begins is None or begins[1] in "".join(comment) or line.count(begins[1]) > 1:
            continue
        mark = begins[1]
        following = lines[number + 1 : number + 1 + _LONGEST_PASSAGE]
        ends = (n for n, text in enumerate(following, number + 1) if mark in text)
        last = next(ends, -1)
        # The mark must come again at the end of a line: else it is a mark of something else.
        if last > 0 and lines[last].rstrip().endswith(mark) and lines[last].count(mark) == 1:
            ranges[number] = begins.start(1), last
            end = last
    return ranges


def _end_mark(lines: list[str]) -> str:
    """The mark in which nearly all statements end that open no block; "" if there is none."""
    bare = (line.rstrip(" \t\r}")[-1:] for line in lines)
    last = Counter(mark for mark in bare if mark not in ("", "{"))
    [(mark, count)] = last.most_common(1) or [("", 0)]
    # Letters, digits and quotes end statements by chance.
    return mark if count >= 0.9 * last.total() and not (mark.isalnum() or mark in "\"'])") else ""


def guessed_style(texts: Iterable[str]) -> Style:
    """How some texts are written, as far as they tell: shape, comment, and the word that undoes."""
    rows = [line for text in texts for line in text.split("\n") if line.strip()]
    comment = _comment(rows)
    plain = [line for line in rows if not (comment and line.lstrip().startswith(comment))]
    negation = _negation(plain)
    shape = Shape(_shape(plain))
    return Style(
        shape=shape,
        lead=_lead(plain) if shape is Shape.FLAT else [],
        close=_closing(plain) if shape is Shape.INDENTED else [],
        statement_end=_end_mark(plain) if shape is Shape.BRACED else "",
        comment=[comment] if comment else [],
        negation=[negation] if negation else [],
    )
