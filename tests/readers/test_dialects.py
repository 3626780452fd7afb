"""Dialects: forms, effects, shapes of text, what becomes of each line, and the help for those who
write one.

The command languages here are made up, a line or two for what a test is about.
"""

from __future__ import annotations

import random
import time
from pathlib import Path
from textwrap import dedent

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkov.campus import Device, Private
from inkov.levels import Level
from inkov.readers import load
from inkov.readers.dialects import BadDialect, Dialect, compile_dialect, read_text, recognises
from inkov.readers.dialects.examples import run_examples
from inkov.readers.dialects.forms import FormError, parse_form
from inkov.readers.dialects.shapes import group
from inkov.readers.reading import Part, Reading
from inkov.readers.sheets.words import PORT_KEYS
from inkov.readers.sheets.writer import write_sheet
from tests.campuses import listeners, random_campus
from tests.conftest import DEMO, Inkov, cases

HEAD = 'dialect = "t"\nfiles = ["*"]\n'


def dialect(text: str) -> Dialect:
    return compile_dialect("t.toml", (HEAD + dedent(text)).encode())


def reading_of(tables: str, text: str) -> Reading:
    return read_text(dialect(tables), "box.txt", dedent(text).encode())


def part_of(tables: str, text: str) -> Part:
    return reading_of(tables, text).part


def sheet_of(tables: str, text: str) -> str:
    """What a text comes to, as a sheet without its head; nothing of it may be a problem."""
    reading = reading_of(tables, text)
    part, unmatched = reading.part, reading.ledger.unmatched
    assert not part.problems and not unmatched, (part.problems, unmatched)
    return write_sheet(part.devices[0]).split("\n", 3)[3]


PORTS = """
[port]
opens = ["pot {ports}"]
[port.says]
"grow {vid}" = "mode = access; vlan = {vid}"
"carry {vids}" = "mode = trunk; allowed = {vids}"
"carry also {vids}" = "allowed + {vids}"
"carry not {vids}" = "allowed - {vids}"
"carry all [but {vids}]" = "mode = trunk; allowed = all but {vids}"
"label {text}" = "about = {text}"
"bare {vid}" = "native = {vid}"
"""
INDENTED = (
    PORTS.replace('"carry all [but {vids}]" = "mode = trunk; allowed = all but {vids}"', "")
    + '"carry all" = "mode = trunk; allowed = all"\n"carry all but {vids}" = "mode = trunk; allowed'
    ' = all but {vids}"\n'
)


@pytest.mark.parametrize(
    "form",
    [
        "a {nonsense}",
        "a [b",
        "a b]",
        "a {vid} {vid}",
        "{text} a",
        "x{vid}{number}",
        "",
        "(a|b",
        "a{ports}b",
        "{vid",
    ],
)
def test_a_bad_form_is_refused_with_its_place(form: str) -> None:
    with pytest.raises(FormError) as bad:
        parse_form(form)
    assert 0 <= bad.value.at <= len(form)


def test_words_that_may_be_missing_and_words_that_are_either() -> None:
    variants = [" ".join(word.literal for word in words) for words in parse_form("a [b] (c|d e)")]
    assert variants == ["a c", "a d e", "a b c", "a b d e"]


def test_later_statements_win_and_lists_are_set_added_to_and_taken_from() -> None:
    text = """
    pot 1 - 3,5
      grow 10
    pot 2
      grow 20
    pot 9
      carry 10,20 - 22
      carry also 30
      carry not 21
      label "to the shed"
    pot 10
      carry all but 4,5
    """
    assert sheet_of(INDENTED, text) == dedent("""\
        [port 1]
        mode: access
        vlan: 10

        [port 2]
        mode: access
        vlan: 20

        [port 3]
        mode: access
        vlan: 10

        [port 5]
        mode: access
        vlan: 10

        [port 9]
        about: to the shed
        mode: trunk
        allowed: 10,20,22,30

        [port 10]
        mode: trunk
        allowed: 1-3,6-4094
        """)
    (device,) = part_of(INDENTED, text).devices
    assert ("2", "access_vlan") in {(change.port, change.attribute) for change in device.overridden}
    assert device.ports["2"].access_vlan.origin.line == 5  # type: ignore[union-attr]


BRACED = """
[text]
shape = "braced"
statement-end = ";"
comment = ["#"]
comment-block = [["(*", "*)"]]
[port]
opens = ["beds pot {port}"]
[port.says]
"member plain {vid}" = "pvid = {vid}; untagged + {vid}; mode = general"
"member marked {vids}" = "tagged + {vids}"
"""
FLAT = """
[text]
shape = "flat"
spaces = ">="
lead = ["put"]
negation = ["drop"]
[port]
opens = ["beds pot {port}"]
[port.says]
"member plain {vid}" = "pvid = {vid}; untagged + {vid}; mode = general"
"member marked {vids}" = "tagged + {vids}"
"""


def test_braced_and_flat_texts_come_to_the_same() -> None:
    braced = """
    beds { # all of them
      pot a1 { member { plain 10; marked [20 21]; } }
      pot a2 {
        (* member { plain 9; }
        *) member {
          plain
            10;
        }
      }
    }
    """
    flat = """
    put beds > pot > a1 > member plain = 10
    put beds > pot > a1 > member marked = 20
    put beds > pot > a1 > member marked = 21-22
    drop beds > pot > a1 > member marked = 22
    put beds > pot > a2 > member plain = 10
    """
    assert sheet_of(BRACED, braced) == sheet_of(FLAT, flat)
    assert "tagged: 20-21" in sheet_of(BRACED, braced)


def test_negated_and_abbreviated_statements() -> None:
    tables = '[text]\nnegation = ["un"]\nabbreviated = true\ncase = "any"\n' + INDENTED
    text = """
    POT 1
      gro 10
      label x
      UN label
      un grow 10
    pot 2
      carry 10,20
      un carry also 20
      lab y
    """
    found = sheet_of(tables, text)
    assert "[port 1]\n\n" in found and "allowed: 10\n" in found and "about: y" in found
    ambiguous = reading_of(tables.replace('"label {text}"', '"grass {text}"'), "pot 1\n  gr 10\n")
    assert [line.text for line in ambiguous.ledger.unmatched] == ["gr 10"]


def test_vlans_by_name_and_membership_from_the_vlans_side() -> None:
    tables = """
    [vlan]
    opens = ["plot {name}"]
    [vlan.says]
    "number {vid}" = "vid = {vid}"
    "marked on {ports}" = "on ports {ports}: mode = general; tagged + {name}"
    [port]
    opens = ["pot {port}"]
    [port.says]
    "grow {vlan}" = "vlan = {vlan}"
    "carry {vlans}" = "mode = trunk; allowed = {vlans}"
    "bring {vlans}" = "in force = {vlans}"
    """
    tables = tables.replace("{name}", "{vlan}")
    text = """
    pot 1
      grow ferns
    pot 2
      carry mosses, ferns
      bring mosses, ferns
    plot ferns
      number 30
      marked on 7-8
    plot mosses
      number 31
    """
    found = sheet_of(tables, text)
    assert (
        "30: ferns\n31: mosses" in found
        and "[port 1]\nvlan: 30" in found
        and "allowed: 30-31" in found
        and "in force: 30-31" in found
    )
    assert "[port 8]\nmode: general\ntagged: 30" in found
    reading = reading_of(tables, "pot 1\n  grow trees\n")
    assert [p.says for p in reading.part.problems] == ["no VLAN here is called 'trees'"]
    assert len(reading.ledger.unmatched) == 1


def test_everything_the_model_holds_can_be_said() -> None:
    tables = """
    [lists]
    port-kinds = ["pot", "channel"]
    [vlan-table]
    always = "1"
    created-by = ["vlan"]
    [device.says]
    "box {name}" = "name = {name}"
    "spread in {word} release {n:number}" = "domain = {word}; version = {n}; role = follower"
    "spread edition {m:number}" = "revision = {m}"
    "spread lock {secret}" = "password = set"
    "spread prunes" = "pruning = on"
    "tree quick" = "tree mode = rstp"
    "tree weight {number} [for] {vids}" = "on tree {vids}: priority = {number}"
    "plot {vid} holds {vids}" = "on vlan {vid}: private = primary; secondaries + {vids}"
    "plot {vid} alone" = "on vlan {vid}: private = isolated"
    "yard {word} with {ports}" = "on bridge {word}: ports + {ports}"
    [port]
    opens = ["{port}:"]
    [port.says]
    "voice {vid}" = "voice = {vid}"
    "grow {vid}" = "vlan = {vid}"
    "shy" = "protected = yes"
    "asks" = "negotiation = active"
    "prune {vids}" = "prunable = {vids}; withheld = {vids}"
    "tip, guarded" = "edge = yes; bpdu guard = on; guard = root"
    "cost {number}" = "tree cost = {number}"
    "only marked" = "accept = tagged; ingress filtering = on"
    "guest of {p:vid} {s:vid}" = "mode = private host; primary = {p}; secondary = {s}"
    "joins {number}" = "bundle = channel {number}; aggregation = active"
    [bundle]
    opens = { "strand {number}" = "channel {number}; mode = trunk" }
    [sub]
    opens = { "cutting {port} {vid}" = "{port}.{vid}; of = {port}; tag = {vid}" }
    [sub.says]
    "at {ip:word} {mask:word}" = "mode = routed; address + {ip}/{mask}; vrf = green"
    [gateway]
    opens = ["well {vid}"]
    [gateway.says]
    "at {address}" = "address = {address}"
    "shut" = "state = off"
    """.replace("{port}:", "at {port}")
    text = """
    box shed-1
    spread in acre release 2
    spread edition 7
    spread lock hunter2
    spread prunes
    tree quick
    tree weight 4096 for 10,20
    plot 10 holds 11-12
    plot 11 alone
    at pot1/1
      voice 40
      grow 50
      shy
      asks
      prune 60
      tip, guarded
      cost 200
      only marked
    at p 1/2
      guest of 10 11
    at pot 1/3
      joins 4
    strand 4
    cutting pot1/9 100
      at 10.0.0.1 255.255.255.0
    well 50
      at 10.5.0.1/24
      shut
    yard back with pot 1/5-6
    """
    found = sheet_of(tables, text)
    for said in (
        "10: ; primary of 11-12",
        "11: ; isolated",
        '[port "pot 1/1"]',
        "voice: 40",
        "vlan: 50",
        "protected: yes",
        "negotiation: active",
        "withheld: 60",
        "prunable: 60",
        "edge: yes\nguard: root\nbpdu guard: on",
        "accept: tagged\ningress filtering: on",
        "mode: private host\nprimary: 10\nsecondary: 11",
        '[bundle "channel 4"]\nmembers: "pot 1/3"\nmode: trunk',
        '[sub "pot 1/9.100"]',
        "tag: 100\naddress: 10.0.0.1/24",
        "[gateway 50]\nstate: off\naddress: 10.5.0.1/24",
        '[bridge back]\nports: "pot 1/5", "pot 1/6"',
        "mode: rstp",
        'cost of "pot 1/1": 200',
        "[tree 10,20]",
        "domain: acre\nversion: 2\nrole: follower\nrevision: 7\npassword: set\npruning: on",
    ):
        assert said in found, (said, found)
    assert "hunter2" not in found and "50:" in found  # made by its use


def test_each_line_is_one_of_three_and_secrets_are_not_shown(inkov: Inkov, tmp_path: Path) -> None:
    tables = (
        INDENTED.replace("[port.says]", 'ignored = ["water {text}"]\n[port.says]')
        + '[text]\ncomment = ["%"]\n'
    )
    tables += '[device]\nignored = ["notice {passage}", "lid {secret}"]\n'
    (tmp_path / "in").mkdir()
    (tmp_path / "in" / "t.toml").write_text(HEAD.replace("*", "*.txt") + tables)
    (tmp_path / "in" / "box.txt").write_text(
        "% a comment\nnotice !hello\nwe are open!\nlid abc\npot 1\n  grow 10\n  water daily\n  grow"
        " 4095\n  prune hard\nwhatever password hunter2\nfar away\n"
    )
    (tmp_path / "in" / "odd.bin").write_text("nobody knows\n")
    found = inkov("read", "in", "-f", "json")
    by_name = {report["file"]: report for report in found.json["read"]["files"]}
    report = by_name["in/box.txt"]
    assert (report["understood"], report["without_meaning"], report["not_understood"]) == (2, 5, 4)
    assert by_name["in/odd.bin"]["format"] == "" and found.status == 2
    assert "hunter2" not in found.out + found.err and "whatever password ..." in found.out
    relevant = {line["text"]: line["relevant"] for line in report["unmatched"]}
    assert relevant == {
        "grow 4095": True,
        "prune hard": True,
        "whatever password ...": False,
        "far away": False,
    }


def test_the_platforms_defaults_are_the_dialects() -> None:
    tables = '[defaults]\nnative = "none"\nmode = "trunk"\n"ingress filtering" = "on"\n' + INDENTED
    device: Device = part_of(tables, "pot 1\n").devices[0]
    fact = device.platform.unstated["native_vlan"]
    assert fact.value is None and fact.origin.says == "t: its dialect states so (t.toml:4)"
    assert device.platform.unstated["ingress_filtering"].value is True


@pytest.mark.parametrize(
    ("tables", "line", "says"),
    [
        (
            '[port.says]\n"grow {vid}" = "vlan = {vids}"\n',
            4,
            "column 24: {vids} is not captured here (captured: vid)",
        ),
        (
            '[port.says]\n"grow {vidd}" = "vlan = {vid}"\n',
            4,
            "column 7: 'vidd' is not a type of capture",
        ),
        (
            '[port.says]\n"grow {vid}" = "vlna = {vid}"\n',
            4,
            "column 17: 'vlna' cannot be said of a port",
        ),
        ('[port.says]\n"a" = "mode = acess"\n', 4, "'acess' is not one of: access"),
        ('[port.says]\n"a" = "on shed 7: mode = access"\n', 4, "'shed' is not one of: port"),
        ('[port]\nopens = ["pot {port}"]\nwithin = ["bed"]\n', 5, "'bed' is not a block"),
        ('[device.says]\n"a {secret}" = "name = {secret}"\n', 4, "a secret is never kept"),
        (
            '[device.says]\n"a b" = "name = x"\n"a [b]" = "name = y"\n',
            5,
            "another form of this block is the same",
        ),
        ('[text]\nshape = "round"\n', 4, "Invalid enum value"),
        ("[text]\nshap = 1\n", 4, "unknown field `shap`"),
        ('[defaults]\nmode = "acess"\n', 4, "'acess' is not one of"),
        ("[text\n", 3, "not TOML"),
        ('[text]\ncomment = [""]\n', 4, "a mark cannot be empty"),
        ('[lists]\nranges = ["-", ""]\n', 4, "a mark cannot be empty"),
        ('[text]\ntables = [["port"]]\n', 4, "a table has the names of two columns at least"),
        (
            '[text]\nshape = "flat"\ntables = [["port", "vlan"]]\n',
            5,
            "only indented texts can hold tables in columns",
        ),
        ('[device]\nopens = ["root"]\n', 3, "the device is open from the first line"),
        ('[port]\nopens = ["pot"]\n', 4, "the head names no port: it needs a capture"),
        ('[port.says]\n"a" = "mode ="\n', 4, "a value is missing"),
        ('[port.says]\n"a" = "mode + access"\n', 4, "'mode' is no set: only = can be written"),
    ],
)
def test_a_fault_in_a_dialect_is_placed(tables: str, line: int, says: str) -> None:
    with pytest.raises(BadDialect) as bad:
        dialect(tables)
    found = bad.value.problems[0]
    assert found.origin.line == line and says in found.says, found


def test_which_dialect_a_file_is_in() -> None:
    known = compile_dialect("t.toml", b'dialect = "t"\nrecognise = ["pot {port}", "box {name}"]\n')
    assert recognises(known, "x", "box a\n\npot 1\n") and not recognises(known, "x", "box a\n")
    assert recognises(dialect(""), "x", "")


def test_examples_hold_or_show_the_difference() -> None:
    example = (
        '[[example]]\ntext = """\npot 1\n  grow 10\n  frob\n"""\ngives = """\n[port 1]\nmode:'
        ' access\nvlan: 11\n"""\n'
    )
    (ran,) = run_examples(dialect(INDENTED + example))
    assert (
        ran.faults[0] == "not understood: frob"
        and "-vlan: 11" in ran.faults
        and "+vlan: 10" in ran.faults
    )
    held = example.replace("11", "10") + 'unmatched = ["frob"]\n'
    assert run_examples(dialect(INDENTED + held))[0].faults == []


def test_the_commands_help_to_write_one(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "in").mkdir()
    pots = "".join(f'pot {n}\n  grow {n + 9}\n  label "pot {n}"\n' for n in range(1, 9))
    (tmp_path / "in" / "box.txt").write_text("% made up\n" + pots + "lid secret hunter2\n")
    started = inkov("dialect", "new", "in", "-o", "in/t.toml")
    text = (tmp_path / "in" / "t.toml").read_text()
    assert (
        started.status == 0
        and 'opens = ["pot {ports}"]  # guessed' in text
        and '# "grow {number}" = ""  # 8 lines' in text
        and "hunter2" not in text
    )
    assert 'shape = "indented"' in text and 'comment = ["%"]' in text
    assert inkov("dialect", "check", "in/t.toml").status == 0
    rows = inkov("dialect", "unmatched", "in", "-f", "json").json["unmatched"]
    assert [(row["count"], row["shape"]) for row in rows][:2] == [
        (8, "grow {number}"),
        (8, "label {text}"),
    ]
    begun = 'dialect = "t"\nfiles = ["*.txt"]\n[text]\ncomment = ["%"]\n'
    (tmp_path / "in" / "t.toml").write_text(
        begun + INDENTED + '[device]\nignored = ["lid {secret}"]\n'
    )
    done = inkov("dialect", "unmatched", "in")
    assert done.status == 0 and "every line is taken by a form" in done.out
    assert len(inkov("ports", "in", "-f", "json").json["ports"]) == 8
    (tmp_path / "in" / "t.toml").write_text(begun + "[port.says]\n'a' = 'vlna = 1'\n")
    bad = inkov("dialect", "check", "in/t.toml")
    assert bad.status == 2 and "'vlna' cannot be said of a port" in bad.err
    assert inkov("read", "in").status == 2  # and the campus says so, too


def test_a_format_can_be_named(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "t.toml").write_text('dialect = "t"\nfiles = ["never"]\n' + INDENTED)
    (tmp_path / "box.txt").write_text("pot 1\n  grow 10\n")
    assert inkov("ports", ".").status == 2
    assert len(inkov("ports", ".", "--as", "t=box.*", "-f", "json").json["ports"]) == 1
    wrong = inkov("ports", ".", "--as", "tt")
    assert wrong.status == 2 and "'tt' is no format; it is one of: sheet, linux" in wrong.err


def test_shapes_blank_out_names_and_numbers() -> None:
    from inkov.campus import Origin

    words = ["fern", "moss", "ivy", "sage", "mint", "dill", "rue", "yew", "box"]
    lines = [(Origin("f", n), f"call {word}") for n, word in enumerate(words)] + [
        (Origin("f", 20), "vids 1-3,5 on 7")
    ]
    assert [(g.count, g.shape) for g in group(lines)] == [
        (9, "call {word}"),
        (1, "vids {vids} on {number}"),
    ]


@pytest.mark.parametrize(
    ("form", "text", "line", "is_known"),
    [
        ("arbour {name}", "", "arbour x", True),
        ("arbour {name}", "", "bower x", False),
        ("{number} arbour", "", "7 arbour", True),
        ("arbour {name}", "", "harbour x", False),
        ("arbour {name}", "", "ARBOUR x", False),
        ("arbour {name}", 'case = "any"', "ARBOUR x", True),
        ("kiosk {name}", 'case = "any"', "\u212aiosk x", True),  # the sign for kelvin is a k
        ("arbour {name}", "abbreviated = true", "arb x", True),
        ("λόφος {name}", 'case = "any"\nspaces = "."', "ΛΌΦΟΣ.x", True),  # ends in its own sigma
        ("arbour {name}", 'comment-block = [["/*", "*/"]]', "ar/* 1 */bour x", True),
        ("arbour {name}", 'lead = ["please"]', "please arbour x", True),
    ],
)
def test_a_text_is_of_a_language_if_a_line_has_its_form(
    form: str, text: str, line: str, is_known: bool, inkov: Inkov, tmp_path: Path
) -> None:
    (tmp_path / "t.toml").write_text(
        f"dialect = 't'\nrecognise = ['{form}']\n[text]\n{text}\n[device]\nsays = {{}}\n"
    )
    (tmp_path / "x.txt").write_text(f"first\n{line}\n")
    told = inkov("read", ".", "-f", "json")
    assert ('"format": "dialect t"' in told.out) == is_known, told.out
    assert ("no dialect knows it" in told.err) != is_known, told.err


# Half of it by hand: what grows faster than its input does so as well.
LONG = cases("LONG", 100_000, least=50_000)


@pytest.mark.parametrize(
    "text",
    [
        "pot " + "1," * LONG,
        "x " * 4 * LONG,
        "pot 1\n" + "  carry " + ",".join(["1-9"] * LONG),
        "[" * LONG,
        "y" * 3_000_000,
        "\n".join(" " * n + "pot 1" for n in range(LONG // 50)),
    ],
    ids=["ports", "words", "ranges", "brackets", "line", "depth"],
)
def test_no_text_makes_it_hang(text: str) -> None:
    """Not a timing: what grows faster than its input would not come back at all."""
    began = time.monotonic()
    for tables in (INDENTED, BRACED, FLAT):
        part_of(tables, text)
    assert time.monotonic() - began < 100


def test_no_dialect_makes_it_hang() -> None:
    many = "".join(f'"{"[a] " * 6} {{w{n}:word}} {{number}} b{n}" = ""\n' for n in range(40))
    hostile = "[text]\nabbreviated = true\n[device.says]\n" + many
    part_of(hostile, "a " * 2000 + "\n" + "a a a a a a x 1 b39\n" * 2000)
    with pytest.raises(BadDialect, match="64 variants"):
        dialect('[device.says]\n"' + "[a] " * 7 + '" = ""\n')
    nested = '[text]\nshape = "flat"\n[group.g]\nopens = ["a"]\nwithin = ["device", "group.g"]\n'
    assert len(part_of(nested, "a " * 5000).problems) == 1


WORDS = [
    "pot",
    "1",
    "1-3",
    "grow",
    "carry",
    "10,20",
    "\n",
    "\n  ",
    "\t",
    '"',
    "{",
    "}",
    ";",
    "%",
    "é",
    "also",
]


@given(st.lists(st.sampled_from(WORDS), max_size=40))
def test_any_text_is_read_without_a_fault_of_ours(words: list[str]) -> None:
    text = " ".join(words)
    for tables in (INDENTED, BRACED, FLAT):
        unmatched = reading_of(tables, text).ledger.unmatched
        assert all(line.origin.line <= text.count("\n") + 1 for line in unmatched)


def everything() -> str:
    """A dialect whose statements are the keys of a sheet, one form for each."""
    says = "".join(
        f'"{key.replace(" ", "-")} {{text}}" = "{key} = {{text}}"\n' for key in PORT_KEYS
    )
    tables = (
        '[lists]\nranges = [".."]\n[text]\nshape = "indented"\n[device.says]\n"switch {name}" ='
        ' "name = {name}"\n'
    )
    tables += (
        '[vlan]\nopens = ["vlan {vid}"]\n[vlan.says]\n"holds {vids}" = "secondaries = {vids}"\n'
    )
    tables += "".join(f'"{word}" = "private = {word}"\n' for word in Private)
    tables += (
        '"active" = "state = active"\n"suspended" = "state = suspended"\n"named {name}" = "name ='
        ' {name}"\n'
    )
    for kind in ("port", "bundle", "sub"):
        tables += f'[{kind}]\nopens = ["{kind} {{port}}"]\n[{kind}.says]\n{says}'
    tables += (
        '[bridge]\nopens = ["bridge {name}"]\n[bridge.says]\n"ports {ports}" = "ports + {ports}"\n'
    )
    return tables.replace(
        "[bundle.says]\n",
        '[bundle.says]\n"members {ports}" = "on ports {ports}: bundle = {port}"\n',
    )


def as_text(device: Device) -> str:
    """A device in that dialect, by way of its sheet."""
    out = [f"switch {device.name}"]
    for vlan in (device.vlans or {}).values():
        out += [f"vlan {vlan.vid}"]
        out += [f"  named {vlan.name.value}"] if vlan.name else []
        out += ["  active" if vlan.active.value else "  suspended"] if vlan.active else []
        out += [f"  {vlan.private.value}"] if vlan.private else []
        out += (
            [f"  holds {vlan.secondaries.value}"]
            if vlan.secondaries and vlan.secondaries.value
            else []
        )
    section = ""
    for line in write_sheet(device).splitlines()[2:]:
        key, _, value = line.partition(": ")
        if line.startswith("["):
            section = line[1:-1].partition(" ")[0]
            out += [line[1:-1]] if section in ("port", "bundle", "sub", "bridge") else []
        elif line and section in ("port", "bundle", "sub", "bridge"):
            out.append(f"  {key.replace(' ', '-')} {value}")
    return "\n".join(out) + "\n"


def test_a_text_forwards_as_the_sheet_that_says_the_same(tmp_path: Path) -> None:
    """On random campuses, at both levels: every key of a port, VLANs, bundles and bridges, said in
    a dialect.
    """
    (tmp_path / "t.toml").write_text('dialect = "t"\nfiles = ["*.txt"]\n' + everything())
    for seed in range(40):
        campus = random_campus(random.Random(seed), 4)
        for device in campus.devices.values():
            device.gateways.clear()
            (tmp_path / f"{device.name}.txt").write_text(as_text(device))
        found = load([str(tmp_path)]).campus
        assert not found.problems and list(found.devices) == list(campus.devices), found.problems
        found.cables, found.hosts = campus.cables, campus.hosts
        for level in (Level.HONEST, Level.HOSTILE):
            assert listeners(found, level) == listeners(campus, level), seed
        for file in tmp_path.glob("*.txt"):
            file.unlink()


def test_a_close_word_ends_one_block_wherever_it_stands() -> None:
    tables = '[text]\nclose = ["done"]\n[group.shed]\nopens = ["shed {word}"]\n' + INDENTED.replace(
        "[port]\n", '[port]\nwithin = ["device", "group.shed"]\n'
    )
    texts = (
        "shed a\n  pot 1\n    grow 10\n    done\n  pot 2\n    grow 20\n",
        "shed a\n  pot 1\n    grow 10\n  done\n  pot 2\n    grow 20\ndone\n",
    )
    one, other = (sheet_of(tables, text) for text in texts)
    assert one == other and "[port 2]\nmode: access\nvlan: 20" in one


def test_what_a_negated_statement_leaves_out_is_said() -> None:
    tables = '[text]\nnegation = ["un"]\n[vlan]\nopens = ["plot {vid}"]\n[vlan.says]\n'
    tables += '"bare on {ports}" = "on ports {ports}: untagged + {vid}"\n'
    part = part_of(tables, "plot 10\n  bare on 1-2\n  un bare on 2\n  un bare on\n")
    assert [(p.origin.line, p.says) for p in part.problems] == [
        (4, "the negated statement leaves out what it is about")
    ]
    assert "[port 2]\nuntagged: none" in write_sheet(part.devices[0])


def test_the_last_name_of_a_vlan_counts() -> None:
    tables = '[device.says]\n"plot {vlan} named {name}" = "on vlan {vlan}: name = {name}"\n'
    tables += '"pot {port} {vlan}" = "on port {port}: vlan = {vlan}"\n'
    assert "[port 1]\nvlan: 20" in sheet_of(
        tables, "plot 10 named a\nplot 10 named b\nplot 20 named a\npot 1 a\n"
    )


def test_wrong_names_and_empty_folders(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "empty").mkdir()
    (tmp_path / "bad").mkdir()
    (tmp_path / "bad" / "t.toml").write_text('dialect = "t"\nfiles = ["x"]\n[text]\nshap = 1\n')
    (tmp_path / "bad" / "box.txt").write_text("shed password hunter2\n")
    for command in ("new", "unmatched", "check"):
        missing = inkov("dialect", command, "emptyy")
        assert (
            missing.status == 2
            and "emptyy: no such file or folder; did you mean empty?" in missing.err
        )
        assert inkov("dialect", command, "empty").status == 2
    said = inkov("dialect", "unmatched", "bad")
    assert said.status == 2 and "unknown field `shap`" in said.err and "password ..." in said.out
    everything = inkov("read", "bad", "--as", "sheet=*.txt")
    assert "hunter2" not in everything.out + everything.err and everything.status == 2
    walk = inkov("read", "bad/box.txt", "--as", "walk=*.txt")
    assert "no line here is an object of a walk" in walk.err


def test_a_line_may_go_on_and_tabs_indent() -> None:
    tables = '[text]\ncontinued = "\\\\"\n' + INDENTED
    assert "allowed: 10,20-21" in sheet_of(
        tables, "pot 1\n\tcarry 10,\\\n 20-21\n\tlabel x\npot 2\n"
    )
    # A tab reaches to the eighth column.
    assert "[port 1]\nmode: access\nvlan: 10" in sheet_of(tables, "    pot 1\n\tgrow 10\n")


@pytest.mark.parametrize(
    ("text", "line", "says"),
    [
        ("#" * 2**20, 0, "too large to be a dialect: 1 MB, 1 MB are read at most"),
        ("x = " + "9" * 20_000, 2, "not TOML: a number of thousands of digits"),
        ("x = " + "[" * 20_000, 0, "not TOML: nested too deeply"),
        (f'[device.says]\n"a {"[" * 5000}" = "name = a"', 3, "nested too deeply: write several"),
        (f'[device.says]\n"{"[a] " * 40}b" = "name = b"', 3, "a form may have 64 words and 64"),
    ],
    ids=["size", "number", "list", "form", "variants"],
)
def test_a_dialect_that_would_blow_up_is_refused(text: str, line: int, says: str) -> None:
    with pytest.raises(BadDialect) as bad:
        compile_dialect("d.toml", f'dialect = "d"\n{text}\n'.encode())
    problem = bad.value.problems[-1]
    assert problem.origin.line == line and says in problem.says


def test_the_demo_s_other_languages_come_to_what_their_texts_say(inkov: Inkov) -> None:
    """A boathouse whose piers take tides over, and a jetty whose berths are rows of a table."""
    shown = inkov("ports", DEMO / "languages", "-f", "json").json["ports"]
    told = {
        (row["switch"], row["port"]): "off"
        if row["state"] != "on"
        else (row["untagged"] or "none", row["tagged"] or "none")
        for row in shown
    }
    boathouse = {
        **dict.fromkeys((1, 2), ("90", "none")),
        **dict.fromkeys((3, 4), ("20", "none")),
        **dict.fromkeys((6, 7, 8), ("70", "none")),
        **dict.fromkeys((5, 9, 10, 11), "off"),
        12: ("none", "20,90"),
    }
    jetty = {
        1: ("20", "none"),
        **dict.fromkeys((2, 3, 4), ("60", "none")),
        5: ("90", "none"),
        6: ("90", "none"),
        7: ("1", "none"),
        8: ("none", "20,60,90"),
    }
    assert told == {
        **{("boathouse-1", str(port)): does for port, does in boathouse.items()},
        **{("jetty-1", str(port)): does for port, does in jetty.items()},
    }
    assert inkov("read", DEMO / "languages", "--strict").status == 0


def test_of_two_dialects_with_one_name_the_second_is_left_out(inkov: Inkov, tmp_path: Path) -> None:
    """Whichever file comes first by name is used; that the other is not is a file lost."""
    (tmp_path / "pond.sheet").write_text("inkov sheet 1\nswitch: pond\n[port 1]\nvlan: 10\n")
    for name in ("a", "b"):
        (tmp_path / f"{name}.toml").write_text('dialect = "arbour"\nfiles = ["*.txt"]\n')
    result = inkov("vlans", ".")
    assert result.status == 2 and "pond" in inkov("ports", ".").out
    says = "./b.toml: a second dialect called 'arbour', beside ./a.toml: not used"
    assert result.err == f"inkov: {says} (give it another name)\n"
    assert "./b.toml,a dialect,,,,,not used" in inkov("read", ".", "-f", "csv").out.splitlines()


def test_what_can_be_written_is_told_of_examples_that_hold(inkov: Inkov, tmp_path: Path) -> None:
    example = '[[example]]\ntext = """\nbox example\npot 1\n    grow {}\n"""\n'
    example += 'gives = """\n[port 1]\nmode: access\nvlan: 10\n"""\n'
    tables = 'dialect = "m"\nfiles = ["*.txt"]\n[device.says]\n"box {name}" = "name = {name}"\n'
    tables += '[port]\nopens = ["pot {ports}"]\n[port.says]\n'
    tables += '"grow {vid}" = "mode = access; vlan = {vid}"\n'
    for vid, examples, told in ((10, True, True), (20, True, False), (10, False, False)):
        (tmp_path / "m.toml").write_text(tables + example.format(vid) * examples)
        checked = inkov("dialect", "check", "m.toml")
        said = checked.out + checked.err
        assert ("can be written" in said) is told
        assert checked.status == (1 if vid == 20 else 0)


def test_a_byte_that_is_no_text_is_placed(inkov: Inkov, tmp_path: Path) -> None:
    tables = 'dialect = "m"\nfiles = ["*.txt"]\n[device.says]\n"box {name}" = "name = {name}"\n'
    (tmp_path / "m.toml").write_text(tables)
    (tmp_path / "a.txt").write_bytes(b"\n\nbox a\nremark " + "grün".encode("latin-1") + b"\n")
    assert "a.txt:4: byte 0xfc is not UTF-8" in inkov("read", ".").err
