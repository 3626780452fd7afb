"""How far long work has got: on a terminal, on the error output, taken away again; nowhere else."""

from __future__ import annotations

import io
import sys

import pytest

from inkov import progress
from inkov.cli import says
from tests.conftest import DEMO, Inkov, on_terminal


class Terminal(io.StringIO):
    def isatty(self) -> bool:
        return True


def screen_of(monkeypatch: pytest.MonkeyPatch) -> Terminal:
    terminal = Terminal()
    monkeypatch.setattr(sys, "stderr", terminal)
    monkeypatch.setattr(says, "_PATIENCE", -1.0)
    monkeypatch.setattr(says, "_REDRAWN", -1.0)
    monkeypatch.setattr(says, "_shown", False)
    return terminal


def test_what_is_counted_is_shown_and_taken_away(monkeypatch: pytest.MonkeyPatch) -> None:
    screen = screen_of(monkeypatch)
    says.show_progress(quiet=False)
    try:
        assert list(progress.with_progress("losses tried", ["a", "b", "c"])) == ["a", "b", "c"]
        shown = screen.getvalue()
        assert [text for text in shown.split("\r") if "tried" in text] == [
            f"losses tried: {number} of 3\x1b[K" for number in range(3)
        ]
        assert shown.endswith("\r\x1b[K")
        # What is said meanwhile stands on a line of its own.
        progress.tell("edits tried", 7)
        says.complain("something")
        assert screen.getvalue().endswith("edits tried: 7\x1b[K\r\x1b[Kinkov: something\n")
    finally:
        progress.watch(None)


def test_nobody_is_told_where_nobody_watches(monkeypatch: pytest.MonkeyPatch) -> None:
    screen = screen_of(monkeypatch)
    says.show_progress(quiet=True)
    assert list(progress.with_progress("losses tried", [1, 2])) == [1, 2]
    assert screen.getvalue() == ""


def test_quick_work_shows_none(inkov: Inkov) -> None:
    assert inkov("audit", str(DEMO / "repaired")).err == ""
    shown = on_terminal("overview", DEMO / "glasshouses")
    assert "reading files" not in shown and "tried" not in shown
