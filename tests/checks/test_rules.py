"""Each rule on a small campus that fails it, and on the nearest one that does not."""

from __future__ import annotations

import ast
import inspect
import json
import re
from pathlib import Path
from string import Formatter
from typing import Any

import pytest

from inkov.checks import CATALOGUE, Finding, audit
from tests.conftest import Inkov, fabric_of

VLANS = "[vlans]\n10: climate\n20: irrigation\n99: nobody\n"
UP = "[port 1]\nmode: trunk\nnative: 99\nallowed: 10,20,99\n"
HOSTS = "[port 11]\nvlan: 10\n[port 12]\nvlan: 20\n"
LINKED_A = "switch: a\n" + VLANS + UP + HOSTS + "[neighbours]\n1: b:1\n"
LINKED_B = "switch: b\n" + VLANS + UP + HOSTS + "[neighbours]\n1: a:1\n"
GENERAL = "[port {}]\nmode: general\npvid: {}\ntagged: {}\nuntagged: {}\ningress filtering: on\n"
GENERAL_B = "switch: b\n" + VLANS + HOSTS + GENERAL + "[neighbours]\n1: a:1\n"


def findings(*sheets: str) -> list[Finding]:
    return audit(fabric_of(*sheets)).findings


def slugs(*sheets: str) -> list[str]:
    return sorted(finding.rule for finding in findings(*sheets))


def test_the_ground_is_clean() -> None:
    assert slugs(LINKED_A, LINKED_B) == []
    assert slugs(LINKED_A, GENERAL_B.format(1, 99, "10,20", 99)) == []


@pytest.mark.parametrize(
    ("rule", "a", "b"),
    [
        # Variants beside those of the catalogue's examples.
        ("access-vlan-undefined", LINKED_A + "[port 2]\nnegotiation: silent\nvlan: 30\n", LINKED_B),
        ("negotiation-fails", LINKED_A + "[port 1]\nnegotiation: active\nvlan: 10\n", LINKED_B),
        (
            "untagged-vlan-differs",
            LINKED_A,
            LINKED_B.replace(
                UP, GENERAL.format(1, 10, 20, 99).replace("filtering: on", "filtering: off")
            ),
        ),
        (
            "trunk-allows-everything",
            LINKED_A,
            LINKED_B.replace("allowed: 10,20,99", "allowed: all"),
        ),
        ("edge-on-link", LINKED_A + "[port 1]\nedge: yes\n[port 11..12]\nedge: yes\n", LINKED_B),
        (
            "vlan-suspended",
            LINKED_A.replace("20: irrigation", "20: irrigation; suspended"),
            LINKED_B,
        ),
        # The same by general ports, as walks and Linux tell of them.
        ("access-vlan-undefined", LINKED_A + GENERAL.format(2, 30, "none", 30), LINKED_B),
        ("port-in-default-vlan", LINKED_A + GENERAL.format(2, 1, "none", 1), LINKED_B),
        ("trunk-meets-access", LINKED_A, GENERAL_B.format(1, 10, "none", 10)),
        ("untagged-vlan-differs", LINKED_A, GENERAL_B.format(1, 20, "10,99", 20)),
        ("allowed-differs", LINKED_A, GENERAL_B.format(1, 99, "10", 99)),
        (
            "allowed-nowhere-defined",
            LINKED_A.replace("10,20,99", "10,20,77,99"),
            GENERAL_B.format(1, 99, "10,20,77", 99),
        ),
    ],
)
def test_the_mistake_is_found_once_and_nothing_else(rule: str, a: str, b: str) -> None:
    assert slugs(a, b) == [rule]


def test_a_vlan_missing_on_the_way_is_one_finding() -> None:
    """The cut hosts, the dead gateway and the native VLAN that is not there have one cause."""
    middle = (
        "switch: m\n[vlans]\n20: irrigation\n99: nobody\n[port 1..2]\nmode: trunk\nnative: 99\n"
    )
    middle += (
        "allowed: 10,20,99\n[gateway 10]\naddress: 10.0.10.1/24\n[port 5]\nvlan:"
        " 10\n[neighbours]\n1: a:1\n2: b:1\n"
    )
    a, b = LINKED_A.replace("1: b:1", "1: m:1"), LINKED_B.replace("1: a:1", "1: m:2")
    [finding] = findings(a, b, middle)
    assert finding.says == "VLAN 10 has members on a and b, but m between them does not define it"
    assert [(w.switch, w.port, w.vlan) for w in finding.where] == [
        ("m", None, 10),
        ("a", "11", 10),
        ("b", "11", 10),
    ]
    assert [c.rpartition(" ")[2] for c in finding.consequences] == [
        "(access-vlan-undefined)",
        "(gateway-down)",
    ]
    assert finding.affects.ports == 3
    around = a.replace("1: m:1", "1: m:1\n8: b:8") + UP.replace("port 1", "port 8")
    shut = middle.replace("[gateway 10]\naddress: 10.0.10.1/24\n[port 5]\nvlan: 10\n", "")
    beside = b.replace("1: m:2", "1: m:2\n8: a:8") + UP.replace("port 1", "port 8")
    # a and b talk over the other way, and this one is no spare. VLAN 1 alone is everywhere.
    for vid in ("10", "2"):
        sheets = (re.sub(r"(?<![.\d])10(?![.\d])", vid, text) for text in (around, beside, shut))
        assert slugs(*sheets) == ["vlan-on-one-way-only"]


def test_a_gateway_is_down_for_want_of_its_own_vlan() -> None:
    """The link lacks VLAN 20; VLAN 40, whose gateway is down, has nothing to do with that."""
    gateway = "[gateway 40]\naddress: 10.0.40.1/24\n"
    a = LINKED_A.replace("20: irrigation", "20: irrigation\n40: seeds") + gateway
    by_rule = {finding.rule: finding for finding in findings(a, LINKED_B.replace("10,20,", "10,"))}
    assert {"allowed-differs", "gateway-down"} <= by_rule.keys()
    assert not by_rule["allowed-differs"].consequences


def test_a_list_left_at_everything_hides_no_cut() -> None:
    everything = LINKED_A.replace("allowed: 10,20,99\n", "")
    assert slugs(everything, LINKED_B.replace("10,20,99", "20,99")) == [
        "allowed-differs",
        "trunk-allows-everything",
    ]


def test_joined_vlans_are_named_with_both_ends() -> None:
    [finding] = findings(LINKED_A, LINKED_B.replace("native: 99", "native: 20"))
    assert finding.severity == "breach"
    assert (
        finding.says
        == "VLAN 99 of a and VLAN 20 of b are joined by untagged frames between a:1 and b:1"
    )
    assert [(w.switch, w.port, w.vlan, w.origin.line) for w in finding.where] == [
        ("a", "1", 99, 9),
        ("b", "1", 20, 9),
    ]


def test_what_rests_on_a_default_says_whose() -> None:
    [finding] = findings(LINKED_A + "[port 2]\nstate: on\n", LINKED_B)
    assert finding.assumes == (
        (
            "a:2: mode not stated; IEEE 802.1Q: a port with no VLAN setting is an untagged member"
            " of one VLAN"
        ),
        "a:2: access vlan not stated; IEEE 802.1Q: the default PVID is 1",
    )


def test_a_finding_is_known_again() -> None:
    """Lines, files and other findings leave an id as it is; another mistake has another."""
    wrong = LINKED_B.replace("native: 99", "native: 20")
    [before] = findings(LINKED_A, wrong)
    more = findings(
        LINKED_A.replace("[vlans]", "# a line more\n\n[vlans]"), wrong + "[port 2]\nvlan: 66\n"
    )
    assert before.id in {f.id for f in more} and len({f.id for f in more}) == len(more) == 2


def test_two_lists_tell_what_the_second_took_away() -> None:
    [finding] = findings(
        LINKED_A.replace("allowed: 10,20,99", "allowed: 10,20,99\nallowed: 99"), LINKED_B
    )
    assert (finding.rule, finding.severity) == ("list-replaced", "fault")
    assert [w.origin.line for w in finding.where] == [
        10,
        11,
    ] and "state one list at a:1: 10,20,99" in finding.cure
    assert finding.consequences[0].startswith("b:1 allows VLAN 10,20 and a:1 does not: VLAN 10 of")


@pytest.mark.parametrize("shut", [LINKED_A.replace("mode: trunk", "state: off\nmode: trunk")])
def test_a_shut_link_has_no_other_mistake(shut: str) -> None:
    """What its ends say does not matter, but that it is the only one."""
    other = LINKED_B.replace("native: 99", "native: 20").replace("10,20,99", "20")
    assert slugs(shut, other) == ["link-shut"]


def test_the_catalogue_is_complete() -> None:
    for rule in CATALOGUE.values():
        assert rule.slug == rule.slug.lower() and " " not in rule.slug
        for text in (rule.what, rule.why, rule.cure, rule.example):
            assert (20 < len(text) < 260 and not text.endswith(".") and text[0].islower()) or text[
                0
            ] in "'V"


def test_a_port_plan_is_held_against_the_ports(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "a.sheet").write_text(
        "inkov sheet 1\nswitch: a\n[vlans]\n10: x\n[port 1..2]\nvlan: 10\n"
    )
    (tmp_path / "plan.csv").write_text(
        "switch,port,vlan,mode\na,1,10,access\na,2,20,\na,9,10,\nzz,1,10,\n"
    )
    found = inkov("audit", ".", "-f", "json").json["findings"]
    assert [(f["rule"], f["says"], [w["file"] for w in f["where"]]) for f in found] == [
        (
            "port-against-plan",
            "a port 2 has VLAN 10, and the plan says 20",
            ["./a.sheet", "./plan.csv"],
        ),
        ("port-against-plan", "the plan has a port 9 on a, which has none", ["./plan.csv"]),
        (
            "port-against-plan",
            "the port plan has a switch 'zz' that is not among the files",
            ["./plan.csv"],
        ),
    ]


def test_two_sources_of_one_switch(inkov: Inkov, tmp_path: Path) -> None:
    sheet = (
        "inkov sheet 1\nswitch: core-1\n[vlans]\n10: x\n20: y\n[port port-1]\nmode: general\npvid:"
        " 10\ntagged: 20\n"
    )
    (tmp_path / "a.sheet").write_text(sheet)
    vlans = [{"vlan-id": v, "config": {"vlan-id": v}} for v in (10, 20)]
    config = {"interface-mode": "TRUNK", "native-vlan": 10, "trunk-vlans": [10, 20]}
    tree = {
        "system": {"config": {"hostname": "core-1"}},
        "interfaces": {
            "interface": [{"name": "Port-01", "ethernet": {"switched-vlan": {"config": config}}}]
        },
        "vlans": {"vlan": vlans},
    }
    (tmp_path / "b.json").write_text(json.dumps(tree))
    only = ("--only", "sources-disagree", "-f", "json")
    assert (
        inkov("audit", ".", *only).json["findings"] == []
        and "a second source" in inkov("read", ".").out
    )
    config["native-vlan"] = 20
    vlans[1] = {"vlan-id": 2, "config": {"vlan-id": 2}}
    (tmp_path / "b.json").write_text(json.dumps(tree))
    [finding] = inkov("audit", ".", *only).json["findings"]
    assert (
        finding["says"]
        == "two sources of core-1 disagree: VLAN 2: not defined by ./a.sheet, defined by ./b.json,"
        " VLAN 20: defined by ./a.sheet, not defined by ./b.json,"
        " port port-1: untagged 10 and tagged 20 by ./a.sheet, tagged 10 by ./b.json"
    )
    files = [where["file"] for where in finding["where"]]
    assert files == ["./b.json", "./a.sheet", "./a.sheet", "./b.json"]
    assert [where.get("vlan") for where in finding["where"]] == [2, 20, None, None]
    # Whatever is answered rests on one of them.
    heard = inkov("hears", "core-1:port-1", ".")
    assert "core-1 is described by two files: ./a.sheet counts" in heard.out
    # A source without a table of VLANs says nothing of them.
    config["native-vlan"], vlans[1] = 10, {"vlan-id": 20, "config": {"vlan-id": 20}}
    (tmp_path / "b.json").write_text(json.dumps(tree))
    (tmp_path / "a.sheet").write_text(sheet.replace("[vlans]\n10: x\n20: y\n", ""))
    told = inkov("audit", ".", *only)
    assert told.json["findings"] == [] and told.status == 0
    (tmp_path / "c.sheet").write_text(sheet)  # the same format twice is a mistake
    assert inkov("audit", ".").status == 2


@pytest.mark.parametrize(
    ("port", "says", "vlans", "cure"),
    [
        ("private host", "no primary and no secondary", [None], "?"),
        ("private host\nprimary: 30", "no secondary", [30], "?"),
        ("private host\nsecondary: 32", "no primary", [32, 30], "VLAN 32 belongs to: 30"),
        ("private host\nsecondary: 31", "no primary", [31], "?"),  # two primaries have it
        ("private host\nsecondary: 99", "no primary", [99], "?"),
        ("promiscuous\nsecondaries: 31,32", "no primary", [None], "?"),
        ("promiscuous\nprimary: 40\nsecondaries: 31", "", [], ""),
        ("private host\nstate: off", "", [], ""),
    ],
)
def test_a_port_of_a_private_vlan_that_lacks_one(
    inkov: Inkov, tmp_path: Path, port: str, says: str, vlans: list[int | None], cure: str
) -> None:
    """What its lines do not say it does not have; only 30 is primary of 32."""
    (tmp_path / "a.sheet").write_text(
        "inkov sheet 1\nswitch: a\n[vlans]\n30: guests; primary of 31,32\n31: rooms; isolated\n"
        f"32: lounge; community\n40: staff; primary of 31\n[port 4]\nmode: {port}\n"
    )
    told = inkov("audit", ".", "--only", "private-port-incomplete", "-f", "json").json["findings"]
    assert len(told) == bool(says)
    for finding in told:
        assert finding["says"].startswith("a:4 is") and f"has {says} VLAN:" in finding["says"]
        assert [where["vlan"] for where in finding["where"]] == vlans
        # The line of its mode, and where there is one that of the primary.
        assert [where["line"] for where in finding["where"]] == [9, 4][: len(vlans)]
        assert cure in finding["cure"]


@pytest.mark.parametrize(
    ("bundle", "own", "says"),
    [
        ("Lag-1", None, None),
        (None, 20, "untagged 20 in lag-1 by ./a.sheet, untagged 20 by ./b.json"),
        (None, 30, "untagged 20 in lag-1 by ./a.sheet, untagged 30 by ./b.json"),
        ("Lag-2", None, "untagged 20 in lag-1 by ./a.sheet, untagged 20 in Lag-2 by ./b.json"),
    ],
)
def test_two_sources_of_a_bundle(
    inkov: Inkov, tmp_path: Path, bundle: str | None, own: int | None, says: str | None
) -> None:
    """Both bundles are in VLAN 20. By the other source port 4 is a member of the same one, or of
    none, or of the other one.
    """
    (tmp_path / "a.sheet").write_text(
        "inkov sheet 1\nswitch: core-1\n[vlans]\n20: x\n30: y\n[port 3..5]\n"
        "[bundle lag-1]\nvlan: 20\nmembers: 3,4\n[bundle lag-2]\nvlan: 20\nmembers: 5\n"
    )

    def vlan(vid: int) -> dict[str, Any]:
        return {"switched-vlan": {"config": {"interface-mode": "ACCESS", "access-vlan": vid}}}

    members = {"3": "Lag-1", "4": bundle, "5": "Lag-2"}
    interfaces: list[dict[str, Any]] = [
        {"name": name, "ethernet": {"config": {"aggregate-id": of}}} for name, of in members.items()
    ]
    interfaces += [{"name": name, "aggregation": vlan(20)} for name in ("Lag-1", "Lag-2")]
    if own is not None:
        interfaces[1]["ethernet"] = vlan(own)
    tree = {
        "system": {"config": {"hostname": "core-1"}},
        "interfaces": {"interface": interfaces},
        "vlans": {"vlan": [{"vlan-id": v, "config": {"vlan-id": v}} for v in (20, 30)]},
    }
    (tmp_path / "b.json").write_text(json.dumps(tree))
    found = inkov("audit", ".", "--only", "sources-disagree", "-f", "json").json["findings"]
    expected = [f"two sources of core-1 disagree: port 4: {says}"] if says else []
    assert [finding["says"] for finding in found] == expected


@pytest.mark.parametrize("slug", sorted(CATALOGUE))
def test_a_rule_gives_the_words_and_names_the_cases_of_its_sentences(slug: str) -> None:
    """Whatever a sentence has places for, the search below it gives; each piece can be told."""
    rule = CATALOGUE[slug]
    module = ast.parse(Path(inspect.getsourcefile(rule.find) or "").read_text())
    keys = [key for node in ast.walk(module) if isinstance(node, ast.Dict) for key in node.keys]
    keys += [node.slice for node in ast.walk(module) if isinstance(node, ast.Subscript)]
    given = {key.value for key in keys if isinstance(key, ast.Constant)}
    called = [vars(inspect.getmodule(rule.find)).get(n) for n in rule.find.__code__.co_names]
    code = "".join(inspect.getsource(f) for f in (rule.find, *called) if inspect.isfunction(f))
    for text in (rule.says, rule.fix):
        pieces = {"": text} if isinstance(text, str) else dict(text)
        for piece in pieces.values():
            assert piece and not piece.endswith("."), piece
            places = {name for _, name, _, _ in Formatter().parse(piece) if name is not None}
            assert places <= given if slug != "acceptance-stale" else True, (piece, given)
        for case in pieces:
            # In its own table, and where the search chooses it (`acceptance-stale`: in `run`).
            assert not case or slug == "acceptance-stale" or code.count(f'"{case}"') >= 2, case


@pytest.mark.parametrize(
    ("near", "to", "says"),
    [
        ("a:1", "c:1", "a:1 leads to b:1"),
        ("b:1", "a:12", "b:1 leads to a:1"),
        ("a:11", "c:1", "nobody reports a cable from a:11 to c:1"),
    ],
)
def test_an_uplink_that_is_elsewhere_says_where(
    inkov: Inkov, tmp_path: Path, near: str, to: str, says: str
) -> None:
    for name, text in (("a", LINKED_A), ("b", LINKED_B), ("c", f"switch: c\n{VLANS}{UP}")):
        (tmp_path / f"{name}.sheet").write_text(f"inkov sheet 1\n{text}")
    (tmp_path / "plan.yaml").write_text(f"uplinks: {{'{near}': '{to}'}}\n")
    found = inkov("audit", ".", "--only", "uplink-against-plan", "-f", "json").json["findings"]
    assert says in found[0]["says"]


@pytest.mark.parametrize(
    ("change", "uplink", "says"),
    [
        ("state: off", "'b:1'", ["the link is down"]),
        ("mode: access", "'b:1'", ["a:1 is no trunk"]),
        ("allowed: 10", "{to: 'b:1', vlans: '10,20'}", ["VLAN 20 does not pass both ways"]),
        ("", "{to: 'b:1', vlans: '10,20'}", []),
    ],
)
def test_an_uplink_that_is_not_as_planned_says_how(
    inkov: Inkov, tmp_path: Path, change: str, uplink: str, says: list[str]
) -> None:
    trunk = "[port 1]\nmode: trunk\nnative: none\nallowed: 10,20\n"
    for name, more in (("a", f"{change}\n[neighbours]\n1: b:1\n"), ("b", "")):
        text = f"inkov sheet 1\nswitch: {name}\n[vlans]\n10: ten\n20: twenty\n{trunk}{more}"
        (tmp_path / f"{name}.sheet").write_text(text)
    (tmp_path / "plan.yaml").write_text(f"uplinks: {{'a:1': {uplink}}}\n")
    found = inkov("audit", ".", "--only", "uplink-against-plan", "-f", "json").json["findings"]
    assert len(found) == len(says)
    assert all(text in one["says"] for text, one in zip(says, found, strict=True))


@pytest.mark.parametrize(
    ("gateways", "says"),
    [
        ("{a: 10.0.10.1/24}", ""),
        ("{a: 10.0.10.9/24}", "the gateway of a is 10.0.10.1/24, not 10.0.10.9/24"),
        ("{a: 10.0.10.1/24, b: 10.0.10.2/24}", "b has no gateway 10.0.10.2/24 in it"),
        ("{a: 10.0.10.1/24, z: 10.0.10.2/24}", "no switch is called z"),
        ("{}", "a routes it"),
    ],
)
def test_gateways_that_are_placed_otherwise(
    inkov: Inkov, tmp_path: Path, gateways: str, says: str
) -> None:
    for name in "ab":
        gateway = "[gateway 10]\naddress: 10.0.10.1/24\n" if name == "a" else ""
        text = f"inkov sheet 1\nswitch: {name}\n[vlans]\n10: ten\n[port 1]\nvlan: 10\n{gateway}"
        (tmp_path / f"{name}.sheet").write_text(text)
    (tmp_path / "plan.yaml").write_text(f"vlans:\n  10: {{name: ten, gateways: {gateways}}}\n")
    found = inkov("audit", ".", "--only", "vlan-placed-otherwise", "-f", "json").json["findings"]
    assert [says in one["says"] for one in found] == [True] * bool(says), found


@pytest.mark.parametrize(
    ("columns", "row", "differs"),
    [
        ("vlan", "10", ""),
        ("vlan", "20", "VLAN 10, and the plan says 20"),
        ("vlan,state", "10,off", "on, and the plan says off"),
        ("vlan,state", "10,on", ""),
        ("vlan,about", "10,fog", "door, and the plan says fog"),
        ("vlan,edge", "10,yes", "and the plan says"),
        ("vlan,edge", "10,no", ""),
        ("mode", "trunk", "mode access, and the plan says trunk"),
    ],
)
def test_a_port_that_is_not_as_its_row_says(
    inkov: Inkov, tmp_path: Path, columns: str, row: str, differs: str
) -> None:
    (tmp_path / "a.sheet").write_text(
        "inkov sheet 1\nswitch: a\n[vlans]\n10: ten\n20: twenty\n[port 1]\nvlan: 10\nabout: door\n"
    )
    (tmp_path / "ports.csv").write_text(f"switch,port,{columns}\na,1,{row}\n")
    found = inkov("audit", ".", "--only", "port-against-plan", "-f", "json").json["findings"]
    assert [differs in one["says"] for one in found] == [True] * bool(differs), found


def test_whom_a_mistake_touches(inkov: Inkov, tmp_path: Path) -> None:
    """Host ports in the VLANs that it joins or cuts anywhere; in a VLAN of a switch the ports there
    only; a port for itself; and the named hosts at these ports.
    """
    hosts = "hosts:\n  pump: {at: 'a:11'}\n  till: {at: 'b:12'}\n  lamp: {at: 'b:13'}\n"
    b = LINKED_B + "[port 13]\nvlan: 20\n"

    def touched(a: str, b: str, rule: str) -> tuple[int, list[str]]:
        (tmp_path / "plan.yaml").write_text(hosts)
        (tmp_path / "a.sheet").write_text("inkov sheet 1\n" + a)
        (tmp_path / "b.sheet").write_text("inkov sheet 1\n" + b)
        found = inkov("audit", ".", "--only", rule, "-f", "json").json["findings"]
        (finding,) = [one for one in found if one["rule"] == rule]
        return finding["affects"]["ports"], finding["affects"]["hosts"]

    other_native = b.replace("native: 99", "native: 20")
    # What is untagged in VLAN 99 here is in VLAN 20 there: two ports of b and one of a are in it.
    joined = touched(LINKED_A, other_native, "untagged-vlan-differs")
    assert joined == (3, ["lamp", "till"])
    # A trunk meets an access port: VLAN 10 and 99 are joined, VLAN 20 is lost. All have a part.
    access = b.replace(UP, "[port 1]\nvlan: 10\n")
    assert touched(LINKED_A, access, "trunk-meets-access") == (5, ["lamp", "pump", "till"])
    resting = b.replace("20: irrigation", "20: irrigation; suspended")
    assert touched(LINKED_A, resting, "vlan-suspended") == (2, ["lamp", "till"])
    undefined = b.replace("20: irrigation\n", "")
    assert touched(LINKED_A, undefined, "access-vlan-undefined") == (2, ["lamp", "till"])


@pytest.mark.parametrize(
    ("trunk", "severity", "says"),
    [
        (UP, "breach", "VLAN 99 and VLAN 10 are joined, and VLAN 10,20 are lost"),
        (UP.replace("native: 99", "native: 10"), "fault", "in VLAN 10: VLAN 20 is lost"),
        (UP + "native tagged: yes\n", "fault", "in VLAN 10: VLAN 10,20 are lost"),
    ],
)
def test_what_a_trunk_that_meets_an_access_port_does(trunk: str, severity: str, says: str) -> None:
    """It joins two VLANs where the trunk sends its native VLAN untagged, and that is another."""
    access = LINKED_B.replace(UP, "[port 1]\nvlan: 10\n")
    own = LINKED_A.replace(UP, trunk)
    [found] = [one for one in findings(own, access) if one.rule == "trunk-meets-access"]
    assert found.severity == severity and found.says.endswith(says), found.says


def test_a_switch_that_is_managed_elsewhere_is_told_where_the_others_are() -> None:
    """In the subnet of the same kind of address: the first has one of each."""
    own = "switch: {0}\n[vlans]\n40: beds\n90: care\n[gateway {1}]\naddress: {2}\n"
    others = [own.format(f"a{n}", 90, f"10.90.0.{n}/24") for n in range(1, 6)]
    others[0] = own.format("a1", 90, "2001:db8:90::1/64, 10.90.0.1/24")
    cures = {
        finding.cure
        for finding in findings(*others, own.format("pond-2", 40, "10.40.0.1/24"))
        if finding.rule == "management-in-user-vlan"
    }
    assert cures == {"give pond-2 an address in VLAN 90 (10.90.0.0/24) instead"}


@pytest.mark.parametrize(
    ("region", "says"),
    [
        ("region: acres\nrevision: 3\n[tree 10]\nnumber: 1\n", "its name is 'acres' and 'acre'"),
        ("region: acre\nrevision: 4\n[tree 10]\nnumber: 1\n", "its revision is 4 and 3"),
        ("region: acre\n[tree 10]\nnumber: 1\n", "its revision is 0 and 3"),
        # Two regions that are meant, and one region.
        ("region: acres\nrevision: 4\n[tree 10]\nnumber: 1\n", ""),
        ("region: acre\nrevision: 3\n[tree 10]\nnumber: 1\n", ""),
    ],
)
def test_what_keeps_two_switches_from_one_region(region: str, says: str) -> None:
    """The second of two is the odd one, which is named first."""
    own = "[tree]\nmode: mstp\nregion: acre\nrevision: 3\n[tree 10]\nnumber: 1\n"
    found = [
        finding.says
        for finding in findings(LINKED_A + own, f"{LINKED_B}[tree]\nmode: mstp\n{region}")
        if finding.rule == "regions-differ"
    ]
    assert [one.rpartition(": ")[2] for one in found] == [says] * bool(says)


def test_a_subnet_that_the_plan_alone_has(inkov: Inkov, tmp_path: Path) -> None:
    """No router is among the files: who is outside of the plan's subnet is told it."""
    (tmp_path / "a.sheet").write_text(
        "inkov sheet 1\nswitch: a\n[vlans]\n10: ferns\n[port 1..2]\nvlan: 10\n"
    )
    (tmp_path / "plan.yaml").write_text("vlans: {10: {subnet: 10.0.10.0/24}}\n")
    (tmp_path / "hosts.csv").write_text(
        "host,switch,port,address\nx,a,1,10.9.0.5/24\ny,a,2,10.0.10.5/24\n"
    )
    [found] = inkov("audit", ".", "-f", "json").json["findings"]
    assert found["rule"] == "host-outside-subnet" and found["affects"]["hosts"] == ["x"]
    assert found["cure"].startswith("give x an address in 10.0.10.0/24")


def test_hosts_as_planned_are_not_to_blame_for_their_router(inkov: Inkov, tmp_path: Path) -> None:
    """The router of VLAN 10 has another subnet than the plan, in which the hosts are: that is one
    mistake, and the router's. A gateway outside of the host's own subnet is another one.
    """
    (tmp_path / "a.sheet").write_text(
        "inkov sheet 1\nswitch: a\n[vlans]\n10: ferns\n[port 1..2]\nvlan: 10\n"
        "[gateway 10]\naddress: 10.8.10.1/24\n"
    )
    (tmp_path / "plan.yaml").write_text("vlans: {10: {subnet: 10.0.10.0/24}}\n")
    (tmp_path / "hosts.csv").write_text(
        "host,switch,port,address,gateway\n"
        "x,a,1,10.0.10.6/24,10.0.10.1\ny,a,2,10.0.10.5/24,10.9.9.9\n"
    )
    of_router, of_host = inkov("audit", ".", "-f", "json").json["findings"]
    assert of_router["rule"] == "gateway-against-plan"
    assert of_router["affects"]["hosts"] == ["x", "y"]
    assert of_host["rule"] == "host-gateway-wrong" and of_host["affects"]["hosts"] == ["y"]
    assert "10.9.9.9, which is not in its subnet 10.0.10.0/24" in of_host["says"]


def test_acceptances_that_cover_nothing(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "a.sheet").write_text("inkov sheet 1\n" + LINKED_A.replace("20: irrigation\n", ""))
    (tmp_path / "b.sheet").write_text("inkov sheet 1\n" + LINKED_B)
    (tmp_path / "plan.yaml").write_text(
        "accepted:\n"
        "  - {rule: access-vlan-undefined, because: moving, until: 2020-01-31}\n"
        "  - {rule: native-undefined, because: moving, port: '7'}\n"
    )
    found = inkov("audit", ".", "-f", "json").json["findings"]
    stale = {
        (one["severity"], one["says"], one["cure"], one["where"][0]["line"])
        for one in found
        if one["rule"] == "acceptance-stale"
    }
    assert stale == {
        (
            "risk",
            "access-vlan-undefined was accepted until 2020-01-31, and is still found",
            "mend it, or accept it anew",
            2,
        ),
        (
            "note",
            "native-undefined at port 7 is accepted, and not found any more",
            "take it out of the plan",
            3,
        ),
    }


def test_a_private_host_has_the_gateway_of_its_primary_vlan(inkov: Inkov, tmp_path: Path) -> None:
    sheet = (
        "inkov sheet 1\nswitch: core\n[vlans]\n30: huts; primary of 31\n31: guests; isolated\n"
        "[port 1]\nmode: private host\nprimary: 30\nsecondary: 31\n"
        "[gateway 30]\naddress: 10.0.30.1/24\n"
    )
    rows = "host,switch,port,address,gateway\nlamp,core,1,10.0.30.5/24,10.0.30.1\n"
    (tmp_path / "core.sheet").write_text(sheet)
    (tmp_path / "hosts.csv").write_text(rows)
    assert inkov("audit", ".").out.startswith("No findings")
    (tmp_path / "hosts.csv").write_text(rows.replace("0.30.1\n", "0.30.9\n"))
    assert "nobody has; in VLAN 31 there is 10.0.30.1" in inkov("audit", ".").out


RINGED = """\
inkov sheet 1
switch: {name}
{tree}[vlans]
10: pumps
[port 1..2]
mode: trunk
native: none
allowed: 10
[port 3]
vlan: 10
[neighbours]
"""


@pytest.mark.parametrize(
    ("trees", "found"),
    [
        (("off", "off", "off"), [("breach", "no spanning tree runs on a, b, c")]),
        # Untagged frames, as messages are, get into no VLAN on a and c: b hears nothing of itself.
        (("off", "rstp", "off"), [("risk", "if messages of others do not, either")]),
        (("off", "", "off"), []),  # what b does is not known
    ],
)
def test_a_ring_without_a_tree(
    inkov: Inkov, tmp_path: Path, trees: tuple[str, ...], found: list[tuple[str, str]]
) -> None:
    for name, right, mode in zip("abc", "bca", trees, strict=True):
        tree = f"[tree]\nmode: {mode}\n" if mode else ""
        left = "abc"["bca".index(name)]
        ends = f"1: {right}:2\n2: {left}:1\n"
        (tmp_path / f"{name}.sheet").write_text(RINGED.format(name=name, tree=tree) + ends)
    loops = inkov("audit", ".", "-f", "json", "--only", "loop-unguarded").json["findings"]
    assert len(loops) == len(found)
    for loop, (severity, says) in zip(loops, found, strict=True):
        assert loop["severity"] == severity and loop["says"].endswith(says)
        assert {place["switch"] for place in loop["where"]} == {"a", "b", "c"}


@pytest.mark.parametrize(
    ("tree", "vlans", "severity"),
    [
        ("[tree]\nmode: off\n", ("10", "10"), "breach"),
        ("", ("10", "10"), "risk"),
        ("[tree]\nmode: rstp\n", ("10", "10"), None),
        ("[tree]\nmode: off\n", ("10", "20"), None),  # joins the VLANs, and is no loop
    ],
)
def test_two_ports_patched_together(
    inkov: Inkov, tmp_path: Path, tree: str, vlans: tuple[str, str], severity: str | None
) -> None:
    ports = "".join(f"[port {n}]\nvlan: {vid}\n" for n, vid in enumerate(vlans, 1))
    (tmp_path / "a.sheet").write_text(
        f"inkov sheet 1\nswitch: a\n{tree}[vlans]\n10: pumps\n20: tills\n{ports}"
        "[neighbours]\n1: a:2\n"
    )
    loops = inkov("audit", ".", "-f", "json", "--only", "loop-unguarded").json["findings"]
    assert [loop["severity"] for loop in loops] == ([severity] if severity else [])


SHARED = """\
inkov sheet 1
switch: {name}
[tree]
mode: per vlan
[tree 10]
priority: {ten}
[tree 20]
priority: {twenty}
[vlans]
10: pumps
20: tills
[port 1]
vlan: 10
[port 2]
vlan: 20
[port 8]
mode: trunk
native: none
allowed: 10,20
[neighbours]
8: {far}:8
"""


@pytest.mark.parametrize(
    ("a", "b", "found"),
    [
        ((4096, 8192), (8192, 4096), []),  # each is the root for one VLAN
        ((4096, 8192), (8192, 8192), ["root-left-to-chance"]),  # of VLAN 20
        ((8192, 8192), (4096, 4096), ["root-against-plan"]),  # the deputy leads everywhere
    ],
)
def test_roots_may_share_the_load(
    inkov: Inkov, tmp_path: Path, a: tuple[int, int], b: tuple[int, int], found: list[str]
) -> None:
    for name, far, (ten, twenty) in (("a", "b", a), ("b", "a", b)):
        sheet = SHARED.format(name=name, far=far, ten=ten, twenty=twenty)
        (tmp_path / f"{name}.sheet").write_text(sheet)
    (tmp_path / "plan.yaml").write_text("practice: {root: [a, b]}\nvlans: {10: pumps, 20: tills}\n")
    rules = [one["rule"] for one in inkov("audit", ".", "-f", "json").json["findings"]]
    assert rules == found


def test_the_radius_is_who_is_cut_off(inkov: Inkov, tmp_path: Path) -> None:
    """Of a link that loses a VLAN those behind it, not all members of the VLAN."""
    near = "inkov sheet 1\nswitch: a\n[vlans]\n10: pumps\n[port 1..6]\nvlan: 10\n"
    trunk = "[port 8]\nmode: trunk\nnative: none\nallowed: {}\n[neighbours]\n8: {}:8\n"
    (tmp_path / "a.sheet").write_text(near + trunk.format("10", "b"))
    far = near.replace("switch: a", "switch: b").replace("1..6", "1..2")
    (tmp_path / "b.sheet").write_text(far + trunk.format("none", "a"))
    [lost] = inkov("audit", ".", "-f", "json").json["findings"]
    assert lost["rule"] == "allowed-differs" and lost["affects"]["ports"] == 2
    assert lost["cure"] == "allow VLAN 10 at b:8"


def test_a_port_towards_a_router_may_be_an_edge_port(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "a.sheet").write_text(
        "inkov sheet 1\nswitch: a\n[tree]\nmode: rstp\n[tree all]\npriority: 4096\n[vlans]\n"
        "10: pumps\n[port 1]\nvlan: 10\nedge: yes\n[port 8]\nvlan: 10\nedge: yes\n"
        "[neighbours]\n8: r:1\n"
    )
    (tmp_path / "r.sheet").write_text(
        "inkov sheet 1\nswitch: r\n[port 1]\nmode: routed\naddress: 10.0.10.1/24\n"
        "[neighbours]\n1: a:8\n"
    )
    assert inkov("audit", ".").out == "No findings on 2 switches.\n"


def test_a_port_whose_own_line_was_not_understood_says_so_first(
    inkov: Inkov, tmp_path: Path
) -> None:
    (tmp_path / "a.sheet").write_text(
        "inkov sheet 1\nswitch: a\n[vlans]\n10: pumps\n[port 1]\nvlan: 20\nwhirl: fast\n"
        "[port 2]\nvlan: 30\n"
    )
    found = inkov("audit", ".", "-f", "json", "--only", "access-vlan-undefined").json["findings"]
    rests = {one["where"][0]["port"]: one["assumes"] for one in found}
    assert rests["1"][0] == "a:1: a line of this port was not understood (./a.sheet:7)"
    assert not any("not understood" in text for text in rests["2"])


def test_one_list_for_all_trunks_is_no_way_that_was_meant(inkov: Inkov, tmp_path: Path) -> None:
    """A closet with two uplinks lies on a way between these, and need not have every VLAN; the
    switch above both has to.
    """
    trunks = "mode: trunk\nnative: none\nallowed: 10,20\n[neighbours]\n"

    def write(lacking: str) -> list[dict[str, Any]]:
        for name, port, ports, ends in (
            ("core-1", "", "7..9", "8: palm-1:8\n9: palm-2:8\n"),
            ("core-2", "", "7..9", "8: palm-1:9\n9: palm-2:9\n"),
            ("palm-1", "[port 1]\nvlan: 10\n", "8..9", "8: core-1:8\n9: core-2:8\n"),
            ("palm-2", "[port 1]\nvlan: 20\n", "8..9", "8: core-1:9\n9: core-2:9\n"),
            ("palm-3", "[port 1]\nvlan: 20\n", "8..9", "8: core-1:7\n9: core-2:7\n"),
        ):
            more = "7: palm-3:8\n" if name == "core-1" else "7: palm-3:9\n"
            if not name.startswith("core"):
                more = ""
            table = "[vlans]\n10: pumps\n" + ("" if name in lacking else "20: tills\n")
            sheet = f"inkov sheet 1\nswitch: {name}\n{table}{port}[port {ports}]\n{trunks}"
            (tmp_path / f"{name}.sheet").write_text(sheet + ends + more)
        found: list[dict[str, Any]] = inkov("audit", ".", "-f", "json").json["findings"]
        return [one for one in found if one["rule"] == "vlan-on-one-way-only"]

    assert write(lacking="palm-1") == []
    [spare] = write(lacking="palm-1 core-2")
    assert spare["where"][0]["switch"] == "core-2" and spare["cure"] == "define VLAN 20 on core-2"


def test_only_what_a_text_says_twice_is_overridden(inkov: Inkov, tmp_path: Path) -> None:
    """Not what a line brings along, not the same twice, not an exception to a range; and once for
    each pair of lines.
    """
    (tmp_path / "t.toml").write_text(
        'dialect = "t"\nrecognise = ["box {name}"]\n[text]\nshape = "indented"\n'
        '[lists]\nranges = [".."]\n[device.says]\n"box {name}" = "name = {name}"\n'
        '[vlan]\nopens = ["plot {vids}"]\n[port]\nopens = ["pot {ports}"]\n[port.says]\n'
        '"carry {vids}" = "mode = trunk; native = none; allowed = {vids}"\n'
        '"plain {vid}" = "native = {vid}"\n"grow {vid}" = "mode = access; vlan = {vid}"\n'
        '"label {text}" = "about = {text}"\n'
    )
    text = (
        "box a\nplot 10,20,30,98,99\n"
        "pot 1..4\n grow 10\n label desks\n"
        "pot 4\n grow 20\n"  # an exception to the range
        "pot 5\n carry 10,99\n plain 99\n"  # nobody wrote that it has none
        "pot 6\n plain 98\n carry 10,98,99\n"  # the second line takes the first away
        "pot 7\n carry 10,20\n plain 99\n plain 99\n"  # the same twice
        "pot 8\n carry 10,20\n plain 98\n plain 99\n"
    )
    (tmp_path / "a.txt").write_text(text)
    ran = inkov("audit", ".", "--only", "statement-overridden", "-f", "json")
    assert [(f["says"], [w["line"] for w in f["where"]]) for f in ran.json["findings"]] == [
        ("a port 6: native vlan 98, later none: the later statement counts", [12, 13]),
        ("a port 8: native vlan 98, later 99: the later statement counts", [20, 21]),
    ]


@pytest.mark.parametrize(
    ("ports", "says"),
    [
        # A line slipped by one: what till 4 should have, the lamp has.
        (
            {1: "till 1@50", 2: "till 2@50", 3: "Till-3@50", 4: "till 4@10", 5: "lamp@50"},
            "a:4 is described like other ports, and differs from them: they are in VLAN 50"
            " (port 1, port 2, port 3); so is port 5, next to it, which is described otherwise",
        ),
        (
            {n: f"till {n}@{10 if n == 2 else 50}" for n in range(1, 7)},
            "a:2 is described like other ports, and differs from them: they are in VLAN 50"
            " (port 1, port 3, port 4, port 5, port 6)",
        ),
        ({1: "till 1@50", 2: "till 2@50", 3: "till 3@50", 4: "till 4@10", 5: "lamp@10"}, None),
        ({n: f"desk {n}@{10 if n < 3 else 50}" for n in range(1, 9)}, None),
        ({n: f"{n}@{10 if n < 2 else 50}" for n in range(1, 9)}, None),
    ],
)
def test_ports_that_are_described_alike(
    ports: dict[int, str], says: str | None, inkov: Inkov, tmp_path: Path
) -> None:
    lines = ["inkov sheet 1", "switch: a", "[vlans]", "10: lamps", "50: tills"]
    for number, port in ports.items():
        about, _, vid = port.partition("@")
        lines += [f"[port {number}]", f"about: {about}", f"vlan: {vid}"]
    (tmp_path / "a.sheet").write_text("\n".join(lines) + "\n")
    found = inkov("audit", ".", "--only", "odd-one-out", "-f", "json").json["findings"]
    assert [f["says"] for f in found] == ([] if says is None else [says])


@pytest.mark.parametrize(
    ("gateway", "says"),
    [
        ("10.0.10.1/24", []),
        ("10.0.10.1/25", ["a VLAN 10 has 10.0.10.1/25 in VLAN 10"]),
        ("10.0.10.200/25", ["a VLAN 10 has 10.0.10.200/25 in VLAN 10"]),
        ("10.0.10.1/23", ["a VLAN 10 has 10.0.10.1/23 in VLAN 10"]),
        # The address lies beyond what the hosts have: it may be theirs that are wrong.
        ("10.0.11.1/23", ["fan at a:1 has 10.0.10.5/24, and"]),
    ],
)
def test_a_gateway_of_another_mask_than_its_hosts(
    inkov: Inkov, tmp_path: Path, gateway: str, says: list[str]
) -> None:
    sheet = "inkov sheet 1\nswitch: a\n[vlans]\n10: ferns\n[port 1..2]\nvlan: 10\n[gateway 10]\n"
    (tmp_path / "a.sheet").write_text(f"{sheet}address: {gateway}\n")
    (tmp_path / "hosts.csv").write_text(
        "host,switch,port,address\nfan,a,1,10.0.10.5/24\nlamp,a,2,10.0.10.6/24\n"
    )
    found = inkov("audit", ".", "--only", "mask-wrong", "-f", "json").json["findings"]
    assert [one["says"][: len(text)] for one, text in zip(found, says, strict=True)] == says
    every = inkov("audit", ".", "-f", "json").json["findings"]
    assert len(every) == len(found)  # hosts outside the odd subnet follow from it
    if says and says[0].startswith("a "):
        address = gateway.partition("/")[0]
        assert found[0]["cure"] == f"give a VLAN 10 the address {address}/24"


@pytest.mark.parametrize(
    ("hosts", "lists", "rules"),
    [
        # A router here and hosts there, or a router on each side: the VLAN is needed between them.
        ("[port 2]\nvlan: 10\n", ("10", "10"), []),
        ("", ("10", "10"), []),
        ("[port 2]\nvlan: 10\n", ("20", "10"), ["allowed-differs"]),
        ("", ("20", "20"), ["needed-vlan-missing"]),
        # Perhaps its address was not read: nothing is taken from it, and nothing is amiss.
        ("# unread\n[port 2]\nvlan: 10\n", ("10", "10"), []),
        ("# unread\n[port 2]\nvlan: 10\n", ("20", "20"), []),
        # A router alone needs it nowhere else; nor do two of different subnets, each by itself.
        (None, ("10", "10"), ["surplus-vlans"]),
        ("# apart\n", ("20", "20"), []),
    ],
)
def test_who_is_linked_by_a_routed_port_needs_the_vlan_there(
    inkov: Inkov, tmp_path: Path, hosts: str | None, lists: tuple[str, str], rules: list[str]
) -> None:
    rows = "[vlans]\n10: between\n20: beds\n[port 3]\nvlan: 20\n"
    for number, (far, allowed) in enumerate(zip("21", lists, strict=True), 1):
        port = hosts if number == 2 and hosts is not None else ""
        (tmp_path / f"s{number}.sheet").write_text(
            f"inkov sheet 1\nswitch: s{number}\n{rows}[port 1]\nvlan: 10\n{port}[port 9]\n"
            f"mode: trunk\nnative: none\nallowed: {allowed},20\n[neighbours]\n9: s{far}:9\n"
        )
        apart, unread = hosts == "# apart\n", str(hosts).startswith("# unread")
        if number == 1 or hosts == "" or apart:
            (tmp_path / f"r{number}.sheet").write_text(
                f"inkov sheet 1\nswitch: r{number}\n[port u]\nmode: routed\n"
                + f"address: 10.0.{number if apart else 10}.{number}/24\n" * (not unread)
                + f"[neighbours]\nu: s{number}:1\n"
            )
        else:  # nobody is at its port 1
            text = (tmp_path / f"s{number}.sheet").read_text()
            off = text.replace("[port 1]\nvlan: 10\n", "")
            (tmp_path / f"s{number}.sheet").write_text(off)
    found = inkov("audit", ".", "-f", "json").json["findings"]
    about = [one for one in found if "10" in one["vlans"].split(",")]
    assert [one["rule"] for one in about] == rules, found
    assert all(one["cure"].startswith("allow ") for one in about) or "surplus-vlans" in rules
    # Routers of one subnet that are cut off from each other have not two subnets.
    assert "subnets-overlap" not in [one["rule"] for one in found]


def test_what_is_not_as_the_plan_has_it(inkov: Inkov, tmp_path: Path) -> None:
    """A VLAN that is needed and not there, one that is nowhere, a name that is written otherwise, a
    port out of use in a VLAN in use, an acceptance of nothing; and no word of the acceptance where
    its rule is not asked for.
    """
    up = "[port 9]\nmode: trunk\nnative: none\nallowed: 10,20\n[neighbours]\n9: {}:9\n"
    off = "[port 3]\nvlan: 10\nabout: not used\nstate: off\n"
    for name, far, rows, more in (
        ("a", "b", "10: Pumps_west\n20: tills\n", f"[port 2]\nvlan: 20\n{off}"),
        ("b", "a", "10: pumps-west\n", ""),
    ):
        (tmp_path / f"{name}.sheet").write_text(
            f"inkov sheet 1\nswitch: {name}\n[vlans]\n{rows}[port 1]\nvlan: 10\n{more}"
            + up.format(far)
        )
    (tmp_path / "plan.yaml").write_text(
        "vlans:\n  10: {name: pumps-west, needed: [a, b]}\n  20: {name: tills, needed: [a, b]}\n"
        "  98: {name: unused}\npractice:\n  unused: {vlan: 98, shut: yes}\naccepted:\n"
        "  - {rule: vlan-name-differs, switch: zz, because: of old}\n"
    )
    found = inkov("audit", ".", "-f", "json").json["findings"]
    assert [(one["severity"], one["says"]) for one in found] == [
        ("fault", "the plan needs VLAN 20 on b, which does not define it"),
        ("risk", "the plan has VLAN 98 (unused), and no switch does"),
        (
            "note",
            "VLAN 10 is 'Pumps_west' on a, and the plan calls it 'pumps-west' (only spelled"
            " otherwise)",
        ),
        ("note", "a has 1 port out of use and not in the parking VLAN 98: 3"),
        ("note", "vlan-name-differs at zz is accepted, and not found any more"),
    ]
    assert inkov("audit", ".", "--only", "vlan-unused").out == "No findings on 2 switches.\n"


def test_the_parts_of_a_private_vlan_are_told_to_go_together(inkov: Inkov, tmp_path: Path) -> None:
    """Nobody is in them yet. The list that lacks the primary VLAN is told, and its cure is not
    undone by another one that takes the secondary VLAN away.
    """
    for name, far, allowed in (("a", "b", "10,30,32"), ("b", "a", "10,32")):
        (tmp_path / f"{name}.sheet").write_text(
            f"inkov sheet 1\nswitch: {name}\n[vlans]\n10: pumps\n30: huts; primary of 32\n"
            "32: crew; community\n[port 1]\nvlan: 10\n[port 9]\nmode: trunk\nnative: none\n"
            f"allowed: {allowed}\n[neighbours]\n9: {far}:9\n"
        )
    found = inkov("audit", ".", "-f", "json").json["findings"]
    assert [(one["rule"], one["cure"]) for one in found] == [
        ("allowed-differs", "allow VLAN 30 at b:9")
    ]


def test_secondaries_without_their_primary_are_told() -> None:
    rows = "[vlans]\n30: huts; primary of 31,32\n31: guests; isolated\n32: crew; community\n"
    for allowed, carries, cure in (
        ("31,32", "secondaries of VLAN 30, but not VLAN 30 itself", "allow VLAN 30 at"),
        ("30,31", "VLAN 30, but not its secondary VLAN 32", "allow VLAN 32 at"),
    ):
        sheets = [
            f"switch: {name}\n{rows}[port 1]\nmode: trunk\nnative: none\nallowed: {allowed}\n"
            f"[neighbours]\n1: {far}:1\n"
            for name, far in (("a", "b"), ("b", "a"))
        ]
        [one] = [one for one in findings(*sheets) if one.rule == "trunk-lacks-secondaries"]
        assert one.says == f"the trunk between a:1 and b:1 carries {carries}"
        assert one.cure.startswith(cure)


def test_a_name_of_another_vlan_is_held_against_what_most_have() -> None:
    sheets = [
        f"switch: {name}\n[vlans]\n{vid}: ferns\n"
        for name, vid in {"a": 10, "b": 10, "c": 20}.items()
    ]
    links = ("1: b:1\n", "1: a:1\n2: c:1\n", "1: b:2\n")
    cabled = [
        f"{sheet}[port 1..2]\nmode: trunk\n[neighbours]\n{ends}"
        for sheet, ends in zip(sheets, links, strict=True)
    ]
    for several, usual in ((cabled, "2 switches"), (cabled[1:], "b")):
        [found] = [one for one in findings(*several) if one.rule == "name-vlan-differs"]
        assert found.says == f"'ferns' is VLAN 10 on {usual}, but VLAN 20 on c"


def test_a_port_is_held_against_the_lists_and_native_vlan_that_are_planned(
    inkov: Inkov, tmp_path: Path
) -> None:
    """Port 2 does not let its native VLAN through, which is another finding; 4 lacks a VLAN, 5 has
    another native one. VLAN 30 is on no switch, and on the list of port 1 as it is planned.
    """
    ports = {1: (99, "10,20,30,99"), 2: (99, "10,20"), 3: (99, "10,20,99"), 4: (99, "10,99")}
    ports[5] = (20, "10,20,99")
    (tmp_path / "a.sheet").write_text(
        "inkov sheet 1\nswitch: a\n[vlans]\n10: ferns\n20: moss\n99: nobody\n"
        + "".join(
            f"[port {port}]\nmode: trunk\nnative: {native}\nallowed: {allowed}\n"
            for port, (native, allowed) in ports.items()
        )
    )
    lists = {1: "10,20,30,99", 2: "10,20"}
    rows = [f'a,{port},trunk,99,"{lists.get(port, "10,20,99")}"' for port in ports]
    (tmp_path / "ports.csv").write_text("\n".join(["switch,port,mode,native,allowed", *rows, ""]))
    found = inkov("audit", ".", "-f", "json", "--only", "port-against-plan").json["findings"]
    assert sorted(one["says"] for one in found) == [
        "a port 4 has allowed 10,99, and the plan says 10,20,99",
        "a port 5 has native VLAN 20, and the plan says 99",
    ]
    other = inkov("audit", ".", "-f", "json", "--only", "native-not-allowed").json["findings"]
    assert [one["where"][0]["port"] for one in other] == ["2"]
