"""OpenConfig as XML, the way NETCONF returns it (RFC 6241, RFC 7950)."""

from __future__ import annotations

import re

import msgspec

from inkov.campus import Origin, Problem
from inkov.readers.openconfig import shape
from inkov.readers.openconfig.account import account_of
from inkov.readers.openconfig.elsewhere import remark_on
from inkov.readers.openconfig.reader import Builder, Source
from inkov.readers.openconfig.xml import BadXml, Tree, parse_xml
from inkov.readers.reading import REPORT, Part, Reading

__all__ = ["decoded", "read", "recognise"]


_REPORT = re.compile(rb"\s*(?:<\?xml[^>]*>\s*)?<testsuites?[\s>]")


def recognise(head: bytes) -> bool:
    """True if the head of a file opens an element."""
    text = head.lstrip(b"\xef\xbb\xbf \t\r\n")
    return text[:1] == b"<" and text[:2] != b"<<"


def read(file: str, data: bytes, *, account: bool) -> Reading:
    """Read one document. One that holds no container of ours is not of this format."""
    # A report of tests, as Inkov itself writes them, is XML as well.
    if _REPORT.match(data):
        return Reading(detail="", remark=REPORT)
    try:
        tree = parse_xml(data)
    except BadXml as bad:
        problem = Problem(Origin(file, bad.line), str(bad), "export it again", True)
        return Reading(Part(problems=[problem]), detail="")
    # Every value of XML is text, so types are taken as they are wanted.
    builder = Builder(Source(file, strict=False))
    if not builder.build(decoded(tree, builder)):
        return Reading(detail="", remark=remark_on("XML", tree.root))
    if account:
        account_of(file, tree.root, builder.ledger, lost=builder.lost())
    return Reading(builder.part, builder.ledger)


def decoded(tree: Tree, builder: Builder) -> shape.Root:
    """The root of a document. `builder` is told what of it cannot be used."""
    try:
        return msgspec.convert(tree.root, shape.Root, strict=False)
    except msgspec.ValidationError:
        return builder.pieces.root(tree.root)
