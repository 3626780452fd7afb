"""What every reader gives: the parts of a campus that a file holds, and the ledger of its lines.

A reader is a module (or package) with two functions, `recognise` and `read`; `Reader` states
their types. The registry lists the readers, and asks each in turn whether a file is its own.
"""

from __future__ import annotations

from typing import Any, Protocol

from msgspec import Struct, field

from inkov.campus import Basis, Cable, Device, Fact, Host, Neighbour, Origin, Planned, Problem

__all__ = [
    "HIDDEN_FILE",
    "HIDDEN_FOLDER",
    "LINKED_FOLDER",
    "REPORT",
    "Binding",
    "FileReport",
    "Ledger",
    "Part",
    "Piece",
    "Reader",
    "Reading",
    "Unread",
    "as_text",
    "as_utf8",
    "named_after",
]


class Unread(Struct, frozen=True, gc=False):
    """A line, or `items` values or objects alike, that were not used.

    `relevant` is False for what can hardly have to do with VLANs, although it was not understood.
    `ours` is True where the text is a sentence of ours or a name of a standard, not a line of the
    file: it holds no secret, and is shown whole.
    """

    origin: Origin
    text: str
    items: int = 1
    relevant: bool = True
    ours: bool = False


class Piece(Struct, frozen=True):
    """A part of a system that no single file describes.

    `family` tells who puts the pieces together (`assembly`), `kind` what this piece is.
    """

    family: str
    kind: str
    file: str
    content: Any


class Binding(Struct, frozen=True):
    """A filter that is bound to an interface of the part's device, for what comes in or goes out.

    It waits in the part until all files that tell of the device are read (`assembly`).
    """

    interface: str
    incoming: bool
    filter: Fact[str]
    subinterface: int | None = None


class Part(Struct):
    """The parts of a campus that one file gave.

    `about` names the content of a device's file in halves ("interfaces", "lldp"): files of one
    folder that hold different halves of one device are joined, and `pieces` are put together, in
    `assembly`. `named` is false if the file does not say its device's name. `joined` is the device
    that the file was taken as a part of, if it was. `secret_words` are words that secrets follow in
    the file: what they are in one file, they are in all.
    """

    devices: list[Device] = field(default_factory=list)
    neighbours: list[Neighbour] = field(default_factory=list)
    cables: list[Cable] = field(default_factory=list)
    hosts: list[Host] = field(default_factory=list)
    planned: list[Planned] = field(default_factory=list)
    problems: list[Problem] = field(default_factory=list)
    pieces: list[Piece] = field(default_factory=list)
    bindings: list[Binding] = field(default_factory=list)
    about: frozenset[str] = frozenset()
    named: bool = True
    joined: str = ""
    secret_words: frozenset[str] = frozenset()


class Ledger(Struct):
    """What became of each line of a file (of each value in JSON, each object, each row).

    `understood` counts what was used. `ignored` lists what is known and has no meaning here;
    `passed` counts more of that kind that is not worth listing, such as comments. `unmatched`
    lists what was not understood.
    """

    understood: int = 0
    passed: int = 0
    ignored: list[Unread] = field(default_factory=list)
    unmatched: list[Unread] = field(default_factory=list)


class Reading(Struct):
    """What a reader makes of one file.

    `detail` is the name of the format in full, where the content tells more than the registry
    ("Linux, bridge vlan"); it is "" where the file turns out to be of another format, and `remark`
    may then say what it holds.
    """

    part: Part = field(default_factory=Part)
    ledger: Ledger = field(default_factory=Ledger)
    detail: str | None = None
    remark: str = ""


class Reader(Protocol):
    """The interface of a reader."""

    def recognise(self, head: bytes) -> bool:
        """True if a file that begins with `head` can be read by this reader."""
        raise NotImplementedError

    def read(self, file: str, data: bytes, *, account: bool) -> Reading:
        """Read the bytes of a file. Never raises: what cannot be used becomes a problem.

        `account`: the ledger is wanted. A reader that needs a second walk for it may leave it out
        otherwise.
        """
        raise NotImplementedError


HIDDEN_FILE = "a hidden file, not read"
HIDDEN_FOLDER = "a hidden folder, not read"
LINKED_FOLDER = "a link to a folder, not followed"
REPORT = "a report or a certificate, no configuration"
_ASIDE = {HIDDEN_FILE, HIDDEN_FOLDER, LINKED_FOLDER, REPORT}
_DOCUMENTS = (".md", ".pdf", ".png", ".jpg", ".jpeg", ".svg", ".gif", ".docx", ".odt", ".pptx")


class FileReport(Struct):
    """One file, as `inkov read` tells of it.

    `format` is "" if no reader recognises the file. The counts are those of the ledger:
    `understood`, `without_meaning` (`ignored` lists those worth listing), `not_understood`
    (`unmatched` lists them). `remark` tells why a file was left out. `digest` is the SHA-256 of the
    bytes that were read, where it is asked for.
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
    remark: str = ""
    digest: str = ""

    @property
    def aside(self) -> bool:
        """True for what lies beside configurations and is none: a hidden file, a document or a
        drawing (by its name), a report of an earlier run.
        """
        return not self.format and (self.remark in _ASIDE or self.file.lower().endswith(_DOCUMENTS))


def named_after(file: str, why: str) -> tuple[str, Origin]:
    """The name of a device whose file states none: the file's, without its ending.

    `why` says what is missing.
    """
    name = file.replace("\\", "/").rpartition("/")[2]
    # A name that is nothing but an ending (".conf") stays as it is.
    name = name.rpartition(".")[0] or name
    return name, Origin(file, basis=Basis.ASSUMED, says=f"{why}: named {name!r} after the file")


def as_text(file: str, data: bytes) -> tuple[str, list[Problem]]:
    """The bytes of a file as text.

    Bytes that are not UTF-8 are replaced, and the first of them is a problem.
    """
    try:
        return data.decode("utf-8-sig"), []
    except UnicodeDecodeError as error:
        at = Origin(file, data.count(b"\n", 0, error.start) + 1)
        says = f"byte {data[error.start]:#04x} is not UTF-8; such bytes are replaced"
        problem = Problem(at, says, "save the file as UTF-8")
        return data.decode("utf-8-sig", "replace"), [problem]


def as_utf8(file: str, data: bytes) -> tuple[bytes, list[Problem]]:
    """The bytes of a file in UTF-8, without a byte order mark, and what is wrong with them."""
    text, problems = as_text(file, data)
    return (text.encode() if problems else data).removeprefix(b"\xef\xbb\xbf"), problems
