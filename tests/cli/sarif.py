"""The shape of SARIF 2.1.0 as the OASIS standard has it (chapter 3), as far as a log of findings
uses it.

Written from the standard's text: the properties of each object we write, which of them are
required, and their types. Nothing else is allowed, so that a misspelt property is found.
"""

from __future__ import annotations

from typing import Any


def _object(required: str, **properties: Any) -> dict[str, Any]:
    return {
        "type": "object",
        "additionalProperties": False,
        "required": required.split(),
        "properties": properties,
    }


def _list(items: Any, **more: Any) -> dict[str, Any]:
    return {"type": "array", "items": items, **more}


TEXT: dict[str, Any] = {"type": "string"}
INDEX = {"type": "integer", "minimum": 0}
BAG = {"type": "object"}  # 3.8, property bags hold anything
LEVEL = {"enum": ["none", "note", "warning", "error"]}  # 3.27.10
MESSAGE = _object("text", text={"type": "string", "minLength": 1})  # 3.11
MULTIFORMAT = _object("text", text={"type": "string", "minLength": 1}, markdown=TEXT)  # 3.12
REGION = _object("", startLine={"type": "integer", "minimum": 1})  # 3.30
ARTIFACT = _object(
    "", uri={"type": "string", "format": "uri-reference", "pattern": r"^[\w./:%~+,@()&=$!*';-]*$"}
)  # 3.4
LOCATION = _object(  # 3.28
    "",
    id=INDEX,
    physicalLocation=_object("", artifactLocation=ARTIFACT, region=REGION),  # 3.29
    logicalLocations=_list(_object("", fullyQualifiedName=TEXT, kind=TEXT)),  # 3.33
    message=MESSAGE,
)
SUPPRESSION = _object(  # 3.35
    "kind",
    kind={"enum": ["inSource", "external"]},
    status={"enum": ["accepted", "underReview", "rejected"]},
    justification=TEXT,
)
RULE = _object(  # 3.49
    "id",
    id=TEXT,
    shortDescription=MULTIFORMAT,
    fullDescription=MULTIFORMAT,
    help=MULTIFORMAT,
    defaultConfiguration=_object("", level=LEVEL),
    properties=BAG,
)
RESULT = _object(  # 3.27
    "message",
    ruleId=TEXT,
    ruleIndex=INDEX,
    level=LEVEL,
    kind={"enum": ["notApplicable", "pass", "fail", "review", "open", "informational"]},
    message=MESSAGE,
    locations=_list(LOCATION),
    relatedLocations=_list(LOCATION, uniqueItems=True),
    partialFingerprints={"type": "object", "additionalProperties": TEXT},
    suppressions=_list(SUPPRESSION, uniqueItems=True),
    baselineState={"enum": ["new", "unchanged", "updated", "absent"]},
    properties=BAG,
)
RUN = _object(  # 3.14
    "tool",
    tool=_object(
        "driver",
        driver=_object("name", name=TEXT, version=TEXT, rules=_list(RULE, uniqueItems=True)),
    ),
    columnKind={"enum": ["utf16CodeUnits", "unicodeCodePoints"]},
    results=_list(RESULT),
)
LOG = _object(
    "version runs", **{"$schema": TEXT, "version": {"const": "2.1.0"}, "runs": _list(RUN)}
)  # 3.13
