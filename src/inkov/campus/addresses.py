"""Addresses of bridges and ports: 48 bits, written in many ways (IEEE 802, 8.1)."""

from __future__ import annotations

import re

__all__ = ["address_number", "address_text"]

_ADDRESS = re.compile(r"(?:[0-9A-Fa-f]{12}|[0-9A-Fa-f]{1,4}(?:[:.-][0-9A-Fa-f]{1,4})*)\Z")


def address_text(text: str) -> str:
    """An address as this program writes it: six pairs of digits with colons between them. Groups of
    two or of four digits are read, with colons, dashes or points; leading zeros may be missing.
    Raises ValueError if it is none.

    >>> address_text("0200.0000.00AB"), address_text("2-0-0-0-0-ab")
    ('02:00:00:00:00:ab', '02:00:00:00:00:ab')
    """
    bare = text.strip()
    groups = re.split(r"[:.-]", bare)
    # How many digits a group has follows from how many groups there are.
    size = {1: 12, 3: 4, 6: 2}.get(len(groups))
    whole = len(groups) > 1 or len(bare) == 12  # without marks, no zero may be missing
    short = size is None or any(len(group) > size for group in groups)
    if size is None or short or not whole or not _ADDRESS.match(bare):
        raise ValueError(f"{text!r} is no address of a bridge, as 02:00:00:00:00:01")
    digits = "".join(group.zfill(size) for group in groups).lower()
    return ":".join(digits[at : at + 2] for at in range(0, 12, 2))


def address_number(text: str) -> int:
    """An address as a number, as elections compare it.

    >>> address_number("02:00:00:00:00:01") - address_number("02:00:00:00:00:00")
    1
    """
    return int(text.replace(":", ""), 16)
