"""A report to hand over: one page that needs nothing else, for people who use no terminal.

The page allows itself nothing but its own style and its own script, by their digests; what was read
is in it as text and as nothing else. Without the script all of it can be read; the script
filters long tables.
"""

from __future__ import annotations

from base64 import b64encode
from collections.abc import Callable, Iterable, Iterator, Sequence
from hashlib import sha256
from html import escape

from msgspec import Struct, field

from inkov.campus import Origin
from inkov.checks import Audit, Finding, Severity
from inkov.harmless import safe
from inkov.levels import Layer, Level, Outcome
from inkov.proofs import Verdict
from inkov.readers import Locator
from inkov.render.findings import more_places, summary, touched
from inkov.render.grid import Grid
from inkov.render.page import table_of
from inkov.render.proofs import assumed_by_all, verdicts_summary
from inkov.render.text import place

__all__ = ["Excerpt", "FileOf", "Report", "to_report"]

_PLACES = 3  # of a finding, whose lines are shown
_ASSUMED = 6
_FILTERED_FROM = 12  # rows

_STYLE = """
:root { --ink: #1d2329; --soft: #59626b; --line: #d9dde1; --paper: #fff; --tint: #f4f5f2 }
* { box-sizing: border-box }
body { font: 15px/1.5 system-ui, Helvetica, Arial, sans-serif; color: var(--ink);
  background: var(--paper); margin: 0 auto; max-width: 1180px; padding: 1.5em;
  overflow-wrap: anywhere } table { overflow-wrap: normal }
h1 { font-size: 1.7em; margin: 0 0 .2em } h2 { font-size: 1.25em; margin: 2em 0 .6em;
  padding-top: .6em; border-top: 2px solid var(--ink) }
h3 { font-size: 1em; margin: 1.2em 0 .2em } p { margin: .3em 0 }
nav { margin: 1em 0; display: flex; flex-wrap: wrap; gap: .2em 1.2em } nav a { color: var(--ink) }
.soft { color: var(--soft) } .by { color: var(--soft); margin-bottom: 1em }
dl { display: grid; grid-template-columns: max-content 1fr; gap: .15em 1.2em; margin: 0 }
dt { font-weight: 600 } dd { margin: 0; overflow-wrap: anywhere }
.scroll { overflow-x: auto; max-width: 100% }
svg { max-width: 100%; height: auto; border: 1px solid var(--line) }
table { border-collapse: collapse; font-size: 13px; width: 100% }
th { text-align: left; border-bottom: 2px solid var(--soft); padding: .2em .8em .2em 0 }
td { padding: .15em .8em .15em 0; vertical-align: top; border-bottom: 1px solid var(--line) }
.right { text-align: right } td:first-child, td:nth-child(2) { white-space: nowrap }
.marked { font-weight: 700 } .marked:not(:empty)::before { content: "! " }
pre { background: var(--tint); border-left: 3px solid var(--line); margin: .3em 0;
  padding: .4em .8em; font: 12px/1.45 ui-monospace, monospace; white-space: pre-wrap;
  overflow-wrap: anywhere } pre b { background: #fff3c9 }
article { border-left: 4px solid var(--line); padding: .1em 0 .3em 1em; margin: 1em 0 }
.tag { display: inline-block; font-size: 12px; font-weight: 700; letter-spacing: .04em;
  padding: 0 .5em; border: 2px solid; border-radius: 3px; margin-right: .6em }
.breach { border-color: #7a1230 } .tag.breach { background: #7a1230; color: #fff }
.fault { border-color: #b3400b } .tag.fault { color: #8f3308 }
.risk { border-color: #1f5f99 } .tag.risk { color: #1a5182; border-style: dashed }
.note { border-color: #8a939b } .tag.note { color: #555d64; border-style: dotted }
.holds { border-color: #1f6b4a } .tag.holds { color: #185539 }
.broken { border-color: #7a1230 } .tag.broken { background: #7a1230; color: #fff }
.undecided { border-color: #8a6d0b } .tag.undecided { color: #6b5508; border-style: dashed }
input { font: inherit; padding: .25em .5em; margin: .3em 0; width: 100%; max-width: 24em }
code { font: 12px ui-monospace, monospace; overflow-wrap: anywhere }
@page wide { size: A4 landscape; margin: 12mm }
@media print { @page { size: A4; margin: 16mm } .wide { page: wide } table { font-size: 9px }
  body { max-width: none; padding: 0; font-size: 11px }
  nav, input { display: none } h2 { break-after: avoid } h3 { break-after: avoid }
  article, tr, pre { break-inside: avoid } thead { display: table-header-group } }
"""

_SCRIPT = """
for (const table of document.querySelectorAll("table.long")) {
  const box = document.createElement("input");
  box.type = "search";
  box.placeholder = "Filter these rows";
  box.setAttribute("aria-label", "Filter these rows");
  table.parentNode.before(box);
  box.addEventListener("input", () => {
    const wanted = box.value.toLowerCase();
    for (const row of table.tBodies[0].rows)
      row.hidden = !row.textContent.toLowerCase().includes(wanted);
  });
}
"""


class Excerpt(Struct):
    """Lines of a file around one: their numbers and texts, secrets left out."""

    lines: list[tuple[int, str]]
    about: int


class FileOf(Struct):
    """A file that was read: its path, what it is, when it was changed, its SHA-256."""

    path: str
    form: str
    changed: str
    digest: str


class Report(Struct):
    """What a report holds. `certificate` is the SHA-256 of the certificate of the claims."""

    title: str
    made: str
    overview: list[tuple[str, str]]
    drawing: str
    audit: Audit
    switches: int
    verdicts: list[Verdict]
    certificate: str
    tables: list[tuple[str, list[Grid]]]
    files: list[FileOf]
    sources: str
    unread: list[str] = field(default_factory=list)
    only_claims: bool = False


def to_report(report: Report, excerpt: Callable[[Origin], Excerpt | None], locator: Locator) -> str:
    """The page. `excerpt` gives the lines around a place."""
    body = "".join(_body(report, excerpt, locator))
    policy = (
        f"default-src 'none'; style-src '{_digest(_STYLE)}'; script-src '{_digest(_SCRIPT)}';"
        " base-uri 'none'; form-action 'none'"
    )
    return (
        '<!DOCTYPE html>\n<html lang="en">\n<head>\n<meta charset="utf-8">\n'
        f'<meta http-equiv="Content-Security-Policy" content="{policy}">\n'
        '<meta name="viewport" content="width=device-width, initial-scale=1">\n'
        f"<title>{_t(report.title)}</title>\n<style>{_STYLE}</style>\n</head>\n<body>\n{body}"
        f"<script>{_SCRIPT}</script>\n</body>\n</html>\n"
    )


def _digest(text: str) -> str:
    return f"sha256-{b64encode(sha256(text.encode()).digest()).decode()}"


def _t(text: str) -> str:
    return escape(safe(text))


def _body(
    report: Report, excerpt: Callable[[Origin], Excerpt | None], locator: Locator
) -> Iterator[str]:
    yield f'<h1>{_t(report.title)}</h1>\n<p class="by">{_t(report.made)}</p>\n'
    parts: list[tuple[str, str, Iterable[str]]] = []
    # With claims alone nothing else is shown.
    if not report.only_claims:
        parts.append(("overview", "Overview", _overview(report)))
        if report.drawing:
            drawing = [f'<div class="scroll">{report.drawing}</div>\n']
            parts.append(("drawing", "Drawing", drawing))
        parts.append(("findings", "Findings", _findings(report, excerpt, locator)))
    parts.append(("claims", "Claims", _claims(report, locator)))
    if not report.only_claims:
        for number, (title, grids) in enumerate(report.tables):
            tables = [line for grid in grids for line in _table(grid)]
            parts.append((f"table-{number}", title, tables))
    parts.append(("files", "Files", _files(report)))
    links = "".join(f'<a href="#{name}">{_t(title)}</a>' for name, title, _ in parts)
    yield f"<nav>{links}</nav>\n"
    for name, title, lines in parts:
        wide = ' class="wide"' if name.startswith("table-") else ""
        yield f'<section id="{name}"{wide}>\n<h2>{_t(title)}</h2>\n'
        yield from lines
        yield "</section>\n"


def _overview(report: Report) -> Iterator[str]:
    yield "<dl>\n"
    for what, says in report.overview:
        yield f"<dt>{_t(what)}</dt><dd>{_t(says)}</dd>\n"
    yield "</dl>\n"


# --- findings -------------------------------------------------------------------------------------


def _findings(
    report: Report, excerpt: Callable[[Origin], Excerpt | None], locator: Locator
) -> Iterator[str]:
    audit = report.audit
    yield f"<p>{_t(summary(audit.findings, report.switches, len(audit.accepted)))}</p>\n"
    for says in report.unread:
        yield f"<p><b>{_t(says)}.</b></p>\n"
    for finding in audit.findings:
        yield from _finding(finding, excerpt, locator)
    # What somebody accepted is told with his reason.
    if audit.accepted:
        yield "<h3>Accepted by the plan</h3>\n"
        for finding, acceptance in audit.accepted:
            until = f", until {acceptance.until}" if acceptance.until else ""
            yield f"<p>{_t(f'{finding.says}: {acceptance.because}{until}')}</p>\n"


def _finding(
    finding: Finding, excerpt: Callable[[Origin], Excerpt | None], locator: Locator
) -> Iterator[str]:
    severity: Severity = finding.severity
    yield f'<article class="{severity}">\n'
    yield f'<h3><span class="tag {severity}">{severity.upper()}</span>{_t(finding.says)}</h3>\n'
    ports = f", touches {touched(finding.affects)}" if touched(finding.affects) else ""
    yield f'<p class="soft">{_t(finding.rule)}{_t(ports)}</p>\n'
    yield f"<p><b>Cure:</b> {_t(finding.cure)}</p>\n"
    for says in finding.consequences:
        yield f"<p>So also: {_t(says)}</p>\n"
    for says in finding.assumes[:_ASSUMED]:
        yield f'<p class="soft">Rests on: {_t(says)}</p>\n'
    shown: set[tuple[str, int]] = set()
    for where in finding.where[:_PLACES]:
        lines = excerpt(where.origin)
        key = where.origin.file, lines.about if lines is not None else 0
        # No line to show, or shown already.
        if lines is None or key in shown:
            continue
        shown.add(key)
        yield f'<p class="soft">{_t(place(where.origin, locator))}</p>\n<pre>'
        for number, text in lines.lines:
            line = _t(f"{number:>5}  {text}")
            yield f"<b>{line}</b>\n" if number == lines.about else f"{line}\n"
        yield "</pre>\n"
    # More places than are shown.
    if len(finding.where) > _PLACES:
        yield f'<p class="soft">{more_places(len(finding.where) - _PLACES)}</p>\n'
    yield "</article>\n"


# --- claims ---------------------------------------------------------------------------------------

_IN_WORDS = {
    Outcome.HOLDS: "This holds",
    Outcome.BROKEN: "This does not hold",
    Outcome.UNDECIDED: "This could not be decided",
}


def _claims(report: Report, locator: Locator) -> Iterator[str]:
    # Nothing is claimed: said, and not left out.
    if not report.verdicts:
        yield "<p>The plan makes no claims.</p>\n"
        return
    yield f"<p>{_t(verdicts_summary(report.verdicts))}</p>\n"
    if report.sources:
        yield f"<p>{_t(report.sources)}</p>\n"
    common = assumed_by_all(report.verdicts)
    for verdict in report.verdicts:
        yield from _claim(verdict, common, locator)
    if common:
        yield "<h3>What all of it takes for granted</h3>\n<ul>\n"
        yield from (f"<li>{_t(says)}</li>\n" for says in common)
        yield "</ul>\n"
    if report.certificate:
        yield (
            "<h3>How to check this</h3>\n<p>The certificate of these claims has the SHA-256"
            f" <code>{report.certificate}</code>. <code>inkov prove CONFIGS --certificate c.json"
            "</code> makes it of the same files again, and <code>inkov verify c.json CONFIGS"
            "</code> checks it by code of its own.</p>\n"
        )


def _claim(verdict: Verdict, common: Sequence[str], locator: Locator) -> Iterator[str]:
    outcome = verdict.verdict
    about = "frames and what routers pass on" if verdict.layer is Layer.PACKETS else "frames"
    hosts = (
        "whatever hosts send" if verdict.level is Level.HOSTILE else "for hosts that keep the rules"
    )
    yield f'<article class="{outcome}">\n'
    yield f'<h3><span class="tag {outcome}">{outcome.upper()}</span>{_t(verdict.claim)}</h3>\n'
    yield f'<p class="soft">{_IN_WORDS[outcome]}; about {about}, {hosts}</p>\n'
    yield f"<p>{_t(verdict.because)}</p>\n"
    if verdict.witness:
        yield "<pre>"
        for step in verdict.witness:
            vlan = f"VLAN {step.vlan}{' tagged' * step.tagged}" if step.vlan else ""
            at = place(step.origin, locator)
            text = f"{step.switch}:{step.port}  {step.event}  {vlan}  {step.because}"
            yield f"{_t(text)}  ({_t(at)})\n" if at else f"{_t(text)}\n"
        yield "</pre>\n"
    for blame in verdict.blame:
        where = f"{blame.switch}:{blame.port} ({place(blame.origin, locator)})"
        yield f"<p>To blame: {_t(where)}: {_t(blame.says)}</p>\n"
    # What all rest on is told once, below.
    own = [says for says in verdict.assumes if says not in common]
    if own:
        yield '<p class="soft">It takes for granted:</p>\n<ul class="soft">\n'
        yield from (f"<li>{_t(says)}</li>\n" for says in own)
        yield "</ul>\n"
    yield "</article>\n"


# --- tables ---------------------------------------------------------------------------------------


def _table(grid: Grid) -> Iterator[str]:
    yield '<div class="scroll">'
    yield from table_of(grid, "long" if len(grid.rows) >= _FILTERED_FROM else "")
    yield "</div>\n"


def _files(report: Report) -> Iterator[str]:
    yield '<div class="scroll"><table>\n<thead><tr><th>File</th><th>What it is</th>'
    yield "<th>Changed</th><th>SHA-256</th></tr></thead>\n<tbody>\n"
    for file in report.files:
        cells: Sequence[str] = (file.path, file.form, file.changed)
        yield "<tr>" + "".join(f"<td>{_t(cell)}</td>" for cell in cells)
        yield f"<td><code>{_t(file.digest)}</code></td></tr>\n"
    yield "</tbody>\n</table></div>\n"
