"""follow, hears and --because as the built program: the fixed JSON shapes, exit statuses, wrong
names.
"""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest

from tests.conftest import DEMO, Inkov, run_inkov


@pytest.fixture
def garden(tmp_path: Path) -> Path:
    return Path(shutil.copytree(DEMO / "garden", tmp_path / "garden"))


def test_hears_has_the_fixed_shape() -> None:
    result = run_inkov("hears", "core-1:port-13", "garden", "--format", "json", cwd=DEMO)
    assert result.status == 0
    assert result.json["from"] == {"switch": "core-1", "port": "port-13", "vlan": 90}
    assert result.json["level"] == "honest"
    # The management station's broadcasts leak to the visitors at the pond, by the native VLANs that
    # differ.
    assert result.json["heard"] == [
        {"switch": "pond-1", "port": f"port-{n}", "vlan": 40, "tagged": False} for n in (1, 2, 5)
    ]


def test_hears_at_both_levels_and_in_one_vlan() -> None:
    honest = run_inkov("hears", "till-1", "repaired", "-f", "json", cwd=DEMO).json["heard"]
    assert {(h["switch"], h["port"]) for h in honest} == {
        *(("gate-1", str(n)) for n in range(2, 10)),
        ("core-1", "port-12"),
    }
    leak = run_inkov(
        "hears", "orchard-1:6", "garden", "-l", "hostile", "-f", "json", cwd=DEMO
    ).json["heard"]
    assert {h["vlan"] for h in leak} >= {20}  # VLAN 1 is native there: a hidden tag gets out
    assert run_inkov("hears", "core-1:port-1", "garden", "--vlan", "60", cwd=DEMO).status == 0


def test_follow_tells_the_story_with_file_and_line() -> None:
    result = run_inkov(
        "follow", "core-1:port-13", "pond-1:port-1", "garden", "-f", "json", cwd=DEMO
    )
    assert result.status == 0 and result.json["arrives"] is True
    assert "certain" not in result.json  # which is there only where the tree leaves it open
    steps = result.json["steps"]
    assert [(s["switch"], s["port"], s["event"], s["vlan"], s["tagged"]) for s in steps] == [
        ("core-1", "port-13", "sent", 90, False),
        ("core-1", "port-6", "leaves", 90, False),
        ("pond-1", "port-24", "arrives", 40, False),
        ("pond-1", "port-1", "heard", 40, False),
    ]
    assert steps[1]["because"] == "VLAN 90 is native here, so it leaves untagged"
    for step in steps:
        line = (DEMO / step["origin"]["file"]).read_text().split("\n")[step["origin"]["line"] - 1]
        assert str(step["vlan"]) in line


def test_follow_says_where_it_stops_and_what_is_heard_instead() -> None:
    result = run_inkov(
        "follow", "core-1:port-10", "palm-1:port-7", "garden", "-f", "json", cwd=DEMO
    )
    assert result.status == 1 and result.json["arrives"] is False
    assert [(s["switch"], s["port"], s["event"]) for s in result.json["steps"]] == [
        ("core-1", "port-10", "sent"),
        ("core-1", "port-2", "leaves"),
        ("palm-1", "port-24", "stops"),
    ]
    last = result.json["steps"][-1]
    assert (
        last["because"] == "the allowed list of palm-1:port-24 (10,20,90,99) does not hold VLAN 60"
    )
    assert last["origin"]["pointer"].endswith("/openconfig-vlan:switched-vlan/config/trunk-vlans")
    assert result.json["instead"] == "heard instead by 13 host ports, in VLAN 60"
    assert "certain" not in result.json
    assert result.json["assumes"][:2] == [
        "reports disagree where core-1:port-6 is cabled to: each of its links is taken to be there",
        "the link herbarium-1:22 to seedbank-1:8 is reported by one end only",
    ]
    assert any(
        text.startswith("mode not stated at 10 ports, default: IEEE 802.1Q")
        for text in result.json["assumes"][2:]
    )
    leak = run_inkov("hears", "core-1:port-13", "garden", cwd=DEMO).out
    assert (
        "nothing is known of what is behind pond-1:port-5: cafe-ap-1 is not among the files" in leak
    )


def test_follow_between_hosts_is_a_ping() -> None:
    works = run_inkov("follow", "till-1", "irrigation-server", "repaired", "-f", "json", cwd=DEMO)
    assert works.status == 0 and works.json["arrives"] is True and "certain" not in works.json
    assert "core-1 routes it into VLAN 20" in [part["says"] for part in works.json["parts"]]
    fails = run_inkov("follow", "freezer-1", "alarm-server", "garden", cwd=DEMO)
    assert fails.status == 1 and "herbarium-1 does not define VLAN 70" in fails.out
    assert "A ping between freezer-1 and alarm-server does not work." in fails.out


@pytest.mark.parametrize("command", ["ports", "trunks"])
def test_because_prints_the_chain(command: str) -> None:
    result = run_inkov(command, "garden", "--because", "gate-1:24", "-f", "json", cwd=DEMO)
    chain = result.json["because"]
    stages = list(dict.fromkeys(reason["stage"] for reason in chain))
    assert stages == ["stated", "completed", "negotiated", "forwarding view", "link view"]
    lost = next(r for r in chain if "does not have VLAN 77,99" in r["says"])
    assert lost["origin"]["file"] == "garden/gate-1.sheet"
    defaulted = next(r for r in chain if r["stage"] == "completed")
    assert "default: IEEE 802.1Q" in defaulted["says"]


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (["hears", "core-1:port13", "garden"], "core-1 has no port 'port13'; did you mean port-13"),
        (
            ["hears", "core1:port-13", "garden"],
            "no switch of that name is read; did you mean core-1",
        ),
        (
            ["hears", "till1", "garden"],
            "no host, and no place written switch:port; did you mean till-1",
        ),
        (["hears", "gate-1:1", "garden", "--vlan", "10,20"], "one VLAN is expected here"),
        (["follow", "gate-1:1", "till-1", "garden"], "are the same port"),
        (["trunks", "garden", "--because", "gate-1"], "gate-1 is a switch: say at which port"),
    ],
)
def test_wrong_places(inkov: Inkov, garden: Path, arguments: list[str], says: str) -> None:
    result = inkov(*arguments)
    assert result.status == 2 and says in result.err and result.out == ""


@pytest.mark.parametrize(
    ("arguments", "says", "line"),
    [
        (["gate-1:1", "--vlan", "60"], "takes no frames tagged 60; what it takes is VLAN 50", 13),
        (["gate-1:14"], "gate-1:14 is shut", 33),
        (["gate-1:9"], "gate-1 does not define VLAN 55", 3),
        (["gate-1:24"], "what it takes is VLAN 40,50,60,90; name one with --vlan", 3),
    ],
)
def test_nobody_is_an_answer(
    inkov: Inkov, garden: Path, arguments: list[str], says: str, line: int
) -> None:
    """Where nothing that is sent gets in: no error, and the same as JSON."""
    place, *options = arguments
    told = inkov("hears", place, "garden", *options)
    assert told.status == 0 and "Nobody hears it: " in told.out and says in told.out
    heard = inkov("hears", place, "garden", *options, "-f", "json").json
    assert heard["heard"] == [] and says in heard["because"]
    assert heard["origin"]["line"] == line
    story = inkov("follow", place, "core-1:port-13", "garden", *options, "-f", "json")
    assert story.status == 1 and story.json["arrives"] is False
    [stops] = story.json["steps"]
    assert stops["event"] == "stops" and says in stops["because"]
    assert (stops["origin"]["file"], stops["origin"]["line"]) == ("garden/gate-1.sheet", line)


TWO = """\
inkov sheet 1
switch: {name}
[vlans]
10: pumps
15: voice
[port 1]
vlan: 10
[port 8]
{state}mode: trunk
allowed: 10,15
native: none
[port 2]
vlan: 10
voice: 15
[neighbours]
8: {far}:8
"""


def test_follow_names_the_port_that_is_shut(inkov: Inkov, tmp_path: Path) -> None:
    """At the line that shuts it: the one that was asked for, or an end of the only link."""
    (tmp_path / "a.sheet").write_text(TWO.format(name="a", far="b", state=""))
    (tmp_path / "b.sheet").write_text(TWO.format(name="b", far="a", state="state: off\n"))
    [*_, last] = inkov("follow", "a:1", "b:1", "-f", "json", ".").json["steps"]
    assert (last["switch"], last["port"], last["event"]) == ("b", "8", "stops")
    assert last["because"] == "b:8 is shut" and last["origin"]["line"] == 9
    shut = TWO.format(name="b", far="a", state="").replace("vlan: 10", "vlan: 10\nstate: off", 1)
    (tmp_path / "b.sheet").write_text(shut)
    [*before, last] = inkov("follow", "a:1", "b:1", "-f", "json", ".").json["steps"]
    assert [step["event"] for step in before] == ["sent", "leaves", "arrives"]
    assert last["because"] == "b:1 is shut" and last["origin"]["line"] == 8


ROUTED = {
    "r": "[port 1]\nmode: routed\n[sub 1.10]\nof: 1\ntag: 10\nmode: routed\naddress: 10.0.10.1/24\n"
    "[port 2]\nmode: routed\naddress: 10.0.20.1/24\n",
    "a": "[vlans]\n10: climate\n20: pumps\n99: nobody\n[port 1]\nvlan: 10\n[port 2]\nvlan: 20\n"
    "[port 8]\nvlan: 20\n[port 9]\nmode: trunk\nnative: 99\nallowed: 10,20,99\n"
    "[port 5]\nmode: trunk\nnative: 10\nallowed: 10,20\n[neighbours]\n8: r:2\n9: r:1\n",
}
HOSTS = (
    "host,switch,port,address,gateway\nx,a,1,10.0.10.5/24,10.0.10.1\ny,a,2,10.0.20.5/24,10.0.20.1\n"
)


def routed(folder: Path) -> None:
    """Hosts x in VLAN 10 and y in VLAN 20; r has a leg in each: by tag 10, and by a routed port."""
    for name, text in ROUTED.items():
        (folder / f"{name}.sheet").write_text(f"inkov sheet 1\nswitch: {name}\n{text}")
    (folder / "hosts.csv").write_text(HOSTS)


def test_follow_says_how_a_router_takes_a_frame(inkov: Inkov, tmp_path: Path) -> None:
    routed(tmp_path)
    steps = inkov("follow", "x", "y", ".", "-f", "json").json["steps"]
    lines = (tmp_path / "r.sheet").read_text().splitlines()
    taken = [
        (s["port"], s["vlan"], s["tagged"], s["because"], lines[s["origin"]["line"] - 1])
        for s in steps
        if s["switch"] == "r" and s["event"] == "arrives"
    ]
    assert taken == [
        ("1.10", 10, True, "the router's sub-interface takes tag 10", "tag: 10"),
        ("2", None, False, "the routed port takes it", "[port 2]"),
    ]


def test_a_router_serves_the_vlans_of_its_legs(inkov: Inkov, tmp_path: Path) -> None:
    """That of a sub-interface's tag, and the one that a routed port is linked to."""
    routed(tmp_path)
    vlans = inkov("overview", ".", "-f", "json").json["vlans"]
    assert {one["vlan"]: one["gateways"] for one in vlans} == {10: ["r"], 20: ["r"], 99: []}


def test_a_host_without_a_tag_hears_nothing_tagged(inkov: Inkov, tmp_path: Path) -> None:
    """VLAN 20 leaves tagged at port 5, and VLAN 10 untagged."""
    routed(tmp_path)
    (tmp_path / "hosts.csv").write_text(HOSTS + "dew,a,5,,\n")
    claims = "claims: [{reach: ['a:2', dew]}, {reach: ['a:1', dew]}]\n"
    (tmp_path / "plan.yaml").write_text(claims)
    far, near = inkov("prove", ".", "-f", "json").json["claims"]
    assert (far["verdict"], near["verdict"]) == ("broken", "holds")
    last = far["witness"][-1]
    assert (last["port"], last["event"]) == ("5", "stops")
    assert "leaves there tagged 20, and the host takes untagged frames" in last["because"]
    stops = f"what a:2 sends does not arrive at a:5: {last['because']}"
    assert far["because"] == f"{stops}; the way back is not asked"


def test_because_tells_what_is_stated_in_the_words_of_sheets(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "c.sheet").write_text(
        "inkov sheet 1\nswitch: c\n[vlans]\n10: ferns\n[port 1]\nmode: general\npvid: none\n"
        "tagged: 10\ningress filtering: on\nprotected: no\n"
    )
    chain = inkov("ports", ".", "--because", "c:1", "-f", "json").json["because"]
    stated = [reason["says"] for reason in chain if reason["stage"] == "stated"]
    assert {"PVID: none", "tagged VLANs: 10", "ingress filtering: yes", "protected: no"} <= {
        *stated
    }


def test_hosts_that_tag_reach_each_other_by_their_tag(inkov: Inkov, tmp_path: Path) -> None:
    """At ports where untagged frames are in another VLAN; one that does not tag is not reached."""
    ports = "".join(
        f"[port {number}]\nmode: trunk\nnative: 20\nallowed: 10,20\n" for number in (1, 2, 3)
    )
    (tmp_path / "a.sheet").write_text(
        f"inkov sheet 1\nswitch: a\n[vlans]\n10: ferns\n20: beds\n{ports}"
    )
    (tmp_path / "hosts.csv").write_text(
        "host,switch,port,address,vlan\nx,a,1,10.0.10.5/24,10\ny,a,2,10.0.10.6/24,10\n"
        "z,a,3,10.0.10.7/24,\n"
    )
    assert inkov("follow", "x", "y", ".").out.endswith("A ping between x and y works.\n")
    fails = inkov("follow", "x", "z", ".")
    assert fails.status == 1 and "A ping between x and z does not work." in fails.out


def test_claims_about_nobody_are_passed_over(inkov: Inkov, tmp_path: Path) -> None:
    """Beside a way stands what is claimed of it; the first claim is of no such way."""
    routed(tmp_path)
    claims = "claims: [{isolate: [nowhere, climate]}, {reach: ['a:1', 'a:5']}]\n"
    (tmp_path / "plan.yaml").write_text(claims)
    told = inkov("follow", "a:2", "a:5", ".").out
    assert "reaches" not in told and "isolate" not in told
    told = inkov("follow", "a:1", "a:5", ".").out
    assert "a:1 reaches a:5" in told and "isolate" not in told


IN_A_ROW = """inkov sheet 1
switch: {name}
[vlans]
10: ferns
20: visitors
99: nobody
[port 1]
vlan: 10
{host}
[port 8]
mode: trunk
native: 99
allowed: 10,99
[port 9]
mode: trunk
native: 99
allowed: {onward}
[neighbours]
8: {before}:9
9: {after}:8
"""


@pytest.mark.parametrize("target", ["", "state: off"])
@pytest.mark.parametrize(
    ("onward", "port", "line", "because"),
    [
        ("20,99", "9", 17, "the allowed list of b:9 (20,99) does not hold VLAN 10"),
        ("10,99\nstate: off", "9", 18, "b:9 is shut"),
        ("10,99", "", 0, ""),
    ],
)
def test_follow_goes_as_far_as_the_frame_does(
    inkov: Inkov, tmp_path: Path, target: str, onward: str, port: str, line: int, because: str
) -> None:
    """a - b - c: from a to a port of c, which may be shut itself, beyond a link that may be."""
    for name, before, after, passed, host in (
        ("a", "-", "b", "10,99", ""),
        ("b", "a", "c", onward, ""),
        ("c", "b", "-", "10,99", target),
    ):
        text = IN_A_ROW.format(name=name, before=before, after=after, onward=passed, host=host)
        kept = [row for row in text.splitlines() if ": -:" not in row]
        (tmp_path / f"{name}.sheet").write_text("\n".join(kept) + "\n")
    steps = inkov("follow", "a:1", "c:1", "-f", "json", ".").json["steps"]
    way = [("a", "1", "sent"), ("a", "9", "leaves"), ("b", "8", "arrives")]
    told = [(step["switch"], step["port"], step["event"]) for step in steps]
    assert told[:3] == way
    if port:
        assert told[3:] == [("b", port, "stops")]
        assert (steps[3]["because"], steps[3]["origin"]["line"]) == (because, line)
        return
    last = ("c", "1", "stops" if target else "heard")
    assert told[3:] == [("b", "9", "leaves"), ("c", "8", "arrives"), last]


def test_a_link_that_is_up_is_named_before_one_that_is_shut(inkov: Inkov, tmp_path: Path) -> None:
    """a:7 is shut at both ends; a:9 is up, and lets VLAN 10 not through."""
    spare = "[port 7]\nmode: trunk\nnative: 99\nallowed: 10,99\nstate: off\n[port 8]"
    for name, other, onward in (("a", "c", "20,99"), ("c", "a", "10,99")):
        text = IN_A_ROW.format(name=name, before="x", after=other, onward=onward, host="")
        text = text.replace("[port 8]", spare)
        text = text.replace(f"9: {other}:8\n", f"7: {other}:7\n9: {other}:9\n")
        (tmp_path / f"{name}.sheet").write_text(text.replace("8: x:9\n", ""))
    *_, last = inkov("follow", "a:1", "c:1", "-f", "json", ".").json["steps"]
    assert (last["port"], last["because"]) == (
        "9",
        "the allowed list of a:9 (20,99) does not hold VLAN 10",
    )


def test_a_switch_that_no_link_leads_to(inkov: Inkov, tmp_path: Path) -> None:
    for name in "ac":
        text = IN_A_ROW.format(name=name, before="x", after="x", onward="10,99", host="")
        (tmp_path / f"{name}.sheet").write_text(text.partition("[neighbours]")[0])
    sent, last = inkov("follow", "a:1", "c:1", "-f", "json", ".").json["steps"]
    assert (sent["event"], last["because"]) == ("sent", "no link leads on towards c")


def test_frames_between_ports_are_untagged_ones(inkov: Inkov, tmp_path: Path) -> None:
    """What a phone behind a port sends tagged is asked for by --vlan."""
    (tmp_path / "a.sheet").write_text(TWO.format(name="a", far="b", state=""))
    other = TWO.format(name="b", far="a", state="").replace("vlan: 10", "vlan: 15", 1)
    (tmp_path / "b.sheet").write_text(other)
    assert inkov("follow", "a:2", "b:1", ".").status == 1
    assert inkov("follow", "a:2", "b:1", ".", "--vlan", "15").status == 0


def test_a_host_at_a_port_that_is_not_there(inkov: Inkov, garden: Path) -> None:
    with (garden / "hosts.csv").open("a") as file:
        file.write("lost,gate-1,99,10.50.0.99/24,\n")
    result = inkov("follow", "lost", "till-1", "garden")
    assert (
        result.status == 2
        and "host lost (garden/hosts.csv:15): gate-1 has no port '99'" in result.err
    )


def test_loops_of_bundles_and_missing_parents_are_said(inkov: Inkov, tmp_path: Path) -> None:
    (tmp_path / "a.sheet").write_text(
        "inkov sheet 1\nswitch: a\n[vlans]\n10: x\n"
        "[bundle b1]\nmembers: b2\nvlan: 10\n[bundle b2]\nmembers: b1\nvlan: 10\n"
        "[sub 9.10]\nof: 9\ntag: 10\n[port 1]\nvlan: 10\n[neighbours]\n1: elsewhere:7\n"
    )
    result = inkov("hears", "a:1", "a.sheet", "-f", "json")
    assert {h["port"] for h in result.json["heard"]} == {"b1", "b2"}
    says = " ".join(inkov("follow", "a:1", "a:b1", "a.sheet", "-f", "json").json["assumes"])
    assert (
        "the bundle 'b2' is not there to join" in says
        and "without an existing port under it" in says
    )
    assert "elsewhere is not among the files" in says


@pytest.mark.parametrize(
    "command",
    [
        *(["vlans"], ["ports"], ["links"], ["trunks"], ["tree"], ["tree", "--down"], ["overview"]),
        *(["ports", "--because", "a:1"], ["withstand"], ["read"], ["prove"]),
        *(["hears", "a:1"], ["follow", "a:1", "a:5"], ["draw", "-o", "x.svg"]),
    ],
)
def test_a_file_that_is_not_read_shows_in_the_status(
    inkov: Inkov, tmp_path: Path, command: list[str]
) -> None:
    """Whatever else is asked, and answered."""
    (tmp_path / "in").mkdir()
    routed(tmp_path / "in")
    for name in ("a", "r"):
        with (tmp_path / "in" / f"{name}.sheet").open("a") as file:
            file.write("[tree]\nmode: rstp\n")
    name, *rest = command
    words = [name, *(word for word in rest if name in ("hears", "follow")), "in"]
    words += rest if name not in ("hears", "follow") else []
    assert inkov(*words).status == 0
    (tmp_path / "in" / "x.json").write_text("{")
    ran = inkov(*words)
    assert ran.status == 2 and "x.json" in ran.err


def test_a_hostile_host_asks_for_a_trunk(inkov: Inkov, tmp_path: Path) -> None:
    """FM 4.4: a:1 is an access port in VLAN 10 that would be a trunk for whoever asks."""
    text = "inkov sheet 1\nswitch: a\n[vlans]\n10: ferns\n20: beds\n[port 2]\nvlan: 20\n[port 1]\n"
    (tmp_path / "a.sheet").write_text(f"{text}mode: access\nvlan: 10\nnegotiation: passive\n")
    assert inkov("follow", "a:1", "a:2", ".").status == 1
    told = inkov("follow", "a:1", "a:2", ".", "-l", "hostile", "-f", "json").json
    sent = told["steps"][0]
    assert (sent["event"], sent["vlan"], sent["tagged"]) == ("sent", 20, True)
    assert sent["because"] == "a host that asks gets this VLAN here"
    assert told["arrives"] is True and sent["origin"]["line"] == text.count("\n")


def test_a_hostile_host_hides_a_tag(inkov: Inkov, tmp_path: Path) -> None:
    """FM 4.3: what leaves a:8 untagged has another tag behind that, which b:8 takes for its own."""
    trunk = "[port 8]\nmode: trunk\nnative: 10\nallowed: 10,20\n[neighbours]\n8: {}:8\n"
    for name, vid, far in (("a", 10, "b"), ("b", 20, "a")):
        head = f"inkov sheet 1\nswitch: {name}\n[vlans]\n10: ferns\n20: beds\n[port 1]\n"
        (tmp_path / f"{name}.sheet").write_text(f"{head}vlan: {vid}\n{trunk.format(far)}")
    assert inkov("follow", "a:1", "b:1", ".").status == 1
    steps = inkov("follow", "a:1", "b:1", ".", "-l", "hostile", "-f", "json").json["steps"]
    assert [(step["port"], step["event"], step["vlan"], step["tagged"]) for step in steps] == [
        ("1", "sent", 10, False),
        ("8", "leaves", 10, False),
        ("8", "arrives", 20, True),
        ("1", "heard", 20, False),
    ]
    assert steps[1]["because"].endswith("; the tag hidden behind, 20, is now the first")
    assert steps[2]["because"] == "the hidden tag shows: VLAN 20 is in its allowed list"


def test_what_hostile_hosts_register_leaves_by_a_link(inkov: Inkov, tmp_path: Path) -> None:
    """FM 4.5: a:8 sends VLAN 10 alone until somebody behind b registers VLAN 20."""
    for name, allowed, far in (("a", "10\nregistration: on", "b"), ("b", "10,20", "a")):
        (tmp_path / f"{name}.sheet").write_text(
            f"inkov sheet 1\nswitch: {name}\n[vlans]\n10: ferns\n20: beds\n[port 1]\nvlan: 20\n"
            f"[port 8]\nmode: trunk\nnative: none\nallowed: {allowed}\n[neighbours]\n8: {far}:8\n"
        )
    honest, hostile = (
        inkov("follow", "a:1", "b:1", ".", "-l", level, "-f", "json").json
        for level in ("honest", "hostile")
    )
    assert honest["arrives"] is False
    assert [(step["switch"], step["port"]) for step in honest["steps"]] == [("a", "1"), ("a", "8")]
    assert hostile["arrives"] is True
    ways = [(step["switch"], step["port"], step["vlan"]) for step in hostile["steps"]]
    assert ways == [("a", "1", 20), ("a", "8", 20), ("b", "8", 20), ("b", "1", 20)]


def test_hosts_by_a_tag_of_a_port(inkov: Inkov, tmp_path: Path) -> None:
    """At the sub-interfaces of a:9 a tag leads into a VLAN: 10 into VLAN 10, 11 into VLAN 20. The
    reed sits at the port itself, in VLAN 20.
    """
    subs = "".join(
        f"[sub 9.{tag}]\nof: 9\ntag: {tag}\nvlan: {vid}\n" for tag, vid in ((10, 10), (11, 20))
    )
    (tmp_path / "a.sheet").write_text(
        "inkov sheet 1\nswitch: a\n[vlans]\n10: ferns\n20: beds\n[port 1]\nvlan: 10\n"
        f"[port 2]\nvlan: 20\n[port 9]\nvlan: 20\n{subs}"
    )
    (tmp_path / "hosts.csv").write_text(
        "host,switch,port,vlan\nlamp,a,9,10\npump,a,9,11\nreed,a,9,\n"
    )
    reached = {"a:1": ["lamp"], "a:2": ["pump", "reed"]}
    reached |= {"lamp": ["a:1"], "pump": ["a:2"], "reed": ["a:2"]}
    pairs = [(one, other) for one in reached for other in reached if (":" in one) != (":" in other)]
    claims = "".join(f"  - {{reach: ['{one}', '{other}']}}\n" for one, other in pairs)
    (tmp_path / "plan.yaml").write_text(f"claims:\n{claims}")
    proved = inkov("prove", ".", "-f", "json").json["claims"]
    for (source, target), claim in zip(pairs, proved, strict=True):
        arrives = target in reached[source]
        told = inkov("follow", source, target, ".", "-f", "json").json
        assert told["arrives"] is arrives, (source, target)
        assert claim["verdict"] == ("holds" if arrives else "broken"), (source, target)
    inkov("prove", ".", "--certificate", "proof.json")
    verified = inkov("verify", "proof.json", ".").out
    assert "refused" not in verified and f"6 of {len(pairs)} claims verified" in verified
    last = inkov("follow", "a:2", "pump", ".", "-f", "json").json["steps"][-1]
    assert (last["port"], last["vlan"], last["tagged"]) == ("9.11", 20, True)
    assert last["because"] == "the sub-interface sends it, tagged 11"
    witness = proved[pairs.index(("a:2", "pump"))]["witness"]
    assert witness[-1]["because"] == last["because"]
    # What is on the wire of a:9 is not for everybody there.
    last = inkov("follow", "a:1", "reed", ".", "-f", "json").json["steps"][-1]
    assert last["because"] == (
        "it leaves there tagged 10, and the host takes untagged frames: the sub-interface sends it,"
        " tagged 10"
    )
    first = inkov("follow", "pump", "a:2", ".", "-f", "json").json["steps"][0]
    assert first["because"] == "the sub-interface takes tag 11; it is VLAN 20 inside"
    assert first["tagged"] is True
    # Without the port's own VLAN only the tag is left of what is in VLAN 20.
    text = (tmp_path / "a.sheet").read_text()
    (tmp_path / "a.sheet").write_text(text.replace("[port 9]\nvlan: 20", "[port 9]\nvlan: 10"))
    last = inkov("follow", "a:2", "reed", ".", "-f", "json").json["steps"][-1]
    assert last["because"].startswith("it leaves there tagged 11, and the host takes untagged")


def test_a_host_on_a_wire_that_is_set_otherwise_at_each_end(inkov: Inkov, tmp_path: Path) -> None:
    """FM 3.9, FM 4.9: with tag 10 the lamp is in VLAN 10 of a, and by a sub-interface in VLAN 20 of
    b; all of them hear each other.
    """
    head = (
        "inkov sheet 1\nswitch: {}\n[vlans]\n10: ferns\n20: beds\n[port {}]\nvlan: {}\n[port 8]\n"
    )
    trunk = "mode: trunk\nnative: none\nallowed: 10,20\n[neighbours]\n8: b:8\n"
    (tmp_path / "a.sheet").write_text(head.format("a", 1, 10) + trunk)
    sub = "mode: routed\n[sub 8.10]\nof: 8\ntag: 10\nvlan: 20\n"
    (tmp_path / "b.sheet").write_text(head.format("b", 2, 20) + sub)
    (tmp_path / "hosts.csv").write_text("host,switch,port,vlan\nlamp,a,8,10\n")
    places = ("a:1", "b:2", "lamp")
    pairs = [(one, other) for one in places for other in places if one != other]
    claims = "".join(f"  - {{not-reach: ['{one}', '{other}']}}\n" for one, other in pairs)
    (tmp_path / "plan.yaml").write_text(f"claims:\n{claims}")
    proved = inkov("prove", ".", "-f", "json", "-q", "--certificate", "proof.json").json["claims"]
    for (one, other), claim in zip(pairs, proved, strict=True):
        assert claim["verdict"] == "broken", (one, other)
        assert inkov("follow", one, other, ".").status == 0, (one, other)
    assert "refused" not in inkov("verify", "proof.json", ".").out
