"""Work that another process does meanwhile: half of a comparison's audits cost as much as all else.

Only systems that can fork do this, with a second core, and only for what is long enough to pay.
What the other process does not hand over is done here.
"""

from __future__ import annotations

import os
import pickle
import tempfile
from collections.abc import Callable
from typing import IO, Generic, TypeVar

from inkov.progress import unwatched

__all__ = ["Aside"]

T = TypeVar("T")


class Aside(Generic[T]):
    """Some work, begun in another process if it is `long`; `result` waits for it."""

    def __init__(self, work: Callable[[], T], *, long: bool) -> None:
        self._work = work
        self._child = 0
        self._file: IO[bytes] | None = None
        # One core, or too little work: it would cost more than it saves.
        if long and hasattr(os, "fork") and len(os.sched_getaffinity(0)) > 1:
            try:
                self._begin()
            except OSError:  # no process or no file to be had
                self._child = 0

    def _begin(self) -> None:
        # Opened before the fork, so that both have it; it has no name and goes with the last of
        # them.
        file = tempfile.TemporaryFile()  # noqa: SIM115
        try:
            self._child = os.fork()
        except OSError:
            file.close()
            raise
        # The parent goes on.
        if self._child:
            self._file = file
            return
        status = 1
        unwatched()
        try:
            pickle.dump(self._work(), file)
            file.flush()
            status = 0
        finally:
            os._exit(status)

    def result(self) -> T:
        """What the work came to. Raises what the work raises."""
        if self._child and self._file is not None:
            _, status = os.waitpid(self._child, 0)
            self._child = 0
            with self._file as file:
                file.seek(0)
                # Only what was handed over whole counts.
                if status == 0:
                    value: T = pickle.load(file)  # noqa: S301  (our own, written just now)
                    return value
        return self._work()
