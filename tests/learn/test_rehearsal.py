"""A hypothesis is rehearsed, not read: what comes of it is the same."""

from __future__ import annotations

import random

import pytest

from inkov.learn.hypothesis import Hypothesis
from inkov.learn.look import look
from inkov.learn.rehearsal import Rehearsal, errors_of
from inkov.learn.search import candidates
from inkov.learn.write import alike, written
from inkov.readers.dialects import Dialect, compile_dialect
from inkov.readers.sheets.reader import read as read_sheet
from tests.conftest import cases
from tests.learn.languages import Language, sheet, switches

LANGUAGES = cases("LANGUAGES", 4)


@pytest.mark.parametrize("seed", range(LANGUAGES))
def test_rehearsing_comes_to_what_reading_comes_to(seed: int) -> None:
    """For effects drawn at random, right or wrong, of all statements of a random language."""
    rng = random.Random(f"rehearsal {seed}")
    language = Language(rng)
    campus = switches(rng, 2, kinds=bool(language.kinds))
    texts = [language.text(switch).encode() for switch in campus]
    devices = [read_sheet("x", sheet(one, language).encode()).part.devices[0] for one in campus]
    seen = look([text.decode() for text in texts], devices, negation=language.undo)
    groups = alike(seen)
    options: dict[int, list[str]] = {}
    for first, several in groups.items():
        own, *others = [candidates(seen.patterns[number]) for number in several]
        common = [effect for effect in own if all(effect in other for other in others)]
        options |= {first: common} if common else {}

    def dialect_of(hypothesis: Hypothesis) -> Dialect:
        text = written(seen, hypothesis, "t", "", "*")
        return compile_dialect("t.toml", text.encode())

    rehearsal = Rehearsal(seen, texts, devices, options, groups, dialect_of)
    for _ in range(15):
        effects: dict[int, str] = {}
        for first, possible in options.items():
            effect = rng.choice(["", *possible])
            effects |= dict.fromkeys(groups[first], effect) if effect else {}
        hypothesis = Hypothesis(effects, rng.randrange(len(seen.defaults)))
        read = list(errors_of(dialect_of(hypothesis), texts, devices))
        assert list(rehearsal.errors(hypothesis)) == read, hypothesis
