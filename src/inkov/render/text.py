"""What every output shares: places in words, results as plain JSON values."""

from __future__ import annotations

from enum import Enum
from typing import Any

import msgspec
from msgspec import Struct

from inkov.campus import Basis, Origin
from inkov.harmless import clean_json, safe
from inkov.readers import Locator
from inkov.vlanset import VlanSet

__all__ = ["brief", "place", "plain", "to_json"]


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
    if isinstance(value, Origin):
        place: dict[str, Any] = {"file": value.file or None, "line": locator.line(value) or None}
        if value.pointer:
            place["pointer"] = locator.pointer(value)
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
