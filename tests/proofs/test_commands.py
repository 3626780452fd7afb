"""prove, verify, plan: as a user runs them, on the demo garden, its repaired twin, and small
campuses of sheets.
"""

from __future__ import annotations

import json
from pathlib import Path
from xml.etree import ElementTree

import jsonschema
import pytest

from tests.cli.sarif import LOG
from tests.conftest import DEMO, Inkov, run_inkov

BROKEN = "is broken, and the certificate of that is true\n"
ROUTER = """inkov sheet 1
switch: r
[vlans]
10: climate
20: tills
30: guests
[port 1]
vlan: 10
[port 2]
vlan: 20
[port 3]
vlan: 30
[gateway 10]
address: 10.0.10.1/24
[gateway 20]
address: 10.0.20.1/24
[gateway 30]
address: 10.0.30.1/24
"""
APART = "claims:\n  - {isolate: guests, from: tills, one-way: yes, layer: 3}\n"


def verdicts(inkov: Inkov, *options: str) -> list[str]:
    return [
        claim["verdict"] for claim in inkov("prove", ".", "-f", "json", *options).json["claims"]
    ]


def test_the_garden_and_its_repaired_twin(tmp_path: Path) -> None:
    garden = run_inkov("prove", "garden", cwd=DEMO)
    assert garden.status == 1 and garden.out.endswith("8 claims: 1 holds, 7 broken, 0 undecided.\n")
    assert (
        "To blame (changing any one ends the leak):\n    fern-1:port-24  garden/fern-1.json:115"
        in garden.out
    )
    certificate = tmp_path / "c.json"
    repaired = run_inkov("prove", "repaired", "--certificate", certificate, cwd=DEMO)
    assert repaired.status == 0 and repaired.out.endswith(
        "8 claims: 8 hold, 0 broken, 0 undecided.\n"
    )
    verified = run_inkov("verify", certificate, "repaired", cwd=DEMO)
    assert (verified.status, verified.out) == (0, "8 of 8 claims verified.\n")
    other = run_inkov("verify", certificate, "garden", cwd=DEMO)
    assert other.status == 1 and "refused: core-1.json is not what it was" in other.out


def test_every_form_of_verdicts() -> None:
    def said(form: str) -> str:
        return run_inkov("prove", "garden", "-f", form, cwd=DEMO).out

    claims = json.loads(said("json"))["claims"]
    assert all(
        {"claim", "level", "layer", "verdict", "witness", "assumes"} <= claim.keys()
        for claim in claims
    )
    assert [step["event"] for step in claims[1]["witness"]] == [
        "sent",
        "leaves",
        "arrives",
        "heard",
    ]
    log = json.loads(said("sarif"))
    jsonschema.validate(log, LOG)
    results = log["runs"][0]["results"]
    assert [result["kind"] for result in results].count("pass") == 1
    for result, claim in zip(results, claims, strict=True):
        # The first line to blame is the place, the others are related ones.
        if claim["blame"]:
            assert len(result["locations"]) == 1
            assert len(result["relatedLocations"]) == len(claim["blame"]) - 1
    assert any(len(claim["blame"]) > 1 for claim in claims)
    suite = ElementTree.fromstring(said("junit"))[0]
    assert (suite.get("tests"), suite.get("failures")) == ("8", "7")
    assert said("markdown").count("\n| broken |") == 7 and len(said("csv").splitlines()) == 9


def test_a_claim_and_who_is_to_blame_have_their_lines(inkov: Inkov, tmp_path: Path) -> None:
    """VLAN 10 leaves a untagged, in the tenth line, and b takes it into VLAN 20, in its tenth."""
    for name, far, vid in (("a", "b", 10), ("b", "a", 20)):
        (tmp_path / f"{name}.sheet").write_text(
            f"inkov sheet 1\nswitch: {name}\n[vlans]\n10: ferns\n20: beds\n[port 1]\nvlan: {vid}\n"
            f"[port 9]\nmode: trunk\nnative: {vid}\nallowed: {vid}\n[neighbours]\n9: {far}:9\n"
        )
    (tmp_path / "plan.yaml").write_text("claims:\n  - isolate: [10, 20]\n")
    [claim] = inkov("prove", ".", "-f", "json").json["claims"]
    assert (claim["verdict"], claim["file"], claim["line"]) == ("broken", "./plan.yaml", 2)
    places = {(one["switch"], one["port"], one["file"], one["line"]) for one in claim["blame"]}
    assert {("a", "9", "./a.sheet", 10), ("b", "9", "./b.sheet", 10)} <= places
    # Without a plan no line says what is claimed.
    (tmp_path / "plan.yaml").unlink()
    for claim in inkov("prove", ".", "-f", "json").json["claims"]:
        assert (claim["file"], claim["line"]) == (None, None)


def test_without_a_plan_vlans_are_proved_apart_and_whole(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "r.sheet").write_text(ROUTER)
    result = inkov("prove", ".", "--certificate", "../c.json", "--level", "hostile")
    assert result.status == 0 and result.out.endswith("3 claims: 3 hold, 0 broken, 0 undecided.\n")
    assert inkov("verify", "../c.json", ".").out == "3 of 3 claims verified.\n"
    less = json.loads((tmp_path.parent / "c.json").read_text())
    (tmp_path.parent / "d.json").write_text(json.dumps({**less, "claims": less["claims"][1:]}))
    assert "refused: no claim is about VLAN 10\n" in inkov("verify", "../d.json", ".").out
    (tmp_path / "r.sheet").write_text(
        ROUTER + "[port 3]\nmode: general\npvid: 30\nuntagged: 20,30\n"
    )
    changed = inkov("verify", "../c.json", ".")
    assert (
        changed.status == 1
        and "r.sheet is not what it was" in changed.out
        and "claim 2: the other side hears VLAN 20" in changed.out
    )


@pytest.mark.parametrize(
    ("filters", "verdict", "because"),
    [
        ("", "broken", "packets are routed from r VLAN 30 to r VLAN 20"),
        (
            "10: reject from any to 10.0.20.0/24\n20: accept from any to any\n",
            "holds",
            "no router passes",
        ),
        ("10: reject from 10.0.30.0/24 to 10.0.0.0/16\n", "holds", "no router passes"),
        ("10: reject from any to 10.0.20.0/25\n", "broken", "in part"),
        ("10: reject from any to 10.0.20.0/24 in part\n", "broken", "in part"),
        (
            "10: reject from any to 10.0.20.0/25\n20: reject from any to 10.0.20.0/24\n",
            "holds",
            "no router passes",
        ),
        (
            "10: accept from any to any\n20: reject from any to any\n",
            "broken",
            "packets are routed",
        ),
        ("10: accept from any to 10.0.20.9/32\n20: reject from any to any\n", "broken", "in part"),
        ("10: reject from 10.0.99.0/24 to any\n", "broken", "packets are routed"),
    ],
)
def test_fm_5_8_what_filters_leave(
    inkov: Inkov, tmp_path: Path, filters: str, verdict: str, because: str
) -> None:
    text = ROUTER + ("filter in: keep\n[filter keep]\n" + filters if filters else "")
    (tmp_path / "r.sheet").write_text(text)
    (tmp_path / "plan.yaml").write_text(APART)
    [claim] = inkov("prove", ".", "-f", "json").json["claims"]
    assert (claim["verdict"], because in claim["because"]) == (verdict, True), claim
    if (
        verdict == "holds"
    ):  # a hostile host says that it is somebody else; filters by destination hold it all the same
        (tmp_path / "plan.yaml").write_text(APART.replace("layer: 3", "layer: 3, level: hostile"))
        assert verdicts(inkov) == ["broken" if "from 10" in filters else "holds"]
        (tmp_path / "plan.yaml").write_text(APART)
    # What comes out into the tills is as good a place for the filter.
    (tmp_path / "r.sheet").write_text(
        text.replace("filter in: keep\n", "").replace(
            "address: 10.0.20.1/24\n",
            "address: 10.0.20.1/24\n" + "filter out: keep\n" * bool(filters),
        )
    )
    assert verdicts(inkov) == [verdict]


def test_the_filter_of_an_openconfig_export_and_its_sheet() -> None:
    matrix = run_inkov("prove", "repaired", "--matrix", "-f", "json", cwd=DEMO).json["reach"]
    how = {
        (cell["one"].partition(" ")[2], cell["other"].partition(" ")[2]): cell["how"]
        for cell in matrix
    }
    assert how["visitor-wifi", "tills"] == how["visitor-wifi", "management"] == "apart"
    assert how["tills", "visitor-wifi"] == how["visitor-wifi", "climate"] == "routed"
    nobody = run_inkov("prove", "garden/fern-1.json", "--matrix", "--hosts", cwd=DEMO)
    assert nobody.out.startswith("There are no two sides to compare")
    hosts = run_inkov(
        "prove", "garden", "--matrix", "--hosts", "-f", "csv", cwd=DEMO
    ).out.splitlines()
    assert hosts[0].startswith("reaches,till-1,") and hosts[1].split(",")[3] == "same"


def test_plans_are_started_checked_and_described(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "r.sheet").write_text(ROUTER)
    assert inkov("plan", "new", ".", "-o", "plan.yaml").status == 0
    assert inkov("plan", "new", ".", "-o", "plan.yaml").status == 2
    text = (tmp_path / "plan.yaml").read_text()
    (tmp_path / "plan.yaml").write_text(
        text.replace("claims: []", "claims:").replace("#  ", "  ").replace("#    ", "    ")
    )
    assert inkov("plan", "check", ".").out == "The plan holds 3 VLANs, 3 segments, 4 claims.\n"
    assert verdicts(inkov) == ["holds"] * 4
    (tmp_path / "plan.yaml").write_text("claims:\n  - isolate: [tils, guests]\n")
    wrong = inkov("plan", "check", ".")
    assert (
        wrong.status == 1
        and "./plan.yaml:2: nothing is called 'tils'; did you mean tills?" in wrong.out
    )
    assert verdicts(inkov) == ["undecided"]
    schema = inkov("plan", "schema").json
    jsonschema.Draft202012Validator.check_schema(schema)
    validator = jsonschema.Draft202012Validator(schema)
    assert validator.is_valid(
        {"vlans": {"10": "x"}, "claims": [{"isolate": ["a", "b"], "level": "hostile"}]}
    )
    assert not validator.is_valid({"claims": [{"isolated": ["a", "b"]}]})


def test_a_verdict_that_rests_on_unread_lines_is_undecided_if_strict(
    inkov: Inkov, tmp_path: Path
) -> None:
    (tmp_path / "r.sheet").write_text(ROUTER)
    (tmp_path / "x.json").write_text('{"other": 1}')
    (tmp_path / "plan.yaml").write_text("claims:\n  - isolate: [climate, tills]\n")
    assert verdicts(inkov) == ["holds"] and verdicts(inkov, "--strict") == ["undecided"]
    assert "\nAll of it rests on: ./x.json was not read\n" in inkov("prove", ".").out
    assert "./x.json was not read" in inkov("prove", ".", "-f", "json").json["claims"][0]["assumes"]


def test_fm_4_7_an_unknown_neighbour_between_two_vlans_is_said(
    inkov: Inkov, tmp_path: Path
) -> None:
    (tmp_path / "r.sheet").write_text(ROUTER + "[neighbours]\n1: Box:a\n2: box:b\n")
    (tmp_path / "plan.yaml").write_text(
        "claims:\n  - isolate: [climate, tills]\n  - isolate: [tills, guests]\n"
    )
    assert verdicts(inkov) == ["holds", "holds"]
    assert verdicts(inkov, "--strict") == ["undecided", "undecided"]
    says = "Box is not among the files, and taken to pass nothing between r:1 and r:2"
    assert says in inkov("prove", ".", "-f", "json").json["claims"][0]["assumes"]
    (tmp_path / "r.sheet").write_text(ROUTER + "[neighbours]\n1: Box:a\n2: Bag:b\n")
    assert verdicts(inkov, "--strict") == ["holds", "holds"]


def test_fm_6_8_a_bridge_is_asked_about_under_the_name_of_its_only_tag(
    inkov: Inkov, tmp_path: Path
) -> None:
    """r has no VLANs of its own, and is linked by a sub-interface with tag 40: whoever is at r is
    in VLAN 40, which has nobody else.
    """
    (tmp_path / "r.sheet").write_text(
        "inkov sheet 1\nswitch: r\n[port 1]\nmode: routed\n[sub 1.40]\nof: 1\ntag: 40\n"
        "mode: access\nvlan: 1\n[port 2]\nvlan: 1\n[neighbours]\n1: a:9\n"
    )
    (tmp_path / "a.sheet").write_text(
        "inkov sheet 1\nswitch: a\n[vlans]\n40: beds\n[port 9]\nmode: trunk\nnative: none\n"
        "allowed: 40\n[neighbours]\n9: r:1\n"
    )
    claims = inkov("prove", ".", "-f", "json").json["claims"]
    assert [claim["claim"] for claim in claims] == ["VLAN 40 leaks into no other"]


def test_the_largest_part_of_a_vlan_is_told_first(inkov: Inkov, tmp_path: Path) -> None:
    """a is by itself; b, c and d are one part."""
    listed = {"a": "99", "b": "10,99", "c": "10,99", "d": "10,99"}
    names = [*listed]
    for number, (name, allowed) in enumerate(listed.items()):
        trunk = f"mode: trunk\nnative: 99\nallowed: {allowed}\n"
        near = f"[neighbours]\ndown: {names[number + 1]}:up\n" if name != "d" else ""
        (tmp_path / f"{name}.sheet").write_text(
            f"inkov sheet 1\nswitch: {name}\n[vlans]\n10: ferns\n99: nobody\n[port 1]\nvlan: 10\n"
            f"[port up]\n{trunk}[port down]\n{trunk}{near}"
        )
    claims = {one["claim"]: one for one in inkov("prove", ".", "-f", "json").json["claims"]}
    says = claims["VLAN 10 is not split"]["because"]
    assert says.startswith("it falls into 2 parts: b, c, d; a: ")


def test_what_is_true_of_nobody_or_says_nothing_is_not_verified(
    inkov: Inkov, tmp_path: Path
) -> None:
    folder = tmp_path / "in"
    folder.mkdir()
    (folder / "r.sheet").write_text(ROUTER)
    (folder / "hosts.csv").write_text("host,switch,port\nfogger,r,77\n")
    (folder / "plan.yaml").write_text(
        "segments: {wells: 777}\nclaims:\n  - isolate: [wells, tills]\n  - reach: ['r:1', fogger]\n"
    )
    claims = inkov("prove", "in", "--certificate", "c.json", "-f", "json").json["claims"]
    assert [claim["verdict"] for claim in claims] == ["holds", "undecided"]
    assert "fogger is at r:77, which is not there" in claims[1]["because"]
    checked = inkov("verify", "c.json", "in")
    assert checked.status == 1
    assert "is true of nobody: no port is in wells" in checked.out
    assert checked.out.endswith("0 of 2 claims verified.\n")


def test_the_verifier_knows_where_the_legs_of_routers_are(inkov: Inkov, tmp_path: Path) -> None:
    """Two routers have a routed port each in VLAN 30, on two switches, and nobody else is in it:
    whether it is split has to be asked (FM 6.3).
    """
    folder = tmp_path / "in"
    folder.mkdir()
    for number, far in ((1, 2), (2, 1)):
        (folder / f"s{number}.sheet").write_text(
            f"inkov sheet 1\nswitch: s{number}\n[vlans]\n30: between\n[port 1]\nvlan: 30\n"
            f"[port 9]\n{TRUNKED.replace('10,20', '30')}[neighbours]\n1: r{number}:1\n9: s{far}:9\n"
        )
        (folder / f"r{number}.sheet").write_text(
            f"inkov sheet 1\nswitch: r{number}\n[port 1]\nmode: routed\n"
            f"address: 10.0.30.{number}/24\n[neighbours]\n1: s{number}:1\n"
        )
    inkov("prove", "in", "--certificate", "c.json")
    whole = json.loads((tmp_path / "c.json").read_text())
    asked = "VLAN 30 is not split around s1"
    assert asked in [entry["claim"] for entry in whole["claims"]]
    assert inkov("verify", "c.json", "in").status == 0
    whole["claims"] = [e for e in whole["claims"] if e["claim"] != asked]
    (tmp_path / "d.json").write_text(json.dumps(whole))
    checked = inkov("verify", "d.json", "in")
    assert checked.status == 1 and f"no claim is that {asked}" in checked.out


def test_what_a_neighbour_may_join_is_one_area_for_the_verifier(
    inkov: Inkov, tmp_path: Path
) -> None:
    """a and b are seen by a box alone: whether a VLAN is split between them has to be asked."""
    folder = tmp_path / "in"
    folder.mkdir()
    for name in "ab":
        (folder / f"{name}.sheet").write_text(BESIDE.format(name=name, port=TRUNKED, box="Box"))
    inkov("prove", "in", "--certificate", "c.json")
    whole = json.loads((tmp_path / "c.json").read_text())
    asked = [entry["claim"] for entry in whole["claims"]]
    assert asked[2:] == ["VLAN 10 is not split", "VLAN 20 is not split"]
    assert "is undecided" in inkov("verify", "c.json", "in").out
    whole["claims"] = [entry for entry in whole["claims"] if entry["claim"] != asked[2]]
    (tmp_path / "d.json").write_text(json.dumps(whole))
    checked = inkov("verify", "d.json", "in")
    assert checked.status == 1 and "refused: " in checked.out and "VLAN 10" in checked.out


BESIDE = """inkov sheet 1
switch: {name}
[vlans]
10: climate
20: tills
[port 1]
vlan: 10
[port 2]
vlan: 20
[port 9]
{port}[neighbours]
9: {box}:{name}
"""
TRUNKED = "mode: trunk\nnative: none\nallowed: 10,20\n"
PASSED = "Box is not among the files, and taken to pass nothing between a:9 and b:9"


@pytest.mark.parametrize(
    ("ports", "box", "more", "plain", "strict"),
    [
        # A switch would pass VLAN 10 on, and so join what hangs apart; VLANs it keeps apart.
        ((TRUNKED, TRUNKED), "box", "", "undecided undecided holds holds", "? ? ? holds"),
        ((TRUNKED, TRUNKED), "box.garden", "", "undecided undecided holds holds", "? ? ? holds"),
        # Untagged at one end, by its number.
        ((TRUNKED, "vlan: 10\n"), "box", "", "undecided undecided holds holds", "? ? ? ?"),
        # It is another one, or does not get VLAN 10.
        ((TRUNKED, TRUNKED), "bag", "", "broken broken holds holds", "broken broken holds holds"),
        (
            (TRUNKED, TRUNKED.replace("10,20", "20")),
            "box",
            "",
            "broken broken holds holds",
            "? ? ? ?",
        ),
        # There is a link beside it: it joins nothing.
        (
            (TRUNKED, TRUNKED),
            "box",
            "a,8,b,8\n",
            "holds holds broken holds",
            "holds holds broken holds",
        ),
    ],
)
def test_fm_4_7_an_unknown_neighbour_may_join_what_hangs_apart(
    inkov: Inkov,
    tmp_path: Path,
    ports: tuple[str, str],
    box: str,
    more: str,
    plain: str,
    strict: str,
) -> None:
    for name, port, seen in zip("ab", ports, ("Box", box), strict=True):
        text = BESIDE.format(name=name, port=port, box=seen)
        spare = f"[port 8]\n{TRUNKED}[neighbours]" if more else "[neighbours]"
        (tmp_path / f"{name}.sheet").write_text(text.replace("[neighbours]", spare))
    (tmp_path / "cables.csv").write_text("switch,port,far switch,far port\n" + more)
    (tmp_path / "plan.yaml").write_text(
        "claims:\n  - join: climate\n  - reach: ['a:1', 'b:1']\n"
        "  - not-reach: ['a:1', 'b:1']\n  - isolate: [climate, tills]\n"
    )
    assert " ".join(verdicts(inkov)) == plain
    assert " ".join(verdicts(inkov, "--strict")) == strict.replace("?", "undecided")
    claims = inkov("prove", ".", "-f", "json").json["claims"]
    joins, _, apart, _ = claims
    if "undecided" in plain:
        assert joins["because"] == f"it would be broken, but {PASSED}"
        assert PASSED in apart["assumes"]


def test_fm_4_7_a_neighbour_that_passes_nothing_leaves_an_alarm(
    inkov: Inkov, tmp_path: Path
) -> None:
    """a and b are seen by a box that may join them, a and c by one to which no VLAN leads. Tills
    are at a and c: whatever the boxes are, they are two parts.
    """
    ends = {"a": "mode: trunk\nnative: none\nallowed: 10\n", "b": "vlan: 10\n", "c": "", "d": ""}
    hosts = {"a": (10, 20), "b": (10,), "c": (20,), "d": (20,)}
    trunk, dark = f"[port 8]\n{TRUNKED}", "[port 7]\nmode: trunk\nnative: none\nallowed: none\n"
    for name, port in ends.items():
        text = f"inkov sheet 1\nswitch: {name}\n[vlans]\n10: climate\n20: tills\n"
        text += "".join(f"[port {vid}]\nvlan: {vid}\n" for vid in hosts[name])
        text += f"[port 9]\n{port}" * bool(port) + dark * (name in "ac") + trunk * (name in "cd")
        near = {"a": "9: Box:1\n7: dark:1\n", "b": "9: Box:2\n", "c": "7: dark:2\n8: d:8\n"}
        text += f"[neighbours]\n{near.get(name, '8: c:8')}\n"
        (tmp_path / f"{name}.sheet").write_text(text)
    claims = inkov("prove", ".", "-f", "json").json["claims"]
    told = {claim["claim"]: claim["verdict"] for claim in claims}
    assert told["VLAN 10 is not split"] == "undecided"
    assert told["VLAN 20 is not split"] == "broken"


def test_fm_4_7_a_switch_may_have_the_vlan_of_a_sub_interface_s_tag(
    inkov: Inkov, tmp_path: Path
) -> None:
    """At r VLAN 40 is called 10 inside; at b it is untagged: a switch between them has it as 40."""
    (tmp_path / "r.sheet").write_text(
        "inkov sheet 1\nswitch: r\n[vlans]\n10: climate\n[port 1]\nvlan: 10\n"
        "[port 9]\nmode: routed\n[sub 9.40]\nof: 9\ntag: 40\nmode: access\nvlan: 10\n"
        "[neighbours]\n9: Box:1\n"
    )
    (tmp_path / "b.sheet").write_text(
        "inkov sheet 1\nswitch: b\n[vlans]\n30: tills\n40: climate\n[port 1]\nvlan: 40\n"
        "[port 2]\nvlan: 30\n[port 9]\nvlan: 40\n[neighbours]\n9: Box:2\n"
    )
    (tmp_path / "plan.yaml").write_text(
        "claims:\n  - join: ['r:1', 'b:1']\n  - join: ['r:1', 'b:2']\n"
    )
    assert verdicts(inkov) == ["undecided", "broken"]


def test_nobody_is_cut_off_by_a_link_port_whose_switch_lacks_its_vlan(
    inkov: Inkov, tmp_path: Path
) -> None:
    """b:8 is in VLAN 10, which b does not have, and leads to a: nobody is there who needs it. If no
    cable is known, somebody may be.
    """
    vlans = {"a": "10: ferns\n20: moss\n", "b": "20: moss\n"}
    for name, vid, far in (("a", 10, "b"), ("b", 20, "a")):
        (tmp_path / f"{name}.sheet").write_text(
            f"inkov sheet 1\nswitch: {name}\n[vlans]\n{vlans[name]}[port 1]\nvlan: {vid}\n"
            f"[port 8]\nvlan: 10\n[neighbours]\n8: {far}:8\n"
        )
    assert verdicts(inkov) == ["holds", "holds"]
    for name in "ab":
        sheet = tmp_path / f"{name}.sheet"
        sheet.write_text(sheet.read_text().partition("[neighbours]")[0])
    judged = inkov("prove", ".", "-f", "json").json["claims"]
    assert [one["claim"] for one in judged if one["verdict"] == "broken"] == [
        "VLAN 10 is not split"
    ]


def test_fm_2_7_the_verifier_drops_untagged_frames_of_a_vlan_without_the_port(
    inkov: Inkov, tmp_path: Path
) -> None:
    """Port 1 has PVID 20 and is no member of VLAN 20: with filtering, what comes in untagged is
    dropped; without, it gets to port 2.
    """
    (tmp_path / "plan.yaml").write_text("claims:\n  - isolate: ['a:1', 'a:2']\n")
    for filtering, verdict in (("on", "holds"), ("off", "broken")):
        (tmp_path / "a.sheet").write_text(
            "inkov sheet 1\nswitch: a\n[vlans]\n10: ferns\n20: moss\n[port 1]\nmode: general\n"
            f"pvid: 20\nuntagged: 10\ntagged: none\ningress filtering: {filtering}\n"
            "[port 2]\nvlan: 20\n"
        )
        assert verdicts(inkov, "--certificate", "../c.json") == [verdict]
        assert "refused" not in inkov("verify", "../c.json", ".").out


def test_fm_5_1_a_routed_interface_takes_no_frames_of_vlan_1(inkov: Inkov, tmp_path: Path) -> None:
    hosts = "".join(f"[port {n}]\nvlan: {vid}\n" for n, vid in enumerate((1, 10, 20)))
    routed = "".join(f"[gateway {vid}]\naddress: 10.0.{vid}.1/24\n" for vid in (10, 20))
    (tmp_path / "a.sheet").write_text(
        f"inkov sheet 1\nswitch: a\n[vlans]\n10: ferns\n20: moss\n{hosts}{routed}"
    )
    claims = ["isolate: [1], from: [10, 20]", "isolate: [10], from: [20]"]
    plan = "".join(f"  - {{{claim}, layer: 3}}\n" for claim in claims)
    (tmp_path / "plan.yaml").write_text(f"claims:\n{plan}")
    assert verdicts(inkov) == ["holds", "broken"]


def test_who_only_hears_is_there(inkov: Inkov, tmp_path: Path) -> None:
    """What leaves at port 1 untagged is VLAN 10; what comes in there untagged is dropped."""
    (tmp_path / "a.sheet").write_text(
        "inkov sheet 1\nswitch: a\n[vlans]\n10: climate\n20: tills\n"
        "[port 1]\nmode: general\npvid: none\nuntagged: 10\n[port 2]\nvlan: 10\n"
        "[port 3..5]\nmode: general\npvid: 20\nuntagged: 10,20\n"
    )
    (tmp_path / "plan.yaml").write_text(
        "claims:\n  - reach: ['a:2', 'a:1']\n  - reach: ['a:1', 'a:2']\n"
        "  - isolate: ['a:2', 'a:3', 'a:4', 'a:5']\n"
    )
    hears, sends, leaks = inkov("prove", ".", "-f", "json").json["claims"]
    assert [claim["verdict"] for claim in (hears, sends, leaks)] == ["holds", "broken", "broken"]
    # At one of the three, and the two others.
    assert leaks["because"].startswith("what is sent at a:2 in VLAN 10 is heard at a:")
    assert leaks["because"].endswith(" and 2 more")


@pytest.mark.parametrize(
    ("boxes", "ports", "says"),
    [
        (1, 2, "box-0 is not among the files, and taken to pass nothing between a:11 and a:12 and"),
        (2, 1, "taken to pass nothing between a:11 and b:11, as 1 more is"),
        (3, 1, "taken to pass nothing between a:11 and b:11, as 2 more are"),
        # Far too many to be worked out.
        (1, 40, "taken to pass nothing between a:11 and a:12 and a:13 and 77 more ports"),
    ],
)
def test_fm_4_7_neighbours_at_many_ports(
    inkov: Inkov, tmp_path: Path, boxes: int, ports: int, says: str
) -> None:
    """All in VLAN 10, and VLAN 20 with nobody there has nothing to do with it."""
    for name in "ab":
        text = f"inkov sheet 1\nswitch: {name}\n[vlans]\n10: climate\n20: tills\n"
        text += "[port 1]\nvlan: 10\n[port 2]\nvlan: 20\n"
        text += f"[port 11..{10 + boxes * ports}]\nvlan: 10\n[neighbours]\n"
        for number in range(boxes * ports):
            text += f"{11 + number}: box-{number // ports}:{name}{number}\n"
        (tmp_path / f"{name}.sheet").write_text(text)
    (tmp_path / "plan.yaml").write_text(
        "claims:\n  - join: ['a:1', 'b:1']\n  - join: ['a:2', 'b:2']\n"
        "  - not-reach: ['a:1', 'b:1']\n"
    )
    assert verdicts(inkov, "--strict")[::2] == ["undecided", "undecided"]
    joined, apart, _ = inkov("prove", ".", "-f", "json").json["claims"]
    assert joined["verdict"] == "undecided" and says in joined["because"]
    # If it can be worked out, what the boxes do not touch stays an alarm.
    assert apart["verdict"] == ("broken" if ports < 40 else "undecided")


@pytest.mark.parametrize(
    "text", ["{", "[]", '{"inkov-certificate": 2}', '{"inkov-certificate": 1, "files": 3}']
)
def test_what_is_no_certificate_is_said_in_one_line(
    inkov: Inkov, tmp_path: Path, text: str
) -> None:
    (tmp_path / "r.sheet").write_text(ROUTER)
    (tmp_path / "c.json").write_text(text)
    result = inkov("verify", "c.json", "r.sheet")
    assert result.status == 2 and "is no certificate" in result.err and result.err.count("\n") == 1


def test_every_field_of_a_certificate_counts(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "r.sheet").write_text(ROUTER)
    (tmp_path / "plan.yaml").write_text(
        "claims:\n  - isolate: [climate, tills]\n  - reach: ['r:1', 'r:2']\n  - join: tills\n"
    )
    folder = tmp_path / "in"
    folder.mkdir()
    for name in ("r.sheet", "plan.yaml"):
        (tmp_path / name).rename(folder / name)
    inkov("prove", "in", "--certificate", "c.json")
    whole = json.loads((tmp_path / "c.json").read_text())
    truly = (
        "not verified: claim 2 (r:1 reaches r:2) is broken, and the certificate of that is true\n"
    )
    checked = inkov("verify", "c.json", "in")
    assert (checked.status, checked.out) == (1, f"{truly}2 of 3 claims verified.\n")

    def refused(change: object) -> bool:
        (tmp_path / "d.json").write_text(json.dumps(change))
        result = inkov("verify", "d.json", "in")
        return result.status == 1 and "refused" in result.out

    for at, entry in enumerate(whole["claims"]):
        for key, value in entry.items():
            if key in ("edges", "because", "assumes"):  # these two are words for people
                continue
            other = {"holds": "broken", "broken": "holds", "honest": "hostile", 2: 3}.get(
                value if isinstance(value, (str, int)) else "",
                None if isinstance(value, list) else "nonsense",
            )
            entries = [{**e, key: other} if n == at else e for n, e in enumerate(whole["claims"])]
            assert refused({**whole, "claims": entries}), (at, key)
    assert refused({**whole, "claims": whole["claims"][:2]})
    bare = {key: value for key, value in whole["claims"][0].items() if key != "closures"}
    (tmp_path / "d.json").write_text(json.dumps({**whole, "claims": [bare, *whole["claims"][1:]]}))
    less = inkov("verify", "d.json", "in")
    without = "not verified: claim 1 (isolate climate, tills) is without a certificate\n"
    assert (less.status, less.out) == (1, f"{without}{truly}1 of 3 claims verified.\n")
    assert refused({**whole, "files": {**whole["files"], "r.sheet": "0" * 64}})
    assert refused({**whole, "files": {}})
    assert refused({**whole, "ports": {}})
    ports = {**whole["ports"], "r:1": {**whole["ports"]["r:1"], "emit": "20"}}
    assert refused({**whole, "ports": ports})


def test_a_certificate_verifies_wherever_the_files_lie(inkov: Inkov, tmp_path: Path) -> None:
    """Moved, or named from elsewhere, they are the same files; the plan may lie beside them."""
    folder = tmp_path / "in"
    folder.mkdir()
    (folder / "r.sheet").write_text(ROUTER)
    (tmp_path / "aims.yaml").write_text("claims:\n  - isolate: [climate, tills]\n")
    made = ["prove", "in", "--plan", "aims.yaml", "--certificate"]
    inkov(*made, "c.json", "--date", "2026-03-31")
    stated = json.loads((tmp_path / "c.json").read_text())
    assert stated["made-by"].startswith("inkov ") and stated["made-on"] == "2026-03-31"
    assert [*stated["files"]] == ["aims.yaml", "in/r.sheet"]
    assert stated["claims"][0]["assumes"] and stated["claims"][0]["because"]
    inkov(*made, "d.json")
    assert "made-on" not in json.loads((tmp_path / "d.json").read_text())
    (tmp_path / "far" / "away").mkdir(parents=True)
    folder.rename(tmp_path / "far" / "away" / "moved")
    verified = inkov("verify", "c.json", "far/away/moved", "--plan", tmp_path / "aims.yaml")
    assert (verified.status, verified.out) == (0, "1 of 1 claims verified.\n")
    wrong = inkov("prove", "far", "--certificate", "e.json", "--date", "31 March")
    assert wrong.status == 2 and "--date: '31 March' is no day" in wrong.err
    (tmp_path / "far" / "copy.sheet").write_text(ROUTER)
    more = inkov("verify", "c.json", "far", "--plan", tmp_path / "aims.yaml")
    assert "copy.sheet is not in the certificate" in more.out


def test_a_gateway_carries_its_vlan_too(inkov: Inkov, tmp_path: Path) -> None:
    """A VLAN is where its gateway is, also where no host of it sits."""
    host = "inkov sheet 1\nswitch: a\n[vlans]\n10: x\n[port 1]\nvlan: 10\n"
    folder = tmp_path / "in"
    folder.mkdir()
    (folder / "a.sheet").write_text(host)
    (folder / "b.sheet").write_text(
        "inkov sheet 1\nswitch: b\n[vlans]\n10: x\n11: y\n[port 1]\nvlan: 11\n"
    )
    (folder / "plan.yaml").write_text("claims:\n  - carried-by: {vlans: 10, on: [a]}\n")
    assert inkov("prove", "in", "--certificate", "c.json").status == 0
    assert inkov("verify", "c.json", "in").out == "1 of 1 claims verified.\n"
    with (folder / "b.sheet").open("a") as file:
        file.write("[gateway 10]\naddress: 10.0.0.1/24\n")
    broken = inkov("prove", "in")
    assert broken.status == 1 and "frames of VLAN 10 get to b" in broken.out
    assert (
        "claim 1: what is sent gets to b in VLAN 10, which the certificate does not have there"
        in inkov("verify", "c.json", "in").out
    )


def test_a_vlan_stays_on_the_links_it_may_cross(inkov: Inkov, tmp_path: Path) -> None:
    sheet = (
        "inkov sheet 1\nswitch: {}\n[vlans]\n10: x\n20: y\n[port 1]\nvlan: 10\n"
        "[port 2]\nmode: trunk\nallowed: {}\n[port 3]\nmode: trunk\nallowed: {}\n"
    )
    folder = tmp_path / "in"
    folder.mkdir()
    (folder / "cables.csv").write_text("switch,port,far switch,far port\na,2,b,2\na,3,b,3\n")
    (folder / "plan.yaml").write_text(
        "claims:\n  - carried-by: {vlans: 10, on: [a, b], over: ['b:2']}\n"
    )
    for lists, status in ((("10", "20"), 0), (("10", "10,20"), 1)):
        for name in ("a", "b"):
            (folder / f"{name}.sheet").write_text(sheet.format(name, *lists))
        result = inkov("prove", "in", "--certificate", "c.json")
        assert result.status == status, result.out
        checked = inkov("verify", "c.json", "in")
        assert (checked.status, BROKEN in checked.out) == (status, status == 1)
    assert (
        "frames of VLAN 10 get to a:3, b:3" in result.out
        and "a:3  in/a.sheet:13  its allowed list" in result.out
    )
    (folder / "plan.yaml").write_text(
        "claims:\n  - carried-by: {vlans: 10, on: [aa], over: ['b:9']}\n"
    )
    wrong = inkov("plan", "check", "in")
    assert "in/plan.yaml:2: no switch is called 'aa'; did you mean a?\n" in wrong.out
    assert "in/plan.yaml:2: no link ends at 'b:9'; did you mean b:3 or b:2?" in wrong.out
    (folder / "plan.yaml").write_text("claims:\n  - carried-by: {vlans: 10}\n")
    assert "expected here: `on` (switches), `over` (links), or both" in inkov("prove", "in").err


def test_follow_and_hears_say_what_the_plan_claims() -> None:
    follow = run_inkov("follow", "core-1:port-13", "pond-1:port-1", "garden", cwd=DEMO).out
    claim = (
        "Claim: nobody but its own ports hears management (garden/plan.yaml:6, layer 2, hostile) is"
        " broken; to blame: "
    )
    assert claim + "core-1:port-6 (garden/core-1.json:122)" in follow
    hears = run_inkov("hears", "gate-1:1", "repaired", "-f", "json", cwd=DEMO).json
    assert [c["verdict"] for c in hears["claims"]] == ["holds", "holds"]


def test_a_plan_names_makes_and_tables(inkov: Inkov, tmp_path: Path) -> None:
    """What a make leaves unstated, and tables that are not among the files."""
    folder = tmp_path / "in"
    folder.mkdir()
    sheet = (
        "inkov sheet 1\nswitch: {}\n[vlans]\n10: x\n20: y\n[port 1]\nmode: trunk\nallowed:"
        " 10,20\n[port 2]\nvlan: 10\n"
    )
    for name in ("a", "b"):
        (folder / f"{name}.sheet").write_text(sheet.format(name))
    (tmp_path / "cables.csv").write_text("switch,port,far switch,far port\na,1,b,1\n")
    (tmp_path / "plan.yaml").write_text(
        "links: cables.csv\nplatforms:\n  oak: {switches: [a, b], unstated: {native: none}}\n  elm:"
        " {files: [none-*]}\n"
    )
    result = inkov("trunks", "in", "--plan", "plan.yaml", "-f", "json")
    [trunk] = result.json["trunks"]
    assert (trunk["a"]["native"], trunk["b"]["switch"]) == ("none", "b")
    assert result.status == 1 and "no switch is of the make 'elm' (known by none-*)" in result.err
    (tmp_path / "plan.yaml").write_text("links: nowhere.csv\n")
    gone = inkov("trunks", "in", "--plan", "plan.yaml")
    assert gone.status == 2 and "nowhere.csv: no such file or folder" in gone.err


def two(lacks: str = "") -> dict[str, str]:
    """Two switches with a host of VLAN 10 each, joined by a trunk; b lacks a VLAN."""
    sheets = {}
    for name in ("a", "b"):
        table = "".join(f"{v}: v{v}\n" for v in ("10", "20") if name == "a" or v != lacks)
        sheets[name] = (
            f"inkov sheet 1\nswitch: {name}\n[vlans]\n{table}[port 1]\nvlan: 10\n[port 2]\n"
            "vlan: 20\nstate: off\n[port u]\nmode: trunk\nallowed: 10,20\nnative: none\n"
        )
    sheets["b"] += "[neighbours]\nu: a:u\n"
    return sheets


@pytest.mark.parametrize(
    ("lacks", "claim", "verdict", "says"),
    [
        ("", "join: vlan 10", "holds", "2 ports hear each other"),
        ("10", "join: vlan 10", "broken", "b:1 is cut off from it: b does not define VLAN 10"),
        ("10", "join: ['a:1', 'b:1']", "broken", "b does not define VLAN 10"),
        ("", "join: ['a:1', 'b:2']", "broken", "b:2 is shut"),
        ("", "join: vlan 99", "undecided", "nobody is in VLAN 99"),
        ("", "isolate: ['b:2', 'a:1']", "undecided", "nobody sits at b:2"),
        ("", "isolate: [lamp, vlan 20]", "undecided", "takes no frames of it with tag 20"),
        ("", "{isolate: [lamp, 'b:1'], level: hostile}", "broken", "is heard at"),
        ("", "isolate: [moth, vlan 20]", "undecided", "moth sits at b:2, and that port is shut"),
    ],
)
def test_who_is_meant_and_is_not_there(
    inkov: Inkov, tmp_path: Path, lacks: str, claim: str, verdict: str, says: str
) -> None:
    for name, text in two(lacks).items():
        (tmp_path / f"{name}.sheet").write_text(text)
    (tmp_path / "hosts.csv").write_text("host,switch,port,vlan\nlamp,a,1,20\nmoth,b,2,\n")
    claim = claim if claim.startswith("{") else f"{{{claim}}}"
    (tmp_path / "plan.yaml").write_text(f"claims:\n  - {claim}\n")
    [judged] = inkov("prove", ".", "-f", "json").json["claims"]
    assert (judged["verdict"], says in judged["because"]) == (verdict, True), judged["because"]


def test_a_vlan_that_a_switch_lacks_is_no_whole(inkov: Inkov, tmp_path: Path) -> None:
    for name, text in two("10").items():
        (tmp_path / f"{name}.sheet").write_text(text)
    judged = {v["claim"]: v for v in inkov("prove", ".", "-f", "json").json["claims"]}
    assert judged["VLAN 10 is not split"]["verdict"] == "broken"


def test_a_join_over_links_that_reports_dispute(inkov: Inkov, tmp_path: Path) -> None:
    """a hears b, a cabling table leads to c from the same port: one of the two may not be there."""
    sheets = two()
    sheets["c"] = sheets["b"].replace("switch: b", "switch: c").split("[neighbours]")[0]
    for name, text in sheets.items():
        (tmp_path / f"{name}.sheet").write_text(text)
    (tmp_path / "cabling.csv").write_text("switch,port,far switch,far port\na,u,c,u\n")
    says = "reports disagree where a:u is cabled to: each of its links is taken to be there"
    plain, strict = (
        {v["claim"]: v for v in inkov("prove", ".", "-f", "json", *more).json["claims"]}
        for more in ((), ("--strict",))
    )
    whole = "VLAN 10 is not split"
    assert plain[whole]["verdict"] == "holds" and says in plain[whole]["assumes"]
    assert strict[whole]["verdict"] == "undecided"
    assert strict["VLAN 10 leaks into no other"]["verdict"] == "holds"


def test_a_trunk_left_at_everything_makes_no_claims(inkov: Inkov, tmp_path: Path) -> None:
    """A system without a VLAN table, with one bridge port that passes all VLANs to nobody known."""
    sheet = "inkov sheet 1\nswitch: a\n[port 1]\nvlan: 10\n[port 2]\nmode: trunk\nnative: none\n"
    (tmp_path / "a.sheet").write_text(sheet)
    aside = tmp_path.parent / f"{tmp_path.name}.json"
    claims = inkov("prove", ".", "-f", "json", "--certificate", aside).json["claims"]
    assert [claim["claim"] for claim in claims] == ["VLAN 10 leaks into no other"]
    assert inkov("verify", aside, ".").out == "1 of 1 claims verified.\n"


REACHED = """\
inkov sheet 1
switch: r
[vlans]
10: ten
20: twenty
15: voice
[port 1]
vlan: 10
voice: 15
[port 2]
vlan: 20
[port 3]
vlan: 10
voice: 15
[gateway 10]
address: 10.0.10.1/24
[gateway 20]
address: 10.0.20.1/24, fd00::1/64
"""


def test_a_host_on_a_cable_to_a_shut_port_keeps_the_gateway_up(
    inkov: Inkov, tmp_path: Path
) -> None:
    """The cable's other end is shut, but a table knows a host there: the port is up, and so is the
    gateway whose only port it is (FM 4.9, FM 5.2).
    """
    sheet = REACHED.replace("[port 3]\nvlan: 10\nvoice: 15\n", "").replace("voice: 15\n", "")
    (tmp_path / "r.sheet").write_text(f"{sheet}[neighbours]\n1: far:1\n")
    (tmp_path / "far.sheet").write_text("inkov sheet 1\nswitch: far\n[port 1]\nstate: off\n")
    (tmp_path / "plan.yaml").write_text("claims:\n  - {not-reach: [vlan 10, vlan 20], layer: 3}\n")
    assert verdicts(inkov) == ["holds"]  # of nobody
    (tmp_path / "hosts.csv").write_text(hosts_of(lamp="1,10.0.10.5/24,10.0.10.1"))
    [claim] = inkov("prove", ".", "-f", "json", "--certificate", "../c.json").json["claims"]
    assert claim["verdict"] == "broken" and "r VLAN 10" in claim["because"], claim
    assert inkov("verify", "../c.json", ".").out.endswith(f"{BROKEN}0 of 1 claims verified.\n")


SECONDARY_ALONE = """\
inkov sheet 1
switch: r
[vlans]
30: desks; primary of 31
31: alone; isolated
40: store
[port 1]
mode: trunk
allowed: 31
native: none
[port 2]
vlan: 40
[gateway 30]
address: 10.0.30.1/24
[gateway 40]
address: 10.0.40.1/24
"""


def test_a_secondary_alone_keeps_the_gateway_of_its_primary_up(
    inkov: Inkov, tmp_path: Path
) -> None:
    """No port carries VLAN 30, but its gateway takes what hosts in its secondary send (FM 5.2)."""
    (tmp_path / "r.sheet").write_text(SECONDARY_ALONE)
    (tmp_path / "plan.yaml").write_text("claims:\n  - {not-reach: [vlan 31, vlan 40], layer: 3}\n")
    [claim] = inkov("prove", ".", "-f", "json", "--certificate", "../c.json").json["claims"]
    assert claim["verdict"] == "broken" and "r VLAN 30" in claim["because"], claim
    assert inkov("verify", "../c.json", ".").out.endswith(f"{BROKEN}0 of 1 claims verified.\n")
    assert "gateway-down" not in inkov("audit", ".").out


def hosts_of(**hosts: str) -> str:
    rows = [f"{name},r,{at}" for name, at in hosts.items()]
    return "\n".join(["host,switch,port,address,gateway", *rows]) + "\n"


@pytest.mark.parametrize(
    ("lamp", "pump", "verdict", "says"),
    [
        ("1,10.0.10.5/24,10.0.10.1", "2,10.0.20.5/24,10.0.20.1", "holds", "there and back"),
        ("1,10.0.10.5/24,10.0.10.1", "3,10.0.10.6/24,", "holds", "there and back"),
        # The answer is not sent back, or to a router that is none.
        ("1,10.0.10.5/24,10.0.10.1", "2,10.0.20.5/24,", "broken", "pump has no gateway"),
        # Nobody among the files has that address: routers may share it.
        ("1,10.0.10.5/24,10.0.10.1", "2,10.0.20.5/24,10.0.20.9", "undecided", "pump to lamp"),
        ("1,10.0.10.5/24,10.0.10.1", "2,10.0.30.5/24,10.0.30.1", "undecided", "no router"),
        ("1,10.0.10.5/24,10.0.10.1", "2,fd00::5/64,fd00::1", "broken", "they do not talk"),
        # A mask that is too narrow: the router sends the packet back into the VLAN it is from.
        ("1,10.0.10.5/30,10.0.10.6", "3,10.0.10.9/24,", "undecided", "has the address 10.0.10.6"),
        ("1,10.0.10.2/30,10.0.10.1", "3,10.0.10.9/24,", "holds", "there and back"),
        # One that is too wide: it asks for a neighbour that is none.
        ("1,10.0.10.5/16,10.0.10.1", "2,10.0.20.5/24,10.0.20.1", "broken", "pump is near"),
    ],
)
def test_hosts_with_addresses_reach_each_other_by_a_ping(
    inkov: Inkov, tmp_path: Path, lamp: str, pump: str, verdict: str, says: str
) -> None:
    (tmp_path / "r.sheet").write_text(REACHED)
    (tmp_path / "hosts.csv").write_text(hosts_of(lamp=lamp, pump=pump))
    (tmp_path / "plan.yaml").write_text("claims:\n  - reach: [lamp, pump]\n")
    [claim] = inkov("prove", ".", "-f", "json", "--certificate", "../c.json").json["claims"]
    assert (claim["verdict"], says in claim["because"]) == (verdict, True), claim["because"]
    works = inkov("follow", "lamp", "pump", ".", "-f", "json").json["arrives"]
    assert works is (verdict == "holds")
    checked = inkov("verify", "../c.json", ".")
    if verdict == "holds":
        assert (checked.status, checked.out) == (0, "1 of 1 claims verified.\n")
    assert "refused" not in checked.out


def test_ports_reach_each_other_untagged_and_one_way(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "r.sheet").write_text(REACHED + "[port 4]\nmode: trunk\nallowed: 10,15\n")
    claims = [
        ("reach: ['r:1', 'r:3']", "holds"),
        ("reach: ['r:1 tagged 15', 'r:3 tagged 15']", "holds"),
        ("reach: ['r:1', 'r:3 tagged 15']", "broken"),
        ("not-reach: ['r:1', 'r:4 tagged 15']", "holds"),
        ("not-reach: ['r:1', 'r:4 tagged 10']", "broken"),
        ("not-reach: ['r:1', 'r:3']", "broken"),
        ("reach: ['r:1', 'r:4']", "undecided"),
    ]
    text = "".join(f"  - {claim}\n" for claim, _ in claims)
    (tmp_path / "plan.yaml").write_text(f"claims:\n{text}")
    judged = inkov("prove", ".", "-f", "json", "--certificate", "../c.json").json["claims"]
    assert [one["verdict"] for one in judged] == [verdict for _, verdict in claims]
    assert judged[0]["because"].endswith("; the way back is not asked")
    heard = [one["witness"][-1] for one in (judged[4], judged[5])]
    assert [(step["port"], step["tagged"]) for step in heard] == [("4", True), ("3", False)]
    assert (
        "r:4 takes no untagged frames; name a tag, as in 'r:4 tagged 10'" in judged[-1]["because"]
    )
    assert "refused" not in inkov("verify", "../c.json", ".").out


def test_defaults_that_a_verdict_rests_on_are_counted(inkov: Inkov, tmp_path: Path) -> None:
    """Three trunks state no native VLAN, and one does; the switch apart has no say."""
    link = "[port 8]\nmode: trunk\nallowed: 10\n"
    texts = {
        "a": f"[port 1]\nmode: access\nvlan: 10\n{link}[neighbours]\n8: b:8\n",
        "b": f"{link}[port 7]\nmode: trunk\nallowed: 10\n[neighbours]\n8: a:8\n7: c:8\n",
        "c": f"[port 1]\nmode: access\nvlan: 10\n{link}native: 99\n[neighbours]\n8: b:7\n",
        "apart": link,
    }
    for name, text in texts.items():
        head = f"inkov sheet 1\nswitch: {name}\n[vlans]\n10: climate\n99: nobody\n"
        (tmp_path / f"{name}.sheet").write_text(head + text)
    (tmp_path / "plan.yaml").write_text("claims:\n  - join: ['a:1', 'c:1']\n")
    [claim] = inkov("prove", ".", "-f", "json").json["claims"]
    assert claim["verdict"] == "holds"
    [text] = [text for text in claim["assumes"] if text.startswith("native VLAN")]
    assert text.startswith("native VLAN not stated at 3 ports, default: ")


def test_fm_3_6_protected_hosts_are_certified_apart(inkov: Inkov, tmp_path: Path) -> None:
    """Two protected hosts of a VLAN, and a third that is not and whom both reach."""
    (tmp_path / "p.sheet").write_text(
        "inkov sheet 1\nswitch: p\n[vlans]\n10: climate\n"
        "[port 1..2]\nvlan: 10\nprotected: yes\n[port 3]\nvlan: 10\n"
    )
    (tmp_path / "plan.yaml").write_text(
        "claims:\n  - isolate: ['p:1', 'p:2']\n  - reach: ['p:1', 'p:3']\n"
    )
    assert inkov("prove", ".", "--certificate", "../c.json").status == 0
    verified = inkov("verify", "../c.json", ".")
    assert (verified.status, verified.out) == (0, "2 of 2 claims verified.\n")


def test_protected_hosts_meet_at_the_router(inkov: Inkov, tmp_path: Path) -> None:
    """No frame gets from one to the other, and the router sends packets back."""
    protected = REACHED.replace("vlan: 10\n", "vlan: 10\nprotected: yes\n")
    (tmp_path / "r.sheet").write_text(protected)
    claims = (
        "claims:\n  - {isolate: 'r:1', from: 'r:3', layer: %d}\n"
        "  - {reach: ['r:1', 'r:3'], layer: %d}\n"
    )
    for layer, verdicts in ((2, ["holds", "broken"]), (3, ["broken", "undecided"])):
        (tmp_path / "plan.yaml").write_text(claims % (layer, layer))
        judged = inkov("prove", ".", "-f", "json", "--certificate", "../c.json").json["claims"]
        assert [one["verdict"] for one in judged] == verdicts, layer
        assert "refused" not in inkov("verify", "../c.json", ".").out
    assert "sends packets back into the VLAN they came from" in judged[0]["because"]


BLOCK = """\
inkov sheet 1
switch: {name}
[tree]
mode: rstp
[tree all]
priority: {priority}
[vlans]
10: {ten}
20: tills
[port 1]
vlan: 10
[port 2]
vlan: 20
[port 8]
mode: trunk
native: none
allowed: {allowed}
{more}[neighbours]
8: {far}:8
"""
UPLINK = "[port 9]\nmode: routed\naddress: 10.0.0.{n}/30\n"


def blocks(folder: Path, *, routed: bool, allowed: str = "10,20") -> None:
    """Two pairs of switches, a1 and a2, b1 and b2; a1 and b1 are joined by a link."""
    for side, ten, n in (("a", "pumps", 1), ("b", "lamps", 2)):
        other = "b" if side == "a" else "a"
        link = (
            UPLINK.format(n=n) if routed else "[port 9]\nmode: trunk\nnative: none\nallowed: 20\n"
        )
        (folder / f"{side}1.sheet").write_text(
            BLOCK.format(
                name=f"{side}1", far=f"{side}2", priority=4096, ten=ten, allowed="10,20", more=link
            )
            + f"9: {other}1:9\n"
        )
        (folder / f"{side}2.sheet").write_text(
            BLOCK.format(
                name=f"{side}2", far=f"{side}1", priority=8192, ten=ten, allowed=allowed, more=""
            )
        )


def test_fm_6_7_one_number_in_two_areas_is_two_vlans(inkov: Inkov, tmp_path: Path) -> None:
    """What is joined by routed links only: not split, not missing, not named otherwise, two trees.
    With a trunk in place of the routed link it is all of that.
    """
    blocks(tmp_path, routed=True)
    assert inkov("audit", ".").out == "No findings on 4 switches.\n"
    proved = inkov("prove", ".", "-f", "json", "--certificate", "../c.json")
    assert proved.status == 0
    wholes = [one["claim"] for one in proved.json["claims"] if one["kind"] == "whole"]
    assert wholes == [
        f"VLAN {vid} is not split around {area}" for vid in (10, 20) for area in ("a1", "b1")
    ]
    verified = inkov("verify", "../c.json", ".")
    assert (verified.status, verified.out) == (0, "6 of 6 claims verified.\n")
    text = (tmp_path.parent / "c.json").read_text()
    for wrong in (
        text.replace('"around": "b1"', '"around": "b2"'),
        text.replace('"b1:8"', '"a1:8"'),
    ):
        (tmp_path / "d.json").write_text(wrong)
        assert "refused: claim" in inkov("verify", "d.json", ".").out
    (tmp_path / "d.json").unlink()
    shown = inkov("vlans", ".", "--vlan", "10").out
    assert "2 VLANs, apart by routed links: a1, a2; b1, b2" in shown and "islands" not in shown
    # Many systems are called localhost. One with two cables may join what is behind them.
    for serial, areas in (("aa", [" around a1", " around b1"]), ("bb", [""])):
        blocks(tmp_path, routed=True)
        for side, own in (("a", "bb"), ("b", serial)):
            with (tmp_path / f"{side}2.sheet").open("a") as sheet:
                sheet.write(f"1: localhost:0; known as {own}\n")
        proved = inkov("prove", ".", "-f", "json", "--certificate", "../c.json")
        wholes = [one["claim"] for one in proved.json["claims"] if one["kind"] == "whole"]
        assert wholes[: len(areas)] == [f"VLAN 10 is not split{area}" for area in areas]
        assert "refused" not in inkov("verify", "../c.json", ".").out
    blocks(tmp_path, routed=True, allowed="10")
    broken = [
        one
        for one in inkov("prove", ".", "-f", "json").json["claims"]
        if one["verdict"] == "broken"
    ]
    assert [one["claim"] for one in broken] == [
        "VLAN 20 is not split around a1",
        "VLAN 20 is not split around b1",
    ]
    blocks(tmp_path, routed=False)
    found = {one["rule"] for one in inkov("audit", ".", "-f", "json").json["findings"]}
    assert found >= {"vlan-name-differs", "needed-vlan-missing", "root-left-to-chance"}


STICK = """\
inkov sheet 1
switch: sw
[vlans]
10: pumps
20: tills
[port 1]
vlan: 10
[port 2]
vlan: 20
[port 9]
mode: trunk
native: none
allowed: {allowed}
[neighbours]
9: r:p
"""
ROUTER_ON_STICK = """\
inkov sheet 1
switch: r
[port p]
mode: routed
[sub p.10]
of: p
tag: 10
mode: routed
address: 10.0.10.1/24
[sub p.20]
of: p
tag: 20
mode: routed
address: 10.0.20.1/24
[neighbours]
p: sw:9
"""


def test_fm_6_8_what_is_behind_a_sub_interface_is_in_the_vlan_of_its_tag(
    inkov: Inkov, tmp_path: Path
) -> None:
    """A router by tagged sub-interfaces: all that is said of VLANs goes by the tags."""
    (tmp_path / "r.sheet").write_text(ROUTER_ON_STICK)
    (tmp_path / "sw.sheet").write_text(STICK.format(allowed="10,20"))
    rows = ["host,switch,port,address,gateway"]
    rows += ["lamp,sw,1,10.0.10.5/24,10.0.10.1", "pump,sw,2,10.0.20.5/24,10.0.20.1"]
    (tmp_path / "hosts.csv").write_text("\n".join(rows) + "\n")
    assert inkov("audit", ".").out == "No findings on 2 switches.\n"
    [trunk] = inkov("trunks", ".", "-f", "json").json["trunks"]
    assert [trunk[key] for key in ("shared", "needed", "surplus", "missing")] == [
        "10,20",
        "10,20",
        "none",
        "none",
    ]
    assert inkov("prove", ".", "--certificate", "../c.json").status == 0
    assert inkov("verify", "../c.json", ".").out == "4 of 4 claims verified.\n"
    steps = inkov("follow", "lamp", "pump", ".", "-f", "json").json["steps"]
    assert [(s["port"], s["event"], s["vlan"]) for s in steps[:7]] == [
        ("1", "sent", 10),
        ("9", "leaves", 10),
        ("p.10", "arrives", 10),
        ("p.20", "routed", 20),
        ("p.20", "leaves", 20),
        ("9", "arrives", 20),
        ("2", "heard", 20),
    ]
    assert "inside" not in " ".join(step["because"] for step in steps)

    (tmp_path / "sw.sheet").write_text(STICK.format(allowed="10"))
    [lost] = inkov("audit", ".", "-f", "json").json["findings"]
    assert lost["rule"] == "needed-vlan-missing" and "allow VLAN 20 at sw:9, on the" in lost["cure"]
    assert "to which a sub-interface of r belongs: VLAN 20 of sw is cut off" in lost["says"]
    assert [(w["switch"], w["port"], w["line"]) for w in lost["where"]] == [
        ("r", "p", 3),
        ("sw", "9", 13),
    ]
    [trunk] = inkov("trunks", ".", "-f", "json").json["trunks"]
    assert trunk["missing"] == "20"
    judged = inkov("prove", ".", "-f", "json").json["claims"]
    assert [c["claim"] for c in judged if c["verdict"] == "broken"] == [
        "VLAN 20 is not split around sw"
    ]
    parts = inkov("follow", "lamp", "pump", ".", "-f", "json").json
    stops = next(s for s in parts["steps"] if s["event"] == "stops")
    assert (stops["switch"], stops["port"], stops["origin"]["line"]) == ("sw", "9", 13)
    (tmp_path / "sw.sheet").write_text(
        STICK.format(allowed="10,20,30").replace("20: t", "30: x\n20: t")
    )
    found = inkov("audit", ".", "-f", "json").json["findings"]
    assert [one["rule"] for one in found] == ["vlan-unused"]  # no sub-interface takes it


@pytest.mark.parametrize(
    ("far", "verdict"),
    [
        ("02:00:00:00:00:09", "undecided"),  # it may be one of the switches, under another name
        ("10.0.0.7", "undecided"),
        ("greenhouse-ap", "holds"),
    ],
)
def test_a_neighbour_by_its_address_may_be_anybody(
    inkov: Inkov, tmp_path: Path, far: str, verdict: str
) -> None:
    ports = "[port 1]\nvlan: 10\n[port 9]\nmode: trunk\nnative: none\nallowed: 10,20\n"
    (tmp_path / "a.sheet").write_text(
        f"inkov sheet 1\nswitch: a\n[vlans]\n10: pumps\n20: tills\n{ports}[port 3]\nvlan: 20\n"
        f'[neighbours]\n9: "{far}":1\n'
    )
    (tmp_path / "plan.yaml").write_text("claims:\n  - isolate: [pumps, tills]\n")
    [claim] = inkov("prove", ".", "--strict", "-f", "json").json["claims"]
    assert claim["verdict"] == verdict, claim["because"]
    rules = {one["rule"] for one in inkov("audit", ".", "-f", "json").json["findings"]}
    assert ("neighbour-unknown-port" in rules) is (verdict == "undecided")


def test_what_holds_rests_on_what_stops_the_frames(inkov: Inkov, tmp_path: Path) -> None:
    """The default that keeps VLAN 10 off the next switch, where no frame of it gets to."""
    (tmp_path / "a.sheet").write_text(
        "inkov sheet 1\nswitch: a\n[vlans]\n10: pumps\n[port 1]\nmode: access\nvlan: 10\n"
        "[port 8]\nmode: trunk\nnative: none\nallowed: 10\n[neighbours]\n8: b:8\n"
    )
    (tmp_path / "b.sheet").write_text(
        "inkov sheet 1\nswitch: b\n[vlans]\n20: tills\n[port 1]\nmode: access\nvlan: 20\n"
        "[port 8]\nabout: to a\n[neighbours]\n8: a:8\n"
    )
    (tmp_path / "plan.yaml").write_text("claims:\n  - isolate: [pumps, tills]\n")
    [claim] = inkov("prove", ".", "-f", "json").json["claims"]
    assert claim["verdict"] == "holds"
    assert any(text.startswith("mode not stated at 1 port, default") for text in claim["assumes"])


def test_filters_of_sub_interfaces(inkov: Inkov, tmp_path: Path) -> None:
    """Bound where a router takes the tag of a VLAN, as at a VLAN interface."""
    (tmp_path / "sw.sheet").write_text(STICK.format(allowed="10,20"))
    stops = "filter in: no-tills\n"
    filters = "[filter no-tills]\n10: reject from any to 10.0.20.0/24\n"
    (tmp_path / "plan.yaml").write_text(
        "claims:\n  - {isolate: pumps, from: tills, one-way: yes, layer: 3}\n"
    )
    for bound, verdict in (("", "broken"), (stops, "holds")):
        router = ROUTER_ON_STICK.replace("tag: 10\n", f"tag: 10\n{bound}").replace(
            "[neighbours]", f"{filters}[neighbours]"
        )
        (tmp_path / "r.sheet").write_text(router)
        [claim] = inkov("prove", ".", "-f", "json", "--certificate", "../c.json").json["claims"]
        assert claim["verdict"] == verdict, claim["because"]
        checked = inkov("verify", "../c.json", ".")
        assert (checked.status, BROKEN in checked.out) == (verdict == "broken", verdict == "broken")
    sheet = inkov("convert", ".", "../out", "--to", "sheet")
    assert sheet.status == 0
    assert "filter in: no-tills" in (tmp_path.parent / "out" / "r.sheet").read_text()


def test_hosts_at_routed_ports_are_there_at_layer_3(inkov: Inkov, tmp_path: Path) -> None:
    """As `follow` has it: no VLAN is theirs, and packets get to them by their router."""
    (tmp_path / "r.sheet").write_text(
        "inkov sheet 1\nswitch: r\n[vlans]\n10: pumps\n20: tills\n[port 1]\nvlan: 10\n"
        "[port 2]\nmode: routed\naddress: 10.0.2.1/24\n"
        "[gateway 10]\naddress: 10.0.10.1/24\n"
    )
    rows = ["host,switch,port,address,gateway", "lamp,r,1,10.0.10.5/24,10.0.10.1"]
    rows += ["store,r,2,10.0.2.5/24,10.0.2.1"]
    (tmp_path / "hosts.csv").write_text("\n".join(rows) + "\n")
    claims = [
        ("reach: [lamp, store]", "holds"),
        ("isolate: [pumps, store]", "holds"),
        ("{isolate: [pumps, store], layer: 3}", "broken"),
        ("{not-reach: [store, lamp], layer: 3}", "broken"),
    ]
    text = "".join(f"  - {claim}\n" for claim, _ in claims)
    (tmp_path / "plan.yaml").write_text(f"claims:\n{text}")
    judged = inkov("prove", ".", "-f", "json", "--certificate", "../c.json").json["claims"]
    assert [one["verdict"] for one in judged] == [verdict for _, verdict in claims]
    checked = inkov("verify", "../c.json", ".").out
    assert checked.count(BROKEN) == 2 and checked.endswith("2 of 4 claims verified.\n")
    assert inkov("follow", "lamp", "store", ".").status == 0


def test_a_named_host_at_a_shut_port_breaks_the_join_of_its_vlan(
    inkov: Inkov, tmp_path: Path
) -> None:
    """It is a member that hears nobody. Sockets that are shut and nobody's are no members, unless
    they are named; they are told.
    """
    sheet = "inkov sheet 1\nswitch: a\n[vlans]\n10: pumps\n[port 1..4]\nvlan: 10\n"
    sheet += "[port 3]\nstate: off\n"
    (tmp_path / "a.sheet").write_text(sheet)
    (tmp_path / "plan.yaml").write_text("claims:\n  - join: pumps\n")
    [free] = inkov("prove", ".", "--strict", "-f", "json").json["claims"]
    left_out = "3 ports hear each other; 1 port is shut and left out: a:3"
    assert (free["verdict"], free["because"]) == ("holds", left_out)
    (tmp_path / "plan.yaml").write_text("claims:\n  - join: [pumps, 'a:3']\n")
    [named] = inkov("prove", ".", "-f", "json").json["claims"]
    assert named["verdict"] == "broken"
    (tmp_path / "plan.yaml").write_text("claims:\n  - join: pumps\n")
    (tmp_path / "hosts.csv").write_text("host,switch,port\nlamp,a,3\n")
    [lost] = inkov("prove", ".", "-f", "json").json["claims"]
    assert (lost["verdict"], lost["because"]) == (
        "broken",
        "a:3 is cut off from it: a:3 is shut",
    )


def test_machines_behind_sub_interfaces_are_in_the_vlan_of_the_tag(
    inkov: Inkov, tmp_path: Path
) -> None:
    """A box with virtual machines: nobody gave its bridge a VLAN, so its default is no VLAN 1."""
    table = "[vlans]\n10: pumps\n40: machines\n[port 1]\nvlan: 40\n[port 2]\nvlan: 1\n"
    (tmp_path / "a.sheet").write_text(
        f"inkov sheet 1\nswitch: a\n{table}[port 9]\nmode: trunk\nnative: none\nallowed: 40\n"
        "[neighbours]\n9: box:p\n"
    )
    box = (
        "inkov sheet 1\nswitch: box\n[port p]\nmode: routed\n[sub p.40]\nof: p\ntag: 40\n{0}"
        "[port tap0]\n{0}[bridge X]\nports: p.40, tap0\n[neighbours]\np: a:9\n"
    )
    (tmp_path / "box.sheet").write_text(box.format(""))
    (tmp_path / "plan.yaml").write_text(
        "claims:\n  - isolate: [machines, vlan 1]\n  - join: machines\n"
    )
    judged = inkov("prove", ".", "-f", "json", "--certificate", "../c.json").json["claims"]
    assert [one["verdict"] for one in judged] == ["holds", "holds"]
    assert inkov("verify", "../c.json", ".").out == "2 of 2 claims verified.\n"
    (tmp_path / "plan.yaml").unlink()
    assert inkov("prove", ".", "--certificate", "../c.json").status == 0
    assert inkov("verify", "../c.json", ".").out == "3 of 3 claims verified.\n"
    found = inkov("audit", ".", "-f", "json", "--only", "port-in-default-vlan").json["findings"]
    assert [[w["port"] for w in one["where"]] for one in found] == [["2"]]
    # One who names a VLAN there means it: then the tag joins the two.
    (tmp_path / "box.sheet").write_text(box.format("vlan: 10\n"))
    (tmp_path / "plan.yaml").write_text("claims:\n  - isolate: [machines, pumps]\n")
    [claim] = inkov("prove", ".", "-f", "json").json["claims"]
    assert claim["verdict"] == "broken"


BEHIND = """inkov sheet 1
switch: {name}
[vlans]
{vlan}: members
99: transit
[port 1]
vlan: {vlan}
[port 8]
mode: trunk
allowed: 99
native: none
[gateway {vlan}]
address: 10.0.{vlan}.1/24
[gateway 99]
address: 10.0.99.{vlan}/24
[neighbours]
8: mid:{port}
"""
BETWEEN = """inkov sheet 1
switch: mid
[vlans]
99: transit
[port 1..2]
mode: trunk
allowed: 99
native: none
"""


def test_fm_3_6_routers_at_two_protected_ports_of_a_switch_do_not_know_each_other(
    inkov: Inkov, tmp_path: Path
) -> None:
    for name, vlan, port in (("r1", 10, 1), ("r2", 20, 2)):
        text = BEHIND.format(name=name, vlan=vlan, port=port)
        (tmp_path / f"{name}.sheet").write_text(text)
    (tmp_path / "plan.yaml").write_text(
        'claims:\n  - {reach: ["r1:1", "r2:1"], layer: 3}\n'
        '  - {not-reach: ["r1:1", "r2:1"], layer: 3}\n'
    )
    for protected, verdicts in (("no", ["holds", "broken"]), ("yes", ["broken", "holds"])):
        (tmp_path / "mid.sheet").write_text(f"{BETWEEN}protected: {protected}\n")
        told = inkov("prove", tmp_path, "-f", "json", "-q").json["claims"]
        assert [claim["verdict"] for claim in told] == verdicts


@pytest.mark.parametrize("router", ["routed port", "gateway"])
def test_a_private_vlan_and_its_router_are_one_for_the_verifier_too(
    inkov: Inkov, tmp_path: Path, router: str
) -> None:
    """The router on one switch, isolated hosts on the other: they are in the primary VLAN by what
    they hear.
    """
    rows = "[vlans]\n30: huts; primary of 31\n31: guests; isolated\n"
    up = "[port 9]\nmode: trunk\nnative: none\nallowed: 30,31\n[neighbours]\n9: {}:9\n"
    leg = "[port 1]\nmode: promiscuous\nprimary: 30\nsecondaries: 31\n"
    if router == "gateway":
        leg = "[gateway 30]\naddress: 10.0.30.1/24\n"
    else:
        (tmp_path / "r.sheet").write_text(
            "inkov sheet 1\nswitch: r\n[port u]\nmode: routed\naddress: 10.0.30.1/24\n"
            "[neighbours]\nu: s:1\n"
        )
    hosts = "[port 1..2]\nmode: private host\nprimary: 30\nsecondary: 31\n"
    for name, far, more in (("s", "t", leg), ("t", "s", hosts)):
        (tmp_path / f"{name}.sheet").write_text(
            f"inkov sheet 1\nswitch: {name}\n{rows}{more}{up.format(far)}"
        )
    claims = inkov("prove", ".", "--certificate", "c.json").out
    assert "VLAN 30 is not split" in claims and "0 broken" in claims
    verified = inkov("verify", "c.json", ".")
    assert verified.status == 0 and "claims verified" in verified.out, verified.out


@pytest.mark.parametrize("unknown", [False, True])
def test_where_a_port_is_not_known_nobody_is_surely_cut_off(
    inkov: Inkov, tmp_path: Path, unknown: bool
) -> None:
    """FM 4.8: b:8 is stated to be in VLAN 20, and may pass VLAN 10 for all that was read of it."""
    head = "inkov sheet 1\nswitch: {}\n[vlans]\n10: ferns\n20: beds\n[port 1]\nvlan: 10\n"
    trunk = "[port 8]\nmode: trunk\nnative: none\nallowed: 10\n[neighbours]\n8: b:8\n"
    (tmp_path / "a.sheet").write_text(head.format("a") + trunk)
    more = "unknown: what it lets through is in a line that nobody can read\n" * unknown
    (tmp_path / "b.sheet").write_text(f"{head.format('b')}[port 8]\nvlan: 20\n{more}")
    claims = "claims:\n  - reach: [a:1, b:1]\n  - join: vlan 10\n"
    (tmp_path / "plan.yaml").write_text(claims)
    told = inkov("prove", ".", "-f", "json", "-q").json["claims"]
    assert [claim["verdict"] for claim in told] == ["undecided" if unknown else "broken"] * 2
    assert all(("in a line that nobody can read" in claim["because"]) is unknown for claim in told)


def test_a_gateway_is_up_for_a_host_that_asks_for_its_vlan(inkov: Inkov, tmp_path: Path) -> None:
    """FM 5.2: nobody is in VLAN 20 but who has a:1 in it on request. a and b route from there to
    b:3, over a link that no VLAN passes.
    """
    routed = "[port 8]\nmode: routed\naddress: 10.0.40.{}/24\n[neighbours]\n8: {}:8\n"
    gateway = "[gateway {0}]\naddress: 10.0.{0}.1/24\n"
    ports = "[port 1]\nmode: access\nvlan: 10\nnegotiation: passive\n", "[port 3]\nvlan: 30\n"
    for number, (name, vid, far) in enumerate((("a", 20, "b"), ("b", 30, "a"))):
        (tmp_path / f"{name}.sheet").write_text(
            f"inkov sheet 1\nswitch: {name}\n[vlans]\n10: ferns\n{vid}: beds\n{ports[number]}"
            f"{gateway.format(vid)}{routed.format(number + 1, far)}"
        )
    claim = "{{not-reach: ['a:1', 'b:3'], layer: 3, level: {}}}"
    both = ", ".join(map(claim.format, ("honest", "hostile")))
    (tmp_path / "plan.yaml").write_text(f"claims: [{both}]\n")
    told = inkov("prove", ".", "-f", "json", "-q").json["claims"]
    assert [each["verdict"] for each in told] == ["holds", "broken"]
    assert told[1]["witness"][0]["vlan"] == 20
