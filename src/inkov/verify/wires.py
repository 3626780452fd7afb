"""Which port is cabled to which, worked out by the verifier's own code from what devices report and
tables say (FM 4.7, FM 4.9, FM 4.11).
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator
from itertools import combinations
from typing import NamedTuple

from inkov.campus import Campus, Device

__all__ = ["Wires", "wires_of"]

End = tuple[str, str]
_MOST = 32  # ports on one wire; of more, none are followed


class Wires(NamedTuple):
    """`cables` are pairs of ports, as (switch, port, far switch, far port); at the ports `occupied`
    (switch, port, name) somebody of that name is reported who is not among the files. Two of one
    name, by what they call themselves besides, have two here.
    """

    cables: list[tuple[str, str, str, str]]
    occupied: list[tuple[str, str, str]]


class _Report(NamedTuple):
    near: End
    far: End
    about: str = ""  # the far port's description
    serial: str = ""  # what the far device calls itself besides its name


def wires_of(campus: Campus) -> Wires:
    """All cables that reports and tables tell of."""
    devices = _Devices(campus)
    direct: dict[frozenset[End], None] = {}
    occupied: list[tuple[End, _Report]] = []
    for report in _reports(campus):
        near, far = devices.called(report.near[0]), devices.called(report.far[0], report.serial)
        # Told from the side without a file: turned round.
        if near is None and far is not None:  # told from the side that has no file
            report, near, far = _Report(report.far, report.near), far, None  # noqa: PLW2901
        port = devices.port(near, report.near[1]) if near is not None else None
        # Neither has a file, or the port is not there: no cable.
        if near is None or port is None:
            continue
        # The far side has no file: somebody is there, whoever that is.
        if far is None:
            occupied.append(((near, port), report))
            continue
        there = devices.port(far, report.far[1], report.about)
        # A cable from a port to itself is none.
        if there is not None and (near, port) != (far, there):
            direct[frozenset([(near, port), (far, there)])] = None
    pairs = [sorted(pair) for pair in direct]
    pairs += [sorted(pair) for pair in _on_one_wire(campus, direct)]
    return Wires([(*one, *other) for one, other in pairs], [*_called(occupied)])


_ADDRESS = re.compile(r"[0-9]+([.][0-9]+){3}|[0-9a-f]{4}([.][0-9a-f]{4}){2}")

_MAC = re.compile(r"[0-9a-f]{1,2}([:-][0-9a-f]{1,2}){5}|[0-9a-f]{4}([.:-][0-9a-f]{4}){2}")


def _called(occupied: list[tuple[End, _Report]]) -> Iterator[tuple[str, str, str]]:
    """Who is at which port, by a name that nobody else has: without its domain, if that says
    enough, and with its serial, if there are several.
    """
    names = sorted({report.far[0].lower() for _, report in occupied})
    in_domains: dict[str, list[str]] = {}
    for name in names:
        first, dot, _ = name.partition(".")
        if dot and not _ADDRESS.fullmatch(name):
            in_domains.setdefault(first, []).append(name)
    # The same switch with its domain and without, or two with one first name.
    same = {
        name: first
        for first, those in in_domains.items()
        for name in those
        if len(those) == 1 or first in names
    }
    serials: dict[str, set[tuple[str, bool]]] = {}
    for _, report in occupied:
        name = report.far[0].lower()
        serials.setdefault(same.get(name, name), set()).add(_serial(report))
    for (switch, port), report in occupied:
        name = report.far[0].lower()
        own = same.get(name, name)
        # A serial that is missing, or is an address where another one is none, tells nothing.
        told = serials[own]
        comparable = all(plain for plain, _ in told) and len({kind for _, kind in told}) == 1
        yield switch, port, f"{own} {_serial(report)[0]}" if comparable else own


def _serial(report: _Report) -> tuple[str, bool]:
    """What a box calls itself besides, without marks, and whether it is a hardware address."""
    text = report.serial.lower()
    return re.sub(r"[\W_]", "", text), _MAC.fullmatch(text) is not None


def _reports(campus: Campus) -> Iterator[_Report]:
    for n in campus.neighbours:
        far = n.far_device, n.far_port
        yield _Report((n.device, n.port), far, n.far_port_description, n.far_known_as)
    for c in campus.cables:
        yield _Report((c.device, c.port), (c.far_device, c.far_port))


def _on_one_wire(campus: Campus, direct: dict[frozenset[End], None]) -> Iterator[frozenset[End]]:
    """The ports that hear each other since one port is cabled to all of them (FM 4.9)."""
    near: dict[End, list[End]] = {}
    for one, other in direct:
        near.setdefault(one, []).append(other)
        near.setdefault(other, []).append(one)
    known = {frozenset(_whole(campus, end) for end in pair) for pair in direct}
    seen: set[End] = set()
    for start in near:
        wire = [] if start in seen else [start]
        for end in wire:  # grows
            if end not in seen:
                seen.add(end)
                wire += near[end]
        for pair in combinations(dict.fromkeys(wire), 2) if len(set(wire)) <= _MOST else ():
            ends = frozenset(_whole(campus, end) for end in pair)
            # The same two ends by their bundles are known already.
            if frozenset(pair) not in direct and len(ends) == 2 and ends not in known:
                yield frozenset(pair)


def _whole(campus: Campus, end: End) -> End:
    """FM 1.7: a member of a bundle is its bundle."""
    ports = campus.devices[end[0]].ports
    member_of = ports[end[1]].bundle
    bundle = ports.get(member_of.value) if member_of is not None else None
    apart = bundle is None or bundle.bundle is not None or bundle.name == end[1]
    return end if apart or bundle is None else (end[0], bundle.name)


# --- names ----------------------------------------------------------------------------------------

_Answers = Callable[[str], bool]


def _one(names: Iterable[str], answers: _Answers) -> str | None:
    """The only name that answers."""
    answering = [name for name in names if answers(name)]
    # Several that answer are nobody.
    return answering[0] if len(answering) == 1 else None


def _even(name: str) -> str:
    """A name without what people vary: case, spaces, leading zeros of numbers."""
    return re.sub(r"(?<![0-9])0+(?=[0-9])", "", "".join(name.casefold().split()))


def _word_and_numbers(name: str) -> tuple[str, str]:
    start = next((n for n, mark in enumerate(name) if mark in "0123456789"), len(name))
    return name[:start].rstrip("-_./ "), name[start:]


class _Index:
    """Names by a reading of them: what each reads as -> the names that do."""

    def __init__(self, named: Iterable[tuple[str, str]]) -> None:
        self.names: dict[str, list[str]] = {}
        for reads_as, name in named:
            own = self.names.setdefault(reads_as, [])
            own += [] if name in own else [name]

    def only(self, reads_as: str) -> str | None:
        names = self.names.get(reads_as, [])
        return names[0] if len(names) == 1 else None


class _Devices:
    """Finds devices, and their ports, by what reports call them."""

    def __init__(self, campus: Campus) -> None:
        self.devices = campus.devices
        self.even = _Index((_even(name), name) for name in campus.devices)
        self.first = _Index((_even(name).split(".")[0], name) for name in campus.devices)
        self.besides = _Index(
            (_even(text), name) for name, d in campus.devices.items() for text in d.known_as
        )
        self._ports: dict[str, _Ports] = {}

    def called(self, name: str, serial: str = "") -> str | None:
        """A device by its name; by that without a domain, or with more of it; by what else it is
        known as.
        """
        # Its very name comes before all readings of it.
        if name in self.devices:
            return name
        even = _even(name)
        parts = even.split(".")

        def goes_on(other: str) -> bool:
            theirs = _even(other).split(".")
            length = min(len(parts), len(theirs))
            return parts[:length] == theirs[:length]

        # By its name, without its domain, with more of it, by what else it is known as.
        return (
            self.even.only(even)
            or self.even.only(parts[0])
            or _one(self.first.names.get(parts[0], ()), goes_on)
            or (self.besides.only(even) if name else None)
            or (self.besides.only(_even(serial)) if serial else None)
        )

    def port(self, device: str, name: str, about: str = "") -> str | None:
        """A port of a device by its name, an abbreviation, what else it is known as, or by its
        description; or by one that the report brings.
        """
        # As before: the very name first.
        if name in self.devices[device].ports:
            return name
        if device not in self._ports:
            self._ports[device] = _Ports(self.devices[device])
        ports = self._ports[device]
        return (
            ports.named(name)
            or ports.besides.only(_even(name))
            or (ports.named(about) if about else None)
        )


class _Ports:
    """Finds the ports of one device."""

    def __init__(self, device: Device) -> None:
        self.ports = device.ports
        self.even = _Index((_even(name), name) for name in device.ports)
        self.numbers = _Index((_word_and_numbers(_even(name))[1], name) for name in device.ports)
        self.described = _Index(
            (_even(p.description.value), p.name)
            for p in device.ports.values()
            if p.description is not None
        )
        self.besides = _Index(
            (_even(text), p.name) for p in device.ports.values() for text in p.known_as
        )

    def named(self, name: str) -> str | None:
        if name in self.ports:
            return name
        even = _even(name)
        word, numbers = _word_and_numbers(even)

        def begins_alike(other: str) -> bool:
            their = _word_and_numbers(_even(other))[0]
            return bool(word and their) and (word.startswith(their) or their.startswith(word))

        near = self.numbers.names.get(numbers, ()) if numbers else ()
        return self.even.only(even) or _one(near, begins_alike) or self.described.only(even)
