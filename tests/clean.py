"""Clean campuses of every size, as the model has them: two cores, closets of two kinds, some
closets behind others.

Everything that rules look at is there and right: voice, private VLANs, bundles, gateways, hosts,
trees, distribution, cables. An audit finds nothing, so whatever it finds after a mistake was
planted is that mistake's doing.
"""

from __future__ import annotations

import random
from ipaddress import ip_interface
from typing import Any

from inkov.campus import (
    STANDARD,
    Aggregation,
    Cable,
    Campus,
    Device,
    Distribution,
    Fact,
    Gateway,
    Host,
    Mode,
    Negotiation,
    Neighbour,
    Origin,
    Port,
    PortKind,
    Private,
    Role,
    Tree,
    TreeMode,
    Vlan,
)
from inkov.plan import Plan, read_plan
from inkov.vlanset import VlanSet

CLIMATE, VOICE, PUMPS, GUESTS, ROOMS, LOUNGE, WIFI, COLD, MANAGEMENT, NATIVE = (
    10,
    15,
    20,
    30,
    31,
    32,
    40,
    70,
    90,
    99,
)
NAMES = {
    CLIMATE: "climate",
    VOICE: "voice",
    PUMPS: "pumps",
    GUESTS: "guests",
    ROOMS: "rooms",
    LOUNGE: "lounge",
    WIFI: "wifi",
    COLD: "cold-store",
    MANAGEMENT: "management",
    NATIVE: "nobody",
}
PLAN = """\
practice:
  native: 99
  management: 90
  reserved: 3900-3909
  root: [core-1]
  distribution: {carries: {3: 1-4094}, private: [3]}
"""


def plan(more: str = "") -> Plan:
    found = read_plan("plan.yaml", (PLAN + more).encode())
    assert found.problems == []
    return found


def at(line: int) -> Origin:
    return Origin("clean", line)


class _Maker:
    def __init__(self, rng: random.Random) -> None:
        self.rng = rng
        self.line = 0
        self.campus = Campus()

    def fact(self, value: Any) -> Fact[Any]:
        self.line += 1
        return Fact(value, at(self.line))

    def origin(self) -> Origin:
        self.line += 1
        return at(self.line)

    def switch(self, name: str, vids: set[int], number: int, *, core: bool) -> Device:
        fact = self.fact
        device = Device(name, self.origin(), STANDARD, {})
        for vid in sorted(vids | {NATIVE}):
            row = Vlan(vid, self.origin(), fact(NAMES[vid]))
            if vid == GUESTS:
                row.private, row.secondaries = (
                    fact(Private.PRIMARY),
                    fact(VlanSet.of(ROOMS, LOUNGE)),
                )
            elif vid in (ROOMS, LOUNGE):
                row.private = fact(Private.ISOLATED if vid == ROOMS else Private.COMMUNITY)
            assert device.vlans is not None
            device.vlans[vid] = row
        device.tree_mode = fact(TreeMode.RSTP)
        if core:
            device.trees = [Tree(VlanSet.all(), self.origin(), priority=fact(4096 * number))]
        role = Role.ORIGIN if name == "core-1" else Role.FOLLOWER
        device.distribution = Distribution(
            self.origin(), fact("garden"), fact(3), fact(role), fact(17), fact(True), None
        )
        for vid in sorted(vids - {NATIVE, ROOMS, LOUNGE, VOICE}) if core else [MANAGEMENT]:
            address = ip_interface(f"10.{vid}.0.{number}/24")
            device.gateways.append(Gateway(vid, self.origin(), addresses=(fact(address),)))
        self.campus.devices[name] = device
        return device

    def host(self, device: Device, name: str, about: str, **settings: Any) -> Port:
        port = Port(name, self.origin(), description=self.fact(about))
        settings.setdefault("edge", True)
        settings.setdefault("bpdu_guard", True)
        for attribute, value in settings.items():
            setattr(port, attribute, self.fact(value))
        device.ports[name] = port
        return port

    def join(
        self, one: Device, ports: list[str], other: Device, far_ports: list[str], vids: set[int]
    ) -> None:
        for near, names, far, far_names in (
            (one, ports, other, far_ports),
            (other, far_ports, one, ports),
        ):
            for name, far_name in zip(names, far_names, strict=True):
                near.ports[name] = Port(
                    name,
                    self.origin(),
                    description=self.fact(f"to {far.name}"),
                    mtu=self.fact(9000),
                    speed=self.fact(10000),
                )
                self.campus.neighbours.append(
                    Neighbour(near.name, name, far.name, far_name, self.origin())
                )
            trunk = near.ports[names[0]]
            if len(names) > 1:
                bundle = f"bundle-{far.name}"
                for name in names:
                    near.ports[name].bundle = self.fact(bundle)
                    near.ports[name].aggregation = self.fact(Aggregation.ACTIVE)
                trunk = near.ports[bundle] = Port(bundle, self.origin(), PortKind.BUNDLE)
            trunk.mode = self.fact(Mode.TRUNK)
            trunk.negotiation = self.fact(Negotiation.SILENT)
            trunk.native_vlan = self.fact(NATIVE)
            trunk.allowed = self.fact(VlanSet.from_vids(vids | {NATIVE}))
        for name, far_name in zip(ports, far_ports, strict=True):
            self.campus.cables.append(Cable(one.name, name, other.name, far_name, self.origin()))


def clean_campus(seed: int, closets: int) -> Campus:
    """A clean campus with two cores and `closets` access switches."""
    maker = _Maker(random.Random(seed))
    rng = maker.rng
    everything = set(NAMES) - {NATIVE} - ({COLD} if closets < 4 else set())
    core = maker.switch("core-1", everything, 1, core=True)
    spare = maker.switch("core-2", everything, 2, core=True)
    maker.join(core, ["1"], spare, ["1"], everything)
    maker.host(
        core,
        "2",
        "promiscuous",
        mode=Mode.PROMISCUOUS,
        primary=GUESTS,
        secondaries=VlanSet.of(ROOMS, LOUNGE),
    )
    for number, vid in enumerate((VOICE, CLIMATE, PUMPS, WIFI), 3):
        maker.host(core, str(number), "server", mode=Mode.ACCESS, access_vlan=vid)
    behind: Device | None = None
    for number in range(1, closets + 1):
        remote = behind is not None and number % 4 == 0
        feeds = (number + 1) % 4 == 0 and number < closets  # the next one is behind it
        vids = (
            {CLIMATE, PUMPS, COLD, MANAGEMENT}
            if remote
            else everything - ({COLD} if not feeds else set())
        )
        device = maker.switch(
            f"{'hut' if remote else 'closet'}-{number}", vids, 2 + number, core=False
        )
        if remote:
            assert behind is not None
            maker.join(device, ["21"], behind, ["24"], vids)
            maker.host(device, "1", "pump", mode=Mode.ACCESS, access_vlan=PUMPS)
            maker.host(device, "2", "mist", mode=Mode.ACCESS, access_vlan=CLIMATE)
            for port in ("3", "4"):
                maker.host(device, port, "freezer", mode=Mode.ACCESS, access_vlan=COLD)
            maker.host(device, "5", "spare", enabled=False)
            continue
        up = [str(20 + number), str(60 + number)]
        bundled = rng.random() < 0.5
        maker.join(
            core, up if bundled else up[:1], device, ["21", "22"] if bundled else ["21"], vids
        )
        maker.join(spare, up[:1], device, ["23"], vids)
        if not bundled:
            maker.host(device, "22", "spare", enabled=False)
        if not feeds:
            maker.host(device, "24", "spare", enabled=False)
        for room in range(1, 7):
            maker.host(
                device,
                str(room),
                f"room {room}",
                mode=Mode.ACCESS,
                access_vlan=CLIMATE,
                voice_vlan=VOICE,
            )
        for valve in (7, 8):
            maker.host(device, str(valve), f"valve {valve}", mode=Mode.ACCESS, access_vlan=PUMPS)
        maker.host(device, "9", "guest", mode=Mode.PRIVATE_HOST, primary=GUESTS, secondary=ROOMS)
        maker.host(device, "10", "lounge", mode=Mode.PRIVATE_HOST, primary=GUESTS, secondary=LOUNGE)
        extra = {"protected": True} if number == 1 else {}
        maker.host(device, "11", "wifi", mode=Mode.ACCESS, access_vlan=WIFI, **extra)
        maker.host(device, "12", "wifi too", mode=Mode.ACCESS, access_vlan=WIFI, **extra)
        maker.host(device, "13", "spare", enabled=False)
        for port, vid in (("1", CLIMATE), ("7", PUMPS)):
            address = ip_interface(f"10.{vid}.0.{100 + number}/24")
            maker.campus.hosts.append(
                Host(
                    f"host-{number}-{vid}",
                    device.name,
                    port,
                    maker.origin(),
                    None,
                    address,
                    f"10.{vid}.0.1",
                )
            )
        behind = device
    maker.campus.devices = dict(sorted(maker.campus.devices.items()))
    return maker.campus
