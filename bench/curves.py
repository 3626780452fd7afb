"""`make curves`: how time and memory of whole commands grow with inputs that somebody might make on
purpose. Each is run at a size and at twice that size; linear work doubles, and what is not is seen
at once.

    2,000 claims; 1,000 findings; 100,000 files that are not read; 300 switches with 4,094 VLANs and
    trunks left at everything, with nobody behind them, beside the same trunks with ten VLANs.
"""

from __future__ import annotations

import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

VLANS = "".join(f"{vid}: v{vid}\n" for vid in range(2, 4095))


def chained(number: int, table: str, ports: str, passed: str) -> str:
    """A switch sheet, cabled to the switch before it."""
    ends = "".join(
        f"[port {end}]\nmode: trunk\nallowed: {passed}\nnative: none\n" for end in ("u", "d")
    )
    before = f"[neighbours]\nu: s{number - 1}:d\n" if number else ""
    return f"inkov sheet 1\nswitch: s{number}\n[vlans]\n{table}{ports}{ends}{before}"


def claims(folder: Path, size: int) -> None:
    table = "".join(f"{vid}: v{vid}\n" for vid in range(10, 210))
    for number in range(20):
        ports = "".join(
            f"[port {p}]\nvlan: {10 + (p * 7 + number * 31) % 200}\n" for p in range(1, 40)
        )
        (folder / f"s{number}.sheet").write_text(chained(number, table, ports, "10-209"))
    lines = [
        f"  - isolate: [vlan {10 + n % 200}, vlan {10 + (n * 7 + 3) % 200}]\n" for n in range(size)
    ]
    (folder / "plan.yaml").write_text("claims:\n" + "".join(lines))


def findings(folder: Path, size: int) -> None:
    for number in range(size):
        (folder / f"s{number}.sheet").write_text(
            f"inkov sheet 1\nswitch: s{number}\n[vlans]\n10: a\n[port 1..4]\nvlan: 10\n"
            "[port 5]\nvlan: 66\n[port 6]\nmode: trunk\nallowed: 10\n"
        )


def unread(folder: Path, size: int) -> None:
    (folder / "s.sheet").write_text("inkov sheet 1\nswitch: s\n[port 1]\nvlan: 1\n")
    for number in range(size):
        below = folder / str(number // 1000)
        below.mkdir(exist_ok=True)
        (below / f"{number}.dat").write_text(f"nothing {number}\n")


def trunks(passed: str) -> Callable[[Path, int], None]:
    def write(folder: Path, size: int) -> None:
        allowed = f"allowed: {passed}\n" if passed else ""
        for number in range(size):
            ports = f"[port 1..4]\nvlan: {10 + number % 5}\n[port 9]\nmode: trunk\n{allowed}"
            text = chained(number, VLANS, ports, "10-14")
            (folder / f"s{number}.sheet").write_text(text)

    return write


CURVES: list[tuple[str, Callable[[Path, int], None], int, list[str]]] = [
    ("claims", claims, 1000, ["prove"]),
    ("findings, as text", findings, 500, ["audit"]),
    ("findings, as JSON", findings, 500, ["audit", "-f", "json"]),
    ("files that are not read", unread, 50_000, ["read"]),
    ("trunks with ten VLANs", trunks("10-19"), 150, ["prove"]),
    ("trunks left at everything", trunks(""), 150, ["prove"]),
    ("the same, hostile hosts", trunks(""), 150, ["prove", "--level", "hostile"]),
]


def run(command: list[str], folder: Path) -> tuple[float, float]:
    """Seconds, and megabytes at most, of a command that writes to a pipe."""
    start = time.perf_counter()
    inkov = [sys.executable, "-m", "inkov", *command, str(folder)]
    with subprocess.Popen(inkov, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL) as started:
        assert started.stdout is not None
        while started.stdout.read(1 << 20):
            pass
    most = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024
    return time.perf_counter() - start, most


def main() -> None:
    print(f"{'':28}{'size':>9}{'seconds':>9}{'growth':>8}{'MB so far':>11}")
    for name, write, size, command in CURVES:
        before = 0.0
        for count in (size, 2 * size):
            with tempfile.TemporaryDirectory() as folder:
                write(Path(folder), count)
                seconds, most = run(command, Path(folder))
            growth = f"{seconds / before:8.1f}" if before else " " * 8
            print(f"{name:28}{count:>9}{seconds:>9.1f}{growth}{most:>11.0f}", flush=True)
            before = seconds


if __name__ == "__main__":
    main()
