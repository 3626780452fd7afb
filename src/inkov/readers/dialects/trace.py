"""What became of each line of a text: the form that took it, what it says, and whether that is
still so at the end of the file.

A text that is read in silence may be read wrongly: every line counts as understood, and yet a list
replaces what it should have added to, or a later line takes back what an earlier one said. Beside
the lines one sees it.
"""

from __future__ import annotations

from enum import StrEnum
from itertools import groupby
from operator import itemgetter
from typing import Any

from msgspec import Struct

from inkov.campus import Device, Fact
from inkov.readers.dialects.binding import Bound
from inkov.readers.dialects.effects import Named
from inkov.readers.dialects.file import Dialect
from inkov.readers.dialects.lists import Wild
from inkov.readers.dialects.read import Taken, read_text
from inkov.readers.reading import Unread
from inkov.readers.registry import shown
from inkov.readers.sheets.words import PORT_KEYS
from inkov.vlanset import VlanSet

__all__ = ["Fate", "Traced", "spelled", "traced"]

_SWITCHED = {"state", "ingress filtering", "registration", "bpdu guard"}
_NAMED = 3  # things of a kind that are named one by one


class Fate(StrEnum):
    """What became of a line. BEGINS: it is the beginning of the lines below it. NOTHING: nothing
    of the campus comes from it, and its format does not say line by line why.
    """

    READ = "read"
    NOTHING = ""
    BEGINS = "begins"
    NO_MEANING = "no meaning"
    NOT_UNDERSTOOD = "not understood"


class Traced(Struct):
    """A line: its number, its text (secrets left out), what became of it, the forms that took it
    (`form_lines`: where in the dialect), what it does, and what of that does not last.
    """

    number: int
    text: str
    fate: Fate
    forms: list[str]
    form_lines: list[int]
    does: list[str]
    later: list[str]


def traced(dialect: Dialect, file: str, data: bytes) -> list[Traced]:
    """Every line of a text, by the dialect that reads it."""
    taken: dict[int, Taken] = {}
    reading = read_text(dialect, file, data, taken)
    lost = {line.origin.line for line in reading.ledger.unmatched}
    [device] = reading.part.devices
    texts = [
        Unread(reading.part.devices[0].origin, text)
        for text in data.decode("utf-8-sig", "replace").replace("\r\n", "\n").split("\n")
    ]
    # The last line end ends the last line, and begins none.
    if texts and not texts[-1].text:
        texts.pop()
    lines = []
    for number, line in enumerate(shown(texts, reading.part.secret_words), 1):
        read_line = taken.get(number)
        fate = Fate.NO_MEANING
        # A line that is lost in part is lost: what it does would be half the truth.
        if number in lost:
            fate = Fate.NOT_UNDERSTOOD
        elif read_line is not None and not read_line.ignored:
            fate = Fate.READ if read_line.forms else Fate.BEGINS
        own = Traced(number, line.text.rstrip(), fate, [], [], [], [])
        if read_line is not None and fate is not Fate.NOT_UNDERSTOOD:
            own.forms, own.form_lines = (
                [f for f, _ in read_line.forms],
                [at for _, at in read_line.forms],
            )
            # Forms that took the line as it stands, and what they say of what.
            statements: list[tuple[str, str]] = []
            for step in read_line.steps:
                for bound in step.bound:
                    kind, keys = (bound.on, bound.keys) if bound.on else (step.kind, step.keys)
                    statements.append(_said(kind, keys, bound))
                    own.later += _later(device, kind, keys, bound, number)
            own.does = _in_words(statements)
        lines.append(own)
    return lines


# --- in words -------------------------------------------------------------------------------------


def _said(kind: str, keys: tuple[Any, ...], bound: Bound) -> tuple[str, str]:
    """Of what a clause says something, and what, in the words of dialects."""
    about = _about(kind, keys)
    # That something is there or gone has no value.
    if bound.operator in ("there", "gone"):
        several = sum(map(_count, keys)) > 1
        return about, f"{'are' if several else 'is'} {bound.operator}"
    if bound.operator == "unset":
        return f"{about}:", f"{bound.attribute} unset"
    return (
        f"{about}:",
        f"{bound.attribute} {bound.operator} {spelled(bound.value, bound.attribute)}",
    )


def _in_words(statements: list[tuple[str, str]]) -> list[str]:
    """What a line says, by what it is about. That something is there goes without saying where
    more is said.
    """
    # A head that opens a block and says more tells the more only.
    more = [
        (about, what) for about, what in statements if not what.endswith(" there")
    ] or statements
    return [
        f"{about} {', '.join(what for _, what in clauses)}"
        for about, clauses in groupby(more, key=itemgetter(0))
    ]


def _about(kind: str, keys: tuple[Any, ...]) -> str:
    if keys == (Wild("*"),):
        return f"every {kind}"
    names = [spelled(key) for key in keys]
    if len(names) > _NAMED:
        return f"{len(names)} {kind}s ({names[0]} ... {names[-1]})"
    several = sum(map(_count, keys)) > 1
    # The field writes it in capitals.
    kind = "VLAN" if kind == "vlan" else kind
    return f"{kind}{'s' * several} {', '.join(names)}" if names else kind


def _count(key: Any) -> int:
    return len(key.items) if isinstance(key, Named) else len(key) if isinstance(key, VlanSet) else 1


def spelled(value: Any, attribute: str = "") -> str:
    """A value in the words of switch sheets."""
    if isinstance(value, Named):
        but = value.items[:1] == ("but",) and len(value.items) > 1
        return f"all but {', '.join(value.items[1:])}" if but else ", ".join(value.items)
    if isinstance(value, bool):
        on, off = ("on", "off") if attribute in _SWITCHED else ("yes", "no")
        return on if value else off
    if isinstance(value, tuple) and not isinstance(value, Wild):
        # A value of several parts (a port and a word) is told as a list.
        return ", ".join(map(str, value))
    return "none" if value is None else str(value)


def _later(device: Device, kind: str, keys: tuple[Any, ...], bound: Bound, line: int) -> list[str]:
    """What a clause set and what is otherwise at the end of the file, each as a sentence."""
    # Only what adds or sets something can be replaced.
    if bound.operator not in ("=", "+"):
        return []
    attribute = PORT_KEYS.get(bound.attribute, ("", None))[0]
    # What is said of things other than ports lasts, or has no line of its own to look for.
    if kind not in ("port", "bundle", "sub") or not attribute:
        return []
    by_line: dict[int, list[str]] = {}
    gone = []
    for key in keys:
        if isinstance(key, Wild):
            continue  # what is said of all ports is there to be replaced
        port = device.ports.get(key)
        fact: Fact[Any] | None = getattr(port, attribute) if port is not None else None
        # The attribute is at its default at the end: another line took it back.
        if fact is None:
            gone.append(str(key))
        elif fact.origin.line != line and not _holds(device, fact.value, bound):
            by_line.setdefault(fact.origin.line, []).append(str(key))
    sentences = []
    if gone:
        # One sentence for each line that replaces, whatever number of ports it does so at.
        sentences.append(f"{bound.attribute} of {_about('port', tuple(gone))} is taken back later")
    for at, ports in sorted(by_line.items()):
        of = f" of {_about('port', tuple(ports))}" if len(keys) > 1 else ""
        sentences.append(f"{bound.attribute}{of} is replaced in line {at}")
    return sentences


def _holds(device: Device, value: Any, bound: Bound) -> bool:
    """Whether what a clause set is still so."""
    wanted = bound.value
    if isinstance(wanted, Named):
        if wanted.items[:1] == ("but",):
            return True  # what is left out cannot be told from what was added later
        vids = VlanSet.from_vids(vid for item in wanted.items for vid in _numbers(device, item))
        # One VLAN is meant where the attribute is one.
        wanted = vids if isinstance(value, VlanSet) else next(iter(vids), None)
    if isinstance(value, VlanSet) and isinstance(wanted, VlanSet):
        return not wanted - value
    return bool(value == wanted)


def _numbers(device: Device, item: str) -> VlanSet:
    """The VLANs that an item of a list names, by number or by name."""
    if item[:1].isdigit():
        return VlanSet.parse(item)
    rows = (device.vlans or {}).values()
    return VlanSet.from_vids(row.vid for row in rows if row.name and row.name.value == item)
