"""What goes to the error output: how a command ends early, and what was wrong with the input."""

from __future__ import annotations

import os
import sys
from collections.abc import Iterable, Mapping, Sized
from contextlib import suppress
from time import monotonic
from typing import TYPE_CHECKING, NoReturn, TextIO

import typer

from inkov.cli.exits import UNUSABLE
from inkov.harmless import clean, safe
from inkov.progress import watch

if TYPE_CHECKING:
    from inkov.campus import Campus, Problem
    from inkov.forwarding.trees.active import Now
    from inkov.readers import Loaded, Locator
    from inkov.vlanset import VlanSet

__all__ = [
    "alone",
    "complain",
    "fail",
    "let_go",
    "nearest",
    "one_of_outcomes",
    "reason",
    "say",
    "say_if_empty",
    "say_problems",
    "say_unmatched",
    "show_progress",
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
    _clear_progress()
    encoding = sys.stdout.encoding or "ascii"
    # As near as the characters of the screen allow.
    if not encoding.lower().replace("-", "").startswith("utf"):
        text = text.translate(_ASCII).encode(encoding, "replace").decode(encoding)
    try:
        sys.stdout.write(text)
        sys.stdout.flush()
    except BrokenPipeError:
        # Who reads has enough: that is no fault.
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
    _clear_progress()
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
        # Said, and not passed over.
        if value:
            fail(f"{name} does nothing beside {option}")


def say_if_empty(
    rows: Sized, says: str, vlan: VlanSet | None = None, switch: str | None = None
) -> None:
    """Say that a listing is empty, and of what, rather than to show a table of nothing."""
    if not rows:
        about = f" VLAN {vlan}" if vlan is not None else ""
        complain(f"{says}{about}{f' on {safe(switch)}' if switch is not None else ''}")


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
        # Many problems of one file are one problem.
        if counts[problem.origin.file] > _MOST_TOLD:
            continue
        where = place(problem.origin, locator)
        cure = f" ({safe(problem.cure)})" if problem.cure else ""
        first, line_end, rest = problem.says.partition("\n")
        complain(f"{where}: {first}{cure}{line_end}{rest}")
    # The others are counted.
    for file, count in counts.items():
        if count > _MOST_TOLD:
            left = count - _MOST_TOLD
            more = "1 more problem" if left == 1 else f"{left} more problems"
            complain(f"{safe(file)}: {more} like these (`inkov read -f json` has all)")


def say_unmatched(campus: Campus, locator: Locator) -> None:
    """That an answer may hang on lines that were not understood, on the error output; but those
    with a problem, which is said already.
    """
    from inkov.render.text import place

    said = {problem.origin for problem in campus.problems}
    lines = [origin for origin, _ in campus.unmatched if origin not in said]
    if lines:
        about = "that may have to do with VLANs"
        says = f"a line {about} was not understood"
        if len(lines) > 1:
            says = f"{len(lines)} lines {about} were not understood, this one first"
        complain(
            f"{place(lines[0], locator)}: {says}: what is told here may be otherwise"
            " (`inkov read --unmatched` lists them)"
        )


def show_progress(*, quiet: bool) -> None:
    """Show on a terminal how far long work has got. What is done in a moment is not shown."""
    # Nobody watches.
    if quiet or not sys.stderr.isatty():
        watch(None)
        return
    begun: dict[str, float] = {}
    last = 0.0

    def show(what: str, done: int, total: int) -> None:
        nonlocal last
        now = monotonic()
        since = begun.setdefault(what, now)
        # Done: the line goes away.
        if total and done >= total:
            begun.pop(what)
            _clear_progress()
        elif now - since > _PATIENCE and now - last > _REDRAWN:
            # Not at once, and not all the time.
            last = now
            of = f"{done} of {total}" if total else str(done)
            _progress(f"{what}: {of}")

    watch(show)


_PATIENCE = 0.8  # seconds, before anything is shown
_REDRAWN = 0.2
_shown = False


def _progress(text: str) -> None:
    global _shown  # noqa: PLW0603  (one screen, one line of progress)
    with suppress(OSError):
        sys.stderr.write(f"\r{clean(text)}\x1b[K")
        sys.stderr.flush()
        _shown = True


def _clear_progress() -> None:
    """Take away the line of progress, if one is shown."""
    global _shown  # noqa: PLW0603
    if _shown:
        _shown = False
        with suppress(OSError):
            sys.stderr.write("\r\x1b[K")
            sys.stderr.flush()


def one_of_outcomes(now: Now | None) -> None:
    """Say that a listing shows one outcome of the spanning trees, if there are others."""
    # Other outcomes are there, and not shown.
    if now is not None and now.outcomes > 1:
        complain(
            f"chance decides which ports discard in the spanning tree: one of {now.outcomes}"
            " outcomes is shown"
        )
