"""What became of each line of one file, for `inkov read --trace`.

A text that a dialect reads tells which form took each line. Of other formats it shows what of the
campus comes from each line: that is worked out from the campus itself, and not from what the reader
believes to have read.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from inkov.campus import (
    Basis,
    Cable,
    Campus,
    Device,
    Fact,
    FilterEntry,
    Gateway,
    Neighbour,
    Origin,
    Port,
    PortKind,
    Tree,
    Vlan,
)
from inkov.readers.dialects.trace import Fate, Traced, spelled, traced
from inkov.readers.files import file_bytes
from inkov.readers.load import Loaded
from inkov.readers.reading import FileReport, Unread
from inkov.readers.registry import shown
from inkov.readers.sheets.words import PORT_KEYS

__all__ = ["Fate", "Traced", "trace"]

# Attribute -> how a sheet calls it. What stands in no fact has no line of its own.
_PORT_WORDS = {attribute: key for key, (attribute, _) in PORT_KEYS.items()} | {"bundle": "bundle"}
_VLAN_WORDS = {word: word for word in ("name", "active", "private", "secondaries")}
_SWITCH_WORDS = {"tree_mode": "tree mode"} | {
    word: word for word in ("address", "region", "revision")
}
_BRIDGE_WORDS = {"tree_mode": "tree mode", "address": "address"}
_GATEWAY_WORDS = {"enabled": "state", "vrf": "vrf"}
_DISTRIBUTION_WORDS = {
    word: word for word in ("domain", "version", "role", "revision", "password", "pruning")
}


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
            words = [(_PORT_WORDS[attribute], v) for attribute, v in planned.values.items()]
            values = ", ".join(f"{word} = {spelled(value, word)}" for word, value in words)
            yield planned.origin, f"planned for {planned.device}:{planned.port}: {values}"


def _of_device(device: Device) -> Iterator[tuple[Origin, str]]:
    yield device.origin, f"switch {device.name}"
    yield from _facts_of("switch", device, _SWITCH_WORDS)
    yield from _of_table(device.vlans)
    for port in device.ports.values():
        yield from _of_port(port)
    for bridge in device.bridges.values():
        about = f"bridge {bridge.name}"
        yield bridge.origin, f"{about} is there"
        yield from _facts_of(about, bridge, _BRIDGE_WORDS)
        yield from _of_table(bridge.vlans, f" in {bridge.name}")
        for name, origin in bridge.ports.items():
            yield origin, f"{about}: port {name}"
    for gateway in device.gateways:
        about = f"gateway {gateway.vid}" + (f" in {gateway.bridge}" if gateway.bridge else "")
        yield gateway.origin, f"{about} is there"
        yield from _facts_of(about, gateway, _GATEWAY_WORDS)
        yield from _routing(about, gateway)
    for packet_filter in device.filters.values():
        yield packet_filter.origin, f"filter {packet_filter.name} is there"
        for entry in packet_filter.entries:
            yield entry.origin, f"filter {packet_filter.name} {_entry_in_words(entry)}"
    for tree in device.trees:
        yield from _of_tree(tree)
    if device.distribution is not None:
        yield device.distribution.origin, "distribution is there"
        yield from _facts_of("distribution", device.distribution, _DISTRIBUTION_WORDS)


def _of_table(vlans: dict[int, Vlan] | None, where: str = "") -> Iterator[tuple[Origin, str]]:
    for vlan in (vlans or {}).values():
        yield vlan.origin, f"VLAN {vlan.vid}{where} is there"
        yield from _facts_of(f"VLAN {vlan.vid}{where}", vlan, _VLAN_WORDS)


def _of_port(port: Port) -> Iterator[tuple[Origin, str]]:
    kind = "port" if port.kind is PortKind.PHYSICAL else port.kind
    yield port.origin, f"{kind} {port.name} is there"
    yield from _facts_of(f"{kind} {port.name}", port, _PORT_WORDS)
    yield from _routing(f"{kind} {port.name}", port)


def _routing(about: str, routed: Port | Gateway) -> Iterator[tuple[Origin, str]]:
    """What a routed port or a gateway has several of."""
    for word, facts in (
        ("address", routed.addresses),
        ("filter in", routed.filters_in),
        ("filter out", routed.filters_out),
    ):
        for fact in facts:
            yield from _fact(about, word, fact)


def _of_tree(tree: Tree) -> Iterator[tuple[Origin, str]]:
    about = f"tree {tree.vlans}" + (f" in {tree.bridge}" if tree.bridge else "")
    yield tree.origin, f"{about} is there"
    yield from _facts_of(about, tree, {"priority": "priority", "seen_root": "root"})
    for word, facts in (
        ("cost", tree.costs),
        ("external cost", tree.external_costs),
        ("priority", tree.priorities),
        ("role", tree.roles),
        ("state", tree.states),
    ):
        for port, fact in facts.items():
            yield from _fact(f"{about}, port {port}", word, fact)


def _entry_in_words(entry: FilterEntry) -> str:
    passes = "accepts" if entry.accepts else "rejects"
    source, destination = entry.source or "any", entry.destination or "any"
    return f"{passes} {source} to {destination}" + (" in part" if entry.finer else "")


def _facts_of(about: str, holder: Any, words: dict[str, str]) -> Iterator[tuple[Origin, str]]:
    for attribute, word in words.items():
        yield from _fact(about, word, getattr(holder, attribute))


def _fact(about: str, word: str, fact: Fact[Any] | None) -> Iterator[tuple[Origin, str]]:
    if fact is not None:
        yield fact.origin, f"{about}: {word} = {spelled(fact.value, word)}"
