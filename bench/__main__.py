"""`make bench`: times each stage on generated campuses and prints it as a multiple of decoding the
same files.

The floor is what any program must do that reads such files: open each, and decode its JSON with the
standard library. Floor and stage are measured in the same run, in turn, several times; the medians'
ratio is printed. `--floor fast` takes the typed decoder's untyped mode as floor instead, which is
stricter.
"""

from __future__ import annotations

import argparse
import gc
import json
import re
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

import msgspec

from bench.campus import write_campus
from bench.formats import write_texts, write_walks
from inkov.campus import Campus, Fact, Mode, Origin, Tree, TreeMode
from inkov.checks import audit
from inkov.forwarding import Fabric, resolve
from inkov.forwarding.domains import domains
from inkov.forwarding.reach import flood, sendings_at
from inkov.forwarding.trees.loss import Kind, all_losses
from inkov.forwarding.trees.losses import Losses
from inkov.forwarding.trees.spanning import spanning_trees
from inkov.learn import Pair, learn
from inkov.levels import Level
from inkov.plan import Claim, Plan, PlanFile
from inkov.proofs import Verdict, prove
from inkov.proofs.seats import all_seats
from inkov.readers import load
from inkov.readers.dialects import compile_dialect, read_text
from inkov.survey.trees import distinct_trees, tree_row
from inkov.survey.withstand import loss_rows
from inkov.verify import PacketModel
from inkov.verify.certificates import verify_entry
from inkov.vlanset import VlanSet
from inkov.wiring import wire

LIMITS = {
    "read": 5.0,
    "resolve and domains": 6.0,
    "hears": 0.1,
    "audit, files to findings": 12.0,
    "checks alone": 4.0,
    "prove, files to verdicts": 12.0,
    "prove 50 hostile claims": 15.0,
}
"""The most each stage may cost at 1,000 switches, in multiples of the floor."""

COMPARE_LIMIT = 1.3
"""The most that comparing may cost beyond reading both sides, in multiples of one audit, files to
findings.
"""
_MISTAKES = 20
MEND_LIMIT = 5.0
"""The most that mending twenty mistakes may cost, in multiples of one audit."""
LOOK_LIMITS = {"overview": 1.2, "draw": 1.2, "report": 1.5, "mend": 5.0}
"""The most that whole commands may cost, in multiples of one audit, files to findings."""
WHY_LIMIT = 1.5
"""The most that the answer to a ticket may cost, in multiples of one audit, files to findings."""


def timed(work: Callable[[], Any]) -> float:
    gc.collect()
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


def decode_all(files: list[Path], decode: Callable[[bytes], Any]) -> None:
    for file in files:
        decode(file.read_bytes())


def stages(paths: list[str], floor: Callable[[], None]) -> dict[str, Callable[[], Any]]:
    """What is timed, by name, on a campus that was read once."""
    campus = load(paths).campus
    fabric = resolve(campus, wire(campus))
    port = next(p for p in fabric.bridge_ports if fabric.is_host_port(p))

    def files_to_findings() -> None:
        fresh = load(paths).campus
        assert not audit(resolve(fresh, wire(fresh))).findings, (
            "the generated campus is meant to be clean"
        )

    vids = sorted({seat.vid for seat in all_seats(fabric)})
    claims = [
        Claim(isolate=[f"vlan {vid}"], from_=["everything"], level=Level.HOSTILE)
        for vid in vids[:50]
    ]
    plan = Plan(PlanFile(claims=claims))

    def files_to_verdicts() -> None:
        fresh = load(paths).campus
        assert {v.verdict for v in prove(resolve(fresh, wire(fresh)))} == {"holds"}

    def files_to_fifty() -> None:
        fresh = load(paths).campus
        assert {v.verdict for v in prove(resolve(fresh, wire(fresh)), plan)} == {"holds"}

    return {
        "floor": floor,
        "read": lambda: load(paths),
        "resolve and domains": lambda: domains(resolve(campus, wire(campus))),
        "hears": lambda: list(
            flood(fabric, sendings_at(fabric, [port.number], Level.HONEST), Level.HONEST).heard()
        ),
        "checks alone": lambda: audit(fabric),
        "audit, files to findings": files_to_findings,
        "prove, files to verdicts": files_to_verdicts,
        "prove 50 hostile claims": files_to_fifty,
    }


def measure(files: list[Path], decode: Callable[[bytes], Any], runs: int) -> dict[str, float]:
    """Medians in seconds, the floor first."""
    seconds: dict[str, list[float]] = {}
    for _ in range(runs):
        for name, work in stages(
            [str(file) for file in files], lambda: decode_all(files, decode)
        ).items():
            seconds.setdefault(name, []).append(timed(work))
    return {name: statistics.median(times) for name, times in seconds.items()}


def comparing(files: list[Path], runs: int) -> None:
    """Whole commands: `inkov compare` of a campus with itself, one port being in another VLAN, less
    the time of reading both sides; over `inkov audit`.
    """
    with tempfile.TemporaryDirectory() as folder:
        after = Path(folder) / "after"
        shutil.copytree(files[0].parent, after)
        changed = next(path for path in sorted(after.iterdir()) if "access" in path.name)
        text = changed.read_text()
        first, other = re.findall(r'"access-vlan": *\d+', text)[:2]
        changed.write_text(text.replace(first, other, 1))
        before = str(files[0].parent)

        audited, compared, read = [], [], []
        for _ in range(runs):
            read.append(timed(lambda: load([before])))
            compared.append(timed(lambda: command("compare", before, str(after))))
            audited.append(timed(lambda: command("audit", before)))
        ratio = (min(compared) - 2 * min(read)) / min(audited)
        print(
            f"  compare, one file differs    {ratio:6.2f} x one audit   at most {COMPARE_LIMIT:g}"
        )


def asking(files: list[Path], runs: int) -> None:
    """Whole commands: `inkov why`, where the uplinks of a switch lost the VLAN of a host; over
    `inkov audit`.
    """
    campus = load([str(file) for file in files]).campus
    device = next(d for name, d in campus.devices.items() if "access" in name)
    own = [port.access_vlan.value for port in device.ports.values() if port.access_vlan is not None]
    vid = next(vid for vid in own if _hosts(campus, vid, device.name))
    here, there = (
        _hosts(campus, vid, device.name, here=True)[0],
        _hosts(campus, vid, device.name)[-1],
    )
    with tempfile.TemporaryDirectory() as folder:
        broken = Path(folder) / "broken"
        shutil.copytree(files[0].parent, broken)
        changed = broken / Path(device.origin.file).name
        # In a list of VLANs each stands on a line of its own.
        changed.write_text(re.sub(rf"(?m)^\s*{vid},\n", "", changed.read_text()))
        asked, audited = [], []
        for _ in range(runs):
            asked.append(
                timed(lambda: command("why", ":".join(here), ":".join(there), str(broken)))
            )
            audited.append(timed(lambda: command("audit", str(broken))))
    ratio = min(asked) / min(audited)
    print(f"  why, VLAN lost on uplinks    {ratio:6.2f} x one audit   at most {WHY_LIMIT:g}")


def mending(files: list[Path], runs: int) -> None:
    """Whole commands: `inkov mend`, where twenty lists lack a VLAN of hosts; over `inkov audit`."""
    with tempfile.TemporaryDirectory() as folder:
        broken = Path(folder) / "broken"
        shutil.copytree(files[0].parent, broken)
        left = _MISTAKES
        for path in sorted(broken.glob("access-*")):
            text = path.read_text()
            vid = re.search(r'"access-vlan": *(\d+)', text)
            begin = text.find('"trunk-vlans"')
            if left and vid is not None and begin >= 0:
                lists = re.sub(rf"(?m)^\s*{vid[1]},\n", "", text[begin:], count=1)
                path.write_text(text[:begin] + lists)
                left -= lists != text[begin:]
        assert not left
        mended = min(timed(partial(command, "mend", str(broken))) for _ in range(runs))
        audited = min(timed(partial(command, "audit", str(broken))) for _ in range(runs))
    ratio = mended / audited
    most = f"at most {MEND_LIMIT:g}"
    print(f"  mend, {_MISTAKES} lists lack a VLAN    {ratio:6.2f} x one audit   {most}")


def looking(files: list[Path], runs: int) -> None:
    """Whole commands that show the campus, and one that places a VLAN on thirty switches; over
    `inkov audit`.
    """
    with tempfile.TemporaryDirectory() as folder:
        campus = Path(folder) / "campus"
        shutil.copytree(files[0].parent, campus)
        names = [path.stem for path in sorted(campus.glob("access-*"))]
        placed = ", ".join(names[:: max(1, len(names) // 30)][:30])
        plan = Path(folder) / "plan.yaml"
        plan.write_text(f"vlans:\n  61: {{name: seedlings, on: [{placed}]}}\n")
        audited = min(timed(partial(command, "audit", str(campus))) for _ in range(runs))
        for name, *words in (
            ("overview", str(campus)),
            ("draw", str(campus), "-o", f"{folder}/campus.svg"),
            ("report", str(campus), "-o", f"{folder}/campus.html"),
            ("mend", str(campus), "--plan", str(plan), "--as-planned"),
        ):
            taken = min(timed(partial(command, name, *words)) for _ in range(runs))
            most = LOOK_LIMITS[name]
            print(f"  {name:<28} {taken / audited:6.2f} x one audit   at most {most:g}")


def command(*words: str) -> None:
    """Run the program, which may find something."""
    done = subprocess.run(
        [sys.executable, "-m", "inkov", *words, "-q"], check=False, capture_output=True, text=True
    )
    assert done.returncode in (0, 1), done.stderr


def _hosts(campus: Campus, vid: int, switch: str, *, here: bool = False) -> list[tuple[str, str]]:
    """The access ports in a VLAN, on a switch or on all others."""
    return [
        (device.name, port.name)
        for device in campus.devices.values()
        for port in device.ports.values()
        if port.mode is not None and port.mode.value is Mode.ACCESS
        if port.access_vlan is not None and port.access_vlan.value == vid
        if (device.name == switch) is here
    ]


def proofs(files: list[Path], runs: int) -> None:
    """The verifier's time in multiples of the prover's, both from the campus that was read; and the
    prover's memory.
    """
    campus = load([str(file) for file in files]).campus
    wiring = wire(campus)
    cables = [(a.device, a.port, b.device, b.port) for link in wiring.links for a, b in link.cables]
    vids = sorted({seat.vid for seat in all_seats(resolve(campus, wiring))})
    claims = [
        Claim(isolate=[f"vlan {vid}"], from_=["everything"], level=Level.HOSTILE)
        for vid in vids[:50]
    ]
    for name, stated in (("without a plan", []), ("50 hostile claims", claims)):

        def judge(stated: list[Claim] = stated) -> list[Verdict]:
            return prove(resolve(campus, wire(campus)), Plan(PlanFile(claims=stated)))

        entries = [
            {
                "claim": v.claim,
                "layer": 2,
                "kind": v.kind,
                "level": v.level,
                "verdict": v.verdict,
                **v.certificate,
            }
            for v in judge()
        ]

        def check(entries: list[dict[str, Any]] = entries, stated: list[Claim] = stated) -> None:
            net = PacketModel(campus, cables)
            for number, entry in enumerate(entries):
                assert verify_entry(net, stated, {}, number, entry)

        pairs = [(timed(check), timed(judge)) for _ in range(runs)]
        ratio = min(work for work, _ in pairs) / min(bottom for _, bottom in pairs)
        print(f"  verifier, {name:<18} {ratio:6.2f} x the prover   at most 3")
    memory = peak([str(file) for file in files], PROVE) / sum(file.stat().st_size for file in files)
    print(f"  prove, memory                {memory:6.2f} x the bytes    at most 12")


def with_trees(campus: Campus, mode: TreeMode) -> Campus:
    """Every switch runs a tree of a kind; of those for each VLAN, the two cores share the roots."""
    origin = Origin()
    cores = [name for name in campus.devices if name.startswith("core")][:2]
    for number, (name, device) in enumerate(campus.devices.items()):
        device.tree_mode = Fact(mode, origin)
        device.address = Fact(f"02:00:00:00:{number // 256:02x}:{number % 256:02x}", origin)
        for port in device.ports.values():
            port.speed = port.speed or Fact(1000, origin)
        for first in (2, 3) if name in cores else ():
            vids = VlanSet.from_vids(range(first, 4095, 2))
            priority = Fact(4096 if cores.index(name) == first - 2 else 8192, origin)
            device.trees.append(Tree(vids, origin, priority=priority))
    return campus


def trees_and_losses(files: list[Path], decode: Callable[[bytes], Any], runs: int) -> None:
    """Spanning trees and every single loss, over the floor, from the resolved campus."""
    for kind, limits in ((TreeMode.PER_VLAN, (4.0, 10.0)), (TreeMode.RSTP, (None, None))):
        campus = with_trees(load([str(file) for file in files]).campus, kind)
        fabric = resolve(campus, wire(campus))

        def tree(fabric: Fabric = fabric) -> Any:
            trees = spanning_trees(fabric)
            found = distinct_trees(fabric, trees)
            return [tree_row(fabric, one, mask, seen_only=True) for mask, one in found]

        def withstand(fabric: Fabric = fabric) -> Any:
            losses = Losses(fabric, spanning_trees(fabric))
            return loss_rows(losses, all_losses(fabric, (Kind.LINK, Kind.SWITCH)))

        floor = min(timed(lambda: decode_all(files, decode)) for _ in range(runs))
        for (name, work), limit in zip(
            (("tree", tree), ("withstand", withstand)), limits, strict=True
        ):
            ratio = min(timed(work) for _ in range(runs)) / floor
            most = f"   at most {limit:g}" if limit is not None else ""
            print(f"  {name}, {kind:<20} {ratio:6.2f} x{most}")


FORMAT_LIMITS = {"dialect text": 40.0, "SNMP walk": 25.0, "OpenConfig JSON": 5.0}
"""The most reading may cost, in multiples of reading the files and splitting their lines (JSON:
decoding it).
"""
MEMORY_LIMIT = 10.0
"""The most memory that reading may take, in multiples of the bytes read."""


LEARNING_LIMIT = 200.0
"""The most that learning a dialect may cost, in multiples of reading the same text."""


def split_all(files: list[Path]) -> None:
    for file in files:
        for line in file.read_text().split("\n"):
            line.split()


READ = "from inkov.readers import load", "kept = load(sys.argv[1:])"
PROVE = (
    (
        "from inkov.readers import load; from inkov.wiring import wire; from inkov.forwarding"
        " import resolve\nfrom inkov.proofs import prove"
    ),
    "campus = load(sys.argv[1:]).campus; kept = prove(resolve(campus, wire(campus)))",
)


def peak(files: list[str], work: tuple[str, str] = READ) -> int:
    """The bytes that a process of its own needs at most for some work on files, above what its
    imports need.
    """
    code = (
        f"import gc, re, sys; gc.disable(); {work[0]}\ndef most(): return"
        " int(re.search(r'VmHWM:\\s*(\\d+)', open('/proc/self/status').read())[1]) * 1024\nbase ="
        f" most(); {work[1]}; print(most() - base)"
    )
    return int(
        subprocess.run(
            [sys.executable, "-c", code, *files], capture_output=True, text=True, check=True
        ).stdout
    )


def other_formats(switches: int, runs: int) -> None:
    """Reading by format: time over the floor of the same run, and memory over the bytes read."""
    with tempfile.TemporaryDirectory() as folder:
        exports = write_campus(Path(folder) / "json", switches)
        kinds: dict[str, tuple[list[Path], Callable[[list[Path]], None]]] = {
            "OpenConfig JSON": (exports, partial(decode_all, decode=json.loads)),
            "dialect text": (write_texts(exports, Path(folder) / "text"), split_all),
            "SNMP walk": (write_walks(exports, Path(folder) / "walk"), split_all),
        }
        print(
            f"reading {switches} switches by format, in multiples of reading and splitting (JSON:"
            " decoding)"
        )
        for name, (files, floor) in kinds.items():
            below = str(files[0].parent)
            pairs = [
                (timed(partial(load, [below])), timed(partial(floor, files))) for _ in range(runs)
            ]
            # The best of each: what is above it is the machine's other business.
            ratio = min(work for work, _ in pairs) / min(bottom for _, bottom in pairs)
            memory = peak([below]) / sum(file.stat().st_size for file in files)
            print(
                f"  {name:<26} {ratio:6.2f} x   at most {FORMAT_LIMITS[name]:g}"
                f"   memory {memory:5.2f} x   at most {MEMORY_LIMIT:g}"
            )


def learning(runs: int) -> None:
    """Learning a dialect from one switch that is in two sources, over reading its text by it."""
    with tempfile.TemporaryDirectory() as folder:
        exports = write_campus(Path(folder) / "json", 10)
        below = Path(folder) / "text"
        texts = write_texts(exports, below)
        dialect = compile_dialect("arbour.toml", (below / "arbour.toml").read_bytes())
        devices = load([str(file) for file in exports]).campus.devices
        longest = max(texts, key=lambda text: text.stat().st_size)
        data = longest.read_bytes()
        device = devices[longest.stem]

        def read() -> None:
            dialect.known.clear()
            dialect.bare.clear()
            read_text(dialect, longest.name, data)

        def derive() -> None:
            learn([Pair(longest.name, data, device)], [(longest.name, data)], "learnt")

        pairs = [(timed(derive), timed(read)) for _ in range(runs)]
        ratio = min(work for work, _ in pairs) / min(bottom for _, bottom in pairs)
        lines, ports = data.count(b"\n"), len(device.ports)
        print(
            f"learning from {lines} lines, {ports} ports {ratio:6.2f} x reading them"
            f"   at most {LEARNING_LIMIT:g}"
        )


def main() -> None:
    parser = argparse.ArgumentParser(prog="python -m bench", description=__doc__)
    parser.add_argument("--switches", type=int, nargs="+", default=[10, 100, 1000])
    parser.add_argument("--runs", type=int, default=3)
    parser.add_argument("--floor", choices=["standard", "fast"], default="standard")
    options = parser.parse_args()
    gc.disable()  # as the program itself does
    decode = json.loads if options.floor == "standard" else msgspec.json.decode
    measured: dict[int, dict[str, float]] = {}
    for switches in options.switches:
        with tempfile.TemporaryDirectory() as folder:
            files = write_campus(Path(folder), switches)
            size = sum(file.stat().st_size for file in files)
            measured[switches] = median = measure(files, decode, options.runs)
            print(
                f"{len(files)} switches, {size / 1e6:.1f} MB; floor {median['floor'] * 1e3:.0f} ms"
            )
            if switches >= 100:
                proofs(files, options.runs)
                comparing(files, options.runs)
                asking(files, options.runs)
                mending(files, options.runs)
                looking(files, options.runs)
                trees_and_losses(files, decode, options.runs)
        for name, seconds in median.items():
            if name != "floor":
                limit = f"   at most {LIMITS[name]:g}" if switches >= 1000 else ""
                print(f"  {name:<26} {seconds / median['floor']:6.2f} x{limit}")
    if max(options.switches) >= 100:
        other_formats(max(options.switches), options.runs)
    learning(options.runs)
    sizes = sorted(measured)
    if len(sizes) > 1:
        few, many = sizes[-2], sizes[-1]
        growth = measured[many]["resolve and domains"] / measured[few]["resolve and domains"]
        print(f"growth of resolve and domains from {few} to {many} switches: {growth:.1f} x")


main()
