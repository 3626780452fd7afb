"""What a rule and a finding are. A rule's entry stands as a decorator right above the function that
finds it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from enum import StrEnum
from hashlib import blake2b
from importlib import resources
from typing import TYPE_CHECKING

from msgspec import Struct

from inkov.campus import Origin
from inkov.checks.causes import Cause

if TYPE_CHECKING:
    from inkov.checks.site import Site

_NEAR = 3  # lines of an example around its mistake

__all__ = [
    "CATALOGUE",
    "Affected",
    "Finding",
    "Found",
    "Rule",
    "Severity",
    "Where",
    "finding",
    "identity",
    "rule",
]


class Severity(StrEnum):
    """From worst to least. What each means is said in `docs/checks.md`."""

    BREACH = "breach"
    FAULT = "fault"
    RISK = "risk"
    NOTE = "note"

    @property
    def rank(self) -> int:
        return list(Severity).index(self)


class Where(Struct, frozen=True):
    """One place a finding points at. `origin` has the file and line (or pointer); `vlan` and `port`
    may be absent.

    `switch` is "" for a place that is of no switch: a line of the plan, say.
    """

    switch: str
    port: str | None
    vlan: int | None
    origin: Origin


class Found(Struct, frozen=True):
    """What a check yields: what is wrong, the cure, where (both ends of a link), and what the
    finding rests on.

    `severity` is the rule's unless this case is graver or lighter. Findings with one `cause` are
    told as one (`causes`). `vlans` are those whose members everywhere are affected, as a mask.
    `key` tells the finding from others of its rule, the same on every run; by default its places
    do. Checks make it with `finding`.
    """

    says: str
    cure: str
    where: tuple[Where, ...]
    assumes: tuple[str, ...] = ()
    severity: Severity | None = None
    cause: Cause | None = None
    vlans: int = 0
    key: tuple[str, ...] = ()


def finding(
    *,
    says: str,
    cure: str,
    where: Iterable[Where],
    assumes: Iterable[str] = (),
    severity: Severity | None = None,
    cause: Cause | None = None,
    vlans: int = 0,
    key: Iterable[object] = (),
) -> Found:
    """What a check found. Places and assumptions may come in any iterable, the latter repeated."""
    return Found(
        says,
        cure,
        tuple(where),
        tuple(dict.fromkeys(assumes)),
        severity,
        cause,
        vlans,
        tuple(map(str, key)),
    )


class Affected(Struct, frozen=True):
    """The blast radius: how many host ports a mistake touches, and which named hosts."""

    ports: int
    hosts: tuple[str, ...]


class Finding(Struct, frozen=True):
    """One mistake, ranked and known by its `id`, which is the same on every run and wherever its
    lines move.
    """

    rule: str
    severity: Severity
    says: str
    cure: str
    where: tuple[Where, ...]
    assumes: tuple[str, ...]
    id: str
    affects: Affected
    consequences: tuple[str, ...] = ()


def identity(slug: str, finding: Found) -> str:
    """The same for the same mistake, whatever the file is called and wherever in it the lines
    stand.
    """
    key = finding.key or tuple(
        sorted(f"{w.switch}\0{w.port or ''}\0{w.vlan or ''}" for w in finding.where)
    )
    return blake2b("\1".join((slug, *key)).encode(), digest_size=8).hexdigest()


class Rule(Struct, frozen=True):
    """A catalogue entry. `example` is told with made-up switches; `shown` is the same as
    configurations.
    """

    slug: str
    family: str
    severity: Severity
    what: str
    why: str
    cure: str
    example: str
    find: Callable[[Site], Iterable[Found]]

    @property
    def shown(self) -> str:
        """The example as switch sheets (and a plan, a table): lines after "- " make the mistake, "+
        " cure it.

        A line `=== NAME` starts a file. The tests run both.
        """
        return (resources.files("inkov.checks") / "examples" / f"{self.slug}.txt").read_text(
            "utf-8"
        )

    @property
    def gist(self) -> list[str]:
        """The lines of the example that matter: the files with a mistake, and there what is near
        it.
        """
        shown: list[str] = []
        for part in self.shown.split("=== ")[1:]:
            lines = part.rstrip("\n").split("\n")
            near = {
                n + d
                for n, line in enumerate(lines)
                if line[:1] in ("-", "+")
                for d in range(-_NEAR, _NEAR + 1)
            }
            if near:
                shown.append(f"=== {lines[0]}")
                kept = [(n, line) for n, line in enumerate(lines) if n and n in near]
                for (before, _), (n, line) in zip([(0, ""), *kept], kept, strict=False):
                    shown += ["  ..."] if n > before + 1 else []
                    shown.append(line)
                shown += ["  ..."] if kept[-1][0] < len(lines) - 1 else []
        return shown


CATALOGUE: dict[str, Rule] = {}
"""All rules, by slug, in the order practitioners work in."""


def rule(
    slug: str, *, family: str, severity: Severity, what: str, why: str, cure: str, example: str
) -> Callable[[Callable[[Site], Iterable[Found]]], Callable[[Site], Iterable[Found]]]:
    """Enter a check into the catalogue."""

    def enter(find: Callable[[Site], Iterable[Found]]) -> Callable[[Site], Iterable[Found]]:
        CATALOGUE[slug] = Rule(slug, family, severity, what, why, cure, example, find)
        return find

    return enter
