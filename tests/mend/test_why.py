"""Tickets, from files to the answer: of a campus that works one thing is changed, and the answer is
to change it back.

core-1 - gate-1 - fern-1 in a row, with VLANs 10 and 20; core-1 routes. fan is in VLAN 10 at fern-1,
lamp in 10 and pump in 20 at gate-1.
"""

from __future__ import annotations

import subprocess
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import Inkov
from tests.forwarding.trees.ring import Ring

TRUNK = "mode: trunk\nnative: 99\nallowed: 10,20,99\n"
VLANS = "[vlans]\n10: climate\n20: pumps\n99: nobody\n"
SHEETS = {
    "core-1": f"{VLANS}[port 8]\n{TRUNK}[neighbours]\n8: gate-1:9\n"
    "[gateway 10]\naddress: 10.0.10.1/24\n[gateway 20]\naddress: 10.0.20.1/24\n",
    "gate-1": f"{VLANS}[port 1]\nvlan: 10\n[port 2]\nvlan: 20\n[port 9]\n{TRUNK}"
    f"[port 8]\n{TRUNK}[neighbours]\n9: core-1:8\n8: fern-1:8\n",
    "fern-1": f"{VLANS}[port 1]\nvlan: 10\n[port 8]\n{TRUNK}[neighbours]\n8: gate-1:8\n",
}
HOSTS = (
    "host,switch,port,address,gateway\n"
    "fan,fern-1,1,10.0.10.5/24,10.0.10.1\n"
    "lamp,gate-1,1,10.0.10.6/24,10.0.10.1\n"
    "pump,gate-1,2,10.0.20.6/24,10.0.20.1\n"
)


def asked(
    inkov: Inkov, folder: Path, pair: str, *changes: tuple[str, str, str], **more: str
) -> Any:
    """The answer about a pair, once some texts are others: (file, what stands there, what then);
    and with some `more` switches.
    """
    sheets = SHEETS | {name.replace("_", "-"): text for name, text in more.items()}
    texts = {f"{name}.sheet": f"inkov sheet 1\nswitch: {name}\n{t}" for name, t in sheets.items()}
    texts["hosts.csv"] = HOSTS
    for file, old, new in changes:
        name = file if "." in file else f"{file}.sheet"
        assert texts[name].count(old), (file, old)
        head, _, rest = texts[name].rpartition(old)
        texts[name] = head + new + rest
    (folder / "campus").mkdir()
    for name, text in texts.items():
        (folder / "campus" / name).write_text(text)
    result = inkov("why", *pair.split(), "campus", "-f", "json")
    assert result.err == "" and result.status == (0 if result.json["works"] else 1)
    return result.json


def edits(answer: Any) -> list[tuple[str | None, str, str | None, Any, Any]]:
    return [
        (one["switch"], one["name"], one["attribute"], one["before"], one["after"])
        for one in answer["change"]
    ]


def test_of_what_works_masks_are_told(inkov: Inkov, tmp_path: Path) -> None:
    """fan's mask is that of the router of VLAN 10; pump's is another than that of VLAN 20."""
    wide = ("hosts.csv", "10.0.20.6/24", "10.0.20.6/16")
    fine = asked(inkov, tmp_path, "fan pump", wide)["fine"]
    masks = [(one["says"], one["where"]["file"], one["where"]["line"]) for one in fine]
    assert [mask for mask in masks if "mask" in mask[0]] == [
        ("the mask of fan is that of core-1 VLAN 10", "campus/core-1.sheet", 14)
    ]


@pytest.mark.parametrize("pair", ["fan lamp", "fan pump", "lamp pump", "fern-1:1 gate-1:1"])
def test_what_works(inkov: Inkov, tmp_path: Path, pair: str) -> None:
    answer = asked(inkov, tmp_path, pair)
    assert answer["works"] and answer["cause"] is None and answer["change"] == []
    assert answer["fine"] and answer["steps"]


LIST = ("fern-1", "allowed: 10,20,99", "allowed: 20,99")
MASK = ("hosts.csv", "10.0.10.5/24", "10.0.10.5/16")


@pytest.mark.parametrize(
    ("pair", "change", "says", "line", "edit"),
    [
        (
            "fan pump",
            LIST,
            "fern-1:8 does not allow VLAN 10",
            12,
            ("fern-1", "8", "allowed", "20,99", "10,20,99"),
        ),
        (
            "fan pump",
            ("gate-1", "10: climate\n", ""),
            "gate-1 has no VLAN 10",
            2,
            ("gate-1", "10", None, None, "climate"),
        ),
        (
            "fan pump",
            ("gate-1", "10: climate", "10: climate; suspended"),
            "VLAN 10 is suspended on gate-1",
            4,
            ("gate-1", "10", "active", False, True),
        ),
        (
            "fan lamp",
            ("fern-1", "[port 1]\nvlan: 10", "[port 1]\nvlan: 20"),
            "fern-1:1 is in VLAN 20, and fan belongs in 10 by its address",
            8,
            ("fern-1", "1", "access_vlan", 20, 10),
        ),
        (
            "fan lamp",
            ("fern-1", "[port 1]\nvlan: 10", "[port 1]\nmode: general\nuntagged: 10\npvid: none"),
            "fern-1:1 is in no VLAN, and fan belongs in 10 by its address",
            10,
            ("fern-1", "1", "pvid", None, 10),
        ),
        (
            "fan pump",
            ("fern-1", "[port 1]\nvlan: 10", "[port 1]\nvlan: 20"),
            "fern-1:1 is in VLAN 20, and fan belongs in 10 by its address",
            8,
            ("fern-1", "1", "access_vlan", 20, 10),
        ),
        (
            "fan lamp",
            ("fern-1", "[port 8]\n", "[port 8]\nstate: off\n"),
            "fern-1:8 is shut",
            10,
            ("fern-1", "8", "enabled", False, True),
        ),
        (
            "fan lamp",
            ("fern-1", "[port 1]\n", "[port 1]\nstate: off\n"),
            "fern-1:1 is shut",
            8,
            ("fern-1", "1", "enabled", False, True),
        ),
        (
            "fan pump",
            MASK,
            "fan has the mask /16, and the router of its VLAN has /24",
            2,
            (None, "fan", "address", "10.0.10.5/16", "10.0.10.5/24"),
        ),
        (
            "pump fan",
            ("hosts.csv", "10.0.20.6/24,10.0.20.1", "10.0.20.6/24,10.0.20.254"),
            "pump has the gateway 10.0.20.254, and its VLAN has 10.0.20.1",
            4,
            (None, "pump", "gateway", "10.0.20.254", "10.0.20.1"),
        ),
        (
            "pump fan",
            ("hosts.csv", "10.0.20.6/24,10.0.20.1", "10.0.20.6/24,"),
            "pump has no gateway, and its VLAN has 10.0.20.1",
            4,
            (None, "pump", "gateway", None, "10.0.20.1"),
        ),
        (
            "fan pump",
            ("core-1", "[gateway 20]\n", "[gateway 20]\nstate: off\n"),
            "the gateway core-1 VLAN 20 is shut",
            16,
            ("core-1", "VLAN 20", "enabled", False, True),
        ),
        (
            "fan pump",
            ("core-1", "20: pumps\n", ""),
            "core-1 has no VLAN 20",
            2,
            ("core-1", "20", None, None, "pumps"),
        ),
        (
            "pump fan",
            ("core-1", "20: pumps", "20: pumps; suspended"),
            "VLAN 20 is suspended on core-1",
            5,
            ("core-1", "20", "active", False, True),
        ),
        (
            "fan lamp",
            ("fern-1", "vlan: 10\n[port 8]", "vlan: 10\nprotected: yes\n[port 8]\nprotected: yes"),
            "fern-1:8 is protected, as are ports that have to talk with it",
            11,
            ("fern-1", "8", "protected", True, False),
        ),
        (
            "fan lamp",
            ("fern-1", "native: 99", "native: 10"),
            "fern-1:8 has native VLAN 10, and its far end 99",
            11,
            ("fern-1", "8", "native_vlan", 10, 99),
        ),
    ],
)
def test_one_thing_is_wrong(
    inkov: Inkov,
    tmp_path: Path,
    pair: str,
    change: tuple[str, str, str],
    says: str,
    line: int,
    edit: tuple[Any, ...],
) -> None:
    answer = asked(inkov, tmp_path, pair, change)
    assert not answer["works"]
    assert answer["cause"]["says"] == says
    assert answer["cause"]["where"]["line"] == line
    assert edits(answer) == [edit]
    assert answer["smallest"] and answer["opens"] == []


def test_two_things_are_wrong(inkov: Inkov, tmp_path: Path) -> None:
    answer = asked(inkov, tmp_path, "fan pump", LIST, MASK)
    assert edits(answer) == [
        (None, "fan", "address", "10.0.10.5/16", "10.0.10.5/24"),
        ("fern-1", "8", "allowed", "20,99", "10,20,99"),
    ]
    assert [cause["says"] for cause in answer["causes"]] == [
        "fan has the mask /16, and the router of its VLAN has /24",
        "fern-1:8 does not allow VLAN 10",
    ]


def test_what_only_an_audit_cures_may_not_be_the_smallest(inkov: Inkov, tmp_path: Path) -> None:
    """Both uplinks are protected, and the host's port at each switch: no proposal is about that."""
    protected = "protected: yes\n[port 8]\nprotected: yes\n"
    answer = asked(
        inkov,
        tmp_path,
        "fan lamp",
        ("fern-1", "[port 8]\n", protected),
        ("gate-1", "[port 8]\n", "[port 8]\nprotected: yes\n"),
        ("gate-1", "[port 1]\n", "[port 1]\nprotected: yes\n"),
    )
    assert edits(answer) == [
        ("fern-1", "8", "protected", True, False),
        ("gate-1", "8", "protected", True, False),
    ]
    assert not answer["smallest"]
    text = inkov("why", "fan", "lamp", "campus").out
    assert "Change (fewer edits might do)\n  fern-1:8 protected: yes -> no" in text


def test_the_finding_of_an_audit_is_cited(inkov: Inkov, tmp_path: Path) -> None:
    answer = asked(inkov, tmp_path, "fan pump", LIST)
    audit = ("audit", "campus", "-f", "json", "--only", "allowed-differs")
    [finding] = inkov(*audit).json["findings"]
    cause = answer["cause"]
    assert (cause["rule"], cause["finding"]) == ("allowed-differs", finding["id"])


def test_a_finding_without_a_cure_is_cited_by_its_vlan(inkov: Inkov, tmp_path: Path) -> None:
    """That the gateway of VLAN 20 is down leaves open what to do, and is about the VLAN."""
    cause = asked(inkov, tmp_path, "fan pump", ("core-1", "20: pumps\n", ""))["cause"]
    assert (cause["says"], cause["rule"]) == ("core-1 has no VLAN 20", "gateway-down")


def test_of_several_findings_at_a_port_the_one_about_the_cause_is_cited(
    inkov: Inkov, tmp_path: Path
) -> None:
    """The ends have another MTU as well, which is as grave, and has nothing to do with it."""
    for name, far, more in (("a", "b", "mtu: 9000\n"), ("b", "a", "mtu: 1500\n")):
        listed = "10,20,99" if name == "a" else "20,99"
        (tmp_path / f"{name}.sheet").write_text(
            f"inkov sheet 1\nswitch: {name}\n{VLANS}[port 1]\nvlan: 10\n[port 2]\nvlan: 20\n"
            f"[port 9]\nmode: trunk\nnative: 99\nallowed: {listed}\n{more}"
            f"[neighbours]\n9: {far}:9\n"
        )
    cause = inkov("why", "a:1", "b:1", ".", "-f", "json").json["cause"]
    assert (cause["says"], cause["rule"]) == ("b:9 does not allow VLAN 10", "allowed-differs")


@pytest.mark.parametrize(
    ("port", "says", "line", "rule"),
    [
        ("vlan: 30", "in VLAN 30, which fern-1 does not have", 8, "access-vlan-undefined"),
        ("about: a socket", "in VLAN 1", 7, "port-in-default-vlan"),
        ("mode: general\npvid: none\nuntagged: none", "in no VLAN", 9, None),
    ],
)
def test_which_of_two_is_in_the_wrong_vlan_where_no_address_tells(
    inkov: Inkov, tmp_path: Path, port: str, says: str, line: int, rule: str | None
) -> None:
    change = ("fern-1", "[port 1]\nvlan: 10", f"[port 1]\n{port}")
    unknown = ("hosts.csv", "fan,fern-1,1,10.0.10.5/24,10.0.10.1\n", "")
    cause = asked(inkov, tmp_path, "fern-1:1 gate-1:1", change, unknown)["causes"][0]
    assert cause["says"] == f"fern-1:1 is {says}, and gate-1:1 in VLAN 10"
    assert (cause["where"]["line"], cause["rule"]) == (line, rule)


def test_whom_the_cause_concerns_besides(inkov: Inkov, tmp_path: Path) -> None:
    more = ("fern-1", "[port 8]", "[port 2..5]\nvlan: 10\n[port 8]")
    answer = asked(inkov, tmp_path, "fan pump", more, LIST)
    assert answer["serves"] == [f"fern-1:{number}" for number in range(1, 6)]


def test_an_access_port_towards_a_trunk_is_made_one(inkov: Inkov, tmp_path: Path) -> None:
    answer = asked(
        inkov, tmp_path, "fan lamp", ("gate-1", f"[port 8]\n{TRUNK}", "[port 8]\nvlan: 20\n")
    )
    assert ("gate-1", "8", "mode", None, "trunk") in edits(answer)


def test_what_a_change_opens_is_told(inkov: Inkov, tmp_path: Path) -> None:
    """VLAN 10 gets into VLAN 30 behind fern-1: once it passes to fern-1 again, lamp reaches that
    one as well.
    """
    answer = asked(
        inkov,
        tmp_path,
        "fan lamp",
        ("gate-1", f"[port 8]\n{TRUNK}", f"[port 8]\n{TRUNK.replace('10,20', '20')}"),
        ("fern-1", "[port 8]", "[port 5]\nvlan: 10\n[port 8]"),
        ("fern-1", "8: gate-1:8\n", "8: gate-1:8\n5: bed-1:5\n"),
        (
            "hosts.csv",
            "lamp,",
            "seed,bed-1,1,10.0.30.5/24,10.0.30.1\nlamp,",
        ),
        bed_1="[vlans]\n30: beds\n[port 1]\nvlan: 30\n[port 5]\nvlan: 30\n"
        "[neighbours]\n5: fern-1:5\n",
    )
    assert edits(answer) == [("gate-1", "8", "allowed", "20,99", "10,20,99")]
    frames = [says for says in answer["opens"] if "by routers" not in says]
    assert len(frames) == 1 and "lamp" in frames[0] and "seed" in frames[0], answer["opens"]
    assert f"it opens as well: {frames[0]}" in " ".join(
        inkov("why", "fan", "lamp", "campus").out.split()
    )


NONE = "[filter none]\n10: reject from any to any\n"


def test_what_a_filter_stops_has_no_cure_here(inkov: Inkov, tmp_path: Path) -> None:
    answer = asked(
        inkov,
        tmp_path,
        "fan pump",
        (
            "core-1",
            "[gateway 20]",
            "filter in: none\n[filter none]\n10: reject from any to any\n[gateway 20]",
        ),
    )
    assert answer["change"] == [] and "filter" in answer["cause"]["says"]


def test_a_tree_that_takes_a_link_without_the_vlan(inkov: Inkov, tmp_path: Path) -> None:
    """A second link to fern-1 lacks VLAN 10, and the tree takes it: its ports come first."""
    tree = "[tree]\nmode: rstp\naddress: 02:00:00:00:00:0{}\npriority: {}\n[vlans]"
    port = TRUNK.replace("10,20,99", "20,99") + "speed: 1000\n"
    extra = f"[port 7]\n{port}[port 8]\nspeed: 1000\n"
    answer = asked(
        inkov,
        tmp_path,
        "fan lamp",
        ("core-1", "[vlans]", tree.format(1, 4096)),
        ("gate-1", "[vlans]", tree.format(2, 8192)),
        ("fern-1", "[vlans]", tree.format(3, 32768)),
        ("gate-1", "[port 8]\n", extra),
        ("fern-1", "[port 8]\n", extra),
        ("gate-1", "8: fern-1:8", "8: fern-1:8\n7: fern-1:7"),
        ("fern-1", "8: gate-1:8", "8: gate-1:8\n7: gate-1:7"),
    )
    assert answer["cause"]["says"].endswith("does not allow VLAN 10")
    assert sorted(edits(answer)) == [
        ("fern-1", "7", "allowed", "20,99", "10,20,99"),
        ("gate-1", "7", "allowed", "20,99", "10,20,99"),
    ]


def test_on_one_screen(inkov: Inkov, tmp_path: Path) -> None:
    asked(inkov, tmp_path, "fan pump", LIST)
    text = inkov("why", "fan", "pump", "campus").out
    assert text.startswith("fan and pump do not reach each other.\n\nCause\n")
    assert text.count("\n") < 24
    assert "Said at" in inkov("why", "fan", "pump", "campus", "--hops").out


def sheets(inkov: Inkov, folder: Path, hosts: str, **texts: str) -> Any:
    """Asks of x and y, hosts of a table, on switches of their own."""
    for name, text in texts.items():
        (folder / f"{name}.sheet").write_text(f"inkov sheet 1\nswitch: {name}\n{text}")
    (folder / "hosts.csv").write_text(f"host,switch,port,address,gateway,vlan\n{hosts}")
    return inkov("why", "x", "y", ".", "-f", "json").json


def test_a_router_on_a_stick(inkov: Inkov, tmp_path: Path) -> None:
    sub = "[sub 1.{0}]\nof: 1\ntag: {0}\nmode: routed\naddress: 10.0.{0}.1/24\n"
    answer = sheets(
        inkov,
        tmp_path,
        "x,a,1,10.0.10.5/24,10.0.10.1,\ny,a,2,10.0.20.5/24,10.0.20.1,\n",
        r="[port 1]\nmode: routed\n" + sub.format(10) + sub.format(20),
        a=f"{VLANS}[port 1]\nvlan: 10\n[port 2]\nvlan: 20\n"
        "[port 9]\nmode: trunk\nnative: 99\nallowed: 10,99\n[neighbours]\n9: r:1\n",
    )
    assert edits(answer) == [("a", "9", "allowed", "10,99", "10,20,99")]


def test_a_gateway_that_is_a_routed_port_is_turned_on(inkov: Inkov, tmp_path: Path) -> None:
    routed = "[port {0}]\nmode: routed\naddress: 10.0.{0}0.1/24\n"
    answer = sheets(
        inkov,
        tmp_path,
        "x,a,1,10.0.10.5/24,10.0.10.1,\ny,a,2,10.0.20.5/24,10.0.20.1,\n",
        r=routed.format(1) + routed.format(2) + "state: off\n",
        a=f"{VLANS}[port 1]\nvlan: 10\n[port 2]\nvlan: 20\n[port 8]\nvlan: 10\n[port 9]\nvlan: 20\n"
        "[neighbours]\n8: r:1\n9: r:2\n",
    )
    assert edits(answer) == [("r", "2", "enabled", False, True)]


def test_a_host_that_is_wrong_about_both_its_mask_and_its_gateway(
    inkov: Inkov, tmp_path: Path
) -> None:
    """By either alone it would not reach another subnet."""
    wrong = ("hosts.csv", "10.0.10.5/24,10.0.10.1", "10.0.10.5/16,10.0.10.254")
    assert edits(asked(inkov, tmp_path, "fan pump", wrong)) == [
        (None, "fan", "address", "10.0.10.5/16", "10.0.10.5/24"),
        (None, "fan", "gateway", "10.0.10.254", "10.0.10.1"),
    ]


def test_a_host_that_tags_its_frames_at_a_general_port(inkov: Inkov, tmp_path: Path) -> None:
    answer = sheets(
        inkov,
        tmp_path,
        "x,a,1,10.0.10.5/24,,10\ny,a,2,10.0.10.6/24,,\n",
        a=f"{VLANS}[port 1]\nmode: general\npvid: 99\nuntagged: 99\ntagged: 20\n"
        "[port 2]\nvlan: 10\n",
    )
    assert edits(answer) == [("a", "1", "tagged", "20", "10,20")]


def test_what_is_pruned_between_general_ports_is_sent_again(inkov: Inkov, tmp_path: Path) -> None:
    """Of VLAN 10 nothing is sent at a, though it is on the port's list."""
    port = "[port 1]\nvlan: 10\n[port 9]\nmode: general\npvid: 99\nuntagged: 99\ntagged: 10,20\n"
    answer = sheets(
        inkov,
        tmp_path,
        "x,a,1,10.0.10.5/24,,\ny,b,1,10.0.10.6/24,,\n",
        a=f"{VLANS}{port}withheld: 10\n[neighbours]\n9: b:9\n",
        b=f"{VLANS}{port}[neighbours]\n9: a:9\n",
    )
    assert edits(answer) == [("a", "9", "withheld", "10", "none")]


def test_a_host_that_tags_its_frames(inkov: Inkov, tmp_path: Path) -> None:
    answer = sheets(
        inkov,
        tmp_path,
        "x,a,1,10.0.10.5/24,,10\ny,a,2,10.0.10.6/24,,10\n",
        a=f"{VLANS}[port 1]\n{TRUNK}[port 2]\nmode: trunk\nnative: 99\nallowed: 20,99\n",
    )
    assert edits(answer) == [("a", "2", "allowed", "20,99", "10,20,99")]


def test_two_ports_that_wait_for_each_other(inkov: Inkov, tmp_path: Path) -> None:
    port = "[port 1]\nvlan: 10\n[port 9]\nnegotiation: passive\nvlan: 20\n"
    answer = sheets(
        inkov,
        tmp_path,
        "x,a,1,,,\ny,b,1,,,\n",
        a=f"{VLANS}{port}[neighbours]\n9: b:9\n",
        b=f"{VLANS}{port}",
    )
    assert edits(answer) == [("a", "9", "negotiation", "passive", "active")]
    assert answer["cause"]["rule"] == "negotiation-fails"


def test_who_belongs_where_is_asked_if_nothing_tells(inkov: Inkov, tmp_path: Path) -> None:
    answer = sheets(
        inkov,
        tmp_path,
        "x,a,1,,,\ny,a,2,,,\n",
        a=f"{VLANS}[port 1]\nvlan: 10\n[port 2]\nvlan: 20\nwhirl: fast\n",
    )
    assert answer["cause"]["says"] == "x is in VLAN 10, and y in VLAN 20"
    assert answer["otherwise"] == [
        "or the other one is in the wrong VLAN, or a router is meant there"
    ]
    assert any("whirl" in says for says in answer["rests"])


@pytest.mark.parametrize(
    ("hosts", "ports", "says"),
    [
        ("x,a,1,10.0.0.5/24,,\ny,a,2,2001:db8::6/64,,\n", "", "they do not talk"),
        ("x,a,1,,,\ny,a,2,,,\n", "protected: yes\n", "both ports are protected"),
        ("x,a,1,10.0.1.5/24,10.0.1.1,\ny,a,2,10.0.2.5/24,,\n", "", "has the address 10.0.1.1"),
    ],
)
def test_what_no_edit_cures_is_said(
    inkov: Inkov, tmp_path: Path, hosts: str, ports: str, says: str
) -> None:
    text = f"{VLANS}[port 1]\nvlan: 10\n{ports}[port 2]\nvlan: 10\n{ports}"
    answer = sheets(inkov, tmp_path, hosts, a=text)
    assert answer["change"] == [] and says in answer["cause"]["says"]


def test_what_an_audit_finds_there_is_told_where_no_edit_cures_it(
    inkov: Inkov, tmp_path: Path
) -> None:
    """x has an address of VLAN 20, is in VLAN 10, and has no gateway: people know what is wrong."""
    gateways = "".join(f"[gateway {v}]\naddress: 10.0.{v}.1/24\n" for v in (10, 20))
    text = f"{VLANS}[port 1]\nvlan: 10\n[port 2]\nvlan: 10\n[port 3]\nvlan: 20\n{gateways}"
    hosts = "x,a,1,10.0.20.7/24,,\ny,a,2,10.0.10.6/24,10.0.10.1,\n"
    answer = sheets(inkov, tmp_path, hosts, a=text)
    assert answer["change"] == [] and not answer["works"]
    assert [one["rule"] for one in answer["found"]] == ["host-outside-subnet"]
    out = inkov("why", "x", "y", ".").out
    assert (
        "Found there\n  x at a:1 has 10.0.20.7/24" in out and "\n  cure: put a port 1 into" in out
    )


def test_what_a_ping_rests_on_is_said(inkov: Inkov, tmp_path: Path) -> None:
    """fern-1 says nothing of its neighbours: the ping works if gate-1 is right about the link."""
    (tmp_path / "campus").mkdir()
    for name, text in SHEETS.items():
        own = text.replace("[neighbours]\n8: gate-1:8\n", "") if name == "fern-1" else text
        sheet = f"inkov sheet 1\nswitch: {name}\n{own}"
        (tmp_path / "campus" / f"{name}.sheet").write_text(sheet)
    (tmp_path / "campus" / "hosts.csv").write_text(HOSTS)
    out = inkov("follow", "fan", "pump", "campus", "-q").out
    assert "A ping between fan and pump works." in out
    [rests] = [line for line in out.splitlines() if "reported by one end only" in line]
    assert rests.startswith("Rests on: the link ") and "fern-1:8" in rests


@pytest.mark.parametrize(
    ("table", "words"), [("vrf: plants\n", " (routing table 'plants')"), ("", "")]
)
def test_routing_tables_are_apart(inkov: Inkov, tmp_path: Path, table: str, words: str) -> None:
    gateways = (
        f"[gateway 10]\naddress: 10.0.10.1/24\n{table}"
        "[gateway 20]\naddress: 10.0.20.1/24\nvrf: guests\n"
    )
    text = f"{VLANS}[port 1]\nvlan: 10\n[port 2]\nvlan: 20\n{gateways}"
    hosts = "x,a,1,10.0.10.5/24,10.0.10.1,\ny,a,2,10.0.20.6/24,10.0.20.1,\n"
    answer = sheets(inkov, tmp_path, hosts, a=text)
    assert answer["change"] == [] and answer["cause"]["says"] == (
        f"no router that a knows{words} has an interface in the subnet of y"
    )


LIST_OF = "mode: trunk\nnative: 99\nallowed: {}\n"
PLACES = "x,a,1,,,\ny,b,1,,,\n"
HOST = "[port 1]\nvlan: 10\n"


def test_a_bundle_that_is_shut_and_lacks_the_vlan(inkov: Inkov, tmp_path: Path) -> None:
    """One member is enough: the other one stays shut."""
    bundle = "[bundle l1]\nmembers: 7,8\n" + LIST_OF
    answer = sheets(
        inkov,
        tmp_path,
        PLACES,
        a=f"{VLANS}{HOST}{bundle.format('20,99')}[port 7..8]\nstate: off\n"
        "[neighbours]\n7: b:7\n8: b:8\n",
        b=f"{VLANS}{HOST}{bundle.format('10,20,99')}",
    )
    assert edits(answer) == [
        ("a", "7", "enabled", False, True),
        ("a", "l1", "allowed", "20,99", "10,20,99"),
    ]


@pytest.mark.parametrize(
    ("near", "far", "edit", "says"),
    [
        (
            "mode: general\npvid: 99\ntagged: 20\nuntagged: 99\n",
            "mode: general\npvid: 99\ntagged: 10,20\nuntagged: 99\n",
            ("a", "9", "tagged", "20", "10,20"),
            "a:9 is no tagged member of VLAN 10",
        ),
        (
            LIST_OF.format("10,99") + "withheld: 10\n",
            LIST_OF.format("10,99"),
            ("a", "9", "withheld", "10", "none"),
            "pruning keeps VLAN 10 off a:9",
        ),
    ],
)
def test_what_keeps_a_vlan_off_a_link(
    inkov: Inkov, tmp_path: Path, near: str, far: str, edit: tuple[Any, ...], says: str
) -> None:
    answer = sheets(
        inkov,
        tmp_path,
        PLACES,
        a=f"{VLANS}{HOST}[port 9]\n{near}[neighbours]\n9: b:9\n",
        b=f"{VLANS}{HOST}[port 9]\n{far}",
    )
    assert edits(answer) == [edit]
    assert answer["cause"]["says"] == says


def test_untagged_there_and_in_another_vlan_here(inkov: Inkov, tmp_path: Path) -> None:
    """What the trunk sends untagged is of VLAN 10; the general port, which sends 10 untagged as
    well, takes it for 99.
    """
    answer = sheets(
        inkov,
        tmp_path,
        PLACES,
        a=f"{VLANS}{HOST}[port 9]\nmode: general\npvid: 99\nuntagged: 10\n[neighbours]\n9: b:9\n",
        b=f"{VLANS}{HOST}[port 9]\nmode: trunk\nnative: 10\nallowed: 10\n",
    )
    assert edits(answer) == [("a", "9", "pvid", 99, 10)]


def test_of_two_ways_the_one_with_fewer_edits_that_disturbs_less(
    inkov: Inkov, tmp_path: Path
) -> None:
    """Port 7 is shut, 8 lacks the VLAN, and by c two lists would have to change."""
    ok, lacks = LIST_OF.format("10,99"), LIST_OF.format("99")
    answer = sheets(
        inkov,
        tmp_path,
        PLACES,
        a=f"{VLANS}{HOST}[port 6]\n{lacks}[port 7]\nstate: off\n{ok}[port 8]\n{lacks}"
        "[neighbours]\n6: c:6\n7: b:7\n8: b:8\n",
        b=f"{VLANS}{HOST}[port 5]\n{lacks}[port 7]\n{ok}[port 8]\n{ok}",
        c=f"{VLANS}[port 6]\n{ok}[port 5]\n{ok}[neighbours]\n5: b:5\n",
    )
    assert edits(answer) == [("a", "8", "allowed", "99", "10,99")]


def test_routers_that_do_not_hear_each_other(inkov: Inkov, tmp_path: Path) -> None:
    gateways = "[gateway {0}]\naddress: 10.0.{0}.1/24\n[gateway 99]\naddress: 10.0.99.{1}/24\n"
    answer = sheets(
        inkov,
        tmp_path,
        "x,a,1,10.0.10.5/24,10.0.10.1,\ny,b,1,10.0.20.5/24,10.0.20.1,\n",
        a=f"{VLANS}{HOST}[port 8]\nmode: trunk\nnative: none\nallowed: 10\n"
        f"[neighbours]\n8: b:8\n{gateways.format(10, 1)}",
        b=f"{VLANS}[port 1]\nvlan: 20\n[port 8]\nmode: trunk\nnative: none\nallowed: 10,99\n"
        + gateways.format(20, 2),
    )
    assert edits(answer) == [("a", "8", "allowed", "10", "10,99")]


def test_a_general_port_is_moved_as_a_whole_and_told_as_one_cause(
    inkov: Inkov, tmp_path: Path
) -> None:
    general = "[port 2]\nmode: general\npvid: 20\nuntagged: 20\n"
    answer = sheets(
        inkov,
        tmp_path,
        "x,a,1,10.0.10.5/24,,\ny,a,2,10.0.10.6/24,,\n",
        a=f"{VLANS}{HOST}{general}[gateway 10]\naddress: 10.0.10.1/24\n",
    )
    assert edits(answer) == [("a", "2", "pvid", 20, 10), ("a", "2", "untagged", "20", "10")]
    [cause] = answer["causes"]
    assert cause["says"] == "a:2 is in VLAN 20, and y belongs in 10 by its address"
    assert answer["otherwise"][0].startswith("or y is meant to be where it is")


def test_a_new_row_takes_the_name_that_others_have(inkov: Inkov, tmp_path: Path) -> None:
    answer = sheets(
        inkov,
        tmp_path,
        PLACES,
        a=f"{VLANS}{HOST}[port 9]\n{LIST_OF.format('10,99')}[neighbours]\n9: c:8\n",
        b=f"{VLANS}{HOST}[port 9]\n{LIST_OF.format('10,99')}[neighbours]\n9: c:9\n",
        c=f"[vlans]\n20: pumps\n99: nobody\n[port 8..9]\n{LIST_OF.format('10,99')}",
    )
    assert edits(answer) == [("c", "10", None, None, "climate")]


def test_frames_that_both_tag(inkov: Inkov, tmp_path: Path) -> None:
    """With --vlan the hosts tag: y's port lacks VLAN 20, whatever their tables say of them."""
    trunk, lacks = LIST_OF.format("20,99"), LIST_OF.format("10,99")
    for name, text in {"a": f"{VLANS}[port 1]\n{trunk}[port 2]\n{lacks}"}.items():
        (tmp_path / f"{name}.sheet").write_text(f"inkov sheet 1\nswitch: {name}\n{text}")
    (tmp_path / "hosts.csv").write_text("host,switch,port\nx,a,1\ny,a,2\n")
    answer = inkov("why", "x", "y", ".", "--vlan", "20", "-f", "json").json
    assert edits(answer) == [("a", "2", "allowed", "10,99", "10,20,99")]


PRIVATE = """inkov sheet 1
switch: a
[vlans]
30: guests; primary of 31,32
31: rooms; isolated
32: lounge; community
[port 1..2]
mode: private host
primary: 30
secondary: 31
[port 3]
mode: private host
primary: 30
secondary: 32
[port 4]
mode: promiscuous
primary: 30
secondaries: 32
[port 5..6]
vlan: 40
protected: yes
[port 7]
vlan: 50
[port 8]
mode: private host
primary: 60
secondary: 61
"""


@pytest.mark.parametrize(
    ("pair", "apart", "cause"),
    [
        ("a:1 a:2", "VLAN 31 of the private VLAN 30, which is isolated", ""),
        ("a:1 a:3", "in two VLANs of the private VLAN 30, 31 and 32", ""),
        ("a:5 a:6", "protected ports", ""),
        ("a:5 a:7", "the plan claims: pumps and tills apart", ""),
        ("a:1 a:8", "", ""),  # hosts of two private VLANs are in two segments
        # What is no purpose is cured as its finding says.
        ("a:1 a:4", "", "a:4 does not map VLAN 31"),
    ],
)
def test_what_is_apart_on_purpose_is_not_cured(
    inkov: Inkov, tmp_path: Path, pair: str, apart: str, cause: str
) -> None:
    text = PRIVATE.replace(
        "[port 1..2]",
        "40: pumps\n50: tills\n60: shops; primary of 61\n61: shelves; isolated\n[port 1..2]",
    )
    (tmp_path / "a.sheet").write_text(text)
    (tmp_path / "plan.yaml").write_text(
        "claims:\n  - {isolate: [pumps, tills], about: pumps and tills apart}\n"
    )
    said = inkov("why", *pair.split(), ".", "-f", "json").json
    assert said["works"] is False
    assert [one["says"] for one in said["causes"]] == ([cause] if cause else [])
    assert bool(said["change"]) is bool(cause)
    assert len(said["apart"]) == bool(apart)
    assert not apart or apart in said["apart"][0]["says"]
    if cause:
        [edit] = said["change"]
        assert (edit["name"], edit["attribute"], edit["after"]) == ("4", "secondaries", "31-32")
        assert said["cause"]["rule"] == "promiscuous-mapping-incomplete"


def test_what_lies_between_two_routers_may_be_the_cause(inkov: Inkov, tmp_path: Path) -> None:
    """Two hosts behind two routers, whose routed ports are in a VLAN of two switches: one of the
    lists between these lacks it. Neither VLAN nor switch is that of a host.
    """
    hosts, cables = ["host,switch,port,address,gateway"], ["switch,port,far switch,far port"]
    for number, allowed in ((1, "20"), (2, "10,20")):
        (tmp_path / f"s{number}.sheet").write_text(
            f"inkov sheet 1\nswitch: s{number}\n[vlans]\n10: between\n20: beds\n[port 1]\n"
            f"vlan: 10\n[port 2]\nvlan: 20\n[port 9]\nmode: trunk\nnative: none\n"
            f"allowed: {allowed}\n"
        )
        (tmp_path / f"r{number}.sheet").write_text(
            f"inkov sheet 1\nswitch: r{number}\n[vlans]\n3{number}: pumps\n[port 1]\n"
            f"vlan: 3{number}\n[port u]\nmode: routed\naddress: 10.0.10.{number}/24\n"
            f"[gateway 3{number}]\naddress: 10.0.3{number}.1/24\n"
        )
        hosts.append(f"h{number},r{number},1,10.0.3{number}.5/24,10.0.3{number}.1")
        cables.append(f"s{number},1,r{number},u")
    (tmp_path / "hosts.csv").write_text("\n".join(hosts))
    (tmp_path / "cabling.csv").write_text("\n".join([*cables, "s1,9,s2,9"]))
    said = inkov("why", "h1", "h2", ".", "-f", "json").json
    [edit] = said["change"]
    assert (edit["switch"], edit["name"], edit["attribute"], edit["after"]) == (
        *("s1", "9", "allowed", "10,20"),
    )
    assert said["cause"]["rule"] == "allowed-differs"


def test_a_secondary_that_is_not_there_keeps_nobody_apart_on_purpose(
    inkov: Inkov, tmp_path: Path
) -> None:
    """Without it nothing says that it is isolated; as a community its two hosts would be one."""
    (tmp_path / "a.sheet").write_text(PRIVATE.replace("31: rooms; isolated\n", ""))
    said = inkov("why", "a:1", "a:2", ".", "-f", "json").json
    assert said["apart"] == [] and [one["says"] for one in said["causes"]] == ["a has no VLAN 31"]


@pytest.mark.parametrize(
    ("claim", "apart"),
    [
        ("not-reach: ['a:5', 'a:7']", True),
        ("not-reach: ['a:7', 'a:5']", True),
        ("not-reach: ['a:6', 'a:7']", False),
        ("{isolate: pumps, from: everything}", True),
        ("{isolate: pumps, from: tills}", True),
        ("{isolate: tills, from: pumps}", True),
        ("{isolate: pumps, from: everything, except: tills}", False),
        ("{isolate: pumps, from: pumps}", False),
        ("{isolate: [pumps, tills], from: everything}", False),  # from all others
        ("{isolate: 'a:6', from: tills}", False),
    ],
)
def test_who_is_kept_apart_by_a_claim(
    inkov: Inkov, tmp_path: Path, claim: str, apart: bool
) -> None:
    """a:5 is one of the pumps, a:7 one of the tills."""
    text = PRIVATE.replace(
        "[port 1..2]",
        "40: pumps\n50: tills\n60: shops; primary of 61\n61: shelves; isolated\n[port 1..2]",
    )
    (tmp_path / "a.sheet").write_text(text)
    (tmp_path / "plan.yaml").write_text(f"claims:\n  - {claim}\n")
    for pair in (("a:5", "a:7"), ("a:7", "a:5")):
        said = inkov("why", *pair, ".", "-f", "json").json
        assert [one["says"][:16] for one in said["apart"]] == ["the plan claims:"] * apart


def test_cures_of_several_findings_are_put_together(inkov: Inkov, tmp_path: Path) -> None:
    """Port 1 belongs to no primary of its VLAN, and the promiscuous port maps it not: only both
    cures together do.
    """
    text = PRIVATE.replace("[port 1..2]", "40: pumps\n[port 1]").replace(
        "primary: 30", "primary: 40", 1
    )
    (tmp_path / "a.sheet").write_text(text)
    answer = inkov("why", "a:1", "a:4", ".", "-f", "json").json
    assert not answer["works"] and sorted(edits(answer)) == [
        ("a", "1", "primary", 40, 30),
        ("a", "4", "secondaries", "32", "31-32"),
    ]


def test_a_claim_about_frames_is_no_answer_to_a_ping(inkov: Inkov, tmp_path: Path) -> None:
    """The plan keeps the VLANs apart at layer 2, where a router joins them."""
    plan = ("plan.yaml", "", "claims:\n  - isolate: [climate, pumps]\n")
    wrong = ("hosts.csv", "10.0.10.6/24,10.0.10.1", "10.0.10.6/24,10.0.10.9")
    (tmp_path / "campus").mkdir()
    (tmp_path / "campus" / plan[0]).write_text(plan[2])
    for name, text in SHEETS.items():
        whole = f"inkov sheet 1\nswitch: {name}\n{text}"
        (tmp_path / "campus" / f"{name}.sheet").write_text(whole)
    # Of who has no address only frames are asked: the claim is an answer.
    nameless = HOSTS.replace(*wrong[1:]) + "lock,fern-1,1,,,\n"
    (tmp_path / "campus" / "hosts.csv").write_text(nameless)
    lock = inkov("why", "lock", "pump", "campus", "-f", "json").json
    assert len(lock["apart"]) == 1 and lock["change"] == []
    said = inkov("why", "lamp", "pump", "campus", "-f", "json").json
    assert said["apart"] == [] and said["change"][0]["after"] == "10.0.10.1"


def test_when_the_cause_came_about_is_told(inkov: Inkov, tmp_path: Path) -> None:
    """Of a line the commit that changed it; of what no line says the last one of the file."""
    git = ["git", "-C", str(tmp_path / "campus"), "-c", "user.name=me", "-c", "user.email=me@x"]
    told = asked(inkov, tmp_path, "fan lamp", ("fern-1", "allowed: 10,20,99", "allowed: 20,99"))
    assert told["cause"]["changed"] is None  # no repository
    subprocess.run([*git, "init", "-q"], check=True)
    subprocess.run([*git, "add", "-A"], check=True)
    subprocess.run([*git, "commit", "-q", "-m", "fewer VLANs <for> the ferns"], check=True)
    sheet = tmp_path / "campus" / "fern-1.sheet"
    sheet.write_text(sheet.read_text() + "# nothing else\n")
    subprocess.run([*git, "commit", "-q", "-a", "-m", "a comment"], check=True)
    again = inkov("why", "fan", "lamp", "campus", "-f", "json").json["cause"]["changed"]
    assert again["title"] == "fewer VLANs <for> the ferns" and len(again["commit"]) == 12
    assert "this line was changed last on" in inkov("why", "fan", "lamp", "campus").out
    sheet.write_text(sheet.read_text().replace("allowed: 20,99", "allowed: 99"))
    new = inkov("why", "fan", "lamp", "campus", "-f", "json").json["cause"]["changed"]
    assert new["commit"] is None
    sheet.write_text(
        sheet.read_text().replace("10: climate\n", "").replace("allowed: 99", "allowed: 10,20,99")
    )
    gone = inkov("why", "fan", "lamp", "campus").out
    assert "its file was changed last on" in gone and "a comment" in gone


@pytest.mark.parametrize(
    ("trees", "now", "rests"),
    [
        ({}, True, ""),
        ({"fern-1": ""}, False, "The spanning tree is not sure: fern-1 does not say"),
        (
            dict.fromkeys(("core-1", "core-2", "fern-1"), "mode: rstp\n"),
            False,
            "Chance decides which links the spanning tree blocks.",
        ),
    ],
)
def test_whether_the_tree_lets_it_through(
    inkov: Inkov, tmp_path: Path, trees: dict[str, str], now: bool, rests: str
) -> None:
    """A ring that passes VLAN 10 all around: it reaches whatever is blocked; whether the answer is
    about now hangs on how sure the tree is.
    """
    ring = Ring()
    ring.trees |= trees
    (tmp_path / "in").mkdir()
    ring.write(tmp_path / "in")
    told = inkov("why", "fern-1:9", "core-1:9", "in", "-f", "json").json
    assert (told["works"], told["now"]) == (True, now)
    fine = [one["says"] for one in told["fine"]]
    assert ("the spanning tree lets it through" in fine) is now
    about = [says for says in told["rests"] if "spanning tree" in says]
    assert len(about) == bool(rests) and all(says.startswith(rests) for says in about)
    text = inkov("why", "fern-1:9", "core-1:9", "in").out
    assert text.startswith(f"fern-1:9 and core-1:9 reach each other{' now' * now}.")


def test_addresses_that_somebody_else_has_are_told(inkov: Inkov, tmp_path: Path) -> None:
    """The lamp has the address of another host, the fan that of its gateway."""
    (tmp_path / "a.sheet").write_text(
        "inkov sheet 1\nswitch: a\n[vlans]\n10: ferns\n[port 1..3]\nvlan: 10\n"
        "[gateway 10]\naddress: 10.0.10.1/24\n"
    )
    (tmp_path / "hosts.csv").write_text(
        "host,switch,port,address\nlamp,a,1,10.0.10.5/24\nfan,a,2,10.0.10.1/24\n"
        "mist,a,3,10.0.10.5/24\nlock,a,2,\n"
    )
    told = inkov("why", "lamp", "fan", ".", "-f", "json").json["rests"]
    twice = [says for says in told if "same address" in says]
    assert twice == [
        "lamp and mist have the same address, 10.0.10.5",
        "fan and a VLAN 10 have the same address, 10.0.10.1",
    ]
    alone = inkov("why", "lock", "mist", ".", "-f", "json").json["rests"]
    assert [says for says in alone if "same address" in says] == [
        "mist and lamp have the same address, 10.0.10.5"
    ]
