"""Bridges that take no notice of tags (FM 2.11), told in terms of bridges that do.

Theory of operation. Such a bridge passes every frame as it is, so it keeps apart what 802.1Q has no
number for: untagged frames, and those of each tag. Inside, untagged frames get the number of the
VLAN that they are in at the far end of its links (that of an access port, say), so that a VLAN has
one number on its whole way; any number would do. Frames that wear a tag with that same number must
then go elsewhere: for each port an *implied* one takes them, a tagged sub-interface on a bridge of
its own. All that comes after here knows VLAN-aware bridges only.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from msgspec.structs import replace

from inkov.campus import (
    Accept,
    Basis,
    Bridge,
    Campus,
    Device,
    Fact,
    Gateway,
    Mode,
    Origin,
    Port,
    PortKind,
)
from inkov.vlanset import VlanSet
from inkov.wiring.links import End, Wiring

__all__ = ["settled"]

_Hub = tuple[str, str]  # device and bridge

_UNTAGGED = {Mode.ACCESS: "access_vlan", Mode.TRUNK: "native_vlan", Mode.GENERAL: "pvid"}
"""What says which VLAN untagged frames are in, by the mode of a port."""


def settled(campus: Campus, wiring: Wiring) -> Campus:
    """The campus with its unaware bridges spelled out; the same one if it has none."""
    devices = {}
    hubs = _hubs(campus)
    # Almost every campus: nothing is copied.
    if not hubs:
        return campus
    numbers = _numbers(campus, wiring, hubs)
    for device in campus.devices.values():
        own = {bridge: ports for (name, bridge), ports in hubs.items() if name == device.name}
        if own:
            devices[device.name] = _spelled_out(device, own, numbers, wiring)
    return replace(campus, devices=campus.devices | devices)


def _hubs(campus: Campus) -> dict[_Hub, list[Port]]:
    """The bridges that take no notice of tags, each with its ports that say so."""
    hubs: dict[_Hub, list[Port]] = {}
    for device in campus.devices.values():
        home = {port: bridge.name for bridge in device.bridges.values() for port in bridge.ports}
        for port in device.ports.values():
            if _is_unaware(port):
                hubs.setdefault((device.name, home.get(port.name, "")), []).append(port)
    return hubs


def _is_unaware(port: Port) -> bool:
    return port.mode is not None and port.mode.value is Mode.UNAWARE


def _numbers(campus: Campus, wiring: Wiring, hubs: dict[_Hub, list[Port]]) -> dict[_Hub, int]:
    """The number of untagged frames on each bridge: that which most of the VLAN-aware ports around
    have for them, 1 if there are none. Unaware bridges that are linked have one number.
    """
    hub_of = {End(hub[0], port.name): hub for hub, ports in hubs.items() for port in ports}
    numbers: dict[_Hub, int] = {}
    # A group of linked unaware bridges is one bridge to its hosts, so it has one number.
    for start in hubs:
        if start in numbers:
            continue
        group, seen = [start], {start}
        around: Counter[int] = Counter()
        for hub in group:  # grows
            for port in hubs[hub]:
                # A sub-interface takes its own tag off, so its frames are in the VLAN of that tag.
                if port.outer is not None:
                    around[port.outer.value] += 1
                    continue
                for far in wiring.around(End(hub[0], port.name)):
                    next_hub = hub_of.get(far)
                    if next_hub is None:
                        around.update(_untagged(campus, far))
                    elif next_hub not in seen:
                        seen.add(next_hub)
                        group.append(next_hub)
        # The lower number of equals: the order of files must not decide.
        number = min(around, key=lambda vid: (-around[vid], vid)) if around else 1
        numbers |= dict.fromkeys(group, number)
    return numbers


def _untagged(campus: Campus, end: End) -> Iterator[int]:
    """The VLAN of untagged frames at a port, as far as its own settings tell."""
    device = campus.devices[end.device]
    port = device.ports[end.port]
    attribute = _UNTAGGED.get(device.value(port, "mode"))
    vid = device.value(port, attribute) if attribute is not None else None
    if vid is not None:
        yield vid


def _spelled_out(
    device: Device, own: dict[str, list[Port]], numbers: dict[_Hub, int], wiring: Wiring
) -> Device:
    ports, bridges = dict(device.ports), dict(device.bridges)
    aside: dict[str, str] = {}  # a bridge -> that for frames with the tag of its own number
    for bridge, unaware in own.items():
        number = numbers[device.name, bridge]
        aside[bridge] = f"{bridge} tag {number}".strip()
        origin = device.bridges[bridge].origin if bridge else device.origin
        shadow = bridges[aside[bridge]] = Bridge(aside[bridge], origin)
        # A sub-interface that is shut takes no frames away from the bridge (FM 3.9).
        taken = {
            (p.parent.value, p.outer.value)
            for p in device.ports.values()
            if p.parent is not None and p.outer is not None and p.on
        }
        for port in unaware:
            assert port.mode is not None
            fact = Fact(number, _inside(port.mode.origin, number))
            ports[port.name] = replace(port, pvid=fact)
            # A sub-interface has its frames by their tag already: none of them can wear it again.
            if port.kind is PortKind.SUB:
                ports[port.name].reading = port.reading or _two_tags(device, unaware, wiring)
            elif port.bundle is None:
                # Members carry what their bundle carries: it alone has an implied port.
                implied = _implied(port, number, takes=(port.name, number) not in taken)
                while implied.name in ports:  # a person may call a port anything
                    implied.name += "+"
                ports[implied.name] = implied
                shadow.ports[implied.name] = port.origin
    gateways = [_gateway(gateway, own, numbers, aside, device) for gateway in device.gateways]
    return replace(device, ports=ports, bridges=bridges, gateways=gateways)


def _inside(origin: Origin, number: int) -> Origin:
    says = f"the bridge takes no notice of tags: untagged frames are counted as VLAN {number}"
    return Origin(origin.file, origin.line, origin.pointer, Basis.ASSUMED, says)


def _implied(port: Port, number: int, *, takes: bool) -> Port:
    """Who sends and takes the frames at a port that wear the number of the untagged ones; `takes`
    is false where a sub-interface does (FM 3.9).
    """
    assert port.mode is not None
    origin = port.mode.origin
    return Port(
        f"{port.name} tag {number}",
        port.origin,
        PortKind.SUB,
        parent=Fact(port.name, origin),
        outer=Fact(number, origin),
        mode=Fact(Mode.GENERAL, origin),
        pvid=Fact(number if takes else None, origin),
        accept=Fact(Accept.UNTAGGED, origin),
        ingress_filtering=Fact(True, origin),
        tagged=Fact(VlanSet(), origin),
        untagged=Fact(VlanSet.of(number), origin),
        protected=port.protected,
        unknown=port.unknown,
        implied=True,
    )


def _two_tags(device: Device, unaware: list[Port], wiring: Wiring) -> str:
    """What to say of a sub-interface by which frames may leave with a second tag that an honest
    host did not choose: where another port of the bridge has a link, by which they come tagged.
    """
    for port in unaware:
        if port.kind is not PortKind.SUB and wiring.of.get(End(device.name, port.name)):
            return (
                f"frames that come tagged by {port.name} leave with two tags, and are not followed"
            )
    return ""


def _gateway(
    gateway: Gateway,
    own: dict[str, list[Port]],
    numbers: dict[_Hub, int],
    aside: dict[str, str],
    device: Device,
) -> Gateway:
    # Gateways in VLANs of ordinary bridges stay as they are.
    if gateway.bridge not in own:
        return gateway
    number = numbers[device.name, gateway.bridge]
    if not gateway.tagged:
        return replace(gateway, vid=number)
    return replace(gateway, bridge=aside[gateway.bridge]) if gateway.vid == number else gateway
