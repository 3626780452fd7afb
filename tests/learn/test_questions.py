"""What is asked where the evidence does not decide, and what answers and silence change."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import cast

import pytest

from inkov.learn import Question
from inkov.learn.hypothesis import Hypothesis
from inkov.learn.look import look
from inkov.learn.others import Others
from inkov.learn.questions import Teacher
from inkov.learn.search import Learnt
from inkov.learn.write import form_of
from inkov.readers.sheets.reader import read
from tests.conftest import Inkov

TEXT = "moor north\nberth 1\n  lies 10\n  hums 20\nberth 2\n  lies 20\n  hums 10\n"
SHEET = (
    "inkov sheet 1\nswitch: north\n[port 1]\nvlan: 10\nvoice: 20\n[port 2]\nvlan: 20\nvoice: 10\n"
)


class Rest:
    """Other texts, by which any two readings differ."""

    def __init__(self, files: Sequence[str]) -> None:
        self.files = list(files)

    def differ(self, one: Hypothesis, other: Hypothesis) -> bool:
        return one != other

    def marks(self) -> dict[str, tuple[int, int]]:
        return {}

    def statements(self, hypothesis: Hypothesis, but: set[str]) -> list[int]:
        return []


def teacher(others: Sequence[str], answer: int | None) -> tuple[Teacher, list[Question], list[int]]:
    """A teacher of two statements that might as well be meant the other way round: `lies` is then
    the voice VLAN and `hums` the port's own. The places of both are given back.
    """
    [device] = read("n.sheet", SHEET.encode()).part.devices
    seen = look([TEXT], [device], None, [frozenset()], 1, negation="")
    words = {form_of(pattern).partition(" ")[0]: n for n, pattern in enumerate(seen.patterns)}
    lies, hums = words["lies"], words["hums"]
    own = {lies: "mode = access; vlan = {V}", hums: "voice = {V}"}
    turned = {lies: own[hums], hums: own[lies]}
    learnt = Learnt(Hypothesis(own), 0.0, [], {}, set(), readings=[Hypothesis(turned)])
    asked: list[Question] = []

    def ask(question: Question) -> int | None:
        asked.append(question)
        return answer

    made = Teacher(seen, learnt, ["north.txt"], cast(Others, Rest(others)), ask)
    return made, asked, [lies, hums]


def test_two_readings_are_asked_about_together() -> None:
    made, asked, _ = teacher([], None)
    remarks = made.taught()
    [question] = asked
    assert question.says.startswith('what do "lies {vid}" and "hums {vid}" do (north.txt:3)?')
    assert question.answers == [
        "mode = access; vlan = {vid}, voice = {vid}",
        "voice = {vid}, mode = access; vlan = {vid}",
    ]
    # Left open, both readings are told.
    assert made.open == [f"{question.says}: {'; or '.join(question.answers)}"]
    assert remarks.left_out == {}


def test_of_two_statements_that_always_say_the_same_neither_is_read(
    inkov: Inkov, tmp_path: Path
) -> None:
    """In the north both name the port's VLAN, so either may be what it comes from. In the south
    they differ: no port of it may be in a VLAN.
    """
    (tmp_path / "texts").mkdir()
    berth = "berth {0}\n  lies {1}\n  hums {2}\n".format
    north = "".join(berth(port, vid, vid) for port, vid in ((1, 10), (2, 20), (3, 30)))
    (tmp_path / "texts" / "north.txt").write_text("moor north\n" + north)
    (tmp_path / "texts" / "south.txt").write_text("moor south\n" + berth(1, 10, 20))
    ports = "".join(f"[port {port}]\nvlan: {port}0\n" for port in (1, 2, 3))
    (tmp_path / "n.sheet").write_text(f"inkov sheet 1\nswitch: north\n{ports}")
    learn = ("dialect", "learn", "texts", "--from", "n.sheet", "-o", "learnt.toml", "--force")
    learnt = inkov(*learn)
    asked = 'what do "lies {vid}" and "hums {vid}" do (north.txt:3)? Nothing that is known tells'
    either = "mode = access; vlan = {vid}, nothing; or nothing, mode = access; vlan = {vid}"
    assert learnt.status == 1 and asked in learnt.err and either in learnt.err
    read = inkov("ports", "texts/south.txt", "learnt.toml", "--format", "csv")
    assert "texts/south.txt:3: 2 lines" in read.err and ",20," not in read.out
    # Where they nowhere differ, it does not matter.
    (tmp_path / "texts" / "south.txt").write_text("moor south\n" + berth(1, 20, 20))
    learnt = inkov(*learn)
    assert "3 of 3 ports of north are read" in learnt.err and asked not in learnt.err
    read = inkov("ports", "texts/south.txt", "learnt.toml", "--format", "csv")
    assert "south,1,on,access,20," in read.out


@pytest.mark.parametrize("fitting", [1, 2])
def test_what_a_port_is_of_which_nothing_is_said_is_asked_where_two_fit(fitting: int) -> None:
    made, asked, _ = teacher(["south.txt"], None)
    made.learnt.fitting = list(range(fitting))
    made.taught()
    says = "what is a port of which nothing is said?"
    assert [len(one.answers) for one in asked if one.says == says] == [2] * (fitting > 1)


@pytest.mark.parametrize(("answer", "turned"), [(0, False), (1, True)])
def test_an_answer_decides(answer: int, turned: bool) -> None:
    made, asked, (lies, hums) = teacher(["south.txt"], answer)
    remarks = made.taught()
    effects = made.learnt.hypothesis.effects
    vlan, voice = "mode = access; vlan = {V}", "voice = {V}"
    assert (effects[lies], effects[hums]) == ((voice, vlan) if turned else (vlan, voice))
    assert len(asked) == 1 and made.open == [] and remarks.left_out == {}


@pytest.mark.parametrize(
    ("number", "more"), [(0, None), (1, ""), (3, ""), (4, " and 1 more"), (9, " and 6 more")]
)
def test_ports_that_do_not_agree_are_told_first(number: int, more: str | None) -> None:
    made, _, _ = teacher([], None)
    remarks = made.taught()
    made.open = ["another question"]
    made.of_wrong([(0, str(port)) for port in range(1, number + 1)], 24, 1)
    assert remarks.head[0] == f"Learnt from north.txt: {24 - number} of 24 ports agree."
    if more is None:
        assert made.open == ["another question"]
    else:
        shown = ", ".join(f"north.txt: port {port}" for port in range(1, min(number, 3) + 1))
        assert made.open == [
            "another question",
            f"not read as the other source has it: {shown}{more}",
        ]
