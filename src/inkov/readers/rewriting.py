"""Which formats edits can be written in, and what it means that one cannot."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Sequence
from difflib import SequenceMatcher

from inkov.campus import Device, Fact
from inkov.edits import Edit

__all__ = ["CannotWrite", "Lines", "Rewrite", "deciding", "rewriter", "with_line_ends_of"]

Rewrite = Callable[[str, Device, Sequence[Edit]], str]
"""The text of a file with some edits made, from the text, the switch as it is with them, and the
edits. Raises CannotWrite.
"""


class CannotWrite(ValueError):
    """An edit that a text is not changed for; says why."""


class Lines:
    """A text as lines, which may be changed; its line ends stay."""

    def __init__(self, text: str) -> None:
        self.newline = "\r\n" if "\r\n" in text else "\n"
        self.lines = text.replace("\r\n", "\n").split("\n")

    @property
    def text(self) -> str:
        return self.newline.join(self.lines)


_LINE = re.compile(r"([^\r\n]*)(\r\n|\n|\r|\Z)")


def with_line_ends_of(before: str, after: str) -> str:
    """A text that was changed, with the line ends that each of its lines had before; lines that
    are new end as the one before them. Only where several people have edited a file they differ.
    """
    old = [(match[1], match[2]) for match in _LINE.finditer(before)]
    if len({end for _, end in old} - {""}) < 2:
        return after
    new = [(match[1], match[2]) for match in _LINE.finditer(after)]
    ends = [end for _, end in new]
    texts = [line for line, _ in old], [line for line, _ in new]
    for what, i1, i2, j1, j2 in SequenceMatcher(None, *texts, autojunk=False).get_opcodes():
        for number in range(j1, j2):
            # Of as many lines for others each takes the end of the one that it replaces.
            same = what == "equal" or i2 - i1 == j2 - j1
            kept = old[i1 + number - j1][1] if same else ends[number - 1] if number else ""
            # The last line of a file may have none.
            ends[number] = kept or ends[number]
    return "".join(line + end for (line, _), end in zip(new, ends, strict=True))


def deciding(edits: Iterable[Edit]) -> list[Edit]:
    """The edits that decide anything: not those by which something is stated that holds anyway."""
    return [edit for edit in edits if not edit.idle and not _is_on_anyway(edit)]


def _is_on_anyway(edit: Edit) -> bool:
    """Whether what was on or active unsaid is now said to be so, or the other way round."""
    values = [fact.value for fact in (edit.before, edit.after) if isinstance(fact, Fact)]
    unsaid = edit.before is None or edit.after is None
    return edit.attribute in ("enabled", "active") and unsaid and values == [True]


def rewriter(form: str) -> Rewrite | None:
    """What rewrites the texts of a format, by the name that reports have for it; None for one that
    is not written.
    """
    from inkov.readers.openconfig import rewrite as openconfig
    from inkov.readers.openconfig import rewrite_xml
    from inkov.readers.sheets import rewrite as sheets

    return {
        "switch sheet": sheets.rewrite,
        "OpenConfig JSON": openconfig.rewrite,
        "OpenConfig XML": rewrite_xml.rewrite,
    }.get(form)
