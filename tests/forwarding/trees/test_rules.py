"""The rules of spanning trees (FM 7), each by a small campus, from the files to the output.

The campus is the ring of `ring.py`.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from inkov.campus import TreeMode, address_text
from inkov.forwarding.trees.costs import default_cost
from tests.conftest import Inkov
from tests.forwarding.trees.ring import PRIORITIES, TRUNK, Asked, Ring


@pytest.fixture
def asked(inkov: Inkov, tmp_path: Path) -> Any:
    return lambda ring: Asked(inkov, tmp_path, ring)


RING = {
    "core-1:1": "designated",
    "core-1:2": "designated",
    "core-2:1": "root",
    "core-2:2": "designated",
    "fern-1:1": "root",
    "fern-1:2": "alternate",
}


def test_fm_7_1_who_says_nothing_is_taken_to_run_a_rapid_tree(asked: Any) -> None:
    ring = Ring()
    ring.trees["fern-1"] = ""
    answers = asked(ring)
    (tree,) = answers.trees()
    assert not tree["sure"]
    assert [one["says"] for one in tree["remarks"]] == [
        "fern-1 does not say whether it runs a spanning tree: taken to run a rapid one (RSTP)"
    ]
    assert answers.roles() == RING


def test_fm_7_1_what_is_assumed_does_not_matter_without_a_circle(asked: Any) -> None:
    ring = Ring()
    ring.trees["fern-1"] = ""
    ring.cables.remove(("core-2", "2", "fern-1", "2"))
    (tree,) = asked(ring).trees()
    assert (tree["settled"], tree["remarks"], tree["blocked"]) == (True, [], 0)


def test_fm_7_2_one_tree_for_all_vlans_takes_no_notice_of_lists(asked: Any) -> None:
    ring = Ring()
    ring.ports["fern-1"]["1"] = TRUNK.replace("10,20", "20")  # the way that the tree keeps open
    answers = asked(ring)
    assert answers.roles() == RING
    over_all = answers.follow("fern-1:9", "core-1:9")
    assert over_all["arrives"]
    assert over_all["tree"] == [
        "Over all links it arrives, but not now: in the spanning tree it stops at fern-1:1: the"
        " allowed list of fern-1:1 (20,99) does not hold VLAN 10."
    ]
    now = answers.follow("fern-1:9", "core-1:9", "--now")
    assert not now["arrives"]
    assert answers.heard("core-1:9") == {"core-2:9": True}


def test_fm_7_2_the_tree_of_a_vlan_has_the_links_that_pass_it(asked: Any) -> None:
    ring = Ring("per vlan")
    ring.ports["fern-1"]["1"] = TRUNK.replace("10,20", "20")
    answers = asked(ring)
    roles = answers.roles("--vlan", "10")
    assert roles == {
        "core-1:1": "designated",
        "core-2:1": "root",
        "core-2:2": "designated",
        "fern-1:2": "root",
    }
    assert answers.roles("--vlan", "20") == RING
    assert answers.heard("core-1:9") == {"core-2:9": True, "fern-1:9": True}


@pytest.mark.parametrize("mode", ["rstp", "per vlan"])
def test_fm_7_3_a_bridge_without_a_tree_passes_messages_on(asked: Any, mode: str) -> None:
    ring = Ring(mode)
    ring.cables.remove(("core-2", "2", "fern-1", "2"))
    ring.cables |= {("core-2", "2", "hut-1", "1"), ("hut-1", "2", "fern-1", "2")}
    ring.add("hut-1", "mode: off", {"1": TRUNK, "2": TRUNK})
    answers = asked(ring)
    assert answers.roles("--vlan", "10") == RING
    (tree,) = answers.trees("--vlan", "10")
    assert [one["says"] for one in tree["remarks"]] == [
        "hut-1 runs no spanning tree, and is taken to pass on the messages of others"
    ]


@pytest.mark.parametrize(
    ("mode", "lines", "cost"),
    [
        ("rstp", "speed: 1000", 20000),
        ("rstp", "speed: 10000", 2000),
        ("stp", "speed: 1000", 4),
        ("stp", "speed: 100", 19),
        ("stp", "", 4),
        ("rstp", "", 20000),
    ],
)
def test_fm_7_4_a_cost_that_is_not_stated_follows_from_the_speed(
    asked: Any, mode: str, lines: str, cost: int
) -> None:
    ring = Ring(mode)
    ring.ports["fern-1"]["1"] = TRUNK.replace("speed: 1000", lines)
    (tree,) = asked(ring).trees("--switch", "fern-1")
    assert [row["cost"] for row in tree["ports"] if row["port"] == "1"] == [cost]
    assert ("states no cost and no speed" in str(tree["remarks"])) is (lines == "")


@pytest.mark.parametrize(
    ("cost", "stated", "by_speed"),
    [
        (5000, {}, None),  # one cost everywhere: either table leads to the same tree
        (20000, {"fern-1": "1"}, None),
        (5000, {"fern-1": "1"}, "5 ports"),
        (5000, {"core-1": "1,2", "core-2": "1,2", "fern-1": "1"}, "a port"),
        (5000, {"core-1": "1,2", "core-2": "1,2", "fern-1": "1,2"}, None),
    ],
)
def test_fm_7_4_that_costs_follow_from_speeds_is_said_where_they_differ(
    asked: Any, cost: int, stated: dict[str, str], by_speed: str | None
) -> None:
    ring = Ring()
    for name, ports in stated.items():
        ring.trees[name] += f"cost of {ports}: {cost}\n"
    (tree,) = asked(ring).trees()
    assert [one["says"] for one in tree["remarks"]] == (
        [f"the cost of {by_speed} follows from the speed, as the standards recommend it"]
        if by_speed
        else []
    )


def test_fm_7_4_a_bundle_is_as_fast_as_its_live_members(asked: Any) -> None:
    ring = Ring()
    ring.ports["fern-1"] |= {
        "bundle-1": "members: 1,3,4\nmode: trunk\nnative: 99\nallowed: 10,20,99",
        "1": "speed: 1000",
        "3": "speed: 1000",
        "4": "speed: 1000\nstate: off",
    }
    (tree,) = asked(ring).trees("--switch", "fern-1")
    # Two of three members are live. So fern-1 is nearer to core-1 than core-2 is, and port 2
    # is designated: its cost is that of fern-1's own way.
    assert {row["port"]: row["cost"] for row in tree["ports"]} == {"bundle-1": 10000, "2": 10000}


def test_fm_7_5_a_guard_against_bridges_shuts_the_port(asked: Any) -> None:
    ring = Ring()
    ring.ports["fern-1"]["1"] += "\nbpdu guard: on"
    answers = asked(ring)
    assert answers.roles() == {
        "core-1:1": "designated",
        "core-2:1": "root",
        "core-2:2": "designated",
        "fern-1:2": "root",
    }
    way = answers.follow("fern-1:9", "core-1:9")
    assert way["tree"] == [
        "The shortest way is another one: fern-1:1 is shut by its guard against bridges: core-1:2"
        " speaks there."
    ]


def test_fm_7_5_a_root_guard_takes_no_better_root(asked: Any) -> None:
    ring = Ring()
    ring.trees["fern-1"] = ring.trees["fern-1"].replace("32768", "0")
    for core in ("core-1", "core-2"):
        ring.ports[core]["2"] += "\nguard: root"
    answers = asked(ring)
    assert answers.roles() == RING | {
        "core-1:2": "alternate",
        "core-2:2": "alternate",
        "fern-1:1": "designated",
        "fern-1:2": "designated",
    }
    assert answers.heard("core-1:9") == {"core-2:9": True}


def test_fm_7_6_the_ring_and_why(asked: Any) -> None:
    answers = asked(Ring())
    (tree,) = answers.trees()
    assert (tree["root"], tree["next"], tree["sure"]) == ("core-1", "core-2", True)
    assert {f"{p['switch']}:{p['port']}": p["role"] for p in tree["ports"]} == RING
    why = {f"{p['switch']}:{p['port']}": p["because"] for p in tree["ports"]}
    assert why["core-1:2"] == "core-1 is the root"
    assert why["fern-1:1"] == "the best way to core-1: by core-1:2, cost 20000"
    assert why["fern-1:2"] == "cost 40000 to core-1 by core-2:2; 1 has cost 20000"
    assert [p["designated"] for p in tree["ports"] if p["port"] == "2"] == [
        "core-1",
        "core-2",
        "core-2",
    ]


MOSS = "\n[tree 20]\nnumber: 1\npriority: {priority}\n"


def mstp(revision: str = "7", mapping: str = "20") -> Ring:
    """One region; VLAN 20 is in instance 1, whose root is core-2."""
    ring = Ring("mstp")
    priorities = {"core-1": 8192, "core-2": 0, "fern-1": 32768}
    for name, priority in priorities.items():
        own = revision if name == "fern-1" else "7"
        ring.trees[name] += f"region: garden\nrevision: {own}\n"
        ring.more[name] = MOSS.format(priority=priority)
    ring.more["fern-1"] = ring.more["fern-1"].replace("[tree 20]", f"[tree {mapping}]")
    return ring


def test_fm_7_7_an_instance_has_a_tree_of_its_own(asked: Any) -> None:
    answers = asked(mstp())
    assert answers.roles("--vlan", "10") == RING
    # core-2 is root of instance 1; core-1 comes before fern-1 on the wire between them.
    assert answers.roles("--vlan", "20") == {
        "core-1:1": "root",
        "core-1:2": "designated",
        "core-2:1": "designated",
        "core-2:2": "designated",
        "fern-1:1": "alternate",
        "fern-1:2": "root",
    }


@pytest.mark.parametrize("ring", [mstp(revision="8"), mstp(mapping="20,99")])
def test_fm_7_7_another_mapping_is_another_region(asked: Any, ring: Ring) -> None:
    answers = asked(ring)
    assert answers.roles("--vlan", "10") == RING
    found = [tree for tree in answers.trees("--vlan", "20") if tree["switches"] == 2]
    # Instance 1 of the region of core-1 and core-2; both lead out of it by designated ports.
    (tree,) = [tree for tree in found if tree["root"] == "core-2"]
    roles = {f"{p['switch']}:{p['port']}": p["role"] for p in tree["ports"]}
    assert roles == {
        "core-1:1": "root",
        "core-1:2": "designated",
        "core-2:1": "designated",
        "core-2:2": "designated",
    }


@pytest.mark.parametrize(
    ("revision", "lines", "cost", "by_core_2"),
    [
        ("8", "external cost of 1: 50000", 50000, True),  # fern-1 is a region of its own
        ("8", "cost of 1: 50000\nexternal cost of 1: 20000", 20000, False),
        ("7", "external cost of 1: 50000", 20000, False),  # all of one region
        ("7", "cost of 1: 50000\nexternal cost of 1: 20000", 50000, True),
    ],
)
def test_fm_7_7_a_way_between_regions_may_cost_another_sum(
    asked: Any, revision: str, lines: str, cost: int, by_core_2: bool
) -> None:
    ring = mstp(revision)
    ring.trees["fern-1"] += lines + "\n"
    answers = asked(ring)
    [tree] = answers.trees("--vlan", "10")
    told = {f"{row['switch']}:{row['port']}": row for row in tree["ports"]}
    assert told["fern-1:1"]["cost"] == cost  # core-1 is the root, and costs nothing
    roles = answers.roles("--vlan", "10")
    kept, spare = ("2", "1") if by_core_2 else ("1", "2")
    assert (roles[f"fern-1:{kept}"], roles[f"fern-1:{spare}"]) == ("root", "alternate")


def test_a_root_left_to_chance_is_told_where_it_would_be_chosen(asked: Any, inkov: Inkov) -> None:
    """At the line that turns the tree on."""
    ring = Ring()
    ring.trees = dict.fromkeys(ring.trees, "mode: rstp\n")
    folder = asked(ring).folder
    found = inkov("audit", "campus", "--only", "root-left-to-chance", "-f", "json").json["findings"]
    places = [place for finding in found for place in finding["where"]]
    assert {place["switch"] for place in places} == set(PRIORITIES)
    for place in places:
        text = (folder / f"{place['switch']}.sheet").read_text().splitlines()
        assert text[place["line"] - 1] == "mode: rstp", place


def test_a_tree_from_its_root_down(asked: Any, inkov: Inkov) -> None:
    """Behind core-2 hangs bed-1, behind fern-1 four switches that are alike: told as one row."""
    ring = Ring()
    leaves = {"bed-1": ("core-2", "3"), **{f"bud-{n}": ("fern-1", f"{n + 2}") for n in range(1, 5)}}
    for number, (name, (near, port)) in enumerate(leaves.items(), 5):
        tree = f"mode: rstp\naddress: 02:00:00:00:00:0{number}\n"
        ring.add(name, tree, {"1": TRUNK, "9": "vlan: 10"})
        ring.ports[near][port] = TRUNK
        ring.cables.add((near, port, name, "1"))
    asked(ring)
    _, down = inkov("tree", "campus", "--down", "-f", "csv").out.split("\n\n")
    assert down.splitlines()[1:] == [
        "core-1,,,0,",
        "· core-2,1,1,20000,",
        "· · bed-1,3,1,40000,",
        "· fern-1,2,1,20000,2",
        "· · bud-1 and 3 more,3 to 6,1,40000,",
    ]


def test_fm_7_7_without_regions_no_way_is_between_them(asked: Any, inkov: Inkov) -> None:
    ring = Ring()
    ring.trees["fern-1"] += "external cost of 1: 50000\n"
    assert asked(ring).roles() == RING
    assert inkov("tree", "campus").err.strip().partition(": ")[2] == (
        "campus/fern-1.sheet:23: fern-1: a cost between regions is stated for 1, in a tree that has"
        " none; taken: the cost that is not of regions"
    )


def test_fm_7_7_several_regions_on_one_wire_are_not_sure(inkov: Inkov, tmp_path: Path) -> None:
    """Three bridges on one wire, and a link besides between two of them: a circle whose ports no
    rule decides, as long as each is a region of its own.
    """
    near = {"a": ("b", "c"), "b": ("a", "c"), "c": ("a", "b")}

    def doubts(regions: str) -> list[str]:
        for (name, far), region in zip(near.items(), regions, strict=True):
            other = {"a": "b", "b": "a"}.get(name)
            (tmp_path / f"{name}.sheet").write_text(
                f"inkov sheet 1\nswitch: {name}\n[tree]\nmode: mstp\nregion: {region}\n"
                f"[vlans]\n10: moss\n99: nobody\n[port 1]\n{TRUNK}\n[port 2]\nvlan: 10\n"
                f"[port 3]\n{TRUNK}\n"
                f"[neighbours]\n1: {far[0]}:1\n1: {far[1]}:1\n"
                + (f"3: {other}:3\n" if other else "")
            )
        found = inkov("tree", ".", "-f", "json").json["trees"]
        return [remark["says"] for tree in found for remark in tree["remarks"]]

    wire = "share their wires with bridges of several regions"
    assert any(wire in says for says in doubts("xyz"))
    assert not any("several regions" in says for says in doubts("xxx"))


def without_addresses(ring: Ring) -> Ring:
    for name in ring.trees:
        ring.trees[name] = f"mode: rstp\n{'priority: 4096' if name != 'fern-1' else ''}\n"
    return ring


def test_fm_7_8_each_of_those_that_may_be_root(asked: Any) -> None:
    answers = asked(without_addresses(Ring()))
    (tree,) = answers.trees()
    assert (tree["root"], tree["roots"], tree["all_told"]) == (None, ["core-1", "core-2"], True)
    roles = answers.roles()
    # Whoever is root, fern-1 has a direct way to it, and the other one comes before it.
    assert roles["core-1:2"] == roles["core-2:2"] == "designated"
    assert (roles["core-1:1"], roles["fern-1:1"], roles["fern-1:2"]) == (None, None, None)
    # Every outcome joins all of them.
    assert answers.heard("fern-1:9") == {"core-1:9": True, "core-2:9": True}


def test_fm_7_9_a_port_that_discards_passes_nothing(asked: Any, inkov: Inkov) -> None:
    answers = asked(Ring())
    way = answers.follow("fern-1:9", "core-2:9")
    assert [f"{s['switch']}:{s['port']}" for s in way["steps"]] == [
        "fern-1:9",
        "fern-1:1",
        "core-1:2",
        "core-1:1",
        "core-2:1",
        "core-2:9",
    ]
    assert way["tree"] == [
        "The shortest way is another one: fern-1:2 discards in the spanning tree."
    ]
    trunks = inkov("trunks", "campus", "-f", "json", "--now").json["trunks"]
    shared = {(row["a"]["switch"], row["b"]["switch"]): row["shared"] for row in trunks}
    assert shared == {
        ("core-1", "core-2"): "10,20,99",
        ("core-1", "fern-1"): "10,20,99",
        ("core-2", "fern-1"): "none",
    }


def test_fm_7_10_what_chance_decides_is_undecided(asked: Any, inkov: Inkov) -> None:
    # The list of fern-1:1 lacks VLAN 10: fern-1 is cut where core-1 is root, and joined by
    # fern-1:2 where core-2 is.
    ring = without_addresses(Ring())
    ring.ports["fern-1"]["1"] = TRUNK.replace("10,20", "20")
    answers = asked(ring)
    assert answers.heard("core-1:9") == {"core-2:9": True, "fern-1:9": False}
    now = answers.follow("fern-1:9", "core-1:9", "--now")
    assert (now["arrives"], now["certain"]) == (False, False)
    # Over all links, everybody hears.
    heard = inkov("hears", "core-1:9", "campus", "-f", "json").json["heard"]
    assert {one["switch"] for one in heard} == {"core-2", "fern-1"}
    (answers.folder / "plan.yaml").write_text("claims:\n  - join: [core-1:9, fern-1:9]\n")
    over_all = inkov("prove", "campus", "-f", "json").json["claims"]
    assert [claim["verdict"] for claim in over_all] == ["holds"]
    (claim,) = inkov("prove", "campus", "-f", "json", "--now").json["claims"]
    assert claim["verdict"] == "undecided"
    assert claim["because"].startswith("it hangs on chance in the spanning tree")


# --- losses ---------------------------------------------------------------------------------------


def test_fm_7_10_who_reaches_whom_now(asked: Any, inkov: Inkov) -> None:
    """VLAN 20 passes but one link, fern-1:2 - core-2:2, which the tree blocks or not: by costs, and
    where these are equal by who is root.
    """
    ring = Ring()
    for name in ("fern-1", "core-2"):
        ring.ports[name]["8"] = "vlan: 20"
    for name, port in (("core-1", "1"), ("core-1", "2"), ("core-2", "1"), ("fern-1", "1")):
        ring.ports[name][port] = TRUNK.replace("10,20", "10")
    ring.trees["fern-1"] = ring.trees["fern-1"].replace("32768", "61440")
    folder = asked(ring).folder
    (folder / "plan.yaml").write_text("hosts:\n  fan: {at: 'fern-1:8'}\n  pump: {at: 'core-2:8'}\n")

    def cells(*options: str) -> set[str]:
        found = inkov("prove", "campus", "--matrix", "--hosts", "-f", "json", *options)
        return {cell["how"] for cell in found.json["reach"]}

    assert (cells(), cells("--now")) == ({"same"}, {"apart"})
    before = (folder / "plan.yaml").read_text()
    (folder / "plan.yaml").write_text(
        "claims:\n  - join: [core-1:9, fern-1:9]\n  - join: ['fern-1:8', 'core-2:8']\n"
        "  - reach: ['fern-1:9', 'core-2:8']\n  - not-reach: ['fern-1:8', 'core-2:8']\n"
    )
    told = inkov("prove", "campus", "-f", "json", "--now").json["claims"]
    # What no link passes is not the tree's, nor is what is over all links in any case.
    assert [(one["verdict"], one["because"].startswith("now: ")) for one in told] == [
        ("holds", True),
        ("broken", True),
        ("broken", False),
        ("broken", False),
    ]
    (folder / "plan.yaml").write_text(before)
    # core-1 root: blocked; core-2 or, in the end, fern-1 root: it is on the way.
    for names in (("core-1", "core-2"), ("fern-1",)):
        for name in names:
            sheet = folder / f"{name}.sheet"
            lines = sheet.read_text().split("\n")
            kept = [line for line in lines if not line.startswith(("address: 02", "priority:"))]
            sheet.write_text("\n".join(kept))
        assert cells("--now") == {"by chance"}
    assert "chance decides" in inkov("prove", "campus", "--matrix", "--hosts", "--now").out


def losses(inkov: Inkov, *options: str) -> dict[str, Any]:
    """Name of a loss -> what it does."""
    found = inkov("withstand", "campus", "-f", "json", *options).json
    assert found["survived"] + len(found["losses"]) == found["tried"]
    return {one["name"]: one for one in found["losses"]}


def test_fm_7_11_a_ring_withstands_every_loss_of_a_link(asked: Any, inkov: Inkov) -> None:
    asked(Ring())
    assert losses(inkov, "--losses", "links,switches") == {}


def test_fm_7_11_a_spare_that_lacks_the_vlan_is_none(asked: Any, inkov: Inkov) -> None:
    ring = Ring()
    ring.ports["fern-1"]["2"] = TRUNK.replace("10,20", "20")
    answers = asked(ring)
    found = losses(inkov, "--losses", "links")
    # core-2 has VLAN 10 by the link to core-1 alone: its loss cuts as well.
    assert set(found) == {"core-1:1 - core-2:1", "core-1:2 - fern-1:1"}
    lost = found["core-1:2 - fern-1:1"]
    assert lost["loses"] == ["core-1:2", "fern-1:1"]
    assert lost["vlans"] == {"10": {"islands": [["fern-1"]]}}
    assert (lost["cut"], lost["ports"]) == (["fern-1:9"], 1)
    assert lost["because"] == (
        "the spare core-2:2 - fern-1:2 does not pass VLAN 10: the allowed list of fern-1:2 (20,99)"
        " does not hold VLAN 10"
    )
    assert lost["origin"]["file"].endswith("fern-1.sheet")
    lines = (answers.folder / "fern-1.sheet").read_text().split("\n")
    assert lines[lost["origin"]["line"] - 1] == "allowed: 20,99"
    # Of the switches, the loss of core-1 takes the only way of VLAN 10 away.
    of_switches = losses(inkov, "--losses", "switches")
    assert {name: one["cut"] for name, one in of_switches.items()} == {"core-1": ["fern-1:9"]}


def test_fm_7_11_the_tree_that_is_left_may_not_take_the_link_of_a_vlan(
    asked: Any, inkov: Inkov
) -> None:
    # Only fern-1:2 passes VLAN 20 of fern-1. The tree blocks it; it is cut now, and only without
    # the link that the tree takes now does it hang together.
    ring = Ring()
    ring.ports["fern-1"] |= {"1": TRUNK.replace("10,20", "10"), "8": "vlan: 20"}
    ring.ports["core-1"]["8"] = "vlan: 20"
    answers = asked(ring)
    assert not answers.follow("fern-1:8", "core-1:8", "--now")["arrives"]
    assert losses(inkov, "--losses", "links") == {}
    findings = inkov("audit", "campus", "-f", "json").json["findings"]
    says = "the spanning tree takes this link and blocks core-2:2 to fern-1:2, so that VLAN 20 of"
    severities = [one["severity"] for one in findings if f"{says} fern-1 is cut" in one["says"]]
    assert severities == ["fault"]


def test_fm_7_9_the_link_that_the_tree_takes_has_the_vlan_at_neither_end(
    asked: Any, inkov: Inkov
) -> None:
    ring = Ring()
    ring.ports["fern-1"] |= {"1": TRUNK.replace("10,20", "10"), "8": "vlan: 20"}
    ring.ports["core-1"] |= {"2": TRUNK.replace("10,20", "10"), "8": "vlan: 20"}
    asked(ring)
    found = inkov("audit", "campus", "-f", "json", "--only", "spare-link-lacks-vlan").json
    (finding,) = found["findings"]
    cure = "allow VLAN 20 at core-1:2 and at fern-1:1"
    assert (finding["severity"], finding["cure"]) == ("fault", cure)
    assert "takes it and blocks core-2:2 to fern-1:2, so that VLAN 20 of fern-1" in finding["says"]


def test_fm_7_11_hosts_without_the_only_gateway_are_cut_from_it(asked: Any, inkov: Inkov) -> None:
    ring = Ring()
    ring.more["core-1"] = "\n[gateway 10]\naddress: 10.0.10.1/24\n"
    asked(ring)
    found = losses(inkov, "--losses", "routers,links")
    assert {name: one["routerless"] for name, one in found.items()} == {
        "the routing of core-1": "10"
    }
    # core-1 still switches: its own host is there, and has no gateway either.
    assert found["the routing of core-1"]["cut"] == ["core-1:9", "core-2:9", "fern-1:9"]


def test_a_change_of_priorities_moves_the_root_and_what_is_blocked(
    inkov: Inkov, tmp_path: Path
) -> None:
    for name, priority in (("old", 8192), ("new", 0)):
        ring = Ring()
        ring.trees["core-2"] = ring.trees["core-2"].replace("8192", str(priority))
        (tmp_path / name).mkdir()
        ring.write(tmp_path / name)
    found = inkov("compare", "old", "new", "-f", "json").json
    assert [(one["name"], one["says"]) for one in found["consequences"]] == [
        (None, "VLAN 10: the root of the spanning tree is core-2, it was core-1"),
        # fern-1 is as near to core-2 as core-1 is, and core-1 comes before it.
        ("core-1:2 - fern-1:1", "is blocked by the spanning tree for VLAN 10 now"),
        ("core-2:2 - fern-1:2", "is not blocked by the spanning tree for VLAN 10 any more"),
    ]
    assert (found["gained"], found["lost"], found["refused"]) == ([], [], False)


def test_fm_7_2_trees_of_two_kinds_on_a_circle_are_not_sure(asked: Any, inkov: Inkov) -> None:
    ring = Ring()
    ring.trees["core-2"] = ring.trees["core-2"].replace("rstp", "per vlan")
    answers = asked(ring)
    assert [tree["settled"] for tree in answers.trees()] == [False]
    claims = inkov("prove", "campus", "-f", "json", "--now").json["claims"]
    assert {one["claim"]: one["verdict"] for one in claims} == {
        "VLAN 10 leaks into no other": "holds",
        "VLAN 10 is not split": "undecided",
    }
    remarks = inkov("withstand", "campus", "-f", "json").json["remarks"]
    assert any("no standard says" in one for one in remarks)


def test_fm_7_2_a_vlan_that_turns_into_another_has_no_sure_tree(asked: Any) -> None:
    # VLAN 10 leaves core-1:1 untagged, and is VLAN 20 at core-2:1; so are the messages of its tree.
    ring = Ring("per vlan")
    ring.ports["core-1"]["1"] = TRUNK.replace("native: 99", "native: 10")
    ring.ports["core-2"]["1"] = TRUNK.replace("native: 99", "native: 20")
    answers = asked(ring)
    assert [tree["settled"] for tree in answers.trees("--vlan", "10")] == [False]
    assert [tree["settled"] for tree in answers.trees("--vlan", "20")] == [False]
    assert [tree["settled"] for tree in answers.trees("--vlan", "99")] == [True]


def test_fm_7_2_without_a_circle_the_kinds_do_not_matter(asked: Any) -> None:
    ring = Ring()
    ring.trees["core-2"] = ring.trees["core-2"].replace("rstp", "per vlan")
    ring.cables.remove(("core-2", "2", "fern-1", "2"))
    assert [(tree["settled"], tree["remarks"]) for tree in asked(ring).trees()] == [(True, [])]


def test_fm_7_3_a_loop_past_a_bridge_that_keeps_messages_off(asked: Any, inkov: Inkov) -> None:
    ring = Ring()
    ring.cables.remove(("core-2", "2", "fern-1", "2"))
    ring.cables |= {("core-2", "2", "hut-1", "1"), ("hut-1", "2", "fern-1", "2")}
    tagged_only = TRUNK.replace("native: 99", "native: none")
    ring.add("hut-1", "mode: off", {"1": tagged_only, "2": tagged_only})
    answers = asked(ring)
    (tree,) = answers.trees()
    assert tree["blocked"] == 0  # it knows of no circle
    found = inkov("audit", "campus", "-f", "json", "--only", "loop-unguarded").json["findings"]
    (finding,) = found
    assert finding["severity"] == "risk"
    # VLAN 99 is untagged at the switches around, and gets into no VLAN there.
    assert "form a loop in VLAN 10,20; no spanning tree runs on hut-1, and" in finding["says"]
    assert {one["switch"] for one in finding["where"]} == {"core-1", "core-2", "fern-1", "hut-1"}


def test_fm_7_4_what_cannot_be_is_told_with_what_is_taken(asked: Any, inkov: Inkov) -> None:
    ring = Ring()
    ring.trees["core-1"] = ring.trees["core-1"].replace("4096", "5000")
    ring.trees["fern-1"] = ring.trees["fern-1"].replace(":03", ":02") + "cost of 1: 0\n"
    asked(ring)
    found = inkov("tree", "campus")
    assert [line.partition(": ")[2] for line in found.err.strip().split("\n")] == [
        "campus/core-1.sheet:22: core-1: the priority is 5000, and not from 0 to 61440, in steps of"
        " 4096; taken: 4096",
        "campus/fern-1.sheet:23: fern-1: the cost of 1 is 0, and not from 1 to 200000000; taken:"
        " the cost of its speed",
        "campus/core-2.sheet:21: core-2: its bridge address, 02:00:00:00:00:02, is that of fern-1"
        " as well; taken: either as the lower one",
    ]
    assert "have bridge addresses of other switches" in found.out


def test_fm_7_4_a_vlan_in_two_instances_is_in_the_first(asked: Any, inkov: Inkov) -> None:
    ring = Ring("mstp")
    ring.trees["fern-1"] += "[tree 10,20]\nnumber: 1\n[tree 20,99]\nnumber: 2\n"
    asked(ring)
    odd = [line for line in inkov("tree", "campus").err.split("\n") if "instance" in line]
    assert len(odd) == 1 and odd[0].endswith(
        "fern-1: VLAN 20 is in instance 1 and in 2; taken: instance 1"
    )


def test_why_one_of_two_ways_to_the_root_is_taken(asked: Any, inkov: Inkov) -> None:
    """Two links to the root cost the same, so the lower port there decides; a way by core-2 costs
    more.
    """
    ring = Ring()
    for name in ("core-1", "fern-1"):
        ring.ports[name]["3"] = TRUNK
    ring.cables.add(("core-1", "3", "fern-1", "3"))
    [tree] = asked(ring).trees("--switch", "fern-1")
    roles = {port["port"]: (port["role"], port["because"]) for port in tree["ports"]}
    assert roles.pop("1")[0] == "root"
    assert roles == {
        "2": ("alternate", "cost 40000 to core-1 by core-2:2; 1 has cost 20000"),
        "3": ("alternate", "as cheap as 1, whose port at core-1 comes first"),
    }


def test_the_root_that_a_switch_sees(asked: Any, inkov: Inkov) -> None:
    ring = Ring()
    # core-1 is root, and core-2 sees that; fern-1 sees itself, or somebody whom nobody knows.
    ring.trees["core-2"] += "root: 02:00:00:00:00:01\n"
    ring.trees["fern-1"] += "root: 02:00:00:00:00:03\n"
    folder = asked(ring).folder
    audit = ("audit", "campus", "-f", "json", "--only", "tree-seen-otherwise")
    [otherwise] = inkov(*audit).json["findings"]
    assert otherwise["says"] == (
        "fern-1 sees fern-1 as root, and by what the files say core-1 is root"
    )
    assert [(place["switch"], place["line"]) for place in otherwise["where"]] == [("fern-1", 23)]
    assert "fern-1 sees fern-1 as root" in inkov("tree", "campus").out
    sheet = folder / "fern-1.sheet"
    sheet.write_text(
        sheet.read_text().replace("root: 02:00:00:00:00:03", "root: 02:00:00:00:00:77")
    )
    [otherwise] = inkov(*audit).json["findings"]
    assert "sees a bridge with address 02:00:00:00:00:77 as root" in otherwise["says"]
    [tree] = inkov("tree", "campus", "-f", "json").json["trees"]
    seen = {one["switch"]: (one["root"], one["differs"]) for one in tree["seen_roots"]}
    assert seen == {"core-2": ("core-1", False), "fern-1": (None, True)}


@pytest.mark.parametrize(
    ("mode", "slip"),
    [("per vlan", None), ("per vlan", "10"), ("per vlan", "20"), ("rstp", None), ("rstp", "10")],
)
def test_a_port_is_seen_in_the_tree_of_its_vlan(
    asked: Any, inkov: Inkov, mode: str, slip: str | None
) -> None:
    """core-1 is root for VLAN 10 and 99, core-2 for 20; fern-1 says what it sees in each, and in
    one case something else. With one tree for all, whatever number it has, core-1 is root.
    """
    ring = Ring(mode)
    towards = {"10": ("root", "alternate"), "20": ("alternate", "root")}
    if mode == "rstp":
        del towards["20"]
    else:
        ring.more["core-2"] = "[tree 20]\npriority: 0\n"
    for vid, (one, other) in towards.items():
        seen = f"role of 1: {one}\nrole of 2: {'designated' if vid == slip else other}\n"
        head = "[tree]\nnumber: 5" if mode == "rstp" else f"[tree {vid}]"
        ring.more["fern-1"] += f"{head}\n{seen}"
    asked(ring)
    audit = ("audit", "campus", "-f", "json", "--only", "tree-seen-otherwise")
    found = inkov(*audit).json["findings"]
    assert [one["where"][0]["port"] for one in found] == ["2"] * (slip is not None)
    trees = inkov("tree", "campus", "--switch", "fern-1", "-f", "json").json["trees"]
    shown = {
        tree["vlans"]: {port["port"]: port["seen_role"] for port in tree["ports"]} for tree in trees
    }
    for vid, (one, other) in towards.items():
        [of_vlan] = [ports for vlans, ports in shown.items() if vid in vlans.split(",")]
        assert of_vlan == {"1": one, "2": "designated" if vid == slip else other}
    told = inkov("tree", "campus").out
    assert ("a port is seen otherwise" in told) is (slip is not None), told


def test_fm_7_4_one_tree_takes_nothing_from_those_of_some_vlans(asked: Any, inkov: Inkov) -> None:
    ring = Ring()
    ring.more["core-2"] = "[tree]\ncost of 1: 7\n[tree 20]\npriority: 0\n"
    asked(ring)
    found = inkov("tree", "campus", "--switch", "core-2", "-f", "json")
    assert found.err == (
        "inkov: campus/core-2.sheet:26: core-2: runs rstp, one tree for all, and states another one"
        " for VLAN 20; taken: what it states first\n"
    )
    # Both sections that name no VLANs are about one tree.
    [tree] = found.json["trees"]
    assert tree["root"] == "core-1"
    assert [port["cost"] for port in tree["ports"] if port["port"] == "1"] == [7]


def test_a_change_takes_the_spare_way_past_a_switch(inkov: Inkov, tmp_path: Path) -> None:
    for name in ("old", "new"):
        ring = Ring()
        if name == "new":
            ring.ports["fern-1"]["2"] = TRUNK.replace("10,20", "20")
        (tmp_path / name).mkdir()
        ring.write(tmp_path / name)
    found = inkov("compare", "old", "new", "-f", "json").json["consequences"]
    lone = {one["name"]: one["says"] for one in found if one["about"] in ("spare", "switch")}
    assert lone == {
        "core-1:1 - core-2:1": "is the only way left of VLAN 10: there was a spare",
        "core-1:2 - fern-1:1": "is the only way left of VLAN 10: there was a spare",
        "core-1": "is the only way left between members of VLAN 10: there was one past it",
    }


# --- claims that withstand ------------------------------------------------------------------------


def routed_pair(ports: dict[str, str], vlan: str = "20") -> Ring:
    """Two switches that route: core-1 with two hosts in VLAN 10, and core-2 with one in another."""
    ring = Ring()
    for table in (ring.ports, ring.trees, ring.more):
        table.clear()
    ring.cables = {("core-1", name, "core-2", name) for name in ports if name != "9"}
    for number, (name, vid) in enumerate((("core-1", "10"), ("core-2", vlan)), 1):
        hosts = {"9": f"vlan: {vid}"} | ({"10": f"vlan: {vid}"} if number == 1 else {})
        ring.add(name, "", {port: lines.format(number) for port, lines in ports.items()} | hosts)
        ring.more[name] = f"\n[gateway {vid}]\naddress: 10.0.{number}.1/24\n"
    return ring


ROUTED = "mode: routed\naddress: 10.0.9.{}/30"


def test_many_losses_are_told_in_lots(inkov: Inkov, tmp_path: Path) -> None:
    """A star of fifty switches: thirty links have rows of their own, the others are one row."""
    vlans = "[vlans]\n10: ferns\n99: nobody\n"
    links = "".join(f"[port {n}]\n{TRUNK}\n" for n in range(1, 51))
    reports = "".join(f"{n}: fern-{n}:1\n" for n in range(1, 51))
    core = f"inkov sheet 1\nswitch: core\n{vlans}{links}[neighbours]\n{reports}"
    (tmp_path / "core.sheet").write_text(core)
    for number in range(1, 51):
        (tmp_path / f"fern-{number}.sheet").write_text(
            f"inkov sheet 1\nswitch: fern-{number}\n{vlans}[port 1]\n{TRUNK}\n"
            f"[port 2..{2 + number % 5}]\nvlan: 10\n[neighbours]\n1: core:{number}\n"
        )
    table = inkov("withstand", ".", "--losses", "links").out
    assert len([line for line in table.splitlines() if " - " in line]) == 30
    [rest] = [line for line in table.splitlines() if "20 more, each a link" in line]
    # Ten switches each have 1, 2, 3, 4 and 5 host ports: the thirty with most come first.
    assert " 1-2 " in rest and "there is no other link" in rest
    found = inkov("withstand", ".", "--losses", "links", "-f", "json").json
    assert len(found["losses"]) == 50


def test_fm_7_11_the_only_link_between_routers(asked: Any, inkov: Inkov) -> None:
    asked(routed_pair({"7": ROUTED}))
    found = losses(inkov)
    link = found["core-1:7 - core-2:7"]
    assert (link["unrouted"], link["routerless"], link["cut"]) == ("20", "none", ["core-2:9"])
    assert link["because"] == "there is no other way between the routers"
    assert found["the routing of core-2"]["routerless"] == "20"
    # With a switch its own hosts are lost, and nobody else's.
    assert found.keys() == {"core-1:7 - core-2:7", "the routing of core-1", "the routing of core-2"}


def test_fm_7_11_one_of_two_links_between_routers(asked: Any, inkov: Inkov) -> None:
    asked(routed_pair({"7": ROUTED, "8": ROUTED.replace("9.", "8.")}))
    assert losses(inkov, "--losses", "links") == {}


def test_fm_7_11_the_same_number_behind_two_routers(asked: Any, inkov: Inkov) -> None:
    asked(routed_pair({"7": ROUTED}, vlan="10"))
    found = losses(inkov)
    assert found["core-1:7 - core-2:7"]["cut"] == ["core-2:9"]
    assert found["the routing of core-2"]["cut"] == ["core-2:9"]


def test_fm_7_11_the_vlan_between_routers(asked: Any, inkov: Inkov) -> None:
    ring = routed_pair({"7": TRUNK})
    for number, name in enumerate(("core-1", "core-2"), 1):
        ring.more[name] += f"\n[gateway 99]\naddress: 10.0.9.{number}/24\n"
    asked(ring)
    link = losses(inkov, "--losses", "links")["core-1:7 - core-2:7"]
    assert (link["unrouted"], link["cut"]) == ("20", ["core-2:9"])
    assert list(link["vlans"]) == ["99"]


def test_fm_7_11_what_the_plan_says_fails_together_is_one_loss(asked: Any, inkov: Inkov) -> None:
    ring = Ring()
    # core-1 and core-2 have two cables, of which one passes the duct.
    for name in ("core-1", "core-2"):
        ring.ports[name] = {"bundle-1": f"members: 3,4\n{TRUNK}"} | ring.ports[name]
        ring.cables |= {("core-1", "3", "core-2", "3"), ("core-1", "4", "core-2", "4")}
    ring.cables.remove(("core-1", "1", "core-2", "1"))
    folder = asked(ring).folder
    (folder / "plan.yaml").write_text(
        "together:\n"
        "  - [core-1:2, core-2:2]\n"
        "  - {parts: ['core-1:3', 'core-1:2'], about: the west duct}\n"
        "  - [core-*, moss-1]\n"
        "  - [nobody-1]\n"
        "  - []\n"
        "claims:\n  - {join: ferns, about: ferns grow together}\n"
    )
    found = inkov("withstand", "campus", "-f", "json", "--losses", "together")
    assert found.status == 1 and "plan.yaml:4: together: no switch is called 'moss-1'" in found.err
    assert "plan.yaml:6: together: nothing is named" in found.err
    rows = found.json["losses"]
    assert [(row["kind"], row["name"], row["cut"], row["claims"]) for row in rows] == [
        (
            "shared fate",
            "core-1:2 - fern-1:1 and core-2:2 - fern-1:2",
            ["fern-1:9"],
            ["ferns grow together"],
        ),
    ]
    assert (found.json["tried"], found.json["survived"]) == (3, 2)
    claim = "{join: ferns, withstand: links}"
    [(verdict, because)] = verdicts(inkov, folder, claim, more="together: [[core-1:2, core-2:2]]\n")
    assert verdict == "broken" and "without core-1:2 - fern-1:1 and core-2:2 - fern-1:2" in because


def verdicts(
    inkov: Inkov, folder: Path, *claims: str, more: str = "", now: bool = False
) -> list[tuple[str, str]]:
    """(verdict, because) of claims."""
    plan = "".join(f"  - {claim}\n" for claim in claims)
    (folder / "plan.yaml").write_text(f"{more}claims:\n{plan}")
    found = inkov("prove", "campus", "-f", "json", *["--now"] * now).json["claims"]
    return [(one["verdict"], one["because"]) for one in found]


def test_fm_7_11_claims_that_must_survive_losses(asked: Any, inkov: Inkov) -> None:
    folder = asked(Ring()).folder
    found = verdicts(
        inkov,
        folder,
        "{join: [vlan 10], withstand: links}",
        "{join: [vlan 10], withstand: both}",
        "{join: [vlan 10], withstand: 2}",
        "{reach: [core-1:9, fern-1:9], withstand: switches}",
    )
    assert [verdict for verdict, _ in found] == ["holds", "holds", "broken", "holds"]
    assert found[0][1].endswith("; so they do without any single link")
    # Any two of three links of a ring cut one switch off.
    assert found[2][1].startswith("without core-1:1 - core-2:1 and core-1:2 - fern-1:1: ")


def test_fm_7_11_a_claim_that_does_not_survive_says_which_loss(asked: Any, inkov: Inkov) -> None:
    ring = Ring()
    ring.ports["fern-1"]["2"] = TRUNK.replace("10,20", "20")
    folder = asked(ring).folder
    (plain, links, switches) = verdicts(
        inkov,
        folder,
        "join: [core-2:9, fern-1:9]",
        "{join: [core-2:9, fern-1:9], withstand: links}",
        "{join: [core-2:9, fern-1:9], withstand: switches}",
    )
    assert plain[0] == "holds"
    assert links[0] == "broken" and links[1].startswith("without core-1:1 - core-2:1: ")
    assert (switches[0], switches[1].partition(":")[0]) == ("broken", "without core-1")


def test_fm_7_11_a_claim_about_losses_is_no_other_now(asked: Any, inkov: Inkov) -> None:
    """What discards now takes over when a link fails. Where no loss is tried, nothing is said to
    hold.
    """
    ring = Ring()
    folder = asked(ring).folder
    claims = [f"{{join: [core-2:9, fern-1:9], withstand: {each}}}" for each in ("links", "both")]
    whole = verdicts(inkov, folder, *claims)
    assert [verdict for verdict, _ in whole] == ["holds", "holds"]
    assert verdicts(inkov, folder, *claims, now=True) == whole
    ring.ports["fern-1"]["2"] = TRUNK.replace("10,20", "20")
    ring.write(folder)
    lossy = verdicts(inkov, folder, *claims, now=True)
    assert [verdict for verdict, _ in lossy] == ["broken", "broken"]
    followed = inkov("follow", "core-2:9", "fern-1:9", "campus", "-f", "json").json
    assert [(one["verdict"], one["because"]) for one in followed["claims"]] == [
        ("undecided", "it would hold, but losses are not tried here: `inkov prove` does")
    ] * 2
    told = inkov("mend", "campus", "--claim", "1", "-f", "json").json
    [edit] = told["edits"]
    assert (edit["switch"], edit["name"], edit["after"]) == ("fern-1", "2", "10,20,99")
    # Without the link there is no spare.
    ring.cables.remove(("core-2", "2", "fern-1", "2"))
    ring.write(folder)
    told = inkov("mend", "campus", "--claim", "1").out
    assert "no edits that are known make it hold: without core-1:1 - core-2:1: what core" in told


@pytest.mark.parametrize("unsure", ["no tree is stated", "nobody knows who is root"])
def test_fm_7_11_a_claim_about_losses_hangs_on_the_trees(
    asked: Any, inkov: Inkov, unsure: str
) -> None:
    ring = Ring()
    if unsure == "no tree is stated":
        ring.trees["fern-1"], says = "", "fern-1 does not say whether it runs a spanning tree"
    else:
        ring.trees = dict.fromkeys(ring.trees, "mode: rstp\n")
        says = "Chance decides which ports discard"
    claims = ("{join: [vlan 10], withstand: links}", "join: [vlan 10]")
    (lost, plain) = verdicts(inkov, asked(ring).folder, *claims)
    assert lost[0] == "undecided" and says in lost[1] and plain[0] == "holds"


@pytest.mark.parametrize("guarded", [False, True])
def test_fm_7_1_a_switch_without_a_file_may_take_part_in_trees(
    asked: Any, inkov: Inkov, guarded: bool
) -> None:
    """If the box is a switch without VLAN 10 and root, fern-1 takes the way to it, and is cut off.
    A guard at one of its two ports keeps it out of circles.
    """
    ring = Ring()
    for name in ("core-1", "fern-1"):
        ring.ports[name]["8"] = TRUNK
        ring.cables.add((name, "8", "box", name))
    ring.ports["fern-1"]["8"] += "\nbpdu guard: on" * guarded
    folder = asked(ring).folder
    claims = ("join: [vlan 10]", "{join: [vlan 10], withstand: links}")
    says = "box is not among the files, and taken to take no part in the spanning trees at core-1:8"
    assert [verdict for verdict, _ in verdicts(inkov, folder, *claims)] == ["holds", "holds"]
    open_, sure = ("undecided", "holds") if not guarded else ("holds", "holds")
    for options, expected in (([], [sure, open_]), (["--now"], [open_, open_])):
        told = inkov("prove", "campus", "-f", "json", "--strict", *options).json["claims"]
        assert [one["verdict"] for one in told] == expected, options
        assert [any(says in each for each in one["assumes"]) for one in told] == [
            verdict == "undecided" for verdict in expected
        ]
    remarks = inkov("withstand", "campus", "-f", "json").json["remarks"]
    assert remarks == ([] if guarded else [f"Rests on: {says} and fern-1:8."])
    for command in (["tree"], ["trunks", "--now"], ["vlans", "--now"]):
        assert (says in inkov(*command, "campus").err) is not guarded, command


@pytest.mark.parametrize(
    ("mode", "second", "severity", "says"),
    [
        # Without core-1:1 - core-2:1 the host of core-2 could only go by fern-1.
        ("rstp", False, "risk", "; without core-1:1 - core-2:1, 1 host port is cut off"),
        # One tree for all takes the link that lacks the VLAN, since its ports come first.
        ("rstp", True, "risk", "; without core-1:1 - core-2:1, 1 host port is cut off"),
        ("per vlan", True, "note", "; no single link or switch is missed for that"),
    ],
)
def test_a_spare_link_is_judged_by_what_a_loss_would_do(
    asked: Any, inkov: Inkov, mode: str, second: bool, severity: str, says: str
) -> None:
    ring = Ring(mode)
    for name in ("core-2", "fern-1"):
        ring.ports[name]["2"] = TRUNK.replace("10,20", "20")
        if second:
            ring.ports[name]["3"] = TRUNK
    if second:
        ring.cables.add(("core-2", "3", "fern-1", "3"))
    asked(ring)
    audit = ("audit", "campus", "-f", "json", "--only", "spare-link-lacks-vlan")
    [spare] = inkov(*audit).json["findings"]
    assert spare["severity"] == severity and says in spare["says"], spare


@pytest.mark.parametrize("claimed", ["join: [vlan 10]", "reach: ['core-1:9', 'fern-1:9']"])
def test_fm_7_11_a_claim_about_losses_needs_links_to_spare(
    asked: Any, inkov: Inkov, claimed: str
) -> None:
    folder = asked(Ring()).folder
    plan = folder / "plan.yaml"

    def proved(claim: str, into: str, more: str = "") -> None:
        plan.write_text(f"{more}claims:\n  - {{{claim}, about: beds}}\n")
        inkov("prove", "campus", "--certificate", into)

    proved(f"{claimed}, withstand: both", "ring.json")
    result = inkov("verify", "ring.json", "campus")
    assert result.status == 0, result.out
    # One of which a link was taken out does not do, nor one for the same claim without losses.
    whole = json.loads((folder.parent / "ring.json").read_text())
    [entry] = whole["claims"]
    edges = entry["edges"]
    assert len(edges) == 3
    for edge in edges:
        entry["edges"] = [other for other in edges if other != edge]
        (folder.parent / "less.json").write_text(json.dumps(whole))
        result = inkov("verify", "less.json", "campus")
        assert result.status == 1 and "do not join the members without" in result.out, result.out
    proved(claimed, "plain.json")
    proved(f"{claimed}, withstand: both", "same.json")
    assert inkov("verify", "plain.json", "campus").out.endswith("The certificate is refused.\n")


def test_fm_7_11_a_certificate_is_left_out_where_the_tree_may_cut(asked: Any, inkov: Inkov) -> None:
    """One more link lacks VLAN 20. It costs so much that no single loss has the tree take it."""
    ring = Ring()
    for name in ("core-1", "fern-1"):
        ring.ports[name]["3"] = TRUNK if name == "core-1" else TRUNK.replace("10,20", "10")
    ring.cables.add(("core-1", "3", "fern-1", "3"))
    ring.more = dict.fromkeys(ring.more, "[tree]\ncost of 1,2,3: 20000\n")
    ring.more["fern-1"] += "cost of 3: 100000000\n"
    folder = asked(ring).folder
    plan = folder / "plan.yaml"
    for vid, status, says in (("10", 0, "verified"), ("20", 1, "is without a certificate")):
        plan.write_text(f"claims:\n  - {{join: [vlan {vid}], withstand: links}}\n")
        if vid == "20":
            for name in ("core-1", "core-2", "fern-1"):
                sheet = folder / f"{name}.sheet"
                sheet.write_text(sheet.read_text() + "[port 8]\nvlan: 20\n")
        [claim] = inkov("prove", "campus", "-f", "json", "--certificate", "c.json").json["claims"]
        assert claim["verdict"] == "holds", claim
        result = inkov("verify", "c.json", "campus")
        assert result.status == status and says in result.out + result.err, result.out + result.err


@pytest.mark.parametrize("name", ["core-2", "core-2*"])
def test_a_switch_that_fails_is_named_or_meant_by_a_pattern(
    asked: Any, inkov: Inkov, name: str
) -> None:
    """core-1 - core-2 - fern-1: without the one between, one of the others is alone."""
    ring = Ring()
    ring.cables -= {("core-1", "2", "fern-1", "1")}
    folder = asked(ring).folder
    (folder / "plan.yaml").write_text(f"together:\n  - {{parts: ['{name}'], about: the cellar}}\n")
    found = inkov("withstand", "campus", "-f", "json", "--losses", "together").json
    [loss] = found["losses"]
    assert loss["ports"] == 1 and loss["cut"] in (["core-1:9"], ["fern-1:9"])


def test_the_part_with_the_gateway_stays(asked: Any, inkov: Inkov) -> None:
    """However many are in the other one: they are cut off from their gateway."""
    ring = Ring()
    ring.cables -= {("core-1", "2", "fern-1", "1")}
    ring.more["core-1"] = "[gateway 10]\naddress: 10.0.10.1/24\n"
    ring.ports["fern-1"] |= {"5": "vlan: 10", "6": "vlan: 10"}
    folder = asked(ring).folder
    (folder / "plan.yaml").write_text("together:\n  - [core-1:1, 'core-2:1']\n")
    for kind in ("links", "together"):
        assert losses(inkov, "--losses", kind)["core-1:1 - core-2:1"]["cut"] == [
            *("core-2:9", "fern-1:5", "fern-1:6", "fern-1:9"),
        ]


def test_who_is_cut_off_is_named(asked: Any, inkov: Inkov) -> None:
    """core-2 and fern-1 hang by one link each; at fern-1:9 is a host with a name."""
    ring = Ring()
    ring.cables -= {("core-2", "2", "fern-1", "2")}
    answers = asked(ring)
    (answers.folder / "hosts.csv").write_text("host,switch,port\nmist,fern-1,9\n")
    losses = inkov("withstand", "campus", "--losses", "links", "-f", "json").json["losses"]
    cut = {loss["name"]: loss["cut"] for loss in losses}
    assert cut == {
        "core-1:1 - core-2:1": ["core-2:9"],
        "core-1:2 - fern-1:1": ["mist"],
    }


def test_fm_7_11_a_vlan_of_routers_alone_is_a_way_as_well(inkov: Inkov, tmp_path: Path) -> None:
    """Two routers with a routed port each, on two switches: nobody else is in their VLAN. What lies
    between them cuts the hosts of the one off from those of the other.
    """
    table = "[vlans]\n10: between\n[port 1]\nvlan: 10\n"
    trunk = "[port 9]\nmode: trunk\nnative: none\nallowed: 10\n"
    for number in (1, 2):
        (tmp_path / f"s{number}.sheet").write_text(
            f"inkov sheet 1\nswitch: s{number}\n{table}{trunk}"
        )
        (tmp_path / f"r{number}.sheet").write_text(
            f"inkov sheet 1\nswitch: r{number}\n[vlans]\n2{number}: beds\n[port 1]\n"
            f"vlan: 2{number}\n[port u]\nmode: routed\naddress: 10.0.10.{number}/24\n"
            f"[gateway 2{number}]\naddress: 10.0.2{number}.1/24\n"
        )
    (tmp_path / "cabling.csv").write_text(
        "switch,port,far switch,far port\ns1,1,r1,u\ns2,1,r2,u\ns1,9,s2,9\n"
    )
    found = inkov("withstand", ".", "--losses", "links,switches", "-f", "json").json["losses"]
    cut = {loss["name"]: loss["cut"] for loss in found}
    assert cut.keys() == {"r1:u - s1:1", "r2:u - s2:1", "s1:9 - s2:9", "s1", "s2"}
    assert all(ports == ["r2:1"] for ports in cut.values())


LEG = "mode: routed\naddress: 10.0.{}.1/24\n"


def test_fm_7_11_routers_that_do_not_all_talk_hang_on_one(inkov: Inkov, tmp_path: Path) -> None:
    """r1 and r2 are at protected ports of the VLAN between the routers: they know each other by r3
    alone. What leads to a router is no spare of another VLAN.
    """
    sheets = {"s": "[vlans]\n10: ferns\n20: beds\n30: transit\n40: fog\n"}
    for port in (1, 2):
        sheets["s"] += f"[port {port}]\nvlan: 30\nprotected: yes\n"
    rows = {3: 30, 11: 10, 12: 20, 13: 40, 21: 10, 22: 20, 24: 40, 31: 10}
    sheets["s"] += "".join(f"[port {port}]\nvlan: {vid}\n" for port, vid in rows.items())
    sheets["s"] += "[neighbours]\n1: r1:1\n2: r2:1\n3: r3:1\n11: r1:2\n12: r2:2\n13: r3:2\n"
    for number, vid in ((1, 10), (2, 20), (3, 40)):
        sheets[f"r{number}"] = "".join(
            f"[port {port}]\nmode: routed\naddress: 10.0.{subnet}/24\n"
            for port, subnet in ((1, f"30.{number}"), (2, f"{vid}.1"))
        )
    (tmp_path / "campus").mkdir()
    for name, text in sheets.items():
        (tmp_path / "campus" / f"{name}.sheet").write_text(
            f"inkov sheet 1\nswitch: {name}\n{text}[tree]\nmode: rstp\n"
        )
    found = losses(inkov, "--losses", "links,switches")
    told = {
        name: (one["routerless"], one["unrouted"], one["cut"], one["because"])
        for name, one in found.items()
    }
    assert told["r3"][:3] == ("40", "20", ["s:22", "s:24"])
    assert told["r2"][:3] == ("20", "none", ["s:22"])
    assert told["r2:1 - s:2"][:3] == ("none", "20", ["s:22"])
    assert told["r1:2 - s:11"][2:] == (["s:21", "s:31"], "there is no other link")


@pytest.mark.parametrize(
    ("facing", "router"),
    [
        (
            "[port 8]\nvlan: 10\n[port 9]\nvlan: 20\n",
            f"[port u]\n{LEG.format(10)}[port w]\n{LEG.format(20)}[neighbours]\nu: s:8\nw: s:9\n",
        ),
        (
            "[port 8]\nmode: trunk\nnative: none\nallowed: 10,20\n",
            f"[port u]\nmode: routed\n[sub u.10]\nof: u\ntag: 10\n{LEG.format(10)}"
            f"[sub u.20]\nof: u\ntag: 20\n{LEG.format(20)}[neighbours]\nu: s:8\n",
        ),
    ],
)
def test_fm_7_11_a_router_that_is_no_switch_is_lost_as_one(
    inkov: Inkov, tmp_path: Path, facing: str, router: str
) -> None:
    """Two VLANs on one switch, and one router in both, by two ports or by two sub-interfaces."""
    (tmp_path / "s.sheet").write_text(
        "inkov sheet 1\nswitch: s\n[vlans]\n10: ferns\n20: beds\n[port 1]\nvlan: 10\n[port 2]\n"
        f"vlan: 20\n{facing}"
    )
    (tmp_path / "r.sheet").write_text(f"inkov sheet 1\nswitch: r\n{router}")
    hosts = "".join(f"h{vid},s,{vid // 10},10.0.{vid}.5/24,10.0.{vid}.1\n" for vid in (10, 20))
    (tmp_path / "hosts.csv").write_text(f"host,switch,port,address,gateway\n{hosts}")
    claim = "{reach: [h10, h20], layer: 3"
    (tmp_path / "plan.yaml").write_text(
        f"claims:\n  - {claim}}}\n  - {claim}, withstand: switches}}\n"
    )
    claims = inkov("prove", ".", "-f", "json").json["claims"]
    assert [one["verdict"] for one in claims] == ["holds", "broken"]
    assert claims[1]["because"].startswith("without r: ")
    lost = inkov("withstand", ".", "--losses", "switches", "-f", "json").json["losses"]
    [gone] = [loss for loss in lost if loss["name"] == "r"]
    assert sorted(gone["cut"]) == ["h10", "h20"]


def test_fm_7_11_who_is_at_a_routed_port_is_named_as_not_looked_at(
    inkov: Inkov, tmp_path: Path
) -> None:
    for name, port in (("r1", "mode: routed\naddress: 10.9.0.1/24"), ("r2", "vlan: 20")):
        number = int(name[1])
        (tmp_path / f"{name}.sheet").write_text(
            f"inkov sheet 1\nswitch: {name}\n[vlans]\n20: pumps\n[port 1]\n{port}\n[port u]\n"
            f"mode: routed\naddress: 10.0.0.{number}/30\n"
            + ("[gateway 20]\naddress: 10.20.0.1/24\n" if number == 2 else "")
            + f"[neighbours]\nu: r{3 - number}:u\n"
        )
    (tmp_path / "hosts.csv").write_text("host,switch,port\nfogger,r1,1\npump,r2,1\n")
    told = inkov("withstand", ".").out
    assert "hosts at routed ports (fogger) only the claims of the plan tell" in told


@pytest.mark.parametrize(
    ("tree", "odd"),
    [
        ("mode: mstp\nregion: north", ["the region 'north' is stated, and no VLANs of any"]),
        ("mode: rstp\nregion: north", []),
        ("mode: mstp\nregion: north\n[tree 10]\nnumber: 1", []),
        (
            "mode: mstp\nregion: north\n[tree 10]\nnumber: 1\n[tree 10,20]\nnumber: 2",
            ["VLAN 10 is in instance 1 and in 2"],
        ),
        ("mode: rstp\ncost of 1: 0", ["the cost of 1 is 0, and not from 1 to 200000000"]),
        ("mode: rstp\ncost of 1: 200000000", []),
        ("mode: stp\ncost of 1: 65536", ["the cost of 1 is 65536, and not from 1 to 65535"]),
        ("mode: rstp\nexternal cost of 1: 20", ["a cost between regions is stated for 1"]),
        ("mode: mstp\nregion: north\nexternal cost of 1: 20\n[tree 10]\nnumber: 1", []),
        ("mode: rstp\npriority: 5000", ["the priority is 5000, and not from 0 to 61440, in"]),
        ("mode: stp\npriority: 5000", []),
        # A priority may be shown with the number of its tree in it.
        ("mode: per vlan\n[tree 10]\npriority: 4106", []),
        ("mode: per vlan\n[tree 10]\npriority: 4107", ["the priority is 4107, and not from"]),
        (
            "mode: rstp\n[tree 10]\npriority: 4096\n[tree 20]\npriority: 8192",
            ["runs rstp, one tree for all, and states another one for VLAN 20"],
        ),
        ("mode: rstp\n[tree 10]\npriority: 4096\n[tree 20]\npriority: 4096", []),
    ],
)
def test_settings_that_cannot_be(inkov: Inkov, tmp_path: Path, tree: str, odd: list[str]) -> None:
    (tmp_path / "a.sheet").write_text(
        "inkov sheet 1\nswitch: a\n[vlans]\n10: ferns\n20: beds\n[port 1]\nvlan: 10\n[port 2]\n"
        f"vlan: 20\n[tree]\n{tree}\n"
    )
    ran = inkov("audit", ".", "--only", "tree-setting-odd", "-f", "json")
    assert ran.err == ""
    told = [one["says"].removeprefix("a: ") for one in ran.json["findings"]]
    assert len(told) == len(odd) and all(map(str.startswith, told, odd)), told


def test_only_connection_withstands(asked: Any, inkov: Inkov) -> None:
    folder = asked(Ring()).folder
    (folder / "plan.yaml").write_text(
        "claims:\n  - {isolate: [vlan 10], from: [vlan 20], withstand: links}\n"
    )
    result = inkov("prove", "campus")
    assert "`withstand` belongs to `join` and `reach`" in result.err


def test_what_is_not_there_is_not_said_to_be_well(asked: Any, inkov: Inkov) -> None:
    asked(Ring())
    assert "no spanning tree is for VLAN 77" in inkov("tree", "campus", "--vlan", "77").err
    assert "nobody uses VLAN 77" in inkov("withstand", "campus", "--vlan", "77").err


@pytest.mark.parametrize(
    "text", ["12", "02:00:00:00:00", "02:00:00:00:00:001", "02:00:00:00:00:0g"]
)
def test_what_is_no_address(text: str) -> None:
    with pytest.raises(ValueError, match="no address of a bridge"):
        address_text(text)


OFF = "state: off"


def _at(folder: Any, name: str, port: str, line: str) -> str:
    """Where a line of a port's section stands."""
    lines = (folder / f"{name}.sheet").read_text().splitlines()
    return f"{name}.sheet:{lines.index(line, lines.index(f'[port {port}]')) + 1}"


@pytest.mark.parametrize(
    ("spare", "lost", "because", "line"),
    [
        (OFF, "core-1:2 - fern-1:1", "the spare core-2:2 - fern-1:2 is shut", OFF),
        (
            TRUNK.replace("10,20", "20"),
            "core-1:2 - fern-1:1",
            "the spare core-2:2 - fern-1:2 does not pass VLAN 10: "
            "the allowed list of fern-1:2 (20,99) does not hold VLAN 10",
            "allowed: 20,99",
        ),
        (
            f"{TRUNK}\nbpdu guard: on",
            "core-1:2 - fern-1:1",
            "the spanning tree blocks the spare core-2:2 - fern-1:2",
            "",
        ),
        (None, "core-1:2 - fern-1:1", "there is no other link", ""),
        (None, "core-1", "every way leads through core-1", ""),
        ("twice", "core-1", "all 2 cables lead to core-1", ""),
    ],
)
def test_why_nothing_stands_in_for_what_is_lost(
    asked: Any, spare: str | None, lost: str, because: str, line: str
) -> None:
    """fern-1 hangs on core-1, and moss-1 on fern-1; the spare of both towards core-2 is of no use,
    or not there, or leads to core-1 as well.
    """
    ring = Ring()
    if lost != "core-1":  # else core-2 is the smaller part that falls off
        ring.add("moss-1", "mode: rstp\n", {"1": TRUNK, "9": "vlan: 10"})
        ring.ports["fern-1"]["3"] = TRUNK
        ring.cables.add(("fern-1", "3", "moss-1", "1"))
    if spare in (None, "twice"):
        ring.cables.remove(("core-2", "2", "fern-1", "2"))
    else:
        ring.ports["fern-1"]["2"] = str(spare)
    if spare == "twice":
        ring.ports["core-1"]["3"] = TRUNK
        ring.cables.add(("core-1", "3", "fern-1", "2"))
    answers = asked(ring)
    told = answers.inkov("withstand", "campus", "-f", "json").json["losses"]
    rows = {row["name"].removeprefix("link "): row for row in told}
    [row] = [row for name, row in rows.items() if name.endswith(lost)]
    assert row["because"].startswith(because), row
    if line:
        where = f"{row['origin']['file'].rpartition('/')[2]}:{row['origin']['line']}"
        assert where == _at(answers.folder, "fern-1", "2", line)


@pytest.mark.parametrize(
    ("speed", "short", "long"),
    [
        (1, 250, 20_000_000),
        (4, 250, 5_000_000),
        (10, 100, 2_000_000),
        (16, 62, 1_250_000),
        (100, 19, 200_000),
        (999, 19, 20_020),
        (1_000, 4, 20_000),
        (10_000, 2, 2_000),
        (100_000, 2, 200),
        (10**9, 2, 1),
    ],
)
def test_the_recommended_costs(speed: int, short: int, long: int) -> None:
    """Table 8-5 of IEEE 802.1D-1998, and Table 13-4 of IEEE 802.1Q-2018."""
    costs = [default_cost(mode, speed) for mode in (TreeMode.STP, TreeMode.RSTP, TreeMode.MSTP)]
    assert costs == [short, long, long]


def test_of_a_loss_only_the_vlans_that_are_asked_for(inkov: Inkov, tmp_path: Path) -> None:
    """a routes 10 and 11 for the hosts of b."""
    rows = "[vlans]\n10: ferns\n11: beds\n[port 1]\nvlan: 10\n[port 2]\nvlan: 11\n"
    up = "[port 7]\nmode: trunk\nnative: none\nallowed: 10,11\n[neighbours]\n7: {}:7\n"
    gateways = "".join(f"[gateway {vid}]\naddress: 10.0.{vid}.1/24\n" for vid in (10, 11))
    for name, far, more in (("a", "b", gateways), ("b", "a", "")):
        text = f"inkov sheet 1\nswitch: {name}\n{rows}{more}{up.format(far)}"
        (tmp_path / f"{name}.sheet").write_text(text)
    for asked, told in ((("-v", "10"), "10"), (("-v", "11"), "11"), ((), "10-11")):
        losses = inkov("withstand", ".", *asked, "-f", "json").json["losses"]
        assert {loss["kind"]: loss["routerless"] for loss in losses} == {
            "router": told,
            "link": "none",
            "switch": told,
        }


def test_of_two_ports_on_one_wire_the_second_is_a_backup(inkov: Inkov, tmp_path: Path) -> None:
    """802.1D: the port with the lower number speaks for the wire, the other one discards."""
    (tmp_path / "a.sheet").write_text(
        "inkov sheet 1\nswitch: a\n[vlans]\n10: ferns\n[port 1..3]\nvlan: 10\nspeed: 1000\n"
        "[neighbours]\n2: a:3\n[tree]\nmode: rstp\naddress: 02:00:00:00:00:01\n"
    )
    [tree] = inkov("tree", ".", "-f", "json").json["trees"]
    assert [(p["port"], p["role"], p["state"], p["because"]) for p in tree["ports"]][-2:] == [
        ("2", "designated", "forwarding", "a is the root"),
        ("3", "backup", "discarding", "2 of the same switch speaks for this wire"),
    ]


def test_what_is_seen_of_a_vlan_s_root_is_held_against_the_tree_of_that_vlan(
    inkov: Inkov, tmp_path: Path
) -> None:
    """a is root in VLAN 20 and b in VLAN 10. a sees itself as root in both."""
    trunk = "[vlans]\n10: ferns\n20: beds\n[port 1]\nmode: trunk\nallowed: 10,20\nspeed: 1000\n"
    own = "[tree]\nmode: per vlan\naddress: 02:00:00:00:00:0{}\n[tree {}]\npriority: 4096\n"
    seen = "root: 02:00:00:00:00:01\n[tree 10]\nroot: 02:00:00:00:00:01\n"
    for number, (name, far, vid) in enumerate((("a", "b", 20), ("b", "a", 10)), 1):
        tree = own.format(number, vid) + (seen if name == "a" else "")
        (tmp_path / f"{name}.sheet").write_text(
            f"inkov sheet 1\nswitch: {name}\n{trunk}{tree}[neighbours]\n1: {far}:1\n"
        )
    told = {
        tree["vlans"]: (tree["root"], [(one["root"], one["differs"]) for one in tree["seen_roots"]])
        for tree in inkov("tree", ".", "-f", "json").json["trees"]
    }
    assert told == {"10": ("b", [("a", True)]), "20": ("a", [("a", False)])}
