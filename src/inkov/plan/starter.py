"""A starting plan from the configurations, and the schema of plans for editors."""

from __future__ import annotations

import json
from collections import Counter
from datetime import date
from typing import Any

import msgspec

from inkov.campus import Campus
from inkov.plan.loader import ASIDE
from inkov.plan.schema import PlanFile, PlannedSegment, PlannedVlan
from inkov.vlanset import VlanSet

__all__ = ["schema", "starter"]


def starter(campus: Campus) -> str:
    """The text of a plan: what the configurations say of VLANs, names and subnets; claims as
    proposals in comments.
    """
    names: dict[int, Counter[str]] = {}
    subnets: dict[int, Counter[str]] = {}
    for device in campus.devices.values():
        for vlan in (device.vlans or {}).values():
            counts = names.setdefault(vlan.vid, Counter())
            if vlan.name is not None and vlan.name.value:
                counts[vlan.name.value] += 1
        for gateway in device.gateways:
            for fact in gateway.addresses:
                subnets.setdefault(gateway.vid, Counter())[str(fact.value.network)] += 1
    # VLAN 1 is on every switch, and belongs to nobody.
    vids = sorted(vid for vid in names.keys() | subnets.keys() if vid != 1)
    lines = [
        (
            "# A starting plan, made from the configurations by `inkov plan new`. It says what is,"
            " not what should be:"
        ),
        "# correct it, then take the `#` from the claims that are meant.",
        "vlans:" if vids else "vlans: {}",
    ]
    for vid in vids:
        lines.append(_of_vlan(vid, names.get(vid, Counter()), subnets.get(vid, Counter())))
    segments = _segments(names)
    lines += ["", "segments:" if segments else "segments: {}"]
    lines += [f"  {name}: {listed}" for name, listed in segments.items()]
    lines += ["", "claims: []"]
    # With one segment there is nothing to keep apart.
    if len(segments) > 1:
        lines += [f"#  - isolate: [{', '.join(segments)}]", "#    level: hostile"]
        lines += [f"#  - join: {name}" for name in segments]
    return "\n".join(lines) + "\n"


def _of_vlan(vid: int, names: Counter[str], subnets: Counter[str]) -> str:
    """The line of a VLAN: the name and the subnet that most switches have for it."""
    parts = [f"name: {_text(_most(names))}"] if names else []
    parts += [f"subnet: {_most(subnets)}"] if subnets else []
    # Other names for one VLAN are told, for somebody to decide.
    others = sorted(names - Counter({_most(names): names[_most(names)]})) if names else []
    remark = f"  # also called {', '.join(map(_text, others))}" if others else ""
    return f"  {vid}: {{{', '.join(parts)}}}{remark}"


def _segments(names: dict[int, Counter[str]]) -> dict[str, str]:
    """Name -> the VLANs of that name, which are one segment."""
    segments: dict[str, str] = {}
    for vid, counts in sorted(names.items()):
        if counts and vid != 1:
            name = _text(_most(counts))
            segments[name] = f"{segments[name]},{vid}" if name in segments else str(vid)
    return segments


def _most(counts: Counter[str]) -> str:
    return min(counts, key=lambda name: (-counts[name], name))


def _text(name: str) -> str:
    """A name as YAML has it: quoted unless it is a plain word."""
    # What YAML would read as something else than a name is quoted.
    plain = name.isascii() and name.replace("-", "").isalnum() and name[:1].isalpha()
    words = ("yes", "no", "on", "off", "true", "false", "null", "y", "n", "everything")
    return name if plain and name.lower() not in words else json.dumps(name)


_SCHEMAS: dict[Any, dict[str, Any]] = {
    VlanSet: {"type": ["string", "integer"], "description": "VLANs, as in 10,20-30"},
    date: {"type": "string", "format": "date"},
}


def _as_written(part: Any) -> None:
    """What people write, beside what it becomes: yes and no, and one name where a list of names may
    stand.
    """
    for value in (
        part.values() if isinstance(part, dict) else part if isinstance(part, list) else ()
    ):
        _as_written(value)
    # People write yes and no, which YAML 1.2 has as texts.
    if isinstance(part, dict) and part.get("type") == "boolean":
        del part["type"]
        part["enum"] = [True, False, "yes", "no", "on", "off"]
    if (
        isinstance(part, dict)
        and part.get("type") == "array"
        and part.get("items") == {"type": "string"}
    ):
        part["type"] = ["array", "string"]


def _unwrapped(text: str) -> str:
    """The text of a docstring, a line for each paragraph."""
    return "\n\n".join(" ".join(part.split()) for part in text.split("\n\n"))


def schema() -> dict[str, Any]:
    """The JSON Schema of a plan."""

    def hook(kind: Any) -> dict[str, Any]:
        return _SCHEMAS.get(kind, {"type": "string"})

    (plan,), parts = msgspec.json.schema_components(
        [PlanFile], schema_hook=hook, ref_template="#/$defs/{name}"
    )
    for name, part in parts.items():
        part.get("properties", {}).pop("origin", None)
        if "description" in part:
            part["description"] = _unwrapped(part["description"])
        # `10: climate` is short for `10: {name: climate}`.
        if name in (
            PlannedVlan.__name__,
            PlannedSegment.__name__,
        ):  # `10: climate` is short for `10: {name: climate}`
            parts[name] = {"anyOf": [part, {"type": ["string", "integer", "null"]}]}
        _as_written(part)
    parts.pop("Origin", None)
    parts.pop("Basis", None)
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Inkov plan",
        **plan,
        "patternProperties": {f"^{ASIDE}": {}},
        "$defs": parts,
    }
