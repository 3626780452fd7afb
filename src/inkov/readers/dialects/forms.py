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
from collections.abc import Callable, Iterator
from itertools import permutations, product
from typing import Any

from msgspec import Struct, field

from inkov.readers.dialects.lists import Lists
from inkov.readers.sheets.words import BadLine

__all__ = [
    "TYPES",
    "Captured",
    "FormError",
    "Match",
    "Node",
    "Word",
    "add_form",
    "captures_in",
    "hidden_by",
    "literal",
    "match",
    "never_said",
    "parse_form",
    "refuse_unclear",
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
    for mark, start in marks:
        depth += (mark in "[(") - (mark in ")]")
        if depth > _DEEPEST:
            raise FormError(start, "nested too deeply: write several forms")
    variants, at = _sequence(marks, 0, form)
    if at != len(marks):
        raise FormError(marks[at][1], f"{marks[at][0]!r} closes nothing")
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
    found: dict[tuple[Word, ...], None] = {}
    for order in permutations(parts):
        for chosen in product(*order):
            found[tuple(word for part in chosen for word in part)] = None
    return [list(words) for words in found]


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
            parts.append([[], *inner] if word == "[" else inner)
            continue
        parts.append([[_word(word, start)]])
        at += 1
    count = 1
    for part in parts:
        count *= len(part)
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
    if "\\" in token:
        whole = _word(_ESCAPED.sub(lambda found: found[1].translate(_AS_ONE), token), start)
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
    if any("{" in piece or "}" in piece for piece in pieces):
        raise FormError(
            start, f"{token!r} is not well formed: a capture is {{type}} or {{label:type}}"
        )
    word = Word("", tuple(captures), tuple(pieces))
    if not word.whole:
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
            if label in labels:
                raise FormError(
                    0,
                    f"two captures are called {label!r}: give one a label, as in {{other:{kind}}}",
                )
            labels.add(label)
            if kind in ("words", "text", "secret", "passage") and number != len(words) - 1:
                raise FormError(
                    0, f"{{{kind}}} takes the rest of the line: it can only be the last word"
                )


def captures_in(words: list[Word]) -> dict[str, str]:
    """Label -> type of the captures of one variant."""
    return {label: kind for word in words for label, kind in word.captures}


def never_said(words: list[Word], style: Any) -> str:
    """Why no statement of a text can have a form, by how its texts are written; "" if one can."""
    fixed = [piece for word in words for piece in (word.literal, *word.pieces) if piece]
    begins = [word.literal or (word.pieces[0] if word.pieces else "") for word in words]
    for marks, reason in (
        (style.comment, "begins a comment"),
        (['"'], "begins a quoted name, which is compared without its quotes: use a capture"),
    ):
        for mark in marks:
            if any(begin.startswith(mark) for begin in begins):
                return f"{mark} {reason}"
    ends = style.statement_end
    braced = style.shape == "braced"
    splitting = [*style.spaces, *([ends] if ends and braced else [])]
    last = [word.literal or (word.pieces[-1] if word.pieces else "") for word in words]
    if ends and not braced and any(one.endswith(ends) for one in last):
        return f"{ends} ends a statement in these texts"
    for mark in (*splitting, *(pair[0] for pair in style.comment_block)):
        if mark and any(mark in piece for piece in fixed):
            return f"{mark} is no part of a word in these texts"
    if style.continued and words[-1].literal.endswith(style.continued):
        return f"a line that ends with {style.continued} goes on in the next"
    if len(words) == 1 and words[0].literal in style.close:
        return f"{words[0].literal!r} closes a block"
    if words[0].literal and words[0].literal in style.lead:
        return f"{words[0].literal!r} is one of `lead`, which are left out: begin with the next"
    return ""


# --- the tree -------------------------------------------------------------------------------------


class Node(Struct):
    """A place in the tree of forms: what may come next, and what ends here.

    `end` is what a statement that ends here does; `undo` the same for a negated statement, which
    may leave out the captures at its end; `block` is the block whose statements follow.
    """

    literals: dict[str, Node] = field(default_factory=dict)
    captures: list[tuple[Word, Node]] = field(default_factory=list)
    end: Any = None
    undo: Any = None
    block: Any = None


def add_form(root: Node, words: list[Word], *, any_case: bool) -> Iterator[Node]:
    """The nodes along a form, made where they are missing; the last one is where it ends."""
    node = root
    for word in words:
        if not word.captures:
            key = word.literal.lower() if any_case else word.literal
            node = node.literals.setdefault(key, Node())
        else:
            known = next((below for other, below in node.captures if other == word), None)
            if known is None:
                known = Node()
                node.captures.append((word, known))
                # Exact types first: a number before a name.
                node.captures.sort(key=lambda pair: _order(pair[0]))
            node = known
        yield node


_ORDER = ("vid", "number", "address", "yes", *TYPES)
"""Which type is tried first where several could take a word: what fits few words, first."""

_ANY_WORD = {"vlan", "word", "name"}
_TAKEN_FIRST = {
    "vid": {"vid", "number"},
    "number": {"vid", "number"},
    "address": {"address"},
    "vids": {"vids"},
    "vlan": _ANY_WORD,
    "vlans": {"vlans"},
    "ports": {"ports"},
    "word": _ANY_WORD,
    "name": _ANY_WORD,
    "words": {"words"},
    "text": {"words", "text", "secret", "passage"},
    "secret": {"words", "text", "secret", "passage"},
    "passage": {"words", "text", "secret", "passage"},
}
"""Type -> the types that take nothing which it does not take as well."""


def hidden_by(node: Node) -> Iterator[tuple[Node, Word]]:
    """The ends below a node that no statement reaches, each with the capture that takes what its
    own last capture would: `{vid}` leaves nothing for a `{number}` in the same place.
    """
    whole = [(word, below) for word, below in node.captures if word.whole]
    for place, (later, below) in enumerate(whole):
        for first, taking in whole[:place]:
            same = later.captures[0][1] in _TAKEN_FIRST.get(first.captures[0][1], set())
            if same and below.end is not None and taking.end is not None:
                yield below, first


def _order(word: Word) -> tuple[int, int]:
    return (0 if not word.whole else 1, min(_ORDER.index(kind) for _, kind in word.captures))


class Match(Struct):
    """A line that fits: the blocks it opens on its way, each with its captures, and what ends it.

    `end` is None where the line only opens blocks, or is the beginning of longer forms.
    """

    opened: list[tuple[Any, dict[str, Captured]]]
    captured: dict[str, Captured]
    end: Any = None


class _Matching(Struct):
    words: list[str]
    plain: list[str]
    lists: Lists
    abbreviated: bool
    negated: bool
    opening: bool
    but: Any = None
    unclear: tuple[str, list[str]] | None = None
    tried: set[tuple[int, int]] = field(default_factory=set)
    opened: list[tuple[Any, dict[str, Captured]]] = field(default_factory=list)
    captured: dict[str, Captured] = field(default_factory=dict)

    def walk(self, node: Node, at: int) -> Match | None:
        if at == len(self.words):
            return self._ended(node)
        place = (id(node), at)
        if place in self.tried:
            return None
        self.tried.add(place)
        below = node.literals.get(self.plain[at])
        if below is None and self.abbreviated and node.literals:
            close = [key for key in node.literals if key.startswith(self.plain[at])]
            below = node.literals[close[0]] if len(close) == 1 else None
            if len(close) > 1:
                self.unclear = self.unclear or (self.words[at], sorted(close))
        if below is not None:
            matched = self.walk(below, at + 1)
            if matched is not None:
                return matched
        for word, after in node.captures:
            taken = self._take(word, at)
            if taken:
                matched = self.walk(after, at + taken)
                if matched is not None:
                    return matched
                for label, _ in word.captures:
                    self.captured.pop(label, None)
        if node.block is not None:
            outer, self.captured = self.captured, {}
            self.opened.append((node.block, outer))
            matched = self.walk(node.block.root, at)
            if matched is not None:
                return matched
            self.opened.pop()
            self.captured = outer
        return None

    def _ended(self, node: Node) -> Match | None:
        if node.block is not None and (self.opening or node.end is None):
            return Match([*self.opened, (node.block, dict(self.captured))], {}, None)
        end = node.end if not self.negated or node.end is not None else node.undo
        if end is not None and end is not self.but:
            return Match(list(self.opened), dict(self.captured), end)
        if self.opening and (node.literals or node.captures) and not self.negated:
            return Match(list(self.opened), dict(self.captured), None)
        return None

    def _take(self, word: Word, at: int) -> int:
        if word.whole:
            label, kind = word.captures[0]
            taken = TYPES[kind](self.words, at, self.lists)
            if taken:
                # A secret is not kept, not even here.
                words = () if kind == "secret" else tuple(self.words[at : at + taken])
                self.captured[label] = Captured(kind, " ".join(words), words)
            return taken
        rest = self.words[at]
        captured: dict[str, Captured] = {}
        for (label, kind), after in zip(
            reversed(word.captures), reversed(word.pieces[1:]), strict=True
        ):
            # From the right, by the fixed piece after each capture: no second try.
            if not rest.endswith(after) and after:
                return 0
            rest = rest[: len(rest) - len(after)]
            before = word.pieces[word.captures.index((label, kind))]
            first = word.captures[0] == (label, kind)
            cut = len(before) if first else rest.rfind(before) + len(before)
            if (first and not rest.startswith(before)) or (not first and before not in rest):
                return 0
            value, rest = rest[cut:], rest[:cut]
            if not value or TYPES[kind]([value], 0, self.lists) != 1:
                return 0
            captured[label] = Captured(kind, value, (value,))
        self.captured.update(captured)
        return 1


def match(
    root: Node,
    words: list[str],
    lists: Lists,
    style: Any,
    *,
    negated: bool = False,
    opening: bool = False,
    but: Any = None,
) -> Match | None:
    """The first way, exact words before captures, in which the words fit the forms under `root`.

    With `negated`, captures at the end may be missing. With `opening` (the line has others below
    it) a block's head comes first, and the beginning of a longer form will do. What ends in `but`
    is no match.
    """
    plain = [word.lower() for word in words] if style.any_case else words
    try:
        return _Matching(words, plain, lists, style.abbreviated, negated, opening, but).walk(
            root, 0
        )
    except RecursionError:  # blocks within blocks within blocks, on one line
        raise BadLine("too many blocks on one line") from None


def refuse_unclear(root: Node, words: list[str], lists: Lists, style: Any) -> None:
    """For words that fit no form: BadLine if one of them is short for several words of forms."""
    plain = [word.lower() for word in words] if style.any_case else words
    matching = _Matching(words, plain, lists, style.abbreviated, False, True)
    matching.walk(root, 0)
    if matching.unclear is not None:
        short, meant = matching.unclear
        raise BadLine(f"{short!r} is short for {' and for '.join(meant)}", "write the word out")
