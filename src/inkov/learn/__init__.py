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
from inkov.learn.look import Look, look, marks_within
from inkov.learn.questions import Ask, Question, Teacher
from inkov.learn.rehearsal import Hypothesis, views
from inkov.learn.search import learn_effects
from inkov.learn.write import alike, written
from inkov.readers.dialects import BadDialect, Dialect, compile_dialect, read_text
from inkov.vlanset import VlanSet

__all__ = ["Ask", "Lesson", "NothingLearnt", "Pair", "Question", "learn", "paired"]

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
        named = [device for device in devices if stem in _names(device)]
        named = named or [device for device in devices if words & _names(device)]
        if len(named) == 1 and len(data) <= _MOST_BYTES:
            pairs.append(Pair(file, data, named[0]))
    return pairs[:_MOST_PAIRS]


def _names(device: Device) -> set[str]:
    """The names by which a text may call a switch: with its domain, and without."""
    return {device.name, device.name.partition(".")[0]}


def learn(
    pairs: Sequence[Pair],
    texts: Sequence[tuple[str, bytes]],
    name: str,
    ask: Ask | None = None,
) -> Lesson:
    """The dialect that agrees with the evidence. `texts` are all texts of the language; `ask`
    answers what the evidence does not decide. Raises NothingLearnt.
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
    learnt = learn_effects(seen, data, devices, alike(seen), dialect_of)
    always = _always(dialect_of(learnt.hypothesis), data, devices)
    total = sum(len(views(device)) for device in devices)
    teacher = Teacher(seen, learnt, [pair.file for pair in pairs], ask)
    remarks = teacher.remarks(total)
    teacher.of_marks(_new_marks(seen, texts))
    text = written(seen, learnt.hypothesis, name, str(always) if always else "", pattern, remarks)
    return Lesson(text, total - len(learnt.wrong), total, teacher.open)


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


def _new_marks(seen: Look, texts: Sequence[tuple[str, bytes]]) -> dict[str, str]:
    """Marks between numbers that only texts without evidence have, each with a place."""
    known = {*seen.lists.separators, *seen.lists.ranges}
    new: dict[str, str] = {}
    for file, data in texts:
        for mark, line in marks_within(data.decode("utf-8-sig", "replace")).items():
            if mark not in known and mark != "-":
                new.setdefault(mark, f"{basename(file)}:{line}")
    return dict(sorted(new.items()))
