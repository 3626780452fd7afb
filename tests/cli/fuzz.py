"""A mutator of what the program is given besides configurations: plans, certificates, baselines,
dialects, names of files. Whatever comes in, it ends by itself, with one of its statuses, and writes
nothing but text.
"""

from __future__ import annotations

import os
import random
import shutil
from pathlib import Path

from tests.conftest import DEMO, run_inkov
from tests.readers.fuzz import mutant

__all__ = ["Ground"]

FORMS = ("table", "json", "csv", "markdown", "html", "sarif", "junit")


class Ground:
    """A small campus in a folder, and beside it what the program wrote of it once."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.campus = folder / "in"
        self.campus.mkdir()
        for name in ("gate-1.sheet", "seedbank-1.sheet", "herbarium-1.sheet", "fern-2.txt"):
            shutil.copy(DEMO / "repaired" / name, self.campus)
        shutil.copy(DEMO / "repaired" / "arbour.toml", self.campus)
        plan = (DEMO / "repaired" / "plan.yaml").read_text()
        self.plan = f"{plan}\nx-more: &more [vlan 50, vlan 70]\n"
        (self.campus / "plan.yaml").write_text(self.plan)
        run_inkov("prove", "in", "--certificate", "c.json", cwd=folder)
        run_inkov("audit", "in", "-f", "json", "-o", "b.json", cwd=folder)
        run_inkov("prove", "in", "-f", "json", "-o", "p.json", cwd=folder)
        self.seeds = {
            file: (folder / file).read_bytes()
            for file in ("c.json", "b.json", "p.json", "in/plan.yaml", "in/arbour.toml")
        }

    def attack(self, rng: random.Random) -> None:
        """Change one thing, run one command, and look at what it leaves."""
        file = rng.choice(sorted(self.seeds))
        (self.folder / file).write_bytes(mutant(self.seeds[file], rng))
        strange = bytes(rng.choice([27, 10, 34, 38, 60, 128, 255, 0x9B, 42]) for _ in range(6))
        named = Path(os.fsdecode(os.fsencode(self.campus) + b"/" + strange.replace(b"/", b"_")))
        try:
            named.write_bytes(rng.choice([b"", b"what is this\n", self.seeds["in/plan.yaml"]]))
            command = rng.choice(self.commands(file))
            form = rng.choice(FORMS[: 6 if command[0] in ("audit", "prove") else 4])
            listing = command[0] in ("audit", "prove", "vlans", "read")
            ran = run_inkov(*command, *(["-f", form] if listing else []), cwd=self.folder)
        finally:
            named.unlink(missing_ok=True)
            (self.folder / file).write_bytes(self.seeds[file])
        about = command, ran.status, ran.err[-400:]
        assert ran.status in (0, 1, 2), about
        assert "fault of Inkov" not in ran.err, about
        assert not {c for c in ran.out + ran.err if not c.isprintable() and c != "\n"}, about
        if file == "c.json" and command[0] == "verify" and ran.status == 0:
            assert "claims verified" in ran.out, about

    def commands(self, file: str) -> list[list[str]]:
        return {
            "c.json": [["verify", "c.json", "in"]],
            "b.json": [["audit", "in", "--baseline", "b.json"]],
            "p.json": [["prove", "in", "--baseline", "p.json"]],
            "in/plan.yaml": [["prove", "in"], ["plan", "check", "in"], ["audit", "in"]],
            "in/arbour.toml": [["dialect", "check", "in/arbour.toml"], ["read", "in"]],
        }[file]
