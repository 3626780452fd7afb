"""Random campuses for the oracles: every kind of port, cycles, mismatches, bundles, several bridges
in a box.
"""

from __future__ import annotations

import random
from typing import Any

from inkov.campus import (
    STANDARD,
    Accept,
    Bridge,
    Cable,
    Campus,
    Device,
    Fact,
    Host,
    Mode,
    Negotiation,
    Origin,
    Port,
    PortKind,
    Private,
    Vlan,
)
from inkov.forwarding import resolve
from inkov.forwarding.reach import flood, sendings_at
from inkov.levels import Level
from inkov.vlanset import VlanSet
from inkov.wiring import wire

NOWHERE = Origin()
VIDS = [1, 10, 20, 30, 31, 32]
PRIVATE = {30: Private.PRIMARY, 31: Private.ISOLATED, 32: Private.COMMUNITY}


def fact(value: Any) -> Fact[Any]:
    return Fact(value, NOWHERE)


def some(rng: random.Random) -> Fact[Any]:
    return fact(VlanSet.from_vids(v for v in VIDS if rng.random() < 0.6))


def random_port(
    rng: random.Random, name: str, *, uplink: bool, kind: PortKind = PortKind.PHYSICAL
) -> Port:
    """A port with a random setting: mostly trunks between switches, access towards hosts."""
    port = Port(name, NOWHERE, kind)
    modes = (
        [Mode.TRUNK] * 6 + [Mode.GENERAL] * 2
        if uplink
        else [Mode.ACCESS] * 4 + [Mode.PRIVATE_HOST] * 2
    )
    mode = rng.choice([*modes, *(mode for mode in Mode if mode is not Mode.UNAWARE)])
    port.mode = fact(mode)

    def vid() -> Fact[Any]:
        return fact(rng.choice(VIDS))

    def maybe(chance: float, value: Any) -> Fact[Any] | None:
        return fact(value) if rng.random() < chance else None

    if mode in (Mode.ACCESS, Mode.TRUNK):
        port.negotiation = maybe(0.3, rng.choice(list(Negotiation)))
        port.access_vlan = vid() if rng.random() < 0.9 else None
        port.voice_vlan = maybe(0.2, rng.choice([*VIDS, None]))
        port.native_vlan = maybe(0.7, rng.choice([*VIDS, None]))
        port.native_tagged = maybe(0.15, True)
        port.allowed = some(rng) if rng.random() < 0.85 else None
        port.withheld = some(rng) if rng.random() < 0.1 else None
    elif mode is Mode.GENERAL:
        port.pvid = maybe(0.8, rng.choice([*VIDS, None]))
        port.accept = maybe(0.5, rng.choice(list(Accept)))
        port.ingress_filtering = maybe(0.6, rng.random() < 0.5)
        port.tagged = some(rng) if rng.random() < 0.7 else None
        port.untagged = some(rng) if rng.random() < 0.4 else None
    elif mode is Mode.PRIVATE_HOST:
        port.primary, port.secondary = fact(30), fact(rng.choice([31, 31, 32, 32, 10]))
    elif mode is Mode.PROMISCUOUS:
        port.primary, port.secondaries = fact(30), some(rng)
    port.protected = maybe(0.12, True)
    port.registration = maybe(0.06, True)
    port.forbidden = some(rng) if port.registration is not None and rng.random() < 0.5 else None
    port.enabled = maybe(0.06, False)
    return port


def random_campus(rng: random.Random, most: int = 12) -> Campus:
    """1 to `most` switches with one to four host ports, cabled as a random graph with cycles."""
    campus = Campus()
    count = rng.randint(1, most)
    for number in range(count):
        device = campus.devices[f"s{number}"] = Device(f"s{number}", NOWHERE, STANDARD)
        if rng.random() < 0.9:
            device.vlans = {}
            for v in VIDS[1:]:
                if rng.random() < 0.85:
                    row = device.vlans[v] = Vlan(v, NOWHERE)
                    row.active = fact(False) if rng.random() < 0.06 else None
                    row.private = fact(PRIVATE[v]) if v in PRIVATE and rng.random() < 0.9 else None
                    if v == 30 and row.private is not None and rng.random() < 0.7:
                        row.secondaries = fact(VlanSet.of(*rng.choice([(31,), (32,), (31, 32)])))
        for n in range(rng.randint(1, 4)):
            device.ports[f"h{n}"] = random_port(rng, f"h{n}", uplink=rng.random() < 0.15)
    for number in range(1, count + count // 2):
        one = f"s{number if number < count else rng.randrange(count)}"
        other = f"s{rng.randrange(number) if number < count else rng.randrange(count)}"
        _cable(rng, campus, one, other, number)
    if len(campus.cables) > 1 and rng.random() < 0.2:  # reports that join one port to two others
        first, second = rng.sample(campus.cables, 2)
        campus.cables.append(
            Cable(first.device, first.port, second.far_device, second.far_port, NOWHERE)
        )
    for device in campus.devices.values():
        if rng.random() < 0.35:
            _second_bridge(rng, device)
    for device in campus.devices.values():
        if rng.random() < 0.05:
            _unaware(rng, device)
    for number in range(rng.randint(1, 3) if rng.random() < 0.3 else 0):
        device = rng.choice(list(campus.devices.values()))
        tag = rng.choice([None, None, 10])
        port = rng.choice(list(device.ports))
        campus.hosts.append(Host(f"x{number}", device.name, port, NOWHERE, tag))
    return campus


def _unaware(rng: random.Random, device: Device) -> None:
    """One of the bridges of a device takes no notice of tags."""
    bridge = device.bridges.get("b2")
    own = set(bridge.ports) if bridge is not None else set()
    inside = bridge is not None and rng.random() < 0.5
    for name, port in device.ports.items():
        routed = port.mode is not None and port.mode.value is Mode.ROUTED
        if (name in own) is inside and not routed:
            port.mode = fact(Mode.UNAWARE)
            port.registration = port.negotiation = None


def _cable(rng: random.Random, campus: Campus, one: str, other: str, number: int) -> None:
    ends = [(one, f"u{number}a"), (other, f"u{number}b")]
    ports = [random_port(rng, name, uplink=True) for _, name in ends]
    if rng.random() < 0.5:  # half of the links fit: the same settings at both ends
        ports[1] = random_port(rng, ends[1][1], uplink=True)
        for attribute in (
            "mode",
            "negotiation",
            "access_vlan",
            "voice_vlan",
            "native_vlan",
            "native_tagged",
            "allowed",
        ):
            setattr(ports[1], attribute, getattr(ports[0], attribute))
    for (device, name), port in zip(ends, ports, strict=True):
        campus.devices[device].ports[name] = port
    if rng.random() < 0.15:  # one end, or both, as a bundle of two
        for (device, name), port in zip(ends, ports, strict=True):
            port.kind = PortKind.BUNDLE
            for member in ("x", "y"):
                odd = random_port(rng, name + member, uplink=True)  # its own settings do not count
                odd.bundle = fact(name)
                campus.devices[device].ports[name + member] = odd
        for member in ("x", "y"):
            (one, name), (other, far_name) = ends
            campus.cables.append(Cable(one, name + member, other, far_name + member, NOWHERE))
    else:
        campus.cables.append(Cable(*ends[0], *ends[1], NOWHERE))


def _second_bridge(rng: random.Random, device: Device) -> None:
    parents = [p for p in device.ports.values() if p.bundle is None and p.kind is not PortKind.SUB]
    bridge = device.bridges["b2"] = Bridge("b2", NOWHERE)
    for parent in rng.sample(parents, min(len(parents), 2)):
        for outer in rng.sample(VIDS[1:], 2):
            name = f"{parent.name}.{outer}"
            sub = device.ports[name] = Port(name, NOWHERE, PortKind.SUB)
            sub.parent, sub.outer = fact(parent.name), fact(outer)
            sub.mode = fact(rng.choice([Mode.ACCESS, Mode.ACCESS, Mode.GENERAL, Mode.ROUTED]))
            sub.access_vlan = fact(rng.choice([1, 1, 10, 20]))
            sub.protected = fact(True) if rng.random() < 0.1 else None
            if rng.random() < 0.8:
                bridge.ports[name] = NOWHERE
    for port in rng.sample(parents, min(len(parents), 1)):
        bridge.ports[port.name] = NOWHERE


Listeners = dict[str, set[tuple[str, int, bool]]]


def listeners(campus: Campus, level: Level = Level.HONEST) -> Listeners:
    """For each port, who hears what a host there may send: (port, VID, tagged)."""
    fabric = resolve(campus, wire(campus))
    found: Listeners = {}
    for port in fabric.bridge_ports:
        spread = flood(fabric, sendings_at(fabric, [port.number], level), level)
        found[f"{port.end.device}:{port.port}"] = {
            (f"{q.end.device}:{q.port}", vid, tagged)
            for q, vid, tagged in spread.heard()
            if q.number != port.number
        }
    return found
