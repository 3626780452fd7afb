"""Finding a device or a port under the name that another device has for it.

A neighbour report spells names as the far end announces them, a cabling table as somebody typed
them. `NameFinder` knows the names of one kind in one place and finds the one meant, in this order,
each step only if it points to one name:

1. the same text; 2. the same but for case, spaces and leading zeros of numbers; 3. the same
numbers, and a word that begins like the other ("eth1/2" and "ethernet 1/2"); 4. for ports, the
description; for devices, the name without its domain, or a part of that ("gate-1.garden.example"
and "gate-1"); 5. what the device or port is known as besides (`KnownAs`): a chassis ID, an address.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from ipaddress import ip_address

__all__ = ["KnownAs", "NameFinder", "is_address"]

_PARTS = re.compile(r"([^0-9]*)([0-9].*)?\Z", re.DOTALL)


def _plain(name: str) -> str:
    return re.sub(r"(?<![0-9])0+(?=[0-9])", "", "".join(name.casefold().split()))


def _split(plain: str) -> tuple[str, str]:
    match = _PARTS.match(plain)
    assert match is not None
    # Without the closing mark of the word, "eth-1" and "ethernet1" have the same two parts.
    return match[1].rstrip("-_./ "), match[2] or ""


class NameFinder:
    """The names of one kind in one place. `aliases` maps further texts to names (port
    descriptions).
    """

    def __init__(
        self,
        names: Iterable[str],
        aliases: Mapping[str, str] | None = None,
        *,
        domains: bool = False,
    ) -> None:
        self._exact = set(names)
        self._domains = domains
        self._plain: dict[str, set[str]] = {}
        self._tails: dict[str, set[str]] = {}
        self._aliases: dict[str, set[str]] = {}
        for name in self._exact:
            plain = _plain(name)
            self._plain.setdefault(plain, set()).add(name)
            self._tails.setdefault(_split(plain)[1], set()).add(name)
            # Short names are kept as aliases: two switches with one short name make it mean
            # neither.
            if domains:
                self._aliases.setdefault(plain.partition(".")[0], set()).add(name)
        for name, alias in (aliases or {}).items():
            self._aliases.setdefault(_plain(alias), set()).add(name)

    def find(self, text: str) -> str | None:
        """The name that `text` means, or None if there is none or more than one."""
        if text in self._exact:
            return text
        plain = _plain(text)
        if self._domains:
            short = plain.partition(".")[0]
            named = self._aliases.get(short, set())
            # The plain name, then the short one if a device is really called that, then names of
            # which one goes on where the other ends: each only if it is the only one.
            return (
                _only(self._plain.get(plain))
                or _only(self._plain.get(short))
                or _only({name for name in named if _same_but_for_length(_plain(name), plain)})
            )
        return (
            _only(self._plain.get(plain))
            or self._abbreviated(plain)
            or _only(self._aliases.get(plain))
        )

    def _abbreviated(self, plain: str) -> str | None:
        word, tail = _split(plain)
        # A name without a number is a word, and words are not completed: "a" would mean anything.
        if not tail:
            return None
        near = set()
        for name in self._tails.get(tail, ()):
            other = _split(_plain(name))[0]
            if word and other and (other.startswith(word) or word.startswith(other)):
                near.add(name)
        return _only(near)


class KnownAs:
    """Further names of devices, or of one device's ports: addresses, and names of another kind.

    `pairs` are (name, a further name of it). What two are known as tells neither.
    """

    def __init__(self, pairs: Iterable[tuple[str, str]]) -> None:
        self._of: dict[str, set[str]] = {}
        for name, text in pairs:
            self._of.setdefault(_plain(text), set()).add(name)

    def find(self, text: str) -> str | None:
        """The one that is known as `text`, if there is just one."""
        return _only(self._of.get(_plain(text))) if text else None


_HARDWARE = re.compile(
    r"[0-9a-f]{1,2}([:-][0-9a-f]{1,2}){5}|[0-9a-f]{4}([.:-][0-9a-f]{4}){2}", re.I
)


def is_hardware(text: str) -> bool:
    """True for a hardware address."""
    return _HARDWARE.fullmatch(text) is not None


def is_address(text: str) -> bool:
    """True for a hardware or an IP address: a name that a switch goes by besides its own."""
    if is_hardware(text):
        return True
    try:
        ip_address(text)
    except ValueError:
        return False
    return True


def _same_but_for_length(one: str, other: str) -> bool:
    """True if one name goes on where the other ends. Two domains, or two addresses, are two
    devices, however they begin.
    """
    return f"{one}.".startswith(f"{other}.") or f"{other}.".startswith(f"{one}.")


def _only(names: set[str] | None) -> str | None:
    return next(iter(names)) if names and len(names) == 1 else None
