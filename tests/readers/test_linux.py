"""Linux systems: one told by its running state and by its unit files is the same, and lldpd's real
output is read.
"""

from __future__ import annotations

import contextlib
import json
import os
import shutil
import subprocess
import tempfile
import time
from pathlib import Path
from typing import Any

import pytest

from inkov.campus import Campus
from inkov.forwarding import resolve
from inkov.levels import Level
from inkov.readers import load
from inkov.readers.registry import read_bytes
from inkov.wiring import wire
from tests.campuses import listeners
from tests.conftest import Inkov


def link(name: str, kind: str = "", **more: Any) -> dict[str, Any]:
    """An entry as `ip -j -d link` has it."""
    info: dict[str, Any] = {key: more.pop(key) for key in list(more) if key.startswith("info_")}
    info |= {"info_kind": kind} if kind else {}
    down = more.pop("down", False)
    flags = ["BROADCAST", "MULTICAST"] + ([] if down else ["UP", "LOWER_UP"])
    entry = {
        "ifindex": 1,
        "ifname": name,
        "flags": flags,
        "mtu": 1500,
        "link_type": "ether",
        **more,
    }
    return entry | ({"linkinfo": info} if info else {})


def write(folder: Path, **files: Any) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    for name, content in files.items():
        (folder / f"{name}.json").write_text(json.dumps(content, indent=1))


def units(folder: Path, text: str) -> None:
    """Unit files: `== NAME` begins one."""
    for part in text.split("== ")[1:]:
        name, _, body = part.partition("\n")
        file = folder / name.strip()
        file.parent.mkdir(parents=True, exist_ok=True)
        file.write_text(body)


FILTERING = {"vlan_filtering": 1, "vlan_default_pvid": 1, "stp_state": 1, "priority": 8192}
RUNNING: dict[str, list[Any]] = {
    "link": [
        {
            "ifindex": 1,
            "ifname": "lo",
            "flags": ["LOOPBACK", "UP"],
            "mtu": 65536,
            "link_type": "loopback",
        },
        link("br0", "bridge", info_data=FILTERING),
        link("eth0", master="bond0", info_slave_kind="bond"),
        link("eth1", master="bond0", info_slave_kind="bond"),
        link(
            "bond0", "bond", master="br0", info_data={"mode": "802.3ad"}, info_slave_kind="bridge"
        ),
        link(
            "lan1",
            master="br0",
            ifalias="fog",
            info_slave_kind="bridge",
            info_slave_data={"isolated": True},
        ),
        link(
            "lan2",
            master="br0",
            info_slave_kind="bridge",
            info_slave_data={"isolated": True, "cost": 7},
        ),
        link("lan3", master="br0", down=True, info_slave_kind="bridge"),
        link("lan4", info_slave_kind="", mtu=9000),
        link("br0.90", "vlan", link="br0", info_data={"protocol": "802.1Q", "id": 90}),
        link("eth5", "", master="brx"),
        link("brx", "bridge", info_data={"vlan_filtering": 0}),
        link(
            "eth6.60", "vlan", link="eth6", master="brx", info_data={"protocol": "802.1Q", "id": 60}
        ),
        link("eth6"),
    ],
    "addr": [
        {
            "ifname": "br0.90",
            "addr_info": [
                {"family": "inet", "local": "10.90.0.9", "prefixlen": 24, "scope": "global"},
                {"family": "inet6", "local": "fe80::1", "prefixlen": 64, "scope": "link"},
            ],
        },
        {
            "ifname": "lan4",
            "addr_info": [
                {"family": "inet", "local": "10.4.0.1", "prefixlen": 24, "scope": "global"}
            ],
        },
    ],
    "vlan": [
        {
            "ifname": "bond0",
            "vlans": [
                {"vlan": 1, "flags": ["PVID", "Egress Untagged"]},
                {"vlan": 10, "vlanEnd": 12},
                {"vlan": 90},
            ],
        },
        {
            "ifname": "lan1",
            "vlans": [
                {"vlan": 1, "flags": ["Egress Untagged"]},
                {"vlan": 10, "flags": ["PVID", "Egress Untagged"]},
            ],
        },
        {
            "ifname": "lan2",
            "vlans": [
                {"vlan": 1, "flags": ["Egress Untagged"]},
                {"vlan": 10, "flags": ["PVID", "Egress Untagged"]},
            ],
        },
        {"ifname": "lan3", "vlans": [{"vlan": 1, "flags": ["PVID", "Egress Untagged"]}]},
        {
            "ifname": "br0",
            "vlans": [{"vlan": 1, "flags": ["PVID", "Egress Untagged"]}, {"vlan": 90}],
        },
    ],
}

UNITS = """
== 10-br0.netdev
[NetDev]
Name=br0
Kind=bridge
[Bridge]
VLANFiltering=yes
STP=yes
Priority=8192
== 10-bond0.netdev
[NetDev]
Name=bond0
Kind=bond
[Bond]
Mode=802.3ad
== 10-br0.90.netdev
[NetDev]
Name=br0.90
Kind=vlan
[VLAN]
Id=90
== 10-brx.netdev
# the old cameras
[NetDev]
Name=brx
Kind=bridge
== 10-eth6.60.netdev
[NetDev]
Name=eth6.60
Kind=vlan
[VLAN]
Id=60
== 20-bond.network
[Match]
Name=eth0 eth1
[Network]
Bond=bond0
== 20-bond0.network
[Match]
Name=bond0
[Network]
Bridge=br0
[BridgeVLAN]
VLAN=10-12
[BridgeVLAN]
VLAN=90
== 20-lan.network
[Match]
Name=lan1 lan2
[Network]
Bridge=br0
[Bridge]
Isolated=yes
[BridgeVLAN]
PVID=10
EgressUntagged=10
VLAN=10
== 20-lan3.network
[Match]
Name=lan3
[Link]
ActivationPolicy=down
[Network]
Bridge=br0
== 20-lan4.network
[Match]
Name=lan4
[Network]
Address=10.4.0.1/24
== 20-br0.network
[Match]
Name=br0
[Network]
VLAN=br0.90
[BridgeVLAN]
VLAN=90
== 20-br0.90.network
[Match]
Name=br0.90
[Network]
Address=10.90.0.9/24
== 20-eth5.network
[Match]
Name=eth5
[Network]
Bridge=brx
== 20-eth6.network
[Match]
Name=eth6
[Network]
VLAN=eth6.60
== 20-eth6.60.network
[Match]
Name=eth6.60
[Network]
Bridge=brx
== 99-rest.network
[Match]
Name=lan*
[Network]
Bridge=brx
"""


def told(folder: Path) -> Campus:
    campus = load([str(folder)]).campus
    assert not campus.problems, campus.problems
    return campus


def test_a_running_system_and_its_units_are_the_same(tmp_path: Path) -> None:
    write(tmp_path / "running" / "aviary-1", **RUNNING)
    units(tmp_path / "stored" / "aviary-1" / "etc" / "systemd" / "network", UNITS)
    running, stored = told(tmp_path / "running"), told(tmp_path / "stored")
    for level in (Level.HONEST, Level.HOSTILE):
        assert listeners(running, level) == listeners(stored, level)
    (tmp_path / "running" / "aviary-1" / "hostname").write_text("owls\n")
    renamed = load([str(tmp_path / "running")])
    assert (
        list(renamed.campus.devices) == ["owls"] and not renamed.campus.devices["owls"].origin.says
    )
    heard = listeners(running)
    assert heard["aviary-1:lan1"] == {("aviary-1:bond0", 10, True)}  # lan2 is protected as well
    # Behind a sub-interface, untagged frames of a bridge that takes no notice of tags are in the
    # VLAN of its tag.
    assert ("aviary-1:eth6.60", 60, True) in heard["aviary-1:eth5"]
    for campus in (running, stored):
        device = campus.devices["aviary-1"]
        assert [(g.vid, str(g.addresses[0].value)) for g in device.gateways] == [
            (90, "10.90.0.9/24")
        ]
        assert device.ports["eth0"].bundle and device.ports["eth0"].bundle.value == "bond0"
        assert (
            device.ports["lan4"].addresses and device.tree_mode and device.tree_mode.value == "stp"
        )
        lan1 = resolve(campus, wire(campus)).ports
        assert {str(end.port): port.mode.value for end, port in lan1.items() if port.up}[
            "lan4"
        ] == "routed"


def test_pieces_of_several_systems_in_one_folder(tmp_path: Path) -> None:
    write(
        tmp_path, **{f"{name}.{what}": RUNNING[what] for name in ("a-1", "b-1") for what in RUNNING}
    )
    campus = told(tmp_path)
    assert (
        list(campus.devices) == ["a-1", "b-1"]
        and campus.devices["a-1"].ports["lan1"].pvid is not None
    )


def test_a_filtering_bridge_without_its_vlans_is_taken_to_have_all(tmp_path: Path) -> None:
    write(tmp_path / "x", link=RUNNING["link"])
    campus = load([str(tmp_path)]).campus
    assert "the VLANs of bridge port lan1 are not among the files: taken to have all" in [
        problem.says for problem in campus.problems
    ]
    assert ("x:bond0", 30, True) in listeners(campus, Level.HOSTILE)["x:lan1"]


@pytest.mark.parametrize(
    ("stated", "native"),
    [({}, 1), ({"vlan_default_pvid": 0}, None), ({"vlan_default_pvid": 15}, 15)],
)
def test_without_its_vlans_a_port_is_in_the_default_one(
    tmp_path: Path, stated: dict[str, int], native: int | None
) -> None:
    """What a bridge gives to a port by default is VLAN 1, unless it says another one, or none."""
    bridge = link("br0", "bridge", info_data={"vlan_filtering": 1, **stated})
    write(tmp_path / "x", link=[bridge, link("lan1", master="br0", info_slave_kind="bridge")])
    port = load([str(tmp_path)]).campus.devices["x"].ports["lan1"]
    assert port.native_vlan is not None and port.native_vlan.value == native


def test_a_list_is_counted_entry_by_entry(inkov: Inkov, tmp_path: Path) -> None:
    """A loopback has no meaning here, and an entry without a name is none that is understood."""
    lo = {"ifname": "lo", "flags": ["LOOPBACK", "UP"], "mtu": 65536, "link_type": "loopback"}
    write(tmp_path / "x", link=[lo, {}, *(link(f"lan{n}") for n in range(3))])
    [file] = inkov("read", ".", "-f", "json").json["read"]["files"]
    assert (file["understood"], file["without_meaning"]) == (3, 1)


@pytest.mark.parametrize(
    ("text", "line", "says"),
    [
        ("[Match]\nDriver=e1000\n[Network]\nBridge=b\n", 1, "[Match] without Name"),
        ("[Match]\nName=zz*\n", 2, "matches no interface"),
        ("[Match]\nName=a\n[BridgeVLAN]\nVLAN=10-5000\n", 4, "names no VLANs"),
        ("[Match]\nName=a\n[Network]\nVLAN=q\n", 4, "names no VLAN device"),
        ("[Match]\nName=a\nnonsense\n", 3, "neither [Section] nor Key=value"),
        ("[NetDev]\nName=a\n", 1, "[NetDev] needs Name and Kind"),
        ("[Match]\nName=a\n[Network]\nAddress=10.0.0.300/8\n", 4, "is not an address"),
    ],
)
def test_a_fault_in_a_unit_is_placed(tmp_path: Path, text: str, line: int, says: str) -> None:
    units(tmp_path / "box", f"== 1.network\n{text}\n== 2.network\n[Match]\nName=other\n")
    problems = load([str(tmp_path)]).campus.problems
    assert [(p.origin.line, says in p.says) for p in problems] == [(line, True)], problems


def test_a_unit_is_for_whom_its_drop_in_says(tmp_path: Path) -> None:
    """What the unit is about stands in a file beside it: as if it stood in the unit."""
    units = tmp_path / "shed" / "etc" / "systemd" / "network"
    (units / "20-bench.network.d").mkdir(parents=True)
    (units / "10-br.netdev").write_text(
        "[NetDev]\nName=br0\nKind=bridge\n[Bridge]\nVLANFiltering=yes\nDefaultPVID=none\n"
    )
    (units / "20-bench.network").write_text(
        "[Network]\nBridge=br0\n[BridgeVLAN]\nPVID=10\nEgressUntagged=10\n"
    )
    (units / "20-bench.network.d" / "whom.conf").write_text(
        "[Match]\nName=eth1 eth2\n[BridgeVLAN]\nVLAN=20\n"
    )
    loaded = load([str(tmp_path)])
    assert not loaded.campus.problems, loaded.campus.problems
    [device] = loaded.campus.devices.values()
    members = {
        name: (str(port.tagged and port.tagged.value), str(port.untagged and port.untagged.value))
        for name, port in device.ports.items()
    }
    assert members["eth1"] == members["eth2"] == ("20", "10")


def test_bad_lists_cost_what_is_bad_only(tmp_path: Path) -> None:
    links, vlans = list(RUNNING["link"]), list(RUNNING["vlan"])
    bad = [*links, {"ifname": "z", "mtu": "large"}, {"ifname": "y", "linkinfo": []}]
    write(tmp_path / "x", link=bad, vlan=[*vlans, {"ifname": "lan1", "vlans": [{"vlan": 5000}]}])
    problems = load([str(tmp_path)]).campus.problems
    assert len(problems) == 3 and all("left out" in problem.says for problem in problems)
    for text in (
        '["ifname"',
        '["ifname", 1, 2',
        '[{"ifname": "a"',
        '{"lldp": {"interface": ' + "[" * 100_000,
    ):
        assert read_bytes("x.json", text.encode(), account=True)[1].problems


CHASSIS = {
    "fern-1": {
        "id": {"type": "mac", "value": "02:00:00:00:00:01"},
        "capability": {"type": "Bridge"},
    }
}
PORT = {"id": {"type": "ifname", "value": "port-24"}, "descr": "to aviary", "ttl": "120"}


@pytest.mark.parametrize(
    "heard",
    [
        {"lldp": {"interface": {"eth0": {"chassis": CHASSIS, "port": PORT}}}},
        {
            "lldp": {
                "interface": [
                    {"eth0": {"chassis": CHASSIS, "port": PORT}},
                    {"eth9": {"chassis": {}, "port": {}}},
                ]
            }
        },
        {
            "lldp": [
                {
                    "interface": [
                        {
                            "name": "eth0",
                            "chassis": [
                                {
                                    "id": [{"type": "mac", "value": "x"}],
                                    "name": [{"value": "fern-1"}],
                                }
                            ],
                            "port": [
                                {"id": [{"value": "port-24"}], "descr": [{"value": "to aviary"}]}
                            ],
                        }
                    ]
                }
            ]
        },
    ],
)
def test_every_form_of_lldp_output(tmp_path: Path, heard: Any) -> None:
    write(tmp_path / "aviary-1", link=RUNNING["link"], vlan=RUNNING["vlan"], lldp=heard)
    campus = load([str(tmp_path)]).campus
    (neighbour,) = campus.neighbours
    assert (neighbour.device, neighbour.port, neighbour.far_device, neighbour.far_port) == (
        "aviary-1",
        "eth0",
        "fern-1",
        "port-24",
    )
    assert neighbour.far_port_description == "to aviary"
    assert neighbour.far_known_as == ("x" if '"x"' in json.dumps(heard) else "02:00:00:00:00:01")
    assert len([p for p in campus.problems if "has no name or no port" in p.says]) == (
        "eth9" in json.dumps(heard)
    )


@pytest.mark.parametrize(
    ("vlan", "pvid", "named"),
    [
        (None, None, ""),
        ({"vlan-id": "10", "pvid": True, "value": "ferns"}, 10, "10"),
        ({"vlan-id": 10, "pvid": "yes"}, 10, ""),  # without a name it is only the PVID
        (
            [
                {"vlan-id": "10", "pvid": "no", "value": "ferns"},
                {"vlan-id": "4095", "value": "x"},
                {"vlan-id": "none", "value": "x"},
                {"value": "x"},
                {"vlan-id": "20", "pvid": True, "value": [{"value": "beds"}]},
            ],
            *(20, "10,20"),
        ),
    ],
)
def test_the_vlans_that_a_neighbour_names(
    tmp_path: Path, vlan: Any, pvid: int | None, named: str
) -> None:
    row: dict[str, Any] = {"chassis": CHASSIS, "port": PORT} | ({"vlan": vlan} if vlan else {})
    heard = {"lldp": {"interface": {"eth0": row}}}
    write(tmp_path / "aviary-1", link=RUNNING["link"], vlan=RUNNING["vlan"], lldp=heard)
    (neighbour,) = load([str(tmp_path)]).campus.neighbours
    assert neighbour.far_pvid == pvid
    assert str(neighbour.far_vlans.value if neighbour.far_vlans else "") == named


def test_a_neighbour_without_a_name_goes_by_its_chassis(tmp_path: Path) -> None:
    row = {"chassis": {"id": {"type": "mac", "value": "02:00:00:00:00:07"}}, "port": PORT}
    heard = {"lldp": {"interface": {"eth0": row}}}
    write(tmp_path / "aviary-1", link=RUNNING["link"], vlan=RUNNING["vlan"], lldp=heard)
    (neighbour,) = load([str(tmp_path)]).campus.neighbours
    assert (neighbour.far_device, neighbour.far_known_as) == ("02:00:00:00:00:07", "")


def test_the_system_s_own_interfaces_are_no_neighbours(tmp_path: Path) -> None:
    """What lldpd prints of its own ports has a status, and nobody that is heard."""
    own = {"status": "RX and TX", "chassis": CHASSIS, "port": PORT}
    heard = {"lldp": {"interface": [{"eth0": own}, {"eth0": own | {"via": "LLDP"}}]}}
    write(tmp_path / "aviary-1", link=RUNNING["link"], vlan=RUNNING["vlan"], lldp=heard)
    assert len(load([str(tmp_path)]).campus.neighbours) == 1


def run(*words: str) -> str:
    return subprocess.run(words, check=True, capture_output=True, text=True, timeout=30).stdout


def test_neighbours_of_a_real_lldpd(tmp_path: Path) -> None:
    """Two daemons at the ends of a cable between two network namespaces, where the machine lets us
    make one.
    """
    if shutil.which("lldpd") is None or shutil.which("ip") is None or os.geteuid() != 0:
        pytest.skip("lldpd and ip are not both installed, or we are not root")
    one, other = f"ik{os.getpid()}a", f"ik{os.getpid()}b"
    made = subprocess.run(
        ["ip", "link", "add", one, "type", "veth", "peer", "name", other], capture_output=True
    )
    if made.returncode:
        pytest.skip("this machine's kernel has no veth pairs")
    if subprocess.run(["ip", "netns", "add", other], capture_output=True).returncode:
        subprocess.run(["ip", "link", "del", one], capture_output=True)
        pytest.skip("no network namespaces may be made here")
    daemons: list[subprocess.Popen[bytes]] = []
    public = Path(tempfile.mkdtemp())  # the daemon gives up its rights before it opens its socket
    public.chmod(0o755)
    try:
        run("ip", "link", "set", other, "netns", other)
        run("ip", "link", "set", one, "up")
        run("ip", "netns", "exec", other, "ip", "link", "set", other, "up")
        for port, host, inside in (
            (one, "aviary-1", []),
            (other, "fern-1", ["ip", "netns", "exec", other]),
        ):
            (public / f"{host}.conf").write_text(
                f"configure system hostname {host}\nconfigure lldp tx-interval 1\n"
            )
            words = [
                *inside,
                "lldpd",
                "-d",
                "-u",
                f"{public}/{host}.sock",
                "-I",
                port,
                "-O",
                f"{public}/{host}.conf",
            ]
            daemons.append(
                subprocess.Popen(words, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
            )
        for form in ("json", "json0"):
            text = _heard(public / "aviary-1.sock", form)
            folder = tmp_path / form / "aviary-1"
            folder.mkdir(parents=True)
            (folder / "lldp.json").write_text(text)
            (folder / "link.json").write_text(run("ip", "-j", "-d", "link", "show", "dev", one))
            far = [link(other)]
            write(tmp_path / form / "fern-1", link=far)
            wiring = wire(load([str(tmp_path / form)]).campus)
            ends = [
                (link.a.device, link.a.port, link.b.device, link.b.port) for link in wiring.links
            ]
            assert ends == [("aviary-1", one, "fern-1", other)]
    finally:
        for daemon in daemons:
            daemon.terminate()
            daemon.wait(10)
        subprocess.run(["ip", "link", "del", one], capture_output=True)
        subprocess.run(["ip", "netns", "del", other], capture_output=True)
        shutil.rmtree(public)


def _heard(socket: Path, form: str) -> str:
    """What the daemon has heard by now or will hear within a minute: between two questions we wait
    on the daemon's own announcement of a change, for a second at most (one that came before we
    listened is found by asking).
    """
    ask = ["lldpcli", "-u", str(socket), "-f", form]
    give_up = time.monotonic() + 60
    while time.monotonic() < give_up:
        done = subprocess.run(
            [*ask, "show", "neighbors"], capture_output=True, text=True, timeout=30
        )
        if "fern-1" in done.stdout:
            return done.stdout
        with contextlib.suppress(subprocess.TimeoutExpired):
            subprocess.run([*ask, "watch", "limit", "1"], capture_output=True, timeout=1)
    pytest.fail(f"the daemons do not hear each other: {done.stdout} {done.stderr}")
