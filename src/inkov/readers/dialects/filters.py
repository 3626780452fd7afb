"""Packet filters in texts, entry by entry."""

from __future__ import annotations

from typing import Any

from inkov.campus import Device, Filter, FilterEntry
from inkov.readers.dialects.binding import Bound
from inkov.readers.dialects.inherit import Step
from inkov.readers.sheets.words import BadLine, filter_entry, unclear_entry

__all__ = ["change_filter"]


def change_filter(device: Device, step: Step, bound: Bound, name: str) -> None:
    """Do what a clause says of a filter. BadLine for an entry that is none."""
    if bound.operator == "gone":
        device.filters.pop(name, None)
        return
    entries = device.filters.setdefault(name, Filter(name, step.origin, [])).entries
    # A line of the filter that no form took: it may let anything pass.
    if bound.operator == "unclear":
        entries.insert(0, unclear_entry(step.origin))
    if bound.attribute != "entry":
        return
    if bound.operator in ("=", "unset"):
        entries.clear()
    if bound.operator == "unset":
        return
    number, text = bound.value
    # Without a number an entry comes behind the others.
    number = number or str(max((entry.number for entry in entries), default=0) + 1)
    try:
        entry = filter_entry(number, text, step.origin)
    except ValueError:
        # Lost, it must not look as if it stopped what it lets pass.
        entries.insert(0, unclear_entry(step.origin))
        raise
    if bound.operator == "-":
        entries[:] = [known for known in entries if _says(known) != _says(entry)]
        return
    same = [known for known in entries if known.number == entry.number]
    # Another one with its number: languages differ in whether it replaces that, or is refused.
    if any(_says(known) != _says(entry) for known in same):
        entries.insert(0, unclear_entry(step.origin))
        raise BadLine(
            f"another entry {entry.number} is there already: which counts is not known",
            "look which of them does on the switch, and leave the other out",
        )
    if not same:
        entries.append(entry)
        entries.sort(key=lambda entry: entry.number)


def _says(entry: FilterEntry) -> tuple[Any, ...]:
    """What an entry says, wherever it stands."""
    return entry.accepts, entry.source, entry.destination, entry.finer
