"""A dialect file (TOML) as it is written, and what it is compiled to. The language is specified in
docs/dialects.md; `compiler` leads from the one to the other.
"""

from __future__ import annotations

import fnmatch
import re
from typing import Any

from msgspec import Struct, field

from inkov.campus import Platform, Problem
from inkov.readers.dialects.effects import (
    Clause,
    Template,
)
from inkov.readers.dialects.lists import Lists
from inkov.readers.dialects.matching import Node
from inkov.readers.dialects.text import Style
from inkov.vlanset import VlanSet

__all__ = [
    "BadDialect",
    "Block",
    "Dialect",
    "DialectFile",
    "Example",
    "Head",
    "Statement",
    "looks_like_dialect",
]


class BadDialect(Exception):
    """The file is no dialect that could be used. `problems` says why, with line and column in the
    text.
    """

    def __init__(self, problems: list[Problem]) -> None:
        super().__init__(problems[0].says)
        self.problems = problems


class ListStyle(Struct, rename="kebab", forbid_unknown_fields=True):
    """The `[lists]` table: the marks and words of lists of VLANs and ports."""

    separators: list[str] = field(default_factory=lambda: [","])
    ranges: list[str] = field(default_factory=lambda: ["-"])
    port_kinds: list[str] = field(default_factory=list)
    port_names: list[str] = field(default_factory=list)
    wildcards: list[str] = field(default_factory=list)
    every: list[str] = field(default_factory=list)
    but: list[str] = field(default_factory=list)
    item_words: list[str] = field(default_factory=list)
    ports_per_unit: int = 0
    yes: list[str] = field(default_factory=lambda: ["yes", "on"])
    no: list[str] = field(default_factory=lambda: ["no", "off"])


class VlanTable(Struct, rename="kebab", forbid_unknown_fields=True):
    """The `[vlan-table]` table: which VLANs a switch has without a statement that defines them."""

    always: str = ""
    names: dict[str, int] = field(default_factory=dict)
    created_by: list[str] = field(default_factory=list)
    is_membership: bool = False


class BlockTable(Struct, forbid_unknown_fields=True):
    """One kind of block: its heads, what its statements do, and which have no meaning here.

    `within` are the blocks it may stand in; `wins` tells whether of two statements about ports the
    last one counts, or that about few; `like` names a block whose statements it has, too.
    """

    opens: list[str] | dict[str, str] = field(default_factory=list)
    says: dict[str, str] = field(default_factory=dict)
    ignored: list[str] = field(default_factory=list)
    within: list[str] = field(default_factory=lambda: ["device"])
    wins: str = "last"
    like: str = ""


class Example(Struct, forbid_unknown_fields=True):
    """A text in the dialect, and the switch sheet (without its first line) that says the same."""

    text: str
    gives: str = ""
    unmatched: list[str] = field(default_factory=list)


class DialectFile(Struct, rename="kebab", forbid_unknown_fields=True):
    dialect: str
    about: str = ""
    recognise: list[str] = field(default_factory=list)
    files: list[str] = field(default_factory=list)
    text: Style = field(default_factory=Style)
    lists: ListStyle = field(default_factory=ListStyle)
    defaults: dict[str, Any] = field(default_factory=dict)
    vlan_table: VlanTable = field(default_factory=VlanTable)
    device: BlockTable = field(default_factory=BlockTable)
    port: BlockTable = field(default_factory=BlockTable)
    bundle: BlockTable = field(default_factory=BlockTable)
    sub: BlockTable = field(default_factory=BlockTable)
    vlan: BlockTable = field(default_factory=BlockTable)
    gateway: BlockTable = field(default_factory=BlockTable)
    bridge: BlockTable = field(default_factory=BlockTable)
    tree: BlockTable = field(default_factory=BlockTable)
    profile: BlockTable = field(default_factory=BlockTable)
    filter: BlockTable = field(default_factory=BlockTable)
    group: dict[str, BlockTable] = field(default_factory=dict)
    example: list[Example] = field(default_factory=list)


# --- compiled -------------------------------------------------------------------------------------


class Statement(Struct):
    """What a form does. `needs` are the captures that its effects use; `form` is the form as it
    is written, `line` where.
    """

    clauses: tuple[Clause, ...]
    ignored: bool = False
    needs: set[str] = field(default_factory=set)
    form: str = ""
    line: int = 0

    def same(self, other: Statement) -> bool:
        """Whether two forms do the same."""
        return (self.clauses, self.ignored) == (other.clauses, other.ignored)


class Block(Struct):
    """A kind of block: what it opens ("" for a plain group), and the tree of its statements."""

    name: str
    kind: str
    root: Node = field(default_factory=Node)


class Head(Struct):
    """A head of a block: how what it opens is named, and what the head says of it besides."""

    block: Block
    name: Template
    statement: Statement
    needs: set[str] = field(default_factory=set)

    @property
    def root(self) -> Node:
        return self.block.root


class Dialect(Struct):
    """A dialect, ready to read texts. `device` is the block of statements that stand in no other.

    `secret_words` are the words of its forms that a secret follows; `specific` the kinds of port of
    which what is said of few wins over what is said of many. `known` and `bare` are kept by
    the reader: what it made of lines it has seen.
    """

    name: str
    file: str
    text: Style
    lists: Lists
    platform: Platform
    vlan_table: VlanTable
    always: VlanSet
    device: Block
    recognise: list[Node]
    files: list[str]
    examples: list[Example]
    spaces: dict[int, int] = field(default_factory=dict)
    known_words: set[str] = field(default_factory=set)
    secret_words: frozenset[str] = frozenset()
    specific: frozenset[str] = frozenset()
    forms: int = 0
    conditions: frozenset[str] = frozenset()  # the forms that others depend on
    known: dict[tuple[Any, ...], Any] = field(default_factory=dict)
    bare: dict[str, tuple[int, str, bool]] = field(default_factory=dict)

    def claims(self, file: str) -> bool:
        """True if one of the `files` patterns fits the file's name."""
        name = file.replace("\\", "/").rpartition("/")[2]
        return any(fnmatch.fnmatchcase(name, pattern) for pattern in self.files)


_FIRST_KEY = re.compile(rb"\s*(?:#[^\n]*\n\s*)*dialect\s*=")


def looks_like_dialect(data: bytes) -> bool:
    """True if the first thing the file states is `dialect =`."""
    return _FIRST_KEY.match(data.removeprefix(b"\xef\xbb\xbf")) is not None
