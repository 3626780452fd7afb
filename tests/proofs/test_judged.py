"""Small campuses in two states: in the one a claim holds, in the other it is broken. Both verdicts
follow from the files; both certificates are true; and what was certified of the one is refused of
the other.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from itertools import combinations, pairwise
from pathlib import Path
from typing import Any, NamedTuple

import pytest

from tests.conftest import Inkov
from tests.forwarding.trees.ring import Ring

VLANS = "[vlans]\n10: ferns\n20: beds\n30: fog\n"


def a(*parts: str, name: str = "a", reports: str = "") -> str:
    neighbours = f"[neighbours]\n{reports}" if reports else ""
    return f"inkov sheet 1\nswitch: {name}\n{VLANS}{''.join(parts)}{neighbours}"


def port(name: str, *lines: str) -> str:
    return "\n".join([f"[port {name}]", *lines, ""])


def trunk(name: str, allowed: str, native: str = "none", word: str = "port") -> str:
    return f"[{word} {name}]\nmode: trunk\nallowed: {allowed}\nnative: {native}\n"


FERNS, BEDS = port("1", "vlan: 10"), port("2", "vlan: 20")


class Case(NamedTuple):
    """A claim, the files in which it holds, and those that are otherwise where it is broken."""

    claim: str
    holds: Mapping[str, str]
    broken: Mapping[str, str]


def link(one: str = "10,20", other: str = "10,20", native: str = "none") -> dict[str, str]:
    """a and b, joined by bundles of two cables; hosts of VLAN 10 at port 1, of 20 at port 2."""
    members = "members: 7,8\n"
    return {
        "a.sheet": a(FERNS, BEDS, trunk("up", one, native, "bundle") + members),
        "b.sheet": a(
            *(FERNS, BEDS, trunk("up", other, native, "bundle") + members),
            name="b",
            reports="7: a:7\n8: a:8\n",
        ),
    }


def mixed(native: str) -> dict[str, str]:
    """The same with another native VLAN on b than on a, where it is 10."""
    files = link("10,20", "10,20", "10")
    return files | {"b.sheet": files["b.sheet"].replace("native: 10", f"native: {native}")}


def shut(ports: str) -> dict[str, str]:
    """The same with members of a's bundle off."""
    files = link()
    return files | {"a.sheet": files["a.sheet"] + port(ports, "state: off")}


def on_a_wire(vid: str) -> dict[str, str]:
    """A wire between access ports with a host on it besides, and a voice VLAN at one end."""
    return {
        "a.sheet": a(FERNS, port("2", f"vlan: {vid}"), port("5", "vlan: 10", "voice: 20")),
        "b.sheet": a(port("5", "vlan: 10"), name="b", reports="5: a:5\n"),
        "hosts.csv": "host,switch,port\nlamp,a,5\n",
    }


GENERAL = "mode: general", "pvid: 10", "tagged: 30"
OPEN = trunk("5", "10,20")
HOST = "host,switch,port,vlan\nmist,a,5,20\n"

CASES = {
    "a voice VLAN is another way in": Case(
        "isolate: [a:1], from: [a:2], level: hostile",
        {"a.sheet": a(FERNS, BEDS)},
        {"a.sheet": a(FERNS, port("2", "vlan: 20", "voice: 10"))},
    ),
    "native VLANs over a bundle": Case("isolate: [10, 20]", mixed("10"), mixed("20")),
    "a bundle that lacks a VLAN": Case("join: [ferns]", link(), link(other="20")),
    "a bundle of which a member is left": Case("join: [ferns]", shut("7"), shut("7,8")),
    "a tag behind a port": Case(
        "not-reach: ['a:5 tagged 20', a:1]",
        {"a.sheet": a(FERNS, BEDS, OPEN)},
        {"a.sheet": a(port("1", "vlan: 20"), BEDS, OPEN)},
    ),
    "a named host is heard with its tag": Case(
        "not-reach: [mist, a:1]",
        {"a.sheet": a(FERNS, BEDS, OPEN), "hosts.csv": HOST},
        {"a.sheet": a(port("1", "vlan: 20"), BEDS, OPEN), "hosts.csv": HOST},
    ),
    "a hostile host takes any form of its port": Case(
        "not-reach: [mist, a:1], level: hostile",
        {"a.sheet": a(FERNS, BEDS, trunk("5", "20")), "hosts.csv": HOST},
        {"a.sheet": a(FERNS, BEDS, trunk("5", "10")), "hosts.csv": HOST},
    ),
    "a phone on a wire between switches": Case(
        "not-reach: ['a:5 tagged 20', a:2]", on_a_wire("30"), on_a_wire("20")
    ),
    "everybody": Case(
        "not-reach: [everything, a:1]",
        {"a.sheet": a(FERNS, BEDS)},
        {"a.sheet": a(FERNS, BEDS, port("3", "vlan: 10"))},
    ),
    "ports by pattern": Case(
        "isolate: ['a:1*'], from: ['b:*'], one-way: no",
        link(one="20"),
        link(),
    ),
    "ports of any switch by their number": Case(
        "isolate: ['?:1'], from: ['a:2']",
        link(),
        {name: text.replace(BEDS, port("2", "vlan: 10")) for name, text in link().items()},
    ),
    "all but some": Case(
        "isolate: [10], from: everything, except: [a:2]", mixed("10"), mixed("20")
    ),
    "where a VLAN may be": Case(
        "carried-by: {vlans: 10, on: [a]}",
        link(one="20", other="20") | {"b.sheet": a(BEDS, trunk("7", "20"), name="b")},
        link(),
    ),
    "protected ports": Case(
        "not-reach: [a:1, a:3]",
        {"a.sheet": a(port("1,3", "vlan: 10", "protected: yes"))},
        {"a.sheet": a(port("1", "vlan: 10", "protected: yes"), port("3", "vlan: 10"))},
    ),
    "a general port that filters nothing": Case(
        "isolate: [a:5], from: [a:2], level: hostile",
        {"a.sheet": a(FERNS, BEDS, port("5", *GENERAL, "ingress filtering: on"))},
        {"a.sheet": a(FERNS, BEDS, port("5", *GENERAL, "ingress filtering: off"))},
    ),
    "a router between": Case(
        "isolate: [10], from: [20], layer: 3",
        {"a.sheet": a(FERNS, BEDS, "[gateway 10]\naddress: 10.0.10.1/24\n")},
        {
            "a.sheet": a(
                *(FERNS, BEDS, "[gateway 10]\naddress: 10.0.10.1/24\n"),
                "[gateway 20]\naddress: 10.0.20.1/24\n",
            )
        },
    ),
}


def written(folder: Path, files: Mapping[str, str], claim: str) -> None:
    folder.mkdir()
    for name, text in files.items():
        (folder / name).write_text(text)
    (folder / "plan.yaml").write_text(f"claims:\n  - {{{claim}}}\n")


@pytest.mark.parametrize("case", CASES)
def test_both_states_are_judged_and_certified(inkov: Inkov, tmp_path: Path, case: str) -> None:
    claim, *states = CASES[case]
    entries: list[Any] = []
    for name, files in zip(("holds", "broken"), states, strict=True):
        folder = tmp_path / name
        written(folder, files, claim)
        said = inkov("prove", folder, "-f", "json", "-q").json["claims"]
        assert [one["verdict"] for one in said] == [name], said[0]["because"]
        certificate = tmp_path / f"{name}.json"
        inkov("prove", folder, "--certificate", certificate, "-q")
        checked = inkov("verify", certificate, folder, "-q")
        assert "refused" not in checked.out, checked.out
        assert checked.status == (0 if name == "holds" else 1), checked.out
        entries.append(json.loads(certificate.read_text()))
    # Each certificate with the entry of the other.
    for at, name in enumerate(("holds", "broken")):
        forged = entries[at] | {"claims": entries[1 - at]["claims"]}
        (tmp_path / "forged.json").write_text(json.dumps(forged))
        checked = inkov("verify", tmp_path / "forged.json", tmp_path / name, "-q")
        assert checked.status == 1 and "refused" in checked.out, (name, checked.out)


@pytest.mark.parametrize(
    ("withstand", "together", "name"),
    [
        ("links", "core-1:1", "holds"),
        ("links", "'core-1:1', 'fern-1:2'", "broken"),  # core-2 by itself
        ("links", "'core-2:*'", "broken"),
        ("links", "'*:1'", "broken"),  # all but core-2 to fern-1
        ("links", "core-2", "holds"),  # switches are not to be lost
        ("switches", "core-2", "holds"),
        ("both", "core-2, 'core-1:2'", "broken"),
        ("both", "'core-?'", "holds"),  # nobody is left but fern-1
        ("switches", "'core-1:1', 'fern-1:2'", "holds"),  # links are not to be lost
    ],
)
def test_what_fails_together_is_taken_away_together(
    inkov: Inkov, tmp_path: Path, withstand: str, together: str, name: str
) -> None:
    """A ring: whatever single thing is lost, its hosts hear each other. What was certified without
    a word of what fails together is refused where that parts them.
    """
    ring, folder = Ring(), tmp_path / "in"
    folder.mkdir()
    ring.write(folder)
    plan = f"claims:\n  - {{join: [ferns], withstand: {withstand}}}\n"
    written = {"alone": plan, name: f"{plan}together:\n  - [{together}]\n"}
    made: dict[str, Any] = {}
    for each, text in written.items():
        (folder / "plan.yaml").write_text(text)
        said = inkov("prove", folder, "--certificate", tmp_path / "c.json", "-f", "json", "-q")
        [one] = said.json["claims"]
        assert one["verdict"] == ("holds" if each == "alone" else name), one["because"]
        checked = inkov("verify", tmp_path / "c.json", folder, "-q")
        assert "refused" not in checked.out, checked.out
        assert checked.status == (0 if one["verdict"] == "holds" else 1), checked.out
        made[each] = json.loads((tmp_path / "c.json").read_text())
    forged = made[name] | {"claims": made["alone"]["claims"]}
    (tmp_path / "forged.json").write_text(json.dumps(forged))
    checked = inkov("verify", tmp_path / "forged.json", folder, "-q")
    refused = "the links do not join the members without" in checked.out
    assert refused is (name == "broken"), checked.out


def test_of_many_that_hold_those_about_nobody_give_their_reason(
    inkov: Inkov, tmp_path: Path
) -> None:
    """Six VLANs with a host each, all apart; and a seventh with nobody in it."""
    vids = range(11, 17)
    hosts = "".join(port(str(vid), f"vlan: {vid}") for vid in vids)
    rows = "".join(f"{vid}: bed-{vid}\n" for vid in (*vids, 17))
    (tmp_path / "a.sheet").write_text(f"inkov sheet 1\nswitch: a\n[vlans]\n{rows}{hosts}")
    claims = [f"  - isolate: [{a}, {b}]\n" for a, b in combinations((*vids, 17), 2)]
    (tmp_path / "plan.yaml").write_text("claims:\n" + "".join(claims))
    out = inkov("prove", ".").out.splitlines()
    reasoned = [line for line, below in pairwise(out) if below.startswith("  ")]
    assert sum(line.startswith("HOLDS") for line in out) == len(claims) == 21
    assert len(reasoned) == 6 and all("17]" in line or " 17" in line for line in reasoned)


def test_a_way_past_a_switch_twice_settles_nothing(inkov: Inkov, tmp_path: Path) -> None:
    """VLAN 20 of a turns into 10 on b, and comes back: no tree lets that through for sure, be it
    a frame of h, or one that was routed before.
    """
    own = [port("h", "vlan: 20"), port("t", "vlan: 10"), port("x", "vlan: 30")]
    routes = [f"[gateway {vid}]\naddress: 10.0.{vid}.1/24\n" for vid in (20, 30)]
    links = trunk("1", "20", "20"), trunk("2", "10")
    (tmp_path / "a.sheet").write_text(a(*own, *links, *routes, reports="1: b:1\n2: b:2\n"))
    back = trunk("1", "10", "10"), trunk("2", "10")
    (tmp_path / "b.sheet").write_text(a(*back, name="b", reports="1: a:1\n2: a:2\n"))
    claims = ("not-reach: ['a:h', 'a:t']", "not-reach: ['a:x', 'a:t'], layer: 3")
    (tmp_path / "plan.yaml").write_text("claims:\n" + "".join(f"  - {{{c}}}\n" for c in claims))
    judged = inkov("prove", ".", "-f", "json").json["claims"]
    assert [one["verdict"] for one in judged] == ["undecided", "undecided"]
    assert all("only by ways that pass a switch twice" in one["because"] for one in judged)


@pytest.mark.parametrize(("vid", "split"), [(30, False), (10, True)])
def test_behind_a_tag_there_is_somebody_if_there_is_a_gateway(
    inkov: Inkov, tmp_path: Path, vid: int, split: bool
) -> None:
    """a and b share VLAN 10. r has its tag, into a bridge with nothing else but a gateway: only one
    in that VLAN is somebody there, whom the trunk to r cuts off.
    """
    behind = (
        "[port w]\nmode: trunk\nallowed: none\n[sub w.10]\nof: w\ntag: 10\nvlan: 10\n"
        f"[bridge pond]\nports: w.10\n[gateway {vid} in pond]\naddress: 10.0.0.1/24\n"
    )
    links = trunk("7", "20"), trunk("8", "10,20")
    (tmp_path / "a.sheet").write_text(a(FERNS, *links, reports="7: r:w\n8: b:8\n"))
    (tmp_path / "b.sheet").write_text(a(FERNS, links[1], name="b", reports="8: a:8\n"))
    (tmp_path / "r.sheet").write_text(a(behind, name="r", reports="w: a:7\n"))
    judged = inkov("prove", ".", "--certificate", "c.json", "-f", "json").json["claims"]
    verdicts = {one["claim"]: one["verdict"] for one in judged}
    assert verdicts["VLAN 10 is not split"] == ("broken" if split else "holds")
    checked = inkov("verify", "c.json", ".")
    assert ("not verified" in checked.out) is split and checked.status == split
