"""What a text looks like to somebody who is about to write a dialect for it: lines grouped by
shape, and a first guess.

The shape of a line is the line with numbers and names blanked out: `bench 12` and `bench 14` are
one shape. A word is a name if it is quoted, holds a digit, or stands where lines of otherwise one
shape differ.
"""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator

from msgspec import Struct

from inkov.campus import Origin
from inkov.campus.secrets import without_secrets, words_before_secrets
from inkov.readers.dialects.text import Shape, Style

__all__ = ["ADDRESS", "WORD", "ShapeGroup", "group", "guessed_style", "starter"]

_MOST_DIFFERENT = 3  # words at one place, each rarely seen: more are names
_FREQUENT = 3
WORD = re.compile(r'"[^"]*"|\S+')
_VIDS = re.compile(r"[0-9]{1,4}(?:[-,][0-9]{1,4})+,?\Z")
ADDRESS = re.compile(
    r"[0-9]{1,3}(?:\.[0-9]{1,3}){3}(?:/[0-9]+)?\Z|(?=.*:.*:)[0-9A-Fa-f:.]+(?:/[0-9]+)?\Z"
)


class ShapeGroup(Struct, frozen=True):
    """Lines of one shape: how many, the shape, the first of them, and where it stands."""

    count: int
    shape: str
    example: str
    origin: Origin


def group(
    lines: Iterable[tuple[Origin, str]], secret_words: frozenset[str] = frozenset()
) -> list[ShapeGroup]:
    """The lines by shape, most frequent first. `secret_words` are known already."""
    rows = [(origin, text, [_blank(word) for word in WORD.findall(text)]) for origin, text in lines]
    _names(rows)
    secret_words |= words_before_secrets(text for _, text, _ in rows)
    by_shape: dict[str, list[tuple[Origin, str]]] = defaultdict(list)
    for origin, text, words in rows:
        by_shape[" ".join(words)].append((origin, text))
    groups = [
        ShapeGroup(len(at), shape, without_secrets(at[0][1].strip(), secret_words), at[0][0])
        for shape, at in by_shape.items()
    ]
    return sorted(groups, key=lambda one: (-one.count, one.shape))


def _blank(word: str) -> str:
    """The type of capture that a word looks like, or the word."""
    if word.startswith('"'):
        return "{text}"
    if _VIDS.match(word):
        return "{vids}"
    if word.isdigit():
        return "{number}"
    if ADDRESS.match(word):
        return "{address}"
    if any(c.isdigit() for c in word):
        return "{word}"
    return word


def _names(rows: list[tuple[Origin, str, list[str]]]) -> None:
    """Blank out words that differ where all words before them are the same."""
    for place in range(max((len(words) for *_, words in rows), default=0)):
        after: dict[tuple[str, ...], Counter[str]] = defaultdict(Counter)
        for *_, words in rows:
            if len(words) > place:
                after[tuple(words[:place])][words[place]] += 1
        for *_, words in rows:
            if place == 0 or len(words) <= place or words[place].startswith("{"):
                continue
            counts = after[tuple(words[:place])]
            plain = [word for word in counts if not word.startswith("{")]
            # Many different words in one place, most of them seen once or twice, are names.
            if len(plain) > _MOST_DIFFERENT and counts[words[place]] < _FREQUENT:
                words[place:] = ["{text}"] if len(words) > place + 1 else ["{word}"]


# --- a first dialect ------------------------------------------------------------------------------


def starter(texts: list[tuple[str, str]]) -> str:
    """A dialect to begin with, from (file, text): the text's shape guessed, each shape of line as a
    form to fill in.

    What is guessed is marked as such. The forms stand among `ignored` only as comments: nothing is
    taken as understood.
    """
    lines = [
        (Origin(file, number), line)
        for file, text in texts
        for number, line in enumerate(text.split("\n"), 1)
        if line.strip()
    ]
    comment = _comment([text for _, text in lines])
    lines = [
        (at, text) for at, text in lines if not (comment and text.lstrip().startswith(comment))
    ]
    shape = _shape([text for _, text in lines])
    negation = _negation([text for _, text in lines])
    out = [
        (
            "# A dialect to begin with. docs/dialects.md explains each table; `inkov dialect check"
            " FILE` says what is"
        ),
        "# wrong with it, and `inkov dialect unmatched CONFIGS` which lines to describe next.",
        'dialect = "my-switches"',
        "# Which files it is for: by name, or better by forms that every such file has.",
        f'files = ["{_pattern([file for file, _ in texts])}"]',
        '# recognise = ["..."]',
        "",
        "[text]",
        f'shape = "{shape}"                # guessed: indented, braced or flat',
        f"comment = [{_quoted(comment)}]" if comment else '# comment = ["..."]',
        (
            f"negation = [{_quoted(negation)}]            # guessed: the word that undoes a"
            " statement"
            if negation
            else '# negation = ["..."]'
        ),
        "",
        (
            "[defaults]                           # what a port is where nothing is said: state it,"
            " do not leave it to us"
        ),
        '# mode = "access"',
        "# vlan = 1",
        "# native = 1",
        '# allowed = "all"',
        "",
        "[vlan-table]",
        '# always = "1"                       # VLANs that are there without being stated',
        '# created-by = ["vlan"]              # a port put into a VLAN makes it',
        "",
    ]
    out += _blocks(lines, shape)
    return "\n".join(out) + "\n"


def _blocks(lines: list[tuple[Origin, str]], shape: str) -> Iterator[str]:
    """The shapes as commented forms: those that open blocks, then the statements below each."""
    secret_words = words_before_secrets(text for _, text in lines)
    heads: dict[str, list[tuple[Origin, str]]] = defaultdict(list)
    tops: list[tuple[Origin, str]] = []
    openers: list[tuple[Origin, str]] = []
    head = ""
    for number, (origin, text) in enumerate(lines):
        bare = text.strip().rstrip("{;").strip()
        following = lines[number + 1][1] if number + 1 < len(lines) else ""
        if shape == "braced":
            opens, inner = text.rstrip().endswith("{"), text[:1].isspace()
        else:
            opens, inner = (
                _depth(following) > _depth(text),
                shape == "indented" and text[:1].isspace(),
            )
        if bare in ("", "}"):
            continue
        if not inner:
            head = bare if opens else ""
            (openers if opens else tops).append((origin, bare))
        else:
            heads[head.partition(" ")[0]].append((origin, bare))
    yield (
        "# Statements that stand in no block. Give each its effect, or move it to [device]"
        " `ignored`."
    )
    yield "[device.says]"
    yield from _forms(tops, secret_words)
    if openers:
        yield ""
        yield (
            "# Lines that open a block: put each under `opens` of [port], [vlan], [bundle],"
            " [gateway], [group.NAME]."
        )
        yield from _forms(openers, secret_words)
    for word in sorted(heads):
        yield ""
        yield f"# Statements below {word!r}:"
        yield from _forms(heads[word], secret_words)


def _forms(lines: list[tuple[Origin, str]], secret_words: frozenset[str]) -> Iterator[str]:
    for one in group(lines, secret_words):
        # Words that may be secrets are not carried over.
        form = without_secrets(one.shape, secret_words).replace("...", "{secret}").replace('"', "")
        form = re.sub(r"\{(text|secret)\}.*", r"{\1}", form)
        seen: Counter[str] = Counter()

        def labelled(found: re.Match[str], seen: Counter[str] = seen) -> str:
            seen[found[1]] += 1
            return found[0] if seen[found[1]] == 1 else f"{{{found[1]}{seen[found[1]]}:{found[1]}}}"

        form = re.sub(r"\{([a-z]+)\}", labelled, form)
        yield f'# "{form}" = ""          # {one.count} ×'


def _depth(text: str) -> int:
    return len(text) - len(text.lstrip())


def _shape(lines: list[str]) -> str:
    braces = sum(line.rstrip().endswith("{") for line in lines)
    if braces and braces * 20 > len(lines):
        return "braced"
    indented = sum(line[:1].isspace() for line in lines)
    return "indented" if indented * 20 > len(lines) else "flat"


def _comment(lines: list[str]) -> str:
    """The mark, not a letter or digit, that most lines without anything else of a statement begin
    with.
    """
    marks: Counter[str] = Counter()
    for line in lines:
        mark = re.match(r"\s*([^\w\s{}\"'\[(/.-]{1,2}|//|--)(?=\s|\Z|\w)", line)
        if mark:
            marks[mark[1]] += 1
    return marks.most_common(1)[0][0] if marks else ""


def _negation(lines: list[str]) -> str:
    """The word before what elsewhere is a statement of its own."""
    bare = [line.split() for line in lines]
    firsts = {words[0] for words in bare if words}
    pairs = Counter(
        words[0] for words in bare if len(words) > 1 and words[1] in firsts and words[0].isalpha()
    )
    followers: dict[str, set[str]] = defaultdict(set)
    for words in bare:
        if len(words) > 1 and words[1] in firsts:
            followers[words[0]].add(words[1])
    likely = [(count, word) for word, count in pairs.items() if len(followers[word]) > 1]
    return max(likely)[1] if likely else ""


def _end_mark(lines: list[str]) -> str:
    """The mark in which nearly all statements end that open no block; "" if there is none."""
    last = Counter(line.rstrip()[-1] for line in lines if line.rstrip()[-1:] not in ("", "{", "}"))
    [(mark, count)] = last.most_common(1) or [("", 0)]
    return mark if count >= 0.9 * last.total() and not (mark.isalnum() or mark in "\"'])") else ""


def guessed_style(texts: Iterable[str]) -> Style:
    """How some texts are written, as far as they tell: shape, comment, and the word that undoes."""
    rows = [line for text in texts for line in text.split("\n") if line.strip()]
    comment = _comment(rows)
    plain = [line for line in rows if not (comment and line.lstrip().startswith(comment))]
    negation = _negation(plain)
    shape = Shape(_shape(plain))
    return Style(
        shape=shape,
        statement_end=_end_mark(plain) if shape is Shape.BRACED else "",
        comment=[comment] if comment else [],
        negation=[negation] if negation else [],
    )


def _pattern(files: list[str]) -> str:
    endings = Counter(file.rpartition("/")[2].rpartition(".")[2] for file in files if "." in file)
    return f"*.{endings.most_common(1)[0][0]}" if endings else "*"


def _quoted(text: str) -> str:
    escaped = text.replace("\\", "\\\\").replace('"', '\\"')
    return f'"{escaped}"'
