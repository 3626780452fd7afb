"""Forms: what a statement looks like, compiled to one tree that matches a line in linear time.

A form is a row of words. A word stands for itself, or holds captures: `{vid}`, `{low:vid}`,
`{port}.{vid}`. Words in `[...]` may be missing, `(a|b)` is either, `(a & b)` is both in any order;
a mark behind a backslash stands for itself. All forms of a block share a tree by their first words,
so a line is compared with all of them at once. A capture takes as many words as its type says,
without ever trying a second length, and no (place in the tree, word) pair is tried twice: whatever
a dialect or a text holds, the work for a line is bounded by its words times the forms.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from itertools import permutations, product
from typing import Any

from msgspec import Struct

from inkov.readers.dialects.lists import Lists

__all__ = [
    "TYPES",
    "Captured",
    "FormError",
    "Word",
    "captures_in",
    "literal",
    "never_said",
    "parse_form",
]

_MOST_VARIANTS = 64
_MOST_WORDS = 64
_MOST_PARTS = 4  # of a form, in any order
_ADDRESS = re.compile(
    r"[0-9]{1,3}(?:\.[0-9]{1,3}){3}(?:/[0-9.]{1,15})?\Z"
    r"|(?=[^:]*:[^:]*:)[0-9A-Fa-f:.]{2,45}(?:/[0-9]{1,3})?\Z"
)


class FormError(ValueError):
    """A form that does not follow the grammar; `at` is the index of the fault in it."""

    def __init__(self, at: int, says: str) -> None:
        super().__init__(says)
        self.at = at


class Captured(Struct, frozen=True, gc=False):
    """What a capture took: its type, the words as they were written, and as one text."""

    type: str
    text: str
    words: tuple[str, ...] = ()


# --- captures: how many words each type takes -----------------------------------------------------


def _one(test: Callable[[str], bool]) -> Callable[[list[str], int, Lists], int]:
    return lambda words, at, lists: 1 if test(words[at]) else 0


def _is_number(word: str) -> bool:
    return word.isascii() and word.isdigit() and len(word) < 11


def _rest(words: list[str], at: int, lists: Lists) -> int:
    return len(words) - at


def _words(words: list[str], at: int, lists: Lists) -> int:
    """The rest of a line that names nothing by number."""
    numbered = any(char.isdigit() for word in words[at:] for char in word)
    return 0 if numbered else len(words) - at


TYPES: dict[str, Callable[[list[str], int, Lists], int]] = {
    "vid": _one(_is_number),
    "vids": lambda words, at, lists: lists.vlans_from(words, at),
    "vlan": _one(lambda word: True),
    "vlans": lambda words, at, lists: lists.names_from(words, at),
    "port": lambda words, at, lists: lists.port_from(words, at),
    "ports": lambda words, at, lists: lists.ports_from(words, at),
    "number": _one(_is_number),
    "word": _one(lambda word: True),
    "name": _one(lambda word: True),
    "address": _one(lambda word: _ADDRESS.match(word) is not None),
    "yes": lambda words, at, lists: int(words[at].lower() in (*lists.yes, *lists.no)),
    "words": _words,
    "text": _rest,
    "secret": _rest,
    "passage": _rest,
}
"""Type -> how many words it takes at a place (0: it does not fit there)."""

INSIDE = {"vid", "number", "word", "name", "port", "vlan", "address"}
"""Types that may stand within a word, beside letters of their own."""


class Word(Struct, frozen=True):
    """One word of a form: literal, or with captures (label, type) between fixed pieces of text."""

    literal: str = ""
    captures: tuple[tuple[str, str], ...] = ()
    pieces: tuple[str, ...] = ()

    @property
    def whole(self) -> bool:
        """True if the word is one capture and nothing else."""
        return len(self.captures) == 1 and self.pieces == ("", "")


# --- parsing --------------------------------------------------------------------------------------

_TOKEN = re.compile(r"\s+|[\[\]()|]|(?:\\.|\{[^{}]*\}|[^\s\[\]()|{}\\])+|[{}\\]")
_ESCAPED = re.compile(r"\\(.)")
_MARKS = "[](){}|&\\"
# Marks that stand for themselves, while a word is taken apart.
_AS_ONE = {ord(mark): 0xE100 + n for n, mark in enumerate(_MARKS)}
_AS_MARK = {private: chr(mark) for mark, private in _AS_ONE.items()}
_CAPTURE = re.compile(r"\{(?:([A-Za-z][\w-]*):)?([a-z]*)\}")
_Sequence = list[list[Word]]
_DEEPEST = 20


def parse_form(form: str) -> list[list[Word]]:
    """The variants of a form, each a row of words. FormError marks what does not follow the
    grammar.
    """
    marks = [(m[0], m.start()) for m in _TOKEN.finditer(form) if not m[0].isspace()]
    depth = 0
    # The parser calls itself for each bracket.
    for mark, start in marks:
        depth += (mark in "[(") - (mark in ")]")
        if depth > _DEEPEST:
            raise FormError(start, "nested too deeply: write several forms")
    variants, at = _sequence(marks, 0, form)
    # Something is left: a bracket that closes what was never opened.
    if at != len(marks):
        raise FormError(marks[at][1], f"{marks[at][0]!r} closes nothing")
    # All of a form may be optional; then one variant is empty, and would take any line.
    variants = [words for words in variants if words]
    if not variants:
        raise FormError(0, "a form needs at least one word")
    for words in variants:
        _check(words)
    return variants


def _in_any_order(parts: list[_Sequence]) -> _Sequence:
    """Parts one behind the other, in each order that there is."""
    if len(parts) > _MOST_PARTS:
        says = f"more than {_MOST_PARTS} parts in any order: write several forms"
        raise FormError(0, says)
    rows: dict[tuple[Word, ...], None] = {}
    for order in permutations(parts):
        for chosen in product(*order):
            rows[tuple(word for part in chosen for word in part)] = None
    return [list(words) for words in rows]


def _sequence(
    marks: list[tuple[str, int]], at: int, form: str, *, within: bool = False
) -> tuple[_Sequence, int]:
    """Parts one after the other. `within` brackets, `&` is no word but a mark."""
    parts: list[_Sequence] = []
    ends = ("]", ")", "|", "&") if within else ("]", ")", "|")
    while at < len(marks) and marks[at][0] not in ends:
        word, start = marks[at]
        if word in ("[", "("):
            inner, at = _choice(marks, at + 1, form, "]" if word == "[" else ")", start)
            # What stands in brackets may be missing: one variant of it is nothing.
            parts.append([[], *inner] if word == "[" else inner)
            continue
        parts.append([[_word(word, start)]])
        at += 1
    count = 1
    for part in parts:
        count *= len(part)
    # Variants multiply: counted before any is made.
    if count > _MOST_VARIANTS or len(parts) > _MOST_WORDS:
        raise FormError(
            0,
            f"a form may have {_MOST_WORDS} words and {_MOST_VARIANTS} variants at most: write"
            " several",
        )
    return [[word for part in chosen for word in part] for chosen in product(*parts)], at


def _choice(
    marks: list[tuple[str, int]], at: int, form: str, close: str, start: int
) -> tuple[_Sequence, int]:
    choices: _Sequence = []
    parts: list[_Sequence] = []  # of which each is there, in any order
    while True:
        variants, at = _sequence(marks, at, form, within=True)
        if at == len(marks):
            raise FormError(start, f"{form[start]!r} is never closed")
        parts.append(variants)
        # One more part of those that come in any order.
        if marks[at][0] == "&":
            at += 1
            continue
        choices += _in_any_order(parts)
        parts = []
        if marks[at][0] == "|":
            at += 1
        elif marks[at][0] == close:
            return choices, at + 1
        else:
            raise FormError(marks[at][1], f"{marks[at][0]!r} stands where {close!r} is expected")


def literal(word: str) -> str:
    """A word of a text as a form writes it: marks of forms that it holds stand for themselves."""
    return re.sub(r"[\[\](){}|\\]", r"\\\g<0>", word) if word != "&" else "\\&"


def _word(token: str, start: int) -> Word:
    # A mark behind a backslash is put out of the way, and put back afterwards.
    if "\\" in token:
        hidden = _ESCAPED.sub(lambda escaped: escaped[1].translate(_AS_ONE), token)
        whole = _word(hidden, start)
        fixed = tuple(piece.translate(_AS_MARK) for piece in whole.pieces)
        return Word(whole.literal.translate(_AS_MARK), whole.captures, fixed)
    if "{" not in token and "}" not in token:
        return Word(token)
    captures: list[tuple[str, str]] = []
    pieces: list[str] = []
    at = 0
    for capture in _CAPTURE.finditer(token):
        pieces.append(token[at : capture.start()])
        if capture[2] not in TYPES:
            raise FormError(
                start + capture.start(),
                f"{capture[2]!r} is not a type of capture: {', '.join(TYPES)}",
            )
        captures.append((capture[1] or capture[2], capture[2]))
        at = capture.end()
    pieces.append(token[at:])
    # A brace that belongs to no capture.
    if any("{" in piece or "}" in piece for piece in pieces):
        raise FormError(
            start, f"{token!r} is not well formed: a capture is {{type}} or {{label:type}}"
        )
    word = Word("", tuple(captures), tuple(pieces))
    if not word.whole:
        # Without a piece between them nobody could say where the first one ends.
        if "" in pieces[1:-1]:
            raise FormError(
                start,
                f"in {token!r} nothing stands between two captures: where does the first one end?",
            )
        if any(kind not in INSIDE for _, kind in captures):
            raise FormError(
                start, f"within a word only these types may stand: {', '.join(sorted(INSIDE))}"
            )
    return word


def _check(words: list[Word]) -> None:
    labels: set[str] = set()
    for number, word in enumerate(words):
        for label, kind in word.captures:
            # Which of two with one label an effect means could not be said.
            if label in labels:
                raise FormError(
                    0,
                    f"two captures are called {label!r}: give one a label, as in {{other:{kind}}}",
                )
            labels.add(label)
            # What takes the rest of a line leaves nothing for a word behind it.
            if kind in ("words", "text", "secret", "passage") and number != len(words) - 1:
                raise FormError(
                    0, f"{{{kind}}} takes the rest of the line: it can only be the last word"
                )


def captures_in(words: list[Word]) -> dict[str, str]:
    """Label -> type of the captures of one variant."""
    return {label: kind for word in words for label, kind in word.captures}


def never_said(words: list[Word], style: Any) -> str:
    """Why no statement of a text can have a form, by how its texts are written; "" if one can."""
    why = _never_begun(words, style) or _never_whole(words, style)
    if why:
        return why
    if style.continued and words[-1].literal.endswith(style.continued):
        return f"a line that ends with {style.continued} goes on in the next"
    # A word alone that closes a block is taken as that.
    if len(words) == 1 and words[0].literal in style.close:
        return f"{words[0].literal!r} closes a block"
    if words[0].literal and words[0].literal in style.lead:
        return f"{words[0].literal!r} is one of `lead`, which are left out: begin with the next"
    return ""


def _never_begun(words: list[Word], style: Any) -> str:
    """Why no word of a text begins as one of a form does: it would be left out before any form sees
    it. "" if each may.
    """
    begins = [word.literal or (word.pieces[0] if word.pieces else "") for word in words]
    for marks, reason in (
        (style.comment, "begins a comment"),
        (['"'], "begins a quoted name, which is compared without its quotes: use a capture"),
    ):
        for mark in marks:
            if any(begin.startswith(mark) for begin in begins):
                return f"{mark} {reason}"
    return ""


def _never_whole(words: list[Word], style: Any) -> str:
    """Why a word of a form would be cut in two, or lose its end, in every text; "" if none
    would.
    """
    fixed = [piece for word in words for piece in (word.literal, *word.pieces) if piece]
    ends, braced = style.statement_end, style.shape == "braced"
    last = [word.literal or (word.pieces[-1] if word.pieces else "") for word in words]
    if ends and not braced and any(piece.endswith(ends) for piece in last):
        return f"{ends} ends a statement in these texts"
    # In braces a statement may end within a line.
    splitting = [*style.spaces, *([ends] if ends and braced else [])]
    for mark in (*splitting, *(pair[0] for pair in style.comment_block)):
        if mark and any(mark in piece for piece in fixed):
            return f"{mark} is no part of a word in these texts"
    return ""
