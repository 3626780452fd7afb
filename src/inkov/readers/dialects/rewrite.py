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
from typing import Any, NamedTuple

from msgspec.structs import replace

from inkov.campus import Campus, Device, Fact
from inkov.edits import Edit, Kind, difference
from inkov.readers.dialects.binding import Bound
from inkov.readers.dialects.effects import Named
from inkov.readers.dialects.file import Dialect
from inkov.readers.dialects.lists import Lists
from inkov.readers.dialects.read import Taken, read_text
from inkov.readers.dialects.text import Shape, lines
from inkov.readers.rewriting import CannotWrite, Rewrite, deciding
from inkov.readers.sheets.words import PORT_KEYS, BadLine
from inkov.vlanset import VlanListError, VlanSet

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
_PATTERNS = 6  # that are tried for one thing


def rewriter(dialect: Dialect, others: Iterable[str]) -> Rewrite:
    """What rewrites texts of a dialect. `others` are texts of it that have patterns as well."""
    texts = [*others, *(example.text for example in dialect.examples)]

    def rewrite(text: str, device: Device, edits: Sequence[Edit]) -> str:
        newline = "\r\n" if "\r\n" in text else "\n"
        written = _Rewriting(dialect, device, texts).run(text.replace("\r\n", "\n"))
        return written.replace("\n", newline)

    return rewrite


class _Said(NamedTuple):
    """A clause that a line says: of what (`kind`, `keys`), and where it stands in the text."""

    line: int
    kind: str
    keys: tuple[Any, ...]
    bound: Bound


class _Source:
    """A text, and what its lines say."""

    def __init__(self, dialect: Dialect, text: str) -> None:
        self.dialect = dialect
        self.lines = text.split("\n")
        taken: dict[int, Taken] = {}
        reading = read_text(dialect, "", text.encode(), taken)
        self.devices = reading.part.devices
        self.lost = len(reading.ledger.unmatched) + len(reading.part.problems)
        self.said = [
            _Said(number, *((b.on, b.keys) if b.on else (step.kind, step.keys)), b)
            for number, one in sorted(taken.items())
            for step in one.steps
            for b in step.bound
        ]
        self._depths = {line.number: line.depth for line in lines(text, dialect.text)}

    def block(self, line: int) -> range:
        """The lines of the block that a line is the head of, by their numbers."""
        depth = self._depths.get(line, 0)
        if self.dialect.text.shape is Shape.BRACED:
            return range(line, self._closing(line) + 1)
        following = [n for n, there in self._depths.items() if n > line and there <= depth]
        end = min(following, default=len(self.lines) + 1)
        while end - 1 > line and not self.lines[end - 2].strip():
            end -= 1
        return range(line, end)

    def _closing(self, line: int) -> int:
        """Where the braces that a line opens are closed again."""
        depth = 0
        for number in range(line, len(self.lines) + 1):
            depth += self.lines[number - 1].count("{") - self.lines[number - 1].count("}")
            if depth <= 0:
                return number
        return line

    def texts(self, numbers: Iterable[int]) -> list[str]:
        return [self.lines[number - 1] for number in numbers]


class _Rewriting:
    """A text on its way to be read as a switch."""

    def __init__(self, dialect: Dialect, wanted: Device, texts: Sequence[str]) -> None:
        self.dialect = dialect
        self.wanted = wanted
        self.texts = texts
        self.others: list[_Source] | None = None
        self.trials = 0
        self.lost = 0

    def run(self, text: str) -> str:
        """The text as the wanted switch. Raises CannotWrite."""
        source = _Source(self.dialect, text)
        self.lost = source.lost
        left = self._left(source)
        while left:
            nearer = self._nearer(source, left)
            if nearer is None:
                edit = left[0]
                what = f"{edit.kind} {edit.name}, {edit.attribute or 'the whole of it'}"
                raise CannotWrite(f"{what}: no line of the texts shows how that is written")
            source, left = nearer
        return "\n".join(source.lines)

    def _left(self, source: _Source) -> list[Edit]:
        """What is not yet as it is wanted."""
        own = replace(source.devices[0], platform=self.wanted.platform)
        return deciding(
            difference(
                Campus(devices={self.wanted.name: own}),
                Campus(devices={self.wanted.name: self.wanted}),
            )
        )

    def _nearer(self, source: _Source, left: list[Edit]) -> tuple[_Source, list[Edit]] | None:
        for edit in left:
            best: tuple[int, _Source, list[Edit]] | None = None
            now, ideal = _distance(left), _distance(left) - _distance([edit])
            for candidate in self._candidates(source, edit):
                self.trials += 1
                if self.trials > _MOST_TRIALS:
                    break
                tried = _Source(self.dialect, "\n".join(candidate))
                if len(tried.devices) != 1 or tried.devices[0].name != self.wanted.name:
                    continue
                then = self._left(tried)
                far = _distance(then)
                if tried.lost > self.lost or far >= (now if best is None else best[0]):
                    continue
                best = far, tried, then
                if far <= ideal:
                    break
            if best is not None:
                return best[1], best[2]
        return None

    # --- candidates -------------------------------------------------------------------------------

    def _candidates(self, source: _Source, edit: Edit) -> Iterator[list[str]]:
        if edit.kind not in _KINDS:
            return
        if edit.whole and edit.after is None:
            yield from self._without(source, edit)
        elif edit.whole:
            yield from self._with_new(source, edit)
        elif edit.attribute in _KEYS:
            yield from self._said_otherwise(source, edit)
            yield from self._said_as_well(source, edit)
            yield from self._undone(source, edit)
            yield from self._called_otherwise(source, edit)

    def _saying(self, source: _Source, edit: Edit) -> list[_Said]:
        """What a text says of the attribute of an edit, whatever port or VLAN it is about."""
        key, kinds = _KEYS[edit.attribute], _KINDS[edit.kind]
        return [one for one in source.said if one.bound.attribute == key and one.kind in kinds]

    def _said_otherwise(self, source: _Source, edit: Edit) -> Iterator[list[str]]:
        """The lines that say it, with another value, for other ports, or not at all."""
        before, after = _value(edit.before), _value(edit.after)
        for said in reversed(self._saying(source, edit)):
            own = _is_about(said, edit, self.wanted)
            line = source.lines[said.line - 1]
            if own:
                new = _changed(said.bound.value, before, after)
                for changed in self._replaced(line, said.bound.value, new):
                    yield _put(source.lines, said.line, [changed])
                yield _put(source.lines, said.line, [])
            if edit.kind is Kind.PORT and said.bound.on:
                yield from self._for_ports(source, said, edit.name)

    def _for_ports(self, source: _Source, said: _Said, port: str) -> Iterator[list[str]]:
        """A line that names ports, and names one more or less."""
        line, names = source.lines[said.line - 1], [k for k in said.keys if isinstance(k, str)]
        left = [name for name in names if name != port]
        for start, end in self._spans(line):
            words = _words(line[start:end], self.dialect)
            try:
                listed = self.dialect.lists.selected(words)
            except BadLine:
                continue
            if listed == names:
                mark = _separator(line[start:end], self.dialect.lists)
                text = mark.join(left) if port in names else f"{line[start:end]}{mark}{port}"
                if text:
                    yield _put(source.lines, said.line, [f"{line[:start]}{text}{line[end:]}"])
                return

    def _said_as_well(self, source: _Source, edit: Edit) -> Iterator[list[str]]:
        """One line more, as such lines are."""
        own = [one.line for one in source.said if _is_about(one, edit, self.wanted)]
        alone = [one.line for one in source.said if _is_about(one, edit, self.wanted, alone=True)]
        for pattern, said in self._patterns(source, edit):
            for line in self._new_lines(pattern.lines[said.line - 1], said, edit):
                near = self._nearest(source, line)
                for at in dict.fromkeys([*near, *alone[-1:], *own[-1:]]):
                    yield _put(source.lines, at, [source.lines[at - 1], line])
                head = self._head(source, edit)
                if head is not None:
                    last = source.block(own[-1])[-1] if own else _last(source.lines)
                    for at in dict.fromkeys([_end_of(source, own), last, _last(source.lines)]):
                        yield _put(source.lines, at, [source.lines[at - 1], *_blocked(head, line)])
                elif not own:
                    at = _last(source.lines)
                    yield _put(source.lines, at, [source.lines[at - 1], line])

    def _nearest(self, source: _Source, line: str) -> list[int]:
        """In a flat text, the last line that begins most like another one."""
        if self.dialect.text.shape is not Shape.FLAT:
            return []
        words = _words(line, self.dialect)

        def shared(number: int) -> int:
            own = _words(source.lines[number - 1], self.dialect)
            pairs = zip(words, own, strict=False)
            return next((n for n, (a, b) in enumerate(pairs) if a != b), min(len(words), len(own)))

        numbers = [one.line for one in source.said]
        return [max(numbers, key=lambda number: (shared(number), number))] if numbers else []

    def _undone(self, source: _Source, edit: Edit) -> Iterator[list[str]]:
        """A line more that undoes what another one says."""
        for said in reversed(self._saying(source, edit)):
            if not _is_about(said, edit, self.wanted):
                continue
            line = source.lines[said.line - 1]
            indent = line[: len(line) - len(line.lstrip())]
            for word in self.dialect.text.negation:
                undoing = f"{indent}{word} {line.lstrip()}"
                for one in dict.fromkeys([*self._about(undoing, said, edit), undoing]):
                    head = self._head(source, edit)
                    new = _blocked(head, one) if head is not None else [one]
                    at = _end_of(source, [said.line])
                    yield _put(source.lines, at, [source.lines[at - 1], *new])

    def _called_otherwise(self, source: _Source, edit: Edit) -> Iterator[list[str]]:
        """A VLAN by another name, wherever it is called so."""
        before, after = _value(edit.before), _value(edit.after)
        if edit.kind is not Kind.VLAN or edit.attribute != "name" or not before or not after:
            return
        if not re.fullmatch(r"\S+", after):
            return
        words = re.compile(rf"(?<!\S){re.escape(before)}(?!\S)")
        yield [words.sub(lambda _: after, line) for line in source.lines]

    def _patterns(self, source: _Source, edit: Edit) -> list[tuple[_Source, _Said]]:
        """Lines that say the attribute of something, of each form one; the text's own first."""
        found: dict[tuple[str, str, str], tuple[_Source, _Said]] = {}
        for pattern in (source, *self._others()):
            for said in self._saying(pattern, edit):
                line = pattern.lines[said.line - 1]
                fixed = re.sub(r"[0-9]+", "0", line)
                shape = (said.bound.operator, fixed, str(said.bound.constant and said.bound.value))
                found.setdefault(shape, (pattern, said))
        after = _value(edit.after)

        def fits(one: tuple[_Source, _Said]) -> tuple[bool, int]:
            bound = one[1].bound
            order = ("=", "+", "-", "unset", "there").index(bound.operator)
            return bound.constant and bound.value != after, order

        return sorted(found.values(), key=fits)[:_PATTERNS]

    def _others(self) -> list[_Source]:
        if self.others is None:
            self.others = [_Source(self.dialect, text) for text in self.texts]
        return self.others

    def _new_lines(self, line: str, said: _Said, edit: Edit) -> Iterator[str]:
        """The line of a pattern with the value, and the thing, of an edit."""
        before, after = _value(edit.before), _value(edit.after)
        value = after
        if isinstance(after, VlanSet) and said.bound.operator in ("+", "-"):
            old = before if isinstance(before, VlanSet) else VlanSet()
            value = after - old if said.bound.operator == "+" else old - after
            if not value:
                return
        if said.bound.constant or said.bound.operator in ("unset", "there"):
            lines_ = [line]
        else:
            lines_ = list(self._replaced(line, said.bound.value, value))
        for one in lines_:
            yield from self._about(one, said, edit)

    def _about(self, line: str, said: _Said, edit: Edit) -> Iterator[str]:
        """A line about another port or VLAN, where it says itself what it is about."""
        if edit.kind is Kind.PORT:
            named = list(self._ports_replaced(line, said.keys, edit.name))
        else:
            vids = _vids(said.keys[0], said.keys[0]) if said.keys else VlanSet()
            named = list(self._replaced(line, vids, VlanSet.of(_vid_of(edit))))
        yield from named
        yield line

    def _ports_replaced(self, line: str, keys: tuple[Any, ...], port: str) -> Iterator[str]:
        for start, end in self._spans(line):
            try:
                listed = self.dialect.lists.selected(_words(line[start:end], self.dialect))
            except BadLine:
                continue
            if tuple(listed) == keys:
                yield f"{line[:start]}{port}{line[end:]}"
                return

    def _head(self, source: _Source, edit: Edit) -> list[str] | None:
        """The lines that open a block for the thing of an edit, and close it: as for others."""
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

    def _blocks_of(self, source: _Source, kind: Kind) -> dict[int, tuple[_Said, range]]:
        """VLAN -> the lines that are about it and nothing else, where these stand together."""
        found: dict[int, tuple[_Said, range]] = {}
        for said in source.said:
            opens = said.bound.operator == "there" or (kind is Kind.GATEWAY and said.bound.on)
            if said.kind not in _KINDS[kind] or not opens or not said.keys:
                continue
            vids = self._vids_of(source, said.keys[0])
            if len(vids) == 1:
                block = source.block(said.line)
                [vid] = vids
                before = found.get(vid)
                if before is not None and before[1].stop == block.start:  # a flat text
                    block = range(before[1].start, block.stop)
                found[vid] = (said if before is None else before[0]), block
        return found

    def _vids_of(self, source: _Source, key: Any) -> VlanSet:
        vids = _vids(key, key)
        if vids or not isinstance(key, Named) or not source.devices:
            return vids
        rows = (source.devices[0].vlans or {}).values()
        return VlanSet.from_vids(
            row.vid for row in rows if row.name is not None and row.name.value in key.items
        )

    def _without(self, source: _Source, edit: Edit) -> Iterator[list[str]]:
        """A text without the block of a VLAN or a gateway; or without it in a list of VLANs."""
        if edit.kind is Kind.PORT:
            return
        vid = _vid_of(edit)
        block = self._blocks_of(source, edit.kind).get(vid)
        if block is not None:
            numbers = set(block[1])
            yield [line for n, line in enumerate(source.lines, 1) if n not in numbers]
        about = {one.line for one in source.said if _is_about(one, edit, self.wanted, alone=True)}
        more = {
            one.line
            for one in source.said
            if not _is_about(one, edit, self.wanted, alone=True) and one.bound.operator != "there"
        }
        yield [line for n, line in enumerate(source.lines, 1) if n not in about - more]
        yield from self._in_list(source, edit, vid)

    def _in_list(self, source: _Source, edit: Edit, vid: int) -> Iterator[list[str]]:
        """A list of VLANs that are there, with one more or less."""
        if edit.kind is not Kind.VLAN:
            return
        for said in source.said:
            if said.kind == "vlan" and said.bound.operator == "there" and said.keys:
                vids = _vids(said.keys[0], said.keys[0])
                new = vids | VlanSet.of(vid) if edit.after is not None else vids - VlanSet.of(vid)
                if new and new != vids and len(vids | new) > 1:
                    for line in self._replaced(source.lines[said.line - 1], vids, new):
                        yield _put(source.lines, said.line, [line])

    def _with_new(self, source: _Source, edit: Edit) -> Iterator[list[str]]:
        """A VLAN or a gateway more: the block of another one, with its number, name, address."""
        if edit.kind is Kind.PORT:
            return
        vid = _vid_of(edit)
        own = self._blocks_of(source, edit.kind)
        below = [one for one in own if one < vid]
        places = [own[max(below)][1][-1]] if below else []
        places += [block[-1] for _, block in own.values()][-1:]
        near = sorted(own, key=lambda one: (abs(one - vid), one))
        patterns = [(source, one, own[one]) for one in near]
        for other in self._others():
            patterns += [(other, *item) for item in self._blocks_of(other, edit.kind).items()]
        for pattern, old, (_, block) in patterns[:_PATTERNS]:
            for copied in self._copied(pattern, old, block, edit, vid):
                for at in dict.fromkeys(places or [_last(source.lines)]):
                    yield _put(source.lines, at, [source.lines[at - 1], *copied])
        yield from self._in_list(source, edit, vid)

    def _copied(
        self, pattern: _Source, old: int, block: range, edit: Edit, vid: int
    ) -> Iterator[list[str]]:
        """The lines of a block for another VLAN. Lines that have no place in it are left out."""
        device = pattern.devices[0]
        name = _name(device, old), _name(self.wanted, vid)
        address = self._addresses(device, old, edit)
        copied = []
        for line in pattern.texts(block):
            new = line
            for changed in self._replaced(line, VlanSet.of(old), VlanSet.of(vid)):
                new = changed
            for one, other in (name, address):
                if one and other and one in new:
                    new = new.replace(one, other)
            copied.append(new)
        aside = {one.line for one in pattern.said if one.bound.on or one.kind in _PORTS}
        yield [line for line, n in zip(copied, block, strict=True) if n not in aside]
        yield copied
        yield [line for line, was in zip(copied, pattern.texts(block), strict=True) if line != was]

    def _addresses(self, device: Device, old: int, edit: Edit) -> tuple[str, str]:
        theirs = [g for g in device.gateways if g.vid == old and g.addresses]
        if edit.kind is not Kind.GATEWAY or not theirs or not edit.after.addresses:
            return "", ""
        return str(theirs[0].addresses[0].value), str(edit.after.addresses[0].value)

    # --- values in lines --------------------------------------------------------------------------

    def _spans(self, line: str) -> list[tuple[int, int]]:
        """Rows of words of a line, the longest first."""
        ends = list(_word_pattern(self.dialect).finditer(line))
        spans = [
            (one.start(), other.end()) for number, one in enumerate(ends) for other in ends[number:]
        ]
        return sorted(spans, key=lambda span: span[0] - span[1])[:_MOST_TRIALS]

    def _replaced(self, line: str, old: Any, new: Any) -> Iterator[str]:
        """A line in which another value stands where the old one stood."""
        wanted = _vids(old, old)
        if isinstance(old, bool) and isinstance(new, bool):
            yield from self._switched(line, new)
            return
        for start, end in self._spans(line):
            text = line[start:end]
            if isinstance(new, (VlanSet, int)) and not isinstance(new, bool):
                listed = self._listed(text, old)
                if listed is None or listed != wanted:
                    continue
                vids = new if isinstance(new, VlanSet) else VlanSet.of(new)
                if len(vids) == 1 and not text.strip('"')[:1].isdigit():
                    # It was called by name: the other one is as well, if it has one.
                    called = _name(self.wanted, min(vids))
                    if called:
                        yield line[:start] + called + line[end:]
                if vids:
                    yield line[:start] + _list_text(text, vids, self.dialect.lists) + line[end:]
            elif text.strip('"') == str(old) and new is not None:
                quote = '"' if text.startswith('"') else ""
                yield f"{line[:start]}{quote}{new}{quote}{line[end:]}"

    def _switched(self, line: str, new: bool) -> Iterator[str]:
        """A line with the opposite of its word for yes or no."""
        lists = self.dialect.lists
        for one in _word_pattern(self.dialect).finditer(line):
            for words, others in ((lists.yes, lists.no), (lists.no, lists.yes)):
                if one[0].lower() in words:
                    for other in others:
                        yield line[: one.start()] + other + line[one.end() :]

    def _listed(self, text: str, old: Any) -> VlanSet | None:
        """The VLANs of a row of words, by number, or as the name that was read."""
        if isinstance(old, Named) and text in old.items:
            return _vids(old, old)
        words = _words(text, self.dialect)
        if not (words[0][:1].isdigit() or words[0][:1] == "[") or text.count("[") != text.count(
            "]"
        ):
            return None
        try:
            return self.dialect.lists.vlans(words)
        except (BadLine, VlanListError):
            return None


def _distance(left: Iterable[Edit]) -> int:
    """How far a text is from what is wanted: values that differ, VLANs of lists one by one."""
    far = 0
    for edit in left:
        before, after = _value(edit.before), _value(edit.after)
        if edit.whole:
            far += _WHOLE
        elif isinstance(before, VlanSet) and isinstance(after, VlanSet):
            far += len(before ^ after)
        else:
            far += 1
    return far


def _value(fact: Any) -> Any:
    if isinstance(fact, tuple):
        return fact[0].value if fact else None
    return fact.value if isinstance(fact, Fact) else fact


def _vids(value: Any, name: Any) -> VlanSet:
    """The VLANs of a value, where it has them by number."""
    if isinstance(value, VlanSet):
        return value
    if isinstance(value, int) and not isinstance(value, bool):
        return VlanSet.of(value)
    if isinstance(value, Named):
        try:
            return VlanSet.parse(",".join(value.items))
        except VlanListError:
            return VlanSet()
    return VlanSet()


def _changed(said: Any, before: Any, after: Any) -> Any:
    """What a line has to say, so that what holds is no longer `before` but `after`."""
    if isinstance(after, VlanSet) and isinstance(before, VlanSet):
        return (_vids(said, said) | (after - before)) - (before - after)
    return after


def _is_about(said: _Said, edit: Edit, device: Device, *, alone: bool = False) -> bool:
    """Whether a clause is about the thing of an edit, and with `alone` about nothing else."""
    if said.kind not in _KINDS[edit.kind] or (alone and len(said.keys) != 1):
        return False
    if edit.kind is Kind.PORT:
        return edit.name in said.keys
    vid = _vid_of(edit)
    for key in said.keys:
        vids = _vids(key, key)
        named = isinstance(key, Named) and _name(device, vid) in key.items
        if (vid in vids and (not alone or len(vids) == 1)) or named:
            return True
    return False


def _vid_of(edit: Edit) -> int:
    """The VLAN that an edit of a VLAN or a gateway is about."""
    return int(edit.name) if edit.kind is Kind.VLAN else int(edit.name.split()[1])


def _name(device: Device, vid: int) -> str:
    row = device.row(vid)
    return row.name.value if row is not None and row.name is not None else ""


# --- texts ----------------------------------------------------------------------------------------


def _put(all_lines: Sequence[str], line: int, new: Iterable[str]) -> list[str]:
    """The lines with others in the place of one."""
    return [*all_lines[: line - 1], *new, *all_lines[line:]]


def _last(all_lines: Sequence[str]) -> int:
    """The last line that is not empty, by its number."""
    return max((n for n, line in enumerate(all_lines, 1) if line.strip()), default=1)


def _end_of(source: _Source, numbers: Sequence[int]) -> int:
    """The end of the block that the last of some lines stands in."""
    if not numbers:
        return _last(source.lines)
    heads = [one.line for one in source.said if one.bound.operator == "there"]
    head = max((n for n in heads if n <= numbers[-1]), default=numbers[-1])
    return source.block(head)[-1]


def _blocked(head: Sequence[str], line: str) -> list[str]:
    """A line in a block of its own."""
    return [head[0], line, *head[1:]]


def _word_pattern(dialect: Dialect) -> re.Pattern[str]:
    ends = dialect.text.statement_end
    apart = re.escape(dialect.text.spaces + (ends if ends and len(ends) == 1 else "") + "{}")
    return re.compile(rf'"[^"]*"|[^\s"{apart}]+')


def _words(text: str, dialect: Dialect) -> list[str]:
    return [one[0] for one in _word_pattern(dialect).finditer(text)] or [""]


def _separator(text: str, lists: Lists) -> str:
    """What stands between the items of a list."""
    for mark in lists.separators:
        shown = f" {mark} " if mark[:1].isalnum() else mark
        if shown in text:
            return shown + " " * (not mark[:1].isalnum() and f"{mark} " in text)
    if len(text.split()) > 1 and not any(mark in text for mark in lists.ranges):
        return " "
    mark = lists.separators[0] if lists.separators else ""
    return f" {mark} " if mark[:1].isalnum() else f"{mark}" or " "


def _list_text(old: str, vids: VlanSet, lists: Lists) -> str:
    """A list of VLANs; items that stay as a whole stay as they are written."""
    if old.startswith("[") and old.endswith("]"):
        inner = old[1:-1].strip()
        space = " " * (inner != old[1:-1])
        return f"[{space}{_list_text(inner, vids, lists)}{space}]"
    mark = _separator(old, lists)
    pieces = [piece.strip() for piece in old.split(mark.strip() or None)]
    items: list[tuple[int, str]] = []
    left = vids
    for piece in pieces:
        try:
            whole = lists.vlans(piece.split())
        except (BadLine, VlanListError):
            whole = VlanSet()
        if whole and not whole - left:
            items.append((min(whole), piece))
            left = left - whole
    between = next((mark for mark in lists.ranges if mark in old), (lists.ranges or ["-"])[0])
    joined = f" {between} " if between[:1].isalnum() else between
    for low, high in left.ranges():
        if high == low:
            items.append((low, str(low)))
        elif high == low + 1 and lists.separators:
            items += [(low, str(low)), (high, str(high))]
        else:
            items.append((low, f"{low}{joined}{high}"))
    return mark.join(text for _, text in sorted(items))
