"""From the objects of an SNMP walk to a device.

Bridge ports are numbered by the bridge (`dot1dBasePort`); `dot1dBasePortIfIndex` leads to the
interface, whose name is the port's. A port of the Q-BRIDGE-MIB is a general port: PVID, acceptable
frame types, ingress filtering, and its membership from the VLANs' bitmaps, in which the first
octet's highest bit is bridge port 1 (RFC 4363, PortList).

What the walk does not tell is not guessed: ports of a walk without VLAN tables are unknown, and
what the walk lost on the way is said.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from typing import Any

from inkov.campus import (
    WALK,
    Accept,
    Basis,
    Device,
    Fact,
    Mode,
    Origin,
    Port,
    PortKind,
    Problem,
)
from inkov.campus.secrets import without_secrets
from inkov.readers.reading import Ledger, Part, Reading, Unread, as_text, named_after
from inkov.readers.walk.addresses import WalkAddresses
from inkov.readers.walk.bundles import give_bundles
from inkov.readers.walk.neighbours import WalkNeighbours
from inkov.readers.walk.objects import (
    Numbers,
    column_of,
    named_in_family,
    without_meaning,
)
from inkov.readers.walk.rows import Note, Row, whole_number, words
from inkov.readers.walk.text import parse
from inkov.readers.walk.tree import give_tree
from inkov.readers.walk.vlans import WalkVlans
from inkov.vlanset import VlanSet
from inkov.words import counted

__all__ = ["read"]

_LAG_TYPE = 161  # ieee8023adLag, IANAifType
_FRAMES = {"admitAll": 1, "admitOnlyVlanTagged": 2, "admitOnlyUntaggedAndPriorityTagged": 3}
_FRAMES |= {"admitTagged": 2, "admitUntaggedAndPriority": 3}  # as the newer module calls them
_NAMED = {"true": 1, "false": 2} | _FRAMES | {"enabled": 1, "disabled": 2}
_STATUS = {"up": 1, "down": 2, "testing": 3}
_ACCEPT = {1: Accept.ALL, 2: Accept.TAGGED, 3: Accept.UNTAGGED}
_TRUTH = {1: True, 2: False}
_VLAN_COLUMNS = ("dot1qPvid", "dot1qVlanStaticEgressPorts", "dot1qVlanCurrentEgressPorts")
_Table = dict[tuple[int, ...], Row]


def read(file: str, data: bytes, *, account: bool) -> Reading:
    """Read one walk."""
    text, problems = as_text(file, data)
    reader = _Walk(file)
    reader.part.problems += problems
    rows, notes, doubt = parse(text.replace("\r\n", "\n"))
    if text and not text.endswith(("\n", "\r")):
        # Every tool ends its last line; a number that was cut off looks like another one.
        says = "the walk ends in the middle of a line: it may be cut off"
        last = text.count("\n") + 1
        notes.append(Note(last, says, "walk the switch again", "the end of the walk"))
    for row in rows:
        reader.take(row)
    doubt = doubt or reader.doubt
    if doubt is not None:
        # Whoever chose that text may have chosen all that this walk would be read as.
        says = "here may be a line of a text above that stands without quotes: nothing here is sure"
        cure = "walk again with texts in hex: option -Ox, or -Onx"
        refused = Part(problems=[*problems, Problem(reader.at(doubt), says, cure, True)])
        return Reading(refused, Ledger())
    # Nothing that was read came from an object: a text of something else that looks alike.
    if not reader.tables and not reader.unread:
        says = "no line here is an object of a walk"
        reader.part.problems.append(Problem(Origin(file, 1), says, "", True))
    else:
        reader.note(notes)
        reader.build()
    return Reading(reader.part, reader.ledger)


class _Unread:
    """The objects that are not read, by column."""

    def __init__(self) -> None:
        self.counts: Counter[str] = Counter()
        self.first: dict[str, int] = {}
        self.relevant: dict[str, bool] = {}
        self._columns: dict[Numbers, tuple[str, bool]] = {}

    def __bool__(self) -> bool:
        return bool(self.counts)

    def add(self, row: Row) -> None:
        name, relevant = self._column(row)
        self.counts[name] += 1
        self.first.setdefault(name, row.line)
        self.relevant[name] = relevant

    def _column(self, row: Row) -> tuple[str, bool]:
        """How the object's column is called, and whether it may decide which frames go where."""
        numbers = row.numbers
        # A name that no list of ours has: it may still be of a module that decides about frames.
        if numbers is None:
            name = row.spelled.rpartition("::")[2].strip(".").partition(".")[0].partition("[")[0]
            return name, named_in_family(name)
        return column_of(numbers), not without_meaning(numbers)

    def listed(self, file: str) -> list[tuple[Unread, bool]]:
        return [
            (
                Unread(
                    Origin(file, self.first[name]),
                    f"{name} ({counted(count, 'object')})",
                    count,
                    ours=True,
                ),
                self.relevant[name],
            )
            for name, count in sorted(self.counts.items())
        ]


class _Walk:
    def __init__(self, file: str) -> None:
        self.file = file
        self.part = Part()
        self.ledger = Ledger()
        self.tables: defaultdict[str, _Table] = defaultdict(dict)
        self.unread = _Unread()
        self.names: dict[int, str] = {}  # ifIndex -> name of the port
        self.component = 0  # the bridge component whose VLANs are read
        self.others: dict[int, Row] = {}  # further components, by their first rows
        self.doubt: Row | None = None  # the first one that may be a line of a text

    def take(self, row: Row) -> None:
        """Note an object: in the table of its column, or among those that are not read."""
        if not row.name:
            self.unread.add(row)
            return
        # The newer modules number bridges within the switch: one of them is read, the others are
        # told.
        if row.component:
            self.component = self.component or row.component
            if row.component != self.component:
                self.others.setdefault(row.component, row)
                return
        table = self.tables[row.name]
        before = table.get(row.index)
        if before is None:
            table[row.index] = row
            self.ledger.understood += 1
        elif before.value == row.value:
            # The same object with the same value: the tool asked for it again, as over a lost
            # answer.
            self.ledger.understood += 1
        else:
            self._twice(before, row)

    def _twice(self, before: Row, row: Row) -> None:
        """An object that comes again with another value: the first counts, unless one of them may
        be a line of a text.
        """
        # A line of a text can imitate an object, but cannot keep the real one from coming as well.
        if before.below_text or row.below_text:
            self.doubt = self.doubt or (before if before.below_text else row)
        says = f"{row.spelled} comes twice, with two values: that of line {before.line} is taken"
        self.problem(row, says)
        self.ledger.unmatched.append(Unread(self.at(row), says, ours=True))

    def note(self, notes: list[Note]) -> None:
        """Say what was no object."""
        for note in notes:
            origin = Origin(self.file, note.line)
            if note.says:
                says = without_secrets(note.says)
                self.part.problems.append(Problem(origin, says, note.cure))
            self.ledger.unmatched.append(Unread(origin, note.lost))

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
        give_bundles(self.tables, self.names, base, self.file, self.part.problems, device)
        WalkVlans(self.tables, base, self.file, self.part.problems).give(device)
        WalkAddresses(self.tables, self.names, self.file, self.part.problems).give(
            device, set(base.values())
        )
        give_tree(self.tables, base, self.file, device)
        self._unknown(device, base)
        for number, row in self.others.items():
            says = f"bridge component {number} is not read, only component {self.component}"
            self.problem(row, says)
            self.ledger.unmatched.append(Unread(self.at(row), says, ours=True))
        neighbours = WalkNeighbours(self.tables, self.names, base, self.file, self.part)
        neighbours.give(device)
        for unread, relevant in self.unread.listed(self.file):
            (self.ledger.unmatched if relevant else self.ledger.ignored).append(unread)

    def _device(self) -> Device:
        # A name without any text is no name.
        for row in self.table("sysName").values():
            if words(row):
                return Device(words(row), self.at(row), WALK)
        self.part.named = False
        return Device(*named_after(self.file, "the walk holds no sysName"), WALK)

    def _interfaces(self, device: Device) -> None:
        rows = {
            # ifName after ifDescr: where both are there, the name counts, and the description is a
            # further name.
            index: (row, text)
            for name in ("ifDescr", "ifName")
            for index, row in self.table(name).items()
            if (text := words(row))
        }
        types = self.table("ifType")
        for index in sorted(rows):
            row, name = rows[index]
            # An index of these tables is one number; another is of a torn line.
            if len(index) != 1:
                continue
            if name in device.ports:
                says = (
                    f"port {name} is named twice, by interfaces {index[0]} and another; this one is"
                    " left out"
                )
                self.problem(row, says)
                continue
            self.names[index[0]] = name
            kind = types.get(index)
            bundle = (
                kind is not None and whole_number(kind, {"ieee8023adLag": _LAG_TYPE}) == _LAG_TYPE
            )
            port = device.ports[name] = Port(
                name, self.at(row), PortKind.BUNDLE if bundle else PortKind.PHYSICAL
            )
            self._of_interface(port, index)

    def _of_interface(self, port: Port, index: tuple[int, ...]) -> None:
        """What the tables of interfaces say of a port besides its name."""
        alias = self.table("ifAlias").get(index)
        if alias is not None and (about := words(alias)):
            port.description = self.fact(alias, about)
        # Shut by an administrator; "testing" passes no frames either, but may any moment.
        status = self.table("ifAdminStatus").get(index)
        if status is not None:
            port.enabled = self.fact(status, whole_number(status, _STATUS) != 2)
        for name in ("ifDescr", "ifPhysAddress"):
            row = self.table(name).get(index)
            text = words(row) if row is not None else ""
            if text and text != port.name:
                port.known_as = (*port.known_as, text)

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
        # Without the mapping, ports of both tables are told apart only by their numbers.
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
            ("dot1qPortAcceptableFrameTypes", "accept", _ACCEPT.get),
            ("dot1qPortIngressFiltering", "ingress_filtering", _TRUTH.get),
            ("dot1qPortGvrpStatus", "registration", _TRUTH.get),
        )
        file, ports = self.file, device.ports
        for name, attribute, meaning in columns:
            for index, row in self.table(name).items():
                number = whole_number(row, _NAMED)
                port = base.get(index[0]) if len(index) == 1 else None
                # A PVID of 0 or above 4094 is none: the row is told, and the port has its default.
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
                # A bridge port that has any of these takes part in VLANs, by membership.
                if own.mode is None:
                    own.mode = Fact(Mode.GENERAL, origin)
            self._missing_rows(name, attribute, ports, base)
        self._registration(device)

    def _missing_rows(
        self, name: str, attribute: str, ports: dict[str, Port], base: dict[int, str]
    ) -> None:
        """A column that some bridge ports have a row in and others do not: the walk lost them."""
        rows = self.table(name)
        lost = [port for number, port in base.items() if (number,) not in rows]
        # Without bridge ports there is nothing that a row could be missing for.
        if not rows or not lost or not self.table("dot1dBasePortIfIndex"):
            return
        last = max(rows.values(), key=lambda row: row.line)
        says = f"{name} has no row for {lost[0]}" + (
            f" and {len(lost) - 1} more ports" if len(lost) > 1 else ""
        )
        self.problem(last, f"{says}: the walk may be incomplete")
        self.ledger.unmatched.append(Unread(self.at(last), says, ours=True))
        unknown = Origin(self.file, last.line, basis=Basis.ASSUMED, says=f"{name}: not in the walk")
        # The default stands in, and the port is marked: no proof rests on it unsaid.
        for port in lost:
            default = WALK.unstated[attribute].value
            setattr(ports[port], attribute, Fact(default, unknown))
            ports[port].unknown = ports[port].unknown or f"{name} is missing in the walk"

    def _registration(self, device: Device) -> None:
        """The switch of the whole bridge: where it is off, no port registers anything."""
        # Off for the bridge as a whole: what its ports say of it has no effect.
        for row in self.table("dot1qGvrpStatus").values():
            if whole_number(row, _NAMED) == 2:
                for port in device.ports.values():
                    if port.registration is not None:
                        port.registration = self.fact(row, False)

    def _unknown(self, device: Device, base: dict[int, str]) -> None:
        """Without any VLAN table, nobody knows what the ports are in. A bridge that has none passes
        tags as they are: that is what its ports are taken to do.
        """
        # One VLAN table is enough: ports that it does not name are members of nothing.
        if any(self.table(name) for name in _VLAN_COLUMNS):
            return
        says = "the walk has no VLAN table: which VLANs the port is in is not known"
        bridged = set(base.values())
        for port in device.ports.values():
            if port.mode is None and port.bundle is None:
                origin = Origin(self.file, port.origin.line, basis=Basis.ASSUMED, says=says)
                port.unknown = says
                # All the rest neither sends nor takes anything, as far as the walk tells.
                if port.name in bridged:
                    port.mode = Fact(Mode.UNAWARE, origin)
                    continue
                port.mode, port.accept = Fact(Mode.GENERAL, origin), Fact(Accept.TAGGED, origin)
                port.ingress_filtering = Fact(True, origin)
                port.tagged = Fact(VlanSet(), origin)
                port.untagged = Fact(VlanSet(), origin)
