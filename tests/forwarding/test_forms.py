"""In which form a frame reaches a host, and why it stops: small campuses, from files to answers."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.conftest import Inkov

HEAD = "inkov sheet 1\nswitch: {}\n[vlans]\n10: fish\n30: fog\n40: dew\n"
TRUNK = "[port 9]\nmode: trunk\nnative: none\nallowed: {}\n"
ACCESS = "[port 1]\nmode: access\nvlan: 10\n"
SUB = "[sub 9.7]\nof: 9\ntag: 7\nmode: access\nvlan: 10\n"
BOTH = "[port 1]\nmode: general\npvid: 10\nuntagged: 10,30\n"


def write(folder: Path, hosts: str = "", **sheets: str) -> None:
    for name, text in sheets.items():
        (folder / f"{name}.sheet").write_text(HEAD.format(name) + text)
    if hosts:
        (folder / "hosts.csv").write_text(f"host,switch,port,vlan,address\n{hosts}")


@pytest.mark.parametrize(
    ("port", "trunk", "lamp", "works", "why"),
    [
        # In one VLAN, in the form that the lamp takes.
        (ACCESS, TRUNK.format(10), "a,9,10", True, ""),
        # The lamp takes tag 30, and gets tag 10. What it sends is heard: the fern hears 30 as well.
        (BOTH, TRUNK.format("10,30"), "a,9,30", False, "arrive tagged 10, which it does not hear"),
        (BOTH, TRUNK.format("10,30"), "a,9,", False, "a:9 drops untagged frames"),
        # Tag 7 is that of the sub-interface, whether the table names it or the port.
        (ACCESS, TRUNK.format(30) + SUB, "a,9.7,", True, ""),
        (ACCESS, TRUNK.format(30) + SUB, "a,9,7", True, ""),
        (ACCESS, TRUNK.format("10,30") + SUB, "a,9,30", False, "tagged"),
    ],
)
def test_a_ping_works_in_the_form_that_each_host_takes(
    inkov: Inkov, tmp_path: Path, port: str, trunk: str, lamp: str, works: bool, why: str
) -> None:
    """FM 5.6: there, in the form that the host hears, and back."""
    write(tmp_path, f"fern,a,1,,10.0.10.5/24\nlamp,{lamp},10.0.10.6/24\n", a=port + trunk)
    (tmp_path / "plan.yaml").write_text("claims:\n  - reach: [fern, lamp]\n")
    assert ("HOLDS" in inkov("prove", ".").out) is works
    told = inkov("follow", "fern", "lamp", ".")
    assert ("A ping between fern and lamp works" in told.out) is works, told.out
    # A sub-interface of one VLAN puts one tag on its frames.
    assert why in told.out and "two tags" not in told.out


def test_a_host_on_a_wire_whose_ends_have_other_names(inkov: Inkov, tmp_path: Path) -> None:
    """FM 4.9: the lamp at a:9 is at b:4 as well, and is heard by the fish of both."""
    far = TRUNK.replace("port 9", "port 4").format(10) + "[neighbours]\n4: a:9\n"
    near = TRUNK.format(10) + "[neighbours]\n9: b:4\n"
    write(tmp_path, "lamp,a,9,10,\n", a=ACCESS + near, b=ACCESS + far)
    heard = inkov("hears", "lamp", ".", "-f", "json").json["heard"]
    assert [(each["switch"], each["port"]) for each in heard] == [("a", "1"), ("b", "1")]
    # Without a tag it is in no VLAN there; with native 10 at b alone, it is heard by way of b.
    write(
        tmp_path,
        "lamp,a,9,,\n",
        a=ACCESS + near,
        b=ACCESS + far.replace("native: none", "native: 10"),
    )
    heard = inkov("hears", "lamp", ".", "-f", "json").json["heard"]
    assert [(each["switch"], each["port"]) for each in heard] == [("b", "1")]


def test_who_is_at_one_end_of_a_wire_is_at_all_of_them(inkov: Inkov, tmp_path: Path) -> None:
    """FM 4.9: the lamp is in VLAN 10 by a:9 and in VLAN 30 by b:9, whatever a claim calls it. The
    pump is on that wire as well, and fern and reed at one port: what they hear of each other passes
    no switch.
    """
    port = ACCESS.replace("port 1", "port 9") + "[neighbours]\n9: b:9\n"
    far = ACCESS.replace("10", "30")
    write(
        tmp_path,
        "lamp,a,9,,\npump,b,9,,\nfern,b,1,,\nreed,b,1,,\n",
        a=port,
        b=far + far.replace("port 1", "port 9"),
    )
    claims = {
        "isolate: ['a:9', 'b:1']": "broken",
        "isolate: ['b:1', 'a:*']": "broken",
        "isolate: [lamp, 'b:1']": "broken",
        "isolate: [10, 30]": "broken",
        "not-reach: ['b:1', 'a:9']": "broken",
        "reach: ['a:9', 'b:1']": "holds",
        "isolate: ['a:9', 'b:9']": "undecided",
        "isolate: [lamp, pump]": "undecided",
        "not-reach: [lamp, pump]": "undecided",
        "not-reach: ['a:9', 'b:9']": "undecided",
        "reach: [lamp, pump]": "undecided",
        "isolate: [fern, reed]": "undecided",
        "not-reach: [fern, reed]": "undecided",
        # All that it is to be apart from is inside, or on its wire.
        "{isolate: fern, from: reed}": "undecided",
        "{isolate: 30, from: reed}": "undecided",
        "{isolate: 'a:9', from: 'b:9'}": "undecided",
        # What everything and VLAN 30 have in common is inside, and the wire is not.
        "{isolate: 30, from: everything}": "broken",
    }
    (tmp_path / "plan.yaml").write_text("claims:\n" + "".join(f"  - {one}\n" for one in claims))
    proved = inkov("prove", ".", "--certificate", "certificate.json", "-f", "json").json["claims"]
    assert [claim["verdict"] for claim in proved] == list(claims.values())
    verified = inkov("verify", "certificate.json", ".")
    assert "refused" not in verified.out + verified.err and "1 of 17" in verified.out, verified.out
    for command in ("follow", "why"):
        asked = inkov(command, "lamp", "pump", ".")
        assert (asked.status, asked.out) == (2, "") and "are on one wire" in asked.err
    (tmp_path / "plan.yaml").unlink()
    table = inkov("prove", ".", "--matrix", "-f", "json").json["reach"]
    assert [cell["how"] for cell in table] == ["same"] * 2
    table = inkov("prove", ".", "--matrix", "--hosts", "-f", "json").json["reach"]
    assert [cell["how"] for cell in table] == ["same"] * 12


def test_two_areas_that_only_a_routed_link_joins(inkov: Inkov, tmp_path: Path) -> None:
    """FM 6.7: VLAN 10 of a and VLAN 10 of b are two VLANs, and may have two names; by a trunk, or a
    neighbour that both see and no file describes, they are one.
    """
    routed = "[port 8]\nmode: routed\naddress: 10.9.9.{}/30\n"
    trunk = TRUNK.replace("port 9", "port 8").format(10)
    hut = "1: hut:1\n"
    for link, seen, wrong in ((routed, "", False), (trunk, "", True), (routed, hut, True)):
        for number, (name, far) in enumerate((("a", "b"), ("b", "a")), 1):
            text = ACCESS + link.format(number) + f"[neighbours]\n8: {far}:8\n{seen}"
            write(tmp_path, **{name: text})
        sheet = tmp_path / "b.sheet"
        sheet.write_text(sheet.read_text().replace("10: fish", "10: moss"))
        findings = inkov("audit", ".", "-f", "json").json["findings"]
        rules = {finding["rule"] for finding in findings}
        assert ("vlan-name-differs" in rules) is wrong, rules


MOSS = "60: moss\n[port 1]\nmode: access\nvlan: 60\n"


@pytest.mark.parametrize(
    ("near", "far", "at", "says"),
    [
        (TRUNK.format(30), TRUNK.format(60), "a", "the allowed list of a:9 (30) does not hold"),
        (TRUNK.format(60), TRUNK.format(30), "b", "the allowed list of b:9 (30) does not hold"),
        (TRUNK.format(60), "[port 9]\nmode: access\nvlan: 60\n", "b", "no frames tagged 60"),
        # Untagged at one end and in another VLAN at the other.
        (
            "[port 9]\nmode: trunk\nnative: 60\nallowed: 60\n",
            "[port 9]\nmode: trunk\nnative: 30\nallowed: 30,60\n",
            "b",
            "VLAN 60 leaves a:9 untagged, and at b:9 untagged frames are in VLAN 30",
        ),
        # b takes tag 60 by a sub-interface, and a takes no tags back.
        (
            "[port 9]\nmode: general\npvid: 30\naccept: untagged\ntagged: 60\n",
            TRUNK.format(30) + "[sub 9.60]\nof: 9\ntag: 60\nmode: access\nvlan: 60\n",
            "a",
            "it accepts untagged frames only",
        ),
    ],
)
def test_why_a_vlan_does_not_cross(
    inkov: Inkov, tmp_path: Path, near: str, far: str, at: str, says: str
) -> None:
    """The first end, from either side, that does not pass VLAN 60."""
    write(
        tmp_path,
        a=MOSS + near + "[neighbours]\n9: b:9\n",
        b=MOSS + far + "[neighbours]\n9: a:9\n",
    )
    (row,) = inkov("vlans", ".", "--vlan", "60", "-f", "json").json["vlans"]
    (gap,) = row["breaks"]
    assert says in gap["says"], gap
    assert gap["origin"]["file"].endswith(f"{at}.sheet")


@pytest.mark.parametrize(
    ("near", "row", "lists", "says"),
    [
        # b has it on its lists; a's lacks it as well.
        (30, "", "30,60", "b does not define VLAN 60"),
        (30, "60: moss; suspended\n", "30,60", "VLAN 60 is suspended on b"),
        # What b's list leaves out stops there, whatever its table has.
        ("30,60", "", "30", "the allowed list of b:9 (30) does not hold VLAN 60"),
    ],
)
def test_why_a_vlan_does_not_cross_a_switch_without_it(
    inkov: Inkov, tmp_path: Path, near: str, row: str, lists: str, says: str
) -> None:
    """b, in between, does not have it in its table."""
    link = "[port {}]\nmode: trunk\nnative: none\nallowed: {}\n"
    write(
        tmp_path,
        a=MOSS + link.format(9, near) + "[neighbours]\n9: b:9\n",
        b=row + link.format(9, lists) + link.format(8, lists),
        c=MOSS + link.format(8, "30,60") + "[neighbours]\n8: b:8\n",
    )
    (row_of_60,) = inkov("vlans", ".", "--vlan", "60", "-f", "json").json["vlans"]
    assert [gap["says"].partition(": ")[2] for gap in row_of_60["breaks"]] == [says]


def test_what_keeps_a_frame_from_going_on_is_told_at_the_far_end(
    inkov: Inkov, tmp_path: Path
) -> None:
    """The next switch states no mode at its port 9, so that it takes no tags; what else is said is
    stated. It is told whichever of the two comes first by name.
    """
    for sender, other in (("b", "a"), ("a", "b")):
        link = f"[neighbours]\n9: {other}:9\n"
        back = f"[neighbours]\n9: {sender}:9\n"
        sheets = {
            sender: ACCESS + TRUNK.format(10) + link,
            other: "[port 9]\nvlan: 30\n" + back,
            "c": ACCESS,
        }
        write(tmp_path, **sheets)
        claim = f'claims:\n  - isolate: ["{sender}:1", "c:1"]\n'
        (tmp_path / "plan.yaml").write_text(claim)
        told = inkov("prove", ".").out
        assert "HOLDS" in told and "mode not stated at 1 port, default" in told, told


def test_a_router_alone_has_no_vlans_that_it_could_lack(inkov: Inkov, tmp_path: Path) -> None:
    """Its ports are routed: that it brings no VLAN table means nothing."""
    routed = "[port {}]\nmode: routed\naddress: 10.0.{}.1/24\n"
    (tmp_path / "r.sheet").write_text(
        "inkov sheet 1\nswitch: r\n"
        + routed.format(1, 10)
        + routed.format(2, 30)
        + "[neighbours]\n1: a:1\n2: a:2\n"
    )
    ports = "[port {0}]\nmode: access\nvlan: {1}\n[port {2}]\nmode: access\nvlan: {1}\n"
    write(tmp_path, a=ports.format(1, 10, 3) + ports.format(2, 30, 4))
    (tmp_path / "hosts.csv").write_text(
        "host,switch,port,address,gateway\n"
        "fern,a,3,10.0.10.5/24,10.0.10.1\nlamp,a,4,10.0.30.5/24,10.0.30.1\n"
    )
    told = inkov("follow", "fern", "lamp", ".", "-f", "json").json
    assert told["arrives"] and not any("no VLAN table" in says for says in told["assumes"])


def test_a_tree_is_to_blame_for_its_own_vlans_only(inkov: Inkov, tmp_path: Path) -> None:
    """c's port towards b discards VLAN 30, since a is the root of its tree. VLAN 10 passes between
    b and c alone, and c's list lacks it there: that is what stops it.
    """
    ends = {"a": ("b:8", "c:8"), "b": ("a:8", "c:9"), "c": ("a:9", "b:9")}
    for number, (name, far) in enumerate(ends.items(), 1):
        text = ACCESS if name != "a" else ""
        for port in (8, 9):
            vids = "10,30" if (name, port) == ("b", 9) else "30"
            text += f"[port {port}]\nmode: trunk\nnative: none\nallowed: {vids}\n"
        text += f"[tree]\nmode: per vlan\naddress: 00:00:5e:00:53:0{number}\n"
        text += "".join(f"[tree {vid}]\npriority: {4096 * number}\n" for vid in (10, 30))
        text += "[neighbours]\n" + f"8: {far[0]}\n9: {far[1]}\n"
        write(tmp_path, **{name: text})
    last = inkov("follow", "c:1", "b:1", ".", "--now", "-f", "json").json["steps"][-1]
    assert (last["switch"], last["port"]) == ("c", "9")
    assert "allowed list" in last["because"], last


def test_what_came_by_a_link_does_not_turn_back_in_vlan_1(inkov: Inkov, tmp_path: Path) -> None:
    """FM 3.5: untagged frames of a's VLAN 10 are in VLAN 1 at b, and would be in VLAN 40 if they
    came back.
    """
    crossed = "[port 9]\nmode: general\npvid: 40\nuntagged: 10\n[neighbours]\n9: b:9\n"
    write(
        tmp_path,
        a=ACCESS + "[port 2]\nmode: access\nvlan: 40\n" + crossed,
        b="[port 1]\nmode: access\nvlan: 1\n[port 9]\nmode: trunk\nallowed: 1\n",
    )
    heard = inkov("hears", "a:1", ".", "-f", "json").json["heard"]
    assert [(each["switch"], each["port"], each["vlan"]) for each in heard] == [("b", "1", 1)]


@pytest.mark.parametrize("setting", ["pvid: none\n", "pvid: 10\naccept: tagged\n"])
def test_a_port_without_a_place_for_untagged_frames_puts_them_nowhere(
    inkov: Inkov, tmp_path: Path, setting: str
) -> None:
    """FM 2.7: whatever VLANs there are, VLAN 2 among them."""
    ports = "".join(f"[port {vid}]\nmode: access\nvlan: {vid}\n" for vid in (2, 10))
    general = f"[port 9]\nmode: general\n{setting}tagged: 2,10\n"
    write(tmp_path, a="2: reed\n" + general + ports)
    for target in ("a:2", "a:10"):
        (step,) = inkov("follow", "a:9", target, ".", "-f", "json").json["steps"]
        assert (step["port"], step["event"]) == ("9", "stops")


def test_where_untagged_frames_get_in_is_part_of_what_a_port_does(
    inkov: Inkov, tmp_path: Path
) -> None:
    """A port that sends VLAN 10 untagged, and has untagged frames in another VLAN."""
    for side, pvid in (("old", 30), ("new", 40)):
        (tmp_path / side).mkdir()
        write(tmp_path / side, a=f"[port 1]\nmode: general\npvid: {pvid}\nuntagged: 10\n")
    switches = inkov("compare", "old", "new", "-f", "json").json["switches"]
    assert switches["unlike"] == ["a"] and switches["forward_as_before"] == 0


def test_what_a_sub_interface_does_not_state_is_its_own(inkov: Inkov, tmp_path: Path) -> None:
    """The trunk states no native VLAN, and its sub-interface no VLAN: one of each."""
    trunk = "[port 9]\nmode: trunk\nallowed: 30\n[sub 9.7]\nof: 9\ntag: 7\nmode: access\n"
    write(tmp_path, a=ACCESS.replace("vlan: 10", "vlan: 1") + trunk)
    told = inkov("hears", "a:1", ".").out
    assert "native VLAN not stated at 1 port, default" in told
    assert "access vlan not stated at 1 port, default" in told.lower(), told


def test_what_a_link_carries_to_a_sub_interface_has_the_number_of_its_tag(
    inkov: Inkov, tmp_path: Path
) -> None:
    """FM 6.8: b has tag 10 in VLAN 40 inside. Once a's list has it, the link carries VLAN 10."""
    sub = "[sub 9.10]\nof: 9\ntag: 10\nmode: access\nvlan: 40\n[port 1]\nmode: access\nvlan: 40\n"
    for side, allowed in (("old", "30"), ("new", "10,30")):
        (tmp_path / side).mkdir()
        write(
            tmp_path / side,
            a=ACCESS + TRUNK.format(allowed) + "[neighbours]\n9: b:9\n",
            b=sub + TRUNK.format(30) + "[neighbours]\n9: a:9\n",
        )
    for old, new, says in (
        ("old", "new", "carries VLAN 10 now"),
        ("new", "old", "carries VLAN 10 no more, and should"),
    ):
        found = inkov("compare", old, new, "-f", "json").json["consequences"]
        links = [(one["name"], one["says"]) for one in found if one["about"] == "link"]
        assert links == [("a:9 - b:9", says)]


BEHIND = "[sub 9.10]\nof: 9\ntag: 10\nmode: access\nvlan: {0}\n[port 1]\nmode: access\nvlan: {0}\n"


@pytest.mark.parametrize(("inside", "told"), [(10, False), (1, False), (40, True)])
def test_fm_6_8_a_sub_interface_in_the_default_vlan_is_in_that_of_its_tag(
    inkov: Inkov, tmp_path: Path, inside: int, told: bool
) -> None:
    """In VLAN 40 it joins two VLANs: nobody says by untagged frames, since a sends none, and the
    place is the sub-interface. Its tag is on no list of b, and needs to be on none.
    """
    write(
        tmp_path,
        a=ACCESS + TRUNK.format(10) + "[neighbours]\n9: b:9\n",
        b=BEHIND.format(inside) + TRUNK.format("none") + "[neighbours]\n9: a:9\n",
    )
    every = inkov("audit", ".", "-f", "json").json["findings"]
    found = [finding for finding in every if finding["rule"] != "vlan-unused"]
    assert [finding["rule"] for finding in found] == ["untagged-vlan-differs"] * told, found
    for finding in found:
        assert finding["says"].startswith("VLAN 10 of a and VLAN 40 of b are joined by frames with")
        assert [place["port"] for place in finding["where"]] == ["9.10", "9"]


def test_a_host_at_a_sub_interface_is_on_the_wire_with_its_tag(
    inkov: Inkov, tmp_path: Path
) -> None:
    """FM 4.1, FM 4.9: the lamp at b:9.10 is what it would be at b:9 with tag 10, and at a:9."""
    for place in ("b,9.10,", "b,9,10", "a,9,10"):
        write(
            tmp_path,
            f"lamp,{place},\nfern,a,1,,\nreed,b,1,,\n",
            a=ACCESS + TRUNK.format(10) + "[neighbours]\n9: b:9\n",
            b=BEHIND.format(40) + TRUNK.format("none"),
        )
        heard = inkov("hears", "lamp", ".", "-f", "json").json["heard"]
        assert [(each["switch"], each["port"]) for each in heard] == [("a", "1"), ("b", "1")]
        (tmp_path / "plan.yaml").write_text(
            "claims:\n  - isolate: [lamp, fern]\n  - isolate: [reed, lamp]\n"
            "  - reach: [lamp, fern]\n  - reach: [reed, lamp]\n"
        )
        claims = inkov("prove", ".", "-f", "json").json["claims"]
        assert [claim["verdict"] for claim in claims] == ["broken"] * 2 + ["holds"] * 2


ROUTED = "[port 9]\nmode: routed\n"
OUTLETS = [
    # A gateway is all there is behind it; in its own VLAN, or in another one than its.
    ("[gateway 40 in b2]\naddress: 10.0.40.1/24\n", "a c"),
    ("[gateway 30 in b2]\naddress: 10.0.30.1/24\n", "a"),
    ("", "a"),
]


@pytest.mark.parametrize(("gateway", "there"), OUTLETS)
def test_what_is_behind_a_sub_interface_that_is_alone_on_its_bridge(
    inkov: Inkov, tmp_path: Path, gateway: str, there: str
) -> None:
    """FM 6.8: tag 10 is VLAN 40 within c."""
    sub = "[sub 9.10]\nof: 9\ntag: 10\nmode: access\nvlan: 40\n[bridge b2]\nports: 9.10\n"
    write(
        tmp_path,
        a=ACCESS + TRUNK.format(10) + "[neighbours]\n9: c:9\n",
        c=TRUNK.format("none") + sub + gateway,
    )
    (row,) = inkov("vlans", ".", "--vlan", "10", "-f", "json").json["vlans"]
    assert row["islands"] == [there.split()]


def test_a_router_has_somebody_behind_the_sub_interface_of_another(
    inkov: Inkov, tmp_path: Path
) -> None:
    """FM 6.3: nobody else is in VLAN 10, and the two have no subnet in common."""
    sub = "[sub 9.10]\nof: 9\ntag: 10\nmode: routed\naddress: 10.0.2.1/24\n"
    write(
        tmp_path,
        a=TRUNK.format(10) + "[port 8]\nvlan: 10\n[neighbours]\n8: r:9\n9: c:9\n",
        r=ROUTED + "address: 10.0.1.1/24\n",
        c=ROUTED + sub,
    )
    (row,) = inkov("vlans", ".", "--vlan", "10", "-f", "json").json["vlans"]
    assert row["islands"] == [["a", "c"]]


def test_fm_5_2_a_hostile_host_has_a_vlan_that_it_only_sends_in(
    inkov: Inkov, tmp_path: Path
) -> None:
    """At a:1 it asks for a trunk, which takes VLAN 30 and sends none of it: the gateway is up."""
    asked = "negotiation: passive\nallowed: 30\nwithheld: 30\n"
    gateways = "".join(f"[gateway {vid}]\naddress: 10.0.{vid}.1/24\n" for vid in (30, 40))
    write(tmp_path, a=ACCESS + asked + "[port 2]\nvlan: 40\n" + gateways)
    (tmp_path / "plan.yaml").write_text(
        "claims:\n  - isolate: [a:1, a:2]\n    layer: 3\n    level: hostile\n"
        "  - isolate: [a:1, a:2]\n    layer: 3\n"
    )
    claims = inkov("prove", ".", "-f", "json").json["claims"]
    assert [claim["verdict"] for claim in claims] == ["broken", "holds"]


def test_what_a_box_only_gets_it_may_pass_on(inkov: Inkov, tmp_path: Path) -> None:
    """FM 4.7: hut gets tag 10 from a:9, which takes none; b:9 takes it."""
    one_way = "[port 9]\nmode: general\npvid: none\naccept: untagged\ntagged: 10\n"
    seen = "[neighbours]\n9: hut:{}\n"
    write(
        tmp_path, a=ACCESS + one_way + seen.format(1), b=ACCESS + TRUNK.format(10) + seen.format(2)
    )
    (tmp_path / "plan.yaml").write_text("claims:\n  - isolate: [a:1, b:1]\n  - reach: [a:1, b:1]\n")
    claims = inkov("prove", ".", "--strict", "-f", "json").json["claims"]
    assert [claim["verdict"] for claim in claims] == ["undecided"] * 2
    assert all("pass nothing" in claim["because"] for claim in claims)


def test_a_box_at_a_sub_interface_is_on_the_wire_of_the_port(inkov: Inkov, tmp_path: Path) -> None:
    """FM 4.7: hut, which may be a switch, gets tag 10 whether the report names a:9 or a:9.10; and
    whatever the VLAN is called inside.
    """
    (tmp_path / "plan.yaml").write_text("claims:\n  - isolate: [a:1, b:1]\n")
    for near, inside in (("9", 10), ("9.10", 10), ("9", 40)):
        write(
            tmp_path,
            a=BEHIND.format(inside) + TRUNK.format("none") + f"[neighbours]\n{near}: hut:1\n",
            b=ACCESS + TRUNK.format(10) + "[neighbours]\n9: hut:2\n",
        )
        (claim,) = inkov("prove", ".", "--strict", "-f", "json").json["claims"]
        assert claim["verdict"] == "undecided" and "pass nothing" in claim["because"], claim


def test_who_has_no_address_is_near_nobody(inkov: Inkov, tmp_path: Path) -> None:
    write(tmp_path, "fern,a,1,,10.0.10.5/24\nlamp,a,2,,\n", a=ACCESS + "[port 2]\nvlan: 10\n")
    told = inkov("follow", "fern", "lamp", ".").out
    assert "works" in told and "at layer 2" in told and "same subnet" not in told


def test_what_becomes_of_untagged_frames_at_the_far_end_is_told(
    inkov: Inkov, tmp_path: Path
) -> None:
    near = "[port 9]\nmode: access\nvlan: 10\n[neighbours]\n9: b:9\n"
    native = "[port 9]\nmode: trunk\nnative: {}\nallowed: 30\n"
    why = "untagged frames are in VLAN 30 here, its native VLAN"
    for vid, says in ((30, f"arrives at b:9 as VLAN 30: {why}"), ("none", "is dropped")):
        write(tmp_path, a=near, b=native.format(vid))
        told = " ".join(inkov("ports", ".", "--because", "a:9").out.split())
        assert f"VLAN 10 leaves untagged and {says}" in told, told


def test_a_frame_that_stops_at_a_shut_port_could_happen_in_one_tree(
    inkov: Inkov, tmp_path: Path
) -> None:
    write(tmp_path, a=ACCESS + "[port 2]\nvlan: 10\nmode: access\nstate: off\n")
    story = inkov("follow", "a:1", "a:2", ".", "-f", "json").json
    assert not story["arrives"] and "certain" not in story


def test_a_host_with_a_tag_sends_it_where_its_port_takes_it(inkov: Inkov, tmp_path: Path) -> None:
    """The lamp's frames get in at both ends of its wire: at a:9 with their tag, though that port
    has untagged frames in the same VLAN.
    """
    write(
        tmp_path,
        "lamp,a,9,10,\n",
        a=ACCESS + TRUNK.format(10).replace("none", "10") + "[neighbours]\n9: b:9\n",
        b=ACCESS + ACCESS.replace("port 1", "port 9"),
    )
    sent, _ = inkov("follow", "lamp", "a:1", ".", "-f", "json").json["steps"]
    assert (sent["switch"], sent["port"], sent["tagged"]) == ("a", "9", True)


@pytest.mark.parametrize(
    ("port", "says"),
    [(TRUNK.format(10), "the tag 10 stays so"), (ACCESS, "untagged frames stay so")],
)
def test_what_a_bridge_that_takes_no_notice_of_tags_leaves_as_it_is(
    inkov: Inkov, tmp_path: Path, port: str, says: str
) -> None:
    """FM 2.11: on both sides of it, whatever arrives."""
    link = port.replace("port 1", "port 9")
    unaware = "[port {}]\nmode: unaware\n"
    write(
        tmp_path,
        a=ACCESS + link + "[neighbours]\n9: u:8\n",
        b=ACCESS + link + "[neighbours]\n9: u:9\n",
        u=unaware.format(8) + unaware.format(9),
    )
    steps = inkov("follow", "a:1", "b:1", ".", "-f", "json").json["steps"]
    passing = [step["because"] for step in steps if step["switch"] == "u"]
    assert len(passing) == 2 and all(says in because for because in passing), passing


def routers(folder: Path, fern: int, lamp: int, **legs: str) -> None:
    """Routers with a leg in each of some VLANs of one switch, with the last part of their address
    and perhaps a filter; a fern in VLAN 10 and a lamp in VLAN 30 with a router each.
    """
    ports, cables, number = "", "", 2
    for router, own in legs.items():
        text = "[filter shade]\n1: reject from any to 10.0.30.0/24\n"
        last, *vids = own.split()
        for leg in vids:
            vid, _, shade = leg.partition("/")
            number += 1
            text += f"[port {number}]\nmode: routed\naddress: 10.0.{vid}.{last}/24\n"
            text += f"filter in: {shade}\n" if shade else ""
            ports += f"[port {number}]\nmode: access\nvlan: {vid}\n"
            cables += f"{number}: {router}:{number}\n"
        write(folder, **{router: text})
    ports += "".join(f"[port {n}]\nmode: access\nvlan: {vid}\n" for n, vid in ((1, 10), (2, 30)))
    hosts = ((1, "fern", 10, fern), (2, "lamp", 30, lamp))
    write(folder, s=f"20: reed\n{ports}[neighbours]\n{cables}")
    (folder / "hosts.csv").write_text(
        "host,switch,port,address,gateway\n"
        + "".join(f"{h},s,{n},10.0.{v}.9/24,10.0.{v}.{r}\n" for n, h, v, r in hosts)
    )


def test_a_router_sends_nothing_back_where_another_way_leads_on(
    inkov: Inkov, tmp_path: Path
) -> None:
    """FM 5.5: from the fern's subnet r knows two ways to the lamp's: back by q, and on by t."""
    routers(tmp_path, 1, 3, r="1 10 20", q="2 10 30", t="3 20 30")
    told = inkov("follow", "fern", "lamp", ".").out
    assert "A ping between fern and lamp works" in told
    assert "t routes it" in told and "q routes it" not in told, told


def test_a_packet_passes_one_router_after_another(inkov: Inkov, tmp_path: Path) -> None:
    routers(tmp_path, 1, 3, r="1 10 20", q="2 20 40", t="3 40 30")
    told = inkov("follow", "fern", "lamp", ".", "-f", "json").json
    there = [step for step in told["steps"] if step["event"] != "heard"]
    # To each router the frame leaves the switch and arrives, and what it sends arrives there.
    hops = [(step["switch"], step["event"]) for step in there][:17]
    to = [
        [("s", "leaves"), (r, "arrives"), (r, "routed"), (r, "leaves"), ("s", "arrives")]
        for r in "rqt"
    ]
    assert told["arrives"] and hops == [("s", "sent"), *to[0], *to[1], *to[2], ("s", "sent")]


def test_a_filter_on_the_only_way_is_to_blame_though_it_leads_back(
    inkov: Inkov, tmp_path: Path
) -> None:
    """FM 5.7: r would send it back to q, which lets nothing in that is for the lamp."""
    routers(tmp_path, 1, 2, r="1 10", q="2 10/shade 30")
    told = inkov("follow", "fern", "lamp", ".", "-f", "json").json
    failing = [part["says"] for part in told["parts"] if not part["holds"]]
    assert not told["arrives"] and failing == ["the filter shade of q 4 stops it"]


def test_who_is_at_one_port_of_a_box_may_come_out_by_another(inkov: Inkov, tmp_path: Path) -> None:
    """FM 4.7: whoever is behind a:9 is behind hut, which b:9 sees as well."""
    port = ACCESS.replace("port 1", "port 9") + "[neighbours]\n9: hut:{}\n"
    write(tmp_path, a=port.format(1), b=ACCESS + port.format(2))
    (tmp_path / "plan.yaml").write_text("claims:\n  - isolate: [a:9, b:1]\n")
    (claim,) = inkov("prove", ".", "--strict", "-f", "json").json["claims"]
    assert claim["verdict"] == "undecided" and "pass nothing" in claim["because"], claim


def test_what_a_tag_is_within_is_told(inkov: Inkov, tmp_path: Path) -> None:
    write(
        tmp_path,
        a=ACCESS + TRUNK.format(10) + "[neighbours]\n9: b:9\n",
        b=BEHIND.format(40) + TRUNK.format("none"),
    )
    steps = inkov("follow", "a:1", "b:1", ".", "-f", "json").json["steps"]
    [taken] = [step["because"] for step in steps if step["port"] == "9.10"]
    assert taken == "the sub-interface takes tag 10; it is VLAN 40 inside"


def test_a_story_stops_in_the_vlan_of_its_target(inkov: Inkov, tmp_path: Path) -> None:
    """A hostile host sends in VLANs 10 and 30, which get to b; c:1 would send those of VLAN 30."""
    trunk = TRUNK.replace("port 9", "port 8").format(40)
    write(
        tmp_path,
        a=ACCESS + "voice: 30\n" + TRUNK.format("10,30") + "[neighbours]\n9: b:9\n",
        b=TRUNK.format("10,30") + trunk + "[neighbours]\n8: c:8\n",
        c=trunk + ACCESS.replace("10", "30"),
    )
    told = inkov("follow", "a:1", "c:1", ".", "--level", "hostile", "-f", "json")
    *_, last = told.json["steps"]
    assert (last["port"], last["event"], last["vlan"]) == ("8", "stops", 30)


def test_a_bridge_with_a_port_that_is_not_there_is_not_whole(inkov: Inkov, tmp_path: Path) -> None:
    """Perhaps the port is called otherwise: what would be joined by it is not known."""
    write(tmp_path, a=ACCESS + "[port 2]\nmode: access\nvlan: 10\n[bridge b2]\nports: 2,77\n")
    (tmp_path / "plan.yaml").write_text("claims:\n  - isolate: [a:1, a:2]\n")
    (claim,) = inkov("prove", ".", "--strict", "-f", "json").json["claims"]
    assert claim["verdict"] == "undecided" and "'77'" in claim["because"], claim


def test_vlan_1_that_passes_one_way_only_is_two_islands(inkov: Inkov, tmp_path: Path) -> None:
    """FM 6.6: a sends it tagged and takes no untagged frames, as b sends it."""
    sends, takes = (
        "mode: trunk\nnative: none\nallowed: 1\n",
        "mode: general\npvid: 1\nuntagged: 1\n",
    )
    access = "[port 1]\nmode: access\nvlan: 1\n"
    write(
        tmp_path,
        a=f"{access}[port 9]\n{sends}[neighbours]\n9: b:9\n",
        b=f"{access}[port 9]\n{takes}ingress filtering: off\n",
    )
    (row,) = inkov("vlans", ".", "--vlan", "1", "-f", "json").json["vlans"]
    assert row["islands"] == [["a"], ["b"]]


def test_a_sub_interface_that_only_sends_is_in_the_vlan_that_it_sends(
    inkov: Inkov, tmp_path: Path
) -> None:
    """FM 6.8: what c and d have in VLAN 40, together, is tag 10 on links where nothing comes in."""
    sub = "[sub 9.10]\nof: 9\ntag: 10\nmode: general\npvid: none\nuntagged: 40\n"
    link = TRUNK.replace("port 9", "port 8").format(40)
    write(
        tmp_path,
        a=ACCESS + TRUNK.format(10) + "[neighbours]\n9: c:9\n",
        b=ACCESS + TRUNK.format(10) + "[neighbours]\n9: d:9\n",
        c=TRUNK.format("none") + sub + link + "[neighbours]\n8: d:8\n",
        d=TRUNK.format("none") + sub + link,
    )
    (row,) = inkov("vlans", ".", "--vlan", "10", "-f", "json").json["vlans"]
    assert sorted(row["islands"]) == [["a"], ["b"], ["c", "d"]]


def test_a_box_at_three_ports_is_told_with_each(inkov: Inkov, tmp_path: Path) -> None:
    sheets = {
        name: f"{ACCESS}[port 9]\nmode: access\nvlan: {vid}\n[neighbours]\n9: hut:{vid}\n"
        for name, vid in (("a", 10), ("b", 30), ("c", 40))
    }
    write(tmp_path, **sheets)
    (tmp_path / "plan.yaml").write_text("claims:\n  - isolate: [a:1, b:9]\n")
    (claim,) = inkov("prove", ".", "--strict", "-f", "json").json["claims"]
    assert claim["because"].endswith("pass nothing between a:9 and b:9 and c:9"), claim


def test_a_gateway_of_vlan_1_is_down_where_no_port_carries_it(inkov: Inkov, tmp_path: Path) -> None:
    """FM 5.2."""
    gateways = "".join(f"[gateway {vid}]\naddress: 10.0.{vid}.1/24\n" for vid in (1, 10))
    hosts = "fern,a,1,,10.0.10.5/24,10.0.10.1\nlamp,a,2,,10.0.1.5/24,10.0.1.1\n"
    write(tmp_path, a=ACCESS + ACCESS.replace("port 1", "port 2") + gateways)
    (tmp_path / "hosts.csv").write_text(f"host,switch,port,vlan,address,gateway\n{hosts}")
    told = inkov("follow", "fern", "lamp", ".", "-f", "json").json
    failing = [part["says"] for part in told["parts"] if not part["holds"]]
    assert not told["arrives"] and any("VLAN 1 is down" in says for says in failing), failing


def test_protected_ports_keep_apart_what_hangs_by_them(inkov: Inkov, tmp_path: Path) -> None:
    """FM 3.6: b passes nothing on from one to the other; a and c have one such port each."""
    own = "[port {}]\nmode: trunk\nnative: none\nallowed: 10\nprotected: yes\n"
    write(
        tmp_path,
        a=ACCESS + own.format(9) + "[neighbours]\n9: b:8\n",
        b=own.format(8) + own.format(9),
        c=ACCESS + own.format(9) + "[neighbours]\n9: b:9\n",
    )
    (row,) = inkov("vlans", ".", "--vlan", "10", "-f", "json").json["vlans"]
    assert row["islands"] == [["a"], ["c"]]


def test_a_tag_that_shows_behind_another_is_told(inkov: Inkov, tmp_path: Path) -> None:
    """FM 4.3: VLAN 10 leaves a untagged, so that b sees what a hostile host has put behind."""
    trunk = "[port 9]\nmode: trunk\nnative: 10\nallowed: {}\n"
    write(
        tmp_path,
        a=ACCESS + trunk.format(10) + "[neighbours]\n9: b:9\n",
        b=ACCESS.replace("10", "40") + trunk.format("10,40"),
    )
    told = inkov("follow", "a:1", "b:1", ".", "--level", "hostile", "-f", "json").json
    _, leaves, arrives, _ = told["steps"]
    assert leaves["because"].endswith("the tag hidden behind, 40, is now the first")
    assert arrives["because"].startswith("the hidden tag shows: VLAN 40 is in its allowed list")


def test_a_private_host_without_both_its_vlans_forwards_nothing(
    inkov: Inkov, tmp_path: Path
) -> None:
    """Whatever is sent there, and whoever else is there (FM 2.8)."""
    rows = "inkov sheet 1\nswitch: a\n[vlans]\n1-10:\n[port 1]\nvlan: 1\n[port 3]\nvlan: 1\n"
    rows += "[port 4..5]\nvlan: 2\n"
    (tmp_path / "a.sheet").write_text(f"{rows}[port 2]\nmode: private host\nprimary: 10\n")

    def ears(port: str) -> list[str]:
        heard = inkov("hears", port, ".", "--level", "hostile", "-f", "json").json["heard"]
        return [each["port"] for each in heard]

    assert (ears("a:1"), ears("a:2"), ears("a:4")) == (["3"], [], ["5"])


def test_a_router_alone_needs_no_table_of_vlans(inkov: Inkov, tmp_path: Path) -> None:
    """What is heard of a switch without one rests on that it has every VLAN that it names."""
    head, cable = "inkov sheet 1\nswitch: {}\n", "[neighbours]\n1: {}:1\n"
    (tmp_path / "r.sheet").write_text(
        head.format("r") + "[port 1..2]\nmode: routed\n" + cable.format("a")
    )
    (tmp_path / "a.sheet").write_text(
        head.format("a") + "[port 1..2]\nmode: access\nvlan: 10\n" + cable.format("r")
    )
    says = "brings no VLAN table: taken to have every VLAN its ports name"
    assert f"a {says}" in inkov("hears", "a:2", ".").out
    heard = inkov("hears", "r:2", ".")
    assert heard.status == 0 and says not in heard.out


def test_of_two_lists_those_that_only_one_end_has_do_not_cross(
    inkov: Inkov, tmp_path: Path
) -> None:
    cable = "[neighbours]\n9: {}:9\n"
    write(
        tmp_path,
        a=TRUNK.format("10,30,40") + cable.format("b"),
        b=TRUNK.format(40) + cable.format("a"),
    )
    told = inkov("trunks", ".", "--because", "a:9", "-f", "json").json
    says = [line["says"] for line in told["because"] if line["stage"] == "link view"]
    assert [text.partition(";")[0] for text in says] == [
        "crosses tagged to b:9: VLAN 40",
        "does not cross to b:9: VLAN 10,30",
    ]
