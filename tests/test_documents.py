"""What the documents show is run: commands, examples of each format, the tutorial, claims.

What must come out is read off the example by its meaning, not off what the program prints.
"""

from __future__ import annotations

import doctest
import importlib
import re
import shlex
import shutil
import subprocess
from collections import Counter
from pathlib import Path
from typing import Any

import pytest
import typer.main

from inkov.cli.app import app
from tests.conftest import DEMO, Inkov, need, run_inkov

ROOT = Path(__file__).parent.parent
DOCUMENTS = [ROOT / "README.md", ROOT / "CONTRIBUTING.md", *sorted((ROOT / "docs").glob("*.md"))]


def blocks(name: str) -> list[tuple[str, str]]:
    """(language, text) of the fenced blocks of a document."""
    parts = (ROOT / name).read_text().split("```")[1::2]
    return [(block.partition("\n")[0], block.partition("\n")[2]) for block in parts]


def after(name: str, heading: str) -> str:
    """The first fenced block below a heading."""
    text = (ROOT / name).read_text()
    return text[text.index(f"\n{heading}\n") :].split("```")[1].partition("\n")[2]


# --- commands -------------------------------------------------------------------------------------

_COMMAND = re.compile(r"`(?:inkov |--)[^`\n]+`|`inkov [^`]+`")
GROUP = typer.main.get_command(app)


def options_of(words: list[str]) -> set[str]:
    """The options of the command that words begin with. Fails if there is none."""
    command: Any = GROUP
    for word in words:
        below = getattr(command, "commands", None)
        if below is None or word.startswith("-"):
            break
        assert word in below or command is not GROUP, f"inkov has no command {word!r}"
        command = below.get(word, command)
    return {flag for option in command.params for flag in option.opts}


def test_every_command_in_the_documents_is_there_with_its_options() -> None:
    seen = 0
    for document in DOCUMENTS:
        for match in _COMMAND.finditer(document.read_text()):
            words = match[0].strip("`").split()
            if words[0] != "inkov" or len(words) < 2 or not words[1].islower():
                continue
            known = options_of(words[1:])
            for word in words[1:]:
                if word.startswith("-") and word != "--help":
                    assert word.partition("=")[0] in known | {"--help"}, (document.name, match[0])
            seen += 1
    assert seen > 40


def test_the_five_minutes_of_the_readme(inkov: Inkov, tmp_path: Path) -> None:
    shutil.copytree(DEMO / "garden", tmp_path / "FOLDER")
    (tmp_path / "FOLDER" / "plan.yaml").unlink()
    text = (ROOT / "README.md").read_text()
    steps = text[text.index("## Five minutes") : text.index("| command | answers")]
    steps = " ".join(steps.split())
    commands = [command for command in re.findall(r"`inkov ([^`]+)`", steps) if "FOLDER" in command]
    assert len(commands) >= 7
    need(shutil.which("git") is not None, "git")
    who = ("-c", "user.name=gardener", "-c", "user.email=gardener@example.org")
    for step in (["init", "-b", "main"], ["add", "."], ["commit", "-m", "as it is"]):
        subprocess.run(["git", "-C", tmp_path, *who, *step], check=True, capture_output=True)
    for command in commands:
        words = command.replace("SWITCH:PORT", "core-1:port-13").replace(
            " A B ", " freezer-1 alarm-server "
        )
        result = inkov(*shlex.split(words), "-q")
        assert result.status in (0, 1), (command, result.err)


# --- formats --------------------------------------------------------------------------------------


def test_the_sheet_of_the_documents(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "gate-1.sheet").write_text(after("docs/formats.md", "## Switch sheets"))
    assert inkov("read", "gate-1.sheet", "--strict").status == 0
    ports = {
        port["port"]: port for port in inkov("ports", "gate-1.sheet", "-f", "json").json["ports"]
    }
    assert [ports[str(number)]["untagged"] for number in range(1, 9)] == [
        *("50", "50", "60", "50"),  # port 3 is stated again
        *("50", "50", "50", "50"),
    ]
    assert (ports["b1"]["untagged"], ports["b1"]["tagged"]) == ("99", "50,60,90")


def test_the_plan_of_the_documents(inkov: Inkov, tmp_path: Path) -> None:
    shutil.copytree(DEMO / "garden", tmp_path / "c")
    plan = after("docs/formats.md", "## Plan")
    (tmp_path / "c" / "plan.yaml").write_text(plan)
    (tmp_path / "c" / "port-plan.csv").write_text("switch,port,vlan\ngate-1,1,50\n")
    (tmp_path / "c" / "cabling.csv").write_text("switch,port,far switch,far port\n")
    checked = inkov("plan", "check", "c")
    # It is well-formed; what it names is there already, or not in the demo.
    said = [line for line in (checked.err + checked.out).splitlines() if "plan.yaml" in line]
    told = [n for line in said for n in ("till-1", "core-1:7", "palm-1", "core-2") if n in line]
    assert told == ["till-1", "core-1:7", "palm-1", "core-2"]  # its ports are port-1, port-2, ...
    assert "The plan holds 4 VLANs, 1 segment, 2 hosts, 2 claims" in checked.out


def test_the_claims_of_the_documents(inkov: Inkov, tmp_path: Path) -> None:
    shutil.copytree(DEMO / "repaired", tmp_path / "c")
    claims = dict(blocks("docs/proofs.md"))["yaml"]
    (tmp_path / "c" / "plan.yaml").write_text("segments: {visitors: 40}\n" + claims)
    checked = inkov("plan", "check", "c", "-q")
    assert checked.out == "The plan holds 1 segment, 9 claims.\n", checked.out + checked.err
    judged = inkov("prove", "c", "-f", "json", "-q").json["claims"]
    # `about` calls the claim that it stands in, and no other.
    assert [claim["claim"] for claim in judged if claim["kind"] == "carried-by"] == [
        "tills stay at the gate",
        "VLAN 60 on links at gate-1:24 only",
    ]


# --- the tutorial on dialects ---------------------------------------------------------------------


def shown_in_tutorial() -> list[tuple[str, str]]:
    """The blocks of the tutorial on a dialect from nothing, from its text on."""
    shown = blocks("docs/dialects.md")
    begins = next(n for n, (_, body) in enumerate(shown) if body.startswith("arbour of fern-2\n"))
    return shown[begins:]


@pytest.fixture
def tutorial(tmp_path: Path) -> Path:
    """The folder that a reader of the tutorial ends with."""
    shown = shown_in_tutorial()
    (tmp_path / "configs").mkdir()
    (tmp_path / "configs" / "fern-2.txt").write_text(shown[0][1])
    steps = [body for kind, body in shown if kind == "toml"]
    dialect = "\n".join(steps[1:6])  # the first is what `dialect new` writes
    # Step 5 says the block of ports again, with `ignored`.
    dialect = dialect.replace('[port]\nopens = ["bench {ports}"]\n', "", 1)
    (tmp_path / "configs" / "arbour.toml").write_text(dialect)
    return tmp_path


def test_the_tutorial_begins_as_it_says(inkov: Inkov, tutorial: Path) -> None:
    (tutorial / "configs" / "arbour.toml").unlink()
    assert inkov("dialect", "new", "configs", "-o", "configs/arbour.toml").status == 0
    begun = (tutorial / "configs" / "arbour.toml").read_text()
    for line in shown_in_tutorial()[1][1].splitlines():
        assert line in begun


def test_the_tutorial_comes_to_what_it_says(inkov: Inkov, tutorial: Path) -> None:
    checked = inkov("dialect", "check", "configs/arbour.toml")
    assert (checked.status, "1 of 1 examples hold" in checked.out) == (0, True), checked.out
    assert inkov("dialect", "unmatched", "configs").status == 0
    assert inkov("read", "configs", "--strict").status == 0
    ports = inkov("ports", "configs", "-f", "json").json["ports"]
    # `bench 1 to 8` are eight ports.
    assert [(port["port"], port["untagged"], port["tagged"]) for port in ports] == [
        *((str(number), "10", "none") for number in range(1, 9)),
        ("24", "none", "10,60"),
    ]


def test_a_dialect_from_evidence_as_the_tutorial_says(inkov: Inkov, tmp_path: Path) -> None:
    """The questions that the document shows are those that the garden's fern-2 leaves."""
    (tmp_path / "configs").mkdir()
    twin = ROOT / "src" / "inkov" / "demo" / "campus" / "repaired"
    (tmp_path / "configs" / "fern-2.txt").write_text((twin / "fern-2.txt").read_text())
    (tmp_path / "walks").mkdir()
    (tmp_path / "walks" / "fern-2.walk").write_text((twin / "walks" / "fern-2.walk").read_text())
    command, told, checks = (body for _, body in blocks("docs/dialects.md")[:3])
    learnt = inkov(*command.split()[1:])
    for line in told.splitlines():
        assert line.removesuffix("?").removesuffix(" ...") in learnt.err, learnt.err
    check = inkov(*checks.splitlines()[0].split()[1:])
    assert "24 of 24 ports agree" in check.out, check.out


def test_the_tour_is_what_the_readme_promises(tmp_path: Path) -> None:
    tour = run_inkov("demo", tmp_path / "tour")
    assert tour.status == 0 and "thirteen switches" in tour.out
    assert (tmp_path / "tour" / "garden" / "arbour.toml").exists()
    commands = re.findall(r"^\$ inkov (.*)$", tour.out, re.MULTILINE)
    shown = Counter(command.split()[0] for command in commands)
    assert shown["follow"] == 2  # a frame between ports, and a ping between hosts
    for command in ("follow", "hears", "vlans", "trunks"):  # what is shown is what it says
        [asked, *_] = [each for each in commands if each.split()[0] == command]
        assert run_inkov(*shlex.split(asked)).out.strip() in tour.out, asked


EXAMPLES = [file for file in sorted((ROOT / "src").rglob("*.py")) if ">>> " in file.read_text()]


@pytest.mark.parametrize("file", EXAMPLES, ids=lambda file: file.stem)
def test_the_examples_in_docstrings_are_so(file: Path) -> None:
    name = ".".join(file.relative_to(ROOT / "src").with_suffix("").parts)
    result = doctest.testmod(importlib.import_module(name))
    assert result.attempted > 0 and result.failed == 0
