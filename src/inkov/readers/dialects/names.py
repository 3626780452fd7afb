"""The names of VLANs and gateways that a text uses in place of numbers.

A name may be used above the line that says its number, so all statements are gone through once
before any of them is applied.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from inkov.readers.dialects.effects import Named
from inkov.readers.dialects.inherit import Step
from inkov.readers.sheets.words import BadLine
from inkov.vlanset import VlanSet

__all__ = ["VlanNames", "is_name"]


def is_name(key: Any) -> bool:
    """Whether a head calls a VLAN by a name: names that are numbers are numbers."""
    return isinstance(key, Named) and not key.items[0].isdigit()


class VlanNames:
    """Which name is which number, in one text. `given` are those that the dialect brings along."""

    def __init__(self, given: Mapping[str, int]) -> None:
        self._by_name = {name: {vid} for name, vid in given.items()}
        self._of_gateways: dict[str, Any] = {}

    def learn(self, steps: Sequence[Step]) -> None:
        """Take in what the statements of a whole text say of names."""
        self._learn_vlans(steps)
        self._learn_gateways(steps)

    def __contains__(self, name: str) -> bool:
        """Whether some VLAN is called so."""
        return name in self._by_name

    def _learn_vlans(self, steps: Iterable[Step]) -> None:
        """Which name is which number, from everywhere in the file: a name may be used before it is
        said.
        """
        names: dict[int, str] = {}  # the last one said counts
        for step in steps:
            for bound in step.bound:
                # Only what states a name or a number of a VLAN counts here.
                if (bound.on or step.kind) != "vlan" or bound.operator != "=":
                    continue
                for key in bound.keys if bound.on else step.keys:
                    named = isinstance(key, Named)
                    if named and bound.attribute == "vid" and isinstance(bound.value, int):
                        names[bound.value] = key.items[0]
                    elif bound.attribute == "name" and not is_name(key):
                        names |= dict.fromkeys(self.vids(key), bound.value)
        # A VLAN that is renamed has its last name only.
        for vid, name in names.items():
            self._by_name.setdefault(name, set()).add(vid)

    def _learn_gateways(self, steps: Iterable[Step]) -> None:
        """Of gateways that have names of their own the VLANs, which are said in their blocks."""
        for step in steps:
            for bound in step.bound:
                if (bound.on or step.kind) != "gateway" or bound.attribute != "vid":
                    continue
                # The last one said counts.
                for key in bound.keys if bound.on else step.keys:
                    if is_name(key) and bound.value:
                        self._of_gateways[key.items[0]] = bound.value

    def gateway(self, key: Any) -> int | None:
        """The VLAN that a gateway is in: what its block says, else what the head names."""
        own = self._of_gateways.get(key.items[0]) if isinstance(key, Named) else None
        return self.vid(own if own is not None else key)

    def vids(self, value: Any) -> VlanSet:
        """The VLANs that a value names, looking up names. BadLine for a name that no VLAN here has,
        or several.
        """
        if isinstance(value, VlanSet):
            return value
        # Most values are numbers already.
        if isinstance(value, int):
            return VlanSet.of(value)
        items = value.items
        but = items[:1] == ("but",) and len(items) > 1
        vids = VlanSet()
        # "All but", as the effect has it.
        for item in items[1:] if but else items:
            named = self._by_name.get(item, set())
            if len(named) == 1:
                vids |= VlanSet.from_vids(named)
            elif len(named) > 1:
                listed = ", ".join(map(str, sorted(named)))
                raise BadLine(
                    f"{item!r} is the name of several VLANs here: {listed}",
                    "name the VLAN by its number",
                )
            else:
                # Not the name of any: a number, or nothing that is known here.
                vids |= self._number(item)
        return ~vids if but else vids

    @staticmethod
    def _number(item: str) -> VlanSet:
        if not item[:1].isdigit():
            raise BadLine(f"no VLAN here is called {item!r}", "define it, or correct the name")
        return VlanSet.parse(item)

    def vid(self, value: Any) -> int | None:
        """The one VLAN that a value names; None for none. BadLine for several, or none known."""
        if value is None or isinstance(value, int):
            return value
        vids = self.vids(value)
        if len(vids) != 1:
            raise BadLine("one VLAN is expected here")
        return next(iter(vids))

    def numbered(self, key: Any) -> VlanSet:
        """The VLANs that a head names. BadLine for a name whose number is never said."""
        if is_name(key) and key.items[0] not in self._by_name:
            raise BadLine(
                f"the VLAN {key.items[0]!r} has no number", "state its number in the block"
            )
        return self.vids(key)
