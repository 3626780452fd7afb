"""What statements of richer languages say: sentences with an end mark, parts in any order, words
before items, corrections, conditions, ranges over units, costs for some VLANs, filters. What must
come out follows from the sentences.
"""

from __future__ import annotations

from ipaddress import ip_network
from pathlib import Path
from textwrap import dedent

import pytest

from inkov.readers.dialects import BadDialect
from inkov.vlanset import VlanSet
from tests.conftest import Inkov
from tests.readers.test_dialects import dialect, part_of, reading_of, sheet_of

CREEK = """
[text]
shape = "flat"
statement-end = "."
[lists]
separators = [",", "and"]
item-words = ["bank", "pool"]
[vlan-table]
always = "1"
[device.says]
"Creek {name}" = "name = {name}"
"Pool {vid} is called {name}" = "on vlan {vid}: name = {name}"
"Bank {ports} (lie|lies) in pool {vid}" = "on ports {ports}: mode = access; vlan = {vid}"
"Bank {ports} carries {vids}" = "on ports {ports}: mode = trunk; allowed = {vids}"
"Bank {ports} does not lie in pool {vid} after all" = "on ports {ports}: vlan - {vid}"
"Bank {ports} begins anew" = "on ports {ports}: is bare"
"Bank {ports} (rests & is called {name} & pours {number})" = "on ports {ports}: about = {name}; \
state = off; mtu = {number}"
"""


def test_sentences_end_at_their_mark_wherever_it_stands() -> None:
    text = """
    Creek north.
    Pool 10 is called reeds. Pool 20 is
      called "duck. pond".
    Bank 1, bank 2 and bank 3 lie in pool 10. Bank 4 carries pool 10, pool 20.

    Bank 2 does not lie in pool 10 after all.  Bank 1 does not lie in pool 20 after all.
    Bank 3 begins anew. Bank 5 pours 1500 rests is called dock. Bank 6 is called
    pier pours 9000 rests.
    """
    assert (
        sheet_of(CREEK, text).split()
        == dedent("""
        [vlans]
        1:
        10: reeds
        20: duck. pond

        [port 1]
        mode: access
        vlan: 10

        [port 2]
        mode: access

        [port 3]

        [port 4]
        mode: trunk
        allowed: 10,20

        [port 5]
        about: dock
        state: off
        mtu: 1500

        [port 6]
        about: pier
        state: off
        mtu: 9000
    """).split()
    )


def test_a_sentence_that_lacks_its_mark_is_not_understood() -> None:
    """It runs into the next one: neither is read, and both are said."""
    reading = reading_of(CREEK, "Creek north.\nBank 1 lies in pool 10\nBank 2 lies in pool 20.\n")
    assert reading.part.devices[0].ports == {}
    assert [(one.origin.line, one.text) for one in reading.ledger.unmatched] == [
        (2, "Bank 1 lies in pool 10 Bank 2 lies in pool 20")
    ]


@pytest.mark.parametrize("order", ["rests is called dock pours 9", "pours 9 rests is called dock"])
def test_parts_in_any_order_are_all_there(order: str) -> None:
    [device] = part_of(CREEK, f"Bank 5 {order}.").devices
    port = device.ports["5"]
    assert port.description and port.description.value == "dock"
    assert port.enabled and port.enabled.value is False and port.mtu and port.mtu.value == 9
    # One of them alone is another sentence.
    assert reading_of(CREEK, "Bank 5 rests.").ledger.unmatched


UNITS = """
[lists]
ports-per-unit = 4
[port]
opens = ["bank {ports}"]
"""


@pytest.mark.parametrize(
    ("words", "ports"),
    [
        ("1/3-2/2", ["1/3", "1/4", "2/1", "2/2"]),
        ("1/0/4-3/0/1", ["1/0/4", *(f"2/0/{n}" for n in range(1, 5)), "3/0/1"]),
        ("1/2-1/3", ["1/2", "1/3"]),
        ("1/3-2/5", []),  # there is no 2/5
        ("1/5-2/1", []),
        ("2/1-1/2", []),  # backwards
        ("1/0/4-2/1/1", []),  # two things change at once
        ("1/1-9999/4", []),  # more ports than any switch has
    ],
)
def test_ranges_over_units_of_known_size(words: str, ports: list[str]) -> None:
    reading = reading_of(UNITS, f"bank {words}\n")
    assert list(reading.part.devices[0].ports) == ports
    assert bool(reading.ledger.unmatched) == (not ports)


DIKE = """
[text]
negation = ["never"]
[lists]
every = ["everywhere"]
[device.says]
"{ports} keeps {vid}" = "on ports {ports}: when 'open; water': native = {vid}"
[port]
opens = ["dike {ports}"]
[port.says]
"open; water" = ""
"takes {vids}" = "when 'open; water': mode = trunk; allowed = {vids}; unless 'open; water': mode = \
general; tagged = none; untagged + {vids}"
"""


def test_what_is_said_under_a_condition() -> None:
    """The other statement may stand before or behind, in another block of the port, or be undone;
    a condition on all ports finds those that it is about.
    """
    text = """
    dike 1
        open; water
        takes 10, 20
    dike 2, 3
        takes 30
        open; water
    dike 3
        never open; water
    everywhere keeps 99
    dike 4
        takes 40
    """
    [device] = part_of(DIKE, text).devices
    shown = {
        name: (
            port.mode and port.mode.value.value,
            port.allowed and str(port.allowed.value),
            port.native_vlan and port.native_vlan.value,
            port.untagged and str(port.untagged.value),
        )
        for name, port in device.ports.items()
    }
    assert shown == {
        "1": ("trunk", "10,20", 99, None),
        "2": ("trunk", "30", 99, None),
        "3": ("general", None, None, "30"),
        "4": ("general", None, None, "40"),
    }


def test_a_condition_may_say_something_itself() -> None:
    text = DIKE.replace('"open; water" = ""', '"open; water" = "about = wet"')
    [device] = part_of(text, "dike 1\n  open; water\n  takes 10\ndike 2\n  takes 10\n").devices
    about = {
        name: port.description and port.description.value for name, port in device.ports.items()
    }
    assert about == {"1": "wet", "2": None}


def test_what_is_taken_back_is_no_condition_any_more() -> None:
    [device] = part_of(
        DIKE.replace('"open; water" = ""', '"open; water" = ""\n"wipe" = "is bare"'),
        "dike 1\n  open; water\n  wipe\n  takes 10\ndike 2\n  wipe\n  open; water\n  takes 10\n",
    ).devices
    modes = {name: port.mode and port.mode.value.value for name, port in device.ports.items()}
    assert modes == {"1": "general", "2": "trunk"}


def test_words_before_items_alone_are_no_list() -> None:
    """`bank` without a number names no port: neither the line nor its block is understood."""
    tables = '[lists]\nitem-words = ["bank"]\n[port]\nopens = ["at {ports}"]\n[port.says]\n"off" = \
"state = off"\n'
    reading = reading_of(tables, "at bank\n  off\nat bank 1, bank 2\n  off\n")
    assert list(reading.part.devices[0].ports) == ["1", "2"]
    assert [one.origin.line for one in reading.ledger.unmatched] == [1, 2]


TREES = """
[port]
opens = ["bank {ports}"]
[port.says]
"steep {number}" = "tree cost = {number}"
"steep {number} in {vids}" = "on tree {vids}: cost = {ports} {number}"
"""


def test_costs_for_some_vlans() -> None:
    [device] = part_of(
        TREES, "bank 1, 2\n  steep 7\n  steep 90 in 10,20\nbank 3\n  steep 5 in 10,20\n"
    ).devices
    costs = {
        tree.vlans: {port: fact.value for port, fact in tree.costs.items()} for tree in device.trees
    }
    assert costs == {
        VlanSet.all(): {"1": 7, "2": 7},
        VlanSet.parse("10,20"): {"1": 90, "2": 90, "3": 5},
    }


SIEVES = """
[vlan]
opens = ["pool {vid}"]
[filter]
opens = { "sieve {name}" = "{name}; entry + 1000: reject from any to any" }
[filter.says]
"pass {a:address} to {b:address}" = "entry + accept from {a} to {b}"
"{number} stop all to {b:address}" = "entry + {number}: reject from any to {b}"
"{number} pass all to {b:address}" = "entry + {number}: accept from any to {b}"
[gateway]
opens = ["spring {vid}"]
[gateway.says]
"pours {address}" = "address = {address}"
"sieved by {name}" = "filter in + {name}"
[port]
opens = ["bank {ports}"]
[port.says]
"lies {vid}" = "mode = access; vlan = {vid}"
"""
TWO_POOLS = """
pool 10
pool 20
bank 1
  lies 10
bank 2
  lies 20
spring 10
  pours 10.1.0.1/24
  sieved by reeds
spring 20
  pours 10.2.0.1/24
sieve reeds
  pass 10.1.0.0/24 to 10.9.0.0/24
"""


def test_filters_are_read_entry_by_entry() -> None:
    [device] = part_of(SIEVES, TWO_POOLS + "  5 stop all to 10.2.0.0/24\n").devices
    assert [fact.value for fact in device.gateways[0].filters_in] == ["reeds"]
    entries = device.filters["reeds"].entries
    nine, two = ip_network("10.9.0.0/24"), ip_network("10.2.0.0/24")
    assert [(one.number, one.accepts, one.source, one.destination) for one in entries] == [
        (5, False, None, two),
        (1000, False, None, None),
        (1001, True, ip_network("10.1.0.0/24"), nine),
    ]


@pytest.mark.parametrize(
    ("line", "verdict"),
    [
        ("", "holds"),
        ("  pass most things\n", "broken"),
        # Of two with one number, does the second replace the first, or is it refused?
        ("  5 stop all to 10.2.0.0/24\n  5 stop all to 10.2.0.0/24\n", "holds"),
        ("  5 stop all to 10.2.0.0/24\n  5 pass all to 10.2.0.0/24\n", "broken"),
        ("  5 stop all to 10.2.0.0/24\n  6 pass all to 10.2.0.0/24\n", "holds"),
        ("  pass 10.1.0.0/24 to nowhere\n", "broken"),
    ],
)
def test_a_filter_that_is_not_understood_as_a_whole_stops_nothing(
    line: str, verdict: str, inkov: Inkov, tmp_path: Path
) -> None:
    """What the line lets pass nobody knows: the others stop all, and it may undo that."""
    (tmp_path / "t.toml").write_text('dialect = "t"\nfiles = ["*.txt"]\n' + SIEVES)
    text = TWO_POOLS.replace("sieve reeds\n", f"sieve reeds\n{line}")
    (tmp_path / "box.txt").write_text(text)
    (tmp_path / "plan.yaml").write_text("claims:\n  - {not-reach: [vlan 10, vlan 20], layer: 3}\n")
    judged = inkov("prove", ".", "-f", "json")
    assert [claim["verdict"] for claim in judged.json["claims"]][:1] == [verdict], judged.out


@pytest.mark.parametrize(
    ("tables", "says"),
    [
        (
            '[port]\nopens = ["b {ports}"]\n[port.says]\n"x" = "when \'y\': state = off"',
            "no form here",
        ),
        (
            '[vlan]\nopens = ["b {vid}"]\n[vlan.says]\n"x" = "when \'x\': state = active"',
            "only what",
        ),
        ('[vlan]\nopens = ["b {vid}"]\n[vlan.says]\n"x" = "is bare"', "only a port can be bare"),
        ("[lists]\nports-per-unit = 5000", "1000 ports at most"),
        ('[device.says]\n"(a & b & c & d & e)" = ""', "more than 4 parts"),
        ('[text]\nstatement-end = "."\n[device.says]\n"a b." = ""', "ends a statement"),
    ],
)
def test_faults_in_these_are_said(tables: str, says: str) -> None:
    with pytest.raises(BadDialect) as bad:
        dialect(tables)
    assert any(says in problem.says for problem in bad.value.problems), bad.value.problems


UNDONE = SIEVES.replace("[vlan]\n", '[text]\nnegation = ["no"]\n[vlan]\n', 1).replace(
    "[gateway]\n",
    '"only {a:address} to {b:address}" = "entry = accept from {a} to {b}"\n[gateway]\n',
)
KEEPS = (1001, True, "10.9.0.0/24")
ALL = (1000, False, None)


@pytest.mark.parametrize(
    ("lines", "entries"),
    [
        ("", [ALL, KEEPS]),
        ("  5 stop all to 10.2.0.0/24\n", [(5, False, "10.2.0.0/24"), ALL, KEEPS]),
        # The same entry taken back, wherever it stands; another one is not there.
        ("  no pass 10.1.0.0/24 to 10.9.0.0/24\n", [ALL]),
        ("  no pass 10.1.0.0/24 to 10.8.0.0/24\n", [ALL, KEEPS]),
        ("  5 stop all to 10.2.0.0/24\n  no 7 stop all to 10.2.0.0/24\n", [ALL, KEEPS]),
        ("  only 10.1.0.0/24 to 10.7.0.0/24\n", [(1, True, "10.7.0.0/24")]),
        ("  no only 10.1.0.0/24 to 10.7.0.0/24\n", []),
        ("no sieve reeds\n", None),
        # What cannot be an entry may let anything pass: it stands before all others.
        ("  pass 10.1.0.0/33 to 10.9.0.0/24\n", [(0, True, None), ALL, KEEPS]),
        ("  pass 10.1.0.5/24 to 10.9.0.0/24\n", [(0, True, None), ALL, KEEPS]),
    ],
)
def test_filters_that_are_changed_and_taken_back(
    lines: str, entries: list[tuple[int, bool, str | None]] | None
) -> None:
    [device] = part_of(UNDONE, TWO_POOLS + lines).devices
    if entries is None:
        assert device.filters == {}
        return
    told = [
        (one.number, one.accepts, str(one.destination) if one.destination else None)
        for one in device.filters["reeds"].entries
    ]
    assert told == entries


PENS = """
[vlan]
opens = ["pool {vid}"]
[vlan.says]
"fences {vids}" = "private = primary; secondaries = {vids}"
"is a pen" = "private = isolated"
"pens {ports}" = "on ports {ports}: mode = private host; secondary = {vid}"
"""


def test_hosts_of_a_private_vlan_by_membership() -> None:
    """The block of the secondary VLAN lists its hosts; the block of the primary says whose it is.
    Where two primaries claim it, nobody knows.
    """
    text = "pool 101\n  is a pen\n  pens 1, 2\npool 100\n  fences 101\n"
    [device] = part_of(PENS, text).devices
    told = {name: (port.primary and port.primary.value) for name, port in device.ports.items()}
    assert told == {"1": 100, "2": 100}
    [device] = part_of(PENS, text + "pool 200\n  fences 101\n").devices
    assert all(port.primary is None for port in device.ports.values())


@pytest.mark.parametrize(
    ("text", "doubtful"),
    [
        ("pool 1 named deep\npool 2 named deep\npool 3 named deep\n", True),
        ("pool 1 named deep\npool 2 named flat\npool 3 named wide\n", False),
        ("pool 1 named deep;\n", True),
    ],
)
def test_names_of_vlans_that_may_be_another_word(
    text: str, doubtful: bool, inkov: Inkov, tmp_path: Path
) -> None:
    (tmp_path / "t.toml").write_text(
        'dialect = "t"\nfiles = ["*.txt"]\n[device.says]\n'
        '"pool {vid} named {name}" = "on vlan {vid}: name = {name}"\n'
    )
    (tmp_path / "box.txt").write_text(text)
    checked = inkov("dialect", "check", "t.toml", "box.txt")
    assert ("is that the name?" in checked.out) == doubtful, checked.out
    assert checked.status == doubtful


def test_marks_of_forms_behind_a_backslash_stand_for_themselves() -> None:
    tables = r"""
    [port]
    opens = ["bank {ports}"]
    [port.says]
    '\( lies {vid} \)' = "mode = access; vlan = {vid}"
    'rests \| sleeps' = "state = off"
    'about\{{number}\}' = "mtu = {number}"
    '(a \& b & c)' = "protected = yes"
    """
    text = "bank 1\n ( lies 10 )\nbank 2\n rests | sleeps\nbank 3\n about{9}\nbank 4\n c a & b\n"
    shown = sheet_of(dedent(tables), text).split("\n\n")
    assert [block.split("\n")[1] for block in shown if block.strip()] == [
        "mode: access",
        "state: off",
        "mtu: 9",
        "protected: yes",
    ]
    # Without it they are marks: another line.
    assert reading_of(dedent(tables), "bank 1\n lies 10\n").ledger.unmatched


def test_a_statement_that_needs_what_its_head_does_not_say_is_not_understood() -> None:
    """A block with two heads, of which one has a number and the other a name."""
    tables = """
    [vlan]
    opens = ["pool {vid}", "basin {vlan}"]
    [vlan.says]
    "holds {ports}" = "on ports {ports}: tagged + {vid}"
    """
    reading = reading_of(dedent(tables), "pool 10\n  holds 1\nbasin 20\n  holds 2\n")
    assert [one.origin.line for one in reading.ledger.unmatched] == [4]
    assert list(reading.part.devices[0].ports) == ["1"]


def test_a_kind_of_port_without_its_number_is_no_port() -> None:
    tables = """
    [lists]
    port-kinds = ["bed", "vine"]
    [device.says]
    "shut {port}" = "on port {port}: state = off"
    """
    reading = reading_of(dedent(tables), "shut bed\nshut vine 2\nshut bed moss\n")
    assert list(reading.part.devices[0].ports) == ["vine 2"]
    assert [one.origin.line for one in reading.ledger.unmatched] == [1, 3]


TAKEN_BACK = """
[text]
negation = ["no"]
[vlan]
opens = ["pool {vid}"]
[vlan.says]
"called {name}" = "name = {name}"
"asleep" = "state = suspended"
"is a pen" = "private = isolated"
"fences {vids}" = "private = primary; secondaries = {vids}"
[port]
opens = ["bank {ports}"]
[port.says]
"lies {vid}" = "vlan = {vid}"
"spans {vids}" = "allowed = {vids}"
"also {vids}" = "allowed + {vids}"
"hums {vid}" = "voice = {vid}"
"shut" = "state = off"
"rough" = "edge = yes"
"steep {n:number}" = "tree cost = {n}"
"early {n:number}" = "tree priority = {n}"
"leads to {name} {far:port}" = "neighbour = {name}:{far}"
"yard {word}" = "bridge = {word}"
"pours {address}" = "mode = routed; address + {address}"
"sieved by {name}" = "filter in + {name}"
[gateway]
opens = ["spring {vid}"]
[gateway.says]
"pours {address}" = "address = {address}"
"also pours {address}" = "address + {address}"
"dry" = "state = off"
"grove {word}" = "vrf = {word}"
"sieved by {name}" = "filter in + {name}"
"strained by {name}" = "filter out + {name}"
[bridge]
opens = ["fen {word}"]
[bridge.says]
"with {ports}" = "ports + {ports}"
[tree]
opens = ["oak {vids}"]
[tree.says]
"heavy {n:number}" = "priority = {n}"
"steep {ports} {n:number}" = "cost = {ports} {n}"
[device.says]
"oaks quick" = "tree mode = rstp"
"acre {word}" = "tree region = {word}"
"edition {n:number}" = "tree revision = {n}"
"yard {word} with {ports}" = "on bridge {word}: ports + {ports}"
"""


@pytest.mark.parametrize(
    ("head", "line"),
    [
        *(("pool 10", line) for line in ("called ferns", "asleep", "is a pen", "fences 20,30")),
        *(
            ("bank 1", line)
            for line in (
                *("lies 10", "spans 10,20", "hums 20", "shut", "rough", "steep 7", "early 16"),
                *("leads to south 7", "yard back", "sieved by reeds"),
            )
        ),
        ("bank 1\n  spans 10,20", "also 30"),
        *(
            ("spring 10", line)
            for line in (
                *("pours 10.1.0.1/24", "also pours 10.2.0.1/24", "dry", "grove green"),
                *("sieved by reeds", "strained by reeds"),
            )
        ),
        ("oak 10", "heavy 4096"),
        *(("", line) for line in ("oaks quick", "acre north", "edition 7", "yard back with 5-6")),
        *(("", head) for head in ("pool 10", "bank 1", "spring 10", "oak 10", "fen low")),
    ],
)
def test_what_is_taken_back_was_never_said(head: str, line: str) -> None:
    """A statement and its negation come to what they come to without both. A block that is taken
    back takes along what stood in it.
    """
    before = "pool 20\n  called beds\nbank 9\n  lies 20\n"
    indent = "  " if head else ""
    within = {"pool 10": "  called ferns\n", "bank 1": "  lies 20\n", "spring 10": "  dry\n"} | {
        "fen low": "  with 5-6\n"
    }
    said = f"{indent}{line}\n" + (within.get(line, "") if not head else "")
    opened = f"{head}\n" if head else ""

    def read(text: str) -> tuple[list[str], list[tuple[str, str, str]]]:
        """Its sheet, without ports that are named and say nothing; and the neighbours."""
        heard = part_of(TAKEN_BACK, text).neighbours
        sections = [section.strip() for section in sheet_of(TAKEN_BACK, text).split("\n\n")]
        saying = [s for s in sections if "\n" in s or not s.startswith("[port")]
        return saying, [(one.port, one.far_device, one.far_port) for one in heard]

    taken = read(f"{before}{opened}{said}{indent}no {line}\n")
    assert taken == read(before + opened)
    assert read(f"{before}{opened}{said}") != taken


def test_what_stands_below_a_head_that_is_taken_back_counts_for_nothing() -> None:
    """It is about what is gone: it says nothing, and nothing of it is left over."""
    text = "pool 10\nbank 1\n  lies 10\nno bank 1\n  shut\n  lies 20\nbank 9\n  lies 10\n"
    reading = reading_of(TAKEN_BACK, text)
    [device] = reading.part.devices
    assert reading.ledger.unmatched == [] and list(device.ports) == ["9"]


def test_a_range_over_units_needs_to_know_how_many_ports_they_have() -> None:
    tables = UNITS.replace("ports-per-unit = 4\n", "")
    assert reading_of(tables, "bank 1/1-2/2\n").ledger.unmatched
    assert not part_of(tables, "bank 1/1-2/2\n").devices[0].ports


BRANCHES = """
[device.says]
"branch {n:number} first for {number}" = "on tree number {n}: priority = {number}"
[port]
opens = ["bank {ports}"]
[port.says]
"steep {c:number} on branch {n:number}" = "on tree number {n}: cost = {ports} {c}"
[tree]
opens = ["branch {n:number}"]
[tree.says]
"bears {vids}" = "vlans = {vids}"
"bears also {vids}" = "vlans + {vids}"
"bears no more {vids}" = "vlans - {vids}"
"weighs {number}" = "priority = {number}"
"""


def test_trees_by_their_numbers() -> None:
    """The VLANs of a tree are said in its block, before or behind all else that is said of it by
    its number; 0 is the common tree. A VLAN is in the tree that got it last.
    """
    text = """
    bank 1
      steep 200 on branch 7
      steep 9 on branch 0
    branch 7
      weighs 4096
      bears 10-12
      bears also 40
      bears no more 11
    branch 8
      bears 20, 40
      weighs 8192
    branch 9 first for 16384
    branch 0 first for 32768
    """
    [device] = part_of(BRANCHES, text).devices
    trees = {
        tree.number: (str(tree.vlans), tree.priority and tree.priority.value, len(tree.costs))
        for tree in device.trees
    }
    assert trees == {
        7: ("10,12", 4096, 1),
        0: ("all", 32768, 1),
        8: ("20,40", 8192, 0),
        9: ("none", 16384, 0),
    }


def test_a_tree_that_its_vlans_name_keeps_its_name() -> None:
    tables = BRANCHES.replace('branch {n:number}"]', 'branch of {vids}"]')
    text = "branch of 10\n  bears also 20\n  weighs 4096\nbranch of 10\n  bears also 30\n"
    [tree] = part_of(tables, text).devices[0].trees
    assert str(tree.vlans) == "10,20,30" and tree.priority is not None


def test_a_number_that_may_be_a_vlan_s_or_a_tree_s_names_none() -> None:
    with pytest.raises(BadDialect, match="number"):
        dialect(BRANCHES.replace("on tree number {n}: cost", "on tree {n}: cost"))
