"""Read a text by its dialect: each line is matched in its block, what it does is noted, and a
device is made of it.

Two steps, since a port may be put into a VLAN by a name that is only said further down: `_Text`
goes through the lines and collects what they do, `device.Building` applies it in order.
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
_CACHED = 2_000
_CACHED_LENGTH = 200
_DEEPEST = 64
_VLANISH = re.compile(
    r"(?i).*(?:vlan|vid|trunk|tag|native|bridge|switch|allow)|[0-9]{1,4}(?:[-,.:][0-9]{1,4})*\Z"
).match
_MOST_PROBLEMS = 200  # of one file: who has more has the wrong dialect


class _Context(Struct):
    """Where a line stands: the block it belongs to, and the words of lines above it that opened
    none.

    `targets` is what the block has opened (kind, keys); `captured` the captures of the heads around
    it. `lost` tells that the head was not understood, `ignored` that all below it has no meaning
    here.
    """

    depth: int
    block: Block
    prefix: tuple[str, ...] = ()
    kind: str = "device"
    keys: tuple[Any, ...] = ()
    captured: dict[str, Captured] = field(default_factory=dict)
    lost: bool = False
    ignored: bool = False


class _Note(NamedTuple):
    """Clauses about one thing: `kind` and `keys` say what it is; a `kind` of "" is what the block
    around has opened.
    """

    kind: str
    keys: tuple[Any, ...]
    bound: tuple[Bound, ...]


class _Known(NamedTuple):
    """A line that was matched before. `notes` are its effects, None where these need captures from
    around it.

    `opened` is what the line opened last: block, kind, keys, captures.
    """

    match: Match | None
    words: tuple[str, ...] = ()
    negated: bool = False
    ignored: bool = False
    notes: tuple[_Note, ...] | None = None
    opened: tuple[Block, str, tuple[Any, ...], dict[str, Captured]] | None = None
    passage: str = ""


def split_words(text: str, dialect: Dialect) -> list[str]:
    """The words of a statement: split at spaces, quoted text in one word."""
    if dialect.text.spaces:
        text = text.translate(dialect.spaces)
    if '"' not in text:
        return text.split()
    return [quoted if bare == "" else bare for quoted, bare in _QUOTED.findall(text)]


def recognises(dialect: Dialect, file: str, head: str) -> bool:
    """True if the file's name is one of the dialect's, or each of its `recognise` forms fits a line
    of the head.
    """
    if dialect.claims(file):
        return True
    if not dialect.recognise:
        return False
    left = list(dialect.recognise)
    for line in islice(lines(head, dialect.text), _HEAD_LINES):
        if line.meaning:
            words = split_words(line.text, dialect)
            left = [root for root in left if not _fits(dialect, root, words)]
            if not left:
                return True
    return False


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
            if line.text in self.dialect.text.close:
                # The word may stand as deep as what it closes, or as its head: one block ends, not
                # two.
                self.ignored += 1
                while stack[-1].depth > line.depth:
                    stack.pop()
                if len(stack) > 1:
                    stack.pop()
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
            passage = self._line(line, stack)
        building = Building(self.dialect, self.file, self.part)
        for step, error in building.apply(self.steps):
            self.understood -= 1
            self._fault(step.origin.line, step.text, error)
        building.finish()

    def _lines(self, text: str) -> Iterator[Line]:
        return lines(text.replace("\r\n", "\n"), self.dialect.text, self.dialect.bare)

    # --- one line ---

    def _line(self, line: Line, stack: list[_Context]) -> str:
        """Match the line, note what it does, open what it opens. Returns the mark that ends a
        passage.
        """
        context = stack[-1]
        # Switches of a kind say much the same: a line that was matched in one file is known in the
        # next.
        cache = self.dialect.known
        key = id(context.block), context.prefix, line.text, line.opens
        known: _Known | None = cache.get(key)
        try:
            if known is None:
                known = self._matched(context, line)
                if len(line.text) < _CACHED_LENGTH:
                    if len(cache) >= _CACHED:  # full of lines that were seen once: begin again
                        cache.clear()
                    cache[key] = known
            notes, opened = known.notes, known.opened
            if notes is None:
                notes, opened = self._notes(known, context)
        except (BadLine, VlanListError) as error:
            self._fault(line.number, line.text, error)
            known = _Known(None)
        if known.match is None or notes is None:
            if known.words or not known.match:
                self._lose(line, context, stack, known)
            return ""
        if known.ignored:
            self.ignored += 1
            if line.opens:
                stack.append(_Context(line.depth, context.block, ignored=True))
            return known.passage
        self.understood += 1
        if notes:
            origin = Origin(self.file, line.number)
            for kind, keys, bound in notes:
                at = (kind, keys) if kind else (context.kind, context.keys)
                self.steps.append(Step(line.text, origin, *at, bound))
        if line.opens:
            if opened is not None:
                block, kind, keys, own = opened
                stack.append(
                    _Context(
                        line.depth,
                        block,
                        (),
                        kind or context.kind,
                        keys if kind else context.keys,
                        {**context.captured, **own},
                    )
                )
            else:
                # The line opens no block of the dialect: its words go before those of the lines
                # below it.
                stack.append(
                    _Context(
                        line.depth,
                        context.block,
                        (*context.prefix, *known.words),
                        context.kind,
                        context.keys,
                        context.captured,
                    )
                )
        return known.passage

    def _lose(self, line: Line, context: _Context, stack: list[_Context], known: _Known) -> None:
        """A line that no form takes (or whose value was reported as wrong), and with it what stands
        below it.
        """
        if known.words:
            self._unmatched(line, context)
        if line.opens:
            stack.append(_Context(line.depth, context.block, lost=True))

    def _matched(self, context: _Context, line: Line) -> _Known:
        dialect, style = self.dialect, self.dialect.text
        words = split_words(line.text, dialect)
        first = words[0].lower() if words and style.any_case else words[0] if words else ""
        if first in style.lead:
            words = words[1:]
        found = match(
            context.block.root, [*context.prefix, *words], dialect.lists, style, opening=line.opens
        )
        negated = False
        if found is None and first in style.negation:
            negated = True
            found = match(
                context.block.root,
                [*context.prefix, *words[1:]],
                dialect.lists,
                style,
                negated=True,
            )
        if found is None:
            return _Known(None, tuple(words) or ("",))
        last = found.captured.get("passage")
        mark = last.text[:1] if last is not None and last.text[:1] not in last.text[1:] else ""
        ignored = isinstance(found.end, Statement) and found.end.ignored
        known = _Known(found, tuple(words), negated, ignored, None, None, mark)
        own: dict[str, Captured] = {}
        for head, captured in found.opened:
            own |= captured
            if not head.needs <= own.keys():
                return known
        if (
            isinstance(found.end, Statement)
            and not found.end.needs <= own.keys() | found.captured.keys()
        ):
            return known
        notes, opened = self._notes(known, _Context(-1, context.block))
        return known._replace(notes=notes, opened=opened)

    def _bound(
        self, end: Statement, captured: dict[str, Captured], kind: str, negated: bool
    ) -> Iterator[Bound]:
        for clause in end.clauses:
            bound = bind(clause, captured, kind, self.dialect.lists, negated=negated)
            if bound is not None:
                yield bound

    def _notes(
        self, known: _Known, context: _Context
    ) -> tuple[
        tuple[_Note, ...] | None, tuple[Block, str, tuple[Any, ...], dict[str, Captured]] | None
    ]:
        """What a matched line does, and what it opens, with the captures of the heads around it."""
        found = known.match
        if found is None:
            return None, None
        captured, kind, keys, block = context.captured, "", (), context.block
        own: dict[str, Captured] = {}
        notes = []
        for number, (head, taken) in enumerate(found.opened):
            own |= taken
            captured = {**captured, **taken}
            block = head.block
            if block.kind:
                kind, keys = (
                    block.kind,
                    keys_of(block.kind, head.name, captured, self.dialect.lists),
                )
                gone = known.negated and number == len(found.opened) - 1 and found.end is None
                opening = [Bound("", "gone" if gone else "there")]
                if not gone:
                    opening += self._bound(head.statement, captured, kind, False)
                notes.append(_Note(kind, keys, tuple(opening)))
        if isinstance(found.end, Statement):
            of = kind or context.block.kind or context.kind
            bound = tuple(self._bound(found.end, {**captured, **found.captured}, of, known.negated))
            if bound:
                notes.append(_Note(kind, keys, bound))
        return tuple(notes), (block, kind, keys, own) if found.opened else None

    # --- what was not understood ---

    def _unmatched(
        self, line: Line, context: _Context, says: str = "", *, lost: bool = False
    ) -> None:
        words = split_words(line.text[:_CACHED_LENGTH], self.dialect)
        inside = not lost and context.kind != "device"
        relevant = (
            inside or not self.dialect.known_words.isdisjoint(words) or any(map(_VLANISH, words))
        )
        self.part.unmatched.append(
            Unread(Origin(self.file, line.number), line.text[:_CACHED_LENGTH], 1, relevant)
        )
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
            self.part.problems.append(
                Problem(Origin(self.file, number), "more such lines are not reported one by one")
            )
