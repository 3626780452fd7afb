"""Write a device as a switch sheet. Reading it back gives the same device, but for the origins."""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Iterator, Sequence
from typing import Any

from inkov.campus import (
    Bridge,
    Device,
    Distribution,
    Fact,
    FilterEntry,
    Gateway,
    Neighbour,
    Port,
    PortKind,
    Tree,
    Vlan,
    natural,
)
from inkov.readers.sheets.reader import HEADER
from inkov.readers.sheets.words import DISTRIBUTION_KEYS, PORT_KEYS, TAIL, BadLine, numbered
from inkov.vlanset import VlanSet

__all__ = [
    "gateway_lines",
    "name_text",
    "names_text",
    "port_lines",
    "row_text",
    "value_text",
    "write_sheet",
]

_BARE = re.compile(r'(?!\s)(?:[^\x00-\x1f\x7f-\xa0\u2028\u2029"#;\[\]\ufeff\x85])+(?<!\s)\Z')
_BARE_NAME = re.compile(r'(?:(?!\.\.)[^\s,:;#"\[\]\x00-\x1f\x7f-\xa0\u2028\u2029\ufeff])+\Z')
_YES_NO = {"native_tagged", "protected", "edge"}
_SECTION = {PortKind.PHYSICAL: "port", PortKind.BUNDLE: "bundle", PortKind.SUB: "sub"}


def write_sheet(device: Device, neighbours: Iterable[Neighbour] = ()) -> str:
    """The sheet of `device`, with the neighbour reports that are its own."""
    lines = [HEADER, f"switch: {_text(device.name)}"]
    if device.known_as:
        lines.append(f"known as: {', '.join(map(name_text, device.known_as))}")
    if device.vlans is not None:
        lines += ["", "[vlans]", *map(row_text, device.vlans.values())]
    lines += _ports(device)
    for bridge in device.bridges.values():
        lines += _bridge(bridge)
    for gateway in device.gateways:
        lines += ["", *gateway_lines(gateway)]
    for packet_filter in device.filters.values():
        lines += ["", f"[filter {_text(packet_filter.name)}]", *map(_entry, packet_filter.entries)]
    lines += _trees(device)
    if device.distribution is not None:
        lines += ["", "[distribution]", *_distribution(device.distribution)]
    own = [report for report in neighbours if report.device == device.name]
    if own:
        lines += ["", "[neighbours]", *map(_neighbour, own)]
    return "\n".join(lines) + "\n"


def _ports(device: Device) -> Iterator[str]:
    """The ports in natural order; a bundle names its members, not the other way round."""
    members: dict[str, list[str]] = {}
    ports = sorted(device.ports.values(), key=lambda port: natural(port.name))
    for port in ports:
        if port.bundle is not None:
            members.setdefault(port.bundle.value, []).append(port.name)
    for port in ports:
        yield ""
        yield from port_lines(port, members.get(port.name, []))


def _bridge(bridge: Bridge) -> Iterator[str]:
    yield ""
    yield f"[bridge {_text(bridge.name)}]"
    if bridge.ports:
        yield f"ports: {', '.join(map(name_text, bridge.ports))}"
    if bridge.vlans is not None:
        yield ""
        yield f"[vlans in {_text(bridge.name)}]"
        yield from map(row_text, bridge.vlans.values())


def _entry(entry: FilterEntry) -> str:
    action = "accept" if entry.accepts else "reject"
    ends = f"from {entry.source or 'any'} to {entry.destination or 'any'}"
    return f"{entry.number}: {action} {ends}{' in part' if entry.finer else ''}"


def _distribution(distribution: Distribution) -> Iterator[str]:
    for key, (attribute, _) in DISTRIBUTION_KEYS.items():
        fact = getattr(distribution, attribute)
        if fact is None:
            continue
        if key == "password":
            # That there is one is all that is kept of it.
            yield f"{key}: {'set' if fact.value else 'none'}"
        else:
            yield f"{key}: {value_text(attribute, fact.value)}"


def _neighbour(report: Neighbour) -> str:
    parts = [
        f"{name_text(report.port)}: {name_text(report.far_device)}:{name_text(report.far_port)}"
    ]
    if report.far_known_as:
        parts.append(f"known as {json.dumps(report.far_known_as)}")
    if report.far_pvid is not None:
        parts.append(f"pvid {report.far_pvid or 'none'}")
    if report.far_vlans is not None:
        parts.append(f"vlans {report.far_vlans.value}")
    if report.far_port_description:
        parts.append(json.dumps(report.far_port_description))
    return "; ".join(parts)


def _trees(device: Device) -> Iterator[str]:
    region = [f"region: {_text(device.region.value)}"] if device.region is not None else []
    if device.revision is not None:
        region.append(f"revision: {device.revision.value}")
    yield from _bridge_tree(device, "", region)
    for bridge in device.bridges.values():
        yield from _bridge_tree(bridge, _within(bridge.name), [])
    for tree in device.trees:
        yield from ("", f"[tree {tree.vlans}{_within(tree.bridge)}]", *_tree(tree))


def _bridge_tree(holder: Device | Bridge, within: str, more: list[str]) -> list[str]:
    """What is said of all trees of a bridge."""
    lines = [f"mode: {holder.tree_mode.value}"] if holder.tree_mode is not None else []
    lines += [f"address: {holder.address.value}"] if holder.address is not None else []
    return ["", f"[tree{within}]", *lines, *more] if lines or more else []


def _within(bridge: str) -> str:
    return f" in {_text(bridge)}" if bridge else ""


def _tree(tree: Tree) -> Iterator[str]:
    yield f"number: {tree.number}"
    if tree.priority is not None:
        yield f"priority: {tree.priority.value}"
    if tree.seen_root is not None:
        yield f"root: {tree.seen_root.value}"
    about_ports: tuple[tuple[str, dict[str, Fact[Any]]], ...] = (
        ("cost", tree.costs),
        ("external cost", tree.external_costs),
        ("priority", tree.priorities),
        ("role", tree.roles),
        ("state", tree.states),
    )
    for word, facts in about_ports:
        for name in sorted(facts, key=natural):
            yield f"{word} of {name_text(name)}: {facts[name].value}"


def row_text(vlan: Vlan) -> str:
    """A row of a VLAN table."""
    parts = [_text(vlan.name.value) if vlan.name else ""]
    if vlan.active is not None:
        parts.append("active" if vlan.active.value else "suspended")
    if vlan.private is not None:
        # Only a primary VLAN has a list; of others `of` would be read as a part of the word.
        of = f" of {vlan.secondaries.value}" if vlan.secondaries is not None else ""
        parts.append(f"{vlan.private.value}{of}")
    return f"{vlan.vid}: {'; '.join(parts)}".rstrip()


def port_lines(port: Port, members: Sequence[str] = ()) -> Iterator[str]:
    """The section of a port. A bundle names its `members`."""
    yield f"[{_SECTION[port.kind]} {name_text(port.name)}]"
    if members and port.kind == PortKind.BUNDLE:
        yield f"members: {', '.join(map(name_text, members))}"
    for key, (attribute, _) in PORT_KEYS.items():
        fact: Fact[Any] | None = getattr(port, attribute)
        if fact is not None:
            yield f"{key}: {value_text(attribute, fact.value)}"
    if port.addresses:
        yield f"address: {', '.join(str(a.value) for a in port.addresses)}"
    yield from (f"filter in: {_text(fact.value)}" for fact in port.filters_in)
    yield from (f"filter out: {_text(fact.value)}" for fact in port.filters_out)
    if port.known_as:
        yield f"known as: {', '.join(map(name_text, port.known_as))}"
    for key in ("unknown", "reading"):
        if getattr(port, key):
            yield f"{key}: {_text(getattr(port, key))}"


def gateway_lines(gateway: Gateway) -> Iterator[str]:
    """The section of a gateway."""
    yield f"[gateway {gateway.vid}{f' in {_text(gateway.bridge)}' if gateway.bridge else ''}]"
    if gateway.enabled is not None:
        yield f"state: {'on' if gateway.enabled.value else 'off'}"
    if gateway.addresses:
        yield f"address: {', '.join(str(a.value) for a in gateway.addresses)}"
    if gateway.vrf is not None:
        yield f"vrf: {_text(gateway.vrf.value)}"
    yield from (f"filter in: {_text(fact.value)}" for fact in gateway.filters_in)
    yield from (f"filter out: {_text(fact.value)}" for fact in gateway.filters_out)
    if gateway.tagged:
        yield "tagged: yes"


def value_text(attribute: str, value: Any) -> str:
    """The value of an attribute of a port."""
    if value is None:
        return "none"
    if isinstance(value, bool):
        return ("yes" if value else "no") if attribute in _YES_NO else ("on" if value else "off")
    if isinstance(value, VlanSet | int):
        return str(value)
    if attribute in ("description", "vrf", "parent", "domain"):
        return _text(value)
    return str(value.value)


def _text(text: str) -> str:
    return text if _BARE.match(text) else json.dumps(text)


def names_text(listed: Sequence[str]) -> str:
    """Names as sheets list them, those that follow each other as `A..B`."""
    runs: list[list[str]] = []
    for name in listed:
        if runs and _follows(runs[-1], name):
            runs[-1].append(name)
        else:
            runs.append([name])
    return ", ".join("..".join(map(name_text, dict.fromkeys((run[0], run[-1])))) for run in runs)


def _follows(run: list[str], name: str) -> bool:
    """Whether a name is the next one of a range, as it is read."""
    first, next_one = TAIL.match(run[0]), TAIL.match(name)
    # Names of another stem, or without a number, are no neighbours in a list.
    if first is None or next_one is None or first[1] != next_one[1]:
        return False
    try:
        return numbered(first[1], first[2], next_one[2]) == [*run, name]
    except BadLine:
        return False


def name_text(name: str) -> str:
    """A name of a port or a switch as sheets have it: in quotes where it must be."""
    # Two dots in quotes would look like a range that somebody quoted by mistake.
    return name if _BARE_NAME.match(name) else json.dumps(name).replace("..", ".\\u002e")
