"""Edits made in the units of systemd-networkd: which VLANs the port of a bridge is a member of.

A VLAN that comes gets a section of its own behind those that are there; what goes leaves its range,
and a section with nothing left in it goes as well. All else stays as it is written. A unit may be
for several interfaces: it is changed only if all of them are to be alike.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from inkov.campus import Device, Origin, Port
from inkov.edits import Edit, Kind
from inkov.readers.linux.networkd import Unit, assemble_units, read, unit_of
from inkov.readers.reading import Piece
from inkov.readers.rewriting import CannotWrite, Lines
from inkov.vlanset import VlanSet

__all__ = ["read_units", "rewrite_units"]

_WRITTEN = ("tagged", "untagged", "pvid", "accept")
_SECTION = "BridgeVLAN"


def read_units(switch: str, texts: Mapping[str, str]) -> Device:
    """The system that some units describe."""
    part = assemble_units(switch, Origin(), _pieces(texts))
    return part.devices[0]


def _pieces(texts: Mapping[str, str]) -> list[Piece]:
    return [
        piece
        for file, text in texts.items()
        for piece in read(file, text.encode(), account=False).part.pieces
    ]


def rewrite_units(
    texts: Mapping[str, str], device: Device, edits: Sequence[Edit]
) -> dict[str, str]:
    """The texts that change, by their files. `device` is the system as it is with the edits. Raises
    CannotWrite.
    """
    # The system as the units have it now: differences are what has to be written.
    before = read_units(device.name, texts)
    units = [piece.content for piece in _pieces(texts)]
    ports: dict[str, tuple[Unit, str]] = {}
    for edit in edits:
        what = edit.attribute or "the whole of it"
        if edit.kind is not Kind.PORT or edit.attribute not in _WRITTEN:
            raise CannotWrite(f"{edit.kind} {edit.name}, {what}: not written into a unit")
        unit = unit_of(units, edit.name)
        # An interface that no unit is for has its settings from elsewhere.
        if unit is None:
            raise CannotWrite(f"{edit.name}: no unit is for it")
        ports.setdefault(unit.file, (unit, edit.name))
    changed: dict[str, str] = {}
    for file, (unit, name) in ports.items():
        alike = [port for port in device.ports if unit_of(units, port) is unit]
        if len({_membership(device.ports[member]) for member in alike}) > 1:
            raise CannotWrite(f"{file} is for {len(alike)} interfaces, which are not alike then")
        changed[file] = _with_membership(texts[file], before.ports[name], device.ports[name])
    return changed


_Membership = tuple[VlanSet, VlanSet, int | None]


def _membership(port: Port) -> _Membership:
    """The VLANs that a port is a tagged and an untagged member of, and its PVID."""
    tagged = port.tagged.value if port.tagged is not None else None
    untagged = port.untagged.value if port.untagged is not None else None
    pvid = port.pvid.value if port.pvid is not None else None
    return tagged or VlanSet(), untagged or VlanSet(), pvid


def _with_membership(text: str, was: Port, port: Port) -> str:
    unit = _Text(text)
    (tagged_was, untagged_was, pvid_was), (tagged, untagged, pvid) = map(_membership, (was, port))
    gone = (tagged_was | untagged_was) - (tagged | untagged)
    # First what goes, then what comes: a range must not be split for what is put back.
    unit.take_out(gone, ("VLAN", "EgressUntagged"))
    unit.take_out(untagged_was - untagged, ("EgressUntagged",))
    if pvid != pvid_was:
        unit.set_pvid(pvid)
    unit.add(tagged - (tagged_was | unit.listed()), ("VLAN",))
    unit.add(untagged - untagged_was, ("VLAN", "EgressUntagged"))
    return unit.text


class _Text(Lines):
    """A unit as lines."""

    def _sections(self) -> list[tuple[int, int]]:
        """(heading, end) of each section about VLANs; the end is behind its last line that says
        something.
        """
        heads = [n for n, line in enumerate(self.lines) if line.strip().startswith("[")]
        sections = []
        for head, end in zip(heads, [*heads[1:], len(self.lines)], strict=True):
            if self.lines[head].strip() == f"[{_SECTION}]":
                saying = [n for n in range(head, end) if self.lines[n].strip()]
                sections.append((head, saying[-1] + 1))
        return sections

    def _settings(self, *keys: str) -> list[tuple[int, str, str]]:
        """(line, key, value) of the settings with some keys."""
        settings = []
        for head, end in self._sections():
            for number in range(head + 1, end):
                key, equals, value = (part.strip() for part in self.lines[number].partition("="))
                if equals and key in keys:
                    settings.append((number, key, value))
        return settings

    def listed(self) -> VlanSet:
        """The VLANs that the unit names, tagged or not."""
        return VlanSet.from_vids(
            vid for _, _, value in self._settings("VLAN", "EgressUntagged") for vid in _vids(value)
        )

    def take_out(self, vids: VlanSet, keys: Sequence[str]) -> None:
        """The settings without some VLANs; a range that falls apart goes on in a new section."""
        apart: list[tuple[str, str]] = []
        # From the last line on: what is deleted moves only lines behind it.
        for number, key, value in reversed(self._settings(*keys)):
            left = VlanSet.from_vids(_vids(value)) - vids
            if not left:
                del self.lines[number]
            elif len(left) < len(VlanSet.from_vids(_vids(value))):
                first, *others = _ranges(left)
                self.lines[number] = self.lines[number].replace(value, first)
                apart += [(key, path) for path in others]
        self._drop_empty()
        for key, path in reversed(apart):
            self._append([f"{key}={path}"])

    def _drop_empty(self) -> None:
        """Without sections in which nothing is left, and the blank line before each."""
        for head, end in reversed(self._sections()):
            if end == head + 1:
                first = head - 1 if head and not self.lines[head - 1].strip() else head
                del self.lines[first:end]

    def set_pvid(self, pvid: int | None) -> None:
        settings = self._settings("PVID")
        # The last PVID of a unit counts.
        for number, _, value in settings[-1:]:
            if pvid is None:
                del self.lines[number]
                self._drop_empty()
            else:
                self.lines[number] = self.lines[number].replace(value, str(pvid))
        if not settings and pvid is not None:
            self._append([f"PVID={pvid}"])

    def add(self, vids: VlanSet, keys: Sequence[str]) -> None:
        """A section for each range of VLANs that come."""
        for span in _ranges(vids) if vids else ():
            self._append([f"{key}={span}" for key in keys])

    def _append(self, settings: list[str]) -> None:
        """A section behind the others, or at the end."""
        sections = self._sections()
        saying = [n for n, line in enumerate(self.lines) if line.strip()]
        at = sections[-1][1] if sections else saying[-1] + 1
        self.lines[at:at] = ["", f"[{_SECTION}]", *settings]


def _vids(value: str) -> Iterable[int]:
    low, dash, high = value.partition("-")
    return range(int(low), int(high if dash else low) + 1)


def _ranges(vids: VlanSet) -> list[str]:
    return [str(low) if low == high else f"{low}-{high}" for low, high in vids.ranges()]
