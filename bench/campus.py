"""A seeded generator of clean campuses, as OpenConfig JSON files.

Two core switches; blocks of up to 24 access switches, each block behind two distribution switches
of its own; every access switch with an uplink to both, every distribution switch with a link to
both cores. 48 host ports and 4 uplink ports a switch. Lists hold what is needed and nothing else,
so an audit of such a campus finds nothing.
"""

from __future__ import annotations

import json
import random
from pathlib import Path
from typing import Any

__all__ = ["write_campus"]

NATIVE, MANAGEMENT = 4000, 3999
HOST_PORTS, BLOCK = 48, 24


def write_campus(folder: Path, switches: int, vlans: int = 200, seed: int = 1) -> list[Path]:
    """Write `switches` files (at least 5) to `folder` and return their paths."""
    rng = random.Random(seed)
    folder.mkdir(parents=True, exist_ok=True)
    numbers = sorted(rng.sample(range(10, 3900), vlans))
    names = {vid: f"segment-{n}" for n, vid in enumerate(numbers)} | {
        MANAGEMENT: "management",
        NATIVE: "nobody",
    }
    links: dict[str, list[tuple[str, str, str, set[int]]]] = {}
    served: dict[str, list[int]] = {}

    def join(one: str, port: str, other: str, far_port: str, carried: set[int]) -> None:
        links.setdefault(one, []).append((port, other, far_port, carried))
        links.setdefault(other, []).append((far_port, one, port, carried))

    cores = ["core-1", "core-2"]
    block = 0
    left = switches - len(cores)
    everything: set[int] = set()
    uplinks: list[tuple[str, str, str, str, set[int]]] = []
    while left > 0:
        block += 1
        pair = [f"dist-{block}-1", f"dist-{block}-2"]
        access = [f"access-{block}-{n}" for n in range(1, min(BLOCK, max(left - 2, 1)) + 1)]
        left -= len(pair) + len(access)
        own = rng.sample(numbers, min(len(numbers), 16))
        carried: set[int] = {MANAGEMENT}
        for number, name in enumerate(access):
            served[name] = sorted(rng.sample(own, min(len(own), 6)))
            carried |= set(served[name])
            for which, dist in enumerate(pair):
                needed = {*served[name], MANAGEMENT}
                join(dist, f"port-{number + 1}", name, f"port-{HOST_PORTS + 1 + which}", needed)
        everything |= carried
        for which, dist in enumerate(pair):
            for number, core in enumerate(cores):
                far = f"port-{2 * block + which}"
                uplinks.append((dist, f"port-{HOST_PORTS + 1 + number}", core, far, carried))
    for uplink in uplinks:
        join(*uplink)
    join("core-1", "port-1", "core-2", "port-1", everything)
    return [
        _write(folder, name, number, links.get(name, []), served.get(name, []), names, rng)
        for number, name in enumerate(sorted(links))
    ]


def _write(
    folder: Path,
    name: str,
    number: int,
    links: list[tuple[str, str, str, set[int]]],
    served: list[int],
    names: dict[int, str],
    rng: random.Random,
) -> Path:
    here = {NATIVE, MANAGEMENT, *served}
    interfaces, neighbours = [], []
    taken = {port for port, *_ in links}
    for place in range(1, HOST_PORTS + 5):
        port = f"port-{place}"
        if port not in taken:
            interfaces.append(_host_port(port, rng.choice(served) if served else None))
    for port, other, far_port, carried in links:
        here |= carried
        config = {
            "interface-mode": "TRUNK",
            "native-vlan": NATIVE,
            "trunk-vlans": sorted({*carried, NATIVE}),
        }
        interfaces.append(_interface(port, f"to {other}", True, config))
        state = {
            "id": "1",
            "system-name": other,
            "port-id": far_port,
            "port-id-type": "INTERFACE_NAME",
        }
        neighbours.append(
            {
                "name": port,
                "config": {"name": port},
                "neighbors": {"neighbor": [{"id": "1", "state": state}]},
            }
        )
    interfaces.append(_gateway(MANAGEMENT, f"172.16.{number // 250}.{number % 250 + 1}", 16))
    if name == "core-1":
        routed = sorted(set().union(*(carried for *_, carried in links)) - {MANAGEMENT})
        interfaces += [_gateway(vid, f"10.{vid >> 8}.{vid & 255}.1", 24) for vid in routed]
    table = [
        {"vlan-id": vid, "config": {"vlan-id": vid, "name": names[vid], "status": "ACTIVE"}}
        for vid in sorted(here)
    ]
    instance = {"name": "default", "config": {"name": "default"}, "vlans": {"vlan": table}}
    tree = {
        "openconfig-system:system": {"config": {"hostname": name}},
        "openconfig-interfaces:interfaces": {"interface": interfaces},
        "openconfig-network-instance:network-instances": {"network-instance": [instance]},
        "openconfig-lldp:lldp": {"interfaces": {"interface": neighbours}},
    }
    path = folder / f"{name}.json"
    path.write_text(json.dumps(tree, indent=2) + "\n")
    return path


def _gateway(vid: int, ip: str, length: int) -> dict[str, Any]:
    config = {"name": f"vlan-{vid}", "type": "iana-if-type:l3ipvlan", "enabled": True}
    addresses = {"address": [{"ip": ip, "config": {"ip": ip, "prefix-length": length}}]}
    routed = {"config": {"vlan": vid}, "openconfig-if-ip:ipv4": {"addresses": addresses}}
    return {"name": f"vlan-{vid}", "config": config, "openconfig-vlan:routed-vlan": routed}


def _host_port(port: str, vid: int | None) -> dict[str, Any]:
    if vid is None:
        return _interface(port, "spare", False, None)
    return _interface(
        port, f"room {port[5:]}", True, {"interface-mode": "ACCESS", "access-vlan": vid}
    )


def _interface(port: str, about: str, enabled: bool, vlan: dict[str, Any] | None) -> dict[str, Any]:
    config = {
        "name": port,
        "type": "iana-if-type:ethernetCsmacd",
        "enabled": enabled,
        "description": about,
    }
    found: dict[str, Any] = {"name": port, "config": config}
    if vlan is not None:
        found["openconfig-if-ethernet:ethernet"] = {
            "openconfig-vlan:switched-vlan": {"config": vlan}
        }
    return found
