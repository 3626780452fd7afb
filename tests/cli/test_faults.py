"""A fault of our own costs the file, the rule or the claim that it happened in, and no more."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest
from msgspec.structs import replace

from inkov.checks import CATALOGUE
from inkov.proofs.prove import Prover
from inkov.readers import sheets
from tests.conftest import Inkov

SHEET = "inkov sheet 1\nswitch: {}\n[vlans]\n10: pumps\n[port 1]\nvlan: 10\n[port 2]\nvlan: 20\n"


def broken(*arguments: Any, **options: Any) -> Any:
    raise KeyError("\x1b[31m secret")


def test_of_a_reader(inkov: Inkov, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    for name in "ab":
        (tmp_path / f"{name}.sheet").write_text(SHEET.format(name))
    real = sheets.read
    monkeypatch.setattr(
        sheets,
        "read",
        lambda file, data, **o: (broken if file.endswith("a.sheet") else real)(file, data, **o),
    )
    ran = inkov("vlans", ".", "-f", "json")
    assert ran.status == 2 and [v["vlan"] for v in ran.json["vlans"]] == [10, 20]
    says = "inkov: ./a.sheet: a fault of Inkov's own in reading it: KeyError at "
    assert ran.err.startswith(says) and ran.err.count("\n") == 1 and "secret" not in ran.err


def test_of_a_rule(inkov: Inkov, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "a.sheet").write_text(SHEET.format("a"))
    rule = replace(CATALOGUE["vlan-unused"], find=broken)
    monkeypatch.setitem(CATALOGUE, "vlan-unused", rule)
    ran = inkov("audit", ".", "--fail-on", "never", "-f", "json")
    assert ran.status == 2 and "in the rule vlan-unused: KeyError at " in ran.err
    assert [f["rule"] for f in ran.json["findings"]] == ["access-vlan-undefined"]
    assert "vlan-unused" in ran.json["not_read"][0]["says"]
    (tmp_path / "a.sheet").write_text(SHEET.format("a").replace("20", "10"))
    assert inkov("audit", ".").status == 2
    # A change is compared all the same, and is not passed.
    for side in ("old", "new"):
        (tmp_path / side).mkdir()
        text = SHEET.format("a") + ("about: the pond\n" if side == "new" else "")
        (tmp_path / side / "a.sheet").write_text(text)
    ran = inkov("compare", "old", "new", "-f", "json")
    assert ran.status == 2 and "in the rule vlan-unused: KeyError at " in ran.err
    assert [one["attribute"] for one in ran.json["edits"]] == ["description"]


def test_of_a_claim(inkov: Inkov, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "a.sheet").write_text(SHEET.format("a"))
    (tmp_path / "plan.yaml").write_text("claims:\n  - join: vlan 10\n  - isolate: [10, 20]\n")
    real = Prover.judge

    def judge(self: Prover, claim: Any) -> Any:
        return broken() if claim.join else real(self, claim)

    monkeypatch.setattr(Prover, "judge", judge)
    ran = inkov("prove", ".", "-f", "json")
    assert [claim["verdict"] for claim in ran.json["claims"]] == ["undecided", "holds"]
    assert ran.status == 2 and "in judging it: KeyError at " in ran.err


def test_of_a_command(inkov: Inkov, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """It ends with one line, and shows where for who asks."""
    (tmp_path / "a.sheet").write_text(SHEET.format("a"))
    monkeypatch.setattr("inkov.survey.ports.port_rows", broken)
    ran = inkov("ports", ".")
    assert (ran.status, ran.out) == (2, "") and "secret" in ran.err and "\x1b" not in ran.err
    assert ran.err.startswith("inkov: a fault of Inkov's own") and ran.err.count("\n") == 1
    monkeypatch.setenv("INKOV_TRACEBACK", "1")
    with pytest.raises(KeyError):
        inkov("ports", ".")
