"""What a command does not do, each with one line that says why and what helps; and that no option
is on by itself.
"""

from __future__ import annotations

import os
from pathlib import Path

import pytest
import typer

from inkov.cli.app import app
from tests.conftest import Inkov
from tests.forwarding.trees.ring import Ring

SHEET = "inkov sheet 1\nswitch: {}\n[vlans]\n10: ferns\n[port 1]\nvlan: 10\n"


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    """`in` with one switch and `old` with another; texts, a pipe, broken files."""
    for name, switch in (("in", "a"), ("old", "b"), ("in/sub", "c")):
        (tmp_path / name).mkdir()
        (tmp_path / name / f"{switch}.sheet").write_text(SHEET.format(switch))
    # A switch that looks like no other.
    (tmp_path / "old" / "b.sheet").write_text("inkov sheet 1\nswitch: b\n[port x..z]\nvlan: 7\n")
    (tmp_path / "two").mkdir()
    for part in ("one", "other"):
        (tmp_path / "two" / part).mkdir()
        (tmp_path / "two" / part / "a.sheet").write_text(SHEET.format(part))
        (tmp_path / "two" / part / "change.yaml").write_text(f"lose: [{part}]\n")
    os.mkfifo(tmp_path / "pipe")
    (tmp_path / "moss.toml").write_text('dialect = "moss"\n[port]\nopens = ["tuft {ports}"]\n')
    return tmp_path


@pytest.mark.parametrize(
    ("command", "says"),
    [
        (
            "audit in --only port-in-default-vlam",
            "no rule 'port-in-default-vlam'; did you mean port-in-default-vlan",
        ),
        ("audit in --only nonsense", "no rule 'nonsense'"),
        ("rules nonsense", "no rule 'nonsense'"),
        ("compare old in --gain ->", "--gain: '->' is not like 'A <-> B' or 'A -> B'"),
        ("compare old in --lose 10->", "--lose: '10->' is not like 'A <-> B' or 'A -> B'"),
        (
            "compare old two",
            "several change files: two/one/change.yaml, two/other/change.yaml; name one",
        ),
        ("compare old in --meant gone.yaml", "gone.yaml: no such file or folder"),
        ("dialect check gone.toml", "gone.toml: no such file or folder"),
        ("draw in -o x.txt", "--output x.txt: a drawing ends in "),
        ("draw in -o old", "--output old: a drawing ends in "),
        ("draw in -o x.svg --switch a --tree", "--switch draws one switch: leave out --path"),
        ("draw in -o x.svg --compare old --vlan 10", "--compare draws what changes: leave out"),
        ("draw in -o x.svg --compare old --tree", "--compare draws what changes: leave out"),
        ("draw in/a.sheet -o x.svg --compare old", "--compare old: it has no switch in common"),
        ("draw in -o x.svg --compare rev:main", "--compare: "),
        ("draw in -o x.svg --vlan 99", "--vlan 99: no switch has it, and no port is in it"),
        ("mend in --diff --commands", "--diff and --commands are two ways to tell one thing"),
        ("mend in --rule nonsense", "no rule 'nonsense'"),
        ("mend in --fail-on never", "--fail-on never: then there is nothing to mend"),
        ("mend in --claim 1 --rule vlan-unused", "--claim is a goal of its own: leave out"),
        ("mend in --claim 1 --as-planned", "--claim is a goal of its own: leave out"),
        ("mend in --as-planned --rule vlan-unused", "--as-planned is a goal of its own: leave"),
        ("mend in --as-planned --finding x", "--as-planned is a goal of its own: leave out"),
        ("prove in --now --certificate c.json", "a certificate is about all links: leave out"),
        ("read two --trace a.sheet", "several files are called a.sheet: two/one/a.sheet, two/ot"),
        (
            "read in --trace a.shet",
            "a.shet is not among the files that were read; did you mean a.sheet",
        ),
        ("vlans in -o pipe", "cannot write pipe: it is a device or a pipe, and no file"),
        ("vlans in -o old", "cannot write old: is a directory"),
        ("vlans in -o gone/x", "cannot write gone/x: no such file or directory"),
        ("convert in pipe", "cannot write to pipe: "),
        ("withstand in --losses links,linkz", "--losses: 'linkz' is none of links, "),
        ("hears b:1 in", "b:1: no switch of that name is read"),
        ("hears a:7 in", "a has no port '7'"),
    ],
)
def test_a_command_that_is_refused(inkov: Inkov, folder: Path, command: str, says: str) -> None:
    before = sorted(str(path) for path in folder.rglob("*"))
    ran = inkov(*command.split())
    assert (ran.status, ran.out) == (2, ""), ran.err
    told = [line for line in ran.err.splitlines() if says in line]
    assert told and told[0].startswith("inkov: "), ran.err
    assert sorted(str(path) for path in folder.rglob("*")) == before


def test_nothing_is_on_by_itself() -> None:
    """Every switch of a command is off, and every path and name is left open."""
    group = typer.main.get_command(app)
    work = [("inkov", group)]
    seen = 0
    while work:
        name, command = work.pop()
        work += [(f"{name} {sub}", own) for sub, own in getattr(command, "commands", {}).items()]
        for option in command.params:
            if getattr(option, "is_flag", False) and option.name != "help":
                assert option.default in (False, None), (name, option.name)
                seen += 1
    assert seen > 60


def test_without_trees_no_roots_are_drawn_and_that_is_said(inkov: Inkov, folder: Path) -> None:
    ran = inkov("draw", "in", "-o", "x.svg", "--tree")
    assert ran.status == 0 and "no switch says what spanning tree it runs: no roots" in ran.err


def test_where_chance_decides_that_is_said(inkov: Inkov, tmp_path: Path) -> None:
    """Nobody knows the addresses, and all priorities are alike: any of the three may be root."""
    ring = Ring()
    for name in ring.trees:
        ring.trees[name] = "mode: rstp\n"
    (tmp_path / "in").mkdir()
    ring.write(tmp_path / "in")
    drawn = inkov("draw", "in", "-o", "x.svg", "--tree")
    assert drawn.status == 0
    svg = (tmp_path / "x.svg").read_text()
    assert svg.count("root, if chance has it so") == 3
    assert "Rests on: chance decides what the spanning tree blocks: it is left out" in svg
    told = inkov("follow", "fern-1:9", "core-1:9", "in", "--now")
    assert "Chance decides which way it takes in the spanning tree: one is shown." in told.out
    heard = inkov("hears", "fern-1:9", "in", "--now")
    assert "hance decides" in heard.out + heard.err
    Ring().write(tmp_path / "in")
    assert inkov("draw", "in", "-o", "y.svg", "--tree").status == 0
    svg = (tmp_path / "y.svg").read_text()
    assert "chance" not in svg and svg.count(">root<") == 1 and "discards" in svg
