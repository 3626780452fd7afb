"""What goes to the error output: how a command ends early, and what was wrong with the input."""

from __future__ import annotations

import os
import sys
from collections.abc import Callable, Iterable, Mapping
from contextlib import suppress
from typing import TYPE_CHECKING, NoReturn, TextIO

import typer

from inkov.cli.exits import UNUSABLE
from inkov.harmless import clean, safe

if TYPE_CHECKING:
    from inkov.campus import Problem
    from inkov.forwarding.trees.active import Now
    from inkov.readers import Loaded

__all__ = [
    "alone",
    "complain",
    "fail",
    "let_go",
    "nearest",
    "one_of_outcomes",
    "progress",
    "reason",
    "say",
    "say_problems",
    "to_screen",
    "unwritable",
]

_ASCII = str.maketrans(
    {"≠": "!=", "·": ".", "─": "-", "↔": "<->", "→": "->", "←": "<-", "×": "x"}  # as they look
)
"""For terminals without Unicode."""

_MOST_TOLD = 20  # problems of one file: who has more has another problem


def say(text: str = "") -> None:
    """A line on the screen."""
    to_screen(clean(text) + "\n")


def to_screen(text: str) -> None:
    """A text, harmless already, on the screen, in what characters this has."""
    encoding = sys.stdout.encoding or "ascii"
    if not encoding.lower().replace("-", "").startswith("utf"):
        text = text.translate(_ASCII).encode(encoding, "replace").decode(encoding)
    try:
        sys.stdout.write(text)
        sys.stdout.flush()
    except BrokenPipeError:
        raise
    except OSError as error:
        unwritable(error)
        raise typer.Exit(UNUSABLE) from None


def unwritable(error: OSError) -> None:
    """Say that the standard output takes nothing, and leave it."""
    let_go(sys.stdout)
    complain(f"cannot write to the standard output: {reason(error)}")


def let_go(stream: TextIO) -> None:
    """Let a stream lead nowhere: Python would complain again at exit, flushing it."""
    with suppress(OSError, ValueError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), stream.fileno())


def complain(text: str) -> None:
    """A line on the error output, if that takes any."""
    try:
        sys.stderr.write(clean(f"inkov: {text}\n"))
        sys.stderr.flush()
    except OSError:
        let_go(sys.stderr)


def fail(says: str, status: int = UNUSABLE) -> NoReturn:
    """End with one line on the error output."""
    complain(says)
    raise typer.Exit(status)


def alone(option: str, others: Mapping[str, object]) -> None:
    """End where an option is given that does nothing beside another one."""
    for name, value in others.items():
        if value:
            fail(f"{name} does nothing beside {option}")


def reason(error: OSError) -> str:
    """What the system says of a file, as a part of a sentence."""
    return (error.strerror or str(error)).lower()


def nearest(name: str, known: Iterable[str]) -> str:
    """`; did you mean ...?` with the nearest known names, or nothing."""
    from difflib import get_close_matches

    close = get_close_matches(name, list(known), n=3, cutoff=0.5)
    return f"; did you mean {' or '.join(map(safe, close))}?" if close else ""


def say_problems(problems: Iterable[Problem], loaded: Loaded | None) -> None:
    """One message for each problem, on the error output: place, what is wrong, cure."""
    from inkov.readers import Locator
    from inkov.render.text import place

    locator = loaded.locator if loaded else Locator({})
    counts: dict[str, int] = {}
    for problem in problems:
        counts[problem.origin.file] = counts.get(problem.origin.file, 0) + 1
        if counts[problem.origin.file] > _MOST_TOLD:
            continue
        where = place(problem.origin, locator)
        cure = f" ({safe(problem.cure)})" if problem.cure else ""
        first, line_end, rest = problem.says.partition("\n")
        complain(f"{where}: {first}{cure}{line_end}{rest}")
    for file, count in counts.items():
        if count > _MOST_TOLD:
            more = f"{count - _MOST_TOLD} more problems like these"
            complain(f"{safe(file)}: {more} (`inkov read -f json` has all)")


def progress(quiet: bool) -> Callable[[int, int], None] | None:
    """Shows (files done, files in all) on a terminal; None where nobody would see it."""
    if quiet or not sys.stderr.isatty():
        return None

    def show(done: int, total: int) -> None:
        if total >= 100 and done % 25 == 0:
            sys.stderr.write(f"\rreading {done} of {total} files")
        if total >= 100 and done == total - 1:
            sys.stderr.write("\r\x1b[K")

    return show


def one_of_outcomes(now: Now | None) -> None:
    """Say that a listing shows one outcome of the spanning trees, if there are others."""
    if now is not None and now.outcomes > 1:
        complain(
            f"chance decides which ports discard in the spanning tree: one of {now.outcomes}"
            " outcomes is shown"
        )
