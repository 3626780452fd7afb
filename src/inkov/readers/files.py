"""Input files, opened and made texts in UTF-8. The only place that opens them."""

from __future__ import annotations

import codecs
import os
import stat

from inkov.campus import Origin, Problem
from inkov.readers.reading import FileReport
from inkov.readers.registry import HEAD_BYTES

__all__ = ["MAX_FILE_BYTES", "Digests", "digest_of", "file_bytes", "reason"]

MAX_FILE_BYTES = 64 * 1024 * 1024
"""A larger file is no switch's configuration; it is left out with a message."""

Digests = dict[str, str] | None
"""File -> SHA-256 of its bytes; None where nobody asks for them."""


def digest_of(data: bytes) -> str:
    """The SHA-256 of what was read, as certificates have it."""
    from hashlib import sha256

    return sha256(data).hexdigest()


def file_bytes(
    file: str, problems: list[Problem], reports: list[FileReport], digests: Digests = None
) -> bytes | None:
    """The bytes of a regular file of bearable size, in UTF-8; None, and a problem, if it is none or
    cannot be read.
    """
    try:
        status = os.stat(file)
        # A pipe or a device never ends, and opening one may wait for ever.
        if not stat.S_ISREG(status.st_mode):
            reports.append(FileReport(file, "", 0, remark="no regular file, not read"))
            return None
        # The size is that of a moment ago: a file that has grown since is read up to there.
        if status.st_size <= MAX_FILE_BYTES:
            with open(file, "rb") as opened:
                # A larger number would be set aside in memory at once.
                data = opened.read(status.st_size + 1)
            if digests is not None:
                digests[file] = digest_of(data)
            return _as_utf8(data)
        size, most = status.st_size / 1e6, MAX_FILE_BYTES / 1e6
        remark = (
            f"too large to be a switch configuration: {size:.0f} MB, {most:.0f} MB are read at most"
        )
        problems.append(
            Problem(Origin(file), remark, "move it out of the folder, or split it by device", True)
        )
        reports.append(FileReport(file, "", status.st_size, remark=remark))
    except OSError as error:
        problems.append(Problem(Origin(file), f"cannot be read: {reason(error)}", "", True))
        reports.append(FileReport(file, "", 0, remark=reason(error)))
    return None


def _as_utf8(data: bytes) -> bytes:
    """The bytes of a text in UTF-16 or UTF-32, as some systems write what a command prints, in
    UTF-8; and with line ends that are carriage returns alone, as line feeds.
    """
    for marks, encoding in _WIDE:
        if data.startswith(marks):
            data = data.decode(encoding, "replace").encode()
            break
    # With a NUL the bytes are no text at all, and changing them could make a format of it.
    if b"\r" in data and b"\n" not in data and b"\x00" not in data[:HEAD_BYTES]:
        return data.replace(b"\r", b"\n")
    return data


_WIDE = (
    ((codecs.BOM_UTF32_LE, codecs.BOM_UTF32_BE), "utf-32"),  # one begins like UTF-16
    ((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE), "utf-16"),
)


def reason(error: OSError) -> str:
    """What the system says of a file, as a part of a sentence."""
    return (error.strerror or str(error)).lower()
