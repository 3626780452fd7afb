"""The order of a walk's objects: where texts stand without quotes, nothing else tells objects from
lines of texts.
"""

from __future__ import annotations

from collections import Counter
from typing import NamedTuple

from inkov.readers.walk.objects import OBJECTS, Numbers
from inkov.readers.walk.rows import Note, Row

__all__ = ["Order", "Placed"]

_RARE = 12  # one line of so many or fewer is spelled in a way that is not the tool's own
_MOST_TEXTS = 32  # before a row that is out of order that are looked at
_MOST_UNKNOWN = 100  # rows of unknown names that are looked back over


class Placed(NamedTuple):
    """A row, where it ends (in characters from the beginning), the most that its value can hold of
    what follows (0 for all but texts without quotes), and how it is spelled, where that matters.
    """

    row: Row
    at: int
    longest: int
    style: str = ""


class _Text(NamedTuple):
    """A text without quotes, that may go on: its place among the rows that count, its numbers (or
    those of an object before it, where its name is not known), and where it ends at the latest.
    """

    place: int
    numbers: Numbers
    end: int


class Order:
    """Tells objects from lines of texts, by their order.

    The objects of a walk ascend. Where one does not, and a text that stands before it may still go
    on, there are two ways to understand it. The walk may go on above that text, further down: then
    all that stands between was a part of the text (`_resumes`). Of several such texts, the one is
    taken that leaves out fewest rows. Or the walk never gets above a text again: then another walk
    begins, with the row from which on the objects ascend to behind the texts' reach. A line that is
    spelled otherwise than the walk's own, within reach of a text, is no object either. All of this
    is said, since nobody can be sure.

    `kept` are the rows that count so far, `texts` those among them that may still go on, `last` the
    numbers of the last one.
    """

    def __init__(self, rows: list[Placed]) -> None:
        self.rows = rows
        self.kept: list[Row] = []
        self.notes: list[Note] = []
        self.texts: list[_Text] = []
        self.last: Numbers = ()
        self._numbers: dict[int, Numbers | None] = {}
        counts = Counter(placed.style for placed in rows)
        self.styles = {style for style, count in counts.items() if count * _RARE > len(rows)}

    def run(self) -> None:
        """Go through all rows."""
        place, reach, end = 0, -1, 0
        while place < len(self.rows):
            row, at, longest, style = self.rows[place]
            if at <= reach and style not in self.styles:
                self._leave_out([row])  # the tool does not spell objects so
                place += 1
                continue
            if at > reach and not longest:
                self.kept.append(row)  # no text is near
                self.texts, self.last = [], ()
                place += 1
                continue
            self.last = self.last or self._last_known()
            numbers = self._of(place)
            if numbers is not None and numbers <= self.last:
                place = self._out_of_order(place, end)
                reach = max((text.end for text in self.texts), default=-1)
                end = at
                continue
            row.below_text = at <= reach and bool(self.texts)
            self.kept.append(row)
            # A name that is not known comes behind the last one that is, wherever it is.
            self.last = numbers or self.last
            if longest:
                self.texts.append(_Text(len(self.kept) - 1, self.last, at + longest))
                reach = max(reach, at + longest)
            place, end = place + 1, at
        self._unconfirmed(end)

    def _of(self, place: int) -> Numbers | None:
        """The numbers of a row, worked out once; None where its name is not known."""
        if place not in self._numbers:
            self._numbers[place] = self.rows[place].row.numbers
        return self._numbers[place]

    def _last_known(self) -> Numbers:
        """The numbers of the last row that counts and has a known name."""
        for row in self.kept[-1 : -_MOST_UNKNOWN - 1 : -1]:
            numbers = row.numbers
            if numbers is not None:
                return numbers
        return ()

    def _out_of_order(self, place: int, end: int) -> int:
        """Decide about a row that is not above the one before it, which ended at `end`. Gives back
        where to go on.
        """
        at = self.rows[place].at
        self.texts = [text for text in self.texts if at <= text.end]
        ways = [
            (len(self.kept) - text.place + on - place, text, on)
            for text in self.texts[-_MOST_TEXTS:]
            if (on := self._resumes(place, text)) is not None
        ]
        if ways:
            _, text, on = min(ways)
            between = [placed.row for placed in self.rows[place:on]]
            self._leave_out([*self.kept[text.place + 1 :], *between])
            del self.kept[text.place + 1 :]
            self.texts = [one for one in self.texts if one.place <= text.place]
            self.last = text.numbers
            return on
        on = place
        if self.texts:
            behind = self._behind(place, max(text.end for text in self.texts))
            on = len(self.rows) if behind is None else self._ascent(place, behind, ())
            self._leave_out([placed.row for placed in self.rows[place:on]])
        self._unconfirmed(end)
        self.texts, self.last = [], ()
        if on < len(self.rows):
            self.kept.append(self.rows[on].row)
            self.last = self._of(on) or ()
            if self.rows[on].longest:
                text = _Text(
                    len(self.kept) - 1, self.last, self.rows[on].at + self.rows[on].longest
                )
                self.texts.append(text)
        return on + 1

    def _resumes(self, place: int, text: _Text) -> int | None:
        """Where the walk goes on above a text, if it does."""
        behind = self._behind(place, text.end)
        if behind is None:
            # It ends within the text's reach.
            last = len(self.rows) - 1
            numbers = self._of(last)
            above = numbers is not None and numbers > text.numbers
            return self._ascent(place, last, text.numbers) if above else last + 1
        numbers = self._of(behind)
        if numbers is None or numbers <= text.numbers:
            return None
        return self._ascent(place, behind, text.numbers)

    def _behind(self, place: int, end: int) -> int | None:
        """The first row, from a place on, that a text which ends at `end` cannot hold."""
        for on in range(place, len(self.rows)):
            if self.rows[on].at > end and self._of(on) is not None:
                return on
        return None

    def _ascent(self, place: int, top: int, above: Numbers) -> int:
        """The first row, from a place on, from which the rows ascend to `top`, all above some
        numbers.
        """
        first, least = top, self._of(top) or ()
        for on in range(top - 1, place - 1, -1):
            numbers = self._of(on)
            if numbers is None:
                continue
            if not above < numbers < least:
                break
            first, least = on, numbers
        return first

    def _unconfirmed(self, end: int) -> None:
        """Where a walk ends within reach of a text, no object behind shows that the rows since the
        text are objects. Those that are not left out: rows of the text's own table with an index
        that came before. Had the text made one of these up, the real one would stand below it.
        """
        texts = [text for text in self.texts if text.end >= end]
        if not texts:
            return
        place = texts[0].place
        table = _table_of(self.kept[place])
        known = set()
        for row in reversed(self.kept[: place + 1]):
            if _table_of(row) != table:
                break
            known.add(row.index)
        after = self.kept[place + 1 :]
        sure = [not row.name or (_table_of(row) == table and row.index in known) for row in after]
        self._leave_out([row for row, kept in zip(after, sure, strict=True) if not kept])
        self.kept[place + 1 :] = [row for row, kept in zip(after, sure, strict=True) if kept]

    def _leave_out(self, rows: list[Row]) -> None:
        if rows:
            says = "out of order below a text without quotes, so it is taken for a part of it"
            cure = "walk again with texts in hex: option -Ox"
            lost = "\n".join(row.spelled for row in rows)
            self.notes.append(Note(rows[0].line, says, cure, lost))


def _table_of(row: Row) -> str:
    """The number of the table that a row's object is a column of; "" where it is not read."""
    return OBJECTS[row.name].rpartition(".")[0] if row.name else ""
