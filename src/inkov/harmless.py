"""Texts from configurations made harmless. What a switch, a neighbour or a person wrote is shown as
text and as nothing else: it moves no cursor, turns no reading direction, ends no line.

Whatever Inkov writes to a screen or a file passes one of these on its way out: `render.results`,
`render.terminal` and `cli.says` see to it, so that no command has to.
"""

from __future__ import annotations

import re

__all__ = ["clean", "clean_json", "safe"]

_NOT_PLAIN = re.compile(r"[^\t\n\x20-\x7e]")


def clean(text: str) -> str:
    """The text with everything written out that cannot be seen, but for line ends and tabs: control
    characters of all kinds, marks that turn the direction, bytes of file names that are no text.
    """
    return _NOT_PLAIN.sub(_written_out, text)


def safe(text: str) -> str:
    """The same, line ends and tabs too: for what is one piece, a name or a sentence."""
    return text if text.isprintable() else clean(text).replace("\n", "\\n").replace("\t", "\\t")


def clean_json(text: str) -> str:
    """JSON with the same characters as its escapes: it is the same value."""
    return _NOT_PLAIN.sub(_escaped, text)


def _written_out(character: re.Match[str]) -> str:
    mark = character[0]
    return mark if mark.isprintable() else mark.encode("unicode_escape").decode("ascii")


def _escaped(character: re.Match[str]) -> str:
    mark = character[0]
    if mark.isprintable():
        return mark
    # JSON writes what lies beyond 16 bits as two units; half of one stays as it is.
    units = mark.encode("utf-16-be", "surrogatepass")
    return "".join(f"\\u{units[n]:02x}{units[n + 1]:02x}" for n in range(0, len(units), 2))
