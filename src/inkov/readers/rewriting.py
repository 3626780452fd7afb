"""Which formats edits can be written in, and what it means that one cannot."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from inkov.campus import Device
from inkov.edits import Edit

__all__ = ["CannotWrite", "rewriter"]

Rewrite = Callable[[str, Device, Sequence[Edit]], str]
"""The text of a file with some edits made, from the text, the switch as it is with them, and the
edits. Raises CannotWrite.
"""


class CannotWrite(ValueError):
    """An edit that a text is not changed for; says why."""


def rewriter(form: str) -> Rewrite | None:
    """What rewrites the texts of a format, by the name that reports have for it; None for one that
    is not written.
    """
    from inkov.readers.openconfig import rewrite as openconfig
    from inkov.readers.sheets import rewrite as sheets

    return {"switch sheet": sheets.rewrite, "OpenConfig JSON": openconfig.rewrite}.get(form)
