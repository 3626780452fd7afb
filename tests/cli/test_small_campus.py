"""Small campuses, from the file to the output: who reaches whom by segments, the ports of each
VLAN, and switches whose names have domains.
"""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.conftest import Inkov

# Switch a routes between VLANs 10, 20 and 30; what VLAN 20 sends to the lower half of VLAN 30 is
# stopped. Port 4 of b sends VLAN 50 untagged, and takes what comes untagged into VLAN 40.
A = """\
inkov sheet 1
switch: a
[vlans]
10: climate
20: tills
30: guests
40: yard
50: water
[port 1..2]
vlan: 10
[port 3]
vlan: 20
[port 4]
vlan: 20
state: off
[port 5]
vlan: 50
[port 6]
vlan: 40
[port u]
mode: trunk
native: none
allowed: 10,30,40,50
[filter keep]
10: reject from any to 10.0.30.0/25
20: accept from any to any
[gateway 10]
address: 10.0.10.1/24
[gateway 20]
address: 10.0.20.1/24
filter in: keep
[gateway 30]
address: 10.0.30.1/24
[neighbours]
u: b:u
"""
B = """\
inkov sheet 1
switch: b
[vlans]
10: climate
30: guests
40: yard
50: water
60: spare
[port 1]
vlan: 10
[port 2..3]
vlan: 30
[port 4]
mode: general
pvid: 40
untagged: 40,50
[port u]
mode: trunk
native: none
allowed: 10,30,40,50
[neighbours]
u: a:u
"""
SEGMENTS = "segments:\n  climate: 10\n  tills: 20\n  guests: 30\n  yard: 40\n"
SEGMENTS += "vlans:\n  50: {segment: water}\n"


@pytest.mark.parametrize("plan", [True, False], ids=["segments of the plan", "VLANs in use"])
def test_who_reaches_whom(inkov: Inkov, tmp_path: Path, *, plan: bool) -> None:
    (tmp_path / "a.sheet").write_text(A)
    (tmp_path / "b.sheet").write_text(B)
    (tmp_path / "plan.yaml").write_text(SEGMENTS if plan else "")
    cells = inkov("prove", "a.sheet", "b.sheet", "--plan", "plan.yaml", "--matrix", "-f", "json")
    how = {
        (cell["one"].split()[-1], cell["other"].split()[-1]): (cell["how"], cell["via"])
        for cell in cells.json["reach"]
    }
    routed, part, apart = ("routed", "a"), ("part", "a"), ("apart", "")
    assert how == {
        ("climate", "tills"): routed,
        ("climate", "guests"): routed,
        ("climate", "yard"): apart,
        ("climate", "water"): apart,
        ("tills", "climate"): routed,
        ("tills", "guests"): part,
        ("tills", "yard"): apart,
        ("tills", "water"): apart,
        ("guests", "climate"): routed,
        ("guests", "tills"): routed,
        ("guests", "yard"): apart,
        ("guests", "water"): apart,
        ("yard", "climate"): apart,
        ("yard", "tills"): apart,
        ("yard", "guests"): apart,
        ("yard", "water"): apart,
        ("water", "climate"): apart,
        ("water", "tills"): apart,
        ("water", "guests"): apart,
        ("water", "yard"): ("leaks", ""),  # b:4 hears it
    }
    shown = inkov("prove", "a.sheet", "b.sheet", "--plan", "plan.yaml", "--matrix")
    leaks = [line.partition("LEAK")[0] for line in shown.out.splitlines() if "LEAK " in line]
    assert shown.status == 0 and len(leaks) == 1 and "water" in leaks[0]


def test_the_ports_of_each_vlan(inkov: Inkov, tmp_path: Path) -> None:
    """Ports for hosts count where they send a VLAN; one that is off, a trunk to another switch
    and a gateway do not.
    """
    (tmp_path / "a.sheet").write_text(A)
    (tmp_path / "b.sheet").write_text(B)
    rows = inkov("vlans", ".", "-f", "json").json["vlans"]
    at = {row["vlan"]: {one["switch"]: one["ports"] for one in row["at"]} for row in rows}
    assert at == {
        10: {"a": 2, "b": 1},
        20: {"a": 1},
        30: {"a": 0, "b": 2},
        40: {"a": 1, "b": 1},
        50: {"a": 1, "b": 1},
        60: {"b": 0},
    }
    assert {row["vlan"]: row["ports"] for row in rows} == {10: 3, 20: 1, 30: 2, 40: 2, 50: 2, 60: 0}
    on_b = inkov("vlans", ".", "--switch", "b", "-f", "json").json["vlans"]
    assert [(row["vlan"], row["ports"]) for row in on_b] == [
        (10, 1),
        (30, 2),
        (40, 1),
        (50, 1),
        (60, 0),
    ]


@pytest.mark.parametrize(
    ("name", "heard", "linked"),
    [
        ("palm-1", "palm-1.garden.example", True),
        ("palm-1.garden.example", "palm-1", True),
        ("palm-1.garden.example", "PALM-1.garden", True),
        ("palm-1.garden.example", "palm-1.garden.example", True),
        # Two domains are two switches, and so are two addresses.
        ("palm-1.garden.example", "palm-1.nursery.example", False),
        ("palm-1.garden.example", "palm-1.gard", False),
        ("10.0.0.2", "10.0.0.3", False),
        ("10.0.0.2", "10.0.0.20", False),
    ],
)
def test_a_switch_with_a_domain_in_its_name(
    inkov: Inkov, tmp_path: Path, name: str, heard: str, *, linked: bool
) -> None:
    trunk = "[port u]\nmode: trunk\nnative: none\nallowed: 10\n"
    head = "inkov sheet 1\nswitch: {}\n[vlans]\n10: climate\n" + trunk
    (tmp_path / "a.sheet").write_text(
        head.format("gate-1") + f'[neighbours]\nu: "{heard}":u\n[port 1]\nvlan: 10\n'
    )
    (tmp_path / "b.sheet").write_text(head.format(name) + "[port 1]\nvlan: 10\n")
    links = inkov("links", ".", "-f", "json").json["links"]
    ends = [(link["a"], link["b"]) for link in links if link["kind"] == "link"]
    assert ends == ([tuple(sorted((f"{name}:u", "gate-1:u")))] if linked else []), links
    assert inkov("links", ".", "--switch", name).status == 0
    told = inkov("follow", "gate-1:1", f"{name}:1", ".")
    assert (told.status == 0) == linked, told.out


BOX_A = """\
inkov sheet 1
switch: a
[vlans]
10: climate
20: tills
30: guests
[port 1]
vlan: 10
[port 2]
vlan: 20
[port 3]
vlan: 30
[port u]
vlan: 10
[neighbours]
u: shed:1
"""
BOX_B = """\
inkov sheet 1
switch: b
[vlans]
20: tills
[port 1]
vlan: 20
[port u]
vlan: 20
[neighbours]
u: shed:2
"""


def test_what_a_neighbour_without_a_file_may_pass_is_not_called_apart(
    inkov: Inkov, tmp_path: Path
) -> None:
    # If shed is a plain box, climate and the tills behind it are one: nobody knows. No box is at
    # a port of the guests.
    (tmp_path / "a.sheet").write_text(BOX_A)
    (tmp_path / "b.sheet").write_text(BOX_B)
    told = inkov("prove", "a.sheet", "b.sheet", "--matrix", "-f", "json").json
    how = {(cell["one"][3:], cell["other"][3:]): cell["how"] for cell in told["reach"]}
    sides = ("climate", "tills", "guests")
    assert how == {
        (one, other): "apart" if "guests" in (one, other) else "not known"
        for one in sides
        for other in sides
        if one != other
    }
    says = "shed is not among the files, and taken to pass nothing between a:u and b:u"
    assert told["assumes"] == [says]
    lines = inkov("prove", "a.sheet", "b.sheet", "--matrix").out.splitlines()
    assert [line.split() for line in lines if line.startswith(("10 ", "30 "))] == [
        ["10", "climate", "-", "not", "known", "·"],
        ["30", "guests", "·", "·", "-"],
    ]
    assert lines[-2:] == [
        "·: apart; not known: a neighbour without a file may pass it",
        f"Rests on: {says}",
    ]
    # Seen by one switch alone, it joins nothing.
    alone = inkov("prove", "a.sheet", "--matrix", "-f", "json").json
    assert {cell["how"] for cell in alone["reach"]} == {"apart"} and alone["assumes"] == []
