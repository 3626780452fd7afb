"""What a rule and a finding are. A rule's entry stands as a decorator right above the function that finds it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from enum import StrEnum
from functools import cached_property

from msgspec import Struct

from inkov.campus import Basis, Fact, Mode, Origin, natural
from inkov.forwarding import Fabric, Resolved
from inkov.forwarding.domains import Domains, Island, domains, islands
from inkov.forwarding.serve import served_by_device
from inkov.forwarding.settle import settled_fact
from inkov.wiring import End

__all__ = ["CATALOGUE", "Finding", "Rule", "Severity", "Site", "Where", "rule"]


_OF_GENERAL = {"allowed": "tagged", "native_vlan": "pvid", "access_vlan": "pvid"}
"""What decides in a general port what these decide in a trunk or an access port."""


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
    """One place a finding points at. `origin` has the file and line (or pointer); `vlan` and `port` may be absent."""

    switch: str
    port: str | None
    vlan: int | None
    origin: Origin


class Finding(Struct, frozen=True):
    """One mistake: what is wrong, where (both ends of a link), the cure, and what the finding rests on."""

    rule: str
    severity: Severity
    says: str
    cure: str
    where: tuple[Where, ...]
    assumes: tuple[str, ...] = ()


class Rule(Struct, frozen=True):
    """A catalogue entry. `example` is told with made-up switches."""

    slug: str
    family: str
    severity: Severity
    what: str
    why: str
    cure: str
    example: str
    find: Callable[[Site], Iterable[Finding]]


class Site:
    """What a check may look at: the fabric, and what several checks want computed once."""

    def __init__(self, fabric: Fabric) -> None:
        self.fabric = fabric

    @cached_property
    def domains(self) -> Domains:
        return domains(self.fabric)

    @cached_property
    def islands(self) -> dict[int, list[Island]]:
        return dict(islands(self.fabric, self.domains))

    @cached_property
    def served(self) -> dict[str, int]:
        return served_by_device(self.fabric)

    def ports(self) -> Iterator[Resolved]:
        """Every port that is up and forwards by itself, in natural order."""
        for resolved in self._sorted:
            if resolved.up:
                yield resolved

    @cached_property
    def _sorted(self) -> list[Resolved]:
        return sorted(self.fabric.ports.values(), key=lambda r: (natural(r.end.device), natural(r.end.port)))

    def fact(self, resolved: Resolved, attribute: str) -> Fact[object]:
        """An attribute with its origin: the line that states it, or whose default it is."""
        if resolved.mode is Mode.GENERAL:
            attribute = _OF_GENERAL.get(attribute, attribute)
        platform = self.fabric.device(resolved.end.device).platform
        fact = settled_fact(resolved.stated, platform, attribute)
        if fact is None:
            return Fact(None, resolved.stated.origin)
        return fact

    def place(self, resolved: Resolved, attribute: str, vlan: int | None = None) -> Where:
        """Where an attribute of a port was decided."""
        origin = self.fact(resolved, attribute).origin
        if not origin.file:  # a default: the place to change it is the port
            origin = resolved.stated.origin
        return Where(resolved.end.device, resolved.end.port, vlan, origin)

    def rests_on(self, *facts: tuple[Resolved, str]) -> tuple[str, ...]:
        """The defaults and assumptions behind some attributes, in words."""
        found: dict[str, None] = {}
        for resolved, attribute in facts:
            if resolved.mode is Mode.GENERAL:
                attribute = _OF_GENERAL.get(attribute, attribute)  # noqa: PLW2901
            origin = self.fact(resolved, attribute).origin
            if origin.basis is not Basis.STATED:
                found[f"{resolved.end}: {attribute.replace('_', ' ')} not stated; {origin.says}"] = None
        return tuple(found)

    def resolved(self, end: End) -> Resolved:
        return self.fabric.ports[end]


CATALOGUE: dict[str, Rule] = {}
"""All rules, by slug, in the order practitioners work in."""


def rule(
    slug: str, *, family: str, severity: Severity, what: str, why: str, cure: str, example: str
) -> Callable[[Callable[[Site], Iterable[Finding]]], Callable[[Site], Iterable[Finding]]]:
    """Enter a check into the catalogue."""

    def enter(find: Callable[[Site], Iterable[Finding]]) -> Callable[[Site], Iterable[Finding]]:
        CATALOGUE[slug] = Rule(slug, family, severity, what, why, cure, example, find)
        return find

    return enter
