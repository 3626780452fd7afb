"""The formats that are read, and how each is recognised by its content. A new reader adds one line
to `FORMATS`.
"""

from __future__ import annotations

import fnmatch
import re
from collections.abc import Callable, Sequence
from functools import partial

import msgspec
from msgspec import Struct
from msgspec.structs import replace

from inkov.campus import Origin, Problem
from inkov.campus.secrets import without_secrets
from inkov.readers import (
    linux,
    lldpd,
    networkd,
    openconfig,
    openconfig_ledger,
    openconfig_xml,
    sheet,
    tables,
    walk,
    walk_device,
    workbook,
)
from inkov.readers.dialects import Dialect, read_text, recognises
from inkov.readers.ledger import FileReport, Part, as_text

__all__ = [
    "FORMATS",
    "HEAD_BYTES",
    "Format",
    "TakenAs",
    "UnknownFormat",
    "read_bytes",
    "reader_of",
    "taken_as",
]

HEAD_BYTES = 4096
Read = Callable[[FileReport, bytes, bool], Part]


class Format(Struct, frozen=True):
    """A format: the word that `--as` takes, its name, whether the head of a file looks like it, and
    its reader.
    """

    word: str
    name: str
    recognise: Callable[[bytes], bool]
    read: Read


class TakenAs(Struct, frozen=True):
    """Files whose name fits `pattern` are read as the format that `word` names, whatever they look
    like.
    """

    word: str
    pattern: str = "*"


class UnknownFormat(ValueError):
    """`--as` names no format. `known` are the words it could be."""

    def __init__(self, word: str, known: list[str]) -> None:
        super().__init__(f"{word!r} is no format")
        self.known = known


def _sheet(report: FileReport, data: bytes, account: bool) -> Part:
    part, report.understood = sheet.read_sheet(report.file, data)
    return part


def _walk(report: FileReport, data: bytes, account: bool) -> Part:
    part, report.understood = walk_device.read_walk(report.file, data)
    return part


def _table(report: FileReport, data: bytes, account: bool) -> Part:
    part, report.understood, report.format = tables.read_table(report.file, data)
    return part


def _openconfig(report: FileReport, data: bytes, account: bool) -> Part:
    text, not_utf8 = as_text(report.file, data)
    if not_utf8:
        data = text.encode()
    try:
        part = openconfig.read_openconfig(report.file, data)
        part.problems += not_utf8
        if account:
            report.understood, ignored, unmatched = openconfig_ledger.account(report.file, data)
            part.ignored += ignored
            part.unmatched += unmatched
        return part
    except openconfig.NotOpenConfig as other:
        report.format = ""
        names = ", ".join(other.names[:4]) + (", ..." if len(other.names) > 4 else "")
        report.said = f"JSON, but with nothing that is read here (it holds: {names or 'nothing'})"
    except (msgspec.DecodeError, RecursionError) as error:
        return _not_json(report, data, error)
    return Part()


def _openconfig_xml(report: FileReport, data: bytes, account: bool) -> Part:
    try:
        tree = openconfig_xml.parse_xml(data)
        part = openconfig.read_openconfig_xml(report.file, tree)
    except openconfig_xml.BadXml as bad:
        report.format = ""
        return Part(
            problems=[Problem(Origin(report.file, bad.line), str(bad), "export it again", True)]
        )
    except openconfig.NotOpenConfig as other:
        report.format = ""
        report.said = (
            "XML, but with nothing that is read here (it holds:"
            f" {', '.join(other.names[:4]) or 'nothing'})"
        )
        return Part()
    if account:
        report.understood, ignored, unmatched = openconfig_ledger.account_tree(
            report.file, tree.root
        )
        part.ignored += ignored
        part.unmatched += unmatched
    return part


def _malformed(file: str, data: bytes, says: str) -> Problem:
    byte = re.search(r"\(byte (\d+)\)", says)
    at = min(int(byte[1]), len(data)) if byte else len(data)
    line = data.count(b"\n", 0, at) + 1
    column = at - (data.rfind(b"\n", 0, at) + 1) + 1
    if "truncated" in says:
        return Problem(
            Origin(file, line),
            f"the JSON ends in the middle, at column {column}",
            "export it again",
            True,
        )
    what = says.partition(": ")[2].partition(" (byte")[0] or says
    return Problem(
        Origin(file, line),
        f"not JSON at column {column}: {what}",
        "correct it, or export it again",
        True,
    )


def _workbook(report: FileReport, data: bytes, account: bool) -> Part:
    part, report.understood, tables_in_it = workbook.read_workbook(report.file, data)
    report.format = f"Excel, {tables_in_it}" if tables_in_it else ""
    return part


def _linux(report: FileReport, data: bytes, account: bool) -> Part:
    try:
        part, report.understood, kind = linux.read_list(report.file, data)
    except (msgspec.DecodeError, RecursionError) as error:
        return _not_json(report, data, error)
    report.format = f"Linux, {kind}"
    return part


def _lldp(report: FileReport, data: bytes, account: bool) -> Part:
    try:
        part, report.understood = lldpd.read_lldp_file(report.file, data)
    except (msgspec.DecodeError, RecursionError) as error:
        return _not_json(report, data, error)
    return part


def _not_json(report: FileReport, data: bytes, error: Exception) -> Part:
    report.format = ""
    if isinstance(error, RecursionError):
        says = "JSON nested too deeply to be a configuration"
        return Part(problems=[Problem(Origin(report.file), says, "export it again", True)])
    return Part(problems=[_malformed(report.file, data, str(error))])


def _unit(report: FileReport, data: bytes, account: bool) -> Part:
    part, report.understood = networkd.read_unit(report.file, data)
    return part


def _dialect(dialect: Dialect, report: FileReport, data: bytes, account: bool) -> Part:
    part, report.understood = read_text(dialect, report.file, data)
    return part


FORMATS: tuple[Format, ...] = (
    Format("sheet", "switch sheet", sheet.recognise, _sheet),
    Format("linux", "Linux", linux.is_list, _linux),
    Format("lldp", "LLDP neighbours", lldpd.is_lldp, _lldp),
    Format("networkd", "systemd-networkd", networkd.is_unit, _unit),
    Format("openconfig", "OpenConfig JSON", openconfig.recognise, _openconfig),
    Format("openconfig-xml", "OpenConfig XML", openconfig_xml.looks_like_xml, _openconfig_xml),
    Format("table", "table", tables.recognise, _table),
    Format("excel", "Excel", workbook.is_workbook, _workbook),
    Format("walk", "SNMP walk", walk.recognise, _walk),
)


def taken_as(texts: Sequence[str], dialects: Sequence[Dialect]) -> list[TakenAs]:
    """What `--as` says: FORMAT, or FORMAT=PATTERN. UnknownFormat if there is no such format or
    dialect.
    """
    found = []
    known = [*(form.word for form in FORMATS), *(dialect.name for dialect in dialects)]
    for text in texts:
        word, _, pattern = text.partition("=")
        if word not in known:
            raise UnknownFormat(word, known)
        found.append(TakenAs(word, pattern or "*"))
    return found


def read_bytes(
    file: str,
    data: bytes,
    *,
    account: bool,
    dialects: Sequence[Dialect] = (),
    taken: Sequence[TakenAs] = (),
) -> tuple[FileReport, Part]:
    """Read the bytes of one file: as `taken` says, or by the first dialect or format that
    recognises them.

    With `account`, the report counts what was understood and lists what was not (a second walk for
    JSON).
    """
    report = FileReport(file, "", len(data))
    read = reader_of(report, data, dialects, taken)
    if read is None:
        report.said = (
            "empty" if not data.strip() else "not a format that is read, and no dialect knows it"
        )
        return report, Part()
    part = read(report, data, account)
    report.devices = [device.name for device in part.devices]
    part.ignored = [replace(line, text=without_secrets(line.text)) for line in part.ignored]
    part.unmatched = [replace(line, text=without_secrets(line.text)) for line in part.unmatched]
    report.ignored, report.unmatched = part.ignored, part.unmatched
    report.without_meaning = part.passed + sum(line.items for line in part.ignored)
    report.not_understood = sum(line.items for line in part.unmatched)
    return report, part


def reader_of(
    report: FileReport, data: bytes, dialects: Sequence[Dialect], taken: Sequence[TakenAs] = ()
) -> Read | None:
    """The reader for a file; the report gets the name of its format."""
    name = report.file.replace("\\", "/").rpartition("/")[2]
    word = next((one.word for one in taken if fnmatch.fnmatchcase(name, one.pattern)), "")
    head = data[:HEAD_BYTES]
    text = (
        head.decode("utf-8-sig", "replace").rpartition("\n")[0]
        if dialects and len(data) > HEAD_BYTES
        else ""
    )
    text = text or head.decode("utf-8-sig", "replace")
    for dialect in dialects:
        if dialect.name == word or (not word and recognises(dialect, report.file, text)):
            report.format = f"dialect {dialect.name}"
            return partial(_dialect, dialect)
    for form in FORMATS:
        if form.word == word or (not word and form.recognise(head)):
            report.format = form.name
            return form.read
    return None
