"""The demo campus: exactly the planted mistakes are found, each once, each at its line; the
repaired twin has none.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from inkov.checks import CATALOGUE
from tests.conftest import DEMO, run_inkov

ANSWERS: list[dict[str, Any]] = json.loads((Path(__file__).parent / "answers.json").read_text())


def test_exactly_the_planted_mistakes() -> None:
    result = run_inkov("audit", "garden", "--format", "json", cwd=DEMO)
    assert result.status == 1 and result.err == ""
    found = result.json["findings"]
    assert sorted(f["rule"] for f in found) == sorted(a["rule"] for a in ANSWERS)
    for answer in ANSWERS:
        [finding] = [f for f in found if f["rule"] == answer["rule"]]
        assert finding["severity"] == answer["severity"]
        assert len(finding["where"]) == len(answer["where"]), finding
        for where, (switch, port, vlan, file, text) in zip(
            finding["where"], answer["where"], strict=True
        ):
            assert (where["switch"], where["port"], where["vlan"]) == (switch, port, vlan), finding
            assert where["file"] == f"garden/{file}"
            line = (DEMO / where["file"]).read_text().split("\n")[where["line"] - 1]
            assert text in line, (finding, line)
    assert result.json["counts"] == {"breach": 2, "fault": 9, "risk": 18, "note": 10}


def test_many_rules_are_planted_each_once() -> None:
    """The rest are planted by the campaign of mistakes, into the repaired twin among others."""
    planted = [answer["rule"] for answer in ANSWERS]
    assert len(planted) == len(set(planted)) > 38 and set(planted) <= set(CATALOGUE)


def test_the_repaired_twin_is_clean() -> None:
    result = run_inkov("audit", "repaired", "--fail-on", "note", cwd=DEMO)
    assert (result.status, result.out, result.err) == (0, "No findings on 13 switches.\n", "")
