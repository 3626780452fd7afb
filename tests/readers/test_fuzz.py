"""Hostile input: mutants of every kind of file, and what is made to break readers. `make fuzz` goes
on for longer.
"""

from __future__ import annotations

import base64
import json
import random
import resource
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

from inkov.faults import OURS
from inkov.plan import read_plan
from inkov.readers import load
from inkov.readers.both_cores import Share
from inkov.readers.load import NothingToRead
from inkov.readers.registry import read_bytes
from tests.conftest import DEMO, cases
from tests.readers.fuzz import SEEDS, copy_of_the_demo, mutant, survive

MUTANTS = cases("MUTANTS", 25)


@pytest.mark.parametrize("seed", SEEDS, ids=lambda path: path.name)
def test_mutants_are_read_without_a_fault_of_ours(seed: Path, tmp_path: Path) -> None:
    folder = copy_of_the_demo(tmp_path)
    (folder / seed.relative_to(DEMO / "garden")).touch()
    rng = random.Random(seed.name)
    for _ in range(MUTANTS):
        survive(folder, seed, mutant(seed.read_bytes(), rng))


HOSTILE = {
    "a.json": b'{"interfaces":' + b"[" * 1_000_000,
    "b.json": b'[{"ifname":"a","vlans":' + b"[" * 1_000_000,
    "c.sheet": b"inkov sheet 1\nswitch: c\n[port 1]\nabout: " + b"x" * 50_000_000,
    "d.xml": (
        b'<!DOCTYPE d [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;"><!ENTITY c'
        b' "&b;&b;&b;&b;">]><interfaces>&c;</interfaces>'
    ),
    "e.xml": b"<interfaces>" + b"<a>" * 1_000_000,
    "f.sheet": b"inkov sheet 1\nswitch: f\n[port 1]\nallowed: " + b",".join([b"1-4094"] * 100_000),
    "g.txt": (
        b"arbour of g\nbench 1\n    spans "
        + b",".join([b"1-9"] * 100_000)
        + b"\n"
        + b"z" * 50_000_000
    ),
    "h.walk": (
        b".1.3.6.1.2.1.17.7.1.4.3.1.2.10 = Hex-STRING: " + b"FF " * 2_000_000 + b"\n"
        b".1.3.6.1.2.1.17.1.4.1.2.1 = INTEGER: 77\n.1.3.6.1.2.1.17.7.1.4.5.1.1.9 = Gauge32: 10\n"
    ),
    "i.csv": b"switch,port,far switch,far port\n" + b'"' * 1_000_001,
    "j.txt": b"rill name j\nrill basin a depth 10\n" + b"rill > " * 1_000_000,
    "k.network": b"[Match]\nName=" + b"a* " * 100_000 + b"\n[BridgeVLAN]\nVLAN=1-4094\n",
    "l.json": b'{"lldp":{"interface":' + b'{"a":' * 500_000,
}


def test_what_is_made_to_break_readers(tmp_path: Path) -> None:
    """All of it at once, in a process that may not take more than 4 GB."""
    for name, data in HOSTILE.items():
        (tmp_path / name).write_bytes(data)
    for name in ("arbour.toml", "rill.toml"):
        (tmp_path / name).write_bytes((DEMO / "garden" / name).read_bytes())
    done = subprocess.run(
        [sys.executable, "-m", "inkov", "read", str(tmp_path), "-f", "json"],
        capture_output=True,
        text=True,
        timeout=300,
        preexec_fn=lambda: resource.setrlimit(resource.RLIMIT_AS, (4 << 30, 4 << 30)),
    )
    assert (
        done.returncode == 2
        and "Traceback" not in done.stderr
        and "fault of Inkov" not in done.stderr
    )
    for name in HOSTILE:
        assert name in done.stderr or name in ("c.sheet", "f.sheet", "h.walk"), name


def test_two_processes_read_what_one_does(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    module = sys.modules["inkov.readers.load"]
    moors = ("moor-1", "moor-2", "moor-3")  # one of three that follow each other is shared
    for name in moors:
        (tmp_path / f"{name}.sheet").write_text(
            f"inkov sheet 1\nswitch: {name}\n[gateway 10]\naddress: 10.0.0.1/24, 2001:db8::1/64\n"
            "filter in: f\n[filter f]\n10: accept from 10.0.0.0/24 to any\n"
            "20: reject from 2001:db8::/64 to any\n"
        )
    both = []
    came: set[str] = set()
    collect = Share.collect

    def collected(share: Share) -> dict[str, Any]:
        found = collect(share)
        came.update(Path(file).name for file in found)
        return found

    monkeypatch.setattr(Share, "collect", collected)
    for both_cores in (True, False):
        monkeypatch.setattr(module, "worth_it", lambda sizes, both_cores=both_cores: both_cores)
        loaded = load([str(DEMO / "garden"), str(tmp_path)], account=True, digests=True)
        both.append((loaded.campus, loaded.reports))
    assert both[0] == both[1]
    # What the other one read is what counts: it was not read again.
    assert came & {f"{name}.sheet" for name in moors}
    # A process that comes to harm costs time, and nothing else.
    monkeypatch.setattr(module, "worth_it", lambda sizes: True)
    monkeypatch.setattr("inkov.readers.both_cores._ENCODER", None)
    assert load([str(DEMO / "garden"), str(tmp_path)], account=True).campus == both[0][0]


def test_a_file_that_nobody_reads_is_named() -> None:
    report, part = read_bytes("x", b"\x7fELF\x00\x01", account=True)
    assert not part.devices and report.remark.startswith("not a format that is read")


CORPUS = json.loads((Path(__file__).parent / "corpus.json").read_text())
"""The smallest inputs by which fuzzing with coverage as its guide got to new places in the code:
kind of file -> inputs, in base 64.
"""


@pytest.mark.parametrize("kind", sorted(CORPUS))
def test_small_inputs_that_reach_everywhere(kind: str, tmp_path: Path) -> None:
    """Read as a file each: whatever is wrong with it is said, with a line that it has."""
    names = {"plan": "plan.yaml", "dialect": "d.toml", "table": "t.csv", "walk": "a.walk"}
    for number, text in enumerate(CORPUS[kind]):
        data = base64.b64decode(text)
        folder = tmp_path / str(number)
        folder.mkdir()
        file = folder / names.get(kind, f"a.{kind}")
        file.write_bytes(data)
        if kind == "plan":
            problems = read_plan(str(file), data).problems
        else:
            taken = [] if kind == "dialect" else [kind]
            try:
                loaded = load([str(folder)], account=True, read_as=taken)
                problems = loaded.campus.problems
            except NothingToRead as nothing:
                problems = nothing.problems
        for problem in problems:
            assert OURS not in problem.says, (data, problem)
            assert problem.origin.line <= data.count(b"\n") + data.count(b"\r") + 2, (data, problem)
