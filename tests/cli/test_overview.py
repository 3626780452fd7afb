"""The campus on one page: what the cabling shows of roles and blocks, worked out by hand."""

from __future__ import annotations

import os
import re
import shutil
from pathlib import Path

import pytest
from bench.campus import write_campus

from tests.conftest import DEMO, Inkov, share
from tests.render.screens import on_screen

Links = list[tuple[str, str]]


def campus(folder: Path, links: Links, hosts: str, plan: str = "", router: str = "") -> None:
    """Switches and the links between them; those of `hosts` have a host port each."""
    folder.mkdir()
    names = sorted({name for link in links for name in link} | set(hosts.split()))
    ports: dict[str, int] = {}
    rows = ["switch,port,far switch,far port"]
    for link in links:
        ends = []
        for name in link:
            ports[name] = ports.get(name, 0) + 1
            ends += [name, str(ports[name])]
        rows.append(",".join(ends))
    for name in names:
        mode = "routed" if name == router else "trunk\nallowed: 10"
        text = f"inkov sheet 1\nswitch: {name}\n[vlans]\n10: climate\n"
        if ports.get(name):
            text += f"[port 1..{ports[name]}]\nmode: {mode}\n"
        text += "[port h]\nvlan: 10\n" if name in hosts.split() else ""
        (folder / f"{name}.sheet").write_text(text)
    (folder / "cabling.csv").write_text("\n".join(rows) + "\n")
    (folder / "plan.yaml").write_text(plan)


def pairs(text: str) -> Links:
    return [(one[0], one[1]) for one in (word.split("-") for word in text.split())]


TWO_CORES = "c1-c2 " + " ".join(f"d{n}-c{m}" for n in range(1, 5) for m in (1, 2))
BLOCKS = " ".join(
    f"a{block}{n}-d{d}" for block, ds in ((1, (1, 2)), (2, (3, 4))) for n in (1, 2) for d in ds
)


@pytest.mark.parametrize(
    ("links", "hosts", "more", "roles", "blocks"),
    [
        # Two cores, two blocks of a pair and two access switches each.
        (
            f"{TWO_CORES} {BLOCKS}",
            "a11 a12 a21 a22",
            "",
            {"core": "c1 c2", "distribution": "d1 d2 d3 d4", "access": "a11 a12 a21 a22"},
            ["d1 d2 a11 a12", "d3 d4 a21 a22"],
        ),
        # A star, one arm of which goes on: b passes its neighbour through, and has hosts itself.
        (
            "c-a c-b c-d b-e",
            "a b d e",
            "",
            {"core": "c", "access": "a b d e"},
            ["a", "b e", "d"],
        ),
        # The same, but b has no hosts: all it does is pass e on.
        (
            "c-a c-b c-d b-e",
            "a d e",
            "",
            {"core": "c", "distribution": "b", "access": "a d e"},
            ["a", "b e", "d"],
        ),
        # Two switches are no campus with a core, and the plan may know better.
        ("a-b", "a b", "", {"access": "a b"}, ["a b"]),
        ("a-b", "a b", "roles: {core: a, server: 'b*'}", {"core": "a", "server": "b"}, ["b"]),
    ],
)
def test_roles_and_blocks(
    inkov: Inkov,
    tmp_path: Path,
    links: str,
    hosts: str,
    more: str,
    roles: dict[str, str],
    blocks: list[str],
) -> None:
    campus(tmp_path / "in", pairs(links), hosts, more)
    seen = inkov("overview", "in", "-f", "json").json
    assert {row["role"]: " ".join(row["switches"]) for row in seen["roles"]} == roles
    assert [" ".join([*row["heads"], *row["access"]]) for row in seen["blocks"]] == blocks


def test_a_router_bridges_nothing(inkov: Inkov, tmp_path: Path) -> None:
    campus(tmp_path / "in", pairs("c-a c-b c-r"), "a b", router="r")
    seen = inkov("overview", "in").out
    assert seen.startswith("3 switches, 1 router, 1 VLAN, 2 host ports\n")
    assert re.search(r"^routers +r$", seen, re.MULTILINE)


def test_the_glasshouses(inkov: Inkov) -> None:
    """north-1 routes, and shares palm-2 and cactus-1 with south-1; moss-1 hangs on cactus-1."""
    says = inkov("overview", str(DEMO / "glasshouses")).out
    for line in (
        "5 switches, 3 VLANs, 13 host ports",
        "core        2: north-1, south-1, 2 host ports",
        "access      3: cactus-1, moss-1, palm-2, 11 host ports",
        "routed      north-1: VLAN 10,20",
        "redundancy  1 of 6 links without a spare; moss-1 hangs on one",
        "            without cactus-1, 1 switch is cut off",
        "odd         VLAN 99: defined, and nobody is in",
    ):
        assert line in says.split("\n"), line


@pytest.mark.parametrize("more", [False, True])
def test_one_number_in_two_areas_is_in_no_parts(inkov: Inkov, tmp_path: Path, more: bool) -> None:
    """a and b have a VLAN 10 each, with a routed link between them; c hangs on b by VLAN 20 only,
    so a host in VLAN 10 there is cut off from its VLAN.
    """
    for number, (name, far) in enumerate((("a", "b"), ("b", "a")), 1):
        (tmp_path / f"{name}.sheet").write_text(
            f"inkov sheet 1\nswitch: {name}\n[vlans]\n10: climate\n20: pumps\n[port 1]\nvlan: 10\n"
            f"[port 2]\nvlan: 20\n[port 9]\nmode: routed\naddress: 10.9.0.{number}/30\n"
            f"[gateway 10]\naddress: 10.{number}.0.1/24\n[neighbours]\n9: {far}:9\n"
        )
    vid = 10 if more else 20
    (tmp_path / "c.sheet").write_text(
        f"inkov sheet 1\nswitch: c\n[vlans]\n10: climate\n20: pumps\n[port 1]\nvlan: {vid}\n"
        "[port 2]\nvlan: 20\n[neighbours]\n2: b:2\n"
    )
    out = inkov("overview", ".", "-q").out
    [told] = [line for line in out.splitlines() if "10 climate: " in line]
    assert told.endswith("gateway a, b" + ", in 2 parts" * more)
    assert ("VLAN 10 is in parts" in out) is more


@pytest.mark.parametrize("columns", share([80, 120], 2))
def test_it_fits_a_screen(tmp_path: Path, columns: int) -> None:
    write_campus(tmp_path / "large", 260)
    shutil.copytree(DEMO / "garden", tmp_path / "garden")
    for name in ("garden", "large"):
        coloured = on_screen("overview", tmp_path / name, width=columns, colour=True)
        shown = re.sub(r"\x1b\[[0-9;]*m", "", coloured)
        lines = shown.rstrip().split("\n")
        assert len(lines) <= 50 and max(map(len, lines)) <= columns, shown
    assert "9 blocks of 24 access switches, each behind 2 switches" in shown


def test_nothing_is_made_of_names(inkov: Inkov, tmp_path: Path) -> None:
    """Markup and what a terminal obeys are text; one switch alone, without links, is a campus."""
    campus(tmp_path / "in", [], "a")
    text = (tmp_path / "in" / "a.sheet").read_text()
    name = '"[bold]x\\u001b[2J"'
    (tmp_path / "in" / "a.sheet").write_text(text.replace("10: climate", f"10: {name}"))
    for form in ("table", "markdown", "json", "csv", "html"):
        shown = inkov("overview", "in", "-f", form)
        assert shown.status == 0 and "\x1b" not in shown.out
    assert "no links between switches are known" in inkov("overview", "in").out


def test_files_that_are_older_than_the_rest_are_named(inkov: Inkov, tmp_path: Path) -> None:
    """Of eight files two were collected forty days before the others: they may be of the past."""
    campus(tmp_path / "in", pairs("a-b a-c a-d a-e a-f a-g a-h"), "b c")
    now = 1_700_000_000
    for number, path in enumerate(sorted((tmp_path / "in").glob("*.sheet"))):
        os.utime(path, (now - 3600 * number,) * 2)
    assert "older than the rest" not in inkov("overview", "in").out
    for name in ("c", "g"):
        os.utime(tmp_path / "in" / f"{name}.sheet", (now - 40 * 86400,) * 2)
    said = inkov("overview", "in").out
    assert "c.sheet, g.sheet are older than the rest by 39 days" in said
    for name in "abcd":  # half of them: then there is no rest
        os.utime(tmp_path / "in" / f"{name}.sheet", (now - 40 * 86400,) * 2)
    assert "older than the rest" not in inkov("overview", "in").out


def test_switches_without_a_link_are_named(inkov: Inkov, tmp_path: Path) -> None:
    campus(tmp_path / "in", pairs("c1-a1 c1-a2"), "a1 a2 z9 b10 b9")
    assert inkov("overview", "in", "-f", "json").json["alone"] == ["b9", "b10", "z9"]


def test_a_router_by_a_routed_port_is_the_gateway_of_the_vlan_there(
    inkov: Inkov, tmp_path: Path
) -> None:
    (tmp_path / "s.sheet").write_text(
        "inkov sheet 1\nswitch: s\n[vlans]\n10: pumps\n[port 1..3]\nvlan: 10\n"
        "[neighbours]\n1: r:u\n"
    )
    (tmp_path / "r.sheet").write_text(
        "inkov sheet 1\nswitch: r\n[port u]\nmode: routed\naddress: 10.0.10.1/24\n"
    )
    told = inkov("overview", ".").out
    assert "10 pumps: 2 ports on 1 switch, gateway r" in told
