"""What a shell offers when TAB is pressed: rules, and the switches, VLANs, ports and hosts of the
CONFIGS that stand on the line already. Nothing is said where nothing is known.
"""

from __future__ import annotations

import os
from collections.abc import Iterable
from enum import StrEnum
from typing import TYPE_CHECKING, Annotated

import typer

from inkov.cli.says import say

if TYPE_CHECKING:
    from inkov.campus import Campus

__all__ = ["completion", "places", "rules", "switches", "vlans"]


_FEW = 300  # files and folders


class Shell(StrEnum):
    BASH = "bash"
    ZSH = "zsh"
    FISH = "fish"


def completion(
    shell: Annotated[Shell, typer.Argument(metavar="SHELL", help="bash, zsh or fish.")],
) -> None:
    """What a shell reads to complete commands, options and names."""
    from typer._completion_shared import get_completion_script

    script = get_completion_script(
        prog_name="inkov", complete_var="_INKOV_COMPLETE", shell=shell.value
    )
    say(script)


def rules(incomplete: str) -> list[str]:
    """Rules that begin so."""
    from inkov.checks import CATALOGUE

    return _beginning(CATALOGUE, incomplete)


def switches(ctx: typer.Context, incomplete: str) -> list[str]:
    """Switches that begin so."""
    campus = _campus(ctx)
    return _beginning(campus.devices, incomplete) if campus is not None else []


def vlans(ctx: typer.Context, incomplete: str) -> list[str]:
    """VLAN numbers that begin as the last item of a list does."""
    campus = _campus(ctx)
    # Nothing is known: nothing is offered.
    if campus is None:
        return []
    before, comma, last = incomplete.rpartition(",")
    vids = sorted({vid for device in campus.devices.values() for vid in device.vlans or {}})
    return [f"{before}{comma}{vid}" for vid in vids if str(vid).startswith(last)]


def first_places(ctx: typer.Context, incomplete: str) -> list[str]:
    """The same as `places`, where they stand before the CONFIGS: those of the folder are meant."""
    return _places(_campus(ctx, here=True), incomplete)


def places(ctx: typer.Context, incomplete: str) -> list[str]:
    """Hosts, switches, and behind the colon the ports of one."""
    return _places(_campus(ctx), incomplete)


def _places(campus: Campus | None, incomplete: str) -> list[str]:
    if campus is None:
        return []
    # A switch, and then its ports.
    switch, colon, port = incomplete.partition(":")
    if colon:
        device = campus.devices.get(switch)
        names = _beginning(device.ports, port) if device is not None else []
        return [f"{switch}:{name}" for name in names]
    hosts = [host.name for host in campus.hosts]
    return _beginning([*hosts, *(f"{name}:" for name in campus.devices)], incomplete)


def _beginning(names: Iterable[str], incomplete: str) -> list[str]:
    return sorted({name for name in names if name.startswith(incomplete) and name.isprintable()})


def _is_small(folder: str) -> bool:
    """Whether a folder holds few files, below it as well: one that a prompt can wait for."""
    left = _FEW
    for _, folders, files in os.walk(folder):
        # What is hidden is not read either.
        folders[:] = [name for name in folders if not name.startswith(".")]
        left -= len(files) + len(folders)
        if left < 0:
            return False
    return True


def _campus(ctx: typer.Context, *, here: bool = False) -> Campus | None:
    """The campus of the CONFIGS on the line, or else of what is `here`, if that is little; None if
    there are none, or none can be read.
    """
    from inkov.readers import load

    # While a line is completed, what is on it may not have been told apart yet.
    named = ctx.params.get("configs") or [word for word in ctx.args if os.path.exists(word)]
    # A folder too large to be read while somebody waits.
    if not named and here and _is_small("."):
        named = ["."]
    if not named:
        return None
    try:
        return load(named).campus
    except Exception:  # a shell's prompt is no place for messages
        return None
