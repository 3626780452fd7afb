"""What unstated settings mean on switches of a make, as the plan says, by the keys of switch
sheets.
"""

from __future__ import annotations

from collections.abc import Mapping
from fnmatch import fnmatchcase
from typing import Protocol

from msgspec.structs import replace

from inkov.campus import Basis, Campus, Device, Fact, Origin, Platform, Problem
from inkov.readers.sheets.words import PORT_KEYS

__all__ = ["Make", "known_as", "shape"]


class Make(Protocol):
    """A platform as a plan describes it."""

    @property
    def files(self) -> list[str]: ...
    @property
    def switches(self) -> list[str]: ...
    @property
    def unstated(self) -> dict[str, str]: ...
    @property
    def origin(self) -> Origin: ...


def known_as(device: Device, make: Make) -> bool:
    """True if a device is of a make, by its name or by its file's name or path."""
    file = device.origin.file.replace("\\", "/")
    return any(fnmatchcase(device.name, pattern) for pattern in make.switches) or any(
        fnmatchcase(file, pattern) or fnmatchcase(file.rpartition("/")[2], pattern)
        for pattern in make.files
    )


def shape(campus: Campus, makes: Mapping[str, Make]) -> list[Problem]:
    """Give each switch the make that the plan says it is of; what cannot be used of the plan is
    told.
    """
    problems: list[Problem] = []
    for name, make in makes.items():
        unstated: dict[str, Fact[object]] = {}
        for key, text in make.unstated.items():
            # The other keys of the make still count: a plan with one slip is not a plan without
            # platforms.
            if key not in PORT_KEYS:
                problems.append(
                    Problem(
                        make.origin,
                        f"{key!r} is not a key of a port",
                        f"one of: {', '.join(PORT_KEYS)}",
                    )
                )
                continue
            attribute, read = PORT_KEYS[key]
            try:
                unstated[attribute] = Fact(
                    read(text),
                    Origin(basis=Basis.DEFAULT, says=f"{name}: {key} is {text} unless stated"),
                )
            except ValueError as error:
                problems.append(Problem(make.origin, f"{key}: {str(error).partition(chr(10))[0]}"))
        fitting = [device for device in campus.devices.values() if known_as(device, make)]
        for device in fitting:
            # Not set: another campus, with another plan, may have the same device.
            platform = Platform(name, {**device.platform.unstated, **unstated})
            campus.devices[device.name] = replace(device, platform=platform)
        # A make without patterns is one that nobody is meant to be of yet.
        if not fitting and (make.files or make.switches):
            known = ", ".join((*make.switches, *make.files))
            problems.append(
                Problem(make.origin, f"no switch is of the make {name!r} (known by {known})")
            )
    return problems
