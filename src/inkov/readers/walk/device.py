"""From the objects of an SNMP walk to a device.

Bridge ports are numbered by the bridge (`dot1dBasePort`); `dot1dBasePortIfIndex` leads to the
interface, whose name is the port's. A port of the Q-BRIDGE-MIB is a general port: PVID, acceptable
frame types, ingress filtering, and its membership from the VLANs' bitmaps, in which the first
octet's highest bit is bridge port 1 (RFC 4363, PortList).
"""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from typing import Any

from inkov.campus import (
    WALK,
    Accept,
    Device,
    Fact,
    Mode,
    Neighbour,
    Origin,
    Port,
    PortKind,
    Problem,
)
from inkov.campus.secrets import without_secrets
from inkov.readers.reading import Ledger, Part, Reading, Unread, as_text, named_after
from inkov.readers.walk.addresses import WalkAddresses
from inkov.readers.walk.text import Row, parse, whole_number, words
from inkov.readers.walk.vlans import WalkVlans

__all__ = ["read"]

_VLAN_OBJECT = re.compile(r"dot1[qv][A-Z]|1\.3\.6\.1\.2\.1\.17\.7")  # of the Q-BRIDGE-MIB
_STANDARD = re.compile(
    r"(?:dot1[a-z]|dot3[a-z]*|ieee802[13]?[A-Za-z]*|lldp|if|ip)[A-Z][A-Za-z0-9]{0,60}\Z"
)
"""Names of objects as the standards spell them: long ones look like a hash otherwise."""
_ONE_LINE = {"INTEGER", "Gauge32", "Unsigned32"}
_LAG_TYPE = 161  # ieee8023adLag, IANAifType
_TRUTH = {"true": 1, "false": 2}
_FRAMES = {"admitAll": 1, "admitOnlyVlanTagged": 2}
_NAMED = _TRUTH | _FRAMES | {"enabled": 1, "disabled": 2}
_STATUS = {"up": 1, "down": 2, "testing": 3}
_Table = dict[tuple[int, ...], Row]


def read(file: str, data: bytes, *, account: bool) -> Reading:
    """Read one walk."""
    text, problems = as_text(file, data)
    reader = _Walk(file)
    reader.part.problems += problems
    for row in parse(text):
        reader.take(row)
    if not reader.tables and not reader.unknown:
        says = "no line here is an object of a walk"
        reader.part.problems.append(Problem(Origin(file, 1), says, "", True))
    else:
        reader.build()
    return Reading(reader.part, reader.ledger)


def _object(spelled: str) -> str:
    """The object of an unknown line without its index, as far as that can be told."""
    if spelled[:1] in ".1" or spelled.startswith("iso."):
        return ".".join(spelled.replace("iso.", "1.", 1).strip(".").split(".")[:10])
    return spelled.rpartition("::")[2].partition(".")[0].partition("[")[0]


class _Walk:
    def __init__(self, file: str) -> None:
        self.file = file
        self.part = Part()
        self.ledger = Ledger()
        self.tables: defaultdict[str, _Table] = defaultdict(dict)
        self.unknown: Counter[str] = Counter()
        self.first: dict[str, int] = {}
        self.names: dict[int, str] = {}  # ifIndex -> name of the port

    def take(self, row: Row) -> None:
        """Note an object: in the table of its column, or among those that are not read."""
        if row.kind in _ONE_LINE and "\n" in row.value:
            # Text goes on over lines, a number does not: here something else was printed.
            more = row.value.partition("\n")[2].strip()
            origin = Origin(self.file, row.line + 1)
            says = f"{without_secrets(more)[:80]!r} belongs to no object: the walk may be cut off"
            self.part.problems.append(Problem(origin, says, "walk again"))
            self.ledger.unmatched.append(Unread(origin, more))
        if row.name:
            self.tables[row.name][row.index] = row
            self.ledger.understood += 1
        else:
            name = _object(row.spelled)
            self.unknown[name] += 1
            self.first.setdefault(name, row.line)

    def table(self, name: str) -> _Table:
        return self.tables.get(name, {})

    def at(self, row: Row) -> Origin:
        return Origin(self.file, row.line)

    def problem(self, row: Row, says: str) -> None:
        self.part.problems.append(Problem(self.at(row), says))

    def fact(self, row: Row, value: Any) -> Fact[Any]:
        return Fact(value, self.at(row))

    def build(self) -> None:
        device = self._device()
        self.part.devices.append(device)
        self._interfaces(device)
        base = self._base_ports()
        self._ports(device, base)
        WalkVlans(self.tables, base, self.file, self.part.problems).give(device)
        self._bundles(device)
        WalkAddresses(self.tables, self.names, self.file, self.part.problems).give(
            device, set(base.values())
        )
        self._neighbours(device, base)
        for name, count in sorted(self.unknown.items()):
            unread = Unread(
                Origin(self.file, self.first[name]),
                f"{name} ({count} object{'s' * (count > 1)})",
                count,
                ours=_STANDARD.match(name) is not None,
            )
            relevant = _VLAN_OBJECT.match(name)
            (self.ledger.unmatched if relevant else self.ledger.ignored).append(unread)

    def _device(self) -> Device:
        for row in self.table("sysName").values():
            if words(row):
                return Device(words(row), self.at(row), WALK)
        self.part.named = False
        return Device(*named_after(self.file, "the walk holds no sysName"), WALK)

    def _interfaces(self, device: Device) -> None:
        rows = {
            index: (row, text)
            for name in ("ifDescr", "ifName")
            for index, row in self.table(name).items()
            if (text := words(row))
        }
        types, aliases, states = (
            self.table("ifType"),
            self.table("ifAlias"),
            self.table("ifAdminStatus"),
        )
        for index in sorted(rows):
            row, name = rows[index]
            if len(index) != 1:
                continue
            if name in device.ports:
                self.problem(
                    row,
                    f"port {name} is named twice, by interfaces {index[0]} and another; this one is"
                    " left out",
                )
                continue
            self.names[index[0]] = name
            kind = types.get(index)
            bundle = (
                kind is not None and whole_number(kind, {"ieee8023adLag": _LAG_TYPE}) == _LAG_TYPE
            )
            port = device.ports[name] = Port(
                name, self.at(row), PortKind.BUNDLE if bundle else PortKind.PHYSICAL
            )
            alias = aliases.get(index)
            if alias is not None and (about := words(alias)):
                port.description = self.fact(alias, about)
            status = states.get(index)
            if status is not None:
                port.enabled = self.fact(status, whole_number(status, _STATUS) != 2)

    def _base_ports(self) -> dict[int, str]:
        """Bridge port -> port name. A walk without the mapping is taken to number them alike, and
        this is said.
        """
        rows = self.table("dot1dBasePortIfIndex")
        ports = {}
        for index, row in rows.items():
            interface = whole_number(row)
            if len(index) == 1 and interface in self.names:
                ports[index[0]] = self.names[interface]
            else:
                self.problem(
                    row,
                    f"bridge port {'.'.join(map(str, index))} leads to interface {row.value}, which"
                    " is not there",
                )
        if not rows and self.table("dot1qPvid"):
            first = next(iter(self.table("dot1qPvid").values()))
            says = (
                "no dot1dBasePortIfIndex in the walk: bridge ports are taken to have their"
                " interfaces' numbers"
            )
            self.ledger.unmatched.append(Unread(self.at(first), says, ours=True))
            ports = dict(self.names)
        return ports

    def _ports(self, device: Device, base: dict[int, str]) -> None:
        columns: tuple[tuple[str, str, Any], ...] = (
            ("dot1qPvid", "pvid", lambda n: n if 1 <= n <= 4094 else None),
            ("dot1qPortAcceptableFrameTypes", "accept", {1: Accept.ALL, 2: Accept.TAGGED}.get),
            ("dot1qPortIngressFiltering", "ingress_filtering", lambda n: n == 1),
            ("dot1qPortGvrpStatus", "registration", lambda n: n == 1),
        )
        file, ports = self.file, device.ports
        for name, attribute, meaning in columns:
            for index, row in self.table(name).items():
                number = whole_number(row, _NAMED)
                port = base.get(index[0]) if len(index) == 1 else None
                value = meaning(number) if number is not None else None
                if port is None or value is None:
                    says = (
                        f"no port {'.'.join(map(str, index))}"
                        if port is None
                        else f"{row.value!r} is no value of it"
                    )
                    self.problem(row, f"{name}: {says}; left out")
                    continue
                own, origin = ports[port], Origin(file, row.line)
                setattr(own, attribute, Fact(value, origin))
                if own.mode is None:
                    own.mode = Fact(Mode.GENERAL, origin)

    def _bundles(self, device: Device) -> None:
        for index, row in self.table("dot3adAggPortAttachedAggID").items():
            target = whole_number(row)
            if target and len(index) == 1 and index[0] in self.names and target != index[0]:
                if target in self.names:
                    device.ports[self.names[index[0]]].bundle = self.fact(row, self.names[target])
                    device.ports[self.names[target]].kind = PortKind.BUNDLE
                else:
                    self.problem(row, f"the aggregated link {target} is not among the interfaces")

    def _neighbours(self, device: Device, base: dict[int, str]) -> None:
        local = {
            index[0]: words(row)
            for index, row in self.table("lldpLocPortId").items()
            if len(index) == 1
        }
        for index, row in sorted(self.table("lldpRemPortId").items()):
            if len(index) < 3:
                continue
            number = index[1]
            near = local.get(number, "")
            if near not in device.ports:
                near = base.get(number) or self.names.get(number) or near
            named = self.table("lldpRemSysName").get(index) or self.table("lldpRemChassisId").get(
                index
            )
            about = self.table("lldpRemPortDesc").get(index)
            if not near or named is None or not words(named):
                self.problem(
                    row,
                    f"the neighbour at local port {number} has no name or no port; it is left out",
                )
                continue
            self.part.neighbours.append(
                Neighbour(
                    device.name,
                    near,
                    words(named),
                    words(row),
                    self.at(row),
                    words(about) if about else "",
                )
            )
