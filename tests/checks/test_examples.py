"""Every rule's example is run: with the mistake, its rule alone finds something; with the cure,
nothing is found.
"""

from __future__ import annotations

from datetime import date
from pathlib import Path

import pytest

from inkov.checks import CATALOGUE, Finding, audit
from inkov.forwarding import resolve
from inkov.plan import Plan, read_plan
from inkov.readers import load
from inkov.readers.platforms import shape
from inkov.wiring import wire


def write(folder: Path, shown: str, mark: str) -> Path:
    """The files of an example, with the lines after `mark` but not those after the other one."""
    folder.mkdir()
    for part in shown.split("=== ")[1:]:
        name, _, lines = part.partition("\n")
        text = "".join(line[2:] + "\n" for line in lines.split("\n") if line[:1] in (" ", mark))
        if name.endswith(".sheet"):
            text = f"inkov sheet 1\nswitch: {name.removesuffix('.sheet')}\n{text}"
        if text:
            (folder / name).write_text(text)
    return folder


def found_in(folder: Path) -> list[Finding]:
    loaded = load([str(folder)])
    plan = Plan()
    for path, data in loaded.plans.items():
        plan = read_plan(path, data)
    assert plan.problems == []
    assert shape(loaded.campus, plan.says.platforms) == []
    return audit(resolve(loaded.campus, wire(loaded.campus)), plan, today=date(2026, 1, 1)).findings


@pytest.mark.parametrize("slug", sorted(CATALOGUE))
def test_the_example_fails_and_its_cure_passes(slug: str, tmp_path: Path) -> None:
    shown = CATALOGUE[slug].shown
    wrong = found_in(write(tmp_path / "wrong", shown, "-"))
    assert [f.rule for f in wrong] == [slug], [(f.rule, f.says) for f in wrong]
    right = found_in(write(tmp_path / "right", shown, "+"))
    assert right == [], [(f.rule, f.says) for f in right]


def test_every_example_has_a_rule() -> None:
    import inkov.checks

    names = {path.stem for path in (Path(inkov.checks.__file__).parent / "examples").iterdir()}
    assert names == set(CATALOGUE)
