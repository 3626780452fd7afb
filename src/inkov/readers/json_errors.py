"""What is said of a file that looks like JSON and is none."""

from __future__ import annotations

import re

from inkov.campus import Origin, Problem
from inkov.readers.reading import Part, Reading

__all__ = ["not_json"]


def not_json(file: str, data: bytes, error: Exception) -> Reading:
    """The reading of a file that the decoder refused with `error`: nothing but the problem."""
    if isinstance(error, RecursionError):
        says = "JSON nested too deeply to be a configuration"
        problem = Problem(Origin(file), says, "export it again", True)
    else:
        problem = _malformed(file, data, str(error))
    return Reading(Part(problems=[problem]), detail="")


def _malformed(file: str, data: bytes, says: str) -> Problem:
    """The decoder names the byte at which it stopped; people look for a line and a column."""
    byte = re.search(r"\(byte (\d+)\)", says)
    at = min(int(byte[1]), len(data)) if byte else len(data)
    line = data.count(b"\n", 0, at) + 1
    column = at - (data.rfind(b"\n", 0, at) + 1) + 1
    # An export that broke off is no mistake in the file: it must be fetched again.
    if "truncated" in says:
        text, cure = f"the JSON ends in the middle, at column {column}", "export it again"
    else:
        reason = says.partition(": ")[2].partition(" (byte")[0] or says
        text, cure = f"not JSON at column {column}: {reason}", "correct it, or export it again"
    return Problem(Origin(file, line), text, cure, True)
