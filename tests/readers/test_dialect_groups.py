"""Dialects of languages in which ports take settings over: profiles, what is said of all ports,
sections of which the narrower wins, exceptions, statements out of force. What each text means was
written down before it was read.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest

from tests.conftest import Inkov

LAGOON = """\
dialect = "lagoon"
recognise = ["lagoon {name}"]
[text]
negation = ["un"]
inactive = ["dry:"]
[lists]
ranges = ["~"]
wildcards = ["*"]
every = ["everywhere"]
but = ["save"]
yes = ["aye"]
no = ["nay"]
[defaults]
mode = "access"
vlan = 1
native = "none"
allowed = "none"
[vlan-table]
always = "1"
names = { shore = 1 }
[device.says]
"lagoon {name}" = "name = {name}"
"depth {number} piers" = "on ports 1~{number}: is there"
"all piers lie still" = "on ports *: state = off"
[vlan]
opens = ["water {vids}"]
[vlan.says]
"known as {name}" = "name = {name}"
[profile]
opens = ["tide {name}"]
[profile.says]
"in {vlan}" = "mode = access; vlan = {vlan}"
"through {vids}" = "mode = trunk; allowed = {vids}"
"through also {vids}" = "allowed + {vids}"
"through never {vids}" = "allowed - {vids}"
"afloat {yes}" = "state = {yes}"
"like {other:name}" = "takes + {other}"
"for {ports}" = "on ports {ports}: takes + {name}"
[port]
opens = ["pier {ports}"]
[port.says]
"in {vlan}" = "mode = access; vlan = {vlan}"
"through {vids}" = "mode = trunk; allowed = {vids}"
"through also {vids}" = "allowed + {vids}"
"through never {vids}" = "allowed - {vids}"
"afloat {yes}" = "state = {yes}"
"moored {yes}" = "state = not {yes}"
"tide {name}" = "takes + {name}"
"""


def ports(inkov: Inkov, folder: Path, text: str, dialect: str = LAGOON) -> dict[str, Any]:
    """What each port comes to: "off", or what it sends untagged and tagged."""
    (folder / "lagoon.toml").write_text(dialect)
    (folder / "a.txt").write_text(text)
    result = inkov("ports", ".", "-f", "json")
    assert result.err == "", result.err
    return {
        row["port"]: "off"
        if row["state"] != "on"
        else (row["untagged"] or "none", row["tagged"] or "none")
        for row in result.json["ports"]
    }


WATERS = "lagoon north\nwater 10, 20, 30\n"


@pytest.mark.parametrize(
    ("text", "meant"),
    [
        # A port takes a profile over that is defined further down; its own word wins, though it
        # stands before the profile is taken.
        (
            "pier 1, 2\n    tide reef\npier 2\n    in 20\npier 3\n    in 30\n    tide reef\n"
            "tide reef\n    in 10\n",
            {"1": ("10", "none"), "2": ("20", "none"), "3": ("30", "none")},
        ),
        # Lists are added to and taken from what the profile has.
        (
            "tide reef\n    through 10, 20\npier 1\n    tide reef\n    through also 30\n"
            "pier 2\n    through never 20\n    tide reef\npier 3\n    through 30\n    tide reef\n",
            {"1": ("none", "10,20,30"), "2": ("none", "10"), "3": ("none", "30")},
        ),
        # Several profiles: the last one taken wins, by what it states, and only by that.
        (
            "tide reef\n    in 10\n    afloat nay\ntide sand\n    in 20\npier 1\n    tide reef\n"
            "    tide sand\npier 2\n    tide sand\n    tide reef\n    afloat aye\n",
            {"1": "off", "2": ("10", "none")},
        ),
        # A profile that takes another; membership stated from the profile's side.
        (
            "tide sand\n    like reef\n    through also 30\n    for 1~2\n"
            "tide reef\n    through 10\n",
            {"1": ("none", "10,30"), "2": ("none", "10,30")},
        ),
        # Leaving a profile, and taking one's own word back: then what is taken over holds again.
        (
            "tide reef\n    in 10\npier 1, 2\n    tide reef\npier 1\n    un tide reef\npier 2\n"
            "    in 20\n    un in\n",
            {"1": ("1", "none"), "2": ("10", "none")},
        ),
        # What is said of all ports holds for those that say nothing else, wherever it stands.
        (
            "pier 1, 2, 3\n    in 10\npier 2\n    afloat aye\npier everywhere save 3\n    in 20\n"
            "all piers lie still\npier 3\n    moored nay\n",
            {"1": "off", "2": ("10", "none"), "3": ("10", "none")},
        ),
        # Ports that are there by the model; a pattern of names; exceptions in a list.
        (
            "depth 4 piers\npier 1~4 save 2, 3\n    in 10\npier w1, w2, x1\n    in 20\n"
            "pier w*\n    in 30\n",
            {
                "1": ("10", "none"),
                "2": ("1", "none"),
                "3": ("1", "none"),
                "4": ("10", "none"),
                "w1": ("30", "none"),
                "w2": ("30", "none"),
                "x1": ("20", "none"),
            },
        ),
        # Statements and blocks out of force; a VLAN that has its name without being told.
        (
            "pier 1\n    in 10\n    dry: in 20\ndry: pier 1, 2\n    in 30\npier 3\n    in shore\n",
            {"1": ("10", "none"), "3": ("1", "none")},
        ),
    ],
)
def test_what_ports_take_over(
    text: str, meant: dict[str, Any], inkov: Inkov, tmp_path: Path
) -> None:
    assert ports(inkov, tmp_path, WATERS + text) == meant


def test_the_narrower_section_wins_wherever_it_stands(inkov: Inkov, tmp_path: Path) -> None:
    text = (
        "pier 2\n    in 20\npier 1~4\n    in 10\npier 3~4\n    in 30\npier *\n    through 10\n"
        "pier 4\n    afloat nay\n"
    )
    narrow = LAGOON.replace("[port]\n", '[port]\nwins = "specific"\n')
    assert ports(inkov, tmp_path, WATERS + text, narrow) == {
        "1": ("10", "none"),
        "2": ("20", "none"),
        "3": ("30", "none"),
        "4": "off",
    }
    # Without that, the later section wins; what is said of all ports never does.
    assert ports(inkov, tmp_path, WATERS + text) == {
        "1": ("10", "none"),
        "2": ("10", "none"),
        "3": ("30", "none"),
        "4": "off",
    }


@pytest.mark.parametrize(
    ("text", "line", "says"),
    [
        ("pier 1\n    tide reef\n", 4, "no profile here is called 'reef'"),
        ("tide a\n    like b\ntide b\n    like a\npier 1\n    tide a\n", 6, "takes itself"),
        ("pier 1 save\n    in 10\n", 3, "lacks what is left out"),
        ("pier 1~4 save w*\n    in 10\n", 3, "lacks what is left out"),
    ],
)
def test_what_cannot_be_taken_over_is_said_and_not_understood(
    text: str, line: int, says: str, inkov: Inkov, tmp_path: Path
) -> None:
    (tmp_path / "lagoon.toml").write_text(LAGOON)
    (tmp_path / "a.txt").write_text(WATERS + text)
    read = inkov("read", ".", "-f", "json")
    assert f"a.txt:{line}: " in read.err and says in read.err, read.err
    [file] = [one for one in read.json["read"]["files"] if one["file"].endswith("a.txt")]
    assert file["not_understood"] >= 1


def test_a_setting_that_is_taken_over_names_both_lines(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "lagoon.toml").write_text(LAGOON)
    text = f"{WATERS}tide reef\n    in 66\npier 1\n    tide reef\n"
    (tmp_path / "a.txt").write_text(text)
    [finding] = [
        one
        for one in inkov("audit", ".", "-f", "json").json["findings"]
        if one["rule"] == "access-vlan-undefined"
    ]
    assert [(place["port"], place["line"]) for place in finding["where"]][:2] == [
        ("1", 4),
        ("1", 6),
    ]
    assert "tide reef" in text.splitlines()[5]


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (("[port]\n", '[port]\nwins = "first"\n'), "'first' is not one of: last, specific"),
        (("[vlan]\n", '[vlan]\nwins = "specific"\n'), "only of ports"),
        (("shore = 1", "shore = 5000"), "5000 is no VLAN number"),
        (('"afloat {yes}" = "state = {yes}"', '"afloat {yes}" = "vlan = {yes}"'), "{yes} cannot"),
    ],
)
def test_a_dialect_that_cannot_be(
    change: tuple[str, str], says: str, inkov: Inkov, tmp_path: Path
) -> None:
    (tmp_path / "lagoon.toml").write_text(LAGOON.replace(*change))
    checked = inkov("dialect", "check", "lagoon.toml")
    assert checked.status == 2 and says in checked.err, checked.err
