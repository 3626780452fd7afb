"""Input: statements that were replaced, not understood, or unusable. What is not read is not
checked.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import PurePath

from inkov.campus import Origin, Overridden
from inkov.campus.secrets import without_secrets
from inkov.checks.catalogue import CATALOGUE, Found, Severity, Where, finding, rule
from inkov.checks.causes import RangeOverridden
from inkov.checks.site import Site
from inkov.words import agree, counted, listed, wherever

_FAMILY = "Input"
_RANGES = ("access_vlan", "voice_vlan", "mode")  # of which ranges-overlap tells


@rule(
    "statement-overridden",
    family=_FAMILY,
    severity=Severity.NOTE,
    what="a statement is replaced by a later one of the same file",
    why="who reads the first one believes it: only the last one counts",
    cure="remove the statement that does not count",
    example="line 8 gives gate-1 port 4 native VLAN 99, line 21 native VLAN 98",
    says="{device} {at}: {what}: the later statement counts",
    fix="remove the statement that does not count",
)
def statement_overridden(site: Site) -> Iterator[Found]:
    for device in site.devices:
        pairs: dict[tuple[Origin, Origin], list[Overridden]] = {}
        for change in device.overridden:
            # The same value twice changes nothing; what other rules tell is told there.
            if change.before != change.after and not _is_told(site, device.name, change):
                pairs.setdefault((change.old, change.new), []).append(change)
        for (old, new), changes in pairs.items():
            first = changes[0]
            ports = list(dict.fromkeys(c.port for c in changes))
            values = without_secrets(first.before), without_secrets(first.after)
            what = f"{first.attribute.replace('_', ' ')} {values[0]}, later {values[1]}"
            yield finding(
                {
                    "device": device.name,
                    "at": "port " + listed(ports) if ports[0] else "VLAN table",
                    "what": what,
                },
                where=(
                    Where(device.name, ports[0] or None, None, old),
                    Where(device.name, ports[0] or None, None, new),
                ),
                cause=RangeOverridden(device.name, tuple(ports)),
                key=(device.name, first.attribute, *ports),
            )


def _is_told(site: Site, device: str, change: Overridden) -> bool:
    """True for what other rules tell, and for an exception to a range of ports: that is how people
    write.
    """
    # For lists, list-replaced tells.
    if change.attribute in ("allowed", "tagged"):
        return True
    facts = [
        getattr(port, change.attribute, None) for port in site.fabric.device(device).ports.values()
    ]
    covered = sum(fact is not None and fact.origin == change.new for fact in facts)
    earlier = sum(fact is not None and fact.origin == change.old for fact in facts)
    # One port out of a range is an exception; of ranges that overlap, ranges-overlap tells.
    return earlier > 0 if covered == 1 else change.attribute in _RANGES


@rule(
    "line-not-understood",
    family=_FAMILY,
    severity=Severity.RISK,
    what="lines that may have to do with VLANs were not understood",
    why="what they say is not in any table, check or proof",
    cure=(
        "add their forms to the dialect of the file; `inkov dialect unmatched` shows what to write"
    ),
    example="gate-1.txt line 40 names a VLAN, and the dialect has no form for it",
    says={"unread": "{count} of {file} {were} not understood: {shown}"},
    fix={
        "dialect": (
            "what do they mean? add their forms to the dialect, or name their words as without"
            " meaning"
        ),
        "other": (
            "what do they mean? correct what is mistyped; what is meant as it stands has to be"
            " looked at on the switch"
        ),
    },
)
def line_not_understood(site: Site) -> Iterator[Found]:
    by_file: dict[str, list[tuple[Origin, str]]] = {}
    unusable = {
        problem.origin for problem in site.fabric.campus.problems
    }  # statement-unusable tells
    for origin, text in site.fabric.campus.unmatched:
        if origin in unusable:
            continue
        by_file.setdefault(origin.file, []).append((origin, text))
    devices = {device.origin.file: device.name for device in site.devices}
    # What no dialect reads has forms of its own, which nobody can add to.
    fixed = {device.origin.file for device in site.devices if not device.platform.described}
    for file, lines in sorted(by_file.items()):
        shown = listed([repr(text.strip()) for _, text in lines], 3)
        yield finding(
            {
                "count": counted(len(lines), "line" if lines[0][0].line else "value"),
                "file": file,
                "were": agree(len(lines), "was", "were"),
                "shown": shown,
            },
            case=("unread", "other" if file in fixed else "dialect"),
            where=tuple(Where(devices.get(file, ""), None, None, origin) for origin, _ in lines),
            key=(devices.get(file, PurePath(file).name), len(lines)),
        )


@rule(
    "statement-unusable",
    family=_FAMILY,
    severity=Severity.RISK,
    what=(
        "a statement cannot mean what it says, and was left out: a VLAN number outside 1 to"
        " 4094, say"
    ),
    why="the switch does something there, and nobody knows what from the file",
    cure="correct the statement, or collect the configuration again",
    example="line 12 puts gate-1 port 4 into VLAN 4095",
    says="not used: {problem}",
    fix="{cure}",
)
def statement_unusable(site: Site) -> Iterator[Found]:
    devices = {device.origin.file: device.name for device in site.devices}
    for problem in site.fabric.campus.problems:
        says, file = problem.says.partition("\n")[0], problem.origin.file
        yield finding(
            {"problem": says, "cure": problem.cure or CATALOGUE["statement-unusable"].cure},
            where=(Where(devices.get(file, ""), None, None, problem.origin),),
            key=(devices.get(file, PurePath(file).name), wherever(says)),
        )


@rule(
    "acceptance-stale",
    family=_FAMILY,
    severity=Severity.NOTE,
    what="the plan accepts a finding that does not occur any more, or its acceptance has expired",
    why="an acceptance that covers nothing today hides the mistake on the day it comes back",
    cure="take the acceptance out of the plan, or mend what it covers",
    example=(
        "the plan accepts trunk-allows-everything at core-1 until last March, and it is still found"
    ),
    says={
        "expired": "{name} was accepted until {until}, and is still found",
        "gone": "{name} is accepted, and not found any more",
    },
    fix={
        "expired": "mend it, or accept it anew",
        "gone": "take it out of the plan",
    },
)
def acceptance_stale(site: Site) -> Iterator[Found]:
    """Told where acceptances are matched with findings (`run`): only then it is known which of them
    cover any.
    """
    return iter(())
