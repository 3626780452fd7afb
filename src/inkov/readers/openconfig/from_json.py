"""OpenConfig as JSON (RFC 7951).

RFC 7951, section 4, puts a module's name before a member where the module changes. Exports with no
such prefixes, or with one on every name, are read as well. The answer of a RESTCONF server wraps
the tree in `data` (RFC 8040, 3.3.1).
"""

from __future__ import annotations

import re

import msgspec

from inkov.readers.json_errors import not_json
from inkov.readers.openconfig import shape
from inkov.readers.openconfig.account import account_of
from inkov.readers.openconfig.elsewhere import remark_on
from inkov.readers.openconfig.reader import Builder, Source
from inkov.readers.reading import Reading, as_utf8

__all__ = ["decoded", "read", "recognise"]

_ROOT = msgspec.json.Decoder(shape.Root)
_PREFIXED_KEY = re.compile(rb'"[A-Za-z][\w.-]*:([\w.-]+)"(?=\s*:)')
_WRAPPED = re.compile(rb'\s*\{\s*"(?:[\w-]+:)?data"\s*:')


def recognise(head: bytes) -> bool:
    """True if the file can be JSON: a text that opens a brace."""
    return head.lstrip(b"\xef\xbb\xbf \t\r\n")[:1] == b"{"


def read(file: str, data: bytes, *, account: bool) -> Reading:
    """Read one file. One that holds no container of ours is not of this format."""
    data, not_utf8 = as_utf8(file, data)
    try:
        builder = _built(file, data)
        if builder is None:
            return _something_else(data)
        reading = Reading(builder.part, builder.ledger)
        reading.part.problems += not_utf8
        if account:
            account_of(
                file, msgspec.json.decode(data), reading.ledger, lost=builder.lost(), text=data
            )
    except (msgspec.DecodeError, RecursionError) as error:
        return not_json(file, data, error)
    return reading


def _built(file: str, data: bytes) -> Builder | None:
    """The device of a file; None if there is nothing of one in it."""
    builder = Builder(Source(file))
    return builder if builder.build(decoded(data, builder)) else None


def decoded(data: bytes, builder: Builder) -> shape.Root:
    """The root of a file's document. `builder` is told what of it cannot be used, and where its
    pointers begin.
    """
    if _WRAPPED.match(data):
        members = msgspec.json.decode(data, type=dict[str, msgspec.Raw])
        # Other members beside it: then `data` is only a name, and no wrapping.
        if len(members) == 1:
            builder.source = builder.source._replace(base="/data")
            data = bytes(next(iter(members.values())))
    # A prefix on every name, also where the schema has none.
    if b':config"' in data or b':interface"' in data:
        data = _PREFIXED_KEY.sub(rb'"\1"', data)
    try:
        return _ROOT.decode(data)
    except msgspec.ValidationError:
        # Spellings are mixed, or a part is not as the schema has it: taken apart piece by piece.
        return builder.pieces.root(msgspec.json.decode(_PREFIXED_KEY.sub(rb'"\1"', data)))


def _something_else(data: bytes) -> Reading:
    tree = msgspec.json.decode(data)
    return Reading(detail="", remark=remark_on("JSON", tree))
