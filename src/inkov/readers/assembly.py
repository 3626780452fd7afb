"""From the parts that files gave to one campus.

Three things happen here, in this order: what several files tell of a system piece by piece is put
together; files of one folder that hold different halves of a device are joined; and all parts
become one campus, in which a switch that several files describe is there once. No file is opened.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping
from itertools import groupby
from pathlib import PurePath

from inkov.campus import Basis, Campus, Device, Origin, Problem
from inkov.readers.linux import lists, networkd
from inkov.readers.openconfig.acl import bind_filters
from inkov.readers.openconfig.halves import read_halves
from inkov.readers.reading import Binding, Part, Piece

__all__ = ["assemble", "put_together"]


def assemble(
    parts: list[tuple[str, Part]],
    problems: list[Problem],
    formats: dict[str, str],
    contents: Mapping[str, bytes],
) -> Campus:
    """One campus of all parts. `contents` are the bytes of files that may hold a part of a device.

    The same device in two files of one format is a problem, and the first, by path, is kept. In
    files of different formats it is a second source: the first counts, the second is kept to be
    compared.
    """
    devices: dict[str, Device] = {}
    kinds: dict[str, str] = {}
    bindings: dict[str, list[Binding]] = {}
    campus = Campus(problems=problems)
    for file, part in sorted(_joined(parts, contents), key=lambda item: item[0]):
        kind = formats.get(file, "").partition(",")[0]
        problems.extend(part.problems)
        # Neighbours of a switch that is left out would speak for the one that is kept.
        kept = set()
        for device in part.devices:
            # Two kinds of source may both be right: the second is compared, and does not forward.
            if device.name in devices and kind != kinds[device.name]:
                campus.others.append(device)
                kept.add(device.name)
            elif device.name in devices:
                says = (
                    f"switch {device.name!r} is already described by"
                    f" {devices[device.name].origin.file}; left out here"
                )
                problems.append(
                    Problem(device.origin, says, "keep one of the files, or correct the name", True)
                )
            else:
                devices[device.name] = device
                kinds[device.name] = kind
                bindings[device.name] = part.bindings
                kept.add(device.name)
        campus.neighbours += [n for n in part.neighbours if n.device in kept or not part.devices]
        campus.cables += part.cables
        campus.hosts += part.hosts
        campus.planned += part.planned
    campus.devices = dict(sorted(devices.items()))
    for device in campus.devices.values():
        problems.extend(bind_filters(device, bindings.get(device.name, ())))
    return campus


_FAMILIES: dict[str, Callable[[str, Origin, list[Piece]], Part]] = {
    "linux": lists.assemble,
    "networkd": networkd.assemble_units,
}
_DROP_INS = (".network.d", ".netdev.d")  # folders of settings that add to a unit beside them
_SYSTEM_FOLDERS = {"etc", "systemd", "network", "run", "lib", "usr", "local"}


def put_together(parts: list[tuple[str, Part]]) -> list[tuple[str, Part]]:
    """The systems that several files describe piece by piece, each by its family's `assemble`."""
    systems: dict[tuple[str, str], list[tuple[Piece, Part]]] = {}
    names: dict[str, tuple[str, str, Part]] = {}
    for file, part in parts:
        for piece in part.pieces:
            # The name of a Linux system stands in a file of its own, beside those that it names.
            if piece.family == "name":
                names[system_of(file, piece.family)] = piece.content, file, part
                continue
            systems.setdefault((system_of(file, piece.family), piece.family), []).append(
                (piece, part)
            )
    wholes = []
    for (place, family), members in sorted(systems.items()):
        name = PurePath(os.path.abspath(place)).name
        pieces = [piece for piece, _ in members]
        says = (
            f"these files state no name: named {name!r} after"
            f" {'where they are' if os.path.isdir(place) else 'them'}"
        )
        origin = Origin(pieces[0].file, basis=Basis.ASSUMED, says=says)
        # A stated name counts, and the file that states it is a part of the system.
        if place in names:
            name, stated_in, part = names[place]
            origin, part.joined = Origin(stated_in, 1), name
        whole = _FAMILIES[family](name, origin, pieces)
        for _, part in members:
            part.joined = name
        wholes.append((pieces[0].file, whole))
    return wholes


def system_of(file: str, family: str) -> str:
    """Where the system of a piece is: the path up to the first dot of `NAME.WHAT.json`, or else the
    folder.
    """
    folder, name = os.path.split(file)
    if family != "networkd" and name.count(".") > 1:
        return os.path.join(folder, name.partition(".")[0])
    # What lies deep in the folders of a system belongs to the system, not to the folder.
    while os.path.basename(folder) in _SYSTEM_FOLDERS or folder.endswith(_DROP_INS):
        folder = os.path.dirname(folder)
    return folder or "."


def _joined(parts: list[tuple[str, Part]], contents: Mapping[str, bytes]) -> list[tuple[str, Part]]:
    """Join the halves of a device: files of one folder that hold different containers, at most one
    of them named.
    """
    result: list[tuple[str, Part]] = []
    parts = sorted(parts, key=lambda item: (os.path.dirname(item[0]), item[0]))
    for folder, group in groupby(parts, key=lambda item: os.path.dirname(item[0])):
        members = list(group)
        halves = [(file, part) for file, part in members if part.about]
        about = [name for _, part in halves for name in part.about]
        named = [file for file, part in halves if part.named]
        # Two files that tell of the same thing are two devices, as are two names.
        if len(halves) < 2 or len(about) != len(set(about)) or len(named) > 1:
            result += members
            continue
        whole = read_halves([(file, contents[file]) for file, _ in halves], folder)
        for _, part in halves:
            part.joined = whole.devices[0].name
        # What a half said is in the whole now: it must not be there a second time.
        result.append(((named or [file for file, _ in halves])[0], whole))
        result += [member for member in members if not member[1].about]
    return result
