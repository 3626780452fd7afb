"""How far long work has got, told to whoever watches: the core counts, and shows nothing.

`with_progress` passes items on, and tells how many are done. Whoever wants to know sets a watcher;
without one nothing is told. Another process that does a part of the work tells nothing
(`unwatched`).
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator
from typing import TypeVar

__all__ = ["tell", "unwatched", "watch", "with_progress"]

T = TypeVar("T")
Watcher = Callable[[str, int, int], None]
"""Is told what is counted, how many of it are done, and how many there are (0: not known). All done
means that it is over.
"""

_watcher: Watcher | None = None


def watch(watcher: Watcher | None) -> None:
    """Have somebody told from now on, or nobody."""
    global _watcher  # noqa: PLW0603  (one screen, one watcher)
    _watcher = watcher


def unwatched() -> None:
    """Tell nobody: for another process."""
    watch(None)


def tell(what: str, done: int, total: int = 0) -> None:
    """Tell how far something is."""
    if _watcher is not None:
        _watcher(what, done, total)


def with_progress(what: str, items: Collection[T]) -> Iterator[T]:
    """The items, one after the other, each told before it is worked on."""
    total = len(items)
    for done, item in enumerate(items):
        tell(what, done, total)
        yield item
    tell(what, total, total)
