"""What must not change, or may only change one way, when a campus is changed."""

from __future__ import annotations

import random
from itertools import pairwise

import pytest

from inkov.campus import Cable, Campus, Host, Mode, Origin
from inkov.forwarding import Fabric, resolve
from inkov.forwarding.follow import follow
from inkov.forwarding.needed import needed
from inkov.forwarding.ping import ping
from inkov.forwarding.reach import sendings_at
from inkov.forwarding.reasons import chain
from inkov.forwarding.stations import hears
from inkov.levels import Level
from inkov.vlanset import VlanSet
from inkov.wiring import wire
from tests.campuses import VIDS, fact, listeners, random_campus
from tests.conftest import cases, copied

SEEDS = range(cases("SEEDS", 120))


def built(campus: Campus) -> Fabric:
    return resolve(campus, wire(campus))


def campus_for(seed: int) -> Campus:
    return random_campus(random.Random(seed), 6)


@pytest.mark.parametrize("level", [Level.HONEST, Level.HOSTILE])
def test_shutting_a_link_never_adds_a_listener(level: Level) -> None:
    for seed in SEEDS:
        campus = campus_for(seed)
        before = listeners(campus, level)
        for cable in campus.cables[:2]:
            campus.devices[cable.device].ports[cable.port].enabled = fact(False)
        for place, heard in listeners(campus, level).items():
            assert heard <= before[place], (seed, place)


def test_adding_a_vlan_to_both_ends_never_removes_a_listener() -> None:
    for seed in SEEDS:
        campus = campus_for(seed)
        before = listeners(campus)
        for cable in campus.cables:
            ends = [
                campus.devices[cable.device].ports[cable.port],
                campus.devices[cable.far_device].ports[cable.far_port],
            ]
            natives = {end.native_vlan.value if end.native_vlan else 1 for end in ends}
            if all(end.mode == fact(Mode.TRUNK) and end.allowed is not None for end in ends):
                for end in ends:
                    assert end.allowed is not None
                    # Not the native VLAN: to allow it changes what untagged frames are, not just
                    # who may pass.
                    more = VlanSet.from_vids(set(VIDS) - natives)
                    end.allowed = fact(end.allowed.value | more)
        after = listeners(campus)
        for place, heard in before.items():
            assert heard <= after[place], (seed, place)


def test_renaming_switches_changes_nothing() -> None:
    for seed in SEEDS:
        campus = campus_for(seed)
        new = {name: f"z{99 - number}" for number, name in enumerate(campus.devices)}
        other = copied(campus)
        for device in other.devices.values():
            device.name = new[device.name]
        other.devices = dict(sorted((device.name, device) for device in other.devices.values()))
        other.cables = [
            Cable(new[c.device], c.port, new[c.far_device], c.far_port, c.origin)
            for c in campus.cables
        ]

        other.hosts = [Host(h.name, new[h.device], h.port, h.origin, h.vid) for h in campus.hosts]

        def named(place: str, new: dict[str, str] = new) -> str:
            device, _, port = place.partition(":")
            return f"{new[device]}:{port}"

        expected = {
            named(p): {(named(q), v, t) for q, v, t in heard}
            for p, heard in listeners(campus, Level.HOSTILE).items()
        }
        assert listeners(other, Level.HOSTILE) == expected, seed


def test_the_order_of_devices_ports_and_cables_changes_nothing() -> None:
    for seed in SEEDS:
        campus = campus_for(seed)
        other = copied(campus)
        other.devices = dict(reversed(other.devices.items()))
        other.cables = [
            Cable(c.far_device, c.far_port, c.device, c.port, c.origin)
            for c in reversed(campus.cables)
        ]
        assert listeners(other, Level.HOSTILE) == listeners(campus, Level.HOSTILE), seed
        assert needed(built(other)) == needed(built(campus)), seed


def test_every_story_agrees_with_the_closure_and_every_answer_can_be_told() -> None:
    for seed in SEEDS:
        campus = campus_for(seed)
        fabric = built(campus)
        for end in fabric.ports:
            assert all(reason.says for reason in chain(fabric, end))
        hosts = [
            port
            for port in fabric.bridge_ports
            if fabric.is_host_port(port) and not fabric.is_implied(port)
        ][:4]
        # With every VID in use, one hostile host of such a campus would take a minute.
        wide = max(state.live.bit_count() for state in fabric.bridges) > 1000
        for one in hosts:
            for level in (Level.HONEST,) if wide else (Level.HONEST, Level.HOSTILE):
                sendings = sendings_at(fabric, [one.number], level)
                heard: dict[tuple[str, str], bool] = {}
                for h in hears(fabric, sendings, level):
                    heard[h.switch, h.port] = heard.get((h.switch, h.port), False) or h.certain
                for other in hosts:
                    if other is one:
                        continue
                    story = follow(fabric, sendings, one.end, other, level)
                    place = (other.end.device, other.port)
                    assert story.arrives is (place in heard), (seed, one.port, place, level)
                    assert story.steps[-1].event == ("heard" if story.arrives else "stops")
                    assert not (story.arrives and story.simple) or heard[place], (
                        seed,
                        one.port,
                        place,
                        level,
                    )
        near = [Host(p.port, p.end.device, p.port, Origin()) for p in hosts if not p.outer]
        for one_host, other_host in pairwise(near):
            ping(fabric, one_host, other_host)
