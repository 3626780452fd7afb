"""FM 4.7 against what neighbours without a file are in truth: campuses of which one switch is left
out, and random ones in which a box is seen at some ports, that is a switch which keeps VLANs by
their numbers, or a plain one.
"""

from __future__ import annotations

import random
from collections import Counter

from inkov.campus import STANDARD, Cable, Campus, Device, Mode, Neighbour, Origin, Port, Vlan
from inkov.forwarding import Fabric, resolve
from inkov.forwarding.fabric import BridgePort
from inkov.levels import Outcome
from inkov.plan import Claim, Plan, PlanFile
from inkov.proofs import Verdict, prove
from inkov.vlanset import VlanSet, bit, union
from inkov.wiring import wire
from tests.campuses import VIDS, fact, random_campus
from tests.clean import clean_campus
from tests.conftest import campus_of, cases, copied

CAMPUSES = cases("OUTSIDERS", 150, least=40)


def judged(campus: Campus, claims: list[Claim], *, strict: bool = False) -> list[Verdict]:
    return prove(resolve(campus, wire(campus)), Plan(PlanFile(claims=claims)), strict=strict)


def facing(rng: random.Random, name: str, far: BridgePort, subs: int) -> Port:
    """A port of a switch that has VLANs by the numbers that they have at the far end, some of them
    or all; those of the tags of sub-interfaces, a mask, as well.
    """
    port, view = Port(name, Origin()), far.view
    tags = VlanSet(view.admit | view.emit & ~view.untagged | subs) - VlanSet(bit(view.pvid))
    if rng.random() < 0.5:
        tags = VlanSet.from_vids(vid for vid in tags if rng.random() < 0.7)
    port.mode, port.tagged = fact(Mode.GENERAL), fact(tags)
    # What would be in another VLAN here than there is not taken.
    plain = view.pvid and not view.untagged & ~bit(view.pvid)
    port.pvid = fact(view.pvid if plain else None)
    port.untagged = fact(VlanSet(bit(view.pvid)) if plain else VlanSet())
    return port


def with_box(rng: random.Random, campus: Campus, seen: list[BridgePort], *, plain: bool) -> Campus:
    known, fabric = copied(campus), resolve(campus, wire(campus))
    box = known.devices["box"] = Device("box", Origin(), STANDARD)
    if not plain:
        box.vlans = {vid: Vlan(vid, Origin()) for vid in VIDS}
    for number, far in enumerate(seen):
        name = f"p{number}"
        own = (fabric.bridge_ports[number] for number in fabric.at[far.end])
        box.ports[name] = facing(rng, name, far, union(bit(port.outer) for port in own))
        if plain:
            box.ports[name] = Port(name, Origin())
            box.ports[name].mode = fact(Mode.UNAWARE)
        known.cables.append(Cable("box", name, far.end.device, far.end.port, Origin()))
    return known


def hosts_of(fabric: Fabric) -> list[BridgePort]:
    return [
        port
        for port in fabric.bridge_ports
        if fabric.is_host_port(port) and not port.outer and not fabric.is_implied(port)
    ]


def without_a_file(number: int) -> tuple[Campus, Campus, list[str]] | None:
    """A campus as it is known and as it is, and host ports: a clean one without some cables, of
    which one switch has no file.
    """
    rng = random.Random(f"file {number}")
    campus = clean_campus(number, rng.randint(2, 5))
    campus.cables = [cable for cable in campus.cables if rng.random() < 0.7]
    links = Counter(name for cable in campus.cables for name in (cable.device, cable.far_device))
    several = sorted(name for name, count in links.items() if count > 1)
    if not several:
        return None
    known = copied(campus)
    del known.devices[rng.choice(several)]
    names = [f"{port.end.device}:{port.port}" for port in hosts_of(resolve(known, wire(known)))]
    inside = hosts_of(resolve(campus, wire(campus)))
    real = {f"{port.end.device}:{port.port}" for port in inside}
    return known, campus, [name for name in names if name in real]


def beside_a_box(number: int) -> tuple[Campus, Campus, list[str]] | None:
    """The same of any campus: a box is seen at some host ports."""
    rng = random.Random(f"box {number}")
    known = random_campus(rng, 6)
    fabric = resolve(known, wire(known))
    ports = hosts_of(fabric)
    free = [port for port in ports if port.end not in fabric.wiring.of]
    if len(free) < 3:
        return None
    seen = rng.sample(free, rng.choice([2, 2, 3]))
    campus = with_box(rng, known, seen, plain=bool(number % 4 == 0))
    for at, port in enumerate(seen):
        report = Neighbour(port.end.device, port.end.port, "Box", str(at), Origin())
        known.neighbours.append(report)
    others = [port for port in ports if port.end not in {one.end for one in seen}]
    return known, campus, [f"{port.end.device}:{port.port}" for port in others]


def test_fm_4_7_what_it_could_be_is_thought_of() -> None:
    counts = dict.fromkeys(("way", "alarm", "proof"), 0)
    for number in range(CAMPUSES):
        made = (without_a_file if number % 2 else beside_a_box)(number)
        if made is None or len(made[2]) < 2:
            continue
        known, campus, names = made
        rng = random.Random(number)
        pairs = [rng.sample(names, 2) for _ in range(80)]
        really = [one.verdict for one in judged(campus, [Claim(reach=p) for p in pairs])]
        ways = [pair for pair, how in zip(pairs, really, strict=True) if how == Outcome.HOLDS][:16]
        asked = [*ways, *pairs[:4]]
        plainly = judged(known, [Claim(reach=pair) for pair in asked])
        strictly = judged(known, [Claim(not_reach=pair) for pair in asked], strict=True)
        counts["alarm"] += sum(one.verdict == Outcome.BROKEN for one in plainly)
        counts["proof"] += sum(one.verdict == Outcome.HOLDS for one in strictly)
        # There is a way in truth: no alarm that there is none, and no strict proof of it.
        for pair, wanted, unwanted in zip(ways, plainly, strictly, strict=False):
            assert wanted.verdict != Outcome.BROKEN, (number, pair)
            assert unwanted.verdict != Outcome.HOLDS, (number, pair)
            counts["way"] += wanted.verdict == Outcome.UNDECIDED
    assert min(counts.values()) > CAMPUSES / 10, counts


def test_fm_4_7_two_of_one_name_are_two_if_their_chassis_differ() -> None:
    """As are many systems that nobody has given a name."""
    port = "[port 9]\nmode: trunk\nnative: none\nallowed: 10\n"
    sheet = f"switch: {{}}\n[vlans]\n10: climate\n[port 1]\nvlan: 10\n{port}"
    for addresses, verdict in (
        (("02:00:00:00:00:01", "02:00:00:00:00:01"), Outcome.UNDECIDED),
        (("02:00:00:00:00:0A", "0200.0000.000a"), Outcome.UNDECIDED),
        (("02:00:00:00:00:01", ""), Outcome.UNDECIDED),
        (("02:00:00:00:00:01", "localhost"), Outcome.UNDECIDED),
        (("02:00:00:00:00:01", "02:00:00:00:00:02", ""), Outcome.UNDECIDED),
        (("02:00:00:00:00:01", "02:00:00:00:00:02"), Outcome.BROKEN),
    ):
        campus = campus_of(sheet.format("a"), sheet.format("b"))
        # What is told at another port, without an ID, may be either of the two.
        for switch, address in zip("aba", addresses[:3], strict=False):
            near = "9" if len(campus.neighbours) < 2 else "1"
            report = Neighbour(switch, near, "localhost", "1", Origin(), far_known_as=address)
            campus.neighbours.append(report)
        [judgement] = judged(campus, [Claim(reach=["a:1", "b:1"])])
        assert judgement.verdict == verdict, addresses
