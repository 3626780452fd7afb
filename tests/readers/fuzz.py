"""A mutator of valid files: no reader may raise, hang or lose its place, whatever comes in.

In the tests it runs for a number of mutants; `make fuzz` runs it for some minutes (`python -m
tests.readers.fuzz 300`).
"""

from __future__ import annotations

import random
import sys
import tempfile
import time
from pathlib import Path

from inkov.faults import OURS
from inkov.forwarding import resolve
from inkov.readers.load import NothingToRead, load
from inkov.readers.sheets.writer import write_sheet
from inkov.wiring import wire
from tests.conftest import DEMO

__all__ = ["SEEDS", "mutant", "survive"]

SEEDS = sorted(path for path in (DEMO / "garden").rglob("*") if path.is_file())
_BITS = [
    b"{",
    b"}",
    b"[",
    b"]",
    b"<",
    b">",
    b'"',
    b"\\",
    b"\x00",
    b"\xff",
    b"\n",
    b" ",
    b",",
    b"-",
    b":",
    b"=",
    b".",
    b"0",
    b"4095",
    b"-1",
    b"99999999999999999999",
    b"null",
    b"true",
    b"1e999",
    b"&a;",
    b"{vids}",
    b"on ",
    b"all but",
    "\u2028".encode(),
    b"\t",
    b";",
    b"#",
    b"%",
    b"..",
    b"1-4094",
    b"NaN",
]


def mutant(data: bytes, rng: random.Random) -> bytes:
    """The bytes with a few small wounds: pieces cut out, doubled, moved, or replaced by what might
    hurt.
    """
    for _ in range(rng.choice([1, 1, 2, 4, 12])):
        at = rng.randrange(len(data) + 1)
        end = min(len(data), at + rng.choice([0, 1, 1, 3, 10, 60, 500]))
        kind = rng.randrange(6)
        if kind == 0:
            data = data[:at] + data[end:]
        elif kind == 1:
            data = data[:end] + data[at:end] * rng.choice([1, 2, 30]) + data[end:]
        elif kind == 2:
            data = data[:at]
        elif kind == 3:
            other = rng.randrange(len(data) + 1)
            data = data[:other] + data[at:end] + data[other:]
        else:
            data = data[:at] + rng.choice(_BITS) + data[end if kind == 4 else at :]
    return data


def survive(folder: Path, seed: Path, data: bytes) -> None:
    """Read a mutant beside its siblings, as the program would, down to the fabric and a sheet of
    every switch.
    """
    place = folder / seed.relative_to(DEMO / "garden")
    before = place.read_bytes()
    place.write_bytes(data)
    try:
        loaded = load([str(folder)], account=True)
    except NothingToRead:
        return
    finally:
        place.write_bytes(before)
    lines = data.count(b"\n") + 2
    for problem in loaded.campus.problems:
        assert OURS not in problem.says, problem
        if problem.origin.file == str(place):
            assert 0 <= loaded.locator.line(problem.origin) <= lines, problem
    resolve(loaded.campus, wire(loaded.campus))
    for device in loaded.campus.devices.values():
        write_sheet(device)


def copy_of_the_demo(folder: Path) -> Path:
    """The files that mutants are put among: the dialects, and the pieces of systems told by several
    files.
    """
    for seed in SEEDS:
        if seed.suffix == ".toml" or seed.parent.name == "aviary-1":
            place = folder / seed.relative_to(DEMO / "garden")
            place.parent.mkdir(parents=True, exist_ok=True)
            place.write_bytes(seed.read_bytes())
    (folder / "walks").mkdir()
    return folder


def main(seconds: float) -> None:
    rng = random.Random(time.time_ns())
    until, done = time.monotonic() + seconds, 0
    with tempfile.TemporaryDirectory() as name:
        folder = copy_of_the_demo(Path(name))
        while time.monotonic() < until:
            seed = rng.choice(SEEDS)
            place = folder / seed.relative_to(DEMO / "garden")
            fresh = not place.exists()
            if fresh:
                place.write_bytes(b"")
            data = mutant(seed.read_bytes(), rng)
            began = time.monotonic()
            try:
                survive(folder, seed, data)
                assert time.monotonic() - began < 20, "too slow"
            except BaseException:
                Path("fuzz-failure").write_bytes(data)
                print(f"a mutant of {seed.name}, kept in ./fuzz-failure:")
                raise
            if fresh:
                place.unlink()
            done += 1
    print(f"{done} mutants survived")


if __name__ == "__main__":
    main(float(sys.argv[1]) if len(sys.argv) > 1 else 300)
