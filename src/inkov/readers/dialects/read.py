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
from inkov.readers.dialects.binding import Bound, bind, keys_of
from inkov.readers.dialects.columns import spelled_out
from inkov.readers.dialects.device import Building
from inkov.readers.dialects.file import Block, Dialect, Statement
from inkov.readers.dialects.forms import Captured
from inkov.readers.dialects.inherit import Step
from inkov.readers.dialects.lists import Quoted
from inkov.readers.dialects.matching import Match, match, refuse_unclear
from inkov.readers.dialects.text import Line, lines, unclosed
from inkov.readers.reading import Ledger, Part, Reading, Unread, as_text
from inkov.readers.sheets.words import BadLine
from inkov.vlanset import VlanListError

__all__ = ["DialectReader", "Taken", "read_text", "recognises", "split_words"]

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
    around has opened. `form` is that of the statement.
    """

    kind: str
    keys: tuple[Any, ...]
    bound: tuple[Bound, ...]
    form: str = ""


class _Opened(NamedTuple):
    """The block that a line opens, what it is about, and the captures of its head."""

    block: Block
    kind: str
    keys: tuple[Any, ...]
    captured: dict[str, Captured]


class Taken(NamedTuple):
    """What took a line: the forms (with their lines in the dialect), outermost first, the `labels`
    that each of them captured, and what they do. `instead` is a form with a meaning that could have
    taken the line, where one without took it.
    """

    forms: tuple[tuple[str, int], ...]
    labels: tuple[frozenset[str], ...]
    steps: tuple[Step, ...]
    ignored: bool
    instead: tuple[str, int] | None = None


class _Known(NamedTuple):
    """A line that was matched before. `notes` are its effects, None where these need captures from
    around it.

    `opened` is what the line opened last.
    """

    match: Match | None
    words: tuple[str, ...] = ()
    negated: bool = False
    ignored: bool = False
    notes: tuple[_Note, ...] | None = None
    opened: _Opened | None = None
    passage: str = ""


def _below(line: Line, context: _Context, known: _Known, opened: _Opened | None) -> _Context:
    """What the lines below a line stand in.

    Where the line opens no block of the dialect, its words go before those of the lines below it.
    """
    # The words are kept: below it they begin each statement.
    if opened is None:
        prefix = (*context.prefix, *known.words)
        return _Context(
            line.depth, context.block, prefix, context.kind, context.keys, context.captured
        )
    # A group opens nothing by itself: what it stands in goes on.
    kind = opened.kind or context.kind
    keys = opened.keys if opened.kind else context.keys
    captured = {**context.captured, **opened.captured}
    return _Context(line.depth, opened.block, (), kind, keys, captured)


def split_words(text: str, dialect: Dialect) -> list[str]:
    """The words of a statement: split at spaces, quoted text in one word."""
    # Nearly all statements have no quotes.
    if dialect.text.spaces:
        text = text.translate(dialect.spaces)
    if '"' not in text:
        return text.split()
    return [Quoted(quoted) if bare == "" else bare for quoted, bare in _QUOTED.findall(text)]


def recognises(dialect: Dialect, file: str, head: str) -> bool:
    """True if the file's name is one of the dialect's, or each of its `recognise` forms fits a line
    of the head.
    """
    # A name that the dialect claims needs no look at the text.
    if dialect.claims(file):
        return True
    if not dialect.recognise:
        return False
    # Most texts are in another language, and are not taken apart for this.
    if not _may_hold(dialect, head):
        return False
    left = list(dialect.recognise)
    for line in islice(lines(head, dialect.text), _HEAD_LINES):
        if line.meaning:
            words = _without_lead(split_words(line.text, dialect), dialect)
            left = [root for root in left if not _fits(dialect, root, words)]
            if not left:
                return True
    return False


def _may_hold(dialect: Dialect, head: str) -> bool:
    """False if a form of `recognise` begins with words none of which is anywhere in the head."""
    style = dialect.text
    # A comment may stand within a word.
    if style.abbreviated or any(opening in head for opening, _ in style.comment_block):
        return True
    if style.any_case:
        head = head.lower()
    for root in dialect.recognise:
        # What other letters are in lower case depends on those around them.
        plain = not root.captures and all(map(str.isascii, root.literals))
        if plain and not any(word in head for word in root.literals):
            return False
    return True


def _without_lead(words: list[str], dialect: Dialect) -> list[str]:
    """The words of a statement without one that begins statements and means nothing."""
    # The first word counts as it is written, or in any case.
    first = words[0].lower() if words and dialect.text.any_case else "".join(words[:1])
    return words[1:] if first in dialect.text.lead else words


def _fits(dialect: Dialect, root: Any, words: list[str]) -> bool:
    # A line of a thousand words is no statement that tells a language.
    return len(words) < 1000 and match(root, words, dialect.lists, dialect.text) is not None


class DialectReader:
    """The reader that a dialect makes (`reading.Reader`)."""

    def __init__(self, dialect: Dialect) -> None:
        self.dialect = dialect

    def recognise(self, head: bytes) -> bool:
        return recognises(self.dialect, "", head.decode("utf-8-sig", "replace"))

    def read(self, file: str, data: bytes, *, account: bool) -> Reading:
        return read_text(self.dialect, file, data)


def read_text(
    dialect: Dialect, file: str, data: bytes, taken: dict[int, Taken] | None = None
) -> Reading:
    """Read one file by a dialect. `taken` gets what took each line."""
    text, problems = as_text(file, data)
    reader = _Text(dialect, file, taken)
    reader.part.problems += problems
    reader.read(text)
    return Reading(reader.part, reader.ledger)


class _Text:
    """Goes through the lines of a text, with a stack of the blocks that each line stands in."""

    def __init__(self, dialect: Dialect, file: str, taken: dict[int, Taken] | None = None) -> None:
        self.dialect = dialect
        self.file = file
        self.taken = taken
        self.part = Part(secret_words=dialect.secret_words)
        self.ledger = Ledger()
        self.steps: list[Step] = []
        self.stack = [_Context(-1, dialect.device)]
        self.passage = ""  # the mark that ends the passage of free text we are in
        self.passage_began = 0
        self.in_passage: list[Line] = []
        self.faults = 0

    def read(self, text: str) -> None:
        text = text.replace("\r\n", "\n")
        # Tables in columns become statements first; the lines keep their numbers.
        spelled = spelled_out(text, self.dialect.text.tables) if self.dialect.text.tables else None
        written = spelled.text if spelled is not None else text
        for line in lines(written, self.dialect.text, self.dialect.bare):
            if spelled is not None:
                line = line._replace(number=spelled.numbers[line.number - 1])
            # In a passage of free text nothing is a statement until its mark comes again.
            if self.passage:
                self.in_passage.append(line)
                if self.passage in line.text:
                    self.ledger.passed += len(self.in_passage)
                    self.passage, self.in_passage = "", []
            elif line.meaning is False:
                self.ledger.passed += 1
            elif line.text in self.dialect.text.close:
                # What closes a block says nothing else.
                self.ledger.passed += 1
                self._close(line)
            else:
                self._statement(line)
        self._never_closed(text)
        # A row is several statements: one that is lost takes the others along.
        if spelled is not None:
            # A row, like any line, has its whole effect or none.
            lost = spelled.rows & {line.origin.line for line in self.ledger.unmatched}
            self.steps = [step for step in self.steps if step.origin.line not in lost]
        building = Building(self.dialect, self.file, self.part)
        # What is not done was counted as understood when its form took it.
        for step, error in building.apply(self.steps):
            self.ledger.understood -= 1
            self._fault(step.origin.line, step.text, error)
        building.finish()

    def _never_closed(self, text: str) -> None:
        """What is open at the end of the text has taken along what stands below it."""
        if self.passage:
            for line in self.in_passage:
                # All of it: which lines of it were statements nobody knows.
                self._unmatched(line, self.stack[0], lost=True)
            says = (
                f"the text that begins here with {self.passage!r} never ends: what follows is lost"
            )
            self._problem(self.passage_began, says, "the file may be cut off")
        for number, says in unclosed(text, self.dialect.text):
            self.ledger.unmatched.append(Unread(Origin(self.file, number), says, ours=True))
            self._problem(number, says, "the file may be cut off")

    def _close(self, line: Line) -> None:
        """A word that closes a block may stand as deep as what it closes, or as its head: either
        way one block ends, not two.
        """
        while self.stack[-1].depth > line.depth:
            self.stack.pop()
        if len(self.stack) > 1:
            self.stack.pop()

    def _statement(self, line: Line) -> None:
        # A line that stands less deep has left the blocks that are deeper.
        while self.stack[-1].depth >= line.depth and len(self.stack) > 1:
            self.stack.pop()
        context = self.stack[-1]
        # Cut off at the limit: what was left out might have changed its meaning.
        if line.meaning is None:
            self._unmatched(line, context, "longer than any statement is: left out")
        elif context.ignored:
            self.ledger.passed += 1
        elif self._is_inactive(line):
            # A block that is out of force takes what stands in it along.
            self.ledger.passed += 1
            if line.opens:
                self.stack.append(_Context(line.depth, context.block, ignored=True))
        elif context.lost:
            # Below a head that was not understood, what a line is about is not known.
            self._unmatched(line, context, lost=True)
        elif len(self.stack) > _DEEPEST:
            self._unmatched(line, context, f"deeper than {_DEEPEST} blocks: left out")
        else:
            self._line(line, context)

    def _is_inactive(self, line: Line) -> bool:
        """Whether a mark before a statement says that it is not in force."""
        inactive = self.dialect.text.inactive
        return bool(inactive) and line.text.split(maxsplit=1)[:1][0] in inactive

    # --- one line ---

    def _line(self, line: Line, context: _Context) -> None:
        """Match the line, note what it does, open what it opens."""
        known, notes, opened = self._looked_up(line, context)
        if known.match is None or notes is None:
            # Without words the fault is told already.
            if known.words or not known.match:
                self._lose(line, context, known)
            return
        self.passage, self.passage_began = known.passage, line.number
        before = len(self.steps)
        # Understood, and without a meaning here: nothing below it counts either.
        if known.ignored:
            self._note_taken(line, context, known, before)
            self.ledger.passed += 1
            if line.opens:
                self.stack.append(_Context(line.depth, context.block, ignored=True))
            return
        self.ledger.understood += 1
        if notes:
            origin = Origin(self.file, line.number)
            # What the line opens itself, or what the block around it has opened.
            for kind, keys, bound, form in notes:
                at = (kind, keys) if kind else (context.kind, context.keys)
                self.steps.append(Step(line.text, origin, *at, bound, form, known.negated))
        self._note_taken(line, context, known, before)
        if line.opens and known.negated and opened is not None:
            # A head that is undone takes what stands below it along.
            self.stack.append(_Context(line.depth, context.block, ignored=True))
        elif line.opens:
            self.stack.append(_below(line, context, known, opened))

    def _note_taken(self, line: Line, context: _Context, known: _Known, before: int) -> None:
        """Keep what took a line, if that is wanted. One line may hold several statements."""
        if self.taken is None or known.match is None:
            return
        matched = known.match
        # Only whoever asks for a trace pays for it.
        taken = [(head.statement, captured) for head, captured in matched.opened]
        if isinstance(matched.end, Statement):
            taken.append((matched.end, matched.captured))
        forms = tuple((statement.form, statement.line) for statement, _ in taken)
        labels = tuple(frozenset(captured) for _, captured in taken)
        steps = tuple(self.steps[before:])
        already = self.taken.get(line.number)
        # Several statements on one line, and each has its forms.
        if already is not None:
            forms, labels = (*already.forms, *forms), (*already.labels, *labels)
            steps = (*already.steps, *steps)
        instead = self._instead(context, known) if known.ignored else None
        self.taken[line.number] = Taken(forms, labels, steps, known.ignored, instead)

    def _instead(self, context: _Context, known: _Known) -> tuple[str, int] | None:
        """A form with a meaning that could have taken a line that another one took."""
        assert known.match is not None
        words = [*context.prefix, *known.words]
        dialect = self.dialect
        second = match(context.block.root, words, dialect.lists, dialect.text, but=known.match.end)
        end = second.end if second is not None else None
        if isinstance(end, Statement) and not end.ignored:
            return end.form, end.line
        return None

    def _looked_up(
        self, line: Line, context: _Context
    ) -> tuple[_Known, tuple[_Note, ...] | None, _Opened | None]:
        """The line as it is known, what it does and what it opens here.

        Switches of a kind say much the same: a line that was matched in one file is known in the
        next.
        """
        cache = self.dialect.known
        # The same words mean something else in another block.
        key = id(context.block), context.prefix, line.text, line.opens
        known: _Known | None = cache.get(key)
        try:
            if known is None:
                known = self._matched(context, line)
                if len(line.text) < _CACHED_LENGTH:
                    # Most lines come again in the next file; those that do not must not fill the
                    # memory.
                    if len(cache) >= _CACHED:  # full of lines that were seen once: begin again
                        cache.clear()
                    cache[key] = known
            # What the line does depends on nothing around it.
            if known.notes is not None:
                return known, known.notes, known.opened
            return known, *self._notes(known, context)
        except (BadLine, VlanListError) as error:
            self._fault(line.number, line.text, error)
            # Half of a filter's entry is worse than none.
            self._unclear(line, context)
            return _Known(None), None, None

    def _lose(self, line: Line, context: _Context, known: _Known) -> None:
        """A line that no form takes (or whose value was reported as wrong), and with it what stands
        below it.
        """
        if known.words:
            self._unmatched(line, context)
        # All that stands below an unknown head is about something unknown.
        if line.opens:
            self.stack.append(_Context(line.depth, context.block, lost=True))

    def _matched(self, context: _Context, line: Line) -> _Known:
        dialect, style = self.dialect, self.dialect.text
        stated = split_words(line.text, dialect)
        first = stated[0].lower() if stated and style.any_case else "".join(stated[:1])
        words = _without_lead(stated, dialect)
        matched = match(
            context.block.root, [*context.prefix, *words], dialect.lists, style, opening=line.opens
        )
        negated = False
        # Only what fits no form as it is can be a negated statement.
        if matched is None and first in style.negation:
            negated = True
            matched = match(
                context.block.root,
                [*context.prefix, *words[1:]],
                dialect.lists,
                style,
                negated=True,
            )
        if matched is None:
            # A short word that could mean several is told as that.
            if style.abbreviated:
                stated = words[1:] if first in style.negation else words
                refuse_unclear(context.block.root, [*context.prefix, *stated], dialect.lists, style)
            return _Known(None, tuple(words) or ("",))
        last = matched.captured.get("passage")
        # The mark that opens a passage; if it comes again on the line, the passage is over.
        mark = last.text[:1] if last is not None and last.text[:1] not in last.text[1:] else ""
        ignored = isinstance(matched.end, Statement) and matched.end.ignored
        known = _Known(matched, tuple(words), negated, ignored, None, None, mark)
        own: dict[str, Captured] = {}
        for head, captured in matched.opened:
            own |= captured
            # Which heads it needs stand in other lines: its effect is worked out each time.
            if not head.needs <= own.keys():
                return known
        if (
            isinstance(matched.end, Statement)
            and not matched.end.needs <= own.keys() | matched.captured.keys()
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
    ) -> tuple[tuple[_Note, ...] | None, _Opened | None]:
        """What a matched line does, and what it opens, with the captures of the heads around it."""
        matched = known.match
        if matched is None:
            return None, None
        captured, kind, keys, block = context.captured, "", (), context.block
        own: dict[str, Captured] = {}
        notes = []
        for number, (head, taken) in enumerate(matched.opened):
            own |= taken
            captured = {**captured, **taken}
            # A head within a block whose head was not understood.
            if not head.needs <= captured.keys():
                raise BadLine("the head above does not say what this one is about")
            block = head.block
            if block.kind:
                kind, keys = (
                    block.kind,
                    keys_of(block.kind, head.name, captured, self.dialect.lists),
                )
                # A negated head takes away what it names; in the middle of a line it only leads
                # there.
                gone = known.negated and number == len(matched.opened) - 1 and matched.end is None
                opening = [Bound("", "gone" if gone else "there")]
                if not gone:
                    opening += self._bound(head.statement, captured, kind, False)
                notes.append(_Note(kind, keys, tuple(opening)))
        if isinstance(matched.end, Statement):
            # What the statement is about: its own head, or the block's.
            of = kind or context.block.kind or context.kind
            bound = tuple(
                self._bound(matched.end, {**captured, **matched.captured}, of, known.negated)
            )
            # A condition does nothing, but must be noted.
            if not bound and matched.end.form in self.dialect.conditions:
                bound = (Bound("", "there"),)
            if bound:
                notes.append(_Note(kind, keys, bound, matched.end.form))
        return tuple(notes), _Opened(block, kind, keys, own) if matched.opened else None

    # --- what was not understood ---

    def _unmatched(
        self, line: Line, context: _Context, says: str = "", *, lost: bool = False
    ) -> None:
        words = split_words(line.text[:_CACHED_LENGTH], self.dialect)
        inside = not lost and context.kind != "device"
        # What may have to do with VLANs is told; the rest would bury it.
        relevant = (
            inside or not self.dialect.known_words.isdisjoint(words) or any(map(_VLANISH, words))
        )
        self.ledger.unmatched.append(
            Unread(Origin(self.file, line.number), line.text[:_CACHED_LENGTH], 1, relevant)
        )
        if says:
            self._problem(line.number, says)
        self._unclear(line, context)

    def _unclear(self, line: Line, context: _Context) -> None:
        """What a filter holds that is not understood may let anything pass."""
        # An entry that is lost may have let packets pass.
        if context.kind == "filter":
            origin = Origin(self.file, line.number)
            unclear = (Bound("", "unclear"),)
            self.steps.append(Step(line.text, origin, "filter", context.keys, unclear))

    def _fault(self, number: int, text: str, error: Exception) -> None:
        self.ledger.unmatched.append(Unread(Origin(self.file, number), text[:_CACHED_LENGTH]))
        self._problem(number, str(error), getattr(error, "cure", ""))

    def _problem(self, number: int, says: str, cure: str = "") -> None:
        self.faults += 1
        # A dialect for another language fails in every line: some of them tell enough.
        if self.faults <= _MOST_PROBLEMS:
            self.part.problems.append(Problem(Origin(self.file, number), says, cure))
        if self.faults == _MOST_PROBLEMS:
            self.part.problems.append(
                Problem(Origin(self.file, number), "more such lines are not reported one by one")
            )
