"""What a change is meant to do: the file `change.yaml` beside the configurations after it.

    only:
      vlans: 61
      switches: [stg-*]
    gain: ["clocks <-> clocks"]
    lose: []
    gone: [shed-4]

`only` says what may be edited; `gain` and `lose` who may reach whom that did not, and who need not
any more; `gone` which switches were taken away. A part that is not there permits no more than is
permitted without a file.
"""

from __future__ import annotations

from fnmatch import fnmatchcase
from typing import NamedTuple

from msgspec import Struct, field

from inkov.campus import Origin, Problem
from inkov.plan.loader import Kind, read_yaml
from inkov.plan.schema import NameList
from inkov.vlanset import VlanSet

__all__ = ["Change", "Only", "Permitted", "fits", "permitted", "read_change"]


class Only(Struct, rename="kebab"):
    """What may be edited: these VLANs, on these switches (names and patterns). A part that is not
    stated permits all.
    """

    vlans: VlanSet | None = None
    switches: NameList = field(default_factory=list)
    origin: Origin = Origin()


class Change(Struct, rename="kebab"):
    """The whole file."""

    only: Only | None = None
    gain: NameList = field(default_factory=list)
    lose: NameList = field(default_factory=list)
    gone: NameList = field(default_factory=list)
    origin: Origin = Origin()


class Permitted(NamedTuple):
    """An effect that is permitted: from whom to whom, and back if `both_ways`. The names are
    segments, names or numbers of VLANs, hosts, switches or ports; `*` stands for any characters.
    """

    source: str
    target: str
    both_ways: bool


def permitted(text: str) -> Permitted | None:
    """`A <-> B`, `A -> B`, or `A`, which is `A <-> A`. None for what is none of these."""
    # The mark of both ways holds that of one way, so it comes first.
    for mark, both_ways in (("<->", True), ("->", False)):
        source, sign, target = text.partition(mark)
        if sign:
            names = source.strip(), target.strip()
            return Permitted(*names, both_ways) if all(names) else None
    return Permitted(text.strip(), text.strip(), True) if text.strip() else None


def read_change(file: str, data: bytes, problems: list[Problem]) -> Change:
    """Read the file. What is wrong becomes a problem: whoever asks lets nothing pass then."""
    kind = Kind("change file", "only, gain, lose, gone", "name the file with --meant")
    read = read_yaml(file, data, Change, kind, problems)
    change: Change = read.value if read is not None else Change(origin=Origin(file, 1))
    for text in (*change.gain, *change.lose):
        # A sentence that names nobody permits nothing.
        if permitted(text) is None:
            says = f"{text!r} is not like 'A <-> B' or 'A -> B'"
            problems.append(Problem(Origin(file, 1), says, "name two sides"))
    return change


def fits(name: str, patterns: list[str]) -> bool:
    """Whether a name fits one of some patterns."""
    return any(name == pattern or fnmatchcase(name, pattern) for pattern in patterns)
