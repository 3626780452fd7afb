"""The generated campuses in other formats: as texts of a dialect, and as SNMP walks."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from inkov.campus import Device, Mode, Port
from inkov.demo import DIALECTS
from inkov.readers import load
from inkov.readers.walk.objects import OBJECTS
from inkov.vlanset import VlanSet

__all__ = ["write_texts", "write_walks"]


def write_texts(files: list[Path], folder: Path) -> list[Path]:
    """The switches of `files` in the demo's indented language, with its dialect beside them."""
    folder.mkdir()
    (folder / "arbour.toml").write_text((DIALECTS / "arbour.toml").read_text())
    return [_write(folder / f"{device.name}.txt", _text(device)) for device in _devices(files)]


def write_walks(files: list[Path], folder: Path) -> list[Path]:
    """The same as walks with numeric objects."""
    folder.mkdir()
    return [_write(folder / f"{device.name}.walk", _walk(device)) for device in _devices(files)]


def _devices(files: list[Path]) -> Iterator[Device]:
    yield from load([str(file) for file in files]).campus.devices.values()


def _write(path: Path, lines: Iterator[str]) -> Path:
    path.write_text("\n".join(lines) + "\n")
    return path


def _text(device: Device) -> Iterator[str]:
    yield f"arbour of {device.name}"
    for vid, vlan in (device.vlans or {}).items():
        yield f"plot {vid}"
        yield f"    named {vlan.name.value if vlan.name else ''}"
    for port in device.ports.values():
        yield f"bench {port.name}"
        about = port.description.value if port.description else ""
        yield f'    marker "{about}, outlet {port.name}.2, patched in the spring of 2024"'
        yield "    watering daily at sunrise"
        yield "    lamp daylight"
        if port.enabled and not port.enabled.value:
            yield "    closed"
        elif port.access_vlan:
            yield f"    sows {port.access_vlan.value}"
            yield "    tip"
        elif port.allowed and port.native_vlan:
            yield f"    spans {port.allowed.value}"
            yield f"    plain {port.native_vlan.value}"


def _walk(device: Device) -> Iterator[str]:
    ports = list(device.ports.values())
    yield f'.{OBJECTS["sysName"]}.0 = STRING: "{device.name}"'
    for name, value in (("ifDescr", 'STRING: "{0.name}"'), ("ifType", "INTEGER: 6")):
        for number, port in enumerate(ports, 1):
            yield f".{OBJECTS[name]}.{number} = {value.format(port)}"
    for number, port in enumerate(ports, 1):
        yield (
            f".{OBJECTS['ifAdminStatus']}.{number} = INTEGER:"
            f" {2 if port.enabled and not port.enabled.value else 1}"
        )
    for number in range(1, len(ports) + 1):
        yield f".{OBJECTS['dot1dBasePortIfIndex']}.{number} = INTEGER: {number}"
    table = device.vlans or {}
    members = [_membership(port) for port in ports]
    for vid, vlan in table.items():
        yield (
            f".{OBJECTS['dot1qVlanStaticName']}.{vid} = STRING:"
            f' "{vlan.name.value if vlan.name else ""}"'
        )
    for vid in table:
        emits = [
            number for number, (pvid, tags) in enumerate(members, 1) if vid == pvid or vid in tags
        ]
        yield f".{OBJECTS['dot1qVlanStaticEgressPorts']}.{vid} = Hex-STRING: {_octets(emits)}"
    for vid in table:
        bare = [number for number, (pvid, _) in enumerate(members, 1) if vid == pvid]
        yield f".{OBJECTS['dot1qVlanStaticUntaggedPorts']}.{vid} = Hex-STRING: {_octets(bare)}"
    for number, port in enumerate(ports, 1):
        yield f".{OBJECTS['dot1qPvid']}.{number} = Gauge32: {_membership(port)[0]}"
    for number in range(1, len(ports) + 1):
        yield f".{OBJECTS['dot1qPortIngressFiltering']}.{number} = INTEGER: 1"


def _membership(port: Port) -> tuple[int, VlanSet]:
    """(PVID, tagged VLANs)"""
    if (
        port.mode
        and port.mode.value is Mode.TRUNK
        and port.allowed
        and port.native_vlan
        and port.native_vlan.value
    ):
        return port.native_vlan.value, port.allowed.value - VlanSet.of(port.native_vlan.value)
    return (port.access_vlan.value if port.access_vlan else 1), VlanSet()


def _octets(numbers: list[int]) -> str:
    octets = bytearray(16)
    for number in numbers:
        octets[(number - 1) // 8] |= 0x80 >> (number - 1) % 8
    return octets.hex(" ")
