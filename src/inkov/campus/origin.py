"""Where a fact comes from: a line of a file, a platform's default, or an assumption of ours."""

from __future__ import annotations

from abc import ABC
from enum import StrEnum
from typing import TYPE_CHECKING

from msgspec import Struct

if TYPE_CHECKING:
    FileName = str
else:

    class FileName(ABC):  # noqa: B024 - so that a name decoded often is kept once
        """The path of a file, as the user gave it."""

    FileName.register(str)


class Basis(StrEnum):
    STATED = "stated"
    DEFAULT = "default"
    ASSUMED = "assumed"


class Origin(Struct, frozen=True, gc=False, array_like=True):
    """The origin of one fact.

    `file` is the path as the user gave it. Text formats have `line` (from 1); JSON has `pointer`
    (RFC 6901, without module prefixes) and no line: the line is looked up when it is shown
    (`readers.locate`), since most never are. `says` tells, for a default, whose it is, and for an
    assumption, what was assumed and why. `taken_at` is the line that took the fact over, where it
    stands in a profile (0: nothing took it over).
    """

    file: FileName = ""
    line: int = 0
    pointer: str = ""
    basis: Basis = Basis.STATED
    says: str = ""
    taken_at: int = 0

    @property
    def taker(self) -> Origin | None:
        """The place that took the fact over, if it was taken over."""
        return Origin(self.file, self.taken_at) if self.taken_at else None


class Problem(Struct, frozen=True):
    """Something of the input that could not be used: what is wrong, where, and the cure.

    `lost` is true if a whole file or a whole device had to be left out.
    """

    origin: Origin
    says: str
    cure: str = ""
    lost: bool = False
