"""The formats that are read. A new reader adds one line to `FORMATS`.

A file is read by the first dialect, and else by the first format, that recognises it by content;
`--as` names one instead.
"""

from __future__ import annotations

import fnmatch
from collections.abc import Sequence

from msgspec import Struct
from msgspec.structs import replace

from inkov.campus.secrets import without_secrets, words_before_secrets
from inkov.readers import sheets, tables, walk, workbook
from inkov.readers.dialects import Dialect, DialectReader, recognises
from inkov.readers.linux import lists, lldpd, networkd
from inkov.readers.openconfig import from_json, from_xml
from inkov.readers.reading import FileReport, Part, Reader, Unread

__all__ = [
    "FORMATS",
    "HEAD_BYTES",
    "Format",
    "TakenAs",
    "UnknownFormat",
    "format_of",
    "read_bytes",
    "shown",
    "taken_as",
]

HEAD_BYTES = 4096
"""How much of a file is looked at to recognise its format."""


class Format(Struct, frozen=True):
    """A format: the word that `--as` takes, the name that people see, and its reader."""

    word: str
    name: str
    reader: Reader


FORMATS: tuple[Format, ...] = (
    Format("sheet", "switch sheet", sheets),
    Format("linux", "Linux", lists),
    Format("lldp", "LLDP neighbours", lldpd),
    Format("networkd", "systemd-networkd", networkd),
    Format("openconfig", "OpenConfig JSON", from_json),
    Format("openconfig-xml", "OpenConfig XML", from_xml),
    Format("table", "table", tables),
    Format("excel", "Excel", workbook),
    Format("walk", "SNMP walk", walk),
)
"""In the order they are asked in: what is told by its first words comes before what is not."""


class TakenAs(Struct, frozen=True):
    """What one `--as` says: files whose name fits `pattern` are of the format `word`."""

    word: str
    pattern: str = "*"


class UnknownFormat(ValueError):
    """`--as` names no format. `known` are the words it could be."""

    def __init__(self, word: str, known: list[str]) -> None:
        super().__init__(f"{word!r} is no format")
        self.known = known


def taken_as(texts: Sequence[str], dialects: Sequence[Dialect]) -> list[TakenAs]:
    """The values of `--as`, each FORMAT or FORMAT=PATTERN.

    UnknownFormat if there is no such format or dialect.
    """
    known = [*(form.word for form in FORMATS), *(dialect.name for dialect in dialects)]
    taken = []
    for text in texts:
        # A format that is named is not asked whether it recognises the file.
        word, _, pattern = text.partition("=")
        if word not in known:
            raise UnknownFormat(word, known)
        taken.append(TakenAs(word, pattern or "*"))
    return taken


def _something_else(head: bytes) -> str:
    """What a file is that people take for a configuration, and that is none; "" for all others."""
    start = head.lstrip(b"\xef\xbb\xbf \t\r\n")[:30].lower()
    if start.startswith((b"<!doctype html", b"<html")):
        return "a web page, of an error or a login perhaps, and no configuration"
    if start.startswith(b"[internetshortcut]"):
        return "the address of a page, and not what the page shows"
    # Texts in UTF-16 have a zero in every other byte, at even or at odd places.
    if head[1:40:2].count(0) > 15 or head[0:40:2].count(0) > 15:
        return "a text in UTF-16 without a byte order mark, which is not read: save it as UTF-8"
    return ""


def format_of(
    file: str, data: bytes, dialects: Sequence[Dialect] = (), taken: Sequence[TakenAs] = ()
) -> Format | None:
    """The format of a file: as `taken` says, or the first dialect or format that recognises it."""
    name = file.replace("\\", "/").rpartition("/")[2]
    word = next(
        (request.word for request in taken if fnmatch.fnmatchcase(name, request.pattern)), ""
    )
    head = data[:HEAD_BYTES]
    text = _whole_lines(head, cut=len(data) > HEAD_BYTES) if dialects else ""
    # Somebody wrote the dialect for these files: it comes before what only looks alike.
    for dialect in dialects:
        if dialect.name == word or (not word and recognises(dialect, file, text)):
            return Format(dialect.name, f"dialect {dialect.name}", DialectReader(dialect))
    for form in FORMATS:
        if form.word == word or (not word and form.reader.recognise(head)):
            return form
    return None


def _whole_lines(head: bytes, *, cut: bool) -> str:
    """The head of a file as text, without the line that the cut goes through."""
    text = head.decode("utf-8-sig", "replace")
    # A head without any line end is all there is to go by.
    return (text.rpartition("\n")[0] if cut else "") or text


def read_bytes(
    file: str,
    data: bytes,
    *,
    account: bool,
    dialects: Sequence[Dialect] = (),
    taken: Sequence[TakenAs] = (),
) -> tuple[FileReport, Part]:
    """Read the bytes of one file.

    With `account`, the report counts what was understood and lists what was not.
    """
    report = FileReport(file, "", len(data))
    report.remark = _something_else(data[:HEAD_BYTES])
    if report.remark:
        # Told before any reader sees it: a web page may hold a whole configuration as text.
        return report, Part()
    form = format_of(file, data, dialects, taken)
    if form is None:
        known = "not a format that is read, and no dialect knows it" if data.strip() else "empty"
        report.remark = tables.almost(data[:HEAD_BYTES]) or known
        return report, Part()
    reading = form.reader.read(file, data, account=account)
    part, ledger = reading.part, reading.ledger
    report.format = form.name if reading.detail is None else reading.detail
    report.remark = reading.remark
    report.devices = [device.name for device in part.devices]
    # Texts that were not understood come out as they are; words before secrets are learnt first.
    part.secret_words |= words_before_secrets(line.text for line in ledger.unmatched)
    report.ignored = shown(ledger.ignored, part.secret_words)
    report.unmatched = shown(ledger.unmatched, part.secret_words)
    report.understood = ledger.understood
    report.without_meaning = ledger.passed + sum(line.items for line in ledger.ignored)
    report.not_understood = sum(line.items for line in ledger.unmatched)
    return report, part


def shown(lines: list[Unread], secret_words: frozenset[str]) -> list[Unread]:
    """The lines as they may be shown: these are the only texts of a file that come out as read."""
    return [
        line if line.ours else replace(line, text=without_secrets(line.text, secret_words))
        for line in lines
    ]
