"""Makes the pictures in docs/screenshots: each command in a terminal window on a virtual screen, on
the demo campus.

Needs, from Debian: xvfb, xterm, imagemagick, fonts-dejavu-core, chromium; and Matplotlib.
"""

from __future__ import annotations

import os
import shlex
import subprocess
import sys
import tempfile
import time
from pathlib import Path

SHOTS = {
    "overview": "inkov overview garden",
    "read": "inkov read garden",
    "vlans": "inkov vlans garden",
    "ports": "inkov ports garden --switch core-1",
    "trunks": "inkov trunks garden",
    "audit": (
        "inkov audit garden --only trunk-meets-access --only untagged-vlan-differs "
        "--only vlan-missing-in-transit --only allowed-differs --only list-replaced"
    ),
    "prove": "inkov prove garden",
    "verify": (
        "inkov prove garden --certificate c.json > /dev/null; inkov verify c.json garden;"
        " inkov prove repaired --certificate r.json > /dev/null; inkov verify r.json repaired"
    ),
    "mend": (
        "inkov mend garden --rule trunk-meets-access --rule allowed-differs"
        " --rule host-gateway-wrong"
    ),
    "tree": "inkov tree glasshouses --switch palm-2 --down",
    "withstand": "inkov withstand glasshouses",
    "compare": "inkov compare repaired proposed",
    "comment": "inkov compare repaired proposed --format markdown | fold -s -w 125",
    "hears": "inkov hears orchard-1:6 garden --level hostile",
    "follow": "inkov follow core-1:port-13 pond-1:port-1 garden",
    "why": "inkov why valve-9 irrigation-server garden",
    "dialect": (
        "inkov dialect check garden/rill.toml garden/barn-1.txt --against garden/port-plan.csv"
    ),
}
"""File name -> command, run where the demo campus is."""
FIGURES = {
    "draw": "inkov draw garden -o draw.png",
    "report": (
        "inkov report garden -o report.html --by Rosemary && chromium --headless --no-sandbox"
        " --disable-gpu --disable-background-networking --user-data-dir=profile --hide-scrollbars"
        " --window-size=1280,1500 --screenshot=report.png report.html"
    ),
}
"""File name -> command that makes the picture itself."""

SCREEN = (1280, 800)
DISPLAY = ":97"
TRIM = ("-trim", "+repage")
FOLDER = Path(__file__).parent / "screenshots"


def shoot(name: str, command: str, demo: Path) -> None:
    """Run `command` in a terminal window and keep what the window shows."""
    done = demo / ".done"
    done.unlink(missing_ok=True)
    title = shlex.quote(command)
    shown = (
        f"printf '\\033[?25l\\033[1m$ %s\\033[0m\\n' {title}; {command}; touch {done}; exec"
        " sleep 60"
    )
    window = subprocess.Popen(
        [
            "xterm",
            "-geometry",
            "126x45+0+0",
            "-fa",
            "DejaVu Sans Mono",
            "-fs",
            "10",
            "-bg",
            "#fbfbf8",
            "-fg",
            "#222222",
            "-b",
            "12",
            "+sb",
            "-xrm",
            "xterm*cursorColor: #fbfbf8",
            "-e",
            "sh",
            "-c",
            shown,
        ],
        cwd=demo,
        env={**os.environ, "DISPLAY": DISPLAY},
    )
    try:
        deadline = time.monotonic() + 30
        while not done.exists() and time.monotonic() < deadline:
            time.sleep(0.05)
        before = b""
        while True:  # until the window has drawn everything
            time.sleep(0.7)
            picture = subprocess.run(
                ["import", "-display", DISPLAY, "-window", "root", "png:-"],
                check=True,
                capture_output=True,
            ).stdout
            if picture == before or time.monotonic() > deadline:
                break
            before = picture
    finally:
        window.terminate()
        window.wait()
    target = FOLDER / f"{name}.png"
    subprocess.run(
        [
            "convert",
            "png:-",
            "-bordercolor",
            "#fbfbf8",
            *TRIM,
            "-border",
            "1",
            *TRIM,
            "-border",
            "14",
            "-strip",
            "-colors",
            "64",
            str(target),
        ],
        input=picture,
        check=True,
    )
    print(target)


def figure(name: str, command: str, demo: Path) -> None:
    """Keep the picture that a command makes."""
    subprocess.run(["sh", "-c", command], cwd=demo, check=True, stderr=subprocess.DEVNULL)
    target = FOLDER / f"{name}.png"
    made = str(demo / f"{name}.png")
    subprocess.run(
        ["convert", made, "-resize", "1280x", "-strip", "-colors", "64", str(target)], check=True
    )
    print(target)


def main() -> None:
    wanted = sys.argv[1:] or [*SHOTS, *FIGURES]
    FOLDER.mkdir(exist_ok=True)
    width, height = SCREEN
    screen = subprocess.Popen(
        ["Xvfb", DISPLAY, "-screen", "0", f"{width}x{height}x24"], stderr=subprocess.DEVNULL
    )
    try:
        with tempfile.TemporaryDirectory() as folder:
            os.environ["PATH"] = f"{Path(sys.executable).parent}{os.pathsep}{os.environ['PATH']}"
            subprocess.run(
                ["inkov", "demo", folder + "/demo"], check=True, stdout=subprocess.DEVNULL
            )
            for name in wanted:
                take = shoot if name in SHOTS else figure
                take(name, {**SHOTS, **FIGURES}[name], Path(folder) / "demo")
    finally:
        screen.terminate()
        screen.wait()


main()
