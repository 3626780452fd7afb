"""From texts and another source of the same switches to a dialect that reads them.

`look` finds the patterns of the statements, `search` their effects, `questions` what is not sure,
`write` makes the dialect of them. What the evidence does not decide is left out, so that it is not
understood, or said as a question.
"""

from __future__ import annotations

from collections.abc import Sequence
from fnmatch import fnmatchcase
from os.path import basename

from msgspec import Struct

from inkov.campus import Device
from inkov.learn import guess
from inkov.learn.begun import Begun, begin
from inkov.learn.hypothesis import Hypothesis
from inkov.learn.look import look, may_undo
from inkov.learn.others import Others
from inkov.learn.questions import Ask, Question, Teacher
from inkov.learn.rehearsal import errors_of, views
from inkov.learn.rows import Look
from inkov.learn.search import learn_effects
from inkov.learn.tongues import largest, like_the_first
from inkov.learn.write import Remarks, alike, usable, written
from inkov.readers.dialects import BadDialect, Dialect, compile_dialect, read_text
from inkov.readers.dialects.shapes import guessed_style
from inkov.vlanset import VlanSet

__all__ = [
    "Ask",
    "Begun",
    "Lesson",
    "NothingLearnt",
    "Pair",
    "Question",
    "begin",
    "largest",
    "learn",
    "like_the_first",
    "paired",
    "sketched",
]

_MOST_PAIRS = 4  # switches that are learnt from
_MOST_BYTES = 400_000  # of a text that is learnt from
_AROUND_NAMES = "\"';,:"  # marks that may stand right beside a name


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
        # In quotes, or with what ends a statement right behind it.
        words = {word.strip(_AROUND_NAMES) for word in head}
        # The file is called as the switch is.
        named = [device for device in devices if stem in _names(device)]
        # Or its text names the switch, and only this one.
        named = named or [device for device in devices if words & _names(device)]
        # Several: which is meant is not known.
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
    begun: Begun | None = None,
) -> Lesson:
    """The dialect that agrees with the evidence. `texts` are all texts of the language; `ask`
    answers what the evidence does not decide. `begun` is a dialect that is completed: its examples
    are evidence as well. Raises NothingLearnt.
    """
    files = [pair.file for pair in pairs]
    known = [pair.data.decode("utf-8-sig", "replace") for pair in pairs]
    devices = [pair.device for pair in pairs]
    without: list[frozenset[str]] = [frozenset() for _ in pairs]
    for number, (text, device, lines) in enumerate(begun.examples() if begun else (), 1):
        files.append(f"example {number}")
        known.append(text)
        devices.append(device)
        without.append(lines)
    # Without ports nothing can be held against the text.
    if not any(device.ports for device in devices):
        raise NothingLearnt("the other source tells of no port")
    claims = _pattern_of([file for file, _ in texts])
    data = [text.encode() for text in known]
    guessed = next(iter(guessed_style(known).negation), "")

    def learnt_with(negation: str) -> _Attempt:
        try:
            seen = look(known, devices, begun, without, len(pairs), negation=negation)
        except BadDialect as bad:  # of a dialect that says nothing of how texts are written
            raise _nothing(bad) from None
        return _Attempt(seen, data, devices, name, claims, begun)

    best = learnt_with(guessed)
    tries = ["", *may_undo(best.seen)] if guessed else may_undo(best.seen)
    for word in tries:
        # Nothing is wrong: no other word need be tried.
        if not best.learnt.error:
            break
        attempt = learnt_with(word)
        best = attempt if attempt.learnt.error < best.learnt.error else best
    seen, learnt, text_of, dialect_of = best.seen, best.learnt, best.text_of, best.dialect_of
    own = len(pairs)
    always = _always(dialect_of(learnt.hypothesis), data[:own], devices[:own])
    total = sum(len(views(device)) for device in devices)
    unsourced = [(file, content) for file, content in texts if file not in files]
    others = Others(unsourced, len(files), seen, dialect_of)
    teacher = Teacher(seen, learnt, [*files, *others.files], others, ask)
    remarks = teacher.taught()
    # Examples need not say which VLANs are always there, so that is left out here.
    text = text_of(learnt.hypothesis, "", remarks)
    read = errors_of(_compiled(text), data, devices)
    wrong = [(number, port) for number, port, error in read if error]
    teacher.of_wrong(wrong, total, len(files))
    text = text_of(learnt.hypothesis, str(always) if always else "", remarks)
    # What its author wrote down as an example must go on to hold.
    for number in begun.broken(_compiled(text)) if begun is not None else ():
        raise NothingLearnt(f"with what was learnt, example {number} of the dialect would not hold")
    return Lesson(text, total - len(wrong), total, teacher.open)


class _Attempt:
    """What is learnt of texts that are looked at in one way."""

    def __init__(
        self,
        seen: Look,
        data: Sequence[bytes],
        devices: Sequence[Device],
        name: str,
        claims: str,
        begun: Begun | None,
    ) -> None:
        self.seen = seen
        self._name = name
        self._claims = claims
        self._begun = begun
        self.learnt = learn_effects(seen, data, devices, alike(seen), self.dialect_of)

    def text_of(
        self, hypothesis: Hypothesis, always: str = "", remarks: Remarks | None = None
    ) -> str:
        """The dialect that a hypothesis is."""
        text = written(self.seen, hypothesis, self._name, always, self._claims, remarks)
        # New: it must be usable as it stands.
        if self._begun is None:
            return usable(text)
        return self._begun.merged(text, remarks.head if remarks else ())

    def dialect_of(self, hypothesis: Hypothesis) -> Dialect:
        """The same, compiled."""
        return _compiled(self.text_of(hypothesis))


def _compiled(text: str) -> Dialect:
    """A dialect that was written. Raises NothingLearnt."""
    # What is written here comes from evidence: a fault is told as nothing learnt.
    try:
        return compile_dialect("learnt", text.encode())
    except BadDialect as bad:
        raise _nothing(bad) from None


def _nothing(bad: BadDialect) -> NothingLearnt:
    says = bad.problems[0].says.partition("\n")[0].partition(": ")[2]
    return NothingLearnt(f"these texts are not understood well enough: {says}")


def sketched(texts: Sequence[tuple[str, str]], name: str) -> str:
    """A dialect to begin with, from (file, text) alone: see `guess`."""
    return guess.sketched(texts, name, _pattern_of([file for file, _ in texts]))


def _pattern_of(files: Sequence[str]) -> str:
    """A pattern of names that fits all files."""
    endings = {basename(file).rpartition(".")[2] for file in files if "." in basename(file)}
    # Files of several kinds: the pattern says nothing.
    ending = f"*.{endings.pop()}" if len(endings) == 1 else "*"
    return ending if all(fnmatchcase(basename(file), ending) for file in files) else "*"


def _always(dialect: Dialect, texts: Sequence[bytes], devices: Sequence[Device]) -> VlanSet:
    """The VLANs that every switch has, and no text defines."""
    common: set[int] | None = None
    for text, device in zip(texts, devices, strict=True):
        [read] = read_text(dialect, "text", text).part.devices
        missing = set(device.vlans or {}) - set(read.vlans or {})
        # What every switch has and no text defines is there by itself.
        common = missing if common is None else common & missing
    return VlanSet.from_vids(common or ())
