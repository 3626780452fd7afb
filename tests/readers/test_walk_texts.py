"""Nobody outside writes into a walk: whatever stands in texts that others choose, the switch that
is read is the same as if these texts were blank.

A real agent serves a switch whose texts hold lines that look like objects, in every style that a
real walk prints.
"""

from __future__ import annotations

import random
import re
from collections.abc import Iterator
from pathlib import Path

import pytest

from inkov.campus import Device
from inkov.readers.reading import Part
from inkov.readers.registry import read_bytes
from inkov.readers.sheets.writer import write_sheet
from inkov.readers.walk.objects import OBJECTS
from tests.conftest import cases, share
from tests.readers.agent import Agent, Rows, running
from tests.readers.mibs import MODULES, write_modules
from tests.readers.test_sheet import without_origins

TRIES = cases("WALKS", 2)
ROOTS = ("1.0.8802.1.1.2", *(f"1.3.6.1.2.1.{group}" for group in (1, 2, 17, 31)))
SYSTEM = "1.3.6.1.2.1.1"
TEXTS = {
    f"{SYSTEM}.1.0": b"a switch",
    f"{SYSTEM}.4.0": b"the gardener",
    f"{SYSTEM}.6.0": b"greenhouse",
    **{f"{OBJECTS['ifAlias']}.{100 + n}": b"pump" for n in range(1, 7)},
    **{f"{OBJECTS['dot1qVlanStaticName']}.{vid}": b"ferns" for vid in (10, 20, 30)},
    f"{OBJECTS['lldpLocPortId']}.1".replace("7.1.3", "7.1.4"): b"uplink",
    **{f"{OBJECTS['lldpRemPortDesc']}.0.{n}.1": b"downlink" for n in (1, 2)},
    **{f"{OBJECTS['lldpRemPortDesc'][:-1]}10.0.{n}.1": b"a core switch" for n in (1, 2)},
}
"""The texts that somebody else chooses: numbers of their objects, and what stands there else."""


def switch(texts: dict[str, bytes]) -> Rows:
    """A switch of six ports as an agent serves it."""
    rows: dict[str, tuple[str, str]] = {}

    def add(name: str, index: object, kind: str, value: object) -> None:
        rows[f"{OBJECTS[name]}.{index}"] = (kind, str(value))

    add("sysName", 0, "string", "fern-2")
    for n in range(1, 7):
        add("ifDescr", 100 + n, "string", f"port {n}")
        add("ifType", 100 + n, "integer", 6)
        add("ifAdminStatus", 100 + n, "integer", 2 if n == 5 else 1)
        add("ifName", 100 + n, "string", f"p{n}")
        add("dot1dBasePortIfIndex", n, "integer", 100 + n)
        add("dot1qPvid", n, "gauge", [1, 1, 10, 20, 20, 30][n - 1])
        add("dot1qPortAcceptableFrameTypes", n, "integer", 2 if n < 3 else 1)
        add("dot1qPortIngressFiltering", n, "integer", 1 if n % 2 else 2)
        add("dot1qPortGvrpStatus", n, "integer", 2)
        rows[f"1.3.6.1.2.1.31.1.1.1.19.{100 + n}"] = ("gauge", "0")
    # Bits from the highest: ports 1, 2 and 3 of VLAN 10; octets that can be printed among them.
    for vid, members, untagged in ((10, "E0 00", "20 00"), (20, "D8", "18"), (30, "44", "04")):
        add("dot1qVlanStaticEgressPorts", vid, "octet", members)
        add("dot1qVlanForbiddenEgressPorts", vid, "octet", "00")
        add("dot1qVlanStaticUntaggedPorts", vid, "octet", untagged)
        add("dot1qVlanStaticRowStatus", vid, "integer", 1)
    for n in (1, 2):
        add("lldpLocPortIdSubtype", n, "integer", 5)
        add("lldpLocPortId", n, "string", f"p{n}")
        add("lldpRemChassisIdSubtype", f"0.{n}.1", "integer", 4)
        add("lldpRemChassisId", f"0.{n}.1", "octet", f"02 00 00 00 00 0{n}")
        add("lldpRemPortIdSubtype", f"0.{n}.1", "integer", 5)
        add("lldpRemPortId", f"0.{n}.1", "string", f"port-{n}")
        add("lldpRemSysName", f"0.{n}.1", "string", f"core-{n}")
        for column in (11, 12):
            rows[f"{OBJECTS['lldpRemPortDesc'][:-1]}{column}.0.{n}.1"] = ("octet", "20 00")
    for number, text in texts.items():
        rows[number] = ("octet", text.hex(" ").upper())
    return rows


STYLES: dict[str, tuple[list[str], list[str]]] = {
    "numeric": (["-On"], []),
    "numeric, texts in hex": (["-Onx"], []),
    "numeric, no types": (["-OnQ"], []),
    "numeric, no equals signs": (["-Onq"], []),
    "iso": ([], []),
    "names": ([], list(MODULES)),
    "names, no types": (["-OQ"], list(MODULES)),
    "names, no equals signs": (["-Oq"], list(MODULES)),
    "names, numbers for enumerations": (["-Oe"], list(MODULES)),
    "names, indices in brackets": (["-OX"], list(MODULES)),
    "names without modules": (["-Os"], list(MODULES)),
    "names without modules or equals signs": (["-Osq"], list(MODULES)),
    "names by the whole path": (["-Of"], list(MODULES)),
    "names as they were once": (["-Ou"], list(MODULES)),
    "names, hex with text beside it": (["-OT"], list(MODULES)),
    "names, texts in hex": (["-Ox"], list(MODULES)),
    "names, numeric indices": (["-Ob"], list(MODULES)),
    "the roots' names only": ([], ["SNMPv2-SMI", "SNMPv2-TC"]),
    "the older bridge's names": ([], ["SNMPv2-SMI", "SNMPv2-TC", "BRIDGE-MIB", "IF-MIB"]),
}
"""Style -> options of the walk, and the modules that it knows."""

FORGED = [
    ("dot1qPvid", "3", "66"),
    ("dot1qPvid", "9", "66"),
    ("dot1qVlanStaticEgressPorts", "66", "Hex-STRING: FF FF"),
    ("dot1qVlanStaticEgressPorts", "20", '"FF "'),
    ("ifAdminStatus", "103", "2"),
    ("ifName", "103", '"p9"'),
    ("ifAlias", "103", '"nobody"'),
    ("ifStackStatus", "101.103", "1"),
    ("sysName", "0", '"core-9"'),
    ("lldpRemPortId", "0.2.1", '"port-77"'),
    ("lldpRemPortId", "0.3.1", '"port-3"'),
    ("lldpRemSysName", "0.3.1", "core-7"),
    ("lldpRemSysName", "0.2.1", "core-7"),
    ("dot1dBasePortIfIndex", "3", "106"),
    ("dot3adAggPortAttachedAggID", "103", "104"),
]


def spelled(rng: random.Random, name: str, index: str) -> str:
    """An object as one of the styles spells it."""
    number = f"{OBJECTS[name]}.{index}"
    bridge = number.replace("1.3.6.1.2.1.17.", "BRIDGE-MIB::dot1dBridge.")
    smi = number.replace("1.3.6.1.2.1.", "SNMPv2-SMI::mib-2.")
    module = next((m for m, text in MODULES.items() if f"{name} OBJECT-TYPE" in text), "X-MIB")
    forms = [f".{number}", f"iso{number[1:]}", bridge, smi]
    forms += [f"{module}::{name}.{index}", f"{name}.{index}", f"{name}[{index}]"]
    return rng.choice(forms)


def evil(rng: random.Random) -> bytes:
    """A text that somebody chose who wants to write into the configuration."""
    text = rng.choice(["", "hello", 'a "quoted" word', "back\\slash", "it ends\\"])
    for _ in range(rng.randint(1, 4)):
        name, index, value = rng.choice(FORGED)
        kind = rng.choice(["INTEGER: ", "Gauge32: ", "STRING: ", ""]) if value[0] != "H" else ""
        equals = rng.choice([" = ", " = ", " "])
        text += rng.choice(["\n", "\n", '"\n', "\r\n"])
        text += f"{spelled(rng, name, index)}{equals}{kind}{value}"
    return (text + rng.choice(["", "\n", '"', '\n"']))[:255].encode()


@pytest.fixture(scope="module")
def agent(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Agent]:
    rows = switch(TEXTS)
    columns = {number.rpartition(".")[0] for number in rows}
    roots = {".".join(number.split(".")[:8]) for number in columns if number.startswith("1.3.6")}
    roots |= {"1.0.8802.1.1.2.1.3", "1.0.8802.1.1.2.1.4"}
    with running(tmp_path_factory.mktemp("snmp"), sorted(roots)) as started:
        yield started


def without_texts(device: Device) -> object:
    """What a device does, without the texts that say nothing of it."""
    for port in device.ports.values():
        port.description = None
    for vlan in (device.vlans or {}).values():
        vlan.name = None
    return without_origins(device)


def ways_of(part: Part) -> set[tuple[str, str, str]]:
    return {(n.port, n.far_device, n.far_port) for n in part.neighbours}


@pytest.mark.parametrize("style", share(STYLES, 6))
def test_no_text_of_others_changes_the_switch(style: str, agent: Agent, tmp_path: Path) -> None:
    options, names = STYLES[style]
    modules = write_modules(tmp_path / "mibs", names) if names else None
    agent.serve(switch(TEXTS))
    plain = agent.walk(options, *ROOTS, modules=modules)
    report, part = read_bytes("x.walk", plain, account=True)
    assert [p.says for p in part.problems] == [], plain.decode()
    assert not report.unmatched, report.unmatched
    blank = without_texts(part.devices[0])
    assert [*part.devices[0].ports] == [f"p{n}" for n in range(1, 7)]
    sheet = write_sheet(part.devices[0])
    allowed = dict(re.findall(r"\[port (p\d)\][^\[]*?(tagged: .*\nuntagged: .*)", sheet))
    assert allowed == {
        "p1": "tagged: 10,20\nuntagged: none",
        "p2": "tagged: 10,20,30\nuntagged: none",
        "p3": "tagged: none\nuntagged: 10",
        "p4": "tagged: none\nuntagged: 20",
        "p5": "tagged: none\nuntagged: 20",
        "p6": "tagged: none\nuntagged: 30",
    }
    ways = ways_of(part)
    assert ways == {("p1", "core-1", "port-1"), ("p2", "core-2", "port-2")}
    for seed in range(TRIES):
        rng = random.Random(f"{style} {seed}")
        chosen = rng.sample(sorted(TEXTS), rng.randint(1, 4))
        texts = {**TEXTS, **{number: evil(rng) for number in chosen}}
        agent.serve(switch(texts))
        walked = agent.walk(options, *ROOTS, modules=modules)
        report, found = read_bytes("x.walk", walked, account=True)
        shown = walked.decode("utf-8", "replace")
        if names and not found.devices:
            # Texts stand without quotes, and their order does not tell: such a walk is refused.
            (problem,) = found.problems
            assert problem.lost and "option -Ox" in problem.cure and not found.neighbours
            continue
        assert without_texts(found.devices[0]) == blank, (seed, shown, found.problems)
        assert ways_of(found) == ways, (seed, shown)
