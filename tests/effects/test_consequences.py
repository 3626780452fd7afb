"""What a change does to the campus as a whole: from two folders to each sentence of it. What is
said of links and islands of many small campuses is in `test_whole`.
"""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

import pytest

from tests.conftest import Inkov

Told = set[tuple[str, str, str, bool]]
LINK = "a:8 - b:8"


def switch(
    name: str, hosts: Mapping[str, int], trunks: Mapping[str, tuple[str, str]], more: str = ""
) -> str:
    """A sheet: the VLANs of its hosts by port; its trunks with what they allow and lead to."""
    text = f"inkov sheet 1\nswitch: {name}\n[vlans]\n10: ferns\n20: beds\n30: fog\n"
    text += "".join(f"[port {port}]\nvlan: {vid}\n" for port, vid in hosts.items())
    for port, (allowed, _) in trunks.items():
        text += f"[port {port}]\nmode: trunk\nnative: none\nallowed: {allowed}\n"
    return f"{text}{more}[neighbours]\n" + "".join(
        f"{port}: {far}\n" for port, (_, far) in trunks.items()
    )


def two(allowed: str, hosts: str = "10,20", more: str = "") -> dict[str, str]:
    """a and b with a trunk between them, and hosts in the same VLANs on both."""
    at = {str(number): int(vid) for number, vid in enumerate(hosts.split(","), 1)}
    return {
        "a": switch("a", at, {"8": (allowed, "b:8")} if allowed else {}, more),
        "b": switch("b", at, {"8": (allowed, "a:8")} if allowed else {}),
    }


def ring(*without: str, vid: int = 10) -> dict[str, str]:
    """a - b - c, and c back to a, `without` the links at some ports; hosts in VLAN 10 on a and c
    (and b), in VLAN 20 on a and c.
    """
    ends = {"a": ("b:8", "c:7"), "b": ("c:8", "a:7"), "c": ("a:8", "b:7")}
    sheets = {}
    for name, (up, down) in ends.items():
        trunks = {"7": ("10,20", up), "8": ("10,20", down)}
        trunks = {port: end for port, end in trunks.items() if f"{name}:{port}" not in without}
        sheets[name] = switch(name, {"1": vid} if name == "b" else {"1": 10, "2": 20}, trunks)
    return sheets


def in_vlan_1(sheets: dict[str, str]) -> dict[str, str]:
    """The same with VLAN 1 in place of VLAN 10."""
    return {
        name: text.replace("10: ferns", "1: ferns")
        .replace("vlan: 10\n", "vlan: 1\n")
        .replace("allowed: 10,", "allowed: 1,")
        for name, text in sheets.items()
    }


def trees(root: str) -> dict[str, str]:
    """The ring with hosts in VLANs 1 and 10, and a tree for each: that of VLAN 1 has its root at a,
    that of VLAN 10 at `root`, and c comes last in both.
    """
    sheets = {}
    for number, (name, text) in enumerate(ring(vid=1).items(), 1):
        first = {"a": 4096, "b": 8192, "c": 12288}
        other = first[name] if root == "a" else {"a": 8192, "b": 4096, "c": 12288}[name]
        sheets[name] = (
            text.replace("allowed: 10,20", "allowed: 1,10").replace("vlan: 20", "vlan: 1")
            + f"[tree]\nmode: per vlan\naddress: 00:00:5e:00:53:0{number}\n"
            f"[tree 1]\npriority: {first[name]}\n[tree 10]\npriority: {other}\n"
        )
    return sheets


def opened(vlans: str) -> Told:
    """What is told of the ring that is opened between a and c."""
    return {
        ("link", "a:8 - c:7", f"is there no more; it carried VLANs {vlans}", False),
        ("spare", "a:7 - b:8", f"is the only way left of VLANs {vlans}: there was a spare", True),
        ("spare", "b:7 - c:8", f"is the only way left of VLANs {vlans}: there was a spare", True),
        (
            *("switch", "b"),
            f"is the only way left between members of VLANs {vlans}: there was one past it",
            True,
        ),
    }


GATEWAY = "[gateway 10]\naddress: 10.0.10.1/24\n"
OFF = f"{GATEWAY}state: off\n"

CASES: dict[str, tuple[dict[str, str], dict[str, str], Told]] = {
    "two VLANs that are needed go": (
        two("10,20,30"),
        two("30"),
        {
            ("link", LINK, "carries VLANs 10,20 no more, and should", True),
            ("islands", "", "VLANs 10,20: in 2 islands instead of 1", True),
        },
    ),
    "a gateway comes": (
        two("10,20"),
        two("10,20", more=GATEWAY),
        {("gateway", "a VLAN 10", "is new, and up", False)},
    ),
    "a gateway comes that is shut": (
        two("10,20"),
        two("10,20", more=OFF),
        {("gateway", "a VLAN 10", "is new, and down: it is shut", True)},
    ),
    "a gateway goes": (
        two("10,20", more=GATEWAY),
        two("10,20"),
        {("gateway", "a VLAN 10", "is gone", True)},
    ),
    "a gateway goes that was shut": (
        two("10,20", more=OFF),
        two("10,20"),
        {("gateway", "a VLAN 10", "is gone", False)},
    ),
    "a gateway is shut": (
        two("10,20", more=GATEWAY),
        two("10,20", more=OFF),
        {("gateway", "a VLAN 10", "is down: it is shut", True)},
    ),
    "a gateway is shut no more": (
        two("10,20", more=OFF),
        two("10,20", more=GATEWAY),
        {("gateway", "a VLAN 10", "is up", False)},
    ),
    "a ring is opened": (
        ring(),
        ring("a:8", "c:7"),
        opened("10,20"),
    ),
    "a ring of VLAN 1 is opened": (
        in_vlan_1(ring()),
        in_vlan_1(ring("a:8", "c:7")),
        opened("1,20"),
    ),
    # c's port that is not nearest to the root discards: towards b while a is the root, towards a
    # while b is.
    "the root of one of two trees moves": (
        trees("a"),
        trees("b"),
        {
            (
                *("tree", ""),
                "VLAN 10: the root of the spanning tree is b, it was a",
                False,
            ),
            ("tree", "a:8 - c:7", "is blocked by the spanning tree for VLAN 10 now", False),
            (
                *("tree", "b:7 - c:8"),
                "is not blocked by the spanning tree for VLAN 10 any more",
                False,
            ),
        },
    ),
    "a way is led through another switch": (
        ring("a:7", "b:8", "b:7", "c:8", vid=30),
        ring("a:8", "c:7", vid=30),
        {
            ("link", "a:8 - c:7", "is there no more; it carried VLANs 10,20", False),
            ("link", "a:7 - b:8", "is new, and carries VLANs 10,20", False),
            ("link", "b:7 - c:8", "is new, and carries VLANs 10,20", False),
            (
                *("switch", "b"),
                "is the only way left between members of VLANs 10,20: there was one past it",
                True,
            ),
        },
    ),
    # b is the only way from a to c, which had none; and a has none to d any more.
    "one that had another way is cut off, and a third is joined": (
        {
            "a": switch("a", {"1": 10}, {"8": ("10", "d:8")}),
            "b": switch("b", {}, {}),
            "c": switch("c", {"1": 10}, {"9": ("10", "e:9")}),
            "e": switch("e", {"1": 10}, {"9": ("10", "c:9")}),
            "d": switch("d", {"1": 10}, {"8": ("10", "a:8")}),
        },
        {
            "a": switch("a", {"1": 10}, {"7": ("10", "b:7")}),
            "b": switch("b", {}, {"7": ("10", "a:7"), "8": ("10", "c:8")}),
            "c": switch("c", {"1": 10}, {"8": ("10", "b:8"), "9": ("10", "e:9")}),
            "e": switch("e", {"1": 10}, {"9": ("10", "c:9")}),
            "d": switch("d", {"1": 10}, {}),
        },
        {
            ("link", "a:8 - d:8", "is there no more; it carried VLAN 10", False),
            ("link", "a:7 - b:7", "is new, and carries VLAN 10", False),
            ("link", "b:8 - c:8", "is new, and carries VLAN 10", False),
        },
    ),
}


@pytest.mark.parametrize("case", CASES)
def test_consequences(inkov: Inkov, tmp_path: Path, case: str) -> None:
    old, new, expected = CASES[case]
    for side, sheets in (("old", old), ("new", new)):
        (tmp_path / side).mkdir()
        for name, text in sheets.items():
            (tmp_path / side / f"{name}.sheet").write_text(text)
    found = inkov("compare", tmp_path / "old", tmp_path / "new", "-f", "json", "-q").json
    told = {
        (one["about"], one["name"] or "", one["says"], one["worse"])
        for one in found["consequences"]
    }
    assert told == expected
    comment = inkov("compare", tmp_path / "old", tmp_path / "new", "-f", "markdown", "-q").out
    assert f"<summary>On the campus as a whole ({len(expected)})</summary>" in comment
    assert all(says in comment for _, _, says, _ in expected)


def test_a_tree_that_one_side_says_nothing_of_is_not_held_against_the_other(
    inkov: Inkov, tmp_path: Path
) -> None:
    for side, tree in (("silent", ""), ("told", "[tree]\nmode: rstp\npriority: 4096\n")):
        (tmp_path / side).mkdir()
        for name, text in two("10,20", more=tree).items():
            (tmp_path / side / f"{name}.sheet").write_text(text)
    for sides in (("silent", "told"), ("told", "silent")):
        found = inkov("compare", *(tmp_path / side for side in sides), "-f", "json", "-q")
        assert found.status == 0 and found.json["consequences"] == []
