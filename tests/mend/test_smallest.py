"""What is proposed for tickets and findings, held against every set of edits: fewer edits than
proposed never do.
"""

from __future__ import annotations

import os
import random
from collections.abc import Iterable
from datetime import date
from itertools import combinations

from inkov.campus import Campus, Fact, Host, Origin, Vlan
from inkov.checks import Finding, audit
from inkov.edits import Edit, Kind, apply
from inkov.forwarding import resolve
from inkov.mend.findings import mend_findings
from inkov.mend.tickets import Ticket, judged
from inkov.plan import Plan
from inkov.vlanset import VlanSet, bits
from inkov.wiring import wire
from tests.checks.test_cures import reach_of
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


# --- findings -------------------------------------------------------------------------------------

TODAY = date(2026, 1, 1)
# Their cures ask for more than that they are not found: nothing is to be left of a VLAN.
CLEANING = ("vlan-unused", "allowed-nowhere-defined")


def wrong(findings: Iterable[Finding]) -> set[tuple[str, str | None, str | None, int]]:
    """What is wrong, where, of which VLAN."""
    return {
        (one.rule, where.switch, where.port, vid)
        for one in findings
        for where in one.where
        for vid in (list(bits(one.vlans)) or [0])
    }


class Findings:
    """The findings of a campus, and who hears whom."""

    def __init__(self, campus: Campus) -> None:
        fabric = resolve(campus, wire(campus))
        self.all = audit(fabric, Plan(), today=TODAY).findings
        self.heard = reach_of(fabric)

    def are_mended(self, goals: list[Finding], then: Findings) -> bool:
        """Whether some of them are gone then, nothing is found that was not, and nobody is cut
        off.
        """
        left = wrong(then.all)
        return (
            not wrong(goals) & left
            and left <= wrong(self.all)
            and all(ears <= then.heard.get(end, set()) for end, ears in self.heard.items())
        )


def test_no_fewer_edits_mend_findings() -> None:
    """Whatever set of edits is smaller leaves one of the findings, makes another, or cuts somebody
    off.
    """
    sizes: dict[int, int] = {}
    for number in range(CAMPUSES):
        campus = broken(random.Random(f"findings {number}"))
        before = Findings(campus)
        goals = [
            one
            for one in before.all
            if one.edits and one.vlans == 1 << VID and one.rule not in CLEANING
        ]
        mended = mend_findings(campus, Plan(), goals, TODAY)
        assert mended.findings == goals and mended.smallest, number
        sizes[len(mended.edits)] = sizes.get(len(mended.edits), 0) + 1
        assert before.are_mended(goals, Findings(apply(campus, mended.edits))), number
        proposed = [edit for one in goals for edit in one.edits]
        pool = list(
            {repr((e.place, e.after)): e for e in (*every_edit(campus), *proposed)}.values()
        )
        for fewer in range(1, min(len(mended.edits), 4)):
            for edits in combinations(pool, fewer):
                if len({edit.place for edit in edits}) == fewer:
                    then = Findings(apply(campus, edits))
                    assert not before.are_mended(goals, then), (number, mended.edits, edits)
    assert sum(count for size, count in sizes.items() if size > 1) > CAMPUSES / 5, sizes
