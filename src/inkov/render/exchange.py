"""Findings for other systems: SARIF 2.1.0 (OASIS) and JUnit XML."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from collections.abc import Set as AbstractSet
from typing import Any
from urllib.parse import quote
from xml.sax.saxutils import escape, quoteattr

from inkov import __version__
from inkov.campus import Origin, Problem
from inkov.checks import Audit, Finding, Rule, Severity, Where
from inkov.harmless import safe
from inkov.readers import Locator
from inkov.render.text import to_json

__all__ = ["findings_junit", "findings_sarif", "junit", "location", "lost_json", "sarif"]

_LEVEL = {
    Severity.BREACH: "error",
    Severity.FAULT: "error",
    Severity.RISK: "warning",
    Severity.NOTE: "note",
}


def sarif(
    rules: list[dict[str, Any]],
    results: list[dict[str, Any]],
    lost: Sequence[Problem],
    locator: Locator,
) -> str:
    """A SARIF log of one run. `lost` are files that could not be read: the run was none then
    (SARIF 3.20.21, notifications of the tool's execution).
    """
    notes = [
        {
            "level": "error",
            "message": {"text": safe(problem.says)},
            "locations": [location(problem.origin, locator, "")],
        }
        for problem in lost
    ]
    invocation = {"executionSuccessful": False, "toolExecutionNotifications": notes}
    return to_json(
        {
            "$schema": (
                "https://docs.oasis-open.org/sarif/sarif/v2.1.0/os/schemas/sarif-schema-2.1.0.json"
            ),
            "version": "2.1.0",
            "runs": [
                {
                    "tool": {"driver": {"name": "inkov", "version": __version__, "rules": rules}},
                    **({"invocations": [invocation]} if notes else {}),
                    "columnKind": "unicodeCodePoints",
                    "results": results,
                }
            ],
        }
    )


def lost_json(lost: Sequence[Problem]) -> dict[str, Any]:
    """The files that could not be read, as a part of a JSON answer; nothing if there are none."""
    files = [{"file": safe(p.origin.file), "says": safe(p.says)} for p in lost]
    return {"not_read": files} if files else {}


def location(origin: Origin, locator: Locator, name: str) -> dict[str, Any]:
    """A place: the file and line, and the switch and port as a logical location."""
    place: dict[str, Any] = {}
    # What is said nowhere has no place.
    if origin.file:
        # A relative path is a relative reference, an absolute one needs its scheme (SARIF 3.4.3,
        # RFC 3986).
        path = origin.file.replace("\\", "/")
        uri = quote(os.fsencode(path[2:] if path.startswith("./") else path))
        place["physicalLocation"] = {
            "artifactLocation": {"uri": f"file://{uri}" if uri.startswith("/") else uri}
        }
        line = locator.line(origin)
        if line:
            place["physicalLocation"]["region"] = {"startLine": line}
    # Switch and port, where there are any.
    if name:
        place["logicalLocations"] = [{"fullyQualifiedName": safe(name), "kind": "member"}]
    return place


def _named(where: Where) -> str:
    name = where.switch if where.port is None else f"{where.switch}:{where.port}"
    return f"{name} VLAN {where.vlan}".strip() if where.vlan else name


def findings_sarif(
    audit: Audit,
    rules: list[Rule],
    locator: Locator,
    known: Callable[[Finding], bool] | None = None,
    lost: Sequence[Problem] = (),
) -> str:
    """The findings as SARIF, those that the plan accepts as suppressed. `known` are the ids of a
    baseline.
    """
    index = {rule.slug: number for number, rule in enumerate(rules)}
    entries = [
        {
            "id": rule.slug,
            "shortDescription": {"text": _sentence(rule.what)},
            "fullDescription": {"text": _sentence(rule.why)},
            "help": {"text": f"{_sentence(rule.why)} Cure: {rule.cure}. Example: {rule.example}."},
            "defaultConfiguration": {"level": _LEVEL[rule.severity]},
            "properties": {"family": rule.family, "severity": str(rule.severity)},
        }
        for rule in rules
    ]
    results = [_result(finding, index, locator, known) for finding in audit.findings]
    for finding, acceptance in audit.accepted:
        justification = acceptance.because + (
            f" (until {acceptance.until})" if acceptance.until else ""
        )
        suppressed = {
            "kind": "external",
            "status": "accepted",
            "justification": safe(justification),
        }
        results.append({**_result(finding, index, locator, known), "suppressions": [suppressed]})
    return sarif(entries, results, lost, locator)


def _sentence(text: str) -> str:
    return text[:1].upper() + text[1:] + "."


def _result(
    f: Finding, index: dict[str, int], locator: Locator, known: Callable[[Finding], bool] | None
) -> dict[str, Any]:
    places = [location(where.origin, locator, _named(where)) for where in f.where]
    text = ". ".join((f.says, *(f"So also: {c}" for c in f.consequences), f"Cure: {f.cure}"))
    result: dict[str, Any] = {
        "ruleId": f.rule,
        "ruleIndex": index[f.rule],
        "level": _LEVEL[f.severity],
        "message": {"text": safe(text)},
        "locations": places[:1],
        "relatedLocations": [
            {"id": n, **p, "message": {"text": safe(_named(w)) or "the plan"}}
            for n, (p, w) in enumerate(zip(places[1:], f.where[1:], strict=True), 1)
        ],
        "partialFingerprints": {"inkovFinding/v1": f.id},
        "properties": {
            "severity": str(f.severity),
            "ports": f.affects.ports,
            "hosts": [safe(host) for host in f.affects.hosts],
            "assumes": [safe(a) for a in f.assumes],
        },
    }
    # Only with a baseline is anything new.
    if known is not None:
        result["baselineState"] = "unchanged" if known(f) else "new"
    return result


def junit(name: str, cases: list[tuple[str, str, list[str]]], lost: Sequence[Problem]) -> str:
    """A JUnit report: (test case, class, failures) of one suite. `lost` are files that could not be
    read: each is an error.
    """
    failed = sum(bool(failures) for _, _, failures in cases)
    lines = [
        '<?xml version="1.0" encoding="UTF-8"?>',
        f'<testsuites tests="{len(cases) + len(lost)}" failures="{failed}" errors="{len(lost)}">',
        (
            f'  <testsuite name={_attribute(name)} tests="{len(cases) + len(lost)}"'
            f' failures="{failed}" errors="{len(lost)}" skipped="0">'
        ),
    ]
    for problem in lost:
        lines += [
            f'    <testcase name={_attribute(problem.origin.file)} classname="inkov.input">',
            f"      <error message={_attribute(problem.says)}/>",
            "    </testcase>",
        ]
    for case, group, failures in cases:
        head = f"    <testcase name={_attribute(case)} classname={_attribute(group)}"
        # No failure: passed.
        if not failures:
            lines.append(head + "/>")
            continue
        lines.append(head + ">")
        text = "\n".join(failures)
        lines.append(
            f"      <failure message={_attribute(failures[0])}>{escape(_xml(text))}</failure>"
        )
        lines.append("    </testcase>")
    return "\n".join([*lines, "  </testsuite>", "</testsuites>"]) + "\n"


def _attribute(text: str) -> str:
    return quoteattr(_xml(text.replace("\n", " ")))


def _xml(text: str) -> str:
    """The text without what XML 1.0 cannot hold; line ends stay."""
    return "\n".join(safe(line) for line in text.split("\n"))


def findings_junit(
    audit: Audit,
    rules: list[Rule],
    locator: Locator,
    fails: AbstractSet[Severity],
    lost: Sequence[Problem] = (),
) -> str:
    """Each rule as a test case: it fails if it has a finding of a severity in `fails`."""
    cases = []
    for rule in rules:
        failures = []
        for f in audit.findings:
            # Graver than what fails the run, and of this rule.
            if f.rule == rule.slug and f.severity in fails:
                places = [
                    f"{_named(w)} {w.origin.file}:{locator.line(w.origin) or ''}".rstrip(": ")
                    for w in f.where
                ]
                failures.append(f"{f.severity}: {f.says} [{'; '.join(places)}] Cure: {f.cure}")
        cases.append((rule.slug, f"inkov.{rule.family}", failures))
    return junit("inkov audit", cases, lost)
