"""Sets of VLAN identifiers (VIDs), and the one list grammar Inkov reads and prints.

Everything about VID lists as text is decided here and nowhere else.

IEEE Std 802.1Q, clause 9.6: the VLAN identifier is a 12-bit number. 0 means "no VLAN, priority
only" and 4095 is reserved, so a VLAN has a number from 1 to 4094.

A set is one Python integer: bit *v* is 1 if VID *v* is in the set. Union, intersection and
difference of two sets are then one machine-speed operation each, whatever their size.

Grammar (spaces around a number, a comma, a hyphen or a word are free; words in any case)::

    list  = "all" | "none" | "all but" items | items
    items = item *( "," item )
    item  = VID | VID "-" VID          ; 1 to 4094, the lower one first
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator

__all__ = [
    "ALL_BITS",
    "MAX_VID",
    "MIN_VID",
    "VlanListError",
    "VlanSet",
    "bit",
    "bits",
    "bits_to_text",
    "together",
    "union",
]

MIN_VID = 1
MAX_VID = 4094
ALL_BITS = (1 << (MAX_VID + 1)) - 2
"""The mask of every VID: bits 1 to 4094."""

_WORD = re.compile(r"\s*(all\s+but|all|none)(?![^\W_])\s*", re.IGNORECASE)
# Every VID spelled out twice over with spaces is shorter; more is an attempt to cost time.
_LONGEST = 65_536
_ITEM = re.compile(r"\s*(?:([0-9]+)\s*(?:-\s*([0-9]+)\s*)?)?(?=,|\Z)")


class VlanListError(ValueError):
    """A VID list that does not follow the grammar.

    Attributes: `text` (the whole list), `start` and `end` (the faulty part, as indices into
    `text`), `reason`. `str()` gives three lines: the reason, the list, and a mark under the fault.
    """

    def __init__(self, text: str, start: int, end: int, reason: str) -> None:
        super().__init__(reason)
        self.text = text
        self.start = start
        self.end = max(end, start + 1)
        self.reason = reason

    def __str__(self) -> str:
        shown = "".join(c if c.isprintable() else "?" for c in self.text)
        return f"{self.reason}\n  {shown}\n  {' ' * self.start}{'^' * (self.end - self.start)}"


class VlanSet:
    """An immutable set of VIDs 1 to 4094.

    >>> VlanSet.parse("10,20-22")
    VlanSet('10,20-22')
    >>> str(~VlanSet.of(30))
    'all but 30'
    """

    __slots__ = ("bits",)
    bits: int

    def __init__(self, bits: int = 0) -> None:
        """`bits` has bit *v* set for each VID *v*. ValueError if a bit outside 1 to 4094 is set."""
        if bits & ~ALL_BITS:
            raise ValueError("a VID set holds numbers from 1 to 4094 only")
        object.__setattr__(self, "bits", bits)

    def __setattr__(self, name: str, value: object) -> None:
        raise AttributeError("VlanSet is immutable")

    def __reduce__(self) -> tuple[type[VlanSet], tuple[int]]:
        return VlanSet, (self.bits,)

    @classmethod
    def of(cls, *vids: int) -> VlanSet:
        """The set of the given VIDs. ValueError for a number outside 1 to 4094."""
        return cls.from_vids(vids)

    @classmethod
    def from_vids(cls, vids: Iterable[int]) -> VlanSet:
        """The set of the given VIDs. ValueError for a number outside 1 to 4094."""
        bits = 0
        for vid in vids:
            if not MIN_VID <= vid <= MAX_VID:
                raise ValueError(f"{vid} is not a VLAN number (1 to 4094)")
            bits |= 1 << vid
        return cls(bits)

    @classmethod
    def from_range(cls, low: int, high: int) -> VlanSet:
        """All VIDs from `low` to `high`, both included. ValueError outside 1 <= low <= high <=
        4094.
        """
        if not MIN_VID <= low <= high <= MAX_VID:
            raise ValueError(
                f"{low}-{high} is not a range of VLAN numbers (1 to 4094, the lower one first)"
            )
        return cls((2 << high) - (1 << low))

    @classmethod
    def all(cls) -> VlanSet:
        """Every VID, 1 to 4094."""
        return cls(ALL_BITS)

    @classmethod
    def parse(cls, text: str) -> VlanSet:
        """Read the list grammar of this module. VlanListError marks the part that does not follow
        it. A text of more than 65,536 characters is none: every VLAN by itself takes 19,362.
        """
        if len(text) > _LONGEST:
            # The error shows the list: one of a megabyte would be shown whole.
            raise VlanListError(
                text[:40], 0, 40, f"a list of {len(text)} characters is none of VLANs"
            )
        word = _WORD.match(text)
        if word is None:
            # No word of ours in front: a plain list, and `_items` marks what is wrong with it.
            return cls(_items(text, 0))
        if len(word[1]) > len("none"):  # "all but": the rest is the exception
            return cls(ALL_BITS & ~_items(text, word.end()))
        if word.end() != len(text):
            raise VlanListError(
                text, word.end(), len(text), f"nothing may follow {word[1].lower()!r}"
            )
        return cls(ALL_BITS if word[1].lower() == "all" else 0)

    def ranges(self) -> Iterator[tuple[int, int]]:
        """The runs of neighbouring VIDs as (low, high), ascending."""
        return _runs(self.bits)

    def __str__(self) -> str:
        return bits_to_text(self.bits)

    def __repr__(self) -> str:
        return f"VlanSet({str(self)!r})"

    def __iter__(self) -> Iterator[int]:
        for low, high in _runs(self.bits):
            yield from range(low, high + 1)

    def __len__(self) -> int:
        return self.bits.bit_count()

    def __bool__(self) -> bool:
        return self.bits != 0

    def __contains__(self, vid: object) -> bool:
        return isinstance(vid, int) and MIN_VID <= vid <= MAX_VID and bool(self.bits >> vid & 1)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, VlanSet) and self.bits == other.bits

    def __hash__(self) -> int:
        return hash(self.bits)

    def __or__(self, other: VlanSet) -> VlanSet:
        return VlanSet(self.bits | other.bits)

    def __and__(self, other: VlanSet) -> VlanSet:
        return VlanSet(self.bits & other.bits)

    def __sub__(self, other: VlanSet) -> VlanSet:
        return VlanSet(self.bits & ~other.bits)

    def __xor__(self, other: VlanSet) -> VlanSet:
        return VlanSet(self.bits ^ other.bits)

    def __invert__(self) -> VlanSet:
        return VlanSet(ALL_BITS & ~self.bits)

    def __le__(self, other: VlanSet) -> bool:
        """True if every VID of this set is in the other one."""
        return self.bits & ~other.bits == 0


def bit(vid: int | None) -> int:
    """The mask of one VID; 0 for None and for 0, which mean "no VLAN"."""
    return 1 << vid if vid else 0


def bits(mask: int) -> Iterator[int]:
    """The VIDs of a mask, ascending."""
    while mask:
        lowest = mask & -mask
        yield lowest.bit_length() - 1
        mask ^= lowest


def union(masks: Iterable[int]) -> int:
    """The VIDs that are in any of some masks."""
    whole = 0
    for mask in masks:
        whole |= mask
    return whole


def together(every: int, masks: Iterable[int]) -> list[int]:
    """The VIDs of a mask, those together that are in the same of some masks."""
    parts = [every] if every else []
    for mask in dict.fromkeys(masks):
        parts = [part for group in parts for part in (group & mask, group & ~mask) if part]
    return parts


def bits_to_text(bits: int) -> str:
    """The set as people read it: the list, or what is missing from "all", whichever is shorter."""
    if bits == 0:
        return "none"
    if bits == ALL_BITS:
        return "all"
    plain = _list_text(bits)
    if bits.bit_count() * 2 <= MAX_VID:  # a saying by exception only pays for large sets
        return plain
    but = f"all but {_list_text(ALL_BITS & ~bits)}"
    return but if len(but) < len(plain) else plain


def _list_text(bits: int) -> str:
    return ",".join(str(low) if low == high else f"{low}-{high}" for low, high in _runs(bits))


def _runs(bits: int) -> Iterator[tuple[int, int]]:
    shift = 0
    while bits:
        # Shift away the zeros below the run, then its ones: each step costs a run, not a VID.
        gap = (bits & -bits).bit_length() - 1
        bits >>= gap
        length = (~bits & (bits + 1)).bit_length() - 1
        bits >>= length
        low = shift + gap
        shift = low + length
        yield low, shift - 1


def _items(text: str, at: int) -> int:
    bits = 0
    while True:
        item = _ITEM.match(text, at)
        if item is None:
            # The item that cannot be read, up to the next comma: that is what gets the mark.
            bad = re.compile(r"\s*([^,]*?)\s*(?=,|\Z)", re.DOTALL).match(text, at)
            assert bad is not None
            raise VlanListError(
                text,
                bad.start(1),
                bad.end(1),
                f"{bad[1]!r} is not a VLAN number or a range of them",
            )
        # Only an empty item ends where it began: "10,,20", or nothing at all.
        if item[1] is None:
            raise VlanListError(text, at, item.end(), "a VLAN number is missing here")
        low = _vid(text, item, 1)
        if item[2] is None:
            bits |= 1 << low
        else:
            high = _vid(text, item, 2)
            if high < low:
                raise VlanListError(
                    text,
                    item.start(1),
                    item.end(2),
                    f"{low}-{high} runs backwards: write {high}-{low}",
                )
            bits |= (2 << high) - (1 << low)
        at = item.end()
        if at == len(text):
            return bits
        at += 1  # the comma


def _vid(text: str, item: re.Match[str], group: int) -> int:
    digits = item[group]
    # A number of a thousand digits is not converted: `int` would refuse it with words of its own.
    vid = int(digits) if len(digits.lstrip("0")) <= 4 else MAX_VID + 1
    if not MIN_VID <= vid <= MAX_VID:
        shown = digits if len(digits) <= 12 else digits[:9] + "..."
        raise VlanListError(
            text, item.start(group), item.end(group), f"{shown} is not a VLAN number (1 to 4094)"
        )
    return vid
