"""What the tests of all rooms share: campuses written as sheets, and the built program."""

from __future__ import annotations

import contextlib
import gc
import io
import json
import os
import pickle
import subprocess
import sys
from collections.abc import Callable, Iterable
from pathlib import Path
from textwrap import dedent
from typing import Any, TypeVar, cast

import pytest
from hypothesis import HealthCheck, settings

from inkov.campus import Campus
from inkov.cli.app import main
from inkov.forwarding import Fabric, resolve
from inkov.readers import load
from inkov.readers.registry import read_bytes
from inkov.wiring import wire

# A collection per 700 objects would take a twenty-fifth of the time.
gc.set_threshold(200_000, 20, 100)

DEMO = Path(__file__).parent.parent / "src" / "inkov" / "demo" / "campus"
Item = TypeVar("Item")
WHOLE = bool(os.environ.get("INKOV_WHOLE"))


def cases(name: str, number: int, least: int = 1) -> int:
    """How many random cases an oracle looks at: those of `INKOV_<name>`, or `number` of them where
    `INKOV_WHOLE` asks for all, as CI does; otherwise a sixteenth, for one who waits for the
    tests. Fewer than `least` do not show everything.
    """
    some = number if WHOLE else max(least, -(-number // 16))
    return int(os.environ.get(f"INKOV_{name}", some))


settings.register_profile(
    "inkov",
    max_examples=cases("EXAMPLES", 100, least=30),
    deadline=None,
    derandomize=True,
    print_blob=True,
    suppress_health_check=[HealthCheck.too_slow],
)
settings.load_profile("inkov")


def copied(thing: Item) -> Item:
    """Another that is equal and shares nothing, as `deepcopy` makes it: three times as fast."""
    return cast("Item", pickle.loads(pickle.dumps(thing, pickle.HIGHEST_PROTOCOL)))


def campus_of(*sheets: str) -> Campus:
    """A campus from sheets as texts; `inkov sheet 1` and the indentation may be left out."""
    campus = Campus()
    for number, sheet in enumerate(sheets):
        text = "inkov sheet 1\n" + dedent(sheet)
        _, part = read_bytes(f"s{number}.sheet", text.encode(), account=False)
        assert not part.problems, part.problems
        campus.devices.update({device.name: device for device in part.devices})
        campus.neighbours += part.neighbours
    campus.devices = dict(sorted(campus.devices.items()))
    return campus


def fabric_of(*sheets: str) -> Fabric:
    campus = campus_of(*sheets)
    return resolve(campus, wire(campus))


def fabric_at(folder: Path) -> Fabric:
    campus = load([str(folder)]).campus
    return resolve(campus, wire(campus))


class Result:
    """What a run of the program left: its exit status, and what it wrote."""

    def __init__(self, status: int, out: str, err: str) -> None:
        self.status = status
        self.out = out
        self.err = err
        assert "Traceback" not in err, err

    @property
    def json(self) -> Any:
        return json.loads(self.out)


Inkov = Callable[..., Result]


def run_program(*arguments: str | Path, cwd: Path | None = None, **environment: str) -> Result:
    """Start the built program as a user would, in a process of its own."""
    done = subprocess.run(
        [sys.executable, "-m", "inkov", *map(str, arguments)],
        cwd=cwd,
        env={**os.environ, "PYTHONIOENCODING": "utf-8", **environment},
        capture_output=True,
        text=True,
        encoding="utf-8",
        timeout=120,
    )
    return Result(done.returncode, done.stdout, done.stderr)


def on_terminal(*arguments: str | Path, **environment: str) -> str:
    """What the program puts on a terminal that has colours."""
    import pty

    main, side = pty.openpty()
    command = [sys.executable, "-m", "inkov", *map(str, arguments)]
    env = {**os.environ, "TERM": "xterm-256color", **environment}
    process = subprocess.Popen(command, stdout=side, env=env)
    os.close(side)
    out = b""
    while True:
        try:
            chunk = os.read(main, 65536)
        except OSError:
            break
        if not chunk:
            break
        out += chunk
    process.wait()
    os.close(main)
    return out.decode()


def run_inkov(*arguments: str | Path, cwd: Path | None = None, **environment: str) -> Result:
    """Run the program: its entry point with these arguments, within this process.

    With `environment`, in a process of its own: where the point is the hash seed, say.
    """
    if environment:
        return run_program(*arguments, cwd=cwd, **environment)
    streams = [io.TextIOWrapper(io.BytesIO(), encoding="utf-8") for _ in range(2)]
    argv, status = sys.argv, 0
    sys.argv = ["inkov", *map(str, arguments)]
    try:
        with (
            contextlib.chdir(cwd or "."),
            contextlib.redirect_stdout(streams[0]),
            contextlib.redirect_stderr(streams[1]),
        ):
            main()
    except SystemExit as ended:
        status = ended.code if isinstance(ended.code, int) else bool(ended.code)
    finally:
        sys.argv = argv
        gc.enable()  # a command goes without
    texts = []
    for stream in streams:
        stream.flush()
        texts.append(stream.buffer.getvalue().decode())
    return Result(status, *texts)


def share(every: Iterable[Item], part: int = 4) -> list[Item]:
    """All of some cases that are no random ones where `INKOV_WHOLE` asks for all; otherwise one of
    `part`, from the first on.
    """
    return list(every)[:: 1 if WHOLE else part]


@pytest.fixture
def inkov(tmp_path: Path) -> Inkov:
    """The program, run in the test's own folder."""

    def run(*arguments: str | Path, **environment: str) -> Result:
        return run_inkov(*arguments, cwd=tmp_path, **environment)

    return run


def need(available: bool, what: str) -> None:
    """Skip where an oracle's program is absent; in CI that is a failure."""
    if not available:
        if os.environ.get("INKOV_REQUIRE_ORACLES"):
            pytest.fail(f"{what} is required here")
        pytest.skip(f"{what} is not installed")
