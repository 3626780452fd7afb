"""Writes the files of the demo campus into a folder."""

from __future__ import annotations

import os
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from filecmp import dircmp
from importlib.resources import as_file, files

__all__ = ["MADE", "DemoExists", "copy_demo"]

MADE = ("garden.svg", "garden.html")
"""Files that the tour makes beside the demo's own."""


class DemoExists(Exception):
    """The folder holds something else than the untouched demo."""


def copy_demo(folder: str, *, replace: bool) -> None:
    """Write the demo to `folder`: beside it first, then renamed, so that it is there whole or not
    at all.

    A folder that already holds the untouched demo is left as it is. DemoExists if it holds anything
    else, unless `replace`: then the files of the demo are written again, and whatever else is there
    stays. OSError if it cannot be written.
    """
    with _whole() as source:
        # The untouched demo may stay; anything else is somebody's.
        if os.path.lexists(folder) and not replace:
            if not os.path.isdir(folder) or _differs(dircmp(source, folder, ignore=list(MADE))):
                raise DemoExists(folder)
            return
        # Only the demo's own files are written again.
        if os.path.isdir(folder):
            shutil.copytree(source, folder, dirs_exist_ok=True)
            return
        above = os.path.dirname(os.path.abspath(folder))
        os.makedirs(above, exist_ok=True)
        beside = tempfile.mkdtemp(dir=above, prefix=".inkov-")
        try:
            fresh = os.path.join(beside, "demo")
            shutil.copytree(source, fresh)
            os.rename(fresh, folder)
        finally:
            shutil.rmtree(beside, ignore_errors=True)


@contextmanager
def _whole() -> Iterator[str]:
    """The demo as it is written. What is proposed is kept as the files that it changes only: the
    others are those of the repaired campus.
    """
    with (
        as_file(files("inkov.demo") / "campus") as source,
        tempfile.TemporaryDirectory(prefix="inkov-") as folder,
    ):
        whole = os.path.join(folder, "demo")
        repaired, proposed = (os.path.join(whole, name) for name in ("repaired", "proposed"))
        shutil.copytree(source, whole)
        shutil.copytree(repaired, proposed, dirs_exist_ok=True)
        shutil.copytree(source / "proposed", proposed, dirs_exist_ok=True)
        yield whole


def _differs(compared: dircmp[str]) -> bool:
    # A file more, a file less, or another one.
    if compared.left_only or compared.right_only or compared.diff_files or compared.funny_files:
        return True
    return any(_differs(below) for below in compared.subdirs.values())
