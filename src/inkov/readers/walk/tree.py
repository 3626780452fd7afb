"""The spanning tree of a walk (BRIDGE-MIB, RFC 4188): the bridge's priority, its ports' costs."""

from __future__ import annotations

from inkov.campus import Device, Fact, Origin, Tree
from inkov.readers.walk.rows import Row, whole_number
from inkov.vlanset import VlanSet

__all__ = ["give_tree"]


def give_tree(
    tables: dict[str, dict[tuple[int, ...], Row]], base: dict[int, str], file: str, device: Device
) -> None:
    """Give a device the tree that its walk states, if it states one."""
    tree: Tree | None = None

    def the_tree(row: Row) -> Tree:
        nonlocal tree
        if tree is None:
            tree = Tree(VlanSet.all(), Origin(file, row.line))
            device.trees.append(tree)
        return tree

    for row in tables.get("dot1dStpPriority", {}).values():
        number = whole_number(row)
        if number is not None:
            the_tree(row).priority = Fact(number, Origin(file, row.line))
    # The newer column has the costs that do not fit into the older one: it comes last.
    for column in ("dot1dStpPortPathCost", "dot1dStpPortPathCost32", "dot1dStpPortPriority"):
        for index, row in tables.get(column, {}).items():
            number, port = whole_number(row), base.get(index[0]) if len(index) == 1 else None
            if number is not None and port is not None:
                own = the_tree(row)
                facts = own.priorities if column.endswith("Priority") else own.costs
                facts[port] = Fact(number, Origin(file, row.line))
