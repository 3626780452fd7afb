"""The order of a walk's objects: where texts stand without quotes, nothing else tells objects from
lines of texts.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import NamedTuple

from inkov.readers.walk.objects import OBJECTS, Numbers
from inkov.readers.walk.rows import Row

__all__ = ["Placed", "doubtful"]

_RARE = 12  # one line of so many or fewer is spelled in a way that is not the tool's own
_MOST_UNKNOWN = 100  # rows of unknown names that are looked back over


class Placed(NamedTuple):
    """A row, where it ends (in characters from the beginning), the most that its value can hold of
    what follows (0 for all but texts without quotes), and how it is spelled, where that matters.
    """

    row: Row
    at: int
    longest: int
    style: str = ""


def doubtful(placed: Sequence[Placed]) -> Row | None:
    """The first row that may be a line of a text above it; None if there is none.

    The objects of a walk ascend, and a tool spells all of them alike. Where a row within reach of a
    text does not ascend, or is spelled otherwise, one of the rows since the text is a part of it,
    and nobody can tell which. Where the walk ends within reach of a text, no object behind shows
    that those since are objects (`_unconfirmed`). Out of reach of all texts another walk may begin.

    The rows within reach of a text are marked as `below_text`.
    """
    counts = Counter(row.style for row in placed)
    # A spelling that is common in this walk is the tool's own; a rare one may be somebody's text.
    own = {style for style, count in counts.items() if count * _RARE > len(placed)}
    rows = [row.row for row in placed]
    begin = 0  # of this walk
    last: Numbers = ()  # of the rows so far; worked out when a text comes near
    texts: list[tuple[int, int]] = []  # their places, and where they end at the latest
    reach = -1
    for place, (row, at, longest, style) in enumerate(placed):
        row.below_text = at <= reach
        # Spelled as the tool does not spell: written by somebody who imitated an object.
        if row.below_text and style not in own:
            return row
        # Out of reach of every text: here another walk may begin, and its objects count anew.
        if not row.below_text and not longest:
            texts, last = [], ()
            continue
        numbers = row.numbers
        if numbers is not None:
            last = last or _last_known(rows[begin:place][-_MOST_UNKNOWN:])
            # Not ascending: since the last text something is no object, or another walk has begun.
            if numbers <= last:
                before = placed[place - 1].at
                doubt = row if row.below_text else _unconfirmed(rows[:place], texts, before)
                if doubt is not None:
                    return doubt
                begin, texts = place, []
            last = numbers
        if longest:
            texts.append((place, at + longest))
            reach = max(reach, at + longest)
    return _unconfirmed(rows, texts, placed[-1].at) if placed else None


def _last_known(rows: Sequence[Row]) -> Numbers:
    """The numbers of the last row whose name is known."""
    return next((numbers for row in reversed(rows) if (numbers := row.numbers) is not None), ())


def _unconfirmed(rows: Sequence[Row], texts: Sequence[tuple[int, int]], end: int) -> Row | None:
    """The first row that may be a part of a text within whose reach a walk ends.

    Those of the text's own table with an index that came before are none: had the text made one
    of these up, the real one would stand below it.
    """
    place = next((place for place, reach in texts if reach >= end), None)
    if place is None:
        return None
    # A text that goes on to the end of the walk could hold all that stands below it.
    table = _table_of(rows[place])
    known = set()
    for row in reversed(rows[: place + 1]):
        if _table_of(row) != table:
            break
        known.add(row.index)
    return next(
        (
            row
            for row in rows[place + 1 :]
            if row.name and not (_table_of(row) == table and row.index in known)
        ),
        None,
    )


def _table_of(row: Row) -> str:
    """The number of the table that a row's object is a column of; "" where it is not read."""
    return OBJECTS[row.name].rpartition(".")[0] if row.name else ""
