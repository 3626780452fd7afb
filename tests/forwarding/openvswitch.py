"""A private Open vSwitch: its own database and daemon in a temporary folder, with the userspace
dummy datapath.

No kernel module, no network device, nothing outside the folder. Bridges are joined by patch ports;
a host port is a dummy interface. `ofproto/trace` follows one broadcast through all bridges and
lists every egress with its tag.
"""

from __future__ import annotations

import re
import shutil
import subprocess
from pathlib import Path

SCHEMA = Path("/usr/share/openvswitch/vswitch.ovsschema")
PROGRAMS = ("ovsdb-tool", "ovsdb-server", "ovs-vswitchd", "ovs-vsctl", "ovs-appctl")
_ACTION = re.compile(r"push_vlan\(vid=(\d+)[^)]*\)|(pop_vlan)|\b(\d+)(?=,|$)")


def installed() -> bool:
    return SCHEMA.exists() and all(
        shutil.which(program) or Path("/usr/sbin", program).exists() for program in PROGRAMS
    )


class OpenVSwitch:
    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.environment = {
            "PATH": "/usr/sbin:/usr/bin:/sbin:/bin",
            "OVS_RUNDIR": str(folder),
            "OVS_LOGDIR": str(folder),
            "OVS_DBDIR": str(folder),
            "OVS_SYSCONFDIR": str(folder),
        }
        self.socket = f"unix:{folder}/db.sock"
        self._run("ovsdb-tool", "create", f"{folder}/conf.db", str(SCHEMA))
        # A daemon that detaches itself returns once it answers.
        common = ("--detach", "--no-chdir", "--log-file", "-vsyslog:off", "-vconsole:off")
        self._run(
            "ovsdb-server",
            f"{folder}/conf.db",
            f"--remote=p{self.socket}",
            f"--unixctl={folder}/db.ctl",
            f"--pidfile={folder}/db.pid",
            *common,
        )
        self._run("ovs-vsctl", f"--db={self.socket}", "--no-wait", "init")
        self.control = f"{folder}/vswitchd.ctl"
        self._run(
            "ovs-vswitchd",
            self.socket,
            "--enable-dummy=override",
            "--disable-system",
            f"--unixctl={self.control}",
            f"--pidfile={folder}/vswitchd.pid",
            *common,
        )

    def _run(self, *command: str) -> str:
        done = subprocess.run(
            command, env=self.environment, capture_output=True, text=True, timeout=60
        )
        assert done.returncode == 0, f"{' '.join(command[:3])} ...: {done.stderr}"
        return done.stdout

    def configure(self, *commands: list[str]) -> None:
        """Run `ovs-vsctl` commands as one transaction, and wait until the daemon followed."""
        words = [word for command in commands for word in ("--", *command)]
        self._run("ovs-vsctl", f"--db={self.socket}", *words)

    def numbers(self) -> dict[str, int]:
        """Interface name -> number in the datapath."""
        shown = self._run("ovs-appctl", "-t", self.control, "dpif/show")
        return {
            name: int(number)
            for name, number in re.findall(r"^\s+(\S+) \d+/(\d+): \(dummy", shown, re.MULTILINE)
        }

    def trace(self, number: int, tag: int | None) -> set[tuple[int, int | None]]:
        """Where a broadcast leaves that comes in at a datapath port: (datapath port, tag on the
        wire).
        """
        source, everyone = "02:00:00:00:00:01", "ff:ff:ff:ff:ff:ff"
        flow = f"in_port({number}),eth(src={source},dst={everyone}),"
        kind = "eth_type(0x1234)"
        flow += kind if tag is None else f"eth_type(0x8100),vlan(vid={tag},pcp=0),encap({kind})"
        shown = self._run("ovs-appctl", "-t", self.control, "ofproto/trace", flow)
        actions = re.search(r"^Datapath actions: (.*)$", shown, re.MULTILINE)
        assert actions is not None, shown
        now, left = tag, set()
        for push, pop, port in _ACTION.findall(actions[1]):
            if push:
                now = int(push)
            elif pop:
                now = None
            else:
                left.add((int(port), now))
        return left

    def roles(self, protocol: str) -> dict[str, tuple[str, str]]:
        """Port -> (role, state) by its own spanning tree, "rstp" or "stp"."""
        shown = self._run("ovs-appctl", "-t", self.control, f"{protocol}/show")
        rows = re.findall(r"^  (\S+) +(\w+) +(\w+) +\d+ +[\d.]+ *$", shown, re.MULTILINE)
        return {port: (role.lower(), state.lower()) for port, role, state in rows}

    def let_time_pass(self, seconds: int) -> None:
        """Its clock goes on by some seconds, as fast as it can."""
        self._run("ovs-appctl", "-t", self.control, "time/stop")
        self._run("ovs-appctl", "-t", self.control, "time/warp", str(1000 * seconds), "1000")

    def stop(self) -> None:
        for control in (self.control, f"{self.folder}/db.ctl"):
            self._run("ovs-appctl", "-t", control, "exit")
