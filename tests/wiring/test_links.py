"""Links from reports: spellings, one-sided evidence, contradictions, bundles, outsiders."""

from __future__ import annotations

import random
from collections.abc import Hashable, Sequence

import pytest

from inkov.campus import STANDARD, Cable, Campus, Device, Fact, Neighbour, Origin, Port
from inkov.verify import wires_of
from inkov.wiring import End, Wiring, wire
from inkov.wiring.links import bundle_of
from inkov.wiring.names import NameFinder
from inkov.wiring.outside import identities
from tests.campuses import random_campus
from tests.conftest import campus_of, cases

A = "switch: gate-1\n[port 1..4]\nstate: on\n"
B = "switch: palm-1\n[port eth1/1..eth1/4]\nstate: on\n"


def cabled(campus: Campus, *rows: tuple[str, str, str, str]) -> Wiring:
    campus.cables += [Cable(*row, Origin("cabling.csv", n)) for n, row in enumerate(rows, 2)]
    return wire(campus)


def test_both_ends_make_one_link() -> None:
    wiring = wire(
        campus_of(A + "[neighbours]\n1: palm-1:eth1/2\n", B + "[neighbours]\neth1/2: gate-1:1\n")
    )
    [link] = wiring.links
    assert (link.a, link.b) == (End("gate-1", "1"), End("palm-1", "eth1/2"))
    assert link.seen_by == ["gate-1", "palm-1"] and not link.one_sided
    assert [(e.origin.file, e.origin.line) for e in link.evidence] == [
        ("s0.sheet", 6),
        ("s1.sheet", 6),
    ]
    assert wiring.of[End("palm-1", "eth1/2")] == [link]


def test_one_side_alone_is_one_sided_until_a_table_confirms_it() -> None:
    sheets = A + "[neighbours]\n1: palm-1:eth1/2\n", B
    assert wire(campus_of(*sheets)).links[0].one_sided
    wiring = cabled(campus_of(*sheets), ("palm-1", "eth1/2", "gate-1", "1"))
    assert len(wiring.links) == 1 and not wiring.links[0].one_sided


@pytest.mark.parametrize("spelling", ["eth1/2", "ETH 1/2", "Ethernet1/2", "e1/2", "eth01/02"])
def test_spellings_of_a_port(spelling: str) -> None:
    wiring = wire(campus_of(A + f'[neighbours]\n1: PALM-1.garden.example:"{spelling}"\n', B))
    assert wiring.links[0].b == End("palm-1", "eth1/2")
    assert wiring.links[0].evidence[0].spelled == ("" if spelling == "eth1/2" else spelling)


def test_a_port_found_by_its_description() -> None:
    b = "switch: palm-1\n[port 7]\nabout: up to the gate\n[port 8]\n"
    wiring = wire(
        campus_of(A + '[neighbours]\n1: palm-1:"Up to the Gate"\n2: palm-1:x; up to the gate\n', b)
    )
    assert [link.b for link in wiring.links] == [End("palm-1", "7")] * 2


def test_an_ambiguous_name_finds_nothing() -> None:
    names = NameFinder(["a1", "A1", "eth1", "ether1", "b2"])
    assert names.find("a1") == "a1" and names.find("e1") is None and names.find("ethernet1") is None
    assert names.find("B 2") == "b2" and names.find("2") is None and names.find("") is None


def test_contradictions_keep_every_link() -> None:
    a = A + "[neighbours]\n1: palm-1:eth1/1\n"
    wiring = cabled(campus_of(a, B), ("gate-1", "1", "palm-1", "eth1/3"))
    [conflict] = wiring.conflicts
    assert conflict.near == End("gate-1", "1")
    assert {link.b.port for link in conflict.links} == {"eth1/1", "eth1/3"} and len(
        wiring.links
    ) == 2


def test_bundles_are_one_link() -> None:
    a = "switch: gate-1\n[bundle b]\nmembers: 1, 2\n[neighbours]\n1: palm-1:1\n2: palm-1:2\n"
    b = "switch: palm-1\n[bundle up]\nmembers: 1, 2\n[neighbours]\n1: gate-1:1\n2: gate-1:2\n"
    [link] = wire(campus_of(a, b)).links
    assert (str(link.a), str(link.b), len(link.cables), len(link.evidence)) == (
        "gate-1:b",
        "palm-1:up",
        2,
        4,
    )


def test_a_ring_of_bundles_is_no_bundle() -> None:
    a = campus_of(
        A + "[neighbours]\n1: palm-1:1\n",
        "switch: palm-1\n[bundle x]\nmembers: y, 1\n[bundle y]\nmembers: x\n",
    )
    assert str(wire(a).links[0].b) == "palm-1:1"


def test_what_leads_nowhere_is_said() -> None:
    a = A + "[neighbours]\n1: cafe-ap:0\n2: palm-1:eth9/9\n3: gate-1:3\n9: palm-1:eth1/1\n"
    wiring = cabled(campus_of(a, B), ("x", "1", "y", "2"), ("cafe", "0", "palm-1", "eth1/4"))
    assert [(str(o.near), o.far, o.far_port) for o in wiring.outside] == [
        ("gate-1:1", "cafe-ap", "0"),
        ("palm-1:eth1/4", "cafe", "0"),
    ]
    assert [stray.says for stray in wiring.strays] == [
        "palm-1 has no port 'eth9/9'",
        "the port is reported as its own neighbour",
        "gate-1 has no port '9'",
        "'x' is not among the files",
    ]
    assert not wiring.links


DEVICES = [
    "gate-1",
    "Gate 01",
    "GATE-1",
    "gate-1.garden",
    "gate-1.garden.example",
    "gate-1.nursery",
]
DEVICES += ["10.0.0.2", "10.0.0.3", "palm", "Palm ", "palm.x"]
PORTS = [
    "eth1/2",
    "ethernet 1/2",
    "e1/2",
    "1",
    "01",
    "port 1",
    "p1",
    "P 1",
    "eth",
    "e",
    "x1",
    "1/2",
]
BESIDES = ["aa:bb", "AA:BB", "gate-1", "10.0.0.2", "", "p1", "1"]


def misspelled(rng: random.Random) -> Campus:
    """A campus whose reports spell names as people and devices do, and worse."""
    campus, at = Campus(), Origin("made up", 1)

    def besides() -> tuple[str, ...]:
        return tuple(rng.sample(BESIDES, rng.randint(0, 2)))

    for name in rng.sample(DEVICES, rng.randint(1, 6)):
        device = campus.devices[name] = Device(name, at, STANDARD, known_as=besides())
        for port in rng.sample(PORTS, rng.randint(1, 7)):
            own = device.ports[port] = Port(port, at, known_as=besides())
            if rng.random() < 0.4:
                own.description = Fact(rng.choice(PORTS + BESIDES), at)
            if rng.random() < 0.3:
                own.bundle = Fact(rng.choice(PORTS), at)
    for _ in range(rng.randint(1, 8)):
        name, port, far, far_port = map(rng.choice, (DEVICES, PORTS, DEVICES, PORTS))
        if rng.random() < 0.5:
            campus.cables.append(Cable(name, port, far, far_port, at))
        else:
            about, known = rng.choice([*PORTS, ""]), rng.choice(BESIDES)
            campus.neighbours.append(Neighbour(name, port, far, far_port, at, about, known))
    return campus


def together(who: Sequence[tuple[End, Hashable]]) -> set[frozenset[End]]:
    """The ports at which there is one and the same."""
    ports: dict[Hashable, set[End]] = {}
    for end, name in who:
        ports.setdefault(name, set()).add(end)
    return {frozenset(ends) for ends in ports.values()}


CAMPUSES = cases("SPELLED", 4000)


def test_fm_4_11_two_ways_of_finding_names_agree() -> None:
    """Links by the engine are cables by the verifier, however names are spelled."""
    found = boxes = 0
    for number in range(CAMPUSES):
        rng = random.Random(f"spelled {number}")
        campus = misspelled(rng) if number % 4 else random_campus(rng, 8)
        wiring, wires = wire(campus), wires_of(campus)

        def whole(device: str, port: str, campus: Campus = campus) -> End:
            return End(device, bundle_of(campus.devices[device], port))

        cables = {frozenset([whole(a, p), whole(b, q)]) for a, p, b, q in wires.cables}
        links = {frozenset([link.a, link.b]) for link in (*wiring.links, *wiring.shared)}
        assert cables == links, number
        identity = identities(wiring.outside)
        outside = [(one.near, identity(one)) for one in wiring.outside]
        occupied = [(End(switch, port), name) for switch, port, name in wires.occupied]
        assert together(occupied) == together(outside), number
        boxes += len(together(outside)) < len(outside)
        found += len(links)
    assert found > CAMPUSES and boxes > CAMPUSES / 40
