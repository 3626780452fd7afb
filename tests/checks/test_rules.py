"""Each rule on a small campus that fails it, and on the nearest one that does not."""

from __future__ import annotations

import pytest

from inkov.checks import CATALOGUE, Finding, audit
from tests.conftest import fabric_of

VLANS = "[vlans]\n10: climate\n20: irrigation\n99: nobody\n"
UP = "[port 1]\nmode: trunk\nnative: 99\nallowed: 10,20,99\n"
LINKED_A = "switch: a\n" + VLANS + UP + "[neighbours]\n1: b:1\n"
LINKED_B = "switch: b\n" + VLANS + UP + "[neighbours]\n1: a:1\n"
HOST_10 = "[port 2]\nmode: access\nvlan: 10\n"


def findings(*sheets: str) -> list[Finding]:
    return audit(fabric_of(*sheets))


def slugs(*sheets: str) -> list[str]:
    return sorted(finding.rule for finding in findings(*sheets))


def test_the_ground_is_clean() -> None:
    assert slugs(LINKED_A + HOST_10, LINKED_B + HOST_10) == []


@pytest.mark.parametrize(
    ("rule", "a", "b"),
    [
        ("access-vlan-undefined", LINKED_A + "[port 2..3]\nmode: access\nvlan: 30\n", LINKED_B),
        ("access-vlan-undefined", LINKED_A + "[port 2]\nnegotiation: passive\nvlan: 30\n", LINKED_B),
        ("port-in-default-vlan", LINKED_A + "[port 2..3]\nstate: on\n", LINKED_B),
        ("vlan-name-differs", LINKED_A, LINKED_B.replace("climate", "klimate")),
        ("name-vlan-differs", LINKED_A + "[vlans]\n11: Climate\n", LINKED_B),
        ("trunk-meets-access", LINKED_A, LINKED_B.replace("mode: trunk", "mode: access\nvlan: 10")),
        ("trunk-meets-access", LINKED_A + "[port 1]\nnegotiation: active\nvlan: 10\n", LINKED_B),
        ("untagged-vlan-differs", LINKED_A, LINKED_B.replace("native: 99", "native: 20")),
        ("untagged-vlan-differs", LINKED_A.replace("mode: trunk", "mode: access\nvlan: 20"),
         LINKED_B.replace("mode: trunk", "mode: access\nvlan: 10")),
        ("untagged-vlan-differs", LINKED_A, LINKED_B + "[port 1]\nmode: general\npvid: 10\ntagged: 20\nuntagged: 99\n"),
        ("native-default", LINKED_A.replace("native: 99", "native: 1").replace("10,20,99", "1,10,20"),
         LINKED_B.replace("native: 99\n", "").replace("10,20,99", "1,10,20")),
        ("native-undefined", LINKED_A.replace("99: nobody\n", ""), LINKED_B),
        ("native-not-allowed", LINKED_A, LINKED_B.replace("10,20,99", "10,20")),
        ("allowed-differs", LINKED_A, LINKED_B.replace("10,20,99", "10,99")),
        ("trunk-allows-everything", LINKED_A, LINKED_B.replace("allowed: 10,20,99", "allowed: all")),
        ("allowed-nowhere-defined", LINKED_A.replace("10,20,99", "10,20,77,99"), LINKED_B),
        ("link-one-sided", LINKED_A, LINKED_B.replace("[neighbours]\n1: a:1\n", "")),
    ],
)  # fmt: skip
def test_the_mistake_is_found_once_and_nothing_else(rule: str, a: str, b: str) -> None:
    assert slugs(a, b) == [rule]


def test_a_vlan_missing_on_the_way() -> None:
    middle = "switch: m\n[vlans]\n20: irrigation\n99: nobody\n[port 1..2]\nmode: trunk\nnative: 99\nallowed: 10,20,99\n"
    middle += "[neighbours]\n1: a:1\n2: b:1\n"
    a, b = LINKED_A.replace("1: b:1", "1: m:1"), LINKED_B.replace("1: a:1", "1: m:2")
    [finding] = findings(a + HOST_10, b + HOST_10, middle)
    assert finding.says == "VLAN 10 has members on a and b, but m between them does not define it"
    assert [(w.switch, w.port, w.vlan) for w in finding.where] == [("m", None, 10), ("a", "2", 10), ("b", "2", 10)]
    assert slugs(a + HOST_10, b, middle) == []  # nobody on the other side: nothing is lost
    assert slugs(a + HOST_10, b + HOST_10, middle.replace("20: irrigation", "10,20: x")) == [
        "name-vlan-differs", "vlan-name-differs", "vlan-name-differs",
    ]  # fmt: skip
    around = a.replace("1: m:1", "1: m:1\n8: b:8") + HOST_10 + UP.replace("port 1", "port 8")
    assert slugs(around, b.replace("1: m:2", "1: m:2\n8: a:8") + HOST_10 + UP.replace("port 1", "port 8"), middle) == []


def test_a_list_left_at_everything_hides_no_cut() -> None:
    everything = LINKED_A.replace("allowed: 10,20,99\n", "")
    assert slugs(everything + HOST_10, LINKED_B.replace("10,20,99", "20,99") + HOST_10) == [
        "allowed-differs", "trunk-allows-everything",
    ]  # fmt: skip


def test_joined_vlans_are_named_with_both_ends() -> None:
    [finding] = findings(LINKED_A, LINKED_B.replace("native: 99", "native: 20"))
    assert finding.severity == "breach"
    assert finding.says == "VLAN 99 of a and VLAN 20 of b are joined by untagged frames between a:1 and b:1"
    assert [(w.switch, w.port, w.vlan, w.origin.line) for w in finding.where] == [("a", "1", 99, 9), ("b", "1", 20, 9)]


def test_what_rests_on_a_default_says_whose() -> None:
    [finding] = findings(LINKED_A + "[port 2]\nstate: on\n", LINKED_B)
    assert finding.assumes == (
        "a:2: mode not stated; IEEE 802.1Q: a port with no VLAN setting is an untagged member of one VLAN",
        "a:2: access vlan not stated; IEEE 802.1Q: the default PVID is 1",
    )


@pytest.mark.parametrize("shut", [LINKED_A.replace("mode: trunk", "state: off\nmode: trunk")])
def test_a_shut_link_is_no_mistake(shut: str) -> None:
    assert slugs(shut, LINKED_B.replace("native: 99", "native: 20").replace("10,20,99", "20")) == []


def test_the_catalogue_is_complete() -> None:
    for rule in CATALOGUE.values():
        assert rule.slug == rule.slug.lower() and " " not in rule.slug
        for text in (rule.what, rule.why, rule.cure, rule.example):
            assert (20 < len(text) < 260 and not text.endswith(".") and text[0].islower()) or text[0] in "'V"
