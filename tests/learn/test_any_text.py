"""Whatever stands in texts, what is begun or learnt from them is a dialect that can be used."""

from __future__ import annotations

import random
import re

import pytest

from inkov.learn import NothingLearnt, begin, learn, paired, sketched
from inkov.learn.write import usable
from inkov.readers.dialects import compile_dialect
from inkov.readers.sheets.reader import read as read_sheet
from tests.conftest import cases
from tests.learn.languages import Language, sheet, switches

LANGUAGES = cases("LANGUAGES", 4)
STRANGE = [*'{}"#@~;.-1a!=|[]()&%', "..", "4095", '"x y"', "^z", "10.1.1.1", "::1", "\\", "\\["]
STRANGE += ["{vid}", "{secret}", "\u202e", "\x1b[1m", "\ue000", "\ue003"]


def disturbed(rng: random.Random, text: str) -> str:
    """A text with strange words in it, and lines that are missing, empty or there twice."""
    lines = text.split("\n")
    for _ in range(rng.randint(1, 8)):
        at = rng.randrange(len(lines))
        word = rng.choice(STRANGE)
        lines[at] = rng.choice(
            [
                f"{lines[at]} {word}",
                f"{word} {lines[at]}",
                lines[at].replace(" ", word, 1),
                " ".join(rng.choice(STRANGE) for _ in range(4)),
                "",
            ]
        )
        lines.insert(at, rng.choice(lines)) if rng.random() < 0.3 else None
    return "\n".join(lines)


@pytest.mark.parametrize("seed", range(LANGUAGES))
def test_what_comes_of_any_text_can_be_used(seed: int) -> None:
    rng = random.Random(f"any text {seed}")
    language = Language(rng)
    campus = switches(rng, 3, kinds=bool(language.kinds))
    texts = [(f"{one.name}.txt", disturbed(rng, language.text(one))) for one in campus]
    compile_dialect("new.toml", sketched(texts, "new").encode())
    others = [read_sheet("x", sheet(one, language).encode()).part.devices[0] for one in campus[:2]]
    data = [(file, text.encode()) for file, text in texts]
    pairs = paired(data, others)
    if not pairs:
        return
    try:
        learnt = learn(pairs, data, "learnt", language.answer).dialect
        compile_dialect("learnt.toml", learnt.encode())
        begun = begin("learnt.toml", learnt.encode())
        more = learn(pairs, data, "learnt", None, begun).dialect
        compile_dialect("more.toml", more.encode())
    except NothingLearnt as nothing:
        assert str(nothing).startswith("these texts are not understood")


def test_a_block_that_nothing_opens_is_left_out_whole() -> None:
    """One head opens two kinds of blocks: one of them goes, with all that is said in it."""
    kept = '[port]\nopens = ["berth {name}"]\n[port.says]\n"lies {vid}" = "vlan = {vid}"\n'
    other = '[vlan]\nopens = ["berth {name}"]\n[vlan.says]\n"called {name}" = "name = {name}"\n'
    text = f'dialect = "moor"\nrecognise = ["moor {{name}}"]\n{other}{kept}'
    left = usable(text)
    compile_dialect("learnt.toml", left.encode())
    assert kept in left and not re.search(r"^\S*vlan", left, re.MULTILINE)
