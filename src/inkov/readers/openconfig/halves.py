"""One device of several files that hold different containers of it, as answers to one question
each.

Containers speak of each other's things: an instance claims interfaces, a gateway names its VLAN,
the spanning tree has settings of ports. So halves are not made devices and joined: their containers
are put together as if one file held them, and each keeps the file that it is in.
"""

from __future__ import annotations

import os
from collections.abc import Sequence
from pathlib import PurePath

from inkov.campus import Basis, Origin
from inkov.readers.openconfig import from_json, from_xml, shape
from inkov.readers.openconfig.reader import CONTAINERS, Builder, Source, held_by
from inkov.readers.openconfig.xml import parse_xml
from inkov.readers.reading import Part, as_utf8

__all__ = ["read_halves"]


def read_halves(files: Sequence[tuple[str, bytes]], folder: str) -> Part:
    """The device of some files, each of which could be read by itself. Without a host name it is
    named after the `folder`.
    """
    builder = Builder(Source(files[0][0]))
    whole = shape.Root()
    homes: dict[str, Source] = {}
    for file, data in files:
        root = _decoded(file, data, builder)
        for container in held_by(root):
            homes[container] = builder.source
            for spelling in CONTAINERS[container]:
                setattr(whole, spelling, getattr(root, spelling))
    builder.homes = homes
    builder.called = _called_after(folder, files[0][0])
    builder.build(whole)
    return builder.part


def _decoded(file: str, data: bytes, builder: Builder) -> shape.Root:
    """The root of one file; from then on the builder's source is that file."""
    as_xml = from_xml.recognise(data[:100])
    builder.source = Source(file, strict=not as_xml)
    builder.pieces.strict = builder.source.strict
    if as_xml:
        return from_xml.decoded(parse_xml(data), builder)
    text, not_utf8 = as_utf8(file, data)
    builder.part.problems += not_utf8
    return from_json.decoded(text, builder)


def _called_after(folder: str, file: str) -> tuple[str, Origin]:
    name = PurePath(os.path.abspath(folder)).name
    says = f"no file states a hostname: named {name!r} after the folder"
    return name, Origin(file, basis=Basis.ASSUMED, says=says)
