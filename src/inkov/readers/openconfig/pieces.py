"""Decode an OpenConfig tree entry by entry, where one value of it has the wrong type."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any, TypeVar

import msgspec

from inkov.readers.openconfig import shape

__all__ = ["Pieces"]

_S = TypeVar("_S")


class Pieces:
    """Decodes what it can; `say` is told the pointer of each value that it cannot, what is wrong,
    and the cure. `lost` are the pointers of the entries that are left out for it.

    `strict` is False for XML, in which every value is text, and converted by what is wanted.
    """

    def __init__(self, say: Callable[[str, str, str], None], *, strict: bool) -> None:
        self.say = say
        self.strict = strict
        self.lost: list[str] = []

    def root(self, tree: Any) -> shape.Root:
        """The root of a decoded tree (keys without prefixes: the locator finds them again by their
        last part).
        """
        root = shape.Root()
        # A document that is a list or a text holds no container.
        if not isinstance(tree, dict):
            return root
        if "interfaces" in tree:
            root.interfaces = shape.Interfaces(
                self._entries(tree, ("interfaces", "interface"), shape.Interface)
            )
        if "vlans" in tree:
            root.vlans = shape.Vlans(self._entries(tree, ("vlans", "vlan"), shape.VlanEntry))
        if "network-instances" in tree:
            root.instances = shape.Instances()
            instances = _child(tree, ("network-instances", "network-instance"))
            for index, entry in enumerate(instances if isinstance(instances, list) else []):
                path = f"/network-instances/network-instance/{index}"
                vlans = entry.pop("vlans", None) if isinstance(entry, dict) else None
                # An empty instance keeps the pointers of those after it right.
                instance = self.convert(entry, path, shape.Instance) or shape.Instance()
                if vlans is not None:
                    instance.vlans = shape.Vlans(
                        self._entries(vlans, ("vlan",), shape.VlanEntry, f"{path}/vlans")
                    )
                root.instances.network_instance.append(instance)
        root.system = self._one(tree, ("system",), shape.System)
        root.lacp = self._one(tree, ("lacp",), shape.Lacp)
        root.stp, root.acl = tree.get("stp"), tree.get("acl")
        if "lldp" in tree:
            heard = self._entries(tree, ("lldp", "interfaces", "interface"), shape.LldpInterface)
            root.lldp = shape.Lldp(shape.LldpInterfaces(heard))
        return root

    def _entries(
        self, tree: Any, path: tuple[str, ...], kind: type[_S], above: str = ""
    ) -> list[_S]:
        entries = _child(tree, path)
        pointer = above + "".join(f"/{name}" for name in path)
        if entries is None:
            return []
        if not isinstance(entries, list):
            self.say(pointer, f"a list is expected here, not {_json_type(entries)}", "")
            return []
        return [
            # An entry that cannot be read leaves an empty one: pointers count places.
            self.convert(entry, f"{pointer}/{i}", kind) or kind()
            for i, entry in enumerate(entries)
        ]

    def _one(self, tree: Any, path: tuple[str, ...], kind: type[_S]) -> _S | None:
        value = _child(tree, path)
        return (
            None
            if value is None
            else self.convert(value, "".join(f"/{name}" for name in path), kind)
        )

    def convert(self, value: Any, pointer: str, kind: type[_S]) -> _S | None:
        """One value as a struct; None, and a problem, if it is none."""
        try:
            return msgspec.convert(value, kind, strict=self.strict)
        except msgspec.ValidationError as error:
            # The library tells a path like `$.a[0].b`; a pointer is the same with slashes.
            says, _, where = str(error).partition(" - at `$")
            inner = re.sub(r"\[(\d+)\]", r"/\1", where.rstrip("`")).replace(".", "/")
            named = (
                f" of {value['name']!r}"
                if isinstance(value, dict) and isinstance(value.get("name"), str)
                else ""
            )
            self.lost.append(pointer)
            self.say(
                pointer + inner,
                f"wrong type: {says[:1].lower()}{says[1:]}; the entry{named} is left out",
                "correct the value in the export",
            )
            return None


def _child(tree: Any, path: tuple[str, ...]) -> Any:
    """What a path of member names leads to; None if nothing is there."""
    for name in path:
        if not isinstance(tree, dict):
            return None
        tree = tree.get(name)
    return tree


def _json_type(value: Any) -> str:
    """What a decoded value is, in words."""
    return {dict: "an object", list: "a list", str: "a text", bool: "true or false"}.get(
        type(value), "a number"
    )
