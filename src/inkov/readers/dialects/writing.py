"""Whether what a dialect reads can be written as well: edits are tried on its examples.

For each thing that the examples say (a VLAN's name, a port's list, ...) another value is tried, and
VLANs that come and go. `rewrite` writes it and reads it back; what is not read as it was meant, or
is said nowhere such that it could be a pattern, cannot be written. That is no fault of a dialect:
an example that says more makes it possible.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

from msgspec import Struct

from inkov.campus import Campus, Device, Fact, Vlan
from inkov.edits import Edit, Kind, apply, difference
from inkov.edits.make import of_port, of_row, row_gone
from inkov.readers.dialects.file import Dialect
from inkov.readers.dialects.read import read_text
from inkov.readers.dialects.rewrite import rewriter
from inkov.readers.rewriting import CannotWrite, deciding
from inkov.readers.sheets.words import PORT_KEYS
from inkov.vlanset import VlanSet, bit

__all__ = ["Written", "writings"]

_ROOM = VlanSet.from_range(2, 4000)


class Written(Struct, frozen=True):
    """Something that texts say, by its word in a sheet: whether another value can be written, and
    if not why.
    """

    what: str
    done: bool
    says: str = ""


def writings(dialect: Dialect, texts: Iterable[str] = ()) -> list[Written]:
    """What can be written into texts of a dialect, tried on its examples and on some texts."""
    sources = [*(example.text for example in dialect.examples), *texts]
    rewrite = rewriter(dialect, sources)
    tried: dict[str, Written] = {}
    for text in sources:
        part = read_text(dialect, "", text.encode()).part
        if len(part.devices) != 1:
            continue
        device = part.devices[0]
        for what, edits in _trials(device):
            # Once written is enough: another text need not show it as well.
            if what in tried and tried[what].done:
                continue
            wanted = apply(Campus(devices={device.name: device}), edits)
            try:
                written = rewrite(text, wanted.devices[device.name], edits)
            except CannotWrite as error:
                # Another text may have a pattern for it.
                tried.setdefault(what, Written(what, False, str(error)))
                continue
            back = read_text(dialect, "", written.encode()).part.devices
            # Reading back is the only proof that it was written.
            alike = len(back) == 1 and not deciding(
                difference(wanted, Campus(devices={device.name: back[0]}))
            )
            says = "" if alike else "it is not read back as it was meant"
            tried[what] = Written(what, alike, says)
    return list(tried.values())


def _trials(device: Device) -> Iterator[tuple[str, list[Edit]]]:
    """For each thing that a text says an edit of it, under the thing's word in a sheet."""
    vids = VlanSet.from_vids(device.vlans or {})
    new = next(iter(_ROOM - vids))
    # Where the table is the membership, a VLAN comes and goes with its ports.
    if device.vlans is not None and not device.table_is_membership:
        named = any(row.name is not None for row in device.vlans.values())
        name = Fact("otherwise", device.origin) if named else None
        row = Vlan(new, device.origin, name)
        yield "a new VLAN", [Edit(device.name, Kind.VLAN, str(new), "", None, row)]
        for vid, row in device.vlans.items():
            if row.name is not None:
                yield "the name of a VLAN", [of_row(device.name, row, "name", "otherwise")]
            if row.active is not None:
                after = not row.active.value
                yield "the state of a VLAN", [of_row(device.name, row, "active", after)]
            # A VLAN that a port names cannot go by itself.
            if not any(_names(port, vid) for port in device.ports.values()):
                yield "a VLAN that goes", row_gone(device, vid)
    for port in device.ports.values():
        # The PVID and the untagged VLAN are one thing that texts say in one line.
        if port.pvid is not None and port.untagged is not None:  # of one VLAN, both change
            for vid in list(vids - VlanSet(bit(port.pvid.value) & ~1))[:1]:
                yield (
                    "untagged",
                    [
                        of_port(device.name, port, "pvid", vid),
                        of_port(device.name, port, "untagged", VlanSet.of(vid)),
                    ],
                )
        for key, (attribute, _) in PORT_KEYS.items():
            fact = getattr(port, attribute) if attribute not in ("pvid", "untagged") else None
            if isinstance(fact, Fact):
                for after in _others(fact.value, vids):
                    yield key, [of_port(device.name, port, attribute, after)]


def _names(port: Any, vid: int) -> bool:
    values = [getattr(port, attribute) for attribute, _ in PORT_KEYS.values()]
    return any(
        vid in fact.value if isinstance(fact.value, VlanSet) else vid == fact.value
        for fact in values
        if isinstance(fact, Fact) and not isinstance(fact.value, bool)
    )


def _others(value: Any, vids: VlanSet) -> Iterator[Any]:
    """Other values that could stand for one; none where it is not known what could."""
    if isinstance(value, bool):
        yield not value
    elif isinstance(value, VlanSet):
        more, less = vids - value, list(value)
        if more:
            yield value | VlanSet.of(next(iter(more)))
        if len(less) > 1:
            # The last VLAN of a list cannot go: an empty list is often no list.
            yield value - VlanSet.of(less[-1])
    elif isinstance(value, int) and value in vids:
        yield from list(vids - VlanSet.of(value))[:1]
