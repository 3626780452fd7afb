"""Work that another process does meanwhile."""

from __future__ import annotations

import os

import pytest

from inkov.effects.aside import Aside


@pytest.fixture(autouse=True)
def two_cores(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(os, "sched_getaffinity", lambda process: {0, 1})


def test_long_work_is_done_by_another_process() -> None:
    assert Aside(os.getpid, long=True).result() != os.getpid()
    assert Aside(os.getpid, long=False).result() == os.getpid()


def test_what_is_not_handed_over_is_done_here(monkeypatch: pytest.MonkeyPatch) -> None:
    here = os.getpid()

    def only_here() -> str:
        if os.getpid() != here:
            raise MemoryError
        return "done"

    def nowhere() -> str:
        raise LookupError(f"in {os.getpid()}")

    def no_process() -> int:
        raise BlockingIOError

    assert Aside(only_here, long=True).result() == "done"
    with pytest.raises(LookupError, match=f"in {here}"):
        Aside(nowhere, long=True).result()
    monkeypatch.setattr(os, "fork", no_process)
    assert Aside(os.getpid, long=True).result() == here
