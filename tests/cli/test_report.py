"""The report, as it is written and as a browser shows it."""

from __future__ import annotations

import json
import re
import shutil
from base64 import b64decode
from hashlib import sha256
from html.parser import HTMLParser
from pathlib import Path
from typing import Any

from inkov.forwarding import resolve
from inkov.readers import load
from inkov.survey.ports import PortRow, alike_rows, port_rows
from inkov.wiring import wire
from tests.chromium import CHROMIUM, Page
from tests.conftest import DEMO, Inkov, need

GARDEN = str(DEMO / "garden")


class _Elements(HTMLParser):
    """The elements of a page with their attributes, and its text."""

    def __init__(self, page: str) -> None:
        super().__init__()
        self.elements: list[tuple[str, dict[str, str | None]]] = []
        self.text = ""
        self.feed(page)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.elements.append((tag, dict(attrs)))

    def handle_data(self, data: str) -> None:
        self.text += data


def written(inkov: Inkov, tmp_path: Path, *options: str) -> str:
    out = tmp_path / "report.html"
    result = inkov("report", GARDEN, "-o", str(out), *options)
    assert result.status == 0, result.err
    assert not out.stat().st_mode & 0o077  # it is for whoever made it, as configurations are
    return out.read_text()


def test_all_is_in_one_page(inkov: Inkov, tmp_path: Path) -> None:
    """The same findings as audit has, the same verdicts as prove has, every file with its digest,
    and nothing that would be fetched.
    """
    page = written(inkov, tmp_path, "--by", "Rosa of <b>the herbarium</b>")
    found = _Elements(page)
    assert "by Rosa of <b>the herbarium</b>, with inkov" in found.text
    for finding in inkov("audit", GARDEN, "-f", "json").json["findings"]:
        assert finding["says"] in found.text and finding["cure"] in found.text
    for claim in inkov("prove", GARDEN, "-f", "json").json["claims"]:
        assert claim["claim"] in found.text and claim["because"] in found.text
        assert all(says in found.text for says in claim["assumes"])
    for file in Path(GARDEN).rglob("*"):
        if file.is_file():
            assert sha256(file.read_bytes()).hexdigest() in found.text, file
    assert not any(
        name in ("src", "href") and (value or "")[:1] != "#"
        for _, attributes in found.elements
        for name, value in attributes.items()
    )
    assert "url(" not in page and not [tag for tag, _ in found.elements if tag in ("img", "link")]
    # Of the line that a finding is about, the lines around.
    around = {96: '"config": {', 97: '"interface-mode": "TRUNK",', 98: '"native-vlan": 99,'}
    for number, said in around.items():
        assert re.search(rf"^ *{number} +{re.escape(said)}$", found.text, re.MULTILINE), said


def test_a_line_near_the_top_is_shown_with_the_first(inkov: Inkov, tmp_path: Path) -> None:
    """The host in line 2 has a gateway that nobody is."""
    (tmp_path / "in").mkdir()
    (tmp_path / "in" / "a.sheet").write_text(
        "inkov sheet 1\nswitch: a\n[vlans]\n10: climate\n[port 1]\nvlan: 10\n"
        "[gateway 10]\naddress: 10.0.10.1/24\n"
    )
    table = "host,switch,port,address,gateway\nfan,a,1,10.0.10.5/24,10.0.10.9\n"
    (tmp_path / "in" / "hosts.csv").write_text(table)
    assert inkov("report", "in", "-o", "r.html").status == 0
    text = _Elements((tmp_path / "r.html").read_text()).text
    assert re.search("^ *1 +host,switch.*\n *2 +fan,a", text, re.MULTILINE)


def test_the_certificate_can_be_made_again(inkov: Inkov, tmp_path: Path) -> None:
    page = written(inkov, tmp_path, "--claims")
    digest = re.search(r"SHA-256 <code>([0-9a-f]{64})</code>", page)
    inkov("prove", GARDEN, "--certificate", str(tmp_path / "c.json"))
    assert digest is not None
    assert digest[1] == sha256((tmp_path / "c.json").read_bytes()).hexdigest()
    assert 'id="findings"' not in page and 'id="claims"' in page


def test_secrets_and_markup_stay_out(inkov: Inkov, tmp_path: Path) -> None:
    shutil.copytree(GARDEN, tmp_path / "in")
    text = (tmp_path / "in" / "fern-2.txt").read_text()
    text = text.replace("keeper rosemary", "keeper hunter2").replace(
        "bench 11\n", "bench 11\n    password hunter3\n    </pre><script>alert(1)</script>\n"
    )
    (tmp_path / "in" / "fern-2.txt").write_text(text)
    out = tmp_path / "r.html"
    assert inkov("report", str(tmp_path / "in"), "-o", str(out)).status == 0
    page = out.read_text()
    assert "hunter3" not in page and "alert(1)</script>" not in page
    assert page.count("<script>") == 1


def test_what_cannot_be(inkov: Inkov, tmp_path: Path) -> None:
    for output, says in (("r.pdf", "ends in .html"), ("f.html", "a folder is there")):
        (tmp_path / "f.html").mkdir(exist_ok=True)
        result = inkov("report", GARDEN, "-o", output)
        assert result.status == 2 and says in result.err


def test_two_sources_of_a_switch(inkov: Inkov, tmp_path: Path) -> None:
    """In the repaired garden fern-2 and seedbank-1 are described by walks as well."""
    out = tmp_path / "r.html"
    assert inkov("report", str(DEMO / "repaired"), "-o", str(out)).status == 0
    sources = re.search(r"Two sources describe 2 of the switches; on \d of 2 both", out.read_text())
    assert sources is not None


def test_in_a_browser(inkov: Inkov, tmp_path: Path) -> None:
    """No error in its console, nothing wider than the window, tables that can be filtered, and
    pages of paper.
    """
    need(CHROMIUM is not None, "chromium")
    written(inkov, tmp_path)
    with Page((tmp_path / "report.html").as_uri(), tmp_path / "profile") as page:
        for width in (1280, 390):
            page.resized(width)
            wide = page.value("document.documentElement.scrollWidth")
            assert wide <= width, (width, wide)
        shown = "[...document.querySelectorAll('#table-2 tbody tr')].filter(r => !r.hidden)"
        every: Any = page.value(f"{shown}.length")
        page.value(
            "(() => { const box = document.querySelector('#table-2 input');"
            " box.value = 'GATE-1'; box.dispatchEvent(new Event('input')) })()"
        )
        rows: Any = page.value(f"{shown}.map(row => row.textContent)")
        ports = json.loads(inkov("ports", GARDEN, "-f", "json").out)["ports"]
        assert every == len(ports)
        own = sum(port["switch"] == "gate-1" for port in ports)
        assert every > len(rows) >= own and all("gate-1" in row for row in rows)
        paper = b64decode(page.call("Page.printToPDF", preferCSSPageSize=True)["data"])
        assert paper.startswith(b"%PDF-") and len(paper) > 20_000
        assert page.said == []


def test_ports_that_are_alike_share_a_row() -> None:
    """On a large campus: every port is in the row of one that does the same, and those that lead
    nowhere are in few rows.
    """
    fabric = resolve(campus := load([GARDEN]).campus, wire(campus))
    alone = {(row.switch, row.port): row for row in port_rows(fabric)}
    groups = alike_rows(fabric)
    names = [(row.switch, port) for row, ports in groups for port in ports]
    assert sorted(names) == sorted(alone)

    def does(row: PortRow) -> tuple[object, ...]:
        return row.state, row.mode, row.arrives, row.untagged, row.tagged, row.behind

    for row, ports in groups:
        assert {does(alone[row.switch, port]) for port in ports} == {does(row)}
    quiet = [(row.switch, *does(row)) for row, _ in groups if not row.behind]
    assert len(set(quiet)) == len(quiet) < len(alone) / 2
