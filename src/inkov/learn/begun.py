"""A dialect that somebody has begun: what it says stays, and what is learnt is added to it.

Theory of operation. Lines that a form of the dialect takes are settled: nothing is learnt of them,
but of what they leave. What is learnt is written as a dialect of its own, and merged into the text
of the other, table by table, whose comments and order stay. Its examples are evidence like any
other source: a text, and a sheet that says what it means.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import tomlkit
from msgspec import Struct
from tomlkit.items import AoT, Table

from inkov.campus import Device
from inkov.readers.dialects import Dialect, compile_dialect, read_text
from inkov.readers.dialects.examples import meant_by, run_examples
from inkov.readers.dialects.forms import captures_in, parse_form
from inkov.readers.dialects.read import Taken

__all__ = ["PREFIX", "Begun", "Settled", "begin"]

_NOT_BLOCKS = ("text", "lists", "defaults", "vlan-table", "example")


class Settled(Struct, frozen=True):
    """What the dialect makes of a line: the block that it opens ("" for none), and the captures of
    its heads there, each with its type.
    """

    block: str = ""
    captures: dict[str, str] = {}


PREFIX = Settled("the beginning of a statement")
"""A line that opens no block, but has the other words of statements below it."""


class Begun(Struct):
    """A dialect that is begun: its text, and what it comes to. `heads` are the blocks that forms
    open, each with its captures; `states` are its tables, `marks` what it says of lists.
    """

    text: str
    dialect: Dialect
    heads: dict[str, Settled]
    states: frozenset[str]
    marks: frozenset[str]
    groups: frozenset[str]
    defaults: dict[str, str]
    holding: frozenset[int]

    def settled(self, texts: Sequence[str], style: str) -> list[dict[int, Settled]]:
        """The lines of some texts that the dialect takes, each with what it opens. `style` are the
        tables of how texts and lists are written, where the dialect does not say.
        """
        dialect = compile_dialect(self.dialect.file, self.merged(style).encode())
        by_text = []
        for text in texts:
            taken: dict[int, Taken] = {}
            read_text(dialect, "text", text.encode(), taken)
            by_text.append({line: self._opened(reading) for line, reading in taken.items()})
        return by_text

    def _opened(self, taken: Taken) -> Settled:
        # Words above a statement, which open nothing.
        if not taken.forms:
            return PREFIX
        heads = [self.heads[form] for form, _ in taken.forms if form in self.heads]
        return heads[-1] if heads else Settled()

    def examples(self) -> list[tuple[str, Device, frozenset[str]]]:
        """The texts of its examples, what each of them means, and lines that mean nothing."""
        examples = []
        for example in self.dialect.examples:
            device = meant_by(example)
            # An example that means no switch is no evidence.
            if device is not None:
                examples.append((example.text, device, frozenset(example.unmatched)))
        return examples

    def merged(self, learnt: str, head: Sequence[str] = ()) -> str:
        """The dialect with what was learnt added. `head` is said of it at the top."""
        own, added = tomlkit.parse(self.text), tomlkit.parse(learnt)
        claims = "recognise" in own or "files" in own
        for key, value in added.items():
            # What the author said stays.
            if key in ("text", "defaults", "vlan-table"):
                if key not in own:
                    own[key] = value
            elif key == "lists":
                _add_marks(own, value)
            elif key == "group":
                for name, table in value.items():
                    if "group" not in own:
                        own["group"] = tomlkit.table(is_super_table=True)
                    _add_block(own["group"], name, table)
            elif isinstance(value, Table):
                _add_block(own, key, value)
            elif key in ("recognise", "files") and not claims:
                # A dialect that claims files already claims these as well, or not.
                own[key] = value
        told = "".join(f"# {line}\n" for line in head)
        return told.replace("# Learnt from", "# Completed from") + _examples_last(own)

    def broken(self, completed: Dialect) -> list[int]:
        """The examples, by number, that held, and do not hold by the completed dialect."""
        ran = run_examples(completed)
        return [
            example.number for example in ran if example.faults and example.number in self.holding
        ]


def begin(file: str, data: bytes) -> Begun:
    """A dialect that is begun. Raises BadDialect."""
    dialect = compile_dialect(file, data)
    text = data.decode("utf-8-sig").replace("\r\n", "\n")
    tree = tomlkit.parse(text).unwrap()
    blocks = {key: table for key, table in tree.items() if isinstance(table, dict)}
    groups = blocks.pop("group", {})
    blocks |= {f"group.{name}": table for name, table in groups.items()}
    heads: dict[str, Settled] = {}
    for name, table in blocks.items():
        if name not in _NOT_BLOCKS:
            # Each form of a block's heads, with its captures.
            for form in table.get("opens", ()):
                captures = {
                    k: v for words in parse_form(form) for k, v in captures_in(words).items()
                }
                heads.setdefault(form, Settled(name, captures))
    holding = frozenset(ran.number for ran in run_examples(dialect) if not ran.faults)
    states = frozenset(key for key in tree)
    defaults = {key: _as_text(value) for key, value in tree.get("defaults", {}).items()}
    marks = frozenset(tree.get("lists", ()))
    return Begun(text, dialect, heads, states, marks, frozenset(groups), defaults, holding)


def _as_text(value: Any) -> str:
    """A default as switch sheets write it."""
    return {True: "yes", False: "no"}[value] if isinstance(value, bool) else str(value)


def _add_marks(own: Any, lists: Any) -> None:
    """Add the marks of lists that the dialect has not."""
    if "lists" not in own:
        own["lists"] = lists
        return
    for key in ("separators", "ranges", "port-kinds", "port-names"):
        known = own["lists"].get(key)
        new = [mark for mark in lists.get(key, ()) if mark not in (known or ())]
        # A list that the author left out is taken over whole.
        if known is None:
            if key in lists:
                own["lists"][key] = lists[key]
        else:
            known.extend(new)


def _add_block(own: Any, name: str, table: Any) -> None:
    """Add the heads and statements of a block."""
    if name not in own:
        own[name] = table
        return
    block = own[name]
    says = table.get("says")
    known = {*block.get("says", ()), *block.get("ignored", ()), *block.get("opens", ())}
    _add_forms(block, "opens", list(table.get("opens", ())))
    _add_forms(block, "within", list(table.get("within", ())))
    _add_forms(block, "ignored", [form for form in table.get("ignored", ()) if form not in known])
    if "like" in table and "like" not in block:
        block["like"] = table["like"]
    # Without statements there is nothing to add.
    if says is None:
        return
    if "says" not in block:
        block["says"] = says
        return
    for key, item in says.value.body:
        if key is None:  # a comment: a statement that is left out
            if item.as_string().strip():
                block["says"].add(tomlkit.comment(item.as_string().strip().lstrip("# ")))
        elif key.key not in known:
            # What the author has a statement for is his.
            block["says"].append(key, item)


def _add_forms(block: Any, key: str, forms: Sequence[str]) -> None:
    known = block.get(key)
    if not forms:
        return
    if known is None:
        # To stand at the top is what blocks do anyway.
        if key != "within" or list(forms) != ["device"]:
            block[key] = list(forms)
    elif isinstance(known, list):
        known.extend(form for form in forms if form not in known)
    else:  # heads with names and effects
        for form in forms:
            if form not in known:
                known[form] = ""


def _examples_last(tree: Any) -> str:
    """The text of a tree, its examples at the end: what is added would stand behind them."""
    examples = [key for key, value in tree.items() if isinstance(value, AoT)]
    for key in examples:
        value = tree.pop(key)
        tree.append(key, value)
    return tomlkit.dumps(tree)
