"""Where a result goes: to the screen or into a file, in the format that was asked for."""

from __future__ import annotations

import errno
import os
import stat
import sys
import tempfile
from typing import TYPE_CHECKING

from inkov.cli.says import fail, reason, to_screen
from inkov.harmless import clean

if TYPE_CHECKING:
    from inkov.render.results import Result
    from inkov.render.terminal import Screen

__all__ = ["Output", "keep", "write_file"]

_UNKNOWN_WIDTH = 80
_LEAST_WIDTH = 60  # on a terminal that is narrower, lines wrap: a cell squeezed to nothing is lost


class Output:
    """How a command's result is written: format, file (None for the screen) and colour; whether a
    new file is for the user alone.
    """

    def __init__(
        self,
        form: str = "table",
        file: str | None = None,
        *,
        no_colour: bool = True,
        private: bool = False,
    ) -> None:
        self.format = form
        self.file = file
        self.private = private
        self._plain = no_colour or "NO_COLOR" in os.environ

    @property
    def screen(self) -> Screen:
        from inkov.render.terminal import Screen

        # A file or a pipe: no width, no colour.
        if self.file is not None or not sys.stdout.isatty():
            return Screen(None, colour=False)
        columns = os.get_terminal_size(sys.stdout.fileno()).columns
        return Screen(max(columns or _UNKNOWN_WIDTH, _LEAST_WIDTH), colour=not self._plain)

    def show(self, result: Result) -> None:
        """Write a result in the format asked for. Ends with the formats it has, if it has not."""
        from inkov.render.results import NoSuchForm, written

        try:
            text = written(result, self.format, self.screen)
        except NoSuchForm as missing:
            # The format is there, this result has it not.
            fail(f"--format {self.format}: {missing}")
        self._put(text)

    def write(self, text: str) -> None:
        """Write a text that is no result: a plan or a dialect to begin with."""
        self._put(clean(text))

    def _put(self, text: str) -> None:
        if self.file is None:
            to_screen(text)
        else:
            write_file(self.file, text, private=self.private)


def keep(path: str | None, *, force: bool) -> None:
    """End where a file of somebody's would be written over, unless `force`."""
    # A file of somebody's is not replaced unasked.
    if path is not None and os.path.lexists(path) and not force and not _is_the_screen(path):
        fail(f"{path} is there; replace it with --force")


def _is_the_screen(path: str) -> bool:
    """True for a path that leads to where the standard output goes, be it a device or a pipe."""
    try:
        there, here = os.stat(path), os.fstat(sys.stdout.fileno())
    except (OSError, ValueError):  # nothing there, or a standard output that is none
        return False
    # A device or a pipe, and the same one.
    return not stat.S_ISREG(there.st_mode) and os.path.samestat(there, here)


def write_file(path: str, text: str, *, private: bool = False) -> None:
    """Write a text as `write_bytes` does. Where the standard output goes it goes too."""
    # Where the standard output goes, nothing can be renamed.
    if _is_the_screen(path):
        to_screen(text)
        return
    write_bytes(path, text.encode(), private=private)


def write_bytes(path: str, data: bytes, *, private: bool = False) -> None:
    """Write beside the file and rename, so that nobody finds half of it. A link is followed; what
    is there keeps its mode. What is new and `private` is for the user alone.

    Ends with one line if it cannot be written, or is a folder, another device or a pipe.
    """
    target = os.path.realpath(path)
    try:
        mode = _mode_of(target, private=private)
        handle, beside = tempfile.mkstemp(dir=os.path.dirname(target), prefix=".inkov-")
        try:
            with os.fdopen(handle, "wb") as file:
                file.write(data)
            os.chmod(beside, mode)
            os.replace(beside, target)
        except BaseException:
            # What was begun is taken away.
            os.unlink(beside)
            raise
    except OSError as error:
        fail(f"cannot write {path}: {reason(error)}")


def _mode_of(target: str, *, private: bool) -> int:
    """The mode for a file: that which it has, if it is there. OSError for what is no file."""
    try:
        there = os.stat(target)
    except FileNotFoundError:
        return (0o600 if private else 0o666) & ~_umask()
    # A folder, a device and a pipe are not written over.
    if stat.S_ISDIR(there.st_mode):
        raise IsADirectoryError(errno.EISDIR, os.strerror(errno.EISDIR))
    if not stat.S_ISREG(there.st_mode):
        raise OSError(errno.EINVAL, "it is a device or a pipe, and no file")
    return stat.S_IMODE(there.st_mode)


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask
