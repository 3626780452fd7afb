"""What a text comes to by its dialect, one paragraph of meaning at a time: what is undone, names of
VLANs, captures, blocks within blocks, closing words and braces.

Each expectation is written from what the made-up statements mean.
"""

from __future__ import annotations

import tomllib
from pathlib import Path
from textwrap import dedent

import pytest

from inkov.campus import Basis
from inkov.readers.dialects import BadDialect
from tests.conftest import Inkov
from tests.readers.test_dialects import dialect, part_of, reading_of, sheet_of

GARDEN = """
[text]
shape = "indented"
negation = ["un"]
[vlan-table]
always = "1"
[device.says]
"box {name}" = "name = {name}"
"spread in {word} release {n:number}" = "domain = {word}; version = {n}"
"spread lock {secret}" = "password = set"
"tree quick" = "tree mode = rstp"
"tree weight {number} for {vids}" = "on tree {vids}: priority = {number}"
"tree number {number} for {vids}" = "on tree {vids}: number = {number}"
"yard {word} with {ports}" = "on bridge {word}: ports + {ports}"
"yard {word} just {ports}" = "on bridge {word}: ports = {ports}"
[vlan]
opens = ["plot {vids}"]
[vlan.says]
"named {name}" = "name = {name}"
"rests" = "state = suspended"
"wakes" = "state = active"
"alone" = "private = isolated"
"holds {vids}" = "private = primary; secondaries + {vids}"
"holds just {vids}" = "secondaries = {vids}"
"holds also {vids}" = "secondaries + {vids}"
[port]
opens = ["pot {ports}"]
[port.says]
"grow {vid}" = "mode = access; vlan = {vid}"
"carry {vids}" = "mode = trunk; allowed = {vids}"
"carry also {vids}" = "allowed + {vids}"
"shy" = "protected = yes"
"label {text}" = "about = {text}"
"cost {number}" = "tree cost = {number}"
"in yard {word}" = "bridge = {word}"
"joins {word}" = "bundle = {word}"
"asleep" = "state = off"
[bundle]
opens = ["rope {word}"]
[sub]
opens = { "cutting {port} {vid}" = "{port}.{vid}; of = {port}; tag = {vid}" }
[sub.says]
"at {address}" = "mode = routed; address + {address}"
"only at {address}" = "address = {address}"
[gateway]
opens = ["well {vid}"]
[gateway.says]
"at {address}" = "address + {address}"
"only at {address}" = "address = {address}"
"for {word}" = "vrf = {word}"
"dry" = "state = off"
"of yard {word}" = "bridge = {word}"
"""


def test_what_is_undone_is_as_if_it_had_never_been_said() -> None:
    """Everything is stated once and undone below: only what the heads open is left."""
    text = """
    box shed-1
    spread in acre release 2
    spread lock hunter2
    un spread lock
    un spread in acre release
    tree quick
    un tree quick
    tree weight 4096 for 10,20
    un tree weight 4096 for 10,20
    tree number 3 for 30
    un tree number 3 for 30
    plot 10
      named ferns
      rests
      alone
      un named
      un rests
      un alone
    pot 1
      grow 20
      shy
      label to the shed
      cost 200
      in yard back
      joins rope
      asleep
      un grow
      un shy
      un label
      un cost
      un in yard
      un joins
      un asleep
    cutting 9 100
      at 10.0.0.1/24
      un at 10.0.0.1/24
    well 10
      at 10.1.0.1/24
      at 10.2.0.1/24
      for green
      dry
      of yard back
      un at 10.1.0.1/24
      un for
      un dry
      un of yard
    """
    device = part_of(GARDEN, text).devices[0]
    assert (device.name, device.tree_mode) == ("shed-1", None)
    assert device.distribution is not None
    spread = device.distribution
    assert (spread.domain, spread.version, spread.password) == (None, None, None)
    vlan = (device.vlans or {})[10]
    assert (vlan.name, vlan.active, vlan.private) == (None, None, None)
    pot, cutting = device.ports["1"], device.ports["9.100"]
    undone = (pot.mode, pot.access_vlan, pot.protected, pot.description, pot.bundle, pot.enabled)
    assert undone == (None,) * 6
    assert device.trees == [] and device.bridges == {}
    assert cutting.addresses == () and cutting.mode is None
    (well,) = device.gateways
    assert [str(fact.value) for fact in well.addresses] == ["10.2.0.1/24"]
    assert (well.vrf, well.enabled, well.bridge) == (None, None, "")


def test_what_is_stated_stays_where_something_else_is_undone() -> None:
    text = """
    box shed-1
    tree quick
    tree weight 4096 for 10,20
    tree weight 8192 for 30
    tree number 3 for 30
    un tree weight 4096 for 10,20
    plot 10-12
    un plot 12
    plot 10
      holds 11
      holds just 20-22
      un holds also 22
    plot 11
      rests
    plot 13
      rests
      wakes
    pot 1
      carry 10,20
      un carry also 20
    pot 2
      in yard back
    yard back with 3-4
    yard front with 4-5
    yard side with 6-7
    yard side just 8
    un yard front with 5
    pot 6
    un pot 6
    well 10
      at 10.1.0.1/24
      only at 10.9.0.1/24
    well 20
      for green
      dry
    un well 10
    """
    sheet = sheet_of(GARDEN, text)
    assert "\n10: ; primary of 20-21\n11: ; suspended\n13: ; active\n" in sheet
    assert "12:" not in sheet and "[port 6]" not in sheet and "[gateway 10]" not in sheet
    assert "[port 1]\nmode: trunk\nallowed: 10\n" in sheet
    assert "[bridge back]\nports: 2, 3\n" in sheet  # 4 went over to the front
    assert "[bridge front]\nports: 4\n" in sheet and "[bridge side]\nports: 8\n" in sheet
    assert "[gateway 20]\nstate: off\nvrf: green\n" in sheet
    device = part_of(GARDEN, text).devices[0]
    weights = {str(tree.vlans): tree.priority and tree.priority.value for tree in device.trees}
    assert weights == {"30": 8192}
    assert {str(tree.vlans): tree.number for tree in device.trees}["30"] == 3


def test_a_name_that_two_vlans_share_is_neither() -> None:
    text = """
    plot 10
      named ferns
    plot 20
      named ferns
    plot 30
      named mosses
    pot 1
      grow by name ferns
    pot 2
      grow by name mosses
    pot 3
      carry by name mosses,ferns
    """
    tables = GARDEN.replace(
        '"shy" =',
        '"grow by name {vlan}" = "vlan = {vlan}"\n'
        '"carry by name {vlans}" = "allowed = {vlans}"\n"shy" =',
    )
    reading = reading_of(tables, text)
    assert [(p.origin.line, p.says) for p in reading.part.problems] == [
        (9, "'ferns' is the name of several VLANs here: 10, 20"),
        (13, "'ferns' is the name of several VLANs here: 10, 20"),
    ]
    assert [line.origin.line for line in reading.ledger.unmatched] == [9, 13]
    ports = reading.part.devices[0].ports
    assert ports["1"].access_vlan is None and ports["3"].allowed is None
    assert (mosses := ports["2"].access_vlan) is not None and mosses.value == 30


@pytest.mark.parametrize(
    ("word", "port", "vid"),
    [
        ("e7.20", "7", 20),
        ("e1/7.20", "1/7", 20),
        ("e1.7.20", "1.7", 20),  # a capture takes all that it can
        ("e7", None, None),
        ("7.20", None, None),
        ("x7.20", None, None),
        ("e7.20x", None, None),
        ("e7.4095", None, None),
    ],
)
def test_captures_within_a_word(word: str, port: str | None, vid: int | None) -> None:
    tables = (
        '[device.says]\n"e{port}.{vid} grows" = "on port {port}: mode = access; vlan = {vid}"\n'
    )
    reading = reading_of(tables, f"{word} grows\n")
    ports = reading.part.devices[0].ports
    if port is None:
        assert not ports and len(reading.ledger.unmatched) == 1
    else:
        assert [*ports] == [port] and not reading.ledger.unmatched
        assert (grown := ports[port].access_vlan) is not None and grown.value == vid


@pytest.mark.parametrize(
    ("word", "port", "vid"), [("7::12", "7", 12), ("712", None, None), ("7:12", None, None)]
)
def test_a_mark_of_two_signs_between_captures(word: str, port: str | None, vid: int | None) -> None:
    tables = '[device.says]\n"{port}::{vid} grows" = "on port {port}: vlan = {vid}"\n'
    reading = reading_of(tables, f"{word} grows\n")
    grown = {name: p.access_vlan for name, p in reading.part.devices[0].ports.items()}
    assert {name: fact and fact.value for name, fact in grown.items()} == (
        {} if port is None else {port: vid}
    )
    assert len(reading.ledger.unmatched) == (port is None)


def test_what_else_has_a_name_and_a_number_is_no_vlan() -> None:
    """A gateway is called north and is in VLAN 10: no VLAN is called north for that."""
    tables = GARDEN.replace('"shy" =', '"grow by name {vlan}" = "vlan = {vlan}"\n"shy" =')
    tables = tables.replace('opens = ["well {vid}"]', 'opens = ["well {word}"]')
    tables = tables.replace('"dry" =', '"waters {vid}" = "vid = {vid}"\n"dry" =')
    text = """
    plot 10
      named ferns
    well north
      waters 10
    pot 1
      grow by name north
    pot 2
      grow by name ferns
    """
    reading = reading_of(tables, text)
    assert [gateway.vid for gateway in reading.part.devices[0].gateways] == [10]
    assert [line.text for line in reading.ledger.unmatched] == ["grow by name north"]
    ports = reading.part.devices[0].ports
    assert ports["1"].access_vlan is None
    assert ports["2"].access_vlan is not None and ports["2"].access_vlan.value == 10


NESTED = """
[text]
SHAPE
[group.acre]
opens = ["acre {acre:number}"]
[group.bed]
opens = ["bed {bed:number}"]
within = ["group.acre"]
[port]
opens = { "pot {pot:number}" = "{acre}/{bed}/{pot}; mode = access" }
within = ["group.bed"]
[port.says]
"grow {vid}" = "vlan = {vid}"
"label {text}" = "about = {text}"
"like acre" = "vlan = {acre}"
"mix {acre:number} wet" = "vlan = {acre}"
"mix {text}" = "vlan = {acre}"
"""


def test_captures_of_all_the_blocks_around_can_be_used() -> None:
    indented = """
    acre 7
      bed 1
        pot 1
          grow 10
        pot 2
          like acre
      bed 2
        pot 1
          grow 20
    acre 8
      bed 1
        pot 1
          like acre
        pot 2
          mix 5 wet
        pot 3
          mix 5 dry
    """
    flat = """
    acre 7 bed 1 pot 1 grow 10
    acre 7 bed 1 pot 2 like acre
    acre 7 bed 2 pot 1 grow 20
    acre 8 bed 1 pot 1 like acre
    acre 8 bed 1 pot 2 mix 5 wet
    acre 8 bed 1 pot 3 mix 5 dry
    """
    expected = "".join(
        f"[port {name}]\nmode: access\nvlan: {vid}\n\n"
        for name, vid in (
            *(("7/1/1", 10), ("7/1/2", 7), ("7/2/1", 20)),
            # What one form took in vain is not what another one means.
            *(("8/1/1", 8), ("8/1/2", 5), ("8/1/3", 8)),
        )
    )
    assert sheet_of(NESTED.replace("SHAPE", 'shape = "indented"'), indented) == expected[:-1]
    assert sheet_of(NESTED.replace("SHAPE", 'shape = "flat"'), flat) == expected[:-1]
    alone = reading_of(NESTED.replace("SHAPE", 'shape = "indented"'), "bed 1\n  pot 1\n")
    assert not alone.part.devices[0].ports and len(alone.ledger.unmatched) == 2


@pytest.mark.parametrize(
    ("text", "lines"),
    [
        # The brace on a line of its own, the last statement without its end mark, no spaces.
        ("acre 7\n{ bed 1\n{\n pot 1{grow 10;label a}}}", {"7/1/1": "10 a"}),
        # A comment where a statement begins, and one behind it; a brace and a mark within quotes.
        (
            "acre 7 { # first } of all\n # grow 9;\n bed 1 { pot 1 { grow 10; # grow 9;\n"
            ' label "a } b; # c"; } } }',
            {"7/1/1": "10 a } b; # c"},
        ),
        # A statement over many lines; an end mark too many.
        (
            "acre 7 { bed 1 { pot 1 { grow\n\n10;; } } } acre 8 { bed 1 { pot 2 { grow 20 }}}",
            {"7/1/1": "10", "8/1/2": "20"},
        ),
        # A word that holds the comment mark is no comment.
        ("acre 7 { bed 1 { pot 1 { label a#b; grow 10; } } }", {"7/1/1": "10 a#b"}),
    ],
)
def test_blocks_in_braces(text: str, lines: dict[str, str]) -> None:
    tables = NESTED.replace("SHAPE", 'shape = "braced"\nstatement-end = ";"\ncomment = ["#"]')
    reading = reading_of(tables, text)
    assert not reading.ledger.unmatched and not reading.part.problems
    ports = {
        name: " ".join(str(fact.value) for fact in (port.access_vlan, port.description) if fact)
        for name, port in reading.part.devices[0].ports.items()
    }
    assert ports == lines


@pytest.mark.parametrize(
    ("text", "line", "says", "ports"),
    [
        ("acre 7 {\n bed 1 {\n pot 1 { grow 10; }\n}", 1, "is never closed", ["7/1/1"]),
        ("acre 7 { bed 1 { pot 1 { grow 10; } } } }", 1, "this } closes nothing", ["7/1/1"]),
        ("\nacre 7 { bed 1 { pot 1; (* pot 2;\n } }", 2, "the comment that begins", ["7/1/1"]),
        ("say ^to all;\nacre 7 { bed 1 { pot 1; } }", 1, "begins here with '^' never", []),
        ("say ^to\nall^;\nacre 7 { bed 1 { pot 1; } }", 0, "", ["7/1/1"]),
    ],
)
def test_what_is_never_closed_is_said(text: str, line: int, says: str, ports: list[str]) -> None:
    style = 'shape = "braced"\nstatement-end = ";"\ncomment-block = [["(*", "*)"]]'
    tables = '[device]\nignored = ["say {passage}"]\n' + NESTED.replace("SHAPE", style)
    reading = reading_of(tables, text)
    assert [p.origin.line for p in reading.part.problems] == ([line] if says else [])
    assert all(says in problem.says for problem in reading.part.problems)
    assert bool(reading.ledger.unmatched) == bool(says)
    assert [*reading.part.devices[0].ports] == ports


def test_braces_without_an_end_mark_end_statements_at_the_line() -> None:
    tables = NESTED.replace("SHAPE", 'shape = "braced"')
    text = "acre 7\n{\nbed 1 {\npot 1\n\n{\ngrow 10\nlabel b\n}\n}\n}\n"
    assert sheet_of(tables, text) == "[port 7/1/1]\nabout: b\nmode: access\nvlan: 10\n"
    place = reading_of(tables, text.replace("grow 10", "growl 10")).ledger.unmatched
    assert [(line.origin.line, line.text) for line in place] == [(7, "growl 10")]


@pytest.mark.parametrize(
    ("style", "text"),
    [
        (
            'shape = "braced"\nstatement-end = ";"',
            "acre 7 {\nbed 1 {\npot 1 {\ngrow 10;\nmoat x {\ngrow 20;\n}\nlabel a;\n}\n}\n}\n",
        ),
        (
            'shape = "indented"',
            "acre 7\n bed 1\n  pot 1\n   grow 10\n   moat x\n    grow 20\n   label a\n",
        ),
    ],
)
def test_what_stands_below_an_unknown_head_is_not_about_what_is_around_it(
    style: str, text: str
) -> None:
    reading = reading_of(NESTED.replace("SHAPE", style), text)
    [port] = reading.part.devices[0].ports.values()
    assert port.access_vlan is not None and port.access_vlan.value == 10
    assert port.description is not None and port.description.value == "a"
    assert [(line.origin.line, line.text) for line in reading.ledger.unmatched] == [
        (5, "moat x"),
        (6, "grow 20"),
    ]


def test_closing_words_end_the_innermost_block() -> None:
    tables = NESTED.replace("SHAPE", 'close = ["done"]')
    text = """
    acre 7
     bed 1
      pot 1
       grow 10
      done
     done
     bed 2
      pot 1
       grow 20
       done
      pot 2
       grow 30
    done
    """
    assert [*part_of(tables, text).devices[0].ports] == ["7/1/1", "7/2/1", "7/2/2"]
    # `done` at the left with nothing open closes nothing and is no statement.
    reading = reading_of(tables, "done\ndone\nacre 7\n bed 1\n  pot 1\n")
    assert [*reading.part.devices[0].ports] == ["7/1/1"] and not reading.ledger.unmatched


def test_lead_words_and_comments_in_pairs() -> None:
    tables = NESTED.replace(
        "SHAPE", 'shape = "flat"\nlead = ["put"]\nspaces = ">"\ncomment-block = [["(*", "*)"]]'
    )
    text = "put acre>7>bed 1 (* one\ntwo *) pot 1 grow 10\n(* acre 9\nacre 8 bed 1 pot 1*)\n"
    reading = reading_of(tables, text)
    # The comment spans a line break, so that the statement is cut in two there.
    assert [line.text for line in reading.ledger.unmatched] == ["pot 1 grow 10"]
    assert not reading.part.devices[0].ports
    whole = text.replace("one\ntwo", "one two")
    assert [*part_of(tables, whole).devices[0].ports] == ["7/1/1"]
    # The first thing in a text may be one.
    assert [*part_of(tables, f"(* of the yard *) {whole}").devices[0].ports] == ["7/1/1"]


def test_a_head_may_need_what_is_around_it_and_not_stand_elsewhere() -> None:
    with pytest.raises(Exception, match="the same head opens a port, too"):
        dialect('[port]\nopens = ["pot {port}"]\n[bundle]\nopens = ["pot {port}"]\n')
    with pytest.raises(Exception, match="acre"):
        dialect('[port]\nopens = { "pot {pot:number}" = "{acre}/{pot}" }\n')


def test_a_sub_or_a_bundle_that_a_member_named_before_is_one() -> None:
    text = "pot 1\n  joins west\nrope west\nun rope east\n"
    device = part_of(GARDEN, text).devices[0]
    assert {name: port.kind.value for name, port in device.ports.items()} == {
        "1": "port",
        "west": "bundle",
    }


# --- what the author of a dialect is told ---------------------------------------------------------


@pytest.mark.parametrize(
    ("line", "at", "says"),
    [
        # `at` is where the fault stands in the line, as a text that is there once.
        ('"grow {vid}" = "on shed 7: mode = access"', "shed", "'shed' is not one of"),
        ('"grow {vid}" = "on port: mode = access"', ": mode", "which port? write `on port NAME:`"),
        ('"grow {vid}" = "vlan = {vid}; mode"', "mode", "a clause is `ATTRIBUTE = VALUE`"),
        ('"grow {vid}" = "vlan = {vid}; mdoe unset"', "mdoe", "'mdoe' cannot be said of a port"),
        ('"grow {vid}" = "mode = acess; vlan = {vid}"', "acess", "'acess' is not one of"),
        ('"grow {vid}" = "on port {vid}: vlan + {vid}"', "+", "only = can be written here"),
        ('"grow {vid}" = "on port 1: vlan = {vdi}"', "{vdi}", "{vdi} is not captured here"),
        ('"g {a:ports}" = "vlan = {a}"', "{a}", "{ports} cannot be 'vlan'"),
        ('"g {a:vlans}" = "vlan = {a}"', "{a}", "{vlans} cannot be 'vlan'"),
        ('"g {a:port}" = "allowed = {a}"', "{a}", "{port} cannot be 'allowed'"),
        ('"g {a:number}" = "mode = {a}"', "{a}", "{number} cannot be 'mode'"),
        ('"g {a:vids}" = "bundle = {a}"', "{a}", "{vids} cannot be 'bundle'"),
        ('"g {a:vids}" = "mtu = {a}"', "{a}", "{vids} cannot be 'mtu'"),
        ('"g {a:vids}" = "on port {a}: vlan = 1"', "{a}", "{vids} cannot name a port"),
        ('"g {a:ports}" = "on vlan {a}: name = a"', "{a}", "{ports} cannot name a vlan"),
        ('"grow [{vid}" = "vlan = {vid}"', "[{vid}", ""),
        ('"a (b|c" = ""', "(b", ""),
    ],
)
def test_a_fault_in_an_effect_is_shown_where_it_is(line: str, at: str, says: str) -> None:
    with pytest.raises(BadDialect) as bad:
        dialect('[port]\nopens = ["pot {port}"]\n[port.says]\n"a" = "mode = access"\n' + line)
    first, shown, mark = bad.value.problems[0].says.split("\n")
    assert shown == f"  {line}" and says in first
    assert bad.value.problems[0].origin.line == 7
    column = line.index(at) + 1
    assert first.startswith(f"column {column}: ") and mark == "  " + " " * (column - 1) + "^"


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ('case = "Any"', "'Any' is not one of: exact, any"),
        ('comment-block = [["(*"]]', "each is a pair"),
        ('comment-block = [["(*", ""]]', "each is a pair"),
        ('comment-block = [["(*", "*)", "x"]]', "each is a pair"),
    ],
)
def test_a_fault_in_how_texts_are_written(text: str, says: str) -> None:
    with pytest.raises(BadDialect, match=says.replace("(", r"\(")):
        dialect(f"[text]\n{text}\n")


@pytest.mark.parametrize(
    ("tables", "line", "says"),
    [
        ('[text]\ncomment = ["%"]\n[device]\nignored = ["a %b"]', 6, "% begins a comment"),
        ("[device]\nignored = ['a \"b\"']", 4, "begins a quoted name"),
        ('[text]\nspaces = "="\n[device]\nignored = ["a=b"]', 6, "= is no part of a word"),
        (
            '[text]\nshape = "braced"\nstatement-end = ";"\n[device]\nignored = ["a b;"]',
            7,
            "; is no part of a word",
        ),
        ('[text]\ncomment-block = [["(*", "*)"]]\n[device]\nignored = ["a(*b"]', 6, ""),
        ('[text]\ncontinued = "+"\n[device]\nignored = ["a b+"]', 6, "goes on in the next"),
        ('[text]\nclose = ["done"]\n[device]\nignored = ["done"]', 6, "closes a block"),
        ('[text]\nlead = ["do"]\n[device]\nignored = ["do a"]', 6, "begin with the next"),
        ('[port.says]\n"a" = "mode = access"', 3, "nothing opens this block: it has no `opens`"),
        (
            '[group.shed]\n[port]\nwithin = ["group.shed"]\nopens = ["pot {port}"]',
            4,
            "nothing opens this block: no other block leads to it",
        ),
        (
            '[device.says]\n"a {vid}" = "on port 1: vlan = {vid}"\n"a {number}" = ""',
            5,
            "no statement is left for this form: a form with {vid} takes them first",
        ),
        ('[device]\nignored = ["a {x:word}"]\n[device.says]\n"a {name}" = ""', 6, ""),
        ('[port]\nopens = ["pot {vids}"]', 4, "{vids} cannot name a port"),
        ('[vlan]\nopens = { "plot {word} {ports}" = "{ports}" }', 4, "cannot name a vlan"),
    ],
)
def test_a_form_that_no_statement_can_have_is_refused(tables: str, line: int, says: str) -> None:
    with pytest.raises(BadDialect) as bad:
        dialect(tables)
    (problem,) = bad.value.problems
    assert says in problem.says
    assert problem.origin.line == line


def test_what_is_short_for_two_words_is_said(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "t.toml").write_text(
        'dialect = "t"\nfiles = ["*.txt"]\n[text]\nabbreviated = true\nnegation = ["un"]\n'
        '[port]\nopens = ["pot {port}"]\n[port.says]\n"shut" = "state = off"\n'
        '"shy" = "protected = yes"\n"grow {vid}" = "mode = access; vlan = {vid}"\n'
    )
    (tmp_path / "a.txt").write_text("pot 1\n gr 10\n sh\n shy\n un sh\npot 2\n shu\n")
    ran = inkov("read", "--unmatched", ".")
    assert ran.status == 1
    for line in (3, 5):
        assert f"a.txt:{line}: 'sh' is short for shut and for shy (write the word out)" in ran.err
    ports = inkov("ports", ".", "-f", "json").json["ports"]
    assert [(port["port"], port["state"]) for port in ports] == [("1", "on"), ("2", "off")]


def test_an_unusable_dialect_is_said_first_and_its_consequences_not(
    inkov: Inkov, tmp_path: Path
) -> None:
    (tmp_path / "t.toml").write_text('dialect = "t"\nfiles = ["*.txt"]\n[port]\nopen = []\n')
    (tmp_path / "a.txt").write_text("pot 1\n")
    for arguments in (["."], ["t.toml", "a.txt"]):
        ran = inkov("read", *arguments)
        assert ran.status == 2 and ran.out == ""
        first, *shown = ran.err.splitlines()
        assert "t.toml:4: column 1: " in first and "unknown field `open`" in first
        assert [line.strip() for line in shown] == ["open = []", "^"]
    (tmp_path / "b.sheet").write_text("inkov sheet 1\nswitch: b\nvlan: 3\n[port 1]\n")
    ran = inkov("read", "t.toml", "a.txt", "b.sheet")
    assert ran.status == 2 and "b.sheet" in ran.out
    assert [line.split(":")[1].strip() for line in ran.err.splitlines() if ":" in line] == [
        "t.toml",
        "b.sheet",
    ]


def test_words_before_secrets_are_secret_words_everywhere(inkov: Inkov, tmp_path: Path) -> None:
    """`warden` by the dialect; `lock`, since a hash stands behind it in one of the files."""
    (tmp_path / "t.toml").write_text(
        'dialect = "t"\nfiles = ["*.txt"]\n[device]\nignored = ["warden {secret}"]\n'
    )
    hidden = ["hunter1", "hunter2", "hunter3", "abcdefghijkl", "eyJzdWIiOiIx", "0822455D0A165E0A"]
    (tmp_path / "a.txt").write_text(
        f"warden {hidden[0]}\nlock 5 $1$salt${hidden[3]}\nlock 0 {hidden[1]}\n"
        f"vlan peer WARDEN {hidden[0]}\nvlan code {hidden[5]}\n"
        f"vlan seal eyJhbGciOiJIUzI1NiIsInR5cCI6.{hidden[4]}.x1\n"
        "vlan Uplink-to-seedbank-1-and-the-library\n"
    )
    (tmp_path / "b.txt").write_text(f"lock {hidden[2]}\n")
    (tmp_path / "plan.sheet").write_text("inkov sheet 1\nswitch: c\n[port 1]\nvlan: 1\n")
    for command in (
        ["read", "--unmatched", "."],
        ["read", "-f", "json", "."],
        ["audit", "-f", "json", "."],
        ["dialect", "unmatched", "."],
        ["dialect", "new", "a.txt", "b.txt"],
    ):
        ran = inkov(*command)
        assert not any(secret in ran.out + ran.err for secret in hidden), command
        if "--unmatched" in command:
            assert "vlan peer WARDEN ..." in ran.out and "b.txt:1  lock ..." in ran.out
            assert "Uplink-to-seedbank-1-and-the-library" in ran.out


def test_literal_words_go_before_captures_and_exact_types_before_any_word() -> None:
    tables = """
    [port]
    opens = ["pot {port}"]
    [port.says]
    "grow {word}" = "about = {word}"
    "grow {vid}" = "vlan = {vid}"
    "grow all" = "mode = trunk"
    """
    text = "pot 1\n grow 10\npot 2\n grow ten\npot 3\n grow all\n"
    assert sheet_of(tables, text) == (
        "[port 1]\nvlan: 10\n\n[port 2]\nabout: ten\n\n[port 3]\nmode: trunk\n"
    )


def test_lists_of_vlans_in_brackets_and_with_separators() -> None:
    tables = """
    [lists]
    separators = [",", "and"]
    ranges = ["-", "to"]
    [vlan]
    opens = ["plot {vid}"]
    [vlan.says]
    "named {name}" = "name = {name}"
    [port]
    opens = ["pot {port}"]
    [port.says]
    "carry {vlans} here" = "allowed = {vlans}"
    """
    text = """
    plot 10
     named ferns
    plot 20
     named mosses
    pot 1
     carry [ ferns mosses 30 ] here
    pot 2
     carry ferns , mosses and 30 here
    pot 3
     carry 30 to 32,ferns here
    pot 4
     carry ferns here
    """
    sheet = sheet_of(tables, text)
    for port, allowed in (("1", "10,20,30"), ("2", "10,20,30"), ("3", "10,30-32"), ("4", "10")):
        assert f"[port {port}]\nallowed: {allowed}\n" in sheet
    lost = reading_of(tables, "pot 1\n carry 30 31 here\n carry ferns here\n").ledger.unmatched
    assert [line.origin.line for line in lost] == [2, 3]


def started(inkov: Inkov, folder: Path, text: str) -> str:
    """What `dialect new` begins for a text."""
    (folder / "t.toml").unlink(missing_ok=True)
    (folder / "box.cfg").write_text(dedent(text))
    assert inkov("dialect", "new", "box.cfg", "-o", "t.toml").status == 0
    return (folder / "t.toml").read_text()


def test_what_a_new_dialect_guesses(inkov: Inkov, tmp_path: Path) -> None:
    indented = started(
        inkov,
        tmp_path,
        """
        ; made up
        ;another
        % once
        pot 1
          grow 10
          cease grow
          cease label
          label x
        pot 2
          grow 20
          rest 5 to 7
          rest 9
        """,
    )
    for guess in (
        'files = ["*.cfg"]',
        'shape = "indented"',
        'comment = [";"]',
        'negation = ["cease"]',
        'ranges = ["to"]',
        '[port]\nopens = ["pot {ports}"]  # guessed',
        '# "grow {number}" = ""  # 2 lines',
        '# "label x" = ""  # 1 line',
    ):
        assert guess in indented, (guess, indented)
    # One word before one statement alone is no word that undoes.
    flat = started(inkov, tmp_path, "pot 1 grow 10\ngrow 5\nset grow 6\n")
    assert 'shape = "flat"' in flat and "negation = [" not in flat and '"set"' not in flat
    braced = started(inkov, tmp_path, "pot 1 {\n  grow 10;\n}\nbox {\n  lid 1;\n  lid 2;\n}\n")
    assert 'shape = "braced"' in braced and 'statement-end = ";"' in braced
    # One line in twelve may end otherwise, one in four may not.
    for number, ends in ((11, True), (3, False)):
        lines = "".join(f"  lid {n};\n" for n in range(number))
        begun = started(inkov, tmp_path, f"box {{\n{lines}  note well\n}}\n")
        assert ('statement-end = ";"' in begun) is ends, begun


def test_braces_within_lines_are_blocks_as_well(inkov: Inkov, tmp_path: Path) -> None:
    lines = [f'bed {n} {{ grows {n * 10}; sign "row {n}"; }}' for n in range(1, 6)]
    text = "garden south;\n" + "\n".join(f"plot {n * 10} {{ called v{n}; }}" for n in range(1, 6))
    begun = started(inkov, tmp_path, text + "\n" + "\n".join(lines) + "\n")
    for guess in ('shape = "braced"', 'statement-end = ";"', 'opens = ["bed {ports}"]  # guessed'):
        assert guess in begun, (guess, begun)
    assert '# "grows {vid}" = ""  # 5 lines' in begun


MEADOW = """
meadow of {name}
set lamp at dusk
set season summer
plot 10
  called clover
plot 20
  called sorrel
plot 300
  called yarrow
row 1 through 4
  holds clover
row 5, 7
  holds sorrel
  lamp over it
done
row 6
  carries 10, 300
done
row 8
  carries 20, 300
done
sign ^Keep off
the grass.^
shed main
  door green
  key is bb8s8d
"""


@pytest.mark.parametrize("mark", [" and ", "; ", " & ", ","])
def test_what_stands_between_the_items_of_a_list(inkov: Inkov, tmp_path: Path, mark: str) -> None:
    text = MEADOW.replace("{name}", "east").replace("5, 7", f"5{mark}7")
    for vids in ("10, 300", "20, 300"):
        text = text.replace(vids, vids.replace(", ", mark))
    begun = started(inkov, tmp_path, text)
    assert f'separators = ["{mark.strip()}"]' in begun and 'ranges = ["through"]' in begun


def test_what_texts_tell_by_themselves(inkov: Inkov, tmp_path: Path) -> None:
    """What each mark, word and number of a text is, a reader sees without knowing the language."""
    for name in ("east", "west"):
        (tmp_path / f"{name}.txt").write_text(MEADOW.replace("{name}", name))
    begun = inkov("dialect", "new", ".").out
    for guess in (
        'recognise = ["meadow of {name}"]',
        'close = ["done"]',
        'separators = [","]',
        'ranges = ["through"]',
        '[vlan]\nopens = ["plot {vid}"]  # guessed',
        '"called {name}" = "name = {name}"',
        '[port]\nopens = ["row {ports}"]  # guessed',
        '# "holds {vlan}" = ""  # 4 lines',
        '# "carries {vids}" = ""  # 4 lines',
        '# "lamp over it" = ""  # 2 lines',
    ):
        assert guess in begun, (guess, begun)
    # What names no port, VLAN or gateway stands in one list; a block of such is one of its forms.
    [proposed] = [line for line in begun.splitlines() if line.startswith("# ignored = ")]
    forms = tomllib.loads(proposed.removeprefix("# "))["ignored"]
    assert forms == ["set {words}", "sign {passage}", "shed {words}"]
    assert "bb8s8d" not in begun
    # With the proposal taken, only what ports do is left.
    (tmp_path / "t.toml").write_text(begun.replace("# ignored = ", "ignored = "))
    left = inkov("dialect", "unmatched", ".", "-f", "json").json["unmatched"]
    assert {row["shape"].split()[0] for row in left} == {"holds", "carries", "lamp"}


@pytest.mark.parametrize(
    ("second", "passage"),
    [("beware^", True), ("the ^ gate", False), ("of the ^ and ^", False), ("the gate", False)],
)
def test_a_text_over_several_lines_ends_where_its_mark_ends_a_line(
    second: str, passage: bool, inkov: Inkov, tmp_path: Path
) -> None:
    text = f"sign ^north side\n{second}\npot 1\n  grow 10\npot 2\n  grow 20\n"
    assert ("sign {passage}" in started(inkov, tmp_path, text)) is passage


def test_words_that_begin_every_statement_mean_nothing(inkov: Inkov, tmp_path: Path) -> None:
    lines = ["plot 10 called clover", "plot 20 called sorrel", "row 1 holds 10", "row 2 holds 20"]
    lines += ["row 3 holds 10", "lamp on", "season summer", "gate shut"]
    begun = started(inkov, tmp_path, "\n".join(f"put {line}" for line in lines) + "\n")
    assert 'lead = ["put"]' in begun and '"plot {vid} called {name}"' in begun
    assert '# "row {ports} holds {vid}" = ""  # 3 lines' in begun


def test_a_comment_behind_a_statement_and_a_mark_within_a_word() -> None:
    tables = GARDEN.replace('negation = ["un"]', 'negation = ["un"]\ncomment = ["%", "//"]')
    text = """
    % all of them
    pot 1 % the first
      grow 10 // since May
      label "50 % shade" % at noon
    pot 2//3
      label 50%
    """
    reading = reading_of(tables, text)
    assert not reading.ledger.unmatched and reading.ledger.passed == 1
    labels = {
        name: port.description and port.description.value
        for name, port in reading.part.devices[0].ports.items()
    }
    assert labels == {"1": "50 % shade", "2//3": "50%"}
    # The same with one mark.
    alone = reading_of(tables.replace(', "//"', ""), "pot 1\n  grow 10 % yes\n")
    assert not alone.ledger.unmatched and alone.ledger.understood == 2


def test_what_a_text_reports_of_its_trees() -> None:
    """A port says what it is in the common tree; a line says it of ports in the tree of a VLAN."""
    text = """
    box shed-1
    tree weight 4096 for 10
    tree leads to 02:00:00:00:00:07 for 10
    tree seen 1-2 leading for 10
    tree seen 3 idle for 10
    pot 1
      is resting
    pot 2
      is root now
    """
    says = """
[device.says]
"tree leads to {address} for {vids}" = "on tree {vids}: seen root = {address}"
"tree seen {ports} leading for {vids}" = "on tree {vids}: seen role = {ports} designated"
"tree seen {ports} idle for {vids}" = "on tree {vids}: seen state = {ports} discarding"
[port.says]
"is resting" = "tree state = discarding; tree role = alternate"
"is root now" = "tree role = root"
"""
    garden = GARDEN.replace("[device.says]\n", says.partition("[port.says]")[0])
    garden = garden.replace("[port.says]\n", "[port.says]" + says.partition("[port.says]")[2])
    [device] = part_of(garden, text).devices
    by_vlans = {str(tree.vlans): tree for tree in device.trees}
    ten, common = by_vlans["10"], by_vlans["all"]
    assert ten.seen_root is not None and ten.seen_root.value == "02:00:00:00:00:07"
    assert {port: fact.value for port, fact in ten.roles.items()} == {
        "1": "designated",
        "2": "designated",
    }
    assert {port: fact.value for port, fact in ten.states.items()} == {"3": "discarding"}
    assert {port: fact.value for port, fact in common.roles.items()} == {
        "1": "alternate",
        "2": "root",
    }
    assert {port: fact.value for port, fact in common.states.items()} == {"1": "discarding"}


MORE = """
[device.says]
"fresh {ports}" = "on ports {ports}: is bare"
"ditch {word} is {vid}" = "on gateway {vid}: is there; vrf = {word}"
"branch {n:number} bears {vids}" = "on tree {vids}: number = {n}"
"branch {vids} costs {n:number} at {ports}" = "on tree {vids}: cost = {ports} {n}"
"branch {vids} has no costs" = "on tree {vids}: cost unset"
"house is plot {vids}" = "on vlan {vids}: name = home"
"""


def test_a_port_that_is_taken_back_is_as_if_it_had_only_been_named() -> None:
    """Whatever was said of it: in its block, in yards, in trees, of its neighbour; and nothing that
    was said of others.
    """
    text = """
    pot 1
      grow 20
      cost 200
      in yard back
    pot 2
      grow 30
      cost 300
      in yard back
    branch 10 costs 7 at 1,2
    fresh 1
    """
    device = part_of(GARDEN.replace("[device.says]\n", MORE.lstrip(), 1), text).devices[0]
    one, two = device.ports["1"], device.ports["2"]
    assert one.access_vlan is None and one.mode is None
    assert two.access_vlan is not None and two.access_vlan.value == 30
    assert list(device.bridges["back"].ports) == ["2"]
    costs = {str(tree.vlans): {p: c.value for p, c in tree.costs.items()} for tree in device.trees}
    assert costs == {"all": {"2": 300}, "10": {"2": 7}}


def test_what_is_taken_back_of_a_tree_is_taken_back_of_that_tree() -> None:
    text = """
    branch 10 costs 7 at 1,2
    branch 20 costs 8 at 1
    branch 10 has no costs
    """
    device = part_of(GARDEN.replace("[device.says]\n", MORE.lstrip(), 1), text).devices[0]
    costs = {str(tree.vlans): {p: c.value for p, c in tree.costs.items()} for tree in device.trees}
    assert costs == {"20": {"1": 8}}  # of the other nothing is left


def test_a_vlan_that_is_always_there_has_the_line_that_states_it() -> None:
    device = part_of(GARDEN, "box shed-1\nplot 1\n  named house\nplot 10\n").devices[0]
    assert {vid: row.origin.line for vid, row in (device.vlans or {}).items()} == {1: 2, 10: 4}
    unsaid = part_of(GARDEN, "box shed-1\nplot 10\n").devices[0]
    assert unsaid.vlans is not None and unsaid.vlans[1].origin.basis is Basis.DEFAULT
