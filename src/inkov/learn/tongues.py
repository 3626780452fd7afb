"""Whether texts are in one language: by the words that begin their statements."""

from __future__ import annotations

from collections.abc import Sequence

from inkov.learn.rows import is_numeric

__all__ = ["largest", "like_the_first"]

_ALIKE = 0.3  # of the words of the text with fewer of them, for two texts to be in one language
_FEWEST = 4  # words: a text with fewer tells nothing


def like_the_first(texts: Sequence[tuple[str, str]]) -> tuple[list[int], list[int]]:
    """The places of the texts (file, text) in the language of the first of them, and of others."""
    words = [_words(text) for _, text in texts]
    same = [n for n, own in enumerate(words) if n == 0 or _are_alike(words[0], own)]
    return same, [n for n in range(len(texts)) if n not in same]


def largest(texts: Sequence[tuple[str, str]]) -> tuple[list[int], list[int]]:
    """The places of the texts in the language that most of them are in, and of others."""
    words = [_words(text) for _, text in texts]
    left = list(range(len(texts)))
    best: list[int] = []
    while left:
        same = [n for n in left if n == left[0] or _are_alike(words[left[0]], words[n])]
        best = same if len(same) > len(best) else best
        left = [n for n in left if n not in same]
    return best, [n for n in range(len(texts)) if n not in best]


def _words(text: str) -> set[str]:
    """The first two words of each line, as far as they hold no number."""
    beginnings: set[str] = set()
    for line in text.split("\n"):
        words = line.split()[:2]
        beginnings.update(word.rstrip(";{") for word in words if not is_numeric(word))
    return beginnings - {""}


def _are_alike(one: set[str], other: set[str]) -> bool:
    fewer = min(len(one), len(other))
    # Too few words tell nothing: taken to be alike.
    return fewer < _FEWEST or len(one & other) >= _ALIKE * fewer
