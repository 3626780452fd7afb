"""Mistakes at gateways and hosts."""

from __future__ import annotations

from collections.abc import Callable
from ipaddress import ip_interface

from inkov.campus import (
    Fact,
    Gateway,
    Host,
)
from inkov.wiring import End
from tests.checks.mistakes.ground import (
    PLANTED,
    SPOT,
    Ground,
    mistake,
    some,
)

# --- gateways and hosts ---------------------------------------------------------------------------


@mistake("gateway-down")
def a_gateway_in_a_dead_vlan(ground: Ground) -> list[SPOT] | None:
    device = some(ground, [d for d in ground.campus.devices.values() if len(d.gateways) > 1])
    if device is None:
        return None
    address = ip_interface("10.222.0.1/24")
    device.gateways.append(Gateway(784, PLANTED, addresses=(Fact(address, PLANTED),)))
    return [(device.name, None)]


def _readdress(
    ground: Ground, address: str, wanted: Callable[[Gateway], bool]
) -> list[SPOT] | None:
    device = ground.campus.devices.get("core-2") or ground.campus.devices["core-1"]
    gateway = some(ground, [g for g in device.gateways if wanted(g) and g.addresses])
    if gateway is None:
        return None
    gateway.addresses = (Fact(ip_interface(address.format(gateway.vid)), PLANTED),)
    return [(device.name, None)]


@mistake("gateway-subnets-differ")
def a_gateway_in_another_subnet(ground: Ground) -> list[SPOT] | None:
    return (
        _readdress(ground, "192.168.7.2/24", lambda g: g.vid != 90)
        if "core-2" in ground.campus.devices
        else None
    )


@mistake("address-used-twice")
def an_address_used_twice(ground: Ground) -> list[SPOT] | None:
    return (
        _readdress(ground, "10.{}.0.1/24", lambda g: g.vid != 90)
        if "core-2" in ground.campus.devices
        else None
    )


@mistake("subnets-overlap")
def a_prefix_too_short(ground: Ground) -> list[SPOT] | None:
    for device in ground.campus.devices.values():
        for gateway in device.gateways:
            if gateway.vid == 20:
                gateway.addresses = (Fact(ip_interface("10.20.0.1/9"), PLANTED),)
                for other in ground.campus.devices.values():
                    other.gateways[:] = [g for g in other.gateways if g is gateway or g.vid != 20]
                return [(device.name, None)]
    return None


def of_named_host(
    rule: str, name: str, address: str | None, gateway: str | None, *also: str
) -> None:
    def plant(ground: Ground) -> list[SPOT] | None:
        hosts = [
            (n, h)
            for n, h in enumerate(ground.campus.hosts)
            if h.gateway
            and h.address
            and ground.site.resolved(End(h.device, h.port)).view.pvid in (10, 20, 30, 50)
            and any(d.gateways for d in ground.campus.devices.values())
        ]
        if not hosts:
            return None
        number, host = some(ground, hosts)
        ground.campus.hosts[number] = Host(
            host.name,
            host.device,
            host.port,
            PLANTED,
            host.vid,
            ip_interface(address) if address else host.address,
            (gateway.format(str(host.gateway).rpartition(".")[0]) if gateway else None),
        )
        return [End(host.device, host.port)]

    plant.__name__ = name
    mistake(rule)(plant)


of_named_host("host-outside-subnet", "a_host_outside_its_subnet", "10.199.0.5/24", None)
of_named_host("host-gateway-wrong", "a_gateway_that_nobody_is", None, "{}.253")
of_named_host("host-without-gateway", "a_host_without_gateway", None, None)


@mistake("management-in-user-vlan")
def a_switch_managed_elsewhere(ground: Ground) -> list[SPOT] | None:
    device = some(
        ground,
        [
            d
            for d in ground.campus.devices.values()
            if len(d.gateways) == 1
            and d.gateways[0].vid == 90
            and 20 in (d.vlans or {})
            and ground.site.served[d.name] >> 20 & 1
        ],
    )
    if device is None:
        return None
    device.gateways[0].vid = 20
    device.gateways[0].addresses = (Fact(ip_interface("10.20.0.77/24"), PLANTED),)
    return [(device.name, None)]
