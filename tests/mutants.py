"""Mutation testing: small changes of the code, each of which some test has to notice.

    python -m tests.mutants [--room ROOM] [--count N] [--seed S] [--jobs J]

Each mutant changes one place of one module: a comparison, `and` or `or`, a `not`, a number, a
condition, a statement that is left out. The tests of its room are run on a copy of the tree, up to
the first failure. Mutants that no test notices are listed with their place; where a change means
the same (or only words an error otherwise), that is no gap, and a look tells.
"""

from __future__ import annotations

import argparse
import ast
import os
import random
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import NamedTuple

ROOT = Path(__file__).parent.parent
SECONDS = 240  # for the tests of a room: a mutant that runs on is noticed as well

ROOMS: dict[str, tuple[str, list[str]]] = {
    "vlanset": ("vlanset.py", ["test_vlanset.py"]),
    "dialects": (
        "readers/dialects",
        [
            "readers/test_lists.py",
            "readers/test_dialects.py",
            "readers/test_dialect_meaning.py",
            "readers/test_dialect_sentences.py",
            "readers/test_dialect_groups.py",
            "readers/test_dialect_columns.py",
            "readers/test_ambiguous.py",
            "cli/test_evidence.py",
            "cli/test_trace.py",
            "test_documents.py",
        ],
    ),
    "learn": ("learn", ["learn", "readers/test_dialect_meaning.py"]),
    "walk": ("readers/walk", ["readers/test_walk.py", "readers/test_walk_meaning.py"]),
    "sheets": ("readers/sheets", ["readers/test_sheet.py", "readers/test_convert.py"]),
    "openconfig": (
        "readers/openconfig",
        ["readers/test_openconfig.py", "proofs/test_filters.py", "readers/test_convert.py"],
    ),
    "linux": ("readers/linux", ["readers/test_linux.py", "readers/test_linux_meaning.py"]),
    "tables": ("readers/tables.py", ["readers/test_tables.py"]),
    "plan": ("plan", ["plan", "test_documents.py", "checks/test_examples.py"]),
    "wiring": ("wiring", ["wiring", "cli/test_small_campus.py", "checks/test_examples.py"]),
    "trees": (
        "forwarding/trees",
        [f"forwarding/trees/test_{name}.py" for name in ("election", "rules", "losses", "now")],
    ),
    "forwarding": ("forwarding", ["forwarding", "cli/test_frames.py", "proofs/test_commands.py"]),
    "checks": ("checks", ["checks"]),
    "proofs": ("proofs", ["proofs"]),
    "verify": ("verify", ["proofs"]),
    "edits": ("edits", ["edits", "cli/test_compare.py"]),
    "effects": ("effects", ["effects", "cli/test_compare.py"]),
    "mend": ("mend", ["mend"]),
    "survey": ("survey", ["cli", "checks/test_demo.py", "forwarding/test_model.py"]),
    "render": ("render", ["cli", "proofs/test_commands.py", "test_contributing.py"]),
    "cli": ("cli", ["cli", "proofs/test_commands.py", "plan", "test_documents.py"]),
}
"""Room -> where it is in `src/inkov`, and which tests are its own."""


class Mutant(NamedTuple):
    """In `file`, the text from `start` to `end` (offsets in bytes) becomes `text`."""

    file: Path
    start: int
    end: int
    text: str
    line: int
    before: str


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
        return Mutant(file, start, stop, text, line, data[start:stop].decode())

    tree = ast.parse(data)
    f_strings = (node for node in ast.walk(tree) if isinstance(node, ast.JoinedStr))
    # The places in f-strings are not told exactly, and they are words; annotations do nothing, and
    # how a class is stored (`gc`, `frozen`) does not show.
    skipped = {inner for node in f_strings for inner in ast.walk(node)}
    for node in ast.walk(tree):
        for name in ("annotation", "returns"):
            if isinstance(annotation := getattr(node, name, None), ast.expr):
                skipped |= set(ast.walk(annotation))
        if isinstance(node, ast.ClassDef):
            stored = [each.value for each in node.keywords if each.arg in ("gc", "frozen")]
            skipped |= set(stored)
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
            yield mutant(begin(node), end(node), str(node.value + 1), node.lineno)
        elif isinstance(node, ast.If | ast.While | ast.IfExp) and not isinstance(
            node.test, ast.Compare | ast.UnaryOp
        ):
            test = data[begin(node.test) : end(node.test)].decode()
            yield mutant(begin(node.test), end(node.test), f"(not ({test}))", node.lineno)
        elif isinstance(node, ast.AugAssign | ast.Continue) or (
            isinstance(node, ast.Expr) and isinstance(node.value, ast.Call)
        ):
            yield mutant(begin(node), end(node), "pass", node.lineno)


def survives(mutant: Mutant, tests: list[str], tree: Path) -> bool:
    """True if no test notices the mutant. `tree` is a copy of the repository for this run alone."""
    target = tree / mutant.file.relative_to(ROOT)
    whole = target.read_bytes()
    target.write_bytes(whole[: mutant.start] + mutant.text.encode() + whole[mutant.end :])
    command = [sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", "-W", "ignore"]
    environment = {**os.environ, "PYTHONPATH": str(tree / "src"), "PYTHONDONTWRITEBYTECODE": "1"}
    try:
        done = subprocess.run(
            [*command, *(f"tests/{name}" for name in tests)],
            cwd=tree,
            env=environment,
            capture_output=True,
            timeout=SECONDS,
        )
        return done.returncode == 0
    except subprocess.TimeoutExpired:
        return False
    finally:
        target.write_bytes(whole)


def sample(room: str, count: int, seed: int) -> list[Mutant]:
    """Some mutants of a room, the same for the same seed."""
    place = ROOT / "src" / "inkov" / ROOMS[room][0]
    files = [place] if place.suffix else sorted(place.rglob("*.py"))
    every = [mutant for file in files for mutant in mutants_of(file)]
    return random.Random(seed).sample(every, min(count, len(every)))


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--room", action="append", choices=[*ROOMS])
    parser.add_argument("--count", type=int, default=40)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--jobs", type=int, default=os.cpu_count() or 1)
    asked = parser.parse_args()
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
                return survives(mutant, ROOMS[room][1], tree)
            finally:
                trees.append(tree)

        for room in asked.room or ROOMS:
            chosen = sample(room, asked.count, asked.seed)
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
