"""Who hears and reaches whom before and after a change: the classes and rows of `inkov.effects`
against all pairs, one frame and one packet at a time.
"""

from __future__ import annotations

import random
import re
from collections.abc import Iterable
from pathlib import Path

from msgspec.structs import replace

from inkov.campus import Cable, Campus
from inkov.effects.groups import Row, beyond, rows
from inkov.effects.relation import Relation
from inkov.effects.side import SeatName, Side, idle_in_both
from inkov.forwarding import resolve
from inkov.levels import Layer, Level
from inkov.plan import Plan
from inkov.readers import load
from inkov.vlanset import bits
from inkov.wiring import wire
from tests.campuses import NOWHERE, fact, random_campus
from tests.conftest import campus_of, cases
from tests.edits.changes import changed
from tests.effects.pairs import WORTH, Name, Pairs, flooded, heard, passed
from tests.proofs.test_packets import with_gateways
from tests.written import in_files

CHANGES = cases("CHANGES", 60, least=16)
IN_PACKETS = cases("CHANGES", 60, least=12) // 2


def relation_of(old: Campus, new: Campus, level: Level) -> Relation:
    fabrics = [(resolve(campus, wire(campus)), Plan()) for campus in (old, new)]
    idle = idle_in_both(fabrics[0], fabrics[1])
    sides = [Side(*pair, idle) for pair in fabrics]
    return Relation(sides[0], sides[1], level, 10**9)


def pairs_of(found: Iterable[Row], side: Side) -> Pairs:
    """The pairs that rows stand for, those in tags that are worth trying; none on one wire."""
    pairs: Pairs = set()
    for row in found:
        for sources, targets in (
            (row.sources, row.targets),
            *([(row.targets, row.sources)] if row.both_ways else ()),
        ):
            for one in sources:
                for other in targets:
                    if side.wire(one) != side.wire(other):
                        pairs |= set(tags_of(one, other))
    return pairs


def tags_of(one: SeatName, other: SeatName) -> Iterable[tuple[Name, Name]]:
    """A pair for each tag that its seats stand for: what is sent with one tag is heard with it."""
    for tag in [one.tag, *bits(one.also)]:
        for far in [other.tag, *bits(other.also)]:
            if {tag, far} <= WORTH and (tag == far or not (one.also and other.also)):
                yield (one.switch, one.port, tag), (other.switch, other.port, far)


def test_all_pairs_that_differ_in_frames_are_found_and_no_others(tmp_path: Path) -> None:
    """Every other pair of campuses is written to files first, and read from there."""
    counts = dict.fromkeys((True, False), 0)
    for number in range(CHANGES):
        rng = random.Random(f"frames {number}")
        old = random_campus(rng, 6)
        if number % 3 == 0:
            alike(rng, old)
        new = changed(rng, old)
        level = (Level.HONEST, Level.HOSTILE)[number % 2]
        read = old, new
        if number % 4 < 2:  # as far as the formats can say it
            read = from_files(rng, old, tmp_path), from_files(rng, new, tmp_path)
        before, after = heard(old, level), heard(new, level)
        relation = relation_of(*read, level)
        for gained, differing, pairs in (
            (True, relation.gained(), after - before),
            (False, relation.lost(), before - after),
        ):
            frames = [one for one in differing if one.layer == Layer.FRAMES]
            assert not any(one.in_part for one in frames)  # of a frame there is no part
            side = relation.sides[gained]
            assert pairs_of(rows(frames, relation), side) == pairs, (number, level, gained)
            counts[gained] += len(pairs)
        assert changes_places(relation, relation_of(read[1], read[0], level)), number
    assert min(counts.values()) > CHANGES // 2, counts


def alike(rng: random.Random, campus: Campus) -> None:
    """Give all links of a switch the settings of one of them: whoever sits there hears what is sent
    to one, and not what is sent to another.
    """
    device = rng.choice(list(campus.devices.values()))
    links = [port for port in device.ports.values() if re.fullmatch("u[0-9]+[ab]", port.name)]
    for port in links[1:]:
        if port.kind is links[0].kind:
            device.ports[port.name] = replace(links[0], name=port.name, bundle=port.bundle)


def from_files(rng: random.Random, campus: Campus, folder: Path) -> Campus:
    in_files(rng, campus, folder)
    return load([str(folder)]).campus


def test_what_honest_hosts_gain_or_lose_is_not_told_again() -> None:
    """What is left of the hostile rows beside the honest ones: no pair too many, none missing."""
    shorter = gone = 0
    for number in range(CHANGES):
        rng = random.Random(f"beyond {number}")
        old = random_campus(rng, 5)
        if number % 3 == 0:
            old = with_gateways(rng, old)
        new = changed(rng, old)
        honest, hostile = (relation_of(old, new, level) for level in Level)
        for gained in (True, False):
            told, every = (
                rows(one.gained() if gained else one.lost(), one) for one in (honest, hostile)
            )
            left = list(beyond(every, told))
            for layer in Layer:
                wanted, known, still = (
                    pairs_of([row for row in some if row.layer == layer], hostile.sides[gained])
                    for some in (every, told, left)
                )
                assert wanted - known <= still <= wanted, (number, gained, layer)
            assert all(r.both_ways and r.sources == r.targets for r in every if r.within), number
            assert not any(is_told_of_one(row, other) for row in left for other in told), number
            gone += len(left) < len(every)
            shorter += len(left) == len(every) and left != every
    assert shorter > CHANGES // 10 and gone > CHANGES // 20, (shorter, gone)


def is_told_of_one(row: Row, other: Row) -> bool:
    """Whether somebody is in a row for nothing but what one other row tells as well."""
    if row.within or row.layer != other.layer or (row.both_ways and not other.both_ways):
        return False
    sides = [(other.sources, other.targets), (other.targets, other.sources)]
    sources, targets = set(row.sources), set(row.targets)
    return any(
        (targets <= set(reached) and sources & set(theirs))
        or (sources <= set(theirs) and targets & set(reached))
        for theirs, reached in sides[: 1 + other.both_ways]
    )


def changes_places(relation: Relation, other: Relation) -> bool:
    """Whether what one gains the other loses."""
    gains, losses = (
        pairs_of(rows(found, one), side)
        for found, one, side in (
            (relation.gained(), relation, relation.sides[1]),
            (other.lost(), other, other.sides[0]),
        )
    )
    return gains == losses


def of_routers(rng: random.Random, campus: Campus) -> None:
    """Change something about a router."""
    routers = [device for device in campus.devices.values() if device.gateways]
    if not routers:
        return
    device = rng.choice(routers)
    gateway = rng.choice(device.gateways)
    what = rng.randrange(4)
    if what == 0:
        device.gateways.remove(gateway)
    elif what == 1:
        gateway.filters_in = gateway.filters_out = ()
    elif what == 2:
        gateway.enabled = fact(not gateway.on)
    elif device.filters:
        one = rng.choice(list(device.filters.values()))
        one.entries = one.entries[1:]


def test_all_pairs_that_differ_in_packets_are_found_and_no_others() -> None:
    some = 0
    for number in range(IN_PACKETS):
        rng = random.Random(f"packets {number}")
        old = with_gateways(rng, random_campus(rng, 3))
        new = changed(rng, old, 1)
        for _ in range(2):
            of_routers(rng, new)
        level = (Level.HONEST, Level.HOSTILE)[number % 2]
        before, after = passed(old, level), passed(new, level)
        beside = heard(old, level) | heard(new, level)
        relation = relation_of(old, new, level)
        for gained, differing in ((True, relation.gained()), (False, relation.lost())):
            here, there = (after, before) if gained else (before, after)
            pairs = {pair for pair in here if here[pair] > there.get(pair, 0)} - beside
            packets = [one for one in differing if one.layer == Layer.PACKETS]
            found = pairs_of(rows(packets, relation), relation.sides[gained])
            assert found == pairs, (number, level, gained, found ^ pairs)
            some += len(pairs)
    assert some > IN_PACKETS, some


def test_where_hostile_hosts_gain_nothing_both_levels_are_one() -> None:
    """Then only one of them is worked out: on plain campuses, and on no campus where one could get
    more.
    """
    same = more = 0
    for number in range(60):
        rng = random.Random(f"plain {number}")
        campus = plain_campus(rng)
        fabric = resolve(campus, wire(campus))
        side = Side(fabric, Plan(), [])
        honest, hostile = (flooded(campus, level) for level in (Level.HONEST, Level.HOSTILE))
        if side.hostile_gain_nothing:
            assert honest == hostile, number
            same += 1
        more += honest != hostile
    assert same > 15 and more > 15, (same, more)


SLIPS = ("", "", "native: 10", "native: 20", "mode: trunk\n", "voice: 20", "negotiation: passive")


def plain_campus(rng: random.Random) -> Campus:
    """Access ports, and trunks whose native VLAN nobody uses, with a slip perhaps."""
    sheets = []
    for name in ("core-1", "fern-1", "pond-1"):
        host = rng.choice(SLIPS) if rng.random() < 0.3 else ""
        ports = [f"[port {n}]\nvlan: {rng.choice([10, 20])}\n" for n in (1, 2)]
        ports.append(f"[port 3]\nvlan: 10\n{'' if host.startswith('native') else host}\n")
        native = rng.choice(SLIPS[2:4]) if rng.random() < 0.3 else "native: 99"
        for uplink in (8, 9):
            ports.append(f"[port {uplink}]\nmode: trunk\nallowed: 10,20,99\n{native}\n")
        sheets.append(f"switch: {name}\n[vlans]\n10: a\n20: b\n99: nobody\n" + "".join(ports))
    campus = campus_of(*sheets)
    for one, other in (("core-1", "fern-1"), ("core-1", "pond-1")):
        far = "8" if other == "fern-1" else "9"
        campus.cables.append(Cable(one, far, other, far, NOWHERE))
    for switch, spare in (("fern-1", "9"), ("pond-1", "8")):
        del campus.devices[switch].ports[spare]
    return campus


def test_a_row_one_way_tells_nothing_of_the_other_way() -> None:
    a, b = SeatName("a", "1", 0, 0), SeatName("b", "1", 0, 0)
    there, back = (Row(Layer.FRAMES, False, [x], [y], False, False) for x, y in ((a, b), (b, a)))
    both = replace(there, both_ways=True)
    assert list(beyond([back], [there])) == [back]
    assert list(beyond([both], [there])) == [both]
    assert list(beyond([back], [both])) == list(beyond([back], [back])) == []


def test_protected_from_each_other_in_one_vlan_of_two() -> None:
    """Both ports are protected now: the trunk hears nothing more of VLAN 10, and never did of h in
    20, where h is not.
    """
    text = (
        "switch: a\n[vlans]\n10: ferns\n20: pumps\n[port h]\nvlan: 10\n{more}"
        "[port t]\nmode: trunk\nnative: none\nallowed: 10,20\nprotected: yes\n"
    )
    old, new = (campus_of(text.format(more=more)) for more in ("", "protected: yes\n"))
    relation = relation_of(old, new, Level.HOSTILE)
    lost = pairs_of(rows(relation.lost(), relation), relation.sides[0])
    assert {(one[1], other[1]) for one, other in lost} == {("h", "t"), ("t", "h")}
    assert not list(relation.gained())
