"""Dialects of languages in which ports take settings over: profiles, what is said of all ports,
sections of which the narrower wins, exceptions, statements out of force. What each text means was
written down before it was read.
"""

from __future__ import annotations

import random
from pathlib import Path
from typing import Any

import pytest

from inkov.campus import Campus
from inkov.forwarding import resolve
from inkov.readers.dialects import compile_dialect, read_text
from inkov.vlanset import bits_to_text
from inkov.wiring import End, wire
from tests.conftest import DEMO, Inkov, cases

LAGOON = (DEMO / "languages" / "lagoon.toml").read_text()


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


def test_what_is_out_of_force_counts_as_without_meaning(inkov: Inkov, tmp_path: Path) -> None:
    """A statement, a block, and what stands in that."""
    (tmp_path / "lagoon.toml").write_text(LAGOON)
    text = "pier 1\n    in 10\n    dry: in 20\ndry: pier 1, 2\n    in 30\npier 3\n    in 20\n"
    (tmp_path / "a.txt").write_text(WATERS + text)
    [file] = [
        one
        for one in inkov("read", ".", "-f", "json").json["read"]["files"]
        if one["file"].endswith("a.txt")
    ]
    assert file["understood"] == len(WATERS.splitlines()) + 4
    assert (file["without_meaning"], file["not_understood"]) == (3, 0)


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
        (
            "".join(
                f"tide {low}{n}\n    like a{n + 1}\n    like b{n + 1}\n"
                for n in range(18)
                for low in "ab"
            )
            + "tide a18\n    in 10\ntide b18\n    in 20\npier 1\n    tide a0\n",
            0,
            "more than 2,000 settings",
        ),
        (
            "".join(f"tide t{n}\n    like t{n + 1}\n" for n in range(30))
            + "tide t30\n    in 10\npier 1\n    tide t0\n",
            0,
            "more than 20 deep",
        ),
        (
            "depth 3000 piers\n" + "pier *\n    in 10\n" * 100,
            0,
            "more than 300,000 settings",
        ),
        ("berth w*\n    in 10\n", 3, "one port is expected here"),
        ("berth everywhere\n    in 10\n", 3, "one port is expected here"),
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
    place = f"a.txt:{line}: " if line else "a.txt:"
    assert place in read.err and says in read.err, read.err
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


CAMPUSES = cases("LAGOONS", 150)
NAMES = [str(number) for number in range(1, 7)]


class Lagoon:
    """A random text, and what it means, worked out port by port from the definition."""

    def __init__(self, rng: random.Random) -> None:
        self.rng = rng
        self.lines = ["lagoon north", "water 10, 20, 30"]
        self.everywhere: list[tuple[str, Any]] = []
        self.own: dict[str, list[tuple[str, Any]]] = {name: [] for name in NAMES}
        self.taken: dict[str, list[str]] = {name: [] for name in NAMES}
        self.profiles: dict[str, list[tuple[str, Any]]] = {"a": [], "b": [], "c": []}
        self.likes: dict[str, list[str]] = {name: [] for name in self.profiles}
        for name in self.profiles:
            self.lines.append(f"tide {name}")
        self.lines.append("depth 6 piers")
        for _ in range(rng.randint(3, 12)):
            rng.choice([self.of_ports, self.of_ports, self.of_profile, self.of_all])()

    def setting(self) -> tuple[str, tuple[str, Any]]:
        vid = self.rng.choice([10, 20, 30])
        return self.rng.choice(
            [
                (f"in {vid}", ("in", vid)),
                (f"through {vid}", ("through", {vid})),
                (f"through also {vid}", ("also", {vid})),
                (f"through never {vid}", ("never", {vid})),
                ("afloat aye", ("afloat", True)),
                ("afloat nay", ("afloat", False)),
                ("un in", ("un in", None)),
                ("un afloat", ("un afloat", None)),
            ]
        )

    def of_all(self) -> None:
        line, does = self.setting()
        self.lines += ["pier everywhere", f"    {line}"]
        self.everywhere.append(does)

    def of_ports(self) -> None:
        low = self.rng.randint(1, 6)
        high = self.rng.randint(low, 6)
        but = self.rng.randint(low, high) if high > low and self.rng.random() < 0.3 else None
        chosen = [str(n) for n in range(low, high + 1) if n != but]
        named = f"{low}~{high}" + (f" save {but}" if but else "")
        self.lines.append(f"pier {named}")
        for _ in range(self.rng.randint(1, 3)):
            if self.rng.random() < 0.4:
                profile = self.rng.choice(list(self.profiles))
                off = self.rng.random() < 0.2
                self.lines.append(f"    {'un ' * off}tide {profile}")
                for name in chosen:
                    self.take(self.taken[name], profile, off)
            else:
                line, does = self.setting()
                self.lines.append(f"    {line}")
                for name in chosen:
                    self.own[name].append(does)

    def of_profile(self) -> None:
        name = self.rng.choice(list(self.profiles))
        self.lines.append(f"tide {name}")
        line, does = self.setting()
        other = self.rng.choice("abc")
        if other < name and self.rng.random() < 0.4:  # a profile takes those before it only
            self.lines.append(f"    like {other}")
            self.take(self.likes[name], other, False)
        elif not does[0].startswith("un"):
            self.lines.append(f"    {line}")
            self.profiles[name].append(does)

    @staticmethod
    def take(takes: list[str], name: str, off: bool) -> None:
        if name in takes:
            takes.remove(name)
        if not off:
            takes.append(name)

    def of_one(self, profile: str) -> list[tuple[str, Any]]:
        before = [does for other in self.likes[profile] for does in self.of_one(other)]
        return [*before, *self.profiles[profile]]

    def meaning(self, name: str) -> Any:
        start = {"mode": "access", "vlan": 1, "allowed": set(), "on": True}
        over = self.done(start, start, self.everywhere)
        steps = [does for profile in self.taken[name] for does in self.of_one(profile)]
        over = self.done(over, over, steps)
        now = self.done(over, over, self.own[name])
        if not now["on"]:
            return "off"
        if now["mode"] == "access":
            return str(now["vlan"]), "none"
        return "none", ",".join(map(str, sorted(now["allowed"]))) or "none"

    @staticmethod
    def done(now: dict[str, Any], over: dict[str, Any], steps: list[Any]) -> dict[str, Any]:
        """What holds after some steps; what is taken back is as in `over`."""
        now = dict(now)
        for what, value in steps:
            match what:
                case "in":
                    now |= {"mode": "access", "vlan": value}
                case "through":
                    now |= {"mode": "trunk", "allowed": set(value)}
                case "also":
                    now["allowed"] = now["allowed"] | value
                case "never":
                    now["allowed"] = now["allowed"] - value
                case "afloat":
                    now["on"] = value
                case "un in":
                    now |= {"mode": over["mode"], "vlan": over["vlan"]}
                case "un afloat":
                    now["on"] = over["on"]
        return now


def test_random_texts_mean_what_they_say() -> None:
    dialect = compile_dialect("lagoon.toml", LAGOON.encode())
    for number in range(CAMPUSES):
        lagoon = Lagoon(random.Random(number))
        text = "\n".join(lagoon.lines) + "\n"
        reading = read_text(dialect, "a.txt", text.encode())
        assert not reading.part.problems, (number, text, reading.part.problems)
        campus = Campus({"north": reading.part.devices[0]})
        fabric = resolve(campus, wire(campus))
        for name in NAMES:
            resolved = fabric.ports[End("north", name)]
            view = resolved.view
            told: Any = "off"
            if resolved.up:
                tagged = view.emit & ~view.untagged
                told = bits_to_text(view.untagged), bits_to_text(tagged)
            assert told == lagoon.meaning(name), (number, name, text)


def test_kinds_of_ports_share_statements_and_texts_name_neighbours(
    inkov: Inkov, tmp_path: Path
) -> None:
    dialect = LAGOON.replace(
        '"tide {name}" = "takes + {name}"\n',
        '"tide {name}" = "takes + {name}"\n"leads to {name} pier {far:port}" = '
        '"neighbour = {name}:{far}"\n"tied to {name}" = "bundle = {name}"\n[bundle]\n'
        'opens = ["raft {name}"]\nlike = "port"\n[bundle.says]\n"in {vid}" = ""\n',
    )
    rafts = (
        "raft r1\n    through 10\n    in 20\npier 1\n    tied to r1\n"
        "pier 2\n    leads to south pier 4\n"
        "pier 3\n    leads to south pier 5\n    un leads to south pier 5\n"
    )
    (tmp_path / "b.txt").write_text("lagoon south\nwater 10\npier 4, 5\n    through 10\n")
    assert ports(inkov, tmp_path, WATERS + rafts, dialect)["r1"] == ("none", "10")
    links = inkov("links", ".", "-f", "json").json["links"]
    assert [(link["a"], link["b"]) for link in links] == [("north:2", "south:4")]
    [seen] = [place for link in links for place in link["evidence"]]
    assert (seen["origin"]["file"], seen["origin"]["line"]) == ("./a.txt", 9)
    wrong = LAGOON.replace("[port]\n", '[port]\nlike = "vlan"\n')
    (tmp_path / "lagoon.toml").write_text(wrong)
    refused = inkov("dialect", "check", "lagoon.toml")
    assert "'vlan' is no block like this one: bundle, sub, profile" in refused.err
