"""What became of each line of one file, for `inkov read --trace`.

A text that a dialect reads tells which form took each line. Of other formats it shows what of the
campus comes from each line: that is worked out from the campus itself, and not from what the reader
believes to have read.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from inkov.campus import Basis, Cable, Campus, Device, Fact, Neighbour, Origin
from inkov.readers.dialects.trace import Fate, Traced, spelled, traced
from inkov.readers.files import file_bytes
from inkov.readers.load import Loaded
from inkov.readers.reading import FileReport, Unread
from inkov.readers.registry import shown
from inkov.readers.sheets.words import PORT_KEYS

__all__ = ["Fate", "Traced", "trace"]

_PORT_WORDS = {attribute: key for key, (attribute, _) in PORT_KEYS.items()} | {"bundle": "bundle"}
_VLAN_WORDS = ("name", "active", "private", "secondaries")


def trace(loaded: Loaded, report: FileReport) -> list[Traced]:
    """Every line of a file that was read. [] if the file is not there any more."""
    data = file_bytes(report.file, [], [])
    if data is None:
        return []
    # A dialect knows more of its lines than what of the campus came from them.
    for dialect in loaded.dialects:
        if report.format == f"dialect {dialect.name}":
            return traced(dialect, report.file, data)
    does: dict[int, list[str]] = {}
    for origin, says in _facts(loaded.campus, report.file):
        does.setdefault(loaded.locator.line(origin), []).append(says)
    lost = {loaded.locator.line(line.origin) for line in report.unmatched}
    ignored = {loaded.locator.line(line.origin) for line in report.ignored}
    texts = data.decode("utf-8-sig", "replace").replace("\r\n", "\n").removesuffix("\n").split("\n")
    lines = shown([Unread(Origin(report.file), text) for text in texts], frozenset())
    return [
        Traced(n, line.text.rstrip(), _fate(n, does, lost, ignored), [], [], does.get(n, []), [])
        for n, line in enumerate(lines, 1)
    ]


def _fate(number: int, does: dict[int, list[str]], lost: set[int], ignored: set[int]) -> Fate:
    # A line that is partly read and partly lost is lost: that is what has to be looked at.
    if number in lost:
        return Fate.NOT_UNDERSTOOD
    if number in does:
        return Fate.READ
    return Fate.NO_MEANING if number in ignored else Fate.NOTHING


def _facts(campus: Campus, file: str) -> Iterator[tuple[Origin, str]]:
    """What of a campus is stated in a file, each as a sentence with its place."""
    for device in (*campus.devices.values(), *campus.others):
        for origin, says in _of_device(device):
            # What a platform or we assume stands on no line.
            if origin.file == file and origin.basis is Basis.STATED:
                yield origin, says
    for host in campus.hosts:
        if host.origin.file == file:
            yield host.origin, f"host {host.name} at {host.device}:{host.port}"
    links: list[Neighbour | Cable] = [*campus.neighbours, *campus.cables]
    for link in links:
        if link.origin.file == file:
            ends = f"{link.device}:{link.port} to {link.far_device}:{link.far_port}"
            yield link.origin, f"link from {ends}"
    for planned in campus.planned:
        if planned.origin.file == file:
            values = ", ".join(f"{key} {value}" for key, value in planned.values.items())
            yield planned.origin, f"planned for {planned.device}:{planned.port}: {values}"


def _of_device(device: Device) -> Iterator[tuple[Origin, str]]:
    yield device.origin, f"switch {device.name}"
    for vlan in (device.vlans or {}).values():
        yield vlan.origin, f"VLAN {vlan.vid} is there"
        for word in _VLAN_WORDS:
            yield from _fact(f"VLAN {vlan.vid}", word, getattr(vlan, word))
    for port in device.ports.values():
        yield port.origin, f"port {port.name} is there"
        for attribute, key in _PORT_WORDS.items():
            yield from _fact(f"port {port.name}", key, getattr(port, attribute))
        for address in port.addresses:
            yield from _fact(f"port {port.name}", "address", address)
        for bound in (*port.filters_in, *port.filters_out):
            yield from _fact(f"port {port.name}", "filter", bound)
    for bridge in device.bridges.values():
        for name, origin in bridge.ports.items():
            yield origin, f"bridge {bridge.name}: port {name}"
    for gateway in device.gateways:
        about = f"gateway {gateway.vid}"
        yield gateway.origin, f"{about} is there"
        for word, fact in (("state", gateway.enabled), ("vrf", gateway.vrf)):
            yield from _fact(about, word, fact)
        for address in gateway.addresses:
            yield from _fact(about, "address", address)
        for bound in (*gateway.filters_in, *gateway.filters_out):
            yield from _fact(about, "filter", bound)
    for packet_filter in device.filters.values():
        for entry in packet_filter.entries:
            passes = "accepts" if entry.accepts else "drops"
            source, destination = entry.source or "any", entry.destination or "any"
            says = f"filter {packet_filter.name} {passes} {source} to {destination}"
            yield entry.origin, says
    yield from _fact("switch", "tree mode", device.tree_mode)
    for tree in device.trees:
        yield tree.origin, f"tree {tree.vlans}"
        yield from _fact(f"tree {tree.vlans}", "priority", tree.priority)


def _fact(about: str, word: str, fact: Fact[Any] | None) -> Iterator[tuple[Origin, str]]:
    if fact is not None:
        yield fact.origin, f"{about}: {word} = {spelled(fact.value, word)}"
