"""Findings and rules as text, as a table, and in the fixed JSON shape."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from collections.abc import Set as AbstractSet
from itertools import groupby
from typing import Any

from rich.console import RenderableType
from rich.text import Text

from inkov.campus import Problem, natural
from inkov.checks import CATALOGUE, Affected, Audit, Finding, Rule, Severity, Where
from inkov.checks.baseline import Earlier
from inkov.harmless import safe
from inkov.readers import Locator
from inkov.render.exchange import findings_junit, findings_sarif, lost_json
from inkov.render.grid import Column, Grid
from inkov.render.listings import rules_grid
from inkov.render.results import Result
from inkov.render.terminal import SEVERITY, Screen, indented
from inkov.render.text import brief, place
from inkov.vlanset import VlanSet, bits_to_text
from inkov.words import counted

__all__ = [
    "earlier",
    "finding_json",
    "findings_result",
    "rule_result",
    "rules_result",
    "summary",
    "touched",
]

_ASSUMED = 4  # of what a finding rests on, the rest counted
_PLACES = 8


def findings_result(
    audit: Audit,
    locator: Locator,
    *,
    rules: list[Rule],
    switches: int,
    by: str | None = None,
    only: str | None = None,
    explain: bool = False,
    whole: bool = False,
    accepted: bool = False,
    known: Callable[[Finding], bool] | None = None,
    since: str = "",
    fails: AbstractSet[Severity] = frozenset(),
    after: str = "",
    lost: Sequence[Problem] = (),
) -> Result:
    """Findings in every form.

    `rules` are those that were asked for; `known` tells the findings of a baseline, `since` what
    there is to say of it; `fails` are the severities that fail; `lost` the files that could not be
    read. The text is grouped `by` something, and `after` stands below it. On a terminal it is in
    short (`short_text`), but if it is wanted `whole`, or in groups, or explained; with `accepted`
    what the plan accepts is told there as well.
    """
    end = summary(audit.findings, switches, len(audit.accepted), since, partial=bool(lost))

    def text(screen: Screen) -> str:
        if screen.width is not None and not (whole or by or explain):
            return short_text(audit, locator, screen, end, accepted=accepted) + after
        shown = findings_text(audit, locator, screen, end, by=by, only=only, explain=explain)
        return shown + after

    return Result(
        value=lambda: findings_json(audit, locator) | lost_json(lost),
        grids=lambda: [findings_grid(audit, locator)],
        text=text,
        sarif=lambda: findings_sarif(audit, rules, locator, known, lost),
        junit=lambda: findings_junit(audit, rules, locator, fails, lost),
    )


def summary(
    findings: list[Finding],
    switches: int,
    accepted: int = 0,
    since: str = "",
    *,
    partial: bool = False,
) -> str:
    """One line that says how it stands and fits a chat message.

    `since` counts those of a baseline. "No findings" is said only where there are none at all, and
    of a campus only if all of it was read (not `partial`).
    """
    of = f"{switches} switch{'es' * (switches != 1)}"
    also = f" {accepted} accepted by the plan." if accepted else ""
    also += f" {since}." if since else ""
    # "No findings" only of what was read.
    if not findings:
        none = "No other findings" if also else "No findings"
        return f"{none} in what was read of {of}.{also}" if partial else f"{none} on {of}.{also}"
    counts = Counter(finding.severity for finding in findings)
    plurals = {Severity.BREACH: "breaches"}
    parts = [
        f"{counts[s]} {s if counts[s] == 1 else plurals.get(s, f'{s}s')}"
        for s in Severity
        if counts[s]
    ]
    return f"{', '.join(parts)} on {of}.{also}"


def touched(affects: Affected) -> str:
    """The blast radius in words; "" if no host port is touched."""
    # Nobody sits there.
    if not affects.ports:
        return ""
    shown = ", ".join(affects.hosts[:5]) + (
        f" and {len(affects.hosts) - 5} more" if len(affects.hosts) > 5 else ""
    )
    return f"{counted(affects.ports, 'host port')}{f' ({shown})' if shown else ''}"


def more_places(number: int) -> str:
    """What is said of the places of a finding that are not told."""
    return f"and {counted(number, 'more place')}"


def findings_text(
    audit: Audit,
    locator: Locator,
    screen: Screen,
    end: str,
    *,
    by: str | None = None,
    only: str | None = None,
    explain: bool = False,
) -> str:
    """Each finding as a short block: what, where at both ends, what comes of it, what cures it,
    what it rests on; and `end` below them.

    `by` is rule, switch, severity or vlan. With `only`, groups by switch are of this switch alone.
    With `explain`, the first finding of each rule says why it matters.
    """
    parts: list[RenderableType] = []
    explained: set[str] = set()
    for heading, group in _grouped(audit.findings, by, only):
        if heading:
            parts += [Text(safe(heading), style="bold underline"), Text()]
        for finding in group:
            why = CATALOGUE[finding.rule].why if explain and finding.rule not in explained else ""
            explained.add(finding.rule)
            parts += [*_block(finding, locator, why), Text()]
    parts += _accepted(audit)
    parts.append(Text(end, style="bold"))
    return screen.render(*parts)


def short_text(
    audit: Audit, locator: Locator, screen: Screen, end: str, *, accepted: bool = False
) -> str:
    """The findings for a screen: several of one kind as one, and the worst last, where the eye ends
    when the lines have run by. (A pager would hide the answer behind a key, and lose it when it is
    left.) What the plan accepts is counted, or with `accepted` told first.
    """
    parts: list[RenderableType] = []
    if audit.findings:
        parts += [Text(end, style="bold"), Text()]
    if accepted:
        parts += _accepted(audit)
    alike: dict[tuple[Severity, str], list[Finding]] = {}
    for finding in audit.findings:
        alike.setdefault((finding.severity, finding.rule), []).append(finding)
    folded = False
    for group in reversed(alike.values()):
        # Many of a kind are folded, few are told one by one.
        if len(group) > _ONE_BY_ONE:
            folded = True
            parts += [*_folded(group, locator), Text()]
        else:
            for finding in reversed(group):
                parts += [*_block(finding, locator, "", pointers=False), Text()]
    parts.append(Text(end, style="bold"))
    hints = ["--all tells each with all its places"] if folded else []
    hints += ["--accepted tells what the plan accepts"] if audit.accepted and not accepted else []
    if hints:
        parts.append(Text("; ".join(hints), style="dim"))
    return screen.render(*parts)


_ONE_BY_ONE = 2  # findings of a kind
_OF_A_KIND = 5  # that are told in short


def _folded(group: list[Finding], locator: Locator) -> Iterator[RenderableType]:
    """Several findings of one kind: each in a line with its first place, and the cure once."""
    first = group[0]
    yield _head(first, f"{len(group)} times", sum(finding.affects.ports for finding in group))
    for finding in group[:_OF_A_KIND]:
        at = brief(finding.where[0].origin, locator) if finding.where else ""
        yield indented(f"{safe(finding.says)}{f'  ({at})' if at else ''}", 2)
    # The rest is counted.
    if len(group) > _OF_A_KIND:
        yield indented(f"and {len(group) - _OF_A_KIND} more", 2, "dim")
    also = sum(len(finding.consequences) for finding in group)
    if also:
        yield indented(f"So also: {also} more that come of it", 2)
    yield indented(f"Cure: {CATALOGUE[first.rule].cure}", 2)


def _accepted(audit: Audit) -> Iterator[RenderableType]:
    """What the plan accepts, each in a line."""
    # The plan accepts nothing.
    if not audit.accepted:
        return
    yield Text("Accepted by the plan", style="bold underline")
    for finding, acceptance in audit.accepted:
        until = f", until {acceptance.until}" if acceptance.until else ""
        says = f"{finding.rule}: {finding.says}; {acceptance.because}{until}"
        yield indented(safe(says), 2, "dim")
    yield Text()


def _head(finding: Finding, times: str = "", ports: int = 0) -> Text:
    """The first line of a finding."""
    head = Text()
    head.append(finding.severity.upper(), style=SEVERITY[finding.severity])
    head.append(f"  {finding.rule}", style="bold")
    # Of several findings their number, and all they touch.
    if times:
        head.append(f"  {times}")
        if ports:
            head.append(f"  touches {counted(ports, 'host port')}", style="dim")
    elif touched(finding.affects):
        head.append(safe(f"  touches {touched(finding.affects)}"), style="dim")
    return head


def _block(
    finding: Finding, locator: Locator, why: str, *, pointers: bool = True
) -> Iterator[RenderableType]:
    yield _head(finding)
    yield indented(safe(finding.says), 2)
    places = list(
        dict.fromkeys(_where(where, locator, pointers=pointers) for where in finding.where)
    )
    width = max((len(name) for name, _ in places[:_PLACES]), default=0)
    for name, at in places[:_PLACES]:
        yield indented(f"{name:<{width}}  {at}", 4, "dim")
    # The first places are enough for a screen.
    if len(places) > _PLACES:
        yield indented(more_places(len(places) - _PLACES), 4, "dim")
    for consequence in finding.consequences:
        yield indented(f"So also: {safe(consequence)}", 2)
    if why:
        yield indented(f"Why: {why}.", 2)
    yield indented(f"Cure: {safe(finding.cure)}", 2)
    for assumption in finding.assumes[:_ASSUMED]:
        yield indented(f"Rests on: {safe(assumption)}", 2, "dim")
    if len(finding.assumes) > _ASSUMED:
        yield indented(f"... and {len(finding.assumes) - _ASSUMED} more of the kind", 2, "dim")


def _grouped(
    findings: list[Finding], by: str | None, only: str | None
) -> Iterator[tuple[str, list[Finding]]]:
    """The findings under headings; one that touches several switches or VLANs stands under each of
    them.
    """
    # No groups asked for.
    if by is None:
        yield "", findings
        return
    # Findings come worst first, so that rules stand in the order of their worst finding.
    rules = {rule: number for number, rule in enumerate(dict.fromkeys(f.rule for f in findings))}
    entries = [
        (key, heading, finding)
        for finding in findings
        for key, heading in _headings(finding, by, only, rules)
    ]
    entries.sort(key=lambda entry: entry[0])
    for heading, group in groupby(entries, key=lambda entry: entry[1]):
        members = [finding for _, _, finding in group]
        yield f"{heading} ({len(members)})", members


def _headings(
    finding: Finding, by: str, only: str | None, rules: dict[str, int]
) -> list[tuple[tuple[Any, ...], str]]:
    """The headings that a finding stands under, each after its place among them. What is of no
    switch, or of no VLAN, comes last.
    """
    # Rules in the order of their worst finding.
    if by == "rule":
        return [((rules[finding.rule],), finding.rule)]
    if by == "severity":
        return [((finding.severity.rank,), finding.severity)]
    # One finding may stand under several switches.
    if by == "switch":
        named = (where.switch for where in finding.where if only in (None, where.switch))
        switches = dict.fromkeys(filter(None, named))
        return [((not name, natural(name)), name or "no switch") for name in switches or [""]]
    vids = dict.fromkeys(where.vlan for where in finding.where if where.vlan)
    return [((vid or 4095,), f"VLAN {vid}" if vid else "no VLAN") for vid in vids or [None]]


def _where(where: Where, locator: Locator, *, pointers: bool = True) -> tuple[str, str]:
    name = f"{where.switch}:{where.port}" if where.port is not None else where.switch
    # The pointer without module prefixes, to be short; the JSON form has it as the file spells it.
    at = place(where.origin, locator)
    at = f"{at}  {safe(where.origin.pointer)}".strip() if pointers or not at else at
    return safe((name + (f" VLAN {where.vlan}" if where.vlan else "")).strip()), at


def findings_json(audit: Audit, locator: Locator) -> dict[str, Any]:
    """The fixed shape: findings with their places, and counts by severity; beside it what the plan
    accepts.
    """
    counts = Counter(finding.severity for finding in audit.findings)
    return {
        "findings": [finding_json(finding, locator) for finding in audit.findings],
        "counts": {str(severity): counts[severity] for severity in Severity},
        "accepted": [
            {
                **finding_json(finding, locator),
                "because": a.because,
                "until": a.until.isoformat() if a.until else None,
            }
            for finding, a in audit.accepted
        ],
    }


def finding_json(f: Finding, locator: Locator) -> dict[str, Any]:
    """One finding in the fixed shape."""
    return {
        "id": f.id,
        "rule": f.rule,
        "severity": str(f.severity),
        "says": safe(f.says),
        "cure": safe(f.cure),
        "where": [
            {
                "switch": safe(w.switch) or None,
                "port": safe(w.port) if w.port is not None else None,
                "vlan": w.vlan,
                "file": w.origin.file or None,
                "line": locator.line(w.origin) or None,
                **({"pointer": locator.pointer(w.origin)} if w.origin.pointer else {}),
            }
            for w in f.where
        ],
        "assumes": [safe(assumption) for assumption in f.assumes],
        "consequences": [safe(consequence) for consequence in f.consequences],
        "vlans": bits_to_text(f.vlans),
        "affects": {"ports": f.affects.ports, "hosts": [safe(host) for host in f.affects.hosts]},
    }


def earlier(report: dict[str, Any]) -> list[Earlier]:
    """The findings of a JSON report, for what is new since. Raises ValueError, KeyError, TypeError
    or AttributeError for something else.
    """
    findings, accepted = report["findings"], report["accepted"]
    return [
        Earlier(
            f["id"],
            f["rule"],
            Severity(f["severity"]),
            frozenset((w["switch"] or "", w["port"] or "", w["vlan"] or 0) for w in f["where"]),
            VlanSet.parse(f.get("vlans") or "none").bits,
            frozenset(f["consequences"]),
        )
        for f in findings + accepted
    ]


def findings_grid(audit: Audit, locator: Locator) -> Grid:
    names = ("Severity", "Rule", "Says", "Where", "Cure", "Touches", "Id")
    grid = Grid([Column(name) for name in names])
    for f in audit.findings:
        places = dict.fromkeys(" ".join(_where(where, locator)) for where in f.where)
        says = "; so also: ".join((f.says, *f.consequences))
        grid.add(f.severity, f.rule, says, "; ".join(places), f.cure, touched(f.affects), f.id)
    return grid


_EXAMPLE = {"-": "red", "+": "green", "=": "bold"}


_RULE_KEYS = ("slug", "family", "severity", "what", "why", "cure", "example")


def rules_result(rules: list[Rule]) -> Result:
    """The catalogue."""
    value = {"rules": [{name: getattr(rule, name) for name in _RULE_KEYS} for rule in rules]}
    return Result(value=lambda: value, grids=lambda: [rules_grid(rules)])


def rule_result(rule: Rule) -> Result:
    """One rule: for people with its reason and example."""
    result = rules_result([rule])
    result.text = lambda screen: rule_text(rule, screen)
    return result


def rule_text(rule: Rule, screen: Screen) -> str:
    head = Text()
    head.append(rule.severity.upper(), style=SEVERITY[rule.severity])
    head.append(f"  {rule.slug}", style="bold")
    parts: list[RenderableType] = [head, indented(f"{rule.family}", 2, "dim"), Text()]
    for name, text in (
        ("Finds", rule.what),
        ("Why", rule.why),
        ("Cure", rule.cure),
        ("Example", rule.example),
    ):
        sentence = (
            text if name == "Example" else text[:1].upper() + text[1:]
        )  # which may begin with a switch's name
        parts += [Text(name, style="bold"), indented(sentence + ".", 2), Text()]
    parts += [Text("As configurations (- makes the mistake, + cures it)", style="bold")]
    for line in rule.gist:
        parts.append(indented(line, 2, _EXAMPLE.get(line[:1], "")))
    return screen.render(*parts)
