"""The streams and signals that the program was started with."""

from __future__ import annotations

import errno
import io
import os
import signal
from collections.abc import Iterator
from contextlib import contextmanager

__all__ = ["Closed", "interruptible"]


class Closed(io.TextIOBase):
    """A stream that was closed before the program began: writing to it fails as it does to a full
    disk.
    """

    encoding = "utf-8"

    def write(self, text: str) -> int:
        raise OSError(errno.EBADF, os.strerror(errno.EBADF).lower())


@contextmanager
def interruptible() -> Iterator[None]:
    """Within, an interrupt is an exception, so that what is half done is undone. Without, it ends
    the program at once (`inkov.__main__`): there is nothing to undo.
    """
    ends_at_once = signal.getsignal(signal.SIGINT) == signal.SIG_DFL
    try:
        # Only where an interrupt ends the program at once.
        if ends_at_once:
            signal.signal(signal.SIGINT, signal.default_int_handler)
        yield
    finally:
        if ends_at_once:
            signal.signal(signal.SIGINT, signal.SIG_DFL)
