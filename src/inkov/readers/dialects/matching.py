"""The tree of the forms of a block, and how a line is matched with it.

All forms of a block share a tree by their first words, so a line is compared with all of them at
once. A literal word goes before a capture, an exact type before any word; a capture takes as many
words as its type says, and no other length is tried.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from msgspec import Struct, field

from inkov.readers.dialects.forms import TYPES, Captured, Word
from inkov.readers.dialects.lists import Lists
from inkov.readers.sheets.words import BadLine

__all__ = [
    "Match",
    "Node",
    "add_form",
    "hidden_by",
    "match",
    "nodes_below",
    "refuse_unclear",
]


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
            # Forms that begin alike share their nodes; labels count, since effects use them.
            known = next((below for taken, below in node.captures if taken == word), None)
            if known is None:
                known = Node()
                node.captures.append((word, known))
                # Exact types first: a number before a name.
                node.captures.sort(key=lambda pair: _order(pair[0]))
            node = known
        yield node


def nodes_below(root: Node) -> Iterator[Node]:
    """A node, and all below it that belong to its block."""
    work = [root]
    for node in work:
        yield node
        work += [*node.literals.values(), *(below for _, below in node.captures)]


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
            # Only where both end here does the one take all of the other.
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
        # All words are used: something must end here.
        if at == len(self.words):
            return self._ended(node)
        place = (id(node), at)
        if place in self.tried:
            return None
        self.tried.add(place)
        below = node.literals.get(self.plain[at])
        if below is None and self.abbreviated and node.literals:
            # Short for one word of the forms only.
            close = [key for key in node.literals if key.startswith(self.plain[at])]
            below = node.literals[close[0]] if len(close) == 1 else None
            if len(close) > 1:
                # Kept for the message, should nothing else fit.
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
                # Tried in vain: what it took is not captured.
                for label, _ in word.captures:
                    self.captured.pop(label, None)
        # A head ends here and its block's statements follow on the same line.
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
        # A head alone on its line opens its block.
        if node.block is not None and (self.opening or node.end is None):
            return Match([*self.opened, (node.block, dict(self.captured))], {}, None)
        end = node.end if not self.negated or node.end is not None else node.undo
        # A line that this form is left out for (`but`) needs another one.
        if end is not None and end is not self.but:
            return Match(list(self.opened), dict(self.captured), end)
        # The words go before those of the lines below.
        if self.opening and (node.literals or node.captures) and not self.negated:
            return Match(list(self.opened), dict(self.captured), None)
        return None

    def _take(self, word: Word, at: int) -> int:
        # Most captures are a whole word.
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
            # What stands behind the last capture must be there.
            if not rest.endswith(after) and after:
                return 0
            rest = rest[: len(rest) - len(after)]
            before = word.pieces[word.captures.index((label, kind))]
            first = word.captures[0] == (label, kind)
            cut = len(before) if first else rest.rfind(before) + len(before)
            # Before the first capture only its own fixed piece may stand.
            if (first and not rest.startswith(before)) or (not first and before not in rest):
                return 0
            value, rest = rest[cut:], rest[:cut]
            # Inside a word a capture takes a part of it, which must be one of its type.
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
    # Nothing fitted, and a short word may be the reason.
    if matching.unclear is not None:
        short, meant = matching.unclear
        raise BadLine(f"{short!r} is short for {' and for '.join(meant)}", "write the word out")
