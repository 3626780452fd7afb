"""The spanning tree of a walk (BRIDGE-MIB, RFC 4188; RSTP-MIB, RFC 4318): the bridge's address and
priority, its ports' costs; and what it says of the tree now: the root, the root port, the states of
the ports.
"""

from __future__ import annotations

from collections.abc import Iterator

from inkov.campus import (
    Device,
    Fact,
    Origin,
    Tree,
    TreeMode,
    TreeRole,
    TreeState,
    address_text,
)
from inkov.readers.walk.rows import Row, octets, whole_number, words
from inkov.vlanset import VlanSet

__all__ = ["give_tree"]

_Tables = dict[str, dict[tuple[int, ...], Row]]

_VERSIONS = {"stpCompatible": 0, "rstp": 2}
_STATES = {
    "disabled": 1,
    "blocking": 2,
    "listening": 3,
    "learning": 4,
    "forwarding": 5,
    "broken": 6,
}
_FORWARDING = 5
_TRUTH = {"true": 1, "false": 2}


def give_tree(tables: _Tables, base: dict[int, str], file: str, device: Device) -> None:
    """Give a device the tree that its walk states, if it states one."""
    _Walked(tables, base, file, device).give()


class _Walked:
    def __init__(self, tables: _Tables, base: dict[int, str], file: str, device: Device) -> None:
        self.tables = tables
        self.base = base
        self.file = file
        self.device = device
        self._tree: Tree | None = None

    def give(self) -> None:
        for row in self._rows("dot1dBaseBridgeAddress"):
            address = _address(row)
            # An agent without an address of its own tells one of zeros.
            if address and address != _NO_ADDRESS:
                self.device.address = Fact(address, self._at(row))
        for row in self._rows("dot1dStpVersion"):
            version = whole_number(row, _VERSIONS)
            # Other versions (MSTP, say) are not told by these objects.
            if version in (0, 2):
                mode = TreeMode.RSTP if version else TreeMode.STP
                self.device.tree_mode = Fact(mode, self._at(row))
        for row in self._rows("dot1dStpPriority"):
            number = whole_number(row)
            if number is not None:
                self._tree_at(row).priority = Fact(number, self._at(row))
        self._settings()
        self._seen()
        for number, name in self.base.items():
            port = self.device.ports.get(name)
            if port is not None:
                port.number = Fact(number, port.origin)

    def _settings(self) -> None:
        # The newer column has the costs that do not fit into the older one: it comes last.
        for column in ("dot1dStpPortPathCost", "dot1dStpPortPathCost32", "dot1dStpPortPriority"):
            for port, row in self._of_ports(column):
                number = whole_number(row)
                if number is not None:
                    own = self._tree_at(row)
                    # The same holds for priorities of ports.
                    facts = own.priorities if column.endswith("Priority") else own.costs
                    facts[port] = Fact(number, self._at(row))
        for name, row in self._of_ports("dot1dStpPortAdminEdgePort"):
            held, edge = self.device.ports.get(name), whole_number(row, _TRUTH)
            if held is not None and edge in (1, 2):
                held.edge = Fact(edge == 1, self._at(row))

    def _seen(self) -> None:
        """What the switch says that the tree is now."""
        for row in self._rows("dot1dStpDesignatedRoot"):
            identifier = octets(row)
            # Eight octets: priority and address. All zeros: the agent does not know.
            if identifier is not None and len(identifier) == 8 and any(identifier):
                root = address_text(identifier[2:].hex())
                self._tree_at(row).seen_root = Fact(root, self._at(row))
        for row in self._rows("dot1dStpRootPort"):
            number = whole_number(row)
            # Port 0: the bridge itself is the root.
            if number in self.base:
                self._tree_at(row).roles[self.base[number]] = Fact(TreeRole.ROOT, self._at(row))
        for port, row in self._of_ports("dot1dStpPortState"):
            state = whole_number(row, _STATES)
            if state is not None:
                # Listening and learning pass nothing yet: all but forwarding discards.
                forwards = state == _FORWARDING
                seen = TreeState.FORWARDING if forwards else TreeState.DISCARDING
                self._tree_at(row).states[port] = Fact(seen, self._at(row))

    def _rows(self, column: str) -> Iterator[Row]:
        yield from self.tables.get(column, {}).values()

    def _of_ports(self, column: str) -> Iterator[tuple[str, Row]]:
        for index, row in self.tables.get(column, {}).items():
            port = self.base.get(index[0]) if len(index) == 1 else None
            if port is not None:
                yield port, row

    def _at(self, row: Row) -> Origin:
        return Origin(self.file, row.line)

    def _tree_at(self, row: Row) -> Tree:
        """The tree; one of its own begins with the first row that tells of it."""
        if self._tree is None:
            self._tree = Tree(VlanSet.all(), self._at(row))
            self.device.trees.append(self._tree)
        return self._tree


_NO_ADDRESS = "00:00:00:00:00:00"


def _address(row: Row) -> str:
    """The address that an object holds; "" if it is none."""
    numbers = octets(row)
    try:
        # Agents write it as octets, or as a text with colons.
        return address_text(numbers.hex() if numbers and len(numbers) == 6 else words(row))
    except ValueError:
        return ""
