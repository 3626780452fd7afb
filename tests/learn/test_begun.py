"""`inkov dialect learn --complete`: what somebody wrote by hand stays, what is missing is added,
and examples are evidence like any other source.
"""

from __future__ import annotations

import os
import random
from pathlib import Path

import pytest
import tomlkit

from inkov.learn import begin, learn, paired
from inkov.learn.rehearsal import views
from inkov.readers.dialects import compile_dialect, read_text
from inkov.readers.sheets.reader import read as read_sheet
from tests.conftest import DEMO, Inkov, cases
from tests.learn.languages import Language, sheet, switches
from tests.learn.test_learn import is_right

LANGUAGES = cases("LANGUAGES", 4)
REPAIRED = DEMO / "repaired"

BEGUN = '''# Notes of ours, from the fern house.
dialect = "arbour"
files = ["*.txt"]

[port]
opens = ["bench {p:ports}"]  # they count from the door

# What we are sure of.
[port.says]
"sows {vlan}" = "mode = access; vlan = {vlan}"  # asked the gardener
"marker {text}" = "about = {text}"

[[example]]
text = """
bench 24
    sows 10
"""
gives = """
[port 24]
mode: access
vlan: 10
"""
'''


def test_what_is_written_by_hand_stays_and_the_rest_is_added(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "begun.toml").write_text(BEGUN)
    text, walk = REPAIRED / "fern-2.txt", REPAIRED / "walks" / "fern-2.walk"
    begun = ("--complete", "begun.toml", "-o", "whole.toml")
    learnt = inkov("dialect", "learn", text, "--from", walk, *begun)
    assert "25 of 25 ports of fern-2 and the examples are read as they are" in learnt.err
    whole = (tmp_path / "whole.toml").read_text()
    missing = [line for line in BEGUN.splitlines() if line not in whole.splitlines()]
    assert not missing, whole
    assert '"spans also {vids}" = "mode = trunk; allowed + {vids}"' in whole
    assert '"named {name}" = "name = {name}"' in whole
    checked = inkov("dialect", "check", "whole.toml", text, "--against", walk)
    assert "1 of 1 examples hold" in checked.out
    assert "fern-2: 24 of 24 ports agree; 6 of 6 VLANs agree" in checked.out
    # Completed once more, nothing comes to it.
    again = ("--complete", "whole.toml", "-o", "more.toml")
    inkov("dialect", "learn", text, "--from", walk, *again)
    more = (tmp_path / "more.toml").read_text().partition("dialect =")[2]
    assert more.split() == whole.partition("dialect =")[2].split()


@pytest.mark.parametrize(
    "begun",
    [
        'port = { opens = ["bench {ports}"], says = { "closed" = "state = off" } }\n',
        'port.opens = ["bench {ports}"]\nport.says."closed" = "state = off"\n',
        '[port]\nopens = { "bench {ports}" = "{ports}" }\nignored = ["tip"]\n[lists]\n'
        "ports-per-unit = 9\n",
        '[defaults]\nmode = "access"\nvlan = 1\nnative = "none"\nallowed = "none"\nedge = true\n',
        "[port]\r\nopens = [\r\n  'bench {ports}', # from the door\r\n]\r\n",
        '[group.bed]\nopens = ["bench {ports}"]\n[group.bed.says]\n'
        '"closed" = "on ports {ports}: state = off"\n',
    ],
)
def test_a_dialect_may_be_begun_in_any_way(begun: str, inkov: Inkov, tmp_path: Path) -> None:
    """Tables in one line, dotted names, heads with effects, line ends of another system."""
    head = 'dialect = "arbour"\nfiles = ["*.txt"]\n'
    (tmp_path / "begun.toml").write_bytes((head + begun).encode())
    text, walk = REPAIRED / "fern-2.txt", REPAIRED / "walks" / "fern-2.walk"
    learnt = inkov(
        "dialect", "learn", text, "--from", walk, "--complete", "begun.toml", "-o", "w.toml"
    )
    assert "24 of 24 ports of fern-2 are read as they are" in learnt.err, learnt.err
    checked = inkov("dialect", "check", "w.toml", text, "--against", walk)
    assert "fern-2: 24 of 24 ports agree" in checked.out, checked.out + checked.err


def test_a_dialect_that_lacks_nothing_stays_as_it_is(inkov: Inkov, tmp_path: Path) -> None:
    """The demo's own, completed from a walk: every statement of the text is taken already."""
    text, walk = REPAIRED / "fern-2.txt", REPAIRED / "walks" / "fern-2.walk"
    whole = REPAIRED / "arbour.toml"
    learnt = inkov("dialect", "learn", text, "--from", walk, "--complete", whole)
    assert "33 of 33 ports of fern-2 and the examples are read" in learnt.err, learnt.err
    told, _, rest = learnt.out.partition("# The command language of the arbour switches")
    assert told.startswith("# Completed from fern-2.txt, example 1, ")
    assert rest.split() == whole.read_text().partition("arbour switches")[2].split()


def test_a_dialect_that_denies_how_its_texts_are_written(inkov: Inkov, tmp_path: Path) -> None:
    """The texts have comments that begin with %; it says that this is a statement."""
    (tmp_path / "begun.toml").write_text(
        'dialect = "arbour"\nfiles = ["*.txt"]\n[device]\nignored = ["% {text}"]\n'
    )
    text, walk = REPAIRED / "fern-2.txt", REPAIRED / "walks" / "fern-2.walk"
    learnt = inkov("dialect", "learn", text, "--from", walk, "--complete", "begun.toml")
    assert (learnt.status, learnt.out) == (2, "") and "% begins a comment" in learnt.err


def test_examples_alone_are_enough(inkov: Inkov, tmp_path: Path) -> None:
    """What a trunk is, the begun dialect does not say; its example does."""
    (tmp_path / "tarn.toml").write_text(
        'dialect = "tarn"\nfiles = ["*.txt"]\n[defaults]\nmode = "access"\nvlan = "1"\n'
        'native = "none"\n[[example]]\ntext = """\nberth 1\n  lies 10\nberth 2\n  carries 20, 30\n'
        'berth 3\n  lies 20\nberth 4\n  carries 10, 20\nberth 5\n  shut\n"""\n'
        'gives = """\n[port 1]\nmode: access\nvlan: 10\n[port 2]\nmode: trunk\nallowed: 20,30\n'
        "[port 3]\nmode: access\nvlan: 20\n[port 4]\nmode: trunk\nallowed: 10,20\n"
        '[port 5]\nstate: off\n"""\n'
    )
    (tmp_path / "east.txt").write_text("berth 7\n  lies 30\nberth 8\n  carries 10, 30\n")
    learnt = inkov("dialect", "learn", "east.txt", "--complete", "tarn.toml", "-o", "whole.toml")
    assert "5 of 5 ports of the examples are read as they are" in learnt.err, learnt.err
    (tmp_path / "tarn.toml").unlink()
    trunks = inkov("trunks", "east.txt", "whole.toml", "--format", "csv")
    assert 'east:8,nobody known,trunk,none,"10,30"' in trunks.out, trunks.out
    assert "1 of 1 examples hold" in inkov("dialect", "check", "whole.toml").out


def test_what_an_example_does_not_understand_stays_so(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "tarn.toml").write_text(
        'dialect = "tarn"\nfiles = ["*.txt"]\n[port]\nopens = ["berth {ports}"]\n[[example]]\n'
        'text = """\nberth 1\n  lies 10\n  bristles soft\nberth 2\n  lies 20\n"""\n'
        'gives = """\n[port 1]\nmode: access\nvlan: 10\n[port 2]\nmode: access\nvlan: 20\n"""\n'
        'unmatched = ["bristles soft"]\n'
    )
    (tmp_path / "east.txt").write_text("berth 7\n  lies 10\n")
    learnt = inkov("dialect", "learn", "east.txt", "--complete", "tarn.toml", "-o", "whole.toml")
    assert "2 of 2 ports of the examples are read as they are" in learnt.err, learnt.err
    checked = inkov("dialect", "check", "whole.toml")
    assert "1 of 1 examples hold" in checked.out, checked.out


def test_a_form_by_hand_that_is_wrong_stays_and_is_told(inkov: Inkov, tmp_path: Path) -> None:
    wrong = BEGUN.replace("mode = access; vlan = {vlan}", "voice = {vlan}")
    (tmp_path / "begun.toml").write_text(wrong.partition("[[example]]")[0])
    text, walk = REPAIRED / "fern-2.txt", REPAIRED / "walks" / "fern-2.walk"
    learnt = inkov("dialect", "learn", text, "--from", walk, "--complete", "begun.toml")
    assert '"sows {vlan}" = "voice = {vlan}"  # asked the gardener' in learnt.out
    assert "not read as the other source has it: fern-2.txt: port 1" in learnt.err


@pytest.mark.parametrize(
    ("begun", "says"),
    [
        ("dialect = 3\n", "begun.toml is no dialect that could be completed"),
        ('dialect = "x"\nfiles = ["*"]\n', "nothing to learn from"),
        ("", "begun.toml is a folder; name the dialect file itself"),
        ("(a pipe)", "begun.toml was not read"),
    ],
)
def test_what_cannot_be_completed(begun: str, says: str, inkov: Inkov, tmp_path: Path) -> None:
    if begun == "(a pipe)":
        os.mkfifo(tmp_path / "begun.toml")
    elif begun:
        (tmp_path / "begun.toml").write_text(begun)
    else:
        (tmp_path / "begun.toml").mkdir()
    learnt = inkov("dialect", "learn", REPAIRED / "fern-2.txt", "--complete", "begun.toml")
    assert learnt.status == 2 and says in learnt.err and not learnt.out, learnt.err


@pytest.mark.parametrize("seed", range(3000, 3000 + LANGUAGES))
def test_any_part_of_a_dialect_is_completed(seed: int) -> None:
    """Take statements out of a dialect that reads everything: completed, it does so again, and has
    every statement that was left in it.
    """
    rng = random.Random(seed)
    language = Language(rng)
    campus = switches(rng, 3, kinds=bool(language.kinds))
    texts = [(f"{switch.name}.txt", language.text(switch).encode()) for switch in campus]
    others = [read_sheet("x", sheet(one, language).encode()).part.devices[0] for one in campus]
    pairs = paired(texts, others)
    full = learn(pairs, texts, "learnt", language.answer).dialect
    tree = tomlkit.parse(full)
    kept = []
    for table in tree.values():
        for form in list(table.get("says", ())) if isinstance(table, dict) else ():
            if rng.random() < 0.5:
                del table["says"][form]
            else:
                kept.append(form)
    begun = begin("begun.toml", tomlkit.dumps(tree).encode())
    whole = learn(pairs, texts, "learnt", language.answer, begun).dialect
    dialect = compile_dialect("whole.toml", whole.encode())
    assert all(f'"{form}" = ' in whole for form in kept)
    for switch, (file, data) in zip(campus, texts, strict=True):
        read = views(read_text(dialect, file, data).part.devices[0])
        called = {language.called(number): does for number, does in switch.ports.items()}
        amiss = [name for name, does in called.items() if not is_right(read.get(name), does)]
        assert not amiss, (file, amiss, whole)
