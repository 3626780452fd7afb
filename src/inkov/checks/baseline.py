"""What is new since an earlier audit.

A finding is known if the earlier report has the same one, or one of the same rule that says more:
who has mended a part of what was found has made no new mistake. Whatever grows is new: a VLAN or a
port more, something more that comes of it, a graver severity.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable

from msgspec import Struct

from inkov.checks.catalogue import Finding, Severity

__all__ = ["Baseline", "Earlier"]

Place = tuple[str, str, int]


class Earlier(Struct, frozen=True):
    """A finding of an earlier report: its places as (switch, port, VID), "" and 0 where they have
    none, its VIDs as a mask, and what came of it in words.
    """

    id: str
    rule: str
    severity: Severity
    places: frozenset[Place]
    vlans: int = 0
    consequences: frozenset[str] = frozenset()

    @classmethod
    def of(cls, finding: Finding) -> Earlier:
        """A finding as a later audit knows it."""
        return cls(
            finding.id,
            finding.rule,
            finding.severity,
            frozenset((w.switch, w.port or "", w.vlan or 0) for w in finding.where),
            finding.vlans,
            frozenset(finding.consequences),
        )

    def says_more(self, other: Earlier) -> bool:
        """True if this one takes the other one in, and names more places or VLANs."""
        takes_in = (
            self.rule == other.rule
            # It takes the other one in, and is about more.
            and self.severity.rank <= other.severity.rank
            and self.places >= other.places
            and not other.vlans & ~self.vlans
            and self.consequences >= other.consequences
        )
        return takes_in and (self.places, self.vlans) != (other.places, other.vlans)


class Baseline:
    """The findings of an earlier report."""

    def __init__(self, earlier: Iterable[Earlier]) -> None:
        self.earlier = {entry.id: entry for entry in earlier}
        self._of_rule: dict[str, list[Earlier]] = {}
        for entry in self.earlier.values():
            self._of_rule.setdefault(entry.rule, []).append(entry)

    def knows(self, finding: Finding) -> bool:
        """True if a finding is not new."""
        now = Earlier.of(finding)
        same = self.earlier.get(finding.id)
        # The same finding is known unless it has become graver.
        if same is not None:
            return same.severity.rank <= now.severity.rank
        return any(earlier.says_more(now) for earlier in self._of_rule.get(finding.rule, ()))

    def has_lost(self, finding: Finding) -> bool:
        """True if an earlier finding is not among these, not even in part."""
        was = Earlier.of(finding)
        return was.id not in self.earlier and not any(
            was.says_more(part) for part in self._of_rule.get(finding.rule, ())
        )

    def gone(self, findings: Iterable[Finding], rules: Collection[str], switch: str | None) -> int:
        """How many of the earlier findings, of the rules that were run (and with a place on a
        switch, if one is given), are found no more, not even in part.
        """
        left = [Earlier.of(finding) for finding in findings]
        ids = {earlier.id for earlier in left}
        return sum(
            # Of a part of the campus only that part can be gone.
            earlier.rule in rules
            and (switch is None or any(place[0] == switch for place in earlier.places))
            and earlier.id not in ids
            and not any(earlier.says_more(part) for part in left)
            for earlier in self.earlier.values()
        )
