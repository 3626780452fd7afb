"""A real SNMP agent on a loopback port, which serves the rows that a test gives it."""

from __future__ import annotations

import contextlib
import json
import os
import shutil
import socket
import subprocess
import sys
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import NamedTuple

from tests.conftest import need

Rows = Mapping[str, tuple[str, str]]
"""Number of an object -> its type and value, as the agent's own protocol has them."""

_SCRIPT = """\
import bisect, json, os, sys
path, seen, keys, rows = sys.argv[1], None, [], {}
def numbers(oid):
    return [int(x) for x in oid.strip(".").split(".")]
while True:
    line = sys.stdin.readline()
    if not line: break
    word = line.strip()
    if word == "PING":
        print("PONG"); sys.stdout.flush(); continue
    asked = numbers(sys.stdin.readline())
    status = os.stat(path)
    if seen != (status.st_mtime_ns, status.st_size):
        seen = (status.st_mtime_ns, status.st_size)
        listed = sorted((numbers(oid), oid, *row) for oid, row in json.load(open(path)).items())
        keys, rows = [row[0] for row in listed], listed
    at = bisect.bisect_right(keys, asked) if word == "getnext" else bisect.bisect_left(keys, asked)
    if at < len(keys) and (word == "getnext" or keys[at] == asked):
        print("." + rows[at][1]); print(rows[at][2]); print(rows[at][3])
    else:
        print("NONE")
    sys.stdout.flush()
"""


class Agent(NamedTuple):
    """Where the agent answers, and the file with its rows."""

    address: str
    rows: Path

    def serve(self, rows: Rows) -> None:
        """Serve these rows from now on."""
        fresh = self.rows.with_suffix(".new")
        fresh.write_text(json.dumps(dict(rows)))
        os.replace(fresh, self.rows)

    def walk(self, options: list[str], *roots: str, modules: Path | None = None) -> bytes:
        """What a real walk prints, one root after the other."""
        known = ["-M", str(modules), "-m", "ALL"] if modules else ["-m", ""]
        out = b""
        for root in roots:
            walk = ["snmpbulkwalk", "-v2c", "-c", "garden", "-t", "5", "-r", "5", *known]
            done = subprocess.run(
                [*walk, *options, self.address, root], capture_output=True, check=True, timeout=60
            )
            out += done.stdout
        return out


@contextlib.contextmanager
def running(folder: Path, roots: list[str]) -> Iterator[Agent]:
    """An agent that serves everything below some roots out of a file. Skips where there is none."""
    programs = [
        shutil.which(name, path=f"/usr/sbin:{os.environ['PATH']}")
        for name in ("snmpd", "snmpbulkwalk")
    ]
    need(all(programs), "an SNMP agent and snmpbulkwalk (Debian: snmpd, snmp)")
    rows, script = folder / "rows.json", folder / "agent.py"
    rows.write_text("{}")
    script.write_text(_SCRIPT)
    lines = [f"pass_persist .{root} {sys.executable} {script} {rows}" for root in roots]
    (folder / "snmpd.conf").write_text("\n".join(["rocommunity garden 127.0.0.1", *lines]) + "\n")
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    left_out = "-ifTable,ifXTable,interfaces,ipAddressTable,ipAddr,ip,ipAddressPrefixTable"
    files = ["-C", "-c", f"{folder}/snmpd.conf", "-Lf", f"{folder}/log", "-p", f"{folder}/pid"]
    process = subprocess.Popen(
        [
            str(programs[0]),
            "-f",
            *files,
            "-I",
            f"{left_out},system_mib,sysORTable",
            f"udp:127.0.0.1:{port}",
        ],
        env={**os.environ, "SNMP_PERSISTENT_DIR": str(folder)},
    )
    try:
        yield Agent(f"127.0.0.1:{port}", rows)
    finally:
        process.terminate()
        process.wait(timeout=20)
