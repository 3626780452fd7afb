"""Where the states of a campus are read: a path, or a revision that git lays out."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import chdir, contextmanager

__all__ = ["reading"]


@contextmanager
def reading(text: str, beside: str) -> Iterator[list[str]]:
    """What to read of a side; within the folder of a revision, if it is one."""
    from inkov.readers.revision import laid_out, parse

    revision = parse(text)
    # Files and folders are read where they are.
    if revision is None:
        yield [text]
        return
    with laid_out(revision, beside) as (folder, configs), chdir(folder):
        yield configs
