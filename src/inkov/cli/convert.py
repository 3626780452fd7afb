from __future__ import annotations

import csv
import io
import os
import re
from enum import StrEnum
from typing import TYPE_CHECKING, Annotated

import typer

from inkov.cli.exits import ALL_WELL, FINDINGS
from inkov.cli.options import SourceOptions, shared
from inkov.cli.output import write_file
from inkov.cli.says import complain, fail, reason, say
from inkov.cli.session import start
from inkov.words import counted

if TYPE_CHECKING:
    from inkov.campus import Campus


class To(StrEnum):
    SHEET = "sheet"
    OPENCONFIG = "openconfig"


@shared
def convert(
    options: SourceOptions,
    folder: Annotated[
        str, typer.Argument(metavar="DIR", help="Where to write, one file for each switch.")
    ],
    to: Annotated[To, typer.Option("--to", help="The format to write.")] = To.SHEET,
    force: Annotated[bool, typer.Option("--force", help="Replace files that are there.")] = False,
) -> None:
    """Write what was read in an open format, one file a switch."""
    from copy import deepcopy

    from inkov.harmless import safe
    from inkov.readers.defaults import by_the_standard
    from inkov.readers.openconfig.writer import write_openconfig
    from inkov.readers.sheets.writer import write_sheet

    session = start(options)
    campus = session.loaded.campus
    files: dict[str, str] = {}
    lost: list[str] = []
    for device in campus.devices.values():
        own = [neighbour for neighbour in campus.neighbours if neighbour.device == device.name]
        name = _file_name(device.name, files)
        # Sheets state what makes leave out.
        if to is To.SHEET:
            files[f"{name}.sheet"] = write_sheet(by_the_standard(deepcopy(device)), own)
        else:
            files[f"{name}.json"], without = write_openconfig(device, own)
            lost += [f"{device.name}: {what}" for what in without]
    files |= _tables(campus)
    there = [file for file in files if os.path.lexists(os.path.join(folder, file))]
    # Nothing is replaced that nobody asked to replace.
    if there and not force:
        fail(
            f"{os.path.join(folder, there[0])} is there; name another folder, or replace it with"
            " --force"
        )
    try:
        os.makedirs(folder, exist_ok=True)
    except OSError as error:
        fail(f"cannot write to {folder}: {reason(error)}")
    _write(folder, files)
    say(f"{counted(len(files), 'file')} written to {folder}")
    for what in lost:
        say(f"not written: {safe(what)}")
    session.end(FINDINGS if lost else ALL_WELL)


def _write(folder: str, files: dict[str, str]) -> None:
    """Write the files; where one cannot be, say how far it came."""
    written = 0
    try:
        for file, text in files.items():
            write_file(os.path.join(folder, file), text)
            written += 1
    finally:
        # Half of it was written: which half.
        if 0 < written < len(files):
            first = list(files)[:written]
            complain(f"written before that, in {folder}: {', '.join(first)}")


def _file_name(device: str, taken: dict[str, str]) -> str:
    """The device's name as far as it can name a file, and no file twice, on whatever disk."""
    name = re.sub(r"[^\w.-]", "_", device).lstrip(".")[:100] or "switch"
    known = {file.rpartition(".")[0].casefold() for file in taken}
    number = 2
    # A name that differs in case only is the same on some disks.
    while name.casefold() in known:
        name, number = f"{name}-{number}", number + 1
    return name


def _tables(campus: Campus) -> dict[str, str]:
    """The cabling and host tables that were read, as tables again."""
    tables = {}
    cables = [(c.device, c.port, c.far_device, c.far_port) for c in campus.cables]
    hosts = [
        (h.name, h.device, h.port, h.address or "", h.gateway or "", h.vid or "")
        for h in campus.hosts
    ]
    for file, head, rows in (
        ("cabling.csv", ("switch", "port", "far switch", "far port"), cables),
        ("hosts.csv", ("host", "switch", "port", "address", "gateway", "vlan"), hosts),
    ):
        # A table without rows would be a file about nothing.
        if rows:
            out = io.StringIO()
            csv.writer(out, lineterminator="\n").writerows([head, *rows])
            tables[file] = out.getvalue()
    return tables
