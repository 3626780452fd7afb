"""Where a result goes: to the screen or into a file, in the format that was asked for."""

from __future__ import annotations

import os
import sys
import tempfile
from typing import TYPE_CHECKING

from inkov.cli.says import fail, reason, to_screen

if TYPE_CHECKING:
    from inkov.render.results import Result
    from inkov.render.terminal import Screen

__all__ = ["Output", "write_file"]


class Output:
    """How a command's result is written: format, file ("" for the screen) and colour."""

    def __init__(
        self, form: str = "table", file: str | None = None, *, no_colour: bool = True
    ) -> None:
        self.format = form
        self.file = file
        self._plain = no_colour or "NO_COLOR" in os.environ

    @property
    def screen(self) -> Screen:
        from inkov.render.terminal import Screen

        if self.file is not None or not sys.stdout.isatty():
            return Screen(None, colour=False)
        return Screen(os.get_terminal_size(sys.stdout.fileno()).columns, colour=not self._plain)

    def show(self, result: Result) -> None:
        """Write a result in the format asked for. Ends with the formats it has, if it has not."""
        from inkov.render.results import NoSuchForm, written

        try:
            text = written(result, self.format, self.screen)
        except NoSuchForm as missing:
            fail(f"--format {self.format}: {missing}")
        self.write(text)

    def write(self, text: str) -> None:
        """Write a text to the screen, or to the file."""
        if self.file is None:
            to_screen(text)
        else:
            write_file(self.file, text)


def write_file(path: str, text: str) -> None:
    """Write beside the file and rename, so that nobody finds half of it.

    Ends with one line if it cannot be written.
    """
    try:
        handle, beside = tempfile.mkstemp(
            dir=os.path.dirname(os.path.abspath(path)), prefix=".inkov-"
        )
        try:
            with os.fdopen(handle, "w", encoding="utf-8", newline="") as file:
                file.write(text)
            os.chmod(beside, 0o666 & ~_umask())
            os.replace(beside, path)
        except BaseException:
            os.unlink(beside)
            raise
    except OSError as error:
        fail(f"cannot write {path}: {reason(error)}")


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask
