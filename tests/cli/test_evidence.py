"""`inkov dialect check DIALECT TEXTS`: what is doubtful about a reading, and what another source of
the same switches says otherwise.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest

from tests.conftest import DEMO, Inkov, run_inkov

MOSS = """\
dialect = "moss"
recognise = ["moss bed {name}"]
[text]
negation = ["never"]
[lists]
ranges = ["to"]
[device.says]
"moss bed {name}" = "name = {name}"
[vlan]
opens = ["soil {vids}"]
[port]
opens = ["tuft {ports}"]
ignored = ["shade (7|8)"]
[port.says]
"in {vid} [of {name}]" = "mode = access; vlan = {vid}"
"over {vids}" = "mode = trunk; allowed = {vids}"
"over more {vids}" = "allowed = {vids}"
"shade {number}" = "pvid = {number}"
"rests" = "state = off"
"""
NORTH = """\
moss bed north
soil 10, 20, 30
tuft 1, 2, 3
    in 10
tuft 4-6
    in 20
tuft 8
    over 10
    over more 20
    shade 7
tuft 9
    over 10
    over more 30
"""
TRUTH = """\
inkov sheet 1
switch: north
[vlans]
10:
20:
40:
[port 1..3]
vlan: 10
[port 4..6]
vlan: 20
[port 7]
vlan: 40
[port 8]
mode: trunk
native: none
allowed: 10,20
[port 9]
mode: trunk
native: none
allowed: 10,30
[port 10]
state: off
"""


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "moss.toml").write_text(MOSS)
    (tmp_path / "north.txt").write_text(NORTH)
    (tmp_path / "truth").mkdir()
    (tmp_path / "truth" / "north.sheet").write_text(TRUTH)
    return tmp_path


def checked(inkov: Inkov, *against: str) -> dict[str, Any]:
    result = inkov("dialect", "check", "moss.toml", "north.txt", *against, "-f", "json")
    assert result.status == 1, result.err
    answer: dict[str, Any] = result.json
    return answer


def test_what_another_source_says_otherwise_is_named_with_both_places(
    folder: Path, inkov: Inkov
) -> None:
    """The truth is in the sheet: the mark `-` makes a range, `over more` adds, ports 8 and 9 send
    nothing untagged. Port 10, which is off, and only there, is nobody's loss.
    """
    rows = checked(inkov, "--against", "truth")["compared"]

    def named(row: dict[str, Any]) -> str:
        return f"port {row['port']}" if row["port"] else f"VLAN {row['vlan']}"

    assert all((row["port"] is None) is not (row["vlan"] is None) for row in rows)
    standing = {named(row): row["agreement"] for row in rows}
    assert standing == {
        "VLAN 10": "agrees",
        "VLAN 20": "agrees",
        "VLAN 30": "first only",
        "VLAN 40": "other only",
        **{f"port {number}": "agrees" for number in (1, 2, 3)},
        "port 4-6": "first only",
        **{f"port {number}": "other only" for number in (4, 5, 6, 7)},
        "port 8": "differs",
        "port 9": "differs",
    }
    eight = next(row for row in rows if row["port"] == "8")
    assert (eight["text_at"]["line"], eight["forms"]) == (9, ["over more {vids}"])
    assert (eight["other_at"]["file"], eight["other_at"]["line"]) == ("truth/north.sheet", 16)
    assert "tagged 20" in eight["text"] and eight["other"] == "tagged 10,20"
    table = inkov("dialect", "check", "moss.toml", "north.txt", "--against", "truth").out
    told = "3 of 10 ports agree, 2 otherwise in the text, 1 in the text only, 4 not in the text"
    assert told in table


def test_a_domain_makes_no_other_switch(folder: Path, inkov: Inkov) -> None:
    told = checked(inkov, "--against", "truth")["compared"]
    truth = folder / "truth" / "north.sheet"
    truth.write_text(TRUTH.replace("switch: north", "switch: north.garden"))
    again = checked(inkov, "--against", "truth")["compared"]
    assert [row["agreement"] for row in again] == [row["agreement"] for row in told]


def test_what_is_doubtful_without_any_other_source(folder: Path, inkov: Inkov) -> None:
    doubts = {
        (doubt["origin"]["file"], doubt["origin"]["line"], doubt["mild"]): doubt["says"]
        for doubt in checked(inkov)["doubts"]
    }
    line = {text: number for number, text in enumerate(MOSS.splitlines(), 1)}
    shade = line['"shade {number}" = "pvid = {number}"']
    assert doubts == {
        ("north.txt", 1, False): ("north has no port 4, 5, 6, 7, though ports around are there"),
        ("north.txt", 5, False): "a port is called '4-6': one port, or several?",
        ("moss.toml", line['"in {vid} [of {name}]" = "mode = access; vlan = {vid}"'], False): (
            'in "in {vid} [of {name}]" nothing was ever taken by {name}'
        ),
        ("moss.toml", line['"over {vids}" = "mode = trunk; allowed = {vids}"'], False): (
            'what "over {vids}" says is replaced or taken back later, all 2 times'
        ),
        ("moss.toml", line['ignored = ["shade (7|8)"]'], False): (
            '"shade (7|8)" takes lines without a meaning that "shade {number}" (line'
            f" {shade}) could take"
        ),
        ("moss.toml", shade, True): ('no line here has the forms "shade {number}", "rests"'),
    }
    read = inkov("read", "moss.toml", "north.txt", "-f", "json").json["read"]["doubts"]
    assert [(doubt["origin"]["line"], doubt["says"]) for doubt in read] == [
        (number, says) for (file, number, _), says in doubts.items() if file == "north.txt"
    ]
    found = inkov("audit", "moss.toml", "north.txt", "-f", "json").json["findings"]
    assert {"ports-not-described", "port-name-odd"} <= {finding["rule"] for finding in found}


def test_a_dialect_that_reads_right_agrees_with_the_other_source(
    folder: Path, inkov: Inkov
) -> None:
    right = (
        MOSS.replace('"allowed = {vids}"', '"allowed + {vids}"')
        .replace("(7|8)", "{number} now")
        .replace('ranges = ["to"]', 'ranges = ["-"]')
        .replace("[device.says]", '[defaults]\nnative = "none"\n[device.says]')
    )
    (folder / "moss.toml").write_text(right)
    more = "tuft 7\n    in 30 of ferns\n"
    (folder / "north.txt").write_text(NORTH.replace("shade 7", "shade 7 now") + more)
    truth = TRUTH.replace("40:", "30:").replace("vlan: 40", "vlan: 30")
    (folder / "truth" / "north.sheet").write_text(truth)
    result = inkov("dialect", "check", "moss.toml", "north.txt", "--against", "truth")
    assert "9 of 9 ports agree; 3 of 3 VLANs agree" in result.out, result.out
    assert result.status == 0, result.out


def test_a_port_plan_and_a_walk_are_evidence_as_well(inkov: Inkov) -> None:
    garden = DEMO / "garden"
    plan = run_inkov(
        "dialect", "check", "rill.toml", "barn-1.txt", "--against", "port-plan.csv", cwd=garden
    )
    walk = run_inkov(
        *("dialect", "check", "arbour.toml", "fern-2.txt", "--against", "walks/fern-2.walk"),
        cwd=DEMO / "repaired",
    )
    assert walk.status == 0 and "fern-2: 24 of 24 ports agree; 6 of 6 VLANs agree" in walk.out
    assert (
        "barn-1 port p3" in plan.out and "3 of 5 ports agree, 1 otherwise in the text" in plan.out
    ), plan.out


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (["moss.toml", "--against", "truth"], "--against needs texts"),
        (["north.txt"], "no dialect among them"),
        (["moss.toml", "truth"], "none of the dialects reads a file of truth"),
        (["moss.toml", "north.txt", "--against", "nowhere"], "nowhere: no such file"),
        (["moss.toml", "north.txt", "--against", "other"], "the texts are of north, the other"),
        (["moss.toml", "north.txt", "--against", "north.txt"], "--against: no switch"),
        (["moss.toml", "north.txt", "--against", "same"], "is the texts themselves"),
        (["moss.toml", "north.txt", "--against", "empty"], "--against: no switch configuration"),
    ],
)
def test_evidence_that_is_none_is_refused(
    arguments: list[str], says: str, folder: Path, inkov: Inkov
) -> None:
    (folder / "same").mkdir()
    (folder / "same" / "moss.toml").symlink_to(folder / "moss.toml")
    (folder / "same" / "north.txt").symlink_to(folder / "north.txt")
    (folder / "empty").mkdir()
    (folder / "empty" / "notes").write_text("about nothing\n")
    (folder / "other").mkdir()
    (folder / "other" / "b.sheet").write_text(TRUTH.replace("north", "south"))
    result = inkov("dialect", "check", *arguments)
    assert result.status == 2 and says in result.err, (result.err, result.out)


def test_a_folder_with_the_texts_and_another_source_is_evidence_by_the_latter(
    folder: Path, inkov: Inkov
) -> None:
    both = folder / "truth"
    (both / "moss.toml").write_text(MOSS)
    (both / "north.txt").write_text(NORTH)
    told = inkov("dialect", "check", both / "moss.toml", both / "north.txt", "--against", both)
    assert "3 of 10 ports agree" in told.out, told.out
