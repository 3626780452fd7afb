"""The tables of the demo, on screens of several widths: nothing is lost in silence, no line is too
long, and no word is broken that need not be.
"""

from __future__ import annotations

import csv
import io
import re
from functools import cache
from pathlib import Path

import pytest

from tests.conftest import DEMO, run_inkov, share
from tests.render.screens import on_screen

GARDEN = DEMO / "garden"
TABLES: list[tuple[str | Path, ...]] = [
    ("read", GARDEN),
    ("read", GARDEN, "--trace", GARDEN / "barn-1.txt"),
    ("vlans", GARDEN),
    ("ports", GARDEN),
    ("links", GARDEN),
    ("trunks", GARDEN),
    ("tree", GARDEN),
    ("tree", GARDEN, "--switch", "core-1"),
    ("withstand", GARDEN),
    ("follow", "herbarium-1:1", "gate-1:1", GARDEN),
]
LONG = 16  # a longer word may be broken
BREAKS = re.compile(r"[\s,]+")


@cache
def as_csv(asked: tuple[str | Path, ...]) -> str:
    return run_inkov(*asked, "-q", "-f", "csv").out


@pytest.mark.parametrize("width", share([40, 60, 80, 120], 2))
@pytest.mark.parametrize(
    "asked", TABLES, ids=lambda asked: " ".join(map(str, asked)).partition("/")[0]
)
def test_what_stands_in_a_table_stands_on_the_screen(
    asked: tuple[str | Path, ...], width: int
) -> None:
    """As the same rows are in CSV, but for the columns of which it is said that they are not."""
    rows = list(csv.reader(io.StringIO(as_csv(asked))))
    heads, *rows = [row for row in rows if len(row) == len(rows[0])]
    assert rows
    screen = on_screen(*asked, "-q", width=width)
    assert max(map(len, screen.splitlines())) <= width
    told, _, after = screen.partition("Left out at this width: ")
    left_out = after.partition("\n")[0].split(", ")
    words = set(BREAKS.split(told))
    folder = f"{GARDEN}/" if "All files are in" in told else ""
    for head, *cells in zip(heads, *rows, strict=True):
        if head in map(str.lower, left_out):
            continue
        pieces = {each for cell in cells for each in BREAKS.split(cell.removeprefix(folder))}
        broken = sorted(pieces - words)
        most = LONG if width >= 60 else LONG // 2
        assert all(len(word) > most and word[: LONG // 3] in told for word in broken), (
            head,
            broken,
        )
