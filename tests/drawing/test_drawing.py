"""Drawings, from files to the file that is written: every switch once, every link once with its
ports, and the laws of `laws.py`.
"""

from __future__ import annotations

import random
import re
from pathlib import Path

import pytest
from bench.campus import write_campus

from tests.cli.test_overview import BLOCKS, TWO_CORES, campus, pairs
from tests.conftest import DEMO, Inkov, cases
from tests.drawing.laws import Svg, can_be_read, shows_each_link, well_laid_out

CAMPUSES = cases("DRAWINGS", 40)


def drawn(inkov: Inkov, folder: Path, *options: str) -> Svg:
    out = folder.parent / "drawing.svg"
    result = inkov("draw", str(folder), "-o", str(out), *options)
    assert result.status == 0, result.err
    return Svg(out)


def any_campus(folder: Path, rng: random.Random) -> tuple[set[str], list[tuple[str, str]]]:
    """Switches and routers, and their links (switch:port), often several between two: trunks that
    let different VLANs on, untagged ones that differ, ports that are off, names of any length.
    """
    number = rng.choice([rng.randint(1, 12), rng.randint(1, 40)])
    names = [f"{rng.choice(['s', 'bed-', 'glasshouse-west-'])}{n}" for n in range(number)]
    pairs = [(rng.choice(names[:n]), names[n]) for n in range(1, number)]
    for _ in range(rng.randint(0, 12) if number > 1 else 0):
        one, other = rng.sample(names, 2)
        pairs += [(one, other)] * rng.choice([1, 1, 1, 2, 3, 6])
    routers = set(rng.sample(names, min(number - 1, rng.choice([0, 0, 1, 2, 3]))))
    folder.mkdir()
    ports: dict[str, list[str]] = {name: [] for name in names}
    links = []
    for pair in pairs:
        ends = []
        for name in pair:
            count = len(ports[name]) + 1
            port = rng.choice([f"{count}", f"port-{count}", f"slot-1-port-{count}"])
            ports[name].append(port)
            ends.append(f"{name}:{port}")
        links.append((ends[0], ends[1]))
    for name in names:
        text = f"inkov sheet 1\nswitch: {name}\n[vlans]\n10: climate\n20: pumps\n30: fog\n"
        for port in ports[name]:
            more = rng.choice(["", "", "native: 20\n", "state: off\n"])
            trunk = f"mode: trunk\nallowed: {rng.choice(['10', '10,20', '10,20,30'])}\n{more}"
            text += f"[port {port}]\n{'mode: routed' if name in routers else trunk}\n"
        text += "[port h]\nvlan: 10\n" * (name not in routers)  # else it is no router
        text += f"[neighbours]\nh: lamp-{number}:1\n" * (rng.random() < 0.2)
        (folder / f"{name}.sheet").write_text(text)
    rows = [f"{one},{other}".replace(":", ",") for one, other in links]
    (folder / "cabling.csv").write_text("\n".join(["switch,port,far switch,far port", *rows]))
    # As somebody planned it: routers are linked to several of the core, by several links each.
    if core := rng.sample(names, rng.choice([0, 1, 2, 3]) if number > 3 else 0):
        (folder / "plan.yaml").write_text(f"roles:\n  core: [{', '.join(core)}]\n")
    return set(names), links


@pytest.mark.parametrize("seed", range(CAMPUSES))
def test_any_campus(inkov: Inkov, tmp_path: Path, seed: int) -> None:
    rng = random.Random(seed)
    names, links = any_campus(tmp_path / "in", rng)
    options = rng.choice([[], [], ["--hosts"], ["--vlan", "20"], ["--tree"]])
    svg = drawn(inkov, tmp_path / "in", *options)
    assert sorted(box.title.partition(" (")[0] for box in svg.switches) == sorted(names)
    well_laid_out(svg)
    if "--vlan" not in options:  # else only what passes the VLAN is told
        shows_each_link(svg, links)


def links_of(block: int) -> list[str]:
    """The switches of a block."""
    return [f"d{2 * block - 1}", f"d{2 * block}", f"a{block}1", f"a{block}2"]


def test_a_campus_as_it_should_be(inkov: Inkov, tmp_path: Path) -> None:
    """Core above distribution above access, each block in a range of its own."""
    links = pairs(f"{TWO_CORES} {BLOCKS}")
    campus(tmp_path / "in", links, "a11 a12 a21 a22")
    svg = drawn(inkov, tmp_path / "in")
    well_laid_out(svg)
    at = {box.title.partition(" (")[0]: box for box in svg.switches}
    assert at["c1"].y == at["c2"].y < at["d1"].y == at["d4"].y < at["a11"].y < at["a12"].y
    left, right = (
        [at[name] for name in names.split()] for names in ("d1 d2 a11 a12", "d3 d4 a21 a22")
    )
    assert max(box.right for box in left) < min(box.x for box in right)


def test_links_between_blocks_are_told_at_both_heads(inkov: Inkov, tmp_path: Path) -> None:
    """Heads stand as far apart as what is told below them is wide."""
    far = [f"glasshouse-north-west-{n}" for n in (3, 4)]
    heads = ["n1", "n2", *far]
    links = [(head, "c1") for head in heads] + list(zip(heads[:2], far, strict=True))
    for number, two in enumerate((heads[:2], far)):
        links += [(f"a{number}{n}", head) for n in (1, 2) for head in two]
    roles = f"roles:\n  core: [c1]\n  distribution: [{', '.join(heads)}]\n"
    campus(tmp_path / "in", links, "a01 a02 a11 a12", roles)
    svg = drawn(inkov, tmp_path / "in")
    well_laid_out(svg)
    assert {f"2 to {far[0]}:2: 10", "2 to n1:2: 10"} <= set(svg.said)


def test_a_block_of_many_heads(inkov: Inkov, tmp_path: Path) -> None:
    """Eight rails, each with a turn of its own above the list."""
    heads = [f"n{number}" for number in range(1, 9)]
    links = [(head, far) for head in heads for far in ("c1", "a1", "a2")]
    roles = f"roles:\n  core: [c1]\n  distribution: [{', '.join(heads)}]\n"
    campus(tmp_path / "in", links, "a1 a2", roles)
    svg = drawn(inkov, tmp_path / "in")
    well_laid_out(svg)
    assert sum(title in heads for title in svg.lines) == 8


def test_a_large_campus_is_folded(inkov: Inkov, tmp_path: Path) -> None:
    number = len(write_campus(tmp_path / "in", 160))
    svg = drawn(inkov, tmp_path / "in")
    folded = [box for box in svg.switches if ", " in box.title]
    well_laid_out(svg)
    assert sum(len(box.title.split(", ")) for box in folded) == number - 2
    assert "dist-1-1, dist-1-2" in svg.said and "+ 24 access" in svg.said
    assert svg.width < 2.5 * svg.height
    flat = [points for _, points in svg.drawn if len({y for _, y in points}) == 1]
    several = [label for label in svg.labels if re.fullmatch(r"\d+ links", label.title)]
    assert several
    for label in several:  # each stands above its line
        lines = [line for line in flat if 0 < line[0][1] - label.bottom < 6]
        assert any(min(line)[0] <= label.x and label.right <= max(line)[0] for line in lines), label


def test_what_is_wrong_is_said(inkov: Inkov, tmp_path: Path) -> None:
    """core-1:port-5 is a trunk, fern-1:port-24 an access port; palm-1 does not let VLAN 60 on."""
    out = tmp_path / "g.svg"
    assert inkov("draw", str(DEMO / "garden"), "-o", str(out)).status == 0
    svg = Svg(out)
    assert {"! untagged 99 meets 10", "! lacks 60", "shut"} <= set(svg.said)
    assert "port-5: cafe-ap-1, without a file" in svg.said
    assert "something is wrong: ! says what" in svg.said  # and the legend has no sign besides
    assert "the spanning tree discards" not in svg.said


def test_what_crosses_one_way_is_said(inkov: Inkov, tmp_path: Path) -> None:
    """b takes whatever arrives, and sends 20 nowhere."""
    (tmp_path / "in").mkdir()
    ends = {
        "a": "mode: trunk\nnative: none\nallowed: 10,20\n",
        "b": "mode: general\npvid: none\nuntagged: none\ntagged: 10\n",
    }
    for name, end in ends.items():
        text = f"inkov sheet 1\nswitch: {name}\n[vlans]\n10: ferns\n20: pumps\n[port 1]\n{end}"
        far = "b" if name == "a" else "a"
        (tmp_path / "in" / f"{name}.sheet").write_text(f"{text}[neighbours]\n1: {far}:1\n")
    assert {"10", "! one way: 20"} <= set(drawn(inkov, tmp_path / "in").said)


def test_the_tree_and_one_vlan(inkov: Inkov, tmp_path: Path) -> None:
    """In the glasshouses north-1 is root: palm-2 and cactus-1 have a way too many."""
    for options in ((), ("--vlan", "10")):
        out = tmp_path / "g.svg"
        assert inkov("draw", str(DEMO / "glasshouses"), "-o", str(out), *options).status == 0
        svg = Svg(out)
        tree = inkov("tree", str(DEMO / "glasshouses"), "--vlan", "10", "-f", "json").json
        blocked = sum(p["state"] == "discarding" for t in tree["trees"] for p in t["ports"])
        assert sum("discards" in text for text in svg.said) >= blocked > 0, svg.said
    assert "VLAN 10 climate on glasshouses: 5 switches" in svg.said
    assert "2 ports" in svg.said and "1 port, gateway" in svg.said
    # gate-1 has a port in VLAN 55, which no switch has.
    assert inkov("draw", str(DEMO / "garden"), "-o", str(out), "--vlan", "55").status == 0
    assert Svg(out).said.count("not defined") == 1


def test_roots_and_hosts(inkov: Inkov, tmp_path: Path) -> None:
    """north-1 has the lowest priority; moss-1 has three host ports, mister-1 at one of them."""
    out = tmp_path / "g.svg"
    options = ("--tree", "--hosts")
    assert inkov("draw", str(DEMO / "glasshouses"), "-o", str(out), *options).status == 0
    said = Svg(out).said
    assert "root, 1 host port" in said
    hosts = (DEMO / "glasshouses" / "hosts.csv").read_text().splitlines()[1:]
    at_moss = [row.split(",")[0] for row in hosts if row.split(",")[1] == "moss-1"]
    assert f"3 host ports: {', '.join(at_moss)}" in said


def test_a_way(inkov: Inkov, tmp_path: Path) -> None:
    """From a till to the irrigation server: by the one link of gate-1, and through the router."""
    arguments = ("draw", str(DEMO / "garden"), "--path", "till-1", "irrigation-server")
    assert inkov(*arguments, "-o", "g.svg").status == 0
    said = Svg(tmp_path / "g.svg").said
    assert "From till-1 to irrigation-server" in said
    assert [text for text in said if text.startswith("(")] == ["(1) 40,50,60,90"]


@pytest.mark.parametrize(
    ("ending", "begins"), [("png", b"\x89PNG\r\n"), ("pdf", b"%PDF-"), ("html", b"<!DOCTYPE html>")]
)
def test_other_files(inkov: Inkov, tmp_path: Path, ending: str, begins: bytes) -> None:
    if ending in ("png", "pdf"):
        pytest.importorskip("matplotlib")
    out = tmp_path / f"g.{ending}"
    made = []
    for _ in range(2):
        assert inkov("draw", str(DEMO / "garden"), "-o", str(out)).status == 0
        made.append(out.read_bytes())
    assert made[0].startswith(begins) and made[0] == made[1]
    # Within a page a drawing is no document of its own.
    assert ending != "html" or (made[0].count(b"<svg") == 1 and b"<?xml" not in made[0])


@pytest.mark.parametrize(
    ("output", "says"),
    [
        ("g.gif", "a drawing ends in .svg, .html, .png, .pdf"),
        ("folder.svg", "a folder is there"),
        ("nowhere/g.svg", "cannot write nowhere/g.svg"),
        ("in/a.svg", "one of the files that are read"),
    ],
)
def test_where_it_cannot_go(inkov: Inkov, tmp_path: Path, output: str, says: str) -> None:
    campus(tmp_path / "in", [], "a")
    (tmp_path / "in" / "a.sheet").rename(tmp_path / "in" / "a.svg")
    (tmp_path / "folder.svg").mkdir()
    result = inkov("draw", "in", "-o", output)
    assert result.status == 2 and says in result.err and result.err.count("\n") == 1


def test_names_are_texts(inkov: Inkov, tmp_path: Path) -> None:
    """Markup, quotes, marks of direction, very long names: texts in a well-formed document."""
    names = ['<script>x</script>&"', "a" * 3000, "x\u202ey", "]]>", "$\\frac{"]
    (tmp_path / "in").mkdir()
    rows = ["switch,port,far switch,far port"]
    for number, name in enumerate(names):
        quoted = name.replace("\\", "\\\\").replace('"', '\\"')
        text = f'inkov sheet 1\nswitch: "{quoted}"\n[port 1..3]\nmode: trunk\n'
        (tmp_path / "in" / f"{number}.sheet").write_text(text)
    shown = [name.replace('"', '""') for name in names]
    rows += [f'"{shown[0]}",{n},"{name}",1' for n, name in enumerate(shown[1:4], 1)]
    rows.append(f'"{shown[1]}",2,"{shown[1]}",3')  # a link to itself
    (tmp_path / "in" / "cabling.csv").write_text("\n".join(rows) + "\n")
    svg = drawn(inkov, tmp_path / "in")
    assert len(svg.switches) == 5 and '<script>x</script>&"' in svg.said
    assert all("\u202e" not in text for text in svg.texts)
    assert max(map(len, svg.said)) < 60
    pytest.importorskip("matplotlib")
    assert inkov("draw", "in", "-o", "g.png").status == 0


def test_the_front_of_a_switch(inkov: Inkov, tmp_path: Path) -> None:
    """Each port once, with what it is, its VLANs and who is behind it; VLANs with their ports."""
    (tmp_path / "in").mkdir()
    sheet = (
        "inkov sheet 1\nswitch: fern\n[vlans]\n10: mist\n20: pumps\n99: nobody\n"
        "[port 1..13]\nvlan: 10\n[port 14]\nvlan: 20\nabout: <pump>\n[port 15]\nstate: off\n"
        "[port 16]\nmode: trunk\nnative: 99\nallowed: 10,20,99\n"
        "[gateway 10]\naddress: 10.0.0.1/24\n[neighbours]\n16: core:1\n"
    )
    far = (
        "inkov sheet 1\nswitch: core\n[vlans]\n10: mist\n20: pumps\n99: nobody\n"
        "[port 1]\nmode: trunk\nnative: 99\nallowed: 10,99\n[port 2]\nvlan: 20\n"
        "[neighbours]\n1: fern:16\n"
    )
    (tmp_path / "in" / "fern.sheet").write_text(sheet)
    (tmp_path / "in" / "core.sheet").write_text(far)
    (tmp_path / "in" / "hosts.csv").write_text("host,switch,port\nfogger,fern,3\n")
    assert inkov("draw", "in", "--switch", "fern", "-o", "f.svg").status == 0
    svg = Svg(tmp_path / "f.svg")
    tiles = [box for box in svg.boxes if box.title]
    assert sorted(int(box.title.split(":")[1]) for box in tiles) == list(range(1, 17))
    can_be_read(svg)
    titles = {int(box.title.split(":")[1]): box.title for box in tiles}
    assert "on, access; untagged 10; tagged none; fogger" in titles[3]
    assert titles[14].endswith("<pump>") and "off" in titles[15]
    # core lacks VLAN 20, which has members at both.
    assert "core:1" in titles[16] and "lacks 20" in titles[16] and "! lacks 20" in svg.said
    thirteen = ", ".join(str(port) for port in range(1, 14))
    assert f"untagged at {thirteen}; tagged at 16; gateway 10.0.0.1/24" in svg.said
    faint = inkov("draw", "in", "--switch", "fern", "--vlan", "20", "-o", "g.svg")
    assert faint.status == 0
    said = Svg(tmp_path / "g.svg").said
    assert "untagged at 14; tagged at 16" in said and "the rest" in said
    wrong = inkov("draw", "in", "--switch", "fer", "-o", "h.svg")
    assert wrong.status == 2 and "did you mean fern?" in wrong.err
    assert inkov("draw", "in", "--switch", "fern", "--tree", "-o", "h.svg").status == 2


def test_what_a_change_does(inkov: Inkov, tmp_path: Path) -> None:
    """b's link gets VLAN 20 and loses 10; c's link is another one; d is new; e is gone."""

    def state(name: str, links: dict[str, tuple[str, str]]) -> None:
        folder = tmp_path / name
        folder.mkdir()
        vlans = "[vlans]\n10: mist\n20: pumps\n"
        core = "".join(
            f"[port {port}]\nmode: trunk\nnative: none\nallowed: {allowed}\n"
            for port, allowed in links.values()
        )
        core += "[neighbours]\n" + "".join(f"{port}: {n}:9\n" for n, (port, _) in links.items())
        (folder / "a.sheet").write_text(f"inkov sheet 1\nswitch: a\n{vlans}{core}")
        for far, (port, allowed) in links.items():
            trunk = f"[port 9]\nmode: trunk\nnative: none\nallowed: {allowed}\n"
            text = f"{vlans}[port 1]\nvlan: 10\n{trunk}[neighbours]\n9: a:{port}\n"
            (folder / f"{far}.sheet").write_text(f"inkov sheet 1\nswitch: {far}\n{text}")

    same = {"f": ("6", "10,20")}
    state("old", {"b": ("1", "10"), "c": ("2", "10"), "e": ("4", "10")} | same)
    state("new", {"b": ("1", "20"), "c": ("3", "10"), "d": ("5", "10,20")} | same)
    assert inkov("draw", "new", "--compare", "old", "-o", "c.svg").status == 0
    svg = Svg(tmp_path / "c.svg")
    for says in ("+20 -10", "new: 10", "gone: 10", "new: 10,20", "new", "gone: e"):
        assert any(says in text for text in svg.said), (says, svg.said)
    assert sorted(box.title.split()[0] for box in svg.switches) == list("abcdf")
    assert not any("edit" in text for text in svg.said if "f" in text.split())
    assert inkov("draw", "new", "--compare", "new", "-o", "c.svg").status == 0
    assert "no switch and no link changes" in Svg(tmp_path / "c.svg").said
    alone = inkov("draw", "new", "--compare", "nowhere", "-o", "d.svg")
    assert alone.status == 2 and not (tmp_path / "d.svg").exists()


def test_many_blocks_are_no_ribbon(inkov: Inkov, tmp_path: Path) -> None:
    """Twelve blocks of five switches around a core: in lines below each other, on a page that a
    screen can show.
    """
    folder = tmp_path / "in"
    folder.mkdir()
    links = [("core", f"d{block}", f"bed-{block}", "up") for block in range(12)]
    links += [(f"bed-{n}", f"a{at}", f"hut-{n}-{at}", "up") for n in range(12) for at in range(4)]
    ports: dict[str, str] = {}
    for one, port, other, far in links:
        for name, own in ((one, port), (other, far)):
            ports[name] = f"{ports.get(name, '')}[port {own}]\nmode: trunk\n"
    for name, text in ports.items():
        head = f"inkov sheet 1\nswitch: {name}\n[vlans]\n10: ferns\n[port h]\nvlan: 10\n"
        (folder / f"{name}.sheet").write_text(head + text)
    rows = "".join(",".join(link) + "\n" for link in links)
    (folder / "cabling.csv").write_text("switch,port,far switch,far port\n" + rows)
    svg = drawn(inkov, folder)
    assert len(svg.switches) == 61
    assert 1 / 3 < svg.width / svg.height < 3, (svg.width, svg.height)
