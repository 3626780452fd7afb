"""Random changes of random campuses: what somebody may do to them between two readings."""

from __future__ import annotations

import random

from inkov.campus import Cable, Campus, Device, Host, Mode, Port, PortKind, Vlan
from tests.campuses import NOWHERE, VIDS, fact, random_port
from tests.conftest import copied


def changed(rng: random.Random, campus: Campus, most: int = 3) -> Campus:
    """A copy of a campus with one to `most` changes."""
    campus = copied(campus)
    for _ in range(rng.randint(1, most)):
        device = rng.choice(list(campus.devices.values()))
        rng.choice(CHANGES)(rng, campus, device)
    return campus


def settable(device: Device) -> list[Port]:
    """The ports that may be set otherwise: not those of a bridge that takes no notice of tags."""
    return [
        port
        for port in device.ports.values()
        if port.kind is not PortKind.SUB
        and (port.mode is None or port.mode.value is not Mode.UNAWARE)
    ]


def another_setting(rng: random.Random, campus: Campus, device: Device) -> None:
    ports = settable(device)
    if ports:
        port = rng.choice(ports)
        other = random_port(rng, port.name, uplink=port.name.startswith("u"), kind=port.kind)
        other.bundle = port.bundle
        device.ports[port.name] = other


def one_attribute(rng: random.Random, campus: Campus, device: Device) -> None:
    ports = settable(device)
    if ports:
        port = rng.choice(ports)
        other = random_port(rng, port.name, uplink=rng.random() < 0.5)
        name = rng.choice(
            ["mode", "access_vlan", "native_vlan", "allowed", "withheld", "protected", "enabled"]
        )
        setattr(port, name, getattr(other, name))


def table(rng: random.Random, campus: Campus, device: Device) -> None:
    if device.vlans is None:
        device.vlans = {vid: Vlan(vid, NOWHERE) for vid in VIDS[1:]}
    elif device.vlans and rng.random() < 0.6:
        vid = rng.choice(list(device.vlans))
        if rng.random() < 0.5:
            del device.vlans[vid]
        else:
            device.vlans[vid].active = None if rng.random() < 0.5 else fact(False)
    else:
        vid = rng.choice(VIDS[1:])
        device.vlans.setdefault(vid, Vlan(vid, NOWHERE))


def cable_away(rng: random.Random, campus: Campus, device: Device) -> None:
    if campus.cables:
        campus.cables.remove(rng.choice(campus.cables))


def cable_new(rng: random.Random, campus: Campus, device: Device) -> None:
    other = rng.choice(list(campus.devices.values()))
    if other is not device:
        number = len(device.ports) + len(other.ports)
        ends = [(one, f"u{number}{half}") for one, half in ((device, "c"), (other, "d"))]
        for one, name in ends:
            one.ports[name] = random_port(rng, name, uplink=True)
        campus.cables.append(Cable(device.name, ends[0][1], other.name, ends[1][1], NOWHERE))


def port_away(rng: random.Random, campus: Campus, device: Device) -> None:
    free = [
        name
        for name, port in device.ports.items()
        if name.startswith("h") and port.kind is PortKind.PHYSICAL
    ]
    if free:
        name = rng.choice(free)
        for sub in [n for n in device.ports if n == name or n.startswith(f"{name}.")]:
            del device.ports[sub]
            for bridge in device.bridges.values():
                bridge.ports.pop(sub, None)
        campus.hosts = [
            h for h in campus.hosts if (h.device, h.port.split(".")[0]) != (device.name, name)
        ]


def port_new(rng: random.Random, campus: Campus, device: Device) -> None:
    name = f"h{len(device.ports) + 20}"
    device.ports[name] = random_port(rng, name, uplink=rng.random() < 0.3)


def host(rng: random.Random, campus: Campus, device: Device) -> None:
    if campus.hosts and rng.random() < 0.5:
        campus.hosts.remove(rng.choice(campus.hosts))
    elif device.ports:
        port = rng.choice(list(device.ports))
        campus.hosts.append(
            Host(f"y{len(campus.hosts)}", device.name, port, NOWHERE, rng.choice([None, 10]))
        )


def words(rng: random.Random, campus: Campus, device: Device) -> None:
    """What decides no frame's way."""
    for row in (device.vlans or {}).values():
        row.name = fact(rng.choice(["ferns", "palms", "ponds"]))
    for port in device.ports.values():
        port.description = fact(rng.choice(["lamp", "pump"])) if rng.random() < 0.5 else None


CHANGES = [
    words,
    another_setting,
    another_setting,
    one_attribute,
    one_attribute,
    table,
    cable_away,
    cable_new,
    port_away,
    port_new,
    host,
]
