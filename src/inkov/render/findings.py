"""Findings and rules as text."""

from __future__ import annotations

from collections import Counter
from typing import Any

from rich.console import RenderableType
from rich.text import Text

from inkov.checks import Finding, Rule, Severity
from inkov.readers import Locator
from inkov.render.grid import Column, Grid
from inkov.render.terminal import SEVERITY, Screen, indented
from inkov.render.text import place, safe

__all__ = ["findings_grid", "findings_json", "findings_text", "rule_text", "summary"]


def summary(findings: list[Finding], switches: int) -> str:
    """One line that says how it stands."""
    of = f"{switches} switch{'es' * (switches != 1)}"
    if not findings:
        return f"No findings on {of}."
    counts = Counter(finding.severity for finding in findings)
    plurals = {Severity.BREACH: "breaches"}
    parts = [f"{counts[s]} {s if counts[s] == 1 else plurals.get(s, f'{s}s')}" for s in Severity if counts[s]]
    return f"{', '.join(parts)} on {of}."


def findings_text(findings: list[Finding], locator: Locator, screen: Screen, switches: int) -> str:
    """Each finding as a short block: what, where at both ends, what cures it, what it rests on."""
    parts: list[RenderableType] = []
    for finding in findings:
        head = Text()
        head.append(finding.severity.upper(), style=SEVERITY[finding.severity])
        head.append(f"  {finding.rule}", style="bold")
        parts += [head, indented(safe(finding.says), 2)]
        places = [_where(finding, number, locator) for number in range(len(finding.where))]
        width = max((len(name) for name, _ in places), default=0)
        for name, said in dict.fromkeys(places):
            parts.append(indented(f"{name:<{width}}  {said}", 4, "dim"))
        parts.append(indented(f"Cure: {safe(finding.cure)}", 2))
        parts += [indented(f"Rests on: {safe(assumption)}", 2, "dim") for assumption in finding.assumes[:4]]
        if len(finding.assumes) > 4:
            parts.append(indented(f"... and {len(finding.assumes) - 4} more of the kind", 2, "dim"))
        parts.append(Text())
    parts.append(Text(summary(findings, switches), style="bold"))
    return screen.render(*parts)


def _where(finding: Finding, number: int, locator: Locator) -> tuple[str, str]:
    where = finding.where[number]
    name = f"{where.switch}:{where.port}" if where.port is not None else where.switch
    # The pointer without module prefixes, to be short; the JSON form has it as the file spells it.
    said = f"{place(where.origin, locator)}  {safe(where.origin.pointer)}".rstrip()
    return safe(name + (f" VLAN {where.vlan}" if where.vlan else "")), said


def findings_json(findings: list[Finding], locator: Locator) -> dict[str, Any]:
    """The fixed shape: findings with their places, and counts by severity."""
    counts = Counter(finding.severity for finding in findings)
    return {
        "findings": [
            {
                "rule": f.rule,
                "severity": str(f.severity),
                "says": f.says,
                "cure": f.cure,
                "where": [
                    {
                        "switch": w.switch,
                        "port": w.port,
                        "vlan": w.vlan,
                        "file": w.origin.file or None,
                        "line": locator.line(w.origin) or None,
                        **({"pointer": locator.pointer(w.origin)} if w.origin.pointer else {}),
                    }
                    for w in f.where
                ],
                "assumes": list(f.assumes),
            }
            for f in findings
        ],
        "counts": {str(severity): counts[severity] for severity in Severity},
    }


def findings_grid(findings: list[Finding], locator: Locator) -> Grid:
    grid = Grid([Column(name) for name in ("Severity", "Rule", "Says", "Where", "Cure")])
    for finding in findings:
        places = [" ".join(_where(finding, number, locator)) for number in range(len(finding.where))]
        grid.add(finding.severity, finding.rule, finding.says, "; ".join(dict.fromkeys(places)), finding.cure)
    return grid


def rule_text(rule: Rule, screen: Screen) -> str:
    head = Text()
    head.append(rule.severity.upper(), style=SEVERITY[rule.severity])
    head.append(f"  {rule.slug}", style="bold")
    parts: list[RenderableType] = [head, indented(f"{rule.family}", 2, "dim"), Text()]
    for name, text in (("Finds", rule.what), ("Why", rule.why), ("Cure", rule.cure), ("Example", rule.example)):
        parts += [Text(name, style="bold"), indented(text[:1].upper() + text[1:] + ".", 2), Text()]
    return screen.render(*parts)
