"""A command as it stands on a screen of some width, in colour or not, run in this process."""

from __future__ import annotations

import re
from typing import Any
from unittest.mock import patch

from inkov.cli.output import Output
from inkov.render.terminal import Screen
from tests.conftest import run_inkov

_CODE = re.compile(r"\x1b\[([0-9;]*)m")


def on_screen(*asked: Any, width: int | None = None, colour: bool = False, **more: Any) -> str:
    """What a command shows on a screen; `width` None: as wide as the text is."""
    screen = property(lambda self: Screen(width, colour=colour))
    with patch.object(Output, "screen", screen):
        return run_inkov(*asked, **more).out


def styled(text: str) -> list[tuple[str, str]]:
    """The texts of a screen in colour, each with its codes; those without a style are left out."""
    told, code = [], ""
    for at, piece in enumerate(_CODE.split(text)):
        if at % 2:
            code = "" if piece in ("", "0") else piece
        elif code and piece.strip():
            told.append((code, piece.strip()))
    return told


BOLD, DIM, BREACH, WORSE, GOOD, HEAD = "1", "2", "1;37;41", "1;35", "1;32", "1;4"
