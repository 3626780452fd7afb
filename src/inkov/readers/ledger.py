"""What became of each file: the account that lets nothing be skipped in silence."""

from __future__ import annotations

from typing import Any

from msgspec import Struct, field

from inkov.campus import Basis, Cable, Device, Host, Neighbour, Origin, Planned, Problem

__all__ = ["FileReport", "Part", "Piece", "Unread", "as_text", "named_after"]


class Unread(Struct, frozen=True, gc=False):
    """A line, or `items` values or objects alike, that were not used.

    `relevant` is False for what can hardly have to do with VLANs, although it was not understood.
    """

    origin: Origin
    text: str
    items: int = 1
    relevant: bool = True


class Piece(Struct, frozen=True):
    """A part of a system that no one file describes: `family` tells who puts it together, `kind`
    what it is.
    """

    family: str
    kind: str
    file: str
    content: Any


class Part(Struct):
    """What one file gave: campus parts, and what of the file was not used.

    `ignored` and `unmatched` list what was not used: known and without meaning here; not
    understood. `passed` counts further lines without meaning that are not worth listing, such as
    comments. `about` names the content of a device's file in halves ("interfaces", "lldp"): files
    of one folder that hold different halves of one device are joined by `load`. `pieces` are put
    together there as well. `named` is false if the file does not say its device's name. `joined` is
    the device that the file was taken as a part of, if it was.
    """

    devices: list[Device] = field(default_factory=list)
    neighbours: list[Neighbour] = field(default_factory=list)
    cables: list[Cable] = field(default_factory=list)
    hosts: list[Host] = field(default_factory=list)
    planned: list[Planned] = field(default_factory=list)
    problems: list[Problem] = field(default_factory=list)
    ignored: list[Unread] = field(default_factory=list)
    unmatched: list[Unread] = field(default_factory=list)
    passed: int = 0
    pieces: list[Piece] = field(default_factory=list)
    about: frozenset[str] = frozenset()
    named: bool = True
    joined: str = ""


class FileReport(Struct):
    """One file: its format ("" if nobody recognises it), and how much of it was understood.

    The counts are of lines in text formats, of values in JSON, of rows in tables: `understood`,
    `without_meaning` (known, but without meaning here; `ignored` lists those worth listing),
    `not_understood` (`unmatched` lists them). `said` tells why a file was left out.
    """

    file: str
    format: str
    size: int
    devices: list[str] = field(default_factory=list)
    understood: int = 0
    without_meaning: int = 0
    not_understood: int = 0
    ignored: list[Unread] = field(default_factory=list)
    unmatched: list[Unread] = field(default_factory=list)
    said: str = ""


def named_after(file: str, why: str) -> tuple[str, Origin]:
    """The name of a device whose file states none: the file's, without its ending. `why` says what
    is missing.
    """
    name = file.replace("\\", "/").rpartition("/")[2]
    name = name.rpartition(".")[0] or name
    return name, Origin(file, basis=Basis.ASSUMED, says=f"{why}: named {name!r} after the file")


def as_text(file: str, data: bytes) -> tuple[str, list[Problem]]:
    """The bytes of a file as text; what is not UTF-8 is replaced, and the first such byte is a
    problem.
    """
    try:
        return data.decode("utf-8-sig"), []
    except UnicodeDecodeError as error:
        at = Origin(file, data.count(b"\n", 0, error.start) + 1)
        says = f"byte {data[error.start]:#04x} is not UTF-8; such bytes are replaced"
        return data.decode("utf-8-sig", "replace"), [Problem(at, says, "save the file as UTF-8")]
