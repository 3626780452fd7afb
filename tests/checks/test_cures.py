"""No cure harms: those that can be carried out are, on clean campuses with a mistake in them and on
random ones. The finding is gone, nobody is cut off who was not before, nothing is opened between
VLANs, and nothing as bad is found that was not there.

A cure is read as a person reads it, from its sentence; the places it names are those of the
finding. What is to be found out first, or decided, is worded so, and not tried.
"""

from __future__ import annotations

import os
import random
import re
from collections.abc import Callable, Iterable
from copy import deepcopy

import pytest

from inkov.campus import Campus, Mode, PortKind, Vlan
from inkov.checks import Finding, audit
from inkov.forwarding import Fabric, resolve
from inkov.forwarding.reach import flood
from inkov.forwarding.stations import hears, interfaces, reaches_station, sent_from
from inkov.levels import Level
from inkov.plan import Plan, read_plan
from inkov.vlanset import VlanSet
from inkov.wiring import End, wire
from tests.campuses import NOWHERE, fact, random_campus
from tests.checks.mistakes import KINDS, Ground
from tests.checks.test_mistakes import clean, ground_of

CAMPUSES = int(os.environ.get("INKOV_CURES", "800"))

Edit = Callable[[Campus], None]
Reach = dict[End, set[tuple[str, str, int, bool]]]
"""Port -> who hears what is sent there: (switch, port, VLAN there, tagged), gateways among them."""


# --- what a cure does -----------------------------------------------------------------------------


def ports_of(finding: Finding) -> list[End]:
    return [End(w.switch, w.port) for w in finding.where if w.switch and w.port is not None]


def place(text: str) -> End:
    switch, _, port = text.partition(":")
    return End(switch, port)


def listed(campus: Campus, end: End, change: Callable[[VlanSet], VlanSet]) -> None:
    """Change the list of a trunk, or the membership of a general port."""
    device = campus.devices[end.device]
    port = device.ports[end.port]
    value = device.platform.fact(port, "mode")
    if value is not None and value.value is Mode.GENERAL:
        old = port.tagged.value if port.tagged is not None else VlanSet()
        port.tagged = fact(change(old))
        if port.untagged is not None and port.untagged.value is not None:
            port.untagged = fact(port.untagged.value & change(port.untagged.value))
    else:
        old = port.allowed.value if port.allowed is not None else VlanSet.all()
        port.allowed = fact(change(old))


def allow(ends: Iterable[End], vids: VlanSet) -> Edit:
    return lists(ends, lambda old: old | vids)


def forbid(ends: Iterable[End], vids: VlanSet) -> Edit:
    return lists(ends, lambda old: old - vids)


def lists(ends: Iterable[End], change: Callable[[VlanSet], VlanSet]) -> Edit:
    def edit(campus: Campus) -> None:
        for end in ends:
            listed(campus, end, change)

    return edit


def all_of(steps: list[Edit]) -> Edit:
    def edit(campus: Campus) -> None:
        for step in steps:
            step(campus)

    return edit


def define(switch: str, vids: VlanSet) -> Edit:
    def edit(campus: Campus) -> None:
        table = campus.devices[switch].vlans
        assert table is not None
        for vid in vids:
            table.setdefault(vid, Vlan(vid, NOWHERE))

    return edit


def undefine(switches: Iterable[str], vid: int) -> Edit:
    def edit(campus: Campus) -> None:
        for switch in switches:
            (campus.devices[switch].vlans or {}).pop(vid, None)
        for device in campus.devices.values():
            for port in device.ports.values():
                if port.allowed is not None and port.allowed.value != VlanSet.all():
                    port.allowed = fact(port.allowed.value - VlanSet.of(vid))

    return edit


def settled(ends: Iterable[End], **attributes: object) -> Edit:
    def edit(campus: Campus) -> None:
        for end in ends:
            for name, value in attributes.items():
                setattr(campus.devices[end.device].ports[end.port], name, fact(value))

    return edit


def active(switch: str, vid: int) -> Edit:
    def edit(campus: Campus) -> None:
        (campus.devices[switch].vlans or {})[vid].active = None

    return edit


def edits_of(finding: Finding) -> list[Edit]:
    """The ways to do what a cure says; none where it asks for something that only people know."""
    cure, ends = finding.cure, ports_of(finding)
    vids = VlanSet.parse(m[1]) if (m := re.search(r"VLAN (\d+(?:[,-]\d+)*)", cure)) else VlanSet()
    at = [place(name) for name in re.findall(r" (\S+:\S+?)(?:[,;]|$| )", cure)]
    if re.match(r"take VLAN \S+ off the lists? of ", cure):
        return [forbid(at, vids)]
    if cure.startswith("take VLAN ") and "off the list, or define it" in cure:
        return [forbid(ends, vids)]
    steps: list[Edit] = []
    for many, names in re.findall(
        r"VLAN (\S+) at (\S+:\S+?(?: and at \S+:\S+?)*)(?=[,;]| and V|$)", cure
    ):
        steps.append(allow([place(name) for name in names.split(" and at ")], VlanSet.parse(many)))
    off = re.findall(r"take VLAN (\S+) off the list of (\S+)", cure)
    steps += [forbid([place(name.rstrip(","))], VlanSet.parse(many)) for many, name in off]
    if steps and cure.startswith(("allow", "take")) and "both" not in cure:
        return [all_of(steps)]
    if m := re.match(r"define VLAN (\d+) on (\S+?)(?:,|$)", cure):
        return [define(m[2], vids)]
    if m := re.match(r"make VLAN (\d+) active on (\S+)", cure):
        return [active(m[2], int(m[1]))]
    if re.match(r"remove VLAN \d+, ", cure):
        switches = {w.switch for w in finding.where if w.switch}
        return [undefine(switches, next(iter(vids)))]
    if m := re.match(r"state the list of the VLANs that are needed on the other side: (\S+)", cure):
        whole = VlanSet.parse(m[1])
        return [lists(ends, lambda old: whole)]
    if cure.startswith("take the protection off"):
        return [settled(at or ends[:1], protected=False)]
    if cure.startswith("turn dynamic registration off"):
        return [settled(ends, registration=False)]
    if m := re.match(r"map VLAN (\S+) at (\S+)", cure):

        def mapped(campus: Campus) -> None:
            end = place(m[2])
            port = campus.devices[end.device].ports[end.port]
            own = port.secondaries.value if port.secondaries is not None else VlanSet()
            port.secondaries = fact(own | VlanSet.parse(m[1]))

        return [mapped]
    return []


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


RESTORES = re.compile(r"allow|define|make VLAN|map|take the protection")
"""Cures that let frames through: in a campus that leaks elsewhere, what comes through may leak."""


def turns(fabric: Fabric) -> bool:
    """True if a link turns a VLAN into another one."""
    return any(c.translations for crossings in fabric.crossings.values() for c in crossings)


def tried(campus: Campus, plan: Plan, seen: dict[str, int], *, leaky: bool = False) -> None:
    fabric = resolve(deepcopy(campus), wire(campus))
    if fabric.wiring.attended or fabric.wiring.conflicts or turns(fabric):
        return  # nobody knows who is on the wire of a link, or where it goes; or there is a leak
    before, reach = audit(fabric, plan).findings, reach_of(fabric)
    known = {(f.rule, f.where) for f in before} | {(f.rule, w) for f in before for w in f.where}
    for finding in before:
        for edit in edits_of(finding):
            cured = deepcopy(campus)
            edit(cured)
            after = resolve(deepcopy(cured), wire(cured))
            about = finding.rule, finding.says, finding.cure
            now, found = reach_of(after), audit(after, plan).findings
            seen[finding.rule] = seen.get(finding.rule, 0) + 1
            assert (finding.rule, finding.says) not in {(f.rule, f.says) for f in found}, about
            lets_through = leaky and RESTORES.match(finding.cure)
            for end, heard in reach.items():
                lost = heard - now.get(end, set())
                assert not lost, (*about, "cuts off", end, lost)
                for switch, port, vlan, _ in now.get(end, set()) - heard:
                    same = not vlan or vlans_at(after, end) >> vlan & 1
                    assert same or lets_through, (*about, "opens", end, switch, port, vlan)
            for other in found:
                graver = other.severity.rank <= finding.severity.rank
                new = not any((other.rule, w) in known for w in other.where)
                worse = graver and new and not leaky
                assert not worse, (*about, "brings", other.rule, other.says)


def plain(campus: Campus) -> Campus:
    """The campus with one bridge in each box, no ports within ports, and nothing that VLANs come
    by but what is stated.
    """
    for device in campus.devices.values():
        device.bridges = {}
        device.ports = {n: p for n, p in device.ports.items() if p.kind is not PortKind.SUB}
        for port in device.ports.values():
            port.registration = None
            if port.mode is not None and port.mode.value is Mode.UNAWARE:
                port.mode = fact(Mode.ACCESS)
    return campus


@pytest.mark.parametrize("part", range(4))
def test_cures_do_no_harm_on_random_campuses(part: int) -> None:
    seen: dict[str, int] = {}
    for number in range(part, CAMPUSES, 4):
        rng = random.Random(f"cures {number}")
        tried(plain(random_campus(rng, 5)), Plan(), seen, leaky=True)
    assert sum(seen.values()) > CAMPUSES // 20, seen


def test_cures_do_no_harm_where_a_mistake_was_planted() -> None:
    seen: dict[str, int] = {}
    for number, name in enumerate(KINDS):
        ground = ("demo", 1, 3)[number % 3]
        campus, text = clean(ground)
        changed, plan = deepcopy(campus), [text]
        spots = KINDS[name].plant(Ground(ground_of(ground), changed, random.Random(name), plan))
        if spots is not None:
            tried(changed, read_plan("plan.yaml", "".join(plan).encode()), seen)
    assert len(seen) > 10, seen
