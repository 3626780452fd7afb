"""A campus of 45 switches as files: two cores, seven blocks of two distribution and four access
switches, a server switch, two routers by tagged sub-interfaces, telephones, access points, and a
plan. Nothing in it is wrong; a ticket changes lines of it.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

__all__ = ["Estate", "estate"]

Files = dict[str, str]

BLOCKS = ("palm", "fern", "rose", "pond", "moss", "herb", "kiln")
VOICE, POINTS, GUESTS, SERVERS, MANAGEMENT, PARKING, NATIVE = 50, 60, 61, 70, 90, 98, 99
NAMES = {
    VOICE: "voice",
    POINTS: "access-points",
    GUESTS: "guests",
    SERVERS: "servers",
    MANAGEMENT: "management",
    PARKING: "parking",
    NATIVE: "nobody",
}
DATA = {block: 110 + 10 * n for n, block in enumerate(BLOCKS)}
COMMON = (VOICE, POINTS, GUESTS, MANAGEMENT)


def vids(*parts: int) -> str:
    return ",".join(map(str, sorted(parts)))


class Estate:
    """The files, by name; a ticket edits them."""

    def __init__(self, files: Files) -> None:
        self.files = files

    def change(self, switch: str, old: str, new: str, *, port: str = "") -> int:
        """Replace one piece of text in the sheet of a switch (in the part of a port, if one is
        named). Gives back the number of its line.
        """
        name = switch if "." in switch else f"{switch}.sheet"
        text = self.files[name]
        start = text.index(f"[port {port}]\n") if port else 0
        at = text.index(old, start)
        self.files[name] = text[:at] + new + text[at + len(old) :]
        return text[:at].count("\n") + 1

    def write(self, folder: Path) -> None:
        for name, text in self.files.items():
            (folder / name).write_text(text)


def table(*own: int) -> str:
    rows = [f"{vid}: {NAMES.get(vid) or name_of(vid)}" for vid in sorted(own)]
    return "[vlans]\n" + "\n".join(rows) + "\n"


def name_of(vid: int) -> str:
    return next(f"{block}-desks" for block, own in DATA.items() if own == vid)


def trunk(port: str, allowed: str, about: str) -> str:
    return f"[port {port}]\nabout: {about}\nmode: trunk\nnative: {NATIVE}\nallowed: {allowed}\n"


def head(name: str, number: int, priority: int) -> str:
    return (
        f"inkov sheet 1\nswitch: {name}\n[tree]\nmode: rstp\n[tree all]\npriority: {priority}\n"
        f"[gateway {MANAGEMENT}]\naddress: 10.90.0.{number}/24\n"
    )


def access(block: str, n: int, number: int) -> str:
    name, vid = f"{block}-{n}", DATA[block]
    text = head(name, number, 32768) + table(vid, *COMMON, PARKING, NATIVE)
    text += f"[port 1..12]\nvlan: {vid}\nvoice: {VOICE}\nedge: yes\nbpdu guard: on\n"
    for port in range(13, 17):
        text += f"[port {port}]\nabout: desk {port}\nvlan: {vid}\nvoice: {VOICE}\n"
        text += "edge: yes\nbpdu guard: on\n"
    text += (
        f"[port 17]\nabout: access point\nmode: trunk\nnative: {POINTS}\n"
        f"allowed: {vids(POINTS, GUESTS)}\n"
    )
    text += f"[port 18..22]\nstate: off\nvlan: {PARKING}\n"
    carried = vids(vid, *COMMON, NATIVE)
    for uplink, side in (("23", "a"), ("24", "b")):
        text += trunk(uplink, carried, f"uplink to {block}-{side}")
    ends = f"23: {block}-a:{n}\n24: {block}-b:{n}\n17: ap-{name}:eth\n"
    return text + "[neighbours]\n" + ends


def distribution(block: str, side: str, number: int) -> str:
    name, vid = f"{block}-{side}", DATA[block]
    core = BLOCKS.index(block) + 1
    text = head(name, number, 16384) + table(vid, *COMMON, NATIVE)
    carried = vids(vid, *COMMON, NATIVE)
    for n in range(1, 5):
        text += trunk(str(n), carried, f"downlink to {block}-{n}")
    for port, to in (("23", "core-1"), ("24", "core-2")):
        text += trunk(port, carried, f"uplink to {to}")
    other = "b" if side == "a" else "a"
    text += trunk("22", carried, f"to {block}-{other}") + "[neighbours]\n"
    text += "".join(f"{n}: {block}-{n}:{'23' if side == 'a' else '24'}\n" for n in range(1, 5))
    at = f"{side}{core}"
    return text + f"23: core-1:{at}\n24: core-2:{at}\n22: {block}-{other}:22\n"


def core(n: int, number: int) -> str:
    name = f"core-{n}"
    text = head(name, number, 4096 * n) + table(*DATA.values(), *COMMON, SERVERS, NATIVE)
    for block, vid in DATA.items():
        for side in "ab":
            carried = vids(vid, *COMMON, NATIVE)
            text += trunk(
                f"{side}{BLOCKS.index(block) + 1}", carried, f"downlink to {block}-{side}"
            )
    every = vids(*DATA.values(), *COMMON, SERVERS, NATIVE)
    text += trunk("x", every, f"to core-{3 - n}")
    text += trunk("s", vids(SERVERS, MANAGEMENT, NATIVE), "downlink to server-1")
    text += trunk("r", vids(*routed(n)), f"downlink to router-{n}").replace(
        f"native: {NATIVE}", "native: none"
    )
    text += f"[neighbours]\nx: core-{3 - n}:x\ns: server-1:{22 + n}\nr: router-{n}:lan\n"
    for block in BLOCKS:
        for side in "ab":
            text += f"{side}{BLOCKS.index(block) + 1}: {block}-{side}:{22 + n}\n"
    return text


def routed(n: int) -> list[int]:
    """The VLANs that a router routes: every second block; servers, and the rest, by both."""
    blocks = [vid for at, vid in enumerate(DATA.values()) if at % 2 == n - 1]
    return sorted([*blocks, SERVERS, *((VOICE, MANAGEMENT) if n == 1 else (POINTS, GUESTS))])


def router(n: int) -> str:
    text = f"inkov sheet 1\nswitch: router-{n}\n[port lan]\nabout: to core-{n}\nmode: routed\n"
    for vid in routed(n):
        own = n if vid == SERVERS else 1
        text += (
            f"[sub lan.{vid}]\nof: lan\ntag: {vid}\nmode: routed\n"
            f"address: {network(vid)}.{253 + own if vid != SERVERS else n}/24\n"
        )
    return text + f"[neighbours]\nlan: core-{n}:r\n"


def network(vid: int) -> str:
    return f"10.{vid}.0"


def servers(number: int) -> str:
    text = head("server-1", number, 32768) + table(SERVERS, MANAGEMENT, PARKING, NATIVE)
    text += f"[port 1..8]\nvlan: {SERVERS}\nedge: yes\nbpdu guard: on\n"
    text += f"[port 9..20]\nstate: off\nvlan: {PARKING}\n"
    for port, n in (("23", 1), ("24", 2)):
        text += trunk(port, vids(SERVERS, MANAGEMENT, NATIVE), f"uplink to core-{n}")
    return text + "[neighbours]\n23: core-1:s\n24: core-2:s\n"


def hosts() -> str:
    rows = ["host,switch,port,address,gateway"]
    for block, vid in DATA.items():
        for n in (1, 3):
            rows.append(
                f"desk-{block}-{n},{block}-{n},5,{network(vid)}.{10 + n}/24,{network(vid)}.254"
            )
    rows += [
        f"server-{n},server-1,{n},{network(SERVERS)}.{10 + n}/24,{network(SERVERS)}.{n}"
        for n in (1, 2)
    ]
    return "\n".join(rows) + "\n"


def plan() -> str:
    text = "vlans:\n"
    for vid in sorted([*NAMES, *DATA.values()]):
        name = NAMES.get(vid) or name_of(vid)
        routes = f"subnet: {network(vid)}.0/24"
        routes = "routed: no" if vid in (PARKING, NATIVE) else routes
        text += f"  {vid}: {{name: {name}, {routes}}}\n"
    text += f"practice:\n  native: {NATIVE}\n  management: {MANAGEMENT}\n"
    text += f"  unused: {{vlan: {PARKING}}}\n"
    text += "  root: [core-1, core-2]\n  edge: yes\n  guard: yes\n"
    blocks = ", ".join(f"{block}-desks" for block in BLOCKS)
    text += f"claims:\n  - isolate: [{blocks}]\n"
    text += "  - isolate: [guests, servers]\n    level: hostile\n"
    text += "  - reach: [desk-palm-1, server-1]\n  - join: servers\n"
    return text


def estate() -> Estate:
    """The campus as it should be."""
    files: Files = {"hosts.csv": hosts(), "plan.yaml": plan()}
    sheets: list[tuple[str, Callable[[int], str]]] = [
        ("core-1", partial(core, 1)),
        ("core-2", partial(core, 2)),
        ("server-1", servers),
    ]
    for block in BLOCKS:
        sheets += [(f"{block}-{side}", partial(distribution, block, side)) for side in "ab"]
        sheets += [(f"{block}-{n}", partial(access, block, n)) for n in range(1, 5)]
    for number, (name, make) in enumerate(sheets, 1):
        files[f"{name}.sheet"] = make(number)
    for n in (1, 2):
        files[f"router-{n}.sheet"] = router(n)
    return Estate(files)
