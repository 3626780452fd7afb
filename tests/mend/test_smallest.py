"""What tickets propose, held against every set of edits: fewer edits than proposed never do."""

from __future__ import annotations

import os
import random
from itertools import combinations

from inkov.campus import Campus, Fact, Host, Origin, Vlan
from inkov.edits import Edit, Kind, apply
from inkov.forwarding import resolve
from inkov.mend.tickets import Ticket, judged
from inkov.vlanset import VlanSet
from inkov.wiring import wire
from tests.forwarding.trees.test_losses import plain_campus

CAMPUSES = int(os.environ.get("INKOV_TICKETS", "40"))
VID = 10


def broken(rng: random.Random) -> Campus:
    """A campus of few switches: lists lack VLANs, rows are gone, ports are shut."""
    campus = plain_campus(rng)
    while len(campus.devices) > 5:
        campus = plain_campus(rng)
    for device in campus.devices.values():
        if rng.random() < 0.2 and device.vlans is not None:
            device.vlans.pop(VID)
        for port in device.ports.values():
            if port.name[0] == "u" and port.allowed is not None:
                if rng.random() < 0.35:
                    port.allowed = Fact(port.allowed.value - VlanSet.of(VID), Origin())
                if rng.random() < 0.15:
                    port.enabled = Fact(False, Origin())
    return campus


def every_edit(campus: Campus) -> list[Edit]:
    """All that could help a VLAN on: a list, a row, a port."""
    pool = []
    for device in campus.devices.values():
        if device.vlans is not None and VID not in device.vlans:
            row = Vlan(VID, Origin())
            pool.append(Edit(device.name, Kind.VLAN, str(VID), "", None, row))
        for port in device.ports.values():
            if port.allowed is not None and VID not in port.allowed.value:
                after = Fact(port.allowed.value | VlanSet.of(VID), Origin())
                pool.append(Edit(device.name, Kind.PORT, port.name, "allowed", port.allowed, after))
            if not port.on:
                after_on = Fact(True, Origin())
                pool.append(
                    Edit(device.name, Kind.PORT, port.name, "enabled", port.enabled, after_on)
                )
    return pool


def works(campus: Campus, one: Host, other: Host) -> bool:
    return judged(resolve(campus, wire(campus)), one, other).works


def test_no_fewer_edits_do() -> None:
    sizes: dict[int, int] = {}
    for number in range(CAMPUSES):
        rng = random.Random(f"tickets {number}")
        campus = broken(rng)
        ports = [
            (device.name, port.name)
            for device in campus.devices.values()
            for port in device.ports.values()
            if port.name == f"h{VID}"
        ]
        if len(ports) < 2:
            continue
        one, other = (Host(f"{d}:{p}", d, p, Origin()) for d, p in rng.sample(ports, 2))
        answer = Ticket(resolve(campus, wire(campus)), one, other).answer()
        size = len(answer.edits)
        sizes[size] = sizes.get(size, 0) + 1
        if answer.before.works:
            continue
        if answer.edits:
            assert works(apply(campus, answer.edits), one, other), number
        pool = every_edit(campus)
        # Without any edits proposed, two that would do are looked for.
        for fewer in range(1, min(size, 4) if size else 3):
            for edits in combinations(pool, fewer):
                assert not works(apply(campus, edits), one, other), (number, answer.edits, edits)
    assert sum(count for size, count in sizes.items() if size > 1) > CAMPUSES / 5, sizes
