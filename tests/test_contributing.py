"""CONTRIBUTING's three walks, done as they stand there: the code is taken from the document."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from types import ModuleType

import pytest

from inkov.checks import CATALOGUE
from inkov.readers import registry
from inkov.render import results
from inkov.render.grid import Column, Grid
from inkov.render.terminal import Screen
from tests.conftest import Inkov

TEXT = (Path(__file__).parent.parent / "CONTRIBUTING.md").read_text()


def walk(name: str) -> ModuleType:
    """The code of a walk, as a module."""
    code = TEXT.split(f"```python {name}\n")[1].split("```")[0]
    module = ModuleType(name)
    exec(compile(code, f"CONTRIBUTING.md, {name}", "exec"), module.__dict__)
    return module


@pytest.fixture
def a_new_rule() -> Iterator[None]:
    walk("check")
    yield
    del CATALOGUE["native-is-a-seven"]


SHEET = """\
inkov sheet 1
switch: core-1
[vlans]
10: climate
97: nobody
[port 3]
mode: trunk
allowed: 10,97
native: {}
"""


@pytest.mark.usefixtures("a_new_rule")
def test_a_check(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "core-1.sheet").write_text(SHEET.format(97))
    report = inkov("audit", "core-1.sheet", "--only", "native-is-a-seven", "-f", "json").json
    assert [found["where"][0]["line"] for found in report["findings"]] == [9]
    (tmp_path / "core-1.sheet").write_text(SHEET.format(10))
    report = inkov("audit", "core-1.sheet", "--only", "native-is-a-seven", "-f", "json").json
    assert report["findings"] == []


def test_a_reader(inkov: Inkov, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    line = registry.Format("vlan-list", "VLAN list", walk("reader"))
    monkeypatch.setattr(registry, "FORMATS", (line, *registry.FORMATS))
    (tmp_path / "gate-1.list").write_text("vlan list\n10 climate\n4095 nothing\n")
    read = inkov("read", "gate-1.list", "-f", "json")
    assert read.status == 1 and "4095" in read.err
    [file] = read.json["read"]["files"]
    assert (file["format"], file["understood"], file["not_understood"]) == ("VLAN list", 1, 1)
    vlans = inkov("vlans", "gate-1.list", "-f", "json", "-q").json["vlans"]
    assert [(vlan["vlan"], vlan["names"]) for vlan in vlans] == [(10, ["climate"])]


def test_an_output_format(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(results.FORMATS, "tabs", walk("format").tabs)
    grid = Grid([Column("Port"), Column("VLAN")])
    grid.add("1", "10")
    result = results.Result(value=dict, grids=lambda: [grid])
    assert results.written(result, "tabs", Screen(None, colour=False)) == "1\t10\n"


def test_a_form_that_a_result_does_not_have_is_an_error(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "core-1.sheet").write_text(SHEET.format(10))
    refused = inkov("prove", "core-1.sheet", "--matrix", "-f", "sarif")
    assert (refused.status, refused.out) == (2, "")
    assert "table, json, csv, markdown or html" in refused.err
