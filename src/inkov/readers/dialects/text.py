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
        # Line ends stay, so that every line keeps its number.
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
            # Not found: what the comment swallowed cannot be told from what it was to hold.
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
            # A brace too many: everything behind it stands one block higher than it was meant.
            yield number, "this } closes nothing: what stands below may belong elsewhere"
            return
    if open_at:
        yield open_at[-1], "the block that begins here is never closed"


class _Piece(NamedTuple):
    """A statement of an indented or flat text: its line, how deep it stands, its text, and
    `meaning` as in `Line`.
    """

    number: int
    depth: int
    text: str
    meaning: bool | None


def _by_line(text: str, style: Style, known: dict[str, Bare]) -> Iterator[Line]:
    """Indented and flat texts. Each statement is given out once the next one shows whether it opens
    a block.
    """
    pieces = _raw(text, style, known)
    # Only then can a line go on in the next, or be too long.
    if style.continued or len(text) > LONGEST_LINE:
        pieces = _joined(pieces, style)
    if style.statement_end:
        pieces = _up_to(pieces, style)
    held: _Piece | None = None
    for piece in pieces:
        # A comment has no depth: it must not open or end a block.
        if piece.meaning is False:
            yield Line(piece.number, 0, piece.text, False, False)
        elif style.shape is Shape.FLAT:
            yield Line(piece.number, 0, piece.text, False, piece.meaning)
        else:
            # Whether a line opens a block is told by the one below it.
            if held is not None:
                opens = piece.depth > held.depth
                yield Line(held.number, held.depth, held.text, opens, held.meaning)
            held = piece
    if held is not None:
        yield Line(held.number, held.depth, held.text, False, held.meaning)


def _raw(text: str, style: Style, known: dict[str, Bare]) -> Iterator[_Piece]:
    """The lines that hold something, without space and comment around them."""
    bare = _bare(style)
    for number, raw in enumerate(text.split("\n"), 1):
        line = known.get(raw)
        if line is None:
            line = bare(raw)
            # Long lines are rare, and seldom the same in another text.
            if len(raw) < 200:
                if len(known) >= _KNOWN_LINES:
                    known.clear()
                known[raw] = line
        depth, stripped, comment = line
        # An empty line may end one that goes on.
        if stripped or style.continued:
            yield _Piece(number, depth, stripped, not comment)


def _joined(raw: Iterator[_Piece], style: Style) -> Iterator[_Piece]:
    """Lines with those that they go on in; what is too long to be taken apart has no meaning."""
    begun: _Piece | None = None
    for line in raw:
        number, depth, text, meaning = line
        # The depth is that of the line that began.
        if begun is not None:
            number, depth, text, meaning = *begun[:2], f"{begun.text} {text}", True
            begun = None
        elif not text:
            continue
        elif not meaning:
            yield line
            continue
        goes_on = style.continued and text.endswith(style.continued) and len(text) < LONGEST_LINE
        if goes_on:
            begun = _Piece(number, depth, text[: -len(style.continued)].rstrip(), True)
        else:
            yield _Piece(number, depth, text, True if len(text) <= LONGEST_LINE else None)
    if begun is not None:
        yield begun


_TOKEN = re.compile(r'"[^"]*"|[^\s"]+|"')


def _up_to(pieces: Iterator[_Piece], style: Style) -> Iterator[_Piece]:
    """Statements up to their end mark: several on a line, or one over several lines."""
    begun: list[str] = []
    began = _Piece(0, 0, "", True)
    size = 0

    def statement() -> _Piece:
        text = " ".join(begun).strip()
        return began._replace(text=text, meaning=True if size <= LONGEST_LINE else None)

    for piece in pieces:
        # A comment within a statement is none of it.
        if not piece.meaning:
            yield piece
            continue
        at = 0
        # None: what stands behind the last mark, which may go on below.
        for end in (*_ends_in(piece.text, style.statement_end), None):
            own = piece.text[at:end].strip()
            if own and not begun:
                began, size = piece, 0
            size += len(own) + 1
            # Beyond the limit nothing is kept: the statement has no meaning then.
            if own and size <= LONGEST_LINE:
                begun.append(own)
            if end is not None:
                at = end + len(style.statement_end)
                if begun:
                    yield statement()
                begun = []
    if begun:
        yield statement()


def _ends_in(text: str, mark: str) -> Iterator[int]:
    """Where statements end in a line: at a mark that ends a word, outside quotes."""
    for token in _TOKEN.finditer(text):
        end = token.end()
        if token[0].endswith(mark) and (end == len(text) or text[end].isspace()):
            yield end - len(mark)


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
        # Most lines have no mark of a comment: no need to look for quotes.
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
    return comment.sub(lambda match: match[0] if match[0].startswith('"') else "", text).rstrip()


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
            # With an end mark a statement may go over several lines.
            if style.statement_end or not words:
                continue
            # Without an end mark the line is the statement, unless its block opens on the next
            # line.
            rest = text[token_match.end() : token_match.end() + 200].lstrip()
            if rest.startswith("{"):
                continue
        elif piece == "{":
            # A block without a head, as after a comment.
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
            # The end mark itself: what was collected is a statement.
            pass
        elif style.comment and piece.startswith(tuple(style.comment)) and not piece.startswith('"'):
            # A comment is no word of the statement that it stands in.
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
