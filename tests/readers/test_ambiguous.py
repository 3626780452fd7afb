"""Two forms that can take the same line: found where neither is the narrower one, as a naive
enumeration of all lines over a few words finds it; and said by `inkov dialect check`.
"""

from __future__ import annotations

import random
from itertools import product
from pathlib import Path

import pytest

from inkov.readers.dialects import BadDialect, compile_dialect
from inkov.readers.dialects.ambiguous import ambiguous
from tests.conftest import Inkov

WORDS = ("a", "b", "10", "fog")
LINES = [line for length in (1, 2, 3) for line in product(WORDS, repeat=length)]


def takes(form: tuple[str, ...], line: tuple[str, ...]) -> bool:
    """Whether a form takes a line, by what its words mean."""
    fits = {"word": lambda word: True, "vid": str.isdigit}
    return len(form) == len(line) and all(
        fits[part](word) if part in fits else part == word
        for part, word in zip(form, line, strict=True)
    )


def spelled(form: tuple[str, ...]) -> str:
    return " ".join(f"{{c{n}:{w}}}" if w in ("word", "vid") else w for n, w in enumerate(form))


def test_what_two_forms_can_both_take_is_what_enumeration_finds() -> None:
    rng = random.Random(15)
    seen = 0
    for _ in range(1_500):
        forms = [
            tuple(rng.choice(["a", "b", "word", "vid"]) for _ in range(rng.randint(1, 3)))
            for _ in range(2)
        ]
        effects = ["state = off", "state = on"]
        says = "\n".join(
            f'"{spelled(form)}" = "{effect}"' for form, effect in zip(forms, effects, strict=True)
        )
        text = f'dialect = "x"\nfiles = ["*"]\n[port]\nopens = ["z {{ports}}"]\n[port.says]\n{says}'
        try:
            dialect = compile_dialect("x.toml", text.encode())
        except BadDialect:  # the two are one, or one leaves the other nothing
            continue
        sets = [{line for line in LINES if takes(form, line)} for form in forms]
        both = sets[0] & sets[1]
        wanted = bool(both) and not (sets[0] <= sets[1] or sets[1] <= sets[0])
        block = dialect.device.root.literals["z"].captures[0][1].block.block
        found = list(ambiguous(dialect, block))
        assert len(found) == wanted, (forms, found)
        for pair in found:
            assert tuple(pair.line.split()) in both
        seen += wanted
    assert seen > 15


@pytest.mark.parametrize(
    ("says", "line"),
    [
        ('"lies off" = "state = off"\n"lies {vid}" = "vlan = {vid}"', ""),
        ('"lies {vid}" = "vlan = {vid}"\n"lies {vlan}" = "vlan = {vlan}"', ""),
        ('"water {word} daily" = "state = off"\n"water slowly {word}" = "state = on"', "9"),
        # Both do the same: it does not matter which.
        ('"water {word} daily" = "state = off"\n"water slowly {word}" = "state = off"', ""),
        ('"[always] lies {vids}" = "allowed = {vids}"\n"lies {text}" = "about = {text}"', ""),
        ('"{word} lies {vid}" = "vlan = {vid}"\n"it {text}" = "about = {text}"', "9"),
    ],
)
def test_two_forms_for_one_line_are_said(
    says: str, line: str, inkov: Inkov, tmp_path: Path
) -> None:
    (tmp_path / "x.toml").write_text(
        'dialect = "x"\nfiles = ["*.txt"]\n[device.says]\n"it is {name}" = "name = {name}"\n'
        f'[port]\nopens = ["berth {{ports}}"]\n[port.says]\n\n{says}\n'
    )
    (tmp_path / "east.txt").write_text("it is east\nberth 1\n  lies 10\n")
    checked = inkov("dialect", "check", "x.toml", "east.txt")
    # Once, however many lines both take.
    told = checked.out.count("and neither is the narrower one")
    assert told == bool(line), checked.out
    if line:
        assert f"x.toml:{line}" in checked.out, checked.out
