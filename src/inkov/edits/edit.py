"""What an edit is, and what two values have in common when where they were said does not count."""

from __future__ import annotations

from enum import StrEnum
from functools import cache
from typing import Any

from msgspec import Struct
from msgspec.structs import astuple, fields

from inkov.campus import Basis, Fact, Origin, Platform

__all__ = ["Edit", "Kind", "in_words", "places_of", "same"]

_WORDS = {
    "vlan": "VLAN",
    "vlans": "VLANs",
    "pvid": "PVID",
    "mtu": "MTU",
    "bpdu": "BPDU",
    "vrf": "routing table",
}


def in_words(attribute: str) -> str:
    """An attribute or a kind as people call it: `native_vlan` is the native VLAN."""
    return " ".join(_WORDS.get(word, word) for word in attribute.split("_"))


class Kind(StrEnum):
    """What is edited. Tables (cables, hosts, ...) belong to no switch alone."""

    SWITCH = "switch"
    VLAN = "vlan"
    PORT = "port"
    BRIDGE = "bridge"
    GATEWAY = "gateway"
    TREE = "tree"
    DISTRIBUTION = "distribution"
    FILTER = "filter"
    CABLE = "cable"
    NEIGHBOUR = "neighbour"
    HOST = "host"
    PLANNED = "planned port"
    SECOND_SOURCE = "second source"


class Edit(Struct, frozen=True):
    """One difference: `attribute` of a thing is no longer `before`, but `after`.

    `before` and `after` are the values as the model keeps them (facts have their origin), None for
    what is not stated. Where `attribute` is "", they are the whole thing, None where it is not
    there. `was` and `becomes` are what holds for a port where nothing is stated: the platform's
    default. `name` is the thing's own within its switch: a port's name, a VID. `rows` are the
    places of the thing before and after: a value without a place of its own, as in the row of a
    table, is said there.
    """

    switch: str
    kind: Kind
    name: str
    attribute: str
    before: Any
    after: Any
    was: Fact[Any] | None = None
    becomes: Fact[Any] | None = None
    rows: tuple[Origin | None, Origin | None] = (None, None)

    @property
    def place(self) -> tuple[str, Kind, str, str]:
        """What it is of: two edits of one place contradict each other, or follow one another."""
        return self.switch, self.kind, self.name, self.attribute

    @property
    def whole(self) -> bool:
        """True if the thing itself comes or goes."""
        return not self.attribute

    @property
    def by_default(self) -> bool:
        """True if what holds now is not stated (any more): a default of the platform."""
        return self.becomes is not None and self.after is None

    @property
    def idle(self) -> bool:
        """True if what is stated changes, and what holds does not: a default was the same."""
        old = self.before if self.before is not None else self.was
        new = self.after if self.after is not None else self.becomes
        stated = self.was is not None or self.becomes is not None
        return stated and same(old, new)

    @property
    def where(self) -> tuple[Origin | None, Origin | None]:
        """The places that say it: in the old campus, and in the new one; None where none does."""
        before, after = place_of(self.before), place_of(self.after)
        return (before, after) if before is not None or after is not None else self.rows


def place_of(value: Any) -> Origin | None:
    """The first of the places where a value was said; None if it was said nowhere."""
    return next(iter(places_of(value)), None)


def places_of(value: Any) -> list[Origin]:
    """The places in files where a value was said, a thing's own first."""
    # A default is said nowhere.
    if isinstance(value, Origin):
        return [value] if value.file and value.basis is not Basis.DEFAULT else []
    origin = getattr(value, "origin", None)
    if isinstance(origin, Origin):
        return places_of(origin)
    # Of things that hold things, the places of each.
    if isinstance(value, dict):
        value = value.values()
    elif not isinstance(value, (list, tuple)):
        return []
    return [origin for item in value for origin in places_of(item)]


_ABOUT_THE_FILE = ("origin", "overridden")


@cache
def _counting(kind: type[Struct]) -> tuple[bool, ...]:
    """Which fields of a structure say something about the campus."""
    return tuple(field.name not in _ABOUT_THE_FILE for field in fields(kind))


def same(one: Any, other: Any) -> bool:
    """Whether two values mean the same, wherever they were said."""
    # Nearly all values are shared by both sides.
    if one is other:
        return True
    # A number and a text are never the same, even if they compare so.
    if type(one) is not type(other):
        return False
    # Where it was said does not count.
    if isinstance(one, Fact):
        return bool(one.value == other.value)
    if isinstance(one, Origin):
        return True
    # The statements of a make need not be compared, its defaults do.
    if isinstance(one, Platform):
        return one.name == other.name and same(one.unstated, other.unstated)
    if isinstance(one, Struct):
        pairs = zip(astuple(one), astuple(other), strict=True)
        for (a, b), counts in zip(pairs, _counting(type(one)), strict=True):
            if a is not b and counts and not same(a, b):  # nearly all are None on both sides
                return False
        return True
    if isinstance(one, dict):
        return one.keys() == other.keys() and all(same(one[key], other[key]) for key in one)
    if isinstance(one, (list, tuple)):
        return len(one) == len(other) and all(map(same, one, other))
    return bool(one == other)
