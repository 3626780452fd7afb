"""Run the examples of a dialect: read each text, and hold what comes of it against the sheet beside
it.
"""

from __future__ import annotations

from difflib import unified_diff

from msgspec import Struct

from inkov.campus import Basis, Device
from inkov.readers.dialects.file import Dialect, Example
from inkov.readers.dialects.read import read_text
from inkov.readers.reading import Part
from inkov.readers.sheets.reader import HEADER
from inkov.readers.sheets.reader import read as read_sheet
from inkov.readers.sheets.writer import write_sheet

__all__ = ["Ran", "meant_by", "run_examples"]


class Ran(Struct, frozen=True):
    """An example that was run: its number (from 1), and what was wrong, line by line; nothing if it
    held.
    """

    number: int
    faults: list[str]


def run_examples(dialect: Dialect) -> list[Ran]:
    """All examples of a dialect, in their order."""
    return [
        Ran(number, _run(dialect, example)) for number, example in enumerate(dialect.examples, 1)
    ]


def _run(dialect: Dialect, example: Example) -> list[str]:
    reading = read_text(dialect, "example", example.text.encode())
    part = reading.part
    faults = []
    unmatched = [line.text.strip() for line in reading.ledger.unmatched]
    for text in unmatched:
        # A line that the example itself names is meant not to be understood.
        if text not in example.unmatched:
            faults.append(f"not understood: {text}")
    faults += [
        f"to be unmatched, but it is not: {text}"
        for text in example.unmatched
        if text not in unmatched
    ]
    wanted_part = _wanted(example)
    # A sheet without a name is `lost`, and is given one below; every other fault is of the example.
    wrong = [problem for problem in wanted_part.problems if not problem.lost]
    faults += [f"in `gives`, line {problem.origin.line - 2}: {problem.says}" for problem in wrong]
    # Against a sheet that is wrong itself nothing can be held.
    if wrong or not wanted_part.devices:
        return faults
    # VLANs that are there without being said need not be said in the example either.
    table = {
        vid: vlan
        for vid, vlan in (part.devices[0].vlans or {}).items()
        if vlan.origin.basis is Basis.STATED
    }
    part.devices[0].vlans = table or None
    wanted, actual = (write_sheet(part.devices[0]).splitlines()[1:] for part in (wanted_part, part))
    for line in unified_diff(wanted, actual, "gives", "read", lineterm="", n=2):
        # The heads of the comparison say nothing to somebody who looks for a line.
        if not line.startswith(("---", "+++", "@@")):
            faults.append(line)
    return faults


def meant_by(example: Example) -> Device | None:
    """The switch that the text of an example is to come to; None where its sheet is no sheet."""
    part = _wanted(example)
    wrong = any(not problem.lost for problem in part.problems)
    return None if wrong or not part.devices else part.devices[0]


def _wanted(example: Example) -> Part:
    named = "" if "switch:" in example.gives else "switch: example "
    return read_sheet("example", f"{HEADER}\n{named}\n{example.gives}".encode()).part
