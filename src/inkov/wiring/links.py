"""From reports to links.

Every report (a neighbour heard, a row of a cabling table) names two ports. What the reports agree
on becomes a link with all its evidence. A port that different reports join to different ports is a
conflict; each of these links is kept, since what follows must not take for apart what may be
joined. Members of a bundle stand for their bundle.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations
from typing import NamedTuple

from msgspec import Struct, field

from inkov.campus import Campus, Device, Neighbour, Origin, natural
from inkov.wiring.names import KnownAs, NameFinder

__all__ = ["Claim", "Conflict", "End", "Evidence", "Link", "Outside", "Stray", "Wiring", "wire"]


class End(NamedTuple):
    """One end of a link: a port (or bundle) of a device."""

    device: str
    port: str

    def __str__(self) -> str:
        return f"{self.device}:{self.port}"


class Evidence(Struct, frozen=True, gc=False):
    """One report of a link. `by` is the device that heard the other one, or "" for a cabling table.

    `spelled` is the far port as the report writes it, where the configuration writes it otherwise.
    """

    by: str
    origin: Origin
    spelled: str = ""


class Link(Struct, frozen=True, gc=False):
    """A link between two ends, `a` before `b` in natural order.

    `cables` are the physical ports it consists of, one pair for each cable (several where the ends
    are bundles).
    """

    a: End
    b: End
    cables: tuple[tuple[End, End], ...]
    evidence: tuple[Evidence, ...]

    def far(self, end: End) -> End:
        return self.b if end == self.a else self.a

    @property
    def seen_by(self) -> list[str]:
        """The devices whose neighbour reports show the link."""
        return sorted({e.by for e in self.evidence if e.by}, key=natural)

    @property
    def one_sided(self) -> bool:
        """True if just one end reports the link, and no cabling table confirms it."""
        # A cabling table is the word of whoever laid the cable: it needs no second witness.
        if any(not e.by for e in self.evidence):
            return False
        return not {self.a.device, self.b.device} <= {e.by for e in self.evidence}


class Outside(Struct, frozen=True, gc=False):
    """A neighbour that is not among the files: `far` and `far_port` as it was reported, and what it
    calls itself besides (its chassis ID).
    """

    near: End
    far: str
    far_port: str
    origin: Origin
    known_as: str = ""


class Conflict(Struct, frozen=True):
    """One port, and the different ports that reports join it to."""

    near: End
    links: tuple[Link, ...]


class Stray(Struct, frozen=True):
    """A report that leads to no port: what is wrong with it."""

    near: End
    says: str
    origin: Origin


class Claim(Struct, frozen=True, gc=False):
    """What a neighbour says of the VLANs of its port: `near` hears it, `far` is the port if it is
    among the files.
    """

    near: End
    far: End | None
    report: Neighbour


class Wiring(Struct):
    """All links, in natural order, and what reports leave open. `of` lists an end's links.

    `shared` joins the far ends of a port that is reported to reach several: all are on one wire
    (FM 4.9); `beside` lists these of an end. `attended` are ends with a link on whose wire reports
    or tables put somebody else.
    """

    links: list[Link] = field(default_factory=list)
    shared: list[Link] = field(default_factory=list)
    beside: dict[End, list[Link]] = field(default_factory=dict)
    attended: set[End] = field(default_factory=set)
    outside: list[Outside] = field(default_factory=list)
    conflicts: list[Conflict] = field(default_factory=list)
    strays: list[Stray] = field(default_factory=list)
    of: dict[End, list[Link]] = field(default_factory=dict)
    claims: list[Claim] = field(default_factory=list)

    def around(self, end: End) -> list[End]:
        """All known ends on the wire of an end."""
        return [link.far(end) for link in (*self.of.get(end, ()), *self.beside.get(end, ()))]


class _Report(NamedTuple):
    near: End
    far: End
    by: str
    origin: Origin
    description: str = ""
    known_as: str = ""


def _pair(one: End, other: End) -> tuple[End, End]:
    keys = sorted((one, other), key=lambda end: (natural(end.device), natural(end.port)))
    return keys[0], keys[1]


def bundle_of(device: Device, port: str) -> str:
    """The bundle that a port forwards as, or the port itself (FM 1.7). A bundle is in no other
    bundle.
    """
    fact = device.ports[port].bundle if port in device.ports else None
    bundle = device.ports.get(fact.value) if fact is not None else None
    # A bundle in a bundle is a mistake of the file; following it could go round for ever.
    if bundle is None or bundle.bundle is not None or bundle.name == port:
        return port
    return bundle.name


def below(device: Device, port: str) -> tuple[str, int]:
    """The port on whose wire a port is, and the tag that frames wear there (0: none): of a tagged
    sub-interface the one below it and its tag (FM 3.9), else the port itself.
    """
    own = device.ports.get(port)
    if own is None or own.parent is None or own.outer is None:
        return port, 0
    return (own.parent.value, own.outer.value) if own.parent.value in device.ports else (port, 0)


class _Finder:
    """Finds devices and ports by the names reports give them."""

    def __init__(self, campus: Campus) -> None:
        self._campus = campus
        self._devices = NameFinder(campus.devices, domains=True)
        self._known_as = KnownAs(
            (name, text) for name, device in campus.devices.items() for text in device.known_as
        )
        self._ports: dict[str, NameFinder] = {}
        self._ports_known_as: dict[str, KnownAs] = {}

    def device(self, name: str, known_as: str = "") -> str | None:
        """The device of a name, or else the one known as that, or as `known_as`."""
        return (
            self._devices.find(name) or self._known_as.find(name) or self._known_as.find(known_as)
        )

    def port(self, device: str, name: str, description: str = "") -> str | None:
        ports = self._campus.devices[device].ports
        # Reports of switches of one make spell names alike; making a finder costs much more.
        if name in ports:  # nearly always
            return name
        if device not in self._ports:
            about = {
                port.name: port.description.value
                for port in ports.values()
                if port.description is not None
            }
            self._ports[device] = NameFinder(ports, about)
            self._ports_known_as[device] = KnownAs(
                (port.name, text) for port in ports.values() for text in port.known_as
            )
        names = self._ports[device]
        return (
            names.find(name)
            or self._ports_known_as[device].find(name)
            or (names.find(description) if description else None)
        )


def wire(campus: Campus) -> Wiring:
    """All links of the campus."""
    wiring = Wiring()
    finder = _Finder(campus)
    cables: dict[tuple[End, End], list[Evidence]] = {}
    for report in _reports(campus):
        cable = _resolve(report, finder, wiring)
        if cable is not None:
            pair, evidence = cable
            kept = cables.setdefault(pair, [])
            # The same neighbour by two protocols at one port is one piece of evidence, told once.
            if evidence not in kept:
                kept.append(evidence)
    grouped: dict[tuple[End, End], list[tuple[End, End]]] = {}
    for pair in cables:
        # Members stand for their bundle from here on: two cables of a bundle are one link.
        ends = [End(end.device, bundle_of(campus.devices[end.device], end.port)) for end in pair]
        grouped.setdefault(_pair(*ends), []).append(pair)
    for (a, b), pairs in grouped.items():
        pairs.sort(key=_order)
        reports = tuple(e for pair in pairs for e in cables[pair])
        wiring.links.append(Link(a, b, tuple(pairs), reports))
    wiring.links.sort(key=lambda link: _order((link.a, link.b)))
    for link in wiring.links:
        for end in dict.fromkeys((link.a, link.b)):
            wiring.of.setdefault(end, []).append(link)
    _conflicts(wiring)
    _one_wire(campus, wiring, cables)
    _attend(campus, finder, wiring)
    wiring.claims = list(_claims(campus, finder))
    return wiring


def _claims(campus: Campus, finder: _Finder) -> Iterator[Claim]:
    """What neighbours say of their VLANs, where they say anything."""
    for report in campus.neighbours:
        # Most neighbours say nothing of VLANs; then there is nothing to compare.
        if report.far_pvid is None and report.far_vlans is None:
            continue
        near = finder.port(report.device, report.port)
        device = finder.device(report.far_device, report.far_known_as)
        port = finder.port(device, report.far_port, report.far_port_description) if device else None
        if near is not None:
            far = End(device, port) if device and port else None
            yield Claim(End(report.device, near), far, report)


def _order(pair: tuple[End, End]) -> tuple[object, ...]:
    return tuple(natural(text) for end in pair for text in end)


def _reports(campus: Campus) -> list[_Report]:
    reports = [
        _Report(
            End(n.device, n.port),
            End(n.far_device, n.far_port),
            n.device,
            n.origin,
            n.far_port_description,
            n.far_known_as,
        )
        for n in campus.neighbours
    ]
    reports += [
        _Report(End(c.device, c.port), End(c.far_device, c.far_port), "", c.origin)
        for c in campus.cables
    ]
    return reports


def _resolve(
    report: _Report, finder: _Finder, wiring: Wiring
) -> tuple[tuple[End, End], Evidence] | None:
    near_device = finder.device(report.near.device)
    far_device = finder.device(report.far.device, report.known_as)
    if (
        near_device is None and far_device is not None
    ):  # a cabling row whose first switch is not among the files
        # A cable has no direction: whichever end is among the files is the near one. What the
        # report tells of that besides its name is nothing that the other one calls itself.
        report = report._replace(near=report.far, far=report.near, known_as="")
        near_device, far_device = far_device, None
    if near_device is None:
        wiring.strays.append(
            Stray(report.near, f"{report.near.device!r} is not among the files", report.origin)
        )
        return None
    near_port = finder.port(near_device, report.near.port)
    if near_port is None:
        says = f"{near_device} has no port {report.near.port!r}"
        wiring.strays.append(Stray(End(near_device, report.near.port), says, report.origin))
        return None
    near = End(near_device, near_port)
    if far_device is None:
        wiring.outside.append(
            Outside(near, report.far.device, report.far.port, report.origin, report.known_as)
        )
        return None
    far_port = finder.port(far_device, report.far.port, report.description)
    if far_port is None:
        wiring.strays.append(
            Stray(near, f"{far_device} has no port {report.far.port!r}", report.origin)
        )
        return None
    far = End(far_device, far_port)
    if near == far:
        wiring.strays.append(
            Stray(near, "the port is reported as its own neighbour", report.origin)
        )
        return None
    # Shown where names differ, so that a person can judge whether the right port was found.
    spelled = report.far.port if report.far.port != far_port else ""
    return _pair(near, far), Evidence(report.by, report.origin, spelled)


_MOST_ON_A_WIRE = 32  # of more, whoever wrote the reports is not asked to be believed
_TOO_MANY = "more ports than can share a wire are reported to: frames among these are not followed"


def _one_wire(
    campus: Campus, wiring: Wiring, cables: dict[tuple[End, End], list[Evidence]]
) -> None:
    """Where one port is reported to reach several, each hears the others without it (FM 4.9)."""
    near: dict[End, list[End]] = {}
    for a, b in cables:
        near.setdefault(a, []).append(b)
        near.setdefault(b, []).append(a)
    done: set[End] = set()
    between: dict[tuple[End, End], list[tuple[End, End]]] = {}
    for start, fars in near.items():
        if len(fars) < 2 or start in done:
            continue
        # All that hangs together by reports is one wire: who is heard by one is heard by all.
        wire = [start]
        done.add(start)
        for end in wire:  # grows
            new = [far for far in near[end] if far not in done]
            done.update(new)
            wire += new
        if len(wire) > _MOST_ON_A_WIRE:
            wiring.strays.append(Stray(start, _TOO_MANY, _origin_at(cables, start)))
            continue
        for pair in (_pair(*ends) for ends in combinations(wire, 2)):
            # Reported pairs are links already; the others share the wire without a report.
            if pair not in cables:
                a, b = (End(e.device, bundle_of(campus.devices[e.device], e.port)) for e in pair)
                between.setdefault(_pair(a, b), []).append(pair)
    known = {(link.a, link.b) for link in wiring.links}
    for (a, b), pairs in sorted(between.items(), key=lambda item: _order(item[0])):
        # Two members of one bundle, or bundles that are linked anyway, share nothing new.
        if a != b and (a, b) not in known:
            link = Link(a, b, tuple(sorted(pairs, key=_order)), ())
            wiring.shared.append(link)
            for end in (a, b):
                wiring.beside.setdefault(end, []).append(link)


def _origin_at(cables: dict[tuple[End, End], list[Evidence]], end: End) -> Origin:
    """Where a cable at an end was reported."""
    return next(evidence[0].origin for pair, evidence in cables.items() if end in pair)


def _attend(campus: Campus, finder: _Finder, wiring: Wiring) -> None:
    """Where hosts or unknown neighbours are at a port with a known link, they are on its wire: at
    its other ends as well (FM 4.9).
    """
    places = [outside.near for outside in wiring.outside]
    for host in campus.hosts:
        name = finder.device(host.device)
        port = finder.port(name, host.port) if name is not None else None
        if name is not None and port is not None:
            places.append(End(name, port))
    for place in places:
        device = campus.devices[place.device]
        # A host at a sub-interface is on the wire of the port below, and that of its bundle.
        end = End(place.device, bundle_of(device, below(device, place.port)[0]))
        # An end without a link has nobody else on its wire that could be told.
        work = [end] if end in wiring.of and end not in wiring.attended else []
        wiring.attended.update(work)
        for near in work:  # grows
            for link in wiring.of[near]:
                far = link.far(near)
                if far not in wiring.attended:
                    wiring.attended.add(far)
                    work.append(far)


def _conflicts(wiring: Wiring) -> None:
    joined: dict[End, dict[End, Link]] = {}
    for link in wiring.links:
        for a, b in link.cables:
            joined.setdefault(a, {})[b] = link
            joined.setdefault(b, {})[a] = link
    for near in sorted(joined, key=lambda end: (natural(end.device), natural(end.port))):
        if len(joined[near]) > 1:
            wiring.conflicts.append(Conflict(near, tuple(dict.fromkeys(joined[near].values()))))
