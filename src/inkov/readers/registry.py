"""The formats that are read, and how each is recognised by its content. A new reader adds one line to `FORMATS`."""

from __future__ import annotations

import re
from collections.abc import Callable

import msgspec

from inkov.campus import Origin, Problem
from inkov.readers import openconfig, openconfig_ledger, sheet, tables, walk, walk_device
from inkov.readers.ledger import FileReport, Part, as_text

__all__ = ["FORMATS", "HEAD_BYTES", "read_bytes"]

HEAD_BYTES = 4096


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
    except msgspec.DecodeError as error:
        report.format = ""
        return Part(problems=[_malformed(report.file, data, str(error))])
    except RecursionError:
        report.format = ""
        return Part(problems=[Problem(Origin(report.file), "JSON nested too deeply to be a configuration", "", True)])
    return Part()


def _malformed(file: str, data: bytes, says: str) -> Problem:
    byte = re.search(r"\(byte (\d+)\)", says)
    at = min(int(byte[1]), len(data)) if byte else len(data)
    line = data.count(b"\n", 0, at) + 1
    column = at - (data.rfind(b"\n", 0, at) + 1) + 1
    if "truncated" in says:
        return Problem(Origin(file, line), f"the JSON ends in the middle, at column {column}", "export it again", True)
    what = says.partition(": ")[2].partition(" (byte")[0] or says
    return Problem(Origin(file, line), f"not JSON at column {column}: {what}", "correct it, or export it again", True)


FORMATS: tuple[tuple[str, Callable[[bytes], bool], Callable[[FileReport, bytes, bool], Part]], ...] = (
    ("switch sheet", sheet.recognise, _sheet),
    ("OpenConfig JSON", openconfig.recognise, _openconfig),
    ("table", tables.recognise, _table),
    ("SNMP walk", walk.recognise, _walk),
)
"""(name, does the head of a file look like it, read it)."""


def read_bytes(file: str, data: bytes, *, account: bool) -> tuple[FileReport, Part]:
    """Read the bytes of one file by the first format that recognises them.

    With `account`, the report counts what was understood and lists what was not (a second walk for JSON).
    """
    report = FileReport(file, "", len(data))
    head = data[:HEAD_BYTES]
    for name, recognise, read in FORMATS:
        if recognise(head):
            report.format = name
            part = read(report, data, account)
            report.devices = [device.name for device in part.devices]
            report.ignored, report.unmatched = part.ignored, part.unmatched
            return report, part
    report.said = "empty" if not data.strip() else "not a format that is read"
    return report, Part()
