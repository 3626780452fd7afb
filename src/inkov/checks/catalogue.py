"""What a rule and a finding are. A rule's entry stands as a decorator right above the function that
finds it.

The entry holds all that the rule can say: what it is about, and the sentences of its findings with
places for words, as in `"VLAN {vid} is not defined on {switch}"`. The search below it looks for
cases and gives the words of each (`finding`); it holds no sentence. A rule that tells several cases
apart has a sentence for each.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from enum import StrEnum
from hashlib import blake2b
from importlib import resources
from typing import TYPE_CHECKING

from msgspec import Struct

from inkov.checks.causes import Cause
from inkov.checks.places import Where
from inkov.edits import Edit
from inkov.vlanset import union

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
    "Text",
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


Text = str | Mapping[str, str]
"""A sentence with `{places}` for words; or several, or pieces of one, by the cases that they are
for.
"""


class Found(Struct, frozen=True):
    """What a check yields: the words of its sentences, where (both ends of a link), and what the
    finding rests on.

    `case` names the sentences or pieces that are told, in this order, of a rule that has several.
    `severity` is the rule's unless this case is graver or lighter. Findings with one `cause` are
    told as one (`causes`). `vlans` are those whose members everywhere are affected, as a mask.
    `among` are the switches whose members of these are cut off or joined, where it is not all.
    `about` are further VLANs that it speaks of. `key` tells the finding from others of its rule,
    the same on every run; by default its places do. `edits` are what its cure says, where that
    leaves no choice. Checks make it with `finding`.
    """

    words: Mapping[str, object]
    where: tuple[Where, ...]
    case: tuple[str, ...] = ()
    assumes: tuple[str, ...] = ()
    severity: Severity | None = None
    cause: Cause | None = None
    vlans: int = 0
    about: int = 0
    among: frozenset[str] | None = None
    key: tuple[str, ...] = ()
    edits: tuple[Edit, ...] = ()

    @property
    def every_vlan(self) -> int:
        """All VLANs that it speaks of, those of its places among them, as a mask."""
        return self.vlans | self.about | union(1 << w.vlan for w in self.where if w.vlan)


def finding(
    words: Mapping[str, object],
    *,
    where: Iterable[Where],
    case: str | Iterable[str] = (),
    assumes: Iterable[str] = (),
    severity: Severity | None = None,
    cause: Cause | None = None,
    vlans: int = 0,
    about: int = 0,
    among: Iterable[str] | None = None,
    key: Iterable[object] = (),
    edits: Iterable[Edit] = (),
) -> Found:
    """What a check found. Places and assumptions may come in any iterable, the latter repeated. The
    line that took a setting over is a place as well.
    """
    places: list[Where] = []
    for place in where:
        places.append(place)
        # A setting that was taken over has two places: where it is said, and where it is taken.
        if place.origin.taker is not None:
            places.append(Where(place.switch, place.port, place.vlan, place.origin.taker))
    return Found(
        words,
        tuple(places),
        (case,) if isinstance(case, str) else tuple(case),
        tuple(dict.fromkeys(assumes)),
        severity,
        cause,
        vlans,
        about,
        None if among is None else frozenset(among),
        tuple(map(str, key)),
        tuple(edits),
    )


class Affected(Struct, frozen=True):
    """The blast radius: how many host ports a mistake touches, and which named hosts."""

    ports: int
    hosts: tuple[str, ...]


class Finding(Struct, frozen=True):
    """One mistake, ranked and known by its `id`, which is the same on every run and wherever its
    lines move. `vlans` are those that it speaks of, as a mask. `edits` cure it, where nobody has to
    be asked how.
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
    vlans: int = 0
    edits: tuple[Edit, ...] = ()


def identity(slug: str, finding: Found, consequences: Iterable[str] = ()) -> str:
    """The same for the same mistake, whatever the file is called and wherever in it the lines
    stand; another one where a further VLAN is lost, or something else comes of it.

    `consequences` are the identities of what comes of it.
    """
    # Places tell findings of a rule apart, unless the rule knows better.
    key = finding.key or tuple(
        sorted(f"{w.switch}\0{w.port or ''}\0{w.vlan or ''}" for w in finding.where)
    )
    parts = (slug, *key, f"{finding.every_vlan:x}", *sorted(consequences))
    return blake2b("\1".join(parts).encode("utf-8", "surrogatepass"), digest_size=8).hexdigest()


class Rule(Struct, frozen=True):
    """A catalogue entry. `example` is told with made-up switches; `shown` is the same as
    configurations. `cure` is what to do in general, `fix` what to do in a case that was found.
    """

    slug: str
    family: str
    severity: Severity
    what: str
    why: str
    cure: str
    example: str
    says: Text
    fix: Text
    find: Callable[[Site], Iterable[Found]]

    def sentences(self, found: Found) -> tuple[str, str]:
        """What is wrong in a case, and its cure."""
        return _told(self.says, found), _told(self.fix, found)

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
                # Line 0 is the name of the file.
                kept = [(n, line) for n, line in enumerate(lines) if n and n in near]
                for (before, _), (n, line) in zip([(0, ""), *kept], kept, strict=False):
                    shown += ["  ..."] if n > before + 1 else []
                    shown.append(line)
                shown += ["  ..."] if kept[-1][0] < len(lines) - 1 else []
        return shown


def _told(text: Text, found: Found) -> str:
    if not isinstance(text, str):
        # A rule with one sentence has no cases.
        text = "".join(text[case] for case in found.case if case in text)
    return text.format_map(found.words)


CATALOGUE: dict[str, Rule] = {}
"""All rules, by slug, in the order practitioners work in."""


def rule(
    slug: str,
    *,
    family: str,
    severity: Severity,
    what: str,
    why: str,
    cure: str,
    example: str,
    says: Text,
    fix: Text,
) -> Callable[[Callable[[Site], Iterable[Found]]], Callable[[Site], Iterable[Found]]]:
    """Enter a check into the catalogue."""

    def enter(find: Callable[[Site], Iterable[Found]]) -> Callable[[Site], Iterable[Found]]:
        CATALOGUE[slug] = Rule(slug, family, severity, what, why, cure, example, says, fix, find)
        return find

    return enter
