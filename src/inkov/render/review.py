"""A comparison as a comment for reviewers, and for other systems."""

from __future__ import annotations

from typing import Any

from inkov.campus import Problem
from inkov.effects import Effect, Group, story_in_words
from inkov.harmless import safe
from inkov.render.compared import (
    View,
    claim_lines,
    consequence_line,
    findings_of,
    headline,
    verdict,
)
from inkov.render.edits import edit_json, place_of_edit
from inkov.render.exchange import junit, location, sarif
from inkov.render.follow import step_json
from inkov.render.grid import markdown_cell
from inkov.render.text import plain

__all__ = ["comparison_comment", "comparison_json", "comparison_junit", "comparison_sarif"]

_MOST = 12  # rows of who reaches whom; ten times as many entries where they are folded


def comparison_comment(view: View, lost: list[Problem]) -> str:
    """Markdown for the comment of a review: the verdict first, details folded."""
    result = view.result
    old, new = (_marked(safe(name)) for name in view.names)
    lines = [f"**{verdict(view)}** {_marked(headline(view))}", "", f"{old} → {new}", ""]
    for problem in lost:
        lines.append(f"- not read: {_marked(safe(problem.origin.file))}")
    for refusal in result.refusals:
        at = view.at(refusal.origin)
        lines.append(f"- {_marked(safe(refusal.says))}" + (f" (`{_code(at)}`)" if at else ""))
    lines += [""] * bool(result.refusals or lost)
    if result.effects:
        lines += ["| | Who reaches whom | To blame |", "| --- | --- | --- |"]
        for story in result.stories[:_MOST]:
            effect = story[0]
            blame = "; ".join(
                f"{view.edit(edit)} ({place_of_edit(edit, view.locator)})" for edit in effect.blame
            )
            word = "gained" if effect.gained else "lost"
            words = safe(story_in_words(story, result.name_of))
            lines.append(f"| {word} | {_marked(words)} | {_marked(blame)} |")
        if len(result.stories) > _MOST:
            lines.append(f"| | and {len(result.stories) - _MOST} more | |")
        lines.append("")
    for says in result.undecided:
        lines += [f"Not known: {_marked(safe(says))}.", ""]
    for says in result.assumes:
        lines += [f"Rests on: {_marked(safe(says))}.", ""]
    parts: list[tuple[str, list[str]]] = [
        ("Edits", [f"{view.edit(e)} ({place_of_edit(e, view.locator)})" for e in result.edits]),
        (
            "On the campus as a whole",
            [consequence_line(consequence)[0] for consequence in result.consequences],
        ),
        *(
            (f"Findings {kind}", [f"{f.severity} {f.rule}: {f.says}" for f in findings])
            for kind, findings in findings_of(view)
        ),
        ("Claims", [claim_lines(view, change)[0][0] for change in result.claims]),
    ]
    for title, entries in parts:
        if entries:
            lines += [f"<details><summary>{title} ({len(entries)})</summary>", ""]
            lines += [f"- {_marked(safe(entry))}" for entry in entries[: 10 * _MOST]]
            # A review takes only so much.
            more = len(entries) - 10 * _MOST
            lines += [f"- and {more} more"] * (more > 0)
            lines += ["", "</details>", ""]
    return "\n".join(lines).rstrip() + "\n"


def _marked(text: str) -> str:
    """A text without marks, that calls on nobody's name either."""
    return markdown_cell(text).replace("@", "&#64;")


def _code(text: str) -> str:
    return text.replace("`", "'").replace("|", "\\|")


# --- for other systems ----------------------------------------------------------------------------


def comparison_json(view: View) -> dict[str, Any]:
    """The fixed shape; beside it what is otherwise on the campus, and why it is refused."""
    result, locator = view.result, view.locator
    return {
        "edits": [edit_json(edit, locator) for edit in result.edits],
        "gained": [_effect_json(view, effect) for effect in result.effects if effect.gained],
        "lost": [_effect_json(view, effect) for effect in result.effects if not effect.gained],
        "findings": {
            kind: [
                {
                    "id": finding.id,
                    "rule": finding.rule,
                    "severity": str(finding.severity),
                    "says": safe(finding.says),
                    "where": [plain(where.origin, locator) for where in finding.where],
                }
                for finding in findings
            ]
            for kind, findings in findings_of(view)
        },
        "claims": [
            {
                "claim": safe(change.claim),
                "before": str(change.before.verdict) if change.before is not None else None,
                "after": str(change.after.verdict) if change.after is not None else None,
            }
            for change in result.claims
        ],
        "renamed": {safe(old): safe(new.name) for old, new in result.renamed.items()},
        "switches": {
            "compared": result.switches,
            "forward_as_before": result.switches - len(result.unlike),
            "unlike": [safe(name) for name in result.unlike],
        },
        "consequences": [
            {
                "about": str(consequence.about),
                "name": safe(consequence.name) or None,
                "vlans": str(consequence.vlans),
                "says": safe(consequence.says),
                "worse": consequence.worse,
            }
            for consequence in result.consequences
        ],
        "undecided": [safe(says) for says in result.undecided],
        "assumes": [safe(says) for says in result.assumes],
        "refused": result.refused,
        "because": [
            {"says": safe(refusal.says), **plain(refusal.origin, locator)}
            for refusal in result.refusals
        ],
    }


def _effect_json(view: View, effect: Effect) -> dict[str, Any]:
    vlans = effect.sources.vlans | effect.targets.vlans
    return {
        "from": _group_json(effect.sources),
        "to": _group_json(effect.targets),
        "both_ways": effect.row.both_ways,
        "vlan": str(vlans),
        "layer": int(effect.layer),
        "level": str(effect.level),
        "in_part": effect.row.in_part,
        "crosses_segments": effect.crosses,
        "settled": effect.settled,
        "witness": [step_json(step, view.locator) for step in effect.witness],
        "blame": [edit_json(edit, view.locator) for edit in effect.blame],
        "smallest": effect.smallest,
    }


def _group_json(group: Group) -> dict[str, Any]:
    """A group by its widest name, and its ports; these not where they are all that a VLAN has, and
    very many.
    """
    return {
        "segment": [safe(name) for name in group.segments] or None,
        "vlan": str(group.vlans),
        "everyone": group.everyone,
        "switch": [safe(name) for name in group.switches],
        "ports": [safe(name) for name in group.ports] if group.listed else [],
        "hosts": [safe(name) for name in group.hosts],
        "count": group.count,
    }


_RULE = {
    "id": "refused-change",
    "shortDescription": {"text": "A change does something that nobody said it would."},
}


def comparison_sarif(view: View, lost: list[Problem]) -> str:
    results = [
        {
            "ruleId": "refused-change",
            "level": "error",
            "message": {"text": safe(refusal.says)},
            "locations": [location(refusal.origin, view.locator, "")],
        }
        for refusal in view.result.refusals
    ]
    return sarif([_RULE], results, lost, view.locator)


def comparison_junit(view: View, lost: list[Problem]) -> str:
    cases: list[tuple[str, str, list[str]]] = [
        (
            safe(refusal.says),
            "inkov.compare",
            [f"{safe(refusal.says)} {view.at(refusal.origin)}".strip()],
        )
        for refusal in view.result.refusals
    ]
    if not cases:
        cases = [(headline(view), "inkov.compare", [])]
    return junit("inkov compare", cases, lost)
