"""What is proposed for tickets, findings and claims, held against every set of edits: fewer edits
than proposed never do.
"""

from __future__ import annotations

import random
from collections.abc import Iterable
from datetime import date
from itertools import combinations
from typing import NamedTuple

from inkov.campus import Campus, Fact, Host, Origin, Vlan
from inkov.checks import Finding, Severity, audit
from inkov.edits import Edit, Kind, apply
from inkov.edits.make import of_port
from inkov.forwarding import resolve
from inkov.levels import Outcome
from inkov.mend.claims import mend_claim
from inkov.mend.findings import mend_findings
from inkov.mend.judged import judged
from inkov.mend.tickets import Ticket
from inkov.plan import Claim, Plan
from inkov.proofs.prove import Prover
from inkov.vlanset import VlanSet, bits
from inkov.wiring import End, wire
from tests.checks.test_cures import reach_of
from tests.conftest import cases
from tests.forwarding.trees.test_losses import plain_campus

CAMPUSES = cases("TICKETS", 40, least=12)
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


# --- claims ---------------------------------------------------------------------------------------

APART = Claim(isolate=["vlan 10", "vlan 20"])


def leaky(rng: random.Random) -> Campus:
    """A campus on which some links turn VLANs into others: their native VLANs differ."""
    campus = plain_campus(rng)
    while len(campus.devices) > 5:
        campus = plain_campus(rng)
    for cable in rng.sample(campus.cables, min(len(campus.cables), rng.randint(1, 3))):
        ends = (cable.device, cable.port), (cable.far_device, cable.far_port)
        for (switch, name), vid in zip(ends, rng.sample([10, 20, 30], 2), strict=True):
            port = campus.devices[switch].ports[name]
            assert port.allowed is not None
            port.native_vlan = Fact(vid, Origin())
            port.allowed = Fact(port.allowed.value | VlanSet.of(vid), Origin())
    return campus


def every_alignment(campus: Campus) -> list[Edit]:
    """One end of a link with the native VLAN of the other, where they differ."""
    pool = []
    for cable in campus.cables:
        ends = (cable.device, cable.port), (cable.far_device, cable.far_port)
        ports = [campus.devices[switch].ports[name] for switch, name in ends]
        natives = [port.native_vlan.value if port.native_vlan else None for port in ports]
        if natives[0] != natives[1]:
            pool.append(of_port(ends[0][0], ports[0], "native_vlan", natives[1]))
            pool.append(of_port(ends[1][0], ports[1], "native_vlan", natives[0]))
    return pool


class Kept(NamedTuple):
    """What is to stay: who hears whom in his own VLAN, and who does not in another one; and what is
    wrong, and how much of that badly.
    """

    within: dict[End, set[tuple[str, str, int, bool]]]
    across: dict[End, set[tuple[str, str, int, bool]]]
    faults: set[tuple[str, str | None, str | None, int]]
    wrong: set[tuple[str, str | None, str | None, int]]

    @classmethod
    def of(cls, campus: Campus) -> Kept:
        fabric = resolve(campus, wire(campus))
        heard = reach_of(fabric)
        own = {end: int(end.port[1:]) for end in heard}
        found = audit(fabric, Plan(), today=TODAY).findings
        return cls(
            {end: {ear for ear in ears if ear[2] == own[end]} for end, ears in heard.items()},
            {end: {ear for ear in ears if ear[2] != own[end]} for end, ears in heard.items()},
            wrong(one for one in found if one.severity.rank <= Severity.FAULT.rank),
            wrong(found),
        )

    def is_kept(self, then: Kept) -> bool:
        return (
            all(ears <= then.within[end] for end, ears in self.within.items())
            and all(ears <= self.across[end] for end, ears in then.across.items())
            and then.faults <= self.faults
        )


def test_a_claim_holds_with_one_edit_if_one_does() -> None:
    mended = broken_ones = with_one = missed = 0
    plan = Plan()
    plan.says.claims.append(APART)

    def holds(campus: Campus) -> bool:
        fabric = resolve(campus, wire(campus))
        return Prover(fabric, plan).judge(APART).verdict == Outcome.HOLDS

    for number in range(CAMPUSES):
        campus = leaky(random.Random(f"claims {number}"))
        if holds(campus):
            continue
        broken_ones += 1
        before = Kept.of(campus)
        one_does = any(
            holds(then := apply(campus, [edit])) and before.is_kept(Kept.of(then))
            for edit in every_alignment(campus)
        )
        goal, _ = mend_claim(resolve(campus, wire(campus)), plan, APART, TODAY)
        assert bool(goal.edits) != bool(goal.says), number
        if goal.edits:
            mended += 1
            after = Kept.of(with_them := apply(campus, goal.edits))
            assert holds(with_them) and before.is_kept(after), (number, goal.edits)
            # More edits only where with one something else would be found, and so it is said.
            clean = after.wrong <= before.wrong and not goal.smallest
            assert not one_does or len(goal.edits) == 1 or clean, (number, goal.edits)
        missed += one_does and not goal.edits
        with_one += one_does
    # Where VLANs meet on a switch without anybody in them, harm is seen that is none: not often.
    assert with_one > CAMPUSES / 8 and mended > 0.7 * broken_ones and missed <= with_one / 20
