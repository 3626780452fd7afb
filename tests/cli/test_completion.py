"""What a shell offers, asked as a shell asks; and the examples that end each help."""

from __future__ import annotations

import os
import shlex
import shutil
import subprocess
from pathlib import Path
from unittest.mock import patch

import pytest

from inkov.cli.app import COMMANDS
from tests.conftest import DEMO, Inkov, run_inkov, run_program


def offered(line: str, folder: Path, *, started: bool = False) -> list[str]:
    """What is offered for the last word of a line, by a process of its own if it is `started`."""
    asked = {"COMP_WORDS": line, "COMP_CWORD": str(len(line.split(" ")) - 1)}
    asked["_INKOV_COMPLETE"] = "complete_bash"
    with patch.dict(os.environ, asked):
        result = run_program(cwd=folder) if started else run_inkov(cwd=folder)
    assert result.err == ""
    return result.out.split()


@pytest.mark.parametrize(
    ("line", "expected"),
    [
        ("inkov ov", ["overview"]),
        ("inkov audit --form", ["--format"]),
        ("inkov audit garden --format js", ["json"]),
        ("inkov audit garden --only native-u", ["native-undefined"]),
        ("inkov ports garden --switch ga", ["gate-1"]),
        ("inkov vlans garden --vlan 10,6", ["10,60", "10,66"]),
        ("inkov trunks garden --because gate-1:2", [f"gate-1:{n}" for n in (2, 20, 21, 22, 24)]),
        ("inkov trunks garden --because till-s", ["till-server"]),
        # Before the CONFIGS: of those in the folder.
        ("inkov why till-s", ["till-server"]),
        ("inkov hears gate-", ["gate-1:"]),
        ("inkov follow till-server alarm-", ["alarm-server"]),
        ("inkov ports nowhere --switch ga", []),
        ("inkov ports broken --switch ga", []),
    ],
)
def test_what_is_offered(tmp_path: Path, line: str, expected: list[str]) -> None:
    shutil.copytree(DEMO / "garden", tmp_path / "garden")
    (tmp_path / "broken").write_bytes(b"\xff\x00{")
    found = offered(line, tmp_path)
    # The ports that begin with 2: those of the file.
    assert [one for one in found if one in expected] == expected or not expected
    assert found == expected or "--because gate-1:" in line


@pytest.mark.parametrize(("number", "expected"), [(299, ["a:"]), (300, [])])
def test_a_prompt_does_not_wait_for_a_large_folder(
    tmp_path: Path, number: int, expected: list[str]
) -> None:
    """With the sheet and the folder of the others 300 are read, and no more; hidden ones are
    not.
    """
    (tmp_path / "a.sheet").write_text("inkov sheet 1\nswitch: a\n[port 1]\nvlan: 10\n")
    for folder, files in (("more", number - 1), (".hidden", 5)):
        (tmp_path / folder).mkdir()
        for at in range(files):
            (tmp_path / folder / f"{at}.txt").touch()
    assert offered("inkov follow a", tmp_path, started=True) == expected


@pytest.mark.parametrize("shell", ["bash", "zsh", "fish"])
def test_a_shell_can_read_it(inkov: Inkov, tmp_path: Path, shell: str) -> None:
    script = inkov("completion", shell).out
    assert "_INKOV_COMPLETE" in script and "inkov" in script
    if shutil.which(shell) is None:
        return  # that it is a script is all that can be said
    (tmp_path / "script").write_text(script)
    subprocess.run([shell, "-n", str(tmp_path / "script")], check=True)


def test_the_examples_of_the_help_are_commands(inkov: Inkov, tmp_path: Path) -> None:
    """Each runs on the demo; its help ends with it."""
    shutil.copytree(DEMO / "garden", tmp_path / "garden")
    inkov("prove", "garden", "--certificate", "garden.json")
    for command, example in COMMANDS:
        name = command.__name__
        help_text = inkov(name, "--help").out.rstrip()
        assert help_text.split("\n")[-1].strip() == f"Example: {example}"
        program, *words = shlex.split(example.partition(" > ")[0])
        assert (program, words[0]) == ("inkov", name)
        if "rev:main" not in words:  # which needs a repository
            assert inkov(*words).status in (0, 1), example
