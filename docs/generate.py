"""Writes the generated documents; with --check, only says whether they are current (exit status 1
if not).
"""

from __future__ import annotations

import sys
from itertools import groupby
from pathlib import Path

from inkov.checks import Severity, rules

HERE = Path(__file__).parent
MEANING = {
    Severity.BREACH: "segments that must be apart are not",
    Severity.FAULT: "traffic is lost, or will be",
    Severity.RISK: "works today, by luck or by trust",
    Severity.NOTE: "untidy",
}


def checks() -> str:
    """The catalogue of checks as Markdown."""
    lines = [
        "# The checks",
        "",
        "Made from the catalogue in `src/inkov/checks` by `make docs`; change it there.",
        "",
        "| severity | means |",
        "| --- | --- |",
        *(f"| {severity} | {MEANING[severity]} |" for severity in Severity),
        "",
        (
            "A finding may be graver than its rule: a trunk that meets an access port loses traffic"
            " (fault), and is a"
        ),
        (
            "breach where it joins two VLANs on the way. What comes of one cause is one finding, as"
            " grave as the worst"
        ),
        "of it.",
        "",
        (
            "Each example is a small campus, run by the tests: with the lines after `-` the rule,"
            " and no other, finds"
        ),
        (
            "something; with those after `+` nothing is found. `src/inkov/checks/examples` has them"
            " whole."
        ),
    ]
    for family, entries in groupby(rules(), key=lambda rule: rule.family):
        lines += ["", f"## {family}"]
        for rule in entries:
            lines += ["", f"### {rule.slug}", "", f"*{rule.severity}*: {rule.what}.", ""]
            lines += [
                f"- **Why**: {rule.why}.",
                f"- **Cure**: {rule.cure}.",
                f"- **Example**: {rule.example}.",
            ]
            lines += ["", "```diff", *rule.gist, "```"]
    return "\n".join(lines) + "\n"


GENERATED = {"checks.md": checks}


def main() -> int:
    stale = []
    for name, make in GENERATED.items():
        path, text = HERE / name, make()
        if not path.exists() or path.read_text(encoding="utf-8") != text:
            stale.append(name)
            if "--check" not in sys.argv:
                path.write_text(text, encoding="utf-8")
    if stale and "--check" in sys.argv:
        print(f"not current: {', '.join(stale)}; run `make docs`")
        return 1
    return 0


sys.exit(main())
