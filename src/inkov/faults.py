"""Faults of Inkov's own. One that remains costs the file, the rule or the claim that it happened
in, and is told with its place in the code; what else there is to say is said.
"""

from __future__ import annotations

from pathlib import PurePath
from traceback import extract_tb

__all__ = ["OURS", "told"]

OURS = "a fault of Inkov's own"


def told(error: Exception, doing: str) -> str:
    """A fault as a sentence: what was being done, what went wrong, and where in the code."""
    frames = extract_tb(error.__traceback__)
    # The last frame of ours: what a library did wrong, it did because of what we handed to it.
    own = [frame for frame in frames if "inkov" in PurePath(frame.filename).parts]
    at = own[-1] if own else frames[-1]
    room = "/".join(PurePath(at.filename).parts[-2:])
    return f"{OURS} {doing}: {type(error).__name__} at {room}:{at.lineno}"
