"""Two forms with effects that can take the same line, where neither is a narrower form of the
other.

Theory of operation. Which of two forms takes a line is decided word by word: a literal word before
a capture, an exact type before any word. If one of them takes part of what the other takes, that is
what its author wants: `off` beside `{word}`. But of `water {word} daily` and `water slowly {word}`
neither is narrower, and which of them `water slowly daily` is, nobody has decided. Such lines are
looked for by trying: each form is filled in with words of each type, and with the words that other
forms have in the same place, and matched with and without the form that takes it.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import islice
from typing import NamedTuple

from inkov.readers.dialects.file import Block, Dialect, Statement
from inkov.readers.dialects.forms import Word, parse_form
from inkov.readers.dialects.matching import Node, add_form, match, nodes_below
from inkov.readers.sheets.words import BadLine

__all__ = ["Pair", "ambiguous"]

_MOST_VARIANTS = 8  # of a form that are filled in
_MOST_FILLED = 40  # lines that are made of a form
_MOST_COMPARED = 300_000  # lines times forms that begin with a capture: each is compared with all
_MOST_LITERALS = 12  # words of other forms that are tried in one place
_EXAMPLES = {
    "vid": ("10",),
    "vids": ("10,20", "10"),
    "vlan": ("fog", "10"),
    "vlans": ("fog,mist", "10,20", "fog"),
    "port": ("7",),
    "ports": ("7,8", "7"),
    "number": ("70000", "10"),
    "address": ("10.9.0.1",),
    "word": ("fog", "10"),
    "name": ("fog", "10"),
    "words": ("fog at dawn",),
    "text": ("fog at dawn", "10"),
    "secret": ("fog at dawn",),
    "passage": ("fog at dawn",),
}
_ANY_WORD = {"vlan", "vlans", "word", "name", "words", "text"}


class Pair(NamedTuple):
    """Two forms, the one that goes first before the other, and a line that both can take."""

    first: Statement
    other: Statement
    line: str


def ambiguous(dialect: Dialect, block: Block) -> Iterator[Pair]:
    """The forms of a block that can take the same line, each two of them once."""
    forms: dict[tuple[str, int], tuple[Statement, list[list[Word]]]] = {}
    for statement in (node.end for node in nodes_below(block.root)):
        # Forms without an effect are ignored lines: which of two takes one makes no difference.
        if isinstance(statement, Statement) and statement.clauses:
            key = statement.form, statement.line
            forms.setdefault(key, (statement, parse_form(statement.form)[:_MOST_VARIANTS]))
    literals: dict[int, list[str]] = {}
    for _, variants in forms.values():
        for words in variants:
            for place, word in enumerate(words):
                there = literals.setdefault(place, [])
                if word.literal and word.literal not in there:
                    there.append(word.literal)
    seen = set()
    # Beside forms that begin with a capture each line is compared with all of them.
    left = _MOST_COMPARED // (1 + len(block.root.captures))
    for statement, variants in forms.values():
        for line in islice(_filled(dialect, variants, literals), min(_MOST_FILLED, left)):
            # The line that was made of one form is matched as any line of a text would be.
            left -= 1
            first = _taking(dialect, block.root, line)
            other = _taking(dialect, block.root, line, but=first) if first is not None else None
            if first is None or other is None or not first.clauses or not other.clauses:
                continue
            both = (first.form, first.line), (other.form, other.line)
            # Known already, or the same effect either way, or a line that neither of the two was
            # made for.
            if both in seen or first.same(other) or statement not in (first, other):
                continue
            seen.add(both)
            own = [words for words in forms[both[0]][1] if _takes(dialect, [words], line)]
            # The one that goes first is narrower: that is what its author wants.
            if not _is_narrower(dialect, own, forms[both[1]][1], literals):
                yield Pair(first, other, " ".join(line))


def _is_narrower(
    dialect: Dialect,
    narrow: list[list[Word]],
    wide: list[list[Word]],
    literals: dict[int, list[str]],
) -> bool:
    """Whether all that one form takes the other one takes as well."""
    lines = islice(_filled(dialect, narrow, literals), _MOST_FILLED)
    return all(_takes(dialect, wide, line) for line in lines)


def _takes(dialect: Dialect, variants: list[list[Word]], line: list[str]) -> bool:
    """Whether a form by itself takes a line."""
    root = Node()
    for words in variants:
        *_, last = add_form(root, words, any_case=dialect.text.any_case)
        last.end = last.end or Statement(())
    return _taking(dialect, root, line) is not None


def _taking(
    dialect: Dialect, root: Node, words: list[str], but: Statement | None = None
) -> Statement | None:
    try:
        taken = match(root, words, dialect.lists, dialect.text, but=but)
    except BadLine:
        return None
    return taken.end if taken is not None and isinstance(taken.end, Statement) else None


def _filled(
    dialect: Dialect, variants: list[list[Word]], literals: dict[int, list[str]]
) -> Iterator[list[str]]:
    """Lines of a form: one word after another is replaced, the others are the first that fit."""
    for words in variants:
        fits = [_fitting(dialect, word, literals.get(n, [])) for n, word in enumerate(words)]
        usual = [options[0] for options in fits]
        # An example may be of several words.
        yield [piece for word in usual for piece in word.split()]
        for place, options in enumerate(fits):
            for option in options[1:]:
                line = [*usual[:place], option, *usual[place + 1 :]]
                yield [piece for word in line for piece in word.split()]


def _fitting(dialect: Dialect, word: Word, literals: list[str]) -> list[str]:
    """What may stand in the place of a word of a form."""
    if not word.captures:
        return [word.literal]
    first = [_examples(dialect, kind)[0] for _, kind in word.captures]
    # A capture within a word has the word's other pieces around it.
    if not word.whole:
        pieces = [word.pieces[0]]
        for value, piece in zip(first, word.pieces[1:], strict=True):
            pieces += [value, piece]
        return ["".join(pieces)]
    kind = word.captures[0][1]
    known = literals[:_MOST_LITERALS] if kind in _ANY_WORD else []
    return [*_examples(dialect, kind), *known]


def _examples(dialect: Dialect, kind: str) -> tuple[str, ...]:
    return (
        (dialect.lists.yes[0],)
        if kind == "yes" and dialect.lists.yes
        else _EXAMPLES.get(kind, ("on",))
    )
