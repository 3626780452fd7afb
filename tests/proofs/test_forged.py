"""Forged certificates: one for each refusal of the verifier, on campuses of two or three switches.

Each is false for one reason, and must be refused for that one. A last test sees that no refusal is
left out.
"""

from __future__ import annotations

import json
import re
from itertools import permutations
from pathlib import Path
from typing import Any

import pytest

import inkov.verify
from inkov.campus import Campus
from inkov.forwarding import resolve
from inkov.levels import Level
from inkov.plan import read_plan, vlan_names
from inkov.proofs import prove
from inkov.verify import PacketModel, Refused, check_certificate, wires_of
from inkov.verify.certificates import verify_entry
from inkov.wiring import wire
from tests.conftest import Inkov, campus_of

VLANS = "[vlans]\n10: ten\n20: twenty\n"


def host(name: str, vid: int, *more: str) -> str:
    return "\n".join((f"[port {name}]", f"vlan: {vid}", *more)) + "\n"


def trunk(name: str, allowed: str, *more: str) -> str:
    return "\n".join((f"[port {name}]", "mode: trunk", f"allowed: {allowed}", *more)) + "\n"


def switch(name: str, *parts: str) -> str:
    return f"switch: {name}\n{VLANS}{''.join(parts)}"


TWO = (
    switch("a", host("1", 10), host("2", 20), trunk("u", "10,20", "native: none")),
    switch("b", host("1", 10), host("2", 20), trunk("u", "10,20", "native: none"))
    + "[neighbours]\nu: a:u\n",
)
"""a and b, joined by a trunk: hosts of VLAN 10 at port 1, of VLAN 20 at port 2."""
LACKS = (TWO[0], TWO[1].replace("10: ten\n", "", 1))
"""The same, but b has no VLAN 10."""
LINKED = {"edges": [["a:u", "b:u"]]}
MISMATCH = (
    switch("a", host("1", 10), trunk("u", "10,20", "native: 10")),
    switch("b", host("2", 20), trunk("u", "10,20", "native: 20")) + "[neighbours]\nu: a:u\n",
)
"""What leaves a in VLAN 10, untagged, is in VLAN 20 on b."""
PROTECTED = (
    switch("a", host("1", 10, "protected: yes"), host("2", 10, "protected: yes"), host("3", 10)),
)
RING = (
    switch("a", host("1", 10), trunk("u", "10"), trunk("v", "10")),
    switch("b", host("1", 10), trunk("u", "10"), trunk("v", "10"))
    + "[neighbours]\nu: a:u\nv: a:v\n",
)
ROUTED = (
    switch("r", host("1", 10), host("2", 20))
    + "[gateway 10]\naddress: 10.0.10.1/24\n[gateway 20]\naddress: 10.0.20.1/24\n"
    + "filter in: none-of-it\n[filter none-of-it]\n10: reject from any to any\n",
)


def step(port: str, event: str, vlan: int) -> dict[str, Any]:
    switch_, _, name = port.partition(":")
    return {"switch": switch_, "port": name, "event": event, "vlan": vlan}


def way(*steps: tuple[str, str, int]) -> list[dict[str, Any]]:
    return [step(*one) for one in steps]


ACROSS = way(
    ("a:1", "sent", 10), ("a:u", "leaves", 10), ("b:u", "arrives", 10), ("b:1", "heard", 10)
)
ISOLATE = "isolate: [vlan 10, vlan 20]"
FROM_10 = "{isolate: vlan 10, from: vlan 20, one-way: yes}"
ON_A = "carried-by: {vlans: 10, on: [a]}"
OVER_V = "carried-by: {vlans: 10, over: ['a:v']}"
EVERYWHERE = {"a|": {"vids": "10"}, "b|": {"vids": "10"}}

PINGED = (
    switch("r", host("1", 10), host("2", 20))
    + "[gateway 10]\naddress: 10.0.10.1/16\n[gateway 20]\naddress: 10.0.20.1/24\n",
)
PLANNED = """
hosts:
  lamp: {{at: 'r:1', address: 10.0.10.5/24, gateway: 10.0.10.1}}
  pump: {{at: 'r:2', address: {other}, gateway: 10.0.9.9}}"""
ROUTED_WAYS = {
    "way": way(("r:1", "sent", 10), ("r:VLAN 20", "routed", 20), ("r:2", "heard", 20)),
    "back": way(("r:2", "sent", 20), ("r:VLAN 10", "routed", 10), ("r:1", "heard", 10)),
}


def spared(*more: str, tree: str = "rstp", other: str = "10", v: str = "10") -> tuple[str, str]:
    """a and b, joined by two trunks. `more` is what a has besides, `other` the VLAN of an access
    port of b that is patched to port w of a, `v` what the second trunk passes.
    """
    runs = f"[tree]\nmode: {tree}\n"
    ports = host("1", 10), trunk("u", "10"), trunk("v", v)
    return (
        switch("a", *ports, host("w", 10), runs, *more),
        switch("b", *ports, host("w", int(other)), "[tree]\nmode: rstp\n")
        + "[neighbours]\nu: a:u\nv: a:v\nw: a:w\n",
    )


SPARE = {"edges": [["a:u", "b:u"], ["a:v", "b:v"]]}
ANY_LINK = "{join: vlan 10, withstand: links}"
ANY_SWITCH = "{join: vlan 10, withstand: switches}"
ON_A_WIRE = switch("c", trunk("u", "10"), "[tree]\nmode: rstp\n[neighbours]\nu: a:u\n")
SUB = "[sub w.20]\nof: w\ntag: 20\n"

FORGED: list[tuple[str, tuple[str, ...], str, dict[str, Any]]] = [
    (
        "packets hang on routers as well",
        spared(),
        "{reach: ['a:1', 'b:1'], layer: 3, withstand: links}",
        SPARE,
    ),
    (
        "losses are checked for honest hosts only",
        spared(),
        "{reach: ['a:1', 'b:1'], level: hostile, withstand: links}",
        SPARE,
    ),
    (
        "the links do not join the members without a:u - b:u",
        spared(),
        ANY_LINK,
        {"edges": SPARE["edges"][:1]},
    ),
    (
        "151 links are too many to try every two",
        spared(),
        "{join: vlan 10, withstand: 2}",
        {"edges": [["a:u", "b:u"]] * 151},
    ),
    ("run one kind of spanning tree", spared(tree="off"), ANY_LINK, SPARE),
    ("run one kind of spanning tree", spared(tree="per vlan"), ANY_LINK, SPARE),
    (
        "a guard at a:u may keep it out",
        spared("[port u]\nbpdu guard: on\n"),
        ANY_LINK,
        SPARE,
    ),
    ("may keep it out of the spanning tree", spared("[port u]\nguard: root\n"), ANY_LINK, SPARE),
    ("VLAN 10 into another one, or another one into it", spared(other="20"), ANY_LINK, SPARE),
    (
        "a:v - b:v does not pass VLAN 10, and other links of a circle do",
        spared(v="20"),
        ANY_SWITCH,
        {"edges": SPARE["edges"][:1]},
    ),
    (
        "is on a wire with several others",
        (*spared(), ON_A_WIRE),
        ANY_SWITCH,
        {"edges": SPARE["edges"][1:]},
    ),
    (
        "shed, which is not among the files, may close a circle",
        spared("[port x]\n[port y]\n[neighbours]\nx: shed:1\ny: shed:2\n"),
        ANY_LINK,
        SPARE,
    ),
    ("is a sub-interface, or opposite to one", spared(SUB), ANY_SWITCH, SPARE),
    (
        "comes in by one port alone, and by two",
        TWO,
        FROM_10,
        {"closures": [{"a|": {"vids": "10", "only": {"1": "10", "u": "10"}}}]},
    ),
    (
        "gets to b:u in VLAN 10, which the certificate does not have there",
        TWO,
        "{isolate: 'a:1', from: vlan 20, one-way: yes}",
        {"closures": [{"a|": {"vids": "10"}}]},
    ),
    (
        "comes in by a:1, and not by port u alone",
        TWO,
        FROM_10,
        {"closures": [{"a|": {"vids": "10", "only": {"u": "10"}}, "b|": {"vids": "10"}}]},
    ),
    (
        "comes in by a:3, which is not protected",
        PROTECTED,
        "{isolate: 'a:3', from: 'a:1', one-way: yes}",
        {"closures": [{"a|": {"vids": "10", "shielded": "10"}}]},
    ),
    ("one side sends into VLAN 10", TWO, FROM_10, {"closures": [{"anywhere": "30"}]}),
    (
        "links turn its VLANs into VLAN 20",
        MISMATCH,
        FROM_10,
        {"closures": [{"anywhere": "10"}]},
    ),
    ("the other side hears VLAN 20", TWO, FROM_10, {"closures": [{"anywhere": "10,20"}]}),
    (
        "b:1 is heard, in one of VLAN 10",
        TWO,
        "{isolate: 'a:1', from: 'b:1', one-way: yes}",
        {"closures": [EVERYWHERE]},
    ),
    ("only one VLAN is joined", TWO, "join: [vlan 10, vlan 20]", {"edges": [["a:u", "b:u"]]}),
    ("a host at a:1 may not hear its own VLAN", PROTECTED, "join: vlan 10", {"edges": []}),
    (
        "two links at one port join nothing",
        RING,
        "join: vlan 10",
        {"edges": [["a:u", "b:u"], ["a:u", "b:u"]]},
    ),
    (
        "VLAN 10 does not get from a:u to b:u",
        (TWO[0], TWO[1].replace("allowed: 10,20", "allowed: 20")),
        "join: vlan 10",
        {"edges": [["a:u", "b:u"]]},
    ),
    ("b:1 is put into VLAN 10, and cut off where it is", LACKS, "join: vlan 10", LINKED),
    ("the links do not join all bridges", TWO, "join: vlan 10", {"edges": []}),
    ("frames can be on b", TWO, ON_A, {"closures": [EVERYWHERE]}),
    ("frames can leave by a:u", RING, OVER_V, {"closures": [EVERYWHERE]}),
    (
        "a way ends where the VLAN may not be",
        RING,
        OVER_V,
        {"verdict": "broken", "way": way(("a:1", "sent", 10), ("a:u", "heard", 10))},
    ),
    (
        "the way ends where the VLAN may be",
        TWO,
        ON_A,
        {"verdict": "broken", "way": way(("a:1", "sent", 10))},
    ),
    ("there is no such verdict", TWO, ISOLATE, {"verdict": "fine", "closures": []}),
    (
        "what is undecided has no certificate",
        TWO,
        ISOLATE,
        {"verdict": "undecided", "closures": []},
    ),
    (
        "nobody is meant by a:9, or nobody sits there",
        TWO,
        "{isolate: 'a:9', from: vlan 20, one-way: yes}",
        {"closures": [{}]},
    ),
    (
        "both are on one wire",
        PINGED,
        "not-reach: [lamp, reed]\nhosts:\n  lamp: {at: 'r:1'}\n  reed: {at: 'r:1'}",
        {"closures": [{"anywhere": "10"}]},
    ),
    (
        "all of reed is among those that are to be apart",
        PINGED,
        "{isolate: lamp, from: reed}\nhosts:\n  lamp: {at: 'r:1'}\n  reed: {at: 'r:1'}",
        {"closures": [{"anywhere": "10"}, {"anywhere": "10"}]},
    ),
    (
        "vlan 20 is on one wire with those",
        (
            switch("a", host("9", 10)),
            switch("b", host("9", 20)) + "[neighbours]\n9: a:9\n",
        ),
        "{isolate: vlan 10, from: vlan 20, one-way: yes}\nhosts:\n  lamp: {at: 'a:9'}",
        {"closures": [{"anywhere": "10"}]},
    ),
    ("nobody is in what is joined", TWO, "join: vlan 30", {"edges": []}),
    (
        "nobody hears what he sends himself, and is a member",
        TWO,
        "join: vlan 10",
        {
            "verdict": "broken",
            "from": ["a:1", 0],
            "to": ["a:1", 0],
            "closures": [{"a|": {"vids": "10", "only": {"1": "10"}}, "b|": {"vids": "10"}}],
        },
    ),
    (
        "a:1 is in vlan 10 and in a:1",
        (TWO[0],),
        "isolate: [vlan 10, 'a:1']",
        {"closures": [{"a|": {"vids": "10", "only": {"1": "10"}}}] * 2},
    ),
    (
        "nobody knows what b:1 passes",
        (TWO[0], TWO[1].replace("[port 1]\n", "[port 1]\nunknown: nothing was collected\n")),
        "reach: ['a:1', 'b:1']",
        {"way": ACROSS},
    ),
    (
        "nobody knows what a:1 passes",
        (TWO[0].replace("[port 1]\n", "[port 1]\nunknown: nothing was collected\n"), TWO[1]),
        "reach: ['a:1', 'b:1']",
        {"way": ACROSS},
    ),
    (
        "nobody knows what b:u passes",
        (TWO[0], TWO[1].replace("[port u]\n", "[port u]\nunknown: nothing was collected\n")),
        "join: vlan 10",
        LINKED,
    ),
    ("it is not the claim that the plan has", TWO, ISOLATE, {"claim": "another", "closures": []}),
    (
        "no host of the claim sends in VLAN 20 at a:1",
        TWO,
        FROM_10,
        {"verdict": "broken", "way": way(("a:1", "sent", 20), ("a:2", "heard", 20))},
    ),
    (
        "does not go on from where the frame is",
        TWO,
        FROM_10,
        {
            "verdict": "broken",
            "way": way(("a:1", "sent", 10), ("a:u", "leaves", 20), ("b:u", "arrives", 20)),
        },
    ),
    (
        "VLAN 10 does not get from a:u to b:u as VLAN 20",
        TWO,
        FROM_10,
        {
            "verdict": "broken",
            "way": way(
                ("a:1", "sent", 10),
                ("a:u", "leaves", 10),
                ("b:u", "arrives", 20),
                ("b:2", "heard", 20),
            ),
        },
    ),
    (
        "the way passes a twice",
        RING,
        "{isolate: 'a:1', from: 'b:1', one-way: yes}",
        {
            "verdict": "broken",
            "way": way(
                ("a:1", "sent", 10),
                ("a:u", "leaves", 10),
                ("b:u", "arrives", 10),
                ("b:v", "leaves", 10),
                ("a:v", "arrives", 10),
            ),
        },
    ),
    (
        "b:2 is no port where the frame is",
        TWO,
        FROM_10,
        {"verdict": "broken", "way": way(("a:1", "sent", 10), ("b:2", "heard", 10))},
    ),
    (
        "the frame may not leave by a:2",
        PROTECTED,
        "{isolate: 'a:1', from: 'a:2', one-way: yes}",
        {"verdict": "broken", "way": way(("a:1", "sent", 10), ("a:2", "heard", 10))},
    ),
    (
        "no router passes it on to r:VLAN 30",
        ROUTED,
        "{isolate: vlan 10, from: vlan 20, one-way: yes, layer: 3}",
        {
            "verdict": "broken",
            "way": way(("r:1", "sent", 10), ("r:VLAN 30", "routed", 30), ("r:2", "heard", 20)),
        },
    ),
    (
        "no router passes it on to r:VLAN 20",
        ROUTED,
        "{isolate: vlan 10, from: vlan 20, one-way: yes, layer: 3}",
        {
            "verdict": "broken",
            "way": way(
                ("r:1", "sent", 10),
                ("r:1", "heard", 10),
                ("r:VLAN 20", "routed", 20),
                ("r:2", "heard", 20),
            ),
        },
    ),
    (
        "a way ends with what is heard",
        TWO,
        FROM_10,
        {"verdict": "broken", "way": way(("a:1", "sent", 10))},
    ),
    (
        "no host of the claim hears VLAN 10 at b:1",
        TWO,
        FROM_10,
        {
            "verdict": "broken",
            "way": way(
                ("a:1", "sent", 10),
                ("a:u", "leaves", 10),
                ("b:u", "arrives", 10),
                ("b:1", "heard", 10),
            ),
        },
    ),
    (
        # It leaves by the port, tagged otherwise than the host of the claim hears.
        "no host of the claim hears VLAN 10 at b:3",
        (TWO[0], TWO[1].replace("[port 2]\nvlan: 20\n", trunk("3", "10,20"))),
        "{isolate: 'a:1', from: 'b:3 tagged 20', one-way: yes}",
        {
            "verdict": "broken",
            "way": way(
                ("a:1", "sent", 10),
                ("a:u", "leaves", 10),
                ("b:u", "arrives", 10),
                ("b:3", "heard", 10),
            ),
        },
    ),
    (
        # lamp asks the gateway of a, and not that of b.
        "no router passes it on to b:VLAN 20",
        (
            TWO[0] + "[gateway 10]\naddress: 10.0.10.1/24\n",
            TWO[1] + "[gateway 10]\naddress: 10.0.10.2/24\n[gateway 20]\naddress: 10.0.20.1/24\n",
        ),
        "reach: [lamp, pump]\nhosts:\n"
        "  lamp: {at: 'a:1', address: 10.0.10.5/24, gateway: 10.0.10.1}\n"
        "  pump: {at: 'b:2', address: 10.0.20.5/24, gateway: 10.0.20.1}",
        {
            "way": way(
                ("a:1", "sent", 10),
                ("a:u", "leaves", 10),
                ("b:u", "arrives", 10),
                ("b:VLAN 20", "routed", 20),
                ("b:2", "heard", 20),
            ),
            "back": way(
                ("b:2", "sent", 20),
                ("b:VLAN 10", "routed", 10),
                ("b:u", "leaves", 10),
                ("a:u", "arrives", 10),
                ("a:1", "heard", 10),
            ),
        },
    ),
    (
        "a filter of r VLAN 20 stops it",
        ROUTED,
        "{isolate: vlan 20, from: vlan 10, one-way: yes, layer: 3}",
        {
            "verdict": "broken",
            "way": way(("r:2", "sent", 20), ("r:VLAN 10", "routed", 10), ("r:1", "heard", 10)),
        },
    ),
    (
        "pump asks no router for lamp, which is near",
        PINGED,
        f"reach: [lamp, pump]{PLANNED.format(other='10.0.20.5/16')}",
        ROUTED_WAYS,
    ),
    (
        "pump does not send that way for lamp",
        PINGED,
        f"reach: [lamp, pump]{PLANNED.format(other='10.0.20.5/24')}",
        ROUTED_WAYS,
    ),
]


NO_LEAK = {"kind": "no-leak", "vlans": "10", "closures": [{"anywhere": "10"}]}
WHOLE = {"kind": "whole", "vlans": "10", **LINKED}
NO_PLAN: list[tuple[str, dict[str, Any]]] = [
    ("without a plan, a VLAN leaks into no other, or is not split", {**WHOLE, "kind": "isolate"}),
    (
        "it is not the claim that the plan has at this place, or",
        {**NO_LEAK, "claim": "all is well"},
    ),
    ("VLAN 10,20 is no VLAN, and no primary with its", {**NO_LEAK, "vlans": "10,20"}),
    ("VLAN none is no VLAN, and no primary with its", {**NO_LEAK, "vlans": "none"}),
    ("one VLAN at a time is not split", {**WHOLE, "vlans": "10,20"}),
    ("there is no such verdict, or no such level", {**NO_LEAK, "level": "friendly"}),
    ("the entry is not well-formed", {**WHOLE, "around": "c"}),
    ("the entry is not well-formed", {**NO_LEAK, "vlans": "10-"}),
]


@pytest.mark.parametrize(("says", "forged"), NO_PLAN)
def test_a_forged_claim_without_a_plan_is_refused(says: str, forged: dict[str, Any]) -> None:
    net, true = net_of(campus_of(*TWO)), entries_of(TWO)
    assert check_certificate(net, [], {}, true) == ([], [], 4)
    claim = {"no-leak": "leaks into no other", "whole": "is not split"}.get(forged["kind"], "")
    words = f"VLAN {forged['vlans']} {claim}" + (" around c" if "around" in forged else "")
    entry = {"claim": words, "level": "honest", "layer": 2, "verdict": "holds", **forged}
    [refused] = check_certificate(net, [], {}, [*true, entry]).refused
    assert refused.startswith(f"claim 5: {says}")


def test_without_a_plan_no_entry_may_be_missing() -> None:
    """That no VLAN leaks, at the level that is asked for, and that none is split."""
    net, true = net_of(campus_of(*TWO)), entries_of(TWO)
    missing = ["VLAN 10", "VLAN 20", "VLAN 10 is not split", "VLAN 20 is not split"]
    about = ["no claim is about ", "no claim is about ", "no claim is that ", "no claim is that "]
    for number, entry in enumerate(true):
        left = [other for other in true if other is not entry]
        says = [about[number] + missing[number]]
        assert check_certificate(net, [], {}, left) == (says, [], 3)
    hostile = check_certificate(net, [], {}, true, Level.HOSTILE).refused
    assert hostile == [
        f"no claim is about VLAN {vid}, with hosts that are hostile" for vid in (10, 20)
    ]
    undecided = {"verdict": "undecided", "kind": "whole", "vlans": "20", "claim": true[3]["claim"]}
    entry = {**undecided, "level": "honest", "layer": 2}
    for verdict, why in (("undecided", "is undecided"), ("holds", "is without a certificate")):
        checked = check_certificate(net, [], {}, [*true[:3], {**entry, "verdict": verdict}])
        assert checked == ([], [f"claim 4 (VLAN 20 is not split) {why}"], 3)


def entries_of(sheets: tuple[str, ...]) -> list[dict[str, Any]]:
    """What the engine certifies of a campus, without a plan."""
    campus = campus_of(*sheets)
    verdicts = prove(resolve(campus, wire(campus)))
    return [
        {
            "claim": verdict.claim,
            "kind": verdict.kind,
            "level": verdict.level,
            "layer": verdict.layer,
            "verdict": verdict.verdict,
            **verdict.certificate,
        }
        for verdict in verdicts
    ]


def net_of(campus: Campus) -> PacketModel:
    return PacketModel(campus, *wires_of(campus))


def refusal(campus: Campus, claim: str, forged: dict[str, Any]) -> str:
    """Why the verifier refuses an entry; fails if it does not."""
    plan = read_plan("plan.yaml", f"claims:\n  - {claim}\n".encode())
    assert plan.problems == [], plan.problems
    [stated] = plan.says.claims
    campus.hosts += plan.hosts
    entry = {
        "claim": stated.words,
        "kind": stated.kind,
        "level": stated.level,
        "layer": stated.layer,
        "verdict": "holds",
        **forged,
    }
    with pytest.raises(Refused) as refused:
        verify_entry(net_of(campus), [stated], vlan_names(plan, campus), 0, entry)
    return str(refused.value)


@pytest.mark.parametrize(
    ("says", "sheets", "claim", "forged"), FORGED, ids=[says for says, *_ in FORGED]
)
def test_a_forged_certificate_is_refused(
    says: str, sheets: tuple[str, ...], claim: str, forged: dict[str, Any]
) -> None:
    assert says in refusal(campus_of(*sheets), claim, forged)


def test_every_refusal_has_a_forged_certificate() -> None:
    """Each sentence of the verifier is in one of those that the tests above expect."""
    folder = Path(inkov.verify.__file__).parent
    code = "".join(file.read_text() for file in sorted(folder.glob("*.py")))
    texts = re.findall(r'raise Refused\(\s*((?:f?"[^"]*"\s*)+)\)', code)
    assert len(texts) == code.count("raise Refused(")
    for text in texts:
        whole = "".join(re.findall(r'f?"([^"]*)"', text))
        pieces = [piece.strip() for piece in re.split(r"\{[^{}]*(?:\([^()]*\))?[^{}]*\}", whole)]
        longest = max(pieces, key=len)
        expected = [*(says for says, *_ in FORGED), *(says for says, _ in NO_PLAN)]
        assert any(longest[:24] in says or says in whole for says in expected), whole


def test_entries_of_a_plan_stand_in_its_order_each_once(tmp_path: Path, inkov: Inkov) -> None:
    """Dropped, doubled, exchanged, of another plan or another campus: refused."""
    plan = "claims:\n  - isolate: [ten, twenty]\n  - join: ten\n  - reach: ['a:1', 'b:1']\n"

    def certified(folder: str, sheets: tuple[str, ...], text: str) -> dict[str, Any]:
        (tmp_path / folder).mkdir()
        for number, sheet in enumerate(sheets):
            (tmp_path / folder / f"{number}.sheet").write_text(f"inkov sheet 1\n{sheet}")
        (tmp_path / folder / "plan.yaml").write_text(text)
        assert inkov("prove", folder, "--certificate", f"{folder}.json").status == 0
        stated: dict[str, Any] = json.loads((tmp_path / f"{folder}.json").read_text())
        return stated

    own = certified("own", TWO, plan)
    first, second, third = own["claims"]
    older = certified("older", TWO, plan.replace("join: ten", "join: twenty"))
    other = certified("other", (TWO[0].replace("[port 2]", "[port 3]"), TWO[1]), plan)
    changed: list[dict[str, Any]] = [
        {"claims": [first, second]},
        {"claims": [first, second, third, third]},
        *({"claims": list(order)} for order in permutations(own["claims"]) if order[0] != first),
        {"claims": older["claims"]},
        {"claims": older["claims"], "files": own["files"]},
        *(other, {**other, "files": own["files"]}, older),
    ]
    assert inkov("verify", "own.json", "own").status == 0
    for change in changed:
        (tmp_path / "forged.json").write_text(json.dumps({**own, **change}))
        checked = inkov("verify", "forged.json", "own")
        assert checked.status == 1 and "The certificate is refused.\n" in checked.out, change
