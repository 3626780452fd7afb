"""What the texts look like: their shape, and the patterns of their statements.

Theory of operation. Nothing is known of the language but its texts, and of the switches what
another source says: which ports and VLANs they have. A *pattern* is a statement with its lists
blanked out, below the patterns of the lines that it stands in:

    bench 1 to 6            bench #
        sows 10             bench # / sows #
        marker "fog"        bench # / marker "

A list (`#`) is a row of words with numbers, or of names of VLANs, with the marks and words that
only ever stand between such. Whether it is a list of ports or of VLANs is told by the other source:
each of its items, in each line of the pattern, must be a port of that switch, or a VLAN of it.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable, Sequence
from itertools import pairwise

from msgspec.structs import replace

from inkov.campus import Device
from inkov.learn.begun import PREFIX, Begun, Settled
from inkov.learn.hypothesis import DEFAULTS
from inkov.learn.marks import (
    SURE,
    are_apart,
    between,
    kinds_of,
    lists_of,
    numbers_in,
    ports_in,
    ports_without_numbers,
    runs_in,
    share_of,
)
from inkov.learn.profiles import find_profiles
from inkov.learn.rows import (
    ADDRESSED,
    LIST,
    PROFILE,
    TEXT,
    Known,
    Look,
    Pattern,
    Row,
    Slot,
    is_numeric,
    rows_of,
)
from inkov.learn.toml import written_style
from inkov.readers.dialects.forms import literal
from inkov.readers.dialects.lists import Lists
from inkov.readers.dialects.shapes import ADDRESS, guessed_style

__all__ = ["further", "look", "may_undo"]

_MOSTLY = 0.5  # by which share of the lines one reading of a list must be ahead of the other
_MOST_NEW = 40  # patterns that only texts without another source have
_MOST_UNDOING = 3  # words that are tried as such
_MANY = 4  # wordings of one statement: more of them are free text


def look(
    texts: Sequence[str],
    devices: Sequence[Device],
    begun: Begun | None = None,
    without: Sequence[frozenset[str]] = (),
    named: int = 0,
    lists: Lists | None = None,
    negation: str | None = None,
) -> Look:
    """Look at texts, each with another source of the same switch. `begun` is a dialect of theirs;
    `without` are lines, by text, that are left out. The first `named` texts name their switch; 0
    for all of them. `lists` is how lists are written, where that is known, and `negation` the
    word that undoes statements, "" for none; it is guessed where that is None.
    """
    states = begun.states if begun is not None else frozenset()
    style = begun.dialect.text if begun is not None and "text" in states else guessed_style(texts)
    # What its author says of undoing stays.
    if negation is not None and "text" not in states:
        style.negation = [negation] if negation else []
    rows = list(rows_of(enumerate(texts), style))
    known = [Known(device) for device in devices]
    lists = lists or _lists_in(rows, known)
    if begun is not None:
        lists = _lists_by(begun, lists)
        rows = _left_by(begun.settled(texts, written_style(style, lists)), rows, without)
    patterns = _patterns(rows, lists, known, style.negation)
    for pattern in patterns:  # heads before what stands below them
        for slot in pattern.slots:
            _classify(slot, [switch for switch, _ in pattern.at], lists, known, _around(pattern))
    _agree(patterns)
    for pattern in patterns:
        pattern.describes = _describes(pattern, lists, known)
    name_form = _name_form(rows, devices[:named] if named else devices)
    groups = begun.groups if begun is not None else frozenset()
    defaults = (begun.defaults,) if begun is not None and begun.defaults else DEFAULTS
    return Look(style, lists, patterns, name_form, defaults, groups)


def _lists_in(rows: Sequence[Row], known: Sequence[Known]) -> Lists:
    """How lists are written, where nobody says it: the numbers show."""
    kinds, names = kinds_of(rows, known), ports_without_numbers(rows, known)
    glue, marks = between(rows, kinds)
    return lists_of(glue | marks, Lists(kinds=kinds, port_names=names), rows, known)


def _lists_by(begun: Begun, shown: Lists) -> Lists:
    """How lists are written: as the dialect says, and of what it does not say as texts show."""
    stated = begun.dialect.lists
    return replace(
        stated,
        separators=(stated if "separators" in begun.marks else shown).separators,
        ranges=(stated if "ranges" in begun.marks else shown).ranges,
        kinds=(stated if "port-kinds" in begun.marks else shown).kinds,
        port_names=(stated if "port-names" in begun.marks else shown).port_names,
    )


def _left_by(
    settled: Sequence[dict[int, Settled]], rows: Sequence[Row], without: Sequence[frozenset[str]]
) -> list[Row]:
    """The rows of which something may be learnt beside what a dialect makes of them."""
    for row in rows:
        row.settled = settled[row.switch].get(row.number)
        meant = row.switch >= len(without) or " ".join(row.words) not in without[row.switch]
        # Below what is left out, or opens nothing, nothing is learnt.
        above = row.parent is None or (row.parent.meant and _opens_a_block(row.parent))
        row.meant = meant and above
    return [row for row in rows if row.meant and row.settled != PREFIX]


def may_undo(seen: Look) -> list[str]:
    """The words that might undo statements: what follows them is a statement elsewhere."""
    tokens = {pattern.tokens for pattern in seen.patterns}
    words = {
        pattern.tokens[0]: None
        for pattern in seen.patterns
        if len(pattern.tokens) > 1
        and pattern.tokens[0].isalpha()
        and pattern.tokens[1].isalpha()
        and pattern.tokens[0] not in seen.style.negation
        and any(shape[: len(pattern.tokens) - 1] == pattern.tokens[1:] for shape in tokens)
    }
    return list(words)[:_MOST_UNDOING]


def _opens_a_block(row: Row) -> bool:
    """Whether something may be learnt of what stands below a line, as far as a dialect that is
    begun takes it.
    """
    return row.settled is None or (row.settled != PREFIX and bool(row.settled.block))


# --- patterns -------------------------------------------------------------------------------------


def _patterns(
    rows: Sequence[Row], lists: Lists, known: Sequence[Known], negation: Sequence[str]
) -> list[Pattern]:
    """The patterns of some rows, parents before what stands in them."""
    marks = {*lists.separators, *lists.ranges}
    items = {*lists.kinds, *lists.port_names}
    called = {name for switch in known for name in switch.names} - items
    names = items | called
    find_profiles(rows, lists, known)
    tokens = {id(row): _tokens(row, marks, names, called) for row in rows}
    stated = {row.words[0] for row in rows}
    wordings = _Wordings()
    undoing: list[Row] = []
    # Parents come before what stands in them, so that their patterns are known.
    for row in rows:
        # Undoing is no statement of its own, where it undoes one.
        if _undoes(row, negation, stated):
            undoing.append(row)
            continue
        pattern = wordings.add(row, tokens[id(row)])
        row.runs = [tuple(run) for run in runs_in(_without_profile(row), marks, names, called)]
        for slot, run in zip(pattern.slots, row.runs, strict=True):
            slot.words.append(run)
    patterns = _with_free_texts(list(wordings.patterns.values()), wordings.free)
    for row in undoing:
        own, above = tokens[id(row)][1:], wordings.above(row)
        for pattern in patterns:
            # It undoes the first that stands in the same place and begins alike.
            if pattern.parent is above and pattern.tokens[: len(own)] == own:
                pattern.undone.append(row)
                break
    return patterns


def _undoes(row: Row, negation: Sequence[str], stated: set[str]) -> bool:
    """Whether a statement only undoes another one. What a dialect takes is settled."""
    undoes = row.words[0] in negation and row.words[1:2] != [] and row.words[1] in stated
    return undoes and not row.opens and row.settled is None


class _Wordings:
    """Patterns by their wording and the pattern that they stand in."""

    def __init__(self) -> None:
        self.patterns: dict[tuple[int, tuple[str, ...], str | None], Pattern] = {}
        self._of_row: dict[int, Pattern] = {}
        self._several: dict[tuple[int, str], set[tuple[str, ...]]] = {}
        """(pattern above, first word) -> the wordings that go on from there."""

    def above(self, row: Row) -> Pattern | None:
        """The pattern that a row stands in."""
        return self._of_row.get(id(row.parent)) if row.parent is not None else None

    def add(self, row: Row, tokens: tuple[str, ...]) -> Pattern:
        """The pattern of a row, which is new or known."""
        parent = self.above(row)
        place = id(parent) if parent is not None else 0
        # What the dialect takes is no free text.
        if row.settled is None:
            self._several.setdefault((place, tokens[0]), set()).add(tokens)
        key = place, tokens, row.settled.block if row.settled is not None else None
        pattern = self.patterns.get(key)
        if pattern is None:
            slots = [Slot() for _ in range(tokens.count(LIST))]
            pattern = self.patterns[key] = Pattern(tokens, parent, slots, settled=row.settled)
        pattern.opens = pattern.opens or row.opens
        pattern.rows.append(row)
        self._of_row[id(row)] = row.pattern = pattern
        return pattern

    @property
    def free(self) -> set[tuple[int, str]]:
        """Where free texts stand: behind which first words, in which pattern. They go on in ever
        other words, without lists or addresses.
        """
        return {
            (place, first)
            for (place, first), several in self._several.items()
            if (len(several) > _MANY or (first, TEXT) in several)
            and not any(LIST in tokens or ADDRESSED in tokens for tokens in several)
        }


def _without_profile(row: Row) -> list[str]:
    """The words of a statement, but for the name of a profile."""
    return [PROFILE if n == row.profile else word for n, word in enumerate(row.words)]


def _tokens(
    row: Row, marks: set[str], names: Collection[str], called: Collection[str] = ()
) -> tuple[str, ...]:
    """A statement with its lists, texts, addresses and names of profiles blanked out. `names` may
    be items of lists; `called` are those of VLANs.
    """
    tokens: list[str] = []
    for before, word in pairwise(["", *_without_profile(row)]):
        # A name in quotes may be that of a VLAN.
        if word.startswith('"') and word.strip('"') not in names:
            tokens.append(TEXT)
        elif ADDRESS.match(word):
            tokens.append(ADDRESSED)
        elif is_numeric(word) or word.strip('"') in names:
            # Several numbers in a row are one list.
            if tokens[-1:] != [LIST] or are_apart(before, word, called):
                tokens.append(LIST)
        elif not (word in marks and tokens[-1:] == [LIST]):
            # A mark within a list is part of it.
            tokens.append(word)
    return tuple(tokens)


def _with_free_texts(patterns: list[Pattern], free: set[tuple[int, str]]) -> list[Pattern]:
    """Patterns of one first word that go on in ever other words are one, with a text."""
    merged: dict[tuple[int, str], Pattern] = {}
    kept = []
    for pattern in patterns:
        key = (id(pattern.parent) if pattern.parent is not None else 0), pattern.tokens[0]
        # With lists it is no free text.
        if key not in free or pattern.opens or pattern.slots or pattern.settled is not None:
            kept.append(pattern)
        elif key in merged:
            # In the same place and with the same first word: one pattern.
            merged[key].rows += pattern.rows
        else:
            merged[key] = pattern
            pattern.tokens = (pattern.tokens[0], TEXT)
            kept.append(pattern)
    return kept


def further(
    seen: Look,
    texts: Iterable[tuple[int, str]],
    lost: dict[int, set[int]],
    devices: dict[int, Device],
    but: set[str],
) -> list[int]:
    """Add the patterns of lines that are not understood (by text) in texts without another source;
    their places in `seen.patterns`. `devices` is what is read of their other lines. Lines that hold
    one of the words of `but` are left out.
    """
    told = {switch: Known(device) for switch, device in devices.items()}
    marks = {*seen.lists.separators, *seen.lists.ranges}
    known = {
        (id(pattern.parent) if pattern.parent else 0, pattern.tokens): pattern
        for pattern in seen.patterns
    }
    of_row: dict[int, Pattern | None] = {}
    kept: dict[int, Pattern] = {}  # by `id`; of more new ones nothing is learnt
    items = {*seen.lists.kinds, *seen.lists.port_names}
    wordings: Counter[tuple[int, str]] = Counter()
    for row in rows_of(texts, seen.style):
        parent = of_row.get(id(row.parent)) if row.parent is not None else None
        of_row[id(row)] = None
        # Below what is not known nothing is known.
        if (row.parent is not None and parent is None) or any(mark in but for mark in row.words):
            continue
        tokens = _tokens(row, marks, items)
        place = id(parent) if parent is not None else 0
        pattern = known.get((place, tokens)) or known.get((place, (*tokens[:-1], PROFILE)))
        # Only lines that the dialect lost are new.
        if pattern is None and not row.opens and row.number in lost.get(row.switch, ()):
            if wordings[place, tokens[0]] == _MANY:
                continue  # free text, it seems
            wordings[place, tokens[0]] += 1
            slots = [Slot() for _ in range(tokens.count(LIST))]
            pattern = known[place, tokens] = Pattern(tokens, parent, slots)
            if len(kept) < _MOST_NEW:
                kept[id(pattern)] = pattern
        if pattern is None:
            continue
        of_row[id(row)] = row.pattern = pattern
        row.runs = [tuple(run) for run in runs_in(row.words, marks, items)]
        # Only those that are kept collect rows.
        if id(pattern) in kept:
            pattern.rows.append(row)
            for slot, run in zip(pattern.slots, row.runs, strict=True):
                slot.words.append(run)
    for pattern in kept.values():
        for slot in pattern.slots:
            _classify(
                slot, [row.switch for row in pattern.rows], seen.lists, told, _around(pattern)
            )
    seen.patterns += kept.values()
    _agree(seen.patterns)
    return [n for n, pattern in enumerate(seen.patterns) if id(pattern) in kept]


# --- what they hold -------------------------------------------------------------------------------


def _around(pattern: Pattern) -> set[str]:
    """The kinds of the lists that stand in the heads above a pattern, or before in itself."""
    return {slot.kind for head in pattern.path for slot in head.slots if slot.kind}


def _classify(
    slot: Slot,
    switches: list[int],
    lists: Lists,
    known: Sequence[Known] | dict[int, Known],
    around: set[str],
) -> None:
    """Whether a slot holds ports or VLANs. `around` are the kinds of those above and before it."""
    ports: list[bool] = []
    vlans: list[bool] = []
    held: dict[str, set[tuple[int, object]]] = {"ports": set(), "vlans": set()}
    for switch, words in zip(switches, slot.words, strict=True):
        own = known[switch]
        plain = [word.strip('"') for word in words]
        named = [word for word in plain if word in own.names]
        slot.named = slot.named or bool(named)
        # A name can be a VLAN's, never a port's.
        if named:
            vlans.append(all(w in own.names or w in lists.separators for w in plain))
            ports.append(False)
            slot.single = slot.single and len(named) == 1
            continue
        as_ports, as_vlans = ports_in(lists, words), numbers_in(lists, words)
        held["ports"].update((switch, name) for name in as_ports)
        held["vlans"].update((switch, vid) for vid in as_vlans)
        ports.append(share_of(as_ports, own.ports.find) >= SURE)
        vlans.append(share_of(as_vlans, own.has_vlan) >= SURE)
        slot.single = slot.single and max(len(as_ports), len(as_vlans)) == 1
    # A line or two may be of another time than the other source.
    rate = {"ports": sum(ports) / len(ports), "vlans": sum(vlans) / len(vlans)}
    # VLANs may have numbers that ports have as well. Then they are what the head is not; or else
    # what most of are named: of a switch with 48 ports and VLANs 10, 20 and 30, who opens blocks
    # with just these numbers is about VLANs.
    if min(rate.values()) >= SURE:
        if len(around) == 1:
            rate = {kind: float(kind not in around) for kind in rate}
        else:
            there = {"ports": 0, "vlans": 0}
            for switch in {*switches}:
                there["ports"] += len(known[switch].named)
                there["vlans"] += len(known[switch].vids)
            rate = {kind: len(held[kind]) / max(there[kind], 1) for kind in rate}
        slot.kind = max(rate, key=lambda kind: rate[kind]) if len({*rate.values()}) > 1 else ""
        return
    best, worse = sorted(rate, key=lambda kind: -rate[kind])
    clear = rate[best] >= SURE or rate[best] - rate[worse] >= _MOSTLY
    slot.kind = best if clear and rate[best] > rate[worse] else ""


def _agree(patterns: Sequence[Pattern]) -> None:
    """A list that could be of ports as well as of VLANs is what it is behind the same words
    elsewhere.
    """
    kinds: dict[tuple[str, ...], str] = {}
    for pattern in patterns:
        for words, slot in zip(_before(pattern), pattern.slots, strict=True):
            if slot.kind:
                kinds.setdefault(words, slot.kind)
    for pattern in patterns:
        for words, slot in zip(_before(pattern), pattern.slots, strict=True):
            slot.kind = slot.kind or kinds.get(words, "")


def _describes(pattern: Pattern, lists: Lists, known: Sequence[Known]) -> bool:
    """Whether a statement ends in the description that its ports have by the other source."""
    # A description stands below its port, and is a text.
    if pattern.tokens[-1] != TEXT or pattern.opens or not pattern.path[:-1]:
        return False
    agree = 0
    for row in pattern.rows:
        own = known[row.switch]
        text = " ".join(row.words[len(pattern.tokens) - 1 :]).strip('"')
        ports = [own.ports.find(port) for words in row.ports() for port in ports_in(lists, words)]
        agree += bool(ports) and all(own.described.get(port or "") == text for port in ports)
    return agree >= _MOSTLY * len(pattern.rows)


def _before(pattern: Pattern) -> list[tuple[str, ...]]:
    """For each list of a pattern the tokens up to it, with those of its heads."""
    path = tuple(token for head in pattern.path[:-1] for token in (*head.tokens, "/"))
    at = [n for n in range(len(pattern.tokens)) if pattern.tokens[n] == LIST]
    return [(*path, *pattern.tokens[: n + 1]) for n in at]


def _name_form(rows: Sequence[Row], devices: Sequence[Device]) -> str:
    """The form of the line by which every text names its switch; "" if there is none."""
    forms: Counter[str] = Counter()
    for switch, device in enumerate(devices):
        own = set()
        for row in rows:
            if row.switch == switch and row.parent is None and row.settled is None:
                plain = [word.strip('"') for word in row.words]
                names = {device.name, device.name.partition(".")[0]}
                # The switch by its name, with its domain or without.
                at = next((n for n, word in enumerate(plain) if word in names), None)
                if at is not None:
                    words = [
                        *map(literal, row.words[:at]),
                        "{name}",
                        *map(literal, row.words[at + 1 :]),
                    ]
                    own.add(" ".join(words))
        forms.update(own)
    return next((form for form, n in forms.items() if n == len(devices) and " " in form), "")
