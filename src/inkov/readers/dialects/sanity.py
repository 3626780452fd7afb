"""Where a dialect may read its texts wrongly, found from the texts alone.

Every line can be understood and still be misread: a form takes what another one was written for, a
list replaces what it should add to, a range becomes one port. Nothing of that is sure to be wrong;
each is a place to look at.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence

from msgspec import Struct

from inkov.campus import Basis, Device, Origin, Vlan
from inkov.campus.doubts import gaps, odd_names, strange_names
from inkov.readers.dialects.ambiguous import ambiguous
from inkov.readers.dialects.file import Block, Dialect, Head, Statement
from inkov.readers.dialects.matching import Node, nodes_below
from inkov.readers.dialects.read import Taken, read_text
from inkov.readers.dialects.trace import Traced, traced
from inkov.vlanset import VlanSet, bit, union
from inkov.words import plural

__all__ = ["Doubt", "doubtful_ports", "doubts"]

_CAPTURE = re.compile(r"\{(?:([A-Za-z][\w-]*):)?([a-z]*)\}")
_SHOWN = 6
_SEVERAL_NAMED = 3  # VLANs of one name
_SEVERAL = 2  # texts or lines, before "in all of them" says something


class Doubt(Struct):
    """A place where the reading may be wrong: what is seen, and what to do about it. `mild`: it is
    as often right.
    """

    origin: Origin
    says: str
    cure: str
    mild: bool = False


def doubts(dialect: Dialect, texts: Sequence[tuple[str, bytes]]) -> list[Doubt]:
    """What is doubtful about how a dialect reads some texts, (file, bytes) each."""
    devices, uses = [], _Uses()
    for file, data in texts:
        taken: dict[int, Taken] = {}
        devices += read_text(dialect, file, data, taken).part.devices
        uses.add(taken.values(), traced(dialect, file, data))
    # A form that no text needs may still be needed by an example.
    for example in dialect.examples:  # a form that only an example needs is used, too
        taken = {}
        read_text(dialect, "example", example.text.encode(), taken)
        uses.add(taken.values(), [])
    doubtful = [
        *doubtful_ports(devices),
        *_of_vlans(devices),
        *_of_forms(dialect, uses),
        *_of_two_forms(dialect),
        *_of_blocks(dialect, uses),
        *_unused(dialect, uses),
    ]
    return sorted(doubtful, key=lambda doubt: doubt.mild)


# --- what came out --------------------------------------------------------------------------------


def doubtful_ports(devices: Sequence[Device]) -> Iterator[Doubt]:
    """What is doubtful about the ports that some texts were read to have."""
    for device in devices:
        for missing in gaps(device):
            yield Doubt(
                device.origin,
                f"{device.name} has no port {_listed(missing)}, though ports around are there",
                "are they there? then look how the text names them",
            )
        for port in odd_names(device):
            yield Doubt(
                port.origin,
                f"a port is called {port.name!r}: one port, or several?",
                "name the mark of ranges under [lists], in `ranges` or `separators`",
            )
    strange = [(device, port) for device in devices for port in strange_names(device)]
    counts = Counter(port.name for _, port in strange)
    for device, port in strange:
        everywhere = counts[port.name] == len(devices) >= _SEVERAL
        # Named as no other everywhere: a number of something else, probably.
        if not everywhere:
            yield Doubt(
                port.origin,
                f"{device.name} has one port that is named as no other: {port.name!r}",
                "is it a port? then name its kind in `port-kinds`, under [lists]",
                True,
            )
    for name, count in counts.items():
        if count == len(devices) >= _SEVERAL:
            first = next(port for _, port in strange if port.name == name)
            yield Doubt(
                first.origin,
                f"every text has one port {name!r}, named as no other",
                "is it a port, or a number of something else?",
            )


def _of_vlans(devices: Sequence[Device]) -> Iterator[Doubt]:
    """VLANs that ports are in and that are not defined, where the text defines others."""
    for device in devices:
        # Without a table nothing can be missing in it.
        if device.vlans is None:
            continue
        used: dict[int, Origin] = {}
        for port in device.ports.values():
            for fact in (port.access_vlan, port.pvid, port.native_vlan, port.voice_vlan):
                if fact is not None and fact.value:
                    used.setdefault(fact.value, fact.origin)
        yield from _of_names(device)
        defined = union(bit(vid) for vid in device.vlans)
        for vid, origin in sorted(used.items()):
            if not defined >> vid & 1:
                yield Doubt(
                    origin,
                    f"VLAN {vid} is used, and {device.name} defines {VlanSet(defined)} only",
                    "is it defined in words that no form takes? or list it in `always`",
                )


def _of_names(device: Device) -> Iterator[Doubt]:
    """VLANs that are called alike, or by a word that is no name: it may be another word of the
    statement.
    """
    named: dict[str, list[Vlan]] = {}
    for vlan in (device.vlans or {}).values():
        if vlan.name is not None and vlan.name.origin.basis is Basis.STATED:
            named.setdefault(vlan.name.value, []).append(vlan)
    for name, vlans in named.items():
        at = vlans[0].name
        # One name for three VLANs, or marks in it: another word of the line was probably taken.
        if at is not None and (len(vlans) >= _SEVERAL_NAMED or set(name) & set('=:;{}[]<>|"')):
            shown = _listed([str(vlan.vid) for vlan in vlans])
            yield Doubt(
                at.origin,
                f"{device.name} calls {plural(len(vlans), 'VLAN')} {shown} {name!r}",
                "is that the name? else the form takes another word of the line",
            )


# --- what the forms did ---------------------------------------------------------------------------


class _Uses:
    """How often each form took a line, what its captures took, and how often nothing of it lasted.
    A form is known by the text and the line that it has in the dialect.
    """

    def __init__(self) -> None:
        self.lines: Counter[tuple[str, int]] = Counter()
        self.captured: dict[tuple[str, int], set[str]] = {}
        self.lasting: Counter[tuple[str, int]] = Counter()
        self.passing: Counter[tuple[str, int]] = Counter()
        self.instead: dict[tuple[str, int], tuple[str, int]] = {}

    def add(self, taken: Iterable[Taken], traces: Iterable[Traced]) -> None:
        for reading in taken:
            for form, labels in zip(reading.forms, reading.labels, strict=True):
                self.lines[form] += 1
                self.captured.setdefault(form, set()).update(labels)
            # What a form without a meaning took, another one would have understood.
            if reading.instead is not None:
                self.instead.setdefault(reading.forms[-1], reading.instead)
        for line in traces:
            forms = list(zip(line.forms, line.form_lines, strict=True))
            if forms and line.does:
                (self.passing if line.later else self.lasting)[forms[-1]] += 1


def _of_forms(dialect: Dialect, uses: _Uses) -> Iterator[Doubt]:
    for statement in _statements(dialect):
        form = statement.form, statement.line
        at = Origin(dialect.file, statement.line)
        shown = f'"{statement.form}"'
        # Told elsewhere, all unused forms together.
        if form not in uses.lines:
            continue
        labels = {label or kind for label, kind in _CAPTURE.findall(statement.form)}
        for label in sorted(labels - uses.captured[form] - {"secret"}):
            yield Doubt(
                at, f"in {shown} nothing was ever taken by {{{label}}}", "a slip? else leave it out"
            )
        if form in uses.instead:
            instead, line = uses.instead[form]
            yield Doubt(
                at,
                f'{shown} takes lines without a meaning that "{instead}" (line {line}) could take',
                "make the one without a meaning narrower",
            )
        times = uses.passing[form]
        # Set and set again in every text: it probably should add.
        if times >= _SEVERAL and not uses.lasting[form]:
            yield Doubt(
                at,
                f"what {shown} says is replaced or taken back later, all {times} times",
                "does it set something else, or should it add (+)?",
            )


def _of_two_forms(dialect: Dialect) -> Iterator[Doubt]:
    """Forms of one block that can take the same line, and do not mean the same."""
    for block in (dialect.device, *(block for block, _ in _blocks(dialect))):
        for first, other, line in ambiguous(dialect, block):
            yield Doubt(
                Origin(dialect.file, first.line),
                f'"{first.form}" and "{other.form}" (line {other.line}) can both take "{line}",'
                " and neither is the narrower one",
                "the first goes first: is that meant? else make it narrower",
            )


def _unused(dialect: Dialect, uses: _Uses) -> Iterator[Doubt]:
    """The forms that no line has, together: other texts may need them."""
    unused = [
        statement
        for statement in _statements(dialect)
        if (statement.form, statement.line) not in uses.lines
    ]
    # One finding for all: other texts may need them.
    if unused:
        shown = _listed([f'"{statement.form}"' for statement in unused], most=3)
        yield Doubt(
            Origin(dialect.file, unused[0].line),
            f"no line here has the {plural(len(unused), 'form')} {shown}",
            "a slip? or do other texts need it?",
            True,
        )


def _of_blocks(dialect: Dialect, uses: _Uses) -> Iterator[Doubt]:
    """Blocks that were opened, and in which no line said anything."""
    for block, heads in _blocks(dialect):
        opened = sum(uses.lines[head.statement.form, head.statement.line] for head in heads)
        own = list(_ends(block.root))
        says_something = any(uses.lines[s.form, s.line] for s in own if not s.ignored)
        below = any(True for _ in _heads(block.root))
        several = opened >= _SEVERAL and block.kind in ("port", "bundle", "sub", "profile")
        # A block that only holds other blocks says nothing itself.
        if several and own and not says_something and not below:
            line = heads[0].statement.line
            yield Doubt(
                Origin(dialect.file, line),
                f"{opened} blocks [{block.name}] were opened, and no line in one says anything",
                "do the lines of these blocks stand where the text's shape puts them?",
            )


def _statements(dialect: Dialect) -> list[Statement]:
    """Every form of a dialect once, by its line."""
    statements: dict[tuple[str, int], Statement] = {}
    roots = [dialect.device.root, *(block.root for block, _ in _blocks(dialect))]
    for root in roots:
        for statement in (*_ends(root), *(head.statement for head in _heads(root))):
            statements.setdefault((statement.form, statement.line), statement)
    return sorted(statements.values(), key=lambda statement: statement.line)


def _blocks(dialect: Dialect) -> list[tuple[Block, list[Head]]]:
    """The blocks that some head opens, with their heads."""
    by_block: dict[int, tuple[Block, list[Head]]] = {}
    roots = [dialect.device.root]
    for root in roots:
        for head in _heads(root):
            if id(head.block) not in by_block:
                by_block[id(head.block)] = head.block, []
                roots.append(head.block.root)
            by_block[id(head.block)][1].append(head)
    return list(by_block.values())


def _ends(root: Node) -> Iterator[Statement]:
    return (node.end for node in nodes_below(root) if isinstance(node.end, Statement))


def _heads(root: Node) -> Iterator[Head]:
    return (node.block for node in nodes_below(root) if isinstance(node.block, Head))


def _listed(names: Sequence[str], most: int = _SHOWN) -> str:
    shown = ", ".join(names[:most])
    return shown if len(names) <= most else f"{shown} and {len(names) - most} more"
