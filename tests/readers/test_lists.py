"""Lists of ports in texts: the ports read are the ports meant, in every spelling a dialect has.

What must come out is made first (`meant`), and only then spelled.
"""

from __future__ import annotations

import random
from pathlib import Path
from textwrap import dedent

import pytest

from inkov.readers.dialects import compile_dialect, read_text
from tests.conftest import Inkov

LANGUAGE = """
    dialect = "t"
    files = ["*.txt"]
    [lists]
    {lists}
    [port]
    opens = ["bed {{ports}}"]
    [port.says]
    "sows {{vid}}" = "vlan = {{vid}}"
"""


def ports_of(lists: str, text: str) -> tuple[list[str], int]:
    """The ports that are read of `bed LIST`, and how many lines are not understood."""
    dialect = compile_dialect("t.toml", dedent(LANGUAGE.format(lists=lists)).encode())
    reading = read_text(dialect, "x.txt", f"bed {text}\n  sows 10\n".encode())
    ports = reading.part.devices[0].ports
    assert all(port.access_vlan and port.access_vlan.value == 10 for port in ports.values())
    return sorted(ports), len(reading.ledger.unmatched)


def spelled(rng: random.Random) -> tuple[str, str, list[str]]:
    """A random style of lists, a list in it, and the ports that it means."""
    kinds = rng.choice([[], ["vine", "bench"]])
    mark = rng.choice(["-", "..", "to", "until", "~"])
    separator = rng.choice([",", ";", "and", ""])
    items, meant = [], []
    for _ in range(rng.randint(1, 4)):
        kind = rng.choice(kinds) if kinds else ""
        stem = rng.choice(["", "1/", "2/0/"]) if kinds else rng.choice(["p", "x1/", "up", "3/"])
        width = rng.choice([1, 1, 2])
        low = rng.randint(1, 40)
        high = low + rng.choice([0, 0, 1, 2, 7])
        numbers = [f"{number:0{width}d}" for number in range(low, high + 1)]
        if len({len(number) for number in numbers}) > 1 and width > 1:
            continue  # 09 to 10 has one width, 9 to 10 none
        names = [f"{kind} {stem}{number}".strip() for number in numbers]
        meant += names
        first = f"{kind}{rng.choice(['', ' '])}{stem}{numbers[0]}"
        if high == low:
            items.append(first)
            continue
        ends = [numbers[-1], f"{stem}{numbers[-1]}"]
        ends += [f"{kind}{rng.choice(['', ' '])}{stem}{numbers[-1]}"] if kind else []
        end = rng.choice(ends)
        space = " " if mark.isalpha() or " " in end else rng.choice(["", " "])
        items.append(f"{first}{space}{mark}{space}{end}")
    joint = (
        f" {separator} "
        if separator.isalpha() or not separator
        else rng.choice(["", " "]).join((separator, ""))
    )
    text = (joint or " ").join(items)
    text = f"[ {text} ]" if rng.random() < 0.2 else text
    lists = [f'separators = ["{separator}"]' if separator else 'separators = [","]']
    lists += [f'ranges = ["{mark}"]', f"port-kinds = {kinds}".replace("'", '"')]
    return "\n    ".join(lists), text, sorted(set(meant))


@pytest.mark.parametrize("seed", range(400))
def test_the_ports_read_are_the_ports_meant(seed: int) -> None:
    lists, text, meant = spelled(random.Random(seed))
    if meant:
        assert ports_of(lists, text) == (meant, 0), (lists, text)


WORDS = 'ranges = ["to", "-"]'
KINDS = 'ranges = ["to", "-"]\n    port-kinds = ["vine", "bench"]'


@pytest.mark.parametrize(
    ("lists", "text", "ports"),
    [
        (WORDS, "1 to 4", ["1", "2", "3", "4"]),
        (WORDS, "w01 to w03, w1", ["w01", "w02", "w03", "w1"]),
        (WORDS, '"north wall", 2', ["2", "north wall"]),
        (WORDS, '"a-1", "b,2"', ["a-1", "b,2"]),
        (WORDS, "port-1-port-3", ["port-1", "port-2", "port-3"]),
        (WORDS, "port-1", ["port-1"]),
        (KINDS, "vine 1/2 to vine 1/4", ["vine 1/2", "vine 1/3", "vine 1/4"]),
        (KINDS, "vine1/2-vine1/3, be 7", ["bench 7", "vine 1/2", "vine 1/3"]),
        (KINDS, "vine 1, 2 to 3", ["vine 1", "vine 2", "vine 3"]),
        ('port-names = ["wan"]', "wan, 3", ["3", "wan"]),
        ('ranges = ["to"]', "e1-p3 to e1-p5", ["e1-p3", "e1-p4", "e1-p5"]),
    ],
)
def test_what_is_surely_a_list_of_ports(lists: str, text: str, ports: list[str]) -> None:
    assert ports_of(lists, text) == (ports, 0)


@pytest.mark.parametrize(
    ("lists", "text"),
    [
        (WORDS, "all"),  # no name of a port
        (WORDS, "1/0/20-2/0/3"),  # how many ports unit 1 has is not known
        (WORDS, "1/0/20 to 2/0/3"),
        (WORDS, "9 to 3"),  # backwards
        (WORDS, "1 to"),  # an end is missing
        (WORDS, "w1 to w03"),  # w1, w2, w3 or w01, w02, w03?
        (WORDS, "1-2-3"),  # the port 1-2-3, or 1-2 and 1-3?
        (WORDS, "e1-p3"),  # a name, or a range?
        (KINDS, "vine"),  # a kind without a number
        (KINDS, "vine 1 to bench 3"),  # of two kinds
        (KINDS, "lan"),
        ('port-kinds = ["bench", "bed"]', "be 1"),  # short for both
        ('port-kinds = ["bench", "bed"]', "be1"),
    ],
)
def test_what_is_not_surely_a_port_is_not_understood(lists: str, text: str) -> None:
    ports, unmatched = ports_of(lists, text)
    assert not ports and unmatched == 2  # the head, and what stands below it


@pytest.mark.parametrize(
    ("text", "ports"),
    [("bench 1", ["bench 1"]), ("ben 1", ["bench 1"]), ("be 1", []), ("vine 1", ["vine 1"])],
)
def test_a_name_of_several_pieces_has_a_kind_that_is_clear(text: str, ports: list[str]) -> None:
    tables = """
    dialect = "t"
    files = ["*.txt"]
    [lists]
    port-kinds = ["bench", "bed", "vine"]
    [port]
    opens = { "pot {kind:word} {n:number}" = "{kind} {n}" }
    """
    dialect = compile_dialect("t.toml", dedent(tables).encode())
    reading = read_text(dialect, "x.txt", f"pot {text}\n".encode())
    assert [*reading.part.devices[0].ports] == ports
    assert len(reading.ledger.unmatched) == (not ports)


PATTERNS = """
    every = ["all"]
    wildcards = ["*"]
    but = ["but"]
    ranges = ["-"]
    port-kinds = ["vine", "bench"]"""


@pytest.mark.parametrize(
    ("text", "ports"),
    [
        ("vine 1/*", ["vine 1/1", "vine 1/2"]),
        ("vine1/*", ["vine 1/1", "vine 1/2"]),
        ("vi 1/*", ["vine 1/1", "vine 1/2"]),
        ("bench 1/1, vine 1/*", ["bench 1/1", "vine 1/1", "vine 1/2"]),
        ("bench 1/1 vine 1/*", ["bench 1/1", "vine 1/1", "vine 1/2"]),
        ("vine 1/1-1/2, bench 1/*", ["bench 1/1", "vine 1/1", "vine 1/2"]),
        ("be*", ["bench 1/1"]),
        ("*", ["bench 1/1", "vine 1/1", "vine 1/2", "vine 2/1"]),
        ("all but vine 1/1", ["bench 1/1", "vine 1/2", "vine 2/1"]),
        ("vine * but vine 1/1-1/2", ["vine 2/1"]),
        ("vine 1/* but vine 1/2, bench 1/1", ["vine 1/1"]),
        # What fits nothing may be misread, and an exception of all leaves nothing.
        ("vine 3/*", None),
        ("1/*", None),
        ("fence 1/*", None),
        ("vine * but all", None),
    ],
)
def test_patterns_mean_the_ports_that_are_named_elsewhere(
    text: str, ports: list[str] | None
) -> None:
    tables = LANGUAGE.format(lists=PATTERNS) + '    "asleep" = "state = off"\n'
    dialect = compile_dialect("t.toml", dedent(tables).encode())
    named = "bed vine 1/1, vine 1/2, vine 2/1, bench 1/1\n  sows 20\n"
    reading = read_text(dialect, "x.txt", f"{named}bed {text}\n  asleep\n".encode())
    there = reading.part.devices[0].ports
    asleep = sorted(name for name, port in there.items() if port.enabled is not None)
    assert len(there) == 4 and asleep == (ports or [])
    unmatched = [line.text for line in reading.ledger.unmatched]
    assert unmatched == ([f"bed {text}", "asleep"] if ports is None else [])


def test_several_ports_where_one_is_meant_are_none() -> None:
    """`{word}` takes any word: what looks like a range of ports is not the name of one."""
    tables = """
    dialect = "t"
    files = ["*.txt"]
    [text]
    negation = ["un"]
    [device.says]
    "marked {word} {vid}" = "on port {word}: tagged + {vid}"
    [port]
    opens = ["pot {word}"]
    [port.says]
    "part of {word}" = "of = {word}"
    "tied to {word}" = "bundle = {word}"
    [bundle]
    opens = ["rope {word}"]
    """
    dialect = compile_dialect("t.toml", dedent(tables).encode())
    text = "pot 1-8\nrope 1-2\nmarked 4-6 10\nun pot 10-12\npot 9\n part of 1-3\n tied to 1-3\n"
    reading = read_text(dialect, "x.txt", (text + "rope west\nrope up-1\n").encode())
    assert [*reading.part.devices[0].ports] == ["9", "west", "up-1"]
    assert len(reading.ledger.unmatched) == 6 == len(reading.part.problems)


def test_what_stands_in_quotes_is_a_name_and_no_range() -> None:
    tables = """
    dialect = "t"
    files = ["*.txt"]
    [lists]
    ranges = [":"]
    [vlan]
    opens = ["vine {vid}"]
    [vlan.says]
    "called {name}" = "name = {name}"
    [port]
    opens = ["pot {port}"]
    [port.says]
    "bears {vlans}" = "mode = trunk; allowed = {vlans}"
    """
    dialect = compile_dialect("t.toml", dedent(tables).encode())
    text = 'vine 7\n  called "10:12"\npot 1\n  bears "10:12"\npot 2\n  bears 20:22, "10:12"\n'
    ports = read_text(dialect, "x.txt", text.encode()).part.devices[0].ports
    assert {name: str(port.allowed and port.allowed.value) for name, port in ports.items()} == {
        "1": "7",
        "2": "7,20-22",
    }


def test_a_range_by_a_word_through_the_program(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "c").mkdir()
    (tmp_path / "c" / "t.toml").write_text(dedent(LANGUAGE.format(lists=WORDS)))
    (tmp_path / "c" / "box.txt").write_text("bed 1 to 3\n  sows 10\nbed 1/0/9-2/0/2\n  sows 20\n")
    ports = inkov("ports", "c", "-f", "json", "-q").json["ports"]
    assert [(port["port"], port["untagged"]) for port in ports] == [
        ("1", "10"),
        ("2", "10"),
        ("3", "10"),
    ]
    strict = inkov("read", "c", "--strict", "--unmatched")
    assert strict.status == 1 and "bed 1/0/9-2/0/2" in strict.out


NEGATED = (
    LANGUAGE.format(lists=WORDS)
    + """
    "spans {{vlans}}" = "mode = trunk; allowed = {{vlans}}"
    [text]
    negation = ["no"]
"""
)


def test_a_head_that_is_undone_takes_its_block_along() -> None:
    dialect = compile_dialect(
        "t.toml", dedent(NEGATED.replace("{{", "{").replace("}}", "}")).encode()
    )
    text = b"bed 1-3\n  sows 10\nno bed 2\n  sows 20\nbed 3\n  sows 30\n"
    ports = read_text(dialect, "x.txt", text).part.devices[0].ports
    assert {name: port.access_vlan and port.access_vlan.value for name, port in ports.items()} == {
        "1": 10,
        "3": 30,
    }


def test_a_line_that_is_not_understood_has_no_effect_at_all() -> None:
    dialect = compile_dialect(
        "t.toml", dedent(NEGATED.replace("{{", "{").replace("}}", "}")).encode()
    )
    reading = read_text(dialect, "x.txt", b"bed 1\n  sows 10\n  spans 10,nobody\n")
    port = reading.part.devices[0].ports["1"]
    assert port.mode is None and port.allowed is None
    assert [line.text for line in reading.ledger.unmatched] == ["spans 10,nobody"]
