"""What every output shares: places in words, results as plain JSON values."""

from __future__ import annotations

from collections.abc import Sequence
from enum import Enum
from typing import Any

import msgspec
from msgspec import Struct

from inkov.campus import Basis, Origin, natural
from inkov.harmless import clean_json, safe
from inkov.readers import Locator
from inkov.vlanset import VlanSet

__all__ = ["brief", "place", "plain", "runs_in_words", "to_json"]

_NAMED = 6  # names, or runs of them, that are told


def place(origin: Origin, locator: Locator) -> str:
    """`file:line`; the file alone where there is no line; "" for a default."""
    line = locator.line(origin)
    return safe(f"{origin.file}:{line}" if line else origin.file)


def brief(origin: Origin, locator: Locator) -> str:
    """`place` with the file's name only, if no other file that was read has the same name: for
    narrow columns.
    """
    whole = place(origin, locator)
    return whole.rpartition("/")[2] if locator.unique_name(origin.file) else whole


def plain(value: Any, locator: Locator) -> Any:
    """A result as dicts, lists, texts and numbers. An origin becomes file, line and, for JSON
    files, pointer.
    """
    # A place: file, line, and in documents the pointer.
    if isinstance(value, Origin):
        place: dict[str, Any] = {"file": value.file or None, "line": locator.line(value) or None}
        if value.pointer:
            place["pointer"] = locator.pointer(value)
        # What nobody stated says on what it rests.
        if value.basis is not Basis.STATED:
            place |= {"basis": str(value.basis), "says": value.says}
        return place
    if isinstance(value, Struct):
        return {name: plain(getattr(value, name), locator) for name in value.__struct_fields__}
    if isinstance(value, VlanSet):
        return str(value)
    if isinstance(value, dict):
        return {key: plain(item, locator) for key, item in value.items()}
    if isinstance(value, list | tuple):
        return [plain(item, locator) for item in value]
    return value.value if isinstance(value, Enum) else value


def to_json(value: Any) -> str:
    """Indented JSON, keys in the order given, with a line end. No string in it holds anything that
    a terminal would obey.
    """
    try:
        # A name of bytes that are no text.
        data = msgspec.json.encode(value)
    except UnicodeEncodeError:  # a file name that is no text
        data = msgspec.json.encode(_as_text(value))
    return clean_json(msgspec.json.format(data, indent=2).decode()) + "\n"


def _as_text(value: Any) -> Any:
    """The value with all its texts made such that can be encoded."""
    if isinstance(value, str):
        return value.encode("utf-8", "backslashreplace").decode()
    if isinstance(value, dict):
        return {_as_text(key): _as_text(item) for key, item in value.items()}
    return [_as_text(item) for item in value] if isinstance(value, list | tuple) else value


def runs_in_words(names: Sequence[str], most: int = _NAMED) -> str:
    """Names, those that differ by their last number alone as `fern-1..9`."""
    runs: list[list[str]] = []
    for name in sorted(names, key=natural):
        # One more of a run.
        if runs and _follows(runs[-1][-1], name):
            runs[-1].append(name)
        else:
            runs.append([name])
    # Two in a row are told as two.
    texts = [f"{run[0]}..{_number(run[-1])}" if len(run) > 2 else ", ".join(run) for run in runs]
    left = sum(len(run) for run in runs[most:])
    return ", ".join(texts[:most]) + (f" and {left} more" if left else "")


def _number(name: str) -> str:
    digits = len(name) - len(name.rstrip("0123456789"))
    return name[-digits:] if digits else ""


def _follows(one: str, other: str) -> bool:
    numbers = _number(one), _number(other)
    return (
        # Very long digits are no numbers that anybody counts by.
        all(0 < len(number) < 10 for number in numbers)
        and one[: -len(numbers[0])] == other[: -len(numbers[1])]
        and int(numbers[1]) == int(numbers[0]) + 1
    )
