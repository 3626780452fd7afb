"""Where results go: full disks, closed streams, terminals without a width, interrupts, and the
files that are written.
"""

from __future__ import annotations

import fcntl
import os
import pty
import signal
import stat
import struct
import subprocess
import sys
import termios
from pathlib import Path

import pytest

from inkov.forwarding import resolve
from inkov.readers import load
from inkov.render.listings import matrix_grid
from inkov.render.terminal import Screen, grid_text
from inkov.survey.ports import memberships
from inkov.wiring import wire
from tests.conftest import Inkov, need, share

SHEET = "inkov sheet 1\nswitch: a\n[vlans]\n10: pumps\n20: lamps\n[port 1..3]\nvlan: 10\n"
INKOV = f"{sys.executable} -m inkov"
FULL = "cannot write to the standard output: no space left on device"
TO_A_FULL_DEVICE = ["audit in", "audit in -f json", "plan check in", "--help", "--version"]


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "in").mkdir()
    (tmp_path / "in" / "a.sheet").write_text(SHEET)
    return tmp_path


@pytest.mark.parametrize(
    ("command", "status", "says"),
    [
        *share([(f"{asked} >/dev/full", 2, FULL) for asked in TO_A_FULL_DEVICE], 2),
        ("read in >&-", 2, "cannot write to the standard output: bad file descriptor"),
        ("read in 2>&-", 0, ""),
        ("read in 2>/dev/full", 0, ""),
        ("read nothing >&- 2>&-", 2, ""),
        ("read nothing 2>/dev/full", 2, ""),
    ],
)
def test_one_line_and_the_right_status(command: str, status: int, says: str, folder: Path) -> None:
    need(os.path.exists("/dev/full"), "a full device")
    before = (folder / "in" / "a.sheet").read_bytes()
    ran = subprocess.run(
        f"{INKOV} {command}", shell=True, cwd=folder, capture_output=True, text=True, timeout=60
    )
    err = ran.stderr
    assert (ran.returncode, err.count("\n")) == (status, int(bool(says))), err
    assert err.startswith(f"inkov: {says}" if says else ""), err
    assert (folder / "in" / "a.sheet").read_bytes() == before
    assert os.path.exists("/dev/full") and stat.S_ISCHR(os.stat("/dev/full").st_mode)


@pytest.mark.parametrize(
    ("command", "says"),
    [
        ("read in -o /dev/full", "cannot write /dev/full: it is a device or a pipe, and no"),
        ("read in -o in", "cannot write in: is a directory"),
        ("read in -o in/a.sheet", "in/a.sheet is one of the files that are read"),
        ("prove in --certificate in/a.sheet", "in/a.sheet is one of the files that are read"),
        ("read in -o nowhere/x", "cannot write nowhere/x: no such file or directory"),
    ],
)
def test_where_nothing_can_be_written(command: str, says: str, inkov: Inkov, folder: Path) -> None:
    need(os.path.exists("/dev/full"), "a full device")
    ran = inkov(*command.split())
    assert (ran.status, ran.err.count("\n")) == (2, 1) and ran.err.startswith(f"inkov: {says}")
    assert (folder / "in" / "a.sheet").read_text() == SHEET
    assert stat.S_ISCHR(os.stat("/dev/full").st_mode)


@pytest.mark.parametrize(("rows", "columns"), share([(0, 0), (24, 0), (1, 1), (24, 7)], 2))
def test_terminals_of_every_width(rows: int, columns: int, folder: Path) -> None:
    ours, theirs = pty.openpty()
    fcntl.ioctl(theirs, termios.TIOCSWINSZ, struct.pack("HHHH", rows, columns, 0, 0))
    ran = subprocess.Popen([*INKOV.split(), "vlans", "in"], cwd=folder, stdout=theirs, stdin=theirs)
    os.close(theirs)
    out = b""
    try:
        while chunk := os.read(ours, 65536):
            out += chunk
    except OSError:  # the other side is closed
        pass
    assert ran.wait(60) == 0 and b"pumps" in out.replace(b"\r\n", b"") and len(out) < 20_000
    os.close(ours)


def test_an_interrupt_at_the_first_instruction_ends_without_a_word(folder: Path) -> None:
    code = (
        "import signal, sys; signal.signal(signal.SIGINT, signal.default_int_handler)\n"
        "import inkov.__main__ as entry\n"
        "class Stop:\n"
        "    def find_spec(self, name, *_):\n"
        "        name == 'inkov.cli.app' and signal.raise_signal(signal.SIGINT)\n"
        "sys.meta_path.insert(0, Stop())\nentry.main()\n"
    )
    ran = subprocess.run([sys.executable, "-c", code], cwd=folder, capture_output=True, text=True)
    assert (ran.returncode, ran.stdout, ran.stderr) == (-signal.SIGINT, "", "")


def test_files_that_are_written(folder: Path, inkov: Inkov) -> None:
    """A link leads to its target, a mode stays, a report is its reader's own."""
    mask = os.umask(0o022)
    try:
        for name, command in (("audit", ["audit"]), ("prove", ["prove"]), ("vlans", ["vlans"])):
            inkov(*command, "in", "-o", name)
        inkov("prove", "in", "--certificate", "c.json")
    finally:
        os.umask(mask)

    def mode(name: str) -> int:
        return stat.S_IMODE((folder / name).stat().st_mode)

    assert [mode(name) for name in ("audit", "prove", "c.json", "vlans")] == [
        *(0o600, 0o600, 0o600),
        0o644,
    ]
    (folder / "audit").chmod(0o640)
    (folder / "link").symlink_to("audit")
    assert inkov("vlans", "in", "-o", "link").status == 0
    assert (folder / "link").is_symlink() and mode("audit") == 0o640
    assert (folder / "audit").read_text().startswith("VLAN")
    piped = subprocess.run(
        f"{INKOV} vlans in -o /dev/stdout | head -1",
        shell=True,
        cwd=folder,
        capture_output=True,
        text=True,
    )
    assert piped.stdout.startswith("VLAN") and piped.stderr == ""


def test_nothing_of_a_person_is_written_over(
    folder: Path, inkov: Inkov, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("inkov.cli.demo._show", lambda *_: None)
    (folder / "mine").write_text("mine\n")
    (folder / "text.cfg").write_text("some words 10\nmore words 20\n")
    for command in (["plan", "new", "in"], ["dialect", "new", "text.cfg"]):
        ran = inkov(*command, "-o", "mine")
        assert (ran.status, ran.err) == (2, "inkov: mine is there; replace it with --force\n")
        assert (folder / "mine").read_text() == "mine\n"
        assert inkov(*command, "-o", "mine", "--force").status == 0
        (folder / "mine").write_text("mine\n")
    assert inkov("demo", "d").status == 0
    (folder / "d" / "garden" / "notes.txt.bak").write_text("mine\n")
    (folder / "d" / "garden" / "core-1.json").unlink()
    assert inkov("demo", "d").status == 2
    assert inkov("demo", "d", "--force").status == 0
    assert (folder / "d" / "garden" / "notes.txt.bak").read_text() == "mine\n"
    assert (folder / "d" / "garden" / "core-1.json").exists()


@pytest.mark.parametrize(
    ("command", "says"),
    [
        (["prove", "in", "--date", "2026-01-31"], "--date is written into a certificate"),
        (["prove", "in", "--matrix", "--strict"], "--strict does nothing beside --matrix"),
        (
            ["prove", "in", "--hosts", "--certificate", "c"],
            "--certificate does nothing beside",
        ),
        (["ports", "in", "--because", "a:1", "--matrix"], "--matrix does nothing beside --because"),
        (["trunks", "in", "--because", "a:1", "--switch", "a"], "--switch does nothing beside"),
        (["audit", "in", "--by", "rule", "-f", "json"], "--by is about the text for people"),
        (["audit", "in", "--explain", "-f", "csv"], "--explain is about the text for people"),
    ],
)
def test_options_that_do_nothing_together(
    command: list[str], says: str, folder: Path, inkov: Inkov
) -> None:
    ran = inkov(*command)
    assert ran.status == 2 and ran.err.startswith(f"inkov: {says}") and not (folder / "c").exists()


def test_a_matrix_wider_than_the_screen_is_told_in_pieces(inkov: Inkov, tmp_path: Path) -> None:
    """Twelve ports of eight letters: five at a time on sixty columns, and no name is cut."""
    names = [f"bench-{number:02}" for number in range(1, 13)]
    ports = f"[port {', '.join(names)}]\nvlan: 10\n"
    text = f"inkov sheet 1\nswitch: a\n[vlans]\n10: climate\n{ports}"
    (tmp_path / "a.sheet").write_text(text)
    fabric = resolve(campus := load([str(tmp_path)]).campus, wire(campus))
    lines = grid_text(matrix_grid(memberships(fabric)), Screen(60, colour=False)).splitlines()
    heads = [line.split() for line in lines if line.startswith("VLAN")]
    assert [name for head in heads for name in head if name != "VLAN"] == names
    assert len(heads) == 3 and max(map(len, lines)) <= 60
    assert sum(line.split().count("U") for line in lines) == 12


def test_what_is_written_has_the_usual_mode_and_changes_it_for_nobody(
    folder: Path, inkov: Inkov
) -> None:
    before = os.umask(0o027)
    try:
        assert inkov("vlans", "in", "-o", "one").status == 0
        assert (folder / "one").stat().st_mode & 0o777 == 0o640
        assert os.umask(0o027) == 0o027
    finally:
        os.umask(before)


@pytest.mark.parametrize(("more", "lost"), [("", False), ("voice: 20\n", True)])
def test_what_a_format_cannot_hold_is_a_finding(
    tmp_path: Path, inkov: Inkov, more: str, lost: bool
) -> None:
    """OpenConfig has no voice VLAN: that is said, and the exit status tells."""
    text = f"inkov sheet 1\nswitch: a\n[vlans]\n10: x\n20: y\n[port 1]\nvlan: 10\n{more}"
    (tmp_path / "a.sheet").write_text(text)
    ran = inkov("convert", "a.sheet", "out", "--to", "openconfig")
    assert ran.status == int(lost) and ("not written: " in ran.out) is lost
    assert (tmp_path / "out" / "a.json").exists()


def test_a_link_that_is_shut_is_told_once(tmp_path: Path, inkov: Inkov) -> None:
    """At either end: which port it is, and where that is said; and nothing else of the link."""
    trunk = "mode: trunk\nnative: none\nallowed: 10\n"
    for name, far, state in (("a", "b", ""), ("b", "a", "state: off\n")):
        (tmp_path / f"{name}.sheet").write_text(
            f"inkov sheet 1\nswitch: {name}\n[vlans]\n10: x\n[port 8]\n{trunk}{state}"
            f"[neighbours]\n8: {far}:8\n"
        )
    for name in ("a", "b"):
        out = inkov("ports", ".", "--because", f"{name}:8", "-q").out
        told = [line for line in out.splitlines() if "nothing crosses" in line]
        assert len(told) == 1 and "b:8 is shut" in told[0] and "b.sheet:9" in told[0], out
        assert "cross to" not in out and "no switch is known" not in out


@pytest.mark.parametrize(("lines", "more"), [(20, ""), (21, "1 more"), (23, "3 more")])
def test_many_problems_of_a_file_are_counted(
    inkov: Inkov, tmp_path: Path, lines: int, more: str
) -> None:
    slips = "".join(f"[port {number}]\nvlan: 1{number}x\n" for number in range(lines))
    (tmp_path / "a.sheet").write_text(f"inkov sheet 1\nswitch: a\n{slips}")
    told = inkov("ports", "a.sheet").err.splitlines()
    counted = [line for line in told if "more problem" in line]
    assert len([line for line in told if line.startswith("inkov: a.sheet:")]) == 20 + len(counted)
    assert [line.split("(")[0] for line in counted] == [
        f"inkov: a.sheet: {more} problem{'s' * (more != '1 more')} like these "
    ] * bool(more)


def test_quietly_only_the_end_is_told(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "in").mkdir()
    (tmp_path / "in" / "x.bin").write_text("hello\n")
    told = inkov("ports", "in")
    quiet = inkov("ports", "in", "-q")
    assert told.status == quiet.status == 2
    assert [line.partition(":")[0] for line in told.err.splitlines()] == ["inkov", "inkov"]
    assert "in/x.bin: not a format that is read" in told.err.splitlines()[0]
    assert quiet.err.splitlines() == told.err.splitlines()[1:]
