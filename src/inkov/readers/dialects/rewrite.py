"""Edits made in a text that a dialect reads: said as the text says such things elsewhere.

## Theory of operation

A dialect tells what a line means, not how one is written: which spaces, quotes and marks the
language wants. So nothing is made up. A line that says such a thing already is taken for a pattern:
the value in it, and the port or VLAN, are replaced. Patterns are the lines of the text itself, of
other texts of the dialect, and of its examples.

Each such change is *tried*: the text is read by the dialect, and kept if it is nearer to the switch
that is wanted (`_distance`), until it is that switch. What a line does to other ports, or undoes
further down, is so found out by reading; a pattern that does not fit is of no harm. Where no change
brings the text nearer, that is said, and nothing is written.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from typing import Any

from msgspec.structs import replace

from inkov.campus import Campus, Device, Fact
from inkov.edits import Edit, Kind, difference
from inkov.readers.dialects.effects import Named
from inkov.readers.dialects.file import Dialect
from inkov.readers.dialects.rewrite_lines import (
    Values,
    name_of,
    separator,
    vids_of,
    words_of,
)
from inkov.readers.dialects.rewrite_source import Said, Source
from inkov.readers.dialects.text import Shape
from inkov.readers.rewriting import CannotWrite, Rewrite, deciding
from inkov.readers.sheets.words import PORT_KEYS, BadLine
from inkov.vlanset import VlanSet

__all__ = ["rewriter"]

_PORTS = ("port", "bundle", "sub")
_KINDS = {Kind.PORT: _PORTS, Kind.VLAN: ("vlan",), Kind.GATEWAY: ("gateway",)}
_KEYS = {attribute: key for key, (attribute, _) in PORT_KEYS.items()} | {
    "addresses": "address",
    "active": "state",
    "name": "name",
}
_WHOLE = 3  # what a thing as a whole counts
_MOST_TRIALS = 400  # of one text
_MOST_LINES = 250_000  # that are read in trials of one text; but so many trials there are:
_FEWEST_TRIALS = 25
_PATTERNS = 6  # that are tried for one thing


def rewriter(dialect: Dialect, others: Iterable[str]) -> Rewrite:
    """What rewrites texts of a dialect. `others` are texts of it that have patterns as well."""
    texts = [*others, *(example.text for example in dialect.examples)]

    def rewrite(text: str, device: Device, edits: Sequence[Edit]) -> str:
        newline = "\r\n" if "\r\n" in text else "\n"
        written = _Rewriting(dialect, device, texts).run(text.replace("\r\n", "\n"))
        return written.replace("\n", newline)

    return rewrite


class _Rewriting:
    """A text on its way to be read as a switch."""

    def __init__(self, dialect: Dialect, wanted: Device, texts: Sequence[str]) -> None:
        self.dialect = dialect
        self.wanted = wanted
        self.texts = texts
        self.others: list[Source] | None = None
        self.values = Values(dialect, wanted)
        self.trials = 0
        self.most = _MOST_TRIALS
        self.lost = 0

    def run(self, text: str) -> str:
        """The text as the wanted switch. Raises CannotWrite."""
        source = Source(self.dialect, text)
        self.lost = source.lost
        # Each trial reads the whole text: long ones are tried less often.
        self.most = max(_FEWEST_TRIALS, min(_MOST_TRIALS, _MOST_LINES // len(source.lines)))
        left = self._left(source)
        while left:
            # Nothing comes nearer: the first edit that is left is the one that cannot be written.
            nearer = self._nearer(source, left)
            if nearer is None:
                edit = left[0]
                what = f"{edit.kind} {edit.name}, {edit.attribute or 'the whole of it'}"
                # Told apart from "nobody knows how": here one might have been found.
                if self.trials > self.most:
                    raise CannotWrite(f"{what}: too much would have to be tried in so long a text")
                raise CannotWrite(f"{what}: no line of the texts shows how that is written")
            source, left = nearer
        return "\n".join(source.lines)

    def _left(self, source: Source) -> list[Edit]:
        """What is not yet as it is wanted."""
        own = replace(source.devices[0], platform=self.wanted.platform)
        return deciding(
            difference(
                Campus(devices={self.wanted.name: own}),
                Campus(devices={self.wanted.name: self.wanted}),
            )
        )

    def _nearer(self, source: Source, left: list[Edit]) -> tuple[Source, list[Edit]] | None:
        for edit in left:
            best: tuple[int, Source, list[Edit]] | None = None
            now, ideal = _distance(left), _distance(left) - _distance([edit])
            for candidate in self._candidates(source, edit):
                self.trials += 1
                if self.trials > self.most:
                    break
                tried = Source(self.dialect, "\n".join(candidate))
                # The change must not make another switch of the text.
                if len(tried.devices) != 1 or tried.devices[0].name != self.wanted.name:
                    continue
                then = self._left(tried)
                far = _distance(then)
                # A line that is understood no longer is worse than an edit that is missing.
                if tried.lost > self.lost or far >= (now if best is None else best[0]):
                    continue
                best = far, tried, then
                # As near as this edit can bring it: no better candidate is to come.
                if far <= ideal:
                    break
            if best is not None:
                return best[1], best[2]
        return None

    # --- candidates -------------------------------------------------------------------------------

    def _candidates(self, source: Source, edit: Edit) -> Iterator[list[str]]:
        if edit.kind not in _KINDS:
            return
        # What is gone, what is new, and what is said otherwise are tried in different ways.
        if edit.whole and edit.after is None:
            yield from self._without(source, edit)
        elif edit.whole:
            yield from self._with_new(source, edit)
        elif edit.attribute in _KEYS:
            yield from self._said_otherwise(source, edit)
            yield from self._said_as_well(source, edit)
            yield from self._undone(source, edit)
            yield from self._called_otherwise(source, edit)

    def _saying(self, source: Source, edit: Edit) -> list[Said]:
        """What a text says of the attribute of an edit, whatever port or VLAN it is about."""
        key, kinds = _KEYS[edit.attribute], _KINDS[edit.kind]
        return [said for said in source.said if said.bound.attribute == key and said.kind in kinds]

    def _said_otherwise(self, source: Source, edit: Edit) -> Iterator[list[str]]:
        """The lines that say it, with another value, for other ports, or not at all."""
        before, after = _value(edit.before), _value(edit.after)
        # The last line that says it counts, so that one is tried first.
        for said in reversed(self._saying(source, edit)):
            own = _is_about(said, edit, self.wanted)
            line = source.lines[said.line - 1]
            # A line about others as well cannot just get another value.
            if own:
                new = _changed(said.bound.value, before, after)
                for changed in self.values.replaced(line, said.bound.value, new):
                    yield _put(source.lines, said.line, [changed])
                yield _put(source.lines, said.line, [])
            # A list of ports: this one is taken out, or put in.
            if edit.kind is Kind.PORT and said.bound.on:
                yield from self._for_ports(source, said, edit.name)

    def _for_ports(self, source: Source, said: Said, port: str) -> Iterator[list[str]]:
        """A line that names ports, and names one more or less."""
        line, names = source.lines[said.line - 1], [k for k in said.keys if isinstance(k, str)]
        left = [name for name in names if name != port]
        for start, end in self.values.spans(line):
            words = words_of(line[start:end], self.dialect)
            try:
                listed = self.dialect.lists.selected(words)
            except BadLine:
                continue
            if listed == names:
                mark = separator(line[start:end], self.dialect.lists)
                # A list that would be empty is left to the other ways.
                text = mark.join(left) if port in names else f"{line[start:end]}{mark}{port}"
                if text:
                    yield _put(source.lines, said.line, [f"{line[:start]}{text}{line[end:]}"])
                return

    def _said_as_well(self, source: Source, edit: Edit) -> Iterator[list[str]]:
        """One line more, as such lines are."""
        own = [said.line for said in source.said if _is_about(said, edit, self.wanted)]
        alone = [
            said.line for said in source.said if _is_about(said, edit, self.wanted, alone=True)
        ]
        for pattern, said in self._patterns(source, edit):
            for line in self._new_lines(pattern.lines[said.line - 1], said, edit):
                near = self._nearest(source, line)
                # Near lines like it, at the end of its own statements, or at the end of the text.
                for at in dict.fromkeys([*near, *alone[-1:], *own[-1:]]):
                    above = source.lines[at - 1]
                    for new in self._indented_as(source, at, line, pattern):
                        yield _put(source.lines, at, [above, new])
                head = self._head(source, edit)
                if head is not None:
                    last = source.block(own[-1])[-1] if own else _last(source.lines)
                    for at in dict.fromkeys([_end_of(source, own), last, _last(source.lines)]):
                        yield _put(source.lines, at, [source.lines[at - 1], *_blocked(head, line)])
                elif not own:
                    at = _last(source.lines)
                    yield _put(source.lines, at, [source.lines[at - 1], line])

    def _indented_as(self, source: Source, at: int, line: str, pattern: Source) -> Iterator[str]:
        """A line of another text as the statements of the block are that it comes into, and as it
        is.
        """
        block = source.block(at)
        # Below a head there is its first statement; else the line above is one.
        beside = source.lines[at] if len(block) > 1 else source.lines[at - 1]
        if pattern is not source and self.dialect.text.shape is not Shape.FLAT:
            yield beside[: len(beside) - len(beside.lstrip())] + line.lstrip()
        yield line

    def _nearest(self, source: Source, line: str) -> list[int]:
        """In a flat text, the last line that begins most like another one."""
        # Only a flat text has no blocks that would tell where a line belongs.
        if self.dialect.text.shape is not Shape.FLAT:
            return []
        words = words_of(line, self.dialect)

        def shared(number: int) -> int:
            own = words_of(source.lines[number - 1], self.dialect)
            pairs = zip(words, own, strict=False)
            return next((n for n, (a, b) in enumerate(pairs) if a != b), min(len(words), len(own)))

        numbers = [said.line for said in source.said]
        return [max(numbers, key=lambda number: (shared(number), number))] if numbers else []

    def _undone(self, source: Source, edit: Edit) -> Iterator[list[str]]:
        """A line more that undoes what another one says."""
        for said in reversed(self._saying(source, edit)):
            if not _is_about(said, edit, self.wanted):
                continue
            line = source.lines[said.line - 1]
            indent = line[: len(line) - len(line.lstrip())]
            # A language without a word for it cannot undo.
            for word in self.dialect.text.negation:
                undoing = f"{indent}{word} {line.lstrip()}"
                for new_line in dict.fromkeys([*self._about(undoing, said, edit), undoing]):
                    head = self._head(source, edit)
                    new = _blocked(head, new_line) if head is not None else [new_line]
                    at = _end_of(source, [said.line])
                    yield _put(source.lines, at, [source.lines[at - 1], *new])

    def _called_otherwise(self, source: Source, edit: Edit) -> Iterator[list[str]]:
        """A VLAN by another name, wherever it is called so."""
        before, after = _value(edit.before), _value(edit.after)
        if edit.kind is not Kind.VLAN or edit.attribute != "name" or not before or not after:
            return
        # A name of several words might stand in parts elsewhere.
        if not re.fullmatch(r"\S+", after):
            return
        words = re.compile(rf"(?<!\S){re.escape(before)}(?!\S)")
        yield [words.sub(lambda _: after, line) for line in source.lines]

    def _patterns(self, source: Source, edit: Edit) -> list[tuple[Source, Said]]:
        """Lines that say the attribute of something, of each form one; the text's own first."""
        by_shape: dict[tuple[str, str, str], tuple[Source, Said]] = {}
        for pattern in (source, *self._others()):
            for said in self._saying(pattern, edit):
                line = pattern.lines[said.line - 1]
                fixed = re.sub(r"[0-9]+", "0", line)
                shape = (said.bound.operator, fixed, str(said.bound.constant and said.bound.value))
                by_shape.setdefault(shape, (pattern, said))
        after = _value(edit.after)

        def fits(known: tuple[Source, Said]) -> tuple[bool, int]:
            bound = known[1].bound
            order = ("=", "+", "-", "unset", "there").index(bound.operator)
            return bound.constant and bound.value != after, order

        # A constant with another value would say something else; plain setting comes first.
        return sorted(by_shape.values(), key=fits)[:_PATTERNS]

    def _others(self) -> list[Source]:
        if self.others is None:
            self.others = [Source(self.dialect, text) for text in self.texts]
        return self.others

    def _new_lines(self, line: str, said: Said, edit: Edit) -> Iterator[str]:
        """The line of a pattern with the value, and the thing, of an edit."""
        before, after = _value(edit.before), _value(edit.after)
        value = after
        # A line that adds or takes away has only the difference.
        if isinstance(after, VlanSet) and said.bound.operator in ("+", "-"):
            old = before if isinstance(before, VlanSet) else VlanSet()
            value = after - old if said.bound.operator == "+" else old - after
            if not value:
                return
        # The value stands in the dialect: the line is the same whatever it is about.
        if said.bound.constant or said.bound.operator in ("unset", "there"):
            lines_ = [line]
        else:
            lines_ = list(self.values.replaced(line, said.bound.value, value))
        for new in lines_:
            yield from self._about(new, said, edit)

    def _about(self, line: str, said: Said, edit: Edit) -> Iterator[str]:
        """A line about another port or VLAN, where it says itself what it is about."""
        if edit.kind is Kind.PORT:
            named = list(self._ports_replaced(line, said.keys, edit.name))
        else:
            vids = vids_of(said.keys[0]) if said.keys else VlanSet()
            named = list(self.values.replaced(line, vids, VlanSet.of(_vid_of(edit))))
        yield from named
        yield line

    def _ports_replaced(self, line: str, keys: tuple[Any, ...], port: str) -> Iterator[str]:
        for start, end in self.values.spans(line):
            try:
                listed = self.dialect.lists.selected(words_of(line[start:end], self.dialect))
            except BadLine:
                continue
            if tuple(listed) == keys:
                yield f"{line[:start]}{port}{line[end:]}"
                return

    def _head(self, source: Source, edit: Edit) -> list[str] | None:
        """The lines that open a block for the thing of an edit, and close it: as for others."""
        # In a flat text every line says itself what it is about.
        if edit.kind is not Kind.PORT or self.dialect.text.shape is Shape.FLAT:
            return None
        kind = self.wanted.ports[edit.name].kind.value if edit.name in self.wanted.ports else ""
        wanted = {"port": "port", "bundle": "bundle", "sub-interface": "sub"}.get(kind, "port")
        for pattern in (source, *self._others()):
            for said in pattern.said:
                if said.bound.operator != "there" or said.kind != wanted or said.bound.on:
                    continue
                line = pattern.lines[said.line - 1]
                for head in self._ports_replaced(line, said.keys, edit.name):
                    closing = pattern.lines[pattern.block(said.line)[-1] - 1]
                    braced = self.dialect.text.shape is Shape.BRACED
                    return [head, closing] if braced else [head]
        return None

    # --- things as a whole ------------------------------------------------------------------------

    def _blocks_of(self, source: Source, kind: Kind) -> dict[int, tuple[Said, range]]:
        """VLAN -> the lines that are about it and nothing else, where these stand together."""
        blocks: dict[int, tuple[Said, range]] = {}
        for said in source.said:
            opens = said.bound.operator == "there" or (kind is Kind.GATEWAY and said.bound.on)
            if said.kind not in _KINDS[kind] or not opens or not said.keys:
                continue
            # A block about several VLANs is none of a single one.
            vids = self._vids_of(source, said.keys[0])
            if len(vids) == 1:
                block = source.block(said.line)
                [vid] = vids
                before = blocks.get(vid)
                # In a flat text the lines about one VLAN follow each other, each a block.
                if before is not None and before[1].stop == block.start:
                    block = range(before[1].start, block.stop)
                blocks[vid] = (said if before is None else before[0]), block
        return blocks

    def _vids_of(self, source: Source, key: Any) -> VlanSet:
        vids = vids_of(key)
        # A name means the VLAN that has it in this text.
        if vids or not isinstance(key, Named) or not source.devices:
            return vids
        rows = (source.devices[0].vlans or {}).values()
        return VlanSet.from_vids(
            row.vid for row in rows if row.name is not None and row.name.value in key.items
        )

    def _without(self, source: Source, edit: Edit) -> Iterator[list[str]]:
        """A text without the block of a VLAN or a gateway; or without it in a list of VLANs."""
        if edit.kind is Kind.PORT:
            return
        vid = _vid_of(edit)
        block = self._blocks_of(source, edit.kind).get(vid)
        # The block as a whole, if it has one.
        if block is not None:
            numbers = set(block[1])
            yield [line for n, line in enumerate(source.lines, 1) if n not in numbers]
        about = {
            said.line for said in source.said if _is_about(said, edit, self.wanted, alone=True)
        }
        more = {
            said.line
            for said in source.said
            if not _is_about(said, edit, self.wanted, alone=True) and said.bound.operator != "there"
        }
        # Else the lines about it alone, but for those that say something of others as well.
        yield [line for n, line in enumerate(source.lines, 1) if n not in about - more]
        yield from self._in_list(source, edit, vid)

    def _in_list(self, source: Source, edit: Edit, vid: int) -> Iterator[list[str]]:
        """A list of VLANs that are there, with one more or less."""
        if edit.kind is not Kind.VLAN:
            return
        for said in source.said:
            if said.kind == "vlan" and said.bound.operator == "there" and said.keys:
                vids = vids_of(said.keys[0])
                new = vids | VlanSet.of(vid) if edit.after is not None else vids - VlanSet.of(vid)
                # A list of one is left to the other ways: it would be empty, or a block.
                if new and new != vids and len(vids | new) > 1:
                    for line in self.values.replaced(source.lines[said.line - 1], vids, new):
                        yield _put(source.lines, said.line, [line])

    def _with_new(self, source: Source, edit: Edit) -> Iterator[list[str]]:
        """A VLAN or a gateway more: the block of another one, with its number, name, address."""
        if edit.kind is Kind.PORT:
            return
        vid = _vid_of(edit)
        own = self._blocks_of(source, edit.kind)
        below = [known for known in own if known < vid]
        places = [own[max(below)][1][-1]] if below else []
        places += [block[-1] for _, block in own.values()][-1:]
        # The VLAN with the nearest number was probably written in the same way.
        near = sorted(own, key=lambda known: (abs(known - vid), known))
        patterns = [(source, known, own[known]) for known in near]
        for other in self._others():
            patterns += [(other, *item) for item in self._blocks_of(other, edit.kind).items()]
        for pattern, old, (_, block) in patterns[:_PATTERNS]:
            for copied in self._copied(pattern, old, block, edit, vid):
                for at in dict.fromkeys(places or [_last(source.lines)]):
                    yield _put(source.lines, at, [source.lines[at - 1], *copied])
        yield from self._in_list(source, edit, vid)

    def _copied(
        self, pattern: Source, old: int, block: range, edit: Edit, vid: int
    ) -> Iterator[list[str]]:
        """The lines of a block for another VLAN. Lines that have no place in it are left out."""
        device = pattern.devices[0]
        name = name_of(device, old), name_of(self.wanted, vid)
        address = self._addresses(device, old, edit)
        copied = []
        for line in pattern.texts(block):
            new = line
            # The last of several readings of a line is the narrowest: one number in it.
            for changed in self.values.replaced(line, VlanSet.of(old), VlanSet.of(vid)):
                new = changed
            for old_text, new_text in (name, address):
                if old_text and new_text and old_text in new:
                    new = new.replace(old_text, new_text)
            copied.append(new)
        aside = {said.line for said in pattern.said if said.bound.on or said.kind in _PORTS}
        # Without what the block says of ports; then with it; then only what is different.
        yield [line for line, n in zip(copied, block, strict=True) if n not in aside]
        yield copied
        yield [line for line, was in zip(copied, pattern.texts(block), strict=True) if line != was]

    def _addresses(self, device: Device, old: int, edit: Edit) -> tuple[str, str]:
        theirs = [g for g in device.gateways if g.vid == old and g.addresses]
        # A gateway of another VLAN shows where the address stands.
        if edit.kind is not Kind.GATEWAY or not theirs or not edit.after.addresses:
            return "", ""
        return str(theirs[0].addresses[0].value), str(edit.after.addresses[0].value)


def _distance(left: Iterable[Edit]) -> int:
    """How far a text is from what is wanted: values that differ, VLANs of lists one by one."""
    far = 0
    for edit in left:
        before, after = _value(edit.before), _value(edit.after)
        if edit.whole:
            far += _WHOLE
        elif isinstance(before, VlanSet) and isinstance(after, VlanSet):
            # VLANs of a list count one by one: a candidate that gets half of them right is nearer.
            far += len(before ^ after)
        else:
            far += 1
    return far


def _value(fact: Any) -> Any:
    if isinstance(fact, tuple):
        return fact[0].value if fact else None
    return fact.value if isinstance(fact, Fact) else fact


def _changed(said: Any, before: Any, after: Any) -> Any:
    """What a line has to say, so that what holds is no longer `before` but `after`."""
    # A list keeps what it says of other VLANs.
    if isinstance(after, VlanSet) and isinstance(before, VlanSet):
        return (vids_of(said) | (after - before)) - (before - after)
    return after


def _is_about(said: Said, edit: Edit, device: Device, *, alone: bool = False) -> bool:
    """Whether a clause is about the thing of an edit, and with `alone` about nothing else."""
    # The kinds differ, or the line is about several things and one alone is wanted.
    if said.kind not in _KINDS[edit.kind] or (alone and len(said.keys) != 1):
        return False
    if edit.kind is Kind.PORT:
        return edit.name in said.keys
    vid = _vid_of(edit)
    for key in said.keys:
        vids = vids_of(key)
        named = isinstance(key, Named) and name_of(device, vid) in key.items
        if (vid in vids and (not alone or len(vids) == 1)) or named:
            return True
    return False


def _vid_of(edit: Edit) -> int:
    """The VLAN that an edit of a VLAN or a gateway is about."""
    return int(edit.name) if edit.kind is Kind.VLAN else int(edit.name.split()[1])


# --- texts ----------------------------------------------------------------------------------------


def _put(all_lines: Sequence[str], line: int, new: Iterable[str]) -> list[str]:
    """The lines with others in the place of one."""
    return [*all_lines[: line - 1], *new, *all_lines[line:]]


def _last(all_lines: Sequence[str]) -> int:
    """The last line that is not empty, by its number."""
    return max((n for n, line in enumerate(all_lines, 1) if line.strip()), default=1)


def _end_of(source: Source, numbers: Sequence[int]) -> int:
    """The end of the block that the last of some lines stands in."""
    if not numbers:
        return _last(source.lines)
    heads = [said.line for said in source.said if said.bound.operator == "there"]
    head = max((n for n in heads if n <= numbers[-1]), default=numbers[-1])
    return source.block(head)[-1]


def _blocked(head: Sequence[str], line: str) -> list[str]:
    """A line in a block of its own."""
    return [head[0], line, *head[1:]]
