"""The words of switch sheets: what values, names, ranges of names and places look like, and what a
port's keys mean.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from ipaddress import ip_interface, ip_network
from typing import Any

from inkov.campus import (
    Accept,
    Aggregation,
    FilterEntry,
    Guard,
    Mode,
    Negotiation,
    Origin,
    Role,
    address_text,
)
from inkov.vlanset import VlanSet

__all__ = [
    "DISTRIBUTION_KEYS",
    "MOST_PORTS",
    "ON",
    "PORT_KEYS",
    "YES",
    "BadLine",
    "as_value",
    "bridge_address",
    "filter_entry",
    "names",
    "numbered",
    "one_address",
    "one_of",
    "one_vid",
    "place_pair",
    "unclear_entry",
    "values_of",
    "vid_or_none",
    "vids_or_unset",
    "whole_number",
]

MOST_PORTS = 4096
"""Ports of one range: a switch has fewer, and "1..999999999" must not fill the memory."""


class BadLine(ValueError):
    """A line that does not follow the grammar: what is wrong, and the cure."""

    def __init__(self, says: str, cure: str = "") -> None:
        super().__init__(says)
        self.cure = cure


# --- words of one value ---------------------------------------------------------------------------


def one_vid(text: str) -> int:
    vids = VlanSet.parse(text)
    if len(vids) != 1:
        # An empty list and a list of several are both no single VLAN.
        raise BadLine(f"one VLAN number is expected, not {text!r}")
    return next(iter(vids))


def vid_or_none(text: str) -> int | None:
    return None if text.strip().lower() == "none" else one_vid(text)


def whole_number(text: str) -> int:
    """A number from 0 to 2**32 - 1."""
    if text.isascii() and text.isdigit() and len(text) < 11 and int(text) < 1 << 32:
        return int(text)
    raise BadLine(f"a whole number is expected, not {text!r}")


def one_address(text: str) -> Any:
    """An IPv4 or IPv6 address with its prefix."""
    try:
        return ip_interface(text)
    except ValueError:
        raise BadLine(
            f"{text!r} is not an address with its prefix", "write it as 10.0.0.1/24"
        ) from None


_FILTER = re.compile(r"(accept|reject)\s+from\s+(\S+)\s+to\s+(\S+?)(\s+in part)?\Z", re.IGNORECASE)


def filter_entry(key: str, value: str, at: Origin) -> FilterEntry:
    """One line of a filter: `10: reject from any to 10.50.0.0/24`; with `in part` where it is finer
    than subnets.
    """
    match = _FILTER.match(value.strip())
    if match is None:
        raise BadLine(
            f"{value!r} is no entry of a filter",
            "write it as accept from PREFIX to any, or reject ...",
        )
    try:
        source, destination = (
            None if w.lower() == "any" else ip_network(w) for w in (match[2], match[3])
        )
    except ValueError as error:
        raise BadLine(str(error), "write a subnet as 10.0.0.0/24") from None
    return FilterEntry(
        whole_number(key), match[1].lower() == "accept", source, destination, bool(match[4]), at
    )


def unclear_entry(at: Origin) -> FilterEntry:
    """What stands for an entry that is not understood. It may let anything pass, wherever it
    stands: without it, the others might seem to stop all (FM 5.7).
    """
    return FilterEntry(0, True, None, None, True, at)


def vids_or_unset(text: str) -> VlanSet | None:
    return VlanSet.parse(text)


def one_of(words: dict[str, Any]) -> Callable[[str], Any]:
    def read(text: str) -> Any:
        word = " ".join(text.lower().split())
        if word not in words:
            raise BadLine(f"{text!r} is not one of: {', '.join(words)}")
        return words[word]

    return read


def as_value(text: str) -> str:
    if text.startswith('"'):
        try:
            value = json.loads(text)
        except ValueError:
            raise BadLine(
                f"{text} is not a quoted text", 'write it as "..." with \\" for a quote inside'
            ) from None
        if isinstance(value, str):
            return value
    return text


ON = {"on": True, "off": False}
YES = {"yes": True, "no": False}


def values_of(kind: Any) -> dict[str, Any]:
    return {member.value: member for member in kind}


PORT_KEYS: dict[str, tuple[str, Callable[[str], Any]]] = {
    "about": ("description", as_value),
    "state": ("enabled", one_of(ON)),
    "mode": ("mode", one_of(values_of(Mode))),
    "negotiation": ("negotiation", one_of(values_of(Negotiation))),
    "vlan": ("access_vlan", one_vid),
    "voice": ("voice_vlan", vid_or_none),
    "native": ("native_vlan", vid_or_none),
    "native tagged": ("native_tagged", one_of(YES)),
    "allowed": ("allowed", VlanSet.parse),
    "withheld": ("withheld", VlanSet.parse),
    "pvid": ("pvid", vid_or_none),
    "accept": ("accept", one_of(values_of(Accept))),
    "ingress filtering": ("ingress_filtering", one_of(ON)),
    "tagged": ("tagged", VlanSet.parse),
    "untagged": ("untagged", vids_or_unset),
    "primary": ("primary", one_vid),
    "secondary": ("secondary", one_vid),
    "secondaries": ("secondaries", VlanSet.parse),
    "protected": ("protected", one_of(YES)),
    "registration": ("registration", one_of(ON)),
    "forbidden": ("forbidden", VlanSet.parse),
    "in force": ("in_force", VlanSet.parse),
    "prunable": ("prunable", VlanSet.parse),
    "aggregation": ("aggregation", one_of(values_of(Aggregation))),
    "edge": ("edge", one_of(YES)),
    "guard": ("guard", one_of(values_of(Guard))),
    "bpdu guard": ("bpdu_guard", one_of(ON)),
    "mtu": ("mtu", whole_number),
    "speed": ("speed", whole_number),
    "number": ("number", whole_number),
    "vrf": ("vrf", as_value),
    "of": ("parent", as_value),
    "tag": ("outer", one_vid),
}


def _password(text: str) -> bool:
    """Whether a password is set. Somebody may have written it out: it is not repeated."""
    if text not in ("set", "none"):
        raise BadLine(
            "of a password a sheet only says whether there is one",
            "write `password: set` or `password: none`",
        )
    return text == "set"


def bridge_address(text: str) -> str:
    """The address of a bridge, `02:00:00:00:00:01`."""
    try:
        return address_text(text)
    except ValueError as error:
        raise BadLine(str(error)) from None


DISTRIBUTION_KEYS: dict[str, tuple[str, Callable[[str], Any]]] = {
    "domain": ("domain", as_value),
    "version": ("version", whole_number),
    "role": ("role", one_of(values_of(Role))),
    "revision": ("revision", whole_number),
    "password": ("password", _password),
    "pruning": ("pruning", one_of(ON)),
}


# --- lists of names -------------------------------------------------------------------------------

_NAME = re.compile(r'\s*("(?:[^"\\]|\\.)*"|[^\s,:;#"\[\]]+)\s*')
_LAST = re.compile(rf"\.\.{_NAME.pattern}")
_RANGE_IN_NAME = re.compile(r'[0-9]\.\.[^."]*[0-9]"\Z')
TAIL = re.compile(r"(.*?)([0-9]+)\Z", re.DOTALL)


def names(text: str) -> list[str]:
    """Comma-separated names, each bare or in quotes; `A..B` stands for all from A to B by their
    last number (`"bed 1".."bed 4"` where there are spaces in the names).
    """
    listed: list[str] = []
    at = 0
    while True:
        match = _NAME.match(text, at)
        if match is None:
            raise BadLine(
                f"a name is missing or not well formed in {text!r}",
                "put names with spaces or : , ; in quotes",
            )
        last = _LAST.match(text, match.end(1)) if match[1].startswith('"') else None
        # `"bed 1..bed 4"` in one pair of quotes would be one port with a strange name.
        if last is None and _RANGE_IN_NAME.search(match[1]):
            cure = 'write a range as "A 1".."A 4", the dots outside the quotes'
            raise BadLine(f"{match[1]} is one name, not a range", cure)
        if last is not None:
            listed.extend(_between(text, as_value(match[1]), as_value(last[1])))
            match = last
        else:
            listed.extend([as_value(match[1])] if match[1].startswith('"') else _range(match[1]))
        at = match.end()
        if at == len(text):
            return listed
        if text[at] != ",":
            raise BadLine(f"a comma is expected before {text[at:]!r}")
        at += 1


def _range(word: str) -> list[str]:
    first, dots, last = word.partition("..")
    if not dots:
        return [word]
    return _between(word, first, last)


def _between(shown: str, first: str, last: str) -> list[str]:
    """The names from the first to the last; `shown` is what is written, for the message."""
    low, high = TAIL.match(first), TAIL.match(last)
    # `a1..4` is short for `a1..a4`; another stem is no range.
    if low is None or high is None or high[1] not in ("", low[1]):
        raise BadLine(f"{shown!r} is not a range of names", "write it as 1..12 or a1..a12")
    return numbered(low[1], low[2], high[2])


def numbered(stem: str, low: str, high: str) -> list[str]:
    """The names from one number to another behind a stem. BadLine if they are too many, or none.

    Leading zeros are a part of the name: `01` to `03` are `01`, `02`, `03`. A number with zeros
    and one of another length cannot both be meant (`1` to `03`).
    """
    shown = f"{stem}{low} to {stem}{high}"
    if len(low) > 9 or len(high) > 9:
        raise BadLine(f"{shown} is not a range of names: the numbers are too long")
    # With zeros in front, the number of digits is part of the name (see above).
    padded = low[0] == "0" or high[0] == "0"
    if padded and len(low) != len(high) and (low != "0" or high[0] == "0"):
        raise BadLine(f"{shown}: the numbers have leading zeros, and different lengths")
    if not 0 <= int(high) - int(low) < MOST_PORTS:
        raise BadLine(f"{shown} runs backwards or holds more than {MOST_PORTS} names")
    width = len(low) if padded else 0
    return [f"{stem}{number:0{width}d}" for number in range(int(low), int(high) + 1)]


def place_pair(text: str) -> tuple[str, str]:
    """`SWITCH:PORT`, either part bare or in quotes."""
    match = _NAME.match(text)
    second = (
        _NAME.match(text, match.end() + 1)
        if match and text[match.end() : match.end() + 1] == ":"
        else None
    )
    # Anything behind the port is no part of a place.
    if match is None or second is None or second.end() != len(text):
        raise BadLine(f"{text!r} is not a place", "write it as SWITCH:PORT")
    return as_value(match[1]), as_value(second[1])
