"""No cure harms: those that can be carried out are, on clean campuses with a mistake in them and on
random ones. The finding is gone, nobody is cut off who was not before, nothing is opened between
VLANs, and nothing as bad is found that was not there.

A cure is read as a person reads it, from its sentence; the places it names are those of the
finding. What is to be found out first, or decided, is worded so, and not tried.
"""

from __future__ import annotations

import random
import re
from pathlib import Path

import pytest

from inkov.campus import Campus
from inkov.checks import CATALOGUE, audit
from inkov.forwarding import Fabric, resolve
from inkov.forwarding.reach import flood
from inkov.forwarding.stations import hears, interfaces, reaches_station, sent_from
from inkov.levels import Level
from inkov.plan import Plan, read_plan
from inkov.readers import load
from inkov.readers.platforms import shape
from inkov.wiring import End, wire
from tests.campuses import random_campus
from tests.checks.cures import edits_of
from tests.checks.mistakes import KINDS, Ground
from tests.checks.test_examples import write
from tests.checks.test_mistakes import clean, ground_of
from tests.conftest import cases, copied, share

CAMPUSES = cases("CURES", 800, least=64)

Reach = dict[End, set[tuple[str, str, int, bool]]]
"""Port -> who hears what is sent there: (switch, port, VLAN there, tagged), gateways among them."""


# --- whether it harms -----------------------------------------------------------------------------


def reach_of(fabric: Fabric) -> Reach:
    """Who hears what, by frames of honest hosts, and which gateways get them."""
    reach: Reach = {}
    stations = [i for i in interfaces(fabric) if not i.why_down]
    for port in fabric.bridge_ports:
        if fabric.is_host_port(port) and not port.outer:
            sendings = sent_from(fabric, port.end, Level.HONEST)
            heard = {
                (h.switch, h.port, h.vlan, h.tagged) for h in hears(fabric, sendings, Level.HONEST)
            }
            spread = flood(fabric, sendings, Level.HONEST)
            heard |= {(i.device, i.name, 0, False) for i in stations if reaches_station(spread, i)}
            reach[port.end] = heard
    return reach


def vlans_at(fabric: Fabric, end: End) -> int:
    return sum({s.mask for s in sent_from(fabric, end, Level.HONEST)})


RESTORES = re.compile(r"allow|define|make VLAN|map|take the protection|turn .* on|make .* trunk")
"""Cures that let frames through: in a campus that leaks elsewhere, what comes through may leak."""

MOVES = re.compile(
    r"shut |put |set \S+ like|set VLAN|move |remove the gateway|give |state at |make .* access"
    r"|define .* as isolated"
)
"""Cures that move or shut what the finding names: it meets others afterwards, or nobody."""


def turns(fabric: Fabric) -> bool:
    """True if a link turns a VLAN into another one."""
    return any(c.translations for crossings in fabric.crossings.values() for c in crossings)


def tried(campus: Campus, plan: Plan, seen: dict[str, int], *, leaky: bool = False) -> None:
    """Carry out each cure of a campus by itself, and look at what it did."""
    fabric = resolve(copied(campus), wire(campus))
    if fabric.wiring.attended or fabric.wiring.conflicts or (leaky and turns(fabric)):
        return  # nobody knows who is on the wire of a link, or where it goes; or there is a leak
    before, reach = audit(fabric, plan).findings, reach_of(fabric)
    known = {(f.rule, f.where) for f in before} | {(f.rule, w) for f in before for w in f.where}
    for finding in before:
        for edit in edits_of(finding):
            cured = copied(campus)
            edit(cured)
            after = resolve(copied(cured), wire(cured))
            about = finding.rule, finding.says, finding.cure
            now, found = reach_of(after), audit(after, plan).findings
            seen[finding.rule] = seen.get(finding.rule, 0) + 1
            assert (finding.rule, finding.says) not in {(f.rule, f.says) for f in found}, about
            lets_through = leaky and RESTORES.match(finding.cure)
            moved = {w.switch for w in finding.where} if MOVES.match(finding.cure) else set()
            for end, heard in reach.items():
                for switch, port, vlan, _ in heard - now.get(end, set()):
                    meant = not vlan or vlans_at(fabric, end) >> vlan & 1
                    gone = {end.device, switch} & moved
                    assert not meant or gone, (*about, "cuts off", end, switch, port, vlan)
                for switch, port, vlan, _ in now.get(end, set()) - heard:
                    same = not vlan or vlans_at(after, end) >> vlan & 1
                    assert same or lets_through, (*about, "opens", end, switch, port, vlan)
            for other in found:
                graver = other.severity.rank <= finding.severity.rank
                new = not any((other.rule, w) in known for w in other.where)
                worse = graver and new and not leaky
                assert not worse, (*about, "brings", other.rule, other.says)


def stated(campus: Campus) -> Campus:
    """The campus without what pruning withholds now: that changes with who asks for it."""
    for device in campus.devices.values():
        for port in device.ports.values():
            port.withheld = None
    return campus


@pytest.mark.parametrize("part", range(4))
def test_cures_do_no_harm_on_random_campuses(part: int) -> None:
    seen: dict[str, int] = {}
    for number in range(part, CAMPUSES, 4):
        rng = random.Random(f"cures {number}")
        tried(stated(random_campus(rng, 5)), Plan(), seen, leaky=True)
    assert sum(seen.values()) > CAMPUSES // 20, seen


PAPER = {"ports-unknown", "statement-unusable", "acceptance-stale"}
"""Rules whose cure changes tables, exports, dialects or the plan, and no switch."""


def test_each_cure_is_tried_or_asks(tmp_path: Path) -> None:
    """Planted mistakes and the examples of all rules: what changes a switch is tried and does no
    harm, or is a question.
    """
    seen: dict[str, int] = {}
    asks: set[str] = set()
    for number, name in enumerate(share(KINDS)):
        ground = ("demo", 1, 3)[number % 3]
        campus, text = clean(ground)
        changed, lines = copied(campus), [text]
        spots = KINDS[name].plant(Ground(ground_of(ground), changed, random.Random(name), lines))
        if spots is not None:
            tried(changed, read_plan("plan.yaml", "".join(lines).encode()), seen)
    for slug, rule in CATALOGUE.items():
        loaded = load([str(write(tmp_path / slug, rule.shown, "-"))])
        plans = [read_plan(path, data) for path, data in loaded.plans.items()]
        says = plans[0] if plans else Plan()
        shape(loaded.campus, says.says.platforms)
        found = audit(resolve(copied(loaded.campus), wire(loaded.campus)), says).findings
        asks |= {f.rule for f in found if "?" in f.cure}
        tried(loaded.campus, says, seen)
    assert set(CATALOGUE) - set(seen) - asks == PAPER
