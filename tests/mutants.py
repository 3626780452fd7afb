"""Mutation testing: small changes of the code, each of which some test has to notice.

    python -m tests.mutants [--room ROOM] [--count N] [--seed S] [--jobs J] [--seconds T]
                            [--again T] [--measured FOLDER]

Theory of operation. Each mutant changes one place of one module: a comparison, `and` or `or`, a
`not`, a number, a condition, a statement that is left out. To run all tests on each would take
days; but only those that run the line can notice it. So the suite is run once, and it is noted
which tests run which lines and how long each takes (`--measured`, made where it is not there). For
a mutant these tests are run on a copy of the tree, up to the first failure or as long as
`--seconds` allow: in turn one of the room's own tests, the quickest of all, and the one that runs
least besides, as a test of just this module does. What lives is asked again, for longer, by the
longest tests of the room: in the middle of the program hundreds of tests run a line, and the campus
that shows a change of it is one that an oracle comes upon.
Lines that are run when a module is imported count for all tests of the room and for all that run
anything of the module, or for those of the function whose head they are.

Mutants that no test notices are listed with their place; where a change means the same (or only
words an error otherwise), that is no gap, and a look tells.
"""

from __future__ import annotations

import argparse
import ast
import os
import random
import re
import shutil
import subprocess
import sys
import tempfile
import xml.etree.ElementTree as ElementTree
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from itertools import chain
from pathlib import Path
from typing import NamedTuple

from coverage import CoverageData

ROOT = Path(__file__).parent.parent
SECONDS = 20  # of tests for one mutant, as long as they take without it
AGAIN = 180  # of tests for one that has lived so long
MOST = 2000  # tests for one mutant
PATIENCE = 30  # seconds more, then three times as long: a mutant that runs on is noticed as well

ROOMS: dict[str, str] = {
    "vlanset": "vlanset.py",
    "campus": "campus",
    "dialects": "readers/dialects",
    "learn": "learn",
    "walk": "readers/walk",
    "sheets": "readers/sheets",
    "openconfig": "readers/openconfig",
    "linux": "readers/linux",
    "readers": "readers/*.py",
    "plan": "plan",
    "wiring": "wiring",
    "trees": "forwarding/trees",
    "forwarding": "forwarding/*.py",
    "checks": "checks",
    "proofs": "proofs",
    "verify": "verify",
    "edits": "edits",
    "effects": "effects",
    "mend": "mend",
    "survey": "survey",
    "drawing": "drawing",
    "render": "render",
    "cli": "cli",
}
"""Room -> where it is in `src/inkov`."""

HOMES = {
    "campus": "forwarding/",
    "verify": "proofs/",
    "survey": "cli/",
    "demo": "cli/",
    "readers/dialects": "readers/test_dialect",
    "readers/linux": "readers/test_linux",
    "readers/openconfig": "readers/test_openconfig",
    "readers/sheets": "readers/test_sheet",
    "readers/walk": "readers/test_walk",
}
"""Room -> where in `tests` its tests are, where that is called otherwise."""


class Mutant(NamedTuple):
    """In `file`, the text from `start` to `end` (offsets in bytes) becomes `text`; `around` are the
    first and last line of the function that it is in, None outside of any. `early`: it is run when
    the module is imported, by whichever test does that first.
    """

    file: Path
    start: int
    end: int
    text: str
    line: int
    before: str
    around: tuple[int, int] | None
    early: bool


_SWAPS = {
    ast.Eq: "!=",
    ast.NotEq: "==",
    ast.Lt: "<=",
    ast.LtE: "<",
    ast.Gt: ">=",
    ast.GtE: ">",
    ast.In: "not in",
    ast.NotIn: "in",
    ast.Is: "is not",
    ast.IsNot: "is",
}
_OPERATORS = {ast.BitAnd: "|", ast.BitOr: "&", ast.Add: "-", ast.Sub: "+"}


_SIZES, _DRAWN = (ast.Add, ast.Sub, ast.Mult), ("drawing",)
_STORED = ("gc", "frozen", "array_like")  # how a class keeps its values


def mutants_of(file: Path) -> Iterator[Mutant]:
    """Every mutant of a module."""
    data = file.read_bytes()
    offsets = [0]
    for line in data.split(b"\n"):
        offsets.append(offsets[-1] + len(line) + 1)

    def begin(node: ast.expr | ast.stmt) -> int:
        return offsets[node.lineno - 1] + node.col_offset

    def end(node: ast.expr | ast.stmt) -> int:
        assert node.end_lineno is not None and node.end_col_offset is not None
        return offsets[node.end_lineno - 1] + node.end_col_offset

    def mutant(start: int, stop: int, text: str, line: int) -> Mutant:
        within = [lines for lines in functions if lines[0] <= line <= lines[1]]
        around = max(within, default=None)  # the innermost begins last
        early = not within or line < bodies[min(within)]
        return Mutant(file, start, stop, text, line, data[start:stop].decode(), around, early)

    tree = ast.parse(data)
    bodies = {
        (node.lineno, node.end_lineno or node.lineno): node.body[0].lineno
        for node in ast.walk(tree)
        if isinstance(node, ast.FunctionDef)
    }
    functions = list(bodies)
    f_strings = (node for node in ast.walk(tree) if isinstance(node, ast.JoinedStr))
    # The places in f-strings are not told exactly, and they are words; annotations do nothing; how
    # a class is stored and what `strict` asserts do not show; nor does one more where work or a
    # text that is shown is limited, and one pixel in a drawing.
    skipped = {inner for node in f_strings for inner in ast.walk(node)}
    for node in ast.walk(tree):
        for name in ("annotation", "returns"):
            if isinstance(annotation := getattr(node, name, None), ast.expr):
                skipped |= set(ast.walk(annotation))
        if isinstance(node, ast.ClassDef):
            skipped |= {each.value for each in node.keywords if each.arg in _STORED}
        elif isinstance(node, ast.Call):
            skipped |= {each.value for each in node.keywords if each.arg == "strict"}
        elif isinstance(node, ast.Slice) and _is_large(node.upper):
            skipped |= set(ast.walk(node))
        elif isinstance(node, ast.BinOp) and type(node.op) in _SIZES and file.parent.name in _DRAWN:
            skipped |= {each for each in (node.left, node.right) if isinstance(each, ast.Constant)}
        elif isinstance(node, ast.AugAssign) and file.parent.name in _DRAWN:
            skipped |= {node.value} if isinstance(node.value, ast.Constant) else set()
    for node in tree.body:
        if isinstance(node, ast.Assign) and _is_large(node.value):
            skipped.add(node.value)
        if isinstance(node, ast.If):  # what is there for the types only
            skipped |= {node, *(inner for only in node.body for inner in ast.walk(only))}
    for node in ast.walk(tree):
        if node in skipped:
            continue
        if isinstance(node, ast.Compare) and len(node.ops) == 1:
            start, stop = end(node.left), begin(node.comparators[0])
            if data[start:stop].strip(b" \n()") and type(node.ops[0]) in _SWAPS:
                gap = data[start:stop].decode()
                if "(" not in gap and ")" not in gap and "#" not in gap:
                    yield mutant(start, stop, f" {_SWAPS[type(node.ops[0])]} ", node.lineno)
        elif isinstance(node, ast.BoolOp):
            word, other = ("and", "or") if isinstance(node.op, ast.And) else ("or", "and")
            start, stop = end(node.values[0]), begin(node.values[1])
            gap = data[start:stop].decode()
            if gap.strip() == word:
                yield mutant(start, stop, gap.replace(word, other), node.lineno)
        elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
            yield mutant(begin(node), begin(node) + 4, "", node.lineno)
        elif isinstance(node, ast.BinOp) and type(node.op) in _OPERATORS:
            start, stop = end(node.left), begin(node.right)
            gap = data[start:stop].decode()
            if len(gap.strip()) == 1:
                yield mutant(start, stop, f" {_OPERATORS[type(node.op)]} ", node.lineno)
        elif isinstance(node, ast.Constant) and isinstance(node.value, bool):
            yield mutant(begin(node), end(node), str(not node.value), node.lineno)
        elif isinstance(node, ast.Constant) and isinstance(node.value, int):
            # As a mask, 1 would be VLAN 0, which is none: nothing becomes VLAN 1.
            number = node.value + 1 if node.value else 2
            yield mutant(begin(node), end(node), str(number), node.lineno)
        elif isinstance(node, ast.If | ast.While | ast.IfExp) and not isinstance(
            node.test, ast.Compare | ast.UnaryOp
        ):
            test = data[begin(node.test) : end(node.test)].decode()
            yield mutant(begin(node.test), end(node.test), f"(not ({test}))", node.lineno)
        elif isinstance(node, ast.AugAssign | ast.Continue) or (
            isinstance(node, ast.Expr) and isinstance(node.value, ast.Call)
        ):
            yield mutant(begin(node), end(node), "pass", node.lineno)


def _is_large(node: ast.expr | None) -> bool:
    """True for a number that limits something, rather than to mean one thing."""
    return isinstance(node, ast.Constant) and isinstance(node.value, int) and node.value > 9


_PHASE = re.compile(r"[|](setup|run|teardown)\Z| \((setup|call|teardown)\)\Z")


class Measured:
    """Which tests run which lines, and how long each takes: from one run of the suite."""

    def __init__(self, folder: Path) -> None:
        data = CoverageData(str(folder / "coverage"))
        data.read()
        self.tests: dict[str, dict[int, set[str]]] = {}
        for file in data.measured_files():
            own = self.tests.setdefault(file.partition("/src/inkov/")[2], {})
            for line, contexts in data.contexts_by_lineno(file).items():
                # In this process `test|run`, in one that a test has started `test (call)`.
                tests = {_PHASE.sub("", context) for context in contexts}
                own[line] = tests - {""}
        self.breadth = Counter(
            test for own in self.tests.values() for several in own.values() for test in several
        )
        self.seconds = dict(_durations(folder / "durations.xml"))
        self.there = _collected()

    def running(self, mutant: Mutant, allowed: float, *, again: bool = False) -> list[str]:
        """The tests that can notice a mutant, the likeliest first, for some seconds."""
        lines = self.tests.get(str(mutant.file.relative_to(ROOT / "src" / "inkov")), {})
        first, last = mutant.around or (1, 10**9)
        tests = set() if mutant.early else lines.get(mutant.line, set())
        tests = tests or {
            test for line, several in lines.items() if first <= line <= last for test in several
        }
        room, *within = mutant.file.relative_to(ROOT / "src" / "inkov").parts
        home = HOMES.get(f"{room}/{within[0]}" if within else room) or HOMES.get(room, f"{room}/")
        home = f"tests/{home}"
        if mutant.around is None:
            # Data of a module: whoever reads it runs nothing of the module.
            tests |= {test for test in self.there if test.startswith(home)}
        tests &= self.there  # others have another name since
        quick = sorted(tests, key=lambda test: (self.seconds_of(test), test))
        own = sorted(quick, key=lambda test: not test.startswith(home))
        narrow = sorted(tests, key=lambda test: (self.breadth[test], test))
        orders = [own, narrow, quick]
        if again:
            # The long ones of the room, its oracles; of each function one first.
            firsts = {test.partition("[")[0]: test for test in quick}
            repeats = [test for test in quick if firsts[test.partition("[")[0]] != test]
            longest = [*reversed(firsts.values()), *reversed(repeats)]
            orders = [sorted(longest, key=lambda test: not test.startswith(home))]
        chosen: list[str] = []
        left = allowed
        for test in dict.fromkeys(chain.from_iterable(zip(*orders, strict=True))):
            if len(chosen) == MOST:
                break
            # A long one may not fit where quicker ones do.
            if not chosen or self.seconds_of(test) <= left:
                left -= self.seconds_of(test)
                chosen.append(test)
        return chosen

    def seconds_of(self, test: str) -> float:
        """How long a test takes."""
        return self.seconds.get(_key(test), 1.0)


def _collected() -> set[str]:
    """The tests that there are now. One that is gone would fail, whatever the code does."""
    command = [sys.executable, "-m", "pytest", "--collect-only", "-q", "-o", "addopts="]
    listed = subprocess.run(command, cwd=ROOT, capture_output=True, text=True, check=True).stdout
    return {line for line in listed.splitlines() if "::" in line}


def _durations(report: Path) -> Iterator[tuple[str, float]]:
    """The tests of a JUnit report, each with its seconds."""
    for case in ElementTree.parse(report).iter("testcase"):
        yield f"{case.get('classname')}.{case.get('name')}", float(case.get("time") or 0)


def _key(test: str) -> str:
    """What a JUnit report calls a test."""
    place, bracket, parameters = test.partition("[")
    file, _, name = place.partition("::")
    return ".".join((*file.removesuffix(".py").split("/"), *name.split("::"))) + (
        bracket + parameters
    )


_SETTINGS = """
[run]
source = {source}
patch = fork, _exit
parallel = true
context = ${{PYTEST_CURRENT_TEST-}}
"""
_STARTUP = """
import os
if "PYTEST_CURRENT_TEST" in os.environ:
    import coverage
    coverage.process_startup()
"""
"""Processes that tests start are measured as well, under the name of the test that runs then."""


def measure(folder: Path) -> None:
    """Run the suite once, and note in a folder what `Measured` reads."""
    folder.mkdir(parents=True, exist_ok=True)
    settings = folder / "settings"
    settings.write_text(_SETTINGS.format(source=ROOT / "src" / "inkov"))
    (folder / "sitecustomize.py").write_text(_STARTUP)
    path = os.pathsep.join(filter(None, (str(folder), os.environ.get("PYTHONPATH"))))
    subprocess.run(
        [
            *(sys.executable, "-m", "pytest", "-q", "-n", "auto", "--cov-report="),
            *("--cov", f"--cov-config={settings}", "--cov-context=test"),
            f"--junitxml={folder / 'durations.xml'}",
        ],
        cwd=ROOT,
        env={
            **os.environ,
            "COVERAGE_FILE": str(folder / "coverage"),
            "COVERAGE_PROCESS_START": str(settings),
            "PYTHONPATH": path,
            "INKOV_WHOLE": "1",
        },
        check=True,
    )


def survives(
    mutant: Mutant, measured: Measured, tree: Path, allowed: float, *, again: bool = False
) -> bool:
    """True if no test notices the mutant. `tree` is a copy of the repository for this run alone."""
    tests = measured.running(mutant, allowed, again=again)
    if not tests:
        return True
    target = tree / mutant.file.relative_to(ROOT)
    whole = target.read_bytes()
    target.write_bytes(whole[: mutant.start] + mutant.text.encode() + whole[mutant.end :])
    try:
        return passes(tests, tree, measured)
    finally:
        target.write_bytes(whole)


def passes(tests: list[str], tree: Path, measured: Measured) -> bool:
    """Whether some tests pass on a tree, in time."""
    command = [sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", "-W", "ignore"]
    environment = {
        **os.environ,
        "PYTHONPATH": str(tree / "src"),
        "PYTHONDONTWRITEBYTECODE": "1",
        "INKOV_WHOLE": "1",
    }
    try:
        done = subprocess.run(
            [*command, *tests],
            cwd=tree,
            env=environment,
            capture_output=True,
            timeout=PATIENCE + 3 * sum(map(measured.seconds_of, tests)),
        )
        return done.returncode == 0
    except subprocess.TimeoutExpired:
        return False


def sample(room: str, count: int, seed: int) -> list[Mutant]:
    """Some mutants of a room, the same for the same seed."""
    where, place = ROOT / "src" / "inkov", ROOMS[room]
    files = sorted(where.glob(place) if place.endswith(".py") else (where / place).rglob("*.py"))
    every = [mutant for file in files for mutant in mutants_of(file)]
    return random.Random(seed).sample(every, min(count, len(every)))


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--room", action="append", choices=[*ROOMS])
    parser.add_argument("--count", type=int, default=40)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--jobs", type=int, default=os.cpu_count() or 1)
    parser.add_argument("--seconds", type=float, default=SECONDS)
    parser.add_argument("--again", type=float, default=AGAIN)
    parser.add_argument("--measured", type=Path, default=ROOT / ".mutants")
    asked = parser.parse_args()
    if not (asked.measured / "coverage").exists():
        measure(asked.measured.absolute())
    measured = Measured(asked.measured)
    with tempfile.TemporaryDirectory() as folder:
        trees = []
        for number in range(asked.jobs):
            tree = Path(folder) / str(number)
            ignored = shutil.ignore_patterns(".git", ".venv", "*_cache", "__pycache__", "*.png")
            shutil.copytree(ROOT, tree, ignore=ignored)
            trees.append(tree)

        def one(mutant: Mutant) -> bool:
            tree = trees.pop()
            try:
                return survives(mutant, measured, tree, asked.seconds) and survives(
                    mutant, measured, tree, asked.again, again=True
                )
            finally:
                trees.append(tree)

        for room in asked.room or ROOMS:
            chosen = sample(room, asked.count, asked.seed)
            control = [test for mutant in chosen[:5] for test in measured.running(mutant, 20)[:10]]
            if control and not passes(list(dict.fromkeys(control)), trees[0], measured):
                print(f"{room}: its tests do not pass without a mutant: nothing is told by them")
                continue
            with ThreadPoolExecutor(asked.jobs) as pool:
                fates = list(pool.map(one, chosen))
            left = [mutant for mutant, alive in zip(chosen, fates, strict=True) if alive]
            killed = 100 * (len(chosen) - len(left)) // max(len(chosen), 1)
            print(f"{room}: {killed} % of {len(chosen)} mutants noticed", flush=True)
            for mutant in left:
                place = f"{mutant.file.relative_to(ROOT)}:{mutant.line}"
                before = " ".join(mutant.before.split())[:60]
                print(f"  {place}: {before!r} -> {mutant.text[:60]!r}")


if __name__ == "__main__":
    main()
