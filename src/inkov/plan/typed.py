"""From YAML with places to the types of a schema: what does not fit is a fault at its line and
column.

A map or list loses the entries that do not fit and keeps the others, so that one slip does not cost
the plan.
"""

from __future__ import annotations

import types
from collections.abc import Callable, Collection
from datetime import date
from difflib import get_close_matches
from enum import Enum
from functools import cache
from ipaddress import ip_address, ip_interface, ip_network
from typing import Annotated, Any, Literal, Union, get_args, get_origin

from msgspec import NODEFAULT, Meta, Struct
from msgspec.structs import FieldInfo, fields

from inkov.campus import Address, Origin, Subnet
from inkov.plan.schema import HostAddress
from inkov.vlanset import VlanListError, VlanSet

__all__ = ["Fault", "Place", "Typed"]

Place = tuple[int, int]
"""Line and column, from 0."""


class Fault(Exception):
    """What is wrong, and where."""

    def __init__(self, place: Place, says: str) -> None:
        super().__init__(says)
        self.place = place


class Typed:
    """Reads values of a file as types. `report` is told of the faults that cost no more than one
    entry.
    """

    def __init__(self, file: str, report: Callable[[Fault], None]) -> None:
        self.file = file
        self.report = report

    def read(self, node: Any, kind: Any, place: Place) -> Any:
        """The value of `kind` at a node. Raises Fault."""
        if isinstance(kind, type) and issubclass(kind, Struct):
            return self._struct(node, kind, place)
        if kind in _LEAVES:
            return _leaf(node, kind, place)
        outer, inner = get_origin(kind), get_args(kind)
        if outer is Annotated:
            return self._annotated(node, inner, place)
        # A type or nothing: the one type that is left.
        if outer in (Union, types.UnionType):
            [only] = [inner_type for inner_type in inner if inner_type is not type(None)]
            return None if node is None else self.read(node, only, place)
        if isinstance(kind, type) and issubclass(kind, Enum):
            return kind(_chosen(node, [member.value for member in kind], place))
        if outer is Literal:
            # YAML has read `on` as true already.
            word = _YES_NO.get(node, node) if isinstance(node, bool) else node
            return _chosen(word, inner, place, shown=node)
        if outer is list:
            return self._list(node, inner[0], place)
        assert outer is dict, kind
        return self._map(node, inner, place)

    def _annotated(self, node: Any, inner: tuple[Any, ...], place: Place) -> Any:
        """A list of names, for which one name may stand; or a number within bounds."""
        if get_origin(inner[0]) is not list:
            return _bounded(node, inner[1], place)
        if isinstance(node, list):
            return self.read(node, inner[0], place)
        return [_leaf(node, str, place)]

    def _list(self, node: Any, kind: Any, place: Place) -> list[Any]:
        if not isinstance(node, list):
            raise Fault(place, f"expected here: a list, not {_shown(node)}")
        where = node.lc.item  # type: ignore[attr-defined]
        # An item without a place of its own stands where the list does.
        items = [(None, n, where(i) or place) for i, n in enumerate(node)]
        return self._each(items, None, kind)

    def _map(self, node: Any, inner: tuple[Any, ...], place: Place) -> dict[Any, Any]:
        if not isinstance(node, dict):
            raise Fault(place, f"expected here: a map, not {_shown(node)}")
        lines = node.lc  # type: ignore[attr-defined]
        pairs = [(key, value, _at(lines.key, key, place)) for key, value in node.items()]
        return dict(self._each(pairs, inner[0], inner[1]))

    def _each(self, entries: list[tuple[Any, Any, Place]], keys: Any, values: Any) -> list[Any]:
        values_read = []
        for key, value, place in entries:
            try:
                if keys is None:
                    values_read.append(self.read(value, values, place))
                else:
                    values_read.append(
                        (self.read(key, keys, place), self.read(value, values, place))
                    )
            except Fault as fault:
                # One entry less: the others still count.
                self.report(fault)
        return values_read

    def _struct(self, node: Any, kind: type[Struct], place: Place) -> Struct:
        known = _known(kind)
        origin = {"origin": Origin(self.file, place[0] + 1)}
        short = getattr(kind, "short", "")
        if short and not isinstance(node, dict):
            # An entry with nothing behind its colon, where nothing needs to be said.
            if node is None and known[short].default is not NODEFAULT:
                return kind(**origin)
            return kind(**{short: self.read(node, known[short].type, place)}, **origin)
        if not isinstance(node, dict):
            raise Fault(place, f"expected here: a map with {', '.join(known)}; not {_shown(node)}")
        values: dict[str, Any] = {}
        lines = node.lc  # type: ignore[attr-defined]
        for key, value in node.items():
            at = _at(lines.key, key, place)
            # Not passed over: a slip in a key would leave the rule out.
            if key not in known:
                self.report(
                    Fault(at, f"{_shown(key)} is not known here{_nearest(str(key), list(known))}")
                )
                continue
            try:
                # A map begins where its key stands, a value behind it.
                where = at if isinstance(value, dict) else _at(lines.value, key, place)
                values[known[key].name] = self.read(value, known[key].type, where)
            except Fault as fault:
                # Without what it needs, the entry means nothing.
                if known[key].required:
                    raise
                self.report(fault)
        for name, f in known.items():
            if f.required and f.name not in values:
                raise Fault(place, f"`{name}` is missing here")
        return kind(**values, **origin)


@cache
def _known(kind: type[Struct]) -> dict[str, FieldInfo]:
    """What may be said in an entry of a kind: by keys as they are written."""
    return {field.encode_name: field for field in fields(kind) if field.name != "origin"}


def _at(where: Callable[[Any], Place], key: Any, place: Place) -> Place:
    """Where a key of a map, or its value, stands; the map's own place for one that is merged in
    (`<<`).
    """
    try:
        # Merged in from elsewhere (`<<`): it has no place in this map.
        return where(key)
    except KeyError:
        return place


_YES_NO = {True: "on", False: "off"}


def _vlans(node: Any) -> VlanSet:
    # A list of numbers, or one text: both are natural in YAML.
    if isinstance(node, list):
        return VlanSet.parse(",".join(str(item) for item in node))
    return VlanSet.parse(str(node))


def _text(node: Any) -> str:
    if isinstance(node, (dict, list)) or node is None:
        raise ValueError
    # A name that YAML took for yes or no.
    return _YES_NO[node] if isinstance(node, bool) else str(node)


def _whole(node: Any) -> int:
    if isinstance(node, bool) or not isinstance(node, int):
        raise ValueError
    return int(node)


def _truth(node: Any) -> bool:
    if isinstance(node, bool):
        return node
    return {"yes": True, "no": False, "on": True, "off": False}[str(node).lower()]


def _day(node: Any) -> date:
    # A time stamp is a day with an hour that nobody asked for.
    if isinstance(node, date):
        return date(node.year, node.month, node.day)
    return date.fromisoformat(str(node))


def _interface(node: Any) -> Any:
    if "/" not in str(node):
        raise ValueError
    return ip_interface(str(node))


_LEAVES: dict[Any, tuple[Callable[[Any], Any], str]] = {
    str: (_text, "a text"),
    int: (_whole, "a whole number"),
    bool: (_truth, "yes or no"),
    date: (_day, "a day, as in 2027-01-31"),
    VlanSet: (_vlans, "VLANs, as in 10,20-30"),
    Address: (_interface, "an address with its prefix, as in 10.0.0.5/24"),
    HostAddress: (lambda node: ip_address(str(node)), "an address, as in 10.0.0.1"),
    Subnet: (lambda node: ip_network(str(node)), "a subnet, as in 10.0.10.0/24"),
}


def _leaf(node: Any, kind: Any, place: Place) -> Any:
    read, expected = _LEAVES[kind]
    try:
        return read(node)
    except VlanListError as error:
        raise Fault(place, f"expected here: {expected}; {error.reason}") from None
    except (ValueError, KeyError, TypeError):
        raise Fault(place, f"expected here: {expected}; not {_shown(node)}") from None


def _chosen(word: Any, choices: Collection[Any], place: Place, shown: Any = None) -> Any:
    """A word that is one of some choices; `shown` is how the plan has it. Raises Fault."""
    if word not in choices:
        told = _shown(word if shown is None else shown)
        raise Fault(place, f"{told} is not one of: {', '.join(map(str, choices))}")
    return word


def _bounded(node: Any, meta: Meta, place: Place) -> int:
    """A VLAN number: nothing else in a plan has bounds."""
    assert meta.ge is not None and meta.le is not None
    if isinstance(node, bool) or not isinstance(node, int) or not meta.ge <= node <= meta.le:
        raise Fault(place, f"{_shown(node)} is not a VLAN number ({meta.ge} to {meta.le})")
    return int(node)


def _shown(node: Any) -> str:
    if isinstance(node, (dict, list)):
        return "a map" if isinstance(node, dict) else "a list"
    return (
        "nothing"
        if node is None
        else repr(node)[:60]
        if not isinstance(node, bool)
        else _YES_NO[node]
    )


def _nearest(name: str, known: list[str]) -> str:
    close = get_close_matches(name, known, n=2, cutoff=0.5)
    return f"; did you mean {' or '.join(close)}?" if close else f"; known are {', '.join(known)}"
