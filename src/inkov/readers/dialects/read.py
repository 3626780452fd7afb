"""Read a text by its dialect: each line is matched in its block, what it does is noted, and a device is made of it.

Two steps, since a port may be put into a VLAN by a name that is only said further down: `_Text` goes through the lines
and collects what they do, `device.Building` applies it in order.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from itertools import islice
from typing import Any, NamedTuple

from msgspec import Struct, field

from inkov.campus import Origin, Problem
from inkov.readers.dialects.device import Building, Step
from inkov.readers.dialects.effects import Bound, bind, keys_of
from inkov.readers.dialects.file import Block, Dialect, Statement
from inkov.readers.dialects.forms import Captured, Match, match
from inkov.readers.dialects.text import Line, lines
from inkov.readers.ledger import Part, Unread, as_text
from inkov.readers.sheet_words import BadLine
from inkov.vlanset import VlanListError

__all__ = ["read_text", "recognises", "split_words"]

_QUOTED = re.compile(r'"([^"]*)"|(\S+)')
_HEAD_LINES = 200
_CACHED = 50_000
_CACHED_LENGTH = 200
_DEEPEST = 64
_VLANISH = re.compile(
    r"(?i).*(?:vlan|vid|trunk|tag|native|bridge|switch|allow)|[0-9]{1,4}(?:[-,.:][0-9]{1,4})*\Z"
).match
_MOST_PROBLEMS = 200  # of one file: who has more has the wrong dialect


class _Context(Struct):
    """Where a line stands: the block it belongs to, and the words of lines above it that opened none.

    `targets` is what the block has opened (kind, keys); `captured` the captures of the heads around it. `lost` tells
    that the head was not understood, `ignored` that all below it has no meaning here.
    """

    depth: int
    block: Block
    prefix: tuple[str, ...] = ()
    kind: str = "device"
    keys: tuple[Any, ...] = ()
    captured: dict[str, Captured] = field(default_factory=dict)
    lost: bool = False
    ignored: bool = False


class _Known(NamedTuple):
    """A line that was matched before: the match, and its effects where these need nothing from around it."""

    match: Match | None
    bound: tuple[Bound, ...] | None
    negated: bool
    words: tuple[str, ...]


def split_words(text: str, dialect: Dialect) -> list[str]:
    """The words of a statement: split at spaces, quoted text in one word."""
    if dialect.text.spaces:
        text = text.translate(dialect.spaces)
    if '"' not in text:
        return text.split()
    return [quoted if bare == "" else bare for quoted, bare in _QUOTED.findall(text)]


def recognises(dialect: Dialect, file: str, head: str) -> bool:
    """True if the file's name is one of the dialect's, or each of its `recognise` forms fits a line of the head."""
    if dialect.claims(file):
        return True
    if not dialect.recognise:
        return False
    found = [split_words(line.text, dialect) for line in islice(lines(head, dialect.text), _HEAD_LINES) if line.meaning]
    return all(any(_fits(dialect, root, words) for words in found) for root in dialect.recognise)


def _fits(dialect: Dialect, root: Any, words: list[str]) -> bool:
    return len(words) < 1000 and match(root, words, dialect.lists, dialect.text) is not None


def read_text(dialect: Dialect, file: str, data: bytes) -> tuple[Part, int]:
    """Read one file: what it holds, and how many of its lines were understood."""
    text, problems = as_text(file, data)
    reader = _Text(dialect, file)
    reader.part.problems += problems
    reader.read(text)
    reader.part.passed = reader.ignored
    return reader.part, reader.understood


class _Text:
    def __init__(self, dialect: Dialect, file: str) -> None:
        self.dialect = dialect
        self.file = file
        self.part = Part()
        self.steps: list[Step] = []
        self.understood = self.ignored = 0
        self.cache: dict[tuple[int, tuple[str, ...]], dict[tuple[str, bool], _Known]] = {}
        self.faults = 0

    def read(self, text: str) -> None:
        stack = [_Context(-1, self.dialect.device)]
        passage = ""
        for line in self._lines(text):
            if passage:
                self.ignored += 1
                passage = "" if passage in line.text else passage
                continue
            if line.meaning is False:
                self.ignored += 1
                continue
            while stack[-1].depth >= line.depth and len(stack) > 1:
                stack.pop()
            context = stack[-1]
            if line.meaning is None:
                self._unmatched(line, context, "longer than any statement is: left out")
                continue
            if context.ignored or context.lost:
                if context.ignored:
                    self.ignored += 1
                else:
                    self._unmatched(line, context, lost=True)
                continue
            if len(stack) > _DEEPEST:
                self._unmatched(line, context, f"deeper than {_DEEPEST} blocks: left out")
                continue
            if self.dialect.text.close and line.text in self.dialect.text.close:
                self.ignored += 1
                if len(stack) > 1:
                    stack.pop()
                continue
            passage = self._line(line, stack)
        building = Building(self.dialect, self.file, self.part)
        for step, error in building.apply(self.steps):
            self.understood -= 1
            self._fault(step.line, step.text, error)
        building.finish()

    def _lines(self, text: str) -> Iterator[Line]:
        return lines(text.replace("\r\n", "\n"), self.dialect.text)

    # --- one line ---

    def _line(self, line: Line, stack: list[_Context]) -> str:
        """Match the line, note what it does, open what it opens. Returns the mark that ends a passage."""
        context = stack[-1]
        try:
            known = self._known(context, line)
            found = known.match
            if found is None:
                raise LookupError
            passage = self._effects(line, context, known, stack)
        except LookupError:
            self._unmatched(line, context)
            if line.opens:
                stack.append(_Context(line.depth, context.block, lost=True))
            return ""
        except (BadLine, VlanListError) as error:
            self._fault(line.number, line.text, error)
            if line.opens:
                stack.append(_Context(line.depth, context.block, lost=True))
            return ""
        end = found.end
        if isinstance(end, Statement) and end.ignored:
            self.ignored += 1
            if line.opens:
                stack.append(_Context(line.depth, context.block, ignored=True))
        else:
            self.understood += 1
            if line.opens and stack[-1] is context:
                # The line opens no block of the dialect: its words go before those of the lines below it.
                stack.append(_Context(line.depth, context.block, (*context.prefix, *known.words), context.kind,
                                      context.keys, context.captured))  # fmt: skip
        return passage

    def _known(self, context: _Context, line: Line) -> _Known:
        cache = self.cache.setdefault((id(context.block), context.prefix), {})
        known = cache.get((line.text, line.opens))
        if known is None:
            known = self._matched(context, line)
            if len(line.text) < _CACHED_LENGTH and len(cache) < _CACHED:
                cache[line.text, line.opens] = known
        return known

    def _matched(self, context: _Context, line: Line) -> _Known:
        dialect, style = self.dialect, self.dialect.text
        words = split_words(line.text, dialect)
        first = words[0].lower() if words and style.any_case else words[0] if words else ""
        if first in style.lead:
            words = words[1:]
        found = match(context.block.root, [*context.prefix, *words], dialect.lists, style, opening=line.opens)
        negated = False
        if found is None and first in style.negation:
            negated = True
            found = match(context.block.root, [*context.prefix, *words[1:]], dialect.lists, style, negated=True)
        bound: tuple[Bound, ...] | None = None
        if found is not None and isinstance(found.end, Statement) and not found.opened and found.end.own:
            bound = tuple(self._bound(found.end, found.captured, context.kind, negated))
        return _Known(found, bound, negated, tuple(words))

    def _bound(self, end: Statement, captured: dict[str, Captured], kind: str, negated: bool) -> Iterator[Bound]:
        for clause in end.clauses:
            bound = bind(clause, captured, kind, self.dialect.lists, negated=negated)
            if bound is not None:
                yield bound

    def _effects(self, line: Line, context: _Context, known: _Known, stack: list[_Context]) -> str:
        found = known.match
        assert found is not None
        origin = Origin(self.file, line.number)
        if known.bound is not None:
            if known.bound:
                self._note(line, origin, context.kind, context.keys, known.bound)
        else:
            self._open_and_bind(line, origin, context, known, stack)
        last = found.captured.get("passage")
        return last.text[:1] if last is not None and last.text[:1] not in last.text[1:] else ""

    def _open_and_bind(
        self, line: Line, origin: Origin, context: _Context, known: _Known, stack: list[_Context]
    ) -> None:
        found = known.match
        assert found is not None
        captured, kind, keys, block = context.captured, context.kind, context.keys, context.block
        for number, (head, own) in enumerate(found.opened):
            captured = {**captured, **own}
            block = head.block
            if block.kind:
                kind = block.kind
                keys = keys_of(kind, head.name, captured, self.dialect.lists)
                gone = known.negated and number == len(found.opened) - 1 and found.end is None
                opening = [Bound("", "gone" if gone else "there")]
                if not gone:
                    opening += self._bound(head.statement, captured, kind, False)
                self._note(line, origin, kind, keys, tuple(opening))
        if isinstance(found.end, Statement):
            captured_here = {**captured, **found.captured}
            self._note(line, origin, kind, keys, tuple(self._bound(found.end, captured_here, kind, known.negated)))
        if line.opens and found.opened:
            stack.append(_Context(line.depth, block, (), kind, keys, captured))

    def _note(self, line: Line, origin: Origin, kind: str, keys: tuple[Any, ...], bound: tuple[Bound, ...]) -> None:
        if bound:
            self.steps.append(Step(line.number, line.text, origin, kind, keys, bound))

    # --- what was not understood ---

    def _unmatched(self, line: Line, context: _Context, says: str = "", *, lost: bool = False) -> None:
        words = split_words(line.text[:_CACHED_LENGTH], self.dialect)
        inside = not lost and context.kind != "device"
        relevant = inside or not self.dialect.known_words.isdisjoint(words) or any(map(_VLANISH, words))
        self.part.unmatched.append(Unread(Origin(self.file, line.number), line.text[:_CACHED_LENGTH], 1, relevant))
        if says:
            self._problem(line.number, says)

    def _fault(self, number: int, text: str, error: Exception) -> None:
        self.part.unmatched.append(Unread(Origin(self.file, number), text[:_CACHED_LENGTH]))
        self._problem(number, str(error), getattr(error, "cure", ""))

    def _problem(self, number: int, says: str, cure: str = "") -> None:
        self.faults += 1
        if self.faults <= _MOST_PROBLEMS:
            self.part.problems.append(Problem(Origin(self.file, number), says, cure))
        if self.faults == _MOST_PROBLEMS:
            self.part.problems.append(Problem(Origin(self.file, number), "more such lines are not reported one by one"))
