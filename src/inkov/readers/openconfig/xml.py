"""OpenConfig as XML, the way NETCONF returns it (RFC 6241, 7950), turned into the tree that its
JSON would be.

Lists are told from containers by their names, since XML does not; values stay text, and are
converted by type later. Only a hardened parser is used, and documents with a DTD are refused: there
is no reason for one in a configuration.
"""

from __future__ import annotations

from typing import Any

from msgspec import Struct, field

__all__ = ["BadXml", "Tree", "parse_xml"]

_DEEPEST = 100
_ENVELOPES = {"rpc-reply", "data", "config", "running", "candidate", "startup"}
_LISTS = {
    ("interfaces", "interface"),
    ("subinterfaces", "subinterface"),
    ("addresses", "address"),
    ("vlans", "vlan"),
    ("network-instances", "network-instance"),
    ("neighbors", "neighbor"),
    ("mst-instances", "mst-instance"),
    ("acl-sets", "acl-set"),
    ("acl-entries", "acl-entry"),
    ("ingress-acl-sets", "ingress-acl-set"),
    ("egress-acl-sets", "egress-acl-set"),
    ("config", "trunk-vlans"),
    ("state", "trunk-vlans"),
    ("config", "enabled-protocol"),
    ("state", "enabled-protocol"),
}
"""(parent, child) of the lists and leaf-lists that are read."""


class BadXml(ValueError):
    """Not well-formed, or refused: at `line`, and why."""

    def __init__(self, line: int, says: str) -> None:
        super().__init__(says)
        self.line = line


class Tree(Struct):
    """The tree, and the line of each pointer in it."""

    root: dict[str, Any]
    lines: dict[str, int]


class _Open(Struct):
    name: str
    pointer: str
    children: dict[str, Any] = field(default_factory=dict)
    text: list[str] = field(default_factory=list)
    envelope: bool = False


def _is_list(above: _Open, name: str) -> bool:
    # Spanning trees by VLAN are a list right below a protocol's container.
    return (above.name, name) in _LISTS or (
        name == "vlan" and above.pointer.rpartition("/")[0] == "/stp"
    )


class _Builder:
    """The target of the parser: elements become members, repeated ones lists."""

    def __init__(self) -> None:
        self.root: dict[str, Any] = {}
        self.lines: dict[str, int] = {}
        self.stack = [_Open("", "", self.root, envelope=True)]
        self.parser: Any = None

    def start(self, tag: str, attributes: dict[str, str]) -> None:
        name = tag.rpartition("}")[2]
        above = self.stack[-1]
        # The parser itself knows the line; the tree does not keep it.
        line = self.parser.parser.CurrentLineNumber
        if len(self.stack) > _DEEPEST:
            raise BadXml(line, f"nested deeper than {_DEEPEST} elements")
        # Envelopes of NETCONF are no part of the pointer.
        if above.envelope and name in _ENVELOPES:
            self.stack.append(_Open(name, above.pointer, above.children, envelope=True))
            return
        pointer = f"{above.pointer}/{name}"
        if _is_list(above, name):
            self.lines.setdefault(pointer, line)
            pointer = f"{pointer}/{len(above.children.get(name, ()))}"
        # The first line of a container is its own; an entry of a list has another pointer each.
        self.lines.setdefault(pointer, line)
        self.stack.append(_Open(name, pointer))

    def data(self, data: str) -> None:
        self.stack[-1].text.append(data)

    def end(self, tag: str) -> None:
        done = self.stack.pop()
        if done.envelope:
            return
        above = self.stack[-1]
        value: Any = done.children or "".join(done.text).strip()
        if value == "":  # an empty container, or an empty text: nothing is said
            return
        # A list of one looks like a container in XML: names tell (see `_LISTS`).
        if _is_list(above, done.name):
            above.children.setdefault(done.name, []).append(value)
        elif done.name in above.children:  # a list that is not read
            kept = above.children[done.name]
            above.children[done.name] = [*(kept if isinstance(kept, list) else [kept]), value]
        else:
            above.children[done.name] = value

    def close(self) -> None:
        pass


def parse_xml(data: bytes) -> Tree:
    """The tree of a document. BadXml if it is not well-formed, has a DTD or entities, or nests too
    deeply.
    """
    from xml.etree.ElementTree import ParseError

    from defusedxml.common import DefusedXmlException
    from defusedxml.ElementTree import DefusedXMLParser

    builder = _Builder()
    parser = builder.parser = DefusedXMLParser(target=builder, forbid_dtd=True)
    try:
        parser.feed(data)
        parser.close()
    except ParseError as error:
        raise BadXml(
            error.position[0], f"not well-formed XML: {str(error).partition(':')[0]}"
        ) from None
    except DefusedXmlException as error:
        says = (
            f"refused: {type(error).__name__}; a configuration needs no document type and no"
            " entities"
        )
        raise BadXml(parser.parser.CurrentLineNumber, says) from None
    except (LookupError, ValueError) as error:
        # An encoding that nobody knows raises one of these; anything else is a fault of ours.
        if "encoding" not in str(error):
            raise
        raise BadXml(1, f"it is in no encoding that is read: {error}") from None
    return Tree(builder.root, builder.lines)
