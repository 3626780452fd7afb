"""From texts and another source of the same switches to a dialect that reads them.

`look` finds the patterns of the statements, `search` their effects, `write` makes the dialect of
them. What the evidence does not decide is left out, so that it is not understood, or said as a
question.
"""

from __future__ import annotations

from collections.abc import Sequence
from fnmatch import fnmatchcase
from os.path import basename

from msgspec import Struct

from inkov.campus import Device
from inkov.learn.look import Look, Pattern, look, marks_within
from inkov.learn.search import Hypothesis, Learnt, learn_effects, views
from inkov.learn.write import Remarks, form_of, is_name, shown, vlans_in, written
from inkov.readers.dialects import BadDialect, Dialect, compile_dialect, read_text
from inkov.vlanset import VlanSet

__all__ = ["Lesson", "NothingLearnt", "Pair", "learn", "paired"]

_MOST_SHOWN = 3
_MOST_PAIRS = 4  # switches that are learnt from
_MOST_BYTES = 400_000  # of a text that is learnt from


class NothingLearnt(Exception):
    """No dialect comes of some texts; the message says why."""


class Pair(Struct):
    """A text (its file, and its bytes), and what another source says of the same switch."""

    file: str
    data: bytes
    device: Device


class Lesson(Struct):
    """What was learnt: the dialect's text; how many ports agree, of how many; the questions that
    are left, each as a sentence.
    """

    dialect: str
    agree: int
    ports: int
    questions: list[str]


def paired(texts: Sequence[tuple[str, bytes]], devices: Sequence[Device]) -> list[Pair]:
    """The texts (file, bytes) that are of one of some devices: by the file's name, or since the
    text names it. A few are enough, and short ones.
    """
    pairs = []
    for file, data in texts:
        stem = basename(file).partition(".")[0]
        head = data[:20_000].decode("utf-8", "replace").split()
        words = {word.strip('"') for word in head}
        named = [device for device in devices if device.name == stem]
        named = named or [device for device in devices if device.name in words]
        if len(named) == 1 and len(data) <= _MOST_BYTES:
            pairs.append(Pair(file, data, named[0]))
    return pairs[:_MOST_PAIRS]


def learn(pairs: Sequence[Pair], texts: Sequence[tuple[str, bytes]], name: str) -> Lesson:
    """The dialect that agrees with the evidence. `texts` are all texts of the language. Raises
    NothingLearnt.
    """
    files = [file for file, _ in texts]
    devices = [pair.device for pair in pairs]
    known = [pair.data.decode("utf-8-sig", "replace") for pair in pairs]
    seen = look(known, devices)
    pattern = _pattern_of(files)

    def dialect_of(hypothesis: Hypothesis) -> Dialect:
        text = written(seen, hypothesis, name, "", pattern)
        try:
            return compile_dialect("learnt", text.encode())
        except BadDialect as bad:
            says = bad.problems[0].says.partition("\n")[0].partition(": ")[2]
            raise NothingLearnt(f"these texts are not understood well enough: {says}") from None

    data = [text.encode() for text in known]
    learnt = learn_effects(seen, data, devices, dialect_of)
    always = _always(dialect_of(learnt.hypothesis), data, devices)
    total = sum(len(views(device)) for device in devices)
    remarks, questions = _remarks(seen, learnt, [pair.file for pair in pairs], total)
    questions += _new_marks(seen, texts)
    text = written(seen, learnt.hypothesis, name, str(always) if always else "", pattern, remarks)
    return Lesson(text, total - len(learnt.wrong), total, questions)


def _pattern_of(files: Sequence[str]) -> str:
    """A pattern of names that fits all files."""
    endings = {basename(file).rpartition(".")[2] for file in files if "." in basename(file)}
    ending = f"*.{endings.pop()}" if len(endings) == 1 else "*"
    return ending if all(fnmatchcase(basename(file), ending) for file in files) else "*"


def _always(dialect: Dialect, texts: Sequence[bytes], devices: Sequence[Device]) -> VlanSet:
    """The VLANs that every switch has, and no text defines."""
    common: set[int] | None = None
    for text, device in zip(texts, devices, strict=True):
        [read] = read_text(dialect, "text", text).part.devices
        missing = set(device.vlans or {}) - set(read.vlans or {})
        common = missing if common is None else common & missing
    return VlanSet.from_vids(common or ())


def _remarks(
    seen: Look, learnt: Learnt, files: Sequence[str], total: int
) -> tuple[Remarks, list[str]]:
    """What stands beside the forms, and the questions that are left."""
    remarks, questions = Remarks(), []
    remarks.head = [
        f"Learnt from {', '.join(basename(file) for file in files)}:"
        f" {total - len(learnt.wrong)} of {total} ports agree.",
        "`inkov dialect check` with --against shows what does not.",
    ]
    for number, pattern in enumerate(seen.patterns):
        form = form_of(pattern)
        unclear = not pattern.opens and any(not slot.kind for slot in pattern.slots)
        if is_name(pattern, seen.name_form):
            continue
        if number in learnt.unsure or unclear:
            says = "what does it do? Where it stands, it changes nothing that can be seen"
            if unclear:
                says = "what are its numbers or names? They are neither all ports nor all VLANs"
            remarks.left_out[number] = says
            questions.append(f'"{shown(form)}" ({_where(pattern, files)}): {says}')
            continue
        effect = learnt.hypothesis.effects.get(number)
        others = [
            one
            for one in learnt.alternatives.get(number, [])
            if "general" in (effect or "") or "general" not in one
        ]
        if effect:
            count = len(pattern.at)
            remarks.support[number] = f"{count} line{'s' * (count != 1)}"
            if others:
                capture = f"{{{vlans_in(pattern)}}}"
                effect = effect.replace("{V}", capture)
                others = [one.replace("{V}", capture) for one in others]
                listed = ", or ".join(f"`{one}`" for one in others[:_MOST_SHOWN])
                remarks.support[number] += f"; as well: {listed}"
                if _matters(effect, others):
                    questions.append(
                        f'"{form}" ({_where(pattern, files)}): `{effect}`, or {listed}?'
                    )
    if learnt.bare_unsure:
        questions.append(
            "what is a port of which nothing is said? No port of the other source tells; taken for"
            " an access port of VLAN 1 ([defaults])"
            if learnt.hypothesis.defaults == 0
            else "what is a port of which nothing is said? See [defaults]"
        )
    if learnt.wrong:
        names = [f"{basename(files[switch])}: port {name}" for switch, name in learnt.wrong]
        more = f" and {len(names) - _MOST_SHOWN} more" if len(names) > _MOST_SHOWN else ""
        questions.append(f"not read as the other source has it: {', '.join(names[:3])}{more}")
    return remarks, questions


def _matters(effect: str, others: Sequence[str]) -> bool:
    """Whether it makes a difference elsewhere which of some effects is meant: whether a list
    replaces what was said before, adds to it, or takes from it.
    """
    changes = {one.rpartition(";")[2].strip().split(" {")[0] for one in (effect, *others)}
    lists = [change.split() for change in changes if change[-1:] in "=+-"]
    return len({sign for name, sign in lists if name == lists[0][0]}) > 1


def _new_marks(seen: Look, texts: Sequence[tuple[str, bytes]]) -> list[str]:
    """Marks between numbers that only texts without evidence have: nobody tells what they mean."""
    known = {*seen.lists.separators, *seen.lists.ranges}
    new: dict[str, str] = {}
    for file, data in texts:
        for mark, line in marks_within(data.decode("utf-8-sig", "replace")).items():
            if mark not in known and mark != "-":
                new.setdefault(mark, f"{basename(file)}:{line}")
    return [
        f"{mark!r} between numbers ({place}): a range, or a list? Name it under [lists]"
        for mark, place in sorted(new.items())
    ]


def _where(pattern: Pattern, files: Sequence[str]) -> str:
    switch, line = pattern.at[0]
    return f"{basename(files[switch])}:{line}"
