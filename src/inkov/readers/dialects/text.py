"""From the text of a configuration to statements, whatever its shape.

Three shapes come out as one: a row of `Line`s, each a number, its words, and how deep it stands.
What stands deeper belongs to the line above it. In a flat text everything has depth 0, and a line's
first words are the path.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from enum import StrEnum
from typing import NamedTuple

from msgspec import Struct, field

__all__ = ["LONGEST_LINE", "Line", "Shape", "Style", "lines", "unclosed"]

LONGEST_LINE = 1 << 20
"""Characters of a line; a longer one is no statement, and is not taken apart."""


_KNOWN_LINES = 2_000
Bare = tuple[int, str, bool]
"""How deep a line stands, its text without space and comment around it, and whether it is a
comment.
"""


class Shape(StrEnum):
    INDENTED = "indented"
    BRACED = "braced"
    FLAT = "flat"


class Style(Struct, rename="kebab", forbid_unknown_fields=True):
    """The `[text]` table of a dialect: how its texts are written."""

    shape: Shape = Shape.INDENTED
    comment: list[str] = field(default_factory=list)
    comment_block: list[list[str]] = field(default_factory=list)
    continued: str = ""
    spaces: str = ""
    statement_end: str = ""
    close: list[str] = field(default_factory=list)
    case: str = "exact"
    abbreviated: bool = False
    negation: list[str] = field(default_factory=list)
    lead: list[str] = field(default_factory=list)
    inactive: list[str] = field(default_factory=list)
    tables: list[list[str]] = field(default_factory=list)

    @property
    def any_case(self) -> bool:
        return self.case == "any"


class Line(NamedTuple):
    """A statement: the line it begins on, how deep it stands, its text, and whether a block of
    others follows it.

    `meaning` is False for a comment, None for a line too long to take apart.
    """

    number: int
    depth: int
    text: str
    opens: bool = False
    meaning: bool | None = True


def lines(text: str, style: Style, known: dict[str, Bare] | None = None) -> Iterator[Line]:
    """The statements of a text, comments among them, in order. `known` may keep what lines come to,
    across texts.
    """
    if style.comment_block:
        text = _without_blocks(text, style)
    if style.shape is Shape.BRACED:
        return _braced(text, style)
    return _by_line(text, style, {} if known is None else known)


def _without_blocks(text: str, style: Style) -> str:
    """The text with comments in pairs of marks blanked out, its lines kept."""
    for opening, closing in style.comment_block:
        kept, at = [], 0
        while (start := text.find(opening, at)) >= 0:
            end = text.find(closing, start + len(opening))
            end = len(text) if end < 0 else end + len(closing)
            kept += [text[at:start], "\n" * text.count("\n", start, end)]
            at = end
        text = "".join([*kept, text[at:]])
    return text


def unclosed(text: str, style: Style) -> Iterator[tuple[int, str]]:
    """What a text opens and never closes, or closes and never opened: line and sentence."""
    for opening, closing in style.comment_block:
        at = 0
        while (start := text.find(opening, at)) >= 0:
            at = text.find(closing, start + len(opening)) + len(closing)
            if at < len(closing):
                yield text.count("\n", 0, start) + 1, "the comment that begins here never ends"
                return
    if style.shape is not Shape.BRACED:
        return
    open_at: list[int] = []
    number = 1
    for piece in _braced_token(style).finditer(_without_blocks(text, style)):
        number += piece[0] == "\n"
        if piece[0] == "{":
            open_at.append(number)
        elif piece[0] == "}" and open_at:
            open_at.pop()
        elif piece[0] == "}":
            yield number, "this } closes nothing: what stands below may belong elsewhere"
            return
    if open_at:
        yield open_at[-1], "the block that begins here is never closed"


def _by_line(text: str, style: Style, known: dict[str, Bare]) -> Iterator[Line]:
    """Indented and flat texts. Each line is given out once the next one shows whether it opens a
    block.
    """
    flat = style.shape is Shape.FLAT
    held: tuple[int, int, str, bool | None] | None = None
    joined: tuple[int, int, str] | None = None
    bare = _bare(style)
    for number, raw in enumerate(text.split("\n"), 1):
        line = known.get(raw)
        if line is None:
            line = bare(raw)
            if len(raw) < 200:
                if len(known) >= _KNOWN_LINES:
                    known.clear()
                known[raw] = line
        depth, stripped, comment = line
        if joined is not None:
            number, depth, before = joined
            stripped, comment, joined = f"{before} {stripped}", False, None
        elif not stripped:
            continue
        elif comment:
            yield Line(number, 0, stripped, False, False)
            continue
        if style.continued and stripped.endswith(style.continued) and len(stripped) < LONGEST_LINE:
            joined = number, depth, stripped[: -len(style.continued)].rstrip()
            continue
        meaning = True if len(stripped) <= LONGEST_LINE else None
        if flat:
            yield Line(number, 0, stripped, False, meaning)
            continue
        if held is not None:
            yield Line(held[0], held[1], held[2], depth > held[1], held[3])
        held = number, depth, stripped, meaning
    if joined is not None:
        if held is not None:
            yield Line(held[0], held[1], held[2], joined[1] > held[1], held[3])
        held = *joined, True
    if held is not None:
        yield Line(held[0], held[1], held[2], False, held[3])


def _bare(style: Style) -> Callable[[str], Bare]:
    """The function that makes `Bare` of a line."""
    comment, inner = tuple(style.comment), _comment_after(style)

    def bare(raw: str) -> Bare:
        stripped = raw.strip()
        # str.lstrip takes any space; a tab reaches to the next multiple of eight.
        lead = raw[: len(raw) - len(raw.lstrip())]
        depth = len(lead.expandtabs()) if "\t" in lead else len(lead)
        if comment and stripped.startswith(comment):
            return depth, stripped, True
        if inner is not None and any(mark in stripped for mark in comment):
            stripped = _cut(stripped, inner)
        return depth, stripped, False

    return bare


def _comment_after(style: Style) -> re.Pattern[str] | None:
    """What ends a line before a comment: a mark after a space, outside quotes."""
    if not style.comment:
        return None
    marks = "|".join(re.escape(mark) for mark in style.comment)
    return re.compile(rf'"[^"]*"|(?<=\s)(?:{marks}).*', re.DOTALL)


def _cut(text: str, comment: re.Pattern[str]) -> str:
    return comment.sub(lambda found: found[0] if found[0].startswith('"') else "", text).rstrip()


def _braced_token(style: Style) -> re.Pattern[str]:
    """The pieces of a braced text: line ends, quoted texts, braces, end marks, comments, words."""
    end = re.escape(style.statement_end) if style.statement_end else r"(?!)"
    marks = "|".join(re.escape(mark) for mark in style.comment) or r"(?!)"
    comment = rf"(?:(?<=\s)|^)(?:{marks})[^\n]*"
    return re.compile(
        rf'\n|"[^"\n]*"|[{{}}]|{end}|{comment}|[^\s{{}}"{end_class(style)}]+|.', re.MULTILINE
    )


def _braced(text: str, style: Style) -> Iterator[Line]:
    number, depth = 1, 0
    words: list[str] = []
    size = 0
    began = 1

    def statement(opens: bool) -> Line:
        return Line(began, depth, " ".join(words), opens, True if size <= LONGEST_LINE else None)

    for token_match in _braced_token(style).finditer(text):
        piece = token_match[0]
        if piece == "\n":
            number += 1
            if style.statement_end or not words:
                continue
            # Without an end mark the line is the statement, unless its block opens on the next
            # line.
            rest = text[token_match.end() : token_match.end() + 200].lstrip()
            if rest.startswith("{"):
                continue
        elif piece == "{":
            if not words:
                began = number
            yield statement(True)
            depth += 1
            words, size = [], 0
            continue
        elif piece == "}":
            if words:
                yield statement(False)
            words, size = [], 0
            depth = max(depth - 1, 0)
            continue
        elif piece == style.statement_end and piece:
            pass
        elif style.comment and piece.startswith(tuple(style.comment)) and not piece.startswith('"'):
            yield Line(number, 0, piece, False, False)
            continue
        elif piece.isspace():
            continue
        else:
            if not words:
                began = number
            size += len(piece) + 1
            if size <= LONGEST_LINE:
                words.append(piece)
            continue
        if words:
            yield statement(False)
        words, size = [], 0
    if words:
        yield statement(False)


def end_class(style: Style) -> str:
    """The statement's end mark, as a word must not hold it."""
    return re.escape(style.statement_end[:1])
