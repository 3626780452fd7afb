"""`inkov compare`: from the files before and after a change, or two revisions of a repository, to
what it does, and whether it is refused.
"""

from __future__ import annotations

import json
import re
import shutil
import subprocess
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import DEMO, Inkov, Result, need, run_inkov
from tests.forwarding.trees.ring import TRUNK, Ring

BEFORE = {
    "core-1.sheet": """inkov sheet 1
switch: core-1
[vlans]
10: ferns
20: visitors
99: nobody
[port 1]
vlan: 10
[port 2]
vlan: 20
[port 3]
mode: trunk
native: 99
allowed: 10,20,99
[port 4]
mode: trunk
native: 99
allowed: 10,20,99
[gateway 10]
address: 10.0.10.1/24
""",
    "fern-1.sheet": """inkov sheet 1
switch: fern-1
[vlans]
10: ferns
20: visitors
99: nobody
[port 1]
vlan: 10
[port 2]
vlan: 20
[port 3]
vlan: 10
[port 4]
state: off
[port 8]
mode: trunk
native: 99
allowed: 10,20,99
[port 9]
mode: trunk
native: 99
allowed: 10,20,99
[neighbours]
8: core-1:3
9: core-1:4
""",
}


@pytest.fixture
def sides(tmp_path: Path) -> tuple[Path, Path]:
    """Two folders with the same files."""
    old, new = tmp_path / "old", tmp_path / "new"
    for folder in (old, new):
        folder.mkdir()
        for name, text in BEFORE.items():
            (folder / name).write_text(text)
    return old, new


def edit(folder: Path, name: str, before: str, after: str) -> None:
    text = (folder / name).read_text()
    assert before in text
    (folder / name).write_text(text.replace(before, after, 1))


def join_vlans(folder: Path) -> None:
    """Whoever is at core-1:2 hears VLAN 10 as well as his own, 20."""
    both = "[port 2]\nmode: general\npvid: 20\nuntagged: 10,20"
    edit(folder, "core-1.sheet", "[port 2]\nvlan: 20", both)


def pairs(effects: list[dict[str, Any]], layer: int = 2, level: str = "honest") -> list[Any]:
    return [
        (one["from"]["ports"], one["to"]["ports"], one["both_ways"])
        for one in effects
        if (one["layer"], one["level"]) == (layer, level)
    ]


def run(inkov: Inkov, sides: tuple[Path, Path], *options: str) -> Result:
    return inkov("compare", *sides, "-f", "json", "-q", *options)


def test_a_port_that_moves_loses_one_segment_and_gains_another(
    inkov: Inkov, sides: tuple[Path, Path]
) -> None:
    edit(sides[1], "fern-1.sheet", "[port 3]\nvlan: 10", "[port 3]\nvlan: 20")
    result = run(inkov, sides)
    said = result.json
    [one] = said["edits"]
    assert (one["switch"], one["kind"], one["name"]) == ("fern-1", "port", "3")
    assert (one["attribute"], one["before"], one["after"]) == ("access_vlan", 10, 20)
    assert [where["line"] for where in one["where"]] == [12, 12]
    assert pairs(said["gained"]) == [(["fern-1:3"], ["core-1:2", "fern-1:2"], True)]
    assert pairs(said["lost"]) == [(["fern-1:3"], ["core-1:1", "fern-1:1"], True)]
    # Nothing is gained across segments; but members of VLAN 10 lose one of them.
    assert not any(one["crosses_segments"] for one in said["gained"])
    assert result.status == 1 and [b["says"][:13] for b in said["because"]] == ["reach is lost"]
    assert said["because"][0]["line"] == 12
    assert said["switches"] == {"compared": 2, "forward_as_before": 1, "unlike": ["fern-1"]}
    for effect in (*said["gained"], *said["lost"]):
        assert [blame["name"] for blame in effect["blame"]] == ["3"]


def test_what_was_meant_is_not_refused(inkov: Inkov, sides: tuple[Path, Path]) -> None:
    edit(sides[1], "fern-1.sheet", "[port 3]\nvlan: 10", "[port 3]\nvlan: 20")
    assert run(inkov, sides, "--lose", "ferns <-> ferns").status == 0
    assert run(inkov, sides, "--lose", "fern-1:3 <-> 10").status == 0
    assert run(inkov, sides, "--lose", "visitors").status == 1
    assert run(inkov, sides, "--lose", "ferns -> ferns").status == 1  # one way is not both
    both = ("--lose", "ferns", "--only", "fern-1")
    assert run(inkov, sides, *both, "--only", "10,20").status == 0
    for elsewhere in ("core-1", "20"):
        refused = run(inkov, sides, "--lose", "ferns", "--only", elsewhere).json["because"]
        assert ["outside what was to be changed" in one["says"] for one in refused] == [True]


def test_hosts_may_be_named_in_what_is_meant(inkov: Inkov, sides: tuple[Path, Path]) -> None:
    """pump is at the port that moves from the ferns to the visitors; fogger is not."""
    edit(sides[1], "fern-1.sheet", "[port 3]\nvlan: 10", "[port 3]\nvlan: 20")
    for side in sides:
        (side / "hosts.csv").write_text("host,switch,port\npump,fern-1,3\nfogger,fern-1,1\n")
    assert run(inkov, sides, "--lose", "pump <-> ferns", "--gain", "pump <-> visitors").status == 0
    assert run(inkov, sides, "--lose", "fogger <-> ferns").status == 1
    for named, known in (("pump <-> everything", True), ("* -> pump", True), ("pmp -> 10", False)):
        told = inkov("compare", *sides, "--gain", named).err
        assert ("nobody is called" not in told) is known, told
    # Its table states no VLAN: it is the host of untagged frames, and named so.
    lost = [row for row in run(inkov, sides).json["lost"] if row["layer"] == 2]
    assert lost and all("pump" in row["from"]["hosts"] + row["to"]["hosts"] for row in lost)
    (sides[1] / "change.yaml").write_text("lose: [ferns <-> pump]\ngain: [-> pump]\n")
    unclear = inkov("compare", *sides)
    assert unclear.status == 2 and "'-> pump' is not like 'A <-> B'" in unclear.err


def test_what_names_no_vlan_is_about_those_that_the_port_passes(
    inkov: Inkov, sides: tuple[Path, Path]
) -> None:
    edit(sides[1], "fern-1.sheet", "vlan: 20", "vlan: 20\nmtu: 1")
    for vid, outside in (("20", False), ("1", True)):
        said = [one["says"] for one in run(inkov, sides, "--only", vid).json["because"]]
        assert any("outside what was to be changed" in text for text in said) is outside
    # What it sends and what it takes are two VLANs: both are meant.
    for side in sides:
        edit(side, "fern-1.sheet", "vlan: 20", "mode: private host\nprimary: 10\nsecondary: 20")
    for vids, outside in (("10", True), ("20", True), ("10,20", False)):
        said = [one["says"] for one in run(inkov, sides, "--only", vids).json["because"]]
        assert any("outside what was to be changed" in text for text in said) is outside


def test_the_file_beside_a_change_says_what_it_is_to_do(
    inkov: Inkov, sides: tuple[Path, Path]
) -> None:
    edit(sides[1], "fern-1.sheet", "[port 3]\nvlan: 10", "[port 3]\nvlan: 20")
    change = sides[1] / "change.yaml"
    change.write_text("only: {vlans: 10-20, switches: [fern-*]}\nlose: [ferns <-> ferns]\n")
    assert run(inkov, sides).status == 0
    shutil.copy(change, sides[0])  # it was there before: it is about an earlier change
    stale = run(inkov, sides)
    assert stale.status == 1 and "not used" in stale.err
    change.write_text("only: {vlans: 5000}\n")
    wrong = run(inkov, sides)
    assert wrong.status == 2 and "change.yaml:1" in wrong.err and wrong.out == ""
    change.write_text("may: all\n")
    assert run(inkov, sides).status == 2


@pytest.mark.parametrize("gone", [False, True])
def test_a_cable_elsewhere_is_outside_of_what_was_to_be_changed(
    inkov: Inkov, sides: tuple[Path, Path], gone: bool
) -> None:
    (sides[not gone] / "cabling.csv").write_text(
        "switch,port,far switch,far port\nfern-1,9,core-1,4\npond-1,1,pond-2,1\n"
    )
    pond, fern = (f"cable {ends}" for ends in ("pond-1:1 - pond-2:1", "fern-1:9 - core-1:4"))
    for only, outside in (("fern-*", [pond]), ("core-1", [pond]), ("pond-2", [fern])):
        refused = run(inkov, sides, "--only", only, "--fail-on", "never").json["because"]
        assert [one["says"] for one in refused if "outside" in one["says"]] == [
            f"an edit outside what was to be changed: {cable}" for cable in outside
        ]


def test_what_is_lost_goes_by_the_names_before(inkov: Inkov, sides: tuple[Path, Path]) -> None:
    """The change renames the VLAN that it cuts in two."""
    for name in ("core-1.sheet", "fern-1.sheet"):
        edit(sides[1], name, "10: ferns", "10: bracken")
    edit(sides[1], "fern-1.sheet", "[port 3]\nvlan: 10", "[port 3]\nvlan: 20")
    assert run(inkov, sides, "--lose", "ferns").status == 0
    assert run(inkov, sides, "--lose", "bracken").status == 1


def test_why_a_tagged_frame_gets_in_no_more(inkov: Inkov, sides: tuple[Path, Path]) -> None:
    """The camera at port 4 tags its frames, and the port becomes an access port."""
    for side, port in zip(sides, ("mode: trunk\nallowed: 20", "vlan: 20"), strict=True):
        edit(side, "fern-1.sheet", "[port 4]\nstate: off", f"[port 4]\n{port}")
        (side / "hosts.csv").write_text("host,switch,port,vlan\ncamera,fern-1,4,20\n")
    lost = [one for one in run(inkov, sides, "-f", "json").json["lost"] if one["level"] == "honest"]
    [stops] = [one["witness"][0] for one in lost if one["from"]["hosts"] == ["camera"]]
    assert stops["because"] == "fern-1:4 (access) takes no frames tagged 20"


def test_a_permission_for_nobody_is_told(inkov: Inkov, sides: tuple[Path, Path]) -> None:
    edit(sides[1], "fern-1.sheet", "[port 3]\nvlan: 10", "[port 3]\nvlan: 20")
    result = run(inkov, sides, "--lose", "fernz <-> core-1")
    assert result.status == 1 and "nobody is called 'fernz'" in result.err
    assert "ferns" in result.err and "'core-1'" not in result.err
    for everybody in ("everything", "*"):
        result = run(inkov, sides, "--lose", f"{everybody} <-> ferns")
        assert result.status == 0 and "nobody is called" not in result.err


def test_a_border_of_segments_that_moves_lets_nothing_through(
    inkov: Inkov, sides: tuple[Path, Path]
) -> None:
    """The change joins two VLANs, and puts them into one segment with the same breath."""
    plans = "segments: {ferns: 10, visitors: 20}", "segments: {ferns: '10,20'}"
    for folder, plan in zip(sides, plans, strict=True):
        (folder / "plan.yaml").write_text(plan + "\n")
    join_vlans(sides[1])
    result = run(inkov, sides, "--fail-on", "never")
    assert result.status == 1
    assert any("reach is gained" in one["says"] for one in result.json["because"])


@pytest.mark.parametrize(
    ("plan", "crosses"),
    [
        ("segments: {green: '10,20'}\n", False),
        ("vlans: {10: {segment: green}, 20: {segment: green}}\n", False),
        ("segments: {green: 10}\nvlans: {20: {segment: green}}\n", False),
        ("vlans: {10: {segment: green}, 20: {segment: blue}}\n", True),
        ("vlans: {10: {segment: green}}\n", True),
    ],
)
def test_a_segment_is_given_at_the_segment_or_at_the_vlan(
    inkov: Inkov, sides: tuple[Path, Path], plan: str, crosses: bool
) -> None:
    """The change joins VLANs 10 and 20: that is what segments are there to keep apart."""
    for folder in sides:
        (folder / "plan.yaml").write_text(plan)
    join_vlans(sides[1])
    result = run(inkov, sides, "--fail-on", "never")
    assert {one["crosses_segments"] for one in result.json["gained"]} == {crosses}
    assert any("reach is gained" in one["says"] for one in result.json["because"]) is crosses


def test_a_switch_with_another_name_is_to_be_said(inkov: Inkov, sides: tuple[Path, Path]) -> None:
    text = (sides[1] / "fern-1.sheet").read_text()
    (sides[1] / "fern-1.sheet").unlink()
    (sides[1] / "fern-7.sheet").write_text(text.replace("switch: fern-1", "switch: fern-7"))
    for folder in sides:  # ten more ports, so that nothing else looks like it
        for path in folder.glob("fern-*.sheet"):
            path.write_text(
                path.read_text().replace("[port 4]", "[port 11..20]\nvlan: 10\n[port 4]")
            )
    unsaid = run(inkov, sides)
    assert unsaid.status == 2 and "fern-7, which is new, looks like it" in unsaid.out
    said = run(inkov, sides, "--gone", "fern-1")
    assert said.status == 0, said.json["because"]
    assert said.json["renamed"] == {"fern-1": "fern-7"}
    assert said.json["gained"] == said.json["lost"] == []


def test_joined_segments_are_refused_with_the_lines_to_blame(
    inkov: Inkov, sides: tuple[Path, Path]
) -> None:
    """The native VLAN at one end only, towards hosts: visitors and nobody's VLAN are one there."""
    edit(
        sides[1],
        "fern-1.sheet",
        "native: 99\nallowed: 10,20,99\n[port 9]",
        "native: 10\nallowed: 10,20,99\n[port 9]",
    )
    edit(
        sides[1],
        "core-1.sheet",
        "native: 99\nallowed: 10,20,99\n[port 4]",
        "native: 20\nallowed: 10,20,99\n[port 4]",
    )
    said = run(inkov, sides).json
    [gained] = [
        one
        for one in said["gained"]
        if one["crosses_segments"] and (one["level"], one["layer"]) == ("honest", 2)
    ]
    assert {gained["from"]["vlan"], gained["to"]["vlan"]} == {"10", "20"}
    assert gained["both_ways"] and gained["from"]["everyone"] and gained["to"]["everyone"]
    # Either of the two natives alone would do no harm of this kind.
    assert {(b["switch"], b["name"]) for b in gained["blame"]} <= {("fern-1", "8"), ("core-1", "3")}
    assert next(step["event"] for step in gained["witness"]) == "sent"
    assert {"breach"} <= {one["severity"] for one in said["findings"]["new"]}


YARD = (
    'dialect = "bed"\nrecognise = ["yard {name}"]\n'
    '[device.says]\n"yard {name}" = "name = {name}"\n'
    '[port]\nopens = ["pot {ports}"]\n'
    '[port.says]\n"grows {vid}" = "mode = access; vlan = {vid}"\n'
)


@pytest.mark.parametrize(("before", "after"), [(2, 2), (2, 3), (3, 2), (0, 2)])
def test_lines_alike_that_are_not_understood_are_counted(
    inkov: Inkov, tmp_path: Path, before: int, after: int
) -> None:
    """Only those that come are new."""
    for side, number in (("old", before), ("new", after)):
        (tmp_path / side).mkdir()
        (tmp_path / side / "bed.toml").write_text(YARD)
        pots = (f"pot {n}\n  grows 10\n" + "  hums 20\n" * (n <= number) for n in range(1, 5))
        (tmp_path / side / "north.txt").write_text("yard north\n" + "".join(pots))
    said = inkov("compare", "old", "new", "-f", "json", "-q").json["because"]
    assert sum(one["says"].endswith("understood: hums 20") for one in said) == max(
        after - before, 0
    )


def test_a_new_line_that_is_not_understood_is_refused_where_it_stands(
    inkov: Inkov, tmp_path: Path
) -> None:
    """What was not understood before is no reason, wherever it stands now."""
    text = "yard north\npot 1\n  grows 10\n  hums 20\n"
    for side, more in (("old", ""), ("new", "pot 2\n  grows 10\n  leaks 20\n")):
        (tmp_path / side).mkdir()
        (tmp_path / side / "bed.toml").write_text(YARD)
        head, pot, rest = text.partition("pot 1\n")
        (tmp_path / side / "north.txt").write_text(head + more + pot + rest)
    said = inkov("compare", "old", "new", "--gain", "*", "-f", "json", "-q")
    new = "a line that is new is not understood: "
    told = [(one["says"], one["line"]) for one in said.json["because"] if new in one["says"]]
    assert said.status != 0 and told == [(f"{new}leaks 20", 4)]


@pytest.mark.parametrize(
    ("fail_on", "status"), [("breach", 0), ("fault", 0), ("risk", 1), ("note", 1), ("never", 0)]
)
def test_how_grave_a_new_finding_may_be(
    inkov: Inkov, sides: tuple[Path, Path], fail_on: str, status: int
) -> None:
    """A port that is described as unused, and is on: that is a risk."""
    edit(sides[1], "core-1.sheet", "[gateway", "[port 7]\nvlan: 20\nabout: unused\n[gateway")
    said = run(inkov, sides, "--fail-on", fail_on, "--gain", "* <-> core-1:7")
    (finding,) = said.json["findings"]["new"]
    assert finding["severity"] == "risk"
    # A refusal is where the finding is: among the lines of the port.
    lines = (sides[1] / "core-1.sheet").read_text().splitlines()
    first = lines.index("[port 7]") + 1
    places = [(why["file"], why["line"]) for why in said.json["because"]]
    assert len(places) == said.status == status, said.json["because"]
    for file, line in places:
        assert file == str(sides[1] / "core-1.sheet") and first <= line <= first + 2


def test_a_spare_that_is_lost_is_told(inkov: Inkov, sides: tuple[Path, Path]) -> None:
    edit(
        sides[1], "fern-1.sheet", "allowed: 10,20,99\n[neighbours]", "allowed: 20,99\n[neighbours]"
    )
    said = run(inkov, sides, "--fail-on", "never").json
    told = {(one["about"], one["name"]): one for one in said["consequences"]}
    spare = told["spare", "core-1:3 - fern-1:8"]
    assert spare["vlans"] == "10" and spare["worse"] and "the only way left" in spare["says"]
    assert said["gained"] == said["lost"] == [] and not said["refused"]


def test_a_host_that_tags_is_heard_where_it_hears_nothing(
    inkov: Inkov, sides: tuple[Path, Path]
) -> None:
    """VLAN 20 becomes the native VLAN of a port whose host uses tag 20: its frames are taken as
    before, and what it should hear leaves untagged.
    """
    for folder, native in zip(sides, (10, 20), strict=True):
        port = f"[port 5]\nmode: trunk\nnative: {native}\nallowed: 10,20\n[gateway"
        edit(folder, "core-1.sheet", "[gateway", port)
        (folder / "hosts.csv").write_text("host,switch,port,vlan\nmist,core-1,5,20\n")
        (folder / "plan.yaml").write_text(
            "claims: [{reach: [mist, core-1:2]}, {reach: [core-1:2, mist]},"
            " {not-reach: [mist, fern-1:2]}, {join: [visitors]}]\n"
        )
    said = run(inkov, sides).json
    [lost] = [one for one in said["lost"] if one["to"]["hosts"] == ["mist"]]
    assert (lost["from"]["ports"], lost["both_ways"]) == (["core-1:2", "fern-1:2"], False)
    stops = lost["witness"][-1]
    assert (stops["event"], stops["switch"], stops["port"]) == ("stops", "core-1", "5")
    assert "untagged, and the host takes frames with tag 20" in stops["because"]
    assert not any("mist" in one["from"]["hosts"] for one in said["lost"] if one["layer"] == 2)
    judged = inkov("prove", sides[1], "-f", "json").json["claims"]
    assert [claim["verdict"] for claim in judged] == ["holds", "broken", "broken", "broken"]
    sent = judged[2]["witness"][0]
    assert sent["event"] == "sent" and sent["tagged"] and "allowed list" in sent["because"]
    for claim in (judged[1], judged[3]):
        stops = claim["witness"][-1]
        assert stops["event"] == "stops" and "takes frames with tag 20" in stops["because"], claim
    assert inkov("prove", sides[1], "--strict").status == 1
    told = inkov("follow", "mist", "core-1:2", sides[1], "-f", "json").json
    [sent] = [step for step in told["steps"] if step["event"] == "sent" and step["port"] == "5"]
    assert sent["tagged"] and "allowed list" in sent["because"]


@pytest.mark.parametrize(("member", "between"), [("", []), ("[port 3]\nvlan: 10\n", ["core-1"])])
def test_a_switch_is_in_between_members_only(
    inkov: Inkov, sides: tuple[Path, Path], member: str, between: list[str]
) -> None:
    """bed-1 is behind core-1 and fern-1, and the latter lets VLAN 10 through to it no more. Then
    core-1 is in between fern-1 and bed-1: if somebody there is in VLAN 10.
    """
    ports = "".join(f"[port {n}]\nmode: trunk\nnative: 99\nallowed: 10,20,99\n" for n in (1, 2))
    rows = "[vlans]\n10: ferns\n20: visitors\n99: nobody\n"
    neighbours = "[neighbours]\n1: fern-1:9\n2: core-1:4\n"
    for folder in sides:
        text = f"inkov sheet 1\nswitch: bed-1\n{rows}{ports}{member}{neighbours}"
        (folder / "bed-1.sheet").write_text(text)
        edit(folder, "fern-1.sheet", "9: core-1:4", "9: bed-1:1")
    edit(
        sides[1], "fern-1.sheet", "allowed: 10,20,99\n[neighbours]", "allowed: 20,99\n[neighbours]"
    )
    said = run(inkov, sides).json
    told: dict[str, list[str]] = {"spare": [], "switch": []}
    for one in said["consequences"]:
        if one["vlans"] == "10" and one["about"] in told:
            assert one["worse"]
            told[one["about"]].append(one["name"])
    assert told["switch"] == between
    assert "core-1:3 - fern-1:8" in told["spare"]


def test_no_file_that_is_read_is_written_over(inkov: Inkov, sides: tuple[Path, Path]) -> None:
    for folder in sides:
        result = inkov("compare", *sides, "-q", "-o", folder / "fern-1.sheet")
        assert result.status == 2 and "write to another one" in result.err
        assert (folder / "fern-1.sheet").read_text() == BEFORE["fern-1.sheet"]


def test_no_difference(inkov: Inkov, sides: tuple[Path, Path]) -> None:
    edit(sides[1], "fern-1.sheet", "[port 3]\n", "# moved by a line\n[port 3]\n")
    result = inkov("compare", *sides)
    assert result.status == 0 and result.out.startswith("No difference on 2 switches.")
    edit(sides[1], "fern-1.sheet", "[port 3]\n", "[port 3]\nabout: by the door\n")
    result = inkov("compare", *sides)
    assert result.status == 0 and "No difference" not in result.out
    assert "fern-1:3: description not stated -> by the door" in result.out


def test_a_finding_is_the_same_in_another_file_on_another_line(
    inkov: Inkov, sides: tuple[Path, Path]
) -> None:
    for folder in sides:
        edit(folder, "fern-1.sheet", "native: 99", "native: 10")
        assert inkov("audit", folder, "-q").status == 1
    text = (sides[1] / "fern-1.sheet").read_text()
    (sides[1] / "fern-1.sheet").unlink()
    (sides[1] / "of the ferns.sheet").write_text(text.replace("[vlans]", "# moved\n\n[vlans]"))
    result = inkov("compare", *sides)
    assert result.status == 0 and result.out.startswith("No difference on 2 switches.")


@pytest.mark.parametrize("text", [None, "<html>Service unavailable</html>\n", ""])
def test_a_switch_that_vanishes_never_passes(
    inkov: Inkov, sides: tuple[Path, Path], text: str | None
) -> None:
    path = sides[1] / "fern-1.sheet"
    path.unlink()
    if text is not None:
        path.write_text(text)
    options = ["--gain", "*", "--lose", "*", "--fail-on", "never"]
    assert inkov("compare", *sides, *options).status == 2
    gone = inkov("compare", *sides, *options, "--gone", "fern-1")
    assert gone.status == (0 if text is None else gone.status)
    assert text is None or gone.status == 2 or "not read" not in gone.out


def test_a_line_that_nobody_understands_is_refused(inkov: Inkov, sides: tuple[Path, Path]) -> None:
    edit(sides[1], "fern-1.sheet", "[port 3]\n", "[port 3]\nfrobnicate: 20\n")
    result = run(inkov, sides, "--fail-on", "never")
    assert result.status == 1 and "frobnicate" in result.json["because"][0]["says"]
    edit(sides[0], "fern-1.sheet", "[port 3]\n", "[port 3]\nfrobnicate: 20\n")
    assert run(inkov, sides, "--fail-on", "never").status == 0  # it was there before


def test_a_problem_that_was_there_before_is_none_of_the_change(
    inkov: Inkov, sides: tuple[Path, Path]
) -> None:
    """Its words name a line, which has moved."""
    table = "host,switch,port\nlamp,fern-1,1\nlamp,fern-1,3\n"
    (sides[0] / "hosts.csv").write_text(table)
    (sides[1] / "hosts.csv").write_text(
        table.replace("lamp,fern-1,1", "sun,core-1,1\nlamp,fern-1,1")
    )
    result = run(inkov, sides)
    assert result.status == 0, result.json["because"]
    (sides[0] / "hosts.csv").write_text(table.replace("lamp,fern-1,3", "moon,fern-1,3"))
    assert run(inkov, sides).status == 1


def test_a_claim_that_is_dropped_is_refused(inkov: Inkov, sides: tuple[Path, Path]) -> None:
    (sides[0] / "plan.yaml").write_text("claims:\n  - join: ferns\n  - join: visitors\n")
    (sides[1] / "plan.yaml").write_text("claims:\n  - join: ferns\n")
    result = run(inkov, sides)
    assert result.status == 1
    assert [one["says"] for one in result.json["because"]] == [
        "a claim is not made any more: join visitors"
    ]


def test_every_format_says_that_it_is_refused(inkov: Inkov, sides: tuple[Path, Path]) -> None:
    edit(sides[1], "fern-1.sheet", "[port 3]\nvlan: 10", "[port 3]\nvlan: 20")
    outs = {
        form: inkov("compare", *sides, "-q", "-f", form)
        for form in ("table", "json", "csv", "markdown", "html", "sarif", "junit")
    }
    assert {result.status for result in outs.values()} == {1}
    assert "Refused: 1 thing that nobody meant." in outs["table"].out
    assert outs["markdown"].out.startswith("**Refused: 1 thing that nobody meant.**")
    # What follows a table directly would be a row of it.
    assert not re.search(r"[|]\n[^|\n]", outs["markdown"].out)
    [found] = outs["sarif"].json["runs"][0]["results"]
    at = found["locations"][0]["physicalLocation"]
    assert at["artifactLocation"]["uri"].endswith("new/fern-1.sheet")
    assert at["region"]["startLine"] == 12
    assert 'failures="1"' in outs["junit"].out
    assert sum(line.endswith(",yes") for line in outs["csv"].out.splitlines()) == 1


def test_two_sources_of_one_campus_are_compared_alike(inkov: Inkov) -> None:
    """Saved and running: the text of a switch against a walk of it, in other words and defaults."""
    saved, running = DEMO / "repaired" / "fern-2.txt", DEMO / "repaired" / "walks"
    result = inkov("compare", saved, running, "-f", "json", "-q", "--as", "arbour=*.txt")
    assert result.status == 2  # the dialect is not among the files


# --- revisions ------------------------------------------------------------------------------------


def git(repository: Path, *arguments: str) -> None:
    who = ("-c", "user.name=gardener", "-c", "user.email=gardener@example.org")
    subprocess.run(["git", "-C", repository, *who, *arguments], check=True, capture_output=True)


@pytest.fixture
def repository(tmp_path: Path) -> Path:
    """A repository with the files on its main branch."""
    need(shutil.which("git") is not None, "git")
    (tmp_path / "campus" / "configs").mkdir(parents=True)
    for name, text in BEFORE.items():
        (tmp_path / "campus" / "configs" / name).write_text(text)
    git(tmp_path / "campus", "init", "-b", "main")
    git(tmp_path / "campus", "add", ".")
    git(tmp_path / "campus", "commit", "-m", "as it was")
    return tmp_path / "campus"


def test_a_harmless_branch_passes_and_one_that_opens_a_segment_does_not(repository: Path) -> None:
    configs = repository / "configs"
    git(repository, "checkout", "-b", "feature/lamp")
    edit(configs, "fern-1.sheet", "[port 4]\nstate: off", "[port 4]\nabout: lamp\nvlan: 10")
    git(repository, "commit", "-am", "a lamp")
    harmless = run_inkov("compare", "rev:main:configs", "rev:feature/lamp:configs", cwd=repository)
    assert harmless.status == 0, harmless.out
    assert "feature/lamp:configs/fern-1.sheet:15" in harmless.out

    git(repository, "checkout", "-b", "oops", "main")
    edit(
        configs,
        "core-1.sheet",
        "[port 2]\nvlan: 20",
        "[port 2]\nmode: general\npvid: 20\nuntagged: 10,20",
    )
    git(repository, "commit", "-am", "hears both")
    opened = run_inkov("compare", "rev:main", "configs", "-f", "json", "-q", cwd=repository)
    assert opened.status == 1
    [reason] = [
        one
        for one in opened.json["because"]
        if "reach is gained" in one["says"] and "hostile" not in one["says"]
    ]
    assert reason["file"] == "configs/core-1.sheet" and 9 <= reason["line"] <= 11
    [gained] = [
        one for one in opened.json["gained"] if one["level"] == "honest" and one["layer"] == 2
    ]
    assert gained["blame"][0]["where"][0] is None or gained["blame"][0]["where"][0][
        "file"
    ].startswith("main:configs/")


def test_a_revision_is_read_as_it_is_and_nothing_is_touched(repository: Path) -> None:
    """No attribute leaves a file out or rewrites it, and no checkout is needed."""
    (repository / ".gitattributes").write_text("configs/fern-1.sheet export-ignore\n")
    git(repository, "add", ".")
    git(repository, "commit", "-m", "left out of archives")
    before = sorted(path.name for path in repository.rglob("*") if ".git/" not in str(path))
    result = run_inkov("compare", "rev:HEAD:configs", repository / "configs", cwd=repository)
    assert result.status == 0 and "No difference on 2 switches." in result.out
    assert before == sorted(p.name for p in repository.rglob("*") if ".git/" not in str(p))


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ("rev:nowhere", "configs", "git knows no revision 'nowhere' here"),
        ("rev:", "configs", "names no revision"),
        ("rev:--help", "configs", "git knows no revision '--help' here"),
        ("rev:main:..", "configs", "outside the repository"),
        ("rev:main:plans", "configs", "there is no plans in the revision main"),
        ("rev:main", "rev:HEAD", "are the same revision"),
        ("configs", "configs", "are the same"),
        ("configs", "nowhere", "no such file or folder"),
        ("other.sheet", "configs", "have no switch in common"),
    ],
)
def test_what_cannot_be_compared_is_one_clear_line(
    repository: Path, old: str, new: str, says: str
) -> None:
    (repository / "other.sheet").write_text("inkov sheet 1\nswitch: shed-9\n[port 1]\nvlan: 5\n")
    result = run_inkov("compare", old, new, "-q", cwd=repository)
    assert (result.status, result.out) == (2, "")
    assert says in result.err and result.err.count("\n") == 1, result.err


def test_without_git_a_revision_is_one_clear_line(sides: tuple[Path, Path], tmp_path: Path) -> None:
    result = run_inkov("compare", "rev:main", sides[1], cwd=tmp_path, PATH=str(tmp_path))
    assert result.status == 2 and "git is not installed" in result.err


def test_links_and_odd_names_in_a_revision(repository: Path) -> None:
    """A link within the repository is followed, one that leads out of it is not; the names of files
    may hold anything.
    """
    configs = repository / "configs"
    (configs / "pond 1 \u00e4.sheet").symlink_to("../pond.sheet")
    (configs / "out.sheet").symlink_to("/etc/hostname")
    (repository / "pond.sheet").write_text("inkov sheet 1\nswitch: pond-1\n[port 1]\nvlan: 10\n")
    git(repository, "add", ".")
    git(repository, "commit", "-m", "links")
    result = run_inkov("compare", "rev:main~1:configs", "rev:main:configs", cwd=repository)
    assert "pond-1: new" in result.out and "main:configs/out.sheet" in result.err
    assert result.status == 2  # a file could not be read


def test_a_revision_is_that_of_where_the_other_side_is(repository: Path, tmp_path: Path) -> None:
    result = run_inkov("compare", "rev:main", repository / "configs", cwd=tmp_path)
    assert result.status == 0 and "No difference on 2 switches." in result.out


def test_in_a_hook_of_git_the_repository_is_found(repository: Path) -> None:
    """Git tells hooks where it is, seen from another folder."""
    hook = {"GIT_DIR": ".git", "GIT_INDEX_FILE": ".git/index"}
    result = run_inkov("compare", "rev:HEAD", "configs", cwd=repository, **hook)
    assert result.status == 0 and "No difference on 2 switches." in result.out


def test_a_folder_that_is_in_no_repository(sides: tuple[Path, Path]) -> None:
    need(shutil.which("git") is not None, "git")
    result = run_inkov("compare", "rev:main", sides[1], "-q", cwd=sides[1])
    assert result.status == 2 and "not a git repository" in result.err


def test_claims_that_are_judged_otherwise_are_told(inkov: Inkov, sides: tuple[Path, Path]) -> None:
    """core-1 lets VLAN 10 on no more: the claim that it hangs together is broken; and whole again
    the other way round.
    """
    for folder in sides:
        (folder / "plan.yaml").write_text("claims: [{join: ferns}, {isolate: [ferns, visitors]}]\n")
    text = (sides[1] / "core-1.sheet").read_text()
    (sides[1] / "core-1.sheet").write_text(text.replace("allowed: 10,20,99", "allowed: 20,99"))
    out = inkov("compare", *sides, "-q").out
    assert "join ferns: holds -> broken" in out and "core-1:1 sends does not arrive" in out
    assert "isolate" not in out
    rows = inkov("compare", *sides, "-q", "-f", "csv").out.splitlines()
    [claim] = [row for row in rows if row.startswith("claim,")]
    assert claim.startswith("claim,join ferns,holds -> broken,") and claim.endswith(",yes")
    back = inkov("compare", sides[1], sides[0], "-q").out
    assert "join ferns: broken -> holds" in back and "not arrive" not in back


GATEWAY_20 = "[gateway 20]\naddress: 10.0.20.1/24\n"
FENCE = "[filter fence]\n10: reject from 10.0.10.0/24 to any\n"


@pytest.mark.parametrize(
    ("after", "at", "because"),
    [
        ("", ("core-1", "VLAN 20"), "is not there any more: nothing routes for it"),
        (f"{GATEWAY_20}state: off\n", ("core-1", "VLAN 20"), "is down: it is shut"),
        (f"{GATEWAY_20}filter out: fence\n{FENCE}", ("core-1", "VLAN 20"), "fence"),
    ],
)
def test_where_packets_stop_is_shown(
    inkov: Inkov, sides: tuple[Path, Path], after: str, at: tuple[str, str], because: str
) -> None:
    """VLANs 10 and 20 reach each other by the gateways of core-1, until something is done there."""
    for folder, gateway in zip(sides, (GATEWAY_20, after), strict=True):
        with (folder / "core-1.sheet").open("a") as file:
            file.write(gateway)
    said = run(inkov, sides).json
    lost = [one for one in said["lost"] if (one["layer"], one["level"]) == (3, "honest")]
    assert lost and not [one for one in said["lost"] if one["layer"] == 2]
    stops = lost[0]["witness"][-1]
    assert stops["event"] == "stops" and stops["switch"] == at[0]
    assert because in stops["because"], stops


def test_where_the_frame_of_a_router_stops_is_shown(inkov: Inkov, sides: tuple[Path, Path]) -> None:
    """Neither link lets VLAN 20 on: fern-1:2 is cut off from its VLAN, and from its gateway."""
    for folder in sides:
        with (folder / "core-1.sheet").open("a") as file:
            file.write(GATEWAY_20)
    text = (sides[1] / "core-1.sheet").read_text()
    (sides[1] / "core-1.sheet").write_text(text.replace("allowed: 10,20,99", "allowed: 10,99"))
    said = run(inkov, sides).json
    [lost] = [one for one in said["lost"] if (one["layer"], one["level"]) == (3, "honest")]
    assert "fern-1:2" in (*lost["from"]["ports"], *lost["to"]["ports"])
    stops = lost["witness"][-1]
    assert stops["event"] == "stops" and "does not hold VLAN 20" in stops["because"]


def test_routers_hide_no_tags(inkov: Inkov, tmp_path: Path) -> None:
    """VLAN 20 of x, which has nobody, is VLAN 30 on y. A gateway there brings packets from x:1 to
    it, and nowhere else: whoever is hostile at x:1 cannot have the router hide a tag for VLAN 40.
    """
    rows = "[vlans]\n10: ferns\n20: transit\n30: ponds\n40: tills\n"
    trunk = "mode: trunk\nallowed: {}\nnative: {}\n"
    for folder in ("old", "new"):
        (tmp_path / folder).mkdir()
        gateways = "[gateway 10]\naddress: 10.0.10.1/24\n"
        if folder == "new":
            gateways += "[gateway 20]\naddress: 10.0.20.1/24\n"
        (tmp_path / folder / "x.sheet").write_text(
            f"inkov sheet 1\nswitch: x\n{rows}[port 1]\nvlan: 10\n"
            f"[port 9]\n{trunk.format('20', 20)}{gateways}[neighbours]\n9: y:9\n"
        )
        (tmp_path / folder / "y.sheet").write_text(
            f"inkov sheet 1\nswitch: y\n{rows}[port 3]\nvlan: 30\n[port 4]\nvlan: 40\n"
            f"[port 9]\n{trunk.format('30,40', 30)}[neighbours]\n9: x:9\n"
        )
    said = inkov("compare", "old", "new", "-f", "json").json
    assert pairs(said["gained"], layer=3) == [(["x:1"], ["y:3"], True)]
    hostile = pairs(said["gained"], layer=3, level="hostile")
    assert not any("y:4" in targets for _, targets, _ in hostile), hostile


def test_of_several_pairs_one_that_can_happen_is_shown(inkov: Inkov, tmp_path: Path) -> None:
    """By the second link VLAN 10 of y is 20 on x. Whoever is in it on x gets to VLAN 20 there by
    way of y, and so passes x twice; whoever is on y does not.
    """
    trunk = "mode: trunk\nallowed: 10,20,99\nnative: {}\n"
    for folder, natives in (("old", (99, 99)), ("new", (20, 10))):
        (tmp_path / folder).mkdir()
        for name, far, native in zip("xy", "yx", natives, strict=True):
            hosts = "[port 1]\nvlan: 10\n" + ("[port 2]\nvlan: 20\n" if name == "x" else "")
            (tmp_path / folder / f"{name}.sheet").write_text(
                f"inkov sheet 1\nswitch: {name}\n[vlans]\n10: ferns\n20: visitors\n99: none\n"
                f"{hosts}[port 8]\n{trunk.format(99)}[port 9]\n{trunk.format(native)}"
                f"[neighbours]\n8: {far}:8\n9: {far}:9\n"
            )
    said = inkov("compare", "old", "new", "-f", "json").json
    [gained] = [one for one in said["gained"] if (one["layer"], one["level"]) == (2, "honest")]
    sides = sorted((gained["from"]["ports"], gained["to"]["ports"]))
    assert sides == [["x:1", "y:1"], ["x:2"]] and gained["both_ways"]
    assert gained["settled"]
    ends = [gained["witness"][at] for at in (0, -1)]
    assert {(step["switch"], step["port"]) for step in ends} == {("x", "2"), ("y", "1")}


@pytest.mark.parametrize(
    ("name", "before", "after", "lines"),
    [
        # Few ports by their names, those of one switch together.
        (
            "fern-1.sheet",
            "[port 3]\nvlan: 10",
            "[port 3]\nvlan: 20",
            [
                "LOST  fern-1:3 (VLAN 10 ferns) <-> core-1:1 and fern-1:1 (VLAN 10 ferns)",
                "GAINED  fern-1:3 (VLAN 20 visitors) <-> core-1:2 and fern-1:2 (VLAN 20 visitors)",
            ],
        ),
        # Whole VLANs; a way back, and by routers.
        (
            "core-1.sheet",
            "[gateway 10]",
            "[gateway 20]\naddress: 10.0.20.1/24\n[gateway 10]",
            ["GAINED  VLAN 20 visitors (all 2) <-> VLAN 10 ferns (all 3), by routers"],
        ),
        (
            "fern-1.sheet",
            "[port 2]\nvlan: 20",
            "[port 2]\nvlan: 20\nstate: off",
            ["LOST  core-1:2 (VLAN 20 visitors) <-> fern-1:2 (VLAN 20 visitors)"],
        ),
        # Named hosts by their names.
        (
            "core-1.sheet",
            "[port 1]\nvlan: 10",
            "[port 1]\nvlan: 20",
            [
                "LOST  haze (VLAN 10 ferns) <-> fern-1:1, 3 (VLAN 10 ferns)",
                "GAINED  haze (VLAN 20 visitors) <-> core-1:2 and fern-1:2 (VLAN 20 visitors)",
            ],
        ),
    ],
)
def test_who_is_meant_is_said_in_few_words(
    inkov: Inkov,
    sides: tuple[Path, Path],
    name: str,
    before: str,
    after: str,
    lines: list[str],
) -> None:
    for folder in sides:
        (folder / "hosts.csv").write_text("host,switch,port\nhaze,core-1,1\n")
    edit(sides[1], name, before, after)
    out = inkov("compare", *sides, "-q").out.splitlines()
    told = [line.lstrip(" !-") for line in out]
    assert [line for line in told if line.startswith(("LOST", "GAINED"))] == lines


def test_what_hostile_hosts_gain_is_told_beside_what_everybody_does(
    inkov: Inkov, sides: tuple[Path, Path]
) -> None:
    """Port 3 of fern-1 becomes a trunk for whoever asks; port 1 moves to VLAN 20, for everybody,
    and so is not told again. The two reach each other before and after, if port 3 is hostile.
    """
    edit(sides[1], "fern-1.sheet", "[port 3]\nvlan: 10", "[port 3]\nvlan: 10\nnegotiation: passive")
    edit(sides[1], "fern-1.sheet", "[port 1]\nvlan: 10", "[port 1]\nvlan: 20")
    said = run(inkov, sides).json
    assert pairs(said["gained"]) == [(["fern-1:1"], ["core-1:2", "fern-1:2"], True)]
    assert pairs(said["lost"]) == [(["fern-1:1"], ["core-1:1", "fern-1:3"], True)]
    hostile = pairs(said["gained"], level="hostile")
    assert hostile == [(["core-1:2", "fern-1:2"], ["fern-1:3"], True)]
    assert pairs(said["lost"], level="hostile") == []
    lines = inkov("compare", *sides, "-q").out.splitlines()
    assert [("fern-1:3" in line) for line in lines if "if hostile" in line] == [True]


def test_what_is_too_much_to_work_out_is_not_known_and_refused(
    inkov: Inkov, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A remark is all that changes. Without any flood nobody knows what hostile hosts gain."""
    for name in ("old", "new"):
        shutil.copytree(DEMO / "garden", tmp_path / name)
    document = tmp_path / "new" / "fern-1.json"
    document.write_text(document.read_text().replace("mist controller 1", "mist pump"))
    assert inkov("compare", "old", "new").status == 0
    monkeypatch.setattr("inkov.effects.comparison._FLOODS", 0)
    says = "what hostile hosts gain or lose is not worked out: too many places would have to be"
    shown = inkov("compare", "old", "new")
    assert shown.status == 1 and f"Not known: {says}" in " ".join(shown.out.split())
    told = inkov("compare", "old", "new", "-f", "json").json
    assert told["refused"] is True and says in json.dumps(told)
    assert f"Not known: {says}" in inkov("compare", "old", "new", "-f", "markdown").out
    assert f"not known,,{says}" in inkov("compare", "old", "new", "-f", "csv").out
    assert says in inkov("compare", "old", "new", "-f", "junit").out
    honest = inkov("compare", "old", "new", "--level", "honest")
    assert honest.status == 0 and says not in honest.out


OAKS = """inkov sheet 1
switch: {near}
[port 1]
vlan: {vid}
[port 8]
mode: trunk
allowed: 1,10,20
[neighbours]
8: {far}:8
"""


@pytest.mark.parametrize("said", ["old", "new", "both"])
def test_what_unstated_settings_mean_may_change_though_no_file_does(
    inkov: Inkov, tmp_path: Path, said: str
) -> None:
    """Where oaks have native VLAN 20 unless stated, a:1 in VLAN 20 and b:1 in VLAN 1 are joined.
    The make is told, and the trunk whose native VLAN is not stated.
    """
    for side in ("old", "new"):
        (tmp_path / side).mkdir()
        for near, far, vid in (("a", "b", 20), ("b", "a", 1)):
            text = OAKS.format(near=near, far=far, vid=vid)
            (tmp_path / side / f"{near}.sheet").write_text(text)
        if said in (side, "both"):
            plan = "platforms:\n  oak: {files: [a.sheet], unstated: {native: 20}}\n"
            (tmp_path / side / "plan.yaml").write_text(plan)
    result = inkov("compare", "old", "new", "-f", "json")
    reach = {"old": "lost", "new": "gained", "both": ""}[said]
    assert [name for name in ("gained", "lost") if result.json[name]] == [reach] * bool(reach)
    edits = [(each["switch"], each["attribute"]) for each in result.json["edits"]]
    assert edits == ([("a", "platform"), ("a", "native_vlan")] if reach else [])
    assert (result.status, result.json["refused"]) == ((1, True) if reach else (0, False))


TABLES = {
    "core.sheet": "inkov sheet 1\nswitch: core\n[vlans]\n10: ferns\n[port 1..3]\nvlan: 10\n",
    "hosts.csv": "host,switch,port,address,gateway\nfern,core,2,10.10.0.5/24,10.10.0.9\n",
    "ports.csv": "switch,port,vlan\ncore,1,10\n",
}


def test_a_host_and_a_row_of_the_port_plan_are_edited_at_their_switch(
    inkov: Inkov, tmp_path: Path
) -> None:
    """The host is called as a switch could be, and is none."""
    for side, changes in (("old", {}), ("new", {"0.9": "0.1", "core,1,10": "core,1,20"})):
        (tmp_path / side).mkdir()
        for name, text in TABLES.items():
            for was, becomes in changes.items():
                text = text.replace(was, becomes)  # noqa: PLW2901
            (tmp_path / side / name).write_text(text)
    at_core = inkov("compare", "old", "new", "--only", "core", "--fail-on", "never")
    assert at_core.status == 0, at_core.out
    assert at_core.out.splitlines()[:5] == [
        "Edits",
        "  host fern: gateway 10.10.0.9 -> 10.10.0.1",
        "    new/hosts.csv:2",
        "  planned port core:1: values access VLAN 10 -> 20",
        "    new/ports.csv:2",
    ]
    beside = inkov("compare", "old", "new", "--only", "fern", "--fail-on", "never")
    assert beside.status == 1
    assert beside.out.count("an edit outside what was to be changed") == 2


def test_a_group_is_told_by_its_own_segment(inkov: Inkov, tmp_path: Path) -> None:
    """Port 2 comes into VLAN 10, of the segment green; the other segment has no part in it."""
    for side, vid in (("old", 20), ("new", 10)):
        (tmp_path / side).mkdir()
        (tmp_path / side / "a.sheet").write_text(
            "inkov sheet 1\nswitch: a\n[vlans]\n10: ferns\n20: moss\n"
            f"[port 1]\nvlan: 10\n[port 2]\nvlan: {vid}\n"
        )
        plan = "segments:\n  green: 10\n  brown: 20\n"
        (tmp_path / side / "plan.yaml").write_text(plan)
    compared = inkov("compare", "old", "new", "--level", "honest")
    assert "GAINED  a:1 (VLAN 10 ferns, green) <-> a:2 (VLAN 10 ferns, green)" in compared.out
    told = inkov("compare", "old", "new", "--level", "honest", "-f", "json").json
    [gained] = told["gained"]
    assert gained["from"]["segment"] == gained["to"]["segment"] == ["green"]


def test_what_a_neighbour_without_a_file_may_make_of_a_change_is_said(
    inkov: Inkov, tmp_path: Path
) -> None:
    """VLAN 20 is let through, at both ends, to a core of which nothing is known; at one end alone
    nothing hangs on it, nor where each end has a core of its own.
    """
    cases = {"none": ("10", "10"), "one": ("10,20", "10"), "both": ("10,20", "10,20")}
    own = {f"{case} of its own": lists for case, lists in cases.items()}
    for case, lists in (cases | own).items():
        (tmp_path / case).mkdir()
        for name, allowed in zip("ab", lists, strict=True):
            far = f"core-{name}" if case in own else "core"
            (tmp_path / case / f"{name}.sheet").write_text(
                f"inkov sheet 1\nswitch: {name}\n[vlans]\n10: ferns\n20: moss\n"
                "[port 1]\nvlan: 10\n[port 2]\nvlan: 20\n[port 8]\nmode: trunk\nnative: none\n"
                f"allowed: {allowed}\n[neighbours]\n8: {far}:{name}\n"
            )
    says = "core is not among the files, and taken to pass nothing between a:8 and b:8"
    for old, new, told in (
        ("none", "both", True),
        ("both", "none", True),
        ("one", "both", True),
        ("none", "one", False),
        ("none of its own", "both of its own", False),
    ):
        compared = inkov("compare", old, new, "--level", "honest", "-f", "json").json
        assert compared["assumes"] == [says] * told, (old, new)
    for form in ("table", "csv", "markdown"):
        told_so = inkov("compare", "none", "both", "--level", "honest", "-f", form).out
        assert (f"Rests on: {says}" in told_so) is (form != "csv"), form


def test_a_finding_that_is_worse_is_no_new_one(inkov: Inkov, tmp_path: Path) -> None:
    """A link lacks VLAN 10 beside one that passes it. With a tree for each VLAN nothing hangs on
    it; one tree for all takes it when another link fails. It never passed VLAN 10, so it is not
    blocked for it.
    """
    for side, mode in (("old", "per vlan"), ("new", "rstp")):
        ring = Ring(mode)
        for name in ("core-2", "fern-1"):
            ring.ports[name] |= {"2": TRUNK.replace("10,20", "20"), "3": TRUNK}
        ring.cables.add(("core-2", "3", "fern-1", "3"))
        (tmp_path / side).mkdir()
        ring.write(tmp_path / side)
    told = inkov("compare", "old", "new")
    assert told.status == 1
    assert "Worse findings\n  RISK  spare-link-lacks-vlan: the link between core-2:2" in told.out
    assert "findings: 1 new or worse, 0 gone." in told.out
    assert "blocked by the spanning tree" not in told.out
    markdown = inkov("compare", "old", "new", "-f", "markdown").out.splitlines()
    [refused] = [n for n, line in enumerate(markdown) if line.startswith("- a worse risk: ")]
    assert markdown[refused - 1] == markdown[refused + 1] == ""
    back = inkov("compare", "new", "old")
    assert back.status == 0 and "orse" not in back.out.replace("no worse", "")


def test_a_new_name_is_sure_by_an_address_and_else_a_guess(inkov: Inkov, tmp_path: Path) -> None:
    ports = "[port 1..4]\nvlan: 10\n"
    for side, name, moved in (("old", "a", ""), ("new", "b", "[port 5]\nvlan: 20\n")):
        (tmp_path / side).mkdir()
        for known in ("", 'known as: "00:00:5e:00:53:01"\n'):
            sheet = tmp_path / side / f"{'known' if known else 'looks'}.sheet"
            text = (
                f"{name}-{sheet.stem}\n{known}[vlans]\n10: ferns\n20: {sheet.stem}\n{ports}{moved}"
            )
            sheet.write_text(f"inkov sheet 1\nswitch: {text}")
    out = inkov("compare", "old", "new").out
    assert "a-known is called b-known now.\n" in out
    assert "a-looks is called b-looks now, by its looks.\n" in out


def test_a_port_that_becomes_a_member_forwards_otherwise(inkov: Inkov, tmp_path: Path) -> None:
    """a:3 in VLAN 10 is a member of lag-1 now, which is what it was; b is what it was."""
    text = "inkov sheet 1\nswitch: {}\n[vlans]\n10: ferns\n20: beds\n[port 3]\nvlan: 10\n[port 4]\n"
    for side, members in (("old", "4"), ("new", "3,4")):
        (tmp_path / side).mkdir()
        for name, own in (("a", members), ("b", "4")):
            bundle = f"[bundle lag-1]\nvlan: 20\nmembers: {own}\n"
            (tmp_path / side / f"{name}.sheet").write_text(text.format(name) + bundle)
    told = inkov("compare", "old", "new", "-q").out
    assert "1 edit on 1 switch; 1 of 2 switches forward as before" in told
